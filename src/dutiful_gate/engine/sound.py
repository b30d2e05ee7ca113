"""The function for the sound case: it does nothing but check and build, and gives up at the first doubt.

It may give up on data that is sound but unusual; the collecting function then has the last word.
"""

from __future__ import annotations

from ..declare.facts import FAILED, Source, Stop
from ..declare.kinds import Number
from ..declare.rules import Ceiling, Floor, Rule
from ..declare.steps import Step
from ..shape.nodes import Choice, Field, Items, Link, Nothing, Nullable, Record, Scalar, Use
from .plan import (
    Plan,
    build,
    choice_reader,
    choice_ready,
    default_source,
    is_lone_text,
    member_table,
)
from .program import Unit
from .runtime import attributes_of, is_blank
from .writer import Writer

_INLINE_FIELDS = 24
_INLINE_DEPTH = 3
_NESTED = 6
_GIVE_UP = "return FAILED"


def sound_unit(plan: Plan, *, note_unknown: bool) -> Unit:
    """The sound function of a gate. With `note_unknown` it gives up on keys nobody declared, so that they are told."""
    writer = SoundWriter(plan, note_unknown=note_unknown or plan.refuse_unknown)
    entry = writer.entry(plan.shape.root)
    return Unit(f"{plan.shape.name} sound", "\n\n\n".join(writer.functions) + "\n", writer.constants, entry)


