"""Expressions of ECMA-262 over text: `it.has(ecma(r"^\\p{Lu}"))`."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

from ..applicability import TEXT, Takes
from ..errors import DeclarationError
from ..facts import Bind, Facts, Unsaid
from ..values import Value
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish


class Ecma(Value):
    """See `ecma`."""

    pattern: str

    def __repr__(self) -> str:
        return f"ecma({self.pattern!r})"


def ecma(pattern: str) -> Ecma:
    """A regular expression as ECMA-262 (with the flag `u`) and so JSON Schema means it, for `it.has` and `it.matches`.

    Its dot, its classes and `$` differ from those of Python's `re`, and it has Unicode properties. The document says it
    in the same words. Raises DeclarationError for what is no expression.
    """
    from ...regex.from_ecma import NoPattern
    from ...regex.search import ecma_search

    try:
        ecma_search(pattern)
    except NoPattern as broken:
        raise DeclarationError(
            f"ecma({pattern!r}) is no regular expression: {broken}", remedy="mend the pattern (ECMA-262)"
        ) from None
    return Ecma(pattern)


class HasEcma(Rule):
    """An expression of ECMA-262 is found somewhere in the text; with `whole` it is found from end to end."""

    pattern: str
    whole: bool

    @property
    def said(self) -> str:
        """The expression that is looked for."""
        from ...regex.to_ecma import anchored

        return anchored(self.pattern) if self.whole else self.pattern

    def condition(self, value: str, bind: Bind) -> str:
        from ...regex.search import ecma_search

        return f"{bind(ecma_search(self.said), 'HAS')}({value}) is not None"

    def takes(self) -> Takes | None:
        return TEXT

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = "text that matches {pattern}" if self.whole else "text in which {pattern} is found"
        return (Face(self.condition(value, bind), "pattern", words),)

    def numbers(self) -> Mapping[str, object]:
        return {"pattern": self.pattern}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return {"pattern": self.said}

    def suits(self, facts: Facts) -> None:
        if not facts.text:
            refuse(self, facts, "a pattern judges text: bound the value with comparisons instead")

    def examples(self, facts: Facts) -> Iterable[Any]:
        from random import Random

        from ...regex.drawing import drawn_from  # only for samples and proofs
        from ...regex.from_ecma import read_ecma

        tree, random = read_ecma(self.said), Random(self.pattern)
        return [drawn_from(tree, random) for _ in range(6)]

    def edges(self, facts: Facts) -> Iterable[Any]:
        for drawn in self.examples(facts):
            yield from (drawn, f"{drawn}\n", f"{drawn}\u2028", f" {drawn}", drawn.swapcase(), drawn[:-1])

    def asks(self, wish: Wish) -> None:
        from ...regex.drawing import drawn_from
        from ...regex.from_ecma import read_ecma

        known = wish.known(self.holds)
        drawn = wish.random.choice(known) if known and wish.random.random() < 0.5 else None
        wish.text += drawn or drawn_from(read_ecma(self.said), wish.random)
        wish.fixed = True

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return f"it.{'matches' if self.whole else 'has'}(ecma({self.pattern!r}))"
