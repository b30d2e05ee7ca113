"""Deliveries whose declaration has checks that wait: some records at a time, and each check once for them all.

The stream is read twice, side by side: ahead, to find what the checks are asked about, and once they have answered
behind, to tell of the records. So every form is read by its own reader, which knows nothing of it.
"""

from __future__ import annotations

import io
from collections import deque
from collections.abc import Generator
from itertools import islice
from typing import Any, BinaryIO, Protocol, TypeVar

from ..declare.answers import Answers, answered_by
from ..engine.asking import ask
from ..gates.asking import secrets_of
from ..gates.base import WINDOW, AnyGate
from .item import Item

T = TypeVar("T")


class ReadsRecords(Protocol[T]):
    """What reads a stream record by record; `counts` tells whether it is the reading that is told of."""

    def __call__(self, stream: BinaryIO, /, *, counts: bool) -> Generator[Item[T], None, None]:
        """The items."""


def in_windows(gate: AnyGate[Any], stream: BinaryIO, read: ReadsRecords[T]) -> Generator[Item[T], None, None]:
    """The items of a stream as `read` gives them."""
    secrets = secrets_of(gate)
    ahead, behind = _two_readings(stream)
    scout, teller = read(ahead, counts=False), read(behind, counts=True)
    left = True
    try:
        while left:
            answers = Answers()
            with answered_by(answers):
                try:
                    left = sum(1 for _ in islice(scout, WINDOW)) == WINDOW
                except Exception:  # the reading that counts comes to the same place, and tells of it
                    left = False
            ask(answers, secrets)
            answers.resolves = True
            for _ in range(WINDOW) if left else iter(int, 1):
                with answered_by(answers):
                    item = next(teller, None)
                if item is None:
                    return
                yield item
    finally:
        scout.close()
        teller.close()


def _two_readings(stream: BinaryIO) -> tuple[BinaryIO, BinaryIO]:
    """Two streams that each give the rest of one."""
    if stream.seekable():
        start = stream.tell()
        return io.BufferedReader(_Place(stream, start)), io.BufferedReader(_Place(stream, start))
    one: deque[bytes] = deque()
    other: deque[bytes] = deque()
    return io.BufferedReader(_Branch(stream, one, other)), io.BufferedReader(_Branch(stream, other, one))


class _Place(io.RawIOBase):
    """A stream that others read too, read from a place of one's own."""

    def __init__(self, stream: BinaryIO, start: int) -> None:
        self._stream, self._start, self._at = stream, start, 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        if whence == io.SEEK_END:
            self._at = self._stream.seek(offset, whence) - self._start
        else:
            self._at = offset + (self._at if whence == io.SEEK_CUR else 0)
        return self._at

    def readinto(self, into: Any) -> int:
        self._stream.seek(self._start + self._at)
        piece = self._stream.read(len(into))
        into[: len(piece)] = piece
        self._at += len(piece)
        return len(piece)


class _Branch(io.RawIOBase):
    """One of two readings of a stream that cannot go back: what one has taken is kept for the other."""

    def __init__(self, stream: BinaryIO, mine: deque[bytes], others: deque[bytes]) -> None:
        self._stream, self._mine, self._others = stream, mine, others

    def readable(self) -> bool:
        return True

    def readinto(self, into: Any) -> int:
        if not self._mine:
            piece = getattr(self._stream, "read1", self._stream.read)(len(into))
            if not piece:
                return 0
            self._mine.append(piece)
            self._others.append(piece)
        piece = self._mine.popleft()
        if len(piece) > len(into):
            self._mine.appendleft(piece[len(into) :])
            piece = piece[: len(into)]
        into[: len(piece)] = piece
        return len(piece)
