"""Uses as type checkers see them: a line that ends in the comment `wrong` has an error, no other line has.

Where none can flag one, the comment is `wrong for nobody`, with the reason.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Collection, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from typing import Annotated, Any, assert_type

from dutiful_gate import (
    Document,
    Email,
    Explanation,
    Fault,
    Gate,
    Limits,
    Place,
    Refused,
    Sealed,
    Source,
    Unstated,
    Verdict,
    WaitingGate,
    about,
    among,
    at_least_one,
    bundle,
    camel,
    exactly_one,
    holds,
    it,
    named,
    needs,
    now,
    obeys,
    outside,
    outside_values,
    payloads,
    probes,
    rounded_to,
    samples,
    speaking,
    split_on,
    takes,
    then,
    this,
    today,
    trimmed,
    uppered,
    via,
    waits,
    when,
)
from dutiful_gate.catalogues import GERMAN
from dutiful_gate.config import Settings
from dutiful_gate.web import Answering, Api, Endpoint

limit = outside("limit", int)
codes = outside("codes", frozenset[str])
PortCode = Annotated[str, trimmed, uppered, it.matches(r"[A-Z]{3}"), it.one_of(codes)]


@dataclass(slots=True)
class Crate:
    contents: Annotated[str, trimmed, it.length.between(2, 80)]
    weight_kg: Annotated[float, it > 0, it <= 26_000, rounded_to(2)]


@dataclass(slots=True)
@obeys(this.arrives > this.departs, needs("contact", given="port"), at_least_one("contact", "port"), keys=camel)
class Booking:
    port: PortCode
    departs: Annotated[datetime, it > now]
    arrives: Annotated[datetime, it < now + timedelta(days=9)]
    contact: Email
    crates: Annotated[list[Crate], it.length <= limit] = field(default_factory=list)
    note: Annotated[str, named("bookingNote"), about(title="Note", examples=["fragile"])] = ""
    pin: Sealed[str] | None = None


async def on_file(asked: Sequence[str]) -> Collection[str]:
    return asked


async def is_open(asked: str) -> bool:
    return bool(asked)


def light(crates: list[Crate]) -> bool:
    return not crates


gate = Gate(Booking)
feed = Gate(list[Booking], Source.TEXT, unknown="refuse", limits=Limits(depth=9), keys=camel)
waiting = WaitingGate(Booking)


def right(payload: object, raw: bytes) -> None:
    booking = assert_type(gate.admit(payload), Booking)
    assert_type(gate.admit(payload, outside=[limit(40), codes(frozenset({"QLP"}))]), Booking)
    assert_type(gate.admit_json(raw), Booking)
    assert_type(gate.admit_json("{}", outside=[now(datetime.now(UTC)), today(date(2026, 5, 4))]), Booking)
    assert_type(gate.accepts(payload), bool)
    verdict = assert_type(gate.examine(payload), Verdict[Booking])
    assert_type(gate.examine_json(memoryview(raw)), Verdict[Booking])
    assert_type(verdict.value, Booking)
    assert_type(verdict.faults, tuple[Fault, ...])
    assert_type(gate.examine_each([payload]), Iterator[Verdict[Booking]])
    assert_type(gate.examine_each([payload], window=50, seconds=0.5), Iterator[Verdict[Booking]])
    assert_type(gate.release_json(booking), bytes)
    assert_type(gate.release_cbor(booking, secrets=True), bytes)
    assert_type(gate.schema(), Document)
    assert_type(gate.schema(of="release", dialect="draft-07", formats="spell-out").unstated, tuple[Unstated, ...])
    assert_type(gate.why(payload, "/crates/0"), Explanation)
    assert_type(feed.admit(payload), list[Booking])
    assert_type(Gate(dict[str, int]).admit({}), dict[str, int])
    assert_type(samples(Booking, 3, origin="QLP"), list[Booking])
    assert_type(samples(gate), list[Booking])
    assert_type(payloads(Booking, 3), list[Any])
    assert_type(next(probes(gate))[1], Fault)
    assert_type(booking.crates[0].weight_kg, float)
    assert_type(booking.departs, datetime)
    assert_type(limit.here, int)
    assert_type(codes.here, frozenset[str])
    with outside_values(limit(3)), speaking(GERMAN):
        assert_type(verdict.faults[0].message, str)
    assert_type(verdict.faults[0].place, Place | None)
    for fault in verdict.faults:
        assert_type(fault.path, tuple[Any, ...])
    try:
        gate.admit(payload)
    except Refused as refused:
        assert_type(refused.faults, tuple[Fault, ...])
    assert_type(bundle({"Booking": gate}), Document)
    Gate[Any](Annotated[int, it > 3, it.multiple_of(5)])
    Gate(Booking, native=False).release(booking, secrets=True)
    Annotated[list[Crate], holds(light, says="needs light crates", both_ways=True)]
    Annotated[str, among(on_file, most=50, seconds=2, says="needs a port on file", unanswered="refuse")]
    Annotated[str, waits(is_open, seconds=2.5)]
    Annotated[str, then(str.title)]
    Annotated[Crate, via(list[float], made=lambda parts: parts, samples=[[1, 2]])]
    Annotated[list[str], split_on(",")]
    Annotated[int, it.between(1, limit), (it != 3).says("not {constant}")]
    Annotated[str, it.length == 3, it.starts_with("Q"), it.contains("L"), it.has("[A-Z]")]
    takes(limit)(lambda crates, limit: len(crates) <= limit)
    exactly_one("contact", "port")
    when(this.port == "QLP").needs("contact").forbids("note")
    when(this.crates.length > 3).obeys(this.note.has_value | this.contact.starts_with("a"))
    outside("day", date, samples=[date(2026, 5, 4)], secret=True)
    Settings(Booking)
    assert_type(Gate(Booking).examine({}).fallbacks, tuple[Fault, ...])
    Api("Tern Sound bookings", "1.0", [], keys=camel, outside=lambda head: [limit(40)])
    Endpoint("GET", "/bookings", Booking, Answering(200, list[Booking]) | Answering(204), tags=["bookings"])


async def right_awaited(payload: object) -> None:
    assert_type(await waiting.admit(payload), Booking)
    assert_type(await waiting.examine(payload, outside=[limit(4)]), Verdict[Booking])
    assert_type(await waiting.accepts(payload), bool)
    assert_type(await waiting.admit_json(b"{}"), Booking)
    assert_type(waiting.examine_each([payload]), AsyncIterator[Verdict[Booking]])
    async for verdict in waiting.examine_each([payload], window=9):
        assert_type(verdict, Verdict[Booking])
    assert_type(waiting.release_json(await waiting.admit(payload)), bytes)
    assert_type(waiting.schema(), Document)
    assert_type(waiting.gate, Gate[Booking])


def wrong(payload: object, raw: bytes, booking: Booking, crate: Crate) -> None:
    limit("40")  # wrong
    limit(None)  # wrong
    codes({1})  # wrong
    codes("QLP")  # wrong
    now("noon")  # wrong
    today("2026-05-04")  # wrong
    outside(3, int)  # wrong
    outside("limit")  # wrong
    outside("limit", int, samples=["40"])  # wrong for nobody: a type of numbers and one of text have `object` in common
    outside("limit", int, secret="yes")  # wrong
    gate.admit(payload, outside=limit(40))  # wrong
    gate.admit(payload, outside=[40])  # wrong
    gate.admit(payload, outside=["limit"])  # wrong
    gate.admit()  # wrong
    gate.admit(payload, payload)  # wrong
    gate.admit_json(payload)  # wrong
    gate.admit_json(3)  # wrong
    gate.admit(payload).origin  # wrong
    gate.admit(payload).crates[0].weight  # wrong
    gate.admit(payload).departs + 3  # wrong
    gate.examine(payload).fault  # wrong
    gate.examine(payload).value.pin.strip()  # wrong
    gate.examine(payload).faults[0].where  # wrong
    gate.examine(payload).faults["port"]  # wrong
    gate.examine_each(3)  # wrong
    gate.examine_each([payload], window="many")  # wrong
    gate.release(crate)  # wrong
    gate.release_json(payload)  # wrong
    gate.release_json(booking, True)  # wrong
    gate.release_admitted([booking])  # wrong
    gate.schema(of="sent")  # wrong
    gate.schema(dialect="draft-05")  # wrong
    gate.schema("release")  # wrong
    gate.why(payload, ["crates"])  # wrong
    gate.limits = Limits()  # wrong for nobody: __setattr__ refuses at run time; properties would cost a call each
    feed.admit(payload).crates  # wrong
    Gate(Booking, "json")  # wrong
    Gate(Booking, unknown="allow")  # wrong
    Gate(Booking, limits=9)  # wrong
    Gate(Booking, keys="camel")  # wrong
    Gate(Booking, strict=True)  # wrong
    Gate()  # wrong
    Limits(deep=3)  # wrong
    WaitingGate(Booking, names=["Booking"])  # wrong
    waiting.admit(payload).crates  # wrong
    samples(Booking, "three")  # wrong
    samples(gate)[0].origin  # wrong
    holds(3)  # wrong
    holds(light, says=3)  # wrong
    among(3)  # wrong
    among(on_file, most="many")  # wrong
    among(on_file, unanswered="skip")  # wrong
    among(is_open)  # wrong
    waits(light)  # wrong
    then(3)  # wrong
    it.length <= "3"  # wrong
    it.length.between(1)  # wrong
    it.matches(3)  # wrong
    it.starts_with(3)  # wrong
    it.size  # wrong
    needs(3)  # wrong
    obeys(3)  # wrong
    takes("limit")  # wrong
    outside_values(3)  # wrong
    speaking("German")  # wrong
    about(name="Note")  # wrong
    Api("Tern Sound bookings", "1.0", [Booking])  # wrong
    Endpoint("GET", "/bookings", Booking)  # wrong


async def wrong_awaited(payload: object) -> None:
    (await waiting.admit(payload)).origin  # wrong
    await waiting.admit_json(payload)  # wrong
    await gate.admit(payload)  # wrong
    await waiting.release_json(payload)  # wrong
    for _ in waiting.examine_each([payload]):  # wrong
        pass
