"""Declarations that nobody thought of: random nests of every type, rule, step, mark, record rule and variant."""

from __future__ import annotations

import re
import sys
import types
import warnings
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import InitVar, dataclass, field, make_dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum, Flag, IntEnum, StrEnum
from ipaddress import IPv4Address, IPv4Network, IPv6Address
from pathlib import Path
from random import Random
from typing import (
    Annotated,
    Any,
    Final,
    Generic,
    Literal,
    NamedTuple,
    Never,
    NewType,
    NotRequired,
    Self,
    TypedDict,
    TypeVar,
    Union,
    get_origin,
)
from uuid import UUID
from zoneinfo import ZoneInfo

from dutiful_gate import (
    ABSENT,
    Absent,
    Amendment,
    Email,
    Hostname,
    Limits,
    Sealed,
    Slug,
    WebUrl,
    about,
    all_or_none,
    also_named,
    among,
    appended,
    as_text,
    at_least_one,
    at_most_one,
    blank_is_none,
    byte_size,
    camel,
    demanding,
    ecma,
    exactly_one,
    goes_out,
    holds,
    if_absent,
    in_utc,
    it,
    kebab,
    lenient,
    lowered,
    named,
    needs,
    now,
    obeys,
    obeys_document,
    or_infinite,
    otherwise,
    outside,
    rest,
    rounded_to,
    secret,
    split_on,
    squeezed,
    subset,
    tagged_by,
    takes,
    then,
    this,
    time_span,
    today,
    trimmed,
    unambiguous,
    unreadable,
    uppered,
    utc_only,
    via,
    when,
    without,
    without_offset,
    without_point,
    written_as,
)
from dutiful_gate.declare.outside import hand_over_from_here
from dutiful_gate.warnings import IdleKeyword


class Port(Enum):
    QUILLPORT = "QLP"
    MARROW_ISLE = "MRW"
    OSTREY = "OST"


class Berth(Enum):
    ONE = 1
    TWO = 2
    SPARE = "spare"


class Fee(Enum):
    LOW = Decimal("1.50")
    HIGH = Decimal("20")


class Span(NamedTuple):
    low: int
    high: Annotated[int, it >= 0] = 9


class Tide(TypedDict):
    height: Annotated[float, it.between(-5, 15)]
    at: NotRequired[datetime]


class Hazards(Flag):
    ACID = 1
    GAS = 2
    DUST = 4


class Tag(Enum):
    CRATE = "crate"


class Deck(IntEnum):
    LOW = 1
    HIGH = 2


class Colour(StrEnum):
    RED = "red"
    SCARLET = "red"  # another name of the same
    BLUE = "blue"


class Wide(Tide):
    """A TypedDict that inherits."""

    width: NotRequired[Annotated[int, it > 0]]


@dataclass(kw_only=True)
class Named:
    low: int = 1
    high: int


T = TypeVar("T")
U = TypeVar("U")


@dataclass
class Box(Generic[T]):
    held: T


@dataclass
class Pair(Generic[T, U]):
    first: T
    second: U


@dataclass
class Swapped(Pair[U, T], Generic[T, U]):
    third: T


@dataclass
class Listed(Box[list[T]], Generic[T]):
    other: T


class Loose(TypedDict, Generic[T]):
    one: T
    two: Annotated[NotRequired[T], "postponed or not"]


@dataclass
class Base:
    low: int


@dataclass
class Derived(Base):
    high: Annotated[int, it > 0] = 1


@dataclass
class Computing:
    low: Annotated[int, it.between(-99, 99)]

    @property
    @goes_out
    def double(self) -> int:
        return self.low * 2


@dataclass
class Checked:
    low: int
    more: InitVar[int] = 0
    total: int = field(init=False, default=0)

    def __post_init__(self, more: int) -> None:
        if self.low == 7:
            raise ValueError("seven is no number for a berth")


@obeys(lambda record: record.low != 13)
@dataclass(frozen=True)
class Fussy:
    low: int


@dataclass
class Stack:
    """A record that holds itself, in a union, a list and a dict."""

    size: int
    above: Stack | Base | None = None
    beside: list[Stack] = field(default_factory=list)


ATTRIBUTES = (
    *["x", "x_2", "x2", "item", "item_2", "made", "made_2", "key", "key_2", "held", "before_2", "data", "memory", "path", "log", "faults", "value", "f_x", "t_item", "f2_x", "v_x", "read"],
    *["date", "datetime", "it", "this", "field", "Annotated", "list", "str", "int", "id", "type", "len", "isinstance", "dict", "tuple", "REFUSED", "UNSURE", "Stop", "log_2", "größe", "naïve"],
    *["_x", "__x__", "self_", "is_", "came", "known", "which", "others", "index", "enough", "given", "inside", "several", "left", "soon", "alone", "quick", "start"], "a" * 90, "a" * 91, "phone", "phone_2",
)  # fmt: skip
"""Names of fields that a writer of code may have for itself, or may not read as they are."""

KEYS = (
    *ATTRIBUTES,
    "ﬁx",
    "class",
    "None",
    "def",
    "a b",
    'a"b',
    "a'b",
    "",
    "$ref",
    "__class__",
    "a/b",
    "x~y",
    "\n",
    "{x}",
    "x-2",
    "1",
    "ß",
    "self",
    "mro",
    "__init__",
    "key'",
)
"""And those of a TypedDict, which are any text."""

CLASSES = (
    "Made",
    "Stop",
    "REFUSED",
    "Passing",
    "Memory",
    "ABSENT",
    "Record",
    "KEY",
    "Any",
    "Sealed",
    "Mapping",
    "DEFAULT",
    "Größe",
    "A" * 70,
    "Doubt",
    "MAKE",
    "CHOICES",
    "Own",
)
"""Names of classes that generated code may have for something else."""


