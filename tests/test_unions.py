"""Unions that degrade well: tags that nobody declared, several tags of one option, the option that came closest, words
that name all that would pass."""

# Rooms: engine, shape, document

from __future__ import annotations

import json
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from ipaddress import IPv4Address, IPv6Address
from typing import Annotated, Any, Literal
from uuid import UUID

import pytest

from dutiful_gate import (
    DeclarationError,
    Email,
    Gate,
    Refused,
    Source,
    it,
    payloads,
    rest,
    speaking,
    tagged_by,
    unreadable,
)
from dutiful_gate.catalogues import GERMAN
from dutiful_gate.prove.proof import prove


@dataclass
class Berthed:
    kind: Literal["berthed", "docked"]
    berth: int


@dataclass
class Sailed:
    kind: Literal["sailed"]
    ship: str


@dataclass
class Event:
    """Whatever else happens."""

    kind: str
    more: Annotated[dict[str, Any], rest] = field(default_factory=dict)


Happening = Annotated[Berthed | Sailed | Event, tagged_by("kind", others=Event)]


@pytest.mark.parametrize(
    ("data", "value"),
    [
        ({"kind": "docked", "berth": 3}, Berthed("docked", 3)), ({"kind": "sailed", "ship": "Tern"}, Sailed("sailed", "Tern")),
        ({"kind": "sunk", "at": 7}, Event("sunk", {"at": 7})), ({"kind": "", "kinds": 1}, Event("", {"kinds": 1})),
        ({"kind": "sailed", "at": 7}, ["/ship"]), ({"kind": "berthed", "berth": "x", "more": 1}, ["/berth"]),
        ({"kind": 3}, ["/kind"]), ({"kind": ["sailed"]}, ["/kind"]), ({"ship": "Tern"}, ["/kind"]), ({}, ["/kind"]), ("sailed", [""]), (None, [""]),
    ],
)  # fmt: skip
def test_a_tag_that_nobody_declared_never_swallows_a_broken_known_one(data: Any, value: Any) -> None:
    for gate in (Gate(Happening), Gate(Happening, native=False), Gate(Happening, lenient=False, unknown="refuse")):
        for verdict in (gate.examine(data), gate.examine_json(json.dumps(data))):
            if isinstance(value, list):
                told = [fault.pointer for fault in verdict.faults if fault.code != "unknown"]
                assert told == value
                continue
            assert verdict.value == value
            assert gate.release(value) == gate.release_admitted(value) == data
            assert Gate(Happening, Source.NATIVE).admit(value) == value
    assert Gate.from_schema(Gate(Happening).schema()).accepts(data) is not isinstance(value, list)


def test_what_goes_out_under_another_tag_has_none_that_is_known() -> None:
    gate = Gate(list[Happening])
    with pytest.raises(Refused, match="/0/kind: needs anything but sailed"):
        gate.release([Event("sailed")])
    assert not prove(gate, 400, 1).disagreements
    assert gate.one_way == ()
    assert {type(each).__name__ for data in payloads(gate, 60, 1) for each in gate.admit(data)} == {
        "Berthed",
        "Sailed",
        "Event",
    }
    assert "discriminator" not in json.dumps(gate.schema(dialect="openapi-3.1"))
    assert Gate(Event).admit({"kind": "sailed"}) == Event("sailed"), "elsewhere it is what it was"


def test_one_option_may_have_several_tags() -> None:
    beside: Gate[Any] = Gate(
        Annotated[
            Berthed | Sailed, tagged_by("type", beside="data", options={"in": Berthed, "dock": Berthed, "out": Sailed})
        ]
    )
    for tag in ("in", "dock"):
        assert beside.admit({"type": tag, "data": {"kind": "docked", "berth": 1}}) == Berthed("docked", 1)
    assert beside.release(Berthed("docked", 1)) == {"type": "in", "data": {"kind": "docked", "berth": 1}}
    assert [fault.message for fault in beside.examine({"type": "x", "data": {}}).faults] == [
        "needs one of in, dock, out; got 'x'"
    ]


