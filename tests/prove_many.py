"""`make prove`: the laws of equivalence over many random declarations, with a progress bar.

    python tests/prove_many.py --declarations 1000 --instances 1000

Exit status 1 on any disagreement; each is told with the seed of its declaration and its smallest instance.
"""

from __future__ import annotations

import argparse
import json
import os
import re
import sys
import time
import traceback
import warnings
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from random import Random
from time import perf_counter
from typing import Any

from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

sys.path.insert(0, str(Path(__file__).parent))

from any_declaration import any_declaration, loaded
from any_document import disagreement
from dutiful_gate import DeclarationError, Gate, Limits, Refused, declarations_of
from dutiful_gate.engine import handover as begun
from dutiful_gate.prove.laws import is_sayable
from dutiful_gate.prove.proof import Proof, prove
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import CannotSample, Payloads
from ecma_patterns import NO_NODE, NODE, disagreements, expressions

LARGE = begun.LARGE
COLUMNS = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
SOME = 500
DIALECTS = ("2020-12", "draft-07", "openapi-3.1", "openapi-3.0")


def tried(seed: int, instances: int) -> tuple[str, Proof | None, list[str]]:
    """The same, whatever is raised told as what went wrong."""
    try:
        return proved(seed, instances)
    except Exception:
        return "", None, [f"it raises:\n{traceback.format_exc(limit=-4)}"]


