"""Typed settings as the text of a layer that loads as the same settings again."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ..report.fault import Path
from ..report.place import Place
from ..shape.shape import Record
from ..shape.uses import Use
from .from_text import Spelled, from_text
from .layers import sheet_of_text
from .names import BETWEEN, SettingNames, prefix_of
from .sheet import Sheet, SheetOptions
from .written import WRITERS, CannotHold, env_line, in_variables

if TYPE_CHECKING:
    from .settings import Settings


def as_text(settings: Settings[Any], value: Any, format: str, *, secrets: bool) -> str:
    """The text of a file that loads as the value; of its secrets only where they are asked for.

    Raises CannotHold, which names the setting, for what the form cannot hold; Refused for a value that is not sound.
    """
    names = settings.names
    plain = _without_needless_nulls(settings.gate.release(value, secrets=secrets), names.shape.root, names)
    if format == "env":
        variables = in_variables(plain, names, prefix_of(settings.layers))
        text = "".join(f"{env_line(name, held)}\n" for name, held in variables.items())
    else:
        variables, text = {}, WRITERS[format](plain)
    if secrets or not names.shape.secretive:
        _checked(settings, value, plain, format, text, variables)
    return text


def _without_needless_nulls(plain: Any, use: Use | None, names: SettingNames) -> Any:
    """Plain data without the nulls that are defaults: what is absent is null there too."""
    if isinstance(plain, list):
        return [_without_needless_nulls(each, names.below(use, at), names) for at, each in enumerate(plain)]
    if not isinstance(plain, dict):
        return plain
    fields = {field.wire: field for record in _records(names, use, plain) for field in record.fields}
    made = {}
    for name, held in plain.items():
        field = fields.get(name)
        if held is None and field is not None and field.default is None:
            continue
        made[name] = _without_needless_nulls(held, names.below(use, name, plain), names)
    return made


def _records(names: SettingNames, use: Use | None, plain: Any) -> list[Record]:
    records = list(names.records(use, plain))
    return records if len(records) == 1 else []  # of several, nobody knows whose default it is


def _checked(
    settings: Settings[Any], value: Any, plain: Any, format: str, text: str, variables: dict[str, str]
) -> None:
    """Raise CannotHold where what was written would not be read as the same settings."""
    gate, names = settings.gate, settings.names
    asked = SheetOptions(names, settings.limits, gate.shape.exact, "", None, {}, {})
    if format == "env":
        prefix = prefix_of(settings.layers)
        pairs = [
            Spelled(name[len(prefix) :].split(BETWEEN), held, Place(0, 0, name)) for name, held in variables.items()
        ]
        sheet: Sheet = from_text(pairs, "env", asked, folds=True)
    else:
        sheet = sheet_of_text("settings", text, format, asked)  # type: ignore[arg-type]
    verdict = gate.examine(sheet.data)
    if sheet.broken or not verdict:
        faults = [*sheet.broken, *verdict.faults]
        raise CannotHold(faults[0].path, f"{_NAMES[format]} cannot hold it so that it is read again")
    if verdict.value != value:
        again = _without_needless_nulls(gate.release(verdict.value, secrets=True), names.shape.root, names)
        path = _differing(plain, again, ())
        if path is not None:
            raise CannotHold(path, f"{_NAMES[format]} cannot hold it so that it is read as the same")


_NAMES = {"toml": "TOML", "yaml": "YAML", "json": "JSON", "env": "a variable"}


def _differing(one: Any, other: Any, path: Path) -> Path | None:
    if isinstance(one, dict) and isinstance(other, dict):
        for name in {**one, **other}:
            if name not in one or name not in other:
                return (*path, name)
            if (found := _differing(one[name], other[name], (*path, name))) is not None:
                return found
        return None
    if isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        for at, (first, second) in enumerate(zip(one, other, strict=True)):
            if (found := _differing(first, second, (*path, at))) is not None:
                return found
        return None
    return None if one == other and isinstance(one, bool) is isinstance(other, bool) else path
