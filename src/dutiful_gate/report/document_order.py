"""The order in which faults are told: as their values stand in the data; what is absent, where its record begins."""

from __future__ import annotations

import sys
from collections.abc import Callable, Container, Sequence
from typing import Any

from ..declare.equality import LISTS
from .cause import Cause
from .fault import Path

RawFault = tuple[Path, Cause, object, object]
"""Path, cause, what came, and what the steps had made of it: a `Fault` before anyone asked for it."""

_COUNT = range(sys.maxsize)
_FEW = 8


def in_document_order(faults: list[RawFault], start: int, depth: int, keys: Sequence[Any]) -> None:
    """Put a record's faults, from `start` on, in the order in which their keys stand among the keys of the data.

    What is about the record itself, or about a key that is not there, stands where the record begins: first.
    """
    few = len(faults) - start <= _FEW
    known: Container[Any] = keys if few else (places := dict(zip(keys, _COUNT, strict=False)))
    rank_of = keys.index if few else places.__getitem__
    ranked = []
    for at in range(start, len(faults)):
        raw = faults[at]
        path = raw[0]
        if len(path) > depth and (key := path[depth]) in known:
            ranked.append((rank_of(key), at, raw))
        else:
            ranked.append((-1, at, raw))
    ranked.sort()  # no two are at one place, so that faults themselves are never compared
    faults[start:] = [raw for _, _, raw in ranked]


def ranks_in(data: Any) -> Callable[[Path], tuple[int, ...]]:
    """What puts paths in the order in which they stand in the data; what is absent stands where its record begins."""
    ranks: dict[int, dict[Any, int]] = {}

    def rank(path: Path) -> tuple[int, ...]:
        places, held = [], data
        for step in path:
            if isinstance(held, dict):
                known = ranks.get(id(held))
                if known is None:
                    known = ranks[id(held)] = dict(zip(held, _COUNT, strict=False))
                places.append(known.get(step, -1))
                held = held.get(step)
            elif isinstance(held, LISTS) and isinstance(step, int) and step < len(held):
                places.append(step)
                held = held[step]
            else:
                places.append(-1)
                held = None
        return tuple(places)

    return rank
