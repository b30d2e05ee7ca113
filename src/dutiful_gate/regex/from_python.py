"""Regular expressions of Python's `re`, read into trees."""

from __future__ import annotations

import re
from functools import lru_cache

from .syntax import Expr, UnreadablePattern, mapped

_QUANTIFIER = re.compile(r"(?:([*+?])|\{(\d*)(,?)(\d*)\})([?+]?)")
_ESCAPE = re.compile(r"\\(?:x[0-9a-fA-F]{2}|u[0-9a-fA-F]{4}|U[0-9a-fA-F]{8}|0[0-7]{0,2}|.)", re.DOTALL)
_MARKS = {"^": "start", "$": "end", r"\A": "start", r"\Z": "very end", r"\b": "edge", r"\B": "no edge"}
_LINE_MARKS = {"^": "line start", "$": "line end"}
_ASCII_MARKS = {r"\b": "ascii edge", r"\B": "no ascii edge"}
_FLAGS = re.compile(r"\(\?([aiLmsux]+)\)")
_FLAG_OF = {"a": re.A, "i": re.I, "L": re.L, "m": re.M, "s": re.S, "u": re.U, "x": re.X}
_BLANK = re.compile(r"(\\.|\[\^?\]?(?:\\.|[^\]\\])*\])|\s+|#[^\n]*", re.DOTALL)
_OPENING = re.compile(
    r"\((?:\?(?:P<(?P<name>\w+)>|P=(?P<back>\w+)\)|(?P<flags>[ais]*(?:-[is]+)?):|(?P<plain>[:>]|<?[=!]))|(?!\?))"
)
_BACK = re.compile(r"\\([1-9][0-9]?)")


@lru_cache(maxsize=512)
def read_python(pattern: str, flags: int = 0) -> Expr:
    """The tree of an expression that `re` takes. Raises Unreadable, and RecursionError where groups nest too deep."""
    if found := _FLAGS.match(pattern):
        pattern = without_flags(pattern)
        for letter in found[1]:
            flags |= _FLAG_OF[letter]
    if flags & re.VERBOSE:
        pattern = _BLANK.sub(lambda each: each[1] or "", pattern)
    reader = _PythonReader(pattern, flags)
    tree = reader.choices()
    if reader.at < len(pattern):
        raise UnreadablePattern(pattern[reader.at :])
    return _under(tree, "i") if flags & re.IGNORECASE else tree


def without_flags(pattern: str) -> str:
    """An expression without the flags that it begins with."""
    found = _FLAGS.match(pattern)
    return pattern[found.end() :] if found else pattern


def _under(node: Expr, flags: str) -> Expr:
    """A node of which each character is read with flags of its own, as in `(?i:a)`."""
    if node[0] == "one":
        return ("one", f"(?{flags}:{node[1]})")
    if node[0] == "mark" and "a" in flags:
        return ("mark", {"edge": "ascii edge", "no edge": "no ascii edge"}.get(node[1], node[1]))
    return mapped(node, lambda each: _under(each, flags))


class _PythonReader:
    def __init__(self, pattern: str, flags: int) -> None:
        self.pattern = pattern
        self.at = 0
        self.marks = _MARKS | (_LINE_MARKS if flags & re.MULTILINE else {}) | (_ASCII_MARKS if flags & re.ASCII else {})
        self.groups = 0
        self.names: dict[str, int] = {}

    def choices(self) -> Expr:
        options = [self.sequence()]
        while self.pattern[self.at : self.at + 1] == "|":
            self.at += 1
            options.append(self.sequence())
        return options[0] if len(options) == 1 else ("any of", options)

    def sequence(self) -> Expr:
        nodes = []
        while self.at < len(self.pattern) and self.pattern[self.at] not in "|)":
            nodes.append(self.quantified(self.atom()))
        return ("seq", nodes)

    def quantified(self, node: Expr) -> Expr:
        while found := _QUANTIFIER.match(self.pattern, self.at):
            sign, low, comma, high, mode = found.groups()
            if not sign and not low and not (comma and high):
                break  # a brace that stands for itself
            self.at = found.end()
            least = {"*": 0, "+": 1, "?": 0}[sign] if sign else int(low or 0)
            most = {"*": None, "+": None, "?": 1}[sign] if sign else (int(high) if high else None if comma else least)
            node = ("repeat", node, least, most, mode == "?")
            node = ("atomic", node) if mode == "+" else node
        return node

    def atom(self) -> Expr:
        letter = self.pattern[self.at]
        if letter == "(":
            return self.group()
        if letter == "[":
            return ("one", self.character_class())
        if letter == "\\":
            if back := _BACK.match(self.pattern, self.at):
                self.at = back.end()
                return ("back", [int(back[1])])
            found = _ESCAPE.match(self.pattern, self.at)
            assert found is not None
            self.at = found.end()
            if found[0] in self.marks:
                return ("mark", self.marks[found[0]])
            return ("one", found[0])
        self.at += 1
        if letter in self.marks:
            return ("mark", self.marks[letter])
        return ("one", letter if letter == "." else re.escape(letter))

    def group(self) -> Expr:
        found = _OPENING.match(self.pattern, self.at)
        if found is None:
            raise UnreadablePattern(self.pattern[self.at : self.at + 4])
        self.at = found.end()
        if found["back"]:
            return ("back", [self.names[found["back"]]])
        if found["flags"]:
            return _under(self.closed(), found["flags"])
        sort = found["plain"]
        if sort is None:
            self.groups += 1
            number = self.groups
            if found["name"]:
                self.names[found["name"]] = number
            return ("group", number, self.closed())
        inner = self.closed()
        if sort == ":":
            return inner
        return ("atomic", inner) if sort == ">" else ("look", inner, "<" not in sort, "=" in sort)

    def closed(self) -> Expr:
        inner = self.choices()
        self.at += 1
        return inner

    def character_class(self) -> str:
        start = self.at
        self.at += 2 if self.pattern[start + 1] == "^" else 1
        first = True
        while first or self.pattern[self.at] != "]":
            first = False
            self.at += 2 if self.pattern[self.at] == "\\" else 1
        self.at += 1
        return self.pattern[start : self.at]
