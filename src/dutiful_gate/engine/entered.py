"""What was typed, without secrets: to fill a form with again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..shape.nodes import Branches, Entries, Fixed, Items, Link, Nullable, Shape, Use


def entered(shape: Shape, data: Any) -> Any:
    """A copy of the data as it came, without the keys of secret fields."""
    return _cleaned(shape, shape.root, data, 64)


def _cleaned(shape: Shape, use: Use, data: Any, left: int) -> Any:
    if use.secret or left == 0:
        return None
    match use.node:
        case Nullable(inner):
            return _cleaned(shape, inner, data, left)
        case Items(item=item) if isinstance(data, list | tuple):
            return [_cleaned(shape, item, each, left - 1) for each in data]
        case Fixed(items) if isinstance(data, list | tuple):
            uses = [*items, *[use] * (len(data) - len(items))]
            return [_cleaned(shape, item, each, left - 1) for item, each in zip(uses, data, strict=False)]
        case Entries(_, value) if isinstance(data, Mapping):
            return {key: _cleaned(shape, value, each, left - 1) for key, each in data.items()}
        case Branches(options=options):
            for option in options:
                data = _cleaned(shape, option, data, left)
            return data
        case Link(key) if isinstance(data, Mapping):
            return _cleaned_record(shape, key, data, left - 1)
        case _:
            return data


def _cleaned_record(shape: Shape, key: str, data: Mapping[Any, Any], left: int) -> dict[Any, Any]:
    record = shape.records[key]
    every = {field.wire: field for field in record.fields}
    cleaned: dict[Any, Any] = {}
    for name, value in data.items():
        field = every.get(name)
        if field is None:
            hidden = record.rest is not None and record.rest.use.secret
            if not hidden:
                cleaned[name] = value
        elif not field.use.secret:
            cleaned[name] = _cleaned(shape, field.use, value, left)
    return cleaned
