"""What judging finds: keywords that refuse, annotations, and what of a value has been looked at."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from ...report.cause import Cause
from ...report.fault import Path
from .compiler import Scope
from .library import Subschema


class Route(NamedTuple):
    """The way through the document that judging took, references included: the standard's keywordLocation."""

    before: Route | None
    steps: tuple[str | int, ...]

    def whole(self) -> tuple[str | int, ...]:
        """All steps from the root."""
        parts: list[tuple[str | int, ...]] = []
        at: Route | None = self
        while at is not None:
            parts.append(at.steps)
            at = at.before
        return tuple(step for part in reversed(parts) for step in part)


START = Route(None, ())


def located(cause: Cause, place: tuple[Subschema, tuple[str | int, ...]]) -> Cause:
    """A cause with where its keyword stands in the document."""
    node, words = place
    return cause.but(keyword=node.location(*words), json=True)


class Finding:
    """One keyword that refused one value; `branches` are the findings of each alternative that failed."""

    __slots__ = ("_cause", "_located", "branches", "closest", "given", "path", "place", "route", "value")

    def __init__(
        self,
        path: Path,
        cause: Cause,
        given: Any,
        value: Any,
        route: Route,
        branches: Sequence[list[Finding]] = (),
        place: tuple[Subschema, tuple[str | int, ...]] | None = None,
        *,
        located: bool = False,
    ) -> None:
        self.path = path
        self._cause = cause
        self.place = place
        self._located = located
        self.given = given
        self.value = value
        self.route = route
        self.branches = branches
        # What its closest alternative says, put together once: alternatives inside alternatives share findings.
        self.closest: list[Finding] | None = None

    @property
    def code(self) -> str:
        """The code of its cause."""
        return self._cause.code

    @property
    def is_of_key(self) -> bool:
        """Whether the key is at fault, not the value under it."""
        return self._cause.of_key

    @property
    def cause(self) -> Cause:
        """Why, with the place of the keyword in the document: put together for what is told only."""
        if self.place is not None and not self._located:
            self._cause, self._located = located(self._cause, self.place), True
        return self._cause

    def of_key(self) -> Finding:
        """The same, told of a key: what stands under the key may break the same keyword."""
        cause = self.cause.but(of_key=True)
        return Finding(self.path, cause, self.given, self.value, self.route, self.branches, self.place, located=True)


class Found(list[Finding]):
    """Findings, as many as anyone will look at: no data fills the memory, nor keeps a program busy for minutes.

    Of those past that number one is counted for each item or property that is not sound.
    """

    __slots__ = ("_kept", "_taken", "lost", "most", "noted", "unsure")

    def __init__(self, most: int) -> None:
        super().__init__()
        self.most = most
        self.lost = 0
        self.noted = 0
        self._kept: set[int] = set()
        self._taken: set[int] = set()
        self.unsure: dict[Path, None] = {}

    def note(self, finding: Finding) -> None:
        """One more; one that is here already is not told, nor counted, again."""
        self.noted += 1
        if id(finding) in self._kept:
            return
        if self.is_full:
            self.lost += 1
        else:
            self.append(finding)
            self._kept.add(id(finding))

    def lose(self) -> None:
        """One more of which nothing is told."""
        self.noted += 1
        self.lost += 1

    def take(self, found: Found) -> None:
        """All that was found before by asking the same; it stays remembered while the question lasts."""
        self.unsure.update(found.unsure)
        if id(found) in self._taken:
            self.noted += found.noted
            return
        self._taken.add(id(found))
        for finding in found:
            self.note(finding)
        self.lost += found.lost
        self.noted += found.lost

    @property
    def is_full(self) -> bool:
        """Whether further ones are only counted."""
        return len(self) >= self.most


class Note(NamedTuple):
    """An annotation: what a keyword says of a value that was admitted."""

    path: Path
    route: Route
    location: str
    held: Any


class Evaluated:
    """The properties and items of one value that some keyword looked at.

    `unsure` are the places where a keyword that cannot be used had a say: then the value is neither sound nor unsound.
    `perhaps` tells whether such a keyword may have looked at more.
    """

    __slots__ = ("items", "keys", "perhaps", "unsure")

    def __init__(self) -> None:
        self.keys: set[str] = set()
        self.items: set[int] = set()
        self.perhaps = False
        self.unsure: dict[Path, None] = {}

    def add(self, other: Evaluated) -> None:
        """Take over what a schema beside this one looked at."""
        self.keys |= other.keys
        self.items |= other.items
        self.perhaps |= other.perhaps
        self.unsure.update(other.unsure)


class Question:
    """One question to the teller: what came, where, by which way; and what has been found so far.

    Without `found` it only matters whether the value will do, and judging ends at the first keyword that refuses.
    """

    __slots__ = ("found", "notes", "path", "route", "scope", "value")

    def __init__(
        self,
        value: Any,
        scope: Scope = (),
        path: Path = (),
        route: Route = START,
        found: Found | None = None,
        notes: list[Note] | None = None,
    ) -> None:
        self.value = value
        self.scope = scope
        self.path = path
        self.route = route
        self.found = found
        self.notes = notes

    def inside(self, step: Any, value: Any, *words: str | int) -> Question:
        """The question about an item or a property."""
        return Question(value, self.scope, (*self.path, step), Route(self.route, words), self.found, self.notes)

    def beside(self, *words: str | int, found: Found | None = None, quiet: bool = False) -> Question:
        """The question about the same value to another schema."""
        into = None if quiet else self.found if found is None else found
        return Question(self.value, self.scope, self.path, Route(self.route, words), into, self.notes)


def spoken(findings: list[Finding]) -> list[Finding]:
    """The findings that people are told: of alternatives, those of the one that came closest.

    One whose own kind fits is closer than one whose kind does not; then one whose fixed values do; then fewer faults.
    """
    told: list[Finding] = []
    for finding in findings:
        if finding.branches and finding.closest is None:
            finding.closest = _closest(finding) or [finding]
        closest = finding.closest
        told += [finding] if closest is None else closest
    return told


def _closest(finding: Finding) -> list[Finding] | None:
    ranked: list[tuple[tuple[bool, bool, int], list[Finding]]] = []
    for branch in finding.branches:
        inner = spoken(branch)
        off = any(each.path == finding.path and each.code in ("kind", "choice", "branch") for each in inner)
        tagged = any(
            len(each.path) == len(finding.path) + 1 and each.cause.keyword.endswith(("/const", "/enum"))
            for each in inner
        )
        ranked.append(((off, tagged, len(inner)), inner))
    ranked.sort(key=lambda pair: pair[0])
    return None if not ranked or ranked[0][0][0] else ranked[0][1]
