"""Regular expressions over text: `it.matches(r"[A-Z]{3}")`."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any, NamedTuple

from ..applicability import TEXT, Takes
from ..errors import DeclarationError
from ..facts import Bind, Facts, Unsaid
from ..native_forms import Native
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_ENDLESS = re.compile(r"[*+]|,[0-9]*\}|(?:\?.*){6}", re.DOTALL)


def judged(pattern: str, flags: int, *, whole: bool) -> Callable[[str], Any]:
    """The function that matches: the interpreter's own, or for an expression that can run away one with a limit."""
    compiled = re.compile(pattern, flags)
    if may_run_away(pattern, flags):
        from ...regex.cost import guarded

        return guarded(compiled, whole=whole)
    plain = compiled.fullmatch if whole else compiled.search
    if _ENDLESS.search(pattern) is not None:
        from ...regex.cost import within_measure

        return within_measure(compiled, whole=whole)
    return plain


def may_run_away(pattern: str, flags: int = 0) -> bool:
    """A quick look: only a quantified group with a quantifier inside can."""
    if ")" not in pattern or not any(sign in pattern for sign in [")+", ")*", "){"]):
        return False
    from ...regex.cost import danger

    return bool(danger(pattern, flags))


def in_ecma(pattern: str, flags: int = 0) -> str | Unsaid:
    """An expression in ECMA-262 words, for documents; or why it cannot be said."""
    from ...regex.to_ecma import NotInEcma, to_ecma  # only for documents

    try:
        return to_ecma(pattern, flags)
    except NotInEcma as reason:
        return Unsaid(f"the pattern uses {reason}, which ECMA-262 does not know in the same sense")


_CLASS = re.compile(r"\[([A-Za-z0-9-]+)\](?:\+|\{([1-9][0-9]{0,6})(,?)([0-9]{0,6})\})?")
_TESTS = {
    frozenset({"A-Z"}): "{0}.isalpha() and {0}.isupper()",
    frozenset({"a-z"}): "{0}.isalpha() and {0}.islower()",
    frozenset({"0-9"}): "{0}.isdigit()",
    frozenset({"A-Z", "a-z"}): "{0}.isalpha()",
    frozenset({"A-Z", "a-z", "0-9"}): "{0}.isalnum()",
    frozenset({"A-Z", "0-9"}): "{0}.isalnum() and {0}.upper() == {0}",
    frozenset({"a-z", "0-9"}): "{0}.isalnum() and {0}.lower() == {0}",
}


class PlainClass(NamedTuple):
    """Some letters or digits, and how many: `ranges` such as "A-Z", at least `low` and at most `high` (None: any)."""

    ranges: frozenset[str]
    low: int
    high: int | None


def plain_class(pattern: str, flags: int) -> PlainClass | None:
    """What an expression such as `[A-Z]{3}` asks, which most patterns in use are; None for any other."""
    found = _CLASS.fullmatch(pattern)
    if found is None or flags:
        return None
    ranges, least, comma, most = found.groups()
    among = frozenset(ranges[at : at + 3] for at in range(0, len(ranges), 3))
    if among not in _TESTS or len(ranges) > 9:
        return None
    if not least:
        return PlainClass(among, 1, None if pattern.endswith("+") else 1)
    low = int(least)
    high = int(most) if most else None if comma else low
    return None if high is not None and high < low else PlainClass(among, low, high)


def plain_test(pattern: str, flags: int, value: str) -> str | None:
    """The source that asks text itself whether it is some letters or digits; None for any other expression.

    Text answers in a quarter of the time.
    """
    plain = plain_class(pattern, flags)
    if plain is None:
        return None
    told = [f"{value}.isascii()", _TESTS[plain.ranges].format(value)]
    if (plain.low, plain.high) != (1, None):
        exactly = plain.high == plain.low
        told.insert(0, f"len({value}) == {plain.low}" if exactly else _between(value, plain.low, plain.high))
    return f"({' and '.join(told)})"


def _between(value: str, low: int, high: int | None) -> str:
    return f"len({value}) >= {low}" if high is None else f"{low} <= len({value}) <= {high}"


def text_and_flags(pattern: object) -> tuple[str, int]:
    """An expression, as text or compiled, as its text and flags. Raises DeclarationError for anything else."""
    if isinstance(pattern, re.Pattern) and isinstance(pattern.pattern, str):
        return pattern.pattern, pattern.flags & ~(re.UNICODE | re.DEBUG)
    if isinstance(pattern, str):
        return pattern, 0
    raise DeclarationError(
        f"a pattern is text, not {type(pattern).__name__}",
        remedy='as in it.matches(r"[A-Z]{3}"), or re.compile(...) of text',
    )


class Matches(Rule):
    """The whole text matches the expression (`re.fullmatch`)."""

    pattern: str
    flags: int = 0

    def condition(self, value: str, bind: Bind) -> str:
        return plain_test(self.pattern, self.flags, value) or self.open_condition(value, bind)

    def open_condition(self, value: str, bind: Bind) -> str:
        return f"{bind(judged(self.pattern, self.flags, whole=True), 'MATCHES')}({value}) is not None"

    def native(self) -> tuple[Native, ...] | None:
        from ...regex.tables import table_of  # only where there is a native core

        table = table_of(self.pattern, self.flags)
        return None if table is None else (Native("pattern", (table, True)),)

    def takes(self) -> Takes | None:
        return TEXT

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        return (Face(self.condition(value, bind), "pattern", "text that matches {pattern}"),)

    def numbers(self) -> Mapping[str, object]:
        return {"pattern": self.pattern}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        from ...regex.to_ecma import anchored  # only for documents

        said = in_ecma(self.pattern, self.flags)
        return said if isinstance(said, Unsaid) else {"pattern": anchored(said)}

    def suits(self, facts: Facts) -> None:
        if not facts.text:
            refuse(self, facts, "a pattern judges text: bound the value with comparisons instead")
        try:
            re.compile(self.pattern, self.flags)
        except (re.error, OverflowError, RecursionError) as broken:
            raise DeclarationError(f"{self} is no regular expression: {broken}", remedy="mend the expression") from None
        if may_run_away(self.pattern, self.flags):
            from ...regex.cost import warn

            warn(str(self), self.pattern, self.flags)

    def examples(self, facts: Facts) -> Iterable[Any]:
        from random import Random

        from ...regex.drawing import of_pattern  # only for samples and proofs

        random = Random(self.pattern)
        drawn = [of_pattern(self.pattern, random, self.flags) for _ in range(6)]
        return [each for each in drawn if each is not None]

    def edges(self, facts: Facts) -> Iterable[Any]:
        for fit in self.examples(facts):
            yield from (fit, f"{fit}\n", f" {fit}", fit.lower(), fit.upper(), fit + "x", fit[:-1])

    def asks(self, wish: Wish) -> None:
        from ...regex.drawing import of_pattern  # only for samples

        known = wish.known(re.compile(self.pattern, self.flags).fullmatch)
        drawn = wish.random.choice(known) if known and wish.random.random() < 0.8 else None
        wish.text = drawn or of_pattern(self.pattern, wish.random, self.flags) or wish.text
        wish.fixed = True

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return f"it.matches({self.pattern!r})"
