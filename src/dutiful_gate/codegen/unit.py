"""Source to functions: compiled when first called, with lines that tracebacks can show."""

from __future__ import annotations

import itertools
import linecache
import weakref
from collections.abc import Callable
from typing import Any

_numbers = itertools.count(1)


class Unit:
    """One piece of generated source and the function it defines."""

    __slots__ = ("__weakref__", "call", "carries", "source")

    def __init__(
        self,
        title: str,
        source: str,
        constants: dict[str, Any],
        entry: str,
        namespace: dict[str, Any] | None = None,
        *,
        carries: bool = False,
    ) -> None:
        """Compile `source` and run it, in a namespace that several units may share: that of the constants, for one.

        `carries` tells that it calls functions of the developer's own.
        """
        self.source = source
        self.carries = carries
        filename = f"<gate {title} #{next(_numbers)}>"
        namespace = {} if namespace is None else namespace
        if namespace is not constants:
            namespace |= constants
        namespace["__name__"] = f"gate {title}"
        exec(compile(source, filename, "exec", dont_inherit=True), namespace)
        self.call: Callable[..., Any] = namespace[entry]
        # A size, no time of change (so that it is never thrown out as stale), the lines, the name.
        linecache.cache[filename] = (len(source), None, source.splitlines(keepends=True), filename)
        weakref.finalize(self, linecache.cache.pop, filename, None).atexit = False
