"""The data of a file under the names that are declared: former and other names become the field's own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..report.fault import Path
from ..shape.nodes import Entries, Fixed, Items, Link
from ..shape.shape import Field
from ..shape.uses import Use
from .names import SettingNames
from .sheet import Sheet

SCHEMA = "$schema"
"""The key by which an editor finds the document; it stands at the top, and is no setting."""


_DEEPEST = 150
_SINGLE = frozenset([str, int, float, bool])
"""The classes of most values that files have, in which nothing is to be renamed."""


def as_declared(data: Mapping[str, Any], names: SettingNames, sheet: Sheet) -> dict[str, Any]:
    """The data of a whole file, what editors need taken out; the sheet keeps what was renamed."""
    root = names.shape.root
    declared = {name for record in names.records(root, data) for name in names.written(record)}
    kept = {name: held for name, held in data.items() if name != SCHEMA or name in declared}
    made: dict[str, Any] = _renamed(kept, root, (), names, sheet)
    return made


def opened(data: Mapping[str, Any], names: SettingNames) -> Mapping[str, Any]:
    """The same with typed records, which a program gives, as dicts by the names of their fields."""
    made: Mapping[str, Any] = _opened(data, names.shape.root, names, 0)
    return made


def _opened(data: Any, use: Use | None, names: SettingNames, deep: int) -> Any:
    if deep > _DEEPEST:
        return data
    for record in names.records(use, data):
        if record.form == "object" and isinstance(record.builder, type) and isinstance(data, record.builder):
            data = {field.wire: getattr(data, field.attribute) for field in record.fields if not field.only_given}
    if isinstance(data, Mapping):
        return {name: _opened(held, names.below(use, name, data), names, deep + 1) for name, held in data.items()}
    if isinstance(data, list):
        return [_opened(held, names.below(use, at), names, deep + 1) for at, held in enumerate(data)]
    return data


def _renamed(data: Any, use: Use | None, path: Path, names: SettingNames, sheet: Sheet) -> Any:
    if data is None and sheet.empty_is_record and isinstance(names.node(use), Link) and use is not None:
        return None if use.nullable else {}
    if len(path) > _DEEPEST:
        return data  # the gate says that it is too deep, or what else it is
    if isinstance(data, Mapping):
        return _record(data, use, path, names, sheet)
    if isinstance(data, list) and isinstance(names.node(use), Items | Fixed):
        return [_renamed(each, names.below(use, at), (*path, at), names, sheet) for at, each in enumerate(data)]
    return data


def _record(data: Mapping[str, Any], use: Use | None, path: Path, names: SettingNames, sheet: Sheet) -> dict[str, Any]:
    if isinstance(node := names.node(use), Entries):
        return {name: _renamed(held, node.value, (*path, name), names, sheet) for name, held in data.items()}
    every = list(names.records(use, data))
    usual = names.usual(every[0]) if len(every) == 1 else frozenset()
    fields: Mapping[str, Field] = names.written(every[0]) if every else {}
    for record in every[1:]:
        fields = {**names.written(record), **fields}
    made: dict[str, Any] = {}
    for name, held in data.items():
        if name in usual and held.__class__ in _SINGLE:
            made[name] = held
            continue
        field = fields.get(name)
        own = name if field is None else field.wire
        if own != name and own in data:
            own = name  # under both of its names: the gate says so
        here = (*path, own)
        if field is not None:
            if own != name:
                sheet.renamed[here] = name
            if name in field.former:
                sheet.former.append(here)
            if field.use.about.deprecated:
                sheet.deprecated.append(here)
        made[own] = _renamed(held, None if field is None else field.use, here, names, sheet)
    return made
