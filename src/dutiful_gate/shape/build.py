"""Annotations to shape: the one place that knows Python's types."""

from __future__ import annotations

import builtins
import re
import types
import typing
from collections.abc import Hashable, Mapping, Sequence
from enum import Enum, Flag
from functools import partial
from typing import Annotated, Any, Literal, NamedTuple, TypeVar, Union

from ..declare import marks
from ..declare.absent import Absent
from ..declare.described import described
from ..declare.errors import DeclarationError
from ..declare.kinds import (
    Flags,
    Kind,
    Text,
    written_kinds,
)
from ..declare.limits import is_short_of_stack
from ..declare.sealed import Sealed
from .aliases import NamedType, Unwrapped, is_record_type, unwrapped
from .circular_aliases import settled
from .constants import with_meanings
from .hints import evaluated, names_of, needed
from .members import choice_of_enum, choice_of_literal
from .metadata import NOTHING_BESIDE, Beside, PartOf, check_parts, refuse_of_fields, sorted_metadata, with_marks
from .names_in_quotes import Sees, is_alias, type_of
from .nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Node, Nothing, Nullable, Scalar, Sealing
from .own_types import check_that_may_be_equal, from_seconds, own_type, own_via
from .paths import check_record_rules
from .python_types import (
    COLLECTIONS,
    KINDS,
    MAPPINGS,
    MEANT,
    REMEDIES,
    RequestKeys,
    key_style_of,
    record_name,
    type_name,
    unpacked_tuple,
)
from .records import KeyStyle, record_of, refuse_under_key
from .shape import Record, Shape
from .unions import beside_anything, others_of, tags_beside, with_others_apart, with_tag, without_absent
from .uses import MISSING, NO_ABOUT, Use
from .variants import amendment_meant
from .walk import guarded_of, held_by, holds_secrets, leads, rebuilt, rebuilt_records, recursive_of, uses_of


def shape_of(
    declared: object,
    names: Mapping[str, Any] | None = None,
    scope: str = "",
    *,
    keys: KeyStyle | None = None,
    lenient: bool = False,
    of_request: bool = False,
) -> tuple[Shape, dict[str, Any]]:
    """The shape of a declared type, and those of the names that were needed for it.

    `names` holds what can be seen where the gate is built, in the function named `scope`; `keys` makes names in the
    data of attributes'; `lenient` makes every field so; `of_request` lets
    its fields be parts of a request, see `request_shape`.

    Raises DeclarationError for a type that cannot be read, a rule that makes no sense for its type, or an annotation
    that names what cannot be seen.
    """
    keys = RequestKeys(keys) if of_request and keys is not None else keys
    maker = ShapeMaker(names or {}, scope, keys, lenient=lenient, of_request=of_request)
    try:
        root = maker.use(declared)
        maker.finish_all()
    except RecursionError:
        if is_short_of_stack():
            raise
        raise DeclarationError(
            f"{type_name(declared)} leads to itself in ever new forms, or nests too deeply",
            remedy="put a dataclass in between: a record may hold itself",
        ) from None
    records, aliases = maker.records, maker.aliases
    if not of_request:
        refuse_under_key(records.values())
    if aliases:
        root, records, aliases = settled(root, records, aliases)
    tag = partial(with_tag, records=records)
    root, records = rebuilt(root, tag), rebuilt_records(records, tag)
    aliases = {key: rebuilt(use, tag) for key, use in aliases.items()}
    root, records, aliases = with_others_apart(root, records, aliases)
    check_record_rules(records, aliases)
    root, records, aliases = with_meanings(root, records, aliases)
    held = held_by(records, aliases)
    leads_to = leads(held)
    shape = Shape(root, records, recursive_of(leads_to), guarded=guarded_of(held, leads_to), aliases=aliases)
    uses = uses_of(shape)
    check_that_may_be_equal(shape)
    exact = any(use.node.single is not None and use.node.single.exact for use in uses)
    return shape.replace(exact=exact, secretive=any(use.secret for use in uses)), maker.used


class _Seen(NamedTuple):
    """What the names in quotes of one class, or of one alias, stand for; None is where the gate is built."""

    maker: ShapeMaker
    owner: Any

    def __call__(self, text: str, /) -> Any:
        return self.maker.seen_from(self.owner, text)

    def of(self, owner: Any) -> Sees:
        return _Seen(self.maker, owner)


