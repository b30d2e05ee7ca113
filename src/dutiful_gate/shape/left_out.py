"""Fields that are left out on the way out, where they are null or what would stand in for them."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, Final

from ..declare.errors import DeclarationError
from .known_defaults import known_default
from .shape import Field, Record, Shape
from .uses import MISSING

LEFT_OUT: Final = ("nulls", "defaults")


def words_of(leaves_out: Any) -> tuple[str, ...]:
    """What a gate leaves out, in one order. Raises DeclarationError for a word that is not known."""
    words = (leaves_out,) if isinstance(leaves_out, str) else leaves_out
    if not isinstance(words, Collection) or not all(each in LEFT_OUT for each in words):
        raise DeclarationError(
            f"leaves_out={leaves_out!r} says nothing that can be left out",
            remedy='"nulls", "defaults", or both: leaves_out=["nulls", "defaults"]',
        )
    return tuple(word for word in LEFT_OUT if word in words)


def with_left_out(shape: Shape, words: tuple[str, ...]) -> Shape:
    """A shape whose fields say when they are left out."""

    def said(field: Field) -> Field:
        nulls = "nulls" in words and field.use.may_be_null
        default = known_default(shape, field) if "defaults" in words else MISSING
        told = (("nulls",) if nulls else ()) + (("defaults",) if default is not MISSING else ())
        return field.replace(leaves_out=told) if told else field

    def of(record: Record) -> Record:
        return record.replace(fields=tuple(map(said, record.fields)), computed=tuple(map(said, record.computed)))

    return shape.replace(records={key: of(record) for key, record in shape.records.items()}) if words else shape
