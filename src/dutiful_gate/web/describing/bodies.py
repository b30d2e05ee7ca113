"""Bodies of forms in a description: the names under which values are sent, and the files beside them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...declare.rules import Length
from ...document.rules_in_words import rules_in_words
from ...shape.nodes import Items
from ...shape.shape import Field
from ...shape.uses import Use
from ..endpoint import Endpoint
from ..media_types import OfType
from .in_text import Flat, Schema, SentName, flat_schema


class Bodies:
    """Writes the bodies of forms in one version of OpenAPI; `follow` gives the schema that a reference leads to."""

    def __init__(self, version: str, follow: Callable[[Schema], Schema]) -> None:
        self.version = version
        self.follow = follow

    def form(self, endpoint: Endpoint[Any], schema: Schema | None, media: str) -> Schema:
        """What is said of a form in one media type; `schema` is that of its fields, None where it has files alone."""
        named: list[SentName] = []
        flat = Flat(endpoint.gate.shape, self.follow, form=True)
        if schema is not None:
            named = flat.of(endpoint.parts["form"].use, schema)
        encoding: Schema = {}
        if "files" in endpoint.parts:
            for field in endpoint.gate.shape.sure_record(endpoint.parts["files"].use).fields:
                named.append(SentName(field.wire, self._files(field), field.required))
                if types := _types_of(field.use.bare):
                    encoding[field.wire] = {"contentType": ", ".join(types)}
        made: Schema = {"schema": flat_schema(named, flat, patterns=self.version != "3.0")}
        return {**made, "encoding": encoding} if encoding else made

    def _files(self, field: Field) -> Schema:
        """One file, or several under one name, with what holds for them; a length is one in bytes (3.1.1, section
        4.7.14.3)."""
        use = field.use.bare
        if not isinstance(use.node, Items):
            return self._file(use, field.use)
        bounds = _bounds(use, "minItems", "maxItems")
        return {"type": "array", "items": self._file(use.node.item.bare, use.node.item), **bounds, **_told(field.use)}

    def _file(self, use: Use, outer: Use) -> Schema:
        types = _types_of(use)
        only = types[0] if len(types) == 1 and "*" not in types[0] else "application/octet-stream"
        kind: Schema = {"type": "string", "contentMediaType": only}
        if self.version == "3.0":
            kind = {"type": "string", "format": "binary"}
        words = [*([outer.about.text] if outer.about.text else []), *(rules_in_words(use))]
        told = {"description": "; ".join(words)} if words else {}
        return {**kind, **_bounds(use, "minLength", "maxLength"), **told}


def _told(use: Use) -> Schema:
    return {"description": use.about.text} if use.about.text else {}


def _bounds(use: Use, least: str, most: str) -> Schema:
    made: Schema = {}
    for part in use.parts:
        if isinstance(part, Length):
            made |= {least: part.floor} if part.floor else {}
            made |= {most: part.ceiling} if part.ceiling is not None else {}
    return made


def _types_of(use: Use) -> tuple[str, ...]:
    """The media types that a file, or each of several, must be of."""
    inner = use.node.item.bare if isinstance(use.node, Items) else use
    return next((part.types for part in inner.parts if isinstance(part, OfType)), ())
