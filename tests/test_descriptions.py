"""What a description promises is taken and what it forbids refused; conditional requests; two versions of an API."""

# Rooms: web, versions

from __future__ import annotations

import asyncio
import copy
import json
from collections.abc import Callable, Iterator
from contextlib import asynccontextmanager, contextmanager, suppress
from dataclasses import dataclass, field, make_dataclass
from datetime import UTC, datetime, timedelta, timezone
from enum import Enum
from pathlib import Path
from random import Random
from typing import Annotated, Any, Literal

import pytest
from click.testing import CliRunner
from flask import Flask
from starlette.applications import Starlette

from any_api import asker, by_django, by_wsgi, clients
from describe_many import wrong_of
from dutiful_gate import DeclarationError, about, it, obeys, split_on, tagged_by, this
from dutiful_gate.cli.app import dutiful
from dutiful_gate.testing import in_process
from dutiful_gate.versions import compare_descriptions
from dutiful_gate.web import (
    BY_CONTENT,
    PUBLIC,
    Answering,
    Api,
    ApiKey,
    Basic,
    Bearer,
    Endpoint,
    Refusal,
    RefusalForm,
    RequestGate,
    RequestProblem,
    Streamed,
    description,
    entity_tag,
    flaws,
    identity,
)
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.flask import blueprint
from dutiful_gate.web.starlette import lifespan, mounted
from dutiful_gate.web.wsgi import wsgi


@pytest.mark.parametrize("seed", range(36))
def test_what_is_described_is_taken_and_what_is_not_refused(seed: int) -> None:
    """Requests made of nothing but a description, through every adapter in turn; `describe_many.py` makes thousands."""
    assert wrong_of(seed, 6)[0] == []


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = "OST"


@dataclass
class Rope:
    """What ties."""

    metres: Annotated[int, it > 0]
    kind: Literal["rope"] = "rope"


@dataclass
class Crate:
    kind: Literal["crate"]
    inside: list[Item] = field(default_factory=list)
    bound_for: Port = Port.OSTREY


Item = Annotated[Rope | Crate, tagged_by("kind")]


@dataclass
class Leg:
    port: Port
    day: datetime | None = None


@dataclass
@obeys(this.stows.length >= this.least)
class Cargo:
    item: Item
    stows: list[Crate] = field(default_factory=list)
    least: int = 0


@dataclass
class Asks:
    leg: Leg
    page: Annotated[int | None, it >= 1] = None
    note: str | None = None
    rows: Annotated[list[int], split_on(",")] = field(default_factory=list)
    by_port: dict[str, int] = field(default_factory=dict)


@dataclass
class Visit:
    seen: Annotated[str, it.length <= 3] = ""
    plain: Annotated[str, about(shown=True), it.length <= 3] = ""


@dataclass
class Load:
    query: Asks
    cookies: Visit
    body: Cargo


@dataclass
class Stow:
    form: Cargo


@dataclass
class Nothing:
    pass


@dataclass
class Number:
    number: int


@dataclass
class One:
    path: Number


@dataclass
class Change:
    path: Number
    body: Crate


def nothing(sent: Any) -> Any:
    return None


LOAD = Endpoint("POST", "/loads", Load, Answering(200, Cargo))
SHOW = Endpoint("GET", "/loads/{number}", One, Answering(200, Cargo), links={200: {"again": {"operationId": "load"}}})
API = Api(
    "Loads",
    "1",
    [
        LOAD.by(lambda sent: sent.body),
        Endpoint("PUT", "/loads", Load, Answering(200, Item), name="load").by(nothing),
        Endpoint("POST", "/stow", Stow, Answering(204)).by(nothing),
        SHOW.by(nothing),
        Endpoint("GET", "/loads/number", Nothing, Answering(200, list[Crate])).by(nothing),
    ],
    described_at="/openapi.json",
    schemas_at="/schemas",
)


