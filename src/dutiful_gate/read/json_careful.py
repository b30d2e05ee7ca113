"""JSON text that is not sound, or not within the limits: what exactly is wrong with it, and where.

It runs only when something is wrong already. The standard decoder, made lenient, does the work wherever it can; only
the member in which reading stopped is read by hand.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, NoReturn

from ..declare.digits import Digits
from ..declare.facts import Got
from ..declare.limits import Limits
from ..declare.phrases import Phrase
from ..report.cause import Cause
from ..report.fault import Path
from .json_fast import too_deep
from .json_places import Level, levels_around, places, repeated_keys

_BLANKS = re.compile(r"[ \t\n\r]*")
_NUMBER = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][+-]?[0-9]+)?")
_SOUND_START = re.compile(r'"(?:[^"\\\x00-\x1f]++|\\(?:["\\/bfnrt]|u[0-9a-fA-F]{4}))*+')
_WORD = re.compile(r"[A-Za-z_]+|-Infinity")
_TOKEN = re.compile(r"[^\s,:\[\]{}\"]*")
# Whole numbers as floats: the interpreter refuses to read those of too many digits.
_skip = json.JSONDecoder(parse_int=float).raw_decode
_CONSTANTS = ("true", "false", "null")
_NO_JSON = ("NaN", "Infinity", "-Infinity")

_END = "the end of the text"
_NO_REPEAT = Cause("repeat", "to come once", got="it again", of_key=True)


@dataclass(slots=True)
class TextNote:
    """One thing wrong with the text: where, why, and what stands there."""

    path: Path
    cause: Cause
    given: object
    offset: int


@dataclass(slots=True)
class CarefulReading:
    """What a careful reading found. `whole` is false when the text could not be read to its end.

    `untold` counts what is wrong beyond the limit on faults.
    """

    value: object = None
    whole: bool = False
    notes: list[TextNote] = field(default_factory=list)
    untold: int = 0


class _Ended(Exception):
    """Reading cannot go on."""


class _UnfitText:
    """Stands in a value for what JSON does not have, or the limits do not let through."""

    __slots__ = ("cause",)

    def __init__(self, cause: Cause) -> None:
        self.cause = cause


@lru_cache(maxsize=64)
def _unfit(code: str, needs: str, got: str, most: int) -> _UnfitText:
    return _UnfitText(Cause(code, needs, {"most": most} if most else {}, got=got))


_HOLDERS: frozenset[type] = frozenset([dict, list])


class _Lenient:
    """The standard decoder, which goes on where it can and notes what it passed over."""

    def __init__(self, limits: Limits, *, exact: bool) -> None:
        self.most = limits.digits
        self.passed = 0
        self.lost = False
        self.repeats: dict[int, dict[str, Any]] = {}
        """The records in which a key stood twice, by their ids: kept, so that no other has one of these."""
        self.fraction = Digits if exact else float

    def pairs(self, pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        made = dict(pairs)
        if len(made) == len(pairs):
            return made
        self.passed += 1
        self.repeats[id(made)] = made
        for name, each in pairs:
            if each.__class__ in _HOLDERS and made[name] is not each:
                self.lost = True  # it may hold some that nobody will come to
        return made

    def constant(self, name: str) -> _UnfitText:
        self.passed += 1
        return _unfit("reading", "a number that JSON has", name, 0)

    def long(self, digits: int) -> _UnfitText:
        self.passed += 1
        return _unfit(
            "size", "a number of at most {most} digits", Phrase("one of {count}", count=f"{digits:,}"), self.most
        )

    def whole(self, digits: str) -> Any:
        length = len(digits.lstrip("-"))
        return self.long(length) if length > self.most else int(digits)

    def number(self, digits: str) -> Any:
        count = sum(map(str.isdigit, digits)) if len(digits) > self.most else 0
        return self.long(count) if count > self.most else self.fraction(digits)

    def read(self, text: str, at: int) -> tuple[Any, int]:
        """The value at an offset, and where it ends. Raises JSONDecodeError."""
        hooks: dict[str, Any] = {"object_pairs_hook": self.pairs, "parse_constant": self.constant}
        counted: dict[str, Any] = {"parse_int": self.whole, "parse_float": self.number}
        if self.most == 4300:
            counted = {} if self.fraction is float else {"parse_float": Digits}
        try:
            return json.JSONDecoder(**hooks, **counted).raw_decode(text, at)
        except json.JSONDecodeError:
            raise
        except ValueError:  # a number with more digits than the interpreter reads
            self.passed = 0
            self.repeats.clear()
            hooks |= {"parse_int": self.whole}
            return json.JSONDecoder(**{**hooks, **counted, "parse_int": self.whole}).raw_decode(text, at)


def read_carefully(text: str, limits: Limits, *, exact: bool = False) -> CarefulReading:
    """Read a JSON text that is not sound, noting what is wrong."""
    told = CarefulReading()
    start = _BLANKS.match(text).end()  # type: ignore[union-attr]
    if start == len(text):
        told.notes.append(TextNote((), Cause("absent", "a JSON value"), None, start))
        return told
    lenient = _Lenient(limits, exact=exact)
    deep = _too_deep_at(text, limits.depth)
    try:
        if deep is not None:
            levels, at = deep
            closing = "".join("}" if level.record else "]" for level in reversed(levels))
            _, end = lenient.read(f"{text[:at]} 0{closing}", start)
            if end < at:  # the value had ended before
                deep = None
        else:
            told.value, end = lenient.read(text, start)
    except (ValueError, RecursionError) as error:
        at = min(getattr(error, "pos", len(text)), len(text) if deep is None else deep[1])
        if lenient.passed:
            _note_passed(text[:at], limits, told)
        told.notes.append(_stopped(text, at))
        return told
    if deep is not None:
        levels, at = deep
        needs = "data at most {most} levels deep"
        path = tuple(level.step for level in levels)
        told.notes.append(TextNote(path, Cause("depth", needs, {"most": limits.depth}, got="deeper data"), None, at))
        return told
    told.whole = True
    if lenient.passed:
        told.value = _noted(told, text, limits, told.value, lenient)
    end = _BLANKS.match(text, end).end()  # type: ignore[union-attr]
    if end < len(text):
        told.whole = False
        told.notes.append(_stopped(text, end))
    return told


def _too_deep_at(text: str, most: int) -> tuple[list[Level], int] | None:
    """The lists and records around the first one that is too deep, and where that begins."""
    if text.count("[") + text.count("{") <= most or not too_deep(text.encode("utf-8", "surrogatepass"), most):
        return None
    levels, at = levels_around(text, len(text), deepest=most)
    return (levels, at) if at < len(text) else None


def _noted(told: CarefulReading, text: str, limits: Limits, value: Any, lenient: _Lenient) -> Any:
    """The value without what does not belong into it, each put down with its place."""
    unfit: list[tuple[Path, Cause]] = []
    repeated: list[Path] = []
    value, more_repeated = _cleaned(value, unfit, repeated, lenient, limits.faults)
    found = places(text, [path for path, _ in unfit[: limits.faults]] + repeated[: limits.faults], repeats=True)
    for path, cause in unfit[: limits.faults]:
        told.notes.append(TextNote(path, cause, None, found.offset(path, False)))
    told.untold += max(0, len(unfit) - limits.faults)
    for path in repeated[: limits.faults]:
        names, more = repeated_keys(text, found.offset(path, False), limits.faults)
        told.notes += [TextNote((*path, name), _NO_REPEAT, name, at) for name, at in names]
        told.untold += more
    told.untold += more_repeated
    told.notes.sort(key=lambda note: note.offset)
    told.untold += max(0, len(told.notes) - limits.faults)
    del told.notes[limits.faults :]
    return value


def _cleaned(
    root: Any, unfit: list[tuple[Path, Cause]], repeated: list[Path], lenient: _Lenient, most: int
) -> tuple[Any, int]:
    """A value in which 0 stands for what is unfit; the paths of that, and of the records in which a key stood twice.

    Of those paths there are at most so many, the first ones; the second result is how many more such records there are.
    """
    if isinstance(root, _UnfitText):
        unfit.append(((), root.cause))
        return 0, 0
    repeats, more = lenient.repeats, 0
    all_repeat = len(repeats) == lenient.passed
    waiting: list[tuple[Path, Any]] = [((), root)] if isinstance(root, list | dict) else []
    while waiting:
        path, holds = waiting.pop()
        if id(holds) in repeats:
            repeated.append(path)
        if all_repeat and len(repeated) >= most:  # past the limit they are only counted
            if not lenient.lost:
                return root, len(repeats) - most
            waiting.append((path, holds))
            return root, _count(waiting, repeats) - 1
        inside = []
        for step, each in list(holds.items()) if holds.__class__ is dict else enumerate(holds):
            kind = each.__class__
            if kind is _UnfitText:
                unfit.append(((*path, step), each.cause))
                holds[step] = 0
            elif kind is list or kind is dict:
                inside.append(((*path, step), each))
        inside.reverse()
        waiting += inside
    more = max(0, len(repeated) - most)
    del repeated[most:]
    return root, more


def _count(waiting: list[tuple[Path, Any]], repeats: Mapping[int, Any]) -> int:
    """How many records in which a key stood twice there are among some values, and inside of them."""
    count = 0
    left = [holds for _, holds in waiting]
    while left:
        holds = left.pop()
        count += id(holds) in repeats
        for each in holds.values() if holds.__class__ is dict else holds:
            kind = each.__class__
            if kind is list or kind is dict:
                left.append(each)
    return count


def _note_passed(text: str, limits: Limits, told: CarefulReading) -> None:
    """Put down what the decoder passed over before it stopped: it is found again by its looks, outside of strings."""
    looks = re.compile(rf'"(?:[^"\\]++|\\.)*+"|(-?Infinity|NaN)|-?[0-9]{{{limits.digits + 1},}}', re.DOTALL)
    for found in looks.finditer(text):
        if found[0][0] == '"':
            continue
        if len(told.notes) >= limits.faults:
            told.untold += 1
            continue
        levels, _ = levels_around(text, found.start())
        path = tuple(level.step for level in levels)
        lenient = _Lenient(limits, exact=False)
        made = lenient.constant(found[0]) if found[1] else lenient.long(len(found[0].lstrip("-")))
        told.notes.append(TextNote(path, made.cause, None, found.start()))


def _stopped(text: str, at: int) -> TextNote:
    """Why reading stopped at an offset: the member that stands there is read by hand."""
    levels, _ = levels_around(text, at)
    reading = _Reading(text, levels)
    try:
        reading.read()
    except _Ended:
        assert reading.note is not None
        return reading.note
    return TextNote(reading.path(), Cause("reading", "a JSON value"), text[at : at + 1], at)


class _Reading:
    """Reads one member after the other of the innermost list or record, until something is wrong."""

    def __init__(self, text: str, levels: list[Level]) -> None:
        self.text = text
        self.levels = levels
        # In a record from one member further back: its key tells where, when the next one has none.
        self.at = (levels[-1].before if levels[-1].record else levels[-1].comma) if levels else 0
        self.first = not levels or self.at == levels[-1].opened
        self.inside = False
        self.note: TextNote | None = None

    def read(self) -> None:
        """Read on, from the last comma before what is wrong."""
        self.skip()
        if not self.levels:
            self.value()
            self.skip()
            self.expect("nothing after the JSON value")
        if self.first:
            self.at += 1
        elif not self.levels[-1].record:
            self.levels[-1].count -= 1  # counted again at the comma
        while self.levels:
            self.next_member(self.levels[-1])

    def path(self) -> Path:
        """Where reading stands."""
        levels = self.levels if self.inside else self.levels[:-1]
        return tuple(level.step for level in levels)

    def next_member(self, level: Level) -> None:
        """Read one member, or close the list or record."""
        close = "}" if level.record else "]"
        self.inside = not self.first
        self.skip()
        letter = self.letter()
        if letter == close:
            self.at += 1
            self.levels.pop()
            self.first, self.inside = False, True
            return
        if not self.first:
            if letter != ",":
                self.expect(f"a comma or {close}")
            self.at += 1
            self.skip()
            if self.letter() == close:
                self.expect(f"another {'key' if level.record else 'item'} after the comma")
            level.count += not level.record
        if level.record:
            self.member_of_record(level)
        else:
            self.inside = True
            self.value()
        self.first = False

    def member_of_record(self, level: Level) -> None:
        if self.letter() != '"':
            self.inside = False
            self.expect("a key in double quotes, or }" if self.first else "a key in double quotes")
        level.key = self.string()
        self.inside = True
        self.skip()
        if self.letter() != ":":
            self.expect("a colon after the key")
        self.at += 1
        self.skip()
        self.value()

    def value(self) -> None:
        """The value that begins here; a list or record in it is sound, or it would be the innermost one."""
        letter = self.letter()
        if letter == '"':
            self.string()
        elif letter in ("{", "["):
            try:
                _, self.at = _skip(self.text, self.at)
            except ValueError:
                self.stop(Cause("reading", "a JSON value"), letter)
        elif letter == "-" or letter.isdigit():
            self.number()
        else:
            self.constant()

    def string(self) -> str:
        start = self.at
        found = _SOUND_START.match(self.text, start)
        assert found is not None
        self.at = found.end()
        letter = self.letter()
        if letter != '"':
            if letter == "\\":
                self.stop(Cause("reading", "an escape that JSON has"), self.text[self.at : self.at + 2])
            self.expect("a closing double quote" if not letter else "control characters as escapes, such as \\n")
        self.at += 1
        read: str = json.loads(self.text[start : self.at])
        return read

    def number(self) -> None:
        found = _NUMBER.match(self.text, self.at)
        if found is None or self.text[found.end() : found.end() + 1].isalnum():
            if _WORD.match(self.text, self.at) is not None:
                return self.constant()
            self.stop(Cause("reading", "a number as JSON writes it"), self.token())
        self.at = found.end()
        return None

    def constant(self) -> None:
        word = _WORD.match(self.text, self.at)
        if word is None:
            self.expect("a JSON value")
        if word[0] in _CONSTANTS or word[0] in _NO_JSON:
            self.at = word.end()
            return
        self.stop(Cause("reading", "a JSON value"), self.token())

    def letter(self) -> str:
        """The letter that stands here, "" at the end."""
        return self.text[self.at : self.at + 1]

    def token(self) -> str:
        """What stands here, up to the next blank or sign."""
        found = _TOKEN.match(self.text, self.at)
        return (found[0] if found else "") or self.letter()

    def skip(self) -> None:
        self.at = _BLANKS.match(self.text, self.at).end()  # type: ignore[union-attr]

    def expect(self, needs: str) -> NoReturn:
        """Stop here, since something else is needed than what stands here."""
        letter = self.letter()
        self.stop(Cause("reading", needs, got=Got.VALUE if letter else _END), letter)

    def stop(self, cause: Cause, given: object) -> NoReturn:
        self.note = TextNote(self.path(), cause, given, self.at)
        raise _Ended
