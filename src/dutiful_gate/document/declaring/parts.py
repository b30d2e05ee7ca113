"""The part of a document that some of its schemas need: what is kept beside types, and nothing more."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from ..judging.library import Document, Library, Node, Steps, held_schemas
from ..judging.sound import active

_KEPT_ON_THE_WAY = ("$schema", "$id", "id", "$anchor", "$dynamicAnchor", "$recursiveAnchor", "$vocabulary")


def needed(library: Library, nodes: Iterable[Node]) -> dict[Document, list[Steps]]:
    """The steps to all that schemas are, and refer to, in each document."""
    found: dict[Document, list[Steps]] = {}
    seen: set[Node] = set()
    waiting = list(nodes)
    for node in waiting:
        found.setdefault(node.document, []).append(node.steps)
    while waiting:
        node = waiting.pop()
        if node in seen:
            continue
        seen.add(node)
        waiting += (kid for kid in held_schemas(node) if kid.steps[len(node.steps)] not in ("$defs", "definitions"))
        if isinstance(node.raw, dict) and isinstance(lead := active(node).get("$ref"), str):
            target = library.target(node, lead)
            if target not in seen:
                found.setdefault(target.document, []).append(target.steps)
                waiting.append(target)
    return found


def pruned(raw: Any, steps: Iterable[Steps]) -> Any:
    """A document with nothing but what some steps lead to, and what names the schemas on the way."""
    wanted: dict[Any, Any] = {}
    for each in steps:
        at = wanted
        for step in each:
            if at.get(None):  # all of it is kept already
                break
            at = at.setdefault(step, {})
        at[None] = True
    return _pruned(raw, wanted)


def _pruned(raw: Any, wanted: Mapping[Any, Any]) -> Any:
    if wanted.get(None):
        return raw
    if isinstance(raw, list):
        return [_pruned(each, wanted[at]) if at in wanted else {} for at, each in enumerate(raw)]
    return {
        word: _pruned(held, wanted[word]) if word in wanted else held
        for word, held in raw.items()
        if word in wanted or (word in _KEPT_ON_THE_WAY and isinstance(held, str | bool))
    }
