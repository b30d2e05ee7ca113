"""Rules on a whole record: `this` and `@obeys`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from typing import Any, Final, NoReturn, Self, TypeVar

from .errors import DeclarationError
from .facts import Bind, Facts, Unsaid
from .rules.base import Face
from .values import Value

_C = TypeVar("_C", bound=type)
_HELD = "__obeys__"
_WORDS = {
    "<": ("below", "earlier than"),
    "<=": ("at most", "no later than"),
    ">": ("above", "later than"),
    ">=": ("at least", "no earlier than"),
    "==": ("equal to", "equal to"),
    "!=": ("different from", "different from"),
}


class RecordRule(Value, ABC, kw_only=True):
    """A condition on several fields of one record. To add a rule is to add a subclass."""

    own_words: str | None = None

    @property
    @abstractmethod
    def fields(self) -> tuple[str, ...]:
        """The fields it mentions, by attribute name; the first is where its fault stands."""

    @abstractmethod
    def condition(self, value_of: Mapping[str, str], bind: Bind) -> str:
        """Python source that is true when the rule holds; `value_of` names each field's variable."""

    @abstractmethod
    def face(self, facts: Mapping[str, Facts]) -> Face:
        """The code and wording of its fault."""

    @abstractmethod
    def numbers(self, wire: Mapping[str, str]) -> Mapping[str, object]:
        """The rule's numbers and names, for a fault's `expected`; `wire` names fields as the data does."""

    @abstractmethod
    def keywords(self, wire: Mapping[str, str]) -> Mapping[str, object] | Unsaid:
        """JSON Schema keywords for the record, or why there are none."""

    @abstractmethod
    def suits(self, facts: Mapping[str, Facts]) -> None:
        """Raise DeclarationError where the fields it mentions do not go together."""

    @abstractmethod
    def __str__(self) -> str:
        """The rule as a developer wrote it."""

    def says(self, words: str) -> Self:
        """The same rule with its own wording."""
        return self.but(own_words=words)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"the rule {self} was asked for a truth value, and has none",
            remedy="give each comparison on its own, as in @obeys(this.a < this.b, this.b < this.c)",
        )


class Named(Value):
    """A field of the record at hand, as a record rule keeps it."""

    name: str

    def __repr__(self) -> str:
        return f"this.{self.name}"


class Comparison(RecordRule):
    """`this.arrives > this.departs`, or `this.weight_kg <= 500`."""

    left: Named
    sign: str
    right: object

    @property
    def fields(self) -> tuple[str, ...]:
        return (self.left.name, self.right.name) if isinstance(self.right, Named) else (self.left.name,)

    def condition(self, value_of: Mapping[str, str], bind: Bind) -> str:
        right = self.right
        other = value_of[right.name] if isinstance(right, Named) else bind(right, "CONSTANT")
        return f"{value_of[self.left.name]} {self.sign} {other}"

    def face(self, facts: Mapping[str, Facts]) -> Face:
        words = _WORDS[self.sign][0 if facts[self.left.name].number else 1]
        return Face("", "agreement", f"a value {words} {{other}}")

    def numbers(self, wire: Mapping[str, str]) -> Mapping[str, object]:
        other = wire[self.right.name] if isinstance(self.right, Named) else self.right
        return {"comparison": self.sign, "other": other}

    def keywords(self, wire: Mapping[str, str]) -> Mapping[str, object] | Unsaid:
        if isinstance(self.right, Named):
            return Unsaid("JSON Schema cannot compare one field with another")
        return Unsaid("a record rule compares the field: a rule on the field itself could be said")

    def suits(self, facts: Mapping[str, Facts]) -> None:
        left = facts[self.left.name]
        if self.sign in ("==", "!="):
            return
        if not left.ordered:
            raise DeclarationError(f"{self} compares {left.phrase}, which has no order", remedy="leave it out")
        right = self.right
        if isinstance(right, Named):
            other = facts[right.name]
            if not set(left.ordered) & set(other.ordered):
                raise DeclarationError(
                    f"{self} compares {left.phrase} with {other.phrase}",
                    remedy="compare fields of one kind",
                )
        elif not left.compares_with(right):
            raise DeclarationError(f"{self} compares {left.phrase} with {right!r}", remedy=f"write {left.phrase} there")

    def __str__(self) -> str:
        return f"{self.left!r} {self.sign} {self.right!r}"


class FieldOfThis:
    """`this.arrives`: one field of the record at hand. Every comparison gives a record rule."""

    __slots__ = ("named",)

    def __init__(self, name: str) -> None:
        self.named = Named(name)

    def _compared(self, sign: str, other: object) -> Comparison:
        return Comparison(self.named, sign, other.named if isinstance(other, FieldOfThis) else other)

    def __gt__(self, other: Any) -> Comparison:
        return self._compared(">", other)

    def __ge__(self, other: Any) -> Comparison:
        return self._compared(">=", other)

    def __lt__(self, other: Any) -> Comparison:
        return self._compared("<", other)

    def __le__(self, other: Any) -> Comparison:
        return self._compared("<=", other)

    def __eq__(self, other: object) -> Comparison:  # type: ignore[override]
        return self._compared("==", other)

    def __ne__(self, other: object) -> Comparison:  # type: ignore[override]
        return self._compared("!=", other)

    def __hash__(self) -> int:
        return hash(self.named)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self!r} was asked for a truth value, and has none while it is only declared",
            remedy="compare it with something",
        )

    def __repr__(self) -> str:
        return repr(self.named)


class This:
    """The record at hand, inside `@obeys`. Every attribute stands for a field of that name."""

    __slots__ = ()

    def __getattr__(self, name: str) -> FieldOfThis:
        if name.startswith("__"):
            raise AttributeError(name)
        return FieldOfThis(name)

    def __repr__(self) -> str:
        return "this"


this: Final = This()
"""The record at hand: `@obeys(this.arrives > this.departs)`."""


def obeys(*rules: RecordRule) -> Callable[[_C], _C]:
    """A class decorator: every record of the class obeys the rules, and so do its subclasses' records.

    It may stand above or below `@dataclass`. Raises DeclarationError for what is no record rule.
    """
    for rule in rules:
        if not isinstance(rule, RecordRule):
            raise DeclarationError(
                f"@obeys was given {rule!r}, which is no rule of a record",
                remedy="compare fields of `this`, as in @obeys(this.arrives > this.departs)",
            )

    def hold(declared: _C) -> _C:
        before: tuple[RecordRule, ...] = declared.__dict__.get(_HELD, ())
        setattr(declared, _HELD, rules + before)
        return declared

    return hold


def record_rules(declared: type) -> tuple[RecordRule, ...]:
    """The record rules of a class: its bases' first, then its own."""
    return tuple(rule for owner in reversed(declared.__mro__) for rule in owner.__dict__.get(_HELD, ()))
