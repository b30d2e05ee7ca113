"""Ordinary back-end work, declared as a new user would: each recipe admits, refuses at the right places, documents, releases.

What each shows is its name. The scenario is that of the ferries; nothing in it is real.
"""

# Rooms: declare, shape, engine, gates, document

from __future__ import annotations

import sys
from collections.abc import Mapping, Sequence
from dataclasses import InitVar, dataclass, field, make_dataclass, replace
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from enum import Enum, Flag, IntEnum
from ipaddress import IPv4Address, IPv6Network
from pathlib import Path
from typing import Annotated, Any, Generic, Literal, NamedTuple, NewType, NotRequired, TypedDict, TypeVar
from uuid import UUID
from zoneinfo import ZoneInfo

import pytest

from dutiful_gate import (
    ABSENT,
    Absent,
    Amendment,
    Catalogue,
    DocumentGate,
    Email,
    Gate,
    Patch,
    Refused,
    Sealed,
    Source,
    WebUrl,
    Wrong,
    about,
    among,
    byte_size,
    camel,
    changed,
    exactly_one,
    goes_out,
    holds,
    it,
    named,
    needs,
    obeys,
    or_infinite,
    otherwise,
    outside,
    rest,
    secret,
    speaking,
    split_on,
    subset,
    tagged_by,
    takes,
    this,
    time_span,
    trimmed,
    uppered,
    via,
    when,
)
from dutiful_gate.catalogues import GERMAN
from dutiful_gate.config import Environment, File, RefusedSettings, Settings
from dutiful_gate.web import amended, patched

T = TypeVar("T")
PortCode = Annotated[str, trimmed, uppered, it.matches(r"[A-Z]{3}")]
limit = outside("recipe_limit", int, samples=[2])
codes = outside("recipe_codes", frozenset[str], samples=[frozenset({"QLP", "MRW"})])
HANDED = [limit(2), codes(frozenset({"QLP", "MRW"}))]


class Recipe:
    """A declaration, payloads that are sound, what their last is released as, and such as are refused, each with the
    pointers of its faults."""

    def __init__(
        self,
        declared: Any,
        sound: list[Any],
        wrong: Mapping[Any, Any] | list[tuple[Any, list[str]]],
        out: Any = None,
        **words: Any,
    ) -> None:
        self.declared, self.sound, self.wrong, self.out, self.words = declared, sound, list(wrong), out, words


# Orders and invoices


@dataclass
class Line:
    article: Annotated[str, it.length.between(1, 40)]
    count: Annotated[int, it >= 1]
    price: Annotated[Decimal, it >= 0, it.multiple_of(Decimal("0.01"))]


@dataclass
@obeys(this.lines.length >= 1)
class Order:
    number: UUID
    lines: Annotated[list[Line], it.distinct.by("article")]
    ship_to: PortCode
    note: str | None = None


def adds_up(invoice: Any) -> None:
    if sum((each.count * each.price for each in invoice.lines), Decimal(0)) != invoice.total:
        raise Wrong("needs the sum of its lines", at=this.total)


@dataclass
@obeys(this.due >= this.made, adds_up)
class Invoice:
    made: date
    due: date
    lines: list[Line]
    total: Decimal


# Money, geo data, own types of three makes


class Money:
    def __init__(self, amount: Decimal, currency: str) -> None:
        self.amount, self.currency = amount, currency

    @classmethod
    def of(cls, text: str) -> Money:
        amount, _, currency = text.partition(" ")
        return cls(Decimal(amount), currency)

    def __str__(self) -> str:
        return f"{self.amount} {self.currency}"

    def __eq__(self, other: object) -> bool:
        return str(self) == str(other)

    __hash__ = None  # type: ignore[assignment]


Price = Annotated[
    Money,
    via(Annotated[str, it.matches(r"[0-9]+\.[0-9]{2} (TSC|QLC)")], made=Money.of, back=str, samples=["12.50 TSC"]),
]


class Point(NamedTuple):
    east: Annotated[float, it.between(-180, 180)]
    north: Annotated[float, it.between(-90, 90)]


class Track:
    def __init__(self, points: list[Point]) -> None:
        self.points = points

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Track) and self.points == other.points

    __hash__ = None  # type: ignore[assignment]


TrackOf = Annotated[
    Track,
    via(
        Annotated[list[Point], it.length >= 2],
        made=Track,
        back=lambda track: track.points,
        samples=[[{"east": 0, "north": 0}, {"east": 1, "north": 1}]],
    ),
]


