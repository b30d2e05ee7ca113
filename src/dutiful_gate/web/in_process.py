"""Requests to an API without a server or a socket, for tests."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Self
from urllib.parse import quote, urlencode

from ..declare.outside import HandedOver, as_list
from .api import Api
from .asgi import asgi
from .lifespan import lived

Headers = Mapping[str, str] | Iterable[tuple[str, str]]


@dataclass(frozen=True, slots=True)
class ReceivedAnswer:
    """What a client would receive; `headers` in order, their names in small letters."""

    status: int
    headers: tuple[tuple[str, str], ...]
    body: bytes

    @property
    def json(self) -> Any:
        """The body as JSON. Raises ValueError for what is none."""
        return json.loads(self.body)

    def header(self, name: str) -> str | None:
        """The value of a header, the first where it came several times; None where it did not come."""
        return next((value for held, value in self.headers if held == name.lower()), None)

    @property
    def faults(self) -> list[tuple[str, str, str]]:
        """Part, pointer and code of each fault of a refusal."""
        return [(each["part"], each["pointer"], each["code"]) for each in self.json.get("errors", ())]


class InProcess:
    """Asks an API: see `dutiful_gate.testing.in_process`."""

    def __init__(self, api: Api, outside: Sequence[HandedOver], headers: Headers) -> None:
        self._api = api.handing_over(as_list(outside))
        self._application = asgi(self._api)
        self._headers = _pairs(headers)
        self._runner: asyncio.Runner | None = None
        self._life = lived(self._api)

    def __enter__(self) -> Self:
        self._runner = asyncio.Runner()
        try:
            self._runner.run(self._life.__aenter__())
        except BaseException:
            self._close()
            raise
        return self

    def __exit__(self, *told: Any) -> None:
        assert self._runner is not None
        try:
            self._runner.run(self._life.__aexit__(None, None, None))
        finally:
            self._close()

    def _close(self) -> None:
        if self._runner is not None:
            self._runner.close()
        self._runner, self._life = None, lived(self._api)

    def __call__(
        self,
        method: str,
        path: str,
        *,
        query: Mapping[str, Any] | None = None,
        json: Any = None,  # shadows nothing that is used here
        form: Mapping[str, Any] | None = None,
        body: bytes = b"",
        headers: Headers = (),
    ) -> ReceivedAnswer:
        """The answer to one request. Raises what ends an answer in pieces before its end."""
        asking = self._asked(method, path, query, json, form, body, _pairs(headers))
        return asyncio.run(asking) if self._runner is None else self._runner.run(asking)

    async def _asked(
        self,
        method: str,
        path: str,
        query: Mapping[str, Any] | None,
        data: Any,
        form: Mapping[str, Any] | None,
        body: bytes,
        headers: list[tuple[str, str]],
    ) -> ReceivedAnswer:
        told = dict([*self._headers, *headers])
        if data is not None:
            body = json.dumps(data).encode()
            told.setdefault("content-type", "application/json")
        elif form is not None:
            body = urlencode(form, doseq=True).encode()
            told.setdefault("content-type", "application/x-www-form-urlencoded")
        told.setdefault("host", "testing.example")
        told["content-length"] = str(len(body))
        path, _, more = path.partition("?")
        pairs = "&".join(filter(None, [more, urlencode(query, doseq=True) if query else ""]))
        scope = {
            "type": "http",
            "method": method,
            "path": path,
            "raw_path": quote(path, safe="/%~!$&'()*+,;=:@-._").encode(),
            "query_string": pairs.encode(),
            "headers": [(name.encode(), value.encode()) for name, value in told.items()],
            "client": None,
            "scheme": "https",
        }
        came: list[Any] = []
        ended = asyncio.Event()
        waiting = [body]

        async def receive() -> Any:
            if waiting:
                return {"type": "http.request", "body": waiting.pop(), "more_body": False}
            await ended.wait()
            return {"type": "http.disconnect"}

        async def send(message: Any) -> None:
            came.append(message)

        try:
            await self._application(scope, receive, send)
        finally:
            ended.set()
        start, *pieces = came
        sent = tuple((name.decode("latin-1"), value.decode("latin-1")) for name, value in start["headers"])
        return ReceivedAnswer(start["status"], sent, b"".join(each["body"] for each in pieces))


def _pairs(headers: Headers) -> list[tuple[str, str]]:
    pairs = headers.items() if isinstance(headers, Mapping) else headers
    return [(name.lower(), value) for name, value in pairs]


__all__ = ["InProcess", "ReceivedAnswer"]
