"""What a tracing function notes on the way to one value."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final, NamedTuple

from ..declare.facts import Stop
from ..report.cause import HIDDEN, Cause
from ..report.fault import Fault, Path, dotted, written_step
from ..report.shown_values import shown
from .runtime import HIDDEN_KEY, Log

_LONG: Final = 200


def short(text: str) -> str:
    """Text that is no longer than a line or two."""
    return text if len(text) <= _LONG else f"{text[: _LONG - 1]}…"


class Passed(NamedTuple):
    """One thing that happened at a path: its sort, in words, and whether it went well; None where nothing is asked.

    `about` are the keys of a record that a rule of it mentions.
    """

    path: Path
    what: str
    words: str
    holds: bool | None = None
    about: tuple[str, ...] = ()


class TracedRecord(NamedTuple):
    """A record on the way: its name, the keys that it declares, and whether it refuses others; where it gathers them,
    what tells which of its fields gathers a key."""

    name: str
    wires: tuple[str, ...]
    refuses: bool
    gathers: Callable[[Any], str | None] | None = None


class Way:
    """The way to a value, by the steps of a JSON Pointer.

    `steps` are as the declaration calls them, once a record on the way has told; `sent` the names that were sent in the
    place of some.
    """

    __slots__ = ("sent", "steps")

    def __init__(self, steps: tuple[str, ...]) -> None:
        self.steps = list(steps)
        self.sent: dict[int, str] = {}

    def leads(self, path: Path) -> bool:
        """Whether a path is on the way, or at its end."""
        if len(path) > len(self.steps):
            return False
        pairs = zip(path, self.steps, strict=False)
        return all(step == HIDDEN_KEY or written_step(step) == wanted for step, wanted in pairs)


class TraceLog(Log):
    """A log that also notes what the values on the way to one pass."""

    __slots__ = ("_hides_options", "_options", "expected", "passed_stages", "records", "way")

    def __init__(self, most: int, way: Way) -> None:
        super().__init__(most)
        self.way = way
        self.passed_stages: list[Passed] = []
        self.records: list[tuple[Path, TracedRecord, frozenset[Any]]] = []
        self.expected: dict[Path, str] = {}
        # What the options are called that are tried next: each is tried with a log of its own, which has its own.
        self._options: list[str] = []
        self._hides_options = False

    def attempt(self) -> Log:
        """One for a try: what it notes counts where the try does."""
        made = TraceLog(self.most, self.way)
        made._memory, made._known = self.memory, self.known
        return made

    def take(self, other: Log) -> None:
        """All that another log holds, too."""
        super().take(other)
        if isinstance(other, TraceLog):
            self.passed_stages += other.passed_stages
            self.records += other.records
            self.expected |= other.expected

    def note(self, path: Path, what: str, words: str, holds: bool | None = None, about: tuple[str, ...] = ()) -> None:
        """One thing."""
        if self.way.leads(path):
            self.passed_stages.append(Passed(path, what, words, holds, about))

    # What tracing functions call

    def passed(self, path: Path, what: str, words: str, holds: bool | None, *made: Any) -> None:
        """A stage, with what was made there, and whether that is told in words already."""
        if made and self.way.leads(path):
            words = f"{words}: {made[0] if len(made) > 1 else short(shown(made[0]))}"
        self.note(path, what, words, holds)

    def came(self, path: Path, phrase: str, value: Any, hidden: bool) -> None:
        """What came where something is expected."""
        if self.way.leads(path):
            first = path not in self.expected
            self.expected[path] = phrase
            if first:
                self.note(path, "came", value if hidden else short(shown(value)))

    def read(self, path: Path, words: str, given: Any, value: Any, hidden: bool) -> None:
        """What was read of what came, where it is another value."""
        if value is not given and self.way.leads(path) and not hidden:
            words = f"{words}: {short(shown(value))}"
        self.note(path, "read", words, True)

    def unread(self, path: Path, what: str, cause: Cause) -> None:
        """It could not be read."""
        if self.way.leads(path):
            self.note(path, what, f"needs {cause.wanted}", False)

    def read_whole(self, path: Path, words: str, count: int, since: int | None = None) -> None:
        """A collection or record, with the faults inside of it; told before what was noted since it was begun."""
        if count:
            words = f"{words}: {count} fault{'s' if count > 1 else ''} inside"
        if self.way.leads(path):
            at = len(self.passed_stages) if since is None else since
            self.passed_stages.insert(at, Passed(path, "read", words, not count))

    def stepped(self, path: Path, words: str, before: Any, value: Any, hidden: bool) -> None:
        """What a step made."""
        if self.way.leads(path):
            same = value is before or (type(value) is type(before) and value == before)
            made = "as it was" if same else HIDDEN if hidden else short(shown(value))
            self.note(path, "step", f"{words}: {made}")

    def trying(self, phrases: tuple[str, ...], hidden: bool) -> None:
        """Options are tried next, in this order."""
        self._options, self._hides_options = list(phrases), hidden

    def tried(self, path: Path, read: Any, attempt: Log) -> None:
        """One of them is done."""
        phrase = self._options.pop(0)
        sound = read.__class__ is not Stop
        first = None if sound else next(iter(attempt.faults), None)
        if first is None:
            why = ""
        elif self._hides_options:
            why = ": has a fault"
        else:
            fault = Fault(*first)
            inner = fault.path[len(path) :]
            why = f": {dotted(inner)} {fault.message}" if inner else f": {fault.message}"
        self.note(path, "branch", f"{phrase}{why}", sound)

    def tagged(self, path: Path, name: str, tag: Any, phrase: str, holds: bool, hidden: bool) -> None:
        """The tag of a union, and the option that it stands for."""
        if self.way.leads(path):
            self.note(path, "union", f"{name} is {tag if hidden else short(shown(tag))}: {phrase}", holds)

    def opened(self, path: Path, record: TracedRecord, data: Mapping[Any, Any]) -> None:
        """A record is read."""
        if self.way.leads(path):
            self.records.append((path, record, frozenset(data)))

    def field(self, path: Path, wire: str, names: frozenset[str], words: str, data: Mapping[Any, Any]) -> None:
        """A field of it is read, which may come by some names."""
        steps, at = self.way.steps, len(path)
        if at < len(steps) and steps[at] in names and self.way.leads(path):
            if steps[at] != wire:
                if steps[at] in data:
                    self.way.sent[at] = steps[at]
                steps[at] = wire
            self.note((*path, wire), "field", words)

    def excused(self, path: Path, value: Any, hidden: bool) -> None:
        """What stands in for a value that was refused."""
        if self.way.leads(path):
            self.note(path, "otherwise", f"{value if hidden else short(shown(value))} stands in", True)

    def stands_in(self, path: Path, value: Any, hidden: bool) -> None:
        """A default, for a field that did not come."""
        if self.way.leads(path):
            self.note(path, "absent", f"nothing came: {value if hidden else short(shown(value))} stands in", True)

    def ruled(self, path: Path, told: tuple[str, tuple[str, ...], bool], sound: tuple[bool, ...], holds: bool) -> None:
        """A rule between fields: its words, the keys that it mentions, and whether it is of the whole record."""
        words, wires, of_whole = told
        if not self.way.leads(path):
            return
        wanting = sorted(wire for wire, is_sound in zip(wires, sound, strict=False) if not is_sound)
        if wanting:
            self.note(path, "rule", f"{words}: not asked, for want of {', '.join(wanting)}", None, wires)
            return
        steps, at = self.way.steps, len(path)
        elsewhere = not holds and not of_whole and at < len(steps) and steps[at] != wires[0]
        self.note(path, "rule", f"{words}, told at {wires[0]}" if elsewhere else words, holds, wires)

    def checked(self, path: Path, words: str, broken: bool) -> bool:
        """A function of a record has answered; the answer goes on."""
        self.note(path, "check", words, not broken)
        return broken

    def unasked(self, path: Path, checks: tuple[str, ...]) -> None:
        """There were faults before the functions of a record."""
        for words in checks:
            self.note(path, "check", f"{words}: not asked, since there are faults before it")
