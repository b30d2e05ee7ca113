"""One order, one place, and nothing raised: faults of odd data, on every road; what is short of stack is no fault."""

# Rooms: engine, report, outline, gates, shape, config, read

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import dataclass, field, make_dataclass
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from random import Random
from time import perf_counter
from typing import Annotated, Any, Literal

import pytest

from dutiful_gate import DeclarationError, Gate, Limits, Refused, Source, Wrong, camel, it, obeys, secret, this
from dutiful_gate.config import File, RefusedSettings, Settings
from dutiful_gate.declare.facts import REFUSED
from dutiful_gate.demo.ferries import bookings
from dutiful_gate.shape.nodes import Items, Link, Nullable
from dutiful_gate.shape.uses import Use

SOUND = {
    "origin": "QLP",
    "destination": "OST",
    "departs": "2026-05-04T09:30:00Z",
    "arrives": "2026-05-04T10:30:00Z",
    "contact": "desk@ternsound.example",
    "crates": [{"contents": "rope", "weight_kg": 1}],
}


def any_record(random: Random, depth: int) -> Any:
    """Records with defaults and rules, a few levels deep."""
    fields: list[Any] = []
    for name in ("a_x", "b_y", "c_z", "d_w"):
        roll = random.random()
        if depth and roll < 0.4:
            inner = any_record(random, depth - 1)
            fields.append((name, inner) if random.random() < 0.5 else (name, inner | None, None))
        elif depth and roll < 0.55:
            fields.append((name, list[any_record(random, depth - 1)], field(default_factory=list)))  # type: ignore[misc]
        else:
            fields.append((name, int) if random.random() < 0.5 else (name, int, random.randint(0, 9)))
    fields.sort(key=len)
    numbers = [each[0] for each in fields if each[1] is int]
    rules: list[Any] = []
    if len(numbers) > 1:
        one, two = random.sample(numbers, 2)
        rules += [getattr(this, one) < getattr(this, two), getattr(this, two).obeys(it > 4)]
    at = random.choice(("a_x", "b_y", "c_z", "d_w"))

    def complains(record: Any) -> None:
        raise Wrong("told by a function", at=at)

    made: Any = make_dataclass("Made", fields)
    return obeys(*rules, *([complains] if random.random() < 0.3 else []))(made)


def data_for(gate: Gate[Any], random: Random, use: Use) -> Any:
    """Data for it, keys lacking and in any order."""
    match use.node:
        case Nullable(inner):
            return data_for(gate, random, inner) if random.random() < 0.7 else None
        case Items(item):
            return [data_for(gate, random, item) for _ in range(random.randint(0, 2))]
        case Link(key):
            fields = list(gate.shape.records[key].fields)
            random.shuffle(fields)
            return {each.wire: data_for(gate, random, each.use) for each in fields if random.random() < 0.7}
    return random.choice([1, 2, 5, 8, 9, "x"])


@pytest.mark.parametrize("seed", range(150))
def test_faults_stand_in_one_order_decoded_and_raw(seed: int) -> None:
    random = Random(seed)
    try:
        gate: Gate[Any] = Gate(any_record(random, 2), keys=random.choice([None, camel]))
    except DeclarationError:
        return
    for _ in range(5):
        data = data_for(gate, random, gate.shape.root)
        told, raw = gate.examine(data).faults, gate.examine_json(json.dumps(data, indent=1)).faults
        assert [(each.path, each.code) for each in told] == [(each.path, each.code) for each in raw]
        places = [(each.place.line, each.place.column) for each in raw if each.place]
        assert places == sorted(places)


@dataclass
class Crate:
    weight_kg: float


def weighs(load: Any) -> None:
    ways = {1: ("top_crates", 0, "weight_kg"), 2: ["by_name", "a b", "weight_kg"], 3: this.one_crate.weight_kg}
    if load.way:
        raise Wrong("too heavy", at=ways[load.way])


