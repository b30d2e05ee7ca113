"""Documents as gates: the standard's public cases, and our own for every draft, keyword by keyword."""

# Rooms: document/judging, document, sample

from __future__ import annotations

import json
import pickle
import re
from collections.abc import Iterator
from contextlib import nullcontext, suppress
from functools import cache
from pathlib import Path
from random import Random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import loaded
from any_document import AnyDocument, disagreement, judged_in_all_ways
from dutiful_gate import CannotSample, DeclarationError, Gate, declarations_of, obeys_document, payloads, probes
from dutiful_gate.declare.formats.table import JUDGES
from dutiful_gate.document.declaring.meaning import json_kind
from dutiful_gate.document.dialects import BY_NAME, DRAFT_2020_12
from dutiful_gate.prove.of_document import prove_document
from dutiful_gate.warnings import IdleKeyword

# The cases are run in every draft, and random documents have words of all of them.
pytestmark = pytest.mark.filterwarnings("ignore::dutiful_gate.warnings.IdleKeyword")
HERE = Path(__file__).parent / "cases"
SHARED = Path(__file__).parents[2] / "shared" / "conformance"
DRAFTS = ("draft-04", "draft-06", "draft-07", "2019-09", "2020-12")
FILES = {
    "every_draft": DRAFTS,
    "since_06": DRAFTS[1:],
    "draft_04": DRAFTS[:1],
    "draft_06_and_07": DRAFTS[1:3],
    "since_2019": DRAFTS[3:],
    "draft_2019_09": DRAFTS[3:4],
    "draft_2020_12": DRAFTS[4:],
    "patterns": DRAFTS,
    "formats": DRAFTS,
}


def judged(gate: Gate[Any], data: Any) -> bool:
    """Whether a gate admits data; asked in each way there is, which must agree."""
    said = gate.accepts(data)
    verdict = gate.examine(data)
    told = gate._engine.collect(data)[1].told()
    assert said == bool(verdict) == (not told) == gate.output(data, "flag")["valid"]  # type: ignore[attr-defined]
    assert gate.output(data)["valid"] is said  # type: ignore[attr-defined]
    for fault in verdict.faults:
        assert all((fault.message, fault.keyword, fault.code))
    if said:
        assert gate.admit(data) is data
    return said


def own() -> Iterator[Any]:
    for name, drafts in FILES.items():
        for case in json.loads((HERE / f"{name}.json").read_text()):
            for draft in drafts:
                yield pytest.param(draft, case, id=f"{draft}-{case['about']}")


@pytest.mark.parametrize(("draft", "case"), list(own()))
def test_keyword_by_keyword(draft: str, case: dict[str, Any]) -> None:
    formats: Any = "assert" if case["about"].startswith("format ") else None
    gate = Gate.from_schema(case["schema"], dialect=draft, formats=formats)
    for data in case["valid"]:
        assert judged(gate, data), f"{data!r} is sound"
    for data in case["invalid"]:
        assert not judged(gate, data), f"{data!r} is not"


def in_07(**words: Any) -> dict[str, Any]:
    return {"$schema": "http://json-schema.org/draft-07/schema#", **words}


IDLE: list[tuple[dict[str, Any], dict[str, str]]] = [
    ({"requird": ["a"], "cost": 1, "note": "", "units": "kg", "x-required": True}, {"#/requird": "'required'"}),
    ({"properties": {"a": {"minLenght": 1, "maxlength": 2}}, "additional_properties": False},
     {"#/properties/a/minLenght": "'minLength'", "#/properties/a/maxlength": "'maxLength'",
      "#/additional_properties": "'additionalProperties'"}),
    ({"tpye": "string", "Enum": [1], "item": {}, "ref": "#", "patern": "a", "oneof": [], "titel": "", "tagged": 1},
     {"#/tpye": "'type'", "#/Enum": "'enum'", "#/item": "'items'", "#/ref": "'$ref'", "#/patern": "'pattern'",
      "#/oneof": "'oneOf'"}),
    ({"nullable": True, "additionalItems": False}, {"#/nullable": "openapi-3.0", "#/additionalItems": "2019-09"}),
    (in_07(dependentRequired={"a": ["b"]}, prefixItems=[{}], deprecated=True),
     {"#/dependentRequired": "2020-12", "#/prefixItems": "2020-12"}),
    (in_07(definitions={"a": {}}, allOf=[{"$ref": "#/definitions/a", "minLength": 1, "title": "A"}]),
     {"#/allOf/0/minLength": "beside $ref"}),
    ({"then": False, "if_": True, "minContains": 2}, {"#/then": "'if'", "#/minContains": "'contains'", "#/if_": "'if'"}),
    ({"format": "emial"}, {"#/format": "'email'"}),
    ({"format": "money", "$defs": {"never_met": {"requird": []}}}, {}),
    (in_07(items=[{}], additionalItems=False, dependencies={"a": ["b"]}), {}),
]  # fmt: skip


