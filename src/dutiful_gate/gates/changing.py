"""Records changed in part: a value and what changes in it, checked as a whole."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping, Sequence
from functools import lru_cache
from typing import Any, NamedTuple, TypeVar, overload

from ..declare.absent import ABSENT
from ..declare.errors import did_you_mean
from ..declare.field_comparison import FieldComparison
from ..declare.records import RecordRule
from ..declare.sources import Source
from ..declare.variants import Amendment
from ..engine.rest_fields import RestOf
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.verdict import Refused, Verdict, relisted
from ..shape.nodes import Entries, Link, Scalar
from ..shape.paths import FactsAt, Paths
from ..shape.shape import Field, Record, Shape
from ..shape.uses import Use
from .typed import Gate
from .waiting import AwaitedGate, WaitingGate

T = TypeVar("T")
R = TypeVar("R")


@overload
def changed(value: T, /, **fields: Any) -> T: ...
@overload
def changed(gate: Gate[T], value: T, /, **fields: Any) -> T: ...
@overload
def changed(gate: WaitingGate[T], value: T, /, **fields: Any) -> Awaitable[T]: ...
def changed(*given: Any, **fields: Any) -> Any:
    """A copy of a record in which some fields are others, checked as a whole: what stands for checks on assignment.

        booking = changed(booking, priority="urgent", contact="desk@ternsound.example")

    Fields go by attribute, with typed values; a dict for a record inside changes that one in part, likewise. Where the
    value is a dict itself, a dict is all of it, and an `Amendment` a part. Steps run, so that the result is what its
    gate makes of the changed data. The record itself stays as it is. A record of which its gate alone knows what it is,
    as of a TypedDict, is changed by that: `changed(gate, value, ...)`; by a `WaitingGate` it is awaited. Raises
    Refused, with every fault, where the whole is not sound any more; TypeError for what is no record, or has no such
    field.
    """
    if len(given) not in (1, 2):
        raise TypeError("what is changed is one record, behind its gate or alone, as in changed(booking, priority=...)")
    *gates, value = given
    if not gates and isinstance(value, Mapping):
        raise TypeError("of what record a dict is, its gate alone knows: write changed(gate, value, ...)")
    kind: Any = type(value)
    if gates and isinstance(gates[0], WaitingGate):
        return later(gates[0], lambda gate: _sure(with_changes(gate, value, fields)))
    return _sure(with_changes(gates[0] if gates else _gate_of(kind), value, fields))


def _sure(verdict: Verdict[T]) -> T:
    if verdict:
        return verdict.value
    raise Refused(verdict)


async def later(gate: WaitingGate[T], call: Callable[[Gate[T]], R]) -> R:
    """What a function makes of a gate whose checks are waited for."""
    return await gate._judged((), lambda: call(gate.gate))


def with_changes(gate: Gate[T], value: T, sent: Mapping[str, Any]) -> Verdict[T]:
    """The verdict on a record with what is sent to change it; faults in what was sent stand there.

    An `Amendment` changes dicts in part, too: those of others stand for the whole.
    """
    native = gate_of_values(gate)
    shape = native.shape
    record = shape.record_of(shape.root)
    if record is None or not (
        isinstance(value, Mapping) if record.form == "dict" else isinstance(value, record.builder)
    ):
        raise TypeError(f"what is changed is a record that the gate reads, not one of {type(value).__name__}")
    merging = _Merging(shape, isinstance(sent, Amendment))
    verdict = native.examine(merging.record(record, value, sent))
    if verdict:
        return verdict
    return relisted(verdict, [at_sent(fault, shape, record, sent) for fault in verdict.faults])


@lru_cache(maxsize=256)
def gate_of_values(gate: Gate[T]) -> Gate[T]:
    """The gate that reads typed values of the same declaration."""
    made = AwaitedGate if gate.awaits else Gate
    words: Any = {"unknown": gate.unknown, "limits": gate.limits, "keys": gate.keys, "names": gate._names}
    return made(gate.declared, Source.NATIVE, **words)  # not `lenient`: they were read, and are typed


@lru_cache(maxsize=256)
def _gate_of(kind: Any) -> Gate[Any]:
    return Gate(kind, Source.NATIVE)


class _Merging(NamedTuple):
    """Puts values and what changes in them together; `deep` tells whether dicts are changed in part."""

    shape: Shape
    deep: bool

    def record(self, record: Record, held: Any, sent: Mapping[str, Any]) -> dict[Any, Any]:
        """A record by the names of the data, with what is sent for it; `held` is None where there is none yet."""
        fields = (*record.fields, *record.rests)
        for name in sent.keys() - record.by_attribute.keys():
            told = did_you_mean(str(name), list(record.by_attribute), f"it has {', '.join(record.by_attribute)}")
            raise TypeError(f"{record.name} has no field {name!r}: {told}")
        made: dict[Any, Any] = {}
        for field in fields:
            there, value = taken(held, field.attribute) if not field.only_given else (False, None)
            if field.attribute in sent:
                value = self.value(field.use, value if there else None, sent[field.attribute])
                there = value is not ABSENT
            if there:
                made[RestOf(field.wire) if field in record.rests else named_in(record, field)] = value
        return made

    def value(self, use: Use, held: Any, sent: Any) -> Any:
        """What becomes of a value."""
        if not isinstance(sent, Mapping):
            return sent
        in_part = self.deep or isinstance(sent, Amendment)
        match self.shape.without_wrappings(use).node:
            case Link(key) if in_part or self.shape.records[key].form != "dict":
                return self.record(self.shape.records[key], held, sent)
            case Entries(value=inner) if in_part:
                made = dict(held or {})
                for key, new in sent.items():
                    if new is None and (not inner.may_be_null or inner.node.facts.open):
                        made.pop(key, None)
                    else:
                        made[key] = self.value(inner, made.get(key), new)
                return made
            case Scalar(kind) if in_part and kind.facts.open:
                return _merged(held, sent)
            case _:
                return sent


def _merged(held: Any, sent: Any) -> Any:
    """What a merge patch makes of plain data (RFC 7396, section 2)."""
    if not isinstance(sent, dict):
        return sent
    made = dict(held) if isinstance(held, dict) else {}
    for key, new in sent.items():
        if new is None:
            made.pop(key, None)
        else:
            made[key] = _merged(made.get(key), new)
    return made


def named_in(record: Record, field: Field) -> str:
    """What a field is called in typed data of its record: a dict that is typed has attributes for keys."""
    return field.attribute if record.form == "dict" else field.wire


def taken(held: Any, attribute: str) -> tuple[bool, Any]:
    """Whether a record has a field, and its value."""
    if held is None:
        return False, None
    if isinstance(held, Mapping):
        return attribute in held, held.get(attribute)
    value = getattr(held, attribute, ABSENT)
    return value is not ABSENT, value


def at_sent(fault: Fault, shape: Shape, record: Record, sent: Mapping[str, Any]) -> Fault:
    """A disagreement at a field that was sent, in words that say with what it does not agree."""
    by_wire = {field.wire: field for field in record.fields}
    field = by_wire.get(fault.path[0]) if fault.path else None
    if field is None or (field.required and fault.code == "absent"):
        return fault
    if field.attribute in sent:
        inner, below = shape.record_inside(field.use), sent[field.attribute]
        if inner is None or not isinstance(below, Mapping) or len(fault.path) < 2:
            return fault
        return at_sent(fault.within(1), shape, inner, below).beneath(fault.path[:1])
    for rule in record.rules:
        named = [record.by_attribute[name] for name in rule.fields if name in record.by_attribute]
        ours = [each for each in named if each.attribute in sent]
        if field in named and ours:
            given = sent[ours[0].attribute]
            return Fault((ours[0].wire,), _disagreement(shape, record, rule, ours[0], named), given, given)
    return fault


def _disagreement(shape: Shape, record: Record, rule: RecordRule, at: Field, named: Sequence[Field]) -> Cause:
    """What is wrong where a field does not agree with others: as the rule has it from that field's side, if it can."""
    secret = any(each.use.secret for each in named)
    turned = rule.turned if isinstance(rule, FieldComparison) else None
    others = [each.wire for each in named if each is not at]
    cause = Cause("agreement", "a value that agrees with {names}", {"names": others}, label=at.label, secret=secret)
    if turned is not None and turned.paths == ((at.attribute,), *turned.paths[1:]):
        paths = Paths(shape.records, shape.aliases)
        face = turned.face(FactsAt(paths, record))
        cause = cause.replace(needs=face.needs, expected=turned.numbers(lambda path: paths.wire(record, path)))
    return cause.replace(own_words=rule.own_words)


__all__ = ["at_sent", "changed", "gate_of_values", "later", "named_in", "taken", "with_changes"]
