"""Two digests side by side: what is wrong today that was not yesterday, what is no longer, what has grown."""

from __future__ import annotations

from typing import Any, Literal

from ..declare.values import Value
from ..report.digest import Digest, Group
from ..report.markdown import code_span, escaped

What = Literal["new", "more", "as before", "less", "gone"]
_ORDER: tuple[What, ...] = ("new", "more", "as before", "less", "gone")
_SAME = 0.1
"""A share of faulty records that differs by less than a tenth of what it was is as before."""


class FaultChange(Value):
    """What has become of the faults of one rule at one place.

    `what`             "new", "gone", or "more", "less" or "as before" by the share of records that have the fault
    `pointer`, `wanted`  the place and the rule, as a `Group` has them
    `then`, `now`      how many records had the fault, each out of how many there were
    """

    what: What
    pointer: str
    wanted: str
    then: tuple[int, int]
    now: tuple[int, int]

    def counts(self) -> str:
        """How many then and now, in words."""
        return f"{_share(*self.then)} then, {_share(*self.now)} now"

    def as_dict(self) -> dict[str, object]:
        """The change as plain JSON data."""
        told = {"what": self.what, "pointer": self.pointer, "wanted": self.wanted}
        return {**told, "records_then": self.then[0], "records_now": self.now[0]}


class DeliveryComparison:
    """The digest of a former delivery beside that of another.

    `before`, `after`  the two digests
    `name`             what the former one was called
    """

    def __init__(self, before: Digest, after: Digest, name: str = "") -> None:
        self.before = before
        self.after = after
        self.name = name

    @property
    def changes(self) -> list[FaultChange]:
        """Each rule at each place that is or was broken: what is new first, what is gone last."""
        then = {group.mark: group for group in self.before.groups}
        now = {group.mark: group for group in self.after.groups}
        made = [self._change(then.get(mark), now.get(mark)) for mark in {**now, **then}]
        return sorted(made, key=lambda each: (_ORDER.index(each.what), -each.now[0], -each.then[0], each.pointer))

    def _change(self, then: Group | None, now: Group | None) -> FaultChange:
        group = now or then
        assert group is not None
        counts = [
            (each.rows if each is not None else 0, of.rows) for each, of in ((then, self.before), (now, self.after))
        ]
        return FaultChange(_what(*counts), group.pointer, group.wanted, counts[0], counts[1])

    def as_dict(self) -> dict[str, object]:
        """The comparison as plain JSON data."""
        return {
            "since": self.name,
            "records_then": self.before.rows,
            "records_now": self.after.rows,
            "changes": [change.as_dict() for change in self.changes],
        }

    def as_markdown(self) -> str:
        """The comparison as a table for a mail."""
        lines = ["| | where | needs | then | now |", "|---|---|---|--:|--:|"]
        for each in self.changes:
            where = code_span(each.pointer, "(the whole)")
            cells = (each.what, where, escaped(each.wanted), _share(*each.then), _share(*each.now))
            lines.append(f"| {' | '.join(cells)} |")
        return "\n".join(lines) + "\n"


def _what(then: tuple[int, int], now: tuple[int, int]) -> What:
    if not then[0]:
        return "new"
    if not now[0]:
        return "gone"
    was, is_ = then[0] / max(then[1], 1), now[0] / max(now[1], 1)
    if abs(is_ - was) <= _SAME * was:
        return "as before"
    return "more" if is_ > was else "less"


def _share(count: int, of: int) -> str:
    return f"{count:,} ({count / of:.1%})" if of else f"{count:,}"


def digest_from(told: Any) -> Digest:
    """The digest that `Digest.as_dict` has told, for a comparison. Raises ValueError for anything else."""
    try:
        made = Digest()
        made.admitted, made.refused, made.faults = (int(told[name]) for name in ("admitted", "refused", "faults"))
        for each in told["groups"]:
            group = Group(str(each["pointer"]), str(each["code"]), str(each["wanted"]), each["expected"])
            group.faults, group.rows = int(each["faults"]), int(each["rows"])
            made.put(group)
    except (KeyError, TypeError, ValueError):
        raise ValueError("this is no digest: write one with dutiful check --format json") from None
    return made
