"""Schemas to Python source that tells in one pass whether data is sound, and nothing more."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from threading import RLock, local
from typing import Any
from urllib.parse import unquote

from ...codegen.unit import Unit
from ...codegen.writer import Writer
from ...declare.equality import LISTS, all_differ, keyed
from ...declare.multiples import is_multiple
from ..dialects import Dialect
from .content import holds
from .json_values import is_integer, is_integer_4, is_number
from .library import Library, Resource, Subschema
from .patterns import searcher

ABSENT = object()
_INLINE_DEPTH = 3
_MOST_LINES = 400
Scope = tuple[Resource, ...]
Judge = Callable[[Any, Scope], bool]
Judges = Mapping[str, tuple[str, Callable[[str], bool]]]

TEXT_WORDS = ("minLength", "maxLength", "pattern", "format", "contentEncoding", "contentMediaType")
NUMBER_WORDS = ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf")
LIST_WORDS = (
    "minItems", "maxItems", "uniqueItems", "prefixItems", "items", "additionalItems", "contains",
)  # fmt: skip
RECORD_WORDS = (
    "required", "minProperties", "maxProperties", "properties", "patternProperties", "additionalProperties",
    "propertyNames", "dependentRequired", "dependentSchemas", "dependencies",
)  # fmt: skip

_BESIDE = frozenset(
    ["allOf", "anyOf", "oneOf", "not", "if", "$ref", "$dynamicRef", "$recursiveRef", "dependentSchemas"]
)
_MOST_NOTED = 10_000


class Memory(local):
    """What was found while one piece of data is judged by a document whose branches meet, in this thread.

    `held` is None for other documents, and between two questions. `to_note` is of how many values annotations are noted
    yet: there too they may double on every level.
    """

    held: dict[Any, Any] | None = None
    to_note: int = 0

    @contextmanager
    def kept(self, remembers: bool) -> Iterator[None]:
        """Remember for one question, where there is something to gain."""
        before = self.held
        if remembers and before is None:
            self.held = {}
            self.to_note = _MOST_NOTED
        try:
            yield
        finally:
            self.held = before


class JudgingOptions:
    """How one document is to be judged."""

    __slots__ = ("asserted", "judges", "library", "memory", "most_items")

    def __init__(self, library: Library, formats: str | None, most_items: int, judges: Judges) -> None:
        self.judges = judges
        self.memory = Memory()
        self.library = library
        self.most_items = most_items
        self.asserted = formats

    def formats(self, dialect: Dialect) -> bool:
        """Whether formats are asserted in a dialect."""
        return self.asserted == "assert" or (self.asserted is None and dialect.asserts)

    def content(self, dialect: Dialect) -> bool:
        """Whether content is."""
        return self.asserted == "assert" and dialect.content


class SchemaCompiler:
    """Writes the functions of one library, each when it is first called; all of them share a namespace."""

    def __init__(self, options: JudgingOptions, evaluate: Callable[[Subschema, Any, Scope], bool]) -> None:
        self.options = options
        self._lock = RLock()
        self.evaluate = evaluate
        self.remembers = False
        self.namespace: dict[str, Any] = {}
        self.units: list[Unit] = []
        self._compiled: set[str] = set()

    def function(self, node: Subschema) -> str:
        """The name of the function for a schema; it is compiled when it is first called."""
        name = f"judge_{node.number}"
        if name not in self.namespace:

            def first(value: Any, scope: Scope) -> bool:
                self.compile(node, name)
                judged: bool = self.namespace[name](value, scope)
                return judged

            self.namespace[name] = first
        return name

    def call(self, node: Subschema) -> Judge:
        """The function for a schema."""
        name = self.function(node)
        return lambda value, scope: self.namespace[name](value, scope)

    def ready(self, node: Subschema) -> Judge:
        """The compiled function itself."""
        name = f"judge_{node.number}"
        if name not in self._compiled:
            self.function(node)
            self.compile(node, name)
        judge: Judge = self.namespace[name]
        return judge

    def compile(self, node: Subschema, name: str) -> None:
        """Put the compiled function in the place of the one that stood for it."""
        with self._lock:
            writer = Writer()
            page = _FunctionWriter(self, writer)
            with writer.block(f"def {name}(value, scope):"):
                page.body(node, "value", 0)
                writer.write("return True")
            source = "\n".join(writer.lines) + "\n"
            unit = Unit(f"document {name}", source, writer.constants, name, self.namespace, notes=writer.notes)
            self.units.append(unit)
            if self.remembers:
                self.namespace[name] = self._remembering(unit.call, name, met=goes_on_beside(node))
            self._compiled.add(name)

    def _remembering(self, call: Judge, name: str, *, met: bool) -> Judge:
        """A function that judges the same data once, while one question is answered: all of it, or what has parts."""
        memory = self.options.memory

        def judge(value: Any, scope: Scope) -> bool:
            held = memory.held
            if held is None or not (met or isinstance(value, (dict, list, tuple))):
                return call(value, scope)
            mark = (name, id(value), scope)
            known = held.get(mark)
            if known is None:
                known = held[mark] = (value, call(value, scope))
            return bool(known[1])

        return judge


class DynamicCall:
    """`$dynamicRef` or `$recursiveRef`: where it leads is known only from where judging came from."""

    __slots__ = ("_found", "compiler", "function", "lead")

    def __init__(self, compiler: SchemaCompiler, lead: Callable[[Scope], Subschema]) -> None:
        self.compiler = compiler
        self.lead = lead
        self._found: dict[Scope, str] = {}

    def __call__(self, value: Any, scope: Scope) -> bool:
        """Judge by the schema that it leads to from here."""
        name = self._found.get(scope)
        if name is None:
            name = self._found[scope] = self.compiler.function(self.lead(scope))
        judged: bool = self.compiler.namespace[name](value, scope)
        return judged


class _FunctionWriter:
    """The source of one function."""

    def __init__(self, compiler: SchemaCompiler, writer: Writer) -> None:
        self.compiler = compiler
        self.library = compiler.options.library
        self.writer = writer
        self.write = writer.write
        self.block = writer.block
        # Several units share one namespace: names of constants must not meet.
        self.prefix = f"_{len(compiler.units)}"

    def bind(self, constant: object, hint: str) -> str:
        """A name for a constant, of this function alone."""
        return self.writer.bind(constant, f"{hint}{self.prefix}")

    def judge(self, node: Subschema, value: str) -> str:
        """An expression that judges a value by a schema."""
        if node.raw is True or node.raw == {}:
            return "True"
        if node.raw is False:
            return "False"
        if isinstance(node.raw, dict) and list(node.raw) == ["type"] and "type" in node.dialect.keywords:
            return f"({self.type_test(node, types_of(node, node.raw), value)})"
        return f"{self.compiler.function(node)}({value}, scope)"

    def body(self, node: Subschema, value: str, depth: int) -> None:
        """Statements that leave the function with False when the value is not sound."""
        raw = node.raw
        if raw is True:
            return
        if raw is False:
            self.write("return False")
            return
        if depth and (depth > _INLINE_DEPTH or node.is_root or len(self.writer.lines) > _MOST_LINES):
            judged = self.judge(node, value)
            if judged != "True":
                self.write(f"if not {judged}: return False")
            return
        # However it was come by: at its root, at a pointer into it or at an anchor.
        if depth == 0 and self.library.dynamic:
            self.write(f"scope = {self.bind(entered, 'entered')}(scope, {self.bind(node.resource, 'HERE')})")
        words = active(node)
        if "unevaluatedItems" in words or "unevaluatedProperties" in words:
            evaluate = self.bind(lambda value, scope: self.compiler.evaluate(node, value, scope), "EVALUATED")
            self.write(f"if not {evaluate}({value}, scope): return False")
            return
        self.in_place(node, words, value, depth)

    def in_place(self, node: Subschema, words: dict[str, Any], value: str, depth: int) -> None:
        only = ""
        kinds = types_of(node, words)
        if kinds:
            self.write(f"if not ({self.type_test(node, kinds, value)}): return False")
            only = kinds[0] if len(kinds) == 1 else ""
        for word in ("$ref", "$dynamicRef", "$recursiveRef"):
            if word in words:
                self.reference(node, word, words[word], value)
        if "enum" in words:
            self.choice(words["enum"], value, only)
        if "const" in words:
            self.choice([words["const"]], value, only)
        self.group("string", f"isinstance({value}, str)", only, TEXT_WORDS, node, words, value, depth)
        number = f"{value}.__class__ is int or {self.bind(is_number, 'is_number')}({value})"
        self.group("number", number, only, NUMBER_WORDS, node, words, value, depth)
        lists = f"isinstance({value}, {self.bind(LISTS, 'LISTS')})"
        self.group("array", lists, only, LIST_WORDS, node, words, value, depth)
        self.group("object", f"isinstance({value}, dict)", only, RECORD_WORDS, node, words, value, depth)
        self.combinations(node, words, value, depth)

    def group(
        self,
        kind: str,
        test: str,
        only: str,
        group: tuple[str, ...],
        node: Subschema,
        words: dict[str, Any],
        value: str,
        depth: int,
    ) -> None:
        """The keywords that look at one kind of value only."""
        if not any(word in words for word in group):
            return
        narrowed = "number" if only == "integer" else only
        write = {
            "string": self.string_words,
            "number": self.number_words,
            "array": self.array_words,
            "object": self.object_words,
        }[kind]
        if narrowed == kind:
            write(node, words, value, depth)
        elif not narrowed:
            with self.block(f"if {test}:"):
                write(node, words, value, depth)

    def type_test(self, node: Subschema, kinds: list[str], value: str) -> str:
        return " or ".join(self.one_type(node, kind, value) for kind in kinds)

    def one_type(self, node: Subschema, kind: str, value: str) -> str:
        if kind == "integer":
            whole = is_integer_4 if node.dialect.pointless else is_integer
            return f"{value}.__class__ is int or {self.bind(whole, 'is_integer')}({value})"
        if kind == "number":
            return f"{value}.__class__ is int or {self.bind(is_number, 'is_number')}({value})"
        if kind == "array":
            return f"isinstance({value}, {self.bind(LISTS, 'LISTS')})"
        tests = {
            "string": "isinstance({}, str)",
            "object": "isinstance({}, dict)",
            "boolean": "{} is True or {} is False",
            "null": "{} is None",
        }
        return tests[kind].replace("{}", value)

    def reference(self, node: Subschema, word: str, reference: str, value: str) -> None:
        if word == "$ref":
            self.write(f"if not {self.judge(self.library.target(node, reference), value)}: return False")
            return
        lead = dynamic_lead(self.library, node, word, reference)
        call = self.bind(DynamicCall(self.compiler, lead), "DYNAMIC")
        self.write(f"if not {call}({value}, scope): return False")

    def choice(self, choices: list[Any], value: str, only: str) -> None:
        if all(isinstance(each, str) for each in choices):
            among = f"{value} in {self.bind(frozenset(choices), 'CHOICES')}"
            self.write(
                f"if not ({among if only == 'string' else f'isinstance({value}, str) and {among}'}): return False"
            )
            return
        options = self.bind(frozenset(map(keyed, choices)), "CHOICES")
        self.write(f"if {self.bind(keyed, 'keyed')}({value}) not in {options}: return False")

    def string_words(self, node: Subschema, words: dict[str, Any], value: str, depth: int) -> None:
        low, high = words.get("minLength"), words.get("maxLength")
        self.bounds(f"len({value})", low, high)
        if "pattern" in words:
            search = self.bind(searcher(node, words["pattern"]), "MATCHES")
            self.write(f"if not {search}({value}): return False")
        options = self.compiler.options
        if "format" in words and options.formats(node.dialect) and words["format"] in options.judges:
            judge = self.bind(options.judges[words["format"]][1], "is_of_format")
            self.write(f"if not {judge}({value}): return False")
        if options.content(node.dialect) and ("contentEncoding" in words or "contentMediaType" in words):
            encoding, media = words.get("contentEncoding"), words.get("contentMediaType")
            call = f"{self.bind(holds, 'holds')}({value}, {self.bind(encoding, 'CODE')}, {self.bind(media, 'MEDIA')})"
            self.write(f"if not {call}: return False")

    def bounds(self, size: str, low: Any, high: Any) -> None:
        if low is not None and high is not None:
            self.write(f"if not {self.bind(low, 'LEAST')} <= {size} <= {self.bind(high, 'MOST')}: return False")
        elif low:
            self.write(f"if {size} < {self.bind(low, 'LEAST')}: return False")
        elif high is not None:
            self.write(f"if {size} > {self.bind(high, 'MOST')}: return False")

    def number_words(self, node: Subschema, words: dict[str, Any], value: str, depth: int) -> None:
        for sign, bound in number_bounds(words):
            self.write(f"if not {value} {sign} {self.bind(bound, 'BOUND')}: return False")
        if "multipleOf" in words:
            step = words["multipleOf"]
            call = f"{self.bind(is_multiple, 'is_multiple')}({value}, {self.bind(step, 'STEP')})"
            self.write(f"if not {call}: return False")

    def array_words(self, node: Subschema, words: dict[str, Any], value: str, depth: int) -> None:
        self.write(f"if len({value}) > {self.compiler.options.most_items}: return False")
        self.bounds(f"len({value})", words.get("minItems"), words.get("maxItems"))
        if words.get("uniqueItems") is True:
            self.write(f"if not {self.bind(all_differ, 'all_differ')}({value}): return False")
        first, rest = list_parts(node, words)
        for number, subschema in enumerate(first):
            if subschema.raw is True or subschema.raw == {}:
                continue
            with self.block(f"if len({value}) > {number}:"):
                item = self.writer.variable("item")
                self.write(f"{item} = {value}[{number}]")
                self.body(subschema, item, depth + 1)
        if rest is not None and rest.raw is not True and rest.raw != {}:
            item = self.writer.variable("item")
            which = f"{value}[{len(first)}:]" if first else value
            with self.block(f"for {item} in {which}:"):
                self.body(rest, item, depth + 1)
        if "contains" in words:
            self.contains(node, words, value)

    def contains(self, node: Subschema, words: dict[str, Any], value: str) -> None:
        least, most = contains_bounds(node, words)
        item = self.writer.variable("item")
        judged = self.judge(node.subschema("contains"), item)
        if most is None and least == 1:
            # A loop, not any(...): the scope of a generator could not see a scope that was entered here.
            with self.block(f"for {item} in {value}:"):
                self.write(f"if {judged}: break")
            with self.block("else:"):
                self.write("return False")
            return
        count = self.writer.variable("count")
        self.write(f"{count} = 0")
        with self.block(f"for {item} in {value}:"):
            self.write(f"if {judged}: {count} += 1")
        self.bounds(count, least, most)

    def object_words(self, node: Subschema, words: dict[str, Any], value: str, depth: int) -> None:
        self.write(f"if len({value}) > {self.compiler.options.most_items}: return False")
        self.bounds(f"len({value})", words.get("minProperties"), words.get("maxProperties"))
        properties = words.get("properties", {})
        required = list(dict.fromkeys(words.get("required", [])))
        for name in required:
            if name not in properties or properties[name] is True:
                self.write(f"if {self.bind(name, 'KEY')} not in {value}: return False")
        for number, (name, held) in enumerate(properties.items(), 1):
            needed = name in required
            if held is True or (held == {} and not needed):
                continue
            item = self.writer.variable("property")
            came = f"{item} = {value}.get({self.bind(name, 'KEY')}, {self.bind(ABSENT, 'ABSENT')})"
            self.write(came + self.writer.note(name, number))
            if needed:
                self.write(f"if {item} is {self.bind(ABSENT, 'ABSENT')}: return False")
                self.body(node.subschema("properties", name), item, depth + 1)
            else:
                with self.block(f"if {item} is not {self.bind(ABSENT, 'ABSENT')}:"):
                    self.body(node.subschema("properties", name), item, depth + 1)
        self.other_keys(node, words, value, depth)
        if "propertyNames" in words:
            key = self.writer.variable("key")
            with self.block(f"for {key} in {value}:"):
                self.body(node.subschema("propertyNames"), key, depth + 1)
        self.dependents(node, words, value)

    def other_keys(self, node: Subschema, words: dict[str, Any], value: str, depth: int) -> None:
        """`patternProperties` and `additionalProperties`."""
        patterns = words.get("patternProperties", {})
        rest = node.subschema("additionalProperties") if "additionalProperties" in words else None
        idle = rest is None or rest.raw is True or rest.raw == {}
        if not patterns and idle:
            return
        known = self.bind(frozenset(words.get("properties", {})), "KNOWN")
        if not patterns and rest is not None and rest.raw is False:
            self.write(f"if not {value}.keys() <= {known}: return False")
            return
        key, item = self.writer.variable("key"), self.writer.variable("item")
        with self.block(f"for {key}, {item} in {value}.items():"):
            if patterns and not idle:
                seen = self.writer.variable("seen")
                self.write(f"{seen} = {key} in {known}")
            for pattern in patterns:
                search = self.bind(searcher(node, pattern), "MATCHES")
                with self.block(f"if isinstance({key}, str) and {search}({key}):"):
                    if not idle:
                        self.write(f"{seen} = True")
                    self.body(node.subschema("patternProperties", pattern), item, depth + 2)
            if not idle and rest is not None:
                with self.block(f"if not {seen}:" if patterns else f"if {key} not in {known}:"):
                    self.body(rest, item, depth + 2)

    def dependents(self, node: Subschema, words: dict[str, Any], value: str) -> None:
        for word in ("dependentRequired", "dependentSchemas", "dependencies"):
            for name, wanted in words.get(word, {}).items():
                if wanted is True or wanted == {} or wanted == []:
                    continue
                with self.block(f"if {self.bind(name, 'KEY')} in {value}:"):
                    if isinstance(wanted, list):
                        for each in wanted:
                            self.write(f"if {self.bind(each, 'KEY')} not in {value}: return False")
                    elif isinstance(wanted, str):
                        self.write(f"if {self.bind(wanted, 'KEY')} not in {value}: return False")
                    else:
                        self.write(f"if not {self.judge(node.subschema(word, name), value)}: return False")

    def combinations(self, node: Subschema, words: dict[str, Any], value: str, depth: int) -> None:
        for number, _ in enumerate(words.get("allOf", [])):
            self.body(node.subschema("allOf", number), value, depth + 1)
        if "anyOf" in words:
            options = [self.judge(node.subschema("anyOf", number), value) for number in range(len(words["anyOf"]))]
            self.write(f"if not ({' or '.join(options)}): return False")
        if "oneOf" in words:
            options = [f"bool({self.judge(node.subschema('oneOf', at), value)})" for at in range(len(words["oneOf"]))]
            self.write(f"if {' + '.join(options)} != 1: return False")
        if "not" in words:
            self.write(f"if {self.judge(node.subschema('not'), value)}: return False")
        if "if" in words and ("then" in words or "else" in words):
            with self.block(f"if {self.judge(node.subschema('if'), value)}:"):
                if "then" in words:
                    self.body(node.subschema("then"), value, depth + 1)
            if "else" in words:
                with self.block("else:"):
                    self.body(node.subschema("else"), value, depth + 1)


def active(node: Subschema) -> dict[str, Any]:
    """The keywords of a schema that have a meaning in its dialect."""
    raw: dict[str, Any] = node.raw
    if "$ref" in raw and node.dialect.ref_alone:
        if "$ref" in node.document.library.unusable.get(node, ()):
            return {}
        return {"$ref": raw["$ref"]}
    known = node.dialect.keywords
    unusable = node.document.library.unusable.get(node)
    if unusable is not None:
        return {word: held for word, held in raw.items() if word in known and word not in unusable}
    return {word: held for word, held in raw.items() if word in known}


def goes_on_beside(node: Subschema) -> bool:
    """Whether a schema has others judge the same value."""
    return isinstance(node.raw, dict) and not _BESIDE.isdisjoint(active(node))


def types_of(node: Subschema, words: dict[str, Any]) -> list[str]:
    """The types that `type` names; with `nullable`, as OpenAPI 3.0 has it, null too."""
    wanted = words.get("type", [])
    kinds = list(wanted) if isinstance(wanted, list) else [wanted]
    return [*kinds, "null"] if kinds and node.dialect.nullable and words.get("nullable") is True else kinds


def entered(scope: Scope, resource: Resource) -> Scope:
    """The scope inside a resource; the outermost of a kind decides, so that once is enough."""
    return scope if resource in scope else (*scope, resource)


def dynamic_lead(library: Library, node: Subschema, word: str, reference: str) -> Callable[[Scope], Subschema]:
    """The function that finds where a dynamic reference leads, given the way judging came."""
    first = library.target(node, reference)
    if word == "$recursiveRef":

        def recursive(scope: Scope) -> Subschema:
            if not (isinstance(first.raw, dict) and first.raw.get("$recursiveAnchor") is True):
                return first
            for resource in scope:
                raw = resource.root.raw
                if isinstance(raw, dict) and raw.get("$recursiveAnchor") is True:
                    return resource.root
            return first

        return recursive
    name = dynamic_name(reference)

    def dynamic(scope: Scope) -> Subschema:
        if first.resource.dynamic.get(name) is not first:
            return first  # it began at a plain anchor or a pointer: an ordinary reference
        for resource in scope:
            if name in resource.dynamic:
                return resource.dynamic[name]
        return first

    return dynamic


def dynamic_name(reference: str) -> str:
    """The anchor that a dynamic reference looks for; "" for `$recursiveRef`."""
    return unquote(reference.partition("#")[2])


def number_bounds(words: dict[str, Any]) -> list[tuple[str, Any]]:
    """The comparisons of a number; in draft-04 the exclusive ones are booleans beside the others."""
    bounds = []
    for word, exclusive, sign in (("minimum", "exclusiveMinimum", ">"), ("maximum", "exclusiveMaximum", "<")):
        strict = words.get(exclusive)
        if word in words:
            bounds.append((sign if strict is True else f"{sign}=", words[word]))
        if strict is not None and not isinstance(strict, bool):
            bounds.append((sign, strict))
    return bounds


def list_parts(node: Subschema, words: dict[str, Any]) -> tuple[list[Subschema], Subschema | None]:
    """The schemas of the first items one by one, and the one of all the others."""
    if "prefixItems" in words:
        first = [node.subschema("prefixItems", number) for number in range(len(words["prefixItems"]))]
        return first, node.subschema("items") if "items" in words else None
    items = words.get("items")
    if isinstance(items, list) and "prefixItems" not in node.dialect.keywords:
        first = [node.subschema("items", number) for number in range(len(items))]
        return first, node.subschema("additionalItems") if "additionalItems" in words else None
    return [], node.subschema("items") if isinstance(items, dict | bool) else None


def contains_bounds(node: Subschema, words: dict[str, Any]) -> tuple[int, int | None]:
    """How many items must be contained, and may be."""
    return words.get("minContains", 1), words.get("maxContains")
