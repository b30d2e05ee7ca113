"""What a gate from a document says, finds, refuses to be built of, and withstands."""

# Rooms: document/judging, declare/formats, gates

from __future__ import annotations

import json
import math
import pickle
from collections.abc import Iterator, Mapping
from contextlib import suppress
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from dutiful_gate import DeclarationError, DocumentGate, Gate, Limits, Refused, declarations_of, obeys_document
from dutiful_gate.declare.formats.table import JUDGES
from dutiful_gate.demo.ferries import bookings
from dutiful_gate.document.plain_document import plain_document
from dutiful_gate.regex.from_ecma import NoPattern, read_ecma

BERTH: dict[str, Any] = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "$id": "https://quays.example/berth",
    "title": "Berth",
    "type": "object",
    "properties": {
        "port": {"enum": ["QLP", "MRW"]},
        "length_m": {"type": "number", "exclusiveMinimum": 0, "maximum": 240},
        "cranes": {"type": "array", "items": {"$ref": "#/$defs/crane"}, "minItems": 1, "uniqueItems": True},
        "cargo": {
            "oneOf": [
                {"type": "object", "properties": {"kind": {"const": "bulk"}, "tons": {"type": "integer"}}, "required": ["kind", "tons"]},
                {"type": "object", "properties": {"kind": {"const": "boxes"}, "count": {"minimum": 1}}, "required": ["kind", "count"]},
            ]
        },
    },
    "required": ["port"],
    "additionalProperties": False,
    "dependentRequired": {"cargo": ["cranes"]},
    "$defs": {"crane": {"type": "string", "pattern": "^[A-Z][0-9]$", "format": "regex"}},
}  # fmt: skip


NO_JSON: list[tuple[Any, str]] = [
    ({"const": math.nan}, "at /const: it has NaN there"),
    ({"maximum": math.inf}, "at /maximum: it has infinity there"),
    ({"properties": {"a": {"default": {1, 2}}}}, "at /properties/a/default: it has a value of the type set there"),
    ({"properties": {1: {}}}, "at /properties/1: it has a key that is no text there"),
    ({"enum": [object()]}, "at /enum/0: it has a value of the type object there"),
    ({"enum": [10**5000]}, "at /enum/0: it has a number of more than 4300 digits there"),
]


@pytest.mark.parametrize(("document", "words"), NO_JSON)
def test_a_document_that_is_no_json_is_told_where(document: Any, words: str) -> None:
    for build in (
        Gate.from_schema,
        declarations_of,
        obeys_document,
        lambda held: Gate.from_schema({}, documents={"x": held}),
    ):
        with pytest.raises(DeclarationError, match="the document is no JSON at ") as caught:
            build(document)
        assert words.removeprefix("at ") in str(caught.value)


class Lazy(Mapping[str, Any]):
    """A mapping that makes its values when they are asked for."""

    def __getitem__(self, key: str) -> Any:
        return {"type": ["string", "null"] if key in "aceg" else ["integer", "null"]}

    def __iter__(self) -> Iterator[str]:
        return iter("abcdefgh")

    def __len__(self) -> int:
        return 8


def test_a_document_of_values_made_anew_keeps_them_apart() -> None:
    assert plain_document({"properties": Lazy()}) == {"properties": {key: Lazy()[key] for key in "abcdefgh"}}


def test_a_document_is_made_plain_and_ones_own() -> None:
    shared = {"type": "string"}
    document: dict[str, Any] = {
        "properties": {"a": shared, "b": shared},
        "required": ("a",),
        "minProperties": Decimal("2"),
    }
    gate = Gate.from_schema(document)
    shared["type"] = "integer"
    document["required"] = []
    assert gate.accepts({"a": "x", "b": "y"})
    assert not gate.accepts({"b": "y", "c": 1})
    assert "Decimal" not in declarations_of(document)
    document["properties"]["a"] = document
    with pytest.raises(DeclarationError, match="at /properties/a: it has itself there"):
        Gate.from_schema(document)


