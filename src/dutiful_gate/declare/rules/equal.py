"""`it == constant` and `it != constant`."""

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


class Equal(Rule):
    """`it == constant`, or `it != constant` when `wanted` is false."""

    constant: object
    wanted: bool

    @property
    def tells_values(self) -> bool:
        return True

    def open_condition(self, value: str, bind: Bind) -> str:
        test = f"{bind(partial(is_one_of, (typed(self.constant),)), 'is_one_of')}({value})"
        return test if self.wanted else f"not {test}"

    def condition(self, value: str, bind: Bind) -> str:
        return f"{value} {'==' if self.wanted else '!='} {bind(typed(self.constant), 'CONSTANT')}"

    def native(self) -> tuple[Native, ...] | None:
        return (Native("equal", (typed(self.constant), self.wanted)),)

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = "{constant}" if self.wanted else "anything but {constant}"
        test = self.open_condition if facts.open else self.condition
        return (Face(test(value, bind), "choice", words),)

    def numbers(self) -> Mapping[str, object]:
        return {"constant": told(self.constant)}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        said = {"const": on_wire(self.constant)}
        return said if self.wanted else {"not": said}

    def suits(self, facts: Facts) -> None:
        if facts.equals(self.constant):
            return
        if facts.ordered or facts.measured or facts.alike:
            raise DeclarationError(
                f"{self} compares {facts.phrase} with {self.constant!r}: "
                + ("they are never equal" if self.wanted else "they always differ"),
                remedy=f"write the constant as {facts.phrase}, or leave the rule out",
            )

    def examples(self, facts: Facts) -> Iterable[Any]:
        return (typed(self.constant),) if self.wanted else ()

    def edges(self, facts: Facts) -> Iterable[Any]:
        return (typed(self.constant),)

    def asks(self, wish: Wish) -> None:
        if self.wanted and not wish.only and wish.random.random() < 0.8:
            wish.only = (on_wire(self.constant),)

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return f"it {'==' if self.wanted else '!='} {quoted(self.constant)}"
