"""How one document is judged, and what is remembered meanwhile."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from threading import local
from typing import Any

from ...declare.limits import Limits
from ..dialects import Dialect
from .library import Library

Judges = Mapping[str, tuple[str, Callable[[str], bool]]]
"""Formats by name: what a reader is told of each, and what judges a text."""
_MOST_NOTED = 10_000


class JudgedMemory(local):
    """What was found while one piece of data is judged by a document whose branches meet, in this thread.

    `held` is None for other documents, and between two questions. `to_note` is of how many values annotations are noted
    yet: there too they may double on every level.
    """

    held: dict[Any, Any] | None = None
    to_note: int = 0

    @contextmanager
    def kept(self, remembers: bool) -> Iterator[None]:
        """Remember for one question, where there is something to gain."""
        before = self.held
        if remembers and before is None:
            self.held = {}
            self.to_note = _MOST_NOTED
        try:
            yield
        finally:
            self.held = before


class JudgingOptions:
    """How one document is to be judged."""

    __slots__ = ("asserted", "judges", "library", "memory", "most_deep", "most_items")

    def __init__(self, library: Library, formats: str | None, limits: Limits, judges: Judges) -> None:
        self.judges = judges
        self.memory = JudgedMemory()
        self.library = library
        self.most_items = limits.items
        self.most_deep = limits.depth
        self.asserted = formats

    def formats(self, dialect: Dialect) -> bool:
        """Whether formats are asserted in a dialect."""
        return self.asserted == "assert" or (self.asserted is None and dialect.asserts)

    def content(self, dialect: Dialect) -> bool:
        """Whether content is."""
        return self.asserted == "assert" and dialect.content
