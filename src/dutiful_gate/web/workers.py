"""Threads for plain functions, so that none of them holds up the loop of the server."""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from contextvars import Context, copy_context
from queue import Empty, SimpleQueue
from threading import Lock, Thread
from typing import Any, Final

from ..declare.errors import DeclarationError

USUAL: Final = 40
"""So many plain functions run at once, unless an API says otherwise."""
_IDLE: Final = 10.0
"""So many seconds a thread waits for work before it ends."""
_Job = tuple[asyncio.AbstractEventLoop, "asyncio.Future[Any]", Context, Callable[..., Any], tuple[Any, ...]]


class Worker:
    """One thread: what it is given runs one after the other, all in the same thread.

    It is a daemon: what never ends holds up no server that is to stop.
    """

    def __init__(self, workers: Workers | None = None) -> None:
        self._workers = workers
        self._jobs: SimpleQueue[_Job | None] = SimpleQueue()
        self._begun = self._done = 0  # each is counted by one thread alone
        Thread(target=self._serve, name="dutiful_gate", daemon=True).start()

    def begin(self, context: Context, function: Callable[..., Any], *given: Any) -> asyncio.Future[Any]:
        """What a function will give back, in a context; raises what it raises."""
        loop = asyncio.get_running_loop()
        made: asyncio.Future[Any] = loop.create_future()
        self._begun += 1
        self._jobs.put((loop, made, context, function, given))
        return made

    def leave(self) -> None:
        """It is free again, as soon as what was begun is done; outside of a pool its thread ends."""
        if self._begun != self._done or self._workers is None:
            self._jobs.put(None)
        else:  # its thread need not wake for that
            self._workers.take_back(self)

    def detach(self) -> None:
        """It is no more of its pool, which may make another in its place: what it does may never end."""
        if self._workers is not None:
            self._workers.lose()
            self._workers = None

    def _serve(self) -> None:
        while True:
            try:
                job = self._jobs.get(timeout=_IDLE)
            except Empty:
                workers = self._workers
                if workers is not None and workers.dismisses(self):
                    return
                continue
            if job is None:
                workers = self._workers
                if workers is None:
                    return
                workers.take_back(self)
                continue
            loop, wanted, context, function, given = job
            result, failed = _outcome(context, function, given)
            self._done += 1
            del job, context, function, given
            with suppress(RuntimeError):  # the loop has ended meanwhile
                loop.call_soon_threadsafe(_settle, wanted, result, failed)
            del loop, wanted, result, failed


class Workers:
    """The threads of one API, made when they are wanted: in the process that serves."""

    def __init__(self, most: int) -> None:
        """Raises DeclarationError for a number that is none of threads."""
        if most.__class__ is not int or not 1 <= most <= 10_000:
            raise DeclarationError(f"threads={most!r} is no number of threads", remedy="1 to 10,000, as in threads=40")
        self.most = most
        self._lock = Lock()
        self._count = 0
        self._idle: deque[Worker] = deque()
        self._waiting: deque[tuple[asyncio.AbstractEventLoop, asyncio.Future[Worker]]] = deque()

    async def take(self) -> Worker:
        """A free thread, once there is one: `leave` it afterwards."""
        with self._lock:
            if self._idle:
                return self._idle.pop()
            if self._count < self.most:
                self._count += 1
                return Worker(self)
            loop = asyncio.get_running_loop()
            wanted: asyncio.Future[Worker] = loop.create_future()
            self._waiting.append((loop, wanted))
        try:
            return await wanted
        except asyncio.CancelledError:
            if wanted.done() and not wanted.cancelled():  # it was handed over in the same moment
                wanted.result().leave()
            raise

    async def run(self, function: Callable[..., Any], *given: Any) -> Any:
        """What a function gives back, in a thread and in the context of who waits for it; raises what it raises."""
        worker = await self.take()
        try:
            return await worker.begin(copy_context(), function, *given)
        finally:
            worker.leave()

    def take_back(self, worker: Worker) -> None:
        """A thread is free: the first who waits has it."""
        with self._lock:
            while self._waiting:
                loop, wanted = self._waiting.popleft()
                if wanted.cancelled():
                    continue
                try:
                    loop.call_soon_threadsafe(self._hand, wanted, worker)
                except RuntimeError:  # that loop has ended
                    continue
                return
            self._idle.append(worker)

    def _hand(self, wanted: asyncio.Future[Worker], worker: Worker) -> None:
        if wanted.done():  # cancelled meanwhile
            worker.leave()
        else:
            wanted.set_result(worker)

    def dismisses(self, worker: Worker) -> bool:
        """Whether a thread that had nothing to do may end."""
        with self._lock:
            if worker not in self._idle:
                return False
            self._idle.remove(worker)
            self._count -= 1
            return True

    def lose(self) -> None:
        """One thread is gone for good, or for long: who waits for one may have another."""
        with self._lock:
            if not any(not wanted.cancelled() for _, wanted in self._waiting):
                self._count -= 1
                return
        self.take_back(Worker(self))


class Stopped(Exception):
    """A function raised StopIteration, which no coroutine can raise."""


def _outcome(
    context: Context, function: Callable[..., Any], given: tuple[Any, ...]
) -> tuple[Any, BaseException | None]:
    """What a function returned or raised."""
    try:
        return context.run(function, *given), None
    except StopIteration as stopped:
        failed = Stopped("StopIteration")
        failed.__cause__ = stopped
        return None, failed
    except BaseException as error:
        return None, error


def _settle(wanted: asyncio.Future[Any], result: Any, failed: BaseException | None) -> None:
    if wanted.done():  # nobody waits any more
        return
    if failed is None:
        wanted.set_result(result)
    else:
        wanted.set_exception(failed)


__all__ = ["USUAL", "Worker", "Workers"]
