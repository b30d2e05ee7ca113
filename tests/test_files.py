"""Deliveries of many records, in every form: each record with its verdict and its places, and the faults added up."""

# Rooms: files, read, cli

from __future__ import annotations

import gzip
import json
import os
import re
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, make_dataclass
from datetime import date, datetime
from decimal import Decimal
from itertools import islice
from pathlib import Path
from random import Random
from typing import Annotated, Any

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import any_declaration
from dutiful_gate import CannotSample, DeclarationError, Gate, Limits, as_text, holds, it, payloads, probes, secret
from dutiful_gate.cli.app import dutiful
from dutiful_gate.files import BrokenOff, CannotStart, Digest, TableLayout, digest_of, digest_of_file, examine_file
from dutiful_gate.files.delivery import examine_stream
from dutiful_gate.files.opened import form_of, opened
from dutiful_gate.files.report_page import Reported, report_page
from dutiful_gate.files.split import Split
from dutiful_gate.files.tally import Tally


@dataclass
class Line:
    booking: Annotated[str, it.matches("[A-Z]{3}-[0-9]+")]
    weight_kg: Annotated[float, it > 0, it <= 26_000]
    on: date
    note: str | None = None


LINES = Gate(Line)
ROW = "QLP-1,12.5,2026-05-04,"
HEAD = "booking,weight_kg,on,note\n"


def told(path: Path, gate: Any = LINES, **words: Any) -> list[str]:
    """Each record in a line: its number and line, and its faults with places and codes."""
    made = []
    for item in examine_file(gate, path, **words):
        faults = " ".join(f"{fault.place}{fault.pointer}:{fault.code}" for fault in item.faults)
        made.append(f"{item.number}@{item.line} {faults}".strip())
    return made


ODD: list[tuple[str, bytes | str, dict[str, Any], Any]] = [
    ("plain", HEAD + ROW, {}, ["1@2"]),
    ("byte-order mark", b"\xef\xbb\xbf" + (HEAD + ROW + "\n").encode(), {}, ["1@2"]),
    ("UTF-16", (HEAD + ROW + "\n").encode("utf-16"), {}, ["1@2"]),
    ("Latin-1, unsaid", (HEAD + ROW + "\xe9\n" + ROW).encode("latin-1"), {}, ["1@2 2:23/note:reading", "2@3"]),
    ("Latin-1, said", (HEAD + ROW + "\xe9\n").encode("latin-1"), {"layout": TableLayout(encoding="latin-1")}, ["1@2"]),
    ("no such encoding", HEAD, {"layout": TableLayout(encoding="latin-99")}, "'latin-99' is no encoding"),
    ("CRLF in a cell", HEAD.replace("\n", "\r\n") + 'QLP-1,1,2026-05-04,"a\r\nb"\r\nq,1,2026-05-04,\r\n', {}, ["1@2", "2@4 4:1/booking:pattern"]),
    ("semicolons", (HEAD + ROW).replace(",", ";"), {}, ["1@2"]),
    ("tabs", (HEAD + ROW).replace(",", "\t"), {}, ["1@2"]),
    ("said separator", "sep=|\n" + (HEAD + ROW).replace(",", "|"), {}, ["1@3"]),
    ("preamble", "Manifest of the fourth,,,\n\n" + HEAD + ROW, {}, ["1@4"]),
    ("said heading", "booking,x,y\n" + HEAD + ROW, {"layout": TableLayout(header_line=2)}, ["1@3"]),
    ("mapped", "Nummer,Gewicht,on\nQLP-1,3,2026-05-04\nQLP-2,x,2026-05-04\n",
     {"layout": TableLayout(columns={"Nummer": "booking", "Gewicht": "weight_kg"})}, ["1@2", "2@3 3:7/weight_kg:reading"]),
    ("decimal comma and dates", "booking;weight_kg;on\nQLP-1;1.234,5;04.05.2026\nQLP-1;1,5;4.5.\n",
     {"layout": TableLayout(decimal_comma=True, dates="%d.%m.%Y")}, ["1@2", "2@3 3:11/on:reading"]),
    ("short row", HEAD + "QLP-1,1\n" + ROW, {}, ["1@2 2/on:absent", "2@3"]),
    ("long row", HEAD + ROW + ",x\n" + ROW + ",,,\n", {}, ["1@2 2:count", "2@3"]),
    ("NUL", HEAD + "QLP\x00-1,1,2026-05-04,\n", {}, ["1@2 2:1/booking:pattern"]),
    ("empty file", "", {}, "there are no headings"),
    ("headings alone", HEAD, {}, []),
    ("repeated heading", "booking,booking\n1,2\n", {}, "the heading 'booking' stands twice in line 1"),
    ("empty heading", "booking,,on\n", {}, "column 2 has no heading in line 1"),
    ("trailing separators", "booking,weight_kg,on,,\nQLP-1,1,2026-05-04,,\n,,,,\n\n", {}, ["1@2"]),
    ("two columns, one field", "booking,weight_kg,on\n", {"layout": TableLayout(columns={"on": "booking"})}, "two columns stand for one field"),
    ("a quote in a cell", HEAD + 'QLP-1,"1"x,2026-05-04,\n' + ROW, {}, ["1@2 2:1:reading", "2@3"]),
    ("a quote never closed", HEAD + '"QLP-1,1,2026-05-04,\n' + (ROW + "\n") * 3, {}, ["1@2 2:1:reading", "2@3", "3@4", "4@5"]),
    ("a shortened number taken", HEAD + "QLP-1,1,46146,1.23E+15\n", {"layout": TableLayout(shortened=True, dates="serial")}, ["1@2"]),
    ("a shortened note", HEAD + "QLP-1,1e3,2026-05-04,-1.5E+09\n", {}, ["1@2 2:22/note:reading"]),
    ("single quotes", HEAD + "'QLP-1',1,2026-05-04,'a, \'\'b\'\'\nc'\nq,'0',2026-05-04,\n", {}, ["1@2", "2@4 4:1/booking:pattern 4:3/weight_kg:floor"]),
    ("a quote that is text", HEAD + "QLP-1,1,2026-05-04,it's 'so'\n", {}, ["1@2"]),
    ("said quotes", HEAD + "~QLP-1~,1,2026-05-04,~a,b~\n", {"layout": TableLayout(quote="~")}, ["1@2"]),
    ("quotes that are no sign", HEAD, {"layout": TableLayout(quote="--")}, "cannot stand around cells"),
    ("no such heading", HEAD, {"layout": TableLayout(columns={"Nr": "booking"})}, "there is no heading 'Nr'; there are: 'booking', 'weight_kg'"),
    ("spreadsheet's numbers", HEAD + "1.23E+15,1e3,46146,\n", {}, ["1@2 2:1/booking:reading 2:14/on:reading"]),
    ("a long line", HEAD + "QLP-1,1,2026-05-04," + "x" * 3000 + "\n" + ROW, {}, ["1@2 2:1:size", "2@3"]),
]  # fmt: skip


