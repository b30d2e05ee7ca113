"""What would let everything through, or nothing, is told when it is declared: what waits, constants that nothing equals."""

# Rooms: declare, shape, web

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, Iterator
from dataclasses import dataclass, field, make_dataclass
from datetime import date, datetime
from enum import Enum, IntEnum, StrEnum
from functools import partial, wraps
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from typing import Annotated, Any, Literal, NamedTuple, NotRequired, TypedDict
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest

from any_api import asker, clients
from dutiful_gate import (
    Amendment,
    DeclarationError,
    Gate,
    Source,
    about,
    also_named,
    goes_out,
    holds,
    if_absent,
    it,
    named,
    needs,
    obeys,
    otherwise,
    rest,
    secret,
    split_on,
    subset,
    then,
    this,
    trimmed,
    via,
    when,
)  # fmt: skip
from dutiful_gate.web import Answering, Api, Bearer, Endpoint, OwnScheme, RequestGate, Streamed, under_key
from dutiful_gate.web.answer_headers import BrokenAnswer
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.wsgi import wsgi

# Functions that wait


async def later(value: Any = None) -> bool:
    return True


def pieces(value: Any = None) -> Iterator[bool]:
    yield True


async def later_pieces(value: Any = None) -> Any:
    yield True


class Waits:
    async def __call__(self, value: Any = None) -> bool:
        return True

    async def method(self, value: Any = None) -> bool:
        return True

    @staticmethod
    async def static(value: Any = None) -> bool:
        return True


@wraps(later)
def wrapped(value: Any = None) -> Awaitable[bool]:
    return later(value)


WAITING: list[Callable[..., Any]] = [
    later, pieces, later_pieces, partial(later, 1), partial(partial(pieces)), Waits(), Waits().method, Waits.static,
]  # fmt: skip


def _late_property() -> Any:
    @dataclass
    class Crate:
        low: int

        @goes_out
        async def double(self) -> int:
            return 2

    return Crate


def _late_init() -> Any:
    @dataclass
    class Crate:
        low: int

        async def __post_init__(self) -> None:
            raise ValueError("never asked")

    return Gate(Crate)


PLACES: list[Callable[[Any], Any]] = [
    lambda f: Gate(Annotated[int, holds(f)]),
    lambda f: Gate(Annotated[int, then(f)]),
    lambda f: obeys(f),
    lambda f: Gate(Annotated[list[int], it.distinct.by(f)]),
    lambda f: Gate(make_dataclass("Made", [("a", list[int], field(default_factory=f))])),
    lambda f: if_absent(make=f),
    lambda f: Bearer(str, scopes_of=f),
]


@pytest.mark.parametrize("place", PLACES, ids=range(len(PLACES)))
@pytest.mark.parametrize("function", WAITING, ids=range(len(WAITING)))
def test_a_function_that_waits_is_refused_where_it_is_declared(function: Any, place: Callable[[Any], Any]) -> None:
    with pytest.raises(DeclarationError, match=r"gives back something that waits.*write a plain function"):
        place(function)


@pytest.mark.parametrize("declare", [_late_property, _late_init])
def test_records_that_wait_are_refused(declare: Callable[[], Any]) -> None:
    with pytest.raises(DeclarationError, match="waits"):
        declare()


RESULTS: list[Callable[[Any], Any]] = [lambda value: later(value), lambda value: pieces(value), wrapped]


@pytest.mark.parametrize("function", RESULTS, ids=range(len(RESULTS)))
def test_a_result_that_waits_is_the_functions_mistake(function: Callable[[Any], Any]) -> None:
    """The check that never checks: a coroutine is true, whatever it would come to."""

    @obeys(function)
    @dataclass
    class Crate:
        low: int = 1

    gates: list[tuple[Gate[Any], Any]] = [
        (Gate(Annotated[int, holds(function)]), 1), (Gate(Annotated[int, then(function)]), 1), (Gate(Crate), {}),
        (Gate(Annotated[list[int], it.distinct.by(function)]), [1, 2]),
    ]  # fmt: skip
    for gate, data in gates:
        for ask in (gate.admit, gate.examine, gate.accepts):
            with pytest.raises(TypeError, match="gave back something that waits"):
                ask(data)


