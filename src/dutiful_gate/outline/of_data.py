"""Data as a tree, each fault at its place."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from ..report.cause import HIDDEN
from ..report.fault import Fault, Path, travelling, written_step
from ..report.hostile_objects import without_liars
from ..report.shown_values import counted, shown
from ..report.verdict import Verdict
from .branch import Branch

_MOST_ITEMS: Final = 200
"""So many items of a list are shown, and those at fault."""
_MOST_DEEP: Final = 60
_MOST_BRANCHES: Final = 2_000
"""So many values are shown in all: data that holds itself would have no end."""
_OF_ABSENCE: Final = ("absent", "agreement", "count")
"""Codes of faults at what did not come; any other, where nothing is shown, is one of a secret."""


def data_tree(name: str, verdict: Verdict[Any], data: Any) -> Branch:
    """The tree of plain data with what is wrong in it: what was entered, without the values of secrets."""
    return _Drawing(verdict.faults).branch(name, without_liars(data, typed=False), ())


class _Drawing:
    """The branches of one piece of data: plain lists and dicts, in which nothing lies."""

    def __init__(self, faults: Sequence[Fault]) -> None:
        self.left = _MOST_BRANCHES
        self.inside: dict[Path, dict[Any, None]] = {}
        """The steps at which faults stand below each path."""
        self.by_path: dict[Path, list[Fault]] = {}
        for fault in faults:
            path = travelling(fault.path)
            self.by_path.setdefault(path, []).append(fault)
            for at, step in enumerate(path):
                self.inside.setdefault(path[:at], {})[step] = None

    def branch(self, name: str, data: Any, path: Path) -> Branch:
        """The branch of what stands at a path."""
        self.left -= 1
        several = isinstance(data, dict | list)
        if len(path) > _MOST_DEEP or not several or self.left < 0:
            below = self.messages(path)
            words = "nested too deep" if several else shown(data)
            # Where nothing could be kept of what came, the fault says what it was.
            return Branch(name, "" if data is None and below else words, faults=below)
        faults = tuple(fault.message for fault in self.by_path.get(path, ()))
        if isinstance(data, dict):
            data = dict(zip(travelling(tuple(data)), data.values(), strict=True))
        known: list[Any] = [*range(len(data))] if isinstance(data, list) else [*data]
        steps = [step for step in self.steps(known, path) if isinstance(data, dict) or step < len(data)]
        children = []
        for step in steps:
            if self.left > 0 or step in self.inside.get(path, ()):
                word = f"[{step}]" if isinstance(data, list) else written_step(step)
                children.append(self.branch(word, data[step], (*path, step)))
        if len(children) < len(data):
            unit = "item" if isinstance(data, list) else "key"
            children.append(Branch(f"… {counted(len(data) - len(children), unit)} more"))
        if isinstance(data, list):
            return Branch(name, f"a list of {counted(len(data), 'item')}", faults=faults, children=tuple(children))
        for key in sorted((step for step in self.inside.get(path, ()) if step not in data), key=written_step):
            nothing = all(fault.code in _OF_ABSENCE for fault in self.below((*path, key)))
            words = "nothing came" if nothing else HIDDEN
            children.append(Branch(written_step(key), words, faults=self.messages((*path, key))))
        return Branch(name, "", faults=faults, children=tuple(children))

    def steps(self, known: list[Any], path: Path) -> list[Any]:
        """The steps that are shown: the first ones, and those to what is at fault, in the order of the data."""
        first = known[:_MOST_ITEMS]
        if len(first) == len(known):
            return first
        at_fault = self.inside.get(path, {})
        return [*first, *(step for step in known[_MOST_ITEMS:] if step in at_fault)]

    def below(self, path: Path) -> list[Fault]:
        """The faults at a path and below it."""
        found = list(self.by_path.get(path, ()))
        for step in self.inside.get(path, ()):
            found += self.below((*path, step))
        return found

    def messages(self, path: Path) -> tuple[str, ...]:
        """Their messages, each once."""
        return tuple(dict.fromkeys(fault.message for fault in self.below(path)))
