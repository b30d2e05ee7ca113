"""How a table is laid out, a CSV file or a sheet: separators, encoding, headings; said, or found in its first lines."""

from __future__ import annotations

import csv
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Final

from .opened import CannotStart

SEPARATORS: Final = (",", ";", "\t", "|")
LOOKED_AT: Final = 30
"""So many lines are looked at to find a layout."""
_SINGLE = re.compile(r"(?m)(?:^|[,;\t|])'[^'\n]*'(?=$|[,;\t|])")
_DOUBLE = re.compile(r'(?m)(?:^|[,;\t|])"')
_DAYS = (datetime(2026, 5, 4), datetime(2027, 5, 4), datetime(2026, 12, 4), datetime(2026, 5, 13))
SERIAL: Final = "serial"
_SEP = re.compile(r"\ufeff?sep=(.)\r?\n?", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class TableLayout:
    """What is said of a CSV file, or of the sheet of a workbook; what is not said is found.

    `separator`      CSV: what stands between cells, one sign
    `quote`          CSV: what stands around cells that need it, one sign; found are " and '
    `encoding`       CSV: of its text: "utf-8", "latin-1", "utf-16"; found for UTF-8 and UTF-16 by their marks
    `header_line`    the line or row of the headings, from 1; 0 to find it
    `columns`        by heading, the field that it stands for
    `decimal_comma`  whether numbers are written with a comma
    `dates`          the form of dates, as `written_as("%d.%m.%Y")` has it; "serial" for days as spreadsheets count
                     them, 46146 for the fourth of May 2026 (in a workbook they are always read). Where the form
                     has a time, as in "%d.%m.%Y %H:%M", it is 00:00 for a date; any other is a fault
    `sheet`          the name of the sheet; "" for the first that can be seen
    `shortened`      whether text such as 1.23E+15 is taken as it stands: it is what spreadsheets leave of a long number

    Raises CannotStart where `dates` does not tell day, month and year.
    """

    separator: str = ""
    quote: str = ""
    encoding: str = ""
    header_line: int = 0
    columns: Mapping[str, str] = field(default_factory=dict)
    decimal_comma: bool = False
    dates: str = ""
    sheet: str = ""
    shortened: bool = False

    def __post_init__(self) -> None:
        if self.dates and self.dates != SERIAL and not self._tells_days():
            raise CannotStart(f"{self.dates!r} is no form of dates: write day, month and year, as in %d.%m.%Y")

    def _tells_days(self) -> bool:
        """Whether the form of dates tells a day from one of another year, of another month, and from the next."""
        texts = [day.strftime(self.dates) for day in _DAYS]
        try:
            return len(set(texts)) == len(_DAYS) and datetime.strptime(texts[0], self.dates) == _DAYS[0]
        except ValueError:
            return False

    def named(self, headings: Sequence[str]) -> list[str]:
        """The fields that headings stand for. Raises CannotStart where two stand for one."""
        names = [self.columns.get(name, name) for name in headings]
        if len(set(names)) != len(names):
            raise CannotStart("two columns stand for one field; see --column")
        if gone := [name for name in self.columns if name not in headings]:
            raise CannotStart(f"there is no heading {gone[0]!r}; there are: {', '.join(map(repr, headings[:20]))}")
        return names


def encoding_of(start: bytes, said: str) -> str:
    """The encoding of a text by its first bytes."""
    if said:
        return said
    if start[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    return "utf-8-sig"


def quote_of(lines: Sequence[str]) -> str:
    """The sign that stands around cells: ' where cells begin and end with it, and none with "; else "."""
    text = "\n".join(lines)
    single = len(_SINGLE.findall(text))
    return "'" if single and not _DOUBLE.search(text) else '"'


def separator_of(lines: Sequence[str], known: frozenset[str]) -> str:
    """The separator that makes the most known headings in one of the first lines, or else the most even rows."""
    best, score, quote = ",", (-1, -1.0), quote_of(lines)
    for separator in SEPARATORS:
        rows = split_lines(lines, separator, quote)
        names = max((len(known & set(map(str.strip, row))) for row in rows), default=0)
        widths = [len(row) for row in rows if row]
        usual = max(set(widths), key=widths.count, default=1)
        even = widths.count(usual) / len(widths) * usual if usual > 1 else 0.0
        if (names, even) > score:
            best, score = separator, (names, even)
    return best


def header_of(rows: Sequence[Sequence[str]], known: frozenset[str]) -> int:
    """The number of rows above the headings: the first row that has at least half of the known ones, or none.

    Where none are known, it is the first row with as many cells as rows usually have.
    """
    if not known:
        counts = [sum(1 for cell in row if cell.strip()) for row in rows]
        several = [count for count in counts if count]
        usual = max(several, key=several.count, default=0)
        return next((number for number, count in enumerate(counts) if count >= usual), 0)
    for number, row in enumerate(rows):
        if known and len(known & set(map(str.strip, row))) * 2 >= min(len(known), len(row)) > 0:
            return number
    return 0


def split_lines(lines: Iterable[str], separator: str, quote: str = '"') -> list[list[str]]:
    """Lines as cells, none for one that cannot be split."""
    rows = []
    for line in lines:
        try:
            rows.append(next(csv.reader([line], delimiter=separator, quotechar=quote), []))
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
    seen: set[str] = set()
    for at, name in enumerate(made):
        if not name:
            raise CannotStart(f"column {at + 1} has no heading in line {line}; name every column")
        if name in seen:
            raise CannotStart(f"the heading {name!r} stands twice in line {line}; name each column once")
        seen.add(name)
    return made
