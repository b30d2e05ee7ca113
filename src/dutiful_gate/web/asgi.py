"""An API as an ASGI application (ASGI 3, HTTP)."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Generator, MutableMapping
from functools import partial
from typing import Any
from urllib.parse import quote

from ..declare.waiting import is_async
from .answers import OutgoingAnswer
from .api import Api
from .exchange import Exchange
from .head import Head, header_text
from .refusals import Refusal
from .security.requirement import ToAsk
from .streams import Stream
from .workers import Workers

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
_NOTHING_YET: Message = {"type": "http.request", "more_body": True}
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
    ask = partial(_asked, api.workers)
    try:
        if exchange.asks_who:
            await exchange.identify_awaited(ask)
        if not exchange.settled() and exchange.reads_body:
            # Most bodies are here with their heads: no clock is started for them.
            message, waiting = _at_once(receive())
            taken = waiting is None and _took_all(exchange, message)
            if not taken:
                try:
                    async with asyncio.timeout(seconds):
                        while not taken:
                            message = await (waiting or receive())
                            waiting = None
                            taken = _took_all(exchange, message)
                except TimeoutError:
                    exchange.refuse(Refusal(408, "The body took too long to come."))
            if message["type"] == "http.disconnect":
                return  # the client is gone
        if not exchange.settled():
            await exchange.completed(ask)
        if not exchange.settled():
            await _answered(exchange)
        assert exchange.outgoing is not None
        await _sent(exchange.outgoing, receive, send, content=not exchange.without_content)
    finally:
        exchange.close()


async def _answered(exchange: Exchange) -> None:
    """Call the handler: one that is async here, a plain one in a thread."""
    served = exchange.served
    try:
        with exchange.surroundings():
            if served.is_async:
                result = await served.handler(exchange.request)
            else:
                result = await exchange.api.workers.run(served.handler, exchange.request)
    except Exception as error:
        exchange.raised(error)
    else:
        exchange.answer(result)


async def _asked(workers: Workers, asking: ToAsk) -> Any:
    """What the function of a scheme gives back: one that is async here, a plain one in a thread."""
    if is_async(asking.function):
        return await asking.function(*asking.given)
    return await workers.run(asking.function, *asking.given)


def head_of(scope: Message) -> Head:
    """The head of a request, its path as it came."""
    raw = scope.get("raw_path")
    path = raw.partition(b"?")[0].decode("latin-1") if raw else quote(scope["path"], safe="/~!$&'()*+,;=:@-._")
    mounted = scope.get("root_path", "")
    mounted = quote(mounted) if mounted else ""
    headers = [(name.decode("latin-1"), header_text(value)) for name, value in scope["headers"]]
    if mounted and (path == mounted or path.startswith(f"{mounted.rstrip('/')}/")):
        path = path.removeprefix(mounted.rstrip("/"))
    query = scope.get("query_string", b"").decode("latin-1")
    peer = (scope.get("client") or ("",))[0] or ""
    return Head(scope["method"], path or "/", query, headers, peer=peer, scheme=scope.get("scheme", "http"))


def _took_all(exchange: Exchange, message: Message) -> bool:
    """Hand a piece of the body over. Whether no more is wanted: it ended, there is an answer, the client is gone."""
    if message["type"] == "http.disconnect":
        return True
    if piece := message.get("body", b""):
        exchange.take(piece)
    return exchange.settled() or not message.get("more_body", False)


def _at_once(receiving: Awaitable[Message]) -> tuple[Message, Awaitable[Message] | None]:
    """What a message is that is here already; else what is to be waited for, which has been begun."""
    steps = receiving.__await__()
    try:
        blocked = next(steps)
    except StopIteration as done:
        return done.value, None
    return _NOTHING_YET, _Begun(steps, blocked)


class _Begun:
    """A message that is waited for: what has been begun goes on where it was."""

    def __init__(self, steps: Generator[Any, Any, Message], blocked: Any) -> None:
        self.steps = steps
        self.blocked = blocked

    def __await__(self) -> Generator[Any, Any, Message]:
        blocked = self.blocked
        while True:
            try:
                sent = yield blocked
            except BaseException as error:
                step = partial(self.steps.throw, error)
            else:
                step = partial(self.steps.send, sent)
            try:
                blocked = step()
            except StopIteration as done:
                message: Message = done.value
                return message


async def _sent(outgoing: OutgoingAnswer, receive: Receive, send: Send, *, content: bool) -> None:
    headers = [(name.encode("latin-1"), value.encode("latin-1")) for name, value in outgoing.headers]
    await send({"type": "http.response.start", "status": outgoing.status, "headers": headers})
    if isinstance(outgoing.body, bytes) or not content:
        body = outgoing.body if content and isinstance(outgoing.body, bytes) else b""
        await send({"type": "http.response.body", "body": body})
        return
    stream = Stream(outgoing.body)
    gone = asyncio.ensure_future(_left(receive))
    try:
        while True:
            piece = stream.next()
            waiting: list[asyncio.Future[Any]] = [piece, gone]
            await asyncio.wait(waiting, return_when=asyncio.FIRST_COMPLETED)
            if not piece.done():  # the client left, and nobody waits for the piece any more
                return
            if (told := piece.result()) is None:
                break
            await send({"type": "http.response.body", "body": told, "more_body": True})
        await send({"type": "http.response.body", "body": b""})
    finally:
        stream.close()
        gone.cancel()


async def _left(receive: Receive) -> None:
    """Wait until the client is gone."""
    while (await receive())["type"] != "http.disconnect":
        pass


async def _living(receive: Receive, send: Send) -> None:
    while True:
        message = await receive()
        await send({"type": f"{message['type']}.complete"})
        if message["type"] == "lifespan.shutdown":
            return


__all__ = ["asgi"]
