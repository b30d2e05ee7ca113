"""Gates of declarations with checks that wait: those that ask at once, and `WaitingGate`, which is awaited."""

from __future__ import annotations

from collections.abc import AsyncIterable, AsyncIterator, Callable, Iterable, Mapping
from functools import partial
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar, overload

from ..declare.answers import is_waiting_anywhere
from ..declare.limits import Limits
from ..declare.outside import HandedOver, as_list, outside_values
from ..declare.sources import Source
from ..document.document import Document
from ..engine.awaiting import awaited_window, each_awaited
from ..report.verdict import Refused, Verdict, refusal
from .asking import secrets_of
from .base import WINDOW, Raw
from .typed import AskingGate, Gate, LeavesOut, T

if TYPE_CHECKING:
    from typing_extensions import TypeForm

    from ..document.dialects import WrittenDialect
    from ..shape.one_way import OneWay
    from ..shape.shape import Shape
    from .explanation import Explanation

R = TypeVar("R")


class AwaitedGate(AskingGate[T]):
    """What a `WaitingGate` judges by: its checks may have to be awaited."""

    __slots__ = ()

    awaits = True


def gate_of_answers(
    declared: Any,
    keys: Callable[[str], str] | None,
    names: Mapping[str, Any] | None = None,
    leaves_out: LeavesOut = (),
) -> Gate[Any]:
    """A gate for the way out alone, which asks no check: so none has to be awaited."""
    made = AwaitedGate if is_waiting_anywhere() else Gate
    return made(declared, keys=keys, leaves_out=leaves_out, names=names)


