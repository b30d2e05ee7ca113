"""Rows of a form, and records that may be left out: one more, or one less, in what was typed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any, Final

from ...declare.json_pointer import indexed

ADD: Final = "add-row"
TAKE_AWAY: Final = "take-row"
PUT_IN: Final = "put-in"
LEAVE_OUT: Final = "leave-out"
BUTTONS: Final = frozenset([ADD, TAKE_AWAY, PUT_IN, LEAVE_OUT])
"""The names of buttons that change what is asked; their values say where, step by step."""
MOST_ROWS: Final = 200


def with_rows(entered: Any, pairs: Sequence[tuple[str, str]]) -> Any:
    """What was typed with a row or a record more, or less, as a button asked; None where none was pressed."""
    for name, value in pairs:
        if name in BUTTONS:
            steps = indexed(value.split(".")[:64])
            held = entered if isinstance(entered, Mapping) else {}
            if name == TAKE_AWAY:
                return _at(held, steps[:-1], partial(_without, steps[-1]), makes=False)
            change = _longer if name == ADD else _put_in if name == PUT_IN else _left_out
            return _at(held, steps, change, makes=name != LEAVE_OUT)
    return None


def _at(held: Any, steps: Sequence[str | int], change: Callable[[Any], Any], *, makes: bool) -> Any:
    """A copy of data in which what stands at some steps is changed; with `makes`, also where nothing stood."""
    if not steps:
        return change(held)
    step, rest = steps[0], steps[1:]
    if isinstance(held, list) and isinstance(step, int) and step < len(held):
        return [_at(each, rest, change, makes=makes) if at == step else each for at, each in enumerate(held)]
    if isinstance(held, Mapping) and (makes or str(step) in held):
        return {**held, str(step): _at(held.get(str(step)), rest, change, makes=makes)}
    return {str(step): _at(None, rest, change, makes=makes)} if makes and held in (None, "") else held


def _as_rows(held: Any) -> list[Any]:
    return held if isinstance(held, list) else [] if held in (None, "") else [held]


def _longer(held: Any) -> list[Any]:
    rows = _as_rows(held)
    return [*rows, ""] if len(rows) < MOST_ROWS else rows


def _without(number: str | int, held: Any) -> list[Any]:
    return [each for at, each in enumerate(_as_rows(held)) if at != number]


def _put_in(held: Any) -> Any:
    return {} if held in (None, "") else held


def _left_out(held: Any) -> None:
    return None
