"""Regular expressions over text: `it.matches(r"[A-Z]{3}")`."""

from __future__ import annotations

import re
from collections.abc import Mapping

from ..errors import DeclarationError
from ..facts import Bind, Facts, Unsaid
from .base import Face, Rule, refuse


class Matches(Rule):
    """The whole text matches the expression (`re.fullmatch`)."""

    pattern: str
    flags: int = 0

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(re.compile(self.pattern, self.flags).fullmatch, 'MATCHES')}({value}) is not None"

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "pattern", "text that matches {pattern}"),)

    def numbers(self) -> Mapping[str, object]:
        return {"pattern": self.pattern}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        from ..patterns import ecma_pattern  # only for documents

        said = ecma_pattern(self.pattern, self.flags)
        return said if isinstance(said, Unsaid) else {"pattern": f"^(?:{said})$"}

    def suits(self, facts: Facts) -> None:
        if not facts.text:
            refuse(self, facts, "a pattern judges text: bound the value with comparisons instead")
        try:
            re.compile(self.pattern, self.flags)
        except (re.error, OverflowError, RecursionError) as broken:
            raise DeclarationError(f"{self} is no regular expression: {broken}", remedy="mend the expression") from None

    def __str__(self) -> str:
        return f"it.matches({self.pattern!r})"
