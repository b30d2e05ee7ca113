"""Python regular expressions in the words of ECMA-262, with the `u` flag, as JSON Schema asks of `pattern`.

Only what means exactly the same is translated; the rest is told to have no such words.
"""

from __future__ import annotations

import re
import sys
from functools import lru_cache

from .white_space import ECMA_BLANKS, PYTHON_BLANKS

_CLASSES = {
    "d": r"\p{Nd}",
    "D": r"\P{Nd}",
    "w": r"[\p{L}\p{N}_]",
    "W": r"[^\p{L}\p{N}_]",
    "s": f"[{PYTHON_BLANKS}]",
    "S": f"[^{PYTHON_BLANKS}]",
}
_IN_CLASS = {"d": r"\p{Nd}", "D": r"\P{Nd}", "w": r"\p{L}\p{N}_", "s": PYTHON_BLANKS}
_ASCII = {
    "d": "[0-9]",
    "D": "[^0-9]",
    "w": "[A-Za-z0-9_]",
    "W": "[^A-Za-z0-9_]",
    "s": r"[\t-\r\x20]",
    "S": r"[^\t-\r\x20]",
}
_IN_CLASS_ASCII = {"d": "0-9", "w": "A-Za-z0-9_", "s": r"\t-\r\x20"}
_INLINE = re.compile(r"\(\?([aimsux]+)\)")
_FLAGS = {"a": re.ASCII, "i": re.IGNORECASE, "m": re.MULTILINE, "s": re.DOTALL, "u": re.UNICODE, "x": re.VERBOSE}
_SPACE = " \t\n\r\f\v"
_LONGEST_RANGE = 400
_I = "iI\u0131\u0130"
_CONTROLS = {"n": r"\n", "r": r"\r", "t": r"\t", "f": r"\f", "v": r"\v", "a": r"\x07"}
_SYNTAX = "^$\\.*+?()[]{}|/"
_OPENINGS = ("(?:", "(?=", "(?!", "(?<=", "(?<!")
_GROUP_NAME = re.compile(r"\(\?P<([A-Za-z_][A-Za-z0-9_]*)>")
_BACK_NAME = re.compile(r"\(\?P=([A-Za-z_][A-Za-z0-9_]*)\)")
_QUANTIFIER = re.compile(r"(?:[*+?]|\{(\d*)(,?)(\d*)\})([?+]?)")
_HEX = re.compile(r"x([0-9a-fA-F]{2})|u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8})")


class NotInEcma(Exception):
    """A pattern uses what ECMA-262 does not know in the same sense; says what."""


