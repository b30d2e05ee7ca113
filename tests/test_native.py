"""The native core (`make native`): it admits nothing that Python would not, and the same values."""

# Rooms: engine/native, declare, regex

from __future__ import annotations

import gc
import json
import re
import subprocess
import sys
import threading
import warnings
from array import array
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, make_dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal
from enum import Enum
from functools import partial
from itertools import product
from pathlib import Path
from random import Random
from typing import Annotated, Any, Literal, NamedTuple, TypedDict
from uuid import UUID

import pytest
from hypothesis import given
from hypothesis import strategies as st

from any_declaration import any_declaration
from dutiful_gate import (
    DeclarationError,
    Gate,
    Limits,
    Refused,
    Sealed,
    Source,
    at_least_one,
    blank_is_none,
    it,
    needs,
    obeys,
    otherwise,
    rounded_to,
    tagged_by,
    then,
    this,
    trimmed,
    when,
)
from dutiful_gate.declare.facts import UNSURE, Stop
from dutiful_gate.declare.formats.email import USUAL
from dutiful_gate.declare.native_forms import header
from dutiful_gate.demo.ferries import Booking
from dutiful_gate.engine.handover import HANDOVER
from dutiful_gate.engine.native.core import NativeReader, core
from dutiful_gate.engine.native.shadow import NativeMismatch, difference, shadowed
from dutiful_gate.engine.native.twin import admits, twin_of
from dutiful_gate.files import examine_file
from dutiful_gate.gates.request import RequestGate
from dutiful_gate.regex.tables import table_of
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import Payloads
from native_against_python import as_text, compared, same, with_strangers

HEADER = Path(__file__).parent.parent / "native/src/forms.h"
needs_core = pytest.mark.skipif(core()[0] is None, reason=f"no native core ({core()[1]}): make native")


def answered(read: Any, data: Any) -> Any:
    """What it gives; UNSURE where a function of the declaration's own raises."""
    try:
        return read(data)
    except Exception:
        return UNSURE


def reader_of(gate: Gate[Any]) -> NativeReader:
    reader = gate._engine.native_reader(notes_unknown=False)
    assert reader is not None
    return reader


def test_the_header_is_made_of_the_tables() -> None:
    assert HEADER.read_text() == header(), "make it anew: make native"


@needs_core
@pytest.mark.parametrize("first", range(0, 200, 10))
def test_the_core_and_its_twin_agree_with_python(first: int) -> None:
    """A short run of `tests/native_against_python.py`."""
    for seed in range(first + 20_000, first + 20_010):
        _, told = compared(seed, 60, first)
        assert told == []


@needs_core
def test_it_reads_most_of_what_is_declared() -> None:
    """Else each gate would be slow, and nobody would know."""
    counted = sum((compared(seed, 40, 1)[0] for seed in range(60)), start=compared(0, 0, 0)[0])
    assert counted["declarations without"] < counted["declarations"] / 10
    assert counted["core gave up"] < counted["sound"] / 10


class Port(Enum):
    QUARRY_LEAP = "QLP"
    MARROW = "MRW"


class Tide(TypedDict, total=False):
    height: float


class Span(NamedTuple):
    low: int
    high: int = 9


@dataclass(frozen=True)
class Buoy:
    kind: Literal["buoy"]
    name: Annotated[str, trimmed]


@dataclass(slots=True)
class Light:
    kind: Literal["light"]
    seconds: Decimal


@obeys(this.high >= this.low)
@dataclass
class Chart:
    low: int = 0
    high: int = 5
    marks: list[Annotated[Buoy | Light, tagged_by("kind")]] = field(default_factory=list)


@dataclass
class Dock:
    port: Port
    tide: Tide
    span: Span
    free: set[int] = field(default_factory=set)
    boats: dict[Annotated[str, it.length < 4], list[int | str | None]] = field(default_factory=dict)
    chain: Dock | None = None
    seen: tuple[datetime, UUID, *tuple[bool, ...]] | None = None
    queue: deque[float] = field(default_factory=deque)


