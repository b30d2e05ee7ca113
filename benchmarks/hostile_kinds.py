"""Lists of every kind of value, with every step and rule, of the values that cost each most.

Part of `make bench-hostile`, under the same bounds. What costs most is not chosen by hand: of each kind a generator
makes values at the edges of what it admits and past them, long ones and huge ones, each is timed against the decoder on
the same text, and the dearest that is admitted and the dearest that is refused are taken. Each makes lists: sound,
unsound at the end, unsound throughout; and of records that hold one: without it, with an empty one, with one again and
again. Where the standard library's own class alone takes longer to make than the bound, twice its time is allowed
besides; the decoder of text that is split is the standard decoder, and then `str.split`.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, make_dataclass
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum, IntFlag
from ipaddress import IPv4Address, IPv4Interface, IPv4Network, IPv6Address, IPv6Interface, IPv6Network
from pathlib import Path
from random import Random
from time import perf_counter
from typing import Annotated, Any, Final, Literal, NamedTuple, TypedDict
from uuid import UUID
from zoneinfo import ZoneInfo

from dutiful_gate import (
    CannotSample,
    Email,
    Gate,
    Hostname,
    Slug,
    WebUrl,
    as_text,
    at_least_one,
    blank_is_none,
    holds,
    if_absent,
    in_utc,
    it,
    lenient,
    lowered,
    needs,
    obeys,
    or_infinite,
    otherwise,
    payloads,
    rest,
    rounded_to,
    secret,
    split_on,
    squeezed,
    tagged_by,
    then,
    this,
    trimmed,
    unambiguous,
    uppered,
    utc_only,
    via,
    when,
    without_offset,
    written_as,
)
from dutiful_gate.declare.formats.table import JUDGES
from dutiful_gate.sample.edges import Edges
from dutiful_gate.shape.nodes import Items

COUNT: Final = 20_000
SIZE: Final = 1_500_000
"""No list is of more items, nor of more text."""
KEPT: Final = 30_000
"""Values that are tried are no longer."""
SEED: Final = 30


@dataclass
class Crate:
    sensor: UUID
    weight_kg: float


@dataclass
class Berth:
    number: int
    name: Annotated[str, trimmed, it.length.between(2, 40)]
    opens: time = time(6)
    crates: list[Crate] = field(default_factory=list)


@dataclass
class Cabin:
    kind: Literal["cabin"]
    number: int


@dataclass
class Deck:
    kind: Literal["deck"]
    number: str


@obeys(
    this.first < this.second,
    needs("note", given="first"),
    at_least_one("first", "second"),
    when(this.note == "x").forbids("second"),
)
@dataclass
class Ruled:
    first: int = 0
    second: int = 0
    note: str | None = None


@dataclass
class Gathered:
    number: int
    others: Annotated[dict[str, int], rest]


@dataclass
class Waiting:
    number: Annotated[int, if_absent(7), it > 3]
    opens: Annotated[time, otherwise(time(6))] = time(7)


class Pair(NamedTuple):
    sensor: UUID
    on: date


class Line(TypedDict, total=False):
    number: int
    note: str


class Port(Enum):
    QUILLPORT = "QLP"
    OSTREY = "OST"


class Works(IntFlag):
    CRANE = 1
    ICE = 2


def is_even(number: int) -> bool:
    return number % 2 == 0


KINDS: list[tuple[str, Any]] = [
    ("whole numbers", int),
    ("truths", bool),
    ("numbers", float),
    ("numbers, or infinite", Annotated[float, or_infinite]),
    ("whole numbers or numbers", int | float),
    ("numbers as text", Annotated[int, lenient]),
    ("floats as text", Annotated[float, lenient]),
    ("decimals", Decimal),
    ("decimals as text", Annotated[Decimal, as_text]),
    ("texts", str),
    ("choices", Literal["standard", "urgent"]),
    ("choices of numbers", Literal[1, 2, 3]),
    ("members", Port),
    ("flags", Works),
    ("nothing", None),
    ("anything", Any),
    ("objects", dict[str, Any]),
    ("date-times", datetime),
    ("local date-times", Annotated[datetime, without_offset]),
    ("date-times of UTC", Annotated[datetime, utc_only]),
    ("date-times as seconds", Annotated[datetime, via(int)]),
    ("dates", date),
    ("dates in a form of their own", Annotated[date, written_as("%d.%m.%Y")]),
    ("date-times in a form of their own", Annotated[datetime, written_as("%d.%m.%Y %H:%M %z")]),
    ("times", time),
    ("durations", timedelta),
    ("UUIDs", UUID),
    ("binary values", bytes),
    ("IPv4 addresses", IPv4Address),
    ("time zones", ZoneInfo),
    ("e-mail addresses", Email),
    ("web addresses", WebUrl),
    ("host names", Hostname),
    ("slugs", Slug),
    ("UUIDs or nothing", UUID | None),
    ("UUIDs or numbers", UUID | int),
    ("dates or texts", date | str),
    ("numbers, truths, dates or nothing", int | bool | date | None),
    ("options that may not both fit", Annotated[int | Annotated[str, lenient], unambiguous]),
    ("pairs", tuple[UUID, date]),
    ("lists", list[int]),
    ("sets", set[int]),
    ("tuples of any length", tuple[int, ...]),
    ("maps", dict[str, int]),
    ("maps by numbers", dict[int, date]),
    ("records", Crate),
    ("records with records", Berth),
    ("records or nothing", Crate | None),
    ("records by their tag", Cabin | Deck),
    (
        "records by a tag beside them",
        Annotated[Crate | Berth, tagged_by("kind", beside="of", options={"crate": Crate, "berth": Berth})],
    ),
    ("records with rules between fields", Ruled),
    ("records that gather keys", Gathered),
    ("named tuples", Pair),
    ("typed dicts", Line),
    ("secrets", Annotated[str, it.length > 2, secret]),
]
# Every step and rule, beside a kind that it suits.
PARTS: list[tuple[str, Any]] = [
    ("trimmed, lowered", Annotated[str, trimmed, lowered, it.length <= 40]),
    ("uppered", Annotated[str, uppered, it.length > 1]),
    ("squeezed", Annotated[str, squeezed, it.length <= 40]),
    ("blank is none", Annotated[str | None, blank_is_none]),
    ("rounded", Annotated[float, rounded_to(2)]),
    ("rounded decimals", Annotated[Decimal, rounded_to(2)]),
    ("rounded to hundreds", Annotated[int, rounded_to(-2)]),
    ("in UTC", Annotated[datetime, in_utc]),
    ("then", Annotated[str, then(len), it > 1]),
    ("otherwise", Annotated[int, otherwise(7)]),
    ("if absent", Waiting),
    ("split", Annotated[list[int], split_on(",")]),
    ("split, distinct", Annotated[list[str], split_on(","), it.distinct]),
    ("split dates", Annotated[list[date], split_on(";")]),
    ("numbers between", Annotated[int, it.between(1, 40)]),
    ("floats above", Annotated[float, it > 0.5]),
    ("decimals below", Annotated[Decimal, it < Decimal("0.1")]),
    ("numbers, multiples", Annotated[float, it.multiple_of(0.01)]),
    ("whole multiples", Annotated[int, it.multiple_of(7)]),
    ("decimal multiples", Annotated[Decimal, it.multiple_of(Decimal("0.01"))]),
    ("equal", Annotated[int, it == 5]),
    ("different", Annotated[str, it != "x"]),
    ("dates after", Annotated[date, it >= date(2026, 5, 4)]),
    ("one of", Annotated[int, it.one_of(1, 5, 9)]),
    ("lengths", Annotated[str, it.length.between(2, 5)]),
    ("texts that match", Annotated[str, it.matches("[A-Z]{3}-[0-9]+")]),
    ("texts that have", Annotated[str, it.has("[0-9]+x")]),
    ("texts that begin and end", Annotated[str, it.starts_with("QLP"), it.ends_with("-")]),
    ("texts that hold", Annotated[str, it.contains("--")]),
    ("lists that hold", Annotated[list[int], it.contains(7)]),
    ("distinct", Annotated[list[int], it.distinct]),
    ("distinct records", Annotated[list[Crate], it.distinct.by("sensor")]),
    ("distinct of several kinds", Annotated[list[int | str | None], it.distinct]),
    ("functions of one's own", Annotated[int, holds(is_even)]),
    *((f"the format {name}", Annotated[str, it.of_format(name)]) for name in JUDGES),
]
# Where the class of the standard library takes longest of all.
DEAR: list[tuple[str, Any]] = [
    ("IPv6 addresses", IPv6Address),
    ("paths", Path),
    ("IPv4 networks", IPv4Network),
    ("IPv6 networks", IPv6Network),
    ("IPv4 interfaces", IPv4Interface),
    ("IPv6 interfaces", IPv6Interface),
]


def expression(text: str) -> object:
    """A regular expression as the standard library reads it, nothing kept from before."""
    re.purge()
    return re.compile(text)


def in_ascii(text: str) -> object:
    """An internationalised name as the standard library's codec writes it."""
    return text.rpartition("@")[2].encode("idna")


