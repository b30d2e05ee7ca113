"""Shapes to JSON Schema 2020-12."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from ..declare.blanks import BLANKS
from ..declare.facts import Facts, Unsaid
from ..declare.kinds import Whole
from ..declare.kinds.decimal import decimal_plain
from ..declare.rules import Rule
from ..declare.steps import Step
from ..shape.nodes import (
    MISSING,
    Branches,
    Choice,
    Entries,
    Field,
    Fixed,
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
        if record.rest is not None:
            entries = self.use(record.rest.use, f"{at}/additionalProperties", f"{record.name}.{record.rest.attribute}")
            said |= {word: held for word, held in entries.items() if word in ("additionalProperties", "propertyNames")}
        elif self.refuse_unknown:
            said["additionalProperties"] = False
        wire = {field.attribute: field.wire for field in record.fields}
        for rule in record.rules:
            told = rule.keywords(wire)
            if isinstance(told, Unsaid):
                self.leave(at, f"{record.name}.{rule.fields[0]}", rule, told)
            else:
                _join(said, told)
        for check in record.checks:
            why = Unsaid("what a function of one's own admits is not known")
            self.leave(at, record.name, check, why)
        return said

    def field(self, field: Field, at: str, record: Record) -> Keywords:
        """One field among `properties`."""
        said = self.use(field.use, at, f"{record.name}.{field.attribute}")
        if not field.required and not field.may_lack and not field.use.secret and not _converts(field.use):
            said["default"] = self.plain(field.use, default_of(field))
        return said

    def plain(self, use: Use, value: object) -> Any:
        """A default as plain JSON data; a Decimal that no double holds as the nearest one."""
        return _jsonable(plain(use, value, self.shape.records))

    def use(self, use: Use, at: str, name: str) -> Keywords:
        """What a use holds: what is said of it, its node, its rules."""
        said: Keywords = {}
        about = use.about
        if about.title is not None:
            said["title"] = about.title
        if about.text is not None:
            said["description"] = about.text
        source = use.via if use.via is not None else use
        if use.split:
            said["type"] = "string"
            self.leave(at, name, f"split_on({use.split!r})", Unsaid("JSON Schema cannot look at the parts of a text"))
        elif use.via is not None:
            said |= self.use(use.via, at, name)
            self.leave(at, name, "what is read from it", Unsaid("JSON Schema judges what came, not what is made of it"))
        else:
            said |= self.node(source, at, name)
            self.parts(said, use, at, name)
        if use.blank:
            said = {"anyOf": [said, {"type": "string", "pattern": f"^[{BLANKS}]*$"}]}
        if use.fallback is not MISSING:
            said = {**{word: held for word, held in said.items() if word in ("title", "description")}}
            self.leave(at, name, "otherwise(...)", Unsaid("anything will do, since something stands in for it"))
        if about.examples and not use.secret:
            said["examples"] = list(about.examples)
        if use.secret:
            said["writeOnly"] = True
        return said

    def node(self, use: Use, at: str, name: str) -> Keywords:
        """The keywords of a node alone."""
        match use.node:
            case Scalar(kind):
                if reason := kind.unsaid():
                    self.leave(at, name, kind.facts.phrase, Unsaid(reason))
                return dict(kind.keywords())
            case Nothing():
                return {"type": "null"}
            case Choice(wire=wire):
                return _choice(wire)
            case Items(item, into):
                said = {"type": "array", "items": self.use(item, f"{at}/items", f"{name}[]")}
                return {**said, "uniqueItems": True} if into in ("set", "frozenset") else said
            case Fixed(items):
                return self.fixed(items, at, name)
            case Entries(key, value):
                return self.entries(key, value, at, name)
            case Branches(options=options):
                return {"anyOf": [self.use(option, f"{at}/anyOf/{n}", name) for n, option in enumerate(options)]}
            case Nullable(inner):
                return _or_null(self.use(inner, at, name))
            case Link(key):
                return {"$ref": f"#/$defs/{_escaped(key)}"}

    def fixed(self, items: tuple[Use, ...], at: str, name: str) -> Keywords:
        """A tuple of a fixed number of items."""
        said: Keywords = {"type": "array"}
        if items:
            each = [self.use(item, f"{at}/prefixItems/{n}", f"{name}[{n}]") for n, item in enumerate(items)]
            said["prefixItems"] = each
        return {**said, "minItems": len(items), "maxItems": len(items)}

    def entries(self, key: Use, value: Use, at: str, name: str) -> Keywords:
        """A dict: what holds for its keys, as text, and for its values."""
        said: Keywords = {"type": "object"}
        names = self.use(key, f"{at}/propertyNames", f"{name} keys")
        if isinstance(key.node, Scalar) and key.node.facts.number:
            whole = isinstance(key.node.kind, Whole)
            names = {"pattern": r"^\s*[+-]?[0-9]+\s*$" if whole else r"^\s*[+-]?[0-9.]+(?:[eE][+-]?[0-9]+)?\s*$"}
            if key.parts:
                self.leave(f"{at}/propertyNames", f"{name} keys", key.parts[0], Unsaid("a key is text to JSON Schema"))
        elif isinstance(key.node, Choice):
            names = {"enum": [str(each).lower() if isinstance(each, bool) else str(each) for each in key.node.wire]}
        names.pop("type", None)
        if names:
            said["propertyNames"] = names
        held = self.use(value, f"{at}/additionalProperties", f"{name} values")
        return {**said, "additionalProperties": held} if held else said

    def parts(self, said: Keywords, use: Use, at: str, name: str) -> None:
        """Steps and rules, as what holds for a value in its final form."""
        facts: Facts = use.node.facts
        converted = False
        for number, part in enumerate(use.parts):
            if isinstance(part, Rule):
                told = Unsaid("it judges what a function of one's own made") if converted else part.keywords(facts)
            else:
                told = part.keywords()
                facts = part.suits(facts)
                converted = converted or not part.normalising
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
        if isinstance(held, Decimal):
            return _jsonable(decimal_plain(held))
        return plain(Use(use.node), held, self.shape.records)

    def leave(self, at: str, name: str, rule: object, why: Unsaid) -> None:
        """Put down that a rule is not in the document."""
        self.unstated.append(Unstated(at, name, str(rule), why.reason))


def _converts(use: Use) -> bool:
    """Whether the typed value is not what a client would send: its default cannot be told in the document."""
    inner = use.node.inner if isinstance(use.node, Nullable) else use
    made = any(isinstance(part, Step) and not part.normalising for part in inner.parts)
    return made or bool(inner.split) or inner.via is not None


def _jsonable(value: object) -> Any:
    if isinstance(value, Mapping):
        return {name: _jsonable(each) for name, each in value.items()}
    if isinstance(value, list):
        return [_jsonable(each) for each in value]
    return float(value) if isinstance(value, Decimal) else value


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
    if set(more) == {"allOf"}:
        said["allOf"] = [*said.get("allOf", []), *more["allOf"]]
        return
    clash = {word: held for word, held in more.items() if word in said and said[word] != held}
    said.update({word: held for word, held in more.items() if word not in clash})
    if clash:
        said.setdefault("allOf", []).append(clash)


def _escaped(name: str) -> str:
    return name.replace("~", "~0").replace("/", "~1")