BookingRef = NewType("BookingRef", str)


def _even(value: Any) -> bool:
    return bool(value % 2 == 0)


def _no_x(value: str) -> bool:
    return "x" not in value


def _no_items() -> list[Any]:
    return []


def _nothing() -> None:
    return None


def _first(value: Any) -> Any:
    return value[:1] if isinstance(value, str) else value


def _all_differ(record: Any) -> bool:
    """What a function of a record's may ask of its fields, whatever they are."""
    seen = [repr(getattr(record, name, None)) for name in ("one", "other", "noted")]
    return len(set(seen)) == len(seen)


def _doubled(value: Any) -> Any:
    return value * 2


def _halved(value: Any) -> Any:
    return value // 2


LIMIT = outside("any_limit", int, samples=[4])
CODES = outside("any_codes", frozenset[str], samples=[frozenset({"QLP", "mrw", "abc", "a"})])
NUMBERS = outside("any_numbers", frozenset[int], samples=[frozenset(range(-20, 20, 3))])
RATE = outside("any_rate", float, samples=[2.5])
MOMENT = outside("any_moment", datetime, samples=[datetime(2026, 5, 4, 9, tzinfo=UTC)])
hand_over_from_here([each(each.samples[0]) for each in (LIMIT, CODES, NUMBERS, RATE, MOMENT)])


@takes(LIMIT)
def _within(value: Any, any_limit: int) -> bool:
    return len(repr(value)) % 7 <= any_limit


@takes(LIMIT)
def _lengthened(value: Any, *, any_limit: int) -> Any:
    return f"{value}{'.' * any_limit}"


def _on_file(values: Sequence[Any]) -> list[Any]:
    return [value for value in values if len(repr(value)) % 5]


def _on_file_too(values: Sequence[Any]) -> set[Any]:
    return {value for value in values if "a" not in str(value)}


class Own:
    """A type of the developer's own, of whatever it is made of."""

    def __init__(self, held: Any) -> None:
        if held in ("bad", 13, [], [1, 2, 3]):
            raise ValueError("13?")  # no words that a catalogue would miss
        self.held = held

    def plain(self) -> Any:
        return self.held

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Own) and repr(self.held) == repr(other.held)

    def __hash__(self) -> int:
        return hash(repr(self.held))

    def __repr__(self) -> str:
        return f"Own({self.held!r})"


@via(Annotated[str, trimmed, it.length.between(1, 5)], back=Own.plain, samples=["QLP"])
class OwnName(Own):
    """The same by a mark above the class."""


@dataclass
class _Ends:
    low: int
    high: float = 2.5


PATTERNS = (
    r"[A-Z]{3}", r"[a-z]+(-[a-z]+)*", r"\d{2,4}", r"\w+", r"[^\s]+", r"(QLP|MRW)\d*", r".{1,5}", r"\S.*", r"[\w .-]+",
    r"(?P<a>[ab])(?P=a)?", r"\Aabc?\Z", r"[A-Za-z0-9_]{2,}x?", r"(?:[0-9]{1,3}\.){0,2}[0-9]", r"a|bb|\x63", r"\u00e9?[é-ü]",
    r"(?=a)a.", r"x*$", r"^(ab?)+", r"[\d.]+", r"\D+", r"\W?", r"[\]\-^]+", r"(?i)abc", r"\bport\b", r"a{,2}b",
    r"(?s)a.*", r"(a)?\1b", r"(?x) a b", r"(?a)\w+", r"(?m)^a$",
)  # fmt: skip
FORMATS = ("date", "date-time", "time", "duration", "email", "hostname", "ipv4", "ipv6", "uri", "uri-reference", "uuid",
           "json-pointer", "relative-json-pointer", "uri-template", "regex", "idn-hostname", "iri")  # fmt: skip


def _conditions(has_default: bool) -> list[Any]:
    """Rules on `hazard`, `number` and `note`, of every kind of condition."""
    rules: list[Any] = [
        when(this.hazard == "none").obeys(this.number < 5),
        when(this.hazard == "acid").obeys(this.note.length <= 3).or_else.obeys(~this.number.has_value),
        (this.number > 3) | ~this.note.obeys(it.has("a")),
        when(this.note.starts_with("a") | this.note.contains("b")).needs("number").forbids("note"),
        (this.number >= 2) & this.hazard.one_of("none", "gas"),
        when(this.number.is_a(int) & ~(this.number == 7)).obeys(at_least_one("note", "number")),
        this.note == "ABC",
        this.number <= 9,
        when(this.note.ends_with("c")).obeys(this.hazard != "gas"),
    ]
    return rules if has_default else [*rules, when(this.hazard.came & this.note.has_value).needs("number")]


_OF_HELD: list[Any] = [
    this.lots.all(this.height < 3),
    this.lots.any((this.height < 3) | this.at.has_value),
    this.codes.all(it.length <= 4),
    this.codes.any(it.has("a")) | (this.lots.length == 1),
    this.span.low < this.span.high,
    when(this.span.high > 3).obeys(this.lots.length >= 1),
    (this.span.low > 0) & this.codes.contains("a"),
    this.lots.length < this.codes.length,
]
_OF_HELD_FROM_OUTSIDE: list[Any] = [
    this.codes.length <= LIMIT,
    (this.span.high <= RATE) | this.codes.any(it.one_of(CODES)),
    this.span.low + LIMIT > this.lots.length,
]


