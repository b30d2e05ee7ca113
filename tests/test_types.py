"""Every type, from every source: sound, of the wrong kind, unreadable, at a boundary, null and absent.

`docs/types.md` is made from this table (`python tests/test_types.py`), so what stands there is what runs here.
Each cell is what comes and what becomes of it: a value, or the code of a fault.
"""

# Rooms: declare/kinds, engine

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass, make_dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum, IntEnum
from ipaddress import IPv4Address, IPv4Network, IPv6Address
from pathlib import Path, PurePath, PurePosixPath, PureWindowsPath
from typing import Annotated, Any, Literal, NamedTuple, Never, NotRequired, Optional, TypedDict
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest

from dutiful_gate import (
    DeclarationError,
    Email,
    FromText,
    Gate,
    Hostname,
    Slug,
    Source,
    WebUrl,
    blank_is_none,
    byte_size,
    it,
    lenient,
    or_infinite,
    time_span,
    utc_only,
    without_offset,
)
from dutiful_gate.declare.facts import Stop

J, T, N = Source.JSON, Source.TEXT, Source.NATIVE
CASES = ("sound", "wrong kind", "unreadable", "boundary")
CODES = {
    "absent", "kind", "reading", "floor", "ceiling", "length", "count", "pattern", "choice", "repeat", "format", "size",
    "branch", "depth",
}  # fmt: skip


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = "OST"


class Deck(IntEnum):
    LOWER = 1
    UPPER = 2


class Tag(TypedDict):
    code: str
    note: NotRequired[str]


class Span(NamedTuple):
    first: int
    last: int = 9


@dataclass(frozen=True)
class Crate:
    kind: Literal["crate"]
    kg: Annotated[float, it > 0]


@dataclass(frozen=True)
class Pallet:
    kind: Literal["pallet"]
    layers: int


Tree = list["Tree"] | int
ID = UUID("5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e")
MAY = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
LOCAL = datetime(2026, 5, 4, 9, 30)
MOMENT = "2026-05-04T09:30:00Z"
SAME = object()

