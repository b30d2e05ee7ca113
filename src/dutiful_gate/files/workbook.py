"""The sheets of an XLSX workbook (ECMA-376), opened with care: what is no workbook, or unpacks to far too much, is
refused before it is read."""

from __future__ import annotations

import re
import warnings
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import islice
from tempfile import SpooledTemporaryFile
from typing import TYPE_CHECKING, Any, BinaryIO, Final, cast
from xml.parsers import expat

from .opened import MOST_FOLD, MOST_UNPACKED, BrokenOff, CannotStart

if TYPE_CHECKING:
    from openpyxl.workbook.workbook import Workbook

MOST_ROWS: Final = 1_048_576
MOST_COLUMNS: Final = 16_384
_BATCH: Final = 500
_MOST_HELD: Final = 1 << 28
"""So much of the parts that are held in memory may unpack to: shared texts, styles and the list of sheets."""
_MOST_SHEETS: Final = 1 << 32
_IN_MEMORY: Final = 1 << 24
_OLE: Final = b"\xd0\xcf\x11\xe0"
_FORMULA: Final = re.compile(rb"<(?:[A-Za-z_][\w.-]*:)?f[\s/>]")
_PIECE: Final = 1 << 20


@contextmanager
def opened_workbook(stream: BinaryIO, *, stored: bool = True) -> Iterator[Workbook]:
    """The workbook of a seekable stream, read row by row; with `stored`, cells have the values beside their formulas.

    Raises CannotStart for what is none, or unpacks to too much.
    """
    try:
        from openpyxl import load_workbook
    except ImportError:
        raise CannotStart("XLSX needs the package openpyxl: pip install 'dutiful-gate[xlsx]'") from None
    _checked(stream)
    stream.seek(0)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of styles and extensions, which are nothing to us
            book = load_workbook(stream, read_only=True, data_only=stored, keep_links=False)
    except CannotStart:
        raise
    except Exception as error:  # whatever is damaged inside, openpyxl meets it in its own ways
        raise CannotStart(f"the workbook cannot be read ({type(error).__name__}); open it and save it again") from None
    try:
        yield book
    finally:
        book.close()


@contextmanager
def seekable(stream: BinaryIO) -> Iterator[BinaryIO]:
    """The same bytes where one may go back, as a workbook needs it. Raises CannotStart for too many."""
    if stream.seekable():
        yield stream
        return
    with SpooledTemporaryFile(_IN_MEMORY) as held:
        size = 0
        while piece := stream.read(_PIECE):
            size += len(piece)
            if size > MOST_UNPACKED:
                raise CannotStart(f"a workbook of more than {MOST_UNPACKED:,} bytes; unpack it into a file")
            held.write(piece)
        yield cast(BinaryIO, held)


def _checked(stream: BinaryIO) -> None:
    """Refuse what is no workbook, or too much of one. Raises CannotStart."""
    stream.seek(0)
    if stream.read(4) == _OLE:
        raise CannotStart("this is a workbook of the old form, or one with a password; save it as .xlsx without one")
    try:
        with zipfile.ZipFile(stream) as packed:
            parts = packed.infolist()
            if not any(part.filename.lower().endswith("workbook.xml") for part in parts):
                raise CannotStart("this is no XLSX workbook: there is no workbook.xml in it")
            for part in parts:
                _checked_part(packed, part)
            if sum(part.file_size for part in parts) > _MOST_SHEETS:
                raise CannotStart(f"the workbook unpacks to more than {_MOST_SHEETS:,} bytes: it is refused")
    except CannotStart:
        raise
    except Exception as error:  # damaged in one of many ways
        raise CannotStart(f"this is no XLSX workbook, or a damaged one ({type(error).__name__})") from None


def _checked_part(packed: zipfile.ZipFile, part: zipfile.ZipInfo) -> None:
    name = part.filename
    if part.file_size > _MOST_HELD and "worksheets/" not in name:
        raise CannotStart(f"{name} in the workbook unpacks to {part.file_size:,} bytes: it is refused")
    if part.file_size > MOST_UNPACKED and part.file_size > MOST_FOLD * max(part.compress_size, 1):
        raise CannotStart(f"{name} in the workbook grows more than {MOST_FOLD}-fold when unpacked: it is refused")
    if name.endswith((".xml", ".rels")):
        with packed.open(part) as text:
            _without_doctype(text, name)


class _Enough(Exception):
    """The first element has begun."""


def _without_doctype(text: Any, name: str) -> None:
    """Refuse a document type, with which entities come: no program writes one."""

    def refuse(*told: object) -> None:
        raise CannotStart(f"{name} in the workbook has a document type: it is refused")

    def enough(*told: object) -> None:
        raise _Enough

    parser = expat.ParserCreate()
    parser.StartDoctypeDeclHandler = refuse
    parser.StartElementHandler = enough
    try:
        while piece := text.read(_PIECE):
            parser.Parse(piece)
    except _Enough:
        pass


def has_formulas(book: Workbook, sheet: Any) -> bool:
    """Whether there is a formula in a sheet: looked for in its text, which takes far less than reading its cells."""
    end = b""
    with book._archive.open(sheet._worksheet_path) as text:
        while piece := text.read(_PIECE):
            if _FORMULA.search(end + piece):
                return True
            end = piece[-80:]
    return False


def rows_of(sheet: Any, first: int, width: int | None = None) -> Iterator[tuple[int, tuple[Any, ...]]]:
    """The rows of a sheet from one on, each with its number and its cells: up to its last, or all up to a column.

    Raises BrokenOff where the sheet is damaged, behind the rows that can be read.
    """
    sheet.reset_dimensions()  # what a sheet says of its size need not be so
    rows = sheet.iter_rows(min_row=first, max_row=MOST_ROWS, max_col=width)
    number = first
    before: object = None
    while True:
        batch: list[tuple[Any, ...]] = []
        damage = ""
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # dates past the calendar, which are told as faults
                batch.extend(islice(rows, _BATCH))
        except Exception as error:  # whatever openpyxl meets in what is damaged
            damage = type(error).__name__
        for row in batch:
            if row is not before:  # rows that are left out in the file are all one object
                yield number, row
            before = row
            number += 1
        if damage:
            raise BrokenOff(f"the sheet {sheet.title!r} cannot be read behind row {number - 1} ({damage})")
        if not batch:
            return


def letters_of(column: int) -> str:
    """The letters of a column, from 1: A, B, ... Z, AA."""
    letters = ""
    while column:
        column, rest = divmod(column - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def cell_name(sheet: str, row: int, column: int = 0) -> str:
    """A cell as spreadsheets call it: Manifest!C14, 'May 2026'!C14; without a column, the row alone."""
    quoted = sheet if re.fullmatch(r"[A-Za-z_]\w*", sheet, re.ASCII) else "'" + sheet.replace("'", "''") + "'"
    return f"{quoted}!{letters_of(column)}{row}"


__all__ = ["cell_name", "has_formulas", "opened_workbook", "rows_of"]
