"""`make bench-hostile`: small inputs and declarations that are made to cost much, and what they cost.

    python benchmarks/hostile.py

Each input is measured at one size and at twice that size, its faults, messages and problem read, against the standard
decoder on the same text: the first ratio is (ours - 25 ms) / decoder, the second how much more twice the input costs us
than it costs the decoder; so are lists of every kind of value (`hostile_kinds.py`). Each declaration is built, asked and
documented at one size and at twice it; each pattern is held against texts that it does not match. Other work on the
machine only adds to a time, so that each is the shortest of a few runs, and where a bound is broken all are run again up
to eight times, the shortest kept; of the second ratio, the median. Exit status 1 when a bound stays broken.
"""

from __future__ import annotations

import gc
import json
import re
import sys
import warnings
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field, make_dataclass
from datetime import date, datetime
from decimal import Decimal
from functools import partial
from pathlib import Path
from statistics import median
from tempfile import TemporaryDirectory
from time import perf_counter
from typing import Annotated, Any, Literal, Union
from uuid import UUID

from hostile_kinds import DEAR, KINDS, PARTS, listed, lists

from dutiful_gate import (
    AnyGate,
    Gate,
    Limits,
    at_least_one,
    declarations_of,
    it,
    obeys,
    payloads,
    rounded_to,
    split_on,
    this,
)
from dutiful_gate.config import File, Settings
from dutiful_gate.declare.variants import amendment_of
from dutiful_gate.demo.ferries import Booking

PRIME = 2**61 - 1
BOUND, TWICE, ALLOWED = 20.0, 1.15, 0.025
DECLARATION_TWICE = 2.4


@dataclass
class Row:
    a: int
    b: list[int]


@dataclass
class One:
    child: One | Two | None = None
    x: int = 0


@dataclass
class Two:
    child: One | Two | None = None
    y: int = 0


@dataclass
class Tree:
    kids: list[Tree] = field(default_factory=list)
    v: int = 0


@dataclass
class Pile:
    kids: list[Pile] | list[Pile | str] = field(default_factory=list)


Cargo = dict[str, "Cargo"] | list["Cargo"] | int | None


@dataclass
class Crate:
    kind: Literal["crate"]
    weight_kg: float


@dataclass
class Pallet:
    kind: Literal["pallet"]
    height_m: float


def fields(count: int, kind: Any = int) -> Any:
    return make_dataclass(f"Fields{count}", [(f"some_field_{number}", kind) for number in range(count)])


def chain(depth: int, leaf: Any, step: str = "child") -> Any:
    for _ in range(depth):
        leaf = {step: leaf}
    return leaf


def piled(depth: int) -> Any:
    pile: Any = "x"
    for _ in range(depth):
        pile = {"kids": [pile, "x"]}
    return pile


TWENTY: Any = fields(20)
TWENTIES: Any = list.__class_getitem__(TWENTY)


def meeting(levels: int) -> dict[str, Any]:
    """A document that comes to each of its levels twice from the one before."""
    after = [{"$ref": f"#/$defs/d{at + 1}"} for at in range(levels)]
    return {
        "items": after[0],
        "$defs": {**{f"d{at + 1}": {"anyOf": [lead, {"not": lead}, False]} for at, lead in enumerate(after[1:])}, f"d{levels}": {"const": "y"}},
    }  # fmt: skip


CRANES = {
    "items": {
        "type": "object",
        "required": ["berth"],
        "properties": {"name": {"type": "string"}, "reach": {"items": {"type": "number"}}},
    }
}
LOOP = {
    "anyOf": [
        {"type": "object", "properties": {"a": {"$ref": "#"}}, "required": ["x"]},
        {"type": "object", "properties": {"a": {"$ref": "#"}}, "required": ["y"]},
        {"type": "null"},
    ]
}

