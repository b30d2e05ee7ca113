"""Documents followed word for word: what each keyword says of evaluated properties and items, annotations, every fault.

Compiled functions leave to it what depends on what others looked at, what hangs on parts that cannot be used, and data
with more faults than are told one by one.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...declare.equality import LISTS
from ...report.fault import Path
from .causes import Keywords
from .evaluation import AnsweredNo, Evaluation
from .findings import Evaluated, Found, Question, Route
from .keywords import (
    Scope,
    goes_on_beside,
)
from .library import Subschema
from .options import JudgingOptions
from .schema_words import SchemaWords

Judge = Callable[[Any, Scope], bool]


class Interpreter:
    """Judges by interpreting documents."""

    def __init__(self, options: JudgingOptions, keywords: Keywords) -> None:
        self.options = options
        self.keywords = keywords
        self.unsure: frozenset[Subschema] = frozenset()
        self.quick: Callable[[Subschema], Judge] | None = None
        self.library = options.library
        self.memory = options.memory
        self._words: dict[Subschema, SchemaWords] = {}
        self._quick_judges: dict[Subschema, Judge | None] = {}
        self._targets: dict[tuple[Subschema, str], Subschema] = {}

    def target(self, node: Subschema, reference: str) -> Subschema:
        """What a reference leads to, looked up once."""
        found = self._targets.get((node, reference))
        if found is None:
            found = self._targets[node, reference] = self.library.target(node, reference)
        return found

    def words(self, node: Subschema) -> SchemaWords:
        """The keywords of a schema."""
        known = self._words.get(node)
        if known is None:
            known = self._words[node] = SchemaWords(node)
        return known

    def quick_judge(self, node: Subschema) -> Judge | None:
        """What tells quickly which values need no closer look at a schema; None where every one does."""
        try:
            return self._quick_judges[node]
        except KeyError:
            quick = self.quick
            found = None if quick is None or node in self.unsure or not isinstance(node.raw, dict) else quick(node)
            self._quick_judges[node] = found
            return found

    def sound(self, node: Subschema, value: Any, scope: Scope) -> bool:
        """Yes or no, for schemas whose keywords depend on what others looked at."""
        return self.judged(node, Question(value, scope)) is not None

    def tell(self, node: Subschema, value: Any, scope: Scope, path: Path, route: Route, found: Found) -> None:
        """Every fault of a value."""
        self.judged(node, Question(value, scope, path, route, found))

    def judged(self, node: Subschema, ask: Question) -> Evaluated | None:
        """What was looked at when the value is sound, else None; findings and notes go where the question says."""
        memory = self.memory.held
        if memory is not None and ask.notes is not None:
            self.memory.to_note -= 1
            if self.memory.to_note > 0:
                return self._judged(node, ask)
        elif memory is None or not (isinstance(ask.value, (dict, *LISTS)) or goes_on_beside(node)):
            return self._judged(node, ask)
        # Where branches meet, they ask the same again on every level: each is asked once.
        mark = ("told", node, id(ask.value), ask.path, ask.scope, ask.found is None)
        known = memory.get(mark)
        if known is None:
            found = None if ask.found is None else Found(ask.found.most)
            seen = self._judged(node, Question(ask.value, ask.scope, ask.path, ask.route, found))
            known = memory[mark] = (ask.value, seen, found)
        _, seen, found = known
        if ask.found is not None and found is not None:
            ask.found.take(found)
        return seen

    def _judged(self, node: Subschema, ask: Question) -> Evaluated | None:
        mark = len(ask.notes) if ask.notes is not None else 0
        before = ask.found.noted if ask.found is not None else 0
        try:
            seen = Evaluation(self, node, ask).held()
        except AnsweredNo:
            seen = None
        if ask.found is not None and seen is not None:
            ask.found.unsure.update(seen.unsure)
        if ask.found is not None and ask.found.noted > before:
            seen = None
        if seen is None and ask.notes is not None:
            del ask.notes[mark:]
        return seen
