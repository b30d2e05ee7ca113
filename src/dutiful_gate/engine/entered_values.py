"""What was typed, without secrets: to fill a form with again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..declare.uploads import UploadedFile
from ..report.hostile_objects import without_liars
from ..shape.nodes import Alias, Branches, Entries, Fixed, Items, Link, Nullable
from ..shape.shape import Shape
from ..shape.uses import Use
from ..shape.walk import holds_secret
from .rest_fields import attributes_in_data, flat
from .runtime import attributes_of

_DEEPEST = 64
_PLAIN = (str, int, float, bool, bytes, type(None))


def entered(shape: Shape, data: Any) -> Any:
    """A copy of the data as it came, without secrets; where one is wanted inside, only what is known not to be one."""
    try:
        return _Cleaner(shape).of(shape.root, data, _DEEPEST)
    except Exception:  # an object that cannot be asked what it is
        return _Cleaner(shape).of(shape.root, without_liars(data, typed=False), _DEEPEST)


class _Cleaner:
    """Cleans what came; what stands in several places is cleaned once for each use, and in itself it is left out."""

    def __init__(self, shape: Shape) -> None:
        self.shape = shape
        self.known: dict[tuple[int, int], Any] = {}
        self.held: list[Any] = []  # so that no mark is another's

    def of(self, use: Use, data: Any, left: int) -> Any:
        """A value without what is secret in it."""
        if use.secret or left == 0 or isinstance(data, UploadedFile):
            return None
        if type(data) in _PLAIN:
            return self._of(use, data, left)
        mark = id(use), id(data)
        if mark not in self.known:
            self.known[mark] = None
            self.held.append(data)
            self.known[mark] = self._of(use, data, left)
        return self.known[mark]

    def _of(self, use: Use, data: Any, left: int) -> Any:
        shape, guarded = self.shape, holds_secret(use, self.shape.guarded)
        match use.node:
            case Nullable(inner):
                return self.of(inner, data, left)
            case Items(item=item) if isinstance(data, list | tuple):
                return [self.of(item, each, left - 1) for each in data]
            case Fixed() if isinstance(data, list | tuple):
                items = use.node.per_item(len(data))
                each = zip(items, data, strict=False)
                more = [] if guarded else data[len(items) :]
                return [*(self.of(item, held, left - 1) for item, held in each), *more]
            case Entries(_, value) if isinstance(data, Mapping):
                return {key: self.of(value, each, left - 1) for key, each in data.items()}
            case Branches(options=options, held=held) if guarded and held and isinstance(data, Mapping):
                return {
                    name: self.of_options(options, each, left - 1) if name == held else each
                    for name, each in data.items()
                    if name in (held, use.node.tag)
                }
            case Branches(options=options) if guarded:
                return self.of_options(options, data, left)
            case Alias(key):
                return self.of(shape.aliases[key], data, left)
            case Link(key):
                record = shape.records[key]
                if record.form != "dict" and isinstance(record.builder, type) and isinstance(data, record.builder):
                    data = flat(attributes_of(data, attributes_in_data(record)))
                if isinstance(data, Mapping):
                    return self.record(key, data, left - 1)
        # What is no plain value where one is wanted may have been meant for another place.
        misplaced = shape.secretive and not isinstance(data, _PLAIN) and not use.facts.open
        return None if guarded or misplaced else data

    def of_options(self, options: tuple[Use, ...], data: Any, left: int) -> Any:
        """Of a record that may be one of several, what none of them calls secret."""
        if not isinstance(data, Mapping):
            return None
        kept: dict[Any, Any] | None = None
        for option in options:
            if isinstance(option.node, Link | Entries | Alias):
                cleaned = self.of(option, data if kept is None else kept, left)
                kept = cleaned if isinstance(cleaned, dict) else {}
        return kept

    def record(self, key: str, data: Mapping[Any, Any], left: int) -> dict[Any, Any]:
        """A record, field by field."""
        record = self.shape.records[key]
        every = {name: field for field in record.fields for name in (field.wire, *field.also)}
        # A secret may stand under a name that was misspelt: where there are secrets, what nobody declared is left out.
        hides = key in self.shape.guarded
        cleaned: dict[Any, Any] = {}
        for name, value in data.items():
            field = every.get(name)
            if field is None:
                if not hides:
                    cleaned[name] = value
            elif not field.use.secret:
                cleaned[name] = self.of(field.use, value, left)
        return cleaned
