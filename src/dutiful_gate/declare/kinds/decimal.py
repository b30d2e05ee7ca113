"""`decimal.Decimal`, exact: no binary floating point on the way."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal, InvalidOperation
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

from ...regex.white_space import BLANKS
from ..digits import Digits
from ..facts import Bind, Facts, Sort, Stop
from ..lazy import Late
from ..native_forms import Native
from ..sources import Reading
from .base import IN_TEXT, Kind, Reader
from .number import DECIMAL, TOO_LONG, Numeric, draw_number

if TYPE_CHECKING:
    from ..wish import Wish

_KIND = Stop("kind", "a number")
_READING = Stop("reading", "a decimal number in ASCII digits, such as 12.50")
_NOT_FINITE = Stop("reading", "a finite number")
_SIZE = Stop("size", "a decimal number with an exponent from -4300 to 4300")
_LONG = Stop("size", "a number of at most 4300 digits")
_MOST_DIGITS = 4300
_LONG_SINCE = 1 << 600
_MADE = (
    Decimal("1E+3"), Decimal("12.50"), Decimal("-0"), Decimal("NaN"), Decimal("1E+9999"), Decimal("0.125"), 5,
)  # fmt: skip
_NUMBER = Late(DECIMAL)


def _sized(number: Decimal) -> object:
    if not number.is_finite():
        return _NOT_FINITE
    # Past this a short text stands for digits without end: nobody's price, and a way to exhaust a program.
    return number if not number or -4300 <= number.adjusted() <= 4300 else _SIZE


def decimal_from_json(value: object) -> object:
    """A JSON number: as its digits stand in raw JSON, as the shortest digits of a decoded float."""
    if isinstance(value, bool):
        return _KIND
    if isinstance(value, Decimal):
        return _sized(value)
    if isinstance(value, int):
        if -_LONG_SINCE < value < _LONG_SINCE:
            return Decimal(value)
        return _LONG if abs(value) >= TOO_LONG else Decimal(str(value))  # by its digits: the quicker way for many
    if isinstance(value, Digits):
        if len(value.digits) > _MOST_DIGITS:
            return _LONG
        try:
            return _sized(Decimal(value.digits))
        except InvalidOperation:
            return _SIZE
    if isinstance(value, float):
        return _sized(Decimal(float.__repr__(value)))
    return _KIND


def decimal_from_text(value: object) -> object:
    """ASCII digits, a point, an exponent; blanks around them ignored."""
    if not isinstance(value, str):
        return _KIND
    digits = value.strip(BLANKS)
    if not _NUMBER.fullmatch(digits):
        return _READING
    if len(digits) > _MOST_DIGITS:
        return _LONG
    try:
        return _sized(Decimal(digits))
    except InvalidOperation:
        return _SIZE


def decimal_plain(value: Decimal | int) -> object:
    """An int or float that stands for exactly these digits, else the Decimal itself."""
    if isinstance(value, int):
        return int(value)
    if value == value.to_integral_value():
        return int(value) if value.adjusted() < _MOST_DIGITS else value
    near = float(value)
    return near if Decimal(repr(near)) == value else value


def finer_than_doubles(held: Any) -> str:
    """The first number in keywords that no double stands for, "" where there is none."""
    if isinstance(held, Mapping):
        return next(filter(None, map(finer_than_doubles, held.values())), "")
    if isinstance(held, list):
        return next(filter(None, map(finer_than_doubles, held)), "")
    return str(held) if isinstance(held, Decimal) and isinstance(decimal_plain(held), Decimal) else ""


def as_json(held: Any) -> Any:
    """Keywords, each decimal number in them as a JSON number: exact where a double can be, else the nearest."""
    if isinstance(held, Mapping):
        return {name: as_json(each) for name, each in held.items()}
    if isinstance(held, list):
        return [as_json(each) for each in held]
    if not isinstance(held, Decimal):
        return held
    plain = decimal_plain(held)
    return float(plain) if isinstance(plain, Decimal) else plain


class Exact(Numeric):
    """A decimal number, exactly as it is written."""

    written_alike: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("a number", "decimal number", ordered=(Decimal, int), number=True, sort=Sort.DECIMAL)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def native(self, reading: Reading) -> Native | None:
        return Native("exact") if reading is Reading.PLAIN else None

    def native_out(self) -> Native | None:
        return Native("exact")

    def reader(self, reading: Reading) -> Reader:
        return decimal_from_text if reading is Reading.TEXT else decimal_from_json

    @property
    def exact(self) -> bool:
        return True

    def made_in_code(self) -> Iterable[object]:
        return _MADE

    def keywords(self) -> Mapping[str, object]:
        return {"type": "number"}

    def plain(self, value: Any) -> object:
        return decimal_plain(value)

    def release(self, value: str, bind: Bind) -> str:
        return f"{bind(decimal_plain, 'decimal_plain')}({value})"


_AS_TEXT = Stop("kind", "a decimal number as text, such as 12.50")


class ExactAsText(Kind):
    """A decimal number that JSON has as text, with every digit: no reader of JSON makes a double of it."""

    may_not_go_out: ClassVar[bool] = True

    @cached_property
    def facts(self) -> Facts:
        return Facts("a decimal number", "decimal number", ordered=(Decimal, int), sort=Sort.DECIMAL)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def reader(self, reading: Reading) -> Reader:
        if reading is Reading.TYPED:
            return decimal_from_json
        if reading is Reading.TEXT:
            return decimal_from_text

        def read_digits(value: object) -> object:
            if not isinstance(value, str):
                return _AS_TEXT
            return decimal_from_text(value) if value.strip(BLANKS) == value else _READING

        return read_digits

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    def draw(self, wish: Wish) -> object:
        return str(draw_number(wish))

    def edges(self) -> Iterable[object]:
        return ("12.50", "1E+3", "1e9999", ".5", "5.", " 1", "0x1", "NaN", 12.5, "1_0", "-0")

    def made_in_code(self) -> Iterable[object]:
        return _MADE

    def keywords(self) -> Mapping[str, object]:
        return {"type": "string", "pattern": f"^{DECIMAL}$"}

    def unsaid(self) -> str:
        return "a pattern cannot say how large a number is"

    def plain(self, value: Any) -> object:
        return str(value)

    def release(self, value: str, bind: Bind) -> str:
        return f"str({value})"
