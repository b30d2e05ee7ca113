"""A gate of a whole request: its parts are read from their own sources, and told in one verdict."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NoReturn, TypeVar

from ..declare.facts import Stop
from ..declare.limits import Limits, limits_of
from ..declare.sources import Source
from ..report.fault import Fault, Path
from ..report.verdict import Verdict, refusal
from .active_store import stored_engine, stores
from .base import AnyGate, Raw
from .callers import seen_by_caller

if TYPE_CHECKING:
    from ..read.json_fast import Quickly
    from ..shape.shape import Field

T = TypeVar("T")
_BODY = "body"


class RequestGate(AnyGate[T]):
    """Admits the parts of a request as the record that declares them. Immutable, safe in threads.

        @dataclass
        class AmendBooking:
            path: BookingNumber          # text, from the path
            body: amendment(Booking)     # JSON

        RequestGate(AmendBooking).admit({"path": {"number": "12"}, "body": {"priority": "urgent"}})

    A part is `path`, `query`, `headers`, `cookies`, `body`, `form` or `files`. Faults carry it as the first step of
    their path. Raises DeclarationError for a declaration that is no record of such parts.
    """

    __slots__ = ("_hides_in_body", "_names", "parts")

    parts: Mapping[str, Field]
    """Its parts by name: the fields of the record."""
    _names: Mapping[str, Any]
    _hides_in_body: Callable[[Path], Path] | None

    def __init__(
        self, declared: type[T], *, limits: Limits | None = None, names: Mapping[str, Any] | None = None
    ) -> None:
        from ..engine.defaults import check_held
        from ..engine.engine import Engine, Plan
        from ..read.json_fast import plain_json
        from ..shape.build import shape_of
        from ..shape.requests import parts_of, request_shape

        limits = limits_of(limits)
        used: Mapping[str, Any] = {}
        engine = stored_engine(("request", declared, limits)) if stores and not names else None
        if engine is None:
            seen, scope = seen_by_caller(names)
            shape, used = shape_of(declared, seen, scope, of_request=True)
            check_held(shape)  # as values: read from their sources they are text
            engine = Engine(Plan(request_shape(shape), Source.JSON, False, limits))
        self._settle(
            declared=declared,
            reads=Source.JSON,
            limits=limits,
            _shape=engine.plan.shape,
            _names=used,
            _plain_json=plain_json,
            _quickly=self._first_quickly,
            _sound_json=None,
            _known_json=None,
            _engine=engine,
            parts=parts_of(engine.plan.shape),
        )
        self._settle(_hides_in_body=self._hidden_in_body())

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
        value, plain = self._quickly(raw, False, lambda body: {**parts, _BODY: body})
        if value.__class__ is not Stop:
            return Verdict(value), True
        if plain.__class__ is Stop:
            plain = self._plain_json(raw, self.limits, self.shape.exact)
            value = plain
            if plain.__class__ is not Stop:
                value = self._engine.sound_and_known({**parts, _BODY: plain})
            if value.__class__ is not Stop:
                return Verdict(value), True
        from ..read.json_text import JsonText

        text = JsonText(raw, self.limits, exact=self.shape.exact, hides=self._hides_in_body)
        text.read(plain)
        if text.readable:
            return self._merged(self.examine({**parts, _BODY: text.value}), text), True
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
