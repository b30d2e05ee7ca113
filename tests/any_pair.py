"""Random pairs of documents, one made of the other by an edit or two, and instances that may contradict what is proved."""

from __future__ import annotations

import json
from collections.abc import Iterator
from copy import deepcopy
from random import Random
from typing import Any

from any_document import AnyDocument
from dutiful_gate import DeclarationError, Gate
from dutiful_gate.versions.comparison import compare
from dutiful_gate.versions.walk import SideBySide

NAMES = ("a", "b", "c")
TYPES = ("null", "boolean", "object", "array", "number", "string", "integer")
SCALARS: tuple[Any, ...] = (None, True, False, 0, 1, 2, 3, 1.0, 1.5, -1, "", "a", "ab", "b1")
PATTERNS = ("a", "^b", "[0-9]$", "^.{2}$")
_ONE = ("not", "if", "then", "else", "contains", "items", "additionalProperties", "propertyNames",
        "unevaluatedProperties", "unevaluatedItems")  # fmt: skip
_LISTS = ("allOf", "anyOf", "oneOf", "prefixItems")
_OF_ROOT = ("$schema", "$id", "$defs")
_MAPS = ("properties", "dependentSchemas", "patternProperties", "$defs")


def instances() -> list[Any]:
    """Some two hundred small values: each scalar, alone, in lists and under keys, and a few of two levels."""
    made: list[Any] = [*SCALARS, 10, 2**53, 2**53 + 1, 0.1, 0.3, "abc", "aa", "2026-05-04", "1.2.3.4", {}, []]
    some: tuple[Any, ...] = (None, True, 0, 1, 1.5, "", "a", "ab", {}, [])
    made += [[one] for one in some] + [[one, other] for one in some[1:8:2] for other in some[:8:2]]
    made += [{name: one} for name in NAMES for one in some]
    made += [
        {one: held, other: kept}
        for one, other in (("a", "b"), ("a", "c"), ("b", "c"))
        for held in (1, "a", True)
        for kept in (0, "ab", None)
    ]
    made += [{"a": 1, "b": "a", "c": held} for held in (0, "b1", None)]
    made += [{"z": one} for one in (0, "a")] + [{"a": one, "z": 1} for one in (0, 1, "a")]
    for outer in ("a", "b"):
        made += [{outer: {inner: one}} for inner in ("a", "b", "z") for one in (0, "a", None)]
        made += [{outer: [one]} for one in (0, "a", {})]
    made += [[{name: one}] for name in ("a", "b") for one in (1, "a", None)]
    made += [[1, "a", one] for one in (None, 2, "a")] + [[[]], [[1]], [["a"]], [1, 1, 1], [0, False], [{}, {}]]
    return made


POOL = instances()


