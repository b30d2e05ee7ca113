"""APIs made up at random, and requests that are made of nothing but their descriptions."""

from __future__ import annotations

import json
import warnings
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import field, make_dataclass
from itertools import islice
from random import Random
from typing import Annotated, Any, Literal, NamedTuple
from urllib.parse import quote, urlencode

import cbor2

from any_declaration import Maker
from dutiful_gate import DeclarationError, Gate, it, obeys, split_on, tagged_by, this
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.sampling import payloads, probes
from dutiful_gate.shape.walk import uses_of
from dutiful_gate.web import (
    BY_CONTENT,
    PUBLIC,
    Answering,
    Api,
    ApiKey,
    Basic,
    Bearer,
    Endpoint,
    UploadedFile,
    of_type,
)

FORM, MULTIPART = "application/x-www-form-urlencoded", "multipart/form-data"


class AnyApi(Maker):
    """Makes APIs of a few endpoints, with everything that a description can say."""

    def kind(self) -> Any:
        """A type of one text that is read as it came: a document tells of final forms alone."""
        kind = self.any_kind()
        while any(use.has_steps for use in uses_of(Gate(kind).shape)):
            kind = self.any_kind()
        return kind

    def any_kind(self) -> Any:
        makes = [self.text, self.choice_of_text, self.formatted, self.whole, self.number, self.decimal, self.truth,
                 self.moment, self.local, self.day]  # fmt: skip
        return self.random.choice(makes)()

    def fields(self, most: int, *, several: bool = True, optional: bool = True) -> list[Any]:
        made: list[Any] = []
        for number in range(self.random.randint(1, most)):
            kind, roll = self.kind(), self.random.random()
            if several and roll < 0.15:
                made.append([f"field_{number}", list[kind], field(default_factory=list)])
            elif optional and roll < 0.35:
                made.append([f"field_{number}", kind | None, None])
            else:
                made.append([f"field_{number}", kind])
        return sorted(made, key=len)

    def record(self, most: int = 3, **words: bool) -> Any:
        return make_dataclass(self.name("Row"), self.fields(most, **words))

    def query(self) -> Any:
        fields = self.fields(3)
        if self.random.random() < 0.3:
            fields.insert(0, ["inner", self.record(2, several=False)])
        if self.random.random() < 0.3:
            separator = self.random.choice([",", " ", "|"])
            fields.insert(0, ["parts", Annotated[list[int], split_on(separator)]])
        if self.random.random() < 0.2:
            fields.insert(0, ["by_name", dict[str, int]])
        if self.random.random() < 0.2:
            fields.append(["maybe", self.record(2, several=False) | None, None])
        return make_dataclass(self.name("Query"), sorted(fields, key=len))

    def form(self) -> Any:
        fields = self.fields(3)
        if self.random.random() < 0.5:
            fields.insert(0, ["one", self.record(2)])
        if self.random.random() < 0.4:
            fields.append(["maybe", self.record(2) | None, None])
        if self.random.random() < 0.4:
            fields.insert(0, ["rows", list[self.record(2)]])  # type: ignore[misc]
        if self.random.random() < 0.4:
            fields.insert(0, ["union", self.union()])
        return make_dataclass(self.name("Form"), sorted(fields, key=len))

    def files(self) -> Any:
        fields: list[Any] = [["paper", Annotated[UploadedFile, of_type("application/pdf", "text/*"), it.length <= 400]]]
        if self.random.random() < 0.5:
            more = list[Annotated[UploadedFile, it.length <= 9]]
            fields.append(["more", Annotated[more, it.length <= 2], field(default_factory=list)])
        return make_dataclass(self.name("Files"), fields)

    def union(self) -> Any:
        """One of two records, told apart by a tag, for which one of them may have a default."""
        one = make_dataclass(self.name("One"), [("kind", Literal["one"]), *self.fields(2)])
        tag: Any = ("kind", Literal["other"]) if self.random.random() < 0.7 else ("kind", Literal["other"], "other")
        fields = sorted([[*tag], *self.fields(2)], key=len)
        return Annotated[one | make_dataclass(self.name("Other"), fields), tagged_by("kind")]

    def body(self, deep: int = 2) -> Any:
        """A JSON body: records, unions by a tag, lists, dicts, and what holds itself."""
        roll = self.random.random()
        if roll < 0.25:
            return self.union()
        if roll < 0.35:
            return list[self.record(2)]  # type: ignore[misc]
        if roll < 0.45:
            return dict[str, self.record(1)]  # type: ignore[misc]
        made: list[Any] = self.fields(3)
        if deep and self.random.random() < 0.5:
            made.insert(0, ["inside", self.body(deep - 1)])
        if self.random.random() < 0.2:
            name = self.name("Tree")
            tree = make_dataclass(name, [("size", int), ("under", f"list[{name}]", field(default_factory=list))])
            self.names[name] = tree
            made.insert(0, ["tree", tree])
        record = make_dataclass(self.name("Body"), sorted(made, key=len))
        if self.random.random() < 0.1:
            return obeys(this.field_0 == this.field_0)(record)
        return record

    def endpoint(self, number: int, schemes: list[Any]) -> Endpoint[Any, Any]:
        parts: list[tuple[str, Any]] = []
        method = self.random.choice(["GET", "POST", "PUT", "PATCH", "DELETE"])
        path = f"/{number}"
        if self.random.random() < 0.5:
            named = make_dataclass(self.name("Path"), self.fields(2, several=False, optional=False))
            parts.append(("path", named))
            path += "".join(f"/{{{name}}}" for name in named.__dataclass_fields__)
        for part, make, often in (
            ("query", self.query, 0.6),
            ("headers", self.record, 0.3),
            ("cookies", self.record, 0.3),
        ):
            if self.random.random() < often:
                parts.append((part, make()))
        words: dict[str, Any] = {}
        if method in ("POST", "PUT", "PATCH"):
            roll = self.random.random()
            if roll < 0.5:
                parts.append(("body", self.body()))
                if self.random.random() < 0.3:
                    words["takes"] = ["application/json", "application/cbor"]
            elif roll < 0.9:
                parts.append(("form", self.form()))
                if self.random.random() < 0.4:
                    parts.append(("files", self.files()))
        if schemes:
            words["security"] = self.random.choice(
                [*schemes, schemes[0] | schemes[-1], schemes[0] & schemes[-1], PUBLIC]
            )
        if self.random.random() < 0.3:
            words["version"] = BY_CONTENT if method == "GET" and self.random.random() < 0.5 else lambda sent: number
            words["must_match"] = method not in ("GET",) and self.random.random() < 0.5
        answer = self.body(1)
        answers = Answering(200, answer)
        request = make_dataclass(self.name("Request"), parts)
        return Endpoint(method, path, request, answers | Answering(204), names=dict(self.names), **words)


