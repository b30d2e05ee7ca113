"""Gates asked in any order, on any road: admit, examine, release, pickle, copy, JSON, CBOR; one answer to one question."""

# Rooms: gates, engine

from __future__ import annotations

import copy
import json
import os
import pickle
import warnings
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any

import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from any_declaration import Maker, any_declaration
from dutiful_gate import DeclarationError, Gate, Refused, Source, payloads
from dutiful_gate.prove.laws import is_sayable
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import Payloads
from dutiful_gate.sample.typed_values import Made
from dutiful_gate.shape.walk import uses_of


class Liar:
    @property
    def __class__(self) -> Any:
        raise OSError("not told")


class NoLength(list[Any]):
    def __len__(self) -> int:
        raise OSError("not told")


class NoHash(str):
    def __hash__(self) -> int:
        raise OSError("not told")


class NotEqual(int):
    def __eq__(self, other: object) -> bool:
        raise OSError("not told")

    __hash__ = int.__hash__


class NoItems(dict[Any, Any]):
    def items(self) -> Any:
        raise OSError("not told")

    def __getitem__(self, key: Any) -> Any:
        raise OSError("not told")


ODD_THINGS: list[Any] = [
    Liar(), NoLength([1]), NoHash("x"), NotEqual(3), NoItems(a=1), object(), b"x", bytearray(b"x"), {1: 2}, {None: 1}, {("a",): 1}, (1, 2),
    {1, 2}, frozenset(), range(3), Decimal("NaN"), Decimal("sNaN"), Decimal("1e999999"), float("nan"), float("inf"), -(10**400),
    datetime.min, datetime.max, date.max, timedelta.max, "\ud800", "a" * 5000, ["x"] * 200, {str(at): at for at in range(200)}, [[[[[[]]]]]],
    True, len, type, complex(1, 1), memoryview(b"x"), Exception("e"), {"a": float("nan")}, None,
]  # fmt: skip


def planted(data: Any, random: Random) -> Any:
    """The data with something odd somewhere in it."""
    if isinstance(data, dict) and data and random.random() < 0.8:
        key = random.choice(list(data))
        if random.random() < 0.15:
            return {**data, random.choice([1, None, "deck", ("t",)]): 5}
        return {**data, key: planted(data[key], random)}
    if isinstance(data, list) and data and random.random() < 0.8:
        at = random.randrange(len(data))
        return [*data[:at], planted(data[at], random), *data[at + 1 :]]
    return random.choice(ODD_THINGS)


def read_by_all_who_ask(gate: Gate[Any], data: Any) -> None:
    """One answer, and all that is said of it can be read."""
    verdict = gate.examine(data)
    assert gate.accepts(data) == bool(verdict)
    if not verdict:
        with pytest.raises(Refused) as caught:
            gate.admit(data)
        assert [fault.code for fault in caught.value.faults] == [fault.code for fault in verdict.faults]
        json.dumps(verdict.problem())
        again = pickle.loads(pickle.dumps(verdict))
        assert [fault.as_dict() for fault in again.faults] == [fault.as_dict() for fault in verdict.faults]
    else:
        admitted = gate.admit(data)
        if not any("0x" in text or "Itself" in text for text in (repr(admitted), repr(verdict.value))):
            assert repr(admitted) == repr(verdict.value)
    verdict.entered()
    verdict.by_field()
    try:
        gate.release_json(verdict.value if verdict else data)
    except Refused as refused:
        str(refused)


