"""Text on demand: of a format, or in the words of a freight office."""

from __future__ import annotations

import re
from random import Random

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


def known_words(name: str, pattern: str, flags: int) -> list[str]:
    """The words of a freight office that an expression matches, for a field of that name."""
    fits = re.compile(pattern, flags).fullmatch
    low = name.lower()
    named = [word for parts, words in _BY_NAME if any(part in low for part in parts) for word in words]
    return [word for word in (*CODES, *named) if fits(word)]
