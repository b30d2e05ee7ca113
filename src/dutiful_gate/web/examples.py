"""What a client may send, made up: for the description and the manual."""

from __future__ import annotations

from random import Random
from typing import Any

from ..sample.cannot_sample import CannotSample
from ..sample.payloads import Payloads
from ..shape.known_defaults import without_makers
from ..shape.nodes import Link
from ..shape.shape import Shape
from ..shape.uses import Use
from ..shape.walk import part_of


class Examples:
    """Makes them for one document: the same record, read by another endpoint too, is not made anew."""

    def __init__(self) -> None:
        self._made: dict[str, list[tuple[Shape, Any]]] = {}

    def of(self, key: str, shape: Shape) -> Any:
        """What a client may send for a record, the same each time; None where none is found, or a secret is in it."""
        if key in shape.guarded:
            return None
        whole = part_of(shape, Use(Link(key)))
        made = self._made.setdefault(key, [])
        for known, example in made:
            if known.records == whole.records and known.aliases == whole.aliases:
                return example
        example = _sound_one(whole)
        made.append((whole, example))
        return example


def _sound_one(whole: Shape) -> Any:
    makes = Payloads(without_makers(whole), Random(3))
    try:
        return min((makes.make() for _ in range(4)), key=lambda made: len(str(made)))
    except (CannotSample, RecursionError):
        return None
