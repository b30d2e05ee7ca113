"""JSON Pointer (RFC 6901): the only place that knows how its steps are written."""

from __future__ import annotations

from collections.abc import Iterable


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
