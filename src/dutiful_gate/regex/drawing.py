"""Texts drawn from expressions: what one matches, as far as its pieces tell."""

from __future__ import annotations

import re
from functools import lru_cache
from random import Random

from .from_python import read_python
from .syntax import Expr, UnreadablePattern

_LONGEST = 100_000
_LETTERS = [chr(code) for code in range(0x20, 0x7F)]
_MORE = ["\t", "\n", "\u00e9", "\u00df", "\u03b1", "\u0416", "\u0663", "\u4e00", "\u00a0", "\U0001f6a2", "\x00"]
_BY_CODE = re.compile(r"\\u([0-9a-f]{4})|\\U([0-9a-f]{8})")


def of_pattern(pattern: str, random: Random, flags: int = 0) -> str | None:
    """Text that an expression matches from end to end, as far as its pieces tell.

    None where they cannot be read, and where it would be longer than anybody wants to see.
    """
    try:
        tree = _tree(pattern)
    except (UnreadablePattern, RecursionError):
        return None
    return None if _longest(tree, {}) > _LONGEST else _drawn(tree, random, flags, {})


def drawn_from(tree: Expr, random: Random) -> str:
    """Text in which an expression of ECMA-262 is found, as far as its pieces tell; "" where it would be very long."""
    return "" if _longest(tree, {}) > _LONGEST else _drawn(tree, random, 0, {})


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


def _longest(node: Expr, groups: dict[int, int]) -> int:
    """How many letters the longest text may have that is drawn, or work it costs."""
    match node[0]:
        case "one":
            return 1
        case "mark":
            return 0
        case "group":
            groups[node[1]] = held = _longest(node[2], groups)
            return held
        case "back":
            return max((groups.get(number, 0) for number in node[1]), default=0)
        case "seq":
            return sum(_longest(each, groups) for each in node[1])
        case "any of":
            return max((_longest(each, groups) for each in node[1]), default=0)
        case "repeat":
            _, inner, least, most, _ = node
            return max(1, _longest(inner, groups)) * int(least + 4 if most is None else min(most, least + 4))
        case _:
            return _longest(node[1], groups)


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
