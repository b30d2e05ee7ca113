"""What joins schemas: references, options, and keywords that only ask for keys."""

from __future__ import annotations

from json import dumps
from typing import Any, Final

from ..declare.equality import keyed
from ..document.declaring.meaning import SAID_OF, Clause, Meaning, Part, Piece
from ..document.judging.library import Subschema
from ..report.shown_values import shortened, visible
from .changes import Option, plain_kinds
from .same_schemas import are_same


def is_near(option: Option, other: Option) -> bool:
    """Whether two options may be one in two versions: of the same kinds, and not told apart by a tag."""
    if set(plain_kinds(option.kinds)) != set(plain_kinds(other.kinds)):
        return False
    tags, tags_now = _tags(option.meaning), _tags(other.meaning)
    return all(tags[name] & tags_now[name] for name in tags.keys() & tags_now.keys())


def _tags(meaning: Meaning) -> dict[str, set[Any]]:
    found: dict[str, set[Any]] = {}
    for each in meaning.records:
        for name, schema in each.words.get("properties", {}).items():
            if isinstance(schema, dict) and ("const" in schema or "enum" in schema):
                values = [schema["const"]] if "const" in schema else schema["enum"]
                found[name] = set(map(keyed, values))
    return found


def only_refers(piece: Piece) -> bool:
    """Whether all that a schema says is said by what it refers to, which stands beside it."""
    return set(piece.words()) <= {"$ref", "allOf"}


def subschema_part(node: Subschema, word: str) -> Part:
    """The schema under a keyword, as a part; of a keyword that is not there, what asks for nothing."""
    return (Piece(node.subschema(word)),) if word in node.raw else ()


_MOST_REFERENCES: Final = 50


def followed(part: Part, root: Subschema) -> Part:
    """A part in which what only refers to a schema is that schema."""
    return tuple(dict.fromkeys(_target_of(piece, root) for piece in part))


def _target_of(piece: Piece, root: Subschema) -> Piece:
    for _ in range(_MOST_REFERENCES):
        node = piece.node
        words = piece.words()
        if len(words) != 1 or node.dialect.nullable:
            return piece
        ((word, held),) = words.items()
        if word == "$ref":
            piece = Piece(_target(node, held))
        elif word in ("$dynamicRef", "$recursiveRef") and _is_anchored(root, word, held):
            piece = Piece(root)  # the outermost resource that has the anchor, and so the whole document
        else:
            return piece
    return piece


def _is_anchored(root: Subschema, word: str, reference: Any) -> bool:
    """Whether a reference that goes by the way it was reached leads to the document as a whole."""
    if not isinstance(root.raw, dict):
        return False
    if word == "$recursiveRef":
        return root.raw.get("$recursiveAnchor") is True
    return bool(f"#{root.raw.get('$dynamicAnchor')}" == reference)


def same_clause(clause: Clause, other: Clause) -> bool:
    """Whether two keywords, which join schemas, say the same."""
    if clause.word != other.word:
        return False
    node, twin = clause.node, other.node
    held, also = node.raw[clause.word], twin.raw[other.word]
    if clause.word == "if":
        for word in ("then", "else"):
            if (word in node.raw) != (word in twin.raw):
                return False
            if word in node.raw and not are_same(node.subschema(word), twin.subschema(word)):
                return False
    if clause.word in ("$dynamicRef", "$recursiveRef"):
        return bool(held == also) and are_same(_target(node, held), _target(twin, also))
    if isinstance(held, list):
        if len(held) != len(also):
            return False
        return all(are_same(node.subschema(clause.word, at), twin.subschema(other.word, at)) for at in range(len(held)))
    if isinstance(held, dict | bool) and isinstance(also, dict | bool):
        return are_same(node.subschema(clause.word), twin.subschema(other.word))
    return bool(keyed(held) == keyed(also))


def _target(node: Subschema, reference: str) -> Subschema:
    return node.document.library.target(node, reference)


def holds_by_keys(schema: Any, declared: frozenset[str], required: frozenset[str]) -> bool | None:
    """Whether a schema that asks for keys holds, where some are always there and others never; None where that hangs on
    more than keys."""
    if isinstance(schema, bool):
        return schema
    if not isinstance(schema, dict):
        return None
    answers: list[bool | None] = []
    for word, held in schema.items():
        if word == "required" and isinstance(held, list):
            answers.append(False if not declared.issuperset(held) else True if required.issuperset(held) else None)
        elif word == "not":
            inner = holds_by_keys(held, declared, required)
            answers.append(None if inner is None else not inner)
        elif word in ("anyOf", "allOf", "oneOf") and isinstance(held, list):
            answers.append(_joined_answers(word, [holds_by_keys(each, declared, required) for each in held]))
        elif word not in SAID_OF:
            answers.append(None)
    return _joined_answers("allOf", answers)


def _joined_answers(word: str, answers: list[bool | None]) -> bool | None:
    if word == "allOf":
        return False if False in answers else None if None in answers else True
    if word == "anyOf":
        return True if True in answers else None if None in answers else False
    return None if None in answers else answers.count(True) == 1


def clause_in_words(clause: Clause) -> str:
    """A keyword that joins schemas, for people."""
    held = clause.node.raw.get(clause.word)
    return f"{clause.word} {visible(shortened(dumps(held, ensure_ascii=False, default=str), 60))}"
