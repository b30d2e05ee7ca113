"""`str`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..facts import Bind, Facts, Stop
from ..sources import Reading
from .base import Kind, Reader

_KIND = Stop("kind", "text")
SURROGATE = Stop("reading", "text without lone surrogates (RFC 8259, section 8.2)")


def encodable(text: str) -> bool:
    """Whether a text can be written as UTF-8: it holds no lone surrogate."""
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def read_text(value: object) -> object:
    """Any `str`, as an exact `str`."""
    if not isinstance(value, str):
        return _KIND
    return str(value) if encodable(value) else SURROGATE


class Text(Kind):
    """Text, the same in every source."""

    @property
    def facts(self) -> Facts:
        return Facts("text", "text", measured="characters", text=True)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return f"{value}.__class__ is str and ({value}.isascii() or {bind(encodable, 'encodable')}({value}))"

    def reader(self, reading: Reading) -> Reader:
        return read_text

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string"}

    def plain(self, value: Any) -> object:
        return value
