"""Records that say themselves what becomes of unknown keys, and fields that say what stands in for their absence."""

# Rooms: engine, declare, shape

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, Any, NotRequired, TypedDict

import pytest

from dutiful_gate import (
    Amendment,
    DeclarationError,
    Gate,
    Source,
    if_absent,
    it,
    needs,
    obeys,
    rest,
    subset,
    trimmed,
)
from dutiful_gate.prove.proof import prove


@obeys(unknown="refuse")
@dataclass
class Crate:
    contents: str
    weight_kg: float = 1.0


@obeys(unknown="drop")
@dataclass
class Loose(Crate):
    deck: str = "lower"


@dataclass
class Heavier(Crate):
    lift: str = "crane"


@dataclass
class Load:
    crate: Crate
    loose: Loose | None = None


SENT = {"contents": "rope", "weight": 2}
TWO = {"crate": SENT, "loose": SENT, "berth": 1}


@pytest.mark.parametrize("unknown", ["drop", "refuse"])
@pytest.mark.parametrize(
    ("declared", "data", "refused"),
    [
        (Crate, SENT, {"drop": ["/weight"], "refuse": ["/weight"]}),
        (Loose, SENT, {"drop": [], "refuse": []}),
        (Heavier, SENT, {"drop": ["/weight"], "refuse": ["/weight"]}),
        (subset(Crate, without="weight_kg"), SENT, {"drop": ["/weight"], "refuse": ["/weight"]}),
        (Amendment[Crate], SENT, {"drop": ["/weight"], "refuse": ["/weight"]}),
        (Amendment[Loose], SENT, {"drop": [], "refuse": []}),
        (Load, TWO, {"drop": ["/crate/weight"], "refuse": ["/crate/weight", "/berth"]}),
        (list[Crate | int], [SENT, 5], {"drop": ["/0/weight"], "refuse": ["/0/weight"]}),
    ],
)
def test_the_word_of_the_record_comes_before_the_gates(
    declared: Any, data: Any, refused: dict[str, list[str]], unknown: Any
) -> None:
    gate: Gate[Any] = Gate(declared, unknown=unknown)
    verdict = gate.examine(data)
    assert [fault.pointer for fault in verdict.faults] == refused[unknown]
    assert gate.accepts(data) is bool(verdict)
    assert Gate.from_schema(gate.schema()).accepts(data) is bool(verdict)
    assert not prove(gate, 200).disagreements
    if unknown == "drop" and not refused["drop"]:
        assert [path[-1] for path in verdict.dropped] == ["weight"]


def test_what_closes_says_so_in_words() -> None:
    assert str(Gate(Crate).examine(SENT).faults[0]) == "/weight: is not a known key; did you mean 'weight_kg'?"
    assert not Gate(Crate).accepts({"contents": "rope", "$schema": "x"})  # to the letter, also at the root
    for word in ("closed", True):
        with pytest.raises(DeclarationError, match='"drop" or "refuse"'):
            obeys(unknown=word)  # type: ignore[arg-type]


class Sailing(TypedDict):
    number: int
    decks: Annotated[int, it >= 1, if_absent(2)]
    calls_at: Annotated[list[str], if_absent(["QLP"])]
    note: Annotated[str, trimmed, if_absent(make=lambda: "none")]
    berth: NotRequired[int]


@dataclass
class Tug:
    lines: Annotated[dict[str, int], if_absent({})]
    name: Annotated[str | None, if_absent(None)]


def test_what_stands_in_for_absence() -> None:
    gate = Gate(Sailing)
    one, other = gate.admit({"number": 1}), gate.admit({"number": 1})
    assert one == {"number": 1, "decks": 2, "calls_at": ["QLP"], "note": "none"}
    one["calls_at"].append("OST")
    assert other["calls_at"] == gate.admit({"number": 2})["calls_at"] == ["QLP"]
    said = gate.schema()["$defs"]["Sailing"]
    assert said["required"] == ["number"]
    assert (said["properties"]["decks"]["default"], said["properties"]["calls_at"]["default"]) == (2, ["QLP"])
    assert Gate(Sailing, Source.TEXT).admit({"number": "1"})["decks"] == 2
    assert Gate(Tug).admit({}) == Tug({}, None)
    assert Gate(Amendment[Tug]).admit({"name": None}) == {"name": None}
    for declared in (Sailing, Tug):
        assert not prove(Gate(declared), 300).disagreements


def _refusals() -> list[tuple[Any, str]]:
    class Lacking(TypedDict):
        decks: NotRequired[Annotated[int, if_absent(2)]]

    @dataclass
    class Twice:
        decks: Annotated[int, if_absent(2)] = 3

    @dataclass
    class Unsound:
        decks: Annotated[int, it > 2, if_absent(2)]

    @obeys(unknown="refuse")
    @dataclass
    class Gathers:
        others: Annotated[dict[str, int], rest] = field(default_factory=dict)

    return [
        (Lacking, "always there.*leave out NotRequired"),
        (Twice, "no other default; leave out one of the two"),
        (Unsound, "default"),
        (Gathers, "no key is unknown where a field gathers the rest"),
    ]


@pytest.mark.parametrize(("declared", "message"), _refusals())
def test_what_makes_no_sense_is_told(declared: Any, message: str) -> None:
    with pytest.raises(DeclarationError, match=message):
        Gate(declared)


@pytest.mark.parametrize("written", [lambda: if_absent(), lambda: if_absent(1, make=int), lambda: if_absent(make=3)])
def test_if_absent_needs_one_of_two(written: Any) -> None:
    with pytest.raises(DeclarationError, match="a value, or make="):
        written()


def test_presence_counts_what_stands_in() -> None:
    @obeys(needs("berth", given="decks"))
    class Late(TypedDict):
        decks: Annotated[int, if_absent(2)]
        berth: NotRequired[int]

    gate = Gate(Late)
    assert [str(fault) for fault in gate.examine({}).faults] == ["/berth: needs a value, since decks has one; got none"]
    assert not prove(gate, 200).disagreements
