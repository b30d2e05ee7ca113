"""Workbooks as deliveries: cells as spreadsheets keep them, faults at their cells, and whatever may come instead of one."""

# Rooms: files, cli

from __future__ import annotations

import io
import time as clock
import warnings
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from pathlib import Path
from random import Random
from typing import Annotated, Any

import pytest
from click.testing import CliRunner

from any_declaration import loaded
from dutiful_gate import Gate, it, secret, without_offset
from dutiful_gate.cli.app import dutiful
from dutiful_gate.draft import draft_of_files
from dutiful_gate.files import BrokenOff, CannotStart, TableLayout, examine_file

openpyxl = pytest.importorskip("openpyxl")

HEAD = ["booking", "weight_kg", "on", "note"]
DAY = date(2026, 5, 4)


@dataclass
class Line:
    booking: Annotated[str, it.matches("[A-Z]{3}-[0-9]+")]
    weight_kg: Annotated[float, it > 0, it <= 26_000]
    on: date
    note: str | None = None


LINES = Gate(Line)


def book(path: Path, *rows: list[Any], change: Callable[[Any], Any] = lambda made: None) -> Path:
    """A workbook of one sheet, `May 2026`."""
    made = openpyxl.Workbook()
    made.active.title = "May 2026"
    for row in rows:
        made.active.append(row)
    change(made)
    made.save(path)
    return path


def told(path: Path, gate: Any = LINES, **words: Any) -> list[str]:
    """Each record in a line: its number and row, and its faults with cells and codes."""
    made = []
    for item in examine_file(gate, path, layout=TableLayout(**words)):
        faults = " ".join(
            f"{(fault.place.cell if fault.place else '').partition('!')[2]}{fault.pointer}:{fault.code}"
            for fault in item.faults
        )
        made.append(f"{item.number}@{item.line} {faults}".strip())
    return made


def _padded(made: Any) -> None:
    made.active["A2"].number_format = "000"


def _from_1904(made: Any) -> None:
    made.epoch = datetime(1904, 1, 1)


def _two_sheets(made: Any) -> None:
    made.active.sheet_state = "hidden"
    made.create_sheet("Lines").append(HEAD)
    made["Lines"].append(["QLP-1", 1, DAY])


