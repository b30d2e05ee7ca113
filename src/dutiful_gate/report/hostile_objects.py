"""Objects that lie about what they are, or raise when they are asked: put aside, so that the rest can be read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .shown_values import Unreadable

_DEEPEST = 200
_PLAIN = (str, int, float, bool, bytes, type(None))
_PLAINLY: dict[type, Any] = {str: str.__str__, int: int.__int__, float: float.__float__, bytes: bytes.__bytes__}
"""What a class of somebody's own has no say in."""
_KNOWN = ("decimal", "datetime", "uuid")
_ASKED = ("utcoffset", "is_snan")
"""What dates and Decimals are asked, which some that are none of the usual ones refuse to say."""


def without_liars(data: Any, *, typed: bool, plain: bool = False) -> Any:
    """A copy of the data in which only what is safe to ask is left as it is, objects among it where it is `typed`.

    With `plain` nothing is left but plain values, lists and dicts: where something safe by itself is not in its place.
    A list or dict that stands in several places, or in itself, is copied once.
    """
    return _Copier(typed=typed and not plain, known=() if plain else _KNOWN).of(data, _DEEPEST)


class _Copier:
    def __init__(self, *, typed: bool, known: tuple[str, ...]) -> None:
        self.typed = typed
        self.known = known
        self.made: dict[int, Any] = {}
        self.held: list[Any] = []  # so that no mark is another's

    def of(self, data: Any, left: int) -> Any:
        kind = type(data)
        if kind in _PLAIN:
            return data
        if left <= 0:
            return Unreadable()
        if id(data) in self.made:
            return self.made[id(data)]
        try:
            if data.__class__ is not kind:
                return Unreadable()
            if isinstance(data, Mapping):
                made = self.keep(data, {})
                # What a class of its own says of its keys may change from one time to the next.
                made.update({self.key(name): self.of(data[name], left - 1) for name in list(data.keys())})
                return made
            if isinstance(data, list | tuple):
                several = self.keep(data, [])
                several += [self.of(each, left - 1) for each in list(data)]
                return several
            if isinstance(data, _PLAIN):
                return _PLAINLY[next(base for base in _PLAINLY if isinstance(data, base))](data)
        except Exception:
            self.made[id(data)] = Unreadable()
            return self.made[id(data)]
        if self.typed or kind.__module__ in self.known:
            return data if _answers(data) else Unreadable()
        return Unreadable()

    def key(self, name: Any) -> Any:
        """A key: text, if it is any kind of that."""
        if isinstance(name, str) and type(name).__hash__ is not None:
            return str.__str__(name)
        return name if type(name) in _PLAIN or _answers(name) else Unreadable()

    def keep(self, data: Any, made: Any) -> Any:
        self.held.append(data)
        self.made[id(data)] = made
        return made


def _answers(data: Any) -> bool:
    """Whether an object answers what every reader asks."""
    try:
        for name in _ASKED:
            if (ask := getattr(data, name, None)) is not None and ask() is True:
                return False
        hash(data)
        return bool(data == data) is not None
    except TypeError:  # it has no hash
        return True
    except Exception:
        return False