# type, source: (came, becomes) for each of CASES; None for a case that the type does not have there.
Cell = tuple[Any, Any] | None
TABLE: dict[str, tuple[Any, dict[Source, tuple[Cell, Cell, Cell, Cell]]]] = {
    "str": (str, {
        J: (("rope", SAME), (1, "kind"), ("\ud800", "reading"), ("", "")),
        T: (("rope", SAME), (1, "kind"), ("\udcff", "reading"), ("", "")),
        N: (("rope", SAME), (b"rope", "kind"), ("\ud800", "reading"), ("", "")),
    }),
    "int": (int, {
        J: ((7, SAME), ("7", "kind"), (7.5, "kind"), (7.0, 7)),
        T: ((" 7 ", 7), (7, "kind"), ("7.0", "reading"), ("-0", 0)),
        N: ((7, SAME), (True, "kind"), (7.0, "kind"), (10**30, SAME)),
    }),
    "float": (float, {
        J: ((1.5, SAME), ("1.5", "kind"), (math.nan, "reading"), (10**308, 1e308)),
        T: (("1e3", 1000.0), (1.5, "kind"), ("1,5", "reading"), (".5", 0.5)),
        N: ((1.5, SAME), ("1.5", "kind"), (math.inf, "reading"), (2, 2.0)),
    }),
    "float, or_infinite": (Annotated[float, or_infinite], {
        J: ((1.5, SAME), (True, "kind"), None, (math.inf, SAME)),
        T: (("1.5", 1.5), (1.5, "kind"), ("infinite", "reading"), ("-Infinity", -math.inf)),
        N: ((1.5, SAME), ("1.5", "kind"), None, (-math.inf, SAME)),
    }),
    "Decimal": (Decimal, {
        J: ((0.1, Decimal("0.1")), ("0.1", "kind"), (math.inf, "reading"), (10**400, Decimal(10**400))),
        T: (("12.50", Decimal("12.50")), (1, "kind"), ("1_0", "reading"), ("1e4301", "size")),
        N: ((Decimal("0.1"), SAME), ("0.1", "kind"), (Decimal("NaN"), "reading"), (3, Decimal(3))),
    }),
    "bool": (bool, {
        J: ((True, SAME), ("true", "kind"), None, (0, "kind")),
        T: (("true", True), (True, "kind"), ("yes", "reading"), (" FALSE ", False)),
        N: ((False, SAME), (0, "kind"), None, (1, "kind")),
    }),
    "datetime": (datetime, {
        J: ((MOMENT, MAY), (5, "kind"), ("4 May", "reading"), ("9999-12-31T23:59:59.999999Z", datetime.max.replace(tzinfo=UTC))),
        T: ((f" {MOMENT}", MAY), (5, "kind"), ("2026-05-04", "reading"), ("2026-02-29T00:00:00Z", "reading")),
        N: ((MAY, SAME), (MOMENT, "kind"), (LOCAL, "reading"), None),
    }),
    "datetime, utc_only": (Annotated[datetime, utc_only], {
        J: ((MOMENT, MAY), (5, "kind"), ("2026-05-04T11:30:00+02:00", "reading"), ("2026-05-04T09:30:00-00:00", MAY)),
        T: ((MOMENT, MAY), (5, "kind"), ("2026-05-04T11:30:00+02:00", "reading"), None),
        N: ((MAY, SAME), (5, "kind"), (LOCAL, "reading"), None),
    }),
    "datetime, without_offset": (Annotated[datetime, without_offset], {
        J: (("2026-05-04T09:30:00", LOCAL), (5, "kind"), (MOMENT, "reading"), ("2026-02-30T00:00:00", "reading")),
        T: ((" 2026-05-04T09:30:00", LOCAL), (5, "kind"), (MOMENT, "reading"), None),
        N: ((LOCAL, SAME), ("x", "kind"), (MAY, "reading"), None),
    }),
    "date": (date, {
        J: (("2026-05-04", date(2026, 5, 4)), (5, "kind"), ("2026-5-4", "reading"), ("0001-01-01", date.min)),
        T: (("2026-05-04 ", date(2026, 5, 4)), (5, "kind"), ("2026-13-01", "reading"), ("9999-12-31", date.max)),
        N: ((date(2026, 5, 4), SAME), (MAY, "kind"), None, (date.max, SAME)),
    }),
    "time": (time, {
        J: (("09:30:00", time(9, 30)), (9, "kind"), ("9:30", "reading"), ("23:59:59.999999", time.max)),
        T: ((" 09:30 ", time(9, 30)), (9, "kind"), ("24:00:00", "reading"), ("00:00", time.min)),
        N: ((time(9, 30), SAME), ("09:30", "kind"), None, (time.max, SAME)),
    }),
    "timedelta": (timedelta, {
        J: (("PT1H30M", timedelta(minutes=90)), (90, "kind"), ("1:30", "reading"), ("P1M", "reading")),
        T: ((" P1DT0.5S", timedelta(days=1, microseconds=500000)), (90, "kind"), ("PT", "reading"), ("-P2W", timedelta(-14))),
        N: ((timedelta(1), SAME), ("P1D", "kind"), None, (timedelta.max, SAME)),
    }),
    "UUID": (UUID, {
        J: ((str(ID), ID), (7, "kind"), (ID.hex, "reading"), (str(ID).upper(), ID)),
        T: ((f" {ID}", ID), (7, "kind"), ("{" + str(ID) + "}", "reading"), None),
        N: ((ID, SAME), (str(ID), "kind"), None, None),
    }),
    "bytes": (bytes, {
        J: (("Y3JhdGU=", b"crate"), (7, "kind"), ("Y3JhdGU", "reading"), ("", b"")),
        T: (("Y3JhdGU=", b"crate"), (7, "kind"), ("é", "reading"), ("", b"")),
        N: ((b"crate", SAME), ("Y3JhdGU=", "kind"), None, (b"", SAME)),
    }),
    "IPv4Address": (IPv4Address, {
        J: (("192.0.2.7", IPv4Address("192.0.2.7")), (7, "kind"), ("192.0.2.07", "reading"), ("0.0.0.0", IPv4Address(0))),
        T: ((" 192.0.2.7", IPv4Address("192.0.2.7")), (7, "kind"), ("192.0.2", "reading"), ("192.0.2.256", "reading")),
        N: ((IPv4Address(7), SAME), ("192.0.2.7", "kind"), None, None),
    }),
    "IPv6Address": (IPv6Address, {
        J: (("2001:db8::7", IPv6Address("2001:db8::7")), (7, "kind"), ("fe80::1%eth0", "reading"), ("::", IPv6Address(0))),
        T: (("2001:db8::7", IPv6Address("2001:db8::7")), (7, "kind"), (":::", "reading"), None),
        N: ((IPv6Address(7), SAME), ("::", "kind"), None, None),
    }),
    "IPv4Network": (IPv4Network, {
        J: (("192.0.2.0/24", IPv4Network("192.0.2.0/24")), (7, "kind"), ("192.0.2.7/24", "reading"), ("0.0.0.0/0", IPv4Network("0.0.0.0/0"))),
        T: (("192.0.2.0/24", IPv4Network("192.0.2.0/24")), (7, "kind"), ("x", "reading"), None),
        N: ((IPv4Network("192.0.2.0/24"), SAME), ("192.0.2.0/24", "kind"), None, None),
    }),
    "Path": (Path, {
        J: (("a/b.csv", Path("a/b.csv")), (7, "kind"), ("a\0b", "reading"), ("", "reading")),
        T: (("a/b.csv", Path("a/b.csv")), (7, "kind"), ("a\0b", "reading"), (".", Path())),
        N: ((Path("a"), SAME), ("a", "kind"), None, None),
    }),
    "PurePath": (PurePath, {
        J: (("a/b.csv", PurePath("a/b.csv")), (7, "kind"), ("a\0b", "reading"), ("", "reading")),
        T: (("a/b.csv", PurePath("a/b.csv")), (7, "kind"), ("a\0b", "reading"), (".", PurePath())),
        N: ((PurePath("a"), SAME), ("a", "kind"), None, None),
    }),
    "PureWindowsPath": (PureWindowsPath, {
        J: ((r"C:\b.csv", PureWindowsPath(r"C:\b.csv")), (7, "kind"), ("a\0b", "reading"), ("", "reading")),
        T: (("a/b.csv", PureWindowsPath("a/b.csv")), (7, "kind"), ("a\0b", "reading"), (".", PureWindowsPath())),
        N: ((PureWindowsPath("a"), SAME), (PurePosixPath("a"), "kind"), None, None),
    }),
    "ZoneInfo": (ZoneInfo, {
        J: (("Europe/London", ZoneInfo("Europe/London")), (7, "kind"), ("Mars/Base", "reading"), ("../etc", "reading")),
        T: ((" UTC", ZoneInfo("UTC")), (7, "kind"), ("", "reading"), ("Europe", "reading")),
        N: ((ZoneInfo("UTC"), SAME), ("UTC", "kind"), None, None),
    }),
    "Literal": (Literal["a", 1], {
        J: (("a", SAME), ([], "choice"), ("b", "choice"), (1.0, 1)),
        T: (("1", 1), (None, "choice"), ("b", "choice"), ("a", SAME)),
        N: (("a", SAME), ([], "choice"), ("b", "choice"), (True, "choice")),
    }),
    "Enum": (Port, {
        J: (("QLP", Port.QUILLPORT), (1, "choice"), ("qlp", "choice"), (["QLP"], "choice")),
        T: (("OST", Port.OSTREY), (1, "choice"), ("ost", "choice"), (["QLP"], Port.QUILLPORT)),
        N: ((Port.OSTREY, SAME), ("OST", "choice"), None, None),
    }),
    "IntEnum": (Deck, {
        J: ((1, Deck.LOWER), ("1", "choice"), (3, "choice"), (2.0, Deck.UPPER)),
        T: (("1", Deck.LOWER), (1, "choice"), ("one", "choice"), (" 2", Deck.UPPER)),
        N: ((Deck.UPPER, SAME), ("1", "choice"), (1, "choice"), None),
    }),
    "Email": (Email, {
        J: (("a@b.example", SAME), (1, "kind"), ("a b@c", "format"), ('"a b"@[192.0.2.7]', SAME)),
        T: (("a@b.example", SAME), (1, "kind"), ("@b", "format"), ("a" * 65 + "@b.example", "format")),
        N: (("a@b.example", SAME), (1, "kind"), ("a@", "format"), None),
    }),
    "WebUrl": (WebUrl, {
        J: (("https://a.example/b?c#d", SAME), (1, "kind"), ("ftp://a.example", "format"), ("HTTP://a.example", SAME)),
        T: (("http://a.example:80", SAME), (1, "kind"), ("a.example", "format"), ("http://", "format")),
        N: (("https://a.example", SAME), (1, "kind"), ("https:///x", "format"), None),
    }),
    "Hostname": (Hostname, {
        J: (("quay-1.example", SAME), (1, "kind"), ("quay_1", "format"), ("a" * 64, "format")),
        T: (("quay-1.example", SAME), (1, "kind"), ("-a", "format"), ("a" * 63, SAME)),
        N: (("quay-1.example", SAME), (1, "kind"), ("a..b", "format"), None),
    }),
    "Slug": (Slug, {
        J: (("marrow-isle", SAME), (1, "kind"), ("Marrow", "format"), ("a--b", "format")),
        T: (("a1", SAME), (1, "kind"), ("", "format"), None),
        N: (("a1", SAME), (1, "kind"), ("a-", "format"), None),
    }),
    "list[int]": (list[int], {
        J: (([1, 2.0], [1, 2]), ({}, "kind"), ([1, "x"], "kind"), ([], [])),
        T: ((["1", "2"], [1, 2]), ({}, "kind"), (["x"], "reading"), ("1", [1])),
        N: (([1], [1]), ({1}, "kind"), (["x"], "kind"), ([], [])),
    }),
    "set[int]": (set[int], {
        J: (([1, 2], {1, 2}), ("12", "kind"), ([1, 1.0], "repeat"), ([], set())),
        T: ((["1", "2"], {1, 2}), ({}, "kind"), (["1", "01"], "repeat"), ("1", {1})),
        N: (({1}, {1}), ([1], "kind"), ({"x"}, "kind"), (frozenset({1}), {1})),
    }),
    "frozenset[str]": (frozenset[str], {
        J: ((["a"], frozenset("a")), ("a", "kind"), (["a", "a"], "repeat"), ([], frozenset())),
        T: ((["a"], frozenset("a")), ({}, "kind"), (["a", "a"], "repeat"), ("a", frozenset("a"))),
        N: ((frozenset("a"), SAME), (["a"], "kind"), (frozenset({1}), "kind"), None),
    }),
    "tuple[int, str]": (tuple[int, str], {
        J: (([1, "a"], (1, "a")), ("1a", "kind"), ([1, 2], "kind"), ([1], "count")),
        T: ((["1", "a"], (1, "a")), ({}, "kind"), (["x", "a"], "reading"), (["1", "a", "b"], "count")),
        N: (((1, "a"), SAME), ({1}, "kind"), (("a", 1), None), ((1,), "count")),
    }),
    "tuple[int, ...]": (tuple[int, ...], {
        J: (([1, 2], (1, 2)), ({}, "kind"), (["x"], "kind"), ([], ())),
        T: ((["1"], (1,)), ({}, "kind"), (["x"], "reading"), ("1", (1,))),
        N: (((1, 2), SAME), ({1}, "kind"), (("x",), "kind"), ((), ())),
    }),
    "tuple[int, *tuple[str, ...]]": (tuple[int, *tuple[str, ...]], {
        J: (([1, "a", "b"], (1, "a", "b")), ("1a", "kind"), ([1, 2], "kind"), ([], "count")),
        T: ((["1", "a"], (1, "a")), ({}, "kind"), (["x", "a"], "reading"), ([], "count")),
        N: (((1, "a"), SAME), ({1}, "kind"), ((1, 2), "kind"), ((), "count")),
    }),
    "dict[str, int]": (dict[str, int], {
        J: (({"a": 1}, SAME), ([], "kind"), ({"a": "x"}, "kind"), ({}, {})),
        T: (({"a": "1"}, {"a": 1}), ("a", "kind"), ({"a": "x"}, "reading"), ({}, {})),
        N: (({"a": 1}, SAME), ([], "kind"), ({1: 1}, "kind"), ({}, {})),
    }),
    "dict[int, str]": (dict[int, str], {
        J: (({"1": "a"}, {1: "a"}), ([], "kind"), ({"x": "a"}, "reading"), ({"1": "a", "01": "b"}, "repeat")),
        T: (({"1": "a"}, {1: "a"}), ("1", "kind"), ({"1.0": "a"}, "reading"), ({}, {})),
        N: (({1: "a"}, SAME), ([], "kind"), ({"1": "a"}, "kind"), ({}, {})),
    }),
    "dict[UUID, Enum]": (dict[UUID, Port], {
        J: (({str(ID): "QLP"}, {ID: Port.QUILLPORT}), ([], "kind"), ({"x": "QLP"}, "reading"), ({str(ID): "x"}, "choice")),
        T: (({str(ID): "QLP"}, {ID: Port.QUILLPORT}), ([], "kind"), ({"x": "QLP"}, "reading"), ({}, {})),
        N: (({ID: Port.OSTREY}, SAME), ([], "kind"), ({"x": Port.OSTREY}, "kind"), ({}, {})),
    }),
    "TypedDict": (Tag, {
        J: (({"code": "a"}, SAME), ([], "kind"), ({"code": 1}, "kind"), ({"code": "a", "note": "b"}, SAME)),
        T: (({"code": "a"}, SAME), ("a", "kind"), ({}, "absent"), ({"code": ["a"]}, {"code": "a"})),
        N: (({"code": "a"}, SAME), ([], "kind"), ({"code": 1}, "kind"), None),
    }),
    "NamedTuple": (Span, {
        J: (({"first": 1}, Span(1)), ([1, 2], "kind"), ({"first": "x"}, "kind"), ({"first": 1, "last": 2}, Span(1, 2))),
        T: (({"first": "1"}, Span(1)), ("1", "kind"), ({"first": "x"}, "reading"), ({"first": "1", "last": ""}, Span(1))),
        N: ((Span(1, 2), SAME), ([1], "kind"), (Span("x"), "kind"), None),  # type: ignore[arg-type]
    }),
    "dataclass": (Crate, {
        J: (({"kind": "crate", "kg": 1}, Crate("crate", 1.0)), ("crate", "kind"), ({"kind": "crate"}, "absent"), ({"kind": "crate", "kg": 0}, "floor")),
        T: (({"kind": "crate", "kg": "1"}, Crate("crate", 1.0)), ("x", "kind"), ({"kind": "crate", "kg": "x"}, "reading"), None),
        N: ((Crate("crate", 1.0), SAME), (Pallet("pallet", 1), "kind"), (Crate("crate", -1.0), "floor"), None),
    }),
    "tagged union": (Crate | Pallet, {
        J: (({"kind": "pallet", "layers": 2}, Pallet("pallet", 2)), (7, "kind"), ({"kind": "barrel"}, "branch"), ({"layers": 2}, "absent")),
        T: (({"kind": "pallet", "layers": "2"}, Pallet("pallet", 2)), ("x", "kind"), ({"kind": "crate", "kg": "x"}, "reading"), None),
        N: ((Pallet("pallet", 2), SAME), (7, "branch"), (Crate("crate", -1.0), "floor"), None),
    }),
    "int | str": (int | str, {
        J: ((7, SAME), ([], "branch"), None, ("7", SAME)),
        T: (("7", 7), ({}, "branch"), None, ("seven", SAME)),
        N: (("7", SAME), (7.5, "branch"), None, (7, SAME)),
    }),
    "int | list[int]": (int | list[int], {
        J: ((7, SAME), ("7", "branch"), ([1, "x"], "kind"), ([7], [7])),
        T: (("7", 7), ({}, "branch"), (["1", "x"], "reading"), (["1", "2"], [1, 2])),
        N: ((7, SAME), ("7", "branch"), (["x"], "kind"), ([7], [7])),
    }),
    "Tree = list[\"Tree\"] | int": (Tree, {
        J: (([1, [2.0]], [1, [2]]), ("x", "branch"), ([["x"]], "branch"), ([], [])),
        T: ((["1", ["2"]], [1, [2]]), ({}, "branch"), ("x", "reading"), ("1", 1)),
        N: (([1, [2]], SAME), ("x", "branch"), ([[2.0]], "branch"), ([], SAME)),
    }),
    "int | None": (int | None, {
        J: ((7, SAME), ("7", "kind"), None, (None, None)),
        T: (("7", 7), (7, "kind"), ("x", "reading"), ("", None)),
        N: ((7, SAME), ("7", "kind"), None, (None, None)),
    }),
    "None": (None, {
        J: ((None, None), (0, "kind"), None, ("", "kind")),
        T: (("", None), (0, "kind"), ("x", "kind"), (" ", None)),
        N: ((None, None), (0, "kind"), None, None),
    }),
    "Never": (Never, {
        J: (None, (1, "kind"), None, ({}, "kind")),
        T: (None, ("1", "kind"), None, ("", "kind")),
        N: (None, (1, "kind"), None, ((), "kind")),
    }),
    "Any": (Any, {
        J: (({"a": [1, None]}, SAME), (object(), "kind"), ([math.nan], "reading"), ("\ud800", "reading")),
        T: (("a", SAME), (object(), "kind"), (["\ud800"], "reading"), (["a", "b"], SAME)),
        N: ((SAME, SAME), None, None, None),
    }),
}  # fmt: skip
NULL_IS_FINE = {"int | None", "None", "Any"}


