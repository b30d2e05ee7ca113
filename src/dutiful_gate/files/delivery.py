"""Deliveries of many records, whatever their form: one item a record, streamed where the form can be."""

from __future__ import annotations

import os
from collections.abc import Callable, Generator
from typing import Any, BinaryIO, TypeVar

from ..declare.answers import answers_here
from ..declare.json_pointer import below, steps_of
from ..declare.sources import Source
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.reading import gate_reading
from ..read.decoded_text import text_of
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.place import Place
from ..report.verdict import Verdict, refusal, relisted
from . import csv_rows, json_file, ndjson
from .cells import cell_of, known_names, record_of, text_names
from .item import Item
from .opened import BrokenOff, CannotStart, Form, form_of, opened
from .table_layout import TableLayout
from .tally import Tally
from .windows import in_windows

T = TypeVar("T")
Told = Callable[[int, int], Any]
_BY_RECORD = ("ndjson", "csv", "tsv", "xlsx")
"""The forms that are read record by record."""


def examine_file(
    gate: AnyGate[T],
    path: str | os.PathLike[str],
    *,
    form: Form | None = None,
    select: str = "",
    layout: TableLayout | None = None,
) -> Generator[Item[T], None, None]:
    """Examine the records of a file, one `Item` each, in order; `-` is standard input.

    NDJSON, CSV, TSV, XLSX and Parquet are read as they come, in memory for a few records; JSON, YAML and TOML whole:
    the items of a list, or the one record that there is. What is gzipped is unpacked. A gate for `Source.JSON` serves
    for all: cells of CSV are read as text, and workbooks, Parquet, YAML and TOML as half-typed data.

    `form`    "json", "ndjson", "csv", "tsv", "xlsx", "parquet", "yaml" or "toml", where the name's ending tells none
    `select`  a JSON Pointer to the list, where it stands inside of a document
    `layout`  what is said of a sheet or of CSV: see `TableLayout`

    Raises CannotStart for a file that cannot be read at all, BrokenOff where it breaks off.
    """
    told = form or form_of(os.fspath(path))
    if told is None:
        raise CannotStart(f'{os.fspath(path)!r} tells no form by its ending; say which, as in form="csv"')
    with opened(path) as stream:
        yield from examine_stream(gate, stream, told, select=select, layout=layout)


def examine_stream(
    gate: AnyGate[T],
    stream: BinaryIO,
    form: Form,
    *,
    select: str = "",
    layout: TableLayout | None = None,
    told: Told | None = None,
    above: Callable[[bytes], Any] | None = None,
    beside: Callable[[list[str]], Any] | None = None,
) -> Generator[Item[T], None, None]:
    """The same of a stream of bytes.

    `above` is called with what stands above the records, before the first; `beside` with the names of the sheets of a
    workbook that are not looked at.
    """
    if select and form in ("ndjson", "csv", "tsv", "xlsx", "parquet"):
        raise CannotStart(f"select= finds a list inside of a document; {form} has none")
    if form in _BY_RECORD:

        def read(part: BinaryIO, /, *, counts: bool) -> Generator[Item[T], None, None]:
            return _by_record(gate, part, form, layout or TableLayout(), *((above, beside) if counts else (None, None)))

        together = gate.asks_elsewhere and answers_here() is None and (form != "xlsx" or stream.seekable())
        return in_windows(gate, stream, read) if together else read(stream, counts=True)
    if above is not None:
        above(b"")
    if form == "parquet":
        return _parquet().items(gate, stream)  # type: ignore[no-any-return]
    raw = _whole(stream, gate)
    if form == "json":
        return _json_items(gate_reading(gate, Source.JSON), raw, select, told)
    return _typed_items(gate_reading(gate, Source.MIXED), raw, form, select)


def _by_record(
    gate: AnyGate[T],
    stream: BinaryIO,
    form: Form,
    layout: TableLayout,
    above: Callable[[bytes], Any] | None,
    beside: Callable[[list[str]], Any] | None,
) -> Generator[Item[T], None, None]:
    if form == "xlsx":
        from .xlsx_rows import items

        return items(gate, stream, layout, above, beside)
    if form == "ndjson":
        if above is not None:
            above(b"")
        return ndjson.items(gate_reading(gate, Source.JSON), stream)
    return csv_items(gate, stream, layout, tabs=form == "tsv", above=above)


def take_parquet(gate: AnyGate[Any], stream: BinaryIO, tally: Tally, tell: Told | None) -> None:
    """Take all rows of a Parquet file into a tally, by column where that settles them: there are no items then."""
    _parquet().take_all(gate, stream, tally, tell or (lambda done, of: None))


def _parquet() -> Any:
    try:
        from . import parquet_rows
    except ImportError:
        raise CannotStart("Parquet needs the package pyarrow: pip install 'dutiful-gate[parquet]'") from None
    return parquet_rows