@pytest.mark.parametrize(("document", "wanted"), IDLE)
def test_words_that_judge_nothing_are_told(document: dict[str, Any], wanted: dict[str, str]) -> None:
    """They pass for annotations by the standard, so that a misspelt rule would let everything through in silence."""
    with pytest.warns(IdleKeyword) if wanted else nullcontext():
        gate = Gate.from_schema(document, formats="assert")
    assert {each.keyword: True for each in gate.idle} == dict.fromkeys(wanted, True)
    assert all(wanted[each.keyword] in each.why for each in gate.idle)
    with pytest.warns(IdleKeyword) if wanted else nullcontext():
        made = declarations_of(document)
    assert made.idle == gate.idle
    assert all(each.keyword in made.summary() for each in gate.idle)
    with pytest.warns(IdleKeyword) if wanted else nullcontext():
        obeys_document(document)
    assert pickle.loads(pickle.dumps(gate)).idle == gate.idle


def test_words_that_judge_nothing_are_told_without_their_escapes() -> None:
    with pytest.warns(IdleKeyword) as told:
        Gate.from_schema({"additionalProp\x1b\u202eties": False})
    assert "\x1b" not in str(told[0].message)
    assert "\u202e" not in str(told[0].message)
    assert told[0].filename == __file__


def test_many_words_that_judge_nothing_are_told_in_few() -> None:
    with pytest.warns(IdleKeyword, match="and 95 more, see .idle"):
        gate = Gate.from_schema({f"minLength{number}": 1 for number in range(300)})
    assert len(gate.idle) == 100


SUITES = {"draft7": "draft-07", "official/draft7": "draft-07", "official/draft2019-09": "2019-09",
          "official/draft2020-12": "2020-12"}  # fmt: skip
"""The public cases of each draft, beside a folder `remotes` of what they refer to."""


def public() -> Iterator[Any]:
    for suite, dialect in SUITES.items():
        for file in sorted((SHARED / suite).rglob("*.json")):
            yield pytest.param(file, suite, dialect, id=f"{suite}/{file.relative_to(SHARED / suite).as_posix()}")


@cache
def remotes_of(suite: str) -> dict[str, Any]:
    folder = (SHARED / suite).parent / "remotes"
    return {
        f"http://localhost:1234/{file.relative_to(folder).as_posix()}": json.loads(file.read_text())
        for file in folder.rglob("*.json")
    }


@pytest.mark.skipif(not SHARED.exists(), reason="the standard's public cases are not beside this checkout")
@pytest.mark.parametrize(("file", "suite", "dialect"), list(public()) if SHARED.exists() else [])
def test_the_public_cases(file: Path, suite: str, dialect: Any) -> None:
    """By the document, and by the declarations that are made of it."""
    named = "optional" in file.parts and file.name != "format-assertion.json"
    formats: Any = "assert" if named else None
    for group in json.loads(file.read_text()):
        schema, documents = group["schema"], remotes_of(suite)
        gate = Gate.from_schema(schema, dialect=dialect, documents=documents, formats=formats)
        declared = loaded(declarations_of(schema, dialect=dialect, documents=documents))
        for test in group["tests"]:
            about = f"{group['description']}: {test['description']}"
            assert judged(gate, test["data"]) == test["valid"], about
            if formats or file.name != "format.json":  # declarations assert formats
                assert declared.accepts(test["data"]) == test["valid"], about
            if isinstance(schema, dict) and "type" in schema and not is_of_type(test["data"], schema["type"]):
                units = gate.output(test["data"], "basic").get("errors", ())  # type: ignore[attr-defined]
                silenced = "$ref" in schema and dialect == "draft-07"
                assert silenced or "/type" in {unit["keywordLocation"] for unit in units}, about


def is_of_type(data: Any, types: str | list[str]) -> bool:
    kind = json_kind(data)
    return kind in types or (kind == "integer" and "number" in types)


