"""Drafts: what is drafted admits its samples by every road, and finds what the samples were made by."""

# Rooms: draft

from __future__ import annotations

import json
import random
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Annotated, Any, Literal

import pytest
from click.testing import CliRunner
from hypothesis import example, given
from hypothesis import strategies as st

from any_declaration import any_declaration, loaded
from any_document import any_value
from dutiful_gate import CannotSample, DeclarationError, Gate, payloads, secret
from dutiful_gate.cli.app import dutiful
from dutiful_gate.demo.ferries import bookings
from dutiful_gate.draft import Hints, changes, draft, draft_of_files
from dutiful_gate.draft.differences import closed_places
from dutiful_gate.files import CannotStart, TableLayout, examine_file
from dutiful_gate.shape.nodes import Link


def admits_its_samples(samples: list[Any]) -> None:
    drafted = draft(samples)
    by_document, declared = drafted.gate(), loaded(drafted.python())
    for sample in samples:
        assert by_document.accepts(sample), (sample, drafted.document)
        assert declared.accepts(sample), (sample, drafted.python())


@pytest.mark.parametrize("seed", range(60))
def test_a_draft_admits_its_samples(seed: int) -> None:
    chance = random.Random(seed)
    admits_its_samples([any_value(chance, 4) for _ in range(chance.randint(1, 12))])


@pytest.mark.parametrize("seed", range(60))
def test_a_draft_of_what_a_declaration_admits_finds_what_is_required(seed: int) -> None:
    declared, words = any_declaration(seed)
    try:
        gate = Gate(declared, **words)
        samples = json.loads(json.dumps(payloads(gate, 60, seed)))
    except (DeclarationError, CannotSample, ValueError):
        return
    admits_its_samples(samples)
    node = gate.shape.root.bare.node
    if isinstance(node, Link) and all(isinstance(sample, dict) for sample in samples):
        document = draft(samples, Hints(records=frozenset([""]))).document
        options = [document["$defs"][document["$ref"].removeprefix("#/$defs/")]]
        if "oneOf" in options[0]:
            options = [document["$defs"][each["$ref"].removeprefix("#/$defs/")] for each in options[0]["oneOf"]]
        always = set.intersection(*(set(sample) for sample in samples))
        must = {field.wire for field in gate.shape.records[node.key].fields if field.required and not field.also}
        assert must <= always
        # A record that holds itself is drafted from those inside as well, which may lack what the outermost all had.
        holds_itself = document["$ref"] in json.dumps(options)
        assert all((must if holds_itself else always) <= set(option.get("required", ())) for option in options)


def test_the_demo_is_found_again() -> None:
    drafted = draft(payloads(bookings, 80, 3), Hints("Booking"))
    booking = drafted.document["$defs"]["Booking"]
    formats = {name: each.get("format") for name, each in booking["properties"].items() if "format" in each}
    assert formats == {"departs": "date-time", "arrives": "date-time", "contact": "email"}
    assert set(booking["required"]) == {"origin", "destination", "departs", "arrives", "contact", "crates"}
    python = drafted.python()
    assert 'priority: Literal["standard", "urgent", None] = None' in python or "Literal" in python
    assert "crates: list[Crate]" in python
    assert "weight_kg: Annotated[float, it >= 0]" in python


HOLDS = {"id": "00017", "at": "2026-05-04T09:30:00Z", "deck": 2, "tons": 3.5, "open": True}


