"""Records changed in part: checked copies, merge patches (RFC 7396) and patches (RFC 6902), each held against admitting
the changed data as a whole."""

# Rooms: gates, declare, shape, web

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable, Sequence
from copy import deepcopy
from dataclasses import dataclass, field
from random import Random
from typing import Annotated, Any, NamedTuple, NotRequired, TypedDict

import pytest

from any_api import clients
from any_declaration import any_declaration
from dutiful_gate import (
    Amendment,
    CannotSample,
    DeclarationError,
    Gate,
    Limits,
    Patch,
    Refused,
    Source,
    WaitingGate,
    about,
    also_named,
    among,
    camel,
    changed,
    demanding,
    it,
    named,
    obeys,
    payloads,
    rest,
    secret,
    this,
    trimmed,
    without,
)
from dutiful_gate.demo.ferries import bookings
from dutiful_gate.shape.nodes import Link
from dutiful_gate.web import (
    Answering,
    Api,
    Endpoint,
    Refusal,
    RequestGate,
    RequestProblem,
    amended,
    description,
    patched,
    under_key,
)


@dataclass
@obeys(this.ends > this.starts)
class Slot:
    starts: Annotated[int, it.between(0, 99)]
    ends: Annotated[int, it.between(0, 99)]


class Berth(NamedTuple):
    quay: str
    number: int = 1


class Meta(TypedDict):
    source: str
    hint: NotRequired[str]


@dataclass
@obeys((this.slot.ends < 90).says("the quay closes at 90"))
class Call:
    """All that can be changed in part."""

    slot: Slot
    berth: Berth
    meta: Meta
    tags: dict[str, Annotated[str, it.length <= 3]]
    slots: dict[str, Slot]
    rows: list[Slot]
    ship: Annotated[str, trimmed, named("shipName")] = "Marrow Star"
    second: Slot | None = None
    note: str | None = "none"
    more: Any = None
    extra: Annotated[dict[str, Any], rest] = field(default_factory=dict)


calls = Gate(Call, keys=camel)
amendments, patches = Gate(Amendment[Call], keys=camel), Gate(Patch[Call])
NULLABLE = ("second", "note")


def tried(call: Callable[[], Any]) -> Any:
    """What a call gives, or how it refuses."""
    try:
        return call()
    except RequestProblem as problem:
        return problem.refusal
    except Refused as refused:
        return refused


def merge_patch(held: Any, sent: Any) -> Any:
    """RFC 7396, section 2; but null is null where the record admits it."""
    if not isinstance(sent, dict):
        return sent
    made = dict(held) if isinstance(held, dict) else {}
    for name, new in sent.items():
        if new is None and name not in NULLABLE:
            made.pop(name, None)
        else:
            made[name] = merge_patch(made.get(name), new)
    return made


def in_part(data: Any, random: Random, *, top: bool = True) -> Any:
    """Some of the members of a payload, with a null here and there."""
    if not isinstance(data, dict):
        return data
    made = {name: in_part(held, random, top=False) for name, held in data.items() if random.random() < 0.4}
    return {
        name: None if random.random() < 0.2 and (name in NULLABLE or not top) else held for name, held in made.items()
    }


@pytest.mark.parametrize("seed", range(8))
def test_a_merge_patch_is_the_changed_data_admitted(seed: int) -> None:
    random, known = Random(seed), payloads(calls, 60, seed)
    admitted = refused = 0
    for _ in range(250):
        data, other = random.choice(known), random.choice(known)
        value, sent = calls.admit(data), in_part({**other, "more": {"a": {"b": 1}}}, random)
        amendment = amendments.examine(sent)
        if not amendment:  # a null where there is none, or nothing at all
            continue
        whole = calls.examine(merge_patch(data, sent))
        came = tried(lambda: amended(calls, value, amendment.value))  # noqa: B023  called at once
        assert value == calls.admit(data), "the record itself stays"
        if isinstance(came, Refusal):
            assert not whole, sent
            assert all(fault.path[1] in sent for fault in came.faults), (sent, came.faults)
            refused += 1
            continue
        assert came.record == whole.value, (data, sent)
        assert all(getattr(came.record, name) == new for name, new in came.changes.items())
        admitted += 1
    assert admitted > 50
    assert refused > 10


