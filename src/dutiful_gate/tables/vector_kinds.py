"""Kinds of single values over whole Arrow columns: which are surely read, and the values in the declared type."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any, Final

import pyarrow as pa
import pyarrow.compute as pc

from ..declare.kinds import (
    AnyNumber,
    Day,
    Kind,
    LocalMoment,
    MomentKind,
    Number,
    Text,
    Truth,
    UtcMoment,
    Whole,
    WholeAsWritten,
)
from ..declare.kinds.lenient import Lenient
from .cells import EPOCH, FIRST_DAY, LAST_DAY, days, in_microseconds, zone_of

Read = Callable[[pa.Array], tuple[pa.Array, pa.Array | None]]
"""Takes a column; gives its values in the declared type, and where they are surely right (None: everywhere)."""

_MOMENTS: Final = pa.timestamp("us", tz="UTC")
_LOCAL: Final = pa.timestamp("us")
_DAY_OF_MICROSECONDS: Final = 86_400_000_000


def vector_kind(kind: Kind, came: pa.DataType) -> Read | None:
    """How a column of a type is read as a kind, as a whole; None where values must be looked at one by one."""
    if isinstance(kind, Lenient):
        kind = kind.inner  # what the strict reader takes, it takes alike
    if type(kind) in (Whole, WholeAsWritten):
        return _whole(came, as_written=type(kind) is WholeAsWritten)
    if type(kind) is Number:
        return _number(came)
    if type(kind) is AnyNumber:
        return (lambda array: (array.cast(pa.float64()), None)) if pa.types.is_floating(came) else None
    if type(kind) is Truth:
        return _as_it_is if pa.types.is_boolean(came) else None
    if type(kind) is Text:
        return _text(came)
    if type(kind) is Day:
        return _day(came)
    if type(kind) is LocalMoment:
        return _moment(came, _LOCAL) if pa.types.is_timestamp(came) and came.tz is None else None
    if type(kind) in (MomentKind, UtcMoment) and pa.types.is_timestamp(came) and came.tz is not None:
        return _moment(came, _MOMENTS) if type(kind) is MomentKind or zone_of(came.tz) is UTC else None
    return None


def _as_it_is(array: pa.Array) -> tuple[pa.Array, None]:
    return array, None


def _whole(came: pa.DataType, *, as_written: bool) -> Read | None:
    if pa.types.is_uint64(came):
        return lambda array: (array.cast(pa.int64(), safe=False), pc.less(array, pa.scalar(2**63, pa.uint64())))
    if pa.types.is_integer(came):
        return lambda array: (array.cast(pa.int64()), None)
    if pa.types.is_floating(came) and not as_written:
        return _whole_of_doubles
    return None


def _whole_of_doubles(array: pa.Array) -> tuple[pa.Array, pa.Array]:
    array = array.cast(pa.float64())
    sure = pc.and_(pc.equal(pc.floor(array), array), pc.less(pc.abs(array), 2.0**63))
    return pc.if_else(pc.fill_null(sure, False), array, None).cast(pa.int64(), safe=False), sure


def _number(came: pa.DataType) -> Read | None:
    if pa.types.is_integer(came):
        return lambda array: (array.cast(pa.float64(), safe=False), None)
    if pa.types.is_floating(came):
        return lambda array: (array.cast(pa.float64()), pc.is_finite(array))
    return None


def _text(came: pa.DataType) -> Read | None:
    if pa.types.is_string(came):
        return _as_it_is
    return None


def _day(came: pa.DataType) -> Read | None:
    if pa.types.is_date(came):

        def of_days(array: pa.Array) -> tuple[pa.Array, pa.Array | None]:
            number = days(array)
            inside = _within(number, FIRST_DAY, LAST_DAY)
            if pa.types.is_date32(came):
                return array, inside
            number = number if inside is None else pc.if_else(pc.fill_null(inside, False), number, None)
            return number.cast(pa.int32()).cast(pa.date32()), inside

        return of_days
    if pa.types.is_timestamp(came) and came.tz is None:
        return _days_of_midnights
    return None


def _days_of_midnights(array: pa.Array) -> tuple[pa.Array, pa.Array | None]:
    """What pandas holds dates as."""
    number = in_microseconds(array)
    whole = pc.divide(number, _DAY_OF_MICROSECONDS)
    sure = pc.equal(pc.multiply(whole, _DAY_OF_MICROSECONDS), number)
    inside = _within(whole, FIRST_DAY, LAST_DAY)
    if inside is not None:
        sure = pc.and_(sure, inside)
        whole = pc.if_else(pc.fill_null(inside, False), whole, None)
    return whole.cast(pa.int32()).cast(pa.date32()), sure


def _moment(came: pa.DataType, wanted: pa.DataType) -> Read:
    def read(array: pa.Array) -> tuple[pa.Array, pa.Array | None]:
        number = in_microseconds(array)
        values = number.view(wanted)
        if came.unit == "ns":  # 64 bits of nanoseconds end long before the calendar does
            return values, None
        inside = _within(number, *_CALENDAR)
        if number.null_count > array.null_count:
            inside = pc.fill_null(inside, False) if inside is not None else pc.is_valid(number)
        return values, inside

    return read


def in_calendar(moments: pa.Array) -> bool:
    """Whether all moments, in microseconds, are such as the calendar has."""
    return _within(moments.cast(pa.int64()), *_CALENDAR) is None


def _microseconds(moment: datetime) -> int:
    since = moment - EPOCH
    return since.days * _DAY_OF_MICROSECONDS + since.seconds * 1_000_000 + since.microseconds


def _within(number: pa.Array, low: int, high: int) -> pa.Array | None:
    """Where numbers are within two ends; None where all are."""
    ends: Any = pc.min_max(number)
    least, most = ends["min"].as_py(), ends["max"].as_py()
    if least is None or (least >= low and most <= high):
        return None
    return pc.and_(pc.greater_equal(number, low), pc.less_equal(number, high))


_CALENDAR: Final = (_microseconds(datetime.min), _microseconds(datetime.max))
