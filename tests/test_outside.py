"""Values from outside: rules, conditions and functions ask for what the caller hands over with the data."""

# Rooms: declare, shape, engine, gates, sample, prove, web, files

from __future__ import annotations

import json
import pickle
import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from enum import Enum
from pathlib import Path
from typing import Annotated, Any, Literal, NewType, TypedDict, cast

import pytest

from dutiful_gate import (
    DeclarationError,
    Gate,
    Refused,
    Source,
    holds,
    it,
    now,
    obeys,
    outside,
    outside_values,
    payloads,
    probes,
    samples,
    secret,
    takes,
    then,
    this,
    today,
    uppered,
    when,
)
from dutiful_gate.files import examine_file
from dutiful_gate.prove.proof import prove

limit = outside("limit", int, samples=[2])
codes = outside("codes", frozenset[str], samples=[frozenset({"QLP", "MRW"})])
budget = outside("budget", float, samples=[100.0])
token = outside("token", str, samples=["sesame"], secret=True)
NOON = datetime(2026, 5, 4, 12, tzinfo=UTC)


@takes(limit)
def light(crates: list[int], limit: int) -> bool:
    return sum(crates) <= 10 * limit


@takes(token)
def greeted(text: str, *, token: str) -> str:
    return f"{text} {len(token)}"


@takes(budget)
def within(booking: Any, budget: float) -> bool:
    return bool(booking.total <= budget)


@dataclass
@obeys(this.total <= budget - 1, within)
class Booking:
    port: Annotated[str, uppered, it.one_of(codes)]
    crates: Annotated[list[int], it.length <= limit, holds(light)]
    total: float = 0.0
    greeting: Annotated[str, then(greeted)] = ""
    when: Annotated[datetime | None, it > now] = None


HANDED = [limit(2), codes(frozenset({"QLP"})), budget(100.0), token("sesame")]
SOUND: dict[str, Any] = {"port": "qlp", "crates": [1, 2]}
WRONG: dict[str, Any] = {"port": "ost", "crates": [9, 9, 9], "total": 500, "when": "2020-01-01T00:00:00Z"}
TOLD = [
    ("/port", "choice", "needs one of codes; got 'ost'"),
    ("/crates", "count", "needs at most 2 items; got 3"),
    ("/crates", "check", "needs a value that passes light; got an array of 3 items"),
    ("/total", "agreement", "needs a value of at most 99.0; got 500"),
    ("/when", "floor", "needs a date-time later than now; got '2020-01-01T00:00:00Z'"),
]


@pytest.mark.parametrize("native", [True, False])
def test_every_verb_asks_for_them_and_says_the_same(native: bool) -> None:
    gate = Gate(Booking, native=native)
    raw = json.dumps(WRONG)
    assert gate.admit(SOUND, outside=HANDED) == gate.admit_json(json.dumps(SOUND), outside=HANDED)
    assert gate.accepts(SOUND, outside=HANDED)
    assert not gate.accepts(WRONG, outside=HANDED)
    for verdict in (
        gate.examine(WRONG, outside=HANDED),
        gate.examine_json(raw, outside=HANDED),
        gate.examine_cbor(Gate(Any).release_cbor(WRONG), outside=HANDED),
        *gate.examine_each([WRONG], outside=HANDED),
        *gate.examine_each_json(f"[{raw}]", outside=HANDED),
    ):
        assert [(fault.pointer, fault.code, fault.message) for fault in verdict.faults] == TOLD
    with outside_values(*HANDED):
        assert [fault.message for fault in gate.examine(WRONG).faults] == [told for _, _, told in TOLD]
        assert "it.length <= limit  FAILS" in str(gate.why(WRONG, "/crates"))
        assert [bool(each) for each in Gate(Booking, Source.TEXT).examine_each([{"port": "QLP", "crates": ["1"]}])] == [
            True
        ]
    assert "FAILS" in str(gate.why_json(raw, "/crates", outside=HANDED))
    assert gate.release(gate.admit(SOUND, outside=HANDED))["crates"] == [1, 2]  # it is asked for on the way in alone


@pytest.mark.parametrize("handed", [[], HANDED[1:], [*HANDED, limit(3)], limit(2), [40], ["limit"]])
def test_what_the_caller_gets_wrong_is_told_to_the_caller(handed: Any) -> None:
    gate = Gate(Booking)
    verbs: list[Callable[..., Any]] = [
        gate.admit, gate.examine, gate.accepts, gate.why, lambda data, **words: list(gate.examine_each([data], **words)),
        lambda data, **words: gate.admit_json(json.dumps(data), **words),
        lambda data, **words: gate.examine_json(json.dumps(data), **words),
    ]  # fmt: skip
    for verb in verbs:
        for data in (SOUND, {}, None):  # whether or not a rule would have come to ask
            with pytest.raises(TypeError, match=r"handed over|made by its own name"):
                verb(data, outside=handed)