@obeys(weighs)
@dataclass
class Load:
    way: int
    top_crates: list[Crate]
    by_name: dict[str, Crate]
    one_crate: Crate | None


@pytest.mark.parametrize(
    ("way", "pointer"), [(1, "/topCrates/0/weightKg"), (2, "/byName/a b/weightKg"), (3, "/oneCrate/weightKg")]
)
def test_paths_are_told_in_the_names_of_the_data_at_each_step(way: int, pointer: str) -> None:
    crate = {"weightKg": 1}
    data = {"way": way, "topCrates": [crate], "byName": {"a b": crate}, "oneCrate": crate}
    text = json.dumps(data, indent=1)
    (fault,) = Gate(Load, keys=camel).examine_json(text).faults
    assert fault.pointer == pointer
    assert fault.place is not None
    assert "weightKg" in text.splitlines()[fault.place.line - 1]


class Liar:
    """An object that says to be what it is not, or nothing."""

    def __init__(self, says: Any) -> None:
        object.__setattr__(self, "says", says)

    def __getattribute__(self, name: str) -> Any:
        says = object.__getattribute__(self, "says")
        if name == "__class__" and says is not None:
            return says
        raise RuntimeError(name)


class Mute(str):
    __slots__ = ()

    def __str__(self) -> str:
        raise RuntimeError

    __repr__ = __str__


ITSELF: dict[str, Any] = {}
ITSELF.update(a=ITSELF, b=ITSELF)
ODD: list[Any] = [
    Decimal("sNaN"), Decimal("NaN"), [Decimal("sNaN")], float("nan"), Liar(None), Liar(type(REFUSED)), Mute("x"), ITSELF,
    {10**5000: 1}, 10**5000, {Mute("k"): 1}, {None: 1, 1.5: 2}, range(3), object(), {"k": Liar(None)},
]  # fmt: skip


def odd_values() -> list[Any]:
    pandas = sys.modules.get("pandas") or pytest.importorskip("pandas")
    return [*ODD, pandas.NaT, [pandas.NaT], pandas.NA]


KINDS: list[Any] = [
    int, float, str, Decimal, datetime, Any, Literal["a", 1], list[int], dict[str, int], Annotated[Any, it > 3],
    Annotated[Any, it.one_of(1, 2)], Annotated[list[Any], it.distinct], set[Decimal], Annotated[Decimal, it.multiple_of(2)],
]  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("source", [Source.JSON, Source.NATIVE, Source.MIXED])
def test_one_odd_value_hides_no_other_fault_and_raises_nowhere(kind: Any, source: Source) -> None:
    gate: Gate[Any] = Gate(make_dataclass("Odd", [("a", kind), ("b", int)]), source)
    for odd in odd_values():
        verdict = gate.examine({"a": odd, "b": "x"})
        assert not verdict
        assert ("b",) in {fault.path for fault in verdict.faults} or verdict.faults[0].code == "depth"
        for pointer in ("", "/a", "/b"):
            assert str(gate.why({"a": odd, "b": "x"}, pointer))
        assert verdict._repr_html_()
        assert verdict.by_field()
        assert verdict.problem()
        verdict.entered()
        alone = Gate(kind, source).examine(odd)
        assert alone or alone.faults, "nothing is refused without a fault"
        assert alone._repr_html_()


def test_data_that_holds_itself_is_drawn_and_told_soon() -> None:
    @dataclass
    class Stack:
        size: int
        beside: list[Stack]
        code: Annotated[str, secret] = "x"

    again: dict[str, Any] = {"size": "x"}
    again["beside"] = [again, again]
    document = {"type": ["object", "integer"], "properties": {"a": {"$ref": "#"}, "b": {"$ref": "#"}}}
    start = perf_counter()
    for gate, data in ((Gate(Stack, names=locals()), again), (Gate(int), ITSELF), (Gate.from_schema(document), ITSELF)):
        verdict = gate.examine(data)
        assert not verdict
        assert len(verdict._repr_html_()) < 2_000_000
        verdict.entered()
        assert str(gate.why(data))
    assert perf_counter() - start < 60, "it would take years where each way were gone"


