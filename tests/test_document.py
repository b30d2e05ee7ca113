"""The written document."""

# Rooms: document/writing, regex

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field, make_dataclass
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal
from enum import Enum
from ipaddress import IPv4Address, IPv6Address
from pathlib import Path
from typing import Annotated, Any, Literal, NotRequired, TypedDict, get_args
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import CONSTANTS, Fee, compared_in_records, loaded
from dutiful_gate import (
    DeclarationError,
    Document,
    Gate,
    Source,
    about,
    as_text,
    at_least_one,
    declarations_of,
    holds,
    if_absent,
    it,
    now,
    obeys,
    otherwise,
    this,
    trimmed,
    unambiguous,
    uppered,
    utc_only,
    when,
    written_as,
)
from dutiful_gate.config import Settings
from dutiful_gate.declare.rules.pattern import in_ecma
from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.document.dialects import WrittenDialect
from dutiful_gate.proofs import prove
from dutiful_gate.regex.from_ecma import read_ecma
from dutiful_gate.regex.syntax import as_re
from dutiful_gate.web import Answering, Api, Endpoint, Form, RequestGate
from dutiful_gate.web.describing.description import description
from dutiful_gate.web.manual.page import manual


def test_the_charters_document() -> None:
    document = bookings.schema()
    assert isinstance(document, Document)
    assert document["$schema"] == "https://json-schema.org/draft/2020-12/schema"
    assert document["$ref"] == "#/$defs/Booking"
    assert list(document["$defs"]) == ["Booking", "Crate"]
    booking = document["$defs"]["Booking"]
    assert booking["description"] == "A place for freight on one crossing."
    assert booking["required"] == ["origin", "destination", "departs", "arrives", "contact", "crates"]
    assert booking["properties"] == {
        "origin": {"type": "string", "pattern": "^[A-Z]{3}$"},
        "destination": {"type": "string", "pattern": "^[A-Z]{3}$"},
        "departs": {"type": "string", "format": "date-time"},
        "arrives": {"type": "string", "format": "date-time"},
        "contact": {"type": "string", "format": "email"},
        "crates": {"type": "array", "items": {"$ref": "#/$defs/Crate"}, "minItems": 1, "maxItems": 50},
        "priority": {"type": "string", "enum": ["standard", "urgent"], "default": "standard"},
    }
    weight = document["$defs"]["Crate"]["properties"]["weight_kg"]
    assert weight == {"type": "number", "exclusiveMinimum": 0, "maximum": 26000}
    assert [(rule.field, rule.rule, rule.pointer) for rule in document.unstated] == [
        ("Booking.arrives", "this.arrives > this.departs", "/$defs/Booking")
    ]
    assert Gate(Booking, unknown="refuse").schema()["$defs"]["Booking"]["additionalProperties"] is False
    assert json.dumps(document) == json.dumps(Gate(Booking).schema()), "the same from run to run"


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = "OST"


@dataclass
class Everything:
    """All of it.

    In two paragraphs.
    """

    port: Port
    one: Literal["only"]
    mixed: Literal["a", 1, None]
    nothing: None
    maybe: Annotated[int | None, it > 2, about(title="Seats", text="How many", examples=[3])]
    maybe_port: Port | None
    on: Annotated[date, it >= date(2026, 5, 4)]
    code: Annotated[str, it == "QLP"]
    other: Annotated[str, it != "QLP", it.matches("[a-z]+"), it.matches(".{2}"), it.length != 4]
    loud: Annotated[str, uppered, it.length <= 3]
    wide: Annotated[list[list[float]], it.length == 2]
    choice: Annotated[int, it.one_of(1, 2)]
    when: datetime = datetime(2026, 5, 4, 9, 30, tzinfo=UTC)
    ports: list[Port] = field(default_factory=lambda: [Port.OSTREY])


