"""Rows of a form: one more, or one less, in what was typed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any, Final

ADD: Final = "add-row"
TAKE_AWAY: Final = "take-row"
BUTTONS: Final = frozenset([ADD, TAKE_AWAY])
"""The names of buttons that change rows; their values say where, step by step."""
MOST_ROWS: Final = 200


def with_rows(entered: Any, pairs: Sequence[tuple[str, str]]) -> Any:
    """What was typed with a row more, or less, as a button asked; None where none was pressed."""
    for name, value in pairs:
        if name in BUTTONS:
            steps: list[str | int] = [int(step) if step.isdigit() else step for step in value.split(".")[:64]]
            held = entered if isinstance(entered, Mapping) else {}
            last = steps[-1]
            return _at(held, steps, _longer) if name == ADD else _at(held, steps[:-1], partial(_without, last))
    return None


def _at(held: Any, steps: Sequence[str | int], change: Any) -> Any:
    """A copy of data in which what stands at some steps is changed."""
    if not steps:
        return change(held if isinstance(held, list) else [] if held in (None, "") else [held])
    step, rest = steps[0], steps[1:]
    if isinstance(held, list) and isinstance(step, int) and step < len(held):
        return [_at(each, rest, change) if at == step else each for at, each in enumerate(held)]
    if isinstance(held, Mapping):
        return {**held, str(step): _at(held.get(str(step)), rest, change)}
    return {str(step): _at(None, rest, change)} if held in (None, "") else held


def _longer(rows: list[Any]) -> list[Any]:
    return [*rows, ""] if len(rows) < MOST_ROWS else rows


def _without(number: str | int, rows: list[Any]) -> list[Any]:
    return [each for at, each in enumerate(rows) if at != number]