def test_faults_of_a_document_are_faults_like_any_other() -> None:
    gate = Gate.from_schema(BERTH)
    assert isinstance(gate, DocumentGate)
    assert repr(gate) == "<Gate from a 2020-12 document 'Berth'>"
    raw = b'{\n  "length_m": -4,\n  "cranes": ["A1", "a1", "A1"],\n  "lenght": 3\n}'
    verdict = gate.examine_json(raw)
    base = "https://quays.example/berth#"
    assert [(f.pointer, f.code, f.keyword, str(f.place)) for f in verdict.faults] == [
        ("/port", "absent", f"{base}/required", "1:1"),
        ("/length_m", "floor", f"{base}/properties/length_m/exclusiveMinimum", "2:15"),
        ("/cranes", "repeat", f"{base}/properties/cranes/uniqueItems", "3:13"),
        ("/cranes/1", "pattern", f"{base}/$defs/crane/pattern", "3:20"),
        ("/lenght", "unknown", f"{base}/additionalProperties", "4:3"),
    ]
    assert verdict.faults[1].message == "needs a number above 0; got -4"
    assert verdict.faults[1].expected == {"floor": 0, "inclusive": False}
    assert verdict.faults[4].message == "is not a known key; did you mean 'length_m'?"
    assert verdict.faults[0].as_dict()["keyword"] == f"{base}/required"
    assert verdict.problem()["status"] == 422
    with pytest.raises(Refused, match="refused with 5 faults"):
        gate.admit_json(raw)
    sound = {"port": "QLP", "length_m": 12}
    assert gate.admit(sound) is sound
    assert not hasattr(gate, "release"), "it has no types to release"
    assert gate.schema() == BERTH
    assert "judge_1" in gate.source
    again = pickle.loads(pickle.dumps(gate))
    assert again.examine({}).faults == gate.examine({}).faults
    with pytest.raises(TypeError, match="takes no of"):
        gate.schema(of="release")


WORDS = [
    ({"cargo": {"kind": "bulk", "tons": "x"}, "cranes": ["A1"]}, "/cargo/tons", "needs a whole number; got the text 'x'"),
    ({"cargo": {"kind": "boxes"}, "cranes": ["A1"]}, "/cargo/count", "needs a value; none came"),
    ({"cargo": 7, "cranes": ["A1"]}, "/cargo", "needs one of these: an object; got 7"),
    ({"cargo": {"kind": "bulk", "tons": 1}}, "/cranes", "needs a value, since cargo has one; got none"),
    ({"port": None}, "/port", "needs one of QLP, MRW; got null"),
    ({"cranes": []}, "/cranes", "needs at least 1 item; got 0"),
]  # fmt: skip


@pytest.mark.parametrize(("data", "pointer", "message"), WORDS)
def test_the_alternative_that_came_closest_speaks(data: dict[str, Any], pointer: str, message: str) -> None:
    (fault,) = Gate.from_schema(BERTH).examine({"port": "QLP", **data}).faults
    assert (fault.pointer, fault.message) == (pointer, message)


OTHER_WORDS: list[tuple[Any, Any, str]] = [
    ({"not": {"const": 3}}, 3, "needs anything but 3; got 3"),
    ({"not": {"enum": [3, 4]}}, 3, "needs anything but 3, 4; got 3"),
    ({"not": {"required": ["a"]}}, {"a": 1}, "needs no value for a; got one"),
    ({"not": {"type": "string"}}, "x", "needs a value that #/not does not describe; got 'x'"),
    ({"oneOf": [{}, {"type": "string"}, {"maxLength": 9}]}, "x", "needs exactly one of 3 alternatives; got number 1 and 2 and 3"),
    ({"contains": {"const": 1}}, [2], "needs at least 1 of its items to be as the document's contains has them; got 0"),
    ({"contains": {"const": 1}, "maxContains": 1}, [1, 1], "needs at most 1 of its items to be as the document's contains has them; got 2"),
    ({"propertyNames": {"maxLength": 2}}, {"abc": 1}, "its key needs at most 2 characters; got 3"),
    ({"minProperties": 2}, {}, "needs at least 2 keys; got 0"),
    ({"pattern": "a.c"}, "b", "needs text in which a.c is found; got 'b'"),
    ({"format": "email"}, "x", "needs an email address, such as name@mail.example; got 'x'"),
    ({"multipleOf": 0.1}, 0.25, "needs a multiple of 0.1; got 0.25"),
    ({"type": ["integer", "null"]}, "x", "needs a whole number or null; got the text 'x'"),
    ({"const": [1]}, 1, "needs [1]; got 1"),
    ({"items": False}, [1], "needs no item here; got 1"),
    (False, 1, "needs no value here; got 1"),
    ({"anyOf": [{"title": "Crate"}, {"const": 4}], "allOf": [{"anyOf": [{"type": "null"}, {"enum": ["a", "b"]}]}]}, 4,
     "needs one of these: null, a, b; got 4"),
]  # fmt: skip


