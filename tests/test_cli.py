"""The command line, on the demo data."""

# Rooms: cli, demo, files

from __future__ import annotations

import json
import os
import subprocess
import sys
from importlib.resources import files
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner, Result
from hypothesis import given
from hypothesis import strategies as st

from dutiful_gate import __version__
from dutiful_gate.cli.app import dutiful
from dutiful_gate.demo.make import BREAKS, COUNT, feed
from dutiful_gate.document.differing import differences

AGAINST = "dutiful_gate.demo.ferries:Booking"
DATA = str(files("dutiful_gate.demo").joinpath("bookings.json"))


def run(*words: str, stdin: bytes | None = None) -> Result:
    return CliRunner().invoke(dutiful, list(words), input=stdin)


def test_the_demo_data_is_what_its_maker_makes() -> None:
    assert json.loads(Path(DATA).read_text()) == feed()


def test_check_tells_all() -> None:
    result = run("check", DATA, "--against", AGAINST)
    assert result.exit_code == 1
    lines = result.output.splitlines()
    assert lines[0] == f"{DATA} against {AGAINST}"
    places = [line.strip() for line in lines if line.startswith(f"  {DATA}:")]
    assert f"{DATA}:456:20  /22/destination  needs text; got 12" in places
    source = Path(DATA).read_text().splitlines()
    for line in places:
        number, column = (int(part) for part in line.removeprefix(f"{DATA}:").split("  ")[0].split(":"))
        assert source[number - 1][column - 1] in '"{[-0123456789tn', "the place is where a value begins"
    assert lines[-1].strip() == "240 records: 230 admitted, 10 refused with 15 faults"
    assert len(places) == 15


def test_check_for_machines() -> None:
    result = run("check", DATA, "--against", "dutiful_gate.demo.ferries:bookings", "--format", "json")
    assert result.exit_code == 1
    told = json.loads(result.output)
    assert told["records"] == COUNT
    assert (told["admitted"], told["refused"]) == (COUNT - len(BREAKS), len(BREAKS))
    assert (len(told["every"]), told["listed_all"]) == (told["faults"], True)
    assert told["every"][1] == {
        "file": DATA,
        "record": 23,
        "pointer": "/22/destination",
        "code": "kind",
        "message": "needs text; got 12",
        "given": 12,
        "expected": {},
        "line": 456,
        "column": 20,
        "row": 23,
    }


def test_check_one_record_and_unknown_keys(sound: dict[str, Any]) -> None:
    raw = json.dumps({**sound, "colour": 1}).encode()
    result = run("check", "-", "--against", AGAINST, stdin=raw)
    assert result.exit_code == 0
    assert "1 record: 1 admitted" in result.output
    assert "unknown keys left out: colour; --unknown refuse makes each a fault" in result.output
    result = run("check", "-", "--against", AGAINST, "--unknown", "refuse", stdin=raw)
    assert result.exit_code == 1
    assert "/colour  is not a known key" in result.output
    result = run("check", "-", "--against", AGAINST, "--most", "1", stdin=b'{"priority": 1, "\\u001b[31m": 2}')
    assert "1 refused with 7 faults" in result.output
    assert "and 6 more; --most 7 prints them all" in result.output
    assert "\x1b" not in result.output