def csv_items(
    gate: AnyGate[T],
    stream: BinaryIO,
    layout: TableLayout,
    *,
    tabs: bool,
    above: Callable[[bytes], Any] | None = None,
) -> Generator[Item[T], None, None]:
    """The rows of a CSV file, examined."""
    reading = gate_reading(gate, Source.TEXT)
    known = known_names(reading)
    rows = csv_rows.CsvRows(stream, layout, known, gate.limits.bytes, tabs=tabs)
    named = record_of(reading) if not isinstance(reading, DocumentGate) else None
    if named is not None and not (named.rests or named.documents or reading.shape.root.documents):
        rows.asked = known
    if above is not None:
        above(rows.above)
    cell = cell_of(reading, decimal_comma=layout.decimal_comma, dates=layout.dates)
    if not layout.shortened:
        rows.texts = text_names(reading)
    record = None if cell is None else csv_rows.recorder(rows, cell)
    if record is not None and isinstance(reading, DocumentGate):
        record = _without_blanks(record)
    try:
        yield from csv_rows.items(reading, rows, record)
    finally:
        rows.detach()


def _without_blanks(record: Callable[[list[str]], dict[Any, Any]]) -> Callable[[list[str]], dict[Any, Any]]:
    """A record for a document, to which what is blank, or was not there, is absent."""

    def made(cells: list[str]) -> dict[Any, Any]:
        whole = record(cells)
        whole.pop(None, None)
        return {name: held for name, held in whole.items() if held != ""}

    return made


def _whole(stream: BinaryIO, gate: AnyGate[Any]) -> bytes:
    most = json_file.FILE_LIMITS.bytes
    try:
        raw = stream.read(most + 1)
    except BrokenOff as error:
        raise CannotStart(str(error)) from None
    if len(raw) > most:
        raise CannotStart(f"a document of more than {most:,} bytes; NDJSON and CSV are read piece by piece")
    return raw


def _json_items(gate: AnyGate[T], raw: bytes, select: str, told: Told | None) -> Generator[Item[T], None, None]:
    if select:
        start: Path = tuple(steps_of(select))
        for number, verdict in enumerate(gate.examine_each_json(raw, select), 1):
            yield Item(number, _numbered(verdict, number), at=(*start, number - 1))
        return
    examined = json_file.examine_whole(gate, raw, told=told)
    if examined.broken:
        yield Item(0, refusal(examined.broken))
    stood = json_file.ItemTexts(raw) if examined.listed else raw
    for number, verdict in enumerate(examined.verdicts, 1):
        if examined.listed:
            yield Item(number, _numbered(_within(verdict, 1), number), stood, at=(number - 1,))
        else:
            yield Item(number, _numbered(verdict, number), stood, 1)


def _within(verdict: Verdict[T], steps: int) -> Verdict[T]:
    """A verdict whose paths begin at the record, and not at the file."""

    def cut(pointer: str) -> str:
        return "".join(f"/{step}" for step in pointer.split("/")[1 + steps :])

    if verdict and not (verdict.dropped or verdict.fallbacks or verdict.unjudged):
        return verdict
    return relisted(
        verdict,
        [fault.within(steps) for fault in verdict.faults],
        [path[steps:] for path in verdict.dropped],
        [fault.within(steps) for fault in verdict.fallbacks],
        tuple(map(cut, verdict.unjudged)),
    )


def _numbered(verdict: Verdict[T], number: int) -> Verdict[T]:
    """A verdict whose places have the number of the record."""
    if verdict:
        return verdict
    return relisted(verdict, [fault.at(_with_row(fault.place, number)) for fault in verdict.faults])


def _with_row(place: Place | None, number: int) -> Place:
    return Place(0, 0, row=number) if place is None else place.replace(row=number)


def _typed_items(gate: AnyGate[T], raw: bytes, form: Form, select: str) -> Generator[Item[T], None, None]:
    """The records of a YAML or TOML text."""
    text = text_of(raw)
    if isinstance(text, Fault):
        yield Item(0, refusal([text]))
        return
    if form == "toml":
        from ..read.toml_text import TomlText

        read: Any = TomlText(text, gate.limits, exact=gate.shape.exact)
    else:
        from ..read.yaml_text import YamlText

        read = YamlText(text, gate.limits, exact=gate.shape.exact)
    if read.broken:
        yield Item(0, refusal(read.broken))
        return
    path: Path = ()
    held = read.value
    for step in steps_of(select):
        found = below(held, step)
        if found is None:
            raise CannotStart(f"there is nothing at {select} in it")
        path, held = (*path, found[0]), found[1]
    listed = isinstance(held, list) and not gate.takes_list
    if select and not listed:
        cause = Cause("kind", "a list of items", got="something else")
        yield Item(0, refusal([Fault((), cause, None, None, read.place(path))]))
        return
    for number, verdict in enumerate(gate.examine_each(held if listed else [held]), 1):
        start = (*path, number - 1) if listed else path
        if not verdict:
            faults = [
                fault.at(_with_row(read.place((*start, *fault.path), of_key=fault.of_key), number))
                for fault in verdict.faults
            ]
            verdict = relisted(verdict, faults)
        yield Item(number, verdict, at=start)


__all__ = ["BrokenOff", "CannotStart", "Form", "Item", "TableLayout", "examine_file", "examine_stream", "form_of"]
