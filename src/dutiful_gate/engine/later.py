"""Functions that are written and compiled when they are first called: most records are never met.

So are those of large shapes, and those that tell the faults of records.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import RLock
from typing import Any

from ..codegen.unit import Unit
from ..codegen.writer import Writer
from ..shape.shape import Shape

_AT_ONCE = 40
"""Of up to so many records and aliases all quick functions are written at once."""

Waiting = list[tuple[str, Callable[[], None]]]
"""Functions that were named and are not written yet: name, and what writes each."""


def is_large(shape: Shape) -> bool:
    """Whether quick functions are written when they are first called."""
    return len(shape.records) + len(shape.aliases) > _AT_ONCE


class Later:
    """Stands for functions that are not written yet, in the namespace in which they will be."""

    def __init__(self, title: str, writer: Writer, compiled: Callable[[], str]) -> None:
        """`compiled` gives the source of what was written since it was last asked."""
        self.title = title
        self.writer = writer
        self.compiled = compiled
        self.lock = RLock()
        self.units: list[Unit] = []  # which keep the lines that tracebacks show

    def put_off(self, waiting: Waiting) -> None:
        """Let the functions that wait be written at their first call; none waits any more then."""
        for name, write in waiting:
            self.writer.constants[name] = self._first(name, write)
        waiting.clear()

    def _first(self, name: str, write: Callable[[], None]) -> Callable[..., Any]:
        namespace = self.writer.constants

        def first(*values: Any) -> Any:
            with self.lock:
                if namespace[name] is first:
                    write()
                    self.units.append(
                        Unit(self.title, self.compiled(), namespace, name, namespace, notes=self.writer.notes)
                    )
            return namespace[name](*values)

        return first
