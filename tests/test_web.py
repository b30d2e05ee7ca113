"""Requests through every adapter: the same answer to the byte, every fault of every part, no status that misleads."""

# Rooms: web, gates, shape

from __future__ import annotations

import asyncio
import gzip
import io
import json
import logging
import re
import warnings
from collections.abc import Callable
from contextlib import nullcontext, suppress
from dataclasses import dataclass, field, make_dataclass
from datetime import UTC, datetime, timedelta, timezone
from enum import Enum
from itertools import islice, product
from pathlib import Path
from typing import Annotated, Any
from urllib.parse import quote

import cbor2
import httpx
import pytest
from flask import Flask
from starlette.applications import Starlette

from any_api import CannotSend, Filed, Nothing, Number, Search, api, asker, clients, sent_by
from any_declaration import any_declaration, any_part
from describe_many import rules_of
from dutiful_gate import (
    Amendment,
    CannotSample,
    DeclarationError,
    Gate,
    Limits,
    it,
    named,
    obeys,
    payloads,
    probes,
    rest,
    secret,
    split_on,
    this,
)
from dutiful_gate.demo.ferries import Booking, Crate, bookings
from dutiful_gate.problems import joined
from dutiful_gate.web import (
    Answered,
    Answering,
    Api,
    Endpoint,
    Form,
    OwnScheme,
    RequestGate,
    RequestProblem,
    Streamed,
    UploadedFile,
    amended,
    description,
    of_type,
    schemas,
    under_key,
)
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.header_values import HTTP_DATE, listed
from dutiful_gate.web.manual.page import manual
from dutiful_gate.web.replies import examine_each_reply, examine_reply
from dutiful_gate.web.wsgi import wsgi

SOUND: dict[str, Any] = {
    "origin": "QLP", "destination": "MRW", "departs": "2026-05-04T08:00:00Z", "arrives": "2026-05-04T09:00:00Z", "contact": "a@quay.example",
    "crates": [{"contents": "rope", "weight_kg": 3.5}],
}  # fmt: skip
FORM = {
    **{name: value for name, value in SOUND.items() if name != "crates"},
    "crates[0][contents]": "rope", "crates.0.weight_kg": "3.5", "crates[7].contents": "x", "crates[7][weight_kg]": "much",
}  # fmt: skip
BOMB = gzip.compress(b" " * 30_000_000)
CLIENTS = clients(api())
JSON = {"content-type": "application/json"}
TABLE: list[tuple[str, str, dict[str, Any], int, Any]] = [
    ("GET", "/bookings?sort=a&sort=b", {}, 200, ["a", "b"]),
    ("GET", "/bookings?sort=a", {}, 200, ["a"]),
    ("HEAD", "/bookings", {}, 200, None),
    ("GET", "/bookings?page=0&origin=LONG", {}, 422, [("query", "#/page", "floor"), ("query", "#/origin", "length")]),
    ("GET", "/bookings?page=%FF", {}, 422, [("query", "#", "reading")]),
    ("GET", "/bookings?" + "&".join(f"k{at}=1" for at in range(1200)), {}, 422, [("query", "#", "size")]),
    ("POST", "/bookings", {"json": SOUND}, 201, None),
    ("POST", "/bookings", {"content": json.dumps(SOUND), "headers": {"content-type": "application/vnd.tern+json; charset=UTF-8"}}, 201, None),
    ("POST", "/bookings", {"content": gzip.compress(json.dumps(SOUND).encode()), "headers": {**JSON, "content-encoding": "gzip"}}, 201, None),
    ("POST", "/bookings", {"json": {**SOUND, "origin": 1, "crates": []}}, 422, [("body", "#/origin", "kind"), ("body", "#/crates", "count")]),
    ("POST", "/bookings", {"content": '{"origin": no'}, 400, [("body", "#/origin", "reading")]),
    ("POST", "/bookings", {"content": b'{"origin": "\xff"}'}, 400, [("body", "#", "reading")]),
    ("POST", "/bookings", {"content": "[" * 100}, 400, [("body", "#" + "/0" * 64, "depth")]),
    ("POST", "/bookings", {"content": '{"origin": "QLP", "origin": "QLP"}'}, 422, None),
    ("POST", "/bookings", {}, 422, [("body", "#", "absent")]),
    ("POST", "/bookings", {"content": "a=b", "headers": {"content-type": "text/plain"}}, 415, None),
    ("POST", "/bookings", {"content": "{}", "headers": {"content-type": "application/json; charset=utf-16"}}, 415, None),
    ("POST", "/bookings", {"content": "{}", "headers": {**JSON, "content-encoding": "br"}}, 415, None),
    ("POST", "/bookings", {"content": b"no gzip", "headers": {**JSON, "content-encoding": "gzip"}}, 400, None),
    ("POST", "/bookings", {"content": gzip.compress(b"{}") + b"more", "headers": {**JSON, "content-encoding": "gzip"}}, 400, None),
    ("POST", "/bookings", {"content": BOMB[:-9], "headers": {**JSON, "content-encoding": "gzip"}}, 413, None),
    ("POST", "/bookings", {"content": BOMB, "headers": {**JSON, "content-encoding": "gzip"}}, 413, None),
    ("POST", "/bookings", {"content": " " * 20_000_000, "headers": JSON}, 413, None),
    ("POST", "/bookings", {"json": SOUND, "headers": {"accept": "text/html, application/*;q=0"}}, 406, None),
    ("POST", "/bookings", {"json": SOUND, "headers": {"x-long": "x" * 40_000}}, 431, None),
    ("POST", "/bookings", {"content": "a", "headers": {"authorization": "Bearer stranger", "content-type": "a/b"}}, 403, None),
    ("PUT", "/bookings", {"json": SOUND}, 405, None),
    ("OPTIONS", "/bookings", {}, 204, None),
    ("GET", "/quays", {}, 404, None),
    ("GET", "/%ff", {}, 404, None),
    ("GET", "/bookings/", {}, 404, None),
    ("PATCH", "/bookings/7", {"json": {"priority": "urgent"}}, 200, {"number": 7}),
    ("PATCH", "/bookings/7%2F8", {"json": {}}, 422, [("path", "#/number", "reading"), ("body", "#", "absent")]),
    ("PATCH", "/bookings/3?page=4", {"json": {"origin": "QLP"}}, 422, [("query", "#", "agreement")]),
    ("PATCH", "/bookings/0?page=x", {"json": {"contact": "no"}}, 422,
     [("path", "#/number", "floor"), ("query", "#/page", "reading"), ("body", "#/contact", "format")]),
    ("DELETE", "/bookings/7", {}, 204, None),
    ("POST", "/booked", {"data": FORM}, 422, [("form", "#/crates/1/contents", "length"), ("form", "#/crates/1/weight_kg", "reading")]),
    ("POST", "/booked", {"data": {"a[" + "][".join("b" * 70) + "]": "1"}}, 422, [("form", "#", "depth")]),
    ("POST", "/booked", {"json": SOUND}, 415, None),
    ("GET", "/manifest", {}, 200, None),
    ("GET", "/broken", {}, 500, None),
    ("GET", "/raises", {}, 500, None),
    ("GET", "/injects", {}, 500, None),
    ("POST", "/openapi.json", {}, 405, None),
]  # fmt: skip


