"""JSON Pointer (RFC 6901): the only place that knows how its steps are written."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final

_MOST_DIGITS: Final = 9


def escaped(step: str) -> str:
    """A step as it stands in a pointer (section 3)."""
    return step.replace("~", "~0").replace("/", "~1")


def unescaped(step: str) -> str:
    """A step of a pointer as it was (section 4)."""
    return step.replace("~1", "/").replace("~0", "~")


def joined(steps: Iterable[str]) -> str:
    """The pointer of some steps: "" is the whole."""
    return "".join(f"/{escaped(step)}" for step in steps)


def steps_of(pointer: str) -> tuple[str, ...]:
    """The steps of a pointer."""
    return tuple(map(unescaped, pointer.split("/")[1:]))


def index_of(step: str) -> int | None:
    """The index that a step is: ASCII digits without a leading zero (section 4), at most nine; None for another."""
    if not (step.isascii() and step.isdigit()) or len(step) > _MOST_DIGITS or (step[0] == "0" and step != "0"):
        return None
    return int(step)


def indexed(steps: Iterable[str]) -> tuple[str | int, ...]:
    """Steps with those that can be an index as numbers."""
    return tuple(step if (index := index_of(step)) is None else index for step in steps)


def below(held: Any, step: str) -> tuple[str | int, Any] | None:
    """What stands under one step of plain data, with the step as a path has it; None where nothing does."""
    if isinstance(held, dict):
        return (step, held[step]) if step in held else None
    index = index_of(step) if isinstance(held, list | tuple) else None
    return None if index is None or index >= len(held) else (index, held[index])
