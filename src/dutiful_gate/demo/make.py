"""Makes the demo data: `bookings.json` anew (`python -m dutiful_gate.demo.make`), a manifest and long feeds on demand.

The same seed gives the same data.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from io import StringIO
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


def long_feed(count: int, seed: int = 20260505) -> Iterator[bytes]:
    """Lines of an NDJSON feed of bookings, one in about 250 of them broken."""
    chance = Random(seed)
    for number in range(count):
        booking = _booking(chance, number)
        if chance.random() < 0.004:
            chance.choice(BREAKS)(booking)
        yield json.dumps(booking, ensure_ascii=False).encode() + b"\n"


MANIFEST = ("booking", "port", "deck", "weight_kg", "length_m", "loaded_on", "contents", "seal")
MANIFEST_ROWS = 5_000
Row = list[str]


def manifest(seed: int = 20260506) -> str:
    """A manifest as CSV: 5,000 lines, sound but for eight kinds of faults, some here and there, some in a stretch."""
    chance = Random(seed)
    text = StringIO(newline="")
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(MANIFEST)
    for number in range(MANIFEST_ROWS):
        row = _manifest_row(chance, number)
        for begins, ends, odds, breaking in MANIFEST_BREAKS:
            if begins <= number < ends and chance.random() < odds:
                breaking(row, chance)
        writer.writerow(row)
    return text.getvalue()


def _manifest_row(chance: Random, number: int) -> Row:
    loaded = date(2026, 5, 4) + timedelta(days=number // 1000)
    return [
        f"{chance.choice(PORTS)}-{100000 + number * 7}",
        chance.choice(PORTS),
        str(chance.randint(1, 4)),
        str(chance.choice((chance.randint(5, 900), round(chance.uniform(5, 900), 1)))),
        str(chance.randint(2, 26) / 2),
        loaded.isoformat(),
        chance.choice(GOODS),
        f"S{chance.randint(10**7, 10**8 - 1)}" if chance.random() < 0.6 else "",
    ]


def _cell(column: str, make: Callable[[str, Random], str]) -> Callable[[Row, Random], None]:
    at = MANIFEST.index(column)

    def breaking(row: Row, chance: Random) -> None:
        row[at] = make(row[at], chance)

    return breaking


MANIFEST_BREAKS: tuple[tuple[int, int, float, Callable[[Row, Random], None]], ...] = (
    (0, 5000, 0.004, _cell("booking", lambda held, chance: held.lower())),
    (1200, 1500, 0.4, _cell("loaded_on", lambda held, chance: f"{int(held[-2:])}.5.2026")),  # an office's own form
    (3000, 4200, 0.03, _cell("weight_kg", lambda held, chance: str(round(float(held) * 1000)))),  # in grams
    (0, 5000, 0.0015, _cell("weight_kg", lambda held, chance: "0")),
    (0, 5000, 0.002, _cell("port", lambda held, chance: "")),
    (2000, 5000, 0.002, _cell("deck", lambda held, chance: "5")),
    (0, 5000, 0.003, _cell("length_m", lambda held, chance: f"{float(held) + 0.2:.1f}")),
    (4500, 5000, 0.02, _cell("seal", lambda held, chance: "1.23E+15")),
)
"""The eight kinds of faults: from which line up to which, how often, and what it makes of a row."""


def main() -> None:
    """Write the feed beside this module."""
    target = Path(__file__).with_name("bookings.json")
    target.write_text(json.dumps(feed(), indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    print(f"{COUNT} bookings in {target.name}")


if __name__ == "__main__":
    main()
