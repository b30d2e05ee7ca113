"""Regular expressions matched by walking all their states at once, in time that grows with the text and no faster.

The states are those of K. Thompson ("Regular expression search algorithm", 1968); which sets of them follow each other
on which letter is remembered, so that most letters cost one look-up. What stands before or after a place (`(?=...)`) is
found for all places of the text in one walk, those behind it in a walk from the end.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from functools import cached_property
from threading import Lock
from time import monotonic
from typing import Final

from .assertions import HOLDS
from .syntax import Expr, UnreadablePattern, turned

SECONDS: Final = 0.5
"""How long one text may take."""

_MOST_STATES = 5000
_MOST_MOVES = 50_000
_ACCEPT = 0

Mark = tuple[int, int, str]
Move = tuple[bool, int]


class Automaton:
    """An expression as states. A set of them is a number whose bits they are; bit 0 is the end.

    `takes[state]` is the test on a character, None for a fork; `asks[state]` the bit of what must hold at the place, 0
    for nothing; `goes[state]` where it goes from there, as a set. With `whole` it matches whole texts only.
    """

    def __init__(self, tree: Expr, flags: int, *, whole: bool) -> None:
        self.flags = flags & ~re.DEBUG
        self.takes: list[str | None] = []
        self.asks: list[int] = []
        self.goes: list[int] = []
        self.held: list[Callable[[str, float], Callable[[int], bool]]] = []
        self.bits: dict[object, int] = {}
        self.add(None, 0, 0)
        self.start = 1 << self.build(tree, _ACCEPT)
        self.tests = {source: re.compile(source, self.flags).fullmatch for source in {*self.takes} - {None} if source}
        self.taking = {
            source: sum(1 << state for state, each in enumerate(self.takes) if each == source) for source in self.tests
        }
        self.whole = whole
        self.again = 0 if whole else self.start
        self.memory = StateMemory(self)

    # Building

    def add(self, takes: str | None, asks: int, goes: int) -> int:
        """The number of one more state. Raises Unreadable when there are too many."""
        if len(self.goes) >= _MOST_STATES:
            raise UnreadablePattern("too many states")
        self.takes.append(takes)
        self.asks.append(asks)
        self.goes.append(goes)
        return len(self.goes) - 1

    def build(self, node: Expr, after: int) -> int:
        """The state where a node begins, when it goes on at `after`."""
        match node[0]:
            case "one":
                return self.add(node[1], 0, 1 << after)
            case "mark":
                holds = HOLDS[node[1]]
                return self.add(None, self.bit(node[1], lambda text, _: lambda at: holds(text, at)), 1 << after)
            case "look":
                return self.add(None, self.bit(len(self.held), self.look(node)), 1 << after)
            case "seq":
                for each in reversed(node[1]):
                    after = self.build(each, after)
                return after
            case "any of":
                return self.add(None, 0, sum({1 << self.build(each, after) for each in node[1]}))
            case "group":
                return self.build(node[2], after)
            case "repeat":
                return self.repeat(node, after)
            case _:
                raise UnreadablePattern({"back": "a back-reference", "atomic": "a possessive quantifier"}[node[0]])

    def repeat(self, node: Expr, after: int) -> int:
        """The state where a repeat begins: its rounds one after the other."""
        _, inner, least, most, _ = node
        if most is None:
            loop = self.add(None, 0, 1 << after)
            self.goes[loop] |= 1 << self.build(inner, loop)
            after = loop
        else:
            end = after
            for _ in range(most - least):
                after = self.add(None, 0, 1 << end | 1 << self.build(inner, after))
        for _ in range(least):
            after = self.build(inner, after)
        return after

    def bit(self, name: object, held: Callable[[str, float], Callable[[int], bool]]) -> int:
        """The bit of what is asked of a place."""
        if name not in self.bits:
            self.bits[name] = 1 << len(self.held)
            self.held.append(held)
        return self.bits[name]

    def look(self, node: Expr) -> Callable[[str, float], Callable[[int], bool]]:
        """What finds, for a text, at which places something stands before or after, or does not."""
        _, inner, ahead, wanted = node
        walked = Automaton(turned(inner) if ahead else inner, self.flags, whole=False)

        def places(text: str, until: float) -> Callable[[int], bool]:
            found: list[bytearray] = []

            def holds(at: int) -> bool:
                if not found:
                    found.append(walked.ends(text, until, backwards=ahead))
                return bool(found[0][at]) is wanted

            return holds

        return places

    # Walking

    def match(self, text: str) -> bool:
        """Whether the expression matches the text, or somewhere in it. Over the time limit: no."""
        try:
            return self._match(text, monotonic() + SECONDS)
        except TimeoutError:
            return False

    def _match(self, text: str, until: float) -> bool:
        context = self.contexts(text, until)
        memory = self.memory
        current = memory.number(self.start)
        for at, letter in enumerate(text):
            here = context(at) if context is not None else 0
            move = memory.moves.get((current, here, letter))
            if move is None:
                memory, move = self.move(memory, (current, here, letter), until)
            accepted, current = move
            if accepted and not self.whole:
                return True
            if not memory.sets[current]:
                return False
        last = context(len(text)) if context is not None else 0
        return bool(memory.live(memory.sets[current], last) & 1)

    def ends(self, text: str, until: float, *, backwards: bool) -> bytearray:
        """For each place of the text whether a match ends there; backwards, whether one that is walked from the end."""
        context = self.contexts(text, until)
        memory = self.memory
        current = memory.number(self.start)
        found = bytearray(len(text) + 1)
        for at in range(len(text), -1, -1) if backwards else range(len(text) + 1):
            here = context(at) if context is not None else 0
            last = at == 0 if backwards else at == len(text)
            letter = "" if last else text[at - 1 if backwards else at]
            move = memory.moves.get((current, here, letter))
            if move is None:
                memory, move = self.move(memory, (current, here, letter), until)
            found[at], current = move
        return found

    def contexts(self, text: str, until: float) -> Callable[[int], int] | None:
        """What holds at a place, as bits; None where nothing is asked."""
        if not self.held:
            return None
        asked = [(1 << number, held(text, until)) for number, held in enumerate(self.held)]

        def context(at: int) -> int:
            return sum(bit for bit, holds in asked if holds(at))

        return context

    def move(self, memory: StateMemory, mark: Mark, until: float) -> tuple[StateMemory, Move]:
        """A move that is not remembered yet, and the memory that knows it now: one that is full is left behind."""
        if monotonic() > until:
            raise TimeoutError
        if len(memory.moves) < _MOST_MOVES:
            return memory, memory.move(mark)
        self.memory = fresh = StateMemory(self)
        current, context, letter = mark
        return fresh, fresh.move((fresh.number(memory.sets[current]), context, letter))

    def closure(self, start: int, context: int) -> int:
        """The states that one leads to without taking a character."""
        seen, waiting = 0, 1 << start
        while waiting:
            bit = waiting & -waiting
            waiting ^= bit
            seen |= bit
            state = bit.bit_length() - 1
            if state != _ACCEPT and self.takes[state] is None and not self.asks[state] & ~context:
                waiting |= self.goes[state] & ~seen
        return seen

    @cached_property
    def lasting(self) -> int:
        """The end, and the states that take a character: forks are left at once."""
        return sum(1 << state for state, takes in enumerate(self.takes) if takes is not None or state == _ACCEPT)

    def taken_by(self, letter: str) -> int:
        """The states that take a letter."""
        return sum(self.taking[source] for source, test in self.tests.items() if test(letter))


class StateMemory:
    """What was found while walking: sets of states by number, and the moves from one to another. Threads share it."""

    def __init__(self, states: Automaton) -> None:
        self.states = states
        self.moves: dict[Mark, Move] = {}
        self.sets: list[int] = []
        self._numbers: dict[int, int] = {}
        self._letters: dict[str, int] = {}
        self._eights = len(states.goes) // 8 + 1
        self._reached: dict[int, list[dict[int, int]]] = {}
        self._after: list[dict[int, int]] = [{} for _ in range(self._eights)]
        self._lock = Lock()

    def number(self, states: int) -> int:
        """A short name for a set of states."""
        with self._lock:
            return self._number(states)

    def _number(self, states: int) -> int:
        known = self._numbers.get(states)
        if known is None:
            self.sets.append(states)
            known = self._numbers[states] = len(self.sets) - 1
        return known

    def move(self, mark: Mark) -> Move:
        """Whether a match ends before a letter, and the number of the states after it."""
        current, context, letter = mark
        with self._lock:
            live = self.live(self.sets[current], context)
            if letter not in self._letters:
                self._letters[letter] = self.states.taken_by(letter) if letter else 0
            taken = live & self._letters[letter]
            after = self._spread(taken, self._after, self.states.goes.__getitem__) | self.states.again
            made = self.moves[mark] = (bool(live & 1), self._number(after))
        return made

    def live(self, states: int, context: int) -> int:
        """All states that can be reached without taking a character."""
        tables = self._reached.get(context)
        if tables is None:
            tables = self._reached[context] = [{} for _ in range(self._eights)]
        return self._spread(states, tables, lambda state: self.states.closure(state, context))

    def _spread(self, states: int, tables: list[dict[int, int]], of: Callable[[int], int]) -> int:
        """What all of a set's states have together, remembered for each eight of them."""
        found = 0
        for number, eight in enumerate(states.to_bytes(self._eights, "little")):
            if eight:
                table = tables[number]
                if eight not in table:
                    table[eight] = _together(of(8 * number + bit) for bit in range(8) if eight >> bit & 1)
                found |= table[eight]
        return found


def _together(sets: Iterable[int]) -> int:
    found = 0
    for each in sets:
        found |= each
    return found
