"""Corners that no other test looked into: each was found by a change to the code that nothing noticed (`make mutate`)."""

# Rooms: engine, document, declare, sample, prove, shape, report, read, gates, regex

from __future__ import annotations

import json
import math
import re
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from pathlib import Path
from random import Random
from typing import Annotated, Any, Literal, NotRequired, TypedDict

import pytest
from click.testing import CliRunner

from dutiful_gate import (
    DeclarationError,
    Email,
    Gate,
    Hostname,
    Limits,
    Refused,
    Source,
    also_named,
    camel,
    declarations_of,
    exactly_one,
    it,
    lenient,
    lowered,
    needs,
    obeys,
    or_infinite,
    otherwise,
    payloads,
    secret,
    split_on,
    tagged_by,
    then,
    this,
    trimmed,
    uppered,
    via,
    when,
    written_as,
)
from dutiful_gate.cli.app import dutiful
from dutiful_gate.declare.formats.idna import _CONTEXT
from dutiful_gate.files import CannotStart, TableLayout
from dutiful_gate.proofs import prove, prove_document
from dutiful_gate.prove.second_opinion import second_opinions
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.typed_values import Made
from dutiful_gate.shape.walk import undeclared_step
from dutiful_gate.web import Answering, Api, Endpoint


@dataclass
class Crate:
    contents: str


@dataclass
class Marked(Crate):
    mark: int = 3


def test_a_subclass_that_comes_typed_stays_what_it_is() -> None:
    gate, marked = Gate(Crate, Source.NATIVE), Marked("rope", 7)
    for value in (gate.admit(marked), gate.examine(marked).value, Gate(list[Crate], Source.NATIVE).admit([marked])[0]):
        assert (type(value), value) == (Marked, marked)


@dataclass
class Login:
    user: str
    pin: Annotated[str, secret]


def test_what_tells_items_apart_may_be_withheld() -> None:
    document = Gate(Annotated[list[Login], it.distinct]).schema(of="release")
    assert ("uniqueItems" in document, document.unstated[0].rule) == (False, "it.distinct")
    assert Gate(Annotated[list[Crate], it.distinct]).schema(of="release")["uniqueItems"] is True


def test_plain_data_goes_out_as_it_is() -> None:
    held = {"a": Decimal("1.50"), "b": "x", "c": [1, None, True, Decimal(2)], "d": {"e": 2.5}}
    gate = Gate(dict[str, Any])
    assert gate.release(held) == held
    assert gate.release_json(held) == b'{"a":1.50,"b":"x","c":[1,null,true,2],"d":{"e":2.5}}'
    numbers = [1e16, 1e-5, 5e-324, 1e300, -1e22, -1e-7, 0.1, 0.0, -0.0, 9999999999999998.0, 1e-4, -123.5]
    for out in (Gate(list[float]).release_json, Gate(list[float]).release_admitted_json):
        assert json.loads(out(numbers)) == numbers
        assert out(numbers) == json.dumps(numbers, separators=(",", ":")).encode()


@pytest.mark.parametrize(
    ("document", "told"),
    [
        ({"type": "array", "items": {"type": "string"}, "contains": {"const": "a"}, "uniqueItems": True}, 'Annotated[list[str], it.distinct, it.contains("a")]'),
        ({"type": "string", "enum": ["a", "b"], "minLength": 1}, 'Annotated[str, it.length >= 1, it.one_of("a", "b")]'),
        ({"type": "string", "enum": ["a", "b"]}, 'Literal["a", "b"]'),
        ({"type": "number", "enum": [1, 2.5]}, "Annotated[float, it.one_of(1, 2.5)]"),
        ({"type": "integer", "const": 3}, "Annotated[int, it == 3]"),
        ({"type": "object", "maxProperties": 1, "minProperties": 1, "additionalProperties": {"type": "integer"}}, "Annotated[dict[str, int], it.length == 1]"),
        ({"type": "object", "additionalProperties": False, "minProperties": 1}, "Never"),
        ({"allOf": [{"minProperties": 3}, {"maxProperties": 2}], "type": "object"}, "Never"),
        ({"type": "object", "minProperties": 0, "additionalProperties": False}, "it.length == 0"),
    ],
)  # fmt: skip
def test_what_a_document_becomes(document: dict[str, Any], told: str) -> None:
    assert told in declarations_of(document)


