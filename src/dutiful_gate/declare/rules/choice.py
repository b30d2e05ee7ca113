"""A closed set of values: `it.one_of("QLP", "MRW")`."""

from __future__ import annotations

from collections.abc import Mapping

from ..errors import DeclarationError
from ..facts import Bind, Facts, Unsaid
from .base import Face, Rule


class OneOf(Rule):
    """The value equals one of the choices."""

    choices: tuple[object, ...]

    def condition(self, value: str, bind: Bind) -> str:
        return f"{value} in {bind(frozenset(self.choices), 'CHOICES')}"

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "choice", "one of {choices}"),)

    def numbers(self) -> Mapping[str, object]:
        return {"choices": self.choices}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return {"enum": list(self.choices)}

    def suits(self, facts: Facts) -> None:
        if not self.choices:
            raise DeclarationError(f"{self} leaves no choice", remedy="name at least one value")
        if not (facts.ordered or facts.text):
            raise DeclarationError(
                f"{self} cannot judge {facts.phrase}", remedy="put the rule on what it holds, or use Literal"
            )
        for choice in self.choices:
            if not facts.equals(choice):
                raise DeclarationError(
                    f"{self} offers {choice!r}, which is not {facts.phrase}",
                    remedy=f"write every choice as {facts.phrase}",
                )

    def __str__(self) -> str:
        return f"it.one_of({', '.join(map(repr, self.choices))})"