def test_one_shape_has_one_name_and_nothing_in_it_is_python() -> None:
    told = description(API)
    assert [*told["components"]["schemas"]] == [
        "Cargo", "Rope", "Crate", "CargoAnswered", "RopeAnswered", "CrateAnswered", "Problem",
    ]  # fmt: skip
    assert flaws(told) == ()
    item = told["components"]["schemas"]["CargoAnswered"]["properties"]["item"]
    assert item["discriminator"]["mapping"] == {each["title"].lower(): each["$ref"] for each in (
        {"title": "Rope", "$ref": "#/components/schemas/RopeAnswered"}, {"title": "Crate", "$ref": "#/components/schemas/CrateAnswered"})}  # fmt: skip
    sent = told["components"]["schemas"]["Cargo"]["properties"]["item"]
    assert sent["anyOf"] == [{"$ref": "#/components/schemas/Rope"}, {"$ref": "#/components/schemas/Crate"}]
    assert sent["required"] == ["kind"]  # of both: the one has a default for it
    load = told["paths"]["/loads"]["post"]
    assert load["description"].endswith("- least: a value of at most the length of stows")
    assert {(each["in"], each["name"]): each["schema"] for each in load["parameters"]} == {
        ("query", "leg[port]"): {"type": "string", "enum": ["QLP", "OST"]},
        ("query", "leg[day]"): {"type": ["string", "null"], "format": "date-time"},
        ("query", "page"): {"type": ["integer", "null"], "minimum": 1},
        ("query", "note"): {"type": "string"},  # blank text is text
        ("query", "rows"): {"type": "array", "items": {"type": "integer"}, "default": []},
        ("query", "by_port"): {"type": "object", "additionalProperties": {"type": "integer"}, "default": {}},
        ("cookie", "seen"): {"type": "string", "maxLength": 3, "default": ""},
        ("cookie", "plain"): {"type": "string", "maxLength": 3, "default": ""},
    }
    for version in ("3.1", "3.0"):
        form = description(API, version)["paths"]["/stow"]["post"]["requestBody"]["content"]  # type: ignore[arg-type]
        assert form["multipart/form-data"]["schema"]["properties"].keys() >= {"item[metres]", "item[kind]", "least"}
    names = [each["operationId"] for item in told["paths"].values() for each in item.values()]
    assert sorted(names) == ["get_loads_number", "get_loads_number_2", "load", "post_loads", "post_stow"]
    assert all(example is not None for example in [load["requestBody"]["content"]["application/json"].get("example")])


def test_a_cookie_is_hidden_unless_it_is_declared_to_be_shown() -> None:
    faults = RequestGate(Load).examine({"query": {"leg": {"port": "QLP"}}, "cookies": {"seen": "s3cret", "plain": "shown-1"}, "body": {"item": {"kind": "rope", "metres": 1}}}).faults  # fmt: skip
    assert [(each.pointer, each.given) for each in faults] == [("/cookies/seen", None), ("/cookies/plain", "shown-1")]
    assert "s3cret" not in str(faults[0])


def test_a_mounted_description_leads_to_what_is_there() -> None:
    application = Flask("loads")
    application.register_blueprint(blueprint(API, "/freight"))
    asks = {
        "starlette": asker(Starlette(routes=[mounted(API, "/freight")])),
        "flask": by_wsgi(application),
        **by_django(API, "freight"),
    }
    for name, ask in asks.items():
        assert ask("GET", "/freight/openapi.json").json["servers"] == [{"url": "/freight"}], name
        assert "/freight/schemas/Cargo" in ask("GET", "/freight/schemas").json, name
        assert ask("GET", "/freight/schemas/Cargo").json["$id"] == "/freight/schemas/Cargo", name
        assert ask("GET", "/openapi.json").status == 404, name
        assert ask("GET", "/freight").status in (307, 308, 404), name
    assert "servers" not in asker(asgi(API))("GET", "/openapi.json").json


def test_a_page_comes_before_an_endpoint_of_any_name() -> None:
    named = Endpoint("GET", "/{number}", One, Answering(204))
    ask = in_process(
        Api("n", "1", [named.by(nothing)], described_at="/described", manual_at="/manual", schemas_at="/s")
    )
    for page in ("/described", "/manual", "/dutiful-manual.js", "/dutiful-manual.css", "/s"):
        assert ask("GET", page).status == 200, page
    assert (ask("GET", "/7").status, ask("GET", "/other").status) == (204, 422)


