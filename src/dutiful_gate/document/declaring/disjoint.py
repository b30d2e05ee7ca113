"""Whether no value can be sound by two schemas at once, as far as their words tell."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from ..judging.keywords import list_parts, number_bounds
from .meaning import Meaning, Part, Piece, SaidOfValue, TooMany, gathered

_DEPTH = 3
_MOST_PAIRS = 2_000


class Apart:
    """Tells schemas apart; what was found is remembered."""

    def __init__(self, judges: Callable[[Piece, Any], bool]) -> None:
        self.judges = judges
        self.meanings: dict[Part, Meaning | None] = {}
        self.found: dict[tuple[int, int, int], bool] = {}
        self.values: dict[int, list[Any] | None] = {}

    def alike(self, parts: Sequence[Part]) -> list[tuple[int, int]]:
        """The pairs of parts, by number, of which some value may be sound by both."""
        if len(parts) * (len(parts) - 1) // 2 > _MOST_PAIRS:
            return [(0, 1)]
        meanings = [self.meaning(part) for part in parts]
        return [
            (one, other)
            for one in range(len(parts))
            for other in range(one + 1, len(parts))
            if not self.apart(meanings[one], meanings[other], _DEPTH)
        ]

    def meaning(self, part: Part) -> Meaning | None:
        """What a part says; None where that is too much."""
        if part not in self.meanings:
            try:
                self.meanings[part] = gathered(part)
            except TooMany:
                self.meanings[part] = None
        return self.meanings[part]

    def apart(self, one: Meaning | None, other: Meaning | None, depth: int) -> bool:
        """Whether nothing is sound by both; False where that is not sure."""
        if one is None or other is None:
            return False
        mark = (id(one), id(other), depth)
        if mark not in self.found:
            self.found[mark] = False  # where it leads back to itself
            self.found[mark] = self._apart(one, other, depth)
        return self.found[mark]

    def _apart(self, one: Meaning, other: Meaning, depth: int) -> bool:
        if one.never or other.never:
            return True
        for first, second in ((one, other), (other, one)):
            values = self.values_of(first)
            if values is not None:
                return all(not all(self.judges(piece, value) for piece in second.pieces) for value in values)
        if depth:
            for first, second in ((one, other), (other, one)):
                for options in self.options(first):
                    if all(self.apart(option, second, depth - 1) for option in options):
                        return True
        return all(self.kind_apart(kind, one, other, depth) for kind in one.kinds)

    def values_of(self, meaning: Meaning) -> list[Any] | None:
        """The few values that a meaning admits."""
        if id(meaning) not in self.values:
            self.values[id(meaning)] = meaning.values(self.judges)
        return self.values[id(meaning)]

    def options(self, meaning: Meaning) -> Iterator[list[Meaning | None]]:
        """What each `anyOf` or `oneOf` leaves to choose from."""
        for clause in meaning.clauses:
            if clause.word in ("anyOf", "oneOf"):
                subschemas = clause.subschemas()
                if len(subschemas) <= 50:
                    kept = [piece.less(clause.word) if piece.node is clause.node else piece for piece in meaning.pieces]
                    yield [self.meaning((*kept, Piece(subschema))) for subschema in subschemas]

    def kind_apart(self, kind: str, one: Meaning, other: Meaning, depth: int) -> bool:
        """Whether no value of a kind is sound by both."""
        if kind not in other.kinds:
            also = {"number": "integer", "integer": "number"}.get(kind)
            if also not in other.kinds:
                return True
        if kind == "object" and depth:
            return self.records_apart(one, other, depth)
        if kind == "array" and depth:
            return self.lists_apart(one, other, depth)
        if kind in ("number", "integer"):
            return number_bounds_apart([*one.numbers, *other.numbers])
        if kind == "string":
            low = max(_least(meaning, "minLength", meaning.texts) for meaning in (one, other))
            highs = [
                each.words["maxLength"]
                for meaning in (one, other)
                for each in meaning.texts
                if "maxLength" in each.words
            ]
            return bool(highs) and low > min(highs)
        return False

    def records_apart(self, one: Meaning, other: Meaning, depth: int) -> bool:
        """Whether a property that must be there tells them apart."""
        for first, second in ((one, other), (other, one)):
            asked, there = _declared(first), _declared(second)
            for name in _required(first):
                if _closed(second, name):
                    return True
                both = name in there and name in asked
                if both and self.apart(self.meaning(tuple(asked[name])), self.meaning(tuple(there[name])), depth - 1):
                    return True
        return False

    def lists_apart(self, one: Meaning, other: Meaning, depth: int) -> bool:
        """Whether an item that must be there tells them apart, or their numbers of items do."""
        low = max(_least(meaning, "minItems", meaning.lists) for meaning in (one, other))
        highs = [
            each.words["maxItems"] for meaning in (one, other) for each in meaning.lists if "maxItems" in each.words
        ]
        if highs and low > min(highs):
            return True
        if not low:
            return False
        firsts = [_first_item(meaning) for meaning in (one, other)]
        return all(firsts) and self.apart(self.meaning(firsts[0]), self.meaning(firsts[1]), depth - 1)


def _least(meaning: Meaning, word: str, said: Any) -> float:
    return max((each.words[word] for each in said if word in each.words), default=0)


def number_bounds_apart(several: Sequence[SaidOfValue]) -> bool:
    """Whether nothing lies between the bounds of some schemas."""
    bounds = [bound for each in several for bound in number_bounds(each.words)]
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
            found.setdefault(name, []).append(Piece(each.node.subschema("properties", name)))
    return found


def _closed(meaning: Meaning, name: str) -> bool:
    """Whether a record of it never has a property."""
    return any(
        each.words.get("additionalProperties") is False
        and name not in each.words.get("properties", {})
        and "patternProperties" not in each.words
        for each in meaning.records
    )


def _first_item(meaning: Meaning) -> Part:
    found = []
    for each in meaning.lists:
        heads, more = list_parts(each.node, each.words)
        held = heads[0] if heads else more
        if held is not None:
            found.append(Piece(held))
    return tuple(found)
