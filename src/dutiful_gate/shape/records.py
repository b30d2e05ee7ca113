"""Record types to records: dataclasses, TypedDicts, NamedTuples, and variants of them."""

from __future__ import annotations

import dataclasses
import inspect
import sys
import typing
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Protocol

from ..declare import marks
from ..declare.absent import ABSENT, may_be_absent
from ..declare.carried import carrier_of, taken_here
from ..declare.constants import check_words
from ..declare.described import LEFT_OUT, Described, described
from ..declare.embedded import Embedded
from ..declare.errors import DeclarationError, did_you_mean
from ..declare.facts import Unsaid
from ..declare.kinds import Text
from ..declare.kinds.anything import ReadAlready
from ..declare.outside import Outside
from ..declare.records import RecordCheck, RecordRule, record_rules, unknown_keys_of
from ..declare.rules import Rule
from ..declare.sources import Source
from ..declare.variants import Variant
from ..declare.waiting import check_answers, shown_name
from .aliases import (
    is_named_tuple,
    is_read_only,
    is_record_type,
    is_typed_dict,
    unwrapped,
    variables_by_class,
)
from .constructors import check_constructor, only_stores, runs_own_code
from .hints import hints_of, hints_of_function, own_annotations
from .metadata import NOTHING_BESIDE, Beside, PartOf, sorted_metadata
from .names_in_quotes import Sees
from .nodes import Entries, Link, Scalar
from .python_types import RequestKeys
from .shape import Field, Record
from .uses import MISSING, Use
from .variants import AmendmentMaker, varied

KeyStyle = Callable[[str], str]
Given = Mapping[Any, Any]
Givens = Callable[[str], tuple[Any, Given]]
"""The class that declares a field, by its name, and what type variables stand for in its annotation."""


class RecordMaker(AmendmentMaker, Protocol):
    """What makes the shape of which a record is a part."""

    names: Mapping[str, Any]
    scope: str
    records: dict[str, Record]
    used: dict[str, Any]
    owner: Any
    of_request: bool

    @property
    def seen(self) -> Sees:
        """What names in quotes stand for in the class at hand, or where the gate is built."""
        ...

    def use(self, declared: Any, given: Given | None = None, part: PartOf = "inside") -> Use:
        """The use that an annotation stands for; `part` tells of what it is the type."""
        ...

    def finished(self, declared: Any) -> Record | None:
        """The record of a type that was met already, made now if it waits; None where it was not, or is being made."""
        ...


def record_of(maker: RecordMaker, declared: Any, key: str, name: str) -> Record:
    """The whole record of a record type."""
    if isinstance(declared, Variant):
        return _variant(maker, declared, key)
    if isinstance(declared, Described):
        return _described(maker, declared, key)
    origin = typing.get_origin(declared) or declared
    if inspect.isabstract(origin):
        raise DeclarationError(
            f"{name} is abstract: no instance can be made of it",
            remedy="declare the classes that are made, as in A | B",
        )
    hints = hints_of(origin, maker.names, maker.scope, maker.used)
    by_class = variables_by_class(declared, maker.seen)

    def given(name: str) -> tuple[Any, Given]:
        owner = _owner_of(origin, name)
        return _module_of(owner, name) or owner, by_class.get(owner, {})

    if is_typed_dict(origin):
        fields, form, builder = _typed_dict_fields(maker, origin, hints, given), "dict", dict
    elif is_named_tuple(origin):
        fields, form, builder = _named_tuple_fields(maker, origin, hints, given), "tuple", origin
    else:
        fields, form, builder = _dataclass_fields(maker, origin, hints, given), "object", origin
    computed = () if form == "dict" else _computed(maker, origin, given)
    every = record_rules(origin)
    rules = tuple(rule for rule in every if isinstance(rule, RecordRule))
    rests, fields = _rests_apart(name, fields, hints)
    check_names(name, fields, rules)
    unknown = unknown_keys_of(origin)
    if rests and unknown == "refuse":
        raise DeclarationError(
            "no key is unknown where a field gathers the rest, and the record refuses unknown ones",
            remedy='leave out unknown="refuse", or the field marked `rest`',
            record=name,
            field=rests[0].attribute,
        )
    _check_wires(name, (*fields, *computed))
    runs_own = form != "dict" and runs_own_code(origin)
    if runs_own and form == "object":
        check_constructor(origin, [field.attribute for field in (*fields, *rests)], name)
    return Record(
        key,
        name,
        builder,
        fields,
        rules,
        tuple(rule for rule in every if isinstance(rule, RecordCheck)),
        docstring_of(origin),
        form,
        form == "object" and only_stores(origin) and not any(f for f in dataclasses.fields(origin) if not f.init),
        rests,
        documents=tuple(rule for rule in every if isinstance(rule, Embedded)),
        computed=computed,
        runs_own=runs_own,
        unknown=unknown,
    )


