"""The description of an API (OpenAPI 3.1, or 3.0), collected from its endpoints."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any, Final, Literal
from urllib.parse import quote

from ...declare.errors import DeclarationError
from ...declare.json_pointer import escaped, unescaped
from ...document.writing.compose import Part, bundled
from ...document.writing.joining import reached
from ...document.writing.naming import with_leads
from ...gates.typed import Gate
from ...shape.nodes import Entries
from ...shape.walk import part_of
from ..answer_headers import AnswerHeaders, is_needed
from ..answering import Streamed
from ..answers import CBOR, JSON
from ..conditional import READS
from ..endpoint import Endpoint
from ..header_values import HTTP_DATE, is_date
from ..security.requirement import PUBLIC, Scheme, Wanted
from .bodies import Bodies
from .examples import Examples
from .in_text import Flat, holds_records, in_text, style_of
from .refused import phrase, refusals_of

if TYPE_CHECKING:
    from ..api import Api

OpenApi = Literal["3.1", "3.0"]
_VERSIONS: Final[Mapping[str, str]] = {"3.1": "3.1.0", "3.0": "3.0.3"}
_PLACES: Final = {"path": "path", "query": "query", "headers": "header", "cookies": "cookie"}
_DATE: Final = "A date of HTTP (RFC 9110, section 5.6.7)."
_DATE_SCHEMA: Final = {"type": "string", "pattern": HTTP_DATE}
_IGNORED: Final = frozenset(["accept", "content-type", "authorization"])
"""Headers that OpenAPI says otherwise: parameters of these names are passed over (3.1, section 4.8.12)."""
_AT: Final = "#/components/schemas/"
_TEXTS: Final = frozenset(["path", "query", "headers", "cookies", "form"])
_ETAG: Final = {"description": "The version of what is shown (RFC 9110, section 8.8.3).", "schema": {"type": "string"}}
_OF_REST: Final = ("additionalProperties", "patternProperties", "propertyNames")


def description(api: Api, version: OpenApi = "3.1", *, mount: str = "") -> dict[str, Any]:
    """The description as plain JSON data.

    `mount` is the path under which the API is served, which stands under `servers` where it names none itself. Raises
    DeclarationError for a version that is not written here.
    """
    if version not in _VERSIONS:
        raise DeclarationError(f"OpenAPI {version!r} is not written here", remedy="3.1 or 3.0")
    return _Description(api, version, mount).whole()


def schemas(api: Api, *, mount: str = "") -> dict[str, dict[str, Any]]:
    """Each declared record of an API as a JSON Schema document (2020-12) of its own, by name.

    They refer to each other by name, which is where they stand: side by side, under the API's `schemas_at`; `mount`
    is the path under which the API is served.
    """
    shapes = _ordered(api)
    if not shapes:
        return {}
    held = bundled(shapes, dialect="2020-12", formats="name", uri=None)["$defs"]
    base = mount + api.schemas_at.rstrip("/")
    opening = {"$schema": "https://json-schema.org/draft/2020-12/schema"}
    return {
        name: {**opening, "$id": f"{base}/{quote(name)}", **with_leads(schema, _beside_its_own)}
        for name, schema in held.items()
        if name not in shapes
    }


def _beside_its_own(lead: str) -> str:
    """Where a reference leads, among documents that stand beside each other."""
    return quote(unescaped(lead.removeprefix("#/$defs/"))) if lead.startswith("#/$defs/") else lead


def _ordered(api: Api) -> dict[str, Part]:
    """The shapes of an API by name. What is sent has the names that were declared; what is answered others, where the
    two differ; what comes in text, of which records are seldom left, whatever names remain."""
    every = [pair for endpoint in api.endpoints for pair in _shapes(endpoint, api.name_of(endpoint))]
    return dict(sorted(every, key=lambda pair: (pair[0].rpartition(".")[2] in _TEXTS, pair[1].of == "release")))


class _Description:
    """Writes one description; what endpoints have in common stands under its components once."""

    def __init__(self, api: Api, version: OpenApi, mount: str) -> None:
        self.api = api
        self.version = version
        self.mount = mount
        self._examples = Examples()
        self._refusals = refusals_of(api)
        shapes = _ordered(api)
        dialect: Any = f"openapi-{version}"
        document = bundled(shapes, dialect=dialect, formats="name", uri=None)
        self.unstated = document.unstated
        self.schemas: dict[str, Any] = document["components"]["schemas"] if shapes else {}
        self.bodies = Bodies(version, self._followed)

    def whole(self) -> dict[str, Any]:
        api = self.api
        info: dict[str, Any] = {"title": api.title, "version": api.version}
        if api.text:
            info["description"] = api.text
        made: dict[str, Any] = {"openapi": _VERSIONS[self.version], "info": info}
        if servers := api.servers or ([self.mount] if self.mount else []):
            made["servers"] = [{"url": url} for url in servers]
        paths: dict[str, Any] = {}
        for endpoint in api.endpoints:
            paths.setdefault(endpoint.path.text, {})[endpoint.method.lower()] = self.operation(endpoint)
        made["paths"] = paths
        tags = list(dict.fromkeys(tag for endpoint in api.endpoints for tag in endpoint.tags))
        if tags:
            made["tags"] = [{"name": tag} for tag in tags]
        responses = self._refusals.shared(paths)
        held = {**self.schemas, **self._refusals.schemas(self.version)}
        components: dict[str, Any] = {"schemas": reached([paths, responses], held, _AT), "responses": responses}
        if api.schemes:
            components["securitySchemes"] = {
                name: _scheme(scheme, self.version) for name, scheme in api.schemes.items()
            }
        made["components"] = components
        return made

    def operation(self, endpoint: Endpoint[Any]) -> dict[str, Any]:
        """What stands under a method of a path."""
        name = self.api.name_of(endpoint)
        made: dict[str, Any] = {"operationId": name}
        if endpoint.summary:
            made["summary"] = endpoint.summary
        if text := "\n\n".join(part for part in (endpoint.text, self._unsaid(endpoint, name)) if part):
            made["description"] = text
        if endpoint.tags:
            made["tags"] = list(endpoint.tags)
        if endpoint.deprecated:
            made["deprecated"] = True
        parameters = [each for part in _PLACES for each in self._parameters(endpoint, name, part)]
        declared = {each["name"] for each in parameters if each["in"] == "header"}
        parameters += [each for each in _conditions(endpoint) if each["name"] not in declared]
        if parameters:
            made["parameters"] = parameters
        if endpoint.reads_body:
            made["requestBody"] = self._body(endpoint, name)
        answers = {str(status): self._answer(endpoint, name, status) for status in endpoint.answers.gates}
        if endpoint.version is not None and endpoint.method in READS:
            answers.setdefault("304", {"description": "The client has it already.", "headers": {"etag": dict(_ETAG)}})
        made["responses"] = dict(sorted({**self._refusals.of(endpoint), **answers}.items()))
        if endpoint.callbacks:
            made["callbacks"] = endpoint.callbacks
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

    def _body(self, endpoint: Endpoint[Any], name: str) -> dict[str, Any]:
        """What is said of a body."""
        needed = any(endpoint.parts[part].required for part in ("body", "form", "files") if part in endpoint.parts)
        if "body" in endpoint.parts:
            held: dict[str, Any] = {"schema": self.schemas[f"{name}.body"]}
            example = self._examples.of(endpoint.parts["body"].use, endpoint.gate.shape)
            if example is not None:
                held["example"] = example
            return {"required": needed, "content": dict.fromkeys(endpoint.body_types, held)}
        form = self.schemas.get(f"{name}.form")
        content = {media: self.bodies.form(endpoint, form, media) for media in endpoint.body_types}
        return {"required": needed, "content": content}

    def _unsaid(self, endpoint: Endpoint[Any], name: str) -> str:
        """The rules that no schema can say, in words."""
        own = f"/components/schemas/{escaped(name)}."
        reached_from = {
            key
            for part, shape in _shapes(endpoint, name)
            if shape.of == "send"
            for key in reached(self.schemas[part], self.schemas, _AT)
        }
        told: dict[str, None] = {}
        for rule in self.unstated:
            steps = rule.pointer.split("/")
            if rule.pointer.startswith(own) or (len(steps) > 3 and unescaped(steps[3]) in reached_from):
                place = _place_of(steps[4:])
                told[f"- {place}: {rule.words}" if place else f"- {rule.words}"] = None
        told |= dict.fromkeys(f"- {words}" for words in self._rows(endpoint, name))
        return "Also holds, though no schema says it:\n\n" + "\n".join(told) if told else ""

    def _rows(self, endpoint: Endpoint[Any], name: str) -> Iterator[str]:
        """How the rows of a query are named, which no parameter says."""
        if "query" not in endpoint.parts:
            return
        shape = endpoint.gate.shape
        definition = self._followed(self.schemas[f"{name}.query"])
        for field in shape.sure_record(endpoint.parts["query"].use).fields:
            if holds_records(field.use):
                for each in Flat(shape, self._followed, form=False).of_field(field, definition):
                    if each.pattern:
                        shown = each.name.replace("[0-9]{1,9}", "0").replace("[^\\[\\]]+", "key").replace("\\", "")
                        yield f"{field.wire}: read from the query by names such as `{shown}`"

    def _parameters(self, endpoint: Endpoint[Any], name: str, part: str) -> Iterator[dict[str, Any]]:
        if part not in endpoint.parts:
            return
        shape = endpoint.gate.shape
        record = shape.sure_record(endpoint.parts[part].use)
        definition = self._followed(self.schemas[f"{name}.{part}"])
        for field in record.fields:
            if field.withheld or (part == "headers" and field.wire in _IGNORED):
                continue
            schema = definition.get("properties", {}).get(field.wire, {})
            if part == "query" and holds_records(field.use):
                flat = Flat(shape, self._followed, form=False)
                for each in flat.of_field(field, definition):
                    if each.pattern:  # which no parameter has; the text of the operation says it
                        continue
                    others = flat.depends.get(each.name)
                    said = {**each.schema, **_beside(each.schema, others)} if others else each.schema
                    yield _parameter(each.name, "query", said, each.needed)
                continue
            if part == "headers" and is_date(field.use):
                text = " ".join(filter(None, [schema.get("description"), _DATE, "One of RFC 3339 is read too."]))
                held = {word: told for word, told in schema.items() if word not in ("description", "default")}
                schema = {"anyOf": [_DATE_SCHEMA, held], "description": text}
            style = style_of(field.use, part)
            if isinstance(field.use.bare.node, Entries) and not field.use.bare.is_reread:
                style = {"style": "deepObject", "explode": True}
            needed = part == "path" or (field.required and not field.also)
            yield {**_parameter(field.wire, _PLACES[part], schema, needed), **style}
            for other in field.also:
                yield _parameter(other, _PLACES[part], {**schema, "deprecated": True}, needed=False)
        for rest in record.rests if part == "query" else ():
            inside = {word: definition[word] for word in _OF_REST if word in definition}
            schema = {"type": "object", **inside}
            yield {**_parameter(rest.attribute, "query", schema, needed=False), "style": "form", "explode": True}

    def _answer(self, endpoint: Endpoint[Any], name: str, status: int) -> dict[str, Any]:
        gate = endpoint.answers.gates[status]
        made: dict[str, Any] = {"description": endpoint.answers.of[status].text or phrase(status)}
        if isinstance(gate, Streamed):
            made["content"] = {gate.media_type: {"schema": self._stream(endpoint, name, status)}}
        elif gate is not None:
            schema = self.schemas[f"{name}.{status}"]
            media = [JSON, *([CBOR] if CBOR in endpoint.takes else [])]
            made["content"] = {each: {"schema": schema} for each in media}
        headers: dict[str, Any] = {}
        if endpoint.version is not None and endpoint.method in READS and status < 300:
            headers["etag"] = dict(_ETAG)
        if (declared := endpoint.answers.headers.get(status)) is not None:
            headers |= self._headers(declared, f"{name}.{status}.headers")
        if headers:
            made["headers"] = headers
        if links := endpoint.links.get(status):
            made["links"] = links
        return made

    def _stream(self, endpoint: Endpoint[Any], name: str, status: int) -> dict[str, Any]:
        """The schema of a body in pieces; no version before 3.2 has a word for what each of them is."""
        if status not in endpoint.answers.items:
            return {"type": "string"}
        item = self.schemas[f"{name}.{status}.item"]
        return {"type": "string", "description": "Values, one by one, each of `x-item-schema`.", "x-item-schema": item}

    def _headers(self, headers: AnswerHeaders, name: str) -> Iterator[tuple[str, dict[str, Any]]]:
        """The headers of an answer by name."""
        told = self._followed(self.schemas[name]).get("properties", {})
        for field in headers.fields:
            if field.use.secret:
                continue
            schema = dict(told.get(field.wire, {}))
            text = schema.pop("description", "")
            if is_date(field.use):
                text, schema = " ".join(filter(None, [text, _DATE])), dict(_DATE_SCHEMA)
            made: dict[str, Any] = {"description": text} if text else {}
            if is_needed(field):
                made["required"] = True
            yield field.wire, {**made, "schema": schema}

    def _followed(self, schema: dict[str, Any]) -> dict[str, Any]:
        """What a schema refers to, itself where it refers to nothing."""
        while True:
            lead = schema.get("$ref") or next(
                (each["$ref"] for each in schema.get("allOf", []) if "$ref" in each), None
            )
            if not isinstance(lead, str):
                return schema
            schema = self.schemas[unescaped(lead.removeprefix(_AT))]


def _beside(schema: dict[str, Any], others: list[str]) -> dict[str, Any]:
    """That other parameters must come with one, which OpenAPI has no word for."""
    text = f"Comes with {', '.join(others)}."
    return {"description": " ".join(filter(None, [schema.get("description"), text]))}


def _conditions(endpoint: Endpoint[Any]) -> Iterator[dict[str, Any]]:
    """The headers by which a request may say on which version it depends (RFC 9110, section 13.1)."""
    if endpoint.version is None:
        return
    tags = {"type": "string"}
    only = endpoint.must_match and endpoint.method != "PUT"
    text = "The entity tag of the version that is meant, or `*` for any."
    yield _parameter("if-match", "header", {**tags, "description": text}, needed=only)
    text = "Entity tags of versions that the client has already, or `*` where there must be nothing yet."
    yield _parameter("if-none-match", "header", {**tags, "description": text}, needed=False)


def _parameter(name: str, place: str, schema: Any, needed: bool) -> dict[str, Any]:
    """A parameter; what is said of it stands beside its schema."""
    made: dict[str, Any] = {"name": name, "in": place}
    if needed:
        made["required"] = True
    if isinstance(schema, dict):
        if text := schema.get("description"):
            made["description"] = text
        if schema.get("deprecated") is True:
            made["deprecated"] = True
        schema = {word: held for word, held in schema.items() if word not in ("description", "deprecated", "writeOnly")}
    return {**made, "schema": schema}


def _place_of(steps: list[str]) -> str:
    """Where in a schema something stands, by the names of its fields: `crates[].weight_kg`."""
    told, waits = "", False
    for step in steps:
        if waits:
            told += f".{unescaped(step)}" if told else unescaped(step)
        elif step in ("items", "prefixItems"):
            told += "[]"
        waits = step == "properties" and not waits
    return told


def _shapes(endpoint: Endpoint[Any], called: str) -> Iterator[tuple[str, Part]]:
    """The shapes of an endpoint by name: of its parts as they are sent, of its answers as they are released."""
    for name, field in endpoint.parts.items():
        if name == "files":
            continue
        shape = part_of(endpoint.gate.shape, field.use)
        yield f"{called}.{name}", Part(shape if name == "body" else in_text(shape, name), False, "send")
    for status, gate in endpoint.answers.gates.items():
        if isinstance(gate, Gate):
            yield f"{called}.{status}", Part(gate.shape, False, "release")
    for status, gate in endpoint.answers.items.items():
        yield f"{called}.{status}.item", Part(gate.shape, False, "release")
    for status, headers in endpoint.answers.headers.items():
        yield f"{called}.{status}.headers", Part(headers.shown, False, "release")


def _scheme(scheme: Scheme, version: OpenApi) -> dict[str, Any]:
    """A security scheme as OpenAPI writes it; 3.0 has no word for certificates of clients."""
    said = scheme.described()
    if version == "3.0" and said["type"] == "mutualTLS":
        said = {**said, "type": "http", "scheme": "mutual-tls"}
    return {**said, **({"description": scheme.text} if scheme.text else {})}
