"""`it.distinct`: no item twice; `it.distinct.by(key)`: no two items of one key."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any

from ..applicability import LIST, Takes
from ..equality import CROWDED, EQUAL, SOUND, key_of, keys_of, standing
from ..errors import DeclarationError, check_flags
from ..facts import Bind, Facts, FoundLater, LengthUnit, Own, Unsaid
from ..hash_limits import MOST_ALIKE
from ..phrases import Phrase
from ..waiting import check_answers, shown_name
from .base import Face, Rule, refuse

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_NO_KEY = object()


def _by(key: Callable[[Any], Any], items: Iterable[Any]) -> list[Any]:
    return [key_of(held) for item in items if (held := key(item)) is not _NO_KEY]


def _read(name: str, item: Any) -> Any:
    """The attribute or key of an item; one that is null or has none is not compared."""
    if item is None:
        return _NO_KEY
    held = item.get(name, _NO_KEY) if isinstance(item, Mapping) else getattr(item, name, _NO_KEY)
    return _NO_KEY if held is None else held


class Repeat(FoundLater):
    """Which item of a list stands there twice, in items themselves or one attribute of them: `by`."""

    by: str | None

    def __new__(cls, by: str | None = None) -> Repeat:
        made = super().__new__(cls, "one of them again")
        made.by = by
        return made

    def found(self, value: object) -> str | None:
        """The two places, as pointers from the list."""
        if not isinstance(value, list | tuple):
            return None
        by = self.by
        items = ((at, item if by is None else _read(by, item)) for at, item in enumerate(value))
        first: dict[Any, int] = {}
        try:
            for at, item in items:
                if item is not _NO_KEY and (before := first.setdefault(key_of(item), at)) != at:
                    return Phrase("the same at /{first} and /{second}", first=before, second=at)
        except Exception:  # what cannot be compared so is not told of
            return None
        return None

    def __reduce__(self) -> tuple[object, ...]:
        return Repeat, (self.by,)


class Distinct(Rule):
    """No two items are equal; with `key`, no two have an equal key. An item that has no such key is not compared."""

    key: Callable[[Any], Any] | str | None = None
    both_ways: bool = False

    def by(self, key: Callable[[Any], Any] | str, *, both_ways: bool = False) -> Distinct:
        """The same, comparing what a function makes of each item, or one attribute of it.

        An item that is null, or whose attribute is lacking or null, is like no other. `release` asks a function only
        with `both_ways`, an attribute always.
        """
        check_flags(both_ways=both_ways)
        if not isinstance(key, str):
            if not callable(key):
                raise DeclarationError(
                    f"it.distinct.by({key!r}) needs a function or a name", remedy='as in it.distinct.by("number")'
                )
            check_answers(key, f"it.distinct.by({shown_name(key)})", takes=1)
        return self.replace(key=key, both_ways=both_ways)

    @classmethod
    def said_by(cls, sort: str, words: dict[str, Any]) -> tuple[str, tuple[Any, ...]] | None:
        if sort != "array" or words.get("uniqueItems") is not True:
            return None
        del words["uniqueItems"]
        return "it.distinct", ()

    @property
    def may_raise(self) -> bool:
        """A ValueError of the developer's own function is a fault."""
        return callable(self.key)

    @property
    def functions(self) -> tuple[Callable[..., Any], ...]:
        return (self.key,) if callable(self.key) else ()

    def condition(self, value: str, bind: Bind) -> str:
        return f"{self.measured(value, bind)} == {SOUND}"

    def measured(self, value: str, bind: Bind) -> str | None:
        if self.key is None:
            keys = f"{bind(keys_of, 'keys_of')}({value})"
        else:
            read: object = _Reads(self.key) if isinstance(self.key, str) else Own(self.key)
            keys = f"{bind(_by, 'by_key')}({bind(read, 'KEY_OF')}, {value})"
        return f"{bind(standing, 'standing')}({keys})"

    def takes(self) -> Takes | None:
        return LIST

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        words = "items that differ" if self.key is None else "items that differ in {key}"
        again = "one of them again" if callable(self.key) else Repeat(self.key)
        return (
            Face(f"{value} != {CROWDED}", "size", f"at most {MOST_ALIKE} different items that share a hash", "more"),
            Face(f"{value} != {EQUAL}", "repeat", words, again),
        )

    def numbers(self) -> Mapping[str, object]:
        if self.key is None:
            return {}
        return {"key": self.key if isinstance(self.key, str) else getattr(self.key, "__name__", "their key")}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        if self.key is None:
            return {"uniqueItems": True}
        return Unsaid("JSON Schema compares whole items only, not a part of them")

    def suits(self, facts: Facts) -> None:
        if facts.measured is not LengthUnit.ITEMS:
            refuse(self, facts, "it judges lists")

    def examples(self, facts: Facts) -> Iterable[Any]:
        return ([],)

    def edges(self, facts: Facts) -> Iterable[Any]:
        return ()

    def asks(self, wish: Wish) -> None:
        return

    def survives(self, step: Step) -> bool:
        return False

    def __str__(self) -> str:
        return "it.distinct" if self.key is None else f"it.distinct.by({self.numbers()['key']!r})"


class _Reads:
    """Reads one attribute or key of an item."""

    __slots__ = ("name",)

    def __init__(self, name: str) -> None:
        self.name = name

    def __call__(self, item: Any) -> Any:
        return _read(self.name, item)