@pytest.mark.parametrize(
    ("plural", "one"),
    [("pies", "Pie"), ("gas", "GasItem"), ("berries", "Berry"), ("boxes", "Box"), ("status", "StatusItem"), ("glasses", "Glass"), ("hatches", "Hatch"), ("axes", "Axe"), ("toes", "Toe"), ("dishes", "Dish")],
)  # fmt: skip
def test_one_of_many_is_called_in_the_singular(plural: str, one: str) -> None:
    item = {"type": "object", "properties": {"a": {"type": "integer"}}, "required": ["a"]}
    told = declarations_of(
        {"type": "object", "properties": {plural: {"type": "array", "items": item}}, "required": [plural]}
    )
    assert f"\nclass {one}:" in told


@pytest.mark.parametrize(
    ("document", "data", "accepted"),
    [
        ({"multipleOf": 0.3}, 0.1, False),
        ({"multipleOf": 0.3}, 0.0, True),
        ({"multipleOf": 0.3}, Decimal(0), True),
        ({"multipleOf": 0.01}, 0.075, False),
        ({"multipleOf": 0.01}, 1e300, True),
        ({"multipleOf": 3}, 1e16, False),
        ({"multipleOf": 1e-16}, 3e-16, True),
        ({"multipleOf": 1e-16}, 1.5e-16, False),
    ],
)
def test_multiples(document: dict[str, Any], data: Any, accepted: bool) -> None:
    assert Gate.from_schema(document).accepts(data) is accepted
    assert Gate(Annotated[float, it.multiple_of(document["multipleOf"])]).accepts(data) is accepted


@pytest.mark.parametrize(
    ("text", "sound"),
    [("a@[192.0.2.001]", True), ("a@[192.0.2.0001]", False), ("a@[0192.0.2.1]", False), ("a@[192.0.2.256]", False), ("a@[1.2.3]", False),
     ("a.b@quay", True), ("a..b@quay", False), (f"{'a' * 64}@quay", True), (f"{'a' * 65}@quay", False), (f"a@{'b' * 63}", True), (f"a@{'b' * 64}", False)],
)  # fmt: skip
def test_mailboxes(text: str, sound: bool) -> None:
    assert Gate(Email).accepts(text) is sound
    assert Gate.from_schema({"format": "email"}, formats="assert").accepts(text) is sound


class Nameless(list[Any]):
    def __len__(self) -> int:
        raise OSError("the pin is 4711")


def test_a_list_that_cannot_be_counted_is_told_without_its_words() -> None:
    for gate in (Gate(list[int]), Gate(list[int], Source.NATIVE), Gate(list[int], Source.TEXT)):
        (fault,) = gate.examine(Nameless([1])).faults
        assert "4711" not in str(fault)
    (found,) = Gate.from_schema({"type": "array", "minItems": 1}).examine(Nameless([1])).faults
    assert "4711" not in str(found)


class Deck(Enum):
    UPPER = "upper"
    LOWER = "lower"


def test_a_condition_on_a_choice_is_said_where_its_values_are_plain() -> None:
    @obeys(when(this.deck.is_a(str)).needs("note"))
    class Plain(TypedDict, total=False):
        deck: Literal["upper", "lower"]
        note: str

    @obeys(when(this.deck.is_a(Deck)).needs("note"))
    class Typed(TypedDict, total=False):
        deck: Deck
        note: str

    assert Gate(Plain).schema().unstated == ()
    assert len(Gate(Typed).schema().unstated) == 1


def test_proofs_tell_how_long_they_took_and_the_smallest_instance() -> None:
    class Lying(str):
        pass

    gate = Gate(Annotated[list[Annotated[int, it >= 0]], it.distinct.by(abs)])
    proof = prove(gate, 400, 5)
    assert 0 < proof.seconds < 600
    ((rule, shown, _),) = proof.unstated
    assert rule.rule.startswith("it.distinct.by")
    assert sorted(map(abs, shown)) in ([0, 0], [1, 1], shown), "nothing smaller shows it"
    assert 0 < prove_document(Gate.from_schema({"type": "integer"}), 50, 1).seconds < 600


def test_words_of_own_functions_pass_by_every_road() -> None:
    def odd(value: str) -> str:
        raise ValueError("needs a quieter word")

    for source in Source:
        gate = Gate(Annotated[str, then(odd)], source)
        if source is not Source.NATIVE:  # what a function of one's own makes is there already then
            (fault,) = gate.examine("x").faults
            assert fault.message == "needs a quieter word"


