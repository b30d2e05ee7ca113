"""Who may: every scheme, alternative and evasion through every adapter, and what is declared wrongly; no door is open."""

# Rooms: web, declare, shape

from __future__ import annotations

import asyncio
import base64
import gzip
import hashlib
import hmac
import json
import time
from collections.abc import Callable
from contextvars import ContextVar
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import partial
from random import Random
from typing import Annotated, Any

import httpx
import pytest
from flask import Flask
from starlette.applications import Starlette
from starlette.routing import Mount

from any_api import asker, by_wsgi, clients
from dutiful_gate import DeclarationError, Gate, now, outside
from dutiful_gate.web import (
    IN_FRONT,
    PUBLIC,
    Answering,
    Api,
    ApiKey,
    Basic,
    Bearer,
    Endpoint,
    Form,
    Head,
    OAuth2,
    OpenIdConnect,
    OwnScheme,
    RequestGate,
    RequestProblem,
    SetCookie,
    Signed,
    SigningKey,
    description,
    identity,
)
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.flask import add, blueprint
from dutiful_gate.web.starlette import mounted, route
from dutiful_gate.web.wsgi import wsgi


@dataclass(frozen=True)
class Person:
    name: str
    may: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Desk:
    quay: str


@dataclass
class Crate:
    weight: int


@dataclass
class Number:
    number: int


@dataclass
class Show:
    who: Annotated[Person | Desk | None, identity]
    path: Number


@dataclass
class Open:
    path: Number


@dataclass
class Send:
    who: Annotated[Any, identity]
    body: Crate


@dataclass
class Nothing:
    pass


@dataclass
class ByForm:
    form: Crate


PEOPLE = {"ann-token": Person("Ann", frozenset(["book"])), "bo.token": Person("Bo")}
KEY = b"0123456789abcdef" * 2
OLD = b"another key that was used before"


def person_of(token: str) -> Person | None:
    return PEOPLE.get(token)


async def person_later(token: str) -> Person | None:
    await asyncio.sleep(0)
    return PEOPLE.get(token)


def may(person: Person) -> frozenset[str]:
    return person.may


def named(user: str, password: str) -> Person | None:
    known = hmac.compare_digest(password.encode(), b"open: sesame")
    return PEOPLE["ann-token"] if user == "ann" and known else None


def desk_of(key: str) -> Desk | None:
    return Desk("north") if hmac.compare_digest(key.encode(), b"north-key") else None


def keys_of(head: Head) -> list[SigningKey[Desk]]:
    return [SigningKey(Desk("scales"), OLD), SigningKey(Desk("scales"), KEY)]


signed_in = Bearer(person_of, scopes_of=may, text="A token of the desk.")
desk_key = ApiKey(desk_of, header="X-Desk-Key")
in_query = ApiKey(desk_of, query="key")
in_cookie = ApiKey(desk_of, cookie="desk")
password = Basic(named)
weighed = Signed(keys_of, signature="X-Signature", sent_at="X-Sent-At", prefix="v1=")
in_front = Bearer(IN_FRONT, name="front")

ENDPOINTS = {
    "GET /person/{number}": signed_in,
    "GET /booker/{number}": signed_in["book"],
    "GET /either/{number}": signed_in["book"] | desk_key,
    "GET /query/{number}": in_query,
    "GET /cookie/{number}": in_cookie,
    "GET /password/{number}": password,
    "GET /perhaps/{number}": signed_in | PUBLIC,
    "GET /public/{number}": PUBLIC,
    "GET /front/{number}": in_front,
}


def _shown(sent: Any) -> Any:
    return repr(getattr(sent, "who", None))


def _api() -> Api:
    served: list[Any] = []
    for where, wanted in ENDPOINTS.items():
        method, path = where.split()
        request: Any = Open if wanted is PUBLIC else Show
        served.append(Endpoint(method, path, request, Answering(200, str), security=wanted).by(_shown))
    served += [
        Endpoint("POST", "/both", Send, Answering(200, str), security=desk_key & signed_in["book"]).by(_shown),
        Endpoint("POST", "/weighed", Send, Answering(200, str), security=weighed, unpacks=["gzip"]).by(_shown),
        Endpoint("POST", "/weighed-or-key", Send, Answering(200, str), security=weighed | desk_key | PUBLIC).by(_shown),
        Endpoint("POST", "/cookie", Send, Answering(200, str), security=in_cookie).by(_shown),
        Endpoint("POST", "/form", ByForm, Answering(200, int), security=PUBLIC).by(lambda sent: sent.form.weight),
    ]
    return Api('Quay "north" é', "1", served, origins=["https://desk.ternsound.example"])


CLIENTS = clients(_api())
ANN, BO, DESK = (repr(each) for each in (PEOPLE["ann-token"], PEOPLE["bo.token"], Desk("north")))
TOKEN, OTHER, KEYED = (
    {"authorization": "Bearer ann-token"},
    {"authorization": "bearer bo.token"},
    {"x-desk-key": "north-key"},
)