@pytest.mark.parametrize("seed", range(4))
def test_a_checked_copy_is_the_changed_data_admitted(seed: int) -> None:
    random, known = Random(seed), payloads(calls, 60, seed)
    for _ in range(200):
        data, other = random.choice(known), random.choice(known)
        names = [name for name in other if name in calls.shape.records["Call"].by_attribute and random.random() < 0.3]
        whole = calls.examine({**data, **{name: other[name] for name in names}})
        fields = {name: getattr(calls.admit(other), name) for name in names}
        for by in ((), (calls,)):
            came = tried(lambda: changed(*by, calls.admit(data), **fields))  # noqa: B023  called at once
            assert (came == whole.value) if whole else isinstance(came, Refused)


def test_checked_copies() -> None:
    call = calls.admit(payloads(calls, 1, 3)[0])
    call = changed(call, slot={"starts": 1, "ends": 9}, ship=" Tern ", meta={"source": "desk"})
    assert (call.slot, call.ship) == (Slot(1, 9), "Tern")
    assert changed(call, slot={"ends": 7}).slot == Slot(1, 7)
    assert changed(call, berth={"number": 4}).berth == Berth(call.berth.quay, 4)
    assert changed(call, meta=Amendment(hint="x")).meta == {"source": "desk", "hint": "x"}
    assert changed(changed(call, tags={"a": "b"}), tags=Amendment(b="c")).tags == {"a": "b", "b": "c"}
    assert changed(call, second={"starts": 1, "ends": 2}).second == Slot(1, 2)
    assert changed(Gate(Meta), {"source": "a", "hint": "b"}, source="c") == {"source": "c", "hint": "b"}
    for fields, told in (
        ({"slot": {"starts": 50}}, "/slot/starts: needs a value below ends; got 50"),
        ({"slot": {"ends": 0}}, "/slot/ends: needs a value above starts; got 0"),
        ({"slot": {"ends": 95}}, "/slot: the quay closes at 90"),
        ({"second": {"starts": 1}}, "/second/ends: needs a value; none came"),
        ({"ship": 3}, "/shipName: needs text; got 3"),
    ):
        with pytest.raises(Refused) as refused:
            changed(call, **fields)
        assert [str(fault) for fault in refused.value.faults] == [told]
    for wrong, words in (
        (lambda: changed(call, shp="x"), "did you mean 'ship'"),
        (lambda: changed(7, a=1), "one of int"),
        (lambda: changed({"a": 1}, a=1), "its gate alone knows"),
        (lambda: changed(calls, Slot(1, 2), ends=3), "one of Slot"),  # type: ignore[arg-type]
        (lambda: changed(), "one record"),  # type: ignore[call-overload]
    ):
        with pytest.raises(TypeError, match=words):
            wrong()


@pytest.mark.parametrize(
    ("held", "sent", "made"),
    [  # RFC 7396, appendix A, of those whose patch is an object
        ({"a": "b"}, {"a": "c"}, {"a": "c"}), ({"a": "b"}, {"b": "c"}, {"a": "b", "b": "c"}), ({"a": "b"}, {"a": None}, {}),
        ({"a": "b", "b": "c"}, {"a": None}, {"b": "c"}), ({"a": ["b"]}, {"a": "c"}, {"a": "c"}), ({"a": "c"}, {"a": ["b"]}, {"a": ["b"]}),
        ({"a": {"b": "c"}}, {"a": {"b": "d", "c": None}}, {"a": {"b": "d"}}), ({"a": [{"b": "c"}]}, {"a": [1]}, {"a": [1]}),
        ({"e": None}, {"a": 1}, {"e": None, "a": 1}), ([1, 2], {"a": "b", "c": None}, {"a": "b"}), ({}, {"a": {"bb": {"ccc": None}}}, {"a": {"bb": {}}}),
    ],
)  # fmt: skip
def test_merge_patches_of_the_standard(held: Any, sent: Any, made: Any) -> None:
    @dataclass
    class Open:
        held: Any

    gate = Gate(Open)
    change = Gate(Amendment[Open]).admit({"held": sent})
    assert amended(gate, gate.admit({"held": held}), change).record.held == made