CONSTANTS: dict[Any, tuple[Any, Any]] = {
    Decimal: (Decimal("1.5"), Decimal("0.10")), datetime: (datetime(2026, 5, 4, 9, tzinfo=UTC), datetime(2026, 1, 1, tzinfo=UTC)),
    date: (date(2026, 5, 4), date(2026, 1, 1)), time: (time(12), time(9, 30)), timedelta: (timedelta(hours=1), timedelta(0)),
    UUID: (UUID("5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e"), UUID(int=0)), bytes: (b"crate", b""), Path: (Path("manifests/today.csv"), Path("a")),
    IPv4Address: (IPv4Address("192.0.2.7"), IPv4Address(0)), IPv6Address: (IPv6Address("2001:db8::7"), IPv6Address(0)),
    IPv4Network: (IPv4Network("192.0.2.0/24"), IPv4Network("0.0.0.0/0")), ZoneInfo: (ZoneInfo("Europe/London"), ZoneInfo("UTC")),
}  # fmt: skip
"""Two constants of each kind of which a value may be written in several ways."""


def compared(one: Any, other: Any) -> list[Any]:
    return [it == one, it != one, it.one_of(one, other), it != other]


def compared_in_records(one: Any, other: Any) -> list[Any]:
    return [this.rate == one, this.rate != other, this.rate.one_of(one, other), when(this.rate == one).needs("remark"),
            when(this.rates.contains(one)).needs("remark"), this.rates.contains(other) | (this.remark == "x"),
            when(~this.rate.one_of(other)).forbids("remark"), this.rates.all(it.one_of(one, other)),
            this.rates.any(it == one)]  # fmt: skip


