"""Faults that add up: grouped by rule and place, with how often, where first, how far off, and which values."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from hashlib import blake2b
from typing import Any, Final, Protocol, Self

from .fault import Fault, Path, pointer
from .markdown import code_span, escaped
from .place import Place
from .shown_values import shown, visible
from .verdict import Verdict

SAMPLED: Final = 100
"""So many different values a group keeps: those of the smallest hash, so that digests merge in any order."""
_FIRST: Final = 3
STRETCHES: Final = 256
"""So many stretches a file is divided into at most, to tell where in it faults stand."""


class ExaminedRecord(Protocol):
    """One of many records, with what a gate said of it: its number, from 1; 0 for what is wrong outside of all."""

    number: int

    @property
    def verdict(self) -> Verdict[Any]:
        """What the gate said of it."""

    @property
    def faults(self) -> tuple[Fault, ...]:
        """Its faults, none where it was admitted."""

    def __bool__(self) -> bool:
        """Whether it was admitted."""


class Group:
    """The faults of one rule at one place.

    `pointer`   where, with `*` for any item of a list: "/crates/*/weight_kg"
    `code`, `wanted`  the rule: its code, and what would pass
    `faults`, `rows`  how many, and in how many records
    `first`     the first places: number of the record, and place
    `lowest`, `highest`  the extreme numbers that came, None where none did
    `values`    the values that came with their counts, at most 100 different ones
    """

    __slots__ = (
        "_hashes",
        "_marks",
        "_row",
        "_spread",
        "_width",
        "code",
        "expected",
        "faults",
        "first",
        "highest",
        "lowest",
        "pointer",
        "rows",
        "values",
        "wanted",
    )

    def __init__(
        self, pointer: str, code: str, wanted: str, expected: Mapping[str, Any], marks: bytearray | None = None
    ) -> None:
        # `marks` has a bit for each record, where it is not known yet with which number they begin.
        self._marks = marks
        self.pointer = pointer
        self.code = code
        self.wanted = wanted
        self.expected = dict(expected)
        self.faults = self.rows = 0
        self.first: list[tuple[str, int, Place | None]] = []
        self.lowest: float | None = None
        self.highest: float | None = None
        self.values: dict[str, int] = {}
        self._hashes: dict[str, bytes] = {}
        self._row: tuple[str, int] | None = None
        self._width = 1
        self._spread: dict[int, int] = {}

    @property
    def spread(self) -> tuple[int, dict[int, int]]:
        """Where in the file its records are: how many records a stretch has, and by stretch how many are faulty.

        There are at most 256 stretches, of 1, 2, 4 ... records each.
        """
        return self._width, dict(sorted(self._spread.items()))

    def _mark(self, row: int) -> None:
        """Note that a record is faulty."""
        if self._marks is None:
            self._at(row, 1, 1)
            return
        byte = row >> 3
        if byte >= len(self._marks):
            self._marks.extend(bytes(byte + 1 - len(self._marks)))
        self._marks[byte] |= 1 << (row & 7)

    def placed(self, first: int) -> Group:
        """The same of records that are known now to begin with a number. It must have kept which of them are faulty."""
        made = Group(*self.mark, self.expected)
        made.faults, made.rows, made.lowest, made.highest = self.faults, self.rows, self.lowest, self.highest
        made.first = [(source, row + first - 1, place) for source, row, place in self.first]
        made.values, made._hashes = dict(self.values), dict(self._hashes)
        for at, byte in enumerate(self._marks or b""):
            for bit in range(8) if byte else ():
                if byte >> bit & 1:
                    made._at(at * 8 + bit + first - 1, 1, 1)
        return made

    def _at(self, row: int, count: int, width: int) -> None:
        """Count records of a stretch."""
        while self._width < width or row // self._width >= STRETCHES:
            self._width *= 2
            halved: dict[int, int] = {}
            for at, held in self._spread.items():
                halved[at // 2] = halved.get(at // 2, 0) + held
            self._spread = halved
        at = row // self._width
        self._spread[at] = self._spread.get(at, 0) + count

    def add(self, fault: Fault, source: str, row: int) -> None:
        """Count one more."""
        self.faults += 1
        if self._row != (source, row):
            self._row = source, row
            self.rows += 1
            self._mark(max(row - 1, 0))
        if len(self.first) < _FIRST:
            self.first.append((source, row, fault.place))
        given = fault.given
        if given is None:
            return
        number = _number(given)
        if number is not None:
            self.lowest = number if self.lowest is None else min(self.lowest, number)
            self.highest = number if self.highest is None else max(self.highest, number)
        self._keep(visible(shown(given)), 1)

    def _keep(self, value: str, count: int) -> None:
        if value in self.values:
            self.values[value] += count
            return
        self.values[value] = count
        self._hashes[value] = blake2b(value.encode("utf-8", "surrogatepass"), digest_size=8).digest()
        if len(self.values) > SAMPLED:
            last = max(self._hashes, key=lambda each: (self._hashes[each], each))
            del self.values[last], self._hashes[last]

    def merge(self, other: Group) -> None:
        """Take in what another digest has of the same rule and place; they share no record."""
        self.faults += other.faults
        self.rows += other.rows
        self.first = sorted([*self.first, *other.first], key=lambda each: each[:2])[:_FIRST]
        for number in (other.lowest, other.highest):
            if number is not None:
                self.lowest = number if self.lowest is None else min(self.lowest, number)
                self.highest = number if self.highest is None else max(self.highest, number)
        for value, count in other.values.items():
            self._keep(value, count)
        for at, held in other._spread.items():
            self._at(at * other._width, held, other._width)
        if self._marks is not None and other._marks is not None:
            long = max(len(self._marks), len(other._marks))
            joined = int.from_bytes(self._marks, "little") | int.from_bytes(other._marks, "little")
            self._marks = bytearray(joined.to_bytes(long, "little"))

    @property
    def bound(self) -> str:
        """The bound that would have let all of them pass, where the rule is one; "" for others."""
        if self.code == "floor" and self.lowest is not None:
            return f"at least {_told(self.lowest)}"
        if self.code == "ceiling" and self.highest is not None:
            return f"at most {_told(self.highest)}"
        return ""

    @property
    def mark(self) -> tuple[str, str, str]:
        """What tells groups apart."""
        return self.pointer, self.code, self.wanted

    def most_frequent(self, count: int) -> list[tuple[str, int]]:
        """The values that came most often."""
        return sorted(self.values.items(), key=lambda each: (-each[1], each[0]))[:count]

    def as_dict(self) -> dict[str, object]:
        """The group as plain JSON data."""
        first = [
            {"source": source, "record": row, **(place.as_dict() if place is not None else {})}
            for source, row, place in self.first
        ]
        return {
            "pointer": self.pointer,
            "code": self.code,
            "wanted": self.wanted,
            "expected": self.expected,
            "faults": self.faults,
            "rows": self.rows,
            "first": first,
            "lowest": self.lowest,
            "highest": self.highest,
            "would_pass": self.bound or None,
            "values": dict(self.most_frequent(SAMPLED)),
            "spread": {"records": self._width, "faulty": {str(at): held for at, held in self.spread[1].items()}},
        }


class Digest:
    """What became of many records: how many were admitted and refused, and the faults in groups.

    `unplaced`: its records are a part of more, and it is not known yet with which number they begin.
    """

    def __init__(self, *, unplaced: bool = False) -> None:
        self.admitted = self.refused = self.faults = 0
        self._groups: dict[tuple[str, str, str], Group] = {}
        self._unplaced = unplaced

    def placed(self, first: int) -> Digest:
        """The digest of the same records, which begin with a number: an unplaced one, to be merged with others."""
        made = Digest()
        made.admitted, made.refused, made.faults = self.admitted, self.refused, self.faults
        made._groups = {mark: group.placed(first) for mark, group in self._groups.items()}
        return made

    def add(self, item: ExaminedRecord, source: str = "") -> None:
        """Take in one more record."""
        if item:
            self.admitted += 1
            return
        self.refused += bool(item.number)  # 0 is what is wrong outside of all records
        for fault in item.faults:
            self.faults += 1
            mark = pointer(any_item(fault.path)), fault.code, fault.wanted
            group = self._groups.get(mark)
            if group is None:
                marks = bytearray() if self._unplaced else None
                group = self._groups[mark] = Group(*mark, fault.expected, marks)
            group.add(fault, source, item.number)
        self.faults += item.verdict.untold

    def put(self, group: Group) -> None:
        """Take in a group that is known already; the counts of records and faults are not touched."""
        self._groups[group.mark] = group

    def merge(self, other: Digest) -> Self:
        """Take in a digest of other records; gives back itself."""
        self.admitted += other.admitted
        self.refused += other.refused
        self.faults += other.faults
        for mark, group in other._groups.items():
            own = self._groups.get(mark)
            if own is None:
                own = self._groups[mark] = Group(*mark, group.expected, bytearray() if self._unplaced else None)
            own.merge(group)
        return self

    @property
    def rows(self) -> int:
        """How many records there were."""
        return self.admitted + self.refused

    @property
    def groups(self) -> list[Group]:
        """The groups, those of most faults first."""
        return sorted(self._groups.values(), key=lambda group: (-group.faults, group.mark))

    def as_dict(self) -> dict[str, object]:
        """The digest as plain JSON data."""
        groups = [group.as_dict() for group in self.groups]
        return {
            "records": self.rows,
            "admitted": self.admitted,
            "refused": self.refused,
            "faults": self.faults,
            "groups": groups,
        }

    def as_markdown(self) -> str:
        """The digest as a table for a mail."""
        counts = f"{self.admitted:,} admitted, {self.refused:,} refused with {self.faults:,} faults"
        lines = [
            f"{self.rows:,} records: {counts}.",
            "",
            "| where | needs | faults | records | first | came | would pass |",
            "|---|---|--:|--:|---|---|---|",
        ]
        for group in self.groups:
            values = ", ".join(f"{code_span(value)} ({count:,})" for value, count in group.most_frequent(3))
            share = f"{group.rows:,} ({group.rows / self.rows:.1%})" if self.rows else f"{group.rows:,}"
            first = "; ".join(first_place(*each) for each in group.first[:1])
            lines.append(
                f"| {code_span(group.pointer, '(the whole)')} | {escaped(group.wanted)} | {group.faults:,} | {share} "
                f"| {code_span(first)} | {values} | {escaped(group.bound)} |"
            )
        return "\n".join(lines) + "\n"


def digest_of(items: Iterable[ExaminedRecord], source: str = "") -> Digest:
    """The digest of all records of a delivery."""
    made = Digest()
    for item in items:
        made.add(item, source)
    return made


def first_place(source: str, row: int, place: Place | None) -> str:
    """Where the first of a group stands, as editors follow it."""
    at = str(place) if place is not None and place.line else f"record {row}"
    return f"{source}:{at}" if source and place is not None and place.line else f"{source} {at}".strip()


def any_item(path: Path) -> Path:
    """A path in which any item of a list is `*`."""
    return tuple("*" if isinstance(step, int) and not isinstance(step, bool) else step for step in path)


def _number(given: object) -> float | None:
    if isinstance(given, bool):
        return None
    if isinstance(given, int | float):
        return given
    try:
        return float(given) if isinstance(given, str) and len(given) < 40 and given.strip()[-1:].isdigit() else None
    except ValueError:
        return None


def _told(number: float) -> str:
    return f"{number:,}" if isinstance(number, int) else f"{number:,g}" if abs(number) < 1e15 else str(number)
