"""Conditions on a record, joined with `&`, `|` and `~`, as `when(...)` takes them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, NoReturn

from .errors import DeclarationError
from .facts import Bind, Facts, Unsaid
from .records import Standing
from .values import Value


class Condition:
    """What holds for a record or does not. A comparison whose field has no value does not hold."""

    __slots__ = ()

    fields: Any
    may_raise: Any

    def test(self, value_of: Mapping[str, str], bind: Bind) -> str:
        """Source that is true where it holds; `value_of` tells of a name whether it has a value, of `=name` which."""
        raise NotImplementedError

    def told(self, wire: Mapping[str, str]) -> str:
        """It in words, with the names of the wire."""
        raise NotImplementedError

    def schema(self, at: Standing) -> Mapping[str, object] | Unsaid:
        """The schema of the records for which it holds."""
        raise NotImplementedError

    def suits(self, facts: Mapping[str, Facts]) -> None:
        """Raise DeclarationError where it compares what cannot be compared."""
        raise NotImplementedError

    def __and__(self, other: object) -> Joined:
        return _joined("and", self, other)

    def __or__(self, other: object) -> Joined:
        return _joined("or", self, other)

    def __invert__(self) -> Opposite:
        return Opposite(self)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self} was asked for a truth value, and has none while it is only declared",
            remedy="join conditions with & and |, each in brackets, and turn one round with ~",
        )


class Joined(Condition, Value):
    """Conditions of which all must hold ("and"), or one ("or")."""

    word: str
    parts: tuple[Any, ...]

    @property
    def fields(self) -> tuple[str, ...]:
        """The fields of all parts, each once."""
        return tuple(dict.fromkeys(name for part in self.parts for name in part.fields))

    @property
    def may_raise(self) -> bool:
        """Whether any part does arithmetic."""
        return any(part.may_raise for part in self.parts)

    def test(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return f" {self.word} ".join(f"({part.test(value_of, bind)})" for part in self.parts)

    def told(self, wire: Mapping[str, str]) -> str:
        told = [f"({part.told(wire)})" if isinstance(part, Joined) else part.told(wire) for part in self.parts]
        return f" {self.word} ".join(told)

    def schema(self, at: Standing) -> Mapping[str, object] | Unsaid:
        said = [part.schema(at) for part in self.parts]
        for each in said:
            if isinstance(each, Unsaid):
                return each
        return {"allOf" if self.word == "and" else "anyOf": said}

    def suits(self, facts: Mapping[str, Facts]) -> None:
        for part in self.parts:
            part.suits(facts)

    def __str__(self) -> str:
        return (" & " if self.word == "and" else " | ").join(f"({part})" for part in self.parts)

    __repr__ = __str__


class Opposite(Condition, Value):
    """A condition that must not hold."""

    part: Any

    @property
    def fields(self) -> tuple[str, ...]:
        """Those of the condition."""
        return tuple(self.part.fields)

    @property
    def may_raise(self) -> bool:
        """Whether it does arithmetic."""
        return bool(self.part.may_raise)

    def test(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return f"not ({self.part.test(value_of, bind)})"

    def told(self, wire: Mapping[str, str]) -> str:
        return f"not ({self.part.told(wire)})"

    def schema(self, at: Standing) -> Mapping[str, object] | Unsaid:
        said = self.part.schema(at)
        return said if isinstance(said, Unsaid) else {"not": said}

    def suits(self, facts: Mapping[str, Facts]) -> None:
        self.part.suits(facts)

    def __str__(self) -> str:
        return f"~({self.part})"

    __repr__ = __str__


def _joined(word: str, one: Any, other: object) -> Joined:
    if not isinstance(other, Condition):
        sign = "&" if word == "and" else "|"
        raise DeclarationError(
            f"{sign} joins {one} with {other!r}, which is no condition",
            remedy=f"put each comparison in brackets, as in (this.a == 1) {sign} (this.b == 2)",
        )
    parts: Iterable[Any] = (
        inner
        for part in (one, other)
        for inner in (part.parts if isinstance(part, Joined) and part.word == word else (part,))
    )
    return Joined(word, tuple(parts))
