"""Promises at the edges: nothing raises on bad data, nothing is lost on the way out, one meaning whatever the road."""

# Rooms: engine, report, gates

from __future__ import annotations

import copy
import json
import pickle
import threading
from collections import UserDict, deque
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import InitVar, dataclass, field, make_dataclass
from datetime import UTC, date, datetime, time, timedelta, timezone
from decimal import Decimal
from email.message import Message
from enum import Enum, Flag
from ipaddress import IPv6Address
from typing import (
    Annotated,
    Any,
    Final,
    Generic,
    Literal,
    NamedTuple,
    NotRequired,
    Required,
    TypedDict,
    TypeVar,
)

import pytest

from dutiful_gate import (
    DeclarationError,
    Gate,
    Limits,
    Refused,
    Source,
    all_or_none,
    also_named,
    as_text,
    blank_is_none,
    goes_out,
    holds,
    in_utc,
    it,
    lowered,
    named,
    now,
    obeys,
    obeys_document,
    or_infinite,
    otherwise,
    payloads,
    rest,
    rounded_to,
    secret,
    tagged_by,
    then,
    this,
    trimmed,
    unreadable,
    utc_only,
    via,
    without_offset,
    written_as,
)

EAST = timezone(timedelta(hours=2))
ODD = timezone(timedelta(seconds=30))
T, A, B = TypeVar("T"), TypeVar("A"), TypeVar("B")


@obeys(this.a / this.b > 1, this.a % this.c == 0)
@dataclass
class Dividing:
    a: int
    b: int
    c: int


@obeys(this.ends - this.starts > timedelta(days=1), this.starts + timedelta(days=400) > this.ends)
@dataclass
class Long:
    starts: datetime
    ends: datetime


@dataclass
class Base:
    a: int


@dataclass
class Derived(Base):
    b: int = 2


@dataclass
class Node:
    kids: list[Node] = field(default_factory=list)


@dataclass
class Gathering:
    a: int
    more: Annotated[dict[str, int], rest] = field(default_factory=dict)


@dataclass
class Counted:
    more: Annotated[dict[str, int], rest, it.length >= 1]


@obeys(this.b > this.a)
@dataclass
class Ordered:
    a: int
    b: int


class One(TypedDict):
    a: int


class Two(TypedDict):
    a: int
    b: NotRequired[int]


class Postponed(TypedDict):
    a: Annotated[NotRequired[int], it > 0]
    b: Annotated[Required[str], trimmed]


class Pair(NamedTuple):
    a: int
    b: Annotated[str, trimmed] = "x"


class Port(Enum):
    QLP = "QLP"


class Hazard(Flag):
    ACID = 1
    GAS = 2
    DUST = 4
    WET = 3


@dataclass
class Initial:
    a: int
    more: InitVar[int]
    n: int = 0

    def __post_init__(self, more: int) -> None:
        self.n += more


@dataclass(eq=False)
class Unequal:
    a: int = 1


@dataclass
class Defaults:
    x: Unequal = field(default_factory=Unequal)
    y: Base = field(default_factory=lambda: Derived(1, 2))
    z: Initial = field(default_factory=lambda: Initial(1, 2))


@dataclass(frozen=True, slots=True)
class Frozen:
    a: Annotated[str, trimmed]


@dataclass
class Box(Generic[T]):
    v: T


@dataclass
class Labelled(Box[int], Generic[T]):
    label: T


@dataclass
class Both(Generic[A, B]):
    a: A
    b: B


@dataclass
class Swapped(Both[B, A], Generic[A, B]):
    c: A


@dataclass
class Mid(Box[list[T]], Generic[T]):
    w: T


@dataclass
class Crate:
    x: int
    kind: Literal["crate"] = "crate"


@dataclass
class Pallet:
    y: int
    kind: Literal["pallet"] = "pallet"


class CrateTag(Enum):
    CRATE = "c"


class PalletTag(Enum):
    PALLET = "p"


@dataclass
class TaggedCrate:
    kind: CrateTag
    x: int


@dataclass
class TaggedPallet:
    kind: PalletTag
    y: int


@dataclass
class First:
    kind: Literal[1]
    x: int


@dataclass
class Second:
    kind: Literal[2]
    y: int


@dataclass
class Fixed:
    x: Final[int] = 3


@dataclass
class Query:
    a: int
    tags: list[str] = field(default_factory=list)
    n: int | None = None
    on: bool = False
    at: Annotated[datetime, without_offset] | None = None


@dataclass
class Headers:
    berth: Annotated[int, named("x-berth")]
    tag: Annotated[list[str], named("X-TAG")]


