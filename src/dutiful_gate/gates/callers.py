"""What can be seen where a gate is built."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from typing import Any

_OWN = f"{__name__.partition('.')[0]}."


def seen_by_caller(names: Mapping[str, Any] | None) -> tuple[dict[str, Any], str]:
    """The names that can be seen there, and the function where that is.

    Types declared inside a function see each other through the frame in which their gate is built.
    """
    frame = sys._getframe(1)
    while frame.f_back is not None and str(frame.f_globals.get("__name__")).startswith(_OWN):
        frame = frame.f_back
    return {**frame.f_globals, **frame.f_locals, **(names or {})}, frame.f_code.co_qualname
