"""A list in raw JSON, item by item: one verdict each, with its places in the text."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, Any, TypeVar

from ..declare.json_pointer import below, steps_of
from ..declare.outside import HandedOver, with_values
from ..read.json_text import JsonText, one_a_place
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.shown_values import outlined
from ..report.verdict import Verdict, refusal, relisted

if TYPE_CHECKING:
    from .base import AnyGate, Raw

T = TypeVar("T")


def each_in_text(gate: AnyGate[T], raw: Raw, at: str, *, outside: Iterable[HandedOver] = ()) -> Iterator[Verdict[T]]:
    """See `AnyGate.examine_each_json`."""
    text = JsonText(raw, gate.limits, exact=gate.shape.exact, hides=(lambda path: ()) if gate.shape.secretive else None)
    text.read(gate._plain_json(raw, gate.limits, gate.shape.exact))
    if not text.readable:
        yield refusal(text.broken, (), text.untold)
        return
    path: Path = ()
    held: Any = text.value
    for step in steps_of(at):
        path, held = _inside(path, held, step)
    if not isinstance(held, list):
        yield refusal(text.placed([_no_list(gate, path, held)]))
        return
    verdicts = with_values(outside, gate._window, lambda: [gate.examine(item) for item in held])
    # All faults are placed in one pass over the text.
    whole = [fault.beneath((*path, number)) for number, verdict in enumerate(verdicts) for fault in verdict.faults]
    placed = iter(text.placed(whole)) if whole else iter(())
    broken: dict[Any, list[Fault]] = {}
    for fault in text.broken:
        if fault.path[: len(path)] == path and len(fault.path) > len(path):
            broken.setdefault(fault.path[len(path)], []).append(fault)
    for number, verdict in enumerate(verdicts):
        own = [next(placed) for _ in verdict.faults]
        faults = one_a_place(broken[number], own) if number in broken else own
        yield relisted(verdict, [fault.within(len(path) + 1) for fault in faults]) if faults else verdict


def _inside(path: Path, held: Any, step: str) -> tuple[Path, Any]:
    found = below(held, step)
    return ((*path, step), None) if found is None else ((*path, found[0]), found[1])


def _no_list(gate: AnyGate[Any], path: Path, held: Any) -> Fault:
    cause = Cause("kind", "an array of items", json=True)
    given = outlined(held) if gate.shape.secretive else held
    return Fault(path, cause, given, given)
