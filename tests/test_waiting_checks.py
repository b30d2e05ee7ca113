"""Checks that wait: `among` in batches, `waits` one by one; what is asked, when, how often, and what becomes of it."""

# Rooms: declare, engine, gates, files, tables, web

from __future__ import annotations

import asyncio
import io
import json
import pickle
from collections.abc import AsyncIterator, Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, field, make_dataclass
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from time import sleep
from typing import Annotated, Any, cast

import httpx
import pandas as pd
import pytest

from dutiful_gate import (
    ABSENT,
    Absent,
    DeclarationError,
    Gate,
    Limits,
    Refused,
    Source,
    WaitingGate,
    Wrong,
    among,
    holds,
    it,
    obeys,
    otherwise,
    outside,
    outside_values,
    payloads,
    samples,
    secret,
    takes,
    this,
    uppered,
    waits,
)
from dutiful_gate.declare.kinds import written_kinds
from dutiful_gate.files import examine_file
from dutiful_gate.files.delivery import examine_stream
from dutiful_gate.files.jobs import digest_of_file
from dutiful_gate.gates.request import RequestGate
from dutiful_gate.prove.proof import prove
from dutiful_gate.tables import examine_table
from dutiful_gate.web.answering import Answering
from dutiful_gate.web.api import Api
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.endpoint import Endpoint
from dutiful_gate.web.wsgi import wsgi

ASKED: list[tuple[str, Any]] = []
"""What the checks were asked about, in order."""


@pytest.fixture(autouse=True)
def _asked_anew() -> None:
    ASKED.clear()


def on_file(codes: Sequence[str]) -> set[str]:
    ASKED.append(("on_file", sorted(codes)))
    return {code for code in codes if code != "XXX"}


def small(numbers: Sequence[int]) -> list[int]:
    ASKED.append(("small", sorted(numbers)))
    return [number for number in numbers if number < 9_000]


async def on_file_later(codes: Sequence[str]) -> set[str]:
    await asyncio.sleep(0)
    return on_file(codes)


async def even(number: int) -> bool:
    ASKED.append(("even", number))
    await asyncio.sleep(0)
    if number == 13:
        raise ValueError("13 is for nobody")
    return number % 2 == 0


Port = Annotated[str, uppered, it.matches("[A-Z]{3}"), among(on_file, says="needs a port on file")]


@dataclass
class Sailing:
    origin: Port
    stops: list[Port]
    size: Annotated[int, it > 0, among(small)] = 5


@dataclass
@obeys(this.size < 100)
class Later:
    origin: Annotated[str, among(on_file_later, seconds=5)]
    sizes: list[Annotated[int, waits(even)]]
    size: int = 5


SOUND = {"origin": "qlp", "stops": ["QLP", "ost", "qlp"]}
WRONG = {"origin": "xxx", "stops": ["qlp", "toolong", "xxx"], "size": 9_000}
TOLD = [
    ("/origin", "check", "needs a port on file"),
    ("/stops/1", "pattern", "needs text that matches [A-Z]{3}; got 'toolong'"),
    ("/stops/2", "check", "needs a port on file"),
    ("/size", "check", "needs a value that passes small; got 9000"),
]
ONE_WINDOW = [("on_file", ["QLP", "XXX"]), ("small", [9_000])]


@pytest.mark.parametrize("native", [True, False])
def test_each_verb_asks_once_and_tells_every_fault_in_its_place(native: bool) -> None:
    gate = Gate(Sailing, native=native)
    assert gate.admit(SOUND) == Sailing("QLP", ["QLP", "OST", "QLP"])
    assert ASKED == [("on_file", ["OST", "QLP"])]  # each value once; the default is nobody's question
    raw = json.dumps(WRONG)
    verbs: list[Callable[[], Iterable[Any]]] = [
        lambda: [gate.examine(WRONG)], lambda: [gate.examine_json(raw)], lambda: gate.examine_each([WRONG]),
        lambda: gate.examine_each_json(f"[{raw}]"), lambda: [gate.examine_cbor(Gate(Any).release_cbor(WRONG))],
        lambda: [pickle.loads(pickle.dumps(gate)).examine(WRONG)],
    ]  # fmt: skip
    for verb in verbs:
        ASKED.clear()
        [verdict] = verb()
        assert [(fault.pointer, fault.code, fault.message) for fault in verdict.faults] == TOLD
        assert ASKED == ONE_WINDOW
    ASKED.clear()
    with pytest.raises(Refused):
        gate.admit(WRONG)
    assert not gate.accepts(WRONG)
    assert ASKED == ONE_WINDOW * 2
    assert gate.examine_json(raw).faults[2].place is not None
    assert "among(on_file)  FAILS" in str(gate.why(WRONG, "/origin"))


