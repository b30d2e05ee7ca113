"""What is there as long as a service is: begun before the first request, ended after the last (ASGI's lifespan)."""

from __future__ import annotations

import logging
from collections.abc import AsyncIterator, Awaitable, Callable, MutableMapping
from contextlib import AbstractAsyncContextManager, AbstractContextManager, AsyncExitStack, asynccontextmanager
from typing import TYPE_CHECKING, Any

from ..declare.errors import DeclarationError
from ..declare.waiting import check_takes, shown_name

if TYPE_CHECKING:
    from .api import Api

log = logging.getLogger("dutiful_gate.web")
Living = Callable[[], AbstractContextManager[Any] | AbstractAsyncContextManager[Any]]
"""Gives a context manager, plain or `async`, that is entered before the first request and left after the last."""


def checked_lifespan(given: Any) -> Living | None:
    """What an API lives in. Raises DeclarationError for what gives no context manager."""
    if given is not None:
        check_takes(given, f"lifespan={shown_name(given)}", 0)
    living: Living | None = given
    return living


@asynccontextmanager
async def lived(api: Api) -> AsyncIterator[None]:
    """The time in which an API serves: what it lives in is entered before, and left after. Raises what that raises, and
    TypeError for what is no context manager."""
    async with AsyncExitStack() as held:
        if api.lifespan is not None:
            manager: Any = api.lifespan()
            if hasattr(manager, "__aenter__"):
                await held.enter_async_context(manager)
            elif hasattr(manager, "__enter__"):
                held.enter_context(manager)
            else:
                close = getattr(manager, "close", None)  # a coroutine, or a generator
                if close is not None:
                    close()
                raise TypeError(
                    f"lifespan= gave {type(manager).__name__}, which is no context manager: "
                    "write @contextmanager or @asynccontextmanager above its function"
                )
        yield


async def live(
    api: Api,
    receive: Callable[[], Awaitable[MutableMapping[str, Any]]],
    send: Callable[[MutableMapping[str, Any]], Awaitable[None]],
) -> None:
    """Answer a server that tells of its start and its end."""
    await receive()
    begun = False
    try:
        async with lived(api):
            begun = True
            await send({"type": "lifespan.startup.complete"})
            await receive()
    except Exception as error:
        log.error("the %s of the service failed", "end" if begun else "start", exc_info=True)
        await send({"type": f"lifespan.{'shutdown' if begun else 'startup'}.failed", "message": str(error)})
        return
    await send({"type": "lifespan.shutdown.complete"})


def refuse_lifespan(api: Api, where: str) -> None:
    """Raise DeclarationError where nobody tells of a start and an end."""
    if api.lifespan is not None:
        raise DeclarationError(
            f"the Api has lifespan=, and {where} tells of no start and no end",
            remedy="serve it under ASGI, or enter it where your program starts",
        )
