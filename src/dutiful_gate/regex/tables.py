"""Expressions as tables over ASCII, for the native core: small ones whose states need no look around them."""

from __future__ import annotations

from functools import lru_cache
from typing import Final

from .automaton import Automaton
from .from_python import read_python
from .syntax import UnreadablePattern

_MOST_STATES: Final = 250
_MOST_FORKS: Final = 600


@lru_cache(maxsize=512)
def table_of(pattern: str, flags: int) -> bytes | None:
    """The table of an expression of `re` that is to match whole texts; None where it is large, or looks around.

    Two bytes with the numbers of states and of sorts of signs; the sort of each of the 128 signs; whether a text may
    end in each state; and for each state the next one by each sort. In state 0 no text can end any more, state 1 is the
    first.
    """
    try:
        automaton = Automaton(read_python(pattern, flags), flags, whole=True)
    except (UnreadablePattern, ValueError, RecursionError):
        return None
    if automaton.held or len(automaton.goes) > _MOST_FORKS:
        return None
    taken: dict[int, int] = {}
    sorts = [taken.setdefault(automaton.taken_by(chr(sign)), len(taken)) for sign in range(128)]
    numbers, ends, rows = {0: 0}, [0], [[0] * len(taken)]
    closures = [automaton.closure(state, 0) & automaton.lasting for state in range(len(automaton.goes))]
    after = [_together(goes, closures) for goes in automaton.goes]
    waiting = [_together(automaton.start, closures)]
    numbers[waiting[0]] = 1
    for states in waiting:
        ends.append(states & 1)
        row = []
        for letters in taken:
            following = _together(states & letters, after)
            if following and following not in numbers:
                numbers[following] = len(numbers)
                waiting.append(following)
            row.append(numbers[following] if following else 0)
        rows.append(row)
        if len(numbers) > _MOST_STATES:
            return None
    return bytes([len(rows), len(taken), *sorts, *ends, *(state for row in rows for state in row)])


def _together(states: int, sets: list[int]) -> int:
    """What the states of a set have together, each by its number."""
    found = 0
    while states:
        lowest = states & -states
        found |= sets[lowest.bit_length() - 1]
        states ^= lowest
    return found
