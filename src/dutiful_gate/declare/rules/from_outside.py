"""A rule whose constant comes from outside: `it.length <= limit`, `it.one_of(codes)`."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, get_args

from ..applicability import Takes
from ..errors import DeclarationError
from ..facts import Bind, Facts, Passing, Unsaid
from ..outside import Outside, found_outside, from_caller, handed, named_outside
from ..told_types import is_of
from .base import Face, Rule
from .bound import Between, Ceiling, Floor
from .choice import OneOf
from .equal import Equal
from .length import Length

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish


class FromOutside(Rule):
    """A rule in which a value from outside stands for a constant. What it asks is what the rule would with the value
    that is handed over; a document does not say it, and `release` does not ask it."""

    rule: Rule

    known: ClassVar[tuple[type[Rule], ...]] = (Length, Floor, Ceiling, Between, Equal, OneOf)

    def with_each(self, made: Callable[[Outside[Any]], Any]) -> Rule:
        """The rule with something else for each value from outside."""
        if isinstance(self.rule, OneOf):
            held: Any = made(self.rule.choices)  # type: ignore[arg-type]
            return self.rule.replace(choices=tuple(sorted(held, key=repr)) if isinstance(held, Iterable) else (held,))
        changed = {name: made(held) for name, held in vars(self.rule).items() if _comes(held)}
        return self.rule.replace(**changed)

    def here(self) -> Rule | None:
        """The rule with the values that are handed over here and now, or with samples; None where one has none."""
        values: list[Any] = []

        def found(each: Outside[Any]) -> Any:
            held = each.here if each.name in handed() else each.sample
            values.append(held)
            return held

        made = self.with_each(found)
        return None if any(value is None for value in values) else made

    @property
    def sampled(self) -> Rule:
        """The rule with a sample for each value, to see whether it makes sense where it stands."""
        return self.with_each(lambda each: each.sample)

    def as_handed(self, number: int, facts: Facts) -> Callable[[Any], Any]:
        """What makes of the cause of a fault the same with the values that are handed over: for the face of a number.

        Values that faults do not tell stay as names.
        """

        def told(cause: Any) -> Any:
            try:
                rule = self.with_each(lambda each: each.told)
                face = rule.faces("value", facts, _no_name)[number]
                return cause.replace(needs=face.needs, expected=rule.numbers())
            except Passing:
                raise
            except Exception:  # a value that no constant of the declaration could be: its name will do
                return cause

        return told if not isinstance(self.rule, OneOf | Equal) else lambda cause: cause

    @property
    def tells_values(self) -> bool:
        return self.rule.tells_values

    @property
    def measures_size(self) -> bool:
        return self.rule.measures_size

    def condition(self, value: str, bind: Bind) -> str:
        if isinstance(self.rule, OneOf):
            return f"{value} in {self._codes.source(bind)}"
        return self.rule.condition(value, _binding(bind))

    def open_condition(self, value: str, bind: Bind) -> str:
        if isinstance(self.rule, OneOf | Equal):
            return f"{bind(self._is_there, 'is_one_of')}({value})"
        return self.rule.open_condition(value, _binding(bind))

    @property
    def _codes(self) -> Outside[Any]:
        choices: Any = self.rule.choices  # type: ignore[attr-defined]
        found: Outside[Any] = choices
        return found

    def _is_there(self, value: Any) -> bool:
        """The same of a value of any type: true is no number, and what has no hash is none of a set."""
        rule = self.rule
        if isinstance(rule, Equal):
            wanted: Any = rule.constant
            held = wanted.here
            return bool(value == held and isinstance(value, bool) == isinstance(held, bool)) == rule.wanted
        codes = self._codes
        try:
            return value in codes.here and all(is_of(kind, value) for kind in get_args(codes.kind)[:1])
        except TypeError:
            return False

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        if isinstance(self.rule, OneOf | Equal):
            test = self.open_condition if facts.open else self.condition
            words = "one of {choices}" if isinstance(self.rule, OneOf) else "{constant}"
            if isinstance(self.rule, Equal) and not self.rule.wanted:
                words = "anything but {constant}"
            return (Face(test(value, bind), "choice", words),)
        return self.rule.faces(value, facts, _binding(bind))

    def takes(self) -> Takes | None:
        return self.sampled.takes() if not isinstance(self.rule, OneOf | Equal) else None

    def numbers(self) -> Mapping[str, object]:
        if isinstance(self.rule, OneOf):
            return {"choices": str(self._codes)}
        if isinstance(self.rule, Equal):
            return {"constant": str(self.rule.constant)}
        return {name: str(held) if isinstance(held, Outside) else held for name, held in self.rule.numbers().items()}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return from_caller(named_outside(self.rule))

    def suits(self, facts: Facts) -> None:
        for each in found_outside(self.rule):
            if not isinstance(self.rule, OneOf) and each.sample is None:
                raise DeclarationError(
                    f"{self} compares with {each}, of whose type nothing is known",
                    remedy=f'give it samples: outside("{each.name}", ..., samples=[...])',
                )
        if isinstance(self.rule, OneOf):
            _check_codes(self, self._codes)
            if not self._codes.sample:
                return
        try:
            self.sampled.suits(facts)
        except DeclarationError as error:
            raise DeclarationError(
                f"{self} makes no sense for {facts.phrase}: {error.problem}", remedy=error.remedy
            ) from None

    def examples(self, facts: Facts) -> Iterable[Any]:
        rule = self.here()
        return () if rule is None else rule.examples(facts)

    def edges(self, facts: Facts) -> Iterable[Any]:
        rule = self.here()
        return () if rule is None else rule.edges(facts)

    def asks(self, wish: Wish) -> None:
        rule = self.here()
        if rule is not None:
            rule.asks(wish)

    def survives(self, step: Step) -> bool:
        if isinstance(self.rule, Floor | Ceiling | Between):
            return step.keeps_value
        return self.sampled.survives(step)

    def __str__(self) -> str:
        return str(self.rule) if not isinstance(self.rule, OneOf) else f"it.one_of({self._codes})"


def from_outside(rule: Rule) -> Any:
    """A rule as it stands beside a type: where a value from outside is one of its constants, what asks for that."""
    if not any(map(_comes, vars(rule).values())):
        return rule
    if not isinstance(rule, FromOutside.known):
        raise DeclarationError(
            f"{rule} takes no value from outside", remedy="write a function: holds(takes(limit)(function))"
        )
    return FromOutside(rule)


def _comes(held: object) -> bool:
    return isinstance(held, Outside) and held.must_come


def _binding(bind: Bind) -> Bind:
    """Binds constants, and writes down where a value from outside stands."""

    def bound(constant: object, hint: str) -> str:
        return constant.source(bind) if isinstance(constant, Outside) and constant.must_come else bind(constant, hint)

    return bound


def _check_codes(rule: Rule, codes: Outside[Any]) -> None:
    if not codes.is_collection or codes.away is not None:
        raise DeclarationError(
            f"{rule} needs a set of values", remedy=f'declare it so: outside("{codes.name}", frozenset[str])'
        )


def _no_name(constant: object, hint: str) -> str:
    return hint