@pytest.mark.parametrize(
    ("samples", "hints", "lines"),
    [
        ([HOLDS], Hints(), ["id: str", "at: datetime", "deck: int", "tons: float", "open: bool"]),
        ([HOLDS, {"id": "1"}], Hints(), ["deck: int | None = None", "# seen 1 of 2; always 2; null"[:21]]),
        ([{"a": None}, {"a": 4}], Hints(), ["a: int | None", "null in 1 of 2"]),
        ([{"a": 1}, {"a": "x"}], Hints(), ["a: int | str", "several kinds: whole numbers once, text once"]),
        (
            [{"on": "2026-05-04"}] * 30 + [{"on": "4 May"}],
            Hints(),
            ["on: str", "date but for 1 of them, such as '4 May'"],
        ),
        ([{"a": "7"}, {"a": "9"}], Hints(), ["a: str", "whole numbers as text"]),
        ([{"port": x} for x in ["QLP", "MRW"] * 12], Hints(), ['port: Literal["QLP", "MRW"]']),
        ([{"port": "QLP"}], Hints(closed=frozenset(["/port"])), ['port: Literal["QLP"]']),
        ([{"port": x} for x in ["QLP", "MRW"] * 12], Hints(as_text=frozenset(["/port"])), ["port: str"]),
        ([{"a": 1}], Hints(optional=frozenset(["/a"])), ["a: int | None = None"]),
        ([{"a": {}}, {}], Hints(required=frozenset(["/a"])), ["class Sample:", "    a: A"]),
        ([{"days": {"2026-05-04": 3, "2026-05-05": 4}}], Hints(), ["days: dict[date, int]", "2 keys that are data"]),
        ([{"QLP-1": 3, "QLP-2": 4}], Hints(maps=frozenset([""])), ["gate = Gate(dict[str, int])"]),
        ([{"ports": {"a": 1, "b": 2}}], Hints(maps=frozenset(["/ports"])), ["ports: dict[str, int]"]),
        ([{"ports": {"1": 1}}], Hints(records=frozenset(["/ports"])), ["class Port", "field_1"]),
        ([{"password": "gull-7"}], Hints(), ["password: Annotated[str, secret]"]),
        ([{"passwords": ["gull-7", "gull-77"]}], Hints(), ["passwords: list[Annotated[str, secret]]"]),
        ([{"pin": 4711}], Hints(), ["pin: Annotated[int, secret]"]),
        (
            [{"tokens": {"4711": 1, "4712": 2}}],
            Hints(),
            ["tokens: dict[str, Annotated[int, secret]]", "2 keys that are data\n"],
        ),
        ([{"secret": {"value": "gull-7", "n": 4711}}], Hints(), ["value: Annotated[str, secret]"]),
        (
            [{"token": x, x: 1} for x in ("gull-7", "gull-77") for _ in range(4)],
            Hints(records=frozenset([""])),
            ["token: Annotated[str, secret]", "class Sample"],
        ),
        ([{"made_by": "crane@1.2.0", "link": "a:b"}], Hints(), ["made_by: str", "link: str"]),
        ([{"list": "a", "other": [1]}, {"other": []}], Hints(), ['list_: Annotated[str | None, named("list")] = None']),
        (
            [{"from": {"port": "a", "row": 1}, "to": {"port": "b", "row": 2}}],
            Hints(),
            ["from_: Annotated[From, ", "to: From"],
        ),
        (
            [{"kind": "stay", "nights": n} for n in range(4)] + [{"kind": "call", "reason": "x"}] * 4,
            Hints("Visit"),
            ['kind: Literal["call"]', 'kind: Literal["stay"]', "class CallVisit:"],
        ),
        ([3, 4], Hints(), ["gate = Gate(int)"]),
        ([], Hints(), ["gate = Gate(Any)"]),
    ],
)
def test_what_is_guessed(samples: list[Any], hints: Hints, lines: list[str]) -> None:
    python = draft(samples, hints).python()
    for line in lines:
        assert line in python, python
    assert "4711" not in python
    if "gull-7" not in {key for sample in samples if isinstance(sample, dict) for key in sample}:
        assert "gull-7" not in python


@pytest.mark.parametrize(
    ("name", "text", "lines"),
    [
        ("m.csv", "id,tons,on,full\n007,1.5,2026-05-04,true\n010,,2026-05-05,false\n", ["id: str", "full: bool"]),
        ("m.csv", "id,tons\n1,1.5\n2,\n", ["id: int", "tons: float | None = None"]),
        ("m.csv", "id,note\n1,\n2,\n", ["# seen 0 of 2; never seen", "note: Any = None"]),
        ("m.toml", "[[rows]]\non = 2026-05-04\n[[rows]]\non = 2026-05-05\n", ["class Row:", "on: date"]),
        ("m.yaml", "- on: 2026-05-04\n  at: [1, 2]\n", ["on: date", "at: list[int]"]),
        ("m.ndjson", '{"a": 1}\n{"a": 2}\n', ["a: int"]),
        ("m.json", '{"a": 1}', ["a: int"]),
    ],
)
def test_files_of_every_form_are_drafted_and_admitted(tmp_path: Path, name: str, text: str, lines: list[str]) -> None:
    if name.endswith("yaml"):
        pytest.importorskip("yaml", reason="the extra yaml is not installed")
    file = tmp_path / name
    file.write_text(text)
    drafted = draft_of_files([file])
    python = drafted.python()
    for line in lines:
        assert line in python, python
    assert not drafted.unread
    for gate in (loaded(python), drafted.gate()) if name[-4:] != "toml" else (loaded(python),):
        assert all(examine_file(gate, file)), [item.faults for item in examine_file(gate, file)]


