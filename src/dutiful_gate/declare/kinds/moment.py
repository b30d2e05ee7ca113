"""`datetime` and `date`, as RFC 3339 writes them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import UTC, date, datetime, timedelta, timezone
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, Final

from ...regex.white_space import BLANKS
from ..clock import Clock
from ..facts import Bind, Facts, Order, Sort, Stop
from ..lazy import Late
from ..native_forms import Native
from ..sources import Reading
from .base import IN_TEXT, Kind, Reader

if TYPE_CHECKING:
    from random import Random

    from ..steps import Step
    from ..wish import Wish

_MOMENT_KIND = Stop("kind", "a date-time as text, such as 2026-05-04T09:30:00Z")
_MOMENT_READING = Stop("reading", "a date-time with an offset (RFC 3339), such as 2026-05-04T09:30:00Z")
_NO_OFFSET = Stop("reading", "a date-time with an offset, such as Z or +02:00")
_NO_SUCH_MOMENT = Stop("reading", "a date-time that the calendar has")
_NO_LEAP = Stop("reading", "a date-time with a second from 00 to 59, or 60 at 23:59 UTC")
_MOMENT_NATIVE = Stop("kind", "a date-time")
_DAY_KIND = Stop("kind", "a date as text, such as 2026-05-04")
_DAY_READING = Stop("reading", "a date (RFC 3339), such as 2026-05-04")
_NO_SUCH_DAY = Stop("reading", "a date that the calendar has")
_DAY_NATIVE = Stop("kind", "a date")

_MOMENT = Late(
    r"[0-9]{4}-[0-9]{2}-[0-9]{2}[Tt](?:[01][0-9]|2[0-3]):[0-9]{2}:([0-9]{2})(?:\.[0-9]+)?"
    r"([Zz]|[+-](?:[01][0-9]|2[0-3]):[0-5][0-9])?"
)
_DAY = Late(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_from_iso = datetime.fromisoformat
_SECOND: Final = timedelta(seconds=1)
_NO_TIME: Final = timedelta(0)
_WITH_OFFSET: Final = ("--T::+:", "--T::-:")
_SMALL: Final = ("--t::z", "--T::z", "--t::Z", "--t::+:", "--t::-:")


def _takes_24() -> bool:
    """Whether the interpreter's parser has an hour 24, which RFC 3339 has not."""
    try:
        _from_iso("2026-05-04T24:00:00")
    except ValueError:
        return False
    return True


_TAKES_24 = _takes_24()


def moment_from_json(value: object) -> object:
    """An RFC 3339 date-time: `T` between date and time, seconds, any fraction, and an offset."""
    if value.__class__ is str:
        text: str = value
        # The commonest forms, told by their separators alone: the parser judges the rest.
        between = text[4::3]
        if (len(text) == 20 and between == "--T::Z") or (
            len(text) == 25
            and between in _WITH_OFFSET
            and text[20:22] < "24"
            and text[23] < "6"  # the parser takes 99 minutes
        ):
            if text[17] > "5":
                return moment_tried(text)
            try:
                if text[11:13] != "24":
                    return _from_iso(text)
            except ValueError:
                return moment_tried(text)
        return moment_from_json(text.upper()) if between in _SMALL else _slow_moment(text)
    return _slow_moment(value) if isinstance(value, str) else _MOMENT_KIND


def _slow_moment(text: str, *, tried: bool = False) -> object:
    parts = _MOMENT.fullmatch(text)
    if parts is None:
        return _MOMENT_READING
    second, offset = parts[1], parts[2]
    if offset is None:
        return _NO_OFFSET
    if tried and second != "60":
        return _NO_SUCH_MOMENT
    if text[10] == "t" or offset == "z":
        text = text.upper()
    try:
        return _after_leap(text) if second == "60" else _from_iso(text)
    except (ValueError, OverflowError):
        return _NO_SUCH_MOMENT


def moment_tried(text: str) -> object:
    """The same of a text of one of the commonest forms that the parser refuses."""
    if text[17:19] != "60":
        return _slow_moment(text, tried=True)
    try:
        return _after_leap(text)
    except OverflowError:
        return _NO_SUCH_MOMENT
    except ValueError:
        return _slow_moment(text, tried=True)


def _after_leap(text: str) -> object:
    """A leap second, which only the end of a day in UTC can have: as clocks that lack it have it, the next one."""
    before = _from_iso(text.replace(":60", ":59", 1))  # a minute 60, which no clock has, keeps the second 60
    utc = before if text[-1] == "Z" else before - before.utcoffset()  # type: ignore[operator]  # it has one
    return before + _SECOND if utc.minute == 59 and utc.hour == 23 else _NO_LEAP


