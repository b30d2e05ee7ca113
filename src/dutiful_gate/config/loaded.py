"""Settings as they were loaded: the typed value, and beside it where each of it comes from."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from ..declare.json_pointer import indexed
from ..declare.sealed import SEALED, Sealed
from ..report.fault import Fault, Path, dotted
from ..report.place import Place
from ..report.shown_values import counted, shown, visible
from ..report.verdict import Refused, Verdict
from .names import steps_of

T = TypeVar("T")
DEFAULT = "default"


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a setting comes from: its layer, and the place in it.

    `layer` is the name of a file or folder, the prefix of variables as `TERN_*`, or "default"; `place` has the line and
    column, or the name of the variable, and is None for a default.
    """

    layer: str
    place: Place | None = None

    def __str__(self) -> str:
        return self.layer if self.place is None else str(self.place) or self.layer


@dataclass(frozen=True, slots=True)
class Setting:
    """One setting that is in force.

    `path`      keys and indexes from the root
    `value`     plain JSON data, or "(sealed)" for a secret; None for one that is not set
    `origin`    where it comes from
    `replaced`  what it replaced, the latest first: the values of earlier layers with their origins, and the default
    `secret`    whether it is one
    `beside`    the other layers that a list is made of, the latest first
    `held`      the typed value, sealed: two of them compare without being shown
    """

    path: Path
    value: Any
    origin: Origin
    replaced: Sequence[tuple[Any, Origin]]
    secret: bool
    beside: Sequence[Origin]
    held: Sealed[Any] = field(compare=False)

    @property
    def name(self) -> str:
        """Its name with dots: `berths.limit`."""
        return dotted(self.path)

    @property
    def shown(self) -> str:
        """The value as people read it: of a secret that is not set, that there is none."""
        return SEALED if self.secret and self.value is not None else told_value(self.value)


def told_value(value: Any) -> str:
    """Plain data as people read it, in one line."""
    if isinstance(value, str):
        return visible(value) if value == SEALED else shown(value)
    if isinstance(value, list | dict):
        import json

        return visible(json.dumps(value, ensure_ascii=False, default=str))
    return shown(value)


@dataclass(frozen=True, slots=True)
class Advice:
    """What is said of a setting that is sound: a former name, a deprecated one, one that is `surprising`: its value
    may be meant otherwise, or another one stands in for it."""

    path: Path
    words: str
    place: Place | None = None
    surprising: bool = False

    def __str__(self) -> str:
        place = f"{self.place} " if self.place is not None else ""
        return f"{place}{visible(dotted(self.path))} {visible(self.words)}"


class Loaded(Generic[T]):
    """What loading gave. It is truthy where all is sound.

    `value`    the typed record; raises RefusedSettings where something is at fault
    `faults`   every fault of every layer, each with its place
    `advice`   what is said of sound settings: former names, deprecated ones, those for which `otherwise` stands in
    `files`    the files and folders that were looked for, whether they are there or not
    """

    __slots__ = ("_origins", "_settings", "_told", "_verdict", "advice", "files")

    def __init__(
        self,
        verdict: Verdict[T],
        told: dict[int, str],
        advice: Sequence[Advice],
        origins: Any,
        settings: Any,
        files: Sequence[str] = (),
    ) -> None:
        self.files = tuple(files)
        self._verdict = verdict
        self._told = told
        self.advice = tuple(advice)
        self._origins = origins
        self._settings = settings

    def __bool__(self) -> bool:
        return bool(self._verdict)

    @property
    def value(self) -> T:
        """The typed settings. Raises RefusedSettings where something is at fault."""
        if not self._verdict:
            raise RefusedSettings(self._verdict, self.lines())
        return self._verdict.value

    @property
    def verdict(self) -> Verdict[T]:
        """The verdict on all layers together."""
        return self._verdict

    @property
    def faults(self) -> tuple[Fault, ...]:
        """Every fault of every layer."""
        return self._verdict.faults

    def lines(self) -> list[str]:
        """Every fault in a line: `terminal.toml:12:9 berths.limit needs a whole number of at most 40; got 400`."""
        lines = [fault_line(fault) + self._told.get(at, "") for at, fault in enumerate(self.faults)]
        if self._verdict.untold:
            lines.append(f"and {counted(self._verdict.untold, 'fault')} more")
        return lines

    def origin(self, name: str | Path) -> Origin:
        """Where a setting comes from, by its name with dots or by its path.

        Raises KeyError for a name that is no setting.
        """
        path = indexed(steps_of(name)) if isinstance(name, str) else name
        found: Origin = self._origins(path)
        return found

    def settings(self) -> Iterator[Setting]:
        """Each setting that is in force, in the order of the declaration: single values, lists and maps.

        Raises RefusedSettings where something is at fault.
        """
        _ = self.value
        yield from self._settings(self._verdict.value)

    def __repr__(self) -> str:
        return f"<Loaded {'sound' if self else 'refused: ' + counted(len(self.faults), 'fault')}>"


class RefusedSettings(Refused):
    """Raised by `load`: settings were refused. Its text lists every fault with its place."""

    def __init__(self, verdict: Verdict[Any], lines: Sequence[str]) -> None:
        super().__init__(verdict)
        self.lines = tuple(lines)

    def __str__(self) -> str:
        count = counted(len(self.verdict.faults) + self.verdict.untold, "fault")
        return "\n".join([f"settings refused with {count}", *(f"  {line}" for line in self.lines)])

    def __reduce__(self) -> tuple[object, ...]:
        return RefusedSettings, (self.verdict, self.lines)


def fault_line(fault: Fault) -> str:
    """A fault in one line, with its place and its name."""
    place = f"{fault.place} " if fault.place is not None and str(fault.place) else ""
    name = f"{visible(dotted(fault.path))} " if fault.path else ""
    if place and place == f"{name.strip()}= ":  # an argument, which has the setting's own name
        name = ""
    return f"{place}{name}{visible(fault.message)}"