def test_gate_and_waiting_gate_give_one_answer() -> None:
    gate, waiting = Gate(Sailing), WaitingGate(Sailing)

    async def asked() -> None:
        for data in (SOUND, WRONG, {}, None, {**SOUND, "size": -1}, {**SOUND, "odd": 1}):
            verdict, awaited = gate.examine(data), await waiting.examine(data)
            assert verdict.faults == awaited.faults
            assert bool(verdict) == await waiting.accepts(data)
            assert not verdict or (verdict.value == awaited.value == await waiting.admit(data))
            raw = json.dumps(data)
            assert (await waiting.examine_json(raw)).faults == gate.examine_json(raw).faults
        assert str(await waiting.why(WRONG, "/origin")) == str(gate.why(WRONG, "/origin"))
        assert not await waiting.examine_cbor(Gate(Any).release_cbor(WRONG))
        sound = await waiting.admit_json(json.dumps(SOUND))
        assert waiting.release_json(sound) == gate.release_json(sound)
        assert waiting.schema() == gate.schema()
        with pytest.raises(Refused):
            await waiting.admit_json(json.dumps(WRONG))

    asyncio.run(asked())
    assert waiting.one_way == gate.one_way
    assert pickle.loads(pickle.dumps(waiting)).shape.name == "Sailing"


def test_what_does_not_wait_comes_first_and_sound_parts_are_asked_together() -> None:
    gate = WaitingGate(Later)
    running = asyncio.run
    assert running(gate.admit({"origin": "QLP", "sizes": [2, 4, 2]})) == Later("QLP", [2, 4, 2])
    assert sorted(map(str, ASKED)) == ["('even', 2)", "('even', 4)", "('on_file', ['QLP'])"]
    ASKED.clear()
    verdict = running(gate.examine({"origin": 3, "sizes": [2, "x", 3, 13], "size": 100}))
    assert [(fault.pointer, fault.message) for fault in verdict.faults] == [
        ("/origin", "needs text; got 3"), ("/sizes/1", "needs a whole number; got the text 'x'"),
        ("/sizes/2", "needs a value that passes even; got 3"), ("/sizes/3", "13 is for nobody"),
        ("/size", "needs a value below 100; got 100"),
    ]  # fmt: skip
    assert sorted(ASKED) == [("even", 2), ("even", 3), ("even", 13)]


def test_a_gate_that_waits_for_nothing_says_so() -> None:
    declared: list[Callable[[], object]] = [
        lambda: Gate(Later), lambda: Gate(Annotated[int, waits(even)]), lambda: RequestGate(_Book),
    ]  # fmt: skip
    for build in declared:
        with pytest.raises(DeclarationError, match="is async, and this gate waits for nothing"):
            build()


MISDECLARED: list[tuple[Callable[[], object], str]] = [
    (lambda: among(cast(Any, 3)), "needs a function"),
    (lambda: among(on_file, most=0), "asks about nothing"),
    (lambda: among(on_file, seconds=0), "is no time"),
    (lambda: among(on_file, seconds=float("inf")), "is no time"),
    (lambda: among(on_file, unanswered=cast(Any, "skip")), "says nothing"),
    (lambda: among(cast(Any, lambda: [1])), "cannot be called with 1 value"),
    (lambda: waits(cast(Any, bool)), "waits for a plain function"),
    (lambda: holds(even), "it gives back something that waits"),
    (lambda: Gate(Annotated[str, among(on_file), it.length < 3]), "asked last of all"),
    (lambda: Gate(Annotated[str, among(on_file), uppered]), "asked last of all"),
    (lambda: Gate(Annotated[str, among]), "named but not called"),
    (lambda: obeys(waits(even, says="needs {given}")), "in braces"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "told"), MISDECLARED)
