"""The document in every dialect, of what is sent and of what is released, alone and in bundles."""

# Rooms: document/writing

from __future__ import annotations

import json
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from itertools import product
from typing import Annotated, Any, Literal
from uuid import UUID

import pytest

from dutiful_gate import (
    Amendment,
    DeclarationError,
    Gate,
    about,
    also_named,
    at_least_one,
    bundle,
    holds,
    if_absent,
    in_utc,
    it,
    needs,
    obeys,
    obeys_document,
    rounded_to,
    secret,
    split_on,
    then,
    this,
    trimmed,
    uppered,
    via,
    when,
)
from dutiful_gate.declare.formats.table import FORMATS as TABLE
from dutiful_gate.demo.ferries import bookings

DIALECTS: list[Any] = ["2020-12", "draft-07", "openapi-3.1", "openapi-3.0"]


@dataclass
class Drum:
    kind: Literal["drum"]
    litres: Annotated[int, it > 0, it.multiple_of(5)]


@dataclass
class Pallet:
    kind: Literal["pallet"]
    layers: tuple[int, str]


@obeys(needs("un_number", given="note"), when(this.hazard != "none").needs("un_number"), this.low < this.high)
@dataclass
class Freight:
    """What goes on board."""

    held: Drum | Pallet
    ref: UUID
    length: timedelta
    low: int
    high: int
    pin: Annotated[str, secret]
    tags: Annotated[list[str], it.contains("dry"), if_absent(["dry"])]
    old: Annotated[str | None, about(title="Old code", deprecated=True, read_only=True, examples=["Q1"])] = None
    hazard: Literal["none", "acid"] = "none"
    un_number: int | None = None
    note: str | None = None
    by_port: dict[Annotated[str, it.matches("[A-Z]{3}")], list[bytes]] = field(default_factory=dict)


freight = Gate(Freight)


def test_draft_07() -> None:
    document = freight.schema(dialect="draft-07", id="https://ternsound.example/freight")
    assert document["$schema"] == "http://json-schema.org/draft-07/schema#"
    assert document["allOf"] == [{"$ref": "#/definitions/Freight"}], "a $ref would silence the $id beside it"
    pallet = document["definitions"]["Pallet"]["properties"]
    assert pallet["layers"] == {
        "type": "array",
        "items": [{"type": "integer"}, {"type": "string"}],
        "minItems": 2,
        "maxItems": 2,
    }
    assert document["definitions"]["Freight"]["properties"]["ref"]["pattern"].startswith("^(?:[0-9a-fA-F]{8}")
    assert [rule.pointer for rule in document.unstated] == ["/definitions/Freight"]


@pytest.mark.parametrize("formats", ["name", "spell-out"])
@pytest.mark.parametrize("dialect", DIALECTS)
def test_patterns_stay_beside_a_format_that_is_spelled_out(dialect: Any, formats: Any) -> None:
    code = Annotated[str, it.of_format("uuid"), it.matches("[0-9a-f-]+"), it.has("7"), it.ends_with("0")]
    gate: Gate[Any] = Gate(code)
    judge = Gate.from_schema(gate.schema(dialect=dialect, formats=formats), dialect=dialect, formats="assert")
    word = "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f50"
    for text in (word, word.upper(), word.replace("7", "6"), word[:-1] + "1", word[1:]):
        assert judge.accepts(text) == gate.accepts(text) == (text == word)


@pytest.mark.parametrize("dialect", DIALECTS)
def test_rules_of_a_record_stay_beside_each_other(dialect: Any) -> None:
    """Of several, and other names beside them, one was lost in OpenAPI 3.0: what has a place is added to."""

    @obeys(needs("number", given="note"), when(this.low > 3).needs("note"), when(this.codes.contains("a")).needs("low"))
    @dataclass
    class Berth:
        low: int = 1
        codes: Annotated[list[str], also_named("marks", "old marks")] = field(default_factory=list)
        number: int | None = None
        note: str | None = None
        kind: Literal["a", 1, None] | list[int] | None = None

    for declared in (Berth, Amendment[Berth]):
        gate: Gate[Any] = Gate(declared)
        judge = Gate.from_schema(gate.schema(dialect=dialect), dialect=dialect, formats="assert")
        for low, codes, number, note in product((1, 4), (["b"], ["a"]), (None, 2), (None, "")):
            for sent in (
                {"low": low, "codes": codes, "number": number, "note": note},
                {"number": number, "note": note},
                {"low": low, "codes": codes},
                {"low": low, "note": note, "marks": codes},
            ):
                assert judge.accepts(sent) == gate.accepts(sent), sent


