"""Records: classes for schemas with named properties, dicts for those whose keys are data."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from ...codegen.literals import literal
from ...regex.from_ecma import NoPattern
from ...regex.overlap import may_share
from ..judging.library import Subschema
from .classes import GATHERS, OPEN, SHUT, Class, ClassField, letters
from .condition_source import Unsayable
from .meaning import Clause, Meaning, Part, Piece, SaidOfValue, TooMany, gathered
from .module_state import ModuleState
from .naming import Hint, attribute, words_of
from .patterns import every_of, pattern_of, pattern_rule
from .record_rules import Agreements, Properties, is_steady
from .record_words import is_of_records, named_in, pieces_of, steps_of, text_of
from .scalars import scalar
from .types import TypeWriter

_NAMING = words_of("properties patternProperties additionalProperties")
_OF_CLASS = words_of("properties patternProperties additionalProperties required propertyNames unevaluatedProperties")
_DEPENDENT = words_of("dependentRequired dependentSchemas dependencies")


class Extra:
    """What holds for keys that no property names: those a pattern finds, or all others."""

    __slots__ = ("part", "pattern")

    def __init__(self, pattern: str | None, part: Part) -> None:
        self.pattern = pattern
        self.part = part

    @property
    def is_barred(self) -> bool:
        """Whether there can be no such key."""
        return any(piece.node.raw is False for piece in self.part)


class Waiting:
    """A class whose name is settled, and which is written later."""

    __slots__ = ("meaning", "name", "part", "secret")

    def __init__(self, part: Part, meaning: Meaning, name: str, *, secret: bool) -> None:
        self.part = part
        self.meaning = meaning
        self.name = name
        self.secret = secret


class RecordTypes:
    """Writes the records of a module, one after the other."""

    def __init__(self, page: ModuleState, types: TypeWriter) -> None:
        self.page = page
        self.types = types
        self.queue: list[Waiting] = []
        self.classes: list[Class] = []
        self.names: dict[Part, str] = {}
        self.twins: dict[Any, str] = {}
        self.marks: dict[int, int] = {}
        self.known: dict[Any, int] = {}
        self.sayable: dict[Any, tuple[Meaning, bool]] = {}
        self.agreements = Agreements(page, self.properties_of)

    # Which schemas are records

    def are_named(self, meaning: Meaning) -> bool:
        """Whether a meaning's records have named fields, so that a class stands for them."""
        for said in meaning.records:
            words = said.words
            if "properties" in words or words.get("required") or not _DEPENDENT.isdisjoint(words):
                return True
            if len(words.get("patternProperties", {})) > 1:
                return True
            if words.get("patternProperties") and words.get("additionalProperties") is not False:
                return True
        return any(self.says(meaning, clause) for clause in meaning.clauses)

    def closes(self, piece: Piece, around: Meaning) -> bool:
        """Whether a schema's `unevaluatedProperties` is about properties that are known at once, and that only the
        schema itself speaks of: those of its cousins, all that stand beside it `around`, are none of its own."""
        words = piece.words()
        if not words.keys() >= {"unevaluatedProperties"} or words.keys() & {
            "unevaluatedItems",
            "$dynamicRef",
            "$recursiveRef",
        }:
            return False
        try:
            meaning = gathered((piece.less("unevaluatedProperties"),))
        except TooMany:
            return False
        plain = all(not said.words.keys() & {"dependentSchemas", "dependencies"} for said in meaning.records)
        own = {said.node for said in meaning.records}
        plain = plain and all(said.node in own or said.words.keys().isdisjoint(_NAMING) for said in around.records)
        return plain and all(clause.word == "not" for clause in meaning.clauses)

    def says(self, meaning: Meaning, clause: Clause) -> bool:
        """Whether a clause is said by rules of the record."""
        if clause.word not in ("anyOf", "oneOf", "not", "if") or "object" not in meaning.kinds:
            return False
        mark = (id(meaning), clause.node, clause.word)
        if mark not in self.sayable:
            self.sayable[mark] = meaning, self._says(meaning, clause)
        return self.sayable[mark][1]

    def _says(self, meaning: Meaning, clause: Clause) -> bool:
        subschemas = [
            clause.node.subschema(*steps)
            for word in ("anyOf", "oneOf", "not", "if", "then", "else")
            if word == clause.word or (clause.word == "if" and word in ("then", "else"))
            for steps in steps_of(clause.node, word)
        ]
        # What asks only of records lets all other values pass: turned round, or beside another, it would not.
        lets_pass = clause.word in ("anyOf", "if") and all(map(is_of_records, subschemas))
        if meaning.kinds != ("object",) and not lets_pass:
            return False
        if clause.word in ("anyOf", "oneOf"):
            own = {name for said in meaning.records for name in said.words.get("properties", {})}
            if not all(isinstance(subschema.raw, dict) and named_in(subschema) <= own for subschema in subschemas):
                return False
        try:
            self.agreements.rules(clause.node, clause.word, self.properties_of(meaning))
        except Unsayable:
            return False
        return True

    def properties_of(self, meaning: Meaning) -> Properties:
        """The properties of a record, for rules that speak of them."""
        return Properties(meaning, lambda name: self.part_of_property(meaning, name))

    def part_of_property(self, meaning: Meaning, name: str) -> Part:
        """What a property's value must be."""
        pieces = [piece for said in meaning.records for piece in pieces_of(said, name)]
        return tuple(dict.fromkeys(pieces or self.unevaluated(meaning)))

    def unevaluated(self, meaning: Meaning) -> list[Piece]:
        """What `unevaluatedProperties` says of the properties that nothing else speaks of."""
        return [
            Piece(clause.node.subschema("unevaluatedProperties"))
            for clause in meaning.clauses
            if clause.word == "unevaluatedProperties" and self.closes(clause.piece, meaning)
        ]

    # Names

    def named(self, part: Part, meaning: Meaning, name: str) -> str:
        """The name of the class for a part; it is written later."""
        page = self.page
        if part in self.names:
            return self.names[part]
        twin = self.twin(part)
        if twin is not None and twin in self.twins:
            self.names[part] = self.twins[twin]
            return self.names[part]
        made = self.names[part] = page.names.fresh(name)
        page.converted.add(made)
        if twin is not None:
            self.twins[twin] = made
        self.queue.append(Waiting(part, meaning, made, secret=page.secret))
        return made

    def twin(self, part: Part) -> Any:
        """What two schemas that say the same share; None for what is told by its place."""
        if len(part) != 1 or part[0].without:
            return None
        node = part[0].node
        named = node.steps[-2:-1] in (("$defs",), ("definitions",)) or not node.steps
        return None if named else (id(node.resource), self.page.secret, self.mark(node.raw))

    def mark(self, raw: Any) -> int:
        """A number that equal schemas share."""
        known = self.marks.get(id(raw))
        if known is not None:
            return known
        if isinstance(raw, dict):
            told: Any = ("{", frozenset((word, self.mark(held)) for word, held in raw.items()))
        elif isinstance(raw, list):
            told = ("[", *map(self.mark, raw))
        else:
            return self.known.setdefault((type(raw), raw), len(self.known))
        mark = self.marks[id(raw)] = self.known.setdefault(told, len(self.known))
        return mark

    def typed(self, part: Part, meaning: Meaning, hint: Hint) -> tuple[str, list[str]]:
        """The type for a meaning's records."""
        page = self.page
        if self.are_named(meaning):
            first = part[0].node if len(part) == 1 else None
            name = (page.title(first) if first is not None else "") or hint
            return self.named(part, meaning, name), []
        extras, closed, strange = self.extras(meaning)
        lows = [said.words["minProperties"] for said in meaning.records if "minProperties" in said.words]
        highs = [said.words["maxProperties"] for said in meaning.records if "maxProperties" in said.words]
        no_room = len(meaning.records) > 1 and lows and highs and max(lows) > min(highs)
        if no_room or (closed and not extras and max(lows, default=0) > 0):
            return page.never(), []
        left: list[str] = []
        rules: list[str] = []
        for said in meaning.records:
            words = {word: held for word, held in said.words.items() if word not in _OF_CLASS}
            told = scalar("object", words, formats=False)
            rules += told.rules
            left += self.types.leftover(
                said.node, {**told.left, **{word: said.words[word] for word in strange.get(said, ())}}
            )
        page.import_for(rules)
        if closed and not extras:
            rules = [f"{page.ours('it')}.length == 0"]
        keys, names_left = self.keys(extras[0].pattern if extras else None, meaning)
        value = self.types.held(extras[0].part, hint.one()) if extras else page.any()
        return f"dict[{keys}, {value}]", [*rules, *names_left, *left]

    # Keys that no property names

    def extras(self, meaning: Meaning) -> tuple[list[Extra], bool, dict[SaidOfValue, list[str]]]:
        """What holds for keys that no property names; whether all others are barred; and the keywords, by what says
        them, that cannot be told so."""
        strange: dict[SaidOfValue, list[str]] = {}
        patterns: dict[str, list[tuple[SaidOfValue, Subschema]]] = {}
        for said in meaning.records:
            for pattern in said.words.get("patternProperties", {}):
                patterns.setdefault(pattern, []).append((said, said.node.subschema("patternProperties", pattern)))
        able = not any(may_share(one, other) for one in patterns for other in patterns if one < other)
        if not able:
            for said in meaning.records:
                if "patternProperties" in said.words:
                    words = ("patternProperties", "additionalProperties", "properties")
                    strange[said] = [word for word in words if word in said.words]
            patterns = {}
        found: list[Extra] = []
        for pattern, places in patterns.items():
            own = {said for said, _ in places}
            pieces = [Piece(node) for _, node in places]
            pieces += [
                Piece(said.node.subschema("additionalProperties"))
                for said in meaning.records
                if said not in own and said not in strange and "additionalProperties" in said.words
            ]
            # The empty pattern is found in every key.
            found.append(Extra(pattern or None, self.types.unwrapped(tuple(dict.fromkeys(pieces)))))
        if "" in patterns:
            return (found if found[0].part else []), False, strange
        rest = [
            Piece(said.node.subschema("additionalProperties"))
            for said in meaning.records
            if said not in strange and "additionalProperties" in said.words
        ]
        if not rest and not strange:
            rest += self.unevaluated(meaning)
        others = Extra(None, self.types.unwrapped(tuple(dict.fromkeys(rest))))
        closed = others.is_barred
        names = [said for said in meaning.records if said.words.get("propertyNames") not in (None, True, {})]
        if not closed and (others.part or found or names):
            found.append(others)
        return found, closed, strange

    def told_keys(self, pattern: str | None, meaning: Meaning) -> tuple[str, list[str]]:
        """The same for one of several fields that gather the rest: text that one pattern tells."""
        patterns = [] if pattern is None else [pattern]
        left: list[str] = []
        for said in meaning.records:
            if said.words.get("propertyNames") in (None, True, {}):
                continue
            try:
                patterns.append(pattern_of(said.node.subschema("propertyNames")))
            except NoPattern:
                left += self.types.leftover(said.node, {"propertyNames": said.words["propertyNames"]})
        patterns = [each for each in patterns if each]
        rules = [pattern_rule(every_of(patterns))] if patterns else []
        self.page.import_for(rules)
        return self.page.annotated("str", rules), left

    def keys(self, pattern: str | None, meaning: Meaning) -> tuple[str, list[str]]:
        """The type of keys that no property names, and what is left for a document to say of them."""
        page = self.page
        rules: list[str] = []
        if pattern is not None:
            rules.append(pattern_rule(pattern))
        base, left = "str", []
        for said in meaning.records:
            names = said.words.get("propertyNames")
            if names in (None, True, {}):
                continue
            told = (
                self.key(said.node.subschema("propertyNames"), names)
                if isinstance(names, dict) and base == "str"
                else None
            )
            if told is None and base == "str":
                try:
                    rules.append(pattern_rule(pattern_of(said.node.subschema("propertyNames"))))
                    continue
                except NoPattern:
                    pass
            if told is None or (told[0] != "str" and rules):
                left += self.types.leftover(said.node, {"propertyNames": names})
                continue
            base = told[0]
            rules += told[1]
        page.import_for(rules)
        return page.annotated(base, rules), left

    def key(self, node: Subschema, names: dict[str, Any]) -> tuple[str, list[str]] | None:
        """The type of a dict's keys, None where it needs a document."""
        page = self.page
        words = {word: held for word, held in Piece(node).words().items() if (word, held) != ("type", "string")}
        if "enum" in words and not words["enum"]:
            return None
        if list(words) == ["enum"] and all(isinstance(each, str) for each in words["enum"]):
            page.use("typing", "Literal")
            return f"Literal[{', '.join(map(literal, words['enum']))}]", []
        if words == {"pattern": "^(?:[+-]?[0-9]+)$"}:
            return "int", []
        said = scalar("string", words, formats=True)
        if said.left:
            return None
        for module, name in said.imports:
            page.use(module, name)
        return said.base, said.rules

    # Classes

    def write_all(self) -> None:
        """Write the classes that wait, and those that they lead to."""
        while self.queue:
            waiting = self.queue.pop(0)
            self.page.secret, self.page.depth = waiting.secret, 0
            self.classes.append(self.written(waiting))

    def written(self, waiting: Waiting) -> Class:
        """One class."""
        page, meaning = self.page, waiting.meaning
        extras, closed, strange = self.extras(meaning)
        made = Class(waiting.name, waiting.part[0].node, SHUT if closed and not extras else GATHERS if extras else OPEN)
        made.text = next((text for piece in waiting.part if (text := text_of(piece.node))), "")
        around = self.properties_of(meaning)
        required = {name for said in meaning.records for name in said.words.get("required", [])}
        asking = made.asking = self.asking(meaning)
        defaults = {
            name: self.default_of(self.part_of_property(meaning, name), needed=name in required)
            for name in around.attributes
        }
        around.kept = {
            name for name, held in defaults.items() if held is not None and is_steady(page, asking, name, held[0])
        }
        self.ruled(made, meaning, strange, around, required)
        judged = any(not self.says(meaning, clause) for clause in meaning.clauses)
        if made.keys == OPEN and (made.counts or judged or any("obeys_document(" in rule for rule in made.rules)):
            made.keys, extras = GATHERS, [Extra(None, ())]  # what they look at must not be lost on the way
        barred = self.barred_names(meaning, around.attributes)
        for name, own in list(around.attributes.items()):
            part = self.part_of_property(meaning, name)
            if any(name in said.words.get("properties", {}) for said in strange):
                several = [said for said in strange if name in said.words.get("properties", {})]
                part = tuple(Piece(said.node.subschema("properties", name)) for said in several)
            field = ClassField(self, part, name, own, waiting.name, required=name in required)
            if name in barred:
                field.type = page.never()
            held = defaults.get(name)
            if held is not None and (made.counts or name not in around.kept):
                page.left_out.append(f"{page.place(part[0].node)}: its record asks which properties came")
            elif held is not None:
                field.plain, field.default = held[0], literal(held[0])
            made.fields.append(field)
        for extra in extras:
            value = page.never() if extra.is_barred else self.types.held(extra.part, Hint(f"{waiting.name}Value"))
            told = self.told_keys if len(extras) > 1 else self.keys
            keys, names_left = told(extra.pattern, meaning)
            made.rules += [rule for rule in names_left if rule not in made.rules]
            own = "others" if extra.pattern is None or len(extras) == 1 else "like_" + "_".join(letters(extra.pattern))
            made.fields.append(ClassField.gathering(self, attribute(own, around.taken), f"dict[{keys}, {value}]"))
        return made

    def default_of(self, part: Part, *, needed: bool) -> tuple[Any] | None:
        """The default of a property that may be absent, None where it has none that its own schemas accept."""
        page = self.page
        nodes = [piece.node for piece in part if isinstance(piece.node.raw, dict)]
        told = next((node for node in nodes if "default" in node.raw), None)
        if needed or told is None:
            return None
        if all(page.judges(piece, told.raw["default"]) for piece in part):
            return (told.raw["default"],)
        page.left_out.append(f"{page.place(told)}: it is refused by its own schema")
        return None

    def barred_names(self, meaning: Meaning, names: Iterable[str]) -> set[str]:
        """The named properties whose name `propertyNames` refuses."""
        nodes = [said.node.subschema("propertyNames") for said in meaning.records if "propertyNames" in said.words]
        return {name for name in names if not all(self.page.judges(node, name) for node in nodes)}

    def asking(self, meaning: Meaning) -> list[Subschema]:
        """The schemas that ask which properties came, or look at several: defaults must change nothing for them."""
        found = [said.node for said in meaning.records if said.words.keys() - _OF_CLASS]
        for clause in meaning.clauses:
            if clause.word == "unevaluatedProperties":
                found += [] if self.closes(clause.piece, meaning) else [clause.node]
                continue
            words = ("if", "then", "else") if clause.word == "if" else (clause.word,)
            found += [clause.node.subschema(*steps) for word in words for steps in steps_of(clause.node, word)]
        return found

    def ruled(
        self,
        made: Class,
        meaning: Meaning,
        strange: dict[SaidOfValue, list[str]],
        around: Properties,
        required: set[str],
    ) -> None:
        """Put down what the class says as rules or documents."""
        for said in meaning.records:
            words = {word: held for word, held in said.words.items() if word not in _OF_CLASS}
            if words.get("minProperties", 1) <= len(required):
                words.pop("minProperties", None)
            if made.keys == SHUT and words.get("maxProperties", -1) >= len(around.attributes):
                words.pop("maxProperties", None)
            for word, sign in (("minProperties", ">="), ("maxProperties", "<=")):
                if word in words and not strange:
                    self.page.ours("this")
                    made.rules.append(f"this.length {sign} {int(words.pop(word))}")
            for word in sorted(_DEPENDENT):
                if word in words:
                    made.rules += self.agreed(said.node, word, around, words)
            for word in strange.get(said, ()):
                words[word] = said.words[word]
            made.rules += self.types.leftover(said.node, words)
        for clause in meaning.clauses:
            if clause.word == "unevaluatedProperties" and self.closes(clause.piece, meaning):
                continue
            if self.says(meaning, clause):
                made.rules += self.agreed(clause.node, clause.word, around, {})
            elif meaning.kinds == ("object",):
                made.rules += self.types.clause(clause)

    def agreed(self, node: Subschema, word: str, around: Properties, words: dict[str, Any]) -> list[str]:
        """A keyword as rules of the record, and taken out of what is left; nothing where there are none."""
        try:
            rules = self.agreements.rules(node, word, around)
        except Unsayable:
            return []
        words.pop(word, None)
        if any("this" in rule for rule in rules):
            self.page.ours("this")
        return rules

    def gate_refuses(self) -> bool:
        """Whether the gate says for all records that they refuse unknown keys: it takes an editor's `$schema` at its
        root then, which such a document admits by a property that says nothing."""
        if not self.classes or any(made.keys == OPEN for made in self.classes):
            return False
        root = self.page.root
        while isinstance(root.raw, dict) and isinstance(root.raw.get("$ref"), str):
            root = self.page.library.target(root, root.raw["$ref"])
        first = next((made for made in self.classes if made.node is root), None)
        marked = first is not None and any(field.wire == "$schema" and field.is_mark for field in first.fields)
        return marked and first is not None and first.keys == SHUT and not first.counts

    def texts(self, *, gate_refuses: bool) -> list[str]:
        """The source of all classes; where the gate refuses unknown keys, none needs to say so."""
        return [made.source(self.page, gate_refuses=gate_refuses) for made in self.classes]