def proved(seed: int, instances: int) -> tuple[str, Proof | None, list[str]]:
    """One declaration: its dialect, its proof (None where it is no declaration), and what went wrong.

    Three of four are proved in 2020-12, the others in one of the dialects; the document goes to declarations and back.
    """
    warnings.simplefilter("ignore")
    dialect = DIALECTS[seed // 4 % 4] if seed % 4 == 3 else DIALECTS[0]
    made, words = any_declaration(seed)
    try:
        gate: Gate[Any] = Gate(made, **words)
    except DeclarationError:
        return dialect, None, []
    proof = prove(gate, instances, seed, dialect=dialect)
    told = [str(broken) for broken in proof.disagreements]
    document = gate.schema()
    text = json.dumps(document)
    module = declarations_of(json.loads(text))
    declared = loaded(module)
    again = declared.schema()
    if again != document:  # said otherwise, which must be judged alike, as below, and come to an end
        third = loaded(declarations_of(json.loads(json.dumps(again)))).schema()
        if third != again and "urn:dutiful:document" not in json.dumps(again):
            told.append("declaration, document, declaration, document, and so on: the third document differs again")
    judge = Gate.from_schema(document, formats="assert")
    random = Random(seed)
    edges = Edges(gate.shape, random)
    sound = _payloads(gate, random)
    # Keys that are equal values in two spellings: the one thing that their declarations refuse by their own document.
    repeats = any(rule.rule == "no key twice" for rule in again.unstated)
    asked = [*sound, *(edges.spoiled(gate.shape.root, payload) for payload in sound * 2)]
    told += [
        f"the document and its declarations judge differently: {json.dumps(each, default=str)[:300]}"
        for each in asked
        if is_sayable(each, True)
        and declared.accepts(each) != judge.accepts(each)
        and not (repeats and {fault.code for fault in declared.examine(each).faults} == {"repeat"})
    ]
    told += [
        f"the roads differ: {json.dumps(each, default=str)[:300]}"
        for each in asked
        if is_sayable(each, True) and differ(gate, each)
    ]
    told += handed_over(made, words, asked, seed)
    for each in DIALECTS:
        for of in ("send", "release"):
            Gate.from_schema(gate.schema(dialect=each, of=of), dialect=each)  # type: ignore[arg-type]
    return dialect, proof, told


def differ(gate: Gate[Any], data: Any) -> bool:
    """Whether decoded and raw JSON, CBOR, and the three ways to ask give different answers."""
    try:
        text = json.dumps(data)
    except TypeError:
        return False  # a Decimal, which raw data never is
    verdict = gate.examine(data)
    raw = gate.examine_json(text)
    cbor = gate.examine_cbor(Gate(Any).release_cbor(data))
    answers = {
        repr([(fault.path, fault.code, fault.message) for fault in each.faults]) for each in (verdict, raw, cbor)
    }
    try:
        admitted: Any = gate.admit(data)
    except Refused as refused:
        return bool(verdict) or len(answers) != 1 or refused.faults != verdict.faults or gate.accepts(data)
    values = {re.sub("0x[0-9a-f]+", "", repr(each)) for each in (verdict.value, raw.value, cbor.value, admitted)}
    return len(values) != 1 or len(answers) != 1 or not gate.accepts(data)


def handed_over(made: Any, words: dict[str, Any], asked: list[Any], seed: int) -> list[str]:
    """Whether a verdict changes with what is handed from one pass to the next, or its first faults with their limit.

    Asked by turns of lists and of dicts, in the one order and in the other.
    """
    asked = [each for each in asked if is_sayable(each, True)][:: 1 if seed % 4 < 2 else -1]
    declared: Any = dict[str, made] if seed % 2 else list[made]
    data: Any = dict(zip(map(str, range(len(asked))), asked, strict=True)) if seed % 2 else asked
    told, heard = [], []
    for large in (10**9, -1):
        begun.LARGE = large
        try:
            heard.append(_heard(Gate(declared, **words), data))
            few: Gate[Any] = Gate(declared, **words, limits=Limits(faults=2))
            first = _faults(few.examine(data))[:2]
        finally:
            begun.LARGE = LARGE
        if first != heard[-1][1][:2]:
            told.append(f"a limit on faults changes the first: {json.dumps(data, default=str)[:300]}")
    if heard[0] != heard[1]:
        told.append(f"what is handed over changes the verdict: {json.dumps(data, default=str)[:300]}")
    return told


def _heard(gate: Gate[Any], data: Any) -> tuple[Any, ...]:
    verdict = gate.examine(data)
    value = re.sub("0x[0-9a-f]+", "", repr(verdict.value)) if verdict else None
    return value, _faults(verdict), verdict.dropped, len(verdict.excused), verdict.untold, gate.accepts(data)


def _faults(verdict: Any) -> list[object]:
    return [(fault.path, fault.code, fault.message) for fault in verdict.faults]


def _payloads(gate: Gate[Any], random: Random) -> list[Any]:
    makes = Payloads(gate.shape, random)
    try:
        return [makes.make() for _ in range(8)]
    except CannotSample:
        return []


def _documents(seed: int, count: int) -> int:
    """How often the ways of judging by a document differ: compiled, and word for word."""
    judged = 0
    told: list[str] = []
    with ProcessPoolExecutor(os.cpu_count()) as pool, Progress(*COLUMNS) as bar:
        task = bar.add_task("documents", total=count)
        # About half of what is written is no document: it refers to nothing, or in a circle.
        for number, some in pool.map(_some_documents, range(seed, seed + 4 * count, SOME)):
            judged += number
            told += some
            bar.update(task, completed=min(judged, count))
            if judged >= count:
                pool.shutdown(cancel_futures=True)
                break
    for line in told:
        print(line)
    print(f"{judged:,} documents judged in all ways")
    return len(told)


def _some_documents(seed: int) -> tuple[int, list[str]]:
    found = [disagreement(each) for each in range(seed, seed + SOME)]
    return sum(is_one for is_one, _ in found), [told for _, told in found if told]


def _patterns(seed: int, count: int) -> int:
    """How often patterns of documents mean something else to us than to a real engine of ECMA-262."""
    if NODE is None:
        print(f"patterns are not proved: {NO_NODE}")
        return 0
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        told = [each for found in pool.map(_some_patterns, range(seed, seed + count, 1000)) for each in found]
    for each in told:
        print(each)
    print(f"{count:,} patterns as Node's RegExp judges them")
    return len(told)


def _some_patterns(seed: int) -> list[str]:
    return disagreements(list(expressions(seed, 1000)))


def main() -> int:
    """Prove, and print what came of it."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--declarations", type=int, default=1000, help="how many random declarations")
    parser.add_argument("--instances", type=int, default=1000, help="how many instances of each")
    parser.add_argument("--patterns", type=int, default=10_000, help="how many random patterns, also judged by Node")
    parser.add_argument("--documents", type=int, default=50_000, help="how many random documents, judged in all ways")
    parser.add_argument("--seed", type=int, help="of the first declaration; the others follow  [default: by the clock]")
    asked = parser.parse_args()
    if asked.seed is None:
        asked.seed = int(time.time()) % 10**8 * 10
    print(f"seeds from {asked.seed}: give --seed {asked.seed} to repeat")
    start = perf_counter()
    seeds = range(asked.seed, asked.seed + asked.declarations)
    declarations = instances = admitted = made = made_released = unstated = unsampled = broken = 0
    with Progress(*COLUMNS) as bar, ProcessPoolExecutor(os.cpu_count()) as pool:
        task = bar.add_task("declarations", total=len(seeds))
        for seed, (dialect, proof, told) in zip(
            seeds, pool.map(tried, seeds, [asked.instances] * len(seeds), chunksize=4), strict=True
        ):
            bar.advance(task)
            for each in told:
                broken += 1
                bar.console.print(f"declaration {seed}, {dialect}: {each}", markup=False)
            if proof is not None:
                declarations += 1
                instances += proof.instances
                admitted += proof.admitted
                made += proof.made
                made_released += proof.made_released
                unstated += len(proof.unstated)
                unsampled += bool(proof.unsampled)
    print(
        f"{declarations:,} declarations, {instances:,} instances ({admitted:,} admitted) in {perf_counter() - start:.0f} s"
    )
    print(f"{made:,} values made in code of those admitted, {made_released:,} of them released")
    print(f"{unstated:,} rules left unstated; no sound payload was found for {unsampled:,} declarations")
    broken += _patterns(asked.seed, asked.patterns) + _documents(asked.seed, asked.documents)
    print(f"{broken:,} disagreements")
    return int(bool(broken))


if __name__ == "__main__":
    raise SystemExit(main())