@via(int, back=lambda knots: knots.value, samples=[12])
class Knots:
    def __init__(self, value: int) -> None:
        if value > 60:
            raise ValueError("no ferry is as fast")
        self.value = value

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Knots) and self.value == other.value

    __hash__ = None  # type: ignore[assignment]


@dataclass
class Passage:
    fare: Price
    track: TrackOf
    speed: Knots


# Webhooks: several kinds, by tag; others as they come


@dataclass
class Berthed:
    kind: Literal["berthed"]
    berth: int


@dataclass
class Sailed:
    kind: Literal["sailed"]
    at: datetime


Event = Annotated[Berthed | Sailed, tagged_by("kind")]


@dataclass
class Hook:
    events: list[Event]
    sent_to: WebUrl


@dataclass
class OtherEvent:
    kind: str
    more: Annotated[dict[str, Any], rest] = field(default_factory=dict)


@dataclass
class AnyHook:
    """One of kinds that are known, or whatever came."""

    event: Annotated[
        Berthed | Sailed | OtherEvent, tagged_by("kind", others=OtherEvent), about(text="Others are kept.")
    ]


@dataclass
class Remark:
    text: str | Absent | None = ABSENT


# Calendars, zones, durations


class Day(Enum):
    MONDAY = "mo"
    FRIDAY = "fr"


@dataclass
@obeys(exactly_one("until", "times"), this.ends > this.starts)
class Timetable:
    zone: ZoneInfo
    starts: time
    ends: time
    days: Annotated[set[Day], it.length >= 1]
    every: Annotated[timedelta, it > timedelta(0)]
    until: date | None = None
    times: Annotated[int, it.between(1, 400)] | None = None


# Sign-up


@dataclass
@obeys(this.password == this.again)
class SignUp:
    email: Email
    password: Annotated[str, secret, it.length >= 12, it.has("[0-9]")]
    again: Annotated[str, secret]


# Trees, pages, mappings, unions


@dataclass
class Hold:
    name: str
    inside: list[Hold] = field(default_factory=list)
    beside: Hold | None = None


@dataclass
class Page(Generic[T]):
    items: list[T]
    following: Annotated[int, it >= 1] | None = None


Stock = dict[Annotated[str, it.matches(r"[A-Z]{2}-[0-9]+")], Annotated[int, it >= 0]]
Either = int | Annotated[str, it.length >= 2] | list[int]


class Deck(IntEnum):
    LOWER = 1
    UPPER = 2


class Hazard(Flag):
    ACID = 1
    GAS = 2


class Tide(TypedDict):
    height: float
    at: NotRequired[time]


@dataclass
class Kinds:
    deck: Deck
    hazard: Hazard
    tide: Tide
    point: Point
    seal: bytes
    manifest: Path
    host: IPv4Address
    net: IPv6Network
    rate: Annotated[float, or_infinite] = 0.0


BookingRef = NewType("BookingRef", str)


@dataclass(kw_only=True)
class Base:
    ref: Annotated[BookingRef, it.starts_with("TS-")]


@dataclass(kw_only=True)
class Special(Base):
    weight: float
    in_tonnes: InitVar[bool] = False

    def __post_init__(self, in_tonnes: bool) -> None:
        self.weight *= 1000 if in_tonnes else 1


# Rules between fields


@dataclass
@obeys(
    needs("un_number", given="hazard"),
    when(this.hazard == "gas").obeys(this.deck == "open"),
    (this.arrives - this.leaves <= timedelta(hours=9)) & (this.arrives > this.leaves),
)
class Freight:
    leaves: datetime
    arrives: datetime
    deck: Literal["open", "closed"] = "closed"
    hazard: Literal["acid", "gas"] | None = None
    un_number: Annotated[str, it.matches("UN[0-9]{4}")] | None = None


# What is known at run time


@takes(limit)
def within(crates: list[str], recipe_limit: int) -> bool:
    return len(crates) <= recipe_limit


@dataclass
class Limited:
    crates: Annotated[list[str], holds(within, says="needs as few crates as you may send")]
    port: Annotated[str, it.one_of(codes)]
    pallets: Annotated[int, it <= limit] = 0


def on_file(ports: Sequence[str]) -> list[str]:
    return [port for port in ports if port in ("QLP", "OST")]


@dataclass
class Checked:
    origin: Annotated[str, among(on_file, says="needs a port on file")]
    stops: list[Annotated[str, among(on_file)]] = field(default_factory=list)