def rows() -> Iterator[tuple[str, Source, str, Any, Any]]:
    for name, (_, by_source) in TABLE.items():
        for source, cells in by_source.items():
            for case, cell in zip(CASES, cells, strict=True):
                if (cell is not None and cell[1] is not None) or (cell is not None and name in NULL_IS_FINE):
                    yield name, source, case, cell[0], cell[1]


def test_the_table_is_whole() -> None:
    for name, (_, by_source) in TABLE.items():
        assert {*by_source, Source.MIXED} == set(Source), name


@pytest.mark.parametrize("name", list(TABLE))
def test_half_typed_data_is_read_from_whatever_form_it_has(name: str) -> None:
    """As JSON has it, as it is where it has its type already, and as text where it is marked as such."""
    declared, by_source = TABLE[name]
    mixed: Gate[Any] = Gate(declared, Source.MIXED)
    for came, _ in filter(None, by_source[J]):
        assert _result(mixed, came) == _result(Gate(declared), came), came
    for came, becomes in filter(None, by_source[N]):
        typed = type(came).__module__ in ("datetime", "uuid", "decimal", "ipaddress", "pathlib", "zoneinfo")
        if becomes is SAME and (typed or isinstance(came, Enum)):
            assert mixed.admit(came) == came
    if not isinstance(by_source[T][0][0] if by_source[T][0] else None, str):
        return
    for came, _ in filter(None, by_source[T]):
        text: Gate[Any] = Gate(declared, Source.TEXT)
        if isinstance(came, str) and came.strip() and not isinstance(text.examine(came).entered(), list):
            result = _result(mixed, FromText(came))
            assert result == _result(text, came) or name.startswith(("list", "set", "tuple", "frozenset")), came


