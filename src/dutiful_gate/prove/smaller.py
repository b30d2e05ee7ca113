"""An instance made smaller, as long as it still shows what it shows."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

_MOST_TRIES = 2000


def smallest(instance: Any, shows: Callable[[Any], bool], most: int = _MOST_TRIES) -> Any:
    """The smallest instance that can be found, one change at a time, that still shows it; after `most` tries."""
    tries = 0
    changed = True
    while changed:
        changed = False
        for smaller in _smaller(instance):
            tries += 1
            if tries > most:
                return instance
            if shows(smaller):
                instance, changed = smaller, True
                break
    return instance


def _smaller(value: Any) -> Iterator[Any]:
    if isinstance(value, dict):
        for key in value:
            yield {name: held for name, held in value.items() if name != key}
        for key, held in value.items():
            for less in _smaller(held):
                yield {**value, key: less}
    elif isinstance(value, list):
        for at in range(len(value)):
            yield value[:at] + value[at + 1 :]
        for at, held in enumerate(value):
            for less in _smaller(held):
                yield [*value[:at], less, *value[at + 1 :]]
    elif isinstance(value, str):
        cut = len(value) // 2
        while cut > 1:
            yield value[:-cut]
            cut //= 2
        for at in range(min(len(value), 40)):
            yield value[:at] + value[at + 1 :]
        for at, letter in enumerate(value[:40]):
            if letter.isalpha() and letter.isascii() and letter not in "aAZzTtPp":
                yield value[:at] + ("a" if letter.islower() else "A") + value[at + 1 :]
    elif isinstance(value, bool) or value is None:
        return
    elif isinstance(value, int) and abs(value) > 1:
        yield 0
        yield 1
        yield value // 2 if value > 0 else -(-value // 2)
    elif isinstance(value, float) and value not in (0.0, 1.0):
        yield 0.0
        yield float(int(value)) if abs(value) < 2**53 and value != int(value) else 1.0
