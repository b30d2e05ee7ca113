"""What goes out in part, and what is absent: fields that a gate leaves out, objects released as the record that they fill,
the marker for absent fields."""

# Rooms: gates, shape, engine, document

from __future__ import annotations

import json
import pickle
from dataclasses import dataclass, field
from datetime import date
from typing import Annotated, Any, Generic, Literal, NamedTuple, TypeVar

import pytest

from dutiful_gate import (
    ABSENT,
    Absent,
    Amendment,
    DeclarationError,
    Gate,
    Refused,
    Source,
    WaitingGate,
    at_least_one,
    camel,
    changed,
    goes_out,
    it,
    needs,
    obeys,
    payloads,
    rest,
    samples,
    secret,
    subset,
    trimmed,
)
from dutiful_gate.prove.proof import prove

T = TypeVar("T")


@dataclass
class Call:
    berth: int | None
    note: str | None = None
    hint: str | None = "none"
    crates: list[int] = field(default_factory=list)
    turns: int = 3
    day: date = date(2026, 5, 4)
    ready: bool = True

    @property
    @goes_out
    def last(self) -> int | None:
        return self.crates[-1] if self.crates else None


BARE = Call(None)
FULL = Call(7, "a", None, [1], 1, date(2026, 1, 1), ready=False)
ALL: dict[str, Any] = {
    "berth": None,
    "note": None,
    "hint": "none",
    "crates": [],
    "turns": 3,
    "day": "2026-05-04",
    "ready": True,
    "last": None,
}
OF_FULL: dict[str, Any] = {
    "berth": 7,
    "note": "a",
    "hint": None,
    "crates": [1],
    "turns": 1,
    "day": "2026-01-01",
    "ready": False,
    "last": 1,
}


@pytest.mark.parametrize(
    ("words", "bare", "full", "required", "one_way"),
    [
        ((), list(ALL), list(ALL), list(ALL), 0),
        ("nulls", ["hint", "crates", "turns", "day", "ready"], [name for name in ALL if name != "hint"], ["crates", "turns", "day", "ready"], 2),
        ("defaults", ["berth", "last"], list(ALL), ["berth", "last"], 0),
        (["defaults", "nulls"], [], [name for name in ALL if name != "hint"], [], 2),
    ],
)  # fmt: skip
def test_a_gate_leaves_out_what_it_says(
    words: Any, bare: list[str], full: list[str], required: list[str], one_way: int
) -> None:
    gate = Gate(Call, leaves_out=words)
    document = gate.schema(of="release")
    said = document["$defs"]["Call"]
    assert said.get("required", []) == required
    assert ("null" in json.dumps(said["properties"]["berth"])) is ("nulls" not in words)
    judge = Gate.from_schema(document)
    for other in (
        gate,
        pickle.loads(pickle.dumps(gate)),
        WaitingGate(Call, leaves_out=words).gate,
        Gate(Call, leaves_out=words, native=False),
    ):
        for value, names, whole in ((BARE, bare, ALL), (FULL, full, OF_FULL)):
            out = {name: whole[name] for name in names}
            assert other.release(value) == other.release_admitted(value) == out
            assert json.loads(other.release_json(value)) == json.loads(other.release_admitted_json(value)) == out
            assert judge.accepts(out)
        assert len(other.one_way) == one_way
    if not one_way:
        for value in (BARE, FULL):
            assert gate.admit(gate.release(value)) == value
    assert len(gate.schema().unstated) == len(Gate(Call).schema().unstated), "what is sent stays as it is"


@pytest.mark.parametrize("words", ["null", 3, ["defaults", "x"], {"nulls": 1, "y": 2}])
def test_what_cannot_be_left_out_is_told(words: Any) -> None:
    with pytest.raises(DeclarationError, match=r"leaves_out=.*\"nulls\", \"defaults\""):
        Gate(Call, leaves_out=words)


@dataclass
class Home:
    street: Annotated[str, it.length > 1]
    note: str | None = None


@dataclass
class User:
    name: str
    password: Annotated[str, secret]
    home: Home
    others: list[Home]
    by_name: dict[str, Home]


