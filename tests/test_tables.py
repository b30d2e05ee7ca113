"""Tables by column: the verdicts of row by row, whatever the declaration, the column types and the library."""

# Rooms: tables, files, report, cli

from __future__ import annotations

import importlib.util
import itertools
import json
import math
import os
import re
import signal
import sys
import warnings
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, make_dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum
from pathlib import Path
from random import Random
from typing import Annotated, Any, Literal
from uuid import UUID

import numpy as np
import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

pd = pytest.importorskip("pandas", reason="the extra tables is not installed")
pa = pytest.importorskip("pyarrow", reason="the extra tables is not installed")


import pyarrow.parquet as pq  # noqa: E402

from any_table import TableMaker, any_record  # noqa: E402
from dutiful_gate import (  # noqa: E402
    DeclarationError,
    Gate,
    Source,
    blank_is_none,
    holds,
    it,
    lenient,
    lowered,
    named,
    obeys,
    obeys_document,
    or_infinite,
    otherwise,
    rest,
    rounded_to,
    secret,
    split_on,
    then,
    this,
    trimmed,
    uppered,
    via,
    when,
    written_as,
)
from dutiful_gate.cli.app import dutiful  # noqa: E402
from dutiful_gate.files import digest_of_file, examine_file  # noqa: E402
from dutiful_gate.report.digest import Digest  # noqa: E402
from dutiful_gate.tables import (  # noqa: E402
    BrokenOff,
    CannotStart,
    DoesNotFit,
    arrow_schema,
    empty_table,
    examine_parquet,
    examine_parts,
    examine_table,
    pandas_dtypes,
    plot_shares,
    plot_values,
    sql_columns,
)
from dutiful_gate.tables.column_names import wire_names  # noqa: E402
from dutiful_gate.tables.examine import PIECE, TableReader  # noqa: E402
from dutiful_gate.tables.frames import table_of  # noqa: E402
from dutiful_gate.tables.verdicts import RefusedRow  # noqa: E402
from shapes_of_parts import Crossing  # noqa: E402
from test_states import Liar, NoHash, NoItems, NoLength, NotEqual  # noqa: E402

ROWS = int(os.environ.get("TABLE_ROWS", "10"))


def row_by_row(gate: Gate[Any], table: Any) -> tuple[TableReader, list[str], list[Any]]:
    """The verdicts of all rows, each as a record of its own."""
    reader = TableReader(gate)
    held = table_of(table, reader.nan_is_value)
    return reader, held.names, [v for count, piece in held.pieces(PIECE) for v in reader.verdicts(piece, count)]


def same(one: Any, other: Any) -> bool:
    """Whether two values are equal, NaN to itself too."""
    if isinstance(one, list | tuple) and isinstance(other, list | tuple):
        return len(one) == len(other) and all(map(same, one, other))
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(same(one[key], other[key]) for key in one)
    return bool(one == other or (one != one and other != other))


@pytest.mark.parametrize("kind", ["arrow", "pandas"])
@settings(max_examples=int(os.environ.get("TABLES", "60")))
@given(seed=st.integers(0, 10**6))
def test_columns_say_what_rows_say(seed: int, kind: str) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        gate = any_record(seed)
        if gate is None:
            return
        table = getattr(TableMaker(gate, seed), kind)(ROWS)
        names = list(table.column_names if kind == "arrow" else table.columns)
        if max(Counter(names).values(), default=0) > 1:
            return
        reader, names, verdicts = row_by_row(gate, table)
        found = examine_table(gate, table)
    assert np.asarray(found.mask).tolist() == list(map(bool, verdicts))
    told = [(at, fault.pointer, fault.code, fault.message) for at, each in enumerate(verdicts) for fault in each.faults]
    listed = found.faults_arrow().to_pylist()
    assert [(each["row"], each["pointer"], each["code"], each["message"]) for each in listed] == told
    digest = Digest()
    digest.admitted = sum(map(bool, verdicts))
    for at, each in enumerate(verdicts):
        if not each:
            digest.add(RefusedRow(at + 1, each))
    assert found.digest.as_dict() == digest.as_dict()
    places = reader._places(names)
    plain = [reader._plain(each.value, places, at) for at, each in enumerate(verdicts) if each]
    if any(isinstance(each, DoesNotFit) for each in plain):
        with pytest.raises(DoesNotFit):
            _ = found.admitted
        return
    wanted = pa.Table.from_pylist(plain, reader.schema(names)) if plain else reader.schema(names).empty_table()
    assert same(found.admitted_arrow().to_pylist(), wanted.to_pylist())
    assert len(found.admitted) == len(plain)


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = "OST"


@dataclass
class Berth:
    number: Annotated[int, it >= 1]
    length_m: float = 40.0


