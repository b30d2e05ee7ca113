"""What each keyword says when it refuses: its code, its words and its numbers, each said here once."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any, Final

from ...declare.facts import Facts, Got, LengthUnit
from ...declare.hash_limits import MOST_ALIKE
from ...declare.phrases import Phrase, Row
from ...declare.rules import Ceiling, Distinct, Floor, Length, Multiple, Rule
from ...declare.steps import NO_BLANKS_AROUND
from ...report.cause import UNREADABLE, Cause, UnknownKey
from .keywords import active, contains_bounds, number_bounds, types_of
from .library import Library, Subschema
from .options import JudgingOptions

PHRASES = {
    "string": "text",
    "integer": "a whole number",
    "number": "a number",
    "boolean": "true or false",
    "null": "null",
    "array": "an array",
    "object": "an object",
}
"""The types of the standard, as a reader is told them."""
TEXT = Facts("text", "text", measured=LengthUnit.CHARACTERS, text=True)
NUMBER = Facts("a number", "number", ordered=(int, float), number=True)
LIST = Facts("an array", "list", measured=LengthUnit.ITEMS)
RECORD = Facts("an object", "record", measured=LengthUnit.KEYS)


class Keyword:
    """One keyword where it stands: `steps` lead to it from its schema, `says` names what it says.

    That is the keyword itself; or, where one says several things, one of the other names below.
    """

    __slots__ = ("__dict__", "library", "node", "options", "says", "steps")

    def __init__(self, options: JudgingOptions, node: Subschema, says: str, steps: tuple[str | int, ...]) -> None:
        self.options = options
        self.library = options.library
        self.node = node
        self.says = says
        self.steps = steps

    @cached_property
    def cause(self) -> Cause:
        """Why it refuses, with where it stands: put together when it first does."""
        return _SAYS[self.says](self).replace(keyword=self.node.location(*self.steps), json=True)

    @cached_property
    def words(self) -> Mapping[str, Any]:
        """The keywords of its schema."""
        return active(self.node) if isinstance(self.node.raw, dict) else {}

    @property
    def held(self) -> Any:
        """What stands under the keyword."""
        return self.words[self.says]


class Keywords:
    """The keywords of one library that have refused something, or may."""

    def __init__(self, options: JudgingOptions) -> None:
        self._options = options
        self._known: dict[tuple[Subschema, str, tuple[str | int, ...]], Keyword] = {}

    def at(self, node: Subschema, says: str, *steps: str | int) -> Keyword:
        """A keyword; without steps the one that stands there under the name of what it says."""
        mark = node, says, steps
        known = self._known.get(mark)
        if known is None:
            told = steps or ((says,) if says in _KEYWORDS else ())
            known = self._known[mark] = Keyword(self._options, node, says, told)
        return known


def _by_rule(rule: Rule, facts: Facts) -> Cause:
    """A keyword that says the same as a rule of ours speaks with its words."""
    face = rule.faces("value", facts, lambda constant, hint: hint)[-1]
    return Cause(face.code, face.needs, rule.numbers(), facts.phrase, face.got)


def _size(facts: Facts) -> Callable[[Keyword], Cause]:
    def of_length(keyword: Keyword) -> Cause:
        least, most = (keyword.held, None) if keyword.says.startswith("min") else (None, keyword.held)
        return _by_rule(Length(least, most, keyword.says), facts)

    return of_length


def _bound(keyword: Keyword) -> Cause:
    """A bound of a number; in draft-04 it may be the boolean beside it that bars the bound itself."""
    low = keyword.says.endswith("inimum")
    strict = keyword.words.get("exclusiveMinimum" if low else "exclusiveMaximum")
    inclusive = not keyword.says.startswith("exclusive") and strict is not True
    return _by_rule((Floor if low else Ceiling)(keyword.held, inclusive), NUMBER)


def bounds_of(words: Mapping[str, Any]) -> list[tuple[str, str, Any]]:
    """The keywords that bound a number, each with its comparison and its bound."""
    told = []
    for sign, bound in number_bounds(words):
        word = "minimum" if sign.startswith(">") else "maximum"
        exclusive = f"exclusive{word.capitalize()}"
        plain = sign.endswith("=") or isinstance(words.get(exclusive), bool)
        told.append((word if plain else exclusive, sign, bound))
    return told


def _known_keys(keyword: Keyword) -> Cause:
    properties = keyword.words.get("properties", {})
    return UnknownKey(known=tuple(name for name, held in properties.items() if held is not False))


def _format(keyword: Keyword) -> Cause:
    return Cause("format", keyword.options.judges[keyword.held][0], {"format": keyword.held})


def _content(keyword: Keyword) -> Cause:
    held = keyword.words.get("contentMediaType") or keyword.words.get("contentEncoding")
    return Cause("format", "text that holds {content}", {"content": held})


def _contained(keyword: Keyword) -> Cause:
    least = contains_bounds(keyword.words)[0]
    return Cause("count", "at least {floor} of its items to be as the document's contains has them", {"floor": least})


def _contained_most(keyword: Keyword) -> Cause:
    words = "at most {ceiling} of its items to be as the document's contains has them"
    return Cause("count", words, {"ceiling": keyword.held})


def _none_fits(keyword: Keyword) -> Cause:
    subschemas = [keyword.node.subschema(keyword.says, at) for at in range(len(keyword.held))]
    phrases = dict.fromkeys(_alternative(keyword.library, each) for each in subschemas)
    return Cause("branch", "one of these: {options}", {"options": list(phrases)})


def _several_fit(keyword: Keyword) -> Cause:
    return Cause("branch", "exactly one of {count} alternatives", {"count": len(keyword.words["oneOf"])})


def _pattern(keyword: Keyword) -> Cause:
    pattern = keyword.held
    if pattern == NO_BLANKS_AROUND:
        return Cause("pattern", "text without blanks at its ends", {"pattern": pattern})
    whole = pattern.startswith("^") and pattern.endswith("$")
    words = "text that matches {pattern}" if whole else "text in which {pattern} is found"
    return Cause("pattern", words, {"pattern": pattern})


def _barred(keyword: Keyword) -> Cause:
    """What a `not` asks for, in words where it is simple."""
    schema = keyword.held
    if isinstance(schema, dict) and len(schema) == 1:
        if "const" in schema:
            return Cause("choice", "anything but {constant}", {"constant": schema["const"]})
        if "enum" in schema:
            return Cause("choice", "anything but {choices}", {"choices": schema["enum"]})
        if "required" in schema and len(schema["required"]) == 1:
            return Cause("agreement", "no value for {names}", {"names": schema["required"]}, got="one")
    location = keyword.node.location("not")
    return Cause("branch", "a value that {keyword} does not describe", {"keyword": location})


def _alternative(library: Library, node: Subschema) -> str:
    """An alternative in a few words."""
    raw = node.raw
    for _ in range(20):
        if not isinstance(raw, dict):
            break
        if isinstance(raw.get("title"), str):
            return str(raw["title"])
        if isinstance(raw.get("const"), str | int | float):
            return str(raw["const"])
        if "enum" in raw:
            return ", ".join(str(each) for each in raw["enum"][:6])
        if "type" in raw:
            return Row(*(Phrase(PHRASES[kind]) for kind in types_of(node, raw)), between=" or ")
        if "$ref" not in raw or node in library.unusable:
            break
        node = library.target(node, raw["$ref"])
        raw = node.raw
    return Phrase("what {place} describes", place=node.location())


def numbered(fits: Iterable[int]) -> str:
    """Which of several alternatives accept a value, in words, counted from 1."""
    return Phrase("number {which}", which=Row(*(str(number + 1) for number in fits), between=" and "))


def _types(kinds: Sequence[str]) -> str:
    return Row(*(Phrase(PHRASES[kind]) for kind in kinds), between=" or ") if len(kinds) > 1 else PHRASES[kinds[0]]


def _worded(constant: Any) -> Any:
    """A constant as a reader is told it: lists and records as JSON."""
    return json.dumps(constant, ensure_ascii=False) if isinstance(constant, dict | list) else constant


_KEYWORDS: Final[Mapping[str, Callable[[Keyword], Cause]]] = {
    "type": lambda said: Cause("kind", _types(types_of(said.node, dict(said.words)))),
    "enum": lambda said: Cause("choice", "one of {choices}", {"choices": tuple(map(_worded, said.held))}),
    "const": lambda said: Cause("choice", "{constant}", {"constant": _worded(said.held)}),
    "minLength": _size(TEXT),
    "maxLength": _size(TEXT),
    "pattern": _pattern,
    "format": _format,
    "contentEncoding": _content,
    "contentMediaType": _content,
    "minimum": _bound,
    "maximum": _bound,
    "exclusiveMinimum": _bound,
    "exclusiveMaximum": _bound,
    "multipleOf": lambda said: _by_rule(Multiple(said.held), NUMBER),
    "minItems": _size(LIST),
    "maxItems": _size(LIST),
    "uniqueItems": lambda said: _by_rule(Distinct(), LIST),
    "contains": _contained,
    "minContains": _contained,
    "maxContains": _contained_most,
    "minProperties": _size(RECORD),
    "maxProperties": _size(RECORD),
    "required": lambda said: Cause("absent", "a value"),
    "anyOf": _none_fits,
    "oneOf": _none_fits,
    "not": _barred,
}
_SAYS: Final[Mapping[str, Callable[[Keyword], Cause]]] = {
    **_KEYWORDS,
    "nothing": lambda said: Cause("branch", "no value here"),
    "no item": lambda said: Cause("count", "no item here"),
    "no other key": _known_keys,
    "dependent": lambda said: Cause(
        "agreement", "a value, since {given} has one", {"given": said.steps[-1]}, got="none"
    ),
    "several fit": _several_fit,
    "too alike": lambda said: Cause("size", f"at most {MOST_ALIKE} different items that share a hash", got="more"),
    "too many": lambda said: Cause("size", "at most {most} of them", {"most": said.options.most_items}, got=Got.LENGTH),
    "too deep": lambda said: Cause(
        "depth", "data at most {most} levels deep", {"most": said.options.most_deep}, got="deeper data"
    ),
    "readable": lambda said: UNREADABLE,
}
