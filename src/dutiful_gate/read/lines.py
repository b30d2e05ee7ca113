"""From an offset in a text to the line and column an editor jumps to."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable

from ..report.place import Place

_BREAK = re.compile(r"\r\n|\n|\r")


class Lines:
    """The lines of one text."""

    def __init__(self, text: str) -> None:
        if "\r" in text:
            self._starts = [0, *(found.end() for found in _BREAK.finditer(text))]
            return
        self._starts = [0]
        while at := text.find("\n", self._starts[-1]) + 1:
            self._starts.append(at)

    def places(self, offsets: Iterable[int]) -> list[Place]:
        """Line and column of some characters."""
        if len(self._starts) == 1:
            return [Place(1, offset + 1) for offset in offsets]
        return [self.place(offset) for offset in offsets]

    def place(self, offset: int) -> Place:
        """Line and column of a character, both from 1."""
        line = bisect_right(self._starts, offset)
        return Place(line, offset - self._starts[line - 1] + 1)
