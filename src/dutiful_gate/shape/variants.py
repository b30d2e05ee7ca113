"""Records made of others: amendments of them, and subsets."""

from __future__ import annotations

import dataclasses
import typing
from collections.abc import Sequence
from typing import Any, Protocol

from ..declare.absent import ABSENT
from ..declare.amendment_rule import Sent
from ..declare.described import Described
from ..declare.errors import DeclarationError, did_you_mean
from ..declare.rules import Rule
from ..declare.variants import Amendment, Variant, amendment_of
from .aliases import unwrapped
from .constructors import only_stores
from .metadata import Beside
from .names_in_quotes import Sees
from .nodes import Entries, Link, Nullable
from .python_types import record_name
from .shape import Field, Record
from .uses import Use


class AmendmentMaker(Protocol):
    """What makes the shape of which an amendment is a part."""

    key_style: Any

    def record(self, declared: Any) -> str:
        """The key of a record type among the records."""
        ...

    def declared_of(self, key: str) -> tuple[Any, Any]:
        """The type of a record that was met, and what makes its names."""
        ...


def amendment_meant(declared: Any, beside: Beside, seen: Sees) -> Any:
    """For `Amendment[X]`, with what was said of it, the variant that it is; any other type as it is."""
    if declared is Amendment:
        raise DeclarationError("Amendment alone amends nothing", remedy="say what, as in Amendment[Booking]")
    if typing.get_origin(declared) is Amendment:
        base = unwrapped(typing.get_args(declared)[0], None, seen).declared
        name = f"{record_name(base)}Amendment"
        return amendment_of(base, without=beside.without, demand=beside.demanded, name=name)
    if beside.without or beside.demanded:
        raise DeclarationError(
            "without(...) and demanding(...) stand beside an Amendment, and beside nothing else",
            remedy='as in Annotated[Amendment[Booking], without("number")] | None',
        )
    return declared


def varied(maker: AmendmentMaker, variant: Variant, key: str, whole: Record) -> Record:
    """The record that a variant makes of the whole one."""
    attributes = [field.attribute for field in whole.fields]
    for name in variant.named():
        if name not in attributes:
            raise DeclarationError(
                f"the variant names {name!r}, which is no field of {whole.name}",
                remedy=did_you_mean(name, attributes, f"it has {', '.join(attributes)}"),
                record=variant.name,
                field=name,
            )
    kept = [
        field
        for field in whole.fields
        if field.attribute not in variant.without and (variant.only is None or field.attribute in variant.only)
    ]
    names = {field.attribute for field in kept}
    rules = tuple(rule for rule in whole.rules if names.issuperset(rule.fields))
    lost = [f"{rule} lost {sorted(set(rule.fields) - names)[0]}" for rule in whole.rules if rule not in rules]
    lost += [f"{check} is a function of the whole record" for check in whole.checks]
    builder: type
    rests: tuple[Field, ...]
    if variant.mends:
        fields = tuple(_mended(maker, field, variant) for field in kept)
        deep = {new.attribute for old, new in zip(kept, fields, strict=True) if new.use is not old.use}
        # What asks for a record inside, of which a part alone may be there, is asked of the whole that comes of it.
        rules = tuple(rule for rule in rules if deep.isdisjoint(rule.fields))
        mending = [field.attribute for field in fields if field.may_lack]
        rests = tuple(rest.replace(use=_in_part(maker, rest.use)) for rest in whole.rests)
        if len(mending) == 1 and not rests and not variant.inside:  # it must be there
            fields = tuple(field.replace(may_lack=False) for field in fields)
        elif (mending or rests) and not variant.inside:
            gathering = tuple(rest.attribute for rest in rests)
            rules = (*rules, Sent(tuple(mending), gathering, len(fields) - len(mending)))
        builder, form = Amendment, "dict"
    else:
        fields, rests, form = tuple(_chosen(field, variant) for field in kept), whole.rests, "object"
        builder = _subset_class(variant, fields, rests)
    return Record(
        key,
        variant.name,
        builder,
        fields,
        rules,
        (),
        whole.text,
        form,
        form == "object" and only_stores(builder),
        rests,
        lost_rules=tuple(lost),
        mends=variant.mends,
        unknown=whole.unknown,
    )


def _mended(maker: AmendmentMaker, field: Field, variant: Variant) -> Field:
    lacking = field.attribute not in variant.required
    # What is written to a table is written whole.
    use = field.use if isinstance(variant.base, Described) else _in_part(maker, field.use)
    return Field(field.attribute, field.wire, use, may_lack=lacking, also=field.also, under=field.under)


def _in_part(maker: AmendmentMaker, use: Use) -> Use:
    """A use whose value may be sent in part: that of a record, or of a dict; any other as it is."""
    if not use.reads_what_came or use.documents or use.has_steps:
        return use
    match use.node:
        case Nullable(inner):
            found = _in_part(maker, inner)
            return use if found is inner else use.replace(node=Nullable(found))
        case Link(key):
            declared, style = maker.declared_of(key)
            if isinstance(declared, Described):
                return use
            around, maker.key_style = maker.key_style, style
            inside = amendment_of(declared, name=f"{record_name(declared)}Amendment", inside=True)
            made = maker.record(inside)
            maker.key_style = around
            return use.replace(node=Link(made), parts=())
        case Entries(key_use, value) if all(isinstance(part, Rule) for part in use.parts):
            held = value if value.may_be_null else Use(Nullable(_in_part(maker, value)), secret=value.secret)
            return use.replace(node=Entries(key_use, held), parts=())
        case _:
            return use


def _chosen(field: Field, variant: Variant) -> Field:
    if field.attribute in variant.required:
        return Field(field.attribute, field.wire, field.use, under=field.under)
    if field.attribute in variant.optional and field.required:
        use = field.use if field.use.nullable else Use(Nullable(field.use), (), field.use.about)
        return Field(field.attribute, field.wire, use, default=None, also=field.also, under=field.under)
    return field


def _subset_class(variant: Variant, fields: Sequence[Field], rests: Sequence[Field]) -> type:
    """A dataclass for the values of a subset: the same one for every gate of it."""
    if variant in _subset_classes:
        return _subset_classes[variant]
    every = [*fields, *rests]
    made = [
        (field.attribute, Any)
        if field.required
        else (field.attribute, Any, dataclasses.field(default=ABSENT))
        if field.marked
        else (
            field.attribute,
            Any,
            dataclasses.field(default_factory=field.factory)
            if field.factory is not None
            else dataclasses.field(default=field.default),
        )
        for field in every
    ]
    made_class = dataclasses.make_dataclass(variant.name, made, kw_only=True, slots=True)
    _subset_classes[variant] = made_class
    return made_class


_subset_classes: dict[Variant, type] = {}
