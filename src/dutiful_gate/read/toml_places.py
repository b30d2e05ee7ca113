"""Where keys and values stand in a TOML text (TOML 1.0) that `tomllib` has read: which alone says what it means."""

from __future__ import annotations

import re
import tomllib
from typing import Any

from ..report.fault import Path
from .json_places import Places

_BASIC = r'"(?:[^"\\\n]|\\.)*+"'
_LITERAL = r"'[^'\n]*+'"
_LONG = r'"""(?:[^"\\]|\\.|"{1,2}(?!"))*+"{3,5}'
_LONG_LITERAL = r"'''(?:[^']|'{1,2}(?!'))*+'{3,5}"
_BARE = r"[A-Za-z0-9_-]++"
_BLANKS = re.compile(r"[ \t]*+")
_BETWEEN = re.compile(r"(?:[ \t\r\n]++|#[^\n]*+)*+")
_KEY = re.compile(rf"{_BARE}|{_BASIC}|{_LITERAL}")
# A date and a time may stand apart by one blank.
_SINGLE = re.compile(
    rf"{_LONG}|{_LONG_LITERAL}|{_BASIC}|{_LITERAL}|[0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}} [0-9][^\s,\]}}#]*+|[^\s,\]}}#]++",
    re.DOTALL,
)


def too_many_steps(text: str, most: int) -> int | None:
    """Where a dotted key of more than `most` steps begins, None where none does: to read one costs its square."""
    if text.count(".") < most:
        return None
    run = rf"(?:(?:{_BARE}|{_BASIC}|{_LITERAL})[ \t]*+\.[ \t]*+){{{most},}}"
    other = rf"#[^\n]*+|{_LONG}|{_LONG_LITERAL}|{_BASIC}|{_LITERAL}|{_BARE}|[^A-Za-z0-9_\"'#-]++|."
    tokens = re.finditer(rf"({run})|{other}", text, re.DOTALL)
    return next((token.start() for token in tokens if token[1]), None)


class TomlPlaces:
    """The offsets of keys and values in one text, by path, found in one pass over it."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.found = Places()
        # How many tables an array of tables has up to here.
        self._counts: dict[Path, int] = {}
        self._whole()

    def _whole(self) -> None:
        text, table = self.text, ()
        self.found.values[()] = 0
        at = self._past(0)
        while at < len(text):
            if text.startswith("[", at):
                several = text.startswith("[[", at)
                steps, end = self._key(at + (2 if several else 1))
                table = self._table(tuple(name for name, _ in steps), at, several=several)
                at = self._past(end + (2 if several else 1))
            else:
                at = self._past(self._pair(at, table))

    def _table(self, steps: tuple[str, ...], at: int, *, several: bool) -> Path:
        """The path of a table, of which the header stands here."""
        path: Path = ()
        for number, step in enumerate(steps, 1):
            path = (*path, step)
            if several and number == len(steps):
                self._put(path, at)
                count = self._counts[path] = self._counts.get(path, 0) + 1
                path = (*path, count - 1)
            elif path in self._counts:
                path = (*path, self._counts[path] - 1)
            self._put(path, at)
        self.found.keys[path] = self.found.values[path] = at
        return path

    def _put(self, path: Path, at: int) -> None:
        self.found.keys.setdefault(path, at)
        self.found.values.setdefault(path, at)

    def _past(self, at: int) -> int:
        """The offset after blanks, line ends and comments."""
        return _BETWEEN.match(self.text, at).end()  # type: ignore[union-attr]

    def _key(self, at: int) -> tuple[list[tuple[str, int]], int]:
        """The steps of a dotted key, each with its offset, and the offset after it and the blanks behind it."""
        steps = []
        while True:
            at = _BLANKS.match(self.text, at).end()  # type: ignore[union-attr]
            found = _KEY.match(self.text, at)
            assert found is not None  # tomllib has read it
            steps.append((_name(found[0]), at))
            at = _BLANKS.match(self.text, found.end()).end()  # type: ignore[union-attr]
            if not self.text.startswith(".", at):
                return steps, at
            at += 1

    def _pair(self, at: int, table: Path) -> int:
        """A key with its value; gives back the offset after them."""
        steps, at = self._key(at)
        path = table
        for name, start in steps:
            path = (*path, name)
            self.found.keys.setdefault(path, start)
            self.found.values.setdefault(path, start)
        at = _BLANKS.match(self.text, at + 1).end()  # type: ignore[union-attr]
        return self._value(at, path)

    def _value(self, at: int, path: Path) -> int:
        self.found.values[path] = at
        opening = self.text[at : at + 1]
        if opening == "[":
            at, number = self._past(at + 1), 0
            while not self.text.startswith("]", at):
                at = self._past(self._value(at, (*path, number)))
                number += 1
                if self.text.startswith(",", at):
                    at = self._past(at + 1)
            return at + 1
        if opening == "{":
            at = self._past(at + 1)
            while not self.text.startswith("}", at):
                at = self._past(self._pair(at, path))
                if self.text.startswith(",", at):
                    at = self._past(at + 1)
            return at + 1
        found = _SINGLE.match(self.text, at)
        assert found is not None  # tomllib has read it
        return found.end()


def _name(raw: str) -> str:
    if raw[0] == "'":
        return raw[1:-1]
    if raw[0] != '"':
        return raw
    read: Any = tomllib.loads(f"key = {raw}")["key"] if "\\" in raw else raw[1:-1]
    return str(read)