def test_what_would_mean_nothing_is_told_when_it_is_declared(declared: Callable[[], object], told: str) -> None:
    with pytest.raises(DeclarationError, match=told):
        declared()


# Failures


def _broken(codes: Sequence[str]) -> set[str]:
    raise ConnectionError("no database at 10.0.0.7")


def _nothing(codes: Sequence[str]) -> Any:
    return None


def _a_word(codes: Sequence[str]) -> Any:
    return "QLP"


def _forgot_to_wait(codes: Sequence[str]) -> Any:
    return on_file_later(codes)


def _refuses(codes: Sequence[str]) -> Any:
    return Gate(int).admit("QLP")  # a refusal of something else is none of the data


def _stops(codes: Sequence[str]) -> Any:
    return next(iter(()))


def _empties(codes: list[str]) -> Any:
    codes.clear()
    return ["QLP"]


async def _cancels_itself(codes: Sequence[str]) -> Any:
    raise asyncio.CancelledError


def _slow(codes: Sequence[str]) -> set[str]:
    sleep(0.5)
    return set(codes)


async def _slow_later(codes: Sequence[str]) -> set[str]:
    await asyncio.sleep(30)
    return set(codes)


async def _broken_later(codes: Sequence[str]) -> set[str]:
    return _broken(codes)


FAILING: list[tuple[Any, float | None, type[Exception], str]] = [
    (_refuses, None, RuntimeError, "_refuses raised Refused"), (_stops, None, RuntimeError, "_stops raised StopIteration"),
    (_cancels_itself, None, RuntimeError, "was cancelled, and not by its caller"),
    (_broken, None, ConnectionError, "no database"), (_nothing, None, TypeError, "gives back the sound ones"),
    (_a_word, None, TypeError, "gives back the sound ones"), (_slow, 0.01, TimeoutError, "_slow did not answer within 0.01"),
    (_slow_later, 0.01, TimeoutError, "_slow_later did not answer within"), (_broken_later, 9, ConnectionError, "no database"),
]  # fmt: skip


@pytest.mark.parametrize(("function", "seconds", "error", "told"), FAILING)
def test_a_check_that_fails_is_told_to_the_caller(
    function: Any, seconds: float | None, error: type[Exception], told: str
) -> None:
    kind = Annotated[str, among(function, seconds=seconds)]
    later: WaitingGate[Any] = WaitingGate(kind)
    with pytest.raises(error, match=told):
        asyncio.run(later.examine("QLP"))
    assert not asyncio.run(later.examine(3))  # nobody is asked about what is unsound anyway
    hidden: WaitingGate[Any] = WaitingGate(Annotated[str, secret, among(function, seconds=seconds)])
    with pytest.raises((RuntimeError, TimeoutError)) as withheld:
        asyncio.run(hidden.examine("QLP"))
    assert "10.0.0.7" not in str(withheld.value)
    assert withheld.value.__cause__ is None
    refused: WaitingGate[Any] = WaitingGate(Annotated[str, among(function, seconds=seconds, unanswered="refuse")])
    assert [fault.code for fault in asyncio.run(refused.examine("QLP")).faults] == ["check"]
    if not asyncio.iscoroutinefunction(function):
        gate: Gate[Any] = Gate(kind)
        for verb in (gate.admit, gate.examine, gate.accepts):
            with pytest.raises(error, match=told):
                verb("QLP")
        assert not Gate(Annotated[str, among(function, seconds=seconds, unanswered="refuse")]).accepts("QLP")


def test_one_function_may_be_asked_in_two_ways() -> None:
    both = tuple[Annotated[str, among(_broken, unanswered="refuse")], Annotated[str, among(_broken)]]
    with pytest.raises(ConnectionError):
        Gate(both).examine(["QLP", "QLP"])


def test_what_a_check_does_to_what_it_is_given_changes_nothing() -> None:
    assert Gate(list[Annotated[str, among(_empties)]]).examine(["QLP", "MRW"]).faults[0].pointer == "/1"


def test_a_plain_function_that_gives_a_coroutine_is_found_out() -> None:
    gate: Gate[Any] = Gate(Annotated[str, among(_forgot_to_wait)])
    with pytest.raises(TypeError, match="gave back something that waits"):
        gate.admit("QLP")
    assert asyncio.run(WaitingGate(Annotated[str, among(_forgot_to_wait)]).admit("QLP")) == "QLP"


