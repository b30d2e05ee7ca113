"""The library in one script: declare, admit, refuse, document. Run it: `python examples/library.py`."""

import json
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from dutiful_gate import Email, Gate, Refused, it, obeys, this, trimmed, uppered

PortCode = Annotated[str, trimmed, uppered, it.matches(r"[A-Z]{3}")]


@dataclass(slots=True)
class Crate:
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

SOUND = {
    "origin": " qlp ",
    "destination": "MRW",
    "departs": "2026-05-04T09:30:00Z",
    "arrives": "2026-05-04T11:45:00Z",
    "contact": "desk@quillport.example",
    "crates": [{"contents": "coiled rope", "weight_kg": 120}],
}


def main() -> None:
    booking = bookings.admit(SOUND)
    print(
        f"admitted: {booking.origin} to {booking.destination}, {booking.crates[0].weight_kg:g} kg, {booking.priority}"
    )

    try:
        bookings.admit({**SOUND, "crates": [], "arrives": "2026-05-04T08:00:00Z"})
    except Refused as refused:
        print(refused)

    verdict = bookings.examine_json('{\n  "origin": "Quillport",\n  "crates": [{"contents": "x"}]\n}')
    for fault in verdict.faults:
        print(f"line {fault.place}: {fault.pointer} [{fault.code}] {fault.message}")

    document = bookings.schema()
    print(json.dumps(document["$defs"]["Crate"]["properties"]["weight_kg"]))
    for rule in document.unstated:
        print(f"not in the document: {rule}")


if __name__ == "__main__":
    main()
