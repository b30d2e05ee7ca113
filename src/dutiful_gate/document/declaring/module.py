"""Python declarations for a document."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from ...declare.errors import DeclarationError
from ...declare.limits import Limits
from ..judging.drafts import DRAFT_2020_12, Draft
from ..judging.engine import DocumentEngine, draft_called
from ..judging.library import Library, Node, held_schemas
from ..judging.sound import active, types_of
from ..plain_document import plain_document
from .scalars import Said, scalar
from .words import Names, attribute, laid_out, literal, quoted, words_of

_SAID_OF = words_of(
    "$schema $id id $anchor $comment $defs definitions title description default examples example deprecated readOnly "
    "writeOnly $dynamicAnchor $recursiveAnchor $vocabulary components externalDocs xml discriminator"
)
_RECORD_WORDS = frozenset(["type", "properties", "required", "additionalProperties", "nullable"])
_CONTEXT = frozenset(["patternProperties", "unevaluatedProperties", "unevaluatedItems", "$dynamicRef", "$recursiveRef"])
_CLOSED = "__closed__"


def declarations_of(
    document: Mapping[str, Any] | bool,
    *,
    name: str = "",
    documents: Mapping[str, Any] | None = None,
    dialect: str | None = None,
) -> str:
    """Python source of declarations, whose `gate` judges as a JSON Schema document does, formats asserted.

    `name` is what to call the root, by default its title; `documents` is what references may lead to, by URI;
    `dialect` the edition of a document without `$schema`.

    Records become dataclasses, or TypedDicts where a key may be absent without a default; what has no form of its own
    stays as a document beside the field, see `fits`. Raises DeclarationError for what is no sound document.
    """
    plain, handed = plain_document(document), plain_document(documents or {})
    engine = DocumentEngine(plain, handed, draft_called(dialect), "assert", Limits(), "")
    try:
        return _Module(plain, engine, handed, name).text()
    except RecursionError:
        raise DeclarationError(
            "the definitions lead from one to the next too many times to be told",
            remedy="let records stand between them, as schemas with properties",
        ) from None


_LONGEST_CHAIN = 30


class _Module:
    """One module of declarations."""

    def __init__(self, document: Any, engine: DocumentEngine, documents: Mapping[str, Any], name: str) -> None:
        self.document = document
        self.engine = engine
        self.root = root = engine.root
        self.library: Library = root.document.library
        self.documents = documents
        self.names = Names()
        self.asked = name
        self.classes: list[str] = []
        self.aliases: list[str] = []
        self.named: dict[Node, str] = {}
        # Schemas that are being told, with how deep inside a value each began, and how deep inside it is now.
        self.building: dict[Node, int] = {}
        self.quoted: dict[Node, str] = {}
        self.depth = 0
        # How many records are being told inside of each other; those past a limit wait until the others are done.
        self.chain = 0
        self.later: list[tuple[Node, Mapping[str, Any]]] = []
        # Whether what is at hand stands inside a secret, where it is written down, not where it is referred to.
        self.secret = False
        self.imports: dict[str, set[str]] = {"dutiful_gate": {"Gate"}}
        self.dressed: set[str] = set()
        self.uses_document = False
        self.uses_documents = False
        self.open: list[Node] = []
        self.closed: list[Node] = []
        self.refuses = False

    def use(self, module: str, *names: str) -> None:
        """Import names."""
        self.imports.setdefault(module, set()).update(names)

    def text(self) -> str:
        """The whole module."""
        if self.library.dynamic:
            # Where a dynamic reference leads depends on the way to it: such a document is judged as one.
            expression = self.annotated(self.any(), [self.whole(self.root)])
        else:
            self.survey()
            expression = self.expression(self.root, self.asked or self.title(self.root) or "Document")
            while self.later:
                self.chain = self.depth = 0
                self.written(*self.later.pop())
        words = ', unknown="refuse"' if self.refuses else ""
        parts = ["\n".join(self.header())]
        if self.uses_document:
            parts.append(f"DOCUMENT: dict[str, Any] = {laid_out(self.document)}")
        if self.uses_documents:
            parts.append(f"DOCUMENTS: dict[str, Any] = {laid_out(dict(self.documents))}")
        parts += [*self.classes, *self.aliases, f"gate = Gate({expression}{words})"]
        lead = '"""Declarations made from a JSON Schema document."""\n\nfrom __future__ import annotations\n\n'
        return lead + "\n\n\n".join(parts) + "\n"

    def header(self) -> list[str]:
        if self.uses_document or self.uses_documents:
            self.use("typing", "Any")
        order = sorted(self.imports, key=lambda module: (module == "dutiful_gate", module))
        lines = [f"from {module} import {', '.join(sorted(self.imports[module], key=_order))}" for module in order]
        return [*lines[:-1], "", lines[-1]] if len(lines) > 1 else lines

    def survey(self) -> None:
        """Which records bar unknown keys: a gate does so for all of them, or a document for each."""
        seen, waiting = {self.root}, [self.root]
        while waiting:
            node = waiting.pop()
            if not isinstance(node.raw, dict):
                continue
            words = active(node)
            if self.is_record(node, words):
                shut = words.get("additionalProperties") is False and "patternProperties" not in words
                if not _gathers(words):
                    (self.closed if shut else self.open).append(node)
            kids = [self.library.target(node, words[word]) for word in ("$ref",) if word in words]
            kids += [kid for kid in held_schemas(node) if kid.steps[len(node.steps)] not in ("$defs", "definitions")]
            for kid in kids:
                if kid not in seen:
                    seen.add(kid)
                    waiting.append(kid)
        top = self.followed(self.root)
        # A gate that refuses unknown keys takes an editor's $schema at the root, unless the root gathers all keys.
        a_record = isinstance(top.raw, dict) and self.is_record(top, active(top))
        exact = not a_record or self.is_marked(top) or _gathers(active(top))
        self.refuses = bool(self.closed) and not self.open and exact

    def followed(self, node: Node) -> Node:
        """The schema at the end of references."""
        for _ in range(50):
            if not isinstance(node.raw, dict) or not isinstance(node.raw.get("$ref"), str):
                break
            node = self.library.target(node, node.raw["$ref"])
        return node

    def is_marked(self, node: Node) -> bool:
        """Whether a record admits an editor's $schema key as a gate's root does: by a property that says nothing."""
        return self.followed(self.root) is node and node.raw.get("properties", {}).get("$schema") == {}

    # Types

    def expression(self, node: Node, hint: str) -> str:
        """The type for a schema, with all that stands beside it."""
        raw = node.raw
        if raw is True:
            return self.any()
        if raw is False:
            self.use("dutiful_gate", "fits")
            return self.annotated(self.any(), ["fits(False)"])
        words = {word: held for word, held in active(node).items() if word not in _SAID_OF}
        outside, self.secret = self.secret, raw.get("writeOnly") is True or (self.secret and "$ref" not in raw)
        base, rules = self.typed(node, words, hint)
        self.secret = outside
        return self.annotated(base, [*rules, *self.about(node, record=base in self.named.values() and not rules)])

    def any(self) -> str:
        self.use("typing", "Any")
        return "Any"

    def annotated(self, base: str, beside: list[str]) -> str:
        if not beside:
            return base
        self.use("typing", "Annotated")
        opened = base[:-1] if base in self.dressed else f"Annotated[{base}"
        made = f"{opened}, {', '.join(beside)}]"
        self.dressed.add(made)
        return made

    def about(self, node: Node, *, record: bool) -> list[str]:
        """What is said of a value."""
        raw = node.raw
        if "$ref" in raw and node.draft.ref_alone:
            return []
        said = {}
        named = record and "$ref" not in raw
        if isinstance(raw.get("title"), str) and not named:
            said["title"] = literal(raw["title"])
        if isinstance(raw.get("description"), str) and not named:
            said["text"] = literal(raw["description"])
        examples = raw.get("examples")
        if isinstance(examples, list) and examples and all(self.is_sound(node, each) for each in examples):
            said["examples"] = literal(examples)
        for word, ours in (("deprecated", "deprecated"), ("readOnly", "read_only")):
            if raw.get(word) is True:
                said[ours] = "True"
        beside = []
        if said:
            self.use("dutiful_gate", "about")
            beside.append(f"about({', '.join(f'{word}={held}' for word, held in said.items())})")
        if raw.get("writeOnly") is True:
            self.use("dutiful_gate", "secret")
            beside.append("secret")
        return beside

    def is_sound(self, node: Node, value: Any) -> bool:
        """Whether a value that the document holds is sound by its own schema."""
        return self.engine.judges(node, value)

    def typed(self, node: Node, words: dict[str, Any], hint: str) -> tuple[str, list[str]]:
        """The bare type for a schema, and the rules beside it."""
        if not words:
            return self.any(), []
        if _CONTEXT & words.keys():
            if self.is_record(node, words):
                return self.record(node, words, hint), []
            return self.any(), [self.whole(node)]
        if "$ref" in words:
            rest = {word: held for word, held in words.items() if word != "$ref"}
            base = self.reference(self.library.target(node, words["$ref"]))
            return base, self.leftover(node, rest)
        kinds = types_of(node, words)
        if "null" in kinds and len(kinds) > 1:
            held = {**words, "type": kinds[0] if len(kinds) == 2 and kinds[1] == "null" else
                    [kind for kind in kinds if kind != "null"]}  # fmt: skip
            if {"enum", "const", "not", "allOf", "anyOf", "oneOf", "if"} & words.keys():
                return self.any(), self.leftover(node, words)
            held.pop("nullable", None)
            if isinstance(held["type"], list) and len(held["type"]) == 1:
                held["type"] = held["type"][0]
            base, rules = self.typed(node, held, hint)
            return self.one_of([self.annotated(base, rules), "None"]), []
        if len(kinds) == 1:
            return self.of_kind(node, kinds[0], words, hint)
        return self.of_no_kind(node, words, hint)

    def of_no_kind(self, node: Node, words: dict[str, Any], hint: str) -> tuple[str, list[str]]:
        if words.keys() <= {"enum", "const"}:
            constants = words["enum"] if "enum" in words else [words["const"]]
            if len(words) == 1 and constants and all(_is_literal(each) for each in constants):
                self.use("typing", "Literal")
                return f"Literal[{', '.join(map(literal, constants))}]", []
        for word in ("anyOf", "oneOf"):
            if list(words) == [word] and self.are_apart(node, word):
                options = [self.expression(node.kid(word, at), f"{hint}{at + 1}") for at in range(len(words[word]))]
                nulls = [option for option in options if option == "None"]
                return self.one_of([option for option in options if option != "None"] + nulls), []
        return self.any(), self.leftover(node, words)

    def one_of(self, options: list[str]) -> str:
        """A union; of a name in quotes, which has no `|`, in the words of `typing`."""
        if any(option.startswith('"') for option in options):
            self.use("typing", "Union")
            return f"Union[{', '.join(options)}]"
        return " | ".join(options)

    def held(self, node: Node, hint: str) -> str:
        """The type for a schema of what is inside a value."""
        self.depth += 1
        told = self.expression(node, hint)
        self.depth -= 1
        return told

    def are_apart(self, node: Node, word: str) -> bool:
        """Whether no value can be sound by two of the alternatives, as their kinds and tags tell."""
        seen: set[str] = set()
        for at in range(len(node.raw[word])):
            marks = self.marks(node.kid(word, at))
            if not marks or marks & seen or ("object" in seen | marks and any("{" in mark for mark in seen | marks)):
                return False
            seen |= marks
        return len(node.raw[word]) > 1

    def marks(self, node: Node) -> set[str]:
        """What tells the values of a schema from others: their kinds, for records their tags; nothing where unsure."""
        node = self.followed(node)
        raw = node.raw
        if not isinstance(raw, dict):
            return set()
        kinds = set(types_of(node, active(node)))
        if not kinds:
            constants = raw.get("enum", [raw["const"]] if "const" in raw else [])
            kinds = {_json_kind(each) for each in constants}
        if not kinds and "anyOf" in raw and self.are_apart(node, "anyOf"):
            return {mark for at in range(len(raw["anyOf"])) for mark in self.marks(node.kid("anyOf", at))}
        if kinds == {"object"} and (tag := _tag(raw)):
            return {tag}
        return {"number" if kind == "integer" else kind for kind in kinds}

    def of_kind(self, node: Node, kind: str, words: dict[str, Any], hint: str) -> tuple[str, list[str]]:
        rest = {word: held for word, held in words.items() if word not in ("type", "nullable")}
        if kind == "object":
            return self.of_object(node, words, rest, hint)
        if kind == "array":
            return self.of_array(node, rest, hint)
        if kind == "null":
            return "None", self.leftover(node, rest)
        if list(rest) == ["enum"] and kind != "number" and all(_is_literal_of(kind, each) for each in rest["enum"]):
            self.use("typing", "Literal")
            return f"Literal[{', '.join(map(literal, rest['enum']))}]", []
        if kind == "integer" and node.draft.name == "draft-04":
            return "int", [self.whole(node)]  # to that edition 1.0 is no whole number
        said: Said = scalar(kind, rest, formats=True, secret=self.secret)
        for module, name in said.imports:
            self.use(module, name)
        if any("it" in rule for rule in said.rules):
            self.use("dutiful_gate", "it")
        return said.base, [*said.rules, *self.leftover(node, said.left)]

    def of_array(self, node: Node, rest: dict[str, Any], hint: str) -> tuple[str, list[str]]:
        count = len(rest.get("prefixItems", []))
        fixed = count and rest.get("minItems") == rest.get("maxItems") == count and "items" not in rest
        old = isinstance(rest.get("items"), list)
        if old or (("prefixItems" in rest or "additionalItems" in rest) and not fixed):
            self.use("typing", "Any")
            return "list[Any]", self.leftover(node, rest)
        if fixed:
            items = [self.held(node.kid("prefixItems", at), f"{hint}{at + 1}") for at in range(count)]
            left = {word: held for word, held in rest.items() if word not in ("prefixItems", "minItems", "maxItems")}
            return f"tuple[{', '.join(items)}]", self.leftover(node, left)
        item = self.held(node.kid("items"), f"{hint}Item") if "items" in rest else self.any()
        said = scalar("array", {word: held for word, held in rest.items() if word != "items"}, formats=False)
        if said.rules:
            self.use("dutiful_gate", "it")
        return f"list[{item}]", [*said.rules, *self.leftover(node, said.left)]

    def of_object(self, node: Node, words: dict[str, Any], rest: dict[str, Any], hint: str) -> tuple[str, list[str]]:
        if self.is_record(node, words):
            return self.record(node, words, hint), []
        names = "str"
        if "propertyNames" in rest and isinstance(rest["propertyNames"], dict):
            names = self.key(node.kid("propertyNames"), rest.pop("propertyNames"))
            if not names:
                names, rest["propertyNames"] = "str", node.raw["propertyNames"]
        held = self.any()
        if (
            "additionalProperties" in rest
            and rest["additionalProperties"] is not False
            and "patternProperties" not in rest
        ):
            held = self.held(node.kid("additionalProperties"), f"{hint}Value")
            del rest["additionalProperties"]
        said = scalar("object", rest, formats=False)
        if said.rules:
            self.use("dutiful_gate", "it")
        return f"dict[{names}, {held}]", [*said.rules, *self.leftover(node, said.left)]

    def key(self, node: Node, names: dict[str, Any]) -> str:
        """The type of a dict's keys, "" where it needs a document."""
        if list(names) == ["enum"] and all(isinstance(each, str) for each in names["enum"]):
            self.use("typing", "Literal")
            return f"Literal[{', '.join(map(literal, names['enum']))}]"
        if names == {"pattern": "^(?:[+-]?[0-9]+)$"}:
            return "int"
        said = scalar("string", {word: held for word, held in names.items() if word != "type"}, formats=True)
        if said.left:
            return ""
        for module, name in said.imports:
            self.use(module, name)
        if said.rules:
            self.use("dutiful_gate", "it")
        return self.annotated(said.base, said.rules)

    def leftover(self, node: Node, rest: dict[str, Any]) -> list[str]:
        """What has no form of its own, as a document."""
        if not rest:
            return []
        if _CONTEXT & rest.keys() or not _stands_alone(rest, node.draft):
            return [self.whole(node)]
        self.use("dutiful_gate", "fits")
        return [f"fits({literal(rest)})"]

    def whole(self, node: Node) -> str:
        """A schema that stays in the document, which is kept as it is."""
        self.use("dutiful_gate", "fits")
        at = "".join(f"/{str(step).replace('~', '~0').replace('/', '~1')}" for step in node.steps)
        more = ", documents=DOCUMENTS" if self.documents else ""
        self.uses_documents = self.uses_documents or bool(more)
        if node.document is not self.root.document:
            return f'fits({{"$ref": {literal(f"{node.document.name}#{at}")}}}{more})'
        self.uses_document = True
        more += "" if "$schema" in self.document else f", dialect={literal(node.draft.name)}"
        return f"fits(DOCUMENT, at={literal(at)}{more})" if at else f"fits(DOCUMENT{more})"

    # Names

    def reference(self, target: Node) -> str:
        """The name for a schema that is referred to."""
        if target in self.named:
            return self.named[target]
        if not isinstance(target.raw, dict):
            return self.expression(target, "")
        words = active(target)
        hint = str(target.steps[-1]) if target.steps else self.asked or self.title(target) or "Document"
        if self.is_record(target, words):
            if self.chain > _LONGEST_CHAIN:
                self.later.append((target, words))
                self.named[target] = self.names.fresh(self.title(target) or hint)
                return self.named[target]
            self.chain += 1
            name = self.record(target, words, hint)
            self.chain -= 1
            return name
        if target in self.building:
            if self.depth == self.building[target]:  # it leads to itself with nothing between
                return self.annotated(self.any(), [self.whole(target)])
            if target not in self.quoted:
                self.quoted[target] = self.names.fresh(hint)
            return f'"{self.quoted[target]}"'
        self.building[target] = self.depth
        outside, self.secret = self.secret, False
        expression = self.expression(target, hint)
        self.secret = outside
        del self.building[target]
        name = self.named[target] = self.quoted.get(target) or self.names.fresh(hint)
        self.aliases.append(f"{name} = {expression}")
        return name

    def title(self, node: Node) -> str:
        title = node.raw.get("title") if isinstance(node.raw, dict) else None
        return title if isinstance(title, str) and title.isidentifier() else ""

    def is_record(self, node: Node, words: Mapping[str, Any]) -> bool:
        """Whether a schema is one of records with named fields."""
        kinds = types_of(node, dict(words))
        return kinds == ["object"] and isinstance(words.get("properties"), dict)

    def record(self, node: Node, words: Mapping[str, Any], hint: str) -> str:
        """A class for a schema of records."""
        if node in self.named:
            return self.named[node]
        self.named[node] = self.names.fresh(self.title(node) or hint)
        return self.written(node, words)

    def written(self, node: Node, words: Mapping[str, Any]) -> str:
        """The class itself, whose name is settled."""
        name = self.named[node]
        taken: set[str] = set()
        fields = [
            _Field(self, node.kid("properties", wire), wire, attribute(wire, taken), words, name)
            for wire in words["properties"]
            if not (wire == "$schema" and self.is_marked(node) and words.get("additionalProperties") is not None)
        ]
        lines = self.obeyed(node, words)
        of_dict = any(field.may_lack for field in fields)
        if of_dict:
            self.use("typing", "TypedDict")
            lines.append(f"class {name}(TypedDict):")
        else:
            self.use("dataclasses", "dataclass")
            late = [field.default for field in fields]
            ordered = late == sorted(late, key=bool)
            lines.append(f"@dataclass{'' if ordered else '(kw_only=True)'}")
            lines.append(f"class {name}:")
        if isinstance(node.raw.get("description"), str):
            lines.append(quoted(node.raw["description"], "    "))
            lines.append("")
        lines += [f"    {field.text(of_dict=of_dict)}" for field in fields] or ["    pass"]
        more = words.get("additionalProperties")
        if isinstance(more, dict) and (more or self.refuses) and "patternProperties" not in words:
            held = self.held(node.kid("additionalProperties"), f"{name}Value")
            self.use("dutiful_gate", "rest")
            self.use("typing", "Annotated")
            own = f"{attribute('others', taken)}: Annotated[dict[str, {held}], rest]"
            if not of_dict:
                self.use("dataclasses", "field")
                own += " = field(default_factory=dict)"
            lines.append(f"    {own}")
        self.classes.append("\n".join(lines))
        return name

    def obeyed(self, node: Node, words: Mapping[str, Any]) -> list[str]:
        """The decorator for what holds for the record as a whole."""
        rest = {word: held for word, held in words.items() if word not in _RECORD_WORDS | _SAID_OF}
        required = [name for name in words.get("required", []) if name not in words["properties"]]
        if required:
            rest["required"] = required
        shut = words.get("additionalProperties") is False and not self.refuses
        if not rest and not shut:
            return []
        self.use("dutiful_gate", "obeys")
        if _CONTEXT & rest.keys() or not _stands_alone(rest, node.draft):
            return [f"@obeys({self.whole(node)})"]
        if shut:
            rest["propertyNames"] = {"enum": list(words["properties"])}
        self.use("dutiful_gate", "fits")
        return [f"@obeys(fits({literal(rest)}))"]


