"""Unions of records that a field tells apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from .nodes import Choice, Field, Link, Record, Use

Tags = tuple[tuple[object, ...], ...]


def tag_of(options: Sequence[Use], records: Mapping[str, Record]) -> tuple[str, Tags]:
    """The key in the data that tells the options apart, and the values it has in each; "" when there is none.

    It is a required field that is a Literal (or Enum) in every option, with no value in common between any two.
    """
    fields = [_choices(option, records) for option in options]
    if not all(fields) or any(option.parts for option in options):
        return "", ()
    for wire, choice in fields[0].items():
        if not all(wire in each for each in fields):
            continue
        tags = tuple(each[wire].wire for each in fields)
        every = [(type(value), value) for values in tags for value in values]
        if len(set(every)) == len(every) and isinstance(choice, Choice):
            return wire, tags
    return "", ()


def _choices(option: Use, records: Mapping[str, Record]) -> dict[str, Choice]:
    if not isinstance(option.node, Link) or option.via is not None:
        return {}
    return {field.wire: choice for field in records[option.node.key].fields if (choice := _choice(field)) is not None}


def _choice(field: Field) -> Choice | None:
    # One that may be absent tells nothing when it is.
    return field.use.node if field.required and isinstance(field.use.node, Choice) else None