@dataclass
@obeys(this.arrives > this.departs, when(this.hazard == "gas").needs("note"))
class Line:
    port: Port
    departs: datetime
    arrives: datetime
    weight_kg: Annotated[float, named("weightKg"), it > 0, it <= 26_000]
    berth: Berth
    code: Annotated[str, trimmed, uppered, it.length == 3] = "QLP"
    price: Annotated[Decimal, it.multiple_of(Decimal("0.01"))] = Decimal("1.00")
    hazard: Literal["none", "gas"] = "none"
    day: date | None = None
    note: str | None = None
    tags: list[str] | None = None


LINES = Gate(Line)
NOON = datetime(2026, 5, 4, 12, tzinfo=UTC)


def lines(**columns: Any) -> dict[str, Any]:
    rows = len(next(iter(columns.values()))) if columns else 2
    usual: dict[str, Any] = {
        "port": ["QLP"] * rows,
        "departs": [NOON] * rows,
        "arrives": [NOON + timedelta(hours=2)] * rows,
        "weightKg": [1.5] * rows,
        "berth": [{"number": 1}] * rows,
    }
    return {**usual, **columns}


def told(found: Any) -> list[str]:
    return [f"{each['row']}{each['pointer']}:{each['code']}" for each in found.faults_arrow().to_pylist()]


NAN = math.nan


@pytest.mark.parametrize(
    ("columns", "faults"),
    [
        (lines(), []),
        (lines(port=["QLP", "FNK"]), ["1/port:choice"]),
        (lines(weightKg=[0.0, 26_001]), ["0/weightKg:floor", "1/weightKg:ceiling"]),
        (lines(weightKg=[NAN, 1]), ["0/weightKg:absent"]),
        (lines(weightKg=["1", 2]), ["0/weightKg:kind"]),
        (lines(weightKg=[True, 2]), ["0/weightKg:kind"]),
        (lines(code=[" qlp", None]), []),
        (lines(code=["qlpx", "ß1"]), ["0/code:length"]),
        (lines(price=[Decimal("1.005"), 2]), ["0/price:step"]),
        (lines(day=[pd.Timestamp("2026-05-04"), pd.NaT]), []),
        (lines(day=[pd.Timestamp("2026-05-04 09:00"), None]), ["0/day:kind"]),
        (lines(arrives=[NOON, NOON + timedelta(1)]), ["0/arrives:agreement"]),
        (lines(hazard=["gas", "gas"], note=[None, "x"]), ["0/note:agreement"]),
        (lines(berth=[{"number": 0}, None]), ["0/berth/number:floor", "1/berth:absent"]),
        (lines(tags=[["a", None], None]), ["0/tags/1:kind"]),
        ({**lines(), "departs": [NOON.replace(tzinfo=None)] * 2}, ["0/departs:reading", "1/departs:reading"]),
    ],
)
@pytest.mark.parametrize("form", ["pandas", "objects", "arrow", "polars"])
def test_tables_of_every_library(columns: dict[str, Any], faults: list[str], form: str) -> None:
    if form == "objects":
        table: Any = pd.DataFrame({name: pd.Series(held, dtype=object) for name, held in columns.items()})
    else:
        table = pd.DataFrame(columns)
        if form != "pandas":
            try:
                table = pa.Table.from_pandas(table, preserve_index=False)
            except (pa.ArrowInvalid, pa.ArrowTypeError):
                return  # no library with types holds such a column
        if form == "polars":
            table = pytest.importorskip("polars").from_arrow(table)
    found = examine_table(LINES, table)
    assert told(found) == faults
    assert (bool(found), found.refused) == (not faults, len({each.partition("/")[0] for each in faults}))
    assert type(found.admitted) is type(table)
    assert type(found.faults) is type(table)
    again = examine_table(LINES, found.admitted)
    assert again
    assert len(again) == len(table) - found.refused


def test_columns_under_other_names_and_nested_by_points() -> None:
    flat = pa.table({
        "port": ["OST", "OST", "OST"],
        "departs": [NOON] * 3,
        "arrives": [NOON + timedelta(1)] * 3,
        "weight_kg": [5, 6, -1],
        "berth.number": [3, None, 4],
        "berth.length_m": [9.5, None, None],
        "nobody": [1, 2, 3],
    })  # fmt: skip
    found = examine_table(LINES, flat)
    assert told(found) == ["1/berth/number:absent", "2/weightKg:floor"]
    assert found.faults_arrow().column("column").to_pylist() == ["berth", "weight_kg"]
    assert found.dropped == ("nobody",)
    assert found.admitted.to_pylist()[0]["berth"] == {"number": 3, "length_m": 9.5}
    strict = examine_table(Gate(Line, unknown="refuse"), flat)
    assert strict.refused == 3
    assert Counter(strict.faults_arrow().column("code").to_pylist())["unknown"] == 3


