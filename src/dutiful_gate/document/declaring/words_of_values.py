"""What keywords leave of the values of a type, when several schemas speak of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..dialects import DRAFT_2020_12, Dialect
from ..judging.library import Subschema
from .disjoint import number_bounds_apart
from .meaning import SaidOfValue, json_kind
from .naming import words_of
from .scalars import LENGTHS

PLAIN_TYPES = {"object": "dict[str, Any]", "array": "list[Any]", "string": "str", "number": "float", "boolean": "bool"}


def leaves_nothing(kind: str, several: list[SaidOfValue]) -> bool:
    """Whether bounds of several schemas leave no value between them."""
    if len(several) < 2:
        return False  # of one schema that is for its document to say
    if kind in LENGTHS:
        low, high = sorted(LENGTHS[kind], reverse=True)
        lows = [each.words[low] for each in several if low in each.words]
        highs = [each.words[high] for each in several if high in each.words]
        return bool(lows) and bool(highs) and max(lows) > min(highs)
    return bool(number_bounds_apart(several))


def put_beside(several: list[SaidOfValue], node: Subschema, word: str, held: Any) -> None:
    """Put a keyword beside what its schema says of such values already."""
    for each in several:
        if each.node is node and word not in each.words:
            each.words[word] = held
            return
    several.append(SaidOfValue(node, {word: held}))


def as_whole(value: Any) -> Any:
    """A whole number that came as a float as an int."""
    return int(value) if isinstance(value, float) and value.is_integer() and abs(value) < 2**53 else value


def is_of(kind: str, value: Any) -> bool:
    """Whether a value is of a JSON type of scalars."""
    if isinstance(value, bool):
        return False
    if kind == "string":
        return isinstance(value, str)
    return isinstance(value, int) if kind == "integer" else isinstance(value, int | float)


def stands_alone(words: Mapping[str, Any], dialect: Dialect) -> bool:
    """Whether keywords mean the same when they stand by themselves in 2020-12."""
    latest = DRAFT_2020_12.keywords
    waiting: list[Any] = [words]
    while waiting:
        held = waiting.pop()
        if isinstance(held, list):
            waiting += held
        elif isinstance(held, dict):
            waiting += held.values()
            if dialect.content and not _CONTENT.isdisjoint(held):  # 2020-12 asks nothing of it
                return False
            if dialect is DRAFT_2020_12:
                if "$ref" in held:
                    return False
                continue
            strange = held.keys() & (latest ^ dialect.keywords) - _HARMLESS
            old = dialect.pointless and (held.get("type") == "integer" or _BOUNDS & held.keys())
            if strange or "$ref" in held or isinstance(held.get("items"), list) or old:
                return False
    return True


_CONTENT = words_of("contentEncoding contentMediaType")
_BOUNDS = words_of("exclusiveMinimum exclusiveMaximum")
_HARMLESS = _CONTENT | words_of("$comment readOnly writeOnly examples deprecated")


def may_hold(types: Sequence[str], contains: Any) -> bool:
    """Whether one of some types is sure to have the constant among its values, so that a rule that names it is none too
    many: what no item ever equals is no rule.
    """
    held = contains.get("const") if isinstance(contains, dict) else None
    kind = PLAIN_TYPES.get(json_kind(held), "")
    return any(told == "Any" or told == kind or told.startswith(f"Annotated[{kind},") for told in types)
