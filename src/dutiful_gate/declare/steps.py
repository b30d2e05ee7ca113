"""Steps: what is done to a value on its way through the gate, left to right among the rules."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from ..regex.white_space import BLANKS, squeezed_text
from .applicability import NUMBER, TEXT, Takes
from .errors import DeclarationError
from .facts import ANY_VALUE, Bind, Facts, Own, Sort, Unsaid, evaluated
from .native_forms import Native
from .values import Value
from .waiting import check_answers, shown_name

_F = TypeVar("_F", bound=Callable[..., Any])


class Step(Value, ABC):
    """Something done to a value that has been read. To add a step is to add a subclass."""

    @property
    def normalising(self) -> bool:
        """Whether a value in its final form is left as it is."""
        return True

    @property
    def functions(self) -> tuple[Callable[..., Any], ...]:
        """The functions of the developer's own that it calls."""
        return ()

    @property
    def only_shortens(self) -> bool:
        """Whether a text can become shorter by it, and never longer."""
        return False

    @property
    def only_lengthens(self) -> bool:
        """Whether a text can become longer by it, and never shorter."""
        return False

    @property
    def keeps_value(self) -> bool:
        """Whether the value afterwards equals the one before, and compares like it."""
        return False

    @property
    def keeps_order(self) -> bool:
        """Whether of two values the greater one is never the smaller one afterwards."""
        return False

    @property
    def may_raise(self) -> bool:
        """Whether the step may raise ValueError or OverflowError, which is a fault then."""
        return False

    @abstractmethod
    def expression(self, value: str, bind: Bind) -> str:
        """Python source of the value after the step, for the variable named `value`."""

    def native(self) -> Native | None:
        """The form in which the native core does the same, where it has one."""
        return None

    @abstractmethod
    def keywords(self) -> Mapping[str, object] | Unsaid:
        """JSON Schema keywords that hold for a value in its final form, or why there are none."""

    @abstractmethod
    def suits(self, facts: Facts) -> Facts:
        """What is known of the value afterwards. Raises DeclarationError where the step makes no sense."""

    @abstractmethod
    def __str__(self) -> str:
        """The step as a developer wrote it."""

    def takes(self) -> Takes | None:
        """What the step can work on, asked where the type leaves it open; None for anything."""
        return None

    def done(self, value: object) -> Any:
        """The value after the step, at hand now."""
        return evaluated(self.expression, value)


class TextStep(Step):
    """A step from text to text; `template` is its source, with {value} for the value and {held} for what it needs."""

    word: str
    template: str
    held: Any
    final: Mapping[str, object] | Unsaid
    shortens: bool = False
    lengthens: bool = False

    @property
    def functions(self) -> tuple[Callable[..., Any], ...]:
        """The functions of the developer's own that it calls."""
        return ()

    @property
    def only_shortens(self) -> bool:
        return self.shortens

    @property
    def only_lengthens(self) -> bool:
        return self.lengthens

    def expression(self, value: str, bind: Bind) -> str:
        held = bind(self.held, self.word.upper()) if self.held is not None else ""
        return self.template.format(value=value, held=held)

    def native(self) -> Native | None:
        return Native(self.word) if self in (trimmed, lowered, uppered) else None

    def takes(self) -> Takes | None:
        return TEXT

    def keywords(self) -> Mapping[str, object] | Unsaid:
        return self.final

    def suits(self, facts: Facts) -> Facts:
        if not facts.text:
            raise DeclarationError(f"{self.word} works on text, not on {facts.phrase}", remedy="leave it out")
        return facts

    def __str__(self) -> str:
        return self.word

    def __hash__(self) -> int:
        return hash(self.word)


NO_BLANKS_AROUND = r"^(?:\S(?:[\s\S]*\S)?)?$"
"""The pattern, of ECMA-262, of a text that `trimmed` leaves as it is."""


NO_BLANKS_AND_NOT_EMPTY = r"^\S(?:[\s\S]*\S)?$"
"""The same where a length forbids the empty text."""


