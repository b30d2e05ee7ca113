"""The quick function: it does nothing but check and build, and gives up at the first doubt.

It answers with a value, or with one of three: REFUSED, surely unsound; UNSURE, the telling function may admit it;
DROPS, sound but for keys that nobody declared, where that is asked. Whatever goes wrong in it is a reason to give up,
but for what functions of the developer's own raise: that passes (see `own_functions`). What may be shown is none of its
affairs, but for the words of such exceptions.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, ClassVar, Final

from ...codegen.unit import Unit
from ...declare.absent import ABSENT
from ...declare.facts import DROPS, REFUSED, UNSURE, Passing, Stop
from ...declare.kinds import Reader
from ...declare.sources import Reading
from ...shape.nodes import Alias, Branches, Link, Scalar
from ...shape.shape import Record
from ...shape.stages import stages_of
from ...shape.uses import NO_ABOUT, Use
from ..exclusive_unions import ExclusiveUnion
from ..handover import HANDOVER, forget
from ..later import Later, is_large
from ..own_functions import Doubt, given_up
from ..plan import Plan, classes_read, classes_refused, may_retry, options_in_order
from ..runtime import LEAVES, Memory
from .frame import Aim, Frame, Shown
from .outcome import DOUBT, REFUSE
from .pen import Functions, Pen
from .quick_records import QuickRecords

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
_CHECKS = "    # checks of the classes"
_DONE = "        # what was handed over\n"
_FORGETS = "        if HANDOVER.made is not None:\n            forget()\n"


def quick_unit(plan: Plan, *, note_unknown: bool, rewritten: Callable[[Any], Any], at_once: bool = False) -> Unit:
    """The quick function of a gate. With `note_unknown` it gives up on keys nobody declared, so that they are told.

    `rewritten` is called in its place once a class is no longer what it was when the function was written. Of a large
    shape the functions of records are written when they are first called, but where all are wanted `at_once`.
    """
    # Written in place wherever it is used, a record of many others would be written a thousand times.
    inline = _INLINE_DEPTH if len(plan.shape.records) <= _FEW_RECORDS else 1
    quick = Quick(plan, Pen(), Aim(notes_unknown=note_unknown), most_inline=inline)
    title = f"{plan.shape.name} sound"
    if is_large(plan.shape) and not at_once:
        quick.functions.later = Later(title, quick.pen, quick.written_since)
    quick.doubts_floats = plan.source.in_json
    return quick.unit(plan.shape.root, title, rewritten)


def checks_of(frame: Frame, kept: dict[type, str], otherwise: str) -> str:
    """The lines that look whether classes are still made as they were: somebody may have changed them since.

    What stores an attribute is asked by the function as it was by the constructor; where it raises, the engine looks.
    """
    tests = []
    for declared, name in kept.items():
        made: Any = declared
        for word, was in (("__init__", made.__init__), ("__new__", made.__new__)):
            tests.append(f"{name}.{word} is not {frame.bind(was, 'KEPT')}")
    return f"    if {' or '.join(tests)}:\n        {otherwise}" if tests else ""


class Quick(QuickRecords):
    """Writes quick functions for uses and records."""

    forgets: ClassVar[bool] = True
    after_error: ClassVar[str] = "given_up(error)"
    sort: ClassVar[str] = "sound"
    """How its functions are called, and """
    argument: ClassVar[str] = "data"
    """what they take."""

    def __init__(
        self, plan: Plan, pen: Pen, aim: Aim, *, most_inline: int = _INLINE_DEPTH, again: bool = False
    ) -> None:
        super().__init__(plan, pen)
        self.frame = Frame(plan, pen).inner(aim=aim)
        self.functions = Functions(pen)
        self.most_inline = most_inline
        # A whole number that came as a float beyond 64 bits may have been read by a decoder that knows no other.
        self.doubts_floats = False
        self.hands_over = False
        pen.constants |= NAMED | {"HANDOVER": HANDOVER, "forget": forget}
        # Where records hold themselves, nothing is read twice, for two options of a union or for its faults: else each
        # level would double the work.
        self.retries = may_retry(plan)
        self.memory_argument = ", memory" if plan.shape.recursive and (again or self.retries) else ""
        self._raising: dict[Reader, Reader] = {}
        # Of unions of which one option alone may admit a value: the functions that ask each option, and what asks them.
        self._asking: dict[tuple[int, Reading, bool], tuple[str, str]] = {}

    # Functions

    def unit(self, use: Use, title: str, rewritten: Callable[[Any], Any] | None = None) -> Unit:
        """The quick function of a use, with those functions it needs that no unit before had."""
        pen, functions = self.pen, self.functions
        name = pen.claimed("sound" if not functions.count else f"sound_whole_{functions.count}")
        entry = self.entry(use, name, self.frame, top=True)
        source = self.written_since()
        checks = (
            checks_of(self.frame, pen.kept, f"return {pen.bind(rewritten, 'REWRITTEN')}(data)")
            if rewritten is not None
            else ""
        )
        later = functions.later is not None  # what is written later may hand over, and call own functions
        done = _FORGETS if self.hands_over or later else ""
        source = source.replace(_CHECKS, checks, 1).replace(_DONE, done)
        return Unit(title, source, pen.constants, entry, pen.constants, carries=pen.carries or later, notes=pen.notes)

    def written_since(self) -> str:
        """The source of the functions that were written since this was last asked."""
        self.functions.finish()
        return "\n\n\n".join(self.functions.written_since()) + "\n"

    def entry(self, use: Use, name: str, frame: Frame, *, top: bool = False) -> str:
        """Write the function for a use; gives back its name."""
        frame = frame.part(self.argument, "path", nesting=0)
        if top:
            frame = frame.inner(aim=frame.aim._replace(disposable=True))
        with (
            self.pen.aside() as lines,
            self.block(f"def {name}({self.argument}{'' if top else self.memory_argument}):"),
        ):
            if top:
                self.pen.lines.append(_CHECKS)
                if self.memory_argument:
                    self.write(f"memory = {frame.bind(Memory, 'Memory')}()")
            with self.caught(top=top):
                self.whole(use, frame)
                if top and self.forgets:
                    self.pen.lines.insert(-1, _DONE[:-1])
        self.functions.add(lines)
        return name

    def whole(self, use: Use, frame: Frame) -> None:
        """The body of a function for a use."""
        self.read(use, frame)
        self.write(f"return {self.argument}")

    def whole_record(self, record: Record, frame: Frame) -> None:
        """The body of a function for a record."""
        self.record(record, frame)
        self.write(f"return {self.argument}")

    @contextmanager
    def caught(self, *, top: bool = False) -> Iterator[None]:
        """Around the body of a function: what raises in it is an answer."""
        with self.block("try:"):
            yield
        if top and self.doubts_floats:
            with self.block(f"except {self.pen.bind(Doubt, 'Doubt')}:"):
                self.write(DOUBT)
        with self.block("except Passing:"):
            if top and self.forgets:
                self.pen.lines.append(_DONE[:-1])
            self.write("raise")
        with self.block("except Exception as error:"):
            self.write(f"return {self.after_error}")

    def function_of(self, key: str, frame: Frame) -> str:
        """The name of the function for one record or alias, written later."""
        aim = frame.aim._replace(disposable=False, is_option=False)
        frame = self.frame.inner(
            value=self.argument,
            given=self.argument,
            source=frame.source,
            reading=frame.reading,
            shown=Shown(frame.hidden, frame.hidden),
            aim=aim,
            inside=(key,),
        )
        mark = (key, frame.source, frame.reading, frame.hidden, aim)
        noun = "alias" if key in self.plan.shape.aliases else "record"
        return self.functions.named(mark, f"{self.sort}_{noun}", lambda name: self._write_function(name, key, frame))

    def _write_function(self, name: str, key: str, frame: Frame) -> None:
        pen, shape = self.pen, self.plan.shape
        remembers = bool(self.memory_argument) and key in shape.recursive
        body = pen.claimed(f"{name}_read") if remembers else name
        kept = pen.kept
        looks = self.functions.later is not None and is_large(shape)
        if looks:
            pen.kept = {}
        with pen.aside() as lines, self.block(f"def {body}({self.argument}{self.memory_argument}):"), self.caught():
            if key in shape.aliases:
                self.whole(shape.aliases[key], frame.inner(circular=True))
            else:
                self.whole_record(shape.records[key], frame)
        if looks:
            # What the top function looks at knows nothing of these classes: to give up lets the engine look again.
            lines[1:1] = checks_of(frame, pen.kept, DOUBT).splitlines()
            kept |= pen.kept
            pen.kept = kept
        self.functions.add(lines)
        if remembers:
            self.functions.add(self._remembering(name, body))

    def _remembering(self, name: str, body: str) -> list[str]:
        """The lines of a function that keeps what it finds of a value: it may be asked again."""
        spare = [
            "    spare = memory.spare and memory.spare.get(mark)",
            f"    read = spare.pop() if spare else {body}(data, memory)",
        ]
        made = ["    else:", "        memory.made.append((mark, data, read))"]
        return [
            f"def {name}(data, memory):",
            f"    if data.__class__ in {self.pen.bind(LEAVES, 'LEAVES')}:",
            f"        return {body}(data, memory)",
            f"    mark = ({name!r}, id(data))",
            "    if mark in memory.failed:",
            "        return memory.failed[mark][1]",
            *(spare if self.retries else [f"    read = {body}(data, memory)"]),
            "    if read.__class__ is Stop:",
            "        memory.failed[mark] = data, read",
            *(made if self.retries else []),
            "    return read",
        ]

    def part(self, use: Use, frame: Frame) -> str:
        """The name of a function that reads a use: that of its record or alias, where nothing stands beside it."""
        if isinstance(use.node, Link | Alias) and use.replace(about=NO_ABOUT) == Use(use.node):
            return self.function_of(use.node.key, frame)
        frame = frame.inner(aim=frame.aim._replace(is_option=True))
        return self.entry(use, self.functions.numbered(f"{self.sort}_part"), frame)

    def apart(self, use: Use, frame: Frame) -> None:
        """What its function gives up is given up here."""
        self._called(self.part(use, frame), frame)

    def _called(self, name: str, frame: Frame) -> None:
        self.write(f"{frame.value} = {name}({frame.value}{self.memory_argument})")
        self._leave_if_stopped(frame.value, f"return {frame.value}")

    def link(self, key: str, use: Use, frame: Frame) -> None:
        """Read a record: in place where it is small and not inside itself, else by its own function."""
        record = self.plan.shape.records.get(key)
        small = record is not None and len(record.fields) <= _INLINE_FIELDS and len(frame.inside) < self.most_inline
        if record is not None and small and key not in frame.inside and key not in self.plan.shape.recursive:
            self.record(record, frame.inner(inside=(*frame.inside, key), circular=False))
        else:
            self._called(self.function_of(key, frame), frame)
        self.parts(use.parts, use.node.facts, frame)

    # Unions

    def no_option(self, node: Branches, frame: Frame, key: str, given: str) -> None:
        """The end."""
        self.write(REFUSE)

    def tagged_typed(self, node: Branches, frame: Frame) -> None:
        """Which option it is, is told by what it is."""
        self.options(node, frame)

    def options(self, node: Branches, frame: Frame) -> None:
        """Read by the first that will do."""
        value = frame.value
        options = options_in_order(self.plan, node, frame.reading)
        if node.alone:
            if all(each.bare.node.is_single for each in node.options):
                self.write(f"{value} = {self.admits_alone(node, value, self.memory_argument, frame, asks='.only')}")
                self._leave_if_stopped(value, f"return {value}")
                return
            alone = self.variable("alone")
            self.write(f"{alone} = {self.admits_alone(node, value, self.memory_argument, frame)}")
            with self.block(f"if {alone} is not True:"):
                self.write(f"return REFUSED if {alone} is False else UNSURE")
            if frame.aim.only_asks:
                return
        ready = self._ready(options, frame)
        if not ready:
            self._tried(options, frame)
            return
        with self.block(f"if not ({' or '.join(ready)}):"):
            self._tried(options, frame)

    def admits_alone(self, node: Branches, value: str, memory_argument: str, frame: Frame, *, asks: str = "") -> str:
        """The source of whether one option alone admits a value; None where it is in doubt.

        `memory_argument` hands the memory on, `asks` names another question. What was found is kept while one piece
        of data is judged.
        """
        mark = (id(node), frame.reading, frame.hidden)
        if mark not in self._asking:
            asking = frame.inner(aim=frame.aim._replace(notes_unknown=False, only_asks=True))
            names = [self.part(option, asking) for option in node.options]
            plain = frame.reading.is_json
            others = [classes_refused(each, self.plan) if plain else frozenset[type]() for each in node.options]
            leaves = all(each.bare.node.is_single for each in node.options)
            once = frame.bind(ExclusiveUnion(others, leaves=leaves), "ONE_ALONE")
            self._asking[mark] = once, f"({', '.join(names)},)"
        once, options = self._asking[mark]
        return f"{once}{asks}({options}, {value}{memory_argument})"

    def _ready(self, options: tuple[Use, ...], frame: Frame) -> list[str]:
        """Tests for values that are what an option makes of them, where no option before it takes their class."""
        tests = []
        before: set[type] = set()
        for option in options if frame.reading.is_json else ():
            takes = classes_read(option, self.plan)
            plain = not (option.parts or option.documents) and stages_of(option, frame.reading).reads_what_came
            if plain and isinstance(option.node, Scalar) and takes.isdisjoint(before):
                test = self.plan.fitted(option.node.kind).ready(frame.reading, frame.value, frame.bind)
                tests += [f"({test})"] if test not in ("True", "False") else []
            before |= takes
        return tests

    def _tried(self, options: tuple[Use, ...], frame: Frame) -> None:
        """One option after the other."""
        value, read, aim = frame.value, self.variable("read"), frame.aim
        start = self.remembering()
        drops = ""
        # The option that drops the fewest keys is chosen: here one that drops none, else the telling function does.
        choosing = not aim.only_asks and any(map(self.may_drop, options))
        if choosing:
            drops = self.variable("drops")
            self.write(f"{drops} = False")
        trying = frame.inner(aim=aim._replace(notes_unknown=aim.notes_unknown or choosing, disposable=False))
        for number, option in enumerate(options):
            name = self.part(option, trying)
            never = classes_refused(option, self.plan) if frame.reading.is_json else frozenset()
            # What is in doubt ends it: the telling function may admit it by this very option.
            tests = [f"{read}.__class__ is Stop and {read} is not UNSURE"] if number else []
            tests += [f"{value}.__class__ not in {frame.bind(never, 'OTHERS')}"] if never else []
            if not tests:
                self.write(f"{read} = {name}({value}{self.memory_argument})")
                continue
            if not number:
                self.write(f"{read} = REFUSED")
            with self.block(f"if {' and '.join(tests)}:"):
                if number:
                    self.undone(start)
                    if drops:
                        self.write(f"{drops} = {drops} or {read} is DROPS")
                self.write(f"{read} = {name}({value}{self.memory_argument})")
        dropping = f"return DROPS if {drops} and {read} is REFUSED else {read}"
        self._leave_if_stopped(read, dropping if drops else f"return {read}")
        self.write(f"{value} = {read}")

    def remembering(self) -> str:
        """A variable for how much was made before the options of a union are tried, "" where that is not counted."""
        if not self.memory_argument or not self.retries:
            return ""
        start = self.variable("start")
        self.write(f"{start} = len(memory.made)")
        return start

    def undone(self, start: str) -> None:
        """What an option made that came to nothing may serve the next one."""
        if start:
            with self.block(f"if len(memory.made) != {start}:"):
                self.write(f"memory.undone({start})")
