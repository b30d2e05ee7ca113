"""Text on demand: of a format, or in the words of a freight office."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from random import Random

from ..declare.rules import Rule
from ..declare.steps import Step
from ..declare.wish import Wish

GOODS = (
    "coiled rope", "marine paint", "spare winch", "mooring lines", "lamp oil", "net floats", "tinned fish",
    "deck planks", "engine parts", "seed potatoes", "roof slates", "bicycle frames",
)  # fmt: skip
PORTS = ("Quillport", "Marrow Isle", "Ostrey", "Fennick")
PEOPLE = ("A. Quay", "M. Tiller", "J. Strand", "R. Hawser", "O. Keel")
CODES = ("QLP", "MRW", "OST", "FNK")
_BY_NAME: tuple[tuple[tuple[str, ...], tuple[str, ...]], ...] = (
    (("port", "origin", "destination", "berth", "place", "city", "town"), PORTS),
    (("person", "name", "sender", "consignee", "customer", "skipper"), PEOPLE),
    (("phone", "fax"), ("+44 1632 960123", "+44 1632 960456")),
    (("note", "comment", "remark", "text", "description"), ("keep dry", "this side up", "call before delivery")),
)


def words_for(name: str, random: Random) -> str:
    """Plausible text for a field of that name."""
    low = name.lower()
    for parts, words in _BY_NAME:
        if any(part in low for part in parts):
            return random.choice(words)
    return random.choice(GOODS)


class FreightWish(Wish):
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
        """The words of the office that will do."""
        low = self.name.lower()
        named = [word for parts, words in _BY_NAME if any(part in low for part in parts) for word in words]
        return [word for word in (*CODES, *named) if fits(word)]
