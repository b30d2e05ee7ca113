"""Plain JSON data as the standard compares and counts it."""

from __future__ import annotations

from decimal import Decimal


def is_number(value: object) -> bool:
    """Whether it is a number of JSON: no boolean, no infinity, no NaN."""
    if value is True or value is False or not isinstance(value, int | float | Decimal):
        return False
    return value.is_finite() if isinstance(value, Decimal) else isinstance(value, int) or value - value == 0.0


def is_bounded(value: object) -> bool:
    """Whether what is said of numbers is asked of it: of infinities and NaN too, which no bound lets by.

    JSON text has numbers that no double holds, `1e999`, of which decoders make infinities.
    """
    return is_number(value) or (isinstance(value, float) and value - value != 0.0)


def is_integer(value: object) -> bool:
    """Whether it is a number without a fraction; 3.0 is one (since draft-06)."""
    if value.__class__ is int:
        return True
    if not is_number(value):
        return False
    if isinstance(value, float):
        return value.is_integer()
    return isinstance(value, int) or value == value.to_integral_value()  # type: ignore[attr-defined]


def is_integer_4(value: object) -> bool:
    """The same to draft-04, section 3.5 of its core: 3.0 has a fraction part and is none."""
    return isinstance(value, int) and value is not True and value is not False
