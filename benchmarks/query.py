"""A text query of seven values, declared, and checked by hand."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date
from math import isfinite
from typing import Annotated, Any, Literal

from by_hand import HandFault

from dutiful_gate import Gate, Source, it, trimmed


@dataclass(slots=True)
class Search:
    """What a client asks the timetable for."""

    origin: Annotated[str, it.matches("[A-Z]{3}")]
    day: date
    places: Annotated[int, it.between(1, 60)]
    length_m: Annotated[float, it > 0, it <= 40]
    urgent: bool = False
    sort: Literal["price", "departs"] = "departs"
    note: Annotated[str, trimmed, it.length <= 80] = ""


searches = Gate(Search, Source.TEXT)
QUERY = {
    "origin": "QLP", "day": "2026-05-04", "places": "4", "length_m": "12.5", "urgent": "true", "sort": "price", "note": " by noon ",
}  # fmt: skip

_PORT = re.compile("[A-Z]{3}")
_WHOLE = re.compile("[+-]?[0-9]+")
_NUMBER = re.compile(r"[+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+-]?[0-9]+)?")
_DAY = re.compile("[0-9]{4}-[0-9]{2}-[0-9]{2}")
_TRUE, _FALSE = {"true", "1", "yes", "on"}, {"false", "0", "no", "off"}
_KEYS = {"origin", "day", "places", "length_m", "urgent", "sort", "note"}


def check_search(data: dict[str, Any]) -> tuple[Search | None, list[HandFault], list[str]]:
    """A search or None, every fault, and the unknown keys."""
    faults: list[HandFault] = []

    def wrong(name: str, code: str, message: str) -> None:
        faults.append(HandFault((name,), code, f"needs {message}; got {data.get(name)!r}", data.get(name)))

    missing = [name for name in ("origin", "day", "places", "length_m") if name not in data]
    faults += [HandFault((name,), "absent", "needs a value; none came") for name in missing]
    origin = data.get("origin", "")
    if not isinstance(origin, str) or not _PORT.fullmatch(origin):
        wrong("origin", "pattern", "text that matches [A-Z]{3}")
    day = None
    text = data.get("day", "")
    try:
        if isinstance(text, str) and _DAY.fullmatch(text.strip()):
            day = date.fromisoformat(text.strip())
    except ValueError:
        pass
    if day is None:
        wrong("day", "reading", "a date, such as 2026-05-04")
    places = 0
    text = data.get("places", "")
    if isinstance(text, str) and _WHOLE.fullmatch(text.strip()):
        places = int(text)
        if places < 1 or places > 60:
            wrong("places", "floor", "a whole number from 1 to 60")
    else:
        wrong("places", "reading", "a whole number in ASCII digits")
    length = 0.0
    text = data.get("length_m", "")
    if isinstance(text, str) and _NUMBER.fullmatch(text.strip()) and isfinite(length := float(text)):
        if length <= 0 or length > 40:
            wrong("length_m", "floor", "a number above 0 and of at most 40")
    else:
        wrong("length_m", "reading", "a number in ASCII digits")
    urgent = False
    if "urgent" in data:
        word = str(data["urgent"]).strip().lower()
        urgent = word in _TRUE
        if not urgent and word not in _FALSE:
            wrong("urgent", "reading", "true or false")
    sort = data.get("sort", "departs")
    if sort not in ("price", "departs"):
        wrong("sort", "choice", "one of price, departs")
    note = data.get("note", "")
    if not isinstance(note, str) or len(note := note.strip()) > 80:
        wrong("note", "length", "at most 80 characters")
    unknown = [] if data.keys() <= _KEYS else [key for key in data if key not in _KEYS]
    if faults or day is None:
        return None, faults, unknown
    return Search(origin, day, places, length, urgent, sort, note), faults, unknown
