"""`str`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import TYPE_CHECKING, ClassVar, Final

from ..facts import Bind, Facts, LengthUnit, Stop
from ..native_forms import Native
from ..sources import Reading
from .base import IN_TEXT, Itself, Reader

if TYPE_CHECKING:
    from ..wish import Wish

_KIND = Stop("kind", "text")
SURROGATE = Stop("reading", "text without lone surrogates (RFC 8259, section 8.2)")

TEXTS: Final = (
    "", " ", "\t", "\n", "\u00a0", "\u2003", "\x1c", "\x85", "\ufeff", " x", "x ", "x\n", "\u00a0x", "x\u3000",
    "x  y", "x\ty",
    "abc", "ABC", "Abc", "aBC ", "\u00df", "\u0130", "\u0149", "\ufb01", "\u01c5", "\u1e9e", "\uff21\uff22\uff23",
    "\u0661\u0662\u0663", "\u09e7", "\u00b2", "e\u0301", "\u00e9", "\x00", "\U0001f6a2", "\u4e00", "'", '"', "\\",
    "${x}", "\ud800",
    "{given}", "a" * 25, "x" * 300, "1_000", "+1", "1e3", "0x1", "01", "-0", "NaN", "Infinity",
)  # fmt: skip
"""Blanks of all sorts, letters that change their number when they change their case, digits, what only looks so."""


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


class Text(Itself):
    """Text, the same in every source."""

    spreads: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("text", "text", measured=LengthUnit.CHARACTERS, text=True)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return f"{value}.__class__ is str and ({value}.isascii() or {bind(encodable, 'encodable')}({value}))"

    def native(self, reading: Reading) -> Native | None:
        return None if reading.is_typed or reading.is_half_typed else Native("text")

    def native_out(self) -> Native | None:
        return Native("text")

    def reader(self, reading: Reading) -> Reader:
        return read_text

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    @property
    def loose(self) -> Reader | None:
        return _text_of_number

    def draw(self, wish: Wish) -> str:
        made = wish.text or wish.words()
        made += "".join(str(held) for held in wish.held if str(held) not in made)
        if wish.starts or wish.ends:
            return wish.enclosed(made)
        return made if wish.fixed else wish.fitted(made)

    def edges(self) -> Iterable[object]:
        return TEXTS

    def made_in_code(self) -> Iterable[object]:
        return ("", " ", " QLP ", "a  b", "\u00df", "ABC", "abc", "x" * 90, "\ud800", "\ufeffx", "\x1cx", "\u0130")

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string"}


_NO_NUMBER = Stop("kind", "")


def _text_of_number(value: object) -> object:
    if isinstance(value, bool) or not isinstance(value, int | float) or value - value != 0:
        return _NO_NUMBER
    too_long = isinstance(value, int) and value.bit_length() > 14_000  # past the digits that the interpreter writes
    return _NO_NUMBER if too_long else str(value)
