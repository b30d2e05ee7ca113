"""The booking desk on loopback, with the shipped bookings on file; needs the extra `demo`."""

from __future__ import annotations

import json
import socket
from collections.abc import Callable
from contextlib import suppress
from importlib.resources import files

import uvicorn
from starlette.applications import Starlette

from dutiful_gate.web.starlette import mounted

from .desk import desk
from .ferries import bookings
from .storage import Storage

HOST = "127.0.0.1"


def stored() -> Storage:
    """A storage in memory with the sound ones of the shipped bookings, to use as a context."""
    storage = Storage()
    raw = files("dutiful_gate.demo").joinpath("bookings.json").read_bytes()
    for verdict in bookings.examine_each(json.loads(raw)):
        if verdict:
            storage.add(verdict.value)
    return storage


def serve(port: int, started: Callable[[str], None]) -> None:
    """Serve until it is stopped; `started` is called with the address once it answers. Port 0 is any that is free.

    Raises OSError where the port is taken.
    """
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as listening, stored() as storage:
        listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listening.bind((HOST, port))
        application = Starlette(routes=[mounted(desk(storage))])
        config = uvicorn.Config(application, log_level="warning", lifespan="off", timeout_graceful_shutdown=2)
        started(f"http://{HOST}:{listening.getsockname()[1]}")
        with suppress(KeyboardInterrupt):  # raised again by the server once it has stopped
            uvicorn.Server(config).run(sockets=[listening])
