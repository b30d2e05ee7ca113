"""What comes with a request is taken within its limits, whatever its head says, and what goes out passes one door."""

# Rooms: web

from __future__ import annotations

import asyncio
import gzip
import io
import json
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from time import perf_counter
from typing import Any

import pytest

from any_api import asker
from dutiful_gate import Limits
from dutiful_gate.web import Answering, Api, Endpoint, Head, Refusal, RequestProblem, Streamed, UploadedFile
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.body import Body
from dutiful_gate.web.negotiation import chosen_language, chosen_media
from dutiful_gate.web.wsgi import wsgi

JSON = "application/json"


@dataclass
class Line:
    a: int = 0


@dataclass
class Sends:
    body: Line | None = None


SENDS: Endpoint[Sends] = Endpoint(
    "POST", "/lines", Sends, Answering(200, Line | None), unpacks=["gzip"], limits=Limits(bytes=1000)
)
API = Api("a", "1", [SENDS.by(lambda sent: sent.body)])


def _asked(
    headers: list[tuple[str, str]], pieces: list[bytes], api: Api = API, path: str = "/lines", method: str = "POST"
) -> tuple[int, bytes]:
    """An answer under ASGI, the body in messages as they are."""
    sent: list[Any] = []
    waiting = [
        {"type": "http.request", "body": piece, "more_body": at < len(pieces)} for at, piece in enumerate(pieces, 1)
    ]

    async def receive() -> Any:
        return waiting.pop(0) if waiting else {"type": "http.disconnect"}

    async def send(message: Any) -> None:
        sent.append(message)

    raw = [(name.encode(), value.encode()) for name, value in headers]
    scope = {
        "type": "http",
        "method": method,
        "path": path,
        "raw_path": path.encode(),
        "query_string": b"",
        "headers": raw,
    }
    asyncio.run(asgi(api)(scope, receive, send))
    return sent[0]["status"], b"".join(message.get("body", b"") for message in sent[1:])


@pytest.mark.parametrize(
    ("headers", "pieces", "status", "body"),
    [
        ([("content-type", JSON)], [b'{"a": ', b"3}"], 200, b'{"a":3}'),
        ([("content-type", JSON), ("content-length", "0")], [b'{"a": 3}'], 200, b'{"a":3}'),
        ([], [b'{"a": 3}'], 415, b""),
        ([("content-length", "8")], [b'{"a": 3}'], 415, b""),
        ([("content-type", "text/plain")], [b'{"a": 3}'], 415, b""),
        ([("content-type", "")], [b'{"a": 3}'], 415, b""),
        ([], [b""], 200, b"null"),
        ([("content-type", JSON)], [b"", b"", b'{"a": 4}', b""], 200, b'{"a":4}'),
        ([("content-type", "application/hal+json")], [b'{"a": 5}'], 200, b'{"a":5}'),
        ([("content-type", JSON)], [b" " * 600, b" " * 600], 413, b""),
    ],
)  # fmt: skip
def test_a_body_is_taken_by_its_messages(headers: Any, pieces: list[bytes], status: int, body: bytes) -> None:
    """In HTTP/2 a body needs no header that tells of it; and without a type any page of the web could send one."""
    told = _asked(headers, pieces)
    assert told[0] == status, told
    assert status != 200 or told[1] == body


PACKED = gzip.compress(b'{"a": 3}')


@pytest.mark.parametrize(
    ("pieces", "status"),
    [
        ([PACKED], 200),
        ([PACKED[:9], PACKED[9:]], 200),
        ([PACKED[:-1]], 400),
        ([PACKED + b"junk"], 400),
        ([PACKED, b"junk"], 400),
        ([PACKED, PACKED], 400),
        ([b"no gzip"], 400),
        ([gzip.compress(b" " * 100_000)], 413),
        ([PACKED, *[b"\0" * 500] * 3], 400),
        ([gzip.compress(bytes(range(256)) * 20, 0)], 413),
    ],
)
def test_a_packed_body_is_counted_as_it_came_and_unpacked(pieces: list[bytes], status: int) -> None:
    assert _asked([("content-type", JSON), ("content-encoding", "gzip")], pieces)[0] == status


def test_nothing_behind_a_packed_body_is_held() -> None:
    """Junk behind it was held without bound, and copied again with each piece."""
    head = Head("POST", "/", "", [("content-type", JSON), ("content-encoding", "gzip")])
    body = Body(head, [JSON], ["gzip"], 10**9)
    body.take(PACKED)
    with pytest.raises(RequestProblem):
        body.take(b"x" * 65_536)
    assert bytes(body._held) == b'{"a": 3}'


BREAKS = "a\r\nSet-Cookie: evil=1"
ODD_HEADERS: list[dict[Any, Any]] = [
    {"X": BREAKS},
    {BREAKS: "x"},
    {"X": "a\nb"},
    {"X": "a\0b"},
    {"X": "é\u20ac"},
    {"X": 3},
    {"": "x"},
    {"a b": "x"},
]


