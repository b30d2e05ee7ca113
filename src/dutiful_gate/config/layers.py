"""The places that settings come from, each a layer: files, `.env`, variables, secrets, values of the program."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase
from pathlib import Path as FilePath
from typing import Any, Final, Literal

from ..declare.errors import DeclarationError
from ..declare.phrases import Phrase
from ..read.decoded_text import text_of
from ..read.json_fast import plain_json
from ..read.json_text import JsonText
from ..read.plain_file import CannotRead, whole_file
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.place import Place
from .as_declared import as_declared, opened
from .from_text import Spelled, from_text
from .names import BETWEEN, steps_of
from .sheet import Sheet, SheetOptions

Format = Literal["toml", "yaml", "json"]
_FORMATS: Final[dict[str, Format]] = {".toml": "toml", ".yaml": "yaml", ".yml": "yaml", ".json": "json"}
_PROFILE = "{profile}"
_PROFILE_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]*")
_MOST_INCLUDED = 32


@dataclass(frozen=True)
class File:
    """A file of settings: TOML, YAML or JSON, as its name ends.

        File("terminal.toml"), File("terminal.{profile}.toml"), File("local.yaml", optional=True)

    `{profile}` in the name stands for the profile that is loaded; without one the layer is left out. With `optional` a
    file that is not there is passed over. `includes` is the key, at the top, under which a file names others whose
    settings stand beneath its own: by paths in its own folder. With `expands`, `${berths.limit}` in a text stands for
    another setting, and `${env:HOME}` for a variable. YAML needs `dutiful-gate[yaml]`.

    Raises DeclarationError for a name whose ending tells no format, without `format`.
    """

    path: str | os.PathLike[str]
    optional: bool = False
    format: Format | None = None
    includes: str = ""
    expands: bool = False

    def __post_init__(self) -> None:
        if self.format is None and FilePath(self.path).suffix.lower() not in _FORMATS:
            raise DeclarationError(
                f"{str(self.path)!r} tells no format by its ending",
                remedy=f"end it in one of {', '.join(_FORMATS)}, or say format=",
            )

    def label(self) -> str:
        """The name of the file."""
        return str(self.path)

    def read(self, asked: SheetOptions) -> list[Sheet]:
        """The sheets of the files it includes, and then its own."""
        name = _of_profile(self.path, asked)
        if name is None:
            return []
        sheets = _Included(self, asked).read(name, optional=self.optional)
        for sheet in sheets:
            sheet.expands, sheet.profiled, sheet.of_file = self.expands, _PROFILE in str(self.path), True
        return sheets


def _of_profile(path: str | os.PathLike[str], asked: SheetOptions) -> str | None:
    """The name of a file, its profile put in; None where it asks for one and there is none."""
    name = str(path)
    return name if _PROFILE not in name else None if asked.profile is None else name.replace(_PROFILE, asked.profile)


class _Included:
    """Reads one file and those that it includes."""

    def __init__(self, layer: File, asked: SheetOptions) -> None:
        self.layer = layer
        self.asked = asked
        self.count = 0
        self.top: str | None = None

    def read(self, name: str, *, optional: bool, around: tuple[FilePath, ...] = ()) -> list[Sheet]:
        place = os.path.join(self.asked.folder, name)
        top = self.top = self.top or os.path.dirname(place)
        self.asked.looked_at.append(place)
        try:
            raw = whole_file(place, self.asked.limits.bytes, within=top)
        except CannotRead as error:
            return [] if error.missing and optional else [_broken(name, error.cause)]
        format = self.layer.format or _FORMATS.get(os.path.splitext(name)[1].lower(), "toml")
        sheet = _of_file(name, raw, format, self.asked)
        if sheet.data is None or not self.layer.includes:
            return [sheet]
        return [*self._beneath(sheet, FilePath(place), around), sheet]

    def _beneath(self, sheet: Sheet, path: FilePath, around: tuple[FilePath, ...]) -> list[Sheet]:
        assert sheet.data is not None
        at = self.layer.includes
        named = sheet.data.pop(at, [])
        several = named if isinstance(named, list) else [named]
        found: list[Sheet] = []
        for number, each in enumerate(several):
            where: Path = (at, number) if isinstance(named, list) else (at,)
            if (wrong := self._wrong(each, path, around)) is not None:
                place = sheet.placed(where)
                sheet.broken.append(Fault(where, wrong, None, None, place))
                continue
            self.count += 1
            inner = os.path.join(os.path.dirname(sheet.label), each)
            found += self.read(inner, optional=False, around=(*around, path.resolve()))
        return found

    def _wrong(self, each: object, path: FilePath, around: tuple[FilePath, ...]) -> Cause | None:
        """Why a file may not be included, if it may not."""
        if not isinstance(each, str):
            return Cause("kind", "the path of a file as text", got="something else")
        if FilePath(each).suffix.lower() not in _FORMATS and self.layer.format is None:
            return Cause(
                "reading", Phrase("a file that ends in one of {formats}", formats=", ".join(_FORMATS)), got="another"
            )
        assert self.top is not None
        try:
            target, top = (path.parent / each).resolve(), FilePath(self.top).resolve()
        except (OSError, RuntimeError, ValueError):
            return Cause("reading", "the path of a file", got="something else")
        if FilePath(each).is_absolute() or not target.is_relative_to(top):
            return Cause("reading", "a path in the file's own folder", got="one that leads out of it")
        if target in (*around, path.resolve()):
            return Cause("reading", "files that do not include each other in a circle", got="a circle")
        if self.count >= _MOST_INCLUDED:
            return Cause("size", "at most {most} included files", {"most": _MOST_INCLUDED}, got="more")
        return None


def _broken(label: str, cause: Cause) -> Sheet:
    place = Place(0, 0, label)
    return Sheet(label, None, lambda path, of_key: place, [Fault((), cause, None, None, place)])


def _of_file(name: str, raw: bytes, format: Format, asked: SheetOptions) -> Sheet:
    """The sheet of a file's bytes."""
    text = text_of(raw)
    if isinstance(text, Fault):
        at = text.place or Place(0, 0)
        place = Place(at.line, at.column, name)
        return Sheet(name, None, lambda path, of_key: place, [text.at(place)])
    return sheet_of_text(name, text, format, asked)