def _operation(op: str, path: str, *value: Any, source: str = "") -> dict[str, Any]:
    told = {"op": op, "path": path} | ({"from": source} if source else {})
    return told | ({"value": value[0]} if value else {})


@pytest.mark.parametrize(
    ("held", "operations", "made"),
    [  # RFC 6902, appendix A; None is what cannot be done, "stale" a test that fails
        ({"foo": "bar"}, [_operation("add", "/baz", "qux")], {"baz": "qux", "foo": "bar"}),
        ({"foo": ["bar", "baz"]}, [_operation("add", "/foo/1", "qux")], {"foo": ["bar", "qux", "baz"]}),
        ({"baz": "qux", "foo": "bar"}, [_operation("remove", "/baz")], {"foo": "bar"}),
        ({"foo": ["bar", "qux", "baz"]}, [_operation("remove", "/foo/1")], {"foo": ["bar", "baz"]}),
        ({"baz": "qux"}, [_operation("replace", "/baz", "boo")], {"baz": "boo"}),
        ({"foo": {"waldo": "fred"}, "qux": {}}, [_operation("move", "/qux/thud", source="/foo/waldo")], {"foo": {}, "qux": {"thud": "fred"}}),
        ({"foo": ["all", "grass", "cows", "eat"]}, [_operation("move", "/foo/3", source="/foo/1")], {"foo": ["all", "cows", "eat", "grass"]}),
        ({"baz": "qux", "foo": ["a", 2]}, [_operation("test", "/baz", "qux"), _operation("test", "/foo/1", 2)], {"baz": "qux", "foo": ["a", 2]}),
        ({"baz": "qux"}, [_operation("test", "/baz", "bar")], "stale"),
        ({"foo": "bar"}, [_operation("add", "/child", {"grandchild": {}})], {"foo": "bar", "child": {"grandchild": {}}}),
        ({"foo": "bar"}, [{**_operation("add", "/baz", "qux"), "xyz": 123}], {"foo": "bar", "baz": "qux"}),
        ({"foo": "bar"}, [_operation("add", "/baz/bat", "qux")], None),
        ({"/": 9, "~1": 10}, [_operation("test", "/~01", 10), _operation("test", "/~1", 9)], {"/": 9, "~1": 10}),
        ({"/": 9, "~1": 10}, [_operation("test", "/~01", "10")], "stale"),
        ({"foo": ["bar"]}, [_operation("add", "/foo/-", ["abc", "def"])], {"foo": ["bar", ["abc", "def"]]}),
        ({"a": [1, {"b": 2}]}, [_operation("copy", "/c", source="/a"), _operation("replace", "/c/1/b", 3)], {"a": [1, {"b": 2}], "c": [1, {"b": 3}]}),
        ({"a": 1}, [_operation("test", "/a", 1.0), _operation("test", "/a", True)], "stale"),
        ({"a": [1]}, [_operation("remove", "/a/01")], None), ({"a": [1]}, [_operation("remove", "/a/-")], None),
        ({"a": [1]}, [_operation("add", "/a/2", 1)], None), ({"a": {}}, [_operation("move", "/a/b", source="/a")], None),
        ({"a": 1}, [_operation("move", "/a", source="/a")], {"a": 1}), ({"a": 1}, [_operation("replace", "/b", 1)], None),
        ({"": {"": 1}}, [_operation("replace", "//", 2)], {"": {"": 2}}), ({"a": 1}, [_operation("copy", "/b", source="/c")], None),
    ],
)  # fmt: skip
def test_patches_of_the_standard(held: Any, operations: list[Any], made: Any) -> None:
    @dataclass
    class Open:
        held: Any

    for each in operations:
        for name in ("path", "from"):
            if name in each:
                each[name] = f"/held{each[name]}" if not each[name].startswith("/held") else each[name]
    gate = Gate(Open)
    value, patch = gate.admit({"held": held}), Gate(Patch[Open]).admit(operations)
    if isinstance(made, dict):
        assert patched(gate, value, patch).held == made
        assert value.held == held, "the record itself stays"
        return
    with pytest.raises(RequestProblem) as refused:
        patched(gate, value, patch)
    problem = refused.value.refusal
    assert problem.status == (409 if made == "stale" else 422)
    assert [fault.path[:2] for fault in problem.faults] == [("body", len(operations) - 1)]