def nested(depth: int) -> Any:
    return {"a": nested(depth - 1)} if depth else 1


DEEP: list[tuple[str, Callable[[], Any]]] = [
    ("types", lambda: bookings.admit(SOUND)),
    ("anything", lambda: Gate(Any).accepts(nested(60))),
    ("raw", lambda: Gate(Any).examine_json(json.dumps(nested(60)))),
    ("a document", lambda: Gate.from_schema({"properties": {"a": {"$ref": "#"}}}).accepts(nested(60))),
    ("release", lambda: Gate(Any).release(nested(60))),
    ("why", lambda: Gate(Any).why(nested(60)).admitted),
]


@pytest.mark.parametrize("job", [job for _, job in DEEP], ids=[name for name, _ in DEEP])
def test_a_program_that_is_short_of_stack_is_no_fault_of_the_data(job: Callable[[], Any]) -> None:
    def asked(frames: int) -> Any:
        return job() if not frames else asked(frames - 1)

    assert job()
    for frames in range(500, sys.getrecursionlimit(), 25):
        try:
            assert asked(frames)
        except RecursionError:
            pass
        except Refused as refused:
            pytest.fail(f"sound data is refused {frames} frames deep: {refused}")


def settings_of(folder: Path, text: str, **words: Any) -> Any:
    (folder / "terminal.toml").write_text(text)
    return Settings(Texts, File(folder / "terminal.toml", **words)).load().value


@dataclass
class Texts:
    a: dict[str, str]


def test_references_of_settings_are_bounded(tmp_path: Path) -> None:
    doubling = "".join(f'k{number}="${{a.k{number + 1}}}${{a.k{number + 1}}}"\n' for number in range(30))
    with pytest.raises(RefusedSettings, match=r"at most 1,?048,?576 characters"):
        settings_of(tmp_path, f'[a]\n{doubling}k30="x"\n', expands=True)
    # What comes to nothing is put in a thousand million times where each reference is followed anew.
    assert settings_of(tmp_path, f'[a]\n{doubling}k30=""\n', expands=True).a["k0"] == ""
    chain = [f'k{number}="${{a.k{number + 1}}}"\n' for number in range(40)]
    for lines in (chain, chain[::-1]):  # whichever is read first
        with pytest.raises(RefusedSettings, match="leads back to itself") as refused:
            settings_of(tmp_path, f'[a]\n{"".join(lines)}k40="x"\n', expands=True)
        assert {fault.path for fault in refused.value.faults} == {("a", f"k{number}") for number in range(7)}
    few = "".join(f'k{number}="${{a.k{number + 1}}}${{a.k{number + 1}}}"\n' for number in range(5))
    assert settings_of(tmp_path, f'[a]\n{few}k5="x"\n', expands=True).a["k0"] == "x" * 32


@pytest.mark.parametrize("key", ["{} = 1", "[{}]", "x = {{ {} = 1 }}", "[[{}]]", 'a = 1\n"b".{} = 2'])
def test_keys_of_many_steps_are_refused_where_they_stand(tmp_path: Path, key: str) -> None:
    dots = ".".join(["a"] * 20_000)
    with pytest.raises(RefusedSettings, match="at most 64 levels"):
        settings_of(tmp_path, key.format(dots))
    words = ".".join(["b"] * 500)
    told = settings_of(tmp_path, f'#{words}\n[a]\nx = "{words}"\ny = """\n{words} = 1\n"""\n')
    assert told.a == {"x": words, "y": f"{words} = 1\n"}


def test_moments_and_limits_are_as_they_were() -> None:
    assert Gate(datetime, Source.NATIVE).admit(datetime(2026, 5, 4, tzinfo=UTC)).year == 2026
    assert not Gate(Any, limits=Limits(depth=3)).accepts(nested(5))
