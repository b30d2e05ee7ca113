"""What functions of one unit are written with: lines, constants, and the functions that wait to be written."""

from __future__ import annotations

from collections.abc import Callable, Hashable

from ...codegen.writer import Writer
from ...declare.facts import Own
from ..later import Later, Waiting
from ..own_functions import carried


class Pen(Writer):
    """The lines and constants of one unit, and the functions of the developer's own that they call.

    `carries`  whether there are such functions: what they raise has to be let through
    `kept`     the classes whose making was looked at when the unit was written, with their names
    """

    def __init__(self) -> None:
        super().__init__()
        self.carries = False
        self.kept: dict[type, str] = {}
        self._carried: dict[tuple[int, str, bool], object] = {}

    def own(self, own: Own, where: str, *, hidden: bool) -> object:
        """A function of the developer's own as generated code calls it; `where` it stands is told when it raises."""
        self.carries = True
        mark = (id(own.function), where, hidden)
        if mark not in self._carried:
            self._carried[mark] = carried(own, where, hidden=hidden)
        return self._carried[mark]


class Functions:
    """The functions of one sort: those that are written, and those that were named and wait.

    `later`  what writes the waiting ones when they are first called, for a large shape; else they are written at once
    """

    def __init__(self, pen: Pen) -> None:
        self.pen = pen
        self.later: Later | None = None
        self._sources: list[str] = []
        self._names: dict[Hashable, str] = {}
        self._waiting: Waiting = []
        self._count = 0
        self._told = 0

    def add(self, lines: list[str]) -> None:
        """A function that is written."""
        self._sources.append("\n".join(lines))

    def named(self, mark: Hashable, name: str, write: Callable[[str], None]) -> str:
        """The name of the function with a mark, made of `name` and a number; it is written later, once."""
        if mark not in self._names:
            made = self._names[mark] = self.pen.claimed(f"{name}_{len(self._names) + 1}")
            self._waiting.append((made, lambda: write(made)))
        return self._names[mark]

    def numbered(self, name: str) -> str:
        """A name for a function that has no mark."""
        self._count += 1
        return self.pen.claimed(f"{name}_{self._count}")

    @property
    def empty(self) -> bool:
        """Whether none was written yet."""
        return not self._sources

    @property
    def count(self) -> int:
        """How many are written."""
        return len(self._sources)

    @property
    def unfinished(self) -> bool:
        """Whether functions were named that are not written yet."""
        return bool(self._waiting)

    def finish(self) -> None:
        """Write the functions that wait, or see to it that they will be."""
        if self.later is not None:
            self.later.put_off(self._waiting)
        while self._waiting:
            self._waiting.pop(0)[1]()

    def written_since(self) -> list[str]:
        """The sources of those that were written since this was last asked."""
        told, self._told = self._told, len(self._sources)
        return self._sources[told:]
