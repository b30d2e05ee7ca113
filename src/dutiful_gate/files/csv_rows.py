"""CSV and TSV, row by row: each a record by its headings, with the bytes it stood in."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Generator, Iterator, Sequence
from contextlib import suppress
from typing import Any, BinaryIO, Final, TypeVar

from ..declare.facts import UNSURE, Stop
from ..declare.phrases import Phrase
from ..gates.base import AnyGate
from ..gates.typed import Gate
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.place import Place
from ..report.verdict import Verdict, refusal, relisted
from .cells import is_shortened, shortened
from .item import Item
from .opened import BrokenOff, CannotStart
from .table_layout import (
    LOOKED_AT,
    TableLayout,
    checked_headings,
    encoding_of,
    header_of,
    quote_of,
    said_separator,
    separator_of,
    split_lines,
)

T = TypeVar("T")
Row = dict[Any, Any]
_MOST_LINES: Final = 10_000
"""So many lines one row may have: a quote that is never closed would take in the rest of the file."""
_SEEN: Final = 100_000
"""So much of a line is looked at for the layout."""
_READ_AGAIN: Final = 1_000_000
"""So many lines may be read again behind quotes that are never closed, and as many as were read once."""


class _NeverClosed(Exception):
    """A quoted cell goes on and on."""


class CsvRows:
    """The rows of one stream. Raises CannotStart for what has no headings that can be used."""

    def __init__(self, stream: BinaryIO, layout: TableLayout, known: frozenset[str], most: int, *, tabs: bool) -> None:
        self.most = most
        self.texts: dict[str, bool] = {}
        """The fields in which text that looks like a shortened number is a fault, and whether it may be shown."""
        self.asked: frozenset[str] | None = None
        """The names that the gate asks for, where others mean nothing to it: a short row lacks those alone."""
        start = getattr(stream, "peek", lambda count: b"")(4)
        self.encoding = encoding_of(bytes(start[:4]), layout.encoding)
        self.mark, self._codec = _as_written(bytes(start[:4]), self.encoding)
        try:
            self._text = io.TextIOWrapper(stream, self.encoding, errors=self._errors, newline="")
        except LookupError:
            raise CannotStart(f"{self.encoding!r} is no encoding; as in utf-8, latin-1 or utf-16") from None
        self.line = 0
        self._read_again = 0
        self.kept: list[str] = []
        self._again: list[str] = []
        try:
            self._settle(layout, known, tabs=tabs)
        except BaseException:
            self.detach()
            raise

    @property
    def _errors(self) -> str:
        # What is no UTF-8 is kept as it is, and told where it stands.
        return "surrogateescape" if self.encoding.startswith("utf-8") else "strict"

    def _settle(self, layout: TableLayout, known: frozenset[str], *, tabs: bool) -> None:
        """Find what was not said, and read the headings."""
        first = self._first_lines()
        self._again = first
        self.line = 0
        separator = layout.separator or ("\t" if tabs else "")
        self._said = ""
        if first and (told := said_separator(first[0])):
            self.line += 1
            self._said = first.pop(0)
            separator = layout.separator or told
        seen = [line[:_SEEN] for line in first]
        self.separator = separator or separator_of(seen, known)
        if len(self.separator) != 1:
            raise CannotStart(f"{self.separator!r} is no separator: it is one sign, such as , or ;")
        self.quote = layout.quote or quote_of(seen)
        if len(self.quote) != 1 or self.quote in (self.separator, "\n", "\r"):
            raise CannotStart(f"{self.quote!r} cannot stand around cells: it is one sign, such as \" or '")
        above = (
            layout.header_line - 1 - self.line
            if layout.header_line
            else header_of(split_lines(seen, self.separator, self.quote), known)
        )
        for _ in range(max(above, 0)):
            self._next_line()
        self.header_line = self.line + 1
        self._reader = self._new_reader()
        try:
            headings = next(self._reader, None)
        except (csv.Error, _NeverClosed):
            headings = None
        if not headings:
            raise CannotStart("there are no headings: the file is empty, or ends before them")
        self.headings = checked_headings(headings, self.header_line)
        self.header = "".join(self.kept)
        self.names = layout.named(self.headings)
        self.column = {name: at for at, name in reversed([*enumerate(self.names)])}
        """Where the column of each name stands, from 0."""
        self.line += len(self.kept)
        self.kept.clear()

    def _first_lines(self) -> list[str]:
        """The lines in which the layout is looked for: some, or fewer where they are very long."""
        first: list[str] = []
        size = 0
        while len(first) < LOOKED_AT and size < self.most and (line := self._next_line()):
            first.append(line)
            size += len(line)
        return first

    def _new_reader(self) -> Iterator[list[str]]:
        return csv.reader(self._lines(), delimiter=self.separator, quotechar=self.quote, strict=True)

    def _next_line(self) -> str:
        line = self._piece()
        self.line += bool(line)
        return line

    def _piece(self) -> str:
        return self._again.pop(0) if self._again else self._text.readline(self.most)

    def detach(self) -> None:
        """Let go of the stream, which is somebody else's to close."""
        with suppress(ValueError):  # it is closed already
            self._text.detach()

    def _lines(self) -> Iterator[str]:
        """The lines that follow, each kept until its row is done."""
        again, kept, readline, most = self._again, self.kept, self._text.readline, self.most
        size = 0
        while line := again.pop(0) if again else readline(most):
            kept.append(line)
            size = size + len(line) if len(kept) > 1 else 0
            if size > most or len(kept) > _MOST_LINES:
                raise _NeverClosed
            yield line

    def taken(self) -> tuple[int, str]:
        """The line that the row begins in which was just read, and its text."""
        kept = self.kept
        line, text = self.line + 1, kept[0] if len(kept) == 1 else "".join(kept)
        self.line += len(kept)
        kept.clear()
        return line, text

    def told_apart(self, error: Exception) -> Cause:
        """Why the cells of a row cannot be told apart; its first line alone is taken, and what follows is read on."""
        if isinstance(error, UnicodeError):
            raise BrokenOff(f"line {self.line + 1} or one soon after it is no text in {self.encoding}") from None
        if isinstance(error, _NeverClosed):
            return self._first_line_only(Cause("reading", "a quoted cell that is closed", got="one that is not"))
        return self._first_line_only(_of_csv(error))

    def cut(self) -> Cause:
        """Pass over the rest of a line that is too long."""
        while (more := self._piece()) and more[-1] not in "\r\n":
            pass
        return Cause("size", "a line of at most {most} characters", {"most": self.most}, got="more")

    def _first_line_only(self, cause: Cause) -> Cause:
        """Take the first line of a row whose cells cannot be told apart, and read on behind it."""
        self._read_again += len(self.kept) - 1
        if self._read_again > _READ_AGAIN + self.line:
            raise BrokenOff(f"line {self.line + 1} is one of many with a quote that is never closed; see --quote")
        self._again[:0] = self.kept[1:]
        del self.kept[1:]
        self._reader = self._new_reader()
        return cause

    @property
    def reader(self) -> Iterator[list[str]]:
        """What splits the lines that follow into cells."""
        return self._reader

    def raw(self, text: str) -> bytes:
        """The bytes that a row stood in."""
        return text.encode(self._codec, self._errors)

    @property
    def above(self) -> bytes:
        """The bytes of the headings, with the mark that the file begins with, and what says the separator."""
        return self.mark + self.raw(self._said + self.header)


