"""Values from outside: what the caller hands over when data is judged, and rules and functions of the declaration ask.

    limit = outside("limit", int)
    Crates = Annotated[list[Crate], it.length <= limit]
    Gate(Booking).admit(payload, outside=[limit(40)])

They stand in the context of the running task or thread (`contextvars`) while data is judged: so threads, tasks and
greenlets have each their own. What is missing, of a wrong type or there twice is the caller's mistake, a TypeError at
once, and never a fault of the data.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from functools import partial, wraps
from keyword import iskeyword
from typing import Any, Concatenate, Final, Generic, NoReturn, Self, TypeVar, get_origin

from .errors import DeclarationError, check_flags
from .facts import Bind, Unsaid
from .told_types import all_will_do, is_of, kind_told_by, ordered, sample_of, shown_kind, told_wrong
from .values import Value
from .waiting import check_takes, gives_pieces, is_async, shown_name

T = TypeVar("T")
R = TypeVar("R")


class HandedOver:
    """A value from outside that is handed over: what `limit(40)` gives."""

    __slots__ = ("kind", "name", "of", "value")

    def __init__(self, of: Outside[Any], value: Any) -> None:
        self.name, self.kind = of.name, of.kind
        self.of = of
        self.value = value

    def __repr__(self) -> str:
        return f"{self.name}({'a hidden value' if self.of.secret else repr(self.value)})"


_Handed = dict[str, HandedOver]
_HANDED: Final[ContextVar[_Handed]] = ContextVar("values from outside", default={})  # noqa: B039  it is never filled
handed: Final = _HANDED.get
"""Gives what is handed over here and now, by name. Generated code calls this very object: it travels by its name."""


class Outside(Generic[T], Value):
    """A value that the caller hands over; see `outside`."""

    name: str
    kind: Any
    away: Any = None
    samples: tuple[Any, ...] = ()
    secret: bool = False

    def __call__(self, value: T) -> HandedOver:
        """The value as it is handed over. Raises TypeError for one of another type."""
        if value.__class__ is not self.kind or not all_will_do(self.kind):
            self.check(value)
        return HandedOver(self, value)

    def check(self, value: object) -> None:
        """Raise TypeError for a value of another type."""
        if not is_of(self.kind, value):
            raise TypeError(f"{self.name} is {shown_kind(self.kind)}, and was handed over as {told_wrong(value)}")

    @property
    def must_come(self) -> bool:
        """Whether it is a mistake where nobody hands it over."""
        return True

    @property
    def here(self) -> T:
        """The value that is handed over here and now, for handlers and functions. Raises TypeError where none is."""
        held = handed().get(self.name)
        if held is None:
            raise missing([self.name])
        found: T = self._moved(held.value)
        return found

    def _moved(self, value: Any) -> Any:
        return value if self.away is None else value + self.away

    def opened_by(self, function: Callable[..., Any]) -> Opening[T]:
        """What opens the value for each request of an `Api(opens=[...])`, and closes it with the request.

        A function, plain or `async`, of nothing or of the head, that gives the value, or a context manager that does:
        it is entered, and left before the answer is sent, so that what fails then is a 500; after the last piece of
        one in pieces; with the exception where the request is refused or fails. It is opened for endpoints that ask
        for it. Raises DeclarationError for what cannot be called so.
        """
        return Opening(self, function)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self} was asked for a truth value, and has none while it is only declared",
            remedy=f"write two rules one after the other instead of joining them; its value is {self.name}.here",
        )

    def __add__(self, away: Any) -> Self:
        try:
            self.sample if self.sample is None else self.sample + away
        except (TypeError, OverflowError):
            raise DeclarationError(
                f"nothing can be {away!r} away from {self.name}",
                remedy=f"it is {shown_kind(self.kind)}: add what it takes",
            ) from None
        moved: Self = self.replace(away=away if self.away is None else self.away + away)
        return moved

    def __sub__(self, away: Any) -> Self:
        if isinstance(away, Value) or hasattr(type(away), "_term"):
            return NotImplemented
        moved: Self = self + -away
        return moved

    def source(self, bind: Bind) -> str:
        """Python source of the value, while data is judged."""
        held = f"{bind(handed, 'handed')}()[{bind(self.name, 'NAME')}].value"
        return held if self.away is None else f"({held} + {bind(self.away, 'AWAY')})"

    @property
    def sample(self) -> Any:
        """A value such as may be handed over; None where none is known."""
        made = self.samples[0] if self.samples else sample_of(self.kind)
        return made if made is None else self._moved(made)

    @property
    def told(self) -> Any:
        """What faults tell of it: a number or a time as it is, of anything else the name alone."""
        held = handed().get(self.name)
        value = None if held is None else held.value
        if self.secret or isinstance(value, bool) or not isinstance(value, ordered()):
            return str(self)
        return self._moved(value)

    @property
    def is_collection(self) -> bool:
        """Whether it is a set or a mapping, of which can be asked what it holds."""
        origin = get_origin(self.kind) or self.kind
        return isinstance(origin, type) and (issubclass(origin, _LOOKED_UP) or origin.__name__ in ("Set", "Mapping"))

    def __str__(self) -> str:
        if self.away is None:
            return self.name
        text = str(self.away)
        return f"{self.name} - {text[1:]}" if text.startswith("-") else f"{self.name} + {text}"

    __repr__ = __str__


class Opening(Generic[T]):
    """See `Outside.opened_by`."""

    __slots__ = ("function", "of", "takes_head")

    def __init__(self, of: Outside[T], function: Callable[..., Any]) -> None:
        called = f"what opens {of}"
        if not callable(function):
            raise DeclarationError(f"{called} is nothing that can be called", remedy="hand over a function")
        try:
            check_takes(function, called, 0)
            self.takes_head = False
        except DeclarationError:
            check_takes(function, called, 1)
            self.takes_head = True
        if gives_pieces(function):
            raise DeclarationError(f"{called} is a generator", remedy="write @contextmanager above it")
        self.of, self.function = of, function


_LOOKED_UP = (set, frozenset, dict)


def outside(name: str, kind: type[T], *, samples: Sequence[T] = (), secret: bool = False) -> Outside[T]:
    """A value that rules, conditions and functions of a declaration ask for, and the caller hands over.

    `name`     what it is called: a name as of a variable; functions get it under that name, see `takes`
    `kind`     its type: a class, or a collection or union of classes, as in `frozenset[str]`, `int | None`
    `samples`  some values: `samples`, `payloads`, `probes` and `dutiful prove` take the first where none is handed over
    `secret`   whether faults name it instead of telling its number; what is no number and no time, they always name

    `limit(40)` is the value handed over, for `gate.admit(payload, outside=[limit(40)])`, or for all that is done in
    `with outside_values(limit(40)):`. `limit.here` is what was. In a document such a rule is unstated, and `release`
    does not ask it. Raises DeclarationError for what is no name or no such type, and for samples of another type.
    """
    if not str.isidentifier(name) or iskeyword(name):
        raise DeclarationError(f"outside({name!r}) has no name", remedy='as in outside("limit", int)')
    if name in ("now", "today", "identity"):
        raise DeclarationError(f"outside({name!r}) is there already", remedy="import it, or take another name")
    check_flags(secret=secret)
    plain = kind_told_by(kind, name)
    _MADE.append(name)
    made: Outside[T] = Outside(name, plain, samples=tuple(samples), secret=secret)
    for sample in made.samples:
        if not is_of(plain, sample):
            raise DeclarationError(f"a sample of {name} is not {shown_kind(plain)}", remedy="change it, or the type")
    return made


_MADE: Final[list[str]] = []


def note_asked(name: str) -> None:
    """One that this program asks for, and has not made."""
    _MADE.append(name)


def is_asked_anywhere() -> bool:
    """Whether this program has made any: most have none, and look for none."""
    return bool(_MADE)


def takes(
    *values: Outside[Any],
) -> Callable[[Callable[Concatenate[Any, ...], R] | Callable[..., R]], Callable[..., R]]:
    """A function of one's own that gets values from outside too, each under its name.

        @takes(limit)
        def fits(crates: list[Crate], limit: int) -> bool:
            return sum(crate.weight_kg for crate in crates) <= limit

    It stands wherever a function may: in `holds`, `then`, `via`, `obeys`, as a factory. Called directly it may be
    given them by name. Raises DeclarationError for a function that has no parameter of such a name.
    """
    if not values or not all(isinstance(each, Outside) for each in values):
        raise DeclarationError(f"takes{values!r} names no values from outside", remedy="as in @takes(limit)")
    names = [each.name for each in values]

    def beside(function: Callable[..., R]) -> Callable[..., R]:
        import inspect

        if not callable(function):
            raise DeclarationError(f"takes(...) stands above {function!r}, no function", remedy="as in @takes(limit)")
        signature = inspect.signature(function)
        free = any(each.kind is inspect.Parameter.VAR_KEYWORD for each in signature.parameters.values())
        for name in names:
            found = signature.parameters.get(name)
            if (found is None and not free) or (found is not None and found.kind in _UNNAMED):
                raise DeclarationError(
                    f"{shown_name(function)} takes no {name!r}", remedy=f"give it a parameter {name}, after the value"
                )

        def with_them(named: dict[str, Any]) -> dict[str, Any]:
            return {**{each.name: each.here for each in values if each.name not in named}, **named}

        if is_async(function):
            later: Any = function

            @wraps(function)
            async def call(*given: Any, **named: Any) -> Any:
                return await later(*given, **with_them(named))
        else:

            @wraps(function)
            def call(*given: Any, **named: Any) -> Any:
                return function(*given, **with_them(named))

        kept = [each for each in signature.parameters.values() if each.name not in names]
        made: Any = call
        made.__signature__ = signature.replace(parameters=kept)
        made.outside = values
        return made  # type: ignore[no-any-return]

    return beside


_UNNAMED = (0, 2)  # parameters that are given by their order alone, or gather what is


@contextmanager
def outside_values(*values: HandedOver) -> Iterator[None]:
    """Hand values over to all gates that judge data in here, for tools and tests too; inner ones win over outer ones.

    Raises TypeError for anything else, and for one that is there twice.
    """
    token = _HANDED.set(_joined(values))
    try:
        yield
    finally:
        _HANDED.reset(token)


def hand_over_from_here(values: Iterable[HandedOver]) -> None:
    """Hand values over to all that follows: in a process of their own."""
    _HANDED.set(_joined(values))


def with_values(values: Iterable[HandedOver], call: Callable[..., R], *given: Any) -> R:
    """What a function gives where values are handed over to it."""
    # One alone, as a list, is what mostly comes.
    first = values[0] if isinstance(values, list) and len(values) == 1 and not handed() else None
    token = _HANDED.set({first.name: first} if isinstance(first, HandedOver) else _joined(values))
    try:
        return call(*given)
    finally:
        _HANDED.reset(token)


def as_list(values: Iterable[HandedOver]) -> list[HandedOver]:
    """What is handed over, as a list. Raises TypeError for one value alone."""
    if isinstance(values, HandedOver):
        raise TypeError(f"values from outside are handed over as a list, as in [{values!r}]")
    return list(values)


def _joined(values: Iterable[HandedOver]) -> _Handed:
    joined, names = dict(handed()), set()
    for each in as_list(values):
        if each.__class__ is not HandedOver:
            raise TypeError("what is handed over is made by its own name, as in [limit(40)]")
        if each.name in names:
            raise TypeError(f"{each.name} is handed over twice")
        names.add(each.name)
        joined[each.name] = each
    return joined


def first_handed_over(asked: Sequence[Outside[Any]], call: Callable[[Any], R]) -> Callable[[Any], R]:
    """A function of data that raises TypeError, before anything else, where a value that is asked for is not handed
    over, or where one of the same name and of another type is."""
    if not asked:
        return call
    alone, kinds = asked[0].name, [(each.name, each.kind) for each in asked]
    kind, several = asked[0].kind, len(asked) > 1

    def first(data: Any) -> R:
        held = handed()
        if several:
            for name, wanted in kinds:
                if name not in held or held[name].kind is not wanted:
                    check_handed_over(asked)
        elif alone not in held or held[alone].kind is not kind:
            check_handed_over(asked)
        return call(data)

    return first


def check_handed_over(asked: Iterable[Outside[Any]]) -> None:
    """Raise the same TypeError at once."""
    held = handed()
    lacking = [each.name for each in asked if each.name not in held]
    if lacking:
        raise missing(lacking)
    for each in asked:
        if held[each.name].kind != each.kind:
            each.check(held[each.name].value)


def missing(names: Sequence[str]) -> TypeError:
    """The caller's mistake: values that nobody handed over."""
    listed = " and ".join(filter(None, [", ".join(names[:-1]), names[-1]]))
    calls = ", ".join(f"{name}(...)" for name in names)
    return TypeError(
        f"{listed} {'is' if len(names) == 1 else 'are'} asked for, and not handed over: write outside=[{calls}], "
        f"or with outside_values({calls}):"
    )


def named_outside(held: Any) -> str:
    """The names of those that something asks for, "" for none."""
    return " and ".join(dict.fromkeys(each.name for each in found_outside(held)))


def from_caller(names: str) -> Unsaid:
    """Why no document says what asks for values of these names."""
    return Unsaid(f"{names} comes from outside, when data is judged")


def asks_outside(held: Any) -> bool:
    """Whether something asks for values from outside."""
    return next(found_outside(held), None) is not None


def found_outside(held: Any) -> Iterator[Outside[Any]]:
    """The values from outside that a rule, a condition, a step or a function asks for; `now` and `today` are not."""
    if isinstance(held, Outside):
        if held.must_come:
            yield held.replace(away=None)
        return
    if isinstance(held, Value):
        held = tuple(vars(held).values())
    if isinstance(held, tuple | list):
        for each in held:
            yield from found_outside(each)
    elif callable(held):
        while isinstance(held, partial):
            held = held.func
        yield from getattr(held, "outside", ())
