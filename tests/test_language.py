"""Rules, steps, marks, record rules and variants: what is written beside a type, and what it does."""

# Rooms: declare, engine, shape

from __future__ import annotations

import json
import pickle
import re
import runpy
import sys
import warnings
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import InitVar, dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from ipaddress import IPv4Address
from typing import Annotated, Any, Generic, Literal, LiteralString, NamedTuple, Self, TypeVar

import pytest
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import loaded
from dutiful_gate import (
    Amendment,
    CannotSample,
    DeclarationError,
    Gate,
    Refused,
    Source,
    Wrong,
    about,
    all_or_none,
    at_least_one,
    at_most_one,
    blank_is_none,
    camel,
    declarations_of,
    demanding,
    exactly_one,
    holds,
    in_utc,
    it,
    kebab,
    lenient,
    lowered,
    named,
    needs,
    now,
    obeys,
    otherwise,
    rest,
    rounded_to,
    samples,
    secret,
    split_on,
    squeezed,
    subset,
    then,
    this,
    today,
    trimmed,
    unreadable,
    via,
    when,
    without,
)
from dutiful_gate.prove.proof import prove
from dutiful_gate.regex.cost import RunawayPattern, degree_of, guarded, within_measure
from dutiful_gate.regex.from_python import read_python


def no_luck(value: object) -> object:
    raise ValueError("no {given} luck")


def is_even(value: int) -> bool:
    return value % 2 == 0


PAST, AHEAD = "2020-01-01T00:00:00Z", "2999-01-01T00:00:00Z"

# What is declared, what comes, and the value, or the message of the fault.
RULES: list[tuple[Any, Any, Any]] = [
    (Annotated[int, it.multiple_of(5)], 10, 10),
    (Annotated[int, it.multiple_of(5)], 11, "needs a multiple of 5; got 11"),
    (Annotated[float, it.multiple_of(0.1)], 0.3, 0.3),
    (Annotated[Decimal, it.multiple_of(Decimal("0.01"))], 0.001, "needs a multiple of"),
    (Annotated[list[int], it.distinct], [1, 2, 1], "needs items that differ; got the same at"),
    (Annotated[list[Any], it.distinct], [1, True, "1", [1], [True]], [1, True, "1", [1], [True]]),
    (Annotated[list[Any], it.distinct], [{"a": 1}, {"a": 1.0}], "needs items that differ"),
    (Annotated[list[dict[str, int]], it.distinct.by("a")], [{"a": 1}, {"a": 1}], "needs items that differ in a"),
    (Annotated[list[str], it.distinct.by(str.lower)], ["a", "A"], "needs items that differ in lower"),
    (Annotated[str, it.has("[0-9]")], "abc", "needs text in which [0-9] is found; got 'abc'"),
    (Annotated[str, it.has("[0-9]")], "a1", "a1"),
    (Annotated[str, it.contains("ern")], "Tern", "Tern"),
    (Annotated[list[int], it.contains(3)], [1], "needs 3 among the items; got an array of 1 item"),
    (Annotated[str, it.starts_with("TS-")], "X", "needs text that begins with TS-; got 'X'"),
    (Annotated[str, it.ends_with(".csv")], "a.csv", "a.csv"),
    (Annotated[str, it.of_format("uri")], "x", "needs a URI, such as https://host.example/page; got 'x'"),
    (Annotated[dict[str, int], it.length <= 1], {"a": 1, "b": 2}, "needs at most 1 key; got 2"),
    (Annotated[datetime, it > now], PAST, "needs a date-time later than now; got '2020-01-01T00:00:00Z'"),
    (Annotated[datetime, it > now + timedelta(hours=2)], PAST, "later than 2:00:00 after now"),
    (Annotated[datetime, it < now - timedelta(days=1)], AHEAD, "earlier than 1 day, 0:00:00 before now"),
    (Annotated[date, it <= today], "2020-01-01", date(2020, 1, 1)),
    (Annotated[int, holds(is_even)], 3, "needs a value that passes is_even; got 3"),
    (Annotated[int, holds(is_even, says="{label} {given} is odd"), about(title="Berth")], 3, "Berth 3 is odd"),
    (Annotated[int, holds(no_luck)], 3, "no {given} luck"),
    (Annotated[str, squeezed, lowered], "  A \n B ", "a b"),
    (Annotated[float, rounded_to(1)], 0.25, 0.2),
    (Annotated[Decimal, rounded_to(1), it < 1], 0.25, Decimal("0.2")),
    (Annotated[datetime, in_utc], "2026-05-04T02:00:00+02:00", datetime(2026, 5, 4, tzinfo=UTC)),
    (Annotated[datetime, in_utc], "0001-01-01T00:00:00+02:00", "needs a value that in_utc can take; got '0001"),
    (Annotated[str, then(str.title), it.length < 4], "marrow isle", "needs at most 3 items; got 11"),
    (Annotated[str, then(int)], "12", 12),
    (Annotated[str, then(no_luck), it.length > 90], "12", "no {given} luck"),
    (Annotated[int, via(str, trimmed, it.matches(r"\d+")), it.between(0, 120)], " 42 ", 42),
    (Annotated[int, via(str, trimmed, it.matches(r"\d+")), it.between(0, 120)], 42, "needs text; got 42"),
    (Annotated[int, via(str, trimmed, it.matches(r"\d+")), it.between(0, 120)], "x", "needs text that matches \\d+"),
    (Annotated[int, via(str), it < 9], "10", "needs a whole number below 9; got '10'"),
    (Annotated[int | None, via(str)], None, None),
    (Annotated[list[int], split_on(","), it.length >= 2], "1, 2", [1, 2]),
    (Annotated[list[int], split_on(",")], " ", []),
    (Annotated[list[int], split_on(",")], [1], "needs text to split; got an array of 1 item"),
    (Annotated[set[Literal["a", "b"]], split_on(";")], "a;b", {"a", "b"}),
    (Annotated[str | None, blank_is_none, it.length > 2], "  ", None),
    (Annotated[int | None, blank_is_none], "", None),
    (Annotated[int, lenient], " 42 ", 42),
    (Annotated[int, lenient], "x", "needs a whole number in ASCII digits, such as 42; got 'x'"),
    (Annotated[int, lenient], [], "needs a whole number; got an array of 0 items"),
    (Annotated[str, lenient], 42, "42"),
    (Annotated[str, lenient], True, "needs text; got true"),
    (Annotated[bool, lenient], "yes", True),
    (Annotated[bool, lenient], 0, False),
    (Annotated[bool, lenient], "maybe", "needs true or false, 1 or 0, yes or no, on or off; got 'maybe'"),
    (Annotated[list[float] | None, lenient], ["1.5"], [1.5]),
]


