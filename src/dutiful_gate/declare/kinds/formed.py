"""Dates and times in a form of a partner's own, such as 04.05.2026."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from operator import itemgetter
from typing import TYPE_CHECKING, Any, ClassVar, Final

from ...regex.white_space import BLANKS
from ..errors import DeclarationError
from ..facts import Bind, Facts, Sort, Stop
from ..phrases import Phrase
from ..sources import Reading
from .base import IN_TEXT, Kind, Reader
from .moment import UtcMoment

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_PIECES = {
    "d": "0[1-9]|[12][0-9]|3[01]",
    "m": "0[1-9]|1[0-2]",
    "Y": "[0-9]{4}",
    "H": "[01][0-9]|2[0-3]",
    "M": "[0-5][0-9]",
    "S": "[0-5][0-9]",
    "f": "[0-9]{6}",
    "z": "[+-](?:[01][0-9]|2[0-3])[0-5][0-9]",
}
_WANTED = {
    Sort.DAY: ("dmY", ""),
    Sort.TIME: ("HM", "Sf"),
    Sort.MOMENT: ("dmYHMz", "Sf"),
    Sort.LOCAL_MOMENT: ("dmYHM", "Sf"),
}
FORMABLE: Final = frozenset(_WANTED)
_SAMPLE = datetime(2026, 5, 4, 9, 30, 15, tzinfo=UTC)


_NO_OFFSET = "[+-]0000"


class Formed(Kind):
    """A date, a time of day or a date-time that is written in a form of its own."""

    may_not_go_out: ClassVar[bool] = True

    base: Kind
    form: str

    @property
    def facts(self) -> Facts:
        return self.base.facts

    def has_one_form(self, *, released: bool) -> bool:
        return self.base.has_one_form(released=released)

    @cached_property
    def parts(self) -> list[str]:
        """Text and directives by turns: every second one is the letter of a directive."""
        return re.split("%(.)", self.form.replace("%%", "\0"), flags=re.DOTALL)

    @cached_property
    def pattern(self) -> str:
        """What such a text looks like, in words that `re` and ECMA-262 have in common."""
        plain = [re.sub(r"[\^$\\.*+?()\[\]{}|/]", r"\\\g<0>", part.replace("\0", "%")) for part in self.parts[::2]]
        pieces = {**_PIECES, "z": _NO_OFFSET} if isinstance(self.base, UtcMoment) else _PIECES
        named = [f"({pieces[letter]})" for letter in self.parts[1::2]]
        return "".join(text + piece for text, piece in zip(plain, [*named, ""], strict=True))

    @property
    def in_utc(self) -> Mapping[str, object]:
        """The keywords for those that are in UTC, wherever the offset stands."""
        return {"pattern": f"^(?:{self.pattern.replace(_PIECES['z'], _NO_OFFSET)})$"}

    def outgoing(self) -> tuple[Kind, tuple[Step, ...]]:
        base, steps = self.base.outgoing()
        return Formed(base, self.form), steps

    def check(self) -> None:
        """Raise DeclarationError for a form that does not say all of the value, or more."""
        letters = "".join(self.parts[1::2])
        sort = self.facts.sort
        known, more = _WANTED[sort]
        strange = sorted(set(letters) - set(known + more))
        if strange:
            raise DeclarationError(
                f"written_as({self.form!r}) has %{strange[0]}, which does not belong to {self.facts.phrase}",
                remedy="it knows " + ", ".join(f"%{letter}" for letter in known + more),
            )
        missing = [letter for letter in known if letters.count(letter) != 1]
        if missing or (more and len(set(letters)) != len(letters)):
            raise DeclarationError(
                f"written_as({self.form!r}) needs %{(missing or [letters[0]])[0]} once",
                remedy=f"{self.facts.phrase} takes " + ", ".join(f"%{letter}" for letter in known),
            )

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def reader(self, reading: Reading) -> Reader:
        if reading is Reading.TYPED:
            return self.base.reader(reading)
        fits = re.compile(self.pattern).fullmatch
        letters = self.parts[1::2]
        example = self.write(self._sample())
        phrase = self.facts.phrase
        kind = Stop("kind", Phrase("{phrase} as text, such as {example}", phrase=Phrase(phrase), example=example))
        unreadable = Stop("reading", Phrase("{phrase}, such as {example}", phrase=Phrase(phrase), example=example))
        no_such = Stop("reading", Phrase("{phrase} that the calendar has", phrase=Phrase(phrase)))
        in_text = reading is Reading.TEXT
        made = self._maker(letters)

        def read_formed(value: object) -> object:
            if not isinstance(value, str):
                return kind
            found = fits(value.strip(BLANKS) if in_text else value)
            if found is None:
                return unreadable
            try:
                return made(found.groups())
            except (ValueError, OverflowError):
                return no_such

        return read_formed

    def _sample(self) -> Any:
        sort = self.facts.sort
        if sort is Sort.DAY:
            return _SAMPLE.date()
        if sort is Sort.TIME:
            return _SAMPLE.time()
        return _SAMPLE if sort is Sort.MOMENT else _SAMPLE.replace(tzinfo=None)

    def _maker(self, letters: Sequence[str]) -> Callable[[Sequence[str]], Any]:
        """The function that makes the value of the texts that stand for its letters: by way of its form in ISO 8601."""
        day, clock = ("%s-%s-%s" if "d" in letters else ""), ("%s:%s" if "H" in letters else "")
        if clock and ("S" in letters or "f" in letters):
            clock += (":%s" if "S" in letters else ":00") + (".%s" if "f" in letters else "")
        iso = "T".join(filter(None, [day, clock])) + ("%s" if "z" in letters else "")
        pick = itemgetter(*(letters.index(letter) for letter in "YmdHMSfz" if letter in letters))
        made: type[Any] = {Sort.DAY: date, Sort.TIME: time}.get(self.facts.sort, datetime)
        read = made.fromisoformat
        return lambda held: read(iso % pick(held))

    def write(self, value: Any) -> str:
        """The value in its form."""
        made = ""
        for text, letter in zip(self.parts[::2], [*self.parts[1::2], ""], strict=True):
            made += text.replace("\0", "%") + (self._piece(value, letter) if letter else "")
        return made

    def _piece(self, value: Any, letter: str) -> str:
        if letter == "z":
            away = value.utcoffset()
            minutes = abs(away) // timedelta(minutes=1)
            return f"{'-' if away < timedelta(0) else '+'}{minutes // 60:02}{minutes % 60:02}"
        name, width = {
            "d": ("day", 2), "m": ("month", 2), "Y": ("year", 4), "H": ("hour", 2), "M": ("minute", 2),
            "S": ("second", 2), "f": ("microsecond", 6),
        }[letter]  # fmt: skip
        return f"{getattr(value, name):0{width}}"

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    def draw(self, wish: Wish) -> object:
        return self.write(self.base.reader(Reading.PLAIN)(self.base.draw(wish)))

    def edges(self) -> Iterable[object]:
        return ("04.05.2026", "30.02.2026", "4.5.2026", "04.05.2026 09:30", "20260504", "09:30", "24:00")

    def made_in_code(self) -> Iterable[object]:
        return self.base.made_in_code()

    def comes_back(self, value: Any, again: object) -> bool:
        return self.base.comes_back(value, again)

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string", "pattern": f"^{self.pattern}$"}

    def unsaid(self) -> str:
        return "" if self.facts.sort is Sort.TIME else "a pattern does not know which days a month has"

    def plain(self, value: Any) -> object:
        return self.write(value)

    def release(self, value: str, bind: Bind) -> str:
        return f"{bind(self.write, 'write_formed')}({value})"
