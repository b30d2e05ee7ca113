"""Conditions on a record as wide as the standard's `if`: each with its faults, its document, and its reading back."""

# Rooms: declare, shape, document/writing, document/declaring

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal, Never, NotRequired, TypedDict

import pytest

from any_declaration import loaded
from dutiful_gate import (
    Amendment,
    DeclarationError,
    Gate,
    Refused,
    Source,
    at_least_one,
    declarations_of,
    ecma,
    if_absent,
    it,
    named,
    obeys,
    rest,
    secret,
    this,
    together,
    trimmed,
    unambiguous,
    when,
    without_point,
)
from dutiful_gate.prove.proof import prove


@dataclass
class Crate:
    weight_kg: float
    codes: list[str] = field(default_factory=list)
    seal: str | None = None


@dataclass
class Ship:
    name: str
    decks: int = 1
    length: int | None = None


@dataclass
class Load:
    ship: Ship
    crates: list[Crate] = field(default_factory=list)
    hazard: Literal["none", "gas", "acid"] = "none"
    note: str | None = None
    count: int | None = None
    cargo: str | int | None = None
    ports: list[str] = field(default_factory=list)


def a_load(**more: Any) -> dict[str, Any]:
    return {"ship": {"name": "Tern"}, **more}


HEAVY = {"crates": [{"weight_kg": 40}, {"weight_kg": 2, "codes": ["TS-1"]}]}
# A rule, data that satisfies it, data that does not with what is told of it, and whether the document says it.
RULES: list[tuple[Any, list[dict[str, Any]], list[tuple[dict[str, Any], str]], bool]] = [
    (when(this.count > 2).needs("note"), [{}, {"count": 2}, {"count": 3, "note": ""}],
     [({"count": 3}, "/note: needs a value when count > 2; got none")], True),
    (when(this.hazard.one_of("gas", "acid")).needs("note").forbids("count").or_else.forbids("note"),
     [{}, {"hazard": "gas", "note": "x"}],
     [({"note": "x"}, "/note: needs no value when not (hazard is one of 'gas', 'acid'); got one"),
      ({"hazard": "gas", "note": "x", "count": 1}, "/count: needs no value when hazard is one of 'gas', 'acid'; got one")], True),
    (when(this.hazard == "gas").obeys(this.count <= 4, at_least_one("note", "cargo")), [{}, {"hazard": "gas", "note": "x", "count": 4}],
     [({"hazard": "gas", "cargo": 1, "count": 5}, "/count: needs a value of at most 4 when hazard == 'gas'; got 5"),
      ({"hazard": "gas"}, "/note: needs at least one of note, cargo when hazard == 'gas'; got none")], True),
    ((this.count > 3) | this.note.has_value, [{"count": 4}, {"note": "x"}], [({}, "/count: needs what holds: count > 3 or note has a value; got something else")], True),
    (this.crates.length <= 2, [{}, HEAVY], [({"crates": HEAVY["crates"] * 2}, "/crates: needs the length of crates of at most 2; got an array of 4 items")], True),
    (this.crates.all(this.weight_kg < 30), [{}, {"crates": [{"weight_kg": 29}]}],
     [(HEAVY, "/crates/0: needs what holds: all of crates: weight_kg < 30; got something else")], True),
    (this.crates.any((this.weight_kg > 30) & ~this.seal.has_value) | (this.crates.length == 0), [{}, HEAVY],
     [({"crates": [{"weight_kg": 40, "seal": "x"}]}, "/crates: needs what holds")], True),
    (this.ports.all(it.has("^[A-Z]")), [{"ports": ["QLP"]}], [({"ports": ["qlp"]}, "/ports/0: needs what holds")], True),
    (this.ports.contains("QLP") | (this.ports.length == 0), [{}, {"ports": ["OST", "QLP"]}], [({"ports": ["OST"]}, "/ports: needs what holds")], True),
    (when(this.ship.decks >= 2).needs("note"), [{}, {"ship": {"name": "a", "decks": 2}, "note": "x"}],
     [({"ship": {"name": "a", "decks": 2}}, "/note: needs a value when ship.decks >= 2; got none")], True),
    (this.ship["length"] > 20, [{}, {"ship": {"name": "a", "length": 21}}],
     [({"ship": {"name": "a", "length": 20}}, "/ship: needs a value above 20; got an object")], True),
    (when(this.cargo.is_a(str)).needs("note"),
     [{"cargo": 4}, {"cargo": "x", "note": "y"}], [({"cargo": "x"}, "/note: needs a value when cargo is text; got none")], True),
    (when(this.note.starts_with("a") & this.note.ends_with("z")).needs("count"), [{"note": "ab"}, {"note": "az", "count": 1}], [({"note": "az"}, "/count: needs")], True),
    (this.crates.length < this.ports.length, [{"ports": ["a"]}], [(HEAVY, "/crates: needs the length of crates below the length of ports")], False),
    (this.note == "ABC", [{}, {"note": "ABC"}], [({"note": "abc"}, "/note: needs a value equal to ABC; got 'abc'")], True),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "sound", "unsound", "said"), RULES)
