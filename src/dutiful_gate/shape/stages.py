"""What happens to a value where a type is used, in order: every reader of shapes goes by it."""

from __future__ import annotations

from ..declare.embedded import Embedded
from ..declare.facts import ANY_VALUE, Facts
from ..declare.rules import Rule
from ..declare.sources import Reading
from ..declare.steps import OwnMaking, Step
from ..declare.values import Value
from .uses import Use


class Stages(Value):
    """The stages of one use, for one way of reading; each is left out where there is none.

    1. `documents`     documents judge what came, as it came
    2. `blank`    blank text becomes None
    3. `split`    text is split on this, or `via`: another use reads what came
    4. `made`     where there is one, this step made the value already; else the node is read, as `reading` says
    5. `parts`    steps and rules run; `facts` is what is known of the value when they begin

    What stands in for a value that is refused (`Use.fallback`), and whether it is shown (`Use.secret`), hold for all.
    """

    documents: tuple[Embedded, ...]
    blank: bool
    split: str
    via: Use | None
    made: Step | None
    reading: Reading
    parts: tuple[Step | Rule, ...]
    facts: Facts

    @property
    def reads_what_came(self) -> bool:
        """Whether the node reads what came."""
        return not (self.blank or self.split or self.via or self.made)


def stages_of(use: Use, reading: Reading) -> Stages:
    """The stages of a use whose value is read in some way. What a typed value came from is past: it is judged only."""
    if reading.is_typed:
        left = use.after_making
        if left is not None:
            return Stages((), use.blank, "", None, use.making, reading, left, ANY_VALUE)
        return Stages((), use.blank, "", None, None, reading, use.parts, use.node.facts)
    documents = use.documents if reading.of_documents else ()
    inner = reading
    if use.split:
        inner = Reading.TEXT
    elif use.via is not None:
        inner = Reading.TEXT if use.via.facts.text else Reading.PLAIN
    return Stages(documents, use.blank, use.split, use.via, None, inner, use.parts, use.node.facts)


def classes_of(making: Step) -> tuple[type, ...]:
    """The classes of what a step makes; none where they are not known."""
    return making.of if isinstance(making, OwnMaking) else ()
