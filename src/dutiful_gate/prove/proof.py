"""A run of generated instances against a gate and its document."""

from __future__ import annotations

from collections.abc import Callable
from random import Random
from time import perf_counter
from typing import Any

from ..document.document import Unstated
from ..gates.typed import Gate
from ..sample.cannot_sample import CannotSample
from ..sample.edges import Edges
from ..sample.payloads import Payloads
from ..shape.asked_outside import sampled
from .laws import Disagreement, Laws
from .smaller import smallest

_FEW = 40


class Proof:
    """What a run found.

    `disagreements` are the smallest instances, one for each kind of trouble; `unstated` has each rule that the document
    does not state, with an instance that only the gate refuses, None where none was met. `unsayable` counts the
    instances that no document can speak of, since readers of JSON differ on them: only the gate was asked about these.
    `made` counts the values made in code of those admitted, `made_released` those of them that went out.
    """

    __slots__ = (
        "admitted",
        "disagreements",
        "instances",
        "made",
        "made_released",
        "refused",
        "seconds",
        "unsampled",
        "unsayable",
        "unstated",
    )

    def __init__(self) -> None:
        self.instances = 0
        self.admitted = 0
        self.refused = 0
        self.unsayable = 0
        self.made = 0
        self.made_released = 0
        self.seconds = 0.0
        self.disagreements: list[Disagreement] = []
        self.unstated: list[tuple[Unstated, Any, bool]] = []
        self.unsampled = ""


def prove(
    gate: Gate[Any],
    instances: int = 10_000,
    seed: int = 0,
    *,
    dialect: str = "2020-12",
    progress: Callable[[int], None] | None = None,
) -> Proof:
    """Run a gate and its documents against each other on generated instances; the same for the same seed.

    Where nobody hands over what the gate asks for from outside, the first sample of each stands for it.
    """
    with sampled(gate.shape):
        return _proved(gate, instances, seed, dialect, progress)


def _proved(gate: Gate[Any], instances: int, seed: int, dialect: str, progress: Callable[[int], None] | None) -> Proof:
    start = perf_counter()
    proof = Proof()
    laws = Laws(gate, dialect)
    random = Random(seed)
    makes, edges = Payloads(gate.shape, random), Edges(gate.shape, random)
    seen: set[str] = set()
    base: list[Any] = []
    for number in range(instances):
        instance = _instance(number, base, makes, edges, random, proof)
        broken = laws.broken(instance)
        if broken is not None:
            kind = f"{broken.law}{broken.told.partition(': ')[0]}{_place(broken.told)}"
            if kind not in seen and len(proof.disagreements) < _FEW:
                seen.add(kind)
                proof.disagreements.append(_reduced(laws, broken))
        proof.instances += 1
        if progress is not None and number % 200 == 199:
            progress(200)
    proof.admitted, proof.refused, proof.unsayable = laws.admitted, laws.refused, laws.unsayable
    proof.made, proof.made_released = laws.made, laws.made_released
    for rule in laws.sent.unstated:
        shown = rule in laws.shown
        proof.unstated.append((rule, _least(laws, rule) if shown else None, shown))
    proof.seconds = perf_counter() - start
    return proof


def _instance(number: int, base: list[Any], makes: Payloads, edges: Edges, random: Random, proof: Proof) -> Any:
    """A sound payload now and then, and mostly one that was spoiled in one place or a few."""
    if not base or (number % 20 == 0 and not proof.unsampled):
        try:
            base.append(makes.make())
        except CannotSample as unsampled:
            proof.unsampled = str(unsampled)
            base.append(None)
        if len(base) > 50:
            base.pop(0)
        return base[-1]
    instance = random.choice(base)
    for _ in range(random.choice((1, 1, 1, 2, 3))):
        instance = edges.spoiled(edges.shape.root, instance)
    return instance


def _place(told: str) -> str:
    """Where a disagreement stands, without the numbers of items."""
    return "".join(letter for letter in told.partition(": ")[2].partition(": ")[0] if not letter.isdigit())


def _reduced(laws: Laws, broken: Disagreement) -> Disagreement:
    def shows(instance: Any) -> bool:
        again = laws.broken(instance)
        return again is not None and again.law == broken.law

    instance = smallest(broken.instance, shows)
    again = laws.broken(instance)
    return again if again is not None else broken


def _least(laws: Laws, rule: Unstated) -> Any:
    held = laws.shown[rule]

    def shows(instance: Any) -> bool:
        before = laws.shown.pop(rule)
        laws.broken(instance)
        found = rule in laws.shown
        laws.shown[rule] = before
        return found

    return smallest(held, shows)