@pytest.mark.parametrize(("document", "data", "message"), OTHER_WORDS)
def test_messages(document: Any, data: Any, message: str) -> None:
    (fault,) = Gate.from_schema(document, formats="assert").examine(data).faults
    assert fault.message == message


LOOSE = {"$id": "in", "$recursiveAnchor": True, "additionalProperties": {"$recursiveRef": "#"}}
OUT = {"$id": "out", "$recursiveAnchor": True, "pattern": "(", "$defs": {"a": {"$ref": "in"}}}


def scoped(load: dict[str, Any]) -> dict[str, Any]:
    """A document whose part is reached by nothing but the dynamic scope."""
    inner = {"$id": "in", "items": {"$dynamicRef": "#load"}, "$defs": {"own": {"$dynamicAnchor": "load"}}}
    return {"$ref": "in", "$defs": {"inner": inner, "load": load}}


WRONG: list[tuple[Any, dict[str, Any], str]] = [
    ({"type": "intger"}, {}, r"breaks 2020-12 at /type: needs one of these: array, boolean"),
    ({"properties": {"a": {"minLength": -1}}}, {}, r"at /properties/a/minLength: needs a number of at least 0; got -1"),
    ({"$schema": "http://json-schema.org/draft-04/schema#", "required": []}, {}, r"breaks draft-04 at /required"),
    (
        {"$ref": "crane.json"},
        {},
        r"a document was not handed over: 'crane.json' \(for #\); nothing is fetched: hand over documents",
    ),
    ({"$ref": "#/$defs/crane"}, {}, r"nothing stands at /\$defs"),
    ({"$ref": "#/allOf/²", "allOf": [True]}, {}, "nothing stands at /allOf/²"),
    ({"$ref": f"#/allOf/{'9' * 5000}", "allOf": [True]}, {}, "nothing stands at /allOf/9"),
    ({"$ref": "#crane"}, {}, "has no anchor 'crane'"),
    ({"$ref": "#/title", "title": "x"}, {}, "what stands at /title is no schema"),
    ({"pattern": "("}, {}, r"the pattern '\(' in # is no regular expression"),
    ({"patternProperties": {"[a": True}}, {}, "is no regular expression"),
    ({"pattern": r"\p{Berth}"}, {}, "ECMA-262 has no Unicode property 'Berth'"),
    ({"$ref": "#"}, {}, "refers to itself without taking a step"),
    ({"anyOf": [{"$ref": "#/$defs/a"}], "$defs": {"a": {"not": {"$ref": "#"}}}}, {}, "refers to itself"),
    ({"$schema": "https://quays.example/own"}, {}, "is no dialect known here and was not handed over"),
    *[
        (
            {"$schema": f"https://json-schema.org/draft/{draft}/schema", "$id": "https://quays.example/root", **each},
            {},
            message,
        )
        for draft, each, message in [
            ("2020-12", scoped({"$dynamicAnchor": "load", "$ref": "gone.json"}), "'https://quays.example/gone.json'"),
            ("2020-12", scoped({"$dynamicAnchor": "load", "pattern": "("}), r"the pattern '\('"),
            (
                "2020-12",
                scoped({"$dynamicAnchor": "load", "not": {"$ref": "#/$defs/lost"}}),
                r"nothing stands at /\$defs",
            ),
            ("2019-09", {"$ref": "out#/$defs/a", "$defs": {"out": OUT, "in": LOOSE}}, r"the pattern '\('"),
        ]
    ],
    ([], {}, "is a record or a boolean"),
    ({}, {"dialect": "draft-03"}, "dialect='draft-03' is not known"),
    ({}, {"formats": "ignore"}, "formats='ignore' is no way to treat formats"),
    (
        {"$schema": "https://quays.example/own"},
        {"documents": {"https://quays.example/own": {"$vocabulary": {"https://quays.example/tides": True}}}},
        "needs the vocabulary 'https://quays.example/tides', which is not known here",
    ),
]


@pytest.mark.parametrize(("document", "words", "message"), WRONG)
def test_documents_that_are_none(document: Any, words: dict[str, Any], message: str) -> None:
    with pytest.raises(DeclarationError, match=message):
        Gate.from_schema(document, **words)