def _owner_of(origin: Any, name: str) -> Any:
    """The class whose own annotation a field has: its type variables are meant in it."""
    if is_typed_dict(origin):
        for base in origin.__dict__.get("__orig_bases__", ()):
            generic = typing.get_origin(base) or base
            if is_typed_dict(generic) and name in generic.__annotations__:
                return _owner_of(generic, name)
        return origin
    for owner in origin.__mro__:
        if name in own_annotations(owner, origin):
            return owner
    return origin


def _module_of(owner: Any, name: str) -> Any:
    """The other module that an annotation of a TypedDict is from: before Python 3.12 its bases are not kept."""
    annotation = owner.__annotations__.get(name) if is_typed_dict(owner) else None
    module = getattr(annotation, "__forward_module__", None)
    return sys.modules.get(module) if isinstance(module, str) and module != owner.__module__ else None


def _field(maker: RecordMaker, record: str, attribute: str, hint: Any, givens: Givens, **more: Any) -> Field:
    # From here on names in quotes are those of the class that declares the field.
    maker.owner, given = givens(attribute)
    style = maker.key_style
    try:
        maker.key_style = style.inside(attribute) if isinstance(style, RequestKeys) else style
        use = maker.use(hint, given, "field")
        beside = _beside(hint, given)
        wire = beside.wire
    except DeclarationError as error:
        raise error.within(record, attribute) from None
    finally:
        maker.key_style = style
    if wire is None:
        wire = attribute if style is None else style(attribute)
        if not isinstance(wire, str):
            raise DeclarationError(
                f"keys= made {wire!r} of {attribute!r}, and a name is text",
                remedy="give text back",
                record=record,
                field=attribute,
            )
    if beside.if_absent is not None:
        more = _standing_in(beside.if_absent, record, attribute, more)
    also = tuple(dict.fromkeys((*beside.also, *beside.former)))
    return Field(attribute, wire, use, also=also, under=beside.under, former=beside.former, **more)


def refuse_under_key(records: Iterable[Record]) -> None:
    """Raise DeclarationError for a field that would come under a key, and is not the body of a request."""
    for record in records:
        for field in (*record.fields, *record.rests):
            if field.under:
                raise DeclarationError(
                    "under_key is for the body of a request",
                    remedy=f"declare a record with the field {field.under}",
                    record=record.name,
                    field=field.attribute,
                )


def _beside(hint: Any, given: Mapping[Any, Any] | None = None) -> Beside:
    """What stands beside the type of a field."""
    return NOTHING_BESIDE if hint.__class__ is type else sorted_metadata(unwrapped(hint, given).metadata)


def _standing_in(mark: marks.IfAbsent, record: str, attribute: str, more: Mapping[str, Any]) -> dict[str, Any]:
    """What a field is made with whose value for its absence stands beside it."""
    if more.get("may_lack") or more.get("default", MISSING) is not MISSING or more.get("factory") is not None:
        raise DeclarationError(
            "a field with if_absent(...) is always there, and has no other default",
            remedy="leave out NotRequired or the default" if more.get("may_lack") else "leave out one of the two",
            record=record,
            field=attribute,
        )
    factory = mark.maker()
    return {**more, "may_lack": False, "default": mark.value if factory is None else MISSING, "factory": factory}


def _computed(maker: RecordMaker, origin: Any, givens: Givens) -> tuple[Field, ...]:
    """The properties that go out with a record."""
    found: dict[str, Field] = {}
    for owner in reversed(origin.__mro__):
        for name, held in vars(owner).items():
            function = getattr(held, "fget", None) or getattr(held, "func", None)
            if function is None or not getattr(function, marks.GOES_OUT, False):
                found.pop(name, None)
                continue
            hints = hints_of_function(function, owner, name, maker.names, maker.scope)
            if "return" not in hints:
                raise DeclarationError(
                    "a property that goes out does not say what it gives",
                    remedy=f"as in def {name}(self) -> float",
                    record=origin.__name__,
                    field=name,
                )
            found[name] = _field(maker, origin.__name__, name, hints["return"], givens)
    return tuple(found.values())


