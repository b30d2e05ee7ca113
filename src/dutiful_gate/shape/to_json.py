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
        case Items(item, into):
            made = [plain(item, each, records) for each in value]
            return sorted(made, key=repr) if into in ("set", "frozenset") else made
        case Fixed(items):
            return [plain(item, each, records) for item, each in zip(items, value, strict=True)]
        case Entries(key, held):
            return {str(plain(key, name, records)): plain(held, each, records) for name, each in value.items()}
        case Nullable(inner):
            return None if value is None else plain(inner, value, records)
        case Branches(options=options, tag=tag, tags=tags, held=held_under):
            at = next(number for number, option in enumerate(options) if belongs(option, value, records))
            told = plain(options[at], value, records)
            return {tag: tags[at][0], held_under: told} if held_under else told
        case Link(key):
            return _plain_record(records[key], value, records)


def _plain_record(record: Record, value: Any, records: Mapping[str, Record]) -> dict[str, object]:
    def held(field: Field) -> Any:
        return value[field.attribute] if record.form == "dict" else getattr(value, field.attribute)

    made = {
        field.wire: plain(field.use, held(field), records)
        for field in record.fields
        if not field.only_given and (record.form != "dict" or field.attribute in value)
    }
    if record.rest is not None:
        gathered = plain(record.rest.use, held(record.rest), records)
        made.update({key: each for key, each in gathered.items() if key not in made})  # type: ignore[attr-defined]
    return made


def belongs(use: Use, value: object, records: Mapping[str, Record]) -> bool:
    """Whether a typed value is of a use's type, and so is all that it holds."""
    match use.node:
        case Scalar(kind):
            held = kind.reader(Source.NATIVE)(value)
            return not isinstance(held, Stop)
        case Nothing():
            return value is None
        case Choice(values=values):
            return any(held is value or (type(held), held) == (type(value), value) for held in values)
        case Items(item, into):
            return type(value).__name__ == into and all(belongs(item, each, records) for each in value)  # type: ignore[attr-defined]
        case Fixed(items):
            same = isinstance(value, tuple) and len(value) == len(items)
            return same and all(belongs(item, each, records) for item, each in zip(items, value, strict=True))  # type: ignore[call-overload]
        case Entries(key, held):
            return isinstance(value, dict) and all(
                belongs(key, name, records) and belongs(held, each, records) for name, each in value.items()
            )
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