@pytest.mark.parametrize(
    ("method", "url", "words", "status", "told"), TABLE, ids=[f"{row[0]} {row[1][:40]} {row[3]}" for row in TABLE]
)
def test_each_request_has_one_answer_through_every_adapter(
    method: str, url: str, words: dict[str, Any], status: int, told: Any, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level(logging.CRITICAL)
    replies = {name: ask(method, url, **words) for name, ask in CLIENTS.items()}
    reply = replies.pop("asgi")
    assert reply.status == status, reply.content
    if status >= 400:
        assert ("content-type", "application/problem+json") in reply.headers
        assert reply.json["status"] == status
        assert b"s3cret" not in reply.content
        assert b"Traceback" not in reply.content
    if isinstance(told, list) and status >= 400:
        assert reply.faults == told
    elif told is not None:
        assert reply.json == told
    for name, other in replies.items():
        assert other == reply, name


def test_what_goes_with_an_answer() -> None:
    ask = CLIENTS["wsgi"]
    assert dict(ask("PUT", "/bookings").headers)["allow"] == "GET, HEAD, OPTIONS, POST"
    assert dict(ask("POST", "/bookings", json=SOUND).headers)["location"] == "/bookings/7"
    assert ask("HEAD", "/bookings").content == b""
    assert dict(ask("HEAD", "/bookings").headers)["content-length"] == "2"
    assert ask("GET", "/manifest").content == b"a,b\n1,2\n"
    refused = ask(
        "POST", "/bookings", json={**SOUND, "origin": 12}, headers={"accept-language": "fr, de-CH;q=0.8, en;q=0.1"}
    )
    assert dict(refused.headers)["content-language"] == "de"
    assert refused.json["detail"] == "Die Anfrage wurde mit einem Fehler abgelehnt."
    assert refused.json["errors"][0]["detail"].startswith("braucht Text")
    cbor2 = pytest.importorskip("cbor2")
    answered = ask(
        "POST",
        "/bookings",
        content=cbor2.dumps(SOUND),
        headers={"content-type": "application/cbor", "accept": "application/cbor"},
    )
    assert cbor2.loads(answered.content)["crates"] == SOUND["crates"]
    assert ask("POST", "/bookings", content=b"\xff", headers={"content-type": "application/cbor"}).status == 400


def test_what_fails_on_the_way_is_logged_with_its_traceback(caplog: pytest.LogCaptureFixture) -> None:
    def fails(head: Any) -> None:
        raise LookupError("no harbour")

    made = Api("Bookings", "1.0", api().served, security=OwnScheme(fails, described={"type": "mutualTLS"}))
    assert clients(made)["wsgi"]("GET", "/bookings").status == 500
    assert "LookupError: no harbour" in caplog.text


def test_an_answer_that_breaks_its_declaration_is_told_to_developers_alone(caplog: pytest.LogCaptureFixture) -> None:
    told = clients(api(development=True))["flask"]("GET", "/broken").json["detail"]
    assert "The answer is not what is declared" in told
    assert "record" in told
    assert CLIENTS["flask"]("GET", "/broken").json["detail"] == "The server could not answer."
    assert "not what is declared" in caplog.text
    assert clients(api(development=True))["wsgi"]("GET", "/raises").json["detail"] == "The server could not answer."


def test_an_api_may_have_a_form_of_refusals_and_statuses_of_its_own() -> None:
    own = api(
        refusals=lambda refusal: ("text/plain", f"{refusal.status} {len(refusal.faults)}".encode()), unreadable_path=404
    )
    ask = clients(own)["starlette"]
    assert ask("GET", "/bookings?page=0").content == b"422 1"
    assert ask("PATCH", "/bookings/x", json={"priority": "urgent"}).content == b"404 0"


@dataclass
class Weighs:
    body: list[int]


@dataclass
class Wide:
    path: Number
    query: Search = field(default_factory=Search)


@dataclass
class Odd:
    paths: Number


@dataclass
class Bare:
    query: str


@dataclass
class Both:
    body: Booking
    form: Booking


@dataclass
class Gathers:
    query: Number
    more: Annotated[dict[str, str], rest] = field(default_factory=dict)


@dataclass
class Sends:
    body: Booking


@dataclass
class Nested:
    number: Number


@dataclass
class Spaced:
    number: Annotated[str, named("a b")]


@dataclass
class Wrapped:
    body: Annotated[Booking, under_key("booking")]


@dataclass
class HeldTwice:
    body: Wrapped


@dataclass
class WrappedQuery:
    query: Annotated[Number, under_key("number")]


WRONG: list[tuple[Any, str]] = [
    (lambda: Gate(Wrapped), "declare a record with the field booking"),
    (lambda: Gate(Amendment[Wrapped]), "declare a record with the field booking"),
    (lambda: RequestGate(HeldTwice), "declare a record with the field booking"),
    (lambda: RequestGate(WrappedQuery), "not for its query"),
    (lambda: under_key(""), "needs a key"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(204, headers=Nested)), "nothing that a header holds"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(204, headers=Spaced)), "nothing that a header holds"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(204, headers=int)), "known by their names"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(204, Booking, headers=Number)), "has no body"),
    (lambda: Endpoint("GET", "/bookings", Wide, Answering(200)), "write {number} into the path"),
    (lambda: Endpoint("GET", "/b/{number}/{deck}", Wide, Answering(200)), "declare deck in the record of its path"),
    (lambda: Endpoint("GET", "/b/{number}", Sends, Answering(200)), "which the request does not read"),
    (lambda: Endpoint("DELETE", "/b", Sends, Answering(204)), "has no body"),
    (lambda: Endpoint("FETCH", "/b", Sends, Answering(204)), "no method"),
    (lambda: Endpoint("GET", "b", Search, Answering(204)), "does not begin with a slash"),
    (lambda: Endpoint("GET", "/b/{a}{c}", Search, Answering(204)), "no segment"),
    (lambda: Endpoint("GET", "/b/{a}/{a}", Search, Answering(204)), "twice"),
    (lambda: Endpoint("POST", "/b", Sends, {200: Search}), "write Answering(200, Search)"),  # type: ignore[arg-type]
    (lambda: Endpoint("POST", "/b", Sends, Search), "write Answering(200, Search)"),  # type: ignore[arg-type]
    (lambda: Endpoint("POST", "/b", Sends, [Answering(200, Search)]), "is no answer"),  # type: ignore[arg-type]
    (lambda: Endpoint("POST", "/b", Sends, {200: Search, 404: None}), "write Answering(200, Search) | Answering(404)"),  # type: ignore[arg-type]
    (lambda: asgi(Endpoint("POST", "/b", Sends, Answering(204))), "an Api is served, and this is Endpoint"),  # type: ignore[arg-type]
    (lambda: wsgi(print), "an Api is served"),  # type: ignore[arg-type]
    (lambda: Answering(204, Search), "has no body"),
    (lambda: Answering(True, Search), "no status"),
    (lambda: Answering(200, Streamed("text")), "no media type"),
    (lambda: Answering(200, Streamed("text/csv\r\nx: y")), "no media type"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(200, Search, headers=int)), "known by their names"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(200, int) | Answering(200, str)), "two answers have the status 200"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(404, Search) | Answering(200, int)), "bare value would be the answer 404"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(200, int), problems=[200]), "no status of a problem"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(200, int), problems=["taken"]), "no status of a problem"),
    (lambda: Answering(99), "no status"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(204, Booking)), "has no body"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(200), takes=["text/xml"]), "nothing that is read"),
    (lambda: RequestGate(Odd), "is no part of a request"),
    (lambda: RequestGate(Bare), "known by their names"),
    (lambda: RequestGate(Both), "not both"),
    (lambda: RequestGate(Gathers), "is a dataclass whose fields are its parts"),
    (lambda: Api("a", "1", [Endpoint("POST", "/b", Sends, Answering(200)).by(print)] * 2), "two endpoints are POST /b"),
    (lambda: Endpoint("POST", "/b", Sends, Answering(200), security=["key"]), "which is no scheme"),  # type: ignore[arg-type]
    (lambda: description(api(), "2.0"), "3.1 or 3.0"),  # type: ignore[arg-type]
]  # fmt: skip