@pytest.mark.parametrize(("content", "words", "wanted"), [row[1:] for row in ODD], ids=[row[0] for row in ODD])
def test_odd_files_are_read_told_or_refused_clearly(
    tmp_path: Path, content: bytes | str, words: dict[str, Any], wanted: Any
) -> None:
    path = tmp_path / "lines.csv"
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    gate = Gate(Line, limits=Limits(bytes=2000)) if len(content) > 2000 else LINES
    if isinstance(wanted, str):
        with pytest.raises(CannotStart, match=wanted):
            told(path, gate, **words)
    else:
        assert told(path, gate, **words) == wanted


def test_lines_of_json_documents_and_packed_files(tmp_path: Path) -> None:
    sound = '{"booking": "QLP-1", "weight_kg": 1, "on": "2026-05-04"}'
    (tmp_path / "a.ndjson").write_text(
        f'\ufeff{sound}\n\n{{"booking": 1,\n{sound.replace("1,", "0,")}\r\n{"x" * 500}\n{sound}'
    )
    gate = Gate(Line, limits=Limits(bytes=300))
    assert told(tmp_path / "a.ndjson", gate) == [
        "1@1",
        "2@3 4:1:reading",
        "3@4 4:35/weight_kg:floor",
        "4@5 5:1:size",
        "5@6",
    ]
    packed = gzip.compress((sound + "\n").encode() * 3000)
    (tmp_path / "a.jsonl.gz").write_bytes(packed)
    assert len(told(tmp_path / "a.jsonl.gz")) == 3000
    (tmp_path / "b.jsonl.gz").write_bytes(packed[:-20])
    with pytest.raises(BrokenOff, match="breaks off"):
        told(tmp_path / "b.jsonl.gz")
    (tmp_path / "a.yaml").write_text(
        "lines:\n- {booking: QLP-1, weight_kg: 1, on: 2026-05-04}\n- booking: x\n  weight_kg: 1\n  on: 2026-05-04\n"
    )
    assert told(tmp_path / "a.yaml", select="/lines") == ["1@0", "2@0 3:12/booking:pattern"]
    (tmp_path / "a.toml").write_text('booking = "QLP-1"\nweight_kg = 0\non = 2026-05-04\n')
    assert told(tmp_path / "a.toml") == ["1@0 2:13/weight_kg:floor"]
    (tmp_path / "a.json").write_text(f'{{"held": [{sound},\n {sound.replace("1,", "0,")}]}}')
    assert told(tmp_path / "a.json", select="/held") == ["1@0", "2@0 2:36/weight_kg:floor"]
    for name, words in (("none.csv", "there is no file"), (".", "is a folder"), ("a.txt", "tells no form")):
        with pytest.raises(CannotStart, match=words):
            told(tmp_path / name, form="csv" if name == "." else None)


def test_a_document_reads_cells_by_its_types(tmp_path: Path) -> None:
    document = {
        "$ref": "#/$defs/Line",
        "$defs": {"Line": {"required": ["n"], "properties": {"n": {"type": "integer", "maximum": 9}, "x": {"type": ["number", "null"]}, "ok": {"type": "boolean"}, "code": {"type": "string"}}}},
    }  # fmt: skip
    (tmp_path / "a.csv").write_text("n,x,ok,code\n3,,true,12\n12,1.5,no,a\n,2,false,b\n3,1,true,b,c\n")
    gate = Gate.from_schema(document)
    assert told(tmp_path / "a.csv", gate) == ["1@2", "2@3 3:1/n:ceiling 3:8/ok:kind", "3@4 4:1/n:absent", "4@5 5:count"]
    assert next(iter(examine_file(gate, tmp_path / "a.csv"))).value == {"n": 3, "x": None, "ok": True, "code": "12"}


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["QLP-1", "q", 'a"b', "a,b", "x\ny", "x\r\ny", ""]),
            st.sampled_from(["1", "0", "x", "1.5"]),
            st.sampled_from(["é", "", ' "', "\t"]),
        ),
        max_size=8,
    ),
    st.sampled_from([",", ";", "\t"]),
    st.sampled_from(["\n", "\r\n"]),
)
def test_rows_are_what_the_standard_library_reads_and_raw_bytes_add_up(
    tmp_path_factory: Any, rows: list[Any], separator: str, end: str
) -> None:
    import csv
    import io

    buffer = io.StringIO(newline="")
    writer = csv.writer(buffer, delimiter=separator, lineterminator=end)
    writer.writerow(["booking", "weight_kg", "on", "note"])
    writer.writerows([name, weight, "2026-05-04", note] for name, weight, note in rows)
    path = tmp_path_factory.mktemp("rows") / "lines.csv"
    path.write_bytes(buffer.getvalue().encode())
    items = list(examine_file(LINES, path, layout=TableLayout(separator=separator)))
    assert len(items) == len(rows)
    head = f"booking{separator}weight_kg{separator}on{separator}note{end}"
    assert head.encode() + b"".join(item.raw for item in items) == path.read_bytes(), "nothing is lost"
    text = path.read_bytes().decode().split("\n")
    for item, (name, weight, _) in zip(items, rows, strict=True):
        assert [fault.pointer for fault in item.faults if fault.pointer == "/booking"] == (
            [] if name == "QLP-1" else ["/booking"]
        )
        for fault in item.faults:
            if fault.pointer == "/weight_kg" and fault.place is not None:
                assert text[fault.place.line - 1][fault.place.column - 1 :].startswith(weight)


