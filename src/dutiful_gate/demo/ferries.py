"""What Tern Sound Ferries declares: bookings with crates."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from dutiful_gate import Email, Gate, it, obeys, this, trimmed, uppered

PortCode = Annotated[str, trimmed, uppered, it.matches(r"[A-Z]{3}")]


@dataclass(slots=True)
class Crate:
    """One piece of freight."""

    contents: Annotated[str, trimmed, it.length.between(2, 80)]
    weight_kg: Annotated[float, it > 0, it <= 26_000]


@dataclass(slots=True)
@obeys(this.arrives > this.departs)
class Booking:
    """A place for freight on one crossing."""

    origin: PortCode
    destination: PortCode
    departs: datetime
    arrives: datetime
    contact: Email
    crates: Annotated[list[Crate], it.length.between(1, 50)]
    priority: Literal["standard", "urgent"] = "standard"


bookings = Gate(Booking)
