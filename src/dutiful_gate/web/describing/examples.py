"""What a client may send, made up: for the description and the manual."""

from __future__ import annotations

from random import Random
from typing import Any

from ...sample.cannot_sample import CannotSample
from ...sample.payloads import Payloads
from ...shape.known_defaults import without_makers
from ...shape.shape import Shape
from ...shape.uses import Use
from ...shape.walk import holds_secret, part_of


class Examples:
    """Makes them for one document: the same, read by another endpoint too, is not made anew."""

    def __init__(self) -> None:
        self._made: dict[tuple[str, ...], list[tuple[Shape, Any]]] = {}

    def of(self, use: Use, shape: Shape) -> Any:
        """What a client may send for a value, the same each time; None where none is found, or a secret is in it."""
        if holds_secret(use, shape.guarded):
            return None
        whole = part_of(shape, use.replace(source=None))
        made = self._made.setdefault((*whole.records, *whole.aliases), [])
        for known, example in made:
            if known.root == whole.root and known.records == whole.records and known.aliases == whole.aliases:
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