def test_references_reach_only_what_was_handed_over(tmp_path: Path) -> None:
    (tmp_path / "parts").mkdir()
    (tmp_path / "parts" / "crane.json").write_text('{"$ref": "../words.json#code"}')
    (tmp_path / "words.json").write_text('{"$defs": {"c": {"$anchor": "code", "maxLength": 2}}}')
    (tmp_path / "berth.json").write_text('{"items": {"$ref": "parts/crane.json"}}')
    gate = Gate.from_schema(tmp_path / "berth.json", documents=tmp_path)
    (fault,) = gate.examine(["A1", "A12"]).faults
    assert (fault.pointer, fault.keyword) == ("/1", "words.json#/$defs/c/maxLength")
    remote = {"$id": "https://quays.example/main", "$ref": "crane"}
    for documents in (
        {"https://quays.example/crane": {"type": "string"}},
        {"any": {"$id": "https://quays.example/crane", "type": "string"}},
    ):
        assert not Gate.from_schema(remote, documents=documents).accepts(1)
    (tmp_path / "words.json").write_text("{")
    with pytest.raises(DeclarationError, match=r"words.json is no JSON"):
        Gate.from_schema(True, documents=tmp_path)
    # A definition that nobody refers to may lead nowhere.
    assert Gate.from_schema({"$defs": {"old": {"$ref": "gone.json"}}}).accepts(1)


def test_a_dialect_of_ones_own() -> None:
    base = "https://json-schema.org/draft/2020-12"
    own = {"$id": "https://quays.example/own", "$schema": f"{base}/schema", "type": ["object", "boolean"]}
    some = {
        **own,
        "$vocabulary": {
            f"{base}/vocab/core": True,
            f"{base}/vocab/applicator": True,
            "https://quays.example/tides": False,
        },
    }
    document = {"$schema": "https://quays.example/own", "properties": {"a": False, "b": {"type": "integer"}}}
    gate = Gate.from_schema(document, documents={"https://quays.example/own": some})
    assert gate.accepts({"b": "no validation vocabulary, no type"})
    assert not gate.accepts({"a": 1})
    assertion = {**own, "$vocabulary": {f"{base}/vocab/core": True, f"{base}/vocab/format-assertion": True}}
    formats = Gate.from_schema(
        {"$schema": "https://quays.example/own", "format": "ipv4"}, documents={"https://quays.example/own": assertion}
    )
    assert not formats.accepts("300.0.0.1"), "a dialect may ask for formats to be asserted"
    assert Gate.from_schema({"format": "ipv4"}).accepts("300.0.0.1")
    odd = Gate.from_schema({"$schema": "https://quays.example/unknown", "items": [False]}, dialect="draft-07")
    assert not odd.accepts([1])


def test_the_standards_output() -> None:
    gate = Gate.from_schema(BERTH)
    assert gate.output({"port": "QLP"}, "flag") == {"valid": True}
    told = gate.output({"port": "OST", "cranes": ["a1"]}, "basic")
    assert told["errors"] == [
        {
            "keywordLocation": "/properties/port/enum",
            "absoluteKeywordLocation": "https://quays.example/berth#/properties/port/enum",
            "instanceLocation": "/port",
            "error": "needs one of QLP, MRW; got 'OST'",
        },
        {
            "keywordLocation": "/properties/cranes/items/$ref/pattern",
            "absoluteKeywordLocation": "https://quays.example/berth#/$defs/crane/pattern",
            "instanceLocation": "/cranes/0",
            "error": "needs text that matches ^[A-Z][0-9]$; got 'a1'",
        },
    ]
    (absent,) = gate.output({})["errors"]
    assert (absent["instanceLocation"], absent["error"]) == ("", "port: needs a value; none came")
    sound = gate.output({"port": "QLP", "cranes": ["A1"]})
    notes = {(note["instanceLocation"], note["keywordLocation"]): note["annotation"] for note in sound["annotations"]}
    assert notes["", "/title"] == "Berth"
    assert notes["/cranes/0", "/properties/cranes/items/$ref/format"] == "regex"
    assert notes["", "/properties"] == ["port", "cranes"]
    with pytest.raises(ValueError, match="flag or basic"):
        gate.output({}, "detailed")  # type: ignore[arg-type]


def test_the_demo_judged_by_its_own_document(sound: dict[str, Any]) -> None:
    gate = Gate.from_schema(bookings.schema(), formats="assert")
    raw = (Path(__file__).parents[1] / "src/dutiful_gate/demo/bookings.json").read_bytes()
    unstated = 0
    for item in json.loads(raw):
        ours, theirs = bookings.examine(item), gate.examine(item)
        missing = {fault.pointer for fault in ours.faults} - {fault.pointer for fault in theirs.faults}
        unstated += bool(missing)
        assert missing <= {"/arrives"}, "only the comparison of two fields is not in the document"
    assert unstated


