"""Kinds that take text for numbers and numbers for text, where a developer asks for that."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...regex.white_space import BLANKS
from ..facts import Bind, Facts, Stop
from ..sources import Reading
from .base import Kind, Reader
from .text import Text
from .truth import Truth

_WORDS = {"1": True, "0": False, "yes": True, "no": False, "on": True, "off": False, "true": True, "false": False}


class Lenient(Kind):
    """Another kind, read less strictly."""

    inner: Kind

    @property
    def facts(self) -> Facts:
        return self.inner.facts

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return self.inner.ready(reading, value, bind)

    def swift(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        return self.inner.swift(reading, value, bind)

    def reader(self, reading: Reading) -> Reader:
        strict = self.inner.reader(reading)
        loose = _loose(self.inner)

        def read_leniently(value: object) -> object:
            read = strict(value)
            if not isinstance(read, Stop):
                return read
            found = loose(value)
            # What fits neither way is told in the strict reader's words.
            return read if isinstance(found, Stop) and found.code == "kind" else found

        return read_leniently

    def keywords(self) -> Mapping[str, object]:
        return self.inner.keywords()

    def unsaid(self) -> str:
        return self.inner.unsaid()

    def plain(self, value: Any) -> object:
        return self.inner.plain(value)

    def release(self, value: str, bind: Bind) -> str:
        return self.inner.release(value, bind)


def _loose(kind: Kind) -> Reader:
    if isinstance(kind, Text):
        return _text_of_number
    if isinstance(kind, Truth):
        return _truth_of_word
    from_text = kind.reader(Reading.TEXT)
    return lambda value: from_text(value)


_NO = Stop("kind", "")
_WORD_READING = Stop("reading", "true or false, 1 or 0, yes or no, on or off")


def _text_of_number(value: object) -> object:
    if isinstance(value, bool) or not isinstance(value, int | float) or value - value != 0:
        return _NO
    if isinstance(value, int) and value.bit_length() > 14_000:  # past the digits that the interpreter writes
        return _NO
    return str(value)


def _truth_of_word(value: object) -> object:
    if isinstance(value, str):
        return _WORDS.get(value.strip(BLANKS).lower(), _WORD_READING)
    if not isinstance(value, bool) and isinstance(value, int | float) and value in (0, 1):
        return bool(value)
    return _NO
