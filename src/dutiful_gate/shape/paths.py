"""What stands at a path that a rule of a record mentions: its use, what is known of it, its name in the data."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..declare.conditions import Came, Condition, told_path
from ..declare.errors import DeclarationError, did_you_mean
from ..declare.facts import Facts
from ..declare.field_access import ITEM, Path
from ..declare.records import RecordRule
from ..declare.value_conditions import Over
from .nodes import Alias, Branches, Entries, Fixed, Items, Link, Nullable
from .shape import Field, Record, Shape
from .uses import Use
from .walk import standing


class Paths:
    """Follows paths through the records of a shape."""

    def __init__(self, records: Mapping[str, Record], aliases: Mapping[str, Use]) -> None:
        self.records = records
        self.aliases = aliases

    def use(self, record: Record, path: Path) -> Use:
        """The use at a path. Raises DeclarationError where there is none, or none that is one record's alone."""
        use = self._meant(self._field(record, path, 0).use)
        for at, step in enumerate(path[1:], 1):
            use = self._step(use, path, at, step)
        return use

    def _meant(self, use: Use) -> Use:
        """What stands under the one key, where a value comes so."""
        if use.under_key and isinstance(use.node, Link):
            return self.records[use.node.key].fields[0].use
        return use

    def _step(self, use: Use, path: Path, at: int, step: str) -> Use:
        node = self.plain(use).node
        if step == ITEM and isinstance(node, Items):
            return node.item
        if step == ITEM and isinstance(node, Fixed) and len(set(node.inside)) == 1:
            return node.inside[0]
        if isinstance(node, Link):
            return self._field(self.records[node.key], path, at).use
        if isinstance(node, Entries) and step != ITEM:
            return node.value
        raise DeclarationError(
            f"{told_path(path[: at + 1])} leads into {use.facts.phrase}, which is no one record with fields",
            remedy="ask this.x.is_a(...) of unions, and .all(...) or .any(...) of lists",
        )

    def uses(self, record: Record, path: Path) -> list[Use]:
        """All uses on the way to a path's end."""
        return [self.use(record, path[: at + 1]) for at in range(len(path))]

    def plain(self, use: Use) -> Use:
        """A use without `or null` around it, and what an alias stands for."""
        while isinstance(use.node, Nullable | Alias):
            use = use.node.inner if isinstance(use.node, Nullable) else self.aliases[use.node.key]
        return use

    def record(self, record: Record, path: Path) -> Record | None:
        """The record at a path; None where no single one stands there."""
        node = self.plain(self.use(record, path)).node
        return self.records[node.key] if isinstance(node, Link) else None

    def facts(self, record: Record, path: Path) -> Facts:
        """What is known of a value at a path."""
        use = self.use(record, path)
        if isinstance(use.node, Nullable) and not use.parts:
            use = use.node.inner
        return use.facts

    def wire(self, record: Record, path: Path) -> str:
        """A path in the names of the data."""
        told = [self._field(record, path, 0).wire]
        use = self._field(record, path, 0).use
        if use.under_key:
            told.append(use.under_key)
            use = self._meant(use)
        for at, step in enumerate(path[1:], 1):
            node = self.plain(use).node
            told.append(self._field(self.records[node.key], path, at).wire if isinstance(node, Link) else step)
            use = self._step(use, path, at, step)
        return ".".join(told)

    def _field(self, record: Record, path: Path, at: int) -> Field:
        name = path[at]
        fields = record.by_attribute
        if name not in fields:
            raise DeclarationError(
                f"{told_path(path[: at + 1])} names {name!r}, which is no field of {record.name}",
                remedy=did_you_mean(name, fields, f"it has {', '.join(fields) or 'no fields'}", str),
                record=record.name,
                field=name,
            )
        return fields[name]


def in_data(shape: Shape, record: Record, path: Sequence[Any]) -> tuple[Any, ...]:
    """A path of attributes, items and keys as it is in the data, as far as it leads through the shape of a record."""
    told: list[Any] = []
    uses = [Use(Link(record.key))]
    for step in path:
        following: list[Use] = []
        name = step
        for use in [each for held in uses for each in standing(held, shape.aliases)]:
            known = shape.record_of(use)
            field = known.by_attribute.get(step) if known is not None and isinstance(step, str) else None
            if field is not None:
                name = name if following else field.wire
                following.append(field.use)
            following += () if isinstance(use.node, Branches) else use.node.under(step)
        told.append(name)
        uses = following
    return tuple(told)


class FactsAt:
    """What is known of the values that the paths of one record lead to."""

    def __init__(self, paths: Paths, record: Record) -> None:
        self.paths = paths
        self.record = record

    def __getitem__(self, path: Path) -> Facts:
        return self.paths.facts(self.record, path)


def check_record_rules(records: Mapping[str, Record], aliases: Mapping[str, Use]) -> None:
    """Raise DeclarationError for a rule that mentions what is not there, or what does not go together."""
    paths = Paths(records, aliases)
    for record in records.values():
        for rule in record.rules:
            _check_came(record, rule)
            try:
                for path in rule.paths:
                    paths.use(record, path)
                rule.suits(FactsAt(paths, record))
                _check_counts(paths, record, rule)
            except DeclarationError as error:
                raise error.within(record.name, rule.fields[0] if rule.fields else "") from None


def _check_came(record: Record, rule: RecordRule) -> None:
    """What came is known as long as nothing has been put in its place."""
    fields = record.by_attribute
    waiting: list[object] = [rule]
    while waiting:
        part = waiting.pop()
        if isinstance(part, Came) and not (fields[part.path[0]].required or fields[part.path[0]].may_lack):
            raise DeclarationError(
                f"{part} asks whether a field came that has a default: once it is read, nobody can tell",
                remedy=f"ask {told_path(part.path)}.has_value, or let the field be NotRequired in a TypedDict",
                record=record.name,
                field=part.path[0],
            )
        if isinstance(part, Condition | RecordRule) and not isinstance(part, Over):  # that looks at items
            waiting += part.made_of


def _check_counts(paths: Paths, record: Record, part: object) -> None:
    """The same wherever a rule, or what it is made of, counts keys: those of items by their record."""
    if isinstance(part, Over):
        inner = paths.record(record, (*part.path, ITEM))
        if inner is not None:
            _check_counts(paths, inner, part.inner)
            if inner.form != "dict" and getattr(part.inner, "counts_keys", False):
                raise DeclarationError(
                    f"{part} counts the keys of items, which {inner.name} does not keep",
                    remedy="let the items be TypedDicts, or give their class the rule",
                    record=record.name,
                )
    elif isinstance(part, Condition | RecordRule) and part.made_of:
        for each in part.made_of:
            _check_counts(paths, record, each)
    elif getattr(part, "counts_keys", False):
        _check_counted(record, str(part))


def _check_counted(record: Record, rule: str) -> None:
    """How many keys came says the same before and after reading where none is left out, and nothing stands in."""
    if "length" in {field.attribute for field in record.fields}:
        raise DeclarationError(
            f"{rule} counts the keys of the record, which has a field of that name",
            remedy='the field is this["length"]; leave the count out, or name the field otherwise',
            record=record.name,
        )
    if any(not field.required and not field.may_lack for field in record.fields) or not (
        record.rests or record.unknown == "refuse"
    ):
        raise DeclarationError(
            f"{rule} counts keys, of which some may be left out or stand in",
            remedy='give no field a default, and let the record gather the rest, or say @obeys(unknown="refuse")',
            record=record.name,
        )
