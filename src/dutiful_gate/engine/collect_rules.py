"""What collecting functions do with steps and rules: each in its order, what it says against a value noted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ..declare.facts import Facts
from ..declare.rules import Face, Rule
from ..declare.steps import Step, Then
from ..report.cause import HIDDEN
from .collect_records import RecordWriter


class RuleWriter(RecordWriter):
    """Writes the part of collecting functions that runs steps and rules."""

    def run(self, parts: tuple[Step | Rule, ...], facts: Facts, value: str, given: str, path: str) -> None:
        """Steps and rules in order: rules do not stop one another, a step that fails ends the value."""
        depth = 0
        for part in parts:
            takes = part.takes() if facts.open else None
            if takes is not None:
                with self.block(f"if not {self.bind(takes.fits, 'takes')}({value}):"):
                    self.fault(path, self.cause("kind", self.noun(takes.phrase)), given)
                depth += self._otherwise()
            if isinstance(part, Rule):
                self.rule(part, facts, value, given, path)
                continue
            openly, facts = facts.open, part.suits(facts)
            doing = f"{value} = {part.expression(value, self.bind)}"
            if not part.may_raise and not openly:
                self.write(doing)
                continue
            with self.block("try:"):
                self.write(doing)
            with self.block("except Passing:"):
                self.write("raise")
            if isinstance(part, Then):
                with self.block("except ValueError as error:"):
                    unread = self.cause("check", "a value that can be read")
                    self.fault(path, f"{self.bind(self.words_of, 'own_fault')}({unread}, error)", given)
            else:
                with self.block("except RecursionError:"):
                    self.write("raise")
                with self.block("except Exception:"):
                    cause = self.cause("reading", "a value that {step} can take", expected={"step": str(part)})
                    self.fault(path, cause, given)
            depth += self._otherwise()
        self._indent -= depth

    def _otherwise(self) -> int:
        """What follows is written under an else; gives back by how much that goes in."""
        self.write("else:")
        self._indent += 1
        self.write("pass")
        return 1

    def rule(self, rule: Rule, facts: Facts, value: str, given: str, path: str) -> None:
        """One rule on one value."""
        expected = rule.numbers()
        if self.hidden and rule.tells_values:
            expected = dict.fromkeys(expected, HIDDEN)
        told: dict[str, Any] = {"expected": expected, "own_words": rule.own_words}
        careful = rule.may_raise or facts.open
        looked_at = value
        what = rule.measured(value, self.bind)
        depth = 0
        if what is not None:
            looked_at = self.variable("measured")
            if careful:
                faces = rule.faces(looked_at, facts, self.bind)
                cause = self.cause(faces[-1].code, faces[-1].needs, facts, got=faces[-1].got, **told)
                self._tried(f"{looked_at} = {what}", rule, facts, cause, (path, given, value))
                depth = self._otherwise()
            else:
                self.write(f"{looked_at} = {what}")
        for face in self._faces(rule, looked_at, facts):
            cause = self.cause(face.code, face.needs, facts, got=face.got, **told)
            if not careful or what is not None:
                with self.block(f"if not ({face.condition}):"):
                    self.fault(path, cause, given, value)
                continue
            held = self.variable("held")
            self._tried(f"{held} = {face.condition}", rule, facts, cause, (path, given, value))
            with self.block("else:"), self.block(f"if not {held}:"):
                self.fault(path, cause, given, value)
        self._indent -= depth

    def _tried(self, line: str, rule: Rule, facts: Facts, cause: str, at: tuple[str, str, str]) -> None:
        """A line that may raise: what an own function says in a ValueError is a fault, the rest of its errors pass."""
        path, given, value = at
        with self.block("try:"):
            self.write(line)
        with self.block("except Passing:"):
            self.write("raise")
        with self.block("except ValueError as error:"):
            words = cause if rule.own_words else f"{self.bind(self.words_of, 'own_fault')}({cause}, error)"
            self.fault(path, words, given, value)
        if facts.open:
            with self.block("except RecursionError:"):
                self.write("raise")
            with self.block("except Exception:"):
                self.fault(path, cause, given, value)

    def _faces(self, rule: Rule, value: str, facts: Facts) -> Sequence[Face]:
        faces = rule.faces(value, facts, self.bind)
        if not facts.open or len(faces) != 1:
            return faces
        return [faces[0].but(condition=rule.open_condition(value, self.bind))]
