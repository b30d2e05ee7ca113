"""The native core against the Python engine: random declarations, payloads sound and spoiled, five entrances.

    python tests/native_against_python.py --declarations 1000 --payloads 200 --seed 7

Exit status 1 where the core admits what Python does not, or another value; each is told with the seed of its
declaration. What it gives up needlessly is counted.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import warnings
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, make_dataclass
from functools import partial
from pathlib import Path
from random import Random
from time import perf_counter
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))

from any_declaration import any_declaration
from dutiful_gate import DeclarationError, Gate, Refused, Source
from dutiful_gate.declare.facts import Passing, Stop
from dutiful_gate.engine.asking import in_window
from dutiful_gate.engine.native.core import NativeReader, core
from dutiful_gate.engine.native.shadow import difference
from dutiful_gate.engine.native.twin import twin_of
from dutiful_gate.gates.request import RequestGate
from dutiful_gate.read.json_fast import plain_json
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import Payloads

Told = list[str]


def same(one: Any, other: Any) -> bool:
    """Whether two values are the same to the bit: of one type, and so is all that they hold, in one order."""
    return difference(one, other) is None


def as_text(payload: Any, random: Random) -> str:
    """A payload as JSON in one of many spellings, or nearly."""
    words: dict[str, Any] = {"ensure_ascii": random.random() < 0.5}
    if random.random() < 0.5:
        words["separators"] = random.choice([(",", ":"), (" , ", "\t:\n"), (",\r\n", ": ")])
    text = json.dumps(payload, **words)
    turn = random.random()
    if turn < 0.5:
        return text
    at = random.randrange(len(text) + 1)
    if turn < 0.58:
        return text[:at]
    if turn < 0.66:
        return (
            text[:at]
            + random.choice(
                [
                    '"',
                    "\\",
                    "{",
                    "}",
                    "[",
                    "]",
                    ",",
                    ":",
                    "0",
                    "-",
                    "e5",
                    " ",
                    "\x00",
                    "\ufeff",
                    "\\u00e9",
                    "\\ud800",
                    "\u00e9",
                ]
            )
            + text[at:]
        )
    if turn < 0.74:  # numbers in other forms
        return text.replace("1", random.choice(["1.0", "1e0", "10E-1", "1.00", "1e400", "-0", "1" * 25, "0.1e1"]), 1)
    if turn < 0.82 and '"' in text:  # a letter of a name or text as an escape
        at = text.index('"', random.randrange(text.rindex('"') + 1)) + 1
        letter = text[at : at + 1]
        return text if letter in ('"', "\\", "") else f"{text[:at]}\\u{ord(letter):04x}{text[at + 1 :]}"
    if turn < 0.9 and text.startswith("{") and len(text) > 2:  # a name that comes twice, or one that nobody declared
        first = text[1 : text.index(":")] if ":" in text else '"x"'
        return "{" + random.choice([first, '"nobody"', '"nobody": [{"a": 1}], "nobody"']) + ": 1, " + text[1:]
    return random.choice([" ", "\n", "\ufeff", ""]) + text + random.choice(["", " ", "\n\t", "x", ",", "\x00"])


def with_strangers(data: Any, random: Random) -> Any:
    """A payload whose records and dicts have keys more here and there, which nobody declared."""
    if isinstance(data, list):
        return [with_strangers(held, random) for held in data]
    if not isinstance(data, dict):
        return data
    made = {name: with_strangers(held, random) for name, held in data.items()}
    if random.random() < 0.3:
        made = {random.choice(["zz", "é", "a b", "~/", "$schema"]): 1, **made, random.choice(["yy", ""]): [{"x": None}]}
    return made


def in_text(data: Any, random: Random) -> Any:
    """A payload as a form or a row of a table has it: all of it text, lists of one now and then alone or doubled."""
    if isinstance(data, dict):
        made = {name: in_text(held, random) for name, held in data.items()}
        return made if random.random() < 0.98 else {**made, None: ["more"]}
    if isinstance(data, list):
        return [in_text(held, random) for held in data]
    turn = random.random()
    if data is None or turn < 0.06:
        return random.choice(["", " ", None, "\u2003", "x"])
    told = str(data).lower() if isinstance(data, bool) else str(data)
    if turn < 0.12:
        return random.choice([f" {told}", f"{told}\n", f"+{told}", f"0{told}", [told], [told, told], [], data])
    return told


def answered(gate: Gate[Any], data: Any, *, raw: bool) -> Any:
    """The verdict of a gate, or the exception of a function of the declaration's own."""
    try:
        return (gate.examine_json if raw else gate.examine)(data)
    except Exception as error:
        return type(error)


