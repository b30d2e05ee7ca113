"""The way out: what it checks, what it says that it does not, and that the gate reads again what it gives."""

# Rooms: engine, shape, declare/rules, gates
from __future__ import annotations

from dataclasses import InitVar, dataclass
from datetime import UTC, datetime, timedelta, timezone
from typing import Annotated, Any

import pytest

from dutiful_gate import (
    DeclarationError,
    Gate,
    Refused,
    about,
    holds,
    it,
    lenient,
    lowered,
    now,
    obeys,
    otherwise,
    rounded_to,
    secret,
    split_on,
    subset,
    then,
    this,
    trimmed,
    via,
)

Trimmed = Annotated[str, trimmed]


def even(value: int) -> bool:
    return value % 2 == 0


def first_letter(text: str) -> str:
    return text[:1]


@dataclass
class Port:
    name: Trimmed


def leads_on(record: Any) -> bool:
    return bool(record.origin != record.destination)


@obeys(leads_on, both_ways=True)
@dataclass
class Leg:
    origin: Port
    destination: Port


@obeys(this.origin != this.destination)
@dataclass
class Hop:
    origin: Port
    destination: Port


@obeys(this.ports != this.others)
@dataclass
class Route:
    ports: list[Trimmed]
    others: list[Trimmed]


@pytest.mark.parametrize(
    ("declared", "value"),
    [
        (Leg, Leg(Port(" OST"), Port("OST"))),
        (Hop, Hop(Port(" OST"), Port("OST"))),
        (Route, Route(["OST "], ["OST"])),
        (Annotated[list[Port], it.distinct.by("name")], [Port("OST"), Port("OST ")]),
        (Annotated[list[Trimmed], it.distinct.by(first_letter, both_ways=True)], [" OST", "OLD"]),
        (Annotated[dict[str, Trimmed], holds(lambda held: "OST" in held.values(), both_ways=True)], {"a": "QLP "}),
        (Annotated[int, holds(even, both_ways=True)], 3),
    ],
)
def test_what_release_asks_is_asked_of_final_forms(declared: Any, value: Any) -> None:
    gate = Gate(declared)
    assert gate.one_way == ()
    with pytest.raises(Refused):
        gate.release(value)
    with pytest.raises(Refused):
        gate.release_json(value)


def test_what_differs_only_before_its_final_form_goes_out() -> None:
    hops = Gate(Hop)
    assert hops.release(Hop(Port(" OST"), Port("QLP "))) == {"origin": {"name": "OST"}, "destination": {"name": "QLP"}}
    assert Gate(Leg).release(Leg(Port(" OST"), Port("QLP")))["origin"] == {"name": "OST"}


@dataclass
class Unlike:
    seats: InitVar[int]
    pin: Annotated[str, about(write_only=True)]
    code: Annotated[str, secret, holds(str.isupper)]

    def __post_init__(self, seats: int) -> None:
        self.seats = seats


@obeys(this.departs.obeys(it > now), this.berth.obeys(holds(even)), leads_on)
@dataclass
class Sailing:
    departs: datetime
    berth: int
    origin: str = "OST"
    destination: str = "QLP"


@pytest.mark.parametrize(
    ("declared", "listed"),
    [
        (Annotated[int, holds(even)], ["holds(even)"]),
        (Annotated[datetime, it > now], ["it > now"]),
        (Annotated[list[int], it.distinct.by(even)], ["it.distinct.by('even')"]),
        (Annotated[list[Annotated[int, holds(even)]], it.length < 3], ["holds(even)"]),
        (Annotated[list[int], split_on(",")], []),
        (Annotated[list[list[int]], split_on(",")], ["split_on(',')"]),
        (Annotated[int, via(str, trimmed)], []),
        (Annotated[list[int], via(str, trimmed)], ["via(...)"]),
        (Annotated[str, it.length > 2, then(len, back=str), it > 3], []),
        (Annotated[str, then(len, back=str), holds(even)], ["holds(even)"]),
        (Annotated[float, via(str, made=float)], ["made by float"]),
        (Annotated[str, it.length > 2, then(len), it > 3], ["it.length > 2", "then(len)"]),
        (Annotated[str, secret, it == "QLP", then(str)], ["it(...)", "then(str)"]),
        (Annotated[str, it.length <= 3, lowered], ["it.length <= 3"]),
        (Unlike, ["holds(isupper)", "write_only", "InitVar", "its own constructor"]),
        (Sailing, ["this.departs.obeys(it > now)", "this.berth.obeys(holds(even))", "leads_on"]),
        (subset(Sailing, only=("berth", "origin")), ["this.berth.obeys(holds(even))"]),
        (Annotated[str, trimmed, it.length <= 3], []),
        (Leg, []),
    ],
)
def test_a_gate_lists_what_is_one_way(declared: Any, listed: list[str]) -> None:
    told = Gate(declared).one_way
    assert [each.rule for each in told] == listed
    assert all(each.reason and str(each).startswith(each.field) for each in told)


def test_what_is_one_way_is_not_asked_at_release() -> None:
    past = Sailing(datetime(2020, 5, 4, tzinfo=UTC), 3, "OST", "OST")
    assert Gate(Sailing).release(past)["berth"] == 3
    assert not Gate(Sailing).accepts(Gate(Sailing).release(past))


def test_flags_and_constants_that_mean_something_else_are_told() -> None:
    with pytest.raises(DeclarationError, match="both_ways"):
        holds(even, both_ways="no")  # type: ignore[arg-type]
    with pytest.raises(DeclarationError, match="both_ways"):
        obeys(leads_on, both_ways=1)  # type: ignore[arg-type]
    with pytest.raises(DeclarationError, match="rule"):
        it.contains(holds(even))


@pytest.mark.parametrize(
    ("declared", "value"),
    [
        (Annotated[datetime, it == datetime(2026, 5, 4, 12, tzinfo=UTC)],
         datetime(2026, 5, 4, 14, tzinfo=timezone(timedelta(hours=2)))),
        (Annotated[float, lenient] | Annotated[int, otherwise(7)], 7),
        (Annotated[list[Annotated[float, rounded_to(1)] | int], it.distinct], [1.04, 1]),
    ],
)  # fmt: skip
def test_release_and_its_document_agree(declared: Any, value: Any) -> None:
    gate = Gate(declared)
    judge = Gate.from_schema(gate.schema(of="release"), formats="assert")
    try:
        released = gate.release(value)
    except Refused:
        return
    assert judge.accepts(released)
    assert gate.accepts(released)
    assert gate.release_admitted(gate.admit(released)) == released