class AnyPair:
    """Two documents: `old`, and `new`, which is the same after an edit or two."""

    def __init__(self, random: Random, document: Any = None) -> None:
        self.random = random
        self.left = 12
        self.dialect = random.choice(
            ("2020-12", "2020-12", "2020-12", "2019-09", "draft-07", "draft-04", "openapi-3.0")
        )
        if document is not None:
            self.dialect, self.old = "2020-12", document
        elif random.random() < 0.3:
            made = AnyDocument(random)
            self.dialect, self.old = made.dialect, made.content
        else:
            root = self.schema(3)
            self.old = {**root, "$defs": {"d": self.schema(1)}} if isinstance(root, dict) else {"allOf": [root]}
        self.new = deepcopy(self.old)
        for _ in range(random.choice((1, 1, 2))):
            self.new = self.edited(self.new)
        if random.random() < 0.5:
            self.old, self.new = self.new, self.old

    def schema(self, deep: int) -> Any:
        random = self.random
        self.left -= 1
        if not deep or self.left < 0 or random.random() < 0.15:
            return random.choice(
                (
                    {},
                    True,
                    False,
                    {"type": random.choice(TYPES)},
                    {"const": random.choice(SCALARS)},
                    {"enum": random.sample(SCALARS, 2)},
                )
            )
        made: dict[str, Any] = {}
        for _ in range(random.choice((1, 2, 2, 3))):
            made.update([self.word(deep - 1)])
        return made

    def word(self, deep: int) -> tuple[str, Any]:
        random = self.random
        kind = random.random()
        if kind < 0.22:
            return random.choice(_LISTS), [self.schema(deep) for _ in range(random.randint(1, 3))]
        if kind < 0.4:
            return "properties", {name: self.schema(deep) for name in random.sample(NAMES, random.randint(1, 2))}
        if kind < 0.58:
            return random.choice(_ONE), self.schema(deep)
        if kind < 0.64:
            return random.choice(
                (
                    ("$ref", "#/$defs/d"),
                    ("dependentSchemas", {random.choice(NAMES): self.schema(deep)}),
                    ("patternProperties", {random.choice(PATTERNS): self.schema(deep)}),
                )
            )
        return self.plain()

    def plain(self) -> tuple[str, Any]:
        """A keyword that holds no schema."""
        random = self.random
        return random.choice(
            (
                ("type", random.sample(TYPES, 2)), ("type", random.choice(TYPES)), ("type", random.choice(TYPES)),
                ("enum", random.sample(SCALARS, random.randint(1, 3))), ("const", random.choice(SCALARS)),
                ("enum", random.sample(POOL, 2)), ("const", random.choice(POOL)),
                ("minimum", random.choice((0, 1, 1.5))), ("maximum", random.choice((0, 1, 1.5))),
                ("exclusiveMinimum", random.choice((0, 1))), ("exclusiveMaximum", random.choice((1, 1.5, 2))),
                ("multipleOf", random.choice((0.5, 1, 2, 3))), ("minLength", random.randint(0, 2)), ("maxLength", random.randint(0, 2)),
                ("pattern", random.choice(PATTERNS)), ("minItems", random.randint(0, 2)), ("maxItems", random.randint(0, 2)),
                ("uniqueItems", random.random() < 0.7), ("minContains", random.randint(0, 2)), ("maxContains", random.randint(0, 2)),
                ("required", random.sample(NAMES, random.randint(1, 2))), ("minProperties", random.randint(0, 2)),
                ("maxProperties", random.randint(0, 2)), ("dependentRequired", {random.choice(NAMES): [random.choice(NAMES)]}),
                ("dependencies", {random.choice(NAMES): random.choice(([random.choice(NAMES)], self.schema(0)))}),
                ("items", [self.schema(0), self.schema(0)]), ("additionalItems", self.schema(0)), ("nullable", True),
                ("exclusiveMinimum", True), ("format", random.choice(("date", "uri", "ipv4"))), ("minimum", 2**53), ("maximum", 2**53 + 1),
                ("const", 2**53 + 1), ("enum", [2**53, 2**53 + 1]), ("multipleOf", 0.1), ("exclusiveMaximum", 1.0),
            )
        )  # fmt: skip

    def edited(self, document: Any) -> Any:
        """The document with one of its schemas said otherwise, in place."""
        random = self.random
        self.left = 6
        places = [*schemas_in(document)]
        steps = random.choice(places)
        node = at(document, steps)
        changed = self.otherwise(node)
        if not steps:
            return (
                {**changed, "$defs": document.get("$defs", {})}
                if isinstance(changed, dict)
                else {"allOf": [changed], "$defs": document.get("$defs", {})}
            )
        at(document, steps[:-1])[steps[-1]] = changed
        return document

    def otherwise(self, node: Any) -> Any:
        """A schema a little changed."""
        random = self.random
        kind = random.random()
        if not isinstance(node, dict) or kind < 0.08:
            return random.choice((self.schema(1), {"anyOf": [node, self.schema(1)]}, {"not": node}))
        if kind < 0.2:
            word = random.choice(("anyOf", "oneOf", "allOf"))
            inner = {key: held for key, held in node.items() if key not in _OF_ROOT}
            kept = {key: held for key, held in node.items() if key in _OF_ROOT}
            return {word: [inner, *([self.schema(1)] if random.random() < 0.8 else [])], **kept}
        words = [word for word in node if word not in (*_OF_ROOT, "$anchor")]
        if words and kind < 0.42:
            gone = random.choice(words)
            return {word: held for word, held in node.items() if word != gone}
        if words and kind < 0.75:
            word = random.choice(words)
            return {**node, word: self.held_otherwise(word, node[word])}
        word, held = self.word(1)
        return {**node, word: held}

    def held_otherwise(self, word: str, held: Any) -> Any:
        """What stands under a keyword, a little changed."""
        random = self.random
        if word in _LISTS or word in ("enum", "required", "type"):
            items = list(held) if isinstance(held, list) else [held]
            if len(items) > 1 and random.random() < 0.5:
                items.pop(random.randrange(len(items)))
            elif word in _LISTS:
                items.insert(random.randint(0, len(items)), self.schema(1))
            else:
                more = {"enum": SCALARS, "required": NAMES, "type": TYPES}[word]
                items += [each for each in random.sample(more, 1) if each not in items]
            return items
        if word in _MAPS and isinstance(held, dict):
            name = random.choice([*held, *NAMES])
            if name in held and len(held) > 1 and random.random() < 0.5:
                return {each: inner for each, inner in held.items() if each != name}
            return {**held, name: self.schema(1)} if word != "patternProperties" else held
        if isinstance(held, bool):
            return not held
        if isinstance(held, int):
            return max(0, held + random.choice((-1, 1))) if word != "multipleOf" else held + 1
        for _ in range(30):
            other, new = self.word(1)
            if other == word:
                return new
        return held