def test_names_in_the_data_are_known_on_every_road() -> None:
    @dataclass
    class Sailing:
        leaves_at: str
        berth_number: int = 1

    gate = Gate(Sailing, keys=camel)
    assert gate.admit({"leavesAt": "9:30", "berthNumber": 4}) == Sailing("9:30", 4)
    assert gate.examine({"leavesAt": "9:30", "berth_number": 4}).dropped == (("berth_number",),)
    assert gate.release(Sailing("9:30")) == {"leavesAt": "9:30", "berthNumber": 1}
    typed = Gate(Sailing, Source.NATIVE, keys=camel)
    assert typed.admit(Sailing("9:30", 4)) == Sailing("9:30", 4)
    with pytest.raises(Refused) as refused:
        typed.admit(Sailing("9:30", "x"))  # type: ignore[arg-type]
    assert [fault.path for fault in refused.value.faults] == [("berthNumber",)]


def test_samples_keep_to_lengths_and_steps() -> None:
    gate = Gate(Annotated[list[Annotated[int, it.multiple_of(5), it > 3, it < 40]], it.length.between(2, 3)])
    for made in payloads(gate, 60):
        assert 2 <= len(made) <= 3
        assert all(each % 5 == 0 and 3 < each < 40 for each in made)
    texts = Gate(Annotated[str, it.starts_with("TS-"), it.ends_with("-Q"), it.length <= 8])
    assert all(re.fullmatch("TS-.{0,3}Q|TS-Q", made) or made.endswith("-Q") for made in payloads(texts, 30))


def test_a_rule_that_leaves_nothing_is_told() -> None:
    for rules in ((it > 5, it < 5), (it >= 6, it <= 5), (it.between(1, 3), it > 3)):
        with pytest.raises(DeclarationError):
            Gate(Annotated[(int, *rules)])
    assert Gate(Annotated[int, it >= 5, it <= 5]).accepts(5)
    assert Gate(Annotated[int, it.between(1, 3), it >= 3]).accepts(3)


@pytest.mark.parametrize(
    ("depth", "data", "path"),
    [(1, [1], None), (1, [[1]], (0,)), (1, {"a": {}}, ("a",)), (2, [[1]], None), (2, [[[]]], (0, 0))],
)
def test_the_limit_on_depth_to_the_level(depth: int, data: Any, path: Any) -> None:
    faults = Gate(Any, limits=Limits(depth=depth)).examine(data).faults
    assert [fault.path for fault in faults] == ([] if path is None else [path])


def test_edges_are_at_the_bound_and_around_it() -> None:
    gate = Gate(Annotated[date, it >= date(2031, 7, 8)])
    tried = Edges(gate.shape, Random(1)).of(gate.shape.root)
    assert {"2031-07-07", "2031-07-08", "2031-07-09"} <= {each for each in tried if isinstance(each, str)}


def test_lists_of_a_verdict_are_tuples() -> None:
    verdict = Gate(dict[str, Annotated[int, otherwise(0)]]).examine({"a": "x"})
    assert [type(held) for held in (verdict.fallbacks, verdict.faults, verdict.dropped, verdict.unjudged)] == [
        tuple
    ] * 4


@pytest.mark.parametrize(
    ("text", "sound"),
    [
        ("2000-02-29", True),
        ("1900-02-29", False),
        ("2024-02-29", True),
        ("2100-02-29", False),
        ("2026-04-31", False),
        ("2026-13-01", False),
        ("2026-00-10", False),
    ],
)
def test_days_of_the_calendar(text: str, sound: bool) -> None:
    judges = [
        Gate(date).accepts,
        Gate.from_schema({"format": "date"}, formats="assert").accepts,
        second_opinions()["date"],
    ]
    assert [bool(judge(text)) for judge in judges] == [sound] * 3


@dataclass
class Manifest:
    day: Annotated[int, also_named("on", "date")] = 5
    berth: Annotated[int | None, also_named("quay")] = None


def test_other_names_are_read_on_every_road() -> None:
    gate = Gate(Manifest)
    for data, wanted in (
        ({"on": 7}, Manifest(7)),
        ({"date": 1, "quay": None}, Manifest(1)),
        ({}, Manifest()),
        ({"quay": 4}, Manifest(5, 4)),
    ):
        assert (
            gate.admit(data) == gate.examine({**data, "colour": 1}).value == gate.admit_json(json.dumps(data)) == wanted
        )


