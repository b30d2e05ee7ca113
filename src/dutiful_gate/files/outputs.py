"""What the records of a split are written to: files that grow, and get their names at the end."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Final, Protocol

from ..gates.base import AnyGate
from ..gates.typed import Gate
from ..shape.shape import Field
from .cells import record_of
from .growing_file import GrowingFile
from .opened import CannotStart, Form, form_of


class Output(Protocol):
    """Where records go. What its `state` tells is enough to go on from there.

    Its methods raise CannotStart where it cannot be begun, OSError where it cannot be written any more.
    """

    def taken(self) -> list[Path]:
        """The files that are there already under names that it would give."""

    def parts(self) -> list[Path]:
        """The files that a run which was begun there would have left."""

    def path(self) -> Path:
        """The name that it was asked for."""

    def open(self, state: int | None) -> None:
        """Begin, or go on from a state. Raises CannotStart where less is there than a state tells."""

    def head(self, header: bytes) -> None:
        """Write what stands above all records, where the form has that."""

    def write(self, encoded: Any) -> None:
        """Write one record."""

    def state(self, *, complete: bool) -> int | None:
        """How far it is, once that has reached the disk; None where it cannot be told until it is complete."""

    def close(self) -> None:
        """Let go of what is open."""

    def finish(self, state: int) -> list[Path]:
        """Give what is complete its name, also where that was begun before: the names given, in order."""


def of_admitted(
    gate: AnyGate[Any], path: Path, *, formulas_as_text: bool = False
) -> tuple[Output, Callable[[Any], Any]]:
    """Where admitted records go, by the ending of a name, and what is written for one. Raises CannotStart.

    With `formulas_as_text`, text in CSV that spreadsheets would compute begins with an apostrophe.
    """
    form = form_of(path.name)
    if form == "ndjson":
        return GrowingFile(path), _JsonLine(gate)
    if path.suffix.lower() == ".parquet":
        from .parquet_parts import ParquetParts, PlainRecord

        columns_of(gate)
        return ParquetParts(path, gate), PlainRecord(gate)
    if form not in ("csv", "tsv"):
        raise CannotStart(
            f"{str(path)!r} tells no form for admitted records; end it in .ndjson, .csv, .tsv or .parquet"
        )
    names = [field.wire for field in columns_of(gate)]
    assert isinstance(gate, Gate)
    line = _CsvLine(gate, names, "\t" if form == "tsv" else ",", formulas_as_text)
    return GrowingFile(path, header=line.headings()), line


def columns_of(gate: AnyGate[Any]) -> list[Field]:
    """The fields that are columns where records are rows. Raises CannotStart where they would not hold all of them."""
    record = record_of(gate) if isinstance(gate, Gate) else None
    if record is None:
        raise CannotStart("columns are made of records that are declared, and this gate reads none; write .ndjson")
    if record.rests:
        raise CannotStart(
            f"{record.name} gathers keys that nobody declared, and columns would lose them; write .ndjson"
        )
    return [*record.fields, *record.computed]


def of_refused(path: Path, source: str, form: Form) -> Output:
    """Where the originals of refused records go, in the form of their delivery. Raises CannotStart."""
    if form == "json":
        return GrowingFile(path, header=b"[\n", between=b",\n", footer=b"\n]\n")
    if form == "xlsx":
        if path.suffix.lower() != ".xlsx":
            raise CannotStart(f"{str(path)!r}: what is refused of a workbook goes into a workbook; end it in .xlsx")
        from .refused_sheet import RefusedSheet

        return RefusedSheet(path, source)
    if form == "parquet" and form_of(path.name) != "ndjson":
        raise CannotStart(f"{str(path)!r}: what is refused of a Parquet file is written as JSON; end it in .ndjson")
    return GrowingFile(path)


class _JsonLine:
    """A record as a line of JSON."""

    def __init__(self, gate: AnyGate[Any]) -> None:
        self._gate = gate

    def __call__(self, value: Any) -> bytes:
        if isinstance(self._gate, Gate):
            return self._gate.release_admitted_json(value, secrets=True) + b"\n"
        from ..engine.json_out import json_bytes

        return json_bytes(value) + b"\n"


class _CsvLine:
    """A record as a row of CSV."""

    def __init__(self, gate: Gate[Any], names: list[str], separator: str, formulas_as_text: bool) -> None:
        self._gate = gate
        self._names = names
        self._separator = separator
        self._as_text = _never_computed if formulas_as_text else _as_it_is

    def headings(self) -> bytes:
        """The row above all."""
        return csv_row(list(map(self._as_text, self._names)), self._separator)

    def __call__(self, value: Any) -> bytes:
        plain = self._gate.release_admitted(value, secrets=True)
        return csv_row([self._cell(plain.get(name)) for name in self._names], self._separator)

    def _cell(self, plain: Any) -> str:
        return self._as_text(plain) if isinstance(plain, str) else _cell(plain)


def _as_it_is(text: str) -> str:
    return text


def _never_computed(text: str) -> str:
    """Text that no spreadsheet takes for a formula: those begin with one of a few signs, be there blanks before it."""
    return f"'{text}" if text.lstrip()[:1] in _BEGINS_FORMULA or text[:1] in _BEGINS_FORMULA else text


_BEGINS_FORMULA: Final = ("=", "+", "-", "@", "\t", "\r", "\n", "\uff1d", "\uff0b", "\uff0d", "\uff20")


def csv_row(cells: Sequence[str], separator: str = ",") -> bytes:
    """Some cells as a row of CSV."""
    buffer = io.StringIO(newline="")
    csv.writer(buffer, delimiter=separator, lineterminator="\n").writerow(cells)
    return buffer.getvalue().encode("utf-8", "backslashreplace")


def _cell(plain: Any) -> str:
    if plain is None:
        return ""
    if isinstance(plain, bool):
        return str(plain).lower()
    return plain if isinstance(plain, str) else json.dumps(plain, ensure_ascii=False, default=str)