@pytest.mark.parametrize("draft", ["draft-04", "draft-06", "draft-07"])
def test_what_is_referred_to_is_of_the_dialect_of_what_refers_to_it(draft: str) -> None:
    word = "id" if draft == "draft-04" else "$id"
    labelled = {"definitions": {"lead": {"$ref": "#berth"}, "A": {word: "#berth", "type": "integer"}}}
    documents = {"https://ternsound.example/berths.json": labelled}
    schema = {
        "$schema": f"http://json-schema.org/{draft}/schema#",
        "$ref": "https://ternsound.example/berths.json#/definitions/lead",
    }
    gate = Gate.from_schema(schema, documents=documents)
    declared = loaded(declarations_of(schema, documents=documents))
    assert [(judged(gate, each), declared.accepts(each)) for each in (1, "a")] == [(True, True), (False, False)]


@pytest.mark.parametrize(
    ("schema", "data"),
    [
        ({"type": "number", "multipleOf": 2}, 2**53 + 1),
        ({"type": "number", "maximum": 2**53}, 2**53 + 1),
        ({"maximum": 2**64 - 1}, 2**64),
        ({"type": "array", "items": {"type": "number"}, "contains": {"const": 2**53}}, [2**53 + 1]),
        ({"$schema": "http://json-schema.org/draft-07/schema#", "type": "string", "contentEncoding": "base64"}, "%"),
        ({"allOf": [{"properties": {"a": {}}}, {"unevaluatedProperties": False}], "type": "object"}, {"a": 1}),
    ],
)
def test_declarations_admit_nothing_that_the_document_refuses(schema: Any, data: Any) -> None:
    assert not judged(Gate.from_schema(schema, formats="assert"), data)
    assert not loaded(declarations_of(schema)).accepts(data)


NAMES = st.sampled_from(["a", "b", "$ref", "x-y"])
VALUES: st.SearchStrategy[Any] = st.recursive(
    st.none() | st.booleans() | st.sampled_from([0, 1, 2, 1.0, 1.5, -1, 10**20, "", "a", "ab", "b1"]),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(NAMES, inner, max_size=3),
    max_leaves=6,
)
COUNTS = st.integers(0, 3)
TYPES = st.sampled_from(["null", "boolean", "object", "array", "number", "string", "integer"])
POINTERS = st.sampled_from(["#", "#/$defs/a", "#/$defs/b", "#here"])
PATTERNS = st.sampled_from(["a", "^b", "[0-9]$", "^.{2}$", ""])


def keywords(inner: st.SearchStrategy[Any]) -> st.SearchStrategy[dict[str, Any]]:
    """Any keywords together, whether or not they make sense."""
    several = st.lists(inner, min_size=1, max_size=3)
    named = st.dictionaries(NAMES, inner, max_size=2)
    words: dict[str, st.SearchStrategy[Any]] = {
        "type": TYPES | st.lists(TYPES, min_size=1, max_size=3, unique=True), "enum": st.lists(VALUES, max_size=3), "const": VALUES,
        "multipleOf": st.sampled_from([1, 2, 0.5, 0.1]), "minimum": COUNTS, "exclusiveMaximum": COUNTS, "minLength": COUNTS, "maxLength": COUNTS,
        "pattern": PATTERNS, "minItems": COUNTS, "maxItems": COUNTS, "uniqueItems": st.booleans(), "minProperties": COUNTS, "required": st.lists(NAMES, max_size=2, unique=True),
        "properties": named, "patternProperties": st.dictionaries(PATTERNS, inner, max_size=2), "additionalProperties": inner, "propertyNames": inner,
        "dependentRequired": st.dictionaries(NAMES, st.lists(NAMES, max_size=2, unique=True), max_size=2), "dependentSchemas": named, "prefixItems": several,
        "items": inner, "contains": inner, "minContains": COUNTS, "maxContains": COUNTS, "allOf": several, "anyOf": several, "oneOf": several, "not": inner,
        "if": inner, "then": inner, "else": inner, "unevaluatedProperties": inner, "unevaluatedItems": inner, "$ref": POINTERS,
        "$dynamicRef": st.just("#here"), "format": st.sampled_from(["email", "date", "berth"]), "title": st.just("x"),
    }  # fmt: skip
    return st.lists(st.sampled_from(sorted(words)), max_size=4, unique=True).flatmap(
        lambda chosen: st.fixed_dictionaries({word: words[word] for word in chosen})
    )