KEYS = {"q": "query-key", "h": "header-key", "c": "cookie-key"}


def any_api(seed: int) -> tuple[Api, AnyApi]:
    """An API; raises DeclarationError where what was made up cannot be."""
    maker = AnyApi(seed)
    schemes: list[Any] = []
    if maker.random.random() < 0.5:

        def known(key: str) -> str | None:
            return key if key in KEYS.values() else None

        every = [
            Bearer(lambda token: "ann" if token == "ann-token" else None),
            Basic(lambda name, password: name if password == "tide" else None),
            ApiKey(known, query="q", name="in_query"),
            ApiKey(known, header="h", name="in_header"),
            ApiKey(known, cookie="c", name="in_cookie"),
        ]
        schemes = maker.random.sample(every, 2)
    endpoints = [maker.endpoint(number, schemes) for number in range(maker.random.randint(1, 3))]
    served = []
    for endpoint in endpoints:
        gate: Any = endpoint.answers.gates[200]
        try:
            shown = [gate.admit(data) for data in payloads(gate, 2, seed)]
        except CannotSample as none:
            raise DeclarationError("no answer of it is found") from none
        random = Random(seed)
        served.append(endpoint.by(lambda sent, shown=shown, random=random: random.choice(shown)))
    origins = ["http://quay.example"]
    return Api("Any", "1", served, described_at="/described", origins=origins), maker