def test_openapi() -> None:
    document = freight.schema(dialect="openapi-3.1")
    schemas = document["components"]["schemas"]
    assert document["$ref"] == "#/components/schemas/Freight"
    assert schemas["Freight"]["properties"]["held"] == {
        "anyOf": [{"$ref": "#/components/schemas/Drum"}, {"$ref": "#/components/schemas/Pallet"}],
        "discriminator": {
            "propertyName": "kind",
            "mapping": {"drum": "#/components/schemas/Drum", "pallet": "#/components/schemas/Pallet"},
        },
    }
    older = freight.schema(dialect="openapi-3.0")
    schemas = older["components"]["schemas"]
    properties = schemas["Freight"]["properties"]
    assert properties["old"] == {
        "title": "Old code", "type": "string", "nullable": True, "example": "Q1", "deprecated": True, "readOnly": True, "default": None,
    }  # fmt: skip
    assert properties["by_port"]["additionalProperties"]["items"]["format"] == "byte"
    assert properties["tags"]["allOf"] == [{"not": {"type": "array", "items": {"not": {"enum": ["dry"]}}}}]
    assert schemas["Drum"]["properties"]["litres"] == {
        "type": "integer", "minimum": 0, "exclusiveMinimum": True, "multipleOf": 5,
    }  # fmt: skip
    assert schemas["Drum"]["properties"]["kind"] == {"enum": ["drum"]}
    assert schemas["Pallet"]["properties"]["layers"]["items"] == {"anyOf": [{"type": "integer"}, {"type": "string"}]}
    lost = {(rule.field, rule.rule) for rule in older.unstated}
    assert {("Pallet.layers", "which item stands where"), ("Freight.by_port", "what its keys may be")} <= lost
    assert all(rule.pointer.startswith("/components/schemas/") for rule in older.unstated)
    assert "const" not in json.dumps(older)
    assert '"if"' not in json.dumps(older)


@pytest.mark.parametrize("of", ["send", "release"])
@pytest.mark.parametrize("dialect", DIALECTS)
def test_each_is_sound_by_the_meta_schema_and_judges_alike(dialect: Any, of: Any) -> None:
    sent = {
        "held": {"kind": "drum", "litres": 5}, "ref": "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "length": "PT2H", "low": 1, "high": 2,
        "pin": "1234", "by_port": {"QLP": ["Y3JhdGU="]}, "hazard": "acid", "un_number": 7,
    }  # fmt: skip
    document = freight.schema(of=of, dialect=dialect)
    judge = Gate.from_schema(document, dialect=dialect, formats="assert")
    plain = sent if of == "send" else freight.release(freight.admit(sent))
    assert judge.accepts(plain)
    assert ("pin" in plain) == (of == "send")
    for change in (
        {"held": {"kind": "drum", "litres": 4}},
        {"un_number": None},
        {"note": "x", "un_number": None},
        {"length": "2h"},
        {"tags": []},
    ):
        assert not judge.accepts({**plain, **change}), change
    assert json.dumps(document) == json.dumps(freight.schema(of=of, dialect=dialect))


def test_what_is_released() -> None:
    @dataclass
    class Reading:
        at: Annotated[datetime, in_utc]
        port: Annotated[str, trimmed, uppered, it.matches("[A-Z]{3}")]
        level: Annotated[float, it >= 0.5, rounded_to(1)]
        codes: Annotated[list[int], split_on(",")]
        count: Annotated[int, via(str, it.matches("[0-9]+")), it < 100]
        words: Annotated[str, then(len)]
        even: Annotated[int, holds(lambda value: value % 2 == 0)] = 2

    gate = Gate(Reading)
    sent, released = gate.schema(), gate.schema(of="release")
    assert sent["$defs"]["Reading"]["properties"]["codes"] == {"type": "string"}
    properties = released["$defs"]["Reading"]["properties"]
    assert properties["codes"] == {"type": "string"}
    assert properties["count"] == {"type": "string", "pattern": "^[0-9]+$"}
    assert properties["words"] == {}
    assert properties["level"] == {"type": "number", "minimum": 0.5, "multipleOf": 0.1}
    assert properties["at"]["pattern"] == "(?:[Zz]|[+-]00:00)$"
    assert released["$defs"]["Reading"]["required"] == ["at", "port", "level", "codes", "count", "words", "even"]
    assert {rule.field for rule in sent.unstated} == {"Reading.codes", "Reading.count", "Reading.words", "Reading.even"}
    assert {rule.field for rule in released.unstated} == {
        "Reading.codes",
        "Reading.count",
        "Reading.words",
        "Reading.even",
    }
    before = Gate(Annotated[str, it.matches("[a-z]+"), uppered]).schema()
    assert ("pattern" in before, before.unstated[0].reason) == (False, "a later step changes what it judged")