def moment_from_text(value: object) -> object:
    """The same, blanks around it ignored."""
    return moment_from_json(value.strip(BLANKS) if isinstance(value, str) else value)


def moment_native(value: object) -> object:
    """A `datetime` with an offset."""
    if not isinstance(value, datetime) or value != value:  # as a table's "not a time" is
        return _MOMENT_NATIVE
    return value if value.utcoffset() is not None else _NO_OFFSET


def day_from_json(value: object) -> object:
    """An RFC 3339 full-date."""
    if not isinstance(value, str):
        return _DAY_KIND
    if not _DAY.fullmatch(value):
        return _DAY_READING
    try:
        return date.fromisoformat(value)
    except ValueError:
        return _NO_SUCH_DAY


def day_from_text(value: object) -> object:
    """The same, blanks around it ignored."""
    return day_from_json(value.strip(BLANKS) if isinstance(value, str) else value)


def day_native(value: object) -> object:
    """A `date` that is no `datetime`."""
    return value if isinstance(value, date) and not isinstance(value, datetime) else _DAY_NATIVE


def moment_as_text(moment: datetime) -> str:
    """RFC 3339 text of a date-time with an offset; UTC is written Z, as most clients expect."""
    if moment.tzinfo is UTC:
        return f"{moment.isoformat()[:-6]}Z"
    offset = moment.utcoffset()
    if not offset or offset % timedelta(minutes=1):  # RFC 3339 has no offsets with seconds
        return moment.astimezone(UTC).isoformat()[:-6] + "Z"
    return moment.isoformat()


_EAST = timezone(timedelta(hours=2))
_ODD_OFFSET = timezone(timedelta(hours=1, seconds=30))
_NOON = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)
MOMENTS: Final = (
    "2026-05-04T09:30:00Z", "2026-05-04t09:30:00z", "2026-05-04 09:30:00Z", "2026-05-04T09:30:00", "2026-05-04T09:30Z",
    "2026-05-04T09:30:00+02:00", "2026-05-04T09:30:00-00:00", "2026-05-04T09:30:00+24:00", "2026-05-04T24:00:00Z",
    "2026-02-29T09:30:00Z", "2024-02-29T09:30:00Z", "0000-01-01T00:00:00Z", "0001-01-01T00:00:00+05:00",
    "9999-12-31T23:59:59Z", "9999-12-31T23:59:59-05:00", "2016-12-31T23:59:60Z", "2016-12-31T22:59:60Z",
    "2017-01-01T00:59:60+01:00", "9999-12-31T23:59:60Z", "2026-05-04T09:30:00.123456789Z", "2026-05-04T09:30:00.Z",
    "2026-05-04T09:30:00,5Z", "2026-5-4T09:30:00Z", "2026-05-04T09:60:00Z", "2026-05-04T09:30:00+0200",
    "20260504T093000Z",
    "\u0662026-05-04T09:30:00Z", "2026-05-04T09:30:00Z\n", "2026-W19-1", "2026-05-04", "2026-02-30", "2026-124",
    "20260504",
    "2026-05-04T09:30:00+02:00:30", "1998-12-31T23:59:61Z",
)  # fmt: skip
"""Date-times and dates, sound and nearly so: leap seconds, the ends of the calendar, other forms of ISO 8601."""


def draw_moment(wish: Wish, *, local: bool = False) -> datetime:
    """A date-time near the bounds, or near a day of the scenario."""
    random = wish.random
    floors = [_in_utc(floor, local) for floor in wish.floors]
    ceilings = [_in_utc(ceiling, local) for ceiling in wish.ceilings]
    if floors and ceilings and random.random() < 0.8:
        return _well_inside(max(floors), min(ceilings), random)
    ends = [end for end in (*floors, *ceilings) if random.random() < 0.6]
    around = random.choice(ends).replace(microsecond=0) if ends else _NOON
    return around + timedelta(days=random.randint(-30, 60), minutes=15 * random.randint(0, 95))


def _in_utc(bound: Any, local: bool) -> datetime:
    """A bound of date-times or dates, the moment of checking too; a date-time without an offset as if it were UTC."""
    if isinstance(bound, Clock):
        moment = (datetime.now() if local else datetime.now(UTC)) + (bound.away or timedelta(0))
    elif isinstance(bound, datetime):
        moment = bound
    else:
        moment = datetime(bound.year, bound.month, bound.day)
    return moment.astimezone(UTC) if moment.tzinfo else moment.replace(tzinfo=UTC)


