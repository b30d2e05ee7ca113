"""The function for the sound case: it does nothing but check and build, and gives up at the first doubt.

It may give up on data that is sound but unusual; the collecting function then has the last word.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from ..declare.embedded import Embedded
from ..declare.facts import FAILED, Source, Stop
from ..declare.kinds import Kind, Number
from ..declare.rules import Ceiling, Floor, Rule
from ..declare.steps import Step
from ..shape.nodes import (
    Branches,
    Choice,
    Entries,
    Field,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Record,
    Scalar,
    Use,
)
from ..source.program import Unit
from ..source.writer import Writer
from .plan import (
    Plan,
    after_making,
    all_sent,
    build,
    choice_reader,
    choice_ready,
    default_source,
    is_lone_text,
    is_text,
    known_keys,
    may_be_blank,
    member_table,
    presence_of,
    record_condition,
)
from .runtime import ABSENT, attributes_of, gathered, is_blank, split, tag_chooser

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

    def __init__(self, plan: Plan, *, note_unknown: bool, inline: int = _INLINE_DEPTH) -> None:
        super().__init__()
        self.inline = inline
        self.plan = plan
        self.source = plan.source
        self.note_unknown = note_unknown
        self.functions: list[str] = []
        self.constants.update({"FAILED": FAILED, "Stop": Stop, "ABSENT": ABSENT})
        self._record_names: dict[tuple[str, Source], str] = {}
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
        if (key, self.source) not in self._record_names:
            # Records of one name have keys that differ, and generated code is told apart by number.
            name = self._record_names[key, self.source] = f"sound_record_{len(self._record_names) + 1}"
            nesting, self._nesting = self._nesting, 0
            inlined, self._inlined = self._inlined, [key]
            with self.aside() as lines:
                with self.block(f"def {name}(data):"), self.block("try:"):
                    self.record(self.plan.shape.records[key], "data")
                    self.write("return data")
                self._close_try()
            self._nesting, self._inlined = nesting, inlined
            self.functions.append("\n".join(lines))
        return self._record_names[key, self.source]

    def part(self, use: Use) -> str:
        """The name of a new function that reads a use."""
        self._count += 1
        nesting, self._nesting = self._nesting, 0
        name = self.entry(use, f"sound_part_{self._count}")
        self._nesting = nesting
        return name

    def _close_try(self) -> None:
        self._indent += 1
        with self.block("except (KeyError, ValueError, OverflowError, RecursionError):"):
            self.write(_GIVE_UP)
        self._indent -= 1

    @contextmanager
    def reading(self, source: Source) -> Iterator[None]:
        """Write what reads from another source for a while."""
        before, self.source = self.source, source
        yield
        self.source = before

    def read(self, use: Use, value: str) -> None:
        """Read the variable `value` in place, or give up."""
        if self._nesting >= _NESTED:
            self._called(self.part(use), value)
            return
        self.fitting(use.fits, value)
        if use.blank:
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        if use.split and self.source is not Source.NATIVE:
            self._one_of_list(value)
            with self.block(f"if {value}.__class__ is not str:"):
                self.write(_GIVE_UP)
            self.write(f"{value} = {self.bind(split, 'split')}({value}, {self.bind(use.split, 'SEPARATOR')})")
            with self.reading(Source.TEXT):
                self.node(use, value)
        elif self.source is Source.NATIVE and (made := after_making(use.parts)) is not None:
            self.run(made, value)  # what a function of one's own made is there already
            return
        elif use.via is not None and self.source is not Source.NATIVE:
            self.read(use.via, value)
            with self.reading(Source.TEXT if use.via.facts.text else Source.JSON):
                self.node(use, value)
        else:
            self.node(use, value)
        self.run(use.parts, value)

    def fitting(self, fits: tuple[Embedded, ...], value: str) -> None:
        """Judge what came by the documents that stand beside it."""
        for document in fits if self.source is Source.JSON else ():
            with self.block(f"if not {self.bind(document.sound, 'FITS')}({value}):"):
                self.write(_GIVE_UP)

    def node(self, use: Use, value: str) -> None:
        """Read what a use holds, before its steps and rules."""
        match use.node:
            case Scalar(kind):
                self.scalar(kind, value, use.parts)
            case Nothing():
                blank = f" and not {self.bind(is_blank, 'is_blank')}({value})" if self._is_text else ""
                with self.block(f"if {value} is not None{blank}:"):
                    self.write(_GIVE_UP)
                if blank:
                    self.write(f"{value} = None")
            case Choice():
                self.choice(use.node, value)
            case Items(item, into):
                self.items(item, into, value)
            case Fixed(items):
                self.fixed(items, value)
            case Entries(key, held):
                self.entries(key, held, value)
            case Branches():
                self.branches(use.node, value)
            case Nullable(inner):
                self.nullable(inner, value)
            case Link(key):
                self.link(key, value)

    @property
    def _is_text(self) -> bool:
        return self.source is Source.TEXT

    def _called(self, name: str, value: str) -> None:
        self.write(f"{value} = {name}({value})")
        with self.block(f"if {value} is FAILED:"):
            self.write(_GIVE_UP)

    def scalar(self, kind: Kind, value: str, parts: tuple[Step | Rule, ...]) -> None:
        """Check a single value's kind, and read it where it is not ready."""
        kind = self.plan.fitted(kind)
        source = self.source
        self._one_of_list(value)
        ready = kind.ready(source, value, self.bind)
        if ready == "True":
            return
        read = kind.reader(source)
        reader = self.bind(read, read.__name__)
        if type(kind) is Number and ready != "False" and _shut_in(parts):
            ready = f"{value}.__class__ is float"  # bounds on both sides keep NaN and infinities out
        swift = kind.swift(source, value, self.bind)
        if ready == "False":
            self._swift_or_read(swift, reader, value)
            return
        plain = " and " in ready or " or " in ready
        with self.block(f"if not ({ready}):" if plain else f"if {ready.replace(' is ', ' is not ')}:"):
            self._swift_or_read(swift, reader, value)

    def _swift_or_read(self, swift: tuple[str, str] | None, reader: str, value: str) -> None:
        """Read by the expression for a common case where it applies, else by the reader."""
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
        source = self.source
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

    def _open_list(self, value: str, into: str) -> None:
        if self._is_text:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        wanted = into if self.source is Source.NATIVE else "list"
        with self.block(f"if {value}.__class__ is not {wanted} or len({value}) > {self.plan.limits.items}:"):
            self.write(_GIVE_UP)

    def items(self, item: Use, into: str, value: str) -> None:
        """Read a collection into a new one."""
        self._open_list(value, into)
        made, each = self.variable("made"), self.variable("item")
        self.write(f"{made} = []")
        self._nesting += 1
        with self.block(f"for {each} in {value}:"):
            self.read(item, each)
            self.write(f"{made}.append({each})")
        self._nesting -= 1
        self.write(f"{value} = {made}" if into == "list" else f"{value} = {into}({made})")
        if into in ("set", "frozenset"):
            with self.block(f"if len({value}) != len({made}):"):
                self.write(_GIVE_UP)

    def fixed(self, items: tuple[Use, ...], value: str) -> None:
        """Read a tuple of a fixed number of items."""
        wanted = "tuple" if self.source is Source.NATIVE else "list"
        with self.block(f"if {value}.__class__ is not {wanted} or len({value}) != {len(items)}:"):
            self.write(_GIVE_UP)
        names = [self.variable("item") for _ in items]
        if names:
            self.write(f"{', '.join(names)}, = {value}")
        for name, item in zip(names, items, strict=True):
            self.read(item, name)
        self.write(f"{value} = ({''.join(name + ', ' for name in names)})")

    def entries(self, key: Use, held: Use, value: str) -> None:
        """Read a dict into a new one."""
        with self.block(f"if {value}.__class__ is not dict or len({value}) > {self.plan.limits.items}:"):
            self.write(_GIVE_UP)
        made, name, each = self.variable("made"), self.variable("key"), self.variable("held")
        self.write(f"{made} = {{}}")
        plain = is_text(key)
        self._nesting += 1
        with self.block(f"for {name}, {each} in {value}.items():"):
            source = Source.NATIVE if self.source is Source.NATIVE else self.source if plain else Source.TEXT
            if source is Source.TEXT and self.source is Source.JSON:
                with self.block(f"if {name}.__class__ is not str or {name} != {name}.strip():"):
                    self.write(_GIVE_UP)
            with self.reading(source):
                self.read(key, name)
            self.read(held, each)
            self.write(f"{made}[{name}] = {each}")
        self._nesting -= 1
        if not plain or key.parts:
            with self.block(f"if len({made}) != len({value}):"):
                self.write(_GIVE_UP)
        self.write(f"{value} = {made}")

    def branches(self, node: Branches, value: str) -> None:
        """Read by the option that the tag tells, or by the first that will do."""
        if node.tag and self.source is not Source.NATIVE:
            which = self.variable("which")
            with self.block(f"if {value}.__class__ is not dict:"):
                self.write(_GIVE_UP)
            key = self.bind(node.tag, "TAG")
            self.write(f"{which} = {self.bind(tag_chooser(node.tags), 'WHICH')}({value}[{key}])")
            for number, option in enumerate(node.options):
                self._nesting += 1
                with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                    self.read(option, value)
                self._nesting -= 1
            with self.block("else:"):
                self.write(_GIVE_UP)
            return
        read = self.variable("read")
        for number, option in enumerate(node.options):
            name = self.part(option)
            if number:
                self.write(f"if {read} is FAILED: {read} = {name}({value})")
            else:
                self.write(f"{read} = {name}({value})")
        with self.block(f"if {read} is FAILED:"):
            self.write(_GIVE_UP)
        self.write(f"{value} = {read}")

    def nullable(self, inner: Use, value: str) -> None:
        """Read what is inside unless it is null."""
        if may_be_blank(inner, self.source):
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        self._nesting += 1
        with self.block(f"if {value} is not None:"):
            self.read(inner, value)
        self._nesting -= 1

    def link(self, key: str, value: str) -> None:
        """Read a record: in place where it is small and not inside itself, else by its own function."""
        record = self.plan.shape.records[key]
        small = len(record.fields) <= _INLINE_FIELDS and len(self._inlined) < self.inline
        if small and key not in self._inlined and key not in self.plan.shape.recursive:
            self._inlined.append(key)
            self.record(record, value)
            self._inlined.pop()
        else:
            self._called(self.record_function(key), value)

    def record(self, record: Record, value: str) -> None:
        """Read a record's fields, check its rules, build it."""
        if self.source is Source.NATIVE and record.form != "dict":
            every = (*record.fields, *([record.rest] if record.rest else ()))
            names = self.bind(tuple((field.attribute, field.wire) for field in every), "NAMES")
            with self.block(f"if {value}.__class__ is {self.bind_class(record.builder)}:"):
                self.write(f"{value} = {self.bind(attributes_of, 'attributes_of')}({value}, {names})")
        with self.block(f"if {value}.__class__ is not dict:"):
            self.write(_GIVE_UP)
        self.fitting(record.fits, value)
        required = sum(field.required for field in record.fields)
        known = str(required)
        counting = self.note_unknown or record.rest is not None
        if counting and required != len(record.fields):
            known = self.variable("known")
            self.write(f"{known} = {required}")
        value_of = {field.attribute: self.field(field, value, known if counting else "") for field in record.fields}
        if record.rest is not None:
            value_of[record.rest.attribute] = self.rest(record, record.rest, value, known)
        elif self.note_unknown:
            with self.block(f"if len({value}) != {known}:"):
                self.write(_GIVE_UP)
        self.record_rules(record, value_of)
        build(self, record, value, value_of)
        for check in record.checks:
            with self.block(f"if {self.bind(check.function, 'CHECK')}({value}) is False:"):
                self.write(_GIVE_UP)

    def rest(self, record: Record, field: Field, value: str, known: str) -> str:
        """Gather the keys that nobody declared."""
        held = self.variable(field.attribute)
        wires = self.bind(known_keys(self.plan, record), "KNOWN")
        self.write(f"{held} = {self.bind(gathered, 'gathered')}({value}, {wires}) if len({value}) != {known} else {{}}")
        if self.source is Source.NATIVE:
            self.write(f"{held} = {held}.pop({self.bind(field.wire, 'KEY')}, {held})")
        self._nesting += 1
        with self.block(f"if {held}:"):
            self.read(field.use, held)
        self._nesting -= 1
        return held

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
            if known:
                self.write(f"{known} += 1")
            self.write(f"{value} = {record}[{key}]")
            if may_be_blank(field.use, self.source) and not field.use.nullable:
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
        fields = {field.attribute: field for field in record.fields}
        for rule in record.rules:
            condition = record_condition(fields, value_of, rule, self.bind)
            there = ""
            if rule.needs_values:
                tests = presence_of(fields, value_of)
                there = "".join(f"{tests[name]} and " for name in rule.fields if tests[name] != "True")
            else:
                there = "".join(f"{test} and " for test in all_sent(record, rule, value_of))
            with self.block(f"if {there}not ({condition}):"):
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
            with self.block(f"if not ({' and '.join(conditions)}):"):
                self.write(_GIVE_UP)


def _shut_in(parts: tuple[Step | Rule, ...]) -> bool:
    """Whether bounds on both sides keep infinities and NaN out by themselves."""
    if parts and isinstance(parts[0], Step):
        return False
    finite = [part for part in parts if isinstance(part, Floor | Ceiling) and _is_finite(part)]
    sides = {type(part) for part in finite}
    return len(sides) == 2 or any(isinstance(part, Rule) and part.bounds_both_sides for part in parts)


def _is_finite(rule: Floor | Ceiling) -> bool:
    end = rule.floor if isinstance(rule, Floor) else rule.ceiling
    return isinstance(end, int | float) and bool(abs(end) != float("inf"))