def test_cancelled_it_leaves_nothing_behind() -> None:
    gate = WaitingGate(Later)
    running: list[str] = []

    async def slow(codes: Sequence[str]) -> Collection[str]:
        running.append("begun")
        try:
            await asyncio.sleep(30)
        finally:
            running.append("ended")
        return codes

    async def fails(codes: Sequence[str]) -> Collection[str]:
        await asyncio.sleep(0.01)
        raise ConnectionError

    both: WaitingGate[Any] = WaitingGate(tuple[Annotated[str, among(slow)], Annotated[str, among(fails)]])
    alone: WaitingGate[Any] = WaitingGate(Annotated[str, among(slow)])

    async def asked() -> None:
        with pytest.raises(ConnectionError):
            await both.admit(["a", "b"])
        with pytest.raises(TimeoutError):
            await asyncio.wait_for(alone.admit("a"), 0.01)
        task = asyncio.create_task(alone.admit("a"))
        await asyncio.sleep(0.01)
        task.cancel()
        with pytest.raises(asyncio.CancelledError):
            await task
        assert await gate.accepts({"origin": "QLP", "sizes": []})
        assert len(asyncio.all_tasks()) == 1

    asyncio.run(asked())
    assert running == ["begun", "ended"] * 3


# Values, unions, records


async def _differ(sailing: Any) -> bool:
    ASKED.append(("differ", sailing.origin))
    if sailing.origin == sailing.destination:
        raise Wrong("needs another port", at=this.destination)
    return bool(sailing.origin != "OST")


@dataclass
@obeys(waits(_differ, says="needs a port that is open"))
class Leg:
    origin: str
    destination: str
    tags: list[str] = field(default_factory=list)


def test_a_whole_record_is_asked_about_by_what_it_holds() -> None:
    gate: WaitingGate[list[Leg]] = WaitingGate(list[Leg])
    legs = [{"origin": "QLP", "destination": "MRW"}] * 3 + [{"origin": "MRW", "destination": "MRW", "tags": ["a"]}]
    verdict = asyncio.run(gate.examine([*legs, {"origin": "OST", "destination": "FNK"}]))
    assert [(fault.pointer, fault.message) for fault in verdict.faults] == [
        ("/3/destination", "needs another port"), ("/4", "needs a port that is open"),
    ]  # fmt: skip
    assert sorted(ASKED) == [("differ", "MRW"), ("differ", "OST"), ("differ", "QLP")]


class _Plain:
    def __init__(self, held: str) -> None:
        self.held = held


class _Slotted:
    __slots__ = ("held",)

    def __init__(self, held: str) -> None:
        self.held = held


def test_values_are_told_apart_by_class_and_by_what_they_hold() -> None:
    kinds: list[tuple[Any, list[Any]]] = [
        (int | float | bool | str, [1, 1.5, True, "1", 1]), (list[int], [[1], [1], [2]]), (dict[str, list[int]], [{"a": [1]}] * 2),
        (set[int], [[1, 2], [2, 1]]), (tuple[int, str], [[1, "a"]] * 2), (Leg, [{"origin": "a", "destination": "b"}] * 2),
    ]  # fmt: skip
    for kind, values in kinds:
        seen: list[Any] = []

        def all_sound(asked: Sequence[Any], seen: list[Any] = seen) -> list[Any]:
            seen += asked
            return list(asked)

        of_records = WaitingGate(list[Annotated[kind, among(all_sound)]])  # type: ignore[valid-type]
        assert len(asyncio.run(of_records.admit(values))) == len(values)
        assert len(seen) == len({repr(each) for each in values}) - (kind == set[int])
    gate: Gate[Any] = Gate(Annotated[str, among(on_file)] | Annotated[int, among(small)])
    assert gate.admit("QLP") == "QLP"
    assert not gate.accepts("XXX")
    assert not gate.accepts(9_000)


