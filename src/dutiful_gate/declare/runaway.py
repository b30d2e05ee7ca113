"""Regular expressions that can run away on hostile text, found by their shape, and matched without backtracking.

Nested repeats, as in `(a+)+b`, make a backtracking matcher try exponentially many ways. Where one is found, the
expression is matched by walking all of its states at once.
"""

from __future__ import annotations

import re
import warnings
from collections.abc import Callable
from functools import lru_cache

from .automaton import Automaton, Node, Unreadable

_SIGNS = [chr(code) for code in range(128)] + ["é", "\u4e00"]
_LONGEST_UNGUARDED = 24
_QUANTIFIER = re.compile(r"(?:([*+?])|\{(\d*)(,?)(\d*)\})([?+]?)")
_ESCAPE = re.compile(r"\\(?:x[0-9a-fA-F]{2}|u[0-9a-fA-F]{4}|U[0-9a-fA-F]{8}|0[0-7]{0,2}|.)", re.DOTALL)
_LOOK = re.compile(r"\(\?<?[=!]")
_ASCII_EDGE = re.compile(r"\(\?a:\\([bB])\)")
_MARKS = {"^": "start", "$": "end", r"\A": "start", r"\Z": "very end", r"\b": "edge", r"\B": "no edge"}


class RunawayPattern(UserWarning):
    """A pattern has nested repeats: it is matched in a slower way that cannot run away."""


def parse(pattern: str) -> Node:
    """The tree of an expression. Raises Unreadable."""
    reader = _Reader(pattern)
    tree = reader.choices()
    if reader.at < len(pattern):
        raise Unreadable(pattern[reader.at :])
    return tree


class _Reader:
    def __init__(self, pattern: str) -> None:
        self.pattern = pattern
        self.at = 0

    def choices(self) -> Node:
        options = [self.sequence()]
        while self.pattern[self.at : self.at + 1] == "|":
            self.at += 1
            options.append(self.sequence())
        return options[0] if len(options) == 1 else ("any of", options)

    def sequence(self) -> Node:
        nodes = []
        while self.at < len(self.pattern) and self.pattern[self.at] not in "|)":
            nodes.append(self.quantified(self.atom()))
        return ("seq", nodes)

    def quantified(self, node: Node) -> Node:
        while found := _QUANTIFIER.match(self.pattern, self.at):
            sign, low, comma, high, mode = found.groups()
            if not sign and not low and not (comma and high):
                break  # a brace that stands for itself
            if mode == "+":
                raise Unreadable("a possessive quantifier")
            self.at = found.end()
            least = {"*": 0, "+": 1, "?": 0}[sign] if sign else int(low or 0)
            most = {"*": None, "+": None, "?": 1}[sign] if sign else (int(high) if high else None if comma else least)
            node = ("repeat", node, least, most)
        return node

    def atom(self) -> Node:
        letter = self.pattern[self.at]
        if letter == "(":
            return self.group()
        if letter == "[":
            return ("one", self.character_class())
        if letter == "\\":
            found = _ESCAPE.match(self.pattern, self.at)
            assert found is not None
            self.at = found.end()
            if found[0] in _MARKS:
                return ("mark", _MARKS[found[0]])
            if found[0][1] in "123456789":
                raise Unreadable("a back-reference")
            return ("one", found[0])
        self.at += 1
        if letter in _MARKS:
            return ("mark", _MARKS[letter])
        return ("one", letter if letter == "." else re.escape(letter))

    def group(self) -> Node:
        if found := _LOOK.match(self.pattern, self.at):
            self.at = found.end()
            inner = self.choices()
            self.at += 1
            return ("look", inner, "<" not in found[0], found[0].endswith("="))
        if found := _ASCII_EDGE.match(self.pattern, self.at):
            self.at = found.end()
            return ("mark", "ascii edge" if found[1] == "b" else "no ascii edge")
        for opening in (r"\(\?:", r"\(\?P<\w+>", r"\((?!\?)"):
            if found := re.compile(opening).match(self.pattern, self.at):
                self.at = found.end()
                inner = self.choices()
                self.at += 1
                return inner
        raise Unreadable(self.pattern[self.at : self.at + 4])

    def character_class(self) -> str:
        start = self.at
        self.at += 2 if self.pattern[start + 1] == "^" else 1
        first = True
        while first or self.pattern[self.at] != "]":
            first = False
            self.at += 2 if self.pattern[self.at] == "\\" else 1
        self.at += 1
        return self.pattern[start : self.at]


def danger(pattern: str) -> str:
    """Why an expression can run away, "" when it cannot or when that cannot be told."""
    try:
        tree = parse(pattern)
    except Unreadable:
        return "a repeat inside a repeat" if re.search(r"[*+}]\)[*+{]", pattern) else ""
    return _danger(tree, inside=False)


def _danger(node: Node, *, inside: bool) -> str:
    if node[0] == "repeat":
        many = node[3] is None or node[3] > 8
        if many and inside:
            return "a repeat inside a repeat"
        if many and _forks_alike(node[1]):
            return "choices inside a repeat that can begin alike"
        return _danger(node[1], inside=inside or (many and not _is_fenced(node[1])))
    if node[0] == "look":
        return _danger(node[1], inside=inside)
    if node[0] in ("seq", "any of"):
        for each in node[1]:
            if found := _danger(each, inside=inside):
                return found
    return ""


