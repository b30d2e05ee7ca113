"""What passes through in the benchmarks."""

from __future__ import annotations

from typing import Any

BOOKING: dict[str, Any] = {
    "origin": "QLP",
    "destination": "MRW",
    "departs": "2026-05-04T09:30:00Z",
    "arrives": "2026-05-04T11:45:00Z",
    "contact": "desk@ternsound.example",
    "crates": [
        {"contents": "coiled rope", "weight_kg": 120},
        {"contents": "marine paint", "weight_kg": 48.5},
        {"contents": "spare winch", "weight_kg": 310.25},
    ],
    "priority": "urgent",
}

REFUSED: dict[str, Any] = {
    "destination": 12,
    "departs": "2026-05-04T09:30:00Z",
    "arrives": "2026-05-04T08:30:00Z",
    "contact": "desk at ternsound",
    "crates": [
        {"contents": "coiled rope", "weight_kg": 120},
        {"contents": " x ", "weight_kg": 48.5},
        {"contents": "spare winch", "weight_kg": 310.25},
    ],
    "priority": "urgent",
}
"""Five faults: an absent field, a wrong kind, a disagreement, a malformed address, a short text."""
