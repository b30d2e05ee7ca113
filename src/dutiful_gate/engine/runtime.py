"""What generated code leans on while data passes."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from decimal import Decimal
from typing import Any, Final

from ..declare.embedded import Embedded
from ..declare.facts import FAILED, Source, Stop
from ..report.cause import Cause, UnknownKey
from ..report.fault import Fault, Path

RawFault = tuple[Path, Cause, object, object]
"""Path, cause, what came, and what the steps had made of it: a `Fault` before anyone asked for it."""

_COUNT = range(sys.maxsize)

TOO_DEEP: Final = Cause("depth", "lists and records at most {most} deep", got="deeper ones")


class Log:
    """What one pass through the collecting function finds."""

    __slots__ = ("dropped", "excused", "faults", "most", "untold")

    def __init__(self, most: int) -> None:
        self.faults: list[RawFault] = []
        self.dropped: list[Path] = []
        self.excused: list[RawFault] = []
        self.most = most
        self.untold = 0

    def spill(self, start: int) -> None:
        """Keep at most `most` faults from `start` on; the others are only counted."""
        end = start + self.most
        if len(self.faults) > end:
            self.untold += len(self.faults) - end
            del self.faults[end:]

    def excuse(self, start: int, fallback: object) -> object:
        """Take the faults from `start` on as excused, since something stands in for their value."""
        self.excused += self.faults[start:]
        del self.faults[start:]
        return fallback

    def hide(self, start: int) -> None:
        """Show nothing of what came in the faults from `start` on."""
        for at in range(start, len(self.faults)):
            path, cause, _, _ = self.faults[at]
            self.faults[at] = (path, cause.but(secret=True), None, None)

    def told_excused(self) -> list[Fault]:
        """The faults for which something else stands in."""
        return [Fault(*raw) for raw in self.excused]

    def told(self) -> list[Fault]:
        """The faults as a reader gets them."""
        return [Fault(path, cause, given, value) for path, cause, given, value in self.faults]


class StopCauses(dict[Stop, Cause]):
    """The causes at one field for values that could not be read, made when first needed."""

    def __init__(self, base: Cause) -> None:
        super().__init__()
        self.base = base

    def __missing__(self, stop: Stop) -> Cause:
        cause = self[stop] = self.base.of(stop.code, stop.needs)
        return cause


def in_document_order(log: Log, start: int, depth: int, data: Mapping[Any, Any]) -> None:
    """Put a record's faults, from `start` on, in the order in which their keys stand in the data.

    What is about the record itself, and what is absent from it, stands where the record begins: first.
    """
    faults = log.faults
    rank_of = dict(zip(data, _COUNT, strict=False)).get
    ranks = [rank_of(raw[0][depth], -1) if len(raw[0]) > depth else -1 for raw in faults[start:]]
    if ranks != sorted(ranks):
        by_rank = sorted(zip(ranks, range(start, len(faults)), strict=True))
        faults[start:] = [faults[index] for _, index in by_rank]
    if len(faults) > start + log.most:
        log.spill(start)


def insert_late(faults: list[RawFault], start: int, depth: int, rank_of: Mapping[str, int], late: RawFault) -> None:
    """Put a fault that was found late among a record's others, after those of its own field and the ones before."""
    rank = rank_of[late[0][depth]]
    at = len(faults)
    while at > start:
        before = faults[at - 1][0]
        if len(before) <= depth or rank_of.get(before[depth], -1) <= rank or faults[at - 1][1].code == "absent":
            break
        at -= 1
    faults.insert(at, late)


def drop_unknown(data: Mapping[Any, Any], known: frozenset[str], path: Path, log: Log) -> None:
    """Tell which keys nobody declared."""
    log.dropped += [(*path, key) for key in data if key not in known]


def refuse_unknown(data: Mapping[Any, Any], known: frozenset[str], path: Path, log: Log, cause: UnknownKey) -> None:
    """A fault for every key that nobody declared."""
    start = len(log.faults)
    for key in data:
        if key not in known:
            log.faults.append(((*path, key), cause, key, key))
            if len(log.faults) > start + 2 * log.most:
                log.spill(start)


class Unfound:
    """What stands for a field that is absent and has no default."""

    def __repr__(self) -> str:
        return "ABSENT"


ABSENT: Final = Unfound()


def own_fault(base: Cause, error: Exception) -> Cause:
    """The cause of a fault in the words of a function of the developer's own."""
    return base.but(code="check", own_words=escaped_words(str(error)) or None)


def escaped_words(words: str) -> str:
    """Words that are no template: their braces stand for themselves."""
    return words.replace("{", "{{")