def _result(gate: Gate[Any], came: Any) -> Any:
    verdict = gate.examine(came)
    return (verdict.value, type(verdict.value)) if verdict else [(fault.path, fault.code) for fault in verdict.faults]


@pytest.mark.parametrize(("name", "source", "case", "came", "becomes"), list(rows()))
def test_cell(name: str, source: Source, case: str, came: Any, becomes: Any) -> None:
    gate: Gate[Any] = Gate(TABLE[name][0], source)
    verdict = gate.examine(came)
    if isinstance(becomes, str) and becomes in CODES:
        assert [fault.code for fault in verdict.faults] == [becomes], verdict.faults
        assert not gate.accepts(came)
        return
    wanted = came if becomes is SAME else becomes
    assert verdict, verdict.faults
    assert (verdict.value, type(verdict.value)) == (wanted, type(wanted))
    assert gate.accepts(came)
    # What came in goes out, and comes in again the same.
    plain = Gate(TABLE[name][0]).release(verdict.value) if source is Source.JSON else None
    if source is Source.JSON:
        again = gate.admit(plain)
        assert (again, type(again)) == (wanted, type(wanted))
        assert gate.admit_json(gate.release_json(verdict.value)) == wanted


@pytest.mark.parametrize("source", list(Source))
@pytest.mark.parametrize("name", list(TABLE))
def test_null_and_absent(name: str, source: Source) -> None:
    declared = TABLE[name][0]
    record = make_dataclass("Holder", [("held", declared)])
    gate: Gate[Any] = Gate(record, source)
    assert [(fault.pointer, fault.code) for fault in gate.examine({}).faults] == [("/held", "absent")]
    verdict = gate.examine({"held": None})
    if name in NULL_IS_FINE:
        assert verdict.value.held is None
    elif source is Source.TEXT:
        assert [str(fault) for fault in verdict.faults] == ["/held: needs a value; the row ends before it"]
    else:
        assert [fault.pointer for fault in verdict.faults] == ["/held"]
        assert verdict.faults[0].code in ("kind", "choice", "branch")
        assert "null" in verdict.faults[0].message


