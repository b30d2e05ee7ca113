"""All faults at once, in document order, each at its exact place."""

# Rooms: report, engine, read

from __future__ import annotations

import json
import pickle
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from ipaddress import IPv4Address
from random import Random
from typing import Annotated, Any
from uuid import UUID

import pytest

from any_declaration import any_declaration
from dutiful_gate import (
    CannotSample,
    DeclarationError,
    Gate,
    Limits,
    Refused,
    Source,
    about,
    it,
    obeys,
    otherwise,
    secret,
    this,
    trimmed,
    when,
)
from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import Payloads
from dutiful_gate.shape.nodes import Alias, Branches
from dutiful_gate.shape.walk import uses_of

TEXT = """{
  "destination": 12,
  "colour": "red",
  "departs": "2026-05-04T09:30:00Z",
  "crates": [
    {"contents": "rope", "weight_kg": 1},
    {"contents": "", "weight_kg": -4, "weigth": 2},
    {"contents": "rope", "weight_kg": 1}
  ],
  "contact": "café @ nowhere", "arrives": "2026-05-04T08:30:00Z"
}"""


def test_every_fault_at_once_in_document_order() -> None:
    gate = Gate(Booking, unknown="refuse")
    told = [
        ("/origin", "absent", (1, 1)),
        ("/destination", "kind", (2, 18)),
        ("/colour", "unknown", (3, 3)),
        ("/crates/1/contents", "length", (7, 18)),
        ("/crates/1/weight_kg", "floor", (7, 35)),
        ("/crates/1/weigth", "unknown", (7, 39)),
        ("/contact", "format", (10, 14)),
        ("/arrives", "agreement", (10, 43)),
    ]
    for raw in (TEXT, TEXT.encode(), bytearray(TEXT.encode()), memoryview(TEXT.encode()), "\ufeff" + TEXT):
        faults = gate.examine_json(raw).faults
        assert [
            (fault.pointer, fault.code, fault.place and (fault.place.line, fault.place.column)) for fault in faults
        ] == told
    decoded = gate.examine(json.loads(TEXT)).faults
    assert [(fault.pointer, fault.code) for fault in decoded] == [each[:2] for each in told]
    assert all(fault.place is None for fault in decoded)
    assert decoded[5].message == "is not a known key; did you mean 'weight_kg'?"
    assert decoded[5].expected == {"near": "weight_kg"}
    assert decoded[2].message == "is not a known key"


def test_lines_end_in_every_way() -> None:
    for end in ("\n", "\r\n", "\r"):
        faults = bookings.examine_json(TEXT.replace("\n", end)).faults
        assert faults[-1].place is not None
        assert (faults[-1].place.line, faults[-1].place.column) == (10, 43)


@dataclass
class Tag:
    code: Annotated[str, it.length >= 4, it.matches("[a-z]+"), it != "TERN"]


def test_rules_do_not_stop_one_another() -> None:
    assert [fault.code for fault in Gate(Tag).examine({"code": "A1"}).faults] == ["length", "pattern"]
    assert [fault.code for fault in Gate(Tag).examine({"code": "TERN"}).faults] == ["pattern", "choice"]


@dataclass
@obeys(this.latest > this.first, this.count <= 10)
class Window:
    first: date
    latest: date | None = None
    count: int = 3
    note: str = ""


@dataclass
@obeys(this.note != "void")
class Closed(Window):
    extra: int = 0


def test_record_rules_run_when_their_fields_are_sound() -> None:
    gate = Gate(Window)
    sound = {"first": "2026-05-04"}
    assert gate.accepts(sound)
    assert gate.accepts({**sound, "latest": None})
    assert gate.accepts({**sound, "latest": "2026-05-05"})

    def codes(data: dict[str, Any]) -> list[tuple[str, str]]:
        return [(fault.pointer, fault.code) for fault in gate.examine(data).faults]

    assert codes({**sound, "latest": "2026-05-04", "note": 1}) == [("/latest", "agreement"), ("/note", "kind")]
    assert codes({"latest": "2026-05-04"}) == [("/first", "absent")]
    assert codes({**sound, "latest": "soon", "count": 11}) == [("/latest", "reading"), ("/count", "agreement")]
    closed = Gate(Closed).examine({**sound, "latest": "2026-05-01", "note": "void"})
    assert [fault.pointer for fault in closed.faults] == ["/latest", "/note"], "rules are inherited"


@dataclass
class Told:
    seats: Annotated[int, it.between(1, 30).says("{label}: {given} is not from {floor} to {ceiling}")] = 1
    name: Annotated[str, trimmed, it.length >= 2, about(title="Name of the ship")] = "Tern"