@dataclass
class Reading:
    height: float
    raw: Annotated[float, or_infinite]
    gauge: float | None = None
    last: float = 1.5


def test_nan_and_nothing_are_told_apart_as_declared() -> None:
    gate = Gate(Reading)
    numpy = pd.DataFrame({"height": [1.0, NAN], "raw": [NAN, 1], "gauge": [NAN, 2], "last": [NAN, 3]})
    found = examine_table(gate, numpy)
    assert told(found) == ["1/height:absent"]
    kept = {name: found.admitted[name].iloc[0] for name in found.admitted}
    assert (math.isnan(kept["raw"]), kept["gauge"] is pd.NA, kept["last"]) == (True, True, 1.5)
    nullable = pd.DataFrame({name: pd.array([1.0, None], dtype="Float64") for name in ("height", "raw")})
    assert told(examine_table(gate, nullable)) == ["1/height:absent", "1/raw:absent"]
    arrow = pa.table({"height": [NAN, None], "raw": [NAN, NAN], "gauge": [NAN, None]})
    assert told(examine_table(gate, arrow)) == ["0/height:reading", "0/gauge:reading", "1/height:absent"]


def test_text_cells_are_read_as_those_of_csv_where_the_gate_reads_text() -> None:
    table = pd.DataFrame({"number": [" 3", "1_0", "x", None], "length_m": ["1.5", "2", "", "2"]})
    assert told(examine_table(Gate(Berth, Source.TEXT), table)) == [
        "1/number:reading",
        "2/number:reading",
        "3/number:absent",
    ]
    assert told(examine_table(Gate(Berth), table.head(1))) == ["0/number:kind", "0/length_m:kind"]


@dataclass
class Hidden:
    pin: Annotated[int, secret, it < 5]
    word: Annotated[str, secret, holds(lambda text: text != "marram")]
    large: Annotated[int, secret] = 1


def test_no_secret_is_shown() -> None:
    table = pd.DataFrame({"pin": [987654321, 2], "word": ["samphire", "marram"], "large": [1, 2]})
    found = examine_table(Gate(Hidden), table)
    shown = f"{found.faults.to_string()}{found.digest.as_markdown()}{json.dumps(found.digest.as_dict())}{found!r}"
    assert told(found) == ["0/pin:ceiling", "1/word:check"]
    assert not any(word in shown for word in ("987654321", "samphire", "marram"))
    with pytest.raises(PermissionError):
        plot_values(Gate(Hidden), table, "pin")
    with pytest.raises(DoesNotFit) as error:
        _ = examine_table(Gate(Hidden), pd.DataFrame({"pin": [1], "word": ["x"], "large": [2**70]})).admitted
    assert str(2**70) not in str(error.value)
    assert "row 0, large" in str(error.value)


def test_decimals_with_more_digits_than_their_column_fit_nowhere() -> None:
    gate = Gate(make_dataclass("Fee", [("fee", Annotated[Decimal, it.multiple_of(Decimal("0.01"))])]))
    assert str(arrow_schema(gate).field("fee").type) == "decimal128(38, 2)"
    for digits, holds_them in ((36, True), (37, False)):
        found = examine_table(gate, pa.table({"fee": [Decimal("9" * digits)]}))
        assert np.asarray(found.mask).all()
        if holds_them:
            assert found.admitted_arrow().to_pylist() == [{"fee": Decimal("9" * digits)}]
        else:
            with pytest.raises(DoesNotFit, match="more than the 38 digits"):
                found.admitted_arrow()


@dataclass
class Gathering:
    number: int
    others: Annotated[dict[str, int], rest]


@dataclass
class Excusing:
    number: Annotated[int, otherwise(7)]


@dataclass
class Made:
    number: int

    def __post_init__(self) -> None:
        if self.number == 13:
            raise ValueError("no thirteenth berth")


@pytest.mark.parametrize(
    ("kind", "columns"),
    [
        (Annotated[str, then(int)], {"a": ["10", "9"], "b": ["9", "10"]}), (Annotated[int, lenient], {"a": ["10", "9"], "b": ["9", "10"]}),
        (datetime, {"a": ["2026-05-04T10:00:00+02:00", "2026-05-04T10:00:00Z"], "b": ["2026-05-04T09:00:00Z", "2026-05-04T11:00:00+02:00"]}),
        (Annotated[date, written_as("%d.%m.%Y")], {"a": ["10.01.2026", "09.02.2026"], "b": ["09.02.2026", "10.01.2026"]}),
    ],
)  # fmt: skip
def test_rules_between_columns_of_text_ask_what_the_text_stands_for(kind: Any, columns: dict[str, list[str]]) -> None:
    gate = Gate(obeys(this.b > this.a)(make_dataclass("Run", [("a", kind), ("b", kind)])))
    rows = [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]
    wanted = [gate.accepts(row) for row in rows]
    assert sorted(wanted) == [False, True]
    for text in (pa.string(), pa.large_string(), pa.dictionary(pa.int32(), pa.string())):
        table = pa.table({name: pa.array(values, text) for name, values in columns.items()})
        assert np.asarray(examine_table(gate, table).mask).tolist() == wanted


