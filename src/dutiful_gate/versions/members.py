"""What schemas say together of the keys of a record and the items of a list."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any, Final

from ..document.declaring.meaning import Meaning, Part, Piece, SaidOfValue
from ..document.judging.keywords import list_parts
from ..regex.search import ecma_search
from .unevaluated import closes


@lru_cache(maxsize=1_000)
def search_of(pattern: str) -> Callable[[str], object]:
    """What looks for a pattern in a key."""
    return ecma_search(pattern)


def head_count(said: list[SaidOfValue]) -> int:
    """How many first items have schemas of their own."""
    return max((len(list_parts(each.node, each.words)[0]) for each in said), default=0)


def item_at(said: list[SaidOfValue], at: int | None) -> Part:
    """What is asked of the item at a place; of all further ones for None."""
    found = []
    for each in said:
        heads, more = list_parts(each.node, each.words)
        held = heads[at] if at is not None and at < len(heads) else more
        if held is not None:
            found.append(Piece(held))
    return tuple(dict.fromkeys(found))


def names_of(meaning: Meaning) -> dict[str, None]:
    """The keys that are declared, in order: those with a schema, and those that are asked for or about."""
    found = dict.fromkeys(name for each in meaning.records for name in each.words.get("properties", {}))
    for each in meaning.records:
        found |= dict.fromkeys(_mentioned({word: each.words[word] for word in _ASKING if word in each.words}))
    for clause in meaning.clauses:
        if clause.word in _AT_ONE_PLACE:
            found |= dict.fromkeys(_mentioned({word: clause.node.raw.get(word) for word in _OF_CLAUSE[clause.word]}))
    return found


_ASKING: Final = ("required", "dependentRequired", "dependencies", "dependentSchemas")
_AT_ONE_PLACE: Final = ("allOf", "anyOf", "oneOf", "not", "if", "then", "else")
_OF_CLAUSE: Final = {word: (word,) if word != "if" else ("if", "then", "else") for word in _AT_ONE_PLACE}


def _mentioned(schema: Any) -> Iterator[str]:
    """The keys that a schema names of the record at hand."""
    if not isinstance(schema, dict):
        return
    for word, held in schema.items():
        if (word == "required" and isinstance(held, list)) or (word == "properties" and isinstance(held, dict)):
            yield from held
        elif word in ("dependentRequired", "dependencies", "dependentSchemas") and isinstance(held, dict):
            for name, inner in held.items():
                yield name
                yield from inner if isinstance(inner, list) else _mentioned(inner)
        elif word in ("allOf", "anyOf", "oneOf") and isinstance(held, list):
            for each in held:
                yield from _mentioned(each)
        elif word in _AT_ONE_PLACE:
            yield from _mentioned(held)


def required_of(meaning: Meaning) -> set[str]:
    """The keys that must be there."""
    return {
        name
        for each in meaning.records
        if isinstance(each.words.get("required"), list)
        for name in each.words["required"]
    }


def is_closed(meaning: Meaning) -> bool:
    """Whether keys that are not named are refused."""
    return closes(meaning) or any(
        each.words.get("additionalProperties") is False and "patternProperties" not in each.words
        for each in meaning.records
    )


def additional_of(meaning: Meaning) -> Part:
    """What is asked of the values of keys that are not named."""
    return part_of_word(meaning, "additionalProperties")


def part_of_word(meaning: Meaning, word: str) -> Part:
    """The schemas under a keyword, as a part."""
    return tuple(
        dict.fromkeys(
            Piece(each.node.subschema(word))
            for each in meaning.records
            if isinstance(each.words.get(word), dict | bool)
        )
    )


def patterns_of(meaning: Meaning) -> dict[str, Part]:
    """What is asked of values, by the pattern that their keys match."""
    found: dict[str, list[Piece]] = {}
    for each in meaning.records:
        for pattern in each.words.get("patternProperties", {}):
            found.setdefault(pattern, []).append(Piece(each.node.subschema("patternProperties", pattern)))
    return {pattern: tuple(pieces) for pattern, pieces in found.items()}


def dependent_names(meaning: Meaning) -> set[tuple[str, str]]:
    """The keys that other keys need: pairs of the given one and the wanted."""
    return {
        (given, wanted)
        for each in meaning.records
        for word in ("dependentRequired", "dependencies")
        for given, names in each.words.get(word, {}).items()
        if isinstance(names, list)
        for wanted in names
    }


def dependent_schemas(meaning: Meaning) -> dict[str, Part]:
    """What is asked of a record, by the key that makes it so."""
    found: dict[str, list[Piece]] = {}
    for each in meaning.records:
        for word in ("dependentSchemas", "dependencies"):
            for name, held in each.words.get(word, {}).items():
                if not isinstance(held, list):
                    found.setdefault(name, []).append(Piece(each.node.subschema(word, name)))
    return {name: tuple(pieces) for name, pieces in found.items()}


def is_open(part: Part) -> bool:
    """Whether a part asks for nothing."""
    return all(piece.node.raw is True or (piece.node.raw is not False and not piece.words()) for piece in part)


def is_nothing(part: Part) -> bool:
    """Whether nothing may stand there."""
    return any(piece.node.raw is False for piece in part)
