"""Patches (RFC 6902) applied to a record at hand: to its plain data, which is read again where it changed."""

from __future__ import annotations

from copy import deepcopy
from functools import lru_cache
from typing import Any, NamedTuple, TypeVar

from ..declare.equality import are_equal
from ..declare.facts import Stop
from ..declare.json_pointer import below, index_of, steps_of
from ..declare.patch import (
    MOST_VALUES,
    Addition,
    Copying,
    Expectation,
    Operation,
    Patch,
    Relocation,
    Removal,
    Replacement,
)
from ..declare.sources import Reading, Source
from ..engine.engine import Engine, Plan
from ..engine.rest_fields import RestOf, RestSorter
from ..engine.runtime import TOO_DEEP
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.verdict import Verdict, refusal, relisted
from ..shape.nodes import Link
from ..shape.shape import Record, Shape
from ..shape.uses import Use
from ..shape.walk import every, fields_of, held_by, leads, part_of
from .changing import at_sent, gate_of_values, named_in, taken
from .typed import Gate

T = TypeVar("T")

_NOWHERE = Cause("choice", "a place that is there")
_CLOSED = Cause("choice", "a place that may be read and changed")
_TOO_MUCH = Cause("size", "at most {ceiling} values moved, copied or put somewhere", {"ceiling": 0}, got="more")
_OTHER = Cause("agreement", "the value that stands there")
_OWN_PART = Cause("choice", "a place outside of what is moved")


class Stale(Exception):
    """A test of the patch found another value: the record is not what the sender took it for."""

    def __init__(self, fault: Fault) -> None:
        super().__init__(fault)
        self.fault = fault


def with_patch(gate: Gate[T], value: T, patch: Patch[T]) -> Verdict[T]:
    """The verdict on a record that was changed so; its faults stand in the patch, at the operations that they are of.

    The operations see what `release` gives. A place that is secret, read-only or write-only, and one that holds such a
    place, is nothing that they read, change or compare: nor is anything inside of a list, a dict or one of several
    types in which there is one. What they leave alone stays the value that it is. Raises Stale where a test fails.
    """
    shape = gate.shape
    record = shape.record_of(shape.root)
    if record is None:
        raise TypeError("what is patched is a record")
    before = gate.release(value)
    work = _Work(gate, deepcopy(before))
    for number, operation in enumerate(patch):
        try:
            work.do(operation)
        except _Undoable as wrong:
            return refusal([Fault((number, wrong.member), wrong.cause, wrong.given, wrong.given)])
        except Stale as stale:
            raise Stale(stale.fault.beneath((number,))) from None
    rebuilt = _Rebuilding(gate, work.touched)
    merged = rebuilt.value(shape.root, value, before, work.data, ())
    if rebuilt.faults:
        return refusal(rebuilt.faults)
    verdict = gate_of_values(gate).examine(merged)
    if verdict:
        return verdict
    sent = _sent(shape, record, work)
    return relisted(verdict, [rebuilt.placed(at_sent(fault, shape, record, sent)) for fault in verdict.faults])


def _sent(shape: Shape, record: Record, work: _Work) -> dict[str, Any]:
    """The fields that operations wrote to, by attribute, as deep as records go."""
    sent: dict[str, Any] = {}
    for way, _ in work.touched:
        of, held, into = record, work.data, sent
        for step in way:
            field = next((each for each in of.fields if each.wire == step), None)
            if field is None or not isinstance(held, dict):
                break
            held = held.get(step)
            inner = shape.record_inside(field.use)
            if inner is None or step is way[-1] or not isinstance(into.get(field.attribute, {}), dict):
                into[field.attribute] = held
                break
            of, into = inner, into.setdefault(field.attribute, {})
    return sent


class _Undoable(Exception):
    """An operation that cannot be done: the member of it at fault, and why."""

    def __init__(self, member: str, cause: Cause, given: object) -> None:
        super().__init__()
        self.member, self.cause, self.given = member, cause, given


