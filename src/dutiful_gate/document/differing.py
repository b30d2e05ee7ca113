"""Where two documents say different things, part by part."""

from __future__ import annotations

from collections.abc import Iterator
from json import dumps
from typing import Any

from ..declare.json_pointer import joined
from ..declare.values import Value
from ..report.shown_values import shortened, visible

_MOST = 80
"""Characters of a part that are shown."""
_MOST_ITEMS = 12


class Difference(Value):
    """A part that one document says otherwise than another: its JSON Pointer, and what is the case, in words."""

    pointer: str
    change: str

    def __str__(self) -> str:
        return f"#{visible(self.pointer)}: {self.change}"


def differences(old: Any, new: Any) -> Iterator[Difference]:
    """What the document `new` says otherwise than `old`, both plain JSON, from the outside in.

    The order of keys, and 1 for 1.0, are no difference (JSON Schema 2020-12, 4.2.2); the order of a list is one.
    """
    waiting: list[tuple[tuple[str, ...], Any, Any]] = [((), old, new)]
    while waiting:
        path, was, now = waiting.pop()
        if isinstance(was, dict) and isinstance(now, dict):
            for key in was:
                if key not in now:
                    yield Difference(joined((*path, key)), f"gone, was {_told(was[key])}")
            for key in now:
                if key not in was:
                    yield Difference(joined((*path, key)), f"new, {_told(now[key])}")
            waiting += [((*path, key), was[key], now[key]) for key in reversed(was) if key in now]
        elif isinstance(was, list) and isinstance(now, list):
            if _plain(was) and _plain(now):
                yield from _of_lists(joined(path), was, now)
                continue
            if len(was) != len(now):
                yield Difference(joined(path), f"{len(was)} items, now {len(now)}")
            both = list(zip(was, now, strict=False))
            waiting += [((*path, str(index)), *both[index]) for index in reversed(range(len(both)))]
        elif not _same(was, now):
            yield Difference(joined(path), f"was {_told(was)}, now {_told(now)}")


def _of_lists(pointer: str, was: list[Any], now: list[Any]) -> Iterator[Difference]:
    """Lists that hold no list or object, such as `required`: what went and what came, or another order."""
    gone, come = _without(was, now), _without(now, was)
    if gone:
        yield Difference(pointer, f"gone: {_listed(gone)}")
    if come:
        yield Difference(pointer, f"new: {_listed(come)}")
    if not gone and not come and not all(map(_same, was, now)):
        yield Difference(pointer, "the same items in another order")


def _without(items: list[Any], others: list[Any]) -> list[Any]:
    """The items that the others have not as often."""
    left: dict[tuple[bool, Any], int] = {}
    for other in others:
        left[_key(other)] = left.get(_key(other), 0) + 1
    lacking = []
    for item in items:
        if left.get(_key(item), 0):
            left[_key(item)] -= 1
        else:
            lacking.append(item)
    return lacking


def _listed(items: list[Any]) -> str:
    more = f" and {len(items) - _MOST_ITEMS:,} more" if len(items) > _MOST_ITEMS else ""
    return ", ".join(map(_told, items[:_MOST_ITEMS])) + more


def _plain(items: list[Any]) -> bool:
    return not any(isinstance(item, dict | list) for item in items)


def _key(item: Any) -> tuple[bool, Any]:
    """What tells true from 1, which Python holds for equal, and leaves 1 and 1.0 equal, which JSON Schema wants."""
    return isinstance(item, bool), item


def _same(was: Any, now: Any) -> bool:
    return _key(was) == _key(now)


def _told(part: Any) -> str:
    return visible(shortened(dumps(part, ensure_ascii=False), _MOST))
