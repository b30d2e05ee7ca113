"""`it`, the value at hand: comparing it, or asking it something, writes a rule down."""

from __future__ import annotations

import re
from typing import Any, Final, overload

from .errors import DeclarationError
from .members import Subject, checked
from .outside import Outside
from .rules import (
    Between,
    Ceiling,
    Contains,
    Distinct,
    EndsWith,
    Equal,
    Floor,
    Has,
    HasEcma,
    Length,
    Matches,
    Multiple,
    OneOf,
    Rule,
    StartsWith,
)
from .rules.ecma import Ecma
from .rules.format import OfFormat
from .rules.from_outside import FromOutside, from_outside
from .rules.pattern import text_and_flags


class ItsLength(Subject):
    """`it.length`: the number of characters of a text, of items of a list, of keys of a record."""

    __slots__ = ()

    def __gt__(self, floor: int | Outside[int]) -> Rule:
        return _length(_whole(floor) + 1, None, f" > {floor}")

    def __ge__(self, floor: int | Outside[int]) -> Rule:
        return _length(_whole(floor), None, f" >= {floor}")

    def __lt__(self, ceiling: int | Outside[int]) -> Rule:
        return _length(None, _whole(ceiling) - 1, f" < {ceiling}")

    def __le__(self, ceiling: int | Outside[int]) -> Rule:
        return _length(None, _whole(ceiling), f" <= {ceiling}")

    def __eq__(self, exactly: object) -> Rule:  # type: ignore[override]
        return _length(_whole(exactly), _whole(exactly), f" == {exactly}")

    def __ne__(self, barred: object) -> Rule:  # type: ignore[override]
        return _length(None, None, f" != {barred}", _whole(barred))

    __hash__ = object.__hash__

    def between(self, floor: int | Outside[int], ceiling: int | Outside[int]) -> Rule:
        """A length from `floor` to `ceiling`, both included."""
        return _length(_whole(floor), _whole(ceiling), f".between({floor}, {ceiling})")

    def __repr__(self) -> str:
        return "it.length"


def one_of(choices: tuple[object, ...], asked: str) -> Rule:
    """The rule for some choices, or for one set from outside; `asked` is what it is called in messages."""
    if len(choices) == 1 and isinstance(choices[0], Outside) and choices[0].must_come:
        codes: Any = choices[0]
        return FromOutside(OneOf(codes))
    return OneOf(tuple(checked(each, asked) for each in choices))


def _comparable(constant: Any, asked: str) -> Any:
    return constant if isinstance(constant, Outside) and constant.must_come else checked(constant, asked)


def _length(*held: Any) -> Rule:
    return from_outside(Length(*held))  # type: ignore[no-any-return]


def _whole(number: object) -> Any:
    if isinstance(number, Outside) and number.kind is int:
        return number
    if isinstance(number, bool) or not isinstance(number, int):
        raise DeclarationError(f"it.length is compared with {number!r}", remedy="give a whole number")
    return number


class It(Subject):
    """The value at hand, inside `Annotated`. Every comparison gives a rule."""

    __slots__ = ()
    length: Final = ItsLength()
    """The number of characters of a text, of items of a list, of keys of a record: `it.length.between(1, 50)`."""
    distinct: Final = Distinct()
    """No item of a list twice; `it.distinct.by(key)`: no two of one key. Every rule has `.says("...")`, own words."""

    def __gt__(self, floor: Any) -> Rule:
        return from_outside(Floor(floor, False))  # type: ignore[no-any-return]

    def __ge__(self, floor: Any) -> Rule:
        return from_outside(Floor(floor, True))  # type: ignore[no-any-return]

    def __lt__(self, ceiling: Any) -> Rule:
        return from_outside(Ceiling(ceiling, False))  # type: ignore[no-any-return]

    def __le__(self, ceiling: Any) -> Rule:
        return from_outside(Ceiling(ceiling, True))  # type: ignore[no-any-return]

    def __eq__(self, constant: object) -> Rule:  # type: ignore[override]
        return from_outside(Equal(_comparable(constant, "it =="), True))  # type: ignore[no-any-return]

    def __ne__(self, constant: object) -> Rule:  # type: ignore[override]
        return from_outside(Equal(_comparable(constant, "it !="), False))  # type: ignore[no-any-return]

    __hash__ = object.__hash__

    def between(self, floor: Any, ceiling: Any) -> Rule:
        """A value from `floor` to `ceiling`, both included."""
        return from_outside(Between(floor, ceiling))  # type: ignore[no-any-return]

    @overload
    def matches(self, pattern: str | re.Pattern[str]) -> Matches: ...

    @overload
    def matches(self, pattern: Ecma) -> HasEcma: ...

    def matches(self, pattern: str | re.Pattern[str] | Ecma) -> Matches | HasEcma:
        r"""Text that matches the regular expression as a whole (`re.fullmatch`), or one of `ecma(...)`.

        In a pattern of Python, `\d` and `\w` are digits and letters of every script, here and in the document
        (`\p{Nd}`): write `[0-9]`, or give `re.compile(..., re.ASCII)`, for ASCII alone. In `ecma(...)` they are ASCII.
        """
        return HasEcma(pattern.pattern, True) if isinstance(pattern, Ecma) else Matches(*text_and_flags(pattern))

    @overload
    def has(self, pattern: str | re.Pattern[str]) -> Has: ...

    @overload
    def has(self, pattern: Ecma) -> HasEcma: ...

    def has(self, pattern: str | re.Pattern[str] | Ecma) -> Has | HasEcma:
        """Text in which the regular expression matches somewhere (`re.search`), or `ecma(...)` does; see `matches`."""
        return HasEcma(pattern.pattern, False) if isinstance(pattern, Ecma) else Has(*text_and_flags(pattern))

    def contains(self, held: Any) -> Contains:
        """Text that holds another, or a list that has an item equal to `held`."""
        return Contains(checked(held, "it.contains"))

    def starts_with(self, affix: str) -> StartsWith:
        """Text that begins with another."""
        return from_outside(StartsWith(affix))  # type: ignore[no-any-return]

    def ends_with(self, affix: str) -> EndsWith:
        """Text that ends with another."""
        return from_outside(EndsWith(affix))  # type: ignore[no-any-return]

    def multiple_of(self, step: Any) -> Multiple:
        """A number that is a whole multiple of `step`, by its decimal digits: 0.3 is a multiple of 0.1."""
        return from_outside(Multiple(step))  # type: ignore[no-any-return]

    def of_format(self, name: str) -> OfFormat:
        """Text of a format of the JSON Schema standard, by its name there: "uri", "hostname", "duration"."""
        from .rules.format import of_format

        return of_format(name)

    def one_of(self, *choices: object) -> Rule:
        """A value that equals one of the choices, or is one of a set that comes from outside."""
        return one_of(choices, "it.one_of")

    def __repr__(self) -> str:
        return "it"


it: Final = It()
"""The value at hand: `it > 0`, `it.length <= 80`, `it.matches(r"[A-Z]{3}")`."""