@pytest.mark.parametrize(("make", "words"), WRONG, ids=[words for _, words in WRONG])
def test_what_cannot_be_is_told_when_it_is_made(make: Any, words: str) -> None:
    with pytest.raises(DeclarationError) as told:
        make()
    assert words in str(told.value)


@pytest.mark.parametrize("version", ["3.1", "3.0"])
def test_the_description_is_sound(version: Any) -> None:
    told = description(api(), version)
    amend = told["paths"]["/bookings/{number}"]["patch"]
    assert [(each["in"], each["name"]) for each in amend["parameters"]] == [
        ("path", "number"),
        ("query", "page"),
        ("header", "if-match"),
        ("cookie", "visit"),
    ]
    assert "- arrives: a value later than departs" in amend["description"]
    book = told["paths"]["/bookings"]["post"]
    assert book["requestBody"]["content"]["application/json"]["schema"] == {"$ref": "#/components/schemas/Booking"}
    assert bookings.accepts(book["requestBody"]["content"]["application/json"]["example"])
    assert book["responses"]["201"]["content"]["application/json"]["schema"] == {
        "$ref": "#/components/schemas/BookingAnswered"
    }
    rules = rules_of(version)
    if rules is None:
        pytest.skip("the OpenAPI Initiative's schemas are not on this machine")
    assert rules.examine(told).faults == ()
    if version == "3.1":
        assert CLIENTS["asgi"]("GET", "/openapi.json").json == told


def test_each_record_is_served_as_a_schema_at_a_uri_of_its_own() -> None:
    told = schemas(api())
    assert told["Booking"]["properties"]["crates"]["items"] == {"$ref": "Crate"}
    listed = CLIENTS["flask"]("GET", "/schemas").json
    assert "/schemas/Booking" in listed
    documents = {uri: CLIENTS["asgi"]("GET", uri).json for uri in listed}
    gate = Gate.from_schema(documents["/schemas/Booking"], documents=documents, formats="assert")
    assert gate.accepts(SOUND)
    assert not gate.accepts({**SOUND, "crates": [{"contents": "rope"}]})
    assert dict(CLIENTS["wsgi"]("GET", "/schemas/Crate").headers)["content-type"] == "application/schema+json"
    assert CLIENTS["wsgi"]("GET", "/schemas/Nobody").status == 404


@pytest.mark.parametrize("seed", range(3))
def test_generated_requests_are_answered_and_broken_ones_told_at_their_place(seed: int) -> None:
    ask = CLIENTS["wsgi"]
    changes = Gate(Amendment[Booking])
    for data in payloads(bookings, 10, seed):
        assert ask("POST", "/bookings", json=data).status == 201, data
    for data in payloads(changes, 10, seed):
        assert ask("PATCH", "/bookings/5", json=data).status == 200, data
    for data, fault in probes(bookings, seed):
        reply = ask("POST", "/bookings", content=json.dumps(data), headers=JSON)
        assert reply.status in (400, 422), data
        pointer = "#" + quote(fault.pointer, safe="/~!$&'()*+,;=:@-._")
        assert ("body", pointer) in {(part, at) for part, at, _ in reply.faults}, data


def test_an_amendment_is_checked_as_a_whole() -> None:
    booking = bookings.admit(SOUND)
    changes = Gate(Amendment[Booking]).admit({"departs": "2026-05-04T08:30:00Z", "priority": "urgent"})
    record, changed = amended(bookings, booking, changes)
    assert (record.priority, record.origin, changed) == ("urgent", "QLP", changes)
    for sent, pointer in (
        ({"departs": "2026-05-04T12:00:00Z"}, "/body/departs"),
        ({"arrives": "2026-05-03T12:00:00Z"}, "/body/arrives"),
    ):
        with pytest.raises(RequestProblem) as told:
            amended(bookings, booking, Gate(Amendment[Booking]).admit(sent))
        assert [(fault.pointer, fault.code) for fault in told.value.refusal.faults] == [(pointer, "agreement")]
        says = "earlier than arrives" if "departs" in sent else "later than departs"
        assert says in told.value.refusal.faults[0].message


@dataclass
class Wary:
    headers: Annotated[dict[str, str], it.length < 3] | None = None


@dataclass
class Hidden:
    authorization: Annotated[str, it.length < 9]
    x_key: Annotated[str, it.length < 3, secret] = ""


@dataclass
class Visits:
    visit: Annotated[str, it.length < 3]


@dataclass
class Knocks:
    headers: Hidden
    cookies: Visits
    body: list[int]


class Lies(str):
    """Says of itself what it is not."""

    def lower(self) -> str:
        return "a\r\nset-cookie"

    def encode(self, *words: Any) -> bytes:
        return b"a\r\nb: c"


