"""What plans of both ways are written with: words, constants, and the forms of rules and steps."""

from __future__ import annotations

import re
from array import array
from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple

from ...codegen.unit import Unit
from ...codegen.writer import all_of
from ...declare.facts import Facts, Own
from ...declare.native_forms import NUMBERED, PARTS, SIGNS, Native
from ...declare.records import RecordRule
from ...declare.rules import Rule
from ...declare.steps import Step
from ...shape.shape import Record
from ..field_access import FieldsReach, values_there
from ..plan import Plan, all_sent
from ..walk.frame import Frame
from ..walk.quick import Quick


class NativePlan(NamedTuple):
    """The words and constants of a plan, and the functions among these, which keep their source for tracebacks."""

    words: bytes
    constants: tuple[object, ...]
    unit: Unit | None
    carries: bool
    """Whether functions of the developer's own are called."""


class PlanWords:
    """The words of a plan so far, of which as many as its head has are kept free; `quick` writes functions for it."""

    def __init__(self, plan: Plan, quick: Quick, head: int) -> None:
        self.plan = plan
        self.quick = quick
        self.words = array("I", [0] * head)
        self.constants: list[object] = []
        self._numbers: dict[int, int] = {}
        # Functions are known by their names until all are written, and compiled together.
        self._named: list[tuple[int, str]] = []

    def finished(self, title: str) -> NativePlan:
        """All of it, the functions compiled."""
        pen = self.quick.pen
        source, unit = self.quick.written_since(), None
        if self._named:
            unit = Unit(title, source, pen.constants, self._named[0][1], pen.constants, notes=pen.notes)
            for number, name in self._named:
                self.constants[number] = pen.constants[name]
        return NativePlan(self.words.tobytes(), tuple(self.constants), unit, pen.carries)

    def block(self, words: Iterable[int]) -> int:
        """Words at the end of the plan; where they stand."""
        at = len(self.words)
        self.words.extend(words)
        return at

    def constant(self, held: object) -> int:
        """The number of a constant."""
        number = self._numbers.get(id(held))
        if number is None:
            number = self._numbers[id(held)] = len(self.constants)
            self.constants.append(held)
        return number

    def function(self, frame: Frame, expression: str, parameters: Sequence[str] = ("data",)) -> int:
        """The number of a function that gives what an expression comes to."""
        quick = self.quick
        name = quick.functions.numbered("native_part")
        with quick.pen.aside() as lines, quick.block(f"def {name}({', '.join(parameters)}):"):
            quick.write(f"return {expression}")
        quick.functions.add(lines)
        return self.named(name)

    def named(self, name: str) -> int:
        """The number of a function by its name."""
        number = len(self.constants)
        self.constants.append(name)
        self._named.append((number, name))
        return number

    def own(self, function: Callable[..., Any], frame: Frame) -> object:
        """A function of the developer's own, as generated code calls it."""
        return self.quick.pen.own(Own(function), frame.where, hidden=frame.shown.outlined)

    # Rules and steps

    def parts(self, parts: Iterable[Rule | Step], facts: Facts, frame: Frame, first: Sequence[int] = ()) -> int:
        """Where rules and steps stand, 0 for none; `facts` is what is known when they begin, and `first` are the words
        of what comes before them."""
        words = list(first)
        for part in parts:
            words += self._of_any(part, frame) if facts.open else self.part(part, frame)
            if isinstance(part, Step):
                facts = part.suits(facts)
        return self.block([len(words) // 4, *words]) if words else 0

    def part(self, part: Rule | Step, frame: Frame) -> list[int]:
        """The words of one rule or step."""
        if isinstance(part, Step):
            native: tuple[Native, ...] = (part.native() or Native("step"),)
            expression = part.expression("data", frame.bind)
        else:
            native = part.native() or (Native("test"),)
            expression = part.condition("data", frame.bind)
        words: list[int] = []
        for form, held in native:
            number, holds = PARTS[form]
            left = list(held)
            told = [self._held(letter, left, lambda: self.function(frame, expression)) for letter in holds]
            words += [number, *told, *([0] * (3 - len(told)))]
        return words

    def _of_any(self, part: Rule | Step, frame: Frame) -> list[int]:
        """The same where the value may be of any type: then it is asked whether the part can judge it."""
        takes, bind = part.takes(), frame.bind
        covers = [] if takes is None else [f"{bind(takes.covers, 'takes')}(data)"]
        test, step = PARTS["test"].number, PARTS["step"].number
        if isinstance(part, Rule):
            return [test, self.function(frame, all_of([*covers, part.open_condition("data", bind)])), 0, 0]
        words = [test, self.function(frame, covers[0]), 0, 0] if covers else []
        return [*words, step, self.function(frame, part.expression("data", bind)), 0, 0]

    def _held(self, letter: str, left: list[object], function: Callable[[], int]) -> int:
        if letter == "f":
            return function()
        held = left.pop(0)
        return self.constant(held) if letter == "c" else int(held)  # type: ignore[call-overload]

    # Rules between fields

    def reach(self, record: Record, value_of: dict[str, str]) -> FieldsReach:
        """What rules between fields write for their values."""
        bind = self.quick.frame.bind
        return FieldsReach(self.plan, record, value_of, lambda wire: bind(wire, "KEY"), "")

    def asked(self, rule: RecordRule, record: Record, reach: FieldsReach, frame: Frame) -> str:
        """The source of whether a rule between fields does not hold."""
        tests = [] if rule.needs_values else all_sent(record, rule, reach.value_of)
        tests += values_there(reach, rule, frame.bind)
        return all_of([*tests, f"not ({rule.condition(reach, frame.bind)})"])

    def rules(self, record: Record, frame: Frame) -> list[list[int]]:
        """The rules between fields: those that are a comparison, and one function for all the others."""
        attributes = [field.attribute for field in record.fields]
        value_of = {name: f"value_{number}" for number, name in enumerate(attributes)}
        reach = self.reach(record, value_of)
        rules, others = [], []
        for rule in record.rules:
            native = rule.native(reach, frame.bind)
            if native is None or self.asked(rule, record, reach, frame) != f"not ({rule.condition(reach, frame.bind)})":
                others.append(rule)
                continue
            sign, *names = native.held
            numbers = [attributes.index(str(name)) for name in names]
            rules.append([NUMBERED["RULE"].index("compare"), SIGNS.index(str(sign)), 0, 2, *numbers])
        if others:
            used = list(range(len(attributes)))
            tests = [f"not ({self.asked(rule, record, reach, frame)})" for rule in others]
            named = {f"value_{number}" for number in used}
            said = all_of(tests)
            used = [number for number in used if f"value_{number}" in _words(said) & named]
            function = self.function(frame, said, [f"value_{number}" for number in used])
            rules.append([NUMBERED["RULE"].index("call"), 0, function, len(used), *used])
        return rules


def _words(source: str) -> set[str]:
    """The names in source."""
    return set(re.findall(r"\w+", source))