ALONE: dict[str, Callable[[str], object]] = {
    "the format idn-hostname": in_ascii, "the format idn-email": in_ascii, "the format ipv6": IPv6Address, "the format regex": expression,
}  # fmt: skip
"""What of the standard library reads a format, where that takes long: its time is allowed as that of a class is."""


class Lists(NamedTuple):
    """What a list is of: its name, the gate, its text for a number of items, the number; and what is counted besides."""

    name: str
    gate: Gate[Any]
    text: Callable[[int], str]
    size: int
    separator: str = ""
    """What the texts of the list are split on."""
    alone: Callable[[str], object] | None = None
    """The class of the standard library, or its function, whose own time is allowed besides."""


def lists(kinds: list[tuple[str, Any]], *, dear: bool = False) -> Iterator[Lists]:
    """Six lists of each kind."""
    for name, kind in kinds:
        items: Gate[Any] = Gate(list.__class_getitem__(kind))
        holders: Gate[Any] = Gate(list.__class_getitem__(make_dataclass("Holder", [("value", kind)])))
        node = items.shape.root.bare.node
        assert isinstance(node, Items)
        separator = node.item.split
        alone = kind if dear else ALONE.get(name)
        sound, unsound = dearest(items)
        for state, gate, item, last in (
            ("sound", items, sound, ""),
            ("the last unsound", items, sound, unsound),
            ("all unsound", items, unsound, ""),
            ("absent", holders, "{}", ""),
            ("empty", holders, f'{{"value":{emptiest(kind)}}}', ""),
            ("one key again", holders, f'{{"value":{sound or unsound},"value":{sound or unsound}}}', ""),
        ):
            if not item or (state == "the last unsound" and not last):
                continue  # there is none: everything is admitted

            def text(count: int, item: str = item, last: str = last) -> str:
                return listed([item] * count + ([last] if last else []))

            yield Lists(f"{name}, {state}", gate, text, min(COUNT, SIZE // (len(item) + 1) + 1), separator, alone)


def dearest(gate: Gate[Any]) -> tuple[str, str]:
    """The texts of items that cost a gate of a list most, beside what they cost the decoder: one admitted, one refused.

    Empty for none.
    """
    found: dict[bool, tuple[float, str]] = {}
    for token in candidates(gate):
        many = max(2, min(600, 40_000 // len(token)))
        raw = listed([token] * many)
        try:
            sound = bool(gate.examine_json(raw))
        except RecursionError:
            continue
        cost = quickest(lambda raw=raw: gate.examine_json(raw)) / quickest(lambda raw=raw: _decoded(raw))  # type: ignore[misc]
        found[sound] = max(found.get(sound, (0.0, "")), (cost, token))
    return found.get(True, (0.0, ""))[1], found.get(False, (0.0, ""))[1]


def candidates(gate: Gate[Any]) -> list[str]:
    """Texts of JSON for items: at the edges of what is admitted and past them, long, huge, and of other kinds."""
    random = Random(SEED)
    edges = Edges(gate.shape, random)
    node = gate.shape.root.bare.node
    assert isinstance(node, Items)
    item = node.item
    values: list[Any] = [*edges.of(item)]
    for seed in range(4):
        try:
            made = payloads(gate, 1, seed)[0]
        except CannotSample:
            made = []
        values += made
        values += [edges.spoiled(item, each) for each in made]
    values += [value * 400 for value in values if isinstance(value, str) and value]
    values += [f"{value[:3]}{value[3:] * 400}" for value in values if isinstance(value, str)]
    values += [value * 40 for value in values if isinstance(value, list) and value]
    values += [
        None,
        True,
        0,
        -1,
        0.1,
        "",
        " ",
        "x",
        " " * 3000 + "x",
        "9" * 4000,
        "\u0130" * 400,
        [],
        {},
        [[]],
        {"x": 1},
    ]
    texts = [json.dumps(value) for value in values if _is_plain(value)]
    texts += ["1e4000", "-1e-4000", "9" * 4300, "1e308", "123456789.123456789e-5", "0." + "1" * 4000, "1" + "0" * 400]
    texts += [f'"{number}"' for number in ("1e4000", "-1e-4000", "1E+999999999999", "0." + "1" * 4000)]
    texts += [listed([each] * 30) for each in texts if len(each) < 60 and random.random() < 0.3]
    return [text for text in dict.fromkeys(texts) if len(text) <= KEPT]


def emptiest(kind: Any) -> str:
    """The empty value that costs a record most that holds one of a kind: text, list, object, or null."""
    gate: Gate[Any] = Gate(list.__class_getitem__(make_dataclass("Holder", [("value", kind)])))
    tried = {}
    for empty in ('""', "[]", "{}", "null", '"  "'):
        raw = listed([f'{{"value":{empty}}}'] * 300)
        tried[empty] = quickest(lambda raw=raw: gate.examine_json(raw)) / quickest(lambda raw=raw: _decoded(raw))  # type: ignore[misc]
    return max(tried, key=tried.__getitem__)


def listed(items: list[str]) -> str:
    """Texts of JSON as a list."""
    return f"[{','.join(items)}]"


def quickest(job: Callable[[], object]) -> float:
    """The shortest of three runs."""
    times = []
    for _ in range(3):
        start = perf_counter()
        job()
        times.append(perf_counter() - start)
    return min(times)


def _decoded(raw: str) -> None:
    with suppress(ValueError):
        json.loads(raw)


def _is_plain(value: Any) -> bool:
    try:
        json.dumps(value, allow_nan=False)
    except (TypeError, ValueError, RecursionError):
        return False
    return True
