"""What users' own tests lean on: strategies whose values gates admit, values with fields fixed, and telling assertions."""

# Rooms: sample, gates

from __future__ import annotations

import tracemalloc
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import KW_ONLY, dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from ipaddress import IPv4Address, IPv4Network
from pathlib import Path
from typing import Annotated, Any, Literal, Never, TypedDict
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
from hypothesis import HealthCheck, find, given, settings
from hypothesis import strategies as st

from any_declaration import (
    Base,
    BookingRef,
    Box,
    Checked,
    Computing,
    Deck,
    Derived,
    Fussy,
    Hazards,
    Named,
    Port,
    Span,
    Stack,
    Tide,
    Wide,
    any_declaration,
)
from dutiful_gate import (
    Amendment,
    CannotSample,
    DeclarationError,
    Email,
    Gate,
    Hostname,
    Sealed,
    Slug,
    WebUrl,
    blank_is_none,
    exactly_one,
    holds,
    in_utc,
    it,
    lenient,
    now,
    obeys,
    obeys_document,
    or_infinite,
    otherwise,
    payloads,
    rest,
    samples,
    secret,
    split_on,
    subset,
    tagged_by,
    then,
    this,
    today,
    trimmed,
    unambiguous,
    uppered,
    utc_only,
    via,
    written_as,
)
from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.testing import admitted, payload_strategy, probe_strategy, refused, strategy


@given(strategy(Booking))
def test_a_strategy_draws_what_the_gate_admits(booking: Booking) -> None:
    assert isinstance(booking, Booking)
    assert booking.arrives > booking.departs
    assert bookings.admit(bookings.release(booking)) == booking


@given(st.from_type(Booking), st.from_type(list[Booking]))
def test_from_type_finds_it(booking: Booking, several: list[Booking]) -> None:
    assert all(len(each.origin) == 3 for each in (booking, *several))


@given(payload_strategy(bookings))
def test_payloads_are_what_clients_send(payload: Any) -> None:
    assert bookings.accepts(payload)


@settings(suppress_health_check=[HealthCheck.too_slow], deadline=None)
@given(probe_strategy(bookings))
def test_probes_have_the_fault_they_say(probe: tuple[Any, Any]) -> None:
    payload, fault = probe
    assert refused(bookings, payload, at=fault.pointer, code=fault.code).message == fault.message


def test_what_is_found_is_small() -> None:
    least = find(strategy(Booking), lambda booking: True)
    heavy = find(strategy(Booking), lambda booking: len(booking.crates) > 1)
    assert len(least.crates) == 1
    assert len(heavy.crates) == 2


@pytest.mark.parametrize("seed", range(30))
def test_a_strategy_of_any_declaration_draws_sound_values(seed: int) -> None:
    declared, words = any_declaration(seed)
    try:
        gate = Gate(declared, **words)
        payloads(gate, 5, seed)
    except (DeclarationError, CannotSample):
        return

    @settings(max_examples=15, deadline=None, suppress_health_check=list(HealthCheck), database=None)
    @given(payload_strategy(gate))
    def drawn(payload: Any) -> None:
        assert gate.accepts(payload), gate.examine(payload).faults

    drawn()


@dataclass
@obeys(this.last > this.first)
class Run:
    port: Annotated[str, it.matches("[A-Z]{3}")]
    first: int
    last: int
    on: date
    at: datetime
    token: Annotated[str, secret, it.length <= 4] = "x"


@dataclass
class Rest:
    a: int
    more: Annotated[dict[str, int], rest] = field(default_factory=dict)


@dataclass
class Kept:
    pin: Annotated[str, secret, it.length == 4]
    n: Annotated[int, it > 5, otherwise(6)]
    sealed: Annotated[Sealed[str], it.length == 4]


@dataclass
class Keyed:
    _: KW_ONLY
    a: int
    b: str = "q"


@obeys(exactly_one("a", "b"))
@dataclass
class One:
    a: int | None = None
    b: int | None = None


