"""The description of an API (OpenAPI 3.1, or 3.0), collected from its endpoints."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from http import HTTPStatus
from typing import TYPE_CHECKING, Any, Final, Literal
from urllib.parse import quote

from ..declare.errors import DeclarationError
from ..declare.json_pointer import unescaped
from ..document.writing.compose import Part, bundled
from ..document.writing.joining import reached
from ..gates.typed import Gate
from ..report.problem import CONTENT_TYPE
from ..shape.nodes import Items
from ..shape.walk import part_of
from .answer_headers import AnswerHeaders, is_needed
from .answering import Streamed
from .answers import CBOR, JSON
from .endpoint import Endpoint
from .examples import Examples
from .header_values import is_date
from .security.requirement import PUBLIC, Scheme, Wanted

if TYPE_CHECKING:
    from .api import Api

OpenApi = Literal["3.1", "3.0"]
_VERSIONS: Final[Mapping[str, str]] = {"3.1": "3.1.0", "3.0": "3.0.3"}
_PLACES: Final = {"path": "path", "query": "query", "headers": "header", "cookies": "cookie"}
_DATE: Final = "A date of HTTP (RFC 9110, section 5.6.7)."
_IGNORED: Final = frozenset(["accept", "content-type", "authorization"])
"""Headers that OpenAPI says otherwise: parameters of these names are passed over (3.1, section 4.8.12)."""
_AT: Final = "#/components/schemas/"


def description(api: Api, version: OpenApi = "3.1") -> dict[str, Any]:
    """The description as plain JSON data. Raises DeclarationError for a version that is not written here."""
    if version not in _VERSIONS:
        raise DeclarationError(f"OpenAPI {version!r} is not written here", remedy="3.1 or 3.0")
    return _Description(api, version).whole()


def schemas(api: Api) -> dict[str, dict[str, Any]]:
    """Each declared record of an API as a JSON Schema document (2020-12) of its own, by name.

    They refer to each other by name, which is where they stand: side by side, under the API's `schemas_at`.
    """
    shapes = _ordered(api)
    if not shapes:
        return {}
    held = bundled(shapes, dialect="2020-12", formats="name", uri=None)["$defs"]
    base = api.schemas_at.rstrip("/")
    opening = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {
        name: {**opening, "$id": f"{base}/{quote(name)}", **_beside(schema)}
        for name, schema in held.items()
        if name not in shapes
    }


def _beside(held: Any) -> Any:
    """A schema whose references lead to documents beside its own."""
    if isinstance(held, list):
        return [_beside(each) for each in held]
    if not isinstance(held, dict):
        return held
    made = {word: _beside(each) for word, each in held.items()}
    if isinstance(held.get("$ref"), str) and held["$ref"].startswith("#/$defs/"):
        made["$ref"] = quote(unescaped(held["$ref"].removeprefix("#/$defs/")))
    return made


def _ordered(api: Api) -> dict[str, Part]:
    """The shapes of an API by name. What is sent has the names that were declared; what is answered others, where the
    two differ."""
    every = [pair for endpoint in api.endpoints for pair in _shapes(endpoint)]
    return dict(sorted(every, key=lambda pair: pair[1].of == "release"))


class _Description:
    """Writes one description; what endpoints have in common stands under its components once."""

    def __init__(self, api: Api, version: OpenApi) -> None:
        self.api = api
        self.version = version
        self._examples = Examples()
        shapes = _ordered(api)
        dialect: Any = f"openapi-{version}"
        document = bundled(shapes, dialect=dialect, formats="name", uri=None)
        self.unstated = document.unstated
        self.schemas: dict[str, Any] = document["components"]["schemas"] if shapes else {}

    def whole(self) -> dict[str, Any]:
        api = self.api
        info: dict[str, Any] = {"title": api.title, "version": api.version}
        if api.text:
            info["description"] = api.text
        made: dict[str, Any] = {"openapi": _VERSIONS[self.version], "info": info}
        if api.servers:
            made["servers"] = [{"url": url} for url in api.servers]
        paths: dict[str, Any] = {}
        for endpoint in api.endpoints:
            paths.setdefault(endpoint.path.text, {})[endpoint.method.lower()] = self.operation(endpoint)
        made["paths"] = paths
        tags = list(dict.fromkeys(tag for endpoint in api.endpoints for tag in endpoint.tags))
        if tags:
            made["tags"] = [{"name": tag} for tag in tags]
        components: dict[str, Any] = {
            "schemas": {**reached(paths, self.schemas, _AT), "Problem": _problem(self.version)}
        }
        if api.schemes:
            components["securitySchemes"] = {
                name: _scheme(scheme, self.version) for name, scheme in api.schemes.items()
            }
        made["components"] = components
        return made

    def operation(self, endpoint: Endpoint[Any]) -> dict[str, Any]:
        """What stands under a method of a path."""
        made: dict[str, Any] = {"operationId": endpoint.name}
        if endpoint.summary:
            made["summary"] = endpoint.summary
        if text := "\n\n".join(part for part in (endpoint.text, self._unsaid(endpoint)) if part):
            made["description"] = text
        if endpoint.tags:
            made["tags"] = list(endpoint.tags)
        if endpoint.deprecated:
            made["deprecated"] = True
        if parameters := [each for part in _PLACES for each in self._parameters(endpoint, part)]:
            made["parameters"] = parameters
        if endpoint.reads_body:
            made["requestBody"] = self._body(endpoint)
        made["responses"] = {str(status): self._answer(endpoint, status) for status in endpoint.answers.gates}
        refused = {"description": "The request was refused: why, and every fault at its place."}
        problem = {"schema": {"$ref": f"{_AT}Problem"}}
        for raised in endpoint.problems:
            status, detail = raised.refusal.status, raised.refusal.detail
            told = {"description": detail or phrase(status), "content": {CONTENT_TYPE: problem}}
            made["responses"].setdefault(str(status), told)
        made["responses"].setdefault("4XX", {**refused, "content": {CONTENT_TYPE: problem}})
        wanted = self.api.wanted_of(endpoint)
        if wanted is not None and self.api.schemes:
            made["security"] = [self._all_wanted(each) for each in wanted.alternatives] if wanted is not PUBLIC else []
        return made

    def _all_wanted(self, alternative: tuple[Wanted, ...]) -> dict[str, list[str]]:
        """What one alternative wants, by the names of its schemes; before 3.1 only tokens have scopes."""
        made: dict[str, list[str]] = {}
        for scheme, scopes in alternative:
            kind = scheme.described()["type"]
            told = scopes if self.version != "3.0" or kind in ("oauth2", "openIdConnect") else ()
            name = next(name for name, each in self.api.schemes.items() if each is scheme)
            made[name] = list(dict.fromkeys([*made.get(name, []), *told]))
        return made

    def _body(self, endpoint: Endpoint[Any]) -> dict[str, Any]:
        """What is said of a body; the files of a form stand beside its fields."""
        needed = any(endpoint.parts[part].required for part in ("body", "form", "files") if part in endpoint.parts)
        if "files" not in endpoint.parts:
            schema = self._schema(f"{endpoint.name}.{'body' if 'body' in endpoint.parts else 'form'}")
        else:
            schema = self._files(endpoint)
            if "form" in endpoint.parts:
                schema = {"allOf": [self._schema(f"{endpoint.name}.form"), schema]}
        held: dict[str, Any] = {"schema": schema}
        body = endpoint.gate.shape.record_of(endpoint.parts["body"].use) if "body" in endpoint.parts else None
        if body is not None and (example := self._examples.of(body.key, endpoint.gate.shape)) is not None:
            held["example"] = example
        return {"required": needed, "content": dict.fromkeys(endpoint.body_types, held)}

    def _files(self, endpoint: Endpoint[Any]) -> dict[str, Any]:
        """The schema of the files of a form: OpenAPI 3.0 has a format for them, 3.1 says it as JSON Schema does."""
        file: dict[str, Any] = {"type": "string", "contentMediaType": "application/octet-stream"}
        if self.version == "3.0":
            file = {"type": "string", "format": "binary"}
        fields = endpoint.gate.shape.sure_record(endpoint.parts["files"].use).fields
        properties = {}
        for field in fields:
            node = field.use.bare.node
            properties[field.wire] = {"type": "array", "items": file} if isinstance(node, Items) else file
        required = [field.wire for field in fields if field.required]
        return {"type": "object", "properties": properties, **({"required": required} if required else {})}

    def _unsaid(self, endpoint: Endpoint[Any]) -> str:
        """The rules that no schema can say, in words."""
        own = f"/components/schemas/{endpoint.name}."
        rules = [rule for rule in self.unstated if rule.pointer.startswith(own)]
        record = {key for name, part in _shapes(endpoint) if part.of == "send" for key in part.shape.records}
        rules += [
            rule
            for rule in self.unstated
            if rule not in rules and rule.pointer.split("/")[3:4] and rule.pointer.split("/")[3] in record
        ]
        if not rules:
            return ""
        told = dict.fromkeys(f"- {rule.field + ': ' if rule.field else ''}{rule.rule}" for rule in rules)
        return "Also holds, though no schema says it:\n\n" + "\n".join(told)

    def _parameters(self, endpoint: Endpoint[Any], part: str) -> Iterator[dict[str, Any]]:
        if part not in endpoint.parts:
            return
        record = endpoint.gate.shape.sure_record(endpoint.parts[part].use)
        definition = self._followed(self._schema(f"{endpoint.name}.{part}"))
        for field in record.fields:
            if field.withheld or (part == "headers" and field.wire in _IGNORED):
                continue
            schema = dict(definition.get("properties", {}).get(field.wire, {}))
            made: dict[str, Any] = {"name": field.wire, "in": _PLACES[part]}
            if field.required or part == "path":
                made["required"] = True
            if part == "headers" and is_date(field.use):
                schema = {"type": "string", "description": " ".join(filter(None, [schema.get("description"), _DATE]))}
            if text := schema.get("description"):
                made["description"] = text
            if schema.get("deprecated") is True:
                made["deprecated"] = True
            yield {**made, "schema": schema}

    def _answer(self, endpoint: Endpoint[Any], status: int) -> dict[str, Any]:
        gate = endpoint.answers.gates[status]
        made: dict[str, Any] = {"description": endpoint.answers.of[status].text or phrase(status)}
        if isinstance(gate, Streamed):
            made["content"] = {gate.media_type: {"schema": self._stream(endpoint, status)}}
        elif gate is not None:
            schema = self._schema(f"{endpoint.name}.{status}")
            media = [JSON, *([CBOR] if CBOR in endpoint.takes else [])]
            made["content"] = {each: {"schema": schema} for each in media}
        if (headers := endpoint.answers.headers.get(status)) is not None:
            made["headers"] = dict(self._headers(headers, f"{endpoint.name}.{status}.headers"))
        return made

    def _stream(self, endpoint: Endpoint[Any], status: int) -> dict[str, Any]:
        """The schema of a body in pieces; no version before 3.2 has a word for what each of them is."""
        if status not in endpoint.answers.items:
            return {"type": "string"}
        item = self._schema(f"{endpoint.name}.{status}.item")
        return {"type": "string", "description": "Values, one by one, each of `x-item-schema`.", "x-item-schema": item}

    def _headers(self, headers: AnswerHeaders, name: str) -> Iterator[tuple[str, dict[str, Any]]]:
        """The headers of an answer by name."""
        told = self._followed(self._schema(name)).get("properties", {})
        for field in headers.fields:
            if field.use.secret:
                continue
            schema = dict(told.get(field.wire, {}))
            text = schema.pop("description", "")
            if is_date(field.use):
                text, schema = " ".join(filter(None, [text, _DATE])), {"type": "string"}
            made: dict[str, Any] = {"description": text} if text else {}
            if is_needed(field):
                made["required"] = True
            yield field.wire, {**made, "schema": schema}

    def _schema(self, name: str) -> dict[str, Any]:
        """The schema of a part or an answer, where it stands."""
        held: dict[str, Any] = self.schemas[name]
        return held

    def _followed(self, schema: dict[str, Any]) -> dict[str, Any]:
        while set(schema) == {"$ref"}:
            schema = self.schemas[schema["$ref"].removeprefix(_AT)]
        return schema


def _shapes(endpoint: Endpoint[Any]) -> Iterator[tuple[str, Part]]:
    """The shapes of an endpoint by name: of its parts as they are sent, of its answers as they are released."""
    for name, field in endpoint.parts.items():
        if name != "files":
            yield f"{endpoint.name}.{name}", Part(part_of(endpoint.gate.shape, field.use), False, "send")
    for status, gate in endpoint.answers.gates.items():
        if isinstance(gate, Gate):
            yield f"{endpoint.name}.{status}", Part(gate.shape, False, "release")
    for status, gate in endpoint.answers.items.items():
        yield f"{endpoint.name}.{status}.item", Part(gate.shape, False, "release")
    for status, headers in endpoint.answers.headers.items():
        yield f"{endpoint.name}.{status}.headers", Part(headers.shown, False, "release")


def _scheme(scheme: Scheme, version: OpenApi) -> dict[str, Any]:
    """A security scheme as OpenAPI writes it; 3.0 has no word for certificates of clients."""
    said = scheme.described()
    if version == "3.0" and said["type"] == "mutualTLS":
        said = {**said, "type": "http", "scheme": "mutual-tls"}
    return {**said, **({"description": scheme.text} if scheme.text else {})}


def phrase(status: int) -> str:
    """A status in words."""
    try:
        return HTTPStatus(status).phrase
    except ValueError:
        return str(status)


def _problem(version: OpenApi) -> dict[str, Any]:
    """The schema of a refusal: problem details (RFC 9457) with every fault."""
    text = {"type": "string"}
    anything: dict[str, Any] = {}
    fault = {
        "type": "object",
        "required": ["detail", "part", "pointer", "code"],
        "properties": {
            "detail": {**text, "description": "What would pass, and what came."},
            "part": {**text, "description": "The part of the request: path, query, headers, cookies, body, form."},
            "pointer": {**text, "description": "Where in the part, as a JSON Pointer in a URI fragment (RFC 6901)."},
            "code": {**text, "description": "What sort of fault it is: a short word that does not change."},
            "given": {**anything, "description": "What came, shortened; null where it is hidden."},
            "expected": {"type": "object", "description": "The numbers of the rule by name."},
            "line": {"type": "integer"},
            "column": {"type": "integer"},
        },
    }
    if version == "3.0":
        fault["properties"]["given"] = {**anything, "nullable": True}  # type: ignore[index]
    return {
        "type": "object",
        "description": "Why a request was refused (RFC 9457).",
        "required": ["type", "title", "status"],
        "properties": {
            "type": text,
            "title": text,
            "status": {"type": "integer"},
            "detail": text,
            "instance": text,
            "errors": {"type": "array", "items": fault},
            "untold": {"type": "integer", "description": "How many more faults there were."},
        },
    }
