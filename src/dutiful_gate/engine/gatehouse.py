"""The functions of one gate, each built when it is first called."""

from __future__ import annotations

from collections.abc import Callable
from threading import RLock
from typing import Any

from ..declare.facts import FAILED
from ..report.fault import Path
from ..source.program import Unit
from .collect import collecting_unit
from .plan import Plan
from .release import release_unit
from .runtime import Log
from .sound import sound_unit


class Engine:
    """Reads data by one plan.

    `sound` and `sound_and_known` give the value or FAILED; the second also gives up on keys nobody declared.
    """

    __slots__ = ("_collect", "_lock", "_releases", "_units", "plan", "sound", "sound_and_known")

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self._lock = RLock()
        self._units: dict[str, Unit] = {}
        self._releases: dict[bool, Callable[[Any], Any]] = {}
        self.sound: Callable[[Any], Any] = self._first_sound
        self.sound_and_known: Callable[[Any], Any] = self._first_sound_and_known
        self._collect: Callable[[Any, Path, Log], Any] = self._first_collect

    def _unit(self, name: str, build: Callable[[], Unit]) -> Unit:
        with self._lock:
            if name not in self._units:
                self._units[name] = build()
            return self._units[name]

    def _first_sound(self, data: Any) -> Any:
        self.sound = self._unit("sound", lambda: sound_unit(self.plan, note_unknown=False)).call
        return self.sound(data)

    def _first_sound_and_known(self, data: Any) -> Any:
        if self.plan.refuse_unknown:
            self.sound_and_known = self._unit("sound", lambda: sound_unit(self.plan, note_unknown=False)).call
        else:
            self.sound_and_known = self._unit("known", lambda: sound_unit(self.plan, note_unknown=True)).call
        return self.sound_and_known(data)

    def _first_collect(self, data: Any, path: Path, log: Log) -> Any:
        self._collect = self._unit("collect", lambda: collecting_unit(self.plan)).call
        return self._collect(data, path, log)

    def collect(self, data: Any) -> tuple[Any, Log]:
        """The value or FAILED, and every fault and dropped key."""
        log = Log(self.plan.limits.faults)
        value = self._collect(data, (), log)
        if log.faults:
            log.spill(0)
        return value, log

    def release(self, value: Any, *, secrets: bool) -> Any:
        """Plain data of a typed value."""
        if secrets not in self._releases:
            build = lambda: release_unit(self.plan.shape, secrets=secrets)  # noqa: E731
            self._releases[secrets] = self._unit(f"release {secrets}", build).call
        return self._releases[secrets](value)

    @property
    def source(self) -> str:
        """The Python source of the sound function, and of the one that collects faults."""
        sound = self._unit("sound", lambda: sound_unit(self.plan, note_unknown=False)).source
        collect = self._unit("collect", lambda: collecting_unit(self.plan)).source
        return f"# The sound case\n\n{sound}\n\n# Every fault\n\n{collect}"


__all__ = ["FAILED", "Engine", "Plan"]
