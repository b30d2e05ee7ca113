"""The nodes. Makers of shapes build them, readers of shapes walk them; they do nothing themselves."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Mapping
from enum import Enum
from typing import Any, Final

from ..declare.facts import Facts
from ..declare.kinds import Kind
from ..declare.marks import About
from ..declare.records import RecordRule
from ..declare.rules import Rule
from ..declare.steps import Step
from ..declare.values import Value

NO_ABOUT: Final = About()


class Scalar(Value):
    """A single value of one kind."""

    kind: Kind

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return self.kind.facts


class Nothing(Value):
    """Only null."""

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("null", "null")


class Choice(Value):
    """One of a few constants: `wire[i]` is what stands in the data for `values[i]`.

    `owner` is the Enum they belong to, None for a Literal.
    """

    wire: tuple[object, ...]
    values: tuple[object, ...]
    owner: type[Enum] | None = None

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("one of a few values", "choice")


class Items(Value):
    """A list of items that are all of one shape."""

    item: Use

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("a list", "list", measured="items")


class Nullable(Value):
    """Null, or what is inside."""

    inner: Use

    @property
    def facts(self) -> Facts:
        """What rules may know of it: the rules beside `X | None` judge an X."""
        return self.inner.facts


class Link(Value):
    """A record of the shape, by its key in `Shape.records`: this is how records nest and recur."""

    key: str

    @property
    def facts(self) -> Facts:
        """What rules may know of it."""
        return Facts("a record", "record")


Node = Scalar | Nothing | Choice | Items | Nullable | Link


class Use(Value):
    """A node where it is used: the steps and rules that run after it is read, in order, and what is said of it."""

    node: Node
    parts: tuple[Step | Rule, ...] = ()
    about: About = NO_ABOUT

    @property
    def facts(self) -> Facts:
        """What is known of the value once all steps have run."""
        facts = self.node.facts
        for part in self.parts:
            if isinstance(part, Step):
                facts = part.suits(facts)
        return facts

    @property
    def nullable(self) -> bool:
        """Whether null is admitted."""
        return isinstance(self.node, Nullable | Nothing)


class Missing(Enum):
    """The absence of a default."""

    MISSING = "missing"

    def __repr__(self) -> str:
        return "MISSING"


MISSING: Final = Missing.MISSING


class Field(Value):
    """One field of a record: its attribute, its name in the data, what it holds, and what stands in for it."""

    attribute: str
    wire: str
    use: Use
    default: object = MISSING
    factory: Callable[[], Any] | None = None

    @property
    def required(self) -> bool:
        """Whether the data must have it."""
        return self.default is MISSING and self.factory is None

    @property
    def label(self) -> str:
        """What people call it."""
        return self.use.about.title or ""


class Record(Value):
    """A record with named fields, built by calling `builder`.

    `stores` tells that a new instance may be filled by storing its attributes one by one, which is all that its
    constructor would do.
    """

    key: str
    name: str
    builder: type
    fields: tuple[Field, ...]
    rules: tuple[RecordRule, ...] = ()
    text: str = ""
    stores: bool = False
    unset: tuple[tuple[str, object, Callable[[], Any] | None], ...] = ()


_NO_RECORDS: Mapping[str, Record] = {}


class Shape(Value):
    """All that a gate reads: where it begins, and the records that can be reached from there."""

    root: Use
    records: Mapping[str, Record] = _NO_RECORDS
    recursive: frozenset[str] = frozenset()

    @property
    def name(self) -> str:
        """A short name for people: the root record's, or what kind of value it is."""
        node = self.root.node
        return self.records[node.key].name if isinstance(node, Link) else self.root.facts.sort


def default_of(declared: Field) -> object:
    """The default value of a field that has one, made anew where a factory makes it."""
    return declared.factory() if declared.factory is not None else declared.default


def is_dataclass_type(declared: object) -> bool:
    """Whether `declared` is a dataclass, not an instance of one."""
    return isinstance(declared, type) and dataclasses.is_dataclass(declared)