# Guards, handlers


@dataclass
class Number:
    number: int


@dataclass
class Show:
    path: Number


OPEN: Endpoint[Show] = Endpoint("GET", "/admin/{number}", Show, Answering(200, int))


@pytest.mark.parametrize("handler", [later, Waits(), partial(later)])
def test_wsgi_and_flask_take_no_handler_that_waits(handler: Any) -> None:
    pytest.importorskip("flask")
    from flask import Flask

    from dutiful_gate.web.flask import add, blueprint

    api = Api("a", "1", [OPEN.by(handler)])
    for adapt in (wsgi, blueprint, lambda api: add(Flask("quay"), api, api.served[0])):
        with pytest.raises(DeclarationError, match="is async"):
            adapt(api)


@pytest.mark.parametrize("answer", [int, Streamed("text/plain")])
@pytest.mark.parametrize("make", [pieces, later, later_pieces])
def test_an_answer_that_waits_is_a_mistake_and_is_let_go(answer: Any, make: Callable[..., Any]) -> None:
    made: list[Any] = []
    endpoint = Endpoint("GET", "/crates", Nothing, Answering(200, answer))
    ask = asker(asgi(Api("Harbour", "1", [endpoint.by(lambda sent: made.append(make()) or made[-1])])))
    if make is not later and isinstance(answer, Streamed):
        with pytest.raises(BrokenAnswer, match="bytes or text, not bool"):
            ask("GET", "/crates")
    else:
        assert ask("GET", "/crates").status == 500
    frames = (getattr(made[0], name, None) for name in ("gi_frame", "cr_frame", "ag_frame"))
    assert not any(frames) or make is later_pieces


@pytest.mark.parametrize(
    ("body", "sent"),
    [(["a", b"b", bytearray(b"c"), memoryview(b"d")], b"abcd"), ("ab", b"ab"), (b"", b""), ({"a": 1}, None), (7, None)],
)
def test_what_is_streamed_is_bytes_or_text(body: Any, sent: bytes | None) -> None:
    endpoint = Endpoint("GET", "/crates", Nothing, Answering(200, Streamed("text/plain")))
    api = Api("Harbour", "1", [endpoint.by(lambda request: body)])
    for ask in clients(api).values():
        reply = ask("GET", "/crates")
        assert (reply.status, reply.content) == (200, sent) if sent is not None else reply.status == 500


def test_handlers_of_pieces_are_for_streams() -> None:
    with pytest.raises(DeclarationError, match="is a generator, and no answer of it is streamed"):
        OPEN.by(pieces)
    assert Endpoint("GET", "/a/{number}", Show, Answering(200, Streamed("text/plain"))).by(pieces)
    for handler in (lambda sent: later(), lambda sent: pieces()):
        assert asker(asgi(Api("a", "1", [OPEN.by(handler)])))("GET", "/admin/7").status == 500


def test_a_handler_that_raises_stop_iteration_fails_and_hangs_nothing() -> None:
    def handler(sent: Show) -> int:
        return next(iter(()))

    ask = asker(asgi(Api("a", "1", [OPEN.by(handler)])))
    assert asyncio.run(asyncio.wait_for(asyncio.to_thread(ask, "GET", "/admin/7"), 10)).status == 500


# Constants that nothing equals


class State(Enum):
    OPEN = "open"
    SHUT = "shut"


class Deck(IntEnum):
    LOW = 1
    HIGH = 2


class Kind(StrEnum):
    RORO = "roro"


Few = Literal["open", "shut"]


def _ruled(kind: Any, rule: Any) -> Gate[Any]:
    return Gate(obeys(rule)(make_dataclass("Berth", [("s", kind), ("n", int, 0)])))


