"""How many strings stand in JSON, names of keys among them: in a text, and in what was read of it.

Where a key stands twice in one record (RFC 8259, section 4), only the last value is read: then there are fewer in what
was read than in the text, and only then.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Final

QUOTE: Final = b'"'
BACKSLASH: Final = ord("\\")
_SIXTY_FOUR_BITS: Final = 2.0**63


class Uncounted(ValueError):
    """Data nests deeper than it was to be counted, or a float in it may stand for a whole number."""


def strings_in_text(raw: bytes | str) -> int:
    """The strings in JSON text, which must be sound."""
    if isinstance(raw, str):
        raw = raw.encode("utf-8", "surrogatepass")
    if BACKSLASH not in raw:
        return raw.count(QUOTE) >> 1
    # A pair of them stands for one; one that is left before a quote makes it a part of the string.
    return (raw.count(QUOTE) - raw.replace(b"\\\\", b"").count(b'\\"')) >> 1


def strings_in(value: Any, levels: int = 1_000, *, doubt: bool = False) -> int:
    """The strings in plain data that nests at most `levels` deep.

    Raises Uncounted where it is deeper; with `doubt` also for floats that may be whole numbers of more than 64 bits.
    """
    held: Iterable[Any]
    if value.__class__ is dict:
        strings, held = len(value), value.values()
    elif value.__class__ is list:
        strings, held = 0, value
    elif value.__class__ is str:
        return 1
    else:
        strings, held = 0, (value,)
    for each in held:
        kind = each.__class__
        if kind is str:
            strings += 1
        elif kind is dict or kind is list:
            if levels <= 1:
                raise Uncounted
            strings += strings_in(each, levels - 1, doubt=doubt)
        elif kind is float and doubt and not -_SIXTY_FOUR_BITS < each < _SIXTY_FOUR_BITS:
            raise Uncounted
    return strings
