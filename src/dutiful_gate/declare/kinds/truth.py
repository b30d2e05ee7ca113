"""`bool`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...regex.white_space import BLANKS
from ..facts import Bind, Facts, Stop
from ..sources import Reading
from .base import Kind, Reader

_KIND = Stop("kind", "true or false")
# A box that is ticked in a form comes as "on"; one that is not does not come.
_WORDS = {"true": True, "false": False, "on": True, "off": False}
_TEXT_READING = Stop("reading", "true or false, on or off")


def read_truth(value: object) -> object:
    """Exactly `True` or `False`: 1 and 0 are numbers."""
    return value if isinstance(value, bool) else _KIND


def truth_from_text(value: object) -> object:
    """The words true and false, or on and off as forms have them, in any case; blanks around them ignored."""
    if not isinstance(value, str):
        return _KIND
    word = value.strip(BLANKS)
    return _WORDS.get(word.lower(), _TEXT_READING) if word.isascii() else _TEXT_READING


class Truth(Kind):
    """True or false."""

    @property
    def facts(self) -> Facts:
        return Facts("true or false", "boolean", alike=(bool,))

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False" if reading is Reading.TEXT else f"{value}.__class__ is bool"

    def swift(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        if reading is not Reading.TEXT:
            return None
        words = bind(_WORDS, "WORDS")
        return f"{value}.__class__ is str and {value} in {words}", f"{words}[{value}]"

    def reader(self, reading: Reading) -> Reader:
        return truth_from_text if reading is Reading.TEXT else read_truth

    def keywords(self) -> Mapping[str, object]:
        return {"type": "boolean"}

    def plain(self, value: Any) -> object:
        return value