class SoundWriter(Writer):
    """Writes sound functions for uses and records; `functions` holds the source of each."""

    def __init__(self, plan: Plan, *, note_unknown: bool) -> None:
        super().__init__()
        self.plan = plan
        self.note_unknown = note_unknown
        self.functions: list[str] = []
        self.constants.update({"FAILED": FAILED, "Stop": Stop})
        self._record_names: dict[str, str] = {}
        self._inlined: list[str] = []
        self._nesting = 0
        self._count = 0

    def entry(self, use: Use, name: str = "sound") -> str:
        """Write the function for a use; gives back its name."""
        with self.aside() as lines:
            with self.block(f"def {name}(data):"), self.block("try:"):
                self.read(use, "data")
                self.write("return data")
            self._close_try()
        self.functions.append("\n".join(lines))
        return name

    def record_function(self, key: str) -> str:
        """The name of the function for one record, written at the first asking."""
        if key not in self._record_names:
            # Records of one name have keys that differ, and generated code is told apart by number.
            name = self._record_names[key] = f"sound_record_{len(self._record_names) + 1}"
            nesting, self._nesting = self._nesting, 0
            inlined, self._inlined = self._inlined, [key]
            with self.aside() as lines:
                with self.block(f"def {name}(data):"), self.block("try:"):
                    self.record(self.plan.shape.records[key], "data")
                    self.write("return data")
                self._close_try()
            self._nesting, self._inlined = nesting, inlined
            self.functions.append("\n".join(lines))
        return self._record_names[key]

    def _close_try(self) -> None:
        self._indent += 1
        with self.block("except (KeyError, ValueError, RecursionError):"):
            self.write(_GIVE_UP)
        self._indent -= 1

    def read(self, use: Use, value: str) -> None:
        """Read the variable `value` in place, or give up."""
        if self._nesting >= _NESTED:
            self._apart(use, value)
            return
        match use.node:
            case Scalar():
                self.scalar(use.node, value, use.parts)
            case Nothing():
                blank = f" and not {self.bind(is_blank, 'is_blank')}({value})" if self._is_text else ""
                with self.block(f"if {value} is not None{blank}:"):
                    self.write(_GIVE_UP)
                if blank:
                    self.write(f"{value} = None")
            case Choice():
                self.choice(use.node, value)
            case Items(item):
                self.items(item, value)
            case Nullable(inner):
                self.nullable(inner, value)
            case Link(key):
                self.link(key, value)
        self.run(use.parts, value)

    @property
    def _is_text(self) -> bool:
        return self.plan.source is Source.TEXT

    def _apart(self, use: Use, value: str) -> None:
        """Too deep for one function: another one reads the value."""
        self._count += 1
        nesting, self._nesting = self._nesting, 0
        name = self.entry(use, f"sound_part_{self._count}")
        self._nesting = nesting
        self._called(name, value)

    def _called(self, name: str, value: str) -> None:
        self.write(f"{value} = {name}({value})")
        with self.block(f"if {value} is FAILED:"):
            self.write(_GIVE_UP)

    def scalar(self, node: Scalar, value: str, parts: tuple[Step | Rule, ...]) -> None:
        """Check a single value's kind, and read it where it is not ready."""
        kind, source = node.kind, self.plan.source
        self._one_of_list(value)
        ready = kind.ready(source, value, self.bind)
        reader = self.bind(kind.reader(source), kind.reader(source).__name__)
        if isinstance(kind, Number) and ready != "False" and _shut_in(parts):
            ready = f"{value}.__class__ is float"  # bounds on both sides keep NaN and infinities out
        if ready == "False":
            self._read_by(reader, value)
            return
        swift = kind.swift(source, value)
        with self.block(f"if not ({ready}):" if " and " in ready else f"if {ready.replace(' is ', ' is not ')}:"):
            if swift is None:
                self._read_by(reader, value)
                return
            test, expression = swift
            with self.block(f"if {test}:"):
                self.write(f"{value} = {expression}")
            with self.block("else:"):
                self._read_by(reader, value)

    def _read_by(self, reader: str, value: str) -> None:
        self.write(f"{value} = {reader}({value})")
        with self.block(f"if {value}.__class__ is Stop:"):
            self.write(_GIVE_UP)

    def _one_of_list(self, value: str) -> None:
        """Query parsers give every value as a list: one of one item is that item."""
        if self._is_text:
            with self.block(f"if {value}.__class__ is list and len({value}) == 1:"):
                self.write(f"{value} = {value}[0]")

    def choice(self, node: Choice, value: str) -> None:
        """Find the constant that came."""
        source = self.plan.source
        self._one_of_list(value)
        ready = choice_ready(self, node, source, value)
        if ready is not None and source is Source.JSON:
            with self.block(f"if not ({ready}):"):
                self.write(_GIVE_UP)
            return
        if node.owner is not None and source is Source.JSON and is_lone_text(node):
            with self.block(f"if {value}.__class__ is not str:"):
                self.write(_GIVE_UP)
            self.write(f"{value} = {self.bind(member_table(node), 'MEMBERS')}[{value}]")
            return
        self._called(choice_reader(self, node, source), value)

    def items(self, item: Use, value: str) -> None:
        """Read a list into a new list."""
        if self._is_text:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        with self.block(f"if {value}.__class__ is not list:"):
            self.write(_GIVE_UP)
        made = self.variable("made")
        each = self.variable("item")
        self.write(f"{made} = []")
        self._nesting += 1
        with self.block(f"for {each} in {value}:"):
            self.read(item, each)
            self.write(f"{made}.append({each})")
        self._nesting -= 1
        self.write(f"{value} = {made}")

    def nullable(self, inner: Use, value: str) -> None:
        """Read what is inside unless it is null."""
        if self.plan.may_be_blank(inner):
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        self._nesting += 1
        with self.block(f"if {value} is not None:"):
            self.read(inner, value)
        self._nesting -= 1

    def link(self, key: str, value: str) -> None:
        """Read a record: in place where it is small and not inside itself, else by its own function."""
        record = self.plan.shape.records[key]
        small = len(record.fields) <= _INLINE_FIELDS and len(self._inlined) < _INLINE_DEPTH
        if small and key not in self._inlined and key not in self.plan.shape.recursive:
            self._inlined.append(key)
            self.record(record, value)
            self._inlined.pop()
        else:
            self._called(self.record_function(key), value)

    def record(self, record: Record, value: str) -> None:
        """Read a record's fields, check its rules, build it."""
        if self.plan.source is Source.NATIVE:
            names = self.bind(tuple((field.attribute, field.wire) for field in record.fields), "NAMES")
            with self.block(f"if {value}.__class__ is {self.bind_class(record.builder)}:"):
                self.write(f"{value} = {self.bind(attributes_of, 'attributes_of')}({value}, {names})")
        with self.block(f"if {value}.__class__ is not dict:"):
            self.write(_GIVE_UP)
        required = sum(field.required for field in record.fields)
        known = str(required)
        if self.note_unknown and required != len(record.fields):
            known = self.variable("known")
            self.write(f"{known} = {required}")
        value_of = {field.attribute: self.field(field, value, known) for field in record.fields}
        if self.note_unknown:
            with self.block(f"if len({value}) != {known}:"):
                self.write(_GIVE_UP)
        self.record_rules(record, value_of)
        build(self, record, value, value_of)

    def field(self, field: Field, record: str, known: str) -> str:
        """Read one field into a variable of its own; gives back the variable's name."""
        value = self.variable(field.attribute)
        key = self.key(field.wire, trusted=field.wire == field.attribute)
        if field.required:
            self.write(f"{value} = {record}[{key}]")
            self.read(field.use, value)
            return value
        self._nesting += 1
        with self.block(f"if {key} in {record}:"):
            if self.note_unknown:
                self.write(f"{known} += 1")
            self.write(f"{value} = {record}[{key}]")
            if self.plan.may_be_blank(field.use) and not field.use.nullable:
                with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                    self.write(f"{value} = {default_source(self, field)}")
                with self.block("else:"):
                    self.read(field.use, value)
            else:
                self.read(field.use, value)
        with self.block("else:"):
            self.write(f"{value} = {default_source(self, field)}")
        self._nesting -= 1
        return value

    def record_rules(self, record: Record, value_of: dict[str, str]) -> None:
        """Check what fields must be to each other."""
        nullable = {field.attribute for field in record.fields if field.use.nullable}
        for rule in record.rules:
            there = "".join(f"{value_of[name]} is not None and " for name in rule.fields if name in nullable)
            with self.block(f"if {there}not {rule.condition(value_of, self.bind)}:"):
                self.write(_GIVE_UP)

    def run(self, parts: tuple[Step | Rule, ...], value: str) -> None:
        """Steps and rules in order; rules that stand together are one test."""
        conditions: list[str] = []
        for part in parts:
            if isinstance(part, Rule):
                conditions.append(part.condition(value, self.bind))
                continue
            self._test(conditions)
            conditions = []
            self.write(f"{value} = {part.expression(value, self.bind)}")
        self._test(conditions)

    def _test(self, conditions: list[str]) -> None:
        if conditions:
            joined = " and ".join(f"{condition}" for condition in conditions)
            with self.block(f"if not ({joined}):"):
                self.write(_GIVE_UP)


def _shut_in(parts: tuple[Step | Rule, ...]) -> bool:
    """Whether bounds on both sides keep infinities and NaN out by themselves."""
    finite = [part for part in parts if isinstance(part, Floor | Ceiling) and _is_finite(part)]
    sides = {type(part) for part in finite}
    return len(sides) == 2 or any(isinstance(part, Rule) and part.bounds_both_sides for part in parts)


def _is_finite(rule: Floor | Ceiling) -> bool:
    end = rule.floor if isinstance(rule, Floor) else rule.ceiling
    return bool(abs(end) != float("inf"))