# Name, gate, the text of a size, the size.
INPUTS: list[tuple[str, AnyGate[Any], Callable[[int], str], int] | tuple[str, AnyGate[Any], Callable[[int], str], int, str]] = [
    ("unknown keys near known ones", Gate(fields(20), unknown="refuse"), lambda n: json.dumps({f"som_feild_{i}x": 1 for i in range(n)}), 100),
    ("unknown keys, many", Gate(TWENTY), lambda n: json.dumps({f"k{i}": 1 for i in range(n)}), 200_000),
    ("unknown keys, many, refused", Gate(TWENTY, unknown="refuse"), lambda n: json.dumps({f"k{i}": 1 for i in range(n)}), 200_000),
    ("an unknown key of megabytes", Gate(TWENTY, unknown="refuse"), lambda n: json.dumps({"a" * n: 1}), 3_000_000),
    ("integers of one hash in a set", Gate(set[int]), lambda n: listed([str(i * PRIME) for i in range(n)]), 20_000),
    ("integers of one hash as keys", Gate(dict[int, int]), lambda n: json.dumps({str(i * PRIME): 1 for i in range(n)}), 20_000),
    ("integers of one hash, distinct", Gate(Annotated[list[int], it.distinct]), lambda n: listed([str(i * PRIME) for i in range(n)]), 20_000),
    ("decimals of one hash in a set", Gate(set[Decimal]), lambda n: listed([str(i * PRIME) for i in range(n)]), 20_000),
    ("tuples of one hash in a set", Gate(set[tuple[int, int]]), lambda n: listed([f"[{i * PRIME},1]" for i in range(n)]), 20_000),
    ("UUIDs of one hash in a set", Gate(set[UUID]), lambda n: json.dumps([str(UUID(int=i * PRIME)) for i in range(n)]), 20_000),
    ("records without a hash, distinct", Gate(Annotated[list[Row], it.distinct]), lambda n: json.dumps([{"a": i, "b": [i]} for i in range(n)]), 10_000),
    ("records of one hash, distinct", Gate(Annotated[list[Row], it.distinct]), lambda n: json.dumps([{"a": i * PRIME, "b": []} for i in range(n)]), 10_000),
    ("dicts, distinct", Gate(Annotated[list[dict[str, int]], it.distinct]), lambda n: json.dumps([{"a": i} for i in range(n)]), 20_000),
    ("items of one hash by a document", Gate.from_schema({"uniqueItems": True}), lambda n: listed([str(i * PRIME) for i in range(n)]), 20_000),
    ("NaN at the end", Gate(list[int]), lambda n: listed(["123456"] * n + ["NaN"]), 400_000),
    ("NaN everywhere", Gate(list[int]), lambda n: listed(["NaN"] * n), 200_000),
    ("a comma too many at the end", Gate(list[int]), lambda n: f"[{'123456,' * n}]", 400_000),
    ("a list that does not end", Gate(list[int]), lambda n: f"[{'123456,' * n}1", 400_000),
    ("texts, and NaN at the end", Gate(list[str]), lambda n: listed(['"abcdefgh"'] * n + ["NaN"]), 250_000),
    ("texts, and no end", Gate(list[str]), lambda n: "[" + ",".join(['"abcdefgh"'] * n), 250_000),
    ("an escape that is none at the end", Gate(str), lambda n: '"' + "\\u0041" * n + '\\x"', 500_000),
    ("a text without an end", Gate(str), lambda n: '"' + "a" * n, 3_000_000),
    ("more items than the limit", Gate(list[int], limits=Limits(items=1000)), lambda n: listed(["123456"] * n), 400_000),
    ("keys that repeat", Gate(dict[str, int]), lambda n: "{" + ",".join(f'"k{i % (n // 2)}":1' for i in range(n)) + "}", 200_000),
    ("one key again and again", Gate(dict[str, int]), lambda n: "{" + ",".join(['"k":1'] * n) + "}", 300_000),
    ("records, the last one unsound", Gate(list[dict[str, int]]), lambda n: listed(['{"a":1}'] * n + ['{"a":"x"}']), 200_000),
    ("records, all unsound", Gate(list[dict[str, int]]), lambda n: listed(['{"a":"x"}'] * n), 200_000),
    ("records of twenty, all unsound", Gate(TWENTIES), lambda n: json.dumps([{f"some_field_{i}": "x" for i in range(20)}] * n), 5_000),
    ("records of twenty, one empty", Gate(TWENTIES), lambda n: json.dumps([{f"some_field_{i}": 1 for i in range(20)}] * n + [{}]), 5_000),
    ("lists in a list, broken at the end", Gate(list[list[int]]), lambda n: listed(["[1,2]"] * n + ["[1,]"]), 200_000),
    ("brackets in texts", Gate(list[str]), lambda n: json.dumps(["[{" * 20] * n + [1]), 50_000),
    ("brackets, thousands deep", Gate(Any), lambda n: "[" * n + "]" * n, 400),
    ("a number of megabytes", Gate(Any), lambda n: f"[{'9' * n}]", 3_000_000),
    ("a fraction of megabytes", Gate(Decimal), lambda n: f"0.{'9' * n}", 3_000_000),
    ("two records that lead to each other", Gate(One), lambda n: json.dumps(chain(n, {"child": 3})), 30),
    ("a tree, unsound at a leaf", Gate(Tree), lambda n: json.dumps({"kids": [{"v": 1, "kids": [{"v": 2}] * 5}] * n + [{"v": "x"}]}), 4_000),
    ("options that fail at their last item", Gate(Pile), lambda n: json.dumps(piled(n)), 15),
    ("a type that leads to itself, unsound", Gate(Cargo), lambda n: json.dumps([{"a": [1, None]}] * n + ["x"]), 8_000),
    ("items refused by a document", Gate.from_schema({"items": {"type": "integer"}}), lambda n: json.dumps(["x"] * n), 200_000),
    ("records refused by a document", Gate.from_schema(CRANES), lambda n: json.dumps([{"name": 1, "reach": ["x", "y"]}] * n), 40_000),
    ("alternatives refused by a document", Gate.from_schema({"items": {"anyOf": [{"type": "string"}, {"$ref": "#/items/anyOf/0"}]}}), lambda n: json.dumps([7] * n), 200_000),
    ("names refused by a document", Gate.from_schema({"propertyNames": {"maxLength": 2}}), lambda n: json.dumps({f"name {i}": i for i in range(n)}), 100_000),
    ("properties refused by a document", Gate.from_schema({"properties": {"a": {}}, "additionalProperties": False}), lambda n: json.dumps({f"name {i}": i for i in range(n)}), 100_000),
    ("a document of branches that meet", Gate.from_schema(meeting(50)), lambda n: json.dumps(["x"] * n), 10),
    ("a document that leads to itself twice", Gate.from_schema(LOOP), lambda n: json.dumps(chain(n, 1, "a")), 15),
    ("a tag that names nothing, in a list", Gate(list[Crate | Pallet]), lambda n: json.dumps([{"kind": "drum"}] * n), 20_000),
    ("options that all fail, in a list", Gate(list[int | bool | date | None]), lambda n: json.dumps(["x"] * n), 20_000),
    ("empty records of twenty", Gate(TWENTIES), lambda n: listed(["{}"] * n), 20_000),
    ("empty bookings", Gate(list[Booking]), lambda n: listed(["{}"] * n), 20_000),
    ("tags that are absent, in a list", Gate(list[Crate | Pallet]), lambda n: listed(["{}"] * n), 20_000),
    ("a key twice in each record", Gate(list[Row]), lambda n: listed(['{"a":1,"a":1,"b":[]}'] * n), 20_000),
    ("multiples of many digits", Gate(list[Annotated[Decimal, it.multiple_of(Decimal("0.05"))]]), lambda n: listed(["1e4000"] * n), 20_000),
    ("multiples with many zeros", Gate(list[Annotated[Decimal, it.multiple_of(Decimal("0.05"))]]), lambda n: listed(["1e-4000"] * n), 20_000),
    ("huge numbers, rounded", Gate(list[Annotated[float, rounded_to(2)]]), lambda n: listed(["1e300"] * n), 20_000),
    ("huge decimals, rounded", Gate(list[Annotated[Decimal, rounded_to(2)]]), lambda n: listed(["1.5e300"] * n), 20_000),
    ("tiny decimals, rounded", Gate(list[Annotated[Decimal, rounded_to(2)]]), lambda n: listed(["1.55555e-4000"] * n), 20_000),
    ("a split text, its last item unsound", Gate(Annotated[list[int], split_on(",")]), lambda n: json.dumps(",".join(["1"] * n + ["x"])), 100_000, ","),
    ("a split text, all unsound", Gate(Annotated[list[int], split_on(",")]), lambda n: json.dumps(",".join(["x"] * n)), 100_000, ","),
    ("a pattern with an end it never meets", Gate(Annotated[str, it.matches("[a-z]*x")]), lambda n: json.dumps("a" * n), 2_000_000),
    ("blanks around nothing", Gate(Annotated[list[datetime], it.length > 1]), lambda n: listed(['"2026-05-04T09:30:00Z"'] * n + ['"  "']), 50_000),
]  # fmt: skip