def basic(text: str) -> dict[str, str]:
    return {"authorization": "Basic " + base64.b64encode(text.encode()).decode()}


# What is sent, and who it is; 401 or 403 where nobody is.
HEADS: list[tuple[str, dict[str, str] | list[tuple[str, str]], str | int]] = [
    ("/person/7", TOKEN, ANN), ("/person/7", OTHER, BO), ("/person/7", {}, 401), ("/person/7", KEYED, 401),
    ("/person/7", {"authorization": "Bearer"}, 401), ("/person/7", {"authorization": "Bearer "}, 401), ("/person/7", {"authorization": ""}, 401),
    ("/person/7", {"authorization": "Bearer ann-token, Bearer bo.token"}, 401), ("/person/7", {"authorization": "Bearer ann-token x"}, 401),
    ("/person/7", {"authorization": "ann-token"}, 401), ("/person/7", {"authorization": "Bearerann-token"}, 401),
    ("/person/7", {"authorization": "Bearer ANN-TOKEN"}, 401), ("/person/7", {"authorization": "Basic ann-token"}, 401),
    ("/person/7?authorization=Bearer%20ann-token&who=ann", {}, 401), ("/person/7", {"x-authorization": "Bearer ann-token"}, 401),
    ("/person/7", {"proxy-authorization": "Bearer ann-token"}, 401), ("/person/7", {"cookie": "authorization=Bearer ann-token"}, 401),
    ("/person/7", [("authorization", "Bearer ann-token"), ("authorization", "Bearer bo.token")], 401),
    ("/person/7", {"forwarded": "for=127.0.0.1", "x-forwarded-for": "127.0.0.1", "x-original-url": "/public/7"}, 401),
    ("/p%65rson/7", {}, 401), ("/person/%37", {}, 401), ("/person/x", {}, 401), ("/person/7?x=" + "y" * 200, {}, 401),
    ("/person/7/", {}, 404), ("//person/7", {}, 404), ("/person%2F7", {}, 404), ("/PERSON/7", {}, 404), ("/public/../person/7", {}, 401),
    ("/booker/7", TOKEN, ANN), ("/booker/7", OTHER, 403), ("/booker/7", {}, 401),
    ("/either/7", TOKEN, ANN), ("/either/7", KEYED, DESK), ("/either/7", {**OTHER, **KEYED}, DESK), ("/either/7", OTHER, 403),
    ("/either/7", {**OTHER, "x-desk-key": "no"}, 403), ("/either/7", {"authorization": "Bearer no", "x-desk-key": "no"}, 401),
    ("/either/7", {"x-desk-key": ""}, 401), ("/either/7", [("x-desk-key", "north-key"), ("x-desk-key", "x")], 401),
    ("/query/7?key=north-key", {}, DESK), ("/query/7?key=", {}, 401), ("/query/7?key=north-key&key=x", {}, 401), ("/query/7?Key=north-key", {}, 401),
    ("/query/7?key=%ff", {}, 401), ("/query/7?" + "a&" * 2000 + "key=north-key", {}, 401), ("/query/7", {"key": "north-key"}, 401),
    ("/cookie/7", {"cookie": "desk=north-key"}, DESK), ("/cookie/7", {"cookie": "desk=x; desk=north-key"}, 401), ("/cookie/7", {"cookie": "Desk=north-key"}, 401),
    ("/cookie/7", {"cookie": "a=b"}, 401),
    ("/password/7", basic("ann:open: sesame"), ANN), ("/password/7", basic("ann:open"), 401), ("/password/7", basic("ann"), 401),
    ("/password/7", basic("bo:open: sesame"), 401), ("/password/7", basic("ann\x00:open: sesame"), 401), ("/password/7", {"authorization": "Basic %%%"}, 401),
    ("/password/7", {"authorization": "Basic /w=="}, 401), ("/password/7", {}, 401),
    ("/perhaps/7", {}, "None"), ("/perhaps/7", TOKEN, ANN), ("/perhaps/7", {"authorization": "Bearer no"}, 401),
    ("/public/7", {}, "None"), ("/public/7", {"authorization": "Bearer no"}, "None"), ("/front/7", {}, "None"),
]  # fmt: skip


