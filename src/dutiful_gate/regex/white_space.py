"""White space, as ECMA-262 has it: its WhiteSpace and LineTerminator productions (sections 12.2 and 12.3).

Python's own idea differs: it counts U+001C to U+001F and U+0085, and not U+FEFF. Documents speak ECMA-262, so that the
gate does too, and `\\S` in a pattern says the same as `trimmed`.
"""

from __future__ import annotations

BLANKS = (
    "\t\n\x0b\x0c\r \xa0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f"
    "\u205f\u3000\ufeff"
)
"""Every character that is blank."""

ECMA_BLANKS = r"\t-\r \xa0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000\ufeff"
"""The same as the inside of a character class: what `\\s` means to ECMA-262."""

PYTHON_BLANKS = r"\t-\r\x1c-\x20\x85\xa0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000"
"""What `\\s` matches in patterns of `re`, as the inside of a character class: Python's own idea."""

_ONLY_PYTHON = frozenset("\x1c\x1d\x1e\x1f\x85")


def squeezed_text(text: str) -> str:
    """A text without blanks at its ends, every run of blanks inside as one space."""
    if text.isascii() and _ONLY_PYTHON.isdisjoint(text):
        return " ".join(text.split())  # on such text the two ideas agree
    spaces = text.translate(_AS_SPACES)
    return " ".join(part for part in spaces.split(" ") if part)


_AS_SPACES = dict.fromkeys(map(ord, BLANKS), " ")


def is_blank(value: object) -> bool:
    """Whether a text holds nothing; a list of one such text, as query parsers give it, neither."""
    if value.__class__ is list and len(value) == 1:
        value = value[0]
    return isinstance(value, str) and not value.strip(BLANKS)