def _well_inside(low: datetime, high: datetime, random: Random) -> datetime:
    """A moment that is still between the two when it is looked at; in whole minutes or seconds if it can be."""
    drawn = low + (high - low) * random.uniform(0.1, 0.9)
    for even in (drawn.replace(second=0, microsecond=0), drawn.replace(microsecond=0)):
        if low < even < high:
            return even
    return drawn


class MomentKind(Kind):
    """A point in time, with its offset."""

    read_alike: ClassVar[bool] = True
    written_alike: ClassVar[bool] = True
    may_not_go_out: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("a date-time", "date-time", ordered=(datetime,), sort=Sort.MOMENT, order=Order.TIME)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        if reading is not Reading.PLAIN:
            return None
        # 2026-05-04T09:30:00Z: every third sign from the fifth on is a separator, and the parser judges the rest.
        test = f'{value}.__class__ is str and len({value}) == 20 and {value}[4::3] == "--T::Z"'
        if _TAKES_24:
            test += f' and {value}[11:13] != "24"'
        return test, f"{bind(_from_iso, 'from_iso')}({value})"

    def after_quick_reader(self, reading: Reading) -> Reader:
        return moment_tried

    def native(self, reading: Reading) -> Native | None:
        return None if reading.is_typed or reading.is_half_typed else Native("moment")

    def native_out(self) -> Native | None:
        return Native("moment")

    def reader(self, reading: Reading) -> Reader:
        return {
            Reading.PLAIN: moment_from_json,
            Reading.TEXT: moment_from_text,
            Reading.TYPED: moment_native,
        }[reading]

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    def draw(self, wish: Wish) -> object:
        return self.plain(draw_moment(wish))

    def edges(self) -> Iterable[object]:
        return MOMENTS

    def made_in_code(self) -> Iterable[object]:
        return (
            datetime(2026, 5, 4, 9, 30, tzinfo=_EAST), datetime(2026, 5, 4, 9, 30), datetime.max.replace(tzinfo=UTC),
            datetime(1, 1, 1, tzinfo=_EAST), datetime(2026, 5, 4, 9, 30, 1, 5, tzinfo=_ODD_OFFSET),
            datetime.max.replace(tzinfo=_ODD_OFFSET), datetime(1900, 1, 1, tzinfo=UTC),
        )  # fmt: skip

    def goes_out(self, value: Any) -> bool:
        return (value.__class__ is datetime and value.tzinfo is UTC) or super().goes_out(value)

    def comes_back(self, value: Any, again: object) -> bool:
        # Where clocks are turned, two date-times of one moment may be unequal.
        return super().comes_back(value, again) or (
            isinstance(again, datetime) and again.tzinfo is not None and again.astimezone(UTC) == value.astimezone(UTC)
        )

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string", "format": "date-time"}

    def plain(self, value: Any) -> object:
        return moment_as_text(value)

    def release(self, value: str, bind: Bind) -> str:
        return f"{bind(moment_as_text, 'moment_as_text')}({value})"


class Day(Kind):
    """A day of the calendar."""

    one_form: ClassVar[bool] = True
    read_alike: ClassVar[bool] = True
    written_alike: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("a date", "date", ordered=(date,), sort=Sort.DAY, order=Order.TIME)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        if reading is Reading.TYPED:
            return None
        test = f'{value}.__class__ is str and len({value}) == 10 and {value}[4::3] == "--" and {value}.isascii()'
        return test, f"{bind(date.fromisoformat, 'day_from_iso')}({value})"

    def native(self, reading: Reading) -> Native | None:
        return None if reading.is_typed or reading.is_half_typed else Native("day")

    def native_out(self) -> Native | None:
        return Native("day")

    def reader(self, reading: Reading) -> Reader:
        return {Reading.PLAIN: day_from_json, Reading.TEXT: day_from_text, Reading.TYPED: day_native}[reading]

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    def draw(self, wish: Wish) -> object:
        return draw_moment(wish).date().isoformat()

    def edges(self) -> Iterable[object]:
        return MOMENTS

    def made_in_code(self) -> Iterable[object]:
        return (date.min, date.max, datetime(2026, 5, 4, tzinfo=UTC), date(2024, 2, 29))

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string", "format": "date"}

    def plain(self, value: Any) -> object:
        return value.isoformat()

    def release(self, value: str, bind: Bind) -> str:
        return f"{value}.isoformat()"


