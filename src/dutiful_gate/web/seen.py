"""What is seen of each request: its endpoint, how it ended, how long it took; never a value."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ..report.fault import Fault, Path, pointer
from ..shape.nodes import Entries, Link
from ..shape.shape import Shape
from ..shape.uses import Use
from ..shape.walk import standing

if TYPE_CHECKING:
    from .endpoint import Endpoint

log = logging.getLogger("dutiful_gate.web")


@dataclass(frozen=True, slots=True)
class Seen:
    """One request and how it ended, for counters and traces.

    `endpoint`   that which answered, None where none did
    `method`     the method as it came, in capitals
    `status`     that of the answer; None where the client left before there was one
    `seconds`    from its head to the end of its answer
    `faults`     why it was refused: pointer and code of each fault, the part of the request first in the pointer
    `untold`     how many more there are
    `fallbacks`  the same of faults for which something else stood in

    Pointers go as far as names are declared: what a client sent as a key of a dict is a value too.
    """

    endpoint: Endpoint[Any] | None
    method: str
    status: int | None
    seconds: float
    faults: tuple[tuple[str, str], ...] = ()
    untold: int = 0
    fallbacks: tuple[tuple[str, str], ...] = ()


Observer = Callable[[Seen], object]
"""Asked of every request once it is answered: `Api(observe=...)`."""


def places_of(endpoint: Endpoint[Any], faults: Iterable[Fault]) -> tuple[tuple[str, str], ...]:
    """Pointer and code of each fault, without a word of what came."""
    shape = endpoint.gate.shape
    return tuple((pointer(_declared(shape, fault.path)), fault.code) for fault in faults)


def _declared(shape: Shape, path: Path) -> Path:
    """A path as far as it leads through fields and items: the key of a dict, or of no field, comes from the client."""
    uses = [shape.root]
    for at, step in enumerate(path):
        uses = [inner for use in uses for each in standing(use, shape.aliases) for inner in _below(shape, each, step)]
        if not uses:
            return path[:at]
    return path


def _below(shape: Shape, use: Use, step: object) -> Iterator[Use]:
    match use.node:
        case Entries():
            return
        case Link(key):
            yield from (field.use for field in shape.records[key].fields if field.comes_under(step))
        case _:
            yield from use.node.under(step)


def show(observe: Observer, seen: Seen) -> None:
    """Hand over what was seen: what the observer raises is logged, and changes no answer."""
    try:
        observe(seen)
    except Exception:
        log.error("what observes the requests raised", exc_info=True)
