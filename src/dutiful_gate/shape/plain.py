"""Typed values as plain JSON data, by walking the shape: for what a declaration holds, not for what passes through."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..declare.facts import Source, Stop
from ..declare.steps import Step
from .nodes import Branches, Choice, Entries, Field, Fixed, Items, Link, Nothing, Nullable, Record, Scalar, Use


def plain(use: Use, value: Any, records: Mapping[str, Record]) -> object:
    """The plain JSON data of a sound value."""
    if any(isinstance(part, Step) and not part.normalising for part in use.parts):
        return value  # what a function of one's own made goes out as it is
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
        case Fixed(items):
            return [plain(item, each, records) for item, each in zip(items, value, strict=True)]
        case Entries(key, held):
            return {str(plain(key, name, records)): plain(held, each, records) for name, each in value.items()}
        case Nullable(inner):
            return None if value is None else plain(inner, value, records)
        case Branches(options=options):
            return next(plain(option, value, records) for option in options if belongs(option, value, records))
        case Link(key):
            return _plain_record(records[key], value, records)


def _plain_record(record: Record, value: Any, records: Mapping[str, Record]) -> dict[str, object]:
    def held(field: Field) -> Any:
        return value[field.attribute] if record.form == "dict" else getattr(value, field.attribute)

    return {
        field.wire: plain(field.use, held(field), records)
        for field in record.fields
        if record.form != "dict" or field.attribute in value
    }


def belongs(use: Use, value: object, records: Mapping[str, Record]) -> bool:
    """Whether a typed value is of a use's type, as far as its class tells."""
    match use.node:
        case Scalar(kind):
            held = kind.reader(Source.NATIVE)(value)
            return not isinstance(held, Stop)
        case Nothing():
            return value is None
        case Choice(values=values):
            return any(held is value or (type(held), held) == (type(value), value) for held in values)
        case Items(into=into):
            return type(value).__name__ == into
        case Fixed(items):
            return isinstance(value, tuple) and len(value) == len(items)
        case Entries():
            return isinstance(value, dict)
        case Nullable(inner):
            return value is None or belongs(inner, value, records)
        case Branches(options=options):
            return any(belongs(option, value, records) for option in options)
        case Link(key):
            record = records[key]
            if record.form != "dict":
                return isinstance(value, record.builder)
            if not isinstance(value, dict):
                return False
            return all(field.attribute in value or field.may_lack for field in record.fields) and all(
                belongs(field.use, value[field.attribute], records)
                for field in record.fields
                if field.attribute in value
            )
