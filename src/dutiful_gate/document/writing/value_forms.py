"""How the values of a use are written in JSON: in one way or in several, of which types, or not at all."""

from __future__ import annotations

from collections.abc import Sequence

from ...declare.rules import Contains, Length, Rule
from ...declare.steps import Step
from ...shape.final_forms import survives
from ...shape.nodes import Alias, Branches, Choice, Entries, Items, Link, Nothing, Scalar
from ...shape.shape import Shape
from ...shape.uses import Use
from .joining import Keywords

_JSON_TYPES: dict[type, str] = {
    str: "string",
    bool: "boolean",
    int: "integer",
    float: "number",
    type(None): "null",
}


def is_canonical(use: Use) -> bool:
    """Whether each value has one form in JSON only, as far as JSON Schema compares."""
    if use.has_steps or not use.reads_what_came:
        return False
    match use.node:
        case Scalar(kind):
            return kind.one_form
        case Nothing():
            return True
        case Choice(values=values, lenient=lenient):
            return not lenient and len(set(values)) == len(values)  # to a set 1 and True are one
        case Items(into=into) if into not in ("list", "tuple"):
            return False
        case Entries() | Link() | Alias():
            return False
        case Branches(options=options):
            kinds = [option.node.single for option in options if option.node.single is not None]
            both = any(kind.comes_as == {bool} for kind in kinds) and any(kind.facts.number for kind in kinds)
            return not both and all(map(is_canonical, options))
        case node:
            return all(map(is_canonical, node.inside))


def has_one_form(use: Use, rule: Rule, *, released: bool) -> bool:
    """Whether what a rule compares with its constants is written in one way, so that a document can compare it."""
    match use.node:
        case Scalar(kind):
            return kind.has_one_form(released=released) or kind.facts.text or kind.facts.open
        case Items(item) if isinstance(rule, Contains):
            return has_one_form(item, rule, released=released)
        case Alias():  # one that leads back to itself, by several kinds
            return False
        case Branches() as union:
            return all(has_one_form(option, rule, released=released) for option in union.options)
        case node:
            return all(has_one_form(each, rule, released=released) for each in node.in_place)


def converts(use: Use) -> bool:
    """Whether the typed value is not what a client would send: its default cannot be told in the document."""
    return use.bare.making is not None or use.bare.is_reread


def choice_words(wire: tuple[object, ...]) -> Keywords:
    """The members of a choice."""
    types = list(dict.fromkeys(_JSON_TYPES[type(value)] for value in wire if type(value) in _JSON_TYPES))
    if len(wire) == 1:
        return {"const": wire[0]}
    if len(types) == 1:
        return {"type": types[0], "enum": list(wire)}
    return {"enum": list(wire)}


def types_of_choice(wire: tuple[object, ...]) -> Keywords:
    """The types of a choice, where its members are not told."""
    types = list(dict.fromkeys(_JSON_TYPES[type(value)] for value in wire if type(value) in _JSON_TYPES))
    return {"type": types[0] if len(types) == 1 else types}


def forbids_empty(parts: Sequence[Step | Rule]) -> bool:
    """Whether a length that holds to the end leaves no empty text."""
    return any(
        isinstance(part, Length) and bool(part.floor) and survives(part, parts[number + 1 :])
        for number, part in enumerate(parts)
    )


def judged_types(parts: Sequence[Step | Rule]) -> tuple[str, ...] | None:
    """The types of JSON that all can judge which stand beside an open type, up to where one makes another value."""
    left: tuple[str, ...] | None = None
    for part in parts:
        takes = part.takes()
        if takes is not None:
            left = tuple(each for each in takes.types if left is None or each in left)
        if isinstance(part, Step) and not part.normalising:
            break
    return left


def types_words(types: tuple[str, ...]) -> Keywords:
    """What JSON has of the values that every rule beside them can judge."""
    if not types:
        return {"not": {}}
    return {"type": types[0] if len(types) == 1 else list(types)}


def may_be_withheld(use: Use, shape: Shape, seen: frozenset[str] = frozenset()) -> bool:
    """Whether something in a value is not released, so that what differs may come out alike."""
    if use.secret:
        return True
    node = use.node
    if not isinstance(node, Link | Alias):
        return any(may_be_withheld(each, shape, seen) for each in node.inside)
    if node.key in seen:
        return False
    record = shape.record_of(use)
    if record is None:
        return may_be_withheld(shape.aliases[node.key], shape, seen | {node.key})
    fields = (*record.fields, *record.rests)
    return any(field.only_given or may_be_withheld(field.use, shape, seen | {record.key}) for field in fields)