@pytest.mark.parametrize(
    ("parts", "wanted"),
    [
        ((uppered, it.matches("[A-Za-z]{3}")), ("ABC", None, "ABC", "ABC")),
        ((uppered, it.matches("[A-Z]{3}")), ("ABC", None, "ABC", "ABC")),
        ((lowered, it.matches("[A-Za-z0-9]+")), ("abc", None, "abc", "abc")),
        ((trimmed, it.matches("[A-Z]+")), (None, "ABC", None, "ABC")),
        ((lowered, uppered, it.matches("[A-Z]{3}")), ("ABC", None, "ABC", "ABC")),
        ((trimmed, uppered, it.starts_with("A"), it.matches("[A-Z]{3}")), ("ABC", "ABC", "ABC", "ABC")),
        ((it.starts_with("A"), uppered, it.matches("[A-Z]{3}")), (None, None, "ABC", "ABC")),
        ((it.matches("[A-Z]{3}"), lowered), (None, None, None, "abc")),
        ((uppered, it.matches(re.compile("[a-z]{3}", re.IGNORECASE))), ("ABC", None, "ABC", "ABC")),
        ((then(len), it == 3), (3, None, 3, 3)),
    ],
)  # fmt: skip
def test_steps_run_whatever_a_later_pattern_settles(parts: tuple[Any, ...], wanted: tuple[Any, ...]) -> None:
    gate: Gate[Any] = Gate(Annotated[(str, *parts)])
    for text, made in zip(("abc", " ABC ", "AbC", "ABC"), wanted, strict=True):
        assert gate.accepts(text) is (made is not None), text
        if made is not None:
            assert gate.admit(text) == gate.examine(text).value == made


@pytest.mark.parametrize("item", [int | bool, Annotated[list[int], split_on(",")], int, Literal[1, 2], Crate])
def test_faults_past_the_limit_are_counted(item: Any) -> None:
    verdict = Gate(list[item], limits=Limits(faults=5)).examine(["x"] * 300)
    assert (len(verdict.faults), verdict.untold) == (5, 295)


def test_how_many_more_faults_a_document_has() -> None:
    with pytest.raises(DeclarationError, match=r"\(and 2 more\)"):
        Gate.from_schema({"type": 7, "minLength": "x", "properties": []})
    with pytest.raises(DeclarationError) as raised:
        Gate.from_schema({"minLength": "x"})
    assert " more)" not in str(raised.value)


def test_infinities_stand_beside_other_values() -> None:
    gate = Gate(dict[str, Annotated[float, or_infinite] | str])
    held: dict[str, Any] = {"a": math.inf, "b": -math.inf, "c": 1.5, "d": "x"}
    assert gate.release_json(held) == b'{"a":1e999,"b":-1e999,"c":1.5,"d":"x"}'
    assert Gate(Annotated[float, or_infinite]).release_json(math.inf) == b"1e999"


class Unaskable(dict[str, Any]):
    def keys(self) -> Any:
        raise OSError("the pin is 4711")

    __iter__ = items = values = __len__ = get = keys  # type: ignore[assignment]


def test_a_record_that_cannot_be_asked_is_refused_by_a_document() -> None:
    gate = Gate.from_schema({"type": "object", "properties": {"a": {"type": "integer"}}, "minProperties": 1})
    assert not gate.accepts(Unaskable())
    (fault,) = gate.examine(Unaskable()).faults
    assert "4711" not in str(fault)


def test_edges_of_date_times_are_at_the_bound_too() -> None:
    gate = Gate(Annotated[datetime, it >= datetime(2031, 7, 8, 9, tzinfo=UTC)])
    tried = Edges(gate.shape, Random(1)).of(gate.shape.root)
    assert {"2031-07-08T09:00:00Z", "2031-07-08T09:00:01Z", "2031-07-07T09:00:00Z"} <= {
        each for each in tried if isinstance(each, str)
    }


def test_typed_values_are_spoiled_and_never_lost() -> None:
    gate = Gate(list[Annotated[int, it >= 0]])
    made = [Made(gate.shape, Random(seed)).of(gate.shape.root, [1, 2, 3]) for seed in range(60)]
    assert all(isinstance(each, list) and len(each) in (3, 4) for each in made)
    assert any(each != [1, 2, 3] for each in made)


