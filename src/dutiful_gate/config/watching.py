"""Settings that are loaded anew when a file of theirs changes; needs the extra `watch`."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from threading import Event, Thread
from typing import Any, Generic, Self, TypeVar

from .loaded import Loaded
from .sheet import Layer

T = TypeVar("T")
_log = logging.getLogger("dutiful_gate.config")


class Watched(Generic[T]):
    """Settings that follow their files while the context is open.

    `value` is one whole typed value at any time: the last that was sound. `loaded` is the same with its origins,
    `refused` what was refused since, or None.
    """

    def __init__(
        self,
        load: Callable[[], Loaded[T]],
        layers: Sequence[Layer],
        folder: Path,
        *,
        refused: Callable[[Loaded[T]], object] | None,
        changed: Callable[[Loaded[T]], object] | None,
    ) -> None:
        self._load = load
        self._folders = _folders(layers, folder)
        self._tell_refused = refused or _log_refused
        self._tell_changed = changed
        self._stop = Event()
        self._ready = Event()
        self._thread: Thread | None = None
        first = load()
        _ = first.value
        # One name for all of it: whoever reads sees this loading or the next, and never a part of each.
        self.loaded = first
        self.refused: Loaded[T] | None = None

    @property
    def value(self) -> T:
        """The typed settings in force."""
        return self.loaded.value

    def __enter__(self) -> Self:
        try:
            from watchfiles import watch
        except ModuleNotFoundError:
            raise ModuleNotFoundError(
                "watching needs the package watchfiles; get it with: pip install 'dutiful-gate[watch]'",
                name="watchfiles",
            ) from None

        changes = watch(*self._folders, stop_event=self._stop, rust_timeout=200, yield_on_timeout=True, debounce=100)
        self._thread = Thread(target=self._follow, args=(changes,), name="settings", daemon=True)
        self._thread.start()
        self._ready.wait(5)
        self.look_again()  # what changed before the watcher was there
        return self

    def __exit__(self, *raised: object) -> None:
        self._stop.set()
        if self._thread is not None:
            self._thread.join()

    def _follow(self, changes: Iterable[Any]) -> None:
        for found in changes:
            self._ready.set()
            if found:
                try:
                    self.look_again()
                except Exception:  # a function of the program's own, told of a change, must not end the watching
                    _log.exception("what was to be told of changed settings failed")

    def look_again(self) -> bool:
        """Load anew; whether it is sound. The old settings stay where it is not."""
        loaded = self._load()
        if not loaded:
            if self.refused is None or self.refused.lines() != loaded.lines():
                self.refused = loaded
                self._tell_refused(loaded)
            return False
        self.refused = None
        before, self.loaded = self.loaded, loaded
        if self._tell_changed is not None and before.value != loaded.value:
            self._tell_changed(loaded)
        return True


def _folders(layers: Sequence[Layer], folder: Path) -> list[Path]:
    """The folders whose files layers read: those that are there."""
    found: dict[Path, None] = {}
    for layer in layers:
        path = getattr(layer, "path", None)
        if path is not None:
            whole = folder / path
            found[whole if whole.is_dir() else whole.parent] = None
    return [each for each in found if each.is_dir()]


def _log_refused(loaded: Loaded[Any]) -> None:
    _log.error("changed settings were refused, and the old ones stay:\n  %s", "\n  ".join(loaded.lines()))
