"""The function for the sound case: it does nothing but check and build, and gives up at the first doubt.

It may give up on data that is sound but unusual; the collecting function then has the last word. Whatever goes wrong in
it is a reason to give up, but for what functions of the developer's own raise: that passes (see `own`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, nullcontext
from functools import wraps
from typing import Any, ClassVar, Final

from ..codegen.unit import Unit
from ..codegen.writer import all_of
from ..declare.embedded import Embedded
from ..declare.facts import DROPS, REFUSED, UNSURE, Bind, Facts, Stop
from ..declare.kinds import Kind, Reader, Text
from ..declare.kinds.number import whole_from_json
from ..declare.rules import Ceiling, Floor, Matches, Rule
from ..declare.rules.pattern import plain_test
from ..declare.sealed import Sealed
from ..declare.sources import Reading, Source
from ..declare.steps import Step, trimmed
from ..regex.white_space import BLANKS
from ..shape.final_forms import is_settled
from ..shape.nodes import (
    NO_ABOUT,
    Alias,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Record,
    Scalar,
    Sealing,
    Use,
)
from ..shape.stages import Stages, stages_of
from ..shape.walk import every
from .engine_writer import EngineWriter
from .exclusive_unions import OneAlone
from .fast_records import DOUBT, REFUSE, SoundRecordWriter
from .handover import HANDED, begun, forget, split
from .hash_limits import crowded, spreads
from .later import Later, Waiting, is_large
from .own_functions import Doubt, Passing, Unread, given_up
from .plan import (
    Plan,
    choice_reader,
    choice_ready,
    collection,
    is_lone_text,
    is_text,
    may_be_blank,
    may_retry,
    member_table,
    options_in_order,
    passed_over,
    tag_reader,
    taken,
)
from .runtime import ABSENT, LEAVES, REREAD, Memory, in_json_forms

NAMED: Final = {
    "REFUSED": REFUSED,
    "UNSURE": UNSURE,
    "DROPS": DROPS,
    "Stop": Stop,
    "ABSENT": ABSENT,
    "Passing": Passing,
    "given_up": given_up,
}
"""What generated code knows by its own name."""
_INLINE_FIELDS = 24
_INLINE_DEPTH = 3
_FEW_RECORDS = 24
_NESTED = 6
_SIXTY_FOUR_BITS = 2.0**63
_CHECKS = "    # checks of the classes"
_DONE = "        # what was begun\n"
_FORGETS = "        if HANDED.made is not None:\n            forget()\n"


def sound_unit(plan: Plan, *, note_unknown: bool, anew: Callable[[Any], Any], at_once: bool = False) -> Unit:
    """The sound function of a gate. With `note_unknown` it gives up on keys nobody declared, so that they are told.

    `anew` is called in its place once a class is no longer what it was when the function was written. Of a large shape
    the functions of records are written when they are first called, but where all are wanted `at_once`.
    """
    # Written in place wherever it is used, a record of many others would be written a thousand times.
    inline = _INLINE_DEPTH if len(plan.shape.records) <= _FEW_RECORDS else 1
    writer = SoundWriter(plan, note_unknown=note_unknown, inline=inline)
    if is_large(plan.shape) and not at_once:
        writer.later = Later(f"{plan.shape.name} sound", writer, writer.written_since)
    writer.doubts = plan.source.in_json
    return writer.unit(plan.shape.root, f"{plan.shape.name} sound", anew)


def whole_beyond_doubt(value: object) -> object:
    """A whole number read from JSON. Raises Doubt where it came as a float that may stand for other digits."""
    if value.__class__ is float and not -_SIXTY_FOUR_BITS < value < _SIXTY_FOUR_BITS:
        raise Doubt
    return whole_from_json(value)


def checks_of(writer: EngineWriter, kept: dict[type, str], otherwise: str) -> str:
    """The lines that look whether classes are still made as they were: somebody may have changed them since.

    What stores an attribute is asked by the function as it was by the constructor; where it raises, the engine looks.
    """
    tests = []
    for declared, name in kept.items():
        made: Any = declared
        for word, was in (("__init__", made.__init__), ("__new__", made.__new__)):
            tests.append(f"{name}.{word} is not {writer.bind(was, 'KEPT')}")
    return f"    if {' or '.join(tests)}:\n        {otherwise}" if tests else ""


class SoundWriter(SoundRecordWriter):
    """Writes sound functions for uses and records; `functions` holds the source of each."""

    forgets: ClassVar[bool] = True

    def __init__(self, plan: Plan, *, note_unknown: bool, inline: int = _INLINE_DEPTH, again: bool = False) -> None:
        super().__init__(plan, note_unknown=note_unknown)
        self.most_inline = inline
        # Whether it is only asked if there is a value: then it does not matter which option of a union gives it.
        self.only_asks = False
        # What is made is used nowhere else once the function gives up, as in a union it may be.
        self.straight = False
        # An option that does not fit is not the end: an exception there is looked into at once.
        self._patient = False
        self.parted: tuple[str, str] | None = None
        # A whole number that came as a float beyond 64 bits may have been read by a decoder that knows no other.
        self.doubts = False
        self.hands_over = False
        self.functions: list[str] = []
        self.constants |= NAMED | {"HANDED": HANDED, "forget": forget}
        # Where records hold themselves, nothing is read twice, for two options of a union or for its faults: else each
        # level would double the work.
        self.retries = may_retry(plan)
        self.more = ", memory" if plan.shape.recursive and (again or self.retries) else ""
        self._record_names: dict[tuple[str, Source, Reading, bool, bool, bool], str] = {}
        self._waiting: Waiting = []
        self.later: Later | None = None
        self._told = 0
        self._sure: dict[Reader, Reader] = {}
        self._inlined: list[str] = []
        self._count = 0
        # Of unions of which one option alone may admit a value: the functions that ask each option, and what asks them.
        self._asking: dict[tuple[int, Reading, bool], str] = {}
        self._once: dict[tuple[int, Reading, bool], str] = {}

    def finish(self) -> None:
        """Write the functions that were named and not written yet, or see to it that they will be."""
        if self.later is not None:
            self.later.put_off(self._waiting)
        while self._waiting:
            self._waiting.pop(0)[1]()

    def written_since(self) -> str:
        """The source of the functions that were written since this was last asked."""
        self.finish()
        told, self._told = self._told, len(self.functions)
        return "\n\n\n".join(self.functions[told:]) + "\n"

    def unit(self, use: Use, title: str, anew: Callable[[Any], Any] | None = None) -> Unit:
        """The sound function of a use, with those functions it needs that no unit before had."""
        start = len(self.functions)
        entry = self.entry(use, self.claimed(f"sound_whole_{start}" if start else "sound"), top=True)
        self.finish()
        source = "\n\n\n".join(self.functions[start:]) + "\n"
        self._told = len(self.functions)
        checks = checks_of(self, self.kept, f"return {self.bind(anew, 'ANEW')}(data)") if anew is not None else ""
        source = source.replace(_CHECKS, checks, 1).replace(
            _DONE, _FORGETS if self.hands_over or self.later is not None else ""
        )
        carries = self.carries or self.later is not None  # what is written later may call them
        return Unit(title, source, self.constants, entry, self.constants, carries=carries, notes=self.notes)

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
                straight, self.straight = self.straight, self.straight or top
                with self.block("try:"):
                    self.whole(use)
                if top and self.forgets:
                    self.lines.insert(-1, _DONE[:-1])
                self.straight = straight
            self._close_try(done=_DONE[:-1] if top and self.forgets else "", doubts=top and self.doubts)
        self.functions.append("\n".join(lines))
        return name

    def function_of(self, key: str) -> str:
        """The name of the function for one record or alias, written later."""
        mark = (key, self.source, self.reading, self.hidden, self.note_unknown, self.only_asks)
        if mark not in self._record_names:
            # Records of one name have keys that differ, and generated code is told apart by number.
            name = self.claimed(f"sound_{self.noun_of(key)}_{len(self._record_names) + 1}")
            self._record_names[mark] = name
            self._waiting.append((name, lambda: self._write_function(name, *mark)))
        return self._record_names[mark]

    def _write_function(
        self, name: str, key: str, source: Source, reading: Reading, hidden: bool, note_unknown: bool, only_asks: bool
    ) -> None:
        with self.taking(note_unknown=note_unknown, only_asks=only_asks), self.reading_from(source, reading):
            self._write_function_of(name, key, hidden=hidden)

    @contextmanager
    def taking(self, *, note_unknown: bool, only_asks: bool) -> Iterator[None]:
        """Write what gives up on keys nobody declared, or not; what only asks, or not."""
        before = self.note_unknown, self.only_asks
        self.note_unknown, self.only_asks = note_unknown, only_asks
        yield
        self.note_unknown, self.only_asks = before

    def _write_function_of(self, name: str, key: str, *, hidden: bool) -> None:
        nesting, self._nesting = self._nesting, 0
        inlined, self._inlined = self._inlined, [key]
        before, self.hidden, self.inline = (self.hidden, self.inline), hidden, not hidden
        straight, self.straight = self.straight, False
        remembers = bool(self.more) and key in self.plan.shape.recursive
        body = self.claimed(f"{name}_read") if remembers else name
        kept = self.kept
        if self.later is not None:
            self.kept = {}
        with self.inside(key), self.aside() as lines:
            with self.block(f"def {body}(data{self.more}):"), self.block("try:"):
                if key in self.plan.shape.aliases:
                    self.whole(self.plan.shape.aliases[key])
                else:
                    self.body(self.plan.shape.records[key])
            self._close_try()
        if self.later is not None:
            # What the top function looks at knows nothing of these classes: to give up lets the engine look again.
            lines[1:1] = checks_of(self, self.kept, DOUBT).splitlines()
            kept |= self.kept
            self.kept = kept
        self.functions.append("\n".join(lines))
        if remembers:
            self.functions.append(
                f"def {name}(data, memory):\n"
                f"    if data.__class__ in {self.bind(LEAVES, 'LEAVES')}:\n"
                f"        return {body}(data, memory)\n"
                f"    mark = ({name!r}, id(data))\n"
                f"    if mark in memory.failed:\n"
                f"        return memory.failed[mark][1]\n"
                + (
                    f"    spare = memory.spare and memory.spare.get(mark)\n"
                    f"    read = spare.pop() if spare else {body}(data, memory)\n"
                    if self.retries
                    else f"    read = {body}(data, memory)\n"
                )
                + "    if read.__class__ is Stop:\n"
                "        memory.failed[mark] = data, read\n"
                + ("    else:\n        memory.made.append((mark, data, read))\n" if self.retries else "")
                + "    return read"
            )
        self.hidden, self.inline = before
        self.straight = straight
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
        """The name of a function that reads a use: that of its record or alias, where nothing stands beside it."""
        if isinstance(use.node, Link | Alias) and use.but(about=NO_ABOUT) == Use(use.node):
            return self.function_of(use.node.key)
        self._count += 1
        nesting, self._nesting = self._nesting, 0
        patient, self._patient = self._patient, True
        name = self.entry(use, self.claimed(f"sound_part_{self._count}"))
        self._nesting, self._patient = nesting, patient
        return name

    def _close_try(self, done: str = "", *, doubts: bool = False) -> None:
        self._indent += 1
        if doubts:
            with self.block(f"except {self.bind(Doubt, 'Doubt')}:"):
                self.write(DOUBT)
        with self.block("except Passing:"):
            if done:
                self.lines.append(done)
            self.write("raise")
        with self.block("except KeyError:"):
            self.write(REFUSE)
        with self.block("except Exception as error:"):
            self.write(f"return {self.after_error}")
        self._indent -= 1

    after_error: ClassVar[str] = "given_up(error)"

    def read(self, use: Use, value: str) -> None:
        """Read the variable `value` in place, or give up."""
        if self._nesting >= _NESTED:
            self._called(self.part(use), value)
            return
        with self.at(use):
            self._read(use, value)

    def _read(self, use: Use, value: str) -> None:
        stages = stages_of(use, self.reading)
        self.fitting(stages.fits, value)
        if stages.blank:
            with self.block(f"if {self.blank(value)}:"):
                self.write(f"{value} = None")
        if self.reading is Reading.MIXED and use.is_reread:
            # What a file has as a list, or as its type, need not be split or read from something else.
            with self.block(f"if {value}.__class__ in {self.bind(REREAD[bool(use.split)], 'REREAD')}:"):
                self._reread(use, stages, value)
            with self.block("else:"):
                self.node(use, value)
            self.run(stages.parts, value, stages.facts)
            return
        if use.is_reread and not stages.made:
            self._reread(use, stages, value)
            self.run(stages.parts, value, stages.facts)
            return
        if type(use.node) is Scalar and type(use.node.kind) is Text and not stages.made:
            with self.reading_as(stages.reading):
                self._text(use.node.kind, stages.parts, value)
            return
        if not stages.made:
            with self.reading_as(stages.reading):
                self.node(use, value)
        self.run(stages.parts, value, stages.facts)

    def _reread(self, use: Use, stages: Stages, value: str) -> None:
        """Split text or read what comes before, and then the node from that."""
        if stages.split:
            self._one_of_list(value)
            if self.reading is not Reading.MIXED:
                with self.block(f"if {value}.__class__ is not str:"):
                    self.write(self.unless_is(value, "str"))
            came = self.variable("came")
            self.write(f"{came} = {value}")
            self.write(f"{value} = {self.bind(split, 'split')}({value}, {self.bind(stages.split, 'SEPARATOR')})")
            self.parted = came, stages.split
        elif stages.via is not None:
            self.read(stages.via, value)
        with self.reading_as(stages.reading):
            self.node(use, value)
        self.parted = None

    def _text(self, kind: Text, parts: tuple[Step | Rule, ...], value: str) -> None:
        """Read text. What is in its final form already is asked by its rules alone; most texts are ASCII."""
        self._one_of_list(value)
        quick = settled_test(parts, value, self.bind)
        if quick:
            with self.block(f"if not ({value}.__class__ is str and {quick}):"):
                self.scalar(kind, value, parts)
                self.run(parts, value, kind.facts)
        elif parts and parts[0] == trimmed:
            # To take the blanks of ASCII off costs half; what has none is the same text, and then only that is asked.
            with (
                self.block(f"if {value}.__class__ is str and {value}.isascii():"),
                self.block(f"if {value}.strip() is not {value}:"),
            ):
                self.run(parts[:1], value, kind.facts)
            with self.block("else:"):
                self.scalar(kind, value, parts)
                self.run(parts[:1], value, kind.facts)
            self.run(parts[1:], value, kind.facts)
        else:
            self.scalar(kind, value, parts)
            self.run(parts, value, kind.facts)

    def fitting(self, fits: tuple[Embedded, ...], value: str) -> None:
        """Judge what came by the documents that stand beside it."""
        for document in fits:
            came = f"{self.bind(in_json_forms, 'in_json_forms')}({value})" if self.reading is Reading.MIXED else value
            with self.block(f"if not {self.bind(document.sound, 'FITS')}({came}):"):
                self.write(DOUBT)

    def node(self, use: Use, value: str) -> None:
        """Read what a use holds, before its steps and rules."""
        match use.node:
            case Scalar(kind):
                self.scalar(kind, value, use.parts)
            case Nothing():
                blank = f" and not ({self.blank(value)})" if self._is_text else ""
                with self.block(f"if {value} is not None{blank}:"):
                    self.write(REFUSE)
                if blank:
                    self.write(f"{value} = None")
            case Choice():
                self.choice(use.node, value)
            case Items(item, into):
                self.items(item, into, value)
            case Fixed():
                self.fixed(use.node, value)
            case Entries(key, held):
                self.entries(key, held, value)
            case Branches():
                self.branches(use.node, value)
            case Nullable(inner):
                self.nullable(inner, value)
            case Sealing(inner):
                self.sealing(inner, value)
            case Link(key):
                self.link(key, value)
            case Alias(key):
                self._called(self.function_of(key), value)

    def _called(self, name: str, value: str) -> None:
        self.write(f"{value} = {name}({value}{self.more})")
        with self.block(f"if {value}.__class__ is Stop:"):
            self.write(f"return {value}")

    def scalar(self, kind: Kind, value: str, parts: tuple[Step | Rule, ...]) -> None:
        """Check a single value's kind, and read it where it is not ready."""
        kind = self.kind_here(kind)
        reading = self.reading
        self._one_of_list(value)
        ready = kind.ready(reading, value, self.bind)
        if ready == "True":
            return
        read = kind.reader(reading)
        if self.doubts and read is whole_from_json:
            read = whole_beyond_doubt
        if kind.double and ready != "False" and _shut_in(parts):
            ready = f"{value}.__class__ is float"  # bounds on both sides keep NaN and infinities out
        swift = kind.swift(reading, value, self.bind)
        if ready == "False" and swift is None:
            self.write(f"{value} = {self.bind(read, read.__name__)}({value})")
            with self.block(f"if {value}.__class__ is Stop:"):
                self.write(REFUSE)
            return
        if ready == "False":
            self._swift_or_read(kind, swift, read, value)
            return
        plain = " and " in ready or " or " in ready
        with self.block(f"if not ({ready}):" if plain else f"if {ready.replace(' is ', ' is not ')}:"):
            if self._patient and type(kind.strict) is Text:  # a text that is not ready is none
                with self.block(f"if {value}.__class__ is str:"):
                    self.write(REFUSE)
            self._swift_or_read(kind, swift, read, value)

    def _swift_or_read(self, kind: Kind, swift: tuple[str, str] | None, read: Reader, value: str) -> None:
        """Read by the expression for a common case where it applies, else by the reader, which is seldom called."""
        reading = f"{value} = {self.bind(self._raising(read), read.__name__)}({value})"
        tell = f"{value} = {self.bind(read, read.__name__)}" if self._patient else ""
        if swift is None:
            self.write(f"{tell}({value})" if tell else reading)
            if tell:
                with self.block(f"if {value}.__class__ is Stop:"):
                    self.write(REFUSE)
            return
        test, expression = swift
        if tell:
            came = self.variable("came")
            with self.block(f"if {test}:"):
                self.write(f"{came} = {value}")
                with self.block("try:"):
                    self.write(f"{value} = {expression}")
                with self.block("except (ValueError, OverflowError):"):
                    tried = kind.after_swift(self.reading)
                    self.write(f"{value} = {self.bind(tried, tried.__name__)}({came})")
                if kind.strict.swift_may_fail and kind is not kind.strict:
                    with self.block(f"if {value}.__class__ is Stop:"):
                        self.write(f"{tell}({came})")
            with self.block("else:"):
                self.write(f"{tell}({value})")
            with self.block(f"if {value}.__class__ is Stop:"):
                self.write(REFUSE)
            return
        with self.block(f"if {test}:"):
            self.write(f"{value} = {expression}")
            if kind.strict.swift_may_fail:
                with self.block(f"if {value}.__class__ is Stop:"):  # its reader asks the same, and a lenient one more
                    self.write(REFUSE if kind is kind.strict else DOUBT)
        with self.block("else:"):
            self.write(reading)

    def _raising(self, read: Reader) -> Reader:
        """A reader that raises for what it cannot read, which gives up too, and makes the source a third shorter."""
        known = self._sure.get(read)
        if known is None:

            @wraps(read)
            def read_or_raise(value: Any) -> Any:
                made = read(value)
                if made.__class__ is Stop:
                    raise Unread
                return made

            known = self._sure[read] = read_or_raise
        return known

    def _one_of_list(self, value: str) -> None:
        """Query parsers give every value as a list: one of one item is that item."""
        if self._is_text and self.source.repeats:
            with self.block(f"if {value}.__class__ is list and len({value}) == 1:"):
                self.write(f"{value} = {value}[0]")

    def choice(self, node: Choice, value: str) -> None:
        """Find the constant that came."""
        reading = self.reading
        self._one_of_list(value)
        ready = choice_ready(self, node, reading, value)
        if ready is not None and reading is Reading.PLAIN:
            with self.block(f"if not ({ready}):"):
                self.write(f"return REFUSED if {value}.__class__ is str else {self.unless(value, 'str')}")
            return
        if node.owner is not None and reading is Reading.PLAIN and is_lone_text(node):
            with self.block(f"if {value}.__class__ is not str:"):
                self.write(self.unless_is(value, "str"))
            self.write(f"{value} = {self.bind(member_table(node), 'MEMBERS')}[{value}]")
            return
        with self.block(f"if not ({ready}):") if ready is not None else nullcontext():
            self.write(f"{value} = {choice_reader(self, node, reading)}({value})")
            with self.block(f"if {value}.__class__ is Stop:"):
                self.write(REFUSE)

    def _open_list(self, value: str, into: str) -> None:
        if self._is_text and not self.circular:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        wanted = collection(self, into) if self.reading is Reading.TYPED else "list"
        self._of_class(value, wanted, "(list, tuple)" if self.reading is not Reading.TYPED else self._many_typed)
        self._within_limit(value)

    @property
    def _many_typed(self) -> str:
        return f"(list, tuple, set, frozenset, {collection(self, 'deque')})"

    def unless(self, value: str, classes: str) -> str:
        """The answer for a value not exactly of a class: in doubt where it is of one that may be taken for it."""
        return f"UNSURE if isinstance({value}, {classes}) else REFUSED"

    def unless_is(self, value: str, classes: str) -> str:
        """The statement that gives that answer."""
        return f"return {self.unless(value, classes)}"

    def _of_class(self, value: str, wanted: str, classes: str) -> None:
        """Give up on what is not exactly of one class, surely where it is not of any of `classes`."""
        with self.block(f"if {value}.__class__ is not {wanted}:"):
            self.write(self.unless_is(value, classes))

    def _within_limit(self, value: str) -> None:
        with self.block(f"if len({value}) > {self.plan.limits.items}:"):
            self.write(REFUSE)

    def items(self, item: Use, into: str, value: str) -> None:
        """Read a collection into a new one."""
        self._open_list(value, into)
        made, each = self.variable("made"), self.variable("item")
        self.write(f"{made} = []")
        self._hand_over(value, made, item)
        soon = self.soon() if into in ("set", "frozenset") and not spreads(item) else ""
        self._nesting += 1
        with self.block(f"for {each} in {value}:"):
            self.read(item, each)
            self.write(f"{made}.append({each})")
            if soon:
                with self.looked_at_soon(made, soon):
                    self.write(DOUBT)
        self._nesting -= 1
        if into in ("set", "frozenset") and not spreads(item):
            with self.block(f"if {self.bind(crowded, 'crowded')}({made}):"):
                self.write(DOUBT)
        self.write(f"{value} = {made}" if into == "list" else f"{value} = {collection(self, into)}({made})")
        if into in ("set", "frozenset"):
            with self.block(f"if len({value}) != len({made}):"):
                self.write(REFUSE)

    def _hand_over(self, value: str, made: str, *held: Use) -> None:
        """Keep what is made of a large collection for the collecting function, which need not read it again then.

        Not where that has more to tell of what was read: which keys were dropped.
        """
        parted, self.parted = self.parted, None
        if (
            (self.reading is not self.source.reading and not parted)
            or self.reading is Reading.TYPED
            or not any(map(self._is_dear, held))
        ):
            return
        if self.straight:
            if not self.note_unknown and any(map(self.may_drop, held)):
                return
        elif not all(map(_is_lasting, held)):
            return
        self.hands_over = True
        with self.block(f"if {self.is_large(value)}:"):
            if parted:
                came, separator = parted
                self.write(f"{self.bind(begun, 'begun')}({came}, {self.site(held, separator)}, {value})")
            self.write(self.handed(begun, value, held, made))

    def _is_dear(self, use: Use) -> bool:
        """Whether a value is not ready as it comes."""
        if not isinstance(use.node, Scalar) or use.parts or use.is_reread:
            return not isinstance(use.node, Choice | Nothing)
        kind = self.kind_here(use.node.kind)
        return kind.strict is not kind or kind.ready(self.reading, "value", self.bind) == "False"

    def fixed(self, node: Fixed, value: str) -> None:
        """Read a tuple: its first items one by one, and those after them."""
        wanted = "tuple" if self.reading is Reading.TYPED else "list"
        test = f"len({value}) != {len(node.items)}"
        if node.more is not None:
            test = f"len({value}) < {len(node.items)} or len({value}) > {self.plan.limits.items}"
        self._of_class(value, wanted, "(list, tuple)")
        with self.block(f"if {test}:"):
            self.write(REFUSE)
        names = [self.variable("item") for _ in node.items]
        others, made, each = (self.variable(word) for word in ("others", "made", "item"))
        if names or node.more is not None:
            self.write(
                f"{', '.join(names)}{', ' if names else ''}{f'*{others}' if node.more is not None else ''} = {value}"
            )
        for name, item in zip(names, node.items, strict=True):
            self.read(item, name)
        if node.more is not None:
            self.write(f"{made} = []")
            self._nesting += 1
            with self.block(f"for {each} in {others}:"):
                self.read(node.more, each)
                self.write(f"{made}.append({each})")
            self._nesting -= 1
        self.write(
            f"{value} = ({''.join(name + ', ' for name in names)}{f'*{made},' if node.more is not None else ''})"
        )

    def entries(self, key: Use, held: Use, value: str) -> None:
        """Read a dict into a new one."""
        self._of_class(value, "dict", self.bind(Mapping, "Mapping"))
        self._within_limit(value)
        made, name, each = self.variable("made"), self.variable("key"), self.variable("held")
        plain, safe = is_text(key), spreads(key)
        self.write(f"{made} = {'{}' if safe else '[]'}")
        if not safe or (plain and not key.parts):  # where no two keys become one unnoticed
            self._hand_over(value, made, key, held)
        self._nesting += 1
        with self.block(f"for {name}, {each} in {value}.items():"):
            reading = self.reading if plain else self.reading.of_keys
            if reading is not self.reading:
                with self.block(
                    f"if {name}.__class__ is not str or {name} != {name}.strip({self.bind(BLANKS, 'BLANKS')}):"
                ):
                    self.write(self.unless_is(name, "str") + f" if {name}.__class__ is not str else REFUSED")
            with self.reading_as(reading):
                self.read(key, name)
            self.read(held, each)
            self.write(f"{made}[{name}] = {each}" if safe else f"{made}.append(({name}, {each}))")
        self._nesting -= 1
        if not safe:
            with self.block(f"if {self.bind(crowded, 'crowded')}([each[0] for each in {made}]):"):
                self.write(DOUBT)
            self.write(f"{made} = dict({made})")
        if not plain or key.parts:
            with self.block(f"if len({made}) != len({value}):"):
                self.write(DOUBT)
        self.write(f"{value} = {made}")

    def branches(self, node: Branches, value: str) -> None:
        """Read by the option that the tag tells, or by the first that will do."""
        if node.tag and self.reading is not Reading.TYPED:
            self._tagged(node, value)
            return
        options = options_in_order(self.plan, node, self.reading)
        if node.alone:
            if all(isinstance(each.bare.node, Scalar | Choice | Nothing) for each in node.options):
                self.write(f"{value} = {self.admits_alone(node, value, self.more, asks='.only')}")
                with self.block(f"if {value}.__class__ is Stop:"):
                    self.write(f"return {value}")
                return
            self._alone(node, value)
            if self.only_asks:
                return
        ready = self._ready(options, value)
        if not ready:
            self._tried(options, value)
            return
        with self.block(f"if not ({' or '.join(ready)}):"):
            self._tried(options, value)

    def _alone(self, node: Branches, value: str) -> None:
        """Give up unless one option alone admits the value."""
        alone = self.variable("alone")
        self.write(f"{alone} = {self.admits_alone(node, value, self.more)}")
        with self.block(f"if {alone} is not True:"):
            self.write(f"return REFUSED if {alone} is False else UNSURE")

    def admits_alone(self, node: Branches, value: str, more: str, *, asks: str = "") -> str:
        """What tells that, None where it is in doubt; `more` hands the memory on, `asks` names another question.

        What was found is kept while one piece of data is judged.
        """
        mark = (id(node), self.reading, self.hidden)
        if mark not in self._asking:
            with self.taking(note_unknown=False, only_asks=True):
                names = [self.part(option) for option in node.options]
            self._asking[mark] = f"({', '.join(names)},)"
        if mark not in self._once:
            plain = self.reading is Reading.PLAIN
            others = [passed_over(each, self.plan) if plain else frozenset[type]() for each in node.options]
            leaves = all(isinstance(each.bare.node, Scalar | Choice | Nothing) for each in node.options)
            self._once[mark] = self.bind(OneAlone(others, leaves=leaves), "ONE_ALONE")
        once = self._once[mark]
        return f"{once}{asks}({self._asking[mark]}, {value}{more})"

    def _tagged(self, node: Branches, value: str) -> None:
        which = self.variable("which")
        self._of_class(value, "dict", self.bind(Mapping, "Mapping"))
        key = self.bind(node.tag, "TAG")
        self.write(f"{which} = {tag_reader(self, node, self.plan, self.reading)}({value}[{key}])")
        if node.held:
            inner = self.variable("inner")
            self.write(f"{inner} = {value}[{self.bind(node.held, 'HELD')}]")
            with self.block(f"if len({value}) != 2:"):
                self.write(REFUSE)
            self.write(f"{value} = {inner}")
        for number, option in enumerate(node.options):
            self._nesting += 1
            with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                self.read(option, value)
            self._nesting -= 1
        with self.block("else:"):
            self.write(REFUSE)

    def _ready(self, options: tuple[Use, ...], value: str) -> list[str]:
        """Tests for values that are what an option makes of them, where no option before it takes their class."""
        tests = []
        before: set[type] = set()
        for option in options if self.reading is Reading.PLAIN else ():
            takes = taken(option, self.plan)
            plain = not (option.parts or option.fits) and stages_of(option, self.reading).straight
            if plain and isinstance(option.node, Scalar) and takes.isdisjoint(before):
                test = self.plan.fitted(option.node.kind).ready(self.reading, value, self.bind)
                tests += [f"({test})"] if test not in ("True", "False") else []
            before |= takes
        return tests

    def _tried(self, options: tuple[Use, ...], value: str) -> None:
        """One option after the other."""
        read = self.variable("read")
        start = self.remembering()
        drops = ""
        # The option that drops the fewest keys is chosen: here one that drops none, else the collecting function does.
        choosing = not self.only_asks and any(map(self.may_drop, options))
        if choosing:
            drops = self.variable("drops")
            self.write(f"{drops} = False")
        for number, option in enumerate(options):
            straight, self.straight = self.straight, False
            with self.taking(note_unknown=self.note_unknown or choosing, only_asks=self.only_asks):
                name = self.part(option)
            self.straight = straight
            never = passed_over(option, self.plan) if self.reading is Reading.PLAIN else frozenset()
            # What is in doubt ends it: the collecting function may admit it by this very option.
            tests = [f"{read}.__class__ is Stop and {read} is not UNSURE"] if number else []
            tests += [f"{value}.__class__ not in {self.bind(never, 'OTHERS')}"] if never else []
            if not tests:
                self.write(f"{read} = {name}({value}{self.more})")
                continue
            if not number:
                self.write(f"{read} = REFUSED")
            with self.block(f"if {' and '.join(tests)}:"):
                if number:
                    self.undone(start)
                    if drops:
                        self.write(f"{drops} = {drops} or {read} is DROPS")
                self.write(f"{read} = {name}({value}{self.more})")
        with self.block(f"if {read}.__class__ is Stop:"):
            self.write(f"return {read}" if not drops else f"return DROPS if {drops} and {read} is REFUSED else {read}")
        self.write(f"{value} = {read}")

    def may_drop(self, use: Use) -> bool:
        """Whether keys that nobody declared may stand in a value."""
        return self.plan.may_drop and any(isinstance(each.node, Link | Alias) for each in every(use))

    def remembering(self) -> str:
        """A variable for how much was made before the options of a union are tried, "" where that is not counted."""
        if not self.more or not self.retries:
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
        if may_be_blank(inner, self.reading, self.plan.shape.aliases):
            with self.block(f"if {self.blank(value)}:"):
                self.write(f"{value} = None")
        self._nesting += 1
        with self.block(f"if {value} is not None:"):
            self.read(inner, value)
        self._nesting -= 1

    def sealing(self, inner: Use, value: str) -> None:
        """Read what is inside, and seal it; what is sealed already is opened before."""
        sealed = self.bind(Sealed, "Sealed")
        if self.reading is Reading.TYPED:
            with self.block(f"if {value}.__class__ is not {sealed}:"):
                self.write(REFUSE)
            self.write(f"{value} = {value}.opened()")
        elif self.reading is Reading.MIXED:
            with self.block(f"if {value}.__class__ is {sealed}:"):
                self.write(f"{value} = {value}.opened()")
        self.read(inner, value)
        self.write(f"{value} = {sealed}({value})")

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
            with self.block(f"if not ({all_of(conditions)}):"):
                self.write(REFUSE)


def settled_test(parts: tuple[Step | Rule, ...], value: str, bind: Bind) -> str:
    """The test for a text that all parts leave as it is and admit; "" where no such test is quick.

    Each step must be settled by a rule after it, and one rule must ask for a few ASCII letters or digits.
    """
    conditions = []
    quick = False
    for number, part in enumerate(parts):
        if isinstance(part, Step):
            if not part.normalising or not is_settled(part, parts[number + 1 :]):
                return ""
            continue
        if part.may_raise:
            return ""
        quick = quick or (type(part) is Matches and plain_test(part.pattern, part.flags, value) is not None)
        conditions.append(part.condition(value, bind))
    return all_of(conditions) if quick else ""


def _is_lasting(use: Use) -> bool:
    """Whether what is made of a value never changes, so that it may stand in two places."""
    inner = use.bare
    own = use.making is not None or inner.making is not None
    return not own and (isinstance(inner.node, Scalar | Choice | Nothing) and not inner.node.facts.open)


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
