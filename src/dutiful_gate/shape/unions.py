"""Unions of records that a field tells apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ..declare.absent import Absent
from ..declare.errors import DeclarationError
from ..declare.marks import TaggedBy
from ..declare.rules import Equal
from .metadata import PartOf
from .nodes import Branches, Choice, Link, Node, Scalar
from .python_types import type_name
from .shape import Record
from .uses import Use
from .walk import rebuilt, rebuilt_records

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
        known = [each for at, each in enumerate(fields) if at != node.others]
        tags = _tags(node.tag, known)
        if tags and node.others >= 0:
            tags = (*tags[: node.others], (), *tags[node.others :])
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


def tags_beside(told: TaggedBy, options: Sequence[Any]) -> Tags:
    """The tags of each option that stand beside its data. Raises DeclarationError where one has none."""
    tags: dict[int, tuple[str, ...]] = {}
    for tag, option in told.options:
        tags[id(option)] = (*tags.get(id(option), ()), tag)
    found = tuple(tags.get(id(option), ()) for option in options)
    if not all(found) or len(tags) != len(options):
        missing = next((option for option, tag in zip(options, found, strict=True) if not tag), None)
        raise DeclarationError(
            f"tagged_by({told.field!r}, beside={told.beside!r}) has no value of the tag for {type_name(missing)}"
            if missing is not None
            else f"tagged_by({told.field!r}) has values of the tag for types that are no options",
            remedy="name each option of the union in options=, and no others",
        )
    return found


def others_of(told: TaggedBy, options: Sequence[Any]) -> int:
    """The number of the option for tags that no other has, -1 for none. Raises DeclarationError where it is none."""
    if told.others is None:
        return -1
    if told.others not in options:
        raise DeclarationError(
            f"tagged_by({told.field!r}, others=...) names what is no option of the union", remedy="add it to the union"
        )
    return list(options).index(told.others)


def with_others_apart(
    root: Use, records: Mapping[str, Record], aliases: Mapping[str, Use]
) -> tuple[Use, dict[str, Record], dict[str, Use]]:
    """The same, where the option of a union for other tags has none of those that others have: going out, too. It is a
    record of its own there."""
    made = dict(records)

    def apart(use: Use) -> Use:
        node = use.node
        if not isinstance(node, Branches) or node.others < 0:
            return use
        option = node.options[node.others]
        record = records[option.node.key] if isinstance(option.node, Link) else None
        field = next((each for each in record.fields if each.wire == node.tag), None) if record is not None else None
        if record is None or field is None or field.use.node.facts.text is False or not field.use.node.is_single:
            raise DeclarationError(
                f"others= of tagged_by({node.tag!r}) keeps no tag",
                remedy=f"name a record in which {node.tag} is text, as in {node.tag}: str",
            )
        known = [tag for tags in node.tags for tag in tags if isinstance(tag, str)]
        barred = field.replace(use=field.use.replace(parts=(*field.use.parts, *(Equal(tag, False) for tag in known))))
        key = f"{record.key}_others"
        while key in made and made[key].by_attribute[field.attribute] != barred:
            key += "_"
        fields = tuple(barred if each is field else each for each in record.fields)
        made[key] = record.replace(key=key, fields=fields)
        options = list(node.options)
        options[node.others] = option.replace(node=Link(key))
        return use.replace(node=node.replace(options=tuple(options)))

    root, aliases = rebuilt(root, apart), {key: rebuilt(use, apart) for key, use in aliases.items()}
    rebuilt_ones = rebuilt_records(records, apart)
    return root, {**made, **rebuilt_ones}, dict(aliases)


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
