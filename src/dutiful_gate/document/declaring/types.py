"""The type that says what schemas say: kinds, unions, closed sets of values, and what stays a document beside them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ...codegen.literals import literal
from ..judging.library import Subschema
from .disjoint import Apart
from .lists import ListTypes
from .meaning import KINDS, Clause, Meaning, Part, Piece, SaidOfValue, TooMany, gathered, json_kind, kind_of, part_of
from .module_state import NEVER, ModuleState
from .naming import Hint, words_of
from .scalars import LENGTHS, further, scalar
from .words_of_values import (
    PLAIN_TYPES,
    as_whole,
    is_of,
    leaves_nothing,
    put_beside,
    stands_alone,
)

_CONTEXT = frozenset(["unevaluatedProperties", "unevaluatedItems", "$dynamicRef", "$recursiveRef"])
_MOST_OPTIONS = 24
_MOST_COPIES = 8
_NAMES_OF_OTHERS = {
    "object": "NotAnObject",
    "array": "NotAList",
    "string": "NotText",
    "number": "NotANumber",
    "boolean": "NotABoolean",
}


class TypeWriter:
    """Says parts of documents as types, on the page of a module."""

    def __init__(self, page: ModuleState) -> None:
        self.page = page
        self.apart = Apart(page.judges)
        self.lists = ListTypes(self)

    # What stands for a schema

    def expression(self, part: Part, hint: Hint) -> str:
        """The type for what schemas say together, with all that stands beside it."""
        page, inner = self.page, self.unwrapped(part)
        first = part[0].node if part and isinstance(part[0].node.raw, dict) else None
        outside = page.secret
        if first is not None:
            page.secret = first.raw.get("writeOnly") is True or (page.secret and "$ref" not in first.raw)
        told, rules = self.typed(inner, hint)
        page.secret = outside
        if first is not None:
            own = not rules and inner == part and page.records.names.get(part) == told
            rules = [*rules, *self.about(part, of_record=own)]
        return page.annotated(told, rules)

    def held(self, part: Part, hint: Hint) -> str:
        """The type for what is inside a value."""
        self.page.depth += 1
        told = self.expression(part, hint)
        self.page.depth -= 1
        return told

    def unwrapped(self, part: Part) -> Part:
        """The same without schemas that ask nothing, and without what only wraps another one."""
        part = tuple(piece for piece in part if piece.node.raw is False or piece.words())
        while len(part) == 1:
            piece = part[0]
            words = piece.words()
            word = next(iter(words), "")
            if len(words) != 1 or word not in ("allOf", "anyOf", "oneOf") or len(words[word]) != 1:
                break
            inner = Piece(piece.node.subschema(word, 0))
            if not inner.words() and inner.node.raw is not False:
                return ()
            part = (inner,)
        return part

    def about(self, part: Part, *, of_record: bool) -> list[str]:
        """What the first of some schemas says of a value; its examples where all of them accept them."""
        node, page = part[0].node, self.page
        raw = node.raw
        if "$ref" in raw and node.dialect.ref_alone:
            return []
        said = {}
        if not of_record:
            for word, ours in (("title", "title"), ("description", "text")):
                if isinstance(raw.get(word), str) and raw[word]:
                    said[ours] = literal(raw[word])
        examples = raw.get("examples")
        if (
            isinstance(examples, list)
            and examples
            and all(page.judges(piece, each) for piece in part for each in examples)
        ):
            said["examples"] = literal(examples)
        for word, ours in (("deprecated", "deprecated"), ("readOnly", "read_only")):
            if raw.get(word) is True:
                said[ours] = "True"
        beside = []
        if said:
            beside.append(f"{page.ours('about')}({', '.join(f'{word}={held}' for word, held in said.items())})")
        if raw.get("writeOnly") is True:
            beside.append(page.ours("secret"))
        return beside

    def typed(self, part: Part, hint: Hint) -> tuple[str, list[str]]:
        """The bare type for a part, and the rules beside it."""
        page = self.page
        if not part:
            return page.any(), []
        context = [piece for piece in part if _CONTEXT & piece.words().keys() and not self.is_closed(piece, part)]
        if context:
            rest = tuple(piece for piece in part if piece not in context)
            base, rules = self.typed(rest, hint)
            return base, [*rules, *(page.whole(piece.node) for piece in context)]
        if len(part) == 1 and "$ref" in (words := part[0].words()):
            target = page.library.target(part[0].node, words["$ref"])
            beside = {word: held for word, held in words.items() if word != "$ref"}
            if not beside:
                return self.reference(target), []
            if not _SHAPING & beside.keys():
                return self.reference(target), self.leftover(part[0].node, beside)
        try:
            meaning = gathered(part)
        except TooMany:
            return page.any(), [page.whole(piece.node) for piece in part]
        if len(part) == 1 and not part[0].without:
            return self.meant(part, meaning, hint)
        if part in page.named:
            return page.named[part], []
        # Made of several schemas, it may stand inside itself under no name of the document's.
        tell: Callable[[Hint], str] = lambda own: page.annotated(*self.meant(part, meaning, hint))  # noqa: E731
        return self.by_name(part, hint, tell, kept=lambda told: False), []

    def is_closed(self, piece: Piece, part: Part) -> bool:
        """Whether what one of several schemas says of all other properties is told by a closed class."""
        try:
            return self.page.records.closes(piece, gathered(part))
        except TooMany:
            return False

    def root(self, node: Subschema) -> str:
        """The type for the whole document: by its own name, or by that of what it only leads to."""
        part = part_of(node)
        inner = self.unwrapped(part)
        leads = len(inner) == 1 and list(inner[0].words()) == ["$ref"]
        return self.expression(part, self.page.hint_of(node)) if leads else self.reference(node)

    def reference(self, target: Subschema) -> str:
        """The name for a schema that is referred to."""
        page = self.page
        part = part_of(target)
        if part in page.named:
            return page.named[part]
        if not isinstance(target.raw, dict):
            return self.expression(part, Hint("Value"))
        hint = page.hint_of(target)
        inner = self.unwrapped(part)
        if inner == part and (found := self.meant_record(part)) is not None:
            outside, page.secret = page.secret, target.raw.get("writeOnly") is True
            told = page.records.named(part, found, page.title(target) or hint)
            page.secret = outside
            return page.annotated(told, [page.ours("secret")] if target.raw.get("writeOnly") is True else [])
        tell: Callable[[Hint], str] = lambda own: self.expression(part, own)  # noqa: E731
        if target is page.root:
            return self.by_name(part, hint, tell, kept=page.is_union)
        return self.by_name(part, hint, tell, kept=lambda told: told not in ("Any", "None"))

    def by_name(self, part: Part, hint: Hint, tell: Callable[[Hint], str], *, kept: Callable[[str], bool]) -> str:
        """The name for a part, or what it stands for where nothing leads back to it and it need not be kept as one."""
        page = self.page
        if part in page.building:
            if page.depth == page.building[part]:  # it leads to itself with nothing between
                return page.annotated(page.any(), [page.whole(piece.node) for piece in part])
            page.quoted[part] = page.reserved[part]
            return f'"{page.quoted[part]}"'
        page.building[part] = page.depth
        in_place = len(part) > 1 or any(piece.without for piece in part)
        outside, page.secret = page.secret, page.secret and in_place
        reserved = page.reserved[part] = page.names.fresh(hint)
        told = tell(Hint(hint, f"{hint}Record"))
        page.secret = outside
        del page.building[part]
        if part not in page.quoted and not kept(told):
            page.names.taken.discard(reserved)
            return told
        page.named[part] = reserved
        page.alias(reserved, told)
        return reserved

    def meant_record(self, part: Part) -> Meaning | None:
        """What a part says, where that is one record of named fields and nothing else."""
        if any(_CONTEXT & piece.words().keys() and not self.is_closed(piece, part) for piece in part):
            return None
        try:
            meaning = gathered(part)
        except TooMany:
            return None
        if meaning.kinds != ("object",) or meaning.never or meaning.constants:
            return None
        if not self.page.records.are_named(meaning) or self.joined(meaning) is not None:
            return None
        return meaning

    # What a part means

    def meant(self, part: Part, meaning: Meaning, hint: Hint) -> tuple[str, list[str]]:
        """The type for what was gathered."""
        page = self.page
        self.bar(meaning)
        if meaning.never or not meaning.kinds:
            return page.never(), []
        told = self.constants(meaning)
        if told is not None:
            return told, []
        clause = self.joined(meaning)
        if clause is not None:
            return self.union(part, meaning, clause, hint)
        beside = [rule for each in self.beside(meaning) for rule in self.clause(each)]
        if meaning.kinds == KINDS and meaning.is_open:
            return page.any(), beside
        options = [
            self.of_kind(part, meaning, kind, hint) for kind in meaning.kinds if meaning.of(kind) or meaning.named
        ]
        if not meaning.named:
            options += self.others([kind for kind in meaning.kinds if not meaning.of(kind)])
        if len(options) == 1:
            base, rules = options[0]
            return base, [*rules, *beside]
        return page.one_of([page.annotated(base, rules) for base, rules in options]), beside

    def others(self, kinds: list[str]) -> list[tuple[str, list[str]]]:
        """All values of the kinds of which nothing is said."""
        missing = [kind for kind in KINDS if kind not in kinds]
        told = [self.plain_kind(kind) for kind in kinds]
        if len(missing) == 1 and missing[0] in _NAMES_OF_OTHERS:
            return [(self.page.shared(_NAMES_OF_OTHERS[missing[0]], " | ".join(told)), [])]
        return [(each, []) for each in told]

    def plain_kind(self, kind: str) -> str:
        """The type of all values of a kind."""
        told = PLAIN_TYPES.get(kind, "None")
        if "Any" in told:
            self.page.any()
        return told

    def clause(self, clause: Clause) -> list[str]:
        """A clause as a document."""
        words = clause.piece.words()
        return self.leftover(clause.node, {word: words[word] for word in _group(clause.word) if word in words})

    def beside(self, meaning: Meaning) -> list[Clause]:
        """The clauses that stand beside the type as documents; those that a record says itself are not among them."""
        records = self.page.records
        of_record = meaning.kinds == ("object",) and records.are_named(meaning)
        return [each for each in meaning.clauses if not of_record and not records.says(meaning, each)]

    def bar(self, meaning: Meaning) -> None:
        """Take out of a meaning the values that `not` bars, where types and rules have words for that."""
        kept: list[Clause] = []
        for clause in meaning.clauses:
            held = clause.node.raw.get(clause.word)
            if clause.word != "not" or held is False:
                kept += [clause] if clause.word != "not" else []
                continue
            words = Piece(clause.node.subschema("not")).words()
            values = words["enum"] if "enum" in words else [words.get("const")]
            if not words:
                meaning.never = True
            elif list(words) == ["type"] and self.bar_kinds(meaning, words["type"]):
                continue
            elif meaning.kinds in (("string",), ("number",), ("integer",)) and list(words) in (["const"], ["enum"]):
                kind = meaning.kinds[0]
                barred = [value for value in values if kind_of(value, meaning.kinds)]
                for value in barred:
                    put_beside(meaning.of(kind), clause.node, "not", {"const": value})
            elif len(meaning.kinds) == 1 and words.keys() == LENGTHS.get(meaning.kinds[0], set()):
                put_beside(meaning.of(meaning.kinds[0]), clause.node, "not", words)
            else:
                kept.append(clause)
        meaning.clauses = kept

    def bar_kinds(self, meaning: Meaning, wanted: str | list[str]) -> bool:
        """Admit the named kinds no longer; False where that leaves what has no type."""
        kinds = [wanted] if isinstance(wanted, str) else list(wanted)
        if "integer" in kinds and "number" not in kinds and "number" in meaning.kinds:
            return False
        for kind in kinds:
            meaning.drop(kind)
            if kind == "number":
                meaning.drop("integer")
        return True

    # Closed sets of values

    def constants(self, meaning: Meaning) -> str | None:
        """The type of a few values; None where they are said by rules."""
        page = self.page
        if not meaning.constants:
            return None
        if self.by_rules(meaning):
            return None
        values = meaning.values(page.judges)
        if values is None:
            return None
        meaning.clauses = []
        meaning.constants = []
        plain = [as_whole(value) for value in values]
        named = [value for value in plain if value is None or isinstance(value, str | bool | int)]
        rest = [value for value in plain if not (value is None or isinstance(value, str | bool | int))]
        options = []
        if named:
            page.use("typing", "Literal")
            options.append(f"Literal[{', '.join(map(literal, named))}]")
        if rest:
            numbers = all(isinstance(value, float) for value in rest)
            base = "float" if numbers else page.any()
            rule = f"== {literal(rest[0])}" if len(rest) == 1 else f".one_of({', '.join(map(literal, rest))})"
            options.append(page.annotated(base, [f"{page.ours('it')}{' ' if len(rest) == 1 else ''}{rule}"]))
        return page.one_of(options) if options else page.never()

    def by_rules(self, meaning: Meaning) -> bool:
        """Whether constants stand beside a type of text or numbers that has rules, or is strict."""
        if len(meaning.kinds) != 1 or meaning.kinds[0] not in ("string", "number", "integer") or not meaning.named:
            return False
        kind = meaning.kinds[0]
        if len(meaning.constants) != 1:
            return False
        node, values = meaning.constants[0]
        if any(not is_of(kind, value) for value in values) or not values:
            return False
        alone = not meaning.of(kind) and "enum" in node.raw and not meaning.strictly
        if alone and kind != "number":
            return False
        word = "enum" if "enum" in Piece(node).words() else "const"
        put_beside(meaning.of(kind), node, word, node.raw[word])
        meaning.constants = []
        return True

    # Unions

    def joined(self, meaning: Meaning) -> Clause | None:
        """The clause whose schemas become the options of a union, if there is one."""
        found = [clause for clause in meaning.clauses if clause.word in ("anyOf", "oneOf")]
        for clause in found:
            subschemas = clause.subschemas()
            if self.page.records.says(meaning, clause) or len(subschemas) > _MOST_OPTIONS * 4:
                continue
            if meaning.is_open or len(subschemas) <= _MOST_COPIES:
                return clause
        return None

    def union(self, part: Part, meaning: Meaning, clause: Clause, hint: Hint) -> tuple[str, list[str]]:
        """A union: what the schemas of a clause say, each together with all that stands beside the clause."""
        page = self.page
        beside = [each for each in self.beside(meaning) if each.word not in ("anyOf", "oneOf")]
        beside = beside if self.by_kind(clause) else []
        rules = [rule for each in beside for rule in self.clause(each)]
        base = tuple(self.stripped(piece, clause, *beside) for piece in meaning.pieces)
        base = tuple(piece for piece in base if piece.node.raw is False or piece.words())
        alone = meaning.is_open and len(meaning.clauses) == 1 + len(beside)
        parts: list[Part] = []
        for subschema in clause.subschemas():
            own = self.unwrapped(part_of(subschema))
            if alone and (not meaning.named or self.kinds_within(own, meaning)):
                parts.append(part_of(subschema))
            else:
                parts.append(tuple(dict.fromkeys((*base, Piece(subschema)))))
        lone = len(list(filter(self.makes_class, parts))) == 1
        told = [self.expression(each, hint if lone else hint.plus(at + 1)) for at, each in enumerate(parts)]
        there = [at for at, each in enumerate(told) if each != NEVER]
        options = list(dict.fromkeys(told[at] for at in there))
        if clause.word == "oneOf":
            pairs = self.apart.alike([parts[at] for at in there])
            close = {told[there[at]] for pair in pairs for at in pair}
            if close and page.are_one([told[at] for at in there]):
                return page.any(), [page.whole(piece.node) for piece in part]
            rules = [page.ours("unambiguous"), *rules] if close else rules
            # A union inside of one is one option, and is not taken apart.
            options = [
                page.annotated(each, [page.ours("together")]) if close and page.is_union(each) else each
                for each in options
            ]
        if not options:
            return page.never(), []
        nulls = [option for option in options if option == "None"]
        return page.one_of([option for option in options if option != "None"] + nulls), rules

    def by_kind(self, clause: Clause) -> bool:
        """Whether a clause says no more than a `type` of several kinds does, with keywords on each.

        What stands beside such a `type` is said once, and so it is here: the next declarations are the same.
        """
        found = [self.apart.meaning(part_of(subschema)) for subschema in clause.subschemas()]
        if any(each is None or not each.named or each.constants or each.clauses for each in found):
            return False
        kinds = ["number" if kind == "integer" else kind for each in found if each for kind in each.kinds]
        return len(set(kinds)) == len(kinds)

    def makes_class(self, part: Part) -> bool:
        """Whether a class is written where a part stands, and not by a name of its own."""
        inner = self.unwrapped(part)
        meaning = self.apart.meaning(inner)
        leads = len(inner) == 1 and "$ref" in inner[0].words()
        return meaning is not None and not leads and "object" in meaning.kinds and bool(meaning.records)

    def stripped(self, piece: Piece, *clauses: Clause) -> Piece:
        """A gathered schema without what was followed already, and without the clauses at hand."""
        piece = piece.less("$ref", "allOf") if {"$ref", "allOf"} & piece.words().keys() else piece
        return piece.less(*(word for each in clauses if piece.node is each.node for word in _group(each.word)))

    def kinds_within(self, part: Part, meaning: Meaning) -> bool:
        """Whether a part admits no other kinds than a meaning does."""
        try:
            inner = gathered(part)
        except TooMany:
            return False
        if inner.constants:
            values = inner.values(self.page.judges) or []
            return all(json_kind(value) in meaning.kinds for value in values) and not meaning.strictly
        if not inner.named and not inner.never:
            found = self.joined(inner) if inner.is_open and len(inner.clauses) == 1 else None
            return found is not None and all(
                self.kinds_within(part_of(subschema), meaning) for subschema in found.subschemas()
            )
        strictly = meaning.strictly and not inner.strictly
        return not strictly and all(
            kind in meaning.kinds or (kind == "integer" and "number" in meaning.kinds) for kind in inner.kinds
        )

    # One kind

    def of_kind(self, part: Part, meaning: Meaning, kind: str, hint: Hint) -> tuple[str, list[str]]:
        """The type for what is said of one kind of value."""
        if kind == "object":
            return self.page.records.typed(part, meaning, hint)
        if kind == "array":
            return self.lists.typed(meaning, hint)
        if kind == "null":
            return "None", []
        if kind == "boolean":
            return "bool", []
        page = self.page
        if leaves_nothing(kind, meaning.of(kind)):
            return page.never(), []
        base, rules, first = "", [], True
        left: list[tuple[Subschema, dict[str, Any]]] = []
        stayed: set[str] = set()
        several = meaning.of(kind) or [SaidOfValue(part[0].node, {})]
        for each in several:
            # What stands first and has no rule stays first: the others of its keyword stay with it.
            if first:
                beside = [word for further_one in several[1:] for word in further_one.words]
                said = scalar(kind, each.words, formats=True, secret=page.secret, beside=beside)
                base = said.base
            elif each.words.keys() & stayed:
                left.append((each.node, each.words))
                continue
            else:
                said = further(kind, each.words, secret=page.secret)
            first = False
            for unknown in said.unknown:
                page.unknown_formats[unknown] = page.unknown_formats.get(unknown, 0) + 1
            for module, name in said.imports:
                page.use(module, name)
            rules += said.rules
            stayed |= said.left.keys()
            if said.left:
                left.append((each.node, said.left))
        page.import_for(rules)
        if kind == "integer" and meaning.strictly:
            rules.insert(0, page.ours("without_point"))
        return base, [*rules, *(rule for node, words in left for rule in self.leftover(node, words))]

    def leftover(self, node: Subschema, rest: Mapping[str, Any]) -> list[str]:
        """What has no form of its own, as a document."""
        if not rest:
            return []
        page = self.page
        if _CONTEXT & rest.keys() or not stands_alone(rest, node.dialect):
            return [page.whole(node, rest)]
        page.embedded(node, rest)
        return [f"{page.ours('obeys_document')}({literal(rest)})"]


_SHAPING = words_of(
    "type properties required additionalProperties patternProperties items prefixItems additionalItems enum const "
    "allOf anyOf oneOf"
)


def _group(word: str) -> tuple[str, ...]:
    """A keyword with those that mean something only beside it."""
    return ("if", "then", "else") if word == "if" else (word,)