@pytest.mark.parametrize(
    ("pattern", "sound", "unsound"),
    [
        (re.compile("[a-z]{3}", re.IGNORECASE), "aBC", "ab1"),
        (re.compile("a b # two", re.VERBOSE), "ab", "a b"),
        (re.compile("^b.$", re.MULTILINE | re.DOTALL), "b\n", "ab"),
        (re.compile(r"\w+", re.ASCII), "a_1", "ä"),
        (re.compile("(?i)q"), "Q", "x"),
        ("[A-Z]", "A", "a"),
    ],
)
def test_patterns_may_be_compiled(pattern: Any, sound: str, unsound: str) -> None:
    for rule in (it.matches(pattern), it.has(pattern)):
        gate = Gate(Annotated[str, rule])
        document = Gate.from_schema(gate.schema())
        for judge in (gate.accepts, document.accepts):
            assert judge(sound)
        assert gate.accepts(unsound) == document.accepts(unsound)
        assert prove(gate, 200, 3).disagreements == []
    assert not Gate(Annotated[str, it.matches(pattern)]).accepts(unsound)


@pytest.mark.parametrize("pattern", [5, None, b"x", re.compile(b"x"), ["x"]])
def test_what_is_no_pattern_is_told_when_it_is_written(pattern: Any) -> None:
    for write in (it.matches, it.has):
        with pytest.raises(DeclarationError, match="a pattern is text"):
            write(pattern)


class ByDay(TypedDict):
    sail_day: int


class ByBerth(TypedDict):
    berth_number: int


def test_a_union_of_typed_dicts_goes_out_by_the_one_that_it_is() -> None:
    gate: Gate[Any] = Gate(ByDay | ByBerth | int, keys=camel)
    for value, out in (({"sail_day": 1}, {"sailDay": 1}), ({"berth_number": 2}, {"berthNumber": 2}), (3, 3)):
        assert gate.release(value) == gate.release_admitted(value) == out


def test_what_cannot_be_asked_is_refused_even_where_nothing_is_wanted_of_it() -> None:
    for document in ({"properties": {"a": {"type": "integer"}}}, {"minProperties": 0}, {"additionalProperties": {}}):
        gate = Gate.from_schema(document)
        assert bool(gate.examine(Unaskable())) == gate.accepts(Unaskable())


@pytest.mark.parametrize(
    "declared",
    [
        Decimal,
        Annotated[Decimal, via(str)],
        Annotated[Decimal, via(str), otherwise(Decimal(3))] | int,
        Decimal | int,
        list[Decimal],
    ],
)
def test_what_goes_out_as_a_number_can_be_written(declared: Any) -> None:
    """The interpreter writes whole numbers of up to 4300 digits."""
    gate: Gate[Any] = Gate(declared)
    for value in (
        10**4299,
        10**4300,
        -(10**5000),
        Decimal("1E+4299"),
        Decimal("-9E+4300"),
        Decimal("1E-4300"),
        Decimal(10**5000),
    ):
        for held in (value, [value]):
            try:
                plain = gate.release(held)
            except Refused:
                continue
            json.dumps(plain, default=str)
            assert gate.release_json(held)


def test_who_is_secret_may_be_named_but_not_what_it_holds() -> None:
    @dataclass
    @obeys(exactly_one("pin", "card"))
    class Pays:
        pin: Annotated[str | None, secret] = None
        card: Annotated[str | None, secret] = None

    (fault,) = Gate(Pays).examine({}).faults
    assert fault.expected["names"] == ["pin", "card"]

    @dataclass
    @obeys(this.pin != this.card)
    class Differs:
        pin: Annotated[int, secret]
        card: Annotated[int, secret]

    (fault,) = Gate(Differs).examine({"pin": 7, "card": 7}).faults
    assert dict(fault.expected) == {"comparison": "!=", "other": "card"}
    hidden: Any = Annotated["list[Hold] | str", secret]  # noqa: F821
    faults = Gate(list["Hold"], names={"Hold": hidden}).examine([{"s3cret": 1}, ["ropes", 7]]).faults  # type: ignore[name-defined]  # noqa: F821
    assert [fault.given for fault in faults] == [None, None]


@dataclass
class Quay:
    number: int = 1


LISTS_UNSTATED: list[tuple[Any, bool]] = [
    (Annotated[list[Quay], it.distinct], True),
    (Annotated[list[dict[str, int]], it.distinct], True),
    (Annotated[list[Annotated[str, lowered]], it.distinct], True),
    (Annotated[list[str], it.distinct], False),
    (Annotated[list[tuple[int, str]], it.distinct], False),
]


@pytest.mark.parametrize(("declared", "unstated"), LISTS_UNSTATED)
def test_items_of_several_forms_are_told_apart_by_value(declared: Any, unstated: bool) -> None:
    assert any("repeat" in rule.codes for rule in Gate(declared).schema().unstated) == unstated