@pytest.mark.parametrize("seed", range(20))
def test_lines_of_any_declaration_are_told_as_their_gate_tells_them(tmp_path: Path, seed: int) -> None:
    declared, words = any_declaration(seed)
    try:
        gate: Gate[Any] = Gate(declared, **words)
        sent = payloads(gate, 4, seed) + [data for data, _ in islice(probes(gate, seed), 20)]
    except (DeclarationError, CannotSample):
        return
    path = tmp_path / "a.ndjson"
    path.write_text("".join(json.dumps(data) + "\n" for data in sent), encoding="utf-8")
    for item, data in zip(examine_file(gate, path), sent, strict=True):
        verdict = gate.examine_json(json.dumps(data))
        assert bool(item) == bool(verdict)
        assert [(fault.path, fault.code) for fault in item.faults] == [
            (fault.path, fault.code) for fault in verdict.faults
        ]


def test_digests_add_up_in_any_order(tmp_path: Path) -> None:
    random = Random(4)
    rows = [
        f"{random.choice(['QLP-1', 'q', f'x{n}'])},{random.choice(['1', '0', '99999', f'{26_000 + n}'])},2026-05-04,\n"
        for n in range(900)
    ]
    whole = Digest()
    parts = []
    for at in range(3):
        path = tmp_path / f"{at}.csv"
        path.write_text(HEAD + "".join(rows[at * 300 : at * 300 + 300]))
        for item in examine_file(LINES, path):
            whole.add(item, path.name)
        parts.append(digest_of(examine_file(LINES, path), path.name))
    told = whole.as_dict()
    assert (whole.rows, whole.admitted + whole.refused) == (900, 900)
    for order in ((0, 1, 2), (2, 0, 1)):
        made = Digest()
        for at in order:
            made.merge(digest_of(examine_file(LINES, tmp_path / f"{at}.csv"), f"{at}.csv"))
        assert made.as_dict() == told
    ceiling = next(group for group in whole.groups if group.code == "ceiling")
    assert (ceiling.highest, ceiling.bound) == (99_999, "at most 99,999")
    assert len(ceiling.values) <= 100
    assert "| `/weight_kg` | a number of at most 26000 |" in whole.as_markdown()


def test_a_digest_shows_no_secret(tmp_path: Path) -> None:
    @dataclass
    class Key:
        token: Annotated[str, secret, it.length <= 4]

    (tmp_path / "a.csv").write_text("token\nh1dden-words\n")
    digest = digest_of(examine_file(Gate(Key), tmp_path / "a.csv"))
    assert digest.refused == 1
    assert "h1dden" not in json.dumps(digest.as_dict()) + digest.as_markdown()


