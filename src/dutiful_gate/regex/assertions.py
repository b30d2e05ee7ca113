"""Whether a place in a text is what a mark of an expression asks for."""

from __future__ import annotations

import re
import sys
from collections.abc import Callable
from typing import Final

Holds = Callable[[str, int], bool]


def _edge(flags: int) -> Holds:
    is_word = re.compile(r"\w", flags).match

    def holds(text: str, at: int) -> bool:
        before = at > 0 and bool(is_word(text[at - 1]))
        return before != (at < len(text) and bool(is_word(text[at])))

    return holds


def _no_edge(flags: int) -> Holds:
    """Python's own `\\B`: before 3.14 it is not found in an empty text, whatever stands there."""
    edge, in_empty = _edge(flags), sys.version_info >= (3, 14)
    return lambda text, at: (bool(text) or in_empty) and not edge(text, at)


def _not(holds: Holds) -> Holds:
    return lambda text, at: not holds(text, at)


def _before_last_line_end(text: str, at: int) -> bool:
    return at == len(text) or (at == len(text) - 1 and text[at] == "\n")


HOLDS: Final[dict[str, Holds]] = {
    "start": lambda text, at: at == 0,
    "very end": lambda text, at: at == len(text),
    "line start": lambda text, at: at == 0 or text[at - 1] == "\n",
    "end": _before_last_line_end,
    "line end": lambda text, at: at == len(text) or text[at] == "\n",
    "edge": _edge(0),
    "no edge": _no_edge(0),
    "ascii edge": _edge(re.ASCII),
    "no ascii edge": _no_edge(re.ASCII),
    "no ecma edge": _not(_edge(re.ASCII)),
}
"""By the name of the mark."""
