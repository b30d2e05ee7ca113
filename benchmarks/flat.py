"""A flat payload of ten fields: a berth sensor's reading, declared, and checked by hand."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from math import isfinite
from typing import Annotated, Any, Literal
from uuid import UUID

from by_hand import HandFault, read_moment, read_text

from dutiful_gate import Gate, it, trimmed


@dataclass(slots=True)
class Reading:
    """What a berth's sensor sends."""

    sensor: UUID
    berth: Annotated[int, it.between(1, 40)]
    port: Annotated[str, it.matches(r"[A-Z]{3}")]
    taken: datetime
    water_m: Annotated[float, it >= 0, it <= 60]
    wind_ms: Annotated[float, it.between(0, 120)]
    gate_open: bool
    state: Literal["free", "taken", "closed"]
    note: Annotated[str, trimmed, it.length <= 200] = ""
    vessel: str | None = None


readings = Gate(Reading)

READING: dict[str, Any] = {
    "sensor": "5f0c7d1e-3b5a-4c7e-9a55-0d1c2b3a4f5e",
    "berth": 7,
    "port": "QLP",
    "taken": "2026-05-04T09:30:00Z",
    "water_m": 8.25,
    "wind_ms": 12,
    "gate_open": True,
    "state": "taken",
    "note": "fender 3 is worn",
    "vessel": "Marrow Star",
}


@dataclass(slots=True)
class Plain:
    """Ten fields of the types that JSON itself has."""

    vessel: Annotated[str, it.length <= 80]
    berth: Annotated[int, it.between(1, 40)]
    water_m: Annotated[float, it.between(0, 60)]
    gate_open: bool
    state: Literal["free", "taken", "closed"]
    note: str
    seats: int
    crew: int
    cargo_kg: Annotated[float, it >= 0, it <= 1_000_000]
    flag: str


PLAIN: dict[str, Any] = {
    "vessel": "Marrow Star",
    "berth": 7,
    "water_m": 8.25,
    "gate_open": True,
    "state": "taken",
    "note": "fender 3 is worn on the north side",
    "seats": 120,
    "crew": 14,
    "cargo_kg": 48250.5,
    "flag": "Ostrey",
}

_UUID = re.compile(r"[0-9a-fA-F]{8}(?:-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}")
_PORT = re.compile(r"[A-Z]{3}")
_KEYS = frozenset(READING)


def _number(data: dict[str, Any], key: str, low: float, high: float, faults: list[HandFault]) -> float | None:
    if key not in data:
        faults.append(HandFault((key,), "absent", "needs a value; none came"))
        return None
    given = data[key]
    if isinstance(given, bool) or not isinstance(given, (int, float)):
        faults.append(HandFault((key,), "kind", f"needs a number; got {given!r}", given))
        return None
    try:
        value = float(given)
    except OverflowError:
        value = float("inf")
    if not isfinite(value):
        faults.append(HandFault((key,), "reading", f"needs a finite number; got {given!r}", given))
    elif value < low:
        faults.append(HandFault((key,), "floor", f"needs a number of at least {low}; got {given!r}", given))
    elif value > high:
        faults.append(HandFault((key,), "ceiling", f"needs a number of at most {high}; got {given!r}", given))
    else:
        return value
    return None


def check_reading(data: object) -> tuple[Reading | None, list[HandFault], list[tuple[str | int, ...]]]:
    """A reading or None, every fault, and the unknown keys."""
    faults: list[HandFault] = []
    if not isinstance(data, Mapping):
        return None, [HandFault((), "kind", f"needs a record; got {data!r}", data)], []
    if not isinstance(data, dict):
        data = dict(data)
    sensor: UUID | None = None
    given = data.get("sensor")
    if "sensor" not in data:
        faults.append(HandFault(("sensor",), "absent", "needs a value; none came"))
    elif not isinstance(given, str):
        faults.append(HandFault(("sensor",), "kind", f"needs a UUID as text; got {given!r}", given))
    elif not _UUID.fullmatch(given):
        faults.append(HandFault(("sensor",), "reading", f"needs a UUID; got {given!r}", given))
    else:
        sensor = UUID(given)
    berth = data.get("berth")
    if "berth" not in data:
        faults.append(HandFault(("berth",), "absent", "needs a value; none came"))
    elif isinstance(berth, float) and berth.is_integer():
        berth = int(berth)
    if "berth" in data:
        if isinstance(berth, bool) or not isinstance(berth, int):
            faults.append(HandFault(("berth",), "kind", f"needs a whole number; got {berth!r}", berth))
        elif not 1 <= berth <= 40:
            code = "floor" if berth < 1 else "ceiling"
            faults.append(HandFault(("berth",), code, f"needs a whole number from 1 to 40; got {berth!r}", berth))
    port: str | None = None
    if "port" not in data:
        faults.append(HandFault(("port",), "absent", "needs a value; none came"))
    else:
        port = read_text(data["port"], ("port",), faults)
        if port is not None and not _PORT.fullmatch(port):
            faults.append(HandFault(("port",), "pattern", f"needs text that matches [A-Z]{{3}}; got {port!r}", port))
    taken = read_moment(data, "taken", faults)
    water = _number(data, "water_m", 0, 60, faults)
    wind = _number(data, "wind_ms", 0, 120, faults)
    gate_open = data.get("gate_open")
    if "gate_open" not in data:
        faults.append(HandFault(("gate_open",), "absent", "needs a value; none came"))
    elif not isinstance(gate_open, bool):
        faults.append(HandFault(("gate_open",), "kind", f"needs true or false; got {gate_open!r}", gate_open))
    state = data.get("state")
    if "state" not in data:
        faults.append(HandFault(("state",), "absent", "needs a value; none came"))
    elif state not in ("free", "taken", "closed"):
        faults.append(HandFault(("state",), "choice", f"needs one of free, taken, closed; got {state!r}", state))
    note: str | None = ""
    if "note" in data:
        note = read_text(data["note"], ("note",), faults)
        if note is not None:
            note = note.strip()
            if len(note) > 200:
                faults.append(HandFault(("note",), "length", f"needs at most 200 characters; got {len(note)}", note))
    vessel: str | None = None
    if data.get("vessel") is not None:
        vessel = read_text(data["vessel"], ("vessel",), faults)
    dropped: list[tuple[str | int, ...]] = []
    if not data.keys() <= _KEYS:
        dropped = [(key,) for key in data if key not in _KEYS]
    if faults:
        return None, faults, dropped
    assert sensor is not None
    assert isinstance(berth, int)
    assert port is not None
    assert taken is not None
    assert water is not None
    assert wind is not None
    assert isinstance(gate_open, bool)
    assert note is not None
    made = Reading(sensor, berth, port, taken, water, wind, gate_open, state, note, vessel)  # type: ignore[arg-type]
    return made, faults, dropped