DEAD: list[tuple[Any, Any, str]] = [
    (State, this.s == "zzz", "which it never is; it is one of 'open', 'shut'"),
    (State, this.s == "opne", "did you mean 'open'"),
    (State, this.s != "SHUT", "did you mean|it is one of"),
    (State, this.s == Kind.RORO, "never is"),
    (Few, this.s == "zzz", "it is one of 'open', 'shut'"),
    (Few, this.s == State.OPEN, "did you mean 'open'"),
    (Few, this.s.one_of("open", "shot"), "did you mean 'shut'"),
    (Few, when(this.s == "opne").needs("n"), "did you mean 'open'"),
    (Few, (this.s == "open") & ~(this.s == "sht"), "did you mean 'shut'"),
    (Few, when(this.n == 1).obeys(this.s == "x").or_else.obeys(this.s == "open"), "never is"),
    (str, this.s == 3, "write the constant as text"),
    (int, this.s == "3", "write the constant as a whole number"),
    (date, this.s == "2026-05-04", "write the constant as a date"),
    (UUID, this.s != "x", "never is"),
    (bool, this.s == 1, "never is"),
    (Few | None, this.s == "zzz", "it is one of"),
    (list[Few], this.s.contains("zzz"), "it is one of"),
    (list[Few], this.s.all(it == "zzz"), "it is one of"),
    (list[str], this.s == "x", "never is"),
    (Few | int, this.s == "zzz", "never is"),
]


@pytest.mark.parametrize(("kind", "rule", "told"), DEAD, ids=[str(rule) for _, rule, _ in DEAD])
def test_a_rule_that_is_dead_is_told(kind: Any, rule: Any, told: str) -> None:
    with pytest.raises(DeclarationError, match=told) as raised:
        _ruled(kind, rule)
    assert "<" not in str(raised.value)


OF_FIELDS = [named("bookingRef"), also_named("ref"), if_absent("QLP"), under_key("ref"), about(write_only=True)]


@pytest.mark.parametrize("said", [*OF_FIELDS, rest], ids=str)
def test_what_is_said_of_a_field_is_told_where_no_field_would_hear_it(said: Any) -> None:
    kind = dict[str, Any] if said is rest else str
    inside = Annotated[kind, said]
    record = make_dataclass("Crate", [("whole", Annotated[kind | None, said], None)]) if said is not rest else str
    if said not in (under_key("ref"), if_absent("QLP")):
        Gate(record)
    # About a field that may be null, `about` is heard beside what it is otherwise too.
    parts = [list[inside], dict[str, inside], inside | int, tuple[inside, int]] + (
        [] if said == about(write_only=True) else [inside | None]
    )
    for part in [*(make_dataclass("Crate", [("part", each, None)]) for each in parts), inside, list[inside]]:
        with pytest.raises(DeclarationError, match="around the whole"):
            Gate(part)


@pytest.mark.parametrize(
    "words",
    [
        {"keys": 3},
        {"keys": lambda name: None},
        {"lenient": "no"},
        {"limits": {"depth": 3}},
        {"source": "JSON"},
        {"unknown": None},
    ],
)
def test_words_of_a_gate_that_mean_nothing_are_told(words: dict[str, Any]) -> None:
    with pytest.raises(DeclarationError):
        Gate(Booking, **words)


@dataclass
class Nothing:
    """A request of which nothing is read."""


def _api(**words: Any) -> Api:
    return Api("Harbour", "1", [Endpoint("GET", "/crates", Nothing, Answering(200, int)).by(lambda sent: 1)], **words)


class _Zero:
    """False, as arrays of numbers say it."""

    def __bool__(self) -> bool:
        return False


@pytest.mark.parametrize("said", [False, 0, "", _Zero(), None, True, 1, "fine"], ids=range(8))
def test_a_function_of_a_record_says_no_by_all_that_is_not_true(said: Any) -> None:
    gate = Gate(obeys(lambda record: said)(make_dataclass("Berth", [("number", int)])))
    admits = said is None or bool(said)
    assert (gate.accepts({"number": 1}), bool(gate.examine({"number": 1, "more": 2}))) == (admits, admits)