@dataclass
class Shown:
    """Another record, filled by a user."""

    name: str
    home: subset(Home, only="street")  # type: ignore[valid-type]
    kind: Literal["user"] = "user"


@dataclass
class Defaults:
    """Nothing of it must be sent; what goes out as it has it all the same."""

    note: str | None = None
    more: Annotated[dict[str, int], rest] = field(default_factory=dict)


@dataclass
class Tagged:
    kind: Literal["none"] = "none"


class Row:
    """What a table gives, without a word of what it is."""

    def __init__(self, **held: Any) -> None:
        self.__dict__.update(held)


USER = User("Ann", "s3cret", Home("Quay 1", "x"), [Home("Quay 2")], {"a": Home("Quay 3")})
OUT: dict[str, Any] = {
    "name": "Ann", "home": {"street": "Quay 1", "note": "x"}, "others": [{"street": "Quay 2", "note": None}],
    "by_name": {"a": {"street": "Quay 3", "note": None}},
}  # fmt: skip


def test_an_object_goes_out_as_the_record_that_it_fills() -> None:
    part: Any = subset(User, without="password")
    assert Gate(part).release(USER) == OUT
    assert json.loads(Gate(part).release_json(USER)) == OUT
    assert Gate(list[part] | None).release([USER, USER]) == [OUT, OUT]
    assert Gate(Shown).release(USER) == {"name": "Ann", "home": {"street": "Quay 1"}, "kind": "user"}  # type: ignore[arg-type]
    row = Row(
        name="Ann",
        password="x",
        home=Row(street="Quay 1", note="x"),
        others=[Row(street="Quay 2", note=None)],
        by_name={"a": Row(street="Quay 3", note=None)},
    )
    assert Gate(User).release(row) == OUT  # type: ignore[arg-type]
    row.home.street = ""
    with pytest.raises(Refused) as refused:
        Gate(User).release(row)  # type: ignore[arg-type]
    assert [fault.pointer for fault in refused.value.faults] == ["/home/street"]


@pytest.mark.parametrize(
    "value", [None, 3, "Ann", {"name": "Ann"}, Row(name="Ann"), User, [USER], object(), 5j, json, len]
)
def test_what_does_not_fill_the_record_is_refused(value: Any) -> None:
    for gate in (Gate(subset(User, without="password")), Gate(Defaults), Gate(Tagged)):
        with pytest.raises(Refused, match="a record of the declared type"):
            gate.release(value)


def test_what_holds_itself_is_refused() -> None:
    @dataclass
    class Node:
        name: str
        inner: Node | None = None

    row = Row(name="a")
    row.inner = row
    with pytest.raises(Refused):
        Gate(Node, names={"Node": Node}).release(row)  # type: ignore[arg-type]


@dataclass
@obeys(needs("note", given="ship"), at_least_one("ship", "crates"))
class Wish:
    number: int
    ship: str | Absent | None = ABSENT
    note: Annotated[str | Absent, trimmed, it.length > 1] = ABSENT
    crates: Annotated[list[int], it.length < 3] | Absent | None = ABSENT


class Pair(NamedTuple):
    one: int
    other: int | Absent | None = ABSENT


@dataclass(slots=True, frozen=True)
class Lone:
    held: Annotated[dict[str, int] | Absent, it.length < 2] = ABSENT


