"""The patterns of documents: ECMA-262, found anywhere in a text, and harmless on hostile text."""

from __future__ import annotations

from collections.abc import Callable

from ...declare.errors import DeclarationError
from ...regex.from_ecma import NoPattern
from ...regex.search import ecma_search
from .library import Subschema


def searcher(node: Subschema, pattern: str) -> Callable[[str], object]:
    """The function that looks for a pattern in a text. Raises DeclarationError for what is no expression."""
    try:
        return ecma_search(pattern)
    except NoPattern as broken:
        raise DeclarationError(
            f"the pattern {pattern!r} in {node.location()} is no regular expression: {broken}",
            remedy="mend the pattern (ECMA-262)",
        ) from None