def test_hostile_documents_do_no_harm() -> None:
    words = ['"]; raise SystemExit #', "'''\n\\", "{0}", "__import__('os')", "\u2028", "a\x00b", "𝔘", ""]
    document = {
        "properties": {word: {"const": word, "title": word} for word in words},
        "patternProperties": {"^x": {"enum": words}},
        "required": words,
        "$defs": {word: {"pattern": "^(a+)+$"} for word in words},
        "allOf": [
            {"$ref": f"#/$defs/{word.replace('{', '%7B').replace('}', '%7D')}"} for word in words if word.isidentifier()
        ],
    }
    gate = Gate.from_schema(document)
    assert gate.accepts({word: word for word in words})
    assert {fault.code for fault in gate.examine({"x": 1}).faults} == {"absent", "choice"}
    deep: Any = 1
    for _ in range(10_000):
        deep = {"next": deep}
    (fault,) = Gate.from_schema({"properties": {"next": {"$ref": "#"}}}).examine(deep).faults
    assert (fault.code, fault.message) == ("depth", "needs data at most 64 levels deep; got deeper data")
    assert Gate.from_schema(
        {"$ref": "#/$defs/a", "$defs": {"a": {"items": {"$ref": "#"}}}}, limits=Limits(depth=3)
    ).accepts([[[]]])
    for odd in ({"enum": [[1]]}, {"uniqueItems": True}, {"anyOf": [{"items": {"$ref": "#"}}, {"type": "null"}]}):
        assert [fault.code for fault in Gate.from_schema(odd).examine([deep]).faults] in (["depth"], ["choice"], [])
    nested: Any = {}
    for _ in range(3_000):
        nested = {"not": nested}
    with pytest.raises(DeclarationError, match="nests"):
        Gate.from_schema(nested)
    assert not Gate.from_schema({"pattern": "^(a+)+$"}).accepts("a" * 5_000 + "!")


def test_data_without_end_is_counted_within_bounds() -> None:
    gate = Gate.from_schema({"items": {"type": "string"}}, limits=Limits(items=30_000, faults=5))
    verdict = gate.examine([0] * 30_000)
    assert (len(verdict.faults), verdict.untold) == (5, 29_995)
    (fault,) = gate.examine([0] * 30_001).faults
    assert (fault.code, fault.message) == ("size", "needs at most 30000 of them; got 30,001")
    assert not gate.accepts([""] * 30_001)
    mostly = ["a"] * 29_000
    mostly[17] = 4  # type: ignore[call-overload]
    assert [each.pointer for each in gate.examine(mostly).faults] == ["/17"]


def test_many_definitions_compile_lazily() -> None:
    definitions = {
        f"d{at}": {"properties": {"next": {"$ref": f"#/$defs/d{(at * 7 + 1) % 500}"}, "v": {"maxLength": at % 9}}}
        for at in range(500)
    }
    gate = Gate.from_schema({"$ref": "#/$defs/d0", "$defs": definitions})
    assert gate.accepts({"next": {"next": {"v": "x"}}})
    assert gate.source.count("def judge_") < 10, "only what was reached is compiled"


class Lying(dict[str, Any]):
    """A record that raises whatever it is asked."""

    def _no(self, *asked: object) -> Any:
        raise ValueError("hunter2")

    get = items = keys = values = __iter__ = __len__ = __contains__ = __getitem__ = _no  # type: ignore[assignment]


@pytest.mark.parametrize("flaws", ["refuse", "tell"])
def test_data_that_lies_is_refused_and_never_raises(flaws: Any) -> None:
    more = {"$ref": "gone.json"} if flaws == "tell" else {}
    schema = {
        "properties": {"a": {"type": "string", **more}},
        "patternProperties": {"^b": {"minLength": 2}},
        "unevaluatedProperties": False,
    }
    gate = Gate.from_schema(schema, flaws=flaws)
    for data in (Lying(a="x"), {"a": Lying(a="x")}, {"a": "x", "b": [Lying()]}, [Lying()]):
        verdict = gate.examine(data)
        assert gate.accepts(data) is bool(verdict)
        assert "hunter2" not in repr(verdict.faults)
    assert not gate.accepts(Lying(a="x"))
    assert not gate.accepts({"a": Lying(a="x")})


