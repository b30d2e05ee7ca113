"""Unions of records that a field tells apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..declare.absent import Absent
from ..declare.errors import DeclarationError
from .metadata import PartOf
from .nodes import Branches, Choice, Link, Node, Scalar
from .shape import Record
from .uses import Use

Tags = tuple[tuple[object, ...], ...]


def without_absent(options: Sequence[Any], part: PartOf) -> Sequence[Any]:
    """The options of a union without `Absent`, which is said of a field. Raises DeclarationError where none is."""
    if Absent not in options:
        return options
    if part == "inside":
        raise DeclarationError("only a field of a record can be Absent", remedy="leave it out, or write `| None`")
    return [option for option in options if option is not Absent]


def with_tag(use: Use, records: Mapping[str, Record]) -> Use:
    """A union with the key that tells its options apart, where there is one. Raises DeclarationError where it was named
    and does not tell."""
    node = use.node
    if not isinstance(node, Branches) or node.held:
        return use
    fields = [_choices(option, records) for option in node.options]
    if node.tag:
        tags = _tags(node.tag, fields)
        if not tags:
            raise DeclarationError(
                f"tagged_by({node.tag!r}) does not tell the options apart",
                remedy="each option is a record in which that field is a Literal or an Enum, with values of its own",
            )
        return use.replace(node=node.replace(tags=tags))
    if not all(fields) or any(option.parts for option in node.options):
        return use
    # One that must be there before one with a default: where the second is absent, nothing is told.
    for wire in sorted(fields[0], key=lambda name: not all(name in each and each[name][1] for each in fields)):
        if tags := _tags(wire, fields):
            return use.replace(node=node.replace(tag=wire, tags=tags))
    return use


def _tags(wire: str, fields: Sequence[Mapping[str, tuple[Choice, bool]]]) -> Tags:
    """The values that a key has in each option, if no two have one in common."""
    if not all(wire in each for each in fields):
        return ()
    tags = tuple(each[wire][0].wire for each in fields)
    every = [(type(value), value) for values in tags for value in values]
    return tags if len(set(every)) == len(every) else ()


def _choices(option: Use, records: Mapping[str, Record]) -> dict[str, tuple[Choice, bool]]:
    """The fields of an option that are one of a few constants, and whether each must be there."""
    if not isinstance(option.node, Link) or option.via is not None:
        return {}
    return {
        field.wire: (field.use.node, field.required)
        for field in records[option.node.key].fields
        if isinstance(field.use.node, Choice) and not (field.may_lack or field.use.via is not None or field.use.parts)
    }


def beside_anything(options: Sequence[Use]) -> Sequence[Use]:
    """The options of a union; beside one that takes anything, none is read leniently: what is of no other as it is, is
    that."""
    if not any(each.node.facts.open for each in options):
        return options
    return [each.replace(node=_strict(each.node)) for each in options]


def _strict(node: Node) -> Node:
    if isinstance(node, Choice):
        return node.replace(lenient=False)
    return Scalar(node.kind.strict) if isinstance(node, Scalar) else node
