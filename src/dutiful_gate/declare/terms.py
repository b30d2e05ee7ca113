"""`this`, the record at hand: its fields compared, with arithmetic between them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final, NoReturn

from .conditions import Condition
from .errors import DeclarationError
from .facts import Bind, Facts, Unsaid
from .records import RecordRule, Standing
from .rules.base import Face
from .values import Value

_WORDS = {
    "<": ("below", "earlier than"),
    "<=": ("of at most", "no later than"),
    ">": ("above", "later than"),
    ">=": ("of at least", "no earlier than"),
    "==": ("equal to", "equal to"),
    "!=": ("different from", "different from"),
}


class Named(Value):
    """A field of the record at hand."""

    name: str

    def source(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return value_of[self.name]

    def names(self) -> tuple[str, ...]:
        return (self.name,)

    def __repr__(self) -> str:
        return f"this.{self.name}"


class Constant(Value):
    """A constant beside the fields."""

    value: Any

    def source(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return bind(self.value, "CONSTANT")

    def names(self) -> tuple[str, ...]:
        return ()

    def __repr__(self) -> str:
        return repr(self.value)


class Combined(Value):
    """Two terms and an arithmetic sign."""

    left: Any
    sign: str
    right: Any

    def source(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return f"({self.left.source(value_of, bind)} {self.sign} {self.right.source(value_of, bind)})"

    def names(self) -> tuple[str, ...]:
        return (*self.left.names(), *self.right.names())

    def __repr__(self) -> str:
        return f"({self.left!r} {self.sign} {self.right!r})"


def _sample(facts: Facts) -> Any:
    """A value such as the field may hold, to try arithmetic on."""
    from datetime import UTC, date, datetime, time, timedelta

    kind = facts.ordered[0] if facts.ordered else None
    samples: dict[Any, Any] = {
        datetime: datetime(2026, 5, 4, tzinfo=None if facts.sort == "local date-time" else UTC),
        date: date(2026, 5, 4),
        time: time(9),
        timedelta: timedelta(hours=1),
    }
    if facts.sort == "number":
        return 1.0
    return samples[kind] if kind in samples else kind(1) if facts.number and kind is not None else None


class Comparison(Condition, RecordRule):
    """`this.arrives > this.departs`, `this.weight_kg * 2 <= this.limit_kg`."""

    left: Any
    sign: str
    right: Any

    @property
    def fields(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys((*self.left.names(), *self.right.names())))

    @property
    def orders(self) -> bool:
        """Whether it asks which of two comes first."""
        return self.sign not in ("==", "!=")

    @property
    def may_raise(self) -> bool:
        """Arithmetic may leave what a type can hold."""
        return isinstance(self.left, Combined) or isinstance(self.right, Combined)

    def condition(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return f"{self.left.source(value_of, bind)} {self.sign} {self.right.source(value_of, bind)}"

    def test(self, value_of: Mapping[str, str], bind: Bind) -> str:
        values = {name: value_of[f"={name}"] for name in self.fields}
        there = " and ".join(value_of[name] for name in self.fields)
        return f"{there} and {self.condition(values, bind)}"

    def told(self, wire: Mapping[str, str]) -> str:
        told = self.numbers(wire)
        left = told.get("left", wire.get(self.fields[0], ""))
        other = f"'{told['other']}'" if isinstance(told["other"], str) and len(self.fields) == 1 else told["other"]
        return f"{left} {self.sign} {other}"

    def schema(self, at: Standing) -> Mapping[str, object] | Unsaid:
        left, right = self.left, self.right
        if not isinstance(left, Named) or not isinstance(right, Constant) or self.sign not in ("==", "!="):
            return Unsaid("JSON Schema has conditions for equal constants only")
        if not isinstance(right.value, str | int | float | bool):
            return Unsaid("the condition's constant is no plain JSON")
        test: dict[str, Any] = {"const": right.value}
        if self.sign == "!=":
            test = {"not": {"enum": [right.value, None]}}
        condition: dict[str, Any] = {"properties": {at.wire[left.name]: test}}
        stands_in = at.defaults.get(left.name)
        if stands_in is None or (stands_in == right.value) != (self.sign == "=="):
            condition["required"] = [at.wire[left.name]]
        return condition

    def face(self, facts: Mapping[str, Facts]) -> Face:
        first = facts[self.fields[0]]
        words = _WORDS[self.sign][0 if first.number or first.text or not first.ordered else 1]
        if isinstance(self.left, Combined):
            return Face("", "agreement", f"{{left}} {words} {{other}}")
        return Face("", "agreement", f"a value {words} {{other}}")

    def numbers(self, wire: Mapping[str, str]) -> Mapping[str, object]:
        told = {"comparison": self.sign, "other": _told(self.right, wire)}
        return {**told, "left": _told(self.left, wire)} if isinstance(self.left, Combined) else told

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        if len(self.fields) > 1:
            return Unsaid("JSON Schema cannot compare one field with another")
        return Unsaid("a rule of the record: one on the field itself could be said")

    def suits(self, facts: Mapping[str, Facts]) -> None:
        from decimal import Decimal

        names = self.fields
        if self.sign in ("==", "!=") and not self.may_raise:
            return
        for name in names:
            if not facts[name].ordered and not facts[name].text:
                raise DeclarationError(
                    f"{self} compares {facts[name].phrase}, which has no order", remedy="leave it out"
                )
        values = {name: _sample(facts[name]) for name in names}
        if any(value is None for value in values.values()):
            if all(facts[name].text for name in names) and not self.may_raise:
                if isinstance(self.right, Constant) and not isinstance(self.right.value, str):
                    raise DeclarationError(f"{self} compares text with {self.right!r}", remedy="write text there")
                return
            if any(facts[name].sort == "value" for name in names):
                return
        bound: dict[str, Any] = {f"f_{name}": value for name, value in values.items()}

        def bind(constant: object, hint: str) -> str:
            bound[f"c_{len(bound)}"] = constant
            return f"c_{len(bound) - 1}"

        try:
            eval(self.condition({name: f"f_{name}" for name in names}, bind), bound)
        except TypeError:
            if any(isinstance(value, Decimal) for value in values.values()):
                raise DeclarationError(
                    f"{self} mixes decimal numbers with floats, which Python does not",
                    remedy="write constants as Decimal, and declare the fields alike",
                ) from None
            phrases = " with ".join(dict.fromkeys(facts[name].phrase for name in names))
            constant = f" with {self.right!r}" if isinstance(self.right, Constant) else ""
            raise DeclarationError(
                f"{self} compares {phrases}{constant}", remedy="compare values of one kind"
            ) from None
        except (ZeroDivisionError, OverflowError):
            return

    def __str__(self) -> str:
        return f"{self.left!r} {self.sign} {self.right!r}"


def _told(term: Any, wire: Mapping[str, str]) -> object:
    match term:
        case Named(name):
            return wire.get(name, name)
        case Constant(value):
            return value
        case Combined(left, sign, right):
            words = {"+": "plus", "-": "minus", "*": "times", "/": "divided by", "//": "divided by", "%": "modulo"}
            return f"{_in_words(left, wire)} {words[sign]} {_in_words(right, wire)}"
    return term


def _in_words(term: Any, wire: Mapping[str, str]) -> object:
    from datetime import timedelta

    told = _told(term, wire)
    if isinstance(told, timedelta):
        from .kinds.texts import write_duration

        return write_duration(told)
    return told


class FieldOfThis:
    """`this.arrives`, or arithmetic on such fields. Every comparison gives a record rule."""

    __slots__ = ("term",)

    def __init__(self, term: Any) -> None:
        self.term = term

    @property
    def name(self) -> str:
        """The field's name."""
        return self.term.names()[0] if self.term.names() else ""

    def _compared(self, sign: str, other: object) -> Comparison:
        return Comparison(self.term, sign, _term(other))

    def _combined(self, sign: str, other: object) -> FieldOfThis:
        return FieldOfThis(Combined(self.term, sign, _term(other)))

    def _combined_back(self, sign: str, other: object) -> FieldOfThis:
        return FieldOfThis(Combined(_term(other), sign, self.term))

    def __gt__(self, other: Any) -> Comparison:
        return self._compared(">", other)

    def __ge__(self, other: Any) -> Comparison:
        return self._compared(">=", other)

    def __lt__(self, other: Any) -> Comparison:
        return self._compared("<", other)

    def __le__(self, other: Any) -> Comparison:
        return self._compared("<=", other)

    def __eq__(self, other: object) -> Comparison:  # type: ignore[override]
        return self._compared("==", other)

    def __ne__(self, other: object) -> Comparison:  # type: ignore[override]
        return self._compared("!=", other)

    def __add__(self, other: Any) -> FieldOfThis:
        return self._combined("+", other)

    def __radd__(self, other: Any) -> FieldOfThis:
        return self._combined_back("+", other)

    def __sub__(self, other: Any) -> FieldOfThis:
        return self._combined("-", other)

    def __rsub__(self, other: Any) -> FieldOfThis:
        return self._combined_back("-", other)

    def __mul__(self, other: Any) -> FieldOfThis:
        return self._combined("*", other)

    def __rmul__(self, other: Any) -> FieldOfThis:
        return self._combined_back("*", other)

    def __truediv__(self, other: Any) -> FieldOfThis:
        return self._combined("/", other)

    def __mod__(self, other: Any) -> FieldOfThis:
        return self._combined("%", other)

    def __and__(self, other: object) -> NoReturn:
        self._unbracketed("&")

    def __rand__(self, other: object) -> NoReturn:
        self._unbracketed("&")

    def __or__(self, other: object) -> NoReturn:
        self._unbracketed("|")

    def __ror__(self, other: object) -> NoReturn:
        self._unbracketed("|")

    def _unbracketed(self, sign: str) -> NoReturn:
        raise DeclarationError(
            f"{sign} binds tighter than a comparison, so that it took {self!r} for its own",
            remedy=f"put each comparison in brackets, as in (this.a == 1) {sign} (this.b == 2)",
        )

    def __hash__(self) -> int:
        return hash(self.term)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self!r} was asked for a truth value, and has none while it is only declared",
            remedy="compare it with something",
        )

    def __repr__(self) -> str:
        return repr(self.term)


def _term(other: object) -> Any:
    if isinstance(other, FieldOfThis):
        return other.term
    from .constants import check_constant  # it opens the rooms of the kinds, which no declaration needs yet

    check_constant(other)
    return Constant(other)


class This:
    """The record at hand, inside `@obeys`. Every attribute stands for a field of that name."""

    __slots__ = ()

    def __getattr__(self, name: str) -> FieldOfThis:
        if name.startswith("__"):
            raise AttributeError(name)
        return FieldOfThis(Named(name))

    def __repr__(self) -> str:
        return "this"


this: Final = This()
"""The record at hand: `@obeys(this.arrives > this.departs)`."""