def test_own_words_and_labels() -> None:
    faults = Gate(Told).examine({"seats": 31, "name": "  x "}).faults
    assert faults[0].message == ": 31 is not from 1 to 30"
    assert faults[0].expected == {"floor": 1, "ceiling": 30}
    assert faults[1].message == "Name of the ship needs at least 2 characters; got 1"
    with pytest.raises(DeclarationError, match=r"\{least\}.*it has \{ceiling\}, \{floor\}, \{given\}, \{label\}"):
        it.between(1, 2).says("{least}")


def test_given_is_short_and_plain() -> None:
    gate = Gate(int)
    shown = {
        "x" * 500: "x" * 59 + "…",
        "a\x1b[31m\nb\ud800\u2028": "a\\u001b[31m\\nb\\ud800\\u2028",
    }
    for given, expected in shown.items():
        fault = gate.examine(given).faults[0]
        assert fault.given == expected
        assert expected in fault.message
        str(fault).encode()
    table = [(None, "null"), (True, "true"), ([1, 2], "an array of 2 items"), ({"a": 1}, "an object of 1 key")]
    table += [(b"ab", "2 bytes of binary data"), (2.5, "2.5"), (float("nan"), "not a number"), ({1}, "a collection")]
    table += [(object(), "a value of another kind"), (datetime, "a value of another kind")]
    table += [(Decimal("100.01"), "100.01"), (timedelta(hours=2), "PT2H"), (date(2026, 5, 4), "2026-05-04")]
    table += [(UUID(int=7), "'00000000-0000-0000-0000-000000000007'"), (IPv4Address("192.0.2.7"), "'192.0.2.7'")]
    table += [("x\u202ey\u2066", "the text 'x\\u202ey\\u2066'"), ("\U000e0041", "the text '\\U000e0041'")]
    for given, expected in table:
        message = gate.examine(given).faults[0].message
        assert message.startswith(f"needs a whole number; got {expected}")
    huge = Gate(Annotated[int, it < 5]).examine(10**5000).faults[0]
    assert huge.message == "needs a whole number below 5; got a number of about 5,001 digits"
    assert huge.given == "a number of about 5,001 digits"
    json.dumps(huge.as_dict())


def test_a_limit_on_faults_ends_the_list_with_an_honest_count() -> None:
    gate = Gate(list[list[int]], limits=Limits(faults=5))
    verdict = gate.examine([["a"] * 1000, ["b"] * 1000])
    assert [fault.pointer for fault in verdict.faults] == [f"/0/{n}" for n in range(5)]
    assert verdict.untold == 1995
    with pytest.raises(Refused, match="and 1,995 more"):
        gate.admit([["a"] * 1000, ["b"] * 1000])
    assert verdict.problem()["detail"] == "The data was refused with 2,000 faults."

    @dataclass
    class Many:
        late: list[int] = field(default_factory=list)
        early: list[int] = field(default_factory=list)

    verdict = Gate(Many, limits=Limits(faults=3), unknown="refuse").examine(
        {"early": [""] * 9, "late": [""] * 9, **{f"x{n}": 1 for n in range(50)}}
    )
    assert [fault.pointer for fault in verdict.faults] == ["/early/0", "/early/1", "/early/2"], "in document order"
    assert verdict.untold == 65


@dataclass
class Crew:
    name: str
    reports_to: Crew | None = None
    team: list[Crew] = field(default_factory=list)


def test_records_within_themselves() -> None:
    gate = Gate(Crew)
    crew = gate.admit({"name": "Ada", "team": [{"name": "Bo", "reports_to": {"name": "Ada"}}]})
    assert crew.team[0].reports_to == Crew("Ada")
    faults = gate.examine({"name": "Ada", "team": [{"name": "Bo", "team": [{"name": 7}]}]}).faults
    assert [fault.pointer for fault in faults] == ["/team/0/team/0/name"]
    deep: dict[str, Any] = {"name": "x"}
    for _ in range(5000):
        deep = {"name": "x", "reports_to": deep}
    faults = gate.examine(deep).faults
    assert [fault.code for fault in faults] == ["depth"]
    endless: dict[str, Any] = {"name": "x"}
    endless["reports_to"] = endless
    assert [fault.code for fault in gate.examine(endless).faults] == ["depth"]
    assert gate.schema()["$defs"]["Crew"]["properties"]["team"]["items"] == {"$ref": "#/$defs/Crew"}


