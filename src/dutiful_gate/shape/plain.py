"""Typed values as plain JSON data, by walking the shape: for what a declaration holds, not for what passes through."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .nodes import Choice, Items, Link, Nothing, Nullable, Record, Scalar, Use


def plain(use: Use, value: Any, records: Mapping[str, Record]) -> object:
    """The plain JSON data of a sound value."""
    match use.node:
        case Scalar(kind):
            return kind.plain(value)
        case Nothing():
            return None
        case Choice(wire=wire, values=values):
            at = next(i for i, held in enumerate(values) if held is value or (type(held), held) == (type(value), value))
            return wire[at]
        case Items(item):
            return [plain(item, each, records) for each in value]
        case Nullable(inner):
            return None if value is None else plain(inner, value, records)
        case Link(key):
            fields = records[key].fields
            return {field.wire: plain(field.use, getattr(value, field.attribute), records) for field in fields}
