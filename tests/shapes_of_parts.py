"""A declaration that workers of a cluster can import, for the tests of tables in parts."""

# Rooms: tables

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated

from dutiful_gate import it, obeys, this, trimmed


@dataclass
@obeys(this.arrives > this.departs)
class Crossing:
    ship: Annotated[str, trimmed, it.matches("[A-Z]{3}")]
    departs: datetime
    arrives: datetime
    crates: Annotated[int, it.between(0, 50)]
