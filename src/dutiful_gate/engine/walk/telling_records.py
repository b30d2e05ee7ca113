"""Telling functions: records, each in a function of its own."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from functools import partial
from typing import Any

from ...codegen.writer import all_of
from ...declare.conditions import Stated
from ...declare.outside import asks_outside
from ...declare.presence import WhenObeys
from ...declare.records import RecordRule
from ...declare.value_conditions import Over
from ...report.cause import HIDDEN, HIDDEN_CONDITION, Cause, UnknownKey
from ...report.document_order import in_document_order
from ...report.fault import Path
from ...shape.nodes import Fixed, Items
from ...shape.paths import FactsAt, in_data
from ...shape.shape import Field, Record, Shape
from ...shape.walk import holds_secret
from ..field_access import FieldsReach
from ..plan import barred_keys, known_keys
from ..rest_fields import sorter_of, taken_keys
from ..runtime import (
    MORE,
    TOO_DEEP,
    as_sent,
    by_own_name,
    drop_unknown,
    drop_unnamed,
    is_record,
    note_absent,
    note_taken,
    opened,
    record_fault,
    refuse_unknown,
    refuse_unnamed,
    wordless_fault,
)
from .frame import Frame, Shown, Spoken
from .outcome import Check, needs
from .records import RecordSoFar
from .telling_values import TellingValues


class TellingRecords(TellingValues):
    """Writes what reads records."""

    def begin_record(self, so_far: RecordSoFar) -> bool:
        """Within the limit on depth; an empty record past the limit on faults is counted at once."""
        plan, record, frame = self.plan, so_far.record, so_far.frame
        self.write("faults = log.faults")
        self.write("start, full = len(faults), log.full")
        if record.key in plan.shape.recursive:
            deep = Cause("depth", TOO_DEEP.needs, {"most": plan.limits.depth}, got=TOO_DEEP.got)
            with self.block(f"if len(path) >= {plan.limits.depth}:"):
                self.fault(frame, frame.bind(deep, "DEPTH"))
                self.write("return REFUSED")
        if plan.outgoing and record.computed:
            self.write("whole = data")
        if _has_other_names(record):
            self.write("sent, counts_before = {}, (start, len(log.fallbacks), len(log.dropped))")
        return True

    def open_record(self, so_far: RecordSoFar) -> None:
        """What is no record ends it."""
        frame, came, is_text = so_far.frame, so_far.came, so_far.frame.is_text
        if came and self.plan.outgoing:
            with self.block(f"if {came} is None:"):
                self.fault(frame, self.cause(frame, needs("kind", "a record of the declared type")), "data")
                self.write("return REFUSED")
        with self.block("if data.__class__ is not dict:"):
            with self.block(f"if not {frame.bind(is_record, 'is_record')}(data, {is_text}):"):
                self.fault(frame, self.cause(frame, needs("kind", self.noun("a record", frame))), "data")
                self.write("return REFUSED")
            known = frame.bind(known_keys(self.plan, so_far.record), "KNOWN")
            self.write(f"data = {frame.bind(opened, 'opened')}(data, {known}, {is_text})")

    def begin_fields(self, so_far: RecordSoFar) -> None:
        """Count the fields that are not in the data, so that what is left over is known to be unknown."""
        record, frame = so_far.record, so_far.frame
        if frame.is_text:
            most = {"most": len(record.fields)}
            long = needs("count", "at most {most} cells in a row", expected=most, got="more")
            with self.block("if None in data:"):  # what a reader of CSV gives for the cells past its header
                self.fault(frame, self.cause(frame, long))
                self.write("data = {key: cell for key, cell in data.items() if key is not None}")
        self._nothing_came(so_far)
        so_far.missing, so_far.lost = self.variable("missing"), self.variable("lost")
        self.write(f"{so_far.missing} = {so_far.lost} = 0")

    def _nothing_came(self, so_far: RecordSoFar) -> None:
        """Past the limit on faults, count those of an empty record at once: one of each required field, no other."""
        record = so_far.record
        required = {field.attribute for field in record.fields if field.required and not field.withheld}
        silent = all(rule.needs_values and not required.isdisjoint(rule.fields) for rule in record.rules)
        silent = silent and not any(rest.use.parts for rest in record.rests)
        if not required or not silent or self.plan.outgoing or so_far.frame.is_text:
            return
        with self.block("if full and not data:"):
            self.write(f"faults.append({so_far.frame.bind(MORE, 'MORE')})")
            self.write(f"log.untold += {len(required) - 1}")
            self.write("return REFUSED")

    # Fields

    @contextmanager
    def judged_field(self, field: Field, so_far: RecordSoFar) -> Iterator[None]:
        """Count the faults around it."""
        if field.attribute not in so_far.mentioned:
            yield
            return
        before = self.mark(so_far.frame)
        yield
        is_sound = so_far.sound[field.attribute] = self.variable("is_sound")
        self.write(f"{is_sound} = len(faults) == {before}")

    def there(self, so_far: RecordSoFar) -> None:
        """It is among the keys."""

    def left_out(self, so_far: RecordSoFar) -> None:
        """One that is not."""
        self.write(f"{so_far.missing} += 1")

    @contextmanager
    def under_own_name(self, field: Field, frame: Frame, so_far: RecordSoFar) -> Iterator[None]:
        """Under several it is a fault."""
        if not field.also:
            yield
            return
        several = self.variable("several")
        also, wire = frame.bind(field.also, "ALSO"), frame.bind(field.wire, "KEY")
        self.write(f"data, {several} = {frame.bind(by_own_name, 'by_own_name')}(data, {wire}, {also}, sent)")
        names = {"names": (field.wire, *field.also)}
        only_one = needs("repeat", "one of {names} only", expected=names, got="several")
        with self.unless(frame, Check(several, only_one, given="None")):
            yield

    def required(self, field: Field, frame: Frame, so_far: RecordSoFar, test: str, came: str, mark: str) -> None:
        """What is absent stands where the record begins: before the faults of what is there."""
        with self.block(f"if {test}:{mark}"):
            self.write(came)
            self.in_data(field, frame)
        with self.block("else:"):
            cause = self.cause(frame, needs("absent", "a value"))
            note = frame.bind(note_absent, "absent")
            self.write(f"{so_far.lost} += {note}(log, full, start + {so_far.lost}, {frame.path}, {cause})")
            self.passed(frame, "absent", "nothing came, and it has no default", "False")

    # Keys that nobody declared

    def unknown_keys(self, so_far: RecordSoFar) -> None:
        """Those that are left over are refused, or told as left out."""
        record, came = so_far.record, so_far.came
        known = so_far.frame.bind(known_keys(self.plan, record), "KNOWN")
        test = f"len(data) + {so_far.missing} + {so_far.lost} != {len(record.fields)}"
        with self.block(f"if {came} is None and {test}:" if came else f"if {test}:"):
            self._tell_unknown(so_far, "data", known)

    def _tell_unknown(self, so_far: RecordSoFar, data: str, known: str) -> None:
        frame = so_far.frame
        if self.plan.refuses_unknown(so_far.record):
            self._refuse_keys(so_far, data, known)
        else:
            drop = drop_unnamed if frame.hidden else drop_unknown
            self.write(f"{frame.bind(drop, 'drop_unknown')}({data}, {known}, path, log)")

    def _refuse_keys(self, so_far: RecordSoFar, data: str, known: str) -> None:
        """A fault for each key that is not known; inside a secret one for all."""
        frame = so_far.frame
        if frame.hidden:
            cause = self.cause(frame, needs("unknown", "known keys only", got=HIDDEN))
            refuse = frame.bind(refuse_unnamed, "refuse_unknown")
        else:
            wires = tuple(field.wire for field in so_far.record.fields if not field.withheld)
            cause = frame.bind(UnknownKey(known=wires), "UNKNOWN")
            refuse = frame.bind(refuse_unknown, "refuse_unknown")
        self.write(f"{refuse}({data}, {known}, path, log, {cause})")

    def refuse_barred(self, so_far: RecordSoFar) -> None:
        """They are as unknown as any."""
        frame = so_far.frame
        if barred := barred_keys(so_far.record):
            came = self.variable("barred")
            self.write(f"{came} = {{key: data[key] for key in data if key in {frame.bind(barred, 'BARRED')}}}")
            with self.block(f"if {came}:"):
                self._tell_unknown(so_far, came, frame.bind(frozenset(), "NONE"))

    def sort_rests(self, so_far: RecordSoFar, values: list[str], whole: str) -> None:
        """What is left is refused."""
        frame, left = so_far.frame, self.variable("left")
        sorter = frame.bind(sorter_of(self.plan, so_far.record, frame.reading), "SORTER")
        self.write(f"({', '.join(values)}), {left} = {sorter}.apart({whole})")
        with self.block(f"if {left}:"):
            self._refuse_keys(so_far, left, frame.bind(frozenset(), "NONE"))

    def if_there(self, whole: str, so_far: RecordSoFar) -> str:
        """Whatever there is."""
        return whole

    def rest(self, field: Field, number: int, frame: Frame, so_far: RecordSoFar) -> None:
        """What goes out may not take the place of a field, or be another's."""
        if frame.reading.is_typed:
            record, value = so_far.record, frame.value
            classes_read = self.cause(frame, needs("repeat", "keys that no field has", got="one of them"))
            wires = frame.bind(taken_keys(record), "WIRES")
            self.write(f"{frame.bind(note_taken, 'note_taken')}({value}, {wires}, path, log, {classes_read})")
            if len(record.rests) > 1:
                sorter = frame.bind(sorter_of(self.plan, record, frame.reading), "SORTER")
                others = self.cause(frame, needs("repeat", "keys that no other field gathers", got="one of them"))
                self.write(f"{sorter}.note_misplaced({number}, {value}, path, log, {others})")
        self.read(field.use, frame)

    # Rules between fields

    def keys_from(self, so_far: RecordSoFar) -> str:
        """Those of the data."""
        return "data"

    def begin_rules(self) -> None:
        """What they say is told after all fields, and stands at one of them."""
        self.write("late = []")

    def end_rules(self) -> None:
        """So it is."""
        self.write("faults += late")

    def record_rule(
        self, rule: RecordRule, tests: list[str], condition: str, reach: FieldsReach, so_far: RecordSoFar
    ) -> None:
        """What raises does not hold."""
        if not rule.paths:  # the whole must be sound
            tests = [*tests, "len(faults) == start"]
        if not rule.may_raise and not any(reach.facts(path).open for path in rule.paths):
            with self.block(f"if {all_of([*tests, f'not ({condition})'])}:"):
                self._record_fault(rule, reach, so_far)
            return
        with self.block(f"if {all_of(tests)}:"):
            agrees = self.variable("agrees")
            with self.block("try:"):
                self.write(f"{agrees} = {condition}")
            # Divided by zero, past the end of the calendar, or of kinds that do not compare: it does not hold.
            with self.block("except RecursionError:"):
                self.write("raise")
            with self.block("except Exception:"):
                self.write(f"{agrees} = False")
            with self.block(f"if not {agrees}:"):
                self._record_fault(rule, reach, so_far)

    def _record_fault(self, rule: RecordRule, reach: FieldsReach, so_far: RecordSoFar) -> None:
        record, frame = so_far.record, so_far.frame
        first = None if rule.of_whole else record.by_attribute[rule.fields[0]]
        face = rule.face(FactsAt(reach.paths, record))
        hidden = any(use.secret for path in rule.paths for use in reach.paths.uses(record, path))
        told = rule.numbers(lambda path: reach.paths.wire(record, path))
        names = frozenset(reach.paths.wire(record, path) for path in rule.paths)
        said = needs(
            face.code,
            face.needs,
            None if first is None else first.use.facts,
            expected=_told_of(told, names) if hidden or frame.hidden else told,
            own_words=rule.own_words,
            got=face.got,
            secret=hidden,
        )
        label = "" if first is None else first.label
        cause = self.cause(frame.inner(spoken=Spoken(label)), said)
        if not (hidden or frame.hidden) and asks_outside(rule):
            numbers = partial(rule.numbers, lambda path: reach.paths.wire(record, path))
            cause = f"{frame.bind(partial(_as_handed, numbers), 'as_handed')}({cause})"
        if first is None:
            self.write(f"late.append((path, {cause}, None, None))")
            return
        key = self.pen.key(first.wire, trusted=first.wire == first.attribute)
        value = so_far.value_of[first.attribute]
        hidden = hidden or frame.hidden
        shown = frame.inner(shown=Shown(hidden, holds_secret(first.use, self.plan.shape.guarded)))
        given = self.shown(shown, f"data.get({key}, {value})")
        whole = f"late.append((path + {self.step(key)}, {cause}, {given}, {self.shown(shown, value)}))"
        over = _over_all(rule)
        if over is None or hidden or not isinstance(first.use.bare.node, Items | Fixed):
            self.write(whole)
            return
        # The item that broke it is pointed at.
        at = self.variable("at")
        with self.block("try:"):
            self.write(f"{at} = {over.first_failing(value, frame.bind, lambda path: reach.facts((*over.path, *path)))}")
            item = self.shown(shown, f"{value}[{at}]")
            self.write(f"late.append((path + ({key}, {at}), {cause}, {item}, {item}))")
        with self.block("except RecursionError:"):
            self.write("raise")
        with self.block("except Exception:"):
            self.write(whole)

    # The end

    def end_record(self, so_far: RecordSoFar) -> None:
        """Documents, what is computed, and the record; or its faults in the order of the data."""
        record, frame = so_far.record, so_far.frame
        for document in record.documents if frame.reading.of_documents else ():
            with self.sound("start"):
                self.fitting(document, "data", frame)
        for field in record.computed if self.plan.outgoing else ():
            self._compute(field, so_far)
        with self.block("if len(faults) != start:"):
            with self.block("if len(faults) > start + 1 and not full:"):
                self._in_order(so_far)
                self.write("log.spill(start)")
            self._tell_as_sent(so_far)
            self.write("return REFUSED")
        self._tell_as_sent(so_far)
        self._build(so_far)

    def _compute(self, field: Field, so_far: RecordSoFar) -> None:
        """What is computed beside a secret may be made of it: what is wrong with it is told without its value."""
        record, whole = so_far.record, so_far.frame
        value = self.pen.field_variable(field.attribute)
        frame = whole.part(value, f"path + {self.step(whole.bind(field.wire, 'KEY'))}")
        with self.block("try:"):
            self.write(f"{value} = {self.computed(field, so_far)}(whole)")
        with self.block("except ValueError as error:"):
            unmade = self.cause(whole, needs("check", "a value that can be computed", got="none"))
            self.fault(frame, f"{whole.bind(self.words_of(whole), 'own_fault')}({unmade}, error)")
        with self.block("else:"):
            hides = field.use.secret or record.key in self.plan.shape.guarded
            self.read(field.use.replace(secret=hides), frame)

    def _in_order(self, so_far: RecordSoFar) -> None:
        """Order the faults of a record as its keys stand in the data; they do already, where these are as declared.

        What is absent is first by then. A disagreement, found late, stands at its field even where that is absent.
        """
        record, frame, lost = so_far.record, so_far.frame, so_far.lost
        order = frame.bind(in_document_order, "in_document_order")
        wires = frame.bind([field.wire for field in record.fields], "WIRES")
        self.write("keys = [*data]")
        count = len(record.fields)
        unlike = f"keys != {wires} and (len(keys) == {count} or keys != [key for key in {wires} if key in data])"
        with self.block(f"if {unlike}{' or late' if record.rules else ''}:"):
            self.write(f"{order}(faults, start + {lost}, len(path), keys)")

    def _tell_as_sent(self, so_far: RecordSoFar) -> None:
        """What is told of a field that came under another name stands there."""
        if _has_other_names(so_far.record):
            with self.block("if sent and not full:"):
                self.write(f"{so_far.frame.bind(as_sent, 'as_sent')}(log, counts_before, len(path), sent)")

    def _build(self, so_far: RecordSoFar) -> None:
        """Make the record; what its own constructor, or a check of it, says against it is a fault too."""
        record, frame = so_far.record, so_far.frame
        if (record.stores or record.form == "dict") and not record.checks and not so_far.came:
            self.build(so_far, "made")
            self.write("return made")
            return
        words = self.words_of(frame)
        at = _fields_only if words is wordless_fault else in_data
        wire = frame.bind(partial(at, self.plan.shape, record), "WIRE")
        unsound = self.cause(frame, needs("check", "a sound record"))
        with self.block("try:"):
            self.make(so_far, "made")
            for check in record.checks:
                with self.block(f"if {self.says_no(check, 'made', frame)}:"):
                    said = needs("check", "a record that passes {check}", expected={"check": str(check)})
                    self.fault(frame, self.cause(frame, said), "data")
            self.write("return made if len(faults) == start else REFUSED")
        with self.block("except ValueError as error:"):
            told = f"{frame.bind(record_fault, 'record_fault')}({unsound}, path, error, {wire}, "
            self.write(f"faults.append({told}{frame.bind(words, 'own_fault')}))")
            self._tell_as_sent(so_far)
            self.write("return REFUSED")