def test_each_condition(
    rule: Any, sound: list[dict[str, Any]], unsound: list[tuple[dict[str, Any], str]], said: bool
) -> None:
    made = obeys(rule)(dataclass(type("Obliged", (Load,), {"__annotations__": {}})))
    gate: Gate[Any] = Gate(made)
    document = gate.schema()
    assert (document.unstated == ()) is said, document.unstated
    judge = Gate.from_schema(document, formats="assert")
    again = loaded(declarations_of(json.loads(json.dumps(document))))
    for more in sound:
        data = a_load(**more)
        assert gate.examine(data).faults == ()
        assert judge.accepts(data)
        assert again.accepts(data)
        assert gate.admit_json(json.dumps(data)) == gate.admit(data)
        assert gate.admit(gate.release(gate.admit(data))) == gate.admit(data)
        assert Gate(made, Source.NATIVE).accepts(gate.admit(data))
    for more, told in unsound:
        data = a_load(**more)
        faults = gate.examine(data).faults
        assert str(faults[0]).startswith(told), faults[0]
        assert not gate.accepts(data)
        assert judge.accepts(data) is not said
        assert again.accepts(data) is not said
        assert [fault.place is not None for fault in gate.examine_json(json.dumps(data)).faults]
    assert not prove(gate, 250).disagreements


def test_what_came_is_told_from_what_has_a_value() -> None:
    @obeys(when(this.note.came & ~this.note.has_value).needs("count"), this.note.came | this.port.came)
    class Sent(TypedDict):
        note: NotRequired[str | None]
        port: NotRequired[str]
        count: NotRequired[int]

    gate = Gate(Sent)
    told = {
        json.dumps(data): [str(fault) for fault in gate.examine(data).faults]
        for data in ({}, {"note": None}, {"note": "x"}, {"note": None, "count": 1})
    }
    assert list(told.values()) == [
        ["/note: needs what holds: note came or port came; got something else"],
        ["/count: needs a value when note came and not (note has a value); got none"],
        [],
        [],
    ]
    assert gate.schema().unstated == ()
    assert not prove(gate, 200).disagreements


def test_what_comes_of_a_secret_is_not_told() -> None:
    @obeys(when(this.seal == "open sesame").needs("note"), this.codes.all(it.starts_with("TS")), this.pin.length == 4)
    @dataclass
    class Sealed:
        seal: Annotated[str, secret]
        codes: Annotated[list[str], secret]
        pin: Annotated[str, secret]
        note: str | None = None

    gate = Gate(Sealed)
    verdict = gate.examine({"seal": "open sesame", "codes": ["XX-9"], "pin": "12345"})
    assert [fault.pointer for fault in verdict.faults] == ["/note", "/codes", "/pin"], "what is absent stands first"
    shown = " ".join(
        [str(verdict.faults), json.dumps(verdict.problem()), json.dumps(gate.schema()), repr(gate.schema().unstated)]
    )
    assert not [word for word in ("sesame", "XX-9", "12345", "TS") if word in shown]


