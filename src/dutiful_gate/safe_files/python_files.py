"""Files of Python that are named by their path: the module that each is."""

from __future__ import annotations

import importlib
import importlib.util
import sys
from pathlib import Path
from typing import Any


def split_target(target: str) -> tuple[str, str]:
    """`module:Name`, or `folder/module.py:Name`, as module or file and name; both empty for anything else."""
    module, _, name = target.rpartition(":")
    return (module, name) if module and name else ("", "")


def module_of(path: Path) -> tuple[Path, str]:
    """The folder that a file of Python is imported from, above all packages it is in, and its dotted name from there.

    Raises ValueError where there is no such file, or its name is none of a module.
    """
    if not path.is_file():
        raise ValueError(f"there is no file {str(path)!r}; check the path")
    whole = path.resolve()
    parts = [] if whole.name == "__init__.py" else [whole.stem]
    folder = whole.parent
    while (folder / "__init__.py").is_file():
        parts.insert(0, folder.name)
        folder = folder.parent
    if not all(map(str.isidentifier, parts)):
        raise ValueError(f"{str(path)!r} cannot be imported: {'.'.join(parts)!r} is no name of a module; rename it")
    return folder, ".".join(parts)


def imported(module: str) -> Any:
    """The module of a dotted name, or of the path of a file, which ends in `.py`.

    A file is imported as its packages have it; by a name of its own where another module has that name already, as
    where two versions of a file stand in two folders. Raises ValueError as `module_of` does, and all that it raises.
    """
    if not module.endswith(".py"):
        return importlib.import_module(module)
    path = Path(module)
    folder, name = module_of(path)
    if str(folder) not in sys.path:
        sys.path.insert(0, str(folder))
    if not _is_taken(name, path):
        return importlib.import_module(name)
    number = 2
    while _is_taken(f"{name}_{number}", path):
        number += 1
    name = f"{name}_{number}"
    if name in sys.modules:
        return sys.modules[name]
    spec = importlib.util.spec_from_file_location(name, path.resolve())
    assert spec is not None  # it ends in .py
    assert spec.loader is not None
    made = sys.modules[name] = importlib.util.module_from_spec(spec)
    try:
        spec.loader.exec_module(made)
    except BaseException:
        del sys.modules[name]
        raise
    return made


def _is_taken(name: str, path: Path) -> bool:
    """Whether another file than this is imported by a name, or would be."""
    there = sys.modules.get(name)
    if there is None:
        try:
            found = importlib.util.find_spec(name)
        except (ImportError, ValueError):
            return False
        file = found.origin if found is not None else None
    else:
        file = getattr(there, "__file__", None)
    return (there is not None or file is not None) and not (file and Path(file).resolve() == path.resolve())
