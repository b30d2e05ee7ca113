"""`this`: the record at hand, in rules of a record."""

from __future__ import annotations

from typing import Any, Final, NoReturn

from .clock import Clock
from .conditions import Came, Condition
from .errors import DeclarationError
from .field_access import Path
from .field_comparison import FieldComparison
from .members import Subject, checked
from .outside import Outside
from .rules import Rule
from .terms import Combined, Constant, FromCaller, Keys, Measured, NamedField
from .value_conditions import HasValue, IsA, Obeying, Over


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
        """A condition: the value equals one of the choices, or is one of a set that comes from outside."""
        from .subjects import one_of

        return self.obeys(one_of(choices, f"{self!r}.one_of"))

    def starts_with(self, affix: str) -> Obeying:
        """A condition: the text begins with another."""
        from .rules import StartsWith
        from .rules.from_outside import from_outside

        return self.obeys(from_outside(StartsWith(affix)))

    def ends_with(self, affix: str) -> Obeying:
        """A condition: the text ends with another."""
        from .rules import EndsWith
        from .rules.from_outside import from_outside

        return self.obeys(from_outside(EndsWith(affix)))

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

    if isinstance(other, Outside) and other.must_come:
        if other.sample is None:
            raise DeclarationError(
                f"a field of this is compared with {other}, of whose type nothing is known",
                remedy=f'give it samples: outside("{other.name}", ..., samples=[...])',
            )
        return FromCaller(other)
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
