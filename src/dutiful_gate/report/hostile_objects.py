"""Objects that lie about what they are, or raise when they are asked: put aside, so that the rest can be read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .shown_values import Unreadable

_DEEPEST = 200
_PLAIN = (str, int, float, bool, bytes, type(None))
_PLAINLY: dict[type, Any] = {str: str, int: int, float: float, bytes: bytes}


def without_liars(data: Any, *, typed: bool, left: int = _DEEPEST) -> Any:
    """A copy of the data in which only what is safe to ask is left as it is."""
    kind = type(data)
    if kind in _PLAIN:
        return data
    if left <= 0:
        return Unreadable()
    try:
        if data.__class__ is not kind:
            return Unreadable()
        if isinstance(data, Mapping):
            return {
                name: without_liars(data[name], typed=typed, left=left - 1)
                for name in list(data.keys())
                if hash(name) is not None
            }
        if isinstance(data, list | tuple):
            return [without_liars(each, typed=typed, left=left - 1) for each in list(data)]
        if isinstance(data, _PLAIN):
            return _PLAINLY[next(base for base in _PLAINLY if isinstance(data, base))](data)
    except Exception:
        return Unreadable()
    if not typed:
        return data if kind.__module__ in ("decimal", "datetime", "uuid") else Unreadable()
    try:
        hash(data)
    except TypeError:
        pass
    except Exception:
        return Unreadable()
    return data
