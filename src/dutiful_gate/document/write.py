"""Shapes to JSON Schema 2020-12."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..declare.facts import Facts, Unsaid
from ..declare.rules import Rule
from ..shape.nodes import (
    Choice,
    Field,
    Items,
    Link,
    Nothing,
    Nullable,
    Record,
    Scalar,
    Shape,
    Use,
    default_of,
)
from ..shape.plain import plain
from .document import Document, Unstated
from .final import is_settled

DIALECT = "https://json-schema.org/draft/2020-12/schema"
"""The dialect that documents are written in."""

Keywords = dict[str, Any]
_JSON_TYPES: dict[type, str] = {
    str: "string",
    bool: "boolean",
    int: "integer",
    float: "number",
    type(None): "null",
}


def written(shape: Shape, *, refuse_unknown: bool = False) -> Document:
    """The document that says what a client should send: values in their final form."""
    pen = _Pen(shape, refuse_unknown=refuse_unknown)
    root = pen.use(shape.root, "", shape.name)
    definitions = {key: pen.record(record) for key, record in shape.records.items()}
    content: Keywords = {"$schema": DIALECT, **root}
    if definitions:
        content["$defs"] = definitions
    return Document(content, tuple(pen.unstated))


class _Pen:
    """Writes one document, and keeps the list of what it could not say."""

    def __init__(self, shape: Shape, *, refuse_unknown: bool) -> None:
        self.shape = shape
        self.refuse_unknown = refuse_unknown
        self.unstated: list[Unstated] = []

    def record(self, record: Record) -> Keywords:
        """A record under `$defs`."""
        at = f"/$defs/{_escaped(record.key)}"
        said: Keywords = {"title": record.name}
        if record.text:
            said["description"] = record.text
        said["type"] = "object"
        said["properties"] = {
            field.wire: self.field(field, f"{at}/properties/{_escaped(field.wire)}", record) for field in record.fields
        }
        required = [field.wire for field in record.fields if field.required]
        if required:
            said["required"] = required
        if self.refuse_unknown:
            said["additionalProperties"] = False
        wire = {field.attribute: field.wire for field in record.fields}
        for rule in record.rules:
            told = rule.keywords(wire)
            if isinstance(told, Unsaid):
                self.leave(at, f"{record.name}.{rule.fields[0]}", rule, told)
            else:
                _join(said, told)
        return said

    def field(self, field: Field, at: str, record: Record) -> Keywords:
        """One field among `properties`."""
        said = self.use(field.use, at, f"{record.name}.{field.attribute}")
        if not field.required:
            said["default"] = plain(field.use, default_of(field), self.shape.records)
        return said

    def use(self, use: Use, at: str, name: str) -> Keywords:
        """What a use holds: what is said of it, its node, its rules."""
        said: Keywords = {}
        about = use.about
        if about.title is not None:
            said["title"] = about.title
        if about.text is not None:
            said["description"] = about.text
        said |= self.node(use, at, name)
        self.parts(said, use, at, name)
        if about.examples:
            said["examples"] = list(about.examples)
        return said

    def node(self, use: Use, at: str, name: str) -> Keywords:
        """The keywords of a node alone."""
        match use.node:
            case Scalar(kind):
                return dict(kind.keywords())
            case Nothing():
                return {"type": "null"}
            case Choice(wire=wire):
                return _choice(wire)
            case Items(item):
                return {"type": "array", "items": self.use(item, f"{at}/items", f"{name}[]")}
            case Nullable(inner):
                return _or_null(self.use(inner, at, name))
            case Link(key):
                return {"$ref": f"#/$defs/{_escaped(key)}"}

    def parts(self, said: Keywords, use: Use, at: str, name: str) -> None:
        """Steps and rules, as what holds for a value in its final form."""
        facts: Facts = use.node.facts
        for number, part in enumerate(use.parts):
            if isinstance(part, Rule):
                told = part.keywords(facts)
            else:
                told = part.keywords()
                facts = part.suits(facts)
                if is_settled(part, use.parts[number + 1 :]):
                    continue
            if isinstance(told, Unsaid):
                self.leave(at, name, part, told)
            else:
                _join(said, {word: self.constant(use, held) for word, held in told.items()})

    def constant(self, use: Use, held: Any) -> Any:
        """A constant of a rule as plain JSON data."""
        if isinstance(held, list):
            return [self.constant(use, each) for each in held]
        if isinstance(held, dict):
            return {word: self.constant(use, each) for word, each in held.items()}
        if isinstance(held, str | int | float) or held is None:
            return held
        return plain(Use(use.node), held, self.shape.records)

    def leave(self, at: str, name: str, rule: object, why: Unsaid) -> None:
        """Put down that a rule is not in the document."""
        self.unstated.append(Unstated(at, name, str(rule), why.reason))


def _choice(wire: tuple[object, ...]) -> Keywords:
    types = list(dict.fromkeys(_JSON_TYPES[type(value)] for value in wire if type(value) in _JSON_TYPES))
    if len(wire) == 1:
        return {"const": wire[0]}
    if len(types) == 1:
        return {"type": types[0], "enum": list(wire)}
    return {"enum": list(wire)}


def _or_null(inner: Keywords) -> Keywords:
    """What is inside, or null, in the shortest words that say so."""
    if isinstance(inner.get("type"), str) and not {"enum", "const", "not", "allOf"} & inner.keys():
        return {**inner, "type": [inner["type"], "null"]}
    return {"anyOf": [inner, {"type": "null"}]}


def _join(said: Keywords, more: Mapping[str, Any]) -> None:
    """Add keywords; one that is there already with another value goes into `allOf`."""
    clash = {word: held for word, held in more.items() if word in said and said[word] != held}
    said.update({word: held for word, held in more.items() if word not in clash})
    if clash:
        said.setdefault("allOf", []).append(clash)


def _escaped(name: str) -> str:
    return name.replace("~", "~0").replace("/", "~1")
