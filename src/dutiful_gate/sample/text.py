"""Text on demand: of a format, or in the words of the declaration itself, for the field that it is for."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from random import Random

from ..declare.rules import Rule
from ..declare.steps import Step
from ..declare.wish import Wish

CODES = ("ABC", "XYZ", "JKL", "QRS")
"""Texts that many patterns of codes admit."""
_WORD = re.compile(r"[^\W_]+")
_PHONES = ("+44 1632 960123", "+44 1632 960456")  # which are nobody's


def words_for(name: str, random: Random) -> str:
    """Plausible text for a field: its own name, and a letter that tells one value from another."""
    last = name.rstrip("[]").rpartition(".")[2]
    if any(word in last.lower() for word in ("phone", "fax")):
        return random.choice(_PHONES)
    return f"{' '.join(_WORD.findall(last)).lower() or 'text'} {random.choice('ABCDEFGHJKLM')}"


class NamedWish(Wish):
    """What is asked of a value in a field of some name."""

    def __init__(self, random: Random, name: str, parts: Iterable[Step | Rule]) -> None:
        super().__init__(random)
        self.name = name
        for part in parts:
            if isinstance(part, Rule):
                part.asks(self)
            elif not part.normalising:
                break  # the rest judges what is made

    def words(self) -> str:
        """Plausible text for the field."""
        return words_for(self.name, self.random)

    def known(self, fits: Callable[[str], object]) -> list[str]:
        """The texts at hand that will do."""
        return [word for word in (*CODES, words_for(self.name, self.random)) if fits(word)]