class WaitingGate(Generic[T]):
    """A declared type with checks that wait: a gate whose verbs are awaited. Immutable, safe in threads and tasks.

        bookings = WaitingGate(Booking)
        booking = await bookings.admit(payload)

    It is made of the words of `Gate`, and answers the same. All that does not wait is judged first; then the checks are
    asked together, about what is sound so far, each value once. What a check raises, or that it takes too long, is
    raised, unless its declaration says `unanswered="refuse"`; the others are cancelled then, as they are when the task
    is. Plain functions among them are asked in threads. The way out and the documents wait for nothing.
    """

    __slots__ = ("gate",)

    gate: Gate[T]
    """The gate by which it judges: for documents, files and tools."""

    @overload
    def __init__(
        self,
        declared: type[T],
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        keys: Callable[[str], str] | None = ...,
        lenient: bool = ...,
        leaves_out: LeavesOut = ...,
        names: Mapping[str, Any] | None = ...,
        native: bool = ...,
    ) -> None: ...

    @overload
    def __init__(
        self,
        declared: TypeForm[T],
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        keys: Callable[[str], str] | None = ...,
        lenient: bool = ...,
        leaves_out: LeavesOut = ...,
        names: Mapping[str, Any] | None = ...,
        native: bool = ...,
    ) -> None: ...

    @overload
    def __init__(
        self: WaitingGate[Any],
        declared: object,
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        keys: Callable[[str], str] | None = ...,
        lenient: bool = ...,
        leaves_out: LeavesOut = ...,
        names: Mapping[str, Any] | None = ...,
        native: bool = ...,
    ) -> None: ...

    def __init__(
        self,
        declared: Any,
        source: Source = Source.JSON,
        *,
        unknown: Literal["drop", "refuse"] = "drop",
        limits: Limits | None = None,
        keys: Callable[[str], str] | None = None,
        lenient: bool = False,
        leaves_out: LeavesOut = (),
        names: Mapping[str, Any] | None = None,
        native: bool = True,
    ) -> None:
        gate: Gate[Any] = AwaitedGate(
            declared,
            source,
            unknown=unknown,
            limits=limits,
            keys=keys,
            lenient=lenient,
            leaves_out=leaves_out,
            names=names,
            native=native,
        )
        object.__setattr__(self, "gate", gate)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError(f"a gate does not change: build another with other words instead of setting {name}")

    def __reduce__(self) -> tuple[object, ...]:
        return _unpacked, (self.gate,)

    def __repr__(self) -> str:
        return f"<WaitingGate {self.gate.shape.name} from {self.gate.reads!r}>"

    @property
    def shape(self) -> Shape:
        """The shape of what was declared."""
        return self.gate.shape

    async def _judged(self, outside: Iterable[HandedOver], call: Callable[[], R]) -> R:
        with outside_values(*as_list(outside)):
            return await awaited_window(call, secrets_of(self.gate))

    async def admit(self, data: object, *, outside: Iterable[HandedOver] = ()) -> T:
        """The typed value of sound data. Raises Refused, with every fault, for anything else."""
        return await self._judged(outside, partial(Gate.admit, self.gate, data))

    async def examine(self, data: object, *, outside: Iterable[HandedOver] = ()) -> Verdict[T]:
        """The verdict on data: its value, or every fault. Never raises for bad data."""
        return await self._judged(outside, partial(Gate.examine, self.gate, data))

    async def accepts(self, data: object, *, outside: Iterable[HandedOver] = ()) -> bool:
        """Whether data would be admitted."""
        return await self._judged(outside, partial(Gate.accepts, self.gate, data))

    async def admit_json(self, raw: Raw, *, outside: Iterable[HandedOver] = ()) -> T:
        """The typed value of raw JSON. Raises Refused, every fault with its line and column, for anything else."""
        return await self._judged(outside, partial(Gate.admit_json, self.gate, raw))

    async def examine_json(self, raw: Raw, *, outside: Iterable[HandedOver] = ()) -> Verdict[T]:
        """The verdict on raw JSON: see `AnyGate.examine_json`."""
        return await self._judged(outside, partial(Gate.examine_json, self.gate, raw))

    async def admit_cbor(self, raw: bytes | bytearray | memoryview, *, outside: Iterable[HandedOver] = ()) -> T:
        """The typed value of raw CBOR (RFC 8949). Raises Refused for anything else; needs the extra `cbor`."""
        verdict = await self.examine_cbor(raw, outside=outside)
        if not verdict:
            raise Refused(verdict)
        return verdict.value

    async def examine_cbor(
        self, raw: bytes | bytearray | memoryview, *, outside: Iterable[HandedOver] = ()
    ) -> Verdict[T]:
        """The verdict on raw CBOR (RFC 8949) that holds JSON's kinds of values; needs the extra `cbor`."""
        from ..read.cbor import decoded

        data, broken = decoded(bytes(raw), self.gate.limits)
        return refusal([broken]) if broken is not None else await self.examine(data, outside=outside)

    async def examine_each(
        self,
        items: Iterable[object] | AsyncIterable[object],
        *,
        outside: Iterable[HandedOver] = (),
        window: int = WINDOW,
        seconds: float | None = None,
    ) -> AsyncIterator[Verdict[T]]:
        """One verdict an item, in order: `async for verdict in bookings.examine_each(feed)`.

        So many items are judged together, the `window`, or what came in so many `seconds`: a check is asked once for
        them all. Items may come from an async iterable; the next ones are waited for as long as they take.
        """
        judged = partial(self._judged, as_list(outside))
        given = items if isinstance(items, AsyncIterable) else each_alone(items)
        if given is None:
            for verdict in Gate.examine_each(self.gate, items):  # type: ignore[arg-type]  # it says that it is no list
                yield verdict
            return
        async for verdict in each_awaited(given, partial(Gate.examine, self.gate), judged, window, seconds):
            yield verdict

    async def why(self, data: object, pointer: str = "", *, outside: Iterable[HandedOver] = ()) -> Explanation:
        """What became of one value, step by step: see `AnyGate.why`."""
        return await self._judged(outside, partial(Gate.why, self.gate, data, pointer))

    async def why_json(self, raw: Raw, pointer: str = "", *, outside: Iterable[HandedOver] = ()) -> Explanation:
        """The same from raw JSON: see `AnyGate.why_json`."""
        return await self._judged(outside, partial(Gate.why_json, self.gate, raw, pointer))

    # What waits for nothing

    def release(self, value: T, *, secrets: bool = False) -> Any:
        """The way out: see `Gate.release`."""
        return self.gate.release(value, secrets=secrets)

    def release_json(self, value: T, *, secrets: bool = False) -> bytes:
        """The way out as JSON in UTF-8: see `Gate.release_json`."""
        return self.gate.release_json(value, secrets=secrets)

    def release_admitted(self, value: T, *, secrets: bool = False) -> Any:
        """The way out for a value that was just admitted: see `Gate.release_admitted`."""
        return self.gate.release_admitted(value, secrets=secrets)

    def release_admitted_json(self, value: T, *, secrets: bool = False) -> bytes:
        """The same as JSON in UTF-8."""
        return self.gate.release_admitted_json(value, secrets=secrets)

    def release_cbor(self, value: T, *, secrets: bool = False) -> bytes:
        """The way out as CBOR; needs the extra `cbor`."""
        return self.gate.release_cbor(value, secrets=secrets)

    @property
    def one_way(self) -> tuple[OneWay, ...]:
        """What `release` does not ask for: see `Gate.one_way`."""
        return self.gate.one_way

    def schema(
        self,
        *,
        of: Literal["send", "release"] = "send",
        dialect: WrittenDialect = "2020-12",
        formats: Literal["name", "spell-out"] = "name",
        id: str | None = None,
    ) -> Document:
        """The JSON Schema document: see `Gate.schema`. The checks that wait are among what is unstated."""
        return self.gate.schema(of=of, dialect=dialect, formats=formats, id=id)


def each_alone(items: Any) -> Iterable[object] | None:
    """Items one by one; None for what is no list of them."""
    alone = isinstance(items, Mapping | str | bytes | bytearray) or not hasattr(items, "__iter__")
    return None if alone else items


def _unpacked(gate: Gate[Any]) -> WaitingGate[Any]:
    made: WaitingGate[Any] = object.__new__(WaitingGate)
    object.__setattr__(made, "gate", gate)
    return made
