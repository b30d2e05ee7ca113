"""Python regular expressions in the words of ECMA-262, with the `u` flag, as JSON Schema asks of `pattern`.

Only what means exactly the same is translated; the rest is an `Unsaid` with its reason.
"""

from __future__ import annotations

import re

from .blanks import BLANKS
from .facts import Unsaid

_CLASSES = {
    "d": r"\p{Nd}",
    "D": r"\P{Nd}",
    "w": r"[\p{L}\p{N}_]",
    "W": r"[^\p{L}\p{N}_]",
    "s": f"[{BLANKS}]",
    "S": f"[^{BLANKS}]",
}
_IN_CLASS = {"d": r"\p{Nd}", "D": r"\P{Nd}", "w": r"\p{L}\p{N}_", "s": BLANKS}
_CONTROLS = {"n": r"\n", "r": r"\r", "t": r"\t", "f": r"\f", "v": r"\v", "a": r"\x07"}
_SYNTAX = "^$\\.*+?()[]{}|/"
_OPENINGS = ("(?:", "(?=", "(?!", "(?<=", "(?<!")
_GROUP_NAME = re.compile(r"\(\?P<([A-Za-z_][A-Za-z0-9_]*)>")
_BACK_NAME = re.compile(r"\(\?P=([A-Za-z_][A-Za-z0-9_]*)\)")
_QUANTIFIER = re.compile(r"(?:[*+?]|\{(\d*)(,?)(\d*)\})([?+]?)")
_HEX = re.compile(r"x([0-9a-fA-F]{2})|u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})")


class _Untranslatable(Exception):
    pass


def ecma_pattern(pattern: str, flags: int = 0) -> str | Unsaid:
    """`pattern`, a valid Python expression, in ECMA-262 words; or why it cannot be said."""
    if flags & ~re.UNICODE:
        return Unsaid("the pattern has flags, which a JSON Schema pattern does not take")
    try:
        return _Walk(pattern).whole()
    except _Untranslatable as reason:
        return Unsaid(f"the pattern uses {reason}, which ECMA-262 does not know in the same sense")


def anchored(said: str) -> str:
    """An expression of ECMA-262 that must match the whole text; a choice needs a group around it."""
    return f"^{said}$" if has_no_choice(said) else f"^(?:{said})$"


def has_no_choice(said: str) -> bool:
    """Whether no alternative of an expression stands outside groups."""
    return not any(letter == "|" and not depth for letter, depth in zip(said, depths(said), strict=True))


def depths(said: str) -> list[int]:
    """How deep in groups each character of an expression stands; those escaped or in a class count as inside one."""
    told, depth, inside, at = [], 0, False, 0
    while at < len(said):
        letter = said[at]
        if letter == "\\":
            told += [depth + 1] * len(said[at : at + 2])
            at += 2
            continue
        inside = letter == "[" or (inside and letter != "]")
        depth += (letter == "(" and not inside) - (letter == ")" and not inside)
        told.append(depth + inside)
        at += 1
    return told


class _Walk:
    """One pass over an expression, piece by piece."""

    def __init__(self, pattern: str) -> None:
        self.pattern = pattern
        self.at = 0

    def whole(self) -> str:
        pieces = []
        while self.at < len(self.pattern):
            pieces.append(self.piece())
        return "".join(pieces)

    def piece(self) -> str:
        rest = self.pattern[self.at]
        if rest == "\\":
            return self.escape()
        if rest == "[":
            return self.character_class()
        if rest == "(":
            return self.opening()
        if quantifier := _QUANTIFIER.match(self.pattern, self.at):
            return self.quantifier(quantifier)
        self.at += 1
        if rest == ".":
            return r"[^\n]"
        if rest == "$":
            return r"(?=\n?$)"
        if rest in ")|^":
            return rest
        return _literal(rest)

    def opening(self) -> str:
        if name := _GROUP_NAME.match(self.pattern, self.at):
            self.at = name.end()
            return f"(?<{name[1]}>"
        if back := _BACK_NAME.match(self.pattern, self.at):
            self.at = back.end()
            return rf"\k<{back[1]}>"
        for form in _OPENINGS:
            if self.pattern.startswith(form, self.at):
                self.at += len(form)
                return form
        if self.pattern.startswith("(?", self.at):
            raise _Untranslatable(f"the group {self.pattern[self.at : self.at + 4]}...")
        self.at += 1
        return "("

    def quantifier(self, found: re.Match[str]) -> str:
        text = found[0]
        if text.startswith("{"):
            low, comma, high = found[1], found[2], found[3]
            if not (low or comma) or (not low and not high and not comma):
                self.at += 1
                return r"\{"
            if found[4] == "+":
                raise _Untranslatable("a possessive quantifier")
            text = "{" + (low or "0") + comma + high + "}" + found[4]
        elif found[4] == "+":
            raise _Untranslatable("a possessive quantifier")
        self.at = found.end()
        return text

    def escape(self) -> str:
        name = self.pattern[self.at + 1]
        if name in _CLASSES:
            self.at += 2
            return _CLASSES[name]
        if name in "AZ":
            self.at += 2
            return "^" if name == "A" else "$"
        if name in "bB":
            raise _Untranslatable(rf"\{name}, a word boundary in every script")
        if name in "123456789":
            number = re.compile(r"\d+").match(self.pattern, self.at + 1)
            assert number is not None
            self.at = number.end()
            return f"(?:\\{number[0]})"
        return self.character()

    def character(self, *, inside: bool = False) -> str:
        """One escaped character, inside a class or out of it."""
        name = self.pattern[self.at + 1]
        if name in _CONTROLS:
            self.at += 2
            return _CONTROLS[name]
        if code := _HEX.match(self.pattern, self.at + 1):
            self.at = code.end()
            return _literal(chr(int(code[1] or code[2] or code[3], 16)), inside=inside)
        if name.isalnum():
            raise _Untranslatable(rf"\{name}")
        self.at += 2
        return _literal(name, inside=inside)

    def character_class(self) -> str:
        for everything in (r"[\s\S]", r"[\S\s]"):
            if self.pattern.startswith(everything, self.at):
                self.at += len(everything)
                return everything
        self.at += 1
        said = "["
        if self.pattern[self.at] == "^":
            self.at += 1
            said += "^"
        first = True
        while first or self.pattern[self.at] != "]":
            first = False
            letter = self.pattern[self.at]
            if letter == "\\":
                name = self.pattern[self.at + 1]
                if name in _IN_CLASS:
                    said += _IN_CLASS[name]
                    self.at += 2
                elif name in "SWbB":
                    raise _Untranslatable(rf"\{name} inside a character class")
                else:
                    said += self.character(inside=True)
            else:
                self.at += 1
                said += letter if letter == "-" else _literal(letter, inside=True)
        self.at += 1
        return said + "]"


def _literal(letter: str, *, inside: bool = False) -> str:
    if letter in ("\\[]^" if inside else _SYNTAX):
        return "\\" + letter
    if letter == "-":
        return r"\-" if inside else "-"
    if letter.isprintable():
        return letter
    code = ord(letter)
    if code < 0x100:
        return f"\\x{code:02x}"
    return f"\\u{code:04x}" if code < 0x10000 else f"\\u{{{code:x}}}"
