"""A file that grows beside its name, as `.part`, and gets it when it is complete."""

from __future__ import annotations

import os
from pathlib import Path
from typing import BinaryIO, Final

from ..safe_files.own_files import made_anew, opened_again, put_in_place
from .opened import BrokenOff, CannotStart

PART: Final = ".part"


def part_of(path: Path) -> Path:
    """The name of a file that is being written."""
    return path.with_name(path.name + PART)


def cannot_begin(part: Path, error: OSError) -> CannotStart:
    """Why a file that grows cannot be begun, and what to do."""
    if isinstance(error, FileExistsError):
        return CannotStart(
            f"{str(part)!r} is there already: another run writes it, or one was interrupted; --resume goes on from it"
        )
    return CannotStart(f"{str(part)!r} cannot be written: {error.strerror or error}")


def named(part: Path, final: Path) -> None:
    """Give a part its name. Raises BrokenOff where another file has that meanwhile."""
    try:
        put_in_place(part, final)
    except FileExistsError:
        raise BrokenOff(
            f"{str(final)!r} has appeared meanwhile, and is not replaced: move it away, and --resume gives "
            f"{str(part)!r} its name"
        ) from None


class GrowingFile:
    """A file that grows by bytes. Its state is its size.

    `between` stands between two records, and `footer` behind all of them, as in a list.
    """

    def __init__(self, path: Path, *, header: bytes = b"", between: bytes = b"", footer: bytes = b"") -> None:
        self._path = path
        self._header = header
        self._between = between
        self._footer = footer
        self._stream: BinaryIO | None = None

    def taken(self) -> list[Path]:
        """See `Output`."""
        return [self._path] if self._path.exists() else []

    def parts(self) -> list[Path]:
        """See `Output`."""
        return [part_of(self._path)]

    def path(self) -> Path:
        """See `Output`."""
        return self._path

    def open(self, state: int | None) -> None:
        """See `Output`."""
        part = part_of(self._path)
        try:
            if state is None:
                self._stream = made_anew(part)
                return
            self._stream = opened_again(part)
            if os.fstat(self._stream.fileno()).st_size < state:
                raise CannotStart(f"{str(part)!r} is shorter than the journal says")
            self._stream.truncate(state)
            self._stream.seek(state)
        except OSError as error:
            raise cannot_begin(part, error) from None

    @property
    def _opened(self) -> BinaryIO:
        assert self._stream is not None
        return self._stream

    def head(self, header: bytes) -> None:
        """See `Output`."""
        self._opened.write(self._header or header)

    def write(self, encoded: bytes) -> None:
        """See `Output`."""
        if self._between and self._opened.tell() > len(self._header):
            self._opened.write(self._between)
        self._opened.write(encoded)

    def state(self, *, complete: bool) -> int | None:
        """See `Output`."""
        self._opened.flush()
        os.fsync(self._opened.fileno())
        return self._opened.tell()

    def close(self) -> None:
        """See `Output`."""
        stream, self._stream = self._stream, None
        if stream is not None:
            stream.close()

    def finish(self, state: int) -> list[Path]:
        """See `Output`."""
        self.close()
        part = part_of(self._path)
        if part.exists():
            if self._footer:
                with opened_again(part) as stream:
                    stream.truncate(state)
                    stream.seek(state)
                    stream.write(self._footer)
            named(part, self._path)
        return [self._path]