def test_what_documents_say_of_steps_references_and_defaults() -> None:
    assert Gate(Annotated[str, it.length <= 5, trimmed]).schema()["maxLength"] == 5
    assert "maxLength" not in Gate(Annotated[str, it.length <= 5, uppered]).schema()
    for pattern in (r"(ab)\1", r"(a(b)c)\1", r"(a)(b)\2"):
        document = Gate(Annotated[str, it.matches(pattern)]).schema()
        assert document["pattern"], pattern
        assert document.unstated == (), pattern
    assert Gate(Annotated[str, it.matches(r"(a)?\1b")]).schema().unstated
    document = {
        "title": "T", "type": "object", "properties": {"a": {"type": "string"}, "b": {"type": "string"}},
        "if": {"properties": {"a": {"enum": ["x", "y"]}}, "required": ["a"]}, "then": {"required": ["b"]},
    }  # fmt: skip
    assert 'this.a.one_of("x", "y")' in str(declarations_of(document))
    named: dict[str, Any] = {
        at: {"title": "Crate", "type": "object", "properties": {at: {"type": "string"}}} for at in "abc"
    }
    several = {"$defs": named, "type": "object", "properties": {at: {"$ref": f"#/$defs/{at}"} for at in "abc"}}
    assert re.findall(r"class (Crate\d*)", str(declarations_of(several))) == ["Crate", "Crate2", "Crate3"]


def test_words_of_ones_own_stand_by_any_record_rule() -> None:
    @dataclass
    @obeys(needs("card", given="pin").says("bring both"))
    class Pays:
        pin: str | None = None
        card: str | None = None

    assert Gate(Pays).examine({"pin": "1"}).faults[0].message == "bring both"
    with pytest.raises(DeclarationError, match="no value of the tag for Quay"):
        Gate(Annotated[Crate | Quay, tagged_by("kind", beside="data", options={"crate": Crate})])
    with pytest.raises(DeclarationError, match="that are no options"):
        Gate(
            Annotated[
                Crate | Quay, tagged_by("kind", beside="data", options={"crate": Crate, "quay": Quay, "sea": Marked})
            ]
        )
    assert repr(Gate("Deep", names={"Deep": "list[Deep] | int"})) == "<Gate Deep from Source.JSON>"


def test_ends_of_texts_numbers_and_depth() -> None:
    hosts = Gate(Hostname)
    longest = ".".join(["a" * 63] * 3 + ["b" * 61])
    assert (hosts.accepts(longest), hosts.accepts(longest + "c")) == (True, False)
    assert _CONTEXT["\u200d"]("\u0915\u094d\u200d\u0937", 2)
    assert not _CONTEXT["\u200d"]("\u0915\u093c\u200d\u0937", 2)
    small: Gate[Any] = Gate(int | None, limits=Limits(bytes=3))
    assert [fault.code for raw in ("    1", b"null  ") for fault in small.examine_json(raw).faults] == ["size", "size"]
    assert small.admit_json("7") == 7
    zoned = Gate(Annotated[datetime, written_as("%d.%m.%Y %H:%M %z")]).admit("04.05.2026 09:30 -0245")
    assert zoned.utcoffset() == timedelta(hours=-2, minutes=-45)
    assert Gate(Annotated[Decimal, lenient]).release(Decimal("1.5")) == Decimal("1.5")
    anything: Gate[Any] = Gate(Annotated[Any, it.contains("x")])
    assert (anything.accepts("axb"), anything.accepts(["x"]), anything.accepts("ab"), anything.accepts([1])) == (
        True,
        True,
        False,
        False,
    )
    again = Gate.from_schema(
        {"$defs": {"n": {"properties": {"n": {"$ref": "#/$defs/n"}}}}, "$ref": "#/$defs/n"}, limits=Limits(depth=5)
    )
    data: Any = {}
    for _ in range(9):
        data = {"n": data}
    assert (again.accepts(data), [fault.code for fault in again.examine(data).faults]) == (False, ["depth"])
    assert [second_opinions()["date"](f"2026-{month:02}-32") for month in range(1, 13)] == [False] * 12


def test_a_star_import_needs_no_extra(monkeypatch: pytest.MonkeyPatch) -> None:
    script = """
import sys
sys.modules["jinja2"] = None
from dutiful_gate.web import *
assert "Api" in globals() and "Form" not in globals()
import dutiful_gate.web
try:
    dutiful_gate.web.Form
except ImportError as error:
    print(error)
"""
    told = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert "jinja2" in told.stdout
    assert "pip install" in told.stdout


