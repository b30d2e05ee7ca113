"""How the collecting function reads a record: its fields, unknown keys, the rules between fields, and its making."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from functools import partial

from ..codegen.writer import all_of
from ..declare.embedded import Embedded
from ..declare.facts import Facts
from ..declare.records import RecordRule
from ..declare.sources import Reading
from ..regex.white_space import is_blank
from ..report.cause import HIDDEN, HIDDEN_CONDITION, Cause, UnknownKey
from ..report.document_order import in_document_order
from ..report.fault import Path
from ..report.shown_values import outlined
from ..shape.nodes import Field, Record, Shape, Use
from ..shape.paths import FactsAt, in_data
from ..shape.walk import holds_secret
from .engine_writer import EngineWriter
from .fast_records import names_that_differ, native_names
from .field_access import FieldsReach, values_there
from .plan import (
    all_sent,
    barred_keys,
    build,
    constructed,
    default_source,
    holds_text,
    known_keys,
    may_be_blank,
    takes_null,
)
from .rest_fields import sorter_of
from .runtime import (
    MORE,
    TOO_DEEP,
    as_sent,
    attributes_of,
    by_own_name,
    by_wire,
    drop_unknown,
    drop_unnamed,
    gathered,
    is_record,
    note_taken,
    opened,
    record_fault,
    refuse_unknown,
    refuse_unnamed,
    remade,
    wordless_fault,
)


class RecordWriter(EngineWriter, ABC):
    """The part of a collecting writer that writes records; another part reads what their fields hold."""

    _label: str
    _reach: FieldsReach

    @abstractmethod
    def read(self, use: Use, value: str, path: str) -> None:
        """Read the variable `value` in place; what is wrong with it is noted at `path`, an expression."""

    @abstractmethod
    def cause(self, code: str, needs: str, facts: Facts | None = None, **more: object) -> str:
        """The name of a cause at the field that is being written."""

    @abstractmethod
    def fault(self, path: str, cause: str, given: str = "None", value: str = "None") -> None:
        """Note a fault."""

    @abstractmethod
    def fitting(self, document: Embedded, came: str, path: str) -> None:
        """Judge what came by a document that stands beside it."""

    @property
    @abstractmethod
    def words_of(self) -> Callable[[Cause, Exception], Cause]:
        """What makes the words of a function's exception those of a fault, or leaves them out."""

    @abstractmethod
    def step(self, key: str) -> str:
        """The source of a path of one step, given the source of a key."""

    def record(self, record: Record) -> None:
        """The body of a record's function."""
        plan = self.plan
        self._label = ""
        where, self.where = self.where, record.name
        self.write("faults = log.faults")
        self.write("start, full = len(faults), log.full")
        if record.key in plan.shape.recursive:
            too_deep = self.bind(Cause("depth", TOO_DEEP.needs, {"most": plan.limits.depth}, got=TOO_DEEP.got), "DEPTH")
            with self.block(f"if len(path) >= {plan.limits.depth}:"):
                self.fault("path", too_deep)
                self.write("return REFUSED")
        if plan.outgoing and record.computed:
            self.write("whole = data")
        if any(field.also for field in record.fields):
            self.write("sent, begun = {}, (start, len(log.excused), len(log.dropped))")
        came = self._open_record(record)
        self._nothing_came(record)
        mentioned = {name for rule in record.rules for name in rule.fields}
        value_of = {}
        sound = {}
        missing, lost = self.variable("missing"), self.variable("lost")
        self.write(f"{missing} = {lost} = 0")
        for number, field in enumerate(record.fields, 1):
            before = self.variable("before") if field.attribute in mentioned else ""
            self.where = f"{record.name}.{field.attribute}"
            value_of[field.attribute] = self.field(field, number, before, missing, lost, came)
            if before:
                sound[field.attribute] = self.variable("is_sound")
                self.write(f"{sound[field.attribute]} = len(faults) == {before}")
        self.where = record.name
        if record.rests:
            value_of |= self.rests(record)
        else:
            self._unknown_keys(record, f"{missing} + {lost}", came)
        self.record_rules(record, value_of, sound, came)
        for document in record.fits if self.reading.of_documents else ():
            with self.block("if len(faults) == start:"):
                self.fitting(document, "data", "path")
        for field in record.computed if self.plan.outgoing else ():
            held = self.field_variable(field.attribute)
            at = f"path + {self.step(self.bind(field.wire, 'KEY'))}"
            with self.block("try:"):
                self.write(f"{held} = {self.computed(record, field.attribute)}(whole)")
            with self.block("except ValueError as error:"):
                unmade = self.cause("check", "a value that can be computed", got="none")
                self.fault(at, f"{self.bind(self.words_of, 'own_fault')}({unmade}, error)", "None")
            with self.block("else:"):
                # What is computed beside a secret may be made of it: what is wrong with it is told without its value.
                hides = field.use.secret or record.key in self.plan.shape.guarded
                self.read(field.use.but(secret=hides), held, at)
        with self.block("if len(faults) != start:"):
            with self.block("if len(faults) > start + 1 and not full:"):
                self._in_order(record, lost)
                self.write("log.spill(start)")
            self._tell_as_sent(record)
            self.write("return REFUSED")
        self._tell_as_sent(record)
        self._build(record, value_of, came)
        self.where = where

    def _nothing_came(self, record: Record) -> None:
        """Past the limit on faults, count those of an empty record at once: one of each required field, no other."""
        required = {field.attribute for field in record.fields if field.required and not field.withheld}
        silent = all(rule.needs_values and not required.isdisjoint(rule.fields) for rule in record.rules)
        silent = silent and not any(rest.use.parts for rest in record.rests)
        if not required or not silent or self.plan.outgoing or self.reading is Reading.TEXT:
            return
        with self.block("if full and not data:"):
            self.write(f"faults.append({self.bind(MORE, 'MORE')})")
            self.write(f"log.untold += {len(required) - 1}")
            self.write("return REFUSED")

    def _in_order(self, record: Record, lost: str) -> None:
        """Order the faults of a record as its keys stand in the data; they do already, where these are as declared.

        What is absent is first by then. A disagreement, found late, stands at its field even where that is absent.
        """
        order = self.bind(in_document_order, "in_document_order")
        wires = self.bind([field.wire for field in record.fields], "WIRES")
        unlike = (
            f"[*data] != {wires} and "
            f"(len(data) == {len(record.fields)} or [*data] != [key for key in {wires} if key in data])"
        )
        with self.block(f"if {unlike}:"):
            self.write(f"{order}(faults, start + {lost}, len(path), [*data])")
        if record.rules:
            with self.block("elif late:"):
                self.write(f"{order}(faults, start + {lost}, len(path), [*data])")

    def _tell_as_sent(self, record: Record) -> None:
        """What is told of a field that came under another name stands there."""
        if any(field.also for field in record.fields):
            with self.block("if sent and not full:"):
                self.write(f"{self.bind(as_sent, 'as_sent')}(log, begun, len(path), sent)")

    def _open_record(self, record: Record) -> str:
        """Take what came as a dict; gives back the variable of a record that came typed, "" where none does."""
        came = ""
        kind = self.cause("kind", self.noun("a record"))
        if self.reading is Reading.TYPED and record.form != "dict":
            came = self.variable("came")
            self.write(f"{came} = None")
            names = self.bind(native_names(record), "NAMES")
            with self.block(f"if isinstance(data, {self.bind_class(record.builder)}):"):
                self.write(f"{came} = data")
                self.write(f"data = {self.bind(attributes_of, 'attributes_of')}(data, {names})")
        if came and self.plan.outgoing:
            with self.block(f"if {came} is None:"):
                self.fault("path", self.cause("kind", "a record of the declared type"), "data")
                self.write("return REFUSED")
        with self.block("if data.__class__ is not dict:"):
            is_text = self.reading is Reading.TEXT
            with self.block(f"if not {self.bind(is_record, 'is_record')}(data, {is_text}):"):
                self.fault("path", kind, "data")
                self.write("return REFUSED")
            known = self.bind(known_keys(self.plan, record), "KNOWN")
            self.write(f"data = {self.bind(opened, 'opened')}(data, {known}, {is_text})")
        if self.reading is Reading.TYPED and (differing := names_that_differ(record)):
            self.write(f"data = {self.bind(by_wire, 'by_wire')}(data, {self.bind(differing, 'NAMES')})")
        if self.reading is Reading.TEXT:
            long = self.cause(
                "count", "at most {most} cells in a row", expected={"most": len(record.fields)}, got="more"
            )
            with self.block("if None in data:"):  # what a reader of CSV gives for the cells past its header
                self.fault("path", long)
                self.write("data = {key: cell for key, cell in data.items() if key is not None}")
        return came

    def field(self, field: Field, number: int, before: str, missing: str, lost: str, came: str = "") -> str:
        """Read one field into a variable of its own; gives back the variable's name.

        `before`, if not empty, names a variable for the number of faults before this field; `missing` and `lost` are
        variables that count the fields that are not in the data, those with a default and those without, so that
        what is left over is known to be unknown.
        """
        self._label = field.label
        value = self.field_variable(field.attribute)
        key = self.key(field.wire, trusted=field.wire == field.attribute)
        path = f"path + {self.step(key)}"
        if before:
            self.write(f"{before} = len(faults)")
        if field.withheld:
            self.write(f"{missing} += 1")
            self.write(f"{value} = {default_source(self, field)}")
            return value
        depth = 0
        if field.also:
            self._also(field, key, value)
            depth = 1
        self._indent += depth
        inner = 0
        if came and field.only_given:
            with self.block(f"if {came} is not None:"):  # what only the constructor takes, no record has
                self.write(f"{value} = None")
                self.write(f"{missing} += 1")
            self.write("else:")
            inner = 1
        self._indent += inner
        with self.block(f"if {key} in data:{self.note(field.attribute, number)}"):
            self.write(f"{value} = data[{key}]")
            self._came(field, value, path)
        with self.block("else:"):
            if field.required:
                # What is absent stands where the record begins: before the faults of what is there.
                with self.block("if full:"):
                    self.write(f"faults.append({self.bind(MORE, 'MORE')})")
                with self.block("else:"):
                    told = f"({path}, {self.cause('absent', 'a value')}, None, None)"
                    self.write(f"faults.insert(start + {lost}, {told})")
                self.write(f"{lost} += 1")
                self.write(f"{value} = REFUSED")
            else:
                self.write(f"{missing} += 1")
                self.write(f"{value} = {default_source(self, field)}")
        self._indent -= depth + inner
        self._label = ""
        return value

    def _came(self, field: Field, value: str, path: str) -> None:
        """A field that is in the data; in text, what is blank stands for nothing where nothing will do."""
        if field.use.nullable or self.reading is not Reading.TEXT:
            self.read(field.use, value, path)
            return
        opening = "if"
        null = takes_null(field.use, self.plan.shape.aliases)
        if field.required and not null:
            with self.block(f"if {value} is None:"):  # what a reader of CSV gives for a row that is too short
                self.fault(path, self.cause("absent", "a value", got="the row ends before it"))
                self.write(f"{value} = REFUSED")
            opening = "elif"
        # An empty text is an item of a list of text like any other.
        blank = may_be_blank(field.use, self.reading, self.plan.shape.aliases) and not (
            field.required and holds_text(field.use)
        )
        tests = [f"{self.bind(is_blank, 'is_blank')}({value})"] if blank else []
        tests += [] if field.required or null else [f"{value} is None"]
        if not tests and opening == "if":
            self.read(field.use, value, path)
            return
        if tests:
            with self.block(f"{opening} {' or '.join(tests)}:"):
                if field.required:
                    self.fault(path, self.cause("absent", "a value"))
                    self.write(f"{value} = REFUSED")
                else:
                    self.write(f"{value} = {default_source(self, field)}")
        with self.block("else:"):
            self.read(field.use, value, path)

    def _also(self, field: Field, key: str, value: str) -> None:
        """A field that came under another of its names is looked for under its own; under several it is a fault.

        What follows is written under an else.
        """
        several = self.variable("several")
        also = self.bind(field.also, "ALSO")
        self.write(f"data, {several} = {self.bind(by_own_name, 'by_own_name')}(data, {key}, {also}, sent)")
        only_one = self.cause(
            "repeat", "one of {names} only", expected={"names": (field.wire, *field.also)}, got="several"
        )
        with self.block(f"if {several}:"):
            self.fault(f"path + {self.step(key)}", only_one)
            self.write(f"{value} = REFUSED")
        self.write("else:")
        self.write("    pass")

    def rests(self, record: Record) -> dict[str, str]:
        """Gather the keys that nobody declared; gives back the variables of what each field gathers."""
        held = {field.attribute: self.field_variable(field.attribute) for field in record.rests}
        known = self.bind(known_keys(self.plan, record, withheld=True), "KNOWN")
        if barred := barred_keys(record):
            came = self.variable("barred")
            self.write(f"{came} = {{key: data[key] for key in data if key in {self.bind(barred, 'BARRED')}}}")
            with self.block(f"if {came}:"):
                self._tell_unknown(record, came, self.bind(frozenset(), "NONE"))
        whole = f"{self.bind(gathered, 'gathered')}(data, {known})"
        first, value = record.rests[0], held[record.rests[0].attribute]
        sorter = ""
        if len(record.rests) > 1:
            sorter, left = self.bind(sorter_of(self.plan, record, self.reading), "SORTER"), self.variable("left")
            self.write(f"({', '.join(held.values())}), {left} = {sorter}.apart({whole})")
            with self.block(f"if {left}:"):
                self._refuse_keys(record, left, self.bind(frozenset(), "NONE"))
        elif self.reading is Reading.TYPED:
            self.write(f"{value} = {whole}")
            self.write(f"{value} = {value}.pop({self.bind(first.wire, 'KEY')}, {value})")
        else:
            self.write(f"{value} = {whole}")
        for number, field in enumerate(record.rests):
            value = held[field.attribute]
            if self.plan.outgoing:
                taken = self.cause("repeat", "keys that no field has", got="one of them")
                wires = self.bind(tuple(each.wire for each in (*record.fields, *record.computed)), "WIRES")
                self.write(f"{self.bind(note_taken, 'note_taken')}({value}, {wires}, path, log, {taken})")
                if sorter:
                    others = self.cause("repeat", "keys that no other field gathers", got="one of them")
                    self.write(f"{sorter}.note_misplaced({number}, {value}, path, log, {others})")
            self.read(field.use, value, "path")
        return held

    def _refuse_keys(self, record: Record, data: str, known: str) -> None:
        """A fault for each key that is not known; inside a secret one for all."""
        if self.hidden:
            cause = self.cause("unknown", "known keys only", got=HIDDEN)
            self.write(f"{self.bind(refuse_unnamed, 'refuse_unknown')}({data}, {known}, path, log, {cause})")
        else:
            cause = self.bind(
                UnknownKey(known=tuple(field.wire for field in record.fields if not field.withheld)), "UNKNOWN"
            )
            self.write(f"{self.bind(refuse_unknown, 'refuse_unknown')}({data}, {known}, path, log, {cause})")

    def _unknown_keys(self, record: Record, missing: str, came: str) -> None:
        wires = tuple(field.wire for field in record.fields)
        known = self.bind(known_keys(self.plan, record), "KNOWN")
        test = f"len(data) + {missing} != {len(wires)}"
        with self.block(f"if {came} is None and {test}:" if came else f"if {test}:"):
            self._tell_unknown(record, "data", known)

    def _tell_unknown(self, record: Record, data: str, known: str) -> None:
        """Refuse the keys that are not known, or tell that they are left out."""
        if self.plan.refuses_unknown(record):
            self._refuse_keys(record, data, known)
        else:
            drop = drop_unnamed if self.hidden else drop_unknown
            self.write(f"{self.bind(drop, 'drop_unknown')}({data}, {known}, path, log)")

    def record_rules(self, record: Record, value_of: dict[str, str], sound: dict[str, str], came: str = "") -> None:
        """Rules run when every field they mention is sound, whatever else failed."""
        if not record.rules:
            return
        fields = {field.attribute: field for field in record.fields}
        self._reach = reach = FieldsReach(self.plan, record, value_of, lambda wire: self.bind(wire, "KEY"), "data")
        given = {field.attribute for field in record.fields if field.only_given}
        self.write("late = []")
        for rule in record.rules:
            tests = [sound[name] for name in rule.fields]
            if came and given.intersection(rule.fields):
                tests.append(f"{came} is None")
            if not rule.needs_values:
                tests += all_sent(record, rule, value_of)
            tests += values_there(reach, rule, self.bind)
            if not rule.paths:  # the whole must be sound
                tests.append("len(faults) == start")
            condition = rule.condition(reach, self.bind)
            if not rule.may_raise and not any(reach.facts(path).open for path in rule.paths):
                with self.block(f"if {all_of([*tests, f'not ({condition})'])}:"):
                    self._record_fault(rule, fields, value_of)
                continue
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
                    self._record_fault(rule, fields, value_of)
        self.write("faults += late")

    def _record_fault(self, rule: RecordRule, fields: dict[str, Field], value_of: dict[str, str]) -> None:
        reach = self._reach
        record = reach.record
        first = None if rule.of_whole else fields[rule.fields[0]]
        face = rule.face(FactsAt(reach.paths, record))
        self._label = "" if first is None else first.label
        hidden = any(use.secret for path in rule.paths for use in reach.paths.uses(record, path))
        outlined_before, self.outlined = self.outlined, hidden or self.outlined
        told = rule.numbers(lambda path: reach.paths.wire(record, path))
        names = frozenset(reach.paths.wire(record, path) for path in rule.paths)
        cause = self.cause(
            face.code,
            face.needs,
            None if first is None else first.use.facts,
            expected=_told_of(told, names) if hidden or self.hidden else told,
            own_words=rule.own_words,
            got=face.got,
            secret=hidden,
        )
        self._label = ""
        if first is None:
            self.write(f"late.append((path, {cause}, None, None))")
            self.outlined = outlined_before
            return
        key = self.key(first.wire, trusted=first.wire == first.attribute)
        value = value_of[first.attribute]
        hidden = hidden or self.hidden
        given = "None" if hidden else f"data.get({key}, {value})"
        self.outlined = outlined_before
        if not hidden and holds_secret(first.use, self.plan.shape.guarded):
            outline = self.bind(outlined, "outlined")
            given, value = f"{outline}({given})", f"{outline}({value})"
        late = f"(path + {self.step(key)}, {cause}, {given}, {'None' if hidden else value})"
        self.write(f"late.append({late})")

    def _build(self, record: Record, value_of: dict[str, str], came: str) -> None:
        """Make the record; what its own constructor, or a check of it, says against it is a fault too."""
        if (record.stores or record.form == "dict") and not record.checks and not came:
            build(self, record, "made", value_of)
            self.write("return made")
            return
        hidden = self.words_of is wordless_fault
        wire = self.bind(partial(_fields_only if hidden else in_data, self.plan.shape, record), "WIRE")
        unsound = self.cause("check", "a sound record")
        with self.block("try:"):
            self._make(record, value_of, came)
            for check in record.checks:
                with self.block(f"if {self.says_no(check, 'made')}:"):
                    words = {"check": str(check)}
                    self.fault("path", self.cause("check", "a record that passes {check}", expected=words), "data")
            self.write("return made if len(faults) == start else REFUSED")
        with self.block("except ValueError as error:"):
            told = f"{self.bind(record_fault, 'record_fault')}({unsound}, path, error, {wire}, "
            self.write(f"faults.append({told}{self.bind(self.words_of, 'own_fault')}))")
            self._tell_as_sent(record)
            self.write("return REFUSED")

    def _make(self, record: Record, value_of: dict[str, str], came: str) -> None:
        """Into the variable `made`; one that came as such stays of its class, and is not constructed again."""
        came = "" if record.anew else came
        if came:
            stored = [field.attribute for field in record.fields if not field.only_given]
            stored += [field.attribute for field in record.rests]
            held = "".join(f"{value_of[name]}, " for name in stored)
            with self.block(f"if {came} is not None:"):
                again = self.bind(remade, "remade")
                self.write(f"made = {again}({came}, {self.bind(tuple(stored), 'STORED')}, ({held}))")
            self.write("else:")
            self._indent += 1
        if record.form == "dict" or record.stores:
            build(self, record, "made", value_of)
        else:
            self.write(f"made = {constructed(self, record, value_of)}")
        self._indent -= 1 if came else 0


def _fields_only(shape: Shape, record: Record, path: Path) -> Path:
    """The same path where nothing is to be told of the data: nothing but a field of the record."""
    return in_data(shape, record, path) if path and path[0] in record.by_attribute else ()


def _told_of(told: Mapping[str, object], names: frozenset[str]) -> Mapping[str, object]:
    """What is told of a rule on secrets: no constant that they are compared with."""

    def may_be_told(word: str, held: object) -> bool:
        if isinstance(held, list):
            return names.issuperset(held)
        return word == "comparison" or (isinstance(held, str) and held in names)

    in_its_place = {"condition": HIDDEN_CONDITION}
    return {word: held if may_be_told(word, held) else in_its_place.get(word, HIDDEN) for word, held in told.items()}
