"""Plain data to JSON text, exact where a Decimal is."""

from __future__ import annotations

import json
from decimal import Decimal
from uuid import uuid4


def json_bytes(plain: object) -> bytes:
    """Compact JSON in UTF-8. Raises ValueError for what is no JSON: NaN, or an object of another kind."""
    held: dict[str, str] = {}
    token = uuid4().hex

    def exactly(value: object) -> str:
        if not isinstance(value, Decimal) or not value.is_finite():
            raise ValueError(f"{type(value).__name__} is no plain data")
        name = f"{token}{len(held)}"
        held[f'"{name}"'] = str(value)
        return name

    text = json.dumps(plain, ensure_ascii=False, separators=(",", ":"), allow_nan=False, default=exactly)
    for name, digits in held.items():
        text = text.replace(name, digits)
    return text.encode("utf-8", "surrogatepass" if not text.isascii() else "strict")
