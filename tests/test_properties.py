"""What holds for every declaration, tried on declarations and data that nobody thought of."""

# Rooms: engine, declare

from __future__ import annotations

import json
import re
from dataclasses import field, make_dataclass
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal
from enum import Enum
from itertools import islice
from typing import Annotated, Any, Literal
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import any_declaration
from dutiful_gate import (
    CannotSample,
    DeclarationError,
    Gate,
    Refused,
    Source,
    camel,
    it,
    lowered,
    otherwise,
    payloads,
    probes,
    secret,
    trimmed,
    uppered,
)
from dutiful_gate.declare.facts import Stop
from dutiful_gate.shape.walk import uses_of


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = 2


Pair = tuple[Any, st.SearchStrategy[Any]]
OFFSETS = st.sampled_from([UTC, timezone(timedelta(hours=2)), timezone(timedelta(hours=-9, minutes=-30))])
TEXTS = st.text(st.characters(exclude_categories=["Cs"]), max_size=6)
DURATIONS = st.timedeltas(timedelta(days=-90_000_000), timedelta(days=90_000_000))

SINGLE: list[Pair] = [
    (str, TEXTS),
    (int, st.integers()),
    (float, st.floats(allow_nan=False, allow_infinity=False)),
    (bool, st.booleans()),
    (None, st.none()),
    (Decimal, st.decimals(allow_nan=False, allow_infinity=False)),
    (datetime, st.datetimes(datetime(2, 1, 1), datetime(9998, 1, 1), timezones=OFFSETS)),
    (date, st.dates()),
    (time, st.times()),
    (timedelta, DURATIONS),
    (UUID, st.uuids()),
    (bytes, st.binary(max_size=6)),
    (Port, st.sampled_from(Port)),
    (Literal["a", 1, None], st.sampled_from(["a", 1, None])),
    (Annotated[int, it.between(-3, 3)], st.integers(-3, 3)),
    (Annotated[str, trimmed, it.length <= 4], st.text("abé", max_size=4)),
    (Annotated[str, lowered], st.text("abc", max_size=3)),
    (Annotated[str, uppered, it.matches("[A-Z]{3}")], st.sampled_from(["QLP", "OST"])),
    (Annotated[int, secret], st.integers(0, 9)),
    (Annotated[int, it > 5, otherwise(6)], st.integers(6, 9)),
]
HASHABLE = [pair for pair in SINGLE if pair[0] not in (float,)]


def _listed(pair: Pair) -> Pair:
    return list[pair[0]], st.lists(pair[1], max_size=3)  # type: ignore[valid-type,name-defined]


def _in_dict(pair: Pair) -> Pair:
    return dict[str, pair[0]], st.dictionaries(TEXTS, pair[1], max_size=3)  # type: ignore[valid-type,name-defined]


def _optional(pair: Pair) -> Pair:
    return (pair[0] | None if pair[0] is not None else None), pair[1] | st.none()


def _record(pairs: list[Pair]) -> Pair:
    fields: list[Any] = [(f"field_{number}", kind) for number, (kind, _) in enumerate(pairs)]
    fields.append(("spare", int, field(default=3)))
    made = make_dataclass("Made", fields, slots=len(pairs) % 2 == 0, frozen=len(pairs) == 3)
    return made, st.builds(made, *(values for _, values in pairs), spare=st.integers())


def _fixed(pairs: list[Pair]) -> Pair:
    return tuple[tuple(kind for kind, _ in pairs)], st.tuples(*(values for _, values in pairs))  # type: ignore[misc]


DECLARED: st.SearchStrategy[Pair] = st.recursive(
    st.sampled_from(SINGLE),
    lambda inner: st.one_of(
        inner.map(_listed),
        inner.map(_in_dict),
        inner.map(_optional),
        st.lists(inner, min_size=1, max_size=4).map(_record),
        st.lists(inner, min_size=1, max_size=3).map(_fixed),
        st.sampled_from([pair for pair in HASHABLE if pair[0] is not None]).map(
            lambda pair: (frozenset[pair[0]], st.frozensets(pair[1], max_size=3))  # type: ignore[name-defined]
        ),
    ),
    max_leaves=6,
)
JSON: st.SearchStrategy[Any] = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=4) | st.sampled_from(["QLP", "a", 1, 7]),
    lambda inner: (
        st.lists(inner, max_size=4)
        | st.dictionaries(st.sampled_from(["field_0", "field_1", "spare", "x"]), inner, max_size=4)
    ),
    max_leaves=10,
)