class _Field:
    """One property as a line of a class."""

    def __init__(
        self, module: _Module, kid: Node, wire: str, attribute: str, words: Mapping[str, Any], name: str
    ) -> None:
        self.plain: list[Any] = []
        raw = kid.raw if isinstance(kid.raw, dict) else {}
        self.attribute = attribute
        self.module = module
        self.type = module.held(kid, f"{name}{wire[:1].upper()}{wire[1:]}")
        self.required = wire in words.get("required", [])
        self.default = ""
        if wire != attribute:
            module.use("dutiful_gate", "named")
            self.type = module.annotated(self.type, [f"named({literal(wire)})"])
        if not self.required and "default" in raw and module.is_sound(kid, raw["default"]):
            self.plain = [raw["default"]]
            self.default = self.standing_in(raw["default"])
        self.may_lack = not self.required and not self.default

    def standing_in(self, plain: Any) -> str:
        """The default, as the field's type has it."""
        bare = self.type.removeprefix("Annotated[").partition(",")[0].partition(" |")[0]
        simple = bare in ("str", "int", "bool", "Any") or bare.startswith("Literal")
        if plain is None or (simple and not isinstance(plain, list | dict)):
            return literal(plain)
        if bare == "float" and isinstance(plain, int | float):
            return literal(plain)
        self.module.use("dataclasses", "field")
        for empty, word in (([], "list"), ({}, "dict")):
            if plain == empty and type(plain) is type(empty) and bare.startswith(f"{word}["):
                return f"field(default_factory={word})"
        self.module.use("dutiful_gate", "Gate")
        return f"field(default_factory=lambda: Gate({self.type}).admit({literal(plain)}))"

    def text(self, *, of_dict: bool) -> str:
        """The line; in a TypedDict a default is only told."""
        if of_dict and self.default and not self.required:
            self.module.use("dutiful_gate", "fits")
            self.type = self.module.annotated(self.type, [f"fits({literal({'default': self.plain[0]})})"])
        elif self.required or self.default:
            return f"{self.attribute}: {self.type}" + (f" = {self.default}" if self.default else "")
        self.module.use("typing", "NotRequired")
        return f"{self.attribute}: NotRequired[{self.type}]"


