"""What became of the records of a delivery: their digest, and the first faults one by one. Tallies of pieces merge."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from ..report.digest import Digest
from ..report.fault import Fault, pointer
from .item import Item

_MOST_KEYS = 100


@dataclass(frozen=True, slots=True)
class Listed:
    """One fault of one record, as it is listed: `fault` at its path in the whole file, with the text around it.

    `text` is the text of the record where that was asked for, `line` and `column` where it begins.
    """

    number: int
    fault: Fault
    text: str = ""
    line: int = 0
    column: int = 1


@dataclass(slots=True)
class Tally:
    """What became of records, as far as they were looked at.

    `most`      how many faults are listed one by one; the digest counts all
    `excerpts`  whether they are listed with the text of their record
    `listed`    the first faults
    `dropped`   keys that nobody declared, and that were left out: at most a hundred of them
    `fallbacks`, `fallback_faults`  how many values were refused and stood in for, and the first of them
    `unjudged`, `unsure`  how many could not be judged by a document with flaws, and the first: record and pointer
    `outside`   what is wrong with the file outside of all records
    """

    name: str = ""
    most: int = 200
    excerpts: bool = False
    digest: Digest = field(default_factory=Digest)
    listed: list[Listed] = field(default_factory=list)
    dropped: set[str] = field(default_factory=set)
    fallbacks: int = 0
    fallback_faults: list[Fault] = field(default_factory=list)
    unjudged: int = 0
    unsure: list[tuple[int, str]] = field(default_factory=list)
    outside: int = 0

    def empty_copy(self) -> Tally:
        """A tally of nothing, that lists what this one does."""
        return Tally(self.name, self.most, self.excerpts)

    def add(self, item: Item[Any]) -> None:
        """Take in one more record."""
        if item.is_sound:
            self.digest.admitted += 1
            return
        self.digest.add(item, self.name)
        self.outside += len(item.faults) if not item.number else 0
        verdict = item.verdict
        for path in verdict.dropped:
            if len(self.dropped) < _MOST_KEYS:
                self.dropped.add(str(path[-1]))
        if verdict.fallbacks:
            self.fallbacks += len(verdict.fallbacks)
            self.fallback_faults += [
                fault.beneath(item.at) for fault in verdict.fallbacks[: self.most - len(self.fallback_faults)]
            ]
        if verdict.unjudged:
            self.unjudged += len(verdict.unjudged)
            begins = pointer(item.at)
            left = self.most - len(self.unsure)
            self.unsure += [(item.number, begins + each) for each in verdict.unjudged[:left]]
        for fault in item.faults:
            if len(self.listed) >= self.most:
                break
            self.listed.append(self._listed(item, fault.beneath(item.at)))

    def _listed(self, item: Item[Any], fault: Fault) -> Listed:
        if not self.excerpts:
            return Listed(item.number, fault)
        return Listed(item.number, fault, item.raw.decode("utf-8", "replace"), item.line, item.column)

    def merge(self, other: Tally) -> None:
        """Take in the records that follow."""
        self.digest.merge(other.digest)
        self.listed += other.listed[: self.most - len(self.listed)]
        self.dropped |= set(sorted(other.dropped)[: _MOST_KEYS - len(self.dropped)])
        self.fallbacks += other.fallbacks
        self.fallback_faults += other.fallback_faults[: self.most - len(self.fallback_faults)]
        self.unjudged += other.unjudged
        self.unsure += other.unsure[: self.most - len(self.unsure)]
        self.outside += other.outside


__all__ = ["Listed", "Tally"]
