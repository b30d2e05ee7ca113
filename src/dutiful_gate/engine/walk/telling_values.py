"""Telling functions: single values, collections, steps and rules. They note what is wrong, and go on."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager, nullcontext
from functools import partial
from itertools import islice
from typing import Any, ClassVar

from ...codegen.writer import Block
from ...declare.embedded import Embedded
from ...declare.facts import Facts, FoundLater
from ...declare.kinds import Kind
from ...declare.rules import Face, FromOutside, Rule
from ...declare.rules.waiting import WaitingCheck
from ...declare.steps import OwnMaking, Step
from ...report.cause import HIDDEN, Cause
from ...report.shown_values import outlined
from ...shape.nodes import Choice, Entries, Items
from ...shape.stages import Stages
from ...shape.to_json import plain
from ...shape.uses import MISSING, Use
from ..handover import LARGE, handed_entries, handed_items, split_again
from ..hash_limits import Crowd, spreads
from ..plan import choice_reader, choice_ready
from ..runtime import (
    HIDDEN_KEY,
    StopCauses,
    fitting,
    fitting_unnamed,
    in_json_forms,
    own_fault,
    whole_first,
    wordless_fault,
)
from .frame import Frame
from .outcome import Check, FaultWords, Loop, needs
from .quick_values import site
from .records import RecordWalk


class TellingValues(RecordWalk):
    """Writes what reads single values and collections, and what runs steps and rules."""

    most_nested: ClassVar[int] = 4
    leaves_loop: ClassVar[str] = "break"
    traces: ClassVar[bool] = False
    """Whether it notes what a value has passed."""

    # Faults

    def cause(self, frame: Frame, said: FaultWords) -> str:
        """The name of a cause at the field that is being written."""
        cause_words: dict[str, Any] = {
            "label": frame.spoken.label,
            "json": frame.source.in_json,
            "of_key": frame.spoken.of_key,
            **said.cause_words,
        }
        if frame.hidden:
            cause_words["secret"] = True
        phrase = said.facts.phrase if said.facts is not None else ""
        return frame.bind(Cause(said.code, said.words, phrase=phrase, **cause_words), said.code.upper())

    def fault(self, frame: Frame, cause: str, given: str = "None", value: str = "None", under: str = "") -> None:
        """Note a fault, with no more of what came than may be shown."""
        given, value = self.shown(frame, given), self.shown(frame, value)
        path = f"{frame.path} + {under}" if under else frame.path
        self.write(f"faults.append(({path}, {cause}, {given}, {value}))")

    def shown(self, frame: Frame, value: str) -> str:
        """The source of what may be shown of a variable."""
        if frame.hidden or value == "None":
            return "None"
        return f"{frame.bind(outlined, 'outlined')}({value})" if frame.shown.outlined else value

    def check_fault(self, frame: Frame, check: Check) -> None:
        """Note what a check says."""
        given, value = check.given or frame.given, frame.value if check.counted else "None"
        cause = self.cause(frame, check.needs)
        self.fault(frame, cause, given, value, check.under)
        self.unread(frame, cause)

    def unread(self, frame: Frame, cause: str) -> None:
        """A value could not be read: told to those who ask why."""

    def words_of(self, frame: Frame) -> Callable[[Cause, Exception], Cause]:
        """What makes the words of a function's exception those of a fault, or leaves them out."""
        return wordless_fault if frame.shown.outlined else own_fault

    # Verbs that wrap what follows

    def came(self, frame: Frame) -> Frame:
        """A fault shows it: that of a field stands in the data still."""
        if frame.given != frame.value and not (frame.is_text and frame.source.repeats):
            return frame
        given = self.variable("given")
        self.write(f"{given} = {frame.value}")
        return frame.inner(given=given)

    @contextmanager
    def unless(self, frame: Frame, *checks: Check) -> Iterator[None]:
        """The first check that is true is told; what follows stands under an else."""
        for number, check in enumerate(checks):
            with self.block(f"{'elif' if number else 'if'} {check.test}:"):
                self.check_fault(frame, check)
        with self.otherwise() if checks else nullcontext():
            yield

    def otherwise(self) -> Block:
        """What follows stands under an else, if anything does."""
        return self.pen.block("else:", optional=True)

    def mark(self, frame: Frame) -> str:
        """How many faults there are."""
        before = self.variable("before")
        self.write(f"{before} = len(faults)")
        return before

    @contextmanager
    def sound(self, mark: str) -> Iterator[None]:
        """There are no more."""
        with self.block(f"if len(faults) == {mark}:"):
            yield

    def not_of(self, frame: Frame, exactly: str, loosely: str, said: FaultWords) -> Check:
        """Whatever may be taken for it will do."""
        test = f"not isinstance({frame.value}, {loosely})"
        if exactly == "list":  # as a rule it is one
            test = f"{frame.value}.__class__ is not list and {test}"
        return Check(test, said)

    @contextmanager
    def judged(self, use: Use, stages: Stages, frame: Frame) -> Iterator[None]:
        """Documents judge what came where it is sound otherwise; a fault is excused where something stands in."""
        value, guarded = frame.value, use.fallback is not MISSING
        before = full = held = came = since = ""
        if guarded:  # what is excused is told for itself
            before, full = self.variable("before"), self.variable("was_full")
            self.write(f"{before}, {full}, log.full = len(faults), log.full, len(log.fallbacks) >= log.most")
            if self.plan.outgoing:
                held = self.variable("held")
                self.write(f"{held} = {value}")
        documents = use.documents if self.plan.outgoing else stages.documents
        if documents:
            came, since = self.variable("came"), self.variable("before")
            self.write(f"{came}, {since} = {value}, len(faults)")
        yield
        for document in documents:
            with self.sound(since):
                asked = self.mark(frame) if self.traces else ""
                if self.plan.outgoing:
                    write = partial(plain, use, shape=self.plan.shape)
                    self.write(f"{came} = {frame.bind(write, 'PLAIN')}({value})")
                self.fitting(document, came, frame)
                self.passed(frame, "document", str(document), f"len(faults) == {asked}")
        if guarded:
            fallback = frame.bind(use.fallback, "FALLBACK")
            self.write(f"log.full = {full}")
            # What goes out is not replaced: only what stands in itself may break the rules.
            same = f" and {held}.__class__ is {frame.bind(type(use.fallback), 'KIND')} and {held} == {fallback}"
            with self.block(f"if len(faults) != {before}{same if held else ''}:"):
                self.write(f"{value} = log.excuse({before}, {fallback})")
                self.passed_fallback(frame)

    def fitting(self, document: Embedded, came: str, frame: Frame) -> None:
        """Judge what came by a document that stands beside it."""
        judge = frame.bind(document, "FITS")
        if frame.reading.is_half_typed:
            came = f"{frame.bind(in_json_forms, 'in_json_forms')}({came})"
        if frame.shown.outlined:
            cause = self.cause(frame, needs("check", "what the document beside it asks for", got=HIDDEN))
            self.write(f"{frame.bind(fitting_unnamed, 'fitting')}({judge}, {came}, {frame.path}, log, {cause})")
        else:
            self.write(f"{frame.bind(fitting, 'fitting')}({judge}, {came}, {frame.path}, log)")

    # Single values

    def split(self, use: Use, stages: Stages, frame: Frame) -> Frame:
        """The parts are those that the quick function made, so that what it made of them is known by them."""
        node = use.bare.node
        at = site(frame.read_as(stages.reading), [node.item] if isinstance(node, Items) else [], stages.split)
        split = frame.bind(split_again, "split")
        self.write(f"{frame.value} = {split}({frame.value}, {frame.bind(stages.split, 'SEPARATOR')}, {at})")
        return frame.read_as(stages.reading).made().inner(parted=("", stages.split))

    @contextmanager
    def read_single(self, kind: Kind, use: Use, frame: Frame) -> Iterator[None]:
        """What cannot be read is told."""
        ready = kind.ready(frame.reading, frame.value, frame.bind)
        if ready != "True":
            self._read_single(kind, ready, frame)
        with self.block(f"if {frame.value}.__class__ is Stop:"):
            cause = f"{self._stopped(frame)}[{frame.value}]"
            self.fault(frame, cause, frame.given)
            self.unread(frame, cause)
        with self.otherwise():
            yield

    def _stopped(self, frame: Frame) -> str:
        """The name of the table of causes for values that cannot be read here."""
        label, of_key, says = frame.spoken
        json = frame.source.in_json
        base = Cause("", "", label=label, secret=frame.hidden, json=json, own_words=says, of_key=of_key)
        return frame.bind(StopCauses(base), "STOPPED")

    def _read_single(self, kind: Kind, ready: str, frame: Frame) -> None:
        """Read a value that is not ready: by the expression for a common case where it applies, else by the reader."""
        value, read = frame.value, kind.reader(frame.reading)
        reading = f"{value} = {frame.bind(read, read.__name__)}({value})"
        quick_reader = kind.quick_reader(frame.reading, value, frame.bind) if ready == "False" else None
        if quick_reader is not None:
            test, expression = quick_reader
            with self.block(f"if {test}:"):
                came = self.variable("came")
                self.write(f"{came} = {value}")
                with self.block("try:"):
                    self.write(f"{value} = {expression}")
                    with self.block(f"if {value}.__class__ is Stop:"):
                        self.write("raise ValueError")
                with self.block("except RecursionError:"):
                    self.write("raise")
                with self.block("except Exception:"):
                    tried = kind.after_quick_reader(frame.reading)
                    self.write(f"{value} = {frame.bind(tried, tried.__name__)}({came})")
            with self.block("else:"):
                self.write(reading)
        elif ready == "False":
            self.write(reading)
        else:
            with self.block(f"if not ({ready}):"):
                self.write(reading)

    @contextmanager
    def read_choice(self, node: Choice, frame: Frame) -> Iterator[None]:
        """What is none of the constants is told."""
        value = frame.value
        ready = choice_ready(frame, node, frame.reading, value)
        choose = f"{value} = {choice_reader(frame, node, frame.reading)}({value})"
        if ready is None:
            self.write(choose)
        else:
            with self.block(f"if not ({ready}):"):
                self.write(choose)
        with self.block(f"if {value}.__class__ is Stop:"):
            cause = self.cause(frame, self.choices(frame, "choice", node.wire, own_words=frame.spoken.says))
            self.fault(frame, cause, frame.given)
            self.unread(frame, cause)
        with self.otherwise():
            yield

    def choices(self, frame: Frame, code: str, values: Sequence[object], **cause_words: Any) -> FaultWords:
        """What is said of a value that is none of some constants; of secrets they are not told either."""
        if frame.hidden:
            return needs(code, "one of the values that are allowed", **cause_words)
        return needs(code, "one of {choices}", expected={"choices": tuple(values)}, **cause_words)

    # Collections

    def typed_lists(self, into: str, deque: str) -> str:
        """A set for a set, a list for anything else."""
        return "(set, frozenset)" if into in ("set", "frozenset") else f"(list, tuple, {deque})"

    @contextmanager
    def many(self, frame: Frame, made: str, item: Use, *, start: int = 0, handed_over: bool = True) -> Iterator[Loop]:
        """Go on from where the quick function gave up; past the limit on faults they are only counted."""
        value = frame.value
        each, index = self.variable("item"), self.variable("index")
        over = f"enumerate({value}, {start})" if start else f"enumerate({value})"
        if handed_over:
            left = self.variable("left")
            self.write(f"{left} = {over}")
            over = left
            if frame.parted or frame.reading is frame.source.reading:
                with self.block(f"if len({value}) > {LARGE}:"):
                    self.write(f"{made} = {frame.bind(handed_items, 'handed_items')}({value}, {site(frame, [item])})")
                    rest = f"{frame.bind(islice, 'islice')}({value}, len({made}), None)"
                    self.write(f"{left} = enumerate({rest}, len({made}))")
        inner = frame.part(each, f"{frame.path} + ({index},)").deeper()
        with self.enough() as (mark, enough):
            opening = f"for {index}, {each} in {over}:"
            yield Loop(opening, inner, mark, enough, parted=frame.parted is not None)

    @contextmanager
    def enough(self) -> Iterator[tuple[str, str]]:
        """Around the loop over many values: past the limit faults are only counted.

        Gives the variables of how many faults there are, and of how many there are when the limit is reached.
        """
        before, enough, was = self.variable("before"), self.variable("enough"), self.variable("was_full")
        self.write(f"{before} = len(faults)")
        self.write(f"{enough} = {before} + (1 if log.full else log.most)")
        self.write(f"{was} = log.full")
        yield before, enough
        self.write(f"log.full = {was}")
        with self.block(f"if len(faults) > {enough}:"):
            self.write(f"log.spill({before})")

    @contextmanager
    def many_entries(self, frame: Frame, made: str, node: Entries) -> Iterator[Loop]:
        """The same of the entries of a dict."""
        value = frame.value
        name, held, here = self.variable("key"), self.variable("held"), self.variable("here")
        crowd = "" if spreads(node.key) else self.variable("crowd")
        if crowd:
            self.write(f"{crowd} = {frame.bind(Crowd, 'Crowd')}()")
        left = self.variable("left")
        self.write(f"{made} = {{}}")
        self.write(f"{left} = {value}.items()")
        with self.block(f"if len({value}) > {LARGE}:"):
            at = site(frame, [node.key, node.value])
            handed = frame.bind(handed_entries, "handed_entries")
            self.write(f"{made} = {handed}({value}, {at}, {crowd or 'None'})")
            self.write(f"{left} = {frame.bind(islice, 'islice')}({left}, len({made}), None)")
        with self.enough() as (mark, enough):
            inner = frame.part(held, here).deeper()
            yield Loop(f"for {name}, {held} in {left}:", inner, mark, enough, alone=False, key=name, crowd=crowd)

    def at_key(self, key: Use, loop: Loop, whole: Frame) -> Frame:
        """What is wrong is told of the key; a secret one has no place."""
        frame = loop.frame.part(loop.key, spoken=loop.frame.spoken._replace(of_key=True)).at(key, self.plan)
        step = frame.bind(HIDDEN_KEY, "HIDDEN_KEY") if frame.hidden else loop.key
        self.write(f"{frame.path} = {whole.path} + ({step},)")
        return frame

    def not_plain_text(self, frame: Frame, test: str, said: FaultWords) -> Check:
        """What is no text is told when it is read."""
        return Check(f"isinstance({frame.value}, str) and {test}", said)

    def refuse_again(self, frame: Frame, made: str, mark: str) -> None:
        """Told at once."""
        again = needs("repeat", "to come once", got="it again")
        self.refuse_if(frame, Check(f"len(faults) == {mark} and {frame.value} in {made}", again))

    def keep_entry(self, node: Entries, made: str, loop: Loop, whole: Frame, mark: str) -> None:
        """Into the dict, unless too many keys share a hash."""
        with self.sound(mark):
            if loop.crowd:
                with self.block(f"if {loop.crowd}.full({loop.key}):"):
                    self.fault(whole, self.cause(whole, self.crowd("keys")), whole.given)
                    self.write(f"{whole.bind(whole_first, 'whole_first')}(faults, {loop.mark}, {whole.path})")
                    self.write("break")
            self.write(f"{made}[{loop.key}] = {loop.frame.value}")

    def end_entries(self, node: Entries, made: str, frame: Frame, loop: Loop) -> None:
        """The value is the dict, where all of it is sound."""
        with self.sound(loop.mark):
            self.write(f"{frame.value} = {made}")

    def parts_of_whole(self, use: Use, frame: Frame, mark: str) -> None:
        """Rules on a whole: those that only count run even when something in it failed."""
        if not use.parts:
            return
        with self.sound(mark):
            self.parts(use.parts, use.node.facts, frame)
        counting = tuple(part for part in use.parts if isinstance(part, Rule) and part.measures_size)
        if counting:
            with self.block("else:"):
                inside = self.variable("inside")
                self.write(f"{inside} = len(faults)")
                self.parts(counting, use.node.facts, frame)
                # What is wrong with the whole stands where it begins.
                with self.block(f"if len(faults) != {inside}:"):
                    self.write(f"{frame.bind(whole_first, 'whole_first')}(faults, {mark}, {frame.path})")

    # Steps and rules

    def parts(self, parts: Sequence[Step | Rule], facts: Facts, frame: Frame) -> None:
        """Steps and rules in order: rules do not stop one another, a step that fails ends the value."""
        makes = any(isinstance(part, OwnMaking | WaitingCheck) for part in parts)
        mark = self.mark(frame) if makes else ""
        with ExitStack() as blocks:
            for part in parts:
                if isinstance(part, OwnMaking):
                    blocks.enter_context(self.sound(mark))
                takes = part.takes() if facts.open else None
                if takes is not None:
                    with self.block(f"if not {frame.bind(takes.covers, 'takes')}({frame.value}):"):
                        kind = needs("kind", self.noun(takes.phrase, frame))
                        self.fault(frame, self.cause(frame, kind), frame.given)
                    blocks.enter_context(self.otherwise())
                if isinstance(part, WaitingCheck):  # it is asked about what is sound so far
                    blocks.enter_context(self.sound(mark))
                if isinstance(part, Rule):
                    self.rule(part, facts, frame)
                    continue
                openly, facts = facts.open, part.suits(facts)
                self.step_of(part, frame, blocks, openly=openly)

    def step_of(self, step: Step, frame: Frame, blocks: ExitStack, *, openly: bool) -> None:
        """One step; what follows one that may fail stands in a block more."""
        doing = f"{frame.value} = {step.expression(frame.value, frame.bind)}"
        if not step.may_raise and not openly:
            self.write(doing)
            return
        self._step(step, doing, frame)
        blocks.enter_context(self.otherwise())

    @contextmanager
    def asking(self, doing: str, frame: Frame) -> Iterator[None]:
        """What it raises is told in its own words."""
        self._own(doing, frame)
        with self.otherwise():
            yield

    def _own(self, doing: str, frame: Frame) -> None:
        """A function of the developer's own is asked: what follows stands in an else."""
        with self.block("try:"):
            self.write(doing)
        with self.block("except Passing:"):
            self.write("raise")
        with self.block("except ValueError as error:"):
            unread = self.cause(frame, needs("check", "a value that can be read"))
            words = frame.bind(self.words_of(frame), "own_fault")
            self.fault(frame, f"{words}({unread}, error)", frame.given)

    def _step(self, step: Step, doing: str, frame: Frame) -> None:
        """A step that may raise."""
        if step.functions:
            self._own(doing, frame)
            return
        with self.block("try:"):
            self.write(doing)
        with self.block("except Passing:"):
            self.write("raise")
        with self.block("except RecursionError:"):
            self.write("raise")
        with self.block("except Exception:"):
            said = needs("reading", "a value that {step} can take", expected={"step": str(step)})
            self.fault(frame, self.cause(frame, said), frame.given)

    def rule(self, rule: Rule, facts: Facts, frame: Frame) -> None:
        """One rule on one value."""
        expected = rule.numbers()
        if frame.hidden and rule.tells_values:
            expected = dict.fromkeys(expected, HIDDEN)
        told: dict[str, Any] = {"expected": expected, "own_words": rule.own_words}
        careful = rule.may_raise or facts.open
        looked_at = frame.value
        what = rule.measured(frame.value, frame.bind)
        with ExitStack() as blocks:
            if what is not None:
                looked_at = self.variable("measured")
                if careful:
                    face = rule.faces(looked_at, facts, frame.bind)[-1]
                    cause = self.cause(frame, needs(face.code, face.needs, facts, got=face.got, **told))
                    self._tried(f"{looked_at} = {what}", rule, facts, cause, frame)
                    blocks.enter_context(self.otherwise())
                else:
                    self.write(f"{looked_at} = {what}")
            for number, face in enumerate(self._faces(rule, looked_at, facts, frame)):
                cause = self.cause(frame, needs(face.code, face.needs, facts, got=face.got, **told))
                if isinstance(rule, FromOutside) and not (frame.hidden and rule.tells_values):
                    cause = f"{frame.bind(rule.as_handed(number, facts), 'as_handed')}({cause})"
                if isinstance(face.got, FoundLater) and not frame.hidden and not frame.shown.outlined:
                    cause = f"{cause}.found_in({frame.value})"
                if not careful or what is not None:
                    with self.block(f"if not ({face.condition}):"):
                        self.fault(frame, cause, frame.given, frame.value)
                    continue
                held = self.variable("held")
                self._tried(f"{held} = {face.condition}", rule, facts, cause, frame)
                with self.block("else:"), self.block(f"if not {held}:"):
                    self.fault(frame, cause, frame.given, frame.value)

    def _tried(self, line: str, rule: Rule, facts: Facts, cause: str, frame: Frame) -> None:
        """A line that may raise: what an own function says in a ValueError is a fault, the rest of its errors pass."""
        with self.block("try:"):
            self.write(line)
        with self.block("except Passing:"):
            self.write("raise")
        with self.block("except ValueError as error:"):
            words = cause if rule.own_words else f"{frame.bind(self.words_of(frame), 'own_fault')}({cause}, error)"
            self.fault(frame, words, frame.given, frame.value)
        if facts.open:
            with self.block("except RecursionError:"):
                self.write("raise")
            with self.block("except Exception:"):
                self.fault(frame, cause, frame.given, frame.value)

    @staticmethod
    def _faces(rule: Rule, value: str, facts: Facts, frame: Frame) -> Sequence[Face]:
        faces = rule.faces(value, facts, frame.bind)
        if not facts.open or len(faces) != 1:
            return faces
        return [faces[0].replace(condition=rule.open_condition(value, frame.bind))]
