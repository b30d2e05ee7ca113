"""The names at the top of a module that is being written: each means one thing, the one that was meant."""

from __future__ import annotations

import builtins
import keyword
import sys
from collections.abc import Iterable
from typing import Any

from .layout import WIDTH
from .module_check import Unwritable

_PYTHON = frozenset(dir(builtins)) | frozenset(keyword.kwlist) | frozenset(keyword.softkwlist)


class Imports:
    """Gives out names, each once; `settled` are those of (module, name) that stand in source as they are."""

    def __init__(self, settled: Iterable[tuple[str, str]] = (), modules: Iterable[str] = ()) -> None:
        self._names: dict[tuple[str, str], str] = {(module, name): name for module, name in settled}
        self._modules = frozenset(modules)
        self._taken = {*_PYTHON, *self._names.values(), *self._modules}
        self._used: dict[tuple[str, str], str] = {}
        self._used_modules: set[str] = set()

    def avoid(self, names: Iterable[str]) -> None:
        """Import nothing under some names: those of fields, which would hide it."""
        self._taken.update(names)

    def own(self, name: str) -> str:
        """A name for what the module itself makes, a number behind it where it is taken. Raises Unwritable."""
        if not name.isidentifier() or not name.isascii() or keyword.iskeyword(name):
            raise Unwritable(f"{name!r} is no name of Python")
        return self._free(name)

    def of(self, module: str, name: str) -> str:
        """The name under which something of a module is imported: its own, or another where that is taken."""
        mark = module, name
        if mark not in self._used:
            self._used[mark] = self._names[mark] if mark in self._names else self._free(name)
        return self._used[mark]

    def module(self, name: str) -> str:
        """A whole module, one of those that were told."""
        if name not in self._modules:
            raise Unwritable(f"the module {name} would not be imported")
        self._used_modules.add(name)
        return name

    def class_of(self, declared: Any) -> str | None:
        """The source that means a class; None where no module leads to it by its names."""
        module, path = getattr(declared, "__module__", ""), getattr(declared, "__qualname__", "")
        if not isinstance(module, str) or not isinstance(path, str) or module == "__main__":
            return None
        steps = [*module.split("."), *path.split(".")]
        if not all(step.isidentifier() and step.isascii() and not keyword.iskeyword(step) for step in steps):
            return None
        found: Any = sys.modules.get(module)
        for step in path.split("."):
            found = getattr(found, step, None)
        if found is not declared:
            return None
        if module == builtins.__name__:
            return path
        first, *rest = path.split(".")
        return ".".join([self.of(module, first), *rest])

    def lines(self, last: str) -> list[str]:
        """The statements, sorted; those of the package `last` stand at the end."""
        told = [f"import {name}" for name in sorted(self._used_modules)]
        by_module: dict[str, list[str]] = {}
        for (module, name), local in sorted(self._used.items()):
            by_module.setdefault(module, []).append(name if local == name else f"{name} as {local}")
        for module in sorted(by_module, key=lambda each: (each.partition(".")[0] == last, each)):
            names = by_module[module]
            line = f"from {module} import {', '.join(names)}"
            several = "\n".join([f"from {module} import (", *(f"    {each}," for each in names), ")"])
            told.append(line if len(line) <= WIDTH else several)
        return told

    def _free(self, name: str) -> str:
        free, number = name, 1
        while free in self._taken:
            number += 1
            free = f"{name}_{number}"
        self._taken.add(free)
        return free