@pytest.mark.parametrize(("url", "headers", "who"), HEADS)
@pytest.mark.parametrize("adapter", CLIENTS)
def test_nobody_is_let_in_who_is_not_known(adapter: str, url: str, headers: Any, who: str | int) -> None:
    if url.startswith("/public/7"):
        assert CLIENTS[adapter]("GET", url, headers=headers).status == 200
        return
    reply = CLIENTS[adapter]("GET", url, headers=headers)
    assert (reply.status, reply.json if isinstance(who, str) else None) == (
        (200, who) if isinstance(who, str) else (who, None)
    )
    assert "token" not in json.dumps(reply.json) or isinstance(who, str), "what came is not told"
    assert CLIENTS[adapter]("HEAD", url, headers=headers).status == reply.status, "HEAD asks as GET does"
    assert CLIENTS[adapter]("get", url, headers=headers).status in (reply.status, 404, 405, 501), (
        "nor is it evaded by small letters"
    )
    if reply.status in (401, 403):
        assert len(dict(reply.headers)["www-authenticate"]) > 5
        for method in ("POST", "PUT", "DELETE", "TRACE", "OPTIONS"):
            assert CLIENTS[adapter](method, url, headers=headers).status in (204, 405, 501)


def test_a_refusal_challenges_by_each_alternative() -> None:
    ask = CLIENTS["asgi"]
    realm = r'realm="Quay \"north\" ?"'
    told = dict(ask("GET", "/either/7", headers={"authorization": "Bearer no"}).headers)["www-authenticate"]
    assert told == f'Bearer {realm}, error="invalid_token", Key {realm}, in="header", name="X-Desk-Key"'
    lacks = ask("GET", "/booker/7", headers=OTHER)
    assert dict(lacks.headers)["www-authenticate"] == f'Bearer {realm}, error="insufficient_scope", scope="book"'
    assert lacks.json["detail"] == "This needs a permission that you lack: book."
    assert dict(ask("GET", "/password/7").headers)["www-authenticate"] == f'Basic {realm}, charset="UTF-8"'


@pytest.mark.parametrize("adapter", CLIENTS)
def test_schemes_that_are_joined_give_a_tuple_and_are_all_wanted(adapter: str) -> None:
    post = partial(CLIENTS[adapter], "POST", "/both", content=b'{"weight": 1}')
    assert post(headers={**TOKEN, **KEYED}).json == repr((Desk("north"), PEOPLE["ann-token"]))
    for headers, status in (({}, 401), (TOKEN, 401), (KEYED, 401), ({**OTHER, **KEYED}, 403)):
        assert post(headers=headers).status == status


def sign(body: bytes, *, key: bytes = KEY, at: float | None = None, **more: str) -> dict[str, str]:
    sent_at = str(int(time.time() if at is None else at))
    made = hmac.new(key, sent_at.encode() + b"." + body, hashlib.sha256).hexdigest()
    return {"x-signature": f"v1={made}", "x-sent-at": sent_at, **more}


BODY = b'{"weight": 1}'
GZIP = gzip.compress(BODY, mtime=0)
SIGNED: list[tuple[bytes, Callable[[], dict[str, str]], int]] = [
    (BODY, lambda: sign(BODY), 200), (BODY, lambda: sign(BODY, key=OLD), 200),
    (BODY, lambda: sign(BODY, key=b"x" * 32), 401), (BODY, dict, 401),
    (b'{"weight": 2}', lambda: sign(BODY), 401), (BODY + b" ", lambda: sign(BODY), 401),
    (b"", lambda: sign(BODY), 401), (b'{"weight": "x"}', lambda: sign(b'{"weight": "x"}'), 422),
    (b"no json", lambda: sign(BODY), 401), (b"no json", lambda: sign(b"no json"), 400),
    (GZIP, lambda: sign(GZIP, **{"content-encoding": "gzip"}), 200), (GZIP, lambda: sign(BODY, **{"content-encoding": "gzip"}), 401),
    (BODY, lambda: sign(BODY, at=time.time() - 3000), 401), (BODY, lambda: sign(BODY, at=time.time() + 3000), 401),
    (BODY, lambda: sign(BODY) | {"x-sent-at": ""}, 401), (BODY, lambda: sign(BODY) | {"x-sent-at": "now"}, 401),
    (BODY, lambda: sign(BODY) | {"x-sent-at": str(int(time.time()) + 1)}, 401), (BODY, lambda: {**sign(BODY), "x-signature": sign(BODY)["x-signature"][3:]}, 401),
    (BODY, lambda: {**sign(BODY), "x-signature": "v1="}, 401), (BODY, lambda: {**sign(BODY), "x-signature": "v1=zz"}, 401),
    (BODY, lambda: {**sign(BODY), "x-signature": sign(BODY)["x-signature"][:-2]}, 401),
]  # fmt: skip


@pytest.mark.parametrize(("body", "made", "status"), SIGNED, ids=range(len(SIGNED)))
@pytest.mark.parametrize("adapter", CLIENTS)
def test_signatures_are_over_the_bytes_that_came(
    adapter: str, body: bytes, made: Callable[[], dict[str, str]], status: int
) -> None:
    assert CLIENTS[adapter]("POST", "/weighed", content=body, headers=made()).status == status
    other = CLIENTS[adapter]("POST", "/weighed-or-key", content=BODY, headers={"x-signature": "v1=00", **KEYED})
    assert other.json == DESK, "another alternative does"
    assert CLIENTS[adapter]("POST", "/weighed-or-key", content=BODY).status == 200
    assert CLIENTS[adapter]("POST", "/weighed-or-key", content=BODY, headers={"x-signature": "v1=00"}).status == 401


