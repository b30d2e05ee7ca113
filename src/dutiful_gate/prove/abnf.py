"""Grammars as the standards print them (ABNF, RFC 5234), turned into one expression, and texts drawn from them."""

from __future__ import annotations

import re
from random import Random
from typing import Any

_TOKEN = re.compile(
    r"""\s*(?:;[^\n]*|(?P<text>"[^"]*")|(?P<code>%x[0-9A-F]+(?:-[0-9A-F]+|(?:\.[0-9A-F]+)+)?)"""
    r"""|(?P<times>[0-9]*\*[0-9]*|[0-9]+)|(?P<sign>[()\[\]/])|(?P<name>[A-Za-z][A-Za-z0-9-]*))"""
)
_RULE = re.compile(r"^([A-Za-z][A-Za-z0-9-]*)\s*=(/?)\s*", re.MULTILINE)

# A grammar's parts: ("text", letters) ("range", low, high) ("row", parts) ("choice", parts) ("times", part, low, high)
Part = tuple[Any, ...]
CORE = """
ALPHA  = %x41-5A / %x61-7A
DIGIT  = %x30-39
HEXDIG = DIGIT / "A" / "B" / "C" / "D" / "E" / "F"
SP     = %x20
"""


class Grammar:
    """The rules of some ABNF text; none may lead back to itself."""

    def __init__(self, text: str) -> None:
        self.rules: dict[str, Part] = {}
        whole = CORE + text
        starts = list(_RULE.finditer(whole))
        for rule, after in zip(starts, [*starts[1:], None], strict=True):
            body = whole[rule.end() : after.start() if after else len(whole)]
            part = _AbnfReader(body).choice()
            name = rule[1].lower()
            self.rules[name] = ("choice", [self.rules[name], part]) if rule[2] else part

    def pattern(self, name: str) -> re.Pattern[str]:
        """The expression that takes exactly what a rule does."""
        return re.compile(self._said(("name", name)))

    def _said(self, part: Part) -> str:
        match part[0]:
            case "name":
                return f"(?:{self._said(self.rules[part[1].lower()])})"
            case "text":
                return "".join(f"[{c.lower()}{c.upper()}]" if c.isalpha() else re.escape(c) for c in part[1])
            case "range":
                low, high = part[1:]
                return re.escape(chr(low)) if low == high else f"[{re.escape(chr(low))}-{re.escape(chr(high))}]"
            case "row":
                return "".join(map(self._said, part[1]))
            case "choice":
                return f"(?:{'|'.join(map(self._said, part[1]))})"
            case _:
                _, inner, low, high = part
                return f"(?:{self._said(inner)}){{{low},{'' if high is None else high}}}"

    def drawn(self, name: str, random: Random) -> str:
        """A text that a rule takes."""
        return self._drawn(("name", name), random)

    def _drawn(self, part: Part, random: Random) -> str:
        match part[0]:
            case "name":
                return self._drawn(self.rules[part[1].lower()], random)
            case "text":
                return "".join(random.choice((c.lower(), c.upper())) for c in part[1])
            case "range":
                low, high = part[1:]
                return chr(random.choice((low, high, random.randint(low, high))))
            case "row":
                return "".join(self._drawn(each, random) for each in part[1])
            case "choice":
                return self._drawn(random.choice(part[1]), random)
            case _:
                _, inner, low, high = part
                most = low + 3 if high is None else min(high, low + 3)
                return "".join(self._drawn(inner, random) for _ in range(random.randint(low, most)))


class _AbnfReader:
    """The right side of a rule."""

    def __init__(self, body: str) -> None:
        self.tokens: list[tuple[str, str]] = []
        at = 0
        while body[at:].strip():
            found = _TOKEN.match(body, at)
            assert found is not None, body[at : at + 20]
            at = found.end()
            if found.lastgroup is not None:
                self.tokens.append((found.lastgroup, found[found.lastgroup]))
        self.tokens.append(("end", ""))
        self.tokens.reverse()

    def choice(self) -> Part:
        """Alternatives, to the end or the bracket that closes."""
        options = [self._row()]
        while self.tokens[-1] == ("sign", "/"):
            self.tokens.pop()
            options.append(self._row())
        return options[0] if len(options) == 1 else ("choice", options)

    def _row(self) -> Part:
        parts: list[Part] = []
        while self.tokens[-1][1] not in ("/", ")", "]", ""):
            parts.append(self._repeated())
        return parts[0] if len(parts) == 1 else ("row", parts)

    def _repeated(self) -> Part:
        sort, token = self.tokens[-1]
        if sort != "times":
            return self._single()
        self.tokens.pop()
        low, star, high = token.partition("*")
        least = int(low or 0)
        return ("times", self._single(), least, (int(high) if high else None) if star else least)

    def _single(self) -> Part:
        sort, token = self.tokens.pop()
        if sort == "name":
            return ("name", token)
        if sort == "text":
            return ("text", token[1:-1])
        if sort == "code":
            first, dash, last = token[2:].partition("-")
            if not dash and "." in first:
                return ("row", [("range", int(code, 16), int(code, 16)) for code in first.split(".")])
            return ("range", int(first, 16), int(last or first, 16))
        inner = self.choice()
        self.tokens.pop()
        return inner if token == "(" else ("times", inner, 0, 1)