@pytest.mark.parametrize(
    "gate",
    [Gate(dict[str, int]), Gate(dict[str, int], Source.NATIVE), Gate.from_schema({"additionalProperties": {"type": "integer"}}),
     Gate(dict[str, int | bool]), Gate(dict[str, Annotated[int, otherwise(0)]])],
)  # fmt: skip
def test_what_is_told_of_data_is_what_it_was_when_it_was_examined(gate: Any) -> None:
    class Odd(list[int]):
        pass

    data = {"a": [1, 2], "b": {"c": 3}, "d": Odd([1])}
    before = [fault.message for verdict in [gate.examine(data)] for fault in (*verdict.faults, *verdict.fallbacks)]
    verdict = gate.examine(data)
    for held in data.values():
        held.clear()  # type: ignore[attr-defined]
    assert [fault.message for fault in (*verdict.faults, *verdict.fallbacks)] == before
    assert len(before) == 3


def test_faults_of_raw_text_are_placed_when_they_are_read_and_travel_without_it() -> None:
    gate = Gate(dict[str, int])
    raw = b'{"a": 1,\n "b": "two", "c": 4711471147114711, "b2":\n  [5]}'
    faults = gate.examine_json(raw).faults
    assert [(str(fault.path), fault.place and (fault.place.line, fault.place.column)) for fault in faults] == [
        ("('b',)", (2, 7)),
        ("('b2',)", (3, 3)),
    ]
    again = pickle.loads(packed := pickle.dumps(gate.examine_json(raw)))
    assert b"4711471147114711" not in packed
    assert [(fault.message, fault.place) for fault in again.faults] == [
        (fault.message, fault.place) for fault in faults
    ]


@pytest.mark.parametrize("seed", range(60))
def test_past_the_limit_faults_are_still_counted(seed: int) -> None:
    """As many as without a limit: what is counted and not told is counted in another way."""
    declared, words = any_declaration(seed)
    words.pop("limits", None)
    try:
        few, all_of = (Gate(list[declared], limits=Limits(faults=most), **words) for most in (2, 10**6))
    except DeclarationError:
        return
    random = Random(seed)
    item = few.shape.root.node.item
    edges, data = Edges(few.shape, random), list[Any]()
    try:
        sound = Payloads(few.shape, random).use(item, 0, "")
    except CannotSample:
        sound = {}
    for _ in range(25):
        data.append(random.choice([{}, sound, edges.spoiled(item, sound), [], None]))
    told, whole = few.examine(data), all_of.examine(data)
    assert told.faults == whole.faults[:2]
    assert told.fallbacks == whole.fallbacks[:2]
    if not any(isinstance(use.node, Branches | Alias) or use.split for use in uses_of(few.shape)):
        assert len(told.faults) + told.untold == len(whole.faults)


@dataclass
class Freight:
    weight: float
    name: str = ""


@dataclass
@obeys(
    this.crates.all(this.weight < 30),
    this.codes.all(it.starts_with("TS")),
    when(this.number > 2).obeys(this.crates.all(this.name != "")),
    this.codes.any(it.length > 3),
)
class Load:
    number: int
    crates: list[Freight]
    codes: Annotated[list[str], it.distinct]
    named: Annotated[list[Freight], it.distinct.by("name")] = field(default_factory=list)
    hidden: Annotated[list[str], secret, it.distinct] = field(default_factory=list)


def test_a_fault_points_at_the_item_that_broke_a_rule_over_all_and_tells_both_places_of_a_repeat() -> None:
    data = {
        "number": 3,
        "crates": [{"weight": 3, "name": "a"}, {"weight": 33}],
        "codes": ["TS1", "TS-2", "X", "TS1"],
        "named": [{"weight": 1, "name": "b"}, {"weight": 2}, {"weight": 3, "name": "b"}, {"weight": 4}],
        "hidden": ["TS1", "TS1"],
    }
    gate = Gate(Load)
    told = [str(fault) for fault in gate.examine(data).faults]
    assert told == [
        "/crates/1: needs what holds: all of crates: weight < 30; got something else",
        "/crates/1: needs what holds: all of crates: name != '' when number > 2; got something else",
        "/codes: needs items that differ; got the same at /0 and /3",
        "/named: needs items that differ in name; got the same at /0 and /2",
        "/hidden: needs items that differ; got one of them again",
    ]
    assert [str(pickle.loads(pickle.dumps(fault))) for fault in gate.examine(data).faults] == told
    del data["codes"], data["named"], data["hidden"]
    data["codes"] = ["TS1", "TS-2", "X"]
    text = json.dumps(data, indent=1)
    placed = {fault.pointer: fault.place for fault in gate.examine_json(text).faults}
    assert text.splitlines()[placed["/codes/2"].line - 1].strip() == '"X"'  # type: ignore[union-attr]
    document = Gate.from_schema(Gate(Annotated[list[int], it.distinct]).schema())
    assert (
        str(document.examine([1, 2, 2.0]).faults[0])
        == "(the whole): needs items that differ; got the same at /1 and /2"
    )
