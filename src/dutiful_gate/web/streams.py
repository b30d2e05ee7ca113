"""Bodies that a handler gives in pieces: plain ones made in a thread, async ones in the loop of the server."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import AsyncIterable, Awaitable, Callable, Coroutine, Iterable
from contextvars import Context, copy_context
from typing import Any, Final, Protocol

from .workers import Worker, Workers

log = logging.getLogger("dutiful_gate.web")


class Lane:
    """The thread of one request: what it opens, its plain handler and its plain pieces run there, one after the other.

    It is taken when it is first wanted, and all that runs there shares a context.
    """

    __slots__ = ("_context", "_worker", "_workers", "handed_on")

    def __init__(self, workers: Workers) -> None:
        self._workers = workers
        self._worker: Worker | None = None
        self._context: Context | None = None
        self.handed_on = False
        """Whether something else leaves it: what is to run there still waits for a piece that may never come."""

    async def run(self, function: Callable[..., Any], *given: Any) -> Any:
        """What a function gives back; raises what it raises."""
        if self._worker is None:
            self._worker = await self._workers.take()
        if self._context is None:
            self._context = copy_context()
        return await self._worker.begin(self._context, function, *given)

    def detach(self) -> None:
        """What runs there from here on may never end: other requests have another thread."""
        if self._worker is None:
            self._worker = Worker()
        else:
            self._worker.detach()

    def leave(self) -> None:
        """The thread is free, as soon as what was begun is done."""
        if self._worker is not None:
            self._worker.leave()
            self._worker = None


class Pieces(Protocol):
    """The pieces of a body, one after the other."""

    are_async: bool

    def next(self) -> Awaitable[bytes | None]:
        """The next piece, None at the end; raises what the handler's own code raises."""
        ...

    async def close(self) -> None:
        """Let go of the body, as soon as the piece that is being made is there."""
        ...


class PlainPieces:
    """Pieces that are made in the thread of the request.

    A piece that never comes holds up no other request, since its thread is none of the pool's any more.
    """

    are_async = False

    def __init__(self, body: Iterable[bytes], lane: Lane, within: Callable[..., Any]) -> None:
        self._step = iter(body)
        self._lane, self._within = lane, within
        lane.detach()

    def next(self) -> Awaitable[bytes | None]:
        return self._lane.run(self._within, next, self._step, None)

    async def close(self) -> None:
        close: Any = getattr(self._step, "close", None)
        if close is not None:
            await self._lane.run(self._within, close)


class AsyncPieces:
    """Pieces that are awaited."""

    are_async = True

    def __init__(self, body: AsyncIterable[bytes]) -> None:
        self._step = aiter(body)

    async def next(self) -> bytes | None:
        return await anext(self._step, None)

    async def close(self) -> None:
        close: Any = getattr(self._step, "aclose", None)
        if close is not None:
            await close()


_ENDING: Final[set[asyncio.Future[None]]] = set()


def let_end(ending: Coroutine[Any, Any, None] | asyncio.Future[None]) -> None:
    """Let something end by itself: nobody waits for it any more, and what it raises is logged."""
    task = asyncio.ensure_future(ending)
    _ENDING.add(task)
    task.add_done_callback(_ended)


def _ended(task: asyncio.Future[None]) -> None:
    _ENDING.discard(task)
    if not task.cancelled() and (failed := task.exception()) is not None:
        log.error("a stream whose client left could not be closed", exc_info=failed)


__all__ = ["AsyncPieces", "Lane", "Pieces", "PlainPieces", "let_end"]