PAGES: list[tuple[dict[str, str], bool]] = [
    ({}, True), ({"sec-fetch-site": "same-origin"}, True), ({"sec-fetch-site": "none"}, True), ({"origin": "http://quay.example"}, True),
    ({"origin": "https://desk.ternsound.example", "sec-fetch-site": "cross-site"}, True), ({"origin": "HTTP://QUAY.example"}, True),
    ({"sec-fetch-site": "cross-site"}, False), ({"sec-fetch-site": "same-site"}, False), ({"origin": "https://quay.example"}, False),
    ({"origin": "null"}, False), ({"origin": "http://quay.example.evil.example"}, False), ({"origin": "http://quay.example:81"}, False),
    ({"origin": "http://quay.example", "sec-fetch-site": "cross-site"}, False), ({"origin": ""}, False), ({"sec-fetch-site": ""}, False),
]  # fmt: skip


@pytest.mark.parametrize(("headers", "passes"), PAGES)
@pytest.mark.parametrize("adapter", CLIENTS)
def test_a_page_of_another_site_sends_no_cookie_and_no_form(
    adapter: str, headers: dict[str, str], passes: bool
) -> None:
    ask = CLIENTS[adapter]
    cookie = {"cookie": "desk=north-key", **headers}
    form = {"content-type": "application/x-www-form-urlencoded", **headers}
    assert ask("POST", "/cookie", content=BODY, headers=cookie).status == (200 if passes else 403)
    assert ask("POST", "/form", content=b"weight=1", headers=form).status == (200 if passes else 403)
    assert ask("GET", "/cookie/7", headers=cookie).status == 200
    assert ask("POST", "/both", content=BODY, headers={**TOKEN, **KEYED, **headers}).status == 200, (
        "what no browser sends"
    )


# Functions that go wrong


def _raises(token: str) -> Any:
    raise KeyError(token)


def _refuses(token: str) -> Any:
    raise RequestProblem(429, "Slowly.")


async def _late(token: str) -> Any:
    return True


class Liar:
    def __bool__(self) -> bool:
        raise ValueError("s3cret")


def _hangs(token: str) -> Any:
    return (each for each in [1])


WRONG: list[tuple[Any, int]] = [
    (_raises, 500), (_refuses, 429), (lambda token: None, 401), (lambda token: False, 401), (lambda token: "", 401), (lambda token: 0, 401),
    (lambda token: {}, 401), (lambda token: Liar(), 500), (lambda token: _late(token), 500), (_hangs, 500), (lambda token: Desk("n"), 500),
    (lambda token: "ann", 500), (lambda token: True, 500), (lambda token: next(iter([])), 500), (lambda token: Person, 500),
    (lambda token: asyncio.sleep(0), 500), (lambda token: Person("Ann", "book"), 500), (lambda token: Person("Ann", None), 500),  # type: ignore[arg-type]
]  # fmt: skip


@dataclass
class Mine:
    who: Annotated[Person, identity]


@dataclass
class Both:
    who: Annotated[tuple[Any, Any], identity]


