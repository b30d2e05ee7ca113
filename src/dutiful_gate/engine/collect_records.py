"""How the collecting function reads a record: its fields, unknown keys, the rules between fields, and its making."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping

from ..declare.facts import Facts, Source
from ..declare.records import RecordRule
from ..report.cause import Cause, UnknownKey
from ..shape.nodes import Field, Record, Use
from ..source.writer import Writer
from .plan import (
    Plan,
    all_sent,
    build,
    constructed,
    default_source,
    known_keys,
    may_be_blank,
    presence_of,
    record_condition,
)
from .runtime import (
    TOO_DEEP,
    attributes_of,
    drop_unknown,
    fitting,
    gathered,
    in_document_order,
    insert_late,
    is_blank,
    record_fault,
    refuse_unknown,
)


class RecordWriter(Writer, ABC):
    """The part of a collecting writer that writes records; another part reads what their fields hold."""

    plan: Plan
    source: Source
    _label: str
    _ranks: str

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
    def step(self, key: str) -> str:
        """The source of a path of one step, given the source of a key."""

    def record(self, record: Record) -> None:
        """The body of a record's function."""
        plan = self.plan
        self._label = ""
        self.write("faults = log.faults")
        self.write("start = len(faults)")
        if record.key in plan.shape.recursive:
            too_deep = self.bind(Cause("depth", TOO_DEEP.needs, {"most": plan.limits.depth}, got=TOO_DEEP.got), "DEPTH")
            with self.block(f"if len(path) >= {plan.limits.depth}:"):
                self.fault("path", too_deep)
                self.write("return FAILED")
        self._open_record(record)
        mentioned = {name for rule in record.rules for name in rule.fields}
        value_of = {}
        sound = {}
        missing, lost = self.variable("missing"), self.variable("lost")
        self.write(f"{missing} = {lost} = 0")
        for field in record.fields:
            before = self.variable("before") if field.attribute in mentioned else ""
            value_of[field.attribute] = self.field(field, before, missing, lost)
            if before:
                sound[field.attribute] = self.variable("is_sound")
                self.write(f"{sound[field.attribute]} = len(faults) == {before}")
        if record.rest is not None:
            value_of[record.rest.attribute] = self.rest(record, record.rest)
        else:
            self._unknown_keys(record, f"{missing} + {lost}")
        self.record_rules(record, value_of, sound)
        for document in record.fits if self.source is Source.JSON else ():
            with self.block("if len(faults) == start:"):
                self.write(f"{self.bind(fitting, 'fitting')}({self.bind(document, 'FITS')}, data, path, log)")
        wires = self.bind([field.wire for field in record.fields], "WIRES")
        with self.block("if len(faults) != start:"):
            with self.block("if len(faults) > start + 1:"):
                unlike = f"[*data] != {wires} and [*data] != [key for key in {wires} if key in data]"
                with self.block(f"if {unlike}:"):
                    self.write(f"{self.bind(in_document_order, 'in_document_order')}(log, start, len(path), data)")
                with self.block("else:"):
                    self.write("log.spill(start)")
            self.write("return FAILED")
        self._build(record, value_of)

    def _open_record(self, record: Record) -> None:
        if self.source is Source.NATIVE and record.form != "dict":
            every = (*record.fields, *([record.rest] if record.rest else ()))
            names = self.bind(tuple((field.attribute, field.wire) for field in every), "NAMES")
            with self.block(f"if isinstance(data, {self.bind_class(record.builder)}):"):
                self.write(f"data = {self.bind(attributes_of, 'attributes_of')}(data, {names})")
        with self.block("if data.__class__ is not dict:"):
            with self.block(f"if not isinstance(data, {self.bind(Mapping, 'Mapping')}):"):
                self.fault("path", self.cause("kind", "a record"), "data")
                self.write("return FAILED")
            self.write("data = dict(data)")

    def field(self, field: Field, before: str, missing: str, lost: str) -> str:
        """Read one field into a variable of its own; gives back the variable's name.

        `before`, if not empty, names a variable for the number of faults before this field; `missing` and `lost` are
        variables that count the fields that are not in the data, those with a default and those without, so that
        what is left over is known to be unknown.
        """
        self._label = field.label
        value = self.variable(field.attribute)
        key = self.key(field.wire, trusted=field.wire == field.attribute)
        path = f"path + {self.step(key)}"
        if before:
            self.write(f"{before} = len(faults)")
        with self.block(f"if {key} in data:"):
            self.write(f"{value} = data[{key}]")
            if not field.required and may_be_blank(field.use, self.source) and not field.use.nullable:
                with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                    self.write(f"{value} = {default_source(self, field)}")
                with self.block("else:"):
                    self.read(field.use, value, path)
            else:
                self.read(field.use, value, path)
        with self.block("else:"):
            if field.required:
                # What is absent stands where the record begins: before the faults of what is there.
                self.write(f"faults.insert(start + {lost}, ({path}, {self.cause('absent', 'a value')}, None, None))")
                self.write(f"{lost} += 1")
                self.write(f"{value} = FAILED")
            else:
                self.write(f"{missing} += 1")
                self.write(f"{value} = {default_source(self, field)}")
        self._label = ""
        return value

    def rest(self, record: Record, field: Field) -> str:
        """Gather the keys that nobody declared."""
        value = self.variable(field.attribute)
        known = self.bind(known_keys(self.plan, record), "KNOWN")
        self.write(f"{value} = {self.bind(gathered, 'gathered')}(data, {known})")
        if self.source is Source.NATIVE:
            self.write(f"{value} = {value}.pop({self.bind(field.wire, 'KEY')}, {value})")
        self.read(field.use, value, "path")
        return value

    def _unknown_keys(self, record: Record, missing: str) -> None:
        wires = tuple(field.wire for field in record.fields)
        known = self.bind(known_keys(self.plan, record), "KNOWN")
        with self.block(f"if len(data) + {missing} != {len(wires)}:"):
            if self.plan.refuse_unknown:
                cause = self.bind(UnknownKey(known=wires), "UNKNOWN")
                self.write(f"{self.bind(refuse_unknown, 'refuse_unknown')}(data, {known}, path, log, {cause})")
            else:
                self.write(f"{self.bind(drop_unknown, 'drop_unknown')}(data, {known}, path, log)")

    def record_rules(self, record: Record, value_of: dict[str, str], sound: dict[str, str]) -> None:
        """Rules run when every field they mention is sound, whatever else failed."""
        fields = {field.attribute: field for field in record.fields}
        if record.rules:
            self._ranks = self.bind({field.wire: rank for rank, field in enumerate(record.fields)}, "RANK")
        for rule in record.rules:
            tests = [sound[name] for name in dict.fromkeys(rule.fields)]
            if rule.needs_values:
                presence = presence_of(fields, value_of)
                tests += [f"({presence[name]})" for name in dict.fromkeys(rule.fields) if presence[name] != "True"]
            else:
                tests += all_sent(record, rule, value_of)
            condition = record_condition(fields, value_of, rule, self.bind)
            with self.block(f"if {' and '.join(tests)} and not ({condition}):"):
                self._record_fault(rule, fields, value_of)

    def _record_fault(self, rule: RecordRule, fields: dict[str, Field], value_of: dict[str, str]) -> None:
        facts = {name: field.use.facts for name, field in fields.items()}
        wire = {name: field.wire for name, field in fields.items()}
        first = fields[rule.fields[0]]
        face = rule.face(facts)
        whole = getattr(rule, "of_whole", False)
        self._label = "" if whole else first.label
        hidden = any(fields[name].use.secret for name in rule.fields)
        cause = self.cause(
            face.code,
            face.needs,
            facts[first.attribute],
            expected=rule.numbers(wire),
            own_words=rule.own_words,
            got=face.got,
            secret=hidden,
        )
        self._label = ""
        if whole:
            self.fault("path", cause)
            return
        key = self.key(first.wire, trusted=first.wire == first.attribute)
        value = value_of[first.attribute]
        given = "None" if hidden else f"data.get({key}, {value})"
        ranks = self._ranks
        late = f"(path + {self.step(key)}, {cause}, {given}, {'None' if hidden else value})"
        self.write(f"{self.bind(insert_late, 'insert_late')}(faults, start, len(path), {ranks}, {late})")

    def _build(self, record: Record, value_of: dict[str, str]) -> None:
        """Make the record; what its own constructor, or a check of it, says against it is a fault too."""
        if (record.stores or record.form == "dict") and not record.checks:
            build(self, record, "made", value_of)
            self.write("return made")
            return
        wire = self.bind({field.attribute: field.wire for field in record.fields}, "WIRE")
        unsound = self.cause("check", "a sound record")
        with self.block("try:"):
            if record.form == "dict":
                build(self, record, "made", value_of)
            else:
                self.write(f"made = {constructed(self, record, value_of)}")
            for check in record.checks:
                with self.block(f"if {self.bind(check.function, 'CHECK')}(made) is False:"):
                    words = {"check": str(check)}
                    self.fault("path", self.cause("check", "a record that passes {check}", expected=words), "data")
            self.write("return made if len(faults) == start else FAILED")
        with self.block("except ValueError as error:"):
            self.write(
                f"faults.append({self.bind(record_fault, 'record_fault')}({unsound}, path, error, {wire}, data))"
            )
            self.write("return FAILED")