NEVER: Any = Never
ANNOTATED: list[Any] = [
    Annotated[bytes, it.length == 3], Annotated[bytes, it.length <= 3], Annotated[bytes, it.length >= 40], Annotated[bytes, it.length.between(5, 7)], Annotated[bytes, it != b""],
    Annotated[str, it.length == 3], Annotated[str, it.matches("[A-Z]{3}-[0-9]+")], Annotated[str, trimmed, uppered, it.length >= 2], Annotated[str, it.starts_with("Q")], Annotated[str, it.ends_with("z"), it.length == 4],
    Annotated[int, it.multiple_of(7)], Annotated[int, it.between(3, 3)], Annotated[float, it > 0, it < 1e-3], Annotated[float, it >= 10**18, it < 10**18 + 9999], Annotated[Decimal, it.multiple_of(Decimal("0.05"))], Annotated[float, or_infinite], Annotated[int, it != 0],
    Annotated[list[int], it.length == 3, it.distinct], Annotated[list[str], split_on(","), it.length == 2], Annotated[dict[str, int], it.length == 2], Annotated[set[int], it.length == 3], Annotated[list[Span], it.distinct.by("low"), it.length == 3],
    Annotated[list[Annotated[int, otherwise(1)]], it.length < 3], Annotated[str | None, blank_is_none], Annotated[int, lenient], Annotated[datetime, in_utc], Annotated[datetime, utc_only], Annotated[datetime, it > now], Annotated[date, it <= today],
    Annotated[date, written_as("%d.%m.%Y")], Annotated[datetime, via(int)], Annotated[int, via(str, trimmed)], Annotated[str, then(str.title)], Annotated[str, holds(str.isalpha)], Annotated[str, holds(str.isdigit)], Annotated[str, holds(str.isupper), it.length <= 5],
    Annotated[Any, it.length <= 3], Annotated[Any, obeys_document({"type": "integer", "minimum": 3})], Annotated[str, obeys_document({"pattern": "^a"})], Annotated[list[Any], obeys_document({"contains": {"const": 3}})], Annotated[int | str, unambiguous], Annotated[str, it.of_format("uri")], Annotated[str, it.of_format("regex")],
    Annotated[Base | Span, tagged_by("type", beside="data", options={"base": Base, "span": Span})],
]  # fmt: skip
VARIED: list[Any] = [
    *ANNOTATED, Any, object, None, int, float, str, bool, bytes, Decimal, date, datetime, time, timedelta, UUID, Path, IPv4Address, IPv4Network, ZoneInfo, Email, WebUrl, Hostname, Slug, Hazards, Port, Deck, BookingRef,
    list[int], tuple[int, ...], tuple[int, str], set[int], frozenset[str], deque[int], Sequence[int], dict[str, int], Mapping[str, int], dict[int, str], dict[Port, int], dict[date, int], list[Any], dict[str, Any], list[list[list[int]]],
    int | None, int | str | None, list[int] | str, Literal["a", 1, None], Any | None, Booking | NEVER, int | NEVER, Span | NEVER | None, NEVER | None, list[Never], dict[str, Never], Base | Derived, Stack | Span, list[Base | Derived],
    Span, Tide, Wide, Named, Derived, Computing, Checked, Fussy, Stack, Box[int], Box[list[str]], Booking, Run, Rest, Kept, Keyed, One, subset(Booking, only=["origin", "crates"]), Amendment[Booking], Sealed[str], Sealed[int] | None,
]  # fmt: skip


@pytest.mark.parametrize("declared", VARIED, ids=range(len(VARIED)))
def test_strategies_draw_from_varied_declarations(declared: Any) -> None:
    gate = Gate(declared)
    drawn: list[Any] = []

    @settings(max_examples=4, deadline=None, suppress_health_check=list(HealthCheck), database=None)
    @given(payload_strategy(declared), strategy(declared), probe_strategy(declared))
    def draw(payload: Any, value: Any, probe: Any) -> None:
        drawn.append((payload, value, probe))

    draw()
    for payload, _, (spoiled, fault) in drawn:
        assert gate.accepts(payload)
        assert refused(gate, spoiled, at=fault.pointer, code=fault.code) == fault
    assert drawn


def test_what_refuses_nothing_has_no_probes_and_nobody_elses_types_are_registered() -> None:
    @settings(database=None)
    @given(probe_strategy(Annotated[int, it > 5, otherwise(6)]))
    def draw(probe: Any) -> None: ...

    with pytest.raises(CannotSample, match=r"no payload was found that .* refuses"):
        draw()
    assert find(st.from_type(int), lambda number: number < -1_000_000) < 0


def test_fields_can_be_fixed() -> None:
    made = samples(Run, 5, port="QLP", first=7, on=date(2026, 5, 4), at=datetime(2026, 5, 4, tzinfo=UTC))
    assert {(each.port, each.first, each.on) for each in made} == {("QLP", 7, date(2026, 5, 4))}
    assert all(each.last > 7 for each in made)
    assert len({each.last for each in made}) > 1
    assert samples(Run, 2, seed=3, port="QLP") == samples(Gate(Run), 2, seed=3, port="QLP")

    class Loose(TypedDict, total=False):
        n: int
        port: str

    assert samples(Loose, 2, port="OST")[0]["port"] == "OST"
    for words, said in (
        ({"prot": "QLP"}, "did you mean 'port'"), ({"port": "quill"}, "needs text that matches"), ({"first": "x"}, "needs a whole number"),
        ({"first": 5, "last": 4}, "nothing sound was found around first, last"),
    ):  # fmt: skip
        with pytest.raises(CannotSample, match=said):
            samples(Run, 2, **words)
    with pytest.raises(CannotSample, match="only a record"):
        samples(int, 2, port="QLP")