def likely(inner: st.SearchStrategy[Any]) -> st.SearchStrategy[dict[str, Any]]:
    """Keywords as people write them: a type, and what belongs to it."""

    def of(kind: str, **words: st.SearchStrategy[Any]) -> st.SearchStrategy[dict[str, Any]]:
        return st.fixed_dictionaries({"type": st.just(kind)}, optional=words)

    bounds = {
        "minimum": COUNTS,
        "exclusiveMinimum": COUNTS,
        "maximum": COUNTS,
        "multipleOf": st.sampled_from([1, 2, 0.5]),
        "default": COUNTS,
    }
    text = {"minLength": COUNTS, "maxLength": COUNTS, "pattern": PATTERNS, "format": st.sampled_from(["date", "email", "berth", "uuid"]),
            "enum": st.lists(st.sampled_from(["a", "ab", "b1", ""]), min_size=1, max_size=2, unique=True), "default": st.just("a")}  # fmt: skip
    lists = {
        "items": inner,
        "minItems": COUNTS,
        "maxItems": COUNTS,
        "uniqueItems": st.booleans(),
        "contains": inner,
        "default": st.just([]),
    }
    record = {
        "properties": st.dictionaries(NAMES, inner, min_size=1, max_size=3), "required": st.lists(NAMES, max_size=2, unique=True),
        "additionalProperties": st.just(False) | inner, "minProperties": COUNTS, "anyOf": st.lists(st.just({"required": ["a"]}) | inner, min_size=1, max_size=2),
        "oneOf": st.lists(st.just({"required": ["b"]}) | st.just({"required": ["a"]}) | inner, min_size=1, max_size=2), "not": st.just({"required": ["a", "b"]}) | inner,
        "if": st.fixed_dictionaries({"properties": st.fixed_dictionaries({"a": st.just({"const": 1}) | inner})}, optional={"required": st.just(["a"])}),
        "then": st.just({"required": ["b"]}) | inner, "else": inner, "dependentRequired": st.just({"a": ["b"]}), "allOf": st.lists(inner, min_size=1, max_size=2),
        "title": st.sampled_from(["Crate", "a crate"]), "description": st.just('what "it" is'), "patternProperties": st.dictionaries(PATTERNS, inner, max_size=1),
    }  # fmt: skip
    return st.one_of(
        of("integer", **bounds), of("number", **bounds), of("string", **text), of("boolean"), of("null"), of("array", **lists),
        of("object", **record), of("object", **record), of("object", additionalProperties=inner, propertyNames=of("string", **text)),
        st.fixed_dictionaries({"$ref": POINTERS}, optional={"description": st.just("x"), "title": st.just("y")}),
        st.fixed_dictionaries({"anyOf": st.lists(inner, min_size=1, max_size=3)}),
        st.fixed_dictionaries({"type": st.lists(TYPES, min_size=2, max_size=2, unique=True)}, optional={"minLength": COUNTS, "enum": st.just([None, "a", 1])}),
        st.fixed_dictionaries({"const": VALUES}),
    )  # fmt: skip


LIKELY: st.SearchStrategy[Any] = st.recursive(st.booleans() | st.just({}), likely, max_leaves=10)
SCHEMAS: st.SearchStrategy[Any] = st.recursive(st.booleans() | st.just({}), keywords, max_leaves=8)


ANY = (SCHEMAS | LIKELY).filter(lambda schema: isinstance(schema, dict))


@given(ANY, SCHEMAS | LIKELY, st.lists(VALUES, min_size=1, max_size=6))
def test_the_two_ways_of_judging_agree(schema: dict[str, Any], other: Any, data: list[Any]) -> None:
    """What says yes or no at once, and what follows the standard word for word."""
    here = {"$dynamicAnchor": "here", **(other if isinstance(other, dict) else {})}
    try:
        gate = Gate.from_schema({**schema, "$defs": {"a": other, "b": here}}, formats="assert")
    except DeclarationError as none:
        assert "refers to itself" in str(none) or "$dynamicRef" in str(none)  # noqa: PT017
        return
    for each in data:
        judged(gate, each)