def test_every_type_and_rule_of_the_slice() -> None:
    document = Gate(Everything).schema()
    said = document["$defs"]["Everything"]
    assert said["description"] == "All of it.\n\nIn two paragraphs."
    assert said["properties"] == {
        "port": {"type": "string", "enum": ["QLP", "OST"]},
        "one": {"const": "only"},
        "mixed": {"enum": ["a", 1, None]},
        "nothing": {"type": "null"},
        "maybe": {
            "title": "Seats",
            "description": "How many",
            "type": ["integer", "null"],
            "exclusiveMinimum": 2,
            "examples": [3],
        },
        "maybe_port": {"anyOf": [{"type": "string", "enum": ["QLP", "OST"]}, {"type": "null"}]},
        "on": {"type": "string", "format": "date"},
        "code": {"type": "string", "const": "QLP"},
        "other": {
            "type": "string",
            "not": {"const": "QLP"},
            "pattern": "^[a-z]+$",
            "allOf": [{"pattern": "^[^\\n]{2}$"}, {"not": {"minLength": 4, "maxLength": 4}}],
        },
        "loud": {"type": "string", "maxLength": 3},
        "wide": {
            "type": "array",
            "items": {"type": "array", "items": {"type": "number"}},
            "minItems": 2,
            "maxItems": 2,
        },
        "choice": {"type": "integer", "enum": [1, 2]},
        "when": {"type": "string", "format": "date-time", "default": "2026-05-04T09:30:00Z"},
        "ports": {"type": "array", "items": {"type": "string", "enum": ["QLP", "OST"]}},
    }
    unstated = {rule.field: rule.reason for rule in document.unstated}
    assert set(unstated) == {"Everything.on", "Everything.loud", "Everything.ports"}
    assert "if_absent(...)" in unstated["Everything.ports"]
    assert unstated["Everything.on"] == "JSON Schema compares numbers only, not date"


def test_no_factory_runs_while_anything_is_written() -> None:
    made: list[int] = []

    def number_them() -> list[int]:
        made.append(len(made))
        return list(made)

    @dataclass
    class Berth:
        depth: float = 4.5
        ropes: list[str] = field(default_factory=list)

    @obeys(when(this.numbers.length > 2).needs("note"), at_least_one("numbers", "note"), at_least_one("maybe", "note"))
    @dataclass
    class Terminal:
        on: Annotated[str, if_absent(sent="Ostrey")]
        ports: Annotated[list[str], if_absent(["OST"])]
        note: str | None = None
        numbers: list[int] = field(default_factory=number_them)
        maybe: list[int] | None = field(default_factory=number_them)
        berth: Berth = field(default_factory=Berth)

    @dataclass
    class Asked:
        body: Terminal

    @dataclass
    class Typed:
        form: Terminal

    terminals = Gate(Terminal)
    made.clear()
    document = terminals.schema()
    released = terminals.schema(of="release")
    said = {
        name: held["default"] for name, held in document["$defs"]["Terminal"]["properties"].items() if "default" in held
    }
    assert said == {"note": None, "on": "Ostrey", "ports": ["OST"], "berth": {"depth": 4.5, "ropes": []}}
    unstated = {(rule.field, rule.rule.partition("(")[0]) for rule in document.unstated}
    assert unstated == {
        ("Terminal.numbers", "its default"),
        ("Terminal.maybe", "its default"),
        ("Terminal.note", "when"),
        ("Terminal.maybe", "at_least_one"),
    }
    assert not {rule.rule for rule in released.unstated} & {"its default"}
    settings = Settings(Terminal)
    made.clear()
    for form in ("toml", "yaml", "json", "env", "markdown"):
        assert settings.template(form)  # type: ignore[arg-type]
    endpoint = Endpoint("POST", "/terminals", Asked, Answering(204))
    api = Api("Terminals", "1", [endpoint.by(lambda asked: None)])
    form = Form(RequestGate(Typed))
    made.clear()
    assert manual(api)
    assert description(api)
    assert form.page()
    assert made == []


def even(value: int) -> bool:
    return value % 2 == 0


@pytest.mark.parametrize("dialect", ["2020-12", "draft-07", "openapi-3.0"])
@pytest.mark.parametrize(
    ("options", "stated"),
    [
        (Annotated[int, it > 2] | Annotated[int, it < 5], True),
        (Annotated[int, holds(even)] | Annotated[int, it > 2], False),
        (Annotated[datetime, it > now] | str, False),
        (Annotated[str, uppered] | Annotated[str, it.length > 2], False),
        (list[Annotated[int, holds(even)]] | list[Annotated[int, it > 2]], False),
    ],
)
def test_an_unambiguous_union_that_cannot_be_stated_is_no_one_of(options: Any, stated: bool, dialect: Any) -> None:
    gate = Gate(Annotated[options, unambiguous])
    document = gate.schema(dialect=dialect)
    assert ("oneOf" in document) == stated
    assert ("unambiguous" in {rule.rule for rule in document.unstated}) != stated
    judge = Gate.from_schema(document, dialect=dialect)
    sent: list[Any] = [1, 2, 3, 4, 5, "QLP", "x", "2030-05-04T09:30:00Z", [1], [3], [4]]
    assert all(judge.accepts(each) for each in sent if gate.accepts(each))
    for each in sent:
        if gate.accepts(each):
            assert gate.release(gate.admit(each)) is not None


