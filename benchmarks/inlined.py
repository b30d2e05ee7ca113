"""The fastest a careful engineer would write: sound bookings on one straight road, all others to the careful function.

It builds the same records as the gate, and finds the same faults, since it asks `check_booking` for them.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from by_hand import _MOMENT, _PORT, HandFault, check_booking

from dutiful_gate.declare.formats.email import is_email
from dutiful_gate.demo.ferries import Booking, Crate

_moment = datetime.fromisoformat
_PRIORITIES = ("standard", "urgent")


def admit_inlined(data: Any) -> tuple[Booking | None, list[HandFault], list[tuple[str | int, ...]]]:
    """What `check_booking` gives, sooner where the booking is sound."""
    try:
        origin, destination = data["origin"], data["destination"]
        departs, arrives, contact, given = data["departs"], data["arrives"], data["contact"], data["crates"]
        if (
            data.__class__ is dict
            and origin.__class__ is destination.__class__ is contact.__class__ is str
            and departs.__class__ is arrives.__class__ is str
            and given.__class__ is list
            and 1 <= len(given) <= 50
            and contact.isascii()
            and _MOMENT.fullmatch(departs)
            and _MOMENT.fullmatch(arrives)
            and is_email(contact)
        ):
            origin, destination = origin.strip().upper(), destination.strip().upper()
            starts, ends = _moment(departs), _moment(arrives)
            priority = data.get("priority", "standard")
            if (
                _PORT.fullmatch(origin)
                and _PORT.fullmatch(destination)
                and ends > starts
                and priority in _PRIORITIES
                and len(data) == 6 + ("priority" in data)
            ):
                crates = []
                for item in given:
                    contents, weight = item["contents"], item["weight_kg"]
                    if contents.__class__ is not str or not contents.isascii() or len(item) != 2:
                        return check_booking(data)
                    if weight.__class__ is not float:
                        if weight.__class__ is not int:
                            return check_booking(data)
                        weight = float(weight)
                    contents = contents.strip()
                    if not (2 <= len(contents) <= 80 and 0 < weight <= 26_000):
                        return check_booking(data)
                    crates.append(Crate(contents, weight))
                return Booking(origin, destination, starts, ends, contact, crates, priority), [], []
    except (KeyError, TypeError, ValueError, AttributeError, OverflowError):
        pass
    return check_booking(data)
