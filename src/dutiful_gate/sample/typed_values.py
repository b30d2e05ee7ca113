"""Typed values as code makes them: what was admitted, with one part changed to what admission might not let through."""

from __future__ import annotations

from random import Random
from typing import Any

from ..declare.absent import ABSENT
from ..declare.sealed import Sealed
from ..engine.runtime import remade
from ..shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nullable, Scalar, Sealing
from ..shape.shape import Shape
from ..shape.to_json import belongs
from ..shape.uses import Use


class Made:
    """Makes values of one shape, the same for the same random numbers."""

    def __init__(self, shape: Shape, random: Random) -> None:
        self.shape = shape
        self.random = random

    def of(self, use: Use, value: Any) -> Any:
        """A value with one part changed; what was handed over stays as it is."""
        random = self.random
        if use.making is not None or not belongs(use, value, self.shape):
            return value  # what a function of one's own made, or what stands in, is of its own kind
        match use.node:
            case Sealing(inner):
                return Sealed(self.of(inner, value.opened()))
            case Nullable(inner):
                return None if value is None or random.random() < 0.1 else self.of(inner, value)
            case Scalar(kind):
                known = tuple(kind.made_in_code())
                return random.choice(known) if known else value
            case Choice(values=values):
                return random.choice(values)
            case Items(item) if value:
                several = list(value)
                at = random.randrange(len(several))
                several[at] = self.of(item, several[at])
                return type(value)([*several, several[0]] if random.random() < 0.2 else several)
            case Fixed() if value:
                at = random.randrange(len(value))
                return (*value[:at], self.of(use.node.per_item(len(value))[at], value[at]), *value[at + 1 :])
            case Entries(key, held) if value:
                name = random.choice(list(value))
                changed = dict(value)
                if random.random() < 0.3:
                    changed[self.of(key, name)] = value[name]
                else:
                    changed[name] = self.of(held, value[name])
                return changed
            case Branches(options=options):
                fitting = [option for option in options if belongs(option, value, self.shape)]
                return self.of(random.choice(fitting or options), value)
            case Link(key):
                return self.record(key, value)
            case Alias(key):
                return self.of(self.shape.aliases[key], value)
            case _:
                return value

    def record(self, key: str, value: Any) -> Any:
        """A record with one field changed, or for a dict one key too many or too few."""
        random, record = self.random, self.shape.records[key]
        fields = [field for field in (*record.fields, *record.rests) if not field.only_given]
        if record.form != "dict":
            if not fields or not isinstance(value, record.builder):
                return value
            field = random.choice(fields)
            changed: Any = getattr(value, field.attribute)
            if changed is not ABSENT:
                changed = self.of(field.use, changed)
            if field in record.rests and random.random() < 0.5:
                changed = {**changed, random.choice(record.fields).wire: 1} if record.fields else changed
            return remade(value, (field.attribute,), (changed,))
        made = dict(value)
        if random.random() < 0.1:
            made["berth_number"] = 7
        elif made:
            field = random.choice([field for field in fields if field.attribute in made] or fields)
            if random.random() < 0.1 or field.attribute not in made:
                made.pop(field.attribute, None)
            else:
                made[field.attribute] = self.of(field.use, made[field.attribute])
        return made
