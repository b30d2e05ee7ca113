"""A shape whose classes were changed since: how they are built is looked at again, their annotations are not."""

from __future__ import annotations

from .constructors import only_stores, runs_own_code
from .shape import Shape


def looked_at_again(shape: Shape) -> Shape:
    """The shape with each record built as its class is built now."""
    records = {
        key: record
        if record.form != "object"
        else record.replace(
            stores=record.stores and only_stores(record.builder), runs_own=runs_own_code(record.builder)
        )
        for key, record in shape.records.items()
    }
    return shape.replace(records=records)
