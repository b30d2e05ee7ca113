"""How the fields of a record stand in its data, for rules of the record that become keywords."""

from __future__ import annotations

from functools import cached_property

from ...declare.errors import DeclarationError
from ...declare.facts import Facts
from ...declare.field_access import Path
from ...declare.records import Standing
from ...shape.known_defaults import is_unknown, known_default
from ...shape.nodes import Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar
from ...shape.paths import Paths
from ...shape.shape import Record, Shape
from ...shape.uses import MISSING, Use


class RecordStanding(Standing):
    """The fields of one record, and of those inside it."""

    def __init__(self, shape: Shape, record: Record, *, released: bool) -> None:
        self.shape = shape
        self.record = record
        self.released = released
        self.paths = Paths(shape.records, shape.aliases)
        fields = record.fields
        self.wire = {field.attribute: field.wire for field in fields}
        self.nullable = frozenset(field.attribute for field in fields if field.use.may_be_null)
        self.blank = frozenset(field.attribute for field in fields if field.use.blank and not released)
        self.plain = frozenset(field.attribute for field in fields if _is_plain(field.use))

    @cached_property
    def defaults(self) -> dict[str, object]:  # type: ignore[override]
        """What stands in for fields that are absent: nothing in what is released, where they are there."""
        absent = [field for field in self.record.fields if field.has_default and not self.released]
        found = {field.attribute: known_default(self.shape, field) for field in absent}
        return {name: held for name, held in found.items() if held is not MISSING}

    @cached_property
    def unknown(self) -> frozenset[str]:  # type: ignore[override]
        """The fields for which a function makes what stands in."""
        fields = [] if self.released else self.record.fields
        return frozenset(field.attribute for field in fields if is_unknown(self.shape, field))

    def facts(self, path: Path) -> Facts:
        """What is known of the value at a path."""
        return self.paths.facts(self.record, path)

    def inside(self, path: Path) -> Standing | None:
        """The same for the record at a path; None where no single one stands there."""
        try:
            record = self.paths.record(self.record, path)
        except DeclarationError:
            return None
        return None if record is None else RecordStanding(self.shape, record, released=self.released)


def _is_plain(use: Use) -> bool:
    """Whether all values of a use are what stands in the data for them, and no two kinds become one."""
    if use.is_reread or use.blank or use.has_steps:
        return False
    match use.node:
        case Scalar(kind):
            return kind.as_it_comes
        case Nothing() | Items(into="list"):
            return True
        case Choice(owner=owner, lenient=lenient):
            return owner is None and not lenient
        case Nullable(inner):
            return _is_plain(inner)
        case Branches(options=options, held=held):
            return not held and all(map(_is_plain, options))
        case Link() | Entries() | Fixed():
            return False
        case _:
            return False
