"""What random declarations brought to light, each as its smallest case."""

# Rooms: engine, declare, document

from __future__ import annotations

import pickle
import threading
from dataclasses import dataclass
from datetime import time, timedelta
from decimal import Decimal
from enum import Enum
from typing import Annotated, Any, Literal, NotRequired, TypedDict

import pytest

from dutiful_gate import Amendment, Gate, at_least_one, it, obeys, obeys_document, rest, rounded_to, this, trimmed, when
from dutiful_gate.prove.proof import prove


class Port(Enum):
    OSTREY = "OST"


class Gathering(TypedDict):
    a: NotRequired[int]
    others: Annotated[dict[str, int], rest]


@obeys(this.opens < this.closes, when(this.opens > this.closes).needs("note"))
@dataclass
class Desk:
    opens: time
    closes: time
    note: str | None = None


@dataclass
class Span:
    low: int


class Held(TypedDict):
    span: Span


@obeys(at_least_one("kind", "size"))
class Choosing(TypedDict):
    kind: NotRequired[Literal["a", None]]
    size: NotRequired[int]


@dataclass
class Loose:
    base: int
    more: Annotated[dict[Annotated[str, it.matches("[a-z]+")], int], rest]


KEYED = Annotated[dict[bool, int], it.length <= 2]


def test_lenient_keys_in_the_document() -> None:
    gate: Gate[Any] = Gate(KEYED, lenient=True)
    assert gate.accepts({"yes": 1})
    assert not Gate.from_schema(gate.schema()).accepts({"maybe": 1})
    assert not prove(gate, 300).disagreements


CASES: list[tuple[Any, Any, str | None]] = [
    (Annotated[time, it >= time(6)], "09:30Z", "floor"),
    (Annotated[time, it >= time(6)], "09:30", None),
    (Annotated[time, it.between(time(6), time(8))], "07:00+01:00", "floor"),
    (Desk, {"opens": "09:00", "closes": "10:00Z"}, "agreement"),
    (Desk, {"opens": "09:00Z", "closes": "10:00Z"}, None),
    (Annotated[Decimal, rounded_to(2)], Decimal("1e400"), None),
    (Annotated[Decimal, rounded_to(2)], Decimal("12345678901234567890123456789012.345"), None),
    (bytes, "Y3JhdGU=", None),
    (bytes, "a2a/aA2a=", "reading"),
    (dict[Port, int], {"OST": 1}, None),
    (dict[Port, int], {"OST\n": 1}, "reading"),
    (dict[int, int], {"1": 1}, None),
    (dict[int, int], {" 1": 1}, "reading"),
    (dict[int, int], {"1": 1, "01": 2}, "repeat"),
    (Annotated[list[Held], it.distinct], [{"span": {"low": 1}}, {"span": {"low": 2}}], None),
    (Annotated[list[Held], it.distinct], [{"span": {"low": 1}}, {"span": {"low": 1.0}}], "repeat"),
    (timedelta, "P899999999D", None),
    (timedelta, "P999999999DT9H", None),
    (timedelta, "P999999999DT24H", "reading"),
    (timedelta, "-P999999999DT1S", "reading"),
    (Annotated[Any, obeys_document({"maxItems": 1})], [1, 2], "count"),
    (Annotated[list[str], obeys_document({"prefixItems": [{}], "items": False})], ["a"], None),
    (Annotated[list[str], obeys_document({"prefixItems": [{}], "items": False})], ["a", "b"], "count"),
    (Choosing, {"kind": None}, "agreement"),
    (Choosing, {"kind": "a"}, None),
    (Amendment[Span] | None, None, None),
    (Loose, {"base": 1, "x": 2}, None),
    (Loose, {"base": 1, "X": 2}, "pattern"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "data", "code"), CASES)
def test_edges(declared: Any, data: Any, code: str | None) -> None:
    gate: Gate[Any] = Gate(declared)
    verdict = gate.examine(data)
    assert [fault.code for fault in verdict.faults] == ([] if code is None else [code])
    assert gate.accepts(data) == (code is None)
    assert not prove(gate, 150).disagreements, "and its document says so"


def test_rest_of_a_typed_dict_goes_out_again() -> None:
    gate = Gate(Gathering)
    assert gate.release(gate.admit({"a": 1, "b": 2})) == {"a": 1, "b": 2}


def test_documents_say_the_final_form() -> None:
    assert Gate(Annotated[str, trimmed, it.has("x")]).schema()["pattern"] == r"^(?:\S(?:[\s\S]*\S)?)?$", (
        "a match settles no ends"
    )
    assert Gate(Annotated[str, trimmed, it.length > 1]).schema()["pattern"] == r"^\S(?:[\s\S]*\S)?$"
    said = Gate(Loose, unknown="refuse").schema()["$defs"]["Loose"]
    assert list(said["patternProperties"]) == ["^(?![\\s\\S]*(?:^base$))[\\s\\S]*(?:^[a-z]+$)"]
    assert said["additionalProperties"] is False


def test_a_gate_with_a_document_travels_and_is_shared() -> None:
    gate = pickle.loads(pickle.dumps(Gate(Annotated[list[int], obeys_document({"contains": {"const": 7}})])))
    judge = Gate.from_schema(
        {
            "items": {"$ref": "#/$defs/a"},
            "$defs": {"a": {"anyOf": [{"type": "integer"}, {"type": "array", "items": {"$ref": "#"}}]}},
        }
    )
    told: list[bool] = []

    def ask() -> None:
        told.append(
            gate.accepts([7]) and not gate.accepts([6]) and judge.accepts([1, [[2]]]) and not judge.accepts(["x"])
        )

    threads = [threading.Thread(target=ask) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert told == [True] * 8
