"""Gates of one declaration for several sources."""

from __future__ import annotations

from typing import TypeVar

from ..declare.sources import Source
from .base import AnyGate
from .typed import Gate

T = TypeVar("T")


def gate_reading(gate: AnyGate[T], source: Source) -> AnyGate[T]:
    """A gate of the same declaration that reads another source; that of a document judges plain data alone."""
    if not isinstance(gate, Gate) or gate.reads is source:
        return gate
    return Gate(
        gate.declared,
        source,
        unknown=gate.unknown,
        limits=gate.limits,
        keys=gate.keys,
        lenient=gate.lenient,
        leaves_out=gate.leaves_out,
        names=dict(gate._names),
    )
