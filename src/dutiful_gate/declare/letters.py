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
        return _class(_of_categories(("Lu", "Ll", "Lt")), inverted)
    if short not in _SHORT:
        return None
    return _class(_of_categories(tuple(each for each in _categories() if each.startswith(short))), inverted)


@cache
def _categories() -> dict[str, list[tuple[int, int]]]:
    """The ranges of code points of every category: one walk over all of them."""
    found: dict[str, list[tuple[int, int]]] = {}
    category = unicodedata.category
    start, before = 0, category("\0")
    for code, each in enumerate(map(category, map(chr, range(sys.maxunicode + 1)))):
        if each != before:
            found.setdefault(before, []).append((start, code - 1))
            start, before = code, each
    found.setdefault(before, []).append((start, sys.maxunicode))
    return found


def _of_categories(names: tuple[str, ...]) -> list[tuple[int, int]]:
    return _merged([each for name in names for each in _categories().get(name, [])])


def _merged(ranges: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Ranges in order, those that touch as one."""
    made: list[tuple[int, int]] = []
    for start, end in sorted(ranges):
        if made and start <= made[-1][1] + 1:
            made[-1] = (made[-1][0], max(made[-1][1], end))
        else:
            made.append((start, end))
    return made


@cache
def _scripts() -> dict[str, list[tuple[int, int]]]:
    """The ranges of letters and marks by the first word of their names."""
    found: dict[str, list[tuple[int, int]]] = {}
    wanted = set(_SCRIPTS.values())
    for start, end in _of_categories(tuple(each for each in _categories() if each[0] in "LM")):
        for code in range(start, end + 1):
            word = unicodedata.name(chr(code), "").partition(" ")[0]
            if word in wanted:
                found.setdefault(word, []).append((code, code))
    return {word: _merged(ranges) for word, ranges in found.items()}


def _by_script(word: str, inverted: bool) -> str:
    return _class(_scripts().get(word, []), inverted)


@cache
def _binary(name: str) -> list[tuple[int, int]]:
    belongs = _BINARY[name]
    assigned = _of_categories(tuple(each for each in _categories() if each not in ("Cn", "Co", "Cs")))
    if name == "Any":
        return [(0, sys.maxunicode)]
    if name == "Assigned":
        return _of_categories(tuple(each for each in _categories() if each != "Cn"))
    return _merged([(code, code) for start, end in assigned for code in range(start, end + 1) if belongs(chr(code))])


def _by_binary(name: str, inverted: bool) -> str:
    return _class(_binary(name), inverted)


def _class(ranges: list[tuple[int, int]], inverted: bool) -> str:
    """Ranges, or all that is outside of them, as the inside of a character class."""
    if inverted:
        ends = [-1, *(end for _, end in ranges)]
        starts = [*(start for start, _ in ranges), sys.maxunicode + 1]
        ranges = [(end + 1, start - 1) for end, start in zip(ends, starts, strict=True) if end + 1 < start]
    return "".join(_told(start) if start == end else f"{_told(start)}-{_told(end)}" for start, end in ranges)


def _told(code: int) -> str:
    return f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"
