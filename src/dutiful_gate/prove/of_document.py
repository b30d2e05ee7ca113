"""A run of generated instances against a gate of a document: is it judged alike in all ways there are."""

from __future__ import annotations

from collections.abc import Callable
from random import Random
from time import perf_counter
from typing import Any

from ..gates.document import DocumentGate
from ..sample.cannot_sample import CannotSample
from ..sample.edges import ODD
from ..sample.of_document import DocumentPayloads
from .laws import Disagreement, is_sayable
from .proof import Proof
from .second_opinion import second_opinions

_BASES = 60
_A_BASE = 40
_FEW = 40


def prove_document(
    gate: DocumentGate, instances: int = 10_000, seed: int = 0, *, progress: Callable[[int], None] | None = None
) -> Proof:
    """Judge sound instances, and such with one thing changed: compiled, word for word, with every fault, and by formats
    as their grammars have them. The same for the same seed.
    """
    start = perf_counter()
    proof = Proof()
    other = DocumentGate(
        gate.declared,  # type: ignore[arg-type]
        formats=gate._formats,
        documents=gate._documents,
        dialect=gate._asked,
        limits=gate.limits,
        uri=gate._uri,
        flaws=gate._tells,
        judges=second_opinions(),
    )
    makes = _Instances(gate, Random(seed))
    told: set[str] = set()
    for _ in range(instances):
        instance = makes.next()
        proof.instances += 1
        if progress is not None and proof.instances % 200 == 0:
            progress(200)
        if not is_sayable(instance, doubles=False):
            proof.unsayable += 1
            continue
        accepted = gate.accepts(instance)
        proof.admitted += accepted
        proof.refused += not accepted
        differs = _difference(gate, other, instance, accepted)
        if differs and differs not in told and len(told) < _FEW:
            told.add(differs)
            proof.disagreements.append(Disagreement(1, instance, differs))
    proof.unsampled = makes.unsampled
    proof.seconds = perf_counter() - start
    return proof


def _difference(gate: DocumentGate, other: DocumentGate, instance: Any, accepted: bool) -> str:
    said = "admits" if accepted else "refuses"
    if gate._engine.word_for_word(instance) is not accepted:
        return f"compiled, the gate {said} what it does not word for word"
    if bool(gate.examine(instance)) is not accepted:
        return f"`accepts` {said} what `examine` does not"
    if other.accepts(instance) is not accepted:
        return f"the gate {said} what it does not with formats by their grammars"
    return ""


class _Instances:
    """Sound ones, spoilt ones and odd ones by turns."""

    def __init__(self, gate: DocumentGate, random: Random) -> None:
        self.makes = DocumentPayloads(gate._engine, random)
        self.random = random
        self.unsampled = ""
        self._bases: list[Any] = []
        self._waiting: list[Any] = []

    def next(self) -> Any:
        """One more."""
        if not self._waiting:
            self._waiting = self._more()
        return self._waiting.pop()

    def _more(self) -> list[Any]:
        random = self.random
        if len(self._bases) < _BASES and not self.unsampled:
            try:
                self._bases.append(self.makes.make())
            except CannotSample as none:
                self.unsampled = str(none)
        if not self._bases:
            return list(ODD)
        base = random.choice(self._bases)
        spoilt = list(self.makes.spoils(base))
        return [*random.sample(spoilt, min(_A_BASE, len(spoilt))), base, random.choice(ODD)]
