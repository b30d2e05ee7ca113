"""Records over columns: which rows are surely sound, by their fields and by the rules between them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from ..declare.conditions import Came, Condition, Joined, Opposite, Stated
from ..declare.field_comparison import FieldComparison
from ..declare.presence import Count, Needs, WhenObeys, WhenRule
from ..declare.records import RecordRule
from ..declare.terms import Combined, Constant, Measured, NamedField
from ..declare.value_conditions import HasValue, Obeying
from ..shape.nodes import Choice, Scalar
from ..shape.shape import Field, Record
from .column_names import wire_names
from .vector_columns import Columns, Judge, Judged, RecordJudge
from .vector_kinds import in_calendar
from .vector_rules import all_of, compared, scalar_of, vector_rule


class CannotSay(Exception):
    """A rule that columns alone do not settle."""


def record_judge(
    columns: Columns,
    record: Record,
    came: Mapping[str, pa.DataType | None],
    above: frozenset[str] = frozenset(),
) -> RecordJudge | None:
    """The judge of rows with columns of these types, None for one of objects; None where each row must be looked at.

    `above` are the records that rows stand in, and the record itself, where they are not those of the table.
    """
    if not columns.of_record(record):
        return None
    wires = wire_names(record, list(came))
    by_name = {wires.get(name, name): name for name in came}
    known = {name for field in record.fields for name in (field.wire, *field.also)}
    if columns.plan.refuses_unknown(record) and by_name.keys() - known:
        return None
    judges: dict[str, tuple[str, Judge]] = {}
    absent: dict[str, Callable[[int], Judged]] = {}
    for field in record.fields:
        names = [name for name in (field.wire, *field.also) if name in by_name]
        if len(names) > 1:
            return None
        if names:
            judge = columns.of_field(field, came[by_name[names[0]]], above)
            if judge is None:
                return None
            judges[field.wire] = by_name[names[0]], judge
        else:
            stands_in = columns.absent(field, above)
            if stands_in is None:
                return None
            absent[field.wire] = stands_in

    def judged(arrays: Mapping[str, Any], count: int) -> tuple[dict[str, pa.Array], pa.Array | None]:
        found: dict[str, Judged] = {}
        for field in record.fields:
            if field.wire in judges:
                name, judge = judges[field.wire]
                found[field.wire] = judge(arrays[name])
            else:
                found[field.wire] = absent[field.wire](count)
        sure = all_of(*(each.sure for each in found.values()))
        values = {name: each.values for name, each in found.items()}
        if record.rules:
            standing = _Standing(record, values, frozenset(judges), count)
            try:
                sure = all_of(sure, *(standing.rule(rule) for rule in record.rules))
            except (CannotSay, pa.ArrowInvalid, pa.ArrowNotImplementedError):
                sure = pa.repeat(False, count)
        return values, sure

    return judged


class _Standing:
    """The fields of some rows, in the declared types, as rules between them look at them.

    Where a rule needs to know what does not stand in columns, CannotSay is raised.
    """

    def __init__(self, record: Record, values: Mapping[str, pa.Array], came: frozenset[str], count: int) -> None:
        self.record = record
        self.values = values
        self.came = came
        self.count = count

    def _field(self, path: tuple[str, ...]) -> Field:
        if len(path) != 1:
            raise CannotSay
        return self.record.by_attribute[path[0]]

    def _value(self, path: tuple[str, ...]) -> pa.Array:
        return self.values[self._field(path).wire]

    def _as_it_is(self, path: tuple[str, ...]) -> pa.Array:
        """The values of a field whose column is no text that only stands for them."""
        values = self._value(path)
        node = self._field(path).use.bare.node
        text = (isinstance(node, Scalar) and node.kind.facts.text) or (isinstance(node, Choice) and node.owner is None)
        if pa.types.is_string(values.type) and (not text or self._field(path).use.making is not None):
            raise CannotSay
        return values

    def _has(self, name: str) -> pa.Array:
        return pc.is_valid(self._value((name,)))

    def _there(self, paths: Any) -> pa.Array | None:
        """Where all that a rule mentions has a value; None: everywhere."""
        return all_of(*(pc.is_valid(each) for path in paths if (each := self._value(path)).null_count))

    def rule(self, rule: RecordRule) -> pa.Array | None:
        """Where a rule holds; None: everywhere."""
        match rule:
            case FieldComparison():
                holds = self._compared(rule)
                there = self._there(rule.paths)
                return holds if there is None else pc.or_(pc.invert(there), pc.fill_null(holds, False))
            case Stated(holds=condition):
                return self.condition(condition)
            case Needs(wanted=wanted, given=given):
                return pc.or_(pc.invert(self._has(given)), self._all(map(self._has, wanted)))
            case Count(word=word, names=names, least=least, most=most):
                number = self._sum(names)
                if word == "all_or_none":
                    return pc.or_(pc.equal(number, 0), pc.equal(number, len(names)))
                return pc.and_(pc.greater_equal(number, least), pc.less_equal(number, most))
            case WhenRule(when=when, names=names, wanted=wanted):
                has = [self._has(name) if wanted else pc.invert(self._has(name)) for name in names]
                return pc.or_(pc.invert(self.condition(when)), self._all(has))
            case WhenObeys(when=when, then=then):
                told = self.rule(then)
                return None if told is None else pc.or_(pc.invert(self.condition(when)), told)
        raise CannotSay

    def _all(self, tests: Any) -> pa.Array:
        made = all_of(*tests)
        return pa.repeat(True, self.count) if made is None else made

    def _sum(self, names: tuple[str, ...]) -> pa.Array:
        number = pa.repeat(pa.scalar(0, pa.int32()), self.count)
        for name in names:
            number = pc.add(number, self._has(name).cast(pa.int32()))
        return number

    def condition(self, condition: Condition) -> pa.Array:
        """Where a condition holds. Never null: what has no value does not hold."""
        match condition:
            case Joined(word=word, parts=parts):
                tests = [self.condition(part) for part in parts]
                made = tests[0]
                for test in tests[1:]:
                    made = pc.and_(made, test) if word == "and" else pc.or_(made, test)
                return made
            case Opposite(part=part):
                return pc.invert(self.condition(part))
            case Came(path=path):
                field = self._field(path)
                if field.wire not in self.came:
                    return pa.repeat(False, self.count)
                if field.use.nullable or not field.required:
                    raise CannotSay  # what stood there is not told by what is there now
                return pa.repeat(True, self.count)
            case HasValue(path=path):
                return pc.is_valid(self._value(path))
            case FieldComparison():
                return self._known(self._compared(condition), condition.paths)
            case Obeying(path=path, rule=rule):
                values = self._as_it_is(path)
                test = vector_rule(rule, values.type)
                if test is None or not test.exact:
                    raise CannotSay
                return self._known(test.test(values), (path,))
        raise CannotSay

    def _known(self, test: pa.Array, paths: Any) -> pa.Array:
        return all_of(self._there(paths), test) if test is not None else pa.repeat(True, self.count)

    # Terms

    def _compared(self, comparison: FieldComparison) -> pa.Array:
        if comparison.counts_keys:
            raise CannotSay
        left, right = self._term(comparison.left), self._term(comparison.right)
        if isinstance(right, _HeldColumn):
            right = right.beside(left)
        elif isinstance(left, _HeldColumn):
            left = left.beside(right)
        elif left.type != right.type or not _is_comparable(left.type):
            raise CannotSay
        return compared(left, comparison.sign, right)

    def _term(self, term: Any) -> Any:
        match term:
            case NamedField(path=path):
                values = self._as_it_is(path)
                if not _is_comparable(values.type):
                    raise CannotSay
                return values
            case Measured(of=of):
                values = self._as_it_is(of.path)
                if pa.types.is_string(values.type):
                    return pc.utf8_length(values).cast(pa.int64())
                if pa.types.is_list(values.type):
                    return pc.list_value_length(values).cast(pa.int64())
            case Constant(value=value):
                return _HeldColumn(value)
            case Combined(left=left, sign=sign, right=right):
                return self._combined(self._term(left), sign, self._term(right))
        raise CannotSay

    def _combined(self, left: Any, sign: str, right: Any) -> pa.Array:
        work = {"+": pc.add_checked, "-": pc.subtract_checked, "*": pc.multiply_checked}.get(sign)
        if work is None or (isinstance(left, _HeldColumn) and isinstance(right, _HeldColumn)):
            raise CannotSay
        if isinstance(right, _HeldColumn):
            right = right.in_work_with(left)
        elif isinstance(left, _HeldColumn):
            left = left.in_work_with(right)
        if sign == "*" and pa.types.is_temporal(left.type):
            raise CannotSay
        if not pa.types.is_temporal(left.type) and left.type != right.type:
            raise CannotSay
        made = work(left, right)
        if pa.types.is_floating(made.type) and not pc.all(pc.is_finite(made)).as_py():
            raise CannotSay
        if pa.types.is_timestamp(made.type) and not in_calendar(made):
            raise CannotSay
        return made


def _is_comparable(kind: pa.DataType) -> bool:
    plain = pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_string(kind)
    return bool(plain or pa.types.is_boolean(kind) or pa.types.is_date(kind) or pa.types.is_timestamp(kind))


class _HeldColumn:
    """A constant of a rule, which takes the type of what it stands beside."""

    def __init__(self, value: Any) -> None:
        self.value = value

    def beside(self, other: Any) -> pa.Scalar:
        """It as what is compared with a column."""
        from datetime import timedelta

        if isinstance(other, _HeldColumn):
            raise CannotSay
        if pa.types.is_duration(other.type) and isinstance(self.value, timedelta):
            return pa.scalar(self.value, other.type)
        made = scalar_of(self.value, other.type)
        if made is None:
            raise CannotSay
        return made

    def in_work_with(self, other: pa.Array) -> pa.Scalar:
        """It as what is added to a column."""
        from datetime import timedelta

        if pa.types.is_timestamp(other.type) and isinstance(self.value, timedelta):
            return pa.scalar(self.value, pa.duration("us"))
        return self.beside(other)
