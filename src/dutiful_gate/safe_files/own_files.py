"""Files that one run makes for itself: created and never found, no link followed, in place when they are whole.

On systems of POSIX and on Windows. Where a file system has no hard links, a name is given by making it first.
"""

from __future__ import annotations

import os
import shutil
import stat
import sys
from contextlib import suppress
from pathlib import Path
from secrets import token_hex
from typing import BinaryIO, Final, Protocol

_PLAIN: Final = getattr(os, "O_BINARY", 0) | getattr(os, "O_CLOEXEC", 0)
_NO_LINK: Final = getattr(os, "O_NOFOLLOW", 0)


def made_anew(path: Path) -> BinaryIO:
    """A new file, open for writing and reading. Raises FileExistsError where anything has its name, a link too."""
    held = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL | _PLAIN | _NO_LINK, 0o666)
    return os.fdopen(held, "w+b")


def opened_again(path: Path) -> BinaryIO:
    """A file that a former run made, open for writing and reading. Raises OSError for a link, and for what is no file.

    One that has a second name is none of a run's own.
    """
    if not _NO_LINK and path.is_symlink():
        raise OSError(f"{str(path)!r} is a link")
    held = os.open(path, os.O_RDWR | _PLAIN | _NO_LINK)
    told = os.fstat(held)
    if not stat.S_ISREG(told.st_mode) or told.st_nlink > 1:
        os.close(held)
        raise OSError(0, "it is a link, or no file of one name", str(path))
    return os.fdopen(held, "r+b")


def put_in_place(part: Path, final: Path) -> None:
    """Give a whole file its name. Raises FileExistsError where another has it meanwhile; the part stays then.

    A link that leads nowhere gives way, as what was asked for by its name.
    """
    if final.is_symlink() and not final.exists():
        os.replace(part, final)
        return
    try:
        os.link(part, final, follow_symlinks=False)
    except FileExistsError:
        if not part.samefile(final):  # the same one, where a former run got no further
            raise
    except (OSError, NotImplementedError, AttributeError):  # no hard links here
        os.close(os.open(final, os.O_WRONLY | os.O_CREAT | os.O_EXCL | _PLAIN | _NO_LINK, 0o666))
        os.replace(part, final)
        return
    part.unlink()


def write_whole(path: Path, content: bytes | Readable, *, over: bool = True) -> None:
    """Write a file at once: it is there in full, or not at all. What is there gives way, or, without `over`, stays.

    Raises FileExistsError for the second, OSError as writing does. A link itself gives way, never what it leads to.
    """
    part = path.with_name(f".{path.name[:100]}.{token_hex(8)}.part")
    try:
        with made_anew(part) as stream:
            if isinstance(content, bytes):
                stream.write(content)
            else:
                shutil.copyfileobj(content, stream)
            stream.flush()
            os.fsync(stream.fileno())
        if path.is_file() and not path.is_symlink():
            shutil.copymode(path, part)
        if over:
            os.replace(part, path)
        else:
            put_in_place(part, path)
    except BaseException:
        with suppress(OSError):
            part.unlink(missing_ok=True)
        raise


class Readable(Protocol):
    """What is read piece by piece."""

    def read(self, size: int = ..., /) -> bytes:
        """The next bytes."""
        ...


class HeldElsewhere(OSError):
    """Another run holds the lock; `pid` is the process that says so, 0 where it does not."""

    def __init__(self, pid: int) -> None:
        super().__init__(f"another run{f' (process {pid})' if pid else ''} holds it")
        self.pid = pid


class Lock:
    """The kernel's lock on a file of its own: let go of when the process ends, however it does.

    The number of the process stands in the file for people alone. Raises HeldElsewhere, OSError for a planted link.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        while True:
            held = os.open(path, os.O_RDWR | os.O_CREAT | _PLAIN | _NO_LINK, 0o666)
            self._stream = os.fdopen(held, "r+b")
            try:
                _lock(self._stream)
            except OSError:
                told = b""
                with suppress(OSError):
                    told = self._stream.read(20)
                self._stream.close()
                raise HeldElsewhere(int(told) if told.isdigit() else 0) from None
            with suppress(OSError):
                if os.path.samestat(os.fstat(held), os.stat(path)):
                    break
            self._stream.close()  # the run before let it go in between: whoever comes next makes another file
        self._stream.truncate(0)
        self._stream.seek(0)
        self._stream.write(str(os.getpid()).encode())
        self._stream.flush()

    def let_go(self) -> None:
        """Let others have it; the file goes too."""
        if not self._stream.closed:
            if os.name != "nt":  # where an open file cannot go, it goes afterwards
                self._path.unlink(missing_ok=True)
            self._stream.close()
            if os.name == "nt":
                with suppress(OSError):
                    self._path.unlink(missing_ok=True)


if sys.platform == "win32":  # by its documentation: not tried
    import msvcrt

    def _lock(stream: BinaryIO) -> None:
        stream.seek(1_000)  # behind what is told, so that others can read it
        msvcrt.locking(stream.fileno(), msvcrt.LK_NBLCK, 1)
        stream.seek(0)

else:
    import fcntl

    def _lock(stream: BinaryIO) -> None:
        fcntl.flock(stream.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