def _told(value: Any) -> str:
    if value is SAME:
        return "itself"
    text = ascii(value) if isinstance(value, str) else repr(value)
    for long, short in (("datetime.timezone.utc", "UTC"), ("datetime.", ""), ("zoneinfo.", "")):
        text = text.replace(long, short)
    text = re.sub(r"(?<!Pure)PosixPath", "Path", text)
    text = text if len(text) < 60 else text[:56] + "…"
    return f"`{text}`".replace("|", "\\|")


def page() -> str:
    """The table as a page of the docs."""
    lines = [
        "# Every type, case by case",
        "",
        "Made from the table in `tests/test_types.py`, which runs it: `python tests/test_types.py` makes it anew.",
        "Each cell is what comes, and what becomes of it: a value, or the code of the fault in bold. For every type,",
        "a field that is absent is **absent**, and null is refused unless the type says `None`.",
        "",
        "| type | from | " + " | ".join(CASES) + " |",
        "|---|---|" + "---|" * len(CASES),
    ]
    for name, (_, by_source) in TABLE.items():
        for source, cells in by_source.items():
            told = []
            for cell in cells:
                if cell is None or type(cell[0]) is object:
                    told.append("")
                    continue
                came, becomes = cell
                is_code = isinstance(becomes, str) and becomes in CODES
                told.append(f"{_told(came)} → " + (f"**{becomes}**" if is_code else _told(becomes)))
            label = name.replace("|", "\\|")
            lines.append(f"| {label} | {source.name} | " + " | ".join(told) + " |")
    return "\n".join(lines) + "\n"


