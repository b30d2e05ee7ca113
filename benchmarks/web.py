"""`make bench-web`: a request through an adapter beside the same handler with careful checks by hand.

In process, without a socket: each side is the same Starlette application but for what reads the request. Exit status 1
when a bound is broken.
"""

from __future__ import annotations

import asyncio
import json
import sys
from dataclasses import dataclass
from typing import Annotated, Any

from by_hand import check_booking
from harness import Ratio, compared
from payloads import BOOKING, REFUSED
from run import released
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from dutiful_gate import it
from dutiful_gate.demo.ferries import Booking
from dutiful_gate.web import Answering, Api, Endpoint
from dutiful_gate.web.starlette import route

BOOKINGS, SMALL, PLAIN = 1.05, 1.25, 1.0


@dataclass
class Takes:
    body: Booking


@dataclass
class Berth:
    quay: Annotated[str, it.length >= 2]
    number: Annotated[int, it >= 1]


@dataclass
class TakesBerth:
    body: Berth


@dataclass
class Nothing:
    pass


async def answer(sent: Takes) -> Booking:
    return sent.body


def answer_plainly(sent: Takes) -> Booking:
    return sent.body


async def berth(sent: TakesBerth) -> Berth:
    return sent.body


def berth_plainly(sent: TakesBerth) -> Berth:
    return sent.body


def nothing(sent: Nothing) -> str:
    return "ok"


BOOKED, BERTHED, OK = Answering(200, Booking), Answering(200, Berth), Answering(200, str)
served: list[Any] = [
    Endpoint("POST", "/bookings", Takes, BOOKED).by(answer),
    Endpoint("POST", "/plain/bookings", Takes, BOOKED).by(answer_plainly),
    Endpoint("POST", "/berths", TakesBerth, BERTHED).by(berth),
    Endpoint("POST", "/plain/berths", TakesBerth, BERTHED).by(berth_plainly),
    Endpoint("GET", "/plain/nothing", Nothing, OK).by(nothing),
]
api = Api("Bookings", "1", served)


async def _body(request: Request) -> bytes | Response:
    """The body of a request, or why it is not taken."""
    kind = request.headers.get("content-type", "").partition(";")[0].strip().lower()
    if kind != "application/json":
        return Response(status_code=415)
    raw = bytearray()
    async for piece in request.stream():
        raw += piece
        if len(raw) > 10_000_000:
            return Response(status_code=413)
    return bytes(raw)


def _berth(raw: bytes) -> Response:
    try:
        data = json.loads(raw)
    except ValueError as error:
        return _refused(400, [{"detail": str(error), "part": "body", "pointer": "#", "code": "reading"}])
    errors = []
    if not isinstance(data, dict):
        return _refused(422, [{"detail": "needs a record", "part": "body", "pointer": "#", "code": "kind"}])
    quay, number = data.get("quay"), data.get("number")
    if not isinstance(quay, str) or len(quay) < 2:
        errors.append({"detail": "needs text", "part": "body", "pointer": "#/quay", "code": "kind"})
    if not isinstance(number, int) or isinstance(number, bool) or number < 1:
        errors.append({"detail": "needs a number", "part": "body", "pointer": "#/number", "code": "kind"})
    if errors or not isinstance(quay, str) or not isinstance(number, int):
        return _refused(422, errors)
    made = Berth(quay, number)
    return Response(json.dumps({"quay": made.quay, "number": made.number}), media_type="application/json")


async def berth_by_hand(request: Request) -> Response:
    raw = await _body(request)
    return raw if isinstance(raw, Response) else _berth(raw)


async def berth_plainly_by_hand(request: Request) -> Response:
    raw = await _body(request)
    return raw if isinstance(raw, Response) else await run_in_threadpool(_berth, raw)


async def booking_plainly_by_hand(request: Request) -> Response:
    raw = await _body(request)
    return raw if isinstance(raw, Response) else await run_in_threadpool(_booking, raw)


def nothing_by_hand(request: Request) -> Response:
    return Response(json.dumps("ok"), media_type="application/json")


async def by_hand(request: Request) -> Response:
    """What a careful engineer writes: the media type, the body's size, every fault as a problem."""
    raw = await _body(request)
    return raw if isinstance(raw, Response) else _booking(raw)


