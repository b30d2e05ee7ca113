"""Marks: what is said about a field that neither checks nor changes it by itself."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from .errors import DeclarationError
from .values import Value


class About(Value):
    """What people are told of a field or type, in documents and messages."""

    title: str | None = None
    text: str | None = None
    examples: tuple[Any, ...] = ()
    deprecated: bool = False
    read_only: bool = False

    def __hash__(self) -> int:
        return hash((self.title, self.text, repr(self.examples)))


def about(
    *,
    title: str | None = None,
    text: str | None = None,
    examples: Iterable[Any] = (),
    deprecated: bool = False,
    read_only: bool = False,
) -> About:
    """Tell people of a field: a title (its label in messages), a text, and examples as a client would send them.

    `deprecated` and `read_only` are for documents alone: clients should no longer send it, or need not.
    """
    return About(title, text, tuple(examples), deprecated, read_only)


class Mark(Value):
    """A word beside a type, told apart by its name."""

    word: str

    def __str__(self) -> str:
        return self.word


class Named(Value):
    """See `named`."""

    wire: str


def named(wire: str) -> Named:
    """The field's name in the data, where it differs from the attribute's."""
    if not isinstance(wire, str):
        raise DeclarationError(f"named({wire!r}) needs text", remedy='as in named("bookingRef")')
    return Named(wire)


class ToldBy(Value):
    """See `told_by`."""

    field: str


def told_by(field: str) -> ToldBy:
    """Beside a union of records: the field, by its name in the data, whose value tells which of them came.

    Where one required field can tell, it is found without this.
    """
    if not isinstance(field, str) or not field:
        raise DeclarationError(f"told_by({field!r}) needs the name of a field", remedy='as in told_by("kind")')
    return ToldBy(field)


secret = Mark("secret")
"""The value is never shown: in no fault, problem body, document example, or `.entered()`; and withheld from release."""

lenient = Mark("lenient")
"""Text is taken for numbers and the like, numbers for text; 1, 0, yes, no, on, off for booleans."""

rest = Mark("rest")
"""The field gathers all keys that nobody declared, in a dict."""

utc_only = Mark("utc_only")
"""A date-time must be written in UTC."""

without_offset = Mark("without_offset")
"""A date-time has no offset: what a clock on the wall shows."""

or_infinite = Mark("or_infinite")
"""A float may be infinite."""


def camel(attribute: str) -> str:
    """`weight_kg` as `weightKg`: for `Gate(..., keys=camel)`."""
    head, *tail = attribute.strip("_").split("_")
    return head + "".join(part[:1].upper() + part[1:] for part in tail)


def kebab(attribute: str) -> str:
    """`weight_kg` as `weight-kg`: for `Gate(..., keys=kebab)`."""
    return attribute.strip("_").replace("_", "-")