def test_one_part_beside_the_views_of_django() -> None:
    if not by_django(API):
        pytest.skip("Django is not here")
    from django.http import HttpResponse
    from django.test import RequestFactory

    from dutiful_gate.web.django import mounted as in_django
    from dutiful_gate.web.django import reading

    asked = reading(RequestGate(make_dataclass("Stowing", [("path", Number), ("form", Rope)])))
    view = asked(lambda request, sent, number: HttpResponse(f"{sent.path.number} {sent.form.metres}"))
    for metres, status, told in (("3", 200, b"7 3"), ("0", 422, b"above 0")):
        answer = view(RequestFactory().post("/7", {"metres": metres}), number=7)
        assert (answer.status_code, told in answer.content) == (status, True)
    read = RequestFactory().post("/freight/stow", {"least": "1"})
    assert read.POST["least"] == "1"
    with pytest.raises(RuntimeError, match="a middleware has read this form"):
        in_django(API, "freight").callback(read)
    with pytest.raises(RuntimeError, match="served under WSGI"):
        asyncio.run(in_django(API, "freight", asgi=True).callback(RequestFactory().get("/freight/")))


BREAKS: list[tuple[str, Callable[[Any], object]]] = [
    ("where nothing is", lambda told: told["components"]["schemas"].pop("Rope")),
    ("none of the options", lambda told: told["components"]["schemas"]["Cargo"]["properties"]["item"]["anyOf"].pop()),
    ("says what Crate says", lambda told: told["components"]["schemas"].update(Crate_2=told["components"]["schemas"]["Crate"])),
    ("no name that OpenAPI takes", lambda told: told["components"]["schemas"].update({"a b": {}})),
    ("another operation is called", lambda told: told["paths"]["/stow"]["post"].update(operationId="load")),
    ("two parameters of the query", lambda told: told["paths"]["/loads"]["post"]["parameters"].append({"name": "page", "in": "query"})),
    ("is no name in the path", lambda told: told["paths"].update({"/other": told["paths"]["/loads/{number}"]})),
    ("stands in the path and is no parameter", lambda told: told["paths"]["/loads/{number}"]["get"].pop("parameters")),
    ("is not required", lambda told: told["paths"]["/loads/{number}"]["get"]["parameters"][0].pop("required")),
    ("is the path", lambda told: told["paths"].update({"/loads/{other}": {}})),
    ("passed over as a parameter", lambda told: told["paths"]["/stow"]["post"].update(parameters=[{"name": "Accept", "in": "header"}])),
    ("no scheme is called", lambda told: told.update(security=[{"nobody": []}])),
    ("no operation is called", lambda told: told["paths"]["/loads"]["put"].update(operationId="other")),
    ("has no answer", lambda told: told["paths"]["/stow"]["post"].update(responses={})),
]  # fmt: skip


@pytest.mark.parametrize(("words", "spoil"), BREAKS, ids=[row[0] for row in BREAKS])
def test_a_broken_description_is_told(words: str, spoil: Callable[[Any], object]) -> None:
    told = copy.deepcopy(description(API))
    spoil(told)
    assert words in " ".join(map(str, flaws(told)))


@dataclass
class Trouble:
    what: str


def test_an_api_s_own_form_of_refusals_is_described() -> None:
    def trouble_of(refusal: Refusal) -> Trouble:
        return Trouble(refusal.sentence)

    made = Api("n", "1", [SHOW.by(nothing), LOAD.by(nothing), Endpoint("GET", "/n", Nothing, Answering(204), name="load").by(nothing)], refusals=RefusalForm(Trouble, trouble_of))  # fmt: skip
    told = description(made)
    assert told["components"]["responses"]["Refused422"]["content"] == {
        "application/json": {"schema": {"$ref": "#/components/schemas/Refusal"}}
    }
    assert in_process(made)("GET", "/loads/x").json == {"what": "The request was refused with one fault."}


def declared(**words: Any) -> Callable[[], Any]:
    method, request = words.pop("method", "GET"), words.pop("request", Nothing)
    return lambda: Api("n", "1", [Endpoint(method, "/n", request, words.pop("answers", Answering(200, str)), **words).by(nothing)])  # fmt: skip


async def later(sent: Any) -> int:
    return 1


