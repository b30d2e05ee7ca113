"""The shape that a JSON Schema document describes, as a tree."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any, Final

from ..declare.errors import DeclarationError
from ..declare.formats.table import JUDGES
from ..document.judging.causes import PHRASES
from ..document.judging.engine import DocumentEngine
from ..document.judging.library import Subschema
from ..gates.document import DocumentGate
from ..report.shown_values import shown
from .branch import Branch

_MOST_DEEP, _MOST_BRANCHES, _MOST_CHOICES = 40, 20_000, 8
_RULES: Final = (
    "minLength", "maxLength", "pattern", "format", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum",
    "multipleOf", "minItems", "maxItems", "uniqueItems", "minProperties", "maxProperties", "contentEncoding",
    "contentMediaType", "not", "contains",
)  # fmt: skip
_NO_SAMPLE: Final = object()


def shape_tree(gate: DocumentGate, name: str, sample: Any = _NO_SAMPLE) -> Branch:
    """The tree of what a document asks for; `sample` is data that it accepts, to show a value at each field."""
    engine = gate._engine
    assert isinstance(engine, DocumentEngine)
    return _Outliner(engine).branch(name, [engine.root], sample, needed=False, through=frozenset(), deep=0)


class _Outliner:
    def __init__(self, engine: DocumentEngine) -> None:
        self.engine = engine
        self.left = _MOST_BRANCHES

    def branch(
        self, name: str, nodes: list[Subschema], sample: Any, *, needed: bool, through: frozenset[Subschema], deep: int
    ) -> Branch:
        """The branch of a value that several schemas speak of."""
        self.left -= 1
        said = [*self.said(nodes)]
        words = [node.raw for node in said if isinstance(node.raw, dict)]
        text = next((str(each["description"]) for each in words if "description" in each), "")
        kind, options = self.kind(said)
        rules = tuple(dict.fromkeys(rule for node in said for rule in self.rules(node)))
        if any(rule.startswith(kind) for rule in rules):
            kind = ""  # a rule says it as well
        example = "" if sample is _NO_SAMPLE or isinstance(sample, dict | list) else shown(sample)
        if any(each.get("writeOnly") is True for each in words):
            kind, example = f"{kind}, secret", ""
        again = through & {*said}
        if again or deep > _MOST_DEEP or self.left <= 0:
            kind = f"{kind}, as above" if again else f"{kind} …"
            return Branch(name, kind, rules, needed, example, text.split("\n")[0])
        inside = through | {node for node in said if isinstance(node.raw, dict) and "properties" in node.raw}
        children = [*self.children(said, sample, inside, deep), *self.options(options, inside, deep)]
        return Branch(name, kind, rules, needed, example, text.split("\n")[0], children=tuple(children))

    def said(self, nodes: list[Subschema]) -> Iterator[Subschema]:
        """Every schema that speaks of the same value: those given, what they refer to, and the parts of `allOf`."""
        seen: set[Subschema] = set()
        waiting = [*nodes]
        while waiting:
            node = waiting.pop(0)
            if node in seen:
                continue
            seen.add(node)
            yield node
            if isinstance(node.raw, dict):
                if isinstance(node.raw.get("$ref"), str):
                    try:
                        waiting.append(self.engine.target(node, node.raw["$ref"]))
                    except DeclarationError:  # a flaw of the document: the gate tells of it
                        continue
                waiting += [node.subschema("allOf", number) for number in range(len(node.raw.get("allOf", ())))]

    def kind(self, said: list[Subschema]) -> tuple[str, list[Subschema]]:
        """What kind of value it is, in words, and the alternatives that are worth branches."""
        kinds: list[str] = []
        options: list[Subschema] = []
        null = False
        for node in said:
            raw = node.raw
            if raw is False:
                return "nothing", []
            if not isinstance(raw, dict):
                continue
            told = raw.get("type", [])
            types = [told] if isinstance(told, str) else list(told)
            null = null or "null" in types
            if "enum" in raw or "const" in raw:
                values = raw.get("enum", [raw.get("const")])
                null = null or None in values
                choices = [shown(each) for each in values if each is not None]
                more = f" and {len(choices) - _MOST_CHOICES} more" if len(choices) > _MOST_CHOICES else ""
                kinds = [f"{'one of ' if len(choices) > 1 else ''}{', '.join(choices[:_MOST_CHOICES])}{more}"]
            elif not kinds:
                kinds = [_kind_of(kind, raw) for kind in types if kind != "null"]
            for word in ("anyOf", "oneOf"):
                inner = [node.subschema(word, number) for number in range(len(raw.get(word, ())))]
                null = null or any(_is_null(each) for each in inner)
                options += [each for each in inner if not _is_null(each)]
        if len(options) == 1 and not kinds:
            return self.only(options[0], null=null)
        if options and not kinds:
            kinds = [f"one of {len(options)} kinds"]
        return f"{' or '.join(kinds) or 'any value'}{', or null' if null else ''}", options

    def only(self, option: Subschema, *, null: bool) -> tuple[str, list[Subschema]]:
        """What there is when null is the only other thing that may be."""
        kind, options = self.kind([*self.said([option])])
        return f"{kind}{', or null' if null and 'or null' not in kind else ''}", [option, *options][:1]

    def rules(self, node: Subschema) -> Iterator[str]:
        """What the keywords of a schema ask, in words."""
        if isinstance(node.raw, dict):
            for word in _RULES:
                if word not in node.raw or (isinstance(node.raw[word], bool) and word != "uniqueItems"):
                    continue
                if word == "format" and node.raw[word] not in JUDGES:
                    yield f"of the format {node.raw[word]}"
                elif node.raw[word] is not False:
                    yield self.engine.wanted(node, word)

    def children(
        self, said: list[Subschema], sample: Any, through: frozenset[Subschema], deep: int
    ) -> Iterator[Branch]:
        """What is inside: fields, items, values by key."""
        raws = [node for node in said if isinstance(node.raw, dict)]
        needed = {name for node in raws for name in node.raw.get("required", ())}
        fields: dict[str, list[Subschema]] = {}
        for node in raws:
            for name in node.raw.get("properties", {}):
                fields.setdefault(name, []).append(node.subschema("properties", name))
        for name in needed:
            fields.setdefault(name, [])
        for name, nodes in fields.items():
            held = sample.get(name, _NO_SAMPLE) if isinstance(sample, Mapping) else _NO_SAMPLE
            yield self.branch(name, nodes, held, needed=name in needed, through=through, deep=deep + 1)
        first = next(iter(sample), _NO_SAMPLE) if isinstance(sample, list) else _NO_SAMPLE
        for node in raws:
            for number in range(len(node.raw.get("prefixItems", ()))):
                inner = [node.subschema("prefixItems", number)]
                yield self.branch(f"item {number + 1}", inner, _NO_SAMPLE, needed=False, through=through, deep=deep + 1)
            for word, told in (("items", "each item"), ("additionalProperties", "each other key")):
                if isinstance(node.raw.get(word), dict):
                    inner, held = [node.subschema(word)], first if word == "items" else _NO_SAMPLE
                    yield self.branch(told, inner, held, needed=False, through=through, deep=deep + 1)
            for pattern in node.raw.get("patternProperties", {}):
                inner = [node.subschema("patternProperties", pattern)]
                name = f"each key that has {pattern}"
                yield self.branch(name, inner, _NO_SAMPLE, needed=False, through=through, deep=deep + 1)

    def options(self, options: list[Subschema], through: frozenset[Subschema], deep: int) -> Iterator[Branch]:
        """The alternatives of a union; of a single one, what is inside."""
        for option in options:
            made = self.branch("or" if len(options) > 1 else "", [option], _NO_SAMPLE, needed=False, through=through,
                               deep=deep + 1)  # fmt: skip
            if len(options) == 1:
                yield from made.children
            else:
                yield made


def _kind_of(kind: str, raw: Mapping[str, Any]) -> str:
    if kind == "object":
        named = "a record" if "properties" in raw or "required" in raw else "values by key"
        return named if "title" not in raw else f"{named} ({raw['title']})"
    return "a list" if kind == "array" else PHRASES[kind] if kind in PHRASES else json.dumps(kind)


def _is_null(node: Subschema) -> bool:
    raw = node.raw
    return isinstance(raw, dict) and (raw.get("type") == "null" or raw.get("const", 0) is None)