def differs(native: Any, pure: Any) -> str:
    """What two verdicts differ in, "" for nothing."""
    if isinstance(native, type) or isinstance(pure, type):
        return "" if native is pure else f"{native!r} is raised, not {pure!r}"
    if bool(native) != bool(pure):
        return f"{bool(native)}, not {bool(pure)}"
    if native:
        return (
            ""
            if same(native.value, pure.value) and native.dropped == pure.dropped
            else f"{native.value!r}, not {pure.value!r}"
        )
    faults = [
        [(fault.path, fault.code, fault.message, fault.place) for fault in verdict.faults] for verdict in (native, pure)
    ]
    return "" if faults[0] == faults[1] else f"faults {faults[0]}, not {faults[1]}"


def compared(seed: int, payloads: int, start: int) -> tuple[Counter[str], Told]:
    """One declaration: what was counted, and what went wrong."""
    warnings.simplefilter("ignore")
    counted: Counter[str] = Counter()
    declared, words = any_declaration(seed, asks=seed % 3 > 0)
    text = seed % 4 == 3 and "source" not in words
    if text:
        words |= {"source": Source.TEXT}
    try:
        gate: Gate[Any] = Gate(declared, **words)
        pure: Gate[Any] = Gate(declared, **words, native=False)
    except DeclarationError:
        return counted, []
    reader = gate._engine.native_reader(notes_unknown=False) if gate.reads in (Source.JSON, Source.TEXT) else None
    if reader is None:
        counted["declarations without"] += 1
        return counted, []
    counted["declarations"] += 1
    twin = twin_of(reader.written)
    random = Random(start * 1_000_003 + seed)
    requests = _requests(declared) if seed % 4 == 0 and not words else ()
    makes, edges = Payloads(gate.shape, random), Edges(gate.shape, random)
    base: list[Any] = []
    told: Told = []
    for number in range(payloads):
        if number % 20 == 0 or not base:
            try:
                base.append(makes.make())
            except CannotSample:
                base.append(None)
            data = base[-1]
        else:
            data = random.choice(base)
            for _ in range(random.choice((1, 1, 2, 3))):
                data = edges.spoiled(edges.shape.root, data)
        if random.random() < 0.15:
            data = with_strangers(data, random)
        if text:
            data = in_text(data, random)
        told += [f"seed {seed}: {words}" for words in _of_data(gate, pure, reader, twin, data, counted)]
        if text:
            continue
        try:
            spelt = as_text(data, random)
        except (TypeError, ValueError, OverflowError):
            continue
        told += [f"seed {seed}: {words}" for words in _of_text(gate, pure, reader, spelt, random, counted)]
        if requests:
            told += [f"seed {seed}: {words}" for words in _of_body(*requests, spelt, random, counted)]
    return counted, told


def _of_data(
    gate: Gate[Any], pure: Gate[Any], reader: NativeReader, twin: Any, data: Any, counted: Counter[str]
) -> Told:
    told = []
    verdict = answered(pure, data, raw=False)
    roads = [("core", reader.sound), ("twin", twin)]
    if isinstance(data, dict) and None not in data and (row := reader.of_rows(list(data))) is not None:
        cells = list(data.values())
        roads.append(("row", lambda _: row(cells)))
    if words := differs(answered(gate, data, raw=False), verdict):
        told.append(f"decoded {data!r}: {words}")
    if not isinstance(verdict, type) and verdict.dropped and verdict:
        counted["with keys dropped"] += 1
        noting = gate._engine.native_reader(notes_unknown=True)
        counted["noted by Python"] += noting is None or noting.noted(data).__class__ is Stop
    for name, read in roads:
        try:
            value = in_window(partial(read, data), frozenset())  # where checks wait, they are asked
        except Exception as error:
            raised = error.error if isinstance(error, Passing) else error  # on its way through generated code
            if type(raised) is not verdict:
                told.append(f"{name} raises {error!r} for {data!r}")
            continue
        admitted = value.__class__ is not Stop
        if admitted and (isinstance(verdict, type) or not verdict or not same(value, verdict.value)):
            told.append(f"{name} admits {data!r} as {value!r}")
        counted[f"{name} comparisons"] += 1
        if not isinstance(verdict, type) and verdict:
            counted["sound"] += name == "core"
            counted[f"{name} gave up{_stood_in(verdict)}"] += not admitted
    if not isinstance(verdict, type) and verdict:
        told += _of_way_out(gate, pure, verdict.value, counted)
    return told


def _stood_in(verdict: Any) -> str:
    """Where something stands in, the verdict tells of a fault, which is for the one judge of faults: no needless doubt."""
    return " where something stood in" if verdict.fallbacks else ""


