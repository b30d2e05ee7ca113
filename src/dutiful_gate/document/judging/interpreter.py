"""Every fault of data by a document, each with its keyword; run only when the sound functions said no.

This is the standard word for word: it follows what each keyword says of evaluated properties and items too, which the
sound functions leave to it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from decimal import Decimal
from functools import partial
from typing import Any, Final

from ...declare.equality import LISTS, all_differ, keyed, too_alike
from ...declare.facts import Facts, Got, Unit
from ...declare.hash_limits import MOST_ALIKE
from ...declare.multiples import is_multiple
from ...declare.rules import Ceiling, Distinct, Floor, Length, Multiple, Rule
from ...report.cause import Cause, UnknownKey
from ..dialects import VOCABULARIES
from .compiler import (
    LIST_WORDS,
    NUMBER_WORDS,
    RECORD_WORDS,
    TEXT_WORDS,
    Judge,
    JudgingOptions,
    Scope,
    active,
    contains_bounds,
    dynamic_lead,
    entered,
    goes_on_beside,
    list_parts,
    number_bounds,
    types_of,
)
from .content import holds
from .findings import Evaluated, Finding, Found, Note, Question, Route, located
from .json_values import is_integer, is_integer_4, is_number
from .library import Subschema
from .patterns import searcher
from .wording import PHRASES, alternative, barred, of_pattern, worded

TEXT = Facts("text", "text", measured=Unit.CHARACTERS, text=True)
NUMBER = Facts("a number", "number", ordered=(int, float), number=True)
LIST = Facts("an array", "list", measured=Unit.ITEMS)
RECORD = Facts("an object", "record", measured=Unit.KEYS)
_NOTES = VOCABULARIES["https://json-schema.org/draft/2020-12/vocab/meta-data"] | {
    "contentEncoding", "contentMediaType", "contentSchema", "format",
}  # fmt: skip
_HERE: Final = object()
TOO_DEEP = Cause("depth", "data at most {most} levels deep", got="deeper data")


class _Refused(Exception):
    """Ends a question that only wanted yes or no."""


class Keywords:
    """The keywords of one schema, and what follows from them alone: put together when it is first asked for."""

    def __init__(self, node: Subschema) -> None:
        self.node = node
        self.words = words = active(node)
        kinds = types_of(node, words)
        self.kinds = [(kind, _tester(kind, pointless=node.dialect.pointless)) for kind in kinds]
        self.choices = {keyed(each) for each in words["enum"]} if "enum" in words else None
        self.constant = (keyed(words["const"]),) if "const" in words else ()
        self.refers = not _REFERENCES.isdisjoint(words)
        self.combines = not _COMBINING.isdisjoint(words)
        self.notes = tuple(word for word in words if word in _NOTES)
        self.looks_into_records = any(word in words for word in RECORD_WORDS)
        self.looks_into_lists = any(word in words for word in LIST_WORDS)
        self.properties: dict[str, tuple[Subschema, tuple[str, str]]] = {
            name: (node.subschema("properties", name), ("properties", name)) for name in words.get("properties", {})
        }
        self.required = tuple(dict.fromkeys(words.get("required", ())))
        # Of a value that holds no others only the keywords of its own kind have anything to say.
        self.judges_alone = not (self.refers or self.combines or node in node.document.library.unusable)

    def is_of_kind(self, value: Any) -> bool:
        """Whether a value is of one of the types that are asked for; of any where none is."""
        return not self.kinds or any(test(value) for _, test in self.kinds)


def _tester(kind: str, *, pointless: bool) -> Callable[[Any], bool]:
    """What tells values of a type of the standard."""
    tests: dict[str, Callable[[Any], bool]] = {
        "string": lambda value: isinstance(value, str),
        "integer": is_integer_4 if pointless else is_integer,
        "number": is_number,
        "boolean": lambda value: value is True or value is False,
        "null": lambda value: value is None,
        "array": lambda value: isinstance(value, LISTS),
    }
    return tests.get(kind, lambda value: isinstance(value, dict))


class Interpreter:
    """Judges by interpreting documents."""

    def __init__(self, options: JudgingOptions, most_deep: int) -> None:
        self.options = options
        self.unsure: frozenset[Subschema] = frozenset()
        self.quick: Callable[[Subschema], Judge] | None = None
        self.library = options.library
        self.memory = options.memory
        self.most_deep = most_deep
        self._keywords: dict[Subschema, Keywords] = {}
        self._swift: dict[Subschema, Judge | None] = {}
        self._targets: dict[tuple[Subschema, str], Subschema] = {}
        # What keywords say, by where they stand and what of: made when one first refuses.
        self.causes: dict[tuple[tuple[Subschema, tuple[str | int, ...]], Any], Cause] = {}

    def target(self, node: Subschema, reference: str) -> Subschema:
        """What a reference leads to, looked up once."""
        found = self._targets.get((node, reference))
        if found is None:
            found = self._targets[node, reference] = self.library.target(node, reference)
        return found

    def keywords(self, node: Subschema) -> Keywords:
        """The keywords of a schema."""
        known = self._keywords.get(node)
        if known is None:
            known = self._keywords[node] = Keywords(node)
        return known

    def swift(self, node: Subschema) -> Judge | None:
        """What tells quickly which values need no closer look at a schema; None where every one does."""
        try:
            return self._swift[node]
        except KeyError:
            quick = self.quick
            found = None if quick is None or node in self.unsure or not isinstance(node.raw, dict) else quick(node)
            self._swift[node] = found
            return found

    def sound(self, node: Subschema, value: Any, scope: Scope) -> bool:
        """Yes or no, for schemas whose keywords depend on what others looked at."""
        return self.judged(node, Question(value, scope)) is not None

    def judged(self, node: Subschema, ask: Question) -> Evaluated | None:
        """What was looked at when the value is sound, else None; findings and notes go where the question says."""
        memory = self.memory.held
        if memory is not None and ask.notes is not None:
            self.memory.to_note -= 1
            if self.memory.to_note > 0:
                return self._judged(node, ask)
        elif memory is None or not (isinstance(ask.value, (dict, *LISTS)) or goes_on_beside(node)):
            return self._judged(node, ask)
        # Where branches meet, they ask the same again on every level: each is asked once.
        mark = ("told", node, id(ask.value), ask.path, ask.scope, ask.found is None)
        known = memory.get(mark)
        if known is None:
            found = None if ask.found is None else Found(ask.found.most)
            seen = self._judged(node, Question(ask.value, ask.scope, ask.path, ask.route, found))
            known = memory[mark] = (ask.value, seen, found)
        _, seen, found = known
        if ask.found is not None and found is not None:
            ask.found.take(found)
        return seen

    def _judged(self, node: Subschema, ask: Question) -> Evaluated | None:
        mark = len(ask.notes) if ask.notes is not None else 0
        before = ask.found.noted if ask.found is not None else 0
        try:
            seen = _Evaluation(self, node, ask).held()
        except _Refused:
            seen = None
        if ask.found is not None and seen is not None:
            ask.found.unsure.update(seen.unsure)
        if ask.found is not None and ask.found.noted > before:
            seen = None
        if seen is None and ask.notes is not None:
            del ask.notes[mark:]
        return seen


class _Evaluation:
    """One value before one schema."""

    def __init__(self, interpreter: Interpreter, node: Subschema, ask: Question) -> None:
        self.interpreter = interpreter
        self.node = node
        self.ask = ask
        self.seen = Evaluated()
        self.known: Keywords | None = None
        self.words: dict[str, Any] = {}

    # What comes of it

    def refuse(
        self,
        make: Callable[[], Cause],
        *words: str | int,
        value: Any = None,
        at: Any = _HERE,
        branches: Sequence[list[Finding]] = (),
        of: Any = "",
    ) -> None:
        """A keyword refuses: the value, or with `at` a key in it that is absent or not wanted.

        The cause is made once, and kept for the keyword and what it is `of`; anew each time where that is None.
        """
        ask = self.ask
        if ask.found is None:
            raise _Refused
        path = ask.path if at is _HERE else (*ask.path, at)
        given = ask.value if value is None and at is _HERE else value
        place = (self.node, words)
        kept = self.interpreter.causes
        cause = kept.get((place, of)) if of is not None else None
        if cause is None:
            cause = make()
            if of is not None:
                cause = kept[place, of] = located(cause, place)
        finding = Finding(path, cause, given, given, Route(ask.route, words), branches, place, located=of is not None)
        ask.found.note(finding)

    def rule(self, make: Callable[[], Rule], facts: Facts, word: str) -> None:
        """A keyword that says the same as a rule of ours speaks with its words."""

        def cause() -> Cause:
            rule = make()
            face = rule.faces("value", facts, lambda constant, hint: hint)[-1]
            return Cause(face.code, face.needs, rule.numbers(), facts.phrase, face.got)

        self.refuse(cause, word)

    def aside(self) -> Found:
        """A list of its own for what may not count in the end."""
        return Found(0 if self.ask.found is None else self.ask.found.most)

    def note(self, word: str, held: Any) -> None:
        if self.ask.notes is not None:
            self.ask.notes.append(Note(self.ask.path, Route(self.ask.route, (word,)), self.node.location(word), held))

    def into(self, subschema: Subschema, step: Any, value: Any, *words: str | int) -> bool:
        """Whether a part of the value is sound by a schema that this one holds."""
        if subschema.raw is True:
            return True
        if subschema.raw is False:
            self.forbidden(step, value, *words)
            return False
        sound = self.swift(subschema)
        if sound is not None and sound(value, self.ask.scope):
            return True
        return self.further(subschema, step, value, *words, known=sound is not None)

    def further(self, subschema: Subschema, step: Any, value: Any, *words: str | int, known: bool) -> bool:
        """The same, told closely; with `known` it is sure that the value is not sound."""
        found = self.ask.found
        if known and found is not None and found.is_full:
            found.lose()
            return False
        if known and found is not None and not isinstance(value, (dict, *LISTS)):
            keywords = self.interpreter.keywords(subschema)
            if keywords.judges_alone:
                _Evaluation(self.interpreter, subschema, self.ask.inside(step, value, *words)).single(keywords, value)
                return False
        seen = self.interpreter.judged(subschema, self.ask.inside(step, value, *words))
        if seen is None:
            return self._end()
        self.seen.unsure.update(seen.unsure)
        return True

    def single(self, known: Keywords, value: Any) -> None:
        """The keywords of a value that holds no others, where no schema beside this one has a say."""
        self.known, self.words = known, known.words
        self.any_kind(known, value)
        if isinstance(value, str):
            self.text(value)
        elif is_number(value):
            self.number(value)

    def swift(self, subschema: Subschema) -> Judge | None:
        """What tells quickly which values need no closer look, where only faults are asked for."""
        ask = self.ask
        return None if ask.found is None or ask.notes is not None else self.interpreter.swift(subschema)

    def each(self, subschema: Subschema, held: Any, steps: Iterable[Any], *words: str | int) -> None:
        """The same for many parts of the value, by one schema."""
        ask, found = self.ask, self.ask.found
        sound = self.swift(subschema) if isinstance(subschema.raw, dict) else None
        for step in steps if subschema.raw is not True else ():
            if found is None or len(found) < found.most or sound is None:
                self.into(subschema, step, held[step], *words)
            elif not sound(held[step], ask.scope):
                found.lose()

    def _end(self) -> bool:
        if self.ask.found is None:
            raise _Refused
        return False

    def forbidden(self, step: Any, value: Any, *words: str | int) -> None:
        """The schema `false` where a property or an item is."""
        if self.ask.found is not None and self.ask.found.is_full:
            self.ask.found.lose()
        elif isinstance(self.ask.value, dict):
            known = tuple(name for name, held in self.words.get("properties", {}).items() if held is not False)
            self.refuse(lambda: UnknownKey(known=known), *words, at=step, value=step)
        else:
            self.refuse(lambda: Cause("count", "no item here"), *words, at=step, value=value)

    # The keywords

    def held(self) -> Evaluated:
        """All keywords, one group after the other."""
        node, ask = self.node, self.ask
        if node.raw is True:
            return self.seen
        if node.raw is False:
            self.refuse(lambda: Cause("branch", "no value here"))
            return self.seen
        value = ask.value
        if len(ask.path) > self.interpreter.most_deep and isinstance(value, (dict, *LISTS)):
            self.refuse(lambda: TOO_DEEP.but(expected={"most": self.interpreter.most_deep}), of="depth")
            return self.seen
        if self.interpreter.library.dynamic:
            ask.scope = entered(ask.scope, node.resource)
        known = self.known = self.interpreter.keywords(node)
        self.words = known.words
        unusable = self.interpreter.library.unusable.get(node)
        if unusable is not None and any(_has_a_say(word, value) for word in unusable):
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
        elif is_number(value):
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
        self.refuse(lambda: Cause("size", "at most {most} of them", {"most": most}, got=Got.LENGTH), of="size")
        return False

    def beside(self, subschema: Subschema, *words: str | int) -> bool:
        """Whether the value is sound by a schema beside this one, whose looks count as ours."""
        seen = self.interpreter.judged(subschema, self.ask.beside(*words))
        if seen is None:
            return self._end()
        self.seen.add(seen)
        return True

    def references(self) -> None:
        library = self.interpreter.library
        if "$ref" in self.words:
            self.beside(self.interpreter.target(self.node, self.words["$ref"]), "$ref")
        for word in ("$dynamicRef", "$recursiveRef"):
            if word in self.words:
                lead = dynamic_lead(library, self.node, word, self.words[word])
                self.beside(lead(self.ask.scope), word)

    def any_kind(self, known: Keywords, value: Any) -> None:
        if not known.is_of_kind(value):
            kinds = [kind for kind, _ in known.kinds]
            self.refuse(lambda: Cause("kind", " or ".join(PHRASES[kind] for kind in kinds)), "type")
        if known.choices is not None and keyed(value) not in known.choices:
            enum = self.words["enum"]
            self.refuse(lambda: Cause("choice", "one of {choices}", {"choices": tuple(map(worded, enum))}), "enum")
        if known.constant and keyed(value) != known.constant[0]:
            self.refuse(lambda: Cause("choice", "{constant}", {"constant": worded(self.words["const"])}), "const")

    def size(self, length: int, low: str, high: str, facts: Facts) -> None:
        """The two keywords that bound a length."""
        if low in self.words and length < self.words[low]:
            self.rule(lambda: Length(self.words[low], None, low), facts, low)
        if high in self.words and length > self.words[high]:
            self.rule(lambda: Length(None, self.words[high], high), facts, high)

    def text(self, value: str) -> None:
        words, options = self.words, self.interpreter.options
        self.size(len(value), "minLength", "maxLength", TEXT)
        if "pattern" in words and not searcher(self.node, words["pattern"])(value):
            self.refuse(lambda: of_pattern(words["pattern"]), "pattern")
        if "format" in words and options.formats(self.node.dialect) and words["format"] in options.judges:
            phrase, judge = options.judges[words["format"]]
            if not judge(value):
                self.refuse(lambda: Cause("format", phrase, {"format": words["format"]}), "format")
        if options.content(self.node.dialect):
            encoding, media = words.get("contentEncoding"), words.get("contentMediaType")
            if not holds(value, encoding, media):
                word = "contentEncoding" if encoding is not None else "contentMediaType"
                held = media or encoding
                self.refuse(lambda: Cause("format", "text that holds {content}", {"content": held}), word, of="content")

    def number(self, value: Any) -> None:
        for sign, bound in number_bounds(self.words):
            low = sign.startswith(">")
            if (value > bound if low else value < bound) or (value == bound and sign.endswith("=")):
                continue
            word = "minimum" if low else "maximum"
            exclusive = f"exclusive{word.capitalize()}"
            if not sign.endswith("=") and not isinstance(self.words.get(exclusive), bool):
                word = exclusive
            inclusive = sign.endswith("=")
            self.rule(partial(Floor if low else Ceiling, bound, inclusive), NUMBER, word)
        if "multipleOf" in self.words and not is_multiple(value, self.words["multipleOf"]):
            self.rule(lambda: Multiple(self.words["multipleOf"]), NUMBER, "multipleOf")

    def items(self, value: Sequence[Any]) -> None:
        self.size(len(value), "minItems", "maxItems", LIST)
        if self.words.get("uniqueItems") is True and not all_differ(value):
            if too_alike(value):
                words = f"at most {MOST_ALIKE} different items that share a hash"
                self.refuse(lambda: Cause("size", words, got="more"), "uniqueItems", of="size")
            else:
                self.rule(Distinct, LIST, "uniqueItems")
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
        subschema = self.node.subschema("contains")
        interpreter, scope = self.interpreter, self.ask.scope
        judged = [interpreter.judged(subschema, Question(item, scope)) for item in value]
        fits = [at for at, seen in enumerate(judged) if seen is not None and not seen.unsure]
        perhaps = sum(1 for seen in judged if seen is not None and seen.unsure)
        least, most = contains_bounds(self.node, self.words)
        if perhaps and len(fits) + perhaps >= least and (most is None or len(fits) <= most):
            self.seen.perhaps |= "prefixItems" in self.node.dialect.keywords
            if len(fits) < least or (most is not None and len(fits) + perhaps > most):
                self.unsure()
        elif len(fits) < least:
            word = "minContains" if "minContains" in self.words else "contains"
            words = "at least {floor} of its items to be as the document's contains has them"
            self.refuse(lambda: Cause("count", words, {"floor": least}, got=str(len(fits))), word, of=None)
        elif most is not None and len(fits) > most:
            words = "at most {ceiling} of its items to be as the document's contains has them"
            self.refuse(lambda: Cause("count", words, {"ceiling": most}, got=str(len(fits))), "maxContains", of=None)
        if "prefixItems" in self.node.dialect.keywords:
            self.seen.items.update(fits)
        self.note("contains", True if len(fits) == len(value) else fits)

    def record(self, known: Keywords, value: dict[str, Any]) -> None:
        words = self.words
        self.size(len(value), "minProperties", "maxProperties", RECORD)
        for name in known.required:
            if name not in value:
                self.refuse(lambda: Cause("absent", "a value"), "required", at=name)
        self.properties(known, value)
        if "propertyNames" in words:
            subschema = self.node.subschema("propertyNames")
            for key in value:
                self.key(subschema, key)
        for word in ("dependentRequired", "dependentSchemas", "dependencies"):
            for name, wanted in words.get(word, {}).items():
                if name in value:
                    self.dependent(word, name, wanted, value)

    def properties(self, known: Keywords, value: dict[Any, Any]) -> None:
        words, node, scope = self.words, self.node, self.ask.scope
        looked: dict[str, list[str]] = {}
        patterns = words.get("patternProperties", {})
        # In the order of the data: past the most findings, the first ones in it are those that are told.
        for name in value if known.properties else ():
            declared = known.properties.get(name)
            if declared is not None:
                subschema, lead = declared
                sound = self.swift(subschema)
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
                raise _Refused
            self.seen.unsure.update(seen.unsure)
            return
        sound = self.swift(subschema)
        if sound is not None:
            if sound(key, self.ask.scope):
                return
            if self.ask.found.is_full:
                self.ask.found.lose()
                return
        found = self.aside()
        route = Route(self.ask.route, ("propertyNames",))
        self.interpreter.judged(subschema, Question(key, self.ask.scope, (*self.ask.path, key), route, found))
        for finding in found:
            self.ask.found.note(finding.of_key())
        for _ in range(found.lost):
            self.ask.found.lose()
        self.seen.unsure.update(found.unsure)

    def dependent(self, word: str, name: str, wanted: Any, value: dict[str, Any]) -> None:
        if isinstance(wanted, list | str):
            needs = "a value, since {given} has one"
            for each in [wanted] if isinstance(wanted, str) else wanted:
                if each not in value:
                    self.refuse(lambda: Cause("agreement", needs, {"given": name}, got="none"), word, name, at=each)
            return
        self.beside(self.node.subschema(word, name), word, name)

    def combinations(self) -> None:
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
                self.refuse(lambda: barred(node.raw["not"], node.location("not")), "not")
        if "if" in words:
            self.condition()

    def condition(self) -> None:
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
                raise _Refused
            for finding in told[0][0]:
                self.ask.found.note(finding)
        elif any(seen is None or seen.unsure for _, seen in told):
            self.unsure()

    def alternatives(self, word: str, options: list[Any]) -> None:
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
            subschemas = [self.node.subschema(word, at) for at in range(len(options))]

            def none_fits() -> Cause:
                phrases = dict.fromkeys(alternative(self.interpreter.library, each) for each in subschemas)
                return Cause("branch", "one of these: {options}", {"options": list(phrases)})

            self.refuse(none_fits, word, branches=failed)
        elif word == "oneOf" and len(fits) > 1:
            which = " and ".join(str(number + 1) for number in fits)
            needs, count = "exactly one of {count} alternatives", {"count": len(options)}
            self.refuse(lambda: Cause("branch", needs, count, got=f"number {which}"), word, of=None)

    def wants_looks(self) -> bool:
        """Whether it matters which alternatives fit, and not only that one does."""
        return isinstance(self.ask.value, (dict, *LISTS))

    def unevaluated_keys(self, value: dict[str, Any]) -> None:
        subschema = self.node.subschema("unevaluatedProperties")
        left = [name for name in value if name not in self.seen.keys]
        for name in left:
            self.unevaluated(subschema, name, value[name], "unevaluatedProperties")
        self.seen.keys.update(left)
        self.note("unevaluatedProperties", left)

    def unevaluated_items(self, value: Sequence[Any]) -> None:
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


_REFERENCES = frozenset(["$ref", "$dynamicRef", "$recursiveRef"])
_COMBINING = frozenset(["allOf", "anyOf", "oneOf", "not", "if"])
_OF_KINDS: dict[str, tuple[type, ...]] = {
    **dict.fromkeys(TEXT_WORDS, (str,)),
    **dict.fromkeys(NUMBER_WORDS, (int, float, Decimal)),
    **dict.fromkeys((*LIST_WORDS, "unevaluatedItems", "minContains", "maxContains"), LISTS),
    **dict.fromkeys((*RECORD_WORDS, "unevaluatedProperties"), (dict,)),
}


def _has_a_say(word: str, value: Any) -> bool:
    """Whether a keyword that cannot be used would look at a value."""
    return word not in _SILENT and isinstance(value, _OF_KINDS.get(word, object))


_SILENT = _NOTES - {"format"} | {"$defs", "definitions", "$comment", "$id", "id", "$schema", "$anchor"}