HUGE: list[Any] = [
    Gate(Annotated[str, it.length >= 10**9]), Gate(Annotated[list[int], it.length >= 10**9]), Gate(Annotated[dict[str, int], it.length > 10**9]),
    Gate(Annotated[list[Annotated[list[None], it.length == 60]], it.length == 60]), Gate(Annotated[str, it.has(r"^a{1000000}$")]),
    Gate.from_schema({"type": "string", "minLength": 10**9}), Gate.from_schema({"type": "string", "pattern": "^((a{9999})b{0,9}){9999}$"}),
    Gate.from_schema({"type": "string", "pattern": "(a{10})" + "".join(f"(\\{n}\\{n}\\{n})" for n in range(1, 20))}),
    Gate.from_schema({"type": "array", "minItems": 10**9}), Gate.from_schema({"type": "array", "minContains": 10**9, "contains": {"type": "integer"}}),
    Gate.from_schema({"type": "object", "minProperties": 10**9}),
]  # fmt: skip


@pytest.mark.parametrize("gate", HUGE, ids=range(len(HUGE)))
def test_what_would_be_huge_is_no_sample_and_costs_little(gate: Gate[Any], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dutiful_gate.sample.payloads._LARGEST", 3000)
    tracemalloc.start()
    with pytest.raises(CannotSample):
        payloads(gate, 1)
    assert tracemalloc.get_traced_memory()[1] < 60_000_000
    tracemalloc.stop()


def _meeting(joined: Callable[[dict[str, Any]], Any]) -> dict[str, Any]:
    """A document of 60 levels, each of which leads to the next one twice."""
    levels = {f"a{at}": joined({"$ref": f"#/$defs/a{at + 1}"}) for at in range(60)}
    return {"$ref": "#/$defs/a0", "$defs": {**levels, "a60": {"type": "string", "maxLength": 3}}}


MEETING: list[Callable[[dict[str, Any]], Any]] = [
    lambda on: {"allOf": [on, on]}, lambda on: {"anyOf": [on, {"not": on}]}, lambda on: {"if": on, "then": on, "else": on},
    lambda on: {"allOf": [on, on], "unevaluatedProperties": False}, lambda on: {"oneOf": [on, {"allOf": [on, {"minLength": 9}]}]},
]  # fmt: skip


@pytest.mark.parametrize("joined", MEETING, ids=range(len(MEETING)))
def test_where_branches_meet_samples_and_reasons_cost_no_more(joined: Callable[[dict[str, Any]], Any]) -> None:
    gate = Gate.from_schema(_meeting(joined))
    with suppress(CannotSample):  # of 60 choices each must be the right one
        assert all(gate.accepts(each) for each in payloads(gate, 3))
    for data, pointer in (("abc", ""), (3, ""), ({"a": [1]}, "/a/0")):
        assert bool(gate.why(data, pointer).faults) is not gate.accepts(data) or pointer


def test_assertions_tell_every_fault() -> None:
    sound = payloads(bookings, 1)[0]
    assert admitted(bookings, sound) == bookings.admit(sound)
    assert admitted(Booking, sound) == bookings.admit(sound)
    with pytest.raises(AssertionError) as told:
        admitted(bookings, {**sound, "origin": "quill\x1b", "crates": []})
    assert "it was refused with 2 faults\n  /origin [pattern] needs text that matches" in str(told.value)
    assert "  /crates [length] needs 1 to 50 items; got 0" in str(told.value) or "/crates [count]" in str(told.value)
    assert "\x1b" not in str(told.value)
    assert refused(bookings, {**sound, "origin": "x"}, at="/origin").code == "pattern"
    assert refused(bookings, b'{"origin": }').code == "reading"
    for data, words, said in (
        (sound, {}, "it was admitted, and should be refused"), ({**sound, "origin": "x"}, {"at": "/destination"}, "it was refused, but not at /destination: with 1 fault"),
        ({**sound, "origin": "x"}, {"code": "kind"}, "but not kind"), (sound, {"at": ""}, "refused at (the whole)"),
    ):  # fmt: skip
        with pytest.raises(AssertionError) as failed:
            refused(bookings, data, **words)
        assert said in str(failed.value)
    hidden = {"port": "QLP", "first": 1, "last": 2, "on": "2026-05-04", "at": "2026-05-04T00:00:00Z", "token": "h1dden-words"}  # fmt: skip
    assert "h1dden" not in refused(Run, hidden).message
    for ask in (
        lambda: admitted(Run, hidden),
        lambda: refused(Run, hidden, code="kind"),
        lambda: refused(Run, {**hidden, "token": "h1dd"}),
    ):
        with pytest.raises(AssertionError) as failed:
            ask()
        assert '"port": "QLP"' in str(failed.value)
        assert "h1dd" not in str(failed.value)
