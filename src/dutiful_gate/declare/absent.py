"""What tells a field that is absent from one that is null, in a plain dataclass."""

from __future__ import annotations

import types
import typing
from enum import Enum
from typing import Any, Final


class Absent(Enum):
    """The class of `ABSENT`: `note: str | None | Absent = ABSENT` may be absent, and then is ABSENT, or null.

    It goes out as it came: not at all. Type checkers take `is ABSENT` for what it is.
    """

    ABSENT = "absent"

    def __repr__(self) -> str:
        return "ABSENT"

    def __bool__(self) -> bool:
        return False


ABSENT: Final = Absent.ABSENT
"""Stands in for a field that is absent: see `Absent`."""


def may_be_absent(declared: Any) -> bool:
    """Whether a type names `Absent` among what it may be."""
    if declared is Absent:
        return True
    if typing.get_origin(declared) is typing.Annotated:
        return may_be_absent(declared.__origin__)
    is_union = typing.get_origin(declared) in (typing.Union, types.UnionType)
    return is_union and any(map(may_be_absent, typing.get_args(declared)))