@pytest.mark.parametrize(
    ("declare", "words"),
    [
        (lambda: Annotated[Berthed | Sailed, tagged_by("kind", others=Event)], "no option of the union"),
        (lambda: Annotated[Berthed | Sailed | dict[str, Any], tagged_by("kind", others=dict[str, Any])], "keeps no tag.*kind: str"),
        (lambda: Annotated[Berthed | Sailed, tagged_by("kind", beside="x", options={"a": Berthed}, others=Sailed)], "needs the tag in the record"),
        (lambda: Annotated[Berthed | Sailed, tagged_by("kind", beside="x", options={"a": Berthed})], "no value of the tag for Sailed"),
        (lambda: Annotated[Berthed | Event, tagged_by("berth", others=Event)], "does not tell the options apart"),
    ],
)  # fmt: skip
def test_tags_that_tell_nothing_are_told(declare: Any, words: str) -> None:
    with pytest.raises(DeclarationError, match=words):
        Gate(declare())


@dataclass
class Crate:
    name: str
    weight: float


@dataclass
class Pallet:
    code: int
    size: float
    note: str = ""


@pytest.mark.parametrize(
    ("data", "told"),
    [
        ({"code": "x", "size": 1, "note": 3}, ["/code", "/note"]), ({"name": 3, "weight": "x"}, ["/name", "/weight"]),
        ({"code": 1}, ["/size"]), ({"name": "a"}, ["/weight"]), ({"code": 1, "size": 1, "note": 2, "name": "x"}, ["/note"]),
        ({}, ["/name", "/weight"]), (3, [""]), ([{"size": 1}], ["/0/code"]),
    ],
)  # fmt: skip
def test_without_a_tag_the_closest_option_is_the_one_whose_keys_came(data: Any, told: list[str]) -> None:
    for unknown in ("drop", "refuse"):
        gate: Gate[Any] = Gate(Crate | Pallet | list[Crate | Pallet], unknown=unknown)  # type: ignore[arg-type]
        faults = gate.examine(data).faults
        assert [fault.pointer for fault in faults if fault.code != "unknown"] == told


@pytest.mark.parametrize(
    ("declared", "data", "message"),
    [
        (IPv4Address | IPv6Address, "x", "needs an IPv4 address, such as 192.0.2.7, or an IPv6 address, such as 2001:db8::7; got 'x'"),
        (IPv4Address | IPv6Address, 3, "needs an IPv4 address or an IPv6 address; got 3"),
        (date | datetime, 3, "needs a date or a date-time; got 3"),
        (date | datetime | None, "x", "needs a date (RFC 3339), such as 2026-05-04, or a date-time with an offset (RFC 3339), "
         "such as 2026-05-04T09:30:00Z; got 'x'"),
        (UUID | int, "x", "needs a UUID, such as 5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e; got 'x'"), (str | int, [], "needs text or a whole number; got an array of 0 items"),
        (str | int | None, 1.5, "needs text or a whole number; got 1.5"), (list[int] | int | bool, "x", "needs one of these: an array, a whole number, true or false; got 'x'"),
        (Annotated[str, it.matches("[a-z]")] | Annotated[str, it.matches("[0-9]")], "A", "needs text that matches [a-z], or text that matches [0-9]; got 'A'"),
        (Email | Annotated[str, it.length == 3], "x", "needs an email address, such as name@mail.example, or exactly 3 characters; got 'x'"),
        (Annotated[time | timedelta, unreadable.says("needs a time")], "x", "needs a time"),
    ],
)  # fmt: skip
def test_messages_name_all_that_would_pass(declared: Any, data: Any, message: str) -> None:
    gate = Gate(declared)
    [fault] = gate.examine(data).faults
    assert fault.message == message
    with speaking(GERMAN):
        assert fault.message
        assert " or " not in fault.message
