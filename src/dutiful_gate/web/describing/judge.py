"""A judge of descriptions, whoever wrote them: what a client or a generator of clients would trip over."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from typing import Any, Final

from ...declare.json_pointer import escaped, unescaped
from ...document.document import Flaw
from ...document.writing.naming import with_leads

METHODS: Final = ("get", "put", "post", "delete", "options", "head", "patch", "trace")
_SCHEMAS: Final = "#/components/schemas/"
_NAMES: Final = re.compile(r"\{([^{}]*)\}")
_COMPONENT: Final = re.compile(r"[A-Za-z0-9._-]+")
_SUFFIX: Final = re.compile(r"(Answered)?(_[0-9]+)?$")
_NO_PARAMETERS: Final = frozenset(["accept", "content-type", "authorization"])


def flaws(described: Mapping[str, Any]) -> tuple[Flaw, ...]:
    """What is wrong with a description of an API in OpenAPI 3.0 or 3.1, each with its place; empty for nothing.

        for flaw in flaws(description(api)):
            print(flaw)

    References must resolve, what a discriminator leads to must stand among the options beside it, one shape must have
    one name, no two operations or parameters may share theirs, the names in a path must be its parameters, security
    must name schemes, and links must lead to operations. It is no check of the form of the data: the schemas of the
    OpenAPI Initiative are.
    """
    try:
        return tuple(_Judge(described).all())
    except RecursionError:
        return (Flaw("#/components/schemas", "nests deeper than can be read"),)


class _Judge:
    def __init__(self, described: Mapping[str, Any]) -> None:
        self.described = described
        self.components = _by_name(described.get("components"))
        self.schemas = _by_name(self.components.get("schemas"))

    def all(self) -> Iterator[Flaw]:
        yield from self.leads(self.described, "#")
        yield from self.names()
        yield from self.operations()

    def leads(self, held: Any, at: str) -> Iterator[Flaw]:
        """References and discriminators, wherever they stand."""
        waiting = [(held, at, False)]
        while waiting:
            each, here, is_data = waiting.pop()
            if isinstance(each, list):
                waiting += [(inner, f"{here}/{number}", is_data) for number, inner in enumerate(each)]
            if not isinstance(each, Mapping) or is_data:
                continue
            lead = each.get("$ref")
            if isinstance(lead, str) and lead.startswith("#") and self.found(lead) is None:
                yield Flaw(f"{here}/$ref", f"leads to {lead}, where nothing is")
            if isinstance(said := each.get("discriminator"), Mapping) and ("anyOf" in each or "oneOf" in each):
                yield from self.discriminator(each, said, here)
            by_name = here.rpartition("/")[2] in ("properties", "patternProperties", "schemas")
            for word, inner in each.items():
                data = not by_name and word in ("example", "examples", "default", "const", "enum")
                waiting.append((inner, f"{here}/{escaped(str(word))}", data))

    def discriminator(self, schema: Mapping[str, Any], said: Mapping[str, Any], at: str) -> Iterator[Flaw]:
        options = [_by_name(each).get("$ref") for word in ("anyOf", "oneOf") for each in _listed(schema.get(word))]
        for tag, lead in _by_name(said.get("mapping")).items():
            full = lead if "/" in str(lead) or "#" in str(lead) else f"{_SCHEMAS}{lead}"
            if full not in options:
                at_tag = f"{at}/discriminator/mapping/{escaped(str(tag))}"
                yield Flaw(at_tag, f"leads to {lead}, which is none of the options")
        name = str(said.get("propertyName"))
        for lead in options:
            option = self.found(lead) if isinstance(lead, str) else None
            properties = _by_name(option).get("properties")
            if isinstance(properties, Mapping) and name not in properties:
                yield Flaw(f"{at}/discriminator/propertyName", f"{lead} has no {name!r}")

    def names(self) -> Iterator[Flaw]:
        """Names of components: those that OpenAPI takes, and one for one shape."""
        for kind, held in self.components.items():
            for name in _by_name(held):
                if not str(kind).startswith("x-") and _COMPONENT.fullmatch(str(name)) is None:
                    yield Flaw(f"#/components/{kind}/{escaped(str(name))}", "is no name that OpenAPI takes")
        stems = {name: _SUFFIX.sub("", name) for name in self.schemas}
        sorts = self._sorts(stems)
        first: dict[Any, str] = {}
        for name, sort in sorts.items():
            other = first.setdefault((stems[name], sort), name)
            if other != name:
                yield Flaw(f"{_SCHEMAS}{escaped(name)}", f"says what {other} says")

    def _sorts(self, stems: Mapping[str, str]) -> dict[str, int]:
        """A number for each schema: one for those that say the same, whatever the names that they lead to are."""
        leads: dict[str, list[str]] = {}
        told: dict[str, Any] = {}
        for name, schema in self.schemas.items():
            found: list[str] = leads.setdefault(name, [])

            def note(lead: Any, found: list[str] = found) -> str:
                key = unescaped(str(lead).removeprefix(_SCHEMAS))
                found.append(key)
                return stems.get(key, str(lead))

            told[name] = repr(with_leads(schema, note))
        sorts = _numbered(told)
        count = 0
        while count < (count := len(set(sorts.values()))):
            sorts = _numbered({name: (sorts[name], *(sorts.get(lead) for lead in leads[name])) for name in sorts})
        return sorts

    def operations(self) -> Iterator[Flaw]:
        """Operations: their names, their parameters, who may, what leads on."""
        paths = _by_name(self.described.get("paths"))
        ids: Counter[str] = Counter()
        links: list[tuple[str, str]] = []
        forms: dict[str, str] = {}
        schemes = _by_name(self.components.get("securitySchemes"))
        yield from self.security(self.described.get("security"), "#/security", schemes)
        for path, held in paths.items():
            item = self.resolved(held)
            form = _NAMES.sub("{}", path)
            if forms.setdefault(form, path) != path:
                yield Flaw(f"#/paths/{escaped(path)}", f"is the path {forms[form]} but for names")
            for method in METHODS:
                operation = item.get(method)
                if not isinstance(operation, Mapping):
                    continue
                at = f"#/paths/{escaped(path)}/{method}"
                if isinstance(name := operation.get("operationId"), str):
                    ids[name] += 1
                    if ids[name] == 2:
                        yield Flaw(f"{at}/operationId", f"another operation is called {name!r}")
                parameters = [*_listed(item.get("parameters")), *_listed(operation.get("parameters"))]
                yield from self.parameters(parameters, path, at)
                yield from self.security(operation.get("security"), f"{at}/security", schemes)
                if not operation.get("responses"):
                    yield Flaw(at, "has no answer")
                for status, response in _by_name(operation.get("responses")).items():
                    for link, said in _by_name(self.resolved(response).get("links")).items():
                        lead = self.resolved(said).get("operationId")
                        if lead is not None:
                            links.append((f"{at}/responses/{status}/links/{escaped(link)}", lead))
        for at, lead in links:
            if str(lead) not in ids:
                yield Flaw(f"{at}/operationId", f"no operation is called {lead!r}")

    def parameters(self, given: list[Any], path: str, at: str) -> Iterator[Flaw]:
        seen: Counter[tuple[str, str]] = Counter()
        for each in map(self.resolved, given):
            name, place = str(each.get("name", "")), str(each.get("in", ""))
            key = (name.lower() if place == "header" else name, place)
            seen[key] += 1
            if seen[key] == 2:
                yield Flaw(f"{at}/parameters", f"two parameters of the {place} are called {name!r}")
            if place == "path" and each.get("required") is not True:
                yield Flaw(f"{at}/parameters", f"{name!r} stands in the path, and is not required")
            if place == "header" and name.lower() in _NO_PARAMETERS:
                yield Flaw(f"{at}/parameters", f"{name!r} is passed over as a parameter")
        wanted, there = set(_NAMES.findall(path)), {name for name, place in seen if place == "path"}
        for name in sorted(wanted ^ there):
            words = "stands in the path and is no parameter" if name in wanted else "is no name in the path"
            yield Flaw(f"{at}/parameters", f"{name!r} {words}")

    def security(self, wanted: Any, at: str, schemes: Mapping[str, Any]) -> Iterator[Flaw]:
        for number, each in enumerate(_listed(wanted)):
            for name in _by_name(each):
                if name not in schemes:
                    yield Flaw(f"{at}/{number}", f"no scheme is called {name!r}")

    def resolved(self, held: Any) -> Mapping[str, Any]:
        """An object, or what it refers to."""
        for _ in range(20):
            if not isinstance(held, Mapping) or not isinstance(held.get("$ref"), str):
                break
            held = self.found(held["$ref"])
        return held if isinstance(held, Mapping) else {}

    def found(self, lead: str) -> Any:
        """What a reference leads to in the description; None for nothing, and for one that leads elsewhere."""
        at: Any = self.described
        for step in lead.removeprefix("#").split("/")[1:]:
            name = unescaped(step)
            if isinstance(at, Mapping) and name in at:
                at = at[name]
            elif isinstance(at, list) and name.isdecimal() and int(name) < len(at):
                at = at[int(name)]
            else:
                return None
        return at


def _by_name(held: Any) -> Mapping[str, Any]:
    """What stands there by name; nothing where it is of another form, which the Initiative's schemas tell."""
    return held if isinstance(held, Mapping) else {}


def _listed(held: Any) -> list[Any]:
    return held if isinstance(held, list) else []


def _numbered(told: Mapping[str, Any]) -> dict[str, int]:
    numbers: dict[Any, int] = {}
    return {name: numbers.setdefault(each, len(numbers)) for name, each in told.items()}