class _Work:
    """Plain data that operations change, and where each of them did."""

    def __init__(self, gate: Gate[Any], data: Any) -> None:
        self.data = data
        self.touched: list[tuple[Path, bool]] = []  # of each operation: where it wrote, and whether its own value
        self._closed = _closed_in(gate)
        self._limits = gate.limits
        self._most = self._left = min(gate.limits.items, MOST_VALUES)

    def do(self, operation: Operation) -> None:
        """Do one operation. Raises _Undoable, or Stale."""
        match operation:
            case Expectation(path=path, value=value):
                _, held = self._found("path", path)
                if not are_equal(held, value):
                    raise Stale(Fault(("value",), _OTHER, value, value))
                self.touched.append(((), False))
            case Removal(path=path):
                self._touch(self._taken_out("path", path), sent=False)
            case Replacement(path=path, value=value):
                way, _ = self._found("path", path)
                self._weigh(value, len(way), "value")
                self._put(way, value)
                self._touch(way, sent=True)
            case Addition(path=path, value=value):
                self._weigh(value, path.count("/"), "value")
                self._touch(self._added(path, value), sent=True)
            case Copying(source=source, path=path):
                _, held = self._found("from", source)
                self._weigh(held, path.count("/"), "from")
                self._touch(self._added(path, deepcopy(held)), sent=False)
            case Relocation(source=source, path=path):
                way, held = self._found("from", source)
                if path == source:
                    self.touched.append(((), False))
                    return
                if path.startswith(f"{source}/"):
                    raise _Undoable("path", _OWN_PART, path)
                self._weigh(held, path.count("/"), "from")
                self._taken_out("from", source)
                self._touch(self._added(path, held), sent=False)

    def _touch(self, way: Path, *, sent: bool) -> None:
        self.touched.append((way, sent))

    def _found(self, member: str, pointer: str) -> tuple[Path, Any]:
        """The way to what is there, and that."""
        if self._closed.shuts(steps_of(pointer)):
            raise _Undoable(member, _CLOSED, pointer)
        way: list[Any] = []
        held = self.data
        for step in steps_of(pointer):
            found = below(held, step)
            if found is None:
                raise _Undoable(member, _NOWHERE, pointer)
            way.append(found[0])
            held = found[1]
        return tuple(way), held

    def _put(self, way: Path, value: Any) -> None:
        if not way:
            self.data = value
            return
        self._at(way[:-1])[way[-1]] = value

    def _at(self, way: Path) -> Any:
        held = self.data
        for step in way:
            held = held[step]
        return held

    def _taken_out(self, member: str, pointer: str) -> Path:
        way, _ = self._found(member, pointer)
        if not way:
            self.data = None
        else:
            del self._at(way[:-1])[way[-1]]
        return way

    def _added(self, pointer: str, value: Any) -> Path:
        """Put a value where an addition puts it; gives back the way to it."""
        steps = steps_of(pointer)
        if self._closed.shuts(steps):
            raise _Undoable("path", _CLOSED, pointer)
        if not steps:
            self.data = value
            return ()
        around, last = pointer.rpartition("/")[0], steps[-1]
        try:
            way, held = self._found("path", around) if around else ((), self.data)
        except _Undoable as wrong:
            raise _Undoable("path", wrong.cause if wrong.cause is _NOWHERE else _CLOSED, pointer) from None
        if isinstance(held, dict):
            held[last] = value
            return (*way, last)
        index = len(held) if last == "-" and isinstance(held, list) else index_of(last)
        if not isinstance(held, list) or index is None or index > len(held):
            raise _Undoable("path", _NOWHERE, pointer)
        held.insert(index, value)
        return (*way, index)

    def _weigh(self, value: Any, above: int, member: str) -> None:
        """Raise _Undoable for what would be nested too deep, or is too much: copies of copies grow without end."""
        waiting = [(value, above)]
        while waiting:
            held, depth = waiting.pop()
            self._left -= 1
            if self._left < 0:
                raise _Undoable(member, _TOO_MUCH.replace(expected={"ceiling": self._most}), None)
            if depth > self._limits.depth:
                raise _Undoable(member, TOO_DEEP.replace(expected={"most": self._limits.depth}), None)
            inside = held.values() if isinstance(held, dict) else held if isinstance(held, list) else ()
            waiting += [(each, depth + 1) for each in inside]


class _Closed:
    """The places of a shape that patches leave alone."""

    def __init__(self, shape: Shape) -> None:
        self._shape = shape
        held = held_by(shape.records, shape.aliases)
        behind = leads(held)
        found = {
            key
            for key, record in shape.records.items()
            if any(field.read_only or field.write_only for field in fields_of(record))
        } | {key for key, uses in held.items() if any(map(_is_closed, (each for use in uses for each in every(use))))}
        while new := {key for key, following in behind.items() if key not in found and not found.isdisjoint(following)}:
            found |= new
        self._holding = found

    def _holds(self, use: Use) -> bool:
        """Whether a place is closed, or has one in it."""
        return any(_is_closed(each) or each.node.leads_to in self._holding for each in every(use))

    def shuts(self, steps: tuple[str, ...]) -> bool:
        """Whether what steps lead to may not be touched."""
        use = self._shape.root
        for step in steps:
            node = self._shape.without_wrappings(use).node
            if not isinstance(node, Link):  # all of a list, of a dict, or of one of several types is rebuilt as one
                return self._holds(use)
            record = self._shape.records[node.key]
            field = next((each for each in (*record.fields, *record.computed) if each.wire == step), None)
            if field is None:
                return any(self._holds(rest.use) for rest in record.rests)
            if field.read_only or field.write_only or field in record.computed:
                return True
            use = field.use
        return self._holds(use)


