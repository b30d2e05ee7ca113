"""Marks: what is said about a field that neither checks nor changes it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from .values import Value


class About(Value):
    """What people are told of a field or type, in documents and messages."""

    title: str | None = None
    text: str | None = None
    examples: tuple[Any, ...] = ()

    def __hash__(self) -> int:
        return hash((self.title, self.text, repr(self.examples)))


def about(*, title: str | None = None, text: str | None = None, examples: Iterable[Any] = ()) -> About:
    """Tell people of a field: a title (its label in messages), a text, and examples as a client would send them."""
    return About(title, text, tuple(examples))
