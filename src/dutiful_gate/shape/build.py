"""Annotations to shape: the one place that knows Python's types."""

from __future__ import annotations

import dataclasses
import inspect
import types
import typing
from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from difflib import get_close_matches
from enum import Enum
from typing import Annotated, Any, Literal, Union

from ..declare import marks
from ..declare.errors import DeclarationError
from ..declare.facts import Facts
from ..declare.kinds import Day, Kind, Moment, Number, Text, Truth, Whole
from ..declare.marks import About
from ..declare.records import FieldOfThis, RecordRule, This, obeys, record_rules
from ..declare.rules import Rule
from ..declare.rules.ranges import check_ranges
from ..declare.steps import Step
from ..declare.subjects import It, ItsLength
from .constructors import only_stores
from .hints import hints_of
from .nodes import (
    MISSING,
    NO_ABOUT,
    Choice,
    Field,
    Items,
    Link,
    Node,
    Nothing,
    Nullable,
    Record,
    Scalar,
    Shape,
    Use,
    is_dataclass_type,
)

_KINDS: dict[object, Kind] = {
    str: Text(),
    int: Whole(),
    float: Number(),
    bool: Truth(),
    datetime: Moment(),
    date: Day(),
}
_REMEDIES: dict[object, str] = {
    list: "say what it holds, as in list[str]",
    complex: "JSON has no complex numbers: declare a record with two floats",
    type(None): "write None",
}
_PLAIN = (str, int, float, bool, type(None))


def shape_of(declared: object, names: Mapping[str, Any] | None = None, scope: str = "") -> Shape:
    """The shape of a declared type.

    `names` holds what can be seen where the gate is built, in the function named `scope`.

    Raises DeclarationError for a type that cannot be read, a rule that
    makes no sense for its type, or an annotation that names what cannot be seen.
    """
    maker = _Maker(names or {}, scope)
    root = maker.use(declared)
    return Shape(root, maker.records, _recursive(maker.records))


class _Maker:
    """Builds one shape; holds the records met so far."""

    def __init__(self, names: Mapping[str, Any], scope: str) -> None:
        self.names = names
        self.scope = scope
        self.records: dict[str, Record] = {}
        self.keys: dict[object, str] = {}

    def use(self, declared: Any) -> Use:
        """The use that an annotation stands for."""
        declared, metadata = _unwrapped(declared)
        origin = typing.get_origin(declared)
        if origin in (Union, types.UnionType):
            return self.union(typing.get_args(declared), metadata, declared)
        parts, about = _sorted_metadata(metadata)
        node = self.node(declared, origin)
        _check_parts(node.facts, parts)
        return Use(node, parts, about)

    def union(self, options: Sequence[Any], metadata: Sequence[object], declared: object) -> Use:
        """`X | None`: what stands beside it judges an X."""
        inner = [option for option in options if option not in (None, type(None))]
        if len(inner) != 1 or len(inner) == len(options):
            raise DeclarationError(
                f"{_name(declared)} offers several types, and a gate cannot tell them apart yet",
                remedy="declare one type, or one type | None",
            )
        held = inner[0]
        use = self.use(Annotated[(held, *metadata)] if metadata else held)
        return Use(Nullable(use.but(about=NO_ABOUT)), (), use.about)

    def node(self, declared: Any, origin: Any) -> Node:
        """The node of a type without metadata."""
        if declared is None or declared is type(None):
            return Nothing()
        if origin is Literal:
            return _choice_of_literal(typing.get_args(declared))
        if origin is list:
            return Items(self.use(typing.get_args(declared)[0]))
        if isinstance(declared, type) and origin is None:
            if declared in _KINDS:
                return Scalar(_KINDS[declared])
            if issubclass(declared, Enum):
                return _choice_of_enum(declared)
            if is_dataclass_type(declared):
                return Link(self.record(declared))
        remedy = _REMEDIES.get(declared, "")
        raise DeclarationError(
            f"{_name(declared)} is no type that a gate can read",
            remedy=remedy or "use str, int, float, bool, datetime, date, Literal, an Enum, list[...] or a dataclass",
        )

    def record(self, declared: type) -> str:
        """The key of a dataclass among the records; it is read at the first meeting."""
        if declared in self.keys:
            return self.keys[declared]
        key = declared.__name__
        taken = set(self.keys.values())
        number = 2
        while key in taken:
            key = f"{declared.__name__}{number}"
            number += 1
        self.keys[declared] = key
        # The place is kept in order of meeting, though nested records are finished first.
        self.records[key] = Record(key, declared.__name__, declared, ())
        self.records[key] = self.finished(declared, key)
        return key

    def finished(self, declared: type, key: str) -> Record:
        """The whole record of a dataclass."""
        hints = hints_of(declared, self.names, self.scope)
        read: list[Field] = []
        unset: list[tuple[str, object, Callable[[], Any] | None]] = []
        for field in dataclasses.fields(declared):
            default = MISSING if field.default is dataclasses.MISSING else field.default
            factory = None if field.default_factory is dataclasses.MISSING else field.default_factory
            if not field.init:
                unset.append((field.name, default, factory))
                continue
            try:
                use = self.use(hints[field.name])
            except DeclarationError as error:
                raise error.within(declared.__name__, field.name) from None
            read.append(Field(field.name, field.name, use, default, factory))
        rules = record_rules(declared)
        _check_record_rules(declared.__name__, read, rules)
        return Record(
            key,
            declared.__name__,
            declared,
            tuple(read),
            rules,
            _docstring(declared),
            only_stores(declared),
            tuple(unset),
        )


