"""Types of the developer's own: read, written, compared, sampled and documented by what is said of them."""

# Rooms: declare, shape, engine, document, sample

from __future__ import annotations

import json
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Annotated, Any, NamedTuple

import pytest

from dutiful_gate import DeclarationError, Gate, Refused, Sealed, Source, it, otherwise, split_on, then, trimmed, via
from dutiful_gate.engine.native.core import core
from dutiful_gate.prove.proof import prove


class Spot:
    """A place on a chart: no dataclass, and nothing that a gate knows."""

    def __init__(self, east: float, north: float) -> None:
        self.east, self.north = east, north

    @classmethod
    def of(cls, parts: list[float]) -> Spot:
        if len(parts) != 2:
            raise ValueError("needs two numbers")
        return cls(*parts)

    def parts(self) -> list[float]:
        return [self.east, self.north]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Spot) and self.parts() == other.parts()

    def __hash__(self) -> int:
        return hash(tuple(self.parts()))

    def __lt__(self, other: Spot) -> bool:
        return self.parts() < other.parts()


Position = Annotated[Spot, via(list[float], made=Spot.of, back=Spot.parts, samples=[[1, 2]])]


@via(Annotated[str, trimmed, it.matches(r"[0-9]+ kg")], back=lambda weight: f"{weight.kg} kg", samples=["12 kg"])
class Weight:
    """Made by itself, of its text."""

    def __init__(self, text: str) -> None:
        self.kg = int(text.split()[0])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Weight) and self.kg == other.kg

    def __hash__(self) -> int:
        return self.kg


class Amount(NamedTuple):
    """Money as clients send it."""

    cents: int
    currency: Annotated[str, it.matches("[A-Z]{3}")]


@dataclass(frozen=True)
class Fare:
    """Money as the program has it."""

    sum: Decimal
    currency: str


def fare_of(amount: Amount) -> Fare:
    return Fare(Decimal(amount.cents) / 100, amount.currency)


def amount_of(fare: Fare) -> Amount:
    return Amount(int(fare.sum * 100), fare.currency)


Money = Annotated[Fare, via(Amount, made=fare_of, back=amount_of)]


@dataclass
class Leg:
    at: Position
    load: Weight
    fare: Money
    hexadecimal: Annotated[str, then(lambda text: int(text, 16), back=hex), it < 256]
    way: Annotated[list[Position], it.length <= 3] = field(default_factory=list)
    by_load: dict[Weight, int] = field(default_factory=dict)
    kinds: set[Weight] = field(default_factory=set)
    either: Position | Weight | int | None = None
    hidden: Sealed[Weight] | None = None
    tags: Annotated[list[str], split_on(";")] = field(default_factory=list)


SENT: dict[str, Any] = {
    "at": [1, 2.5], "load": " 12 kg", "fare": {"cents": 1250, "currency": "EUR"}, "way": [[0, 0], [3, 4]], "by_load": {"3 kg": 1},
    "kinds": ["1 kg", "2 kg"], "either": "7 kg", "hidden": "9 kg", "tags": "a; b", "hexadecimal": "0xff",
}  # fmt: skip
GOES_OUT = {**SENT, "at": [1.0, 2.5], "load": "12 kg", "way": [[0.0, 0.0], [3.0, 4.0]], "tags": "a;b"}


def gates(declared: Any, *words: Any) -> list[Gate[Any]]:
    return [Gate(declared, *words), *([Gate(declared, *words, native=False)] if core()[0] is not None else [])]


def test_what_comes_in_goes_out_by_every_road() -> None:
    for gate in gates(Leg):
        leg = gate.admit(SENT)
        assert (leg.at, leg.load.kg, leg.fare) == (Spot(1.0, 2.5), 12, Fare(Decimal("12.5"), "EUR"))
        assert (leg.either, leg.by_load, leg.tags) == (Weight("7 kg"), {Weight("3 kg"): 1}, ["a", "b"])
        assert leg.hidden is not None
        assert leg.hidden.opened() == Weight("9 kg")
        out = {**GOES_OUT, "hexadecimal": "0xff"}
        shown = {key: held for key, held in out.items() if key != "hidden"}
        assert gate.release(leg, secrets=True) == gate.release_admitted(leg, secrets=True) == out
        for raw in (gate.release_json(leg), gate.release_admitted_json(leg)):
            assert json.loads(raw) == shown
        assert gate.admit_json(gate.release_json(leg, secrets=True)).at == leg.at
        assert Gate(Leg, Source.NATIVE).admit(leg).fare == leg.fare
        assert [rule.rule for rule in gate.one_way] == []


