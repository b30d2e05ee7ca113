"""Objects released as a record of another class that they fill: by their attributes."""

from __future__ import annotations

from collections.abc import Mapping, Set
from typing import Any, NamedTuple

from ..declare.absent import ABSENT
from ..shape.nodes import Alias, Choice, Entries, Items, Link, Nullable
from ..shape.shape import Record, Shape, default_of
from ..shape.uses import MISSING, Use

_PLAIN = (str, bytes, int, float, list, tuple, Mapping, Set, type(None), type)
"""What has values of its own, and no fields."""


def filled(shape: Shape, value: Any, depth: int) -> Any:
    """A value in which objects that are no instances of the records declared for them, and have all of their
    attributes, are such instances; itself where there are none. Deeper than `depth` nothing is looked at."""
    return _Filling(shape).value(shape.root, value, depth)


class _Filling(NamedTuple):
    shape: Shape

    def value(self, use: Use, value: Any, depth: int) -> Any:
        if depth < 0 or value is None or use.is_reread:
            return value
        match use.node:
            case Nullable(inner):
                return self.value(inner, value, depth)
            case Alias(key):
                return self.value(self.shape.aliases[key], value, depth - 1)
            case Items(item) if isinstance(value, list | tuple) and not hasattr(value, "_fields"):
                made = [self.value(item, each, depth - 1) for each in value]
                changed = any(new is not old for new, old in zip(made, value, strict=True))
                return (made if isinstance(value, list) else tuple(made)) if changed else value
            case Entries(value=inner) if isinstance(value, Mapping):
                told = {key: self.value(inner, each, depth - 1) for key, each in value.items()}
                return told if any(new is not value[key] for key, new in told.items()) else value
            case Link(key):
                return self.record(self.shape.records[key], value, depth - 1)
            case _:
                return value

    def record(self, record: Record, value: Any, depth: int) -> Any:
        if record.rebuilds or (isinstance(value, _PLAIN) and not hasattr(value, "_fields")):
            return value
        fields = [field for field in (*record.fields, *record.rests) if not field.only_given]
        own = record.form != "dict" and isinstance(value, record.builder)
        held: dict[str, Any] = {}
        unheld: dict[str, Any] = {}
        for field in fields:
            each = getattr(value, field.attribute, MISSING)
            if each is not MISSING:
                held[field.attribute] = self.value(field.use, each, depth)
            elif field.marked:
                unheld[field.attribute] = ABSENT
            elif field in record.rests:
                unheld[field.attribute] = {}
            elif field.has_default and isinstance(field.use.node, Choice) and len(field.use.node.values) == 1:
                unheld[field.attribute] = default_of(field)  # a tag: no object has it as an attribute
            elif not field.may_lack:
                return value  # a default is for what comes in: what lacks the attribute is something else
        if not held and fields:
            return value
        held |= unheld
        if own and all(held.get(field.attribute) is getattr(value, field.attribute, None) for field in fields):
            return value
        if record.form == "dict":
            return record.builder(held)
        if record.form == "tuple":
            return record.builder(**held)
        made = object.__new__(record.builder)  # no constructor runs: what goes out is not made again
        for name, each in held.items():
            object.__setattr__(made, name, each)
        return made
