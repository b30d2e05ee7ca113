"""Random documents of 2019-09 and 2020-12, with resources inside of resources, dynamic scopes and what is unevaluated."""

from __future__ import annotations

from contextlib import suppress
from random import Random
from typing import Any

from dutiful_gate import DeclarationError, Gate
from dutiful_gate.document.judging.findings import Finding, Found, Question
from dutiful_gate.document.judging.telling_writer import Unsettled

NAMES = ("a", "b", "$ref", "x-y")
TYPES = ("null", "boolean", "object", "array", "number", "string", "integer")
PATTERNS = ("a", "^b", "[0-9]$", "^.{2}$", "")
ANCHORS = ("here", "there")
SCALARS: tuple[Any, ...] = (None, True, False, 0, 1, 2, 1.0, 1.5, -1, 10**20, "", "a", "ab", "b1")
RESOURCES = ("tight", "loose", "deep/inner")


def any_value(random: Random, deep: int = 3) -> Any:
    """Plain data."""
    kind = random.random()
    if deep and kind < 0.3:
        return {name: any_value(random, deep - 1) for name in random.sample(NAMES, random.randint(0, 3))}
    if deep and kind < 0.55:
        return [any_value(random, deep - 1) for _ in range(random.randint(0, 3))]
    return random.choice(SCALARS)


class AnyDocument:
    """Writes one document; `content` is its root."""

    def __init__(self, random: Random) -> None:
        self.random = random
        self.modern = random.random() < 0.7
        self.dialect = "2020-12" if self.modern else "2019-09"
        self.budget = 25
        definitions = {f"d{number}": self.schema(2) for number in range(random.randint(1, 3))}
        for name in random.sample(RESOURCES, random.randint(0, 3)):
            definitions[name.replace("/", "_")] = self.resource(name)
        root = self.words(3)
        self.name(root)
        self.content: dict[str, Any] = {**root, "$defs": definitions, "$id": "https://quays.example/root"}

    def resource(self, name: str) -> dict[str, Any]:
        made = self.words(2)
        self.name(made)
        return {**made, "$id": name, "$defs": {"d0": self.schema(1), "d1": self.named(1)}}

    def named(self, deep: int) -> dict[str, Any]:
        made = self.words(deep)
        self.name(made)
        return made

    def name(self, made: dict[str, Any]) -> None:
        """An anchor of one kind or the other, or none."""
        kind = self.random.random()
        if self.modern and kind < 0.5:
            made["$dynamicAnchor"] = self.random.choice(ANCHORS)
        elif not self.modern and kind < 0.5:
            made["$recursiveAnchor"] = True
        elif kind < 0.7:
            made["$anchor"] = self.random.choice(ANCHORS)

    def reference(self) -> str:
        random = self.random
        where = random.choice(("", "", *RESOURCES))
        fragment = random.choice(
            ("", "#/$defs/d0", "#/$defs/d1", "#here", "#there", "#/items", "#/$defs/tight/$defs/d1")
        )
        return f"{where}{fragment}" or "#"

    def schema(self, deep: int) -> Any:
        random = self.random
        self.budget -= 1
        if not deep or self.budget < 0 or random.random() < 0.15:
            return random.choice((True, False, {}, {"type": random.choice(TYPES)}, {"const": random.choice(SCALARS)}))
        return self.named(deep) if random.random() < 0.2 else self.words(deep)

    def words(self, deep: int) -> dict[str, Any]:
        made: dict[str, Any] = {}
        for _ in range(self.random.randint(1, 3)):
            word, held = self.word(deep - 1)
            made[word] = held
        return made

    def several(self, deep: int) -> list[Any]:
        return [self.schema(deep) for _ in range(self.random.randint(1, 3))]

    def by_name(self, deep: int) -> dict[str, Any]:
        return {name: self.schema(deep) for name in self.random.sample(NAMES, self.random.randint(1, 3))}

    def word(self, deep: int) -> tuple[str, Any]:
        random = self.random
        kind = random.random()
        if kind < 0.2:
            dynamic = [("$dynamicRef", f"#{random.choice(ANCHORS)}")] if self.modern else [("$recursiveRef", "#")]
            return random.choice([("$ref", self.reference()), *dynamic, *dynamic])
        if kind < 0.35:
            return random.choice(("unevaluatedProperties", "unevaluatedItems")), self.schema(deep)
        if kind < 0.6:
            one = random.choice(
                ("not", "if", "then", "else", "contains", "items", "additionalProperties", "propertyNames")
            )
            return one, self.schema(deep)
        if kind < 0.75:
            lists = ("allOf", "anyOf", "oneOf", "prefixItems" if self.modern else "items")
            return random.choice(lists), self.several(deep)
        if kind < 0.87:
            maps = ("properties", "properties", "dependentSchemas", "patternProperties")
            word = random.choice(maps)
            if word == "patternProperties":
                return word, {pattern: self.schema(deep) for pattern in random.sample(PATTERNS, 2)}
            return word, self.by_name(deep)
        return random.choice(
            (
                ("type", random.sample(TYPES, 2)), ("type", random.choice(TYPES)), ("enum", random.sample(SCALARS, 3)),
                ("minimum", 1), ("maxLength", 1), ("pattern", random.choice(PATTERNS)), ("minItems", 2), ("uniqueItems", True),
                ("required", [random.choice(NAMES)]), ("maxProperties", 1), ("minContains", random.randint(0, 2)), ("maxContains", 1),
                ("multipleOf", 0.5), ("dependentRequired", {random.choice(NAMES): [random.choice(NAMES)]}),
                ("maximum", 1), ("exclusiveMinimum", 0), ("exclusiveMaximum", 1.5), ("minLength", 2), ("maxItems", 1),
                ("minProperties", 2), ("const", random.choice(SCALARS)), ("contentEncoding", "base64"), ("format", "date"),
                ("enum", ["a", "ab", {}]), ("format", "made up"),
            )
        )  # fmt: skip


