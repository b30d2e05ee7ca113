"""Every type with odd companions: parts picked at random, whether they make sense together or not.

What makes no sense is a DeclarationError; all else keeps the laws and answers whatever it is asked.
"""

# Rooms: shape, engine, document/writing

from __future__ import annotations

import math
import warnings
from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, make_dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum, Flag, IntEnum
from ipaddress import IPv4Address, IPv6Address
from pathlib import Path
from random import Random
from typing import Annotated, Any, Literal, NotRequired, TypedDict, Union
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from dutiful_gate import (
    DeclarationError,
    Email,
    Gate,
    Hostname,
    Refused,
    Slug,
    Source,
    WebUrl,
    about,
    also_named,
    as_text,
    blank_is_none,
    holds,
    in_utc,
    it,
    lenient,
    lowered,
    named,
    now,
    obeys_document,
    or_infinite,
    otherwise,
    rounded_to,
    secret,
    split_on,
    squeezed,
    then,
    today,
    trimmed,
    unreadable,
    uppered,
    utc_only,
    via,
    without_offset,
    written_as,
)
from dutiful_gate.prove.proof import prove
from dutiful_gate.shape.nodes import Link


class Deck(Flag):
    UPPER = 1
    LOWER = 2


class Port(Enum):
    QUILLPORT = "QLP"
    FOUR = 4


class Berth(IntEnum):
    FIRST = 1
    SECOND = 2


@dataclass
class Crate:
    low: int
    note: str = "rope"


@dataclass
class Login:
    low: int
    password: Annotated[str, secret] = "open"


class Loose(TypedDict):
    low: int
    note: NotRequired[str]


Cargo = list["Cargo"] | dict[str, "Cargo"] | int

TYPES: list[Any] = [
    str, int, float, bool, Decimal, datetime, date, time, timedelta, UUID, bytes, Path, IPv4Address, IPv6Address, ZoneInfo, Deck, Port, Berth,
    Literal["a", 1, True, None], Any, object, None, list[int], list[str], set[int], frozenset[str], tuple[int, str], tuple[int, ...], deque[int],
    dict[str, int], dict[int, str], dict[date, int], Sequence[str], Mapping[str, int], Crate, Login, Loose, int | str, int | None, str | None,
    list[int] | None, Crate | None, int | float, list[int] | list[str], Crate | Login, date | str, "Cargo", list["Cargo"], Email, WebUrl, Slug,
    Hostname,
]  # fmt: skip
PARTS: list[Any] = [
    trimmed, squeezed, lowered, uppered, blank_is_none, split_on(","), rounded_to(2), in_utc, then(str), holds(bool), via(str), via(int),
    via(str, trimmed), otherwise(None), otherwise(3), otherwise("x"), it > 0, it >= 0, it < 9, it <= 9, it.between(1, 5), it == 3, it != 3,
    it == "a", it == Deck.UPPER, it.one_of(1, 2), it.one_of("a", "b"), it.multiple_of(2), it.multiple_of(0.5), it.length > 0, it.length <= 3,
    it.length.between(1, 2), it.matches("[a-z]+"), it.has("a"), it.starts_with("a"), it.ends_with("b"), it.contains("a"), it.contains(1),
    it.distinct, it.distinct.by("a"), it.of_format("date"), it > now, it < today, it > date(2020, 1, 1), it > datetime(2020, 1, 1, tzinfo=UTC),
    it < Decimal("5"), secret, lenient, as_text, or_infinite, utc_only, without_offset, written_as("%d.%m.%Y"), written_as("%H:%M"), about(title="t"),
    about(deprecated=True), obeys_document({"maxLength": 2}), obeys_document({"type": "string"}), obeys_document({"minimum": 2}), unreadable.says("needs x"), named("n"),
    also_named("m"), it == math.inf, it >= -math.inf, it != math.nan, it < 10**5000, it == date(2020, 1, 1), it == Decimal("1e400"),
    it == object(), it.one_of((1, 2)), it.one_of("\ud800", "b"), it == [1, {"a": math.nan}], otherwise(math.inf), otherwise(object()),
    it <= Decimal("1e400"), about(text="\ud800"), it.multiple_of(math.inf),
]  # fmt: skip
ODD_DEFAULTS: list[Any] = [
    None,
    math.nan,
    math.inf,
    10**5000,
    "\ud800",
    Decimal("1e400"),
    date(2020, 1, 1),
    (1, 2),
    object(),
    frozenset([1]),
]
CAME: list[Any] = [
    None, "", " ", "a", "5", 5, [], ["1", "2"], {}, {"held": "1"}, {"m": "1"}, {"held": ["1", "2"]}, {"held": None}, {"low": "1"}, object(), [None],
    {"held": {"low": "1"}}, date(2020, 1, 1), Crate(1), 3.5, Deck.LOWER,
]  # fmt: skip


def declared(random: Random) -> Any:
    """A type with a few parts beside it, alone or somewhere in another."""
    kind = random.choice(TYPES)
    made: Any = Annotated[(kind, *random.sample(PARTS, random.choice([1, 2, 2, 3])))]
    return random.choice(
        [
            made,
            list.__class_getitem__(made),
            make_dataclass("Held", [("held", made), ("other", int, 3)]),
            make_dataclass("Held", [("held", made, random.choice(ODD_DEFAULTS))]),
            Union[made, int],  # noqa: UP007 - a name in quotes has no |
        ]
    )