def applied(data: Any, operation: dict[str, Any]) -> Any:
    """A replacement or removal done to plain data."""
    made = deepcopy(data)
    *around, last = operation["path"].split("/")[1:]
    held = made
    for step in around:
        held = held[int(step) if isinstance(held, list) else step]
    last = int(last) if isinstance(held, list) else last
    if operation["op"] == "remove":
        del held[last]
    else:
        held[last] = operation["value"]
    return made


def places(data: Any, at: str = "") -> list[tuple[str, Any]]:
    inside = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    return [found for key, held in inside for found in [(f"{at}/{key}", held), *places(held, f"{at}/{key}")]]


@pytest.mark.parametrize("seed", range(8))
def test_a_patch_is_the_changed_data_admitted(seed: int) -> None:
    random, known = Random(seed), payloads(calls, 60, seed)
    admitted = 0
    for _ in range(250):
        value = calls.admit(random.choice(known))
        before = calls.release(value)
        others = [held for _, held in places(random.choice(known))]
        path, _ = random.choice([(path, held) for path, held in places(before) if "~" not in path])
        operation: dict[str, Any] = {"op": random.choice(["replace", "remove"]), "path": path}
        if operation["op"] == "replace":
            operation["value"] = random.choice(others)
        whole = calls.examine(applied(before, operation))
        came = tried(lambda: patched(calls, value, patches.admit([operation])))  # noqa: B023  called at once
        if isinstance(came, Refusal):
            assert not whole, operation
            assert all(fault.path[:2] == ("body", 0) for fault in came.faults)
            continue
        assert came == whole.value
        admitted += 1
    assert admitted > 30


@dataclass
class Contact:
    name: str
    pin: Annotated[str, secret, it.length == 4] = "0000"


@dataclass
class Guest:
    """Holds what patches leave alone."""

    contact: Contact
    others: list[Contact]
    number: Annotated[int, about(read_only=True)] = 3
    word: Annotated[str, about(write_only=True)] = "w"
    free: Any = None


guests = Gate(Guest)


@pytest.mark.parametrize(
    "place", ["", "/contact", "/contact/pin", "/contact/pin/0", "/others", "/others/0/name", "/number", "/word"]
)
@pytest.mark.parametrize("op", ["test", "remove", "replace", "add", "copy", "move"])
def test_closed_places_are_no_source_no_target_and_not_compared(place: str, op: str) -> None:
    guest = guests.admit(
        {"contact": {"name": "a", "pin": "1234"}, "others": [{"name": "b", "pin": "5678"}], "word": "x"}
    )
    for operation in (
        _operation(op, place, 1),
        _operation(op, "/free", source=place or "/contact"),
    ):
        if op in ("copy", "move") and "from" not in operation:
            operation["from"] = "/free"
        if op not in ("copy", "move") and operation["path"] == "/free":
            continue
        with pytest.raises(RequestProblem) as refused:
            patched(guests, guest, Gate(Patch[Guest]).admit([operation]))
        assert refused.value.refusal.status == 422
        assert "1234" not in json.dumps(str(refused.value.refusal))
        assert "may be read and changed" in refused.value.refusal.faults[0].message
    free = patched(guests, guest, Gate(Patch[Guest]).admit([_operation("replace", "/contact/name", "c")]))
    assert (free.contact, free.word, free.others[0].pin) == (Contact("c", "1234"), "x", "5678")


