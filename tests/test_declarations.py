"""Nonsense is refused when the gate is built, naming the record, the field and the remedy; sense is understood."""

# Rooms: shape, declare, engine

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from enum import Enum
from typing import Annotated, Any, Literal, NewType

import pytest

from dutiful_gate import (
    DeclarationError,
    Email,
    Gate,
    Limits,
    Source,
    about,
    it,
    named,
    obeys,
    or_infinite,
    otherwise,
    this,
    today,
    trimmed,
    uppered,
    when,
)
from dutiful_gate.web.forms.inputs import attributes_of


def declared(annotation: Any, **more: Any) -> type:
    """A record `Sailing` with one field, `berth`."""
    return dataclass(type("Sailing", (), {"__annotations__": {"berth": annotation}, "__module__": __name__, **more}))


NONSENSE: list[tuple[Any, str]] = [
    (
        Annotated[int, it.length > 2],
        r"it\.length > 2 makes no sense for a whole number; bound the value itself, as in it <=",
    ),
    (Annotated[list[int], it > 2], r"it > 2 makes no sense for a list; bound its length with it\.length"),
    (Annotated[bool, it > 0], r"it > 0 makes no sense for a boolean; it has no order"),
    (Annotated[str, it >= "a"], r"makes no sense for a text; bound its length with it\.length"),
    (Annotated[int, it.between(9, 1)], r"it\.between\(9, 1\) is upside down.*swap the two: between\(1, 9\)"),
    (Annotated[str, it.length.between(9, 1)], r"upside down"),
    (Annotated[int, it > 5, it < 5], r"nothing can pass both it > 5 and it < 5: the range is upside down"),
    (Annotated[int, it >= 5, it.between(1, 4)], r"nothing can pass both"),
    (Annotated[str, it.length >= 5, it.length < 5], r"nothing can pass both"),
    (Annotated[str, it.length < 0], r"no length is below 0"),
    (Annotated[int, it > "1"], r"it > '1' compares a whole number with '1'; write the bound as a whole number"),
    (Annotated[int, it > True], r"compares a whole number with True"),
    (Annotated[float, it > float("nan")], r"names NaN, which JSON does not have"),
    (Annotated[datetime, it > date(2026, 5, 4)], r"compares a date-time with"),
    (Annotated[date, it > datetime(2026, 5, 4)], r"compares a date with"),
    (Annotated[datetime, it > datetime(2026, 5, 4)], r"has no offset; give the bound one"),
    (Annotated[int, it == "1"], r"they are never equal"),
    (Annotated[str, it != 1], r"they always differ"),
    (Annotated[str, it.one_of()], r"leaves no choice"),
    (Annotated[str, it.one_of("a", 1)], r"offers 1, which is not text"),
    (Annotated[list[str], it.one_of("a")], r"makes no sense for a list"),
    (Annotated[str, it.matches("[a-z")], r"is no regular expression.*mend the expression"),
    (Annotated[int, it.matches("1")], r"a pattern judges text"),
    (Annotated[int, trimmed], r"trimmed works on text, not on a whole number; leave it out"),
    (Annotated[Email, it > 1], r"makes no sense for a text"),
    (Annotated[int, it], r"it alone is no rule; compare it with something"),
    (Annotated[int, it.length], r"it\.length alone is no rule"),
    (Annotated[int, it.between], r"between was named but not called"),
    (Annotated[int, about], r"about was named but not called"),
    (Annotated[int, this.berth > 1], r"is a rule of a whole record; put it in @obeys"),
    (Annotated[int, this.berth], r"rules of `this` stand in @obeys"),
    (list, r"list is no type that a gate can read; say what it holds, as in list\[str\]"),
    (complex, r"complex is no type that a gate can read; JSON has no complex numbers"),
    (object(), r"is no type that a gate can read"),
    (set[list[int]], r"cannot be an item of a set; declare a list with it.distinct"),
    (dict[tuple[int, ...], int], r"cannot be a key of a JSON object"),
    (Literal[b"x"], r"is no value of JSON: a value of the type bytes"),
    (Literal["\ud800"], r"is no value of JSON: a lone surrogate; use text, numbers, true, false or null"),
    (
        Annotated[float, or_infinite, it < float("inf")],
        r"it < inf names infinity, which JSON does not have; leave the rule out",
    ),
    (Annotated[Decimal, it == Decimal("NaN")], r"names NaN"),
    (Annotated[int, it < 10**5000], r"a rule names a number of more than 4300 digits"),
    (Annotated[Any, it == [1, {"a": float("nan")}]], r"names NaN"),
    (Annotated[str, it.one_of("a", "\ud800")], r"names a lone surrogate"),
    (Annotated[str, about(title="\ud800")], r"the title .* holds a lone surrogate; UTF-8 has no form for it"),
    (Annotated[int, named("\ud800")], r"the name in the data .* holds a lone surrogate"),
    (Annotated[int, about(examples=[1, "x"])], r"the example 'x' would be refused: needs a whole number"),
]