def _over_all(rule: RecordRule) -> Over | None:
    """What all items of one field of the record must obey, where a rule says that of them."""
    said = rule.then if isinstance(rule, WhenObeys) else rule
    held = said.holds if isinstance(said, Stated) else None
    return held if isinstance(held, Over) and held.word == "all" and len(held.path) == 1 else None


def _has_other_names(record: Record) -> bool:
    return any(field.also for field in record.fields)


def _fields_only(shape: Shape, record: Record, path: Path) -> Path:
    """The same path where nothing is to be told of the data: nothing but a field of the record."""
    return in_data(shape, record, path) if path and path[0] in record.by_attribute else ()


def _told_of(told: Mapping[str, object], names: frozenset[str]) -> Mapping[str, object]:
    """What is told of a rule on secrets: no constant that they are compared with."""

    def may_be_told(word: str, held: object) -> bool:
        if isinstance(held, list):
            return names.issuperset(held)
        return word == "comparison" or (isinstance(held, str) and held in names)

    in_its_place = {"condition": HIDDEN_CONDITION, "when": HIDDEN_CONDITION}
    return {word: held if may_be_told(word, held) else in_its_place.get(word, HIDDEN) for word, held in told.items()}


def _as_handed(numbers: Callable[[], Any], cause: Cause) -> Cause:
    """The cause of a fault with the numbers that are handed over."""
    return cause.replace(expected=numbers())
