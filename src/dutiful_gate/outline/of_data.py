"""Data as a tree, each fault at its place."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from ..report.cause import HIDDEN
from ..report.fault import Fault, Path
from ..report.shown_values import counted, shown
from ..report.verdict import Verdict
from .branch import Branch

_MOST_ITEMS: Final = 200
"""So many items of a list are shown, and those at fault."""
_MOST_DEEP: Final = 60
_OF_ABSENCE: Final = ("absent", "agreement", "count")
"""Codes of faults at what did not come; any other, where nothing is shown, is one of a secret."""


def data_tree(name: str, verdict: Verdict[Any], data: Any) -> Branch:
    """The tree of plain data with what is wrong in it: what was entered, without the values of secrets."""
    by_path: dict[Path, list[Fault]] = {}
    for fault in verdict.faults:
        by_path.setdefault(fault.path, []).append(fault)
    return _branch(name, data, (), by_path)


def _branch(name: str, data: Any, path: Path, by_path: Mapping[Path, list[Fault]]) -> Branch:
    faults = tuple(fault.message for fault in by_path.get(path, ()))
    if len(path) > _MOST_DEEP or not isinstance(data, dict | list):
        below = tuple(dict.fromkeys(fault.message for fault in _at_or_below(path, by_path)))
        words = "nested too deep" if isinstance(data, dict | list) else shown(data)
        # Where nothing could be kept of what came, the fault says what it was.
        return Branch(name, "" if data is None and below else words, faults=below)
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
        told = _at_or_below((*path, key), by_path)
        nothing = all(fault.code in _OF_ABSENCE for fault in told)
        messages = tuple(dict.fromkeys(fault.message for fault in told))
        children.append(Branch(key, "nothing came" if nothing else HIDDEN, faults=messages))
    return Branch(name, "", faults=faults, children=tuple(children))


def _at_or_below(path: Path, by_path: Mapping[Path, list[Fault]]) -> list[Fault]:
    return [fault for at, each in by_path.items() if at[: len(path)] == path for fault in each]


def _inside(at: Path, path: Path) -> bool:
    return len(at) > len(path) and at[: len(path)] == path