def ordered(count: int) -> Any:
    rules = [getattr(this, f"some_field_{at}") < getattr(this, f"some_field_{at + 1}") for at in range(count - 1)]
    return obeys(*rules)(fields(count))


def nested(count: int) -> Any:
    return make_dataclass(
        "Root", [(f"r{at}", make_dataclass(f"R{at}", [("a", int), ("b", str)])) for at in range(count)]
    )


def deep(count: int) -> Any:
    last: Any = int
    for at in range(count):
        last = make_dataclass(f"D{at}", [("x", last)])
    return last


def reached(count: int) -> Any:
    """Records of which each has a default of a type that leads to all before it."""
    last: Any = int
    for at in range(count):
        last = make_dataclass(
            f"D{at}", [("x", tuple[int, last | None], field(default=(1, None))), ("y", last | None, None)]
        )
    return last


def used(declared: Any, **words: Any) -> None:
    gate: Gate[Any] = Gate(declared, **words)
    gate.examine({})
    gate.accepts(None)
    json.dumps(gate.schema())


def properties(count: int, **more: Any) -> dict[str, Any]:
    return {
        "type": "object",
        "properties": {f"f{at}": {"type": "array", "items": {"type": "integer"}, **more} for at in range(count)},
    }


def options(count: int) -> Any:
    return Union[tuple(Literal[f"option {at}"] for at in range(count))]  # noqa: UP007


