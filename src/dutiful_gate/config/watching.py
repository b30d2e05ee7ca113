"""Settings that are loaded anew when a file of theirs changes.

What was read is looked at a few times a second, by what it is now at its path: so links that are swapped, folders that
are made again, renamed or appear later, and shared drives are followed like any file.
"""

from __future__ import annotations

import logging
import os
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from threading import Event, RLock, Thread
from typing import Any, Final, Generic, Self, TypeVar

from .layers import Arguments, Environment, Values
from .loaded import Loaded
from .sheet import Layer

T = TypeVar("T")
_log = logging.getLogger("dutiful_gate.config")
_SETTLES: Final = 0.05
_MOST_SETTLING: Final = 20
_MOST_FILES: Final = 2_000
_NO_FILES: Final = (Environment, Values, Arguments)
Seen = dict[str, object]


class Watched(Generic[T]):
    """Settings that follow their files while the context is open.

    `value` is one whole typed value at any time: the last that was sound. `loaded` is the same with its origins,
    `refused` what was refused since, or None. `unwatched` tells what is not followed, and why; it is logged as well.
    """

    def __init__(
        self,
        load: Callable[[], Loaded[T]],
        layers: Sequence[Layer],
        folder: Path,
        *,
        every: float,
        refused: Callable[[Loaded[T]], object] | None,
        changed: Callable[[Loaded[T]], object] | None,
    ) -> None:
        if not every > 0:
            raise ValueError(f"every={every!r} is no time between two looks; give seconds, as in every=0.5")
        self._load = load
        self._every = every
        self._paths = [os.path.join(folder, path) for each in layers if (path := getattr(each, "path", None))]
        self._tell_refused = refused or _log_refused
        self._tell_changed = changed
        self._stop = Event()
        self._turn = RLock()
        self._thread: Thread | None = None
        self._seen = seen(self._paths)
        first = load()
        _ = first.value
        # One name for all of it: whoever reads sees this loading or the next, and never a part of each.
        self.loaded = first
        self.refused: Loaded[T] | None = None
        self.unwatched = tuple(_unwatched(layers))

    @property
    def value(self) -> T:
        """The typed settings in force."""
        return self.loaded.value

    def __enter__(self) -> Self:
        for line in self.unwatched:
            _log.warning("%s", line)
        self._thread = Thread(target=self._follow, name="settings", daemon=True)
        self._thread.start()
        return self

    def __exit__(self, *raised: object) -> None:
        self._stop.set()
        if self._thread is not None:
            self._thread.join()

    def _follow(self) -> None:
        while not self._stop.wait(self._every):
            try:
                if seen(self._all_paths()) != self._seen:
                    self._settle()
                    self.look_again()
            except Exception:  # a function of the program's own, told of a change, must not end the watching
                _log.exception("what was to be told of changed settings failed")

    def _all_paths(self) -> list[str]:
        """Those of the layers, with the files that they include."""
        latest = self.loaded if self.refused is None else self.refused
        return [*self._paths, *(path for path in latest.files if path not in self._paths)]

    def _settle(self) -> None:
        """Wait until what is being written stays as it is for a moment."""
        before = seen(self._all_paths())
        for _ in range(_MOST_SETTLING):
            if self._stop.wait(_SETTLES) or (now := seen(self._all_paths())) == before:
                return
            before = now

    def look_again(self) -> bool:
        """Load anew; whether it is sound. The old settings stay where it is not."""
        with self._turn:
            seen_before = seen(self._all_paths())
            loaded = self._load()
            latest = self.refused
            if loaded:
                self.refused = None
                before, self.loaded = self.loaded, loaded
                tell = self._tell_changed if before.value != loaded.value else None
            else:
                self.refused = loaded
                is_known = latest is not None and latest.lines() == loaded.lines()
                tell = None if is_known else self._tell_refused
            # What it reads now for the first time is looked at from here on; it may have changed since.
            self._seen = seen_before if set(seen_before) == set(self._all_paths()) else {}
            if tell is not None:
                tell(loaded)
            return bool(loaded)


def seen(paths: Iterable[str]) -> Seen:
    """What stands at some paths now, once all links are followed: of a folder all files in it."""
    found: Seen = {}
    for path in paths:
        found[path] = _state(path)
        if os.path.isdir(path):
            try:
                names = sorted(os.listdir(path))[:_MOST_FILES]
            except OSError as error:
                names = []
                found[path] = type(error).__name__
            found[path] = found[path], [(name, _state(os.path.join(path, name))) for name in names]
    return found


def _state(path: str) -> object:
    try:
        told = os.stat(path)
    except (OSError, ValueError) as error:  # ValueError: a NUL in the name
        return type(error).__name__
    return told.st_dev, told.st_ino, told.st_size, told.st_mtime_ns, told.st_ctime_ns, told.st_mode


def _unwatched(layers: Sequence[Layer]) -> Iterable[str]:
    """What is not followed."""
    others = [each for each in layers if not isinstance(each, _NO_FILES)]
    for layer in others:
        if getattr(layer, "path", None) is None:
            yield f"{layer.label()} has no path, and is not watched: it is read when a file of another layer changes"
    if not others:
        yield "no layer has a file, so there is nothing to watch: the settings stay as they are"


def _log_refused(loaded: Loaded[Any]) -> None:
    _log.error("changed settings were refused, and the old ones stay:\n  %s", "\n  ".join(loaded.lines()))