def test_the_command_checks_deliveries(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    target = "test_files:Line"
    (tmp_path / "a.csv").write_text(HEAD + ROW + "\nq,0,2026-05-04,\n")
    (tmp_path / "b.csv").write_text(HEAD + "q,0,2026-05-04,\n" * 30)

    def run(*words: str, given: str = "") -> tuple[int, str]:
        result = CliRunner().invoke(dutiful, ["check", *words, "--against", target], input=given)
        return result.exit_code, result.output

    code, text = run("a.csv", "--excerpt")
    assert (
        code,
        "a.csv:3:1  /booking  needs text that matches" in text,
        "       3 | q,0,2026-05-04,\n         | ^\n" in text,
    ) == (1, True, True)
    code, text = run("b.csv")
    assert (
        "/booking  needs text that matches [A-Z]{3}-[0-9]+\n      30 faults in 30 records (100.0%), first b.csv:2:1\n      came: 'q' (30)"
        in text
    )
    assert run("b.csv", "--every")[1].count("b.csv:") == 60
    assert "stopped after 2 refused records, as asked" in run("b.csv", "--stop-after", "2")[1]
    assert run("*.csv")[1].count(" against ") == run(".")[1].count(" against ") == 2
    assert json.loads(run("a.csv", "--format", "json")[1])["refused"] == 1
    assert run("a.csv", "--format", "markdown")[1].startswith(
        "## `a.csv`\n\n2 records: 1 admitted, 1 refused with 2 faults.\n"
    )
    log = json.loads(run("a.csv", "--format", "sarif")[1])
    assert log["version"] == "2.1.0"
    (first, *_) = log["runs"][0]["results"]
    assert first["ruleId"] == "pattern"
    assert first["locations"][0]["physicalLocation"] == {
        "artifactLocation": {"uri": "a.csv"},
        "region": {"startLine": 3, "startColumn": 1},
    }
    (tmp_path / "d.csv").write_text(HEAD + ROW + "\nQLP-2,1,2026-05-04,\n" + ROW + "\n")
    code, text = run("d.csv", "--distinct-by", "/booking")
    assert (code, "d.csv:4  /booking  needs a value other than that of record 1; got it again" in text) == (1, True), (
        text
    )
    assert run("d.csv", "--distinct-by", "/booking", "--distinct-by", "/on", "--format", "sarif")[0] == 1
    code, text = run("d.csv", "--distinct-by", "/bookin")
    assert (code, "/bookin leads to nothing that is declared; did you mean /booking?" in text) == (2, True), text
    code, text = run("d.csv", "a.csv", "--distinct-by", "/booking", "--every")
    assert "a value other than that of record 1 in d.csv" in text
    assert run("-", "--read-as", "csv", given=HEAD + ROW)[0] == 0
    (tmp_path / "c.csv").write_text("Nr;weight_kg;on\nQLP-1;1,5;04.05.2026\n")
    assert run("c.csv", "--column", "Nr=booking", "--decimal-comma", "--dates", "%d.%m.%Y")[0] == 0
    for words, said in (
        (("x.txt", "a.csv"), "tells no form by its ending"), (("none*.csv",), "no file matches"), (("c.csv", "--column", "Nr"), "needs a heading and a field"),
        (("none.csv",), "there is no file"), (("a.csv", "--select", "/a"), "finds a list inside of a document"),
        (("a.csv", "--distinct-by", "booking"), "write /booking"), (("a.csv", "--distinct-by", "/a", "--resume"), "in one run"),
    ):  # fmt: skip
        (tmp_path / "x.txt").write_text("")
        code, text = run(*words)
        assert (code, said in text) == (2, True), text


def _split_twice(folder: Path, name: str, rows: int) -> dict[str, bytes]:
    """What a split of a delivery writes when nothing comes in between."""
    code, text = _check(folder, name, "whole")
    assert code == 1, text
    assert f"{rows:,} records" in text
    made = {
        path.name.replace("whole", "x"): path.read_bytes() for path in folder.iterdir() if path.name.startswith("whole")
    }
    assert set(made) == {"x.ndjson", "x.csv", "x.csv.faults.ndjson"}
    return made


def _check(folder: Path, name: str, stem: str, *words: str) -> tuple[int, str]:
    result = CliRunner().invoke(dutiful, [
        "check", str(folder / name), "--against", "test_files:Line", "--admitted", str(folder / f"{stem}.ndjson"), "--refused", str(folder / f"{stem}.csv"), *words,
    ])  # fmt: skip
    return result.exit_code, result.output


def _delivery(path: Path, rows: int) -> None:
    random = Random(7)
    lines = [
        f"{random.choice(['QLP-1', 'QLP-2', 'q'])},{random.choice(['1', '2', 'x'])},2026-05-04,{random.choice(['', 'é', chr(34) + 'a' + chr(10) + 'b' + chr(34)])}\n"
        for _ in range(rows)
    ]
    path.write_text(HEAD + "".join(lines), encoding="utf-8")


def test_what_is_split_adds_up_and_goes_in_again(tmp_path: Path) -> None:
    _delivery(tmp_path / "a.csv", 700)
    made = _split_twice(tmp_path, "a.csv", 700)
    items = list(examine_file(LINES, tmp_path / "a.csv"))
    assert made["x.csv"] == HEAD.encode() + b"".join(item.raw for item in items if not item)
    assert [json.loads(line)["booking"] for line in made["x.ndjson"].splitlines()] == [
        item.value.booking for item in items if item
    ]
    assert [json.loads(line)["record"] for line in made["x.csv.faults.ndjson"].splitlines()] == [
        item.number for item in items if not item
    ]
    again = list(examine_file(LINES, tmp_path / "whole.csv"))
    assert [[fault.code for fault in item.faults] for item in again] == [
        [fault.code for fault in item.faults] for item in items if not item
    ]
    code, text = _check(tmp_path, "a.csv", "whole")
    assert (code, "is there already" in text) == (2, True)
    code, text = _check(tmp_path, "a.csv", "other", "--resume")
    assert (code, "start without --resume" in text) == (2, True)
    for words, said in (
        (["--admitted", str(tmp_path / "none" / "x.csv")], "there is no folder"), (["--refused", str(tmp_path / "a.csv")], "is the input"),
        (["--admitted", str(tmp_path / "x.txt")], "tells no form for admitted records"), (["--refused", str(tmp_path / "y.csv"), "--stop-after", "3"], "needs all of them"),
    ):  # fmt: skip
        result = CliRunner().invoke(dutiful, ["check", str(tmp_path / "a.csv"), "--against", "test_files:Line", *words])
        assert (result.exit_code, said in result.output) == (2, True), result.output


@pytest.mark.parametrize("mark", ["utf-8-sig", "utf-16-le", "utf-16-be"])
def test_refused_rows_keep_their_encoding_to_the_byte(tmp_path: Path, mark: str) -> None:
    text = "sep=;\r\n" + HEAD.replace(",", ";").replace("\n", "\r\n") + "q;1;2026-05-04;é\r\n"
    raw = text.encode(mark) if mark == "utf-8-sig" else ("\ufeff" + text).encode(mark)
    (tmp_path / "a.csv").write_bytes(raw)
    assert _check(tmp_path, "a.csv", "x")[0] == 1
    assert (tmp_path / "x.csv").read_bytes() == raw


def test_a_split_that_is_killed_goes_on_and_ends_with_the_same_bytes(tmp_path: Path) -> None:
    _delivery(tmp_path / "a.csv", 30_000)
    wanted = _split_twice(tmp_path, "a.csv", 30_000)
    command = [
        sys.executable,
        "-m",
        "dutiful_gate",
        "check",
        "a.csv",
        "--against",
        "test_files:Line",
        "--admitted",
        "x.ndjson",
        "--refused",
        "x.csv",
    ]
    environment = {**os.environ, "PYTHONPATH": os.pathsep.join([str(Path(__file__).parent), *sys.path])}
    random = Random(5)
    for turn in range(20):
        resumed = ["--resume"] if (tmp_path / "x.ndjson.journal").exists() else []
        with subprocess.Popen(
            [*command, *resumed], cwd=tmp_path, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        ) as running:
            try:
                running.wait(0.25 + random.random() * 0.6)
            except subprocess.TimeoutExpired:
                running.kill()
        finals = [path for path in tmp_path.iterdir() if path.name in wanted]
        for path in finals:
            assert path.read_bytes() == wanted[path.name], "no torn file has its final name"
        if len(finals) == len(wanted) and not (tmp_path / "x.ndjson.journal").exists():
            break
        if turn < 19 and len(finals) == len(wanted):
            break
    else:
        resumed = ["--resume"] if (tmp_path / "x.ndjson.journal").exists() else []
        subprocess.run([*command, *resumed], cwd=tmp_path, env=environment, check=False, capture_output=True)
    if (tmp_path / "x.ndjson.journal").exists():
        subprocess.run([*command, "--resume"], cwd=tmp_path, env=environment, check=False, capture_output=True)
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir() if path.name.startswith("x.")} == wanted