def _as_written(start: bytes, encoding: str) -> tuple[bytes, str]:
    """The byte-order mark that a text begins with, and the codec that writes it as it came."""
    for mark, codec in ((b"\xef\xbb\xbf", "utf-8"), (b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if start.startswith(mark) and encoding.replace("-sig", "").startswith(codec[:6]):
            return mark, codec
    return b"", {"utf-8-sig": "utf-8"}.get(encoding, encoding)


def _of_csv(error: Exception) -> Cause:
    words = str(error)
    if "field larger" in words:
        return Cause("size", "cells of at most {most} characters", {"most": csv.field_size_limit()}, got="more")
    return Cause("reading", "cells that can be told apart", got="a quote in the middle of one")


def items(gate: AnyGate[T], rows: CsvRows, record: Callable[[list[str]], Row] | None) -> Generator[Item[T], None, None]:
    """Each row of a file, examined; `record` makes a record of its cells, where that takes more than their names."""
    engine, encode, taken, kept = gate._engine, rows.raw, rows.taken, rows.kept
    texts = rows.texts
    names, count, most = rows.names, len(rows.names), rows.most
    whole = record or recorder(rows, None)
    number, done = 0, False
    natively = gate._engine.rows_reader(names) if record is None and isinstance(gate, Gate) else None
    while not done:
        try:
            for cells in rows.reader:
                if len(kept) == 1:  # as `taken` does it, without a call for each row
                    text = kept.pop()
                    rows.line = line = rows.line + 1
                else:
                    line, text = taken()
                if len(text) >= most and text[-1] not in "\r\n":
                    number += 1
                    yield _refused(number, rows.cut(), text, line, encode, is_whole=False)
                    continue
                if not cells or (not cells[0] and not any(cells)):
                    continue  # a blank line, or separators alone, as spreadsheets leave them at the end
                number += 1
                usual = record is None and len(cells) == count
                by_cells = usual and natively is not None
                value: Any = natively(cells) if by_cells else UNSURE  # type: ignore[misc]
                if (sound := value.__class__ is not Stop) and text.isascii() and not (texts and "E+" in text):
                    yield Item(number, None, text, line, encode, value)
                    continue
                data = dict(zip(names, cells)) if usual else whole(cells)  # noqa: B905 - they are as many
                if not sound and not by_cells:  # what was in doubt once is not asked again
                    value = engine.sound_and_known(data)
                    sound = value.__class__ is not Stop
                if sound and text.isascii() and len(cells) <= count and not (texts and "E+" in text):
                    yield Item(number, None, text, line, encode, value)
                else:
                    verdict = gate.examine(data) if sound else gate._examined(data)
                    verdict = _told(verdict, rows, data, text, cells, line, number)
                    yield Item(number, verdict, text, line, encode)
            done = True
        except (csv.Error, _NeverClosed, UnicodeError) as error:
            cause = rows.told_apart(error)
            line, text = taken()
            number += 1
            whole_line = len(text) < most or text[-1] in "\r\n"
            yield _refused(number, cause if whole_line else rows.cut(), text, line, encode, is_whole=whole_line)


def _refused(
    number: int, cause: Cause, text: str, line: int, encode: Callable[[str], bytes], *, is_whole: bool = True
) -> Item[Any]:
    verdict = refusal([Fault((), cause, None, None, Place(line, 1, row=number))])
    return Item(number, verdict, text, line, encode, is_whole=is_whole)


def _told(
    verdict: Verdict[T], rows: CsvRows, data: Row, text: str, cells: Sequence[str], line: int, number: int
) -> Verdict[T]:
    """The verdict on a row of which there is something to say, or may be."""
    if not verdict:
        verdict = relisted(verdict, _placed(verdict.faults, rows, text, cells, line, number))
    told = [] if text.isascii() else _no_text(rows, text, cells, line, number)
    if rows.texts and "E+" in text:
        told += _placed(_shortened(rows, cells), rows, text, cells, line, number)
    most = len(rows.names)
    if None not in data and any(cells[most:]):
        cause = Cause("count", "at most {most} cells in a row", {"most": most}, got="more")
        told.append(Fault((), cause, None, None, Place(line, 0, row=number)))
    if not told:
        return verdict
    paths = {fault.path for fault in told}
    others = [fault for fault in verdict.faults if fault.path not in paths]
    return relisted(verdict, sorted([*told, *others], key=_in_order))


def _placed(
    faults: Sequence[Fault], rows: CsvRows, text: str, cells: Sequence[str], line: int, number: int
) -> list[Fault]:
    """Faults with the place of their cells."""
    starts = cell_starts(text, rows.separator, rows.quote)
    placed = []
    for fault in faults:
        step = fault.path[0] if fault.path else None
        at = rows.column.get(step, -1) if isinstance(step, str) else -1
        if 0 <= at < len(starts):
            down, column = starts[at]
            place = Place(line + down, column, row=number, heading=rows.headings[at])
        else:
            place = Place(line, 0, row=number, heading=rows.headings[at] if at >= 0 else "")
        placed.append(fault.at(place))
    return placed


def _no_text(rows: CsvRows, text: str, cells: Sequence[str], line: int, number: int) -> list[Fault]:
    """What is said of the cells that are no UTF-8."""
    try:
        text.encode()
    except UnicodeEncodeError:
        pass
    else:
        return []
    found = []
    for name, cell in zip(rows.names, cells, strict=False):
        if bad := next((ord(sign) - 0xDC00 for sign in cell if "\udc80" <= sign <= "\udcff"), 0):
            found.append(
                Fault((name,), Cause("reading", "text in UTF-8", got=Phrase("the byte {byte}", byte=f"0x{bad:02X}")))
            )
    return _placed(found, rows, text, cells, line, number)


def _shortened(rows: CsvRows, cells: Sequence[str]) -> list[Fault]:
    """What is said of text cells that hold a number as spreadsheets shorten it."""
    return [
        shortened(name, cell, rows.texts)
        for name, cell in zip(rows.names, cells, strict=False)
        if name in rows.texts and is_shortened(cell)
    ]


def _in_order(fault: Fault) -> tuple[int, int]:
    return (fault.place.line, fault.place.column) if fault.place is not None else (0, 0)


def cell_starts(text: str, separator: str, quote: str = '"') -> list[tuple[int, int]]:
    """Where the cells of a row begin: the lines below its first one, and the column from 1."""
    starts = [(0, 1)]
    down, begin, at, quoted, fresh = 0, 0, 0, False, True
    while at < len(text):
        sign = text[at]
        if quoted:
            if sign == quote:
                if text[at + 1 : at + 2] == quote:
                    at += 1
                else:
                    quoted = False
        elif sign == quote and fresh:
            quoted = True
        elif sign == separator:
            starts.append((down, at + 2 - begin))
        fresh = sign == separator and not quoted
        if sign == "\n" or (sign == "\r" and text[at + 1 : at + 2] != "\n"):
            down, begin = down + 1, at + 1
        at += 1
    return starts


def recorder(rows: CsvRows, cell: Callable[[str, str], Any] | None) -> Callable[[list[str]], Row]:
    """What makes a record of cells: short rows have None in their last fields, long ones the rest under None."""
    names, count = rows.names, len(rows.names)
    lacked = None if rows.asked is None else [(rows.column[name], name) for name in rows.asked if name in rows.column]

    def record(cells: list[str]) -> Row:
        if cell is not None:
            cells = [*map(cell, names, cells), *cells[count:]]
        made: Row = dict(zip(names, cells, strict=False))
        if len(cells) != count:
            if len(cells) < count:
                end = len(cells)
                more = names[end:] if lacked is None else [name for at, name in lacked if at >= end]
                made.update(dict.fromkeys(more))
            elif any(cells[count:]):
                made[None] = cells[count:]
        return made

    return record


__all__ = ["CsvRows", "cell_starts", "items", "recorder"]
