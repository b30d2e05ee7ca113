"""`this`, the record at hand: its fields and what is inside them, compared, with arithmetic between them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from typing import Any, Final, NoReturn

from .clock import Clock
from .conditions import Came, Condition, HasValue, IsA, Obeying, OfValue, Over, told_path
from .equality import are_equal
from .errors import DeclarationError
from .facts import Bind, Facts, Got, LengthUnit, Order, Sort, Unsaid
from .field_access import FactsOf, Path, Reach
from .members import Subject, checked, on_wire, quoted, typed
from .records import RecordRule, Standing
from .rules import Ceiling, Equal, Floor, Length, Rule
from .rules.base import Face
from .values import Value

_EQUALITY = {"==": "equal to", "!=": "different from"}


class NamedField(Value):
    """A field of the record at hand, or one inside it."""

    path: Path

    def source(self, reach: Reach, bind: Bind) -> str:
        return reach.at(self.path, bind)

    def paths(self) -> tuple[Path, ...]:
        return (self.path,)

    def __repr__(self) -> str:
        return told_path(self.path)


class Measured(Value):
    """How many characters, items or keys a field has."""

    of: NamedField

    def source(self, reach: Reach, bind: Bind) -> str:
        return f"len({self.of.source(reach, bind)})"

    def paths(self) -> tuple[Path, ...]:
        return self.of.paths()

    def __repr__(self) -> str:
        return f"{self.of!r}.length"


class Keys(Value):
    """How many keys of the record at hand came."""

    def source(self, reach: Reach, bind: Bind) -> str:
        return reach.count()

    def paths(self) -> tuple[Path, ...]:
        return ()

    def __repr__(self) -> str:
        return "this.length"


class Constant(Value):
    """A constant beside the fields."""

    value: Any

    def source(self, reach: Reach, bind: Bind) -> str:
        return bind(typed(self.value), "CONSTANT")

    def paths(self) -> tuple[Path, ...]:
        return ()

    def __repr__(self) -> str:
        return quoted(self.value)


class Combined(Value):
    """Two terms and an arithmetic sign."""

    left: Any
    sign: str
    right: Any

    def source(self, reach: Reach, bind: Bind) -> str:
        return f"({self.left.source(reach, bind)} {self.sign} {self.right.source(reach, bind)})"

    def paths(self) -> tuple[Path, ...]:
        return (*self.left.paths(), *self.right.paths())

    def __repr__(self) -> str:
        return f"({self.left!r} {self.sign} {self.right!r})"


def _sample(facts: Facts) -> Any:
    """A value such as the field may hold, to try arithmetic on."""
    from datetime import UTC, date, datetime, time, timedelta

    kind = facts.ordered[0] if facts.ordered else None
    samples: dict[Any, Any] = {
        datetime: datetime(2026, 5, 4, tzinfo=None if facts.sort is Sort.LOCAL_MOMENT else UTC),
        date: date(2026, 5, 4),
        time: time(9),
        timedelta: timedelta(hours=1),
    }
    if facts.sort is Sort.NUMBER:
        return 1.0
    if kind in samples or kind is None:
        return samples.get(kind)
    with suppress(TypeError, ValueError, AttributeError):
        return kind(1)  # a number, an address
    with suppress(TypeError, ValueError, AttributeError):
        return kind(int=1)  # a UUID
    return None


def _counts(term: Any) -> bool:
    return isinstance(term, Measured | Keys) or (
        isinstance(term, Combined) and (_counts(term.left) or _counts(term.right))
    )


class _Tried(Reach):
    """Gives the names of samples, to try a comparison on."""

    def __init__(self, known: FactsOf) -> None:
        self.known = known
        self.names: dict[Path, str] = {}

    def at(self, path: Path, bind: Bind) -> str:
        return self.names.setdefault(path, f"f_{len(self.names)}")

    def value(self, name: str) -> str:
        return self.at((name,), lambda constant, hint: hint)

    def has(self, name: str) -> str:
        return "True"

    came = sent = has

    def count(self) -> str:
        return "1"

    def facts(self, path: Path) -> Facts:
        return self.known[path]


class FieldComparison(Condition, RecordRule):
    """`this.arrives > this.departs`, `this.weight_kg * 2 <= this.limit_kg`, `this.crates.length < 5`."""

    left: Any
    sign: str
    right: Any

    @property
    def paths(self) -> tuple[Path, ...]:
        return tuple(dict.fromkeys((*self.left.paths(), *self.right.paths())))

    @property
    def of_whole(self) -> bool:
        return not self.paths

    @property
    def orders(self) -> bool:
        """Whether it asks which of two comes first."""
        return self.sign not in ("==", "!=")

    @property
    def may_raise(self) -> bool:
        return isinstance(self.left, Combined) or isinstance(self.right, Combined)

    @property
    def counts_keys(self) -> bool:
        return isinstance(self.left, Keys) or isinstance(self.right, Keys)

    @property
    def asks_presence_only(self) -> bool:
        return not self.paths

    @property
    def compares(self) -> bool:
        """Whether it looks at values."""
        return bool(self.paths)

    def condition(self, reach: Reach, bind: Bind) -> str:
        left, right = self.left.source(reach, bind), self.right.source(reach, bind)
        if not self.orders and any(reach.facts(path).open for path in self.paths) and not self.may_raise:
            test = f"{bind(are_equal, 'are_equal')}({left}, {right})"
            return test if self.sign == "==" else f"not {test}"
        test = f"{left} {self.sign} {right}"
        return f"{self._alike(reach, bind)}{test}"

    def _alike(self, reach: Reach, bind: Bind) -> str:
        """The test that times of day both have an offset, or none has: others do not compare."""
        if not self.orders or _counts(self.left):
            return ""
        kinds = [
            f"({reach.at(path, bind)}.tzinfo is None)" for path in self.paths if reach.facts(path).sort is Sort.TIME
        ]
        if len(kinds) > 1:
            return f"{' == '.join(kinds)} and "
        return f"{kinds[0]} and " if kinds else ""

    def test(self, reach: Reach, bind: Bind) -> str:
        there = [reach.there(path, bind) for path in self.paths]
        return " and ".join([each for each in there if each != "True"] + [self.condition(reach, bind)])

    def told(self, wire: Callable[[Path], str]) -> str:
        other = _told(self.right, wire)
        constant = isinstance(self.right, Constant) and isinstance(other, str)
        return f"{_told(self.left, wire)} {self.sign} {repr(other) if constant else other}"

    @property
    def ruled(self) -> _Ruled | None:
        """The same as a rule on the one value that it mentions; None where it is none."""
        if not isinstance(self.right, Constant) or not isinstance(self.left, NamedField | Measured):
            return None
        path, value = self.left.paths()[0], self.right.value
        if isinstance(self.left, Measured):
            rule: Rule | None = _length(self.sign, value)
        elif self.orders:
            make = Floor if self.sign.startswith(">") else Ceiling
            rule = make(value, self.sign.endswith("="))
        else:
            rule = Equal(value, self.sign == "==")
        return None if rule is None else _Ruled(path, rule)

    def schema(self, at: Standing) -> Mapping[str, object] | Unsaid:
        if isinstance(self.left, Keys):
            return self.keywords(at)
        ruled = self.ruled
        if ruled is None:
            return Unsaid("JSON Schema compares a value with constants only")
        return ruled.schema(at)

    def face(self, facts: FactsOf) -> Face:
        if not self.paths or _counts(self.left) or isinstance(self.left, Combined):
            words = _EQUALITY.get(self.sign) or Order.SIZE.word(self.sign)
            return Face("", "agreement", f"{{left}} {words} {{other}}", Got.VALUE if self.paths else "another number")
        first = facts[self.paths[0]]
        words = _EQUALITY.get(self.sign) or first.order.word(self.sign)
        return Face("", "agreement", f"a value {words} {{other}}")

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        told = {"comparison": self.sign, "other": _told(self.right, wire)}
        return told if isinstance(self.left, NamedField) else {**told, "left": _told(self.left, wire)}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        if isinstance(self.left, Keys):
            rule = _length(self.sign, self.right.value if isinstance(self.right, Constant) else None)
            return Unsaid("JSON Schema counts keys against constants only") if rule is None else rule.keywords(_KEYS)
        if len(self.paths) > 1:
            return Unsaid("JSON Schema cannot compare one field with another")
        said = self.schema(at)
        if isinstance(said, Unsaid):
            return said
        # Judged where there is a value, and only there.
        there = HasValue(self.paths[0]).schema(at)
        return there if isinstance(there, Unsaid) else {"anyOf": [{"not": there}, said]}

    def suits(self, facts: FactsOf) -> None:
        from decimal import Decimal

        paths = self.paths
        for term in (self.left, self.right):
            if isinstance(term, Measured) and not facts[term.of.path].measured:
                raise DeclarationError(
                    f"{self} measures {facts[term.of.path].phrase}, which has no length", remedy="leave it out"
                )
        if _counts(self.left) or _counts(self.right):
            if isinstance(self.right, Constant) and not _is_whole(self.right.value):
                raise DeclarationError(
                    f"{self} compares a number of things with {self.right!r}", remedy="give a whole number"
                )
            return
        if self.sign in ("==", "!=") and not self.may_raise:
            return
        for path in paths:
            if not facts[path].ordered and not facts[path].text:
                raise DeclarationError(
                    f"{self} compares {facts[path].phrase}, which has no order", remedy="leave it out"
                )
        values = {path: _sample(facts[path]) for path in paths}
        if any(value is None for value in values.values()):
            if all(facts[path].text for path in paths) and not self.may_raise:
                if isinstance(self.right, Constant) and not isinstance(self.right.value, str):
                    raise DeclarationError(f"{self} compares text with {self.right!r}", remedy="write text there")
                return
            if any(facts[path].open for path in paths):
                return
        bound: dict[str, Any] = {}

        def bind(constant: object, hint: str) -> str:
            bound[f"c_{len(bound)}"] = constant
            return f"c_{len(bound) - 1}"

        tried = _Tried(facts)
        source = self.condition(tried, bind)
        try:
            eval(source, bound | {name: values[path] for path, name in tried.names.items()})
        except TypeError:
            if any(isinstance(value, Decimal) for value in values.values()):
                raise DeclarationError(
                    f"{self} mixes decimal numbers with floats, which Python does not",
                    remedy="write constants as Decimal, and declare the fields alike",
                ) from None
            phrases = " with ".join(dict.fromkeys(facts[path].phrase for path in paths))
            constant = f" with {self.right!r}" if isinstance(self.right, Constant) else ""
            raise DeclarationError(
                f"{self} compares {phrases}{constant}", remedy="compare values of one kind"
            ) from None
        except (ZeroDivisionError, OverflowError):
            return

    def __str__(self) -> str:
        return f"{self.left!r} {self.sign} {self.right!r}"


class _Ruled(Obeying):
    """A comparison with a constant, as the rule that says it of the value."""

    def keywords(self, at: Standing, look: Any) -> Mapping[str, object] | Unsaid:
        if isinstance(self.rule, Equal):
            value = on_wire(self.rule.constant)
            if not isinstance(value, str | int | float | bool):
                return Unsaid("the condition's constant is no plain JSON")
            return {"const": value} if self.rule.wanted else {"not": {"enum": [value, None]}}
        return super().keywords(at, look)


_KEYS: Final = Facts("a record", "record", measured=LengthUnit.KEYS)


def _is_whole(value: object) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def _length(sign: str, value: Any) -> Length | None:
    """The rule on a number of characters, items or keys."""
    if not _is_whole(value):
        return None
    floor, ceiling = {
        "<": (None, value - 1), "<=": (None, value), ">": (value + 1, None), ">=": (value, None), "==": (value, value),
        "!=": (None, None),
    }[sign]  # fmt: skip
    return Length(floor, ceiling, f" {sign} {value}", value if sign == "!=" else None)


def _told(term: Any, wire: Callable[[Path], str]) -> object:
    match term:
        case NamedField(path):
            return wire(path)
        case Constant(value):
            return on_wire(value)
        case Measured(of):
            return f"the length of {wire(of.path)}"
        case Keys():
            return "a number of keys"
        case Combined(left, sign, right):
            words = {"+": "plus", "-": "minus", "*": "times", "/": "divided by", "//": "divided by", "%": "modulo"}
            return f"{_in_words(left, wire)} {words[sign]} {_in_words(right, wire)}"
    return term


def _in_words(term: Any, wire: Callable[[Path], str]) -> object:
    from datetime import timedelta

    told = _told(term, wire)
    if isinstance(told, timedelta):
        from .kinds.texts import write_duration

        return write_duration(told)
    return told


class _Terms(Subject):
    """Comparisons and arithmetic, which give rules and further terms."""

    __slots__ = ("_term",)

    def __init__(self, term: Any) -> None:
        self._term = term

    def _compared(self, sign: str, other: object) -> FieldComparison:
        return FieldComparison(self._term, sign, _term(other))

    def _combined(self, sign: str, other: object) -> _Terms:
        return _Terms(Combined(self._term, sign, _term(other)))

    def _combined_back(self, sign: str, other: object) -> _Terms:
        return _Terms(Combined(_term(other), sign, self._term))

    def __gt__(self, other: Any) -> FieldComparison:
        return self._compared(">", other)

    def __ge__(self, other: Any) -> FieldComparison:
        return self._compared(">=", other)

    def __lt__(self, other: Any) -> FieldComparison:
        return self._compared("<", other)

    def __le__(self, other: Any) -> FieldComparison:
        return self._compared("<=", other)

    def __eq__(self, other: object) -> FieldComparison:  # type: ignore[override]
        return self._compared("==", other)

    def __ne__(self, other: object) -> FieldComparison:  # type: ignore[override]
        return self._compared("!=", other)

    def __add__(self, other: Any) -> _Terms:
        return self._combined("+", other)

    def __radd__(self, other: Any) -> _Terms:
        return self._combined_back("+", other)

    def __sub__(self, other: Any) -> _Terms:
        return self._combined("-", other)

    def __rsub__(self, other: Any) -> _Terms:
        return self._combined_back("-", other)

    def __mul__(self, other: Any) -> _Terms:
        return self._combined("*", other)

    def __rmul__(self, other: Any) -> _Terms:
        return self._combined_back("*", other)

    def __truediv__(self, other: Any) -> _Terms:
        return self._combined("/", other)

    def __mod__(self, other: Any) -> _Terms:
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
        return hash(self._term)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self!r} was asked for a truth value, and has none while it is only declared",
            remedy="compare it with something, or ask this.x.has_value",
        )

    def __repr__(self) -> str:
        return repr(self._term)


class FieldOfThis(_Terms):
    """`this.arrives`, and `this.load.weight_kg` inside it.

    A field inside that has the name of one of these properties and methods is written `this["load"]["length"]`.
    """

    __slots__ = ()

    @property
    def _path(self) -> Path:
        path: Path = self._term.path
        return path

    def __getattr__(self, name: str) -> FieldOfThis:
        if name.startswith("_"):
            raise AttributeError(name)
        return FieldOfThis(NamedField((*self._path, name)))

    def __getitem__(self, name: str) -> FieldOfThis:
        _check_step(self, name)
        return FieldOfThis(NamedField((*self._path, name)))

    @property
    def length(self) -> _Terms:
        """The number of its characters, items or keys."""
        return _Terms(Measured(self._term))

    @property
    def came(self) -> Came:
        """A condition: it stands in the data, be it null."""
        return Came(self._path)

    @property
    def has_value(self) -> HasValue:
        """A condition: it has a value, or a default, and is not null."""
        return HasValue(self._path)

    def obeys(self, rule: Rule) -> Obeying:
        """A condition: the value obeys a rule of `it`, as in `this.code.obeys(it.has("[0-9]"))`."""
        if not isinstance(rule, Rule):
            raise DeclarationError(
                f"{self!r}.obeys({rule!r}) needs a rule of `it`", remedy='as in this.code.obeys(it.has("[0-9]"))'
            )
        return Obeying(self._path, rule)

    def is_a(self, *kinds: type) -> IsA:
        """A condition: the value is of one of some classes, as in `this.load.is_a(Crate)`."""
        if not kinds:
            raise DeclarationError(f"{self!r}.is_a() names no class", remedy="as in this.load.is_a(Crate)")
        return IsA(self._path, kinds)

    def one_of(self, *choices: object) -> Obeying:
        """A condition: the value equals one of the choices."""
        from .rules import OneOf

        return self.obeys(OneOf(tuple(checked(each, f"{self!r}.one_of") for each in choices)))

    def starts_with(self, affix: str) -> Obeying:
        """A condition: the text begins with another."""
        from .rules import StartsWith

        return self.obeys(StartsWith(affix))

    def ends_with(self, affix: str) -> Obeying:
        """A condition: the text ends with another."""
        from .rules import EndsWith

        return self.obeys(EndsWith(affix))

    def contains(self, held: Any) -> Obeying:
        """A condition: the text holds another, or the list or set has an item equal to `held`."""
        from .rules import Contains

        return self.obeys(Contains(checked(held, f"{self!r}.contains")))

    def all(self, inner: Condition | Rule) -> Over:
        """A condition: every item obeys a rule of `it`, or for records a condition of `this`, the item."""
        return Over(self._path, "all", _inner(self, "all", inner))

    def any(self, inner: Condition | Rule) -> Over:
        """A condition: at least one item obeys a rule of `it`, or for records a condition of `this`, the item."""
        return Over(self._path, "any", _inner(self, "any", inner))


def _inner(field: FieldOfThis, word: str, inner: object) -> Any:
    if not isinstance(inner, Condition | Rule):
        raise DeclarationError(
            f"{field!r}.{word}({inner!r}) needs a condition on each item",
            remedy=f"as in {field!r}.{word}(this.weight_kg < 30), or for single values .{word}(it < 30)",
        )
    return inner


def _check_step(before: object, name: object) -> None:
    if not isinstance(name, str):
        raise DeclarationError(f"{before!r}[{name!r}] names no field", remedy='give its name, as in this["length"]')


def _term(other: object) -> Any:
    if isinstance(other, _Terms):
        return other._term
    from .constants import check_constant  # it opens the rooms of the kinds, which no declaration needs yet

    if isinstance(other, Clock):
        raise DeclarationError(
            f"a field of this is compared with {other}", remedy=f"let its value obey a rule: this.x.obeys(it > {other})"
        )
    check_constant(checked(other, "a comparison of this"))
    return Constant(other)


class This:
    """The record at hand, inside `@obeys`. Every attribute stands for a field of that name, `length` for its keys."""

    __slots__ = ()

    def __getattr__(self, name: str) -> FieldOfThis:
        if name.startswith("__"):
            raise AttributeError(name)
        return FieldOfThis(NamedField((name,)))

    def __getitem__(self, name: str) -> FieldOfThis:
        _check_step(self, name)
        return FieldOfThis(NamedField((name,)))

    @property
    def length(self) -> _Terms:
        """How many keys of the record came: `this.length >= 1`. A field of that name is `this["length"]`."""
        return _Terms(Keys())

    def __repr__(self) -> str:
        return "this"


this: Final = This()
"""The record at hand: `@obeys(this.arrives > this.departs)`."""

__all__ = ["FieldComparison", "FieldOfThis", "OfValue", "This", "this"]
