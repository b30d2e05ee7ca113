"""Where values stand in a JSON text, found without reading more of it than must be."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from ..report.fault import Path

_STRING = r'"(?:[^"\\]++|\\.)*+"'
_SCALAR = rf'(?:{_STRING}|[^\s",:\[\]{{}}]++)'
_BLANKS = re.compile(r"[ \t\n\r]*+")
_KEY = re.compile(rf"({_STRING})[ \t\n\r]*+:[ \t\n\r]*+", re.DOTALL)
_BLANK = " \t\n\r"
_COLON = re.compile(r"[ \t\n\r]*+:[ \t\n\r]*+")
_SIMPLE = re.compile(rf"{_SCALAR}[ \t\n\r]*+,[ \t\n\r]*+", re.DOTALL)
# Lists and records that hold no others are passed over whole, and so are such as hold a few levels of others.
_INNER = rf'(?:[^"\[\]{{}}]++|{_STRING})*+'
_FLAT = rf"(?:\[{_INNER}\]|\{{{_INNER}\}})"
_LEVELS = 3


def _nested(levels: int) -> str:
    inner = _FLAT
    for _ in range(levels - 1):
        held = rf'(?:[^"\[\]{{}}]++|{_STRING}|{inner})*+'
        inner = rf"(?:\[{held}\]|\{{{held}\}})"
    return inner


_BULKS = tuple(
    (count, re.compile(rf"(?:(?:{_SCALAR}|{_nested(_LEVELS)})[ \t\n\r]*+,[ \t\n\r]*+){{{count}}}", re.DOTALL))
    for count in (4096, 256, 16)
)
_FEW = _BULKS[-1][0]
_LOOKED_THROUGH = 2**18
"""So many characters are looked through for keys, and the text a few times over."""
_RUN = re.compile(rf'(?:[^"\[\]{{}}]++|{_STRING}|{_FLAT})*+', re.DOTALL)
_STRICT = re.compile(_INNER, re.DOTALL)
_TO_LAST_COMMA = re.compile(rf'(?:(?:[^",\[\]{{}}]++|{_STRING}|{_FLAT})*+,)*+', re.DOTALL)
_LAST_KEY = re.compile(rf"[{{ \t\n\r]*+({_STRING})[ \t\n\r]*+:", re.DOTALL)
_CLOSED = re.compile(rf"{_STRING}|{_FLAT}", re.DOTALL)
# Whole numbers as floats: the interpreter refuses to read those of too many digits.
_skip = json.JSONDecoder(parse_int=float).raw_decode


class Places:
    """The offsets of values and keys, by path."""

    __slots__ = ("keys", "values")

    def __init__(self) -> None:
        self.keys: dict[Path, int] = {}
        self.values: dict[Path, int] = {}

    def offset(self, path: Path, of_key: bool) -> int:
        """Where a path stands, or else the nearest thing around it that is there."""
        if of_key and path in self.keys:
            return self.keys[path]
        while path and path not in self.values:
            path = path[:-1]
        return self.values.get(path, 0)


def _branching(paths: Iterable[Path]) -> dict[Any, Any]:
    """Paths as a tree: under each step those that go on from it."""
    wanted: dict[Any, Any] = {}
    for path in paths:
        branch = wanted
        for step in path:
            branch = branch.setdefault(step, {})
    return wanted


def places_in(text: str, paths: Iterable[Path], data: Any) -> Places:
    """The offsets of paths, and of all that is around them, in a text that was decoded to `data`, no key twice.

    Which keys a record has is known then. Where no backslash is in the text, a key stands there as it is: of those that
    stand once in the text of a record, nothing before them has to be read.
    """
    paths = list(paths)
    if find_natively is not None and (told := _natively(text, paths)) is not None:
        return told
    found = None if "\\" in text else _by_keys(text, paths, data)
    return places(text, paths, repeats=False) if found is None else found


find_natively: Callable[[str, dict[Any, Any], int], tuple[dict[Path, int], dict[Path, int]] | None] | None = None
"""What the native core finds places by, where it is there: told by the front door."""


def _natively(text: str, paths: list[Path]) -> Places | None:
    """The same, found natively; None where that cannot tell."""
    wanted: dict[Any, Any] = {}
    count = 1
    for path in paths:
        branch = wanted
        for step in path:
            if step not in branch:
                branch[step] = {}
                count += 1
            branch = branch[step]
    told = find_natively(text, wanted, count) if find_natively is not None else None
    if told is None:
        return None
    found = Places()
    found.values, found.keys = told
    return found


def _by_keys(text: str, paths: Iterable[Path], data: Any) -> Places | None:
    """The same, each key by itself; None where one stands in its record several times, or it would cost too much."""
    found = Places()
    start = _BLANKS.match(text).end()  # type: ignore[union-attr]
    left = _LOOKED_THROUGH + 4 * len(text)
    spots: dict[Path, tuple[int, int, Any]] = {(): (start, len(text), data)}
    latest: dict[Path, tuple[int, int]] = {}
    found.values[()] = start
    for path in paths:
        at, end, held = spots[()]
        for depth, step in enumerate(path, 1):
            way = path[:depth]
            spot = spots.get(way)
            if spot is None:
                ends = end
                if held.__class__ is dict:
                    if step not in held:
                        break
                    left -= end - at
                    member = _member(text, at, end, step) if left >= 0 else None
                    if member is None:
                        return None
                    found.keys[way], after = member
                elif held.__class__ is list and step.__class__ is int and 0 <= step < len(held):
                    before, offset = latest.get(way[:-1], (0, -1))
                    if step < before:
                        return None
                    if offset < 0:
                        offset = _BLANKS.match(text, at + 1).end()  # type: ignore[union-attr]
                    after = _skip_items(text, offset, step - before)  # type: ignore[assignment]
                    latest[way[:-1]] = step, after
                    if held[step].__class__ in (dict, list):  # those of a list have the same keys: each ends for itself
                        ends = _skip(text, after)[1]
                    left -= (ends if ends != end else after) - offset
                    if left < 0:
                        return None
                else:
                    break
                found.values[way] = after
                spot = spots[way] = (after, ends, held[step])
            at, end, held = spot
    return found


def _member(text: str, at: int, end: int, name: str) -> tuple[int, int] | None:
    """Where a key of the record at an offset stands, and its value; None where the text has it several times."""
    key = f'"{name}"'
    start = text.find(key, at, end)
    after = start + len(key)
    if start < 0 or text.find(key, after, end) >= 0:
        return None
    if text.startswith(": ", after) and text[after + 2] not in _BLANK:  # as encoders write it
        return start, after + 2
    colon = _COLON.match(text, after)
    return None if colon is None else (start, colon.end())


def places(text: str, paths: Iterable[Path], *, repeats: bool) -> Places:
    """The offsets of paths, and of all that is around them, in a text that can be read to its end.

    Only what the paths lead through is looked into, and nothing behind the last of them. With `repeats`, keys may stand
    twice: then the last one counts, as it does for the value.
    """
    found = Places()
    start = _BLANKS.match(text).end()  # type: ignore[union-attr]
    waiting = [((), start, _branching(paths))]
    while waiting:
        path, at, branch = waiting.pop()
        found.values[path] = at
        if not branch:
            continue
        if text.startswith("[", at):
            waiting += _in_array(text, at, path, branch)
        elif text.startswith("{", at):
            waiting += _in_object(text, at, path, branch, found, repeats=repeats)
    return found


def _in_array(text: str, at: int, path: Path, branch: dict[Any, Any]) -> list[tuple[Path, int, dict[Any, Any]]]:
    """The items of a list that are asked for: path, offset, and what is asked for inside."""
    following = []
    at = _BLANKS.match(text, at + 1).end()  # type: ignore[union-attr]
    number = 0
    for index in sorted(step for step in branch if isinstance(step, int)):
        skipped = _skip_items(text, at, index - number)
        if skipped is None:
            break
        at, number = skipped, index
        following.append(((*path, index), at, branch[index]))
    return following


def _skip_items(text: str, at: int, count: int) -> int | None:
    """The offset of the item that stands so many further on; None where the list ends before."""
    sizes = list(_BULKS) if count >= _FEW else []
    while count:
        while sizes:
            size, bulk = sizes[0]
            found = bulk.match(text, at) if size <= count else None
            if found is None:
                del sizes[0]  # until what stands in the way is behind: nothing is read over and over
                continue
            at, count = found.end(), count - size
        for _ in range(min(count, 16)):
            at = _after(text, at)
            if not text.startswith(",", at):
                return None
            at = _BLANKS.match(text, at + 1).end()  # type: ignore[union-attr]
            count -= 1
        sizes = list(_BULKS) if count else sizes
    return at


def _name(raw: str) -> str:
    """The key that stands in quotes; one that is none is taken as it stands."""
    if "\\" not in raw:
        return raw[1:-1]
    try:
        return str(json.loads(raw))
    except ValueError:
        return raw[1:-1]


def _after(text: str, at: int) -> int:
    """The offset after a value, and the blanks behind it."""
    _, end = _skip(text, at)
    return _BLANKS.match(text, end).end()  # type: ignore[union-attr]


def _in_object(
    text: str, at: int, path: Path, branch: dict[Any, Any], found: Places, *, repeats: bool
) -> list[tuple[Path, int, dict[Any, Any]]]:
    """The members of a record that are asked for."""
    following: dict[Any, tuple[Path, int, dict[Any, Any]]] = {}
    for name, offset, value in _members(text, at):
        if name in branch:
            inner = (*path, name)
            found.keys[inner] = offset
            following[name] = (inner, value, branch[name])
            if len(following) == len(branch) and not repeats:
                break
    return list(following.values())


def _members(text: str, at: int) -> Iterator[tuple[str, int, int]]:
    """The keys of the record at an offset, each with its own offset and that of its value."""
    at = _BLANKS.match(text, at + 1).end()  # type: ignore[union-attr]
    while (key := _KEY.match(text, at)) is not None:
        yield _name(key[1]), at, key.end()
        simple = _SIMPLE.match(text, key.end())
        if simple is not None:
            at = simple.end()
            continue
        at = _after(text, key.end())
        if not text.startswith(",", at):
            return
        at = _BLANKS.match(text, at + 1).end()  # type: ignore[union-attr]


def repeated_keys(text: str, at: int, most: int) -> tuple[list[tuple[str, int]], int]:
    """The keys of the record at an offset that stand there again, each with its offset: at most so many; and how many
    more there are."""
    seen: set[str] = set()
    told: list[tuple[str, int]] = []
    more = 0
    for name, offset, _ in _members(text, at):
        if name not in seen:
            seen.add(name)
        elif len(told) < most:
            told.append((name, offset))
        else:
            more += 1
    return told, more


class Level:
    """One list or record around an offset: where it begins, how many members stand before, and where the last begins.

    `comma` is the offset of the comma before that member, or of the opening bracket where there is none; `before` is
    that of the member before it.
    """

    __slots__ = ("before", "comma", "count", "key", "opened", "record")

    def __init__(self, opened: int, *, record: bool) -> None:
        self.opened = self.comma = self.before = opened
        self.record = record
        self.count = 0
        self.key = ""

    @property
    def step(self) -> Any:
        """What leads on from here: the key, or the number, of the member that is being read."""
        return self.key if self.record else self.count


def levels_around(text: str, end: int, *, deepest: int | None = None) -> tuple[list[Level], int]:
    """The lists and records that are open at an offset, from the outermost in, and the offset itself.

    With `deepest`, the search ends before the first that would be one too many.
    """
    levels: list[Level] = []
    at = 0
    while True:
        # At the limit every bracket counts: nothing is passed over there.
        piece = _STRICT if deepest is not None and len(levels) >= deepest else _RUN
        run = piece.match(text, at, end)
        assert run is not None
        stop = run.end()
        if levels:
            _through(text, at, stop, levels[-1])
        if stop >= end or text[stop] == '"':
            return levels, end
        if text[stop] in "[{":
            if deepest is not None and len(levels) >= deepest:
                return levels, stop
            levels.append(Level(stop, record=text[stop] == "{"))
        elif levels:
            levels.pop()
        at = stop + 1


def _through(text: str, at: int, stop: int, level: Level) -> None:
    """Take in a run without brackets: its commas, and its last key."""
    run = text[at:stop]
    if "," in run:
        last = _TO_LAST_COMMA.match(text, at, stop).end() - 1  # type: ignore[union-attr]
        if last >= at:
            level.count += _CLOSED.sub("", run).count(",")
            earlier = _TO_LAST_COMMA.match(text, at, last).end() - 1  # type: ignore[union-attr]
            level.before, level.comma = earlier if earlier >= at else level.comma, last
            at = last + 1
    if level.record and (key := _LAST_KEY.match(text, at, stop)) is not None:
        level.key = _name(key[1])