@pytest.mark.parametrize("headers", ODD_HEADERS, ids=range(len(ODD_HEADERS)))
def test_no_header_breaks_out(headers: dict[Any, Any]) -> None:
    def refuses(sent: Sends) -> Any:
        raise RequestProblem(400, headers=headers)

    def redirects(sent: Sends) -> Any:
        raise RequestProblem(303, headers={"location": "/x", **headers})

    def form(refusal: Refusal) -> tuple[str, bytes]:
        return BREAKS, b"x"

    line, text, none = Answering(200, Line), Answering(201, Streamed("text/plain")), Answering(204)
    endpoint: Endpoint[Sends] = Endpoint("POST", "/lines", Sends, line | text | none)
    handlers: list[Any] = [
        refuses,
        redirects,
        lambda sent: line(Line(), headers=headers),
        lambda sent: text(b"x", headers=headers),
        lambda sent: none(headers=headers),
    ]
    for handler in handlers:
        api = Api("a", "1", [endpoint.by(handler)])
        for reply in (asker(asgi(api))("POST", "/lines"), _by_wsgi(api)):
            assert reply.status == (400 if handler is refuses else 500)
            assert "evil" not in str(reply.headers)
    own = Api("a", "1", [endpoint.by(refuses)], refusals=form)
    assert asker(asgi(own))("POST", "/lines").status in (400, 500)


def _by_wsgi(api: Api, **more: Any) -> Any:
    told: list[Any] = []
    environ = {"REQUEST_METHOD": "POST", "PATH_INFO": "/lines", "wsgi.input": io.BytesIO(), **more}
    body = b"".join(wsgi(api)(environ, lambda status, headers: told.extend([status, headers])))
    return type("Reply", (), {"status": int(told[0][:3]), "headers": told[1], "content": body})


class _Exact(io.BytesIO):
    """What a server hands over: reading past the body would wait for what never comes."""

    def read(self, size: int | None = -1, /) -> bytes:
        assert size is not None
        assert size >= 0
        return super().read(size)


def test_a_body_ends_where_its_length_or_its_server_says() -> None:
    raw, words = json.dumps({"number": 3}).encode(), {"CONTENT_TYPE": "application/json"}
    sent = _by_wsgi(API, **words, CONTENT_LENGTH=str(len(raw)), **{"wsgi.input": _Exact(raw + b"GET / HTTP/1.1")})
    ended = _by_wsgi(API, **words, **{"wsgi.input": _Exact(raw), "wsgi.input_terminated": True})
    assert (
        (sent.status, sent.content)
        == (ended.status, ended.content)
        == (200, _by_wsgi(API, **words, CONTENT_LENGTH=str(len(raw)), **{"wsgi.input": io.BytesIO(raw)}).content)
    )


@pytest.mark.parametrize("status", [99, 100, 600, 1000, -1, 0, "400", 400.0, True, None])
def test_no_status_is_made_up(status: Any) -> None:
    def refuses(sent: Sends) -> Any:
        raise RequestProblem(status)

    assert asker(asgi(Api("a", "1", [SENDS.by(refuses)])))("POST", "/lines").status == 500


# What several lines of one header mean


@pytest.mark.parametrize(
    ("header", "chosen"),
    [
        ("text/html;q=0, */*", JSON), ("application/json;q=0", None), ("application/*;q=0, */*", "text/html"), ("*/*;q=0", None), ("application/json;q=0.1, text/html", "text/html"),
        ("text/*;q=0.3, text/html;q=0", None), ("*/*;q=0.1, application/json;q=0", "text/html"), ("", JSON), (None, JSON), ("image/png", None), ("text/html, application/json", "text/html"),
        ("application/json;q=x, text/html;q=0.1", "text/html"),
    ],
)  # fmt: skip
def test_what_a_client_takes(header: str | None, chosen: str | None) -> None:
    assert chosen_media(header, [JSON, "text/html"]) == chosen


def test_a_language_of_weight_0_is_not_chosen() -> None:
    from dutiful_gate.catalogues import GERMAN

    told = {
        header: chosen_language(header, [GERMAN]).language
        for header in ("en;q=0, *", "de;q=0, *", "de, en", "de-AT", "fr, *;q=0.1", "*;q=0", "fr")
    }
    assert told == {
        "en;q=0, *": "de",
        "de;q=0, *": "en",
        "de, en": "de",
        "de-AT": "de",
        "fr, *;q=0.1": "en",
        "*;q=0": "en",
        "fr": "en",
    }


def test_lines_of_one_header_mean_the_same_joined_and_apart() -> None:
    apart = Head(
        "GET",
        "/",
        "",
        [("accept", "text/html;q=0.1"), ("accept", "application/json"), ("cookie", "a=1; b=2"), ("cookie", "c=3")],
    )
    joined = Head("GET", "/", "", [("accept", "text/html;q=0.1, application/json"), ("cookie", "a=1; b=2, c=3")])
    for head in (apart, joined):
        assert head.cookies == {"a": "1", "b": "2", "c": "3"}
        assert chosen_media(head.header("accept"), ["text/html", JSON]) == JSON
    assert [Head("GET", path, "", []).path for path in ("admin/7", "/%61dmin/7", "/a%2Fb", "/%ff")] == [
        "/admin/7", "/admin/7", "/a%2Fb", "/%ff",
    ]  # fmt: skip
    assert Head("GET", "/", "", [("cookie", 'a="x,y"; b=1')]).cookies == {"a": "x,y", "b": "1"}
    assert Head("GET", "/", "", [("cookie", 'a; =x; ; b=1; c=; d="1')]).cookies == {"b": "1", "c": "", "d": '"1'}


