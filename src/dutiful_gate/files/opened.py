"""A delivery as it comes: a file, gzipped or not, or standard input, as a stream of bytes that is read once."""

from __future__ import annotations

import gzip
import io
import os
import sys
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, BinaryIO, Final, Literal

from ..read.unreadable import MOST_FOLD, MOST_OF_LITTLE, MOST_UNPACKED, BrokenOff, CannotStart

Form = Literal["json", "ndjson", "csv", "tsv", "xlsx", "yaml", "toml", "parquet"]
FORMS: Final[dict[str, Form]] = {
    ".json": "json", ".ndjson": "ndjson", ".jsonl": "ndjson", ".csv": "csv", ".tsv": "tsv", ".tab": "tsv",
    ".xlsx": "xlsx", ".xlsm": "xlsx", ".yaml": "yaml", ".yml": "yaml", ".toml": "toml", ".parquet": "parquet",
}  # fmt: skip
_GZIP: Final = b"\x1f\x8b"


def form_of(name: str) -> Form | None:
    """The form that the ending of a file's name tells, also before `.gz`; None where it tells none."""
    path = Path(name.lower())
    return FORMS.get(path.with_suffix("").suffix if path.suffix == ".gz" else path.suffix)


@contextmanager
def opened(path: str | os.PathLike[str]) -> Iterator[BinaryIO]:
    """The bytes of a file, `-` for standard input; what is gzipped is unpacked. Raises CannotStart."""
    name = os.fspath(path)
    if name == "-":
        given: Any = sys.stdin.buffer
        yield _unpacked(given if hasattr(given, "peek") else io.BufferedReader(given))
        return
    try:
        stream = open(name, "rb")  # noqa: SIM115 - it is closed below
    except FileNotFoundError:
        raise CannotStart(f"there is no file {name!r}; check the path, or give - for standard input") from None
    except IsADirectoryError:
        raise CannotStart(f"{name!r} is a folder; name the files in it, or a pattern such as '{name}/*.csv'") from None
    except (OSError, ValueError) as error:
        raise CannotStart(f"{name!r} cannot be read: {getattr(error, 'strerror', None) or error}") from None
    with stream:
        yield _unpacked(stream)


def _unpacked(stream: io.BufferedReader) -> BinaryIO:
    if stream.peek(2)[:2] != _GZIP:
        return stream
    return io.BufferedReader(_Unzipped(stream))


class _Unzipped(io.RawIOBase):
    """What is gzipped, piece by piece; what breaks off or is damaged raises BrokenOff."""

    def __init__(self, packed: BinaryIO) -> None:
        self.packed = packed
        self._size = 0
        self._inner = gzip.GzipFile(fileobj=packed)

    def readable(self) -> bool:
        return True

    def readinto(self, into: object) -> int:
        view = memoryview(into)  # type: ignore[arg-type]
        try:
            piece = self._inner.read1(len(view)) or self._inner.read(len(view))
        except (OSError, EOFError, zlib.error):
            raise BrokenOff("what is gzipped breaks off, or is damaged") from None
        view[: len(piece)] = piece
        self._size += len(piece)
        if self._size > MOST_OF_LITTLE and self._size > MOST_FOLD * self.packed.tell():
            raise BrokenOff(f"what is gzipped grows more than {MOST_FOLD}-fold: unpack it first, if it is meant")
        return len(piece)


__all__ = ["FORMS", "MOST_FOLD", "MOST_UNPACKED", "BrokenOff", "CannotStart", "Form", "form_of", "opened"]
