"""The part of a document that some of its schemas need: what is kept beside types, and nothing more."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from ..dialects import BY_NAME
from ..judging.keywords import active
from ..judging.library import Library, LoadedDocument, Steps, Subschema, held_schemas

_LEADS = ("$ref", "$dynamicRef", "$recursiveRef")
_KEPT_ON_THE_WAY = ("$schema", "$id", "id", "$anchor", "$dynamicAnchor", "$recursiveAnchor", "$vocabulary")


def needed(library: Library, nodes: Iterable[Subschema]) -> dict[LoadedDocument, list[Steps]]:
    """The steps to all that schemas are, and refer to, in each document."""
    found: dict[LoadedDocument, list[Steps]] = {}
    seen: set[Subschema] = set()
    waiting = list(nodes)
    for node in waiting:
        found.setdefault(node.document, []).append(node.steps)
    while waiting:
        node = waiting.pop()
        if node in seen:
            continue
        seen.add(node)
        waiting += (
            subschema
            for subschema in held_schemas(node)
            if subschema.steps[len(node.steps)] not in ("$defs", "definitions")
        )
        words = active(node) if isinstance(node.raw, dict) else {}
        for lead in (words[word] for word in _LEADS if isinstance(words.get(word), str)):
            target = library.target(node, lead)
            if target not in seen:
                found.setdefault(target.document, []).append(target.steps)
                waiting.append(target)
    return found


def referred(root: Subschema) -> Subschema:
    """What a document does nothing but refer to, where that is a resource inside it; else the document.

    One that has dynamic anchors has a say in all that it refers to.
    """
    if (
        isinstance(root.raw, dict)
        and not root.resource.dynamic
        and active(root).keys() <= {"$schema", "$id", "$ref", "$defs", "$comment"}
    ):
        lead = root.raw.get("$ref")
        target = root.document.library.target(root, lead) if isinstance(lead, str) else root
        if target.document is root.document and target.is_root:
            return target
    return root


def homes(library: Library, document: LoadedDocument, kept: Iterable[Subschema]) -> dict[Subschema, Subschema]:
    """The resources inside a document that can stand for it: the root of that one by each schema that is kept.

    A resource does so where all that is kept of it, and all that this needs, lies in it, and nothing else that is kept
    leads into it: then it may stand by itself, under its own URI.
    """
    found = {node: _around(document, node.steps) for node in kept if node.document is document}
    while True:
        by_home: dict[Subschema, list[Subschema]] = {}
        for node, home in found.items():
            by_home.setdefault(home, []).append(node)
        needs = {home: needed(library, nodes) for home, nodes in by_home.items()}
        unfit = [home for home in by_home if home.steps and not _stands_alone(home, document, needs)]
        if not unfit:
            return {node: home for node, home in found.items() if home.steps}
        # The innermost first: with what it hands over to the one around it, that one may stand alone.
        home = max(unfit, key=lambda home: len(home.steps))
        found |= dict.fromkeys(by_home[home], _around(document, home.steps[:-1]))


def _stands_alone(
    home: Subschema, document: LoadedDocument, needs: Mapping[Subschema, Mapping[LoadedDocument, list[Steps]]]
) -> bool:
    """Whether what is kept in a resource leads nowhere else, and nothing else leads into it."""
    own = home.raw.get(home.dialect.id_word)
    if not isinstance(own, str) or own.partition("#")[0] != home.resource.uri or home.dialect.name not in BY_NAME:
        return False
    for other, found in needs.items():
        if other is home and list(found) != [document]:
            return False
        if other is not home and other.steps[: len(home.steps)] == home.steps:
            continue  # it lies in this one: whether it stands alone is asked of it
        inside = [steps[: len(home.steps)] == home.steps for steps in found.get(document, ())]
        if not all(inside) if other is home else any(inside):
            return False
    return True


def _around(document: LoadedDocument, steps: Steps) -> Subschema:
    """The root of the innermost resource around a place, or of the whole document."""
    while steps and not (steps in document.nodes and document.nodes[steps].is_root):
        steps = steps[:-1]
    return document.nodes[steps]


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
