"""Plain data that a JSON Schema document accepts, and data that it refuses for one known reason.

What stands at one place of the data is wanted by several schemas at once: the schema itself, those that it refers to,
all of its `allOf`, and of its alternatives one that is drawn. Their keywords together say what to make; whether it is
sound is judged by the gate, part by part.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from itertools import islice
from random import Random
from typing import Any

from ..declare.equality import all_differ
from ..declare.formats.table import FORMATS
from ..document.judging.engine import DocumentEngine
from ..document.judging.keywords import active, contains_bounds, list_parts, number_bounds, types_of
from ..document.judging.library import Subschema
from ..regex.drawing import drawn_from
from ..regex.from_ecma import read_ecma
from ..regex.search import ecma_search
from ..report.fault import pointer
from .cannot_sample import CannotSample
from .text import CODES, words_for

_TRIES = 40
_MOST_TRIES = 3000
_DEEPEST = 24
_SHALLOW = 4
_MOST_PLACES = 60
_MOST_ITEMS = 1000
_PAST_DOUBLES = 2**1023  # from here on whole numbers alone
_LONGEST_LEAD = 150
_LARGEST_LIST = 2000
_ALL_TYPES = ("string", "integer", "number", "object", "array", "boolean", "null")
_TYPE_OF_WORD = {
    "string": ("minLength", "maxLength", "pattern", "format"),
    "number": ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf"),
    "array": ("items", "prefixItems", "minItems", "maxItems", "uniqueItems", "contains"),
    "object": ("properties", "required", "additionalProperties", "patternProperties", "minProperties", "propertyNames"),
}
Path = tuple[Any, ...]


class _Wanted:
    """Everything that schemas want of one place, `words` with the schema that each set of keywords is from."""

    def __init__(self) -> None:
        self.words: list[tuple[Subschema, dict[str, Any]]] = []
        self.seen: set[Subschema] = set()
        self.never = False

    def all(self, word: str) -> list[Any]:
        return [words[word] for _, words in self.words if word in words]

    def with_word(self, word: str) -> list[tuple[Subschema, dict[str, Any]]]:
        return [(node, words) for node, words in self.words if word in words]


class DocumentPayloads:
    """Makes data for the engine of one document, the same for the same seed. `at` has what was wanted where, last."""

    def __init__(self, engine: DocumentEngine, random: Random) -> None:
        self.engine = engine
        self.random = random
        self.at: dict[Path, _Wanted] = {}
        self._left = 0

    def make(self) -> Any:
        """One sound payload. Raises CannotSample, with the place, where none was found."""
        self._left = _MOST_TRIES
        self.at = {}
        return self.part([self.engine.root], (), 0)

    def part(self, nodes: Iterable[Subschema], path: Path, depth: int) -> Any:
        """What all of some schemas accept."""
        nodes = list(nodes)
        if depth > _DEEPEST:
            raise self._none(nodes, path)
        inside: CannotSample | None = None
        for _ in range(_TRIES):
            self._left -= 1
            if self._left < 0:
                break
            wanted = _Wanted()
            for node in nodes:
                self._want(wanted, node, 0)
            if wanted.never:
                continue
            self.at[path] = wanted
            try:
                made = self._value(wanted, path, depth)
            except CannotSample as none:
                if depth:
                    raise
                inside = none
                continue
            if all(self.engine.judges(node, made) for node in nodes):
                return made
        raise inside or self._none(nodes, path)

    def _none(self, nodes: Sequence[Subschema], path: Path) -> CannotSample:
        where = ", ".join(dict.fromkeys(node.location() for node in nodes[:3]))
        return CannotSample.of_document(pointer(path), where)

    def _want(self, wanted: _Wanted, node: Subschema, depth: int) -> None:
        """Add what a schema wants, with all that it wants by others."""
        if node.raw is False or depth > _LONGEST_LEAD:
            wanted.never = True
            return
        if node.raw is True or node in wanted.seen:  # where branches meet, they want the same
            return
        wanted.seen.add(node)
        words = active(node)
        wanted.words.append((node, words))
        library, random = node.document.library, self.random
        for word in ("$ref", "$dynamicRef", "$recursiveRef"):
            if word in words:
                self._want(wanted, library.target(node, words[word]), depth + 1)
        for number in range(len(words.get("allOf", []))):
            self._want(wanted, node.subschema("allOf", number), depth + 1)
        for word in ("anyOf", "oneOf"):
            options = [at for at, each in enumerate(words.get(word, [])) if each is not False]
            if options:
                self._want(wanted, node.subschema(word, random.choice(options)), depth + 1)
            wanted.never |= word in words and not options
        if isinstance(words.get("not"), dict) and list(words["not"]) == ["not"]:
            self._want(wanted, node.subschema("not", "not"), depth + 1)
        if "if" in words:
            branch = random.choice(("then", "else"))
            if branch == "then" and node.raw["if"] is not False:
                self._want(wanted, node.subschema("if"), depth + 1)
            if branch in words:
                self._want(wanted, node.subschema(branch), depth + 1)

    # One value

    def _value(self, wanted: _Wanted, path: Path, depth: int) -> Any:
        random = self.random
        constants = wanted.all("const") + [random.choice(each) for each in wanted.all("enum")[:1] if each]
        if constants:
            return constants[0]
        examples = [each for held in wanted.all("examples") if isinstance(held, list) for each in held]
        examples += wanted.all("default") + wanted.all("example")
        if examples and random.random() < 0.25:
            return random.choice(examples)
        kind = self._kind(wanted, depth)
        if kind == "string":
            return self._text(wanted, str(path[-1]) if path else "")
        if kind in ("integer", "number"):
            return self._number(wanted, whole=kind == "integer")
        if kind == "array":
            return self._items(wanted, path, depth)
        if kind == "object":
            return self._record(wanted, path, depth)
        return random.choice((True, False)) if kind == "boolean" else None

    def _kind(self, wanted: _Wanted, depth: int) -> str:
        """A type that all allow; where none is named, one that the keywords speak of."""
        left = list(_ALL_TYPES)
        asked = False
        for node, words in wanted.words:
            kinds = types_of(node, words)
            if kinds:
                asked = True
                left = [each for each in left if each in kinds or (each == "integer" and "number" in kinds)]
        if not left:
            return "null"
        if not asked:
            spoken = [kind for kind, group in _TYPE_OF_WORD.items() if any(wanted.all(word) for word in group)]
            usual = spoken or (["string", "integer"] if depth else ["object"])
            return self.random.choice(usual if self.random.random() < 0.8 else left)
        plain = [each for each in left if each != "null"]
        if "null" in left and plain and depth < _SHALLOW and self.random.random() < 0.9:
            return self.random.choice(plain)
        return "null" if "null" in left else self.random.choice(left)

    def _text(self, wanted: _Wanted, name: str) -> str:
        random = self.random
        patterns = [each for each in wanted.all("pattern") if isinstance(each, str)]
        low = max([0, *wanted.all("minLength")])
        high = min([math.inf, *wanted.all("maxLength")])
        known = [text for each in wanted.all("format") if each in FORMATS for text in FORMATS[each].examples]
        known = known or [each for each in (words_for(name, random), *CODES) if patterns and _all_find(patterns, each)]
        made = random.choice(known) if known else words_for(name, random)
        for _ in range(_TRIES):
            if patterns and not known:
                made = drawn_from(read_ecma(patterns[0]), random)
                if len(made) < low:
                    made = _padded(made, int(low), patterns, random)
            if low <= len(made) <= high and _all_find(patterns, made):
                return made
            known = []
            if not patterns:
                break
            self._left -= 1  # a pattern that no text of the length matches must not be tried without end
            if self._left < 0:
                break
        if not patterns and not known:
            made = (made + " " + "x" * int(min(low, 10_000)))[: int(max(low, min(high, len(made))))]
        return made

    def _number(self, wanted: _Wanted, *, whole: bool) -> Any:
        """A number within the bounds, a multiple of all steps where there are any."""
        low, high = -math.inf, math.inf
        barred: set[Any] = set()
        for _, words in wanted.words:
            for sign, bound in number_bounds(words):
                if sign.startswith(">"):
                    low = max(low, bound)
                else:
                    high = min(high, bound)
                if not sign.endswith("="):
                    barred.add(bound)
        steps = [Fraction(str(each)) for each in wanted.all("multipleOf")] + ([Fraction(1)] if whole else [])
        low = low if low > -math.inf else (min(0, high - 1000) if high < math.inf else 0)
        high = high if high < math.inf else max(1000, low + 1000)
        if steps:
            step = steps[0]
            for each in steps[1:]:
                step = _common(step, each)
            first, last = math.ceil(Fraction(str(low)) / step), math.floor(Fraction(str(high)) / step)
            first += first * step in barred
            last -= last * step in barred
            drawn = step * self.random.randint(first, max(first, last))
            return int(drawn) if drawn.denominator == 1 else float(drawn)
        if max(abs(low), abs(high)) >= _PAST_DOUBLES:
            return self.random.randint(math.ceil(low) + (low in barred), math.floor(high) - (high in barred))
        drawn_at = self.random.uniform(float(low), float(high))
        made = round(drawn_at, 2)
        return made if low < made < high or (made in (low, high) and made not in barred) else drawn_at

    def _items(self, wanted: _Wanted, path: Path, depth: int) -> list[Any]:
        random = self.random
        low = max([0, *wanted.all("minItems")])
        parts = [list_parts(node, words) for node, words in wanted.words]
        first = max([0, *(len(each) for each, _ in parts)])
        held = []
        _refuse_huge(max([low, *(contains_bounds(words)[0] for _, words in wanted.with_word("contains"))]), path)
        for node, words in wanted.with_word("contains"):
            held += [node.subschema("contains")] * contains_bounds(words)[0]
        usual = 0 if depth > _SHALLOW else max(first, len(held), random.randint(0, 3 - depth // 2))
        size = int(min([max(low, usual, len(held)), *wanted.all("maxItems")]))
        unique = any(each is True for each in wanted.all("uniqueItems"))
        made: list[Any] = []
        for number in range(size):
            inner = []
            for single, rest in parts:
                if number < len(single):
                    inner.append(single[number])
                elif rest is not None:
                    inner.append(rest)
            if number >= size - len(held):
                inner.append(held[number - size + len(held)])
            if any(node.raw is False for node in inner) and number >= low:
                break
            for _ in range(_TRIES if unique else 1):
                item = self.part(inner, (*path, number), depth + 1) if inner else random.choice(("coiled rope", number))
                if not unique or all_differ([*made, item]):
                    break
            made.append(item)
        return made

    # Records

    def _record(self, wanted: _Wanted, path: Path, depth: int) -> dict[str, Any]:
        random = self.random
        needed = dict.fromkeys(name for each in wanted.all("required") for name in each if isinstance(name, str))
        known = dict.fromkeys(
            name for each in wanted.all("properties") for name, subschema in each.items() if subschema is not False
        )
        names = dict.fromkeys(needed)
        share = 0.0 if depth > _SHALLOW else 0.6 / (1 + depth // 2)
        names.update(dict.fromkeys(name for name in known if random.random() < share))
        low = max([0, *wanted.all("minProperties")])
        high = min([math.inf, *wanted.all("maxProperties")])
        _refuse_huge(low, path)
        for name in list(names):
            if len(names) > high and name not in needed:
                del names[name]
        spare = [name for name in known if name not in names]
        more = self._more_names(wanted, path, depth)
        wants_more = low if known or depth > _SHALLOW else max(low, min(high, random.randint(0, 2)))
        while len(names) < wants_more:
            another = spare.pop() if spare else next(more, None)
            if another is None:
                break
            names[another] = None
        self._need_what_others_need(wanted, names)
        made: dict[str, Any] = {}
        for name in names:
            inner = self._inside(wanted, name)
            if any(node.raw is False for node in inner) and name not in needed:
                continue
            made[name] = self.part(inner, (*path, name), depth + 1) if inner else words_for(name, random)
        return made

    def _need_what_others_need(self, wanted: _Wanted, names: dict[str, None]) -> None:
        """Add the keys that those which are there ask for, to the end."""
        for _ in range(5):
            for node, words in list(wanted.words):
                for word in ("dependentRequired", "dependencies", "dependentSchemas"):
                    for name, asked in words.get(word, {}).items():
                        if name not in names:
                            continue
                        if isinstance(asked, list):
                            names.update(dict.fromkeys(asked))
                        elif isinstance(asked, dict):
                            self._want(wanted, node.subschema(word, name), 1)
            names.update(dict.fromkeys(name for each in wanted.all("required") for name in each))

    def _more_names(self, wanted: _Wanted, path: Path, depth: int) -> Iterator[str]:
        """Keys that no property names: by patterns, by the schema for keys, or any."""
        random = self.random
        patterns = [
            pattern for each in wanted.all("patternProperties") for pattern in each if each[pattern] is not False
        ]
        keys = [node.subschema("propertyNames") for node, _ in wanted.with_word("propertyNames")]
        for number in range(60):
            if patterns and random.random() < 0.7:
                yield drawn_from(read_ecma(random.choice(patterns)), random)
            elif keys:
                made = self.part(keys, (*path, "a key"), depth + 1)
                if isinstance(made, str):
                    yield made
            else:
                yield f"berth_{number + 1}"

    def _inside(self, wanted: _Wanted, name: str) -> list[Subschema]:
        """The schemas that want something of a property."""
        found = []
        for node, words in wanted.words:
            own = []
            if name in words.get("properties", {}):
                own.append(node.subschema("properties", name))
            own += [
                node.subschema("patternProperties", pattern)
                for pattern in words.get("patternProperties", {})
                if ecma_search(pattern)(name) is not None
            ]
            if not own and "additionalProperties" in words:
                own.append(node.subschema("additionalProperties"))
            found += own
        if not found:
            found = [node.subschema("unevaluatedProperties") for node, _ in wanted.with_word("unevaluatedProperties")]
        return found

    # Data that is wrong in one place

    def spoils(self, payload: Any) -> Iterator[Any]:
        """The payload with one thing changed, at every place and in every way that its schemas suggest."""
        for path, held in islice(_places(payload, ()), _MOST_PLACES):
            if isinstance(held, dict):
                for name in held:
                    yield exchanged(payload, path, {key: each for key, each in held.items() if key != name})
                yield exchanged(payload, path, {**held, "berth_number": 7})
            if isinstance(held, list):
                wanted = self.at.get(path) or _Wanted()
                ends = [low - 1 for low in wanted.all("minItems")] + [high + 1 for high in wanted.all("maxItems")]
                for count in (0, 1, 2, len(held) + 1, *(end for end in ends if 0 < end < _MOST_ITEMS)):
                    again = [held[at % len(held)] for at in range(count)] if held else [None] * count
                    yield exchanged(payload, path, again)
            for value in self._around(path, held):
                yield exchanged(payload, path, value)

    def _around(self, path: Path, held: Any) -> Iterator[Any]:
        """Values that may be wrong at one place."""
        yield from (None, True, -1, 0, 1.5, "", "x", [], {}, 10**30, "~")
        wanted = self.at.get(path)
        if wanted is None:
            return
        for low in wanted.all("minLength"):
            if low and isinstance(held, str):
                yield held[: low - 1]
        for high in wanted.all("maxLength"):
            if isinstance(held, str) and high < 100_000:
                yield (held or "x") * (high // max(len(held), 1) + 1)
        for _, words in wanted.words:
            for _, bound in number_bounds(words):
                yield from (bound, bound - 1, bound + 1)
            if "multipleOf" in words and isinstance(held, int | float):
                yield held + words["multipleOf"] / 2
        if isinstance(held, str):
            yield from (held.upper(), held.lower(), held + "~", f" {held}")


def _refuse_huge(least: float, path: Path) -> None:
    """Raise CannotSample where a list or record must hold more than anybody wants to see."""
    if least > _LARGEST_LIST:
        raise CannotSample.too_large(pointer(path), f"a list or record of {least:,}")


def _all_find(patterns: list[str], text: str) -> bool:
    return all(ecma_search(each)(text) is not None for each in patterns)


def _padded(made: str, low: int, patterns: list[str], random: Random) -> str:
    """A text made longer at one of its places, as far as its expressions still find it."""
    for at in (len(made), 0, *(random.randint(0, len(made)) for _ in range(6))):
        sign = made[at - 1 : at] or made[:1] or "x"
        longer = made[:at] + sign * (min(low, 10_000) - len(made)) + made[at:]
        if _all_find(patterns, longer):
            return longer
    return made


def _common(one: Fraction, other: Fraction) -> Fraction:
    """The least that is a multiple of both."""
    return Fraction(math.lcm(one.numerator, other.numerator), math.gcd(one.denominator, other.denominator))


def _places(payload: Any, path: Path) -> Iterator[tuple[Path, Any]]:
    yield path, payload
    if isinstance(payload, dict):
        for name, held in payload.items():
            yield from _places(held, (*path, name))
    elif isinstance(payload, list):
        for number, held in enumerate(payload[:3]):
            yield from _places(held, (*path, number))


def exchanged(payload: Any, path: Path, value: Any) -> Any:
    """A copy with another value at one place."""
    if not path:
        return value
    made = dict(payload) if isinstance(payload, dict) else list(payload)
    made[path[0]] = exchanged(payload[path[0]], path[1:], value)
    return made
