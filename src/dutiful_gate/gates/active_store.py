"""Where gates look first when they are made: what was built beforehand, once a program has opened it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from ..engine.engine import Engine


class Store(Protocol):
    """Engines by the words of their gates."""

    def engine(self, words: tuple[object, ...]) -> Engine | None:
        """The engine of a gate of these words; None where there is none."""


stores: list[Store] = []
"""Those that are open."""


def stored_engine(words: tuple[object, ...]) -> Engine | None:
    """The engine that was built beforehand for a gate of these words; None where none was."""
    for store in stores:
        found = store.engine(words)
        if found is not None:
            return found
    return None
