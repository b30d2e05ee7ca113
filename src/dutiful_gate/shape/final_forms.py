"""Final forms: what a later pattern settles, which rules a later step leaves true, and what goes out as it came."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence

from ..declare.rules import Matches, OneOf, Rule
from ..declare.steps import Step, lowered, squeezed, trimmed, uppered
from .nodes import Alias, Link
from .uses import Use
from .walk import every

# Patterns of a simple kind only: literals, plain classes, groups, quantifiers. Anything else settles nothing.
_CAPITALS = re.compile(r"(?:[A-Z0-9 _/:,;=@#%&~!'\"<>-]|\\[-.+*?/()d]|\[[A-Z0-9 _-]+\]|\{[0-9,]+\}|[+*?()|])*")
_SMALLS = re.compile(r"(?:[a-z0-9 _/:,;=@#%&~!'\"<>-]|\\[-.+*?/()d]|\[[a-z0-9 _-]+\]|\{[0-9,]+\}|[+*?()|])*")
_NO_BLANKS = re.compile(r"(?:[A-Za-z0-9_/:,;=@#%&~!'\"<>-]|\\[-.+*?/()dw]|\[[A-Za-z0-9_-]+\]|\{[0-9,]+\}|[+*?()|])*")

_FINAL: dict[Step, tuple[re.Pattern[str], Callable[[str], str]]] = {
    uppered: (_CAPITALS, str.upper),
    lowered: (_SMALLS, str.lower),
    squeezed: (_NO_BLANKS, lambda text: " ".join(text.split())),
    trimmed: (_NO_BLANKS, str.strip),
}


def is_settled(step: Step, later: Sequence[Step | Rule]) -> bool:
    """Whether rules after a step admit only text that the step leaves alone."""
    if step not in _FINAL:
        return False
    simple, done = _FINAL[step]
    return any(_keeps(part, simple, done) for part in later)


def _keeps(part: Step | Rule, simple: re.Pattern[str], done: Callable[[str], str]) -> bool:
    if type(part) is Matches:  # what only has a match somewhere settles nothing
        return not part.flags and bool(simple.fullmatch(part.pattern))
    if isinstance(part, OneOf):
        return all(isinstance(choice, str) and choice == done(choice) for choice in part.choices)
    return False


def survives(rule: Rule, later: Sequence[Step | Rule]) -> bool:
    """Whether what a rule says of a value still holds when the normalising steps after it have run."""
    return all(rule.survives(part) for part in later if isinstance(part, Step) and part.normalising)


def keeps_form(use: Use, aliases: Mapping[str, Use]) -> bool:
    """Whether what comes and what goes out for a value are the same: no steps, nothing lenient, no records."""
    return comes_final(use, aliases) and not any(isinstance(each.node, Link) for each in _opened(use, aliases))


def _opened(use: Use, aliases: Mapping[str, Use]) -> Iterator[Use]:
    """A use and all that are inside it, not looking into records; each alias once."""
    waiting, seen = [use], set[str]()
    while waiting:
        for each in every(waiting.pop()):
            yield each
            if isinstance(each.node, Alias) and each.node.key not in seen:
                seen.add(each.node.key)
                waiting.append(aliases[each.node.key])


def comes_final(use: Use, aliases: Mapping[str, Use]) -> bool:
    """Whether a value comes in its final form only, as far as the use tells without looking into records."""
    for each in _opened(use, aliases):
        if each.node.is_lenient or each.has_steps or not each.reads_what_came:
            return False
    return True