DOCK = '{"port":"QLP","tide":{},"span":{"low":1}'
TEXTS = [
    (Dock, DOCK + "}"), (Dock, DOCK + ',"free":[3,1,2]}'), (Dock, DOCK + ',"free":[3,3]}'), (Dock, DOCK + ',"x":{"x":[1,{}]}}'),
    (Dock, DOCK + ',"port":"QLP"}'), (Dock, DOCK + ',"p\\u006frt":"QLP"}'), (Dock, DOCK + ',"nobody":1,"nobody":2}'),
    (Dock, DOCK + ',"boats":{"a":[1,"b",null],"\\u00e9":[]}}'), (Dock, DOCK + ',"boats":{"a":[],"a":[]}}'), (Dock, DOCK + ',"boats":{"abcd":[]}}'),
    (Dock, DOCK + ',"chain":' + DOCK + ',"queue":[1,-0,-0.0,1e2]}}'), (Dock, DOCK + ',"chain":null}'), (Dock, "\ufeff" + DOCK + "}"),
    (Dock, DOCK + ',"seen":["2026-05-04T09:30:00.1234567+05:30","5F0C7D1E-3b5a-4c7e-9a55-0d1c2b3a4f5e",true,false]}'),
    (Dock, DOCK + ',"seen":["2016-12-31T23:59:60Z","5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e"]}'), (Dock, DOCK + ',"seen":["2026-05-04T09:30:00z"]}'),
    (Chart, "{}"), (Chart, '{"low":1,"high":0}'), (Chart, '{"low":1.0,"marks":[{"kind":"buoy","name":" a "}]}'),
    (Chart, '{"low":1,"marks":[{"seconds":1.50,"kind":"light"},{"kind":"light","seconds":1e5000}]}'), (Chart, '{"low":1,"marks":[{"kind":"bird"}]}'),
    (Chart, '{"low":1,"marks":[{"seconds":1.50,"kind":"light"},{"kind":"light","seconds":12345678901234567890.10}]}'),
    (list[int], "[1 , 2\n]"), (list[int], "[1,]"), (list[int], "[01]"), (list[int], "[1"), (list[int], "[-]"), (list[int], f"[{'9' * 4301}]"), (list[int], f"[{'9' * 4300}]"),
    (list[int], "[1e2,1.5e1,1E400]"), (list[float], "[1e308,1e309]"), (list[float], "[0.1,1e-400,123456789012345678901234567890,5e-324]"), (list[float], "[NaN]"),
    (list[str], '["\\ud83d\\ude00","\\ud800"]'), (list[str], '["\\ud83d\\ude00","\\u0000","\\/"]'), (list[str], '["a\tb"]'), (list[str], '["\u00e9\U0001f6a2"]'), (list[str], '["\\x"]'),
    (list[Any], '[{"a":[1,{"b":null}]},1.5,"x"]'), (list[Any], "[" * 90 + "]" * 90), (dict[str, Any], "{}"), (bool, " true "), (None, "null"), (str, '"x" y'), (str, ""),
]  # fmt: skip


@needs_core
@pytest.mark.parametrize(("declared", "text"), TEXTS, ids=range(len(TEXTS)))
def test_texts_at_the_edges_are_read_alike(declared: Any, text: str) -> None:
    gate, pure = Gate(declared), Gate(declared, native=False)
    for raw in (text, text.encode("utf-8", "surrogatepass")):
        for at in range(len(raw) + 1) if len(raw) < 200 else (len(raw),):
            verdict, wanted = gate.examine_json(raw[:at]), pure.examine_json(raw[:at])
            assert [str(fault) for fault in verdict.faults] == [str(fault) for fault in wanted.faults]
            assert same(verdict.value, wanted.value) if wanted else not verdict


