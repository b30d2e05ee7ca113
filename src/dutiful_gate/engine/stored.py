"""An engine whose functions were written and compiled beforehand: it opens what it is asked for, when it is asked."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from threading import RLock
from typing import Any
from zlib import decompress

from ..codegen.unit import Unit
from ..declare.outside import Outside
from ..report.fault import Path
from .engine import Engine
from .packing import packed, unpacked
from .runtime import Log
from .walk.outgoing import checked_unit
from .walk.quick import quick_unit
from .walk.telling import telling_unit
from .walk.trusting import trusting_unit

_REST = ("plan", "_units", "_made", "_trusting", "_checked", "_way_out")
_PLAIN = (False, False)


def stored(engine: Engine, document: Mapping[str, Any] | None) -> tuple[bytes, bytes]:
    """What an engine does, as bytes: the functions for sound data, and everything else.

    `document` is what it is published as, with what that leaves unstated. Raises what pickle raises where the engine
    leans on what cannot be found by its name.
    """
    whole = Engine(engine.plan)
    _build_all(whole)
    units: dict[str, Unit] = whole._units
    quick = {
        "sound": (units["sound"].call, units["sound"].carries),
        "known": (units["known"].call, units["known"].carries) if "known" in units else None,
        "bottomless": whole.bottomless,
        "asks": whole.plan.asks,
        "waits": bool(whole.plan.waits_for),
    }
    rest = {"plan": whole.plan, "units": units, "out": whole._way_out, "document": document}
    return packed(quick, engine=whole), packed(rest, engine=whole)


def _build_all(engine: Engine) -> None:
    """Write and compile the functions of an engine, of a large shape too, and those of its way out."""
    plan = engine.plan
    engine._units["sound"] = quick_unit(
        plan, note_unknown=False, rewritten=engine._rewritten(lambda: engine.sound), at_once=True
    )
    if plan.may_drop:
        rewritten = engine._rewritten(lambda: engine.sound_and_known)
        engine._units["known"] = quick_unit(plan, note_unknown=True, rewritten=rewritten, at_once=True)
    engine._units["collect"] = telling_unit(plan, at_once=True)
    engine._units[f"release {_PLAIN}"] = trusting_unit(plan, secrets=False, exact=False)
    out = engine._way_out
    out._units[f"checked {_PLAIN}"] = checked_unit(out.plan, secrets=False, exact=False)
    out._units["collect"] = telling_unit(out.plan, at_once=True)


class StoredEngine(Engine):
    """An engine of what `stored` made: its functions for sound data are opened first, the rest once it is needed."""

    def __init__(self, quick: bytes, rest: bytes) -> None:
        """`rest` is compressed, by zlib."""
        self.native = False  # its functions are written already
        self.sound_json = self.noted_json = None
        self._readers, self._writers = dict.fromkeys((False, True)), dict.fromkeys((False, True, "secrets", "open"))
        self._lock = RLock()
        self._asked: Sequence[Outside[Any]] | None = None
        self._may_wait: bool | None = None
        self._packed: tuple[bytes, bytes] | None = (quick, rest)
        self.sound = self._stored_sound
        self.sound_and_known = self._stored_known
        self._collect = self._stored_collect

    def __getattr__(self, name: str) -> Any:
        # Asked for what is not there yet.
        if name in _REST and self.__dict__.get("_packed") is not None:
            self._open()
            return getattr(self, name)
        raise AttributeError(f"{type(self).__name__!r} object has no attribute {name!r}")

    @property
    def _asks(self) -> Sequence[Outside[Any]]:
        return self.plan.asks if self._asked is None else self._asked

    @property
    def _waits(self) -> bool:
        return super()._waits if self._may_wait is None else self._may_wait

    @property
    def document(self) -> Any:
        """What the gate is published as, None where that was not kept."""
        self._open()
        return self.__dict__["_document"]

    def _open(self) -> None:
        with self._lock:
            held, self._packed = self._packed, None
            if held is None:
                return
            # The functions for sound data stay what they are.
            kept = self.sound, self.sound_and_known, self._collect
            rest = unpacked(decompress(held[1]), engine=self)
            self._packed = None
            self.plan = rest["plan"]
            self._begin()
            self.sound, self.sound_and_known, self._collect = kept
            self._units = rest["units"]
            self.__dict__["_way_out"] = rest["out"]
            self.__dict__["_document"] = rest["document"]

    def _opened_functions(self) -> None:
        with self._lock:
            if self._packed is None or "bottomless" in self.__dict__:
                return
            quick = unpacked(self._packed[0], engine=self)
            self.__dict__["bottomless"] = quick["bottomless"]
            self._asked, self._may_wait = quick["asks"], quick["waits"]
            self.sound = self._as_called(*quick["sound"])
            known = quick["known"]
            self.sound_and_known = self.sound if known is None else self._as_called(*known)

    def _as_called(self, call: Callable[..., Any], carries: bool) -> Callable[..., Any]:
        return self._called(_Call(call, carries))

    def _stored_sound(self, data: Any) -> Any:
        self._opened_functions()
        if self.sound == self._stored_sound:
            self.sound = self._first_sound
        return self.sound(data)

    def _stored_known(self, data: Any) -> Any:
        self._opened_functions()
        if self.sound_and_known == self._stored_known:
            self.sound_and_known = self._first_sound_and_known
        return self.sound_and_known(data)

    def _stored_collect(self, data: Any, path: Path, log: Log) -> Any:
        self._open()
        return self._first_collect(data, path, log)


class _Call(Unit):
    """A function that was compiled already."""

    def __init__(self, call: Callable[..., Any], carries: bool) -> None:
        self.call = call
        self.carries = carries
