"""What generated code leans on while data passes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from copy import copy
from datetime import date, time
from itertools import starmap
from typing import Any, ClassVar, Final

from ..declare.absent import ABSENT
from ..declare.embedded import Embedded
from ..declare.facts import Stop
from ..declare.sources import FromText
from ..report.cause import HIDDEN, UNREADABLE, Cause, UnknownKey
from ..report.document_order import RawFault
from ..report.fault import Fault, Path
from ..report.shown_values import ALONE, STEADY, fixed

Mark = tuple[str, int]
LEAVES: Final = ALONE
"""The classes of plain values that hold no others."""

TOO_DEEP: Final = Cause("depth", "data at most {most} levels deep", got="deeper data")


class Memory:
    """What quick functions found in data that is tried as one option of a union after the other.

    What failed fails again. What was made for an option that came to nothing is handed to the next one that asks for
    the same, once, so that no two places hold one object. The data is kept, so that its mark stays its own.
    """

    __slots__ = ("failed", "held", "made", "spare")

    def __init__(self) -> None:
        self.failed: dict[Mark, Any] = {}
        self.made: list[tuple[Mark, Any, Any]] = []
        self.spare: dict[Mark, list[Any]] = {}
        self.held: list[Any] = []

    def undone(self, start: int) -> None:
        """What was made from `start` on came to nothing."""
        for mark, data, read in self.made[start:]:
            self.spare.setdefault(mark, []).append(read)
            self.held.append(data)
        del self.made[start:]


class Log:
    """What one pass through the telling function finds.

    `full` while it goes through values of which no fault will be told any more, since as many as may be stand before
    them: then absent fields are counted by `MORE`, and faults need no order. `failing` whether the last record that was
    looked at was unsound: then it is probable that the next one is.
    """

    __slots__ = ("_known", "_memory", "dropped", "failing", "fallbacks", "faults", "full", "most", "untold")
    unjudged: ClassVar[tuple[str, ...]] = ()  # that is for documents which cannot be used in all their parts

    def __init__(self, most: int) -> None:
        self.faults: list[RawFault] = []
        self.dropped: list[Path] = []
        self.fallbacks: list[RawFault] = []
        self.most = most
        self.untold = 0
        self.full = self.failing = False
        self._memory: Memory | None = None
        self._known: dict[Any, tuple[Any, Any, Log]] | None = None

    @property
    def memory(self) -> Memory:
        """Of records that hold themselves: what a quick function gave up."""
        if self._memory is None:
            self._memory = Memory()
        return self._memory

    @property
    def known(self) -> dict[Any, tuple[Any, Any, Log]]:
        """The same: what was found there already."""
        if self._known is None:
            self._known = {}
        return self._known

    def spill(self, start: int) -> None:
        """Keep at most `most` faults from `start` on; the others are only counted."""
        end = start + self.most
        if len(self.faults) > end:
            self.untold += len(self.faults) - end
            del self.faults[end:]

    def excuse(self, start: int, fallback: object) -> object:
        """Take the faults from `start` on as excused, since something stands in; as many are told as the limit lets."""
        if len(self.fallbacks) < self.most:
            self.fallbacks += self.faults[start : start + self.most - len(self.fallbacks)]
        del self.faults[start:]
        return fallback

    def attempt(self) -> Log:
        """A log for one of several tries, which knows what was tried before."""
        made = Log(self.most)
        made._memory, made._known = self.memory, self.known
        return made

    def tried(self, path: Path, read: Any, attempt: Log) -> None:
        """One of several tries is done: noted where somebody asks why."""

    def take(self, other: Log) -> None:
        """All that another log holds, too."""
        self.faults += other.faults
        self.dropped += other.dropped
        self.fallbacks += other.fallbacks[: max(0, self.most - len(self.fallbacks))]
        self.untold += other.untold

    def fix(self) -> None:
        """Let what is told of what came be as it is now: the data may change before somebody reads it."""
        for faults in (self.faults, self.fallbacks) if self.fallbacks else (self.faults,):
            for raw in faults:
                if raw[2].__class__ not in STEADY or raw[3].__class__ not in STEADY:
                    faults[:] = [(path, cause, fixed(given), fixed(value)) for path, cause, given, value in faults]
                    break

    def told_fallbacks(self) -> list[Fault]:
        """The faults for which something else stands in."""
        return [Fault(*raw) for raw in self.fallbacks]

    def told(self) -> list[Fault]:
        """The faults as a reader gets them."""
        return list(starmap(Fault, self.faults))


Collector = Callable[[Any, Path, Log], Any]

MORE: RawFault = ((), UNREADABLE, None, None)
"""One more fault, which nobody will be told of."""


class StopCauses(dict[Stop, Cause]):
    """The causes at one field for values that could not be read, made when first needed."""

    def __init__(self, base: Cause) -> None:
        super().__init__()
        self.base = base

    def __missing__(self, stop: Stop) -> Cause:
        cause = self[stop] = self.base.of(stop.code, stop.needs)
        return cause


def remembered(number: str, read: Collector, data: Any, path: Path, log: Log) -> Any:
    """What a record's function finds, kept for when the same data is read as the same record again."""
    mark = (number, id(data), path)
    known = log.known.get(mark)
    if known is None:
        attempt = log.attempt()
        known = log.known[mark] = (data, read(data, path, attempt), attempt)
    _, value, found = known
    log.take(found)
    return value


