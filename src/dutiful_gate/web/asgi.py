"""An API as an ASGI application (ASGI 3, HTTP)."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Iterable, MutableMapping
from typing import Any
from urllib.parse import quote

from .answers import Outgoing
from .api import Api
from .exchange import Exchange
from .head import Head, header_text
from .refusals import Refusal

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
SLOWEST = 30.0
"""So many seconds a whole body may take."""


def asgi(api: Api, *, seconds: float = SLOWEST) -> Callable[[Message, Receive, Send], Awaitable[None]]:
    """The application of an API: `uvicorn.run(asgi(api))`. Plain handlers run in threads.

    `seconds` is how long a whole body may take to come: 408 after that.
    """

    async def application(scope: Message, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await _living(receive, send)
            return
        if scope["type"] != "http":
            raise NotImplementedError(f"nothing here answers {scope['type']!r}")
        await handle(api, scope, receive, send, seconds)

    return application


async def handle(api: Api, scope: Message, receive: Receive, send: Send, seconds: float = SLOWEST) -> None:
    """Answer one request."""
    exchange = api.begin(head_of(scope))
    try:
        if not exchange.settled() and exchange.reads_body:
            try:
                async with asyncio.timeout(seconds):
                    if not await _read(exchange, receive):
                        return  # the client is gone
            except TimeoutError:
                exchange.refuse(Refusal(408, "The body took too long to come."))
        if not exchange.settled():
            exchange.complete()
        if not exchange.settled():
            await _answered(exchange)
        assert exchange.outgoing is not None
        await _sent(exchange.outgoing, send, content=not exchange.without_content)
    finally:
        exchange.close()


async def _answered(exchange: Exchange) -> None:
    """Call the handler: one that is async here, a plain one in a thread."""
    served = exchange.served
    try:
        if served.is_async:
            result = await served.handler(exchange.request)
        else:
            result = await asyncio.to_thread(served.handler, exchange.request)
    except Exception as error:
        exchange.raised(error)
    else:
        exchange.answer(result)


def head_of(scope: Message) -> Head:
    """The head of a request, its path as it came."""
    raw = scope.get("raw_path")
    path = raw.partition(b"?")[0].decode("latin-1") if raw else quote(scope["path"], safe="/~!$&'()*+,;=:@-._")
    mounted = scope.get("root_path", "")
    mounted = quote(mounted) if mounted else ""
    headers = [(name.decode("latin-1"), header_text(value)) for name, value in scope["headers"]]
    path = path.removeprefix(mounted) if mounted and path.startswith(mounted) else path
    return Head(scope["method"], path or "/", scope.get("query_string", b"").decode("latin-1"), headers)


async def _read(exchange: Exchange, receive: Receive) -> bool:
    """Hand the body over, until it ends or there is an answer; whether the client is still there."""
    while True:
        message = await receive()
        if message["type"] == "http.disconnect":
            return False
        if piece := message.get("body", b""):
            exchange.take(piece)
        if exchange.settled() or not message.get("more_body", False):
            return True


async def _sent(outgoing: Outgoing, send: Send, *, content: bool) -> None:
    headers = [(name.encode("latin-1"), value.encode("latin-1")) for name, value in outgoing.headers]
    await send({"type": "http.response.start", "status": outgoing.status, "headers": headers})
    if isinstance(outgoing.body, bytes) or not content:
        body = outgoing.body if content and isinstance(outgoing.body, bytes) else b""
        await send({"type": "http.response.body", "body": body})
        return
    pieces: Iterable[bytes] = outgoing.body
    step = iter(pieces)
    while (piece := await asyncio.to_thread(next, step, None)) is not None:
        await send({"type": "http.response.body", "body": piece, "more_body": True})
    await send({"type": "http.response.body", "body": b""})


async def _living(receive: Receive, send: Send) -> None:
    while True:
        message = await receive()
        await send({"type": f"{message['type']}.complete"})
        if message["type"] == "lifespan.shutdown":
            return


__all__ = ["asgi"]
