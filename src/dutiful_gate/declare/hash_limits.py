"""How many different values of one hash are let into a set, a dict, or a comparison of all with all.

Integers, Decimals, UUIDs and tuples of them are hashed without a secret: 20,000 that share a hash take seconds to put
into a set, and are easily sent.
"""

from __future__ import annotations

from collections.abc import Hashable, Sequence

MOST_ALIKE = 32
"""How many different values of one hash may stand together."""


_SALTED: frozenset[type] = frozenset([str, bytes, bool, type(None)])
"""The classes whose hashes have a secret, or of which there are few values."""


def crowded(values: Sequence[Hashable]) -> bool:
    """Whether more than `MOST_ALIKE` different values share a hash. Raises TypeError for what has none."""
    if _SALTED.issuperset(map(type, values)):
        return False
    hashes = list(map(hash, values))
    if len(values) <= MOST_ALIKE or len(values) - len(set(hashes)) < MOST_ALIKE:
        return False
    different: dict[int, list[Hashable]] = {}
    for mark, value in zip(hashes, values, strict=True):
        known = different.setdefault(mark, [])
        if value not in known:
            known.append(value)
            if len(known) > MOST_ALIKE:
                return True
    return False
