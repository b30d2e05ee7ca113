"""`make bench-web`: requests over HTTP on loopback, ours beside by hand in one server, turn by turn.

Both sides are mounted alike in one Starlette application under uvicorn; a client with several connections asks one and
then the other. Exit status 1 when a bound is broken.
"""

from __future__ import annotations

import asyncio
import json
import socket
import subprocess
import sys
import time
from statistics import median

from payloads import BOOKING

CONNECTIONS, TURNS, SECONDS = 8, 21, 0.25
CASES = [
    ("async, a booking", "POST", "/bookings", BOOKING, 1.15),
    ("async, a small body", "POST", "/berths", {"quay": "north", "number": 7}, 1.25),
    ("plain, a booking", "POST", "/plain/bookings", BOOKING, 1.0),
    ("plain, a small body", "POST", "/plain/berths", {"quay": "north", "number": 7}, 1.0),
    ("plain, no body", "GET", "/plain/nothing", None, 1.0),
]


def serve(port: int) -> None:
    """Both sides, until it is stopped."""
    import uvicorn
    from starlette.applications import Starlette
    from starlette.routing import Mount
    from web import ours, theirs

    application = Starlette(routes=[Mount("/ours", app=ours), Mount("/theirs", app=theirs)])
    uvicorn.run(application, host="127.0.0.1", port=port, log_level="critical", access_log=False, lifespan="off")


class Connection:
    """One connection that is kept, and asked again and again."""

    def __init__(self, port: int) -> None:
        self.port = port

    async def open(self) -> None:
        self.reader, self.writer = await asyncio.open_connection("127.0.0.1", self.port)

    async def ask(self, request: bytes) -> tuple[int, bytes]:
        self.writer.write(request)
        head = await self.reader.readuntil(b"\r\n\r\n")
        length = int(head.lower().split(b"content-length:")[1].split(b"\r\n")[0])
        return int(head[9:12]), await self.reader.readexactly(length)


async def counted(connections: list[Connection], request: bytes) -> float:
    """How many requests a second are answered."""
    ends = time.perf_counter() + SECONDS

    async def on(connection: Connection) -> int:
        count = 0
        while time.perf_counter() < ends:
            await connection.ask(request)
            count += 1
        return count

    began = time.perf_counter()
    return sum(await asyncio.gather(*map(on, connections))) / (time.perf_counter() - began)


async def measured(port: int) -> bool:
    """Print the figures; whether all bounds hold."""
    connections = [Connection(port) for _ in range(CONNECTIONS)]
    for each in connections:
        await each.open()
    holds = True
    for name, method, path, data, bound in CASES:
        body = json.dumps(data).encode() if data is not None else b""
        requests = [
            f"{method} /{side}{path} HTTP/1.1\r\nhost: quay.example\r\ncontent-type: application/json\r\naccept: */*\r\n"
            f"content-length: {len(body)}\r\n\r\n".encode()
            + body
            for side in ("ours", "theirs")
        ]
        answers = [await connections[0].ask(each) for each in requests]
        assert answers[0][0] == answers[1][0] == 200, answers
        assert json.loads(answers[0][1]) == json.loads(answers[1][1])
        ratios, rates = [], []
        for turn in range(TURNS):
            order = requests if turn % 2 else requests[::-1]
            told = {each: await counted(connections, each) for each in order}
            ratios.append(told[requests[1]] / told[requests[0]])
            rates.append(told[requests[0]])
        ratio = median(ratios)
        holds = holds and ratio <= bound
        mark = "holds" if ratio <= bound else "BROKEN"
        print(f"  {name:24} {ratio:5.2f}  <= {bound}  {mark}   ({median(rates):,.0f} requests a second)")
    return holds


def main() -> int:
    """Start the server, ask it, stop it."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    print(f"Python {sys.version.split()[0]}: time of ours / theirs over HTTP, median of {TURNS} turns, bound")
    with subprocess.Popen([sys.executable, __file__, "serve", str(port)]) as server:
        try:
            for _ in range(100):
                with socket.socket() as tried:
                    if tried.connect_ex(("127.0.0.1", port)) == 0:
                        break
                time.sleep(0.1)
            return int(not asyncio.run(measured(port)))
        finally:
            server.terminate()


if __name__ == "__main__":
    if sys.argv[1:2] == ["serve"]:
        serve(int(sys.argv[2]))
    else:
        raise SystemExit(main())
