"""PATCH done right: an amendment, or a patch, applied to the record at hand, which is checked again as a whole."""

from __future__ import annotations

from collections.abc import Awaitable, Mapping
from typing import Any, Generic, NamedTuple, TypeVar, overload

from ..declare.patch import Patch
from ..declare.variants import Amendment
from ..gates.changing import later, with_changes
from ..gates.patching import Stale, with_patch
from ..gates.typed import Gate
from ..gates.waiting import WaitingGate
from .refusals import RequestProblem, of_faults

T = TypeVar("T")


class Amended(NamedTuple, Generic[T]):
    """What came of it: the whole record, and what changes, by attribute, for an update of the storage."""

    record: T
    changes: dict[str, Any]


@overload
def amended(gate: Gate[T], record: T, sent: Amendment[T], *, under: str = ...) -> Amended[T]: ...
@overload
def amended(gate: WaitingGate[T], record: T, sent: Amendment[T], *, under: str = ...) -> Awaitable[Amended[T]]: ...
def amended(gate: Gate[T] | WaitingGate[T], record: T, sent: Amendment[T], *, under: str = "") -> Any:
    """A record with what was sent to change it, checked by its gate as a whole.

        booking, changes = amended(bookings, booking, request.body)

    `sent` is what the gate of `Amendment[Record]` admitted, `under` the key under which the body holds it, if any. What
    changes is told whole: of a record or dict that was changed in part, what came of it. Raises RequestProblem(422),
    each fault in the body, where the whole is not sound any more; a disagreement stands at the first of its fields
    that was sent. By a `WaitingGate` it is awaited.
    """
    if isinstance(gate, WaitingGate):
        return later(gate, lambda awaited: amended(awaited, record, sent, under=under))
    verdict = with_changes(gate, record, sent)
    if verdict:
        made = verdict.value
        return Amended(made, {name: made[name] if isinstance(made, Mapping) else getattr(made, name) for name in sent})
    place = ("body", under) if under else ("body",)
    faults = [fault.beneath(place) for fault in verdict.faults]
    raise RequestProblem.of(of_faults(422, faults, verdict.untold))


@overload
def patched(gate: Gate[T], record: T, sent: Patch[T], *, under: str = ...) -> T: ...
@overload
def patched(gate: WaitingGate[T], record: T, sent: Patch[T], *, under: str = ...) -> Awaitable[T]: ...
def patched(gate: Gate[T] | WaitingGate[T], record: T, sent: Patch[T], *, under: str = "") -> Any:
    """A record with the operations of a patch applied to it (RFC 6902), checked by its gate as a whole.

        booking = patched(bookings, booking, request.body)

    `sent` is what the gate of `Patch[Record]` admitted, `under` the key under which the body holds it, if any. The
    operations see what the gate releases, under its names (give it the `keys` of the API): what is secret, read-only or
    write-only, and what holds such a place, they neither read nor change. Raises RequestProblem: 409 where a test
    fails, so that nothing was done; 422, each fault at its operation, where one cannot be done or the whole is not
    sound any more. By a `WaitingGate` it is awaited.
    """
    if isinstance(gate, WaitingGate):
        return later(gate, lambda awaited: patched(awaited, record, sent, under=under))
    place = ("body", under) if under else ("body",)
    try:
        verdict = with_patch(gate, record, sent)
    except Stale as stale:
        raise RequestProblem.of(of_faults(409, [stale.fault.beneath(place)], 0)) from None
    if verdict:
        return verdict.value
    raise RequestProblem.of(of_faults(422, [fault.beneath(place) for fault in verdict.faults], verdict.untold))
