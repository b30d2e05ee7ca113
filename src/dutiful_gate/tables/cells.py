"""Cells of Arrow columns as the Python values that a gate for half-typed data reads; rows of them as records."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import UTC, date, datetime, time, timedelta, timezone, tzinfo
from functools import cache
from typing import Any, Final

import pyarrow as pa
import pyarrow.compute as pc

from ..declare.facts import Sort
from ..declare.sources import FromText, Reading
from ..engine.plan import may_be_blank, takes_null
from ..read.unreadable import CannotStart
from ..regex.white_space import is_blank
from ..shape.nodes import Entries, Items
from ..shape.shape import Record, Shape
from ..shape.uses import Use
from .column_names import wire_names
from .usual_arrays import is_text, usual

EPOCH: Final = datetime(1970, 1, 1)
FIRST_DAY: Final = (date.min - date(1970, 1, 1)).days
LAST_DAY: Final = (date.max - date(1970, 1, 1)).days
MICROSECONDS: Final = {"s": 1_000_000, "ms": 1_000, "us": 1}
_MILLISECONDS: Final = 86_400_000


class Cells:
    """What makes Python values of cells, for one declaration.

    With `from_text`, text in cells is read as that of CSV is: "12" is a number where one is wanted. With `plain`, what
    JSON does not have becomes the text that stands for it there, as documents judge it.
    """

    def __init__(self, shape: Shape, *, from_text: bool = False, plain: bool = False) -> None:
        self.shape = shape
        self.from_text = from_text
        self.plain = plain

    def rows(
        self, columns: Mapping[str, pa.Array | list[Any]], record: Record | None, count: int
    ) -> Iterator[dict[str, Any]]:
        """Rows as records. Nothing in a cell is null where the field may be, or nobody declared it; else absent."""
        fields = {field.wire: field.use for field in record.fields} if record is not None else {}
        names = list(columns)
        held = [self.values(columns[name], fields.get(name)) for name in names]
        missing = [name in fields and not takes_null(fields[name], self.shape.aliases) for name in names]
        several = list(zip(names, missing, strict=True))
        for row in zip(*held, strict=True) if held else ((),) * count:
            yield {
                name: value
                for (name, is_absent), value in zip(several, row, strict=True)
                if value is not None or not is_absent
            }

    def values(self, array: pa.Array | list[Any], use: Use | None) -> list[Any]:
        """The values of an array, None where it has none; objects in a list are taken as they are."""
        if not isinstance(array, pa.Array):
            return [self._object(each, use) for each in array]
        array = usual(array)
        kind = array.type
        if pa.types.is_dictionary(kind):
            return self.values(array.cast(kind.value_type), use)
        if isinstance(kind, pa.BaseExtensionType):
            return self.values(array.storage, use) if not hasattr(array, "to_pylist") else array.to_pylist()
        if pa.types.is_struct(kind):
            return self._structs(array, use)
        if pa.types.is_list(kind) or pa.types.is_large_list(kind) or pa.types.is_fixed_size_list(kind):
            return self._lists(array, use)
        if pa.types.is_map(kind):
            return self._maps(array)
        if pa.types.is_timestamp(kind):
            return self._made_plain(_moments(array, is_day=use is not None and use.sort is Sort.DAY))
        if pa.types.is_date(kind):
            return self._made_plain([_day_of(number) for number in days(array).to_pylist()])
        if pa.types.is_time(kind):
            return self._made_plain(_times(array))
        if pa.types.is_duration(kind):
            return self._made_plain(_durations(array))
        values = array.to_pylist()
        if self.from_text and is_text(kind):
            return [self._text(each, use) for each in values]
        return self._made_plain(values) if pa.types.is_decimal(kind) or pa.types.is_binary(kind) else values

    def _made_plain(self, values: list[Any]) -> list[Any]:
        return [_as_json_has_it(each) for each in values] if self.plain else values

    def _object(self, value: Any, use: Use | None) -> Any:
        if is_missing(value):
            return None
        value = _own_object(value)
        if use is not None and isinstance(use.bare.node, Entries) and _is_pairs(value):
            value = dict(value)
        kind = type(value)  # what an object says of itself is the engine's to look into
        if issubclass(kind, datetime) and _is_midnight(value) and use is not None and use.sort is Sort.DAY:
            value = value.date()
        if self.from_text and kind is str:
            return self._text(value, use)
        return _as_json_has_it(value) if self.plain else value

    def _text(self, text: str | None, use: Use | None) -> Any:
        """Text as CSV's cells are read: where it is blank, and text is not wanted, nothing stands there."""
        if text is None:
            return None
        blank = is_blank(text) and use is not None and may_be_blank(use, Reading.TEXT, self.shape.aliases)
        return None if blank else FromText(text)

    def _structs(self, array: pa.StructArray, use: Use | None) -> list[Any]:
        record = self.shape.record_inside(use)
        names = [field.name for field in array.type]
        wires = wire_names(record, names) if record is not None else {}
        inside = {wires.get(name, name): child for name, child in zip(names, array.flatten(), strict=True)}
        rows = self.rows(inside, record, len(array))
        valid = array.is_valid().to_pylist()
        return [row if there else None for row, there in zip(rows, valid, strict=True)]

    def _lists(self, array: Any, use: Use | None) -> list[Any]:
        node = use.bare.node if use is not None else None
        items = self.values(array.flatten(), node.item if isinstance(node, Items) else None)
        made: list[Any] = []
        at = 0
        for length in pc.list_value_length(array).to_pylist():
            made.append(None if length is None else items[at : at + length])
            at += length or 0
        return made

    def _maps(self, array: pa.MapArray) -> list[Any]:
        made: list[Any] = []
        for number in range(len(array)):
            entries = array.slice(number, 1)
            if not entries[0].is_valid:
                made.append(None)
                continue
            begin, end = entries.offsets[0].as_py(), entries.offsets[1].as_py()
            keys = self.values(entries.keys.slice(begin, end - begin), None)
            made.append(dict(zip(keys, self.values(entries.items.slice(begin, end - begin), None), strict=True)))
        return made