def record_fault(base: Cause, path: Path, error: ValueError, wire: Mapping[str, str], record: object) -> RawFault:
    """The fault that a function of the record, or its constructor, told of."""
    at: Path = tuple(getattr(error, "path", ()))
    at = at[1:] if at[:1] == ((),) else at
    if at and at[0] in wire:
        at = (wire[at[0]], *at[1:])
    return (*((*path, *at),), own_fault(base, error), None, None)


Collector = Callable[[Any, Path, Log], Any]


def closest(options: Sequence[Collector], value: object, path: Path, log: Log, cause: Cause) -> Any:
    """The value of the first option that admits it; else the faults of the one that came closest.

    One whose own kind fits is closer than one whose kind does not, and fewer faults are closer than more. Where no
    kind fits, one fault tells of all of them. Of equals, one whose faults are inside it is closer.
    """
    best: tuple[tuple[bool, int, bool], Log] | None = None
    for option in options:
        attempt = Log(log.most)
        read = option(value, path, attempt)
        if read is not FAILED:
            log.dropped += attempt.dropped
            log.excused += attempt.excused
            return read
        misses = any(raw[0] == path and raw[1].code in ("kind", "choice") for raw in attempt.faults)
        outside = any(raw[0] == path for raw in attempt.faults)
        rank = (misses, len(attempt.faults) + attempt.untold, outside)
        if best is None or rank < best[0]:
            best = rank, attempt
    assert best is not None
    (misses, _, _), attempt = best
    if misses:
        log.faults.append((path, cause, value, None))
    else:
        log.faults += attempt.faults
        log.untold += attempt.untold
    return FAILED


def fitting(document: Embedded, data: Any, path: Path, log: Log) -> None:
    """Note what a document beside a type has to say of the data."""
    log.faults += [((*path, *told[0]), *told[1:]) for told in document.told(data)]


def split(text: str, separator: str) -> list[str]:
    """The parts of a text, blanks around each taken off; of a blank text, none."""
    return [part.strip() for part in text.split(separator)] if text.strip() else []


def gathered(data: Mapping[Any, Any], known: frozenset[str]) -> dict[Any, Any]:
    """The keys that nobody declared, with their values."""
    return {key: value for key, value in data.items() if key not in known}


def attributes_of(record: object, names: Iterable[tuple[str, str]]) -> dict[str, object]:
    """A typed record as a mapping from names in the data to values; what was never set is left out."""
    return {wire: getattr(record, name) for name, wire in names if hasattr(record, name)}


def is_blank(value: object) -> bool:
    """Whether a text holds nothing; a list of one such text, as query parsers give it, neither."""
    if value.__class__ is list and len(value) == 1:
        value = value[0]
    return isinstance(value, str) and not value.strip()


def chooser(wire: Sequence[object], values: Sequence[object], source: Source) -> Callable[[object], object]:
    """The function that finds the value for what came, by the equality of JSON: 1 equals 1.0, and not true."""
    pairs = list(zip(wire, values, strict=True))
    if source is Source.NATIVE:
        exact = {(value.__class__, value): value for value in values}

        def choose_native(came: object) -> object:
            try:
                return exact.get((came.__class__, came), FAILED)
            except TypeError:
                return FAILED

        return choose_native

    table: dict[object, object] = {}
    loose: dict[str, object] = {}
    for plain, value in reversed(pairs):
        table[_json_key(plain)] = value
        if source is Source.TEXT and not isinstance(plain, str):
            loose[_as_text(plain)] = value

    def choose(came: object) -> object:
        if source is Source.TEXT:
            if not isinstance(came, str):
                return FAILED
            # Blanks are ignored around numbers and booleans; a text is what it is.
            return table.get((str, came), loose.get(came.strip(), FAILED))
        try:
            return table.get(_json_key(came), FAILED)
        except TypeError:
            return FAILED

    return choose


def tag_chooser(tags: Sequence[Sequence[object]]) -> Callable[[object], int]:
    """The function that finds which option a tag's value belongs to; -1 for none."""
    flat = [(value, at) for at, values in enumerate(tags) for value in values]
    choose = chooser([value for value, _ in flat], [at for _, at in flat], Source.JSON)

    def which(tag: object) -> int:
        found = choose(tag)
        return found if isinstance(found, int) else -1

    return which


def _json_key(plain: object) -> tuple[type, object]:
    if isinstance(plain, bool):
        return bool, plain
    if isinstance(plain, int | float | Decimal):
        return float, plain
    if isinstance(plain, str):
        return str, plain
    return type(plain), plain


def _as_text(plain: object) -> str:
    if plain is None:
        return ""
    return str(plain).lower() if isinstance(plain, bool) else str(plain)