@pytest.mark.skipif(not hasattr(pa, "decimal32"), reason="this pyarrow has no decimals of few bits")
@pytest.mark.parametrize("make", ["decimal32", "decimal64", "decimal128", "decimal256"])
def test_decimals_of_any_width_are_read_alike(make: str) -> None:
    column = pa.array([Decimal("1.50"), None, Decimal("9.99"), Decimal("-3.00")], getattr(pa, make)(5, 2))
    gate = Gate(
        make_dataclass(
            "Fee",
            [
                (
                    "fee",
                    Annotated[Decimal | None, it < Decimal("9.5"), it > Decimal("-3"), it.multiple_of(Decimal("0.01"))],
                )
            ],
        )
    )
    found = examine_table(gate, pa.table({"fee": column}))
    assert np.asarray(found.mask).tolist() == [True, True, False, False]
    assert found.admitted_arrow().to_pylist() == [{"fee": Decimal("1.50")}, {"fee": None}]


@pytest.mark.parametrize("text", ["", " ", "7"])
def test_blanks_in_columns_stand_for_nothing_where_the_field_says_so(text: str) -> None:
    gate = Gate(make_dataclass("Berth", [("note", Annotated[str | None, blank_is_none, it.length < 2])]))
    for kind in (pa.string(), pa.large_string()):
        found = examine_table(gate, pa.table({"note": pa.array([text, "long"], kind)}))
        assert np.asarray(found.mask).tolist() == [True, False]
        assert found.admitted_arrow().to_pylist() == [{"note": gate.admit({"note": text}).note}]


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        (Annotated[str, obeys_document({"minLength": 3})], ["ab", "abc"]), (Annotated[str | None, obeys_document({"minLength": 3})], ["ab", "abc", None]), (Annotated[int, via(str, it.matches("[0-9]+"))], ["x", "1"]),
        (Annotated[list[int], split_on(",")], ["1,x", "1,2"]), (Annotated[float, it != 3], [3.0, 4.0]), (Annotated[float, it.one_of(3, 5)], [4.0, 3.0]), (Literal[3, 5], [4.0, 3.0]),
    ],
)  # fmt: skip
def test_what_stands_beside_a_column_is_asked_of_each_cell(kind: Any, values: list[Any]) -> None:
    gate = Gate(make_dataclass("Run", [("held", kind)]))
    wanted = [gate.accepts({"held": value}) for value in values]
    assert wanted == [False, *[True] * (len(values) - 1)]
    assert np.asarray(examine_table(gate, pa.table({"held": values})).mask).tolist() == wanted


def test_records_that_columns_alone_do_not_settle() -> None:
    found = examine_table(Gate(Gathering), pa.table({"number": [1, 2], "a": [3, 4], "b": ["x", None]}))
    assert told(found) == ["0/b:kind", "1/b:kind"]
    kept = examine_table(Gate(Gathering), pa.table({"number": [1], "a": [3]})).admitted
    assert kept.to_pylist() == [{"number": 1, "a": 3}]
    fallbacks = examine_table(Gate(Excusing), pa.table({"number": [1.0, 2.5, 3.0]}))
    assert fallbacks.admitted.column("number").to_pylist() == [1, 7, 3]
    assert [(row, fault.code) for row, fault in fallbacks.fallbacks] == [(1, "kind")]
    assert told(examine_table(Gate(Made), pa.table({"number": [13, 1]}))) == ["0:check"]
    document = examine_table(
        Gate.from_schema({"properties": {"number": {"minimum": 2}, "day": {"type": "string"}}}),
        pa.table({"number": [1, 2], "day": [date(2026, 5, 4)] * 2}),
    )
    assert told(document) == ["0/number:floor"]
    assert document.admitted.num_rows == 1