class Maker:
    """Makes declarations, the same for the same seed."""

    def __init__(self, seed: int, *, asks: bool = False) -> None:
        """With `asks`, they ask for values from outside, and have checks that wait."""
        self.random = Random(seed)
        self.seed = seed
        self.asks = asks
        self.count = 0
        self.names: dict[str, Any] = {}

    def asking(self, *parts: Any) -> tuple[Any, ...]:
        """What stands among others only where declarations ask."""
        return parts if self.asks else ()

    def name(self, stem: str) -> str:
        self.count += 1
        if stem in ("Made", "Loose", "Tagged") and self.random.random() < 0.3:
            return f"{self.random.choice(CLASSES)}{self.random.choice(['', '_2', str(self.count)])}"
        return f"{stem}{self.count}"

    def names_of(self, count: int, among: Sequence[str] = ATTRIBUTES) -> list[str]:
        """Names of fields: plain ones, or such as clash with what a writer has for itself."""
        if self.random.random() < 0.5:
            return [f"field_{number}" for number in range(count)]
        return self.random.sample(
            [each for each in among if each not in ("hazard", "number", "note", "low", "high")], count
        )

    def declaration(self, depth: int = 3) -> Any:
        """Any type at all, with what stands beside it."""
        random = self.random
        if depth <= 0 or random.random() < 0.35:
            return random.choice(self.single)(self)
        return random.choice(self.several)(self, depth - 1)

    def beside(self, kind: Any, *parts: Any) -> Any:
        """A type with some of the parts beside it, in any order that was given."""
        kept = tuple(part for part in parts if self.random.random() < 0.45)
        return Annotated[(kind, *kept)] if kept else kind  # type: ignore[return-value]

    # Single values

    def text(self) -> Any:
        random = self.random
        steps = [step for step in (trimmed, squeezed, lowered, uppered) if random.random() < 0.15]
        low = random.randint(0, 4)
        rules = [
            random.choice([it.length >= low, it.length <= low + 5, it.length.between(low, low + 4), it.length == low + 1,
                           it.length != low]),
            it.matches(random.choice(PATTERNS)),
            it.matches(re.compile(random.choice(("[a-z]+", "b.?", "[A-Z]{2}")), random.choice((re.IGNORECASE, re.DOTALL, 0)))),
            it.has(random.choice(PATTERNS)),
            random.choice([it.has(ecma(r"^\p{Lu}")), it.has(ecma(r"\w$")), it.matches(ecma(r".+|\d*"))]),
            it.starts_with(random.choice(["a", "Q.", "é"])),
            it.ends_with(random.choice(["z", "^", "\n"])),
            it.contains(random.choice(["b", "[", "ß"])),
            it != "abc",
            holds(_no_x, both_ways=random.random() < 0.5),
        ]  # fmt: skip
        chosen = [*steps, *random.sample(rules, random.choice([0, 0, 1, 1, 2]))]
        random.shuffle(chosen)
        if self.asks and random.random() < 0.25:
            chosen.append(
                random.choice(
                    [
                        it.length <= LIMIT,
                        it.length.between(1, LIMIT),
                        it.one_of(CODES),
                        it.length != LIMIT - 1,
                        holds(_within),
                    ]
                )
            )
        if self.asks and random.random() < 0.08:
            chosen += random.sample(
                [among(_on_file), among(_on_file_too, most=2, says="is not on file")], random.choice([1, 1, 2])
            )
        if random.random() < 0.05:
            chosen.append(lenient)
        return Annotated[(str, *chosen)] if chosen else str  # type: ignore[return-value]

    def choice_of_text(self) -> Any:
        return self.beside(str, self.random.choice([trimmed, uppered, lowered]), it.one_of("QLP", "mrw", "O st"))

    def formatted(self) -> Any:
        kind = self.random.choice(
            [Email, WebUrl, Hostname, Slug, Annotated[str, it.of_format(self.random.choice(FORMATS))]]
        )
        return self.beside(kind, it.length <= 40, trimmed)

    def whole(self) -> Any:
        low = self.random.randint(-20, 20)
        bounds = self.random.choice([it > low, it >= low, it < low, it <= low, it.between(low, low + 30)])
        step = self.random.choice(
            [
                it.multiple_of(5),
                it.multiple_of(3),
                it != low,
                it.one_of(low, low + 1),
                holds(_even, both_ways=self.random.random() < 0.5),
                *self.asking(
                    it <= LIMIT + 9, it > LIMIT - 9, it.one_of(NUMBERS), it != LIMIT, it.between(low, LIMIT + 40)
                ),
            ]
        )
        if self.random.random() < 0.08:
            return Annotated[int, without_point, bounds]
        last = [among(_on_file)] if self.asks and self.random.random() < 0.15 else []
        return self.beside(int, bounds, step, rounded_to(-1), lenient, *last)

    def number(self) -> Any:
        low = round(self.random.uniform(-20, 20), 2)
        bounds = self.random.choice([it > low, it >= low, it < low, it.between(low, low + 30), it <= 1e6])
        step = self.random.choice(
            [it.multiple_of(0.5), it.multiple_of(0.01), it.multiple_of(3), it != 1.5, *self.asking(it < RATE)]
        )
        parts = [bounds, step, rounded_to(self.random.choice([0, 1, 2])), lenient]
        self.random.shuffle(parts)
        return self.beside(float, *parts)

    def decimal(self) -> Any:
        return self.beside(
            Decimal, it >= Decimal("0.10"), it < Decimal("99.95"), it.multiple_of(Decimal("0.05")), rounded_to(2)
        )

    def of_any_type(self) -> Any:
        """Rules and steps where the type leaves open what comes."""
        rules = [it > 0, it.length <= 3, it.matches("[a-z]+"), it.multiple_of(2), it.distinct, it.one_of("a", 1), it == 1, it != "a",
                 it.contains("a"), it.starts_with("a"), trimmed, rounded_to(1), it.length != 2, it.distinct.by("a"), *self.asking(it <= LIMIT, it.one_of(CODES), it.length <= LIMIT)]  # fmt: skip
        chosen = self.random.sample(rules, self.random.choice([1, 1, 2]))
        kind = self.random.choice([Any, object, str | Any])
        if self.random.random() < 0.2:
            return Annotated[(str, then(_doubled), *chosen)]  # type: ignore[return-value]
        return Annotated[(kind, *chosen)]  # type: ignore[return-value]

    def formed(self) -> Any:
        """Dates in forms of their own, seconds, Decimals as text, flags, doubles of any value."""
        return self.random.choice(
            [
                Annotated[date, written_as("%d.%m.%Y")],
                Annotated[int, byte_size, it <= 4096],
                Annotated[timedelta, time_span, it < timedelta(hours=2)],
                Annotated[date | None, written_as("%Y%m%d"), it >= date(2026, 1, 1)],
                Annotated[time, written_as("%H:%M Uhr")],
                Annotated[datetime, written_as("%d.%m.%Y %H:%M:%S %z")],
                Annotated[datetime, written_as("%Y-%m-%d %H:%M:%S%z"), in_utc],
                Annotated[datetime, without_offset, written_as("%d/%m/%Y %H:%M")],
                Annotated[datetime, written_as("%z %d/%m/%Y %H:%M"), utc_only],
                Annotated[datetime, via(int)],
                Annotated[datetime | None, via(float)],
                Annotated[datetime, via(int, it >= 0), it < datetime(2090, 1, 1, tzinfo=UTC)],
                Annotated[Decimal, as_text, it > 1],
                Annotated[Decimal, as_text, rounded_to(2)],
                Annotated[float, or_infinite],
                Annotated[datetime, without_offset, it > now],
                Annotated[int, unreadable.says("a number, please")],
                Hazards,
                Tag,
            ]
        )

    def truth(self) -> Any:
        return self.beside(bool, lenient)

    def moment(self) -> Any:
        at = datetime(2026, self.random.randint(1, 12), 4, 9, 30, tzinfo=UTC)
        mark = self.random.choice([in_utc, utc_only, in_utc])
        return self.beside(
            datetime,
            mark,
            self.random.choice([it >= at, it < at + timedelta(days=90), it > now, it < now + timedelta(days=900)]),
        )

    def local(self) -> Any:
        return self.beside(Annotated[datetime, without_offset], it >= datetime(2026, 1, 1))

    def time_of_day(self) -> Any:
        return self.beside(time, it >= time(6, 0), it < time(22, 30), it != time(12, 0))

    def day(self) -> Any:
        return self.beside(
            date,
            self.random.choice([it >= date(2026, 1, 4), it <= today + timedelta(days=400), it != date(2026, 5, 4)]),
        )

    def written(self) -> Any:
        kinds = [UUID, bytes, time, timedelta, IPv4Address, IPv6Address, IPv4Network, Path, ZoneInfo]
        kind = self.random.choice(kinds)
        if kind is timedelta:
            return self.beside(kind, it <= timedelta(hours=9), it > timedelta(0))
        if kind is time:
            return self.beside(kind, it >= time(6, 0))
        if kind in CONSTANTS and self.random.random() < 0.3:
            return Annotated[kind, self.random.choice(compared(*CONSTANTS[kind]))]
        return self.beside(kind, it.length <= 12) if kind is bytes else kind

    def literal(self) -> Any:
        return self.random.choice(
            [
                Literal["standard", "urgent"],
                Literal["a", 1, None],
                Literal[1],
                Literal[True],
                Literal[0, False, "0"],
                Port,
                Fee,
                Berth,
                Deck,
                Colour,
                Literal[Deck.LOW, Port.OSTREY, "x"],
                Literal[Colour.RED] | None,
            ]
        )

    def anything(self) -> Any:
        return self.random.choice([Any, object, None, BookingRef, Any])

    def fitted(self) -> Any:
        """A type with a document beside it."""
        documents: list[Any] = [
            {"not": {"const": 7}}, {"minLength": 2}, {"if": {"type": "string"}, "then": {"maxLength": 3}}, {"enum": ["a", 1, None, [1]]},
            {"patternProperties": {"^a": {"type": "integer"}}}, {"contains": {"type": "integer"}, "minContains": 2}, {"type": ["string", "null"]},
            {"properties": {"a": {"type": "integer"}}, "unevaluatedProperties": False}, {"prefixItems": [{"type": "string"}], "items": False},
            {"$ref": "#/$defs/x", "$defs": {"x": {"type": ["integer", "array"]}}}, {"dependentRequired": {"a": ["b"]}}, {"propertyNames": {"maxLength": 1}},
        ]  # fmt: skip
        kind = self.random.choice([Any, Any, str, int, list[Any], dict[str, Any]])
        dialect = self.random.choice(["2020-12", "2020-12", "2020-12", "draft-07"])
        document = self.random.choice(documents)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", IdleKeyword)  # words that draft-07 does not know
            return Annotated[kind, obeys_document(document, dialect=dialect if "$ref" not in document else "2020-12")]

    def staged(self) -> Any:
        return self.random.choice(
            [
                Annotated[int, via(str, trimmed, it.matches(r"[0-9]+")), it.between(0, 120)],
                Annotated[float, via(str, it.length <= 30), it > 0],
                Annotated[datetime, via(str, trimmed)],
                Annotated[list[int], split_on(","), it.length <= 3],
                Annotated[list[Annotated[str, uppered, it.length == 3]], split_on(";")],
                Annotated[str | None, blank_is_none, trimmed],
                Annotated[int, then(_doubled)],
                *self.asking(Annotated[str, then(_lengthened)]),
                Annotated[str, it.length >= 1, then(len), it <= 6],
                Annotated[int, it > 5, otherwise(6)],
                Annotated[str, it.matches("[a-z]+"), otherwise("none")],
                Annotated[int, then(_doubled, back=_halved), it != 8],
                Annotated[str, uppered, then(list, back="".join), it.length <= 4],
            ]
        )

    def own(self) -> Any:
        """Types of the developer's own, read from single values, lists, records and each other."""
        parts: list[Any] = [
            int, Annotated[str, lowered], list[int], Annotated[Own, via(list[int], made=Own, back=Own.plain)],
            datetime, Decimal, dict[str, int], _Ends, list[OwnName], int | str, Colour, Annotated[int, it > 3, otherwise(5)],
        ]  # fmt: skip
        kind = self.random.choice(parts)
        if self.random.random() < 0.15:
            return Annotated[str, via(kind, made=repr)]  # without a way back it goes out as it is
        read = Annotated[Own, via(kind, made=Own, back=Own.plain)]
        return self.random.choice(
            [
                OwnName,
                read,
                read,
                Annotated[Own | None, via(kind, made=Own, back=Own.plain)],
                Annotated[read, holds(bool)],
            ]
        )

    single: tuple[Callable[[Maker], Any], ...] = (
        text, text, text, text, choice_of_text, formatted, formatted, whole, whole, number, number, decimal, truth, moment,
        moment, local, day, time_of_day, written, written, literal, literal, anything, staged,
        fitted, of_any_type, formed, formed, own, own,
    )  # fmt: skip

    # What holds others

    def listed(self, depth: int) -> Any:
        low = self.random.randint(0, 2)
        kind = self.random.choice([list, list, tuple, deque, Sequence])
        inner = self.declaration(depth)
        made = tuple[inner, ...] if kind is tuple else kind[inner]  # type: ignore[index,valid-type]
        distinct = self.random.choice([it.distinct, it.distinct, it.distinct.by("low"), it.distinct.by(repr)])
        joined = (appended,) if self.random.random() < 0.1 else ()
        return self.beside(made, it.length.between(low, low + 3), distinct, *joined)

    def gathered(self, depth: int) -> Any:
        inner = self.random.choice(
            [self.whole, self.choice_of_text, self.moment, self.literal, self.day, self.decimal, lambda: OwnName]
        )()
        made = self.random.choice([set, frozenset])[inner]  # type: ignore[index]
        return self.beside(made, it.length <= 4)

    def fixed(self, depth: int) -> Any:
        if self.random.random() < 0.05:
            return tuple[()]
        items = tuple(self.declaration(depth) for _ in range(self.random.randint(1, 3)))
        if self.random.random() < 0.3:
            open_ended = tuple[(*items, *tuple[self.declaration(0), ...])]  # type: ignore[misc]
            return self.beside(open_ended, it.length <= 4)
        return tuple[items]  # type: ignore[valid-type]

    def keyed(self, depth: int) -> Any:
        keys = [str, str, int, UUID, Port, Annotated[str, it.matches("[a-z]+")], Annotated[str, trimmed, it.length <= 5], date,
                Annotated[int, it > 0], Decimal, float, bool, Literal["a", "b"], Deck, Colour, OwnName]  # fmt: skip
        kind = self.random.choice([dict, dict, Mapping])
        return self.beside(kind[self.random.choice(keys), self.declaration(depth)], it.length <= 3)  # type: ignore[index]

    def maybe(self, depth: int) -> Any:
        inner = self.declaration(depth)
        return inner if inner is None or inner is Any or inner is object else Union[inner, None]  # noqa: UP007

    def sealed(self, depth: int) -> Any:
        """What is held by a `Sealed`, with rules that are about what is inside."""
        inner = self.declaration(depth - 1)
        made = Sealed[inner]  # type: ignore[valid-type]
        kinds: list[Any] = [made, made | None, Annotated[Sealed[str], it.length.between(2, 9), trimmed], list[made],  # type: ignore[valid-type]
                            Sealed[str] | int, Annotated[Sealed[Port], about(title="sealed")], set[Sealed[int]], Sealed[Stack]]  # fmt: skip
        return self.random.choice(kinds)

    def union(self, depth: int) -> Any:
        roll = self.random.random()
        if roll < 0.4:
            return self.tagged(depth)
        if roll < 0.6:
            return self.random.choice(
                [
                    Annotated[Annotated[str, it.length <= 2] | Annotated[str, it.has("a")], unambiguous],
                    Annotated[int | Annotated[float, it > 2] | None, unambiguous], Annotated[Span | Tide, unambiguous],
                    Annotated[list[int] | list[Annotated[int, it > 3] | str] | str, unambiguous],
                    Annotated[Annotated[str, holds(_no_x)] | Annotated[str, it.length > 2], unambiguous],
                    Annotated[Annotated[datetime, it > now] | str | None, unambiguous], Annotated[Fussy | Base, unambiguous],
                    Annotated[Annotated[dict[int, str], it.length < 3] | dict[Port, str], unambiguous],
                    list[int] | list[str], list[date] | list[str], dict[str, int] | dict[str, str], dict[str, int] | list[int],
                    tuple[int, str] | tuple[str, int], Base | Derived, Derived | Base | None, Box[int] | Box[str], Span | Tide | int,
                    Annotated[int, it > 5, otherwise(6)] | str, Annotated[str, trimmed] | int, Port | date | int,
                    *4 * [Annotated[Base | Span, tagged_by("type", beside="data", options={"base": Base, "span": Span})]],
                    Annotated[int | Tide | None, tagged_by("a", beside="b", options={"n": int, "t": Tide})],
                    Annotated[Stack | str, tagged_by("type", beside="data", options={"stack": Stack, "text": str})],
                    set[int] | str, Annotated[list[Base] | list[Derived], it.length <= 2], Stack | Span, int | str | None,
                    Port | str, Deck | int | str, Base | Any, dict[str, int] | Any, list[int] | Any, Annotated[Port | str, unambiguous], Annotated[Base | dict[str, int], unambiguous],
                    Annotated[datetime | Annotated[str, it.length < 25], unambiguous], datetime | str, Literal["a"] | str, Wide | Tide, Named | Base, list[Base | Derived] | list[Any],
                ]
            )  # fmt: skip
        first, second = self.random.choice(
            [(self.whole, self.text), (self.truth, self.text), (self.number, self.literal), (self.moment, self.whole),
             (self.whole, self.number), (self.day, self.text)]
        )  # fmt: skip
        return first() | second()

    def tagged(self, depth: int) -> Any:
        made = []
        defaults, named_tag = self.random.random() < 0.3, self.random.random() < 0.2
        for tag in ("crate", "pallet", "drum")[: self.random.randint(2, 3)]:
            kind: Any = Literal[tag]
            fields: list[Any] = [("kind", kind), ("held", self.declaration(depth - 1))]
            made.append(make_dataclass(self.name("Tagged"), [*fields[1:], (*fields[0], tag)] if defaults else fields))
        if named_tag:
            return Annotated[made[0] | made[1], tagged_by("kind")]
        if self.random.random() < 0.25:
            other = make_dataclass(
                self.name("Other"),
                [("kind", str), ("more", Annotated[dict[str, Any], rest], field(default_factory=dict))],
            )
            return Annotated[made[0] | other | made[1], tagged_by("kind", others=other)]
        return made[0] | made[1] | made[2] if len(made) == 3 else made[0] | made[1]

    def record(self, depth: int) -> Any:
        """A dataclass with fields of every kind, and rules between them."""
        random = self.random
        fields: list[Any] = []
        names = self.names_of(4)
        for number in range(random.randint(1, 4)):
            kind = self.declaration(depth)
            marks: list[Any] = []
            if random.random() < 0.1:
                marks.append(
                    named(random.choice(["wire-name", "a/b", "x~y", "Ünicode", "$ref", "__class__"]) + str(number))
                )
            if random.random() < 0.05:
                marks.append(named(f"now_{number}", formerly=[f"before_{number}", f"then {number}"]))
            if random.random() < 0.07:
                marks.append(also_named(f"other_{number}", f"old name {number}"))
            if random.random() < 0.06:
                marks.append(secret)
            if random.random() < 0.1:
                marks.append(about(title=f"Field {number}", text="what it is", deprecated=random.random() < 0.5))
            if marks:
                kind = Annotated[(kind, *marks)]  # type: ignore[assignment]
            if random.random() < 0.05:
                kind = Final[kind]  # type: ignore[valid-type]
            fields.append((names[number], kind))
        rules: list[Any] = []
        if random.random() < 0.3:
            fields += [("low", int), ("high", int)]
            rules.append(
                random.choice(
                    [this.high > this.low, this.high >= this.low + 2, this.low != this.high, this.high / this.low >= 1,
                     this.high % this.low == 0]
                )
            )  # fmt: skip
        if random.random() < 0.1:
            fields += [("departs", datetime), ("arrives", datetime)]
            rules.append(
                random.choice(
                    [this.arrives > this.departs + timedelta(hours=1), this.arrives - this.departs < timedelta(days=90)]
                )
            )
        if random.random() < 0.25:
            hazard = Literal["none", "acid", "gas"]
            default = random.random() < 0.5
            fields += [("hazard", hazard, "none")] if default else [("hazard", hazard)]
            absent = random.random() < 0.3
            fields += [
                ("number", int | None | Absent, ABSENT) if absent else ("number", int | None, None),
                ("note", str | Absent, ABSENT) if absent else ("note", str | None, None),
            ]
            rules.append(
                random.choice(
                    [
                        *_conditions(default),
                        when(this.hazard != "none").needs("number"),
                        when(this.hazard == "none").forbids("number"),
                        when((this.hazard != "none") & ~(this.note == "x")).needs("number"),
                        when(~((this.hazard == "gas") | (this.note == "ABC"))).forbids("number"),
                        when((this.number > 2) | (this.hazard == "acid")).needs("note"),
                        when(~(this.hazard == "none") & (this.number != 7)).needs("note"),
                        needs("number", given="note"),
                        at_least_one("number", "note"),
                        at_most_one("number", "note"),
                        exactly_one("number", "note"),
                        all_or_none("number", "note"),
                    ]
                )
            )
        if random.random() < 0.1:
            fields.append(("perhaps", Union[self.declaration(depth), Absent], ABSENT))  # noqa: UP007  of any type
        if random.random() < 0.15:
            fields.append(("spare", int, 3))
            fields.append(("tags", list[str], field(default_factory=list)))
        if random.random() < 0.08:
            key = random.choice([str, str, Annotated[str, it.matches("[a-z]+")]])
            if random.random() < 0.4:
                ours = Annotated[dict[Annotated[str, it.starts_with("x-")], self.declaration(0)], rest]
                fields.append(("ours", ours, field(default_factory=dict)))
            fields.append(("more", Annotated[dict[key, self.declaration(0)], rest], field(default_factory=dict)))  # type: ignore[misc]
        elif random.random() < 0.1:
            rules.append("refuse" if random.random() < 0.7 else "drop")
        if random.random() < 0.08:
            kind = random.choice(list(CONSTANTS))
            fields += [("rate", kind), ("rates", list[kind]), ("remark", str | None, None)]  # type: ignore[valid-type]
            rules.append(random.choice(compared_in_records(*CONSTANTS[kind])))
        if random.random() < 0.08:
            fields += [("lots", list[Tide]), ("span", Span), ("codes", list[str])]
            rules.append(random.choice([*_OF_HELD, *self.asking(*_OF_HELD_FROM_OUTSIDE)]))
        if random.random() < 0.1:
            fields += self.changing()
            rules.append(
                random.choice(
                    [this.one != this.other, this.one == this.other, (this.one != this.other) | (this.noted == "a"), _all_differ,
                     this.noted.obeys(holds(_no_x)), this.at.obeys(it > now), when(this.one == this.other).needs("noted"),
                     *self.asking(this.at >= MOMENT, among(_on_file))]
                )
            )  # fmt: skip
        if random.random() < 0.08:
            fields.append(("again", Self | None, None))
            again, makes = random.choice(
                [(list[Self], list), (dict[str, Self], dict), (list[list[Self] | None], list), (Box[Self] | None, _nothing),
                 (list[Self | int], list), (list[Self], _no_items)]
            )  # fmt: skip
            fields.append(("within", again, field(default_factory=makes)))
        fields.sort(key=lambda each: len(each))
        made: Any = self.of_any_form(fields)
        unknown = next((rule for rule in rules if isinstance(rule, str)), None)
        rules = [rule for rule in rules if not isinstance(rule, str)]
        if rules or unknown:
            made = obeys(
                *rules, unknown=unknown, both_ways=random.random() < 0.5, keys=random.choice([None, None, camel, kebab])
            )(made)
        if random.random() < 0.12:
            return (
                Amendment[made]
                if random.random() < 0.7
                else Annotated[Amendment[made], without(fields[0][0]), demanding(fields[-1][0])]
            )
        if random.random() < 0.08 and len(fields) > 1:
            return subset(made, without=fields[0][0], name=self.name("Part"))
        return made

    def of_any_form(self, fields: list[Any]) -> Any:
        """A record of a form that can hold such fields; where they have no defaults, mostly a dataclass."""
        form = self.random.random()
        bare = [(name, kind) for name, kind, *default in fields if not default or name in ("ours", "more")]
        if len(bare) == len(fields) and form < 0.4 and not any(get_origin(kind) is Final for _, kind in bare):
            self.random.shuffle(bare)
            if form < 0.2 or any(name.startswith("_") for name, _ in bare):
                return TypedDict(self.name("Keys"), dict(bare))  # type: ignore[operator]
            return NamedTuple(self.name("Row"), bare)  # type: ignore[misc]
        return make_dataclass(self.name("Made"), fields, slots=form < 0.7)

    def changing(self) -> list[Any]:
        """Two fields of one type that hold what steps change, a text and a moment."""
        text = Annotated[(str, *self.random.sample([trimmed, lowered, uppered], 1))]  # type: ignore[valid-type]
        kind = self.random.choice([list[text], dict[str, text], Box[text], tuple[text, int], list[Box[text]], Box[text] | None, text | None,
                                   Annotated[list[Box[text]], it.distinct.by("held")], Annotated[list[text], it.contains("a")],
                                   Annotated[list[text], it.distinct.by(_first, both_ways=True)], set[text], Sealed[text],
                                   Annotated[list[text], holds(bool, both_ways=True)], Annotated[text, otherwise("")]])  # fmt: skip
        return [("one", kind), ("other", kind), ("noted", Annotated[str, it.length <= 3, trimmed]), ("at", datetime)]

    def loose_record(self, depth: int) -> Any:
        """A TypedDict whose keys may be absent, and what they need of each other."""
        random = self.random
        names = self.names_of(4, KEYS)
        kinds = {name: self.declaration(depth) for name in names[: random.randint(2, 4)]}
        fields = {name: NotRequired[kind] if random.random() < 0.7 else kind for name, kind in kinds.items()}  # type: ignore[valid-type]
        more = random.random()
        if more < 0.2:
            fields["decks"] = Annotated[int, if_absent(2)]
            fields["on"] = Annotated[date, if_absent(sent="2026-05-04")]
        elif more < 0.35:
            fields["barred"] = NotRequired[Never]
        made: Any = TypedDict(self.name("Loose"), fields)  # type: ignore[operator]
        first, second = random.sample(sorted(kinds), 2)
        rules = [needs(first, given=second), at_least_one(first, second), at_most_one(first, second), exactly_one(first, second),
                 all_or_none(first, second), this[first].came | this[second].came, ~(this[first].came & this[second].came),
                 when(this[first].came).obeys(this[second].has_value).or_else.forbids(second)]  # fmt: skip
        if 0.35 < more < 0.45:
            counted = random.choice(
                [this.length != 3, when(this.length > 2).needs(first), (this.length < 4) | this[first].has_value]
            )
            return obeys(this.length >= 1, counted, unknown="refuse")(made)
        return obeys(random.choice(rules))(made) if random.random() < 0.6 else made

    def ready_made(self, depth: int) -> Any:
        inner = self.declaration(0)
        kinds: list[Any] = [
            Span,
            Tide,
            Wide,
            Named,
            Derived,
            Computing,
            Checked,
            Fussy,
            Stack,
            Swapped[int, str],
            Listed[int],
            Box[Listed[str]],
        ]
        kinds += [Box[inner], Loose[inner]]
        return self.random.choice(kinds)

    def itself(self, depth: int) -> Any:
        """A type that leads to itself by its name in quotes."""
        random, name = self.random, self.name("Itself")
        leaf = random.choice([self.text, self.whole, self.day, self.truth, self.choice_of_text])()
        inner = random.choice([name, name, f"{name} | None", f"dict[str, {name}]"])
        kinds: list[Any] = [
            list[inner] | leaf,  # type: ignore[valid-type]
            dict[str, inner] | list[inner] | leaf | None,  # type: ignore[valid-type]
            Annotated[list[inner], it.length <= 2] | leaf,  # type: ignore[valid-type]
            dict[Port, inner] | leaf,  # type: ignore[valid-type]
            tuple[inner, ...] | leaf,  # type: ignore[valid-type]
            tuple[leaf, Union[inner, None]],  # type: ignore[valid-type]  # noqa: UP007
            list[inner] | list[leaf | str],  # type: ignore[valid-type]
            Annotated[list[inner], it.length <= 3],  # type: ignore[valid-type]
            Box[Union[inner, int]] | leaf,  # type: ignore[valid-type]  # noqa: UP007
            Annotated[str, secret] | list[inner],  # type: ignore[valid-type]
            Annotated[dict[str, inner] | leaf, about(title="what leads to itself")],  # type: ignore[valid-type]
        ]
        self.names[name] = random.choice(kinds)
        return random.choice([self.names[name], name, list[name], Annotated[name, about(text="again")]])  # type: ignore[valid-type]

    several: tuple[Callable[[Maker, int], Any], ...] = (
        ready_made, itself, ready_made, listed, listed, gathered, fixed, keyed, maybe, maybe, union, record, record, record, record,
        loose_record, ready_made, sealed,
    )  # fmt: skip