def is_missing(value: Any) -> bool:
    """Whether an object in a column stands for nothing: None, NaN, and what pandas has beside them."""
    if value is None:
        return True
    if type(value) is float:
        return bool(value != value)
    return type(value).__name__ in ("NAType", "NaTType") and type(value).__module__.startswith("pandas.")


def _own_object(value: Any) -> Any:
    """What NumPy and pandas hold, as Python has it: an array is a list, a number of theirs a number."""
    kind = type(value)
    if kind.__module__.startswith("pandas."):
        return value.to_pydatetime(warn=False) if kind.__name__ == "Timestamp" else value
    if kind.__module__ == "numpy" and hasattr(value, "tolist"):
        plain = value.tolist()
        return value if type(plain) is kind else _own_object(plain)
    if kind is list:
        return [_own_object(each) for each in value]
    if kind is dict:
        return {name: _own_object(each) for name, each in value.items()}
    return value


def _is_pairs(value: Any) -> bool:
    """Whether a list is what a map of Arrow becomes in pandas."""
    return type(value) is list and all(type(each) is tuple and len(each) == 2 for each in value)


def _day_of(number: int | None) -> Any:
    if number is None:
        return None
    return date(1970, 1, 1) + timedelta(days=number) if FIRST_DAY <= number <= LAST_DAY else _far(number * 86400)


def _far(seconds: int) -> str:
    """A moment that the calendar has not, in words that no reader of moments takes."""
    return f"about the year {1970 + seconds // 31_556_952}"


def days(array: pa.Array) -> pa.Array:
    """Dates as the whole numbers of their days; what is left of a day is cut off."""
    if pa.types.is_date32(array.type):
        return array.cast(pa.int32()).cast(pa.int64())
    number = array.cast(pa.int64())
    cut = pc.divide(number, _MILLISECONDS)
    return pc.subtract(cut, pc.greater(pc.multiply(cut, _MILLISECONDS), number).cast(pa.int64()))