def odd_default(gate: Gate[Any]) -> bool:
    """Whether a default is no JSON, beside Any or what a function of one's own makes: then nothing is known of it."""
    fields = [field for record in gate.shape.records.values() for field in record.fields if not field.required]
    return any(field.attribute == "held" and type(field.default) not in (type(None), int, str) for field in fields)


@settings(max_examples=300, deadline=None)
@given(st.integers(0, 10**9))
def test_odd_companions(seed: int) -> None:
    random = Random(seed)
    source = random.choice([Source.JSON, Source.JSON, Source.TEXT, Source.NATIVE])
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            gate: Gate[Any] = Gate(declared(random), source)
        except DeclarationError:
            return
    if source is Source.JSON:
        told = prove(gate, 25, seed).disagreements
        # A default of an odd kind, where any value will do, is told: it does not go out.
        assert [each for each in told if "does not release" not in each.told or not odd_default(gate)] == []
        for came in CAME if isinstance(gate.shape.root.node, Link) else ():
            for data in ({"held": came}, {"held": came, "unknown": 0}, {"unknown": 0}):
                known = {name: each for name, each in data.items() if name != "unknown"}
                assert gate.accepts(known) == gate.accepts(data) == bool(gate.examine(data)), data
        for dialect in ("draft-07", "openapi-3.0"):
            Gate.from_schema(gate.schema(dialect=dialect, of="release"), dialect=dialect)  # type: ignore[arg-type]
        return
    for came in CAME:
        verdict = gate.examine(came)
        assert gate.accepts(came) == bool(verdict)
        verdict.by_field()
        if not verdict:
            verdict.problem()
            continue
        assert repr(gate.admit(came)) == repr(verdict.value)
        try:
            gate.release(verdict.value)
        except Refused as refused:
            str(refused)


@pytest.mark.parametrize(
    ("kind", "told"),
    [
        (Annotated[None, it == "a"], "beside null"),
        (Annotated[Deck, it == 3], "never equal"),
        (Annotated[bool, it == "a"], "never equal"),
        (Annotated[Any, it < 9, it > datetime(2020, 1, 1, tzinfo=UTC)], "different kinds"),
        (make_dataclass("Held", [("held", Annotated[Any, it.ends_with("b")], None)]), "the default null"),
        (make_dataclass("Held", [("held", Annotated[Crate | None, obeys_document({"type": "string"})], None)]), "the default null"),
        (make_dataclass("Held", [("held", Annotated[Literal["a", None], obeys_document({"type": "string"})], None)]), "the default null"),
        (Annotated[Decimal, it < 0.1], 'write Decimal("0.1")'),
    ],
)  # fmt: skip
def test_companions_that_make_no_sense(kind: Any, told: str) -> None:
    with pytest.raises(DeclarationError) as raised:
        Gate(kind)
    assert told in str(raised.value)


@pytest.mark.parametrize(
    ("kind", "fallback"),
    [(UUID, None), (Decimal, None), (int | str, None), (Crate, "none"), (list[int], "x"), ("Cargo", "x"), (Port, "x"), (str, 3),
     (date, "2026-05-04"), (bool, 1), (int, True), (dict[str, int], {"a": "x"}), (tuple[int, str], (1, 2))],
)  # fmt: skip
def test_what_stands_in_is_of_the_type(kind: Any, fallback: Any) -> None:
    with pytest.raises(DeclarationError, match="puts in the place of a refused value what is not"):
        Gate(list[Annotated[kind, otherwise(fallback)]])  # type: ignore[valid-type]
    if fallback is None:
        gate: Gate[Any] = Gate(list[Annotated[kind | None, otherwise(None)]])  # type: ignore[valid-type]
        assert gate.release(gate.admit([[["x"]]])) == [None]


def test_what_stands_in_may_break_rules_and_be_written_as_in_the_data() -> None:
    assert Gate(Annotated[int, it > 5, otherwise(0)]).admit("x") == 0
    gate: Gate[Any] = Gate(list[Annotated[Port, otherwise("QLP")]])
    assert gate.admit(["?"]) == [Port.QUILLPORT]
    assert gate.release(gate.admit(["?"])) == ["QLP"]


def test_own_words_do_not_stop_steps() -> None:
    gate: Gate[Any] = Gate(dict[str, Annotated[Crate, unreadable.says("needs a crate"), then(str)]])
    assert gate.examine({"a": {"low": 1}, "b": {"low": 1, "deck": 2}}).value["a"].startswith("Crate(")
    assert [fault.message for fault in gate.examine({"a": 3}).faults] == ["needs a crate"]


@pytest.mark.parametrize("document", [{"type": "string"}, {"type": "null"}, {"minLength": 2}, {"const": " "}])
@pytest.mark.parametrize(
    "parts", [(str | None, blank_is_none), (str | None, blank_is_none, trimmed), (list[str], split_on(","))]
)
def test_documents_judge_what_came_before_anything_else(parts: tuple[Any, ...], document: Any) -> None:
    """By the quick function as by the telling one, which an unknown key beside it calls for."""
    gate: Gate[Any] = Gate(make_dataclass("Held", [("held", Annotated[(*parts, obeys_document(document))])]))
    bare: Gate[Any] = Gate(Annotated[parts])
    by_document = Gate.from_schema(document)
    for came in (" ", "  ", "", None, "a", "ab", "a,b"):
        wanted = by_document.accepts(came) and bare.accepts(came)
        assert gate.accepts({"held": came}) is wanted, came
        assert bool(gate.examine({"held": came, "unknown": 1})) is wanted, came