@pytest.mark.parametrize(
    ("changed", "told"),
    [
        ({"at": [1]}, "/at: needs two numbers"),
        ({"at": [1, "x"]}, "/at/1: needs a number; got the text 'x'"),
        ({"load": "x"}, "/load: needs text that matches [0-9]+ kg; got 'x'"),
        ({"fare": {"cents": 1, "currency": "eur"}}, "/fare/currency: needs text that matches [A-Z]{3}; got 'eur'"),
        ({"way": [[1, 2], [3]]}, "/way/1: needs two numbers"),
        ({"by_load": {"x": 1}}, "/by_load/x: its key needs text that matches [0-9]+ kg; got 'x'"),
        ({"kinds": ["1 kg", "1 kg"]}, "/kinds: needs items that differ"),
        ({"hidden": "x"}, "/hidden: needs text that matches [0-9]+ kg; got a hidden value"),
        ({"hexadecimal": "0x100"}, "/hexadecimal: needs a value below 256"),
    ],
)
def test_faults_stand_where_they_are(changed: dict[str, Any], told: str) -> None:
    for gate in gates(Leg):
        faults = [str(fault) for fault in gate.examine({**SENT, **changed}).faults]
        assert len(faults) == 1
        assert faults[0].startswith(told)


@pytest.mark.parametrize(
    ("attribute", "value", "path", "words"),
    [
        ("at", 7, "/at", "a value of the class Spot"),
        ("at", Spot("x", 1), "/at/0", "a number"),  # type: ignore[arg-type]
        ("load", "12 kg", "/load", "a value of the class Weight"),
        ("fare", Fare(Decimal(1), "eur"), "/fare/currency", "[A-Z]{3}"),
        ("way", [Spot(1, 2), None], "/way/1", "a value of the class Spot"),
        ("tags", ["a;b"], "/tags", "items without ';' in them"),
    ],
)
def test_what_code_made_is_judged_before_it_goes_out(attribute: str, value: Any, path: str, words: str) -> None:
    for gate in gates(Leg):
        leg = gate.admit(SENT)
        setattr(leg, attribute, value)
        for release in (gate.release, gate.release_json):
            with pytest.raises(Refused) as refused:
                release(leg)
            assert [fault.pointer for fault in refused.value.verdict.faults] == [path]
            assert words in refused.value.verdict.faults[0].message


def test_documents_say_what_comes_and_what_goes_out() -> None:
    for of in ("send", "release"):
        document = Gate(Leg).schema(of=of)  # type: ignore[arg-type]
        properties = document["$defs"]["Leg"]["properties"]
        assert properties["at"] == {"type": "array", "items": {"type": "number"}}
        assert properties["load"]["type"] == properties["tags"]["type"] == properties["hexadecimal"]["type"] == "string"
    assert {rule.rule for rule in Gate(Position).schema().unstated} == {"made by of"}  # type: ignore[arg-type,var-annotated]
    assert Gate(Position).schema(of="release").unstated == ()  # type: ignore[arg-type,var-annotated]
    one_way = Gate(Annotated[Spot, via(list[float], made=Spot.of)])  # type: ignore[arg-type,var-annotated]
    assert [rule.rule for rule in one_way.one_way] == ["made by of"]
    assert [rule.rule for rule in one_way.schema(of="release").unstated] == ["made by of"]


@pytest.mark.parametrize("declared", [Position, Weight, Money, Leg, Annotated[Position, it < Spot(5, 5)]])
def test_the_laws_hold(declared: Any) -> None:
    proof = prove(Gate(declared), 300, 7)
    assert not proof.disagreements
    assert proof.admitted > 20, "samples are sound"


def test_rules_judge_the_value_that_was_made() -> None:
    for gate in gates(Annotated[Position, it != Spot(0, 0)]):
        assert gate.accepts([0, 1])
        assert not gate.accepts([0, 0])
        with pytest.raises(Refused):
            gate.release(Spot(0, 0))


