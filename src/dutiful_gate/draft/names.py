"""Names for records, from the keys that they stand under."""

from __future__ import annotations

import re

from ..document.declaring.naming import singular

_PARTS = re.compile(r"[A-Za-z0-9]+")


def record_name(key: str, *, one_of_many: bool) -> str:
    """The name of a class for what stands under a key; the singular where it is one of several."""
    words = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", key)
    parts = _PARTS.findall(words)
    if not parts:
        return "Record"
    if one_of_many:
        parts[-1] = singular(parts[-1])
    name = "".join(part[:1].upper() + part[1:] for part in parts)
    return name if not name[0].isdigit() else f"Record{name}"
