"""Names for what several documents define, put into one: one name for one shape, wherever it stands."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final, NamedTuple

from ...declare.json_pointer import escaped, unescaped
from ..dialects import HELD_LIST, HELD_MAP, HELD_ONE

_AT: Final = "#/$defs/"
_NO_NAME_OF_OPENAPI: Final = re.compile(r"[^A-Za-z0-9._-]+")


class Defining(NamedTuple):
    """The definitions of one document, and the word that tells its names from those of the others."""

    held: Mapping[str, Any]
    word: str


def with_leads(said: Any, change: Callable[[str], str]) -> Any:
    """A schema in which every reference, and every schema that a discriminator names, is another.

    Data in it, such as a default that has a "$ref", stays, and so does a schema with a dialect of its own.
    """
    if not isinstance(said, dict) or "$schema" in said:
        return said
    made: dict[str, Any] = {}
    for word, held in said.items():
        if word == "$ref" and isinstance(held, str):
            made[word] = change(held)
        elif word in HELD_MAP and isinstance(held, dict):
            made[word] = {name: with_leads(each, change) for name, each in held.items()}
        elif word in HELD_LIST and isinstance(held, list):
            made[word] = [with_leads(each, change) for each in held]
        elif word in HELD_ONE:
            made[word] = with_leads(held, change)
        elif word == "discriminator" and isinstance(held, dict) and isinstance(held.get("mapping"), dict):
            made[word] = {
                **held,
                "mapping": {
                    tag: change(lead) if isinstance(lead, str) else lead for tag, lead in held["mapping"].items()
                },
            }
        else:
            made[word] = held
    return made


def leads_of(said: Any) -> list[str]:
    """The references of a schema, in their order."""
    found: list[str] = []

    def note(lead: str) -> str:
        found.append(lead)
        return lead

    with_leads(said, note)
    return found


def renaming(renamed: Mapping[str, str]) -> Callable[[str], str]:
    """Where a reference leads once definitions have other names."""

    def change(lead: str) -> str:
        key, slash, rest = lead.removeprefix(_AT).partition("/")
        known = unescaped(key)
        return f"{_AT}{escaped(renamed[known])}{slash}{rest}" if lead.startswith(_AT) and known in renamed else lead

    return change


def names_in_one(every: Sequence[Defining], *, for_openapi: bool) -> list[dict[str, str]]:
    """The name of each definition of each document, by its key, once all stand side by side.

    What has one key, says the same, and leads to what says the same, has one name. What differs has the document's
    word behind it, then a number. OpenAPI takes letters, digits and `._-` in names (3.1, section 4.8.7.1).
    """
    held_at = [(number, key) for number, each in enumerate(every) for key in each.held]
    leads = {at: _own_leads(every[at[0]].held, at) for at in held_at}
    sorts = _numbered({at: (at[1], repr(every[at[0]].held[at[1]])) for at in held_at})
    count = 0
    while count < (count := len(set(sorts.values()))):
        sorts = _numbered({at: (sort, *(sorts[lead] for lead in leads[at])) for at, sort in sorts.items()})
    names: dict[int, str] = {}
    taken: set[str] = set()
    made: list[dict[str, str]] = [{} for _ in every]
    for at in held_at:
        number, key = at
        if sorts[at] not in names:
            plain = _NO_NAME_OF_OPENAPI.sub("_", key).strip("_") or "schema" if for_openapi else key
            names[sorts[at]] = _free(plain, every[number].word, taken)
            taken.add(names[sorts[at]])
        made[number][key] = names[sorts[at]]
    return made


def _own_leads(held: Mapping[str, Any], at: tuple[int, str]) -> list[tuple[int, str]]:
    """The definitions of the same document that one leads to."""
    number, key = at
    keys = (unescaped(lead.removeprefix(_AT).partition("/")[0]) for lead in leads_of(held[key]))
    return [(number, lead) for lead in keys if lead in held]


def _numbered(told: Mapping[Any, Any]) -> dict[Any, int]:
    """What is told of each, as a number: one for what is told alike."""
    numbers: dict[Any, int] = {}
    return {at: numbers.setdefault(each, len(numbers)) for at, each in told.items()}


def _free(key: str, word: str, taken: set[str]) -> str:
    if key not in taken:
        return key
    stem, number = f"{key}{word}", 2
    if word and stem not in taken:
        return stem
    while f"{stem}_{number}" in taken:
        number += 1
    return f"{stem}_{number}"