TOKEN = Bearer(lambda token: token)
WRONG: list[tuple[str, Callable[[], Any]]] = [
    ("leads to 'nowhere'", declared(links={200: {"x": {"operationId": "nowhere"}}})),
    ("leads to no operation", declared(links={200: {"x": {}}})),
    ("is not declared", declared(links={404: {"x": {"operationId": "n"}}})),
    ("no data by name", declared(callbacks={"x": {"$url": object()}})),
    ("no path item", declared(callbacks={"x": {"$url": "get"}})),
    ("two endpoints are called", lambda: Api("n", "1", [Endpoint("GET", path, Nothing, Answering(204), name="n").by(nothing) for path in ("/a", "/b")])),
    ("known after the change", declared(version=BY_CONTENT, method="POST")),
    ("no hash is known", declared(version=BY_CONTENT, answers=Answering(200, Streamed("text/csv")))),
    ("no version that could be matched", declared(must_match=True, method="PUT")),
    ("changes nothing", declared(version=lambda sent: 1, must_match=True)),
    ("called with 1 value", declared(version=lambda: 1)),
    ("WSGI waits for nothing", lambda: wsgi(declared(version=later)())),
    ("tells of no start", lambda: wsgi(Api("n", "1", [], lifespan=lambda: None))),
    ("called with no values", lambda: Api("n", "1", [], lifespan=lambda api: None)),
    ("both stand in the header authorization", declared(security=TOKEN & Basic(lambda name, password: name))),
    ("both stand in the query key", declared(security=ApiKey(lambda key: key, query="key", name="a") & ApiKey(lambda key: key, query="key", name="b"))),
    ("cannot be sent in the headers", lambda: RequestGate(make_dataclass("R", [("headers", Cargo)]))),
]  # fmt: skip


@pytest.mark.parametrize(("words", "make"), WRONG, ids=[row[0] for row in WRONG])
def test_what_could_not_be_is_told_when_it_is_made(words: str, make: Callable[[], Any]) -> None:
    with pytest.raises(DeclarationError) as told:
        make()
    assert words in str(told.value)


@dataclass
class Signed:
    who: Annotated[str, identity]
    body: Crate
    query: Visit = field(default_factory=Visit)


def test_who_asks_may_stand_beside_defaults_of_every_kind() -> None:
    signed = Endpoint("POST", "/n", Signed, Answering(200, str), security=TOKEN)
    ask = in_process(Api("n", "1", [signed.by(lambda sent: f"{sent.who} {sent.body.bound_for.value}")]))
    answer = ask("POST", "/n", json={"kind": "crate"}, headers={"authorization": "Bearer ann"})
    assert (answer.status, answer.json) == (200, "ann OST")


# Conditional requests


VERSIONS = {1: 7, 2: "tern sound~1", 3: datetime(2026, 5, 4, 9, 30, tzinfo=UTC), 4: b"\x00\xff"}


def version_of(sent: One | Change) -> Any:
    if sent.path.number == 404:
        raise RequestProblem(404, "There is no such load.")
    return VERSIONS.get(sent.path.number)


async def version_later(sent: One | Change) -> Any:
    await asyncio.sleep(0)
    return version_of(sent)


def versioned(of: Any) -> tuple[Api, list[int]]:
    """An API with versions, and the numbers of those whose handlers were called."""
    called: list[int] = []

    def handled(sent: Any) -> Any:
        called.append(sent.path.number)
        return sent.path.number

    both = ["application/json", "application/cbor"]
    answers = Answering(200, int) | Answering(201, int)
    return Api(
        "Loads",
        "1",
        [
            Endpoint("GET", "/loads/{number}", One, answers, version=of, takes=both).by(handled),
            Endpoint("PATCH", "/loads/{number}", Change, answers, version=of, must_match=True).by(handled),
            Endpoint("PUT", "/loads/{number}", Change, answers, version=of, must_match=True).by(handled),
            Endpoint("DELETE", "/loads/{number}", One, Answering(204), version=of).by(lambda sent: called.append(1)),
            Endpoint("GET", "/hashed/{number}", One, answers, version=BY_CONTENT).by(handled),
        ],
    ), called


