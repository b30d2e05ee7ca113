"""Sets of characters by their Unicode property, as the inside of a character class of `re`."""

from __future__ import annotations

import sys
import unicodedata
from collections.abc import Callable
from functools import cache

_LONG = {
    "Letter": "L",
    "Uppercase_Letter": "Lu",
    "Lowercase_Letter": "Ll",
    "Titlecase_Letter": "Lt",
    "Modifier_Letter": "Lm",
    "Other_Letter": "Lo",
    "Mark": "M",
    "Combining_Mark": "M",
    "Nonspacing_Mark": "Mn",
    "Spacing_Mark": "Mc",
    "Enclosing_Mark": "Me",
    "Number": "N",
    "Decimal_Number": "Nd",
    "digit": "Nd",
    "Letter_Number": "Nl",
    "Other_Number": "No",
    "Punctuation": "P",
    "punct": "P",
    "Connector_Punctuation": "Pc",
    "Dash_Punctuation": "Pd",
    "Open_Punctuation": "Ps",
    "Close_Punctuation": "Pe",
    "Initial_Punctuation": "Pi",
    "Final_Punctuation": "Pf",
    "Other_Punctuation": "Po",
    "Symbol": "S",
    "Math_Symbol": "Sm",
    "Currency_Symbol": "Sc",
    "Modifier_Symbol": "Sk",
    "Other_Symbol": "So",
    "Separator": "Z",
    "Space_Separator": "Zs",
    "Line_Separator": "Zl",
    "Paragraph_Separator": "Zp",
    "Other": "C",
    "Control": "Cc",
    "cntrl": "Cc",
    "Format": "Cf",
    "Surrogate": "Cs",
    "Private_Use": "Co",
    "Unassigned": "Cn",
}
_SHORT = frozenset(_LONG.values())
_SCRIPTS = {
    "Latin": "LATIN",
    "Latn": "LATIN",
    "Greek": "GREEK",
    "Grek": "GREEK",
    "Cyrillic": "CYRILLIC",
    "Cyrl": "CYRILLIC",
    "Han": "CJK",
    "Hani": "CJK",
    "Hiragana": "HIRAGANA",
    "Hira": "HIRAGANA",
    "Katakana": "KATAKANA",
    "Kana": "KATAKANA",
    "Hangul": "HANGUL",
    "Hang": "HANGUL",
    "Arabic": "ARABIC",
    "Arab": "ARABIC",
    "Hebrew": "HEBREW",
    "Hebr": "HEBREW",
    "Thai": "THAI",
    "Devanagari": "DEVANAGARI",
    "Deva": "DEVANAGARI",
    "Bengali": "BENGALI",
    "Armenian": "ARMENIAN",
    "Georgian": "GEORGIAN",
    "Tamil": "TAMIL",
    "Ethiopic": "ETHIOPIC",
    "Khmer": "KHMER",
    "Mongolian": "MONGOLIAN",
}
_BINARY: dict[str, Callable[[str], bool]] = {
    "Any": lambda letter: True,
    "ASCII": str.isascii,
    "Assigned": lambda letter: unicodedata.category(letter) != "Cn",
    "Alphabetic": str.isalpha,
    "Alpha": str.isalpha,
    "Uppercase": str.isupper,
    "Upper": str.isupper,
    "Lowercase": str.islower,
    "Lower": str.islower,
    "White_Space": lambda letter: letter.isspace() and letter not in "\x1c\x1d\x1e\x1f",
    "space": lambda letter: letter.isspace() and letter not in "\x1c\x1d\x1e\x1f",
    "ASCII_Hex_Digit": lambda letter: letter in "0123456789abcdefABCDEF",
    "AHex": lambda letter: letter in "0123456789abcdefABCDEF",
    "ID_Start": lambda letter: letter.isidentifier() and letter != "_",
    "ID_Continue": lambda letter: ("a" + letter).isidentifier(),
}


def property_class(name: str, *, inverted: bool = False) -> str | None:
    """The inside of a class for a property expression such as `L`, `Letter`, `gc=Lu`, `Script=Greek`.

    None for a property that is not known here. Scripts are told by the names that Unicode gives to characters.
    """
    kind, equals, value = name.partition("=")
    if equals and kind in ("General_Category", "gc"):
        return _by_category(value, inverted)
    if equals and kind in ("Script", "sc", "Script_Extensions", "scx"):
        return _by_script(_SCRIPTS[value], inverted) if value in _SCRIPTS else None
    if equals:
        return None
    return _by_binary(name, inverted) if name in _BINARY else _by_category(name, inverted)


def _by_category(name: str, inverted: bool) -> str | None:
    short = _LONG.get(name, name)
    if short == "LC":
        return _ranges(lambda letter: unicodedata.category(letter) in ("Lu", "Ll", "Lt"), inverted)
    return _of_category(short, inverted) if short in _SHORT else None


@cache
def _of_category(short: str, inverted: bool) -> str:
    return _ranges(lambda letter: unicodedata.category(letter).startswith(short), inverted)


@cache
def _by_script(word: str, inverted: bool) -> str:
    def belongs(letter: str) -> bool:
        named = unicodedata.name(letter, "")
        return named.partition(" ")[0] == word and unicodedata.category(letter)[0] in "LM"

    return _ranges(belongs, inverted)


@cache
def _by_binary(name: str, inverted: bool) -> str:
    return _ranges(_BINARY[name], inverted)


def _ranges(belongs: Callable[[str], bool], inverted: bool) -> str:
    pieces = []
    start = None
    for code in range(sys.maxunicode + 2):
        inside = code <= sys.maxunicode and belongs(chr(code)) != inverted
        if inside and start is None:
            start = code
        elif not inside and start is not None:
            pieces.append(_told(start) if start == code - 1 else f"{_told(start)}-{_told(code - 1)}")
            start = None
    return "".join(pieces)


def _told(code: int) -> str:
    return f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"
