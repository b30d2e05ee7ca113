"""Equality as JSON has it, and what follows from it: whether all items differ, without the square of their number."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence, Set
from decimal import Decimal
from typing import Any

from .hash_limits import crowded

LISTS = (list, tuple)
"""The classes of arrays."""

_FEW = 200
_PLAIN: frozenset[type] = frozenset([str, int, float, type(None)])
"""The classes of which Python calls equal what JSON does."""
SOUND, EQUAL, CROWDED = range(3)
"""How items stand to each other, see `standing`."""


def keys_of(items: Iterable[Any]) -> list[Any]:
    """What items are compared by: equal where they are equal as JSON has it, and hashable where that can be."""
    items = list(items)
    return items if _PLAIN.issuperset(map(type, items)) else [key_of(item) for item in items]


def standing(keys: list[Any]) -> int:
    """How keys stand to each other: all different, some equal, or too many of one hash to be compared."""
    try:
        if crowded(keys):
            return CROWDED
        return SOUND if len(set(keys)) == len(keys) else EQUAL
    except TypeError:  # objects of a developer's own class that have no hash
        if len(keys) > _FEW:
            return CROWDED
        return SOUND if all(key not in keys[:at] for at, key in enumerate(keys)) else EQUAL


def key_of(item: Any) -> Any:
    """A hashable stand-in: 1 and 1.0 are equal, 1 and true are not; a record without a hash is its fields."""
    kind = item.__class__
    if kind is str or kind is int or kind is float or item is None:
        return item
    if isinstance(item, bool):
        return (bool, item)
    if isinstance(item, (list, tuple)) and not hasattr(item, "_fields"):
        return tuple(key_of(each) for each in item)
    if isinstance(item, dict):
        return dict, frozenset((str(name), key_of(each)) for name, each in item.items())
    if isinstance(item, Set):
        return frozenset(key_of(each) for each in item)
    if item.__hash__ is None and (fields := getattr(kind, "__dataclass_fields__", None)) is not None:
        compared = (name for name, field in fields.items() if field.compare)
        return kind, tuple(key_of(getattr(item, name, None)) for name in compared)
    return item


def is_one_of(choices: Sequence[object], value: object) -> bool:
    """Whether a value of any type equals a choice, as JSON has it: 1 equals 1.0, and not true."""
    return any(are_equal(choice, value) for choice in choices)


def are_equal(one: Any, other: Any) -> bool:
    """Whether two values are equal as JSON has it, also deep inside: 1 equals 1.0, and not true."""
    if isinstance(one, bool) or isinstance(other, bool):
        return one is other
    if isinstance(one, list | tuple) and isinstance(other, list | tuple):
        return len(one) == len(other) and all(map(are_equal, one, other))
    if isinstance(one, dict) and isinstance(other, dict):
        return one.keys() == other.keys() and all(are_equal(held, other[name]) for name, held in one.items())
    return bool(one == other)


def keyed(value: Any) -> Hashable:
    """What two values have in common exactly when JSON calls them equal: 1 and 1.0 are, true and 1 are not."""
    if value.__class__ is str or value is None:
        return value
    if value is True or value is False:
        return (bool, value)
    if isinstance(value, LISTS):
        return (list, *map(keyed, value))
    if isinstance(value, dict):
        return (dict, frozenset((name, keyed(each)) for name, each in value.items()))
    if isinstance(value, int | float | str) or (isinstance(value, Decimal) and value.is_finite()):
        return value
    return (object, id(value))  # no value of JSON: equal to itself alone


def all_differ(items: Sequence[Any]) -> bool:
    """Whether no two items are equal; they are not compared where that would cost the square of their number."""
    keys = list(map(keyed, items))
    return not crowded(keys) and len(set(keys)) == len(items)


def too_alike(items: Sequence[Any]) -> bool:
    """Whether too many different items share a hash to be compared."""
    return crowded(list(map(keyed, items)))
