"""Large collections that the quick function had begun to read when it gave up: the telling one goes on from there.

Else all that is dear to read, a UUID or an address, would be read twice wherever something unsound stands at the end.
"""

from __future__ import annotations

from collections.abc import Sequence
from threading import local
from typing import Any, Final

from ..regex.white_space import BLANKS
from .hash_limits import Crowd

LARGE = 100
"""From how many items on a collection is handed over."""

Site = tuple[object, ...]
"""Where in a declaration the collection stands, and from which source it is read."""


class Handover(local):
    """What one thread's quick function has begun, until its telling function is done; None for nothing."""

    made: dict[tuple[int, Site], tuple[Any, Any]] | None = None
    waiting: Sequence[tuple[Site, Any, list[Any]]] | None = None
    """What was made of raw text that is not decoded yet: of a collection, with the steps to it, the innermost first."""

    def __reduce__(self) -> str:
        return "HANDOVER"  # the one there is, in every process


HANDOVER: Final = Handover()


def split(text: str, separator: str) -> list[str]:
    """The parts of a text, blanks around each taken off; of a blank text, none."""
    if " " not in text and text.isprintable():  # as no other blank is
        return text.split(separator) if text else []
    return [part.strip(BLANKS) for part in text.split(separator)] if text.strip(BLANKS) else []


def hand_over(data: Any, site: Site, made: Any) -> None:
    """Keep what is being made of data, which is kept too, so that its mark stays its own."""
    if HANDOVER.made is None:
        HANDOVER.made = {}
    HANDOVER.made[id(data), site] = (data, made)


def hand_over_later(waiting: Sequence[tuple[Site, Any, list[Any]]]) -> None:
    """Keep what was made of raw text until its plain data is there."""
    HANDOVER.waiting = waiting


def hand_over_in(plain: Any) -> None:
    """Hand over what was made of raw text, now that it is decoded."""
    waiting, HANDOVER.waiting = HANDOVER.waiting, None
    for site, made, steps in waiting or ():
        held = plain
        try:
            for step in reversed(steps):
                held = held[step]
        except (LookupError, TypeError):  # it is not what it was taken for
            continue
        if held.__class__ in (list, dict) and len(held) >= len(made):
            hand_over(held, site, made)


def handed_items(data: Any, site: Site) -> list[Any]:
    """What was made of the first items of a list: none of it is handed over twice."""
    return list(_taken(data, site) or ())


def handed_entries(data: Any, site: Site, crowd: Crowd | None) -> dict[Any, Any]:
    """What was made of the first entries of a dict, the keys counted in `crowd`; nothing where two have become one."""
    pairs = _taken(data, site) or {}
    made = dict(pairs)
    if len(made) != len(pairs):
        return {}
    if crowd is not None and any(crowd.full(key) for key in made):
        crowd.counts.clear()
        return {}
    return made


def split_again(text: str, separator: str, site: Site) -> list[str]:
    """The parts of a text: those that the quick function made, so that what it made of them is known by them."""
    known: list[str] | None = _taken(text, site)
    return split(text, separator) if known is None else known


def _taken(data: Any, site: Site) -> Any:
    handed = HANDOVER.made
    found = handed.pop((id(data), site), None) if handed else None
    return None if found is None else found[1]


def forget() -> None:
    """Let go of all that was begun: where the quick function was not in vain, or the telling one is done."""
    HANDOVER.made = HANDOVER.waiting = None