@pytest.mark.parametrize(
    ("operations", "place", "words"),
    [
        ([_operation("replace", "/slot/starts", 95)], (0, "value"), "below ends"),
        ([_operation("test", "/note", "none"), _operation("replace", "/slot", {"starts": 1, "ends": "x"})], (1, "value", "ends"), "whole number"),
        ([_operation("remove", "/slot")], (0, "path"), "none came"),
        ([_operation("add", "/more", {})] + [_operation("copy", "/more/a", source="/more")] * 99, (64, "from"), "at most 64 levels deep"),
        ([_operation("add", "/more", [1])] + [_operation("copy", "/more/-", source="/more")] * 99, (16, "from"), "at most 100000 values"),
        ([_operation("copy", "/tags/b", source="/slot")], (0, "path"), "needs text"),
    ],
)  # fmt: skip
def test_faults_of_patches_stand_at_their_operation(operations: list[Any], place: Any, words: str) -> None:
    call = calls.admit({**payloads(calls, 1, 3)[0], "slot": {"starts": 1, "ends": 9}, "note": "none"})
    with pytest.raises(RequestProblem) as refused:
        patched(calls, call, patches.admit(operations))
    [fault] = refused.value.refusal.faults
    assert (fault.path, words in fault.message) == (("body", *place), True), fault


def test_patches_of_a_thousand_operations_at_most_and_with_sound_pointers() -> None:
    assert [fault.code for fault in patches.examine([_operation("remove", "/note")] * 1001).faults] == ["count"]
    [fault] = patches.examine([_operation("remove", "note")]).faults
    assert str(fault) == "/0/path: needs a JSON Pointer, such as /items/0; got 'note'"
    small = Gate(Call, limits=Limits(items=20))
    call = calls.admit({**payloads(calls, 1, 3)[0], "more": None})
    with pytest.raises(RequestProblem):
        patched(small, call, patches.admit([_operation("add", "/more", list(range(50)))]))


@pytest.mark.parametrize(
    ("declared", "words"),
    [
        (Amendment, "amends nothing"),
        (Annotated[str, without("x")], "beside an Amendment"),
        (Annotated[Amendment[Slot], without("begins")], r"SlotAmendment\.begins.*no field of Slot"),
        (Annotated[Amendment[Slot] | None, demanding("starts")], "beside an Amendment"),
        (Amendment[int], "no record"),
        (Annotated[Amendment[Slot], without], "not called"),
    ],
)
def test_amendments_that_amend_nothing_are_told(declared: Any, words: str) -> None:
    with pytest.raises(DeclarationError, match=words):
        Gate(declared)


def test_an_amendment_says_in_its_document_how_deep_it_goes() -> None:
    document = amendments.schema()
    assert document["$defs"]["SlotAmendment"].keys().isdisjoint(["required", "anyOf"]), (
        "what is inside may change nothing"
    )
    assert document["$defs"]["CallAmendment"]["minProperties"] == 1
    assert {"required": ["ends"]} in Gate(Amendment[Slot]).schema()["$defs"]["SlotAmendment"]["anyOf"]
    assert amendments.admit({"x": 1}) == {"extra": {"x": 1}}
    assert document["$defs"]["CallAmendment"]["properties"]["tags"]["additionalProperties"]["type"] == [
        "string",
        "null",
    ]
    assert isinstance(amendments.admit({"slot": {}})["slot"], Amendment)
    assert amendments.release(Amendment[Call](note=None, slot={"ends": 3})) == {"note": None, "slot": {"ends": 3}}
    assert Gate(Annotated[Amendment[Slot], without("starts")]).admit({"ends": 3}) == {"ends": 3}
    record, changes = amended(bookings, bookings.admit(payloads(bookings, 1, 1)[0]), Amendment(priority="urgent"))
    assert (record.priority, changes) == ("urgent", {"priority": "urgent"})


MERGE, PATCH = "application/merge-patch+json", "application/json-patch+json"


@dataclass
class ChangeCall:
    body: Amendment[Call]


@dataclass
class PatchCall:
    body: Annotated[Patch[Call], under_key("patch")]


@dataclass
class PatchCallAtOnce:
    body: Patch[Call]


def _desk() -> Api:
    held = calls.admit({**payloads(calls, 1, 3)[0], "slot": {"starts": 1, "ends": 9}})

    def change(sent: ChangeCall) -> Call:
        return amended(calls, held, sent.body).record

    return Api(
        "Calls",
        "1",
        [
            Endpoint("PATCH", "/call", ChangeCall, Answering(200, Call), keys=camel).by(change),
            Endpoint("PATCH", "/patched", PatchCallAtOnce, Answering(200, Call)).by(
                lambda sent: patched(calls, held, sent.body)
            ),
            Endpoint("PATCH", "/under", PatchCall, Answering(200, Call)).by(
                lambda sent: patched(calls, held, sent.body, under="patch")
            ),
        ],
    )


