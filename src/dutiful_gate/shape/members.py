"""The members of a Literal or an Enum, as the node of a choice."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from enum import Enum
from typing import Any

from ..declare.constants import no_json
from ..declare.errors import DeclarationError
from ..declare.kinds.decimal import decimal_plain
from .nodes import Choice

_REMEDY = "use text, numbers, true, false or null"


def choice_of_literal(values: Sequence[Any]) -> Choice:
    """The choice of a Literal's constants."""
    wire: list[object] = []
    for value in values:
        plain = _exactly(value.value if isinstance(value, Enum) else value)
        if held := no_json(plain):
            raise DeclarationError(f"a constant of a Literal is no value of JSON: {held}", remedy=_REMEDY)
        wire.append(plain)
    return Choice(tuple(wire), tuple(values))


def choice_of_enum(declared: type[Enum]) -> Choice:
    """The choice of an Enum's members."""
    members = tuple(declared)
    if not members:
        raise DeclarationError(f"the enumeration {declared.__name__} has no members", remedy="give it some")
    for member in members:
        if held := no_json(_exactly(member.value)):
            raise DeclarationError(
                f"{declared.__name__}.{member.name} has a value that is no value of JSON: {held}", remedy=_REMEDY
            )
    # A member of a subclass of str or int stands as its plain value in the data.
    wire = tuple(_exactly(member.value) for member in members)
    return Choice(wire, members, declared)


def _exactly(value: Any) -> Any:
    for kind in (bool, int, float, str):
        if isinstance(value, kind):
            return value if type(value) is kind else kind(value)
    return decimal_plain(value) if isinstance(value, Decimal) and value.is_finite() else value
