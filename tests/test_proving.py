"""The laws of equivalence, samples and probes, and documents as declarations."""

# Rooms: sample, prove, document/declaring

from __future__ import annotations

import json
import random
import re
import runpy
from dataclasses import dataclass, field, is_dataclass, make_dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import IntEnum
from ipaddress import IPv4Address, IPv6Address
from pathlib import Path
from typing import Annotated, Any, Literal, is_typeddict
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import loaded
from dutiful_gate import (
    CannotSample,
    DeclarationError,
    DocumentGate,
    Email,
    Gate,
    Hostname,
    Refused,
    Slug,
    WebUrl,
    as_text,
    declarations_of,
    holds,
    it,
    lenient,
    now,
    obeys,
    obeys_document,
    payloads,
    probes,
    rounded_to,
    samples,
    secret,
    this,
    today,
    trimmed,
    unambiguous,
    uppered,
    without_offset,
)
from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.document.document import Document
from dutiful_gate.prove.laws import is_sayable
from dutiful_gate.prove.proof import prove
from dutiful_gate.prove.smaller import smallest
from dutiful_gate.regex.cost import guarded
from dutiful_gate.sample.edges import Edges
from prove_many import proved


@pytest.mark.parametrize("first", range(0, 80, 10))
def test_the_laws_hold_for_declarations_nobody_thought_of(first: int) -> None:
    """A short run of `make prove`."""
    for seed in range(first + 5000, first + 5010):
        _, proof, told = proved(seed, 60)
        assert not told, seed
        assert proof is None or proof.admitted + proof.refused + proof.unsayable == proof.instances == 60


def test_the_demo_is_proved() -> None:
    proof = prove(bookings, 1500, seed=3)
    assert (proof.disagreements, proof.instances, proof.unsampled) == ([], 1500, "")
    assert proof.admitted > 100
    ((rule, instance, met),) = proof.unstated
    assert (rule.rule, met) == ("this.arrives > this.departs", True)
    assert instance["arrives"] <= instance["departs"], "an instance that shows the difference"
    assert prove(bookings, 300, seed=3).admitted == prove(bookings, 300, seed=3).admitted


def test_what_is_told_apart_by_how_it_was_written_alone_is_no_broken_law() -> None:
    gate: Gate[Any] = Gate(Annotated[datetime | Annotated[str, it.length < 25], unambiguous])
    came = gate.examine("2026-05-04T09:30:00-00:00")
    with pytest.raises(Refused, match="got more than one"):
        gate.release(came.value)
    assert not prove(gate, 1500, seed=3).disagreements


def test_items_differ_as_they_are_read_again() -> None:
    """Of `int | float`, 2.0 comes back as a whole number, which a step may make into another one."""
    item = Annotated[int, rounded_to(-1)] | Annotated[float, rounded_to(1)]
    for declared, held in ((Annotated[list[item], it.distinct], list), (set[item], set)):
        gate: Gate[Any] = Gate(declared)
        for values in ([2.0, 0], [2.04, 0], [2.04, 2.0], [12.0, 10]):
            with pytest.raises(Refused) as refused:
                gate.release(held(values))
            assert [fault.code for fault in refused.value.faults] == ["repeat"]
        assert gate.release(held([3.5, 10])) in ([3.5, 10], [10, 3.5])
        assert not prove(gate, 300).disagreements
    called: list[str] = []
    own: Gate[Any] = Gate(Annotated[list[Annotated[str, holds(called.append)] | item], it.distinct])
    assert (own.release(["a", 2.0, 0]), called) == (["a", 2.0, 0], []), (
        "functions of one's own are not asked at release"
    )


class _Lying(Gate[Any]):
    """A gate whose document is not its own."""

    __slots__ = ("told",)

    def schema(self, **words: Any) -> Document:
        return Document(json.loads(json.dumps(super().schema(**words)).replace(*_LIES[words.get("of", "send")])), ())


_LIES = {"send": ("", ""), "release": ("", "")}