PARTS = ("path", "query", "headers", "cookies", "form")


def any_part(seed: int) -> tuple[str, Any]:
    """A part of a request that is read from text, and a record that it may be."""
    maker, part = Maker(seed), PARTS[seed % len(PARTS)]
    random = maker.random
    kinds = [maker.text, maker.choice_of_text, maker.formatted, maker.whole, maker.number, maker.decimal, maker.truth,
             maker.moment, maker.local, maker.day, maker.written, maker.staged, maker.formed]  # fmt: skip
    fields: list[Any] = []
    for number in range(random.randint(1, 3)):
        kind, roll = random.choice(kinds)(), random.random() if part != "path" else 1
        several: Any = list[kind]
        fields.append([f"field_{number}", several if roll < 0.2 else kind, *([None] if 0.2 <= roll < 0.4 else [])])
        if 0.2 <= roll < 0.4:
            fields[-1][1] = kind | None
    fields.sort(key=len)
    if part == "form" and random.random() < 0.5:
        inner: Any = make_dataclass(maker.name("Row"), [("a", random.choice(kinds)()), ("b", random.choice(kinds)())])
        fields = [("rows", list[inner]), ("one", inner), *fields]
    return part, make_dataclass(maker.name("Part"), fields)


def any_declaration(seed: int, *, asks: bool = False) -> tuple[Any, dict[str, Any]]:
    """A declaration, and the words for its gate; one that `asks` does so outside of the data too."""
    maker = Maker(seed, asks=asks)
    declared = maker.declaration(maker.random.choice([1, 2, 3, 3]))
    words: dict[str, Any] = {}
    if maker.random.random() < 0.1:
        words["keys"] = maker.random.choice([camel, kebab])
    if maker.random.random() < 0.05:
        words["lenient"] = True
    if maker.random.random() < 0.2:
        words["unknown"] = "refuse"
    if maker.random.random() < 0.1:
        words["limits"] = Limits(
            depth=maker.random.choice([24, 64]),
            items=maker.random.choice([50, 1000]),
            faults=maker.random.choice([1, 3, 100]),
        )
    if maker.names:
        words["names"] = maker.names
    return declared, words


def loaded(source: str) -> Any:
    """The gate of a module of declarations."""
    module = types.ModuleType("declared_again")
    sys.modules["declared_again"] = module
    exec(compile(source, "<declared again>", "exec"), module.__dict__)
    return module.gate