FIELDS = [{"name": "berth", "kind": "int", "least": 1}, {"name": "name", "kind": "str", "least": None}]


@dataclass
class Standing:
    hold: Hold
    tags: dict[str, str] = field(default_factory=dict)


@dataclass
class Database:
    url: str
    pool: Annotated[int, it.between(1, 50)] = 5


@dataclass
class Service:
    port: Annotated[str, it.matches("[A-Z]{3}")]
    storage: Database
    largest: Annotated[int, byte_size]
    keeps: Annotated[timedelta, time_span]
    token: Annotated[Sealed[str], it.length >= 10]
    hosts: Annotated[list[str], split_on(",")] = field(default_factory=list)


AtRunTime: Any = make_dataclass(
    "AtRunTime",
    [(each["name"], Annotated[int, it >= each["least"]] if each["kind"] == "int" else str) for each in FIELDS],
)


# Names, messages, what goes out


@dataclass
@obeys(keys=camel)
class Wire:
    port_code: Annotated[str, uppered]
    lot_size: Annotated[int, named("lots", formerly="lotSize")]
    inner_part: Tide | None = None


@dataclass
class Spoken:
    port: Annotated[
        str, it.matches("[A-Z]{3}").says("{label} is three letters, such as QLP; not {given}"), about(title="The port")
    ]


@dataclass
class Crate:
    weight: float
    count: int

    @property
    @goes_out
    def total(self) -> float:
        return self.weight * self.count


@dataclass
class Account:
    name: str
    pin: Annotated[str, secret]
    note: Annotated[str, about(write_only=True)] = ""


@dataclass(frozen=True)
class Fixed:
    port: PortCode
    berth: Annotated[int, it >= 1]


@dataclass
class Defaulted:
    origin: str
    label: str = ""

    def __post_init__(self) -> None:
        self.label = self.label or f"from {self.origin}"


@dataclass
class Extended:
    name: str
    tags: Annotated[list[str], split_on(",")] = field(default_factory=list)
    colour: Annotated[Literal["red", "blue"], otherwise("red")] = "red"
    more: Annotated[dict[str, int], rest] = field(default_factory=dict)


