"""Fields over whole Arrow columns: what kinds, steps, rules, nulls and defaults come to, for one type of column."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple, Protocol

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from ..declare.facts import REFUSED, Stop
from ..declare.rules import Rule
from ..declare.sources import Source
from ..declare.steps import Step
from ..engine.engine import Engine
from ..engine.plan import Plan, takes_null
from ..gates.typed import Gate
from ..shape.known_defaults import known_default
from ..shape.nodes import Choice, Items, Link, Nullable, Scalar
from ..shape.shape import Field, Record, Shape
from ..shape.uses import MISSING, Use
from ..shape.walk import part_of, uses_of
from .arrow_types import Column, DoesNotFit, as_json, field_column, use_column
from .cells import Cells, is_missing
from .usual_arrays import is_text, list_of
from .vector_kinds import vector_kind
from .vector_rules import all_of, one_of, vector_rule, vector_step


class Judged(NamedTuple):
    """What became of a column.

    `values`  in the declared type; where it is not known that they are sound, anything
    `sure`    where they are surely sound; None: everywhere
    """

    values: pa.Array
    sure: pa.Array | None


Judge = Callable[[Any], Judged]
"""Takes a column as it came: an array, or a list of objects."""


RecordJudge = Callable[[Mapping[str, Any], int], tuple[dict[str, pa.Array], pa.Array | None]]
"""Takes columns by their names, and the number of rows; gives them by the names in the data, in the declared types,
and where rows are surely sound (None: everywhere)."""


class VectorRecords(Protocol):
    """What makes the judge of rows of a record, which a column may hold too."""

    def __call__(
        self, columns: Columns, record: Record, came: Mapping[str, pa.DataType | None], above: frozenset[str] = ..., /
    ) -> RecordJudge | None:
        """The judge of rows with columns of these types; None where each row must be looked at."""


class Columns:
    """Makes judges of columns, for the declaration of one gate; `records` makes those of records inside of them."""

    def __init__(self, gate: Gate[Any], cells: Cells, records: VectorRecords) -> None:
        self.records = records
        self.gate = gate
        self.shape: Shape = gate.shape
        self.cells = cells
        self.plan = Plan(self.shape, Source.MIXED, gate.unknown == "refuse", gate.limits)

    def of_field(self, field: Field, came: pa.DataType | None, above: frozenset[str]) -> Judge | None:
        """The judge of a column of a type, `None` for a list of objects; None where the whole row must be looked at."""
        column = field_column(field, self.shape, above)
        judge = self._vector(field.use, came, column) if came is not None else None
        if judge is None:
            judge = self._one_by_one(field.use, column, came)
        return None if judge is None else self._with_nothing(judge, field, column)

    def absent(self, field: Field, above: frozenset[str]) -> Callable[[int], Judged] | None:
        """What stands in for a column that is not there, by the number of rows; None where the rows lack a value."""
        column = field_column(field, self.shape, above)
        if field.may_lack:
            return lambda count: Judged(pa.nulls(count, column.type), None)
        stands_in = self._default(field, column)
        return None if stands_in is None else lambda count: Judged(pa.repeat(stands_in, count), None)

    def of_record(self, record: Record) -> bool:
        """Whether rows of a record can be judged by their columns, its rules apart."""
        own = record.checks or record.documents or record.runs_own or record.mends
        return not (own or record.rests or record.computed)

    # One column by vectors

    def _vector(self, use: Use, came: pa.DataType, column: Column) -> Judge | None:
        """The judge of what is not null; None where values must be looked at one by one."""
        if column.make is as_json:  # the column holds other text than what stands in it now
            return None
        if pa.types.is_dictionary(came):
            inner = self._vector(use, came.value_type, column)
            return None if inner is None else _of_dictionary(inner)
        if pa.types.is_null(came):
            return lambda array: Judged(pa.nulls(len(array), column.type), None)
        if not use.reads_what_came and not _is_sure_as_it_came(use, came):
            return None
        uses = [use]
        while isinstance(uses[-1].node, Nullable):
            uses.append(uses[-1].node.inner)
        if any(each.documents or each.source is not None or each.is_reread for each in uses):
            return None
        innermost = uses[-1]
        read = self._reads(innermost, came, column)
        if read is None:
            return None
        stages = []
        for part in (part for each in reversed(uses) for part in each.parts):
            stage: Any = vector_step(part, column.type) if isinstance(part, Step) else _rule(part, column.type)
            if stage is None:
                return None
            stages.append(stage)

        def judge(array: pa.Array) -> Judged:
            values, sure = read(array)
            for stage in stages:
                values, known = stage(values)
                sure = all_of(sure, known)
            return Judged(values, sure)

        return judge

    def _reads(self, use: Use, came: pa.DataType, column: Column) -> Any:
        """What reads the node of a use."""
        node = use.node
        if isinstance(node, Scalar):
            if self.cells.from_text and pa.types.is_string(came) and not node.kind.facts.text:
                return None
            read = vector_kind(node.kind, came)
            return read if column.type == _type_read(read, came, column) else None
        if isinstance(node, Choice):
            return _choice(node, came)
        if isinstance(node, Items) and node.into in ("list", "tuple", "deque"):
            return self._list(node, came, column)
        if isinstance(node, Link):
            return self._struct(node, came, column)
        return None

    def _list(self, node: Items, came: pa.DataType, column: Column) -> Any:
        if not (pa.types.is_list(came) or pa.types.is_large_list(came) or pa.types.is_fixed_size_list(came)):
            return None
        inside = use_column(node.item, self.shape, column.above)
        inside.above = column.above
        judge = self._vector(node.item, came.value_type, inside)
        if judge is None:
            return None
        item = _with_null(judge, nullable=isinstance(node.item.node, Nullable))

        def read(array: Any) -> tuple[pa.Array, pa.Array | None]:
            values, sure = item(array.flatten())
            lengths = pc.list_value_length(array)
            made = list_of(values, lengths, array.is_null() if array.null_count else None)
            if sure is None:
                return made.cast(pa.list_(inside.type)), None
            lengths = _as_numpy(pc.fill_null(lengths, 0))
            doubtful = np.unique(np.repeat(np.arange(len(array)), lengths)[~_as_numpy(sure)])
            held = np.ones(len(array), bool)
            held[doubtful] = False
            return made.cast(pa.list_(inside.type)), pa.array(held)

        return read

    def _struct(self, node: Link, came: pa.DataType, column: Column) -> Any:
        if not pa.types.is_struct(came) or not pa.types.is_struct(column.type):
            return None
        record = self.shape.records[node.key]
        above = column.above | {node.key}
        judge = self.records(self, record, {field.name: field.type for field in came}, above)
        if judge is None:
            return None
        names = [field.name for field in column.type]

        def read(array: pa.StructArray) -> tuple[pa.Array, pa.Array | None]:
            children = dict(zip((field.name for field in came), array.flatten(), strict=True))
            inside, sure = judge(children, len(array))
            mask = array.is_null() if array.null_count else None
            arrays = [inside[name] for name in names]
            return pa.StructArray.from_arrays(arrays, fields=list(column.type), mask=mask), sure

        return read

    # One value at a time

    def _one_by_one(self, use: Use, column: Column, came: pa.DataType | None) -> Judge | None:
        """The judge that has each value read as in a row; None where a part of it tells more than sound or not."""
        shape = part_of(self.shape, use)
        if any(each.fallback is not MISSING for each in uses_of(shape)):
            return None
        engine = Engine(self.plan.replace(shape=shape))
        if engine.bottomless and (came is None or _depth(came) > self.gate.limits.depth - 2):
            return None
        asks_each = any(part.functions for each in uses_of(shape) for part in each.parts)

        def judged(value: Any) -> Any:
            if value is None:
                return REFUSED
            read = engine.sound(value)
            if read.__class__ is Stop:
                return REFUSED
            try:
                return column.of(engine.release_admitted(read, secrets=True))
            except (DoesNotFit, OverflowError):
                return REFUSED

        def judge(array: Any) -> Judged:
            if isinstance(array, pa.Array) and not asks_each and _can_be_distinct(array.type):
                coded = array if pa.types.is_dictionary(array.type) else pc.dictionary_encode(array)
                values, sure = _told(map(judged, self.cells.values(coded.dictionary, use)), column)
                return Judged(values.take(coded.indices), sure.take(coded.indices))
            return Judged(*_told(map(judged, self.cells.values(array, use)), column))

        return judge

    # Nothing in a cell

    def _with_nothing(self, judge: Judge, field: Field, column: Column) -> Judge:
        """The judge of a field: where nothing stands in a cell it is null, or its default, or lacks a value."""
        may_be_null = takes_null(field.use, self.shape.aliases)
        if may_be_null:
            stands_in = pa.scalar(None, column.type) if _stays_null(field.use) else None
        elif field.may_lack:
            stands_in = pa.scalar(None, column.type)
        else:
            stands_in = self._default(field, column)

        def judged(array: Any) -> Judged:
            values, sure = judge(array)
            nothing = _nothing_in(array)
            if nothing is None:
                return Judged(values, sure)
            if stands_in is None:
                return Judged(values, all_of(sure, pc.invert(nothing)))
            sound = None if sure is None else pc.or_(pc.fill_null(sure, False), nothing)
            return Judged(pc.if_else(nothing, stands_in, values), sound)

        return judged

    def _default(self, field: Field, column: Column) -> pa.Scalar | None:
        """What stands in for a field that is absent, as its column holds it; None where that is not told beforehand."""
        if field.required or (default := known_default(self.shape, field)) is MISSING:
            return None
        if default is not None:
            engine = Engine(self.plan.replace(shape=part_of(self.shape, field.use), source=Source.NATIVE))
            try:
                default = column.of(engine.release_admitted(default, secrets=True))
            except (DoesNotFit, OverflowError, ValueError, TypeError, AttributeError):
                return None
        return pa.scalar(default, column.type)


def _told(found: Any, column: Column) -> tuple[pa.Array, pa.Array]:
    held = list(found)
    sure = pa.array([each.__class__ is not Stop for each in held], pa.bool_())
    return pa.array([None if each.__class__ is Stop else each for each in held], column.type), sure


def _can_be_distinct(kind: pa.DataType) -> bool:
    return not (pa.types.is_nested(kind) or isinstance(kind, pa.BaseExtensionType) or pa.types.is_null(kind))


def _as_numpy(test: pa.Array) -> Any:
    return test.to_numpy(zero_copy_only=False)


def _type_read(read: Any, came: pa.DataType, column: Column) -> pa.DataType | None:
    """The type that a reader gives, so that no column is of another than its own."""
    return None if read is None else read(pa.array([], came))[0].type


def _is_sure_as_it_came(use: Use, came: pa.DataType) -> bool:
    """Whether what happens before a value is read leaves what stands in such a column alone."""
    return not (use.is_reread or (use.blank and is_text(came)))


def _rule(part: Rule, kind: pa.DataType) -> Any:
    rule = vector_rule(part, kind)
    return None if rule is None else lambda values: (values, rule.test(values))


def _choice(node: Choice, came: pa.DataType) -> Any:
    if not pa.types.is_string(came) or not all(each.__class__ is str for each in node.wire):
        return None
    among = one_of(node.wire, pa.string())
    if among is None:
        return None

    def read(array: pa.Array) -> tuple[pa.Array, pa.Array]:
        return array, among.test(array)

    return read


def _of_dictionary(judge: Judge) -> Judge:
    """The judge of what is told by numbers of entries: the entries are looked at once."""

    def judged(array: pa.DictionaryArray) -> Judged:
        values, sure = judge(array.dictionary)
        if array.dictionary.null_count:  # an entry that is nothing is seen by no test for null
            sure = all_of(sure, array.dictionary.is_valid())
        return Judged(values.take(array.indices), None if sure is None else sure.take(array.indices))

    return judged


def _with_null(judge: Judge, *, nullable: bool) -> Judge:
    """The judge of a column in which nothing may stand in a cell."""

    def judged(array: Any) -> Judged:
        values, sure = judge(array)
        nothing = array.is_null()
        if nullable:
            return Judged(values, None if sure is None else pc.or_(pc.fill_null(sure, False), nothing))
        return Judged(values, all_of(sure, pc.invert(nothing) if array.null_count or _hides_null(array) else None))

    return judged


def _hides_null(array: pa.Array) -> bool:
    return bool(pa.types.is_dictionary(array.type) or pa.types.is_null(array.type))


def _stays_null(use: Use) -> bool:
    """Whether null, where it may stand, is null in the end."""
    plain = use.nullable and use.making is None and not (use.is_reread or use.documents)
    return bool(plain) and (not isinstance(use.node, Nullable) or use.node.inner.making is None)


def _nothing_in(array: Any) -> pa.Array | None:
    """Where nothing stands in a column; None where something does everywhere."""
    if not isinstance(array, pa.Array):
        found = [is_missing(each) for each in array]
        return pa.array(found) if any(found) else None
    if not array.null_count and not _hides_null(array):
        return None
    nothing = array.is_null()
    return nothing if pc.any(nothing).as_py() else None


def _depth(kind: pa.DataType) -> int:
    """How deep values of a type nest."""
    inside = [kind.field(number).type for number in range(kind.num_fields)] if pa.types.is_nested(kind) else []
    return 1 + max(map(_depth, inside)) if inside else 0
