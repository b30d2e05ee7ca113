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
from collections import OrderedDict, UserDict
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from random import Random
from time import perf_counter
from types import MappingProxyType
from typing import Any

from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

sys.path.insert(0, str(Path(__file__).parent))

from any_declaration import any_declaration, loaded
from any_document import disagreement
from any_pair import contradiction
from any_typed_pair import held_against
from dutiful_gate import DeclarationError, Gate, Limits, Refused, Source, declarations_of
from dutiful_gate.declare.kinds import Text
from dutiful_gate.declare.kinds.number import Number, Whole
from dutiful_gate.declare.kinds.truth import Truth
from dutiful_gate.declare.steps import Step
from dutiful_gate.engine import handover
from dutiful_gate.prove.laws import is_sayable
from dutiful_gate.prove.proof import Proof, prove
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import Payloads
from dutiful_gate.shape.nodes import Choice, Fixed, Items, Link, Nothing, Nullable, Scalar
from dutiful_gate.shape.uses import MISSING
from dutiful_gate.shape.walk import uses_of
from ecma_patterns import NO_NODE, NODE, disagreements, expressions

LARGE = handover.LARGE
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
    made, words = any_declaration(seed, asks=seed % 3 > 0)
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
    # Keys and items that are equal values in two spellings: what their declarations refuse by their own document.
    repeats = any(rule.rule in ("no key twice", "it.distinct") for rule in again.unstated)
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
    told += roads_of(gate, made, words, asked, random)
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


def roads_of(gate: Gate[Any], made: Any, words: dict[str, Any], asked: list[Any], random: Random) -> list[str]:
    """Where one meaning has another by the class of a container, a key beside it, the source, or the way out and in."""
    told = []
    several = [(source, Gate(made, source, **words)) for source in _sources(made, words)]
    open_to_any = any(
        (isinstance(use.node, Scalar) and use.node.facts.open) or use.documents for use in uses_of(gate.shape)
    )
    for data in asked:
        if not is_sayable(data, True):
            continue
        verdict = gate.examine(data)
        odd = verdict if open_to_any else gate.examine(in_odd_classes(data, random))
        if _faults(odd) != _faults(verdict) or (verdict and _released(gate, odd) != _released(gate, verdict)):
            told.append(f"the class of a container changes what is said: {json.dumps(data, default=str)[:300]}")
        if isinstance(data, dict) and _ignores_keys(gate):
            beside = gate.examine({**data, "nobody declared it": [1]})
            if _without_counts(beside) != _without_counts(verdict) or (
                verdict and repr(beside.value) != repr(verdict.value)
            ):
                told.append(f"an ignored key changes something: {json.dumps(data, default=str)[:300]}")
        if verdict and _is_as_sent(gate) and not contains(gate.release(verdict.value, secrets=True), data):
            told.append(f"what is released is not what was sent: {json.dumps(data, default=str)[:300]}")
        for source, other in several:
            came = (
                verdict.value
                if verdict and source is Source.NATIVE
                else as_text(data)
                if source is Source.TEXT
                else data
            )
            if said := _ways_differ(other, came):
                told.append(f"as {source}, {said}: {json.dumps(data, default=str)[:300]}")
    return told


def _sources(made: Any, words: dict[str, Any]) -> list[Source]:
    found = []
    for source in (Source.TEXT, Source.MIXED, Source.NATIVE):
        try:
            Gate(made, source, **words)
        except DeclarationError:
            continue
        found.append(source)
    return found


def _ways_differ(gate: Gate[Any], data: Any) -> str:
    """Whether to examine, to admit and to ask say the same."""
    verdict = gate.examine(data)
    if gate.accepts(data) != bool(verdict):
        return "accepts and examine differ"
    try:
        admitted: Any = gate.admit(data)
    except Refused as refused:
        return "" if not verdict and _faults(verdict) == _faults(refused.verdict) else "admit and examine differ"
    return "" if verdict and _shown(admitted) == _shown(verdict.value) else "admit and examine make different values"


def _shown(value: Any) -> str:
    return re.sub("0x[0-9a-f]+", "", repr(value))


def _released(gate: Gate[Any], verdict: Any) -> str:
    try:
        return repr(gate.release(verdict.value, secrets=True)) + repr(verdict.dropped)
    except Refused as refused:
        return str(refused)


