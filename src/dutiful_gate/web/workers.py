"""Threads for plain functions, so that none of them holds up the loop of the server."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from functools import cached_property
from typing import Any, Final

from ..declare.errors import DeclarationError

USUAL: Final = 40
"""So many plain functions run at once, unless an API says otherwise."""


class Workers:
    """The threads of one API, made when they are first wanted: in the process that serves."""

    def __init__(self, most: int) -> None:
        """Raises DeclarationError for a number that is none of threads."""
        if most.__class__ is not int or not 1 <= most <= 10_000:
            raise DeclarationError(f"threads={most!r} is no number of threads", remedy="1 to 10,000, as in threads=40")
        self.most = most

    @cached_property
    def _pool(self) -> ThreadPoolExecutor:
        return ThreadPoolExecutor(self.most, thread_name_prefix="dutiful_gate")

    async def run(self, function: Callable[..., Any], *given: Any) -> Any:
        """What a function gives back, in a thread and in the context of who waits for it; raises what it raises."""
        loop = asyncio.get_running_loop()
        result, failed = await loop.run_in_executor(self._pool, copy_context().run, _outcome, function, given)
        if failed is not None:
            raise failed
        return result


class Stopped(Exception):
    """A function raised StopIteration, which no coroutine can raise."""


def _outcome(function: Callable[..., Any], given: tuple[Any, ...]) -> tuple[Any, Exception | None]:
    """What a function returned or raised."""
    try:
        return function(*given), None
    except StopIteration as stopped:
        failed = Stopped("StopIteration")
        failed.__cause__ = stopped
        return None, failed
    except Exception as error:
        return None, error


__all__ = ["USUAL", "Workers"]
