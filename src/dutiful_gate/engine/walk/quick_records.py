"""Quick functions: records."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, nullcontext

from ...codegen.writer import all_of
from ...declare.records import RecordRule
from ...shape.shape import Field, Record
from ..field_access import FieldsReach
from ..plan import barred_keys
from ..rest_fields import sorter_of, taken_keys
from ..runtime import is_record, under_one_name
from .frame import Frame
from .outcome import DOUBT, REFUSE
from .quick_values import QuickValues
from .records import RecordSoFar

DROP = "return DROPS"
"""Sound, but for keys that nobody declared."""


class QuickRecords(QuickValues):
    """Writes what reads records: in place, into the variable of the data."""

    def begin_record(self, so_far: RecordSoFar) -> bool:
        """Of what goes out only the telling function asks for what is computed."""
        if self.plan.outgoing and so_far.record.computed:
            self.write(DOUBT)
            return False
        return True

    def open_record(self, so_far: RecordSoFar) -> None:
        """What is no dict may be taken as one by the telling function."""
        frame, data = so_far.frame, so_far.data
        with self.block(f"if {data}.__class__ is not dict:"):
            self.write(f"return UNSURE if {frame.bind(is_record, 'is_record')}({data}, {frame.is_text}) else REFUSED")
        if frame.is_text:  # what a reader of CSV gives for cells past the header stands under None
            with self.block(f"if None in {data}:"):
                self.write(DOUBT)

    def begin_fields(self, so_far: RecordSoFar) -> None:
        """Count the keys that are known, where somebody asks for the others."""
        record = so_far.record
        self.fitting(record.documents if so_far.frame.reading.of_documents else (), so_far.frame)
        required = sum(field.required for field in record.fields)
        so_far.known = str(required)
        if (self._tells_unknown(so_far) or record.rests) and required != len(record.fields):
            so_far.known = self.variable("known")
            self.write(f"{so_far.known} = {required}")

    def _tells_unknown(self, so_far: RecordSoFar) -> bool:
        return so_far.frame.aim.notes_unknown or self.plan.refuses_unknown(so_far.record)

    def judged_field(self, field: Field, so_far: RecordSoFar) -> nullcontext[None]:
        """What follows it is for sound ones."""
        return nullcontext()

    def there(self, so_far: RecordSoFar) -> None:
        """One more that is known."""
        if not so_far.known.isdigit():
            self.write(f"{so_far.known} += 1")

    def left_out(self, so_far: RecordSoFar) -> None:
        """It is not counted."""

    @contextmanager
    def under_own_name(self, field: Field, frame: Frame, so_far: RecordSoFar) -> Iterator[None]:
        """In doubt where it came under several."""
        if field.also:
            data = so_far.data
            also, wire = frame.bind(field.also, "ALSO"), frame.bind(field.wire, "KEY")
            self.write(f"{data} = {frame.bind(under_one_name, 'under_one_name')}({data}, {wire}, {also})")
            with self.block(f"if {data} is None:"):
                self.write(DOUBT)
        yield

    def required(self, field: Field, frame: Frame, so_far: RecordSoFar, test: str, came: str, mark: str) -> None:
        """Its absence raises, which is caught."""
        self.write(f"{came}{mark}")
        self.in_data(field, frame)

    def unknown_keys(self, so_far: RecordSoFar) -> None:
        """They are seen by the number of keys."""
        if self._tells_unknown(so_far):
            made = f" and {so_far.came} is None" if so_far.came else ""
            with self.block(f"if len({so_far.data}) != {so_far.known}{made}:"):
                self.write(REFUSE if self.plan.refuses_unknown(so_far.record) else DROP)

    def refuse_barred(self, so_far: RecordSoFar) -> None:
        """In doubt, where somebody is to be told."""
        barred = barred_keys(so_far.record)
        if barred and self._tells_unknown(so_far):
            with self.block(f"if not {so_far.frame.bind(barred, 'BARRED')}.isdisjoint({so_far.data}):"):
                self.write(DOUBT)

    def sort_rests(self, so_far: RecordSoFar, values: list[str], whole: str) -> None:
        """In doubt where a key is none's."""
        frame, rests = so_far.frame, self.variable("rests")
        sort = frame.bind(sorter_of(self.plan, so_far.record, frame.reading).sound, "SORT")
        self.write(f"{rests} = {sort}({self.if_there(whole, so_far)})")
        with self.block(f"if {rests} is None:"):
            self.write(DOUBT)
        self.write(f"{', '.join(values)} = {rests}")

    def if_there(self, whole: str, so_far: RecordSoFar) -> str:
        """Nothing, where all keys are known."""
        return f"{whole} if len({so_far.data}) != {so_far.known} else {{}}"

    def rest(self, field: Field, number: int, frame: Frame, so_far: RecordSoFar) -> None:
        """An empty one is what it is, but for rules that judge it."""
        with nullcontext() if field.use.parts else self.block(f"if {frame.value}:"):
            self.read(field.use, frame.deeper())
            if frame.reading.is_typed:
                self._own_keys(number, frame, so_far.record)

    def _own_keys(self, number: int, frame: Frame, record: Record) -> None:
        """In doubt where a typed record has gathered what it would not, from data."""
        tests = [f"not {frame.bind(frozenset(taken_keys(record)), 'TAKEN')}.isdisjoint({frame.value})"]
        if len(record.rests) > 1:
            sorter = frame.bind(sorter_of(self.plan, record, frame.reading), "SORTER")
            tests.append(f"{sorter}.is_misplaced({number}, {frame.value})")
        with self.block(f"if {' or '.join(tests)}:"):
            self.write(DOUBT)

    def keys_from(self, so_far: RecordSoFar) -> str:
        """Those of the data."""
        return so_far.data

    def begin_rules(self) -> None:
        """Each is the end."""

    def record_rule(
        self, rule: RecordRule, tests: list[str], condition: str, reach: FieldsReach, so_far: RecordSoFar
    ) -> None:
        """It is the end where it does not hold."""
        with self.block(f"if {all_of([*tests, f'not ({condition})'])}:"):
            self.write(REFUSE)

    def end_rules(self) -> None:
        """Nothing is left to be told."""

    def end_record(self, so_far: RecordSoFar) -> None:
        """Make it, and ask its checks."""
        self.make(so_far, so_far.data)
        for check in so_far.record.checks:
            with self.block(f"if {self.says_no(check, so_far.data, so_far.frame)}:"):
                self.write(REFUSE)
