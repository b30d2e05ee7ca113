"""A written document, and what it leaves unstated."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..declare.values import Value
from ..report.in_notebooks import DrawnInNotebooks


class Flaw(Value):
    """A part of a document by which a gate cannot judge, and why: `keyword` is its place, a URI with a JSON Pointer."""

    keyword: str
    why: str

    def __str__(self) -> str:
        return f"{self.keyword}: {self.why}"


class Unstated(Value):
    """A rule that the document cannot express: where it stands (a JSON Pointer into the document), which, and why.

    `codes` are those of the faults that only the gate finds because of it; empty where they may be any. `words` say the
    rule to clients, by the names that the data has.
    """

    pointer: str
    field: str
    rule: str
    reason: str
    codes: tuple[str, ...] = ()
    words: str = ""

    def __str__(self) -> str:
        return f"{self.field}: {self.rule} ({self.reason})"


class Document(dict[str, Any], DrawnInNotebooks):
    """A JSON Schema document: a plain dict, with the list of what it cannot say as `unstated`."""

    __slots__ = ("unstated",)

    def __init__(self, content: Mapping[str, Any], unstated: tuple[Unstated, ...]) -> None:
        super().__init__(content)
        self.unstated = unstated
