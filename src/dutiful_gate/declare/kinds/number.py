"""`int` and `float`."""

from __future__ import annotations

import math
from abc import ABC
from collections.abc import Iterable, Mapping
from decimal import Decimal
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar, Final

from ...regex.white_space import BLANKS
from ..facts import Bind, Facts, Sort, Stop
from ..lazy import Late
from ..native_forms import Native
from ..sources import Reading
from .base import NUMBERS, Itself, Kind, Reader

if TYPE_CHECKING:
    from ..wish import Wish

_WHOLE_KIND = Stop("kind", "a whole number")
_DIGITS_KIND = Stop("kind", "a whole number written without a decimal point")
_NUMBER_KIND = Stop("kind", "a number")
_WHOLE_READING = Stop("reading", "a whole number in ASCII digits, such as 42")
_NUMBER_READING = Stop("reading", "a number in ASCII digits, such as 42 or 3.14")
_TOO_LONG = Stop("size", "a number of at most 4300 digits")
_NOT_FINITE = Stop("reading", "a finite number, as a double holds it")

_MOST_DIGITS = 4300
_EXACT = 2**53
_LARGEST_DRAWN = 10**300
TOO_LONG = 10**_MOST_DIGITS
"""The first whole number with more digits than the interpreter reads and writes."""
DECIMAL: Final = r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?"
"""A decimal number in ASCII digits, with words that `re` and ECMA-262 have in common."""
AT_THE_ENDS: Final = (0.5, 0.25, 1e15, 1e17 + 1, 1e22, 123456789.125, -7, 2.675, 1e-7, 0.30000000000000004)
"""Numbers that doubles hold badly, or that are written in another way than most."""

_NUMBER = Late(DECIMAL)


def draw_number(wish: Wish) -> object:
    """A number within the bounds, with few digits."""
    low, high = wish.span(0, 1000)
    low, high = (max(-_LARGEST_DRAWN, min(_LARGEST_DRAWN, end)) for end in (low, high))
    whole = wish.random.uniform(float(low), float(high))
    drawn = round(whole, wish.random.choice([0, 1, 2]))
    if not low < drawn < high and wish.random.random() < 0.8:
        drawn = whole  # between two numbers of few digits, or at an end that may not count
    if wish.step is not None:
        drawn = float(int(Decimal(repr(drawn)) / Decimal(str(wish.step))) * Decimal(str(wish.step)))
    return int(drawn) if drawn == int(drawn) and wish.random.random() < 0.5 else drawn


def whole_from_json(value: object) -> object:
    """An `int`, or a `float` without a fraction: 3.0 is a whole number (JSON Schema 2020-12, 6.1.1)."""
    if isinstance(value, bool):
        return _WHOLE_KIND
    if isinstance(value, int):
        return int(value)
    if isinstance(value, float) and value.is_integer():
        return int(value)
    if isinstance(value, Decimal) and value.is_finite() and value == value.to_integral_value():
        return int(value) if value.adjusted() <= _MOST_DIGITS else _TOO_LONG
    return _WHOLE_KIND


def whole_from_text(value: object) -> object:
    """ASCII digits with an optional sign, blanks around them ignored."""
    if not isinstance(value, str):
        return _WHOLE_KIND
    digits = value.strip(BLANKS)
    if digits.isdigit() and digits.isascii() and len(digits) <= _MOST_DIGITS:
        return int(digits)
    if not digits[-1:].isdigit():
        return _WHOLE_READING
    # int() takes more than these: other scripts' digits, and underscores.
    if not (digits.isascii() and digits.removeprefix("-" if digits[:1] == "-" else "+").isdigit()):
        return _WHOLE_READING
    return int(digits) if len(digits) <= _MOST_DIGITS else _TOO_LONG


def whole_native(value: object) -> object:
    """An `int` that is no `bool`."""
    return int(value) if isinstance(value, int) and not isinstance(value, bool) else _WHOLE_KIND


def number_from_json(value: object) -> object:
    """Any JSON number that a double can hold."""
    if isinstance(value, bool) or not isinstance(value, (int, float, Decimal)):
        return _NUMBER_KIND
    try:
        number = float(value)
    except (OverflowError, ValueError):  # a signalling NaN is no float
        return _NOT_FINITE
    return number if math.isfinite(number) else _NOT_FINITE


def number_from_text(value: object) -> object:
    """A decimal number in ASCII digits with an optional exponent, blanks around it ignored."""
    if not isinstance(value, str):
        return _NUMBER_KIND
    digits = value.strip(BLANKS)
    if not _NUMBER.fullmatch(digits):
        return _NUMBER_READING
    number = float(digits)
    return number if math.isfinite(number) else _NOT_FINITE


class Numeric(Kind, ABC):
    """What all kinds have in common that are numbers in JSON."""

    @property
    def comes_as(self) -> frozenset[type]:
        return NUMBERS

    @property
    def loose(self) -> Reader | None:
        return self.reader(Reading.TEXT)

    @property
    def key_pattern(self) -> str:
        return DECIMAL

    def draw(self, wish: Wish) -> object:
        return draw_number(wish)

    def edges(self) -> Iterable[object]:
        return AT_THE_ENDS