def whole_first(faults: list[RawFault], start: int, path: Path) -> None:
    """Put the faults of a list or record, among those from `start` on, before the faults of what is inside it."""
    faults[start:] = sorted(faults[start:], key=lambda raw: raw[0] != path)


def drop_unknown(data: Mapping[Any, Any], known: frozenset[str], path: Path, log: Log) -> None:
    """Tell which keys nobody declared."""
    log.dropped += [(*path, key) for key in data if key not in known]


def drop_unnamed(data: Mapping[Any, Any], known: frozenset[str], path: Path, log: Log) -> None:
    """The same inside a secret: the keys are not told."""
    log.dropped += [(*path, HIDDEN_KEY) for key in data if key not in known]


def refuse_unnamed(data: Mapping[Any, Any], known: frozenset[str], path: Path, log: Log, cause: Cause) -> None:
    """One fault for all keys that nobody declared inside a secret: the keys are not told."""
    if any(key not in known for key in data):
        log.faults.append(((*path, HIDDEN_KEY), cause, None, None))


def refuse_unknown(data: Mapping[Any, Any], known: frozenset[str], path: Path, log: Log, cause: UnknownKey) -> None:
    """A fault for every key that nobody declared."""
    start = len(log.faults)
    for key in data:
        if key not in known:
            log.faults.append(((*path, key), cause, key, key))
            if len(log.faults) > start + 2 * log.most:
                log.spill(start)


HIDDEN_KEY: Final = "(hidden)"
"""What stands in a path for a key that is secret, or inside a secret."""


def note_taken(gathered: Any, wires: Sequence[str], path: Path, log: Log, cause: Cause) -> None:
    """A fault for each key that was gathered and is the name of a field: it would go out in its place."""
    if isinstance(gathered, Mapping):
        log.faults += [((*path, wire), cause, None, None) for wire in wires if wire in gathered]


def note_absent(log: Log, full: bool, at: int, path: Path, cause: Cause) -> int:
    """The fault of a field that is not there, before those of what is: at a place among them. One more of that sort."""
    if full:
        log.faults.append(MORE)
    else:
        log.faults.insert(at, (path, cause, None, None))
    return 1


def own_fault(base: Cause, error: Exception) -> Cause:
    """The cause of a fault in the words of a function of the developer's own."""
    return base.replace(code="check", own_words=escaped_words(str(error)) or None)


def wordless_fault(base: Cause, error: Exception) -> Cause:
    """The same where a secret is at hand: the function's words may quote it."""
    return base.replace(code="check")


def escaped_words(words: str) -> str:
    """Words that are no template: their braces stand for themselves."""
    return words.replace("{", "{{").replace("}", "}}")


def record_fault(
    base: Cause,
    path: Path,
    error: ValueError,
    names: Callable[[Path], Path],
    words: Callable[[Cause, Exception], Cause],
) -> RawFault:
    """The fault that a function of the record, or its constructor, told of."""
    at: Path = tuple(getattr(error, "path", ()))
    at = at[1:] if at[:1] == ((),) else at
    # Beside a secret, what is no field and what follows one may come from the data.
    at = names(at[:1] if words is wordless_fault else at)
    base = base.replace(got=HIDDEN) if words is wordless_fault else base
    return ((*path, *at), words(base, error), None, None)


REREAD: Final = {
    True: frozenset([str, FromText]),
    False: frozenset([str, FromText, int, float, bool, type(None), list, dict]),
}
"""The classes of half-typed values that are split, or read from something else: others are what they are to be."""


def in_json_forms(data: Any) -> Any:
    """Half-typed data as JSON would have it, for a document to judge."""
    if isinstance(data, dict):
        return {name: in_json_forms(held) for name, held in data.items()}
    if isinstance(data, list | tuple):
        return [in_json_forms(held) for held in data]
    if isinstance(data, date | time):  # a date-time is a date
        return data.isoformat()
    return str.__str__(data) if data.__class__ is FromText else data


