"""Checks that ask elsewhere, such as a database: `among(on_file)`, in batches, and `waits(check)`, one by one."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Awaitable, Callable, Collection, Hashable, Mapping, Sequence
from typing import Any, ClassVar, Literal, TypeVar

from ..answers import Answer, Asked, note_made
from ..errors import DeclarationError
from ..facts import Bind, Facts, Own, Unsaid
from ..waiting import check_takes, gives_pieces, is_async, shown_name
from .holds import OwnCheck

T = TypeVar("T")
Unanswered = Literal["raise", "refuse"]


class WaitingCheck(OwnCheck):
    """A function that is asked when all that does not wait is judged, for the values that are sound so far.

    `most`        so many values it is asked about in one call
    `seconds`     so long a call may take, None for as long as it likes
    `unanswered`  what becomes of values where it raises or takes too long: that is raised, or they are refused
    """

    most: int = 1
    seconds: float | None = None
    unanswered: Unanswered = "raise"

    waits_for_answers: ClassVar[bool] = True
    tells_why: ClassVar[bool] = False
    """Whether a ValueError that it raises is an answer, with words for the fault."""
    at_once: ClassVar[int] = 1
    """So many calls of it are awaited at once."""

    def condition(self, value: str, bind: Bind) -> str:
        return f"{bind(Own(Asked(self)), 'HOLDS')}({value})"

    @property
    def name(self) -> str:
        """What its function is called."""
        return shown_name(self.function)

    @property
    def mark(self) -> Hashable:
        """What tells it from others: its function, and how it is asked; its own words are not a part of that."""
        how = self.most, self.seconds, self.unanswered
        try:
            hash(self.function)
        except TypeError:
            return id(self.function), *how
        return self.function, *how

    @property
    def is_async(self) -> bool:
        """Whether it has to be awaited."""
        return is_async(self.function)

    def ask(self, values: Sequence[Any]) -> Any:
        """Call its function, for as many values as it takes at once."""
        return self.function(values)

    @abstractmethod
    def answers(self, values: Sequence[Any], said: Any) -> list[Answer]:
        """What a call said of each of the values. Raises TypeError for what is no answer."""

    def numbers(self) -> Mapping[str, object]:
        return {"check": self.name}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        return Unsaid("a check that waits asks elsewhere")


class Among(WaitingCheck):
    """See `among`."""

    def answers(self, values: Sequence[Any], said: Any) -> list[Answer]:
        if not isinstance(said, Collection) or isinstance(said, str | bytes | bytearray):
            raise TypeError(
                f"{self.name} gave back {type(said).__name__}: it gives back the sound ones, as a list or a set"
            )
        try:
            held: Collection[Any] = frozenset(said)
            return [value in held for value in values]
        except TypeError:  # what has no hash is compared one by one
            held = list(said)
            return [value in held for value in values]

    def __str__(self) -> str:
        return f"among({self.name})"


class Waits(WaitingCheck):
    """See `waits`."""

    tells_why = True
    at_once = 10

    def ask(self, values: Sequence[Any]) -> Any:
        return self.function(values[0])

    def answers(self, values: Sequence[Any], said: Any) -> list[Answer]:
        if said is None:
            raise TypeError(f"{self.name} gave back nothing: it gives back whether the value is sound")
        return [bool(said)]

    def __str__(self) -> str:
        return f"waits({self.name})"


def among(
    function: Callable[[Sequence[T]], Collection[T] | Awaitable[Collection[T]]],
    *,
    most: int = 500,
    seconds: float | None = None,
    says: str | None = None,
    unanswered: Unanswered = "raise",
) -> Among:
    """A check in batches: the function is given values, and gives back those of them that are sound.

        async def on_file(codes: Sequence[str]) -> set[str]: ...

        Port = Annotated[str, it.matches("[A-Z]{3}"), among(on_file, seconds=2, says="needs a port on file")]

    It is asked when all that does not wait is judged, once for a payload, and once for a window of a feed; no value
    twice. A plain function serves for `Gate`, feeds, tables and WSGI; one that is async needs a `WaitingGate`, or an
    endpoint under ASGI.

    `most`        so many values one call is given; more are asked in several calls
    `seconds`     so long a call may take
    `says`        the wording of the fault, with `{given}` and `{label}`
    `unanswered`  where it raises or takes too long: "raise" tells the caller, "refuse" makes that a fault of the values

    It stands last beside a type. Raises DeclarationError for what is no such function, and for numbers that are none.
    """
    _check_function(function, "among")
    if most.__class__ is not int or most < 1:
        raise DeclarationError(f"among(most={most!r}) asks about nothing", remedy="give a whole number of at least 1")
    made = Among(function, most, _seconds("among", seconds), _unanswered("among", unanswered))
    return made if says is None else made.says(says)


def waits(
    check: Callable[[T], Awaitable[object]],
    *,
    seconds: float | None = None,
    says: str | None = None,
    unanswered: Unanswered = "raise",
) -> Waits:
    """A check of one value, or in `@obeys(waits(check))` of one record, that is awaited; several at once.

    It gives something true where the value will do, or raises ValueError (`Wrong`, to name a field) with its words. Its
    gate is a `WaitingGate`, or an endpoint under ASGI. The other words are those of `among`, which asks about many at
    once and is to be preferred. Raises DeclarationError for a function that is not async: that is what `holds` is for.
    """
    _check_function(check, "waits")
    if not is_async(check):
        raise DeclarationError(
            f"waits({shown_name(check)}) waits for a plain function", remedy="write holds(...), or make it async"
        )
    made = Waits(check, 1, _seconds("waits", seconds), _unanswered("waits", unanswered))
    return made if says is None else made.says(says)


def _check_function(function: Any, word: str) -> None:
    if not callable(function) or gives_pieces(function):
        raise DeclarationError(f"{word}({function!r}) needs a function", remedy=f"as in {word}(on_file)")
    check_takes(function, f"{word}({shown_name(function)})", 1)
    note_made(function)


def _seconds(word: str, seconds: Any) -> float | None:
    if seconds is None:
        return None
    if isinstance(seconds, bool) or not isinstance(seconds, int | float) or not 0 < seconds < float("inf"):
        raise DeclarationError(f"{word}(seconds={seconds!r}) is no time", remedy="give a number of seconds above 0")
    return float(seconds)


def _unanswered(word: str, said: Any) -> Unanswered:
    if said not in ("raise", "refuse"):
        raise DeclarationError(f"{word}(unanswered={said!r}) says nothing", remedy='write "raise" or "refuse"')
    found: Unanswered = said
    return found