CET = timezone(timedelta(hours=2))
GIVEN: list[tuple[Any, dict[str, str] | str]] = [
    (Filed("/n/1", '"7"', datetime(2026, 5, 4, 9, 30, 1, 5, CET), 120, ["GET", "HEAD"], True, [], "s3cret-words"),
     {"location": "/n/1", "etag": '"7"', "last-modified": "Mon, 04 May 2026 07:30:01 GMT", "retry-after": "120", "allow": "GET, HEAD", "x-ok": "true"}),
    (Filed("/n/1"), {"location": "/n/1"}),
    ({"Location": "/n/2", "X-More": "yes", "Last-Modified": "Mon, 04 May 2026 09:30:01 GMT"},
     {"location": "/n/2", "x-more": "yes", "last-modified": "Mon, 04 May 2026 09:30:01 GMT"}),
    ({}, "/location: needs a value"),
    ({"Location": "/n"}, "/location: needs at least 4 characters"),
    ({"Location": "/n/1", "retry-after": "soon"}, "/retry-after: needs a whole number"),
    ({"Location": "/n/1", "last-modified": "once"}, "/last-modified: needs a date-time"),
    ({"Location": "/n/1", "a b": "c"}, "'a b' holds what no header can"),
    ({"Location": "/n/1", 5: "c"}, "'5' holds what no header can"),
    (Filed("/n/5\r\nSet-Cookie: a=b"), "'location' holds what no header can"),
    (Filed("/\u20ac/n"), "'location' holds what no header can"),
    (Filed("/n/1", last_modified=datetime.max.replace(tzinfo=timezone(-timedelta(hours=9)))), "past the end of the calendar"),
    (Filed("/n/1", last_modified=datetime(999, 1, 1, tzinfo=UTC)), {"location": "/n/1", "last-modified": "Tue, 01 Jan 0999 00:00:00 GMT"}),
    ({"Location": "/n/1", Lies("X-More"): Lies("yes")}, "'x-more' holds what no header can"),
    (Number(1), "needs a record of the declared type"),
    ("text", "needs a record of the declared type"),
]  # fmt: skip


@pytest.mark.parametrize(("given", "told"), GIVEN, ids=repr)
def test_headers_of_an_answer_are_typed(given: Any, told: dict[str, str] | str) -> None:
    answer: Any = Answering(204, headers=Filed)
    filed = Endpoint("POST", "/n", Nothing, answer)
    made = Api("n", "1", [filed.by(lambda sent: answer(headers=given))], development=True)
    replies = {name: ask("POST", "/n") for name, ask in clients(made).items()}
    assert len({reply.content for reply in replies.values()}) == 1
    for reply in replies.values():
        if isinstance(told, str):
            assert (reply.status, told in reply.json["detail"]) == (500, True)
        else:
            assert {name: value for name, value in reply.headers if name not in ("date", "server")} == told


@dataclass
class Since:
    if_modified_since: datetime | None = None
    date: datetime | None = None


@dataclass
class ShowsSince:
    headers: Since


NINE = datetime(2026, 5, 4, 9, 30, 1, tzinfo=UTC)
DATES: list[tuple[str, datetime | None]] = [
    ("Mon, 04 May 2026 09:30:01 GMT", NINE),
    ("Monday, 04-May-26 09:30:01 GMT", NINE),
    ("Mon May  4 09:30:01 2026", NINE),
    ("2026-05-04T11:30:01+02:00", NINE),
    ("Mon, 34 May 2026 09:30:01 GMT", None),
    ("Mon, 04 May 99999999999999999999 09:30:01 GMT", None),
    ("Mon", None),
    ("4 May 2026 09:30:01 GMT", None),
    ("Mon, 04 May 0000 09:30:01 GMT", None),
    ("Mon, 04 May 2026 09:30:01 +0200", None),
    ("Mon, 04 May 2026 24:30:01 GMT", None),
    ("Mon, " + "9 " * 9_000, None),
]


@pytest.mark.parametrize(("sent", "read"), DATES, ids=lambda held: str(held)[:30])
def test_dates_of_headers_are_those_of_http(sent: str, read: datetime | None) -> None:
    made = Endpoint("GET", "/n", ShowsSince, Answering(200, datetime)).by(lambda held: held.headers.if_modified_since)
    for ask in clients(Api("n", "1", [made])).values():
        reply = ask("GET", "/n", headers={"If-Modified-Since": sent, "Date": "Mon, 04 May 2026 09:30:01 GMT"})
        if read is None:
            assert (reply.status, reply.faults) == (422, [("headers", "#/if-modified-since", "reading")])
        else:
            assert datetime.fromisoformat(reply.json) == read


def test_cookies_of_an_answer_go_out_one_by_one() -> None:
    answer = Answering(204, headers=Filed)
    filed = Endpoint("POST", "/n", Nothing, answer)
    made = Api("n", "1", [filed.by(lambda sent: answer(headers=Filed("/n/1", set_cookie=["a=b; Path=/", "c=d"])))])
    for ask in clients(made).values():
        reply = ask("POST", "/n")
        assert [value for name, value in reply.headers if name == "set-cookie"] == ["a=b; Path=/", "c=d"]


@dataclass
class Jar:
    visit: str = ""
    kinds: list[str] = field(default_factory=list)
    ports: Annotated[list[str] | None, split_on("/")] = None


@dataclass
class ShowsJar:
    cookies: Jar


def test_a_cookie_that_comes_for_several_paths_is_the_nearest() -> None:
    made = Endpoint("GET", "/n", ShowsJar, Answering(200, list[Any])).by(
        lambda sent: [sent.cookies.visit, sent.cookies.kinds, sent.cookies.ports]
    )
    sent = "visit=near; kinds=a; ports=QLP/MRW; visit=far; kinds=b; ports=OST"
    for ask in clients(Api("n", "1", [made])).values():
        assert ask("GET", "/n", headers={"cookie": sent}).json == ["near", ["a", "b"], ["QLP", "MRW"]]


def test_what_is_said_of_the_headers_of_an_answer() -> None:
    filed = Endpoint(
        "POST", "/n", Nothing, Answering(204, headers=Filed) | Answering(202, Streamed("text/csv"), headers=Filed)
    )
    made = Api("n", "1", [filed.by(print)])
    answers = description(made)["paths"]["/n"]["post"]["responses"]
    assert answers["204"]["headers"] == answers["202"]["headers"]
    said = answers["204"]["headers"]
    assert said["location"] == {"required": True, "schema": {"type": "string", "minLength": 4}}
    assert said["etag"]["schema"] == {"type": "string", "pattern": '^"[^"]*"$'}
    assert said["last-modified"] == {
        "description": "A date of HTTP (RFC 9110, section 5.6.7).",
        "schema": {"type": "string", "pattern": HTTP_DATE},
    }
    assert "link" not in said
    assert "retry-after" in manual(made)


@obeys(this.path.number == this.body.weight_kg, this.path.number < 9)
@dataclass
class PutCrate:
    path: Number
    body: Annotated[Crate, under_key("crate")]


@dataclass
class MayList:
    body: Annotated[list[Crate] | None, it.length > 1, under_key("crates")] = None


UNDER: list[tuple[Any, list[tuple[str, str]]]] = [
    ({"crate": {"contents": "rope", "weight_kg": 3}}, []),
    ({"crate": {"contents": "", "weight_kg": 3}, "more": 1}, [("/body/crate/contents", "length")]),
    ({"crate": {"contents": "rope", "weight_kg": 4}}, [("/path", "agreement")]),
    ({"crate": None}, [("/body/crate", "kind")]),
    ({"contents": "rope"}, [("/body/crate", "absent")]),
    ({}, [("/body/crate", "absent")]),
    ([], [("/body", "kind")]),
    (None, [("/body", "kind")]),
]


