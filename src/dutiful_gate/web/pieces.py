"""Answers in pieces: bytes and text as they are, values as lines of JSON or as events of a server."""

from __future__ import annotations

from collections.abc import AsyncIterable, AsyncIterator, Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Final

from ..declare.errors import DeclarationError
from ..gates.typed import Gate
from ..report.verdict import Refused
from .answer_headers import BrokenAnswer

EVENTS: Final = "text/event-stream"
LINES: Final = ("application/x-ndjson", "application/jsonl", "application/json-seq")
Encoder = Callable[[Any], bytes]


@dataclass(frozen=True, slots=True)
class ServerEvent:
    """A value of a stream of events (HTML, section 9.2), with its name, its number, and how long a client waits before
    it comes again, in milliseconds."""

    value: Any
    name: str = ""
    number: str = ""
    retry: int | None = None


def encoder_of(media_type: str, gate: Gate[Any] | None) -> Encoder:
    """What makes bytes of a piece. Raises DeclarationError for values in a media type that is none of theirs."""
    if gate is None:
        return _as_bytes
    plain = media_type.partition(";")[0].strip().lower()
    if plain == EVENTS:
        return lambda piece: _event(piece, gate)
    if plain not in LINES:
        known = ", ".join((*LINES, EVENTS))
        raise DeclarationError(f"values are not streamed as {media_type!r}", remedy=f"one of {known}")
    before = b"\x1e" if plain == LINES[2] else b""  # RFC 7464, section 2.2
    return lambda piece: before + _json(piece, gate) + b"\n"


def in_pieces(body: Any, encode: Encoder) -> Iterator[bytes] | AsyncIterator[bytes]:
    """What a handler gives in pieces, as bytes; closed at the end, or when the client leaves (as PEP 3333 asks).

    Raises BrokenAnswer for what is not in pieces, and later for a piece that is not what is declared.
    """
    if isinstance(body, AsyncIterable):
        return _encoded_later(body, encode)
    if not isinstance(body, Iterable) or isinstance(body, Mapping | str | bytes):
        raise BrokenAnswer(f"what is streamed is an iterable of pieces, not {type(body).__name__}")
    return _encoded(body, encode)


def _encoded(body: Iterable[Any], encode: Encoder) -> Iterator[bytes]:
    try:
        for each in body:
            yield encode(each)
    finally:
        close = getattr(body, "close", None)
        if close is not None:
            close()


async def _encoded_later(body: AsyncIterable[Any], encode: Encoder) -> AsyncIterator[bytes]:
    try:
        async for each in body:
            yield encode(each)
    finally:
        close = getattr(body, "aclose", None)
        if close is not None:
            await close()


def _as_bytes(piece: Any) -> bytes:
    if isinstance(piece, str):
        return piece.encode()
    if isinstance(piece, bytes | bytearray | memoryview):
        return bytes(piece)
    raise BrokenAnswer(f"a piece of what is streamed is bytes or text, not {type(piece).__name__}")


def _json(piece: Any, gate: Gate[Any]) -> bytes:
    try:
        return gate.release_json(piece)
    except Refused as refused:
        raise BrokenAnswer("a piece of what is streamed: " + "; ".join(map(str, refused.faults))) from None


def _event(piece: Any, gate: Gate[Any]) -> bytes:
    event = piece if isinstance(piece, ServerEvent) else ServerEvent(piece)
    words: list[Any] = [event.name, event.number]
    if not all(isinstance(each, str) and each.isprintable() for each in words):
        raise BrokenAnswer("the name and the number of an event are text of one line")
    told = [f"event: {event.name}\n"] if event.name else []
    told += [f"id: {event.number}\n"] if event.number else []
    told += [f"retry: {int(event.retry)}\n"] if event.retry is not None else []
    return "".join(told).encode() + b"data: " + _json(event.value, gate) + b"\n\n"


__all__ = ["EVENTS", "LINES", "ServerEvent", "encoder_of", "in_pieces"]
