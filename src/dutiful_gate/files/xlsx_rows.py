"""The rows of a sheet of an XLSX workbook: each a record by its headings, its faults at their cells."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import suppress
from datetime import date, datetime, time
from itertools import islice
from typing import Any, BinaryIO, Final, TypeVar

from ..declare.phrases import Phrase
from ..declare.sources import FromText, Source
from ..gates.base import AnyGate
from ..gates.reading import gate_reading
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.place import Place
from ..report.verdict import relisted
from .cells import SheetReader, empties, known_names, sheet_reader
from .item import Item
from .opened import BrokenOff, CannotStart
from .outputs import csv_row
from .table_layout import LOOKED_AT, TableLayout, checked_headings, header_of
from .workbook import MOST_COLUMNS, cell_name, has_formulas, opened_workbook, rows_of, seekable

T = TypeVar("T")
_BEYOND: Final = 64
"""So many columns behind the headings are looked at for cells that stand under none."""
_NO_VALUE: Final = Cause("reading", "a value", got="a formula without its value: open the workbook, and save it")
_BEHIND: Final = "at most {most} cells in a row"


class _Sheet:
    """One sheet of a workbook, with its headings. Raises CannotStart for one without."""

    def __init__(self, book: Any, layout: TableLayout, known: frozenset[str]) -> None:
        self.book = book
        self.sheet = _chosen(book, layout.sheet)
        self.name: str = self.sheet.title
        first = _first_rows(self.sheet, max(LOOKED_AT, layout.header_line))
        at = layout.header_line - 1 if layout.header_line else header_of(first, known)
        if at >= len(first) or not any(first[at]):
            raise CannotStart(
                f"there are no headings in the sheet {self.name!r}; say which row has them: --header-line"
            )
        self.header_row = at + 1
        headings = _until_last(first[at])
        self.headings = checked_headings(headings, at + 1)
        self.names = layout.named(self.headings)

    @property
    def others(self) -> list[str]:
        """The other sheets that have something in them, as far as one can see."""
        return [each.title for each in self.book.worksheets if each.title != self.name]

    def place(self, row: int, number: int, column: int = 0) -> Place:
        """The place of a cell, or of a row."""
        heading = self.headings[column - 1] if 0 < column <= len(self.headings) else ""
        return Place(row, column, row=number, heading=heading, cell=cell_name(self.name, row, column))


def _chosen(book: Any, wanted: str) -> Any:
    sheets = book.worksheets
    if not wanted:
        visible = [sheet for sheet in sheets if sheet.sheet_state == "visible"] or sheets
        if not visible:
            raise CannotStart("there is no sheet with cells in the workbook")
        return visible[0]
    for sheet in sheets:
        if sheet.title == wanted:
            return sheet
    raise CannotStart(f"there is no sheet {wanted!r}; there are: {', '.join(repr(each.title) for each in sheets)}")


def _first_rows(sheet: Any, count: int) -> list[list[str]]:
    """The first rows of a sheet as text, as far as they can be read."""
    rows: list[list[str]] = []
    with suppress(BrokenOff):  # it is told where the records are read, if there are headings above
        for _, cells in islice(rows_of(sheet, 1), count):
            rows.append(["" if cell.value is None else str(cell.value) for cell in cells])
    return rows


def _until_last(cells: Sequence[str]) -> list[str]:
    """Cells without the empty ones behind the last."""
    end = len(cells)
    while end and not cells[end - 1].strip():
        end -= 1
    return list(cells[:end])


def items(
    gate: AnyGate[T],
    stream: BinaryIO,
    layout: TableLayout,
    above: Callable[[bytes], Any] | None = None,
    beside: Callable[[list[str]], Any] | None = None,
) -> Generator[Item[T], None, None]:
    """Each row of a sheet, examined; `beside` is told the names of the sheets that are not looked at."""
    reading = gate_reading(gate, Source.MIXED)
    with seekable(stream) as held, opened_workbook(held) as book:
        sheet = _Sheet(book, layout, known_names(reading))
        if above is not None:
            above(f"{sheet.name}\n{sheet.header_row}\n".encode())
        if beside is not None:
            beside(sheet.others)
        reader = sheet_reader(reading, layout, book.epoch)
        formulas = _Formulas(sheet, held) if has_formulas(book, sheet.sheet) else None
        try:
            yield from _rows(reading, sheet, reader, formulas)
        finally:
            if formulas is not None:
                formulas.close()


def _rows(
    gate: AnyGate[T], sheet: _Sheet, reader: SheetReader, formulas: _Formulas | None
) -> Generator[Item[T], None, None]:
    names, count, number = sheet.names, len(sheet.names), 0
    empty = empties(gate)
    for row, cells in rows_of(sheet.sheet, sheet.header_row + 1, count + _BEYOND):
        if all(cell.value is None for cell in cells) and not (formulas and any(map(_may_lack, cells))):
            continue
        number += 1
        told: list[Fault] = []
        data: dict[Any, Any] = {}
        for column, (name, cell) in enumerate(zip(names, cells, strict=False), 1):
            value = cell.value
            if value is None or (isinstance(value, str) and not value.strip()):
                if formulas is not None and _may_lack(cell) and formulas.at(row, column):
                    told.append(Fault((name,), _NO_VALUE, None, None, sheet.place(row, number, column)))
                elif name in empty:
                    data[name] = FromText(value) if value and empty[name] is not None else empty[name]
            elif cell.data_type == "e":
                cause = Cause("reading", "a value", got=Phrase("the error {word}", word=str(value)))
                told.append(Fault((name,), cause, None, None, sheet.place(row, number, column)))
            else:
                read = reader(name, value, cell)
                if isinstance(read, Fault):
                    told.append(read.at(sheet.place(row, number, column)))
                else:
                    data[name] = read
        verdict = gate.examine(data)
        if not verdict:
            placed = [_placed(fault, sheet, row, number) for fault in verdict.faults]
            verdict = relisted(verdict, sorted(placed, key=_column_of))
        if any(cell.value is not None for cell in cells[count:]):
            column = next(at for at, cell in enumerate(cells, 1) if at > count and cell.value is not None)
            cause = Cause("count", _BEHIND, {"most": count}, got="more")
            told.append(Fault((), cause, None, None, sheet.place(row, number, column)))
        if told:
            paths = {fault.path for fault in told}
            others = [fault for fault in verdict.faults if fault.path not in paths]
            verdict = relisted(verdict, sorted([*told, *others], key=_column_of))
        yield Item(number, verdict, csv_row(_shown_row(cells, count)), row)


def _placed(fault: Fault, sheet: _Sheet, row: int, number: int) -> Fault:
    """A fault at its cell, or at its row."""
    step = fault.path[0] if fault.path else None
    column = sheet.names.index(step) + 1 if step in sheet.names else 0
    return fault.at(sheet.place(row, number, column))


def _column_of(fault: Fault) -> int:
    """In the order of the cells; what is said of the whole row comes last."""
    return fault.place.column if fault.place is not None and fault.place.column else MOST_COLUMNS


def _may_lack(cell: Any) -> bool:
    """Whether a cell without a value may have a formula: one that is not there at all has no type of its own."""
    return cell.value is None and hasattr(cell, "row")


class _Formulas:
    """Tells which cells have formulas: the sheet once more, as it was written, read beside as far as it is asked."""

    def __init__(self, sheet: _Sheet, stream: BinaryIO) -> None:
        self._sheet, self._stream = sheet, stream
        self._rows: Iterator[tuple[int, tuple[Any, ...]]] | None = None
        self._book: Any = None
        self._row = 0
        self._cells: tuple[Any, ...] = ()

    def at(self, row: int, column: int) -> bool:
        """Whether the cell has one; rows are asked for in order."""
        if self._rows is None:
            self._book = opened_workbook(self._stream, stored=False)
            again = self._book.__enter__()
            self._rows = rows_of(again[self._sheet.name], row, len(self._sheet.names))
        while self._row < row:
            self._row, self._cells = next(self._rows)
        cell = self._cells[column - 1] if column <= len(self._cells) else None
        return cell is not None and cell.data_type == "f"

    def close(self) -> None:
        """Let go of the second reading."""
        if self._book is not None:
            self._book.__exit__(None, None, None)


def _shown_row(cells: Sequence[Any], count: int) -> list[str]:
    """The cells of a row as text: those under headings, and what stands behind them."""
    shown = [_shown(cell.value) for cell in cells]
    return [*shown[:count], *_until_last(shown[count:])]


def _shown(value: object) -> str:
    """A cell as text: dates as ISO 8601 has them."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == time() else value.isoformat()
    return value.isoformat() if isinstance(value, date | time) else str(value)


__all__ = ["items"]