@needs_core
def test_a_plan_that_is_none_is_refused() -> None:
    """Words that lead anywhere: they are refused, or read something; nothing else is done."""
    module, random = core()[0], Random(3)
    assert module is not None
    data = Gate(Booking).release(Gate(Booking).admit(_booking()))
    for declared in (Booking, Dock, Chart):
        written = reader_of(Gate(declared)).written
        for _ in range(1500):
            words = array("I", written.words)
            for _ in range(random.choice((1, 1, 2, 5))):
                words[random.randrange(len(words))] = random.choice(
                    (0, 1, 2, 7, 23, 300, len(words), 0xFFFF0001, 0xFFFFFFFF)
                )
            try:
                plan = module.load(
                    words.tobytes()[: random.choice((None, -4, 40))], written.constants, *[lambda data: UNSURE] * 2
                )
            except ValueError:
                continue
            for sent in (data, [data], {}, "x"):
                try:
                    plan.sound(sent)
                    plan.sound_json(b'{"origin": "QLP", "crates": [{"contents": "rope", "weight_kg": 2}]}')
                except Exception:
                    pass
    with pytest.raises(ValueError, match="constant"):
        module.load(reader_of(Gate(Booking)).written.words, (), *[lambda data: UNSURE] * 2)


def _booking() -> dict[str, Any]:
    return {
        "origin": "QLP", "destination": "MRW", "departs": "2026-05-04T09:30:00Z", "arrives": "2026-05-04T11:45:00Z",
        "contact": "desk@ternsound.example", "crates": [{"contents": "coiled rope", "weight_kg": 120}],
    }  # fmt: skip


@needs_core
def test_a_class_that_changes_is_noticed() -> None:
    @dataclass
    class Rope:
        metres: int

    @dataclass
    class Sent:
        body: list[Rope]

    gates, requests = [Gate(list[Rope]) for _ in range(4)], RequestGate(Sent)

    def roads() -> list[int]:
        """By each road as the first one of its gate."""
        data, raw = [{"metres": 3}], '[{"metres": 3}]'
        values = [gates[0].admit(data), gates[1].examine(data).value, gates[2].admit_json(raw)]
        values += [gates[3].examine_json(raw).value, requests.examine_with_json({}, raw)[0].value.body]
        return [ropes[0].metres for ropes in values]

    assert roads() == roads() == [3] * 5
    before = Rope.__init__

    def longer(self: Rope, metres: int) -> None:
        before(self, metres + 1)

    Rope.__init__ = longer  # type: ignore[method-assign]
    assert roads() == roads() == [4] * 5


@needs_core
def test_functions_that_raise_or_change_what_is_read() -> None:
    held: list[Any] = []

    def clears(value: str) -> str:
        if value == "clear":
            held.clear()
            gc.collect()
        if value == "stop":
            raise KeyboardInterrupt
        if value == "odd":
            raise OSError("odd")
        if value == "again":
            assert gate.admit(["a"]) == ["a"]
        return value

    gate = Gate(list[Annotated[str, then(clears)]])
    for word, raised in (("stop", KeyboardInterrupt), ("odd", OSError)):
        with pytest.raises(raised):
            gate.admit(["a", word, "b"])
        with pytest.raises(raised):
            gate.admit_json(f'["a", "{word}"]')
    assert gate.admit(["again", "b"]) == ["again", "b"]
    held += ["a", "clear", "b"]
    assert gate.admit(held) in ([], ["a"], ["a", "clear"])  # whatever is left of it: nothing is read that is gone


