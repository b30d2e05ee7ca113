"""The same document in the words of another dialect: draft-07, OpenAPI 3.1, OpenAPI 3.0."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ...declare.json_pointer import escaped
from ..dialects import Dialect
from ..document import Unstated
from .format_patterns import spelled_out

Schema = dict[str, Any]
_NEW_FORMATS = frozenset(["uuid", "duration"])
_NO_NULL: Schema = {"type": "string", "nullable": True, "enum": [None]}


class DialectWriter:
    """One document in another dialect, and what got lost on the way."""

    def __init__(self, dialect: Dialect, names: dict[str, str]) -> None:
        self.dialect = dialect
        self.names = names
        self.unstated: list[Unstated] = []

    def document(self, content: Schema, uri: str | None) -> Schema:
        """The whole document, `content` in 2020-12."""
        definitions = content.get("$defs", {})
        root = self.schema({word: held for word, held in content.items() if word != "$defs"}, "")
        held = {name: self.schema(each, f"/$defs/{escaped(name)}") for name, each in definitions.items()}
        opening: Schema = {}
        if self.dialect.opens:
            opening = {"$schema": self.dialect.opens, **({"$id": uri} if uri else {})}
            if uri and "$ref" in root and self.dialect.ref_alone:  # which would silence the $id beside it
                root = {"allOf": [root]}
        for name in reversed(self.dialect.definitions.split("/")[1:]) if held else ():
            held = {name: held}
        return {**opening, **root, **held}

    def pointer(self, pointer: str) -> str:
        """A pointer into the 2020-12 document as it is in this one."""
        if pointer.startswith("/$defs/"):
            return f"{self.dialect.definitions}/{pointer.removeprefix('/$defs/')}"
        return pointer

    def lose(self, at: str, rule: str, *codes: str) -> None:
        """Put down that this dialect cannot say a rule."""
        near = at
        while near and near not in self.names:
            near = near.rpartition("/")[0]
        why = f"{self.dialect.name} has no keyword for it"
        self.unstated.append(Unstated(at, self.names.get(near, ""), rule, why, codes, rule))

    def reference(self, held: str) -> str:
        """Where a reference leads in this dialect."""
        return f"#{self.pointer(held.removeprefix('#'))}" if held.startswith("#") else held

    def schema(self, said: Any, at: str) -> Any:
        """One schema; one with a dialect of its own stays as it is."""
        if isinstance(said, dict) and "$schema" in said:
            return said
        if isinstance(said, bool):
            return ({} if said else {"not": {}}) if self.dialect.nullable else said
        made: Schema = {}
        for word, held in said.items():
            if word == "$ref":
                made[word] = self.reference(held)
            elif word in ("properties", "patternProperties", "dependentSchemas"):
                made[word] = {name: self.schema(each, f"{at}/{word}/{escaped(name)}") for name, each in held.items()}
            elif word in ("allOf", "anyOf", "oneOf", "prefixItems"):
                made[word] = [self.schema(each, f"{at}/{word}/{number}") for number, each in enumerate(held)]
            elif word == "additionalProperties" and isinstance(held, bool):
                made[word] = held
            elif word in ("items", "additionalProperties", "propertyNames", "contains", "not", "if", "then", "else"):
                made[word] = self.schema(held, f"{at}/{word}")
            elif word == "discriminator":
                mapping = {tag: self.reference(lead) for tag, lead in held["mapping"].items()}
                made[word] = {**held, "mapping": mapping}
            else:
                made[word] = held
        change = _CHANGES.get(self.dialect.name)
        return made if change is None else change(self, made, at)

    def draft_07(self, made: Schema, at: str) -> Schema:
        """One schema in the words of draft-07."""
        if "prefixItems" in made:
            made = _renamed(made, {"items": "additionalItems"})
            made = _renamed(made, {"prefixItems": "items"})
        if made.get("format") in _NEW_FORMATS:
            made = spelled_out(made)
        return _ref_alone(_renamed(made, {"dependentRequired": "dependencies"}))

    def openapi_30(self, made: Schema, at: str) -> Schema:
        """One schema in the words of OpenAPI 3.0."""
        for change in (
            self.fixed_items,
            self.names_of_keys,
            self.patterns_of_keys,
            self.condition,
            _contains,
            _exclusive,
            _constant,
            _kinds,
        ):
            made = change(made, at)
        if "contentEncoding" in made:
            made.pop("contentEncoding")
            made.setdefault("format", "byte")
        if "examples" in made:
            made["example"] = made.pop("examples")[0]
        if made.get("format") in _NEW_FORMATS:
            made = spelled_out(made)
        return _ref_alone(made)

    def fixed_items(self, made: Schema, at: str) -> Schema:
        """Items one by one become items that are one of these."""
        if "prefixItems" in made:
            each = made.pop("prefixItems")
            if made.get("maxItems") != len(each):  # those after them may be of another kind
                each = [*each, made.pop("items", {})]
            distinct = [item for number, item in enumerate(each) if item not in each[:number]]
            made["items"] = distinct[0] if len(distinct) == 1 else {"anyOf": distinct}
            if len(distinct) > 1:
                self.lose(at, "which item stands where")
        elif made.get("type") == "array" and "items" not in made:
            made["items"] = {}
        return made

    def names_of_keys(self, made: Schema, at: str) -> Schema:
        """What keys may be cannot be said."""
        if "propertyNames" in made:
            del made["propertyNames"]
            self.lose(at, "what its keys may be")
        return made

    def patterns_of_keys(self, made: Schema, at: str) -> Schema:
        """What keys of a pattern hold cannot be said: then all other keys may hold anything too."""
        if "patternProperties" in made:
            del made["patternProperties"]
            made.pop("additionalProperties", None)
            self.lose(at, "what keys of a pattern hold")
        return made

    def condition(self, made: Schema, at: str) -> Schema:
        """`if` and `then`: not the one, or the other."""
        for name, wanted in made.pop("dependentRequired", {}).items():
            either = {"anyOf": [{"not": {"required": [name]}}, {"required": wanted}]}
            made = _and(made, either)
        if "if" in made:
            test, then = made.pop("if"), made.pop("then", {})
            made = _either(made, [{"not": test}, then])
        return made


_CHANGES: Mapping[str, Callable[[DialectWriter, Schema, str], Schema]] = {
    "draft-07": DialectWriter.draft_07,
    "openapi-3.0": DialectWriter.openapi_30,
}
"""What the dialects that differ from 2020-12 make of one schema, whose inner ones are changed already."""


def _and(made: Schema, more: Schema) -> Schema:
    """A schema that asks for more, in its `allOf`."""
    return {**made, "allOf": [*made.get("allOf", []), more]}


def _either(made: Schema, options: list[Any]) -> Schema:
    """A schema that asks for one of some options: beside its own words, or where it has options already, in `allOf`."""
    return {**made, "anyOf": options} if "anyOf" not in made else _and(made, {"anyOf": options})


def _contains(made: Schema, at: str) -> Schema:
    """That not every item is otherwise."""
    if "contains" in made:
        held = made.pop("contains")
        made = _and(made, {"not": {"type": "array", "items": {"not": held}}})
    return made


def _exclusive(made: Schema, at: str) -> Schema:
    for word, strict in (("minimum", "exclusiveMinimum"), ("maximum", "exclusiveMaximum")):
        if strict in made:
            bound = made.pop(strict)
            if word in made:
                made = _and(made, {word: bound, strict: True})
            else:
                made[word], made[strict] = bound, True
    return made


def _constant(made: Schema, at: str) -> Schema:
    if "const" in made:
        held = made.pop("const")
        if "enum" in made:
            made = _and(made, {"enum": [held]})
        else:
            made["enum"] = [held]
    if "enum" in made and None in made["enum"] and "type" not in made:
        return _nullable_choice(made)
    return made


def _nullable_choice(made: Schema) -> Schema:
    others = [each for each in made.pop("enum") if each is not None]
    options = [{"enum": others}, dict(_NO_NULL)] if others else [dict(_NO_NULL)]
    return _either(made, options)


def _kinds(made: Schema, at: str) -> Schema:
    """Types are one each here, and null is no type."""
    kinds = made.get("type")
    if kinds == "null":
        return {**made, **_NO_NULL}
    if not isinstance(kinds, list):
        return made
    others = [kind for kind in kinds if kind != "null"]
    if len(others) == 1:
        made["type"] = others[0]
        if "null" in kinds:
            made["nullable"] = True
            if "enum" in made and None not in made["enum"]:
                made["enum"] = [*made["enum"], None]
        return made
    del made["type"]
    options: list[Schema] = [{"type": kind, **({"items": {}} if kind == "array" else {})} for kind in others]
    options += [dict(_NO_NULL)] if "null" in kinds else []
    return _and(made, {"anyOf": options})


def _ref_alone(made: Schema) -> Schema:
    """`$ref` silences what stands beside it: so that it stands in an `allOf`."""
    if "$ref" not in made or len(made) == 1:
        return made
    rest = {word: held for word, held in made.items() if word != "$ref"}
    return {**rest, "allOf": [{"$ref": made["$ref"]}, *rest.get("allOf", [])]}


def _renamed(made: Schema, names: dict[str, str]) -> Schema:
    return {names.get(word, word): held for word, held in made.items()}
