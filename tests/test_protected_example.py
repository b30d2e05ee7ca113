"""The protected example over real HTTP, in both frameworks, with hostile clients at once: none is let in, none holds up."""

# Rooms: web

from __future__ import annotations

import importlib.util
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import httpx
import pytest

FILE = Path(__file__).parent.parent / "examples" / "protected.py"
ANN, BO, DESK = {"authorization": "Bearer ann"}, {"authorization": "Bearer bo"}, {"x-desk-key": "north"}


@pytest.fixture(params=["starlette", "flask", "django"])
def address(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[str]:
    """Where it answers."""
    needed = {"starlette": "uvicorn", "flask": "flask", "django": "django"}[request.param]
    if importlib.util.find_spec(needed) is None or importlib.util.find_spec("python_multipart") is None:
        pytest.skip(f"{needed} or python-multipart is not here")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    command = [sys.executable, str(FILE), request.param, str(port)]
    with subprocess.Popen(
        command, env={"TMPDIR": str(tmp_path), "PATH": "/usr/bin:/bin"}, stderr=subprocess.DEVNULL
    ) as served:
        for _ in range(200):
            try:
                httpx.get(f"http://127.0.0.1:{port}/openapi.json")
                break
            except httpx.TransportError:
                time.sleep(0.05)
        yield f"http://127.0.0.1:{port}"
        served.terminate()


def hostile(address: str, stop: threading.Event, told: list[int]) -> None:
    """Clients that leave, lie, and send what nobody wants, again and again."""
    host, port = address.removeprefix("http://").split(":")
    while not stop.is_set():
        with httpx.Client(base_url=address, timeout=10) as ask:
            with ask.stream("GET", "/sailings", headers=DESK) as stream:  # and leaves
                told.append(stream.status_code)
                next(stream.iter_bytes())
            told.append(-ask.get("/crates", headers={"authorization": "Bearer nobody"}).status_code)
            told.append(-ask.post("/crates", json={"contents": "rope"}, headers=DESK).status_code)
            told.append(-ask.post("/crates", content=b"[" * 5000, headers=BO).status_code)
            big = {"paper": ("a", b"x" * 200_000)}
            told.append(
                -ask.post(
                    "/papers", data={"number": "1"}, files=big, headers={**ANN, "origin": "https://evil.example"}
                ).status_code
            )
        with socket.create_connection((host, int(port))) as half:  # a body that never comes
            half.sendall(
                b"POST /crates HTTP/1.1\r\nhost: quay\r\nauthorization: Bearer ann\r\ncontent-type: application/json\r\ncontent-length: 99\r\n\r\n{"
            )


def test_people_are_served_while_others_are_hostile(address: str) -> None:
    stop, told = threading.Event(), list[int]()
    evil = [threading.Thread(target=hostile, args=(address, stop, told), daemon=True) for _ in range(6)]
    for each in evil:
        each.start()

    def files_one(number: int) -> int:
        with httpx.Client(base_url=address, timeout=20) as ask:
            made = ask.post("/crates", json={"contents": f"rope {number}"}, headers=ANN)
            assert made.headers["location"].startswith("/crates/")
            assert ask.post("/crates", json={"contents": "x"}, headers=ANN).status_code == 422
            assert ask.get("/crates", headers=BO).status_code == 200
            return made.status_code

    try:
        with ThreadPoolExecutor(6) as many:
            assert set(many.map(files_one, range(30))) == {201}
    finally:
        stop.set()
        for each in evil:
            each.join(20)
    assert {abs(status) for status in told} == {200, 401, 403}
    assert all(status == 200 or status < 0 for status in told), "nobody was let in who may not"
    with httpx.Client(base_url=address, timeout=10) as ask:
        assert sorted(each["contents"] for each in ask.get("/crates", headers=DESK).json()) == sorted(
            f"rope {n}" for n in range(30)
        )
        paper = ask.post("/papers", data={"number": "7"}, files={"paper": ("a.txt", b"abc")}, headers=ANN)
        assert (paper.status_code, paper.json()) == (200, "3 bytes of a.txt for 7, from Ann")
        assert (
            ask.post("/papers", data={"number": "7"}, files={"paper": ("a.txt", b"abc")}, headers=BO).status_code == 403
        )
        with ask.stream("GET", "/sailings", headers=BO) as stream:
            first = next(stream.iter_text())
            assert first.startswith("event: sailing\nid: 1\ndata: {")
