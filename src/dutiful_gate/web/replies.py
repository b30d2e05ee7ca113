"""Replies of other services, through HTTPX: the status first, then what the gate says, never more than its limit read.

Public. Needs the extra `client`.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import TypeVar

import httpx

from ..gates.base import AnyGate
from ..report.cause import Cause
from ..report.fault import Fault
from ..report.verdict import Verdict, refusal
from .head import media_type

__all__ = ["examine_each_reply", "examine_reply"]

T = TypeVar("T")
_OK = (200,)


def examine_reply(reply: httpx.Response, gate: AnyGate[T], *, statuses: Collection[int] = _OK) -> Verdict[T]:
    """The verdict on a reply's JSON. Another status, another media type or too many bytes are faults, told first.

        with client.stream("GET", "/sailings") as reply:
            verdict = examine_reply(reply, sailings)

    A streamed reply is read no further than the gate's limit.
    """
    raw = _read(reply, gate, statuses)
    return raw if isinstance(raw, Verdict) else gate.examine_json(raw)


def examine_each_reply(
    reply: httpx.Response, gate: AnyGate[T], at: str = "", *, statuses: Collection[int] = _OK
) -> Iterator[Verdict[T]]:
    """One verdict for each item of a list in a reply: sound items can be used, broken ones told.

    `at` is the JSON Pointer of the list where it stands inside a record.
    """
    raw = _read(reply, gate, statuses)
    if isinstance(raw, Verdict):
        yield raw
        return
    yield from gate.examine_each_json(raw, at)


def _read(reply: httpx.Response, gate: AnyGate[T], statuses: Collection[int]) -> bytes | Verdict[T]:
    if reply.status_code not in statuses:
        wanted = " or ".join(map(str, statuses))
        cause = Cause("choice", "a reply with the status {statuses}", {"statuses": wanted}, got=str(reply.status_code))
        return refusal([Fault((), cause)])
    kind, _ = media_type(reply.headers.get("content-type"))
    if kind and kind != "application/json" and not kind.endswith("+json"):
        cause = Cause("kind", "a reply in JSON", got="another media type")
        return refusal([Fault((), cause)])
    most = gate.limits.bytes
    raw = bytearray()
    pieces = [reply.content] if reply.is_stream_consumed else reply.iter_bytes()
    for piece in pieces:
        raw += piece
        if len(raw) > most:
            return refusal([Fault((), Cause("size", "a reply of at most {most} bytes", {"most": most}, got="more"))])
    return bytes(raw)
