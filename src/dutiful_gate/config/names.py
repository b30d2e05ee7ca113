"""The names of settings: as files write them, as variables spell them, as people put them with dots."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final, NamedTuple

from ..declare.sources import Reading
from ..engine.plan import may_be_blank, takes_null
from ..engine.runtime import HIDDEN_KEY
from ..report.fault import Path
from ..shape.nodes import Alias, Branches, Entries, Fixed, Items, Link, Node, Nullable, Scalar, Sealing
from ..shape.shape import Field, Record, Shape
from ..shape.uses import Use
from ..shape.walk import uses_of

BETWEEN: Final = "__"
"""What stands between the steps of a setting in the name of a variable, or of a file of secrets."""
_NAME = re.compile(r"[\w.-]{1,40}")
_NO_LETTER = re.compile(r"[^a-z0-9]+")


def spelled(name: str) -> str:
    """A name as it compares with that of a variable: in small letters, anything else an underscore."""
    return _NO_LETTER.sub("_", name.lower())


class Known(NamedTuple):
    """What a name leads to: its path, what stands there, what is said where it is set, and whether it is one text."""

    path: Path
    use: Use
    former: bool
    deprecated: bool
    single: bool


class SettingNames:
    """The fields of a shape's records, by every name that they come under."""

    def __init__(self, shape: Shape) -> None:
        self.shape = shape
        self.known: dict[tuple[str, ...], Known] = {}
        """What variables of declared names lead to, once it was looked up: as many as there are fields."""
        uses = uses_of(shape)
        self.merges_plainly = not any(use.appended or (isinstance(use.node, Branches) and use.node.tag) for use in uses)
        """Whether nothing that is declared says how layers are merged, but that records are."""
        self._written: dict[str, dict[str, Field]] = {}
        self._usual: dict[str, frozenset[str]] = {}
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

    def usual(self, record: Record) -> frozenset[str]:
        """The names of its fields under which nothing is said of a value that is one."""
        if record.key not in self._usual:
            fields = [field for field in record.fields if not field.use.about.deprecated]
            self._usual[record.key] = frozenset(field.wire for field in fields)
        return self._usual[record.key]

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
                told = [str(data[tag]) in map(str, known) for known in tags]
                for option, known, fits in zip(options, tags, told, strict=True):
                    if fits or not (known or any(told)):
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
            if use is None or use.secret:
                return use is not None
            if isinstance(self.node(use), Scalar) and use.facts.open:
                return False
            use = self.below(use, step, data)
            data = _inside(data, step)
            if use is None:
                return self.shape.secretive
        return use is not None and self.holds_secret(use)

    def shown(self, path: Path) -> Path:
        """A path that may be shown: where secrets may stand, a key that looks like no name may be one."""
        if not self.shape.secretive:
            return path
        use: Use | None = self.shape.root
        made: list[Any] = []
        for step in path:
            use = self.below(use, step) if use is not None else None
            odd = use is None and isinstance(step, str) and _NAME.fullmatch(step) is None
            made.append(HIDDEN_KEY if odd else step)
        return tuple(made)

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


_DOTTED = re.compile(r"[^.\[\]]+(?:\.[^.\[\]]+|\[[^.\[\]]+\])*+")


def steps_of(dotted: str) -> list[str]:
    """The steps of a name with dots, `crates[0].contents` or `crates.0.contents`; none where it is no such name."""
    return re.findall(r"[^.\[\]]+", dotted) if _DOTTED.fullmatch(dotted) else []


def variable(prefix: str, path: Sequence[Any]) -> str:
    """The variable that sets what stands at a path."""
    return prefix + BETWEEN.join(spelled(str(step)).upper() for step in path)


def prefix_of(layers: Sequence[Any]) -> str:
    """The prefix of the variables among some layers; "" where there are none."""
    return next((prefix for layer in layers if (prefix := getattr(layer, "prefix", ""))), "")


def bare(use: Use) -> tuple[Use, bool]:
    """A use without null and seals around it, and whether it may be null."""
    null = False
    while isinstance(use.node, Nullable | Sealing):
        null = null or isinstance(use.node, Nullable)
        use = use.node.inner
    return use, null


def blank_is_null(use: Use, names: SettingNames) -> bool:
    """Whether blank text stands for null at a use, as in all-text sources."""
    inner, null = bare(use)
    aliases = names.shape.aliases
    may_be_null = null or takes_null(inner, aliases)
    return may_be_null and (may_be_blank(inner, Reading.TEXT, aliases) or inner.blank)