@dataclass
class Renamed:
    origin: Annotated[str, also_named("from", "orig")]
    x: Annotated[int, also_named("y")] = 3


@dataclass
class Doubling:
    a: int

    @property
    @goes_out
    def double(self) -> Annotated[int, it < 100]:
        return self.a * 2


@dataclass
class Exactly:
    price: Decimal
    number: int
    port: Literal[0.5, 1]
    text: Annotated[str, obeys_document({"maxLength": 9})]
    anything: Any = None


BESIDE = Annotated[Crate | Pallet, tagged_by("type", beside="data", options={"crate": Crate, "pallet": Pallet})]


def upset(value: Any) -> Any:
    raise KeyError(value)


# What data is read as: None where it is refused, else the code of its first fault

READ: list[tuple[Any, Any, Any]] = [
    (Dividing, {"a": 1, "b": 0, "c": 0}, "agreement"),
    (Long, {"starts": "9999-12-31T00:00:00Z", "ends": "0001-01-01T00:00:00+05:00"}, "agreement"),
    (Annotated[Any, it > 0], "x", "kind"), (Annotated[Any, it > 0], True, "kind"), (Annotated[Any, it > 0], 1, 1),
    (Annotated[object, it.length < 3], 1, "kind"), (Annotated[Any, it.length < 3], [1], [1]), (Annotated[Any, it.length < 3], {"a": 1}, {"a": 1}),
    (Annotated[Any, it.matches("a")], 1, "kind"), (Annotated[Any, it.multiple_of(2)], "x", "kind"), (Annotated[str | Any, trimmed], 1, "kind"),
    (Annotated[Any, it.one_of("a", 1)], True, "choice"), (Annotated[Any, it.one_of("a", 1)], [], "choice"), (Annotated[Any, it == 1], 1.0, 1.0),
    (Annotated[Any, it.distinct], [1, True], [1, True]), (Annotated[Any, it.distinct], [1, 1.0], "repeat"), (Annotated[Any, it.distinct], "aa", "kind"),
    (Annotated[Any, it.contains("a")], 5, "kind"), (Annotated[str, then(lambda text: None), it > 3], "5", "kind"),
    (Annotated[list[dict[str, int]], it.distinct.by("a")], [{"a": 1}, {"b": 2}, {}], [{"a": 1}, {"b": 2}, {}]),
    (Annotated[list[dict[str, int] | None], it.distinct.by("a")], [{"a": 1}, None, {"a": 1}], "repeat"),
    (Annotated[datetime, without_offset, it < now], "2026-05-04T09:30:00", datetime(2026, 5, 4, 9, 30)),
    (set[int], [number * (2**61 - 1) for number in range(40)], "size"), (dict[int, int], {str(n * (2**61 - 1)): 1 for n in range(40)}, "size"),
    (Annotated[list[int], it.distinct], [number * (2**61 - 1) for number in range(40)], "size"), (set[int], list(range(99)), set(range(99))),
    (Annotated[list[Box[list[int]]], it.distinct], [{"v": [1]}, {"v": [1]}], "repeat"),
    (Annotated[int, otherwise(6)] | str, "x", "x"), (Annotated[int, otherwise(6)] | str, [], 6), (Counted, {}, "count"),
    (Labelled[str], {"v": 1, "label": "x"}, Labelled(1, "x")), (Labelled[str], {"v": "1", "label": "x"}, "kind"),
    (Swapped[int, str], {"a": "x", "b": 1, "c": 1}, Swapped("x", 1, 1)), (Mid[int], {"v": [1], "w": 2}, Mid([1], 2)),
    (Box[Box[Mid[int]]], {"v": {"v": {"v": [1], "w": 2}}}, Box(Box(Mid([1], 2)))), (Postponed, {"b": " x"}, {"b": "x"}),
    (Crate | Pallet, {"kind": "pallet", "y": 1}, Pallet(1)), (Crate | Pallet, {"y": 1}, "absent"), (Crate | Pallet, {"kind": None}, "branch"),
    (TaggedCrate | TaggedPallet, {"kind": "p", "y": 1}, TaggedPallet(PalletTag.PALLET, 1)),
    (Annotated[Crate | Pallet, tagged_by("kind")], {"kind": "crate", "x": 1}, Crate(1)), (Fixed, {"x": 4}, Fixed(4)),
    (Sequence[int], [1], [1]), (Mapping[str, int], {"a": 1}, {"a": 1}), (deque[int], [1], deque([1])), (Hazard, 5, Hazard.ACID | Hazard.DUST),
    (Hazard, 9, "choice"), (Hazard, "x", "kind"), (BESIDE, {"type": "pallet", "data": {"y": 1}}, Pallet(1)), (BESIDE, {"type": "z", "data": 1}, "branch"),
    (BESIDE, {"type": "pallet"}, "absent"), (BESIDE, {"type": "crate", "data": {"x": 1}, "more": 1}, "unknown"),
    (Renamed, {"from": "a", "y": 4}, Renamed("a", 4)), (Renamed, {"from": "a", "orig": "b"}, "repeat"), (Doubling, {"a": 1, "double": 9}, Doubling(1)),
    (Annotated[datetime, via(int)], 1_700_000_000, datetime(2023, 11, 14, 22, 13, 20, tzinfo=UTC)), (Annotated[datetime, via(int)], 10**20, "reading"),
    (Annotated[datetime | None, via(float)], 1.5, datetime(1970, 1, 1, 0, 0, 1, 500_000, tzinfo=UTC)),
    (Annotated[Decimal, as_text, it > 1], "12.50", Decimal("12.50")), (Annotated[Decimal, as_text], 12.5, "kind"),
    (Annotated[date, written_as("%d.%m.%Y")], "04.05.2026", date(2026, 5, 4)), (Annotated[date, written_as("%d.%m.%Y")], "30.02.2026", "reading"),
    (Annotated[time, written_as("%H:%M Uhr")], "09:30 Uhr", time(9, 30)), (Annotated[date, written_as("%d.%m.%Y")], 4, "kind"),
    (Annotated[datetime, written_as("%Y%m%dT%H%M%S%z")], "20260504T093000+0200", datetime(2026, 5, 4, 9, 30, tzinfo=EAST)),
    (Annotated[str, trimmed], "\x1c\x85a\ufeff", "\x1c\x85a"), (Annotated[list[int], holds(upset)] | str, "x", "x"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "data", "becomes"), READ, ids=range(len(READ)))