def _booking(raw: bytes) -> Response:
    try:
        data = json.loads(raw)
    except ValueError as error:
        return _refused(400, [{"detail": str(error), "part": "body", "pointer": "#", "code": "reading"}])
    booking, faults, _ = check_booking(data)
    if booking is None or faults:
        errors = [
            {
                "detail": fault.message,
                "part": "body",
                "pointer": "#" + "".join(f"/{step}" for step in fault.path),
                "code": fault.code,
            }
            for fault in faults
        ]
        return _refused(422, errors)
    return Response(released(booking), media_type="application/json")


def _refused(status: int, errors: list[dict[str, Any]]) -> Response:
    body = {"type": "about:blank", "title": "Unprocessable Content", "status": status, "errors": errors}
    return Response(json.dumps(body), status, media_type="application/problem+json")


ours = Starlette(routes=[route(api, each) for each in served])
theirs = Starlette(
    routes=[
        Route("/bookings", by_hand, methods=["POST"]),
        Route("/plain/bookings", booking_plainly_by_hand, methods=["POST"]),
        Route("/berths", berth_by_hand, methods=["POST"]),
        Route("/plain/berths", berth_plainly_by_hand, methods=["POST"]),
        Route("/plain/nothing", nothing_by_hand, methods=["GET"]),
    ]
)


class Asking:
    """Asks an application again and again in one loop."""

    def __init__(self, application: Any, body: bytes, method: str, path: str) -> None:
        self.application = application
        self.loop = asyncio.new_event_loop()
        headers = [
            (b"host", b"quay.example"),
            (b"content-type", b"application/json"),
            (b"accept", b"*/*"),
            (b"content-length", str(len(body)).encode()),
        ]
        self.scope = {
            "type": "http",
            "method": method,
            "path": path,
            "raw_path": path.encode(),
            "query_string": b"",
            "headers": headers,
            "http_version": "1.1",
            "scheme": "http",
            "server": ("quay.example", 80),
            "client": None,
            "root_path": "",
        }
        self.body = body
        self.answered: list[Any] = []

    async def once(self) -> None:
        self.answered = []
        await self.application(dict(self.scope), self.receive, self.send)

    async def receive(self) -> Any:
        return {"type": "http.request", "body": self.body, "more_body": False}

    async def send(self, message: Any) -> None:
        self.answered.append(message)

    def __call__(self) -> None:
        self.loop.run_until_complete(self.once())

    @property
    def told(self) -> tuple[int, Any]:
        self()
        return self.answered[0]["status"], json.loads(b"".join(each.get("body", b"") for each in self.answered[1:]))


def pair(name: str, data: Any, bound: float, method: str = "POST", path: str = "/bookings") -> Ratio:
    """One request on both sides, whose answers must say the same: of what is refused, where and which code."""
    body = json.dumps(data).encode() if method == "POST" else b""
    first, second = Asking(ours, body, method, path), Asking(theirs, body, method, path)
    (status, told), (other_status, other) = first.told, second.told
    assert status == other_status, (told, other)
    if status == 200:
        assert told == other
    else:
        faults = [{(each["pointer"], each["code"]) for each in answer["errors"]} for answer in (told, other)]
        assert faults[0] == faults[1]
    return compared(name, first, second, bound, turns=31, seconds=0.02)


def main() -> int:
    """Print the figures; 1 when one is over its bound."""
    print(f"Python {sys.version.split()[0]}: ours / theirs, median of turns (middle half), bound")
    # By hand nobody tells lines, columns, numbers and what came: that pair has no bound.
    small = {"quay": "north", "number": 7}
    ratios = [
        pair("async, a booking", BOOKING, BOOKINGS),
        pair("async, a small body", small, SMALL, path="/berths"),
        pair("plain, a booking", BOOKING, PLAIN, path="/plain/bookings"),
        pair("plain, a small body", small, PLAIN, path="/plain/berths"),
        pair("plain, no body", None, PLAIN, "GET", "/plain/nothing"),
        pair("a refused one, no bound", REFUSED, float("inf")),
    ]
    for ratio in ratios:
        mark = "holds" if ratio.holds else "BROKEN"
        print(f"  {ratio.name:36} {ratio.median:6.2f}  ({ratio.low:.2f} to {ratio.high:.2f})  <= {ratio.bound}  {mark}")
    return int(not all(ratio.holds for ratio in ratios))


if __name__ == "__main__":
    raise SystemExit(main())