class Port(Enum):
    QUILLPORT = "QLP"


Ref = NewType("Ref", str)
OF_WRONG_TYPE: list[tuple[Any, Any, Any]] = [
    (int, 3, "3"), (int, 3, True), (int, 3, 3.0), (float, 2, float("nan")), (float, 2.5, "x"), (bool, True, 1),
    (str, "x", b"x"), (date, date(2026, 1, 1), NOON), (datetime, NOON, datetime(2026, 1, 1)), (Decimal, Decimal(1), 1),
    (frozenset[str], frozenset({"a"}), frozenset({1})), (list[int], [1], (1,)), (Sequence[str], ["a"], "a"),
    (tuple[int, str], (1, "a"), (1, 2)), (tuple[int, ...], (1, 2), (1, "a")), (dict[str, int], {"a": 1}, {"a": "b"}),
    (Mapping[str, int], {}, []), (int | None, None, "x"), (Literal["a"], "a", "b"), (Port, Port.QUILLPORT, "QLP"),
    (Ref, "x", 1), (Annotated[int, it > 3], 1, "x"), (list, [], ()), (set[int], {1}, frozenset({1})),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "sound", "wrong"), OF_WRONG_TYPE)
def test_each_value_is_of_its_type(kind: Any, sound: Any, wrong: Any) -> None:
    value = outside("value", kind, samples=[sound])
    assert value(sound).value is sound
    with pytest.raises(TypeError, match=r"^value is .*handed over as"):
        value(wrong)
    with pytest.raises(DeclarationError, match="a sample of value"):
        outside("value", kind, samples=[wrong])


def _unread(rule: Any, kind: Any) -> Callable[[], object]:
    return lambda: Gate(Annotated[kind, rule])  # type: ignore[valid-type]


class _Loose(TypedDict):
    a: int


MISDECLARED: list[tuple[Callable[[], object], str]] = [
    (lambda: outside("a b", int), "has no name"),
    (lambda: outside("now", datetime), "is there already"),
    (lambda: outside("class", int), "has no name"),
    (lambda: limit + cast(Any, "x"), "nothing can be 'x' away"),
    (lambda: it > 0 if limit else it > 1, "was asked for a truth value"),
    (lambda: outside("x", _Loose), "by which no value can be told"),
    (lambda: outside("x", Callable[[], int]), "by which no value can be told"),  # type: ignore[arg-type]
    (lambda: outside("x", "int"), "by which no value can be told"),  # type: ignore[arg-type]
    (lambda: takes(), "names no values"),
    (lambda: takes(limit)(len), "takes no 'limit'"),
    (lambda: takes(limit)(lambda value, other: True), "takes no 'limit'"),
    (lambda: it.length <= outside("most", float), "give a whole number"),
    (_unread(limit, int), "alone is no rule"),
    (_unread(it <= limit, str), "makes no sense"),
    (_unread(it.length <= limit, int), "makes no sense"),
    (_unread(it.one_of(limit), int), "needs a set of values"),
    (_unread(it.one_of(outside("few", list[str])), str), "needs a set of values"),
    (_unread(it.one_of(outside("few", frozenset[int], samples=[frozenset({1})])), str), "makes no sense"),
    (_unread(it > outside("port", object), int), "of whose type nothing is known"),
    (lambda: it.multiple_of(limit), "takes no value from outside"),
    (lambda: it.starts_with(token), "takes no value from outside"),  # type: ignore[arg-type]
    (lambda: this.a <= outside("port", object), "of whose type nothing is known"),
    (lambda: Gate(Annotated[list[Annotated[int, it < limit]], holds(takes(outside("limit", float))(lambda v, limit: v))]),
     "two values from outside are called limit"),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "told"), MISDECLARED)
def test_what_would_mean_nothing_is_told_when_it_is_declared(declared: Callable[[], object], told: str) -> None:
    with pytest.raises(DeclarationError, match=told):
        declared()


