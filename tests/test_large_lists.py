"""Large collections: what the first pass has read is handed to the second, and past the limit faults are only counted.

Neither may be noticed but by the clock: each verdict is compared with that of a gate that hands nothing over, and with
that of one without a limit.
"""

# Rooms: engine

from __future__ import annotations

import json
from collections import deque
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from enum import Enum
from typing import Annotated, Any, Literal
from uuid import UUID

import pytest

from dutiful_gate import (
    Gate,
    Limits,
    Refused,
    Source,
    it,
    lenient,
    lowered,
    obeys_document,
    otherwise,
    secret,
    split_on,
    tagged_by,
    then,
    trimmed,
    via,
)
from dutiful_gate.engine import handover

IDS = [str(UUID(int=number * 7919**9)) for number in range(12)]
PRIME = 2**61 - 1


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = "OST"


@dataclass
class Crate:
    sensor: UUID
    kept: Annotated[int, it > 5, otherwise(6)] = 6


@dataclass
class Drum:
    sensor: UUID
    drums: list[Drum] = field(default_factory=list)


@dataclass
class Manifest:
    crates: list[Crate]
    days: set[date]


LATER = ["x", None, [1], {"sensor": 3}, 3.5, True]
# A declaration, and what comes: all of it sound until something unsound ends it.
CASES: list[tuple[Any, Any]] = [
    (list[UUID], IDS),
    (list[UUID | None], [*IDS, None, IDS[0]]),
    (list[UUID | int], [*IDS, 3, 4]),
    (tuple[UUID, ...], IDS),
    (deque[UUID], IDS),
    (set[UUID], IDS),
    (set[UUID], [*IDS, IDS[3].upper()]),
    (frozenset[timedelta], ["PT1H", "PT60M", "PT2H"]),
    (set[int], [number * PRIME for number in range(1, 40)]),
    (set[Decimal], [1, 1.0, 2]),
    (list[list[UUID]], [IDS, IDS, []]),
    (list[list[UUID] | None], [IDS, None]),
    (list[tuple[UUID, int]], [[each, 1] for each in IDS]),
    (list[Annotated[int, it > 5, otherwise(6)]], [1, 9, "x"]),
    (list[tuple[Annotated[int, it > 5, otherwise(6)], UUID]], [[1, IDS[0]], [9, IDS[1]], [2, "x"]]),
    (list[Crate], [{"sensor": each} for each in IDS]),
    (list[Crate], [{"sensor": IDS[0], "kept": 1}, {"sensor": IDS[1], "more": 1}, {"sensor": IDS[2], "kept": "x"}]),
    (list[Drum], [{"sensor": IDS[0], "odd": 2}, {"sensor": IDS[1], "drums": [{"sensor": IDS[2], "odd": 3}]}]),
    (list[UUID] | list[date], IDS),
    (list[UUID] | list[date], ["2026-05-04"] * 3),
    (list[list[UUID] | list[date]], [IDS, ["2026-05-04"], IDS]),
    (dict[UUID, int], dict.fromkeys(IDS, 1)),
    (dict[UUID, int], {**dict.fromkeys(IDS, 1), IDS[4].upper(): 2, "x": 3}),
    (dict[UUID, int], {IDS[4]: 1, IDS[4].upper(): 2, **dict.fromkeys(IDS, 1)}),
    (dict[Annotated[str, trimmed], UUID], {" a": IDS[0], "a": IDS[1], "b": IDS[2], "c": "x"}),
    (dict[Annotated[str, lowered], UUID], {"a": IDS[0], "b": IDS[1], "A": IDS[2], "c": IDS[3]}),
    (dict[Annotated[str, lowered], list[int]], {"a": [1], "A": [2], "b": [3], "d": "x"}),
    (dict[int, UUID], {str(number): IDS[0] for number in range(9)}),
    (dict[int, UUID], {str(number * PRIME): IDS[0] for number in range(1, 40)}),
    (dict[str, Crate], {each: {"sensor": each, "more": 1} for each in IDS}),
    (list[Annotated[str, trimmed, it.length > 1]], [" ab", "cd "]),
    (list[Annotated[int, lenient]], [1, "2", "3"]),
    (list[Annotated[int, it > 2, it.multiple_of(2)]], [4, 6, 1, "x", None]),
    (list[Annotated[UUID, secret]], IDS),
    (list[Annotated[int, obeys_document({"not": {"const": 7}})]], [1, 7, "x", None]),
    (list[Annotated[list[int], split_on(",")]], ["1,2", "3", "x,y"]),
    (list[Annotated[int, via(str, trimmed)]], [" 1", "2 ", "x"]),
    (list[Annotated[str, then(len)]], ["a", "bc"]),
    (list[Port], ["QLP", "OST"]),
    (list[Literal[1, "a", None]], [1, 1.0, "a", None]),
    (list[Annotated[Crate | Drum, tagged_by("type", beside="data", options={"c": Crate, "d": Drum})]],
     [{"type": "c", "data": {"sensor": IDS[0]}}, {"type": "d", "data": {"sensor": IDS[1]}}]),
    (Manifest, {"crates": [{"sensor": each, "more": 0} for each in IDS], "days": ["2026-05-04", "2026-05-05", "x"]}),
    (Annotated[list[UUID], it.length <= 3, it.distinct], IDS[:3] + IDS[:1]),
]  # fmt: skip


