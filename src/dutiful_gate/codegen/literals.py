"""Plain data as literals of Python: whatever came from outside stands in source this way and no other."""

from __future__ import annotations

from typing import Any


def literal(value: Any) -> str:
    """Plain JSON data as a Python literal."""
    if isinstance(value, str):
        return f'"{value}"' if value.isprintable() and not set('"\\') & set(value) else repr(value)
    if isinstance(value, list):
        return f"[{', '.join(map(literal, value))}]"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{literal(name)}: {literal(held)}' for name, held in value.items())}}}"
    return repr(value)


def raw_literal(text: str) -> str:
    """Text as a Python literal, raw where it has backslashes and can be."""
    plain = text.isprintable() and '"' not in text and not text.endswith("\\")
    return f'r"{text}"' if plain and "\\" in text else literal(text)
