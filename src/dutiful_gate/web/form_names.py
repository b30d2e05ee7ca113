"""Names of form fields that say where a value stands: `crates[0][weight_kg]`, `crates.0.weight_kg`, to nested data."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

from ..declare.errors import DeclarationError
from ..declare.limits import Limits
from ..shape.nodes import Branches, Entries, Fixed, Items, Link, Node, Nullable, Scalar
from ..shape.shape import Field, Shape
from ..shape.uses import Use
from .empty_form_fields import with_unsent

_STEP = re.compile(r"\.?([^.\[\]]+)|\[([^\[\]]*)\]")


class _Level(dict[str, Any]):
    """What stands under one name: further names. A class of its own, so that no value is taken for it."""


class TooDeep(ValueError):
    """A name leads deeper than data may nest, which is at most `most` levels."""

    def __init__(self, most: int) -> None:
        super().__init__(most)
        self.most = most


def steps_of(name: str) -> list[str]:
    """The steps that a name says; the name itself where it says none."""
    steps, end = [], 0
    while end < len(name):
        found = _STEP.match(name, end)
        if found is None or (end == 0 and found[1] is None):
            return [name]
        steps.append(found[1] if found[1] is not None else found[2])
        end = found.end()
    return steps or [name]


def nested(
    pairs: Iterable[tuple[str, Any]], use: Use, shape: Shape, limits: Limits, *, of_form: bool = True
) -> dict[str, Any]:
    """The data that the names and values of a form say, or of a query; rows stand in the order of their numbers.

    A name that is a field's own, whatever is in it, is that field. What a form cannot send is none of it; what does not
    stand in a query is absent. Raises TooDeep.
    """
    root = _Level()
    own = {field.wire for field in _fields(use, shape)}
    for name, value in pairs:
        steps = [name] if name in own else steps_of(name)
        if len(steps) > limits.depth:
            raise TooDeep(limits.depth)
        level = root
        for step in steps[:-1]:
            inner = level.get(step)
            if inner.__class__ is not _Level:
                inner = level[step] = _Level() if inner is None else _Level({"": inner})
            level = inner
        _put(level, steps[-1], value)
    close: Close = with_unsent if of_form else _with_empty_records
    settled = _settled(root, use, shape, close)
    return settled if isinstance(settled, dict) else close({}, use, shape)


def _put(level: _Level, step: str, value: Any) -> None:
    held = level.get(step)
    if held is None:
        level[step] = value
    elif held.__class__ is _Level:
        _put(held, "", value)
    elif isinstance(held, list):
        held.append(value)
    else:
        level[step] = [held, value]


def _with_empty_records(held: dict[str, Any], use: Use | None, shape: Shape, deep: int = 8) -> dict[str, Any]:
    """The data of a record of a query, with records that must be there and of which nothing was sent."""
    for field in _fields(use, shape) if deep else ():
        if field.required and isinstance(field.use.node, Link) and field.wire not in held:
            held[field.wire] = _with_empty_records({}, field.use, shape, deep - 1)
    return held


Close = Callable[[dict[str, Any], Use | None, Shape], dict[str, Any]]
"""Makes what is missing in the data of a record, where that means something."""


def _settled(held: Any, use: Use | None, shape: Shape, close: Close) -> Any:
    """What stands under names as lists and dicts: by what is declared there; else numbers make a list."""
    if held.__class__ is not _Level:
        return held
    node = _node(use)
    several = list(held) == [""]  # `tags[]`, as many write it
    numbers = all(step.isascii() and step.isdigit() and len(step) < 10 for step in held)
    if several and not isinstance(node, Entries):
        return held[""] if isinstance(held[""], list) else [_settled(held[""], _item(node, 0), shape, close)]
    if numbers and not isinstance(node, Entries | Link):
        ordered = sorted(held, key=int)
        return [_settled(held[step], _item(node, at), shape, close) for at, step in enumerate(ordered)]
    if isinstance(node, Scalar) and held.keys() == {"at", "zone"}:
        return _in_zone(held["at"], held["zone"])
    if isinstance(node, Entries):
        return {step: _settled(inner, node.value, shape, close) for step, inner in held.items()}
    uses = {name: field.use for field in _fields(use, shape) for name in (field.wire, *field.also)}
    settled = {step: _settled(inner, uses.get(step), shape, close) for step, inner in held.items()}
    return close(settled, use, shape)


def _in_zone(at: Any, zone: Any) -> Any:
    """A date-time as browsers write it, and its offset beside it: seconds they leave out where there are none."""
    if not isinstance(at, str) or not isinstance(zone, str) or not at.strip():
        return at
    return f"{at}{':00' if len(at) == 16 else ''}{zone}"


def _node(use: Use | None) -> Node | None:
    if use is None:
        return None
    if isinstance(use.node, Nullable):
        return _node(use.node.inner)
    return use.node


def _item(node: Node | None, at: int) -> Use | None:
    if isinstance(node, Items):
        return node.item
    return node.at(at) if isinstance(node, Fixed) else None


def _fields(use: Use | None, shape: Shape) -> tuple[Field, ...]:
    node = _node(use)
    if isinstance(node, Link):
        return shape.records[node.key].fields
    if isinstance(node, Branches):
        return tuple(field for option in node.options for field in _fields(option, shape))
    return ()


def check_form(use: Use, shape: Shape) -> None:
    """Raise DeclarationError where a form is declared that has no names."""
    if not isinstance(_node(use), Link | Entries | Branches):
        raise DeclarationError("a form has names", remedy="declare a record, as in form: Booking")
