"""Kinds read from half-typed data: plain values, values that have their type already, and text marked as such."""

from __future__ import annotations

from typing import Any

from ..facts import Bind, Stop
from ..sources import FromText, Reading
from .base import Kind, Reader
from .lenient import Lenient


class HalfTyped(Lenient):
    """Another kind, read from whatever form its value has."""

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return self.inner.ready(Reading.PLAIN, value, bind)

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        return self.inner.quick_reader(Reading.PLAIN, value, bind)

    def reader(self, reading: Reading) -> Reader:
        return half_typed_reader(self.inner)


def half_typed_reader(kind: Kind) -> Reader:
    """The function that reads text marked as such as text, and anything else as JSON has it or as it is."""
    as_plain, as_typed, as_text = map(kind.reader, (Reading.PLAIN, Reading.TYPED, Reading.TEXT))

    def read_half_typed(value: Any) -> object:
        if value.__class__ is FromText:
            return as_text(str.__str__(value))
        read = as_plain(value)
        if not isinstance(read, Stop) or value.__class__ in _PLAIN:
            return read
        return as_typed(value)

    return read_half_typed


_PLAIN = frozenset([str, int, float, bool, type(None), list, dict])
"""What is read as JSON has it or not at all: a number past the doubles is none, whoever made it."""