def _ignores_keys(gate: Gate[Any]) -> bool:
    """Whether the root is a record that leaves out keys nobody declared, and nothing counts or judges them."""
    root = gate.shape.root
    record = gate.shape.records[root.node.key] if isinstance(root.node, Link) else None
    if (
        record is None
        or root.documents
        or record.documents
        or root.fallback is not MISSING
        or root.via
        or root.making is not None
    ):
        return False
    return not record.rests and gate.unknown == "drop" and not record.unknown


def _is_as_sent(gate: Gate[Any]) -> bool:
    """Whether a declaration has no steps, and only kinds that have one form: what was admitted goes out as it came."""
    for use in uses_of(gate.shape):
        kinds = use.node.kind if isinstance(use.node, Scalar) else None
        if (
            any(isinstance(part, Step) for part in use.parts)
            or use.is_reread
            or use.blank
            or use.fallback is not MISSING
            or (isinstance(use.node, Choice) and use.node.lenient)
        ):
            return False
        if kinds is not None and type(kinds) not in (Text, Whole, Truth, Number):
            return False
        if not isinstance(use.node, Scalar | Items | Fixed | Nullable | Link | Nothing | Choice):
            return False
        if isinstance(use.node, Items) and use.node.into in ("set", "frozenset"):
            return False
    return not any(field.also for record in gate.shape.records.values() for field in record.fields)


def contains(released: Any, sent: Any) -> bool:
    """Whether all that was sent, but for keys nobody declared, is in what was released."""
    if isinstance(sent, dict):
        return isinstance(released, dict) and all(
            contains(released[name], held) for name, held in sent.items() if name in released
        )
    if isinstance(sent, list):
        return isinstance(released, list) and len(released) == len(sent) and all(map(contains, released, sent))
    return bool(released == sent and isinstance(released, bool) == isinstance(sent, bool))


def as_text(data: Any) -> Any:
    """Data as a query or a row of CSV has it."""
    if isinstance(data, dict):
        return {name: as_text(held) for name, held in data.items()}
    if isinstance(data, list):
        return [as_text(held) for held in data]
    return "" if data is None else data if isinstance(data, str) else json.dumps(data, default=str)


class _Dict(dict[str, Any]):
    pass


class _List(list[Any]):
    pass


def in_odd_classes(data: Any, random: Random) -> Any:
    """The same data in containers of other classes."""
    if isinstance(data, dict):
        held = {name: in_odd_classes(each, random) for name, each in data.items()}
        return random.choice([dict, OrderedDict, MappingProxyType, UserDict, _Dict])(held)
    if isinstance(data, list):
        return random.choice([list, tuple, _List])([in_odd_classes(each, random) for each in data])
    return data


def handed_over(made: Any, words: dict[str, Any], asked: list[Any], seed: int) -> list[str]:
    """Whether a verdict changes with what is handed from one pass to the next, or its first faults with their limit.

    Asked by turns of lists and of dicts, in the one order and in the other.
    """
    asked = [each for each in asked if is_sayable(each, True)][:: 1 if seed % 4 < 2 else -1]
    declared: Any = dict[str, made] if seed % 2 else list[made]
    data: Any = dict(zip(map(str, range(len(asked))), asked, strict=True)) if seed % 2 else asked
    told, heard = [], []
    for large in (10**9, -1):
        handover.LARGE = large
        try:
            heard.append(_heard(Gate(declared, **words), data))
            limits = words.get("limits", Limits())
            most = min(2, limits.faults)
            few: Gate[Any] = Gate(declared, **{**words, "limits": limits.replace(faults=most)})
            first = _faults(few.examine(data))[:most]
        finally:
            handover.LARGE = LARGE
        if first != heard[-1][1][:most]:
            told.append(f"a limit on faults changes the first: {json.dumps(data, default=str)[:300]}")
    if heard[0] != heard[1]:
        told.append(f"what is handed over changes the verdict: {json.dumps(data, default=str)[:300]}")
    return told


def _heard(gate: Gate[Any], data: Any) -> tuple[Any, ...]:
    verdict = gate.examine(data)
    value = re.sub("0x[0-9a-f]+", "", repr(verdict.value)) if verdict else None
    return value, _faults(verdict), verdict.dropped, len(verdict.fallbacks), verdict.untold, gate.accepts(data)


def _without_counts(verdict: Any) -> list[object]:
    """Its faults, without how many keys the record had that they tell of."""
    return [(path, code, re.sub(r"of \d+ keys?", "", words)) for path, code, words in _faults(verdict)]


