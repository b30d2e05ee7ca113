"""What a type checker sees of requests: handlers get their record, without a cast."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, assert_type

from dutiful_gate import Amendment, Gate, Verdict, changed, it
from dutiful_gate.demo.ferries import Booking, bookings
from dutiful_gate.web import Answered, Answering, Api, Endpoint, RequestGate, Served, amended, under_key


@dataclass
class Number:
    number: Annotated[int, it >= 1]


@dataclass
class Shows:
    path: Number


@dataclass
class Takes:
    body: Annotated[Booking, under_key("booking")]


@dataclass
class Filed:
    location: str


SHOW = Endpoint("GET", "/bookings/{number}", Shows, Answering(200, Booking))
TAKEN = Answering(201, Booking, headers=Filed)
TAKE = Endpoint("POST", "/bookings", Takes, TAKEN)


def show(sent: Shows) -> Booking:
    assert_type(sent.path.number, int)
    raise LookupError


async def take(sent: Takes) -> Answered[Booking, Filed]:
    assert_type(sent.body, Booking)
    return TAKEN(sent.body, headers=Filed("/bookings/7"))


assert_type(SHOW.by(show), Served[Shows])
assert_type(RequestGate(Shows).examine({}), Verdict[Shows])
SHOW.by(take)  # type: ignore[arg-type]

api = Api("Bookings", "1.0", [SHOW.by(show), TAKE.by(take)])


def change(booking: Booking) -> None:
    """What was amended is the record."""
    record, changes = amended(bookings, booking, Amendment[Booking](priority="urgent"))
    assert_type(record, Booking)
    assert_type(changes, dict[str, Any])
    amended(bookings, booking, Amendment[Number](number=1))  # type: ignore[misc]
    amended(bookings, booking, {"priority": "urgent"})  # type: ignore[call-overload]
    assert_type(changed(booking, priority="urgent"), Booking)
    assert_type(changed(bookings, booking, priority="urgent"), Booking)
    assert_type(Gate(Booking).examine_each_json(b"[]").__next__(), Verdict[Booking])
