"""What single schemas say of records: which properties, in which words."""

from __future__ import annotations

from ...regex.from_ecma import NoPattern
from ...regex.search import ecma_search
from ..judging.library import Subschema
from .meaning import Piece, SaidOfValue


def steps_of(node: Subschema, word: str) -> list[tuple[str | int, ...]]:
    """The steps to the schemas under a keyword that joins schemas."""
    held = node.raw.get(word)
    if isinstance(held, list):
        return [(word, at) for at in range(len(held))]
    return [(word,)] if isinstance(held, dict | bool) else []


def is_of_records(node: Subschema) -> bool:
    """Whether a schema says something of records alone, so that any other value passes."""
    if not isinstance(node.raw, dict):
        return node.raw is True
    words = Piece(node).words()
    plain = words.keys() <= {"required", "properties", "dependentRequired", "anyOf", "oneOf", "allOf"}
    return plain and all(
        is_of_records(node.subschema(word, at))
        for word in ("anyOf", "oneOf", "allOf")
        for at in range(len(words.get(word, [])))
    )


def named_in(node: Subschema) -> set[str]:
    """The properties of which a schema says more than that they come."""
    words = Piece(node).words() if isinstance(node.raw, dict) else {}
    found = set(words.get("properties", {}))
    for word in ("anyOf", "oneOf", "allOf"):
        for at in range(len(words.get(word, []))):
            found |= named_in(node.subschema(word, at))
    return found | ({"$ref"} if "$ref" in words else set())


def pieces_of(said: SaidOfValue, name: str) -> list[Piece]:
    """What one schema says of a property."""
    found = []
    if name in said.words.get("properties", {}):
        found.append(Piece(said.node.subschema("properties", name)))
    for pattern in said.words.get("patternProperties", {}):
        try:
            hit = bool(ecma_search(pattern)(name))
        except NoPattern:
            hit = False
        if hit:
            found.append(Piece(said.node.subschema("patternProperties", pattern)))
    if not found and "additionalProperties" in said.words:
        found.append(Piece(said.node.subschema("additionalProperties")))
    return found


def text_of(node: Subschema) -> str:
    """What a schema is described as."""
    text = node.raw.get("description") if isinstance(node.raw, dict) else None
    return text.strip() if isinstance(text, str) else ""
