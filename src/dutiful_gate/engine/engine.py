"""The functions of one gate, each built when it is first called."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from threading import RLock
from typing import Any

from ..codegen.legend import whole
from ..codegen.unit import Unit
from ..declare.answers import is_waiting_anywhere
from ..declare.facts import REFUSED, UNSURE, Passing, Stop
from ..declare.limits import Limits
from ..declare.outside import Outside, check_handed_over, first_handed_over
from ..declare.sources import Source
from ..report.cause import UNREADABLE, Cause
from ..report.fault import Path
from ..report.hostile_objects import without_liars
from ..report.verdict import Noted
from ..shape.reread import looked_at_again
from .asking import resolving
from .depth import may_be_deeper, too_deep_at
from .handover import HANDOVER, forget, hand_over_in
from .json_out import json_bytes
from .later import is_large
from .native.core import NativeReader, core, judged_twice, native_reader, native_writer, plain_writer
from .native.shadow import shadowed
from .outgoing import is_judged_inside, outgoing
from .own_functions import passed_on, told, unwrapped
from .plan import Plan, reads_by
from .runtime import TOO_DEEP, Log
from .trace import TraceLog, Way
from .walk.outgoing import checked_unit
from .walk.quick import quick_unit
from .walk.telling import telling_unit
from .walk.tracing import tracing_unit
from .walk.trusting import trusting_unit

_MOST_TRACED = 1_000_000
"""The limit on faults where one value is traced: those of others do not stand before its own."""


class Engine:
    """Reads data by one plan.

    `sound` and `sound_and_known` give the value or REFUSED; the second also gives up on keys nobody declared, where
    `sound_and_noted`, for an engine that reads natively, may give `Noted`. One of them is asked before `collect`: they
    notice when a class is no longer what it was.
    """

    def __init__(self, plan: Plan, *, native: bool = True) -> None:
        """With `native`, the native core reads, where it is installed and may be used."""
        self.plan = plan
        self.native = native and core()[0] is not None
        self._lock = RLock()
        self._begin()

    def _begin(self) -> None:
        # Functions of a large shape are written later, and look at their classes themselves: then they give up.
        self._made = _making(self.plan) if is_large(self.plan.shape) else []
        self._units: dict[str, Unit] = {}
        self.sound: Callable[[Any], Any] = self._first_sound
        self.sound_and_known: Callable[[Any], Any] = self._first_sound_and_known
        self.sound_and_noted: Callable[[Any], Any] = self._first_sound_and_noted
        plan = self.plan
        raw = self.native and plan.source.in_json and plan.limits.digits == Limits().digits
        # Read raw JSON natively, as `sound` and `sound_and_noted` do decoded data; None where nothing does.
        self.sound_json: Callable[[Any], Any] | None = self._first_sound_json if raw else None
        self.noted_json: Callable[[Any], Any] | None = self._first_noted_json if raw else None
        self._collect: Callable[[Any, Path, Log], Any] = self._first_collect
        self._trusting: dict[tuple[bool, bool], Callable[[Any], Any]] = {}
        self._checked: dict[tuple[bool, bool], Callable[[Any], Any]] = {}
        self._readers: dict[bool, NativeReader | None] = {}
        self._writers: dict[bool | str, Any] = {}

    def native_reader(self, *, notes_unknown: bool) -> NativeReader | None:
        """What reads natively, None where nothing does; with `notes_unknown`, keys nobody declared are in doubt."""
        known = notes_unknown and self.plan.may_drop
        with self._lock:
            if known not in self._readers:
                rewritten = self._rewritten(lambda: self.sound_and_known if known else self.sound)
                anew = self._rewritten(lambda: (self.noted_json if known else self.sound_json) or _doubted)
                made = native_reader(self.plan, known, rewritten, anew) if self.native else None
                few = judged_twice()
                made = made if made is None or not few else self._shadowed(made, few, known=known)
                asks = made is not None and (self.plan.asks or self._waits)
                self._readers[known] = self._all_asking(made) if made is not None and asks else made
            return self._readers[known]

    def _all_asking(self, reader: NativeReader) -> NativeReader:
        return reader._replace(
            sound=self._asking(reader.sound),
            sound_json=self._asking(reader.sound_json),
            noted=self._asking(reader.noted),
            noted_json=self._asking(reader.noted_json),
        )

    def _asking(self, call: Callable[..., Any]) -> Callable[..., Any]:
        call = first_handed_over(self._asks, call)
        return resolving(call, self.plan.asked_in_secret) if self._waits else call

    @property
    def _waits(self) -> bool:
        return is_waiting_anywhere() and bool(self.plan.waits_for)

    @property
    def _asks(self) -> Sequence[Outside[Any]]:
        return self.plan.asks

    def _shadowed(self, reader: NativeReader, few: int, *, known: bool) -> NativeReader:
        """The same, of whose answers Python is asked too, of one in a few."""
        name, unit = self.plan.shape.name, self._quick_unit()
        if known:
            unit = quick_unit(self.plan, note_unknown=True, rewritten=self._rewritten(lambda: self.sound_and_known))
        python = self._called(unit)
        return reader._replace(
            sound=shadowed(reader.sound, python, name, few),
            sound_json=shadowed(reader.sound_json, lambda raw: python(reader.plain_json(raw)), name, few),
            noted=shadowed(reader.noted, self._noted, name, few),
            noted_json=shadowed(reader.noted_json, lambda raw: self._noted(reader.plain_json(raw)), name, few),
        )

    def _noted(self, data: Any) -> Any:
        """What the telling function makes of data that was admitted, with the keys that were dropped."""
        value, log = self.collect(data)
        return Noted(value, tuple(log.dropped)) if log.dropped and value.__class__ is not Stop else value

    def rows_reader(self, names: Sequence[str]) -> Callable[[list[Any]], Any] | None:
        """What reads rows of cells natively, as records of these names; None where nothing does."""
        reader = self.native_reader(notes_unknown=True)
        check_handed_over(self._asks)
        return None if reader is None or self._waits else reader.of_rows(names)

    def json_admitted(self, value: Any, *, secrets: bool) -> bytes:
        """The JSON of a typed value that is known to be sound, Decimals digit by digit."""
        write = self._writers.get(secrets, self)
        if write is self:
            write = self._writer(secrets, secrets, checked=False)
        told: bytes | None = None if write is None else write(value)
        return self.json_of(self.release_admitted(value, secrets=secrets, exact=True)) if told is None else told

    def json_checked(self, value: Any, *, secrets: bool) -> bytes | None:
        """The same of one that code may have made; None where it is to be looked at more closely."""
        write = self._writers.get("secrets" if secrets else "open", self)
        if write is self:
            write = self._writer("secrets" if secrets else "open", secrets, checked=True)
        told: bytes | None = None if write is None else write(value)
        return told

    def _writer(self, mark: bool | str, secrets: bool, *, checked: bool) -> Any:
        """What writes natively, made once; None where nothing does."""
        with self._lock:
            way_out = self._way_out if checked else self
            if self.native and not (checked and way_out.judges_inside):
                self._writers[mark] = native_writer(way_out.plan, secrets=secrets, checked=checked)
            else:
                self._writers[mark] = None
            return self._writers[mark]

    def json_of(self, plain: Any) -> bytes:
        """The JSON of plain data that this engine has released."""
        write = plain_writer() if self.native else None
        told = None if write is None else write(plain)
        return json_bytes(plain, fast=self.writes_alike) if told is None else told

    def _unit(self, name: str, build: Callable[[], Unit]) -> Unit:
        with self._lock:
            if name not in self._units:
                self._units[name] = build()
            return self._units[name]

    def _quick_unit(self) -> Unit:
        rewritten = self._rewritten(lambda: self.sound)
        return self._unit("sound", lambda: quick_unit(self.plan, note_unknown=False, rewritten=rewritten))

    def _telling_unit(self) -> Unit:
        return self._unit("collect", lambda: telling_unit(self.plan))

    def _called(self, unit: Unit) -> Callable[..., Any]:
        """The function of a unit as it is called: within the depth limit, and with what own functions raise."""
        call = unwrapped(unit.call) if unit.carries else unit.call
        return self._asking(self._within_depth(call) if self.bottomless else call)

    def _first_sound(self, data: Any) -> Any:
        reader = self.native_reader(notes_unknown=False)
        self.sound = reader.sound if reader is not None else self._called(self._quick_unit())
        return self.sound(data)

    def _first_sound_and_known(self, data: Any) -> Any:
        if (reader := self.native_reader(notes_unknown=True)) is not None:
            self.sound_and_known = reader.sound
        elif not self.plan.may_drop:
            self.sound_and_known = self._called(self._quick_unit())
        elif self._quick_unit().carries:
            self._write_known()
        else:
            self.sound_and_known = self._sound_first
        return self.sound_and_known(data)

    def _first_sound_json(self, raw: Any) -> Any:
        sound, known = (self.native_reader(notes_unknown=notes) for notes in (False, True))
        self.sound_json = self.noted_json = None
        if sound is not None and known is not None:
            self.sound_json, self.noted_json = sound.sound_json, known.noted_json
        return (self.sound_json or _doubted)(raw)

    def plain_json(self, raw: Any) -> Any:
        """The plain data of raw JSON, read natively; UNSURE where that is in doubt."""
        reader = self._readers.get(False)
        return UNSURE if reader is None else reader.plain_json(raw)

    def handed_over(self, plain: Any) -> Any:
        """Plain data of raw text, with which what was made of it before a doubt is handed over."""
        if HANDOVER.waiting is not None:
            hand_over_in(plain)
        return plain

    def _first_noted_json(self, raw: Any) -> Any:
        self._first_sound_json("")
        return (self.noted_json or _doubted)(raw)

    def _first_sound_and_noted(self, data: Any) -> Any:
        reader = self.native_reader(notes_unknown=True)
        if reader is None:
            return self.sound_and_known(data)
        self.sound_and_noted = reader.noted
        return self.sound_and_noted(data)

    def _sound_first(self, data: Any) -> Any:
        """What refuses unknown keys too is written when the first sound data comes."""
        answer = self.sound(data)
        if answer.__class__ is Stop:
            return answer
        self._write_known()
        return self.sound_and_known(data)

    def _write_known(self) -> None:
        rewritten = self._rewritten(lambda: self.sound_and_known)
        unit = self._unit("known", lambda: quick_unit(self.plan, note_unknown=True, rewritten=rewritten))
        self.sound_and_known = self._called(unit)

    def _first_collect(self, data: Any, path: Path, log: Log) -> Any:
        self._collect = self._telling_unit().call
        return self._collect(data, path, log)

    def _rewritten(self, function: Callable[[], Callable[..., Any]]) -> Callable[..., Any]:
        """What takes the place of a function once a class is not made any more as it was: all are written anew."""

        def ask_again(*values: Any) -> Any:
            with self._lock:
                self.plan = self.plan.replace(shape=looked_at_again(self.plan.shape))
                self._begin()
            return function()(*values)

        return ask_again

    def _looked_again(self) -> bool:
        """Look at how classes are made now, and begin anew; whether that has changed."""
        with self._lock:
            shape = looked_at_again(self.plan.shape)
            changed = shape.records != self.plan.shape.records
            if changed:
                self.plan = self.plan.replace(shape=shape)
                self._begin()
        return changed

    @cached_property
    def counts_strings(self) -> Callable[[Any], int] | None:
        """What counts the strings in sound JSON data without unknown keys; None where the shape tells too little."""
        from .raw_json import string_counter

        return None if not self.plan.source.in_json or self.bottomless else string_counter(self.plan)

    @cached_property
    def reads_alike(self) -> bool:
        """Whether the fast decoder, where it is installed, may read for this shape."""
        from .raw_json import is_read_alike

        return is_read_alike(self.plan.shape)

    @cached_property
    def writes_alike(self) -> bool:
        """Whether the fast encoder, where it is installed, may write for this shape."""
        from .raw_json import is_written_alike

        return is_written_alike(self.plan.shape)

    @cached_property
    def judges_inside(self) -> bool:
        """Of the way out: whether a value is brought into its final form as a whole before it is judged."""
        return is_judged_inside(self.plan.shape)

    # Depth

    @cached_property
    def bottomless(self) -> bool:
        """Whether data may be deeper than the limit: then it is looked at before it is read."""
        return may_be_deeper(self.plan.shape, self.plan.limits.depth)

    def _too_deep(self, data: Any) -> Path | None:
        plan = self.plan
        return too_deep_at(data, plan.limits.depth, plan.shape.records, typed=plan.reading.is_typed)

    def _within_depth(self, call: Callable[[Any], Any]) -> Callable[[Any], Any]:
        def asked(data: Any) -> Any:
            try:
                deep = self._too_deep(data)
            except Exception:  # what cannot even be walked through is told by the telling function
                return REFUSED
            return call(data) if deep is None else REFUSED

        return asked

    # Faults

    def collect(self, data: Any) -> tuple[Any, Log]:
        """The value or REFUSED, and every fault and dropped key."""
        if self.plan.asks:
            check_handed_over(self.plan.asks)
        if self._waits:
            return resolving(self._collected_wholly, self.plan.asked_in_secret)(data)
        return self._collected_wholly(data)

    def _collected_wholly(self, data: Any) -> tuple[Any, Log]:
        try:
            return self._collected(data)
        except Passing as passing:
            error = passed_on(passing)
        except Exception as odd:
            if self._looked_again():
                return self._collected_wholly(data)
            told(odd)
            return self._collected_without_liars(data)
        finally:
            forget()
        raise error

    def traced(self, data: Any, steps: tuple[str, ...]) -> TraceLog:
        """What the values on the way to one pass, by the steps of a JSON Pointer. Raises what own functions raise."""
        log = TraceLog(_MOST_TRACED, Way(steps))
        check_handed_over(self.plan.asks)
        if self.bottomless and self._too_deep(data) is not None:
            return log
        try:
            unwrapped(self._unit("why", lambda: tracing_unit(self.plan)).call)(data, (), log)
        finally:
            forget()
        return log

    def _collected_without_liars(self, data: Any) -> tuple[Any, Log]:
        """Where something in the data is not what it says it is: it is refused at its place, and the rest is read."""
        typed = self.plan.reading.is_typed or self.plan.reading.is_half_typed
        for plain in (False, True):  # then with what is no plain value put aside as well
            try:
                return unwrapped(self._collected)(without_liars(data, typed=typed, plain=plain))  # type: ignore[no-any-return]
            except RecursionError:
                raise
            except Exception:
                self._telling_unit()  # what went wrong in writing it is no matter of the data
        log = Log(self.plan.limits.faults)
        log.faults.append(((), UNREADABLE, None, None))
        return REFUSED, log

    def _collected(self, data: Any) -> tuple[Any, Log]:
        if self._made and any(now != was for now, was in zip(_making(self.plan), self._made, strict=True)):
            self._looked_again()
            value = self.sound_and_known(data)
            if value.__class__ is not Stop:
                return value, Log(self.plan.limits.faults)
        log = Log(self.plan.limits.faults)
        if self.bottomless and (deep := self._too_deep(data)) is not None:
            cause = TOO_DEEP.replace(expected={"most": self.plan.limits.depth}, json=self.plan.source.in_json)
            log.faults.append((deep, cause, None, None))
            return REFUSED, log
        value = self._collect(data, (), log)
        if log.faults:
            log.spill(0)
        elif value.__class__ is Stop:  # an object that says to be what only this package makes
            value = REFUSED
            log.faults.append(((), UNREADABLE, None, None))
        log.fix()
        return value, log

    # The way out

    def release_admitted(self, value: Any, *, secrets: bool, exact: bool = False) -> Any:
        """Plain data of a typed value that is known to be sound; Decimals as they are with `exact`."""
        mark = (secrets, exact)
        if mark not in self._trusting:
            build = lambda: trusting_unit(self.plan, secrets=secrets, exact=exact)  # noqa: E731
            unit = self._unit(f"release {mark}", build)
            self._trusting[mark] = unwrapped(unit.call) if unit.carries else unit.call
        return self._trusting[mark](value)

    def release(self, value: Any, *, secrets: bool, exact: bool = False) -> tuple[Any, Log | None]:
        """Plain data of a typed value that may have been made in code; REFUSED, and the faults, where it is unsound."""
        way_out = self._way_out
        release = way_out.checked(secrets=secrets, exact=exact)
        if not way_out.judges_inside:
            made = release(value)
            if made.__class__ is not Stop:
                return made, None
        read, log = way_out.collect(value)
        if read.__class__ is Stop:
            return REFUSED, log
        made = release(read)  # a subclass of list, say: what was read of it is of the exact type
        if made.__class__ is Stop:
            log.faults.append(((), Cause("kind", "a value that can be released"), None, None))
        return made, log

    @cached_property
    def _way_out(self) -> Engine:
        plan = self.plan
        return Engine(Plan(outgoing(plan.shape), Source.NATIVE, True, plan.limits, True, plan.refuse_unknown))

    def checked(self, *, secrets: bool, exact: bool) -> Callable[[Any], Any]:
        """The function that checks typed values of this plan, which is one for the way out, and makes plain data."""
        mark = (secrets, exact)
        if mark not in self._checked:
            build = lambda: checked_unit(self.plan, secrets=secrets, exact=exact)  # noqa: E731
            self._checked[mark] = self._called(self._unit(f"checked {mark}", build))
        return self._checked[mark]

    @property
    def source(self) -> str:
        """The Python source of the quick function, of the one that collects faults, and of the way out.

        Each field has its name beside it where that is a plain word, and a legend at the end tells what constants are.
        """
        sound, collect = self._quick_unit(), telling_unit(self.plan, at_once=True)
        if is_large(self.plan.shape):  # what was compiled is a part of it
            rewritten = self._rewritten(lambda: self.sound)
            sound = quick_unit(self.plan, note_unknown=False, rewritten=rewritten, at_once=True)
        out = trusting_unit(self.plan, secrets=False, exact=False)
        pieces = {"The sound case": sound.source, "Every fault": collect.source, "The way out": out.source}
        return whole(pieces, [*sound.legend, *collect.legend, *out.legend])


reads_by(Engine)


def _doubted(raw: Any) -> Stop:
    return UNSURE


def _making(plan: Plan) -> list[tuple[object, object]]:
    """What makes the records that are built by storing their fields."""
    built: list[Any] = [record.builder for record in plan.shape.records.values() if record.stores]
    return [(made.__init__, made.__new__) for made in built]


__all__ = ["REFUSED", "Engine", "Plan"]