def to_ecma(pattern: str, flags: int = 0) -> str:
    """`pattern`, a valid Python expression, in ECMA-262 words. Raises NotInEcma where it cannot be said."""
    said = _Walk(pattern, flags).whole()
    return said.replace(f"[^{ECMA_BLANKS}]", r"\S").replace(f"[{ECMA_BLANKS}]", r"\s")


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

    def __init__(self, pattern: str, flags: int) -> None:
        self.pattern = pattern
        self.at = 0
        if inline := _INLINE.match(pattern):
            self.at = inline.end()
            for letter in inline[1]:
                flags |= _FLAGS[letter]
        if flags & (re.LOCALE | re.DEBUG):
            raise NotInEcma("the flag for the locale")
        self.flags = flags
        self.classes = _ASCII if flags & re.ASCII else _CLASSES
        self.in_class = _IN_CLASS_ASCII if flags & re.ASCII else _IN_CLASS

    def whole(self) -> str:
        pieces = []
        while self.at < len(self.pattern):
            pieces.append(self.piece())
        return "".join(pieces)

    def piece(self) -> str:
        rest = self.pattern[self.at]
        if self.flags & re.VERBOSE and rest in _SPACE + "#":
            end = self.pattern.find("\n", self.at) if rest == "#" else self.at
            self.at = len(self.pattern) if end < 0 else end + 1
            return ""
        if rest == "\\":
            return self.escape()
        if rest == "[":
            return self.character_class()
        if rest == "(":
            return self.opening()
        if quantifier := _QUANTIFIER.match(self.pattern, self.at):
            return self.quantifier(quantifier)
        self.at += 1
        lines = bool(self.flags & re.MULTILINE)
        if rest == ".":
            return r"[\s\S]" if self.flags & re.DOTALL else r"[^\n]"
        if rest == "$":
            return r"(?=\n|$)" if lines else r"(?=\n?$)"
        if rest == "^" and lines:
            return r"(?<![^\n])"
        if rest in ")|^":
            return rest
        return self.literal(rest)

    def literal(self, letter: str) -> str:
        """A character that stands for itself, and with IGNORECASE for its others too."""
        others = self.others(letter)
        return _literal(letter) if not others else f"[{''.join(_literal(each, inside=True) for each in others)}]"

    def others(self, letter: str) -> list[str]:
        """All characters that a letter matches with IGNORECASE, itself among them; none where it is alone."""
        if not self.flags & re.IGNORECASE:
            return []
        alike = _alike(letter, self.flags & (re.IGNORECASE | re.ASCII))
        return alike if len(alike) > 1 else []

    def opening(self) -> str:
        if name := _GROUP_NAME.match(self.pattern, self.at):
            self.at = name.end()
            return f"(?<{name[1]}>"
        if back := _BACK_NAME.match(self.pattern, self.at):
            self.at = back.end()
            self.sure_of_group(rf"\(\?P<{back[1]}>")
            return rf"\k<{back[1]}>"
        for form in _OPENINGS:
            if self.pattern.startswith(form, self.at):
                self.at += len(form)
                return form
        if self.pattern.startswith("(?", self.at):
            raise NotInEcma(f"the group {self.pattern[self.at : self.at + 4]}...")
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
                raise NotInEcma("a possessive quantifier")
            text = "{" + (low or "0") + comma + high + "}" + found[4]
        elif found[4] == "+":
            raise NotInEcma("a possessive quantifier")
        self.at = found.end()
        return text

    def escape(self) -> str:
        name = self.pattern[self.at + 1]
        if name in self.classes:
            self.at += 2
            return self.classes[name]
        if name in "AZ":
            self.at += 2
            return "^" if name == "A" else "$"
        if name in "bB":
            self.at += 2
            word = self.classes["w"]
            if name == "b":
                return f"(?:(?<={word})(?!{word})|(?<!{word})(?={word}))"
            # Before Python 3.14 it is not found in an empty text.
            nowhere = "" if sys.version_info >= (3, 14) else "(?!^$)"
            return f"(?:(?<={word})(?={word})|(?<!{word})(?!{word}){nowhere})"
        if name in "123456789":
            number = re.compile(r"\d+").match(self.pattern, self.at + 1)
            assert number is not None
            self.at = number.end()
            self.sure_of_group("", int(number[0]))
            return f"(?:\\{number[0]})"
        made = self.character()
        return made if not self.flags & re.IGNORECASE or len(made) > 1 else self.literal(made)

    def sure_of_group(self, opening: str, number: int = 0) -> None:
        """Refuse a reference to a group that may not have matched: it fails in Python, and is empty in ECMA-262."""
        starts = [found.start() for found in re.finditer(opening or r"\((?!\?)|\(\?P<", self.pattern)]
        deep = depths(self.pattern)
        starts = [at for at in starts if self.pattern[at - 1 : at] != "\\"]
        at = starts[number - 1 if number else 0] if len(starts) >= max(number, 1) else -1
        if self.flags & re.IGNORECASE:
            raise NotInEcma("a back-reference whatever the case")
        end = next(
            (end for end in range(at + 1, len(deep)) if self.pattern[end] == ")" and deep[end] == deep[at] - 1), -1
        )
        if at < 0 or end < 0 or deep[at] != 1 or self.pattern[end + 1 : end + 2] in ("?", "*", "{"):
            raise NotInEcma("a back-reference to a group that may not match")
        if not has_no_choice(self.pattern):
            raise NotInEcma("a back-reference beside a choice")

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
            raise NotInEcma(rf"\{name}")
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
            name = self.pattern[self.at + 1] if self.pattern[self.at] == "\\" else ""
            if name in self.in_class:
                said += self.in_class[name]
                self.at += 2
            elif name and name in "SWbBD":
                raise NotInEcma(rf"\{name} inside a character class")
            else:
                said += self.members()
        self.at += 1
        return said + "]"

    def members(self) -> str:
        """One character of a class, or a range of them."""
        low, said = self.member()
        after = self.pattern[self.at + 1 : self.at + 2]
        if self.pattern[self.at] != "-" or after in ("]", ""):
            return said + "".join(_literal(each, inside=True) for each in self.others(low) if each != low)
        self.at += 1
        if self.pattern[self.at] == "\\" and self.pattern[self.at + 1] in "dDwWsS":
            raise NotInEcma("a range that ends with a class")
        high, end = self.member()
        if not self.flags & re.IGNORECASE:
            return f"{said}-{end}"
        if ord(high) - ord(low) > _LONGEST_RANGE:
            raise NotInEcma("a long range whatever the case")
        within = [chr(code) for code in range(ord(low), ord(high) + 1)]
        more = {other for each in within for other in self.others(each)} - set(within)
        return f"{said}-{end}" + "".join(_literal(each, inside=True) for each in sorted(more))

    def member(self) -> tuple[str, str]:
        """One character of a class, and how it is written."""
        letter = self.pattern[self.at]
        if letter != "\\":
            self.at += 1
            return letter, letter if letter == "-" else _literal(letter, inside=True)
        start = self.at
        said = self.character(inside=True)
        code = _HEX.match(self.pattern, start + 1)
        name = self.pattern[start + 1]
        if code:
            return chr(int(code[1] or code[2] or code[3], 16)), said
        return ("\a\b\f\n\r\t\v"["abfnrtv".index(name)] if name in _CONTROLS else name), said


@lru_cache(maxsize=1)
def _cases() -> dict[str, list[str]]:
    """Characters by what they become in small letters and in capitals."""
    groups: dict[str, list[str]] = {}
    for code in range(0x110000):
        letter = chr(code)
        for form in {letter.lower(), letter.upper(), letter.casefold()} - {letter}:
            groups.setdefault(form, []).append(letter)
    return groups


@lru_cache(maxsize=512)
def _alike(letter: str, flags: int) -> list[str]:
    """The characters that the expression of one letter matches."""
    forms = {letter, letter.lower(), letter.upper(), letter.casefold()}
    near = forms | {each for form in forms for each in _cases().get(form, [])}
    near |= {each for other in list(near) for form in (other.lower(), other.upper()) for each in _cases().get(form, [])}
    if letter in _I:
        near |= set(_I)  # of these, small letters and capitals are no pairs
    matches = re.compile(re.escape(letter), flags).fullmatch
    return sorted(each for each in near if len(each) == 1 and matches(each))


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
