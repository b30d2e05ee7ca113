"""What is found where a table does not hold what a gate admits."""

from __future__ import annotations

from typing import Final

from ..declare.values import Value
from ..engine.runtime import HIDDEN_KEY
from ..report.shown_values import shown

_REASONING: Final = "reasoning"


class Mismatch(Value):
    """Something that the gate admits, and the table does not hold.

    `field`  the field, "" for the whole
    `words`  what is the matter: "admits text of any length; the column holds 80"
    `value`  the smallest value that shows it, in words; "" where there is none to show
    `found`  where it was found: "reasoning", or the name of a database
    `sort`   of what sort it is, where a database tells: the name of its error
    """

    field: str
    words: str
    value: str = ""
    found: str = _REASONING
    sort: str = ""


class Agreement:
    """What was found.

    `disagreements`  what the table does not hold, by field
    `unknowable`     what a gate cannot know: columns that are unique, keys of other tables
    `unread`         what was not understood, or could not be tried: constraints, code of the class and of its column
                     types, columns that no database here has: whether the table holds all that is admitted is open then
    `written`        by database, how many rows were written and came back
    """

    def __init__(self, secrets: frozenset[str] = frozenset()) -> None:
        """`secrets` are the fields of which neither values are shown nor what an error says of them."""
        self._secrets = secrets
        self.disagreements: list[Mismatch] = []
        self.unknowable: list[str] = []
        self.unread: list[str] = []
        self.written: dict[str, int] = {}

    def shown(self, field: str, value: object) -> str:
        """A value of a field, as people read it."""
        return HIDDEN_KEY if field in self._secrets else shown(value)

    def told(self, field: str, words: str) -> str:
        """What an error says of a field, or of a row for "": it may quote what it is about."""
        return HIDDEN_KEY if field in self._secrets or (not field and self._secrets) else words

    def add(self, found: Mismatch) -> None:
        """One more; of those of one sort that a database shows for a field, only that of the smallest value is kept."""
        for at, known in enumerate(self.disagreements):
            if found.sort and (known.field, known.found, known.sort) == (found.field, found.found, found.sort):
                if (len(found.value), found.value) < (len(known.value), known.value):
                    self.disagreements[at] = found
                return
        self.disagreements.append(found)

    def __bool__(self) -> bool:
        return not self.disagreements and not self.unread
