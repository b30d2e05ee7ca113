"""Data that arrives with somebody else's document, and a document for others. Run it: `python examples/partner.py`."""

import json

from dutiful_gate import Gate, bundle, declarations_of, probes
from dutiful_gate.demo.ferries import Booking, bookings

# What the makers of the berth sensors hand out with their readings.
READINGS = {
    "$schema": "http://json-schema.org/draft-07/schema#",
    "title": "Reading",
    "type": "object",
    "properties": {
        "berth": {"type": "integer", "minimum": 1, "maximum": 24},
        "at": {"type": "string", "format": "date-time"},
        "kind": {"enum": ["water", "wind"]},
        "value": {"type": "number"},
    },
    "required": ["berth", "at", "kind", "value"],
    "if": {"properties": {"kind": {"const": "wind"}}},
    "then": {"properties": {"value": {"minimum": 0}}},
}


def main() -> None:
    """Judge by their document, read it as declarations, and hand out one of our own."""
    readings = Gate.from_schema(READINGS, formats="assert")
    raw = b"""{"berth": 7, "at": "2026-05-04T09:30:00Z",\n "kind": "wind", "value": -3}"""
    for fault in readings.examine_json(raw).faults:
        print(f"{fault.place}: {fault.pointer} {fault.message} (by {fault.keyword})")

    print()
    print(declarations_of(READINGS).partition("\n\n\n")[2].rstrip())

    print()
    ours = bundle({"Booking": bookings, "Bookings": Gate(list[Booking])}, dialect="openapi-3.1")
    print("for our clients:", ", ".join(ours["components"]["schemas"]))
    print("to try a client on:", len(list(probes(bookings))), "payloads that are wrong in one place, such as")
    payload, fault = next((payload, fault) for payload, fault in probes(bookings) if fault.code == "format")
    print(f"  {json.dumps(payload['contact'])}: {fault.message}")


if __name__ == "__main__":
    main()
