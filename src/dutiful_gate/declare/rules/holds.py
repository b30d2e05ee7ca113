"""`holds(function, says=...)`: an own check on one value."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ..errors import DeclarationError, check_flags
from ..facts import Bind, Facts, Own, Unsaid
from ..waiting import check_answers, shown_name
from .base import Face, Opaque


class OwnCheck(Opaque):
    """What a function of the developer's own says of a value."""

    function: Callable[..., Any]

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "check", "a value that passes {check}"),)

    @property
    def may_raise(self) -> bool:
        """A ValueError of the function is a fault."""
        return True

    @property
    def functions(self) -> tuple[Callable[..., Any], ...]:
        return (self.function,)

    def numbers(self) -> Mapping[str, object]:
        return {"check": getattr(self.function, "__name__", "a check")}


class Holds(OwnCheck):
    """A function says whether the value will do; on the way out it is asked only where it is for `both_ways`."""

    both_ways: bool = False

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(Own(self.function), 'HOLDS')}({value})"

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return Unsaid("what a function of one's own admits is not known")

    def __str__(self) -> str:
        return f"holds({self.numbers()['check']})"


def holds(function: Callable[[Any], object], *, says: str | None = None, both_ways: bool = False) -> Holds:
    """An own check: the function gives something true when the value will do, or raises ValueError with its words.

    `says` is the wording of the fault, with `{given}` and `{label}`. Any other exception is not swallowed. With
    `both_ways`, `release` asks it too, about the value in its final form.
    """
    check_flags(both_ways=both_ways)
    if not callable(function):
        raise DeclarationError(f"holds({function!r}) needs a function", remedy="hand over something that can be called")
    check_answers(function, f"holds({shown_name(function)})", takes=1)
    rule = Holds(function, both_ways)
    return rule if says is None else rule.says(says)