class Asking(RuleBasedStateMachine):
    """One gate of a random declaration, and data for it, asked in any order."""

    gate: Gate[Any]
    data: Any = None
    value: Any = None

    @initialize(seed=st.integers(0, 10**9))
    def build(self, seed: int) -> None:
        self.seed = seed
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            declared, words = any_declaration(seed)
            try:
                self.gate = Gate(declared, **words)
                self.names = words.get("names")
            except DeclarationError:
                self.gate, self.names = Gate(int), None
        self.random = Random(seed)
        self.edges = Edges(self.gate.shape, self.random)
        # What a number of fractions, a moment or an own function gives may differ from one time to the next.
        self.steady = not any("now" in str(part) for use in uses_of(self.gate.shape) for part in use.parts)
        self.next_data()

    @rule()
    def next_data(self) -> None:
        self.value = None
        try:
            self.data = Payloads(self.gate.shape, self.random).make()
        except CannotSample:
            self.data = None

    @rule()
    def spoil(self) -> None:
        self.data = self.edges.spoiled(self.gate.shape.root, self.data)
        self.value = None

    @rule()
    def ask(self) -> None:
        gate, data = self.gate, self.data
        verdict = gate.examine(data)
        assert gate.accepts(data) == bool(verdict) == (not verdict.faults)
        if verdict:
            self.value = verdict.value
            assert repr(gate.admit(data)) == repr(verdict.value)
            return
        with pytest.raises(Refused) as caught:
            gate.admit(data)
        assert [str(fault) for fault in caught.value.faults] == [str(fault) for fault in verdict.faults]
        assert caught.value.__context__ is None
        json.dumps([verdict.problem(), str(verdict.entered())])
        again = pickle.loads(pickle.dumps(verdict))
        assert [fault.code for fault in again.faults] == [fault.code for fault in verdict.faults]
        assert not [
            fault
            for fault in verdict.faults
            if "can be read" in fault.message and not fault.path and "something" in str(fault)
        ]

    @precondition(lambda self: is_sayable(self.data, True))
    @rule()
    def ask_raw(self) -> None:
        raw = json.dumps(self.data)
        decoded, text = self.gate.examine(self.data), self.gate.examine_json(raw)
        assert [(fault.path, fault.code) for fault in decoded.faults] == [
            (fault.path, fault.code) for fault in text.faults
        ]
        assert [fault.message for fault in decoded.faults] == [fault.message for fault in text.faults]
        if decoded:
            assert repr(decoded.value) == repr(text.value)
        assert not self.gate.examine_json(raw + "]")
        try:
            cbor = self.gate.examine_cbor(Gate(Any).release_cbor(self.data))
        except Refused:
            return
        assert [(fault.path, fault.code) for fault in cbor.faults] == [
            (fault.path, fault.code) for fault in decoded.faults
        ]

    @precondition(lambda self: self.value is not None)
    @rule()
    def release(self) -> None:
        raw = self.gate.release_json(self.value, secrets=True)
        assert json.loads(raw) == json.loads(self.gate.release_admitted_json(self.value, secrets=True))
        self.gate.release(self.value)

    @precondition(lambda self: self.value is not None)
    @rule()
    def release_made(self) -> None:
        made = Made(self.gate.shape, self.random).of(self.gate.shape.root, self.value)
        try:
            json.loads(self.gate.release_json(made, secrets=True))
        except Refused as refused:
            str(refused)

    @rule()
    def copies(self) -> None:
        assert copy.copy(self.gate) is copy.deepcopy(self.gate) is self.gate
        raised = ""
        try:
            again = pickle.loads(pickle.dumps(self.gate))
        except pickle.PicklingError as error:
            raised = str(error)
        if raised:
            assert "cannot travel" in raised
            return
        assert again.schema() == self.gate.schema()
        assert again.accepts(self.data) == self.gate.accepts(self.data)

    @rule(source=st.sampled_from(Source))
    def ask_elsewhere(self, source: Source) -> None:
        gate: Gate[Any] = Gate(
            self.gate.declared, source, keys=self.gate.keys, lenient=self.gate.lenient, names=self.names
        )
        verdict = gate.examine(self.data)
        assert gate.accepts(self.data) == bool(verdict)
        gate.examine(self.value)

    @rule(source=st.sampled_from(Source))
    def plant(self, source: Source) -> None:
        words = {
            "keys": self.gate.keys,
            "lenient": self.gate.lenient,
            "unknown": self.gate.unknown,
            "names": self.names,
        }
        read_by_all_who_ask(Gate(self.gate.declared, source, **words), planted(self.data, self.random))

    @invariant()
    def speaks(self) -> None:
        assert repr(self.gate).startswith("<Gate ")


Asking.TestCase.settings = settings(
    max_examples=int(os.environ.get("STATES", "25")), stateful_step_count=12, deadline=None
)
test_gates_in_any_order = Asking.TestCase


def test_random_declarations_know_every_construct() -> None:
    """Each type, rule, step, mark and record rule is made by some of the first few hundred seeds."""
    texts = []
    for seed in range(1000):
        declared, words = any_declaration(seed)
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                gate: Gate[Any] = Gate(declared, **words)
        except DeclarationError:
            continue
        texts.append(f"{gate.shape!r} {words}")
    whole = "\n".join(texts)
    missing = [word for word in CONSTRUCTS if word not in whole]
    assert not missing
    assert Maker(1).declaration is not None