def test_data_is_read_or_refused_on_every_road(declared: Any, data: Any, becomes: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    verdicts = [gate.examine(data), gate.examine_json(json.dumps(data)), gate.examine_cbor(gate_cbor(data))]
    for verdict in verdicts:
        if isinstance(becomes, str) and (not verdict or verdict.value != becomes):
            assert [fault.code for fault in verdict.faults][:1] == [becomes]
            assert not gate.accepts(data)
            assert not Gate.from_schema(gate.schema(), formats="assert").accepts(data) or gate.schema().unstated
        else:
            assert verdict.value == becomes == gate.admit(data)
            assert type(verdict.value) is type(becomes)


def gate_cbor(data: Any) -> bytes:
    return Gate(Any, limits=Limits(digits=4300)).release_cbor(data)


# Objects that lie


class Lie:
    @property  # type: ignore[misc]
    def __class__(self) -> type:
        raise RuntimeError("no class")


class NoLength(list[Any]):
    def __len__(self) -> int:
        raise RuntimeError("no length")


class NoHash(str):
    def __hash__(self) -> int:
        raise RuntimeError("no hash")

    def __eq__(self, other: object) -> bool:
        raise RuntimeError("not equal")


class NoIso:
    def isoformat(self) -> str:
        raise RuntimeError("no form")


class NoKeys(UserDict[str, Any]):
    def __iter__(self) -> Any:
        raise OSError("no keys")


class Pretends:
    __class__ = dict  # type: ignore[assignment]


@dataclass
class Asked:
    a: int
    b: list[str]
    c: Any = None
    d: Literal["x", "y"] = "x"
    e: set[int] = field(default_factory=set)
    f: Base | int | None = None


LIARS: list[Callable[[], Any]] = [
    Lie,
    lambda: NoLength([1]),
    lambda: NoHash("x"),
    NoIso,
    lambda: NoKeys(a=1),
    Pretends,
    lambda: type,
    object,
]


@pytest.mark.parametrize("source", Source)
@pytest.mark.parametrize("liar", range(len(LIARS)))
def test_objects_that_lie_are_refused(liar: int, source: Source) -> None:
    gate = Gate(Asked, source)
    odd = LIARS[liar]()
    sound = {"a": 1, "b": []} if source is not Source.TEXT else {"a": "1", "b": []}
    for data in (
        {"a": odd, "b": []},
        {**sound, "b": [odd]},
        {**sound, "d": odd},
        {**sound, "e": [odd]},
        {**sound, "f": odd},
        odd,
        [odd],
    ):
        verdict = gate.examine(data)
        if not verdict:
            json.dumps([verdict.problem(), str(Refused(verdict)), verdict.by_field()])
        verdict.entered()
        assert gate.accepts(data) == bool(verdict)
    told = Gate(Asked).examine({"a": 1, "b": ["x", NoHash("x"), 3]})
    assert [fault.pointer for fault in told.faults] == ["/b/2"], "the rest is read"


@dataclass
class Manifest:
    first: One
    others: Annotated[dict[str, Any], rest] = field(default_factory=dict)


STRICT_BUT_FOR_ITS_ROOT: Gate[Any] = Gate(Manifest, unknown="refuse")


def test_a_rest_gathers_where_the_gate_refuses_what_is_unknown() -> None:
    told = STRICT_BUT_FOR_ITS_ROOT.examine({"first": {"a": 1, "b": 2}, "c": 3}).faults
    assert [(fault.pointer, fault.code) for fault in told] == [("/first/b", "unknown")]


# The way out

RELEASED: list[tuple[Any, Any, Any]] = [
    (Base | Derived, Derived(1, 3), {"a": 1, "b": 3}), (list[Base | Derived], [Derived(1), Base(2)], [{"a": 1, "b": 2}, {"a": 2}]),
    (list[date] | list[str], ["x"], ["x"]), (list[date] | list[str], [date(2026, 1, 1)], ["2026-01-01"]),
    (list[date] | list[str], [date(2026, 1, 1), "x"], "kind"), (One | Two, {"a": 1, "b": 2}, {"a": 1, "b": 2}), (One, {"a": 1, "b": 2}, "unknown"),
    (tuple[int, str] | tuple[str, int], ("a", 1), ["a", 1]), (dict[str, int] | dict[str, str], {"a": "b"}, {"a": "b"}), (str, "\ud800", "reading"),
    (float, float("nan"), "reading"), (Annotated[float, or_infinite], float("nan"), "reading"), (Any, object(), "kind"), (int, 10**5000, "reading"),
    (Any, {"a": {1: 2}}, "kind"), (Gathering, Gathering(1, {"a": 2}), "repeat"), (Gathering, Gathering(1, {"b": 2}), {"a": 1, "b": 2}),
    (Annotated[datetime, in_utc], datetime(2026, 1, 1, 12, tzinfo=EAST), "2026-01-01T10:00:00Z"), (Ordered, Ordered(2, 1), "agreement"),
    (Annotated[datetime, utc_only], datetime(2026, 1, 1, 12, tzinfo=EAST), "2026-01-01T10:00:00Z"), (datetime, datetime(2026, 1, 1), "reading"),
    (datetime, datetime(2026, 1, 1, 12, tzinfo=ODD), "2026-01-01T11:59:30Z"), (datetime, datetime(1, 1, 1, tzinfo=ODD), "reading"),
    (timedelta, timedelta.max, "P999999999DT23H59M59.999999S"), (timedelta, timedelta.min, "-P999999999D"), (time, time(9, tzinfo=ODD), "reading"),
    (timedelta, timedelta(days=950_000_000, hours=3), "P950000000DT3H"), (IPv6Address, IPv6Address("fe80::1%eth0"), "reading"),
    (Annotated[datetime, it > now], datetime(2020, 1, 1, tzinfo=UTC), "2020-01-01T00:00:00Z"), (Annotated[str, then(len), it < 5], 9, "ceiling"),
    (Annotated[str, then(date.fromisoformat)], date(2026, 1, 1), "kind"), (Annotated[int, it > 5, otherwise(0)], 0, 0),
    (Annotated[int, it > 5, otherwise(0)], 1, "floor"), (Base, {"a": 1}, "kind"), (Base, None, "kind"), (set[int], {3, 1}, [1, 3]),
    (Annotated[list[Annotated[str, trimmed]], it.distinct], [" a", "a"], "repeat"), (dict[Annotated[str, trimmed], int], {" a": 1, "a": 2}, "repeat"),
    (Annotated[str, trimmed, it.length < 3], " ab ", "ab"), (Annotated[list[int], obeys_document({"maxItems": 1})], [1, 2], "count"), (Decimal, Decimal("12.50"), 12.5),
    (Initial, Initial(1, 5), {"a": 1, "n": 5}), (BESIDE, Pallet(2), {"type": "pallet", "data": {"y": 2, "kind": "pallet"}}), (Pair, Pair(1, " y "), {"a": 1, "b": "y"}),
    (Doubling, Doubling(3), {"a": 3, "double": 6}), (Doubling, Doubling(300), "ceiling"), (Renamed, Renamed("a"), {"origin": "a", "x": 3}),
    (Annotated[datetime, via(int)], datetime(2026, 1, 1, tzinfo=UTC), 1767225600), (Annotated[datetime, via(int)], datetime(2026, 1, 1, 0, 0, 0, 5, tzinfo=UTC), "reading"),
    (Annotated[Decimal, as_text], Decimal("12.50"), "12.50"), (Annotated[date, written_as("%d.%m.%Y")], date(26, 5, 4), "04.05.0026"), (deque[int], deque([1]), [1]),
    (Annotated[datetime, without_offset, written_as("%d.%m.%Y %H:%M")], datetime(2026, 5, 4, 9, 30, 7), "reading"), (Hazard, Hazard.ACID | Hazard.DUST, 5),
    (Annotated[str | Any, trimmed], " a", "a"), (Annotated[str | None, trimmed, it.length >= 3, lowered], " ", "length"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "value", "plain"), RELEASED, ids=range(len(RELEASED)))
def test_values_made_in_code_go_out_or_are_refused(declared: Any, value: Any, plain: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    refused = _refusal(gate, value)
    if refused is not None:
        assert refused.faults[0].code == plain
        assert refused.__context__ is refused.__cause__ is None
        with pytest.raises(Refused):
            gate.release_json(value)
        return
    released = gate.release(value)
    assert released == plain
    assert Gate.from_schema(gate.schema(of="release"), formats="assert").accepts(released)
    asked_once = any(word in str(declared) for word in ("now", "Then", "Otherwise"))
    if not isinstance(value, Initial) and not asked_once:
        assert gate.accepts(released)
        assert gate.admit_json(gate.release_json(value)) is not None


def _refusal(gate: Gate[Any], value: Any) -> Refused | None:
    try:
        gate.release(value)
    except Refused as refused:
        return refused
    return None


def test_digits_and_what_was_admitted() -> None:
    gate = Gate(list[Decimal])
    assert gate.release_json([Decimal("12.50"), Decimal("1E+3")]) == b"[12.50,1E+3]"
    assert gate.release_admitted_json([Decimal("12.50")]) == b"[12.50]"
    assert Gate(list[Base | Derived]).release_admitted([Derived(1, 3), Base(1)]) == [{"a": 1, "b": 3}, {"a": 1}]
    loop = Node()
    loop.kids.append(loop)
    with pytest.raises(Refused, match="at most 64 levels deep"):
        Gate(Node).release(loop)


def test_a_decimal_beside_them_changes_no_other_field() -> None:
    gate = Gate(Exactly)
    raw = '{"price": 1.10, "number": 3.0, "port": 0.5, "text": "a", "anything": [1.5, 2.0]}'
    value = gate.admit_json(raw)
    assert (value, value.price.as_tuple().digits) == (gate.admit(json.loads(raw)), (1, 1, 0))
    assert type(value.anything[1]) is float
    assert [fault.code for fault in gate.examine_json(raw.replace("3.0", "1e400")).faults] == ["kind"]


# Typed values


def test_what_is_typed_already_stays_what_it_is() -> None:
    native = Source.NATIVE
    assert Gate(Initial, native).admit(Initial(1, 5)) == Initial(1, 5)
    assert Gate(Initial, native).admit({"a": 1, "more": 3}) == Initial(1, 3)
    assert Gate(Base, native).admit(Derived(1, 7)) == Derived(1, 7)
    assert Gate(Frozen, native).admit(Frozen(" x ")) == Frozen("x")
    assert Gate(Pair, native).admit(Pair(1, " y ")) == Pair(1, "y")
    assert Gate(deque[int], native).admit(deque([1])) == deque([1])
    made = Gate(Defaults).admit({})
    assert (made.x.a, made.y, made.z) == (1, Derived(1, 2), Initial(1, 2))


def test_a_gate_outlives_changes_of_its_class() -> None:
    @dataclass
    class Changing:
        a: int

    gate = Gate(Changing)
    assert gate.admit({"a": 1}).a == 1
    calls: list[int] = []
    before = Changing.__init__

    def counted(self: Any, a: int) -> None:
        calls.append(a)
        before(self, a)

    Changing.__init__ = counted  # type: ignore[method-assign]
    assert gate.admit({"a": 2}).a == 2
    assert gate.examine({"a": 3}).value.a == 3
    assert not gate.examine({"a": "x"})
    assert calls == [2, 3]


def test_gates_are_copied_and_travel_with_their_names() -> None:
    class Local(Enum):
        A = "a"

    @dataclass
    class Inner:
        x: int
        port: Local

    @dataclass
    class Holding:
        held: list[Inner]

    gate = Gate(Holding, names={"Inner": Inner, "Local": Local})
    assert copy.copy(gate) is copy.deepcopy(gate) is gate
    value = gate.admit({"held": [{"x": 1, "port": "a"}]})
    assert gate.release(value) == {"held": [{"x": 1, "port": "a"}]}
    value.held[0].x = "no"  # type: ignore[assignment]
    with pytest.raises(Refused, match="/held/0/x"):
        gate.release(value)
    with pytest.raises(
        pickle.PicklingError, match=r"the type .*Holding' cannot be found by its name; declare it at the top"
    ):
        pickle.dumps(gate)
    with pytest.raises(pickle.PicklingError, match=r"the function .*lambda"):
        pickle.dumps(Gate(Annotated[int, holds(lambda value: True)]))
    assert pickle.loads(pickle.dumps(Gate(list[Ordered]))).admit([{"a": 1, "b": 2}]) == [Ordered(1, 2)]


# Text


class Several(UserDict[str, Any]):
    def getlist(self, key: str) -> list[str]:
        return self.data[key]  # type: ignore[no-any-return]

    def __getitem__(self, key: str) -> Any:
        return self.data[key][0]


def test_forms_headers_and_rows() -> None:
    gate = Gate(Query, Source.TEXT)
    assert gate.admit(Several(a=["1"], tags=["x", "y"])) == Query(1, ["x", "y"])
    assert [str(fault) for fault in gate.examine(Several(a=["1", "2"])).faults] == ["/a: needs one value; got several"]
    form = {"a": "1", "tags": "", "n": " ", "on": "on", "at": "2026-05-04T09:30"}
    assert gate.admit(form) == Query(1, [], None, True, datetime(2026, 5, 4, 9, 30))
    assert [str(fault) for fault in gate.examine({"a": "", "on": "off"}).faults] == ["/a: needs a value; none came"]
    assert [fault.message for fault in gate.examine({"a": None, None: ["x"]}).faults] == [
        "needs at most 5 cells in a row; got more",
        "needs a value; the row ends before it",
    ]
    sent = Message()
    for name, text in (("X-Berth", "4"), ("x-tag", "a"), ("X-Tag", "b")):
        sent[name] = text
    assert Gate(Headers, Source.TEXT).admit(sent) == Headers(4, ["a", "b"])
    assert Gate(First | Second, Source.TEXT).admit({"kind": ["2"], "y": "1"}) == Second(2, 1)
    assert Gate(First | Second, lenient=True).admit({"kind": "2", "y": "1"}) == Second(2, 1)


# What is told when a gate is built

REFUSED: list[tuple[Callable[[], Any], str]] = [
    (lambda: obeys(this.a * 1.5 > 2)(make_dataclass("D", [("a", Decimal)])), "mixes decimal numbers with floats"),
    (lambda: obeys(this.a + this.b > 2)(make_dataclass("D", [("a", Decimal), ("b", float)])), "mixes decimal numbers with floats"),
    (lambda: list, r"list is no type that a gate can read; say what it holds, as in list\[str\]"), (lambda: dict, "as in dict"), (lambda: tuple, "as in tuple"),
    (lambda: Sequence, "as in Sequence"), (lambda: Annotated[int, lambda value: value > 3], "stands bare beside the type, and is never run; write holds"),
    (lambda: Annotated[int, str], r"write holds\(str\) for a check, or then\(str\)"), (lambda: Annotated[int, unreadable], "unreadable alone says nothing"),
    (lambda: Annotated[Crate | Pallet, tagged_by("x")], "does not tell the options apart"), (lambda: Annotated[date, written_as("%d.%m")], "needs %Y once"),
    (lambda: Annotated[str, written_as("%d.%m.%Y")], "is for dates and times, not for text"), (lambda: Annotated[datetime, written_as("%d.%m.%Y %H:%M")], "needs %z once"),
    (lambda: Annotated[date, written_as("%d.%m.%y")], "has %y, which does not belong"), (lambda: set[Box[list[int]]], "cannot be an item of a set"),
    (lambda: Annotated[datetime, it > now + timedelta(days=10**9 - 1)], "past the end of the calendar"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "told"), REFUSED, ids=range(len(REFUSED)))
def test_what_makes_no_sense_is_told(declared: Callable[[], Any], told: str) -> None:
    with pytest.raises(DeclarationError, match=told):
        Gate(declared())


def test_limits_keep_to_what_the_interpreter_can_follow() -> None:
    with pytest.raises(DeclarationError, match=r"give at most 150, or raise sys\.setrecursionlimit first"):
        Limits(depth=100_000)
    deep: Any = {}
    for _ in range(100):
        deep = {"kids": [deep]}
    told = Gate(Node).examine(deep).faults, Gate(Node).examine_json(json.dumps(deep)).faults
    assert told[0][0].path == told[1][0].path
    assert told[0][0].message == told[1][0].message
    last: Any = int
    for number in range(180):
        last = make_dataclass(f"Nested{number}", [("x", last)])
    gate = Gate(last, limits=Limits(depth=150))
    assert gate.schema()
    assert [fault.code for fault in gate.examine({"x": 1}).faults] == ["kind"]


class Mute:
    """A key that cannot be written, nor be pickled."""

    def __init__(self) -> None:
        self.lock = threading.Lock()

    def __str__(self) -> str:
        raise ValueError("quay-77")

    __repr__ = __str__


ODD_KEYS: list[Any] = [10**5000, -(10**5000), Mute(), (1, Mute()), lambda: 7, "\ud800", Decimal("NaN"), None]


@pytest.mark.parametrize("key", ODD_KEYS, ids=range(len(ODD_KEYS)))
@pytest.mark.parametrize("source", list(Source))
@pytest.mark.parametrize("declared", [dict[int, int], dict[str, int], dict[Annotated[str, secret], int], Dividing, Any])
def test_a_key_of_any_kind_is_told_in_a_fault(declared: Any, source: Source, key: Any) -> None:
    gate: Gate[Any] = Gate(declared, source, unknown="refuse")
    for verdict in (gate.examine({key: "x"}), gate.examine({"a": {key: [object()]}})):
        if verdict:
            continue
        told = [str(Refused(verdict)), json.dumps(verdict.problem()), str(verdict.by_field()), repr(verdict)]
        assert "quay-77" not in "".join(told)
        assert [fault.code for fault in pickle.loads(pickle.dumps(verdict)).faults] == [
            each.code for each in verdict.faults
        ]
    for release in (gate.release, gate.release_json):
        with suppress(Refused):
            release({key: 1})


def test_own_words_for_reading_and_items_that_are_none() -> None:
    gate: Gate[Any] = Gate(Annotated[date | None, unreadable.says("a day, not {given}")])
    assert [fault.message for fault in gate.examine("x").faults] == ["a day, not 'x'"]
    assert gate.examine(7).faults[0].message == "a day, not 7"
    several: Gate[Any] = Gate(
        Annotated[int | date | Annotated[bool, unreadable.says("yes or no")], unreadable.says("not {given}")]
    )
    assert [several.examine(odd).faults[0].message for odd in ("x", 1.5, None)] == ["not 'x'", "not 1.5", "not null"]
    for items in ({"a": 1}, "ab", b"ab", 7):
        (verdict,) = Gate(int).examine_each(items)  # type: ignore[arg-type]
        assert verdict.faults[0].message.startswith("needs an array of items; got ")


def test_samples_of_every_form() -> None:
    for declared in (
        BESIDE,
        Renamed,
        Doubling,
        Hazard,
        Annotated[date, written_as("%d.%m.%Y")],
        Annotated[Decimal, as_text, it > 1],
    ):
        gate: Gate[Any] = Gate(declared)
        assert all(gate.accepts(payload) for payload in payloads(gate, 20))


def test_rounded_and_secret_stay_as_declared() -> None:
    assert Gate(Annotated[Decimal, as_text, rounded_to(1)]).admit("1.25") == Decimal("1.2")
    assert Gate(Annotated[str, secret]).examine(3).faults[0].given is None


@dataclass
class Bare:
    low: int


@dataclass
class Fuller(Bare):
    high: int = 1
    more: dict[str, Bare | Fuller] = field(default_factory=dict)


@dataclass
class Shed:
    kept: list[Shed] | list[Shed | str] = field(default_factory=list)


@pytest.mark.parametrize(
    ("declared", "data", "becomes"),
    [
        (Bare | Fuller, {"low": 1, "high": 3}, Fuller(1, 3)),
        (Fuller | Bare, {"low": 1}, Fuller(1)),
        (Bare | Fuller, {"low": 1, "high": 3, "deck": 4}, Fuller(1, 3)),
        (Bare | Fuller, {"low": 1, "deck": 4}, Bare(1)),
        (list[Bare] | list[Fuller], [{"low": 1}, {"low": 2, "high": 3}], [Fuller(1), Fuller(2, 3)]),
        (dict[str, Bare | Fuller], {"a": {"low": 1, "more": {"b": {"low": 2, "high": 2}}}}, {"a": Fuller(1, 1, {"b": Fuller(2, 2)})}),
        (Shed, {"kept": [{"kept": ["x"], "deck": 1}, "y"], "z": 2}, Shed([Shed(["x"]), "y"])),
    ],
)  # fmt: skip
def test_one_option_of_a_union_whatever_the_road(declared: Any, data: Any, becomes: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    raw = json.dumps(data)
    ways = [gate.admit(data), gate.examine(data).value, gate.admit_json(raw), gate.examine_json(raw).value]
    assert ways == [becomes] * 4
    assert gate.accepts(data)
    assert gate.admit(gate.release(becomes)) == becomes


def test_past_the_limit_on_faults_what_is_only_unknown_is_not_counted() -> None:
    gate: Gate[Any] = Gate(list[Bare | Fuller], limits=Limits(faults=3))
    verdict = gate.examine([{"low": "x"}] * 5 + [{"low": 1, "deck": 2}] * 7)
    assert (len(verdict.faults), verdict.untold) == (3, 2)


def test_nothing_is_read_twice_for_two_options() -> None:
    data: Any = {"kept": ["x"]}
    for _ in range(28):
        data = {"kept": [data, "y"]}
    gate: Gate[Any] = Gate(Shed)
    value = gate.admit(data)  # each level twice would take hours
    assert gate.examine(data).value == value
    assert gate.release(value) == gate.release_admitted(value) == data


@pytest.mark.parametrize(
    ("data", "code"),
    [
        ({"low": "1", "held": ["a", "b"]}, ""),
        ({"low": "1", "held": ["a"]}, ""),
        ({"low": "1", "held": "a", None: ["b"]}, "count"),
    ],
)
def test_one_answer_of_text_with_and_without_an_unknown_key(data: Any, code: str) -> None:
    @dataclass
    class Row:
        low: int
        held: Any

    gate: Gate[Any] = Gate(Row, Source.TEXT)
    for asked in (data, {**data, "deck": "2"}):
        assert [fault.code for fault in gate.examine(asked).faults] == [code] * bool(code)
        assert gate.accepts(asked) is not bool(code)
        if not code:
            assert gate.admit(asked) == gate.examine(asked).value


@pytest.mark.parametrize(
    ("data", "pointers"),
    [
        ({"from": 1}, ["/from"]),
        ({"x": "a", "from": 1}, ["/x", "/from"]),
        ({"from": 1, "y": "a"}, ["/from", "/y"]),
        ({"y": "a", "orig": "QLP", "from": "OST"}, ["/y", "/orig"]),
        ({"orig": "QLP", "y": [], "from": "OST", "deck": 1}, ["/orig", "/y"]),
        ({"y": 1}, ["/origin"]),
    ],
)
def test_a_fault_stands_under_the_name_that_was_sent(data: Any, pointers: list[str]) -> None:
    for declared, came, before in (
        (Renamed, data, ""),
        (list[Renamed], [data], "/0"),
        (dict[str, Renamed], {"a": data}, "/a"),
    ):
        gate: Gate[Any] = Gate(declared)
        wanted = [before + pointer for pointer in pointers]
        assert [fault.pointer for fault in gate.examine(came).faults] == wanted
        assert [fault.pointer for fault in gate.examine_json(json.dumps(came)).faults] == wanted


def test_what_is_told_of_odd_things_travels() -> None:
    verdict = Gate(list[int]).examine([{1, 2}, object(), Decimal("1.5"), range(3)])
    again = pickle.loads(pickle.dumps(verdict))
    assert [fault.message for fault in again.faults] == [fault.message for fault in verdict.faults]


@pytest.mark.parametrize("blank", ["", " ", "\t\ufeff\n"])
def test_a_blank_text_made_in_code_goes_out_as_what_its_gate_reads_of_it(blank: str) -> None:
    @obeys(all_or_none("port", "berth"))
    @dataclass
    class Sailing:
        port: Annotated[str | None, blank_is_none, trimmed] = None
        berth: int | None = None

    gate = Gate(Sailing)
    with pytest.raises(Refused, match="needs all of port, berth, or none"):
        gate.release(Sailing(blank, 7))
    assert gate.release(Sailing(blank)) == {"port": None, "berth": None}
    assert gate.release_json(Sailing(blank)) == b'{"port":null,"berth":null}'
    assert Gate(list[Annotated[str | None, blank_is_none]]).release([blank, "QLP"]) == [None, "QLP"]