@given(ANY, SCHEMAS | LIKELY, st.lists(VALUES, min_size=1, max_size=6), st.sampled_from(DRAFTS[1:]))
def test_any_document_as_declarations(schema: dict[str, Any], other: Any, data: list[Any], draft: str) -> None:
    """A document that has become declarations judges the same."""
    document = {**schema, "$defs": {"a": other, "b": {"title": "B", **(other if isinstance(other, dict) else {})}}}
    if draft in DRAFTS[:3]:
        document = json.loads(json.dumps(document).replace("$defs", "definitions"))
    try:
        judge = Gate.from_schema(document, formats="assert", dialect=draft)
    except DeclarationError:
        return
    gate = loaded(declarations_of(document, dialect=draft))
    for each in data:
        assert gate.accepts(each) == judge.accepts(each)
        if gate.accepts(each):
            gate.release(gate.admit(each))  # what was admitted goes out again


WORDS = sorted(
    DRAFT_2020_12.keywords
    | BY_NAME["draft-04"].keywords
    | {"$recursiveRef", "additionalItems", "nullable", "components"}
)
ODD: st.SearchStrategy[Any] = st.recursive(
    VALUES | POINTERS | st.sampled_from(["[", "http://json-schema.org/draft-04/schema#", "urn:x"]),
    lambda inner: st.dictionaries(st.sampled_from(WORDS), inner, max_size=4) | st.lists(inner, max_size=2),
    max_leaves=8,
)


@given(ODD, st.sampled_from([*DRAFTS, "openapi-3.0", "openapi-3.1", None]))
def test_what_is_no_document_is_told(document: Any, dialect: str | None) -> None:
    """Whatever stands in a document, it becomes a gate or a DeclarationError, and its gate never raises."""
    with suppress(DeclarationError):
        gate = Gate.from_schema(document, dialect=dialect, formats="assert")
        for each in (None, 1, "a", [1, "a"], {"a": 1}):
            assert gate.accepts(each) == bool(gate.examine(each))
        declarations_of(document, dialect=dialect)


def without_end(schema: Any, leaf: Any) -> Any:
    """A schema in which everything that refers dynamically refers to what is not at hand, or has `leaf` instead."""
    if isinstance(schema, list):
        return [without_end(each, leaf) for each in schema]
    if not isinstance(schema, dict):
        return schema
    made = {
        word: without_end(held, leaf) for word, held in schema.items() if word not in ("$dynamicRef", "enum", "const")
    }
    made |= {word: schema[word] for word in ("enum", "const") if word in schema}
    if "$dynamicRef" in schema:
        made["allOf"] = [*made.get("allOf", []), leaf]
    return made


LEAVES: list[Any] = [
    True, False, {"type": "string"}, {"minimum": 1}, {"maxLength": 1}, {"properties": {"a": True}}, {"prefixItems": [True]}, {"required": ["b"]},
    {"properties": {"a": False}}, {"items": {"type": "integer"}},
]  # fmt: skip


@given(
    st.recursive(st.just({"$dynamicRef": "#here"}) | st.booleans() | st.just({}), keywords, max_leaves=8),
    st.lists(VALUES, min_size=1, max_size=5),
)
def test_what_cannot_be_used_neither_passes_nor_fails(schema: Any, data: list[Any]) -> None:
    """Whatever stood in the place of what is missing: what is admitted or refused all the same is told surely."""
    more = {"$defs": {"a": True, "b": {"$anchor": "here"}}}
    missing = {"$ref": "gone.json"}
    bare = schema if isinstance(schema, dict) else {"allOf": [schema]}
    with suppress(DeclarationError):  # circles
        others = [Gate.from_schema({**without_end(bare, leaf), **more}) for leaf in LEAVES]
        gate = Gate.from_schema({**without_end(bare, missing), **more}, flaws="tell")
        for each in data:
            verdict = gate.examine(each)
            assert gate.accepts(each) is bool(verdict)
            said = {other.accepts(each) for other in others}
            if not verdict:
                assert said == {False}, "what is refused would be refused whatever is missing"
            elif not verdict.unjudged:
                assert said == {True}, "what is admitted without a word would be admitted"


