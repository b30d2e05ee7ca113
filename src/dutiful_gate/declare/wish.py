"""What the rules beside a type ask of a value that is to be made up, for samples and proofs."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from random import Random
from typing import Any


class Wish(ABC):
    """Gathers what is wanted: each rule says its part (`Rule.asks`), and the kind makes a value of it (`Kind.draw`).

    `floors`, `ceilings`  bounds of the value, the moment of checking among them
    `least`, `most`       bounds of its length
    `starts`, `ends`      how a text begins and ends
    `held`                what a text or a list must hold
    `text`                what of a text is there already; with `fixed` it is all of it, with `needed` it must stay
    `step`                what a number is a multiple of
    `only`                the values of which it must be one
    """

    def __init__(self, random: Random) -> None:
        self.random = random
        self.floors: list[Any] = []
        self.ceilings: list[Any] = []
        self.least = 0
        self.most = 10**9
        self.starts = self.ends = ""
        self.held: list[Any] = []
        self.text = ""
        self.fixed = self.needed = False
        self.step: Any = None
        self.only: Sequence[Any] = ()

    @abstractmethod
    def words(self) -> str:
        """Plausible text for the field."""

    @abstractmethod
    def known(self, fits: Callable[[str], object]) -> list[str]:
        """Plausible texts for the field that will do."""

    def span(self, low: Any, high: Any) -> tuple[Any, Any]:
        """The bounds between which a number may lie; a usual span where only one end is given."""
        if self.floors:
            low = max(self.floors)
            high = max(high, low + 1000)
        if self.ceilings:
            high = min(self.ceilings)
            low = low if self.floors else min(low, high - 1000)
        return low, high

    def count(self, usual: int) -> int:
        """How many items or keys, or as near to it as is wanted."""
        if usual < self.least:
            usual = self.random.randint(self.least, min(self.most, self.least + 2))
        return min(usual, self.most)

    def enclosed(self, text: str) -> str:
        """A text between its start and its end, within the bounds of its length; the two may share letters."""
        held = "".join(map(str, self.held)) or (text if self.needed else "")
        room = self.most - len(self.starts) - len(self.ends)
        if self.fixed or len(text) > room:
            text = text if self.fixed and len(text) <= room else held if len(held) <= room else ""
        while len(self.starts) + len(text) + len(self.ends) < self.least:
            text += self.random.choice("abcdefgh")
        if room >= 0:
            return self.starts + text + self.ends
        shared = next((size for size in range(len(self.ends), 0, -1) if self.starts.endswith(self.ends[:size])), 0)
        return self.starts + self.ends[shared:]

    def fitted(self, text: str) -> str:
        """A text made as long, or as short, as it may be."""
        while len(text) < self.least:
            text += " " + self.words() if self.least - len(text) > 3 else "x"
        cut = text[: self.most]
        return cut.strip() if len(cut.strip()) >= self.least else cut