def sheet_of_text(name: str, text: str, format: Format, asked: SheetOptions) -> Sheet:
    """The sheet of a file's text."""
    read = _reader(format, text, asked)
    sheet = Sheet(name, None, lambda path, of_key: _in(name, read.place(path, of_key=of_key)))
    sheet.empty_is_record = format == "yaml"
    sheet.broken = [fault.at(_in(name, fault.place)) for fault in read.broken]
    if not read.readable and read.value is None:
        return sheet
    data = {} if read.value is None else read.value
    if not isinstance(data, Mapping):
        cause = Cause("kind", "settings by name", got="something else")
        sheet.broken.append(Fault((), cause, None, None, Place(1, 1, name)))
        return sheet
    # Each level needs a sign of its own: most texts need not be looked through.
    levels = sum(map(text.count, "[{.")) if format == "toml" else 0
    if levels > asked.limits.depth and (deep := _deep_at(data, asked.limits.depth)) is not None:
        cause = Cause("depth", "at most {most} levels", {"most": asked.limits.depth}, got="more")
        sheet.broken.append(Fault(deep[:1], cause, None, None, sheet.placed(deep[:1])))
        return sheet
    sheet.data = as_declared(data, asked.names, sheet)
    for surprise in getattr(read, "surprises", ()):
        words = surprise.told(hidden=asked.names.is_hidden(surprise.path, data))
        if isinstance(surprise.now, str):
            sheet.hints[surprise.path] = words
        else:
            sheet.notes.append((surprise.path, words))
    return sheet


def _in(name: str, place: Place | None) -> Place:
    return Place(0, 0, name) if place is None else Place(place.line, place.column, name)


def _deep_at(data: object, most: int) -> Path | None:
    """The path of the first value that stands deeper than so many levels."""
    waiting: list[tuple[Path, object]] = [((), data)]
    while waiting:
        path, held = waiting.pop()
        inner: list[tuple[Any, object]] = []
        if isinstance(held, Mapping):
            inner = list(held.items())
        elif isinstance(held, list):
            inner = list(enumerate(held))
        if inner and len(path) >= most:
            return path
        waiting += [((*path, step), each) for step, each in inner if each.__class__ in (dict, list)]
    return None


class _JsonRead:
    """A JSON text, as the readers of the other formats are."""

    def __init__(self, text: str, asked: SheetOptions) -> None:
        names = asked.names
        hides = None
        if names.shape.secretive:
            from ..shape.walk import declared_part

            def hides(path: Path) -> Path:
                return declared_part(names.shape, path)

        self._text = JsonText(text, asked.limits, exact=asked.exact, hides=hides)
        plain = plain_json(text, asked.limits, asked.exact)
        self._text.read(plain)
        self.value = self._text.value if self._text.readable else None
        self.broken = self._text.broken

    @property
    def readable(self) -> bool:
        """Whether there is a value."""
        return self._text.readable

    def place(self, path: Path, *, of_key: bool = False) -> Place:
        """Where a path stands."""
        probe = Fault(path, Cause("", "", of_key=of_key))
        return self._text.placed([probe])[0].place or Place(1, 1)


