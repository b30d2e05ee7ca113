"""Names of a package that open their modules when they are first asked for.

Private: it may change without notice.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping


def opened_when_asked(package: str, rooms: Mapping[str, str]) -> Callable[[str], object]:
    """The `__getattr__` of a package: `rooms` has its modules, with the names in each; those of others have a point.

    Raises AttributeError for any other name.
    """

    def opened(name: str) -> object:
        from importlib import import_module

        for module, names in rooms.items():
            if name in names.split():
                return getattr(import_module(module if module[0] == "." else f".{module}", package), name)
        raise AttributeError(f"module {package!r} has no attribute {name!r}")

    return opened
