"""An API as an ASGI application (ASGI 3, HTTP)."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Generator, MutableMapping
from functools import partial
from typing import Any
from urllib.parse import quote

from ..declare.waiting import is_async
from .api import Api, check_api
from .exchange import Exchange, note_failed_work
from .head import Head, header_text
from .lifespan import live
from .refusals import Refusal
from .security.requirement import ToAsk
from .streams import AsyncPieces, Lane, Pieces, PlainPieces, let_end
from .workers import Workers

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
_NOTHING_YET: Message = {"type": "http.request", "more_body": True}
_LAST_WORDS = 5.0
"""So many seconds an async body has to end once its client left."""
SLOWEST = 30.0
"""So many seconds a whole body may take."""


def asgi(api: Api, *, seconds: float = SLOWEST) -> Callable[[Message, Receive, Send], Awaitable[None]]:
    """The application of an API: `uvicorn.run(asgi(api))`. Plain handlers run in threads.

    `seconds` is how long a whole body may take to come: 408 after that.
    """

    check_api(api)

    async def application(scope: Message, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await live(api, receive, send)
            return
        if scope["type"] != "http":
            raise NotImplementedError(f"nothing here answers {scope['type']!r}")
        await handle(api, scope, receive, send, seconds)

    return application


async def handle(
    api: Api, scope: Message, receive: Receive, send: Send, seconds: float = SLOWEST, *, prefix: str = ""
) -> None:
    """Answer one request, under a prefix of the path."""
    exchange = api.begin(head_of(scope, prefix))
    lane = Lane(api.workers)
    try:
        if exchange.asks_who:
            await exchange.identify_awaited(partial(_asked, api.workers))
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
        if not exchange.settled() and exchange.asks_who:
            await exchange.identify_awaited(partial(_asked, api.workers), exchange.raw)
        if not exchange.settled():
            await _answered(exchange, lane)
        await _sent(exchange, receive, send, lane)
    finally:
        if not lane.handed_on:
            lane.leave()
        exchange.close()
    if not lane.handed_on:
        await _worked(exchange)


async def _answered(exchange: Exchange, lane: Lane) -> None:
    """Read the request and call the handler, with what is opened for it, and closed before a whole answer is sent."""
    opened = exchange.opened
    if opened is None:
        await exchange.completed()
        if not exchange.settled():
            await _handled(exchange, lane)
        return
    error: BaseException | None = None
    try:
        await opened.open_later(exchange.head, lane.run)
        exchange.hand_over(opened.values)
        if exchange.endpoint.gate.asks_elsewhere or exchange.served.is_async:
            await exchange.completed()
        else:
            await lane.run(exchange.complete)
        if not exchange.settled():
            await _handled(exchange, lane)
    except Exception as failed:
        exchange.failed(failed)
        error = failed
    except BaseException as left:  # the server stops, or nobody waits any more
        lane.handed_on = True
        let_end(_ended(exchange, None, lane, left, works=False))
        raise
    if not exchange.is_streamed:
        try:
            await opened.close_later(error or exchange.problem, lane.run)
        except Exception as failed:
            exchange.failed(failed)


async def _handled(exchange: Exchange, lane: Lane) -> None:
    """Judge the conditions of the request, and call the handler: one that is async here, a plain one in a thread."""
    served = exchange.served
    try:
        if exchange.asks_version:
            if is_async(exchange.version_of):
                with exchange.surroundings():
                    version = await exchange.version_of(exchange.request)
            else:
                version = await lane.run(exchange.within, exchange.version_of, exchange.request)
            exchange.judge(version)
        if exchange.settled():
            return
        if served.is_async:
            with exchange.surroundings():
                result = await served.handler(exchange.request)
        elif served.gives_pieces_later:
            result = served.handler(exchange.request)
        else:
            result = await lane.run(exchange.within, served.handler, exchange.request)
    except Exception as error:
        exchange.raised(error)
        return
    if exchange.opened is None or served.is_async:
        exchange.answer(result)
    else:  # what goes out may be read from what was opened
        await lane.run(exchange.answer, result)


async def _worked(exchange: Exchange) -> None:
    """Do the work after the answer; what it raises is logged."""
    for work in exchange.afterwards:
        try:
            if is_async(work):
                await work()
            else:
                await exchange.api.workers.run(work)
        except Exception as error:
            note_failed_work(exchange.endpoint, error)


async def _asked(workers: Workers, asking: ToAsk) -> Any:
    """What the function of a scheme gives back: one that is async here, a plain one in a thread."""
    if is_async(asking.function):
        return await asking.function(*asking.given)
    return await workers.run(asking.function, *asking.given)


def head_of(scope: Message, prefix: str = "") -> Head:
    """The head of a request, its path as it came, without what it is mounted under and a prefix."""
    raw = scope.get("raw_path")
    path = raw.partition(b"?")[0].decode("latin-1") if raw else quote(scope["path"], safe="/~!$&'()*+,;=:@-._")
    mounted = scope.get("root_path", "")
    mounted = quote(mounted).rstrip("/") if mounted else ""
    headers = [(name.decode("latin-1"), header_text(value)) for name, value in scope["headers"]]
    if mounted and (path == mounted or path.startswith(f"{mounted}/")):
        path = path.removeprefix(mounted)
    if prefix and (path == prefix or path.startswith(f"{prefix}/")):
        path, mounted = path.removeprefix(prefix), mounted + prefix
    query = scope.get("query_string", b"").decode("latin-1")
    peer = (scope.get("client") or ("",))[0] or ""
    scheme = scope.get("scheme", "http")
    return Head(scope["method"], path or "/", query, headers, peer=peer, scheme=scheme, mount=mounted)


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


async def _sent(exchange: Exchange, receive: Receive, send: Send, lane: Lane) -> None:
    outgoing, content = exchange.outgoing, not exchange.without_content
    assert outgoing is not None
    headers = [(name.encode("latin-1"), value.encode("latin-1")) for name, value in outgoing.headers]
    start = {"type": "http.response.start", "status": outgoing.status, "headers": headers}
    if not exchange.is_streamed:
        await send(start)
        body = outgoing.body if content and isinstance(outgoing.body, bytes) else b""
        await send({"type": "http.response.body", "body": body})
        return
    error: BaseException | None = None
    pieces: Pieces | None = None
    left = False
    try:
        await send(start)
        with exchange.surroundings():
            pieces = _pieces_of(outgoing.body, exchange, lane)
            left = await _streamed(pieces, receive, send)
        if left:
            error = GeneratorExit()
    except BaseException as failed:
        error = failed
        left = left or not isinstance(failed, Exception)
        raise
    finally:
        ending = _ended(exchange, pieces, lane, error, works=left)
        # A plain piece that is being made may never come.
        if left and (pieces is None or not pieces.are_async or not isinstance(error, GeneratorExit)):
            lane.handed_on = True
            let_end(ending)
        else:
            await ending
    if not left:
        await send({"type": "http.response.body", "body": b""})


def _pieces_of(body: Any, exchange: Exchange, lane: Lane) -> Pieces:
    if hasattr(body, "__aiter__"):
        return AsyncPieces(body)
    return PlainPieces(body, lane, exchange.within)


async def _streamed(pieces: Pieces, receive: Receive, send: Send) -> bool:
    """Send all pieces. Whether the client left before the end."""
    gone = asyncio.ensure_future(_left(receive))
    sending = asyncio.ensure_future(_each_sent(pieces, send))
    try:
        waiting: list[asyncio.Future[Any]] = [sending, gone]
        await asyncio.wait(waiting, return_when=asyncio.FIRST_COMPLETED)
        if not sending.done():
            return True
        sending.result()
        return False
    finally:
        gone.cancel()
        if not sending.done():
            sending.cancel()
            await asyncio.wait([sending], timeout=_LAST_WORDS)


async def _each_sent(pieces: Pieces, send: Send) -> None:
    """Send each piece, which is wanted once the last one is sent; all in one task, to which what is opened inside of an
    async body may be bound."""
    try:
        while (piece := await pieces.next()) is not None:
            await send({"type": "http.response.body", "body": piece, "more_body": True})
    finally:
        if pieces.are_async:
            await pieces.close()


async def _ended(
    exchange: Exchange, pieces: Pieces | None, lane: Lane, error: BaseException | None, *, works: bool
) -> None:
    """Close the body, and then what was opened for it; and do the work after the answer, where nobody else does."""
    try:
        if pieces is not None:
            await pieces.close()
    finally:
        try:
            if exchange.opened is not None:
                await exchange.opened.close_later(error, lane.run)
        finally:
            lane.leave()
    if works:
        await _worked(exchange)


async def _left(receive: Receive) -> None:
    """Wait until the client is gone."""
    while (await receive())["type"] != "http.disconnect":
        pass


__all__ = ["asgi"]
