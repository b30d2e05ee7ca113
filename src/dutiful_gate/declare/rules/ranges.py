"""Bounds that stand side by side, held against each other."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..clock import Clock
from ..errors import DeclarationError
from .base import Rule
from .length import Length

_End = tuple[Any, bool, Rule]


def check_ranges(rules: Sequence[Rule]) -> None:
    """Raise DeclarationError when no value can pass all the bounds, or no length can."""
    for floors, ceilings in (_value_ends(rules), _length_ends(rules)):
        for floor, floor_in, low in floors:
            for ceiling, ceiling_in, high in ceilings:
                if low is high or isinstance(floor, Clock) or isinstance(ceiling, Clock):
                    continue
                try:
                    if floor < ceiling or (floor == ceiling and floor_in and ceiling_in):
                        continue
                except TypeError:
                    raise DeclarationError(
                        f"nothing can pass both {low} and {high}: they compare with different kinds of value",
                        remedy="drop one, or declare a union with each rule beside its own type",
                    ) from None
                raise DeclarationError(
                    f"nothing can pass both {low} and {high}: the range is upside down",
                    remedy="swap the bounds, or drop one",
                )


def _value_ends(rules: Sequence[Rule]) -> tuple[list[_End], list[_End]]:
    floors: list[_End] = []
    ceilings: list[_End] = []
    for rule in rules:
        ends = rule.ends
        if ends is not None and ends.floor is not None:
            floors.append((ends.floor, ends.with_floor, rule))
        if ends is not None and ends.ceiling is not None:
            ceilings.append((ends.ceiling, ends.with_ceiling, rule))
    return floors, ceilings


def _length_ends(rules: Sequence[Rule]) -> tuple[list[_End], list[_End]]:
    lengths = [rule for rule in rules if isinstance(rule, Length)]
    floors = [(rule.floor, True, rule) for rule in lengths if rule.floor is not None]
    ceilings = [(rule.ceiling, True, rule) for rule in lengths if rule.ceiling is not None]
    return list(floors), list(ceilings)
