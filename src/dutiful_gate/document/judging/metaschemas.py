"""The meta-schemas of the standard: what each edition says of documents written in it, with the names it gives."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

Schema = dict[str, Any]
_TYPES = ["array", "boolean", "integer", "null", "number", "object", "string"]
_TEXT: Schema = {"type": "string"}
_TRUTH: Schema = {"type": "boolean", "default": False}
_NUMBER: Schema = {"type": "number"}
_REGEX: Schema = {"type": "string", "format": "regex"}
_BASE_4, _BASE_6, _BASE_7 = (f"http://json-schema.org/draft-0{number}/schema#" for number in (4, 6, 7))


def _ref(name: str) -> Schema:
    return {"$ref": f"#/definitions/{name}"}


def _old_definitions(itself: Schema, *, unique: bool) -> Schema:
    texts: Schema = {"type": "array", "items": _TEXT, "uniqueItems": True}
    return {
        "schemaArray": {"type": "array", "minItems": 1, "items": itself},
        "simpleTypes": {"enum": _TYPES},
        "stringArray": {**texts, "minItems": 1} if unique else {**texts, "default": []},
    }


def _old_properties(itself: Schema, count: Schema, count_from_0: Schema) -> Schema:
    """What drafts 04 to 07 share."""
    either = {"anyOf": [itself, _ref("schemaArray")], "default": {}}
    several = {"type": "object", "additionalProperties": itself, "default": {}}
    return {
        "$schema": {"type": "string", "format": "uri"},
        "$ref": {"type": "string", "format": "uri-reference"},
        "title": _TEXT,
        "description": _TEXT,
        "default": {},
        "maximum": _NUMBER,
        "minimum": _NUMBER,
        "maxLength": count,
        "minLength": count_from_0,
        "pattern": _REGEX,
        "items": either,
        "maxItems": count,
        "minItems": count_from_0,
        "uniqueItems": _TRUTH,
        "maxProperties": count,
        "minProperties": count_from_0,
        "required": _ref("stringArray"),
        "definitions": several,
        "properties": several,
        "patternProperties": {**several, "propertyNames": {"format": "regex"}},
        "dependencies": {"type": "object", "additionalProperties": {"anyOf": [itself, _ref("stringArray")]}},
        "type": {
            "anyOf": [
                _ref("simpleTypes"),
                {"type": "array", "items": _ref("simpleTypes"), "minItems": 1, "uniqueItems": True},
            ]
        },
        "format": _TEXT,
        "allOf": _ref("schemaArray"),
        "anyOf": _ref("schemaArray"),
        "oneOf": _ref("schemaArray"),
        "not": itself,
    }


def _draft_04() -> Schema:
    itself: Schema = {"$ref": "#"}
    properties = _old_properties(itself, _ref("positiveInteger"), _ref("positiveIntegerDefault0"))
    del properties["patternProperties"]["propertyNames"]
    either: Schema = {"anyOf": [{"type": "boolean"}, itself], "default": {}}
    return {
        "id": _BASE_4,
        "$schema": _BASE_4,
        "description": "What draft-04 says of schemas",
        "definitions": {
            **_old_definitions(itself, unique=True),
            "positiveInteger": {"type": "integer", "minimum": 0},
            "positiveIntegerDefault0": {"allOf": [_ref("positiveInteger"), {"default": 0}]},
        },
        "type": "object",
        "properties": {
            "id": _TEXT,
            **properties,
            "$schema": _TEXT,
            "multipleOf": {"type": "number", "minimum": 0, "exclusiveMinimum": True},
            "exclusiveMaximum": _TRUTH,
            "exclusiveMinimum": _TRUTH,
            "additionalItems": either,
            "additionalProperties": either,
            "enum": {"type": "array", "minItems": 1, "uniqueItems": True},
        },
        "dependencies": {"exclusiveMaximum": ["maximum"], "exclusiveMinimum": ["minimum"]},
        "default": {},
    }


def _draft_06() -> Schema:
    itself: Schema = {"$ref": "#"}
    count = _ref("nonNegativeInteger")
    return {
        "$schema": _BASE_6,
        "$id": _BASE_6,
        "title": "What draft-06 says of schemas",
        "definitions": {
            **_old_definitions(itself, unique=False),
            "nonNegativeInteger": {"type": "integer", "minimum": 0},
            "nonNegativeIntegerDefault0": {"allOf": [count, {"default": 0}]},
        },
        "type": ["object", "boolean"],
        "properties": {
            "$id": {"type": "string", "format": "uri-reference"},
            **_old_properties(itself, count, _ref("nonNegativeIntegerDefault0")),
            "examples": {"type": "array", "items": {}},
            "multipleOf": {"type": "number", "exclusiveMinimum": 0},
            "exclusiveMaximum": _NUMBER,
            "exclusiveMinimum": _NUMBER,
            "additionalItems": itself,
            "additionalProperties": itself,
            "contains": itself,
            "propertyNames": itself,
            "const": {},
            "enum": {"type": "array"},
        },
        "default": {},
    }


def _draft_07() -> Schema:
    itself: Schema = {"$ref": "#"}
    made = _draft_06()
    made |= {"$schema": _BASE_7, "$id": _BASE_7, "title": "What draft-07 says of schemas", "default": True}
    made["properties"] |= {
        "$comment": _TEXT,
        "default": True,
        "readOnly": _TRUTH,
        "writeOnly": _TRUTH,
        "examples": {"type": "array", "items": True},
        "const": True,
        "enum": {"type": "array", "items": True},
        "contentMediaType": _TEXT,
        "contentEncoding": _TEXT,
        "if": itself,
        "then": itself,
        "else": itself,
    }
    return made


class _Edition:
    """What 2019-09 and 2020-12 have in common, and the words in which they differ."""

    def __init__(self, name: str) -> None:
        self.base = f"https://json-schema.org/draft/{name}"
        self.latest = name == "2020-12"
        self.itself: Schema = {"$dynamicRef": "#meta"} if self.latest else {"$recursiveRef": "#"}
        self.anchor: Schema = {"$dynamicAnchor": "meta"} if self.latest else {"$recursiveAnchor": True}
        self.several = {"type": "object", "additionalProperties": self.itself, "default": {}}

    def meta(self, name: str, title: str, properties: Schema, definitions: Schema | None = None) -> Schema:
        """The meta-schema of one vocabulary."""
        made: Schema = {
            "$schema": f"{self.base}/schema",
            "$id": f"{self.base}/meta/{name}",
            **({} if self.latest else {"$vocabulary": {f"{self.base}/vocab/{name}": True}}),
            **self.anchor,
            "title": title,
            "type": ["object", "boolean"],
            "properties": properties,
        }
        if self.latest:
            made["$vocabulary"] = {f"{self.base}/vocab/{name}": True}
        if definitions:
            made["$defs"] = definitions
        return made

    def schema(self) -> Schema:
        """The whole, all vocabularies together."""
        needed = ["core", "applicator"]
        rest = ["unevaluated"] if self.latest else []
        rest += ["validation", "meta-data"]
        form = "format-annotation" if self.latest else "format"
        said = {f"{self.base}/vocab/{name}": True for name in [*needed, *rest]}
        said[f"{self.base}/vocab/{form}"] = self.latest
        said[f"{self.base}/vocab/content"] = True
        old_items: Schema = {"$ref": "meta/validation#/$defs/stringArray"}
        return {
            "$schema": f"{self.base}/schema",
            "$id": f"{self.base}/schema",
            "$vocabulary": said,
            **self.anchor,
            "title": f"What {self.base.rpartition('/')[2]} says of schemas",
            "allOf": [{"$ref": f"meta/{name}"} for name in [*needed, *rest, form, "content"]],
            "type": ["object", "boolean"],
            "properties": {
                "definitions": {**self.several, "deprecated": True},
                "dependencies": {
                    "type": "object",
                    "additionalProperties": {"anyOf": [self.itself, old_items]},
                    "deprecated": True,
                },
                **(
                    {
                        "$recursiveAnchor": {"$ref": "meta/core#/$defs/anchorString", "deprecated": True},
                        "$recursiveRef": {"$ref": "meta/core#/$defs/uriReferenceString", "deprecated": True},
                    }
                    if self.latest
                    else {}
                ),
            },
        }

    def core(self) -> Schema:
        reference = {"type": "string", "format": "uri-reference"}
        anchor = {"type": "string", "pattern": "^[A-Za-z_][-A-Za-z0-9._]*$"}
        if not self.latest:
            anchor = {"type": "string", "pattern": "^[A-Za-z][-A-Za-z0-9.:_]*$"}
        uri = {"type": "string", "format": "uri"}
        definitions = {"anchorString": anchor, "uriString": uri, "uriReferenceString": reference}
        point: Schema = {"$ref": "#/$defs/uriReferenceString"} if self.latest else reference
        named: Schema = {"$ref": "#/$defs/anchorString"} if self.latest else anchor
        properties: Schema = {
            "$id": {**point, "pattern": "^[^#]*#?$"},
            "$schema": {"$ref": "#/$defs/uriString"} if self.latest else uri,
            "$ref": point,
            "$anchor": named,
            "$vocabulary": {
                "type": "object",
                "propertyNames": {"$ref": "#/$defs/uriString"} if self.latest else uri,
                "additionalProperties": {"type": "boolean"},
            },
            "$comment": _TEXT,
            "$defs": self.several,
        }
        if self.latest:
            properties |= {"$dynamicRef": point, "$dynamicAnchor": named}
        else:
            properties |= {"$recursiveRef": point, "$recursiveAnchor": _TRUTH}
        return self.meta("core", "Names and references", properties, definitions if self.latest else None)

    def applicator(self) -> Schema:
        itself, many = self.itself, {"$ref": "#/$defs/schemaArray"}
        properties: Schema = {
            "additionalProperties": itself,
            "contains": itself,
            "properties": self.several,
            "patternProperties": {**self.several, "propertyNames": {"format": "regex"}},
            "dependentSchemas": self.several,
            "propertyNames": itself,
            "if": itself,
            "then": itself,
            "else": itself,
            "allOf": many,
            "anyOf": many,
            "oneOf": many,
            "not": itself,
        }
        if self.latest:
            properties |= {"prefixItems": many, "items": itself}
        else:
            properties |= {
                "items": {"anyOf": [itself, many]},
                "additionalItems": itself,
                "unevaluatedItems": itself,
                "unevaluatedProperties": itself,
            }
        definitions = {"schemaArray": {"type": "array", "minItems": 1, "items": itself}}
        return self.meta("applicator", "Schemas within schemas", properties, definitions)

    def unevaluated(self) -> Schema:
        words = {"unevaluatedItems": self.itself, "unevaluatedProperties": self.itself}
        return self.meta("unevaluated", "What no other keyword looked at", words)

    def validation(self) -> Schema:
        count = {"$ref": "#/$defs/nonNegativeInteger"}
        from_0 = {"$ref": "#/$defs/nonNegativeIntegerDefault0"}
        texts = {"$ref": "#/$defs/stringArray"}
        simple = {"$ref": "#/$defs/simpleTypes"}
        properties: Schema = {
            "type": {"anyOf": [simple, {"type": "array", "items": simple, "minItems": 1, "uniqueItems": True}]},
            "const": True,
            "enum": {"type": "array", "items": True},
            "multipleOf": {"type": "number", "exclusiveMinimum": 0},
            **dict.fromkeys(("maximum", "exclusiveMaximum", "minimum", "exclusiveMinimum"), _NUMBER),
            **dict.fromkeys(("maxLength", "maxItems", "maxProperties", "maxContains"), count),
            **dict.fromkeys(("minLength", "minItems", "minProperties"), from_0),
            "minContains": {**count, "default": 1},
            "pattern": _REGEX,
            "uniqueItems": _TRUTH,
            "required": texts,
            "dependentRequired": {"type": "object", "additionalProperties": texts},
        }
        definitions = {
            "nonNegativeInteger": {"type": "integer", "minimum": 0},
            "nonNegativeIntegerDefault0": {**count, "default": 0},
            "simpleTypes": {"enum": _TYPES},
            "stringArray": {"type": "array", "items": _TEXT, "uniqueItems": True, "default": []},
        }
        return self.meta("validation", "What values must be", properties, definitions)

    def meta_data(self) -> Schema:
        properties: Schema = {
            "title": _TEXT,
            "description": _TEXT,
            "default": True,
            "deprecated": _TRUTH,
            "readOnly": _TRUTH,
            "writeOnly": _TRUTH,
            "examples": {"type": "array", "items": True},
        }
        return self.meta("meta-data", "What is said of values", properties)

    def form(self, name: str) -> Callable[[], Schema]:
        return lambda: self.meta(name, "Formats of text", {"format": _TEXT})

    def content(self) -> Schema:
        properties = {"contentEncoding": _TEXT, "contentMediaType": _TEXT, "contentSchema": self.itself}
        return self.meta("content", "What text holds", properties)

    def all(self) -> dict[str, Callable[[], Schema]]:
        """Each by its URI, made when asked for."""
        made: dict[str, Callable[[], Schema]] = {
            "schema": self.schema,
            "meta/core": self.core,
            "meta/applicator": self.applicator,
            "meta/validation": self.validation,
            "meta/meta-data": self.meta_data,
            "meta/content": self.content,
        }
        if self.latest:
            made |= {
                "meta/unevaluated": self.unevaluated,
                "meta/format-annotation": self.form("format-annotation"),
                "meta/format-assertion": self.form("format-assertion"),
            }
        else:
            made["meta/format"] = self.form("format")
        return {f"{self.base}/{path}": make for path, make in made.items()}


def _openapi_31() -> Schema:
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": "https://spec.openapis.org/oas/3.1/dialect/base",
        "$vocabulary": {
            **_Edition("2020-12").schema()["$vocabulary"],
            "https://spec.openapis.org/oas/3.1/vocab/base": False,
        },
        "$dynamicAnchor": "meta",
        "title": "What OpenAPI 3.1 says of schemas",
        "allOf": [
            {"$ref": "https://json-schema.org/draft/2020-12/schema"},
            {"$ref": "https://spec.openapis.org/oas/3.1/meta/base"},
        ],
    }


def _openapi_31_base() -> Schema:
    texts = {"type": "object", "additionalProperties": _TEXT}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": "https://spec.openapis.org/oas/3.1/meta/base",
        "$dynamicAnchor": "meta",
        "title": "What OpenAPI adds",
        "type": ["object", "boolean"],
        "properties": {
            "example": True,
            "discriminator": {
                "type": "object",
                "properties": {"propertyName": _TEXT, "mapping": texts},
                "required": ["propertyName"],
            },
            "externalDocs": {"type": "object", "properties": {"url": _TEXT}, "required": ["url"]},
            "xml": {"type": "object"},
        },
    }


def _openapi_30() -> Schema:
    """A Schema Object of OpenAPI 3.0, or a Reference Object; written in draft-04 (OpenAPI 3.0.3, 4.7.24)."""
    itself: Schema = {"$ref": "#"}
    count: Schema = {"type": "integer", "minimum": 0}
    words = _old_properties(itself, count, count)
    for word in ("$schema", "definitions", "patternProperties", "dependencies"):
        del words[word]
    many = {"type": "array", "items": itself}
    kind = {"enum": [name for name in _TYPES if name != "null"]}
    return {
        "id": "https://spec.openapis.org/oas/3.0/dialect",
        "$schema": _BASE_4,
        "description": "What OpenAPI 3.0 says of schemas",
        "type": "object",
        "properties": {
            **words,
            "$ref": _TEXT,
            "components": {
                "type": "object",
                "properties": {"schemas": {"type": "object", "additionalProperties": itself}},
            },
            "multipleOf": {"type": "number", "minimum": 0, "exclusiveMinimum": True},
            "exclusiveMaximum": _TRUTH,
            "exclusiveMinimum": _TRUTH,
            "required": {"type": "array", "items": _TEXT, "minItems": 1, "uniqueItems": True},
            "enum": {"type": "array", "minItems": 1},
            "type": kind,
            "items": itself,
            "allOf": many,
            "anyOf": many,
            "oneOf": many,
            "additionalProperties": {"anyOf": [itself, {"type": "boolean"}]},
            "nullable": _TRUTH,
            "readOnly": _TRUTH,
            "writeOnly": _TRUTH,
            "deprecated": _TRUTH,
            "example": {},
            "discriminator": {
                "type": "object",
                "properties": {"propertyName": _TEXT},
                "required": ["propertyName"],
            },
            "externalDocs": {"type": "object"},
            "xml": {"type": "object"},
        },
        "patternProperties": {"^x-": {}},
        "additionalProperties": False,
    }


_MADE: dict[str, Callable[[], Schema]] = {
    _BASE_4.removesuffix("#"): _draft_04,
    _BASE_6.removesuffix("#"): _draft_06,
    _BASE_7.removesuffix("#"): _draft_07,
    **_Edition("2019-09").all(),
    **_Edition("2020-12").all(),
    "https://spec.openapis.org/oas/3.1/dialect/base": _openapi_31,
    "https://spec.openapis.org/oas/3.1/meta/base": _openapi_31_base,
    "https://spec.openapis.org/oas/3.0/dialect": _openapi_30,
}


@cache
def standard_document(uri: str) -> Schema | None:
    """The meta-schema of a URI, None where the standard has none of that name."""
    made = _MADE.get(uri)
    return made() if made is not None else None
