"""Multiples, exact on decimals: what `it.multiple_of` and `multipleOf` ask."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

_MOST = 10**15
"""Up to as many units, each is told from its neighbours by the 15 digits that every double keeps."""


def is_multiple(value: Any, step: Any) -> bool:
    """Whether a number is a whole multiple of another, by its decimal digits: 0.3 is one of 0.1.

    Of values without end, and of what is no number, none is.
    """
    if isinstance(value, int) and isinstance(step, int):
        return value % step == 0
    counted, scale = in_units(step)
    if value.__class__ is float and counted and -_MOST < (units := value * scale) < _MOST:
        whole = round(units)
        return whole / scale == value and whole % counted == 0
    return _is_by_digits(value, step)


@lru_cache
def in_units(step: Any) -> tuple[int, int]:
    """A step as so many units of one over a power of ten, and that power; no units where doubles do not keep them."""
    from decimal import Decimal  # only where fractions are judged

    whole = step if isinstance(step, Decimal) else Decimal(repr(step))
    sign, digits, exponent = whole.as_tuple()
    if sign or not isinstance(exponent, int) or abs(exponent) > 15 or len(digits) > 15:
        return 0, 1
    counted = int("".join(map(str, digits))) * 10 ** max(0, exponent)
    return (counted, 10 ** max(0, -exponent)) if counted < _MOST else (0, 1)


def _is_by_digits(value: Any, step: Any) -> bool:
    """The same for numbers of any size: no digit is computed that both do not have."""
    from decimal import Decimal

    exact = value if isinstance(value, int | Decimal) else Decimal(repr(value))
    if isinstance(exact, Decimal) and not exact.is_finite():
        return False
    digits, exponent = _digits(exact)
    step_digits, step_exponent = _digits(step if isinstance(step, int | Decimal) else Decimal(repr(step)))
    if digits == 0:
        return True
    gap = exponent - step_exponent
    if gap >= 0:
        return digits * pow(10, gap, step_digits) % step_digits == 0
    # The value has more digits after the point: it is a multiple only if they are zeros, and so few at most.
    return -gap <= len(str(abs(digits))) and digits % (step_digits * 10**-gap) == 0


def _digits(number: Any) -> tuple[int, int]:
    """A finite number as digits and a power of ten."""
    if isinstance(number, int):
        return number, 0
    sign, digits, exponent = number.as_tuple()
    whole = int("".join(map(str, digits)) or "0")
    return (-whole if sign else whole), exponent
