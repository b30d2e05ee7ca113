"""The names of settings: as files write them, as variables spell them, as people put them with dots."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final

from ..report.fault import Path
from ..shape.nodes import (
    Alias,
    Branches,
    Entries,
    Field,
    Fixed,
    Items,
    Link,
    Node,
    Nullable,
    Record,
    Sealing,
    Shape,
    Use,
)

BETWEEN: Final = "__"
"""What stands between the steps of a setting in the name of a variable, or of a file of secrets."""
_NO_LETTER = re.compile(r"[^a-z0-9]+")


def spelled(name: str) -> str:
    """A name as it compares with that of a variable: in small letters, anything else an underscore."""
    return _NO_LETTER.sub("_", name.lower())


class Names:
    """The fields of a shape's records, by every name that they come under."""

    def __init__(self, shape: Shape) -> None:
        self.shape = shape
        self._written: dict[str, dict[str, Field]] = {}
        self._spelled: dict[str, dict[str, Field]] = {}

    def written(self, record: Record) -> Mapping[str, Field]:
        """By the names that stand in files."""
        if record.key not in self._written:
            self._written[record.key] = {
                name: field for field in reversed(record.fields) for name in (*field.also, field.wire)
            }
        return self._written[record.key]

    def spelled(self, record: Record) -> Mapping[str, Field]:
        """By the names as variables spell them."""
        if record.key not in self._spelled:
            self._spelled[record.key] = {
                spelled(name): field for field in reversed(record.fields) for name in (*field.also, field.wire)
            }
        return self._spelled[record.key]

    def node(self, use: Use | None) -> Node | None:
        """What stands at a use, without null, a seal or a name around it."""
        while use is not None:
            match use.node:
                case Nullable(inner) | Sealing(inner):
                    use = inner
                case Alias(key):
                    use = self.shape.aliases[key]
                case node:
                    return node
        return None

    def records(self, use: Use | None, data: object = None) -> Iterator[Record]:
        """The records that may stand at a use; of a union those that the tag in the data tells, where it does."""
        match self.node(use):
            case Link(key):
                yield self.shape.records[key]
            case Branches(options=options, tag=tag, tags=tags, held="") if (
                tag and isinstance(data, Mapping) and tag in data
            ):
                for option, known in zip(options, tags, strict=True):
                    if data[tag] in known or str(data[tag]) in map(str, known):
                        yield from self.records(option)
            case Branches(options=options, held=""):
                for option in options:
                    yield from self.records(option)

    def below(self, use: Use | None, step: Any, data: object = None) -> Use | None:
        """What stands under one step, by its name in the data; None where that is not known."""
        match self.node(use):
            case Items(item):
                return item if isinstance(step, int) else None
            case Fixed() as fixed:
                return fixed.at(step) if isinstance(step, int) else None
            case Entries(_, value):
                return value
        for record in self.records(use, data):
            field = self.written(record).get(step) if isinstance(step, str) else None
            if field is not None:
                return field.use
            for rest in record.rests:
                if isinstance(entries := self.node(rest.use), Entries):
                    return entries.value
        return None

    def at(self, path: Path, data: object = None) -> Use | None:
        """What stands at the end of a path."""
        use: Use | None = self.shape.root
        for step in path:
            use = self.below(use, step, data)
            data = _inside(data, step)
            if use is None:
                return None
        return use

    def is_hidden(self, path: Path, data: object = None) -> bool:
        """Whether what stands at a path may not be shown: a secret is there, around it, or inside of it.

        What nobody declared may be a misspelt secret, where there are any.
        """
        use: Use | None = self.shape.root
        for step in path:
            if use is not None and use.secret:
                return True
            use = self.below(use, step, data)
            data = _inside(data, step)
            if use is None:
                return self.shape.secretive
        return use is not None and self.holds_secret(use)

    def holds_secret(self, use: Use) -> bool:
        """Whether a secret is there, or inside."""
        from ..shape.walk import holds_secret

        return holds_secret(use, self.shape.guarded)


def _inside(data: object, step: Any) -> object:
    if isinstance(data, Mapping):
        return data.get(step)
    if isinstance(data, list | tuple) and isinstance(step, int) and -len(data) <= step < len(data):
        return data[step]
    return None


def steps_of(dotted: str) -> list[str]:
    """The steps of a name with dots, `crates[0].contents` or `crates.0.contents`."""
    return [step for step in re.split(r"[.\[\]]", dotted) if step]


def variable(prefix: str, path: Sequence[Any]) -> str:
    """The variable that sets what stands at a path."""
    return prefix + BETWEEN.join(spelled(str(step)).upper() for step in path)


def prefix_of(layers: Sequence[Any]) -> str:
    """The prefix of the variables among some layers; "" where there are none."""
    return next((prefix for layer in layers if (prefix := getattr(layer, "prefix", ""))), "")
