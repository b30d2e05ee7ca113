"""The rules on a value in words, as manuals, forms and templates tell them."""

from __future__ import annotations

from ..declare.rules import Length, Matches
from ..declare.rules.format import OfFormat
from ..declare.steps import Step
from ..report.cause import Cause
from ..shape.uses import Use


def rules_in_words(use: Use, *, of_secrets: bool = False) -> list[str]:
    """What is asked of a value, each rule once; nothing of a secret, or `of_secrets` its length and its form."""
    if use.secret and not of_secrets:
        return []
    facts = use.node.facts
    told: dict[str, None] = {}
    for part in use.parts:
        if isinstance(part, Step):
            facts = part.suits(facts)
        elif not use.secret or isinstance(part, Length | Matches | OfFormat):
            for face in part.faces("value", facts, lambda constant, hint: hint):
                if face.code != "size":  # a limit of ours, not a rule of theirs
                    told[Cause(face.code, face.needs, part.numbers(), facts.phrase).wanted] = None
    return list(told)
