"""Keywords put together: joined, made plainer, with null beside them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...declare.json_pointer import unescaped

Keywords = dict[str, Any]
_NEIGHBOURS = frozenset(["items", "prefixItems", "properties", "patternProperties", "additionalProperties"])
_COUNTED = frozenset(["contains", "minContains", "maxContains", "$ref"])
_LEFT_OVER = frozenset(["unevaluatedItems", "unevaluatedProperties"])


def reached(root: Any, definitions: Keywords, under: str = "#/$defs/") -> Keywords:
    """The definitions that something refers to: a variant leaves some behind."""
    reached: set[str] = set()
    waiting: list[Any] = [root]
    while waiting:
        held = waiting.pop()
        if isinstance(held, list):
            waiting += held
        elif isinstance(held, dict):
            lead = held.get("$ref")
            if isinstance(lead, str) and lead.startswith(under):
                key = unescaped(lead.removeprefix(under))
                if key in definitions and key not in reached:
                    reached.add(key)
                    waiting.append(definitions[key])
            waiting += held.values()
    return {key: held for key, held in definitions.items() if key in reached}


def or_null(inner: Keywords) -> Keywords:
    """What is inside, or null, in the shortest words that say so."""
    kinds = inner.get("type")
    if isinstance(kinds, str | list) and not {"enum", "const", "not", "allOf", "anyOf", "$ref"} & inner.keys():
        kinds = [kinds] if isinstance(kinds, str) else kinds
        return {**inner, "type": [*kinds, *(["null"] if "null" not in kinds else [])]}
    if "anyOf" in inner and inner.keys() <= {"anyOf", "title", "description", "deprecated"}:
        return {**inner, "anyOf": [*inner["anyOf"], {"type": "null"}]}
    return {"anyOf": [inner, {"type": "null"}]}


def plainer(said: Any) -> Any:
    """A schema without an `allOf` of one, where that one can stand beside the other keywords as well."""
    if isinstance(said, list):
        return [plainer(each) for each in said]
    if not isinstance(said, dict) or "$schema" in said:
        return said
    made = {
        word: held if word in ("const", "enum", "default", "examples", "mapping") else plainer(held)
        for word, held in said.items()
    }
    only = made.get("allOf")
    if isinstance(only, list) and len(only) == 1 and isinstance(only[0], dict):
        rest = {word: held for word, held in made.items() if word != "allOf"}
        conditions = {"if", "then", "else"}
        clash = rest.keys() & only[0].keys() or (conditions & rest.keys() and conditions & only[0].keys())
        meddles = (_NEIGHBOURS | _LEFT_OVER | _COUNTED) & only[0].keys()
        if not clash and not meddles:
            return {**rest, **only[0]}
    return made


def join(said: Keywords, more: Mapping[str, Any]) -> None:
    """Add keywords; one that is there already with another value goes into `allOf`."""
    if set(more) == {"allOf"}:
        said["allOf"] = [*said.get("allOf", []), *more["allOf"]]
        return
    if "if" in more and "if" in said:  # what belongs together stays so
        said["allOf"] = [*said.get("allOf", []), dict(more)]
        return
    clash = {word: held for word, held in more.items() if word in said and said[word] != held}
    said.update({word: held for word, held in more.items() if word not in clash})
    if clash:
        said.setdefault("allOf", []).append(clash)
