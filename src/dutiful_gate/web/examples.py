"""What a client may send, made up: for the description and the manual."""

from __future__ import annotations

from random import Random
from typing import Any

from ..sample.payloads import CannotSample, Payloads
from ..shape.nodes import Link, Shape, Use
from ..shape.walk import part_of


def sound_one(key: str, shape: Shape) -> Any:
    """What a client may send for a record, the same each time; None where none is found, or a secret is in it."""
    whole = part_of(shape, Use(Link(key)))
    if key in shape.guarded:
        return None
    makes = Payloads(whole, Random(3))
    try:
        return min((makes.make() for _ in range(4)), key=lambda made: len(str(made)))
    except (CannotSample, RecursionError):
        return None