def settings_of(text: str, form: str = "toml") -> None:
    """Read settings from a file of some text, sound or not."""
    with TemporaryDirectory() as folder:
        Path(folder, f"a.{form}").write_text(text)
        Settings(Loose, File(f"a.{form}", expands=True)).examine(folder=folder, environ={}).lines()


@dataclass
class Loose:
    named: dict[str, Any] = field(default_factory=dict)
    texts: dict[str, str] = field(default_factory=dict)


def doubling(count: int) -> str:
    """Settings of which each is twice the one before."""
    lines = [f't{at} = "${{texts.t{at - 1}}}${{texts.t{at - 1}}}"' for at in range(1, count)]
    return "\n".join(["[texts]", f't0 = "{"x" * 50}"', *lines])


def drawn(count: int) -> None:
    """What a notebook shows of data that holds itself, and much of it."""
    round_: dict[str, Any] = {f"k{at}": [at] for at in range(count)}
    round_["again"] = round_
    str(Gate(dict[str, Any]).examine({"a": {"b": round_}, "c": 1})._repr_html_())
    str(Gate(TWENTY).examine(round_)._repr_html_())


# Name, what is done at a size, the size.
DECLARATIONS: list[tuple[str, Callable[[int], object], int]] = [
    ("a record of many fields", lambda n: used(fields(n)), 200),
    ("many fields of text with rules", lambda n: used(fields(n, Annotated[str, it.length > 2, it.matches("[a-z]+")])), 150),
    ("many record rules", lambda n: used(ordered(n)), 200),
    ("many records", lambda n: used(nested(n)), 100),
    ("records inside records", lambda n: used(deep(n), limits=Limits(depth=150)), 70),
    ("defaults that lead to many records", lambda n: used(reached(n), limits=Limits(depth=150)), 35),
    ("samples of many records", lambda n: payloads(nested(n), 2), 100),
    ("a union of many constants", lambda n: used(options(n)), 100),
    ("one choice of many", lambda n: used(Literal[tuple(range(n))]), 2_000),
    ("an amendment of many fields", lambda n: used(amendment_of(fields(n))), 150),
    ("presence rules of many fields", lambda n: used(obeys(at_least_one(*[f"some_field_{i}" for i in range(n)]))(fields(n, int | None))), 150),
    ("many lists of lists", lambda n: used(fields(n, list[list[int]])), 100),
    ("many dicts", lambda n: used(fields(n, dict[str, list[int]])), 100),
    ("keys that need escapes", lambda n: used(make_dataclass("K", [(f"k{'é' * 9}{i}", int) for i in range(n)])), 150),
    ("one fixed tuple", lambda n: used(tuple[(int,) * n]), 300),  # type: ignore[misc]
    ("a document of many properties", lambda n: Gate.from_schema(properties(n)).examine({}), 800),
    ("a document of many defaults, declared", lambda n: declarations_of(properties(n, default=[1])), 150),
    ("a document of many patterns", lambda n: Gate.from_schema(properties(n, pattern="^[a-z]+$")).examine({}), 400),
    ("a document with one property of Unicode, again and again", lambda n: Gate.from_schema({"allOf": [{"pattern": f"^\\p{{Lu}}{{{i}}}$"} for i in range(1, n)]}).examine("x"), 40),
    ("a document of many definitions", lambda n: Gate.from_schema({"$defs": {f"d{i}": {"type": "integer"} for i in range(n)}, "allOf": [{"$ref": f"#/$defs/d{i}"} for i in range(n)]}).examine(1), 1_200),
    ("a document nested in itself", lambda n: Gate.from_schema(chain(n, {"type": "integer"}, "not")).examine(1), 30),
    ("settings that double by ${...}", lambda n: settings_of(doubling(n)), 40),
    ("a key of TOML with many dots", lambda n: settings_of(".".join(["named", *["a"] * n]) + " = 1"), 20_000),
    ("tables of TOML inside one another", lambda n: settings_of("\n".join(f"[{'.'.join(['named', *['a'] * at])}]" for at in range(n))), 100),
    ("a notebook's view of what holds itself", drawn, 2_000),
    ("releasing many Decimals", lambda n: Gate(list[Decimal]).release_json([Decimal(f"{i}.10") for i in range(n)]), 20_000),
]  # fmt: skip


