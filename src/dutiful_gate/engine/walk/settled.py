"""Texts that are in their final form already: what tells that at once."""

from __future__ import annotations

from ...codegen.writer import all_of
from ...declare.facts import Bind
from ...declare.rules import Matches, Rule
from ...declare.rules.pattern import plain_test
from ...declare.steps import Step
from ...shape.final_forms import is_settled


def settled_test(parts: tuple[Step | Rule, ...], value: str, bind: Bind) -> str:
    """The test for a text that all parts leave as it is and admit; "" where no such test is quick.

    Each step must be settled by a rule after it, and one rule must ask for a few ASCII letters or digits.
    """
    conditions = []
    quick = False
    for number, part in enumerate(parts):
        if isinstance(part, Step):
            if not part.normalising or not is_settled(part, parts[number + 1 :]):
                return ""
            continue
        if part.may_raise:
            return ""
        quick = quick or (type(part) is Matches and plain_test(part.pattern, part.flags, value) is not None)
        conditions.append(part.condition(value, bind))
    return all_of(conditions) if quick else ""
