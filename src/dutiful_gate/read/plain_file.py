"""The bytes of a file, read whole and within a limit; what cannot be read is told, and never waited for."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from ..report.cause import Cause

_ONCE_MORE = 64 * 1024
# A pipe or a device would be waited for, were it not opened so.
_FLAGS = os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_BINARY", 0)


class CannotRead(Exception):
    """A file cannot be read; `cause` says why. `missing` where there is none."""

    def __init__(self, cause: Cause, *, missing: bool = False) -> None:
        super().__init__(cause.needs)
        self.cause = cause
        self.missing = missing


def whole_file(path: str, most: int, *, within: str | None = None) -> bytes:
    """All bytes of a file, of which there may be so many.

    With `within`, what a link leads to must stand in that folder. Raises CannotRead: for what is no file, is too large,
    may not be read, stands elsewhere, or changes while it is read.
    """
    try:
        if within is not None and not _is_in(path, within):
            raise _not("a file in its own folder", "a link that leads out of it")
        at = os.open(path, _FLAGS)
    except OSError as error:
        raise _of_system(error) from None
    except (ValueError, RuntimeError):  # a NUL in the name; links in a circle
        raise _not("a file with a name that can be one", "another") from None
    try:
        return _all_of(at, most)
    except OSError as error:
        raise _of_system(error) from None
    finally:
        os.close(at)


def _is_in(path: str, folder: str) -> bool:
    """Whether what stands at a path does so in a folder, once all links are followed."""
    if os.path.dirname(path) == folder and not stat.S_ISLNK(os.lstat(path).st_mode):
        return True
    return Path(path).resolve(strict=True).is_relative_to(Path(folder).resolve())


def _all_of(at: int, most: int) -> bytes:
    before = os.fstat(at)
    if not stat.S_ISREG(before.st_mode):
        raise _not("a file", "a folder" if stat.S_ISDIR(before.st_mode) else "something that is none")
    if before.st_size > most:
        cause = Cause("size", "a file of at most {most} bytes", {"most": most}, got=f"{before.st_size:,}")
        raise CannotRead(cause)
    pieces, left = [], before.st_size + 1
    while left > 0 and (piece := os.read(at, min(left, _ONCE_MORE))):
        pieces.append(piece)
        left -= len(piece)
    raw, after = b"".join(pieces), os.fstat(at)
    if len(raw) != after.st_size or (before.st_mtime_ns, before.st_size) != (after.st_mtime_ns, after.st_size):
        raise _not("a file that stays as it is while it is read", "one that changed: try again")
    return raw


def _not(needs: str, got: str) -> CannotRead:
    return CannotRead(Cause("reading", needs, got=got))


def _of_system(error: OSError) -> CannotRead:
    if isinstance(error, FileNotFoundError | NotADirectoryError):
        return CannotRead(Cause("absent", "a file", got="there is none"), missing=True)
    if isinstance(error, PermissionError):
        return _not("a file that may be read", "one that this process may not read")
    if isinstance(error, IsADirectoryError):
        return _not("a file", "a folder")
    return _not("a file that can be read", (error.strerror or "something else").lower())
