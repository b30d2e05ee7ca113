"""The JSON Schema document of a file of settings: editors complete and check by it."""

from __future__ import annotations

import json
from collections.abc import Mapping
from copy import deepcopy
from typing import Any, Literal

from ..declare.json_pointer import escaped, unescaped
from ..document.document import Document
from ..document.writing.compose import composed
from ..gates.typed import Gate
from ..shape.nodes import Branches
from ..shape.shape import Shape
from ..shape.uses import NO_ABOUT, Use
from ..shape.walk import rebuilt, rebuilt_records
from .as_declared import SCHEMA

_OF_FIELDS = frozenset(
    ["type", "title", "description", "properties", "patternProperties", "additionalProperties", "propertyNames"]
)


def file_schema(gate: Gate[Any], *, dialect: Literal["2020-12", "draft-07"], partial: bool) -> Document:
    """The document of a whole file, which may name it under `$schema`; with `partial`, nothing has to be there."""
    shape = _as_in_files(gate.shape)
    document = composed(shape, refuse_unknown=True, of="send", dialect=dialect, formats="name", uri=None)
    word = "definitions" if dialect == "draft-07" else "$defs"
    definitions: dict[str, Any] = deepcopy(document.get(word, {}))
    said = {name: held for name, held in document.items() if name != word}
    opening = {"$schema": said.pop("$schema")}
    if isinstance(reference := said.get("$ref"), str):
        key = unescaped(reference.rpartition("/")[2])
        del said["$ref"]
        said = {**deepcopy(definitions[key]), **said}
        if f'"#/{word}/{escaped(key)}"' not in json.dumps([said, {**definitions, key: None}]):
            del definitions[key]
    if partial:
        definitions = {key: _without_needs(held) for key, held in definitions.items()}
        said = _without_needs(said)
    properties = said.get("properties", {})
    editors = {"type": "string", "description": "Where the document is that editors check this file by."}
    said["properties"] = {SCHEMA: editors, **{name: held for name, held in properties.items() if name != SCHEMA}}
    whole = {**opening, **said, **({word: definitions} if definitions else {})}
    return Document(whole, document.unstated)


def _as_in_files(shape: Shape) -> Shape:
    """The shape of what files may hold: a list that text is split into may stand there as a list, too."""

    def change(use: Use) -> Use:
        if not use.split:
            return use
        return Use(
            Branches((use.replace(about=NO_ABOUT), use.replace(split="", about=NO_ABOUT))),
            about=use.about,
            secret=use.secret,
        )

    records = rebuilt_records(shape.records, change)
    aliases = {key: rebuilt(use, change) for key, use in shape.aliases.items()}
    return shape.replace(root=rebuilt(shape.root, change), records=records, aliases=aliases)


def _without_needs(held: Any) -> Any:
    """A schema of a record without what the record must have: another file may have it."""
    if not isinstance(held, Mapping) or "properties" not in held:
        return held
    return {name: inner for name, inner in held.items() if name in _OF_FIELDS}