@pytest.mark.parametrize("table", [
    pd.DataFrame([[1, 2]]), pd.DataFrame([[1, 2]], columns=["number", "number"]), pd.Series([1]), pd.Index([1]), [{"number": 1}],
    {"number": [1]}, pd.DataFrame([[1]], columns=pd.MultiIndex.from_tuples([("number", 1)])),
])  # fmt: skip
def test_what_is_no_table_is_told(table: Any) -> None:
    if "polars" in sys.modules or importlib.util.find_spec("polars") is not None:
        polars = importlib.import_module("polars")
        for held, words in ((polars.DataFrame({"number": [1]}).lazy(), "collect"), (polars.Series([1]), "no table")):
            with pytest.raises(CannotStart, match=words):
                examine_table(Gate(Berth), held)
    with pytest.raises(CannotStart, match=r"rename|no table"):
        examine_table(Gate(Berth), table)
    with pytest.raises(DeclarationError, match="reads none"):
        examine_table(Gate(list[int]), pa.table({"number": [1]}))


@pytest.mark.parametrize("column", [
    pd.period_range("2026", periods=2, freq="M"), pd.interval_range(0, 2), np.array([1j, 2]), [object(), object()],
    pd.to_timedelta([1, 2], unit="s"), np.array(["\ud800", "x"], dtype=object), [[1], {"a": 1}], [time(9), b"x"],
    pd.array([True, None], dtype="boolean"), np.array(["2026-05", "NaT"], dtype="datetime64[s]"),
])  # fmt: skip
def test_odd_columns_are_refused_and_raise_nothing(column: Any) -> None:
    whole = isinstance(column, np.ndarray) and column.dtype == object
    frame = pd.DataFrame({"number": pd.Series(column, dtype=object if whole else None)})
    found = examine_table(Gate(Berth), frame)
    assert (found.refused, len(found.admitted), len(found.faults)) == (2, 0, 2)


class NoAttribute:
    def __getattr__(self, name: str) -> Any:
        raise OSError("not told")


LIARS = [
    Liar(),
    NoLength([1]),
    NoHash("x"),
    NotEqual(3),
    NoItems(a=1),
    NoAttribute(),
    10**400,
    {1: 2},
    memoryview(b"x"),
]


@pytest.mark.parametrize("source", [Source.JSON, Source.TEXT, Source.NATIVE])
@pytest.mark.parametrize("kind", [int, str, list[str], dict[str, int], date, Any])
def test_objects_that_lie_raise_nothing(kind: Any, source: Source) -> None:
    gate = Gate(make_dataclass("Held", [("held", kind | None)]), source)
    frame = pd.DataFrame({"held": pd.Series([*LIARS, None], dtype=object)})
    found = examine_table(gate, frame)
    assert (len(found), found.mask.iloc[-1]) == (len(LIARS) + 1, True)
    assert len(found.faults) >= found.refused
    document = examine_table(Gate.from_schema({"properties": {"held": {"type": "string"}}}), frame)
    assert document.refused


@pytest.mark.parametrize("zone", ["Nowhere/None", "+99:00", "../etc/passwd"])
def test_a_zone_that_nobody_knows_is_told(zone: str) -> None:
    with pytest.raises(CannotStart, match="time zone"):
        examine_table(LINES, pa.table({"departs": pa.array([1], pa.timestamp("s", zone))}))


