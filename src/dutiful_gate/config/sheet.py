"""What one layer of settings gave: its data, where each of it stands, and what is wrong with it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from ..declare.limits import Limits
from ..report.fault import Fault, Path
from ..report.place import Place
from .names import SettingNames


@dataclass(slots=True)
class SheetOptions:
    """What layers are read with: the shape's names, the limits, and what this loading was told.

    `environ` is read in the place of variables, where it was given; `variables` are those that `${env:...}` means.
    `looked_at` grows by each file and folder that is looked for, whether it is there or not.
    """

    names: SettingNames
    limits: Limits
    exact: bool
    folder: str
    profile: str | None
    environ: Mapping[str, str] | None
    variables: Mapping[str, str] | None
    looked_at: list[str] = field(default_factory=list)


@dataclass(slots=True)
class Sheet:
    """One layer as it was read.

    `label`     what people call it
    `data`      records as dicts by the names of the fields; None where it could not be read
    `place`     where what stands at a path does
    `broken`    what is wrong with the text
    `renamed`   by path, the key as it stands there, where it is not the field's name
    `spelled_as`  by path, a former name as a variable spells it
    `former`, `deprecated`  the paths that have a former name there, or should no longer be set
    `hints`     by path, more words for what is wrong there
    `notes`     what should be said though it is sound: path, words
    `profiled`, `of_file`  whether it is a profile's own, and whether settings are written there by their names
    `empty_is_record`  whether a key with nothing behind it is an empty record, where one is wanted
    `seals`     whether nothing that stands there is shown, whatever field it is for
    `expands`   whether `${...}` in it stands for other settings
    """

    label: str
    data: dict[str, Any] | None
    place: Callable[[Path, bool], Place]
    broken: list[Fault] = field(default_factory=list)
    renamed: dict[Path, str] = field(default_factory=dict)
    spelled_as: dict[Path, str] = field(default_factory=dict)
    former: list[Path] = field(default_factory=list)
    deprecated: list[Path] = field(default_factory=list)
    hints: dict[Path, str] = field(default_factory=dict)
    notes: list[tuple[Path, str]] = field(default_factory=list)
    seals: bool = False
    expands: bool = False
    profiled: bool = False
    of_file: bool = False
    empty_is_record: bool = False

    def placed(self, path: Path, *, of_key: bool = False) -> Place:
        """Where a path stands, under the keys as they were written."""
        written: list[Any] = []
        for at, step in enumerate(path, 1):
            written.append(self.renamed.get(path[:at], step))
        return self.place(tuple(written), of_key)


class Layer(Protocol):
    """A place that settings come from."""

    def read(self, asked: SheetOptions) -> list[Sheet]:
        """What it gives, the lowest first. Raises nothing for what is wrong there: sheets say it."""
        ...

    def label(self) -> str:
        """What people call it."""
        ...
