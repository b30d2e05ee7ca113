"""What judging finds: keywords that refuse, annotations, and what of a value has been looked at."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from ...declare.facts import FoundLater
from ...report.cause import Cause
from ...report.fault import Path
from .causes import Keyword
from .keywords import Scope

Steps = tuple[str | int, ...]
Route = tuple[Any, Steps] | None
"""The way through the document that judging took, references included: the way before, and the last steps."""


def whole(route: Route) -> Steps:
    """All steps of a way from the root: the standard's keywordLocation."""
    parts: list[Steps] = []
    while route is not None:
        route, steps = route
        parts.append(steps)
    return tuple(step for part in reversed(parts) for step in part)


class Finding:
    """One keyword that refused one value; `branches` are the findings of each alternative that failed.

    `got` stands in for what is told of the value that came; `of_key` tells that the key is at fault.
    """

    __slots__ = ("branches", "closest", "given", "got", "keyword", "of_key", "path", "road")

    def __init__(
        self,
        path: Path,
        keyword: Keyword,
        given: Any,
        road: Route,
        branches: Sequence[list[Finding]] = (),
        got: str | None = None,
        *,
        of_key: bool = False,
    ) -> None:
        self.path = path
        self.keyword = keyword
        self.given = given
        self.road = road
        self.branches = branches
        self.got = got
        self.of_key = of_key
        # What its closest alternative says, put together once: alternatives inside alternatives share findings.
        self.closest: list[Finding] | None = None

    @property
    def is_of_key(self) -> bool:
        """Whether the key is at fault, not the value under it."""
        return self.of_key or self.keyword.cause.of_key

    def look_closer(self) -> None:
        """Tell what can be told only while what came is at hand."""
        if self.got is None and isinstance(self.keyword.cause.got, FoundLater):
            self.got = self.keyword.cause.got.found(self.given)

    @property
    def cause(self) -> Cause:
        """Why, with the place of the keyword in the document."""
        cause = self.keyword.cause
        if self.of_key:
            cause = cause.replace(of_key=True)
        return cause if self.got is None else cause.replace(got=self.got)

    @property
    def route(self) -> Steps:
        """The way to the keyword."""
        return whole((self.road, self.keyword.steps))

    def told_of_key(self) -> Finding:
        """The same, told of a key: what stands under the key may break the same keyword."""
        return Finding(self.path, self.keyword, self.given, self.road, self.branches, self.got, of_key=True)


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


class KeywordNote(NamedTuple):
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
        route: Route = None,
        found: Found | None = None,
        notes: list[KeywordNote] | None = None,
    ) -> None:
        self.value = value
        self.scope = scope
        self.path = path
        self.route = route
        self.found = found
        self.notes = notes

    def inside(self, step: Any, value: Any, *words: str | int) -> Question:
        """The question about an item or a property."""
        return Question(value, self.scope, (*self.path, step), (self.route, words), self.found, self.notes)

    def beside(self, *words: str | int, found: Found | None = None, quiet: bool = False) -> Question:
        """The question about the same value to another schema."""
        into = None if quiet else self.found if found is None else found
        return Question(self.value, self.scope, self.path, (self.route, words), into, self.notes)


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
        off = any(
            each.path == finding.path and each.keyword.cause.code in ("kind", "choice", "branch") for each in inner
        )
        tagged = any(
            len(each.path) == len(finding.path) + 1 and each.keyword.says in ("const", "enum") for each in inner
        )
        ranked.append(((off, tagged, len(inner)), inner))
    ranked.sort(key=lambda pair: pair[0])
    return None if not ranked or ranked[0][0][0] else ranked[0][1]