@pytest.mark.parametrize(
    "place",
    [
        holds,
        then,
        it.distinct.by,
        obeys,
        lambda function: if_absent(make=function),
        lambda function: Bearer(function),
        lambda function: Bearer(str, scopes_of=function),
        lambda function: OwnScheme(function, described={"type": "mutualTLS"}),
    ],
)
@pytest.mark.parametrize("function", [lambda one, two: True, lambda *, key: True, lambda one, two, three: one])
def test_a_function_that_could_not_be_called_is_told(place: Any, function: Any) -> None:
    with pytest.raises(DeclarationError, match=r"cannot be called with (1|no) value"):
        place(function)


@pytest.mark.parametrize("words", [{"security": 3}, {"security": ["key"]}, {"origins": ["quays.example"]}, {"origins": ["https://quays.example/"]}, {"origins": ["*"]},
                                   {"proxies": ["quay"]}, {"proxies": "10.0.0.1"}, {"threads": 0}, {"threads": True}, {"development": "no"}, {"described_at": "openapi.json"}, {"described_at": "/d", "manual_at": "/d"}, {"described_at": "/crates"},
                                   {"unreadable_path": 200}, {"refusals": 3}, {"catalogues": ["de"]}, {"servers": "https://quays.example"}])  # fmt: skip
def test_words_of_an_api_that_mean_nothing_are_told(words: dict[str, Any]) -> None:
    _api()
    with pytest.raises(DeclarationError):
        _api(**words)


@pytest.mark.parametrize("served", [lambda: Endpoint("GET", "/a", Nothing, Answering(200)), lambda: Endpoint("GET", "/a", Nothing, Answering(200)).by(None),  # type: ignore[arg-type]
                                    lambda: Endpoint("GET", "/a", Nothing, Answering(200)).by(lambda: None), lambda: Endpoint("GET", "/a", Nothing, Answering(200), tags="berths").by(print)])  # fmt: skip
def test_what_is_no_handler_is_told(served: Callable[[], Any]) -> None:
    with pytest.raises(DeclarationError):
        Api("Harbour", "1", [served()])


def test_a_key_may_be_any_text_in_rules_too() -> None:
    gate = Gate(obeys(needs("", given="a"))(TypedDict("Odd", {"": NotRequired[int], "a": NotRequired[int]})))  # type: ignore[operator]
    assert (gate.accepts({"": 1, "a": 1}), gate.accepts({"a": 1}), gate.accepts({})) == (True, False, True)
    with pytest.raises(DeclarationError):
        _ruled(int, needs("", given="n"))


@pytest.mark.parametrize("word", ["deprecated", "read_only", "write_only"])
def test_yes_and_no_are_not_read_out_of_text(word: str) -> None:
    with pytest.raises(DeclarationError, match="neither True nor False"):
        about(**{word: "no"})  # type: ignore[arg-type]


ALIKE: list[tuple[Any, Any, bool]] = [
    (str, int, False), (bool, int, False), (State, str, False), (State, Few, False), (date, datetime, False), (list[int], set[int], False), (list[int], tuple[int, ...], False),
    (dict[str, int], list[int], False), (UUID, str, False), (int | bool, str | None, False), (Number, Deck, False), (Number, dict[str, int], False),
    (Path, str, False), (bytes, str, False), (ZoneInfo, str, False), (IPv4Network, IPv4Address, False), (Path, Path, True), (bytes, bytes | None, True),
    (int, float, True), (Literal[1, 2], float, True), (Few, str, True), (Kind, str, True), (Deck, int, True), (State, State, True), (int | str, str, True), (int | None, str | None, True),
    (Any, int, True), (Annotated[str, then(len)], int, True), (set[int], frozenset[int], True), (Number, Number, True), (datetime, datetime | None, True), (tuple[int, str], tuple[int, ...], True),
]  # fmt: skip


