"""A gate of a whole request: its parts are read from their own sources, and told in one verdict."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, Any, ClassVar, NoReturn, TypeVar

from ..declare.answers import is_waiting_anywhere
from ..declare.errors import DeclarationError, check_flags
from ..declare.facts import UNSURE, Stop
from ..declare.limits import Limits, limits_of
from ..declare.sources import Source
from ..report.fault import Fault, Path
from ..report.verdict import Noted, Verdict, refusal
from .active_store import stored_engine, stores
from .asking import Asking, become_asking
from .base import AnyGate, Raw
from .callers import seen_by_caller

if TYPE_CHECKING:
    from ..declare.carried import TakenHere
    from ..read.json_fast import Quickly
    from ..shape.shape import Field

T = TypeVar("T")
_BODY = "body"


class RequestGate(AnyGate[T]):
    """Admits the parts of a request as the record that declares them. Immutable, safe in threads.

        @dataclass
        class AmendBooking:
            path: BookingNumber          # text, from the path
            body: Amendment[Booking]     # JSON

        RequestGate(AmendBooking).admit({"path": {"number": "12"}, "body": {"priority": "urgent"}})

    A part is `path`, `query`, `headers`, `cookies`, `body`, `form` or `files`. Faults carry it as the first step of
    their path. `keys` makes the names in body, query and form of attributes', as that of `Gate` does; those of path,
    headers and cookies stay. The native core, where it is installed, reads raw JSON bodies: `native=False` leaves all
    to Python.
    Raises DeclarationError for a declaration that is no record of such parts.
    """

    __slots__ = ("_hides_in_body", "_names", "_natively", "carried", "keys", "parts")

    awaits: ClassVar[bool] = False  # whether what answers it waits for checks
    keys: Callable[[str], str] | None
    parts: Mapping[str, Field]
    """Its parts by name: the fields of the record."""
    carried: Mapping[str, TakenHere]
    """What else its record takes, and no client sends: who asks, values from outside."""
    _names: Mapping[str, Any]
    _hides_in_body: Callable[[Path], Path] | None
    # Where the body is read natively: its parts and the raw body to the value, `Noted` where keys were dropped.
    _natively: Callable[[Mapping[str, Any], Any], Any] | None

    def __init__(
        self,
        declared: type[T],
        *,
        limits: Limits | None = None,
        keys: Callable[[str], str] | None = None,
        names: Mapping[str, Any] | None = None,
        native: bool = True,
    ) -> None:
        if not (keys is None or callable(keys)):
            raise DeclarationError(f"keys={keys!r} makes no names", remedy="a function of an attribute's name")
        check_flags(native=native)
        from ..engine.defaults import check_held
        from ..engine.engine import Engine, Plan
        from ..read.json_fast import plain_json
        from ..shape.build import shape_of
        from ..shape.requests import carried_of, parts_of, request_shape

        limits = limits_of(limits)
        used: Mapping[str, Any] = {}
        engine = stored_engine(("request", declared, limits, keys)) if stores and not names else None
        if engine is None:
            seen, scope = seen_by_caller(names)
            shape, used = shape_of(declared, seen, scope, keys=keys, of_request=True)
            check_held(shape)  # as values: read from their sources they are text
            engine = Engine(Plan(request_shape(shape), Source.JSON, False, limits), native=native)
        self._settle(
            declared=declared,
            keys=keys,
            reads=Source.JSON,
            limits=limits,
            _shape=engine.plan.shape,
            _names=used,
            _plain_json=plain_json,
            _quickly=self._first_quickly,
            _engine=engine,
            parts=parts_of(engine.plan.shape),
            carried=carried_of(engine.plan.shape),
        )
        first = self._first_natively if engine.native and _BODY in self.parts else None
        self._settle(_hides_in_body=self._hidden_in_body(), _natively=first)
        if is_waiting_anywhere():
            remedy = "make an Endpoint of it and serve that under ASGI"
            become_asking(self, AskingRequestGate, remedy, awaited=self.awaits)

    def _first_natively(self, parts: Mapping[str, Any], raw: Any) -> Any:
        """Make what reads the body natively, and the other parts beside it; read by it. UNSURE where nothing does."""
        from ..engine.engine import Engine, Plan
        from ..shape.requests import with_typed_body
        from ..shape.walk import part_of

        use = self.parts[_BODY].use.replace(source=None)
        body = Engine(Plan(part_of(self.shape, use), Source.JSON, limits=self.limits, is_part=True))
        if use.parts or use.secret or body.bottomless or body.native_reader(notes_unknown=True) is None:
            self._settle(_natively=None)
            return UNSURE
        others = Engine(Plan(with_typed_body(self.shape), Source.JSON, limits=self.limits))

        def natively(parts: Mapping[str, Any], raw: Any) -> Any:
            value = UNSURE if body.noted_json is None else body.noted_json(raw)
            if value.__class__ is Stop:
                return value
            value, dropped = value if value.__class__ is Noted else (value, ())
            made = others.sound_and_known({**parts, _BODY: value})
            if made.__class__ is Stop or not dropped:
                return made
            return Noted(made, tuple((_BODY, *path) for path in dropped))

        self._settle(_natively=natively)
        return natively(parts, raw)

    def _first_quickly(self, raw: Any, admits: bool, around: Callable[[Any], Any] | None = None, /) -> tuple[Any, Any]:
        """Make what reads raw bodies quickly, and read by it."""
        from ..engine.engine import Engine, Plan
        from ..read.json_fast import never_quick, quick_reader
        from ..shape.walk import part_of

        made: Quickly = never_quick
        if _BODY in self.parts:
            engine = self._engine
            body = Engine(Plan(part_of(self.shape, self.parts[_BODY].use), Source.JSON, False, self.limits))
            if body.counts_strings is not None and isinstance(engine, Engine) and not engine.bottomless:
                counts, alike = body.counts_strings, body.reads_alike
                made = quick_reader(engine, counts, self.limits, exact=self.shape.exact, fast=alike)
        self._settle(_quickly=made)
        return made(raw, admits, around)

    def __reduce__(self) -> NoReturn:
        raise TypeError("a gate of requests does not travel: build it where it is used")

    def __repr__(self) -> str:
        return f"<RequestGate {self.shape.name}>"

    def examine_with_json(self, parts: Mapping[str, Any], raw: Raw) -> tuple[Verdict[T], bool]:
        """The verdict on the parts of a request whose body is raw JSON: faults in the body have line and column.

        And whether the body is JSON at all, within the limits.
        """
        if self._natively is not None:
            value = self._natively(parts, raw)
            if value.__class__ is not Stop:
                return Verdict(value.value, (), value.dropped) if value.__class__ is Noted else Verdict(value), True
            plain = self._plain_json(raw, self.limits, self.shape.exact)
        else:
            value, plain = self._quickly(raw, False, lambda body: {**parts, _BODY: body})
            if value.__class__ is Stop and plain.__class__ is Stop:
                plain = self._plain_json(raw, self.limits, self.shape.exact)
                if plain.__class__ is not Stop:
                    value = self._engine.sound_and_known({**parts, _BODY: plain})
            if value.__class__ is not Stop:
                return Verdict(value), True
        from ..read.json_text import JsonText

        text = JsonText(raw, self.limits, exact=self.shape.exact, hides=self._hides_in_body)
        text.read(plain)
        if text.readable:
            self._engine.sound(None)  # notices when a class is no longer what it was; own functions have run once
            return self._merged(self._examined({**parts, _BODY: text.value}), text), True
        return self._unread(parts, text.broken, text.untold), False

    def examine_with_cbor(self, parts: Mapping[str, Any], raw: bytes) -> tuple[Verdict[T], bool]:
        """The same of one whose body is CBOR (RFC 8949); needs the extra `cbor`."""
        from ..read.cbor import decoded

        data, broken = decoded(raw, self.limits)
        if broken is None:
            return self.examine({**parts, _BODY: data}), True
        return self._unread(parts, [broken], 0), False

    def _unread(self, parts: Mapping[str, Any], broken: Sequence[Fault], untold: int) -> Verdict[T]:
        """The verdict where the body cannot be read: what is wrong with it, and with the other parts."""
        others = [fault for fault in self.examine(parts).faults if fault.path[:1] != (_BODY,)]
        return refusal([*others, *(fault.beneath((_BODY,)) for fault in broken)], (), untold)

    def _merged(self, verdict: Verdict[T], text: Any) -> Verdict[T]:
        """The same verdict with the places of the body's faults, and what is wrong with its text."""
        if verdict and not text.broken:
            return verdict
        own = [fault for fault in verdict.faults if fault.path[:1] == (_BODY,)]
        others = [fault for fault in verdict.faults if fault.path[:1] != (_BODY,)]
        faults = [*others, *text.merged(own, (_BODY,))]
        most = self.limits.faults
        untold = verdict.untold + text.untold + max(0, len(faults) - most)
        return refusal(faults[:most], verdict.dropped, untold, verdict.fallbacks)

    def _hidden_in_body(self) -> Callable[[Path], Path] | None:
        """What is left of a path in the body that may be shown, where there are secrets in it."""
        from ..shape.walk import holds_secret

        body = self.parts.get(_BODY)
        hides = self._hides
        if hides is None or body is None or not holds_secret(body.use, self.shape.guarded):
            return None
        return lambda path: hides((_BODY, *path))[1:]


class AskingRequestGate(Asking[T], RequestGate[T]):
    """A `RequestGate` of such a declaration. One that an endpoint makes may have to be awaited: under ASGI it is."""

    __slots__ = ()

    def examine_with_json(self, parts: Mapping[str, Any], raw: Raw) -> tuple[Verdict[T], bool]:
        """See `RequestGate.examine_with_json`."""
        return self._window(partial(super().examine_with_json, parts, raw))

    def examine_with_cbor(self, parts: Mapping[str, Any], raw: bytes) -> tuple[Verdict[T], bool]:
        """See `RequestGate.examine_with_cbor`."""
        return self._window(partial(super().examine_with_cbor, parts, raw))


class EndpointGate(RequestGate[T]):
    """That of an endpoint: what serves it under ASGI waits for checks that have to be awaited."""

    __slots__ = ()

    awaits = True