_LOCAL_READING = Stop("reading", "a date-time without an offset, such as 2026-05-04T09:30:00")
_UTC_READING = Stop("reading", "a date-time in UTC, such as 2026-05-04T09:30:00Z")
_LOCAL = Late(r"[0-9]{4}-[0-9]{2}-[0-9]{2}T(?:[01][0-9]|2[0-3]):[0-9]{2}:[0-9]{2}(?:\.[0-9]+)?")
# The same with the days that the calendar has, the 29th of February in leap years: no document has a format for it.
_LOCAL_PATTERN = (
    "(?:(?!0000)[0-9]{4}-(?:(?:0[13578]|1[02])-(?:0[1-9]|[12][0-9]|3[01])|(?:0[469]|11)-(?:0[1-9]|[12][0-9]|30)|"
    "02-(?:0[1-9]|1[0-9]|2[0-8]))|"
    "(?:[0-9]{2}(?:0[48]|[2468][048]|[13579][26])|(?:0[48]|[2468][048]|[13579][26])00)-02-29)"
    r"T(?:[01][0-9]|2[0-3]):[0-5][0-9]:[0-5][0-9](?:\.[0-9]+)?"
)


class LocalMoment(Kind):
    """A date and a time of day that some clock shows: no offset, so no point in time."""

    read_alike: ClassVar[bool] = True
    written_alike: ClassVar[bool] = True
    may_not_go_out: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        words = "a date-time without an offset", "local date-time"
        return Facts(*words, ordered=(datetime,), sort=Sort.LOCAL_MOMENT, order=Order.TIME)

    def has_one_form(self, *, released: bool) -> bool:
        return released

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def native(self, reading: Reading) -> Native | None:
        return None if reading.is_typed or reading.is_half_typed else Native("local moment")

    def native_out(self) -> Native | None:
        return Native("local moment")

    def reader(self, reading: Reading) -> Reader:
        return _local_native if reading is Reading.TYPED else _local_from_text if reading is Reading.TEXT else _local

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    def draw(self, wish: Wish) -> object:
        return self.plain(draw_moment(wish, local=True).replace(tzinfo=None))

    def edges(self) -> Iterable[object]:
        return MOMENTS

    def made_in_code(self) -> Iterable[object]:
        return (
            datetime(2026, 5, 4, 9, 30, 0, 7), datetime(2026, 5, 4, 9, 30, tzinfo=UTC), datetime.max, datetime.min,
        )  # fmt: skip

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string", "pattern": f"^{_LOCAL_PATTERN}$"}

    def plain(self, value: Any) -> object:
        return value.isoformat()

    def release(self, value: str, bind: Bind) -> str:
        return f"{value}.isoformat()"


def _local(value: object) -> object:
    if not isinstance(value, str):
        return _MOMENT_KIND
    if not _LOCAL.fullmatch(value):
        return _LOCAL_READING
    try:
        return _from_iso(value)
    except ValueError:
        return _NO_SUCH_MOMENT


def _local_from_text(value: object) -> object:
    """The same, blanks around it ignored; a form's `datetime-local` may leave the seconds out."""
    if not isinstance(value, str):
        return _MOMENT_KIND
    text = value.strip(BLANKS)
    return _local(f"{text}:00" if len(text) == 16 and text[13:14] == ":" else text)


def _local_native(value: object) -> object:
    if not isinstance(value, datetime) or value != value:
        return _MOMENT_NATIVE
    return value if value.utcoffset() is None else _LOCAL_READING


class UtcMoment(MomentKind):
    """A point in time that is written in UTC."""

    def has_one_form(self, *, released: bool) -> bool:
        return released

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        return super().quick_reader(reading, value, bind)  # it is in UTC

    def native(self, reading: Reading) -> Native | None:
        return None if reading.is_typed or reading.is_half_typed else Native("utc moment")

    def reader(self, reading: Reading) -> Reader:
        read = super().reader(reading)

        def read_utc(value: object) -> object:
            moment = read(value)
            if moment.__class__ is datetime and moment.tzinfo is UTC:
                return moment
            return _UTC_READING if isinstance(moment, datetime) and moment.utcoffset() != _NO_TIME else moment

        return read_utc

    def outgoing(self) -> tuple[Kind, tuple[Step, ...]]:
        from ..steps import in_utc

        return MomentKind(), (in_utc,)

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string", "format": "date-time", "pattern": r"(?:[Zz]|[+-]00:00)$"}