@pytest.mark.parametrize(
    ("of", "truth", "lie", "law", "smallest_one"),
    [
        ("send", '"maximum": 9', '"maximum": 10', 1, {"count": 10, "port": ""}),
        ("send", '"maximum": 9', '"maximum": 8', 2, {"count": 9, "port": ""}),
        ("release", '"maximum": 9', '"maximum": 8', 3, {"count": 9, "port": ""}),
    ],
)
def test_a_law_that_is_broken_is_found(
    of: str, truth: str, lie: str, law: int, smallest_one: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    @dataclass
    class Berths:
        count: Annotated[int, it <= 9]
        port: str

    monkeypatch.setitem(_LIES, of, (truth, lie))
    proof = prove(_Lying(Berths), 600)
    assert [(broken.law, broken.instance) for broken in proof.disagreements] == [(law, smallest_one)]
    assert f"law {law}: " in str(proof.disagreements[0])


def test_instances_are_made_smaller() -> None:
    found = smallest({"a": [1, 2, {"b": "xxxyyy"}], "c": 7}, lambda data: "y" in json.dumps(data))
    assert found == {"a": [{"b": "y"}]}
    assert smallest([4096, 2.75], lambda data: len(data) == 2) == [0, 0.0]


SAYABLE = [
    ("x", True),
    ("\ud800", False),
    (2**53, True),
    (2**53 + 1, True),
    (10**400, False),
    (1e300, False),
    ({"\udc00": 1}, False),
]


@pytest.mark.parametrize(("instance", "expected"), SAYABLE)
def test_what_a_document_can_speak_of(instance: Any, expected: bool) -> None:
    assert is_sayable([instance], False) is expected
    assert is_sayable([2**53 + 1], True) is False


def test_definitions_that_lead_to_each_other_without_end_in_sight() -> None:
    """Each of 1,500 records holds the next one, and the last the first."""
    count = 1500
    definitions = {
        f"d{at}": {
            "type": "object",
            "title": f"Berth{at}",
            "properties": {"name": {"type": "string"}, "next": {"$ref": f"#/$defs/d{(at + 1) % count}"}},
            "required": ["name"],
        }
        for at in range(count)
    }
    gate = loaded(declarations_of({"$ref": "#/$defs/d0", "$defs": definitions}))
    assert gate.accepts({"name": "a", "next": {"name": "b", "next": {"name": "c"}}})
    assert not gate.accepts({"name": "a", "next": {"name": "b", "next": {}}})
    lists = {f"d{at}": {"type": "array", "items": {"$ref": f"#/$defs/d{at + 1}"}} for at in range(count)}
    with pytest.raises(DeclarationError, match="too many times to be told; let records stand between"):
        declarations_of({"$ref": "#/$defs/d0", "$defs": {**lists, f"d{count}": {"type": "string"}}})


SAMPLED = [
    Annotated[datetime, it > now, it < now + timedelta(hours=1)],
    Annotated[datetime, it > now - timedelta(minutes=5), it < now],
    Annotated[datetime, it.between(datetime(2026, 5, 4, tzinfo=UTC), datetime(2026, 5, 4, 0, 0, 1, tzinfo=UTC))],
    Annotated[datetime, without_offset, it > now, it < now + timedelta(minutes=30)],
    Annotated[date, it > date(2026, 5, 4), it < date(2026, 5, 6)],
    Annotated[date, it >= today, it <= today + timedelta(days=1)],
    Annotated[str, it.matches(r"(\w)(\w)\2\1")],
    Annotated[str, it.matches(r"(?P<quote>['\"])[a-z]+(?P=quote)")],
    Annotated[str, it.starts_with("QLP-"), it.contains("mid"), it.ends_with("-END")],
    Annotated[str, it.starts_with("QLP-"), it.contains("mid"), it.ends_with("-END"), it.length.between(11, 12)],
    Annotated[str, it.starts_with("QLP-"), it.has(r"\d{3}"), it.ends_with("-END"), it.length == 20],
    Annotated[str, it.starts_with("tern"), it.ends_with("rnq"), it.length == 5],
    Annotated[str, it.matches(r"[A-Z]{3}-.*"), it.contains("berth"), it.ends_with("!")],
    Annotated[str, it.matches(r"(?=.*\d)(?=.*[a-z])\w{8,}")],
]


@pytest.mark.parametrize("declared", SAMPLED, ids=str)
def test_what_has_two_ends_or_refers_to_itself_is_sampled(declared: Any) -> None:
    gate = Gate(declared)
    for seed in range(5):
        assert all(gate.accepts(payload) for payload in payloads(gate, 4, seed))


def test_what_is_found_nowhere_in_an_empty_text() -> None:
    """Python before 3.14 does not find `\\B` there, and the document says the same as the gate."""
    gate = Gate(Annotated[str, it.has(r"\B")])
    judge = Gate.from_schema(gate.schema())
    for text in ("", "a", "ab", " ", "  ", "a b", "é"):
        assert gate.accepts(text) is judge.accepts(text), text
    for flags in (re.NOFLAG, re.ASCII):
        compiled = re.compile(r"(a?)+\B(b|\1)*", flags)
        assert (guarded(compiled, whole=True)("") is None) is (compiled.fullmatch("") is None)


def test_samples_look_plausible_and_are_sound() -> None:
    made = samples(Booking, 20, seed=5)
    assert len(made) == 20
    assert all(isinstance(booking, Booking) and booking.arrives > booking.departs for booking in made)
    assert made == samples(bookings, 20, seed=5) != samples(bookings, 20, seed=6)
    assert {type(booking.departs) for booking in made} == {datetime}
    plain = payloads(Booking, 5)
    assert all(bookings.accepts(payload) for payload in plain)
    assert all("@" in payload["contact"] and payload["contact"].endswith(".example") for payload in plain)

    @dataclass
    class Never:
        code: Annotated[str, it.matches("[a-z]"), uppered, it.matches("[a-z]")]

    with pytest.raises(CannotSample, match=r"code: no sound value was found in 80 tries.*about\(examples="):
        samples(Never)


def test_probes_are_wrong_in_one_place() -> None:
    told = list(probes(Booking, seed=2))
    for payload, fault in told:
        assert bookings.examine(payload).faults == (fault,)
    found = {
        (("/".join("[]" if isinstance(step, int) else step for step in fault.path)), fault.code) for _, fault in told
    }
    assert {
        ("origin", "absent"), ("origin", "pattern"), ("origin", "kind"), ("departs", "reading"), ("contact", "format"), ("crates", "count"),
        ("crates/[]/contents", "length"), ("crates/[]/weight_kg", "floor"), ("crates/[]/weight_kg", "ceiling"), ("priority", "choice"),
        ("arrives", "agreement"), ("", "kind"),
    } <= found  # fmt: skip


EDGED: list[tuple[Any, str]] = [
    (Annotated[int, it > 5], "floor"), (Annotated[float, it <= 5.5], "ceiling"), (Annotated[int, it.between(3, 9)], "ceiling"),
    (Annotated[int, it.multiple_of(7)], "step"), (Annotated[str, it.length <= 4], "length"), (Annotated[str, it.length == 3], "length"),
    (Annotated[str, it.matches("[A-Z]{3}")], "pattern"), (Annotated[str, it.one_of("QLP", "OST")], "choice"), (Annotated[int, it == 8], "choice"),
    (Annotated[str, it.of_format("ipv4")], "format"), (datetime, "reading"), (date, "reading"), (UUID, "reading"), (timedelta, "reading"),
    (Literal["a", 1], "choice"),
]  # fmt: skip


@pytest.mark.parametrize(("made", "code"), EDGED)
def test_edges_lie_on_both_sides_of_a_rule(made: Any, code: str) -> None:
    """A law is only as good as the instances it is tried on."""
    gate: Gate[Any] = Gate(made)
    edges = Edges(gate.shape, random.Random(1))
    told = [gate.examine(each) for each in [*edges.of(gate.shape.root), *payloads(gate, 5)]]
    assert any(told)
    assert code in {fault.code for verdict in told for fault in verdict.faults}


class Deck(IntEnum):
    UPPER = 1
    LOWER = 2


@obeys(lambda watch: not watch.name.startswith("a") and len(watch.name) > 90)
@dataclass
class Watch:
    name: Annotated[str, it.length < 9]
    mates: list[Watch] = field(default_factory=list)
    by_name: dict[str, Watch] = field(default_factory=dict)


def test_a_declaration_of_thousands_of_fields_is_sampled_in_part() -> None:
    """A payload has what it must have, and no more once it is large."""
    kind: Any = Annotated[str, it.one_of("QLP", "OST")]
    for depth in range(4):
        made = [(f"part_{number}", kind | None, field(default=None)) for number in range(12)]
        kind = make_dataclass(f"Deck{depth}", [("name", str), *made])
    gate: Gate[Any] = Gate(kind)
    sizes = [len(json.dumps(payload)) for payload in payloads(gate, 6) if gate.accepts(payload)]
    assert len(sizes) == 6
    assert 1_000 < max(sizes) < 100_000


def test_records_inside_records_that_cannot_be_found_are_given_up() -> None:
    """Tries at each level times tries at the next would never end."""
    with pytest.raises(CannotSample, match="no sound value was found"):
        payloads(Watch)


SET_ITEMS: list[Any] = [
    int, bool, str, float, Decimal, date, UUID, Literal[1, 2], Literal["a", 1], Annotated[Literal[1, 2], lenient], Deck, int | bool,
    tuple[int, bool], Annotated[Deck, secret], Annotated[Literal[1, "b"], lenient, secret], int | None, Annotated[str, trimmed],
]  # fmt: skip


@pytest.mark.parametrize("item", SET_ITEMS)
@pytest.mark.parametrize("loose", [False, True])
def test_equal_items_in_two_spellings_are_unstated(item: Any, loose: bool) -> None:
    for declared in (set[item], Annotated[list[item], it.distinct], Annotated[frozenset[item], secret]):
        gate: Gate[Any] = Gate(declared, lenient=loose)
        assert prove(gate, 80).disagreements == []
        pairs = [("1", 1), (True, 1), (1.0, 1), ("1.0", 1.0), ("a", "a"), (" a", "a"), (True, "true"), ("1", 1.0)]
        for pair in pairs:
            if gate.accepts([pair[0]]) and gate.accepts([pair[1]]) and not gate.accepts(list(pair)):
                told = any("repeat" in rule.codes for rule in gate.schema().unstated)
                assert told or not Gate.from_schema(gate.schema()).accepts(list(pair))


SPELT: list[Any] = [
    UUID, bytes, time, timedelta, date, datetime, IPv4Address, IPv6Address, Email, Hostname, Slug, WebUrl,
    Annotated[Decimal, as_text], Annotated[datetime, without_offset],
    Annotated[str, it.of_format("duration")], Annotated[str, it.matches("[A-Z]{2}[0-9]")],
]  # fmt: skip


@pytest.mark.parametrize("made", SPELT)
@given(random=st.randoms(use_true_random=False))
def test_misspelt_texts_are_judged_as_the_document_judges_them(made: Any, random: random.Random) -> None:
    gate: Gate[Any] = Gate(made)
    document, edges = Gate.from_schema(gate.schema(), formats="assert"), Edges(gate.shape, random)
    for text in payloads(gate, 4):
        wrong = edges.misspelt(text)
        assert gate.accepts(wrong) == document.accepts(wrong), wrong


@pytest.mark.parametrize("prefix", ["0x", "0X", "{", "+1", "1_", "\u0661\u0661"])
def test_a_uuid_is_36_signs_of_rfc_9562_and_nothing_that_its_class_takes(prefix: str) -> None:
    gate = Gate(UUID)
    text = "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e"
    assert gate.accepts(text)
    assert [fault.code for fault in gate.examine(prefix + text[len(prefix) :]).faults] == ["reading"]


DOCUMENT: dict[str, Any] = {
    "$schema": "http://json-schema.org/draft-07/schema#",
    "title": "Sailing",
    "description": 'One crossing.\n\nSays "go".',
    "type": "object",
    "properties": {
        "ship": {"$ref": "#/definitions/ship"},
        "departs": {"type": "string", "format": "date-time"},
        "class": {"type": ["string", "null"], "maxLength": 9},
        "deck-plan": {"type": "array", "items": {"type": "integer", "minimum": 1}, "uniqueItems": True, "default": [1, 2]},
        "tide": {"type": "number", "multipleOf": 0.5, "exclusiveMaximum": 9},
        "port": {"enum": ["QLP", "MRW"]},
        "odd": {"not": {"type": "boolean"}},
        "next": {"$ref": "#"},
        "code": {"type": "string", "pattern": "^[A-Z]{2,4}$", "format": "berth-code"},
        "extra": {"type": "object", "additionalProperties": {"type": "integer"}, "maxProperties": 2},
        "a\"]); import os #": {"const": "'''\n"},
    },
    "required": ["ship", "departs"],
    "if": {"required": ["tide"]},
    "then": {"required": ["port"]},
    "definitions": {
        "ship": {
            "type": "object",
            "properties": {"name": {"type": "string", "minLength": 1}, "decks": {"type": "integer", "default": 2}},
            "required": ["name"],
            "additionalProperties": False,
        }
    },
}  # fmt: skip


def test_a_document_becomes_declarations_that_judge_the_same() -> None:
    text = declarations_of(DOCUMENT)
    assert "class Sailing(TypedDict):" in text
    assert "@obeys(when(this.tide.came).obeys(this.port.came))" in text
    assert '@obeys(unknown="refuse")\n@dataclass' in text
    assert "DOCUMENT" not in text
    assert "departs: datetime" in text
    assert '"""One crossing.' in text
    gate, judge = loaded(text), Gate.from_schema(DOCUMENT, formats="assert")
    sound = {"ship": {"name": "Tern"}, "departs": "2026-05-04T09:30:00Z"}
    changes: list[dict[str, Any]] = [
        {}, {"ship": {"name": ""}}, {"ship": {"name": "a", "x": 1}}, {"ship": {"name": "a", "decks": 2.5}}, {"departs": "noon"}, {"class": None},
        {"class": "x" * 10}, {"deck-plan": [1, 1]}, {"deck-plan": []}, {"deck-plan": [0]}, {"tide": 1.25}, {"tide": 1.5}, {"tide": 1.5, "port": "QLP"},
        {"port": "OST"}, {"odd": True}, {"odd": None}, {"next": sound}, {"next": {}}, {"code": "QL"}, {"code": "ql"}, {"extra": {"a": 1}},
        {"extra": {"a": "x"}}, {"extra": {"a": 1, "b": 2, "c": 3}}, {"a\"]); import os #": "'''\n"}, {"a\"]); import os #": 1}, {"more": 1},
    ]  # fmt: skip
    admitted = 0
    for change in changes:
        data = {**sound, **change}
        assert gate.accepts(data) == judge.accepts(data), change
        admitted += gate.accepts(data)
    assert 8 < admitted < len(changes) - 8


@pytest.mark.parametrize("draft", ["draft-04", "draft-06", "draft-07", "2019-09", "2020-12"])
@pytest.mark.filterwarnings("ignore::dutiful_gate.warnings.IdleKeyword")
def test_the_cases_as_declarations(draft: str) -> None:
    """Every document of the cases judges the same when it has become declarations."""
    from test_judging import FILES, HERE

    for name, drafts in FILES.items():
        for case in json.loads((HERE / f"{name}.json").read_text()) if draft in drafts else []:
            judge = Gate.from_schema(case["schema"], dialect=draft, formats="assert")
            gate = loaded(declarations_of(case["schema"], dialect=judge.dialect))  # type: ignore[attr-defined]
            for data in [*case["valid"], *case["invalid"]]:
                assert gate.accepts(data) == judge.accepts(data), (case["about"], data)


def test_declarations_of_several_documents() -> None:
    documents = {
        "crane.json": {"not": {"type": "null"}, "items": {"$ref": "words.json#/$defs/code"}},
        "words.json": {"$defs": {"code": {"maxLength": 2}}},
    }
    document = {
        "type": "object",
        "properties": {"cranes": {"$ref": "crane.json"}, "odd": {"allOf": [{"$ref": "words.json#/$defs/code"}]}},
    }
    judge = Gate.from_schema(document, documents=documents)
    gate = loaded(declarations_of(document, documents=documents))
    for data in ({}, {"cranes": ["A1"]}, {"cranes": ["A12"]}, {"cranes": None}, {"odd": "abc"}, {"odd": "ab"}):
        assert gate.accepts(data) == judge.accepts(data), data
    assert gate.schema().unstated == ()


def test_the_round_trip_of_the_demo() -> None:
    text = declarations_of(bookings.schema())
    assert loaded(text).schema() == bookings.schema()
    assert 'priority: Literal["standard", "urgent"] = "standard"' in text
    assert "contact: Email" in text


def declarations() -> list[Any]:
    """Every declaration of the examples and of the tests that stands at the top of a module, and every type of the table."""
    found: list[Any] = []
    root = Path(__file__).parent
    tables = (
        "types",
        "language",
        "charter",
        "declarations",
        "document",
        "dialects",
        "properties",
        "sources",
        "faults",
        "promises",
    )
    for file in [*sorted((root.parent / "examples").glob("*.py")), *(root / f"test_{name}.py" for name in tables)]:
        held = runpy.run_path(str(file), run_name=f"{file.stem}_again")
        found += [each for each in held.values() if isinstance(each, Gate) and not isinstance(each, DocumentGate)]
        found += [each for each in held.values() if is_dataclass(each) or is_typeddict(each)]
        if file.stem == "test_types":
            found += [declared for declared, _ in held["TABLE"].values()]
    return found


def test_the_round_trip_of_every_declaration() -> None:
    """Declaration, document, declaration, document: the same document, or one that comes again itself."""
    done = same = 0
    for each in declarations():
        try:
            gate = each if isinstance(each, Gate) else Gate(each)
        except DeclarationError:
            continue  # written to be refused
        document = gate.schema()
        again = loaded(declarations_of(json.loads(json.dumps(document)))).schema()
        assert again == document or loaded(declarations_of(json.loads(json.dumps(again)))).schema() == again, gate
        same += again == document
        done += 1
    assert done > 60
    assert same > 0.9 * done


@pytest.mark.parametrize("pattern", ["ab", "^ab", "ab$", "^[ab]+$"])
def test_the_round_trip_of_what_stands_inside_a_secret(pattern: str) -> None:
    """What a secret text holds is not told, and its pattern is: so the declaration must say the pattern."""
    text = Annotated[str, it.has(pattern)]
    for held in (text, text | None, list[text], dict[str, list[text]], tuple[text, int], list[text] | int):  # type: ignore[valid-type]
        made = make_dataclass("Crate", [("seal", Annotated[held, secret]), ("note", text)])
        document = Gate(made).schema()
        assert loaded(declarations_of(document)).schema() == document, held


def test_a_document_beside_a_type() -> None:
    @obeys(obeys_document({"minProperties": 2}), this.low < this.high)
    @dataclass
    class Span:
        low: Annotated[int, obeys_document({"not": {"const": 3}})]
        high: Annotated[Any, obeys_document(DOCUMENT, at="/definitions/ship/properties/decks")] = 7

    gate = Gate(Span)
    assert gate.accepts({"low": 1, "high": 5})
    told = {}
    for data in ({"low": 1}, {"low": 3, "high": 4}, {"low": 1, "high": "x"}):
        (fault,) = gate.examine(data).faults
        told[fault.pointer] = (fault.code, fault.keyword.rpartition("#")[2])
    assert told == {
        "": ("count", "/minProperties"),
        "/low": ("choice", "/not"),
        "/high": ("kind", "/definitions/ship/properties/decks/type"),
    }
    judge = Gate.from_schema(gate.schema())
    for data in ({"low": 1, "high": 5}, {"low": 1}, {"low": 3, "high": 4}, {"low": 1, "high": "x"}):
        assert judge.accepts(data) == gate.accepts(data)
    with pytest.raises(DeclarationError, match="breaks 2020-12"):
        obeys_document({"type": "berth"})
    assert not prove(gate, 400).disagreements
