"""One fault, at its exact place."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from ..declare.json_pointer import joined
from .catalogue import in_force
from .cause import Cause
from .place import Place
from .shown_values import (
    ALONE,
    LONGEST,
    PLAIN,
    TRUSTED,
    Outline,
    Said,
    Unreadable,
    honest,
    outlined,
    shortened,
    shown,
    visible,
)

Path = tuple[Any, ...]
"""Keys and indexes from the root down."""


def pointer(path: Path) -> str:
    """The JSON Pointer (RFC 6901) of a path: "" is the whole."""
    return joined(map(written_step, path))


def written_step(step: Any) -> str:
    """A step as text, whatever stands as a key: what cannot be written, or raises, is told in words."""
    try:
        return str(step)
    except Exception:
        return shown(step)


def travelling(path: Path) -> Path:
    """A path that can be pickled whatever objects stood as keys: in their place stand the words for them."""
    return tuple(
        step if type(step) in ALONE or type(step).__module__ in TRUSTED else written_step(step) for step in path
    )


def dotted(path: Path) -> str:
    """A path as people write it in code: `crates[1].weight_kg`; "" is the whole."""
    text = ""
    for step in path:
        text += (
            f"[{written_step(step)}]"
            if isinstance(step, int)
            else f".{written_step(step)}"
            if text
            else written_step(step)
        )
    return text


class Fault:
    """What is wrong with one value.

    `path`      keys and indexes from the root, a tuple
    `pointer`   the same as a JSON Pointer (RFC 6901)
    `code`      a short stable noun: absent, kind, floor, length, ...
    `message`   what would pass and what came, for people
    `given`     what came: shortened, and None for a secret
    `expected`  the rule's numbers by name
    `place`     where it stands in the text it came from, or None
    `keyword`   where the rule stands in its JSON Schema document; "" where the gate was made of types
    `of_key`    whether the key is at fault, not the value under it
    """

    __slots__ = ("_cause", "_given", "_value", "path", "place")

    path: Path
    place: Place | None

    def __init__(
        self, path: Path, cause: Cause, given: object = None, value: object = None, place: Place | None = None
    ) -> None:
        self.path = path
        self.place = place
        self._cause = cause
        self._given = given if type(given) in PLAIN else honest(given)
        self._value = value if type(value) in PLAIN else honest(value)

    @property
    def pointer(self) -> str:
        """The JSON Pointer of the value (RFC 6901); "" is the whole."""
        return pointer(self.path)

    @property
    def code(self) -> str:
        """The short stable noun that programs tell faults apart by."""
        return self._cause.code

    @property
    def message(self) -> str:
        """What would pass and what came, in plain words."""
        sentences = in_force().sentences
        if sentences and (sentence := self._sentence(sentences)) is not None:
            return self._cause.said_as(sentence, self._given, str(self.path[-1]) if self.path else "")
        return self._cause.tell(self._given, self._value)

    def _sentence(self, sentences: Mapping[str, str]) -> str | None:
        """The sentence that is said of this field and code, of this field, or of this code; None where none is."""
        field = dotted(tuple(step for step in self.path if not isinstance(step, int)))
        found = sentences.get(f"{field}: {self.code}") or sentences.get(field)
        # What the declaration says of its own stands above what is said of all faults of a code.
        return found or (None if self._cause.has_own_words else sentences.get(self.code))

    @property
    def wanted(self) -> str:
        """What would pass, without what came: "a whole number of at most 40"; for an unknown key, a known one."""
        return self._cause.wanted

    @property
    def given(self) -> object:
        """What came, short enough to show: text is cut, a list or record is told in words, a secret is None."""
        given = self._given
        if self._cause.secret or given is None or self._cause.code == "absent":
            return None
        if isinstance(given, bool):
            return given
        if isinstance(given, str):
            return shortened(visible(given[: LONGEST + 1]))
        if isinstance(given, int) and given.bit_length() <= 64:
            return int(given)
        if isinstance(given, float) and given - given == 0:
            return float(given)
        return shown(given)

    @property
    def expected(self) -> Mapping[str, object]:
        """The rule's numbers by name, for example {"floor": 2, "ceiling": 80}."""
        return MappingProxyType(dict(self._cause.numbers(self._given)))

    @property
    def keyword(self) -> str:
        """The URI of the keyword that refused, in a document that the gate was made of: "#/properties/port/enum"."""
        return self._cause.keyword

    @property
    def of_key(self) -> bool:
        """Whether the key that the path ends in is at fault, not the value under it; `place` is then the key's."""
        return self._cause.of_key

    def at(self, place: Place | None) -> Fault:
        """The same fault with its place in the text."""
        return self._moved(self.path, place)

    def sealed(self) -> Fault:
        """The same fault without a word of what came."""
        if self.code in ("absent", "unknown"):
            return self
        return Fault(self.path, self._cause.replace(secret=True), None, None, self.place)

    def along(self, path: Path) -> Fault:
        """The same fault under another path."""
        return self._moved(path, self.place)

    def beneath(self, path: Path) -> Fault:
        """The same fault as seen from further up: `path` leads to where its own path begins."""
        return self._moved((*path, *self.path), self.place)

    def within(self, steps: int) -> Fault:
        """The same fault as seen from further down: its path without the first steps."""
        return self._moved(self.path[steps:], self.place)

    def _moved(self, path: Path, place: Place | None) -> Fault:
        """The same elsewhere; what came has been looked at."""
        made = object.__new__(Fault)
        made.path, made.place = path, place
        made._cause, made._given, made._value = self._cause, self._given, self._value
        return made

    def as_dict(self) -> dict[str, object]:
        """The fault as plain JSON data."""
        told: dict[str, object] = {
            "pointer": self.pointer,
            "code": self.code,
            "message": self.message,
            "given": self.given,
            "expected": {name: _jsonable(number) for name, number in self.expected.items()},
        }
        if self.keyword:
            told["keyword"] = self.keyword
        if self.place is not None:
            told |= self.place.as_dict()
        return told

    def __reduce__(self) -> tuple[object, ...]:
        # What came travels no further than it is shown: of lists, records and other objects only what is said of them.
        return Fault, (travelling(self.path), self._cause, _kept(self._given), _kept(self._value), self.place)

    def _told(self) -> tuple[object, ...]:
        return self.path, self.code, self.message, self.place

    def __eq__(self, other: object) -> bool:
        return self._told() == other._told() if isinstance(other, Fault) else NotImplemented

    def __hash__(self) -> int:
        return hash(self._told())

    def __str__(self) -> str:
        place = f"{self.place} " if self.place else ""
        return f"{place}{visible(self.pointer) or '(the whole)'}: {self.message}"

    def __repr__(self) -> str:
        return f"<Fault {self.code} at {self.pointer!r}: {self.message}>"


_PLAIN = (str, int, float, bool, bytes, type(None), Outline)


def _kept(value: object) -> object:
    if type(value) in _PLAIN:
        return value
    from datetime import date, datetime, time, timedelta
    from decimal import Decimal
    from uuid import UUID

    if type(value) in (Decimal, datetime, date, time, timedelta, UUID) or isinstance(value, Unreadable | Said):
        return value
    kept = outlined(value)
    return kept if kept is None or kept.kind is not object else Said(value)


def _jsonable(number: object) -> object:
    if isinstance(number, list | tuple):
        return [_jsonable(each) for each in number]
    if number is None or isinstance(number, bool | int | str):
        return number
    return number if isinstance(number, float) and number - number == 0 else shown(number)
