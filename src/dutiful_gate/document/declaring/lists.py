"""Lists and tuples: what schemas say of items, as a type."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from ..judging.keywords import list_parts
from .meaning import Meaning, Piece
from .naming import Hint, words_of
from .scalars import scalar
from .words_of_values import leaves_nothing, may_hold

if TYPE_CHECKING:
    from .types import TypeWriter

_OF_ITEMS = words_of("items prefixItems additionalItems")
_OF_CONTAINS = ("contains", "minContains", "maxContains")
_MOST_FIXED = 6


class ListTypes:
    """Writes the types of lists, for the writer of all types."""

    def __init__(self, types: TypeWriter) -> None:
        self.types = types

    def typed(self, meaning: Meaning, hint: Hint) -> tuple[str, list[str]]:
        """A list, or tuples where its first items are told one by one."""
        page, never = self.types.page, False
        heads: list[list[Piece]] = []
        others: list[Piece] = []
        parts = [list_parts(said.node, said.words) for said in meaning.lists]
        count = max((len(first) for first, _ in parts), default=0)
        for at in range(count):
            held = [first[at] if at < len(first) else more for first, more in parts]
            heads.append([Piece(each) for each in held if each is not None])
        others = [Piece(more) for _, more in parts if more is not None]
        first, item = [tuple(dict.fromkeys(each)) for each in heads], tuple(dict.fromkeys(others))
        never = any(piece.node.raw is False for piece in item)
        if not any(map(self.types.unwrapped, first)) and not self.types.unwrapped(item):
            first = []
        counted = ("minItems", "maxItems") if first or never else ()
        if leaves_nothing("array", meaning.lists):
            return page.never(), []
        if not first and not never:
            each = self.types.held(item, hint.one())
            return f"list[{each}]", self.beside(meaning, counted, [each])
        lows = [int(said.words["minItems"]) for said in meaning.lists if "minItems" in said.words]
        highs = [int(said.words["maxItems"]) for said in meaning.lists if "maxItems" in said.words]
        low, high = max(lows, default=0), min(highs, default=None)
        most = next((at for at, part in enumerate(first) if any(each.node.raw is False for each in part)), len(first))
        ends = never or most < len(first) or (high is not None and high <= most)
        most = min(most, high) if high is not None else most
        if low > most and ends:
            return page.never(), []
        counts = range(min(low, most), most + ends)
        if len(counts) > _MOST_FIXED:
            return f"list[{page.any()}]", [
                rule for said in meaning.lists for rule in self.types.leftover(said.node, said.words)
            ]
        items = [self.types.held(part, hint.plus(at + 1)) for at, part in enumerate(first[:most])]
        more = [] if ends else [self.types.held(item, hint.one())]
        rules = self.beside(meaning, counted, [*items, *more])
        options = [f"tuple[{', '.join(items[:each]) or '()'}]" for each in counts]
        for each in more:
            long = f"tuple[{', '.join([*items, f'*tuple[{each}, ...]'])}]"
            options.append(page.annotated(long, page.length(low if low > most else None, high)))
        return page.one_of(options), rules

    def beside(self, meaning: Meaning, counted: Sequence[str], types: Sequence[str]) -> list[str]:
        """What is said of a list beside the types of its items."""
        rules: list[str] = []
        for said in meaning.lists:
            words = {word: held for word, held in said.words.items() if word not in _OF_ITEMS and word not in counted}
            apart = {}
            if not may_hold(types, words.get("contains")):
                apart = {word: words.pop(word) for word in _OF_CONTAINS if word in words}
            told = scalar("array", words, formats=False)
            rules += [*told.rules, *self.types.leftover(said.node, told.left | apart)]
        self.types.page.import_for(rules)
        return rules
