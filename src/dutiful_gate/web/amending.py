"""PATCH done right: an amendment applied to the record at hand, which is checked again as a whole."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any, Generic, NamedTuple, TypeVar

from ..declare.sources import Source
from ..gates.typed import Gate
from ..report.cause import Cause
from ..report.fault import Fault
from ..shape.shape import Record
from .refusals import RequestProblem, of_faults

T = TypeVar("T")


class Amended(NamedTuple, Generic[T]):
    """What came of it: the whole record, and what changes, by attribute, for an update of the storage."""

    record: T
    changes: dict[str, Any]


def amended(gate: Gate[T], record: T, sent: Mapping[str, Any], *, under: str = "") -> Amended[T]:
    """A record with what was sent to change it, checked by its gate as a whole.

        booking, changes = amended(bookings, booking, request.body)

    `sent` is what the gate of `amendment(Record, ...)` admitted, `under` the key under which the body holds it, if any.
    Raises RequestProblem(422), each fault in the body, where the whole is not sound any more; a disagreement stands
    at the first of its fields that was sent.
    """
    native = _of_values(gate)
    shape = native.shape.records[_key(native)]
    held = {field.wire: _held(record, field.attribute) for field in shape.fields if not field.only_given}
    wires = {field.attribute: field.wire for field in shape.fields}
    changes = dict(sent)
    verdict = native.examine({**held, **{wires[name]: value for name, value in changes.items()}})
    if verdict:
        return Amended(verdict.value, changes)
    news = {wires[name]: value for name, value in changes.items()}
    place = ("body", under) if under else ("body",)
    faults = [_at_sent(fault, shape, news).beneath(place) for fault in verdict.faults]
    raise RequestProblem.of(of_faults(422, faults, verdict.untold))


@lru_cache(maxsize=256)
def _of_values(gate: Gate[T]) -> Gate[T]:
    """The gate that reads typed values of the same declaration."""
    return Gate(gate.declared, Source.NATIVE, limits=gate.limits, keys=gate.keys, names=gate._names)


def _key(gate: Gate[Any]) -> str:
    record = gate.shape.record_of(gate.shape.root)
    if record is None:
        raise TypeError("what is amended is a record")
    return record.key


def _held(record: Any, attribute: str) -> Any:
    return record[attribute] if isinstance(record, Mapping) else getattr(record, attribute)


def _at_sent(fault: Fault, record: Record, sent: Mapping[str, Any]) -> Fault:
    """A disagreement at a field that was sent, in words that say with what it does not agree."""
    if not fault.path or fault.path[0] in sent:
        return fault
    for rule in record.rules:
        named = [record.by_attribute[name].wire for name in rule.fields if name in record.by_attribute]
        ours = [wire for wire in named if wire in sent]
        if fault.path[0] in named and ours:
            others = [wire for wire in named if wire not in sent]
            hidden = any(field.use.secret for field in record.fields if field.wire in named)
            cause = Cause("agreement", "a value that agrees with {names}", {"names": others}, secret=hidden)
            return Fault((ours[0],), cause, sent[ours[0]], sent[ours[0]])
    return fault
