"""Regular expressions of ECMA-262 with the `u` flag, as JSON Schema has them, read into trees.

The grammar is that of its section 22.2.1. What is outside of it but in daily use all the same is taken, unless the
reading is strict: what its annex B allows without the flag (`\\-`, a lone brace) by the annex's meaning, and words of
other dialects (`\\Z`, `(?i)`, `(?P<name>...)`, `a++`) by the meaning of Python's `re`.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Final

from .syntax import Expr, every
from .unicode_properties import property_class

_SPACES = r"\t-\r \xa0\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000\ufeff"
_NO_SPACES = (
    r"\x00-\x08\x0e-\x1f!-\x9f\xa1-\u167f\u1681-\u1fff\u200b-\u2027\u202a-\u202e\u2030-\u205e\u2060-\u2fff"
    r"\u3001-\ufefe\uff00-\U0010ffff"
)
_INSIDE = {
    "d": "0-9",
    "D": r"\x00-/:-\U0010ffff",
    "w": "A-Za-z0-9_",
    "W": r"\x00-/:-@\[-\^`{-\U0010ffff",
    "s": _SPACES,
    "S": _NO_SPACES,
}
_CONTROLS = {"t": "\t", "n": "\n", "v": "\v", "f": "\f", "r": "\r"}
_SYNTAX = frozenset("^$\\.*+?()[]{}|/")
_LOOSE_ANCHORS = {"A": "start", "Z": "very end", "z": "very end"}
_NAME = (
    r"(?:[^\W\d]|\$|\\u\{[0-9A-Fa-f]+\}|\\u[0-9A-Fa-f]{4})(?:[\w$\u200c\u200d]|\\u\{[0-9A-Fa-f]+\}|\\u[0-9A-Fa-f]{4})*"
)
_OPENING = re.compile(rf"\((?:\?(?::|=|!|<=|<!|<({_NAME})>)|(?!\?))")
_LOOSE_OPENING = re.compile(rf"\(\?(?:P<({_NAME})>|(P=)({_NAME})\)|(>)|([aimsuxL]*)(?:-([aimsux]+))?([:)])|(#)[^)]*\))")
_QUANTIFIER = re.compile(r"(?:[*+?]|\{([0-9]+)(?:(,)([0-9]*))?\})")
_HEX = re.compile(r"x([0-9A-Fa-f]{2})|u\{([0-9A-Fa-f]+)\}|u([0-9A-Fa-f]{4})(?:\\u([0-9A-Fa-f]{4}))?")
_PROPERTY = re.compile(r"([pP])\{([A-Za-z0-9_]+(?:=[A-Za-z0-9_]+)?)\}")
_NUMBER = re.compile(r"[1-9][0-9]*")
_OCTAL = re.compile(r"[0-3][0-7]{0,2}|[4-7][0-7]?")
_NAMED_BACK = re.compile(rf"k<({_NAME})>")
_ESCAPED_IN_NAME = re.compile(r"\\u(?:\{([0-9A-Fa-f]+)\}|([0-9A-Fa-f]{4}))")
_ANY: Final = r"[\s\S]"
_NO_LINE_END = r"[^\n\r\u2028\u2029]"
_NONE: Final = "(?!)"
_MOST_TIMES = 10**9
_DEEPEST = 150
Place = tuple[tuple[int, int], ...]


class NoPattern(ValueError):
    """The text is no regular expression; its words say why."""


@lru_cache(maxsize=1024)
def read_ecma(pattern: str, *, strict: bool = False) -> Expr:
    """The tree of an expression. Raises NoPattern; with `strict` for all that ECMA-262 does not have with `u` too."""
    return _EcmaReader(pattern, strict=strict).whole()


class _EcmaReader:
    """One pass over an expression, by recursive descent."""

    def __init__(self, pattern: str, *, strict: bool) -> None:
        self.pattern = pattern
        self.strict = strict
        self.at = 0
        self.deep = 0
        self.groups = 0
        self.names: dict[str, list[int]] = {}
        # The choices around, each with where it begins and where the option begins that is being read.
        self.around: Place = ()
        self.homes: dict[int, Place] = {}
        self.named_backs: list[tuple[str, list[int]]] = []
        self.most_back = 0
        self.flags: frozenset[str] = frozenset()

    def whole(self) -> Expr:
        tree = self.choices()
        if self.at < len(self.pattern):
            raise NoPattern("a parenthesis was never opened")
        if self.most_back > self.groups:
            raise NoPattern(f"there is no group {self.most_back}")
        for name, numbers in self.named_backs:
            if name not in self.names:
                raise NoPattern(f"there is no group called {name!r}")
            numbers += self.names[name]
        return tree

    def next_is(self, text: str) -> bool:
        return self.pattern.startswith(text, self.at)

    # Choices, terms and quantifiers

    def choices(self) -> Expr:
        """Up to the end, or the parenthesis that closes."""
        self.deep += 1
        if self.deep > _DEEPEST:
            raise NoPattern("groups nest too deep")
        outer, flags, start = self.around, self.flags, self.at
        options: list[Expr] = []
        while True:
            self.around = (*outer, (start, self.at))
            options.append(self.sequence())
            if not self.next_is("|"):
                break
            self.at += 1
        self.around, self.flags = outer, flags
        self.deep -= 1
        return options[0] if len(options) == 1 else ("any of", options)

    def sequence(self) -> Expr:
        nodes: list[Expr] = []
        while self.at < len(self.pattern) and self.pattern[self.at] not in "|)":
            term = self.term()
            if term is not None:
                nodes.append(self.quantified(term))
        return nodes[0] if len(nodes) == 1 else ("seq", nodes)

    def quantified(self, node: Expr) -> Expr:
        found = _QUANTIFIER.match(self.pattern, self.at)
        while found is not None:
            if node[0] == "mark" or (node[0] == "look" and (self.strict or not node[2])):
                raise NoPattern("there is nothing to repeat")
            self.at = found.end()
            sign = found[0]
            if sign in "*+?":
                least, most = {"*": (0, None), "+": (1, None), "?": (0, 1)}[sign]
            else:
                least = _times(found[1])
                most = (_times(found[3]) if found[3] else None) if found[2] else least
                if most is not None and most < least:
                    raise NoPattern(f"the numbers of {sign} stand the wrong way round")
            lazy = self.next_is("?")
            self.at += lazy
            node = ("repeat", node, least, most, lazy)
            if not self.strict and not lazy and self.next_is("+"):
                self.at += 1
                node = ("atomic", node)
            found = _QUANTIFIER.match(self.pattern, self.at)
            if found is not None:
                raise NoPattern("there is nothing to repeat")
        return node

    def term(self) -> Expr | None:
        letter = self.pattern[self.at]
        if "x" in self.flags and (letter in " \t\n\r\f\v#"):
            end = self.pattern.find("\n", self.at) if letter == "#" else self.at
            self.at = len(self.pattern) if end < 0 else end + 1
            return None
        if letter == "\\":
            return self.escape()
        if letter == "[":
            return ("one", self.cased(self.character_class()))
        if letter == "(":
            return self.opening()
        if letter in "*+?" or _QUANTIFIER.match(self.pattern, self.at):
            raise NoPattern("there is nothing to repeat")
        if letter in "{}]" and self.strict:
            raise NoPattern("a brace stands alone" if letter != "]" else "a bracket stands alone")
        self.at += 1
        if letter == ".":
            return ("one", _ANY if "s" in self.flags else _NO_LINE_END)
        if letter in "^$":
            word = "start" if letter == "^" else "end"
            return ("mark", f"line {word}" if "m" in self.flags else "very end" if letter == "$" else "start")
        return ("one", self.cased(re.escape(letter)))

    def cased(self, source: str) -> str:
        return f"(?i:{source})" if "i" in self.flags else source

    # Groups

    def opening(self) -> Expr | None:
        found = _OPENING.match(self.pattern, self.at)
        if found is None:
            return self.loose_opening()
        self.at = found.end()
        if found[0] in ("(?=", "(?!", "(?<=", "(?<!"):
            return ("look", self.closed(), "<" not in found[0], found[0].endswith("="))
        # A group of its own for the quantifier that may follow: it can repeat what is no term by itself.
        return ("seq", [self.closed()]) if found[0] == "(?:" else self.group(found[1])

    def group(self, name: str | None) -> Expr:
        self.groups += 1
        number = self.groups
        self.homes[number] = self.around
        if name:
            self.name(name, number)
        return ("group", number, self.closed())

    def name(self, written: str, number: int) -> None:
        name = _plain_name(written)
        for other in self.names.get(name, []):
            # Newer editions allow one name for groups that stand in different alternatives.
            if self.strict or not _apart(self.homes[other], self.around):
                raise NoPattern(f"two groups are called {name!r}")
        self.names.setdefault(name, []).append(number)

    def closed(self) -> Expr:
        inner = self.choices()
        if not self.next_is(")"):
            raise NoPattern("a parenthesis is not closed")
        self.at += 1
        return inner

    def loose_opening(self) -> Expr | None:
        found = _LOOSE_OPENING.match(self.pattern, self.at)
        if found is None or self.strict:
            raise NoPattern(f"{self.pattern[self.at : self.at + 4]!r} opens no group")
        self.at = found.end()
        if found[1]:
            return self.group(found[1])
        if found[2]:
            return self.named_back(found[3])
        if found[4]:
            return ("atomic", self.closed())
        if found[8]:
            return None
        before = self.flags
        self.flags = (before | frozenset(found[5])) - frozenset(found[6] or "")
        if found[7] == ")":
            return None  # they hold to the end of the group around
        inner = self.closed()
        self.flags = before
        return inner

    def named_back(self, written: str) -> Expr:
        numbers: list[int] = []
        self.named_backs.append((_plain_name(written), numbers))
        return ("back", numbers)

    # Escapes

    def escape(self) -> Expr:
        rest = self.pattern[self.at + 1 : self.at + 2]
        if not rest:
            raise NoPattern("it ends with a backslash")
        if rest in _INSIDE:
            self.at += 2
            return ("one", f"[{_INSIDE[rest]}]")
        if rest in "bB":
            self.at += 2
            return ("mark", "ascii edge" if rest == "b" else "no ecma edge")
        if rest in "pP":
            return ("one", f"[{inside}]" if (inside := self.property()) else _NONE)
        if found := _NUMBER.match(self.pattern, self.at + 1):
            self.at = found.end()
            number = int(found[0][:10])
            self.most_back = max(self.most_back, number)
            return ("back", [number])
        if rest == "k" and (self.strict or _NAMED_BACK.match(self.pattern, self.at + 1)):
            named = _NAMED_BACK.match(self.pattern, self.at + 1)
            if named is None:
                raise NoPattern(r"\k needs the name of a group")
            self.at = named.end()
            return self.named_back(named[1])
        if rest in _LOOSE_ANCHORS and not self.strict:
            self.at += 2
            return ("mark", _LOOSE_ANCHORS[rest])
        return ("one", self.cased(re.escape(self.character())))

    def property(self) -> str:
        found = _PROPERTY.match(self.pattern, self.at + 1)
        if found is None:
            raise NoPattern(rf"\{self.pattern[self.at + 1]} needs a Unicode property in braces")
        inside = property_class(found[2], inverted=found[1] == "P")
        if inside is None:
            raise NoPattern(f"ECMA-262 has no Unicode property {found[2]!r}")
        self.at = found.end()
        return inside

    def character(self, *, inside: bool = False) -> str:
        """One escaped character, inside a class or out of it."""
        rest = self.pattern[self.at + 1]
        if rest in _CONTROLS:
            self.at += 2
            return _CONTROLS[rest]
        if rest == "c" and re.match("[A-Za-z]", self.pattern[self.at + 2 : self.at + 3]):
            self.at += 3
            return chr(ord(self.pattern[self.at - 1]) % 32)
        if found := _HEX.match(self.pattern, self.at + 1):
            return self.of_code(found)
        if rest in "01234567" and (rest == "0" or inside):
            return self.octal(rest)
        if self.strict and rest not in _SYNTAX and not (inside and rest == "-"):
            raise NoPattern(f"\\{rest} is no escape of ECMA-262")
        self.at += 2
        return "\x07" if rest == "a" else rest

    def octal(self, first: str) -> str:
        after = self.pattern[self.at + 2 : self.at + 3]
        if self.strict and (first != "0" or (after.isascii() and after.isdigit())):
            raise NoPattern(f"\\{first}{after} is no escape of ECMA-262")
        found = _OCTAL.match(self.pattern, self.at + 1)
        assert found is not None
        self.at = found.end()
        return chr(int(found[0], 8))

    def of_code(self, found: re.Match[str]) -> str:
        self.at = found.end()
        if found[4]:
            high, low = int(found[3], 16), int(found[4], 16)
            if 0xD800 <= high < 0xDC00 <= low < 0xE000:
                return chr(0x10000 + ((high - 0xD800) << 10) + low - 0xDC00)
            self.at = found.end(3)
            return chr(high)
        digits = found[1] or found[2] or found[3]
        if len(digits.lstrip("0")) > 6 or int(digits, 16) > 0x10FFFF:
            raise NoPattern(f"there is no character {digits}")
        return chr(int(digits, 16))

    # Classes

    def character_class(self) -> str:
        start = self.at
        self.at += 1
        inverted = self.next_is("^")
        self.at += inverted
        said: list[str] = []
        while not self.next_is("]"):
            if self.at >= len(self.pattern):
                raise NoPattern(f"the class that begins at {start} is not closed")
            said.append(self.in_class())
        self.at += 1
        if not any(said):
            return _ANY if inverted else _NONE
        return f"[{'^' if inverted else ''}{''.join(said)}]"

    def in_class(self) -> str:
        first, low = self.one_in_class()
        after = self.pattern[self.at + 1 : self.at + 2]
        if not self.next_is("-") or after in ("]", ""):
            return first
        self.at += 1
        last, high = self.one_in_class()
        if not (low and high):
            if self.strict:
                raise NoPattern("a range begins or ends with a class")
            return f"{first}\\-{last}"
        if high < low:
            raise NoPattern(f"the range {low}-{high} stands the wrong way round")
        return f"{first}-{last}"

    def one_in_class(self) -> tuple[str, str]:
        """One member for a class of `re`, and the character that it is; "" where it is a class itself."""
        letter = self.pattern[self.at]
        if letter != "\\":
            self.at += 1
            return _escaped(letter), letter
        rest = self.pattern[self.at + 1 : self.at + 2]
        if not rest:
            raise NoPattern("it ends with a backslash")
        if rest in _INSIDE:
            self.at += 2
            return _INSIDE[rest], ""
        if rest in "pP":
            return self.property(), ""
        if rest == "b":
            self.at += 2
            return r"\x08", "\b"
        letter = self.character(inside=True)
        return _escaped(letter), letter


def _times(digits: str) -> int:
    return int(digits) if len(digits.lstrip("0")) < 10 else _MOST_TIMES


def _plain_name(written: str) -> str:
    """A name without escapes. Raises NoPattern where one of them is no letter of a name."""
    codes = [int(digits, 16) for pair in _ESCAPED_IN_NAME.findall(written) for digits in pair if digits]
    if any(code > 0x10FFFF for code in codes):
        raise NoPattern(f"{written!r} is no name")
    name = _ESCAPED_IN_NAME.sub(lambda found: chr(int(found[1] or found[2], 16)), written)
    if not re.sub("[$\u200c\u200d]", "_", name).isidentifier() or name[0] in "\u200c\u200d":
        raise NoPattern(f"{written!r} is no name")
    return name


def _apart(one: Place, other: Place) -> bool:
    """Whether two places stand in different alternatives of one choice."""
    return any(a == b and first != second for (a, first), (b, second) in zip(one, other, strict=False))


def _escaped(letter: str) -> str:
    return letter if letter.isalnum() and letter.isascii() else f"\\U{ord(letter):08x}"


def refers(tree: Expr) -> bool:
    """Whether an expression refers to what its groups took."""
    return any(node[0] == "back" for node in every(tree))