trimmed = TextStep("trimmed", "{value}.strip({held})", BLANKS, {"pattern": NO_BLANKS_AROUND}, shortens=True)
"""Blanks at both ends are taken off: what ECMA-262 calls white space and line ends, so that documents can say it."""

squeezed = TextStep("squeezed", "{held}({value})", squeezed_text, {"pattern": r"^(?:\S+(?: \S+)*)?$"}, shortens=True)
"""Blanks at both ends are taken off, and every run of blanks inside becomes one space."""

lowered = TextStep(
    "lowered",
    "{value}.lower()",
    None,
    Unsaid("a pattern cannot say that a text of any script is in small letters"),
    lengthens=True,
)
"""Letters become small, by the rules of Unicode."""

uppered = TextStep(
    "uppered",
    "{value}.upper()",
    None,
    Unsaid("a pattern cannot say that a text of any script is in capitals"),
    lengthens=True,
)
"""Letters become capitals, by the rules of Unicode; a text can grow by it."""


class RoundedTo(Step):
    """Rounded to a number of digits after the point, halves to the even neighbour."""

    digits: int

    @property
    def keeps_order(self) -> bool:
        return True

    @property
    def may_raise(self) -> bool:
        return True

    def expression(self, value: str, bind: Bind) -> str:
        return f"{bind(_rounded, 'rounded')}({value}, {bind(self.digits, 'DIGITS')})"

    def takes(self) -> Takes | None:
        return NUMBER

    def keywords(self) -> Mapping[str, object] | Unsaid:
        if self.digits <= 0:
            return {"multipleOf": 10**-self.digits}
        return {"multipleOf": float(f"1e-{self.digits}")}

    def suits(self, facts: Facts) -> Facts:
        if not facts.number and not facts.open and facts.sort is not Sort.DECIMAL:
            raise DeclarationError(f"{self} works on numbers, not on {facts.phrase}", remedy="leave it out")
        return facts

    def __str__(self) -> str:
        return f"rounded_to({self.digits})"


def _rounded(value: Any, digits: int) -> Any:
    if not hasattr(value, "as_tuple"):
        if value.__class__ is float and abs(value) >= _WIDE[digits]:
            return value  # which is the nearest double to whatever it would be rounded to
        return round(value, digits)
    if value.as_tuple().exponent >= -digits:
        return value
    unit, wide = _UNITS[digits]
    # As many digits as the result has: the usual context would stop at 28.
    return value.quantize(
        unit, context=wide if value.adjusted() + digits < 26 else _context(value.adjusted() + digits + 2)
    )


class _Wide(dict[int, float]):
    """From where on a double has no digit left that a rounding would take."""

    def __missing__(self, digits: int) -> float:
        try:
            return self.setdefault(digits, float(2**53) * 10.0**-digits)
        except OverflowError:
            return self.setdefault(digits, float("inf"))


class _Units(dict[int, tuple[Any, Any]]):
    """The unit to which Decimals are rounded, and a context that holds the usual ones."""

    def __missing__(self, digits: int) -> tuple[Any, Any]:
        from decimal import Decimal

        return self.setdefault(digits, (Decimal((0, (1,), -digits)), _context(28)))


_WIDE, _UNITS = _Wide(), _Units()


def _context(digits: int) -> Any:
    from decimal import ROUND_HALF_EVEN, Context

    return Context(prec=digits, rounding=ROUND_HALF_EVEN)


def rounded_to(digits: int) -> RoundedTo:
    """A step: round to `digits` digits after the point, halves to the even neighbour."""
    if digits.__class__ is not int:
        raise DeclarationError(f"rounded_to({digits!r}) needs a whole number of digits", remedy="as in rounded_to(2)")
    return RoundedTo(digits)