class Sent(NamedTuple):
    """A request, and whether its description promises that it is taken, or forbids it: `broken` says where."""

    method: str
    url: str
    words: dict[str, Any]
    path: str
    broken: str = ""


class CannotBeText(Exception):
    """What no client can write there."""


class Described:
    """What a description says, for requests to be made of it. Nothing of the declarations is looked at."""

    def __init__(self, described: Any, seed: int) -> None:
        self.described = described
        self.seed = seed
        self._known: dict[str, tuple[list[Any], list[Any]]] = {}
        self._gates: dict[str, Any] = {}

    def gate(self, schema: Any) -> Any:
        """The judge of a schema of the description."""
        key = json.dumps(schema, sort_keys=True)
        if key not in self._gates:
            whole = {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}
            whole["components"] = self.described["components"]
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                self._gates[key] = Gate.from_schema(whole, formats="assert")
        return self._gates[key]

    def values(self, schema: Any) -> tuple[list[Any], list[Any]]:
        """Values that a schema takes, and some that it does not."""
        key = json.dumps(schema, sort_keys=True)
        if key not in self._known:
            gate = self.gate(schema)
            sound = list(payloads(gate, 4, self.seed))
            broken = [data for data, _ in islice(probes(gate, self.seed), 6)]
            self._known[key] = sound, [each for each in broken if not gate.accepts(each)]
        return self._known[key]

    def requests(self, random: Random, most: int) -> Iterator[Sent]:
        for path, item in self.described["paths"].items():
            for method, operation in item.items():
                for number in range(most):
                    try:
                        yield self.request(random, path, method, operation, breaks=number % 2 == 1)
                    except (CannotBeText, CannotSample):
                        continue

    def request(self, random: Random, path: str, method: str, operation: Any, *, breaks: bool) -> Sent:
        """One request, broken in one place where it `breaks`."""
        parameters = operation.get("parameters", [])
        places = [each["in"] + " " + each["name"] for each in parameters] + (
            ["body"] if "requestBody" in operation else []
        )
        if operation.get("security"):
            places.append("security")
        at = random.choice(places) if breaks and places else ""
        together = at.startswith("query maybe[") or random.random() < 0.5
        url, query, headers, cookies = path, [], [], []  # type: ignore[var-annotated]
        for each in parameters:
            here = f"{each['in']} {each['name']}" == at
            if here and each["name"] in ("if-match", "if-none-match"):
                raise CannotBeText
            if here and each.get("required") and each["in"] != "path" and random.random() < 0.3:
                continue
            # That some come with others is said in words alone: of such all are left out, or all sent.
            goes = together if each["name"].startswith("maybe[") else random.random() < 0.6
            if not here and not each.get("required") and not goes:
                continue
            if each["name"] in ("if-match", "if-none-match"):
                if each.get("required"):
                    headers.append((each["name"], "*"))
                continue
            pairs = self.written(random, each, breaks=here)
            match each["in"]:
                case "path":
                    url = url.replace("{" + each["name"] + "}", quote(pairs[0][1], safe=""))
                    if pairs[0][1] in ("", ".", ".."):
                        raise CannotBeText
                case "query":
                    query += pairs
                case "header":
                    headers += pairs
                case _:
                    cookies += pairs
        if "428" in operation["responses"] and not any(name == "if-match" for name, _ in headers):
            headers.append(("if-match", "*"))
        self.secured(operation, query, headers, cookies, breaks=at == "security")
        words = self.body(random, operation["requestBody"], breaks=at == "body") if "requestBody" in operation else {}
        if cookies:
            headers.append(("cookie", "; ".join(f"{name}={text}" for name, text in cookies)))
        words["headers"] = [*headers, *words.get("headers", [])]
        if "content" not in words and "files" not in words:
            words["headers"].append(("content-type", "none"))
        return Sent(method.upper(), url + (f"?{urlencode(query)}" if query else ""), words, path, at)

    def secured(self, operation: Any, query: Any, headers: Any, cookies: Any, *, breaks: bool) -> None:
        """Say who asks, as the first alternative wants it; or nothing of it."""
        wanted = operation.get("security", [])
        if not wanted or breaks:
            return
        for name in wanted[0]:
            match self.described["components"]["securitySchemes"][name]:
                case {"type": "http", "scheme": "bearer"}:
                    headers.append(("authorization", "Bearer ann-token"))
                case {"type": "http"}:
                    headers.append(("authorization", "Basic YW5uOnRpZGU="))
                case {"in": place, "name": key}:
                    {"query": query, "header": headers, "cookie": cookies}[place].append((key, KEYS[key]))

    def value(self, random: Random, schema: Any, *, breaks: bool) -> Any:
        sound, broken = self.values(schema)
        if breaks and not broken:
            raise CannotBeText
        return random.choice(broken if breaks else sound)

    def written(self, random: Random, parameter: Any, *, breaks: bool) -> list[tuple[str, str]]:
        """A parameter as its style writes it (OpenAPI 3.1, section 4.8.12)."""
        name, place, schema = parameter["name"], parameter["in"], parameter["schema"]
        value = self.value(random, schema, breaks=breaks)
        usual = {"query": "form", "cookie": "form"}.get(place, "simple")
        style, explode = parameter.get("style", usual), parameter.get("explode", usual == "form")
        match value:
            case list() if explode and style == "form":
                if not value and (breaks or parameter.get("required")):
                    raise CannotBeText
                pairs = [(name, text_of(each, place)) for each in value]
            case list():
                separator = {"form": ",", "simple": ",", "spaceDelimited": " ", "pipeDelimited": "|"}[style]
                texts = [text_of(each, place) for each in value]
                if not texts or any(separator in text or "," in text or not text.strip() for text in texts):
                    raise CannotBeText
                pairs = [(name, separator.join(texts))]
            case dict() if style == "deepObject":
                if not value or any(set(key) & set("[].") or not key for key in value):
                    raise CannotBeText
                pairs = [(f"{name}[{key}]", text_of(each, place)) for key, each in value.items()]
            case dict():
                raise CannotBeText
            case _:
                pairs = [(name, text_of(value, place))]
                if place == "header" and "," in pairs[0][1]:
                    raise CannotBeText
        if breaks and any(self.gate(schema).accepts(each) for each in readings(pairs, schema)):
            raise CannotBeText
        if breaks and not parameter.get("required") and not any(text.strip() for _, text in pairs):
            raise CannotBeText  # blank text is none
        if place == "header" and any(len(text) > 2000 for _, text in pairs):
            raise CannotBeText
        return pairs

    def body(self, random: Random, said: Any, *, breaks: bool) -> dict[str, Any]:
        media = random.choice(list(said["content"]))
        held = said["content"][media]
        if media not in (FORM, MULTIPART):
            value = self.value(random, held["schema"], breaks=breaks)
            if media == "application/cbor":
                return {"content": cbor2.dumps(value), "headers": [("content-type", media)]}
            return {"content": json.dumps(value).encode(), "headers": [("content-type", media)]}
        pairs, files = self.form(random, held, breaks=breaks)
        if media == FORM:
            return {"content": urlencode(pairs).encode(), "headers": [("content-type", FORM)]}
        return {"files": [*((name, (None, text.encode())) for name, text in pairs), *files]}

    def form(self, random: Random, held: Any, *, breaks: bool) -> tuple[list[tuple[str, str]], list[Any]]:
        """The names and values of a form, and its files."""
        schema = held["schema"]
        required, depends = schema.get("required", []), schema.get("dependentRequired", {})
        told = dict(schema.get("properties", {}))
        if options := schema.get("anyOf"):
            option = random.choice(options)
            told = {
                name: each for name, each in told.items() if not any(name in other["properties"] for other in options)
            }
            told |= option["properties"]
            required = [*(name for name in required if name in told), *option["required"]]
        for pattern, each in schema.get("patternProperties", {}).items():
            for row in range(random.randint(0, 1)):
                told[pattern[1:-1].replace("[0-9]{1,9}", str(row)).replace("\\", "")] = each
        rows = {name.partition("[")[0] for name in told if name not in schema.get("properties", {})}
        # Which of a row's names are needed only words say: all of them are there, or none.
        if any(name.partition("[")[0] in rows for name in told) and random.random() < 0.5:
            told = {name: each for name, each in told.items() if name.partition("[")[0] not in rows}
        else:
            for pattern, each in schema.get("patternProperties", {}).items():
                if pattern[1:].partition("\\")[0] in rows:
                    told[pattern[1:-1].replace("[0-9]{1,9}", "0").replace("\\", "")] = each
        broken = random.choice(sorted(told)) if breaks and told else ""
        chosen = [
            name
            for name in told
            if name in required or name == broken or name.partition("[")[0] in rows or random.random() < 0.6
        ]
        while more := {other for name in chosen for other in depends.get(name, [])} - set(chosen):
            chosen += sorted(more)
        if broken in required and random.random() < 0.3:
            chosen.remove(broken)
            broken = "-"
        pairs: list[tuple[str, str]] = []
        files: list[Any] = []
        for name in chosen:
            each = told[name]
            kind = each.get("items", each)
            if "contentMediaType" in kind:
                most = kind.get("maxLength", 50)
                types = held.get("encoding", {}).get(name, {}).get("contentType", "text/plain").split(", ")
                count = 1 if "items" not in each else random.randint(0, each.get("maxItems", 2))
                fault = random.choice(["size", "count"]) if name == broken else ""
                if fault == "count":
                    if "items" not in each:
                        fault = "size"
                    else:
                        count = each["maxItems"] + 1
                size = most + 1 if fault == "size" and count else random.randint(1, most)
                if fault == "size" and not count:
                    count = 1
                    size = most + 1
                files += [(name, (f"{n}.txt", b"a" * size, types[0].replace("*", "plain"))) for n in range(count)]
                if types[0] == "application/pdf":
                    files = [(n, (f[0], b"%PDF-" + f[1][5:] if len(f[1]) > 5 else f[1], f[2])) for n, f in files]
                continue
            value = self.value(random, each, breaks=name == broken)
            texts = value if isinstance(value, list) else [value]
            made = [(name, text_of(one, "form")) for one in texts]
            if name == broken and (not made or any(self.gate(each).accepts(one) for one in readings(made, each))):
                raise CannotBeText
            if name == broken and not any(text.strip() for _, text in made):
                raise CannotBeText  # blank text is none
            if not made and name in required:
                raise CannotBeText
            pairs += made
        if breaks and not broken:
            raise CannotBeText
        return pairs, files


