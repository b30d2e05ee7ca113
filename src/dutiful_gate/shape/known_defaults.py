"""What stands in for an absent field, where that is known without calling a function of the developer's own."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from typing import Any, Final

from ..declare.marks import AsSent, Copied
from .shape import Field, Record, Shape
from .uses import MISSING
from .walk import part_of, uses_of

ITS_DEFAULT: Final = "its default"
"""What is told as unstated where a document cannot tell what stands in: it makes nobody refuse anything."""

EMPTY: Final = (list, dict, set, tuple, frozenset)
"""The factories that make the same whoever calls them."""


def known_default(shape: Shape, field: Field) -> Any:
    """What stands in for a field of a shape; MISSING for nothing, and for what only calling its factory would tell."""
    factory = field.factory
    if factory is None:
        return field.default
    if factory in EMPTY or isinstance(factory, Copied):
        return factory()
    if isinstance(factory, AsSent):
        return factory() if factory.reads is not None and not _asks_own(shape, field) else MISSING
    record = _record_of(shape, factory)
    return factory() if record is not None and _is_known(shape, record, ()) else MISSING


def is_unknown(shape: Shape, field: Field) -> bool:
    """Whether something stands in for a field that nobody knows before it is made."""
    return field.factory is not None and known_default(shape, field) is MISSING


def _record_of(shape: Shape, factory: Callable[[], Any]) -> Record | None:
    """The record whose class makes a default, all of its fields by their own defaults."""
    return next((each for each in shape.records.values() if each.builder is factory and each.form != "dict"), None)


def _is_known(shape: Shape, record: Record, above: tuple[str, ...]) -> bool:
    if record.runs_own or record.key in above:
        return False
    if dataclasses.is_dataclass(record.builder):
        hidden = [each.default_factory for each in dataclasses.fields(record.builder) if not each.init]
        if any(each is not dataclasses.MISSING and each not in EMPTY for each in hidden):
            return False
    for field in (*record.fields, *record.rests):
        factory = field.factory
        if factory is None or factory in EMPTY:
            if factory is None and field.default is MISSING:
                return False
            continue
        inner = _record_of(shape, factory)
        if inner is None or not _is_known(shape, inner, (*above, record.key)):
            return False
    return True


def _asks_own(shape: Shape, field: Field) -> bool:
    """Whether reading plain data for a field may call functions of the developer's own."""
    part = part_of(shape, field.use)
    for use in uses_of(part):
        for each in use.parts:
            if each.functions:
                return True
    return any(
        record.runs_own or record.checks or any(is_unknown(shape, each) for each in record.fields if each is not field)
        for record in part.records.values()
    )


def without_makers(shape: Shape) -> Shape:
    """The shape in which fields must be there whose default a function makes: reading by it calls none of them."""

    def asked(field: Field) -> Field:
        return field.replace(factory=None) if is_unknown(shape, field) else field

    records = {key: record.replace(fields=tuple(map(asked, record.fields))) for key, record in shape.records.items()}
    return shape.replace(records=records)
