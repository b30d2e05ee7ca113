"""A JSON file of one record, or of a list of records."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from json import JSONDecoder
from typing import Any, Generic, TypeVar

from ..declare.limits import Limits
from ..gates.base import AnyGate
from ..read.json_fast import plain_json
from ..read.json_text import JsonText, one_a_place
from ..report.fault import Fault, Path, pointer
from ..report.verdict import Verdict, relisted

T = TypeVar("T")

FILE_LIMITS = Limits(bytes=1 << 30, faults=1 << 30)
"""What is read of a file on one's own disk: as for data from outside, but of any size up to a gibibyte, and with every
fault of the text, since each refuses a record."""

_BLANKS = re.compile(r"[ \t\n\r]*")
_OPENS_LIST = re.compile(rb"(?:\xef\xbb\xbf)?[ \t\n\r]*+\[")


class ExaminedFile(Generic[T]):
    """What a gate said of a file.

    `verdicts`  one a record, in order; the paths of their faults begin at the file's root
    `listed`    whether the file is a list of records, not one record
    `broken`    what is wrong with the text outside of all records: where it could not be read to its end, there are
                no verdicts
    """

    __slots__ = ("broken", "listed", "verdicts")

    def __init__(self, verdicts: Sequence[Verdict[T]], broken: Sequence[Fault], *, listed: bool) -> None:
        self.verdicts = verdicts
        self.broken = broken
        self.listed = listed

    @property
    def admitted(self) -> list[int]:
        """The numbers of the records that were admitted, from 0."""
        return [number for number, verdict in enumerate(self.verdicts) if verdict]

    @property
    def refused(self) -> list[int]:
        """The numbers of the records that were refused, from 0."""
        return [number for number, verdict in enumerate(self.verdicts) if not verdict]

    @property
    def faults(self) -> list[Fault]:
        """Every fault of the file, in document order."""
        return [*self.broken, *(fault for verdict in self.verdicts for fault in verdict.faults)]

    @property
    def fallbacks(self) -> list[Fault]:
        """The faults for which something else stands in."""
        return [fault for verdict in self.verdicts for fault in verdict.fallbacks]

    @property
    def dropped(self) -> list[Path]:
        """The paths of the unknown keys that were left out."""
        return [path for verdict in self.verdicts for path in verdict.dropped]


def examine_whole(gate: AnyGate[T], raw: bytes, *, told: Callable[[int, int], Any] | None = None) -> ExaminedFile[T]:
    """Examine the records of a JSON file: the items of a list, or else the one record that it holds.

    `told` is called with the number of records done and their total, now and then, for those who show progress.
    """
    listed = _OPENS_LIST.match(raw) is not None and not gate.takes_list
    text = JsonText(raw, FILE_LIMITS, exact=gate.shape.exact, hides=_hides(gate, listed=listed))
    text.read(plain_json(raw, FILE_LIMITS, gate.shape.exact))
    if not text.readable:
        return ExaminedFile([], text.broken, listed=False)
    items = text.value if isinstance(text.value, list) and listed else [text.value]
    verdicts: list[Verdict[T]] = []
    for number, verdict in enumerate(gate.examine_each(items)):
        verdicts.append(_from_root(verdict, (number,)) if listed else verdict)
        if told is not None and (number % 500 == 0 or number + 1 == len(items)):
            told(number + 1, len(items))
    verdicts, elsewhere = _with_broken(text, _placed(text, verdicts), listed=listed)
    return ExaminedFile(verdicts, elsewhere, listed=listed)


class ItemTexts:
    """Where the items of a JSON list stand in its text; looked for when first asked, in one more pass."""

    def __init__(self, raw: bytes) -> None:
        self._raw = raw
        self._found: list[tuple[int, int, int, int]] | None = None
        self._text = ""

    def __call__(self, number: int) -> tuple[bytes, int, int]:
        """The text of an item by its number from 1, its line and its column."""
        if self._found is None:
            self._text = self._raw.decode("utf-8-sig")
            self._found = list(self._walked(self._text))
        start, end, line, column = self._found[number - 1]
        return self._text[start:end].encode(), line, column

    @staticmethod
    def _walked(text: str) -> Iterator[tuple[int, int, int, int]]:
        decode = JSONDecoder().raw_decode
        at, line, counted = text.index("[") + 1, 1, 0
        while True:
            at = _blanks(text, at)
            if text[at] == ",":
                at = _blanks(text, at + 1)
            if text[at] == "]":
                return
            line += text.count("\n", counted, at)
            counted = at
            end = decode(text, at)[1]
            yield at, end, line, at - text.rfind("\n", 0, at)
            at = end


def _blanks(text: str, at: int) -> int:
    found = _BLANKS.match(text, at)
    return found.end() if found is not None else at


def _hides(gate: AnyGate[Any], *, listed: bool) -> Callable[[Path], Path] | None:
    """What may be shown of a path in the file, where the gate has secrets."""
    hides = gate._hides
    if hides is None or not listed:
        return hides
    return lambda path: (*path[:1], *hides(path[1:]))


def _with_broken(
    text: JsonText, verdicts: list[Verdict[T]], *, listed: bool
) -> tuple[list[Verdict[T]], Sequence[Fault]]:
    """The same verdicts with what is wrong with the text in each record, and what is wrong outside of all."""
    of_record: dict[int, list[Fault]] = {}
    elsewhere: list[Fault] = []
    for fault in text.broken:
        number = 0 if not listed else fault.path[0] if fault.path else -1
        (of_record.setdefault(number, []) if 0 <= number < len(verdicts) else elsewhere).append(fault)
    for number, broken in of_record.items():
        told = verdicts[number]
        verdicts[number] = relisted(told, one_a_place(broken, told.faults))
    return verdicts, elsewhere


def _from_root(verdict: Verdict[T], path: Path) -> Verdict[T]:
    """A verdict whose paths begin at the file's root instead of the record's."""
    if verdict and not (verdict.dropped or verdict.fallbacks or verdict.unjudged):
        return verdict
    return relisted(
        verdict,
        [fault.beneath(path) for fault in verdict.faults],
        [(*path, *each) for each in verdict.dropped],
        [fault.beneath(path) for fault in verdict.fallbacks],
        tuple(pointer(path) + each for each in verdict.unjudged),
    )


def _placed(text: JsonText, verdicts: list[Verdict[T]]) -> list[Verdict[T]]:
    """The same verdicts, every fault with its line and column: one more look at the text serves them all."""
    faults = [fault for verdict in verdicts for fault in verdict.faults]
    if not faults:
        return verdicts
    placed = iter(text.placed(faults))
    return [verdict if verdict else relisted(verdict, [next(placed) for _ in verdict.faults]) for verdict in verdicts]
