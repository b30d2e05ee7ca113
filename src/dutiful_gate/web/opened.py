"""What an API opens for a request, such as a session of a database, and closes with it."""

from __future__ import annotations

import asyncio
import inspect
from collections.abc import Awaitable, Callable, Sequence
from typing import TYPE_CHECKING, Any

from ..declare.carried import identity
from ..declare.errors import DeclarationError
from ..declare.outside import HandedOver, Opening
from ..declare.waiting import is_async, let_go, waits

if TYPE_CHECKING:
    from .head import Head

InThread = Callable[..., Awaitable[Any]]


class Opened:
    """The values of one request: opened one after the other, closed the other way round."""

    def __init__(self, openings: Sequence[Opening[Any]]) -> None:
        self.openings = openings
        self.values: list[HandedOver] = []
        self._exits: list[Callable[..., Any]] = []

    def open(self, head: Head) -> None:
        """Open all of them here; raises what opening raises."""
        for each in self.openings:
            came = _sure(each, each.function(*_given(each, head)))
            self.values.append(each.of(self._entered(came) if hasattr(type(came), "__enter__") else came))

    def _entered(self, manager: Any) -> Any:
        """What a context manager gives; it is left afterwards, also where nobody waits for that any more."""
        leave = manager.__exit__
        entered = manager.__enter__()
        self._exits.append(leave)
        return entered

    async def open_later(self, head: Head, in_thread: InThread) -> None:
        """The same, what is async awaited here, what is plain in a thread."""
        for each in self.openings:
            given = _given(each, head)
            if is_async(each.function):
                came = await each.function(*given)
            elif begins_async(each):
                came = each.function(*given)
            else:
                came = await in_thread(each.function, *given)
            came = _sure(each, came)
            if hasattr(type(came), "__aenter__"):
                entered = await came.__aenter__()
                self._exits.append(came.__aexit__)
            elif hasattr(type(came), "__enter__"):
                entered = await in_thread(self._entered, came)
            else:
                entered = came
            self.values.append(each.of(entered))

    def close(self, error: BaseException | None) -> None:
        """Close all that were opened, also where closing one fails; raises what the first raises."""
        failed: Exception | None = None
        while self._exits:
            try:
                self._exits.pop()(*_told(error or failed))
            except Exception as problem:
                failed = failed or problem
        if failed is not None and failed is not error:
            raise failed

    async def close_later(self, error: BaseException | None, in_thread: InThread) -> None:
        """The same, what is async awaited here, what is plain in the thread where it was opened."""
        failed: Exception | None = None
        if isinstance(error, asyncio.CancelledError):  # something may be being opened there still
            await in_thread(bool)
        while self._exits:
            leave = self._exits.pop()
            try:
                if is_async(leave):
                    await leave(*_told(error or failed))
                else:
                    came = await in_thread(leave, *_told(error or failed))
                    if waits(came):
                        await came
            except Exception as problem:
                failed = failed or problem
        if failed is not None and failed is not error:
            raise failed


def begins_async(opening: Opening[Any]) -> bool:
    """Whether something is opened that has to be awaited, as far as its function tells."""
    function = inspect.unwrap(opening.function)
    return is_async(opening.function) or inspect.isasyncgenfunction(function)


def checked_openings(openings: Sequence[Any]) -> tuple[Opening[Any], ...]:
    """The openings of an API. Raises DeclarationError for what is none, and for two of one value."""
    given: Any = openings
    if not isinstance(given, Sequence) or not all(isinstance(each, Opening) for each in openings):
        remedy = "as in opens=[session.opened_by(open_session)]"
        raise DeclarationError(f"opens={openings!r} opens nothing", remedy=remedy)
    names = [each.of.name for each in openings]
    if identity.name in names:
        raise DeclarationError("who asks is told by schemes, and not opened", remedy="write security=Bearer(...)")
    for name in names:
        if names.count(name) > 1:
            raise DeclarationError(f"{name} is opened twice", remedy="leave one out")
    return tuple(openings)


def _given(opening: Opening[Any], head: Head) -> tuple[Any, ...]:
    return (head,) if opening.takes_head else ()


def _sure(opening: Opening[Any], came: Any) -> Any:
    if waits(came):
        let_go(came)
        raise TypeError(f"what opens {opening.of} gave something back that waits: write it as @contextmanager")
    return came


def _told(error: BaseException | None) -> tuple[Any, Any, Any]:
    return (None, None, None) if error is None else (type(error), error, error.__traceback__)


__all__ = ["Opened", "begins_async", "checked_openings"]
