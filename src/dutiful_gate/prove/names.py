"""Which field of which record a place in the data belongs to, in the names that a document's `unstated` uses."""

from __future__ import annotations

from collections.abc import Container, Iterator
from typing import Any

from ..shape.nodes import Alias, Branches, Entries, Fixed, Items, Link
from ..shape.shape import Shape
from ..shape.uses import Use


def names_along(shape: Shape, path: tuple[Any, ...]) -> tuple[set[str], set[str]]:
    """The names of every part of the shape that a path leads through, its end included; and those of the end alone."""
    found: set[str] = set()
    ends = [(shape.name, shape.root)]
    for at in range(len(path) + 1):
        level = [each for name, use in ends for each in _opened(shape, name, use)]
        names = {name for name, _ in level}
        found |= names
        if at < len(path):
            ends = [each for name, use in level for each in _inside(shape, name, use, path[at])]
    return found, names


def _opened(shape: Shape, name: str, use: Use, known: Container[str] = ()) -> Iterator[tuple[str, Use]]:
    """A use and all that may stand in its place, with their names; aliases that are known already are left shut."""
    yield name, use
    if use.via is not None:
        yield from _opened(shape, name, use.via, known)
    node = use.node
    if isinstance(node, Link):
        yield shape.records[node.key].name, use
    elif isinstance(node, Alias) and node.key not in known:
        yield from _opened(shape, node.key, shape.aliases[node.key], known)
    for each in node.in_place:
        yield from _opened(shape, name, each, known)


def _inside(shape: Shape, name: str, use: Use, step: Any) -> Iterator[tuple[str, Use]]:
    node = use.node
    if isinstance(node, Items):
        yield f"{name}[]", node.item
    elif isinstance(node, Fixed) and isinstance(step, int) and (held := node.at(step)) is not None:
        yield f"{name}[{min(step, len(node.items))}]", held
    elif isinstance(node, Entries):
        yield f"{name} keys", node.key
        yield f"{name} values", node.value
    elif isinstance(node, Branches) and step == node.held:
        for option in node.options:
            yield from _opened(shape, name, option)
    elif isinstance(node, Link):
        record = shape.records[node.key]
        for field in record.fields:
            if field.comes_under(step):
                yield f"{record.name}.{field.attribute}", field.use
        for rest in record.rests:
            yield from _inside(shape, f"{record.name}.{rest.attribute}", rest.use, step)


def names_under_unions(shape: Shape, path: tuple[Any, ...]) -> set[str]:
    """The names of all that is inside the unions a path leads through: there one option speaks for the others."""
    found: set[str] = set()
    ends = [(shape.name, shape.root)]
    for at in range(len(path) + 1):
        level = [each for name, use in ends for each in _opened(shape, name, use)]
        for name, use in level:
            if isinstance(use.node, Branches):
                _gather(shape, name, use, found)
        if at < len(path):
            ends = [each for name, use in level for each in _inside(shape, name, use, path[at])]
    return found


def _gather(shape: Shape, name: str, use: Use, found: set[str]) -> None:
    """Every name inside a use."""
    for held, inner in _opened(shape, name, use, found):
        record = shape.record_of(inner)
        if record is not None:
            if record.name in found:
                continue
            found.add(record.name)
            for field in (*record.fields, *record.rests):
                _gather(shape, f"{record.name}.{field.attribute}", field.use, found)
        found.add(held)
        if not inner.node.in_place:  # those were opened
            for behind, each in inner.node.named_inside():
                _gather(shape, f"{held}{behind}", each, found)