# Patterns that could run away, and texts that make them: what one character costs, and twice the text.
PATTERNS: list[tuple[str, str]] = [
    ("(a+)+b", "a"), ("(a*)*(b*)*c", "ab"), ("(?:[a-z]{1,20}){1,20}X", "a"), (r"(?:a(?=a*b))+", "a"), (r"(?:(?<=a)a|a)+b", "a"),
    (r"(\w+\s?)*!", "a "), (r"(?:(?:a|b)*a(?:a|b){12})+c", "abaab"), (r"(?:\ba+\b ?)+x", "a "), ("(?:[^x]+)+x$", "ab"),
    (r"(?:\w{1,40}){1,40}-", "ab"), ("[0-9]+x", "9"), ("[0-9]+x", f"{'9' * 250} "), ("(?i)k+x", "K"), ("a.*b.*c", "ab"),
    ("[^@]+@[^@]+!", "a@"), (r"(?=.*[0-9])[a-z]+9", "a"), (" +$", " "), ("(?i)(a|A)+b", "aA"), ("(?x) [a-z]+ [a-z]+ !", "a"),
]  # fmt: skip
CHARACTER, CHARACTERS = 5.0, 40_000
PIECES = (250, 1_000, 4_000)
"""So long are the texts of which there are many."""


def best(job: Callable[[], object], turns: int = 3) -> float:
    """The shortest of a few runs, the collector off."""
    times = []
    for _ in range(turns):
        gc.collect()
        gc.disable()
        start = perf_counter()
        job()
        times.append(perf_counter() - start)
        gc.enable()
        if times[-1] > 2:
            break
    return min(times)