def test_a_look_behind_of_any_width() -> None:
    gate = Gate.from_schema({"pattern": "(?<=^|, )[a-z]+$"})
    assert [gate.accepts(text) for text in ("rope", "oil, rope", "oil; rope", "oil,rope")] == [True, True, False, False]
    assert JUDGES["regex"][1]("(?<=a|bc)d")


EXPRESSIONS = [
    (r"^\S(|(.|\n)*\S)\Z", False), (r"\a", False), (r"(?<n>a)\k<n>", True), (r"[\w\-.]+", True), (r"\cA", True),
    (r"a++", False), (r"(?i)a", False), (r"{1}", False), (r"(?:a", False), (r"a)", False), (r"[b-a]", False), (r"\u{1F6A2}", True),
    (r"(?<n>a)(?<n>b)", False), (r"\1", False), (r"[", False), ("\\", False), (r"[^]", True), (r"(?=a)*", False), (r"\k", False), (r"(?<=a)+", False), (r"a}", False), (r"\_", False),
    (r"\p{Lu}", True),
]  # fmt: skip


@pytest.mark.parametrize(("pattern", "expected"), EXPRESSIONS)
def test_what_is_a_regular_expression(pattern: str, expected: bool) -> None:
    assert JUDGES["regex"][1](pattern) is expected


@given(st.text(r"ab01^$.*+?()[]{}|\\dwsDWSpP{L}-,<>=!:k", max_size=12))
def test_no_expression_makes_the_reader_raise(pattern: str) -> None:
    for strict in (True, False):
        with suppress(NoPattern):
            read_ecma(pattern, strict=strict)


FORMATS = [
    ("idn-hostname", "실례.테스트", True), ("idn-hostname", "〮실례.테스트", False), ("idn-hostname", "l·l", True), ("idn-hostname", "a·l", False),
    ("idn-hostname", "א׳ב", True), ("idn-hostname", "A׳ב", False), ("idn-hostname", "بي\u200cبي", True), ("idn-hostname", "क\u200dष", False),
    ("idn-hostname", "क्\u200dष", True), ("idn-hostname", "ab--cd", False), ("idn-hostname", "xn--X", False), ("idn-hostname", "a。b", True),
    ("idn-hostname", "٠۰", False), ("idn-hostname", "-실례", False), ("idn-hostname", "fähre.example", True), ("hostname", "xn--fhre-koa.example", True),
    ("hostname", "xn--fhre-kob", False), ("hostname", "a" * 64, False), ("time", "23:59:60Z", True), ("time", "22:59:60Z", False),
    ("time", "01:29:60+01:30", True), ("time", "12:00:00", False), ("date-time", "1998-12-31T15:59:60.123-08:00", True),
    ("date-time", "1998-12-31T23:58:60Z", False), ("uri", "http://[2001:db8::7]/x", True), ("uri", "http://[:::1]", False), ("uri", "//a", False),
    ("iri", "http://ƒøø.ßår/?∂éœ=πîx#πîüx", True), ("uri-reference", "#a b", False), ("ipv4", "087.10.0.1", False), ("ipv6", "fe80::1%25", False),
    ("email", '"joe bloggs"@example.example', True), ("email", "te..st@example.example", False), ("email", "joe@[127.0.0.1]", True),
    ("duration", "P1Y2W", False), ("duration", "PT1D", False), ("json-pointer", "/foo/~", False), ("relative-json-pointer", "01/a", False),
    ("uri-template", "/a/{b", False), ("uuid", "2eb8aa08-aa98-11ea-b4aa73b44-1d16380", False), ("date", "2023-02-29", False), ("date", "2024-02-29", True),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "expected"), FORMATS)
def test_formats(name: str, text: str, expected: bool) -> None:
    assert Gate.from_schema({"format": name}, formats="assert").accepts(text) is expected
    assert Gate.from_schema({"format": name}).accepts(text)


@pytest.mark.parametrize("valid", [True, False])
def test_the_standards_output_does_not_double_with_every_level(valid: bool) -> None:
    twice: dict[str, Any] = {"properties": {"a": {"$ref": "#"}}, "title": "berth"}
    wants = {} if valid else {"required": ["x"]}
    gate = Gate.from_schema({"anyOf": [{**twice, **wants}, {**twice, **wants, "minProperties": 1}]})
    data: dict[str, Any] = {}
    for _ in range(40):
        data = {"a": data}
    told = gate.output(data, "basic")
    assert told["valid"] is valid
    assert 80 < len(told["annotations" if valid else "errors"]) < 11_000