TOLD: list[tuple[dict[str, Any], Any, bool, tuple[str, ...]]] = [
    ({"properties": {"a": {"$ref": "gone.json"}}}, {"a": 1, "b": 2}, True, ("/a",)),
    ({"properties": {"a": {"$ref": "gone.json"}}}, {"b": 2}, True, ()),
    ({"properties": {"a": {"$ref": "#/$defs/nobody"}, "b": {"type": "string"}}}, {"b": 2, "a": 1}, False, ("/a",)),
    ({"not": {"$ref": "gone.json"}}, 1, True, ("",)),
    ({"not": {"allOf": [{"$ref": "gone.json"}, {"type": "string"}]}}, 1, True, ()),
    ({"anyOf": [{"$ref": "gone.json"}, {"type": "string"}]}, "x", True, ()),
    ({"anyOf": [{"$ref": "gone.json"}, {"type": "string"}]}, 1, True, ("",)),
    ({"oneOf": [{"$ref": "gone.json"}, {"type": "string"}]}, "x", True, ("",)),
    ({"oneOf": [{"$ref": "gone.json"}, {"type": "string"}, {"minLength": 1}]}, "x", False, ()),
    ({"if": {"$ref": "gone.json"}, "then": {"maximum": 5}, "else": {"maximum": 7}}, 4, True, ()),
    ({"if": {"$ref": "gone.json"}, "then": {"maximum": 5}, "else": {"maximum": 7}}, 6, True, ("",)),
    ({"if": {"$ref": "gone.json"}, "then": {"maximum": 5}, "else": {"maximum": 7}}, 8, False, ()),
    ({"contains": {"$ref": "gone.json"}}, [1], True, ("",)),
    ({"contains": {"$ref": "gone.json"}}, [], False, ()),
    ({"contains": {"anyOf": [{"$ref": "gone.json"}, {"const": 1}]}}, [1, 2], True, ()),
    ({"contains": {"anyOf": [{"$ref": "gone.json"}, {"const": 1}]}, "maxContains": 1}, [1, 2], True, ("",)),
    ({"contains": {"anyOf": [{"$ref": "gone.json"}, {"const": 1}]}, "maxContains": 1}, [1, 1, 2], False, ()),
    ({"allOf": [{"$ref": "gone.json"}], "unevaluatedProperties": False}, {"a": 1}, True, ("", "/a")),
    ({"allOf": [{"$ref": "gone.json"}], "unevaluatedProperties": {"type": "integer"}}, {"a": 1}, True, ("",)),
    ({"allOf": [{"$ref": "gone.json"}], "unevaluatedItems": False}, [1], True, ("", "/0")),
    ({"properties": {"a": True}, "patternProperties": {"[": False}, "additionalProperties": False}, {"a": 1, "b": 2}, True, ("",)),
    ({"pattern": "[", "maxLength": 3}, "abcd", False, ("",)),
    ({"pattern": "["}, 7, True, ()),
    ({"properties": {"a": {"minLength": "x", "type": "string"}}}, {"a": 1}, False, ()),
    ({"properties": {"a": {"minLength": "x", "type": "string"}}}, {"a": "b"}, True, ("/a",)),
    ({"items": {"$ref": "#/$defs/a"}, "$defs": {"a": {"$ref": "#/$defs/b"}, "b": {"allOf": [{"$ref": "#/$defs/a"}]}}}, [1, 2], True, ("/0", "/1")),
    ({"propertyNames": {"$ref": "gone.json"}}, {"a": 1}, True, ("/a",)),
    ({"properties": {"a": 5}, "additionalProperties": False, "required": ["b"]}, {"a": 1}, False, ("",)),
]  # fmt: skip


@pytest.mark.parametrize(("schema", "data", "admitted", "unjudged"), TOLD)
def test_flaws_are_told_and_the_rest_judges(
    schema: dict[str, Any], data: Any, admitted: bool, unjudged: tuple[str, ...]
) -> None:
    with pytest.raises(DeclarationError):
        Gate.from_schema(schema)
    gate = Gate.from_schema(schema, flaws="tell")
    assert gate.flaws
    assert all(flaw.keyword.startswith("#") and flaw.why for flaw in gate.flaws)
    for each in (gate, pickle.loads(pickle.dumps(gate))):
        verdict = each.examine(data)
        assert (bool(verdict), verdict.unjudged, each.accepts(data)) == (admitted, unjudged, admitted)
        assert each.examine_json(json.dumps(data)).unjudged == unjudged
        assert pickle.loads(pickle.dumps(verdict)).unjudged == unjudged


def test_all_missing_documents_are_named_at_once() -> None:
    document = {
        "properties": {"a": {"$ref": "tides.json#/x"}, "b": {"$ref": "crew.json"}, "c": {"$ref": "tides.json"}},
        "$defs": {"nobody": {"$ref": "unasked.json"}},
    }
    with pytest.raises(DeclarationError) as told:
        Gate.from_schema(document)
    said = str(told.value)
    assert "2 documents were not handed over" in said
    assert "'tides.json' (for #/properties/c, #/properties/a)" in said
    assert "'crew.json' (for #/properties/b)" in said
    assert "unasked" not in said
    assert str(pickle.loads(pickle.dumps(told.value))) == said