def _dataclass_fields(maker: RecordMaker, declared: Any, hints: Mapping[str, Any], given: Givens) -> tuple[Field, ...]:
    fields = []
    _check_waiting(declared, "__post_init__", getattr(declared, "__post_init__", None))
    for each in dataclasses.fields(declared):
        if not each.init:
            continue
        default = MISSING if each.default is dataclasses.MISSING else each.default
        factory = None if each.default_factory is dataclasses.MISSING else each.default_factory
        _check_waiting(declared, f"default_factory={shown_name(factory)}", factory, each.name)
        hint = hints[each.name]
        if maker.of_request and (carrier := carrier_of(hint)) is not None:
            fields.append(_carried(declared.__name__, each, hint, carrier))
            continue
        more = _marked(declared.__name__, each.name, hint, {"default": default, "factory": factory})
        fields.append(_field(maker, declared.__name__, each.name, hint, given, **more))
    for name, hint in hints.items():  # what only the constructor takes
        if isinstance(hint, dataclasses.InitVar):
            default = getattr(declared, name, MISSING)
            fields.append(_field(maker, declared.__name__, name, hint.type, given, default=default, only_given=True))
    return tuple(fields)


def _carried(record: str, field: dataclasses.Field[Any], hint: Any, by: Outside[Any]) -> Field:
    """A field that a request carries, and no client sends."""
    try:
        taken = taken_here(hint, by)
        if field.default is not dataclasses.MISSING or field.default_factory is not dataclasses.MISSING:
            raise DeclarationError(f"no default stands in for what {by} hands over", remedy="leave it out")
    except DeclarationError as error:
        raise error.within(record, field.name) from None
    use = Use(Scalar(ReadAlready()), source=Source.NATIVE)
    return Field(field.name, field.name, use, factory=taken, withheld=True)


def _marked(record: str, name: str, hint: Any, more: dict[str, Any]) -> dict[str, Any]:
    """What a field is made with that is ABSENT where it does not come."""
    marked, absent = may_be_absent(hint), more.get("default") is ABSENT
    if marked is not absent:
        raise DeclarationError(
            "what may be Absent is ABSENT where none came" if marked else "its default is ABSENT, which it cannot be",
            remedy="write the default: = ABSENT" if marked else "add it to the type: | Absent",
            record=record,
            field=name,
        )
    return {"may_lack": True, "marked": True} if marked else more


def _check_waiting(declared: type, called: str, function: Any, field: str = "") -> None:
    """Raise DeclarationError, naming record and field, for a function that gives back something that waits."""
    try:
        check_answers(function, called)
    except DeclarationError as error:
        raise error.within(declared.__name__, field or None) from None


def _typed_dict_fields(maker: RecordMaker, declared: Any, hints: Mapping[str, Any], given: Givens) -> tuple[Field, ...]:
    fields = []
    for name, hint in hints.items():
        may_lack = name not in declared.__required_keys__
        stripped = hint
        while (origin := typing.get_origin(stripped)) is not None:
            if origin in (typing.Required, typing.NotRequired):
                may_lack = origin is typing.NotRequired
            elif origin is not typing.Annotated and not is_read_only(origin):
                break
            stripped = typing.get_args(stripped)[0]
        fields.append(_field(maker, declared.__name__, name, hint, given, may_lack=may_lack))
    return tuple(fields)


def _named_tuple_fields(
    maker: RecordMaker, declared: Any, hints: Mapping[str, Any], given: Givens
) -> tuple[Field, ...]:
    defaults = declared._field_defaults
    record, fields = declared.__name__, []
    for name in declared._fields:
        hint = hints.get(name, Any)
        more = _marked(record, name, hint, {"default": defaults.get(name, MISSING)})
        fields.append(_field(maker, record, name, hint, given, **more))
    return tuple(fields)


