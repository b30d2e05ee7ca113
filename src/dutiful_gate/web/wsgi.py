"""An API as a WSGI application (PEP 3333)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any
from urllib.parse import quote

from ..declare.errors import DeclarationError
from .answers import OutgoingAnswer
from .api import Api
from .endpoint import Served
from .exchange import Exchange
from .head import Head, header_text

_PIECE = 65_536
_PLAIN = "/~!$&'()*+,;=:@-._"
"""What stands in a path as it is (RFC 3986, section 3.3)."""
_BARE = ("CONTENT_TYPE", "CONTENT_LENGTH")
StartResponse = Callable[..., Any]


def wsgi(api: Api) -> Callable[[dict[str, Any], StartResponse], Iterable[bytes]]:
    """The application of an API: `waitress.serve(wsgi(api))`.

    Raises DeclarationError for handlers and checks that are `async`.
    """
    for served in api.served:
        check_plain(served, api)

    def application(environ: dict[str, Any], start_response: StartResponse) -> Iterable[bytes]:
        outgoing, content = answered(api, environ)
        start_response(outgoing.reason, [(name.title(), value) for name, value in outgoing.headers])
        if not content:
            return []
        return [outgoing.body] if isinstance(outgoing.body, bytes) else outgoing.body

    return application


def check_plain(served: Served[Any], api: Api) -> None:
    """Raise DeclarationError for a handler that is `async`, for a check that is, and for the function of a scheme."""
    wanted = api.wanted_of(served.endpoint)
    for scheme in wanted.schemes if wanted is not None else ():
        if scheme.is_async:
            raise DeclarationError(
                f"{served.endpoint!r} asks the function of {scheme.name}, which is async: WSGI waits for nothing",
                remedy="serve it under ASGI, or write a plain function",
            )
    for check in served.endpoint.waits_for:
        if check.is_async:
            raise DeclarationError(
                f"{served.endpoint!r} asks {check.name}, which is async: WSGI waits for nothing",
                remedy="serve it under ASGI, or write a plain function of many values",
            )
    if served.is_async:
        raise DeclarationError(
            f"the handler of {served.endpoint!r} is async, which WSGI knows nothing of",
            remedy="serve it under ASGI, or write it as a plain function",
        )


def answered(api: Api, environ: dict[str, Any], prefix: str = "") -> tuple[OutgoingAnswer, bool]:
    """The answer to the request of a WSGI environment, under a prefix; and whether its content is sent."""
    exchange = api.begin(head_of(environ, prefix))
    if exchange.asks_who:
        exchange.identify()
    if not exchange.settled() and exchange.reads_body:
        for piece in pieces(environ):
            exchange.take(piece)
            if exchange.settled():
                break
    if not exchange.settled():
        exchange.complete()
    if not exchange.settled():
        try:
            with exchange.surroundings():
                result = exchange.served.handler(exchange.request)
        except Exception as error:
            exchange.raised(error)
        else:
            exchange.answer(result)
    outgoing = exchange.outgoing
    assert outgoing is not None
    if isinstance(outgoing.body, bytes) or exchange.without_content:
        exchange.close()
    else:
        outgoing.body = _sent(outgoing.body, exchange)
    return outgoing, not exchange.without_content


def _sent(body: Iterable[bytes], exchange: Exchange) -> Iterator[bytes]:
    """A body in pieces; what came with the request is let go once they are sent."""
    try:
        yield from body
    finally:
        exchange.close()


def head_of(environ: dict[str, Any], prefix: str = "") -> Head:
    """The head of a request, its path without a prefix: as it came where the server tells it, else encoded again."""
    raw = (environ.get("REQUEST_URI") or environ.get("RAW_URI") or "").partition("?")[0]
    mounted = quote(environ.get("SCRIPT_NAME", ""))
    path = quote(_bytes(environ.get("PATH_INFO", "")), safe=_PLAIN)
    if raw.startswith(mounted or "/"):
        path = raw.removeprefix(mounted)
    path = path.removeprefix(prefix)
    headers = [
        (name[5:].replace("_", "-"), header_text(_bytes(value)))
        for name, value in environ.items()
        if name.startswith("HTTP_") and name not in ("HTTP_CONTENT_TYPE", "HTTP_CONTENT_LENGTH")
    ]
    headers += [(name.replace("_", "-"), header_text(_bytes(environ[name]))) for name in _BARE if environ.get(name)]
    return Head(
        environ.get("REQUEST_METHOD", "GET"),
        path or "/",
        environ.get("QUERY_STRING", ""),
        headers,
        peer=environ.get("REMOTE_ADDR", ""),
        scheme=environ.get("wsgi.url_scheme", "http"),
    )


def _bytes(text: str) -> bytes:
    """The bytes that a text of the environment stands for (PEP 3333, "Unicode Issues")."""
    try:
        return text.encode("latin-1")
    except UnicodeEncodeError:
        return text.encode("utf-8", "surrogatepass")


def pieces(environ: dict[str, Any]) -> Iterator[bytes]:
    """The body, piece by piece, as long as its length says, or until the server ends it."""
    stream, length = environ["wsgi.input"], environ.get("CONTENT_LENGTH") or ""
    left = int(length) if length.isascii() and length.isdigit() else None
    if left is None and not environ.get("wsgi.input_terminated"):
        return
    while left is None or left > 0:
        piece = stream.read(_PIECE if left is None else min(_PIECE, left))
        if not piece:
            return
        left = None if left is None else left - len(piece)
        yield piece


__all__ = ["wsgi"]
