"""What a new draft would change in a declaration that is there: told, and nothing edited."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import islice
from typing import Any, Final

from ..document.judging.causes import PHRASES
from .drafting import Draft

_MOST_DEEP: Final = 40
_MOST_LOOKS, _MOST_TOLD = 20_000, 2_000


def changes(drafted: Draft, document: Mapping[str, Any]) -> list[str]:
    """The differences between the document of a declaration and a draft of samples, as sentences, by place.

    New keys, keys that were never seen, fields that are required and were absent in some samples, or the reverse, other
    kinds, words outside of a closed set. `document` is what `Gate.schema()` writes, or any other document.
    """
    found = islice(_compared(drafted.document, drafted.document, document, document, "", 0, [_MOST_LOOKS]), _MOST_TOLD)
    return [*found]


def closed_places(document: Mapping[str, Any]) -> frozenset[str]:
    """The places where a document asks for one of a few texts: a draft beside it is told of words that are none."""
    return frozenset(_closed(document, document, "", 0, [_MOST_LOOKS]))


def _closed(schema: Any, root: Mapping[str, Any], place: str, deep: int, left: list[int]) -> Iterator[str]:
    told = _plain(schema, root)
    left[0] -= 1
    if deep > _MOST_DEEP or left[0] < 0:
        return
    if _hides(schema) or _hides(told):
        return
    if "enum" in told:
        yield place
    for name, held in told.get("properties", {}).items():
        yield from _closed(held, root, f"{place}/{name.replace('~', '~0').replace('/', '~1')}", deep + 1, left)
    if isinstance(told.get("items"), dict):
        yield from _closed(told["items"], root, f"{place}/*", deep + 1, left)


def _compared(
    new: Any, new_root: Mapping[str, Any], old: Any, old_root: Mapping[str, Any], place: str, deep: int, left: list[int]
) -> Iterator[str]:
    hidden = _hides(old)
    new, old = _plain(new, new_root), _plain(old, old_root)
    left[0] -= 1  # shapes that share records have more ways through them than one would want to go
    if deep > _MOST_DEEP or left[0] < 0 or not new or not old:
        return
    if hidden:
        old = {**old, "writeOnly": True}
    yield from _kinds(new, old, place)
    if _hides(old):
        return
    if "properties" in new and "properties" in old:
        yield from _fields(new, old, place)
        for name in new["properties"]:
            if name in old["properties"]:
                here = f"{place}/{name}"
                yield from _compared(
                    new["properties"][name], new_root, old["properties"][name], old_root, here, deep + 1, left
                )
    for word in ("items", "additionalProperties"):
        if isinstance(new.get(word), dict) and isinstance(old.get(word), dict):
            yield from _compared(new[word], new_root, old[word], old_root, f"{place}/*", deep + 1, left)


def _fields(new: Mapping[str, Any], old: Mapping[str, Any], place: str) -> Iterator[str]:
    theirs, ours = new["properties"], old["properties"]
    for name in theirs:
        if name not in ours:
            yield f"+ {place}/{name}: not declared; {_evidence(theirs[name])}"
    for name in ours:
        if name not in theirs:
            must = ", and it is required" if name in old.get("required", ()) else ""
            yield f"- {place}/{name}: declared, and never seen{must}"
        elif name in old.get("required", ()) and name not in new.get("required", ()):
            yield f"~ {place}/{name}: required, and absent in some; {_evidence(theirs[name], ours[name])}"
        elif name in new.get("required", ()) and name not in old.get("required", ()):
            yield f"~ {place}/{name}: may be absent, and was always there; {_evidence(theirs[name], ours[name])}"


def _kinds(new: Mapping[str, Any], old: Mapping[str, Any], place: str) -> Iterator[str]:
    theirs, ours = _types(new), _types(old)
    extra = theirs - ours - ({"integer"} if "number" in ours else set())
    if ours and extra - {"null"}:
        yield f"~ {place or '(the whole)'}: declared as {_told(ours)}, and {_told(extra - {'null'})} came"
    if "enum" in new and "enum" in old and not _hides(old):
        others = [each for each in new["enum"] if each is not None and each not in old["enum"]]
        if others:
            yield f"~ {place}: words that are not declared: {', '.join(map(repr, others[:6]))}"
    told, said = new.get("format"), old.get("format")
    if said and "string" in theirs and told != said:
        yield f"~ {place}: declared as of the format {said}, and not all are; {_evidence(new, old)}"


def _types(schema: Mapping[str, Any]) -> set[str]:
    if "type" in schema:
        return {schema["type"]} if isinstance(schema["type"], str) else set(schema["type"])
    values = schema.get("enum", [schema["const"]] if "const" in schema else [])
    if values and all(each is None or isinstance(each, str) for each in values):
        return {"string"}
    options = [*schema.get("anyOf", ()), *schema.get("oneOf", ())]
    found: set[str] = set()
    for option in options:
        if not isinstance(option, dict) or not (inner := _types(option) or ({"object"} if "$ref" in option else set())):
            return set()
        found |= inner
    return found


def _plain(schema: Any, root: Mapping[str, Any]) -> dict[str, Any]:
    """A schema without references and without null beside it."""
    for _ in range(20):
        if not isinstance(schema, dict):
            return {}
        reference = schema.get("$ref")
        if isinstance(reference, str) and reference.startswith("#/$defs/"):
            schema = root.get("$defs", {}).get(reference.removeprefix("#/$defs/"), {})
            continue
        options = [each for each in schema.get("anyOf", ()) if each != {"type": "null"}]
        if len(options) == 1 and "type" not in schema:
            schema = options[0]
            continue
        return schema
    return {}


def _told(kinds: set[str]) -> str:
    return " or ".join(PHRASES.get(kind, kind) for kind in sorted(kinds))


def _evidence(schema: Any, declared: Any = None) -> str:
    """What a draft saw; of what is declared as a secret only how often."""
    told = str(schema.get("$comment", "")) if isinstance(schema, dict) else ""
    return told.partition(";")[0] if _hides(declared) else told


def _hides(declared: Any) -> bool:
    return isinstance(declared, dict) and declared.get("writeOnly") is True
