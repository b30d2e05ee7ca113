"""What a schema says of a record as a whole, as rules of `this`: what comes, and what values are to each other."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

from ...codegen.literals import literal
from ..dialects import HELD_LIST
from ..judging.library import Subschema
from .condition_source import (
    TRUE,
    Unsayable,
    asks_value,
    bare,
    both,
    either,
    exactly_one,
    opposite,
)
from .meaning import Meaning, Part, Piece, TooMany, gathered
from .module_state import ModuleState
from .naming import attribute
from .scalars import further, scalar

_DEEPEST = 6
_TYPES = {"string": "str", "integer": "int", "number": "float", "boolean": "bool", "array": "list", "object": "dict"}
_OF_KIND = {
    "string": frozenset(["minLength", "maxLength", "pattern"]),
    "number": frozenset(["minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf"]),
    "array": frozenset(["minItems", "maxItems"]),
}
_KNOWN = frozenset(
    [
        "required",
        "properties",
        "type",
        "not",
        "anyOf",
        "oneOf",
        "allOf",
        "if",
        "then",
        "else",
        "dependentRequired",
        "$ref",
    ]
)


class Properties:
    """The properties of a record that rules may speak of: what each is, and its attribute."""

    def __init__(self, meaning: Meaning, parts: Callable[[str], Part]) -> None:
        self.meaning = meaning
        self.parts = parts
        taken: set[str] = set()
        names = dict.fromkeys(name for said in meaning.records for name in said.words.get("properties", {}))
        required = [name for said in meaning.records for name in said.words.get("required", [])]
        self.attributes: dict[str, str] = {}
        self.taken = taken
        # Those whose default stands in for their absence: rules that compare values then see it.
        self.kept: set[str] = set()
        for name in (*names, *required):
            self.attribute(name)

    def attribute(self, name: str) -> str:
        """The attribute of a property; one that only a rule mentions is declared, too."""
        if name not in self.attributes:
            self.attributes[name] = attribute(name, self.taken)
        return self.attributes[name]

    def meant(self, name: str) -> Meaning:
        """What the value of a property may be."""
        try:
            return gathered(self.parts(name))
        except TooMany:
            raise Unsayable from None


class Agreements:
    """Writes conditions and rules for the schemas of one record."""

    def __init__(self, page: ModuleState, properties_of: Callable[[Meaning], Properties]) -> None:
        self.page = page
        self.properties_of = properties_of

    # Conditions

    def condition(self, node: Subschema, around: Properties, path: str = "this", depth: int = 0) -> str:
        """The condition that a schema says of a record. Raises Unsayable."""
        if node.raw is True:
            return TRUE
        if node.raw is False or depth > _DEEPEST or not isinstance(node.raw, dict):
            raise Unsayable
        words = Piece(node).words()
        if not words.keys() <= _KNOWN or words.get("type", "object") != "object":
            raise Unsayable
        told: list[str] = []
        if "$ref" in words:
            told.append(self.condition(node.document.library.target(node, words["$ref"]), around, path, depth + 1))
        required = words.get("required", [])
        named = words.get("properties", {})
        for name in required:
            test = self.value(node.subschema("properties", name), name, around, path, depth) if name in named else TRUE
            if not asks_value(test, _at(path, around, name)):
                told.append(self.came(name, around, path))
            told.append(test)
        for name in named:
            if name not in required:
                test = self.value(node.subschema("properties", name), name, around, path, depth)
                if test != TRUE and name in around.kept:  # where it is absent its default stands for it
                    told.append(test)
                elif test != TRUE:
                    told.append(either([f"~{self.came(name, around, path)}", test]))
        for name, wanted in words.get("dependentRequired", {}).items():
            then = both([self.came(each, around, path) for each in wanted])
            told.append(either([f"~{self.came(name, around, path)}", then]))

        def subschema(*steps: str | int) -> str:
            return self.condition(node.subschema(*steps), around, path, depth + 1)

        told += self.joined(words, subschema)
        return both(told)

    def joined(self, words: Mapping[str, Any], subschema: Callable[..., str]) -> list[str]:
        """What keywords that join schemas say, given what each schema says."""
        told = [subschema("allOf", at) for at in range(len(words.get("allOf", [])))]
        if "anyOf" in words:
            told.append(either([subschema("anyOf", at) for at in range(len(words["anyOf"]))]))
        if "oneOf" in words:
            told.append(exactly_one([subschema("oneOf", at) for at in range(len(words["oneOf"]))]))
        if "not" in words:
            told.append(opposite(subschema("not")))
        if "if" in words:
            test = subschema("if")
            if "then" in words:
                told.append(either([opposite(test), subschema("then")]))
            if "else" in words:
                told.append(either([test, subschema("else")]))
        return told

    def came(self, name: str, around: Properties, path: str) -> str:
        """The condition that a property is there."""
        at = _at(path, around, name)
        if path == "this":
            return f"{at}.came"
        if "null" in around.meant(name).kinds:
            raise Unsayable  # of a record inside only values are known
        return f"{at}.has_value"

    def value(self, node: Subschema, name: str, around: Properties, path: str, depth: int) -> str:
        """The condition that a schema says of a property's value, which is there."""
        if node.raw is True or (isinstance(node.raw, dict) and not Piece(node).words()):
            return TRUE
        if node.raw is False or depth > _DEEPEST:
            raise Unsayable
        at, words, meaning = _at(path, around, name), Piece(node).words(), around.meant(name)
        kinds = [kind for kind in meaning.kinds if kind != "null"]
        told: list[str] = []
        left = dict(words)
        if "const" in left or "enum" in left:
            values = [left.pop("const")] if "const" in left else left.pop("enum")
            left.pop("enum", None)
            left.pop("type", None)
            self.check_possible(values, name, around)
            told.append(self.equal(at, values, path))
        barred = left.get("not")
        if (
            isinstance(barred, dict)
            and list(barred) == ["enum"]
            and len(barred["enum"]) == 2
            and None in barred["enum"]
        ):
            value = next(each for each in barred["enum"] if each is not None)
            self.check_possible([value], name, around)
            told.append(f"({at} != {literal(value)})")
            del left["not"]
        elif barred == {"type": "null"} and "not" in left:
            told.append(f"{at}.has_value")
            del left["not"]
        if {"properties", "required"} & left.keys():
            told.append(self.inside(node, at, left, meaning, kinds, depth))
            left = {word: held for word, held in left.items() if word not in ("properties", "required", "type")}
        told += self.ruled(at, left, meaning, kinds, sure=f"{at}.has_value" in told)
        if "type" in left:
            told.append(self.typed(at, left.pop("type"), meaning, kinds))

        def subschema(*steps: str | int) -> str:
            return self.value(node.subschema(*steps), name, around, path, depth + 1)

        if "$ref" in left:
            target = node.document.library.target(node, left.pop("$ref"))
            told.append(self.value(target, name, around, path, depth + 1))
        joins: dict[str, Any] = {
            word: left.pop(word) for word in ("allOf", "anyOf", "oneOf", "not", "if", "then", "else") if word in left
        }
        told += self.joined(joins, subschema)
        if left:
            raise Unsayable
        has = f"{at}.has_value"
        sure = any(each != has and asks_value(each, at) for each in told)
        return both([each for each in told if not (sure and each == has)])

    def check_possible(self, values: Sequence[Any], name: str, around: Properties) -> None:
        """Raise Unsayable for a value that the property never is: a rule in types on it would be dead, and told so."""
        part = around.parts(name)
        if not all(self.page.judges(piece, value) for piece in part for value in values):
            raise Unsayable
        meaning = around.meant(name)
        texts = [scalar("string", said.words, formats=True).base for said in meaning.texts]
        converted = bool(meaning.clauses) or any(map(self.page.is_converted, texts))
        if converted and any(isinstance(value, str) for value in values):
            raise Unsayable  # what it is read as is no text

    def equal(self, at: str, values: Sequence[Any], path: str) -> str:
        """The condition that a value is one of a few."""
        plain = [each for each in values if each is not None]
        if not all(isinstance(each, str | int | float | bool) for each in plain):
            raise Unsayable
        told = []
        if len(plain) == 1 and not isinstance(plain[0], bool):  # linters would have `not` for `== False`
            told.append(f"({at} == {literal(plain[0])})")
        elif plain:
            told.append(f"{at}.one_of({', '.join(map(literal, plain))})")
        if len(plain) < len(values):
            if path != "this":
                raise Unsayable
            told.append(both([f"{at}.came", f"~{at}.has_value"]))
        return either(told)

    def ruled(self, at: str, left: dict[str, Any], meaning: Meaning, kinds: list[str], *, sure: bool) -> list[str]:
        """The conditions that rules on text, numbers and lists say, where the value is of that kind alone.

        `sure` tells that null does not pass anyway.
        """
        told = []
        for kind, words in _OF_KIND.items():
            held = {word: left.pop(word) for word in list(left) if word in words}
            if not held:
                continue
            if kinds not in ([kind], ["integer"] if kind == "number" else [kind]):
                raise Unsayable
            said = further(kind, held)
            if said.left:
                raise Unsayable
            self.page.import_for(said.rules)
            rules = both([f"{at}.obeys({rule})" for rule in said.rules])
            told.append(either([f"~{at}.has_value", rules]) if "null" in meaning.kinds and not sure else rules)
        return told

    def typed(self, at: str, wanted: str | list[str], meaning: Meaning, kinds: list[str]) -> str:
        """The condition that a value is of a type."""
        asked = [wanted] if isinstance(wanted, str) else list(wanted)
        if set(meaning.kinds) <= {*asked, *(["integer"] if "number" in asked else [])}:
            return TRUE
        if [kind for kind in kinds if kind in asked] == kinds and "null" not in asked:
            return f"{at}.has_value"
        raise Unsayable

    def inside(
        self, node: Subschema, at: str, left: Mapping[str, Any], meaning: Meaning, kinds: list[str], depth: int
    ) -> str:
        """The condition that a schema says of a record inside."""
        inner = Piece(node)
        if kinds != ["object"] or "null" in meaning.kinds or meaning.never:
            raise Unsayable
        around = self.properties_of(meaning)
        words = {"required": left.get("required", []), "properties": left.get("properties", {})}
        told = []
        for name in words["required"]:
            if _has_default(around.parts(name)):
                raise Unsayable  # of a record inside it is not known what came
            test = TRUE
            if name in words["properties"]:
                test = self.value(inner.node.subschema("properties", name), name, around, at, depth + 1)
            told += [] if asks_value(test, _at(at, around, name)) else [self.came(name, around, at)]
            told.append(test)
        for name in words["properties"]:
            if name not in words["required"]:
                schema = inner.node.subschema("properties", name)
                test = self.value(schema, name, around, at, depth + 1)
                if test != TRUE and _has_default(around.parts(name)):
                    if not all(self.page.judges(schema, default) for default in _defaults(around.parts(name))):
                        raise Unsayable
                    told.append(test)  # where it is absent its default stands for it
                elif test != TRUE:
                    told.append(either([f"~{self.came(name, around, at)}", test]))
        if any(name not in self.declared(meaning) for name in [*words["required"], *words["properties"]]):
            raise Unsayable
        return both(told)

    def declared(self, meaning: Meaning) -> set[str]:
        """The properties that a record has by name."""
        return {
            name
            for said in meaning.records
            for name in (*said.words.get("properties", {}), *said.words.get("required", []))
        }

    # Rules

    def rules(self, node: Subschema, word: str, around: Properties) -> list[str]:
        """The rules that a keyword of a schema says of a record. Raises Unsayable."""
        words = Piece(node).words()
        held = words[word]

        def subschema(*steps: str | int) -> str:
            return self.condition(node.subschema(*steps), around)

        if word == "if":
            test = subschema("if")
            then = subschema("then") if "then" in words else TRUE
            other = subschema("else") if "else" in words else TRUE
            if test == TRUE:
                return [bare(then)] if then != TRUE else []
            if then == other == TRUE:
                return []
            self.page.ours("when")
            follows = f".obeys({bare(then)})" if then != TRUE else ""
            if other == TRUE:
                return [f"when({bare(test)}){follows}"]
            if not follows:
                return [f"when({bare(opposite(test))}).obeys({bare(other)})"]
            return [f"when({bare(test)}){follows}.or_else.obeys({bare(other)})"]
        if word in ("anyOf", "oneOf"):
            options = [subschema(word, at) for at in range(len(held))]
            names = [self.lone(option, around) for option in options]
            if len(set(names)) == len(names) > 1 and all(names):
                sugar = self.page.ours("at_least_one" if word == "anyOf" else "exactly_one")
                return [f"{sugar}({', '.join(map(literal, names))})"]
            told = either(options) if word == "anyOf" else exactly_one(options)
        elif word == "not":
            told = opposite(subschema("not"))
        elif word in ("dependentRequired", "dependencies", "dependentSchemas"):
            return self.dependent(node, word, held, around)
        else:
            raise Unsayable
        return [] if told == TRUE else [bare(told)]

    def dependent(self, node: Subschema, word: str, held: Mapping[str, Any], around: Properties) -> list[str]:
        """What must be there, or hold, where a property is."""
        told = []
        for name, wanted in held.items():
            given = f"{_at('this', around, name)}.came"
            if isinstance(wanted, list):
                plain = [self.lone(f"{_at('this', around, each)}.came", around) for each in (*wanted, name)]
                if wanted and all(plain):
                    names = ", ".join(map(literal, plain[:-1]))
                    told.append(f"{self.page.ours('needs')}({names}, given={literal(plain[-1])})")
                    continue
                then = both([f"{_at('this', around, each)}.came" for each in wanted])
            else:
                then = self.condition(node.subschema(word, name), around)
            if then != TRUE:
                told.append(f"{self.page.ours('when')}({given}).obeys({bare(then)})")
        return told

    def lone(self, told: str, around: Properties) -> str:
        """The attribute that a condition asks the presence of alone, where that is the same as having a value."""
        for name, own in around.attributes.items():
            at = _at("this", around, name)
            if told == f"{at}.has_value":
                return own
            if told == f"{at}.came":
                return own if not self.takes_null(name, around) and not _has_default(around.parts(name)) else ""
        return ""

    def takes_null(self, name: str, around: Properties) -> bool:
        """Whether null may pass for a property, what its alternatives and references say of it included."""
        if "null" not in around.meant(name).kinds:
            return False
        return all(self.page.judges(piece, None) for piece in around.parts(name))


