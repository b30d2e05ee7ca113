"""The source of one function for one schema: each keyword as a test, and what follows where it does not hold.

Of a function that judges that is its end. `telling_writer` writes the same tests for one that tells every fault.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, Final, NamedTuple

from ...codegen.writer import Writer
from ...declare.equality import LISTS, all_differ, keyed
from ...declare.multiples import MultipleOf
from .causes import bounds_of
from .content import holds
from .json_values import is_bounded, is_integer, is_integer_4, is_number
from .keywords import (
    LIST_WORDS,
    NUMBER_WORDS,
    RECORD_WORDS,
    REFERENCES,
    TEXT_WORDS,
    active,
    contains_bounds,
    dynamic_lead,
    entered,
    list_parts,
    types_of,
)
from .library import Subschema
from .patterns import searcher

if TYPE_CHECKING:
    from .compiler import SchemaCompiler

ABSENT = object()
_INLINE_DEPTH: Final = 3
_MOST_LINES: Final = 400


class Here(NamedTuple):
    """The source of a value at hand; and of its path, and of the way through the document, where faults are told.

    `many` tells that it is one of several in a row.
    """

    value: str
    path: str = "path"
    route: str = "route"
    many: bool = False


def idle(raw: Any) -> bool:
    """Whether a schema refuses nothing."""
    return raw is True or raw == {}


class FunctionWriter:
    """Writes a function that leaves with False at the first keyword that refuses."""

    tells = False

    def __init__(self, compiler: SchemaCompiler, writer: Writer) -> None:
        self.compiler = compiler
        self.library = compiler.options.library
        self.writer = writer
        self.write = writer.write
        self.block = writer.block
        # Several units share one namespace: names of constants must not meet.
        self.suffix = f"_{len(compiler.units)}"

    def bind(self, constant: object, hint: str) -> str:
        """A name for a constant, of this function alone."""
        return self.writer.bind(constant, f"{hint}{self.suffix}")

    def key(self, name: str) -> str:
        """A name in the data."""
        return self.bind(name, "KEY")

    # What follows where a keyword refuses

    def unless(
        self,
        test: str,
        here: Here,
        node: Subschema,
        says: str,
        *steps: str | int,
        at: str = "",
        given: str = "",
        got: str = "",
    ) -> None:
        """What follows where a test does not hold: `says` names the keyword's words, see `causes`.

        `at` is the source of a key or number in the value, where that is at fault; `given` of what is told of it.
        """
        self.write(f"if not {test}: return False")

    @contextmanager
    def within(self, most: int, here: Here, node: Subschema) -> Iterator[None]:
        """What is written inside looks into a list or record, which keeps to the limit."""
        self.unless(f"len({here.value}) <= {most}", here, node, "too many")
        yield

    def bounds(self, size: str, low: str, high: str, here: Here, node: Subschema, words: dict[str, Any]) -> None:
        """The two keywords that bound a length."""
        least, most = words.get(low) or None, words.get(high)
        if least is not None and most is not None:
            self.unless(f"{self.bind(least, 'LEAST')} <= {size} <= {self.bind(most, 'MOST')}", here, node, low)
        elif least is not None:
            self.unless(f"{size} >= {self.bind(least, 'LEAST')}", here, node, low)
        elif most is not None:
            self.unless(f"{size} <= {self.bind(most, 'MOST')}", here, node, high)

    def beside(self, node: Subschema, here: Here, *steps: str | int) -> None:
        """Another schema for the same value, by a function of its own."""
        judged = self.judge(node, here.value)
        if judged != "True":
            self.write(f"if not {judged}: return False")

    def alternatives(self, node: Subschema, word: str, options: list[str], here: Here) -> None:
        """`anyOf` and `oneOf`, by what judges each."""
        if word == "anyOf":
            self.write(f"if not ({' or '.join(options)}): return False")
        else:
            self.write(f"if [{', '.join(f'bool({option})' for option in options)}].count(True) != 1: return False")

    def dynamic(self, node: Subschema, word: str, here: Here, lead: Callable[..., Subschema]) -> None:
        """A reference whose target depends on the way that led to it."""
        call = self.bind(self.compiler.dynamic_call(lead), "DYNAMIC")
        self.write(f"if not {call}({here.value}, scope): return False")

    def evaluated(self, node: Subschema, here: Here) -> None:
        """A schema that asks what others looked at."""
        evaluate = self.bind(lambda value, scope: self.compiler.interpreter.sound(node, value, scope), "EVALUATED")
        self.write(f"if not {evaluate}({here.value}, scope): return False")

    def differ(self, node: Subschema, here: Here) -> None:
        """`uniqueItems`."""
        self.write(f"if not {self.bind(all_differ, 'all_differ')}({here.value}): return False")

    def names(self, node: Subschema, here: Here) -> None:
        """`propertyNames`."""
        key = self.writer.variable("key")
        with self.block(f"for {key} in {here.value}:"):
            self.body(node, Here(key), 1)

    def inside(self, node: Subschema, step: str, item: str, here: Here, *steps: str | int) -> Here:
        """A part of a value."""
        return Here(item)

    # The keywords

    def judge(self, node: Subschema, value: str) -> str:
        """An expression that judges a value by a schema."""
        if idle(node.raw):
            return "True"
        if node.raw is False:
            return "False"
        if isinstance(node.raw, dict) and list(node.raw) == ["type"] and "type" in node.dialect.keywords:
            return f"({self.type_test(node, types_of(node, node.raw), value)})"
        return f"{self.compiler.function(node)}({value}, scope)"

    def body(self, node: Subschema, here: Here, depth: int) -> None:
        """All that a schema says of a value."""
        raw = node.raw
        if raw is True:
            return
        if raw is False:
            self.unless("False", here, node, "nothing")
            return
        if depth and (depth > _INLINE_DEPTH or node.is_root or len(self.writer.lines) > _MOST_LINES):
            self.beside(node, here)
            return
        # However it was come by: at its root, at a pointer into it or at an anchor.
        if depth == 0 and self.library.dynamic:
            self.write(f"scope = {self.bind(entered, 'entered')}(scope, {self.bind(node.resource, 'HERE')})")
        words = active(node)
        if "unevaluatedItems" in words or "unevaluatedProperties" in words:
            self.evaluated(node, here)
            return
        self.in_place(node, words, here, depth)

    def part(self, owner: Subschema, node: Subschema, step: str, item: str, here: Here, depth: int) -> None:
        """All that a schema says of a part of the value, which another one holds."""
        steps = node.steps[len(owner.steps) :]
        if node.raw is False:
            says, given = ("no item", item) if steps[0] in LIST_WORDS else ("no other key", step)
            self.unless("False", here, owner, says, *steps, at=step, given=given)
            return
        self.body(node, self.inside(node, step, item, here, *steps), depth)

    def in_place(self, node: Subschema, words: dict[str, Any], here: Here, depth: int) -> None:
        """The keywords of a schema, one group after the other."""
        value, only = here.value, ""
        kinds = types_of(node, words)
        if self.tells:
            self.references(node, words, here)
        if kinds:
            self.unless(f"({self.type_test(node, kinds, value)})", here, node, "type")
            only = kinds[0] if len(kinds) == 1 and not self.tells else ""
        if not self.tells:
            self.references(node, words, here)
        for word in ("enum", "const"):
            if word in words:
                choices = words[word] if word == "enum" else [words[word]]
                self.unless(self.choice(choices, value, only), here, node, word)
        self.group("string", f"isinstance({value}, str)", only, TEXT_WORDS, node, words, here, depth)
        number = f"{value}.__class__ is int or {self.bind(is_bounded, 'is_bounded')}({value})"
        self.group("number", number, only, NUMBER_WORDS, node, words, here, depth)
        lists = f"isinstance({value}, {self.bind(LISTS, 'LISTS')})"
        self.group("array", lists, only, LIST_WORDS, node, words, here, depth)
        self.group("object", f"isinstance({value}, dict)", only, RECORD_WORDS, node, words, here, depth)
        self.combinations(node, words, here, depth)

    def group(
        self,
        kind: str,
        test: str,
        only: str,
        group: tuple[str, ...],
        node: Subschema,
        words: dict[str, Any],
        here: Here,
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
            write(node, words, here, depth)
        elif not narrowed:
            with self.block(f"if {test}:"):
                write(node, words, here, depth)

    def type_test(self, node: Subschema, kinds: list[str], value: str) -> str:
        """A test for one of several types."""
        return " or ".join(self.one_type(node, kind, value) for kind in kinds)

    def one_type(self, node: Subschema, kind: str, value: str) -> str:
        """A test for one type of the standard."""
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

    def references(self, node: Subschema, words: dict[str, Any], here: Here) -> None:
        """`$ref` and its dynamic kin."""
        for word in REFERENCES:
            if word == "$ref" and word in words:
                self.beside(self.library.target(node, words[word]), here, word)
            elif word in words:
                self.dynamic(node, word, here, dynamic_lead(self.library, node, word, words[word]))

    def choice(self, choices: list[Any], value: str, only: str) -> str:
        """A test for one of a few values."""
        if all(isinstance(each, str) for each in choices):
            among = f"{value} in {self.bind(frozenset(choices), 'CHOICES')}"
            return f"({among})" if only == "string" else f"(isinstance({value}, str) and {among})"
        options = self.bind(frozenset(map(keyed, choices)), "CHOICES")
        return f"{self.bind(keyed, 'keyed')}({value}) in {options}"

    def string_words(self, node: Subschema, words: dict[str, Any], here: Here, depth: int) -> None:
        """What is said of text."""
        value = here.value
        self.bounds(f"len({value})", "minLength", "maxLength", here, node, words)
        if "pattern" in words:
            search = self.bind(searcher(node, words["pattern"]), "MATCHES")
            self.unless(f"{search}({value})", here, node, "pattern")
        options = self.compiler.options
        if "format" in words and options.formats(node.dialect) and words["format"] in options.judges:
            judge = self.bind(options.judges[words["format"]][1], "is_of_format")
            self.unless(f"{judge}({value})", here, node, "format")
        if options.content(node.dialect) and ("contentEncoding" in words or "contentMediaType" in words):
            encoding, media = words.get("contentEncoding"), words.get("contentMediaType")
            call = f"{self.bind(holds, 'holds')}({value}, {self.bind(encoding, 'CODE')}, {self.bind(media, 'MEDIA')})"
            self.unless(call, here, node, "contentMediaType" if encoding is None else "contentEncoding")

    def number_words(self, node: Subschema, words: dict[str, Any], here: Here, depth: int) -> None:
        """What is said of numbers."""
        for word, sign, bound in bounds_of(words):
            self.unless(f"{here.value} {sign} {self.bind(bound, 'BOUND')}", here, node, word)
        if "multipleOf" in words:
            judge = self.bind(MultipleOf(words["multipleOf"]), "MULTIPLE_OF")
            self.unless(f"{judge}({here.value})", here, node, "multipleOf")

    def array_words(self, node: Subschema, words: dict[str, Any], here: Here, depth: int) -> None:
        """What is said of lists."""
        value = here.value
        with self.within(self.compiler.options.most_items, here, node):
            self.bounds(f"len({value})", "minItems", "maxItems", here, node, words)
            if words.get("uniqueItems") is True:
                self.differ(node, here)
            first, rest = list_parts(node, words)
            for number, subschema in enumerate(first):
                if not idle(subschema.raw):
                    with self.block(f"if len({value}) > {number}:"):
                        item = self.writer.variable("item")
                        self.write(f"{item} = {value}[{number}]")
                        self.part(node, subschema, str(number), item, here, depth + 1)
            if rest is not None and not idle(rest.raw):
                self.items(node, rest, len(first), here, depth)
            if "contains" in words:
                self.contains(node, words, here)

    def items(self, node: Subschema, rest: Subschema, start: int, here: Here, depth: int) -> None:
        """All items past the first ones."""
        item = self.writer.variable("item")
        which = f"{here.value}[{start}:]" if start else here.value
        with self.block(f"for {item} in {which}:"):
            self.part(node, rest, "", item, here, depth + 1)

    def contains(self, node: Subschema, words: dict[str, Any], here: Here) -> None:
        """How many items are as another schema has them."""
        least, most = contains_bounds(words)
        item = self.writer.variable("item")
        judged = self.judge(node.subschema("contains"), item)
        low = "minContains" if "minContains" in words else "contains"
        if most is None and least == 1 and not self.tells:
            # A loop, not any(...): the scope of a generator could not see a scope that was entered here.
            with self.block(f"for {item} in {here.value}:"):
                self.write(f"if {judged}: break")
            with self.block("else:"):
                self.unless("False", here, node, low)
            return
        count = self.writer.variable("count")
        self.write(f"{count} = 0")
        with self.block(f"for {item} in {here.value}:"):
            self.write(f"if {judged}: {count} += 1")
        self.unless(f"{count} >= {self.bind(least, 'LEAST')}", here, node, low, got=count)
        if most is not None:
            # Where there are too few, that is told and not that there are too many.
            enough = f"({count} < {self.bind(least, 'LEAST')} or {count} <= {self.bind(most, 'MOST')})"
            self.unless(enough, here, node, "maxContains", got=count)

    def object_words(self, node: Subschema, words: dict[str, Any], here: Here, depth: int) -> None:
        """What is said of records."""
        with self.within(self.compiler.options.most_items, here, node):
            self.bounds(f"len({here.value})", "minProperties", "maxProperties", here, node, words)
            properties = words.get("properties", {})
            required = list(dict.fromkeys(words.get("required", [])))
            for name in required:
                if self.tells or name not in properties or properties[name] is True:
                    self.unless(f"{self.key(name)} in {here.value}", here, node, "required", at=self.key(name))
            for number, (name, held) in enumerate(properties.items(), 1):
                needed = name in required and not self.tells
                if held is not True and (needed or held != {}):
                    self.property(node, name, number, here, depth, needed=needed)
            self.other_keys(node, words, here, depth)
            if "propertyNames" in words:
                self.names(node.subschema("propertyNames"), here)
            self.dependents(node, words, here)

    def property(self, node: Subschema, name: str, number: int, here: Here, depth: int, *, needed: bool) -> None:
        """A declared property; one that is needed is asked for its presence too."""
        item, key, absent = self.writer.variable("property"), self.key(name), self.bind(ABSENT, "ABSENT")
        came = f"{item} = {here.value}.get({key}, {absent})"
        self.write(came + self.writer.note(name, number))
        subschema = node.subschema("properties", name)
        if needed:
            # What is absent is of no type.
            if not (isinstance(subschema.raw, dict) and types_of(subschema, active(subschema))):
                self.write(f"if {item} is {absent}: return False")
            self.part(node, subschema, key, item, here, depth + 1)
        else:
            with self.block(f"if {item} is not {absent}:"):
                self.part(node, subschema, key, item, here, depth + 1)

    def other_keys(self, node: Subschema, words: dict[str, Any], here: Here, depth: int) -> None:
        """`patternProperties` and `additionalProperties`."""
        patterns = words.get("patternProperties", {})
        rest = node.subschema("additionalProperties") if "additionalProperties" in words else None
        no_rest = rest is None or idle(rest.raw)
        if not patterns and no_rest:
            return
        known = self.bind(frozenset(words.get("properties", {})), "KNOWN")
        if not patterns and rest is not None and rest.raw is False and not self.tells:
            self.write(f"if not {here.value}.keys() <= {known}: return False")
            return
        key, item = self.writer.variable("key"), self.writer.variable("item")
        with self.block(f"for {key}, {item} in {here.value}.items():"):
            if patterns and not no_rest:
                seen = self.writer.variable("seen")
                self.write(f"{seen} = {key} in {known}")
            for pattern in patterns:
                search = self.bind(searcher(node, pattern), "MATCHES")
                with self.block(f"if isinstance({key}, str) and {search}({key}):"):
                    if not no_rest:
                        self.write(f"{seen} = True")
                    self.part(node, node.subschema("patternProperties", pattern), key, item, here, depth + 2)
            if not no_rest and rest is not None:
                with self.block(f"if not {seen}:" if patterns else f"if {key} not in {known}:"):
                    self.part(node, rest, key, item, here, depth + 2)

    def dependents(self, node: Subschema, words: dict[str, Any], here: Here) -> None:
        """What the presence of one property asks for."""
        for word in ("dependentRequired", "dependentSchemas", "dependencies"):
            for name, wanted in words.get(word, {}).items():
                if idle(wanted) or wanted == []:
                    continue
                with self.block(f"if {self.key(name)} in {here.value}:"):
                    if isinstance(wanted, list | str):
                        for each in [wanted] if isinstance(wanted, str) else wanted:
                            key = self.key(each)
                            self.unless(f"{key} in {here.value}", here, node, "dependent", word, name, at=key)
                    else:
                        self.beside(node.subschema(word, name), here, word, name)

    def combinations(self, node: Subschema, words: dict[str, Any], here: Here, depth: int) -> None:
        """Other schemas for the same value, and how many of them must hold."""
        for number, _ in enumerate(words.get("allOf", [])):
            self.body(node.subschema("allOf", number), self.through(here, "allOf", number), depth + 1)
        for word in ("anyOf", "oneOf"):
            if word in words:
                subschemas = [node.subschema(word, number) for number in range(len(words[word]))]
                options = [self.judge(each, here.value) for each in subschemas]
                self.alternatives(node, word, options, here)
        if "not" in words:
            self.unless(f"(not {self.judge(node.subschema('not'), here.value)})", here, node, "not")
        if "if" in words and ("then" in words or "else" in words):
            with self.block(f"if {self.judge(node.subschema('if'), here.value)}:"):
                if "then" in words:
                    self.body(node.subschema("then"), self.through(here, "then"), depth + 1)
            if "else" in words:
                with self.block("else:"):
                    self.body(node.subschema("else"), self.through(here, "else"), depth + 1)

    def through(self, here: Here, *steps: str | int) -> Here:
        """The same value, further on in the document."""
        return here