def test_typed_dicts_of_typing_extensions_are_typed_dicts() -> None:
    extensions = pytest.importorskip("typing_extensions")
    crate = extensions.TypedDict(
        "crate",
        {"kg": int, "note": extensions.NotRequired[str], "code": extensions.ReadOnly[extensions.NotRequired[str]]},
    )
    alike = TypedDict("crate", {"kg": int, "note": NotRequired[str], "code": NotRequired[str]})  # noqa: UP013
    for declared in (crate, list[crate]):
        gate: Gate[Any] = Gate(declared)
        data: Any = {"kg": 1, "note": "x"} if declared is crate else [{"kg": 1, "code": "y"}]
        assert gate.admit(data) == data
        assert not gate.accepts({"note": "x"} if declared is crate else [{"kg": "x"}])
    assert (
        Gate(crate).schema()["$defs"]["crate"]["properties"].keys()
        == Gate(alike).schema()["$defs"]["crate"]["properties"].keys()
    )
    partly = extensions.TypedDict("partly", {"kg": extensions.Required[int], "note": str}, total=False)
    assert [Gate(partly).accepts(each) for each in ({"kg": 1}, {"note": "x"}, {})] == [True, False, False]


@pytest.mark.parametrize("wrong", ["endpoint alone", "endpoint", "its method", None, "a function", "a pair"])
def test_what_is_no_handled_endpoint_is_told(wrong: Any) -> None:
    endpoint = Endpoint("GET", "/berths", Nobody, Answering(200, str), name="berths")
    given: Any = {
        "endpoint alone": endpoint, "endpoint": [endpoint], "its method": [endpoint.by], None: [None],
        "a function": [lambda sent: ""], "a pair": [("berths", endpoint)],
    }[wrong]  # fmt: skip
    with pytest.raises(DeclarationError) as caught:
        Api("Berths", "1.0", given)
    assert "by(" in str(caught.value)


@dataclass
class Nobody:
    pass


SHAPES = """from dataclasses import dataclass
from datetime import date
@dataclass
class Berth:
    number: {number}
    on: date
"""


