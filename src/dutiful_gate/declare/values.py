"""Frozen value objects for declarations and shapes.

They do what frozen dataclasses do, without generating code for every class: importing the package stays cheap, and
nothing here is built while data passes.
"""

from __future__ import annotations

from typing import Any, ClassVar, NoReturn, Self, dataclass_transform


@dataclass_transform(frozen_default=True)
class Value:
    """A frozen object that is what its fields are: equal, hashable and shown by them.

    A subclass annotates its fields, with defaults where there are any. Those of a class made with `kw_only=True` are
    given by name only.
    """

    _positional: ClassVar[tuple[str, ...]] = ()
    _named: ClassVar[tuple[str, ...]] = ()
    _all: ClassVar[frozenset[str]] = frozenset()
    _required: ClassVar[frozenset[str]] = frozenset()

    def __init_subclass__(cls, *, kw_only: bool = False) -> None:
        own = [name for name, kind in _annotations(cls).items() if "ClassVar" not in str(kind)]
        taken = {*cls._positional, *cls._named}
        new = tuple(name for name in own if name not in taken)
        if kw_only:
            cls._named = (*cls._named, *new)
        else:
            cls._positional = (*cls._positional, *new)
            type.__setattr__(cls, "__match_args__", cls._positional)
        cls._all = frozenset((*cls._positional, *cls._named))
        cls._required = frozenset(name for name in cls._all if not hasattr(cls, name))

    def __init__(self, *values: Any, **named: Any) -> None:
        given = self.__dict__
        given.update(zip(self._positional, values, strict=False))
        given.update(named)
        if not (len(given) == len(values) + len(named) and self._required <= given.keys() <= self._all):
            self._say_why(values, named)

    def _say_why(self, values: tuple[Any, ...], named: dict[str, Any]) -> NoReturn:
        """Raise the TypeError for what a value was made of."""
        name, taken = type(self).__name__, self._positional[: len(values)]
        if len(values) > len(self._positional) or not named.keys().isdisjoint(taken):
            raise TypeError(f"{name} takes {', '.join(self._positional)}, each once")
        missing = [each for each in (*self._positional, *self._named) if each in self._required - {*taken, *named}]
        if missing:
            raise TypeError(f"{name} needs {missing[0]}")
        raise TypeError(f"{name} knows no {', '.join(sorted(named.keys() - self._all))}")

    def replace(self, **changes: Any) -> Self:
        """A copy with some fields changed."""
        return type(self)(**{**dict(self._items()), **changes})

    def _items(self) -> list[tuple[str, Any]]:
        return [(name, getattr(self, name)) for name in (*self._positional, *self._named)]

    def __setattr__(self, name: str, value: object) -> NoReturn:
        raise AttributeError(f"{type(self).__name__} does not change")

    def __eq__(self, other: object) -> bool:
        if type(other) is not type(self):
            return NotImplemented
        # `typing` keeps what it was given by equality: `it == 1` must not come back for `it == True`.
        return self is other or all(map(_same, self._items(), other._items()))

    def __hash__(self) -> int:
        try:
            return hash((type(self), *(held for _, held in self._items())))
        except TypeError:  # a constant may be a list or an object: equal ones still have to hash alike
            return hash(type(self))

    def __repr__(self) -> str:
        return f"{type(self).__name__}({', '.join(f'{name}={held!r}' for name, held in self._items())})"

    def __reduce__(self) -> tuple[object, ...]:
        return _again, (type(self), dict(self._items()))


def _same(one: Any, other: Any) -> bool:
    """Whether two held values are equal and of one type, also deep inside: to Python 1, 1.0 and True are equal."""
    if one is other:
        return True
    if one.__class__ is not other.__class__:
        return False
    if isinstance(one, list | tuple):
        return len(one) == len(other) and all(map(_same, one, other))
    if isinstance(one, dict):
        return list(one) == list(other) and all(_same(held, other[name]) for name, held in one.items())
    return bool(one == other)


def _annotations(declared: type) -> dict[str, Any]:
    own: dict[str, Any] = declared.__annotations__  # since 3.10 a class without any has an empty dict of its own
    return own


def _again(declared: type[Value], fields: dict[str, Any]) -> Value:
    return declared(**fields)
