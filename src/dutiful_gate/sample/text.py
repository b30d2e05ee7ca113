"""Text on demand: of a pattern, of a format, or in the words of a freight office."""

from __future__ import annotations

import re
from functools import lru_cache
from random import Random

from ..regex.from_python import read_python
from ..regex.syntax import Expr, Unreadable

_LETTERS = [chr(code) for code in range(0x20, 0x7F)]
_MORE = ["\t", "\n", "\u00e9", "\u00df", "\u03b1", "\u0416", "\u0663", "\u4e00", "\u00a0", "\U0001f6a2", "\x00"]
_BY_CODE = re.compile(r"\\u([0-9a-f]{4})|\\U([0-9a-f]{8})")
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
FORMATS: dict[str, tuple[str, ...]] = {
    "email": ("desk@ternsound.example", "freight+qlp@ternsound.example", "o.keel@quays.example"),
    "idn-email": ("desk@ternsound.example", "käpt'n@quays.example"),
    "hostname": ("quays.example", "berth-7.ternsound.example"),
    "idn-hostname": ("quays.example", "fähre.example"),
    "ipv4": ("192.0.2.7", "198.51.100.24"),
    "ipv6": ("2001:db8::7", "2001:db8:0:1::24"),
    "uri": ("https://quays.example/berths", "https://ternsound.example/sailings?day=4#noon"),
    "uri-reference": ("/berths/7", "https://quays.example/berths"),
    "iri": ("https://quays.example/fähren",),
    "iri-reference": ("/fähren/7",),
    "uuid": ("5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "0b0e5c2e-94f0-4c0e-8a1b-7f4e5a6c1d2b"),
    "date": ("2026-05-04", "2026-12-31"),
    "date-time": ("2026-05-04T09:30:00Z", "2026-05-04T11:45:00+02:00"),
    "time": ("09:30:00Z", "23:59:59+01:00"),
    "duration": ("PT2H15M", "P1DT12H"),
    "json-pointer": ("/crates/0", ""),
    "relative-json-pointer": ("1/crates", "0#"),
    "uri-template": ("/berths/{number}",),
    "regex": ("^[A-Z]{3}$",),
}


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


def of_pattern(pattern: str, random: Random, flags: int = 0) -> str | None:
    """Text that an expression matches from end to end, as far as its pieces tell; None where they cannot be read."""
    try:
        tree = _tree(pattern)
    except (Unreadable, RecursionError):
        return None
    return _drawn(tree, random, flags, {})


def drawn_from(tree: Expr, random: Random) -> str:
    """Text in which an expression of ECMA-262 is found, as far as its pieces tell."""
    return _drawn(tree, random, 0, {})


@lru_cache(maxsize=512)
def _tree(pattern: str) -> Expr:
    return read_python(pattern)


@lru_cache(maxsize=4096)
def _letters(one: str, flags: int) -> tuple[str, ...]:
    fits = re.compile(one, flags).fullmatch
    usual = tuple(letter for letter in (*_LETTERS, *_MORE) if fits(letter))
    if usual:
        return usual
    named = (chr(int(digits, 16)) for pair in _BY_CODE.findall(one) for digits in pair if digits)
    return tuple(letter for letter in named if fits(letter))


def _drawn(node: Expr, random: Random, flags: int, taken: dict[int, str]) -> str:
    match node[0]:
        case "one":
            letters = _letters(node[1], flags)
            plain = [letter for letter in letters if letter.isalnum() and letter.isascii()]
            pool = plain if plain and random.random() < 0.9 else letters
            return random.choice(pool) if pool else ""
        case "look" if node[3]:
            made = _drawn(node[1], random, flags, taken)
            # What must stand before comes from here; what must stand after is often what comes next anyway.
            return made if not node[2] or random.random() < 0.3 else ""
        case "mark" | "look":
            return ""
        case "group":
            made = taken[node[1]] = _drawn(node[2], random, flags, taken)
            return made
        case "back":
            return next((taken[number] for number in node[1] if number in taken), "")
        case "seq":
            return "".join(_drawn(each, random, flags, taken) for each in node[1])
        case "any of":
            return _drawn(random.choice(node[1]), random, flags, taken)
        case "repeat":
            _, inner, least, most, _ = node
            most = least + 4 if most is None else min(most, least + 4)
            return "".join(_drawn(inner, random, flags, taken) for _ in range(random.randint(least, most)))
        case _:
            return _drawn(node[1], random, flags, taken)