@pytest.mark.parametrize(("body", "told"), UNDER, ids=repr)
def test_a_body_may_be_one_value_under_one_key(body: Any, told: list[tuple[str, str]]) -> None:
    gate = RequestGate(PutCrate)
    parts = {"path": {"number": "3"}}
    verdicts = [
        gate.examine({**parts, "body": body}),
        gate.examine_with_json(parts, json.dumps(body).encode())[0],
        gate.examine_with_cbor(parts, cbor2.dumps(body))[0],
    ]
    for verdict in verdicts:
        assert [(fault.pointer, fault.code) for fault in verdict.faults] == told
        assert not verdict or verdict.value.body.contents == "rope"
    may = RequestGate(MayList)
    assert [may.admit({}).body, may.admit({"body": {"crates": None}}).body] == [None, None]
    assert may.examine({"body": {"crates": [UNDER[0][0]["crate"]]}}).faults[0].pointer == "/body/crates"


def test_who_asks_is_hidden_unasked_and_what_nobody_declared_is_let_be() -> None:
    gate = RequestGate(Knocks)
    words = {
        "headers": {"authorization": "Bearer s3cret", "x-key": "s3cret", "te": "x"},
        "cookies": {"visit": "s3cret", "else": "1"},
    }
    verdict, readable = gate.examine_with_json(words, '["s3en", 1]')
    assert readable
    assert [fault.pointer for fault in verdict.faults] == [
        "/headers/authorization",
        "/headers/x-key",
        "/cookies/visit",
        "/body/0",
    ]
    assert "s3cret" not in repr([fault.as_dict() for fault in verdict.faults])
    assert "s3en" in verdict.faults[-1].message
    verdict, readable = gate.examine_with_json(words, "[no")
    assert not readable
    assert "no" in verdict.faults[-1].message
    with pytest.raises(DeclarationError, match="known by their names"):
        RequestGate(Wary)
    assert repr(gate) == "<RequestGate Knocks>"


def test_one_endpoint_or_one_part_beside_the_routes_of_an_application() -> None:
    from dutiful_gate.web import flask, starlette

    made = api()
    application = Flask("quay")
    for served in made.served[:2]:
        flask.add(application, made, served)

    @application.route("/sailings/<int:number>", methods=["GET", "POST"])
    @flask.reading(RequestGate(Wide))
    def sailings(sent: Wide, number: int) -> Any:
        return {"page": sent.query.page, "number": number + sent.path.number}

    client = application.test_client()
    assert client.get("/bookings?sort=b").json == ["b"]
    assert client.get("/sailings/4?page=2").json == {"page": 2, "number": 8}
    refused = client.get("/sailings/0?page=x")
    assert (refused.status_code, [each["pointer"] for each in refused.json["errors"]]) == (422, ["#/number", "#/page"])

    async def by_hand(request: Any, sent: Wide) -> Any:
        from starlette.responses import JSONResponse

        return JSONResponse({"page": sent.query.page})

    from starlette.routing import Route

    routes = [
        Route("/sailings/{number}", starlette.reading(RequestGate(Wide), by_hand)),
        starlette.route(made, made.served[0]),
    ]

    async def weighed(request: Any, sent: Weighs) -> Any:
        from starlette.responses import JSONResponse

        return JSONResponse(sent.body)

    routes.append(
        Route("/weights", starlette.reading(RequestGate(Weighs, limits=Limits(bytes=20)), weighed), methods=["POST"])
    )
    ask = asker(Starlette(routes=routes))
    assert ask("POST", "/weights", json=[1, 2]).json == [1, 2]
    assert ask("POST", "/weights", json=["x"]).faults == [("body", "#/0", "kind")]
    assert ask("POST", "/weights", json=[1] * 20).status == 413
    assert ask("GET", "/sailings/4?page=2").json == {"page": 2}
    assert ask("GET", "/sailings/0?page=x").faults == [("path", "#/number", "floor"), ("query", "#/page", "reading")]
    assert ask("GET", "/bookings?sort=b").json == ["b"]


def test_under_a_prefix_paths_are_those_that_were_declared() -> None:
    from dutiful_gate.web.flask import blueprint
    from dutiful_gate.web.starlette import mounted

    made = api()
    application = Flask("quay")
    application.register_blueprint(blueprint(made, "/freight"))
    assert application.test_client().get("/freight/bookings?sort=b").json == ["b"]
    assert application.test_client().get("/bookings").status_code == 404
    ask = asker(Starlette(routes=[mounted(made, "/freight")]))
    assert ask("GET", "/freight/bookings?sort=b").json == ["b"]
    assert ask("GET", "/freight/quays").json["detail"] == "There is nothing at this path."


def test_limits_are_each_endpoints_own() -> None:
    small = Api(
        "a", "1", [Endpoint("POST", "/b", Sends, Answering(200), limits=Limits(bytes=50)).by(lambda sent: None)]
    )
    reply = clients(small)["asgi"]("POST", "/b", json=SOUND)
    assert (reply.status, reply.json["detail"]) == (413, "A body here has at most 50 bytes.")


RAW_LIST = b"""{"day": "2026-05-04", "bookings": [
  {"origin": 12},
  %s,
  {"origin": "QLP", "origin": "MRW"}
]}"""


def test_each_item_of_a_list_in_raw_json_has_its_verdict_and_its_places() -> None:
    raw = RAW_LIST % json.dumps(SOUND).encode()
    first, second, third = bookings.examine_each_json(raw, "/bookings")
    assert [(fault.pointer, str(fault.place)) for fault in first.faults if fault.code == "kind"] == [
        ("/origin", "2:14")
    ]
    assert second.value == bookings.admit(SOUND)
    assert ("/origin", "repeat", "4:21") in [(fault.pointer, fault.code, str(fault.place)) for fault in third.faults]
    (told,) = bookings.examine_each_json(raw)
    assert told.faults[0].message == "needs an array of items; got an object of 2 keys"
    (told,) = bookings.examine_each_json(raw, "/nowhere/3")
    assert (told.faults[0].pointer, told.faults[0].message) == ("/nowhere/3", "needs an array of items; got null")
    (told,) = bookings.examine_each_json(b"[1, ")
    assert told.faults[0].place is not None
    assert list(bookings.examine_each_json(b"[]")) == []
    assert len(list(bookings.examine_each_json(json.dumps([SOUND] * 3)))) == 3
    problem: Any = joined({"first": first, "second": second, "third": third})
    assert {each["part"] for each in problem["errors"]} == {"first", "third"}
    with pytest.raises(ValueError, match="no problem"):
        joined({"second": second})


REPLIES: list[tuple[int, dict[str, str], bytes, list[str]]] = [
    (200, JSON, b"[%s, 1]", ["", "needs an object; got 1"]),
    (503, {}, b"busy", ["needs a reply with the status 200; got 503"]),
    (200, {"content-type": "text/html"}, b"<p>", ["needs a reply in JSON; got another media type"]),
    (200, JSON, b"{}", ["needs an array of items; got an object of 0 keys"]),
    (200, JSON, b" " * 2_000_000, ["needs a reply of at most 1000000 bytes; got more"]),
]


