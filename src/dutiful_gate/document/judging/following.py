"""One value followed through a document: which schemas look at it, and what each of their keywords answers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from ...declare.json_pointer import below
from ...report.fault import Path
from .findings import Finding, Found, KeywordNote, Question
from .interpreter import Interpreter
from .keywords import Scope, active
from .library import Subschema
from .schema_words import has_a_say


class Look(NamedTuple):
    """One schema that looked at a value.

    `place`     where the schema stands, as a JSON Pointer in its document
    `keywords`  each keyword that has a say on such a value: its name, what it holds, and whether it holds
    `sound`     whether the value is sound by the schema as a whole
    """

    place: str
    keywords: tuple[tuple[str, Any, bool], ...]
    sound: bool


class Follower(Interpreter):
    """An interpreter that keeps which schemas looked at the value at one path."""

    def __init__(self, interpreter: Interpreter, path: Path) -> None:
        super().__init__(interpreter.options, interpreter.keywords)
        self.unsure = interpreter.unsure
        self.path = path
        self.looked: dict[tuple[Subschema, Scope], None] = {}

    def judged(self, node: Subschema, ask: Question) -> Any:
        """The same as without a follower; what looks for itself alone, as `not` and `contains` do, has no notes."""
        if ask.path == self.path and ask.notes is not None:
            self.looked.setdefault((node, ask.scope))
        return super().judged(node, ask)

    def looks(self, root: Subschema, data: Any, value: Any, most: int) -> Iterator[Look]:
        """The schemas that look at the value, in the order in which they do."""
        notes: list[KeywordNote] = []
        self.judged(root, Question(data, found=Found(most), notes=notes))
        plain = Interpreter(self.options, self.keywords)
        plain.unsure = self.unsure
        for node, scope in [*self.looked]:
            found = Found(most)
            seen = plain.judged(node, Question(value, scope, self.path, None, found))
            sound = seen is not None and not found
            if not isinstance(node.raw, dict):
                yield Look(node.pointer, (("the schema", node.raw, sound),), sound)
                continue
            failed = _words_of(found, node)
            words = [(word, held) for word, held in active(node).items() if has_a_say(word, value)]
            yield Look(node.pointer, tuple((word, held, word not in failed) for word, held in words), sound)


def _words_of(found: Sequence[Finding], node: Subschema) -> set[str]:
    """The keywords of a schema that refuse, by themselves or by a schema that they hold."""
    failed = set()
    for finding in found:
        if finding.keyword.node is node:
            failed.add(str(finding.keyword.steps[0] if finding.keyword.steps else finding.keyword.says))
        elif finding.route:
            failed.add(str(finding.route[0]))
    return failed


def value_at(data: Any, steps: Sequence[str]) -> tuple[Path, Any, str | None]:
    """The path and the value at a pointer's steps; with the step under which nothing stands, if there is one."""
    path: Path = ()
    for step in steps:
        found = below(data, step)
        if found is None:
            return path, data, step
        path, data = (*path, found[0]), found[1]
    return path, data, None