def test_every_unstated_rule_stands_somewhere() -> None:
    declared = dict[int, tuple[Annotated[str, holds(bool)], Annotated[int | Annotated[str, uppered], unambiguous]]]
    for dialect in ("2020-12", "draft-07", "openapi-3.1", "openapi-3.0"):
        for rule in Gate(declared).schema(dialect=dialect).unstated:  # type: ignore[arg-type]
            at: Any = Gate(declared).schema(dialect=dialect)  # type: ignore[arg-type]
            for step in rule.pointer.split("/")[1:]:
                at = at[int(step)] if isinstance(at, list) else at[step]


def test_a_form_of_ones_own_in_utc_only() -> None:
    for parts in ((utc_only, written_as("%d.%m.%Y %H:%M %z")), (written_as("%d.%m.%Y %H:%M %z"), utc_only)):
        gate: Gate[datetime] = Gate(Annotated[(datetime, *parts)])
        judge = Gate.from_schema(gate.schema())
        for text, sound in (("04.05.2026 09:30 +0000", True), ("04.05.2026 09:30 +0200", False)):
            assert gate.accepts(text) is judge.accepts(text) is sound
        assert (
            gate.release(datetime(2026, 5, 4, 9, 30, tzinfo=timezone(timedelta(hours=2)))) == "04.05.2026 07:30 +0000"
        )


@pytest.mark.parametrize("rule", [when(this.length > 1).needs("a"), (this.length > 1) | this.a.has_value])
def test_keys_that_may_be_left_out_are_counted_nowhere(rule: Any) -> None:
    loose: Any = TypedDict("Loose", {"a": NotRequired[int], "b": NotRequired[int]})
    with pytest.raises(DeclarationError, match="counts keys"):
        Gate(obeys(rule)(loose))
    holder: Any = TypedDict("Holder", {"items": list[loose]})
    with pytest.raises(DeclarationError, match="counts keys"):
        Gate(obeys(this.items.all(this.length > 1))(holder))
    strict: Any = TypedDict("Strict", {"a": NotRequired[int], "b": NotRequired[int]})
    gate = Gate(obeys(rule, unknown="refuse")(strict))
    again = loaded(declarations_of(gate.schema()))
    for sent in ({}, {"a": 1}, {"b": 1}, {"a": 1, "b": 2}):
        assert gate.accepts(sent) == again.accepts(sent)


def test_trimmed_text_says_so_exactly() -> None:
    pattern = Gate(Annotated[str, trimmed]).schema()["pattern"]
    pattern = pattern[:-1] + r"\Z"  # $ is the very end to ECMA-262
    for text in ("", "a", "a b", "a\n b", "é"):
        assert re.search(pattern, text), text
    for blank in map(chr, range(0x3100)):
        assert bool(re.search(pattern, blank + "a")) == (not blank.isspace()), hex(ord(blank))
        assert bool(re.search(pattern, "a" + blank)) == (not blank.isspace()), hex(ord(blank))


def test_beside_any_nothing_is_read_leniently_so_that_its_rules_are_stated() -> None:
    for lenient in (True, False):
        gate = Gate(Annotated[str | Any, it > 0], lenient=lenient)
        assert gate.schema().unstated == ()
        assert [gate.accepts(data) for data in (1, 1.5, "1", -1)] == [True, True, False, False]
    between = Gate(Annotated[str, trimmed, it.length.between(3, 7), uppered]).schema()
    assert between["pattern"] == Gate(Annotated[str, trimmed]).schema()["pattern"], (
        "a length that is unstated forbids nothing"
    )


