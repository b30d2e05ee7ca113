"""Checks that wait: what they have answered in one window, a payload or a few records of a feed.

Theory of operation. A gate judges data as if every check that waits had said yes, and each check notes what it was
asked (`Answers.unknown`). Then the checks are asked, together, each value once. Where all said yes, what the gate made
of the data stands; else the data is judged again, with the answers at hand: a check is then a rule like any other, so
that faults, their order and their places are those of the engine. Who asks, and whether it waits, stands in `gates`.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Hashable, Iterable, Iterator, Set
from contextlib import contextmanager
from contextvars import ContextVar
from enum import Enum
from typing import Any, Final, TypeVar

from .errors import DeclarationError
from .sealed import Sealed
from .values import Value
from .waiting import shown_name

R = TypeVar("R")
Answer = bool | ValueError
"""Whether a value is sound, or why it is not."""


class Answers:
    """What is known in one window, and what was asked for in vain.

    `unknown`   by check, the values that it was asked about, by what tells them apart
    `resolves`  whether an engine that meets an unknown one has it asked at once: where data is judged the last time
    """

    def __init__(self) -> None:
        self.resolves = False
        self.unknown: dict[Hashable, tuple[Any, dict[Hashable, Any]]] = {}
        self._known: dict[Hashable, dict[Hashable, Answer]] = {}

    def said(self, check: Any, value: Any) -> Answer:
        """What a check says of a value; yes, where it is not known yet."""
        key = told_apart(value)
        mark = check.mark
        answer = self._known.get(mark, {}).get(key)
        if answer is None:
            self.unknown.setdefault(mark, (check, {}))[1][key] = value
            return True
        return answer

    def taken(self) -> list[tuple[Any, dict[Hashable, Any]]]:
        """The checks that are to be asked now, with the values by what tells them apart."""
        waiting, self.unknown = list(self.unknown.values()), {}
        return waiting

    def keep(self, check: Any, answers: Iterable[tuple[Hashable, Answer]]) -> bool:
        """Keep what a check has answered. Whether it said no to any."""
        known = self._known.setdefault(check.mark, {})
        refused = False
        for key, answer in answers:
            known[key] = answer
            refused = refused or answer is not True
        return refused


class Assumed(Answers):
    """Every check says yes: for samples and proofs, which ask nobody."""

    def said(self, check: Any, value: Any) -> Answer:
        return True


_ANSWERS: Final[ContextVar[Answers | None]] = ContextVar("answers of checks that wait", default=None)
answers_here: Final = _ANSWERS.get
"""Gives the answers of the window that is open here and now; None where none is."""


@contextmanager
def answered_by(answers: Answers) -> Iterator[None]:
    """Judge data with some answers at hand."""
    token = _ANSWERS.set(answers)
    try:
        yield
    finally:
        _ANSWERS.reset(token)


class Asked:
    """A check as generated code and records ask it: its answer, from the window at hand."""

    def __init__(self, check: Any) -> None:
        self.check = check
        self.__name__ = self.__qualname__ = shown_name(check.function)

    def __call__(self, value: Any) -> bool:
        """Whether the value is sound. Raises ValueError with the words of one that is not, where there are some."""
        answers = answers_here()
        if answers is None:
            raise TypeError(f"{self.__name__} waits: it is asked through the verbs of a gate, and by nothing else")
        said = answers.said(self.check, value)
        if isinstance(said, ValueError):
            raise said.with_traceback(None)
        return said


class AskedOfRecord(Asked):
    """The same of a check of whole records, whose own words are those of its fault."""

    def __init__(self, check: Any) -> None:
        words = check.own_words
        if words is not None and "{" in words:
            raise DeclarationError(
                f"says({words!r}) of a check of a record has words in braces, which stand for nothing there",
                remedy="leave them out, or let the check raise Wrong with its words",
            )
        super().__init__(check)

    def __call__(self, value: Any) -> bool:
        """Whether the record is sound. Raises ValueError with words for one that is not."""
        sound = super().__call__(value)
        if not sound and self.check.own_words is not None:
            raise ValueError(self.check.own_words)
        return sound


def found_waiting(held: Any) -> Iterator[Any]:
    """The checks that wait in a rule, a condition or what is made of them."""
    if isinstance(held, Asked):
        yield held.check
    elif getattr(held, "waits_for_answers", False):
        yield held
    else:
        if isinstance(held, Value):
            held = tuple(vars(held).values())
        if isinstance(held, tuple | list):
            for each in held:
                yield from found_waiting(each)


_MADE: Final[list[Callable[..., Any]]] = []


def is_waiting_anywhere() -> bool:
    """Whether this program has declared any: most have none, and look for none."""
    return bool(_MADE)


def note_made(function: Callable[..., Any]) -> None:
    """Say that there is a check that waits."""
    _MADE.append(function)


_PLAIN: Final = frozenset([str, int, float, bool, bytes, type(None)])


def told_apart(value: Any) -> Hashable:
    """What tells values apart that may be read again from the same data: their classes, and what they hold.

    Raises TypeError for an object of a class that says neither what equals it nor what it holds.
    """
    kind = value.__class__
    if kind in _PLAIN:
        return kind, value
    if isinstance(value, Enum):
        return kind, value.name
    if isinstance(value, list | tuple | deque):
        return kind, tuple(map(told_apart, value))
    if isinstance(value, dict):
        return kind, tuple((told_apart(key), told_apart(held)) for key, held in value.items())
    if isinstance(value, Set):
        return kind, frozenset(map(told_apart, value))
    if kind is Sealed:
        return kind, told_apart(value.opened())
    if kind.__module__ == "zoneinfo":  # which has one object for each name, and no equality besides
        return kind, str(value)
    fields = getattr(kind, "__dataclass_fields__", None)
    if fields is not None:
        return kind, tuple(told_apart(getattr(value, name, None)) for name in fields)
    if kind.__hash__ not in (None, object.__hash__):
        return kind, value
    if hasattr(value, "__dict__"):
        return kind, tuple((name, told_apart(held)) for name, held in vars(value).items())
    raise TypeError(
        f"a check that waits is asked about {kind.__name__}, whose values cannot be told apart: give it __eq__"
    )
