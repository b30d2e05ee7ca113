"""Makes `bookings.json` anew: `python -m dutiful_gate.demo.make`. The same seed gives the same feed."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from random import Random
from typing import Any

PORTS = ("QLP", "MRW", "OST", "FNK")
GOODS = (
    "coiled rope", "marine paint", "spare winch", "roof slates", "seed potatoes", "printed books", "pump housings",
    "oak planks", "glass jars", "wool bales", "bicycle frames", "canned herring", "solar panels", "ceramic tiles",
    "engine oil", "brass fittings", "school desks", "hay nets", "café chairs", "Ærø lanterns",
)  # fmt: skip
OFFICES = ("desk", "freight", "night.desk", "bookings")
COUNT = 240
Booking = dict[str, Any]


def feed(seed: int = 20260504) -> list[Booking]:
    """The day's bookings: mostly sound, a few broken in different ways."""
    chance = Random(seed)
    bookings = [_booking(chance, number) for number in range(COUNT)]
    for number, breaking in zip(sorted(chance.sample(range(5, COUNT), len(BREAKS))), BREAKS, strict=True):
        breaking(bookings[number])
    return bookings


def _booking(chance: Random, number: int) -> Booking:
    origin, destination = chance.sample(PORTS, 2)
    departs = datetime(2026, 5, 4, 5, 0, tzinfo=UTC) + timedelta(minutes=5 * number)
    arrives = departs + timedelta(minutes=chance.choice((50, 75, 95, 140)))
    booking: Booking = {
        "origin": origin,
        "destination": destination,
        "departs": _text(departs),
        "arrives": _text(arrives),
        "contact": f"{chance.choice(OFFICES)}@{chance.choice(('quillport', 'marrow', 'ostrey', 'fennick'))}.example",
        "crates": [_crate(chance) for _ in range(chance.randint(1, 4))],
    }
    if chance.random() < 0.2:
        booking["priority"] = "urgent"
    return booking


def _crate(chance: Random) -> dict[str, Any]:
    weight = chance.choice((chance.randint(5, 900), round(chance.uniform(5, 900), 2)))
    return {"contents": chance.choice(GOODS), "weight_kg": weight}


def _text(moment: datetime) -> str:
    return moment.isoformat().replace("+00:00", "Z")


def _several(booking: Booking) -> None:
    del booking["origin"]
    booking["destination"] = 12
    booking["arrives"] = "2026-05-03T22:00:00Z"
    booking["crates"] = [
        {"contents": "coiled rope", "weight_kg": 120},
        {"contents": " x ", "weight_kg": -4},
        {"contents": "spare winch", "weight_kg": 310.25},
    ]


def _set(**changes: Any) -> Callable[[Booking], None]:
    return lambda booking: booking.update(changes)


def _set_crate(**changes: Any) -> Callable[[Booking], None]:
    return lambda booking: booking["crates"][-1].update(changes)


BREAKS: tuple[Callable[[Booking], None], ...] = (
    _several,
    _set(priority="fast"),
    _set_crate(weight_kg="48.5"),
    _set(departs="2026-05-04 09:30"),
    _set(crates=[]),
    _set(contact="desk at quillport"),
    _set_crate(contents="", weight_kg=40000),
    _set(origin="Quillport"),
    _set(arrives=None),
    _set_crate(weight_kg=True),
)


def main() -> None:
    """Write the feed beside this module."""
    target = Path(__file__).with_name("bookings.json")
    target.write_text(json.dumps(feed(), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    print(f"{COUNT} bookings in {target.name}")


if __name__ == "__main__":
    main()