@dataclass
class _Berth:
    berth: int


def _requests(declared: Any) -> tuple[RequestGate[Any], ...]:
    """Gates of a request whose body is such a value, with the core and without."""
    request = make_dataclass("Request", [("path", _Berth), ("body", declared)])
    try:
        return RequestGate(request), RequestGate(request, native=False)
    except DeclarationError:
        return ()


def _of_body(gate: RequestGate[Any], pure: RequestGate[Any], text: str, random: Random, counted: Counter[str]) -> Told:
    parts = {"path": {"berth": random.choice(["4", "4", "4", "x"])}}
    verdicts = []
    for each in (gate, pure):
        try:
            verdicts.append(each.examine_with_json(parts, text)[0])
        except Exception as error:
            verdicts.append(type(error))
    counted["core comparisons"] += 1
    counted["of requests"] += 1
    words = differs(*verdicts)
    return [f"the body {text!r}: {words}"] if words else []


def _of_way_out(gate: Gate[Any], pure: Gate[Any], value: Any, counted: Counter[str]) -> Told:
    """The way out of a value that was admitted."""
    told = []
    for secrets in (True, False):
        for word in ("release_admitted_json", "release_json"):
            ways = [_written(getattr(each, word), value, secrets=secrets) for each in (gate, pure)]
            counted["core comparisons"] += 1
            if ways[0] != ways[1]:
                told.append(f"{word}: {value!r} is written {ways[0]!r}, not {ways[1]!r}")
        write = gate._engine._writers.get(secrets)
        try:
            counted["not written"] += write is None or write(value) is None
        except Exception:
            counted["raised"] += 1
    return told


def _written(release: Any, value: Any, *, secrets: bool) -> Any:
    try:
        return release(value, secrets=secrets)
    except Refused as refused:
        return [str(fault) for fault in refused.verdict.faults]
    except Exception as error:
        return type(error)


def _of_text(
    gate: Gate[Any], pure: Gate[Any], reader: NativeReader, text: str, random: Random, counted: Counter[str]
) -> Told:
    try:
        raw: str | bytes = text if random.random() < 0.4 else text.encode()
    except UnicodeEncodeError:
        raw = text
    told = []
    verdict = answered(pure, raw, raw=True)
    if words := differs(answered(gate, raw, raw=True), verdict):
        told.append(f"raw {raw!r}: {words}")
    try:
        value = reader.sound_json(raw)
    except Exception as error:
        return told if type(error) is verdict else [*told, f"the core raises {error!r} for {raw!r}"]
    admitted = value.__class__ is not Stop
    if admitted and (isinstance(verdict, type) or not verdict or not same(value, verdict.value)):
        told.append(f"the core admits {raw!r} as {value!r}")
    plain = reader.plain_json(raw)
    if plain.__class__ is not Stop and not same(plain, plain_json(raw, gate.limits, gate.shape.exact)):
        told.append(f"the core decodes {raw!r} as {plain!r}")
    counted["core comparisons"] += 1
    if not isinstance(verdict, type) and verdict:
        counted["sound raw"] += 1
        counted[f"core gave up raw{_stood_in(verdict)}"] += not admitted
    return told


def main() -> int:
    """Compare, and tell."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("--declarations", type=int, default=300)
    parser.add_argument("--seconds", type=int, help="go on for so long, whatever the number of declarations")
    parser.add_argument("--payloads", type=int, default=200)
    parser.add_argument("--seed", type=int, default=0, help="that of the first declaration")
    asked = parser.parse_args()
    if core()[0] is None:
        print(f"no native core: {core()[1]}")
        return 2
    begin, counted, wrong = perf_counter(), Counter[str](), 0
    count = asked.declarations if asked.seconds is None else 10_000_000
    seeds = range(asked.seed, asked.seed + count)
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for start in range(0, count, 200):
            some = seeds[start : start + 200]
            for found, told in pool.map(
                compared, some, [asked.payloads] * len(some), [asked.seed] * len(some), chunksize=4
            ):
                counted += found
                wrong += len(told)
                for words in told[:3]:
                    print(words[:600], flush=True)
            comparisons = counted["core comparisons"]
            print(f"{start + len(some):,} declarations, {comparisons:,} comparisons, {wrong} wrong", flush=True)
            if asked.seconds is not None and perf_counter() - begin > asked.seconds:
                break
    print(f"{dict(counted)} in {perf_counter() - begin:.0f} s: {wrong} wrong")
    return int(bool(wrong))


if __name__ == "__main__":
    sys.exit(main())
