"""How a CSV file is laid out: separators, encoding, headings; said, or found in its first lines."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from .opened import CannotStart

SEPARATORS: Final = (",", ";", "\t", "|")
LOOKED_AT: Final = 30
"""So many lines are looked at to find a layout."""
_SEP = re.compile(r"\ufeff?sep=(.)\r?\n?", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class CsvLayout:
    """What is said of a CSV file; what is not said is found.

    `separator`      what stands between cells: one sign
    `encoding`       of its text: "utf-8", "latin-1", "utf-16"; found for UTF-8 and UTF-16 by their marks
    `header_line`    the line of the headings, from 1; 0 to find it
    `columns`        by heading, the field that it stands for
    `decimal_comma`  whether numbers are written with a comma
    `dates`          the form of dates, as `written("%d.%m.%Y")` has it
    """

    separator: str = ""
    encoding: str = ""
    header_line: int = 0
    columns: Mapping[str, str] = field(default_factory=dict)
    decimal_comma: bool = False
    dates: str = ""


def encoding_of(start: bytes, said: str) -> str:
    """The encoding of a text by its first bytes."""
    if said:
        return said
    if start[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    return "utf-8-sig"


def separator_of(lines: Sequence[str], known: frozenset[str]) -> str:
    """The separator that makes the most known headings in one of the first lines, or else the most even rows."""
    best, score = ",", (-1, -1.0)
    for separator in SEPARATORS:
        rows = _rows(lines, separator)
        names = max((len(known & set(map(str.strip, row))) for row in rows), default=0)
        widths = [len(row) for row in rows if row]
        usual = max(set(widths), key=widths.count, default=1)
        even = widths.count(usual) / len(widths) * usual if usual > 1 else 0.0
        if (names, even) > score:
            best, score = separator, (names, even)
    return best


def header_of(lines: Sequence[str], separator: str, known: frozenset[str]) -> int:
    """The number of lines above the headings: the first line that has at least half of the known ones, or none."""
    for number, row in enumerate(_rows(lines, separator)):
        if known and len(known & set(map(str.strip, row))) * 2 >= min(len(known), len(row)) > 0:
            return number
    return 0


def _rows(lines: Iterable[str], separator: str) -> list[list[str]]:
    rows = []
    for line in lines:
        try:
            rows.append(next(csv.reader([line], delimiter=separator), []))
        except csv.Error:
            rows.append([])
    return rows


def said_separator(line: str) -> str:
    """The separator of a `sep=;` line, as spreadsheets write it; "" for another line."""
    found = _SEP.fullmatch(line)
    return found[1] if found is not None else ""


def checked_headings(headings: Sequence[str], line: int) -> list[str]:
    """The headings without blanks around them. Raises CannotStart where two are alike, or one between is empty."""
    made = [each.strip() for each in headings]
    while made and not made[-1]:
        made.pop()  # trailing separators
    if not made:
        raise CannotStart(f"line {line} has no headings; say which line has them, with --header-line")
    for at, name in enumerate(made):
        if not name:
            raise CannotStart(f"column {at + 1} has no heading in line {line}; name every column")
        if name in made[:at]:
            raise CannotStart(f"the heading {name!r} stands twice in line {line}; name each column once")
    return made
