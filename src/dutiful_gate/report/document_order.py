"""The order in which faults are told: as their values stand in the data; what is absent, where its record begins."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
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
    found = faults[start:]
    if len(found) <= _FEW:
        place = keys.index
        try:
            faults[start:] = sorted(found, key=lambda raw: place(raw[0][depth]))
            return
        except (ValueError, IndexError):
            pass  # something stands where the record begins
    places = dict(zip(keys, _COUNT, strict=False))
    found.sort(key=lambda raw: places.get(raw[0][depth], -1) if len(raw[0]) > depth else -1)
    faults[start:] = found


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
