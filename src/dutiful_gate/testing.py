"""For the tests of those who declare: Hypothesis strategies, and assertions that tell every fault.

    from dutiful_gate.testing import admitted, refused, strategy

    @given(strategy(Booking))
    def test_a_booking_arrives(booking): ...

    def test_ports_are_three_letters():
        fault = refused(bookings, {**SOUND, "origin": "quill"}, at="/origin")
        assert fault.code == "pattern"

The strategies need the extra `testing`; `samples(Booking, 3, origin="QLP")` makes values with some fields fixed.
"""

from __future__ import annotations

import json
import sys
from random import Random
from typing import TYPE_CHECKING, Any, TypeVar, overload

from .gates.base import AnyGate
from .gates.typed import Gate
from .report.fault import Fault
from .report.shown_values import counted, visible
from .report.verdict import Verdict
from .sample.cannot_sample import CannotSample
from .sample.sampling import gate_of, handing_samples, maker_for, probes

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from hypothesis.strategies import SearchStrategy

    from .declare.outside import HandedOver
    from .web import Api
    from .web.in_process import InProcess

T = TypeVar("T")
_MOST_FAULTS = 20
_MOST_SHOWN = 2_000


@overload
def strategy(declared: AnyGate[T]) -> SearchStrategy[T]: ...
@overload
def strategy(declared: type[T]) -> SearchStrategy[T]: ...
@overload
def strategy(declared: object) -> SearchStrategy[Any]: ...
def strategy(declared: Any) -> SearchStrategy[Any]:
    """A Hypothesis strategy for sound typed values of a declared type, or of a gate; failures are shrunk.

    A class of your own is also registered with Hypothesis, so that `from_type` finds it, inside of other types too.
    Raises CannotSample, when an example is drawn, where no sound value is found.
    """
    from hypothesis import strategies as st

    gate = gate_of(declared)

    def value_of(payload: Any) -> Any:
        with handing_samples(gate):
            return gate.admit(payload)

    made = payload_strategy(gate).map(value_of)
    if isinstance(declared, type) and declared.__module__.partition(".")[0] not in sys.stdlib_module_names:
        st.register_type_strategy(declared, made)
    return made


def in_process(
    api: Api, *, outside: Sequence[HandedOver] = (), headers: Mapping[str, str] | Iterable[tuple[str, str]] = ()
) -> InProcess:
    """What asks an API without a server or a socket, plain handlers and `async` ones.

        ask = in_process(api, outside=[session(fake)], headers={"authorization": "Bearer ann"})
        answer = ask("POST", "/bookings", json={"origin": "QLP"})
        assert (answer.status, answer.faults[0]) == (422, ("body", "#/destination", "absent"))

    `outside` are values that stand for those that the API would open or hand over, `headers` go with each request. It
    is called with a method and a path, and with `query`, `json`, `form`, `body` and `headers`; the answer has `status`,
    `headers`, `header(name)`, `body`, `json` and `faults`. `with in_process(api) as ask:` enters the API's `lifespan`.
    """
    from .web.in_process import InProcess

    return InProcess(api, outside, headers)


def payload_strategy(declared: Any) -> SearchStrategy[Any]:
    """The same for plain JSON data, as a client would send it."""
    from hypothesis import strategies as st

    maker = maker_for(gate_of(declared), Random(0))

    def made(random: Random) -> Any:
        maker.random = random
        try:
            return maker.make()
        except CannotSample:
            # Hypothesis likes to draw the same again and again, with which what is rare is not found.
            maker.random = Random(random.getrandbits(64))
            return maker.make()

    # What is drawn from such a Random is seen by Hypothesis, which replays and shrinks it.
    return st.randoms(use_true_random=False).map(made)


def probe_strategy(declared: Any) -> SearchStrategy[tuple[Any, Fault]]:
    """A strategy for payloads that are sound but for one thing, each with the fault that a gate must give for it.

    Raises CannotSample, when an example is drawn, where nothing is refused: `otherwise` stands in for the whole, say.
    """
    from hypothesis import strategies as st

    gate = gate_of(declared)

    def found(seed: int) -> SearchStrategy[tuple[Any, Fault]]:
        made = list(probes(gate, seed))
        if not made:
            raise CannotSample.fixed("", f"no payload was found that {gate!r} refuses: what it admits needs no probe")
        return st.sampled_from(made)

    return st.integers(0, 7).flatmap(found)


@overload
def admitted(gate: AnyGate[T], data: object) -> T: ...
@overload
def admitted(gate: type[T], data: object) -> T: ...
def admitted(gate: Any, data: object) -> Any:
    """The typed value of data, which the gate has to admit.

    Raises AssertionError, with every fault at its place, where it does not.
    """
    __tracebackhide__ = True
    verdict = _verdict(gate, data)
    if not verdict:
        raise AssertionError(f"it was refused with {_told(verdict)}\n{_shown(verdict)}")
    return verdict.value


def refused(gate: Any, data: object, *, at: str | None = None, code: str | None = None) -> Fault:
    """The first fault of data, which the gate has to refuse: `at` a JSON Pointer, for a `code`, where they are given.

    Raises AssertionError where it admits it, or where no fault is of that place and code, with all faults that there
    are.
    """
    __tracebackhide__ = True
    verdict = _verdict(gate, data)
    wanted = " ".join(part for part in (f"at {at or '(the whole)'}" if at is not None else "", code or "") if part)
    if verdict:
        raise AssertionError(f"it was admitted, and should be refused {wanted}".rstrip() + f"\n{_shown(verdict)}")
    for fault in verdict.faults:
        if at in (None, fault.pointer) and code in (None, fault.code):
            return fault
    raise AssertionError(f"it was refused, but not {wanted}: with {_told(verdict)}\n{_shown(verdict)}")


def _verdict(gate: Any, data: object) -> Verdict[Any]:
    held = gate if isinstance(gate, AnyGate) else Gate(gate)
    with handing_samples(held):
        return _examined(held, data)


def _examined(held: AnyGate[Any], data: object) -> Verdict[Any]:
    return held.examine_json(data) if isinstance(data, bytes) and held.reads.in_json else held.examine(data)


def _told(verdict: Verdict[Any]) -> str:
    faults = verdict.faults[:_MOST_FAULTS]
    lines = [counted(len(verdict.faults) + verdict.untold, "fault")]
    lines += [f"  {visible(each.pointer) or '(the whole)'} [{each.code}] {visible(each.message)}" for each in faults]
    if len(faults) < len(verdict.faults):
        lines.append(f"  and {len(verdict.faults) - len(faults):,} more")
    return "\n".join(lines)


def _shown(verdict: Verdict[Any]) -> str:
    """The data, as JSON where it is that, without the values of secrets."""
    data = verdict.entered()
    try:
        text = json.dumps(data, indent=1, default=repr, ensure_ascii=False)
    except (TypeError, ValueError, RecursionError):
        text = repr(data)
    return "\n".join(map(visible, (text if len(text) <= _MOST_SHOWN else f"{text[:_MOST_SHOWN]}…").splitlines()))


__all__ = ["admitted", "in_process", "payload_strategy", "probe_strategy", "refused", "strategy"]
