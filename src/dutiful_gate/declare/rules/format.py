"""Text of a named format of the JSON Schema standard."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any

from ..applicability import TEXT, Takes
from ..errors import DeclarationError, did_you_mean
from ..facts import Bind, Facts, Unsaid
from ..native_forms import Native
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_NOTHING_MORE: Mapping[str, object] = {}


class OfFormat(Rule):
    """The text is of the format, as `judge` tells.

    `usual` is an expression that only texts of the format match, and most of them: the judge is asked of the others.
    """

    format: str
    phrase: str
    judge: Callable[[str], bool]
    beside: Mapping[str, object] = _NOTHING_MORE
    usual: str = ""

    def condition(self, value: str, bind: Bind) -> str:
        judged = f"{bind(self.judge, self.judge.__name__)}({value})"
        if not self.usual:
            return judged
        return f"({bind(re.compile(self.usual).fullmatch, 'USUAL')}({value}) is not None or {judged})"

    def native(self) -> tuple[Native, ...] | None:
        from ...regex.tables import table_of  # only where there is a native core

        table = table_of(self.usual, 0) if self.usual else None
        return None if table is None else (Native("pattern", (table, False)),)

    def takes(self) -> Takes | None:
        return TEXT

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "format", self.phrase),)

    def numbers(self) -> Mapping[str, object]:
        return {"format": self.format} if self.format else {}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return {**({"format": self.format} if self.format else {}), **self.beside}

    def suits(self, facts: Facts) -> None:
        if not facts.text:
            refuse(self, facts, "a format judges text")

    def __hash__(self) -> int:
        return hash((self.format, self.phrase))

    def examples(self, facts: Facts) -> Iterable[Any]:
        from ..formats.table import FORMATS  # only for samples

        return FORMATS[self.format].examples if self.format in FORMATS else ()

    def edges(self, facts: Facts) -> Iterable[Any]:
        return self.examples(facts)

    def asks(self, wish: Wish) -> None:
        from ..formats.table import FORMATS  # only for samples

        if self.format in FORMATS:
            texts = FORMATS["uri" if "pattern" in self.beside else self.format].examples
        else:
            texts = ("marrow-isle", "berth-7")
        wish.text, wish.fixed = wish.random.choice(texts), True

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return f"it.of_format({self.format!r})"


def of_format(name: str) -> OfFormat:
    """The rule for a format by its name. Raises DeclarationError for one that the standard does not have."""

    from ..formats.table import FORMATS, JUDGES

    if name not in JUDGES:
        remedy = did_you_mean(name, JUDGES, "see its section 7")
        raise DeclarationError(f"{name!r} is no format of JSON Schema", remedy=remedy)
    phrase, judge = JUDGES[name]
    return OfFormat(name, phrase, FORMATS[name].rare or judge, usual=FORMATS[name].usual)