def test_a_split_is_not_resumed_from_what_changed(tmp_path: Path) -> None:
    _delivery(tmp_path / "a.csv", 5_000)
    split = Split(LINES, str(tmp_path / "a.csv"), admitted=tmp_path / "x.ndjson", refused=None)
    with split:
        split.begin(b"")
        for number, item in enumerate(examine_file(LINES, tmp_path / "a.csv"), 1):
            split.take(item, number)
            if number == 3_000:
                break
    assert _resumed(tmp_path).done == 2_000
    (tmp_path / "x.ndjson.part").write_bytes(b"")
    with pytest.raises(CannotStart, match="is shorter than the journal says"):
        _resumed(tmp_path)
    with (tmp_path / "a.csv").open("a") as more:
        more.write("QLP-1,1,2026-05-04,\n")
    with pytest.raises(CannotStart, match="is not what it was when the run began"):
        _resumed(tmp_path)


def _resumed(folder: Path) -> Split:
    with Split(LINES, str(folder / "a.csv"), admitted=folder / "x.ndjson", refused=None, resume=True) as split:
        return split


def test_secrets_go_out_only_when_asked_for_and_full_disks_are_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    @dataclass
    class Key:
        token: Annotated[str, secret]

    (tmp_path / "k.csv").write_text("token\nabc\n")
    with pytest.raises(CannotStart, match="--secrets"):
        Split(Gate(Key), str(tmp_path / "k.csv"), admitted=tmp_path / "out.csv", refused=None)
    with Split(Gate(Key), str(tmp_path / "k.csv"), admitted=tmp_path / "out.csv", refused=None, secrets=True) as split:
        split.begin(b"")
        for number, item in enumerate(examine_file(Gate(Key), tmp_path / "k.csv"), 1):
            split.take(item, number)
        split.finish()
    assert (tmp_path / "out.csv").read_text() == "token\nabc\n"
    _delivery(tmp_path / "a.csv", 3_000)

    written: list[int] = []

    def full(at: int) -> None:
        written.append(at)
        if len(written) > room:
            raise OSError(28, "No space left on device")

    room = 0
    with monkeypatch.context() as patched:
        patched.setattr("dutiful_gate.files.split.os.fsync", full)
        code, text = _check(tmp_path, "a.csv", "x")
        assert (code, "cannot be written: No space left on device" in text) == (2, True)
        assert not [*tmp_path.glob("x*")], "nothing was begun"
        room = 6
        code, text = _check(tmp_path, "a.csv", "x")
    assert (code, "writing failed: No space left on device; once that is mended" in text) == (2, True)
    assert not (tmp_path / "x.csv").exists()


@pytest.mark.parametrize("form", ["csv", "ndjson"])
def test_a_line_of_any_length_is_one_record_and_is_not_lost(tmp_path: Path, form: str) -> None:
    path = tmp_path / f"a.{form}"
    start, row = (HEAD + 'QLP-1,1,2026-05-04,', ROW) if form == "csv" else ("", json.dumps({"booking": "QLP-1", "weight_kg": 1, "on": "2026-05-04"}))  # fmt: skip
    path.write_text(f"{start}{'x' * 20_000_000}\n{row}\n")
    items = list(examine_file(LINES, path))
    assert [(bool(item), item.is_whole, len(item.faults)) for item in items] == [(False, False, 1), (True, True, 0)]
    _, text = _check(tmp_path, f"a.{form}", "x") if form == "csv" else (2, "too long to be kept whole")
    assert ("too long to be kept whole" in text, (tmp_path / "x.csv").exists()) == (True, False), text
    if form == "ndjson":
        result = CliRunner().invoke(dutiful, ["check", str(path), "--against", "test_files:Line", "--refused", str(tmp_path / "x.ndjson"), "--jobs", "2"])  # fmt: skip
        assert ("too long to be kept whole" in result.output, (tmp_path / "x.ndjson").exists()) == (True, False)


def test_what_grows_out_of_all_measure_is_refused(tmp_path: Path) -> None:
    for form in ("csv", "json"):
        (tmp_path / f"a.{form}.gz").write_bytes(gzip.compress(bytes(1 << 24)) * 20)
        with pytest.raises((BrokenOff, CannotStart), match="grows more than 500-fold"):
            list(examine_file(Gate(Line, limits=Limits(bytes=1 << 30)), tmp_path / f"a.{form}.gz"))


