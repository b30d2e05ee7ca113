"""What a rule or step can judge, asked where the type beside it leaves that open: `Any`, or what a function made."""

from __future__ import annotations

from collections.abc import Callable, Set
from typing import Any

from .values import Value


class Takes(Value):
    """A test for values that a rule can judge, what a reader is told they are, and their types in JSON Schema."""

    phrase: str
    covers: Callable[[Any], bool]
    types: tuple[str, ...]


def _is_text(value: object) -> bool:
    return isinstance(value, str)


def is_number(value: object) -> bool:
    """Whether a value is a number, and no boolean."""
    if isinstance(value, bool):
        return False
    if isinstance(value, int | float):
        return True
    from decimal import Decimal

    return isinstance(value, Decimal) and not value.is_nan()


def _is_list(value: object) -> bool:
    from collections import deque

    return isinstance(value, list | tuple | Set | deque)


def _has_length(value: object) -> bool:
    return hasattr(type(value), "__len__")


def _is_text_or_list(value: object) -> bool:
    return isinstance(value, str) or _is_list(value)


TEXT = Takes("text", _is_text, ("string",))
NUMBER = Takes("a number", is_number, ("number",))
LIST = Takes("a list", _is_list, ("array",))
SIZED = Takes("text, a list or a record", _has_length, ("string", "array", "object"))
TEXT_OR_LIST = Takes("text or a list", _is_text_or_list, ("string", "array"))


def comparable_with(constant: object) -> Takes:
    """What can be ordered against a constant."""
    if is_number(constant):
        return NUMBER
    if isinstance(constant, str):
        return TEXT
    kind = type(constant)
    from datetime import datetime

    def fits(value: object) -> bool:
        # A datetime is a date to isinstance, yet the two do not compare.
        return isinstance(value, kind) and isinstance(value, datetime) == isinstance(constant, datetime)

    return Takes("a value of the same kind as the bound", fits, ())