def _faults(verdict: Any) -> list[Any]:
    return [(fault.path, fault.code, fault.message) for fault in verdict.faults]


def _payloads(gate: Gate[Any], random: Random) -> list[Any]:
    makes = Payloads(gate.shape, random)
    try:
        return [makes.make() for _ in range(8)]
    except CannotSample:
        return []


def _many(seed: int, count: int, of: str, judge: Callable[[int], tuple[bool, str]]) -> int:
    """How often a law does not hold of what is made of seeds; what cannot be made does not count."""
    made = 0
    told: list[str] = []
    with ProcessPoolExecutor(os.cpu_count()) as pool, Progress(*COLUMNS) as bar:
        task = bar.add_task(of, total=count)
        # About half of what is written is no document: it refers to nothing, or in a circle.
        starts = range(seed, seed + 4 * count, SOME)
        for number, some in pool.map(_some, [judge] * len(starts), starts):
            made += number
            told += some
            bar.update(task, completed=min(made, count))
            if made >= count:
                pool.shutdown(cancel_futures=True)
                break
    for line in told:
        print(line)
    print(f"{made:,} {of}")
    return len(told)


def _some(judge: Callable[[int], tuple[bool, str]], seed: int) -> tuple[int, list[str]]:
    warnings.simplefilter("ignore")
    found = [judge(each) for each in range(seed, seed + SOME)]
    return sum(is_one for is_one, _ in found), [told for _, told in found if told]


def _typed_pairs(seed: int, count: int) -> int:
    """How often what is proved of two versions of a type does not hold; too few instances found count as one more."""
    shown = known = made = 0
    told: list[str] = []
    with ProcessPoolExecutor(os.cpu_count()) as pool, Progress(*COLUMNS) as bar:
        task = bar.add_task("typed pairs", total=count)
        for found in pool.map(_typed_pair, range(seed, seed + count), chunksize=4):
            bar.advance(task)
            if found is not None:
                made += 1
                told += [found[2]] if found[2] else []
                shown, known = shown + found[0], known + found[1]
    for line in told:
        print(line)
    print(f"{made:,} typed pairs held against what is proved of them; {shown:,} of {known:,} that break are shown")
    return len(told) + (shown < 0.8 * known)


def _typed_pair(seed: int) -> tuple[int, int, str] | None:
    """Of senders and readers, how many are shown to break and how many do; and what contradicts the comparison."""
    warnings.simplefilter("ignore")
    found = held_against(seed)
    if found is None:
        return None
    comparison, broken, told = found
    shown = [comparison.answer("senders") == "broken", comparison.answer("readers") == "broken"]
    known = [shown[0] or "senders" in broken, shown[1] or "readers" in broken]
    return sum(shown), sum(known), told


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
    parser.add_argument(
        "--size", choices=["usual", "large"], default="usual", help="large: 10,000 declarations, 500 of each"
    )
    parser.add_argument("--declarations", type=int, help="how many random declarations  [default: 1000, or 10000]")
    parser.add_argument("--instances", type=int, help="how many instances of each  [default: 1000, or 500]")
    parser.add_argument("--patterns", type=int, default=10_000, help="how many random patterns, also judged by Node")
    parser.add_argument("--documents", type=int, default=50_000, help="how many random documents, judged in all ways")
    parser.add_argument("--pairs", type=int, help="how many pairs of documents, compared  [default: 10000, or 100000]")
    parser.add_argument("--typed-pairs", type=int, help="how many pairs of types, compared  [default: 500, or 5000]")
    parser.add_argument("--seed", type=int, help="of the first declaration; the others follow  [default: by the clock]")
    asked = parser.parse_args()
    asked.declarations = asked.declarations or (10_000 if asked.size == "large" else 1000)
    asked.pairs = asked.pairs or (100_000 if asked.size == "large" else 10_000)
    asked.typed_pairs = asked.typed_pairs or (5_000 if asked.size == "large" else 500)
    asked.instances = asked.instances or (500 if asked.size == "large" else 1000)
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
    broken += _patterns(asked.seed, asked.patterns)
    broken += _many(asked.seed, asked.documents, "documents judged in all ways", disagreement)
    broken += _many(asked.seed, asked.pairs, "pairs of documents held against what is proved of them", contradiction)
    broken += _typed_pairs(asked.seed, asked.typed_pairs)
    print(f"{broken:,} disagreements")
    return int(bool(broken))


if __name__ == "__main__":
    raise SystemExit(main())
