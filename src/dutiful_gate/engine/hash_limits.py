"""Values that share a hash: sets and dicts of them would cost the square of their number, so that few are let in."""

from __future__ import annotations

from collections.abc import Hashable

from ..declare.hash_limits import MOST_ALIKE, crowded
from ..shape.nodes import Choice, Nothing, Nullable, Scalar, Sealing
from ..shape.uses import Use


class Crowd:
    """Counts the different values of each hash."""

    __slots__ = ("counts",)

    def __init__(self) -> None:
        self.counts: dict[int, int] = {}

    def full(self, value: Hashable) -> bool:
        """Count one more value, different from those before; whether there are too many of its hash now."""
        mark = hash(value)
        count = self.counts[mark] = self.counts.get(mark, 0) + 1
        return count > MOST_ALIKE


def spreads(use: Use) -> bool:
    """Whether nobody outside can choose values of one hash: text is hashed with a secret, and constants are few."""
    match use.node:
        case Scalar(kind):
            return kind.strict.spreads and use.making is None
        case Nothing() | Choice():
            return True
        case Nullable(inner) | Sealing(inner):
            return spreads(inner)
        case _:
            return False


__all__ = ["MOST_ALIKE", "Crowd", "crowded", "spreads"]
