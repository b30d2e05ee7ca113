"""Unions of which one option alone may admit a value: each is asked, and what was found is kept for one question."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from threading import local
from typing import Any

from ..declare.facts import REFUSED, UNSURE, Stop
from ..declare.sources import Source
from ..shape.nodes import Branches
from ..shape.to_json import plain
from ..shape.uses import Use
from ..shape.walk import part_of
from .plan import Plan, reader_of


class _Found(local):
    """What is known of values while one piece of data is judged, in this thread: by union and value."""

    held: dict[tuple[int, int], tuple[Any, bool | None]] | None = None


_FOUND = _Found()


class ExclusiveUnion:
    """Whether one quick function of several alone admits a value; None where one of them is in doubt.

    Such unions nest, and options of one ask the same of what is inside: it is asked once. `others` are the classes of
    values that are surely none of each option; `leaves` tells that nothing is inside of any.
    """

    def __init__(self, others: Sequence[frozenset[type]], *, leaves: bool) -> None:
        self.others = tuple(others)
        self.leaves = leaves

    def __call__(self, options: Sequence[Callable[..., Any]], value: Any, *arguments: Any) -> bool | None:
        """Ask the functions, each with the value and what follows it."""
        if self.leaves:
            return self._is_one(options, value, arguments)
        known = _FOUND.held
        if known is None:
            _FOUND.held = {}
            try:
                return self._is_one(options, value, arguments)
            finally:
                _FOUND.held = None
        mark = id(self), id(value)
        if mark not in known:
            known[mark] = (
                value,
                self._is_one(options, value, arguments),
            )  # the value is kept, so that its mark stays its own
        return known[mark][1]

    def only(self, options: Sequence[Callable[..., Any]], value: Any, *arguments: Any) -> Any:
        """What the only option that admits a value makes of it; or why there is none."""
        found: Any = REFUSED
        of = value.__class__
        for option, others in zip(options, self.others, strict=True):
            if of in others:
                continue
            read = option(value, *arguments)
            if read is UNSURE:
                return read
            if read.__class__ is not Stop:
                if found is not REFUSED:
                    return REFUSED
                found = read
        return found

    def _is_one(self, options: Sequence[Callable[..., Any]], value: Any, arguments: tuple[Any, ...]) -> bool | None:
        found, doubt = 0, False
        of = value.__class__
        for option, others in zip(options, self.others, strict=True):
            if of in others:
                continue
            read = option(value, *arguments)
            doubt = doubt or read is UNSURE
            found += read.__class__ is not Stop
            if found > 1:
                return False
        return None if doubt else found == 1


def exactly_one_admits(options: Sequence[Callable[..., Any]], value: Any, path: Any, log: Any) -> bool:
    """The same by telling functions, which are never in doubt."""
    found = 0
    for option in options:
        attempt = log.attempt()
        found += option(value, path, attempt).__class__ is not Stop and not attempt.fallbacks
    return found == 1


class OutgoingExclusiveUnion:
    """The same of a typed value that goes out: whether its plain data would be read by one option alone."""

    def __init__(self, plan: Plan, node: Branches) -> None:
        self.plan = plan
        self.use = Use(node)
        self._reads: Callable[[Any], Any] | None = None

    def __call__(self, value: Any) -> bool:
        """Ask it of a value."""
        if self._reads is None:
            plan = self.plan
            read = Plan(part_of(plan.shape, self.use), Source.JSON, plan.refused_again, plan.limits)
            self._reads = reader_of(read).collect
        try:
            told = plain(self.use, value, self.plan.shape)
        except StopIteration:  # a value of none of them
            return False
        return self._reads(told)[0].__class__ is not Stop
