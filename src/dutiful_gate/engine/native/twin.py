"""A slow reader of the same plans in Python: where the core is wrong and this is right, the plan is right.

It reads decoded data, by the words alone: none of what it does looks at the shape that they were written from.
"""

from __future__ import annotations

import operator
from array import array
from collections.abc import Callable
from typing import Any, Final

from ...declare.absent import ABSENT
from ...declare.digits import Digits
from ...declare.facts import UNSURE, Stop
from ...declare.kinds.text import encodable
from ...declare.native_forms import BLANK, CLASSES, NO_END, NODES, NUMBERED, PARTS, SHORT, SIGNS, WITHHELD
from ...regex.white_space import is_blank
from .words import NativePlan

_NODES: Final = {form.number: name for name, form in NODES.items()}
_PARTS: Final = {form.number: name for name, form in PARTS.items()}
_COMPARED: Final = (operator.lt, operator.le, operator.eq, operator.ne, operator.gt, operator.ge)
_CLASSES: Final = (type(None), bool, int, float, str, list, dict)


class _Doubt(Exception):
    """The data is not surely sound."""


def twin_of(plan: NativePlan) -> Callable[[Any], Any]:
    """The function that answers as the core does: with a value, or UNSURE."""
    return _Twin(plan).sound


class _Twin:
    def __init__(self, plan: NativePlan) -> None:
        self.words = array("I", plan.words)
        self.constants = plan.constants
        _, _, self.root, self.most_levels, self.most_items, _, self.notes_unknown, _, _, self.text = self.words[:10]
        self.depth = 0

    def sound(self, data: Any) -> Any:
        """The value of what is surely sound, else UNSURE."""
        self.depth = 0
        try:
            return self.node(self.root, data)
        except _Doubt:
            return UNSURE
        except (TypeError, ValueError, KeyError, ArithmeticError):
            return UNSURE

    def node(self, at: int, plain: Any) -> Any:
        """A value, with its rules and steps."""
        form, parts = _NODES[self.words[at]], self.words[at + 1]
        held = self.words[at + 2 :]
        deeper = form in ("list", "fixed", "dict", "record")
        holds = deeper or form in ("union", "tagged", "nullable", "sealed", "same") or (form == "call" and held[1] >> 1)
        if self.text and not holds and plain.__class__ is list and len(plain) == 1:
            plain = plain[0]
        self.depth += deeper
        if self.depth > self.most_levels:
            raise _Doubt
        value = getattr(self, f"_{form.replace(' ', '_')}")(held, plain)
        self.depth -= deeper
        return self.parts(parts, value) if parts else value

    def constant(self, number: int) -> Any:
        """One of the plan's constants."""
        return self.constants[number]

    # Single values

    def asked(self, function: Callable[[Any], Any], plain: Any) -> Any:
        """What a function of Python reads."""
        made = function(plain)
        if made.__class__ is Stop:
            raise _Doubt
        return made

    def _call(self, held: array[int], plain: Any) -> Any:
        if held[1] & 1 and _levels(plain) > self.most_levels - self.depth:
            raise _Doubt
        return self.asked(self.constant(held[0]), plain)

    def _text(self, held: array[int], plain: Any) -> Any:
        return _sure(plain, plain.__class__ is str and encodable(plain))

    def _whole(self, held: array[int], plain: Any) -> Any:
        if plain.__class__ is int:
            return plain
        return int(_sure(plain, plain.__class__ in (float, Digits) and plain.is_integer()))

    def _number(self, held: array[int], plain: Any) -> Any:
        _sure(plain, plain.__class__ is int or (plain.__class__ in (float, Digits) and plain - plain == 0))
        return float(plain)

    def _truth(self, held: array[int], plain: Any) -> Any:
        return _sure(plain, plain.__class__ is bool)

    def _null(self, held: array[int], plain: Any) -> Any:
        return _sure(plain, plain is None)

    def _by_reader(self, held: array[int], plain: Any) -> Any:
        return self.asked(self.constant(held[0]), _sure(plain, plain.__class__ is str and plain.isascii()))

    def _whole_in_text(self, held: array[int], plain: Any) -> Any:
        return self.asked(self.constant(held[0]), _sure(plain, plain.__class__ is str))

    _number_in_text = _truth_in_text = _whole_in_text
    _moment = _utc_moment = _local_moment = _day = _uuid = _by_reader

    def _exact(self, held: array[int], plain: Any) -> Any:
        return self.asked(self.constant(held[0]), plain)

    def _text_form(self, held: array[int], plain: Any) -> Any:
        _sure(plain, plain.__class__ is str)
        return self.asked(self.constant(held[0 if plain.isascii() else 1]), plain)

    def _choice(self, held: array[int], plain: Any) -> Any:
        return self.constant(held[0])[_sure(plain, plain.__class__ is str)]

    # What holds others

    def _list(self, held: array[int], plain: Any) -> Any:
        if self.text and plain.__class__ is str:
            plain = [plain]
        _sure(plain, plain.__class__ is list and len(plain) <= self.most_items)
        made = [self.node(held[1], item) for item in plain]
        into, also = NUMBERED["INTO"][held[0]], self.constant(held[2])
        if into in ("set", "frozenset"):
            _sure(made, also is None or not also(made))
            found = frozenset(made) if into == "frozenset" else set(made)
            return _sure(found, len(found) == len(made))
        return made if into == "list" else tuple(made) if into == "tuple" else also(made)

    def _fixed(self, held: array[int], plain: Any) -> Any:
        last, count = held[0], held[1]
        _sure(plain, plain.__class__ is list and len(plain) <= self.most_items)
        _sure(plain, len(plain) >= count if last else len(plain) == count)
        nodes = [*held[2 : 2 + count], *([last] * (len(plain) - count))]
        return tuple(self.node(node, item) for node, item in zip(nodes, plain, strict=True))

    def _dict(self, held: array[int], plain: Any) -> Any:
        _sure(plain, plain.__class__ is dict and len(plain) <= self.most_items)
        made = {self.node(held[0], key): self.node(held[1], value) for key, value in plain.items()}
        return _sure(made, len(made) == len(plain))

    def _union(self, held: array[int], plain: Any) -> Any:
        for kind, name in zip(_CLASSES, CLASSES, strict=True):
            if plain.__class__ is kind:
                bit = 1 << CLASSES.index(name)
                for number in range(held[0]):
                    if held[1 + 2 * number] & bit:
                        return self.node(held[2 + 2 * number], plain)
        raise _Doubt

    def _tagged(self, held: array[int], plain: Any) -> Any:
        tag = _sure(plain, plain.__class__ is dict)[self.constant(held[0])]
        return self.node(held[3 + self.constant(held[1])[_sure(tag, tag.__class__ is str)]], plain)

    def _nullable(self, held: array[int], plain: Any) -> Any:
        return None if plain is None or (held[1] and is_blank(plain)) else self.node(held[0], plain)

    def _sealed(self, held: array[int], plain: Any) -> Any:
        return self.constant(held[0])(self.node(held[1], plain))

    def _same(self, held: array[int], plain: Any) -> Any:
        return self.node(held[0], plain)

    # Records

    def _record(self, held: array[int], plain: Any) -> Any:
        _sure(plain, plain.__class__ is dict and not (self.text and None in plain))
        at = held[0]
        _, builder, form, refuses, names, fields, also, rules, checks, _ = self.words[at : at + 10]
        at += 10
        every = [self.words[at + 5 * number : at + 5 * number + 5] for number in range(fields)]
        at += 5 * fields
        called = [(self.constant(field[2]), number) for number, field in enumerate(every)]
        called += [(self.constant(self.words[at + 2 * each]), self.words[at + 2 * each + 1]) for each in range(also)]
        at += 2 * also
        values: dict[int, Any] = {}
        seen: set[int] = set()
        known = 0
        for name, number in called:
            told = every[number][3] >> 8
            if name in plain and not told & WITHHELD:
                _sure(name, number not in seen)
                seen.add(number)
                nothing = bool(told & SHORT) if plain[name] is None else bool(told & BLANK) and is_blank(plain[name])
                _sure(name, not (nothing and every[number][3] & 0xFF == 0))
                if not nothing:
                    values[number] = self.node(every[number][0], plain[name])
                known += 1
        _sure(plain, known == len(plain) or not (refuses or self.notes_unknown))
        for number, field in enumerate(every):
            if number not in values:
                values[number] = self.absent(field)
        for _ in range(rules):
            at = self.rule(at, values)
        made = self.built(form, self.constant(builder), self.constant(names), every, values)
        for number in self.words[at : at + checks]:
            said = self.constant(number)(made)
            _sure(made, said is None or bool(said))
        return made

    def absent(self, field: array[int]) -> Any:
        """What stands in for a field that is not there."""
        lack, otherwise = NUMBERED["LACK"][field[3] & 0xFF], self.constant(field[4])
        _sure(field, lack != "required")
        return ABSENT if lack == "absent" else otherwise() if lack == "factory" else otherwise

    def rule(self, at: int, values: dict[int, Any]) -> int:
        """Ask a rule between fields; where the next one stands."""
        form, sign, function, count = self.words[at : at + 4]
        at += 4
        given = [values[number] for number in self.words[at : at + count]]
        if NUMBERED["RULE"][form] == "compare":
            _sure(given, bool(_COMPARED[sign](*given)) and sign < len(SIGNS))
        else:
            _sure(given, bool(self.constant(function)(*given)))
        return at + count

    def built(
        self, form: int, builder: Any, names: tuple[str, ...], every: list[array[int]], values: dict[int, Any]
    ) -> Any:
        """A record of its values."""
        word = NUMBERED["BUILT"][form]
        attributes = [self.constant(field[1]) for field in every]
        in_order = [values[number] for number in range(len(every))]
        if word == "dict":
            absent = NUMBERED["LACK"].index("absent")
            numbers = sorted(range(len(every)), key=lambda number: every[number][3] & 0xFF == absent)
            return {attributes[number]: values[number] for number in numbers if values[number] is not ABSENT}
        if word == "tuple":
            return builder(*in_order)
        if word == "calling":
            return builder(**dict(zip(names, in_order, strict=True)))
        made = object.__new__(builder)
        for name, held in zip(attributes, in_order, strict=True):
            setattr(made, name, held)
        return made

    # Rules and steps

    def parts(self, at: int, value: Any) -> Any:
        """The value once its rules and steps have run."""
        for number in range(self.words[at]):
            form, *held = self.words[at + 1 + 4 * number : at + 5 + 4 * number]
            value = self.part(_PARTS[form], held, value)
        return value

    def part(self, form: str, held: list[int], value: Any) -> Any:
        """The value after one of them."""
        match form:
            case "step" | "trimmed" | "lowered" | "uppered":
                return self.constant(held[0])(value)
            case "length":
                holds = len(value) >= held[0] and (held[1] == NO_END or len(value) <= held[1])
            case "length barred":
                holds = len(value) != held[0]
            case "floor":
                bound = self.constant(held[0])
                holds = value >= bound if held[1] else value > bound
            case "ceiling":
                bound = self.constant(held[0])
                holds = value <= bound if held[1] else value < bound
            case "equal":
                holds = (value == self.constant(held[0])) is bool(held[1])
            case "one of":
                holds = value in self.constant(held[0])
            case "starts with":
                holds = value.startswith(self.constant(held[0]))
            case "ends with":
                holds = value.endswith(self.constant(held[0]))
            case "pattern":
                said = admits(self.constant(held[0]), value) if value.isascii() else False
                holds = said or ((not value.isascii() or not held[2]) and bool(self.constant(held[1])(value)))
            case "multiple":
                holds = value % held[0] == 0 if value.__class__ is int else bool(self.constant(held[1])(value))
            case _:
                holds = bool(self.constant(held[0])(value))
        return _sure(value, holds)


def _sure(value: Any, holds: bool) -> Any:
    """A value of which something holds."""
    if not holds:
        raise _Doubt
    return value


def _levels(plain: Any) -> int:
    """How deep lists and dicts nest in plain data; more than is ever let in, where something else is in it."""
    if plain.__class__ in (str, int, float, bool, type(None)):
        return 0
    if plain.__class__ not in (dict, list):
        return 1 << 30
    return 1 + max(map(_levels, plain.values() if plain.__class__ is dict else plain), default=0)


def admits(table: bytes, text: str) -> bool:
    """Whether a table of states admits a text of ASCII."""
    states, sorts = table[0], table[1]
    state = 1
    for sign in text.encode():
        state = table[2 + 128 + states + state * sorts + table[2 + sign]]
    return bool(table[2 + 128 + state])
