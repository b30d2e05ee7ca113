"""Comparisons of the value itself: `it > 0`, `it <= 80`, `it.between(1, 30)`."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import TYPE_CHECKING, Any, ClassVar

from ..applicability import Takes, comparable_with, is_number
from ..clock import Clock
from ..errors import DeclarationError
from ..facts import Bind, Facts, Order, Sort, Unsaid
from ..native_forms import Native
from .base import Ends, Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_NUMBERS = (int, float)


def _suits_bound(rule: Rule, facts: Facts, *constants: Any) -> None:
    if not facts.ordered:
        remedy = "bound its length with it.length" if facts.measured else "it has no order: leave the bound out"
        refuse(rule, facts, remedy)
    for constant in constants:
        if isinstance(constant, Clock):
            constant.check_reach()
            if not constant.suits(facts) and not facts.open:
                raise DeclarationError(
                    f"{rule} compares {facts.phrase} with {constant}",
                    remedy="now is for date-times, today for dates",
                )
            continue
        if not facts.compares_with(constant):
            raise DeclarationError(
                f"{rule} compares {facts.phrase} with {constant!r}",
                remedy=f'write Decimal("{constant!r}")'
                if isinstance(constant, float) and Decimal in facts.ordered
                else f"write the bound as {facts.phrase}",
            )
        if facts.open:
            continue
        local = facts.sort is Sort.LOCAL_MOMENT
        if local and hasattr(constant, "hour") and constant.tzinfo is not None:
            raise DeclarationError(f"{rule} compares with a date-time that has an offset", remedy="leave it out there")
        if not local and hasattr(constant, "hour") and hasattr(constant, "day") and constant.tzinfo is None:
            raise DeclarationError(
                f"{rule} compares with a date-time that has no offset",
                remedy="give the bound one, as in datetime(2026, 5, 4, tzinfo=UTC)",
            )


def end(value: str, constant: Any, bind: Bind, hint: str) -> str:
    """The source of a bound: a constant, or the moment of checking as it compares with the value."""
    if isinstance(constant, Clock):
        return f"{bind(constant.moment_for, constant.name)}({value})"
    return bind(constant, hint)


def _takes(constant: Any) -> Takes:
    return constant.takes() if isinstance(constant, Clock) else comparable_with(constant)


def _alike(value: str, *constants: Any) -> str:
    """A test before the comparison: times of day with and without an offset do not compare."""
    if any(hasattr(constant, "tzinfo") and not hasattr(constant, "day") for constant in constants):
        return f"({value}.tzinfo is {'None' if constants[0].tzinfo is None else 'not None'}) and "
    return ""


def _is_fixed(*bounds: Any) -> bool:
    """Whether a comparison with bounds is all there is to ask: they are no moment of checking, no time of day."""
    return not any(isinstance(bound, Clock) for bound in bounds) and not _alike("", *bounds)


def _unlike(value: str, constant: Any) -> str:
    """A way out of the comparison for what does not compare: another face of the rule tells of it."""
    alike = _alike(value, constant)
    return f"not ({alike.removesuffix(' and ')}) or " if alike else ""


def _told(constant: Any) -> object:
    return str(constant) if isinstance(constant, Clock) else constant


def _of_numbers(facts: Facts, word: str, constant: object) -> Mapping[str, object] | Unsaid:
    if isinstance(constant, Clock):
        return Unsaid("a document has no clock")
    if facts.number or (facts.open and is_number(constant)):
        return {word: constant}
    return Unsaid(f"JSON Schema compares numbers only, not {facts.phrase.removeprefix('a ')}")


def _order(facts: Facts, constant: Any) -> Order:
    """How a value compares with a bound, in words; where any may come, the bound tells."""
    if not facts.open:
        return facts.order
    if is_number(constant) or hasattr(constant, "total_seconds"):  # a duration is longer or shorter
        return Order.SIZE
    return Order.TIME if isinstance(constant, Clock) or hasattr(constant, "isoformat") else Order.PLACE


class _OneSided(Rule):
    """A bound on one side: `side` is what it is called, `signs` those of a bound that is not within and of one that is,
    and `keyword` what a document has for it."""

    side: ClassVar[str]
    signs: ClassVar[tuple[str, str]]
    keyword: ClassVar[str]

    @property
    @abstractmethod
    def bound(self) -> tuple[Any, bool]:
        """The bound, and whether it is within."""

    @property
    def sign(self) -> str:
        """The sign of the comparison."""
        return self.signs[self.bound[1]]

    def condition(self, value: str, bind: Bind) -> str:
        bound, _ = self.bound
        return f"{_alike(value, bound)}{value} {self.sign} {end(value, bound, bind, self.side.upper())}"

    def native(self) -> tuple[Native, ...] | None:
        bound, inclusive = self.bound
        return (Native(self.side, (bound, inclusive)),) if _is_fixed(bound) else None

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = f"{{phrase}} {_order(facts, self.bound[0]).word(self.sign)} {{{self.side}}}"
        return (Face(self.condition(value, bind), self.side, words),)

    def takes(self) -> Takes | None:
        return _takes(self.bound[0])

    def numbers(self) -> Mapping[str, object]:
        bound, inclusive = self.bound
        return {self.side: _told(bound), "inclusive": inclusive}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        bound, inclusive = self.bound
        return _of_numbers(facts, self.keyword if inclusive else f"exclusive{self.keyword.capitalize()}", bound)

    def suits(self, facts: Facts) -> None:
        _suits_bound(self, facts, self.bound[0])

    def examples(self, facts: Facts) -> Iterable[Any]:
        bound, inclusive = self.bound
        return (bound,) if inclusive else ()

    def edges(self, facts: Facts) -> Iterable[Any]:
        return (self.bound[0],)

    def survives(self, step: Step) -> bool:
        bound, inclusive = self.bound
        return outlasts(step, bound, inclusive=inclusive)

    def __str__(self) -> str:
        return f"it {self.sign} {self.bound[0]!r}"


class Floor(_OneSided):
    """`it > floor` or `it >= floor`."""

    side = "floor"
    signs = (">", ">=")
    keyword = "minimum"

    floor: Any
    inclusive: bool

    @property
    def bound(self) -> tuple[Any, bool]:
        return self.floor, self.inclusive

    @property
    def ends(self) -> Ends:
        return Ends(floor=self.floor, with_floor=self.inclusive)

    def asks(self, wish: Wish) -> None:
        wish.floors.append(self.floor)


class Ceiling(_OneSided):
    """`it < ceiling` or `it <= ceiling`."""

    side = "ceiling"
    signs = ("<", "<=")
    keyword = "maximum"

    ceiling: Any
    inclusive: bool

    @property
    def bound(self) -> tuple[Any, bool]:
        return self.ceiling, self.inclusive

    @property
    def ends(self) -> Ends:
        return Ends(ceiling=self.ceiling, with_ceiling=self.inclusive)

    def asks(self, wish: Wish) -> None:
        wish.ceilings.append(self.ceiling)


class Between(Rule):
    """`it.between(floor, ceiling)`, both ends included."""

    floor: Any
    ceiling: Any

    @property
    def ends(self) -> Ends:
        return Ends(self.floor, self.ceiling)

    def condition(self, value: str, bind: Bind) -> str:
        alike = _alike(value, self.floor, self.ceiling)
        return (
            f"{alike}{end(value, self.floor, bind, 'FLOOR')} <= {value} <= {end(value, self.ceiling, bind, 'CEILING')}"
        )

    def native(self) -> tuple[Native, ...] | None:
        if not _is_fixed(self.floor, self.ceiling):
            return None
        return Native("floor", (self.floor, True)), Native("ceiling", (self.ceiling, True))

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = "{phrase} from {floor} to {ceiling}"
        return (
            Face(f"{_alike(value, self.floor)}{value} >= {end(value, self.floor, bind, 'FLOOR')}", "floor", words),
            Face(
                f"{_unlike(value, self.ceiling)}{value} <= {end(value, self.ceiling, bind, 'CEILING')}",
                "ceiling",
                words,
            ),
        )

    def takes(self) -> Takes | None:
        return _takes(self.floor)

    def numbers(self) -> Mapping[str, object]:
        return {"floor": _told(self.floor), "ceiling": _told(self.ceiling)}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        low = _of_numbers(facts, "minimum", self.floor)
        return low if isinstance(low, Unsaid) else {**low, "maximum": self.ceiling}

    def suits(self, facts: Facts) -> None:
        _suits_bound(self, facts, self.floor, self.ceiling)
        right_way_up(self, self.floor, self.ceiling)

    @property
    def bounds_both_sides(self) -> bool:
        ends = (self.floor, self.ceiling)
        return all(isinstance(each, _NUMBERS) and abs(each) != float("inf") for each in ends)

    def examples(self, facts: Facts) -> Iterable[Any]:
        return (self.floor, self.ceiling)

    def edges(self, facts: Facts) -> Iterable[Any]:
        return (self.floor, self.ceiling)

    def asks(self, wish: Wish) -> None:
        wish.floors.append(self.floor)
        wish.ceilings.append(self.ceiling)

    def survives(self, step: Step) -> bool:
        return outlasts(step, self.floor, self.ceiling, inclusive=True)

    def __str__(self) -> str:
        return f"it.between({self.floor!r}, {self.ceiling!r})"


def outlasts(step: Step, *ends: Any, inclusive: bool) -> bool:
    """Whether bounds hold after a step: it keeps the value, or the order and each end itself, which is not crossed."""
    return step.keeps_value or (step.keeps_order and inclusive and all(step.done(end) == end for end in ends))


def right_way_up(rule: object, floor: Any, ceiling: Any) -> None:
    """Raise DeclarationError when no value can stand between the two."""
    if not isinstance(floor, Clock) and not isinstance(ceiling, Clock) and floor > ceiling:
        raise DeclarationError(
            f"{rule} is upside down: nothing lies from {floor!r} to {ceiling!r}",
            remedy=f"swap the two: between({ceiling!r}, {floor!r})",
        )
