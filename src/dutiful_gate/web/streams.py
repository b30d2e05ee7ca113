"""Bodies that a handler gives in pieces, each made in a thread that the server need not wait for."""

from __future__ import annotations

import asyncio
from collections.abc import Iterable
from contextlib import suppress
from queue import SimpleQueue
from threading import Thread
from typing import Any


class Stream:
    """The pieces of a body, one at a time, in a thread of its own.

    A piece that never comes holds up no other request, since no thread of the pool waits for it, and no server that is
    to stop: the thread is a daemon.
    """

    def __init__(self, body: Iterable[bytes]) -> None:
        self._loop = asyncio.get_running_loop()
        self._wanted: SimpleQueue[asyncio.Future[bytes | None] | None] = SimpleQueue()
        Thread(target=self._run, args=(body,), name="dutiful_gate stream", daemon=True).start()

    def next(self) -> asyncio.Future[bytes | None]:
        """What will be the next piece, None at the end; raises what the handler's own code raises."""
        made: asyncio.Future[bytes | None] = self._loop.create_future()
        self._wanted.put(made)
        return made

    def close(self) -> None:
        """Let go of the body, at once or as soon as the piece that is being made is there."""
        self._wanted.put(None)

    def _run(self, body: Iterable[bytes]) -> None:
        step = iter(body)
        while (wanted := self._wanted.get()) is not None:
            piece: bytes | None = None
            failed: BaseException | None = None
            try:
                piece = next(step, None)
            except BaseException as error:
                failed = error
            with suppress(RuntimeError):  # the loop has ended meanwhile
                self._loop.call_soon_threadsafe(_settle, wanted, piece, failed)
        with suppress(Exception):
            close: Any = getattr(step, "close", None)
            if close is not None:
                close()


def _settle(wanted: asyncio.Future[bytes | None], piece: bytes | None, failed: BaseException | None) -> None:
    if wanted.done():  # nobody waits any more
        return
    if failed is None:
        wanted.set_result(piece)
    else:
        wanted.set_exception(failed if not isinstance(failed, StopIteration) else RuntimeError("StopIteration"))