@pytest.mark.parametrize(
    ("url", "kind", "body", "status", "told"),
    [
        ("/call", MERGE, {"shipName": "Tern"}, 200, None), ("/call", "application/json", {"shipName": "Tern"}, 200, None),
        ("/call", f"{MERGE}; charset=utf-8", {"slot": {"ends": 0}}, 422, [("body", "#/slot/ends", "agreement")]),
        ("/call", PATCH, [], 415, f"{MERGE}, application/json"), ("/call", "text/plain", {}, 415, f"{MERGE}, application/json"),
        ("/call", MERGE, {}, 422, [("body", "#", "absent")]), ("/call", "application/x.call+json", {"note": None}, 200, None),
        ("/patched", PATCH, [{"op": "test", "path": "/slot/ends", "value": 9}], 200, None),
        ("/patched", MERGE, [], 415, f"{PATCH}, application/json"), ("/patched", "application/json", [], 200, None),
        ("/patched", PATCH, [{"op": "test", "path": "/slot/ends", "value": 8}], 409, [("body", "#/0/value", "agreement")]),
        ("/patched", PATCH, [{"op": "remove", "path": "/slot"}], 422, [("body", "#/0/path", "absent")]),
        ("/under", "application/json", {"patch": [{"op": "remove", "path": "/slot"}]}, 422, [("body", "#/patch/0/path", "absent")]),
        ("/under", PATCH, {"patch": []}, 200, None),
    ],
)  # fmt: skip
def test_changes_come_by_their_media_types(url: str, kind: str, body: Any, status: int, told: Any) -> None:
    for ask in clients(_desk()).values():
        reply = ask("PATCH", url, content=json.dumps(body), headers={"content-type": kind})
        assert reply.status == status, reply.content
        if status == 415:
            assert dict(reply.headers)["accept-patch"] == told
        elif told is not None:
            assert reply.faults == told
        allowed = dict(ask("OPTIONS", url).headers)["accept-patch"]
        assert allowed.startswith("application/json" if url == "/under" else "application/")
    operation = description(_desk())["paths"][url]["patch"]
    assert ", ".join(operation["requestBody"]["content"]) == allowed


async def on_file(ships: Sequence[str]) -> set[str]:
    return {ship for ship in ships if ship != "Kraken"}


@dataclass
class Ward:
    ship: Annotated[str, among(on_file)]
    berth: int = 1


def test_where_checks_are_waited_for_changes_are_awaited() -> None:
    wards: WaitingGate[Ward] = WaitingGate(Ward)
    ward = Ward("Tern", 2)

    async def change() -> None:
        assert await changed(wards, ward, ship="Gull") == Ward("Gull", 2)
        with pytest.raises(Refused):
            await changed(wards, ward, ship="Kraken")
        assert (await amended(wards, ward, Amendment(ship="Gull"))).record == Ward("Gull", 2)
        with pytest.raises(RequestProblem) as refused:
            await amended(wards, ward, Amendment(ship="Kraken"))
        assert [fault.pointer for fault in refused.value.refusal.faults] == ["/body/ship"]
        patch = Gate(Patch[Ward]).admit([_operation("replace", "/ship", "Gull")])
        assert await patched(wards, ward, patch) == Ward("Gull", 2)
        with pytest.raises(RequestProblem):
            await patched(wards, ward, Gate(Patch[Ward]).admit([_operation("replace", "/ship", "Kraken")]))

    asyncio.run(change())


@dataclass
class ChangeGuest:
    body: Amendment[Guest]


def test_what_is_read_only_changes_nothing() -> None:
    gate = RequestGate(ChangeGuest)
    [fault] = gate.examine({"body": {"number": 5}}).faults
    assert fault.message == "needs at least one of contact, others, word, free; none came"
    assert gate.examine({"body": {"number": 5, "free": 1}}).value.body == {"free": 1}