def ended(data: Any, later: Any) -> Any:
    if isinstance(data, list):
        return [*data, later]
    key = {"crates": "days"}.get(next(iter(data), ""), "later")
    return {**data, key: later}


def heard(gate: Gate[Any], data: Any) -> Any:
    """All that a gate says of data, by every road."""
    told = []
    raw = [gate.examine_json(json.dumps(data))] if gate.reads is Source.JSON else []
    for verdict in (gate.examine(data), *raw, gate.examine(data)):
        value = repr(verdict.value) if verdict else None
        faults = [(fault.path, fault.code, fault.message) for fault in verdict.faults]
        told.append((value, faults, verdict.dropped, [each.path for each in verdict.fallbacks], verdict.untold))
    try:
        gate.admit(data)
    except Refused as refused:
        told.append((len(refused.faults), refused.verdict.dropped, len(refused.verdict.fallbacks)))
    return [*told, gate.accepts(data)]


@pytest.mark.parametrize(("declared", "data"), CASES, ids=lambda each: str(each)[:60])
@pytest.mark.parametrize("more", [{}, {"unknown": "refuse"}, {"source": Source.TEXT}])
def test_what_is_handed_over_changes_nothing(
    declared: Any, data: Any, more: dict[str, Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(handover, "LARGE", 10**9)
    alone: Gate[Any] = Gate(declared, **more)
    known = [heard(alone, each) for each in (data, *(ended(data, later) for later in LATER))]
    monkeypatch.setattr(handover, "LARGE", -1)
    handing: Gate[Any] = Gate(declared, **more)
    assert [heard(handing, each) for each in (data, *(ended(data, later) for later in LATER))] == known


@pytest.mark.parametrize(("declared", "data"), CASES, ids=lambda each: str(each)[:60])
def test_a_limit_on_faults_changes_neither_the_first_nor_their_number(declared: Any, data: Any) -> None:
    if not isinstance(data, list):
        return
    several = [*data, *LATER, *data, *LATER, "x", None]
    whole = Gate(declared, limits=Limits(faults=10**6)).examine(several)
    few = Gate(declared, limits=Limits(faults=4)).examine(several)
    assert [fault.message for fault in few.faults] == [fault.message for fault in whole.faults[:4]]
    if not any(word in str(declared) for word in ("|", "Union", "SplitOn")):  # of these one is counted for each value
        assert few.untold + len(few.faults) == len(whole.faults)


def test_rules_of_a_whole_count_what_came_past_the_limit() -> None:
    for declared in (list[int], list[int | date], list[Crate], tuple[int, ...], set[int], list[Port]):
        verdict = Gate(Annotated[declared, it.length <= 3], limits=Limits(faults=2)).examine([None] * 9)
        assert verdict.faults[0].message.startswith("needs at most 3 items; got 9")


def test_own_functions_run_once_a_value() -> None:
    asked: list[str] = []

    def noted(text: str) -> str:
        asked.append(text)
        return text

    data = [*(f"Q-{number}" for number in range(handover.LARGE + 1)), None]
    assert not Gate(list[Annotated[str, then(noted)]], native=False).examine(data)
    assert asked == data[:-1]
    asked.clear()
    assert not Gate(list[Annotated[str, then(noted)]]).examine(data)
    assert {*map(asked.count, data[:-1])} <= {1, 2}, "natively they run twice at the most"


def test_two_places_hold_no_object_of_one_list() -> None:
    crates = [{"sensor": each} for each in IDS * 20]
    gate = Gate(dict[str, list[Crate]])
    assert not gate.examine({"first": crates, "second": crates, "third": [3]})
    # The last one makes the quick function give up: the value is the telling function's.
    value = gate.examine({"first": crates, "second": crates, "third": [{"sensor": IDS[0], "more": 1}]}).value
    assert value["first"][0] is not value["second"][0]


def test_what_was_begun_is_forgotten() -> None:
    def broken(text: str) -> str:
        raise KeyError(text)

    gate = Gate(list[UUID])
    again = Gate(list[Annotated[str, then(broken)]])
    for data in (IDS * 20, [*IDS * 20, "x"]):
        gate.examine(data)
        assert handover.HANDOVER.made is None
    with pytest.raises(KeyError):
        again.examine(["a"] * (handover.LARGE + 1))
    assert handover.HANDOVER.made is None
    with pytest.raises(KeyError):
        again.admit(["a"] * (handover.LARGE + 1))
    assert handover.HANDOVER.made is None
