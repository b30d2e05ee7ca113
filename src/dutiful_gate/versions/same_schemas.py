"""Whether two schemas say the same, word for word, wherever what they refer to stands."""

from __future__ import annotations

from typing import Any, Final

from ..declare.equality import keyed
from ..document.declaring.meaning import SAID_OF
from ..document.declaring.naming import words_of
from ..document.judging.keywords import REFERENCES, active
from ..document.judging.library import Subschema

_ONE: Final = words_of(
    "items additionalItems contains additionalProperties propertyNames not if then else unevaluatedItems "
    "unevaluatedProperties contentSchema"
)
_SEVERAL: Final = words_of("allOf anyOf oneOf prefixItems items")
_NAMED: Final = words_of("properties patternProperties dependentSchemas dependencies")
_UNORDERED: Final = frozenset(["required", "enum", "type"])


def are_same(one: Subschema, other: Subschema, assumed: set[tuple[Subschema, Subschema]] | None = None) -> bool:
    """Whether two schemas, of two documents, say the same: titles and examples apart, references followed."""
    assumed = set() if assumed is None else assumed
    if (one, other) in assumed:
        return True
    assumed.add((one, other))
    if isinstance(one.raw, bool) or isinstance(other.raw, bool):
        return one.raw is other.raw or (_is_open(one) and _is_open(other))
    words, others = _words(one), _words(other)
    if words.keys() != others.keys():
        return False
    if one.dialect.pointless != other.dialect.pointless and "integer" in _as_list(words.get("type")):
        return False
    return all(_alike(one, other, word, words[word], others[word], assumed) for word in words)


def _is_open(node: Subschema) -> bool:
    return node.raw is True or (isinstance(node.raw, dict) and not _words(node))


def _words(node: Subschema) -> dict[str, Any]:
    return {word: held for word, held in active(node).items() if word not in SAID_OF}


def _alike(
    one: Subschema, other: Subschema, word: str, held: Any, also: Any, assumed: set[tuple[Subschema, Subschema]]
) -> bool:
    """Whether a keyword says the same in both."""
    if word in REFERENCES:
        if word != "$ref" and held != also:
            return False
        return are_same(one.document.library.target(one, held), other.document.library.target(other, also), assumed)
    if word in _SEVERAL and isinstance(held, list) and isinstance(also, list):
        steps = range(len(held))
        return len(held) == len(also) and all(
            are_same(one.subschema(word, at), other.subschema(word, at), assumed) for at in steps
        )
    if word in _NAMED and isinstance(held, dict) and isinstance(also, dict):
        if held.keys() != also.keys():
            return False
        return all(
            held[name] == also[name]
            if isinstance(held[name], list) or isinstance(also[name], list)
            else are_same(one.subschema(word, name), other.subschema(word, name), assumed)
            for name in held
        )
    if word in _ONE and isinstance(held, dict | bool) and isinstance(also, dict | bool):
        return are_same(one.subschema(word), other.subschema(word), assumed)
    if word in _UNORDERED:
        return set(map(keyed, _as_list(held))) == set(map(keyed, _as_list(also)))
    return bool(keyed(held) == keyed(also))


def _as_list(held: Any) -> list[Any]:
    return held if isinstance(held, list) else [held]
