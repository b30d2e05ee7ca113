"""Layers of settings into one: records key by key, anything else by the later layer; and which layer each is from."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from ..report.fault import Path
from ..shape.nodes import Branches, Nullable, Sealing
from ..shape.uses import Use
from .names import SettingNames

Owner = Any
"""The number of a layer; or by key, or in order for a list that several layers made, the owners of what is inside:
there a number of a layer with the number of the item in it."""


_HOLDING: frozenset[Any] = frozenset([dict, list])


class Held(NamedTuple):
    """Data with its owners."""

    data: Any
    owner: Owner


def merged(names: SettingNames, use: Use | None, low: Held, high: Held) -> Held:
    """What two layers make together; `low`, where layers made it before, is used up.

    It is a left fold, and associative where no path is a record in one layer and something else in another; a union's
    record whose tag changes is something else. `use` is what is declared there, None where that has no say in it.
    """
    if isinstance(low.data, list) and isinstance(high.data, list) and is_appended(use):
        return Held([*low.data, *high.data], [*_in_order(low), *_in_order(high)])
    if isinstance(low.data, dict) and isinstance(high.data, dict):
        if use is not None and _is_exchanged(names, use, low.data, high.data):
            return high
        data, owner = low
        if not isinstance(owner, dict):  # it is a layer's own
            data, owner = dict(data), dict.fromkeys(data, owner)
        apart = isinstance(high.owner, dict)
        for step, held in high.data.items():
            of_step = high.owner[step] if apart else high.owner
            if held.__class__ in _HOLDING and step in data:
                below = None
                if use is not None:
                    below = names.below(use, step, high.data) or names.below(use, step, low.data)
                data[step], owner[step] = merged(names, below, Held(data[step], owner[step]), Held(held, of_step))
            else:
                data[step], owner[step] = held, of_step
        return Held(data, owner)
    return high


def is_appended(use: Use | None) -> bool:
    """Whether lists of later layers are put behind those of earlier ones."""
    while use is not None and isinstance(use.node, Nullable | Sealing) and not use.appended:
        use = use.node.inner
    return use is not None and use.appended


def _is_exchanged(names: SettingNames, use: Use | None, low: Mapping[str, Any], high: Mapping[str, Any]) -> bool:
    """Whether a later layer tells another option of a union than an earlier one."""
    node = names.node(use)
    if not isinstance(node, Branches) or not node.tag:
        return False
    return node.tag in low and node.tag in high and str(low[node.tag]) != str(high[node.tag])


def _in_order(held: Held) -> Sequence[Owner]:
    if isinstance(held.owner, list):
        return held.owner
    return [(held.owner, number) for number in range(len(held.data))]


def owner_of(owner: Owner, path: Path) -> tuple[int, Path] | None:
    """The layer that gave what stands at a path, and its path in that layer; of a record made by several the last.

    None where no layer gave it.
    """
    for at, step in enumerate(path):
        if isinstance(owner, dict):
            if step not in owner:
                return None
            owner = owner[step]
        elif isinstance(owner, list):
            if not isinstance(step, int) or step >= len(owner):
                return None
            layer, number = owner[step]
            return layer, (*path[:at], number, *path[at + 1 :])
        else:
            return owner, path
    return (_last(owner), path) if _last(owner) >= 0 else None


def _last(owner: Owner) -> int:
    """The last layer in what is held together."""
    if isinstance(owner, dict):
        return max(map(_last, owner.values()), default=-1)
    if isinstance(owner, list):
        return max((layer for layer, _ in owner), default=-1)
    return int(owner)


__all__ = ["Held", "Owner", "is_appended", "merged", "owner_of"]
