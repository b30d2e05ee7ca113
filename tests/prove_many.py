"""`make prove`: the laws of equivalence over many random declarations, with a progress bar.

    python tests/prove_many.py --declarations 1000 --instances 1000 --seed 0

Exit status 1 on any disagreement; each is told with the seed of its declaration and its smallest instance.
"""

from __future__ import annotations

import argparse
import json
import os
import sys
import warnings
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from time import perf_counter
from typing import Any

from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

sys.path.insert(0, str(Path(__file__).parent))

from any_declaration import any_declaration, loaded
from dutiful_gate import DeclarationError, Gate, declarations_of
from dutiful_gate.prove.proof import Proof, prove

DIALECTS = ("2020-12", "draft-07", "openapi-3.1", "openapi-3.0")


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
    again = loaded(declarations_of(json.loads(text))).schema()
    # What docs/documents.md excepts: documents beside a type that stand as references, or look at what others left.
    excepted = any(word in text for word in ("urn:dutiful:document", "unevaluated", "patternProperties"))
    if again != document and not excepted:
        told.append("declaration, document, declaration, document: the second document differs from the first")
    for each in DIALECTS:
        for of in ("send", "release"):
            Gate.from_schema(gate.schema(dialect=each, of=of), dialect=each)  # type: ignore[arg-type]
    return dialect, proof, told


def main() -> int:
    """Prove, and print what came of it."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--declarations", type=int, default=1000, help="how many random declarations")
    parser.add_argument("--instances", type=int, default=1000, help="how many instances of each")
    parser.add_argument("--seed", type=int, default=0, help="of the first declaration; the others follow")
    asked = parser.parse_args()
    start = perf_counter()
    seeds = range(asked.seed, asked.seed + asked.declarations)
    declarations = instances = admitted = unstated = unsampled = broken = 0
    columns = (TextColumn("declarations"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns) as bar, ProcessPoolExecutor(os.cpu_count()) as pool:
        task = bar.add_task("declarations", total=len(seeds))
        for seed, (dialect, proof, told) in zip(
            seeds, pool.map(proved, seeds, [asked.instances] * len(seeds), chunksize=4), strict=True
        ):
            bar.advance(task)
            for each in told:
                broken += 1
                bar.console.print(f"declaration {seed}, {dialect}: {each}", markup=False)
            if proof is not None:
                declarations += 1
                instances += proof.instances
                admitted += proof.admitted
                unstated += len(proof.unstated)
                unsampled += bool(proof.unsampled)
    print(
        f"{declarations:,} declarations, {instances:,} instances ({admitted:,} admitted) in {perf_counter() - start:.0f} s"
    )
    print(f"{unstated:,} rules left unstated; no sound payload was found for {unsampled:,} declarations")
    print(f"{broken:,} disagreements")
    return int(bool(broken))


if __name__ == "__main__":
    raise SystemExit(main())
