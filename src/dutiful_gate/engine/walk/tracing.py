"""The tracing function: the telling one, which also notes each stage that a value passes, for those who ask why.

What it notes goes into a `TraceLog`, as far as it stands on the way to the value that somebody asks about. On the way
no quick function is asked.
"""

from __future__ import annotations

from contextlib import ExitStack
from typing import ClassVar, Final

from ...codegen.unit import Unit
from ...declare.facts import Facts
from ...declare.records import RecordRule
from ...declare.rules import Rule
from ...declare.steps import Step
from ...report.cause import HIDDEN
from ...shape.nodes import Branches, Link
from ...shape.shape import Field
from ...shape.uses import Use
from ...shape.walk import holds_secret
from ..field_access import FieldsReach
from ..plan import Plan, is_text, options_in_order
from ..rest_fields import sorter_of
from ..trace import TracedRecord
from .frame import Frame
from .outcome import Loop
from .records import RecordSoFar
from .telling import Telling

_HIDDEN_RULE: Final = "a hidden rule"


def tracing_unit(plan: Plan) -> Unit:
    """The tracing function of a gate: `collect(data, (), log)`, as the telling one, with a `TraceLog`."""
    return Tracing(plan).unit(plan.shape.root, f"{plan.shape.name} why")


class Tracing(Telling):
    """Writes tracing functions."""

    traces: ClassVar[bool] = True

    def passed(self, frame: Frame, what: str, words: str = "", holds: str = "None", value: str = "") -> None:
        """Note it; of a value that holds a secret nothing is shown."""
        if frame.spoken.of_key:  # it has the place of the value under it
            if holds == "True":
                return
            what = "key"
        shown_value = ""
        if value:
            shown_value = f", {frame.bind(HIDDEN, 'HIDDEN')}, True" if frame.shown.outlined else f", {value}"
        self.write(f"log.passed({frame.path}, {what!r}, {frame.bind(words, 'WORDS')}, {holds}{shown_value})")

    def passed_reading(self, use: Use, frame: Frame) -> None:
        """What it was read as, where that is another value than what came; of a key nothing that went well is told."""
        if not frame.spoken.of_key:
            words = frame.bind(f"as {use.node.facts.phrase}", "WORDS")
            self.write(f"log.read({frame.path}, {words}, {frame.given}, {frame.value}, {frame.shown.outlined})")

    def passed_fallback(self, frame: Frame) -> None:
        """What stands in."""
        told = frame.bind(HIDDEN, "HIDDEN") if frame.shown.outlined else frame.value
        self.write(f"log.excused({frame.path}, {told}, {frame.shown.outlined})")

    def phrase(self, use: Use) -> str:
        """What people call a use."""
        node = use.bare.node
        if isinstance(node, Link):
            return f"a record ({self.plan.shape.records[node.key].name})"
        return node.facts.phrase

    # Values

    def read(self, use: Use, frame: Frame) -> None:
        """What came, and what was expected there."""
        if frame.nesting < self.most_nested and not frame.spoken.of_key:
            at = frame.at(use, self.plan)
            shown = f"{at.bind(HIDDEN, 'HIDDEN')}, True" if at.shown.outlined else f"{frame.value}, False"
            self.write(f"log.came({frame.path}, {at.bind(self.phrase(use), 'WORDS')}, {shown})")
        super().read(use, frame)

    def passed_null(self, frame: Frame) -> None:
        """Null, which it may be."""
        with self.block(f"if {frame.value} is None:"):
            self.passed(frame, "null", "which it may be", "True")

    def unread(self, frame: Frame, cause: str) -> None:
        """What would have passed."""
        what = "key" if frame.spoken.of_key else "read"
        self.write(f"log.unread({frame.path}, {what!r}, {cause})")

    def parts_of_whole(self, use: Use, frame: Frame, mark: str) -> None:
        """A collection as a whole, with the number of faults inside."""
        words = frame.bind(f"as {self.phrase(use)}", "WORDS")
        self.write(f"log.read_whole({frame.path}, {words}, len(faults) - {mark})")
        super().parts_of_whole(use, frame, mark)

    def link(self, key: str, use: Use, frame: Frame) -> None:
        """By the function of the record; off the way, by a quick one if that will do."""
        frame, mark, since = self.came(frame), self.mark(frame), self.variable("since")
        self.write(f"{since} = len(log.passed_stages)")
        if frame.spoken.says is not None:
            self._link_says(key, frame)
        else:
            quick = f"{self.quick.function_of(key, self._quick_frame(frame))}({frame.given}{self._failed})"
            self.write(f"{frame.value} = UNSURE if log.way.leads({frame.path}) else {quick}")
            with self.block(f"if {frame.value}.__class__ is Stop:"):
                self.write(f"{frame.value} = {self.function_of(key, frame)}({frame.given}, {frame.path}, log)")
        words = frame.bind(f"as {self.phrase(use)}", "WORDS")
        if key not in self.plan.shape.aliases:
            self.write(f"log.read_whole({frame.path}, {words}, len(faults) - {mark}, {since})")
        with self.sound(mark):
            self.parts(use.parts, use.node.facts, frame)

    def at_key(self, key: Use, loop: Loop, whole: Frame) -> Frame:
        """Where it is more than text."""
        frame = super().at_key(key, loop, whole)
        if not is_text(key):
            self.passed(frame, "key", f"it is read as {self.phrase(key)}")
        return frame

    def start_of_item(self, item: Use, loop: Loop) -> None:
        """All are read: the limit on faults is not reached on the way to one value."""

    # Steps and rules

    def step_of(self, step: Step, frame: Frame, blocks: ExitStack, *, openly: bool) -> None:
        """What it made."""
        before = self.variable("prior")
        self.write(f"{before} = {frame.value}")
        super().step_of(step, frame, blocks, openly=openly)
        words = frame.bind(str(step), "WORDS")
        shown = "True" if frame.shown.outlined else "False"
        self.write(f"log.stepped({frame.path}, {words}, {before}, {frame.value}, {shown})")

    def _step(self, step: Step, doing: str, frame: Frame) -> None:
        """One that fails is told with what it says."""
        mark = self.mark(frame)
        super()._step(step, doing, frame)
        with self.block(f"if len(faults) != {mark}:"):  # an else follows
            self.passed(frame, "step", str(step), "False")

    def rule(self, rule: Rule, facts: Facts, frame: Frame) -> None:
        """Its answer; beside a secret its constants are not told."""
        mark = self.mark(frame)
        super().rule(rule, facts, frame)
        words = _HIDDEN_RULE if frame.shown.outlined else str(rule)
        self.passed(frame, "rule", words, f"len(faults) == {mark}")

    # Unions

    def options(self, node: Branches, frame: Frame) -> None:
        """Each is asked."""
        self._closest(node, frame)

    def trying(self, node: Branches, frame: Frame) -> None:
        """What the options are called."""
        phrases = tuple(self.phrase(option) for option in options_in_order(self.plan, node, frame.reading))
        self.write(f"log.trying({frame.bind(phrases, 'WORDS')}, {frame.shown.outlined})")

    def tag_tells(self, node: Branches, frame: Frame, which: str, tag: str) -> None:
        """The tag, and what it stands for."""
        phrases = frame.bind((*(self.phrase(option) for option in node.options), "none of its options"), "WORDS")
        name = frame.bind(node.tag, "TAG")
        told = frame.bind(HIDDEN, "HIDDEN") if frame.hidden or self._tag_is_secret(node) else tag
        hides = told != tag
        self.write(f"log.tagged({frame.path}, {name}, {told}, {phrases}[{which}], {which} >= 0, {hides})")

    # Records

    def begin_fields(self, so_far: RecordSoFar) -> None:
        """What the record knows, for keys that it does not."""
        super().begin_fields(so_far)
        record, frame = so_far.record, so_far.frame
        wires = tuple(field.wire for field in record.fields)
        sorter = sorter_of(self.plan, record, frame.reading) if record.rests else None
        names = [f"{record.name}.{field.attribute}" for field in record.rests]

        def gathers(key: object) -> str | None:
            at = sorter.which(key) if sorter is not None else None
            return None if at is None else names[at]

        told = TracedRecord(record.name, wires, self.plan.refuses_unknown(record), gathers if names else None)
        self.write(f"log.opened(path, {frame.bind(told, 'RECORD')}, data)")

    def field(self, field: Field, number: int, so_far: RecordSoFar) -> str:
        """Its name, and those under which it may come."""
        record, frame = so_far.record, so_far.frame
        others = {name for each in record.fields if each is not field for name in (each.wire, *each.also)}
        names = {field.wire, *field.also, *({field.attribute} - others)}
        title = f", {field.use.about.title}" if field.use.about.title else ""
        words = frame.bind(f"{record.name}.{field.attribute}{title}", "WORDS")
        wire, names_of = frame.bind(field.wire, "KEY"), frame.bind(frozenset(names), "NAMES")
        self.write(f"log.field(path, {wire}, {names_of}, {words}, data)")
        return super().field(field, number, so_far)

    def defaulted(self, field: Field, frame: Frame) -> None:
        """What stands in."""
        frame = frame.at(field.use, self.plan)
        if field.may_lack:
            self.passed(frame, "absent", "nothing came: it stays absent", "True")
        elif field.factory is not None:
            self.passed(frame, "absent", "nothing came: a new one is made stands in", "True")
        else:
            shown = frame.bind(HIDDEN, "HIDDEN") if frame.shown.outlined else frame.value
            self.write(f"log.stands_in({frame.path}, {shown}, {frame.shown.outlined})")

    def record_rule(
        self, rule: RecordRule, tests: list[str], condition: str, reach: FieldsReach, so_far: RecordSoFar
    ) -> None:
        """Its answer, or for want of what it was not asked."""
        record, frame = so_far.record, so_far.frame
        late = self.variable("told")
        self.write(f"{late} = len(late)")
        super().record_rule(rule, tests, condition, reach, so_far)
        fields = [record.by_attribute[name] for name in rule.fields]
        hides = frame.hidden or any(holds_secret(field.use, self.plan.shape.guarded) for field in fields)
        words = _HIDDEN_RULE if hides else str(rule)
        wires = tuple(field.wire for field in fields)
        told = frame.bind((words, wires, rule.of_whole), "RULE")
        sound = [so_far.sound[name] for name in rule.fields if name in so_far.sound]
        wanted = f"({', '.join(sound)},)" if rule.needs_values and sound else "()"
        self.write(f"log.ruled(path, {told}, {wanted}, len(late) == {late})")

    def says_no(self, check: object, value: str, frame: Frame) -> str:
        """Its answer."""
        test = super().says_no(check, value, frame)  # type: ignore[arg-type]
        words = frame.bind(str(check), "WORDS")
        return f"log.checked(path, {words}, {test})"

    def end_record(self, so_far: RecordSoFar) -> None:
        """Checks are asked where there are no faults before them."""
        words = so_far.frame.bind(tuple(map(str, so_far.record.checks)), "WORDS")
        if so_far.record.checks:
            with self.block("if len(faults) != start:"):
                self.write(f"log.unasked(path, {words})")
        super().end_record(so_far)