def test_the_number_of_keys_that_came() -> None:
    @obeys(this.length >= 1, this.length <= 2)
    class Some(TypedDict):
        a: NotRequired[int]
        others: Annotated[dict[str, int], rest]

    gate = Gate(Some)
    assert [gate.accepts(data) for data in ({}, {"a": 1}, {"x": 1, "y": 2}, {"a": 1, "x": 1, "y": 2})] == [
        False,
        True,
        True,
        False,
    ]
    assert str(gate.examine({}).faults[0]) == "(the whole): needs a number of keys of at least 1; got another number"
    said = gate.schema()["$defs"]["Some"]
    assert (said["minProperties"], said["maxProperties"]) == (1, 2)
    with pytest.raises(Refused):
        gate.release({"others": {}})
    assert not prove(gate, 200).disagreements

    @obeys(this.length >= 1)
    @dataclass
    class Loose:
        a: int = 1

    with pytest.raises(DeclarationError, match="counts keys, of which some may be left out or stand in"):
        Gate(Loose)

    @obeys(this.length >= 1, unknown="refuse")
    class Named(TypedDict):
        length: NotRequired[int]

    with pytest.raises(DeclarationError, match=r'the field is this\["length"\]'):
        Gate(Named)


WRONG: list[tuple[Callable[[], Any], str]] = [
    (lambda: this.ship.nane == "x", "names 'nane', which is no field of Ship; did you mean name?"),
    (lambda: this.crates.weight_kg > 3, r"leads into a list, which is no one record with fields; ask this.x.is_a\(...\) of unions"),
    (lambda: this.note.all(it > 3), "looks into text, which has no items"),
    (lambda: this.ports.all(this.x > 3), "leads into text, which is no one record|items are no records"),
    (lambda: this.ship.length > 3, "measures a record, which has no length|counts|compares"),
    (lambda: this.count.obeys(it.has("a")), "makes no sense for a whole number"),
    (lambda: when(this.ship.name.came).needs("note"), "asks what came for another record"),
    (lambda: when(this.note.came).needs("count"), "has a default: once it is read, nobody can tell; ask this.note.has_value"),
    (lambda: when(this.count > 1).needs(this.ship.name), "names a field of another record"),
    (lambda: this.note.obeys("a"), "needs a rule of `it`"),
    (lambda: this.crates.all(3), "needs a condition on each item"),
    (lambda: this.cargo.is_a(), "names no class"),
    (lambda: this.cargo.is_a(Tide), "asks for what no value can be told by"),
    (lambda: this[3], "names no field"),
    (lambda: when(this.count > 1).obeys(3), "is no rule of a record"),
    (lambda: bool(when(this.count > 1).needs("note")), "give each rule on its own"),
    (lambda: this.crates.length > 1.5, "compares a number of things with 1.5"),
]  # fmt: skip


class Tide(TypedDict):
    height: float


@pytest.mark.parametrize(("written", "message"), WRONG)
def test_what_makes_no_sense_is_told(written: Callable[[], Any], message: str) -> None:
    with pytest.raises(DeclarationError, match=message):
        Gate(obeys(written())(dataclass(type("Wrong", (Load,), {"__annotations__": {}}))))


# What else a document can say, and a declaration could not until now.


@dataclass
class Feed:
    kind: str
    ours: Annotated[dict[Annotated[str, it.starts_with("x-")], int], rest] = field(default_factory=dict)
    codes: Annotated[dict[Annotated[str, it.matches("[A-Z]+")], str], rest] = field(default_factory=dict)


