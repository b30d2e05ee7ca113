"""NDJSON: a record of JSON a line; blank lines are passed over."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import Any, BinaryIO, TypeVar

from ..declare.facts import Stop
from ..gates.base import AnyGate
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.place import Place
from ..report.verdict import Noted, Verdict, refusal, relisted
from .item import Item

T = TypeVar("T")
_PIECE = 1 << 20


def items(gate: AnyGate[T], stream: BinaryIO, line: int = 0, number: int = 0) -> Generator[Item[T], None, None]:
    """Each line of a stream, examined; memory for one line at a time. So many lines and records came before."""
    most = gate.limits.bytes
    examine, readline = gate.examine_json, stream.readline
    natively: Callable[[Any], Any] | None = None  # what the first line has made of the gate tells
    while raw := readline(most + 1):
        line += 1
        if len(raw) > most and raw[-1:] != b"\n":
            number += 1
            _pass_over(stream)
            yield Item(number, _too_long(most, line, number), raw, line, is_whole=False)
            continue
        if natively is not None and (value := natively(raw)).__class__ is not Stop:
            number += 1
            if value.__class__ is Noted:
                yield Item(number, gate._admitted_json(raw, value), raw, line)
            else:
                yield Item(number, None, raw, line, str.encode, value)
            continue
        if raw.isspace():
            continue
        number += 1
        # What was in doubt once is not asked again.
        verdict = examine(raw) if natively is None else gate._examined_json(raw, gate._decoded(raw))
        natively = gate._engine.noted_json
        yield Item(number, verdict if verdict else _moved(verdict, line, number), raw, line)


def pieces(stream: BinaryIO, most: int) -> Generator[tuple[bytes, int, int], None, None]:
    """A stream in pieces of whole lines, each with how many lines and records came before it.

    A line of more than `most` bytes is cut, one byte past them, and told as what it is by whoever reads the piece.
    """
    line = number = 0
    while block := stream.read(_PIECE):
        if block[-1:] != b"\n":
            rest = stream.readline(most + 1)
            if len(rest) > most and rest[-1:] != b"\n":
                _pass_over(stream)
                rest += b"\n"
            block += rest
        yield block, line, number
        lines = block.split(b"\n")
        if not lines[-1]:
            lines.pop()
        line += len(lines)
        number += len(lines) - lines.count(b"") - sum(map(bytes.isspace, lines))


def _pass_over(stream: BinaryIO) -> None:
    """Pass over the rest of a line."""
    while (piece := stream.readline(_PIECE)) and piece[-1:] != b"\n":
        pass


def _too_long(most: int, line: int, number: int) -> Verdict[Any]:
    """What is said of a line that is too long, whose rest is passed over."""
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
