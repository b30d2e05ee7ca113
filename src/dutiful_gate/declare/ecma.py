"""Regular expressions of ECMA-262, as JSON Schema has them, in the words of Python's `re`.

What is no ECMA-262 but in daily use all the same (`\\Z`, `(?i)` at the start, `(?P<name>...)`) is taken by `re`'s
meaning, unless the reading is strict.
"""

from __future__ import annotations

import re
from functools import lru_cache

from .letters import property_class

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
_CONTROLS = {"t": "\t", "n": "\n", "v": "\v", "f": "\f", "r": "\r", "0": "\0"}
_ANCHORS = {"A": r"\A", "Z": r"\Z", "z": r"\Z"}
_OPENING = re.compile(r"\((?:\?(?::|=|!|<=|<!|<([A-Za-z_$][\w$]*)>))?")
_LOOSE_OPENING = re.compile(r"\(\?(?:P<([A-Za-z_]\w*)>|(P=)([A-Za-z_]\w*)\)|>|[aimsx]+(?:-[imsx]+)?([:)])|#[^)]*\))")
_QUANTIFIER = re.compile(r"(?:[*+?]|\{[0-9]+(?:,[0-9]*)?\})\??")
_HEX = re.compile(r"x([0-9A-Fa-f]{2})|u\{([0-9A-Fa-f]{1,6})\}|u([0-9A-Fa-f]{4})(?:\\u([0-9A-Fa-f]{4}))?")
_PROPERTY = re.compile(r"([pP])\{([A-Za-z0-9_]+(?:=[A-Za-z0-9_]+)?)\}")
_NUMBER = re.compile(r"[1-9][0-9]*")
_NAMED_BACK = re.compile(r"k<([A-Za-z_$][\w$]*)>")


class NoPattern(ValueError):
    """The text is no regular expression; its words say why.

    `said` is the expression in the words of `re` where only `re` has no way to it, "" otherwise.
    """

    def __init__(self, why: str, said: str = "") -> None:
        super().__init__(why)
        self.said = said


@lru_cache(maxsize=1024)
def python_pattern(pattern: str, *, strict: bool = False) -> str:
    """The same expression for `re`, without flags. Raises NoPattern; with `strict` for all that ECMA-262 lacks too."""
    reader = _Reader(pattern, strict=strict)
    made = reader.whole()
    try:
        re.compile(made)
    except (re.error, OverflowError, RecursionError) as broken:
        # ECMA-262 has look-behind of any width, `re` has not.
        loose = made if "look-behind" in str(broken) else ""
        if loose and strict:
            return made
        raise NoPattern(str(broken), loose) from None
    return made