def test_what_stands_in_for_what_is_refused_is_asked_about_in_its_turn() -> None:
    first = Annotated[str, among(on_file), otherwise("none")]
    gate: Gate[Any] = Gate(list[first])  # type: ignore[valid-type]
    verdict = gate.examine(["QLP", "XXX"])
    assert verdict.value == ["QLP", "none"]
    assert len(verdict.fallbacks) == 1
    either = Annotated[str, it.length == 3, among(on_file)] | Annotated[list[str], among(lambda lists: lists)]
    assert Gate(either).admit(["a"]) == ["a"]


def test_values_from_outside_reach_checks_that_wait() -> None:
    limit = outside("limit", int)

    @takes(limit)
    async def within(numbers: Sequence[int], limit: int) -> list[int]:
        return [number for number in numbers if number <= limit]

    gate: WaitingGate[Any] = WaitingGate(Annotated[int, among(within)])

    async def asked() -> None:
        assert await gate.accepts(3, outside=[limit(3)])
        assert not await gate.accepts(4, outside=[limit(3)])
        with outside_values(limit(9)):
            assert await gate.accepts(4)
        with pytest.raises(TypeError, match="limit is asked for"):
            await gate.accepts(3)

    asyncio.run(asked())


def test_samples_and_proofs_ask_nobody() -> None:
    assert len(samples(Gate(Sailing), 5)) == 5
    proof = prove(Gate(Sailing), 300)
    assert not proof.disagreements
    assert proof.admitted
    assert ASKED == []
    unstated = {(each.field, each.rule) for each in Gate(Sailing).schema().unstated}
    assert {("Sailing.size", "among(small)"), ("Sailing.stops[]", "among(on_file)")} <= unstated


# Feeds, tables, files

ROWS = [{"origin": ("QLP", "OST", "XXX", "bad1")[number % 4], "size": number} for number in range(10_000)]


@dataclass
class Row:
    origin: Port
    size: Annotated[int, among(small)]


EXPECTED = [row["origin"] in ("QLP", "OST") and cast(int, row["size"]) < 9_000 for row in ROWS]


def _files(folder: Path) -> Iterable[Path]:
    frame = pd.DataFrame(ROWS)
    for name in ("feed.ndjson", "feed.csv", "feed.json", "feed.parquet", "feed.xlsx"):
        path = folder / name
        if name.endswith("ndjson"):
            path.write_text("".join(json.dumps(row) + "\n" for row in ROWS))
        elif name.endswith("json"):
            path.write_text(json.dumps(ROWS))
        else:
            getattr(frame, {"csv": "to_csv", "parquet": "to_parquet", "xlsx": "to_excel"}[name[5:]])(path, index=False)
        yield path


class _Pipe(io.RawIOBase):
    """A stream that cannot go back, in odd pieces."""

    def __init__(self, held: bytes) -> None:
        self.held = io.BytesIO(held)

    def readable(self) -> bool:
        return True

    def readinto(self, into: Any) -> int:
        piece = self.held.read(min(len(into), 777))
        into[: len(piece)] = piece
        return len(piece)


def test_a_feed_asks_each_check_once_a_window(tmp_path: Path) -> None:
    gate = Gate(Row)
    assert [bool(verdict) for verdict in gate.examine_each(ROWS, window=500)] == EXPECTED
    assert len(ASKED) <= 40
    for path in _files(tmp_path):
        ASKED.clear()
        assert [bool(item.verdict) for item in examine_file(gate, path)] == EXPECTED, path
        assert len(ASKED) <= 40, path
    for name in ("feed.ndjson", "feed.csv"):
        ASKED.clear()
        pipe = cast(Any, io.BufferedReader(_Pipe((tmp_path / name).read_bytes())))
        items = examine_stream(gate, pipe, cast(Any, name[5:]))
        assert [bool(item.verdict) for item in items] == EXPECTED
        assert len(ASKED) <= 40
    ASKED.clear()
    assert examine_table(gate, pd.DataFrame(ROWS)).digest.admitted == sum(EXPECTED)
    assert len(ASKED) <= 40
    assert digest_of_file(gate, tmp_path / "feed.ndjson", jobs=2).admitted == sum(EXPECTED)


