"""Multiples, exact on decimals: what `it.multiple_of` and `multipleOf` ask."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

_MOST = 10**15
"""Up to as many units, each is told from its neighbours by the 15 digits that every double keeps."""


_USUAL = 40
"""So many digits a number usually has, counted from the last one of the step."""


class MultipleOf:
    """Whether a number is a whole multiple of a step, by its decimal digits: 0.3 is one of 0.1.

    Of values without end, and of what is no number, none is. What is known of the step is found once.
    """

    __slots__ = ("_counted", "_digits", "_exponent", "_left", "_scale", "step")

    def __init__(self, step: Any) -> None:
        self.step = step
        self._counted, self._scale = in_units(step)
        self._digits, self._exponent = _digits_of(step)
        self._left: Callable[[Any], Any] | None = None

    def __call__(self, value: Any) -> bool:
        step = self.step
        if isinstance(value, int) and isinstance(step, int):
            return bool(value % step == 0)
        if value.__class__ is float and self._counted and -_MOST < (units := value * self._scale) < _MOST:
            whole = round(units)
            return bool(whole / self._scale == value and whole % self._counted == 0)
        return self._is_by_digits(value)

    def _is_by_digits(self, value: Any) -> bool:
        """The same for numbers of any size: no digit is computed that both do not have."""
        if value.__class__ is float:
            if value - value != 0:
                return False
            if self._scale % (self._counted or self._scale + 1) == 0 and value.is_integer():
                return True  # one is a multiple of the step
        elif hasattr(value, "adjusted") and value.adjusted() - self._exponent < _USUAL:
            if not value.is_finite():
                return False
            left = (self._left or self._first_left)(value)
            if left == left:  # what no context holds is told by digits
                return not left
        digits, exponent = _digits_of(value)
        if digits == 0:
            return True
        gap = exponent - self._exponent
        if gap >= 0:
            return digits * pow(10, gap, self._digits) % self._digits == 0
        # The value has more digits after the point: it is a multiple only if they are zeros, and so few at most.
        return -gap <= len(str(abs(digits))) and digits % (self._digits * 10**-gap) == 0

    def _first_left(self, value: Any) -> Any:
        """What a division by the step leaves of a Decimal, NaN where that has too many digits; made ready now."""
        from decimal import MAX_EMAX, MIN_EMIN, Context

        step = _decimal(str(self.step) if hasattr(self.step, "as_tuple") else repr(self.step))
        remainder = Context(prec=_USUAL, Emin=MIN_EMIN, Emax=MAX_EMAX, traps=[]).remainder

        def left(number: Any) -> Any:
            return remainder(number, step)

        self._left = left
        return left(value)

    def __reduce__(self) -> tuple[object, ...]:
        return MultipleOf, (self.step,)

    def __repr__(self) -> str:
        return f"a multiple of {self.step}"


multiple_of = lru_cache(MultipleOf)
"""The same for a step as documents have it, made once."""


@lru_cache
def in_units(step: Any) -> tuple[int, int]:
    """A step as so many units of one over a power of ten, and that power; no units where doubles do not keep them."""
    sign, digits, exponent = (step if hasattr(step, "as_tuple") else _decimal(repr(step))).as_tuple()
    if sign or not isinstance(exponent, int) or abs(exponent) > 15 or len(digits) > 15:
        return 0, 1
    counted = int("".join(map(str, digits))) * 10 ** max(0, exponent)
    return (counted, 10 ** max(0, -exponent)) if counted < _MOST else (0, 1)


def _digits_of(number: Any) -> tuple[int, int]:
    """A finite number as digits and a power of ten."""
    if isinstance(number, int):
        return number, 0
    text = repr(number) if number.__class__ is float else str(number)
    mantissa, _, power = text.lower().partition("e")
    whole, _, after = mantissa.partition(".")
    return int(whole + after), int(power or 0) - len(after)


def _decimal(text: str) -> Any:
    from decimal import Decimal  # only where fractions are judged

    return Decimal(text)