@pytest.mark.parametrize(("declared", "came", "becomes"), RULES)
def test_rules_and_steps(declared: Any, came: Any, becomes: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    verdict = gate.examine(came)
    assert bool(verdict) == gate.accepts(came)
    if verdict:
        assert (verdict.value, type(verdict.value)) == (becomes, type(becomes))
    else:
        [fault] = verdict.faults
        assert str(becomes) in fault.message
    json.dumps(gate.schema())


NONSENSE: list[tuple[Any, str]] = [
    (Annotated[str, blank_is_none], "blank_is_none stands beside a type that cannot be None"),
    (Annotated[str, split_on(",")], "split_on stands beside a type that is no list"),
    (Annotated[int, it > 0, via(str)], "stands after steps or rules, and comes before reading"),
    (Annotated[int, rounded_to], "rounded_to was named but not called"),
    (Annotated[str, rounded_to(2)], "works on numbers"),
    (Annotated[int, in_utc], "in_utc works on date-times"),
    (Annotated[str, it.multiple_of(2)], "judges numbers"),
    (Annotated[str, it.distinct], "judges lists"),
    (Annotated[date, it > now], "now is for date-times, today for dates"),
    (Annotated[datetime, now], "now alone is no rule"),
    (Annotated[int, secret, this.a > 1], "put it in @obeys"),
]


@pytest.mark.parametrize(("declared", "message"), NONSENSE)
def test_nonsense(declared: Any, message: str) -> None:
    with pytest.raises(DeclarationError, match=message):
        Gate(declared)


def test_words_that_make_no_sense_when_written() -> None:
    for write in (
        lambda: then(3),  # type: ignore[arg-type]
        lambda: holds("x"),  # type: ignore[arg-type]
        lambda: rounded_to(2.5),  # type: ignore[arg-type]
        lambda: split_on(""),
        lambda: it.of_format("urn"),
        lambda: needs(given="a"),
        lambda: when("x"),  # type: ignore[arg-type]
        lambda: subset(int, only="a", without="b"),
        lambda: named(3),  # type: ignore[arg-type]
    ):
        with pytest.raises(DeclarationError):
            write()


def test_only_value_errors_are_faults() -> None:
    def breaks(value: object) -> object:
        return {}[value]

    for declared in (Annotated[int, then(breaks)], Annotated[int, holds(breaks)]):
        with pytest.raises(KeyError):
            Gate(declared).examine(3)


@dataclass
class Account:
    user: Annotated[str, named("userName")]
    password: Annotated[str, secret, it.length >= 8]
    pins: Annotated[list[int], secret] = field(default_factory=lambda: [1234])
    port: Annotated[str, it.one_of("QLP", "OST"), otherwise("QLP")] = "OST"
    extra: Annotated[dict[str, int], rest] = field(default_factory=dict)


def test_marks() -> None:
    gate = Gate(Account)
    verdict = gate.examine({"userName": "ada", "password": "hunter22-9", "port": "??", "deck": 3})
    assert verdict.value == Account("ada", "hunter22-9", [1234], "QLP", {"deck": 3})
    assert [(fault.pointer, fault.message) for fault in verdict.fallbacks] == [
        ("/port", "needs one of QLP, OST; got '??'")
    ]
    assert gate.release(verdict.value) == {"userName": "ada", "port": "QLP", "deck": 3}
    assert gate.release(verdict.value, secrets=True)["password"] == "hunter22-9"
    assert gate.admit(gate.release(verdict.value, secrets=True)) == verdict.value
    assert gate.schema()["$defs"]["Account"]["additionalProperties"] == {"type": "integer"}
    assert [fault.pointer for fault in gate.examine({"userName": "a", "password": "12345678", "x": "y"}).faults] == [
        "/x"
    ]
    everywhere = Gate(list[Annotated[Account | None, otherwise(None)]])
    assert everywhere.examine([{}, 3]).value == [None, None]


SECRETS = [
    {"userName": 1, "password": "hunter2"},
    {"userName": "a", "password": ["hunter2"]},
    {"userName": "a", "password": {"hunter2": "hunter2"}},
    {"userName": "a", "password": "long enough", "pins": ["hunter2", 1]},
    {"userName": "a", "password": "long enough", "pins": "hunter2"},
]


@pytest.mark.parametrize("payload", SECRETS)
def test_a_secret_is_never_shown(payload: Any) -> None:
    gate = Gate(Account, unknown="refuse")
    verdict = gate.examine(payload)
    assert not verdict
    in_text = gate.examine_json(json.dumps(payload))
    told = [repr(verdict), str(Refused(verdict)), json.dumps(verdict.problem()), repr(verdict.faults)]
    told += [
        json.dumps([fault.as_dict() for fault in in_text.faults]),
        repr(verdict.entered()),
        repr(verdict.by_field()),
    ]
    told += [repr(pickle.dumps(verdict)), repr(gate.examine_json('{"password": hunter2}').faults)]
    told += [str(gate.examine_json('{"password": "a\\qhunter2"}').faults)]
    for text in told:
        assert "hunter2" not in text
    assert "1234" not in json.dumps(gate.schema())
    assert verdict.entered().get("userName") == payload["userName"]


def fits(freight: Freight) -> bool | None:
    if freight.crates > 5:
        raise Wrong("more crates than the hold takes", at=this.crates)
    return freight.note != "void"


@dataclass
@obeys(
    needs("un_number", given="hazard"),
    when(this.hazard != "none").forbids("fragile"),
    when(this.crates > 3).needs(this.phone).says("call us about more than three crates"),
    at_least_one("phone", "email"),
    at_most_one("phone", "fax"),
    exactly_one("email", "fax"),
    all_or_none("width", "height"),
    this.width + this.height * 2 <= this.crates * 10,
    fits,
)
class Freight:
    email: str | None = "desk@ternsound.example"
    phone: str | None = None
    fax: str | None = None
    hazard: str | None = None
    un_number: int | None = None
    fragile: bool | None = None
    crates: Annotated[int, named("crateCount")] = 1
    width: int | None = None
    height: int | None = None
    note: str = ""


FREIGHT: list[tuple[dict[str, Any], list[tuple[str, str]]]] = [
    ({}, []),
    ({"hazard": "gas"}, [("/un_number", "needs a value, since hazard has one; got none")]),
    ({"hazard": "gas", "un_number": 3, "fragile": True}, [("/fragile", "needs no value when hazard != 'none'; got one")]),
    ({"hazard": "none", "un_number": 3, "fragile": True}, []),
    ({"crateCount": 4}, [("/phone", "call us about more than three crates")]),
    ({"email": None}, [
        ("/email", "needs exactly one of email, fax; got another number"),
        ("/phone", "needs at least one of phone, email; got none"),
    ]),
    ({"email": None, "fax": "1", "phone": "2"}, [("/phone", "needs at most one of phone, fax; got several")]),
    ({"width": 3}, [("/width", "needs all of width, height, or none; got some")]),
    ({"width": 3, "height": 4}, [("/width", "needs width plus height times 2 of at most crateCount times 10; got 3")]),
    ({"crateCount": 6, "phone": "1"}, [("/crateCount", "more crates than the hold takes")]),
    ({"note": "void"}, [("", "needs a record that passes fits; got an object of 1 key")]),
    ({"crateCount": "6", "width": 99, "height": 1, "hazard": 3}, [("/crateCount", "needs a whole number"), ("/hazard", "needs text")]),
]  # fmt: skip


@pytest.mark.parametrize(("payload", "faults"), FREIGHT)
def test_record_rules(payload: dict[str, Any], faults: list[tuple[str, str]]) -> None:
    gate = Gate(Freight)
    verdict = gate.examine(payload)
    assert bool(verdict) == gate.accepts(payload) == (not faults)
    told = [(fault.pointer, fault.message) for fault in verdict.faults]
    assert sorted(pointer for pointer, _ in told) == sorted(pointer for pointer, _ in faults)
    for pointer, words in faults:
        assert any(place == pointer and words in message for place, message in told), told
    assert all(fault.code in ("agreement", "check", "kind") for fault in verdict.faults)


def test_amendments() -> None:
    change: Gate[dict[str, Any]] = Gate(Annotated[Amendment[Freight], without("note"), demanding("crates")])
    assert change.admit({"crateCount": 3, "fax": None}) == {"crates": 3, "fax": None}
    assert change.release({"crates": 3, "fax": None}) == {"crateCount": 3, "fax": None}
    [fault] = change.examine({"crateCount": 3}).faults
    assert (fault.pointer, fault.code) == ("", "absent")
    assert "needs at least one of email, phone" in fault.message
    assert [fault.pointer for fault in change.examine({"fax": 1}).faults] == ["/crateCount", "/fax"]
    assert [fault.pointer for fault in change.examine({"crateCount": 1, "width": 9, "height": 9}).faults] == ["/width"]
    assert change.examine({"crateCount": 1, "fax": "1", "note": "x"}).dropped == (("note",),)
    assert change.lost_rules == ("fits is a function of the whole record",)
    with pytest.raises(DeclarationError, match=r"FreightAmendment\.nte: .*did you mean 'note'"):
        Gate(Annotated[Amendment[Freight], without("nte")])


def test_subsets() -> None:
    gate = Gate(subset(Freight, only=["crates", "email", "hazard"], required="crates", optional="hazard", name="Short"))
    value = gate.admit({"crateCount": 2})
    assert (type(value).__name__, value.crates, value.email) == ("Short", 2, "desk@ternsound.example")
    assert [fault.pointer for fault in gate.examine({}).faults] == ["/crateCount"]
    assert len(gate.lost_rules) == 9
    assert gate.schema()["$defs"]["Short"]["required"] == ["crateCount"]
    kept = Gate(subset(Freight, without=["email", "note", "fax"]))
    assert [fault.pointer for fault in kept.examine({"hazard": "gas"}).faults] == ["/un_number"], "rules travel along"
    twice = Gate(Amendment[subset(Freight, only=["crates"])])  # type: ignore[arg-type]
    assert twice.admit({"crateCount": 1}) == {"crates": 1}


@dataclass
class Weighed:
    weight_kg: float
    un_number: int = 0
    first: InitVar[int] = 5

    def __post_init__(self, first: int) -> None:
        self.un_number += first


def test_names_in_the_data() -> None:
    assert Gate(Weighed, keys=camel).admit({"weightKg": 1, "unNumber": 2}) == Gate(Weighed).admit(
        {"weight_kg": 1, "un_number": 2}
    )
    [fault] = Gate(Weighed, keys=kebab).examine({"weight-kg": "x"}).faults
    assert fault.pointer == "/weight-kg"
    assert Gate(Weighed, lenient=True).admit({"weight_kg": "1"}).weight_kg == 1.0
    assert Gate(Weighed).admit({"weight_kg": 1, "first": 7}).un_number == 7
    assert pickle.loads(pickle.dumps(Gate(Weighed, keys=camel))).accepts({"weightKg": 1})

    @dataclass
    class Twice:
        a: int
        b: Annotated[int, named("a")]

    with pytest.raises(DeclarationError, match="one name in the data: 'a'"):
        Gate(Twice)


def test_one_field_gathers_the_rest() -> None:
    @obeys(at_least_one("extra", "name"))
    @dataclass
    class Mentioned:
        name: str | None = None
        extra: Annotated[dict[str, int], rest] = field(default_factory=dict)

    with pytest.raises(DeclarationError, match="names 'extra', which is no field of it"):
        Gate(Mentioned)

    @dataclass
    class Untyped:
        extra: Annotated[list[int], rest]

    with pytest.raises(DeclarationError, match=r"Untyped\.extra: a field that gathers the rest is a dict"):
        Gate(Untyped)


T = TypeVar("T")


@dataclass
class Page(Generic[T]):
    items: list[T]
    following: Page[T] | None = None


@dataclass
class Numbers(Page[int]):
    total: int = 0


def test_generic_records() -> None:
    gate: Gate[Page[Weighed]] = Gate(Page[Weighed])
    page = gate.admit({"items": [{"weight_kg": 1}], "following": {"items": []}})
    assert page.items[0].weight_kg == 1.0
    assert list(gate.schema()["$defs"]) == ["PageOfWeighed", "Weighed"]
    assert [fault.pointer for fault in Gate(Page[Page[int]]).examine({"items": [{"items": ["x"]}]}).faults] == [
        "/items/0/items/0"
    ]
    assert [fault.pointer for fault in Gate(Numbers).examine({"items": ["x"]}).faults] == ["/items/0"]
    with pytest.raises(DeclarationError, match=r"the type variable T stands for nothing here.*Page\[Booking\]"):
        Gate(Page)


RUNAWAY = [
    r"(a+)+b", r"([a-z]+)*\d", r"(\w+\s?)*!", r"(a|aa)+b", r"(?:(?:ab)*c?)*d", r"(?:(?<=a)a|a)+b", r"(?:x?a|a)+b",
    r"(?:\Ba|a)+b", r"(?:a(?:|a))+b", r"(?:(?:aa|a)(?:a|aa))+d", r"((?:a|[ab]){8}){8}b",
]  # fmt: skip
FINE = [
    r"[a-z]+(-[a-z]+)*", r"(?:[a-z]{2}){10}", r"(ab|cd)+", r"\d{1,3}(?:,\d{3})*", r"(?:\.[a-z]+)+", r"(?:x(?:ab|ac)y)+",
    r"(?:ab?)+c", r"([0-9]{4}-?){4}", r"(?:(a|b)|c)+",
]  # fmt: skip


def test_patterns_that_run_away() -> None:
    for pattern in RUNAWAY:
        with pytest.warns(RunawayPattern, match="can make run away"):
            gate = Gate(Annotated[str, it.matches(pattern)])
        assert not gate.accepts("a" * 50_000 + "!!"), pattern
        for text in ("aab", "abab1", "ab cd!", "b", "ababcd", "", "d"):
            assert gate.accepts(text) == bool(re.fullmatch(pattern, text)), (pattern, text)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        for pattern in FINE:
            Gate(Annotated[str, it.matches(pattern)])


def test_a_pattern_that_cannot_be_made_safe_is_told() -> None:
    with pytest.warns(RunawayPattern, match=r"uses \(\?\(1.*text of more than 24 characters is refused unmatched"):
        gate = Gate(Annotated[str, it.matches(r"(b)?(a+)+b(?(1)b|)")])
    assert gate.accepts("aaab")
    assert not gate.accepts("a" * 30 + "b")
    with pytest.warns(RunawayPattern, match="it is matched in a slower way that cannot"):
        gate = Gate(Annotated[str, it.matches(r"(b?)(a+)+b\1")])
    assert gate.accepts("b" + "a" * 300 + "bb")
    assert not gate.accepts("a" * 300 + "bb")


LOOKING = [
    r"(?=a)a.", r"(?<=a)b+", r"(?!ab)[ab]+", r"a(?=b|$)", r"(?<!a)b", r"(?:(?=a)|b)(a+)+c", r"(?a:\b)a+(?a:\b)",
    r"(?i)a+B", r"(?i:a+)b", r"(?x) a + [ ] # then\n b", r"(?s-i:.)[^b]+É", r"(?im)^[a-c]+$", r"(?i:é)",
]  # fmt: skip


@given(st.text("abcAB éÉ\n", max_size=7), st.sampled_from(LOOKING), st.booleans())
def test_the_slower_matcher_agrees(text: str, pattern: str, whole: bool) -> None:
    compiled = re.compile(pattern)
    found = compiled.fullmatch(text) if whole else compiled.search(text)
    assert (guarded(compiled, whole=whole)(text) is None) == (found is None)


PIECES_OF_PATTERNS = st.tuples(
    st.sampled_from(["a", "[ab]", r"\w", r"\d", ".", "-", "[^a]", "(?i:b)", " "]), st.sampled_from(["", "+", "*", "{2,}", "+?", "?"])
).map("".join)  # fmt: skip


@given(
    st.lists(PIECES_OF_PATTERNS, min_size=1, max_size=4).map("".join),
    st.sampled_from([0, re.IGNORECASE, re.ASCII]),
    st.text("aAbB1- é\n", max_size=90),
)
def test_what_is_looked_for_in_measure_is_found_alike(pattern: str, flags: int, text: str) -> None:
    for given_pattern in (pattern, f"({pattern})c?", f"(?s){pattern}$"):
        compiled = re.compile(given_pattern, flags)
        found = compiled.search(text)
        assert (within_measure(compiled, whole=False)(text) is None) == (found is None)
        assert (within_measure(compiled, whole=True)(text) is None) == (compiled.fullmatch(text) is None)


POWERS = [
    (r"[A-Z]{3}", True, 0),
    (r"[a-z]+@", True, 1),
    (r"[a-z]+@[a-z]+", True, 1),
    (r".*x.*", True, 2),
    (r"^(.*)(.*)(.*)x$", False, 3),
    (r"a+b", False, 2),
    (r"^a+b", False, 1),
]


@pytest.mark.parametrize(("pattern", "whole", "power"), POWERS)
def test_how_time_grows_with_the_text(pattern: str, whole: bool, power: int) -> None:
    assert degree_of(read_python(pattern), whole=whole) == power
    gate: Gate[str] = Gate(Annotated[str, it.matches(pattern) if whole else it.has(pattern)])
    assert not gate.accepts("?" * 30_000), "in time, whatever the power"


def test_decimals_are_exact() -> None:
    gate = Gate(dict[str, Decimal])
    raw = b'{"a":0.1000000000000000055511151231257827,"b":1e400,"c":12.50}'
    value = gate.admit_json(raw)
    assert [str(each) for each in value.values()] == ["0.1000000000000000055511151231257827", "1E+400", "12.50"]
    assert gate.admit_json(gate.release_json(value)) == value
    assert [fault.code for fault in gate.examine_json('{"a": 1e99999}').faults] == ["size"]
    mixed = Gate(tuple[float, int, Decimal, Any]).admit_json("[1.5, 2.0, 0.1, 0.5]")
    assert [type(each) for each in mixed] == [float, int, Decimal, float]


def test_the_way_out_refuses_what_is_not_of_the_type() -> None:
    broken = Freight()
    broken.crates = "x"  # type: ignore[assignment]
    with pytest.raises(Refused, match="/crateCount: needs a whole number"):
        Gate(Annotated[list[Freight], it.length > 0]).release([broken, 3])  # type: ignore[list-item]
    with pytest.raises(Refused):
        Gate(datetime).release("x")  # type: ignore[arg-type]


def test_cbor() -> None:
    pytest.importorskip("cbor2")
    gate = Gate(Weighed)
    value = Weighed(1.5, 2)
    assert gate.admit_cbor(gate.release_cbor(value)).weight_kg == 1.5
    for raw in (b"", b"\xff", b"\x5a\xff\xff\xff\xff", b"\x81" * 100_000, b"\x00\x00"):
        verdict = gate.examine_cbor(raw)
        assert verdict.faults[0].code in ("reading", "depth", "kind"), raw


def test_few_bytes_of_cbor_cost_little_and_mean_one_thing() -> None:
    """Values named again and again, keys that come twice or collide, numbers without end, and what stands behind."""
    cbor2 = pytest.importorskip("cbor2")
    shared = b"".join(b"\xd8\x1c\x82" + 2 * (b"\xd8\x1d\x18" + bytes([at])) for at in range(60))
    named = b"\xd9\x01\x00\x82\x63aaa\xd8\x19\x00"
    said = {
        b"\x98\x3d\xd8\x1c\x61a" + shared: "a JSON value",
        named: "a JSON value",
        cbor2.dumps({1, 2**61}): "a JSON value",
        b"\xd8\x23\x64(a+)": "a JSON value",
        b"\xa2\x61a\x01\x61a\x02": "each key of a map once",
        b"\xa2\x61a\x01\x61b\xa2\x61a\x01\x61a\x02": "each key of a map once",
        b"\xa1\x01\x02": "CBOR (RFC 8949)",
        b"\x01\x02": "one value in CBOR and nothing after it",
        b"\x81" * 1000 + b"\x01": "data that is not as deep",
        cbor2.dumps(10**4300): "a number of at most 4300 digits",
        cbor2.dumps([-(10**4300)]): "a number of at most 4300 digits",
        b"\xc4\x82\x20" + cbor2.dumps(10**9000): "a number of at most 4300 digits",
    }
    for raw, needed in said.items():
        (fault,) = Gate(Any).examine_cbor(raw).faults
        assert fault.message.startswith(f"needs {needed}; got "), (raw, fault)
    for value in (10**4300 - 1, 1 - 10**4300, -(2**64), -(2**64) - 1, 2**64, Decimal("1.50"), {"a": [2**70]}):
        assert Gate(Any).admit_cbor(cbor2.dumps(value)) == value
    assert Gate(Any).admit_cbor(b"\xd9\xd9\xf7\x01") == 1, "CBOR that says it is CBOR"


def test_text_sources_go_through_all_of_it() -> None:
    gate = Gate(Account, Source.TEXT)
    value = gate.admit({"userName": ["ada"], "password": "long enough", "pins": ["1", "2"], "deck": "3"})
    assert value == Account("ada", "long enough", [1, 2], "OST", {"deck": 3})


Token = Annotated[str, secret, it.length > 3]


@dataclass
class Keys:
    tokens: list[Token]
    by_name: dict[str, Token] = field(default_factory=dict)
    spare: Token | None = None


@dataclass
class Made:
    number: Annotated[str, it.matches(r"\d+"), then(int), it > 3] = 5  # type: ignore[assignment]


def test_what_is_made_of_secrets_is_secret() -> None:
    gate = Gate(Keys)
    verdict = gate.examine({"tokens": ["zz", "hunter2"], "by_name": {"a": "b"}, "spare": "q"})
    assert "b'" not in str(verdict.faults)
    assert [fault.given for fault in verdict.faults] == [None, None, None]
    assert verdict.entered() == {}
    assert gate.release(Keys(["abcd"])) == {}


def test_what_a_function_made_is_typed_already() -> None:
    gate = Gate(Made)
    assert (gate.admit({}).number, gate.admit({"number": "9"}).number) == (5, 9)
    assert Gate(Made, Source.NATIVE).admit(Made(7)) == Made(7)  # type: ignore[arg-type]
    assert gate.examine({"number": "2"}).faults[0].message == "needs a value above 3; got '2'"
    assert "default" not in gate.schema()["$defs"]["Made"]["properties"]["number"]


@pytest.mark.parametrize(("bound", "words"), [
    (3, "above 3"), (Decimal("2.5"), "above 2.5"), (timedelta(hours=2), "above PT2H"), (date(2026, 5, 4), "later than 2026-05-04"),
    ("m", "after m"), (IPv4Address("192.0.2.4"), "after 192.0.2.4"),
])  # fmt: skip
def test_beside_any_the_bound_tells_how_values_compare(bound: Any, words: str) -> None:
    (fault,) = Gate(Annotated[Any, it > bound], Source.NATIVE).examine(bound).faults
    assert fault.message.startswith(f"needs a value {words}; got "), fault.message


def test_names_in_quotes_are_seen_where_the_gate_is_built() -> None:
    assert Gate(list["Made"]).admit([{}]) == [Made()]
    with pytest.raises(DeclarationError, match=r"'Nowhere' in quotes cannot be seen from here; hand it to the gate"):
        Gate(list["Nowhere"])  # type: ignore[name-defined]  # noqa: F821


PEP_695 = """
from dataclasses import dataclass
from typing import Annotated
from dutiful_gate import Gate, it, trimmed

type Code = Annotated[str, trimmed, it.length == 3]
type Pair[X] = tuple[X, X]
type Tree = list[Tree] | int
type Nest[T] = dict[str, Nest[T] | list[Nest[T]]] | T
type Alone = Alone
type Either = Either | int
type Grows[T] = list[Grows[list[T]]] | T


@dataclass
class Shelf[T]:
    items: list[T]
    code: Code = "QLP"
    following: "Shelf[T] | None" = None
"""


@pytest.mark.skipif(sys.version_info < (3, 12), reason="the interpreter has no type statement")
def test_type_statements(tmp_path: Any) -> None:
    script = tmp_path / "shelves.py"
    script.write_text(PEP_695)
    there = runpy.run_path(str(script))
    shelves: Gate[Any] = Gate(there["Shelf"][int], names={"Shelf": there["Shelf"]})
    shelf = shelves.admit({"items": [1], "code": " OST ", "following": {"items": [2]}})
    assert (shelf.code, shelf.following.items) == ("OST", [2])
    assert [fault.pointer for fault in shelves.examine({"items": ["x"]}).faults] == ["/items/0"]
    assert Gate(there["Pair"][int]).admit([1, 2]) == (1, 2)
    trees: Gate[Any] = Gate(there["Tree"])
    assert trees.admit([1, [2, []]]) == [1, [2, []]]
    assert [fault.pointer for fault in trees.examine([1, ["x"]]).faults] == ["/1/0"]
    assert trees.release([[3]]) == [[3]]
    assert trees.schema()["$defs"]["Tree"]["anyOf"][0] == {"type": "array", "items": {"$ref": "#/$defs/Tree"}}
    nested: Gate[Any] = Gate(there["Nest"][int])
    assert [nested.accepts(each) for each in ({"a": [1, {"b": 2}]}, {"a": ["x"]})] == [True, False]
    both = there["Tree"] | there["Nest"][str]
    assert Gate(list[both]).accepts([[1], "x", {"a": "y"}])
    for name in ("Alone", "Either"):
        with pytest.raises(DeclarationError, match=f"{name} leads to itself with nothing between"):
            Gate(there[name])
    with pytest.raises(DeclarationError, match="ever new forms"):
        Gate(there["Grows"][int])


Cargo = dict[str, "Cargo"] | list["Cargo"] | Annotated[str, it.length >= 2] | date | None
Hold = list["Shut | None"]
Shut = dict[str, Hold] | int


@dataclass
class Manifest:
    cargo: Cargo
    by_deck: dict[str, Cargo] = field(default_factory=dict)
    held: Hold | None = None


ITSELF: list[tuple[Any, Any, Any, Any]] = [
    # type, what comes, what becomes of it, the pointers of the faults
    (Cargo, {"a": ["QLP", None, "2026-05-04"]}, {"a": ["QLP", None, "2026-05-04"]}, []),
    (Cargo, ["x", [True, {"b": 5}]], None, ["/0", "/1/0", "/1/1/b"]),
    (list["Cargo"], ["x"], None, ["/0"]),
    (Annotated["Cargo | int", about(title="one or many")], 5, 5, []),
    (Hold, [None, 1, {"a": [{"b": [None]}]}], [None, 1, {"a": [{"b": [None]}]}], []),
    (Hold, [{"a": [{"b": ["x"]}]}], None, ["/0/a/0/b/0"]),
    (Manifest, {"cargo": "rope", "held": [3]}, Manifest("rope", {}, [3]), []),
    (Manifest, {"cargo": "x", "by_deck": {"d": [0]}}, None, ["/cargo", "/by_deck/d/0"]),
    ("Cargo", None, None, []),
    (dict[str, "Mapping[str, Cargo]"], {"a": {"b": "rope"}}, {"a": {"b": "rope"}}, []),
]


@pytest.mark.parametrize(("declared", "came", "becomes", "pointers"), ITSELF)
def test_types_that_lead_to_themselves(declared: Any, came: Any, becomes: Any, pointers: list[str]) -> None:
    gate: Gate[Any] = Gate(declared)
    verdict = gate.examine(came)
    assert [fault.pointer for fault in verdict.faults] == pointers
    raw = json.dumps(came).encode()
    assert gate.accepts(came) == (not pointers)
    assert [fault.pointer for fault in gate.examine_json(raw).faults] == pointers
    assert Gate.from_schema(gate.schema(), formats="assert").accepts(came) == (not pointers)
    if not pointers:
        assert verdict.value == becomes
        assert gate.admit(gate.release(verdict.value)) == becomes
        assert gate.release_admitted(verdict.value) == gate.release(verdict.value)
        assert pickle.loads(pickle.dumps(gate)).admit_json(raw) == becomes


def test_names_mean_what_they_mean_in_their_own_module(tmp_path: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.syspath_prepend(tmp_path)
    module = """
from __future__ import annotations
import datetime as dt
from dataclasses import dataclass
from typing import Annotated, Generic, Optional, TypeVar, Union
from dutiful_gate import it
T = TypeVar("T")
Hold = list[Union["Hold", None]] | {leaf}
@dataclass
class Berth(Generic[T]):
    hold: Optional["Hold"]
    others: list["dict[str, 'Hold']"]
    items: list["Annotated[T, it != 3] | None"]
    seen: "dict[str, 'dt.date | None'] | None" = None
    beside: "list['Berth[T]'] | None" = None
"""
    (tmp_path / "berths_in_numbers.py").write_text(module.format(leaf="int"))
    (tmp_path / "berths_in_words.py").write_text(module.format(leaf="str"))
    for name, leaf, other in (("berths_in_numbers", 7, "x"), ("berths_in_words", "x", 7)):
        berth = __import__(name).Berth
        gate: Gate[Any] = Gate(berth["int"])
        sound = {
            "hold": [[leaf]],
            "others": [{"a": [leaf]}],
            "items": [4, None],
            "seen": {"a": "2026-05-04"},
            "beside": [],
        }
        assert gate.examine(sound).faults == ()
        wrong = {"hold": [[other]], "others": [{"a": other}], "items": [3, "x"], "beside": [{"hold": other}]}
        assert [fault.pointer for fault in gate.examine(wrong).faults] == [
            "/hold/0/0", "/others/0/a", "/items/0", "/items/1", "/beside/0/others", "/beside/0/items", "/beside/0/hold",
        ]  # fmt: skip
        assert pickle.loads(pickle.dumps(gate)).accepts(sound)


def test_what_is_said_beside_a_type_that_leads_to_itself() -> None:
    deck = list["deck"] | int
    assert Gate(list["deck"]).admit([[1, []]]) == [[1, []]]
    lone = list["lone"]
    short: Gate[Any] = Gate(Annotated["lone", it.length <= 1])
    assert [short.accepts(each) for each in ([[[], []]], [[], []])] == [True, False]
    told: Gate[Any] = Gate(dict[str, Annotated["deck", about(title="Decks"), unreadable.says("needs decks")]])
    assert told.examine({"a": "x"}).faults[0].message == "needs decks"
    assert told.schema()["additionalProperties"] == {"title": "Decks", "$ref": "#/$defs/deck"}
    with pytest.raises(DeclarationError, match="makes no sense for a union; it has no length"):
        Gate(list[Annotated["deck", it.length <= 1]])
    hidden = Annotated[str, secret] | list["hidden"]
    secretive: Gate[Any] = Gate(hidden)
    assert "hunter2" not in repr(secretive.examine([["hunter2", {"hunter2": 1}]]).faults)
    assert secretive.examine([[5]]).entered() is None
    texts: Gate[Any] = Gate(dict[str, "deck"], Source.TEXT)
    assert texts.admit({"a": "5", "b": ["5", "6"]}) == {"a": 5, "b": [5, 6]}
    assert texts.examine({"a": "x"}).faults[0].message == "needs a whole number in ASCII digits, such as 42; got 'x'"
    endless = tuple["endless", int]
    with pytest.raises(CannotSample):
        samples(endless)
    assert samples("deck", 3) == samples(deck, 3) != samples(lone, 3)


@pytest.mark.parametrize(
    ("declared", "told"),
    [
        ("dict[str, nothing]", "'nothing' in quotes cannot be seen from here"),
        ("dict[Cargo", "in quotes is no type that can be read"),
        ("print('x')", "in quotes is no type that can be read"),
        (list["nowhere"], "'nowhere' in quotes cannot be seen from here"),  # type: ignore[name-defined]  # noqa: F821
        (set["Cargo"], "cannot be an item of a set"),
        (dict["Cargo", int], "cannot be a key of a JSON object"),
    ],
)
def test_quotes_that_say_nothing(declared: Any, told: str) -> None:
    with pytest.raises(DeclarationError) as raised:
        Gate(declared)
    assert told in str(raised.value)


@dataclass
class Quay:
    name: str
    beside: Self | None = None
    behind: list[Self] = field(default_factory=list)
    by_name: dict[str, list[Self]] = field(default_factory=dict)
    told: Annotated[Self | None, about(title="Told")] = None


@dataclass
class Dock(Quay):
    crane: int = 0


@dataclass
class Sheet(Generic[T]):
    items: list[T]
    next: Self | None = None


@dataclass
class Ledger:
    sheet: Sheet[list[Self]] | None = None


@dataclass
class Journal(Ledger):
    title: LiteralString = ""


class Mooring(NamedTuple):
    name: str
    next: Self | None = None


def test_self_is_the_record_that_it_stands_in() -> None:
    inner = {"name": "b", "crane": 7}
    dock = Gate(Dock).admit({"name": "a", "beside": inner, "behind": [inner], "by_name": {"x": [inner]}, "told": inner})
    other = Dock("b", crane=7)
    assert dock == Dock("a", other, [other], {"x": [other]}, other)
    assert type(Gate(Quay).admit({"name": "a", "beside": inner}).beside) is Quay
    both: Gate[Any] = Gate(tuple[Ledger, Journal])
    data = {"sheet": {"items": [[{"title": "x"}]], "next": {"items": [[]]}}}
    plain, titled = both.admit([data, data])
    assert plain.sheet.items == [[Ledger()]]
    assert titled.sheet.items == [[Journal(title="x")]]
    assert {"Ledger", "Journal"} < set(both.schema()["$defs"])
    assert Gate(Mooring).admit({"name": "a", "next": {"name": "b"}}) == Mooring("a", Mooring("b"))
    again = pickle.loads(pickle.dumps(Gate(Dock)))
    assert [fault.pointer for fault in again.examine({"name": "a", "behind": [{"name": 1}]}).faults] == [
        "/behind/0/name"
    ]


class Vessel(ABC):
    @abstractmethod
    def sail(self) -> None: ...


@dataclass
class Barge(Vessel):
    tons: int


NO_TYPES: list[tuple[Any, str]] = [
    ([int], "write list"), ({"a": int}, "declare a TypedDict"), ({1, 2}, "write set"), (list.__class_getitem__([int]), "write list"),
    (Self, "inside a record alone"), (Barge, "is abstract: no instance can be made of it; declare the classes that are made"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "remedy"), NO_TYPES)
def test_what_stands_in_the_place_of_a_type_is_told_with_a_remedy(declared: Any, remedy: str) -> None:
    with pytest.raises(DeclarationError, match=remedy):
        Gate(declared)


@dataclass
@obeys(
    when(((this.hazard != "none") & (this.decks > 2)) | ~(this.priority == "standard")).needs("un_number"),
    when((this.hazard == "fire") & ~(this.priority == "urgent")).forbids(this.note),
    when((this.hazard == "fire") | (this.priority == "urgent") | (this.note == "hot")).needs("contact"),
)
class Guarded:
    hazard: Literal["none", "fire"]
    decks: int | None = None
    priority: Literal["standard", "urgent"] = "standard"
    un_number: str | None = None
    note: str | None = None
    contact: str | None = None


CONDITIONS: list[tuple[dict[str, object], list[str]]] = [
    ({"hazard": "none"}, []),
    ({"hazard": "none", "decks": 9}, []),
    ({"hazard": "fire", "contact": "x", "un_number": "1"}, []),
    (
        {"hazard": "fire", "decks": 3, "contact": "x"},
        ["/un_number: needs a value when (hazard != 'none' and decks > 2) or not (priority == 'standard'); got none"],
    ),
    ({"hazard": "fire", "decks": 2, "contact": "x"}, []),
    (
        {"hazard": "fire", "note": "x", "contact": "x"},
        ["/note: needs no value when hazard == 'fire' and not (priority == 'urgent'); got one"],
    ),
    ({"hazard": "fire", "note": "x", "contact": "x", "priority": "urgent", "un_number": "1"}, []),
    (
        {"hazard": "none", "note": "hot"},
        ["/contact: needs a value when hazard == 'fire' or priority == 'urgent' or note == 'hot'; got none"],
    ),
]


@pytest.mark.parametrize(("data", "told"), CONDITIONS)
def test_conditions_are_joined_and_turned_round(data: dict[str, object], told: list[str]) -> None:
    gate = Gate(Guarded)
    assert [str(fault) for fault in gate.examine(data).faults] == told
    document = gate.schema()
    assert document.unstated == ()
    judge = Gate.from_schema(document)
    assert judge.accepts(data) is not told
    again = loaded(declarations_of(document))
    assert again.accepts(data) is judge.accepts(data)


def test_the_laws_hold_for_joined_conditions() -> None:
    assert prove(Gate(Guarded), 1500).disagreements == []


UNBRACKETED: list[tuple[Callable[[], object], str]] = [
    (lambda: when(this.a == 1 & this.b == 2), "& binds tighter than a comparison, so that it took this.b for its own; put each comparison in brackets"),
    (lambda: when(this.a == this.b | this.c), r"\| binds tighter"),
    (lambda: when((this.a == 1) and (this.b == 2)), "has none while it is only declared; join conditions with & and |, each in brackets"),
    (lambda: obeys(1 < this.a < 5), "join conditions with & and"),
    (lambda: when(not (this.a < 1)), "turn one round with ~"),
    (lambda: when((this.a == 1) & 5), "& joins this.a == 1 with 5, which is no condition"),
    (lambda: when((this.a == 1) | (this.b)), r"\| joins this.a == 1 with this.b, which is no condition|binds tighter"),
    (lambda: when(this.a), "needs a comparison of `this`"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "message"), UNBRACKETED)
def test_conditions_without_brackets_are_told(declared: Callable[[], object], message: str) -> None:
    with pytest.raises(DeclarationError, match=message):
        declared()
