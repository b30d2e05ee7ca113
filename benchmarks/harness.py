"""Two things timed against each other in one run: turn by turn, so that a noisy machine troubles both alike."""

from __future__ import annotations

import gc
from collections.abc import Callable
from dataclasses import dataclass
from statistics import median
from time import perf_counter

Job = Callable[[], object]


@dataclass(frozen=True, slots=True)
class Ratio:
    """How long `ours` took beside `theirs`: the median over turns, and the middle half of the turns."""

    name: str
    median: float
    low: float
    high: float
    bound: float

    @property
    def holds(self) -> bool:
        return self.median <= self.bound


def compared(name: str, ours: Job, theirs: Job, bound: float, *, turns: int = 61, seconds: float = 0.004) -> Ratio:
    """Time both jobs in `turns` short turns of about `seconds` each, the order changing from turn to turn."""
    rounds = max(1, round(seconds / max(_timed(theirs, 3) / 3, 1e-9)))
    _timed(ours, rounds)
    ratios = []
    gc.collect()
    gc.disable()
    try:
        for turn in range(turns):
            if turn % 2:
                first = _timed(ours, rounds)
                second = _timed(theirs, rounds)
            else:
                second = _timed(theirs, rounds)
                first = _timed(ours, rounds)
            ratios.append(first / second)
    finally:
        gc.enable()
    ratios.sort()
    quarter = len(ratios) // 4
    return Ratio(name, median(ratios), ratios[quarter], ratios[-quarter - 1], bound)


def _timed(job: Job, rounds: int) -> float:
    start = perf_counter()
    for _ in range(rounds):
        job()
    return perf_counter() - start
