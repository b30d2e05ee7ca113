"""What records are called in the data: `@obeys(keys=...)`, the gate's `keys`, `named`; the nearest wins."""

# Rooms: declare, shape, document, storage

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, NamedTuple, NotRequired, TypedDict

import pytest
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

from dutiful_gate import Amendment, DeclarationError, Gate, Source, camel, it, kebab, named, obeys, subset, this
from dutiful_gate.storage import record_of
from dutiful_gate.web import Answering, Api, Endpoint


@dataclass
class Crate:
    weight_kg: float


@obeys(keys=kebab)
class Tag(TypedDict):
    tag_text: str
    last_use: NotRequired[int]


@obeys(this.departs_at < this.arrives_at, keys=camel)
@dataclass
class Leg:
    departs_at: int
    arrives_at: int
    all_crates: list[Crate]
    first_tag: Tag | None = None
    ship_name: Annotated[str, named("ship")] = "Tern"


@dataclass
class LongLeg(Leg):
    stops_at: str = "OST"


@dataclass
class Plan:
    next_leg: Leg
    spare_crate: Crate


class Pair(NamedTuple):
    first_leg: LongLeg
    last_crate: Crate


SENT: dict[str, Any] = {
    "departsAt": 1, "arrivesAt": 2, "allCrates": [{"weightKg": 2.5}], "firstTag": {"tag-text": "x", "last-use": 3}, "ship": "Tern",
}  # fmt: skip


def test_nested_records_follow_and_the_nearest_wins() -> None:
    gate = Gate(Leg)
    leg = gate.admit(SENT)
    assert leg == Leg(1, 2, [Crate(2.5)], {"tag_text": "x", "last_use": 3})
    assert gate.release(leg) == SENT
    fault = gate.examine({**SENT, "allCrates": [{"weightKg": "x"}], "firstTag": {}}).faults
    assert [each.pointer for each in fault] == ["/allCrates/0/weightKg", "/firstTag/tag-text"]
    assert Gate(Leg, keys=kebab).admit(SENT) == leg, "what the record says stands above the gate"
    assert Gate(Plan, keys=kebab).admit({"next-leg": SENT, "spare-crate": {"weight-kg": 1}}).next_leg == leg
    assert Gate(Leg, Source.NATIVE).admit(leg) == leg


def test_one_record_under_two_policies_has_two_names() -> None:
    gate = Gate(Plan)
    plan = gate.admit({"next_leg": SENT, "spare_crate": {"weight_kg": 1}})
    assert plan.spare_crate == Crate(1.0)
    definitions = gate.schema()["$defs"]
    assert set(definitions) == {"Plan", "Leg", "Crate", "Crate2", "Tag"}
    assert {key for name in ("Crate", "Crate2") for key in definitions[name]["properties"]} == {"weight_kg", "weightKg"}
    assert gate.release(plan)["next_leg"]["allCrates"] == [{"weightKg": 2.5}]


def test_subclasses_and_variants_inherit_them() -> None:
    long = {**SENT, "stopsAt": "MRW"}
    assert Gate(Pair).admit({"first_leg": long, "last_crate": {"weight_kg": 2}}).first_leg.stops_at == "MRW"
    assert Gate(Amendment[Leg]).admit({"arrivesAt": 5}) == {"arrives_at": 5}
    assert Gate(subset(Leg, only=("departs_at",))).admit({"departsAt": 4}).departs_at == 4  # type: ignore[attr-defined]


def test_types_that_lead_to_themselves_are_told_apart_too() -> None:
    @dataclass
    class Node:
        own_name: str
        all_below: list[Node]

    @obeys(keys=camel)
    @dataclass
    class Tree:
        root_node: Node

    @dataclass
    class Both:
        one_tree: Tree
        one_node: Node

    names = {"Node": Node}
    plain = {"own_name": "a", "all_below": [{"own_name": "b", "all_below": []}]}
    called = {"ownName": "a", "allBelow": [{"ownName": "b", "allBelow": []}]}
    both = Gate(Both, names=names).admit({"one_tree": {"rootNode": called}, "one_node": plain})
    assert both.one_tree.root_node == both.one_node


async def waiting(name: str) -> str:
    return name


@pytest.mark.parametrize("keys", ["camel", 3, (), waiting, lambda: ""])
def test_what_makes_no_names_is_told(keys: Any) -> None:
    with pytest.raises(DeclarationError, match=r"makes no names|is async|1 value"):
        obeys(keys=keys)


class Base(DeclarativeBase):
    pass


class Berth(Base):
    __tablename__ = "berths"
    berth_number: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    quay_name: Mapped[Annotated[str, it.length < 9]]


def test_rows_are_called_as_they_say() -> None:
    made = Gate(record_of(Berth, keys=camel)).admit({"berthNumber": 3, "quayName": "north"})
    assert (made.berth_number, made.quay_name) == (3, "north")
    assert Gate(record_of(Berth, "show", keys=camel)).release(made) == {"berthNumber": 3, "quayName": "north"}
    assert Gate(record_of(Berth, "change", keys=camel)).admit({"quayName": "south"}) == {"quay_name": "south"}


@dataclass
class _Sent:
    body: Leg


@dataclass
class _ByPath:
    @dataclass
    class Path:
        crate_no: int

    @dataclass
    class Query:
        first_port: str = "QLP"

    path: Path
    query: Query


def test_an_api_makes_names_and_an_endpoint_has_one_way() -> None:
    def read() -> Endpoint[_ByPath]:
        return Endpoint("GET", "/crates/{crate_no}", _ByPath, Answering(200, Crate))

    def served(endpoint: Endpoint[Any]) -> list[Any]:
        return [endpoint.by(lambda request: Crate(2.5))]

    mine = read()
    api = Api("Tern Sound crates", "1.0", served(mine), keys=camel)
    verdict = mine.gate.examine({"path": {"crate_no": "1"}, "query": {"firstPort": "OST"}})
    assert (verdict.value.path.crate_no, verdict.value.query.first_port) == (1, "OST")  # names in the path stay
    assert mine.answers.released(Crate(2.5), "application/json").body == b'{"weightKg":2.5}'
    assert Api("Once more", "1.0", served(mine), keys=camel).keys is api.keys
    plain = read()
    Api("Plain", "1.0", served(plain))
    for endpoint, keys in ((mine, None), (mine, kebab), (plain, camel)):
        with pytest.raises(DeclarationError, match="another Api makes its names otherwise"):
            Api("Another", "1.0", served(endpoint), keys=keys)
    own = Endpoint("POST", "/legs", _Sent, Answering(204), keys=kebab)
    Api("Own", "1.0", [own.by(lambda request: None)], keys=camel)
    assert own.keys is kebab
    assert own.gate.examine({"body": SENT})  # the record says its own