@pytest.mark.parametrize(("status", "headers", "content", "told"), REPLIES)
def test_replies_of_other_services_are_read_no_further_than_they_must(
    status: int, headers: dict[str, str], content: bytes, told: list[str]
) -> None:
    gate = Gate(Booking, limits=Limits(bytes=1_000_000))
    body = content.replace(b"%s", json.dumps(SOUND).encode())
    sent: list[bytes] = []

    def pieces() -> Any:
        for start in range(0, len(body), 65_536):
            sent.append(body[start : start + 65_536])
            yield sent[-1]

    def answer(request: httpx.Request) -> httpx.Response:
        return httpx.Response(status, headers=headers, content=pieces())

    with httpx.Client(transport=httpx.MockTransport(answer), base_url="http://quay.example") as client:
        with client.stream("GET", "/bookings") as reply:
            verdicts = list(examine_each_reply(reply, gate))
        assert ["".join(fault.message for fault in verdict.faults) for verdict in verdicts] == told
        assert len(sent) < 20
        with client.stream("GET", "/bookings") as reply:
            whole = examine_reply(reply, Gate(list[Booking], limits=Limits(bytes=1_000_000)))
        assert not whole
        assert bool(examine_reply(client.get("/bookings"), Gate(list[Any]))) == (told[0] == "")


@pytest.mark.parametrize("seed", range(25))
def test_generated_endpoints_answer_sound_requests_and_tell_broken_ones(seed: int) -> None:
    """Any declaration as a body: nothing sound is refused, nothing broken admitted, nothing ends in a 5xx."""
    declared, words = any_declaration(seed)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            gate: Gate[Any] = Gate(declared, names=words.get("names"))
            key = ["", "held", "held-1 {x}"][seed % 3]
            sent = make_dataclass("Sent", [("body", Annotated[declared, under_key(key)] if key else declared)])
            endpoint = Endpoint("POST", "/any", sent, Answering(204), names=words.get("names"))
        except DeclarationError:
            return
        description(Api("Any", "1", [endpoint.by(print)]))
    ask = clients(Api("Any", "1", [endpoint.by(lambda held: None)]))["wsgi"]
    try:
        sound = payloads(gate, 5, seed)
        broken = list(islice(probes(gate, seed), 25))
    except CannotSample:
        return

    def sent_as(data: Any) -> str:
        return json.dumps({key: data} if key else data)

    for data in sound:
        assert ask("POST", "/any", content=sent_as(data), headers=JSON).status == 204, data
    for data, fault in broken:
        reply = ask("POST", "/any", content=sent_as(data), headers=JSON)
        assert reply.status in (400, 422), data
        if "unknown" not in {code for _, _, code in reply.faults}:
            within = f"/{key}" if key else ""
            pointer = "#" + quote(within + fault.pointer, safe="/~!$&'()*+,;=:@-._", errors="replace")
            assert ("body", pointer) in {(part, at) for part, at, _ in reply.faults}, (data, fault)


@pytest.mark.parametrize("seed", range(60))
def test_generated_parts_in_text_are_read_as_the_gate_reads_them(seed: int) -> None:
    """Any record as a path, a query, headers, cookies or a form, the last both ways: sound and broken ones."""
    part, declared = any_part(seed)
    try:
        gate: Gate[Any] = Gate(declared)
        sent = make_dataclass("Sent", [(part, declared)])
        path = "".join(f"/{{{name}}}" for name in declared.__dataclass_fields__) if part == "path" else "/any"
        endpoint = Endpoint("POST", path, sent, Answering(204))
        sound, broken = payloads(gate, 5, seed), list(islice(probes(gate, seed), 30))
    except (DeclarationError, CannotSample):
        return
    names = list(declared.__dataclass_fields__)
    got: list[Any] = []
    ask = clients(Api("Any", "1", [endpoint.by(lambda request: got.append(getattr(request, part)))]))["asgi"]
    ways: list[dict[str, Any]] = [{}, {"files": []}] if part == "form" else [{}]
    may_lack = {name for name, field in declared.__dataclass_fields__.items() if field.default is None}
    for data, way in product(sound, ways):
        if any(held is None and name not in may_lack for name, held in data.items()):
            continue  # no text says null
        with suppress(CannotSend):
            assert sent_by(ask, part, data, names, **way).status == 204, data
            assert got.pop() == gate.admit(data)
    for (data, fault), way in product(broken, ways):
        with suppress(CannotSend):
            reply = sent_by(ask, part, data, names, **way)
            if reply.status == 204:  # as text, 1 is as good as "1"; nothing says false, or no rows, in a form
                assert fault.code == "kind" or (part, fault.code) == ("form", "absent"), (data, fault)
                continue
            assert reply.status == 422, data
            pointer = fault.pointer.replace("_", "-") if part == "headers" else fault.pointer
            assert (part, f"#{pointer}") in {(part, at) for part, at, _ in reply.faults}, (data, fault)


class Deck(Enum):
    UPPER = 1
    LOWER = 2


@dataclass
class Asked:
    """What may be true, false or left open, and choices that are no text."""

    insured: bool
    sealed: bool = False
    heated: bool = True
    weighed: bool | None = None
    deck: Deck = Deck.LOWER


@dataclass
class Asks:
    form: Asked


def test_a_box_not_ticked_says_false_and_nothing_else() -> None:
    shown = str(Form(RequestGate(Asks), action="/asked").html())
    boxes = re.findall(r'type="checkbox"[^>]* name="(\w+)"', shown)
    selects = dict(re.findall(r'<select name="(\w+)"[^>]*>(.*?)</select>', shown, re.DOTALL))
    options = {name: re.findall(r"<option([^>]*)>(\w+)<", held) for name, held in selects.items()}
    assert boxes == ["insured", "sealed"]
    assert options["heated"] == [(' value="true" selected', "yes"), (' value="false"', "no")]
    assert options["weighed"] == [(' value="true"', "yes"), (' value="false"', "no")]
    assert options["deck"] == [("", "1"), (" selected", "2")]


@dataclass
class Loading:
    """Everything a form cannot send when there is none of it."""

    insured: bool
    hazards: list[str]
    crates: list[Crate]
    seals: dict[str, int]
    checks: Checks
    held: Annotated[list[int], it.length >= 1]
    name: str


@dataclass
class Checks:
    weighed: bool
    sealed: bool = False


@dataclass
class Load:
    form: Loading


def test_what_a_form_cannot_send_is_none_of_it() -> None:
    """A box that is not ticked is false, a list without rows is empty: what was forgotten is told all the same."""
    got: list[Any] = []
    ask = clients(
        Api("Quay", "1", [Endpoint("POST", "/load", Load, Answering(204)).by(lambda sent: got.append(sent.form))])
    )["wsgi"]
    reply = ask("POST", "/load", data={})
    assert reply.faults == [("form", "#/name", "absent"), ("form", "#/held", "count")]
    assert ask("POST", "/load", data={"held": "1", "name": "", "checks[sealed]": "on"}).status == 204
    assert got == [Loading(False, [], [], {}, Checks(False, True), [1], "")]