def test_what_is_not_looked_at_is_told(tmp_path: Path) -> None:
    broken = tmp_path / "a.ndjson"
    broken.write_text('{"a": 1}\nnone\n{"a": 2}\n{"a": 3}\n')
    told = draft_of_files([broken], most=3)
    assert told.seen == 2
    assert len(told.unread) == 2
    assert "2:1" in told.unread[0]
    assert "the first 3 were looked at" in told.unread[1]
    with pytest.raises(CannotStart, match="no record that can be read"):
        draft_of_files([tmp_path / "a.ndjson"], most=0)
    (tmp_path / "a.csv").write_text("a\n1\n")
    with pytest.raises(CannotStart, match="one form at a time"):
        draft_of_files([broken, tmp_path / "a.csv"])


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        (["a.json"], 0, "class Sample:"),
        (["a.json", "--name", "Stay", "--optional", "/a"], 0, "a: int | None = None"),
        (["a.json", "--format", "schema"], 0, '"$comment": "seen 1 of 1; always 1"'),
        (["a.json", "--hints", "a.hints"], 0, "class Call:"),
        (["a.json", "--hints", "b.hints"], 2, "b.hints, line 2: 'often /a' is no hint"),
        (["a.json", "--optional", "a"], 2, 'as in "/a"'),
        (["a.json", "--into", "a.hints"], 2, "give --overwrite"),
        (["a.json", "--into", "made.py"], 0, "made.py written"),
        (["nothing.json"], 2, "there is no file"),
        (["e.json"], 2, "no record that can be read"),
    ],
)
def test_the_command(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, words: list[str], code: int, told: str) -> None:
    monkeypatch.chdir(tmp_path)
    Path("a.json").write_text('[{"a": 1}]')
    Path("e.json").write_text("[]")
    Path("a.hints").write_text("# kept\nname Call\noptional /a\n")
    Path("b.hints").write_text("name Call\noften /a\n")
    run = CliRunner().invoke(dutiful, ["draft", *words])
    assert run.exit_code == code, run.output
    assert told in run.output


def test_samples_that_are_no_json_are_told_and_left_out() -> None:
    deep: Any = 1
    for _ in range(5_000):
        deep = [deep]
    told = draft([{"a": 1}, {"a": float("nan")}, {"a": {1, 2}}, deep, {"a": 2}])
    assert told.seen == 2
    assert [line[:9] for line in told.unread] == ["sample 2:", "sample 3:", "sample 4:"]
    assert "a: int" in told.python()
    nested: Any = {"a": 1}
    for level in range(55):
        nested = {"in": nested, "row": [nested]} if level < 4 else {"in": nested}
    admits_its_samples([nested])


def test_what_a_draft_would_change_is_told_and_nothing_is_edited() -> None:
    @dataclass
    class Crate:
        weight_kg: float
        mark: str = ""

    @dataclass
    class Call:
        port: Literal["QLP", "MRW"]
        on: date
        note: str
        crates: list[Crate]
        pilot: str | None = None

    samples = [
        {"port": "OST", "on": "4 May", "crates": [{"weight_kg": "x"}], "pilot": "Keel", "deck": 2},
        {"port": "QLP", "on": "2026-05-04", "crates": [], "note": "x", "pilot": "Keel", "deck": 3},
    ]
    told = "\n".join(changes(draft(samples, Hints(closed=frozenset(["/port"]))), Gate(Call).schema()))
    for line in (
        "+ /deck: not declared; seen 2 of 2; 2 to 3",
        "~ /note: required, and absent in some; seen 1 of 2",
        "~ /pilot: may be absent, and was always there",
        "~ /port: words that are not declared: 'OST'",
        "~ /on: declared as of the format date, and not all are",
        "- /crates/*/mark: declared, and never seen",
        "~ /crates/*/weight_kg: declared as a number, and text came",
    ):
        assert line in told, told
    assert len(told.splitlines()) == 7
    assert changes(draft(samples), draft(samples).document) == []

    @dataclass
    class Pass:
        code: Annotated[str, secret]
        deck: Annotated[Literal["upper", "lower"], secret]

    sent = [{"code": "gull-4711", "deck": "4711"}, {}]
    declared = Gate(Pass).schema()
    told = "\n".join(changes(draft(sent, Hints(closed=closed_places(declared) | {"/deck"})), declared))
    assert "~ /code: required, and absent in some; seen 1 of 2" in told
    assert "4711" not in told
    shared = {f"d{n}": {"properties": {k: {"$ref": f"#/$defs/d{n + 1}"} for k in "ab"}} for n in range(40)}
    document = {"$ref": "#/$defs/d0", "$defs": {**shared, "d40": {"type": "object"}}}
    assert closed_places(document) == frozenset()