@pytest.mark.parametrize(("annotation", "message"), NONSENSE)
def test_nonsense_beside_a_type(annotation: Any, message: str) -> None:
    with pytest.raises(DeclarationError, match=message) as caught:
        Gate(declared(annotation))
    assert str(caught.value).startswith("Sailing.berth: ")
    assert (caught.value.record, caught.value.field) == ("Sailing", "berth")


@pytest.mark.parametrize(
    "constant", [float("nan"), float("inf"), 10**5000, "\ud800", [1, {"a": float("nan")}]], ids=range(5)
)
def test_a_rule_of_fields_names_nothing_that_json_lacks(constant: Any) -> None:
    for rule in (lambda: this.berth != constant, lambda: this.berth + constant, lambda: when(this.berth == constant)):
        with pytest.raises(DeclarationError, match=r"a rule of fields names .*, which JSON does not have"):
            rule()


@dataclass(eq=False)
class Named:
    """Compared by its fields, where its class says that no two are equal."""

    name: Annotated[str, trimmed]


DEFAULTS: list[tuple[Any, Any, str]] = [
    (Annotated[int, it > 3], 3, r"the default 3 breaks its own rule: needs a whole number above 3; got 3; change"),
    (int, "3", r"the default '3' breaks its own rule: needs a whole number; got the text '3'"),
    (int, None, r"the default null breaks"),
    (Literal["a", "b"], "c", r"needs one of a, b"),
    (Annotated[str, uppered], "qlp", r"its steps make 'QLP' of it; write that"),
    (datetime, datetime(2026, 5, 4), r"with an offset"),
    (Annotated[list[int], it.length > 0], field(default_factory=list), r"needs at least 1 item; got 0"),
    (Annotated[list[int], otherwise([0])], (1, "x"), r"its steps make a list of 1 item of it"),
    (
        Annotated[dict[str, int], it.length > 3, otherwise({})],
        field(default_factory=lambda: {"a": 1}),
        r"make a record of 0 keys of it",
    ),
    (Named, field(default_factory=lambda: Named(" Quillport ")), r"its steps make a record of it"),
]


def test_a_default_that_equals_nothing_is_compared_by_its_fields() -> None:
    gate = Gate(declared(Named, berth=field(default_factory=lambda: Named("Quillport"))))
    assert gate.admit({}).berth.name == "Quillport"


@pytest.mark.parametrize(("annotation", "default", "message"), DEFAULTS)
def test_defaults_obey_their_own_rules(annotation: Any, default: Any, message: str) -> None:
    with pytest.raises(DeclarationError, match=message) as caught:
        Gate(declared(annotation, berth=default))
    assert (caught.value.record, caught.value.field) == ("Sailing", "berth")


