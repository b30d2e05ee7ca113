"""Declare every JSON Schema document in a folder, and say how that went: counts only, no names.

    python tests/declare_found.py FOLDER [--instances 1000] [--most 2]

For each it looks whether the module imports, keeps its lines short, judges the same instances as its document does, gives
back what it admits, and comes again from its own document. Exit status 1 where one does not.
"""

from __future__ import annotations

import argparse
import json
import os
import re
import warnings
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import suppress
from pathlib import Path
from random import Random
from time import monotonic
from typing import Any

from rich.progress import track

from any_declaration import loaded
from dutiful_gate import CannotSample, DeclarationError, Gate, declarations_of
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.sampling import maker_for

_SECONDS = 40
_NO_JSON = re.compile(r"\d{300}|\\ud[89a-f]|NaN|Infinity")


def found(folder: Path, most: int) -> list[Any]:
    """The documents below a folder: of each package, which is a folder right below, the largest ones."""
    by_package: dict[Path, list[tuple[int, str, Any]]] = defaultdict(list)
    for file in folder.rglob("*.json"):
        with suppress(ValueError, OSError, RecursionError):
            document = json.loads(file.read_bytes())
            if isinstance(document, dict) and "json-schema.org" in str(document.get("$schema", "")):
                package = file.relative_to(folder).parts[0]
                by_package[folder / package].append((file.stat().st_size, str(file), document))
    return [each[2] for held in by_package.values() for each in sorted(held, key=lambda one: one[:2])[-most:]]


def instances(judge: Gate[Any], gate: Gate[Any], count: int) -> Iterator[Any]:
    """Sound data of a document, and the same with something changed."""
    random, until = Random(7), monotonic() + _SECONDS
    makes, edges = maker_for(judge, random), Edges(gate.shape, random)
    base: list[Any] = [{}, [], "x"]
    with suppress(CannotSample, RecursionError):
        while len(base) < count // 6 and monotonic() < until:
            base.append(makes.make())
    yield from base
    for _ in range(count - len(base)):
        if monotonic() > until:
            return
        yield edges.spoiled(gate.shape.root, random.choice(base))


def tried(task: tuple[Any, int]) -> tuple[str, int, list[str]]:
    """What became of one document: "" or why it is none, how many instances were asked, what went wrong."""
    warnings.simplefilter("ignore")
    document, count = task
    try:
        judge = Gate.from_schema(document, formats="assert")
        text = declarations_of(document)
    except DeclarationError as error:
        return f"no document: {error.problem[:60]}", 0, []
    gate, told, asked = loaded(text), [], 0
    if max(map(len, text.splitlines())) > 120:
        told.append("a line of over 120 signs")
    for each in instances(judge, gate, count):
        with suppress(ValueError, TypeError):
            raw = json.dumps(each)
            if _NO_JSON.search(raw):
                continue
            data, asked = json.loads(raw), asked + 1
            if gate.accepts(data) != judge.accepts(data):
                told.append(f"judged differently: {raw[:200]}")
            elif gate.accepts(data) and not gate.accepts(json.loads(gate.release_json(gate.admit(data)))):
                told.append(f"not admitted again: {raw[:200]}")
    again = gate.schema()
    third = loaded(declarations_of(json.loads(json.dumps(again)))).schema()
    if third != again and not text.embedded:
        told.append("its document does not come again")
    return ("keeps a part embedded" if text.embedded else "types and rules alone"), asked, told


def main() -> int:
    """Try all, and print the counts."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path, help="a folder of packages with documents in them")
    parser.add_argument("--instances", type=int, default=1000, help="how many instances of each")
    parser.add_argument("--most", type=int, default=2, help="how many documents of one package, the largest")
    asked = parser.parse_args()
    documents = found(asked.folder, asked.most)
    counts: dict[str, int] = defaultdict(int)
    total = wrong = 0
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        done = pool.map(tried, [(each, asked.instances) for each in documents])
        for became, judged, told in track(done, "documents", len(documents)):
            counts[became] += 1
            total += judged
            wrong += bool(told)
            for each in told[:3]:
                print(each)
    for became, count in sorted(counts.items(), key=lambda each: -each[1]):
        print(f"{count:4} {became}")
    print(f"{len(documents)} documents, {total:,} instances, {wrong} documents with something wrong")
    return int(bool(wrong))


if __name__ == "__main__":
    raise SystemExit(main())