def is_steady(page: ModuleState, nodes: Sequence[Subschema], name: str, default: Any) -> bool:
    """Whether a record is judged alike by schemas whether a property is absent or has a value, as far as they tell."""
    for node in _alternatives(page, nodes):
        words = Piece(node).words()
        needed = name in words.get("required", [])
        named = name in words.get("properties", {})
        fits = page.judges(node.subschema("properties", name), default) if named else True
        if (needed and fits) or (not needed and not fits):
            return False
        for word in ("dependentRequired", "dependencies", "dependentSchemas"):
            held = words.get(word, {})
            if name in held or any(isinstance(each, list) and name in each for each in held.values()):
                return False
        if {
            "minProperties",
            "maxProperties",
            "patternProperties",
            "propertyNames",
            "additionalProperties",
        } & words.keys():
            return False
    return True


def looked_into(page: ModuleState, node: Subschema) -> list[tuple[str, Subschema]]:
    """The properties into which a schema of records looks, each with its schema for them."""
    found: list[tuple[str, Subschema]] = []
    for each in _alternatives(page, [node]):
        found += [(name, each.subschema("properties", name)) for name in Piece(each).words().get("properties", {})]
    return [(name, inner) for name, inner in found if isinstance(inner.raw, dict) and Piece(inner).words()]