FORMS: list[tuple[Any, list[Any], list[tuple[Any, str]]]] = [
    (Feed, [{"kind": "a", "x-1": 3, "AB": "c"}], [({"kind": "a", "y": 1}, "/y: is not a known key"), ({"kind": "a", "x-1": "c"}, "/x-1: needs a whole number; got the text 'c'")]),
    (tuple[int, str, *tuple[bool, ...]], [[1, "a"], [1, "a", True, False]],
     [([1], "(the whole): needs at least 2 items; got 1"), ([1, "a", 3], "/2: needs true or false; got 3")]),
    (Annotated[Annotated[str, it.length <= 3] | Annotated[str, it.has("x")], unambiguous], ["abc", "xxxx"],
     [("x", "(the whole): needs what is one of these alone: text; got more than one"), ("abcd", "(the whole): needs")]),
    (Annotated[Annotated[int | None, together] | Annotated[float, it > 5] | None, unambiguous], [3, 5.5],
     [(7, "(the whole): needs what is one of these alone"), (None, "(the whole): needs what is one of these alone")]),
    (dict[str, Never], [{}], [({"a": 1}, "/a: needs no value at all; got 1")]),
    (Annotated[int, without_point], [3], [(3.0, "(the whole): needs a whole number written without a decimal point; got 3.0")]),
    (Annotated[str, it.matches(ecma(r"\p{Lu}+"))], ["ÄÖ"], [("äö", r"(the whole): needs text that matches \p{Lu}+; got 'äö'")]),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "sound", "unsound"), FORMS)
def test_each_form(declared: Any, sound: list[Any], unsound: list[tuple[Any, str]]) -> None:
    gate: Gate[Any] = Gate(declared)
    document = gate.schema()
    judge = Gate.from_schema(document, formats="assert")
    for data in sound:
        value = gate.admit(data)
        assert gate.examine(data).value == value
        assert gate.release(value) == data
        assert judge.accepts(data)
    for data, told in unsound:
        assert str(gate.examine(data).faults[0]).startswith(told)
        assert not gate.accepts(data)
        assert not judge.accepts(data) or document.unstated
    assert not prove(gate, 250).disagreements
    for dialect in ("draft-07", "openapi-3.0", "openapi-3.1"):
        assert not prove(gate, 80, dialect=dialect).disagreements


def test_typed_dicts_that_come_typed_are_read_by_attribute() -> None:
    @obeys(this.low < this.high)
    class Span(TypedDict):
        low: Annotated[int, named("from")]
        high: Annotated[int, named("to")]

    gate = Gate(Span)
    assert Gate(Span, Source.NATIVE).admit({"low": 1, "high": 2}) == gate.admit({"from": 1, "to": 2})
    with pytest.raises(Refused, match="/from: needs a value below to; got 3"):
        gate.release({"low": 3, "high": 2})


def test_constants_of_one_value_and_two_types_are_two() -> None:
    """To Python 1 and True are equal, and `typing` gives back what it was given before."""
    assert Gate(Annotated[Any, it == 1]).accepts(True) is False
    assert Gate(Annotated[Any, it == True]).accepts(True) is True  # noqa: E712
    assert Gate(Annotated[Any, it.one_of([1], {"a": 1})]).accepts([True]) is False
    assert Gate(Annotated[Any, it.one_of([1], {"a": 1})]).accepts({"a": 1.0}) is True


def test_an_exclusive_union_that_holds_itself_costs_no_more_on_each_level() -> None:
    class Node(TypedDict):
        kids: NotRequired[Annotated[list[Tree] | list[Tree | int] | int, unambiguous]]

    Tree = Annotated[Node | Annotated[str, trimmed], unambiguous]
    gate: Gate[Any] = Gate(Tree, names={"Tree": Tree})
    data: Any = "x"
    for _ in range(20):
        data = {"kids": [data, 1]}
    assert gate.accepts(data)  # asked on each level anew, it would be asked a million times


def test_plain_data_stands_in_and_is_read() -> None:
    @dataclass
    class Sailing:
        ship: Annotated[Ship, if_absent(sent={"name": "Tern", "decks": 3})]

    gate = Gate(Sailing)
    assert gate.admit({}).ship == Ship("Tern", 3)
    assert gate.admit({}).ship is not gate.admit({}).ship
    assert Gate(Amendment[Sailing]).admit({"ship": {"name": "a"}}) == {"ship": {"name": "a"}}

    @dataclass
    class Unsound:
        ship: Annotated[Ship, if_absent(sent={"decks": 3})]

    with pytest.raises(DeclarationError, match="would be refused: needs a value"):
        Gate(Unsound)

    @dataclass
    class Endless:
        inner: Annotated[Endless, if_absent(sent={})]

    with pytest.raises(DeclarationError, match="stands in itself, without an end"):
        Gate(Endless, names={"Endless": Endless})
