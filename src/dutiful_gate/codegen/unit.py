"""Source to functions: compiled when first called, with lines that tracebacks can show."""

from __future__ import annotations

import builtins
import itertools
import linecache
import weakref
from collections.abc import Callable, Sequence
from functools import cached_property
from typing import Any

from .legend import Note, legend, noted

_numbers = itertools.count(1)


class Unit:
    """One piece of generated source and the function it defines."""

    def __init__(
        self,
        title: str,
        source: str,
        constants: dict[str, Any],
        entry: str,
        namespace: dict[str, Any] | None = None,
        *,
        carries: bool = False,
        notes: Sequence[Note] = (),
    ) -> None:
        """Compile `source` and run it, in a namespace that several units may share: that of the constants, for one.

        `carries` tells that it calls functions of the developer's own; `notes` are the fields that lines are marked
        with.
        """
        self.carries = carries
        self._source = source
        self._notes = notes
        self._constants = constants
        filename = f"<gate {title} #{next(_numbers)}>"
        namespace = {} if namespace is None else namespace
        if namespace is not constants:
            namespace |= constants
        namespace["__name__"] = f"gate {title}"
        namespace["__builtins__"] = builtins  # by its name, so that what is compiled can be packed
        exec(compile(source, filename, "exec", dont_inherit=True), namespace)
        self.call: Callable[..., Any] = namespace[entry]
        # A size, no time of change (so that it is never thrown out as stale), the lines, the name.
        linecache.cache[filename] = (len(source), None, _Lines(source, notes), filename)
        weakref.finalize(self, linecache.cache.pop, filename, None).atexit = False

    @cached_property
    def source(self) -> str:
        """The source as people read it, fields named."""
        return noted(self._source, self._notes)

    @property
    def legend(self) -> list[str]:
        """What the constants are that it leans on, a comment each."""
        return legend(self._source, self._constants)


class _Lines(list[str]):
    """The lines of a source, put together when a traceback or a debugger asks for them."""

    def __init__(self, source: str, notes: Sequence[Note]) -> None:
        super().__init__()
        self._held: tuple[str, Sequence[Note]] | None = (source, notes)

    def _open(self) -> None:
        if self._held is not None:
            source, notes = self._held
            self._held = None
            self.extend(noted(source, notes).splitlines(keepends=True))

    def __len__(self) -> int:
        self._open()
        return super().__len__()

    def __getitem__(self, at: Any) -> Any:
        self._open()
        return super().__getitem__(at)

    def __iter__(self) -> Any:
        self._open()
        return super().__iter__()