@pytest.mark.filterwarnings("ignore:coroutine")
@pytest.mark.parametrize("security", ["token", "book", "either", "both"])
@pytest.mark.parametrize(("function", "status"), WRONG)
def test_a_function_that_goes_wrong_opens_no_door(
    function: Any, status: int, security: str, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("CRITICAL")
    one = Bearer(function, scopes_of=lambda person: person.may)
    none = ApiKey(lambda key: None, header="x-none")
    wanted = {"token": one, "book": one["book"], "either": none | one["book"] | one, "both": one["book"] & one}[
        security
    ]
    called: list[Any] = []
    request: Any = Both if security == "both" else Mine
    made = Api("a", "1", [Endpoint("GET", "/mine", request, Answering(200), security=wanted).by(called.append)])
    for name, ask in clients(made).items():
        if security == "token" and function in (WRONG[-1][0], WRONG[-2][0]):
            assert ask("GET", "/mine", headers=TOKEN).status == 200, name
            continue
        came = ask("GET", "/mine", headers=TOKEN)
        assert came.status in {status, 403, 500}, name
        assert "s3cret" not in came.content.decode()
    assert security == "token" or not called


def test_a_function_may_be_async_under_asgi_alone_and_is_asked_once() -> None:
    asked: list[str] = []

    async def later(token: str) -> Person | None:
        asked.append(token)
        return await person_later(token)

    one = Bearer(later, scopes_of=may)
    served = Endpoint("GET", "/mine", Mine, Answering(200, str), security=one["book"] | one["amend"] | one).by(_shown)
    made = Api("a", "1", [served])
    with pytest.raises(DeclarationError, match="is async: WSGI waits for nothing"):
        wsgi(made)
    assert asker(asgi(made))("GET", "/mine", headers=OTHER).json == BO
    assert asked == ["bo.token"]


def test_a_function_that_is_slow_holds_up_nobody_and_one_that_is_cancelled_lets_nobody_in() -> None:
    def slow(token: str) -> Person:
        time.sleep(0.3)
        return PEOPLE["ann-token"]

    async def forever(token: str) -> Person:
        await asyncio.sleep(60)
        return PEOPLE["ann-token"]

    called: list[Any] = []
    served = [
        Endpoint("GET", "/slow", Mine, Answering(200), security=Bearer(slow)).by(lambda sent: None),
        Endpoint("GET", "/forever", Mine, Answering(200), security=Bearer(forever, name="other")).by(called.append),
    ]
    application = asgi(Api("a", "1", served))

    async def run() -> float:
        transport = httpx.ASGITransport(application)  # type: ignore[arg-type]
        async with httpx.AsyncClient(transport=transport, base_url="http://quay.example", headers=TOKEN) as client:
            began = time.perf_counter()
            many = await asyncio.gather(*[client.get("/slow") for _ in range(10)])
            assert {each.status_code for each in many} == {200}
            took = time.perf_counter() - began
            waiting = asyncio.ensure_future(client.get("/forever"))
            await asyncio.sleep(0.05)
            waiting.cancel()
            with pytest.raises(asyncio.CancelledError):
                await waiting
        return took

    assert asyncio.run(run()) < 2.5
    assert not called


def test_who_asks_is_at_hand_for_handlers_rules_and_tests() -> None:
    where: ContextVar[str] = ContextVar("where", default="")
    limit = outside("crates_allowed", int)

    def sets(token: str) -> Person:
        return PEOPLE["ann-token"]

    @dataclass
    class Book:
        who: Annotated[Person, identity]
        most: Annotated[int, limit]
        body: Crate

    def booked(sent: Book) -> str:
        assert identity.here is sent.who
        return f"{sent.who.name} {sent.most} {where.get()}"

    served = Endpoint("POST", "/book", Book, Answering(200, str), security=Bearer(sets)).by(booked)
    with pytest.raises(DeclarationError, match="asks for crates_allowed from outside"):
        Api("a", "1", [served])
    made = Api("a", "1", [served], outside=lambda head: [limit(40)])
    for ask in clients(made).values():
        assert ask("POST", "/book", content=BODY, headers=TOKEN).json == "Ann 40 "
    gate = RequestGate(Book)
    ann = PEOPLE["ann-token"]
    assert gate.admit({"body": {"weight": 1}}, outside=[identity(ann), limit(1)]) == Book(ann, 1, Crate(1))
    with pytest.raises(TypeError, match="identity is declared as Person, and is Desk"):
        gate.admit({"body": {"weight": 1}}, outside=[identity(Desk("n")), limit(1)])
    with pytest.raises(TypeError, match="identity is asked for, and not handed over"):
        gate.admit({"body": {"weight": 1}}, outside=[limit(1)])
    assert not gate.accepts({"body": {"weight": 1}, "who": ann}, outside=[identity(ann), limit(1)]), (
        "nothing of it is sent"
    )
    assert "who" not in json.dumps(description(made)["paths"])


@pytest.mark.parametrize(
    ("peer", "forwarded", "seat"),
    [
        (
            "10.0.0.1",
            "for=192.0.2.7;proto=https;host=quays.ternsound.example",
            ("192.0.2.7", "https://quays.ternsound.example"),
        ),
        ("10.0.0.1", 'for="[2001:db8::1]:47";proto=https', ("2001:db8::1", "https://quay.example")),
        ("10.0.0.1", "for=192.0.2.7, for=10.0.0.9;proto=https", ("192.0.2.7", "https://quay.example")),
        (
            "10.0.0.1",
            "for=198.51.100.1;host=evil.example;proto=https, for=192.0.2.7",
            ("192.0.2.7", "http://quay.example"),
        ),
        ("192.0.2.9", "for=192.0.2.7;proto=https;host=evil.example", ("192.0.2.9", "http://quay.example")),
        ("10.0.0.1", "for=_hidden;proto=https", ("unknown", "https://quay.example")),
        ("10.0.0.1", "for=192.0.2.7;for=192.0.2.8", ("10.0.0.1", "http://quay.example")),
        ("10.0.0.1", 'for="192.0.2.7', ("10.0.0.1", "http://quay.example")),
        ("10.0.0.1", "for=192.0.2.7;host=a/b", ("10.0.0.1", "http://quay.example")),
        ("10.0.0.1", 'for=192.0.2.7;host="a/b";proto=javascript', ("192.0.2.7", "http://quay.example")),
        ("10.0.0.1", None, ("10.0.0.1", "http://quay.example")),
    ],
)
def test_of_trusted_proxies_alone_is_taken_who_asks(peer: str, forwarded: str | None, seat: tuple[str, str]) -> None:
    seen: list[tuple[str, str]] = []

    def sees(head: Head) -> bool:
        seen.append((head.client, head.origin))
        return True

    scheme = OwnScheme(sees, described={"type": "mutualTLS"})
    served = [Endpoint("GET", "/a", Nothing, Answering(200), security=scheme).by(lambda sent: None)]
    made = Api("a", "1", served, proxies=["10.0.0.0/8"])
    headers = [(b"host", b"quay.example"), (b"x-forwarded-for", b"127.0.0.1")]
    headers += [(b"forwarded", forwarded.encode())] if forwarded else []
    environ = {
        "REQUEST_METHOD": "GET",
        "PATH_INFO": "/a",
        "REMOTE_ADDR": peer,
        "wsgi.url_scheme": "http",
        "HTTP_HOST": "quay.example",
    }
    environ |= {"HTTP_FORWARDED": forwarded} if forwarded else {}
    list(wsgi(made)(environ, lambda status, headers: None))
    scope = {"type": "http", "method": "GET", "path": "/a", "headers": headers, "client": (peer, 1), "scheme": "http"}
    asyncio.run(asgi(made)(scope, _never, _nowhere))
    assert seen == [seat, seat]


async def _never() -> Any:
    return {"type": "http.request"}


async def _nowhere(message: Any) -> None:
    pass


@dataclass
class Inside:
    who: Annotated[Person, identity]


@dataclass
class Nested:
    body: Inside


@dataclass
class Usual:
    who: Annotated[Person | None, identity] = None


@dataclass
class Listed:
    who: Annotated[list[Person], identity, "x"]


def _served(security: Any = None, request: Any = Nothing, path: str = "/a") -> Any:
    return Endpoint("GET", path, request, Answering(200), security=security).by(lambda sent: None)


FLOWS: Any = {
    "clientCredentials": {"tokenUrl": "https://id.ternsound.example/token", "scopes": {"book": "make bookings"}}
}
known = OAuth2(person_of, flows=FLOWS, scopes_of=may)
MISDECLARED: list[tuple[Callable[[], Any], str]] = [
    (lambda: Api("a", "1", [_served(signed_in), _served(path="/b")]), "does not say who may"),
    (lambda: _served("bearer"), "which is no scheme"),
    (lambda: _served([signed_in, desk_key]), "join schemes by |"),
    (lambda: _served([]), "which is no scheme"),
    (lambda: _served(person_of), "which is no scheme"),
    (lambda: _served(Bearer), "which is no scheme"),
    (lambda: _served(False), "which is no scheme"),
    (lambda: signed_in and desk_key, "truth value"),
    (lambda: not signed_in, "truth value"),
    (lambda: signed_in & PUBLIC, "changes nothing"),
    (lambda: desk_key["book"], "nothing tells who has which"),
    (lambda: signed_in[""], "are no scopes"),
    (lambda: signed_in[()], "are no scopes"),
    (lambda: signed_in[None], "are no scopes"),  # type: ignore[index]
    (lambda: signed_in[0], "are no scopes"),  # type: ignore[index]
    (lambda: Bearer(None), "nobody would be asked"),  # type: ignore[arg-type]
    (lambda: Bearer("in_front"), "nobody would be asked"),
    (lambda: Bearer(lambda: None), "cannot be called with 1 value"),  # type: ignore[arg-type,misc]
    (lambda: Basic(person_of), "cannot be called with 2 values"),  # type: ignore[arg-type]
    (lambda: Bearer(_hangs.__class__), "cannot be called"),  # type: ignore[arg-type]
    (lambda: Bearer(person_of, scopes_of=person_later), "waits"),  # type: ignore[arg-type]
    (lambda: Bearer(person_of, name=""), "no name of a scheme"),
    (lambda: Bearer(person_of, name="a b"), "no name of a scheme"),
    (lambda: ApiKey(desk_of), "comes in one place"),
    (lambda: ApiKey(desk_of, header="a", cookie="b"), "comes in one place"),
    (lambda: ApiKey(desk_of, header="a b"), "no name of a header"),
    (lambda: ApiKey(desk_of, header="Authorization"), "form of its own"),
    (lambda: OAuth2(person_of, flows={}), "has no flows"),
    (lambda: OAuth2(person_of, flows={"clientCredential": {}}), "is no flow"),
    (lambda: OAuth2(person_of, flows={"clientCredentials": {}}), "lacks tokenUrl, scopes"),
    (lambda: known["bok"], "no scope of oauth2; one of book"),
    (lambda: OpenIdConnect(person_of, url="id"), "leads nowhere"),
    (lambda: OwnScheme(person_of, described={}), "described as no scheme"),  # type: ignore[arg-type]
    (lambda: OwnScheme(person_of, described={"type": "x"}, challenge="a\r\nb"), "is no challenge"),  # type: ignore[arg-type]
    (lambda: Signed(keys_of, signature="x"), "can be sent again"),
    (lambda: Signed(keys_of, signature="x", sent_at="y", within=None), "can be sent again"),
    (lambda: Signed(keys_of, signature="x", sent_at="y", within=timedelta(0)), "lets nobody in"),
    (lambda: Signed(keys_of, signature=""), "no header to read"),
    (lambda: Signed(keys_of, signature="x", within=None, digest="md5"), "not computed"),  # type: ignore[arg-type]
    (lambda: Signed(IN_FRONT, signature="x", within=None), "checked here"),  # type: ignore[arg-type]
    (
        lambda: Api("a", "1", [_served(signed_in), _served(Bearer(desk_of), path="/b")]),
        "two schemes are called 'bearer'",
    ),
    (lambda: Api("a", "1", [_served(request=Mine)]), "no scheme tells"),
    (lambda: Api("a", "1", [_served(PUBLIC, Mine)]), "no scheme tells"),
    (lambda: Api("a", "1", [_served(signed_in | PUBLIC, Mine)]), "may give nobody"),
    (lambda: Api("a", "1", [_served(desk_key, Mine)]), "may give Desk"),
    (lambda: Api("a", "1", [_served(in_front, Mine)]), "may give nobody"),
    (lambda: Api("a", "1", [_served(signed_in & desk_key, Mine)]), "may give tuple"),
    (lambda: Api("a", "1", [_served(request=Mine)], security=desk_key), "may give Desk"),
    (lambda: RequestGate(Nested), "alone is no rule"),
    (lambda: Gate(Inside), "alone is no rule"),
    (lambda: RequestGate(Usual), "no default stands in"),
    (lambda: RequestGate(Listed), "nothing else stands beside"),
    (lambda: outside("identity", int), "is there already"),
]


@pytest.mark.parametrize(("declare", "words"), MISDECLARED, ids=[words for _, words in MISDECLARED])
def test_what_is_misdeclared_is_told_before_anybody_asks(declare: Callable[[], Any], words: str) -> None:
    with pytest.raises(DeclarationError, match=words.replace("|", r"\|")):
        declare()


def test_keys_are_not_shown_and_short_ones_not_taken() -> None:
    assert "0123" not in repr(SigningKey(Desk("n"), KEY))
    with pytest.raises(ValueError, match="16 at least"):
        SigningKey(Desk("n"), b"short")


@pytest.mark.parametrize("version", ["3.1", "3.0"])
def test_the_description_says_who_may(version: Any) -> None:
    open_id = OpenIdConnect(
        person_of, url="https://id.ternsound.example/.well-known/openid-configuration", scopes_of=may
    )
    served = [_served(known["book"] | open_id | desk_key, path="/b"), _served(PUBLIC, path="/c"), _served(path="/d")]
    usual = signed_in["book"] | PUBLIC
    told = description(Api("a", "1", served, security=usual), version)
    scopes = ["book"] if version == "3.1" else []
    assert told["paths"]["/b"]["get"]["security"] == [{"oauth2": ["book"]}, {"open_id": []}, {"key_x-desk-key": []}]
    assert told["paths"]["/c"]["get"]["security"] == []
    assert told["paths"]["/d"]["get"]["security"] == [{"bearer": scopes}, {}]
    assert told["components"]["securitySchemes"]["bearer"] == {
        "type": "http",
        "scheme": "bearer",
        "description": "A token of the desk.",
    }
    assert told["components"]["securitySchemes"]["oauth2"]["flows"] == FLOWS


@dataclass
class Visit:
    set_cookie: list[SetCookie] = field(default_factory=list)


def test_cookies_go_out_closed_and_line_by_line() -> None:
    desk, seen = SetCookie("__Host-desk", "north-key", max_age=60), SetCookie("seen", secure=False, http_only=False)
    lines = ["__Host-desk=north-key; Path=/; Max-Age=60; Secure; HttpOnly; SameSite=Lax", "seen=; Path=/; SameSite=Lax"]
    ways: list[Any] = [Visit([desk, seen]), {"set-cookie": [desk, seen]}, {"Set-Cookie": lines}]
    typed, bare = Answering(200, str, headers=Visit), Answering(200, str)
    for answer, given in [*((typed, each) for each in ways), *((bare, each) for each in ways[1:])]:
        served = Endpoint("GET", "/a", Nothing, answer).by(lambda sent, of=answer, given=given: of("x", headers=given))
        for name, ask in clients(Api("a", "1", [served])).items():
            sent = [value for header, value in ask("GET", "/a").headers if header == "set-cookie"]
            assert sorted(sent) == lines, name
    assert "north" not in repr(desk)


@pytest.mark.parametrize("words", [{"name": "a b"}, {"name": ""}, {"value": "a;b"}, {"value": "a\r\nb"}, {"value": 'a"b'}, {"path": "x"}, {"path": "/a;b"}, {"domain": "a b"},
                                   {"max_age": -1}, {"max_age": True}, {"max_age": 1.5}, {"secure": 1}, {"same_site": "Lax"}, {"same_site": "none", "secure": False},
                                   {"name": "__Host-a", "domain": "quay.example"}, {"name": "__host-a", "path": "/a"}, {"name": "__Secure-a", "secure": False}])  # fmt: skip
def test_what_no_cookie_is_and_what_browsers_refuse_is_told(words: dict[str, Any]) -> None:
    with pytest.raises(ValueError, match=r"cookie|browsers|max_age|secure|same_site"):
        SetCookie(**{"name": "a", **words})


@pytest.mark.parametrize("path", ["/freight/person/7", "/freight/p%65rson/7", "/freight/person/%37", "/freight//person/7", "/freight/person/7/", "/person/7", "/freight/../freight/person/7",
                                  "/FREIGHT/person/7", "/freightperson/7", "/freight%2Fperson/7", "/freight/public/..%2Fperson/7"])  # fmt: skip
def test_under_a_mount_nobody_is_let_in_either(path: str) -> None:
    inner = Flask("quay")
    inner.register_blueprint(blueprint(_api(), "/freight"))
    beside = Flask("beside")
    alone = Starlette(routes=[Mount("/freight", routes=[route(_api(), served) for served in _api().served])])
    for served in _api().served[:4]:
        add(beside, _api(), served)
    applications = [
        asker(Starlette(routes=[mounted(_api(), "/freight")])),
        asker(alone),
        by_wsgi(inner),
        by_wsgi(beside),
    ]
    for ask in applications:
        assert ask("GET", path).status in (401, 404, 405, 307, 308)
        assert ask("GET", path, headers={"authorization": "Bearer no"}).status in (401, 404, 405, 307, 308)
    assert [ask("GET", "/freight/person/7", headers=TOKEN).status for ask in applications[:3]] == [200, 200, 200]
    assert applications[3]("GET", "/person/7", headers=TOKEN).status == 200


@dataclass
class Order:
    crates: list[Crate]


@dataclass
class BookByForm:
    who: Annotated[Person, identity]
    at: Annotated[datetime, now]
    form: Order


def test_a_form_is_drawn_again_for_who_is_known() -> None:
    form = Form(RequestGate(BookByForm), action="/book")
    served = Endpoint("POST", "/book", BookByForm, Answering(200, str), security=signed_in)
    made = Api("a", "1", [served.by(lambda sent: f"{sent.who.name} {sent.at.year > 2000}", form=form)])
    page = {"accept": "text/html,*/*;q=0.5", "content-type": "application/x-www-form-urlencoded"}
    for ask in clients(made).values():
        for body, status in ((b"add-row=crates", 200), (b"crates[0][weight]=x", 422), (b"crates[0][weight]=1", 200)):
            assert ask("POST", "/book", content=body, headers={**page, **TOKEN}).status == status
            assert ask("POST", "/book", content=body, headers=page).status == 401


@pytest.mark.parametrize("seed", range(40))
def test_any_requirement_lets_in_whom_a_plain_reading_of_it_lets_in(seed: int) -> None:
    random = Random(seed)
    keys = [
        ApiKey(lambda key: frozenset(key.split("+")) if key != "bad" else None, header=f"x-{n}", scopes_of=frozenset)
        for n in range(4)
    ]
    wanted: list[list[tuple[int, list[str]]]] = [
        [(at, random.sample("ab", random.randint(0, 2))) for at in random.sample(range(4), random.randint(1, 3))]
        for _ in range(random.randint(1, 3))
    ]
    requirement: Any = None
    for alternative in wanted:
        joined: Any = None
        for at, scopes in alternative:
            each = keys[at][tuple(scopes)] if scopes else keys[at]
            joined = each if joined is None else joined & each
        requirement = joined if requirement is None else requirement | joined
    is_open = random.random() < 0.3
    requirement = requirement | PUBLIC if is_open else requirement
    ask = asker(
        asgi(
            Api("a", "1", [Endpoint("GET", "/a", Nothing, Answering(204), security=requirement).by(lambda sent: None)])
        )
    )
    for _ in range(12):
        came = {
            at: random.choice(["bad", "k", "k+a", "k+b", "k+a+b"])
            for at in random.sample(range(4), random.randint(0, 4))
        }
        known = {at: set(key.split("+")) for at, key in came.items() if key != "bad"}
        fits = any(
            all(at in known and known[at] >= set(scopes) for at, scopes in alternative) for alternative in wanted
        )
        asked = {at for alternative in wanted for at, _ in alternative}
        status = ask("GET", "/a", headers={f"x-{at}": key for at, key in came.items()}).status
        if fits or (is_open and not asked & set(came)):
            assert status == 204, (requirement, came)
        else:
            assert status in (401, 403), (requirement, came)
