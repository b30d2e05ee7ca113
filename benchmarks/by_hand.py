"""What a careful engineer writes by hand for the same job: every fault, each with path, code and message.

It checks exactly what the gate checks of a decoded payload, in one pass, and builds the same records.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from math import isfinite
from typing import Any

from dutiful_gate.declare.formats.email import is_email
from dutiful_gate.demo.ferries import Booking, Crate

_PORT = re.compile(r"[A-Z]{3}")
_MOMENT = re.compile(
    r"[0-9]{4}-[0-9]{2}-[0-9]{2}[Tt][0-9]{2}:[0-9]{2}:[0-9]{2}(?:\.[0-9]+)?(?:[Zz]|[+-][0-9]{2}:[0-9]{2})"
)
_BOOKING_KEYS = {"origin", "destination", "departs", "arrives", "contact", "crates", "priority"}
_CRATE_KEYS = {"contents", "weight_kg"}


@dataclass(slots=True)
class HandFault:
    path: tuple[str | int, ...]
    code: str
    message: str
    given: object = None


def read_text(value: object, path: tuple[str | int, ...], faults: list[HandFault]) -> str | None:
    if not isinstance(value, str):
        faults.append(HandFault(path, "kind", f"needs text; got {value!r}", value))
        return None
    if not value.isascii():
        try:
            value.encode()
        except UnicodeEncodeError:
            faults.append(HandFault(path, "reading", "needs text without lone surrogates", value))
            return None
    return value


def _port(data: dict[str, Any], key: str, faults: list[HandFault]) -> str | None:
    if key not in data:
        faults.append(HandFault((key,), "absent", "needs a value; none came"))
        return None
    text = read_text(data[key], (key,), faults)
    if text is None:
        return None
    text = text.strip().upper()
    if not _PORT.fullmatch(text):
        faults.append(HandFault((key,), "pattern", f"needs text that matches [A-Z]{{3}}; got {data[key]!r}", data[key]))
        return None
    return text


def read_moment(data: dict[str, Any], key: str, faults: list[HandFault]) -> datetime | None:
    if key not in data:
        faults.append(HandFault((key,), "absent", "needs a value; none came"))
        return None
    value = data[key]
    if not isinstance(value, str):
        faults.append(HandFault((key,), "kind", f"needs a date-time as text; got {value!r}", value))
        return None
    if _MOMENT.fullmatch(value):
        try:
            return datetime.fromisoformat(value)
        except ValueError:
            pass
    faults.append(HandFault((key,), "reading", f"needs a date-time with an offset; got {value!r}", value))
    return None


def _crate(value: object, index: int, faults: list[HandFault]) -> Crate | None:
    if not isinstance(value, dict):
        faults.append(HandFault(("crates", index), "kind", f"needs a record; got {value!r}", value))
        return None
    contents: str | None = None
    if "contents" not in value:
        faults.append(HandFault(("crates", index, "contents"), "absent", "needs a value; none came"))
    else:
        contents = read_text(value["contents"], ("crates", index, "contents"), faults)
        if contents is not None:
            contents = contents.strip()
            if not 2 <= len(contents) <= 80:
                faults.append(
                    HandFault(
                        ("crates", index, "contents"),
                        "length",
                        f"needs 2 to 80 characters; got {len(contents)}",
                        value["contents"],
                    )
                )
                contents = None
    weight: float | None = None
    if "weight_kg" not in value:
        faults.append(HandFault(("crates", index, "weight_kg"), "absent", "needs a value; none came"))
    else:
        given = value["weight_kg"]
        if isinstance(given, bool) or not isinstance(given, (int, float)):
            faults.append(HandFault(("crates", index, "weight_kg"), "kind", f"needs a number; got {given!r}", given))
        else:
            try:
                weight = float(given)
            except OverflowError:
                weight = float("inf")
            if not isfinite(weight):
                faults.append(
                    HandFault(
                        ("crates", index, "weight_kg"),
                        "reading",
                        f"needs a finite number; got {given!r}",
                        given,
                    )
                )
                weight = None
            elif weight <= 0:
                faults.append(
                    HandFault(
                        ("crates", index, "weight_kg"),
                        "floor",
                        f"needs a number above 0; got {given!r}",
                        given,
                    )
                )
                weight = None
            elif weight > 26_000:
                faults.append(
                    HandFault(
                        ("crates", index, "weight_kg"),
                        "ceiling",
                        f"needs a number of at most 26000; got {given!r}",
                        given,
                    )
                )
                weight = None
    if contents is None or weight is None:
        return None
    return Crate(contents, weight)


def check_booking(data: object) -> tuple[Booking | None, list[HandFault], list[tuple[str | int, ...]]]:
    """A booking or None, every fault, and the unknown keys."""
    faults: list[HandFault] = []
    dropped: list[tuple[str | int, ...]] = []
    if not isinstance(data, Mapping):
        return None, [HandFault((), "kind", f"needs a record; got {data!r}", data)], dropped
    if not isinstance(data, dict):
        data = dict(data)
    origin = _port(data, "origin", faults)
    destination = _port(data, "destination", faults)
    departs = read_moment(data, "departs", faults)
    arrives = read_moment(data, "arrives", faults)
    contact: str | None = None
    if "contact" not in data:
        faults.append(HandFault(("contact",), "absent", "needs a value; none came"))
    else:
        contact = read_text(data["contact"], ("contact",), faults)
        if contact is not None and not is_email(contact):
            faults.append(HandFault(("contact",), "format", f"needs an email address; got {contact!r}", contact))
            contact = None
    crates: list[Crate] = []
    if "crates" not in data:
        faults.append(HandFault(("crates",), "absent", "needs a value; none came"))
    elif not isinstance(data["crates"], list):
        faults.append(HandFault(("crates",), "kind", f"needs a list; got {data['crates']!r}", data["crates"]))
    else:
        given = data["crates"]
        for index, each in enumerate(given):
            crate = _crate(each, index, faults)
            if crate is not None:
                crates.append(crate)
            if isinstance(each, dict) and not each.keys() <= _CRATE_KEYS:
                dropped += [("crates", index, key) for key in each if key not in _CRATE_KEYS]
        if not 1 <= len(given) <= 50:
            faults.append(HandFault(("crates",), "count", f"needs 1 to 50 items; got {len(given)}", given))
    priority = data.get("priority", "standard")
    if priority not in ("standard", "urgent"):
        faults.append(HandFault(("priority",), "choice", f"needs one of standard, urgent; got {priority!r}", priority))
    if departs is not None and arrives is not None and not arrives > departs:
        faults.append(HandFault(("arrives",), "agreement", f"needs a value later than departs; got {arrives}", arrives))
    if not data.keys() <= _BOOKING_KEYS:
        dropped += [(key,) for key in data if key not in _BOOKING_KEYS]
    if faults:
        return None, faults, dropped
    assert origin is not None
    assert destination is not None
    assert departs is not None
    assert arrives is not None
    assert contact is not None
    return Booking(origin, destination, departs, arrives, contact, crates, priority), faults, dropped
