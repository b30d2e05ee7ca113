"""Steps: what is done to a value on its way through the gate, left to right among the rules."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from typing import Any

from .blanks import BLANKS
from .errors import DeclarationError
from .facts import Bind, Facts, Unsaid
from .values import Value


class Step(Value, ABC):
    """Something done to a value. To add a step is to add a subclass."""

    @property
    @abstractmethod
    def normalising(self) -> bool:
        """Whether a value in its final form is left as it is."""

    @abstractmethod
    def expression(self, value: str, bind: Bind) -> str:
        """Python source of the value after the step, for the variable named `value`."""

    @abstractmethod
    def keywords(self) -> Mapping[str, object] | Unsaid:
        """JSON Schema keywords that hold for a value in its final form, or why there are none."""

    @abstractmethod
    def suits(self, facts: Facts) -> Facts:
        """What is known of the value afterwards. Raises DeclarationError where the step makes no sense."""

    @abstractmethod
    def __str__(self) -> str:
        """The step as a developer wrote it."""

    def done(self, value: object) -> Any:
        """The value after the step, at hand now."""
        bound: dict[str, Any] = {}

        def bind(constant: object, hint: str) -> str:
            name = f"{hint}_{len(bound)}"
            bound[name] = constant
            return name

        return eval(self.expression("value", bind), bound, {"value": value})


class TextStep(Step):
    """A step from text to text by a method of `str` that takes nothing."""

    word: str
    method: str
    final: Mapping[str, object] | Unsaid

    @property
    def normalising(self) -> bool:
        return True

    def expression(self, value: str, bind: Bind) -> str:
        return f"{value}.{self.method}()"

    def keywords(self) -> Mapping[str, object] | Unsaid:
        return self.final

    def suits(self, facts: Facts) -> Facts:
        if not facts.text:
            raise DeclarationError(f"{self.word} works on text, not on {facts.phrase}", remedy="leave it out")
        return facts

    def __str__(self) -> str:
        return self.word

    def __hash__(self) -> int:
        return hash((self.word, self.method))


trimmed = TextStep("trimmed", "strip", {"pattern": f"^(?:[^{BLANKS}](?:[\\s\\S]*[^{BLANKS}])?)?$"})
"""Blanks at both ends are taken off (every character that `str.isspace` calls one)."""

uppered = TextStep("uppered", "upper", Unsaid("a pattern cannot say that a text of any script is in capitals"))
"""Letters become capitals, by the rules of Unicode; a text can grow by it."""