def text_of(value: Any, place: str) -> str:
    """One value as text. Raises CannotBeText."""
    if isinstance(value, list | dict):
        raise CannotBeText
    text = value if isinstance(value, str) else "" if value is None else json.dumps(value)
    if (
        not text.isprintable()
        or (value is not None and not text.strip())
        or any("\ud800" <= each <= "\udfff" for each in text)
    ):
        raise CannotBeText
    narrow = place in ("header", "cookie")
    if narrow and (not text.isascii() or text.strip() != text or not text):
        raise CannotBeText
    if place == "cookie" and set(text) & set('",;\\ '):
        raise CannotBeText
    if place == "header" and set(text) & set('"\\'):
        raise CannotBeText
    return text


def readings(pairs: list[tuple[str, str]], schema: Any) -> Iterator[Any]:
    """What text may stand for: a client and the service agree on the type, which the schema tells."""
    singles: list[list[Any]] = []
    for _, text in pairs:
        made: list[Any] = [text, text.strip()]
        try:
            held = json.loads(text, parse_constant=lambda word: word)
            if not isinstance(held, list | dict):
                made.append(held)
        except ValueError:
            pass
        with suppress(ValueError):
            made += [int(text), float(text)]
        if not text.strip():
            made.append(None)
        if text.strip().lower() in ("true", "false"):
            made.append(text.strip().lower() == "true")
        singles.append(made)
    if len(singles) == 1:
        if not pairs[0][1].strip():
            yield []  # of a list whose items stand in one text, none
        yield from singles[0]
        yield from ([each] for each in singles[0])
    for at in range(4):
        yield [each[min(at, len(each) - 1)] for each in singles]
