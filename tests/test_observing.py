"""What is seen of requests: endpoint, status, time, places and codes of faults; never a value."""

# Rooms: web

from __future__ import annotations

import json
import logging
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Any

import pytest

from any_api import clients
from dutiful_gate import DeclarationError, it, otherwise, secret
from dutiful_gate.web import PUBLIC, Answering, Api, Endpoint, Head, OwnScheme, RequestProblem, Seen, Streamed


@dataclass
class Berth:
    number: Annotated[int, it >= 1]


@dataclass
class Call:
    ship: Annotated[str, it.length >= 2]
    pin: Annotated[str, secret, it.length == 4] = "0000"
    turns: Annotated[int, otherwise(1)] = 1
    tags: dict[str, int] = field(default_factory=dict)


@dataclass
class Books:
    path: Berth
    body: Call


@dataclass
class Nothing:
    pass


BOOK = Endpoint("POST", "/berths/{number}", Books, Answering(200, Call), name="book")
LOST = Endpoint("GET", "/lost", Nothing, Answering(200, Call), name="lost")
STREAM = Endpoint("GET", "/stream", Nothing, Answering(200, Streamed("text/csv")), name="stream")


def guard(head: Head) -> None:
    if head.header("authorization") == "Bearer stranger":
        raise RequestProblem(403)


def api(observe: Any) -> Api:
    def lost(sent: Nothing) -> Call:
        raise LookupError("s3cret")

    def stream(sent: Nothing) -> Iterator[bytes]:
        yield b"a"
        yield b"b"

    served = [BOOK.by(lambda sent: sent.body), LOST.by(lost), STREAM.by(stream)]
    return Api(
        "Berths",
        "1",
        served,
        security=OwnScheme(guard, described={"type": "mutualTLS"}) | PUBLIC,
        observe=observe,
        described_at="/openapi.json",
    )


SOUND = {"ship": "Tern"}


@pytest.mark.parametrize(
    ("method", "url", "words", "expected"),
    [
        ("POST", "/berths/3", {"json": SOUND}, ("book", 200, (), ())),
        ("POST", "/berths/3", {"json": {**SOUND, "turns": "s3cret"}}, ("book", 200, (), (("/body/turns", "kind"),))),
        ("POST", "/berths/0", {"json": {"ship": "x", "pin": "s3cret"}}, ("book", 422, (("/path/number", "floor"), ("/body/ship", "length"), ("/body/pin", "length")), ())),
        ("POST", "/berths/3", {"json": {**SOUND, "tags": {"s3cret": "s3cret"}}}, ("book", 422, (("/body/tags", "kind"),), ())),
        ("POST", "/berths/3", {"content": "{s3cret", "headers": {"content-type": "application/json"}}, ("book", 400, (("/body", "reading"),), ())),
        ("POST", "/berths/3", {"content": "a", "headers": {"content-type": "a/b"}}, ("book", 415, (), ())),
        ("POST", "/berths/3", {"json": SOUND, "headers": {"authorization": "Bearer stranger"}}, ("book", 403, (), ())),
        ("GET", "/berths/3", {}, (None, 405, (), ())), ("GET", "/nowhere", {}, (None, 404, (), ())), ("GET", "/openapi.json", {}, (None, 200, (), ())),
        ("GET", "/lost", {}, ("lost", 500, (), ())), ("GET", "/stream", {}, ("stream", 200, (), ())), ("HEAD", "/stream", {}, ("stream", 200, (), ())),
        ("OPTIONS", "/lost", {}, (None, 204, (), ())),
    ],
)  # fmt: skip
def test_each_request_is_seen_once_through_every_adapter(
    method: str, url: str, words: dict[str, Any], expected: Any, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level(logging.CRITICAL)
    seen: list[Seen] = []
    for name, ask in clients(api(seen.append)).items():
        seen.clear()
        ask(method, url, **words)
        [one] = seen
        told = (one.endpoint.name if one.endpoint else None, one.status, one.faults, one.fallbacks)
        assert told == expected, name
        assert (one.method, one.untold) == (method, 0)
        assert 0 < one.seconds < 60


def test_no_value_is_seen() -> None:
    @dataclass
    class Sealed:
        body: dict[str, Annotated[int, secret]]

    seen: list[Seen] = []
    served = Endpoint("POST", "/sealed", Sealed, Answering(204)).by(lambda sent: None)
    for ask in clients(Api("Sealed", "1", [served], observe=seen.append)).values():
        ask("POST", "/sealed", json={"s3cret": "s3cret"})
    assert seen
    assert "s3cret" not in repr([(one.faults, one.fallbacks) for one in seen])


def test_what_an_observer_raises_changes_no_answer(caplog: pytest.LogCaptureFixture) -> None:
    def observe(seen: Seen) -> None:
        raise KeyError("no counter")

    for ask in clients(api(observe)).values():
        assert (
            ask("POST", "/berths/3", content=json.dumps(SOUND), headers={"content-type": "application/json"}).status
            == 200
        )
    assert "what observes the requests raised" in caplog.text


async def later(seen: Seen) -> None: ...


@pytest.mark.parametrize("observe", [later, lambda: None, 3])
def test_an_observer_that_cannot_be_asked_is_told(observe: Any) -> None:
    with pytest.raises(DeclarationError, match="observe="):
        api(observe)


def test_the_example_feeds_spans_and_counters() -> None:
    pytest.importorskip("opentelemetry.sdk", reason="opentelemetry-sdk is not here")
    script = Path(__file__).parent.parent / "examples" / "tracing.py"
    told = subprocess.run([sys.executable, str(script)], capture_output=True, text=True, check=True)
    assert told.stdout.splitlines() == ["POST /crates 201 ()", "POST /crates 422 ('/body/contents length',)"]
