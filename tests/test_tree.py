"""Trees of shapes and data: every field is there, every fault at its place, no secret, no failure for any document."""

# Rooms: outline

from __future__ import annotations

import json
import pickle
from contextlib import suppress
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Annotated, Any

import pytest
from click.testing import CliRunner

from any_declaration import any_declaration
from dutiful_gate import CannotSample, DeclarationError, Gate, Sealed, it, payloads, probes, secret
from dutiful_gate.cli.app import dutiful
from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.outline.as_html import page
from dutiful_gate.outline.branch import Branch
from dutiful_gate.outline.of_data import data_tree
from dutiful_gate.outline.of_document import shape_tree


@dataclass
class Pass:
    deck: int
    code: Annotated[str, secret, it.length > 3]
    key: Sealed[str] | None = None


passes = Gate(Pass)


def named(tree: Branch, name: str) -> Branch:
    return next(each for each in tree.below() if each.name == name)


@pytest.mark.parametrize("seed", range(40))
def test_trees_of_generated_shapes_and_of_data_with_their_faults(seed: int) -> None:
    declared, words = any_declaration(seed)
    try:
        gate = Gate(declared, **words)
        document = gate.schema()
    except DeclarationError:
        return
    tree = shape_tree(Gate.from_schema(document), "shape")
    names = {each.name for each in tree.below()}
    root = document.get("$defs", {}).get(document.get("$ref", "").removeprefix("#/$defs/"), document)
    assert set(root.get("properties", {})) <= names
    with suppress(CannotSample):
        for data, _ in islice(probes(gate, seed), 20):
            verdict = gate.examine(data)
            whole = data_tree("data", verdict, verdict.entered())
            told = [*whole.faults, *(fault for each in whole.below() for fault in each.faults)]
            shown = {fault.message for fault in verdict.faults if "(hidden)" not in fault.path}
            assert shown <= set(told)
            assert "<script" not in page(whole)


@pytest.mark.parametrize(
    ("document", "name", "words", "rules"),
    [
        (
            {"properties": {"a": {"type": ["integer", "null"], "minimum": 3}}},
            "a",
            "a whole number, or null",
            "a number of at least 3",
        ),
        ({"properties": {"a": {"enum": [1, "x", None]}}}, "a", "one of 1, 'x', or null", ""),
        ({"properties": {"a": {"$ref": "#/$defs/n"}}, "$defs": {"n": {"type": "string"}}}, "a", "text", ""),
        ({"properties": {"a": {"anyOf": [{"type": "string"}, {"type": "null"}]}}}, "a", "text, or null", ""),
        ({"properties": {"a": {"oneOf": [{"type": "string"}, {"type": "array"}]}}}, "a", "one of 2 kinds", ""),
        ({"properties": {"a": {"$ref": "#"}}}, "a", "any value, as above", ""),
        ({"properties": {"a": {"format": "berth-code"}}}, "a", "any value", "of the format berth-code"),
        ({"properties": {"a": False}}, "a", "nothing", ""),
        ({"required": ["a"]}, "a", "any value", ""),
        ({"items": {"type": "string"}}, "each item", "text", ""),
        ({"prefixItems": [{"type": "string"}]}, "item 1", "text", ""),
        ({"additionalProperties": {"type": "boolean"}}, "each other key", "true or false", ""),
        ({"patternProperties": {"^x": {"type": "boolean"}}}, "each key that has ^x", "true or false", ""),
        ({"allOf": [{"properties": {"a": {"type": "null"}}}]}, "a", "any value, or null", ""),
    ],
)
def test_what_documents_say(document: dict[str, Any], name: str, words: str, rules: str) -> None:
    branch = named(shape_tree(Gate.from_schema(document), "it"), name)
    assert branch.words == words
    assert "; ".join(branch.rules) == rules


def test_a_document_of_many_ways_ends() -> None:
    many = {
        f"d{n}": {"properties": {f"k{m}": {"$ref": f"#/$defs/d{(n + m) % 30}"} for m in range(6)}} for n in range(30)
    }
    tree = shape_tree(Gate.from_schema({"$ref": "#/$defs/d0", "$defs": many}), "it")
    assert sum(1 for _ in tree.below()) < 40_000


