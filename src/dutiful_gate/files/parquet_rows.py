"""Parquet files as deliveries: by column where only their digest is asked for, else row by row."""

from __future__ import annotations

import io
import json
from collections.abc import Callable, Generator
from typing import Any, BinaryIO, TypeVar

from ..gates.base import AnyGate
from ..report.place import Place
from ..report.verdict import Verdict, relisted
from ..tables.cells import Cells
from ..tables.examine import PIECE, TableReader
from ..tables.parquet import ParquetRows
from .item import Item
from .tally import Listed, Tally

T = TypeVar("T")


def _rows_of(stream: BinaryIO) -> ParquetRows:
    """The rows of a stream, which is held in memory where one cannot go back in it."""
    return ParquetRows(stream if stream.seekable() else io.BytesIO(stream.read()))


def take_all(gate: AnyGate[Any], stream: BinaryIO, tally: Tally, tell: Callable[[int, int], Any]) -> None:
    """Take all rows of a file into a tally, by column where that settles them. Raises CannotStart, BrokenOff."""
    rows = _rows_of(stream)
    reader = TableReader(gate, source=tally.name, listing=tally.most)
    for batch in reader.examined(rows.pieces(PIECE), rows.names, 1):
        tally.digest.merge(batch.digest)
        tally.dropped |= batch.dropped
        tally.fallbacks += len(batch.fallbacks)
        left = tally.most - len(tally.fallback_faults)
        tally.fallback_faults += [fault.at(Place(0, 0, row=row + 1)) for row, fault in batch.fallbacks[:left]]
        tally.unjudged += batch.unjudged
        for refusal in batch.listed:
            for fault in refusal.faults:
                if len(tally.listed) < tally.most:
                    tally.listed.append(Listed(refusal.number, fault.at(Place(0, 0, row=refusal.number))))
        tell(tally.digest.rows, rows.rows)


def items(gate: AnyGate[T], stream: BinaryIO) -> Generator[Item[T], None, None]:
    """The rows of a file, an item each; what stood there is told as JSON. Raises CannotStart, BrokenOff."""
    rows = _rows_of(stream)
    reader = TableReader(gate)
    plain = Cells(gate.shape, plain=True)
    number = 0
    for count, piece in rows.pieces(PIECE):
        begin = number
        verdicts = reader.verdicts(piece, count)

        def stood(number: int, piece: Any = piece, begin: int = begin) -> tuple[bytes, int, int]:
            at = number - begin - 1
            row = {name: plain.values(array.slice(at, 1), None)[0] for name, array in piece.items()}
            return json.dumps(row, ensure_ascii=False, default=str).encode("utf-8", "backslashreplace"), number, 1

        for verdict in verdicts:
            number += 1
            yield Item(number, _numbered(verdict, number), stood, number)


def _numbered(verdict: Verdict[T], number: int) -> Verdict[T]:
    if verdict:
        return verdict
    return relisted(verdict, [fault.at(Place(0, 0, row=number)) for fault in verdict.faults])
