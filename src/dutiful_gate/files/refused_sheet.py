"""The refused rows of a sheet as a workbook of their own: headings, values and number formats as they were."""

from __future__ import annotations

import os
import re
import tempfile
import zipfile
from pathlib import Path
from typing import IO, Any, Final

from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.formula.translate import Translator

from ..safe_files.own_files import made_anew, opened_again
from .growing_file import GrowingFile, named, part_of
from .opened import opened
from .workbook import letters_of, opened_workbook, rows_of, seekable

_ALWAYS: Final = (1980, 1, 1, 0, 0, 0)
_WHEN: Final = b"2000-01-01T00:00:00Z"
_MODIFIED: Final = re.compile(rb"(<dcterms:(?:created|modified)[^>]*>)[^<]*")
"""What a workbook tells of when it was made: one moment always, so that a resumed run ends with the same bytes."""


class RefusedSheet(GrowingFile):
    """Keeps the numbers of the refused rows; at the end they are copied out of the delivery, which is read again."""

    def __init__(self, path: Path, source: str) -> None:
        super().__init__(path)
        self._source = source

    def head(self, header: bytes) -> None:
        """What the rows are of: the sheet and the row of its headings, as the delivery tells them."""
        self._opened.write(header)

    def finish(self, state: int) -> list[Path]:
        """See `Output`."""
        self.close()
        part = part_of(self._path)
        if part.exists():
            with opened_again(part) as told:
                sheet, first, *rows = told.read().decode().splitlines()
            made = part.with_name(part.name + ".made")
            made.unlink(missing_ok=True)  # of a run that was interrupted here
            _copy(self._source, sheet, [int(first), *map(int, rows)], made)
            named(made, self._path)
            part.unlink()
        return [self._path]


def _copy(source: str, name: str, numbers: list[int], target: Path) -> None:
    """Copy rows of a sheet into a workbook of one sheet; a formula without a stored value comes along as a formula."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet(name)
    wanted = set(numbers)
    last, row = max(wanted), 0
    with (
        opened(source) as stream,
        seekable(stream) as held,
        opened_workbook(held) as values,
        opened_workbook(held, stored=False) as written,
    ):
        book.epoch = values.epoch
        both = zip(rows_of(values[name], 1), rows_of(written[name], 1), strict=False)
        for (number, cells), (_, as_written) in both:
            if number in wanted:
                row += 1
                end = max((at for at, cell in enumerate(as_written, 1) if cell.value is not None), default=0)
                sheet.append([_cell(sheet, *pair, row) for pair in zip(cells[:end], as_written[:end], strict=True)])
            if number >= last:
                break
    with tempfile.TemporaryFile() as plain, made_anew(target) as made:
        book.save(plain)
        plain.seek(0)
        _repacked(plain, made)
        made.flush()
        os.fsync(made.fileno())


def _cell(sheet: Any, cell: Any, as_written: Any, row: int) -> Any:
    """A copy of a cell for a row of the new sheet."""
    value = cell.value
    if value is None and as_written.value is None:
        return None
    if value is None:
        value = _moved(as_written, row)
    made = WriteOnlyCell(sheet, value=value)
    made.number_format = cell.number_format
    if isinstance(value, str) and as_written.data_type != "f":
        made.data_type = cell.data_type  # text that begins with = is no formula, nor is #N/A in text an error
    return made


def _moved(cell: Any, row: int) -> str:
    """The formula of a cell for another row; as it is written where it looks at rows that are not there."""
    formula = str(getattr(cell.value, "text", cell.value))
    column = letters_of(cell.column)
    try:
        return str(Translator(formula, f"{column}{cell.row}").translate_formula(f"{column}{row}"))
    except Exception:  # of rows above the first, and of whatever else may stand in a formula
        return formula


def _repacked(source: IO[bytes], target: IO[bytes]) -> None:
    """The same archive without the moment at which it was packed."""
    with zipfile.ZipFile(source) as came, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as made:
        for part in came.infolist():
            held = came.read(part)
            if part.filename == "docProps/core.xml":
                held = _MODIFIED.sub(rb"\g<1>" + _WHEN, held)
            made.writestr(zipfile.ZipInfo(part.filename, _ALWAYS), held, zipfile.ZIP_DEFLATED)