def _alternatives(page: ModuleState, nodes: Sequence[Subschema]) -> Iterator[Subschema]:
    """Some schemas, and all that judge the same values as they do."""
    seen: set[Subschema] = set()
    waiting = list(nodes)
    while waiting:
        node = waiting.pop()
        if node in seen or not isinstance(node.raw, dict):
            continue
        seen.add(node)
        yield node
        words = Piece(node).words()
        if "$ref" in words:
            waiting.append(page.library.target(node, words["$ref"]))
        for word, held in words.items():
            if word in HELD_LIST and isinstance(held, list) and word not in ("items", "prefixItems"):
                waiting += [node.subschema(word, at) for at in range(len(held))]
            elif word in ("not", "if", "then", "else") and isinstance(held, dict):
                waiting.append(node.subschema(word))
            elif word in ("dependentSchemas", "dependencies") and isinstance(held, dict):
                waiting += [node.subschema(word, each) for each, inner in held.items() if isinstance(inner, dict)]


def _defaults(part: Part) -> list[Any]:
    return [
        piece.node.raw["default"] for piece in part if isinstance(piece.node.raw, dict) and "default" in piece.node.raw
    ]


def _has_default(part: Part) -> bool:
    return bool(_defaults(part))


def _at(path: str, around: Properties, name: str) -> str:
    """The term for a property."""
    own = around.attribute(name)
    plain = own.isidentifier() and not own.startswith("_") and own not in _TAKEN
    return f"{path}.{own}" if plain else f"{path}[{literal(own)}]"


_COUNTING = frozenset(["minProperties", "maxProperties", "patternProperties", "propertyNames", "additionalProperties"])
_TAKEN = frozenset(
    ["length", "came", "has_value", "obeys", "is_a", "one_of", "starts_with", "ends_with", "contains", "all", "any"]
)
