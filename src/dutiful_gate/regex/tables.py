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
def table_of(pattern: str, flags: int, *, whole: bool = True) -> bytes | None:
    """The table of an expression of `re`; None where it would be large, or asks what stands around a place.

    Two bytes with the numbers of states and of sorts of signs; the sort of each of the 128 signs; whether a text may
    end in each state; and for each state the next one by each sort. In state 0 no text can end any more, state 1 is the
    first.
    """
    try:
        automaton = Automaton(read_python(pattern, flags), flags, whole=whole)
    except (UnreadablePattern, ValueError, RecursionError):
        return None
    if automaton.held or len(automaton.goes) > _MOST_FORKS:
        return None
    taken: dict[int, int] = {}
    sorts = [taken.setdefault(automaton.taken_by(chr(sign)), len(taken)) for sign in range(128)]
    numbers, ends, rows = {0: 0}, [0], [[0] * len(taken)]
    waiting = [_reached(automaton, automaton.start)]
    numbers[waiting[0]] = 1
    for states in waiting:
        found = states & 1
        ends.append(found)
        row = []
        for letters in taken:
            if found and not whole:  # whatever follows
                following = states
            else:
                following = _reached(automaton, _after(automaton, states & letters) | automaton.again)
            if following and following not in numbers:
                numbers[following] = len(numbers)
                waiting.append(following)
            row.append(numbers[following] if following else 0)
        rows.append(row)
        if len(numbers) > _MOST_STATES:
            return None
    return bytes([len(rows), len(taken), *sorts, *ends, *(state for row in rows for state in row)])


def _after(automaton: Automaton, states: int) -> int:
    found = 0
    for state in _each(states):
        found |= automaton.goes[state]
    return found


def _reached(automaton: Automaton, states: int) -> int:
    """What a set of states leads to without taking a character, forks left out: the end, and those that take one."""
    found = 0
    for state in _each(states):
        found |= automaton.closure(state, 0)
    return found & automaton.lasting


def _each(states: int) -> list[int]:
    return [bit for bit in range(states.bit_length()) if states >> bit & 1]