@pytest.mark.parametrize(
    "chained",
    [
        lambda: 0 < it < 5,
        lambda: 0 < it.length <= 5,
        lambda: this.a < this.b < this.c,
        lambda: (it > 0) and (it < 5),
        lambda: not it,
        lambda: bool(this.a),
    ],
)
def test_a_rule_has_no_truth_value(chained: Callable[[], object]) -> None:
    with pytest.raises(DeclarationError, match="truth value"):
        chained()


@dataclass
class Chained:
    berth: Annotated[int, 0 < it < 5]


@dataclass
class Misspelt:
    fine: int
    berth: Annotated[Brth, it > 0]  # type: ignore[name-defined]  # noqa: F821


def test_postponed_annotations_that_fail_name_their_field() -> None:
    with pytest.raises(DeclarationError, match=r"^Chained\.berth: .*truth value.*write it\.between\(low, high\)"):
        Gate(Chained)
    with pytest.raises(DeclarationError, match=r"^Misspelt\.berth: .*'Brth'.*names=\{'Brth': Brth\}"):
        Gate(Misspelt)


def test_types_declared_inside_a_function() -> None:
    @dataclass
    class Berth:
        number: Annotated[int, it > 0]

    @dataclass
    class Sailing:
        berth: Berth
        spare: list[Berth] = field(default_factory=list)

    assert Gate(Sailing).admit({"berth": {"number": 2}}) == Sailing(Berth(2))

    def elsewhere() -> Gate[Sailing]:
        return Gate(Sailing)

    with pytest.raises(DeclarationError, match=r"^Sailing\.berth: .*hand it to the gate"):
        elsewhere()

    def with_names() -> Gate[Sailing]:
        return Gate(Sailing, names={"Berth": Berth})

    assert with_names().accepts({"berth": {"number": 2}})


def test_rules_of_a_record() -> None:
    with pytest.raises(DeclarationError, match=r"^Sailing\.berht: this\.berht > 1 names 'berht'.*this\.berth\?"):
        Gate(obeys(this.berht > 1)(declared(int)))
    with pytest.raises(DeclarationError, match=r"this\.berth > this\.berth compares true or false, which has no order"):
        Gate(obeys(this.berth > this.berth)(declared(bool)))
    with pytest.raises(DeclarationError, match=r"compares a whole number with 'x'"):
        Gate(obeys(this.berth > "x")(declared(int)))
    with pytest.raises(DeclarationError, match="no rule of a record"):
        obeys(it > 1)  # type: ignore[arg-type]

    @obeys(this.opens < this.closes)
    @dataclass(slots=True)
    class Above:
        opens: int
        closes: date

    with pytest.raises(DeclarationError, match="compares a whole number with a date"):
        Gate(Above)


@pytest.mark.parametrize(
    "wrong",
    [lambda: Gate(int, unknown="ignore"), lambda: Gate(int, "json"), lambda: Gate("Cargo")],  # type: ignore[arg-type,call-overload]
)
def test_words_a_gate_does_not_know(wrong: Callable[[], object]) -> None:
    with pytest.raises(DeclarationError):
        wrong()


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = "OST"


Number = NewType("Number", int)
Code = Annotated[str, trimmed, uppered, it.matches("[A-Z]{3}")]


@dataclass(frozen=True)
class Frozen:
    code: Code
    again: Annotated[Code | None, it != "QLP"] = None
    seen: int = field(default=7, init=False)


@dataclass(kw_only=True)
class Careful:
    berth: Number
    halves: int = 0

    def __post_init__(self) -> None:
        if self.berth == 13:
            raise ValueError("berth 13 is never used")
        self.halves = self.berth * 2


@dataclass
class ByHand:
    berth: int

    def __init__(self, berth: int) -> None:
        self.berth = berth + 100