RULES: list[tuple[Any, Any, Any, list[Any], list[Any], str]] = [
    (int, it > limit, 5, [6], [5], "needs a whole number above 5; got 5"),
    (int, it < limit + 2, 5, [6], [7], "needs a whole number below 7; got 7"),
    (int, it.between(1, limit), 5, [5], [6, 0], "needs a whole number from 1 to 5; got 6"),
    (int, it == limit, 5, [5], [4], "needs limit; got 4"),
    (int, it != limit, 5, [4], [5], "needs anything but limit; got 5"),
    (str, it.length == limit, 1, ["x"], ["xy"], "needs exactly 1 character; got 2"),
    (str, it.length < limit, 2, ["x"], ["xy"], "needs at most 1 character; got 2"),
    (str, it.length > limit - 1, 2, ["xy"], ["x"], "needs at least 2 characters; got 1"),
    (str, it.length != limit, 2, ["x"], ["xy"], "needs a length other than 2 characters; got 2"),
    (str, it.length.between(1, limit), 2, ["xy"], ["xyz"], "needs 1 to 2 characters; got 3"),
    (dict[str, int], it.length <= limit, 1, [{"a": 1}], [{"a": 1, "b": 2}], "needs at most 1 key; got 2"),
    (Any, it.length <= limit, 1, ["x", [1]], ["xy", [1, 2]], "needs at most 1 item; got 2"),
    (Any, it <= limit, 1, [1, 0.5], [2], "needs a value of at most 1; got 2"),
    (Any, it == limit, 1, [1], [True, "1", [1]], "needs limit; got true"),
]


@pytest.mark.parametrize("native", [True, False])
@pytest.mark.parametrize(("kind", "rule", "value", "sound", "wrong", "told"), RULES)
def test_rules_say_what_they_would_with_a_constant(
    kind: Any, rule: Any, value: int, sound: list[Any], wrong: list[Any], told: str, native: bool
) -> None:
    gate: Gate[Any] = Gate(Annotated[kind, rule], native=native)
    for data in sound:
        assert gate.accepts(data, outside=[limit(value)]), data
    messages = [gate.examine(data, outside=[limit(value)]).faults[0].message for data in wrong]
    assert messages[0] == told
    assert len(messages) == len(wrong)
    assert [each.reason for each in gate.schema().unstated if "limit" in each.rule] == [
        "limit comes from outside, when data is judged"
    ]


def test_codes_of_every_kind_are_known_by_their_own() -> None:
    ports = outside("ports", frozenset[Port])
    assert Gate(Annotated[Port, it.one_of(ports)]).admit("QLP", outside=[ports(frozenset(Port))]) is Port.QUILLPORT
    numbers = outside("numbers", frozenset[int])
    anything: Gate[Any] = Gate(Annotated[Any, it.one_of(numbers)])
    assert [anything.accepts(each, outside=[numbers(frozenset({1}))]) for each in (1, True, "1", [1])] == [
        True, False, False, False,
    ]  # fmt: skip
    empty: Gate[Any] = Gate(Annotated[int, it.one_of(numbers)])
    assert not empty.accepts(1, outside=[numbers(frozenset())])


@dataclass
@obeys(
    when(this.kind.one_of(codes)).obeys(this.weight <= limit),
    this.weight + 1 <= limit * 1 if False else this.weight <= limit,
    this.tags.all(it.one_of(codes)) | (this.kind == "none"),
)
class Conditional:
    kind: str
    weight: int
    tags: list[str] = field(default_factory=list)


def test_conditions_of_a_record_ask_too() -> None:
    gate = Gate(Conditional)
    handed = [limit(5), codes(frozenset({"gas"}))]
    assert gate.accepts({"kind": "gas", "weight": 5, "tags": ["gas"]}, outside=handed)
    told = gate.examine({"kind": "gas", "weight": 6, "tags": ["x"]}, outside=handed).faults
    assert [fault.code for fault in told] == ["agreement"] * 3
    assert "needs a value of at most 5; got 6" in {fault.message for fault in told}


@dataclass
class Guarded:
    pin: Annotated[str, secret, it.length <= limit]
    door: Annotated[str, it == token]
    code: Annotated[str, secret, it.one_of(codes)]


def test_no_secret_is_told() -> None:
    verdict = Gate(Guarded).examine(
        {"pin": "12345", "door": "open", "code": "abc"},
        outside=[limit(4), token("sesame"), codes(frozenset({"xyzzy"}))],
    )
    told = f"{verdict.faults} {verdict.problem()} {[dict(fault.expected) for fault in verdict.faults]}"
    assert [fault.pointer for fault in verdict.faults] == ["/pin", "/door", "/code"]
    assert not any(word in told for word in ("sesame", "xyzzy", "12345", "abc"))
    assert repr(token("sesame")) == "token(a hidden value)"
    assert repr(limit(3)) == "limit(3)"
    with pytest.raises(TypeError) as told_wrong:
        token(b"sesame")  # type: ignore[arg-type]
    assert "sesame" not in str(told_wrong.value)


