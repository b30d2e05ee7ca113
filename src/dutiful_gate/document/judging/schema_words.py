"""The keywords of one schema, as the interpreter goes by them."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from ...declare.equality import LISTS, keyed
from ..dialects import VOCABULARIES
from .json_values import is_integer, is_integer_4, is_number
from .keywords import (
    COMBINING,
    LIST_WORDS,
    NUMBER_WORDS,
    RECORD_WORDS,
    REFERENCES,
    TEXT_WORDS,
    active,
    types_of,
)
from .library import Subschema

_NOTES = VOCABULARIES["https://json-schema.org/draft/2020-12/vocab/meta-data"] | {
    "contentEncoding", "contentMediaType", "contentSchema", "format",
}  # fmt: skip

_SILENT = _NOTES - {"format"} | {"$defs", "definitions", "$comment", "$id", "id", "$schema", "$anchor"}
_OF_KINDS: dict[str, tuple[type, ...]] = {
    **dict.fromkeys(TEXT_WORDS, (str,)),
    **dict.fromkeys(NUMBER_WORDS, (int, float, Decimal)),
    **dict.fromkeys((*LIST_WORDS, "unevaluatedItems", "minContains", "maxContains"), LISTS),
    **dict.fromkeys((*RECORD_WORDS, "unevaluatedProperties"), (dict,)),
}


class SchemaWords:
    """The keywords of one schema, and what follows from them alone: put together when it is first asked for."""

    def __init__(self, node: Subschema) -> None:
        self.node = node
        self.words = words = active(node)
        kinds = types_of(node, words)
        self.kinds = [_tester(kind, pointless=node.dialect.pointless) for kind in kinds]
        self.choices = {keyed(each) for each in words["enum"]} if "enum" in words else None
        self.constant = (keyed(words["const"]),) if "const" in words else ()
        self.refers = any(word in words for word in REFERENCES)
        self.combines = any(word in words for word in COMBINING)
        self.notes = tuple(word for word in words if word in _NOTES)
        self.looks_into_records = any(word in words for word in RECORD_WORDS)
        self.looks_into_lists = any(word in words for word in LIST_WORDS)
        self.properties: dict[str, tuple[Subschema, tuple[str, str]]] = {
            name: (node.subschema("properties", name), ("properties", name)) for name in words.get("properties", {})
        }
        self.required = tuple(dict.fromkeys(words.get("required", ())))

    def is_of_kind(self, value: Any) -> bool:
        """Whether a value is of one of the types that are asked for; of any where none is."""
        return not self.kinds or any(test(value) for test in self.kinds)


def _tester(kind: str, *, pointless: bool) -> Callable[[Any], bool]:
    """What tells values of a type of the standard."""
    tests: dict[str, Callable[[Any], bool]] = {
        "string": lambda value: isinstance(value, str),
        "integer": is_integer_4 if pointless else is_integer,
        "number": is_number,
        "boolean": lambda value: value is True or value is False,
        "null": lambda value: value is None,
        "array": lambda value: isinstance(value, LISTS),
    }
    return tests.get(kind, lambda value: isinstance(value, dict))


def has_a_say(word: str, value: Any) -> bool:
    """Whether a keyword that cannot be used would look at a value."""
    return word not in _SILENT and isinstance(value, _OF_KINDS.get(word, object))