def test_every_way_to_write_a_record() -> None:
    assert Gate(Frozen).admit({"code": " ost", "again": "fnk", "seen": 1}) == Frozen("OST", "FNK")
    assert [fault.pointer for fault in Gate(Frozen).examine({"code": "ost", "again": "qlp"}).faults] == ["/again"]
    assert Gate(Careful).admit({"berth": 4}).halves == 8
    fault = Gate(Careful).examine({"berth": 13}).faults[0]
    assert (fault.pointer, fault.code, fault.message) == ("", "check", "berth 13 is never used")
    assert Gate(ByHand).admit({"berth": 1}).berth == 101, "a constructor of one's own is called"
    assert Gate(ByHand).admit({"berth": 1.0, "x": 2}).berth == 101
    assert Gate(Annotated[list[Port], it.length <= 2]).admit(["OST"]) == [Port.OSTREY]
    assert Gate(int | None).admit(None) is None
    assert Gate(Annotated[int, "other tools' words", object()]).admit(3) == 3


def test_names_from_outside_never_become_code() -> None:
    names = ["data", "faults", "path", "log", "len", "str", "isinstance", "v_data", "REFUSED", "Stop", "new", "π", "_x"]
    made = dataclass(type("REFUSED", (), {"__annotations__": dict.fromkeys(names, int), "__module__": __name__}))
    payload = {name: number for number, name in enumerate(names)}
    for gate in (Gate(made), Gate(made, unknown="refuse"), Gate(made, Source.NATIVE)):
        value = gate.admit(payload)
        assert {name: getattr(value, name) for name in names} == payload
        faults = gate.examine(dict.fromkeys(names, "x")).faults
        assert [fault.path for fault in faults] == [(name,) for name in names]
    hostile = "x']\nraise SystemExit"
    assert [fault.path for fault in Gate(made, unknown="refuse").examine({**payload, hostile: 1}).faults] == [
        (hostile,)
    ]


def _nothing(self: Any) -> None: ...


def _another(self: Any, quay: str = "h1dden") -> None: ...


def _by_position(self: Any, berth: int, /) -> None: ...


def _one_more(self: Any, berth: int, quay: str) -> None: ...


def _fitting(self: Any, berth: int, quay: str = "") -> None:
    self.berth = berth


def _any(self: Any, **held: Any) -> None:
    self.berth = held["berth"]


@pytest.mark.parametrize("init", [None, _nothing, _another, _by_position, _one_more, _fitting, _any])
def test_a_constructor_that_does_not_take_the_fields_is_told_when_the_gate_is_built(init: Any) -> None:
    """It raised a TypeError at the first sound data."""
    body = {"__annotations__": {"berth": int}, **({"__init__": init} if init is not None else {})}
    sailing: Any = dataclass(type("Sailing", (), body), init=False)  # type: ignore[call-overload]
    if init in (_fitting, _any):
        assert Gate(sailing).admit({"berth": 3}).berth == 3
        return
    with pytest.raises(
        DeclarationError, match="no value can be made of its fields berth: its constructor takes"
    ) as told:
        Gate(sailing)
    assert "h1dden" not in str(told.value)


@pytest.mark.parametrize(
    ("rule", "attributes"),
    [
        (it >= today, {}),  # no browser knows when the form was made
        (it.between(date(2026, 5, 4), date(2026, 5, 9)), {"min": "2026-05-04", "max": "2026-05-09"}),
        (it <= date(2026, 5, 9), {"max": "2026-05-09"}),
        (it > date(2026, 5, 4), {}),
    ],
)
def test_a_browser_asks_for_bounds_that_are_days(rule: Any, attributes: dict[str, str]) -> None:
    assert dict(attributes_of(Gate(Annotated[date, rule]).shape.root, "date")) == attributes


def test_an_empty_tuple_is_one_level() -> None:
    inner: Any = tuple[()]
    for _ in range(3):
        inner = list[inner]
    data: Any = []
    for _ in range(3):
        data = [data]
    assert Gate(inner, limits=Limits(depth=4)).accepts(data)
    assert [fault.code for fault in Gate(inner, limits=Limits(depth=3)).examine(data).faults] == ["depth"]
