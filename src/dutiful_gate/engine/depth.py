"""How deep data nests: counted before it is read, where a shape may lead deeper than the limit."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from ..report.fault import Path
from ..shape.nodes import Leaf
from ..shape.shape import Record, Shape
from ..shape.uses import Use
from ..shape.walk import fields_of, held_by, inside, leads, uses_of
from .runtime import LEAVES


def may_be_deeper(shape: Shape, most: int) -> bool:
    """Whether values of a shape may nest deeper than `most`: records that hold themselves, anything at all, or many."""
    if shape.recursive or any(use.node.single is not None and use.node.facts.open for use in uses_of(shape)):
        return True
    known: dict[str, int] = {}

    def depth(use: Use) -> int:
        below = max(map(depth, inside(use)), default=0)
        record = shape.record_of(use)
        if record is not None:
            return 1 + known[record.key]
        return below if isinstance(use.node, Leaf) or use.node.in_place else below + 1

    leads_to = leads(held_by(shape.records, shape.aliases))
    for key in _innermost_first(leads_to):
        known[key] = max((depth(field.use) for field in fields_of(shape.records[key])), default=0)
    return depth(shape.root) > most


def _innermost_first(leads_to: Mapping[str, set[str]]) -> list[str]:
    """Records in an order in which each comes after those that it leads to; there are no circles."""
    done: dict[str, None] = {}
    for start in leads_to:
        waiting = [start]
        while waiting:
            key = waiting[-1]
            missing = [each for each in leads_to[key] if each not in done]
            if missing and key not in done:
                waiting += missing
            else:
                done[waiting.pop()] = None
    return list(done)


def _may_be_deeper_than(data: Any, most: int) -> bool:
    """Whether plain data may nest deeper than `most`: quickly found, and true where there are other objects in it."""
    level = [] if data.__class__ in LEAVES else [data]
    for _ in range(most):
        following: list[Any] = []
        for each in level:
            kind = each.__class__
            if kind is not dict and kind is not list:
                return True
            if each:
                held: Iterable[Any] = each.values() if kind is dict else each
                following += [one for one in held if one.__class__ not in LEAVES]
        if not following:
            return False
        # What stands at several places is looked at once: else a few lists inside each other come to millions.
        if len(following) > len(level) and len(set(map(id, following))) < len(following):
            following = list({id(one): one for one in following}.values())
        level = following
    return bool(level)


def too_deep_at(data: Any, most: int, records: Mapping[str, Record], *, typed: bool) -> Path | None:
    """The path of the first list or record that stands deeper than `most`; None where there is none.

    `typed` tells that records may be objects, whose fields are looked into.
    """
    if not _may_be_deeper_than(data, most):
        return None
    builders = tuple({record.builder for record in records.values() if typed and record.form == "object"})
    fields = {record.builder: record for record in records.values()} if builders else {}

    def members(value: Any) -> Iterator[tuple[Any, Any]] | None:
        kind: Any = value.__class__
        if kind in LEAVES:
            return None
        if kind is dict:
            held: dict[Any, Any] = value
            return iter(held.items())
        if kind is list or isinstance(value, (list, tuple, set, frozenset)):
            return iter(enumerate(value))
        if isinstance(value, Mapping):
            return iter([(key, value[key]) for key in value])
        if builders and isinstance(value, builders):
            record = next(fields[each] for each in type(value).__mro__ if each in fields)
            return iter([(field.wire, getattr(value, field.attribute, None)) for field in fields_of(record)])
        return None

    first = members(data)
    if first is None:
        return None
    if most < 1:
        return ()
    path: list[Any] = []
    open_ones = [first]
    while open_ones:
        for key, value in open_ones[-1]:
            following = members(value)
            if following is None:
                continue
            if len(open_ones) >= most:
                return (*path, key)
            path.append(key)
            open_ones.append(following)
            break
        else:
            open_ones.pop()
            if path:
                path.pop()
    return None
