"""An amendment changes something: the rule that every one obeys."""

from __future__ import annotations

from collections.abc import Mapping

from .facts import Bind, Facts, Unsaid
from .records import RecordRule, Standing
from .rules.base import Face


class Sent(RecordRule):
    """At least one of the fields was sent, be it null."""

    names: tuple[str, ...]

    @property
    def fields(self) -> tuple[str, ...]:
        return self.names

    @property
    def needs_values(self) -> bool:
        return False

    @property
    def asks_presence_only(self) -> bool:
        return True

    @property
    def of_whole(self) -> bool:
        """Its fault stands at the record itself."""
        return True

    def condition(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return " or ".join(value_of[f"?{name}"] for name in self.names)

    def face(self, facts: Mapping[str, Facts]) -> Face:
        return Face("", "absent", "at least one of {names}")

    def numbers(self, wire: Mapping[str, str]) -> Mapping[str, object]:
        return {"names": [wire[name] for name in self.names]}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        return {"anyOf": [{"required": [at.wire[name]]} for name in self.names]}

    def suits(self, facts: Mapping[str, Facts]) -> None:
        return

    def __str__(self) -> str:
        return "something to change"
