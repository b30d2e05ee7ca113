"""What Tern Sound Ferries expects of a manifest: the lines of a CSV file that a freight office sends for a crossing."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Annotated

from dutiful_gate import Gate, it, trimmed

from .ferries import PortCode


@dataclass(slots=True)
class Line:
    """One piece of freight on a manifest."""

    booking: Annotated[str, it.matches(r"[A-Z]{3}-[0-9]{6}")]
    port: PortCode
    deck: Annotated[int, it.between(1, 4)]
    weight_kg: Annotated[float, it > 0, it <= 26_000]
    length_m: Annotated[float, it > 0, it.multiple_of(0.5)]
    loaded_on: date
    contents: Annotated[str, trimmed, it.length.between(2, 80)]
    seal: str | None = None


lines = Gate(Line)
