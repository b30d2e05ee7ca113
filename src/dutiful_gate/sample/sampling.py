"""What users call: `samples`, `payloads`, `probes`."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import AbstractContextManager
from random import Random
from typing import Any, TypeVar, overload

from ..declare.errors import did_you_mean
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..report.digest import any_item
from ..report.fault import Fault
from ..shape.asked_outside import outside_of, sampled
from ..shape.nodes import Alias, Branches, Entries, Fixed, Items, Link, Nullable, Sealing
from ..shape.shape import Shape
from ..shape.to_json import plain
from ..shape.uses import Use
from .cannot_sample import CannotSample
from .edges import Edges
from .of_document import DocumentPayloads, exchanged
from .payloads import Payloads

T = TypeVar("T")
Path = tuple[Any, ...]
_FULLEST_OF = 12
_FULL_ENOUGH = 40
_SPOILS = 400
_MOST_AGAIN = 60


def gate_of(declared: Any) -> AnyGate[Any]:
    """The gate itself, or one for a declared type."""
    return declared if isinstance(declared, AnyGate) else Gate(declared)


@overload
def samples(declared: AnyGate[T], n: int = ..., seed: int = ..., **fixed: object) -> list[T]: ...


@overload
def samples(declared: type[T], n: int = ..., seed: int = ..., **fixed: object) -> list[T]: ...


@overload
def samples(declared: object, n: int = ..., seed: int = ..., **fixed: object) -> list[Any]: ...


def samples(declared: Any, n: int = 10, seed: int = 0, **fixed: object) -> list[Any]:
    """`n` sound typed values of a declared type, or of a gate, that look plausible; the same for the same seed.

    `fixed` gives fields of a record, by attribute, the values that they are to have, as in
    `samples(Booking, 3, origin="QLP")`.

    Raises CannotSample, naming the field, where no sound value is found: examples beside it help, `about(examples=)`;
    also for a fixed value that is refused, or is of no field.
    """
    gate = gate_of(declared)
    with sampled(gate.shape):
        if not fixed:
            return [gate.admit(payload) for payload in payloads(gate, n, seed)]
        return _with_fixed(gate, n, seed, fixed)


def _with_fixed(gate: AnyGate[Any], n: int, seed: int, fixed: Mapping[str, object]) -> list[Any]:
    """Values of a record with some fields fixed; what does not go together with those is made again."""
    record = gate.shape.record_of(gate.shape.root.bare)
    if not isinstance(gate, Gate) or record is None:
        raise CannotSample.fixed("", "only a record has fields that can be fixed")
    fields = record.by_attribute
    plain_values = {}
    for name, value in fixed.items():
        if name not in fields:
            raise CannotSample.fixed(name, f"it is no field; {did_you_mean(name, fields, 'check the name')}")
        try:
            plain_values[fields[name].wire] = plain(fields[name].use, value, gate.shape)
        except Exception:  # a value of another type than the field's: it is told as what it is
            plain_values[fields[name].wire] = value
    makes = maker_for(gate, Random(seed))
    made: list[Any] = []
    for _ in range(_MOST_AGAIN * max(n, 1)):
        if len(made) == n:
            return made
        verdict = gate.examine({**makes.make(), **plain_values})
        if verdict:
            made.append(verdict.value)
            continue
        of_fixed = [fault for fault in verdict.faults if fault.path and fault.path[0] in plain_values]
        if of_fixed and of_fixed[0].code != "agreement":
            raise CannotSample.fixed(str(of_fixed[0].path[0]), of_fixed[0].message)
    if len(made) < n:
        raise CannotSample.fixed("", f"nothing sound was found around {', '.join(fixed)}")
    return made


def handing_samples(gate: AnyGate[Any]) -> AbstractContextManager[None]:
    """Within it, samples stand for the values from outside that a gate asks for and nobody hands over."""
    return sampled(gate.shape)


def payloads(declared: Any, n: int = 10, seed: int = 0) -> list[Any]:
    """The same as plain JSON data, as a client would send it."""
    makes = maker_for(gate_of(declared), Random(seed))
    return [makes.make() for _ in range(n)]


def maker_for(gate: AnyGate[Any], random: Random) -> Payloads | DocumentPayloads:
    """What makes payloads for a gate, of a type or of a document."""
    return DocumentPayloads(gate._engine, random) if isinstance(gate, DocumentGate) else Payloads(gate.shape, random)


def probes(declared: Any, seed: int = 0) -> Iterator[tuple[Any, Fault]]:
    """Payloads that are sound but for one thing, each with the one fault that a gate must give for it.

    There is one for each place and each way in which it can be refused, as far as they are found.
    """
    gate = gate_of(declared)
    random = Random(seed)
    if isinstance(gate, DocumentGate):
        yield from _probes_of_document(gate, random)
        return
    makes, edges = Payloads(gate.shape, random), Edges(gate.shape, random)
    with sampled(gate.shape):  # all at once: what is handed over here does not reach those who ask for the next
        base = max((makes.make() for _ in range(_FULLEST_OF)), key=_size)
        found = _refused(gate, _broken(gate, edges, base))
        found = iter(list(found)) if outside_of(gate.shape) else found
    yield from found


def _probes_of_document(gate: DocumentGate, random: Random) -> Iterator[tuple[Any, Fault]]:
    makes = DocumentPayloads(gate._engine, random)
    made = [(makes.make(), makes.at) for _ in range(_FULLEST_OF)]
    base, at = max(made, key=lambda each: min(_size(each[0]), _FULL_ENOUGH))
    makes.at = at
    yield from _refused(gate, makes.spoils(base))


def _refused(gate: AnyGate[Any], broken: Iterator[Any]) -> Iterator[tuple[Any, Fault]]:
    """Of payloads those with one fault, each place and code once."""
    told: set[tuple[Path, str]] = set()
    for probe in broken:
        faults = gate.examine(probe).faults
        if len(faults) == 1 and (mark := (any_item(faults[0].path), faults[0].code)) not in told:
            told.add(mark)
            yield probe, faults[0]


def _broken(gate: AnyGate[Any], edges: Edges, base: Any) -> Iterator[Any]:
    for path, use in places(gate.shape, gate.shape.root, base, ()):
        node = use.node
        if isinstance(node, Link):
            held = _at(base, path)
            for field in gate.shape.records[node.key].fields:
                if field.wire in held:
                    yield exchanged(base, path, {name: each for name, each in held.items() if name != field.wire})
            yield exchanged(base, path, {**held, "berth_number": 7})
        if isinstance(node, Items):
            held = _at(base, path)
            for count in (0, *range(2, 61)):
                if held:
                    yield exchanged(base, path, [held[number % len(held)] for number in range(count)])
        for value in edges.of(use):
            yield exchanged(base, path, value)
    for _ in range(_SPOILS):
        yield edges.spoiled(gate.shape.root, base)


def places(shape: Shape, use: Use, payload: Any, path: Path) -> Iterator[tuple[Path, Use]]:
    """Every place in a sound payload, with the use that stands there."""
    node = use.node
    while not use.parts and (isinstance(node, Alias | Sealing) or (isinstance(node, Nullable) and payload is not None)):
        use = shape.aliases[node.key] if isinstance(node, Alias) else node.inner
        node = use.node
    yield path, use
    match node:
        case Link(key) if isinstance(payload, dict):
            for field in shape.records[key].fields:
                if field.wire in payload:
                    yield from places(shape, field.use, payload[field.wire], (*path, field.wire))
        case Items(item) if isinstance(payload, list):
            for number, each in enumerate(payload[:2]):
                yield from places(shape, item, each, (*path, number))
        case Fixed() if isinstance(payload, list):
            for number, (item, each) in enumerate(zip(node.per_item(len(payload)), payload, strict=False)):
                yield from places(shape, item, each, (*path, number))
        case Entries(_, value) if isinstance(payload, dict):
            for name, each in list(payload.items())[:2]:
                yield from places(shape, value, each, (*path, name))
        case Branches():
            return


def _at(payload: Any, path: Path) -> Any:
    for step in path:
        payload = payload[step]
    return payload


def _size(payload: Any) -> int:
    if isinstance(payload, dict):
        return 1 + sum(map(_size, payload.values()))
    return 1 + sum(map(_size, payload)) if isinstance(payload, list) else 1
