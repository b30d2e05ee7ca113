"""What must be unique over all records of a delivery: a value, or several together."""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b
from typing import Any, Final

from ..declare.equality import keyed
from ..declare.errors import did_you_mean
from ..declare.json_pointer import below, indexed, joined, steps_of
from ..gates.base import AnyGate
from ..gates.typed import Gate
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.place import Place
from ..report.verdict import refusal, relisted
from ..shape.walk import undeclared_step
from .item import Item
from .opened import CannotStart

_NONE: Final = object()


class DistinctRecords:
    """Refuses a record whose value at some places an earlier record had; keeps 16 bytes and a place for each.

    `pointers` are JSON Pointers from the record; the values at all of them together are unique. Values are compared as
    they go out of the gate, after its steps. A record that lacks one of them repeats nothing; one that is refused for
    something else counts with what came. Raises CannotStart for what is no pointer, or leads to nothing declared.
    """

    def __init__(self, gate: AnyGate[Any], pointers: Sequence[str]) -> None:
        for pointer in pointers:
            if not pointer.startswith("/"):
                raise CannotStart(f"{pointer!r} is no JSON Pointer: write /{pointer}")
        self.by = tuple(pointers)
        self._gate = gate
        self._paths = [steps_of(pointer) for pointer in pointers]
        if isinstance(gate, Gate):
            for pointer, path in zip(pointers, self._paths, strict=True):
                refuse_undeclared(gate, pointer, path)
        self.compared = 0
        """How many records had a value at all of the places."""
        self._seen: dict[bytes, tuple[str, int]] = {}

    def judged(self, item: Item[Any], source: str) -> Item[Any]:
        """The record itself, or refused for what it repeats."""
        plain = self._plain(item)
        values = [_at(plain, path) for path in self._paths]
        if any(value is _NONE or value is None for value in values):
            return item
        self.compared += 1
        told = repr(keyed(values)).encode("utf-8", "surrogatepass")
        mark = blake2b(told, digest_size=16).digest()
        first = self._seen.setdefault(mark, (source, item.number))
        if first == (source, item.number):
            return item
        numbers: dict[str, object] = {"first": first[1]}
        cause = Cause("repeat", "a value other than that of record {first}", numbers, got="it again")
        if first[0] != source:
            words = "a value other than that of record {first} in {file}"
            cause = Cause("repeat", words, {**numbers, "file": first[0]}, got="it again")
        path: Path = tuple(self._paths[0])
        fault = Fault(path, cause, None, None, Place(item.line, 0, row=item.number) if item.line else None)
        verdict = item.verdict
        refused = relisted(verdict, [*verdict.faults, fault]) if not verdict else refusal([fault], verdict.dropped)
        return item.with_verdict(refused)

    def _plain(self, item: Item[Any]) -> Any:
        if item and isinstance(self._gate, Gate):
            return self._gate.release_admitted(item.value, secrets=True)
        return item.value if item else item.verdict.entered()


def refuse_undeclared(gate: Gate[Any], pointer: str, path: Sequence[str]) -> None:
    """Raise CannotStart for a pointer to which no record that is declared can have anything."""
    found = undeclared_step(gate.shape, indexed(path))
    if found is None:
        return
    at, names = found
    known = did_you_mean(
        path[at], names, f"there are: {', '.join(sorted(names))}", lambda near: joined([*path[:at], near])
    )
    told = known if names else f"{joined(path[:at]) or 'the whole'} is a value without fields"
    raise CannotStart(f"{pointer} leads to nothing that is declared; {told}")


def _at(plain: Any, path: Sequence[str]) -> Any:
    """What stands at a path, _NONE for nothing."""
    for step in path:
        found = below(plain, step)
        if found is None:
            return _NONE
        plain = found[1]
    return plain