@pytest.mark.parametrize(
    ("sent", "read"),
    [
        ("a, b", ["a", "b"]), (" a ,, b,", ["a", "b"]), ("", []), ('"a, b", W/"c\\", d"', ['"a, b"', 'W/"c\\", d"']), ("a\\, b", ["a\\", "b"]),
        ('"a, b', ['"a, b']), ("Mon, 04 May 2026 09:30:00 GMT, x", ["Mon, 04 May 2026 09:30:00 GMT", "x"]), ("Mon, x", ["Mon", "x"]),
    ],
)  # fmt: skip
def test_lists_in_headers_are_those_of_http(sent: str, read: list[str]) -> None:
    assert listed(sent) == read


@dataclass
class Papers:
    manifest: Annotated[UploadedFile, of_type("application/pdf", unverified=False), it.length <= 5_000]
    photos: Annotated[list[Annotated[UploadedFile, of_type("image/*")]], it.length <= 2] = field(default_factory=list)
    note: UploadedFile | None = None


@dataclass
class Declares:
    form: Search
    files: Papers


PDF, PNG = b"%PDF-1.7 ...", b"\x89PNG\r\n\x1a\n..."
FILES: list[tuple[list[tuple[str, Any]], int, Any]] = [
    ([("manifest", ("a.pdf", PDF, "application/pdf"))], 200, ["a.pdf", "application/pdf", 0]),
    ([("manifest", ("..\\C:\\x/../a\x00b.pdf", PDF, "text/html")), ("photos", ("1.png", PNG)), ("photos", ("2.jpg", b"?", "image/jpeg"))], 200,
     ["a%00b.pdf", "application/pdf", 2]),
    ([("manifest", ("a.pdf", b"no such thing", "application/pdf"))], 422, [("files", "#/manifest", "check")]),
    ([("manifest", ("a.pdf", PDF + b" " * 6_000))], 422, [("files", "#/manifest", "count")]),
    ([("manifest", ("a.pdf", PDF))] + [("photos", ("1.png", PNG))] * 3, 422, [("files", "#/photos", "count")]),
    ([("manifest", ("a.pdf", PDF)), ("photos", ("1.txt", b"text", "text/plain"))], 422, [("files", "#/photos/0", "check")]),
    ([("manifest", ("", b""))], 422, [("files", "#/manifest", "absent")]),
    ([("other", ("a.pdf", PDF))], 422, [("files", "#/manifest", "absent")]),
]  # fmt: skip


@pytest.mark.parametrize(("sent", "status", "told"), FILES)
def test_files_of_a_form(sent: list[tuple[str, Any]], status: int, told: Any) -> None:
    def take(held: Declares) -> list[Any]:
        papers = held.files
        assert papers.manifest.read() in (PDF, PDF[: len(papers.manifest)])
        return [papers.manifest.name, papers.manifest.media_type, len(papers.photos)]

    endpoint = Endpoint("POST", "/papers", Declares, Answering(200, list[Any]))
    for name, ask in clients(Api("Papers", "1", [endpoint.by(take)])).items():
        reply = ask("POST", "/papers?x", data={"page": "2"}, files=sent)
        assert reply.status == status, (name, reply.content)
        assert (reply.json if status == 200 else reply.faults) == told


def test_no_sign_in_the_name_of_a_file_leads_anywhere() -> None:
    names: list[str] = []
    endpoint = Endpoint("POST", "/papers", Declares, Answering(204))
    asked = clients(Api("Papers", "1", [endpoint.by(lambda held: names.append(held.files.manifest.name))]))["wsgi"]
    for name in (b"../../a\x00.pdf", b"C:\\\\x\\\\a\x1b[2J.pdf", b"a\xff.pdf", b"/etc/a.pdf", b"..", b"a" * 999):
        content = b'--x\r\nContent-Disposition: form-data; name="manifest"; filename="%s"\r\n\r\n%s\r\n--x--\r\n' % (
            name,
            PDF,
        )
        assert asked("POST", "/papers", content=content, headers=BOUNDARY).status == 204, name
    assert names == ["a\ufffd.pdf", "a\ufffd[2J.pdf", "a\xff.pdf", "a.pdf", "", "a" * 255]


BOUNDARY = {"content-type": "multipart/form-data; boundary=x"}
BROKEN_FORMS: list[tuple[bytes, dict[str, str], int]] = [
    (
        b"--x\r\nContent-Disposition: form-data; name=a\r\n\r\n1\r\n--x--\r\n",
        {"content-type": "multipart/form-data"},
        400,
    ),
    (b"--x\r\nContent-Disposition: form-data; name=a\r\n\r\n1", BOUNDARY, 400),
    (b"nothing of the kind", BOUNDARY, 400),
    (b"--x\r\nContent-Disposition: attachment\r\n\r\n1\r\n--x--\r\n", BOUNDARY, 400),
    (b"--x\r\nContent-Disposition: form-data; name=a\r\n\r\n\xff\r\n--x--\r\n", BOUNDARY, 400),
    (b"--x\r\nContent-Disposition: form-data; name=a\r\n\r\n1\r\n" * 1100 + b"--x--\r\n", BOUNDARY, 413),
    (b"a=b", {"content-type": "application/x-www-form-urlencoded"}, 415),
]


@pytest.mark.parametrize(("content", "headers", "status"), BROKEN_FORMS)
def test_forms_that_are_none_are_told(content: bytes, headers: dict[str, str], status: int) -> None:
    endpoint = Endpoint("POST", "/papers", Declares, Answering(204))
    for ask in clients(Api("Papers", "1", [endpoint.by(lambda held: None)])).values():
        assert ask("POST", "/papers", content=content, headers=headers).status == status