def _is_closed(use: Use) -> bool:
    return use.secret or use.about.read_only or use.about.write_only


@lru_cache(maxsize=256)
def _closed_in(gate: Gate[Any]) -> _Closed:
    return _Closed(gate.shape)


class _Parts(NamedTuple):
    """What reads the parts of a gate's data, each made when it is first asked."""

    gate: Gate[Any]
    made: dict[int, Engine]

    def reader(self, use: Use) -> Engine:
        """The engine of a part."""
        known = self.made.get(id(use))
        if known is None:
            gate = self.gate
            plan = Plan(part_of(gate.shape, use), Source.JSON, gate.unknown == "refuse", gate.limits)
            known = self.made[id(use)] = Engine(plan, native=False)
        return known


@lru_cache(maxsize=256)
def _parts_of(gate: Gate[Any]) -> _Parts:
    return _Parts(gate, {})


class _Rebuilding:
    """Typed data of a record by the names of the data: what changed is read, all else is what it was."""

    def __init__(self, gate: Gate[Any], touched: list[tuple[Path, bool]]) -> None:
        self.faults: list[Fault] = []
        self._shape = gate.shape
        self._parts = _parts_of(gate)
        self._touched = touched

    def value(self, use: Use, held: Any, before: Any, after: Any, path: Path) -> Any:
        """What becomes of a value."""
        if after is before or are_equal(before, after):
            return held
        record = self._shape.record_inside(use)
        if record is None or held is None or not (isinstance(before, dict) and isinstance(after, dict)):
            return self._read(use, after, path)
        return self._record(record, held, before, after, path)

    def _record(self, record: Record, held: Any, before: Any, after: Any, path: Path) -> dict[Any, Any]:
        made: dict[Any, Any] = {}
        for field in record.fields:
            there, value = taken(held, field.attribute)
            wire, way = field.wire, (*path, field.wire)
            name = named_in(record, field)
            if wire in after and wire in before and there:
                made[name] = self.value(field.use, value, before[wire], after[wire], way)
            elif wire in after:
                made[name] = self._read(field.use, after[wire], way)
            elif wire not in before and there:  # nothing that goes out
                made[name] = value
        known = {field.wire for field in (*record.fields, *record.computed)}
        was, _ = self._gathered(record, {wire: came for wire, came in before.items() if wire not in known})
        gathered, left = self._gathered(record, {wire: came for wire, came in after.items() if wire not in known})
        for rest, old, new in zip(record.rests, was, gathered, strict=True):
            there, value = taken(held, rest.attribute)
            read = (value if there else {}) if are_equal(old, new) else self._read(rest.use, new, path)
            made[RestOf(rest.wire)] = {} if isinstance(read, Stop) else read
        return made | left  # which the gate drops, or refuses

    def _gathered(self, record: Record, others: dict[str, Any]) -> tuple[tuple[dict[str, Any], ...], dict[str, Any]]:
        if len(record.rests) == 1:
            return (others,), {}
        return RestSorter(self._shape, record.rests, Reading.PLAIN).apart(others)

    def _read(self, use: Use, plain: Any, path: Path) -> Any:
        read, log = self._parts.reader(use).collect(plain)
        self.faults += [self.placed(fault.beneath(path)) for fault in log.told()] if log.faults else []
        return read

    def placed(self, fault: Fault) -> Fault:
        """A fault of the data at the operation that it is of: in its value, where that stands there still."""
        path = fault.path
        for number in range(len(self._touched) - 1, -1, -1):
            way, sent = self._touched[number]
            if sent and path[: len(way)] == way:
                return fault.within(len(way)).beneath((number, "value"))
            if way and (way[: len(path)] == path or path[: len(way)] == way):
                return _moved(fault, (number, "path"))
        last = max((number for number, (way, _) in enumerate(self._touched) if way), default=0)
        return _moved(fault, (last, "path"))


def _moved(fault: Fault, path: Path) -> Fault:
    """The same fault elsewhere."""
    return fault.within(len(fault.path)).beneath(path)


__all__ = ["Stale", "with_patch"]
