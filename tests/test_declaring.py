"""Documents that become declarations: what is written for each construct, that a developer can keep it, and that it judges alike."""

# Rooms: document/declaring

from __future__ import annotations

import ast
import json
import re
import subprocess
import sys
from contextlib import suppress
from importlib.util import find_spec
from pathlib import Path
from random import Random
from textwrap import dedent
from typing import Any

import pytest

from any_declaration import loaded
from dutiful_gate import CannotSample, Gate, declarations_of
from dutiful_gate.codegen.layout import WIDTH, commented, laid_out
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.sampling import maker_for

TEXT = {"type": "string"}


def of(**words: Any) -> dict[str, Any]:
    """A record of tides, with two properties of its own."""
    return {"type": "object", "title": "Tide", "properties": {"a": TEXT, "b": {"type": "integer"}}, **words}


# A document, the draft it is of, and lines that stand in its module.
SAID: list[tuple[dict[str, Any], str, list[str]]] = [
    (of(additionalProperties=False), "2020-12", ['@obeys(unknown="refuse")', "a: NotRequired[str]"]),
    (of(additionalProperties={"type": "number"}), "2020-12", ["others: Annotated[dict[str, float], rest]"]),
    (of(properties={"a": {**TEXT, "default": "x"}, "b": {"type": "array", "default": [1]}}), "2020-12",
     ['a: str = "x"', "b: list[Any] = field(default_factory=lambda: [1])"]),
    (of(properties={"a": {**TEXT, "default": "x"}, "b": TEXT}), "2020-12", ['a: Annotated[str, if_absent("x")]']),
    (of(properties={"a": {"type": "string", "format": "date", "default": "2026-05-04"}}), "2020-12",
     ['a: Annotated[date, if_absent(sent="2026-05-04")]']),
    (of(properties={"a": {"type": ["string", "null"], "enum": ["x", None, "y"]}}), "2020-12", ['Literal["x", None, "y"]']),
    (of(properties={"a": {"type": ["string", "integer"], "minLength": 2, "minimum": 3}}), "2020-12",
     ["Annotated[str, it.length >= 2] | Annotated[int, it >= 3]"]),
    (of(properties={"a": {"enum": [1.5, [1], {"b": True}]}}), "2020-12", ['Annotated[Any, it.one_of(1.5, [1], {"b": True})]']),
    ({"allOf": [{"$ref": "#/$defs/Base"}, {"properties": {"c": TEXT}, "required": ["a"]}], "title": "More",
      "$defs": {"Base": {"type": "object", "properties": {"a": TEXT}, "required": ["a"]}}}, "2020-12",
     ["class More(TypedDict):", "    a: str", "    c: NotRequired[str]"]),
    (of(patternProperties={"^x-": {"type": "integer"}}), "2020-12",
     ['like_x: Annotated[dict[Annotated[str, it.starts_with("x-")], int], rest]', "others: Annotated[dict[str, Any], rest]"]),
    ({"type": "object", "patternProperties": {"^[a-z]+$": TEXT}, "additionalProperties": False}, "2020-12",
     ['gate = Gate(dict[Annotated[str, it.matches("[a-z]+")], str])']),
    ({"type": "array", "prefixItems": [TEXT, {"type": "integer"}], "items": {"type": "boolean"}, "minItems": 1}, "2020-12",
     ["Document = tuple[str] | tuple[str, int, *tuple[bool, ...]]"]),
    ({"type": "array", "items": [TEXT, {"type": "integer"}], "additionalItems": False, "minItems": 2}, "draft-07", ["tuple[str, int]"]),
    ({"properties": {"a": TEXT}, "required": ["a"]}, "2020-12", ["Document = DocumentRecord | NotAnObject", "class DocumentRecord:"]),
    ({"type": "integer", "minimum": 1}, "draft-04", ["Annotated[int, without_point, it >= 1]"]),
    ({"oneOf": [{"type": "string", "minLength": 3}, {"type": "string", "pattern": "a"}]}, "2020-12",
     ['Annotated[Annotated[str, it.length >= 3] | Annotated[str, it.contains("a")], unambiguous]']),
    ({"oneOf": [of(properties={"in": of(properties={"x": {"const": number}}, required=["x"])}, required=["in"]) for number in (1, 2)]}, "2020-12", ["Document = Tide | Tide2"]),
    ({"oneOf": [{"type": "string"}, {"type": "integer"}, {"enum": [None, True]}]}, "2020-12", ["str | int | Literal[None, True]"]),
    ({"oneOf": [{}, {"const": 1}, {"enum": [2, "long"]}], "maxLength": 3}, "2020-12", ["together] | Literal[1] | Literal[2], unambiguous]"]),
    (of(properties={"a": {"type": "object", "additionalProperties": False, "minProperties": 1}}), "2020-12", ["a: NotRequired[Never]"]),
    (of(properties={"a": {"type": "object", "additionalProperties": False}}), "2020-12", ["a: NotRequired[Annotated[dict[str, Any], it.length == 0]]"]),
    ({"oneOf": [{"enum": [1, 2]}, {"enum": [2, 3]}]}, "2020-12", ["Annotated[Literal[1, 2] | Literal[2, 3], unambiguous]"]),
    ({"type": ["integer", "null"], "oneOf": [{"enum": [1, 2]}, {"enum": [2, 3, None]}]}, "2020-12", ["Annotated[Literal[1, 2] | Literal[2, 3, None], unambiguous]"]),
    ({"type": "string", "pattern": r"^\p{Lu}.*$"}, "2020-12", [r'it.has(ecma(r"^\p{Lu}.*$"))']),
    (of(properties={"a": {"type": "string", "pattern": r"^[\$]\/x"}, "b": {"type": "string", "pattern": r"-[^\[\$\.b]"}, "in": {"type": "string", "pattern": r"\-/\+"}}), "2020-12",
     [r'it.has(r"^[\$]\/x")', r'it.has(r"-[^\[\$\.b]")', r'it.has(r"\-/\+")']),
    ({"type": ["string", "integer"], "anyOf": [{"enum": ["a", None]}, {"type": "integer"}]}, "2020-12", ['Document = Literal["a"] | int']),
    (of(properties={"a": {"writeOnly": True, "type": "array", "items": {"type": "string", "pattern": "^q"}}}), "2020-12",
     ['Annotated[list[Annotated[str, it.has("^q")]], secret]']),
    ({"type": "number", "not": {"enum": ["a", 1, None]}}, "2020-12", ["gate = Gate(Annotated[float, it != 1])"]),
    ({"type": "integer", "not": {"enum": ["a", 1, 1.5]}}, "2020-12", ["it != 1"]),
    ({"type": "string", "not": {"enum": ["a", "b"]}}, "2020-12", ['it != "a"', 'it != "b"']),
    ({"type": ["string", "null"], "not": {"type": "null"}}, "2020-12", ["gate = Gate(str)"]),
    (of(properties={"a": False}), "2020-12", ["a: NotRequired[Never]"]),
    (of(propertyNames={"anyOf": [{"const": "a"}, {"pattern": "^b"}]}), "2020-12", ['it.has(ecma("(?:^(?:a)$)|(?:^b)"))']),
    (of(anyOf=[{"required": ["a"]}, {"required": ["b"]}]), "2020-12", ['@obeys(at_least_one("a", "b"))']),
    (of(**{"not": {"required": ["a", "b"]}}), "2020-12", ["@obeys(~(this.a.came & this.b.came))"]),
    (of(dependentRequired={"a": ["b"]}), "2020-12", ['@obeys(needs("b", given="a"))']),
    (of(dependencies={"a": ["b"]}), "draft-07", ['@obeys(needs("b", given="a"))']),
    (of(**{"if": {"properties": {"a": {"const": "x"}}, "required": ["a"]}, "then": {"required": ["b"]},
           "else": {"properties": {"b": {"minimum": 3}}}}), "2020-12",
     ['when(this.a == "x").obeys(this.b.came).or_else.obeys(~this.b.came | this.b.obeys(it >= 3))']),
    (of(minProperties=1), "2020-12", ["@obeys(this.length >= 1)", "others: Annotated[dict[str, Any], rest]"]),
    (of(unevaluatedProperties=False, allOf=[{"properties": {"c": TEXT}}]), "2020-12",
     ['@obeys(unknown="refuse")', "c: NotRequired[str]"]),
    ({"$ref": "#/$defs/Cargo", "$defs": {"Cargo": {"anyOf": [TEXT, {"type": "array", "items": {"$ref": "#/$defs/Cargo"}}]}}}, "2020-12",
     ['Cargo = str | list["Cargo"]']),
    (of(properties={"length": TEXT, "class": TEXT, "a-b": TEXT}, required=["class"],
        anyOf=[{"required": ["length"]}, {"required": ["a-b"]}]), "2020-12", ["class_: Annotated[str, named(\"class\")]"]),
    (of(properties={"in": {"type": "object", "properties": {"x": {"type": "integer"}}, "required": ["x"]}},
        **{"if": {"properties": {"in": {"properties": {"x": {"const": 1}}, "required": ["x"]}}, "required": ["in"]},
           "then": {"required": ["b"]}}), "2020-12", ["when(this.in_.x == 1).obeys(this.b.came)"]),
]  # fmt: skip


