"""What every type makes of every kind of input, from every source: a table to read as documentation.

A row is the type, what comes, and what becomes of it: a value, or the code of the fault. `same` stands for the
input itself.
"""

# Rooms: declare/kinds, engine

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta, timezone
from enum import Enum
from typing import Annotated, Any, Literal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dutiful_gate import Gate, Source, it, trimmed


class Berth(Enum):
    NORTH = 1
    SOUTH = 2.5
    SPARE = "spare"
    CLOSED = False


TWO_EAST = timezone(timedelta(hours=2))
MAY = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
same = object()
Small = Annotated[int, it.between(1, 30)]

JSON: list[tuple[Any, Any, Any]] = [
    (str, "", same),
    (str, "Ærø\u0000", same),
    (str, 1, "kind"),
    (str, None, "kind"),
    (str, "a\ud800", "reading"),
    (int, 0, same),
    (int, -(10**30), same),
    (int, 3.0, 3),
    (int, -0.0, 0),
    (int, 3.5, "kind"),
    (int, "3", "kind"),
    (int, True, "kind"),
    (int, math.inf, "kind"),
    (int, math.nan, "kind"),
    (Small, 1, 1),
    (Small, 30.0, 30),
    (Small, 0, "floor"),
    (Small, 31, "ceiling"),
    (float, 1, 1.0),
    (float, 0.1, same),
    (float, 2**53 + 1, float(2**53 + 1)),
    (float, 10**400, "reading"),
    (float, math.inf, "reading"),
    (float, math.nan, "reading"),
    (float, False, "kind"),
    (float, "1.0", "kind"),
    (Annotated[float, it >= 0], math.inf, "reading"),
    (Annotated[float, it.between(0, 1)], math.nan, "reading"),
    (bool, True, same),
    (bool, 1, "kind"),
    (bool, "true", "kind"),
    (None, None, None),
    (None, 0, "kind"),
    (datetime, "2026-05-04T09:30:00Z", MAY),
    (datetime, "2026-05-04t09:30:00z", MAY),
    (datetime, "2026-05-04T11:30:00+02:00", MAY.astimezone(TWO_EAST)),
    (datetime, "2026-05-04T09:30:00.25Z", MAY.replace(microsecond=250000)),
    (datetime, "2026-05-04T09:30:00.1234567Z", MAY.replace(microsecond=123456)),
    (datetime, "2026-05-04T09:30:00", "reading"),
    (datetime, "2026-05-04 09:30:00Z", "reading"),
    (datetime, "2026-05-04T09:30Z", "reading"),
    (datetime, "20260504T093000Z", "reading"),
    (datetime, "2026-W19-1T09:30:00Z", "reading"),
    (datetime, "2026-05-04T09:30:00,5Z", "reading"),
    (datetime, "2026-05-04T09:30:00+0200", "reading"),
    (datetime, "2026-05-04T09:30:00+24:00", "reading"),
    (datetime, "2026-02-29T09:30:00Z", "reading"),
    (datetime, "2026-05-04T24:00:00Z", "reading"),
    (datetime, "2026-12-31T23:59:60Z", datetime(2027, 1, 1, tzinfo=UTC)),
    (datetime, "2026-12-31T23:59:60.5Z", datetime(2027, 1, 1, microsecond=500_000, tzinfo=UTC)),
    (datetime, "2027-01-01T01:58:60+02:00", "reading"),
    (datetime, "2026-12-31T23:58:60Z", "reading"),
    (datetime, "9999-12-31T23:59:60Z", "reading"),
    (datetime, "٢٠٢٦-05-04T09:30:00Z", "reading"),
    (datetime, " 2026-05-04T09:30:00Z", "reading"),
    (datetime, 1777887000, "kind"),
    (date, "2026-05-04", date(2026, 5, 4)),
    (date, "2026-05-04T00:00:00Z", "reading"),
    (date, "20260504", "reading"),
    (date, "2026-02-30", "reading"),
    (date, 20260504, "kind"),
    (Literal["a", 1, None, True], "a", same),
    (Literal["a", 1, None, True], 1.0, 1),
    (Literal["a", 1, None, True], None, same),
    (Literal["a", 1, None, True], True, same),
    (Literal[1], True, "choice"),
    (Literal["a"], ["a"], "choice"),
    (Berth, 1, Berth.NORTH),
    (Berth, 2.5, Berth.SOUTH),
    (Berth, "spare", Berth.SPARE),
    (Berth, False, Berth.CLOSED),
    (Berth, 0, "choice"),
    (Berth, True, "choice"),
    (Berth, {}, "choice"),
    (list[int], [1, 2.0], [1, 2]),
    (list[int], (1,), [1]),
    (list[int], {}, "kind"),
    (list[int], "12", "kind"),
    (int | None, None, None),
    (int | None, 4, 4),
    (int | None, "", "kind"),
]