TARGET = f"{Booking.__module__}:Booking"


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        ([TARGET], 0, ["├── origin *  text that matches ^[A-Z]{3}$", "weight_kg *", "└── priority"]),
        ([TARGET, "--depth", "1"], 0, ["… 1 below"]),
        ([TARGET, "--find", "weight"], 0, ["└── crates *", "weight_kg"]),
        ([TARGET, "--find", "nobody"], 0, ["nothing has 'nobody' in it"]),
        ([TARGET, "bad.json"], 1, ["origin  ' q '  needs text", "destination  nothing came  needs a value"]),
        ([TARGET, "bad.json", "--at-fault", "--depth", "1"], 1, ["origin"]),
        ([TARGET, "good.json", "--at-fault"], 0, ["nothing is wrong"]),
        (["booking.schema.json"], 0, ["contact *", "an email address"]),
        (["bad.json"], 0, ["bad.json", "origin *  text"]),
        (["broken.json"], 2, ["broken.json is no JSON"]),
        ([TARGET, "broken.json"], 1, ["broken.json  needs a JSON value; got the end of the text"]),
        (["rows.csv"], 0, ["port *  text  'QLP'", "deck *  a whole number"]),
        (["far.json"], 2, ["no record that can be drafted"]),
        (["nowhere.json"], 2, ["there is no file"]),
        ([TARGET, "nowhere.json"], 2, ["there is no file"]),
        ([TARGET, "--html", "tree.html"], 0, ["tree.html written"]),
    ],
)
def test_the_command(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, words: list[str], code: int, told: list[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    Path("bad.json").write_text('{"origin": " q "}')
    Path("broken.json").write_text('{"origin": ')
    Path("rows.csv").write_text("port,deck\nQLP,2\n")
    Path("far.json").write_text('[{"deck": 1e400}]')
    Path("good.json").write_text(json.dumps(payloads(bookings, 1)[0]))
    Path("booking.schema.json").write_text(json.dumps(bookings.schema()))
    run = CliRunner().invoke(dutiful, ["tree", *words])
    assert run.exit_code == code, run.output
    for line in told:
        assert line in run.output
    if "--html" in words:
        assert "<summary>" in Path("tree.html").read_text()


def test_secrets_are_in_no_tree() -> None:
    data = {"deck": "x", "code": "gull-4711", "key": "tern-4711"}
    verdict = passes.examine(data)
    assert "4711" not in page(data_tree("data", verdict, verdict.entered()))
    shape = shape_tree(Gate.from_schema(passes.schema()), "Pass", data)
    assert "4711" not in page(shape)
    assert named(shape, "code").words.endswith("secret")

    @dataclass
    class Held:
        keys: Annotated[dict[str, int], secret]
        deck: int

    for sent, words in (({"keys": {"4711": "x"}, "deck": 1}, "a hidden value"), ({"deck": 1}, "nothing came")):
        verdict = Gate(Held).examine(sent)
        tree = data_tree("data", verdict, verdict.entered())
        assert named(tree, "keys").words == words
        assert named(tree, "keys").faults
        assert "4711" not in page(tree)
    for odd in ([1], None, 3):
        verdict = Gate(Held).examine(odd)
        assert "null" not in data_tree("data", verdict, verdict.entered()).words


def test_pages_hold_nothing_from_outside_as_code() -> None:
    data = {"<script>alert(1)</script>": "<img src=x onerror=alert(2)>"}
    told = page(data_tree("<b>", Gate(dict[str, str]).examine(data), data))
    assert "<script" not in told
    assert "<img" not in told


def test_a_notebook_shows_gates_documents_and_verdicts() -> None:
    @dataclass
    class Key:
        """What opens <b>a</b> berth."""

        port: Annotated[str, it.matches("[A-Z]{3}")]
        token: Annotated[str, secret, it.length <= 4]

    gate = Gate(Key)
    shape = gate._repr_html_()
    for words in ("port *", "matches", "Key", "token *"):
        assert words in shape
    assert "<b>" not in shape
    assert "What opens &lt;b&gt;a" in shape
    assert "port *" in gate.schema()._repr_html_()
    judging = Gate.from_schema({"title": "Berth", "properties": {"n": {"$ref": "gone.json"}}}, flaws="tell")
    assert "Berth" in judging._repr_html_()
    assert "<" in Gate.from_schema(False)._repr_html_()
    refused = gate.examine({"port": "<script>", "token": "h1dden-words"})._repr_html_()
    assert "needs text that matches" in refused
    assert "2 faults" in refused
    admitted = gate.examine({"port": "QLP", "token": "h1dd", "x": 1})
    assert "a value of the type Key" in admitted._repr_html_()
    assert "1 unknown key left out: x" in admitted._repr_html_()
    for held in (refused, admitted._repr_html_(), shape):
        assert "h1dd" not in held
        assert "<script" not in held
    travelled = pickle.loads(pickle.dumps(gate.examine({})))
    assert "needs a value" in travelled._repr_html_()
    for kind in (Any, Key | None, list[Key], int, dict[str, Key]):
        assert "outline" in Gate(kind)._repr_html_()
        assert "outline" in Gate(kind).examine(object())._repr_html_()
