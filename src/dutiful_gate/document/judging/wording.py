"""What keywords say that no rule of ours says, in plain words."""

from __future__ import annotations

import json
from typing import Any

from ...declare.steps import NO_BLANKS_AROUND
from ...report.cause import Cause
from .compiler import types_of
from .library import Library, Subschema

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


def worded(constant: Any) -> Any:
    """A constant as a reader is told it: lists and records as JSON."""
    return json.dumps(constant, ensure_ascii=False) if isinstance(constant, dict | list) else constant


def of_pattern(pattern: str) -> Cause:
    """What a pattern asks for."""
    if pattern == NO_BLANKS_AROUND:
        return Cause("pattern", "text without blanks at its ends", {"pattern": pattern})
    whole = pattern.startswith("^") and pattern.endswith("$")
    words = "text that matches {pattern}" if whole else "text in which {pattern} is found"
    return Cause("pattern", words, {"pattern": pattern})


def barred(schema: Any, location: str) -> Cause:
    """What a `not` asks for, in words where it is simple."""
    if isinstance(schema, dict) and len(schema) == 1:
        if "const" in schema:
            return Cause("choice", "anything but {constant}", {"constant": schema["const"]})
        if "enum" in schema:
            return Cause("choice", "anything but {choices}", {"choices": schema["enum"]})
        if "required" in schema and len(schema["required"]) == 1:
            return Cause("agreement", "no value for {names}", {"names": schema["required"]}, got="one")
    return Cause("branch", "a value that {keyword} does not describe", {"keyword": location})


def alternative(library: Library, node: Subschema) -> str:
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
            return " or ".join(PHRASES[kind] for kind in types_of(node, raw))
        if "$ref" not in raw or node in library.unusable:
            break
        node = library.target(node, raw["$ref"])
        raw = node.raw
    return f"what {node.location()} describes"
