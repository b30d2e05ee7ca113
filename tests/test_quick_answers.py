"""Quick functions answer three ways: surely refused, would leave keys out, in doubt. Only doubt ends a union."""

# Rooms: engine

from __future__ import annotations

import json
from collections import OrderedDict, UserDict, UserList
from collections.abc import Callable, Mapping
from dataclasses import dataclass, make_dataclass
from datetime import UTC, date, datetime
from enum import Enum
from random import Random
from types import MappingProxyType
from typing import Annotated, Any, Literal, TypedDict

import pytest

from any_declaration import any_declaration
from dutiful_gate import DeclarationError, Gate, Refused, Source, it, otherwise, secret, trimmed, unambiguous
from dutiful_gate.declare.facts import DROPS, REFUSED, UNSURE, Stop
from dutiful_gate.engine import own_functions
from dutiful_gate.engine.engine import Engine
from dutiful_gate.engine.plan import Plan
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.payloads import Payloads


class Port(Enum):
    QUILLPORT = "QLP"


class Text(str):
    __slots__ = ()


class Whole(int):
    __slots__ = ()


@dataclass
class Crate:
    low: int


@dataclass
class Pair:
    low: int
    high: int


class Loose(TypedDict):
    low: int


@dataclass
class Stack:
    size: int
    above: Stack | Crate | None = None


CONTAINERS: list[Callable[[dict[str, Any]], Any]] = [OrderedDict, MappingProxyType, UserDict, lambda held: type("D", (dict,), {})(held)]  # fmt: skip
LISTS: list[Callable[[list[Any]], Any]] = [tuple, lambda held: type("L", (list,), {})(held)]

UNIONS: list[tuple[Any, Any]] = [
    (Port | str, Text("QLP")),
    (Annotated[Port | str, unambiguous], Text("other")),
    (Literal["a", "b"] | str, Text("a")),
    (Literal[1, 2] | float, Whole(1)),
    *[(kind, make({"low": 3})) for kind in (Crate | Any, Pair | Crate, Loose | Any, Crate | dict[str, int], dict[str, int] | Any, Stack | Any) for make in CONTAINERS],
    *[(kind, make([1, 2])) for kind in (list[int] | Any, tuple[int, int] | Any, list[str] | list[int], set[int] | Any, dict[str, int] | list[int]) for make in LISTS],
    *[(Annotated[kind, unambiguous], make({"low": 3})) for kind in (Crate | str, Crate | Loose, Crate | Pair, Crate | dict[str, str]) for make in CONTAINERS],
    *[(Annotated[kind, unambiguous], make([1])) for kind in (list[int] | str, list[int] | tuple[int], list[int] | list[str]) for make in LISTS],
    (Annotated[datetime | int, unambiguous], "2016-12-31T23:59:60Z"),
    (Annotated[datetime | Annotated[str, it.length > 3], unambiguous], "2016-12-31T23:59:60Z"),
    *[(kind, make(held)) for kind in (list[Annotated[str, secret]], Annotated[int, secret]) for held, makes in (({"low": 3}, CONTAINERS), ([1], LISTS)) for make in makes],
    (datetime | str, "2016-12-31T23:59:60Z"),
    (date | str, "2026-02-31"),
    (list[datetime | str], ["2016-12-31T23:59:60Z", "x"]),
    (Annotated[int, otherwise(7)] | str, Text("x")),
]  # fmt: skip


def _told(value: Any) -> Any:
    return {name: _told(held) for name, held in value.items()} if isinstance(value, Mapping) else value


@pytest.mark.parametrize(("kind", "value"), UNIONS, ids=range(len(UNIONS)))
def test_every_road_reads_an_odd_class_alike(kind: Any, value: Any) -> None:
    """With an unknown key beside it, the telling function has the word: what is admitted and made is the same."""
    record = make_dataclass("Held", [("held", kind)])
    for declared, wrap in ((record, lambda held: {"held": held}), (list[record], lambda held: [{"held": held}])):  # type: ignore[valid-type]
        gate: Gate[Any] = Gate(declared)
        plain, more = wrap(value), wrap(value)
        (more if isinstance(more, dict) else more[0])["nobody declared it"] = 1
        verdict, beside = gate.examine(plain), gate.examine(more)
        assert gate.accepts(plain) == gate.accepts(more) == bool(verdict) == bool(beside)
        assert [fault.message for fault in verdict.faults] == [fault.message for fault in beside.faults]
        if verdict:
            assert repr(gate.admit(plain)) == repr(gate.admit(more)) == repr(verdict.value) == repr(beside.value)
        else:
            with pytest.raises(Refused):
                gate.admit(plain)


@pytest.mark.parametrize(("kind", "value"), UNIONS, ids=range(len(UNIONS)))
def test_an_odd_class_is_read_as_the_usual_one(kind: Any, value: Any) -> None:
    usual = _usual(value)
    gate: Gate[Any] = Gate(kind)
    verdict, wanted = gate.examine(value), gate.examine(usual)
    assert bool(verdict) == bool(wanted)
    assert [fault.message for fault in verdict.faults] == [fault.message for fault in wanted.faults]
    if wanted and not any(part is Any for part in getattr(kind, "__args__", ())):
        assert verdict.value == wanted.value


