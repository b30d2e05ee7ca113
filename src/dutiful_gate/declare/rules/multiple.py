"""`it.multiple_of(5)`, exact on decimals."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

from ..applicability import NUMBER, Takes
from ..errors import DeclarationError
from ..facts import Bind, Facts, Sort, Unsaid
from ..multiples import MultipleOf
from ..native_forms import NO_END, Native
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish


class Multiple(Rule):
    """The value is a whole multiple of the step."""

    step: Any

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(MultipleOf(self.step), 'MULTIPLE_OF')}({value})"

    def native(self) -> tuple[Native, ...] | None:
        small = self.step.__class__ is int and 0 < self.step < NO_END
        return (Native("multiple", (self.step,)),) if small else None

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
        return (step * 3, step * -2, *((step * 3 + step / 2, step / 10) if step < 2**53 else (step * 3 + 1,)))

    def asks(self, wish: Wish) -> None:
        wish.step = self.step if wish.step is None else wish.step

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return f"it.multiple_of({self.step!r})"