@pytest.mark.parametrize(("one", "other", "may"), ALIKE, ids=range(len(ALIKE)))
def test_fields_that_never_equal_each_other_are_told(one: Any, other: Any, may: bool) -> None:
    for left, right in ((one, other), (other, one)):
        for rule in (this.s == this.t, this.s != this.t, when(this.s == this.t).needs("n")):
            build = obeys(rule)(make_dataclass("Berth", [("s", left), ("t", right), ("n", int | None, None)]))
            if may:
                Gate(build)
                continue
            with pytest.raises(DeclarationError, match="which it never is; compare fields of one kind"):
                Gate(build)


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        (Annotated[State, it != "c"], "it is one of"), (Annotated[Few, it != "opn"], "did you mean 'open'"), (Annotated[list[State], it.contains("c")], "it is one of"),
        (Annotated[list[Number], it.distinct.by("nosuch")], "they have number"), (Annotated[list[Number], it.distinct.by("numbr")], "did you mean 'number'"),
        (Annotated[list[int], it.distinct.by("low")], "which they do not have"),
        (Annotated[list[make_dataclass("Named", [("kg", Annotated[int, named("weightKg")])])], it.distinct.by("weightKg")], "did you mean 'kg'"),
        (Annotated[str, (it.length > 1, it.length < 4)], "unpack them"), (list[Annotated[str, [trimmed]]], "one by one"), (Annotated[str, {"a": secret}], "one by one"),
        (Annotated[int, 3 in (1, 2)], "`in`, `and`"), (Annotated[str, re.compile("a")], "it.has"), (Annotated[str, it.length > -2], "below 0"), (Annotated[str, it.length != -1], "below 0"),
        (Annotated[str, Gate(int)], "means nothing"), (Annotated[str, Source.TEXT], "means nothing"), (Annotated[str, when(this.n == 1)], "means nothing"),
        (Annotated[int, via(str), via(float)], "another of its kind"), (Annotated[list[int], split_on(","), split_on(";")], "another of its kind"),
        (Annotated[State, otherwise("zzz")], "what is not one of a few values"), (Annotated[int, otherwise("x")], "what is not a whole number"),
    ],
)  # fmt: skip
def test_what_stands_beside_a_type_is_told_when_it_is_dead(kind: Any, told: str) -> None:
    with pytest.raises(DeclarationError, match=told):
        Gate(kind)


@pytest.mark.parametrize(
    ("kind", "means", "other"),
    [(State, ("open", State.OPEN), "shut"), (Deck, (1, Deck.LOW), 2), (State | None, ("open", State.OPEN), None), (Literal[State.OPEN, State.SHUT], ("open", State.OPEN), "shut")],
)  # fmt: skip
def test_a_member_and_its_value_mean_the_member(kind: Any, means: tuple[Any, Any], other: Any) -> None:
    wire = means[0]
    for constant in means:
        gates = {
            True: [_ruled(kind, this.s == constant), _ruled(kind, this.s.one_of(constant)), _ruled(kind, ~(this.s != constant))],
            False: [_ruled(kind, this.s != constant), _ruled(kind, ~(this.s == constant))],
        }  # fmt: skip
        for wanted, several in gates.items():
            for gate in several:
                assert gate.accepts({"s": wire}) == wanted
                assert gate.accepts({"s": other}) != wanted or other is None
                told = f"{gate.schema()} {[str(each) for each in gate.schema().unstated]} {gate.examine({'s': other}).faults}"
                assert "State" not in told.replace("State'", "")
                assert "Deck." not in told
                document = Gate.from_schema(gate.schema())
                assert all(document.accepts({"s": each}) == gate.accepts({"s": each}) for each in (wire, other))
    assert Gate(Annotated[list[State], it.contains("open")]).accepts(["shut", "open"])
    assert not Gate(Annotated[list[State], it.contains(State.OPEN)]).accepts(["shut"])


# What is read-only, what is write-only


class Row(TypedDict):
    a: int
    b: NotRequired[Annotated[int, about(read_only=True)]]
    c: Annotated[int, about(read_only=True), if_absent(5)]


class Span(NamedTuple):
    low: Annotated[int, about(read_only=True)] = 1
    high: int = 2


@dataclass
class Booking:
    name: str
    number: Annotated[int, about(read_only=True)] = 7
    note: Annotated[str, about(write_only=True)] = "-"


@dataclass
class Gathers:
    own: Annotated[int | None, about(read_only=True)] = None
    more: Annotated[dict[str, Any], rest] = field(default_factory=dict)


