"""A closed set of values: `it.one_of("QLP", "MRW")`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import partial
from typing import TYPE_CHECKING, Any

from ..equality import is_one_of
from ..errors import DeclarationError
from ..facts import Bind, Facts, Unsaid
from ..members import on_wire, quoted, told, typed
from ..native_forms import Native
from .base import Face, Rule

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish


class OneOf(Rule):
    """The value equals one of the choices."""

    choices: tuple[object, ...]

    @property
    def tells_values(self) -> bool:
        return True

    def condition(self, value: str, bind: Bind) -> str:
        return f"{value} in {bind(frozenset(map(typed, self.choices)), 'CHOICES')}"

    def native(self) -> tuple[Native, ...] | None:
        return (Native("one of", (frozenset(map(typed, self.choices)),)),)

    def open_condition(self, value: str, bind: Bind) -> str:
        return f"{bind(partial(is_one_of, tuple(map(typed, self.choices))), 'is_one_of')}({value})"

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        test = self.open_condition if facts.open else self.condition
        return (Face(test(value, bind), "choice", "one of {choices}"),)

    def numbers(self) -> Mapping[str, object]:
        return {"choices": tuple(map(told, self.choices))}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return {"enum": list(map(on_wire, self.choices))}

    def suits(self, facts: Facts) -> None:
        if not self.choices:
            raise DeclarationError(f"{self} leaves no choice", remedy="name at least one value")
        if not (facts.ordered or facts.text or facts.alike):
            raise DeclarationError(
                f"{self} makes no sense for {facts.phrase}", remedy="put the rule on what it holds, or use Literal"
            )
        for choice in self.choices:
            if not facts.equals(choice):
                raise DeclarationError(
                    f"{self} offers {choice!r}, which is not {facts.phrase}",
                    remedy=f"write every choice as {facts.phrase}",
                )

    def examples(self, facts: Facts) -> Iterable[Any]:
        return tuple(map(typed, self.choices))

    def edges(self, facts: Facts) -> Iterable[Any]:
        return tuple(map(typed, self.choices))

    def asks(self, wish: Wish) -> None:
        wish.only = wish.only or tuple(map(on_wire, self.choices))

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return f"it.one_of({', '.join(map(quoted, self.choices))})"