@pytest.mark.parametrize("start", range(0, 600, 100))
def test_documents_within_documents_are_judged_alike_in_all_ways(start: int) -> None:
    """Dynamic scopes, embedded resources, what is unevaluated: 50,000 of them in `make prove`."""
    told = [disagreement(seed) for seed in range(start, start + 100)]
    assert sum(is_one for is_one, _ in told) > 30
    assert [each for _, each in told if each] == []


def sampled(gate: Any) -> list[Any]:
    """Payloads, each of them sound; none where no sound one is found, which must be told with its place."""
    try:
        made = payloads(gate, 3, seed=1)
    except CannotSample as none:
        return [] if re.match(r"(the whole|/.*): no sound value was found for ", str(none)) else [none]
    assert all(judged(gate, each) for each in made)
    return made


@pytest.mark.parametrize("name", FILES)
def test_data_is_made_from_the_cases(name: str) -> None:
    """Sound data, data with one fault, and all ways of judging on both."""
    for case in json.loads((HERE / f"{name}.json").read_text()):
        if "meta-schema" in case["about"]:
            continue
        gate = Gate.from_schema(case["schema"], dialect=FILES[name][-1], formats="assert")
        made = sampled(gate)
        assert made or not case["valid"] or case["about"] == "leaving a dynamic scope", case["about"]
        if made:
            told = list(probes(gate, seed=1))[:25]
            assert all([fault] == list(gate.examine(payload).faults) for payload, fault in told), case["about"]
        assert prove_document(gate, 40, seed=1).disagreements == [], case["about"]


def test_data_is_made_from_documents_within_documents() -> None:
    made = 0
    for seed in range(60):
        document = AnyDocument(Random(seed))
        with suppress(DeclarationError):
            gate = Gate.from_schema(document.content, dialect=document.dialect, formats="assert")
            made += bool(sampled(gate))
            assert prove_document(gate, 40, seed).disagreements == []
    assert made > 15


def test_a_proof_of_a_document_sees_a_wrong_format(monkeypatch: pytest.MonkeyPatch) -> None:
    phrase, _ = JUDGES["duration"]
    monkeypatch.setitem(JUDGES, "duration", (phrase, lambda text: text.startswith("P")))
    broken, *_ = prove_document(Gate.from_schema({"format": "duration"}, formats="assert"), 400).disagreements
    assert "formats by their grammars" in broken.told


def test_what_cannot_be_sampled_is_told_with_its_place() -> None:
    document = {
        "type": "object",
        "properties": {"port": {"type": "string", "minLength": 3, "maxLength": 2}},
        "required": ["port"],
    }
    with pytest.raises(CannotSample, match=r"^/port: no sound value was found for #/properties/port; give one there"):
        payloads(Gate.from_schema(document), 1)


def two(one: Any, other: Any) -> dict[str, Any]:
    return {"allOf": [one, other]}


# A schema on every level whose branches come to the next one twice, how data grows by a level, and its faults on 40 levels.
MEETING: dict[str, tuple[Any, Any, int]] = {
    "allOf": (lambda after: two(after, after), lambda held: held, 1),
    "anyOf": (lambda after: {"anyOf": [two(after, {"type": "string"}), after]}, lambda held: held, 1),
    "oneOf": (lambda after: {"oneOf": [two(after, False), after]}, lambda held: held, 1),
    "if": (lambda after: {"if": after, "then": after, "else": after}, lambda held: held, 1),
    "not": (lambda after: {"not": {"not": two(after, after)}}, lambda held: held, 1),
    "looked at": (lambda after: {**two(after, after), "unevaluatedProperties": True}, lambda held: held, 1),
    "properties": (lambda after: two({"properties": {"a": after}}, {"properties": {"a": after}}), lambda held: {"a": held}, 1),
    "patterns": (lambda after: {"patternProperties": {"a": after, "^a": after}}, lambda held: {"a": held}, 1),
    "the rest": (lambda after: two({"additionalProperties": after}, {"properties": {"a": after}}), lambda held: {"a": held}, 1),
    "items": (lambda after: two({"items": after}, {"prefixItems": [after]}), lambda held: [held], 1),
    "contains": (lambda after: {"items": after, "contains": after}, lambda held: [held], 41),
}  # fmt: skip


