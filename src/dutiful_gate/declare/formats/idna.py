"""Host names of any script: the labels of IDNA 2008 (RFC 5890 to 5893), derived from the Unicode data at hand."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable
from functools import cache
from typing import Any

_ALWAYS = frozenset("\u00df\u03c2\u06fd\u06fe\u0f0b\u3007")
_NEVER = frozenset("\u0640\u07fa\u302e\u302f\u3031\u3032\u3033\u3034\u3035\u303b")
_MARKS = ((0x20D0, 0x20FF), (0x1D100, 0x1D1FF), (0x1D200, 0x1D24F))
_OLD_JAMO = ((0x1100, 0x11FF), (0xA960, 0xA97C), (0xD7B0, 0xD7FB))
_IGNORABLE = (
    (0x034F, 0x034F),
    (0x115F, 0x1160),
    (0x17B4, 0x17B5),
    (0x180B, 0x180F),
    (0xFE00, 0xFE0F),
    (0xE0100, 0xE01EF),
)
_LETTER_DIGITS = frozenset(["Ll", "Lu", "Lo", "Nd", "Lm", "Mn", "Mc"])
_ARABIC_DIGITS = frozenset("٠١٢٣٤٥٦٧٨٩")
_MORE_ARABIC_DIGITS = frozenset("۰۱۲۳۴۵۶۷۸۹")
# Arabic letters that join on their right only; all others of the script join on both sides.
_RIGHT_JOINING = frozenset(
    "\u0622\u0623\u0624\u0625\u0627\u0629\u062f\u0630\u0631\u0632\u0648\u0671\u0672\u0673\u0675\u0676\u0677\u06c0"
    "\u06c3\u06c4\u06c5\u06c6\u06c7\u06c8\u06c9\u06ca\u06cb\u06cd\u06cf\u06d2\u06d3\u06d5\u06ee\u06ef"
) | frozenset(map(chr, range(0x0688, 0x069A)))


def _within(letter: str, spans: tuple[tuple[int, int], ...]) -> bool:
    return any(low <= ord(letter) <= high for low, high in spans)


def _named(letter: str, *scripts: str) -> bool:
    return unicodedata.name(letter, "").startswith(scripts)


def _joins_around(label: str, at: int) -> bool:
    """RFC 5892, appendix A.1: after a virama, or between letters that would join."""
    if at > 0 and unicodedata.combining(label[at - 1]) == 9:
        return True
    before = next((each for each in reversed(label[:at]) if unicodedata.category(each) != "Mn"), "")
    after = next((each for each in label[at + 1 :] if unicodedata.category(each) != "Mn"), "")
    arabic = [bool(each) and unicodedata.bidirectional(each) == "AL" for each in (before, after)]
    return all(arabic) and before not in _RIGHT_JOINING


_CONTEXT: dict[str, Callable[[str, int], bool]] = {
    "\u200c": _joins_around,
    "\u200d": lambda label, at: at > 0 and unicodedata.combining(label[at - 1]) == 9,
    "\u00b7": lambda label, at: label[at - 1 : at] == "l" and label[at + 1 : at + 2] == "l",
    "\u0375": lambda label, at: at + 1 < len(label) and _named(label[at + 1], "GREEK"),
    "\u05f3": lambda label, at: at > 0 and _named(label[at - 1], "HEBREW"),
    "\u05f4": lambda label, at: at > 0 and _named(label[at - 1], "HEBREW"),
    "\u30fb": lambda label, at: any(
        _named(each, "HIRAGANA", "KATAKANA LETTER", "CJK UNIFIED", "CJK COMPATIBILITY IDEOGRAPH") for each in label
    ),
}
"""RFC 5892, appendix A: characters that stand only in the right company."""


def _is_allowed(letter: str, label: str, at: int) -> bool:
    """RFC 5892, section 3."""
    if letter in _ALWAYS:
        return True
    if letter in _NEVER:
        return False
    if letter in _CONTEXT:
        return _CONTEXT[letter](label, at)
    if letter in _ARABIC_DIGITS:
        return not any(each in _MORE_ARABIC_DIGITS for each in label)
    if letter in _MORE_ARABIC_DIGITS:
        return not any(each in _ARABIC_DIGITS for each in label)
    if letter in "abcdefghijklmnopqrstuvwxyz0123456789-":
        return True
    folded = unicodedata.normalize("NFKC", unicodedata.normalize("NFKC", letter).casefold())
    if folded != letter or letter.isspace() or any(_within(letter, each) for each in (_IGNORABLE, _MARKS, _OLD_JAMO)):
        return False
    return unicodedata.category(letter) in _LETTER_DIGITS


def _bidi_holds(label: str) -> bool:
    """RFC 5893, section 2, for a label on its own."""
    kinds = [unicodedata.bidirectional(letter) for letter in label]
    if not any(kind in ("R", "AL", "AN") for kind in kinds):
        return True
    body = kinds[:]
    while body and body[-1] == "NSM":
        body.pop()
    if kinds[0] in ("R", "AL"):
        known = {"R", "AL", "AN", "EN", "ES", "CS", "ET", "ON", "BN", "NSM"}
        return set(kinds) <= known and body[-1] in ("R", "AL", "EN", "AN") and not {"EN", "AN"} <= set(kinds)
    return False


def is_label(label: str) -> bool:
    """Whether a label that is not plain ASCII is a U-label."""
    return bool(in_ascii(label))


def in_ascii(label: str) -> str:
    """The A-label of a label that is not plain ASCII; "" where it is no U-label, each character allowed where it is.

    The package `idna` judges where it is installed; else the rules are derived from the interpreter's Unicode data.
    """
    package = _package()
    if package is not None:
        try:
            return str(package.alabel(label), "ascii")
        except (package.IDNAError, UnicodeError):
            return ""
    return f"xn--{label.encode('punycode').decode('ascii')}" if _is_derived_label(label) else ""


@cache
def _package() -> Any:
    try:
        import idna
    except ImportError:
        return None
    return idna


def _is_derived_label(label: str) -> bool:
    if not label or unicodedata.normalize("NFC", label) != label:
        return False
    if label[0] == "-" or label[-1] == "-" or label[2:4] == "--" or unicodedata.category(label[0])[0] == "M":
        return False
    if not all(_is_allowed(letter, label, at) for at, letter in enumerate(label)) or not _bidi_holds(label):
        return False
    return len(label.encode("punycode")) + 4 <= 63


def is_encoded_label(label: str) -> bool:
    """Whether `xn--...` is an A-label: the encoding of a U-label, and the only one."""
    encoded = label[4:].lower()  # host names are of either case
    try:
        plain = encoded.encode("ascii").decode("punycode")
    except (UnicodeError, ValueError, OverflowError):
        return False
    if plain.isascii() or not is_label(plain):
        return False
    return plain.encode("punycode").decode("ascii") == encoded
