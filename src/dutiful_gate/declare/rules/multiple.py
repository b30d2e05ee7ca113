"""`it.multiple_of(5)`, exact on decimals."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from ..applicability import NUMBER, Takes
from ..errors import DeclarationError
from ..facts import Bind, Facts, Sort, Unsaid
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_MOST = 10**15
"""Up to as many units, each is told from its neighbours by the 15 digits that every double keeps."""


def is_multiple(value: Any, step: Any) -> bool:
    """Whether a number is a whole multiple of another, by its decimal digits: 0.3 is one of 0.1."""
    if isinstance(value, int) and isinstance(step, int):
        return value % step == 0
    counted, scale = _in_units(step)
    if value.__class__ is float and counted and -_MOST < (units := value * scale) < _MOST:
        whole = round(units)
        return whole / scale == value and whole % counted == 0
    return _is_decimal_multiple(value, step)


@lru_cache
def _in_units(step: Any) -> tuple[int, int]:
    """A step as so many units of one over a power of ten, and that power; no units where doubles do not keep them."""
    from decimal import Decimal  # only where fractions are judged

    whole = step if isinstance(step, Decimal) else Decimal(repr(step))
    sign, digits, exponent = whole.as_tuple()
    if sign or not isinstance(exponent, int) or abs(exponent) > 15 or len(digits) > 15:
        return 0, 1
    counted = int("".join(map(str, digits))) * 10 ** max(0, exponent)
    return (counted, 10 ** max(0, -exponent)) if counted < _MOST else (0, 1)


def _is_decimal_multiple(value: Any, step: Any) -> bool:
    from decimal import Decimal, InvalidOperation, localcontext

    exact = value if isinstance(value, Decimal) else Decimal(repr(value))
    whole = step if isinstance(step, Decimal) else Decimal(repr(step))
    if not exact.is_finite():
        return False
    try:
        with localcontext() as context:
            context.prec = max(30, abs(exact.adjusted()) + abs(whole.adjusted()) + len(exact.as_tuple().digits) + 30)
            return exact % whole == 0
    except InvalidOperation:
        return False


class Multiple(Rule):
    """The value is a whole multiple of the step."""

    step: Any

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(is_multiple, 'is_multiple')}({value}, {bind(self.step, 'STEP')})"

    def takes(self) -> Takes | None:
        return NUMBER

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "step", "a multiple of {step}"),)

    def numbers(self) -> Mapping[str, object]:
        return {"step": self.step}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        if not facts.number and not facts.open:
            return Unsaid("JSON Schema divides numbers, not text")
        return {"multipleOf": self.step}

    def suits(self, facts: Facts) -> None:
        if not facts.number and not facts.open and facts.sort is not Sort.DECIMAL:
            refuse(self, facts, "it judges numbers")
        if isinstance(self.step, bool | str) or not hasattr(self.step, "__mod__") or not self.step > 0:
            raise DeclarationError(f"{self} needs a step above 0", remedy="as in it.multiple_of(5)")

    def examples(self, facts: Facts) -> Iterable[Any]:
        return (self.step * 3, self.step, self.step * -2)

    def edges(self, facts: Facts) -> Iterable[Any]:
        from decimal import Decimal

        step = float(self.step) if isinstance(self.step, Decimal) else self.step
        return (step * 3, step * 3 + step / 2, step * -2, step / 10)

    def asks(self, wish: Wish) -> None:
        wish.step = self.step if wish.step is None else wish.step

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return f"it.multiple_of({self.step!r})"
