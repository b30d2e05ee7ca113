"""Shadow mode: one admission in a few is judged by Python too, and any difference is told, without a value.

`DUTIFUL_NATIVE=shadow` asks Python of one in 100, `DUTIFUL_NATIVE=shadow:7` of one in 7. Where the two differ, Python's
answer is given.
"""

from __future__ import annotations

import struct
import warnings
from collections import deque
from collections.abc import Callable, Mapping
from datetime import datetime, time
from decimal import Decimal
from itertools import count
from typing import Any, Final

from ...declare.facts import REFUSED, Stop
from ...declare.sealed import Sealed

USUAL: Final = 100


class NativeMismatch(RuntimeWarning):
    """The native core has admitted what Python would not, or as another value: turn it off, and tell its makers."""


def every_few(switch: str) -> int:
    """One of how many admissions is judged twice, by the switch; 0 for none, and for what is no number."""
    word, _, number = switch.partition(":")
    if word != "shadow":
        return 0
    return USUAL if word == switch else int(number) if number.isdecimal() and len(number) < 10 else 0


def shadowed(native: Callable[[Any], Any], python: Callable[[Any], Any], name: str, every: int) -> Callable[[Any], Any]:
    """A native reader, of which one answer in so many is compared with Python's of the same data."""
    numbers = count(1)

    def read(data: Any) -> Any:
        value = native(data)
        if value.__class__ is Stop or next(numbers) % every:
            return value
        wanted = python(data)
        if wanted.__class__ is Stop and wanted is not REFUSED:  # it is in doubt itself
            return value
        where = difference(value, wanted)
        if where is None:
            return value
        told = f"the native core admits another {name} than Python{where}: set DUTIFUL_NATIVE=off, and report it"
        warnings.warn(told, NativeMismatch, stacklevel=3)
        return wanted

    return read


def difference(one: Any, other: Any) -> str | None:
    """Where two values are not the same to the bit, in words without a value of theirs; None where they are.

    They are of one type, and so is all that they hold, in one order.
    """
    kind = type(one)
    if kind is not type(other):
        return f": {kind.__name__} and {type(other).__name__}"
    if kind is float:
        return None if struct.pack("d", one) == struct.pack("d", other) else ": another number"
    if kind in (list, tuple, deque) or isinstance(one, tuple):
        return _first(one, other, [f"[{number}]" for number in range(len(one))])
    if isinstance(one, Mapping):
        keys, values = ["(a key)"] * len(one), ["(a value)"] * len(one)
        return _first(one, other, keys) or _first(one.values(), other.values(), values)
    if kind in (set, frozenset):
        ours, theirs = ({(type(each), each) for each in several} for several in (one, other))
        alike = len(one) == len(other) and ours == theirs
        return None if alike else ": other items"
    if kind is Decimal:
        return None if one.as_tuple() == other.as_tuple() else ": another number"
    if kind is Sealed:
        return difference(one.opened(), other.opened())
    if kind in (datetime, time):
        zones = type(one.tzinfo) is type(other.tzinfo) and one.fold == other.fold
        alike = zones and one.isoformat() == other.isoformat()
        return None if alike else ": another time"
    if hasattr(one, "__dataclass_fields__"):
        names = list(one.__dataclass_fields__)
        held = [[getattr(each, name, None) for name in names] for each in (one, other)]
        if getattr(one, "__dict__", {}).keys() != getattr(other, "__dict__", {}).keys():
            return ": other attributes"
        return _first(held[0], held[1], [f".{name}" for name in names])
    try:
        return None if one == other else ": another value"
    except Exception:
        return None  # of a class whose own comparison raises


def _first(ones: Any, others: Any, names: list[str]) -> str | None:
    if len(ones) != len(others):
        return ": more or fewer of them"
    for name, one, other in zip(names, ones, others, strict=True):
        where = difference(one, other)
        if where is not None:
            return f"{'' if where.startswith(':') or where[:1] in '.[(' else ' '}{name}{where}"
    return None