def _unwrapped(declared: Any) -> tuple[Any, tuple[object, ...]]:
    """A type without its aliases, `NewType`s and `Annotated`, and the metadata of all of them from the inside out."""
    metadata: tuple[object, ...] = ()
    while True:
        if typing.get_origin(declared) is Annotated:
            metadata = (*declared.__metadata__, *metadata)
            declared = declared.__origin__
        elif hasattr(declared, "__supertype__"):
            declared = declared.__supertype__
        elif type(declared).__name__ == "TypeAliasType":
            declared = declared.__value__
        else:
            return declared, metadata


def _sorted_metadata(metadata: Sequence[object]) -> tuple[tuple[Step | Rule, ...], About]:
    """Steps and rules in order, and what is said of the use. Other tools' metadata is passed over (PEP 593)."""
    parts: list[Step | Rule] = []
    about = NO_ABOUT
    for part in metadata:
        if isinstance(part, Step | Rule):
            parts.append(part)
        elif isinstance(part, About):
            about = part
        else:
            _refuse_half_written(part)
    return tuple(parts), about


def _refuse_half_written(part: object) -> None:
    """Tell of what was meant as a rule but is none; what is nothing of ours passes."""
    if isinstance(part, It | ItsLength | This | FieldOfThis):
        remedy = "compare it with something, as in it > 0"
        if isinstance(part, This | FieldOfThis):
            remedy = "rules of `this` stand in @obeys(...) above the class; beside a type use `it`"
        raise DeclarationError(f"{part!r} alone is no rule", remedy=remedy)
    if isinstance(part, RecordRule):
        raise DeclarationError(f"{part} is a rule of a whole record", remedy="put it in @obeys(...) above the class")
    owner = getattr(part, "__self__", None)
    if isinstance(owner, It | ItsLength) or part in (marks.about, obeys):
        name = getattr(part, "__name__", "it")
        raise DeclarationError(f"{name} was named but not called", remedy=f"call it: {name}(...)")


def _check_parts(facts: Facts, parts: Sequence[Step | Rule]) -> None:
    """Raise DeclarationError when a step or rule makes no sense where it stands."""
    stage: list[Rule] = []
    for part in parts:
        if isinstance(part, Step):
            facts = part.suits(facts)
            stage = []
        else:
            part.suits(facts)
            stage.append(part)
            check_ranges(stage)


def _check_record_rules(record: str, fields: Sequence[Field], rules: Sequence[RecordRule]) -> None:
    facts = {field.attribute: field.use.facts for field in fields}
    for rule in rules:
        for name in rule.fields:
            if name not in facts:
                near = get_close_matches(name, facts, 1)
                raise DeclarationError(
                    f"{rule} names {name!r}, which is no field of it",
                    remedy=f"did you mean this.{near[0]}?" if near else f"it has {', '.join(facts) or 'no fields'}",
                    record=record,
                    field=name,
                )
        try:
            rule.suits(facts)
        except DeclarationError as error:
            raise error.within(record, rule.fields[0]) from None


def _choice_of_literal(values: Sequence[Any]) -> Choice:
    wire: list[object] = []
    for value in values:
        plain = value.value if isinstance(value, Enum) else value
        if not isinstance(plain, _PLAIN):
            raise DeclarationError(
                f"Literal[{value!r}] is no value of JSON", remedy="use text, numbers, true, false or null"
            )
        wire.append(plain)
    return Choice(tuple(wire), tuple(values))


def _choice_of_enum(declared: type[Enum]) -> Choice:
    members = tuple(declared)
    if not members:
        raise DeclarationError(f"the enumeration {declared.__name__} has no members", remedy="give it some")
    for member in members:
        if not isinstance(member.value, _PLAIN):
            raise DeclarationError(
                f"{declared.__name__}.{member.name} has the value {member.value!r}, which is no value of JSON",
                remedy="give each member text or a number as its value",
            )
    return Choice(tuple(member.value for member in members), members, declared)


def _docstring(declared: type) -> str:
    """What the developer wrote; `dataclass` writes a signature where there is nothing, and that is nothing."""
    text = declared.__dict__.get("__doc__") or ""
    return "" if text.startswith(f"{declared.__name__}(") else inspect.cleandoc(text)


def _name(declared: object) -> str:
    if isinstance(declared, type) and typing.get_origin(declared) is None:
        return declared.__name__
    return repr(declared).replace("typing.", "")


def _recursive(records: Mapping[str, Record]) -> frozenset[str]:
    """The records that can hold themselves, however deep."""
    inside = {key: {link for field in record.fields for link in _links(field.use)} for key, record in records.items()}
    reach = {key: set(links) for key, links in inside.items()}
    for middle in records:
        for key in records:
            if middle in reach[key]:
                reach[key] |= reach[middle]
    return frozenset(key for key in records if key in reach[key])


def _links(use: Use) -> set[str]:
    match use.node:
        case Link(key):
            return {key}
        case Items(inner) | Nullable(inner):
            return _links(inner)
        case _:
            return set()