SHEETS: list[tuple[str, list[list[Any]], dict[str, Any], Any, Any]] = [
    ("typed", [HEAD, ["QLP-1", 12.5, DAY, None]], {}, None, ["1@2"]),
    ("text cells", [HEAD, ["QLP-1", "12.5", "2026-05-04", ""]], {}, None, ["1@2"]),
    ("days as they are counted", [HEAD, ["QLP-1", 1, 46146], ["QLP-1", 1, "46146"], ["QLP-1", 1, 46146.5], ["QLP-1", 1, 0], ["QLP-1", 1, 10**9]], {}, None,
     ["1@2", "2@3 C3/on:reading", "3@4 C4/on:kind", "4@5 C5/on:kind", "5@6 C6/on:kind"]),
    ("counted from 1904", [HEAD, ["QLP-1", 1, 44684]], {}, _from_1904, ["1@2"]),
    ("a moment where a day was", [HEAD, ["QLP-1", 1, datetime(2026, 5, 4, 3)]], {}, None, ["1@2 C2/on:kind"]),
    ("numbers where text was", [["booking", "weight_kg", "on", "note"], [7, 1, DAY, 17], ["QLP-1", 1, DAY, 1.5], ["QLP-1", 1, DAY, 10**15], ["QLP-1", 1, DAY, 10**14]], {}, _padded,
     ["1@2 A2/booking:pattern", "2@3 D3/note:kind", "3@4 D4/note:reading", "4@5"]),
    ("shortened", [HEAD, ["QLP-1", 1, DAY, "1.23E+15"]], {}, None, ["1@2 D2/note:reading"]),
    ("shortened, said", [HEAD, ["QLP-1", 1, DAY, "1.23E+15"]], {"shortened": True}, None, ["1@2"]),
    ("truth where text was", [HEAD, ["QLP-1", True, DAY, True]], {}, None, ["1@2 B2/weight_kg:kind D2/note:kind"]),
    ("errors and formulas", [HEAD, ["QLP-1", "#DIV/0!", DAY, "=A2"], ["QLP-1", "=1+1", "=C2", None]], {}, None,
     ["1@2 B2/weight_kg:reading D2/note:reading", "2@3 B3/weight_kg:reading C3/on:reading"]),
    ("cells behind", [HEAD, ["QLP-1", 1, DAY, None, None, "more"]], {}, None, ["1@2 F2:count"]),
    ("short and empty rows", [HEAD, ["QLP-1", 1], [], [None, None, None], ["QLP-1", 1, DAY]], {}, None, ["1@2 C2/on:absent", "2@5"]),
    ("a preamble", [["Manifest of the fourth"], [], HEAD, ["QLP-1", 1, DAY]], {}, None, ["1@4"]),
    ("said heading", [HEAD, ["Nr", "weight_kg", "on"], ["QLP-1", 1, DAY]], {"header_line": 2, "columns": {"Nr": "booking"}}, None, ["1@3"]),
    ("own forms", [HEAD, ["QLP-1", "1.234,5", "04.05.2026"]], {"decimal_comma": True, "dates": "%d.%m.%Y"}, None, ["1@2"]),
    ("the first that is seen", [HEAD, ["q", 1, DAY]], {}, _two_sheets, ["1@2"]),
    ("a hidden one, said", [HEAD, ["q", 1, DAY]], {"sheet": "May 2026"}, _two_sheets, ["1@2 A2/booking:pattern"]),
    ("no such sheet", [HEAD], {"sheet": "June"}, None, "there is no sheet 'June'; there are: 'May 2026'"),
    ("headings alone", [HEAD], {}, None, []),
    ("nothing", [], {}, None, "there are no headings in the sheet 'May 2026'"),
    ("a heading twice", [["booking", "booking"]], {}, None, "the heading 'booking' stands twice"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("rows", "words", "change", "wanted"), [row[1:] for row in SHEETS], ids=[row[0] for row in SHEETS]
)
def test_sheets_are_read_as_spreadsheets_keep_them(
    tmp_path: Path, rows: list[list[Any]], words: dict[str, Any], change: Any, wanted: Any
) -> None:
    path = book(tmp_path / "lines.xlsx", *rows, change=change or (lambda made: None))
    if isinstance(wanted, str):
        with pytest.raises(CannotStart, match=wanted):
            told(path, **words)
    else:
        assert told(path, **words) == wanted


def test_values_are_those_that_the_sheet_shows(tmp_path: Path) -> None:
    @dataclass
    class Sailing:
        code: str
        at: Annotated[datetime, without_offset]
        since: time
        takes: timedelta
        open: bool

    path = book(
        tmp_path / "a.xlsx",
        ["code", "at", "since", "takes", "open"],
        [7, datetime(2026, 5, 4, 3, 30), time(3, 4), timedelta(hours=30), True],
        [None, 46146.25, time(3, 4), timedelta(hours=1), False],
        change=_padded,
    )
    first, second = examine_file(Gate(Sailing), path)
    assert first.value == Sailing("007", datetime(2026, 5, 4, 3, 30), time(3, 4), timedelta(hours=30), True)
    assert (second.value.code, second.value.at) == ("", datetime(2026, 5, 4, 6))
    document = {"properties": {"code": {"type": "string"}, "at": {"format": "date-time"}, "n": {"type": "integer"}}}
    book(tmp_path / "b.xlsx", ["code", "at", "n"], [7, 46146.25, "12"], [None, datetime(2026, 5, 4, 6), 12])
    values = [item.value for item in examine_file(Gate.from_schema(document), tmp_path / "b.xlsx")]
    assert values == [{"code": "7", "at": "2026-05-04T06:00:00", "n": 12}, {"at": "2026-05-04T06:00:00", "n": 12}]


def test_text_cells_are_told_as_those_of_csv(tmp_path: Path) -> None:
    random = Random(3)
    cells = ["QLP-1", "q", "", "1", "0", "1e3", "27000", "x", "2026-05-04", "2026-02-30", "1.23E+15", " a ", "é", "=1"]
    rows = [[random.choice(cells) for _ in HEAD] for _ in range(300)]
    (tmp_path / "a.csv").write_text("\n".join(",".join(row) for row in [HEAD, *rows]) + "\n")

    def as_text(made: Any) -> None:
        for row in made.active.iter_rows():
            for cell in row:
                cell.data_type = "s" if cell.value else cell.data_type

    book(tmp_path / "a.xlsx", HEAD, *rows, change=as_text)
    by_row = [
        [(fault.pointer, fault.code) for fault in item.faults] for item in examine_file(LINES, tmp_path / "a.csv")
    ]
    assert by_row == [
        [(fault.pointer, fault.code) for fault in item.faults] for item in examine_file(LINES, tmp_path / "a.xlsx")
    ]


def repacked(path: Path, change: Callable[[dict[str, bytes]], Any]) -> None:
    """A workbook with something else in its parts."""
    with zipfile.ZipFile(path) as packed:
        parts = {name: packed.read(name) for name in packed.namelist()}
    change(parts)
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, held in parts.items():
            packed.writestr(name, held)


SHEET = "xl/worksheets/sheet1.xml"


def _far_row(row: str) -> Callable[[dict[str, bytes]], Any]:
    def change(parts: dict[str, bytes]) -> None:
        parts[SHEET] = parts[SHEET].replace(b'r="2"', f'r="{row}"'.encode())

    return change


def _wide(parts: dict[str, bytes]) -> None:
    row = b'<row r="%d"><c r="XFD%d"><v>1</v></c></row>'
    rows = b"".join(row % (at, at) for at in range(3, 4000))
    parts[SHEET] = parts[SHEET].replace(b"</sheetData>", rows + b"</sheetData>")


def _entities(parts: dict[str, bytes]) -> None:
    text = parts[SHEET]
    parts[SHEET] = b'<!DOCTYPE a [<!ENTITY b "cccc">]>' + text


def _bomb(parts: dict[str, bytes]) -> None:
    parts["xl/sharedStrings.xml"] = b"<sst>" + b" " * (300 << 20) + b"</sst>"


def _other(parts: dict[str, bytes]) -> None:
    parts.clear()
    parts["a.txt"] = b""


HOSTILE: list[tuple[str, Callable[[dict[str, bytes]], Any] | bytes, str]] = [
    ("a row far below", _far_row("1048576"), ""),
    ("a row past all", _far_row("99999999999"), ""),
    ("a row of no number", _far_row("x"), "cannot be read behind row 1"),
    ("rows as wide as can be", _wide, ""),
    ("entities", _entities, "has a document type"),
    ("a bomb", _bomb, "unpacks to"),
    ("another archive", _other, "there is no workbook.xml in it"),
    ("no archive", b"booking,weight_kg\n", "no XLSX workbook, or a damaged one"),
    ("an old one", b"\xd0\xcf\x11\xe0" + bytes(600), "of the old form, or one with a password"),
    ("empty", b"", "no XLSX workbook"),
]


@pytest.mark.parametrize(("change", "words"), [row[1:] for row in HOSTILE], ids=[row[0] for row in HOSTILE])
def test_what_comes_instead_of_a_workbook_is_told_and_costs_little(
    tmp_path: Path, change: Callable[[dict[str, bytes]], Any] | bytes, words: str
) -> None:
    path = book(tmp_path / "a.xlsx", HEAD, ["QLP-1", 1, DAY])
    if isinstance(change, bytes):
        path.write_bytes(change)
    else:
        repacked(path, change)
    begun = clock.process_time()
    if words:
        with pytest.raises((CannotStart, BrokenOff), match=words):
            told(path)
    else:
        assert len(told(path)) < 5000
    assert clock.process_time() - begun < 30, "no small file costs minutes"


@pytest.mark.parametrize("seed", range(3))
def test_a_damaged_workbook_is_told_never_a_traceback(tmp_path: Path, seed: int) -> None:
    random = Random(seed)
    path = book(tmp_path / "a.xlsx", HEAD, *([f"QLP-{at}", at + 0.5, DAY, "=A2"] for at in range(40)))
    raw = path.read_bytes()

    def damage(parts: dict[str, bytes]) -> None:
        name = random.choice([name for name in parts if "sheet" in name or "workbook" in name or "styles" in name])
        text = bytearray(parts[name])
        for _ in range(random.randint(1, 3)):
            at = random.randrange(len(text))
            text[at : at + random.randint(0, 9)] = random.choice([b"", b"<", b"7", b"-5", b"1e999", b"NaN", b"x"])
        parts[name] = bytes(text)

    ends = set()
    for _ in range(40):
        path.write_bytes(raw)
        repacked(path, damage)
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("error")
                told(path)
            ends.add("read")
        except (CannotStart, BrokenOff) as error:
            ends.add(type(error).__name__)
    assert ends == {"read", "CannotStart", "BrokenOff"}


def test_what_stands_above_the_damage_is_kept(tmp_path: Path) -> None:
    path = book(tmp_path / "a.xlsx", HEAD, *(["QLP-1", 1, DAY] for _ in range(900)))
    repacked(path, lambda parts: parts.update({SHEET: parts[SHEET].replace(b'<c r="B700"', b'<c r="B700" s="x"')}))
    items = examine_file(LINES, path)
    seen = []
    with pytest.raises(BrokenOff, match="behind row 699"):
        seen.extend(items)
    assert len(seen) == 698


def run(*words: str) -> tuple[int, str]:
    result = CliRunner().invoke(dutiful, ["check", *words, "--against", "test_workbooks:Line"])
    return result.exit_code, result.output


def test_a_workbook_is_split_and_its_refused_rows_go_in_again(tmp_path: Path) -> None:
    def styled(made: Any) -> None:
        made.active["A4"].number_format = "000"
        made.create_sheet("Other").append([1])

    rows = [["QLP-1", 1, DAY, None], ["q", "#N/A", 46146, "=B2*2"], [7, 1, DAY, "x"], ["QLP-2", 2, DAY, "y"], [], ["QLP-3", 1, DAY, None, "z"], ["QLP-4", 1, datetime(2026, 5, 4, 3), 17]]  # fmt: skip
    path = book(tmp_path / "a.xlsx", ["A preamble"], HEAD, *rows, change=styled)
    words = (str(path), "--admitted", str(tmp_path / "good.csv"), "--refused", str(tmp_path / "bad.xlsx"))
    code, text = run(*words)
    assert (code, "2 admitted records" in text, "4 refused records" in text) == (1, True, True), text
    assert "not looked at: 1 other sheet (Other); --sheet chooses one" in text
    assert (
        tmp_path / "good.csv"
    ).read_text() == "booking,weight_kg,on,note\nQLP-1,1.0,2026-05-04,\nQLP-2,2.0,2026-05-04,y\n"
    before = [[(fault.pointer, fault.code) for fault in item.faults] for item in examine_file(LINES, path) if not item]
    again = list(examine_file(LINES, tmp_path / "bad.xlsx"))
    assert [[(fault.pointer, fault.code) for fault in item.faults] for item in again] == before
    sheet = openpyxl.load_workbook(tmp_path / "bad.xlsx")["May 2026"]
    assert [cell.value for cell in sheet[2][:4]] == ["q", "#N/A", 46146, "=B2*2"]
    assert (sheet["A3"].value, sheet["A2"].number_format) == (7, "000")
    first = (tmp_path / "bad.xlsx").read_bytes()
    for name in ("good.csv", "bad.xlsx", "bad.xlsx.faults.ndjson"):
        (tmp_path / name).unlink()
    assert run(*words)[0] == 1
    assert (tmp_path / "bad.xlsx").read_bytes() == first, "no moment is written into it"
    code, text = run(str(path), "--refused", str(tmp_path / "x.csv"))
    assert (code, "end it in .xlsx" in text) == (2, True)
    code, text = run(str(path), "--excerpt", "--every")
    assert "a.xlsx:'May 2026'!B4  /weight_kg  needs a value; got the error #N/A\n       4 | q,#N/A,46146,\n" in text, (
        text
    )


def test_no_secret_of_a_sheet_is_shown(tmp_path: Path) -> None:
    @dataclass
    class Key:
        name: str
        token: Annotated[str, secret, it.length <= 4]

    path = book(
        tmp_path / "a.xlsx", ["name", "token"], ["a", "h1dden-words"], ["b", 7777777777777777], ["c", "7.77E+15"]
    )
    shown = " ".join(str(fault) for item in examine_file(Gate(Key), path) for fault in item.faults)
    assert shown.count("/token") == 3
    assert "h1dden" not in shown
    assert "77" not in shown


def test_excerpts_show_no_line_with_a_secret_in_it(tmp_path: Path) -> None:
    path = book(tmp_path / "a.xlsx", ["name", "token"], ["a", "h1dden-words"], [None, "h1dd"])
    (tmp_path / "a.csv").write_text("name,token\na,h1dden-words\n,h1dd\n")
    (tmp_path / "a.ndjson").write_text('{"name": 1, "token": "h1dd"}\n')
    (tmp_path / "a.json").write_text('[{"name": 1, "token": "h1dd"}]')
    for name in (str(path), *(str(tmp_path / f"a.{form}") for form in ("csv", "ndjson", "json"))):
        for words in (
            ["--excerpt"],
            ["--every"],
            *(["--format", form] for form in ("json", "markdown", "html", "sarif")),
        ):
            result = CliRunner().invoke(dutiful, ["check", name, "--against", "test_workbooks:Key", *words])
            assert (result.exit_code, "h1dd" in result.output) == (1, False), result.output
            assert ("no lines are shown" in result.output) == (words == ["--excerpt"])
    log = (
        CliRunner().invoke(dutiful, ["check", str(path), "--against", "test_workbooks:Key", "--format", "sarif"]).output
    )
    assert '"fullyQualifiedName": "\'May 2026\'!B2 /token"' in log
    assert "startLine" not in log


@dataclass
class Key:
    name: Annotated[str, it.length >= 1]
    token: Annotated[str, secret, it.length <= 4]


@pytest.mark.parametrize("seed", range(8))
def test_a_draft_of_a_sheet_admits_it(tmp_path: Path, seed: int) -> None:
    random = Random(seed)
    kinds = [[1, 2, 30], [1.5, 2], ["QLP-1", "q", "", None], [DAY, date(2026, 5, 5)], [datetime(2026, 5, 4, 3)], [True, False], ["7", 7, "x"], [None], ["2026-05-04", DAY], ["1.234,5", "7"], ["04.05.2026"], [time(3, 4)], [10**14, "00017"]]  # fmt: skip
    columns = [random.choice(kinds) for _ in range(5)]
    rows = [[random.choice(column) for column in columns] for _ in range(random.randint(2, 60))]
    path = book(tmp_path / "a.xlsx", [f"field_{at}" for at in range(5)], *rows)
    layout = TableLayout(decimal_comma=seed % 2 == 0, dates="%d.%m.%Y" if seed % 2 else "")
    drafted = draft_of_files([path], layout=layout)
    assert not drafted.unread
    for gate in (loaded(drafted.python()), drafted.gate()):
        refused = [item.faults for item in examine_file(gate, path, layout=layout) if not item]
        assert not refused, (drafted.python(), refused[0])


def test_a_workbook_comes_packed_or_in_a_pipe(tmp_path: Path) -> None:
    import gzip

    path = book(tmp_path / "a.xlsx", HEAD, ["QLP-1", 1, DAY])
    packed = tmp_path / "a.xlsx.gz"
    packed.write_bytes(gzip.compress(path.read_bytes()))
    assert told(packed) == ["1@2"]
    words = ["check", "-", "--read-as", "xlsx", "--against", "test_workbooks:Line"]
    result = CliRunner().invoke(dutiful, words, input=io.BytesIO(path.read_bytes()))
    assert result.exit_code == 0, result.output