class Whole(Itself, Numeric):
    """A whole number of any size."""

    may_not_go_out: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("a whole number", "whole number", ordered=(int, float), number=True, sort=Sort.WHOLE)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False" if reading is Reading.TEXT else f"{value}.__class__ is int"

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        if reading is not Reading.TEXT:
            return None
        test = (
            f"{value}.__class__ is str and {value}.isdigit() and {value}.isascii() and len({value}) <= {_MOST_DIGITS}"
        )
        return test, f"int({value})"

    def native(self, reading: Reading) -> Native | None:
        return {Reading.PLAIN: Native("whole"), Reading.TEXT: Native("whole in text")}.get(reading)

    def native_out(self) -> Native | None:
        return Native("whole")

    def reader(self, reading: Reading) -> Reader:
        return {
            Reading.PLAIN: whole_from_json,
            Reading.TEXT: whole_from_text,
            Reading.TYPED: whole_native,
        }[reading]

    @property
    def key_pattern(self) -> str:
        return "[+-]?[0-9]+"

    def draw(self, wish: Wish) -> int:
        low, high = wish.span(0, 1000)
        least = math.ceil(low)
        drawn = wish.random.randint(least, max(least, int(high)))
        return drawn if wish.step is None else int(drawn // wish.step * wish.step)

    def made_in_code(self) -> Iterable[object]:
        return (0, -1, 7, 10**20, 10**5000, True, 2.0)

    def goes_out(self, value: Any) -> bool:
        try:
            return bool(abs(value) < TOO_LONG)
        except Exception:  # no number at all
            return False

    def keywords(self) -> Mapping[str, object]:
        return {"type": "integer"}


def _digits_from_json(value: object) -> object:
    """An `int`: 3.0 has a fraction part, and is none (section 3.5 of draft-04's core)."""
    return int(value) if isinstance(value, int) and not isinstance(value, bool) else _DIGITS_KIND


class WholeAsWritten(Whole):
    """A whole number that is written without a decimal point."""

    read_alike: ClassVar[bool] = False
    """One past 64 bits may come as a float from a decoder, and be taken for another kind of number."""

    def reader(self, reading: Reading) -> Reader:
        return _digits_from_json if reading is Reading.PLAIN else super().reader(reading)

    @property
    def comes_as(self) -> frozenset[type]:
        return frozenset([int])

    def unsaid(self) -> str:
        return "since draft-06 JSON Schema counts 3.0 among the whole numbers"


class Number(Itself, Numeric):
    """A finite number, held as a double."""

    double: ClassVar[bool] = True
    one_form: ClassVar[bool] = False

    @cached_property
    def facts(self) -> Facts:
        return Facts("a number", "number", ordered=(int, float), number=True, sort=Sort.NUMBER)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        # A finite number alone equals zero when taken from itself.
        return "False" if reading is Reading.TEXT else f"{value}.__class__ is float and {value} - {value} == 0.0"

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        if reading is Reading.TEXT:
            test = f'len({value}) <= 300 and {value}.replace(".", "", 1).isdigit() and {value}.isascii()'
            return f"{value}.__class__ is str and {test}", f"float({value})"
        return f"{value}.__class__ is int and -{_EXACT} <= {value} <= {_EXACT}", f"float({value})"

    def native(self, reading: Reading) -> Native | None:
        return {Reading.PLAIN: Native("number"), Reading.TEXT: Native("number in text")}.get(reading)

    def native_out(self) -> Native | None:
        return Native("number")

    def reader(self, reading: Reading) -> Reader:
        return number_from_text if reading is Reading.TEXT else number_from_json

    def made_in_code(self) -> Iterable[object]:
        return (0, -0.5, 2, math.nan, math.inf, 1e308, 0.1, 1e-7, 2.675)

    def keywords(self) -> Mapping[str, object]:
        return {"type": "number"}


def _any_number(value: object) -> object:
    if isinstance(value, bool) or not isinstance(value, (int, float, Decimal)):
        return _NUMBER_KIND
    try:
        return float(value)
    except OverflowError:
        return math.inf if value > 0 else -math.inf


def _any_number_from_text(value: object) -> object:
    word = value.strip(BLANKS).lower() if isinstance(value, str) else ""
    if word in ("infinity", "-infinity", "+infinity", "inf", "-inf", "+inf", "nan"):
        return float(word)
    return number_from_text(value)


class AnyNumber(Number):
    """A double of any value, infinities and NaN among them, where a developer asks for that."""

    read_alike: ClassVar[bool] = False
    written_alike: ClassVar[bool] = False
    as_it_comes: ClassVar[bool] = False
    may_not_go_out: ClassVar[bool] = True

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False" if reading is Reading.TEXT else f"{value}.__class__ is float"

    def reader(self, reading: Reading) -> Reader:
        return _any_number_from_text if reading is Reading.TEXT else _any_number