CBOR = {"accept": "application/cbor"}
CONDITIONS: list[tuple[str, str, dict[str, str], int, str | None]] = [
    ("GET", "/loads/1", {}, 200, '"7"'),
    ("HEAD", "/loads/1", {}, 200, '"7"'),
    ("GET", "/loads/1", CBOR, 200, '"7~cbor"'),
    ("GET", "/loads/2", {}, 200, '"tern%20sound%7E1"'),
    ("GET", "/loads/3", {}, 200, '"2026-05-04T09:30:00+00:00"'),
    ("GET", "/loads/4", {}, 200, '"00ff"'),
    ("GET", "/loads/9", {}, 200, None),
    ("GET", "/loads/404", {"if-none-match": "*"}, 404, None),
    ("GET", "/loads/1", {"if-none-match": '"7"'}, 304, '"7"'),
    ("HEAD", "/loads/1", {"if-none-match": 'W/"7"'}, 304, '"7"'),
    ("GET", "/loads/1", {"if-none-match": '"a,b" , W/"7"'}, 304, '"7"'),
    ("GET", "/loads/1", {"if-none-match": "*"}, 304, '"7"'),
    ("GET", "/loads/9", {"if-none-match": "*"}, 200, None),
    ("GET", "/loads/1", {"if-none-match": '"7~cbor"'}, 200, '"7"'),
    ("GET", "/loads/1", {"if-none-match": '"7"', **CBOR}, 200, '"7~cbor"'),
    ("GET", "/loads/1", {"if-none-match": "7"}, 200, '"7"'),
    ("GET", "/loads/1", {"if-match": '"8"'}, 412, None),
    ("GET", "/loads/1", {"if-match": '"7"', "if-none-match": '"7"'}, 304, '"7"'),
    ("PATCH", "/loads/1", {}, 428, None),
    ("PATCH", "/loads/1", {"if-none-match": '"8"'}, 428, None),
    ("PATCH", "/loads/1", {"if-match": '"7"'}, 200, None),
    ("PATCH", "/loads/1", {"if-match": '"7~cbor"'}, 200, None),
    ("PATCH", "/loads/1", {"if-match": '"6", "7"'}, 200, None),
    ("PATCH", "/loads/1", {"if-match": 'W/"7"'}, 412, None),
    ("PATCH", "/loads/1", {"if-match": '"8"'}, 412, None),
    ("PATCH", "/loads/1", {"if-match": "7"}, 412, None),
    ("PATCH", "/loads/1", {"if-match": ""}, 412, None),
    ("PATCH", "/loads/9", {"if-match": "*"}, 412, None),
    ("PATCH", "/loads/404", {"if-match": "*"}, 404, None),
    ("PATCH", "/loads/x", {}, 422, None),
    ("PUT", "/loads/9", {"if-none-match": "*"}, 200, None),
    ("PUT", "/loads/1", {"if-none-match": "*"}, 412, None),
    ("PUT", "/loads/1", {"if-none-match": 'W/"7"'}, 412, None),
    ("DELETE", "/loads/1", {}, 204, None),
    ("DELETE", "/loads/1", {"if-match": '"8"'}, 412, None),
    ("GET", "/hashed/1", {}, 200, '"6b86b273ff34fce19d6b804eff5a3f57"'),
    ("GET", "/hashed/1", {"if-none-match": '"6b86b273ff34fce19d6b804eff5a3f57"'}, 304, '"6b86b273ff34fce19d6b804eff5a3f57"'),
    ("GET", "/hashed/1", {"if-match": '"other"'}, 412, None),
]  # fmt: skip


def test_conditions_are_heeded_before_the_handler_and_after_all_else() -> None:
    for of in (version_of, version_later):
        made, called = versioned(of)
        asks = clients(made) if of is version_of else {"asgi": asker(asgi(made)), "starlette": asker(Starlette(routes=[mounted(made)]))}  # fmt: skip
        for name, ask in asks.items():
            for method, url, headers, status, tag in CONDITIONS:
                called.clear()
                body = {"json": {"kind": "crate"}} if method in ("PUT", "PATCH") else {}
                reply = ask(method, url, headers=headers, **body)
                told = dict(reply.headers)
                assert (reply.status, told.get("etag")) == (status, tag), (name, method, url, headers, reply)
                assert bool(called) == (status < 300 or "hashed" in url), (name, method, url, headers)
                assert told.get("vary") == (
                    "accept" if url.startswith("/loads") and method in ("GET", "HEAD") else None
                )
                if status == 304:
                    assert reply.content == b""


