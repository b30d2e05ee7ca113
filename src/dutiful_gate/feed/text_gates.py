"""A gate for what a delivery is made of: the same declaration, for text cells or half-typed data."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from ..declare.json_pointer import unescaped
from ..declare.sources import Source
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..shape.nodes import Link, Record, Scalar, Use

T = TypeVar("T")
_WHOLE = re.compile(r"[+-]?[0-9]+")
_NUMBER = re.compile(r"[+-]?[0-9]+(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?")


def gate_reading(gate: AnyGate[T], source: Source) -> AnyGate[T]:
    """A gate of the same declaration that reads another source; that of a document judges plain data alone."""
    if not isinstance(gate, Gate) or gate.reads is source:
        return gate
    return Gate(
        gate.declared,
        source,
        unknown=gate.unknown,
        limits=gate.limits,
        keys=gate.keys,
        lenient=gate.lenient,
        names=dict(gate._names),
    )


def record_of(gate: AnyGate[Any]) -> Record | None:
    """The record that a gate of a type reads, if it reads one."""
    node = gate.shape.root.bare.node
    return gate.shape.records[node.key] if isinstance(node, Link) else None


def known_names(gate: AnyGate[Any]) -> frozenset[str]:
    """The names of fields that records have, as far as they are declared."""
    if isinstance(gate, DocumentGate):
        return frozenset(_properties(gate.declared))
    record = record_of(gate)
    if record is None:
        return frozenset()
    return frozenset(name for field in record.fields for name in (field.wire, *field.also))


def cell_of(gate: AnyGate[Any], *, decimal_comma: bool, dates: str) -> Callable[[str, str], Any] | None:
    """What makes of the text of a cell, by the name of its field, what the gate reads; None where that is the text."""
    if isinstance(gate, DocumentGate):
        readers = {
            name: _by_types(_types(schema, gate.declared), decimal_comma)
            for name, schema in _properties(gate.declared).items()
        }
        return lambda name, text: readers[name](text) if name in readers else text
    record = record_of(gate)
    if record is None or not (decimal_comma or dates):
        return None
    numbers = {field.wire for field in record.fields if _is_number(field.use)}
    days = {field.wire for field in record.fields if _is_day(field.use)} if dates else set()

    def cell(name: str, text: str) -> str:
        if decimal_comma and name in numbers:
            return text.replace(".", "").replace(",", ".") if "," in text else text
        if name in days and text:
            return _as_day(text, dates)
        return text

    return cell


def _is_number(use: Use) -> bool:
    node = use.bare.node
    return isinstance(node, Scalar) and (node.kind.facts.number or node.kind.facts.sort.name == "DECIMAL")


def _is_day(use: Use) -> bool:
    node = use.bare.node
    return isinstance(node, Scalar) and type(node.kind).__name__ == "Day"


def _as_day(text: str, form: str) -> str:
    """A date in another form as dates are read; the text itself where it has not that form."""
    from datetime import datetime

    try:
        return datetime.strptime(text.strip(), form).date().isoformat()
    except ValueError:
        return text


def _properties(document: Any) -> Mapping[str, Any]:
    """The schemas of the properties of the records that a document describes."""
    found: dict[str, Any] = {}
    waiting, seen = [document], 0
    while waiting and seen < 100:
        seen += 1
        schema = _resolved(waiting.pop(), document)
        if isinstance(schema, Mapping):
            found = {**schema.get("properties", {}), **found}
            waiting += [each for word in ("allOf", "anyOf", "oneOf") for each in schema.get(word, ())]
    return found


def _resolved(schema: Any, document: Any) -> Any:
    for _ in range(20):
        reference = schema.get("$ref") if isinstance(schema, Mapping) else None
        if not isinstance(reference, str) or not reference.startswith("#"):
            return schema
        held = document
        for step in reference[1:].split("/")[1:]:
            held = held.get(unescaped(step)) if isinstance(held, Mapping) else None
        schema = held
    return None


def _types(schema: Any, document: Any) -> frozenset[str]:
    """The types that a schema lets through, as far as it names them."""
    schema = _resolved(schema, document)
    if not isinstance(schema, Mapping):
        return frozenset()
    told = schema.get("type")
    found = {told} if isinstance(told, str) else set(told or ())
    for word in ("anyOf", "oneOf", "allOf"):
        for each in schema.get(word, ()):
            found |= _types(each, document)
    constants = [schema["const"]] if "const" in schema else list(schema.get("enum", ()))
    names: dict[type, str] = {str: "string", bool: "boolean", int: "integer", float: "number", type(None): "null"}
    return frozenset(found | {names[type(each)] for each in constants if type(each) in names})


def _by_types(types: frozenset[str], decimal_comma: bool) -> Callable[[str], Any]:
    """What reads a cell for a value of one of some types of JSON; text that is none of them stays text."""

    def read(text: str) -> Any:
        plain = text.strip()
        if not plain and "null" in types:
            return None
        if decimal_comma and "," in plain and types & {"number", "integer"}:
            plain = plain.replace(".", "").replace(",", ".")
        if types & {"integer", "number"}:
            if _WHOLE.fullmatch(plain) and len(plain) < 4000:
                return int(plain)
            if _NUMBER.fullmatch(plain):
                return float(plain)
        if "boolean" in types and plain.lower() in ("true", "false"):
            return plain.lower() == "true"
        return text

    return read
