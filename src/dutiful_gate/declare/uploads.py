"""Files that a form sent: what is known of each, and its content in a temporary file."""

from __future__ import annotations

import shutil
from os import PathLike
from typing import BinaryIO, Final, Protocol


class _HeldFile(Protocol):
    def seek(self, offset: int, /) -> int: ...

    def read(self, size: int = -1, /) -> bytes: ...

    def close(self) -> None: ...


class UploadedFile:
    """A file of a form. `len(file)` is its size in bytes, so that `it.length <= 5_000_000` bounds it.

    `name`           its name as the client gave it, without folders
    `media_type`     what its first bytes say it is; where they say nothing, what the client said
    `declared_type`  what the client said, "" for nothing
    `verified`       whether the first bytes said it
    """

    __slots__ = ("_held", "declared_type", "media_type", "name", "size", "verified")

    def __init__(self, name: str, declared_type: str, size: int, held: _HeldFile) -> None:
        self.name = name
        self.declared_type = declared_type
        self.size = size
        self._held = held
        known = media_type_of(self.read(_LOOKED_AT))
        self.verified = bool(known)
        self.media_type = known or declared_type or "application/octet-stream"

    def read(self, most: int = -1) -> bytes:
        """Its content from the start, or so many bytes of it."""
        self._held.seek(0)
        return self._held.read(most)

    def save(self, path: str | PathLike[str], *, over: bool = False) -> None:
        """Write it to a new file. Raises FileExistsError where its name is taken, OSError as writing does.

        With `over` what is there gives way, a link itself and not what it leads to.
        """
        from pathlib import Path

        from ..safe_files.own_files import write_whole

        self._held.seek(0)
        write_whole(Path(path), self._held, over=over)

    def copy(self, into: BinaryIO) -> None:
        """Copy it into an open file."""
        self._held.seek(0)
        shutil.copyfileobj(self._held, into)

    def close(self) -> None:
        """Let go of its content; the temporary file is gone then."""
        self._held.close()

    def __len__(self) -> int:
        return self.size

    def __bool__(self) -> bool:
        return True  # an empty file is one

    def __repr__(self) -> str:
        return f"<UploadedFile {self.name!r}: {self.media_type}, {self.size:,} bytes>"


_LOOKED_AT: Final = 64
_SIGNATURES: Final[tuple[tuple[int, bytes, str], ...]] = (
    (0, b"%PDF-", "application/pdf"),
    (0, b"\x89PNG\r\n\x1a\n", "image/png"),
    (0, b"\xff\xd8\xff", "image/jpeg"),
    (0, b"GIF87a", "image/gif"),
    (0, b"GIF89a", "image/gif"),
    (8, b"WEBP", "image/webp"),
    (0, b"BM", "image/bmp"),
    (0, b"II*\x00", "image/tiff"),
    (0, b"MM\x00*", "image/tiff"),
    (0, b"PK\x03\x04", "application/zip"),
    (0, b"PK\x05\x06", "application/zip"),
    (0, b"\x1f\x8b", "application/gzip"),
    (0, b"BZh", "application/x-bzip2"),
    (0, b"\xfd7zXZ\x00", "application/x-xz"),
    (0, b"OggS", "application/ogg"),
    (0, b"ID3", "audio/mpeg"),
    (0, b"fLaC", "audio/flac"),
    (4, b"ftyp", "video/mp4"),
    (0, b"\x1aE\xdf\xa3", "video/webm"),
    (0, b"SQLite format 3\x00", "application/vnd.sqlite3"),
    (0, b"PAR1", "application/vnd.apache.parquet"),
    (0, b"MZ", "application/vnd.microsoft.portable-executable"),
    (0, b"\x7fELF", "application/x-elf"),
)
"""Where the first bytes of a file stand, what they are, and the media type that they tell."""


def media_type_of(first: bytes) -> str:
    """The media type that the first bytes of a file tell; "" where they tell none."""
    return next((kind for at, sign, kind in _SIGNATURES if first[at : at + len(sign)] == sign), "")