CONSTRUCTS = [
    "Text()", "Whole()", "Number()", "Truth()", "MomentKind()", "UtcMoment()", "LocalMoment()", "Day()", "Exact()", "ExactAsText()", "Anything(",
    "AnyNumber()", "Epoch(", "Formed(", "Flags(", "Lenient(", "'UUID'", "'binary value'", "'time'", "'duration'", "'path'", "'time zone'",
    "'IPv4 address'", "'IPv6 address'", "'IPv4 network'", "Choice(", "Nothing()", "Items(", "'deque'", "'set'", "'frozenset'", "'tuple'", "Fixed(",
    "Entries(", "Branches(", "held='data'", "tag='kind'", "Nullable(", "Link(", "Alias(", "form='dict'", "form='tuple'", "form='object'", "only_given=True",
    "also=('other_", "may_lack=True", "mends=True", "rests=(Field", "(Field(attribute='ours'", "alone=True", "Nobody()", "WholeAsWritten()", "HasEcma(", "tail=Use(", "unknown='refuse'", "unknown='drop'", "computed=(Field", "runs_own=True", "recursive=frozenset({'Stack'",
    "Floor(", "Ceiling(", "Between(", "Equal(", "OneOf(", "Length(", "barred=", "Matches(", "Has(", "StartsWith(", "EndsWith(", "Contains(", "Multiple(",
    "Distinct(key=None", "Distinct(key='low'", "Distinct(key=<built-in function repr>", "Holds(", "OfFormat(", "now", "today",
    "word='trimmed'", "word='squeezed'", "word='lowered'", "word='uppered'", "RoundedTo(", "_InUtc(", "Then(", "split=','", "via=Use(", "blank=True",
    "fallback=6", "secret=True", "documents=(BesideType(", "says='a number, please'", "deprecated=True", "FieldComparison(", "/ this.low", "% this.low", "timedelta(",
    "Needs(", "WhenRule(", "word='at_least_one'", "word='at_most_one'", "word='exactly_one'", "word='all_or_none'", "RecordCheck(", "Sent(",
    "'keys': <function camel", "'keys': <function kebab", "'lenient': True", "'unknown': 'refuse'", "name='SwappedOf", "name='ListedOf", "name='LooseOf",
]  # fmt: skip


@pytest.mark.parametrize("seed", range(40))
def test_functions_that_are_written_when_they_are_met_do_the_same(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of large shapes; here of any, in one order and in another."""
    declared, words = any_declaration(seed)
    random = Random(seed)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        at_once: Gate[Any] = Gate(declared, **words)
        at_once.accepts(None)
        at_once.examine(None)  # now all of its functions are written
        whole = at_once.source
        monkeypatch.setattr("dutiful_gate.engine.later._AT_ONCE", -1)
        met: Gate[Any] = Gate(declared, **words)
    try:
        sound = payloads(at_once, 4, seed)
    except CannotSample:
        return
    edges = Edges(at_once.shape, random)
    data = [*sound, *(edges.spoiled(at_once.shape.root, random.choice(sound)) for _ in range(30))]
    random.shuffle(data)
    for each in data:
        first, other = at_once.examine(each), met.examine(each)
        assert (bool(first), first.dropped, list(map(str, first.faults))) == (
            bool(other),
            other.dropped,
            list(map(str, other.faults)),
        )
        assert met.accepts(each) == bool(first)
    assert met.source.count("\ndef ") == whole.count("\ndef "), "all of it is shown, met or not"


def test_a_class_that_changes_is_noticed_by_functions_that_are_written_later(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("dutiful_gate.engine.later._AT_ONCE", -1)

    @dataclass
    class Berth:
        number: int
        next: "Berth | None" = None  # noqa: UP037

    gate = Gate(Berth)
    deep = {"number": 1, "next": {"number": 2}}
    assert gate.admit(deep) == Berth(1, Berth(2))

    def made(self: Any, number: int, next: Any = None) -> None:
        self.number, self.next = number * 10, next

    Berth.__init__ = made  # type: ignore[method-assign]
    assert gate.admit(deep).next.number == 20  # type: ignore[union-attr]
    assert gate.examine({**deep, "colour": 1}).value.number == 10
