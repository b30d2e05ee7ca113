"""How much a gate takes in before it says stop."""

from __future__ import annotations

from sys import _getframe, getrecursionlimit

from .errors import DeclarationError
from .values import Value

# What one level of a union of records costs in the deepest road, and what a program has used up before it asks.
_FRAMES_A_LEVEL = 5
_OTHER_FRAMES = 250


def deepest() -> int:
    """How deep lists and records may nest, for the interpreter to follow them."""
    return (getrecursionlimit() - _OTHER_FRAMES) // _FRAMES_A_LEVEL


def is_short_of_stack() -> bool:
    """Whether a program has gone so deep before it asks that no data could be followed as deep as it may nest.

    Then a RecursionError is the program's, and nothing that is wrong with the data.
    """
    try:
        _getframe(_OTHER_FRAMES)
    except ValueError:  # there are not as many
        return False
    return True


class Limits(Value):
    """Bounds on what comes from outside, with defaults for the open internet.

    `bytes`   the size of a raw text, in bytes (for `str`: in characters)
    `items`   how many items one list, or keys one dict, may have
    `depth`   how deep lists and records nest
    `digits`  the digits of one number in a raw text
    `faults`  how many faults a verdict lists; the rest are counted

    Raises DeclarationError for a limit that is no whole number above 0, for `digits` above 4300, beyond which the
    interpreter refuses to read a number, and for `depth` above 150, which is as deep as it follows records by default.
    """

    bytes: int = 8 * 1024 * 1024
    depth: int = 64
    items: int = 1_000_000
    digits: int = 4300
    faults: int = 100

    def __init__(
        self,
        *,
        bytes: int = 8 * 1024 * 1024,
        depth: int = 64,
        items: int = 1_000_000,
        digits: int = 4300,
        faults: int = 100,
    ) -> None:
        super().__init__(bytes=bytes, depth=depth, items=items, digits=digits, faults=faults)
        for name, limit in self._items():
            if isinstance(limit, bool) or not isinstance(limit, int) or limit < 1:
                raise DeclarationError(
                    f"the limit {name}={limit!r} is no whole number above 0",
                    remedy="give one, or leave it out",
                )
        most = deepest()
        if self.depth > most:
            raise DeclarationError(
                f"the limit depth={self.depth} is more than the interpreter can follow",
                remedy=f"give at most {most}, or raise sys.setrecursionlimit first",
            )
        if self.digits > 4300:
            raise DeclarationError(f"the limit digits={self.digits} is too high", remedy="give at most 4300")


def limits_of(given: Limits | None) -> Limits:
    """The limits that were given, or the usual ones. Raises DeclarationError for anything else."""
    if given is not None and not isinstance(given, Limits):
        raise DeclarationError(f"limits={given!r} are no limits", remedy="as in limits=Limits(depth=8)")
    return given or Limits()
