"""Whether a gate can travel to another process: everything it leans on must be found there by its name."""

from __future__ import annotations

import io
import pickle
from collections.abc import Iterator
from typing import Any, ForwardRef

from .nodes import Choice, Scalar
from .shape import Shape
from .walk import uses_of


def packed(shape: Shape, words: tuple[object, ...]) -> bytes:
    """The words of a gate as they travel.

    Raises PicklingError, naming the type or function that cannot be found by its name, and what to do about it.
    """
    made = io.BytesIO()
    try:
        _ShapePacker(made).dump(words)
        return made.getvalue()
    except Exception as error:
        for what, held in leant_on(shape):
            if not _is_found(held):
                raise pickle.PicklingError(
                    f"the gate {shape.name} cannot travel: {what} {getattr(held, '__qualname__', held)!r} cannot be "
                    "found by its name; declare it at the top of a module"
                ) from None
        raise pickle.PicklingError(
            f"the gate {shape.name} cannot travel: {error}; declare what it leans on at the top of a module"
        ) from None


def words_packer(made: io.BytesIO) -> pickle.Pickler:
    """What packs the words of a gate into a stream."""
    return _ShapePacker(made)


class _ShapePacker(pickle.Pickler):
    """Names in quotes travel as their text: the interpreter keeps compiled code with some of them."""

    def reducer_override(self, held: Any) -> Any:
        """What to call again, and with what."""
        return (ForwardRef, (held.__forward_arg__,)) if type(held) is ForwardRef else NotImplemented


def _is_found(held: Any) -> bool:
    try:
        return pickle.loads(pickle.dumps(held)) is held
    except Exception:
        return False


def leant_on(shape: Shape) -> Iterator[tuple[str, Any]]:
    """The types and functions of a shape that are the developer's own."""
    for record in shape.records.values():
        if isinstance(record.builder, type) and record.builder is not dict:
            yield "the type", record.builder
        for check in record.checks:
            yield "the function", check.function
    for use in uses_of(shape):
        if isinstance(use.node, Choice) and use.node.owner is not None:
            yield "the type", use.node.owner
        for owner in use.node.kind.leans_on if isinstance(use.node, Scalar) else ():
            yield "the type", owner
        for part in use.parts:
            for function in part.functions:
                yield "the function", function
