"""When a later pattern settles what a step could not say."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..declare.rules import Matches, OneOf, Rule
from ..declare.steps import Step, uppered

_SIMPLE = re.compile(r"(?:[A-Z0-9 _/:,;=@#%&~!'\"<>-]|\\[-.+*?/()]|\[[A-Z0-9 _-]+\]|\{[0-9,]+\}|[+*?()|])*")


def settles_capitals(step: Step, later: Sequence[Step | Rule]) -> bool:
    """Whether rules after `uppered` admit only text that it leaves alone, so that nothing is left to say."""
    return step is uppered and any(_only_capitals(part) for part in later)


def _only_capitals(part: Step | Rule) -> bool:
    if isinstance(part, Matches):
        return not part.flags and r"\d" not in part.pattern and bool(_SIMPLE.fullmatch(part.pattern))
    if isinstance(part, OneOf):
        return all(isinstance(choice, str) and choice == choice.upper() for choice in part.choices)
    return False