def in_microseconds(array: pa.Array) -> pa.Array:
    """Timestamps or durations in microseconds as whole numbers, rounded down; null where 64 bits do not hold them."""
    number = array.cast(pa.int64())
    if array.type.unit == "ns":
        # Division cuts towards zero: before 1970, what was cut off goes down by one.
        cut = pc.divide(number, 1000)
        return pc.subtract(cut, pc.greater(pc.multiply(cut, 1000), number).cast(pa.int64()))
    factor = MICROSECONDS[array.type.unit]
    most = (2**63 - 1) // factor
    fits = pc.and_(pc.less_equal(number, most), pc.greater_equal(number, -most))
    return number if factor == 1 else pc.multiply(pc.if_else(fits, number, None), factor)


def _moments(array: pa.Array, *, is_day: bool) -> list[Any]:
    zone = zone_of(array.type.tz) if array.type.tz is not None else None
    made: list[Any] = []
    numbers = in_microseconds(array).to_pylist()
    raw = array.cast(pa.int64()).to_pylist()
    per_second = {"s": 1, "ms": 1000, "us": 1_000_000, "ns": 1_000_000_000}[array.type.unit]
    for number, whole in zip(numbers, raw, strict=True):
        if whole is None:
            made.append(None)
            continue
        try:
            if number is None:
                raise OverflowError
            moment = EPOCH + timedelta(microseconds=number)
            if zone is not None:
                moment = moment.replace(tzinfo=UTC).astimezone(zone)
        except OverflowError:
            made.append(_far(whole // per_second))
            continue
        made.append(moment.date() if is_day and _is_midnight(moment) else moment)
    return made


def _is_midnight(moment: datetime) -> bool:
    """Whether a moment is what holds a date where there are only moments."""
    return moment.tzinfo is None and moment.time() == time()


@cache
def zone_of(name: str) -> tzinfo:
    """The time zone of a column. Raises CannotStart for one that is not known."""
    if name.upper() in ("UTC", "ETC/UTC", "Z", "+00:00"):
        return UTC
    if name[:1] in "+-":
        hours, _, minutes = name[1:].partition(":")
        if hours.isdecimal() and int(hours) < 24 and (not minutes or (minutes.isdecimal() and int(minutes) < 60)):
            away = timedelta(hours=int(hours), minutes=int(minutes or 0))
            return timezone(-away if name[0] == "-" else away)
    from zoneinfo import ZoneInfo

    try:
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError):
        raise CannotStart(f"the time zone {name!r} of a column is not known here; convert it to UTC") from None


def _times(array: pa.Array) -> list[Any]:
    per_second = {"s": 1, "ms": 1000, "us": 1_000_000, "ns": 1_000_000_000}[array.type.unit]
    wide = pa.int32() if pa.types.is_time32(array.type) else pa.int64()
    made: list[Any] = []
    for number in array.cast(wide).to_pylist():
        if number is None:
            made.append(None)
        elif 0 <= number < 86400 * per_second:
            made.append((EPOCH + timedelta(microseconds=number * 1_000_000 // per_second)).time())
        else:
            made.append("a time past the end of the day")
    return made


def _durations(array: pa.Array) -> list[Any]:
    made: list[Any] = []
    for number in in_microseconds(array).to_pylist():
        try:
            made.append(None if number is None else timedelta(microseconds=number))
        except OverflowError:
            made.append("a duration past all that can be held")
    return made


def _as_json_has_it(value: Any) -> Any:
    """A value in the form that JSON has for it."""
    from base64 import b64encode
    from decimal import Decimal

    from ..declare.kinds.decimal import decimal_plain
    from ..declare.kinds.moment import moment_as_text
    from ..declare.kinds.texts import write_duration

    kind = type(value)
    if issubclass(kind, datetime):
        return moment_as_text(value) if value.tzinfo is not None else value.isoformat()
    if issubclass(kind, date | time):
        return value.isoformat()
    if issubclass(kind, timedelta):
        return write_duration(value)
    if issubclass(kind, bytes):
        return b64encode(value).decode()
    return decimal_plain(value) if issubclass(kind, Decimal) else value
