"""`enum.Flag`: a whole number whose bits are members."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import Flag
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

from ..facts import Bind, Facts, Stop
from ..phrases import Phrase
from ..sources import Reading
from .base import NUMBERS, Kind, Reader
from .number import whole_from_json, whole_from_text

if TYPE_CHECKING:
    from ..wish import Wish


class Flags(Kind):
    """Any combination of a Flag's members, as the sum of their numbers."""

    one_form: ClassVar[bool] = True

    owner: type[Flag]

    @cached_property
    def facts(self) -> Facts:
        return Facts("a sum of flags", "sum of flags", alike=(self.owner,))

    @cached_property
    def all(self) -> int:
        """The sum of all members."""
        total = 0
        for member in self.owner.__members__.values():
            total |= member.value
        return total

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def reader(self, reading: Reading) -> Reader:
        owner, every = self.owner, self.all
        numbers = ", ".join(str(member.value) for member in owner)
        unfit = Stop("choice", Phrase("a sum of {numbers}", numbers=numbers))
        if reading is Reading.TYPED:
            kind = Stop("kind", "a sum of flags")
            return lambda value: value if isinstance(value, owner) else kind
        whole = whole_from_text if reading is Reading.TEXT else whole_from_json

        def read_flags(value: object) -> object:
            number = whole(value)
            if isinstance(number, Stop):
                return number
            return owner(number) if isinstance(number, int) and number >= 0 and not number & ~every else unfit

        return read_flags

    @property
    def comes_as(self) -> frozenset[type]:
        return NUMBERS

    @property
    def leans_on(self) -> tuple[type, ...]:
        return (self.owner,)

    def draw(self, wish: Wish) -> object:
        return wish.random.randint(0, self.all) & self.all

    def edges(self) -> Iterable[object]:
        return (self.all, self.all + 1, -1, 1.0, "1", 3)

    def made_in_code(self) -> Iterable[object]:
        return (self.owner(self.all), self.owner(0), self.all)

    def keywords(self) -> Mapping[str, object]:
        if self.all & (self.all + 1) == 0:  # every number up to the sum is one of them
            return {"type": "integer", "minimum": 0, "maximum": self.all}
        if self.all.bit_count() <= 6:
            return {"type": "integer", "enum": [number for number in range(self.all + 1) if not number & ~self.all]}
        return {"type": "integer", "minimum": 0, "maximum": self.all}

    def unsaid(self) -> str:
        gaps = self.all & (self.all + 1) and self.all.bit_count() > 6
        return "JSON Schema does not know bits" if gaps else ""

    def plain(self, value: Any) -> object:
        return value.value

    def release(self, value: str, bind: Bind) -> str:
        return f"{value}.value"
