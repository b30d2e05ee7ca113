"""What a form has no way to send: a box that is not ticked, a list without rows, a record of these alone."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from ..declare.facts import Stop
from ..declare.sources import Source
from ..engine.engine import Engine, Plan
from ..shape.asked_outside import without_asking
from ..shape.known_defaults import without_makers
from ..shape.nodes import Branches, Entries, Items, Link
from ..shape.shape import Field, Shape
from ..shape.uses import MISSING, Use
from ..shape.walk import part_of

_MOST_KNOWN: Final = 10_000
_DEEPEST: Final = 8
"""So many records inside of each other are made of nothing; past them a record that holds itself would never end."""


def is_box(use: Use) -> bool:
    """Whether a value is true or false, and so a box to tick."""
    return use.node.single is not None and use.node.single.strict.comes_as == {bool} and not use.is_reread


def with_unsent(held: dict[str, Any], use: Use | None, shape: Shape) -> dict[str, Any]:
    """The data of a record of a form, with what must be there and was not sent because there is none of it.

    An input that is left empty is sent as empty text: where that is refused, nothing was sent.
    """
    for field in _fields_meant(held, use, shape):
        for name in (field.wire, *field.also):
            if held.get(name) == "" and refuses_empty(field.use.bare, shape):
                del held[name]
        if field.required and held.keys().isdisjoint((field.wire, *field.also)):
            none = _none_of(field, shape, _DEEPEST)
            if none is not MISSING:
                held[field.wire] = none
    return held


_REFUSING: Final[dict[int, tuple[Use, bool]]] = {}


def refuses_empty(use: Use, shape: Shape) -> bool:
    """Whether empty text is refused; found out once for each use."""
    known = _REFUSING.get(id(use))
    if known is None or known[0] is not use:
        if len(_REFUSING) > _MOST_KNOWN:
            _REFUSING.clear()
        plain = without_makers(without_asking(part_of(shape, use)))
        known = _REFUSING[id(use)] = use, Engine(Plan(plain, Source.TEXT)).collect("")[0].__class__ is Stop
    return known[1]


def is_needed_in_form(field: Field, shape: Shape) -> bool:
    """Whether something must be sent for a field: none of it is nothing that a form could leave out."""
    return field.required and _none_of(field, shape, _DEEPEST) is MISSING


def _fields_meant(held: Mapping[str, Any], use: Use | None, shape: Shape) -> tuple[Field, ...]:
    """The fields of a record, or of the option of a union that its tag tells."""
    node = use.bare.node if use is not None else None
    if isinstance(node, Branches) and node.tag and not node.held:
        tag = held.get(node.tag)
        options = [option for option, tags in zip(node.options, node.tags, strict=True) if tag in [*map(str, tags)]]
        node = options[0].bare.node if options else None
    return shape.records[node.key].fields if isinstance(node, Link) else ()


def _none_of(field: Field, shape: Shape, deep: int) -> Any:
    """What nothing means for a field; MISSING where it means that it was forgotten."""
    use = field.use
    if is_box(use):
        return "false"
    if use.is_reread or use.nullable:
        return MISSING
    match use.node:
        case Items():
            return []
        case Entries():
            return {}
        case Link(key) if deep and shape.records[key].form != "tuple":
            inner = [each for each in shape.records[key].fields if each.required]
            made = {each.wire: _none_of(each, shape, deep - 1) for each in inner}
            return MISSING if MISSING in made.values() else made
        case _:
            return MISSING