class _Reader:
    """One pass over an expression, piece by piece."""

    def __init__(self, pattern: str, *, strict: bool) -> None:
        self.pattern = pattern
        self.strict = strict
        self.at = 0
        self.groups = 0
        self.names: dict[str, str] = {}
        self.open: list[int] = []
        self.count = _groups(pattern)
        self.closing = ""

    def whole(self) -> str:
        pieces = []
        while self.at < len(self.pattern):
            pieces.append(self.piece())
        if self.open:
            raise NoPattern("a parenthesis is not closed")
        return "".join(pieces) + self.closing

    def piece(self) -> str:
        letter = self.pattern[self.at]
        if letter == "\\":
            return self.escape()
        if letter == "[":
            return self.character_class()
        if letter == "(":
            return self.opening()
        if letter == ")":
            if not self.open:
                raise NoPattern("a parenthesis was never opened")
            self.open.pop()
        if letter in "*+?{":
            return self.quantifier(letter)
        self.at += 1
        if letter == ".":
            return r"[^\n\r\u2028\u2029]"
        if letter == "$":
            return r"\Z"
        return letter if letter in "^|)" else re.escape(letter)

    def quantifier(self, letter: str) -> str:
        found = _QUANTIFIER.match(self.pattern, self.at)
        if found is None:
            if self.strict:
                raise NoPattern("a brace stands alone")
            self.at += 1
            return r"\{"
        self.at = found.end()
        if self.pattern[self.at : self.at + 1] == "+" and not found[0].endswith("?"):
            if self.strict:
                raise NoPattern("there is nothing to repeat")
            self.at += 1
            return found[0] + "+"
        return found[0]

    def opening(self) -> str:
        found = _OPENING.match(self.pattern, self.at)
        assert found is not None
        if found[0] == "(" and self.pattern[self.at + 1 : self.at + 2] == "?":
            return self.loose_opening()
        self.at = found.end()
        self.open.append(self.at)
        if found[1]:
            return self._named(found[1])
        if found[0] == "(":
            self.groups += 1
        return found[0]

    def _named(self, name: str) -> str:
        self.groups += 1
        if name in self.names:
            raise NoPattern(f"two groups are called {name!r}")
        self.names[name] = f"g{self.groups}"
        return f"(?P<g{self.groups}>"

    def loose_opening(self) -> str:
        found = _LOOSE_OPENING.match(self.pattern, self.at)
        if found is None or self.strict:
            raise NoPattern(f"{self.pattern[self.at : self.at + 4]!r} opens no group")
        start = self.at
        self.at = found.end()
        if found[1]:
            self.open.append(self.at)
            return self._named(found[1])
        if found[2]:
            return self._back(found[3])
        if found[0].startswith("(?#"):
            return ""
        if found[4] == ")":
            if not start:
                return found[0]
            if self.open:
                raise NoPattern("flags stand inside a group")
            self.closing += ")"  # in the middle they hold from there on
            return f"{found[0][:-1]}:"
        self.open.append(self.at)
        return found[0]

    def _back(self, name: str) -> str:
        # ECMA-262: a group that has not matched is empty to those who refer to it.
        return f"(?({self.names[name]})(?P={self.names[name]}))" if name in self.names else "(?:)"

    def escape(self) -> str:
        rest = self.pattern[self.at + 1 : self.at + 2]
        if not rest:
            raise NoPattern("it ends with a backslash")
        if rest in _INSIDE:
            self.at += 2
            return f"[{_INSIDE[rest]}]"
        if rest in "bB":
            self.at += 2
            return rf"(?a:\{rest})"
        if found := _PROPERTY.match(self.pattern, self.at + 1):
            return f"[{self.property(found)}]"
        if found := _NUMBER.match(self.pattern, self.at + 1):
            self.at = found.end()
            number = int(found[0])
            if number > self.count:
                raise NoPattern(f"there is no group {number}")
            return f"(?({number})\\{number})" if number <= self.groups else "(?:)"
        if found := _NAMED_BACK.match(self.pattern, self.at + 1):
            self.at = found.end()
            return self._back(found[1])
        if rest in _ANCHORS and not self.strict:
            self.at += 2
            return _ANCHORS[rest]
        return re.escape(self.character())

    def property(self, found: re.Match[str]) -> str:
        inside = property_class(found[2], inverted=found[1] == "P")
        if inside is None:
            raise NoPattern(f"the Unicode property {found[2]!r} is not known here")
        self.at = found.end()
        return inside

    def character(self) -> str:
        """One escaped character, inside a class or out of it."""
        rest = self.pattern[self.at + 1]
        if rest in _CONTROLS and not (rest == "0" and self.pattern[self.at + 2 : self.at + 3].isdigit()):
            self.at += 2
            return _CONTROLS[rest]
        if rest == "c" and re.match("[A-Za-z]", self.pattern[self.at + 2 : self.at + 3]):
            self.at += 3
            return chr(ord(self.pattern[self.at - 1]) % 32)
        if found := _HEX.match(self.pattern, self.at + 1):
            return self._of_code(found)
        if rest.isalnum() and rest.isascii() and self.strict:
            raise NoPattern(f"\\{rest} is no escape of ECMA-262")
        self.at += 2
        return "\x07" if rest == "a" else rest

    def _of_code(self, found: re.Match[str]) -> str:
        self.at = found.end()
        if found[4]:
            high, low = int(found[3], 16), int(found[4], 16)
            if 0xD800 <= high < 0xDC00 <= low < 0xE000:
                return chr(0x10000 + ((high - 0xD800) << 10) + low - 0xDC00)
            self.at = found.end(3)
            return chr(high)
        code = int(found[1] or found[2] or found[3], 16)
        if code > 0x10FFFF:
            raise NoPattern(f"there is no character {code:#x}")
        return chr(code)

    def character_class(self) -> str:
        start = self.at
        self.at += 1
        inverted = self.pattern[self.at : self.at + 1] == "^"
        self.at += inverted
        said: list[str] = []
        while True:
            letter = self.pattern[self.at : self.at + 1]
            if not letter:
                raise NoPattern(f"the class that begins at {start} is not closed")
            if letter == "]":
                self.at += 1
                break
            said.append(self.in_class(letter))
        if not said:
            return r"[\s\S]" if inverted else "(?!)"
        return f"[{'^' if inverted else ''}{''.join(said)}]"

    def in_class(self, letter: str) -> str:
        first, single = self.one_in_class(letter)
        after = self.pattern[self.at + 1 : self.at + 2]
        if self.pattern[self.at : self.at + 1] != "-" or after in ("]", ""):
            return first
        self.at += 1
        last, last_single = self.one_in_class(after)
        if not (single and last_single):
            if self.strict:
                raise NoPattern("a range begins or ends with a class")
            return f"{first}\\-{last}"
        return f"{first}-{last}"

    def one_in_class(self, letter: str) -> tuple[str, bool]:
        """One member, and whether it is a single character."""
        if letter != "\\":
            self.at += 1
            return _escaped(letter), True
        rest = self.pattern[self.at + 1 : self.at + 2]
        if not rest:
            raise NoPattern("it ends with a backslash")
        if rest in _INSIDE:
            self.at += 2
            return _INSIDE[rest], False
        if found := _PROPERTY.match(self.pattern, self.at + 1):
            return self.property(found), False
        if rest == "b":
            self.at += 2
            return r"\x08", True
        return _escaped(self.character()), True


def _escaped(letter: str) -> str:
    return letter if letter.isalnum() and letter.isascii() else f"\\U{ord(letter):08x}"


def _groups(pattern: str) -> int:
    """How many groups it has, wherever they stand."""
    bare = re.sub(r"\\.|\[(?:\\.|[^\]\\])*\]", "", pattern, flags=re.DOTALL)
    return len(re.findall(r"\((?!\?)|\(\?P?<(?![=!])", bare))