def fitting(document: Embedded, data: Any, path: Path, log: Log) -> None:
    """Note what a document beside a type has to say of the data."""
    log.faults += [((*path, *told[0]), *told[1:]) for told in document.told(data)]


def fitting_unnamed(document: Embedded, data: Any, path: Path, log: Log, cause: Cause) -> None:
    """The same where a secret is at hand: neither what came is told, nor what the document wants, nor where inside."""
    if not document.sound(data):
        log.faults.append((path, cause, None, None))


def gathered(data: Mapping[Any, Any], known: frozenset[str]) -> dict[Any, Any]:
    """The keys that nobody declared, with their values."""
    return {key: value for key, value in data.items() if key not in known}


def is_record(data: object, in_text: bool) -> bool:
    """Whether something can be taken as a record: a mapping, or in text what headers come in."""
    return isinstance(data, Mapping) or (in_text and hasattr(data, "get_all") and hasattr(data, "keys"))


def opened(data: Any, known: frozenset[str], in_text: bool) -> dict[Any, Any]:
    """A mapping as a dict.

    In text, one that has several values for a key gives all of them, and one whose own look-up ignores case, as that of
    headers does, is asked through it.
    """
    keys = list(dict.fromkeys(data.keys()))
    if not in_text:
        return {key: data[key] for key in keys}
    several = getattr(data, "getlist", None) or getattr(data, "get_all", None) or getattr(data, "getall", None)

    def held(key: Any) -> Any:
        if several is None:
            return data[key]
        values = list(several(key))
        return values[0] if len(values) == 1 else values

    if not _ignores_case(data, keys):
        return {key: held(key) for key in keys}
    made = {wire: held(wire) for wire in sorted(known) if wire in data}
    named = {wire.lower() for wire in made}
    made.update({key: held(key) for key in keys if str(key).lower() not in named})
    return made


def _ignores_case(data: Any, keys: Sequence[Any]) -> bool:
    for key in keys:
        if isinstance(key, str) and (other := key.swapcase()) != key:
            return other in data and other not in keys
    return False


def attributes_of(record: object, names: Iterable[tuple[str, Any]]) -> dict[Any, object]:
    """A typed record as a mapping from keys in the data to values; what was never set, or is absent, is left out."""
    return {wire: held for name, wire in names if (held := getattr(record, name, ABSENT)) is not ABSENT}


def remade(record: Any, names: Sequence[str], values: Sequence[Any]) -> Any:
    """A copy of a typed record, with values in its declared fields.

    It stays of its class, keeps what else it holds, and its constructor does not run again.
    """
    if isinstance(record, tuple):
        return record._replace(**dict(zip(names, values, strict=True)))  # type: ignore[attr-defined]
    made = copy(record)
    for name, value in zip(names, values, strict=True):
        if value is not ABSENT:
            object.__setattr__(made, name, value)
    return made


def under_one_name(data: dict[Any, Any], wire: str, also: Sequence[str]) -> dict[Any, Any] | None:
    """The data with a field under its own name that came under another; None where it came under several."""
    came = [name for name in (wire, *also) if name in data]
    if len(came) > 1:
        return None
    if came in ([], [wire]):
        return data
    return {wire if name == came[0] else name: held for name, held in data.items()}


def by_own_name(
    data: dict[Any, Any], wire: str, also: Sequence[str], sent: dict[str, Any]
) -> tuple[dict[Any, Any], bool]:
    """The data with a field under its own name, at the place of the first name it came under; and whether of several.

    `sent` is told under which name it came.
    """
    came = [name for name in data if name == wire or name in also]
    if came in ([], [wire]):
        return data, False
    sent[wire] = came[0]
    more = frozenset(came[1:])
    return {wire if name == came[0] else name: held for name, held in data.items() if name not in more}, bool(more)


def as_sent(log: Log, start: tuple[int, int, int], depth: int, sent: Mapping[str, Any]) -> None:
    """Let all that was told of a record since `start` stand under the names that were sent."""

    def told(path: Path) -> Path:
        return (
            (*path[:depth], sent[path[depth]], *path[depth + 1 :])
            if len(path) > depth and path[depth] in sent
            else path
        )

    for faults, first in ((log.faults, start[0]), (log.fallbacks, start[1])):
        faults[first:] = [(told(raw[0]), *raw[1:]) for raw in faults[first:]]
    log.dropped[start[2] :] = map(told, log.dropped[start[2] :])
