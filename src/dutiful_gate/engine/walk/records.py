"""The walk over a record: its fields, unknown keys, the rules between fields, and its making."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager
from typing import Any

from ...declare.facts import Own
from ...declare.records import RecordCheck, RecordRule
from ...shape.shape import Field, Record
from ..field_access import FieldsReach, values_there
from ..own_functions import asking
from ..plan import all_sent, constructed, default_source, holds_text, known_keys, may_be_blank, takes_null
from ..rest_fields import RestOf, attributes_in_data, dict_by_wire
from ..runtime import attributes_of, gathered, remade
from .frame import Frame, Spoken
from .outcome import DOUBT, Check, needs
from .walk import Walk


class RecordSoFar:
    """A record that is being read.

    `frame`     that of the record, `data` the variable of its data
    `came`      the variable of a record that came typed, "" where none does
    `known`     what counts the keys that are known: a variable, or their number
    `missing`   the variable that counts the fields with a default which are not in the data, `lost` those without
    `value_of`  the variable of each field, and `sound` of whether it is sound, of those that rules mention: `mentioned`
    """

    __slots__ = ("came", "data", "frame", "known", "lost", "mentioned", "missing", "record", "sound", "value_of")

    def __init__(self, record: Record, frame: Frame) -> None:
        self.record = record
        self.frame = frame
        self.data = frame.value
        self.came = self.known = self.missing = self.lost = ""
        self.value_of: dict[str, str] = {}
        self.sound: dict[str, str] = {}
        self.mentioned = frozenset(name for rule in record.rules for name in rule.fields)


class RecordWalk(Walk):
    """Goes through records too."""

    def record(self, record: Record, frame: Frame) -> None:
        """Read a record's fields, check its rules, build it."""
        frame = frame.within(record, self.plan)
        so_far = RecordSoFar(record, frame)
        if not self.begin_record(so_far):
            return
        self._open(so_far)
        self.begin_fields(so_far)
        for number, field in enumerate(record.fields, 1):
            so_far.value_of[field.attribute] = self.field(field, number, so_far)
        if record.rests:
            self.rests(so_far)
        else:
            self.unknown_keys(so_far)
        self.record_rules(so_far)
        self.end_record(so_far)

    def _open(self, so_far: RecordSoFar) -> None:
        """Take what came as a dict by the names of the data."""
        record, frame, data = so_far.record, so_far.frame, so_far.data
        if frame.reading.is_typed and record.form != "dict":
            so_far.came = came = self.variable("came")
            self.write(f"{came} = None")
            names = frame.bind(attributes_in_data(record), "NAMES")
            with self.block(f"if isinstance({data}, {frame.bind_class(record.builder)}):"):
                self.write(f"{came} = {data}")
                self.write(f"{data} = {frame.bind(attributes_of, 'attributes_of')}({data}, {names})")
        self.open_record(so_far)
        if frame.reading.is_typed and (differing := names_that_differ(record)):
            names, known = frame.bind(differing, "NAMES"), frame.bind(known_keys(self.plan, record), "KNOWN")
            self.write(f"{data} = {frame.bind(dict_by_wire, 'dict_by_wire')}({data}, {names}, {known})")

    # Fields

    def field(self, field: Field, number: int, so_far: RecordSoFar) -> str:
        """Read one field into a variable of its own; gives back the variable's name."""
        value, data = self.pen.field_variable(field.attribute), so_far.data
        key = self.pen.key(field.wire, trusted=field.wire == field.attribute)
        frame = so_far.frame
        frame = frame.part(
            value,
            f"{frame.path} + {self.step(key)}",
            given=f"{data}[{key}]",
            where=f"{so_far.record.name}.{field.attribute}",
            spoken=Spoken(label=field.label),
        )
        with self.judged_field(field, so_far):
            if field.withheld:
                self.left_out(so_far)
                self.write(f"{value} = {default_source(frame, field)}")
                return value
            with self.under_own_name(field, frame, so_far), self.unless_made(field, value, so_far):
                frame = self.nested(frame) if so_far.came and field.only_given else frame
                mark = self.pen.note(field.attribute, number)
                came = f"{value} = {data}[{key}]"
                if field.required:
                    self.required(field, frame, so_far, f"{key} in {data}", came, mark)
                    return value
                frame = self.nested(frame)
                with self.block(f"if {key} in {data}:{mark}"):
                    self.there(so_far)
                    self.write(came)
                    self.in_data(field, frame)
                with self.block("else:"):
                    self.left_out(so_far)
                    self.write(f"{value} = {default_source(frame, field)}")
                    self.defaulted(field, frame)
        return value

    def in_data(self, field: Field, frame: Frame) -> None:
        """A field that is in the data; in text, what is blank stands for nothing where nothing will do."""
        use, aliases = field.use, self.plan.shape.aliases
        if use.nullable or not frame.is_text:
            self.read(use, frame)
            return
        null, blank = takes_null(use, aliases), may_be_blank(use, frame.reading, aliases)
        short = f"{frame.value} is None"  # what a reader of CSV gives for a row that is too short
        if field.required:
            ends = needs("absent", "a value", got="the row ends before it")
            checks = [] if null else [Check(short, ends, DOUBT, given="None")]
            if blank and not holds_text(use):  # an empty text is an item of a list of text like any other
                checks.append(Check(self.blank(frame), needs("absent", "a value"), DOUBT, given="None"))
            with self.unless(frame, *checks):
                self.read(use, frame)
            return
        tests = ([] if null else [short]) + ([self.blank(frame)] if blank else [])
        if not tests:
            self.read(use, frame)
            return
        with self.block(f"if {' or '.join(tests)}:"):
            self.write(f"{frame.value} = {default_source(frame, field)}")
        with self.block("else:"):
            self.read(use, frame)

    # Keys that nobody declared

    def rests(self, so_far: RecordSoFar) -> None:
        """Gather the keys that nobody declared."""
        record, frame, data = so_far.record, so_far.frame, so_far.data
        held = {field.attribute: self.pen.field_variable(field.attribute) for field in record.rests}
        known = frame.bind(known_keys(self.plan, record, withheld=True), "KNOWN")
        self.refuse_barred(so_far)
        whole = f"{frame.bind(gathered, 'gathered')}({data}, {known})"
        first, value = record.rests[0], next(iter(held.values()))
        if len(record.rests) > 1:
            self.sort_rests(so_far, list(held.values()), whole)
        elif frame.reading.is_typed:
            self.write(f"{value} = {whole}")
            self.write(f"{value} = {value}.pop({frame.bind(RestOf(first.wire), 'REST')}, {value})")
        else:
            self.write(f"{value} = {self.if_there(whole, so_far)}")
        for number, field in enumerate(record.rests):
            value = held[field.attribute]
            self.rest(field, number, frame.part(value, frame.path), so_far)
        so_far.value_of |= held

    # Rules between fields

    def record_rules(self, so_far: RecordSoFar) -> None:
        """Rules run when every field they mention is sound, whatever else failed."""
        record, frame, came = so_far.record, so_far.frame, so_far.came
        if not record.rules:
            return
        reach = FieldsReach(
            self.plan, record, so_far.value_of, lambda wire: frame.bind(wire, "KEY"), self.keys_from(so_far)
        )
        given = {field.attribute for field in record.fields if field.only_given}
        self.begin_rules()
        for rule in record.rules:
            tests = [so_far.sound[name] for name in rule.fields if name in so_far.sound]
            if came and given.intersection(rule.fields):
                tests.append(f"{came} is None")
            if not rule.needs_values:
                tests += all_sent(record, rule, so_far.value_of)
            tests += values_there(reach, rule, frame.bind)
            self.record_rule(rule, tests, rule.condition(reach, frame.bind), reach, so_far)
        self.end_rules()

    # Making

    def make(self, so_far: RecordSoFar, made: str) -> None:
        """Make the record; one that came as such stays of its class, and its constructor does not run again."""
        record, frame, came = so_far.record, so_far.frame, so_far.came
        if not came or record.rebuilds:
            self.build(so_far, made)
            return
        with self.block(f"if {came} is None:"):
            self.build(so_far, made)
        stored = [field.attribute for field in record.fields if not field.only_given]
        stored += [field.attribute for field in record.rests]
        held = "".join(f"{so_far.value_of[name]}, " for name in stored)
        with self.block("else:"):
            again = frame.bind(remade, "remade")
            self.write(f"{made} = {again}({came}, {frame.bind(tuple(stored), 'STORED')}, ({held}))")

    def build(self, so_far: RecordSoFar, made: str) -> None:
        """Write the making of a record of its fields' variables."""
        record, frame, value_of = so_far.record, so_far.frame, so_far.value_of
        if record.form == "dict":
            self._build_dict(so_far, made)
            return
        if not record.stores or not all(name.isascii() for name in value_of):
            self.write(f"{made} = {constructed(frame, record, value_of)}")
            return
        name = frame.bind_class(record.builder)
        self.pen.kept[record.builder] = name
        self.write(f"{made} = {frame.bind(object.__new__, 'new')}({name})")
        for attribute, value in value_of.items():
            self.write(f"{made}.{attribute} = {value}")

    def _build_dict(self, so_far: RecordSoFar, made: str) -> None:
        """A dict by attribute; what was absent and has no default stays absent, in an amendment what gathers none."""
        record = so_far.record
        lacking = {field.attribute: " is not ABSENT" for field in record.fields if field.may_lack}
        lacking |= {rest.attribute: "" for rest in record.rests if record.mends}
        keys = {name: self.pen.key(name, trusted=True) for name in so_far.value_of}
        sure = ", ".join(f"{keys[name]}: {held}" for name, held in so_far.value_of.items() if name not in lacking)
        self.write(f"{made} = {{{sure}}}")
        for name, held in so_far.value_of.items():
            if name in lacking:
                with self.block(f"if {held}{lacking[name]}:"):
                    self.write(f"{made}[{keys[name]}] = {held}")
        if record.builder is not dict:
            self.write(f"{made} = {so_far.frame.bind_class(record.builder)}({made})")

    def says_no(self, check: RecordCheck, value: str, frame: Frame) -> str:
        """The test that a function of a record's says no: anything that is not true, but None."""
        said = self.variable("said")
        return f"({said} := {frame.bind(Own(check.function), 'CHECK')}({value})) is not None and not {said}"

    def computed(self, field: Field, so_far: RecordSoFar) -> str:
        """A name for the function that asks a record for a property that goes out."""
        frame = so_far.frame.inner(where=f"{so_far.record.name}.{field.attribute}")
        return frame.bind(asking(field.attribute), "COMPUTED")

    # Verbs of an outcome

    def defaulted(self, field: Field, frame: Frame) -> None:
        """Something stands in for a field that is absent: told to those who ask why."""

    def nested(self, frame: Frame) -> Frame:
        """A frame inside a block that counts."""
        return frame

    def step(self, key: str) -> str:
        """The source of a path of one step, given the source of a key."""
        return f"({key},)"

    @abstractmethod
    def begin_record(self, so_far: RecordSoFar) -> bool:
        """Before anything is read; whether anything is."""

    @abstractmethod
    def open_record(self, so_far: RecordSoFar) -> None:
        """Take what came as a dict, or end the record."""

    @abstractmethod
    def begin_fields(self, so_far: RecordSoFar) -> None:
        """Before its fields are read."""

    @abstractmethod
    def judged_field(self, field: Field, so_far: RecordSoFar) -> AbstractContextManager[object]:
        """Around the reading of a field: whether it is sound is kept for the rules that mention it."""

    @abstractmethod
    def there(self, so_far: RecordSoFar) -> None:
        """A field that may be absent is in the data."""

    @abstractmethod
    def left_out(self, so_far: RecordSoFar) -> None:
        """A field is not in the data, or not taken from it, and something stands in for it."""

    @abstractmethod
    def under_own_name(self, field: Field, frame: Frame, so_far: RecordSoFar) -> AbstractContextManager[object]:
        """A field that came under another of its names is looked for under its own."""

    @contextmanager
    def unless_made(self, field: Field, value: str, so_far: RecordSoFar) -> Iterator[None]:
        """What only the constructor takes, no record has that came as such: it is among those that are left out."""
        if not (so_far.came and field.only_given):
            yield
            return
        with self.block(f"if {so_far.came} is not None:"):
            self.write(f"{value} = None")
            self.left_out(so_far)
        with self.block("else:"):
            yield

    @abstractmethod
    def required(self, field: Field, frame: Frame, so_far: RecordSoFar, test: str, came: str, mark: str) -> None:
        """Read a field that must be there."""

    @abstractmethod
    def unknown_keys(self, so_far: RecordSoFar) -> None:
        """What is done with keys that nobody declared, where no field gathers them."""

    @abstractmethod
    def refuse_barred(self, so_far: RecordSoFar) -> None:
        """The same for those that are neither taken nor gathered."""

    @abstractmethod
    def sort_rests(self, so_far: RecordSoFar, values: list[str], whole: str) -> None:
        """Sort the keys among several fields that gather them."""

    @abstractmethod
    def if_there(self, whole: str, so_far: RecordSoFar) -> str:
        """The source of what is gathered."""

    @abstractmethod
    def rest(self, field: Field, number: int, frame: Frame, so_far: RecordSoFar) -> None:
        """Read what a field gathered."""

    @abstractmethod
    def keys_from(self, so_far: RecordSoFar) -> str:
        """The variable of the keys that came, for rules that ask for them."""

    @abstractmethod
    def begin_rules(self) -> None:
        """Before the rules between fields."""

    @abstractmethod
    def record_rule(
        self, rule: RecordRule, tests: list[str], condition: str, reach: FieldsReach, so_far: RecordSoFar
    ) -> None:
        """A rule between fields, to be asked where all of some tests hold."""

    @abstractmethod
    def end_rules(self) -> None:
        """After them."""

    @abstractmethod
    def end_record(self, so_far: RecordSoFar) -> None:
        """Build the record, or say what is wrong with it."""


def names_that_differ(record: Record) -> Mapping[str, Any]:
    """For the typed dicts of a record, the keys in the data of the attributes that differ from them."""
    if record.form != "dict":
        return {}
    return {attribute: key for attribute, key in attributes_in_data(record) if attribute != key}
