"""Patches (RFC 6902): what is to be done to a record, one operation after the other."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any, Final, Generic, Literal, TypeVar

from .before_reading import Via, via
from .formats.judges import judge_of
from .marks import named
from .rules.format import OfFormat
from .subjects import it

R = TypeVar("R")

MOST_OPERATIONS: Final = 1_000
"""So many operations a patch has at most: each may go through all of a long list."""

MOST_VALUES: Final = 100_000
"""So many values its operations put somewhere, copies included: each copy may double all that is there."""

Pointer = Annotated[str, OfFormat("json-pointer", "a JSON Pointer, such as /items/0", judge_of("json-pointer"))]
"""A JSON Pointer (RFC 6901); "" is the whole."""


@dataclass(slots=True)
class Addition:
    """Put a value in its place: a member of a record, or an item before the one that stands there; "-" is the end."""

    op: Literal["add"]
    path: Pointer
    value: Any


@dataclass(slots=True)
class Removal:
    """Take away what stands there."""

    op: Literal["remove"]
    path: Pointer


@dataclass(slots=True)
class Replacement:
    """Put a value in the place of what stands there."""

    op: Literal["replace"]
    path: Pointer
    value: Any


@dataclass(slots=True)
class Relocation:
    """Take a value away, and put it elsewhere."""

    op: Literal["move"]
    source: Annotated[Pointer, named("from")]
    path: Pointer


@dataclass(slots=True)
class Copying:
    """Put the value that stands elsewhere here, too."""

    op: Literal["copy"]
    source: Annotated[Pointer, named("from")]
    path: Pointer


@dataclass(slots=True)
class Expectation:
    """Go on only where this value stands there."""

    op: Literal["test"]
    path: Pointer
    value: Any


Operation = Addition | Removal | Replacement | Relocation | Copying | Expectation


class Patch(list[Operation], Generic[R]):
    """Operations that change a record, in the order in which they came (RFC 6902): `Patch[Booking]`.

        body: Patch[Booking]

    What they come to is known once they are applied: see `patched` of `dutiful_gate.web`. At most 1,000 at once, that
    put at most 100,000 values somewhere.
    """

    __slots__ = ()


_HELD: Any = via(
    Annotated[list[Operation], it.length <= MOST_OPERATIONS],
    back=list,
    samples=[[{"op": "replace", "path": "/priority", "value": "urgent"}]],
)
_SURE: Via = _HELD.replace(sure=True)
_SURE(Patch)
