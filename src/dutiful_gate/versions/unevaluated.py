"""`unevaluatedProperties` and `unevaluatedItems`: what they close hangs on all that stands beside them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Final

from ..document.declaring.meaning import Clause, Meaning
from ..document.declaring.naming import words_of
from ..document.judging.keywords import active
from ..document.judging.library import Subschema
from .same_schemas import are_same

UNEVALUATED: Final = ("unevaluatedProperties", "unevaluatedItems")
_REFERRING: Final = ("$dynamicRef", "$recursiveRef")
_EVALUATING: Final = words_of(
    "unevaluatedProperties unevaluatedItems anyOf oneOf if then else dependentSchemas dependencies contains "
    "$dynamicRef $recursiveRef properties patternProperties additionalProperties prefixItems items "
    "additionalItems $ref allOf"
)
"""What evaluates keys or items, or joins schemas that may."""


def closes(meaning: Meaning) -> bool:
    """Whether `unevaluatedProperties` surely refuses just the keys that no schema of a meaning names."""
    clauses = [clause for clause in meaning.clauses if clause.word == "unevaluatedProperties"]
    return (
        bool(clauses)
        and all(clause.node.raw[clause.word] is False for clause in clauses)
        and _is_plain(meaning, clauses)
    )


def _is_plain(meaning: Meaning, clauses: list[Clause]) -> bool:
    if any(_evaluates_at_times(clause) for clause in meaning.clauses if clause.word not in UNEVALUATED):
        return False
    if any(
        not {"additionalProperties", "dependentSchemas", "dependencies"}.isdisjoint(each.words)
        for each in meaning.records
    ):
        return False
    said = {each.node for each in meaning.records}
    return all(said <= set(_seen(clause.node, meaning)) for clause in clauses)


def _evaluates_at_times(clause: Clause) -> bool:
    """Whether a keyword that joins schemas names keys for some records only."""
    if clause.word == "not":
        return False
    if clause.word in _REFERRING:
        return True
    words = ("if", "then", "else") if clause.word == "if" else (clause.word,)
    return any(_names_some(clause.node.raw.get(word)) for word in words)


def _names_some(schema: Any) -> bool:
    if isinstance(schema, list):
        return any(map(_names_some, schema))
    return isinstance(schema, dict) and not _EVALUATING.isdisjoint(schema)


def _seen(start: Subschema, meaning: Meaning) -> Iterator[Subschema]:
    """The schemas of a meaning that a schema holds or refers to, for the same value."""
    known = {piece.node for piece in meaning.pieces}
    waiting, seen = [start], {start}
    while waiting:
        node = waiting.pop()
        yield node
        for each in _beside(node):
            if each in known and each not in seen:
                seen.add(each)
                waiting.append(each)


def _beside(node: Subschema) -> Iterator[Subschema]:
    if not isinstance(node.raw, dict):
        return
    words = active(node)
    if "$ref" in words:
        yield node.document.library.target(node, words["$ref"])
    for word in ("allOf", "anyOf", "oneOf"):
        yield from (node.subschema(word, at) for at in range(len(words.get(word, ()))))


def left_alike(was: Meaning, now: Meaning, word: str) -> bool:
    """Whether what a keyword leaves as not evaluated is the same of every value in both, and asked the same."""
    before, after = ([clause.node for clause in each.clauses if clause.word == word] for each in (was, now))
    return len(before) == len(after) and all(
        are_same(one.subschema(word), other.subschema(word)) and _evaluates_alike(one, other, set())
        for one, other in zip(before, after, strict=True)
    )


def _evaluates_alike(one: Subschema, other: Subschema, assumed: set[tuple[Subschema, Subschema]]) -> bool:
    """Whether two schemas evaluate the same keys and items of every value."""
    if (one, other) in assumed:
        return True
    assumed.add((one, other))
    if one.raw is other.raw:
        return isinstance(one.raw, bool) or one.document is other.document
    if isinstance(one.raw, bool) or isinstance(other.raw, bool):
        return _EVALUATING.isdisjoint(one.raw if isinstance(one.raw, dict) else other.raw)
    words, others = (
        {word: held for word, held in active(node).items() if word in _EVALUATING} for node in (one, other)
    )
    return words.keys() == others.keys() and all(_alike(one, other, word, assumed) for word in words)


def _alike(one: Subschema, other: Subschema, word: str, assumed: set[tuple[Subschema, Subschema]]) -> bool:
    held, also = one.raw[word], other.raw[word]
    if word == "$ref":
        return _evaluates_alike(
            one.document.library.target(one, held), other.document.library.target(other, also), assumed
        )
    if word in _REFERRING:
        return bool(held == also) and are_same(
            one.document.library.target(one, held), other.document.library.target(other, also)
        )
    if word == "allOf":
        return len(held) == len(also) and all(
            _evaluates_alike(one.subschema(word, at), other.subschema(word, at), assumed) for at in range(len(held))
        )
    if word in ("anyOf", "oneOf"):
        return len(held) == len(also) and all(
            are_same(one.subschema(word, at), other.subschema(word, at)) for at in range(len(held))
        )
    if word in ("properties", "patternProperties"):
        return bool(held.keys() == also.keys())
    if word in ("dependentSchemas", "dependencies"):
        return held.keys() == also.keys() and all(
            isinstance(held[name], list) == isinstance(also[name], list)
            and (isinstance(held[name], list) or are_same(one.subschema(word, name), other.subschema(word, name)))
            for name in held
        )
    if isinstance(held, list) or isinstance(also, list):  # of items: each has its place
        return isinstance(held, list) and isinstance(also, list) and len(held) == len(also)
    if word in ("additionalProperties", "items", "additionalItems"):
        return True
    return are_same(one.subschema(word), other.subschema(word))
