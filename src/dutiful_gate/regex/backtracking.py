"""Expressions that refer to what their groups took, matched by trying one way after the other, within a limit.

The meaning is that of ECMA-262, section 22.2.2: a group is forgotten when a repeat around it begins another round, one
that took nothing yet stands for the empty text, and what is looked for behind a place is walked from there to the left.
With `ecma=False` it is that of Python's `re`, where a group keeps what it took last, and one that took nothing fails.
What was tried in vain from one state is not tried again from the same state.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, Final

from .assertions import HOLDS
from .syntax import Expr, UnreadablePattern, every, parts_of

_MOST_STATES = 5000
_STEPS: Final = 5000
_STEPS_A_CHARACTER: Final = 100
_MOST_UNROLLED = 300
_ONE, _FORK, _GO, _SAVE, _FORGET, _BACK, _LOOK, _ATOMIC, _MARK, _SET, _BEGIN, _MOVED, _COUNT, _COUNTED, _DONE = range(
    15
)
Slots = tuple[int, ...]
State = tuple[int, int, Slots]
Code = list[tuple[Any, ...]]


class _TooMuch(Exception):
    pass


class Backtracker:
    """An expression as a list of instructions. With `whole` it matches whole texts only. Raises Unreadable."""

    def __init__(self, tree: Expr, flags: int, *, whole: bool, ecma: bool) -> None:
        self.flags = flags & ~re.DEBUG
        self.ecma = ecma
        self.ignores_case = bool(flags & re.IGNORECASE)
        numbers = sorted({number for node in every(tree) if node[0] == "back" for number in node[1]})
        self.slots = {number: 2 * at for at, number in enumerate(numbers)}
        self.slot_count = 2 * len(numbers)
        self.size = 0
        self.tests: dict[str, Callable[[str], bool]] = {}
        code: Code = []
        self._write(code, tree, ahead=True)
        if whole:
            code.append((_MARK, HOLDS["very end"]))
        code.append((_DONE,))
        self.code = code
        self.once = whole or code[0] == (_MARK, HOLDS["start"])

    # Writing the instructions

    def _write(self, code: Code, node: Expr, *, ahead: bool) -> None:
        """Add what a node asks for, walking the text to the right (`ahead`) or to the left."""
        self.size += 1
        if self.size > _MOST_STATES:
            raise UnreadablePattern("too many states")
        match node[0]:
            case "one":
                code.append((_ONE, self._test(node[1]), ahead))
            case "mark":
                code.append((_MARK, HOLDS[node[1]]))
            case "seq":
                for each in node[1] if ahead else reversed(node[1]):
                    self._write(code, each, ahead=ahead)
            case "any of":
                self._choice(code, node[1], ahead=ahead)
            case "repeat":
                self._repeat(code, node, ahead=ahead)
            case "group":
                slot = self.slots.get(node[1])
                if slot is None:
                    self._write(code, node[2], ahead=ahead)
                    return
                code.append((_SAVE, slot if ahead else slot + 1, None))
                self._write(code, node[2], ahead=ahead)
                # What it took is known when it ends; until then it stands for what it took before.
                code.append((_SAVE, slot + 1 if ahead else slot, slot))
            case "back":
                code.append((_BACK, tuple(self.slots[number] for number in node[1]), ahead))
            case "look":
                code.append((_LOOK, self._inner(node[1], ahead=node[2]), node[3]))
            case _:
                code.append((_ATOMIC, self._inner(node[1], ahead=ahead)))

    def _inner(self, node: Expr, *, ahead: bool) -> Code:
        code: Code = []
        self._write(code, node, ahead=ahead)
        code.append((_DONE,))
        return code

    def _choice(self, code: Code, options: list[Expr], *, ahead: bool) -> None:
        ends = []
        for option in options[:-1]:
            fork = len(code)
            code.append(())
            self._write(code, option, ahead=ahead)
            ends.append(len(code))
            code.append(())
            code[fork] = (_FORK, fork + 1, len(code))
        self._write(code, options[-1], ahead=ahead)
        for end in ends:
            code[end] = (_GO, len(code))

    def _repeat(self, code: Code, node: Expr, *, ahead: bool) -> None:
        _, inner, least, most, lazy = node
        groups = [self.slots[each[1]] for each in every(inner) if each[0] == "group" and each[1] in self.slots]
        if _unrolled(node) > _MOST_UNROLLED:
            self._counted(code, node, groups, ahead=ahead)
            return
        for _ in range(least):
            self._round(code, inner, groups, ahead=ahead)
        if most == least:
            return
        place = self.slot_count
        self.slot_count += 1
        forks, moves = [], []
        for _ in range(1 if most is None else most - least):
            forks.append(len(code))
            code += [(), (_BEGIN, place)]
            self._round(code, inner, groups, ahead=ahead)
            moves.append(len(code))
            code.append(())
        if most is None:
            code.append((_GO, forks[0]))
        for move in moves:
            code[move] = (_MOVED, place, len(code))
        for fork in forks:
            code[fork] = (_FORK, len(code), fork + 1) if lazy else (_FORK, fork + 1, len(code))

    def _counted(self, code: Code, node: Expr, groups: list[int], *, ahead: bool) -> None:
        """A repeat whose rounds are counted while it is tried."""
        _, inner, least, most, lazy = node
        count, place = self.slot_count, self.slot_count + 1
        self.slot_count += 2
        code.append((_SET, count, 0))
        start = len(code)
        code += [(), (_BEGIN, place)]
        self._round(code, inner, groups, ahead=ahead)
        code += [(_COUNTED, place, count, least), (_GO, start)]
        code[start] = (_COUNT, count, least, most, lazy, len(code))

    def _round(self, code: Code, inner: Expr, groups: list[int], *, ahead: bool) -> None:
        if groups and self.ecma:
            code.append((_FORGET, tuple(groups)))
        self._write(code, inner, ahead=ahead)

    def _test(self, source: str) -> Callable[[str], bool]:
        if source not in self.tests:
            taken: dict[str, bool] = {}
            fits = re.compile(source, self.flags).fullmatch

            def takes(letter: str) -> bool:
                known = taken.get(letter)
                if known is None:
                    known = taken[letter] = fits(letter) is not None
                return known

            self.tests[source] = takes
        return self.tests[source]

    # Trying

    def match(self, text: str) -> bool:
        """Whether the expression matches the text, or somewhere in it. Over the limit of steps: no."""
        search = _Search(self, text)
        slots = (-1,) * (self.slot_count + len(self.slots))
        try:
            return any(search.run(self.code, at, slots) is not None for at in range(1 if self.once else len(text) + 1))
        except _TooMuch:
            return False


def _unrolled(node: Expr) -> int:
    """How many nodes are written when every round of a repeat is written out."""
    inside = 1 + sum(map(_unrolled, parts_of(node)))
    return inside * max(1, node[2], node[3] or 0) if node[0] == "repeat" else inside


class _Search:
    """The tries on one text."""

    def __init__(self, states: Backtracker, text: str) -> None:
        self.states = states
        self.text = text
        self.left = _STEPS + _STEPS_A_CHARACTER * len(text)
        self.vain: dict[int, set[State]] = {}
        # Groups that are begun and not ended yet keep their beginnings behind the other slots.
        self.open_groups = states.slot_count

    def run(self, code: Code, at: int, slots: Slots) -> tuple[int, Slots] | None:
        """Where the first way through ends, with what the groups took; None where there is none."""
        text, size = self.text, len(self.text)
        vain = self.vain.setdefault(id(code), set())
        tried: set[State] = set()  # in vain only if nothing is found
        waiting = [(0, at, slots)]
        while waiting:
            step, at, slots = waiting.pop()
            while True:
                self.left -= 1
                if self.left < 0:
                    raise _TooMuch
                one = code[step]
                sort = one[0]
                step += 1
                if sort == _ONE:
                    if one[2]:
                        if at >= size or not one[1](text[at]):
                            break
                        at += 1
                    else:
                        if at <= 0 or not one[1](text[at - 1]):
                            break
                        at -= 1
                elif sort == _FORK:
                    mark = (step, at, slots)
                    if mark in tried or mark in vain:
                        break
                    tried.add(mark)
                    waiting.append((one[2], at, slots))
                    step = one[1]
                elif sort == _GO:
                    step = one[1]
                elif sort == _MOVED:
                    if slots[one[1]] == at:
                        if self.states.ecma:
                            break
                        step = one[2]  # to `re` an empty round is the last one
                    slots = _one_with(slots, one[1], -1)
                elif sort == _COUNT:
                    _, place, least, most, lazy, end = one
                    count = slots[place]
                    if count >= least:
                        mark = (step, at, slots)
                        if mark in tried or mark in vain:
                            break
                        tried.add(mark)
                        if most is not None and count >= most:
                            step = end
                            continue
                        waiting.append((step if lazy else end, at, slots))
                        step = end if lazy else step
                elif sort == _DONE:
                    return at, slots
                else:
                    moved = self._other(one, at, slots)
                    if moved is None:
                        break
                    at, slots = moved
        vain |= tried
        return None

    def _other(self, one: tuple[Any, ...], at: int, slots: Slots) -> tuple[int, Slots] | None:
        """What an instruction of the seldom ones leads to, None where it fails."""
        sort = one[0]
        if sort == _MARK:
            return (at, slots) if one[1](self.text, at) else None
        if sort == _SAVE:
            return at, self._saved(one, at, slots)
        if sort == _FORGET:
            return at, _with(slots, {slot + each: -1 for slot in one[1] for each in (0, 1)})
        if sort == _BACK:
            return self._back(one, at, slots)
        if sort == _SET:
            return at, _one_with(slots, one[1], one[2])
        if sort == _COUNTED:
            return self._counted(one, at, slots)
        if sort == _BEGIN:
            return at, _one_with(slots, one[1], at)
        found = self.run(one[1], at, slots)
        if sort == _ATOMIC:
            return found
        if (found is not None) is not one[2]:
            return None
        return at, found[1] if found is not None else slots

    def _counted(self, one: tuple[Any, ...], at: int, slots: Slots) -> tuple[int, Slots] | None:
        _, place, count, least = one
        rounds = slots[count] + 1
        if slots[place] == at:
            if rounds > least and self.states.ecma:
                return None
            rounds = least  # the further rounds that must be can take nothing, too
        return at, _with(slots, {place: -1, count: rounds})

    def _saved(self, one: tuple[Any, ...], at: int, slots: Slots) -> Slots:
        _, slot, ends = one
        open_groups = self.open_groups + slot // 2
        if ends is None:
            return _one_with(slots, open_groups, at)
        return _with(slots, {ends: min(slots[open_groups], at), ends + 1: max(slots[open_groups], at), open_groups: -1})

    def _back(self, one: tuple[Any, ...], at: int, slots: Slots) -> tuple[int, Slots] | None:
        _, groups, ahead = one
        slot = next((each for each in groups if slots[each] >= 0), None)
        if slot is None:
            return (at, slots) if self.states.ecma else None
        took = self.text[slots[slot] : slots[slot + 1]]
        self.left -= len(took) // 16
        goes = at + len(took) if ahead else at - len(took)
        here = self.text[at:goes] if ahead else self.text[max(goes, 0) : at]
        if here == took or (self.states.ignores_case and here.lower() == took.lower()):
            return goes, slots
        return None


def _with(slots: Slots, changed: dict[int, int]) -> Slots:
    made = list(slots)
    for slot, held in changed.items():
        made[slot] = held
    return tuple(made)


def _one_with(slots: Slots, slot: int, held: int) -> Slots:
    return (*slots[:slot], held, *slots[slot + 1 :])
