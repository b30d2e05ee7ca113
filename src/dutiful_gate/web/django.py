"""An API, one endpoint or one part of a request, in a project of Django; needs the extra `django`.

Django's ASGI handler reads a whole body before it calls a view, and lets go of a plain stream only once it is told to:
docs/requests.md lists what differs.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import AsyncIterator, Callable, Iterator, MutableMapping
from functools import wraps
from typing import Any, TypeVar

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.urls import URLPattern, re_path

from ..gates.request import RequestGate
from .answering import NO_BODY
from .answers import OutgoingAnswer
from .api import Api, check_api
from .asgi import handle
from .asgi import head_of as head_of_scope
from .endpoint import Served
from .head import Head
from .intake import check_carries_nothing
from .lifespan import refuse_lifespan
from .streams import let_end
from .wsgi import answered, check_plain, head_of, pieces, viewed_at_once

R = TypeVar("R")
_PIECE = 65_536


def mounted(api: Api, prefix: str = "", *, asgi: bool = False) -> URLPattern:
    """The whole of an API under a prefix: `urlpatterns = [mounted(api, "freight")]`.

    With `asgi`, for a project that Django's ASGI handler serves: handlers may be `async`, plain ones run in threads.
    Without it, for one under WSGI. What comes for it passes no check of Django's for forged forms: an Api looks after
    pages of other sites itself. Raises DeclarationError for handlers that are `async` under WSGI.
    """
    under = "/" + prefix.strip("/") if prefix.strip("/") else ""
    pattern = f"(?s)^{re.escape(under[1:])}(?:/.*)?$" if under else "(?s)^.*$"
    return re_path(pattern, view(api, under, asgi=asgi))


def route(api: Api, served: Served[Any], *, asgi: bool = False) -> URLPattern:
    """One endpoint of an API beside the views of a project, at its path."""
    parts = ("[^/]+" if is_name else re.escape(word) for word, is_name in served.endpoint.path.segments)
    return re_path(f"(?s)^{'/'.join(parts)}$", view(api, asgi=asgi), name=served.endpoint.name)


def view(api: Api, prefix: str = "", *, asgi: bool = False) -> Callable[..., Any]:
    """An API as a view, for URL patterns of your own; `prefix` is what stands before its paths, such as "/freight"."""
    check_api(api)
    refuse_lifespan(api, "Django")
    if asgi:

        async def answers_later(request: HttpRequest, **names: Any) -> HttpResponseBase:
            return await _answered_later(api, _scope_of(request), request, prefix)

        made: Any = answers_later
    else:
        for served in api.served:
            check_plain(served, api)

        def answers(request: HttpRequest, **names: Any) -> HttpResponseBase:
            return _response(*answered(api, _environ_of(request), prefix))

        made = answers
    made.csrf_exempt = True  # forged forms are refused by what browsers say of their page: `Api(origins=)`
    answering: Callable[..., Any] = made
    return answering


def reading(gate: RequestGate[R]) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """One part of a request, or several, as the second argument of a plain view; what is refused never comes to it.

    @reading(RequestGate(SearchSailings))
    def sailings(request: HttpRequest, sent: SearchSailings) -> HttpResponse: ...
    """
    check_carries_nothing(gate)

    def reads(view: Callable[..., Any]) -> Callable[..., Any]:
        @wraps(view)
        def viewed(request: HttpRequest, **names: Any) -> Any:
            found = viewed_at_once(
                gate, _head_of(request), names, _pieces(request), lambda sent: view(request, sent, **names)
            )
            return _response(found, content=True) if isinstance(found, OutgoingAnswer) else found

        return viewed

    return reads


def _environ_of(request: HttpRequest) -> dict[str, Any]:
    environ: dict[str, Any] | None = getattr(request, "environ", None)
    if environ is None:
        raise RuntimeError("this project is served under ASGI: write mounted(api, asgi=True)")
    _refuse_read_form(request)
    if hasattr(request, "_body"):  # something before the view has read it
        import io

        return {**environ, "wsgi.input": io.BytesIO(request.body), "CONTENT_LENGTH": str(len(request.body))}
    return environ


def _refuse_read_form(request: HttpRequest) -> None:
    """Raise RuntimeError where something before the view has read the body and kept none of it."""
    if getattr(request, "_read_started", False) and not hasattr(request, "_body"):
        raise RuntimeError(
            "a middleware has read this form before the view, as request.POST does: leave what an Api takes to it"
        )


def _scope_of(request: HttpRequest) -> MutableMapping[str, Any]:
    scope: MutableMapping[str, Any] | None = getattr(request, "scope", None)
    if scope is None:
        raise RuntimeError("this project is served under WSGI: write mounted(api), without asgi=True")
    _refuse_read_form(request)
    return scope


def _head_of(request: HttpRequest) -> Head:
    scope = getattr(request, "scope", None)
    return head_of(request.environ) if scope is None else head_of_scope(scope)


def _pieces(request: HttpRequest) -> Iterator[bytes]:
    if hasattr(request, "_body"):
        yield request.body
    elif hasattr(request, "environ"):
        yield from pieces(request.environ)
    else:
        while piece := request.read(_PIECE):
            yield piece


class _HeaderLines:
    """Beside a response of Django, which has one value for each header: those of several lines, and cookies."""

    lines: dict[str, list[str]]

    def tell(self: Any, headers: tuple[tuple[str, str], ...]) -> None:
        """Put in the headers of an answer, and no others."""
        self.lines = {}
        del self["content-type"]
        for name, value in headers:
            if name == "set-cookie":
                dict.__setitem__(self.cookies, f"{len(self.cookies)} {value}", _CookieLine(value))
            else:
                self.lines.setdefault(name, []).append(value)
        for name, values in self.lines.items():
            self[name.title()] = ", ".join(values)

    def items(self: Any) -> Iterator[tuple[str, str]]:
        """Its headers as they go out: those that nobody changed since line by line."""
        for name, value in super().items():  # type: ignore[misc]
            lines = self.lines.get(name.lower(), [])
            for line in lines if ", ".join(lines) == value else [value]:
                yield name, line


class _WholeResponse(_HeaderLines, HttpResponse):  # type: ignore[misc]
    """An answer that is there as a whole."""


class _StreamedResponse(_HeaderLines, StreamingHttpResponse):  # type: ignore[misc]
    """One in pieces."""


class _CookieLine:
    """A cookie as it is written, where Django has morsels."""

    def __init__(self, line: str) -> None:
        self.line = line

    def output(self, header: str = "") -> str:
        """The line."""
        return f"{header} {self.line}".strip()


def _response(outgoing: OutgoingAnswer, content: bool) -> HttpResponseBase:
    body = outgoing.body if content else b""
    made: Any = _WholeResponse(body) if isinstance(body, bytes) else _StreamedResponse(body)
    made.status_code = outgoing.status
    made.tell(outgoing.headers)
    response: HttpResponseBase = made
    return response


async def _answered_later(api: Api, scope: MutableMapping[str, Any], request: HttpRequest, prefix: str) -> Any:
    """The answer to a request under ASGI: whole, or in pieces, which are those that have no length."""
    sent: asyncio.Queue[MutableMapping[str, Any]] = asyncio.Queue(1)
    gone = asyncio.Event()
    ended = False

    async def receive() -> MutableMapping[str, Any]:
        nonlocal ended
        if ended:
            await gone.wait()
            return {"type": "http.disconnect"}
        piece = request.body if hasattr(request, "_body") else request.read(_PIECE)
        ended = hasattr(request, "_body") or not piece
        return {"type": "http.request", "body": piece, "more_body": not ended}

    task = asyncio.ensure_future(handle(api, scope, receive, sent.put, prefix=prefix))
    try:
        start = await _next(sent, task)
        if start is None:  # the client is gone
            return HttpResponse(status=499)
        if any(name == b"content-length" for name, _ in start["headers"]) or start["status"] in NO_BODY:
            whole = await _next(sent, task)
            made: Any = _WholeResponse(whole.get("body", b"") if whole is not None else b"")
            let_end(task)  # the work after the answer goes on
        else:
            made = _StreamedResponse(_each(sent, task, gone))
    except BaseException:
        task.cancel()
        raise
    made.status_code = start["status"]
    made.tell(tuple((name.decode("latin-1"), value.decode("latin-1")) for name, value in start["headers"]))
    return made


async def _next(
    sent: asyncio.Queue[MutableMapping[str, Any]], task: asyncio.Future[None]
) -> MutableMapping[str, Any] | None:
    """The next message of an answer; None where it ended without one."""
    waiting = asyncio.ensure_future(sent.get())
    try:
        both: list[asyncio.Future[Any]] = [waiting, task]
        await asyncio.wait(both, return_when=asyncio.FIRST_COMPLETED)
        if waiting.done():
            return waiting.result()
        if not sent.empty():
            return await waiting
    finally:
        if not waiting.done():
            waiting.cancel()
    task.result()
    return None


async def _each(
    sent: asyncio.Queue[MutableMapping[str, Any]],
    task: asyncio.Future[None],
    gone: asyncio.Event,
) -> AsyncIterator[bytes]:
    """The pieces of an answer; left before their end, what makes them is told that the client is gone."""
    try:
        while (message := await _next(sent, task)) is not None:
            if piece := message.get("body", b""):
                yield piece
            if not message.get("more_body"):
                break
    finally:
        gone.set()
        let_end(task)
        while not sent.empty():
            sent.get_nowait()


__all__ = ["mounted", "reading", "route", "view"]
