"""Where in its source a value stands."""

from __future__ import annotations

from ..declare.values import Value


class Place(Value):
    """Line and column in a text, both from 1; columns count characters, as editors do."""

    line: int
    column: int

    def __str__(self) -> str:
        return f"{self.line}:{self.column}"
