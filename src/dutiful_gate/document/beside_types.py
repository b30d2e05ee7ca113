"""`obeys_document(document)`: a JSON Schema document beside a type, for what types and rules have no words for."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from functools import cached_property
from hashlib import sha256
from typing import Any

from ..declare.embedded import Embedded
from ..declare.errors import DeclarationError
from ..declare.facts import Stop
from ..declare.limits import Limits, is_short_of_stack
from .dialects import DRAFT_2020_12, HELD_LIST, HELD_MAP, HELD_ONE, Dialect, dialect_called, dialect_of
from .judging.engine import DocumentEngine
from .judging.idle_words import warn
from .plain_document import plain_document

_NONE: Mapping[str, Any] = {}
_REFERENCES = ("$ref", "$dynamicRef", "$recursiveRef")


class BesideType(Embedded):
    """See `obeys_document`."""

    document: Any
    at: str
    dialect: str
    documents: Mapping[str, Any] = _NONE

    @cached_property
    def engine(self) -> DocumentEngine:
        """Judges by the document, or by the part of it that is meant."""
        dialect = dialect_called(self.dialect)
        if not self.at:
            return DocumentEngine(self.document, self.documents, dialect, "assert", Limits(), "")
        # Under a name beside those of the others, so that relative references among them find their way.
        uri = _own_uri(self.document) or "document-beside-a-type.json"
        handed = {**self.documents, uri: self.document}
        return DocumentEngine(
            {"$ref": f"{uri}#{self.at}"}, handed, dialect, "assert", Limits(), "lead-to-a-document.json"
        )

    @property
    def names_values(self) -> bool:
        """Whether it tells values that would pass, or shows some."""
        return bool(_words_in(self.document) & {"const", "enum", "default", "examples", "example"})

    def sound(self, data: Any) -> bool:
        """Whether the document accepts the data."""
        return self.engine.sound(data).__class__ is not Stop

    def told(self, data: Any) -> Sequence[tuple[Any, ...]]:
        """What it finds wrong with it."""
        _, findings = self.engine.collect(data)
        return [(fault.path, fault._cause, fault._given, fault._value) for fault in findings.told()]

    def keywords(self) -> Mapping[str, Any]:
        """Its own keywords, or a reference to it where they have no sense elsewhere."""
        latest = self.dialect == "2020-12"
        if not self.at and latest and not _refers(self.document):
            return {"not": {}} if self.document is False else {} if self.document is True else dict(self.document)
        return {"$ref": f"{_uri(self.document)}#{self.at}"}

    def resource(self) -> tuple[str, Any] | None:
        """The document as it stands among the definitions of one that refers to it, with its URI."""
        said = self.keywords()
        if list(said) != ["$ref"]:
            return None
        uri = _uri(self.document)
        dialect = dialect_called(self.dialect) or DRAFT_2020_12
        word = dialect.id_word or "$id"
        return uri, {"$schema": dialect.uri, **self.document, word: uri}

    def reason(self, dialect: Dialect) -> str:
        """Why a document in a dialect cannot say the same, "" when it can."""
        if self.documents:
            return "it leads to documents that are not part of this one"
        if dialect.says is None:
            return ""
        own = self.resource()
        if own is not None:
            return "" if self.dialect == dialect.name else f"it is written in another dialect than {dialect.name}"
        strange = sorted(_words_in(self.document) - dialect.says)
        return f"{dialect.name} has no keyword {strange[0]}" if strange else ""

    def __str__(self) -> str:
        return f"obeys_document(a document{f', at={self.at!r}' if self.at else ''})"

    def __hash__(self) -> int:
        return hash((self.at, self.dialect))


def obeys_document(
    document: Mapping[str, Any] | bool,
    *,
    at: str = "",
    dialect: str | None = None,
    documents: Mapping[str, Any] | None = None,
) -> BesideType:
    """Beside a type, or in `@obeys`: the plain data must also be sound by a JSON Schema document, formats asserted.

    `at` is the JSON Pointer of the part that is meant, where the document is more than that; `dialect` is that
    of a document without `$schema`; `documents` is what its references may lead to, by URI. The document judges what
    came, before it is read, in gates that read JSON; its faults tell its keywords.
    Raises DeclarationError for what is no document, and warns of words in it that judge nothing, though they look as if
    they did (IdleKeyword).
    """
    plain = plain_document(document)
    asked = plain.get("$schema") if isinstance(plain, dict) else None
    known = dialect_of(asked) if isinstance(asked, str) else None
    made = BesideType(
        plain, at, known.name if known is not None else dialect or "2020-12", plain_document(documents or {})
    )
    try:
        warn(made.engine.idle, stacklevel=2)  # a document that is none is told where it is declared
    except RecursionError:
        if is_short_of_stack():
            raise
        raise DeclarationError("the document nests too deep", remedy="break it up") from None
    return made


def _own_uri(document: Any) -> str:
    own = document.get("$id", document.get("id")) if isinstance(document, dict) else None
    return own.partition("#")[0] if isinstance(own, str) else ""


def _uri(document: Any) -> str:
    if own := _own_uri(document):
        return own
    text = json.dumps(document, sort_keys=True, default=str)
    return f"urn:dutiful:document:{sha256(text.encode()).hexdigest()[:16]}"


def _words_in(schema: Any) -> set[str]:
    """Every keyword of a schema and of those it holds."""
    if not isinstance(schema, dict):
        return set()
    words = set(schema)
    for word, held in schema.items():
        if word in HELD_MAP and isinstance(held, dict):
            words |= {inner for each in held.values() for inner in _words_in(each)}
        elif isinstance(held, list) and word in HELD_LIST:
            words |= {inner for each in held for inner in _words_in(each)}
        elif word in HELD_ONE:
            words |= _words_in(held)
    return words


def _refers(schema: Any) -> bool:
    if isinstance(schema, dict):
        return any(word in schema for word in _REFERENCES) or any(map(_refers, schema.values()))
    return isinstance(schema, list) and any(map(_refers, schema))
