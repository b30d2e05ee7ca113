"""Plain JSON data as the standard compares and counts it."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from decimal import Decimal
from typing import Any

from ...declare.hash_limits import crowded

LISTS = (list, tuple)


def is_number(value: object) -> bool:
    """Whether it is a number of JSON: no boolean, no infinity, no NaN."""
    if value is True or value is False or not isinstance(value, int | float | Decimal):
        return False
    return value.is_finite() if isinstance(value, Decimal) else isinstance(value, int) or value - value == 0.0


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


def keyed(value: Any) -> Hashable:
    """What two values have in common exactly when JSON calls them equal: 1 and 1.0 are, true and 1 are not."""
    if value.__class__ is str or value is None:
        return value
    if value is True or value is False:
        return (bool, value)
    if isinstance(value, LISTS):
        return (list, *map(keyed, value))
    if isinstance(value, dict):
        return (dict, frozenset((name, keyed(each)) for name, each in value.items()))
    if isinstance(value, int | float | str) or (isinstance(value, Decimal) and value.is_finite()):
        return value
    return (object, id(value))  # no value of JSON: equal to itself alone


def all_differ(items: Sequence[Any]) -> bool:
    """Whether no two items are equal; they are not compared where that would cost the square of their number."""
    keys = list(map(keyed, items))
    return not crowded(keys) and len(set(keys)) == len(items)


def too_alike(items: Sequence[Any]) -> bool:
    """Whether too many different items share a hash to be compared."""
    return crowded(list(map(keyed, items)))


def is_multiple(value: Any, step: Any) -> bool:
    """Whether a number is a multiple of another, by their decimal digits: 0.3 is one of 0.1."""
    if value.__class__ is int and step.__class__ is int:
        return bool(value % step == 0)
    digits, exponent = _exact(value)
    step_digits, step_exponent = _exact(step)
    if digits == 0:
        return True
    gap = exponent - step_exponent
    if gap >= 0:
        return digits * pow(10, gap, step_digits) % step_digits == 0
    # The value has more digits after the point: it is a multiple only if they are zeros, and so few at most.
    if -gap > len(str(abs(digits))):
        return False
    return bool(digits % (step_digits * 10**-gap) == 0)


def _exact(number: Any) -> tuple[int, int]:
    """A number as digits and a power of ten."""
    if isinstance(number, int):
        return number, 0
    sign, digits, exponent = (number if isinstance(number, Decimal) else Decimal(repr(number))).as_tuple()
    whole = int("".join(map(str, digits)) or "0")
    assert isinstance(exponent, int)  # it is finite
    return (-whole if sign else whole), exponent