def _forks_alike(node: Node) -> bool:
    """Whether two options of a choice can take the same first sign."""
    if node[0] == "seq" and len(node[1]) == 1:
        return _forks_alike(node[1][0])
    if node[0] != "any of":
        return False
    seen: set[str] = set()
    for option in node[1]:
        first = option[1][:1] if option[0] == "seq" else [option]
        ones = _ones(first[0]) if first else []
        signs = {sign for one in ones for sign in _SIGNS if re.fullmatch(one, sign, re.DOTALL)}
        if signs & seen:
            return True
        seen |= signs
    return False


def _is_fenced(node: Node) -> bool:
    """Whether each round must begin with a sign that the round's own repeats cannot take: `(,[a-z]+)*` is harmless."""
    if node[0] != "seq" or not node[1] or node[1][0][0] != "one":
        return False
    sign = node[1][0][1]
    if sign == "." or sign.startswith("[") or (sign.startswith("\\") and sign[1:].isalnum()):
        return False
    letter = re.sub(r"\\(.)", r"\1", sign)
    return not any(re.fullmatch(one, letter, re.DOTALL) for part in node[1][1:] for one in _ones(part))


def _ones(node: Node) -> list[str]:
    if node[0] == "one":
        return [node[1]]
    if node[0] == "repeat":
        return _ones(node[1])
    return [one for each in node[1] for one in _ones(each)] if node[0] in ("seq", "any of") else []


def warn(rule: str, pattern: str) -> None:
    """Tell the developer of a pattern that can run away."""
    try:
        parse(pattern)
        how = "it is matched in a slower way that cannot"
    except Unreadable as unread:
        how = f"and since it uses {unread}, text of more than {_LONGEST_UNGUARDED} characters is refused unmatched"
    warnings.warn(
        f"{rule} has {danger(pattern)}, which hostile text can make run away; {how}. "
        "Let each repeat begin with a sign of its own, as in [a-z]+(-[a-z]+)*",
        RunawayPattern,
        stacklevel=2,
    )


def states_of(pattern: str) -> Callable[[str], bool]:
    """A function like `search` for an expression that the interpreter's matcher does not take. Raises Unreadable."""
    return Automaton(parse(pattern), 0, whole=False).match


def guarded(compiled: re.Pattern[str], *, whole: bool) -> Callable[[str], object]:
    """A function like `fullmatch` or `search` of an expression, that gives something or None and cannot run away."""
    try:
        states = Automaton(parse(compiled.pattern), compiled.flags, whole=whole)
    except Unreadable:
        plain = compiled.fullmatch if whole else compiled.search
        return lambda text: plain(text) if len(text) <= _LONGEST_UNGUARDED else None
    return lambda text: True if states.match(text) else None


_WIDEST = 64


def _width(node: Node) -> tuple[int, int]:
    """The fewest and most characters that a node takes."""
    match node[0]:
        case "one":
            return 1, 1
        case "seq":
            widths = [_width(each) for each in node[1]]
            return sum(low for low, _ in widths), min(_WIDEST, sum(high for _, high in widths))
        case "any of":
            widths = [_width(each) for each in node[1]]
            return min(low for low, _ in widths), max(high for _, high in widths)
        case "repeat":
            low, high = _width(node[1])
            return low * node[2], min(_WIDEST, high * node[3]) if node[3] is not None else _WIDEST
        case _:
            return 0, 0


def degree(pattern: str, *, whole: bool) -> int:
    """The power of a text's length that a backtracking matcher's time can grow with: 1 is as long as the text.

    Repeats that stand one after the other and can take the same signs multiply, and so does looking for a beginning.
    0 where it cannot be told.
    """
    try:
        tree = parse(pattern)
    except (Unreadable, RecursionError):
        return 0
    chain = _chain(tree)
    anchored = tree[0] == "seq" and bool(tree[1]) and tree[1][0] == ("mark", "start")
    return chain + (1 if chain and not whole and not anchored else 0)


def _chain(node: Node) -> int:
    """The most repeats without end in a row that share a sign."""
    if node[0] == "any of":
        return max(map(_chain, node[1]))
    if node[0] in ("repeat", "look"):
        inner = _chain(node[1])
        return max(inner, 1) if node[0] == "repeat" and node[3] is None else inner
    if node[0] != "seq":
        return 0
    longest = chain = 0
    last: frozenset[str] = frozenset()
    for each in _flat(node):
        signs = _signs(each)
        if each[0] == "repeat" and (each[3] is None or each[3] > _MANY):
            chain = chain + 1 if signs & last else 1
            last = last | signs if chain > 1 else signs
        elif _width(each)[0] and not signs & last:
            chain, last = 0, frozenset()
        longest = max(longest, chain, _chain(each))
    return longest


def _flat(node: Node) -> list[Node]:
    """What stands one after the other, groups opened."""
    return [inner for each in node[1] for inner in (_flat(each) if each[0] == "seq" else [each])]


_MANY = 50


def _signs(node: Node) -> frozenset[str]:
    """The signs, of a few, that a node can take."""
    return frozenset(sign for one in _ones(node) for sign in _signs_of(one))


@lru_cache(maxsize=1024)
def _signs_of(one: str) -> frozenset[str]:
    return frozenset(sign for sign in _SIGNS if re.fullmatch(one, sign, re.DOTALL))


_QUICK = {0: 0, 1: 0, 2: 4000, 3: 250, 4: 60}


def measured(compiled: re.Pattern[str], power: int, *, whole: bool) -> Callable[[str], object]:
    """The interpreter's own matching for texts so short that it is quick; for longer ones all states at once."""
    plain = compiled.fullmatch if whole else compiled.search
    short = _QUICK.get(power, 40)
    slow: list[Callable[[str], object]] = []

    def match(text: str) -> object:
        if len(text) <= short:
            return plain(text)
        if not slow:
            slow.append(guarded(compiled, whole=whole))
        return slow[0](text)

    return match
