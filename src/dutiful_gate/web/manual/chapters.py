"""What the manual says, as plain data: chapters, and each record once, however many chapters it is in."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ...declare.kinds import Text, Upload
from ...document.rules_in_words import record_rules_in_words, rules_in_words
from ...shape.known_defaults import known_default
from ...shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar, Sealing
from ...shape.shape import Field, Record, Shape
from ...shape.to_json import plain
from ...shape.uses import MISSING, Use
from ...shape.walk import holds_secret
from ..answering import Streamed
from ..answers import Declared
from ..describing.examples import Examples
from ..describing.refused import phrase
from ..empty_form_fields import is_needed_in_form
from ..endpoint import Endpoint
from ..security.requirement import PUBLIC, Scheme

if TYPE_CHECKING:
    from ..api import Api

Told = dict[str, Any]
_MOST_CHOICES = 60


def contents(api: Api) -> Told:
    """All that the page needs to know. Names are short: of two hundred chapters each letter counts."""
    teller = _Teller()
    chapters = [teller.chapter(endpoint, api.name_of(endpoint), api) for endpoint in api.endpoints]
    return {
        "title": api.title,
        "version": api.version,
        "text": api.text,
        "described": api.described_at,
        "at": api.manual_at,
        "servers": list(api.servers),
        "chapters": chapters,
        "records": teller.records,
        "schemes": {name: _scheme(scheme) for name, scheme in api.schemes.items()},
    }


class _Teller:
    """Tells of endpoints; records that were told of once are named."""

    def __init__(self) -> None:
        self.records: dict[str, Told] = {}
        self._names: dict[tuple[int, str], str] = {}
        self._kept: list[Record] = []
        self._examples = Examples()

    def chapter(self, endpoint: Endpoint[Any], name: str, api: Api) -> Told:
        """One endpoint by its name, and what it wants of who asks."""
        shape, wanted = endpoint.gate.shape, api.wanted_of(endpoint)
        told: Told = {"name": name, "method": endpoint.method, "path": endpoint.path.text}
        told |= _given(summary=endpoint.summary, text=endpoint.text)
        told |= _given(tags=list(endpoint.tags), security=[] if wanted is None or wanted is PUBLIC else wanted.told)
        if wanted is not None and wanted is not PUBLIC:
            told["who"] = [[[scheme.name, list(scopes)] for scheme, scopes in each] for each in wanted.alternatives]
        if endpoint.version is not None:
            told["version"] = _MUST_MATCH if endpoint.must_match else _HAS_VERSION
        if endpoint.deprecated:
            told["deprecated"] = True
        told["parts"] = {
            name: {**self.use(field.use, shape), **_needed(field)} for name, field in endpoint.parts.items()
        }
        if endpoint.body_types:
            told["takes"] = list(endpoint.body_types)
        told |= _given(rules=list(record_rules_in_words(shape.sure_record(shape.root), shape)))
        raised = [problem.refusal for problem in endpoint.problems]
        told |= _given(problems=[f"{each.status} {each.detail or phrase(each.status)}" for each in raised])
        told["answers"] = [self._answer(status, endpoint.answers) for status in endpoint.answers.gates]
        return told

    def _answer(self, status: int, answers: Declared) -> Told:
        gate = answers.gates[status]
        told: Told = {"status": status, "phrase": answers.of[status].text or phrase(status)}
        if status in answers.headers:
            shape = answers.headers[status].shown
            told["headers"] = self.use(shape.root, shape)
        if isinstance(gate, Streamed):
            items = answers.items.get(status)
            each = {"is": self.use(items.shape.root, items.shape)} if items is not None else {}
            return {**told, "media": gate.media_type, **each}
        return told if gate is None else {**told, "is": self.use(gate.shape.root, gate.shape)}

    def use(self, use: Use, shape: Shape) -> Told:
        """One value: what it is, its rules in words, and what a form needs to ask for it."""
        told = self._node(use, shape)
        rules = [] if holds_secret(use, frozenset()) else rules_in_words(use)
        if rules:
            told["rules"] = [*told.get("rules", []), *rules]
        about = use.about
        told |= _given(title=about.title or "", text=about.text or "", deprecated=about.deprecated)
        if about.examples and not use.secret:
            told["example"] = plain(use, about.examples[0], shape=shape)
        if use.secret:
            told["secret"] = True
        if use.via is not None:
            return {**self.use(use.via, shape), **_given(title=told.get("title", ""), text=told.get("text", ""))}
        return {"is": "text", "words": "text", "rules": [f"items between {use.split!r}"]} if use.split else told

    def _node(self, use: Use, shape: Shape) -> Told:
        match use.node:
            case Sealing(inner):
                return self.use(inner, shape)
            case Nullable(inner):
                return {**self.use(inner, shape), "null": True}
            case Link(key):
                return {"is": "record", "of": self._record(key, shape)}
            case Items(item):
                return {"is": "list", "of": self.use(item, shape)}
            case Fixed(items):
                return {"is": "tuple", "of": [self.use(item, shape) for item in items]}
            case Entries(_, value):
                return {"is": "map", "of": self.use(value, shape)}
            case Branches(options=options):
                return {"is": "either", "of": [self.use(option, shape) for option in options]}
            case Choice(wire) if len(wire) <= _MOST_CHOICES:
                return {"is": "choice", "of": list(wire)}
            case Scalar(Upload()):
                return {"is": "file", "words": "a file"}
            case Scalar(kind):
                noun = kind.strict.facts
                sort = "number" if noun.number else "truth" if kind.strict.comes_as == {bool} else "text"
                told = {"is": sort, "words": noun.phrase, **_given(form=_form(kind.strict))}
                return {**told, "whole": True} if kind.strict.comes_as == {int} else told
            case Nothing():
                return {"is": "json", "words": "null"}
            case Alias():
                return {"is": "json", "words": use.node.key}
            case _:
                return {"is": "json", "words": use.facts.phrase}

    def _record(self, key: str, shape: Shape) -> str:
        record = shape.records[key]
        mark = (id(record), key)
        if mark in self._names:
            return self._names[mark]
        name, number = record.name, 1
        while name in self.records:
            number += 1
            name = f"{record.name} {number}"
        self._names[mark] = name
        self._kept.append(record)
        told: Told = {}
        self.records[name] = told
        fields = (*record.fields, *record.computed)
        told["fields"] = [{"name": field.wire, **self._field(field, record, shape)} for field in fields]
        told |= _given(text=record.text, rules=list(record_rules_in_words(record, shape)))
        sent = self._examples.of(Use(Link(key)), shape)
        if sent is not None:
            told["example"] = sent
        for other, held in self.records.items():  # what is told alike is one
            if other != name and held == told and other.split(" ")[0] == record.name:
                del self.records[name]
                self._names[mark] = other
                return other
        return name

    def _field(self, field: Field, record: Record, shape: Shape) -> Told:
        told = {**self.use(field.use, shape), **_needed(field)}
        if field.required and not is_needed_in_form(field, shape):
            told["unsent"] = True
        known = MISSING if field.use.secret else known_default(shape, field)
        if known is not MISSING:
            told["default"] = plain(field.use, known, shape=shape)
        return told


def _form(kind: Any) -> str:
    """The kind of input that a browser has for a value."""
    if isinstance(kind, Text):
        return ""
    return {"date": "date", "date-time": "date-time", "local date-time": "datetime-local"}.get(kind.facts.noun, "")


_HAS_VERSION = "Its `ETag` is its version: `If-None-Match` and `If-Match` are heeded (RFC 9110)."
_MUST_MATCH = "Say by `If-Match` which version is meant, as its `ETag` told (RFC 9110): 428 without, 412 for another."


def _scheme(scheme: Scheme) -> Told:
    """What the form of a chapter asks of who asks."""
    said = scheme.described()
    held = {word: said[word] for word in ("type", "in", "name", "scheme") if word in said}
    return {**held, **_given(description=scheme.text)}


def _needed(field: Field) -> Told:
    return {"needed": True} if field.required else {}


def _given(**words: Any) -> Told:
    return {name: held for name, held in words.items() if held}
