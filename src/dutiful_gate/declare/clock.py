"""`now` and `today`: the moment of checking, as a bound."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from .applicability import Takes
from .errors import DeclarationError
from .facts import Facts, Sort
from .values import Value

if TYPE_CHECKING:
    from datetime import timedelta


def _now() -> Any:
    from datetime import UTC, datetime

    return datetime.now(UTC)


def _local_now() -> Any:
    from datetime import datetime

    return datetime.now()


def _today() -> Any:
    from datetime import date

    return date.today()


class Clock(Value):
    """The moment of checking, or a time before or after it."""

    word: str
    away: Any = None

    def __add__(self, away: timedelta) -> Clock:
        return Clock(self.word, away if self.away is None else self.away + away)

    def __sub__(self, away: timedelta) -> Clock:
        return self + -away

    def suits(self, facts: Facts) -> bool:
        """Whether a value can be compared with it."""
        wanted = (Sort.DAY,) if self.word == "today" else (Sort.MOMENT, Sort.LOCAL_MOMENT)
        return facts.sort in wanted

    def takes(self) -> Takes:
        """What can be compared with it, asked where the type beside it leaves that open."""
        from datetime import date, datetime

        if self.word == "today":
            return Takes("a date", lambda value: isinstance(value, date) and not isinstance(value, datetime), ())
        return Takes("a date-time", lambda value: isinstance(value, datetime), ())

    def moment_for(self, value: Any) -> Any:
        """The bound now: as a clock on the wall shows it for a date-time without an offset."""
        read = _today if self.word == "today" else _now if value.utcoffset() is not None else _local_now
        moment = read()
        return moment if self.away is None else moment + self.away

    def check(self) -> None:
        """Raise DeclarationError where the calendar does not reach as far."""
        if self.away is None:
            return
        try:
            for moment in (_today(), _now()):
                moment + self.away
        except OverflowError:
            raise DeclarationError(f"{self} is past the end of the calendar", remedy="bound it nearer") from None

    def __str__(self) -> str:
        if self.away is None:
            return self.word
        seconds = self.away.total_seconds()
        return f"{abs(self.away)} {'after' if seconds >= 0 else 'before'} {self.word}"

    __repr__ = __str__


now = Clock("now")
"""The moment of checking: `it > now`, `it < now + timedelta(hours=2)`."""

today = Clock("today")
"""The day of checking, by the machine's own clock: `it >= today`."""