def test_rows_keep_their_labels_and_pieces_join(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dutiful_gate.tables.examine.PIECE", 7)
    frame = pd.DataFrame({"number": [*range(-2, 30)]}, index=[f"row {at}" for at in range(32)])
    done: list[tuple[int, int]] = []
    found = examine_table(Gate(Berth), frame, told=lambda so_far, of: done.append((so_far, of)))
    assert list(found.admitted.index[:2]) == ["row 3", "row 4"]
    assert list(found.faults.index) == ["row 0", "row 1", "row 2"]
    assert found.mask["row 3"]
    assert not found.mask["row 2"]
    assert done[-1] == (32, 32)
    assert len(done) == 5


# What a declaration gives


@dataclass
class Everything:
    id: UUID
    at: time
    long: timedelta
    whole: Annotated[int, it.between(0, 9)]
    big: int
    number: float
    hundreds: Annotated[Decimal, rounded_to(-2), it.between(0, 99_900)]
    exact: Annotated[Decimal, it.multiple_of(Decimal("0.01")), it.between(Decimal(0), Decimal(999))]
    free: Decimal
    truth: bool
    day: date
    moment: datetime
    text: Annotated[str, it.length <= 40]
    choice: Literal["a", "bcd"]
    inside: Berth
    several: list[int]
    keyed: dict[str, float]
    either: int | str
    maybe: int | None = None


def test_a_declaration_gives_types_for_arrow_pandas_and_sql() -> None:
    gate = Gate(Everything)
    schema = {field.name: str(field.type) for field in arrow_schema(gate)}
    assert schema == {
        "id": "string", "at": "string", "long": "string", "whole": "int64", "big": "int64", "number": "double",
        "hundreds": "decimal128(5, 0)", "exact": "decimal128(5, 2)", "free": "string", "truth": "bool", "day": "date32[day]",
        "moment": "timestamp[us, tz=UTC]", "text": "string", "choice": "string",
        "inside": "struct<number: int64, length_m: double>", "several": "list<item: int64>",
        "keyed": "map<string, double>", "either": "string", "maybe": "int64",
    }  # fmt: skip
    dtypes = {name: str(dtype) for name, dtype in pandas_dtypes(gate).items()}
    assert [dtypes[name] for name in ("whole", "maybe", "truth", "moment", "choice", "day")] == [
        "int64", "Int64", "bool", "datetime64[us, UTC]", "category", "date32[day][pyarrow]"
    ]  # fmt: skip
    pytest.importorskip("sqlalchemy", reason="the extra storage is not installed")
    columns = {column.name: (str(column.type), column.nullable) for column in sql_columns(gate)}
    assert columns["whole"] == ("INTEGER", False)
    assert columns["big"] == ("BIGINT", False)
    assert columns["exact"] == ("NUMERIC(5, 2)", False)
    assert columns["text"] == ("VARCHAR(40)", False)
    assert (columns["choice"] == ("VARCHAR(3)", False) and columns["maybe"] == ("INTEGER", True)) or columns["maybe"][1]
    for form in ("arrow", "pandas"):
        assert examine_table(gate, empty_table(gate, form)).rows == 0
    with pytest.raises(ValueError, match="no kind of table"):
        empty_table(gate, "sheet")


def test_plots_show_shares_and_bounds() -> None:
    pytest.importorskip("matplotlib", reason="the extra tables is not installed")
    frame = pd.DataFrame({"number": [0, -5, 2, 3, "x"], "length_m": [1.0, 2, 3, 4, 5]})
    axes = plot_shares(examine_table(Gate(Berth), frame))
    assert [text.get_text() for text in axes.get_yticklabels()] == ["number"]
    assert axes.get_title(loc="left") == "3 of 5 rows refused"
    values = plot_values(Gate(Berth), pd.DataFrame({"number": [0, -5, 2, 3]}), "number")
    assert values.get_xlabel() == "4 values, 2 of them past the bounds"
    for rules, past in (((it > 0, it < 3), 3), ((it >= 0, it <= 3), 1)):
        record = make_dataclass("Berth", [("number", Annotated[int, *rules])])
        axes = plot_values(Gate(record), pd.DataFrame({"number": [0, -5, 2, 3]}), "number")
        assert axes.get_xlabel().startswith(f"4 values, {past} of them past the bounds")
        assert all(patch.get_fill() for patch in axes.patches)
    with pytest.raises(KeyError):
        plot_values(Gate(Berth), frame, "nobody")
    with pytest.raises(ValueError, match="no numbers"):
        plot_values(LINES, pd.DataFrame(lines()), "port")


# Files, and parts


def crossings(rows: int, seed: int = 0) -> Any:
    random = Random(seed)
    departs = [NOON + timedelta(minutes=random.randint(0, 9999)) for _ in range(rows)]
    return pd.DataFrame({
        "ship": [random.choice(["TSA", " TSB", "tsc", None, "TSD"]) for _ in range(rows)],
        "departs": departs,
        "arrives": [each + timedelta(hours=random.choice([-1, 2, 3])) for each in departs],
        "crates": [random.randint(-3, 60) for _ in range(rows)],
    })  # fmt: skip


@given(seed=st.integers(0, 10**6))
@settings(max_examples=15)
def test_digests_of_parts_merge_in_any_order_to_that_of_the_whole(seed: int) -> None:
    random = Random(seed)
    frame, gate = crossings(random.randint(1, 900), seed), Gate(Crossing)
    whole = examine_table(gate, frame)
    ends = sorted({0, len(frame), *(random.randint(0, len(frame)) for _ in range(4))})
    known, unknown = [], []
    for begin, end in itertools.pairwise(ends):
        part = frame.iloc[begin:end]
        known.append(examine_table(gate, part, first=begin + 1).digest)
        reader, held = TableReader(gate, unplaced=True), table_of(part)
        digest = Digest(unplaced=True)
        for batch in reader.examined(held.pieces(random.choice([5, 1000])), held.names, 1):
            digest.merge(batch.digest)
        unknown.append(digest.placed(begin + 1))
    for parts in (known, unknown):
        random.shuffle(parts)
        merged = Digest()
        for each in parts:
            merged.merge(each)
        assert merged.as_dict() == whole.digest.as_dict()


def test_parquet_is_checked_by_column_and_row_alike(tmp_path: Path) -> None:
    path, gate = tmp_path / "crossings.parquet", Gate(Crossing)
    frame = crossings(300)
    frame.to_parquet(path)
    whole = examine_table(gate, frame)
    found = examine_parquet(gate, path, admitted=tmp_path / "sound.parquet", faults=tmp_path / "wrong.parquet")
    assert found.digest.as_dict() == whole.digest.as_dict()
    assert (found.rows, found.refused) == (300, whole.refused)
    assert pq.read_table(tmp_path / "sound.parquet").equals(whole.admitted_arrow())
    assert pq.read_table(tmp_path / "wrong.parquet").num_rows == len(whole.faults)
    by_row = [bool(item) for item in examine_file(gate, path)]
    assert by_row == np.asarray(whole.mask).tolist()
    assert digest_of_file(gate, path).rows == 300
    run = CliRunner().invoke
    against = ["--against", "shapes_of_parts:Crossing"]
    shown = run(dutiful, ["check", str(path), *against, "--format", "json"])
    assert (shown.exit_code, json.loads(shown.stdout)["refused"]) == (1, whole.refused)
    alone = run(dutiful, ["check", str(path), *against, "--every", "--most", "1"]).output
    assert alone.count("crossings.parquet:record ") == 1
    listed = run(dutiful, ["check", str(path), *against, "--every", "--most", "3"])
    assert f"crossings.parquet:record {1 + int(np.flatnonzero(~whole.mask)[0])}" in listed.output
    split = ["--admitted", str(tmp_path / "out.parquet"), "--refused", str(tmp_path / "bad.ndjson")]
    assert run(dutiful, ["check", str(path), *against, *split]).exit_code == 1
    assert pq.read_table(tmp_path / "out.parquet").equals(whole.admitted_arrow())
    assert len((tmp_path / "bad.ndjson").read_text().splitlines()) == whole.refused
    refused = run(dutiful, ["check", str(path), *against, "--refused", str(tmp_path / "bad.csv")])
    assert (refused.exit_code, "end it in .ndjson" in refused.output) == (2, True)


def _damaged(raw: bytes) -> Iterator[bytes]:
    random = Random(5)
    for _ in range(60):
        spoilt = bytearray(raw)
        for _ in range(random.choice([1, 3])):
            at = random.randrange(len(spoilt) // 2, len(spoilt))
            spoilt[at] = random.randrange(256)
        yield bytes(spoilt[: random.choice([len(spoilt), len(spoilt) - 9])])
    yield from (b"", b"PAR1", b"PAR1" * 4, raw[:40], b"{}")


def test_damaged_parquet_is_told(tmp_path: Path) -> None:
    path = tmp_path / "crossings.parquet"
    crossings(200).to_parquet(path)
    said: list[str] = []
    for raw in _damaged(path.read_bytes()):
        path.write_bytes(raw)
        try:
            examine_parquet(Gate(Crossing), path, admitted=tmp_path / "sound.parquet")
        except (CannotStart, BrokenOff) as error:
            assert not list(tmp_path.glob("*.part"))
            said.append(str(error))
    assert said
    assert not any(re.search(r": (None)?$", each) for each in said), "the reader's own words are told"
    repeated = pa.DictionaryArray.from_arrays(pa.array([0] * 60_000, pa.int32()), pa.array(["x" * 1_000_000]))
    pq.write_table(pa.table({"ship": repeated}), path)
    with pytest.raises(BrokenOff, match="grows"):
        examine_parquet(Gate(Crossing), path)
    with pytest.raises(CannotStart, match="no file"):
        examine_parquet(Gate(Crossing), tmp_path / "none.parquet")


def test_parts_of_a_cluster_come_to_the_digest_of_one_machine(tmp_path: Path) -> None:
    dask_frames = pytest.importorskip("dask.dataframe", reason="the extra cluster is not installed")
    bags = pytest.importorskip("dask.bag", reason="the extra cluster is not installed")
    distributed = pytest.importorskip("distributed", reason="the extra cluster is not installed")
    frame, gate = crossings(1200), Gate(Crossing)
    whole = examine_table(gate, frame)
    parts = dask_frames.from_pandas(frame, npartitions=7)
    alone = examine_parts(gate, parts, tmp_path / "alone")
    assert alone.digest.as_dict() == whole.digest.as_dict()
    with pytest.raises(CannotStart, match="holds parts already"):
        examine_parts(gate, parts, tmp_path / "alone")
    killed: list[int] = []
    with (
        distributed.LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as cluster,
        distributed.Client(cluster) as client,
    ):
        workers = list(client.run(os.getpid).values())

        def told(done: int, of: int) -> None:
            if done == 2 and not killed:
                os.kill(workers[0], signal.SIGKILL)
                killed.append(workers[0])

        found = examine_parts(gate, parts, tmp_path / "parts", told=told)
        records = json.loads(frame.to_json(orient="records", date_format="iso"))
        lines_of = [json.dumps(each) if at % 2 else each for at, each in enumerate(records)]
        bag = examine_parts(gate, bags.from_sequence(lines_of, npartitions=3), tmp_path / "bag")
    assert killed
    assert found.digest.as_dict() == whole.digest.as_dict()
    assert len(found.admitted) == 7
    assert not list(tmp_path.rglob("*.part"))
    assert pa.concat_tables([pq.read_table(each) for each in found.admitted]).equals(whole.admitted_arrow())
    wrong = pa.concat_tables([pq.read_table(each) for each in found.faults])
    assert wrong.num_rows == found.digest.faults
    assert wrong.schema.names[:2] == ["part", "row"]
    assert (bag.rows, bag.digest.admitted) == (1200, sum(gate.accepts(each) for each in records))
    with pytest.raises(CannotStart, match="no Dask DataFrame"):
        examine_parts(gate, frame, tmp_path / "other")


def test_names_of_columns_are_those_of_attributes_only_where_nothing_else_is_called_so() -> None:
    record = TableReader(LINES)._record
    assert record is not None
    assert wire_names(record, ["weight_kg"]) == {"weight_kg": "weightKg"}
    assert wire_names(record, ["weight_kg", "weightKg"]) == {}


LAYOUTS = {
    "string": pa.string(), "large": pa.large_string(), **({"view": pa.string_view()} if hasattr(pa, "string_view") else {}),
}  # fmt: skip


def _laid_out(rows: list[dict[str, Any]], text: Any) -> pa.Table:
    of_lists = pa.large_list(text) if pa.types.is_large_string(text) else pa.list_(text)
    plain = pa.Table.from_pylist(rows, pa.schema([("a", pa.string()), ("b", pa.string()), ("held", pa.list_(pa.string())), ("inner", pa.struct([("code", pa.string())])), ("note", pa.string()), ("kind", pa.string())]))  # fmt: skip
    arrays = [column.combine_chunks() for column in plain.columns]
    try:
        texts = [arrays[at].cast(text) for at in (0, 1, 4, 5)]
    except pa.ArrowNotImplementedError:
        pytest.skip(f"this version of Arrow makes no {text}")
    held = pa.array([row["held"] for row in rows], of_lists) if not str(text).endswith("view") else arrays[2]
    inner = pa.StructArray.from_arrays([arrays[3].field(0).cast(text)], ["code"])
    return pa.table([texts[0], texts[1], held, inner, texts[2], texts[3]], names=plain.column_names)


@pytest.mark.parametrize("cut", [(0, 120), (10, 60), (37, 38), (90, 120), (119, 120)])
@pytest.mark.parametrize("layout", LAYOUTS)
def test_no_column_has_text_of_other_rows(layout: str, cut: tuple[int, int]) -> None:
    """Values, and not masks alone: kernels of some versions took text from the start of the whole column."""

    @dataclass
    class Inner:
        code: Annotated[str, uppered, it.matches("[A-Z0-9 ]+")]

    @dataclass
    class Held:
        a: Annotated[str, trimmed, uppered, it.matches(r"[A-Z]+[0-9]+")]
        b: Annotated[str, lowered, it.length.between(1, 20), it.starts_with("b")]
        held: list[Annotated[str, uppered]]
        inner: Inner
        note: Annotated[str, uppered] | None = None
        kind: Literal["x1", "x2", "x3"] = "x1"

    rows = [
        {"a": f" row{n} ", "b": f"Bé{n}" if n % 4 else f"B{n}", "held": [f"q{n}", f"w{n}"][: n % 3], "inner": {"code": f"in {n}"}, "note": None if n % 5 == 0 else f"n{n}", "kind": f"x{n % 4}"}
        for n in range(120)
    ]  # fmt: skip
    gate = Gate(Held)
    low, high = cut
    verdicts = [gate.examine(row) for row in rows[low:high]]
    wanted = [gate.release(verdict.value) for verdict in verdicts if verdict]
    whole = _laid_out(rows, LAYOUTS[layout])
    middle = (low + high) // 2
    tables = {
        "slice": whole.slice(low, high - low),
        "pieces": pa.concat_tables([whole.slice(low, middle - low), whole.slice(middle, high - middle)]),
        "combined": whole.slice(low, high - low).combine_chunks(),
    }
    if layout != "view":  # which these know nothing of
        tables["filtered"] = whole.filter(pa.array([low <= number < high for number in range(120)]))
        tables["coded"] = tables["slice"].set_column(0, "a", tables["slice"].column("a").dictionary_encode())
    for how, table in tables.items():
        verdict = examine_table(gate, table)
        assert verdict.admitted.to_pylist() == wanted, how
        assert verdict.mask.to_pylist() == list(map(bool, verdicts)), how