def _rests_apart(
    record: str, fields: Sequence[Field], hints: Mapping[str, Any]
) -> tuple[tuple[Field, ...], tuple[Field, ...]]:
    """The fields marked `rest`, and all others."""
    sent = {name: hint for name, hint in hints.items() if carrier_of(hint) is None}
    gathering = tuple(field for field in fields if marks.rest in _beside(sent.get(field.attribute)).marks)
    for number, field in enumerate(gathering):
        problem = ""
        if not isinstance(field.use.node, Entries):
            problem = "a field that gathers the rest is a dict"
        elif len(gathering) > 1 and field.use.node.key == Use(Scalar(Text())) and number < len(gathering) - 1:
            problem = "it gathers every key, so that none is left for the next field marked `rest`"
        elif len(gathering) > 1 and not _has_told_keys(field.use.node.key):
            problem = "one of several fields that gather the rest tells its keys by a pattern"
        if problem:
            raise DeclarationError(
                problem,
                remedy="as in extra: Annotated[dict[str, Any], rest], "
                'or before it ours: Annotated[dict[Annotated[str, it.starts_with("x-")], Any], rest]',
                record=record,
                field=field.attribute,
            )
    return gathering, tuple(each for each in fields if each not in gathering)


def _has_told_keys(key: Use) -> bool:
    """Whether keys are any text, or text that one pattern tells."""
    if not isinstance(key.node, Scalar) or type(key.node.kind) is not Text or key.via is not None or key.secret:
        return False
    said = [part.keywords(key.node.facts) for part in key.parts if isinstance(part, Rule)]
    return len(said) == len(key.parts) <= 1 and all(
        not isinstance(each, Unsaid) and list(each) == ["pattern"] for each in said
    )


def _check_wires(record: str, fields: Iterable[Field]) -> None:
    seen: dict[str, str] = {}
    for field in fields:
        for wire in (field.wire, *field.also):
            try:
                check_words(name_in_the_data=wire)
            except DeclarationError as error:
                raise error.within(record, field.attribute) from None
            if wire in seen:
                raise DeclarationError(
                    f"{seen[wire]} and {field.attribute} have one name in the data: {wire!r}",
                    remedy="name one of them otherwise",
                    record=record,
                    field=field.attribute,
                )
            seen[wire] = field.attribute


def check_names(record: str, fields: Sequence[Field], rules: Sequence[RecordRule]) -> None:
    """Raise DeclarationError for a rule that names no field of the record."""
    names = [field.attribute for field in fields]
    for rule in rules:
        for name in rule.fields:
            if name not in names:
                raise DeclarationError(
                    f"{rule} names {name!r}, which is no field of it",
                    remedy=did_you_mean(name, names, f"it has {', '.join(names) or 'no fields'}", "this.{}".format),
                    record=record,
                    field=name,
                )


def docstring_of(declared: type) -> str:
    """What the developer wrote; `dataclass` and others write a signature where there is nothing: that is nothing."""
    text = declared.__dict__.get("__doc__")
    if not isinstance(text, str):  # since Python 3.15 what `dataclass` writes is made when it is asked for
        return ""
    return "" if text == declared.__name__ or text.startswith(f"{declared.__name__}(") else inspect.cleandoc(text)


# Variants


def _variant(maker: RecordMaker, variant: Variant, key: str) -> Record:
    base = maker.finished(variant.base)
    return varied(maker, variant, key, base if base is not None else _base_record(maker, variant))


def _described(maker: RecordMaker, declared: Described, key: str) -> Record:
    """The record that a description tells."""

    def given(name: str) -> tuple[Any, Given]:
        return declared.builder, {}

    fields = []
    for each in declared.fields:
        default = MISSING if each.default is LEFT_OUT else each.default
        more: dict[str, Any] = {
            "default": default,
            "factory": each.factory,
            "may_lack": each.may_lack,
            "getter": each.getter,
        }
        fields.append(_field(maker, declared.name, each.attribute, each.annotation, given, **more))
    rules = tuple(rule for rule in declared.rules if isinstance(rule, RecordRule))
    check_names(declared.name, fields, rules)
    _check_wires(declared.name, fields)
    return Record(
        key,
        declared.name,
        declared.builder,
        tuple(fields),
        rules,
        tuple(rule for rule in declared.rules if isinstance(rule, RecordCheck)),
        declared.text,
        documents=tuple(rule for rule in declared.rules if isinstance(rule, Embedded)),
        runs_own=True,
        rebuilds=True,
    )


def _base_record(maker: RecordMaker, variant: Variant) -> Record:
    """The record of a variant's base, read without being put among the shape's own."""
    told = described(variant.base)
    if told is None and not is_record_type(variant.base) and not is_record_type(typing.get_origin(variant.base)):
        raise DeclarationError(f"{variant.base!r} is no record to vary", remedy="name a dataclass or its like")
    return record_of(maker, told if told is not None else variant.base, "", getattr(variant.base, "__name__", "Record"))


__all__ = ["KeyStyle", "Link", "record_of"]
