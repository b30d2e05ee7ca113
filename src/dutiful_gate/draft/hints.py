"""What a developer says of a draft beforehand: names, what is required, what stays text."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from ..declare.errors import DeclarationError

Steps = tuple[str, ...]
_WORDS: Final = ("name", "required", "optional", "as-text", "closed", "record", "map")
_LINE = re.compile(r"(\S+)\s+(\S.*)")


@dataclass(frozen=True, slots=True)
class Hints:
    """What a draft is told. Places are JSON Pointers with `*` for every item, as in "/crates/*/weight_kg".

    `name`      what to call the record at the root
    `required`  fields that must be there, though a sample lacks them: it is refused then, and the draft says so
    `optional`  fields that may be absent, though every sample has them
    `as_text`   values that stay text, whatever they look like
    `closed`    texts that are one of those seen
    `records`   records whose keys are names, though they look like data
    `maps`      records whose keys are data, though they look like names
    """

    name: str = ""
    required: frozenset[str] = frozenset()
    optional: frozenset[str] = frozenset()
    as_text: frozenset[str] = frozenset()
    closed: frozenset[str] = frozenset()
    records: frozenset[str] = frozenset()
    maps: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        for place in self.places:
            if place and not place.startswith("/"):
                raise DeclarationError(f"{place!r} is no place", remedy=f'a JSON Pointer, as in "/{place}"')

    @property
    def by_word(self) -> dict[str, frozenset[str]]:
        """The places that each word speaks of, as lines of hints have it."""
        return {
            "required": self.required,
            "optional": self.optional,
            "as-text": self.as_text,
            "closed": self.closed,
            "record": self.records,
            "map": self.maps,
        }

    @property
    def places(self) -> frozenset[str]:
        """Every place that is spoken of."""
        return frozenset().union(*self.by_word.values())


def hints_of(text: str, file: str = "the hints") -> Hints:
    """The hints that a text holds, one a line: a word and a place. Raises DeclarationError for any other line.

    The words are name, required, optional, as-text, closed, record and map; a line that begins with # says nothing.
    """
    found: dict[str, list[str]] = {word: [] for word in _WORDS}
    for number, line in enumerate(text.splitlines(), 1):
        said = line.strip()
        if not said or said.startswith("#"):
            continue
        parts = _LINE.fullmatch(said)
        if parts is None or parts[1] not in found:
            raise DeclarationError(
                f"{file}, line {number}: {said[:60]!r} is no hint",
                remedy=f"a word of {', '.join(_WORDS)}, then a place such as /crates/*/weight_kg",
            )
        found[parts[1]].append(parts[2].strip())
    return hints(found)


def hints(found: dict[str, Iterable[str]] | dict[str, list[str]]) -> Hints:
    """Hints by their words."""
    names = [*found.get("name", ())]
    return Hints(
        name=names[-1] if names else "",
        required=frozenset(found.get("required", ())),
        optional=frozenset(found.get("optional", ())),
        as_text=frozenset(found.get("as-text", ())),
        closed=frozenset(found.get("closed", ())),
        records=frozenset(found.get("record", ())),
        maps=frozenset(found.get("map", ())),
    )
