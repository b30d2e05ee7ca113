"""Formats spelled out as patterns, for clients that do not assert formats.

A pattern says all of a format where it can; where it cannot (the days of a month, the length of a host name) it admits
more, never less.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...declare.facts import Unsaid
from ...declare.formats.table import FORMATS
from ...declare.rules.pattern import in_ecma


def spelled_out(said: Mapping[str, Any]) -> dict[str, Any]:
    """Keywords with a pattern beside their format, where a pattern can say anything of it."""
    known = FORMATS.get(said.get("format", ""))
    told = in_ecma(known.pattern) if known is not None and known.pattern else Unsaid("")
    if isinstance(told, Unsaid):
        return dict(said)
    whole = f"^(?:{told})$"
    if "pattern" in said:
        return {**said, "allOf": [*said.get("allOf", []), {"pattern": whole}]}
    return {**said, "pattern": whole}
