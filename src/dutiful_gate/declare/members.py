"""Constants of rules that mean a member of an Enum: one thing to compare with, another to write down."""

from __future__ import annotations

from binascii import b2a_base64
from enum import Enum
from typing import Any

from .values import Value


class Member(Value):
    """A constant of a rule that means a member of an Enum: what is compared, and what stands for it in the data."""

    held: Any
    wire: Any


def typed(constant: Any) -> Any:
    """A constant as values are compared with it."""
    return constant.held if constant.__class__ is Member else constant


def quoted(constant: Any) -> str:
    """A constant of a rule as a developer writes it."""
    if isinstance(constant, Enum):
        return f"{type(constant).__name__}.{constant.name}"
    return repr(on_wire(constant))


def told(constant: Any) -> Any:
    """A constant as it is told to people: binary data in base64, as it stands in the data."""
    return b2a_base64(constant, newline=False).decode() if isinstance(constant, bytes) else on_wire(constant)


def on_wire(constant: Any) -> Any:
    """A constant as it stands in the data, and is told to people."""
    return constant.wire if constant.__class__ is Member else constant