def test_names_of_files_add_no_line_and_end_in_no_traceback(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    odd = "all is well\nbookings\x1b[2J.ndjson"
    Path(odd).write_text('{"priority": 1}\n')
    told = run("check", odd, "--against", AGAINST).output.splitlines()
    assert told[0].startswith(r"all is well\nbookings\u001b[2J.ndjson against")
    assert any(line.startswith(r"  all is well\nbookings\u001b[2J.ndjson:1:14") for line in told)
    long = "x" * 5000
    for words in (
        ["check", "", "--against", AGAINST], ["check", long, "--against", AGAINST], ["check", odd, "--against", f"{long}.json"],
        ["declare", long], ["draft", long], ["draft", odd, "--into", long], ["compare", long, long], ["tree", long],
        ["schema", AGAINST, "--into", long], ["why", AGAINST, f"@{long}"], ["schema", AGAINST, "--check", long],
    ):  # fmt: skip
        result = run(*words)
        assert result.exit_code == 2, words[0]
        assert result.exception is None or isinstance(result.exception, SystemExit), words[0]


def test_check_a_broken_file() -> None:
    result = run("check", "-", "--against", AGAINST, stdin=b'[\n  {"origin": }\n]')
    assert result.exit_code == 1
    assert "<stdin>:2:14  /0/origin  needs a JSON value; got '}'" in result.output
    assert "could not be read to its end, so no record was checked" in result.output
    result = run("check", "-", "--against", AGAINST, "--format", "json", stdin=b"")
    told = json.loads(result.output)
    assert (told["records"], told["every"][0]["record"], told["every"][0]["code"]) == (0, 0, "absent")
    assert result.exit_code == 1


@pytest.mark.parametrize("against", ["json_of:COUNTED", "json_of:HIDDEN", "counted.schema.json"])
def test_a_record_whose_text_is_wrong_is_refused(against: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.syspath_prepend(tmp_path)
    Path("json_of.py").write_text(
        "from typing import Annotated, TypedDict\nfrom dutiful_gate import Gate, secret\n"
        "class Counted(TypedDict, total=False):\n    a: int\n    b: int\n"
        "class Hidden(TypedDict, total=False):\n    a: Annotated[int, secret]\n    b: int\n"
        "COUNTED, HIDDEN = Gate(Counted), Gate(Hidden)\n"
    )
    Path("counted.schema.json").write_text('{"type": "object", "properties": {"a": {"type": "integer"}}}')
    raw = b'[{"a": 1}, {"a": NaN, "b": 1}, {"a": 1, "a": 2}, {"a": "x", "b": NaN}, {"a": 7}]'
    result = run("check", "-", "--against", against, stdin=raw)
    assert result.exit_code == 1
    assert "5 records: 2 admitted, 3 refused with 4 faults" in result.output
    assert [line.split()[1] for line in result.output.splitlines() if "<stdin>:" in line] == [
        "/1/a",
        "/2/a",
        "/3/a",
        "/3/b",
    ]
    many = run("check", "-", "--against", against, stdin=b"[" + b",".join([b'{"a": NaN}'] * 700) + b', {"a": 1}]')
    assert "701 records: 1 admitted, 700 refused with 700 faults" in many.output  # each of them, past any limit
    alone = run("check", "-", "--against", against, stdin=b'\xef\xbb\xbf {"a": NaN}')
    assert (alone.exit_code, "1 record: 0 admitted, 1 refused with 1 fault" in alone.output) == (1, True)


@pytest.mark.parametrize(
    ("document", "words"),
    [
        ('{"not": ' * 50_000 + "true" + "}" * 50_000, "nests deeper than can be judged"),
        ('{"const": NaN}', "the document is no JSON at /const: it has NaN there"),
        ("[1, 2", "odd.json is no JSON: "),
        ("", "odd.json is no JSON: "),
        ("\udcff", "odd.json is no JSON: "),
    ],
    ids=["deep", "nan", "open", "empty", "bytes"],
)
def test_a_file_that_is_no_document_is_told(document: str, words: str, tmp_path: Path) -> None:
    file = tmp_path / "odd.json"
    file.write_text(document, errors="surrogateescape")
    for words_of_command in (["check", "-", "--against", str(file)], ["declare", str(file)]):
        result = run(*words_of_command, stdin=b"[]")
        assert result.exit_code == 2
        assert words in result.output
        assert "odd.json" in result.output
    assert run("check", "-", "--against", str(tmp_path) + ".json", stdin=b"[]").exit_code == 2
    (tmp_path / "folder.json").mkdir()
    assert "there is no document" in run("check", "-", "--against", str(tmp_path / "folder.json"), stdin=b"[]").output


def test_check_an_empty_list() -> None:
    result = run("check", "-", "--against", AGAINST, stdin=b"[]")
    assert result.exit_code == 0
    assert "there was no record to check" in result.output
    result = run("check", "-", "--against", AGAINST, "--format", "json", stdin=b" [ ] ")
    assert (result.exit_code, json.loads(result.output)["records"]) == (0, 0)


CANNOT: list[tuple[list[str], str]] = [
    (["check", "nowhere.json", "--against", AGAINST], "there is no file 'nowhere.json'; check the path"),
    (["check", ".", "--against", AGAINST], "has no files of a known form"),
    (["check", DATA, "--against", "Booking"], "write it as module:Name"),
    (["check", DATA, "--against", "no_such_module:Booking"], "there is no module 'no_such_module' here"),
    (["check", DATA, "--against", "dutiful_gate.demo.ferries:Bookign"], "did you mean 'Booking'?"),
    (["schema", "broken_declaration:Berth"], "Berth.number: it > 'a' compares a whole number with 'a'"),
    (["schema", "broken_import:Berth"], "importing 'broken_import' failed: ZeroDivisionError"),
    (["schema", "broken_need:Berth"], "it needs 'no_such_package', which is not installed"),
    (["check", DATA], "Missing option '--against'"),
]


@pytest.mark.parametrize(("words", "message"), CANNOT)
def test_cannot_run(words: list[str], message: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    head = "from dataclasses import dataclass\nfrom typing import Annotated\nfrom dutiful_gate import *\n"
    record = "@dataclass\nclass Berth:\n    number: Annotated[int, it > 'a']\n"
    (tmp_path / "broken_declaration.py").write_text(head + record)
    (tmp_path / "broken_import.py").write_text("1 / 0\n")
    (tmp_path / "broken_need.py").write_text("import no_such_package\n")
    monkeypatch.chdir(tmp_path)
    result = run(*words)
    assert result.exit_code == 2
    assert message in result.output


def test_schema() -> None:
    result = subprocess.run(
        [sys.executable, "-m", "dutiful_gate", "schema", AGAINST], capture_output=True, text=True, check=True
    )
    assert json.loads(result.stdout)["$defs"]["Crate"]["type"] == "object"
    assert "Booking.arrives: this.arrives > this.departs" in result.stderr


def test_demo(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    result = run("demo", "--into", ".")
    assert result.exit_code == 0
    told = [words for words in result.output.split("dutiful ") if words.startswith("check manifest.csv")]
    assert sum(line.startswith("  /") for line in told[0].splitlines()) == 8, "faults of eight kinds"
    assert told[1].count("5,000 records: 4,768 admitted, 232 refused with 232 faults") == 1
    assert len((tmp_path / "sound.ndjson").read_text().splitlines()) == 4_768
    assert len((tmp_path / "refused.csv").read_text().splitlines()) == 233
    for words in ("class Booking:", "240 records: 230 admitted, 10 refused", "^ needs text; got 12", '"status": 422'):
        assert words in result.output
    commands = [line.strip() for line in result.output.splitlines() if line.startswith("   dutiful ")]
    codes = [run(*command.split()[1:]).exit_code for command in commands]
    assert codes[:4] == [0, 0, 1, 2], "drafted, shown, checked, and not split again over what is there"
    assert codes[4:] == [1, 0, 0, 0, 0, 0, 1, 0], (
        "some are refused, the document is written, and proved; two profiles differ"
    )
    (tmp_path / "manifest.csv").write_text("mine\n")
    again = run("demo", "--into", ".", "--feed", "300")
    assert "is left alone" in again.output
    assert "300 bookings in feed.ndjson" in again.output
    assert (tmp_path / "manifest.csv").read_text() == "mine\n"
    assert run("check", "feed.ndjson", "--against", AGAINST, "--brief").output.count("300 records") == 1
    assert (run("demo", "--feed", "3").exit_code, run("demo", "--into", "/proc").exit_code) == (2, 2)


def test_help_has_examples() -> None:
    for verb in ((), ("check",), ("schema",), ("demo",)):
        result = run(*verb, "--help")
        assert result.exit_code == 0
        assert f"    dutiful {' '.join(verb)}".rstrip() in result.output
    assert __version__ in run("--version").output


def test_any_terminal_will_do() -> None:
    raw = '{"priority": "Ærø\ud83d"}'.encode("utf-8", "surrogatepass").replace(b"\xed\xa0\xbd", b"\\ud83d")
    environment = {**os.environ, "PYTHONIOENCODING": "ascii", "COLUMNS": "40"}
    command = [sys.executable, "-m", "dutiful_gate", "check", "-", "--against", AGAINST]
    result = subprocess.run(command, input=raw, capture_output=True, env=environment, check=False)
    assert result.returncode == 1
    assert rb"'\xc6r\xf8\ud83d'" in result.stdout
    assert b"Traceback" not in result.stderr


SCHEMA = ("schema", AGAINST)


def test_the_document_in_other_words(tmp_path: Path) -> None:
    plain = json.loads(run(*SCHEMA, "--of", "release", "--dialect", "openapi-3.0", "--formats", "spell-out").stdout)
    booking = plain["components"]["schemas"]["Booking"]
    assert "priority" in booking["required"]
    assert "pattern" in booking["properties"]["departs"]
    into = tmp_path / "schemas" / "booking.json"
    into.parent.mkdir()
    data, settings = tmp_path / "data.json", tmp_path / "data.yaml"
    data.write_text('{\n    "origin": "QLP"\n}\n')
    settings.write_text("origin: QLP\n")
    for _ in range(2):  # the second time replaces what the first wrote
        assert run(*SCHEMA, "--into", str(into), "--editor", "json", "--for", str(data)).exit_code == 0
        assert run(*SCHEMA, "--into", str(into), "--editor", "yaml", "--for", str(settings)).exit_code == 0
    assert data.read_text() == '{\n  "$schema": "./schemas/booking.json",\n    "origin": "QLP"\n}\n'
    assert settings.read_text() == "# $schema: ./schemas/booking.json\norigin: QLP\n"
    assert json.loads(into.read_text())["$schema"] == "http://json-schema.org/draft-07/schema#"
    mapping = json.loads(run(*SCHEMA, "--into", str(into), "--editor", "workspace", "--for", str(settings)).stdout)
    assert mapping == {"yaml.schemas": {"./schemas/booking.json": ["data.yaml"]}}
    data.write_text("[1]")
    refused = run(*SCHEMA, "--into", str(into), "--editor", "json", "--for", str(data))
    assert (refused.exit_code, "only a record can have a $schema key" in refused.output) == (2, True)
    several = json.loads(run(*SCHEMA, "dutiful_gate.demo.ferries:Crate", "--id", "urn:x").stdout)
    assert (several["$id"], list(several["$defs"])) == ("urn:x", ["Booking", "Crate"])
    assert "give --into FILE too" in run(*SCHEMA, "--editor", "json").output


def test_check_against_a_document(tmp_path: Path) -> None:
    document = tmp_path / "booking.json"
    document.write_text(json.dumps({"$ref": "parts/whole.json"}))
    (tmp_path / "parts").mkdir()
    (tmp_path / "parts" / "whole.json").write_text(run(*SCHEMA).stdout)
    result = run("check", DATA, "--against", str(document), "--documents", str(tmp_path))
    assert result.exit_code == 1
    assert f"{DATA}:456:20  /22/destination  needs text; got 12" in result.output
    document.write_text('{"$ref": "#/$defs/all", "$defs": {"all": {"type": "array", "maxItems": 9}}}')
    whole = run("check", DATA, "--against", str(document))
    assert "needs at most 9 items; got 240" in whole.output, "a document of lists judges the whole file"
    document.write_text(json.dumps({"$ref": "parts/whole.json"}))
    alone = run("check", DATA, "--against", str(document))
    assert (
        alone.exit_code,
        "'parts/whole.json' (for #)\n  Put them into a folder, by these names, and give it as --documents FOLDER."
        in alone.output,
    ) == (2, True)
    assert "there is no document 'gone.json'" in run("check", DATA, "--against", "gone.json").output


def test_prove() -> None:
    result = run("prove", AGAINST, "-n", "600")
    assert result.exit_code == 0
    assert "no disagreement" in result.output
    assert "Booking.arrives: this.arrives > this.departs" in result.output
    told = json.loads(run("prove", AGAINST, "-n", "600", "--format", "json", "--dialect", "draft-07").output)
    assert told["disagreements"] == []
    assert told["instances"] == told["admitted"] + told["refused"] + told["unsayable"] == 600
    assert told["unstated"][0]["met"] is True
    assert "there is no document 'x.json'" in run("prove", "x.json").output


def test_sample() -> None:
    made = json.loads(run("sample", AGAINST, "-n", "4", "--seed", "9").output)
    assert len(made) == 4
    assert made == json.loads(run("sample", AGAINST, "-n", "4", "--seed", "9").output)
    probes = json.loads(run("sample", AGAINST, "--probes").output)
    assert {"pointer", "code", "message"} <= probes[0]["fault"].keys()


def test_declare(tmp_path: Path) -> None:
    document = tmp_path / "booking.json"
    document.write_text(run(*SCHEMA).stdout)
    into = tmp_path / "shapes.py"
    written = run("declare", str(document), "--into", str(into))
    assert (written.exit_code, "2 records; all of it is types and rules" in written.stderr) == (0, True)
    assert into.read_text() == run("declare", str(document)).stdout
    assert "class Booking:" in into.read_text()
    odd = {
        "properties": {
            "tide": {"if": {"minLength": 2}, "then": {"pattern": "a"}, "format": "sea-level"},
            "port": {"default": 7, "type": "string"},
        }
    }
    document.write_text(json.dumps({"type": "object", **odd}))
    told = run("declare", str(document), "--places")
    assert "1 schema with a part that stays a document, obeys_document(...): if (1), then (1)" in told.stderr
    assert "#/properties/tide: if, then" in told.stderr
    assert "default left out at #/properties/port: it is refused by its own schema" in told.stderr
    assert "that ask nothing: sea-level (1)" in told.stderr
    document.write_text('{"type": "berth"}')
    refused = run("declare", str(document))
    assert (refused.exit_code, "cannot become declarations" in refused.output) == (2, True)
    document.write_text("{")
    assert "is no JSON" in run("declare", str(document)).output


@pytest.mark.parametrize("verb", ["check", "schema", "declare", "prove", "sample", "demo"])
def test_every_verb_has_help_with_an_example(verb: str) -> None:
    result = run(verb, "--help")
    assert result.exit_code == 0
    assert f"dutiful {verb}" in result.output.partition("Example:")[2]


def test_a_document_with_flaws_judges_by_the_rest_when_asked_to(tmp_path: Path) -> None:
    document, data = tmp_path / "berth.json", tmp_path / "data.json"
    berth = {"properties": {"port": {"enum": ["QLP", "OST"]}, "tide": {"$ref": "tides.json"}, "code": {"pattern": "["}}}
    document.write_text(json.dumps(berth))
    data.write_text(json.dumps([{"port": "QLP", "tide": 3}, {"port": "XXX", "code": "a"}, {"port": "OST"}]))
    refused = run("check", str(data), "--against", str(document))
    assert (refused.exit_code, "is no regular expression" in refused.output) == (2, True)
    told = run("check", str(data), "--against", str(document), "--flaws", "tell")
    assert told.exit_code == 1
    assert "2 parts of the document cannot be used" in told.output
    assert "2 values not judged" in told.output
    plain = json.loads(
        run("check", str(data), "--against", str(document), "--flaws", "tell", "--format", "json").stdout
    )
    assert [flaw["keyword"] for flaw in plain["flaws"]] == ["#/properties/code/pattern", "#/properties/tide/$ref"]
    assert plain["unjudged"] == [{"record": 1, "pointer": "/0/tide"}, {"record": 2, "pointer": "/1/code"}]
    assert plain["admitted"] == 2


def test_words_of_a_document_that_judge_nothing_are_told_beside_the_output(tmp_path: Path) -> None:
    document, data = tmp_path / "berth.json", tmp_path / "data.json"
    document.write_text(json.dumps({"type": "object", "properties": {}, "requird": [], "required\u202e": []}))
    data.write_text("{}")
    for words in (["check", str(data), "--against"], ["declare"], ["sample"], ["tree"]):
        told = run(*words, str(document))
        assert told.exit_code == 0
        assert "judges nothing: #/requird: no keyword; did you mean 'required'?" in told.stderr
        assert "\u202e" not in told.output
        assert "requird" not in told.stdout


def test_declare_does_not_write_over_a_file_unasked(tmp_path: Path) -> None:
    document, module = tmp_path / "berth.json", tmp_path / "shapes.py"
    document.write_text('{"type": "object", "title": "Berth", "properties": {"port": {"type": "string"}}}')
    module.write_text("kept = True\n")
    refused = run("declare", str(document), "--into", str(module))
    assert (refused.exit_code, "--overwrite" in refused.output) == (2, True)
    assert module.read_text() == "kept = True\n"
    assert run("declare", str(document), "--into", str(module), "--overwrite").exit_code == 0
    assert "class Berth" in module.read_text()


def test_data_is_made_from_a_document_and_proved(tmp_path: Path) -> None:
    document = tmp_path / "booking.json"
    document.write_text(run(*SCHEMA).stdout)
    made = tmp_path / "made.json"
    made.write_text(run("sample", str(document), "-n", "4").stdout)
    assert run("check", str(made), "--against", str(document)).exit_code == 0
    told = json.loads(run("sample", str(document), "--probes").stdout)
    assert {"absent", "kind", "pattern", "count"} <= {each["fault"]["code"] for each in told}
    proved = run("prove", str(document), "-n", "300")
    assert (proved.exit_code, "judged by in all ways" in proved.output, "no disagreement" in proved.output) == (
        0,
        True,
        True,
    )
    document.write_text('{"properties": {"port": {"enum": []}}, "required": ["port"], "type": "object"}')
    none = run("sample", str(document))
    assert (none.exit_code, "/port: no sound value was found" in none.output) == (2, True)


def _in_other_words(document: Any) -> Any:
    crates = document["$defs"]["Booking"]["properties"]["crates"]
    crates["maxItems"] = float(crates["maxItems"])
    return dict(reversed(document.items()))


def _in_another_order(document: Any) -> Any:
    document["$defs"]["Booking"]["required"].reverse()
    return document


def _changed(steps: str, part: Any) -> Any:
    def edit(document: Any) -> Any:
        held = document["$defs"]["Booking"]
        *before, last = steps.split()
        for step in before:
            held = held[step]
        held[last] = part
        return document

    return edit


@pytest.mark.parametrize(
    ("edit", "status", "says"),
    [
        (lambda document: document, 0, ["kept.json says what the declaration says"]),
        (_in_other_words, 0, ["kept.json says what the declaration says"]),
        (_changed("properties a/b", True), 1, ["1 part changed", "#/$defs/Booking/properties/a~1b: gone, was true"]),
        (_changed("required", ["origin", "berth"]), 1, ['/required: gone: "berth"', '/required: new: "destination"']),
        (_changed("required", [*map(str, range(10**4))]), 1, ['/required: gone: "0", "1", "2"', '"11" and 9,988 more']),
        (_in_another_order, 1, ["#/$defs/Booking/required: the same items in another order"]),
        (_changed("title", 1), 1, ['/title: was 1, now "Booking"', "To renew it: the same command with --into"]),
        (lambda document: {}, 1, ['#/$ref: new, "#/$defs/Booking"', "#/$defs: new, {"]),
        (lambda document: True, 1, ["#: was true, now {"]),
        (lambda document: document | {"$schema": "http://json-schema.org/draft-07/schema#"}, 1, ["give the --dialect"]),
        (_changed("x", {str(n): 0 for n in range(10**5)}), 1, ["/x: gone, was {"]),
        (
            _changed("properties", {f"{n}\x1b[31m": 0 for n in range(99)}),
            1,
            ["more", "properties/0\\u001b[31m: gone, was 0"],
        ),
    ],
)
def test_a_kept_document_that_is_stale(edit: Any, status: int, says: list[str], tmp_path: Path) -> None:
    kept = tmp_path / "kept.json"
    kept.write_text(json.dumps(edit(json.loads(run(*SCHEMA).stdout))))
    before = kept.read_bytes()
    told = run(*SCHEMA, "--check", str(kept))
    words = " ".join(told.stdout.split())
    assert (told.exit_code, [said for said in says if said not in words]) == (status, [])
    assert "\x1b[31m" not in told.stdout
    assert kept.read_bytes() == before


@pytest.mark.parametrize("also", [("--into", "kept.json"), ("--editor", "json")])
def test_a_check_of_a_kept_document_writes_nothing(also: tuple[str, ...]) -> None:
    refused = run(*SCHEMA, "--check", "kept.json", *also)
    assert (refused.exit_code, "leave out --into and --editor" in " ".join(refused.output.split())) == (2, True)


def test_what_is_kept_of_one_boolean_is_not_one() -> None:
    assert [
        str(found) for found in differences({"const": True, "enum": [1, 2.0]}, {"const": 1, "enum": [True, 2]})
    ] == [
        "#/const: was true, now 1",
        "#/enum: gone: 1",
        "#/enum: new: true",
    ]


_ATOMS = st.none() | st.booleans() | st.integers(-2, 2) | st.sampled_from([0.5, 1.0]) | st.text("a/~", max_size=2)
_PARTS = st.recursive(
    _ATOMS, lambda part: st.lists(part, max_size=3) | st.dictionaries(st.text("a/~", max_size=2), part)
)


@given(_PARTS, _PARTS)
def test_two_documents_differ_where_json_does(old: Any, new: Any) -> None:
    def told(part: Any) -> str:
        """JSON text that is the same for the same value: keys in order, and no 1.0 beside 1."""
        return json.dumps(part, sort_keys=True).replace("1.0", "1")

    assert list(differences(old, old)) == []
    assert bool(list(differences(old, new))) == (told(old) != told(new))
    assert bool(list(differences([{"a": old}], [{"a": new}]))) == (told(old) != told(new))


_HOSTILE = {
    "missing": (None, "no.json"),
    "in no folder": (None, "nowhere/a.json"),
    "not UTF-8": (b"\xff{}", "a.json"),
    "too deep": (b'{"a":' * 10**5, "a.json"),
    "cut off": (b'{"a": ', "a.json"),
    "a list": (b"[1]", "a.json"),
    "surrogates": (b'{"\\ud800": "\\udfff"}', "a.json"),
    "a number past floats": (b'{"a": 1e999, "b": ' + b"9" * 5000 + b"}", "a.json"),
}


@pytest.mark.parametrize("words", [
    "schema AGAINST --into FILE",
    "schema AGAINST --check FILE",
    "schema AGAINST --into s.json --editor json --for FILE",
    "schema AGAINST --into s.json --editor yaml --for FILE",
    "check sound.json --against AGAINST --since FILE",
    "check FILE --against AGAINST",
    "draft FILE",
    "draft FILE --format schema --into d.json",
    "draft sound.json --into FILE",
    "draft sound.json --hints FILE",
    "declare FILE",
    "declare kept.json --into FILE --overwrite",
    "tree FILE",
    "tree AGAINST --html FILE",
    "why AGAINST FILE",
    "compare FILE AGAINST",
    "compare AGAINST FILE",
    "prove AGAINST --against FILE",
])  # fmt: skip
@pytest.mark.parametrize("kind", _HOSTILE)
def test_no_file_costs_a_traceback(words: str, kind: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever a file holds, and wherever it stands: an answer, or what is wrong with it by its name."""
    monkeypatch.chdir(tmp_path)
    raw, file = _HOSTILE[kind]
    if kind == "missing" and ("--into FILE" in words or "--html FILE" in words) and Path("/dev/full").exists():
        file = "/dev/full"  # a disk with no room left
    Path("sound.json").write_text('[{"origin": "QLP"}]')
    Path("kept.json").write_text(run(*SCHEMA).stdout)
    if raw is not None:
        Path(file).write_bytes(raw)
    told = run(*[{"AGAINST": AGAINST, "FILE": file}.get(word, word) for word in words.split()])
    assert isinstance(told.exception, SystemExit | None), told.exception
    assert told.exit_code in {0, 1, 2}
    if told.exit_code == 2:
        assert Path(file).name in told.output
    assert [path.name for path in tmp_path.iterdir() if path.name.endswith(".part")] == []


def test_what_is_written_replaces_a_file_as_a_whole(tmp_path: Path) -> None:
    kept, link = tmp_path / "kept.json", tmp_path / "link.json"
    kept.write_text("{}")
    kept.chmod(0o640)
    link.symlink_to(kept)
    assert run(*SCHEMA, "--into", str(link)).exit_code == 0
    assert (link.is_symlink(), kept.stat().st_mode & 0o777) == (True, 0o640)
    assert json.loads(kept.read_text())["$ref"] == "#/$defs/Booking"
    data = tmp_path / "data.json"
    data.write_bytes(b'{\r\n  "a": 1\r\n}')
    run(*SCHEMA, "--into", str(kept), "--editor", "json", "--for", str(data))
    assert data.read_bytes() == b'{\n  "$schema": "./kept.json",\r\n  "a": 1\r\n}'