def test_a_version_at_the_ends_of_what_there_is_has_a_tag() -> None:
    ends = [datetime.max.replace(tzinfo=timezone(timedelta(hours=-12))), datetime.min.replace(tzinfo=timezone(timedelta(hours=12))),
            datetime.max, "\ud800", "x" * 100_000, "", 0, -0.0, b""]  # fmt: skip
    assert all(tag.isascii() and tag.isprintable() and len(tag) < 210 for tag in map(entity_tag, ends))


@pytest.mark.parametrize("version", [True, object(), [1]])
def test_what_is_no_version_is_told_to_developers_alone(version: Any) -> None:
    made = declared(version=lambda sent: version, answers=Answering(200, int))()
    assert in_process(made)("GET", "/n").status == 500
    with pytest.raises(TypeError, match="a version is text"):
        entity_tag(version)


def test_what_an_api_lives_in_is_entered_before_and_left_after() -> None:
    told: list[str] = []

    @asynccontextmanager
    async def pool() -> Any:
        told.append("begun")
        yield
        told.append("ended")

    @contextmanager
    def broken() -> Iterator[None]:
        raise OSError("no such base")
        yield

    async def live(application: Any) -> list[str]:
        came = [{"type": "lifespan.startup"}, {"type": "lifespan.shutdown"}]
        sent: list[str] = []

        async def receive() -> Any:
            return came.pop(0)

        async def send(message: Any) -> None:
            sent.append(message["type"] + message.get("message", ""))

        await application({"type": "lifespan", "app": None, "state": {}}, receive, send)
        return sent

    both = ["lifespan.startup.complete", "lifespan.shutdown.complete"]
    ask_told = Endpoint("GET", "/told", Nothing, Answering(200, list[str])).by(lambda sent: told)
    with in_process(Api("n", "1", [ask_told], lifespan=pool)) as ask:
        assert ask("GET", "/told").json == ["begun"]
        assert ask("GET", "/told").status == 200
    assert told == ["begun", "ended"]
    told.clear()
    made = Api("n", "1", [], lifespan=pool)
    assert asyncio.run(live(asgi(made))) == both
    assert told == ["begun", "ended"]
    assert asyncio.run(live(Starlette(routes=[mounted(made, "/n")], lifespan=lifespan(made)))) == both
    assert told == ["begun", "ended"] * 2
    assert asyncio.run(live(asgi(Api("n", "1", [])))) == both
    assert asyncio.run(live(asgi(Api("n", "1", [], lifespan=broken)))) == ["lifespan.startup.failedno such base"]
    assert "no context manager" in asyncio.run(live(asgi(Api("n", "1", [], lifespan=lambda: later(1)))))[0]  # type: ignore[arg-type,return-value]


# Two versions of an API


def changed(change: Callable[[Any], object]) -> dict[str, Any]:
    made = copy.deepcopy(description(API))
    change(made)
    return made


LOADS = ("paths", "/loads", "post")


def at(told: Any, *steps: str) -> Any:
    for step in steps:
        told = told[step]
    return told


CHANGES: list[tuple[str, str, str, Callable[[Any], object]]] = [
    ("POST /stow gone", "broken", "unharmed", lambda told: told["paths"].pop("/stow")),
    ("POST /new new", "unharmed", "unharmed", lambda told: told["paths"].update({"/new": told["paths"]["/stow"]})),
    ("POST /loads called 'x'", "unharmed", "unharmed", lambda told: at(told, *LOADS).update(operationId="x")),
    ("query page gone", "unclear", "unharmed", lambda told: at(told, *LOADS)["parameters"].pop(2)),
    ("query page must now be there", "broken", "unharmed", lambda told: at(told, *LOADS)["parameters"][2].update(required=True)),
    ("query page at least 5, was at least 1", "broken", "unharmed", lambda told: at(told, *LOADS)["parameters"][2]["schema"].update(minimum=5)),
    ("query rows written as form, a name for each", "broken", "unharmed", lambda told: at(told, *LOADS)["parameters"][4].update(explode=True)),
    ("header x new, must be there", "broken", "unharmed", lambda told: at(told, *LOADS)["parameters"].append({"name": "x", "in": "header", "required": True, "schema": {}})),
    ("not taken as application/json", "broken", "unharmed", lambda told: at(told, *LOADS, "requestBody", "content").update({"a/b": at(told, *LOADS, "requestBody", "content").pop("application/json")})),
    ("body /least", "broken", "unharmed", lambda told: at(told, "components", "schemas", "Cargo", "properties", "least").update(maximum=3)),
    ("answer 200 /bound_for", "unharmed", "broken", lambda told: at(told, "components", "schemas", "CrateAnswered", "properties", "bound_for")["enum"].append("MRW")),
    ("answer 202 new", "unharmed", "broken", lambda told: at(told, *LOADS, "responses").update({"202": {"description": ""}})),
    ("answer 409 new, and foreseen", "unharmed", "unharmed", lambda told: at(told, *LOADS, "responses").update({"409": {"description": ""}})),
    ("asks for key", "broken", "unharmed", lambda told: (told["components"].update(securitySchemes={"key": {"type": "http", "scheme": "basic"}}), at(told, *LOADS).update(security=[{"key": []}]))),
    ("named no longer", "unclear", "unharmed", lambda told: told.pop("servers")),
]  # fmt: skip


