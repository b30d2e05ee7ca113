"""What stands on one side of a comparison between fields: a field, its length, a constant, arithmetic of them."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

from .conditions import told_path
from .facts import Bind, Facts, Sort
from .field_access import Path, Reach
from .members import quoted, typed
from .outside import Outside
from .values import Value


class NamedField(Value):
    """A field of the record at hand, or one inside it."""

    path: Path

    def source(self, reach: Reach, bind: Bind) -> str:
        return reach.at(self.path, bind)

    def paths(self) -> tuple[Path, ...]:
        return (self.path,)

    def __repr__(self) -> str:
        return told_path(self.path)


class Measured(Value):
    """How many characters, items or keys a field has."""

    of: NamedField

    def source(self, reach: Reach, bind: Bind) -> str:
        return f"len({self.of.source(reach, bind)})"

    def paths(self) -> tuple[Path, ...]:
        return self.of.paths()

    def __repr__(self) -> str:
        return f"{self.of!r}.length"


class Keys(Value):
    """How many keys of the record at hand came."""

    def source(self, reach: Reach, bind: Bind) -> str:
        return reach.count()

    def paths(self) -> tuple[Path, ...]:
        return ()

    def __repr__(self) -> str:
        return "this.length"


class Constant(Value):
    """A constant beside the fields."""

    value: Any

    def source(self, reach: Reach, bind: Bind) -> str:
        return bind(typed(self.value), "CONSTANT")

    def paths(self) -> tuple[Path, ...]:
        return ()

    def __repr__(self) -> str:
        return quoted(self.value)


class FromCaller(Value):
    """A value from outside beside the fields."""

    value: Outside[Any]

    def source(self, reach: Reach, bind: Bind) -> str:
        return self.value.source(bind)

    def paths(self) -> tuple[Path, ...]:
        return ()

    def __repr__(self) -> str:
        return str(self.value)


class Combined(Value):
    """Two terms and an arithmetic sign."""

    left: Any
    sign: str
    right: Any

    def source(self, reach: Reach, bind: Bind) -> str:
        return f"({self.left.source(reach, bind)} {self.sign} {self.right.source(reach, bind)})"

    def paths(self) -> tuple[Path, ...]:
        return (*self.left.paths(), *self.right.paths())

    def __repr__(self) -> str:
        return f"({self.left!r} {self.sign} {self.right!r})"


def sample_of(facts: Facts) -> Any:
    """A value such as the field may hold, to try arithmetic on."""
    from datetime import UTC, date, datetime, time, timedelta

    kind = facts.ordered[0] if facts.ordered else None
    samples: dict[Any, Any] = {
        datetime: datetime(2026, 5, 4, tzinfo=None if facts.sort is Sort.LOCAL_MOMENT else UTC),
        date: date(2026, 5, 4),
        time: time(9),
        timedelta: timedelta(hours=1),
    }
    if facts.sort is Sort.NUMBER:
        return 1.0
    if kind in samples or kind is None:
        return samples.get(kind)
    with suppress(TypeError, ValueError, AttributeError):
        return kind(1)  # a number, an address
    with suppress(TypeError, ValueError, AttributeError):
        return kind(int=1)  # a UUID
    return None


def counts_keys(term: Any) -> bool:
    """Whether a term counts the keys, items or characters of something."""
    return isinstance(term, Measured | Keys) or (
        isinstance(term, Combined) and (counts_keys(term.left) or counts_keys(term.right))
    )
