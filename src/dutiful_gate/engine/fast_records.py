"""What sound functions do with records: their fields, their rules, and the finished record."""

from __future__ import annotations

from abc import abstractmethod

from ..codegen.writer import all_of
from ..declare.embedded import Embedded
from ..declare.sources import Reading
from ..regex.white_space import is_blank
from ..shape.nodes import Field, Record, Use
from .engine_writer import EngineWriter
from .field_access import FieldsReach, values_there
from .plan import (
    Plan,
    all_sent,
    barred_keys,
    build,
    default_source,
    holds_text,
    known_keys,
    may_be_blank,
    takes_null,
)
from .rest_fields import sorter_of
from .runtime import attributes_of, by_wire, gathered, is_record, remade, under_one_name

REFUSE = "return REFUSED"
"""What surely is unsound: the collecting function would say so too."""

DOUBT = "return UNSURE"
"""What another function may admit: no other option of a union is tried then."""

DROP = "return DROPS"


class SoundRecordWriter(EngineWriter):
    """Writes the part of sound functions that reads records; what they hold is read by the class that extends it."""

    def __init__(self, plan: Plan, *, note_unknown: bool) -> None:
        super().__init__(plan)
        self.note_unknown = note_unknown
        self._nesting = 0

    @abstractmethod
    def read(self, use: Use, value: str) -> None:
        """Read the variable `value` in place, or give up."""

    @abstractmethod
    def fitting(self, fits: tuple[Embedded, ...], value: str) -> None:
        """Judge what came by the documents that stand beside it."""

    def _renamed(self, field: Field, record: str) -> None:
        """A field that came under another of its names is looked for under its own."""
        also = self.bind(field.also, "ALSO")
        wire = self.bind(field.wire, "KEY")
        self.write(f"{record} = {self.bind(under_one_name, 'under_one_name')}({record}, {wire}, {also})")
        with self.block(f"if {record} is None:"):
            self.write(DOUBT)

    def blank(self, value: str) -> str:
        """The test for what stands for nothing in all-text data; what begins with a usual character surely does not."""
        usual = f"{value}.__class__ is str and '!' <= {value}[:1] <= '~'"
        return f"not ({usual}) and {self.bind(is_blank, 'is_blank')}({value})"

    @property
    def _is_text(self) -> bool:
        return self.reading is Reading.TEXT

    def record(self, record: Record, value: str) -> None:
        """Read a record's fields, check its rules, build it."""
        if self.plan.outgoing and record.computed:  # only the collecting function asks for what is computed
            self.write(DOUBT)
            return
        where = self.where
        came = ""
        if self.reading is Reading.TYPED and record.form != "dict":
            came = self.variable("came")
            self.write(f"{came} = None")
            names = self.bind(native_names(record), "NAMES")
            with self.block(f"if isinstance({value}, {self.bind_class(record.builder)}):"):
                self.write(f"{came} = {value}")
                self.write(f"{value} = {self.bind(attributes_of, 'attributes_of')}({value}, {names})")
        with self.block(f"if {value}.__class__ is not dict:"):
            self.write(f"return UNSURE if {self.bind(is_record, 'is_record')}({value}, {self._is_text}) else REFUSED")
        if self._is_text:  # what a reader of CSV gives for cells past the header stands under None
            with self.block(f"if None in {value}:"):
                self.write(DOUBT)
        if self.reading is Reading.TYPED and (differing := names_that_differ(record)):
            self.write(f"{value} = {self.bind(by_wire, 'by_wire')}({value}, {self.bind(differing, 'NAMES')})")
        self.fitting(record.fits if self.reading.of_documents else (), value)
        required = len([field for field in record.fields if field.required])
        known = str(required)
        telling = self.note_unknown or self.plan.refuses_unknown(record)
        counting = telling or bool(record.rests)
        if counting and required != len(record.fields):
            known = self.variable("known")
            self.write(f"{known} = {required}")
        value_of = {}
        for number, field in enumerate(record.fields, 1):
            self.where = f"{record.name}.{field.attribute}"
            value_of[field.attribute] = self.field(field, number, value, known if counting else "", came)
        self.where = record.name
        if record.rests:
            value_of |= self.rests(record, value, known)
        elif telling:
            with self.block(f"if len({value}) != {known}{f' and {came} is None' if came else ''}:"):
                self.write(REFUSE if self.plan.refuses_unknown(record) else DROP)
        self.record_rules(record, value_of, came, data=value)
        outlined, self.outlined = self.outlined, self.hidden or record.key in self.plan.shape.guarded
        self._make(record, value, value_of, came)
        for check in record.checks:
            with self.block(f"if {self.says_no(check, value)}:"):
                self.write(REFUSE)
        self.outlined, self.where = outlined, where

    def _make(self, record: Record, value: str, value_of: dict[str, str], came: str) -> None:
        """Make the record; one that came as such stays of its class, and its constructor does not run again."""
        if not came or record.anew:
            build(self, record, value, value_of)
            return
        with self.block(f"if {came} is None:"):
            build(self, record, value, value_of)
        stored = [field.attribute for field in record.fields if not field.only_given]
        stored += [field.attribute for field in record.rests]
        held = "".join(f"{value_of[name]}, " for name in stored)
        with self.block("else:"):
            self.write(
                f"{value} = {self.bind(remade, 'remade')}({came}, {self.bind(tuple(stored), 'STORED')}, ({held}))"
            )

    def rests(self, record: Record, value: str, known: str) -> dict[str, str]:
        """Gather the keys that nobody declared; gives back the variables of what each field gathers."""
        held = {field.attribute: self.field_variable(field.attribute) for field in record.rests}
        wires = self.bind(known_keys(self.plan, record, withheld=True), "KNOWN")
        self._withheld(record, value)
        whole = f"{self.bind(gathered, 'gathered')}({value}, {wires})"
        first, name = record.rests[0], held[record.rests[0].attribute]
        if len(record.rests) > 1:
            sort, all_of = self.bind(sorter_of(self.plan, record, self.reading).sound, "SORT"), self.variable("rests")
            self.write(f"{all_of} = {sort}({whole} if len({value}) != {known} else {{}})")
            with self.block(f"if {all_of} is None:"):
                self.write(DOUBT)
            self.write(f"{', '.join(held.values())} = {all_of}")
        elif self.reading is Reading.TYPED:
            self.write(f"{name} = {whole}")
            self.write(f"{name} = {name}.pop({self.bind(first.wire, 'KEY')}, {name})")
        else:
            self.write(f"{name} = {whole} if len({value}) != {known} else {{}}")
        self._nesting += 1
        for field in record.rests:
            if field.use.parts:
                self.read(field.use, held[field.attribute])
                continue
            with self.block(f"if {held[field.attribute]}:"):
                self.read(field.use, held[field.attribute])
        self._nesting -= 1
        return held

    def _withheld(self, record: Record, value: str) -> None:
        """Give up where a key came that is neither taken nor gathered, and somebody is to be told."""
        barred = barred_keys(record)
        telling = self.note_unknown or self.plan.refuses_unknown(record)
        if barred and telling:
            with self.block(f"if not {self.bind(barred, 'BARRED')}.isdisjoint({value}):"):
                self.write(DOUBT)

    def field(self, field: Field, number: int, record: str, known: str, came: str = "") -> str:
        """Read one field into a variable of its own; gives back the variable's name."""
        value = self.field_variable(field.attribute)
        key = self.key(field.wire, trusted=field.wire == field.attribute)
        if came and field.only_given:  # what only the constructor takes, no record has
            with self.block(f"if {came} is not None:"):
                self.write(f"{value} = None")
            self._nesting += 1
            with self.block("else:"):
                value = self._field(field, number, record, known, value, key)
            self._nesting -= 1
            return value
        return self._field(field, number, record, known, value, key)

    def _field(self, field: Field, number: int, record: str, known: str, value: str, key: str) -> str:
        if field.withheld:
            self.write(f"{value} = {default_source(self, field)}")
            return value
        if field.also:
            self._renamed(field, record)
        mark = self.note(field.attribute, number)
        if field.required:
            self.write(f"{value} = {record}[{key}]{mark}")
            self._not_short(field, value)
            aliases = self.plan.shape.aliases
            if may_be_blank(field.use, self.reading, aliases) and not (field.use.nullable or holds_text(field.use)):
                with self.block(f"if {self.blank(value)}:"):
                    self.write(DOUBT)
            self.read(field.use, value)
            return value
        self._nesting += 1
        with self.block(f"if {key} in {record}:{mark}"):
            if known:
                self.write(f"{known} += 1")
            self.write(f"{value} = {record}[{key}]")
            self._not_short(field, value)
            if may_be_blank(field.use, self.reading, self.plan.shape.aliases) and not field.use.nullable:
                with self.block(f"if {self.blank(value)}:"):
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
                self.write(DOUBT)

    def record_rules(self, record: Record, value_of: dict[str, str], came: str = "", *, data: str = "") -> None:
        """Check what fields must be to each other; `data` is the variable of the keys that came."""
        reach = FieldsReach(self.plan, record, value_of, lambda wire: self.bind(wire, "KEY"), data)
        given = {field.attribute for field in record.fields if field.only_given}
        for rule in record.rules:
            there = all_sent(record, rule, value_of) if not rule.needs_values else []
            there += values_there(reach, rule, self.bind)
            if came and given.intersection(rule.fields):
                there = [f"{came} is None", *there]
            with self.block(f"if {all_of([*there, f'not ({rule.condition(reach, self.bind)})'])}:"):
                self.write(REFUSE)


def names_that_differ(record: Record) -> dict[str, str]:
    """For the typed dicts of a record, the names in the data of the attributes that differ from them."""
    if record.form != "dict":
        return {}
    return {attribute: wire for attribute, wire in native_names(record) if attribute != wire}


def native_names(record: Record) -> tuple[tuple[str, str], ...]:
    """The attributes that a record has when it is made, with their names in the data."""
    return tuple((field.attribute, field.wire) for field in (*record.fields, *record.rests) if not field.only_given)