@pytest.mark.parametrize(("words", "senders", "readers", "change"), CHANGES, ids=[row[0] for row in CHANGES])
def test_each_change_of_an_api_is_told_and_whom_it_breaks(
    words: str, senders: str, readers: str, change: Callable[[Any], object]
) -> None:
    before = changed(lambda told: told.update(servers=[{"url": "/freight"}]))
    after = copy.deepcopy(before)
    change(after)
    found = compare_descriptions(before, after)
    told = " | ".join(f"{each.pointer} {each.words}" for each in found.changes)
    assert words in told
    assert (found.senders, found.readers) == (senders, readers), told
    assert not compare_descriptions(after, copy.deepcopy(after)).changes


@pytest.mark.parametrize("seed", range(4))
def test_a_spoiled_description_is_told_and_never_raises(seed: int) -> None:
    """Whatever stands at two places of a description: it is judged, and compared or refused with the reason."""
    random, sound = Random(seed), json.loads(json.dumps(description(API)))

    def places(held: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
        yield path
        for step, each in held.items() if isinstance(held, dict) else enumerate(held) if isinstance(held, list) else ():
            yield from places(each, (*path, step))

    every = [*places(sound)][1:]
    deep: Any = {}
    for _ in range(3_000):
        deep = {"items": deep}
    for _ in range(25):
        spoiled = copy.deepcopy(sound)
        for path in random.sample(every, 2):
            with suppress(LookupError, TypeError):
                values = [None, 1, "x", [], {}, [1], {"a": 1}, ["$ref"], {"$ref": 1}, {"$ref": "#/paths"}, deep]
                at(spoiled, *path[:-1])[path[-1]] = random.choice(values)
        assert isinstance(flaws(spoiled), tuple)
        for pair in ((sound, spoiled), (spoiled, sound)):
            with suppress(DeclarationError):
                assert compare_descriptions(*pair).answer("both") in ("unharmed", "broken", "unclear")


def test_a_wider_door_harms_nobody() -> None:
    old = description(declared(security=TOKEN)())
    new = description(declared(security=TOKEN | PUBLIC)())
    assert compare_descriptions(old, new).senders == "unharmed"
    back = compare_descriptions(new, old)
    assert (back.senders, [each.refused.instance for each in back.changes if each.refused]) == ("broken", [{"by": "nobody in particular"}])  # fmt: skip


def test_the_command_compares_descriptions_and_apis(tmp_path: Path) -> None:
    old, new = tmp_path / "old.json", tmp_path / "new.json"
    old.write_text(json.dumps(description(API)))
    new.write_text(json.dumps(changed(lambda told: told["paths"].pop("/stow"))))
    for words, status, told in (
        ([str(old), str(new)], 1, "POST /stow  gone"),
        ([str(old), str(new), "--for", "readers"], 0, "readers go on as before: proved"),
        ([str(old), str(new), "--format", "markdown"], 1, "`POST /stow`"),
        ([str(old), "dutiful_gate.demo.ferries:Booking"], 2, "one of the two is an API"),
        ([str(old), "dutiful_gate.demo.desk:desk"], 1, "GET /bookings"),
    ):
        result = CliRunner().invoke(dutiful, ["compare", *words])
        assert (result.exit_code, told in " ".join(result.output.split()) or told in result.output) == (status, True), result.output  # fmt: skip
    with pytest.raises(DeclarationError, match="no description"):
        compare_descriptions({}, {})