def _gathers(words: Mapping[str, Any]) -> bool:
    """Whether a record of it takes all other keys into a field of its own, so that none is unknown."""
    more = words.get("additionalProperties")
    return isinstance(more, dict) and "patternProperties" not in words


def _order(name: str) -> tuple[bool, str]:
    return name[0].islower(), name


def _stands_alone(words: Mapping[str, Any], draft: Draft) -> bool:
    """Whether keywords mean the same when they stand by themselves in 2020-12."""
    latest = DRAFT_2020_12.keywords
    waiting: list[Any] = [words]
    while waiting:
        held = waiting.pop()
        if isinstance(held, list):
            waiting += held
        elif isinstance(held, dict):
            waiting += held.values()
            if draft is DRAFT_2020_12:
                if "$ref" in held:
                    return False
                continue
            strange = held.keys() & (latest ^ draft.keywords) - _HARMLESS
            old_4 = draft.name == "draft-04" and (held.get("type") == "integer" or _BOUNDS & held.keys())
            if strange or "$ref" in held or isinstance(held.get("items"), list) or old_4:
                return False
    return True


_BOUNDS = words_of("exclusiveMinimum exclusiveMaximum")
_HARMLESS = words_of("$comment readOnly writeOnly contentEncoding contentMediaType examples deprecated")


def _is_literal(value: Any) -> bool:
    return value is None or isinstance(value, str | bool) or value.__class__ is int


def _is_literal_of(kind: str, value: Any) -> bool:
    return _is_literal(value) and _json_kind(value) == ("number" if kind == "integer" else kind)


def _json_kind(value: Any) -> str:
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "boolean"
    if isinstance(value, int | float):
        return "number"
    return "string" if isinstance(value, str) else "array" if isinstance(value, list) else "object"


def _tag(raw: Mapping[str, Any]) -> str:
    """What tells one record from another: a property that must be there and has one constant."""
    for name, held in raw.get("properties", {}).items():
        if isinstance(held, dict) and "const" in held and name in raw.get("required", []):
            return json.dumps({name: held["const"]})
    return ""
