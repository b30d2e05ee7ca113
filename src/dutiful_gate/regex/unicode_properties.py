"""Sets of characters by their Unicode property, as `\\p{...}` of ECMA-262 knows them (its tables 67 to 69).

They come from a table of ranges beside this module, whatever the interpreter's own Unicode data is.
"""

from __future__ import annotations

import sys
from functools import cache
from typing import Final

VERSION: Final = "17.0.0"
"""The edition of the Unicode Character Database that the table was made of."""

Ranges = tuple[tuple[int, int], ...]
_ALL: Ranges = ((0, sys.maxunicode),)
_GENERAL = frozenset(["General_Category", "gc"])
_SCRIPT = {"Script": "sc", "sc": "sc", "Script_Extensions": "scx", "scx": "scx"}
_GROUPS = {
    "L": ("Letter",), "LC": ("Cased_Letter",), "M": ("Mark", "Combining_Mark"), "N": ("Number",),
    "P": ("Punctuation", "punct"), "S": ("Symbol",), "Z": ("Separator",), "C": ("Other",),
}  # fmt: skip
_MEMBERS = {"LC": ("Lu", "Ll", "Lt"), "C": ("Cc", "Cf", "Cn", "Co", "Cs")}
_LONG = {name: short for short, names in _GROUPS.items() for name in names}
_UNASSIGNED = frozenset(["Cn", "Unassigned"])
_EMPTY_SCRIPTS = frozenset(["Katakana_Or_Hiragana", "Hrkt"])


def property_ranges(name: str) -> Ranges | None:
    """The code points of a property expression such as `L`, `Letter`, `gc=Lu`, `Script=Greek` or `Emoji`, as ranges.

    None for one that ECMA-262 does not have.
    """
    kind, equals, value = name.partition("=")
    if not equals:
        return _category(name) or _binary(name)
    if kind in _GENERAL:
        return _category(value)
    return _script(_SCRIPT[kind], value) if kind in _SCRIPT else None


@cache
def _table() -> dict[tuple[str, str], str]:
    """Ranges in hexadecimal digits, by kind and name."""
    import pkgutil  # seldom needed

    held = pkgutil.get_data(__name__, "unicode.txt")
    assert held is not None  # it is shipped with the package
    found = {}
    for line in held.decode("ascii").splitlines():
        if not line.startswith("#"):
            kind, names, ranges = line.split("|")
            found.update({(kind, name): ranges for name in names.split(" ")})
    return found


@cache
def _ranges(kind: str, name: str) -> Ranges | None:
    told = _table().get((kind, name))
    if told is None:
        return None
    pairs = [each.partition("-") for each in told.split(" ")]
    return tuple((int(low, 16), int(high or low, 16)) for low, _, high in pairs)


@cache
def _binary(name: str) -> Ranges | None:
    if name == "Any":
        return _ALL
    if name == "ASCII":
        return ((0, 0x7F),)
    if name == "Assigned":
        return _assigned()
    return _ranges("is", name)


@cache
def _category(name: str) -> Ranges | None:
    if name in _UNASSIGNED:
        return all_but(_assigned())
    short = _LONG.get(name, name)
    if short not in _GROUPS:
        return _ranges("gc", name)
    members = _MEMBERS.get(short) or _categories(short)
    return _together([_category(each) or () for each in members])


def _categories(first: str = "") -> list[str]:
    """The names of two letters."""
    return [name for kind, name in _table() if kind == "gc" and len(name) == 2 and name.startswith(first)]


@cache
def _assigned() -> Ranges:
    return _together([_ranges("gc", each) or () for each in _categories()])


@cache
def _script(kind: str, name: str) -> Ranges | None:
    if name in _EMPTY_SCRIPTS:
        return ()
    return _ranges(kind, name) or _ranges("sc", name)


def _together(many: list[Ranges]) -> Ranges:
    """Ranges in order, those that touch as one."""
    made: list[tuple[int, int]] = []
    for start, end in sorted(each for ranges in many for each in ranges):
        if made and start <= made[-1][1] + 1:
            made[-1] = (made[-1][0], max(made[-1][1], end))
        else:
            made.append((start, end))
    return tuple(made)


def all_but(ranges: Ranges) -> Ranges:
    """All code points outside of ranges that stand in order."""
    ends = [-1, *(end for _, end in ranges)]
    starts = [*(start for start, _ in ranges), sys.maxunicode + 1]
    return tuple((end + 1, start - 1) for end, start in zip(ends, starts, strict=True) if end + 1 < start)


@cache
def property_class(name: str, *, inverted: bool = False) -> str | None:
    """The same ranges, or all outside of them, as the inside of a character class of `re`; None as above."""
    ranges = property_ranges(name)
    if ranges is None:
        return None
    return class_of(all_but(ranges) if inverted else ranges)


def class_of(ranges: Ranges) -> str:
    """Ranges as the inside of a character class of `re`."""
    return "".join(_told(low) if low == high else f"{_told(low)}-{_told(high)}" for low, high in ranges)


def _told(code: int) -> str:
    return f"\\u{code:04x}" if code < 0x10000 else f"\\U{code:08x}"
