"""An API as a WSGI application (PEP 3333)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any, TypeVar
from urllib.parse import quote

from ..declare.errors import DeclarationError
from ..declare.waiting import is_async
from ..gates.request import RequestGate
from .answers import OutgoingAnswer
from .api import Api, check_api
from .endpoint import Served
from .exchange import Exchange, note_failed_work
from .head import Head, header_text
from .intake import Intake
from .lifespan import refuse_lifespan
from .negotiation import chosen_language
from .opened import begins_async
from .refusals import RequestProblem, as_problem, told_in

_PIECE = 65_536
_PLAIN = "/~!$&'()*+,;=:@-._"
"""What stands in a path as it is (RFC 3986, section 3.3)."""
_BARE = ("CONTENT_TYPE", "CONTENT_LENGTH")
StartResponse = Callable[..., Any]
R = TypeVar("R")


def wsgi(api: Api) -> Callable[[dict[str, Any], StartResponse], Iterable[bytes]]:
    """The application of an API: `waitress.serve(wsgi(api))`.

    Raises DeclarationError for handlers and checks that are `async`.
    """
    check_api(api)
    refuse_lifespan(api, "WSGI")
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
    if is_async(served.endpoint.version_of):
        raise DeclarationError(
            f"the version of {served.endpoint!r} is told by a function that is async: WSGI waits for nothing",
            remedy="serve it under ASGI, or write a plain function",
        )
    for opening in api.opened_for(served.endpoint):
        if begins_async(opening):
            raise DeclarationError(
                f"what opens {opening.of} for {served.endpoint!r} is async: WSGI waits for nothing",
                remedy="serve it under ASGI, or write it as a plain @contextmanager",
            )
    if served.is_async or served.gives_pieces_later:
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
    if not exchange.settled() and exchange.asks_who:
        exchange.identify(exchange.raw)
    if not exchange.settled():
        _handled(exchange)
    outgoing = exchange.outgoing
    assert outgoing is not None
    if exchange.without_content or (isinstance(outgoing.body, bytes) and not exchange.afterwards):
        exchange.close()
        _worked(exchange)
    else:
        outgoing.body = _Sending(outgoing.body, exchange)
    return outgoing, not exchange.without_content


def viewed_at_once(
    gate: RequestGate[R], head: Head, names: Mapping[str, Any], body: Iterable[bytes], view: Callable[[R], Any]
) -> Any:
    """What a view gives for the parts of a request that it reads, or the answer that refuses them.

    `names` are those of the path, as the framework read them; `body` is gone through only where a part of it is read.
    """
    try:
        intake = Intake(gate, head, {name: str(value) for name, value in names.items()})
        intake.weigh()
        for piece in body if intake.reads else ():
            intake.take(piece)
        sent = intake.request()
    except RequestProblem as problem:
        return told_in(chosen_language(head.header("accept-language"), ()), problem.refusal, as_problem)
    try:
        return view(sent)
    finally:
        intake.close()


def _handled(exchange: Exchange) -> None:
    """Read the request and call the handler, with what is opened for it, and closed before a whole answer is sent."""
    opened = exchange.opened
    error: BaseException | None = None
    try:
        if opened is not None:
            opened.open(exchange.head)
            exchange.hand_over(opened.values)
        exchange.complete()
        if not exchange.settled():
            try:
                if exchange.asks_version:
                    exchange.judge(exchange.within(exchange.version_of, exchange.request))
                if not exchange.settled():
                    exchange.answer(exchange.within(exchange.served.handler, exchange.request))
            except Exception as raised:
                exchange.raised(raised)
            if exchange.comes_later:
                raise TypeError("the handler gave pieces that are async, which WSGI knows nothing of")
    except Exception as failed:
        exchange.failed(failed)
        error = failed
    except BaseException as left:  # the server stops
        if opened is not None:
            opened.close(left)
        raise
    if opened is not None and not exchange.is_streamed:
        try:
            opened.close(error or exchange.problem)
        except Exception as failed:
            exchange.failed(failed)


class _Sending:
    """A body, whole or in pieces, as a server goes through it; `close` lets go of it, also where none was asked for.

    What was opened and what came is let go then, and the work after the answer begins.
    """

    def __init__(self, body: Any, exchange: Exchange) -> None:
        self._step = iter([body] if isinstance(body, bytes) else body)
        self._exchange = exchange
        self._has_ended = False

    def __iter__(self) -> Iterator[bytes]:
        return self

    def __next__(self) -> bytes:
        try:
            piece: bytes | None = self._exchange.within(next, self._step, None)
        except BaseException as error:
            self._end(error)
            raise
        if piece is None:
            self._end(None)
            raise StopIteration
        return piece

    def close(self) -> None:
        """Let go of it (PEP 3333): before its end the client left."""
        self._end(GeneratorExit())

    def _end(self, error: BaseException | None) -> None:
        if self._has_ended:
            return
        self._has_ended = True
        exchange = self._exchange
        try:
            if (close := getattr(self._step, "close", None)) is not None:
                exchange.within(close)
        finally:
            try:
                if exchange.opened is not None:
                    exchange.opened.close(error)
            finally:
                exchange.close()
        _worked(exchange)


def _worked(exchange: Exchange) -> None:
    """Do the work after the answer; what it raises is logged."""
    for work in exchange.afterwards:
        try:
            work()
        except Exception as error:
            note_failed_work(exchange.endpoint, error)


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
        mount=mounted.rstrip("/") + prefix,
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
