"""The patterns of documents: ECMA-262, found anywhere in a text, and harmless on hostile text."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache

from ...declare.automaton import Unreadable
from ...declare.ecma import NoPattern, python_pattern
from ...declare.errors import DeclarationError
from ...declare.rules.pattern import judged
from ...declare.runaway import states_of
from .library import Node


@lru_cache(maxsize=2048)
def _searcher(pattern: str) -> Callable[[str], object]:
    try:
        said = python_pattern(pattern)
    except NoPattern as broken:
        if not broken.said:
            raise
        try:
            return states_of(broken.said)
        except Unreadable:
            raise broken from None
    found = judged(said, 0, whole=False)
    return found if isinstance(getattr(found, "__self__", None), re.Pattern) else lambda text: found(text) is not None


def searcher(node: Node, pattern: str) -> Callable[[str], object]:
    """The function that looks for a pattern in a text. Raises DeclarationError for what is no expression."""
    try:
        return _searcher(pattern)
    except NoPattern as broken:
        raise DeclarationError(
            f"the pattern {pattern!r} in {node.location()} is no regular expression: {broken}",
            remedy="mend the pattern (ECMA-262)",
        ) from None
