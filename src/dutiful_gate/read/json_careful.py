"""JSON text read slowly, by hand and without recursion, to tell exactly what is wrong and where things stand.

It runs only when something is wrong already: the text is no sound JSON, or a fault wants its place.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation
from typing import Any, NoReturn

from ..declare.limits import Limits
from ..report.cause import Cause
from ..report.fault import Path

_BLANKS = re.compile(r"[ \t\n\r]*")
_NUMBER = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?")
_STRING = re.compile(r'"(?:[^"\\\x00-\x1f]++|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*+"')
_SOUND_START = re.compile(r'"(?:[^"\\\x00-\x1f]++|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*+')
_WORD = re.compile(r"[A-Za-z_]+|-Infinity")
_skip = json.JSONDecoder().raw_decode
_CONSTANTS = {"true": True, "false": False, "null": None}
_NO_JSON = ("NaN", "Infinity", "-Infinity")

_END = "the end of the text"
_NO_REPEAT = Cause("repeat", "each key once", got="it again")


@dataclass(slots=True)
class Note:
    """One thing wrong with the text: where, why, and what stands there."""

    path: Path
    cause: Cause
    given: object
    offset: int


@dataclass(slots=True)
class Told:
    """What a careful reading found. `whole` is false when the text could not be read to its end."""

    value: object = None
    whole: bool = False
    notes: list[Note] = field(default_factory=list)
    keys: dict[Path, int] = field(default_factory=dict)
    values: dict[Path, int] = field(default_factory=dict)

    def offset(self, path: Path, *, of_key: bool) -> int:
        """Where a path stands, or else the nearest thing around it that is there."""
        if of_key and path in self.keys:
            return self.keys[path]
        while path and path not in self.values:
            path = path[:-1]
        return self.values.get(path, 0)


class _Ended(Exception):
    """Reading cannot go on."""


class _Frame:
    """A list or record that is being read."""

    __slots__ = ("holds", "key", "wanted")

    def __init__(self, holds: dict[str, Any] | list[Any], wanted: dict[Any, Any] | None) -> None:
        self.holds = holds
        self.key: Any = None
        self.wanted = wanted


def read_carefully(
    text: str, limits: Limits, paths: Iterable[Path] = (), *, exact: bool = False, sound: bool = False
) -> Told:
    """Read a JSON text, noting what is wrong, and where each of `paths`, and all that is around it, stands.

    Of a text that is known to be sound only what the paths lead through is read by hand; the decoder skips the rest.
    """
    wanted: dict[Any, Any] = {}
    for path in paths:
        branch = wanted
        for step in path:
            branch = branch.setdefault(step, {})
    reading = _Reading(text, limits, wanted)
    reading.exact = exact
    reading.sound = sound
    try:
        reading.read()
    except _Ended:
        reading.told.whole = False
    return reading.told


class _Reading:
    def __init__(self, text: str, limits: Limits, wanted: dict[Any, Any]) -> None:
        self.text = text
        self.limits = limits
        self.wanted: dict[Any, Any] | None = wanted
        self.exact = False
        self.sound = False
        self.at = 0
        self.frames: list[_Frame] = []
        self.told = Told()

    def read(self) -> None:
        """The whole text: one value, and nothing after it."""
        self.skip()
        if self.at == len(self.text):
            self.stop(Cause("absent", "a JSON value"), None)
        self.told.value = self.value()
        self.told.whole = True
        while self.frames:
            self.next_member()
        self.skip()
        if self.at < len(self.text):
            self.expect("nothing after the JSON value")

    def path(self) -> Path:
        """Where reading stands."""
        return tuple(frame.key for frame in self.frames)

    def value(self) -> object:
        """The value that begins here; a list or record is opened only, and filled by later turns."""
        if self.sound and self.wanted is None:
            skipped, self.at = _skip(self.text, self.at)
            return skipped
        self.locate()
        letter = self.text[self.at : self.at + 1]
        if letter == '"':
            return self.string()
        if letter == "{":
            return self.open({})
        if letter == "[":
            return self.open([])
        if letter == "-" or letter.isdigit():
            return self.number()
        return self.constant()

    def locate(self) -> None:
        """Remember the offset of this value when its path is asked for."""
        if self.wanted is not None:
            self.told.values[self.path()] = self.at

    def open(self, holds: dict[str, Any] | list[Any]) -> object:
        if len(self.frames) >= self.limits.depth:
            needs = "lists and records at most {most} deep"
            self.stop(Cause("depth", needs, {"most": self.limits.depth}, got="deeper ones"), None)
        self.frames.append(_Frame(holds, self.wanted))
        self.at += 1
        return holds

    def next_member(self) -> None:
        """Read one member of the innermost list or record, or close it."""
        frame = self.frames[-1]
        first = frame.key is None
        record = isinstance(frame.holds, dict)
        close = "}" if record else "]"
        self.skip()
        letter = self.text[self.at : self.at + 1]
        if letter == close:
            self.at += 1
            self.frames.pop()
            return
        if not first:
            if letter != ",":
                self.expect(f"a comma or {close}")
            self.at += 1
            self.skip()
            if self.text[self.at : self.at + 1] == close:
                self.expect(f"another {'key' if record else 'item'} after the comma")
        if isinstance(frame.holds, dict):
            self.member_of_record(frame, frame.holds)
        else:
            frame.key = len(frame.holds)
            self.wanted = None if frame.wanted is None else frame.wanted.get(frame.key)
            frame.holds.append(self.value())

    def member_of_record(self, frame: _Frame, holds: dict[str, Any]) -> None:
        start = self.at
        if self.text[start : start + 1] != '"':
            frame.key = None
            self.frames.pop()
            self.expect("a key in double quotes" if holds else "a key in double quotes, or }")
        key = self.string()
        frame.key = key
        self.wanted = None if frame.wanted is None else frame.wanted.get(key)
        if key in holds:
            self.told.notes.append(Note(self.path(), _NO_REPEAT, key, start))
        if self.wanted is not None:
            self.told.keys[self.path()] = start
        self.skip()
        if self.text[self.at : self.at + 1] != ":":
            self.expect("a colon after the key")
        self.at += 1
        self.skip()
        holds[key] = self.value()

    def string(self) -> str:
        found = _STRING.match(self.text, self.at)
        if found is None:
            start = _SOUND_START.match(self.text, self.at)
            assert start is not None
            self.at = start.end()
            letter = self.text[self.at : self.at + 1]
            if letter == "\\":
                self.stop(Cause("reading", "an escape that JSON has"), self.text[self.at : self.at + 2])
            self.expect("a closing double quote" if not letter else "control characters as escapes, such as \\n")
        self.at = found.end()
        read: str = json.loads(found[0])
        return read

    def number(self) -> object:
        found = _NUMBER.match(self.text, self.at)
        if found is None or self.text[found.end() : found.end() + 1].isalnum():
            word = _WORD.match(self.text, self.at)
            if word is not None:
                return self.constant()
            self.stop(Cause("reading", "a number as JSON writes it"), self.token())
        digits = sum(map(str.isdigit, found[0]))
        start, self.at = self.at, found.end()
        if digits > self.limits.digits:
            needs = "a number of at most {most} digits"
            self.note(Cause("size", needs, {"most": self.limits.digits}, got=f"one of {digits:,}"), None, start)
            return 0
        if not any(letter in found[0] for letter in ".eE"):
            return int(found[0])
        return self.exactly(found[0], start) if self.exact else float(found[0])

    def exactly(self, digits: str, start: int) -> object:
        """A number as a Decimal, where even that can hold it."""
        try:
            return Decimal(digits)
        except InvalidOperation:
            self.note(Cause("size", "a number with an exponent that can be held", got="a larger one"), None, start)
            return 0

    def constant(self) -> object:
        word = _WORD.match(self.text, self.at)
        if word is None:
            self.expect("a JSON value")
        if word[0] in _CONSTANTS:
            self.at = word.end()
            return _CONSTANTS[word[0]]
        if word[0] in _NO_JSON:
            start, self.at = self.at, word.end()
            self.note(Cause("reading", "a number that JSON has", got=word[0]), None, start)
            return 0
        return self.stop(Cause("reading", "a JSON value"), self.token())

    def token(self) -> str:
        """What stands here, up to the next blank or sign."""
        found = re.compile(r"[^\s,:\[\]{}\"]*").match(self.text, self.at)
        return (found[0] if found else "") or self.text[self.at : self.at + 1]

    def skip(self) -> None:
        self.at = _BLANKS.match(self.text, self.at).end()  # type: ignore[union-attr]

    def note(self, cause: Cause, given: object, offset: int) -> None:
        self.told.notes.append(Note(self.path(), cause, given, offset))

    def expect(self, needs: str) -> NoReturn:
        """Stop here, since something else is needed than what stands here."""
        letter = self.text[self.at : self.at + 1]
        self.stop(Cause("reading", needs, got="value" if letter else _END), letter)

    def stop(self, cause: Cause, given: object) -> NoReturn:
        self.note(cause, given, self.at)
        raise _Ended