# Files


@dataclass
class Paper:
    paper: UploadedFile


@dataclass
class Attaches:
    files: Paper


@pytest.mark.parametrize(
    ("named", "name"),
    [
        ("filename*=UTF-8''na%C3%AFve%20plan.txt", "naïve plan.txt"), ("filename*=ISO-8859-1'de'Gr%FC%DFe.txt", "Grüße.txt"), ("filename*=UTF-8''%FF", ""),
        ("filename=\"a.txt\"; filename*=UTF-8''b.txt", "a.txt"), ("filename*=UTF-8''..%2F..%2Fetc%2Fpasswd", "passwd"),
    ],
)  # fmt: skip
def test_a_file_named_in_another_alphabet_alone_is_there(named: str, name: str) -> None:
    pytest.importorskip("python_multipart")
    endpoint: Endpoint[Attaches] = Endpoint("POST", "/papers", Attaches, Answering(200, list[str]))
    api = Api("a", "1", [endpoint.by(lambda sent: [sent.files.paper.name, str(len(sent.files.paper))])])
    body = f'--x\r\nContent-Disposition: form-data; name="paper"; {named}\r\n\r\nseven..\r\n--x--\r\n'.encode()
    reply = asker(asgi(api))(
        "POST", "/papers", content=body, headers={"content-type": "multipart/form-data; boundary=x"}
    )
    assert reply.json == [name, "7"], reply


# Clients that leave


def test_a_client_that_leaves_ends_its_stream() -> None:
    closed = threading.Event()

    def endless(sent: Sends) -> Iterator[bytes]:
        try:
            while True:
                yield b"x" * 1000
        finally:
            closed.set()

    endpoint: Endpoint[Sends] = Endpoint("POST", "/lines", Sends, Answering(200, Streamed("text/plain")))
    sent: list[Any] = []

    async def leaves() -> None:
        left = asyncio.Event()
        begun = iter([{"type": "http.request", "body": b"", "more_body": False}])

        async def receive() -> Any:
            for message in begun:
                return message
            await left.wait()
            return {"type": "http.disconnect"}

        async def send(message: Any) -> None:
            sent.append(message)
            if len(sent) > 5:
                left.set()

        scope = {"type": "http", "method": "POST", "path": "/lines", "query_string": b"", "headers": []}
        await asgi(Api("a", "1", [endpoint.by(endless)]))(scope, receive, send)

    asyncio.run(asyncio.wait_for(leaves(), 20))
    assert closed.wait(10)
    assert len(sent) < 500


def test_streams_that_never_go_on_hold_up_nobody() -> None:
    """Six of them took every thread of the pool: no other request was answered, and the server could not stop."""
    stuck = threading.Event()

    def waits(sent: Sends) -> Iterator[bytes]:
        yield b"first"
        stuck.wait(60)
        yield b"late"

    streams: Endpoint[Sends] = Endpoint("POST", "/stream", Sends, Answering(200, Streamed("text/plain")))
    api = Api("a", "1", [streams.by(waits), SENDS.by(lambda sent: sent.body)])

    async def many() -> float:
        async def one(path: str, wait: float) -> list[Any]:
            sent: list[Any] = []
            begun = iter([{"type": "http.request", "body": b"", "more_body": False}])

            async def receive() -> Any:
                for message in begun:
                    return message
                await asyncio.sleep(wait)
                return {"type": "http.disconnect"}

            async def send(message: Any) -> None:
                sent.append(message)

            scope = {"type": "http", "method": "POST", "path": path, "query_string": b"", "headers": []}
            await asgi(api)(scope, receive, send)
            return sent

        abandoned = [asyncio.ensure_future(one("/stream", 3)) for _ in range(40)]
        await asyncio.sleep(0.3)
        begin = perf_counter()
        assert (await one("/lines", 60))[0]["status"] == 200
        took = perf_counter() - begin
        await asyncio.gather(*abandoned)
        return took

    try:
        assert asyncio.run(asyncio.wait_for(many(), 30)) < 2
    finally:
        stuck.set()


def test_what_a_stream_raises_ends_it() -> None:
    def broken(sent: Sends) -> Iterator[bytes]:
        yield b"first"
        raise RuntimeError("gone")

    endpoint: Endpoint[Sends] = Endpoint("POST", "/lines", Sends, Answering(200, Streamed("text/plain")))
    with pytest.raises(RuntimeError, match="gone"):
        asker(asgi(Api("a", "1", [endpoint.by(broken)])))("POST", "/lines")
