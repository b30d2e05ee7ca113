"""Data as a tree, each fault at its place."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from ..report.fault import Path
from ..report.shown_values import counted, shown
from ..report.verdict import Verdict
from .branch import Branch

_MOST_ITEMS: Final = 200
"""So many items of a list are shown, and those at fault."""
_MOST_DEEP: Final = 60


def data_tree(name: str, verdict: Verdict[Any], data: Any) -> Branch:
    """The tree of plain data with what is wrong in it: what was entered, without the values of secrets."""
    by_path: dict[Path, list[str]] = {}
    for fault in verdict.faults:
        by_path.setdefault(fault.path, []).append(fault.message)
    return _branch(name, data, (), by_path)


def _branch(name: str, data: Any, path: Path, by_path: Mapping[Path, list[str]]) -> Branch:
    faults = tuple(by_path.get(path, ()))
    if len(path) > _MOST_DEEP or not isinstance(data, dict | list):
        return Branch(name, shown(data) if not isinstance(data, dict | list) else "nested too deep", faults=faults)
    if isinstance(data, list):
        steps: list[Any] = [*range(min(len(data), _MOST_ITEMS))]
        steps += sorted({at[len(path)] for at in by_path if _inside(at, path) and at[len(path)] not in steps})
        children = [_branch(f"[{step}]", data[step], (*path, step), by_path) for step in steps if step < len(data)]
        if len(children) < len(data):
            children.append(Branch(f"… {counted(len(data) - len(children), 'item')} more"))
        return Branch(name, f"a list of {counted(len(data), 'item')}", faults=faults, children=tuple(children))
    children = [_branch(str(key), held, (*path, key), by_path) for key, held in data.items()]
    absent = {at[len(path)] for at in by_path if _inside(at, path) and at[len(path)] not in data}
    for key in sorted(map(str, absent)):
        children.append(Branch(key, "nothing came", faults=tuple(by_path.get((*path, key), ()))))
    return Branch(name, "", faults=faults, children=tuple(children))


def _inside(at: Path, path: Path) -> bool:
    return len(at) > len(path) and at[: len(path)] == path
