"""Plain data to JSON text, exact where a Decimal is, and with infinities as numbers beyond a double."""

from __future__ import annotations

import json
import re
from decimal import Decimal
from typing import Any
from uuid import uuid4


def json_bytes(plain: object) -> bytes:
    """Compact JSON in UTF-8. Raises ValueError for what is no JSON: NaN, or an object of another kind."""
    held: list[str] = []
    token = uuid4().hex

    def kept(digits: str) -> str:
        held.append(digits)
        return f"{token}{len(held) - 1}"

    def exactly(value: object) -> str:
        if not isinstance(value, Decimal) or not value.is_finite():
            raise ValueError(f"{type(value).__name__} is no plain data")
        return kept(str(value))

    def written(data: object) -> str:
        return json.dumps(data, ensure_ascii=False, separators=(",", ":"), allow_nan=False, default=exactly)

    try:
        text = written(plain)
    except ValueError:
        held.clear()
        text = written(_beyond(plain, kept))
    if held:
        text = re.sub(f'"{token}([0-9]+)"', lambda found: held[int(found[1])], text)
    return text.encode("utf-8", "surrogatepass" if not text.isascii() else "strict")


def _beyond(plain: Any, kept: Any) -> Any:
    """Plain data with every infinity as a number that no double holds: JSON has no other way to write it."""
    if isinstance(plain, float) and abs(plain) == float("inf"):
        return kept("1e999" if plain > 0 else "-1e999")
    if isinstance(plain, dict):
        return {name: _beyond(each, kept) for name, each in plain.items()}
    if isinstance(plain, list):
        return [_beyond(each, kept) for each in plain]
    return plain
