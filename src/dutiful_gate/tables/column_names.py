"""Which column of a table is which field: by the name in the data, another it may come under, or the attribute's."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from ..read.unreadable import CannotStart
from ..shape.nodes import Link
from ..shape.shape import Record, Shape


def wire_names(record: Record, names: Sequence[str]) -> dict[str, str]:
    """The name in the data, by that of the column, where it is another: columns may be named as attributes are."""
    known = {name for field in record.fields for name in (field.wire, *field.also)}
    return {
        field.attribute: field.wire
        for field in record.fields
        if field.attribute not in known and field.attribute in names and field.wire not in names
    }


def check_names(names: Iterable[Any]) -> None:
    """Raise CannotStart where two columns have one name, or a name is no text."""
    counted = Counter(names)
    for name, count in counted.items():
        if not isinstance(name, str):
            raise CannotStart(f"the column {name!r} has a name that is no text: rename it")
        if count > 1:
            raise CannotStart(f"{count} columns are named {name!r}: rename all but one")


def nested_names(record: Record, names: Sequence[str], shape: Shape) -> dict[str, dict[str, str]]:
    """The columns that are fields of a record inside, as `berth.number`: by the field that holds it, the column by the
    field inside. A column that is declared with a point in its name is itself."""
    known = {name for field in record.fields for name in (field.wire, field.attribute, *field.also)}
    found: dict[str, dict[str, str]] = {}
    holders: Mapping[str, str] = {
        name: field.wire
        for field in record.fields
        if isinstance(field.use.bare.node, Link)
        for name in (field.wire, field.attribute)
    }
    for name in names:
        first, point, further = name.partition(".")
        if point and name not in known and first in holders and first not in names:
            found.setdefault(holders[first], {})[further] = name
    return found