@pytest.fixture
def quay(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(sys, "path", [*sys.path])
    for name, number in (
        ("quay_shapes.py", "int"),
        ("inner/quay_shapes.py", "str"),
        ("a-b.py", "int"),
        ("types.py", "int"),
    ):
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_text(SHAPES.format(number=number))
    (tmp_path / "packed").mkdir()
    (tmp_path / "packed/__init__.py").write_text("")
    (tmp_path / "packed/shapes.py").write_text("from . import __name__ as package\n" + SHAPES.format(number="int"))
    yield tmp_path
    for name in [name for name in sys.modules if name.startswith(("quay_shapes", "packed", "types_"))]:
        del sys.modules[name]


def run(*words: str) -> tuple[int, str]:
    result = CliRunner().invoke(dutiful, [*words])
    return result.exit_code, result.output


def test_a_file_of_python_is_a_target(quay: Path) -> None:
    for target in (
        "./quay_shapes.py:Berth",
        str(quay / "quay_shapes.py:Berth"),
        "packed/shapes.py:Berth",
        "types.py:Berth",
    ):
        code, told = run("schema", target)
        assert (code, json.loads(told)["$defs"]["Berth"]["properties"]["number"]) == (0, {"type": "integer"}), target
    assert sys.modules["packed.shapes"].package == "packed"
    assert run("compare", "quay_shapes.py:Berth", "inner/quay_shapes.py:Berth")[0] == 1, "two files of one name are two"
    assert run("compare", "quay_shapes.py:Berth", "inner/../quay_shapes.py:Berth")[0] == 0
    assert run("schema", "inner/quay_shapes.py:Berth") == run("schema", "inner/quay_shapes.py:Berth")
    for target, told in (
        ("nowhere.py:Berth", "there is no file 'nowhere.py'"), ("quay_shapes.py:Bert", "did you mean 'Berth'?"),
        ("a-b.py:Berth", "is no name of a module; rename it"), ("quay_shapes.py", "names no declaration"),
    ):  # fmt: skip
        code, said = run("schema", target)
        assert (code, told in said) == (2, True), said


def test_a_file_at_a_revision_is_never_the_file_of_today(quay: Path) -> None:
    def git(*words: str) -> None:
        who = ["-c", "user.name=quay", "-c", "user.email=quay@quillport.example"]
        subprocess.run(["git", *who, *words], check=True, capture_output=True, cwd=quay)

    try:
        git("init", "-q")
    except FileNotFoundError:
        pytest.skip("needs the program git")
    git("add", "quay_shapes.py")
    git("commit", "-qm", "shapes")
    (quay / "quay_shapes.py").write_text(SHAPES.format(number="bool"))
    for old in ("quay_shapes.py:Berth@HEAD", str(quay / "quay_shapes.py:Berth@HEAD")):
        code, told = run("compare", old, "./quay_shapes.py:Berth")
        assert (code, "was a whole number, now true or false" in told) == (1, True), told
    assert run("compare", "../quay_shapes.py:Berth@HEAD", "./quay_shapes.py:Berth")[0] == 2


def test_dates_lose_no_time(quay: Path) -> None:
    (quay / "b.csv").write_text("number,on\n1,04.05.2026 00:00\n2,04.05.2026 09:30\n")
    words = ("check", "b.csv", "--against", "quay_shapes.py:Berth", "--dates")
    code, told = run(*words, "%d.%m.%Y %H:%M")
    assert (code, "got '04.05.2026 09:30'" in told, "1 admitted, 1 refused" in told) == (1, True, True), told
    for form in ("%d.%m", "day", "%H:%M", "%Y"):
        code, told = run(*words, form)
        assert (code, "is no form of dates" in told) == (2, True)
    with pytest.raises(CannotStart):
        TableLayout(dates="%m/%d")


def test_places_that_name_nothing_are_told(quay: Path) -> None:
    (quay / "b.ndjson").write_text('{"number": 1, "on": "2026-05-04"}\n{"number": 2, "on": "2026-05-04"}\n')
    for option, told in (
        ("--closed=/onn", "--closed: no sample has /onn; did you mean /on?"), ("--closed=/number", "no sample has text at /number"),
        ("--optional=/x", "no sample has /x"), ("--as-text=/number", "no sample has text at /number"), ("--required=/numbr", "did you mean /number?"),
    ):  # fmt: skip
        code, said = run("draft", "b.ndjson", option)
        assert (code, told in said) == (2, True), said
    assert run("draft", "b.ndjson", "--closed", "/on")[0] == 0
    (quay / "b.hints").write_text("map /codes\nclosed /on\n")
    code, said = run("draft", "b.ndjson", "--hints", "b.hints")
    assert (code, "a hint that nothing heeds: map: no sample has /codes" in said) == (0, True), said
    schema = quay / "b.json"
    schema.write_text('{"type": "object"}')
    code, said = run("check", "b.ndjson", "--against", "b.json", "--distinct-by", "/nowhere")
    assert (code, "no record has a value at /nowhere" in said) == (0, True), said


@pytest.mark.parametrize("step", ["x", "0"])
@pytest.mark.parametrize(
    ("declared", "known"),
    [
        (int, False), (str, False), (Nobody, False), (Any, True), (dict[str, int], True), (Annotated[str, then(json.loads)], True),
        (Nobody | dict[str, int], True), (Nobody | None, False),
    ],
)  # fmt: skip
def test_a_step_is_undeclared_where_no_value_can_have_it(declared: Any, known: bool, step: str) -> None:
    assert (undeclared_step(Gate(declared).shape, (step,)) is None) is known


def test_moments_come_back_from_every_database() -> None:
    orm = pytest.importorskip("sqlalchemy.orm")
    from sqlalchemy import create_engine, select
    from sqlalchemy.exc import StatementError

    from dutiful_gate.storage import Moment, record_of

    class Base(orm.DeclarativeBase):
        pass

    Call = type("Call", (Base,), {
        "__tablename__": "calls", "__annotations__": {"id": orm.Mapped[int], "at": orm.Mapped[datetime]},
        "id": orm.mapped_column(primary_key=True), "at": orm.mapped_column(Moment()),
    })  # fmt: skip
    engine = create_engine("sqlite://")
    try:
        Base.metadata.create_all(engine)
        with orm.Session(engine) as session:
            moments = ["2026-05-04T09:00:00+02:00", "2026-05-04T08:00:00Z"]
            session.add_all([Gate(record_of(Call)).admit({"at": each}) for each in moments])
            session.commit()
            rows = session.scalars(select(Call).order_by(Call.at)).all()
            show = Gate(record_of(Call, "show"))
            assert [show.release(row)["at"] for row in rows] == ["2026-05-04T07:00:00Z", "2026-05-04T08:00:00Z"]
            session.add(Call(at=datetime(2026, 5, 4)))
            with pytest.raises(StatementError, match="needs an offset"):
                session.commit()
    finally:
        engine.dispose()
