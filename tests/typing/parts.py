"""Records in part, unions and verdicts as type checkers see them: a line that ends in the comment `wrong` has an error.

`wrong since PEP 747` is flagged by checkers that know TypeForm: mypy from 1.19, pyright from 1.1.380.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Annotated, Any, Generic, Literal, NamedTuple, NotRequired, TypedDict, TypeVar, assert_type

from dutiful_gate import (
    ABSENT,
    Absent,
    Amendment,
    Fault,
    Gate,
    Patch,
    Refused,
    Source,
    Verdict,
    WaitingGate,
    changed,
    demanding,
    it,
    subset,
    tagged_by,
    without,
)
from dutiful_gate.web import Answering, Endpoint, RequestGate, amended, patched

T = TypeVar("T")


@dataclass
class Crate:
    name: str
    weight: float
    note: str | Absent | None = ABSENT


@dataclass
class Pallet:
    code: int


class Meta(TypedDict):
    source: str
    hint: NotRequired[str]


class Berth(NamedTuple):
    quay: str
    number: int = 1


@dataclass
class Page(Generic[T]):
    items: list[T]
    following: int | None = None


@dataclass
class ChangeCrate:
    body: Annotated[Amendment[Crate], without("name")]


@dataclass
class PatchCrate:
    body: Patch[Crate]


Load = Crate | Pallet
Code = Annotated[str, it.length == 3]
Kind = Literal["in", "out"]
crates, pallets, metas, berths = Gate(Crate), Gate(Pallet), Gate(Meta), Gate(Berth)
crate, pallet = Crate("rope", 1.5), Pallet(3)


def right(sent: ChangeCrate, patch: PatchCrate, given: object) -> None:
    assert_type(Gate(int | None).admit(given), int | None)
    assert_type(Gate(Load).admit(given), Crate | Pallet)
    assert_type(Gate(Code).admit(given), str)
    assert_type(Gate(Annotated[int, it > 1]).admit(given), int)
    assert_type(Gate(Kind).admit(given), Literal["in", "out"])
    assert_type(Gate(list[int | str]).admit(given), list[int | str])
    assert_type(Gate(dict[str, Load]).admit(given), dict[str, Crate | Pallet])
    assert_type(Gate(tuple[int, str]).admit(given), tuple[int, str])
    assert_type(Gate(Crate | None).examine(given), Verdict[Crate | None])
    assert_type(Gate(Crate | None).examine(given).value, Crate | None)
    assert_type(Gate(date | datetime).admit(given), date | datetime)
    assert_type(Gate(Annotated[Load, tagged_by("kind")]).admit(given), Crate | Pallet)
    assert_type(Gate(Page[Crate]).admit(given), Page[Crate])
    assert_type(Gate(Page[int | None]).admit(given), Page[int | None])
    assert_type(Gate(Meta).admit(given), Meta)
    assert_type(Gate(Berth).admit(given), Berth)
    assert_type(Gate(int | None, Source.TEXT).admit(given), int | None)
    assert_type(Gate(int | None, leaves_out="nulls").admit(given), int | None)
    assert_type(WaitingGate(int | None), WaitingGate[int | None])
    assert_type(WaitingGate(Crate), WaitingGate[Crate])
    assert_type(Gate(Amendment[Crate]).admit(given), Amendment[Crate])
    assert_type(Gate(Annotated[Amendment[Crate], without("name")]).admit(given), Amendment[Crate])
    assert_type(Gate(Annotated[Amendment[Crate], demanding("name")]).examine(given).value, Amendment[Crate])
    assert_type(Gate(Patch[Crate]).admit(given), Patch[Crate])
    assert_type(amended(crates, crate, sent.body).record, Crate)
    assert_type(amended(crates, crate, sent.body).changes, dict[str, Any])
    assert_type(amended(crates, crate, Amendment[Crate](name="a")).record, Crate)
    assert_type(patched(crates, crate, patch.body), Crate)
    assert_type(changed(crate, name="a"), Crate)
    assert_type(changed(crates, crate, name="a"), Crate)
    assert_type(changed(metas, metas.admit(given), source="b"), Meta)
    assert_type(changed(Berth("a"), number=2), Berth)
    assert_type(changed(Page([1]), items=[2]), Page[int])
    assert_type(sent.body, Amendment[Crate])
    assert_type(sent.body["name"], Any)
    assert_type(sent.body.get("name"), Any | None)
    assert_type(dict(sent.body), dict[str, Any])
    assert_type(len(sent.body), int)
    assert_type("name" in sent.body, bool)
    assert_type(crate.note, str | None | Absent)
    assert_type(crate.note if crate.note is not ABSENT else None, str | None)
    assert_type(ABSENT, Literal[Absent.ABSENT])
    assert_type(crates.examine(given).faults, tuple[Fault, ...])
    assert_type(crates.examine(given).value.weight, float)
    assert_type(crates.examine(given).by_field(), dict[str, list[str]])
    assert_type(bool(crates.examine(given)), bool)
    assert_type(crates.accepts(given), bool)
    assert_type(crates.release(crate), Any)
    assert_type(crates.release_json(crate), bytes)
    assert_type(Gate(subset(Crate, without="note")).admit(given), Any)
    assert_type(Gate(subset(Page[Crate], only=["items"])).release(Page([crate])), Any)
    assert_type(Gate(Crate, leaves_out=["nulls", "defaults"]).leaves_out, tuple[str, ...])
    change = Endpoint("PATCH", "/crates", ChangeCrate, Answering(200, Crate), leaves_out="nulls")
    assert_type(change.gate, RequestGate[ChangeCrate])
    assert_type(Endpoint("PATCH", "/crates", PatchCrate, Answering(200, Crate)).gate, RequestGate[PatchCrate])
    held: Gate[int | None] = Gate(int | None)
    assert_type(held.release(None), Any)
    mapping: Mapping[str, Any] = sent.body
    assert_type(len(mapping), int)
    try:
        assert_type(Gate(Load).admit_json(b"{}"), Crate | Pallet)
    except Refused as refused:
        assert_type(refused.faults, tuple[Fault, ...])
        assert_type(refused.verdict, Verdict[Any])
    for verdict in Gate(Load).examine_each([]):
        assert_type(verdict, Verdict[Crate | Pallet])
        assert_type(verdict.value, Crate | Pallet)


def wrong(sent: ChangeCrate, patch: PatchCrate, given: object) -> None:
    Gate(int | None).admit(given) + 1  # wrong since PEP 747
    Gate(Load).admit(given).name  # wrong since PEP 747
    Gate(Code).admit(given) + 1  # wrong since PEP 747
    Gate(Kind).admit(given) == 3 and Gate(Kind).admit(given).kind  # wrong since PEP 747
    a1: str = Gate(int | None).admit(given)  # wrong since PEP 747
    Gate(int | None).examine(given).value.upper()  # wrong since PEP 747
    a3: Verdict[str] = Gate(Code | int).examine(given)  # wrong since PEP 747
    a4: Crate = Gate(Load).examine(given).value  # wrong since PEP 747
    Gate(date | None).admit(given).year  # wrong since PEP 747
    Gate(Crate | None).admit(given).weight  # wrong since PEP 747
    Gate(Annotated[Load, tagged_by("kind")]).admit(given).code  # wrong since PEP 747
    Gate(Load).release("rope")  # wrong since PEP 747
    Gate(int | None).release("rope")  # wrong since PEP 747
    Gate(int | str).release(None)  # wrong since PEP 747
    WaitingGate(int | None).release("rope")  # wrong since PEP 747
    Gate(list[int | str]).admit(given)[0].upper()  # wrong
    Gate(dict[str, Load]).admit(given)[0]  # wrong
    Gate(tuple[int, str]).admit(given)[2]  # wrong
    Gate(Page[Crate]).admit(given).items[0].code  # wrong
    Gate(Page[int]).release(Page(["a"]))  # wrong
    Gate(Meta).admit(given)["sourse"]  # wrong
    Gate(Berth).admit(given).quey  # wrong
    crates.admit(given).wieght  # wrong
    crates.release(pallet)  # wrong
    crates.release_json({"name": "rope"})  # wrong
    crates.release_admitted(None)  # wrong
    amended(crates, crate, Amendment[Pallet](code=1))  # wrong
    amended(pallets, pallet, sent.body)  # wrong
    amended(crates, pallet, sent.body)  # wrong
    amended(pallets, crate, sent.body)  # wrong
    amended(crates, crate, {"name": "a"})  # wrong
    amended(crates, crate, patch.body)  # wrong
    amended(crates, crate)  # wrong
    amended(crate, sent.body)  # wrong
    amended(crates, crate, sent.body).record.code  # wrong
    amended(crates, crate, sent.body).changed  # wrong
    a6: Pallet = amended(crates, crate, sent.body).record  # wrong
    a7: Amendment[Pallet] = sent.body  # wrong
    a8: Patch[Pallet] = patch.body  # wrong
    a9: Amendment[Crate] = {"name": "a"}  # wrong
    Amendment[Crate, Pallet]()  # wrong
    patched(pallets, pallet, patch.body)  # wrong
    patched(crates, crate, sent.body)  # wrong
    patched(crates, crate, [{"op": "remove", "path": "/name"}])  # wrong
    patched(crates, pallet, patch.body)  # wrong
    patched(crates, crate, patch.body).code  # wrong
    without(1)  # wrong
    without(name="a")  # wrong
    demanding(["name"])  # wrong
    changed(crates, pallet, code=1)  # wrong
    changed(crate, name="a").code  # wrong
    changed(pallets, crate)  # wrong
    b1: Pallet = changed(crate, name="a")  # wrong
    b2: Meta = changed(berths, Berth("a"))  # wrong
    changed()  # wrong
    subset(Crate, witout="note")  # wrong
    subset("Crate")  # wrong
    subset(Crate, without=1)  # wrong
    Gate(Crate, leaves_out="null").admit(given).weight.x  # wrong
    Gate(Crate, leaves_out=3)  # wrong
    Gate(Crate, leave_out="nulls")  # wrong
    Endpoint("PATCH", "/crates", ChangeCrate, Answering(200, Crate), leaves_out=1)  # wrong
    crate.note.upper()  # wrong
    b3: str | None = crate.note  # wrong
    b4: str = crate.note if crate.note is not ABSENT else ""  # wrong
    Crate("rope", 1.5, Absent)  # wrong
    crates.examine(given).valeu  # wrong
    crates.examine(given).value.weight.upper()  # wrong
    b5: list[Fault] = crates.examine(given).faults  # wrong
    b6: Verdict[Pallet] = crates.examine(given)  # wrong
    crates.examine(given).faults[0].mesage  # wrong
    tagged_by("kind", other=Pallet)  # wrong
    tagged_by(kind="kind")  # wrong
    given.admit(crate)  # wrong