def test_rules_beside_an_open_type_leave_one_set_of_types() -> None:
    told = dict(Gate(Annotated[Any, it.length < 9, it.contains("a"), it.starts_with("b")]).schema())
    assert told["type"] == "string"
    assert "contains" not in json.dumps(told)
    assert dict(Gate(Annotated[Any, it.starts_with("b"), it > 3]).schema())["not"] == {}


PATTERNS: list[tuple[str, str | None]] = [
    (r"[A-Z]{3}", r"[A-Z]{3}"),
    (r"\d+", r"\p{Nd}+"),
    (r"[\d_-]", r"[\p{Nd}_-]"),
    (r"(?P<port>a)(?P=port)", r"(?<port>a)\k<port>"),
    (r"(a)\1", r"(a)(?:\1)"),
    (r"\Aa\Z", "^a$"),
    ("a.b", r"a[^\n]b"),
    ("a{,3}b{2}{x}", r"a{0,3}b{2}\{x\}"),
    ("[]a]", r"[\]a]"),
    (r"\x41\u00e9\n", r"Aé\n"),
    (r"\.\/\-", r"\.\/-"),
    (r"a++", None),
    (r"(?>a)", None),
    (r"(?i)a-\x62", r"[Aa]-[Bb]"),
    (r"(?s)a.", r"a[\s\S]"),
    (r"(?m)^a$", r"(?<![^\n])a(?=\n|$)"),
    (r"(?x) a b # c", "ab"),
    (r"(?a)\w[\d-]", r"[A-Za-z0-9_][0-9-]"),
    (r"(?i:a)", None),
    (r"(a)?\1", None),
    (r"(?i)(a)\1", None),
    (r"a|(b)\1", None),
    (r"(?#note)a", None),
    (r"[^\S]", None),
]


@pytest.mark.parametrize(("pattern", "expected"), PATTERNS)
def test_patterns_in_the_words_of_ecma_262(pattern: str, expected: str | None) -> None:
    said: Any = in_ecma(pattern)
    if expected is None:
        assert "ECMA-262 does not know" in said.reason
    else:
        assert said == expected


MEANINGS = [
    ("[a-k]+s", re.I), ("ſk", re.I), ("[^a-f]", re.I), ("straße", re.I), ("i", re.I), ("[İ]", re.I), ("Ω|µ", re.I), (r"[\x41-\x43]", re.I),
    ("[A-Za-z]", re.I | re.A), ("k", re.I | re.A), ("a.b", re.S), ("^a$", re.M), (r"\w\d?\s", re.A), (r"\W\S\D", re.A), (r"\bport\b", 0), (r"\Bx", 0),
    (r"(a)\1", 0), (r"(?P<x>[ab])(?P=x)?", 0), ("a$", 0), (r"\Aa\Z", 0), (".", 0), (r"[\s\S]k", 0), (r"\w+\s\w", 0),
]  # fmt: skip


@given(st.text("abcABCkK\u212a sſS\n\tiIıİportPx1٣_éÉωΩΩµμ-ß", max_size=5), st.sampled_from(MEANINGS))
def test_patterns_mean_the_same(text: str, meaning: tuple[str, int]) -> None:
    ours = re.compile(*meaning)
    said: Any = in_ecma(*meaning)
    theirs = re.compile(as_re(read_ecma(said)))
    assert bool(ours.search(text)) == bool(theirs.search(text))


ALIKE: list[tuple[Any, Any, list[str]]] = [
    (bytes, b"x", ["eA==", "eB=="]),
    (Path, Path("x"), ["x", "./x", "x/"]),
    (UUID, UUID(int=171), ["00000000-0000-0000-0000-0000000000ab", "00000000-0000-0000-0000-0000000000AB"]),
    (timedelta, timedelta(minutes=1), ["PT1M", "PT60S"]),
    (time, time(1), ["01:00:00", "01:00", "01:00:00.0"]),
    (IPv6Address, IPv6Address("::1"), ["::1", "0:0:0:0:0:0:0:1"]),
    (datetime, datetime(2026, 5, 4, 9, tzinfo=UTC), ["2026-05-04T09:00:00Z", "2026-05-04t10:00:00+01:00"]),
    (Annotated[Decimal, as_text], Decimal("1.5"), ["1.5", "1.50"]),
]