def _lines(path: Path, rows: int, seed: int = 1) -> None:
    """NDJSON with faults, blank lines, lines that are no JSON, and one that is longer than the gate reads."""
    random = Random(seed)
    with path.open("w", encoding="utf-8", newline="") as file:
        for row in range(rows):
            record = {
                "booking": random.choice([f"QLP-{row}", "q"]),
                "weight_kg": random.choice([1, 0, 99_999]),
                "on": "2026-05-04",
                "note": random.choice([None, "é" * 40]),
            }
            line = random.choice([json.dumps(record)] * 40 + ["{", "", "  \t", "[1]", '{"booking": 1, "booking": 2}'])
            file.write(line + random.choice(["\n", "\n", "\r\n"]))
        file.write("x" * (3 << 20) + "\n" + json.dumps(record))


def test_several_processes_tell_what_one_does(tmp_path: Path) -> None:
    _lines(tmp_path / "a.ndjson", 12_000)
    target = ["--against", "test_files:SHORT"]
    texts = []
    for jobs in ("1", "2"):
        words = ["check", str(tmp_path / "a.ndjson"), *target, "--jobs", jobs, "--format", "json", "--most", "300"]
        texts.append(CliRunner().invoke(dutiful, words).output)
    assert texts[0] == texts[1]
    assert json.loads(texts[0])["refused"] > 4_000
    assert (
        digest_of_file(SHORT, tmp_path / "a.ndjson", jobs=2).as_dict()
        == digest_of_file(SHORT, tmp_path / "a.ndjson").as_dict()
    )
    _lines(tmp_path / "b.ndjson", 10_000, 2)
    lines = (tmp_path / "b.ndjson").read_bytes().split(b"\n")
    (tmp_path / "b.ndjson").write_bytes(b"\n".join(line for line in lines if len(line) < 1 << 20))
    made = []
    for jobs in ("1", "2"):
        names = [tmp_path / f"{name}{jobs}.ndjson" for name in ("good", "bad")]
        words = [
            "check",
            str(tmp_path / "b.ndjson"),
            *target,
            "--jobs",
            jobs,
            "--admitted",
            str(names[0]),
            "--refused",
            str(names[1]),
        ]
        assert CliRunner().invoke(dutiful, words).exit_code == 1
        made.append([path.read_bytes() for path in (*names, names[1].with_name(names[1].name + ".faults.ndjson"))])
    assert made[0] == made[1]
    assert made[0][1].count(b"\n") > 3_000
    for words, said in (
        (("--distinct-by", "/booking"), "--distinct-by takes records one after the other"),
        (("--stop-after", "3"), "leave out --jobs"),
    ):
        result = CliRunner().invoke(dutiful, ["check", str(tmp_path / "b.ndjson"), *target, "--jobs", "2", *words])
        assert (result.exit_code, said in result.output) == (2, True)
    with pytest.raises(CannotStart, match="cannot travel to other processes"):
        digest_of_file(Gate(Annotated[int, holds(lambda value: value)]), tmp_path / "b.ndjson", jobs=2)


SHORT = Gate(Line, limits=Limits(bytes=2 << 20))