TEXT: list[tuple[Any, Any, Any]] = [
    (str, "", same),
    (str, " a ", same),
    (str, ["a"], "a"),
    (str, ["a", "b"], "repeat"),
    (str, 1, "kind"),
    (int, " 42\n", 42),
    (int, "-007", -7),
    (int, "+7", 7),
    (int, ["7"], 7),
    (int, "1_000", "reading"),
    (int, "1e3", "reading"),
    (int, "3.0", "reading"),
    (int, "٤٢", "reading"),
    (int, "²", "reading"),
    (int, "--1", "reading"),
    (int, "+-1", "reading"),
    (int, "-", "reading"),
    (int, "", "reading"),
    (int, "9" * 4301, "size"),
    (int, 42, "kind"),
    (float, "1e3", 1000.0),
    (float, " .5", 0.5),
    (float, "5.", 5.0),
    (float, "1_0", "reading"),
    (float, "nan", "reading"),
    (float, "inf", "reading"),
    (float, "1e999", "reading"),
    (float, "٤", "reading"),
    (bool, "true", True),
    (bool, " False ", False),
    (bool, "1", "reading"),
    (bool, "yes", "reading"),
    (None, " ", None),
    (None, "x", "kind"),
    (datetime, " 2026-05-04T09:30:00Z ", MAY),
    (datetime, "", "reading"),
    (date, " 2026-05-04", date(2026, 5, 4)),
    (Literal["a", 1, True], "a", "a"),
    (Literal["a", 1, True], "1", 1),
    (Literal["a", 1, True], "true", True),
    (Literal["a", 1, True], "b", "choice"),
    (Berth, "2.5", Berth.SOUTH),
    (Berth, ["spare"], Berth.SPARE),
    (list[int], ["1", " 2"], [1, 2]),
    (list[int], "3", [3]),
    (list[int], ["1", "x"], "reading"),
    (int | None, "", None),
    (int | None, [" "], None),
    (int | None, "4", 4),
    (str | None, "", ""),
    (Literal["a", ""] | None, "", ""),
]

NATIVE: list[tuple[Any, Any, Any]] = [
    (datetime, MAY, same),
    (datetime, MAY.replace(tzinfo=None), "reading"),
    (datetime, "2026-05-04T09:30:00Z", "kind"),
    (date, date(2026, 5, 4), same),
    (date, MAY, "kind"),
    (int, 4, same),
    (int, 4.0, "kind"),
    (float, 4, 4.0),
    (Berth, Berth.NORTH, same),
    (Berth, 1, "choice"),
    (Literal["a"], "a", same),
    (Literal["a"], [], "choice"),
    (list[Berth], [Berth.SPARE], same),
]

TABLE = [(Source.JSON, *row) for row in JSON]
TABLE += [(Source.TEXT, *row) for row in TEXT]
TABLE += [(Source.NATIVE, *row) for row in NATIVE]


@pytest.mark.parametrize(("source", "declared", "given_", "expected"), TABLE)
def test_table(source: Source, declared: Any, given_: Any, expected: Any) -> None:
    gate = Gate(declared, source)
    verdict = gate.examine(given_)
    codes = {"kind", "reading", "choice", "floor", "ceiling", "repeat", "size"}
    if isinstance(expected, str) and expected in codes:
        assert [fault.code for fault in verdict.faults] == [expected]
        assert not gate.accepts(given_)
        return
    wanted = given_ if expected is same else expected
    assert verdict, verdict.faults
    assert (verdict.value, type(verdict.value)) == (wanted, type(wanted))
    assert gate.admit(given_) == wanted
    if isinstance(wanted, datetime):
        assert verdict.value.utcoffset() == wanted.utcoffset()


@dataclass
class Query:
    berth: int
    page: int = 1
    name: Annotated[str, trimmed] = "all"
    since: date | None = None
    ports: list[str] | None = None


def test_a_query_string() -> None:
    gate = Gate(Query, Source.TEXT)
    assert gate.admit({"berth": ["4"], "page": "", "name": "", "since": " "}) == Query(4, 1, "")
    assert gate.admit({"berth": "4", "ports": ["QLP", "OST"]}).ports == ["QLP", "OST"]
    faults = gate.examine({"berth": "", "page": "x", "since": "soon"}).faults
    assert [(fault.pointer, fault.code) for fault in faults] == [
        ("/berth", "absent"),
        ("/page", "reading"),
        ("/since", "reading"),
    ]


VALUES: st.SearchStrategy[Any] = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text() | st.sampled_from(["QLP", "2026-05-04", 1, {}]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(["berth", "page", "x"]), inner),
    max_leaves=8,
)
ROWS = (Query, list[Query], list[int | None], Berth, list[list[str]])
GATES = [Gate(row, source) for source in Source for row in ROWS]


@given(VALUES, st.sampled_from(GATES))
def test_the_three_ways_to_ask_agree_and_none_raises(data: Any, gate: Gate[Any]) -> None:
    verdict = gate.examine(data)
    assert bool(verdict) == gate.accepts(data) == (not verdict.faults)
    if verdict:
        assert repr(gate.admit(data)) == repr(verdict.value)
    for fault in verdict.faults:
        assert fault.message
        fault.as_dict()
