"""`now` and `today`: the moment of checking, as a bound. Tests hand over another: `outside=[now(noon)]`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Final

from .applicability import Takes
from .errors import DeclarationError
from .facts import Facts, Sort
from .outside import Outside, T, handed

if TYPE_CHECKING:
    from datetime import date, datetime


def _now() -> Any:
    from datetime import UTC, datetime

    held = handed().get("now")
    return datetime.now(UTC) if held is None else held.value


def _local_now() -> Any:
    from datetime import datetime

    held = handed().get("now")
    return datetime.now() if held is None else held.value.astimezone().replace(tzinfo=None)


def _today() -> Any:
    held = handed().get("today")
    return _local_now().date() if held is None else held.value


class Clock(Outside[T]):
    """The moment of checking, or a time before or after it: a value from outside, which the clock gives if nobody does.

    Where `now` alone is handed over, `today` is its day by the machine's clock.
    """

    @property
    def must_come(self) -> bool:
        return False

    @property
    def here(self) -> T:
        """The moment of checking, here and now."""
        found: T = self._moved(_today() if self.name == "today" else _now())
        return found

    def suits(self, facts: Facts) -> bool:
        """Whether a value can be compared with it."""
        wanted = (Sort.DAY,) if self.name == "today" else (Sort.MOMENT, Sort.LOCAL_MOMENT)
        return facts.sort in wanted

    def takes(self) -> Takes:
        """What can be compared with it, asked where the type beside it leaves that open."""
        from datetime import date, datetime

        if self.name == "today":
            return Takes("a date", lambda value: isinstance(value, date) and not isinstance(value, datetime), ())
        return Takes("a date-time", lambda value: isinstance(value, datetime), ())

    def moment_for(self, value: Any) -> Any:
        """The bound now: as a clock on the wall shows it for a date-time without an offset."""
        read = _today if self.name == "today" else _now if value.utcoffset() is not None else _local_now
        return self._moved(read())

    def check_reach(self) -> None:
        """Raise DeclarationError where the calendar does not reach as far."""
        if self.away is None:
            return
        try:
            for moment in (_today(), _now()):
                moment + self.away
        except OverflowError:
            raise DeclarationError(f"{self} is past the end of the calendar", remedy="bound it nearer") from None

    def check(self, value: object) -> None:
        """Raise TypeError for what is no date-time with an offset, or no date."""
        from datetime import date, datetime

        Outside(self.name, date if self.name == "today" else datetime).check(value)

    def __str__(self) -> str:
        if self.away is None:
            return self.name
        seconds = self.away.total_seconds()
        return f"{abs(self.away)} {'after' if seconds >= 0 else 'before'} {self.name}"

    __repr__ = __str__


now: Final[Clock[datetime]] = Clock("now", None)
"""The moment of checking: `it > now`, `it < now + timedelta(hours=2)`. `now(noon)` hands another over."""

today: Final[Clock[date]] = Clock("today", None)
"""The day of checking, by the machine's own clock: `it >= today`. `today(day)` hands another over."""
