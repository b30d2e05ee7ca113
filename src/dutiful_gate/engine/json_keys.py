"""How many keys the records in data have, for data that a shape admits: raw JSON in which there are more repeats some.

Where a shape does not tell what stands where, all that is there is looked at.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ..shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nullable,
    Record,
    Scalar,
    Shape,
    Use,
)
from ..shape.walk import nodes, uses_of

Counter = Callable[[Any], int]


def key_counter(shape: Shape) -> Counter | None:
    """What counts the keys in sound data of a shape; None where data may be anything in place of what is declared."""
    if any(use.fallback is not MISSING for use in uses_of(shape)):
        return None
    return _Counters(shape).of(shape.root) or _none


def is_read_alike(shape: Shape) -> bool:
    """Whether decoders that know no whole numbers past 64 bits, and no digits of fractions, read the same from a text.

    Such a number comes as a float, which the fast function tells where a whole number is wanted.
    """
    return not shape.exact and all(map(_is_read_alike, uses_of(shape)))


def is_written_alike(shape: Shape) -> bool:
    """Whether the plain data of a shape's values is written alike by all encoders, rare numbers aside."""
    return all(map(_is_written_alike, uses_of(shape)))


def _is_written_alike(use: Use) -> bool:
    if use.making is not None or use.is_reread or use.fallback is not MISSING:
        return False
    match use.node:
        case Scalar(kind):
            return kind.written_alike
        case Choice(wire=wire):
            return not any(isinstance(each, float) for each in wire)
        case Entries(key=key):  # a number that is a key goes out as text
            return not any(isinstance(each, Scalar) and each.kind.double for each in nodes(key))
    return True


def _is_read_alike(use: Use) -> bool:
    if use.fits:
        return False
    match use.node:
        case Scalar(kind):
            return kind.read_alike
        case Choice(wire=wire, lenient=lenient):
            return not lenient and all(not isinstance(each, int | float) or abs(each) < 2**53 for each in wire)
    return True


def keys_in(value: Any) -> int:
    """The keys of all records in plain data."""
    keys = 0
    level = [value]
    while level:
        following: list[Any] = []
        for each in level:
            if each.__class__ is dict:
                keys += len(each)
                following += [one for one in each.values() if one.__class__ is dict or one.__class__ is list]
            elif each.__class__ is list:
                following += [one for one in each if one.__class__ is dict or one.__class__ is list]
        level = following
    return keys


def _none(value: Any) -> int:
    return 0


class _Counters:
    """The counters of one shape's records; None stands for what holds no record."""

    def __init__(self, shape: Shape) -> None:
        self.shape = shape
        self._records: dict[str, Counter] = {}

    def of(self, use: Use) -> Counter | None:
        """What counts the keys in data of a use."""
        if use.via is not None:
            return self.of(use.via)
        match use.node:
            case Scalar(kind):
                return keys_in if kind.facts.open else None
            case Items(item):
                return None if use.split else self._of_items(self.of(item))
            case Entries(_, held):
                return _of_entries(self.of(held))
            case Nullable(inner):
                counted = self.of(inner)
                return counted and (lambda value: 0 if value is None else counted(value))
            case Link(key):
                if key not in self._records:
                    self._records[key] = keys_in  # for a record that holds itself
                    self._records[key] = self._of_record(self.shape.records[key])
                return self._records[key]
            case Fixed() | Branches():
                parts = use.node.every if isinstance(use.node, Fixed) else use.node.options
                beside = isinstance(use.node, Branches) and bool(use.node.held)
                return keys_in if beside or any(self.of(part) is not None for part in parts) else None
            case Alias():
                return keys_in
        return None

    def _of_items(self, counted: Counter | None) -> Counter | None:
        if counted is None:
            return None
        return lambda value: sum(map(counted, value))

    def _of_record(self, record: Record) -> Counter:
        if record.rests:
            return keys_in
        inside: Mapping[str, Counter] = {
            name: counted
            for field in record.fields
            if (counted := self.of(field.use)) is not None
            for name in (field.wire, *field.also)
        }
        if not inside:
            return len
        several = tuple(inside.items())
        if len(several) == 1:
            return _of_one(*several[0])

        def count(value: Any) -> int:
            keys = len(value)
            for name, counted in several:
                held = value.get(name)
                if held is not None:
                    keys += counted(held)
            return keys

        return count


def _of_one(name: str, counted: Counter) -> Counter:
    """The keys of a record in which one field holds records."""

    def count(value: Any) -> int:
        held = value.get(name)
        return len(value) if held is None else len(value) + counted(held)

    return count


def _of_entries(counted: Counter | None) -> Counter:
    if counted is None:
        return len
    return lambda value: len(value) + sum(map(counted, value.values()))