def _reader(format: Format, text: str, asked: SheetOptions) -> Any:
    if format == "json":
        return _JsonRead(text, asked)
    if format == "toml":
        from ..read.toml_text import TomlText

        return TomlText(text, asked.limits, exact=asked.exact)
    from ..read.yaml_text import YamlText

    return YamlText(text, asked.limits, exact=asked.exact)


@dataclass(frozen=True)
class EnvFile:
    """A `.env` file: NAME=value, line by line; those with the prefix are settings. Needs `dutiful-gate[dotenv]`.

    Names are those of `Environment`; nothing in a value is expanded. `ignore` lists patterns of names that are let be.
    """

    path: str | os.PathLike[str] = ".env"
    prefix: str = ""
    optional: bool = True
    ignore: Sequence[str] = ()

    def label(self) -> str:
        """The name of the file."""
        return str(self.path)

    def read(self, asked: SheetOptions) -> list[Sheet]:
        """Its sheet; none where there is no file."""
        name = _of_profile(self.path, asked)
        if name is None:
            return []
        path = os.path.join(asked.folder, name)
        asked.looked_at.append(path)
        try:
            raw = whole_file(path, asked.limits.bytes, within=os.path.dirname(path))
        except CannotRead as error:
            return [] if error.missing and self.optional else [_broken(name, error.cause)]
        text = text_of(raw)
        if isinstance(text, Fault):
            place = _in(name, text.place)
            return [Sheet(name, None, lambda path, of_key: place, [text.at(place)])]
        from ..read.env_text import EnvText

        read = EnvText(text)
        pairs = [
            Spelled(steps, line.value, Place(line.line, 0, name))
            for line in read.lines
            if (steps := _steps(line.name, self.prefix, self.ignore)) is not None
        ]
        sheet = from_text(pairs, name, asked, folds=True)
        sheet.broken = [*(fault.at(_in(name, fault.place)) for fault in read.broken), *sheet.broken]
        return [sheet]


@dataclass(frozen=True)
class Environment:
    """The environment variables with a prefix: `TERN_BERTHS__LIMIT` sets `berths.limit`, with the prefix `TERN_`.

    Two underscores lead into a record. A whole record or list may be given as JSON. Variables with the prefix that set
    nothing are faults, but for those that a pattern of `ignore` matches ("TERN_SERVICE_*"), since platforms add their
    own. `environ` is read instead of the process's own variables.
    """

    prefix: str
    environ: Mapping[str, str] | None = None
    ignore: Sequence[str] = ()

    def __post_init__(self) -> None:
        if not self.prefix:
            raise DeclarationError(
                "variables without a prefix are those of everybody", remedy='give one, as in Environment("TERN_")'
            )

    def label(self) -> str:
        """The prefix, as patterns have it."""
        return f"{self.prefix}*"

    def read(self, asked: SheetOptions) -> list[Sheet]:
        """Its sheet."""
        environ = asked.environ if asked.environ is not None else self.environ
        held = os.environ if environ is None else environ
        pairs = [
            Spelled(steps, text, Place(0, 0, name))
            for name, text in held.items()
            if (steps := _steps(name, self.prefix, self.ignore)) is not None
        ]
        return [from_text(pairs, self.label(), asked, folds=True)]


def _steps(name: str, prefix: str, ignore: Sequence[str]) -> list[str] | None:
    """The steps that a variable's name says; None for one that is no setting."""
    if not name.startswith(prefix) or any(fnmatchcase(name, pattern) for pattern in ignore):
        return None
    return name[len(prefix) :].split(BETWEEN)