def asked(gate: AnyGate[Any], raw: str) -> None:
    """Everything that a service would read of an answer."""
    gate.accepts(None)
    verdict = gate.examine_json(raw)
    if not verdict:
        json.dumps(verdict.problem())
        str(verdict.by_field())


def decoded(raw: str) -> None:
    try:
        json.loads(raw)
    except (ValueError, RecursionError):
        # As far as it comes: a decoder that stops at once has not read the text.
        len(raw.encode())


def split(raw: str, separator: str) -> None:
    """What the decoder does, and then `str.split` of the texts in a list."""
    told = json.loads(raw)
    for item in told if isinstance(told, list) else [told]:
        text = item.get("value") if isinstance(item, dict) else item
        if isinstance(text, str):
            text.split(separator)


def decoder_on(raw: str, separator: str = "") -> float:
    """What the decoder takes for as much text: where it stops early, for the same text made sound."""
    taken = best(lambda: split(raw, separator) if separator else decoded(raw))
    sound = json.dumps(raw)
    return max(taken, best(lambda: json.loads(sound)))


class Timed:
    """A job, what it took each time it was run, and the shortest of these."""

    def __init__(self, measure: Callable[[], float]) -> None:
        self.measure = measure
        self.turns = [measure()]

    @property
    def seconds(self) -> float:
        return min(self.turns)

    def again(self) -> None:
        """Run it once more."""
        self.turns.append(self.measure())


def factor(twice: Timed, once: Timed) -> float:
    """How much longer one job takes than another: the median of the turns, in each of which both ran one after the other.

    The machine is faster and slower by the minute: the shortest times of both may stem from different minutes.
    """
    return median(more / less for more, less in zip(twice.turns, once.turns, strict=True))


_TRIES = 9


def settled(times: list[Timed], breaks: Callable[[], bool]) -> bool:
    """Whether a bound is broken, also when all was run again."""
    for _ in range(_TRIES - 1):
        if not breaks():
            return False
        for each in times:
            each.again()
    return breaks()


def made_alone(make: Callable[[str], object], raw: str) -> float:
    """What a class takes by itself to be made of the texts of a list, or of those that its records hold."""
    held = [each.get("value") if isinstance(each, dict) else each for each in json.loads(raw)]
    texts = [each for each in held if isinstance(each, str)]

    def made() -> None:
        for text in texts:
            with suppress(TypeError, ValueError, AttributeError, re.error):
                make(text)

    return best(made)


def input_broken(
    name: str,
    gate: AnyGate[Any],
    text: Callable[[int], str],
    size: int,
    separator: str = "",
    alone: Callable[[str], object] | None = None,
) -> bool:
    """Measure an input, print what it costs, and say whether a bound is broken.

    With a `separator` the decoder splits too; `alone` is a class that takes longer by itself than the bound: twice that
    is allowed besides.
    """
    for warm in ("null", "[]", "{}"):
        gate.examine_json(warm)
    raw, double = text(size), text(2 * size)
    ours, theirs = Timed(lambda: best(partial(asked, gate, raw))), Timed(lambda: decoder_on(raw, separator))
    makes = Timed(lambda: made_alone(alone, raw) if alone is not None else 0.0)
    ours_twice = Timed(lambda: best(partial(asked, gate, double)))
    theirs_twice = Timed(lambda: decoder_on(double, separator))

    def ratio() -> float:
        return (ours.seconds - ALLOWED - 2 * makes.seconds) / theirs.seconds

    def twice() -> float:
        return factor(ours_twice, ours) / max(factor(theirs_twice, theirs), len(double) / len(raw))

    def breaks() -> bool:
        return ratio() > BOUND or (ours_twice.seconds > ALLOWED and twice() > TWICE)

    broken = settled([ours, theirs, makes, ours_twice, theirs_twice], breaks)
    shown = f"{twice():.2f}" if ours_twice.seconds > ALLOWED else "-"
    print(
        f"{name:52} {len(raw) / 1e6:7.2f}MB {ours.seconds * 1e3:7.1f}ms {theirs.seconds * 1e3:7.2f}ms"
        f"  {max(ratio(), 0):8.1f}  {shown:>8}{'  BROKEN' if broken else ''}",
        flush=True,
    )
    return broken


