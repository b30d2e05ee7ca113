"""NDJSON: a record of JSON a line; blank lines are passed over."""

from __future__ import annotations

from collections.abc import Generator
from typing import Any, BinaryIO, TypeVar

from ..gates.base import AnyGate
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.place import Place
from ..report.verdict import Verdict, refusal, relisted
from .item import Item

T = TypeVar("T")
_PIECE = 1 << 20


def items(gate: AnyGate[T], stream: BinaryIO) -> Generator[Item[T], None, None]:
    """Each line of a stream, examined; memory for one line at a time."""
    most = gate.limits.bytes
    examine, readline = gate.examine_json, stream.readline
    number = line = 0
    while raw := readline(most + 1):
        line += 1
        if len(raw) > most and raw[-1:] != b"\n":
            number += 1
            yield Item(number, _too_long(stream, most, line, number), raw, line, is_whole=False)
            continue
        if raw.isspace():
            continue
        number += 1
        verdict = examine(raw)
        yield Item(number, verdict if verdict else _moved(verdict, line, number), raw, line)


def _too_long(stream: BinaryIO, most: int, line: int, number: int) -> Verdict[Any]:
    """What is said of a line that is too long, whose rest is passed over."""
    while (piece := stream.readline(_PIECE)) and piece[-1:] != b"\n":
        pass
    cause = Cause("size", "a line of at most {most} bytes", {"most": most}, got="more")
    return refusal([Fault((), cause, None, None, Place(line, 1, row=number))])


def _moved(verdict: Verdict[T], line: int, number: int) -> Verdict[T]:
    """A verdict whose places are those in the file."""
    faults = [fault.at(_place(fault.place, line, number)) for fault in verdict.faults]
    return relisted(verdict, faults)


def _place(place: Place | None, line: int, number: int) -> Place:
    if place is None:
        return Place(line, 0, row=number)
    return Place(line + place.line - 1, place.column, row=number)
