"""The booking desk: an API over bookings, its endpoints as data and the functions that answer them."""

from __future__ import annotations

from dataclasses import dataclass, field
from html import escape
from typing import Annotated, Literal

from dutiful_gate import Amendment, about, it
from dutiful_gate.catalogues import GERMAN
from dutiful_gate.web import Answered, Answering, Api, Endpoint, Form, RequestGate, RequestProblem, Streamed, amended

from .ferries import Booking, PortCode, bookings
from .storage import Storage, Stored

SortedBy = Literal["number", "-number", "departs", "-departs", "origin", "-origin"]

Sorting = Annotated[list[SortedBy], it.length <= 3, about(text="What they are sorted by, the first counting most.")]


@dataclass
class OnFile:
    """A booking on file."""

    number: int
    booking: Booking


@dataclass
class PageOfBookings:
    """Some of the bookings that were asked for."""

    bookings: list[OnFile]
    count: Annotated[int, about(text="How many bookings fit, on all pages.")]


@dataclass
class Search:
    """Which bookings are wanted."""

    origin: Annotated[PortCode | None, about(text="The port they leave from.")] = None
    destination: Annotated[PortCode | None, about(text="The port they go to.")] = None
    sort: Annotated[list[SortedBy], it.length <= 3, about(text="What they are sorted by, the first counting most.")] = (
        field(default_factory=list)
    )
    page: Annotated[int, it.between(1, 10_000)] = 1
    size: Annotated[int, it.between(1, 100), about(text="How many to a page.")] = 20


@dataclass
class SearchBookings:
    """Asks for some bookings."""

    query: Search


@dataclass
class BookingNumber:
    """Says which booking."""

    number: Annotated[int, it >= 1, about(text="The number of the booking.")]


@dataclass
class OneBooking:
    """Asks for one booking."""

    path: BookingNumber


@dataclass
class TakeBooking:
    """Asks for a place."""

    body: Booking


@dataclass
class AmendBooking:
    """Asks for a change."""

    path: BookingNumber
    body: Amendment[Booking]


@dataclass
class NoWish:
    """Asks for nothing in particular."""


@dataclass
class BookByForm:
    """A place, as the form of the desk asks for it."""

    form: Booking


@dataclass
class Filed:
    """Goes with what was put on file."""

    location: Annotated[str, about(text="Where it stands now.")]


_TAGS = ["Bookings"]
FOUND, FILED = Answering(200, OnFile), Answering(201, OnFile, headers=Filed)
SEARCH = Endpoint(
    "GET",
    "/bookings",
    SearchBookings,
    Answering(200, PageOfBookings),
    name="search",
    summary="Search the bookings",
    tags=_TAGS,
)
TAKE = Endpoint("POST", "/bookings", TakeBooking, FILED, name="book", summary="Book a place", tags=_TAGS)
SHOW = Endpoint("GET", "/bookings/{number}", OneBooking, FOUND, name="show", summary="Show a booking", tags=_TAGS)
AMEND = Endpoint(
    "PATCH",
    "/bookings/{number}",
    AmendBooking,
    FOUND,
    name="amend",
    summary="Change a booking",
    text="What is sent changes, everything else stays; the whole is checked again.",
    tags=_TAGS,
)
CANCEL = Endpoint(
    "DELETE", "/bookings/{number}", OneBooking, Answering(204), name="cancel", summary="Cancel a booking", tags=_TAGS
)
_PAGES = ["Pages for people"]
ELSEWHERE = Answering(303, headers=Filed)
_HTML = Answering(200, Streamed("text/html; charset=utf-8"))
SHEET = Endpoint("GET", "/book", NoWish, _HTML, name="sheet", summary="The form for a booking", tags=_PAGES)
FILLED = Endpoint("POST", "/book", BookByForm, ELSEWHERE, name="filled", summary="The form, filled in", tags=_PAGES)
BOOKED = Endpoint("GET", "/booked/{number}", OneBooking, _HTML, name="booked", summary="What was booked", tags=_PAGES)
FORM = Form(RequestGate(BookByForm), action="book", title="Book a place for freight", button="Book")


def desk(on_file: Storage | None = None, *, development: bool = False) -> Api:
    """The API over what is on file, a storage that the caller closes; without, over an empty one in memory."""
    storage = on_file or Storage()

    def search(sent: SearchBookings) -> PageOfBookings:
        asked = sent.query
        found, count = storage.search(
            origin=asked.origin, destination=asked.destination, sort=asked.sort, page=asked.page, size=asked.size
        )
        return PageOfBookings([OnFile(*each) for each in found], count)

    def take(sent: TakeBooking) -> Answered[OnFile, Filed]:
        number, booking = storage.add(sent.body)
        return FILED(OnFile(number, booking), headers=Filed(f"/bookings/{number}"))

    def show(sent: OneBooking) -> OnFile:
        return OnFile(*_known(storage, sent.path.number))

    def amend(sent: AmendBooking) -> OnFile:
        number, held = _known(storage, sent.path.number)
        booking, _ = amended(bookings, held, sent.body)
        storage.change(number, booking)
        return OnFile(number, booking)

    def cancel(sent: OneBooking) -> None:
        if not storage.remove(sent.path.number):
            raise RequestProblem(404, "There is no booking of that number.")

    def sheet(sent: NoWish) -> str:
        return FORM.page()

    def filled(sent: BookByForm) -> Answered[None, Filed]:
        return ELSEWHERE(headers=Filed(f"booked/{storage.add(sent.form).number}"))

    def booked(sent: OneBooking) -> str:
        number, booking = _known(storage, sent.path.number)
        route = f"{booking.origin} to {booking.destination}, {booking.departs:%d %B %Y at %H:%M}"
        return _BOOKED.format(number=number, route=escape(route), crates=len(booking.crates))

    return Api(
        "Tern Sound Ferries: bookings",
        "1.0",
        [
            SEARCH.by(search),
            TAKE.by(take),
            SHOW.by(show),
            AMEND.by(amend),
            CANCEL.by(cancel),
            SHEET.by(sheet),
            FILLED.by(filled, form=FORM),
            BOOKED.by(booked),
        ],
        text="Places for freight between Quillport (QLP), Marrow Isle (MRW), Ostrey (OST) and Fennick (FNK).",
        catalogues=[GERMAN],
        described_at="/openapi.json",
        manual_at="/manual",
        schemas_at="/schemas",
        development=development,
    )


_BOOKED = """<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Booked</title></head>
<body><h1>Booked</h1>
<p>Booking {number}: {route}, {crates} crates.</p>
<p><a href="../book">Another one</a></p></body>
</html>
"""


def _known(storage: Storage, number: int) -> Stored:
    found = storage.find(number)
    if found is None:
        raise RequestProblem(404, "There is no booking of that number.")
    return found
