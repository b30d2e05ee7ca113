"""Quick functions: single values and collections. They leave at the first doubt, straight on."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager, nullcontext
from functools import wraps
from typing import Any, ClassVar, Final

from ...codegen.writer import all_of
from ...declare.embedded import Embedded
from ...declare.facts import Facts, Stop
from ...declare.hash_limits import crowded
from ...declare.kinds import Kind, Reader, Text
from ...declare.kinds.number import whole_from_json
from ...declare.rules import Rule
from ...declare.steps import Step, trimmed
from ...shape.nodes import Choice, Entries, Nothing, Scalar
from ...shape.stages import Stages
from ...shape.uses import Use
from ...shape.walk import every
from ..handover import LARGE, hand_over, split
from ..hash_limits import spreads
from ..own_functions import Doubt, Unread
from ..plan import choice_reader, choice_ready, is_lone_text, is_text, member_table
from ..runtime import in_json_forms
from .frame import Frame
from .outcome import DOUBT, REFUSE, Check, FaultWords, Loop
from .records import RecordWalk
from .settled import settled_test

_SIXTY_FOUR_BITS: Final = 2.0**63


def whole_beyond_doubt(value: object) -> object:
    """A whole number read from JSON. Raises Doubt where it came as a float that may stand for other digits."""
    if value.__class__ is float and not -_SIXTY_FOUR_BITS < value < _SIXTY_FOUR_BITS:
        raise Doubt
    return whole_from_json(value)


class QuickValues(RecordWalk):
    """Writes what reads single values and collections."""

    most_nested: ClassVar[int] = 6
    leaves_loop: ClassVar[str] = DOUBT
    doubts_floats: bool
    hands_over: bool
    _raising: dict[Reader, Reader]

    # What leaves

    def came(self, frame: Frame) -> Frame:
        """It tells nothing of what came."""
        return frame

    @contextmanager
    def unless(self, frame: Frame, *checks: Check) -> Iterator[None]:
        """Each check that is true is the end."""
        for check in checks:
            if check.answer:
                with self.block(f"if {check.test}:"):
                    self.write(check.answer)
        yield

    def mark(self, frame: Frame) -> str:
        """What follows is sound as long as it is there."""
        return ""

    def sound(self, mark: str) -> nullcontext[None]:
        """So it is."""
        return nullcontext()

    def nested(self, frame: Frame) -> Frame:
        """Blocks count."""
        return frame.deeper()

    def unless_is(self, value: str, classes: str) -> str:
        """The answer for a value not exactly of a class: in doubt where it is of one that may be taken for it."""
        return f"return UNSURE if isinstance({value}, {classes}) else REFUSED"

    def not_of(self, frame: Frame, exactly: str, loosely: str, said: FaultWords) -> Check:
        """A value of a class that may be taken for the wanted one is in doubt."""
        if frame.reading.is_half_typed and exactly == "str":  # what came as text is of a class of its own there
            return Check(f"not isinstance({frame.value}, str)", said)
        return Check(f"{frame.value}.__class__ is not {exactly}", said, self.unless_is(frame.value, loosely))

    @contextmanager
    def judged(self, use: Use, stages: Stages, frame: Frame) -> Iterator[None]:
        """What a document does not admit is in doubt; what stands in is the telling function's affair."""
        self.fitting(stages.documents, frame)
        yield

    def fitting(self, documents: Sequence[Embedded], frame: Frame) -> None:
        """Judge what came by the documents that stand beside it."""
        for document in documents:
            came = frame.value
            if frame.reading.is_half_typed:
                came = f"{frame.bind(in_json_forms, 'in_json_forms')}({came})"
            with self.block(f"if not {frame.bind(document.sound, 'FITS')}({came}):"):
                self.write(DOUBT)

    def split(self, use: Use, stages: Stages, frame: Frame) -> Frame:
        """Keep the text, by which its parts are known when they are read again."""
        came, value = self.variable("came"), frame.value
        self.write(f"{came} = {value}")
        self.write(f"{value} = {frame.bind(split, 'split')}({value}, {frame.bind(stages.split, 'SEPARATOR')})")
        return frame.read_as(stages.reading).inner(parted=(came, stages.split))

    # Single values

    def single(self, kind: Kind, use: Use, frame: Frame) -> None:
        """A single value. Most texts are ASCII: what has no blanks around it is trimmed already."""
        value, facts = frame.value, use.node.facts
        trims = type(kind) is Text and bool(use.parts) and use.parts[0] == trimmed
        if not trims or settled_test(use.parts, value, frame.bind):
            super().single(kind, use, frame)
            return
        with self.lone(frame):
            # To take the blanks of ASCII off costs half; what has none is the same text, and then only that is asked.
            with (
                self.block(f"if {value}.__class__ is str and {value}.isascii():"),
                self.block(f"if {value}.strip() is not {value}:"),
            ):
                self.parts(use.parts[:1], facts, frame)
            with self.block("else:"):
                self._scalar(self.kind_here(kind, frame), use.parts, frame)
                self.parts(use.parts[:1], facts, frame)
            self.parts(use.parts[1:], facts, frame)

    @contextmanager
    def read_single(self, kind: Kind, use: Use, frame: Frame) -> Iterator[None]:
        """Leave where it cannot be read."""
        self._scalar(kind, use.parts, frame)
        yield

    def _scalar(self, kind: Kind, parts: Sequence[Step | Rule], frame: Frame) -> None:
        """Check a single value's kind, and read it where it is not ready."""
        value, reading = frame.value, frame.reading
        ready = kind.ready(reading, value, frame.bind)
        if ready == "True":
            return
        read = kind.reader(reading)
        if self.doubts_floats and read is whole_from_json:
            read = whole_beyond_doubt
        if kind.double and ready != "False" and _shut_in(parts):
            ready = f"{value}.__class__ is float"  # bounds on both sides keep NaN and infinities out
        quick_reader = kind.quick_reader(reading, value, frame.bind)
        if ready != "False":
            plain = " and " in ready or " or " in ready
            with self.block(f"if not ({ready}):" if plain else f"if {ready.replace(' is ', ' is not ')}:"):
                if frame.aim.is_option and type(kind.strict) is Text:  # a text that is not ready is none
                    with self.block(f"if {value}.__class__ is str:"):
                        self.write(REFUSE)
                self._quickly_or_read(kind, quick_reader, read, frame)
        elif quick_reader is not None:
            self._quickly_or_read(kind, quick_reader, read, frame)
        else:
            self._read_or_leave(f"{frame.bind(read, read.__name__)}({value})", value)

    def _read_or_leave(self, expression: str, value: str) -> None:
        self.write(f"{value} = {expression}")
        self._leave_if_stopped(value)

    def _leave_if_stopped(self, value: str, answer: str = REFUSE) -> None:
        with self.block(f"if {value}.__class__ is Stop:"):
            self.write(answer)

    def _quickly_or_read(self, kind: Kind, quick_reader: tuple[str, str] | None, read: Reader, frame: Frame) -> None:
        """Read by the expression for a common case where it applies, else by the reader, which is seldom called."""
        value = frame.value
        telling = f"{value} = {frame.bind(read, read.__name__)}" if frame.aim.is_option else ""
        raising = "" if telling else f"{value} = {frame.bind(self._or_raise(read), read.__name__)}({value})"
        if quick_reader is None:
            self.write(f"{telling}({value})" if telling else raising)
            if telling:
                self._leave_if_stopped(value)
            return
        test, expression = quick_reader
        if telling:
            self._quick_option(kind, test, expression, telling, frame)
            return
        with self.block(f"if {test}:"):
            self.write(f"{value} = {expression}")
            if kind.refuses_quickly:  # its reader asks the same, and a lenient one more
                self._leave_if_stopped(value, REFUSE if kind is kind.strict else DOUBT)
        with self.block("else:"):
            self.write(raising)

    def _quick_option(self, kind: Kind, test: str, expression: str, telling: str, frame: Frame) -> None:
        """The same for an option of a union: what raises is not the end."""
        value, came = frame.value, self.variable("came")
        with self.block(f"if {test}:"):
            self.write(f"{came} = {value}")
            with self.block("try:"):
                self.write(f"{value} = {expression}")
            with self.block("except (ValueError, OverflowError):"):
                tried = kind.after_quick_reader(frame.reading)
                self.write(f"{value} = {frame.bind(tried, tried.__name__)}({came})")
            if kind.refuses_quickly and kind is not kind.strict:
                with self.block(f"if {value}.__class__ is Stop:"):
                    self.write(f"{telling}({came})")
        with self.block("else:"):
            self.write(f"{telling}({value})")
        self._leave_if_stopped(value)

    def _or_raise(self, read: Reader) -> Reader:
        """A reader that raises for what it cannot read, which gives up too, and makes the source a third shorter."""
        known = self._raising.get(read)
        if known is None:

            @wraps(read)
            def read_or_raise(value: Any) -> Any:
                made = read(value)
                if made.__class__ is Stop:
                    raise Unread
                return made

            known = self._raising[read] = read_or_raise
        return known

    @contextmanager
    def read_choice(self, node: Choice, frame: Frame) -> Iterator[None]:
        """Leave where no constant came."""
        value, plain = frame.value, frame.reading.is_json
        ready = choice_ready(frame, node, frame.reading, value)
        if ready is not None and plain:
            with self.block(f"if not ({ready}):"):
                self.write(
                    f"return REFUSED if {value}.__class__ is str else UNSURE if isinstance({value}, str) else REFUSED"
                )
        elif node.owner is not None and plain and is_lone_text(node):
            with self.block(f"if {value}.__class__ is not str:"):
                self.write(self.unless_is(value, "str"))
            self.write(f"{value} = {frame.bind(member_table(node), 'MEMBERS')}[{value}]")
        else:
            with self.block(f"if not ({ready}):") if ready is not None else nullcontext():
                self._read_or_leave(f"{choice_reader(frame, node, frame.reading)}({value})", value)
        yield

    # Collections

    def typed_lists(self, into: str, deque: str) -> str:
        """Any may be taken for any: the telling function says which."""
        return f"(list, tuple, set, frozenset, {deque})"

    @contextmanager
    def many(self, frame: Frame, made: str, item: Use, *, start: int = 0, handed_over: bool = True) -> Iterator[Loop]:
        """Hand over what is made of many."""
        each = self.variable("item")
        if handed_over:
            self._hand_over(frame, made, item)
        yield Loop(f"for {each} in {frame.value}:", frame.part(each).deeper())

    def start_of_item(self, item: Use, loop: Loop) -> None:
        """Nothing is counted."""

    @contextmanager
    def many_entries(self, frame: Frame, made: str, node: Entries) -> Iterator[Loop]:
        """Pairs are gathered where keys may be chosen that share a hash."""
        key, held = self.variable("key"), self.variable("held")
        safe = spreads(node.key)
        self.write(f"{made} = {'{}' if safe else '[]'}")
        if not safe or (is_text(node.key) and not node.key.parts):  # where no two keys become one unnoticed
            self._hand_over(frame, made, node.key, node.value)
        yield Loop(f"for {key}, {held} in {frame.value}.items():", frame.part(held).deeper(), key=key)

    def at_key(self, key: Use, loop: Loop, whole: Frame) -> Frame:
        """It is read in its own variable."""
        return loop.frame.part(loop.key)

    def not_plain_text(self, frame: Frame, test: str, said: FaultWords) -> Check:
        """What is no plain text, or one that is not as it should be."""
        return Check(f"{frame.value}.__class__ is not str or {test}", said, self.unless_is(frame.value, "str"))

    def refuse_again(self, frame: Frame, made: str, mark: str) -> None:
        """Seen at the end, by the number of keys."""

    def keep_entry(self, node: Entries, made: str, loop: Loop, whole: Frame, mark: str) -> None:
        """Into the dict, or to the pairs."""
        key, held = loop.key, loop.frame.value
        self.write(f"{made}[{key}] = {held}" if spreads(node.key) else f"{made}.append(({key}, {held}))")

    def end_entries(self, node: Entries, made: str, frame: Frame, loop: Loop) -> None:
        """Look whether keys share a hash, or have become one."""
        if not spreads(node.key):
            with self.block(f"if {frame.bind(crowded, 'crowded')}([each[0] for each in {made}]):"):
                self.write(DOUBT)
            self.write(f"{made} = dict({made})")
        if not is_text(node.key) or node.key.parts:
            with self.block(f"if len({made}) != len({frame.value}):"):
                self.write(DOUBT)
        self.write(f"{frame.value} = {made}")

    def _hand_over(self, frame: Frame, made: str, *held: Use) -> None:
        """Keep what is made of a large collection for the telling function, which need not read it again then.

        Not where that has more to tell of what was read: which keys were dropped.
        """
        if (
            (frame.reading is not frame.source.reading and not frame.parted)
            or frame.reading.is_typed
            or not any(self._is_dear(use, frame) for use in held)
        ):
            return
        if frame.aim.disposable:
            if not frame.aim.notes_unknown and any(map(self.may_drop, held)):
                return
        elif not all(map(_is_lasting, held)):
            return
        self.hands_over = True
        value, keep = frame.value, frame.bind(hand_over, "hand_over")
        with self.block(f"if len({value}) > {LARGE}:"):
            if frame.parted:
                came, separator = frame.parted
                self.write(f"{keep}({came}, {site(frame, held, separator)}, {value})")
            self.write(f"{keep}({value}, {site(frame, held)}, {made})")

    def may_drop(self, use: Use) -> bool:
        """Whether keys that nobody declared may stand in a value."""
        return self.plan.may_drop and any(each.node.leads_to for each in every(use))

    def _is_dear(self, use: Use, frame: Frame) -> bool:
        """Whether a value is not ready as it comes."""
        if not isinstance(use.node, Scalar) or use.parts or use.is_reread:
            return not isinstance(use.node, Choice | Nothing)
        kind = self.kind_here(use.node.kind, frame)
        return kind.strict is not kind or kind.ready(frame.reading, "value", frame.bind) == "False"

    # Steps and rules

    def parts(self, parts: Sequence[Step | Rule], facts: Facts, frame: Frame) -> None:
        """Steps and rules in order; rules that stand together are one test."""
        conditions: list[str] = []
        value, bind = frame.value, frame.bind
        for part in parts:
            takes = part.takes() if facts.open else None
            if takes is not None:
                conditions.append(f"{bind(takes.covers, 'takes')}({value})")
            if isinstance(part, Rule):
                write = part.open_condition if facts.open else part.condition
                conditions.append(write(value, bind))
                continue
            self._test(conditions)
            conditions = []
            facts = part.suits(facts)
            self.write(f"{value} = {part.expression(value, bind)}")
        self._test(conditions)

    @contextmanager
    def asking(self, doing: str, frame: Frame) -> Iterator[None]:
        """What it raises is seen around."""
        self.write(doing)
        yield

    def parts_of_whole(self, use: Use, frame: Frame, mark: str) -> None:
        """As of any value."""
        self.parts(use.parts, use.node.facts, frame)

    def _test(self, conditions: list[str]) -> None:
        if conditions:
            with self.block(f"if not ({all_of(conditions)}):"):
                self.write(REFUSE)


def site(frame: Frame, held: Sequence[Use], separator: str = "") -> str:
    """The name of what tells where a collection stands, or the text that is split into one."""
    return frame.bind((*map(id, held), frame.source, frame.reading, separator), "SITE")


def _is_lasting(use: Use) -> bool:
    """Whether what is made of a value never changes, so that it may stand in two places."""
    inner = use.bare
    own = use.making is not None or inner.making is not None
    return not own and inner.node.is_single and not inner.node.facts.open


def _shut_in(parts: Sequence[Step | Rule]) -> bool:
    """Whether bounds on both sides keep infinities and NaN out by themselves."""
    if parts and isinstance(parts[0], Step):
        return False
    rules = [part for part in parts if isinstance(part, Rule)]
    every = [rule.ends for rule in rules if rule.ends is not None]
    finite = any(_is_finite(ends.floor) for ends in every) and any(_is_finite(ends.ceiling) for ends in every)
    return finite or any(rule.bounds_both_sides for rule in rules)


def _is_finite(end: object) -> bool:
    return isinstance(end, int | float) and bool(abs(end) != float("inf"))