@pytest.mark.parametrize("how", MEETING)
def test_branches_that_meet_are_judged_once(how: str) -> None:
    """On 40 levels they would be judged a million million times; and what they find in common is told once."""
    level, grown, count = MEETING[how]
    levels = {f"d{at}": level({"$ref": f"#/$defs/d{at + 1}"}) for at in range(40)}
    gate = Gate.from_schema({"$ref": "#/$defs/d0", "$defs": {**levels, "d40": {"type": "integer"}}})
    sound, unsound = 1, "x"
    for _ in range(40):
        sound, unsound = grown(sound), grown(unsound)
    engine: Any = gate._engine
    for data, expected in ((sound, True), (unsound, False)):
        assert (gate.accepts(data), engine.word_for_word(data)) == (expected, expected)
        assert gate.output(data, "flag") == {"valid": expected}
    verdict = gate.examine(unsound)
    assert (len(verdict.faults), verdict.untold) == (count, 0)


def test_a_key_and_its_value_break_the_same_keyword_each_for_itself() -> None:
    short = {"$ref": "#/$defs/short"}
    gate = Gate.from_schema(
        {"propertyNames": short, "additionalProperties": short, "$defs": {"short": {"maxLength": 2}}}
    )
    assert [str(fault) for fault in gate.examine({"buoy": "buoy"}).faults] == [
        "/buoy: its key needs at most 2 characters; got 4", "/buoy: needs at most 2 characters; got 4",
    ]  # fmt: skip


def test_a_condition_on_which_nothing_hangs_is_the_same_by_every_road() -> None:
    circle = {
        "$id": "https://quays.example/root",
        "$ref": "loose",
        "$dynamicAnchor": "there",
        "$defs": {
            "loose": {"$id": "loose", "if": {"$dynamicRef": "#there"}, "$defs": {"d": {"$dynamicAnchor": "there"}}}
        },
    }
    for data in ("a", 1, None):
        assert judged_in_all_ways(Gate.from_schema(circle), data) == {True}


@pytest.mark.parametrize(
    ("document", "texts"),
    [
        ({"maximum": 1}, ("1e999",)), ({"minimum": 1}, ("-1e999",)), ({"exclusiveMaximum": 10**400}, ("1e999",)), ({"multipleOf": 0.5}, ("1e999", "-1e999")),
        ({"type": "number"}, ("1e999", "-1e999")), ({"properties": {"a": {"maximum": 1}}}, ('{"a": 1e999}',)), ({"items": {"minimum": 0, "maximum": 9}}, ("[1e999]", "[3, -1e999]")),
    ],
)  # fmt: skip
def test_bounds_are_asked_of_numbers_that_no_double_holds(document: Any, texts: tuple[str, ...]) -> None:
    gate = Gate.from_schema(document)
    for text in texts:
        assert not gate.examine_json(text)
        assert not gate.accepts(json.loads(text))
        assert not gate.examine(json.loads(text))


@pytest.mark.parametrize(
    ("held", "dialect", "place"),
    [
        ({"type": "strin"}, "2020-12", "/x/d/type"), ({"anyOf": [[1]]}, "2020-12", "/x/d/anyOf/0"), ({"minLength": -1}, "draft-07", "/x/d/minLength"),
        ({"properties": {"a": 3}}, "draft-04", "/x/d/properties/a"), ({"items": {"$ref": "#/y"}}, "2020-12", "/y/enum"), ({"items": {"anyOf": [[False]]}}, "draft-04", "/x/d/items/anyOf/0"),
    ],
)  # fmt: skip
def test_what_a_reference_alone_leads_to_is_as_the_dialect_asks(held: Any, dialect: str, place: str) -> None:
    """Where no keyword says that a schema stands, its meta-schema had not seen it: it raised when data came."""
    document = {"properties": {"a": {"$ref": "#/x/d"}}, "x": {"d": held}, "y": {"enum": 3}}
    with pytest.raises(DeclarationError, match=f"the document breaks {dialect} at {place}: "):
        Gate.from_schema(document, dialect=dialect)
    gate = Gate.from_schema(document, dialect=dialect, flaws="tell")
    assert any(place in flaw.why for flaw in gate.flaws)
    assert any(gate.examine({"a": each}).unjudged for each in ([{"b": 1}, "c"], "c", {"a": 1}))
    assert Gate.from_schema({**document, "x": {"d": {"type": "string"}}}, dialect=dialect).accepts({"a": "b"})