PAGE = Path(__file__).parent.parent / "docs" / "types.md"


def test_the_page_is_made_from_the_table() -> None:
    assert PAGE.read_text() == page(), "make it anew: python tests/test_types.py"


MARKED: list[tuple[Any, ...]] = [
    (),
    (lenient,),
    (blank_is_none,),
    (byte_size,),
    (time_span,),
    (lenient, byte_size),
    (blank_is_none, time_span),
]


@pytest.mark.parametrize("kind", [held for held, _ in TABLE.values() if isinstance(held, type)])
def test_what_cannot_be_read_is_no_value_from_any_source_and_beside_any_mark(kind: Any) -> None:
    made = 0
    for marks in MARKED:
        for source in (Source.JSON, Source.TEXT, Source.MIXED):
            declared = Optional[kind] if blank_is_none in marks else kind  # noqa: UP045  known at run time
            try:
                record = make_dataclass("Holder", [("held", Annotated[(declared, *marks)] if marks else declared)])
                gates = [Gate(record, source), Gate(record, source, native=False)]
            except DeclarationError:
                continue
            made += 1
            for text in ("zz", "\0", "90x", "", "9" * 30, "-", "é", "1.5"):
                for gate in gates:
                    for verdict in (gate.examine({"held": text}), gate.examine({"held": FromText(text)})):
                        held = verdict.value.held if verdict else None
                        assert held is None or not isinstance(held, Stop), (marks, source, text)
                        assert (
                            not isinstance(kind, type)
                            or kind in (object, Any)
                            or held is None
                            or isinstance(held, kind)
                        )
    assert made


if __name__ == "__main__":
    PAGE.write_text(page())