def test_the_command_tells_what_would_change(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    Path("a.json").write_text('[{"origin": 3, "priority": "fast"}]')
    run = CliRunner().invoke(dutiful, ["draft", "a.json", "--against", "dutiful_gate.demo.ferries:Booking"])
    assert run.exit_code == 0
    assert "~ /origin: declared as text, and a whole number came" in run.output
    assert "~ /priority: words that are not declared: 'fast'" in run.output
    assert "- /contact: declared, and never seen, and it is required" in run.output
    Path("b.json").write_text(json.dumps(payloads(bookings, 40, 5)))
    run = CliRunner().invoke(dutiful, ["draft", "b.json", "--format", "schema"])
    Path("b.schema.json").write_text(run.stdout)
    again = CliRunner().invoke(dutiful, ["draft", "b.json", "--against", "b.schema.json"])
    assert "b.schema.json says what the samples say" in again.output


TREES: list[tuple[str, list[Any], str]] = [
    ("list", [{"name": "a", "inner": [{"name": "b", "inner": []}, {"name": "c", "inner": [{"name": "d", "inner": []}]}]}], "inner: list[Hold]"),
    ("chain", [{"deck": 1, "below": {"deck": 2, "below": {"deck": 3, "below": None, "note": "x"}}}], "below: Hold | None"),
    ("map", [{"x": 1, "ports": {"QLP-1": {"x": 2, "ports": {"MRW-2": {"x": 3, "ports": {}}}}}}], "ports: dict[str, Hold]"),
    ("two ways", [{"n": 1, "left": {"n": 2, "left": None, "right": {"n": 3, "left": None, "right": None}}, "right": {"n": 4, "left": None, "right": None}}], "right: Hold | None"),
    ("not one", [{"address": {"address": "x", "city": "y"}, "city": "z"}], "address: Address"),
    ("two levels", [{"name": "a", "inner": [{"name": "b", "weight": 1}]}], "inner: list[InnerItem]"),
]  # fmt: skip


@pytest.mark.parametrize(("samples", "line"), [row[1:] for row in TREES], ids=[row[0] for row in TREES])
def test_records_inside_of_their_own_kind_are_one(samples: list[Any], line: str) -> None:
    assert f"    {line}" in draft(samples, Hints("Hold")).python()
    admits_its_samples(samples)


_leaves = st.fixed_dictionaries({"name": st.text(max_size=3)}, optional={"kg": st.integers() | st.none()})
_trees = st.recursive(
    _leaves,
    lambda inner: st.fixed_dictionaries(
        {"name": st.text(max_size=3)},
        optional={
            "inner": st.lists(inner, max_size=3)
            | inner
            | st.none()
            | st.dictionaries(st.sampled_from(["QLP-1", "MRW-2", "x"]), inner)
        },
    ),
    max_leaves=12,
)


@example([{"name": "", "inner": {"name": "", "inner": {"QLP-1": {"name": ""}}}}])
@given(st.lists(_trees, min_size=1, max_size=4))
def test_a_draft_of_any_trees_admits_them(samples: list[Any]) -> None:
    admits_its_samples(samples)


@pytest.mark.parametrize("seed", range(12))
def test_a_draft_of_a_table_admits_it_in_any_layout(tmp_path: Path, seed: int) -> None:
    chance = random.Random(seed)
    kinds = [["1", "2", "30"], ["1,5", "2", "1.234,50"], ["QLP-1", "q", ""], ["04.05.2026", "5.5.2026"], ["2026-05-04"], ["true", "false"], ["7", "x"], [""], ["1.23E+15"], ["1.23E+15", "x"], ["46146", "46147"], ["-1", "0,5"], ["00017"], ["1.234.5", "2"], ["1e5"], [" a "], [" 1"]]  # fmt: skip
    columns = [chance.choice(kinds) for _ in range(5)]
    rows = [[chance.choice(column) for column in columns] for _ in range(chance.randint(2, 60))]
    path = tmp_path / "a.csv"
    path.write_text("a;b;c;d;e\n" + "".join(";".join(row) + "\n" for row in rows))
    layout = TableLayout(decimal_comma=seed % 2 == 0, dates=["", "%d.%m.%Y", "serial"][seed % 3])
    try:
        drafted = draft_of_files([path], layout=layout)
    except CannotStart:
        return  # a spreadsheet has shortened something in every row
    told = sum(int(line.split()[1]) for line in drafted.unread)
    for gate in (loaded(drafted.python()), drafted.gate()):
        refused = [item for item in examine_file(gate, path, layout=layout) if not item]
        assert len(refused) == told, (drafted.python(), refused[0].faults)
