"""What the keywords of a schema say, told apart from what is done about it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any
from urllib.parse import unquote

from .library import Library, Resource, Subschema

Scope = tuple[Resource, ...]
"""The resources that judging came through, the outermost first."""

TEXT_WORDS = ("minLength", "maxLength", "pattern", "format", "contentEncoding", "contentMediaType")
NUMBER_WORDS = ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf")
LIST_WORDS = (
    "minItems", "maxItems", "uniqueItems", "prefixItems", "items", "additionalItems", "contains",
)  # fmt: skip
RECORD_WORDS = (
    "required", "minProperties", "maxProperties", "properties", "patternProperties", "additionalProperties",
    "propertyNames", "dependentRequired", "dependentSchemas", "dependencies",
)  # fmt: skip

REFERENCES = ("$ref", "$dynamicRef", "$recursiveRef")
COMBINING = ("allOf", "anyOf", "oneOf", "not", "if")
_BESIDE = frozenset([*REFERENCES, *COMBINING, "dependentSchemas"])


def active(node: Subschema) -> dict[str, Any]:
    """The keywords of a schema that have a meaning in its dialect."""
    raw: dict[str, Any] = node.raw
    if "$ref" in raw and node.dialect.ref_alone:
        if "$ref" in node.document.library.unusable.get(node, ()):
            return {}
        return {"$ref": raw["$ref"]}
    known = node.dialect.keywords
    unusable = node.document.library.unusable.get(node)
    if unusable is not None:
        return {word: held for word, held in raw.items() if word in known and word not in unusable}
    return {word: held for word, held in raw.items() if word in known}


def goes_on_beside(node: Subschema) -> bool:
    """Whether a schema has others judge the same value."""
    return isinstance(node.raw, dict) and not _BESIDE.isdisjoint(active(node))


def types_of(node: Subschema, words: Mapping[str, Any]) -> list[str]:
    """The types that `type` names; with `nullable`, as OpenAPI 3.0 has it, null too."""
    wanted = words.get("type", [])
    kinds = list(wanted) if isinstance(wanted, list) else [wanted]
    return [*kinds, "null"] if kinds and node.dialect.nullable and words.get("nullable") is True else kinds


def entered(scope: Scope, resource: Resource) -> Scope:
    """The scope inside a resource; the outermost of a kind decides, so that once is enough."""
    return scope if resource in scope else (*scope, resource)


def dynamic_lead(library: Library, node: Subschema, word: str, reference: str) -> Callable[[Scope], Subschema]:
    """The function that finds where a dynamic reference leads, given the way judging came."""
    first = library.target(node, reference)
    if word == "$recursiveRef":

        def recursive(scope: Scope) -> Subschema:
            if not (isinstance(first.raw, dict) and first.raw.get("$recursiveAnchor") is True):
                return first
            for resource in scope:
                raw = resource.root.raw
                if isinstance(raw, dict) and raw.get("$recursiveAnchor") is True:
                    return resource.root
            return first

        return recursive
    name = dynamic_name(reference)

    def dynamic(scope: Scope) -> Subschema:
        if first.resource.dynamic.get(name) is not first:
            return first  # it began at a plain anchor or a pointer: an ordinary reference
        for resource in scope:
            if name in resource.dynamic:
                return resource.dynamic[name]
        return first

    return dynamic


def dynamic_name(reference: str) -> str:
    """The anchor that a dynamic reference looks for; "" for `$recursiveRef`."""
    return unquote(reference.partition("#")[2])


def number_bounds(words: Mapping[str, Any]) -> list[tuple[str, Any]]:
    """The comparisons of a number; in draft-04 the exclusive ones are booleans beside the others."""
    bounds = []
    for word, exclusive, sign in (("minimum", "exclusiveMinimum", ">"), ("maximum", "exclusiveMaximum", "<")):
        strict = words.get(exclusive)
        if word in words:
            bounds.append((sign if strict is True else f"{sign}=", words[word]))
        if strict is not None and not isinstance(strict, bool):
            bounds.append((sign, strict))
    return bounds


def list_parts(node: Subschema, words: dict[str, Any]) -> tuple[list[Subschema], Subschema | None]:
    """The schemas of the first items one by one, and the one of all the others."""
    if "prefixItems" in words:
        first = [node.subschema("prefixItems", number) for number in range(len(words["prefixItems"]))]
        return first, node.subschema("items") if "items" in words else None
    items = words.get("items")
    if isinstance(items, list) and "prefixItems" not in node.dialect.keywords:
        first = [node.subschema("items", number) for number in range(len(items))]
        return first, node.subschema("additionalItems") if "additionalItems" in words else None
    return [], node.subschema("items") if isinstance(items, dict | bool) else None


def contains_bounds(words: Mapping[str, Any]) -> tuple[int, int | None]:
    """How many items must be contained, and may be."""
    return words.get("minContains", 1), words.get("maxContains")