@given(st.data())
def test_what_goes_out_comes_in_again(data: st.DataObject) -> None:
    declared, values = data.draw(DECLARED)
    value = data.draw(values)
    gate: Gate[Any] = Gate(declared, keys=camel)
    plain = gate.release(value, secrets=True)
    assert gate.admit(plain) == value
    assert gate.accepts(plain)
    assert gate.admit_json(gate.release_json(value, secrets=True)) == value
    assert Gate(declared, Source.NATIVE, keys=camel).admit(value) == value


@given(st.data())
def test_the_ways_to_ask_agree_and_none_raises(data: st.DataObject) -> None:
    declared, _ = data.draw(DECLARED)
    came = data.draw(JSON)
    for source in Source:
        gate: Gate[Any] = Gate(declared, source, unknown=data.draw(st.sampled_from(["drop", "refuse"])))
        verdict = gate.examine(came)
        assert bool(verdict) == gate.accepts(came) == (not verdict.faults)
        try:
            admitted = gate.admit(came)
        except Refused as refused:
            admitted, told = None, refused.faults
            assert told == verdict.faults
        else:
            assert repr(admitted) == repr(verdict.value)
        # The two engine functions: what the quick one gives, the telling one gives too.
        for quick in (gate._engine.sound(came), gate._engine.sound_and_known(came)):
            value, log = gate._engine.collect(came)
            assert quick.__class__ is Stop or (not log.faults and repr(value) == repr(quick))
        json.dumps([fault.as_dict() for fault in verdict.faults])
        verdict.entered()


@given(st.data())
def test_raw_and_decoded_agree(data: st.DataObject) -> None:
    declared, _ = data.draw(DECLARED)
    came = data.draw(JSON)
    raw = json.dumps(came)
    gate: Gate[Any] = Gate(declared)
    verdict, in_text = gate.examine(came), gate.examine_json(raw)
    if "NaN" in raw or "Infinity" in raw or gate.shape.exact:
        assert in_text.faults or in_text
        return
    assert [(fault.path, fault.code) for fault in verdict.faults] == [
        (fault.path, fault.code) for fault in in_text.faults
    ]
    if verdict:
        assert repr(verdict.value) == repr(in_text.value)
    assert all(fault.place for fault in in_text.faults)


@given(DECLARED)
def test_documents_are_json_and_the_same_each_time(pair: Pair) -> None:
    first, second = Gate(pair[0]).schema(), Gate(pair[0]).schema()
    assert json.dumps(first) == json.dumps(second)
    assert first.unstated == second.unstated


SIMPLE = st.builds(
    lambda ranges, count: f"[{''.join(ranges)}]{count}",
    st.lists(st.sampled_from(["A-Z", "a-z", "0-9", "A-F", "_", "-"]), min_size=1, max_size=3, unique=True),
    st.sampled_from(["", "+", "*", "{3}", "{1,}", "{2,4}", "{0,2}", "{1}", "?", "{2,1}", "{01}"]),
)
SIGNS = st.sampled_from("AZazQbm059_-\n \u0660\u00df\u0130\u00c9\uff21\u01c5")


@given(SIMPLE, st.lists(st.text(SIGNS, max_size=5) | st.text("AbZ9", max_size=5), min_size=1, max_size=8))
def test_letters_and_digits_are_asked_for_as_the_expression_does(pattern: str, texts: list[str]) -> None:
    try:
        fits = re.compile(pattern).fullmatch
    except re.error:
        return
    gate: Gate[str] = Gate(Annotated[str, it.matches(pattern)])
    for text in texts:
        assert gate.accepts(text) == (fits(text) is not None), (pattern, text)
        assert bool(gate.examine(text)) == (fits(text) is not None)


@pytest.mark.parametrize("seed", range(60))
def test_half_typed_data_is_read_as_json_where_it_is_json(seed: int) -> None:
    declared, words = any_declaration(seed)
    try:
        gate, mixed = Gate(declared, **words), Gate(declared, Source.MIXED, **words)
        sent = payloads(gate, 3, seed) + [data for data, _ in islice(probes(gate, seed), 20)]
    except (DeclarationError, CannotSample):
        return
    if any(use.split for use in uses_of(gate.shape)):
        return  # a list may stand there
    for data in sent:
        one, other = gate.examine(data), mixed.examine(data)
        assert [(fault.path, fault.code) for fault in one.faults] == [
            (fault.path, fault.code) for fault in other.faults
        ]
        assert repr(one.value) == repr(other.value) if one else not other
