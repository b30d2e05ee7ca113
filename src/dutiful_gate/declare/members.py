"""Constants of rules that mean a member of an Enum: one thing to compare with, another to write down."""

from __future__ import annotations

from binascii import b2a_base64
from enum import Enum
from typing import Any, NoReturn

from .errors import DeclarationError
from .values import Value


class Subject:
    """What all subjects share: none has a truth value, and none can be compared twice in one chain."""

    __slots__ = ()

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self!r} was asked for a truth value, and has none while it is only declared",
            remedy="write two rules one after the other instead of joining them with and, or, not",
        )

    __hash__ = object.__hash__


class Member(Value):
    """A constant of a rule that means a member of an Enum: what is compared, and what stands for it in the data."""

    held: Any
    wire: Any


def checked(constant: Any, rule: str) -> Any:
    """A constant of a rule. Raises DeclarationError for a rule, a step or a condition, which no value equals."""
    if isinstance(constant, Value | Subject) and constant.__class__ is not Member:
        raise DeclarationError(
            f"{rule} compares with a rule or a word of the declaration, {constant}, which no value equals",
            remedy="give the value itself; what items must obey is said as in this.codes.any(it.has('[0-9]'))",
        )
    return constant


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