def test_the_moment_of_checking_is_one_of_them() -> None:
    @dataclass
    class Sailing:
        leaves: Annotated[datetime, it > now + timedelta(hours=1)]
        day: Annotated[date | None, it >= today] = None

    gate = Gate(Sailing)
    sent = {"leaves": "2026-05-04T13:30:00Z", "day": "2026-05-04"}
    assert not gate.accepts(sent, outside=[now(NOON + timedelta(days=9))])
    assert gate.accepts(sent, outside=[now(NOON)])  # of which today is the day
    assert not gate.accepts(sent, outside=[now(NOON), today(date(2026, 5, 5))])
    with outside_values(now(NOON)):
        assert now.here == NOON
        assert (now + timedelta(hours=1)).here == NOON + timedelta(hours=1)
        assert today.here == NOON.astimezone().date()
    assert abs(now.here - datetime.now(UTC)) < timedelta(minutes=1)
    for wrong in (datetime(2026, 5, 4), date(2026, 5, 4), "2026"):
        with pytest.raises(TypeError, match="now is datetime"):
            now(wrong)  # type: ignore[arg-type]


def test_what_is_handed_over_stays_where_it_is_handed_over() -> None:
    gate: Gate[int] = Gate(Annotated[int, it <= limit])
    seen: list[str] = []

    def elsewhere() -> None:
        with pytest.raises(TypeError) as told:
            gate.accepts(1)
        seen.append(str(told.value).partition(" is")[0])

    with outside_values(limit(5)):
        assert limit.here == 5
        with outside_values(limit(9)):
            assert gate.accepts(7)
        assert not gate.accepts(7)
        assert gate.accepts(7, outside=[limit(7)])
        assert not gate.accepts(7)
        thread = threading.Thread(target=elsewhere)
        thread.start()
        thread.join()
    with pytest.raises(TypeError, match="not handed over"):
        limit.here  # noqa: B018
    with pytest.raises(Refused):
        gate.admit(8, outside=[limit(7)])
    assert seen == ["limit"]


def test_a_gate_travels_and_another_module_may_say_the_same() -> None:
    gate = pickle.loads(pickle.dumps(Gate(Booking)))
    again = pickle.loads(pickle.dumps(HANDED))
    assert gate.accepts(SOUND, outside=again)
    assert gate.accepts(SOUND, outside=HANDED)
    other = outside("limit", str)
    with pytest.raises(TypeError, match="limit is int"):
        gate.accepts(SOUND, outside=[other("2"), *HANDED[1:]])
    assert Gate.from_schema({"type": "integer"}).accepts(3, outside=[limit(1)])


def test_defaults_and_examples_are_judged_by_the_other_rules() -> None:
    @dataclass
    class Kept:
        size: Annotated[int, it > 3, it <= limit] = 7

    assert Gate(Kept).admit({}, outside=[limit(1)]).size == 7

    @dataclass
    class Broken:
        size: Annotated[int, it > 3, it <= limit] = 2

    with pytest.raises(DeclarationError, match="breaks its own rule"):
        Gate(Broken)


def test_samples_and_proofs_take_the_first_sample() -> None:
    gate = Gate(Booking)
    assert all(
        gate.accepts(each, outside=[*HANDED[:1], codes(frozenset({"QLP", "MRW"})), *HANDED[2:]])
        for each in payloads(gate, 20)
    )
    assert {booking.port for booking in samples(gate, 20)} == {"QLP", "MRW"}
    assert {fault.code for _, fault in probes(gate)} >= {"choice", "kind", "absent"}
    proof = prove(gate, 400)
    assert not proof.disagreements
    assert proof.admitted
    with outside_values(codes(frozenset({"FNK"}))):
        assert {booking.port for booking in samples(gate, 5)} == {"FNK"}
    with pytest.raises(TypeError, match="give it samples once"):
        samples(Annotated[int, it < outside("most", int)], 1)


def test_a_feed_asks_for_them_too(tmp_path: Path) -> None:
    gate = Gate(Conditional)
    feed = tmp_path / "feed.ndjson"
    feed.write_text('{"kind": "a", "weight": 3}\n{"kind": "none", "weight": 9}\n')
    with outside_values(limit(5), codes(frozenset())):
        assert [bool(item.verdict) for item in examine_file(gate, feed)] == [True, False]
    with pytest.raises(TypeError, match="limit"):
        list(examine_file(gate, feed))
    rows = tmp_path / "feed.csv"
    rows.write_text("kind,weight\na,3\nnone,9\n")
    with pytest.raises(TypeError, match="limit"):
        list(examine_file(gate, rows))
