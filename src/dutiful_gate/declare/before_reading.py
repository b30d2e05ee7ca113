"""What comes before a value is read, or stands in for it: `via`, `split_on`, `blank_is_none`, `otherwise`."""

from __future__ import annotations

import typing
from collections.abc import Callable, Mapping, Sequence
from typing import Any, TypeVar

from .errors import DeclarationError
from .steps import CALLABLE, check_back
from .values import Value
from .waiting import check_answers, check_takes, shown_name

_T = TypeVar("_T")


class Turn(Value):
    """What comes before the value is read, or stands in for it: no step on a value that has been read."""


class BlankIsNone(Turn):
    """See `blank_is_none`."""

    def __str__(self) -> str:
        return "blank_is_none"


blank_is_none = BlankIsNone()
"""Before reading: text that is empty or all blanks is None. Only beside a type that may be None."""


class SplitOn(Turn):
    """See `split_on`."""

    separator: str

    def __str__(self) -> str:
        return f"split_on({self.separator!r})"


def split_on(separator: str) -> SplitOn:
    """Before reading: text is split at every `separator` into a list of texts, blanks around each taken off.

    Empty text is an empty list. Only beside a list, tuple or set, whose items are read from text.
    """
    if separator.__class__ is not str or not separator:
        raise DeclarationError(f"split_on({separator!r}) needs text to split on", remedy='as in split_on(",")')
    return SplitOn(separator)


class Via(Turn):
    """See `via`; `sure` tells that something is made of all that is read, so that nothing is left to tell of it."""

    kind: Any
    parts: tuple[Any, ...]
    made: Callable[[Any], Any] | None = None
    back: Callable[[Any], Any] | None = None
    samples: tuple[Any, ...] = ()
    sure: bool = False

    def __str__(self) -> str:
        return "via(...)"

    def __hash__(self) -> int:
        return hash((Via, self.made, self.back))

    def __call__(self, declared: type[_T]) -> type[_T]:
        """Above a class: its values are read and written so wherever it is declared."""
        if not isinstance(declared, type):
            raise DeclarationError(
                f"via(...) stands above {declared!r}, which is no class", remedy="put it above a class"
            )
        setattr(declared, _VIA, self if self.made is not None else self.replace(made=self.check_maker(declared)))
        return declared

    @staticmethod
    def check_maker(declared: type[_T]) -> type[_T]:
        """The class itself, which makes its values. Raises DeclarationError for one that takes no value."""
        check_takes(declared, f"{declared.__name__}, which via(...) makes values of,", 1)
        return declared


_VIA = "__via__"


def via_of(declared: object) -> Via | None:
    """What a class of the developer's own is read by and written as, where that stands above it."""
    origin = typing.get_origin(declared) or declared
    held = origin.__dict__.get(_VIA) if isinstance(origin, type) else None
    return held if isinstance(held, Via) else None


def via(
    kind: Any,
    *parts: Any,
    made: Callable[[Any], Any] | None = None,
    back: Callable[[Any], Any] | None = None,
    samples: Sequence[Any] = (),
) -> Via:
    """Before reading: read the value as `kind` with steps and rules of its own, and the declared type from that.

    `Annotated[int, via(str, trimmed, it.matches(r"[0-9]+")), it.between(0, 120)]` is text first, with its rules, and
    then a number, with its rules.

    With `made` the declared type may be any class of your own: the function makes its value of what was read (a
    ValueError it raises is a fault with its words), and `back` makes of a value again what goes out, which is judged as
    `kind` with its rules. `samples` is plain data that is sound, for proofs, demo data and documents.

        Position = Annotated[Point, via(list[float], made=Point.of, back=Point.parts, samples=[[1, 2]])]

    Above a class it holds for all uses of the class. `made` may be left out where the class itself makes its values of
    what was read, and `back` is there.
    """
    if made is not None:
        if not callable(made):
            raise DeclarationError(f"via(..., made=...) needs a function, not {made!r}", remedy=CALLABLE)
        check_answers(made, f"via(..., made={shown_name(made)})", takes=1)
    check_back(back, "via(..., back=...)")
    if isinstance(samples, str | bytes | Mapping) or not isinstance(samples, Sequence):
        raise DeclarationError("via(..., samples=...) needs a list of plain data", remedy="as in samples=[[1, 2]]")
    return Via(kind, parts, made, back, tuple(samples))


class Otherwise(Turn):
    """See `otherwise`."""

    value: Any

    def __str__(self) -> str:
        return f"otherwise({self.value!r})"

    def __hash__(self) -> int:
        return hash(repr(self.value))


def otherwise(value: Any) -> Otherwise:
    """What stands in for a value that is refused; the verdict tells of it in `fallbacks`.

    It is used as it is, and is not copied: give something that does not change.
    """
    return Otherwise(value)