@needs_core
def test_threads_read_by_one_gate_and_are_let_in() -> None:
    gate, wrong = Gate(list[Booking]), []
    feed = [_booking()] * 300
    raw = Gate(list[Booking]).release_json(gate.admit(feed))
    wanted = gate.admit(feed)

    def work() -> None:
        wrong.extend(1 for _ in range(20) if gate.admit(feed) != wanted or gate.admit_json(raw) != wanted)

    threads = [threading.Thread(target=work) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []


@pytest.mark.parametrize("native", [True, False])
def test_functions_of_ones_own_run_twice_at_the_most_in_a_file(native: bool, tmp_path: Path) -> None:
    asked: list[str] = []

    def noted(text: str) -> str:
        asked.append(text)
        return text

    @dataclass
    class Line:
        name: Annotated[str, then(noted)]
        berth: int

    (tmp_path / "a.csv").write_text("name,berth\na,1\nb,x\nc,\n")
    (tmp_path / "a.ndjson").write_text('{"name":"a","berth":1}\n{"name":"b","berth":"x"}\n{"name":"c"}\n')
    for name, source in (("a.csv", Source.TEXT), ("a.ndjson", Source.JSON)):
        asked.clear()
        gate = Gate(Line, source, native=native)
        assert [bool(item) for item in examine_file(gate, tmp_path / name)] == [True, False, False]
        assert {word: asked.count(word) for word in "abc"} == {"a": 1, "b": 2, "c": asked.count("c")}
        assert asked.count("c") <= 2

    # Of a record inside another it may be once more: the telling function asks the quick one of that record first.
    @dataclass
    class Sent:
        body: Line
        query: Line

    sent = RequestGate(Sent, native=native)
    for berth, query in (("1", "b"), ('"x"', "b"), ("1", "1"), ('"x"', "1")):
        asked.clear()
        sent.examine_with_json({"query": {"name": "q", "berth": query}}, f'{{"name":"a","berth":{berth}}}')
        assert max(map(asked.count, asked)) <= (1 if (berth, query) == ("1", "1") else 3)


@needs_core
def test_dropped_names_are_noted_natively_in_the_order_of_the_declaration() -> None:
    @dataclass
    class Crate:
        contents: str

    @dataclass
    class Load:
        last: Sealed[Crate] | None = None
        first: list[Crate] = field(default_factory=list)
        by_name: dict[str, Crate] = field(default_factory=dict)

    raw = """{"zz": 1, "by_name": {"a": {"contents": "rope", "é": [{"x": 1}]}}, "": 2,
        "first": [{"contents": "sail"}, {"y": 1, "contents": "tar", "x": 2}]}"""
    paths = ["first.1.y", "first.1.x", "by_name.a.é", "zz", ""]
    engine = Gate(Load)._engine
    for data, read in ((raw, Gate(Load).examine_json), (json.loads(raw), Gate(Load).examine)):
        verdict = read(data)  # type: ignore[operator]
        assert [".".join(map(str, path)) for path in verdict.dropped] == paths
    assert engine.sound_and_noted(json.loads(raw)).dropped == verdict.dropped
    secret = {"last": {"contents": "key", "pin 1234": 1}}
    assert "1234" not in repr(Gate(Load).examine(secret).dropped)


class Liar(float):
    """A float that says it is another."""

    def __float__(self) -> float:
        return 7.0

    def is_integer(self) -> bool:
        return False


@needs_core
def test_numbers_of_a_class_of_their_own_are_left_to_python() -> None:
    for declared in (float, int, list[float], float | str):
        for data in (Liar(3.0), [Liar(3.0)], True, [True]):
            gate, pure = Gate(declared), Gate(declared, native=False)  # type: ignore[arg-type,var-annotated]
            verdict, wanted = gate.examine(data), pure.examine(data)
            assert bool(verdict) == bool(wanted)
            assert same(verdict.value, wanted.value) if wanted else True


@needs_core
def test_limits_hold_natively() -> None:
    few = Gate(list[list[int]], limits=Limits(items=3, depth=2))
    assert few.accepts([[1, 2, 3]])
    assert not few.accepts([[1, 2, 3, 4]])
    with pytest.raises(Refused):
        few.admit_json("[[1,2,3,4]]")
    with pytest.raises(Refused, match="levels deep"):
        Gate(list[Any], limits=Limits(depth=2)).admit_json("[[[1]]]")
    assert not Gate(int, limits=Limits(digits=3)).examine_json("1234")
    assert not Gate(int, limits=Limits(bytes=3)).examine_json("1234")


@needs_core
@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")  # of the interpreter's own, since 3.13
def test_memory_that_is_not_there_is_told_and_nothing_else_happens() -> None:
    hooks = pytest.importorskip("_testcapi", reason="this Python has no test interface")
    for declared, text in (
        (list[Booking], json.dumps([_booking()] * 2)),
        (Dock, TEXTS[7][1]),
        (Dock, TEXTS[13][1]),
        (Chart, TEXTS[21][1]),
    ):
        gate: Gate[Any] = Gate(declared)
        value = gate.admit_json(text)
        reader, raw = reader_of(gate), text.encode()
        assert gate.release_admitted_json(value)
        write = gate._engine._writers[False]
        for ask, came in ((reader.sound, json.loads(text)), (reader.sound_json, raw), (write, value)):
            wanted, failed = ask(came), 0
            for number in range(400):
                hooks.set_nomemory(number, number + 1)
                try:
                    made = ask(came)
                except MemoryError:
                    failed += 1
                    continue
                finally:
                    hooks.remove_mem_hooks()
                assert same(made, wanted)
            assert 0 < failed < 400


@needs_core
def test_nothing_is_kept_of_what_was_read() -> None:
    gate = Gate(list[Dock])
    assert gate.accepts(json.loads(f"[{DOCK}}}]")), "what is not sound at all is no test"
    text = f'[{DOCK},"chain":{DOCK}}},{DOCK},"boats":{{"a":[1]}},"nobody":[{{}}]}}]'
    for raw in (text, text[:-9], text.replace("QLP", "QQQ")):
        for _ in range(3):
            gate.examine_json(raw)
        gc.collect()
        before = len(gc.get_objects())
        for _ in range(50):
            gate.examine_json(raw)
        gc.collect()
        assert len(gc.get_objects()) - before < 20


@needs_core
@pytest.mark.skipif(
    not hasattr(sys, "gettotalrefcount"), reason="this Python does not count references: a debug build does"
)
def test_no_reference_is_lost_or_taken() -> None:
    warnings.simplefilter("ignore")
    for seed in range(150):
        declared, words = any_declaration(seed)
        try:
            gate: Gate[Any] = Gate(declared, **words)
        except DeclarationError:
            continue
        reader = gate._engine.native_reader(notes_unknown=False)
        if reader is None or not gate.reads.in_json:
            continue
        random = Random(seed)
        makes, edges = Payloads(gate.shape, random), Edges(gate.shape, random)
        try:
            sound = [makes.make() for _ in range(5)]
        except CannotSample:
            continue
        sent = [
            *sound,
            *(edges.spoiled(gate.shape.root, each) for each in sound),
            *(with_strangers(each, random) for each in sound),
        ]
        texts = [as_text(each, random) for each in sent if plainly(each)]
        writers = [gate._engine._writer(secrets, secrets, checked=False) for secrets in (True, False)]
        values = [value for each in sent if (value := answered(reader.sound, each)).__class__ is not Stop]

        jobs = [partial(answered, road, each) for road in (reader.sound, reader.noted) for each in sent]
        raw = (reader.sound_json, reader.noted_json, reader.plain_json)
        jobs += [partial(answered, road, text) for road in raw for text in texts]
        jobs += [partial(answered, write, value) for write in filter(None, writers) for value in values]
        for _ in range(3):
            for job in jobs:
                job()
        gc.collect()
        changes = []
        for _ in range(4):  # the interpreter's own caches settle; what is lost is lost each time
            before = sys.gettotalrefcount()
            for _ in range(20):
                for job in jobs:
                    job()
            gc.collect()
            changes.append(abs(sys.gettotalrefcount() - before))
        assert min(changes) < 20, f"declaration {seed}"


def plainly(payload: Any) -> bool:
    """Whether JSON can say it."""
    try:
        json.dumps(payload)
    except (TypeError, ValueError, OverflowError):
        return False
    return True


def test_it_can_be_turned_off() -> None:
    words = (
        "from dutiful_gate import Gate; from dutiful_gate.engine.native.core import core;"
        "gate = Gate(int); gate.admit(3); print(gate._engine.native_reader(notes_unknown=False), core()[1])"
    )
    told = subprocess.run([sys.executable, "-c", words], env={"DUTIFUL_NATIVE": "off"}, capture_output=True, text=True)
    assert told.stdout.strip() == "None off: DUTIFUL_NATIVE=off", told.stderr
    for misspelt in ("of", "shadow:x", "shadow:0", "shadwo"):
        told = subprocess.run(
            [sys.executable, "-c", words], env={"DUTIFUL_NATIVE": misspelt}, capture_output=True, text=True
        )
        assert told.stdout.startswith(f"None off: DUTIFUL_NATIVE={misspelt!r} is no word"), (
            "what is misspelt may mean off"
        )
    assert Gate(int, native=False)._engine.native_reader(notes_unknown=False) is None


TABLED = [
    r"[A-Z]{3}", r"(ab)*c?", r"\d{2,4}-\w+", r"(?i)k+[^x]", r"(?s).*\s", r"a|b|", r"[^@\s]+@[^@\s]+(?:\.[a-z]{2,6})+", r"(?:a{2,3}b?)+", USUAL,
]  # fmt: skip


@given(st.sampled_from(TABLED), st.text("abAkKx1-@. \n_\x1c", max_size=14))
def test_tables_of_patterns_match_as_python_does(pattern: str, text: str) -> None:
    table = table_of(pattern, 0)
    assert table is not None
    assert admits(table, text) == (re.fullmatch(pattern, text) is not None)


def test_patterns_that_look_around_have_no_table() -> None:
    assert [table_of(each, 0) for each in (r"\ba", r"a(?=b)", r"(a)\1", "[a-z]{900}")] == [None] * 4


@needs_core
def test_shadow_mode_tells_of_what_differs_and_answers_as_python_does(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DUTIFUL_NATIVE", "shadow:2")
    raw = json.dumps(_booking())
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        gate = Gate(Booking)
        assert [gate.admit(_booking()) for _ in range(9)] == [gate.admit_json(raw)] * 9
    wrong = replace(gate.admit(_booking()), origin="MRW")
    read = shadowed(lambda data: wrong, gate.admit, "Booking", 2)
    assert read(_booking()) is wrong, "the first of two is not compared"
    with pytest.warns(
        NativeMismatch, match=r"another Booking than Python\.origin: another value: set DUTIFUL_NATIVE=off"
    ):
        assert read(_booking()).origin == "QLP"
    assert difference([{"a": 1}], [{"a": 1.0}]) == "[0](a value): int and float"
    assert difference([-0.0], [0.0]) == "[0]: another number"


@dataclass
class Depot:
    ids: list[UUID]
    named: dict[str, Decimal]
    docks: list[Span]
    name: Annotated[str, it.length < 9] = "x"


IDS = [f"5f0c7d1e-3b5a-4c7e-9a55-{number:012x}" for number in range(160)]
LARGE: list[tuple[Any, Any]] = [
    (list[UUID], [*IDS, "x"]), (set[UUID], [*IDS, IDS[3]]), (set[UUID], [*IDS, 3]), (dict[str, UUID], {**{each: each for each in IDS}, "z": 1}),
    (list[list[UUID]], [IDS, [*IDS, "x"], IDS]), (list[list[UUID]], [IDS[:120]] * 130 + [["x"]]), (tuple[list[UUID], int], [IDS, "x"]),
    (Depot, {"ids": [*IDS, "?"], "named": {}, "docks": []}), (Depot, {"ids": IDS, "named": {**dict.fromkeys(IDS, 1.5), "e": "?"}, "docks": []}),
    (Depot, {"ids": IDS, "named": {}, "docks": [{"low": 1}] * 150 + [{"low": "x"}]}), (Depot, {"ids": IDS, "named": {}, "docks": [{"low": 1, "more": 2}] * 150 + [{}]}),
    (Depot, {"ids": IDS, "named": {}, "docks": [], "name": "far too long"}), (dict[str, list[UUID]], {"a": IDS, "b": [*IDS, None]}),
    (list[Depot], [{"ids": IDS, "named": {}, "docks": []}] * 3 + [{"ids": [*IDS, 1], "named": {}, "docks": []}]), (list[UUID | int], [*IDS, 4, "x"]),
]  # fmt: skip


@needs_core
@pytest.mark.parametrize(("declared", "data"), LARGE, ids=range(len(LARGE)))
def test_what_was_made_of_large_collections_is_handed_over_in_its_place(declared: Any, data: Any) -> None:
    gate, pure = Gate(declared), Gate(declared, native=False)
    raw = json.dumps(data)
    for ask, told, sent in (
        (gate.examine, pure.examine, data), (gate.examine_json, pure.examine_json, raw), (gate.examine_json, pure.examine_json, raw[:-1]),
    ):  # fmt: skip
        verdict, wanted = ask(sent), told(sent)
        assert [(str(fault), fault.place) for fault in verdict.faults] == [
            (str(fault), fault.place) for fault in wanted.faults
        ]
        assert not verdict
        assert not wanted
        assert verdict.dropped == wanted.dropped
        assert HANDOVER.made is None
        assert HANDOVER.waiting is None
    with pytest.raises(Refused):
        gate.admit(data)
    assert HANDOVER.made is None


@needs_core
def test_the_twin_reads_the_same_plan() -> None:
    gate = Gate(Booking)
    twin = twin_of(reader_of(gate).written)
    assert twin(_booking()) == gate.admit(_booking())
    assert twin({**_booking(), "origin": 3}).__class__ is Stop
    assert gate.admit(_booking()).departs == datetime(2026, 5, 4, 9, 30, tzinfo=UTC)


_TRIMMED = Annotated[str, trimmed]
READ_OTHERWISE: list[tuple[Any, list[Any]]] = [
    (Annotated[str | None, blank_is_none], ["", " ", "x", None]), (Annotated[str | None, blank_is_none, trimmed], ["", " ", " x", "x", None]),
    (_TRIMMED, ["", " ", "x", " x"]), (_TRIMMED | None, [None, " x", "x", ""]), (_TRIMMED | int, [" x", "x", 3]), (list[_TRIMMED], [[], [" "], ["x "], ["x"]]),
    (list[Annotated[str | None, blank_is_none]], [[""], [None], ["x"]]), (dict[str, _TRIMMED], [{}, {"a": " x"}, {"a": "x"}]), (tuple[_TRIMMED, int], [(" x", 1), ("x", 1)]),
    (Annotated[str, it.length > 1, otherwise("zz")], ["a", "zz", "bb"]), (Annotated[float, rounded_to(1)], [1.04, 1.0, 1.06]),
]  # fmt: skip


@pytest.mark.parametrize("rule", [needs("a", given="c"), this.a == this.b, this.a != this.b, at_least_one("a", "b"), when(this.c > 0).needs("a"),
                                  lambda record: record.a == record.b])  # fmt: skip
@pytest.mark.parametrize(("kind", "values"), READ_OTHERWISE, ids=range(len(READ_OTHERWISE)))
def test_rules_of_records_see_what_is_read_on_the_way_out_too(kind: Any, values: list[Any], rule: Any) -> None:
    try:
        made: Any = obeys(rule)(make_dataclass("Made", [("a", kind), ("b", kind), ("c", int)]))
        gates = [Gate(made, native=native) for native in (True, False)]
    except DeclarationError:
        pytest.skip("the rule means nothing for such fields")
    for a, b in product(values, values):
        roads = [
            partial(call, made(a, b, 1))
            for gate in gates
            for call in (gate.release, lambda v, g=gate: json.loads(g.release_json(v)))
        ]
        assert len({_said(road) for road in roads}) == 1, (a, b)


def _said(road: Callable[[], Any]) -> str:
    try:
        return str(road())
    except Refused:
        return "refused"