class _InUtc(Step):
    """A date-time becomes the same moment in UTC."""

    @property
    def keeps_value(self) -> bool:
        return True

    @property
    def may_raise(self) -> bool:
        return True

    def expression(self, value: str, bind: Bind) -> str:
        from datetime import UTC

        return f"{value}.astimezone({bind(UTC, 'UTC')})"

    def takes(self) -> Takes | None:
        from datetime import datetime

        return Takes(
            "a date-time with an offset",
            lambda value: isinstance(value, datetime) and value == value and value.utcoffset() is not None,
            (),
        )

    def keywords(self) -> Mapping[str, object] | Unsaid:
        return {"pattern": "(?:[Zz]|[+-]00:00)$"}

    def suits(self, facts: Facts) -> Facts:
        if facts.sort not in (Sort.MOMENT, Sort.ANY):
            raise DeclarationError(
                f"in_utc works on date-times with an offset, not on {facts.phrase}", remedy="leave it out"
            )
        return facts

    def __str__(self) -> str:
        return "in_utc"


in_utc = _InUtc()
"""A date-time becomes the same moment in UTC."""


class Then(Step):
    """A function of one's own that makes another value of it.

    `back` is what a value goes out as again; None where what it made goes out as it is.
    """

    function: Callable[[Any], Any]
    back: Callable[[Any], Any] | None = None

    @property
    def functions(self) -> tuple[Callable[..., Any], ...]:
        return (self.function,)

    @property
    def normalising(self) -> bool:
        return False

    @property
    def may_raise(self) -> bool:
        return True

    def expression(self, value: str, bind: Bind) -> str:
        return f"{bind(Own(self.function), 'THEN')}({value})"

    def keywords(self) -> Mapping[str, object] | Unsaid:
        return Unsaid("what a function of one's own admits is not known")

    def suits(self, facts: Facts) -> Facts:
        return ANY_VALUE

    def __str__(self) -> str:
        return f"then({shown_name(self.function)})"

    def __hash__(self) -> int:
        return hash((type(self), self.function, self.back))


class OwnMaking(Then):
    """What makes the values of a type of the developer's own: it is asked of what is sound alone.

    `of`       the classes that its values are of; none where that is not known
    `samples`  plain data of which it makes something
    `sure`     whether it makes something of all that is read
    """

    of: tuple[type, ...] = ()
    samples: tuple[Any, ...] = ()
    sure: bool = False

    def keywords(self) -> Mapping[str, object] | Unsaid:
        return {} if self.sure else super().keywords()

    def __str__(self) -> str:
        return f"made by {shown_name(self.function)}"


def then(function: Callable[[Any], Any], *, back: Callable[[Any], Any] | None = None) -> Then:
    """A step: hand the value to a function and go on with what it gives back.

    A ValueError it raises becomes a fault with its words; any other exception is not swallowed. `back` makes of the
    value again what the function was given: that goes out. Without it what the function made goes out as it is.
    """
    if not callable(function):
        raise DeclarationError(f"then({function!r}) needs a function", remedy=CALLABLE)
    check_answers(function, f"then({shown_name(function)})", takes=1)
    check_back(back, f"then({shown_name(function)}, back=...)")
    return Then(function, back)


CALLABLE = "hand over something that can be called"


def check_back(back: object, called: str) -> None:
    """Raise DeclarationError for what is neither None nor a function of one value that answers at once."""
    if back is None:
        return
    if not callable(back):
        raise DeclarationError(f"{called} needs a function, not {back!r}", remedy=CALLABLE)
    check_answers(back, called, takes=1)


class TakenOut(Step):
    """What stands under the one key of a record: see `under_key`."""

    key: str

    @property
    def normalising(self) -> bool:
        return False

    def expression(self, value: str, bind: Bind) -> str:
        return f"{value}[{bind(self.key, 'KEY')}]"

    def keywords(self) -> Mapping[str, object] | Unsaid:
        return {}

    def suits(self, facts: Facts) -> Facts:
        return ANY_VALUE

    def __str__(self) -> str:
        return f"under_key({self.key!r})"