@pytest.mark.parametrize(("kind", "constant", "texts"), ALIKE, ids=range(len(ALIKE)))
def test_a_document_does_not_compare_what_may_be_written_in_several_ways(
    kind: Any, constant: Any, texts: list[str]
) -> None:
    for rule, admits in ((it == constant, True), (it.one_of(constant), True), (it != constant, False)):
        for gate in (Gate(Annotated[kind, rule]), Gate(Annotated[kind | None, rule])):
            document = gate.schema()
            judge = Gate.from_schema(document, formats="assert")
            assert str(rule) in [unstated.rule for unstated in document.unstated]
            assert [gate.accepts(text) for text in texts] == [admits] * len(texts)
            assert all(map(judge.accepts, texts[1:])), "it can be right of one way at most, and is of none too many"
    contains: Gate[Any] = Gate(Annotated[list[kind], it.contains(constant)])
    assert "contains" not in contains.schema()
    assert contains.accepts(texts[1:])


def test_a_document_compares_what_is_written_in_one_way() -> None:
    for kind, constant in ((date, date(2026, 5, 4)), (IPv4Address, IPv4Address(7)), (ZoneInfo, ZoneInfo("UTC"))):
        document = Gate(Annotated[kind, it == constant]).schema()  # type: ignore[valid-type]
        assert document["const"] == str(constant)
        assert str(it == constant) not in [unstated.rule for unstated in document.unstated]
    assert Gate(Annotated[Decimal, it == Decimal("1.50")]).schema()["const"] == 1.5
    assert Gate(Annotated[bytes, it == b"x"]).examine("eQ==").faults[0].message == "needs eA==; got 'eQ=='"
    assert Gate(Annotated[UUID, it == UUID(int=171)]).schema(of="release")["const"] == str(UUID(int=171))
    out = Gate(Annotated[datetime, it == datetime(2026, 5, 4, 9, tzinfo=UTC)]).schema(of="release")
    assert "const" not in out, "an offset goes out as it came"


@pytest.mark.parametrize("kind", CONSTANTS, ids=lambda kind: kind.__name__)
def test_rules_of_records_over_any_kind_leave_a_document_that_is_json_and_true(kind: Any) -> None:
    for rule in compared_in_records(*CONSTANTS[kind]):
        made = make_dataclass("Rated", [("rate", kind), ("rates", list[kind]), ("remark", str | None, None)])
        gate = Gate(obeys(rule)(made))
        for dialect in get_args(WrittenDialect):
            for of in ("send", "release"):
                document = gate.schema(of=of, dialect=dialect)  # type: ignore[arg-type]
                assert json.loads(json.dumps(document)) == document
        assert not prove(gate, 60).disagreements


DECIMALS: list[Any] = [
    Fee,
    Literal[Fee.LOW],
    Annotated[Decimal, about(examples=[Decimal("1.50")])],
    Annotated[Decimal, it < Decimal("1e400")],
    Annotated[Decimal, it < Decimal("1e-400")],
    Annotated[Decimal, it <= Decimal("0.1000000000000000000000001")],
    Annotated[Decimal, otherwise(Decimal("1.50"))],
    Annotated[list[Any], it.contains(Decimal("1.50"))],
    Annotated[Any, it.one_of(Decimal("1.50"), date(2026, 5, 4))],
]


@pytest.mark.parametrize("declared", DECIMALS, ids=range(len(DECIMALS)))
def test_decimal_numbers_of_a_declaration_are_numbers_of_its_document(declared: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    for dialect in get_args(WrittenDialect):
        for of in ("send", "release"):
            document = gate.schema(of=of, dialect=dialect)  # type: ignore[arg-type]
            assert json.loads(json.dumps(document, allow_nan=False)) == document
    assert not prove(gate, 200).disagreements


def test_a_member_goes_out_as_the_number_that_it_is() -> None:
    assert json.dumps([Gate(Fee).release(each) for each in Fee]) == "[1.5, 20]"
    assert Gate(Fee).admit_json(Gate(Fee).release_json(Fee.LOW)) is Fee.LOW
    assert [Gate(Fee, Source.TEXT).admit(text) for text in ("1.5", "1.50", " 20 ")] == [Fee.LOW, Fee.LOW, Fee.HIGH]
    [unstated] = Gate(Annotated[Decimal, it < Decimal("1e-400")]).schema().unstated
    assert unstated.reason == "no double stands for 1E-400"