@dataclass(frozen=True)
class SecretsFolder:
    """A folder with one file for each secret, as container platforms mount them: `db__password` sets `db.password`.

    What stands in one is never shown, also where the field is not declared as a secret.
    Links inside of the folder are followed; names that begin with a dot are passed over, and one line end at the end
    of a file is no part of the secret.
    """

    path: str | os.PathLike[str]
    optional: bool = False
    ignore: Sequence[str] = ()

    def label(self) -> str:
        """The name of the folder."""
        return str(self.path)

    def read(self, asked: SheetOptions) -> list[Sheet]:
        """Its sheet; none where there is no folder and it is optional."""
        name, folder = str(self.path), os.path.join(asked.folder, self.path)
        asked.looked_at.append(folder)
        try:
            files = sorted(entry.name for entry in os.scandir(folder) if not entry.name.startswith("."))
        except FileNotFoundError:
            return [] if self.optional else [_broken(name, Cause("absent", "a folder", got="there is none"))]
        except NotADirectoryError:
            return [_broken(name, Cause("reading", "a folder", got="a file"))]
        except OSError:
            return [_broken(name, Cause("reading", "a folder that may be read", got="one that this process may not"))]
        pairs, broken = [], []
        for file in files:
            if any(fnmatchcase(file, pattern) for pattern in self.ignore):
                continue
            place = Place(0, 0, os.path.join(name, file))
            held = _secret_in(os.path.join(folder, file), folder, asked)
            if isinstance(held, Cause):
                broken.append(Fault((file,), held, None, None, place))
            else:
                pairs.append(Spelled(file.split(BETWEEN), held, place))
        sheet = from_text(pairs, name, asked, folds=True)
        sheet.broken = [*broken, *[fault.sealed() for fault in sheet.broken]]
        sheet.seals = True
        return [sheet]


def _secret_in(path: str, folder: str, asked: SheetOptions) -> str | Cause:
    try:
        text = text_of(whole_file(path, asked.limits.bytes, within=folder))
    except CannotRead as error:
        return error.cause
    if isinstance(text, Fault):
        return Cause("reading", "text in UTF-8", got="other bytes")
    return text.removesuffix("\n").removesuffix("\r") if text.endswith("\n") else text


@dataclass(frozen=True)
class Values:
    """Settings that the program itself gives, typed or as JSON would have them: by name, nested or with dots."""

    data: Mapping[str, Any]
    name: str = "values"

    def label(self) -> str:
        """Its name."""
        return self.name

    def read(self, asked: SheetOptions) -> list[Sheet]:
        """Its sheet."""
        place = Place(0, 0, self.name)
        sheet = Sheet(self.name, None, lambda path, of_key: place)
        nested: dict[str, Any] = {}
        for name, held in self.data.items():
            steps = (steps_of(name) if "." in name else []) or [name]
            if not _set_once(nested, steps, held):
                cause = Cause("repeat", "to come once", got="it again", of_key=True)
                sheet.broken.append(Fault(tuple(steps), cause, None, None, place))
        sheet.data = as_declared(opened(nested, asked.names), asked.names, sheet)
        return [sheet]


def _set_once(nested: dict[str, Any], steps: Sequence[str], held: Any) -> bool:
    """Put a value under its steps; False where something stands there already, which stays."""
    *before, last = steps
    level = nested
    for step in before:
        inner = level.get(step, {})
        if not isinstance(inner, Mapping):
            return False
        level[step] = level = dict(inner)
    known = level.get(last)
    if last not in level:
        level[last] = held
    elif isinstance(known, Mapping) and isinstance(held, Mapping) and known.keys().isdisjoint(held):
        level[last] = {**known, **held}
    else:
        return False
    return True


def may_have_profile(layer: object) -> bool:
    """Whether a layer may read another file by profile: a layer of somebody's own may."""
    if isinstance(layer, File | EnvFile | SecretsFolder):
        return _PROFILE in str(layer.path)
    return not isinstance(layer, Environment | Values | Arguments)


@dataclass(frozen=True)
class Arguments:
    """Settings from a command line, as `berths.limit=12`: read as text, a record or a list as JSON."""

    words: Sequence[str]

    def label(self) -> str:
        """What people call them."""
        return "arguments"

    def read(self, asked: SheetOptions) -> list[Sheet]:
        """Their sheet."""
        pairs, broken = [], []
        for number, word in enumerate(self.words, 1):
            name, equals, text = word.partition("=")
            if not equals or not steps_of(name):
                place = Place(0, 0, f"argument {number}")
                broken.append(Fault((), Cause("reading", "name=value", got="something else"), None, None, place))
                continue
            pairs.append(Spelled(steps_of(name), text, Place(0, 0, f"{name}=")))
        sheet = from_text(pairs, self.label(), asked, folds=False)
        sheet.broken = [*broken, *sheet.broken]
        return [sheet]


def is_file_name(name: str) -> bool:
    """Whether a name ends as that of a file of settings."""
    return FilePath(name).suffix.lower() in _FORMATS


def is_profile(name: str) -> bool:
    """Whether a name may be that of a profile: it becomes part of a file's name."""
    return _PROFILE_NAME.fullmatch(name) is not None


__all__ = [
    "Arguments",
    "EnvFile",
    "Environment",
    "File",
    "SecretsFolder",
    "Values",
    "is_file_name",
    "is_profile",
    "may_have_profile",
]
