"""Text of a named format of the JSON Schema standard."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ..facts import Bind, Facts, Unsaid
from .base import Face, Rule, refuse


class OfFormat(Rule):
    """The text is of the format, as `judge` tells."""

    format: str
    phrase: str
    judge: Callable[[str], bool]

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(self.judge, self.judge.__name__)}({value})"

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "format", self.phrase),)

    def numbers(self) -> Mapping[str, object]:
        return {"format": self.format}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return {"format": self.format}

    def suits(self, facts: Facts) -> None:
        if not facts.text:
            refuse(self, facts, "a format judges text")

    def __str__(self) -> str:
        return f"the format {self.format}"