@pytest.mark.parametrize("seed", range(0, 60, 4))
def test_whatever_is_declared_and_whatever_a_patch_says_nothing_but_a_refusal_is_raised(seed: int) -> None:
    declared, words = any_declaration(seed)
    try:
        gate: Gate[Any] = Gate(declared, **words)
        known = payloads(gate, 4, seed)
    except (DeclarationError, CannotSample):
        return
    if gate.reads is not Source.JSON or not isinstance(gate.shape.root.node, Link):
        return
    random, odd = Random(seed), [None, 1, "x", True, [], {}, {"a": [1]}, 2.5, "2026-05-04T09:30:00Z"]
    for data in known:
        value = gate.admit(data)
        released = tried(lambda: gate.release(value))  # noqa: B023  called at once
        if isinstance(released, Refused):
            continue
        there = ["", *(path for path, _ in places(released))]
        for _ in range(40):
            operation = {"op": random.choice(["add", "remove", "replace", "move", "copy", "test"])}
            operation["path"] = random.choice(there) + random.choice(["", "", "", "/x", "/-", "/0", "/01"])
            operation |= {"from": random.choice(there), "value": random.choice([*odd, released])}
            patch = Gate(Patch[Any]).examine([operation])
            if patch:  # a key with a tilde makes no pointer
                came = tried(lambda: patched(gate, value, patch.value))  # noqa: B023
                assert not isinstance(came, Refused)
                assert not isinstance(came, Refusal) or all(fault.path[:2] == ("body", 0) for fault in came.faults)


class Sorted(TypedDict):
    """A dict that gathers."""

    nights: int
    more: Annotated[dict[str, Any], rest, named("others")]


@dataclass
class Gathering:
    nights: Annotated[int, also_named("stay")]
    more: Annotated[dict[str, Any], rest, named("others")] = field(default_factory=dict)


class Numbered(NamedTuple):
    """Two fields gather: what is no number goes to the second."""

    nights: int
    numbers: Annotated[dict[Annotated[str, it.matches("[0-9]+")], Any], rest]
    more: Annotated[dict[str, Any], rest, named("others")]


@pytest.mark.parametrize("key", ["more", "others", "numbers", "7", "x"])
@pytest.mark.parametrize("held", [5, {"x": 1}, {}])
@pytest.mark.parametrize("kind", [Gathering, Sorted, Numbered])
def test_a_key_may_bear_the_name_of_the_field_that_gathers_it(kind: Any, held: Any, key: str) -> None:
    gate, native = Gate(kind), Gate(kind, Source.NATIVE)
    sent = {"nights": 1, "a": 1, "8": 2}
    before, after = gate.admit(sent), gate.admit(sent | {key: held})
    into = "numbers" if kind is Numbered and key.isdigit() else "more"
    of = after if kind is Sorted else {name: getattr(after, name) for name in ("nights", into)}
    assert of[into][key] == held
    assert gate.release(after) == sent | {key: held}
    assert native.admit(after) == after
    assert native.admit(sent | {key: held}) == after, "data that nobody read yet"
    amendment = Gate(Amendment[kind]).admit({key: held})
    assert amended(gate, before, amendment).record == after
    assert patched(gate, before, Gate(Patch[kind]).admit([_operation("add", f"/{key}", held)])) == after
    assert changed(gate, before, **{into: of[into]}) == after
    for taken in ("nights", "stay") if kind is Gathering else ("nights",):
        with pytest.raises(Refused, match=f"/{taken}: needs keys that no field has"):
            changed(gate, before, **{into: {taken: 4}})


@dataclass
class Closed:
    slot: Slot
    rows: list[Slot]


@pytest.mark.parametrize("path", ["/other", "/slot/other", "/rows/0/other", "/tags2"])
def test_a_patch_adds_no_key_that_its_gate_refuses(path: str) -> None:
    for gate, sound in ((Gate(Closed, unknown="refuse"), False), (Gate(Closed), True)):
        value = Closed(Slot(1, 2), [Slot(2, 3)])
        patch = Gate(Patch[Closed]).admit([_operation("add", path, 1)])
        came = tried(lambda: patched(gate, value, patch))  # noqa: B023  called at once
        assert came == value if sound else came.faults[0].code == "unknown"
