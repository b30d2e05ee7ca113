"""A point in time as the number of seconds since 1970 began in UTC: `Annotated[datetime, via(int)]`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime, timedelta
from typing import Any, ClassVar

from ..facts import Bind, Stop
from ..sources import Reading
from .base import NUMBERS, Kind, Reader
from .moment import MomentKind, moment_native

_START = datetime(1970, 1, 1, tzinfo=UTC)
_SECOND = timedelta(seconds=1)
_KIND = Stop("kind", "a number of seconds since 1970")
_NO_SUCH = Stop("reading", "a number of seconds since 1970 that the calendar has")


def moment_from_seconds(value: object) -> object:
    """The moment, in UTC, so many seconds after the start of 1970."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return _KIND
    try:
        return _START + timedelta(seconds=value)
    except (OverflowError, ValueError):
        return _NO_SUCH


def seconds_of(moment: datetime) -> int | float:
    """The number of seconds: a whole one where there is no fraction."""
    away = moment - _START
    return away // _SECOND if not away % _SECOND else away / _SECOND


class Epoch(MomentKind):
    """A point in time that is sent as a number."""

    read_alike: ClassVar[bool] = False
    written_alike: ClassVar[bool] = False

    whole: bool = True

    def has_one_form(self, *, released: bool) -> bool:
        return released

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        return None

    def reader(self, reading: Reading) -> Reader:
        return moment_native if reading is Reading.TYPED else moment_from_seconds

    @property
    def comes_as(self) -> frozenset[type]:
        return NUMBERS

    def edges(self) -> Iterable[object]:
        return (*super().edges(), 0, -1, 1e9, 1.5, 10**12, 10**18, True)

    def goes_out(self, value: Any) -> bool:
        try:
            return not (self.whole and value.microsecond) and Kind.goes_out(self, value)
        except Exception:  # no date-time at all
            return False

    def keywords(self) -> Mapping[str, object]:
        return {"type": "integer" if self.whole else "number"}

    def plain(self, value: Any) -> object:
        return seconds_of(value)

    def release(self, value: str, bind: Bind) -> str:
        return f"{bind(seconds_of, 'seconds_of')}({value})"
