"""Whether an expression can take one text in exponentially many ways, told exactly by walking two ways at once.

It can if from some state two different ways lead back to it over the same signs (H. Weber and A. Seidl, "On the degree
of ambiguity of finite automata", 1991): a backtracking matcher tries every combination of them before it gives up.
"""

from __future__ import annotations

from typing import Final

from .automaton import Automaton
from .syntax import Expr, UnreadablePattern, mapped

_MOST_STATES: Final = 80
_MANY: Final = 8


def takes_many_ways(tree: Expr, signs: list[str]) -> bool | None:
    """Whether it can, over a few signs; None where that is not told: it refers back, or is large.

    What is asked of a place is taken to hold, and a repeat of many rounds to have no end: told too often, never too
    seldom.
    """
    try:
        automaton = Automaton(_endless(tree, 1), 0, whole=True)
    except (UnreadablePattern, RecursionError):
        return None
    taking = [state for state, takes in enumerate(automaton.takes) if takes is not None]
    if len(taking) > _MOST_STATES:
        return None
    masks = {automaton.taken_by(sign) for sign in signs} - {0}
    # Where each state that takes a sign leads, told by the states that take the next one.
    after = {state: _states(automaton, automaton.goes[state]) for state in taking}
    return any(_leads_back(state, after, masks) for state in taking)


def _endless(node: Expr, times: int) -> Expr:
    """The same with repeats of many rounds, or of several inside each other, as repeats without end."""
    if node[0] == "atomic":
        return _endless(node[1], times)
    if node[0] != "repeat":
        return mapped(node, lambda inner: _endless(inner, times))
    _, inner, least, most, lazy = node
    rounds = times * (most or _MANY + 1)
    if rounds > _MANY:
        least, most = min(least, 1), None
    return ("repeat", _endless(inner, max(rounds, 1)), least, most, lazy)


def _states(automaton: Automaton, goes: int) -> list[int]:
    """The states that take a sign next, told as often as there are ways to them, up to twice."""
    found: list[int] = []
    waiting = [bit for bit in range(goes.bit_length()) if goes >> bit & 1]
    passed: dict[int, int] = {}
    while waiting:
        state = waiting.pop()
        if passed.get(state, 0) >= 2:
            continue
        passed[state] = passed.get(state, 0) + 1
        if automaton.takes[state] is not None:
            found.append(state)
        else:
            further = automaton.goes[state]
            waiting += [bit for bit in range(further.bit_length()) if further >> bit & 1]
    return found


def _leads_back(start: int, after: dict[int, list[int]], masks: set[int]) -> bool:
    """Whether two ways part that begin at a state, and both come back to it over the same signs."""
    reached = {(start, start, False)}
    waiting = [(start, start, False)]
    while waiting:
        one, other, parted = waiting.pop()
        for mask in masks:
            if not (mask >> one & 1 and mask >> other & 1):
                continue
            for number, left in enumerate(after[one]):
                for place, right in enumerate(after[other]):
                    apart = parted or one != other or left != right or (number != place and left == right)
                    if left == right == start and apart:
                        return True
                    pair = (left, right, apart) if left <= right else (right, left, apart)
                    if pair not in reached:
                        reached.add(pair)
                        waiting.append(pair)
    return False