@obeys(this.number < 10, unknown="refuse")
@dataclass
class Strict(Booking):
    pass


READ_ONLY: list[tuple[Any, Any, Any, list[str]]] = [
    (Booking, {"name": "a", "number": 3, "note": "n"}, Booking("a", 7, "n"), ["number"]),
    (list[Booking], [{"name": "a", "number": 3}], [Booking("a")], ["0/number"]),
    (Booking | None, {"name": "a", "number": 3}, Booking("a"), ["number"]),
    (Row, {"a": 1, "b": 2, "c": 3}, {"a": 1, "c": 5}, ["b", "c"]),
    (Span, {"low": 4, "high": 5}, Span(1, 5), ["low"]),
    (Gathers, {"own": 4, "x": 5}, Gathers(None, {"x": 5}), ["own"]),
    (Amendment[Booking], {"name": "b", "number": 1}, {"name": "b"}, ["number"]),
    (subset(Booking, only=("name", "number")), {"name": "a", "number": 3}, {"name": "a", "number": 7}, ["number"]),
]


@pytest.mark.parametrize(("kind", "sent", "admitted", "dropped"), READ_ONLY, ids=range(len(READ_ONLY)))
def test_what_is_read_only_is_not_taken_from_a_client(kind: Any, sent: Any, admitted: Any, dropped: list[str]) -> None:
    gate: RequestGate[Any] = RequestGate(make_dataclass("Sends", [("body", kind)]))
    verdict = gate.examine({"body": sent})
    made = verdict.value.body
    assert made == admitted or {name: getattr(made, name) for name in admitted} == admitted
    assert ["/".join(map(str, path[1:])) for path in verdict.dropped] == dropped
    assert gate.accepts({"body": sent})
    assert repr(gate.admit({"body": sent})) == repr(verdict.value)


@pytest.mark.parametrize(
    "part", [list[Annotated[int, about(read_only=True)]], Annotated[int, about(read_only=True)] | str]
)
def test_what_is_read_only_in_part_is_told_where_a_client_sends(part: Any) -> None:
    record = make_dataclass("Crate", [("levels", part)])
    Gate(record)
    with pytest.raises(DeclarationError, match="around the whole"):
        RequestGate(make_dataclass("Sends", [("body", list[record])]))  # type: ignore[valid-type]


def test_what_is_read_only_is_kept_where_no_client_sends_it() -> None:
    for source in (Source.JSON, Source.NATIVE, Source.MIXED):
        assert Gate(Booking, source).admit({"name": "a", "number": 3}) == Booking("a", 3)
    assert Gate(Booking).admit(Gate(Booking).release(Booking("a", 3))).number == 3
    strict: RequestGate[Any] = RequestGate(make_dataclass("Sends", [("body", Strict)]))
    (fault,) = strict.examine({"body": {"name": "a", "number": 3}}).faults
    assert (fault.code, fault.pointer) == ("unknown", "/body/number")
    query: RequestGate[Any] = RequestGate(make_dataclass("Asks", [("query", Booking)]))
    assert query.admit({"query": {"name": "a", "number": "3"}}).query == Booking("a")
    with pytest.raises(DeclarationError, match=r"subset\(Filed, without='number'\)"):
        RequestGate(
            make_dataclass(
                "Sends", [("body", make_dataclass("Filed", [("number", Annotated[int, about(read_only=True)])]))]
            )
        )
    with pytest.raises(DeclarationError, match="a field that nobody could use"):
        about(read_only=True, write_only=True)


def test_what_is_write_only_never_goes_out() -> None:
    gate = Gate(Booking)
    assert (
        gate.release(Booking("a", 3, "hidden"))
        == gate.release(Booking("a", 3, "hidden"), secrets=True)
        == {"name": "a", "number": 3}
    )
    assert b"hidden" not in gate.release_json(Booking("a", 3, "hidden"), secrets=True)
    assert "note" not in gate.schema(of="release")["$defs"]["Booking"]["properties"]
    assert gate.schema()["$defs"]["Booking"]["properties"]["note"]["writeOnly"] is True
