"""An amendment changes something: the rule that every one obeys."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from .facts import Bind, Unsaid
from .field_access import FactsOf, Path, Reach
from .records import RecordRule, Standing
from .rules.base import Face


class Sent(RecordRule):
    """At least one of the fields was sent, be it null; or something that one of `gathering` gathers, beside as many
    fields as are `demanded`."""

    names: tuple[str, ...]
    gathering: tuple[str, ...] = ()
    demanded: int = 0

    @property
    def paths(self) -> tuple[Path, ...]:
        return tuple((name,) for name in self.names)

    @property
    def needs_values(self) -> bool:
        return False

    @property
    def asks_presence_only(self) -> bool:
        return True

    @property
    def of_whole(self) -> bool:
        return True

    def condition(self, reach: Reach, bind: Bind) -> str:
        return " or ".join([*map(reach.sent, self.names), *map(reach.value, self.gathering)])

    def face(self, facts: FactsOf) -> Face:
        return Face("", "absent", "at least one of {names}")

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        return {"names": [wire((name,)) for name in self.names]}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        if self.gathering:
            return {"minProperties": self.demanded + 1}
        return {"anyOf": [{"required": [at.wire[name]]} for name in self.names]}

    def suits(self, facts: FactsOf) -> None:
        return

    def __str__(self) -> str:
        return "something to change"
