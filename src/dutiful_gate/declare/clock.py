"""`now` and `today`: the moment of checking, as a bound."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from .facts import Facts
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
        wanted = ("date",) if self.word == "today" else ("date-time", "local date-time")
        return facts.sort in wanted

    def reader(self, facts_sort: str = "date-time") -> Callable[[], Any]:
        """The function that tells the bound when it is called."""
        read = _today if self.word == "today" else _local_now if facts_sort == "local date-time" else _now
        away = self.away
        return read if away is None else lambda: read() + away

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