class ShapeMaker:
    """Builds one shape; holds the records met so far."""

    def __init__(
        self, names: Mapping[str, Any], scope: str, keys: KeyStyle | None, *, lenient: bool, of_request: bool = False
    ) -> None:
        self.of_request = of_request
        self.names = names
        self.scope = scope
        self.key_style = keys
        self.lenient = lenient
        self.records: dict[str, Record] = {}
        self.keys: dict[tuple[object, KeyStyle | None], str] = {}
        # Records that were met and are not made yet: one after the other, so that no chain of them is too long.
        self.waiting: dict[str, tuple[Any, KeyStyle | None]] = {}
        self.used: dict[str, Any] = {}
        self.sets: list[tuple[Use, str]] = []
        # Types that lead to themselves by a name: those whose inside is being read, the keys of those that were met
        # inside themselves, and what they stand for. Names are looked up where the class at hand was written.
        self.open: set[tuple[object, ...]] = set()
        self.alias_keys: dict[tuple[object, ...], str] = {}
        self.unmade: dict[str, tuple[NamedType, Any, KeyStyle | None]] = {}
        self.aliases: dict[str, Use] = {}
        self.owner: Any = None

    def use(self, declared: Any, given: Mapping[Any, Any] | None = None, part: PartOf = "inside") -> Use:
        """The use that an annotation stands for; `given` says what type variables stand for, `part` of what it is."""
        found = unwrapped(declared, given, self.seen, self.leads_to_itself)
        opened = {self.mark(named) for named in found.through} - self.open
        self.open |= opened
        try:
            use = self.unwrapped_use(found, part)
        finally:
            self.open -= opened
        # What was met inside itself is named from the start.
        return use if opened.isdisjoint(self.alias_keys) else self.use(declared, given, part)

    def leads_to_itself(self, named: NamedType) -> bool:
        """Whether a name is met inside itself, or was: it is put down then, and its inside is made later."""
        mark = self.mark(named)
        if mark in self.alias_keys:
            return True
        if mark not in self.open:
            return False
        key = self.fresh(re.sub(r"\W+", "_", named.name).strip("_") or "Value")
        self.alias_keys[mark] = key
        self.unmade[key] = named, self.owner, self.key_style
        return True

    def mark(self, named: NamedType) -> tuple[object, ...]:
        """A name, as it is meant here: records inside may be called otherwise elsewhere."""
        return (*named.mark, self.key_style)

    def unwrapped_use(self, found: Unwrapped, part: PartOf) -> Use:
        """The use of a type without its wrappings, with what stood beside it."""
        declared, metadata, given, _ = found
        beside = sorted_metadata(metadata)
        refuse_of_fields(beside, part)
        if isinstance(declared, NamedType):
            node = with_marks(Alias(self.alias_keys[self.mark(declared)]), beside, lenient=self.lenient)
            return self.dressed(Use(node, beside.parts), beside, given)
        declared = amendment_meant(declared, beside, self.seen)
        origin = typing.get_origin(declared)
        own = own_via(declared, beside.via, lambda held: self.kind(held) is not None)
        if own is not None:
            return self.dressed(own_type(self.use, declared, own, beside, given), beside, given)
        if origin is Sealed:
            return self.sealing(typing.get_args(declared)[0], metadata, given, part)
        if origin in (Union, types.UnionType):
            use = self.union(without_absent(typing.get_args(declared), part), beside, given, part)
        else:
            node = with_marks(self.node(declared, origin, given), beside, lenient=self.lenient)
            use = Use(node, beside.parts)
        return self.dressed(use, beside, given)

    def sealing(self, held: Any, metadata: Sequence[object], given: Mapping[Any, Any] | None, part: PartOf) -> Use:
        """What is held by a `Sealed`: all that stands beside it is about what is inside."""
        inner = self.use(Annotated[(held, *metadata, marks.secret)], given, part)
        return Use(Sealing(inner.replace(about=NO_ABOUT)), (), inner.about, secret=True)

    def dressed(self, use: Use, beside: Beside, given: Mapping[Any, Any] | None) -> Use:
        """A use with all that stands beside it, once that has been found to make sense."""
        if beside.blank and not use.nullable:
            raise DeclarationError("blank_is_none stands beside a type that cannot be None", remedy="write X | None")
        if beside.split and not isinstance(use.bare.node, Items | Fixed):
            raise DeclarationError("split_on stands beside a type that is no list", remedy="declare list[...]")
        if beside.secret and beside.about.shown:
            raise DeclarationError("secret and about(shown=True) contradict each other", remedy="leave one of them out")
        target = use.bare
        secret = use.secret or beside.secret or holds_secrets(use.node)
        if not isinstance(target.node, Alias):  # of which nothing is known yet
            check_parts(target, secret=secret)
        if beside.via is not None or beside.split:
            via = None
            if beside.via is not None:
                kind, parts = beside.via.kind, beside.via.parts
                via = self.use(Annotated[(kind, *parts)] if parts else kind, given)
                secret = secret or via.secret
                use = from_seconds(use, via)
            if isinstance(use.node, Nullable):
                use = use.replace(node=Nullable(use.node.inner.replace(via=via, split=beside.split)))
            else:
                use = use.replace(via=via, split=beside.split)
        if beside is NOTHING_BESIDE and secret is use.secret and not use.blank:
            return use
        about = use.about if beside.about == NO_ABOUT else beside.about
        fallback = use.fallback if beside.fallback is MISSING else beside.fallback
        documents = use.documents + beside.documents
        if beside.says is not None:
            use = use.saying(beside.says)
        appended = use.appended or marks.appended in beside.marks
        return use.replace(
            about=about, blank=beside.blank, fallback=fallback, secret=secret, documents=documents, appended=appended
        )

    def union(self, options: Sequence[Any], beside: Beside, given: Mapping[Any, Any] | None, part: PartOf) -> Use:
        """`X | None`, or one of several types: what stands beside it judges what is not None."""
        held = [option for option in options if option not in (None, type(None))]
        inner_part: PartOf = "inside" if part == "inside" or len(held) > 1 else "optional"
        uses = [self.use(option, given, inner_part) for option in held]
        has_null = len(held) != len(options)
        if not held:
            return self.use(None)
        alone = marks.unambiguous in beside.marks
        if alone and has_null and any(use.may_be_null for use in uses):
            held, uses, has_null = [*held, None], [*uses, Use(Nothing())], False
        if beside.tagged_by is None and not alone:
            uses, null_inside = _spread(uses)
            has_null = has_null or null_inside
        if len(uses) == 1:
            only = uses[0]
            if isinstance(only.node, Sealing):
                sealed = only.node.inner
                sealed = sealed.replace(
                    node=with_marks(sealed.node, beside, lenient=False), parts=sealed.parts + beside.parts
                )
                check_parts(sealed, secret=True)
                return Use(Nullable(only.replace(node=Sealing(sealed))), (), only.about, secret=True)
            node = with_marks(only.node, beside, lenient=False)
            inner = only.replace(node=node, parts=only.parts + beside.parts)
        else:
            inner = Use(self.branches(held, uses, beside), beside.parts)
        if not has_null:
            return inner
        return Use(Nullable(inner), (), inner.about, secret=inner.secret)

    def branches(self, held: Sequence[Any], uses: Sequence[Use], beside: Beside) -> Branches:
        """One of several types, with what was said of how they are told apart."""
        told = beside.tagged_by
        uses = beside_anything(uses)
        if told is None:
            return Branches(tuple(uses), alone=marks.unambiguous in beside.marks)
        if not told.beside:
            return Branches(tuple(uses), told.field, others=others_of(told, held))
        return Branches(tuple(uses), told.field, tags_beside(told, held), told.beside)

    def node(self, declared: Any, origin: Any, given: Mapping[Any, Any] | None) -> Node:
        """The node of a type without metadata."""
        if declared is None or declared is type(None):
            return Nothing()
        arguments = typing.get_args(declared)
        if origin is not None and not arguments and (origin is not tuple or declared is typing.Tuple):  # noqa: UP006
            declared, origin = origin, None
        if origin is Literal:
            return choice_of_literal(arguments)
        if origin in COLLECTIONS:
            return self.collection(arguments[0], COLLECTIONS[origin], given)
        if origin is tuple:
            return self.tuple_of(arguments, given)
        if origin in MAPPINGS:
            return self.entries(arguments, given)
        told = described(declared)
        if told is not None or is_record_type(declared) or is_record_type(origin):
            return Link(self.record(told if told is not None else declared))
        kind = None if origin is not None else self.kind(declared)
        if kind is not None:
            return Scalar(kind)
        if isinstance(declared, type) and origin is None and issubclass(declared, Enum) and declared is not Absent:
            return Scalar(Flags(declared)) if issubclass(declared, Flag) else choice_of_enum(declared)
        if isinstance(declared, TypeVar):
            raise DeclarationError(
                f"the type variable {declared.__name__} stands for nothing here",
                remedy="say what it is, as in Page[Booking]",
            )
        remedy = REMEDIES.get(declared) if isinstance(declared, Hashable) else MEANT.get(type(declared))
        raise DeclarationError(
            f"{type_name(declared)} is no type that a gate can read",
            remedy=remedy
            or "declare a record (a dataclass, TypedDict or NamedTuple), or say what it is read from: "
            "Annotated[X, via(str, made=make_it, back=as_text)]",
        )

    @property
    def seen(self) -> Sees:
        """What names in quotes stand for in the class at hand, or where the gate is built."""
        return _Seen(self, self.owner)

    def seen_from(self, owner: Any, text: str) -> Any:
        """The type that a text in quotes stands for, in the module of its record or where the gate is built."""
        if not isinstance(owner, type | types.ModuleType) and not is_alias(owner):
            owner = None
        if not text.isidentifier():
            try:
                return type_of(text, _Seen(self, owner))
            except DeclarationError:
                if owner is None:
                    raise
            return evaluated(text, names_of(owner, self.names, self.scope), owner, "")
        if owner is not None:
            around, first, known = names_of(owner, self.names, self.scope)
            self.used.update(needed(text, self.names, known))
            if text in first or text in around:
                return first[text] if text in first else around[text]
        elif text in self.names:
            self.used[text] = self.names[text]
            return self.names[text]
        if hasattr(builtins, text):
            return getattr(builtins, text)
        raise DeclarationError(
            f"{text!r} in quotes cannot be seen from here",
            remedy=f"hand it to the gate: names={{{text!r}: ...}}, or write it without quotes",
        )

    def kind(self, declared: Any) -> Kind | None:
        """The kind of single value that a type is."""
        try:
            return KINDS.get(declared) or written_kinds().get(declared)
        except TypeError:
            return None

    def collection(self, item: Any, into: str, given: Mapping[Any, Any] | None) -> Node:
        """A list, set or tuple of items of one type."""
        use = self.use(item, given)
        if into in ("set", "frozenset"):
            if not isinstance(use.node, Link) and not self.is_hashable(use, frozenset()):
                raise DeclarationError(
                    f"{type_name(item)} cannot be an item of a set", remedy="declare a list with it.distinct instead"
                )
            self.sets.append((use, type_name(item)))
        return Items(use, into)

    def is_hashable(self, use: Use, seen: frozenset[str]) -> bool:
        """Whether all values of a use can be items of a set."""
        if use.making is not None:
            return True  # what a function of one's own gives back is its own affair
        match use.node:
            case Scalar(kind):
                return not kind.facts.open
            case Items(item, into):
                return into in ("tuple", "frozenset") and self.is_hashable(item, seen)
            case Fixed():
                return all(self.is_hashable(item, seen) for item in use.node.inside)
            case Branches(options=items):
                return all(self.is_hashable(item, seen) for item in items)
            case Entries():
                return False
            case Nullable(inner) | Sealing(inner):
                return self.is_hashable(inner, seen)
            case Link(key):
                record = self.records[key]
                if key in self.waiting or record.builder is None:
                    return True  # looked at again when all records are made
                if getattr(record.builder, "__hash__", None) is None or key in seen:
                    return key in seen
                # A hash of the developer's own is trusted; one that is made of the fields needs them all.
                own = record.builder.__hash__ is object.__hash__ or not hasattr(record.builder, "__dataclass_params__")
                return own or all(self.is_hashable(field.use, seen | {key}) for field in record.fields)
            case Alias(key):  # one that is not made yet is looked at again when all are
                return key in seen or key not in self.aliases or self.is_hashable(self.aliases[key], seen | {key})
            case _:
                return True

    def tuple_of(self, arguments: tuple[Any, ...], given: Mapping[Any, Any] | None) -> Node:
        """`tuple[X, ...]`, or a tuple of a fixed number of items."""
        if len(arguments) == 2 and arguments[1] is Ellipsis:
            return Items(self.use(arguments[0], given), "tuple")
        more = [at for at, each in enumerate(arguments) if unpacked_tuple(each) is not None]
        if not more:
            return Fixed(tuple(self.use(each, given) for each in arguments))
        inner = unpacked_tuple(arguments[more[0]]) or ()
        if more != [len(arguments) - 1] or len(inner) != 2 or inner[1] is not Ellipsis:
            raise DeclarationError(
                "a tuple goes on with any number of items at its end only",
                remedy="as in tuple[int, str, *tuple[float, ...]]",
            )
        return Fixed(tuple(self.use(each, given) for each in arguments[:-1]), self.use(inner[0], given))

    def entries(self, arguments: tuple[Any, ...], given: Mapping[Any, Any] | None) -> Node:
        """A dict, whose keys are read from text."""
        key = self.use(arguments[0], given)
        if not isinstance(key.node, Scalar | Choice):
            raise DeclarationError(
                f"{type_name(arguments[0])} cannot be a key of a JSON object",
                remedy="use str, int, UUID, date, an Enum or a Literal for keys",
            )
        if isinstance(key.node, Scalar) and isinstance(key.node.kind.strict, Text):
            key = key.replace(node=Scalar(key.node.kind.strict))  # a key is text as it comes, also where all is lenient
        return Entries(key, self.use(arguments[1], given))

    def record(self, declared: Any) -> str:
        """The key of a record type among the records; it is put down at the first meeting, and made later."""
        # What is called otherwise in the data is another record, of another name.
        style = key_style_of(declared, self.key_style)
        if (declared, style) in self.keys:
            return self.keys[declared, style]
        name = record_name(declared)
        key = self.keys[declared, style] = self.fresh(name)
        # The place is kept in order of meeting.
        self.records[key] = Record(key, name, None, ())
        self.waiting[key] = declared, style
        return key

    def declared_of(self, key: str) -> tuple[Any, KeyStyle | None]:
        """The type of a record that was met, and what makes its names."""
        return next(met for met, known in self.keys.items() if known == key)

    def fresh(self, name: str) -> str:
        """A key that no record and no alias has yet."""
        key, number = name, 1
        while key in self.records or key in self.unmade or key in self.aliases:
            number += 1
            key = f"{name}{number}"
        return key

    def finished(self, declared: Any) -> Record | None:
        """The record of a type that was met already, made now if it waits; None where it was not, or is being made."""
        key = self.keys.get((declared, key_style_of(declared, self.key_style)), "")
        if key in self.waiting:
            self.finish(key)
        record = self.records.get(key)
        return record if record is not None and record.builder is not None else None

    def finish(self, key: str) -> None:
        """Make a record that waits."""
        declared, style = self.waiting.pop(key)
        before = self.owner, self.key_style
        self.owner, self.key_style = typing.get_origin(declared) or declared, style
        self.records[key] = record_of(self, declared, key, record_name(declared))
        self.owner, self.key_style = before

    def finish_all(self) -> None:
        """Make all records and aliases that were met, and those that they lead to."""
        while self.waiting or self.unmade:
            if self.unmade:
                around = self.key_style
                key, (named, self.owner, self.key_style) = next(iter(self.unmade.items()))
                self.aliases[key] = self.use(named.declared, named.given)
                self.key_style = around
                del self.unmade[key]
            else:
                self.finish(next(iter(self.waiting)))
        for item, name in self.sets:
            if not self.is_hashable(item, frozenset()):
                raise DeclarationError(
                    f"{name} cannot be an item of a set", remedy="declare a list with it.distinct instead"
                )


def _spread(uses: Sequence[Use]) -> tuple[list[Use], bool]:
    """The options of a union, with those of unions among them that have nothing beside them; and whether null is one:
    a union behind a name is written out, as Python does where it can."""
    found: list[Use] = []
    has_null = False
    for use in uses:
        bare = use == Use(use.node)
        if bare and isinstance(use.node, Nullable):
            inner, _ = _spread([use.node.inner])
            found += inner
            has_null = True
        elif bare and isinstance(use.node, Branches) and not use.node.tag and not use.node.alone:
            found += use.node.options
        else:
            found.append(use)
    return found, has_null


__all__ = ["MISSING", "ShapeMaker", "shape_of"]