def test_files_in_a_description_a_manual_and_a_form(tmp_path: Path) -> None:
    made = Api("Papers", "1", [Endpoint("POST", "/papers", Declares, Answering(204)).by(print)])
    for version, kind in (
        ("3.1", {"type": "string", "contentMediaType": "application/octet-stream"}),
        ("3.0", {"type": "string", "format": "binary"}),
    ):
        told: Any = description(made, version)  # type: ignore[arg-type]
        body = told["paths"]["/papers"]["post"]["requestBody"]["content"]["multipart/form-data"]
        photo = {**kind, "description": "a file of one of these types: image/*"}
        assert body["schema"]["properties"]["photos"] == {"type": "array", "items": photo, "maxItems": 2}
        assert body["schema"]["properties"]["manifest"]["maxLength"] == 5_000
        assert body["encoding"] == {
            "manifest": {"contentType": "application/pdf"},
            "photos": {"contentType": "image/*"},
        }
    html = Form(RequestGate(Declares)).page(
        {"page": "x"}, RequestGate(Declares).examine({"form": {"page": "x"}, "files": {"photos": [1]}}).faults
    )
    assert 'enctype="multipart/form-data"' in html
    assert 'type="file" name="photos"' in html
    assert "needs a file" in html
    file = UploadedFile("a", "", 3, io.BytesIO(b"abc"))
    assert (len(file), bool(file), file.media_type, file.verified, file.read(2)) == (
        3,
        True,
        "application/octet-stream",
        False,
        b"ab",
    )
    file.save(tmp_path / "a")
    assert (tmp_path / "a").read_bytes() == b"abc"
    assert repr(file) == "<UploadedFile 'a': application/octet-stream, 3 bytes>"
    assert not Gate(Papers).accepts({"manifest": "a"})
    for wrong in ("pdf", "a/b/c", "/"):
        with pytest.raises(DeclarationError, match="no media type"):
            of_type(wrong)
    with pytest.raises(DeclarationError, match="come with a form"):
        RequestGate(make_dataclass("Mixed", [("body", int), ("files", Papers)]))


def test_what_waits_for_a_body_is_told_how_it_ends() -> None:
    """The first piece may be here or come later, by a coroutine or a future; the wait may be cancelled, or fail."""
    head = [(b"content-type", b"application/json"), (b"content-length", b"20")]
    scope = {"type": "http", "method": "POST", "path": "/bookings", "query_string": b"", "headers": head}
    whole = {"type": "http.request", "body": b"[]", "more_body": False}
    log: list[Any] = []

    async def send(message: Any) -> None:
        log.append(message.get("status"))

    async def later(outcome: Any) -> Any:
        try:
            await asyncio.sleep(0.01)
            if isinstance(outcome, Exception):
                raise outcome
            await asyncio.sleep(outcome if isinstance(outcome, int) else 0)
            return outcome
        except asyncio.CancelledError:
            log.append("cancelled")
            raise

    async def told(receive: Any, seconds: float = 30, cancels: bool = False) -> list[Any]:
        log.clear()
        task = asyncio.create_task(asgi(api(), seconds=seconds)(scope, receive, send))
        if cancels:
            await asyncio.sleep(0.05)
            task.cancel()
        try:
            await task
        except (asyncio.CancelledError, OSError) as error:
            log.append(type(error).__name__)
        return list(log)

    async def every() -> None:
        future = asyncio.get_running_loop().create_future()
        asyncio.get_running_loop().call_later(0.02, future.set_result, whole)
        assert await told(lambda: future) == [422, None]
        assert await told(lambda: later(whole)) == [422, None]
        assert await told(lambda: later({"type": "http.disconnect"})) == []
        assert await told(lambda: later(OSError("gone"))) == ["OSError"]
        assert await told(lambda: later(60), seconds=0.05) == ["cancelled", 408, None]
        assert await told(lambda: later(60), cancels=True) == ["cancelled", "CancelledError"]

    asyncio.run(every())


@dataclass
class Taken:
    by: str


@dataclass
class Name:
    name: str


@dataclass
class ByName:
    path: Name


FILED_7, TAKEN = Answering(201, Number, headers=Filed), Answering(409, Taken, text="The number is taken.")


def _gives(returns: Any) -> Callable[[Any], Any]:
    def handler(sent: Any) -> Any:
        return None

    handler.__annotations__["return"] = returns
    return handler


@pytest.mark.parametrize(
    ("answers", "returns", "passes"),
    [
        (Answering(200, Number), Number, True), (Answering(200, Number), Any, True), (Answering(200, Number), Taken, True),
        (Answering(200, Number), str, False), (Answering(200, Number), dict[str, Any], False), (Answering(200, Number), None, False),
        (Answering(200, Number), Number | None, False), (Answering(200, Number | None), Number | None, True),
        (Answering(200, list[Number]), list[Number], True), (Answering(200, list[Number]), tuple[Number, ...], True),
        (Answering(200, list[Number]), Number, True), (Answering(200, list[Number]), str, False), (Answering(200, float), int, True),
        (Answering(200, int), str, False), (Answering(200, int), Answered[int], True), (Answering(200, int) | TAKEN, int | Answered[Taken], True),
        (Answering(204), None, True), (Answering(204), int, False), (FILED_7, Answered[Number, Filed], True), (FILED_7, Number, False),
        (FILED_7, None, False), (Answering(200, Streamed("text/csv")), str, True), (Answering(200, datetime), str, True), (Answering(200, Any), str, True),
        (Answering(200, int), "Nowhere", True),
    ],
)  # fmt: skip
def test_an_annotation_that_tells_of_another_answer_is_told(answers: Any, returns: Any, passes: bool) -> None:
    endpoint = Endpoint("GET", "/n", Nothing, answers)
    with nullcontext() if passes else pytest.raises(DeclarationError, match=r"the handler of .* says that it gives"):
        endpoint.by(_gives(returns))


def test_answers_that_are_declared_are_called_and_no_others() -> None:
    calls: dict[str, tuple[Any, int]] = {
        "filed": (FILED_7(Number(7), headers=Filed("/n/7")), 201), "taken": (TAKEN(Taken("Ann")), 409), "equal": (Answering(409, Taken)(Taken("Ann")), 409),
        "bare": (Number(7), 500), "other": (Answering(404, Taken)(Taken("Ann")), 500), "alike": (Answering(409, str)("Ann"), 500),
        "headless": (FILED_7(Number(7)), 500), "wrong": (TAKEN(Number(7)), 500), "class": (TAKEN, 500),  # type: ignore[call-arg,call-overload]
    }  # fmt: skip
    made = Endpoint(
        "GET", "/{name}", ByName, FILED_7 | TAKEN, problems=[404, RequestProblem(423, "The quay is closed.")]
    )
    api = Api("n", "1", [made.by(lambda sent: calls[sent.path.name][0])])
    for ask in clients(api).values():
        for name, (_, status) in calls.items():
            assert ask("GET", f"/{name}").status == status, name
    told = description(api)["paths"]["/{name}"]["get"]["responses"]
    assert {status: told[status]["description"] for status in ("201", "409", "404", "423")} == {
        "201": "Created", "409": "The number is taken.", "404": "Not Found", "423": "The quay is closed."
    }  # fmt: skip
    assert set(told["423"]["content"]) == {"application/problem+json"}


def test_a_content_type_goes_out_once_and_a_length_is_never_believed() -> None:
    given = {"Content-Type": "application/hal+json", "content-length": "3", "Link": ["<a>", "<b>"]}
    answer = Answering(200, int)
    served = Endpoint("GET", "/n", Nothing, answer).by(lambda sent: answer(12345, headers=given))
    for ask in clients(Api("n", "1", [served])).values():
        reply = ask("GET", "/n")
        assert [pair for pair in reply.headers if pair[0] in ("content-type", "content-length", "link")] == [
            ("content-length", "5"), ("content-type", "application/hal+json"), ("link", "<a>"), ("link", "<b>")
        ]  # fmt: skip