def test_what_makes_another_class_is_a_mistake_and_so_is_what_raises() -> None:
    wrong: list[tuple[Any, type[Exception], str]] = [
        (Annotated[Spot, via(str, made=len)], TypeError, "len gave back a value of the class int, not of Spot"),
        (Annotated[Spot, via(str, made=lambda text: 1 / 0)], ZeroDivisionError, "division"),
    ]
    for declared, error, words in wrong:
        for gate in gates(declared):
            with pytest.raises(error, match=words):
                gate.admit("x")


def test_in_a_secret_what_goes_wrong_names_the_function_alone() -> None:
    for gate in gates(Sealed[Annotated[Spot, via(str, made=len)]]):
        with pytest.raises(RuntimeError, match=r"^len raised TypeError .* its words are withheld$"):
            gate.admit("1234")


def nothing_waits(value: Any) -> Any:
    return value


async def waits(value: Any) -> Any:
    return value


@via(str, back=str)
class Unlike:
    """No two of its values are equal."""

    def __init__(self, text: str) -> None:
        self.text = text


@dataclass(eq=False)
class Row:
    """The same of a record."""

    number: int


def test_beside_a_class_that_makes_its_values_itself_a_way_back_will_do() -> None:
    told = via(Annotated[str, it.matches(r"[0-9]+ kg")], back=lambda weight: f"{weight.kg} kg")
    for declared in (Annotated[Bare, told], Annotated[Bare | None, told]):
        for gate in gates(declared):
            assert gate.release(gate.admit("12 kg")) == "12 kg"
            assert [fault.code for fault in gate.examine("twelve").faults] == ["pattern"]
    assert Gate(Annotated[list[Unlike], it.distinct.by("text")]).admit(["a", "b"])


class Bare(Weight):
    """What stands above its base is not said of it."""


@pytest.mark.parametrize(
    ("make", "words"),
    [
        (lambda: via(str, made=3), "needs a function"),  # type: ignore[arg-type]
        (lambda: via(str, made=waits), "async"),
        (lambda: via(str, made=nothing_waits, back=waits), "async"),
        (lambda: then(nothing_waits, back=3), "needs a function"),  # type: ignore[arg-type]
        (lambda: via(str, made=nothing_waits, samples="ab"), "a list of plain data"),
        (lambda: via(str, made=lambda: 1), "1 value"),  # type: ignore[arg-type]
        (lambda: via(str)(3), "no class"),  # type: ignore[arg-type]
        (lambda: Gate(Annotated[Spot, via(list[float] | None, made=Spot.of)]), "may be null"),  # type: ignore[arg-type]
        (lambda: Gate(Annotated[Spot, via(str)]), "via"),  # type: ignore[arg-type]
        (lambda: Gate(Annotated[Weight, via(str, trimmed)]), "above the class"),
        (lambda: Gate(list[Annotated[Spot, via(list[float], made=Spot.of, samples=[[1]])]]), "example.*two numbers"),
        (lambda: Gate(Annotated[Spot, via]), "not called"),  # type: ignore[arg-type]
        (lambda: Gate(Annotated[Spot, via(list[float], back=Spot.parts)]), "1 value"),  # type: ignore[arg-type]
        (lambda: Gate(Annotated[list[Unlike], it.distinct]), "Unlike are ever equal.*__eq__"),  # type: ignore[arg-type]
        (lambda: Gate(frozenset[Unlike | int]), "Unlike are ever equal"),
        (lambda: Gate(Annotated[list[Row | None], it.distinct]), "Row are ever equal.*eq=False"),  # type: ignore[arg-type]
    ],
)
def test_what_is_misdeclared_is_told(make: Any, words: str) -> None:
    with pytest.raises(DeclarationError, match=words):
        make()


def test_null_and_what_stands_in_stay_what_they_are() -> None:
    declared = Annotated[Spot | None, via(list[float], made=Spot.of, back=Spot.parts), otherwise(Spot(0, 0))]
    for gate in gates(declared):
        assert gate.admit(None) is None
        assert gate.admit([1]) == Spot(0, 0)
        assert gate.release(None) is None
        assert gate.release(gate.admit("x")) == [0, 0]
