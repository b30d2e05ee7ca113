"""`bool`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import TYPE_CHECKING, ClassVar

from ...regex.white_space import BLANKS
from ..facts import Bind, Facts, Stop
from ..native_forms import Native
from ..sources import Reading
from .base import Itself, Reader

if TYPE_CHECKING:
    from ..wish import Wish

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


class Truth(Itself):
    """True or false."""

    spreads: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("true or false", "boolean", alike=(bool,))

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False" if reading is Reading.TEXT else f"{value}.__class__ is bool"

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        if reading is not Reading.TEXT:
            return None
        words = bind(_WORDS, "WORDS")
        return f"{value}.__class__ is str and {value} in {words}", f"{words}[{value}]"

    def native(self, reading: Reading) -> Native | None:
        return {Reading.PLAIN: Native("truth"), Reading.TEXT: Native("truth in text")}.get(reading)

    def native_out(self) -> Native | None:
        return Native("truth")

    def reader(self, reading: Reading) -> Reader:
        return truth_from_text if reading is Reading.TEXT else read_truth

    @property
    def comes_as(self) -> frozenset[type]:
        return frozenset([bool])

    @property
    def loose(self) -> Reader | None:
        return _truth_of_word

    @property
    def key_pattern(self) -> str:
        return "[Tt][Rr][Uu][Ee]|[Ff][Aa][Ll][Ss][Ee]|[Oo][Nn]|[Oo][Ff][Ff]"

    def draw(self, wish: Wish) -> object:
        return wish.random.random() < 0.5

    def edges(self) -> Iterable[object]:
        return ("on", " OFF ", "True")

    def made_in_code(self) -> Iterable[object]:
        return (True, False, 1)

    def keywords(self) -> Mapping[str, object]:
        return {"type": "boolean"}


_LOOSE = {**_WORDS, "1": True, "0": False, "yes": True, "no": False}
_LOOSE_READING = Stop("reading", "true or false, 1 or 0, yes or no, on or off")
_NO_WORD = Stop("kind", "")


def _truth_of_word(value: object) -> object:
    if isinstance(value, str):
        return _LOOSE.get(value.strip(BLANKS).lower(), _LOOSE_READING)
    if not isinstance(value, bool) and isinstance(value, int | float) and value in (0, 1):
        return bool(value)
    return _NO_WORD
