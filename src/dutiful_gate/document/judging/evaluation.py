"""One value before one schema, keyword by keyword as the standard says it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from typing import TYPE_CHECKING, Any, Final

from ...declare.equality import LISTS, all_differ, keyed, too_alike
from ...declare.multiples import multiple_of
from .causes import bounds_of, numbered
from .content import holds
from .findings import Evaluated, Finding, Found, KeywordNote, Question
from .json_values import is_bounded
from .keywords import (
    contains_bounds,
    dynamic_lead,
    entered,
    list_parts,
)
from .library import Subschema
from .patterns import searcher
from .schema_words import SchemaWords, has_a_say

if TYPE_CHECKING:
    from .interpreter import Interpreter
    from .keywords import Scope


_HERE: Final = object()


class AnsweredNo(Exception):
    """Ends a question that only wanted yes or no."""


class Evaluation:
    """One value before one schema."""

    def __init__(self, interpreter: Interpreter, node: Subschema, ask: Question) -> None:
        self.interpreter = interpreter
        self.node = node
        self.ask = ask
        self.seen = Evaluated()
        self.known: SchemaWords | None = None
        self.words: dict[str, Any] = {}

    # What comes of it

    def refuse(
        self,
        says: str,
        *steps: str | int,
        given: Any = _HERE,
        at: Any = _HERE,
        branches: Sequence[list[Finding]] = (),
        got: str | None = None,
    ) -> None:
        """A keyword refuses: the value, or with `at` a key in it that is absent or not wanted."""
        ask = self.ask
        if ask.found is None:
            raise AnsweredNo
        path = ask.path if at is _HERE else (*ask.path, at)
        if given is _HERE:
            given = ask.value if at is _HERE else None
        keyword = self.interpreter.keywords.at(self.node, says, *steps)
        ask.found.note(Finding(path, keyword, given, ask.route, branches, got))

    def aside(self) -> Found:
        """A list of its own for what may not count in the end."""
        return Found(0 if self.ask.found is None else self.ask.found.most)

    def note(self, word: str, held: Any) -> None:
        """Note what a keyword says, for keywords that hang on others."""
        if self.ask.notes is not None:
            self.ask.notes.append(KeywordNote(self.ask.path, (self.ask.route, (word,)), self.node.location(word), held))

    def into(self, subschema: Subschema, step: Any, value: Any, *words: str | int) -> bool:
        """Whether a part of the value is sound by a schema that this one holds."""
        if subschema.raw is True:
            return True
        if subschema.raw is False:
            self.forbidden(step, value, *words)
            return False
        sound = self.quick_judge(subschema)
        if sound is not None and sound(value, self.ask.scope):
            return True
        return self.further(subschema, step, value, *words, known=sound is not None)

    def further(self, subschema: Subschema, step: Any, value: Any, *words: str | int, known: bool) -> bool:
        """The same, told closely; with `known` it is sure that the value is not sound."""
        found = self.ask.found
        if known and found is not None and found.is_full:
            found.lose()
            return False
        seen = self.interpreter.judged(subschema, self.ask.inside(step, value, *words))
        if seen is None:
            return self._end()
        self.seen.unsure.update(seen.unsure)
        return True

    def quick_judge(self, subschema: Subschema) -> Callable[[Any, Scope], bool] | None:
        """What tells quickly which values need no closer look, where only faults are asked for."""
        ask = self.ask
        return None if ask.found is None or ask.notes is not None else self.interpreter.quick_judge(subschema)

    def each(self, subschema: Subschema, held: Any, steps: Iterable[Any], *words: str | int) -> None:
        """The same for many parts of the value, by one schema."""
        ask, found = self.ask, self.ask.found
        sound = self.quick_judge(subschema) if isinstance(subschema.raw, dict) else None
        for step in steps if subschema.raw is not True else ():
            if found is None or len(found) < found.most or sound is None:
                self.into(subschema, step, held[step], *words)
            elif not sound(held[step], ask.scope):
                found.lose()

    def _end(self) -> bool:
        if self.ask.found is None:
            raise AnsweredNo
        return False

    def forbidden(self, step: Any, value: Any, *words: str | int) -> None:
        """The schema `false` where a property or an item is."""
        if self.ask.found is not None and self.ask.found.is_full:
            self.ask.found.lose()
        else:
            in_record = isinstance(self.ask.value, dict)
            says, given = ("no other key", step) if in_record else ("no item", value)
            self.refuse(says, *words, at=step, given=given)

    # The keywords

    def held(self) -> Evaluated:
        """All keywords, one group after the other."""
        node, ask = self.node, self.ask
        if node.raw is True:
            return self.seen
        if node.raw is False:
            self.refuse("nothing")
            return self.seen
        value = ask.value
        if len(ask.path) > self.interpreter.options.most_deep and isinstance(value, (dict, *LISTS)):
            self.refuse("too deep")
            return self.seen
        if self.interpreter.library.dynamic:
            ask.scope = entered(ask.scope, node.resource)
        known = self.known = self.interpreter.words(node)
        self.words = known.words
        unusable = self.interpreter.library.unusable.get(node)
        if unusable is not None and any(has_a_say(word, value) for word in unusable):
            self.unsure()
        if known.refers:
            self.references()
        self.any_kind(known, value)
        if isinstance(value, str):
            self.text(value)
        elif isinstance(value, dict):
            if self.is_small(value, looked_into=known.looks_into_records):
                self.record(known, value)
        elif isinstance(value, LISTS):
            if self.is_small(value, looked_into=known.looks_into_lists):
                self.items(value)
        elif is_bounded(value):
            self.number(value)
        if known.combines:
            self.combinations()
        if isinstance(value, dict) and "unevaluatedProperties" in self.words:
            self.unevaluated_keys(value)
        if isinstance(value, LISTS) and "unevaluatedItems" in self.words:
            self.unevaluated_items(value)
        for word in known.notes if ask.notes is not None else ():
            self.note(word, self.words[word])
        return self.seen

    def unsure(self) -> None:
        """Something that cannot be used had a say in this value."""
        self.seen.unsure[self.ask.path] = None
        self.seen.perhaps = True

    def is_small(self, value: Collection[Any], *, looked_into: bool) -> bool:
        """Whether a list or record keeps to the limit, where keywords would look into it."""
        most = self.interpreter.options.most_items
        if len(value) <= most or not looked_into:
            return True
        self.refuse("too many")
        return False

    def beside(self, subschema: Subschema, *words: str | int) -> bool:
        """Whether the value is sound by a schema beside this one, whose looks count as ours."""
        seen = self.interpreter.judged(subschema, self.ask.beside(*words))
        if seen is None:
            return self._end()
        self.seen.add(seen)
        return True

    def references(self) -> None:
        """The schemas that references lead to, before the same value."""
        library = self.interpreter.library
        if "$ref" in self.words:
            self.beside(self.interpreter.target(self.node, self.words["$ref"]), "$ref")
        for word in ("$dynamicRef", "$recursiveRef"):
            if word in self.words:
                lead = dynamic_lead(library, self.node, word, self.words[word])
                self.beside(lead(self.ask.scope), word)

    def any_kind(self, known: SchemaWords, value: Any) -> None:
        """What `enum` and `const` say of a value of any kind."""
        if not known.is_of_kind(value):
            self.refuse("type")
        if known.choices is not None and keyed(value) not in known.choices:
            self.refuse("enum")
        if known.constant and keyed(value) != known.constant[0]:
            self.refuse("const")

    def size(self, length: int, low: str, high: str) -> None:
        """The two keywords that bound a length."""
        if low in self.words and length < self.words[low]:
            self.refuse(low)
        if high in self.words and length > self.words[high]:
            self.refuse(high)

    def text(self, value: str) -> None:
        """What keywords say of a text."""
        words, options = self.words, self.interpreter.options
        self.size(len(value), "minLength", "maxLength")
        if "pattern" in words and not searcher(self.node, words["pattern"])(value):
            self.refuse("pattern")
        judged = "format" in words and options.formats(self.node.dialect) and words["format"] in options.judges
        if judged and not options.judges[words["format"]][1](value):
            self.refuse("format")
        if options.content(self.node.dialect):
            encoding, media = words.get("contentEncoding"), words.get("contentMediaType")
            if not holds(value, encoding, media):
                self.refuse("contentMediaType" if encoding is None else "contentEncoding")

    def number(self, value: Any) -> None:
        """What keywords say of a number."""
        for word, sign, bound in bounds_of(self.words):
            within = value > bound if sign.startswith(">") else value < bound
            if not within and not (value == bound and sign.endswith("=")):
                self.refuse(word)
        if "multipleOf" in self.words and not multiple_of(self.words["multipleOf"])(value):
            self.refuse("multipleOf")

    def items(self, value: Sequence[Any]) -> None:
        """What keywords say of a list and its items."""
        self.size(len(value), "minItems", "maxItems")
        if self.words.get("uniqueItems") is True and not all_differ(value):
            self.refuse("too alike" if too_alike(value) else "uniqueItems", "uniqueItems")
        first, rest = list_parts(self.node, self.words)
        for number, subschema in enumerate(first[: len(value)]):
            self.into(subschema, number, value[number], *subschema.steps[len(self.node.steps) :])
        self.seen.items.update(range(min(len(first), len(value))))
        if first and value:
            self.note(str(first[0].steps[len(self.node.steps)]), True if len(first) >= len(value) else len(first) - 1)
        if rest is not None:
            word = str(rest.steps[-1])
            self.each(rest, value, range(len(first), len(value)), word)
            self.seen.items.update(range(len(value)))
            if len(value) > len(first):
                self.note(word, True)
        if "contains" in self.words:
            self.contains(value)

    def contains(self, value: Sequence[Any]) -> None:
        """How many items `contains` finds."""
        subschema = self.node.subschema("contains")
        interpreter, scope = self.interpreter, self.ask.scope
        judged = [interpreter.judged(subschema, Question(item, scope)) for item in value]
        fits = [at for at, seen in enumerate(judged) if seen is not None and not seen.unsure]
        perhaps = sum(1 for seen in judged if seen is not None and seen.unsure)
        least, most = contains_bounds(self.words)
        if perhaps and len(fits) + perhaps >= least and (most is None or len(fits) <= most):
            self.seen.perhaps |= "prefixItems" in self.node.dialect.keywords
            if len(fits) < least or (most is not None and len(fits) + perhaps > most):
                self.unsure()
        elif len(fits) < least:
            self.refuse("minContains" if "minContains" in self.words else "contains", got=str(len(fits)))
        elif most is not None and len(fits) > most:
            self.refuse("maxContains", got=str(len(fits)))
        if "prefixItems" in self.node.dialect.keywords:
            self.seen.items.update(fits)
        self.note("contains", True if len(fits) == len(value) else fits)

    def record(self, known: SchemaWords, value: dict[str, Any]) -> None:
        """What keywords say of a record and its keys."""
        words = self.words
        self.size(len(value), "minProperties", "maxProperties")
        for name in known.required:
            if name not in value:
                self.refuse("required", at=name)
        self.properties(known, value)
        if "propertyNames" in words:
            subschema = self.node.subschema("propertyNames")
            for key in value:
                self.key(subschema, key)
        for word in ("dependentRequired", "dependentSchemas", "dependencies"):
            for name, wanted in words.get(word, {}).items():
                if name in value:
                    self.dependent(word, name, wanted, value)

    def properties(self, known: SchemaWords, value: dict[Any, Any]) -> None:
        """The values of a record, each before the schemas that its key leads to."""
        words, node, scope = self.words, self.node, self.ask.scope
        looked: dict[str, list[str]] = {}
        patterns = words.get("patternProperties", {})
        # In the order of the data: past the most findings, the first ones in it are those that are told.
        for name in value if known.properties else ():
            declared = known.properties.get(name)
            if declared is not None:
                subschema, lead = declared
                sound = self.quick_judge(subschema)
                if sound is None:
                    self.into(subschema, name, value[name], *lead)
                elif not sound(value[name], scope):
                    self.further(subschema, name, value[name], *lead, known=True)
                looked.setdefault("properties", []).append(name)
        for pattern in patterns:
            search = searcher(node, pattern)
            names = [name for name in value if isinstance(name, str) and search(name)]
            self.each(node.subschema("patternProperties", pattern), value, names, "patternProperties", pattern)
            if names:
                looked.setdefault("patternProperties", []).extend(names)
        own = {name for names in looked.values() for name in names}
        self.seen.keys |= own
        if "additionalProperties" in words:
            rest = [name for name in value if name not in own]
            self.each(node.subschema("additionalProperties"), value, rest, "additionalProperties")
            self.seen.keys.update(rest)
            looked["additionalProperties"] = rest
        for word, names in looked.items() if self.ask.notes is not None else ():
            self.note(word, names)

    def key(self, subschema: Subschema, key: str) -> None:
        """A name of a property, before the schema for names."""
        if self.ask.found is None:
            seen = self.interpreter.judged(subschema, Question(key, self.ask.scope, (*self.ask.path, key)))
            if seen is None:
                raise AnsweredNo
            self.seen.unsure.update(seen.unsure)
            return
        sound = self.quick_judge(subschema)
        if sound is not None:
            if sound(key, self.ask.scope):
                return
            if self.ask.found.is_full:
                self.ask.found.lose()
                return
        found = self.aside()
        route = (self.ask.route, ("propertyNames",))
        self.interpreter.judged(subschema, Question(key, self.ask.scope, (*self.ask.path, key), route, found))
        for finding in found:
            self.ask.found.note(finding.told_of_key())
        for _ in range(found.lost):
            self.ask.found.lose()
        self.seen.unsure.update(found.unsure)

    def dependent(self, word: str, name: str, wanted: Any, value: dict[str, Any]) -> None:
        """What the presence of one key asks of the others."""
        if isinstance(wanted, list | str):
            for each in [wanted] if isinstance(wanted, str) else wanted:
                if each not in value:
                    self.refuse("dependent", word, name, at=each)
            return
        self.beside(self.node.subschema(word, name), word, name)

    def combinations(self) -> None:
        """`allOf`, `anyOf`, `oneOf`, `not` and `if`."""
        words, node = self.words, self.node
        for number in range(len(words.get("allOf", []))):
            self.beside(node.subschema("allOf", number), "allOf", number)
        for word in ("anyOf", "oneOf"):
            if word in words:
                self.alternatives(word, words[word])
        if "not" in words:
            seen = self.interpreter.judged(node.subschema("not"), Question(self.ask.value, self.ask.scope))
            if seen is not None and seen.unsure:
                self.seen.unsure[self.ask.path] = None
            elif seen is not None:
                self.refuse("not")
        if "if" in words and ("then" in words or "else" in words or self.looks_at_parts()):
            self.condition()

    def looks_at_parts(self) -> bool:
        """Whether it can matter what a condition looks at that nothing hangs on: other values have no parts."""
        return self.ask.notes is not None or isinstance(self.ask.value, (dict, *LISTS))

    def condition(self) -> None:
        """`if`, `then` and `else`."""
        seen = self.interpreter.judged(self.node.subschema("if"), self.ask.beside("if", quiet=True))
        if seen is not None and seen.unsure:
            self.either()
            return
        if seen is not None:
            self.seen.add(seen)
        word = "then" if seen is not None else "else"
        if word in self.words:
            self.beside(self.node.subschema(word), word)

    def either(self) -> None:
        """What `then` and `else` agree in, where it is not known which of them holds."""
        self.seen.perhaps = True
        told: list[tuple[Found, Evaluated | None]] = []
        for word in ("then", "else"):
            found = self.aside()
            ask = self.ask.beside(word, found=found, quiet=self.ask.found is None)
            told.append(
                (found, self.interpreter.judged(self.node.subschema(word), ask) if word in self.words else Evaluated())
            )
        if all(seen is None for _, seen in told):
            if self.ask.found is None:
                raise AnsweredNo
            for finding in told[0][0]:
                self.ask.found.note(finding)
        elif any(seen is None or seen.unsure for _, seen in told):
            self.unsure()

    def alternatives(self, word: str, options: list[Any]) -> None:
        """`anyOf` and `oneOf`."""
        fits: list[int] = []
        perhaps = 0
        failed: list[list[Finding]] = []
        for number in range(len(options)):
            found = self.aside()
            quiet = self.ask.found is None
            ask = self.ask.beside(word, number, found=found, quiet=quiet)
            seen = self.interpreter.judged(self.node.subschema(word, number), ask)
            if seen is None:
                failed.append(found)
                continue
            if seen.unsure:
                perhaps += 1
                continue
            fits.append(number)
            self.seen.add(seen)
            if word == "anyOf" and quiet and not self.wants_looks():
                return
        if perhaps and not (word == "oneOf" and len(fits) > 1):
            self.seen.perhaps = True
            if not fits or word == "oneOf":
                self.unsure()
        elif not fits:
            self.refuse(word, branches=failed)
        elif word == "oneOf" and len(fits) > 1:
            self.refuse("several fit", word, got=numbered(fits))

    def wants_looks(self) -> bool:
        """Whether it matters which alternatives fit, and not only that one does."""
        return isinstance(self.ask.value, (dict, *LISTS))

    def unevaluated_keys(self, value: dict[str, Any]) -> None:
        """The keys that no keyword has looked at."""
        subschema = self.node.subschema("unevaluatedProperties")
        left = [name for name in value if name not in self.seen.keys]
        for name in left:
            self.unevaluated(subschema, name, value[name], "unevaluatedProperties")
        self.seen.keys.update(left)
        self.note("unevaluatedProperties", left)

    def unevaluated_items(self, value: Sequence[Any]) -> None:
        """The items that no keyword has looked at."""
        subschema = self.node.subschema("unevaluatedItems")
        for number in range(len(value)):
            if number not in self.seen.items:
                self.unevaluated(subschema, number, value[number], "unevaluatedItems")
        self.seen.items.update(range(len(value)))
        self.note("unevaluatedItems", True)

    def unevaluated(self, subschema: Subschema, step: Any, value: Any, word: str) -> None:
        """A property or item that nothing looked at, or perhaps something that cannot be used."""
        if not self.seen.perhaps:
            self.into(subschema, step, value, word)
            return
        ask = Question(value, self.ask.scope, (*self.ask.path, step))
        seen = self.interpreter.judged(subschema, ask)
        if seen is None or seen.unsure:
            self.seen.unsure[ask.path] = None
