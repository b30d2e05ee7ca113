"""Kinds that are written as text, in JSON and elsewhere: one table row each."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ...regex.white_space import BLANKS
from ..facts import FAILED, Bind, Facts, Source, Stop
from .base import Kind, Reader
from .text import SURROGATE, encodable


class Written(Kind):
    """A kind that one function reads from text and another writes as text.

    `held` is the Python type it becomes. `read` takes text and gives the value or FAILED; the ValueError or
    OverflowError that it may raise instead costs more. `write` takes the value and gives text; `example` shows a reader
    what is wanted.
    """

    name: str
    phrase: str
    held: tuple[type, ...]
    read: Callable[[str], Any]
    write: Callable[[Any], str]
    example: str
    said: Mapping[str, object]
    ordered: bool = False
    reason: str = ""

    @property
    def facts(self) -> Facts:
        measured = "bytes" if self.held == (bytes,) else ""
        return Facts(self.phrase, self.name, measured=measured, ordered=self.held if self.ordered else ())

    def ready(self, source: Source, value: str, bind: Bind) -> str:
        if source is not Source.NATIVE:
            return "False"
        return " or ".join(f"{value}.__class__ is {bind(held, held.__name__)}" for held in self.held)

    def swift(self, source: Source, value: str, bind: Bind) -> tuple[str, str] | None:
        if source is not Source.JSON:
            return None
        return f"{value}.__class__ is str and {value}.isascii()", f"{bind(self.read, self.read.__name__)}({value})"

    def reader(self, source: Source) -> Reader:
        needs = f"{self.phrase}, such as {self.example}"
        kind = Stop(
            "kind", self.phrase if source is Source.NATIVE else f"{self.phrase} as text, such as {self.example}"
        )
        reading = Stop("reading", needs)
        read, held = self.read, self.held

        def read_written(value: object) -> object:
            if not isinstance(value, str):
                return kind
            if not value.isascii() and not encodable(value):
                return SURROGATE
            try:
                made = read(value)
            except (ValueError, OverflowError):
                return reading
            return reading if made is FAILED else made

        def read_from_text(value: object) -> object:
            return read_written(value.strip(BLANKS) if isinstance(value, str) else value)

        def read_native(value: object) -> object:
            return value if isinstance(value, held) and not isinstance(value, bool) else kind

        if source is Source.NATIVE:
            return read_native
        return read_from_text if source is Source.TEXT else read_written

    def keywords(self) -> Mapping[str, object]:
        return self.said

    def unsaid(self) -> str:
        return self.reason

    def plain(self, value: Any) -> object:
        return self.write(value)

    def release(self, value: str, bind: Bind) -> str:
        return f"{bind(self.write, self.write.__name__)}({value})"
