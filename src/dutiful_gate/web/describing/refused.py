"""Refusals in a description: which statuses a request may end with, and what such an answer says."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from http import HTTPStatus
from typing import TYPE_CHECKING, Any, Final

from ...document.writing.compose import Part, bundled
from ...report.problem import CONTENT_TYPE
from ..endpoint import Endpoint
from ..refusals import RefusalForm, as_problem
from ..security.requirement import PUBLIC

if TYPE_CHECKING:
    from ..api import Api

Told = dict[str, Any]
_SCHEMAS: Final = "#/components/schemas/"
_RESPONSES: Final = "#/components/responses/"
_TOLD: Final[Mapping[str, str]] = {
    "400": "The body cannot be read at all.",
    "401": "Who asks is not known.",
    "403": "Who asks may not do this.",
    "404": "There is nothing at this path.",
    "406": "The answer is of none of the types that were asked for.",
    "412": "What is there is not what was asked for by `If-Match` or `If-None-Match`.",
    "413": "The body is too large.",
    "415": "The body is of a type that is not read here.",
    "422": "What was sent is not what is declared: every fault, at its place.",
    "428": "Say by `If-Match` which version is meant.",
    "4XX": "The request was refused: why, and every fault at its place.",
}


def refusals_of(api: Api) -> Refusals:
    """What may be refused by the endpoints of an API."""
    return Refusals(api)


class Refusals:
    """Writes the refusals of one description; each status stands under its components once."""

    def __init__(self, api: Api) -> None:
        self.api = api
        self.form = api.refusals
        self.media = self.form.media_type if isinstance(self.form, RefusalForm) else CONTENT_TYPE
        self.is_known = self.form is as_problem or isinstance(self.form, RefusalForm)

    def of(self, endpoint: Endpoint[Any]) -> Told:
        """The responses of an endpoint that refuse, by status."""
        made: Told = {}
        for known in self._statuses(endpoint):
            made[known] = {"$ref": f"{_RESPONSES}Refused{known}"}
        for raised in endpoint.problems:
            status, detail = raised.refusal.status, raised.refusal.detail
            if detail or str(status) not in made:
                made[str(status)] = self._response(detail or phrase(status))
        return made

    def shared(self, paths: Told) -> Told:
        """The responses that stand under the components, of those that some endpoint leads to."""
        used = {
            each["$ref"].removeprefix(f"{_RESPONSES}Refused")
            for methods in paths.values()
            for operation in methods.values()
            for each in operation["responses"].values()
            if "$ref" in each
        }
        made = {f"Refused{status}": self._response(words) for status, words in _TOLD.items() if status in used}
        if "Refused401" in made:
            told = {"description": "How to tell who asks (RFC 9110, section 11.6.1).", "schema": {"type": "string"}}
            made["Refused401"]["headers"] = {"www-authenticate": told}
        return made

    def schemas(self, version: str) -> Told:
        """What stands under the components for them."""
        if isinstance(self.form, RefusalForm):
            dialect: Any = f"openapi-{version}"
            part = Part(self.form.gate.shape, False, "release")
            held: Told = bundled({"Refusal": part}, dialect=dialect, formats="name", uri=None)["components"]["schemas"]
            return {f"Refusal{'' if name == 'Refusal' else '_' + name}": each for name, each in held.items()}
        return {"Problem": _problem(version)} if self.is_known else {}

    def _statuses(self, endpoint: Endpoint[Any]) -> Iterator[str]:
        wanted = self.api.wanted_of(endpoint)
        guarded = wanted is not None and wanted is not PUBLIC
        from_pages = endpoint.comes_from_pages or (wanted is not None and wanted.from_cookie)
        changes = endpoint.method not in ("GET", "HEAD", "OPTIONS")
        if endpoint.reads_body:
            yield from ("400", "413", "415")
        if guarded:
            yield "401"
        if (guarded and any(scopes for each in wanted.alternatives for _, scopes in each)) or (from_pages and changes):  # type: ignore[union-attr]
            yield "403"
        if endpoint.offers:
            yield "406"
        if endpoint.version is not None:
            yield "412"
        if endpoint.must_match:
            yield "428"
        unreadable = str(self.api.unreadable_path)
        if endpoint.parts.keys() - {"path"} or (endpoint.parts and unreadable == "422"):
            yield "422"
        if "path" in endpoint.parts and unreadable in _TOLD:
            yield unreadable
        yield "4XX"

    def _response(self, words: str) -> Told:
        if not self.is_known:
            return {"description": words, "content": {"*/*": {}}}
        name = "Refusal" if isinstance(self.form, RefusalForm) else "Problem"
        return {"description": words, "content": {self.media: {"schema": {"$ref": f"{_SCHEMAS}{name}"}}}}


def phrase(status: int) -> str:
    """A status in words."""
    try:
        return HTTPStatus(status).phrase
    except ValueError:
        return str(status)


def _problem(version: str) -> dict[str, Any]:
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
