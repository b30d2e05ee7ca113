"""The rules on a value in words, as manuals, forms and templates tell them."""

from __future__ import annotations

from ..declare.rules import Rule
from ..declare.steps import Step
from ..report.cause import Cause
from ..shape.nodes import Use


def rules_in_words(use: Use) -> list[str]:
    """What is asked of a value, each rule once; nothing of a secret."""
    facts = use.node.facts
    told: dict[str, None] = {}
    for part in use.parts:
        if isinstance(part, Step):
            facts = part.suits(facts)
        elif isinstance(part, Rule):
            for face in part.faces("value", facts, lambda constant, hint: hint):
                if face.code != "size":  # a limit of ours, not a rule of theirs
                    told[Cause(face.code, face.needs, part.numbers(), facts.phrase).wanted] = None
    return [] if use.secret else list(told)