def schemas_in(document: Any, steps: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Where schemas stand in a document, by the steps that lead there."""
    yield steps
    if not isinstance(document, dict):
        return
    for word, held in document.items():
        if word in _ONE:
            yield from schemas_in(held, (*steps, word))
        elif word in _LISTS and isinstance(held, list):
            for number, inner in enumerate(held):
                yield from schemas_in(inner, (*steps, word, number))
        elif word in _MAPS and isinstance(held, dict):
            for name, inner in held.items():
                if not isinstance(inner, list):
                    yield from schemas_in(inner, (*steps, word, name))


def at(document: Any, steps: tuple[Any, ...]) -> Any:
    """What stands at the end of some steps."""
    for step in steps:
        document = document[step]
    return document


def contradiction(seed: int) -> tuple[bool, str]:
    """Whether there was a pair of that seed, and the instance that contradicts what is proved of it, "" for none.

    What is not flagged as narrowing is proved not to narrow, keys that nobody declared included, and so is widening.
    One pair in forty is compared whole, and what is shown of it asked of both gates.
    """
    made = AnyPair(Random(seed))
    try:
        old, new = (Gate.from_schema(each, dialect=made.dialect, formats="assert") for each in (made.old, made.new))
    except DeclarationError:
        return False, ""
    words = f"pair {seed}, {made.dialect}: {json.dumps(made.old)} -> {json.dumps(made.new)}"
    try:
        changes = SideBySide(old, new, undeclared=True).changes()  # type: ignore[arg-type]
        answers = [(old.accepts(each), new.accepts(each), each) for each in POOL]
    except RecursionError:  # a dynamic reference that goes in a circle, which is seen when data is judged
        return False, ""
    if not any(change.narrows for change in changes):
        for was, now, each in answers:
            if was and not now:
                return True, f"{words}: proved not to narrow, and {each!r} is refused"
    if not any(change.widens for change in changes):
        for was, now, each in answers:
            if now and not was:
                return True, f"{words}: proved not to widen, and {each!r} is accepted"
    if seed % 40 == 0:
        for change in compare(old, new, undeclared=True).changes:
            for shown, one, other in ((change.refused, old, new), (change.accepted, new, old)):
                if shown is not None and not (one.accepts(shown.instance) and not other.accepts(shown.instance)):
                    return True, f"{words}: {shown.instance!r} does not show {change.words!r}"
    return True, ""
