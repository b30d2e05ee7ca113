"""Regular expressions of this package's own, compiled when they are first used: importing stays cheap."""

from __future__ import annotations

import re
from collections.abc import Callable


class Late:
    """An expression whose `fullmatch` compiles it at the first call, and is the compiled one's own afterwards."""

    __slots__ = ("fullmatch",)

    fullmatch: Callable[[str], re.Match[str] | None]

    def __init__(self, pattern: str) -> None:
        def first(text: str) -> re.Match[str] | None:
            self.fullmatch = re.compile(pattern).fullmatch
            return self.fullmatch(text)

        self.fullmatch = first
