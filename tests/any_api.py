"""A small API of the scenario, and what answers it through each adapter: in one process, without a socket."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from importlib.util import find_spec
from types import ModuleType
from typing import Annotated, Any, NamedTuple
from urllib.parse import quote, unquote_to_bytes, urlencode

import httpx
from flask import Flask
from starlette.applications import Starlette

from dutiful_gate import Amendment, it, obeys, secret, this
from dutiful_gate.catalogues import GERMAN
from dutiful_gate.demo.ferries import Booking
from dutiful_gate.web import PUBLIC, Answering, Api, Endpoint, Head, OwnScheme, RequestProblem, Streamed
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.flask import blueprint
from dutiful_gate.web.starlette import mounted
from dutiful_gate.web.wsgi import wsgi


@dataclass
class Number:
    number: Annotated[int, it >= 1]


@dataclass
class Search:
    page: Annotated[int, it >= 1] = 1
    origin: Annotated[str, it.length == 3] | None = None
    sort: list[str] = field(default_factory=list)


@dataclass
class Asked:
    authorization: str | None = None
    if_match: str | None = None


@dataclass
class Kept:
    visit: str = ""


@dataclass
class ListBookings:
    query: Search


@dataclass
class Book:
    body: Booking
    headers: Asked


@dataclass
class Page:
    page: Annotated[int, it >= 1] = 1


@dataclass
@obeys(this.query.page <= this.path.number)
class Amend:
    path: Number
    query: Page
    headers: Asked
    cookies: Kept
    body: Amendment[Booking]


@dataclass
class Cancel:
    path: Number


@dataclass
class ByForm:
    form: Booking


@dataclass
class Nothing:
    pass


@dataclass
class Filed:
    location: Annotated[str, it.length > 3]
    etag: Annotated[str | None, it.matches('"[^"]*"')] = None
    last_modified: datetime | None = None
    retry_after: int | None = None
    allow: list[str] = field(default_factory=list)
    x_ok: bool | None = None
    set_cookie: list[str] = field(default_factory=list)
    link: Annotated[str | None, secret] = None


BOOKED, MOVED = Answering(201, Booking), Answering(202, Number, headers=Filed)


def answer(request: Any) -> Any:
    return BOOKED(request.body, headers={"Location": "/bookings/7"})


def broken(request: Nothing) -> Any:
    return {"number": "s3cret-words"}


def raises(request: Nothing) -> Any:
    raise RuntimeError("s3cret-words")


def injects(request: Nothing) -> Any:
    return Answering(200, Number)(Number(1), headers={"Link": "x\r\nSet-Cookie: a=b"})


def guard(head: Head) -> None:
    if head.header("authorization") == "Bearer stranger":
        raise RequestProblem(403, "No.")


SERVED = [
    Endpoint("GET", "/bookings", ListBookings, Answering(200, list[str]), tags=["bookings"]).by(lambda sent: sent.query.sort),
    Endpoint("POST", "/bookings", Book, BOOKED, takes=["application/json", "application/cbor"], unpacks=["gzip"]).by(answer),
    Endpoint("PATCH", "/bookings/{number}", Amend, Answering(200, Number) | Answering(404)).by(lambda sent: sent.path),
    Endpoint("PUT", "/bookings/{number}", Cancel, MOVED).by(lambda sent: MOVED(sent.path, headers=Filed("/here"))),
    Endpoint("DELETE", "/bookings/{number}", Cancel, Answering(204)).by(lambda sent: None),
    Endpoint("POST", "/booked", ByForm, Answering(200, Booking)).by(lambda sent: sent.form),
    Endpoint("GET", "/broken", Nothing, Answering(200, Number)).by(broken),
    Endpoint("GET", "/raises", Nothing, Answering(200, Number)).by(raises),
    Endpoint("GET", "/injects", Nothing, Answering(200, Number)).by(injects),
    Endpoint("GET", "/manifest", Nothing, Answering(200, Streamed("text/csv"))).by(lambda sent: iter(["a,b\n", b"1,2\n"])),
]  # fmt: skip


def api(**words: Any) -> Api:
    return Api(
        "Bookings",
        "1.0",
        SERVED,
        security=OwnScheme(guard, described={"type": "mutualTLS"}) | PUBLIC,
        catalogues=[GERMAN],
        described_at="/openapi.json",
        schemas_at="/schemas",
        **words,
    )


class CannotSend(Exception):
    """What no client can say in this part of a request."""


def sent_by(ask: Client, part: str, data: Any, names: Iterable[str], *, files: Any = None) -> Reply:
    """Data as the text of one part of a request to `/any`, or to a path of the names. Raises CannotSend."""
    if not isinstance(data, dict):
        raise CannotSend
    pairs = list(_pairs(part, data, ""))
    if part == "path":
        if [name for name, _ in pairs] != [*names] or {".", "..", ""} & {text for _, text in pairs}:
            raise CannotSend
        return ask("POST", "/" + "/".join(quote(text, safe="") for _, text in pairs))
    if part == "query":
        return ask("POST", f"/any?{urlencode(pairs)}")
    if part == "headers":
        return ask("POST", "/any", headers=[(name.replace("_", "-"), text) for name, text in pairs])
    if part == "cookies":
        cookie = "; ".join(f"{name}={text}" for name, text in pairs)
        return ask("POST", "/any", headers=[("cookie", cookie)] if pairs else [])
    if files is not None:
        return ask("POST", "/any", files=[*[(name, (None, text.encode())) for name, text in pairs], *files])
    return ask("POST", "/any", content=urlencode(pairs), headers={"content-type": "application/x-www-form-urlencoded"})


def _pairs(part: str, data: Any, name: str) -> Iterator[tuple[str, str]]:
    match data:
        case dict():
            for key, held in data.items():
                yield from _pairs(part, held, f"{name}[{key}]" if name else key)
        case list() if part == "form" or (data and part != "path"):
            for at, each in enumerate(data):
                if isinstance(each, list | None):
                    raise CannotSend
                yield from _pairs(part, each, f"{name}[{at}]" if isinstance(each, dict) else name)
        case None if "[" not in name:
            pass
        case str() | int() | float() if name:
            text = data if isinstance(data, str) else json.dumps(data)
            narrow = part in ("headers", "cookies")
            if narrow and not (text.isascii() and text.isprintable() and text.strip() == text != ""):
                raise CannotSend
            if (narrow and {*text} & {*',;"\\ '}) or not text.isprintable() or not text.strip():
                raise CannotSend
            yield name, text
        case _:
            raise CannotSend


class Reply(NamedTuple):
    """An answer as a client sees it."""

    status: int
    headers: list[tuple[str, str]]
    content: bytes

    @property
    def json(self) -> Any:
        return json.loads(self.content)

    @property
    def faults(self) -> list[tuple[str, str, str]]:
        return [(each["part"], each["pointer"], each["code"]) for each in self.json.get("errors", [])]


Client = Callable[..., Reply]


def clients(made: Api) -> dict[str, Client]:
    """What asks an API through each adapter."""
    application = Flask("bookings")
    application.register_blueprint(blueprint(made))
    return {
        "wsgi": by_wsgi(wsgi(made)),
        "flask": by_wsgi(application),
        "asgi": asker(asgi(made)),
        "starlette": asker(Starlette(routes=[mounted(made)])),
        **by_django(made),
    }


def by_django(made: Api, prefix: str = "") -> dict[str, Client]:
    """What asks it through Django, under both of its handlers and without middleware; nothing where Django is not here."""
    if find_spec("django") is None:
        return {}
    import django
    from django.conf import settings
    from django.core.handlers.asgi import ASGIHandler
    from django.core.handlers.wsgi import WSGIHandler

    from dutiful_gate.web import django as adapter

    if not settings.configured:
        settings.configure(ALLOWED_HOSTS=["*"], MIDDLEWARE=[], ROOT_URLCONF="", LOGGING_CONFIG=None)
        django.setup()
    plain, later = ModuleType("plain"), ModuleType("later")
    later.urlpatterns = [adapter.mounted(made, prefix, asgi=True)]  # type: ignore[attr-defined]

    class ByWsgi(WSGIHandler):  # type: ignore[misc]
        def get_response(self, request: Any) -> Any:
            request.urlconf = plain
            return super().get_response(request)

    class ByAsgi(ASGIHandler):  # type: ignore[misc]
        async def get_response_async(self, request: Any) -> Any:
            request.urlconf = later
            return await super().get_response_async(request)

    found = {"django_asgi": asker(ByAsgi())}
    if not any(served.is_async or served.gives_pieces_later for served in made.served):
        plain.urlpatterns = [adapter.mounted(made, prefix)]
        found["django"] = by_wsgi(ByWsgi())
    return found


def asker(application: Any) -> Client:
    """What asks an ASGI application."""

    async def ask(method: str, url: str, words: Any) -> httpx.Response:
        transport = httpx.ASGITransport(application)
        async with httpx.AsyncClient(transport=transport, base_url="http://quay.example") as client:
            return await client.request(method, url, **words)

    return lambda method, url, **words: _reply(asyncio.run(ask(method, url, as_json(words))))


def as_json(words: dict[str, Any]) -> dict[str, Any]:
    """A body that does not say what it is says that it is JSON; one of the type "none" stays without."""
    if "content" not in words:
        return words
    headers = httpx.Headers({"content-type": "application/json"} | dict(words.get("headers") or {}))
    if headers["content-type"] == "none":
        del headers["content-type"]
    return {**words, "headers": headers}


class _ByWsgi(httpx.WSGITransport):
    """As servers do it: the path as bytes, and as it came; lines of one header are joined."""

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        raw = request.url.raw_path.decode()
        path = unquote_to_bytes(raw.partition("?")[0]).decode("latin-1")

        def application(environ: dict[str, Any], start_response: Any) -> Any:
            joined = {f"HTTP_{name.upper().replace('-', '_')}": value for name, value in request.headers.items()}
            joined = {name: value for name, value in joined.items() if name in environ}
            return self.app({**environ, **joined, "PATH_INFO": path, "REQUEST_URI": raw}, start_response)

        return httpx.WSGITransport(application).handle_request(request)


def by_wsgi(application: Any) -> Client:
    """What asks a WSGI application."""
    client = httpx.Client(transport=_ByWsgi(application), base_url="http://quay.example")
    return lambda method, url, **words: _reply(client.request(method, url, **as_json(words)))


def _reply(answered: httpx.Response) -> Reply:
    return Reply(answered.status_code, sorted(answered.headers.multi_items()), answered.content)
