"""What became of one value, told in order."""

from __future__ import annotations

from typing import Final, NamedTuple

from ..report.fault import Fault, Path, dotted
from ..report.shown_values import visible

_NO_FAULT: Final = "no fault stands here"


class ToldStage(NamedTuple):
    """One thing that happened to a value: its sort, in words, and whether it went well; None where nothing is asked."""

    what: str
    words: str
    holds: bool | None = None

    def __str__(self) -> str:
        mark = {True: "holds", False: "FAILS", None: ""}[self.holds]
        return f"{self.what:9} {self.words}{'  ' + mark if mark else ''}"


class Explanation:
    """What became of one value, in the order in which it happened.

    `told`      each thing that happened
    `faults`    those of the verdict that stand at the value, or inside of it
    `came`      whether there is such a value
    `admitted`  whether there are no faults
    """

    __slots__ = ("came", "faults", "path", "told")

    def __init__(self, path: Path, told: tuple[ToldStage, ...], faults: tuple[Fault, ...], *, came: bool) -> None:
        self.path = path
        self.came = came
        self.told = told
        self.faults = faults

    @property
    def admitted(self) -> bool:
        """Whether nothing is wrong at the value."""
        return not self.faults

    @property
    def ending(self) -> str:
        """How it ended where there are no faults."""
        return "it is admitted" if self.came and all(each.holds is not False for each in self.told[-1:]) else _NO_FAULT

    def __str__(self) -> str:
        lines = [f"{dotted(self.path) or '(the whole)'}", *(f"  {visible(str(each))}" for each in self.told)]
        if self.admitted:
            return "\n".join([*lines, f"  so {self.ending}"])
        return "\n".join([*lines, *(f"  so: {visible(str(fault))}" for fault in self.faults)])