UTC_NOON = "2026-05-04T12:00:00Z"
SOUND_LINE = {"article": "rope", "count": 2, "price": 1.5}
KINDS: dict[str, Any] = {
    "deck": 2, "hazard": 3, "tide": {"height": 1.5, "at": "09:30:00"}, "point": {"east": 1, "north": 2}, "seal": "cm9wZQ==", "manifest": "manifests/today.csv",
    "host": "192.0.2.7", "net": "2001:db8::/32",
}  # fmt: skip
RECIPES: dict[str, Recipe] = {
    "orders": Recipe(Order, [{"number": "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "lines": [SOUND_LINE], "ship_to": " qlp "}],
        [({"number": "x", "lines": [], "ship_to": "Q"}, ["/number", "/lines", "/ship_to"]),
         ({"number": "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "lines": [SOUND_LINE, {**SOUND_LINE, "count": 0, "price": 0.001}, SOUND_LINE], "ship_to": "QLP"},
          ["/lines/1/count", "/lines/1/price"])],
        {"number": "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e", "lines": [{"article": "rope", "count": 2, "price": 1.5}], "ship_to": "QLP", "note": None}),
    "invoices": Recipe(Invoice, [{"made": "2026-05-04", "due": "2026-06-04", "lines": [SOUND_LINE], "total": 3}],
        [({"made": "2026-05-04", "due": "2026-05-03", "lines": [SOUND_LINE], "total": 3}, ["/due"]),
         ({"made": "2026-05-04", "due": "2026-06-04", "lines": [SOUND_LINE], "total": 4}, ["/total"])]),
    "money, geo data, own types of three makes": Recipe(Passage, [{"fare": "12.50 TSC", "track": [{"east": 0, "north": 1}, {"east": 2.5, "north": 3}], "speed": 12}],
        [({"fare": "12.5 TSC", "track": [{"east": 0, "north": 91}], "speed": 61}, ["/fare", "/track", "/track/0/north", "/speed"])],
        {"fare": "12.50 TSC", "track": [{"east": 0.0, "north": 1.0}, {"east": 2.5, "north": 3.0}], "speed": 12}),
    "webhooks": Recipe(Hook, [{"events": [{"kind": "berthed", "berth": 3}, {"kind": "sailed", "at": UTC_NOON}], "sent_to": "https://quays.example/hook"}],
        [({"events": [{"kind": "berthed", "berth": "3"}, {"kind": "sunk"}, {}], "sent_to": "quays"}, ["/events/0/berth", "/events/1/kind", "/events/2/kind", "/sent_to"])]),
    "webhooks of unknown kinds": Recipe(AnyHook, [{"event": {"kind": "sailed", "at": UTC_NOON}}, {"event": {"kind": "moored", "line": 2}}],
        [({"event": "sailed"}, ["/event"]), ({"event": {"kind": "sailed", "at": "now"}}, ["/event/at"])], {"event": {"kind": "moored", "line": 2}}),
    "calendars with recurrences": Recipe(Timetable, [{"zone": "Europe/London", "starts": "06:00:00", "ends": "20:30:00", "days": ["mo", "fr"], "every": "PT90M", "times": 12}],
        [({"zone": "Europe/Quillport", "starts": "06:00:00", "ends": "20:30:00", "days": [], "every": "PT0S", "times": 12}, ["/zone", "/days", "/every"]),
         ({"zone": "Europe/London", "starts": "21:00:00", "ends": "20:30:00", "days": ["mo"], "every": "PT1H", "times": 1, "until": "2026-09-01"}, ["/ends", "/until"])]),
    "sign-up": Recipe(SignUp, [{"email": "desk@ternsound.example", "password": "correct horse 7", "again": "correct horse 7"}],
        [({"email": "desk", "password": "short", "again": "other"}, ["/email", "/password", "/password"]),
         ({"email": "desk@ternsound.example", "password": "correct horse 7", "again": "correct horse 8"}, ["/password"])],
        {"email": "desk@ternsound.example"}),
    "optional trees": Recipe(Hold, [{"name": "a", "inside": [{"name": "b", "beside": {"name": "c"}}]}],
        [({"name": "a", "inside": [{"name": "b", "inside": [{}]}]}, ["/inside/0/inside/0/name"])],
        {"name": "a", "inside": [{"name": "b", "inside": [], "beside": {"name": "c", "inside": [], "beside": None}}], "beside": None}),
    "generic pages": Recipe(Page[Line], [{"items": [SOUND_LINE], "following": 2}, {"items": []}], [({"items": [{}], "following": 0}, ["/items/0/article", "/items/0/count", "/items/0/price", "/following"])],
        {"items": [], "following": None}),
    "mappings with patterned keys": Recipe(Stock, [{"TS-1": 4}, {}], [({"TS-1": -1, "ts-2": 1}, ["/TS-1", "/ts-2"])], {}),
    "unions without tags": Recipe(list[Either], [[1, "ab", [2, 3]]], [([1.5, "a", [None], None], ["/0", "/1", "/2/0", "/3"])], [1, "ab", [2, 3]]),
    "enums, flags, tuples, bytes, paths, addresses": Recipe(Kinds, [KINDS],
        [({**KINDS, "deck": 3, "hazard": 8, "tide": {}, "point": {"east": 1}, "seal": "?", "host": "192.0.2", "net": "::1/200", "rate": "x"},
          ["/deck", "/hazard", "/tide/height", "/point/north", "/seal", "/host", "/net", "/rate"])],
        {**KINDS, "point": {"east": 1.0, "north": 2.0}, "rate": 0.0}),
    "inheritance, InitVar, kw_only, NewType": Recipe(Special, [{"ref": "TS-1", "weight": 2.5, "in_tonnes": True}], [({"ref": "1", "weight": "x"}, ["/ref", "/weight"])], {"ref": "TS-1", "weight": 2500.0}),
    "rules between fields and conditional ones": Recipe(Freight, [{"leaves": UTC_NOON, "arrives": "2026-05-04T14:00:00Z", "hazard": "gas", "un_number": "UN1075", "deck": "open"}],
        [({"leaves": UTC_NOON, "arrives": "2026-05-04T22:00:00Z", "hazard": "gas"}, ["/un_number", "/deck", "/arrives"])]),
    "limits of the user, codes known at run time": Recipe(Limited, [{"crates": ["a", "b"], "port": "QLP", "pallets": 2}], [({"crates": ["a"] * 3, "port": "OST", "pallets": 3}, ["/crates", "/port", "/pallets"])]),
    "a check against a database": Recipe(Checked, [{"origin": "QLP", "stops": ["OST"]}], [({"origin": "MRW", "stops": ["OST", "FNK", 1]}, ["/origin", "/stops/1", "/stops/2"])]),
    "partial updates": Recipe(Amendment[Order], [{"ship_to": "mrw"}, {"note": None}], [({}, [""]), ({"lines": [{}]}, ["/lines/0/article", "/lines/0/count", "/lines/0/price"])], {"note": None}),
    "partial updates of nested records": Recipe(Amendment[Standing], [{"hold": {"name": "b"}}, {"hold": {"beside": None}, "tags": {"a": None}}],
        [({}, [""]), ({"hold": {"name": 3}, "tags": {"a": 3}}, ["/hold/name", "/tags/a"])], {"hold": {"beside": None}, "tags": {"a": None}}),
    "patches": Recipe(Patch[Order], [[{"op": "replace", "path": "/note", "value": None}]], [([{"op": "replace", "path": "note"}], ["/0/value", "/0/path"])]),
    "absent and null": Recipe(Remark, [{"text": None}, {}, {"text": "a"}], [({"text": 3}, ["/text"])], {"text": "a"}),
    "nulls and defaults left out": Recipe(Line, [SOUND_LINE], [({}, ["/article", "/count", "/price"])], None, leaves_out=["nulls", "defaults"]),
    "a part of a record": Recipe(subset(Order, only=["ship_to", "note"]), [{"ship_to": "QLP"}], [({}, ["/ship_to"])], {"ship_to": "QLP", "note": None}),
    "a declaration made at run time": Recipe(AtRunTime, [{"berth": 1, "name": "Tern"}], [({"berth": 0}, ["/name", "/berth"])], {"berth": 1, "name": "Tern"}),
    "other names in the data, camelCase": Recipe(Wire, [{"portCode": "qlp", "lotSize": 2}, {"portCode": "qlp", "lots": 2, "innerPart": {"height": 1}}], [({"port_code": "qlp", "lots": "x"}, ["/portCode", "/lots"])],
        {"portCode": "QLP", "lots": 2, "innerPart": {"height": 1.0}}),
    "own messages": Recipe(Spoken, [{"port": "QLP"}], [({"port": "q"}, ["/port"])], {"port": "QLP"}),
    "computed properties": Recipe(Crate, [{"weight": 2.5, "count": 2}], [({"weight": 2.5, "count": 2.5}, ["/count"])], {"weight": 2.5, "count": 2, "total": 5.0}),
    "left out on the way out": Recipe(Account, [{"name": "desk", "pin": "0000", "note": "x"}], [({"name": 1, "pin": 0}, ["/name", "/pin"])], {"name": "desk"}),
    "frozen records": Recipe(Fixed, [{"port": "qlp", "berth": 1}], [({"port": "qlp", "berth": 0}, ["/berth"])], {"port": "QLP", "berth": 1}),
    "defaults by other fields": Recipe(Defaulted, [{"origin": "QLP", "label": "x"}, {"origin": "QLP"}], [({}, ["/origin"])], {"origin": "QLP", "label": "from QLP"}),
    "rows of a feed": Recipe(Extended, [{"name": "a", "tags": "x,y", "colour": "red", "size": "4"}], [({"name": "a", "size": "x"}, ["/size"])], source=Source.TEXT),
    "closed records": Recipe(Fixed, [{"port": "qlp", "berth": 1}], [({"port": "qlp", "berth": 1, "birth": 2}, ["/birth"])], {"port": "QLP", "berth": 1}, unknown="refuse"),
}  # fmt: skip


@pytest.mark.parametrize("name", RECIPES)
def test_each_recipe_as_a_whole(name: str) -> None:
    recipe = RECIPES[name]
    gate = Gate(recipe.declared, **recipe.words)
    document, released = gate.schema(), gate.schema(of="release")
    judge, judge_out = DocumentGate(document, formats="assert"), DocumentGate(released, formats="assert")
    stated = not document.unstated
    for payload in recipe.sound:
        value = gate.admit(payload, outside=HANDED)
        out = gate.release(value)
        assert judge_out.accepts(out), judge_out.examine(out).faults
        if gate.reads is Source.JSON and not any(
            field.use.has_steps for record in gate.shape.records.values() for field in record.fields
        ):
            assert judge.accepts(payload), judge.examine(payload).faults
    assert recipe.out is None or out == recipe.out
    for payload, pointers in recipe.wrong:
        verdict = gate.examine(payload, outside=HANDED)
        assert [fault.pointer for fault in verdict.faults] == pointers
        assert not (stated and gate.reads is Source.JSON and judge.accepts(payload))


def test_a_copy_of_a_frozen_record_is_checked() -> None:
    fixed = Fixed("QLP", 1)
    assert changed(fixed, berth=2) == Fixed("QLP", 2)
    with pytest.raises(Refused):
        changed(fixed, berth=0)
    with pytest.raises(Refused):
        Gate(Fixed).release(replace(fixed, berth=0))


def test_partial_updates_and_patches_of_what_is_at_hand() -> None:
    standings = Gate(Standing)
    held = standings.admit({"hold": {"name": "a", "inside": [{"name": "c"}]}, "tags": {"a": "x", "b": "y"}})
    sent = Gate(Amendment[Standing]).admit({"hold": {"name": "b"}, "tags": {"a": None}})
    record, updates = amended(standings, held, sent)
    assert (record.hold.name, record.hold.inside, record.tags) == ("b", held.hold.inside, {"b": "y"})
    assert updates == {"hold": record.hold, "tags": {"b": "y"}}
    patch = Gate(Patch[Standing]).admit(
        [{"op": "test", "path": "/tags/b", "value": "y"}, {"op": "remove", "path": "/hold/inside/0"}]
    )
    assert patched(standings, held, patch).hold.inside == []


def test_a_fuller_record_goes_out_as_the_one_that_is_declared() -> None:
    account = Gate(Account).admit({"name": "Ann", "pin": "1234", "note": "x"})
    assert Gate(subset(Account, without=["pin", "note"])).release(account) == {"name": "Ann"}


def test_settings_of_a_service(tmp_path: Any) -> None:
    (tmp_path / "desk.toml").write_text('port = "QLP"\nlargest = "10MiB"\n[storage]\nurl = "sqlite:///desk.db"\n')
    (tmp_path / "desk.test.toml").write_text('keeps = "90s"\n')
    service = Settings(
        Service,
        File("desk.toml"),
        File("desk.{profile}.toml", optional=True),
        Environment("DESK_"),
        profile_from="DESK_PROFILE",
        profiles=["test", "live"],
    )
    environ = {
        "DESK_PROFILE": "test",
        "DESK_STORAGE__POOL": "4",
        "DESK_HOSTS": "a.example, b.example",
        "DESK_TOKEN": "turnstone-7",
    }
    loaded = service.load(folder=tmp_path, environ=environ)
    assert loaded.value.storage == Database("sqlite:///desk.db", 4)
    assert (loaded.value.largest, loaded.value.keeps) == (10 * 2**20, timedelta(seconds=90))
    assert loaded.value.hosts == ["a.example", "b.example"]
    assert str(loaded.origin("keeps")) == "desk.test.toml:1:9"
    with pytest.raises(RefusedSettings) as refused:
        service.load(
            folder=tmp_path, environ=environ | {"DESK_STORAGE__POOL": "many", "DESK_TOKEN": "short", "DESK_PRT": "x"}
        )
    assert "short" not in str(refused.value)
    assert len(refused.value.faults) == 3
    with pytest.raises(RefusedSettings, match="live"):
        service.load(folder=tmp_path, environ=environ | {"DESK_PROFILE": "lvie"})


def test_a_translation() -> None:
    verdict = Gate(Spoken).examine({})
    with speaking(GERMAN):
        assert verdict.faults[0].message == "The port braucht einen Wert; es kam keiner"
    own = Catalogue(
        "fr",
        {"needs {wanted}; {came}": "il faut {wanted}; {came}", "a value": "une valeur", "none came": "il n'y en a pas"},
    )
    with speaking(own):
        assert verdict.faults[0].message == "The port il faut une valeur; il n'y en a pas"


@pytest.mark.skipif(sys.version_info < (3, 12), reason="type parameters came with Python 3.12 (PEP 695)")
def test_generics_and_aliases_of_pep_695(tmp_path: Any) -> None:
    source = """
from dataclasses import dataclass
from typing import Annotated
from dutiful_gate import Gate, it

type Code = Annotated[str, it.matches("[A-Z]{3}")]
type Nested[T] = T | list[Nested[T]]

@dataclass
class Box[T]:
    held: T
    code: Code

gate = Gate(Box[Nested[int]])
"""
    namespace: dict[str, Any] = {"__name__": "recipe_695"}
    exec(compile(source, "recipe_695", "exec"), namespace)
    gate: Gate[Any] = namespace["gate"]
    assert gate.admit({"held": [1, [2, []]], "code": "QLP"}).held == [1, [2, []]]
    assert [fault.pointer for fault in gate.examine({"held": [1, ["x"]], "code": "q"}).faults] == ["/held/1/0", "/code"]