def test_formats_spelled_out() -> None:
    fields = {
        "date-time": "2026-05-04T09:30:00Z",
        "email": "desk@ternsound.example",
        "ipv6": "2001:db8::7",
        "uri": "https://quays.example/",
    }
    for name, text in fields.items():
        document = Gate(Annotated[str, it.of_format(name)]).schema(formats="spell-out")
        assert (document["format"], document["type"]) == (name, "string")
        client = Gate.from_schema(document, formats="annotate")
        assert client.accepts(text), "a client that does not assert formats"
        assert not client.accepts("x y")
    both = Gate(Annotated[str, it.matches("a.*"), it.of_format("ipv4")]).schema(formats="spell-out")
    assert both["pattern"] == "^a[^\\n]*$"
    assert "25[0-5]" in both["allOf"][0]["pattern"]


def test_what_a_format_admits_its_pattern_admits() -> None:
    """Spelled out, a format admits more at most, never less; the same, where the table says that it is exact."""
    from test_documents_as_gates import FORMATS

    tried = 0
    for name, text, sound in [*FORMATS, *((name, text, True) for name, row in TABLE.items() for text in row.examples)]:
        said = Gate(Annotated[str, it.of_format(name)]).schema(formats="spell-out")
        if "pattern" in said and (sound or TABLE[name].exact):
            assert Gate.from_schema(said, formats="annotate").accepts(text) is sound, (name, text)
            tried += 1
    assert tried > 40


@pytest.mark.parametrize("dialect", DIALECTS)
def test_a_document_beside_a_type_in_each_dialect(dialect: Any) -> None:
    """What a dialect has no keyword for is unstated there, and never half said."""
    held = [{"not": {"const": 7}}, {"unevaluatedProperties": False}, {"contains": True, "minContains": 2}]
    gates = [Gate(Annotated[list[int], obeys_document(document)]).schema(dialect=dialect) for document in held]
    lesser = dialect in ("draft-07", "openapi-3.0")
    assert [bool(document.unstated) for document in gates] == [False, lesser, lesser]
    for document in gates:
        Gate.from_schema(document, dialect=dialect)
    old = Gate(Annotated[Any, obeys_document({"items": [False]}, dialect="draft-07")]).schema(dialect=dialect)
    assert bool(old.unstated) == (dialect == "openapi-3.0")
    assert bool(old.unstated) or not Gate.from_schema(old, dialect=dialect).accepts([1])


def test_a_bundle() -> None:
    made = bundle(
        {"Booking": bookings, "Bookings": Gate(list[bookings.declared]), "Freight": freight, "Code": Gate(str)},
        id="urn:x",
    )  # type: ignore[name-defined]
    assert list(made["$defs"]) == ["Booking", "Crate", "Bookings", "Freight", "Drum", "Pallet", "Code"]
    assert made["$defs"]["Bookings"]["items"] == {"$ref": "#/$defs/Booking"}
    assert made["$id"] == "urn:x"
    assert len(made.unstated) == 2, "what two gates share is told once"
    Gate.from_schema({"$ref": "#/$defs/Bookings", "$defs": made["$defs"]})

    @dataclass
    class Crate:
        colour: str

    other = bundle({"Booking": bookings, "Paint": Gate(Crate)}, dialect="openapi-3.1")["components"]["schemas"]
    assert other["Paint"] == {"$ref": "#/components/schemas/Crate_2"}
    assert list(other["Crate_2"]["properties"]) == ["colour"]
    with pytest.raises(DeclarationError, match="two things of the bundle are called 'Crate'"):
        bundle({"Booking": bookings, "Crate": Gate(Crate)})
    with pytest.raises(DeclarationError, match="is a gate from a document"):
        bundle({"x": Gate.from_schema({})})


@pytest.mark.parametrize(("word", "held"), [("of", "sent"), ("dialect", "draft-05"), ("formats", "all")])
def test_words_that_are_not_known(word: str, held: str) -> None:
    with pytest.raises(DeclarationError, match=f"{word}='{held}' is not known for a document; one of "):
        bookings.schema(**{word: held})  # type: ignore[arg-type]


def test_an_amendments_document() -> None:
    @obeys(at_least_one("phone", "mail"))
    @dataclass
    class Contact:
        phone: str | None = None
        mail: str | None = None

    document = Gate(Amendment[Contact]).schema()
    judge = Gate.from_schema(document)
    assert judge.accepts({"phone": None})
    assert not judge.accepts({"phone": None, "mail": None}), "judged when all its fields were sent"
    assert not judge.accepts({})


def test_a_schema_key_is_never_unknown() -> None:
    gate = Gate(Drum, unknown="refuse")
    drum = {"$schema": "./drum.schema.json", "kind": "drum", "litres": 5}
    assert gate.admit(drum) == Drum("drum", 5)
    assert Gate(Drum).examine(drum).dropped == ()
    assert [fault.pointer for fault in gate.examine({**drum, "x": 1}).faults] == ["/x"]
    assert Gate.from_schema(gate.schema()).accepts(drum)
    inside = Gate(list[Drum], unknown="refuse").examine([drum])
    assert [fault.pointer for fault in inside.faults] == ["/0/$schema"], "only the whole of a file has one"