@pytest.mark.parametrize(
    ("declared", "data", "value"),
    [
        (Wish, {"number": 1, "ship": "a", "note": " bb "}, Wish(1, "a", "bb")), (Wish, {"number": 1, "crates": [1]}, Wish(1, crates=[1])),
        (Wish, {"number": 1}, ["/ship"]), (Wish, {"number": 1, "ship": None}, ["/ship"]), (Wish, {"number": 1, "ship": "a"}, ["/note"]),
        (Wish, {"number": 1, "crates": [1], "note": None}, ["/note"]), (Wish, {"number": 1, "crates": [1], "ship": None}, Wish(1, None, crates=[1])),
        (Pair, {"one": 1}, Pair(1)), (Pair, {"one": 1, "other": None}, Pair(1, None)), (Pair, {"one": 1, "other": 2}, Pair(1, 2)),
        (Lone, {}, Lone()), (Lone, {"held": {"a": 1}}, Lone({"a": 1})), (Lone, {"held": None}, ["/held"]), (Lone, {"held": {"a": 1, "b": 2}}, ["/held"]),
    ],
)  # fmt: skip
def test_absent_is_not_null(declared: Any, data: dict[str, Any], value: Any) -> None:
    for gate in (Gate(declared, keys=camel), Gate(declared, native=False)):
        for verdict in (gate.examine(data), gate.examine_json(json.dumps(data)), gate.examine({**data, "unknown": 1})):
            if isinstance(value, list):
                assert [fault.pointer for fault in verdict.faults] == value
                continue
            assert verdict.value == value
            out = {name: held.strip() if isinstance(held, str) else held for name, held in data.items()}
            assert gate.release(verdict.value) == gate.release_admitted(verdict.value) == out
            assert json.loads(gate.release_json(verdict.value)) == out
            assert Gate(declared, Source.NATIVE).admit(verdict.value) == pickle.loads(pickle.dumps(value)) == value
            assert gate.admit(gate.release(value)) == value
    assert not ABSENT
    assert not prove(Gate(declared), 300, 1).disagreements


def test_absent_fields_are_amended_copied_sampled_and_in_subsets() -> None:
    assert Gate(Amendment[Wish]).admit({"note": "bb"}) == {"note": "bb"}
    wish = changed(Wish(1, crates=[1]), ship="a", note="bb")
    assert wish == Wish(1, "a", "bb", [1])
    assert changed(wish, ship=ABSENT, note=ABSENT) == Wish(1, crates=[1])
    part = Gate(subset(Wish, without="crates"))
    assert part.release(Wish(1, "a", "bb", [1])) == part.release(part.admit({"number": 1, "ship": "a", "note": "bb"}))
    assert samples(Gate(Wish), 20, 1)
    assert {"ship" in each for each in payloads(Gate(Wish), 30, 1)} == {True, False}
    assert "Absent" not in json.dumps(Gate(Wish).schema())


@dataclass
class DefaultOfAnother:
    held: int | Absent = 3


@dataclass
class WithoutTheType:
    held: int = ABSENT  # type: ignore[assignment]


@dataclass
class InAList:
    held: list[int | Absent]


@dataclass
class AbsentAlone:
    held: Absent = ABSENT


@dataclass
class AbsentOrNull:
    held: Absent | None = ABSENT


def test_what_is_absent_or_null_alone() -> None:
    gate = Gate(AbsentOrNull)
    assert [gate.admit(data).held for data in ({}, {"held": None})] == [ABSENT, None]
    assert [gate.release(AbsentOrNull(held)) for held in (ABSENT, None)] == [{}, {"held": None}]
    assert not gate.accepts({"held": "absent"})


@pytest.mark.parametrize(
    ("declared", "words"),
    [
        (AbsentAlone, r"held: Absent is no type.*as in str \| Absent"),
        (DefaultOfAnother, r"held: .*ABSENT where none came; write the default: = ABSENT"),
        (WithoutTheType, r"add it to the type: \| Absent"), (InAList, "only a field of a record"), (int | Absent, "only a field of a record"),
    ],
)  # fmt: skip
def test_absent_where_nothing_can_be_is_told(declared: Any, words: str) -> None:
    with pytest.raises(DeclarationError, match=words):
        Gate(declared)


@dataclass
class Page(Generic[T]):
    items: list[T]
    following: int | None = None


def test_subsets_and_amendments_of_generic_records() -> None:
    part: Any = subset(Page[Home], without="following")
    assert Gate(part).release(Page([Home("Quay 1")], 3)) == {"items": [{"street": "Quay 1", "note": None}]}
    assert [fault.pointer for fault in Gate(part).examine({"items": [{"street": ""}]}).faults] == ["/items/0/street"]
    assert list(Gate(part).shape.records) == ["PageOfHomeSubset", "Home"]
    assert Gate(Amendment[Page[Home]]).admit({"following": None}) == {"following": None}
