"""From values to a JSON Schema document that admits them: each guess with its evidence as `$comment`."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from difflib import get_close_matches
from typing import Any, Final

from ..declare.json_pointer import escaped
from .hints import Hints
from .names import record_name
from .texts import cells_of, choices_of, format_of, looks_like, nearly, sizes, spread, times, told_of

Place = tuple[str | int, ...]
_LEAST_KEYS, _LEAST_RANGED, _MOST_DEEP = 8, 50, 60
_DATA_KEY = re.compile(
    r"\d[\w:.+-]*|[A-Z]{1,5}-?\d+[\w-]*|[0-9a-fA-F]{8}-[0-9a-fA-F-]{27}|[^@\s]+@[^@\s]+|\.|(?:\.{0,2}/|https?:)\S*"
)
_SECRET = re.compile(r"(?i)passw|passphrase|secret|token|credential|api_?key|private_?key|^pin$")
_ITEM, _VALUE = 0, 1
"""Steps to what stands in a list, and under any key of a map: no key of a record is equal to them."""
_TAGS: Final = ("type", "kind", "event", "tag", "action", "op", "category", "name")


_SPOKEN_OF: Final = {
    "as-text": ("string", "text"),
    "closed": ("string", "text"),
    "record": ("object", "an object"),
    "map": ("object", "an object"),
}


class Guesser:
    """Guesses the shape of values. With `cells`, every value is text that may stand for something else."""

    def __init__(self, hints: Hints, *, cells: bool = False) -> None:
        self.hints = hints
        self.cells = cells
        self.definitions: dict[str, dict[str, Any]] = {}
        self._by_shape: dict[Any, str] = {}
        self._values: dict[Any, list[Mapping[str, Any]]] = {}
        self._places: dict[Any, list[Place]] = {}
        self._shapes: dict[Place, Any] = {}
        self._within: dict[Place, Place] = {}
        """Where records stand inside of records of their own kind: the place of the outermost."""
        self._kinds: dict[str, set[str]] = {}
        """The kinds of values that were seen, by the pointers of their places."""

    def document(self, values: Sequence[Any]) -> dict[str, Any]:
        """The document of all values."""
        self._gather(values, ())
        root = self.schema(values, [()], self.hints.name or "Sample", deep=0)
        made = {"$schema": "https://json-schema.org/draft/2020-12/schema", **root}
        if self.definitions:
            made["$defs"] = dict(sorted(self.definitions.items()))
        return made

    def idle(self) -> dict[str, list[str]]:
        """What hints could not be heeded, by their places, when a document was made: sentences."""
        found: dict[str, list[str]] = {}
        for word, places in self.hints.by_word.items():
            for place in sorted(places):
                kinds, wanted = self._kinds.get(place), _SPOKEN_OF.get(word)
                if kinds is None:
                    near = get_close_matches(place, self._kinds, 1)
                    told = f"no sample has {place}{f'; did you mean {near[0]}?' if near else ''}"
                elif wanted is not None and wanted[0] not in kinds:
                    told = f"no sample has {wanted[1]} at {place}"
                else:
                    continue
                found.setdefault(place, []).append(f"{word}: {told}")
        return found

    # Records of equal shape are one: first all are gathered

    def _gather(self, values: Sequence[Any], place: Place) -> Any:
        """Take in all records below a place; gives back what kinds of values stand there, however deep."""
        kinds: list[Any] = sorted({kind_of(value) for value in values} - {"null"})
        if len(place) > _MOST_DEEP:
            return tuple(kinds)
        if "array" in kinds:
            items = [item for value in values if isinstance(value, list) for item in value]
            kinds.append(self._gather(items, (*place, _ITEM)))
        records = [value for value in values if isinstance(value, Mapping)]
        if records and self._is_map(records, [place]):
            held = [each for record in records for each in record.values()]
            kinds.append(("map", self._gather(held, (*place, _VALUE))))
        elif records and place in self._within:
            kinds.append("as around it")
        elif records:
            records = self._with_those_inside(records, place)
            below = {key: self._gather(held, (*place, key)) for key, held in _by_key(records).items()}
            shape = self._shapes[place] = tuple(sorted(below.items(), key=lambda each: each[0]))
            self._values.setdefault(shape, []).extend(records)
            self._places.setdefault(shape, []).append(place)
            kinds.append(shape)
        return tuple(kinds)

    def _with_those_inside(self, records: list[Mapping[str, Any]], place: Place) -> list[Mapping[str, Any]]:
        """The records of a place, with those of their own kind that are inside of them, however deep: trees."""
        again = {}
        for key in _by_key(records):
            inside, there = self._inside(records, key, place)
            if _alike(records, inside, key):
                self._within[there] = place
                again[key] = there
        while True:
            found, odd = self._of_their_kind(records, again, place)
            if not odd:
                return found
            del self._within[again.pop(odd)]

    def _of_their_kind(
        self, records: list[Mapping[str, Any]], again: Mapping[str, Place], place: Place
    ) -> tuple[list[Mapping[str, Any]], str]:
        """Records with all those inside of them under some keys; and the key, if there is one, under which one stands
        alone on some level, and in a list or a map on another: then it is of no kind of its own."""
        found, level = [*records], records if again else []
        while level:
            deeper: list[Mapping[str, Any]] = []
            for key, there in again.items():
                inside, where = self._inside(level, key, place)
                if inside and where != there:
                    return found, key
                deeper += inside
            level = deeper
            found += level
        return found, ""

    def _inside(
        self, records: list[Mapping[str, Any]], key: str, place: Place
    ) -> tuple[list[Mapping[str, Any]], Place]:
        """The records under a key of records, in a list or a map of them too, and their place."""
        held, there = [record[key] for record in records if key in record], (*place, key)
        items = [item for each in held if isinstance(each, list) for item in each]
        if items and not any(isinstance(each, Mapping) for each in held):
            held, there = items, (*there, _ITEM)
        found = [each for each in held if isinstance(each, Mapping)]
        if not any(found):
            return ([] if (*there, _VALUE) in self._within else found), there  # empty maps hold none
        if self._is_map(found, [there]):
            found, there = (
                [each for one in found for each in one.values() if isinstance(each, Mapping)],
                (*there, _VALUE),
            )
        return found, there

    # Values

    def schema(self, values: Sequence[Any], places: Sequence[Place], name: str, *, deep: int) -> dict[str, Any]:
        """The schema of values that stand at the same places."""
        groups: dict[str, list[Any]] = {}
        for value in values:
            groups.setdefault(kind_of(value), []).append(value)
        if "integer" in groups and "number" in groups:
            groups["number"] = [value for value in values if kind_of(value) in ("integer", "number")]
            del groups["integer"]
        for place in places:
            self._kinds.setdefault(_pointer(place), set()).update(groups)
        nulls = groups.pop("null", [])
        if deep > _MOST_DEEP:
            return {"$comment": "nested too deep to be looked into"}
        options = [self._of_kind(kind, held, places, name, deep) for kind, held in groups.items()]
        if not options:
            return {"$comment": "always null"} if nulls else {"$comment": "never seen"}
        if nulls:
            options = _or_null(options, len(nulls), len(values))
        if len(options) == 1:
            return options[0]
        counts = ", ".join(f"{_WORDS[kind]} {times(len(held))}" for kind, held in groups.items())
        return {"anyOf": options, "$comment": f"several kinds: {counts}"}

    def _of_kind(self, kind: str, values: list[Any], places: Sequence[Place], name: str, deep: int) -> dict[str, Any]:
        if kind == "object":
            return self._records(values, places, name, deep)
        if kind == "array":
            items = [item for value in values for item in value]
            inner = self.schema(items, _under(places, _ITEM), name, deep=deep + 1) if items else {}
            inner = {**inner}
            told = inner.pop("$comment", "") if "$ref" not in inner else ""
            words = sizes(values, "item")
            return {"type": "array", "items": inner, "$comment": f"{words}; {told}" if told else words}
        if kind != "boolean" and _is_secret(places):
            held = cells_of(values) if self.cells and kind == "string" else kind
            return {"type": held, "writeOnly": True, "$comment": "taken for a secret by its name"}
        if kind == "string":
            return self._text(values, places)
        if kind in ("integer", "number"):
            return _numbers(kind, values)
        return {"type": kind}

    def _text(self, values: list[str], places: Sequence[Place]) -> dict[str, Any]:
        if self._said(self.hints.as_text, places):
            return {"type": "string", "$comment": told_of(values)}
        if self.cells:
            kind = cells_of(values)
            if kind != "string":
                numbers = [Decimal(value) for value in values] if kind != "boolean" else []
                return _numbers(kind, numbers) if numbers else {"type": kind}
        closed = self._said(self.hints.closed, places)
        choices = choices_of(values, closed=closed)
        told = format_of(values)
        if told and not (choices and closed):
            words = spread(values) if told in ("date", "date-time", "time") else ""
            return {"type": "string", "format": told, **({"$comment": words} if words else {})}
        if choices and (closed or not nearly(values)):
            return {"enum": choices, "$comment": f"one of {len(choices)}, {len(values):,} times"}
        words = told_of(values)
        held = "" if self.cells else looks_like(values)
        return {"type": "string", "$comment": f"{words}; {held}" if held else words}

    # Records and maps

    def _records(
        self, values: list[Mapping[str, Any]], places: Sequence[Place], name: str, deep: int
    ) -> dict[str, Any]:
        if self._is_map(values, places):
            held = [item for value in values for item in value.values()]
            inner = self.schema(held, _under(places, _VALUE), name, deep=deep + 1)
            keys = sorted({key for value in values for key in value})
            told = format_of(keys)
            names = {"propertyNames": {"format": told}} if told in ("date", "uuid") else {}
            words = f"{len(keys)} keys that are data{'' if _is_secret(places) else f', such as {keys[0]}'}"
            inner.pop("$comment", None)
            return {"type": "object", **names, "additionalProperties": inner, "$comment": words}
        place = self._within.get(places[0], places[0])
        shape = self._shapes.get(place, place)
        known = self._by_shape.get(shape)
        if known is None:
            alike = self._values.get(shape, values)
            known = self._by_shape[shape] = self._fresh(name)
            self.definitions[known] = {}  # its name is taken before what is inside of it is named
            spots = self._places.get(shape, [*places])
            tag = "" if _is_secret(spots) else self._tag(alike)
            if tag:
                self.definitions[known] = self._tagged(tag, alike, spots, known, deep)
            else:
                self.definitions[known] = self._record(alike, spots, deep)
        return {"$ref": f"#/$defs/{known}"}

    def _record(self, values: Sequence[Mapping[str, Any]], places: Sequence[Place], deep: int) -> dict[str, Any]:
        properties: dict[str, Any] = {}
        required: list[str] = []
        for key, held in _by_key(values).items():
            spots = _under(places, key)
            if self.cells:
                held = [value for value in held if value is not None]  # an empty cell is nothing
            made = self.schema(held, spots, record_name(key, one_of_many=_is_list(held)), deep=deep + 1)
            needed = len(held) == len(values) and not self._said(self.hints.optional, spots)
            if needed or self._said(self.hints.required, spots):
                required.append(key)
            else:
                made = {**_nullable(made), "default": None}  # null stands for what is absent
            seen = f"seen {len(held):,} of {len(values):,}"
            told = made.pop("$comment", "")
            properties[key] = {**made, "$comment": f"{seen}; {told}" if told else seen}
        return {"type": "object", "properties": properties, **({"required": required} if required else {})}

    def _tagged(
        self, tag: str, values: Sequence[Mapping[str, Any]], places: Sequence[Place], name: str, deep: int
    ) -> dict[str, Any]:
        """A union of records that a key tells apart."""
        options = []
        for value in sorted({record[tag] for record in values}):
            alike = [record for record in values if record[tag] == value]
            own = self._fresh(f"{record_name(value, one_of_many=False)}{name}")
            made = self._record(alike, places, deep)
            made["properties"][tag] = {"const": value, "$comment": f"seen {len(alike):,} of {len(values):,}"}
            self.definitions[own] = made
            options.append({"$ref": f"#/$defs/{own}"})
        return {"oneOf": options}

    def _tag(self, values: Sequence[Mapping[str, Any]]) -> str:
        """The key whose text tells which other keys there are; "" where there is none."""
        keys = _by_key(values)
        partly = {key for key, held in keys.items() if len(held) < len(values)}
        if len(values) < _LEAST_SEEN_OF_UNIONS or not partly:
            return ""
        for key in sorted(keys, key=lambda key: (key not in _TAGS, key)):
            held = keys[key]
            if _SECRET.search(key) or len(held) < len(values) or not all(isinstance(value, str) for value in held):
                continue
            seen: dict[str, list[frozenset[str]]] = {}
            for record in values:
                seen.setdefault(record[key], []).append(frozenset(record.keys() & partly))
            several = 2 <= len(seen) <= 8 and all(len(each) >= 3 and value for value, each in seen.items())
            if several and all(len(set(each)) == 1 for each in seen.values()):
                return key
        return ""

    def _is_map(self, records: Sequence[Mapping[str, Any]], places: Sequence[Place]) -> bool:
        """Whether the keys of records are data and no names."""
        if self._said(self.hints.maps, places) or self._said(self.hints.records, places):
            return self._said(self.hints.maps, places)
        keys = {key for record in records for key in record}
        if not keys or not places[0]:
            return False
        if all(map(_DATA_KEY.fullmatch, keys)):
            return True
        usual = sorted(map(len, records))[len(records) // 2]
        kinds = {kind_of(value) for record in records for value in record.values()} - {"null"}
        return len(kinds) == 1 and len(keys) >= max(_LEAST_KEYS, 3 * max(usual, 1)) and len(records) > 2

    def _said(self, hinted: frozenset[str], places: Iterable[Place]) -> bool:
        return bool(hinted) and any(_pointer(place) in hinted for place in places)

    def _fresh(self, name: str) -> str:
        made, number = name, 1
        while made in self.definitions:
            number += 1
            made = f"{name}{number}"
        self.definitions[made] = {}
        return made


def _alike(around: Sequence[Mapping[str, Any]], inside: Sequence[Mapping[str, Any]], key: str) -> bool:
    """Whether records inside of others are of their kind.

    Most keys are the same, the key that led there too; single values that those around always have are always there.
    """
    if not any(key in record for record in inside):
        return False
    keys, others = _by_key(around), _by_key(inside)
    kinds, deeper = ({*map(kind_of, each[key])} - {"null"} for each in (keys, others))
    always = [
        name
        for name, held in keys.items()
        if len(held) == len(around) and not any(isinstance(each, dict | list) or each is None for each in held)
    ]
    return (
        deeper <= kinds
        and all(len(others.get(name, ())) == len(inside) for name in always)
        and 2 * len(keys.keys() & others.keys()) >= len(keys.keys() | others.keys())
    )


_LEAST_SEEN_OF_UNIONS: Final = 6
_WORDS: Final = {
    "string": "text", "integer": "whole numbers", "number": "numbers", "boolean": "true or false",
    "object": "records", "array": "lists",
}  # fmt: skip


def kind_of(value: Any) -> str:
    """The type of the standard that a plain value is of; a whole number without a fraction is an integer."""
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, str):
        return "string"
    if isinstance(value, Mapping):
        return "object"
    if isinstance(value, list):
        return "array"
    return "integer" if isinstance(value, int) else "number"


def _pointer(place: Place) -> str:
    return "".join("/*" if isinstance(step, int) else f"/{escaped(step)}" for step in place)


def _is_secret(places: Iterable[Place]) -> bool:
    """Whether a value, or something that it is inside of, is named like a secret."""
    return any(isinstance(step, str) and _SECRET.search(step) for place in places for step in place)


def _under(places: Sequence[Place], step: str | int) -> list[Place]:
    return [(*place, step) for place in places]


def _by_key(records: Iterable[Mapping[str, Any]]) -> dict[str, list[Any]]:
    """The values under each key, the keys in the order in which they first came."""
    found: dict[str, list[Any]] = {}
    for record in records:
        for key, value in record.items():
            found.setdefault(key, []).append(value)
    return found


def _is_list(values: Sequence[Any]) -> bool:
    return any(isinstance(value, list) for value in values)


def _numbers(kind: str, values: Sequence[Any]) -> dict[str, Any]:
    """A range only where many values carry it: that none is below zero."""
    made: dict[str, Any] = {"type": kind}
    if len(values) >= _LEAST_RANGED and min(values) >= 0:
        made["minimum"] = 0
    return {**made, "$comment": spread(values)}


def _or_null(options: list[dict[str, Any]], nulls: int, count: int) -> list[dict[str, Any]]:
    """The options, and null beside them."""
    words = f"null in {nulls} of {count}"
    if len(options) == 1:
        made = dict(options[0])
        told = made.pop("$comment", "")
        made["$comment"] = f"{told}; {words}" if told else words
        return [_nullable(made)]
    return [*options, {"type": "null"}]


def _nullable(made: dict[str, Any]) -> dict[str, Any]:
    kind = made.get("type")
    if isinstance(kind, str):
        return {**made, "type": [kind, "null"]}
    if isinstance(kind, list):
        return made
    if "enum" in made:
        return {**made, "enum": [*made["enum"], None]} if None not in made["enum"] else made
    comment = {"$comment": made["$comment"]} if "$comment" in made else {}
    bare = {word: held for word, held in made.items() if word != "$comment"}
    if not bare:
        return made
    if "anyOf" in bare:
        return {"anyOf": [*bare["anyOf"], {"type": "null"}], **comment}
    return {"anyOf": [bare, {"type": "null"}], **comment}
