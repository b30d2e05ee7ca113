"""Whether no value can be sound by two schemas at once, as far as their words tell."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from ..judging.library import Node
from ..judging.sound import list_parts, number_bounds
from .meaning import Meaning, Part, Piece, TooMany, gathered

Judges = Callable[[Node, Any], bool]
_DEPTH = 3
_MOST_PAIRS = 2_000


def alike(parts: Sequence[Part], judges: Judges) -> list[tuple[int, int]]:
    """The pairs of parts, by number, of which some value may be sound by both."""
    if len(parts) * (len(parts) - 1) // 2 > _MOST_PAIRS:
        return [(0, 1)]
    meanings = [_meaning(part) for part in parts]
    return [
        (one, other)
        for one in range(len(parts))
        for other in range(one + 1, len(parts))
        if not _apart(meanings[one], meanings[other], judges, _DEPTH)
    ]


def _meaning(part: Part) -> Meaning | None:
    try:
        return gathered(part)
    except TooMany:
        return None


def _apart(one: Meaning | None, other: Meaning | None, judges: Judges, depth: int) -> bool:
    """Whether nothing is sound by both; False where that is not sure."""
    if one is None or other is None:
        return False
    if one.never or other.never:
        return True
    for first, second in ((one, other), (other, one)):
        values = first.values(judges)
        if values is not None:
            return all(_refused(second, value, judges) for value in values)
    for first, second in ((one, other), (other, one)):
        for options in _options(first):
            if depth and all(_apart(option, second, judges, depth - 1) for option in options):
                return True
    return all(_kind_apart(kind, one, other, judges, depth) for kind in one.kinds)


def _refused(meaning: Meaning, value: Any, judges: Judges) -> bool:
    return not all(judges(piece.node, value) for piece in meaning.pieces)


def _options(meaning: Meaning) -> Iterator[list[Meaning | None]]:
    """What each `anyOf` or `oneOf` leaves to choose from."""
    for clause in meaning.clauses:
        if clause.word in ("anyOf", "oneOf"):
            kids = clause.kids()
            if len(kids) <= 50:
                kept = [piece.less(clause.word) if piece.node is clause.node else piece for piece in meaning.pieces]
                yield [_meaning((*kept, Piece(kid))) for kid in kids]


def _kind_apart(kind: str, one: Meaning, other: Meaning, judges: Judges, depth: int) -> bool:
    """Whether no value of a kind is sound by both."""
    if kind not in other.kinds:
        also = {"number": "integer", "integer": "number"}.get(kind)
        if also not in other.kinds:
            return True
    if kind == "object" and depth:
        return _records_apart(one, other, judges, depth)
    if kind == "array" and depth:
        return _lists_apart(one, other, judges, depth)
    if kind in ("number", "integer"):
        return _numbers_apart(one, other)
    if kind == "string":
        low = max(_least(meaning, "minLength", meaning.texts) for meaning in (one, other))
        high = [
            each.words["maxLength"] for meaning in (one, other) for each in meaning.texts if "maxLength" in each.words
        ]
        return bool(high) and low > min(high)
    return False


def _least(meaning: Meaning, word: str, said: Any) -> float:
    return max((each.words[word] for each in said if word in each.words), default=0)


def _numbers_apart(one: Meaning, other: Meaning) -> bool:
    """Whether nothing lies between the bounds of both."""
    bounds = [bound for meaning in (one, other) for each in meaning.numbers for bound in number_bounds(each.words)]
    lows = [(bound, sign == ">") for sign, bound in bounds if sign.startswith(">")]
    highs = [(bound, sign == "<") for sign, bound in bounds if sign.startswith("<")]
    return any(low > high or (low == high and (over or under)) for low, over in lows for high, under in highs)


def _required(meaning: Meaning) -> set[str]:
    return {name for each in meaning.records for name in _names(each.words.get("required"))}


def _names(held: Any) -> list[str]:
    return held if isinstance(held, list) else []


def _declared(meaning: Meaning) -> dict[str, list[Piece]]:
    found: dict[str, list[Piece]] = {}
    for each in meaning.records:
        for name in each.words.get("properties", {}):
            found.setdefault(name, []).append(Piece(each.node.kid("properties", name)))
    return found


def _closed(meaning: Meaning, name: str) -> bool:
    """Whether a record of it never has a property."""
    return any(
        each.words.get("additionalProperties") is False
        and name not in each.words.get("properties", {})
        and "patternProperties" not in each.words
        for each in meaning.records
    )


def _records_apart(one: Meaning, other: Meaning, judges: Judges, depth: int) -> bool:
    """Whether a property that must be there tells them apart."""
    for first, second in ((one, other), (other, one)):
        asked, there = _declared(first), _declared(second)
        for name in _required(first):
            if _closed(second, name):
                return True
            both = name in there and name in asked
            if both and _apart(_meaning(tuple(asked[name])), _meaning(tuple(there[name])), judges, depth - 1):
                return True
    return False


def _lists_apart(one: Meaning, other: Meaning, judges: Judges, depth: int) -> bool:
    """Whether an item that must be there tells them apart, or their numbers of items do."""
    low = max(_least(meaning, "minItems", meaning.lists) for meaning in (one, other))
    high = [each.words["maxItems"] for meaning in (one, other) for each in meaning.lists if "maxItems" in each.words]
    if high and low > min(high):
        return True
    if not low:
        return False
    firsts = [_first_item(meaning) for meaning in (one, other)]
    return all(firsts) and _apart(_meaning(firsts[0]), _meaning(firsts[1]), judges, depth - 1)


def _first_item(meaning: Meaning) -> Part:
    found = []
    for each in meaning.lists:
        heads, more = list_parts(each.node, each.words)
        held = heads[0] if heads else more
        if held is not None:
            found.append(Piece(held))
    return tuple(found)