def test_typed_records_become_parquet(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    arrow = pytest.importorskip("pyarrow.parquet")
    from dutiful_gate.files import parquet_parts

    monkeypatch.setattr(parquet_parts, "PART_ROWS", 300)
    monkeypatch.setattr(parquet_parts, "GROUP_ROWS", 40)
    rows = [
        {
            "number": at,
            "fee": f"{at}.50",
            "at": "2026-05-04T09:00:00.000250+02:00",
            "on": "2026-05-04",
            "crates": [{"kg": at + 0.5}, {"kg": 1}],
            "counts": {"a": at},
            "either": random,
            "inner": {"kg": 2, "inner": None} if at % 2 else None,
            "any": [1, None],
        }
        for at, random in zip(range(700), Random(1).choices([1, "1", "x"], k=700), strict=True)
    ]
    rows[5]["number"] = "x"
    (tmp_path / "a.ndjson").write_text("".join(json.dumps(row) + "\n" for row in rows))
    words = [
        "check",
        str(tmp_path / "a.ndjson"),
        "--against",
        "test_files:Wide",
        "--admitted",
        str(tmp_path / "x.parquet"),
        "--refused",
        str(tmp_path / "bad.ndjson"),
    ]
    result = CliRunner().invoke(dutiful, words)
    assert "x.parquet  699 admitted records" in result.output, result.output
    assert sorted(path.name for path in tmp_path.glob("x*")) == ["x.parquet"], "one file, named as asked"
    table = arrow.read_table(tmp_path / "x.parquet")
    assert str(table.schema.field("at").type) == "timestamp[us, tz=UTC]"
    held = table.to_pylist()
    assert [row["number"] for row in held] == [at for at in range(700) if at != 5]
    first = held[1]
    assert (first["fee"], first["on"], first["crates"], first["counts"]) == (
        "1.50",
        date(2026, 5, 4),
        [{"kg": 1.5}, {"kg": 1.0}],
        [("a", 1)],
    )
    assert (first["at"].isoformat(), first["inner"], first["any"]) == (
        "2026-05-04T07:00:00.000250+00:00",
        {"kg": 2.0, "inner": None},
        "[1, null]",
    )
    assert {row["either"] for row in held} == {"1", '"1"', '"x"'}, "a number and a text stay apart"
    again = CliRunner().invoke(dutiful, words)
    assert (again.exit_code, "is there already" in again.output) == (2, True)
    (tmp_path / "b.ndjson").write_text(json.dumps({**rows[0], "number": 2**63}) + "\n")
    words = [
        "check",
        str(tmp_path / "b.ndjson"),
        "--against",
        "test_files:Wide",
        "--admitted",
        str(tmp_path / "y.parquet"),
    ]
    result = CliRunner().invoke(dutiful, words)
    assert "does not fit into the 64 bits" in result.output
    assert not list(tmp_path.glob("y*.parquet"))


@dataclass
class Inner:
    kg: float
    inner: Inner | None = None


@dataclass
class Crate:
    kg: float


@dataclass
class Wide:
    number: int
    fee: Annotated[Decimal, as_text]
    at: datetime
    on: date
    crates: list[Crate]
    counts: dict[str, int]
    either: int | str
    inner: Inner | None
    any: Any


@contextmanager
def room_for(size: int) -> Iterator[None]:
    """Files grow no larger than so many bytes: writing fails as on a full disk."""
    resource = pytest.importorskip("resource")
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


@pytest.mark.parametrize(
    ("source", "admitted", "refused"),
    [("a.ndjson", "x.parquet", "x.ndjson"), ("a.json", "x.ndjson", "x.json"), ("a.xlsx", "x.csv", "x.xlsx")],
)
@pytest.mark.parametrize("full", [False, True])
def test_every_split_goes_on_where_it_was_stopped(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, source: str, admitted: str, refused: str, full: bool
) -> None:
    for needed in {"parquet": ["pyarrow"], "xlsx": ["openpyxl"]}.get(admitted[2:], []) + {"xlsx": ["openpyxl"]}.get(
        refused[2:], []
    ):
        pytest.importorskip(needed)
    if admitted.endswith("parquet"):
        from dutiful_gate.files import parquet_parts

        monkeypatch.setattr(parquet_parts, "PART_ROWS", 130)
    monkeypatch.setattr("dutiful_gate.files.split._EVERY", 50)
    random = Random(6)
    records = [
        {"booking": random.choice([f"QLP-{at}", "q"]), "weight_kg": 1, "on": "2026-05-04", "note": "é"}
        for at in range(900)
    ]
    if source.endswith("xlsx"):
        import openpyxl

        book = openpyxl.Workbook()
        for row in ([*records[0]], *([*record.values()] for record in records)):
            book.active.append(row)
        book.save(tmp_path / source)
    else:
        lines = [
            json.dumps(
                record, indent=random.choice([None, 1]) if source.endswith(".json") else None, ensure_ascii=False
            )
            for record in records
        ]
        (tmp_path / source).write_text(
            "\n".join(lines) if source.endswith("ndjson") else f"[{' , '.join(lines)} ]\n", encoding="utf-8"
        )

    def split(folder: Path, stop: int, *, resume: bool) -> bool:
        made = Split(LINES, str(tmp_path / source), admitted=folder / admitted, refused=folder / refused, resume=resume)
        with made, opened(tmp_path / source) as stream:
            form = form_of(source)
            assert form is not None
            for number, item in enumerate(examine_stream(LINES, stream, form, above=made.begin), 1):
                if number == stop:
                    return False
                made.take(item, number)
            made.finish()
        return True

    whole, stopped = tmp_path / "whole", tmp_path / "stopped"
    whole.mkdir()
    stopped.mkdir()
    assert split(whole, 0, resume=False)
    for turn in range(99):
        begun = (stopped / f"{admitted}.journal").exists()
        if not begun:
            for path in stopped.iterdir():
                path.unlink()
        if full:
            with room_for(400 + 2_000 * turn), suppress(OSError, CannotStart):
                if split(stopped, 0, resume=begun):
                    break
        elif split(stopped, random.randrange(60 + 30 * turn), resume=begun):
            break
    else:
        raise AssertionError("it never ended")
    made = {path.name: path.read_bytes() for path in whole.iterdir()}
    assert {path.name: path.read_bytes() for path in stopped.iterdir()} == made
    again = list(examine_file(LINES, whole / refused))
    assert len(again) == sum(record["booking"] == "q" for record in records)
    assert not any(again)
    if source.endswith(".json"):
        assert [json.loads(item.raw) for item in again] == [record for record in records if record["booking"] == "q"]


def test_a_faulty_item_of_a_list_is_shown_in_its_text(tmp_path: Path) -> None:
    (tmp_path / "a.json").write_text('[{"booking": "q",\n  "weight_kg": 0}, {"booking":\n "q"}, 7]')
    result = CliRunner().invoke(
        dutiful, ["check", str(tmp_path / "a.json"), "--against", "test_files:Line", "--excerpt"]
    )
    assert '       2 |   "weight_kg": 0}\n         |                ^\n' in result.output, result.output
    assert '       2 | {"booking":\n         | ^\n' in result.output, result.output
    assert "       3 | 7\n         | ^\n" in result.output, result.output


def test_two_deliveries_are_compared(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text(HEAD + (ROW + "\n") * 60 + "q,1,2026-05-04,\n" * 30 + "QLP-1,0,2026-05-04,\n" * 10)
    (tmp_path / "b.csv").write_text(HEAD + (ROW + "\n") * 60 + "q,1,2026-05-04,\n" * 60 + "QLP-1,1,4 May,\n" * 30)

    def run(*words: str) -> tuple[int, str]:
        result = CliRunner().invoke(dutiful, ["check", *words, "--against", "test_files:Line"])
        return result.exit_code, result.output

    (tmp_path / "then.json").write_text(run(str(tmp_path / "a.csv"), "--format", "json")[1])
    since = (str(tmp_path / "b.csv"), "--since", str(tmp_path / "then.json"))
    code, text = run(*since)
    assert (code, "then 100 records, 40 refused; now 150 records, 90 refused" in text) == (1, True), text
    assert "new       /on  needs a date (RFC 3339), such as 2026-05-04  0 (0.0%) then, 30 (20.0%) now" in text
    assert "more      /booking" in text
    assert "gone      /weight_kg  needs a number above 0  10 (10.0%) then, 0 (0.0%) now" in text
    told = json.loads(run(*since, "--format", "json")[1])["since"]
    assert [each["what"] for each in told["changes"]] == ["new", "more", "gone"]
    assert (
        "| gone | `/weight_kg` | a number above 0 | 10 (10.0%) | 0 (0.0%) |" in run(*since, "--format", "markdown")[1]
    )
    same = run(str(tmp_path / "a.csv"), "--since", str(tmp_path / "then.json"))[1]
    assert same.count("as before") == 2
    for held, said in (
        ("[1]", "this is no digest"),
        ("{", "odd.json is no JSON"),
        ('{"admitted": "x"}', "this is no digest"),
    ):
        (tmp_path / "odd.json").write_text(held)
        code, text = run(str(tmp_path / "a.csv"), "--since", str(tmp_path / "odd.json"))
        assert (code, said in text) == (2, True), text


def test_a_report_shows_all_groups_and_runs_nothing(tmp_path: Path) -> None:
    pytest.importorskip("matplotlib")

    @dataclass
    class Odd:
        plain: Annotated[str, it.matches("<b>|$x^2$")]
        token: Annotated[str, secret, it.length <= 4]

    tally = Tally("<script>alert(1)</script>.csv")
    (tmp_path / "a.csv").write_text("plain,token\n" + "<script>alert(2)</script>,ok\n" * 300 + "<b>,h1dden-words\n")
    for item in examine_file(Gate(Odd), tmp_path / "a.csv"):
        tally.add(item)
    page = report_page([Reported(tally, "it broke <i>off</i>"), Reported(Tally("empty.csv"))], "a:<u>")
    assert "<script" not in page
    assert "h1dden" not in page
    assert page.count("<svg") == 1
    assert "http" not in re.sub(r'xmlns(:\w+)?="[^"]*"|"-//W3C[^>]*>', "", page), "nothing is fetched"
    for words in ("301", "300 (99.7%)", "Nothing is wrong with what was read.", "it broke &lt;i&gt;off"):
        assert words in page, words
    whole = tally.digest.groups[0].spread
    assert (whole[0], sum(whole[1].values())) == (2, 300)


def test_small_tables_cost_little(tmp_path: Path) -> None:
    """Quotes that never close, very many columns, and one line without end: each is told, and read but once."""

    def told(text: bytes, name: str = "made.csv") -> str:
        (tmp_path / name).write_bytes(text)
        target = "dutiful_gate.demo.ferries:Booking"
        return CliRunner().invoke(dutiful, ["check", str(tmp_path / name), "--against", target]).output

    text = told(b"origin,destination\n" + b'a","\n' * 50_000)
    assert "is one of many with a quote that is never closed; see --quote: what stands behind was not read" in text
    assert "a quoted cell that is closed" in told(b'origin,destination\n"' + b"a\n" * 20_000)
    wide = b",".join(b"c%d" % number for number in range(60_000))
    assert "/origin  needs a value; none came" in told(wide + b"\n" + b"1," * 59_999 + b"1\n")
    assert "the heading 'c7' stands twice" in told(wide + b",c7\n")
    long = gzip.compress(b"origin,destination\n" + b"a" * 30_000_000)
    assert "grows more than 500-fold: unpack it first" in told(long, "made.csv.gz")


@pytest.mark.parametrize("signal_name", ["SIGKILL", "SIGTERM"])
def test_processes_end_with_the_one_that_asked(tmp_path: Path, signal_name: str) -> None:
    """They waited for more for good."""
    if not Path("/proc/self/task").is_dir():
        pytest.skip("which processes another one has is told by Linux's /proc alone")
    (tmp_path / "shapes.py").write_text("from dataclasses import dataclass\n@dataclass\nclass Line:\n    n: int\n")
    command = [sys.executable, "-m", "dutiful_gate", "check", "-", "--read-as", "ndjson", "--against", "shapes.py:Line"]
    asked = subprocess.Popen([*command, "--jobs", "2"], cwd=tmp_path, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL)
    assert asked.stdin is not None
    asked.stdin.write(b'{"n": 1}\n' * 400_000)
    asked.stdin.flush()
    told = Path(f"/proc/{asked.pid}/task/{asked.pid}/children")
    begun = _until(lambda: told.read_text().split() if len(told.read_text().split()) >= 2 else None)
    asked.send_signal(getattr(signal, signal_name))
    asked.wait(20)
    assert _until(lambda: all(_is_gone(each) for each in begun))
    asked.stdin.close()


def _is_gone(process: str) -> bool:
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True


def _until(found: Any) -> Any:
    for _ in range(400):
        if made := found():
            return made
        time.sleep(0.05)
    raise AssertionError("it never came")


@pytest.mark.parametrize("piece", [b"a", b",", b'"', b"\x00"])
def test_what_grows_out_of_nothing_is_refused_soon(tmp_path: Path, piece: bytes) -> None:
    path = tmp_path / "bomb.csv.gz"
    whole = b"booking,weight_kg\n" + piece * ((10 << 20) // len(piece))
    path.write_bytes(gzip.compress(whole + b"\n" + piece * ((200 << 20) // len(piece)), 6))
    result = CliRunner().invoke(dutiful, ["check", str(path), "--against", "test_files:Line"])
    assert (result.exit_code, "grows more than 500-fold: unpack it first" in result.output) == (1, True), result.output


def test_short_rows_under_many_headings_cost_what_they_hold(tmp_path: Path) -> None:
    gate: Gate[Any] = Gate(make_dataclass("Line", [("h1", int), ("h99999", int | None, None)]))
    path = tmp_path / "wide.csv"
    path.write_text(",".join(f"h{at}" for at in range(100_000)) + "\n" + "0,7\n" * 2_000 + "0\n")
    found = list(examine_file(gate, path))
    assert [item.value.h99999 for item in found[:-1]] == [None] * 2_000
    assert [(fault.pointer, fault.message) for fault in found[-1].faults] == [
        ("/h1", "needs a value; the row ends before it")
    ]
