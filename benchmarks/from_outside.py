"""A booking whose number of crates has a limit that comes from outside, and the same with a constant."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from dutiful_gate import Email, it, obeys, outside, this
from dutiful_gate.demo.ferries import Crate, PortCode

limit = outside("limit", int)


@dataclass(slots=True)
@obeys(this.arrives > this.departs)
class Limited:
    origin: PortCode
    destination: PortCode
    departs: datetime
    arrives: datetime
    contact: Email
    crates: Annotated[list[Crate], it.length <= limit]
    priority: Literal["standard", "urgent"] = "standard"


@dataclass(slots=True)
@obeys(this.arrives > this.departs)
class Constant:
    origin: PortCode
    destination: PortCode
    departs: datetime
    arrives: datetime
    contact: Email
    crates: Annotated[list[Crate], it.length <= 50]
    priority: Literal["standard", "urgent"] = "standard"
