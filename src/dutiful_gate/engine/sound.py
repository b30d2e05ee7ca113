"""The function for the sound case: it does nothing but check and build, and gives up at the first doubt.

It may give up on data that is sound but unusual; the collecting function then has the last word. Whatever goes wrong in
it is a reason to give up, but for what functions of the developer's own raise: that passes (see `own`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from ..declare.blanks import BLANKS, is_blank
from ..declare.embedded import Embedded
from ..declare.facts import ANY_VALUE, FAILED, Facts, Own, Source, Stop
from ..declare.kinds import Kind, Number
from ..declare.rules import Ceiling, Floor, Rule
from ..declare.steps import Step
from ..shape.nodes import (
    Alias,
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
from ..shape.walk import every
from ..source.program import Unit
from .crowds import crowded, spreads
from .own import Passing
from .pen import EngineWriter
from .plan import (
    Plan,
    after_making,
    all_sent,
    build,
    choice_reader,
    choice_ready,
    collection,
    default_source,
    is_lone_text,
    is_text,
    known_keys,
    may_be_blank,
    may_retry,
    member_table,
    options_in_order,
    passed_over,
    presence_of,
    record_condition,
    tag_reader,
    takes_null,
)
from .runtime import ABSENT, LEAVES, Memory, attributes_of, gathered, remade, split, under_one_name

_INLINE_FIELDS = 24
_INLINE_DEPTH = 3
_NESTED = 6
_GIVE_UP = "return FAILED"
_CHECKS = "    # checks of the classes"


def sound_unit(plan: Plan, *, note_unknown: bool, anew: Callable[[Any], Any]) -> Unit:
    """The sound function of a gate. With `note_unknown` it gives up on keys nobody declared, so that they are told.

    `anew` is called in its place once a class is no longer what it was when the function was written.
    """
    writer = SoundWriter(plan, note_unknown=note_unknown or plan.refuse_unknown)
    entry = writer.entry(plan.shape.root, top=True)
    writer.finish()
    source = "\n\n\n".join(writer.functions) + "\n"
    source = source.replace(_CHECKS, checks_of(writer, writer.kept, f"return {writer.bind(anew, 'ANEW')}(data)"), 1)
    return Unit(f"{plan.shape.name} sound", source, writer.constants, entry, carries=writer.carries)


def checks_of(writer: EngineWriter, kept: dict[type, str], otherwise: str) -> str:
    """The lines that look whether classes are still made as they were: somebody may have changed them since."""
    tests = []
    for declared, name in kept.items():
        made: Any = declared
        for word, was in (("__init__", made.__init__), ("__new__", made.__new__), ("__setattr__", made.__setattr__)):
            tests.append(f"{name}.{word} is not {writer.bind(was, 'KEPT')}")
    return f"    if {' or '.join(tests)}:\n        {otherwise}" if tests else ""


class SoundWriter(EngineWriter):
    """Writes sound functions for uses and records; `functions` holds the source of each."""

    def __init__(self, plan: Plan, *, note_unknown: bool, inline: int = _INLINE_DEPTH, again: bool = False) -> None:
        super().__init__(plan)
        self.most_inline = inline
        self.note_unknown = note_unknown
        # Whether it is only asked if there is a value: then it does not matter which option of a union gives it.
        self.only_asks = False
        self.functions: list[str] = []
        self.constants.update({"FAILED": FAILED, "Stop": Stop, "ABSENT": ABSENT, "Passing": Passing})
        # Where records hold themselves, nothing is read twice, for two options of a union or for its faults: else each
        # level would double the work.
        self.more = ", memory" if plan.shape.recursive and (again or may_retry(plan)) else ""
        self._record_names: dict[tuple[str, Source, bool, bool, bool], str] = {}
        self._waiting: list[Callable[[], None]] = []
        self._inlined: list[str] = []
        self._nesting = 0
        self._count = 0

    def finish(self) -> None:
        """Write the functions that were named and not written yet, one after the other."""
        while self._waiting:
            self._waiting.pop(0)()

    @property
    def unfinished(self) -> bool:
        """Whether functions were named that are not written yet."""
        return bool(self._waiting)

    def entry(self, use: Use, name: str = "sound", *, top: bool = False) -> str:
        """Write the function for a use; gives back its name."""
        with self.aside() as lines:
            with self.block(f"def {name}(data{'' if top else self.more}):"):
                if top:
                    self.lines.append(_CHECKS)
                    if self.more:
                        self.write(f"memory = {self.bind(Memory, 'Memory')}()")
                with self.block("try:"):
                    self.whole(use)
            self._close_try()
        self.functions.append("\n".join(lines))
        return name

    def function_of(self, key: str) -> str:
        """The name of the function for one record or alias, written later."""
        mark = (key, self.source, self.hidden, self.note_unknown, self.only_asks)
        if mark not in self._record_names:
            # Records of one name have keys that differ, and generated code is told apart by number.
            name = self._record_names[mark] = f"sound_{self.noun_of(key)}_{len(self._record_names) + 1}"
            self._waiting.append(lambda: self._write_function(name, *mark))
        return self._record_names[mark]

    def _write_function(
        self, name: str, key: str, source: Source, hidden: bool, note_unknown: bool, only_asks: bool
    ) -> None:
        with self.taking(note_unknown=note_unknown, only_asks=only_asks):
            self._write_function_of(name, key, source, hidden=hidden)

    @contextmanager
    def taking(self, *, note_unknown: bool, only_asks: bool) -> Iterator[None]:
        """Write what gives up on keys nobody declared, or not; what only asks, or not."""
        before = self.note_unknown, self.only_asks
        self.note_unknown, self.only_asks = note_unknown, only_asks
        yield
        self.note_unknown, self.only_asks = before

    def _write_function_of(self, name: str, key: str, source: Source, *, hidden: bool) -> None:
        nesting, self._nesting = self._nesting, 0
        inlined, self._inlined = self._inlined, [key]
        before, self.hidden, self.inline = (self.hidden, self.inline), hidden, not hidden
        remembers = bool(self.more) and key in self.plan.shape.recursive
        body = f"{name}_read" if remembers else name
        with self.reading(source), self.inside(key), self.aside() as lines:
            with self.block(f"def {body}(data{self.more}):"), self.block("try:"):
                if key in self.plan.shape.aliases:
                    self.whole(self.plan.shape.aliases[key])
                else:
                    self.body(self.plan.shape.records[key])
            self._close_try()
        self.functions.append("\n".join(lines))
        if remembers:
            self.functions.append(
                f"def {name}(data, memory):\n"
                f"    if data.__class__ in {self.bind(LEAVES, 'LEAVES')}:\n"
                f"        return {body}(data, memory)\n"
                f"    mark = ({name!r}, id(data))\n"
                f"    if mark in memory.failed:\n"
                f"        return FAILED\n"
                f"    spare = memory.spare and memory.spare.get(mark)\n"
                f"    read = spare.pop() if spare else {body}(data, memory)\n"
                f"    if read is FAILED:\n"
                f"        memory.failed[mark] = data\n"
                f"    else:\n"
                f"        memory.made.append((mark, data, read))\n"
                f"    return read"
            )
        self.hidden, self.inline = before
        self._nesting, self._inlined = nesting, inlined

    def whole(self, use: Use) -> None:
        """The body of a function for a use."""
        self.read(use, "data")
        self.write("return data")

    def body(self, record: Record) -> None:
        """The body of a function for a record."""
        self.record(record, "data")
        self.write("return data")

    def part(self, use: Use) -> str:
        """The name of a new function that reads a use."""
        self._count += 1
        nesting, self._nesting = self._nesting, 0
        name = self.entry(use, f"sound_part_{self._count}")
        self._nesting = nesting
        return name

    def _close_try(self) -> None:
        self._indent += 1
        with self.block("except Passing:"):
            self.write("raise")
        with self.block("except Exception:"):
            self.write(_GIVE_UP)
        self._indent -= 1

    def read(self, use: Use, value: str) -> None:
        """Read the variable `value` in place, or give up."""
        if self._nesting >= _NESTED:
            self._called(self.part(use), value)
            return
        with self.at(use):
            self._read(use, value)

    def _read(self, use: Use, value: str) -> None:
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
            self.run(made, value, ANY_VALUE)  # what a function of one's own made is there already
            return
        elif use.via is not None and self.source is not Source.NATIVE:
            self.read(use.via, value)
            with self.reading(Source.TEXT if use.via.facts.text else Source.JSON):
                self.node(use, value)
        else:
            self.node(use, value)
        self.run(use.parts, value, use.node.facts)

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
            case Alias(key):
                self._called(self.function_of(key), value)

    def _renamed(self, field: Field, record: str) -> None:
        """A field that came under another of its names is looked for under its own."""
        also = self.bind(field.also, "ALSO")
        wire = self.bind(field.wire, "KEY")
        self.write(f"{record} = {self.bind(under_one_name, 'under_one_name')}({record}, {wire}, {also})")
        with self.block(f"if {record} is None:"):
            self.write(_GIVE_UP)

    @property
    def _is_text(self) -> bool:
        return self.source is Source.TEXT

    def _called(self, name: str, value: str) -> None:
        self.write(f"{value} = {name}({value}{self.more})")
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
        self.write(f"{value} = {choice_reader(self, node, source)}({value})")
        with self.block(f"if {value} is FAILED:"):
            self.write(_GIVE_UP)

    def _open_list(self, value: str, into: str) -> None:
        if self._is_text and not self.circular:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        wanted = collection(self, into) if self.source is Source.NATIVE else "list"
        with self.block(f"if {value}.__class__ is not {wanted} or len({value}) > {self.plan.limits.items}:"):
            self.write(_GIVE_UP)

    def items(self, item: Use, into: str, value: str) -> None:
        """Read a collection into a new one."""
        self._open_list(value, into)
        made, each = self.variable("made"), self.variable("item")
        self.write(f"{made} = []")
        soon = self.soon() if into in ("set", "frozenset") and not spreads(item) else ""
        self._nesting += 1
        with self.block(f"for {each} in {value}:"):
            self.read(item, each)
            self.write(f"{made}.append({each})")
            if soon:
                with self.looked_at_soon(made, soon):
                    self.write(_GIVE_UP)
        self._nesting -= 1
        if into in ("set", "frozenset") and not spreads(item):
            with self.block(f"if {self.bind(crowded, 'crowded')}({made}):"):
                self.write(_GIVE_UP)
        self.write(f"{value} = {made}" if into == "list" else f"{value} = {collection(self, into)}({made})")
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
        plain, safe = is_text(key), spreads(key)
        self.write(f"{made} = {'{}' if safe else '[]'}")
        self._nesting += 1
        with self.block(f"for {name}, {each} in {value}.items():"):
            source = Source.NATIVE if self.source is Source.NATIVE else self.source if plain else Source.TEXT
            if source is Source.TEXT and self.source is Source.JSON:
                with self.block(
                    f"if {name}.__class__ is not str or {name} != {name}.strip({self.bind(BLANKS, 'BLANKS')}):"
                ):
                    self.write(_GIVE_UP)
            with self.reading(source):
                self.read(key, name)
            self.read(held, each)
            self.write(f"{made}[{name}] = {each}" if safe else f"{made}.append(({name}, {each}))")
        self._nesting -= 1
        if not safe:
            with self.block(f"if {self.bind(crowded, 'crowded')}([each[0] for each in {made}]):"):
                self.write(_GIVE_UP)
            self.write(f"{made} = dict({made})")
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
            self.write(f"{which} = {tag_reader(self, node, self.plan, self.source)}({value}[{key}])")
            if node.held:
                inner = self.variable("inner")
                self.write(f"{inner} = {value}[{self.bind(node.held, 'HELD')}]")
                with self.block(f"if len({value}) != 2:"):
                    self.write(_GIVE_UP)
                self.write(f"{value} = {inner}")
            for number, option in enumerate(node.options):
                self._nesting += 1
                with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                    self.read(option, value)
                self._nesting -= 1
            with self.block("else:"):
                self.write(_GIVE_UP)
            return
        read = self.variable("read")
        start = self.remembering()
        # The option that drops the fewest keys is chosen: here one that drops none, else the collecting function does.
        choosing = not self.only_asks and any(map(self.may_drop, node.options))
        for number, option in enumerate(options_in_order(self.plan, node, self.source)):
            with self.taking(note_unknown=self.note_unknown or choosing, only_asks=self.only_asks):
                name = self.part(option)
            never = passed_over(option, self.plan) if self.source is Source.JSON else frozenset()
            tests = [f"{read} is FAILED"] if number else []
            tests += [f"{value}.__class__ not in {self.bind(never, 'OTHERS')}"] if never else []
            if not number:
                self.write(f"{read} = FAILED")
            with self.block(f"if {' and '.join(tests) or 'True'}:"):
                if number:
                    self.undone(start)
                self.write(f"{read} = {name}({value}{self.more})")
        with self.block(f"if {read} is FAILED:"):
            self.write(_GIVE_UP)
        self.write(f"{value} = {read}")

    def may_drop(self, use: Use) -> bool:
        """Whether keys that nobody declared may stand in a value."""
        return any(isinstance(each.node, Link | Alias) for each in every(use))

    def remembering(self) -> str:
        """A variable for how much was made before the options of a union are tried, "" where that is not counted."""
        if not self.more:
            return ""
        start = self.variable("start")
        self.write(f"{start} = len(memory.made)")
        return start

    def undone(self, start: str) -> None:
        """What an option made that came to nothing may serve the next one."""
        if start:
            with self.block(f"if len(memory.made) != {start}:"):
                self.write(f"memory.undone({start})")

    def nullable(self, inner: Use, value: str) -> None:
        """Read what is inside unless it is null."""
        if may_be_blank(inner, self.source, self.plan.shape.aliases):
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        self._nesting += 1
        with self.block(f"if {value} is not None:"):
            self.read(inner, value)
        self._nesting -= 1

    def link(self, key: str, value: str) -> None:
        """Read a record: in place where it is small and not inside itself, else by its own function."""
        record = self.plan.shape.records[key]
        small = len(record.fields) <= _INLINE_FIELDS and len(self._inlined) < self.most_inline
        if small and key not in self._inlined and key not in self.plan.shape.recursive:
            self._inlined.append(key)
            with self.inside(key):
                self.record(record, value)
            self._inlined.pop()
        else:
            self._called(self.function_of(key), value)

    def record(self, record: Record, value: str) -> None:
        """Read a record's fields, check its rules, build it."""
        if self.plan.outgoing and record.computed:  # only the collecting function asks for what is computed
            self.write(_GIVE_UP)
            return
        where = self.where
        came = ""
        if self.source is Source.NATIVE and record.form != "dict":
            came = self.variable("came")
            self.write(f"{came} = None")
            names = self.bind(native_names(record), "NAMES")
            with self.block(f"if isinstance({value}, {self.bind_class(record.builder)}):"):
                self.write(f"{came} = {value}")
                self.write(f"{value} = {self.bind(attributes_of, 'attributes_of')}({value}, {names})")
        # What a reader of CSV gives for cells past the header stands under None.
        too_long = f" or None in {value}" if self._is_text else ""
        with self.block(f"if {value}.__class__ is not dict{too_long}:"):
            self.write(_GIVE_UP)
        self.fitting(record.fits, value)
        required = sum(field.required for field in record.fields)
        known = str(required)
        counting = self.note_unknown or record.rest is not None
        if counting and required != len(record.fields):
            known = self.variable("known")
            self.write(f"{known} = {required}")
        value_of = {}
        for field in record.fields:
            self.where = f"{record.name}.{field.attribute}"
            value_of[field.attribute] = self.field(field, value, known if counting else "", came)
        self.where = record.name
        if record.rest is not None:
            value_of[record.rest.attribute] = self.rest(record, record.rest, value, known)
        elif self.note_unknown:
            with self.block(f"if len({value}) != {known}{f' and {came} is None' if came else ''}:"):
                self.write(_GIVE_UP)
        self.record_rules(record, value_of, came)
        outlined, self.outlined = self.outlined, self.hidden or record.key in self.plan.shape.guarded
        self._make(record, value, value_of, came)
        for check in record.checks:
            with self.block(f"if {self.bind(Own(check.function), 'CHECK')}({value}) is False:"):
                self.write(_GIVE_UP)
        self.outlined, self.where = outlined, where

    def _make(self, record: Record, value: str, value_of: dict[str, str], came: str) -> None:
        """Make the record; one that came as such stays of its class, and its constructor does not run again."""
        if not came:
            build(self, record, value, value_of)
            return
        with self.block(f"if {came} is None:"):
            build(self, record, value, value_of)
        stored = [field.attribute for field in record.fields if not field.only_given]
        stored += [record.rest.attribute] if record.rest is not None else []
        held = "".join(f"{value_of[name]}, " for name in stored)
        with self.block("else:"):
            self.write(
                f"{value} = {self.bind(remade, 'remade')}({came}, {self.bind(tuple(stored), 'STORED')}, ({held}))"
            )

    def rest(self, record: Record, field: Field, value: str, known: str) -> str:
        """Gather the keys that nobody declared."""
        held = self.variable(field.attribute)
        wires = self.bind(known_keys(self.plan, record), "KNOWN")
        if self.source is Source.NATIVE:
            self.write(f"{held} = {self.bind(gathered, 'gathered')}({value}, {wires})")
            self.write(f"{held} = {held}.pop({self.bind(field.wire, 'KEY')}, {held})")
        else:
            whole = f"{self.bind(gathered, 'gathered')}({value}, {wires})"
            self.write(f"{held} = {whole} if len({value}) != {known} else {{}}")
        self._nesting += 1
        if field.use.parts:
            self.read(field.use, held)
        else:
            with self.block(f"if {held}:"):
                self.read(field.use, held)
        self._nesting -= 1
        return held

    def field(self, field: Field, record: str, known: str, came: str = "") -> str:
        """Read one field into a variable of its own; gives back the variable's name."""
        value = self.variable(field.attribute)
        key = self.key(field.wire, trusted=field.wire == field.attribute)
        if came and field.only_given:  # what only the constructor takes, no record has
            with self.block(f"if {came} is not None:"):
                self.write(f"{value} = None")
            self._nesting += 1
            with self.block("else:"):
                value = self._field(field, record, known, value, key)
            self._nesting -= 1
            return value
        return self._field(field, record, known, value, key)

    def _field(self, field: Field, record: str, known: str, value: str, key: str) -> str:
        if field.also:
            self._renamed(field, record)
        if field.required:
            self.write(f"{value} = {record}[{key}]")
            self._not_short(field, value)
            self.read(field.use, value)
            return value
        self._nesting += 1
        with self.block(f"if {key} in {record}:"):
            if known:
                self.write(f"{known} += 1")
            self.write(f"{value} = {record}[{key}]")
            self._not_short(field, value)
            if may_be_blank(field.use, self.source, self.plan.shape.aliases) and not field.use.nullable:
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

    def _not_short(self, field: Field, value: str) -> None:
        """Give up where a row ends before a field: None is what a reader of CSV gives for it."""
        if self._is_text and not takes_null(field.use, self.plan.shape.aliases):
            with self.block(f"if {value} is None:"):
                self.write(_GIVE_UP)

    def record_rules(self, record: Record, value_of: dict[str, str], came: str = "") -> None:
        """Check what fields must be to each other."""
        fields = {field.attribute: field for field in record.fields}
        tests = presence_of(fields, value_of) if record.rules else {}
        given = {field.attribute for field in record.fields if field.only_given}
        for rule in record.rules:
            condition = record_condition(fields, value_of, rule, self.bind, tests)
            if rule.needs_values:
                there = "".join(f"{tests[name]} and " for name in rule.fields if tests[name] != "True")
            else:
                there = "".join(f"{test} and " for test in all_sent(record, rule, value_of))
            if came and given.intersection(rule.fields):
                there = f"{came} is None and {there}"
            with self.block(f"if {there}not ({condition}):"):
                self.write(_GIVE_UP)

    def run(self, parts: tuple[Step | Rule, ...], value: str, facts: Facts) -> None:
        """Steps and rules in order; rules that stand together are one test."""
        conditions: list[str] = []
        for part in parts:
            takes = part.takes() if facts.open else None
            if takes is not None:
                conditions.append(f"{self.bind(takes.fits, 'takes')}({value})")
            if isinstance(part, Rule):
                write = part.open_condition if facts.open else part.condition
                conditions.append(write(value, self.bind))
                continue
            self._test(conditions)
            conditions = []
            facts = part.suits(facts)
            self.write(f"{value} = {part.expression(value, self.bind)}")
        self._test(conditions)

    def _test(self, conditions: list[str]) -> None:
        if conditions:
            with self.block(f"if not ({' and '.join(conditions)}):"):
                self.write(_GIVE_UP)


def native_names(record: Record) -> tuple[tuple[str, str], ...]:
    """The attributes that a record has when it is made, with their names in the data."""
    every = (*record.fields, *((record.rest,) if record.rest is not None else ()))
    return tuple((field.attribute, field.wire) for field in every if not field.only_given)


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
