"""Formats spelled out as patterns, for clients that do not assert formats.

A pattern says all of a format where it can; where it cannot (the days of a month, the length of a host name) it admits
more, never less.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ...declare.facts import Unsaid
from ...declare.formats.email import ADDRESS
from ...declare.formats.judges import HOST, PATTERNS
from ...declare.rules.pattern import in_ecma

_DAYS = (
    "(?:[0-9]{4}-(?:(?:0[13578]|1[02])-(?:0[1-9]|[12][0-9]|3[01])|(?:0[469]|11)-(?:0[1-9]|[12][0-9]|30)|"
    "02-(?:0[1-9]|1[0-9]|2[0-8]))|(?:[0-9]{2}(?:0[48]|[2468][048]|[13579][26])|(?:[02468][048]|[13579][26])00)-02-29)"
)
_OFFSET = "(?:[Zz]|[+-](?:[01][0-9]|2[0-3]):[0-5][0-9])"
_CLOCK = r"(?:[01][0-9]|2[0-3]):[0-5][0-9]:(?:[0-5][0-9]|60)(?:\.[0-9]+)?"
_BYTE = "(?:25[0-5]|2[0-4][0-9]|1[0-9]{2}|[1-9]?[0-9])"
_IPV4 = rf"{_BYTE}(?:\.{_BYTE}){{3}}"
_H16 = "[0-9A-Fa-f]{1,4}"
_LAST = f"(?:{_H16}:{_H16}|{_IPV4})"
_IPV6 = "|".join(
    [
        f"(?:{_H16}:){{6}}{_LAST}",
        f"::(?:{_H16}:){{5}}{_LAST}",
        *(f"(?:{_H16}(?::{_H16}){{0,{left}}})?::(?:{_H16}:){{{4 - left}}}{_LAST}" for left in range(5)),
        f"(?:{_H16}(?::{_H16}){{0,5}})?::{_H16}",
        f"(?:{_H16}(?::{_H16}){{0,6}})?::",
    ]
)
_SPELLED: dict[str, str] = {
    "date": _DAYS,
    "date-time": f"{_DAYS}[Tt]{_CLOCK}{_OFFSET}",
    "email": ADDRESS,
    "hostname": HOST,
    "ipv4": _IPV4,
    "ipv6": _IPV6,
    **PATTERNS,
}
EXACT = frozenset(["uuid", "ipv4", "json-pointer", "relative-json-pointer", "duration", "uri-template"])
"""The formats of which the pattern says all."""


def spelled_out(said: Mapping[str, Any]) -> dict[str, Any]:
    """Keywords with a pattern beside their format, where a pattern can say anything of it."""
    pattern = _SPELLED.get(said.get("format", ""))
    told = in_ecma(pattern) if pattern is not None else Unsaid("")
    if isinstance(told, Unsaid):
        return dict(said)
    whole = f"^(?:{told})$"
    if "pattern" in said:
        return {**said, "allOf": [{"pattern": whole}]}
    return {**said, "pattern": whole}