def _usual(value: Any) -> Any:
    if isinstance(value, Mapping):
        return dict(value)
    if isinstance(value, list | tuple | UserList):
        return list(value)
    return str(value) if isinstance(value, str) else int(value)


ANSWERS = [
    (Crate, {}, REFUSED), (Crate, {"low": "x"}, REFUSED), (Crate, [], REFUSED), (Crate, OrderedDict(low=1), UNSURE),
    (Crate, {"low": 1, "more": 2}, DROPS), (list[int], {}, REFUSED), (list[int], (1,), UNSURE), (list[int], ["x"], REFUSED),
    (Port, Text("QLP"), UNSURE), (Port, "?", REFUSED), (Literal["a"], Text("a"), UNSURE), (Literal["a"], 1, REFUSED),
    (list[Crate], [{"low": 1, "more": 2}], DROPS), (list[Crate], [OrderedDict(low=1)], UNSURE), (Annotated[str, trimmed, it.length > 1], " a ", REFUSED),
    (Crate | Pair, {"low": 1, "more": 2}, DROPS), (Crate | str, OrderedDict(low=1), UNSURE), (Crate | str, 3, REFUSED), (dict[str, int], OrderedDict(), UNSURE),
    (datetime, "2016-12-31T23:59:60Z", UNSURE), (Stack, {"size": 1, "above": OrderedDict(low=1)}, UNSURE), (Stack, {"size": 1, "above": {"low": "x"}}, REFUSED),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "value", "answer"), ANSWERS, ids=range(len(ANSWERS)))
def test_what_a_quick_function_answers(kind: Any, value: Any, answer: Stop) -> None:
    engine = Engine(Plan(Gate(kind).shape, Source.JSON), native=False)
    assert engine.sound_and_known(value) is answer


def test_quick_functions_are_alive() -> None:
    """On what the gate admits without a word, they give the value: else each would be slow, and nobody would know."""
    dead, asked = [], 0
    for seed in range(300):
        try:
            made, words = any_declaration(seed)
            gate: Gate[Any] = Gate(made, **words, native=False)
        except DeclarationError:
            continue
        makes = Payloads(gate.shape, Random(seed))
        for _ in range(4):
            try:
                payload = makes.make()
            except CannotSample:
                break
            verdict = gate.examine(payload)
            if not verdict or verdict.fallbacks or verdict.dropped or _has_odd(payload):
                continue
            asked += 1
            if gate._engine.sound(payload).__class__ is Stop:
                dead.append((seed, payload))
    assert asked > 500
    assert len(dead) <= asked // 20, dead[:5]


def _has_odd(data: Any) -> bool:
    """Whether a number is such as decoders may have changed, or a moment such as only the careful reader reads."""
    if isinstance(data, dict):
        return any(map(_has_odd, (*data, *data.values())))
    if isinstance(data, list):
        return any(map(_has_odd, data))
    return (isinstance(data, float) and abs(data) >= 2**63) or (isinstance(data, str) and ":60" in data)


@pytest.mark.parametrize("error", [NameError("gone"), UnboundLocalError("gone"), AttributeError("gone")])
def test_a_mistake_of_generated_code_is_loud_here(error: Exception) -> None:
    """Of a whole suite one test noticed a path that raised NameError at each call."""
    assert own_functions.LOUD, "set by conftest"
    source: dict[str, Any] = {"error": error}
    exec(compile("def sound(data):\n    raise error\n", "<gate Crate sound #0>", "exec"), source)
    try:
        source["sound"](1)
    except Exception as raised:
        with pytest.raises(own_functions.Passing):
            own_functions.given_up(raised)
    assert own_functions.given_up(ValueError()) is UNSURE
    assert own_functions.given_up(own_functions.Unread()) is REFUSED
    assert own_functions.given_up(AttributeError("of the data's own")) is UNSURE


def test_moments_of_a_leap_second_are_read_on_every_road() -> None:
    gate = Gate(Annotated[datetime | int, unambiguous])
    assert gate.admit("2016-12-31T23:59:60Z") == datetime(2017, 1, 1, tzinfo=UTC)
    assert gate.accepts(3)
    assert not gate.accepts("x")


def test_what_goes_out_is_told_apart_as_it_is_read_again() -> None:
    data = {"low": 3, "crates": 4}
    kind = Annotated[Crate | dict[str, int], unambiguous]
    strict: Gate[Any] = Gate(kind, unknown="refuse")
    open_: Gate[Any] = Gate(kind)
    assert strict.release(strict.admit(data)) == data
    assert json.loads(strict.release_json(strict.admit(data))) == data
    assert not strict.accepts({"low": 3})
    assert not open_.accepts(data), "without its unknown key it is a crate too"
    for gate, value in ((open_, data), (strict, {"low": 3}), (strict, Crate(3))):
        with pytest.raises(Refused):
            gate.release(value)
