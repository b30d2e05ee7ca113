"""What both writers of functions need to know, and the few pieces of source that they share."""

from __future__ import annotations

from enum import Enum

from ..declare.facts import Source
from ..declare.kinds import Text
from ..declare.limits import Limits
from ..declare.values import Value
from ..shape.nodes import Choice, Field, Items, Link, Nullable, Record, Scalar, Shape, Use
from .runtime import chooser
from .writer import Writer


class Plan(Value):
    """A shape, and how it is to be read."""

    shape: Shape
    source: Source
    refuse_unknown: bool = False
    limits: Limits = Limits()

    def may_be_blank(self, use: Use) -> bool:
        """Whether an empty text stands for nothing here: in all-text sources, unless text is what is wanted."""
        if self.source is not Source.TEXT:
            return False
        match use.node:
            case Nullable(inner):
                return self.may_be_blank(inner)
            case Scalar(kind):
                return not isinstance(kind, Text)
            case Choice(wire=wire):
                return "" not in wire
            case _:
                return False


def constructed(writer: Writer, record: Record, value_of: dict[str, str]) -> str:
    """The call that builds a record from its fields' variables."""
    builder = writer.bind_class(record.builder)
    arguments = ", ".join(f"{field.attribute}={value_of[field.attribute]}" for field in record.fields)
    return f"{builder}({arguments})"


def build(writer: Writer, record: Record, made: str, value_of: dict[str, str]) -> None:
    """Write the making of a record, into the variable `made`, of its fields' variables."""
    if not record.stores or not all(name.isascii() for name in value_of):
        writer.write(f"{made} = {constructed(writer, record, value_of)}")
        return
    writer.write(f"{made} = {writer.bind(object.__new__, 'new')}({writer.bind_class(record.builder)})")
    for name, held in value_of.items():
        writer.write(f"{made}.{name} = {held}")


def default_source(writer: Writer, field: Field) -> str:
    """The expression that stands in for a field that is absent."""
    if field.factory is not None:
        return f"{writer.bind(field.factory, 'FACTORY')}()"
    return writer.bind(field.default, "DEFAULT")


def choice_ready(writer: Writer, choice: Choice, source: Source, value: str) -> str | None:
    """The test for a choice of texts that are their own values; None where choosing takes more."""
    if choice.owner is not None or source is Source.NATIVE:
        return None
    if not all(type(plain) is str and plain is held for plain, held in zip(choice.wire, choice.values, strict=True)):
        return None
    return f"{value}.__class__ is str and {value} in {writer.bind(frozenset(choice.wire), 'CHOICES')}"


def choice_reader(writer: Writer, choice: Choice, source: Source) -> str:
    """The name of the function that chooses."""
    return writer.bind(chooser(choice.wire, choice.values, source), "CHOOSE")


def is_lone_text(choice: Choice) -> bool:
    """Whether all that stands in the data for a choice is text."""
    return all(type(plain) is str for plain in choice.wire)


def member_table(choice: Choice) -> dict[str, Enum]:
    """Members by the text that stands for them."""
    return dict(zip(choice.wire, choice.values, strict=True))  # type: ignore[arg-type]


def holds_records(use: Use) -> bool:
    """Whether a use leads to a record."""
    match use.node:
        case Link():
            return True
        case Items(inner) | Nullable(inner):
            return holds_records(inner)
        case _:
            return False