def judged_in_all_ways(gate: Gate[Any], data: Any) -> set[bool]:
    """Whether data is sound: compiled, word for word, and word for word with every fault; and the faults, both ways."""
    engine: Any = gate._engine
    interpreter, root = engine._interpreter, engine.root
    quick, interpreter.quick = interpreter.quick, None
    found = Found(10_000)
    said = {gate.accepts(data), bool(gate.examine(data))}
    try:
        with engine._memory.kept(engine.recursive):
            said.add(interpreter.judged(root, Question(data)) is not None)
        with engine._memory.kept(engine.recursive):
            interpreter.judged(root, Question(data, found=found))
        said.add(not found)
        with suppress(Unsettled):
            compiled, shared = engine._told(data, Found(10_000)), engine.remembers
            if by_finding(compiled, shared) != by_finding(found, shared):
                raise AssertionError(f"{compiled=} by functions, {found=} word for word")
    except RecursionError:  # a dynamic reference went in a circle, which is seen when data is judged, and refuses it
        said.add(False)
    finally:
        interpreter.quick = quick
    return said


def by_finding(found: list[Finding], shared: bool) -> list[str]:
    """Findings as they can be compared, whatever order their keys were asked in.

    Where what is asked again is `shared`, it keeps the way on which it was first asked, and ways are not compared.
    """
    told = [
        (
            each.path, each.keyword.node.location(*each.keyword.steps), () if shared else each.route, each.keyword.says,
            each.got, each.of_key, repr(each.given), [by_finding(branch, shared) for branch in each.branches],
        )
        for each in found
    ]  # fmt: skip
    return sorted(set(map(repr, told)) if shared else map(repr, told))


def disagreement(seed: int) -> tuple[bool, str]:
    """Whether there was a document of that seed, and where the ways of judging by it differ, "" where they agree."""
    random = Random(seed)
    made = AnyDocument(random)
    try:
        formats: Any = random.choice((None, "assert", "annotate"))
        gate = Gate.from_schema(made.content, dialect=made.dialect, formats=formats)
    except DeclarationError:
        return False, ""
    for _ in range(8):
        data = any_value(random)
        if len(judged_in_all_ways(gate, data)) > 1:
            return True, f"document {seed} of {made.dialect}, {made.content!r}, on {data!r}"
    return True, ""