def declaration_broken(name: str, build: Callable[[int], object], size: int) -> bool:
    """Measure a declaration, print what it costs, and say whether a bound is broken."""
    build(5)
    once, again = Timed(lambda: best(partial(build, size))), Timed(lambda: best(partial(build, 2 * size)))

    def breaks() -> bool:
        return again.seconds > ALLOWED and factor(again, once) > DECLARATION_TWICE

    broken = settled([once, again], breaks)
    twice = factor(again, once)
    print(f"{name:58} {once.seconds * 1e3:7.1f}ms  {twice:8.2f}{'  BROKEN' if broken else ''}", flush=True)
    return broken


def pattern_broken(pattern: str, fill: str) -> bool:
    """Measure a pattern on texts it does not match, print what it costs, and say whether a bound is broken."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        gate: Gate[Any] = Gate(Annotated[str, it.has(pattern)])
    gate.accepts("")

    def asked_of(count: int, length: int = 0) -> Callable[[], float]:
        text = (fill * count)[: length or count]
        return lambda: best(lambda: [gate.accepts(text) for _ in range(count // len(text))])

    once, again = Timed(asked_of(CHARACTERS)), Timed(asked_of(2 * CHARACTERS))
    pieces = [Timed(asked_of(CHARACTERS, length)) for length in PIECES]

    def micro() -> float:
        slowest = max(each.seconds for each in (once, *pieces))
        return slowest / 2 / CHARACTERS * 1e6  # it is asked twice: whether it is sound, and what is wrong

    def breaks() -> bool:
        return micro() > CHARACTER or factor(again, once) / 2 > TWICE

    broken = settled([once, again, *pieces], breaks)
    print(
        f"{pattern:32} {fill[:6]!r:8} {micro():8.2f} \u00b5s  {factor(again, once) / 2:8.2f}{'  BROKEN' if broken else ''}",
        flush=True,
    )
    return broken


def main() -> int:
    """Measure, print, and say whether all bounds hold."""
    print(f"{'input':52} {'text':>9} {'ours':>9} {'decoder':>9}  ratio (20)  twice (1.15)")
    broken = sum(input_broken(*each) for each in INPUTS)
    print(f"\n{'list of at most 20,000':52} {'text':>9} {'ours':>9} {'decoder':>9}  ratio (20)  twice (1.15)")
    every = [*lists(KINDS), *lists(PARTS)]
    broken += sum(input_broken(*each) for each in every)
    print("\nthe same, besides twice what the standard library's own class takes")
    dear = [*lists(DEAR, dear=True)]
    broken += sum(input_broken(*each) for each in dear)
    print(f"\n{'declaration':58} {'built':>9}  twice ({DECLARATION_TWICE})")
    broken += sum(declaration_broken(*each) for each in DECLARATIONS)
    print(f"\n{'pattern':32} {'text':8}    a character ({CHARACTER:.0f})  twice ({TWICE})")
    broken += sum(pattern_broken(*each) for each in PATTERNS)
    count = len(INPUTS) + len(every) + len(dear)
    print(f"\n{count} inputs, {len(DECLARATIONS)} declarations, {len(PATTERNS)} patterns: {broken} bounds broken")
    return int(bool(broken))


if __name__ == "__main__":
    sys.exit(main())
