"""Two versions of an API compared by their descriptions (OpenAPI 3.0 or 3.1): what changed, and which clients break."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from typing import Any, Final, Literal

from ..declare.errors import DeclarationError
from ..declare.json_pointer import escaped, unescaped
from ..document.writing.naming import with_leads
from ..gates.document import DocumentGate
from .comparison import Comparison, Told, compared
from .one_version import GateVersion
from .witnesses import Witness

Said = Mapping[str, Any]
_METHODS: Final = ("get", "put", "post", "delete", "options", "head", "patch", "trace")
_SCHEMAS: Final = "#/components/schemas/"
_NAMES: Final = re.compile(r"\{[^{}]*\}")
_USUAL_STYLE: Final = {"query": "form", "cookie": "form"}


def compare_descriptions(old: Said, new: Said, *, seed: int = 0, names: tuple[str, str] = ("old", "new")) -> Comparison:
    """Compare two descriptions of an API, as plain data: endpoints, parameters, bodies, answers, statuses, security.

    Senders are clients that send requests, readers those that read answers. Each change stands at its operation and
    part, such as `POST /bookings body /origin`, with an instance where one shows it: a value, or what a client did.
    Raises DeclarationError for what is no description, or has a schema that cannot be used.
    """
    try:
        comparing = _Comparing(_Side(old, names[0]), _Side(new, names[1]), seed)
        changes = list(comparing.all())
    except RecursionError:
        raise DeclarationError("a description nests deeper than can be read", remedy="make it flatter") from None
    return Comparison(names[0], names[1], changes, comparing.reasons)


def is_description(held: Any) -> bool:
    """Whether some data is a description of an API."""
    return isinstance(held, Mapping) and isinstance(held.get("openapi"), str)


class _Side:
    """One description."""

    def __init__(self, described: Said, name: str) -> None:
        if not is_description(described) or not str(described["openapi"]).startswith(("3.0", "3.1")):
            raise DeclarationError(
                f"{name} is no description in OpenAPI 3.0 or 3.1",
                remedy="hand over what description(api) gives, or a file of it",
            )
        self.described = described
        self.name = name
        self.dialect = f"openapi-{str(described['openapi'])[:3]}"
        self.definitions = "definitions" if self.dialect == "openapi-3.0" else "$defs"
        self.operations: dict[tuple[str, str], tuple[str, Said, list[Said]]] = {}
        for path, held in _by_name(described.get("paths")).items():
            item = self.resolved(held)
            for method in _METHODS:
                if isinstance(operation := item.get(method), Mapping):
                    given = [*_listed(item.get("parameters")), *_listed(operation.get("parameters"))]
                    own = {(str(each.get("in")), str(each.get("name"))): each for each in map(self.resolved, given)}
                    key = (method.upper(), _NAMES.sub("{}", path))
                    self.operations[key] = (path, operation, list(own.values()))

    def resolved(self, held: Any) -> Said:
        """An object, or what it refers to."""
        for _ in range(20):
            if not isinstance(held, Mapping) or not isinstance(held.get("$ref"), str):
                break
            at: Any = self.described
            for step in held["$ref"].removeprefix("#").split("/")[1:]:
                at = at.get(unescaped(step)) if isinstance(at, Mapping) else None
            held = at
        return held if isinstance(held, Mapping) else {}

    def schema(self, schema: Any) -> Any:
        """A schema as a document of its own, with what it leads to beside it, so that all of it is judged."""
        held = _by_name(_by_name(self.described.get("components")).get("schemas"))
        reached: dict[str, Any] = {}

        def inside(lead: str) -> str:
            name = unescaped(lead.removeprefix(_SCHEMAS))
            if not lead.startswith(_SCHEMAS) or name not in held:
                return lead
            if name not in reached:
                reached[name] = None  # it may lead to itself
                reached[name] = with_leads(held[name], inside)
            return f"#/{self.definitions}/{escaped(name)}"

        made = with_leads(schema, inside)
        if not reached or not isinstance(made, Mapping):
            return made
        return {**made, self.definitions: dict(sorted(reached.items()))}

    def security(self, operation: Said) -> list[dict[str, tuple[str, ...]]]:
        """Who may: the alternatives, each with its schemes and their scopes; one of nothing where anybody may."""
        wanted = operation.get("security", self.described.get("security", []))
        made = [{name: tuple(map(str, scopes)) for name, scopes in _by_name(each).items()} for each in _listed(wanted)]
        return made or [{}]

    def scheme(self, name: str) -> Any:
        """A security scheme, without what is said of it for people."""
        schemes = _by_name(_by_name(self.described.get("components")).get("securitySchemes"))
        return {word: held for word, held in self.resolved(schemes.get(name)).items() if word != "description"}


class _Comparing:
    """Compares two descriptions."""

    def __init__(self, old: _Side, new: _Side, seed: int) -> None:
        self.old, self.new, self.seed = old, new, seed
        self.reasons: dict[str, list[str]] = {"senders": [], "readers": []}
        self._known: dict[tuple[str, str], Comparison] = {}

    def all(self) -> Iterator[Told]:
        yield from self.servers()
        for key, (path, operation, parameters) in self.old.operations.items():
            at = f"{key[0]} {path}"
            if key not in self.new.operations:
                yield _breaks_senders(at, "gone", {"method": key[0], "path": path})
                continue
            _, operation_now, parameters_now = self.new.operations[key]
            yield from self.names(at, operation, operation_now)
            yield from self.security(at, operation, operation_now)
            yield from self.parameters(at, parameters, parameters_now, path, self.new.operations[key][0])
            yield from self.body(at, operation, operation_now)
            yield from self.answers(at, operation, operation_now)
        for key, (path, _, _) in self.new.operations.items():
            if key not in self.old.operations:
                yield Told(f"{key[0]} {path}", "new", "send")

    def servers(self) -> Iterator[Told]:
        was, now = (
            [str(_by_name(each).get("url")) for each in _listed(side.described.get("servers"))]
            for side in (self.old, self.new)
        )
        for url in was:
            if url not in now:
                yield Told("servers", f"{url} is named no longer", "send", doubtful=("narrowing",))

    def names(self, at: str, operation: Said, now: Said) -> Iterator[Told]:
        if (was := operation.get("operationId")) != (is_now := now.get("operationId")):
            yield Told(at, f"called {is_now!r}, was {was!r}: clients made of the description name it otherwise", "send")
        if now.get("deprecated") is True and operation.get("deprecated") is not True:
            yield Told(at, "not for new work any more", "send")

    def security(self, at: str, operation: Said, now: Said) -> Iterator[Told]:
        """Whoever might, must be able to still, by what they had."""
        after = self.new.security(now)
        for alternative in self.old.security(operation):
            if any(self._suffices(alternative, each) for each in after):
                continue
            had = " and ".join(_who(*each) for each in alternative.items()) or "nobody in particular"
            wants = ", or ".join(" and ".join(_who(*one) for one in each.items()) for each in after)
            yield _breaks_senders(f"{at} security", f"asks for {wants}, which {had} does not have", {"by": had})
        if after != [{}] and self.old.security(operation) != after and len(after) > len(self.old.security(operation)):
            yield Told(f"{at} security", "more may", "send")

    def _suffices(self, had: dict[str, tuple[str, ...]], wanted: dict[str, tuple[str, ...]]) -> bool:
        return all(
            name in had and set(scopes) <= set(had[name]) and self.old.scheme(name) == self.new.scheme(name)
            for name, scopes in wanted.items()
        )

    def parameters(self, at: str, was: list[Said], now: list[Said], path: str, path_now: str) -> Iterator[Told]:
        before, after = self._keyed(was, path), self._keyed(now, path_now)
        for key, each in before.items():
            place = f"{at} {key[0]} {each.get('name')}"
            if key not in after:
                yield Told(place, "gone: what is sent there is not read any more", "send", doubtful=("narrowing",))
                continue
            is_now = after[key]
            if is_now.get("required") is True and each.get("required") is not True:
                yield _breaks_senders(place, "must now be there", {"without": each.get("name")})
            elif each.get("required") is True and is_now.get("required") is not True:
                yield Told(place, "may now be left out", "send")
            if (style := _style(each)) != (style_now := _style(is_now)):
                yield _breaks_senders(place, f"written as {style_now}, was {style}", {"written as": style})
            yield from self.schemas(place, self._of(each), self._of(is_now), "senders")
        for key, each in after.items():
            if key in before:
                continue
            place = f"{at} {key[0]} {each.get('name')}"
            if each.get("required") is True:
                yield _breaks_senders(place, "new, must be there", {"without": each.get("name")})
            else:
                yield Told(place, "new, may be left out", "send")

    def _keyed(self, parameters: list[Said], path: str) -> dict[tuple[str, str], Said]:
        """Parameters by place and name: those of a path by where they stand, headers whatever their case."""
        names = [each[1:-1] for each in _NAMES.findall(path)]
        made: dict[tuple[str, str], Said] = {}
        for each in parameters:
            name, place = str(each.get("name")), str(each.get("in"))
            if place == "path" and name in names:
                name = str(names.index(name))
            made[place, name.lower() if place == "header" else name] = each
        return made

    def _of(self, held: Said) -> Any:
        """The schema of a parameter or a header."""
        content = _by_name(held.get("content"))
        return _schema_of(next(iter(content.values())) if content else held)

    def body(self, at: str, operation: Said, now: Said) -> Iterator[Told]:
        was, is_now = self.old.resolved(operation.get("requestBody")), self.new.resolved(now.get("requestBody"))
        place = f"{at} body"
        if not was:
            if is_now.get("required") is True:
                yield _breaks_senders(place, "new, must be there", {"without": "a body"})
            elif is_now:
                yield Told(place, "new, may be left out", "send")
            return
        if not is_now:
            yield Told(place, "gone: what is sent is not read any more", "send", doubtful=("narrowing",))
            return
        if is_now.get("required") is True and was.get("required") is not True:
            yield _breaks_senders(place, "must now be there", {"without": "a body"})
        content = _by_name(is_now.get("content"))
        for media, held in _by_name(was.get("content")).items():
            if media not in content:
                yield _breaks_senders(place, f"not taken as {media} any more", {"content-type": media})
                continue
            shown = place if len(_by_name(was.get("content"))) == 1 else f"{place} {media}"
            yield from self.schemas(shown, _schema_of(held), _schema_of(content[media]), "senders")
            types, types_now = (_by_name(each).get("encoding") for each in (held, content[media]))
            if types != types_now:
                words = f"parts are written as {_json(types_now)}, was {_json(types)}"
                yield Told(shown, words, "send", doubtful=("narrowing",))

    def answers(self, at: str, operation: Said, now: Said) -> Iterator[Told]:
        was, is_now = _by_name(operation.get("responses")), _by_name(now.get("responses"))
        for status, held in was.items():
            if status not in is_now:
                yield Told(f"{at} answer {status}", "gone", "release")
                continue
            yield from self.answer(f"{at} answer {status}", self.old.resolved(held), self.new.resolved(is_now[status]))
        for status in is_now:
            if status in was:
                continue
            place, foreseen = f"{at} answer {status}", "default" in was or f"{status[0]}XX" in was
            if foreseen or status == "304":  # which comes to those alone who ask for it
                yield Told(place, "new, and foreseen" if foreseen else "new, for those who ask for it", "release")
            else:
                yield _breaks_readers(place, "new", {"status": status})

    def answer(self, at: str, was: Said, now: Said) -> Iterator[Told]:
        content, content_now = _by_name(was.get("content")), _by_name(now.get("content"))
        for media, held in content.items():
            if media not in content_now:
                yield _breaks_readers(at, f"not answered as {media} any more", {"accept": media})
                continue
            shown = at if len(content) == 1 else f"{at} {media}"
            pair = _schema_of(held), _schema_of(content_now[media])
            yield from self.schemas(shown, *pair, "readers")
            item, item_now = (_by_name(each).get("x-item-schema") for each in pair)
            if item is not None and item_now is not None:
                yield from self.schemas(f"{shown} items", item, item_now, "readers")
        if not content and content_now:
            yield Told(at, "has content now", "release")
        headers = {name.lower(): self.old.resolved(held) for name, held in _by_name(was.get("headers")).items()}
        headers_now = {name.lower(): self.new.resolved(held) for name, held in _by_name(now.get("headers")).items()}
        for name, header in headers.items():
            place = f"{at} header {name}"
            if name not in headers_now:
                if header.get("required") is True:
                    yield _breaks_readers(place, "gone", {"without": name})
                else:
                    yield Told(place, "gone, and could be absent before", "release")
                continue
            if header.get("required") is True and headers_now[name].get("required") is not True:
                yield _breaks_readers(place, "not always there any more", {"without": name})
            yield from self.schemas(place, self._of(header), self._of(headers_now[name]), "readers")

    def schemas(self, at: str, was: Any, now: Any, whom: Literal["senders", "readers"]) -> Iterator[Told]:
        """What changed between two schemas, for those who send such data, or read it."""
        before, after = self.old.schema(was), self.new.schema(now)
        if before == after and self.old.dialect == self.new.dialect:
            return
        for each, side in ((before, self.old), (after, self.new)):
            if not isinstance(each, Mapping | bool):
                raise DeclarationError(f"{side.name}: what stands at {at} is no schema", remedy="mend the description")
        key = (f"{_json(before)}{self.old.dialect}", f"{_json(after)}{self.new.dialect}")
        if key not in self._known:
            sides = (self._version(before, self.old, at), self._version(after, self.new, at))
            self._known[key] = compared(*sides, seed=self.seed)
        found = self._known[key]
        for change in found.changes:
            if change.of == ("send" if whom == "senders" else "release"):
                pointer = f"{at} {change.pointer}".rstrip()
                yield Told(pointer, change.words, change.of, change.refused, change.accepted, change.doubtful)
        self.reasons[whom] += [f"{at}: {why}" for why in found.reasons.get(whom, [])]

    def _version(self, document: Any, side: _Side, at: str) -> GateVersion:
        try:
            gate = DocumentGate(document, formats="assert", dialect=side.dialect)
        except DeclarationError as error:
            raise DeclarationError(
                f"{side.name}: the schema at {at} cannot be used: {error}", remedy="mend the description"
            ) from None
        return GateVersion(gate, side.name)


def _breaks_senders(at: str, words: str, instance: Any) -> Told:
    return Told(at, words, "send", refused=Witness(instance, []))


def _breaks_readers(at: str, words: str, instance: Any) -> Told:
    return Told(at, words, "release", accepted=Witness(instance, []))


def _style(parameter: Said) -> str:
    """How a parameter is written (OpenAPI 3.1, section 4.8.12)."""
    style = parameter.get("style", _USUAL_STYLE.get(str(parameter.get("in")), "simple"))
    return f"{style}{', a name for each' if parameter.get('explode', style == 'form') else ''}"


def _who(name: str, scopes: tuple[str, ...]) -> str:
    return f"{name} ({', '.join(scopes)})" if scopes else name


def _json(held: Any) -> str:
    return json.dumps(held, sort_keys=True, ensure_ascii=False, default=str)


def _schema_of(held: Any) -> Any:
    """The schema of a parameter, a header or a media type; one that admits anything where it says none."""
    return _by_name(held).get("schema", {})


def _by_name(held: Any) -> Mapping[str, Any]:
    return held if isinstance(held, Mapping) else {}


def _listed(held: Any) -> list[Any]:
    return held if isinstance(held, list) else []