@pytest.mark.parametrize(("document", "draft", "lines"), SAID)
def test_what_is_written(document: dict[str, Any], draft: str, lines: list[str]) -> None:
    text = declarations_of(document, dialect=draft)
    flat = re.sub(r",? *([)\]])", r"\1", re.sub(r"([(\[]) +", r"\1", re.sub(r"\s+", " ", text)))
    for line in lines:
        assert line.strip() in flat, text
    assert text.embedded == {}
    assert "obeys_document(" not in text
    judged_alike(document, text, draft, 300)


def judged_alike(document: Any, text: str, draft: str, count: int) -> None:
    """Ask the document and its declarations the same data, sound and spoiled; what is admitted goes out and comes again."""
    judge, gate, random = Gate.from_schema(document, dialect=draft, formats="assert"), loaded(text), Random(7)
    asked: list[Any] = [None, 1, "a", [], {}, {"a": "x"}, {"a": "x", "b": 3}, {"a": 1}, {"x-1": 1}, {"in": {"x": 1}}]
    makes, edges = maker_for(judge, random), Edges(gate.shape, random)
    with suppress(CannotSample):
        asked += [makes.make() for _ in range(count // 6)]
    while len(asked) < count:
        asked.append(edges.spoiled(gate.shape.root, random.choice(asked)))
    admitted = 0
    for each in asked:
        try:
            data = json.loads(json.dumps(each, allow_nan=False))
        except (TypeError, ValueError):
            continue  # no JSON
        if re.search(r"\d{300}|\\ud[89a-f]", json.dumps(data)):
            continue  # no double holds it, no UTF-8 has it
        assert gate.accepts(data) == judge.accepts(data), (text, data)
        if gate.accepts(data):
            admitted += 1
            assert gate.accepts(json.loads(gate.release_json(gate.admit(data)))), (text, data)
    assert admitted


WHOLE: dict[str, Any] = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "A manifest of Tern Sound Ferries",
    "description": "What a ferry carries, as its office sends it: " + "every crate and every pallet of it, " * 8,
    "type": "object",
    "properties": {
        f"part-{number}": {"description": "One of many parts, told at some length. " * 5, **schema}
        for number, (schema, draft, _) in enumerate(SAID)
        if draft == "2020-12" and "$defs" not in schema
    }
    | {"is_urgent": {"type": "boolean"}, "why": TEXT},
    "if": {"properties": {"is_urgent": {"const": False}}, "required": ["is_urgent"]},
    "then": {"not": {"required": ["why"]}},
    "additionalProperties": False,
}


def test_a_developer_can_keep_it(tmp_path: Path) -> None:
    """It is typed, tidy, in lines of at most 120 signs, and each shared part stands once."""
    text = declarations_of(WHOLE)
    module = tmp_path / "manifest.py"
    module.write_text(text, encoding="utf-8")
    assert max(map(len, text.splitlines())) <= WIDTH
    assert text.count("NotAnObject = ") == 1
    for tool, command in (
        ("ruff", ["ruff", "check", "--isolated", "--line-length", "120", "--select", "E,F,W,I,UP,B,PIE,C4"]),
        ("mypy", ["mypy", "--strict", "--no-incremental"]),
    ):
        if find_spec(tool) is None:
            pytest.skip(f"{tool} is not installed")
        done = subprocess.run(
            [sys.executable, "-m", *command, str(module)], capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stdout
    judged_alike(WHOLE, text, "2020-12", 600)
    again = loaded(text).schema()
    assert loaded(declarations_of(json.loads(json.dumps(again)))).schema() == again


def test_what_falls_back_is_told_and_no_more_is_kept_than_it_needs() -> None:
    parts = {f"d{number}": {"type": "object", "properties": {"x": TEXT}, "title": f"D{number}"} for number in range(30)}
    odd = {"if": {"$ref": "#/$defs/d3"}, "then": {"items": {"$ref": "#/$defs/d4"}}}
    document = {
        "$ref": "#/$defs/d0",
        "$defs": {**parts, "d0": of(properties={"odd": odd, "a": {**TEXT, "default": 3}})},
    }
    text = declarations_of(document)
    assert text.embedded == {"#/$defs/d0/properties/odd": ("if", "then")}
    assert text.left_out == ("#/$defs/d0/properties/a: it is refused by its own schema",)
    kept = text.partition("DOCUMENT")[2].partition("class")[0]
    assert ['"d3"' in kept, '"d4"' in kept, '"d5"' in kept] == [True, True, False]
    summary = text.summary(places=True)
    assert "1 schema with a part that stays a document, obeys_document(...): if (1), then (1)" in summary
    assert "  #/$defs/d0/properties/odd: if, then" in summary
    # What is cut away leaves a schema in every draft: the oldest has no `true`.
    barred = {"not": {"$ref": "#/definitions/barred"}}
    old: dict[str, Any] = {"definitions": {"barred": {"items": {"minLength": 2, "maximum": 4}}}}
    old["allOf"] = [{"type": "object"}, {"properties": {"a": barred}}]
    assert declarations_of(old, dialect="draft-04").embedded
    judged_alike(old, declarations_of(old, dialect="draft-04"), "draft-04", 60)
    doubled = {"oneOf": [{}, {"const": 1}, {"enum": [1, "long"]}], "maxLength": 3}
    assert "NotText" not in declarations_of(doubled), "no name is left that nothing uses"
    unions = [{"type": ["integer", "null"]}, {"anyOf": [{"type": "null"}, {"type": "integer"}]}]
    for same in (unions, [{"enum": [1, 2]}, {"enum": [2, 1]}]):
        alike = {"oneOf": [*same, TEXT]}
        judged_alike(alike, declarations_of(alike), "2020-12", 60)


def test_presence_is_told_alike_where_an_alternative_leaves_no_null() -> None:
    either = {"anyOf": [{"type": "string", "pattern": "a"}, {"type": "array", "contains": {"const": "a"}}]}
    for word, sugar in (("oneOf", "exactly_one"), ("anyOf", "at_least_one")):
        options = [{"required": ["a"]}, {"required": ["b"]}]
        document = of(properties={"a": either, "b": {"allOf": [either]}}, **{word: options})
        text = declarations_of(document)
        assert f'@obeys({sugar}("a", "b"))' in text
        judged_alike(document, text, "2020-12", 120)
        nullable = of(properties={"a": {"anyOf": [*either["anyOf"], {"type": "null"}]}, "b": either}, **{word: options})
        assert sugar not in declarations_of(nullable)
        judged_alike(nullable, declarations_of(nullable), "2020-12", 120)


ODD = {"not": {"$ref": "#/$defs/barred"}}
BARRED = {"barred": {"minimum": 3, "maxLength": 4}}
CRATE = "https://quays.example/crate"
RESOURCES: dict[str, dict[str, Any]] = {
    "alone": {"properties": {"a": {"$ref": "#/$defs/odd"}}, "$defs": {"odd": ODD, **BARRED}},
    "beside another": {
        "properties": {"a": ODD, "b": {"$ref": f"{CRATE}#/$defs/odd"}},
        "$defs": {**BARRED, "in": {"$id": CRATE, "$defs": {"odd": ODD, **BARRED}}},
    },
    "the other leads into it": {
        "properties": {"a": {"not": {"$ref": CRATE}}, "b": {"$ref": f"{CRATE}#/$defs/odd"}},
        "$defs": {"in": {"$id": CRATE, "maximum": 4, "maxLength": 4, "$defs": {"odd": ODD, **BARRED}}},
    },
    "one inside the other": {
        "properties": {"a": {"$ref": f"{CRATE}/a#/$defs/odd"}, "b": {"$ref": f"{CRATE}/b#/$defs/odd"}},
        "$defs": {
            "outer": {
                "$id": f"{CRATE}/a",
                "$defs": {"odd": ODD, **BARRED, "inner": {"$id": "b", "$defs": {"odd": ODD, **BARRED}}},
            }
        },
    },
    "it leads to the whole": {
        "properties": {"b": {"$ref": f"{CRATE}#/$defs/odd"}},
        "$id": "https://quays.example/booking",
        "$defs": {"in": {"$id": CRATE, "$defs": {"odd": {"not": {"$ref": "booking#/$defs/barred"}}}}, **BARRED},
    },
    "dynamic": {
        "$ref": CRATE,
        "$defs": {
            "in": {
                "$id": CRATE,
                "$dynamicAnchor": "crate",
                "properties": {"a": {"$dynamicRef": "#crate"}, "b": {"type": "integer"}},
                "additionalProperties": False,
            }
        },
    },
    "another edition": {
        "properties": {"a": {"$ref": f"{CRATE}#/definitions/odd"}},
        "$defs": {
            "in": {
                "$schema": "http://json-schema.org/draft-07/schema#",
                "$id": CRATE,
                "definitions": {"odd": {"not": {"$ref": "#/definitions/barred"}}, **BARRED},
            }
        },
    },
}


@pytest.mark.parametrize("about", RESOURCES)
def test_what_stays_is_not_wrapped_in_one_document_more_at_each_round(about: str) -> None:
    document = {"type": "object", **RESOURCES[about]}
    text = declarations_of(document)
    assert text.embedded
    judged_alike(document, text, "2020-12", 200)
    rounds = [json.loads(json.dumps(loaded(text).schema()))]
    for _ in range(2):
        text = declarations_of(rounds[-1])
        judged_alike(document, text, "2020-12", 100)
        rounds.append(json.loads(json.dumps(loaded(text).schema())))
    assert rounds[1] == rounds[2], "the second gives back what it was made of"


@pytest.mark.parametrize(
    ("record", "kept"),
    [
        (of(properties={"a": {**TEXT, "default": "x"}, "b": TEXT}, anyOf=[{"required": ["a"]}, {"required": ["b"]}]), False),
        (of(properties={"a": {**TEXT, "default": "x"}, "b": TEXT}, **{"if": {"properties": {"a": {"const": "x"}}}, "then": {"required": ["b"]}}), True),
        (of(properties={"a": {**TEXT, "default": "x"}, "b": TEXT}, **{"if": {"properties": {"a": {"const": "y"}}}, "then": {"required": ["b"]}}), False),
        (of(properties={"a": {**TEXT, "default": "x"}}, minProperties=1), False),
    ],
)  # fmt: skip
def test_defaults_that_change_what_a_record_is_judged_to_be_are_left_out(record: dict[str, Any], kept: bool) -> None:
    text = declarations_of(record)
    assert ("if_absent" in text or '= "x"' in text) is kept
    assert bool(text.left_out) is not kept
    judged_alike(record, text, "2020-12", 200)


def test_a_default_of_a_record_that_holds_itself_does_not_stand_in_itself() -> None:
    document = of(properties={"next": {"$ref": "#", "default": {}}, "day": {"type": "string", "format": "date"}})
    text = declarations_of(document)
    assert "it would stand in itself without an end" in text.left_out[0]
    judged_alike(document, text, "2020-12", 100)


def test_several_files_become_one_module() -> None:
    files = {
        "crate.json": {"$id": "https://quays.example/shapes/crate-2.json", "title": "Crate", **of(required=["a"])},
        "more/port.json": {"enum": ["QLP", "OST"]},
    }
    document = {
        "$id": "https://quays.example/shapes/booking.json",
        "type": "object",
        "title": "Booking",
        "properties": {
            "crates": {"type": "array", "items": {"$ref": "crate.json"}},
            "port": {"$ref": "more/port.json"},
        },
    }
    text = declarations_of(document, documents=files)
    assert (text.embedded, "DOCUMENT" in text) == ({}, False)
    gate = loaded(text)
    assert gate.accepts({"crates": [{"a": "x"}], "port": "QLP"})
    assert not gate.accepts({"crates": [{}]})
    assert not gate.accepts({"port": "XXX"})


@pytest.mark.parametrize("length", range(60, 140))
def test_no_line_is_longer_than_it_may_be_and_comments_are_as_long(length: int) -> None:
    words = "r" * (length % 7 + 1) + " " + "o" * (length - length % 7 - 2)
    document = of(
        properties={"a": {"type": "string", "description": words, "$comment": words * 2, "enum": [words, "b"]}}
    )
    text = declarations_of(document)
    assert max(map(len, text.splitlines())) <= 120 or length > 100
    assert loaded(text).accepts({"a": words})
    assert len(commented("x " * 56 + "xx", "    ")) == 1
    assert len(commented("x " * 56 + "xxx", "    ")) == 2


@pytest.mark.parametrize("depth", [1, 3, 8])
def test_long_lines_say_the_same_when_they_are_laid_out(depth: int) -> None:
    inner = 'Literal["QLP", "OST"]'
    for number in range(depth):
        inner = f'Annotated[list[{inner} | None], it.has(r"^\\d{{{number}}}\\\\\\\\|[A-Z]+$"), about(text="{"a crate of rope, " * 9}")]'
    code = f"crates: {inner} | int = 7"
    laid = laid_out(code, "    ")
    assert all(len(line) <= WIDTH for line in laid.splitlines())
    assert ast.dump(ast.parse(dedent(laid))) == ast.dump(ast.parse(code))


@pytest.mark.parametrize("of_root", [{}, {"minProperties": 1}])
def test_a_record_that_counts_its_keys_says_itself_that_no_more_may_come(of_root: dict[str, int]) -> None:
    """Also where the gate says so for all, since the root takes an editor's `$schema`: the module loads."""
    inner = {"properties": {"a": {"type": "integer"}}, "minProperties": 1, "additionalProperties": False}
    document = {
        "type": "object", "properties": {"$schema": {}, "item": {"type": "object", **inner}},
        "additionalProperties": False, **of_root,
    }  # fmt: skip
    gate, judge = loaded(declarations_of(document)), Gate.from_schema(document)
    for data in ({"$schema": "x"}, {"item": {}}, {"item": {"a": 1}}, {"item": {"b": 1}}, {}, {"b": 1}, {"item": 1}):
        assert gate.accepts(data) == judge.accepts(data), data


ODD_LENGTHS = {"not": {"minLength": 2, "maxLength": 2, "minItems": 2, "maxItems": 2}}
ONLY_SHORT = {"if": {"maxLength": 1}, "then": {"const": "a"}}


def test_what_stays_a_document_takes_along_all_that_it_leads_to() -> None:
    leads = {
        "b": {"allOf": [{"$ref": "#/$defs/c"}]},
        "c": {"anyOf": [{"$ref": "#/$defs/d"}, {"pattern": "^x"}]},
        "d": {"minLength": 5},
    }
    document = of(properties={"a": {"type": "string", "not": {"$ref": "#/$defs/b"}}}) | {"$defs": leads}
    text = declarations_of(document)
    assert "obeys_document(" in text
    judged_alike(document, text, "2020-12", 100)
    assert [loaded(text).accepts({"a": each}) for each in ("xa", "a", "longer")] == [False, True, False]


BY_KIND = [
    {"type": ["string", "array"], "maxLength": 3, "maxItems": 3},
    {"anyOf": [{"type": "string", "pattern": "a"}, {"type": "array", "contains": {"const": "a"}}]},
    {"type": ["object", "string", "null"], "properties": {"a": TEXT}, "maxLength": 3},
    {"oneOf": [{"type": "integer", "minimum": 0}, {"type": ["string", "boolean"]}]},
]


@pytest.mark.parametrize("beside", [ODD_LENGTHS, ONLY_SHORT, {**ODD_LENGTHS, **ONLY_SHORT}])
@pytest.mark.parametrize("kinds", BY_KIND)
def test_what_holds_of_several_kinds_is_said_once_in_every_round(kinds: dict[str, Any], beside: dict[str, Any]) -> None:
    document = of(properties={"item": {**kinds, **beside}})
    text = declarations_of(document)
    assert text.count("obeys_document(") == len(beside.keys() & {"not", "if"})
    judged_alike(document, text, "2020-12", 200)
    again = loaded(text).schema()
    assert loaded(declarations_of(json.loads(json.dumps(again)))).schema() == again


ITEMS: list[dict[str, Any]] = [
    {"type": "string", "format": "uuid"}, {"type": ["string", "null"], "format": "date-time"}, {"type": "array", "items": {"type": "string", "format": "uuid"}},
    {"type": "object", "properties": {"a": {"type": "integer", "default": 1}}}, {"enum": ["a", "b"]}, {"type": "integer"}, {"type": "string", "maxLength": 3}, {}, {"type": "string", "contentEncoding": "base64"},
    {"anyOf": [{"type": "integer"}, {"enum": ["a"]}]}, {"type": "boolean"}, {"type": "null"}, {"const": "a"},
]  # fmt: skip


@pytest.mark.parametrize("item", ITEMS, ids=range(len(ITEMS)))
def test_items_are_compared_by_value_and_with_nothing_that_they_never_are(item: dict[str, Any]) -> None:
    """Two spellings of a UUID are a repeat; a constant that no item ever is would be no rule, and stays a document."""
    text = "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e"
    made = [
        [text, text.upper()],
        [{}, {"a": 1}],
        [{"a": 1}, {"a": 1, "b": 2}],
        ["a", "b"],
        ["a", "a"],
        [1, "a"],
        [[text], [text.upper()]],
        ["eA==", "eB=="],
    ]
    for words in (
        {"uniqueItems": True},
        {"contains": {"const": "a"}},
        {"contains": {"const": 1}},
        {"uniqueItems": True, "contains": {"const": text}},
    ):
        for document in (
            {"type": "array", "items": item, **words},
            {"type": "array", "prefixItems": [item, item], "items": False, **words},
        ):
            gate, judge = loaded(declarations_of(document)), Gate.from_schema(document, formats="assert")
            for data in made:
                codes = {fault.code for fault in gate.examine(data).faults}
                assert gate.accepts(data) == judge.accepts(data) or codes == {"repeat"}, (document, data)


def test_a_secret_is_one_in_each_option_of_a_union() -> None:
    """Beside a secret a pattern stays a pattern: a rule on what the text holds would tell it."""
    document = {
        "anyOf": [{"type": "string"}, {}],
        "type": ["string", "array"],
        "pattern": "a",
        "contains": {"const": "a"},
    }
    text = declarations_of({"type": "object", "properties": {"berth": document}, "writeOnly": True})
    assert (text.count('str, it.has("a")'), text.count('str, it.contains("a")')) == (1, 0)


def test_comments_of_a_document_stay_comments_and_attributes_hide_no_type() -> None:
    hostile = {"type": "integer", "$comment": "seen twice\nimport os\r\u2028print(1)\x00 " + "long " * 60}
    document = {
        "type": "object",
        "title": "Odd",
        "properties": {
            "list": {**hostile, "default": 3},
            "secret": {"type": "string", "default": "x"},
            "date": {"type": "string", "format": "date"},
            "more": {"type": "array", "items": {"type": "string", "format": "date"}, "writeOnly": True},
        },
        "required": ["date", "more"],
    }
    text = declarations_of(document)
    lines = [line.strip() for line in text.splitlines()]
    assert not [line for line in lines if line.startswith(("import os", "print"))]
    assert any(line.startswith("# seen twice import os") for line in lines)
    assert max(map(len, text.splitlines())) <= 120
    gate = loaded(text)
    value = gate.admit({"date": "2026-05-04", "more": ["2026-05-05"]})
    assert (value.list_, value.secret_) == (3, "x")
    assert gate.accepts({"list": 1, "secret": "y", "date": "2026-05-04", "more": []})
