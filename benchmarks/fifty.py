"""Fifty fields in ten records: what declaring them costs, and building their gate."""

from __future__ import annotations

from dataclasses import field, make_dataclass
from datetime import datetime
from typing import Annotated, Any

from dutiful_gate import Gate, it, trimmed

_FIELDS: list[tuple[str, Any]] = [
    ("number", Annotated[int, it.between(1, 999)]),
    ("name", Annotated[str, trimmed, it.length <= 80]),
    ("weight_kg", Annotated[float, it > 0]),
    ("since", datetime),
]


def build_declarations() -> type:
    """Ten dataclasses of five fields, each but the first holding a list of the one before."""
    inner: Any = int
    for number in range(10):
        inner = make_dataclass(
            f"Record{number}", [*_FIELDS, ("inside", list[inner], field(default_factory=list))], slots=True
        )
    made: type = inner
    return made


_DECLARED = build_declarations()


def build_gates() -> object:
    """A gate of all of them that has admitted, and has refused: both its functions are compiled."""
    gate: Gate[object] = Gate(_DECLARED)
    assert gate.accepts({"number": 1, "name": "Tern", "weight_kg": 1, "since": "2026-05-04T09:30:00Z"})
    assert not gate.accepts({})
    return gate
