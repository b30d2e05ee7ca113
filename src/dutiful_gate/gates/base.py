"""What every gate does, whatever it was made of: it admits data, or refuses it with every fault."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import cache, partial
from typing import TYPE_CHECKING, Any, ClassVar, Generic, NoReturn, Self, TypeVar

from ..declare.facts import REFUSED, Stop
from ..declare.limits import Limits
from ..declare.outside import HandedOver, as_list, with_values
from ..declare.sources import Source
from ..report.fault import Fault
from ..report.in_notebooks import DrawnInNotebooks
from ..report.verdict import Noted, Refused, Verdict, refusal

if TYPE_CHECKING:
    from ..document.judging.engine import DocumentEngine
    from ..engine.engine import Engine
    from ..read.json_fast import Quickly
    from ..read.json_text import JsonText
    from ..report.fault import Path
    from ..shape.shape import Shape
    from .explanation import Explanation

T = TypeVar("T")
R = TypeVar("R")
Raw = bytes | bytearray | memoryview | str
WINDOW = 500
"""So many items of a feed are judged together, where checks wait."""


@cache
def _json_text() -> type[JsonText]:
    """What reads raw JSON that is not sound: imported when the first comes. It finds places natively, where it can."""
    from ..engine.native.core import core
    from ..read import json_places
    from ..read.json_text import JsonText

    if (module := core()[0]) is not None:
        json_places.find_natively = module.places
    return JsonText


class AnyGate(DrawnInNotebooks, Generic[T]):
    """A gate of a type (`Gate`) or of a document (`DocumentGate`): what both of them do.

    `declared`  what it was made of: a type, or a decoded document
    `reads`     what the data is before it is read, a `Source`
    `limits`    bounds on what comes from outside, see `Limits`
    """

    __slots__ = (
        "_engine", "_plain_json", "_quickly", "_shape", "declared", "limits", "reads"
    )  # fmt: skip

    asks_elsewhere: ClassVar[bool] = False  # whether it has checks that wait, and asks them itself
    declared: object
    reads: Source
    limits: Limits
    _shape: Shape | None
    _engine: Engine | DocumentEngine
    _plain_json: Callable[[Raw, Limits, bool], Any]
    # The value of sound raw JSON and its plain data; REFUSED where it is refused, and where either is in doubt.
    _quickly: Quickly

    def _settle(self, **words: object) -> None:
        for name, held in words.items():
            object.__setattr__(self, name, held)

    @property
    def shape(self) -> Shape:
        """The shape of what was declared: that of a gate which was built beforehand is opened when it is needed."""
        held = self._shape
        if held is None:
            held = self._engine.plan.shape  # type: ignore[union-attr]
            object.__setattr__(self, "_shape", held)
        return held

    def __setattr__(self, name: str, value: object) -> NoReturn:
        raise AttributeError(f"a gate does not change: build another with other words instead of setting {name}")

    def __copy__(self) -> Self:
        return self  # it does not change

    def __deepcopy__(self, memo: dict[int, Any]) -> Self:
        return self

    def admit(self, data: object, *, outside: Iterable[HandedOver] = ()) -> T:
        """The typed value of sound data. Raises Refused, with every fault, for anything else.

        `outside` hands over the values that the declaration asks for, as in `outside=[limit(40)]`: here, and in all
        other verbs. Raises TypeError where one is missing, of a wrong type or there twice.
        """
        if outside:
            return with_values(outside, self.admit, data)
        value = self._engine.sound(data)
        if value.__class__ is Stop:
            verdict = self._examined(data)
            if not verdict:
                raise Refused(verdict)
            value = verdict.value
        return value  # type: ignore[no-any-return]

    def examine(self, data: object, *, outside: Iterable[HandedOver] = ()) -> Verdict[T]:
        """The verdict on data: its value, or every fault. Never raises for bad data."""
        if outside:
            return with_values(outside, self.examine, data)
        engine = self._engine
        value = (engine.sound_and_noted if engine.native else engine.sound_and_known)(data)
        if value.__class__ is Stop:
            return self._examined(data)
        value, dropped = value if value.__class__ is Noted else (value, ())
        return Verdict(value, (), dropped, 0, (), partial(self._entered, data))

    def _window(self, call: Callable[[], R]) -> R:
        """What a function that judges data gives: where checks wait, they are asked in between."""
        return call()

    def why(self, data: object, pointer: str = "", *, outside: Iterable[HandedOver] = ()) -> Explanation:
        """What became of one value, step by step: what came, what each step made of it, what each rule answered.

        `pointer` is a JSON Pointer (RFC 6901) into the data, such as "/crates/0/weight_kg"; "" is the whole. Made for
        people who look for a fault, and slow; secrets stay hidden. Raises ValueError for what is no pointer.
        """
        from .why import explained

        return with_values(outside, explained, self, data, pointer)

    def why_json(self, raw: Raw, pointer: str = "", *, outside: Iterable[HandedOver] = ()) -> Explanation:
        """The same from raw JSON. Raises Refused where that is no JSON within the limits."""
        from ..read.json_fast import plain_json
        from ..read.json_text import JsonText
        from .why import explained

        text = JsonText(raw, self.limits, exact=self.shape.exact, hides=self._hides)
        text.read(plain_json(raw, self.limits, self.shape.exact))
        if not text.readable:
            raise Refused(refusal(text.broken, (), text.untold))
        return with_values(outside, explained, self, text.value, pointer)

    def accepts(self, data: object, *, outside: Iterable[HandedOver] = ()) -> bool:
        """Whether data would be admitted.

        By a document whose flaws are only told that includes data which could not be judged: `examine` lists it.
        """
        if outside:
            return with_values(outside, self.accepts, data)
        return self._engine.sound(data).__class__ is not Stop or bool(self._examined(data))

    def examine_each(
        self,
        items: Iterable[object],
        *,
        outside: Iterable[HandedOver] = (),
        window: int = WINDOW,
        seconds: float | None = None,
    ) -> Iterator[Verdict[T]]:
        """One verdict an item, lazily, in order.

        What is no list of items, one record or a text, is one refused verdict that says so. Where checks wait, so many
        items are judged together, the `window`, or what came in so many `seconds`: each check is asked once for them.
        """
        if isinstance(items, Mapping | str | bytes | bytearray) or not hasattr(items, "__iter__"):
            from ..report.cause import Cause
            from ..report.shown_values import outlined

            json = self.reads.in_json
            cause = Cause("kind", "an array of items" if json else "a list of items", json=json)
            given = outlined(items) if self.shape.secretive else items
            yield refusal([Fault((), cause, given)])
            return
        yield from self._each(items, as_list(outside), window, seconds)

    def _each(
        self, items: Iterable[object], outside: list[HandedOver], window: int, seconds: float | None
    ) -> Iterator[Verdict[T]]:
        examine = self.examine
        for item in items:
            yield examine(item, outside=outside) if outside else examine(item)

    def admit_json(self, raw: Raw, *, outside: Iterable[HandedOver] = ()) -> T:
        """The typed value of raw JSON. Raises Refused, every fault with its line and column, for anything else."""
        if outside:
            return with_values(outside, self.admit_json, raw)
        natively = self._engine.sound_json
        if natively is not None:
            value = natively(raw)
            if value.__class__ is not Stop:
                return value  # type: ignore[no-any-return]
            plain = self._decoded(raw)
        else:
            value, plain = self._sound_decoded(raw, self._quickly(raw, True), self._engine.sound)
            if value.__class__ is not Stop:
                return value  # type: ignore[no-any-return]
        verdict = self._examined_json(raw, plain)
        if not verdict:
            raise Refused(verdict)
        return verdict.value

    def _decoded(self, raw: Raw) -> Any:
        """The plain data of raw JSON, REFUSED where it is no sound JSON within the limits."""
        return self._plain_json(raw, self.limits, self.shape.exact)

    def _sound_decoded(self, raw: Raw, read: tuple[Any, Any], sound: Callable[[Any], Any]) -> tuple[Any, Any]:
        """What was read quickly, or where that was in doubt what is made of the decoded text; and its plain data."""
        value, plain = read
        if value.__class__ is Stop and plain.__class__ is Stop:
            plain = self._plain_json(raw, self.limits, self.shape.exact)
            value = REFUSED if plain.__class__ is Stop else sound(plain)
        return value, plain

    def examine_json(self, raw: Raw, *, outside: Iterable[HandedOver] = ()) -> Verdict[T]:
        """The verdict on raw JSON (RFC 8259, in UTF-8 where it is bytes), within the gate's limits.

        Faults carry the line and column they stand at. Text that is no JSON is a fault too, never an exception.
        Raises TypeError when `raw` is no text at all, and for a gate whose source is not JSON.
        """
        if outside:
            return with_values(outside, self.examine_json, raw)
        natively = self._engine.noted_json
        if natively is not None:
            value = natively(raw)
            if value.__class__ is not Stop:
                return self._admitted_json(raw, value)
            plain = self._decoded(raw)
        else:
            value, plain = self._sound_decoded(raw, self._quickly(raw, False), self._engine.sound_and_known)
        if value.__class__ is Stop:
            return self._examined_json(raw, plain)
        return Verdict(value, (), (), 0, (), partial(self._entered, plain))

    def examine_each_json(self, raw: Raw, at: str = "", *, outside: Iterable[HandedOver] = ()) -> Iterator[Verdict[T]]:
        """One verdict for each item of a list in raw JSON, in order; faults have their line and column in the text.

        `at` is the JSON Pointer of the list where it stands inside a record, as in "/bookings". Paths of faults begin
        at the item. Text that is no JSON, or no list at that place, is one refused verdict that says so.
        """
        from .list_in_text import each_in_text

        return each_in_text(self, raw, at, outside=as_list(outside))

    def _admitted_json(self, raw: Raw, value: Any) -> Verdict[T]:
        """The verdict of raw JSON that was read natively, to a value or `Noted`."""
        value, dropped = value if value.__class__ is Noted else (value, ())
        return Verdict(value, (), dropped, 0, (), partial(self._entered_json, raw))

    def _examined_json(self, raw: Raw, plain: object) -> Verdict[T]:
        text = _json_text()(raw, self.limits, exact=self.shape.exact, hides=self._hides)
        if not text.read(plain):
            if not text.readable:
                return refusal(text.broken, (), text.untold)
            self._engine.sound(None)  # notices when a class is no longer what it was
        return self._examined_text(text)

    def _examined(self, data: object) -> Verdict[T]:
        value, log = self._engine.collect(data)
        fallbacks = log.told_fallbacks() if log.fallbacks else ()
        kept = partial(self._entered, data)
        if value.__class__ is Stop:
            return refusal(log.told, log.dropped, log.untold, fallbacks, kept, log.unjudged)
        return Verdict(value, (), log.dropped, 0, fallbacks, kept, log.unjudged)

    def _examined_text(self, text: JsonText) -> Verdict[T]:
        value, log = self._engine.collect(text.value)
        fallbacks = text.placed(log.told_fallbacks()) if log.fallbacks else ()
        kept = partial(self._entered, text.value)
        if value.__class__ is Stop and not text.broken:  # they are placed for those who look at them

            def placed() -> list[Fault]:
                return text.told(log.faults)

            return refusal(placed, log.dropped, log.untold, fallbacks, kept, log.unjudged)
        if value.__class__ is Stop or text.broken:
            faults = text.told(log.faults)
            most = self.limits.faults
            untold = log.untold + text.untold + max(0, len(faults) - most)
            return refusal(faults[:most], log.dropped, untold, fallbacks, kept, log.unjudged)
        return Verdict(value, (), log.dropped, 0, fallbacks, kept, log.unjudged)

    @property
    def _hides(self) -> Callable[[Path], Path] | None:
        """What is left of a path that may be shown, where there are secrets: then no text is quoted either."""
        if not self.shape.secretive:
            return None
        from ..shape.walk import declared_part

        return partial(declared_part, self.shape)

    def _entered(self, data: object) -> Any:
        from ..engine.entered_values import entered

        return entered(self.shape, data)

    def _entered_json(self, raw: Raw) -> Any:
        """The same of raw JSON that was read without being decoded."""
        return self._entered(self._plain_json(raw, self.limits, self.shape.exact))

    def admit_cbor(self, raw: bytes | bytearray | memoryview, *, outside: Iterable[HandedOver] = ()) -> T:
        """The typed value of raw CBOR (RFC 8949). Raises Refused for anything else; needs the extra `cbor`."""
        verdict = self.examine_cbor(raw, outside=outside)
        if not verdict:
            raise Refused(verdict)
        return verdict.value

    def examine_cbor(self, raw: bytes | bytearray | memoryview, *, outside: Iterable[HandedOver] = ()) -> Verdict[T]:
        """The verdict on raw CBOR (RFC 8949) that holds JSON's kinds of values; needs the extra `cbor`."""
        from ..read.cbor import decoded

        data, broken = decoded(bytes(raw), self.limits)
        return refusal([broken]) if broken is not None else self.examine(data, outside=outside)

    @property
    def takes_list(self) -> bool:
        """Whether it is made for a whole list, and not for the items of one."""
        from ..shape.nodes import Fixed, Items

        return isinstance(self.shape.root.node, Items | Fixed)

    @property
    def source(self) -> str:
        """The Python source that the gate was compiled to."""
        return self._engine.source