def test_a_window_closes_by_number_or_in_time_and_the_feed_may_be_left() -> None:
    gate: WaitingGate[int] = WaitingGate(Annotated[int, waits(even)])

    came: list[int] = []

    async def coming(pause: float) -> AsyncIterator[int]:
        for number in range(6):
            came.append(number)
            yield number
            await asyncio.sleep(pause)

    async def asked() -> None:
        assert [bool(each) async for each in gate.examine_each(coming(0), window=4)] == [True, False] * 3
        assert [bool(each) async for each in gate.examine_each(range(6), window=4)] == [True, False] * 3
        async for verdict in gate.examine_each(coming(0.5), seconds=0.01):
            assert verdict
            assert came[-1] == 0  # the first is told of before the second has come
            break
        assert [bool(each) async for each in gate.examine_each("no list")] == [False]
        with pytest.raises(TypeError, match="window=0"):
            [each async for each in gate.examine_each([1], window=0)]
        await asyncio.sleep(0)

    asyncio.run(asked())
    with pytest.raises(TypeError, match="seconds=-1"):
        list(Gate(Row).examine_each([], seconds=-1))


def test_more_values_than_one_call_takes_are_asked_about_in_several() -> None:
    gate: Gate[list[int]] = Gate(list[Annotated[int, among(small, most=100)]], limits=Limits(items=1_000))
    assert len(gate.admit(list(range(250)))) == 250
    assert [len(values) for _, values in ASKED] == [100, 100, 50]


# Requests


@dataclass
class _Book:
    body: Later


@dataclass
class _BookNow:
    body: Sailing


def _api(request: Any) -> Api:
    def taken(request: Any) -> Any:
        return request.body

    return Api(
        "Tern Sound bookings",
        "1.0",
        [Endpoint("POST", "/bookings", request, Answering(201, request.__annotations__["body"])).by(taken)],
    )


def _posted(api: Api, body: Any) -> httpx.Response:
    async def sent() -> httpx.Response:
        async with httpx.AsyncClient(
            transport=httpx.ASGITransport(asgi(api)), base_url="http://quays.example"
        ) as client:
            return await client.post("/bookings", json=body)

    return asyncio.run(sent())


def test_endpoints_wait_under_asgi_and_are_refused_under_wsgi(caplog: pytest.LogCaptureFixture) -> None:
    _Book.__annotations__["body"], _BookNow.__annotations__["body"] = Later, Sailing
    api = _api(_Book)
    assert _posted(api, {"origin": "QLP", "sizes": [2]}).status_code == 201
    refused = _posted(api, {"origin": "XXX", "sizes": [2, 3], "size": "x"})
    assert refused.status_code == 422
    assert [each["pointer"] for each in refused.json()["errors"]] == ["#/origin", "#/sizes/1", "#/size"]
    with pytest.raises(DeclarationError, match="WSGI waits for nothing"):
        wsgi(api)
    plain = _api(_BookNow)
    with httpx.Client(transport=httpx.WSGITransport(wsgi(plain)), base_url="http://quays.example") as client:
        assert client.post("/bookings", json=SOUND).status_code == 201
        assert client.post("/bookings", json=WRONG).json() == _posted(plain, WRONG).json()

    @dataclass
    class Body:
        origin: Annotated[str, among(_broken_later)]

    @dataclass
    class Broken:
        body: Body

    Broken.__annotations__["body"] = Body
    failed = _posted(_api(Broken), {"origin": "QLP"})
    assert failed.status_code == 500
    assert "10.0.0.7" not in failed.text
    assert "10.0.0.7" in caplog.text


def test_text_sources_ask_too() -> None:
    gate = Gate(Row, Source.TEXT)
    assert gate.admit({"origin": "qlp", "size": "7"}) == Row("QLP", 7)
    assert [fault.pointer for fault in gate.examine({"origin": "XXX", "size": "9999"}).faults] == ["/origin", "/size"]


@pytest.mark.parametrize("kind", [*written_kinds(), datetime, date, Decimal, Any, str | Absent], ids=str)
def test_a_check_that_waits_is_asked_about_records_of_any_kind(kind: Any) -> None:
    asked: list[Any] = []

    def known(records: Sequence[Any]) -> list[Any]:
        asked.extend(records)
        return list(records)

    held = [("held", kind, ABSENT)] if kind == (str | Absent) else [("held", kind)]
    holder: Any = make_dataclass("Holder", held)
    data = payloads(Gate(holder), 3, 1)
    assert len(Gate(list[Annotated[holder, among(known)]]).admit(data)) == 3
    assert asked
