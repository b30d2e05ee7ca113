"""How long a text or how full a list may be: `it.length <= 80`, `it.length.between(1, 50)`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

from ..applicability import SIZED, Takes
from ..errors import DeclarationError
from ..facts import Bind, Facts, Got, LengthUnit, Unsaid
from ..native_forms import NO_END, Native
from .base import Face, Rule, refuse
from .bound import right_way_up

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_KEYWORDS = {
    LengthUnit.CHARACTERS: ("minLength", "maxLength"),
    LengthUnit.ITEMS: ("minItems", "maxItems"),
    LengthUnit.KEYS: ("minProperties", "maxProperties"),
}

_LONGEST = 5_000
"""No longer texts are made to try a rule by."""


class Length(Rule):
    """A floor, a ceiling, or both, on the number of characters (code points), items or keys."""

    floor: int | None
    ceiling: int | None
    written: str
    barred: int | None = None

    @property
    def measures_size(self) -> bool:
        return True

    def condition(self, value: str, bind: Bind) -> str:
        length = f"len({value})"
        if self.barred is not None:
            return f"{length} != {bind(self.barred, 'BARRED')}"
        if self.floor is None:
            return f"{length} <= {bind(self.ceiling, 'CEILING')}"
        if self.ceiling is None:
            return f"{length} >= {bind(self.floor, 'FLOOR')}"
        if self.floor == self.ceiling:
            return f"{length} == {bind(self.floor, 'EXACTLY')}"
        return f"{bind(self.floor, 'FLOOR')} <= {length} <= {bind(self.ceiling, 'CEILING')}"

    def native(self) -> tuple[Native, ...] | None:
        ends = (self.barred, self.floor, self.ceiling)
        if any(end is not None and not 0 <= end < NO_END for end in ends):
            return None
        if self.barred is not None:
            return (Native("length barred", (self.barred,)),)
        return (Native("length", (self.floor or 0, NO_END if self.ceiling is None else self.ceiling)),)

    def takes(self) -> Takes | None:
        return SIZED

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        code = "length" if facts.measured is LengthUnit.CHARACTERS else "count"
        return (Face(self.condition(value, bind), code, f"{self._needs()} {self._unit(facts)}", Got.LENGTH),)

    def _needs(self) -> str:
        if self.barred is not None:
            return "a length other than {barred}"
        if self.floor is None:
            return "at most {ceiling}"
        if self.ceiling is None:
            return "at least {floor}"
        return "exactly {floor}" if self.floor == self.ceiling else "{floor} to {ceiling}"

    def _unit(self, facts: Facts) -> str:
        last = self.ceiling if self.ceiling is not None else self.floor
        unit = facts.measured.value if facts.measured is not None else ""
        return unit[:-1] if last == 1 or self.barred == 1 else unit

    def numbers(self) -> Mapping[str, object]:
        ends = {"floor": self.floor, "ceiling": self.ceiling, "barred": self.barred}
        return {name: end for name, end in ends.items() if end is not None}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        if facts.measured is None or facts.measured not in _KEYWORDS:
            return Unsaid(f"JSON Schema does not count {self._unit(facts)}")
        if facts.open:  # whatever has a length: text, a list or a record
            said: dict[str, object] = {}
            for measured in _KEYWORDS:
                said |= self._said(*_KEYWORDS[measured])
            return {"not": said} if self.barred is not None else said
        low, high = _KEYWORDS[facts.measured]
        return {"not": self._said(low, high)} if self.barred is not None else self._said(low, high)

    def _said(self, low: str, high: str) -> dict[str, object]:
        ends = {low: self.floor, high: self.ceiling}
        if self.barred is not None:
            ends = {low: self.barred, high: self.barred}
        return {word: end for word, end in ends.items() if end is not None}

    def suits(self, facts: Facts) -> None:
        if not facts.measured:
            remedy = "bound the value itself, as in it <= 80" if facts.ordered else "it has no length: leave it out"
            refuse(self, facts, remedy)
        for end in (self.floor, self.ceiling, self.barred):
            if end is not None and (isinstance(end, bool) or not isinstance(end, int)):
                raise DeclarationError(f"{self} measures a length by {end!r}", remedy="give a whole number")
        if self.floor is not None and self.ceiling is not None:
            right_way_up(self, self.floor, self.ceiling)
        if self.ceiling is not None and self.ceiling < 0:
            raise DeclarationError(f"{self} leaves no value: no length is below 0", remedy="raise the ceiling")
        if (self.floor is not None and self.floor < 0) or (self.barred is not None and self.barred < 0):
            raise DeclarationError(f"{self} bars nothing: no length is below 0", remedy="leave it out, or raise it")

    def examples(self, facts: Facts) -> Iterable[Any]:
        ends = [end for end in (self.floor, self.ceiling) if end is not None and end <= _LONGEST]
        return ["x" * end for end in ends] if facts.measured is LengthUnit.CHARACTERS else ()

    def edges(self, facts: Facts) -> Iterable[Any]:
        if facts.measured is not LengthUnit.CHARACTERS:
            return
        for end in (self.floor, self.ceiling, self.barred):
            if end is not None and end <= _LONGEST:
                yield from ("x" * max(end - 1, 0), "x" * end, "x" * (end + 1), "\u00df" * end, "x" * (end - 1) + " ")

    def asks(self, wish: Wish) -> None:
        if self.barred is None:
            wish.least = max(wish.least, self.floor or 0)
            wish.most = wish.most if self.ceiling is None else min(wish.most, self.ceiling)

    def survives(self, step: Step) -> bool:
        if self.barred is not None:
            return False
        return (step.only_shortens and not self.floor) or (step.only_lengthens and self.ceiling is None)

    def __str__(self) -> str:
        return f"it.length{self.written}"
