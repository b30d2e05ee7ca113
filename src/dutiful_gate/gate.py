"""The gate: the front door to all the rooms."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any, Generic, Literal, NoReturn, TypeVar, overload

from .declare.errors import DeclarationError
from .declare.facts import FAILED, Source
from .declare.limits import Limits
from .document.document import Document
from .report.verdict import Refused, Verdict, refusal

if TYPE_CHECKING:
    from .engine.gatehouse import Engine
    from .read.json_text import JsonText
    from .shape.nodes import Shape

T = TypeVar("T")
Raw = bytes | bytearray | memoryview | str
_UNKNOWN = ("drop", "refuse")


class Gate(Generic[T]):
    """A declared type, compiled for one source. Immutable, safe in threads, picklable where its type is.

    `declared`  a dataclass, a type like `list[Booking]`, or an `Annotated` alias of one
    `source`    what the data is before it is read: `Source.JSON` (decoded), `Source.TEXT`, `Source.NATIVE`
    `unknown`   keys nobody declared: "drop" leaves them out and tells of it, "refuse" makes each a fault
    `limits`    bounds on what comes from outside, see `Limits`
    `names`     names that annotations use and that cannot be seen where the type is declared

    Raises DeclarationError when the declaration is wrong, naming the record, the field and the remedy.
    """

    __slots__ = ("_engine", "declared", "limits", "reads", "shape", "unknown")

    declared: object
    reads: Source
    unknown: Literal["drop", "refuse"]
    limits: Limits
    shape: Shape
    _engine: Engine

    @overload
    def __init__(
        self,
        declared: type[T],
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        names: Mapping[str, Any] | None = ...,
    ) -> None: ...

    @overload
    def __init__(
        self: Gate[Any],
        declared: object,
        source: Source = ...,
        *,
        unknown: Literal["drop", "refuse"] = ...,
        limits: Limits | None = ...,
        names: Mapping[str, Any] | None = ...,
    ) -> None: ...

    def __init__(
        self,
        declared: Any,
        source: Source = Source.JSON,
        *,
        unknown: Literal["drop", "refuse"] = "drop",
        limits: Limits | None = None,
        names: Mapping[str, Any] | None = None,
    ) -> None:
        if unknown not in _UNKNOWN:
            raise DeclarationError(f"unknown={unknown!r} is no way to treat unknown keys", remedy='"drop" or "refuse"')
        if not isinstance(source, Source):
            raise DeclarationError(
                f"source={source!r} is no source", remedy="Source.JSON, Source.TEXT or Source.NATIVE"
            )
        # The rooms behind the door open when the first gate is built: importing the package stays cheap.
        from .engine.gatehouse import Engine, Plan
        from .engine.held import check_held
        from .shape.build import shape_of

        # Types declared inside a function see each other through the frame in which their gate is built.
        frame = sys._getframe(1)
        shape = shape_of(declared, {**frame.f_locals, **(names or {})}, frame.f_code.co_qualname)
        check_held(shape)
        limits = limits or Limits()
        engine = Engine(Plan(shape, source, unknown == "refuse", limits))
        settled = {
            "declared": declared,
            "reads": source,
            "unknown": unknown,
            "limits": limits,
            "shape": shape,
            "_engine": engine,
        }
        for name, held in settled.items():
            object.__setattr__(self, name, held)

    def __setattr__(self, name: str, value: object) -> NoReturn:
        raise AttributeError(f"a gate does not change: build another with other words instead of setting {name}")

    def __reduce__(self) -> tuple[object, ...]:
        return _rebuilt, (self.declared, self.reads, self.unknown, self.limits)

    def __repr__(self) -> str:
        return f"<Gate {self.shape.name} from {self.reads!r}>"

    def admit(self, data: object) -> T:
        """The typed value of sound data. Raises Refused, with every fault, for anything else."""
        value = self._engine.sound(data)
        if value is FAILED:
            verdict = self._examined(data)
            if not verdict:
                raise Refused(verdict)
            value = verdict.value
        return value  # type: ignore[no-any-return]

    def examine(self, data: object) -> Verdict[T]:
        """The verdict on data: its value, or every fault. Never raises for bad data."""
        value = self._engine.sound_and_known(data)
        return self._examined(data) if value is FAILED else Verdict(value)

    def accepts(self, data: object) -> bool:
        """Whether data would be admitted."""
        return self._engine.sound(data) is not FAILED or bool(self._examined(data))

    def examine_each(self, items: Iterable[object]) -> Iterator[Verdict[T]]:
        """One verdict an item, lazily, in order."""
        examine = self.examine
        for item in items:
            yield examine(item)

    def admit_json(self, raw: Raw) -> T:
        """The typed value of raw JSON. Raises Refused, every fault with its line and column, for anything else."""
        verdict = self.examine_json(raw)
        if not verdict:
            raise Refused(verdict)
        return verdict.value

    def examine_json(self, raw: Raw) -> Verdict[T]:
        """The verdict on raw JSON (RFC 8259, in UTF-8 where it is bytes), within the gate's limits.

        Faults carry the line and column they stand at. Text that is no JSON is a fault too, never an exception.
        Raises TypeError when `raw` is no text at all, and for a gate whose source is not JSON.
        """
        if self.reads is not Source.JSON:
            raise TypeError(f"this gate reads {self.reads!r}: build one for Source.JSON to read raw JSON")
        if not isinstance(raw, bytes | bytearray | memoryview | str):
            raise TypeError(f"raw JSON is bytes or str, not {type(raw).__name__}: for decoded data call examine()")
        from .read.json_text import JsonText

        text = JsonText(raw, self.limits)
        if text.read():
            value = self._engine.sound_and_known(text.value)
            if value is not FAILED:
                return Verdict(value)
        elif not text.readable:
            return refusal(text.broken)
        return self._examined_text(text)

    def _examined(self, data: object) -> Verdict[T]:
        value, log = self._engine.collect(data)
        if value is FAILED:
            return refusal(log.told(), log.dropped, log.untold)
        return Verdict(value, (), log.dropped)

    def _examined_text(self, text: JsonText) -> Verdict[T]:
        value, log = self._engine.collect(text.value)
        if value is FAILED or text.broken:
            faults = text.merged(log.told())
            most = self.limits.faults
            return refusal(faults[:most], log.dropped, log.untold + max(0, len(faults) - most))
        return Verdict(value, (), log.dropped)

    def schema(self) -> Document:
        """The JSON Schema document (2020-12) that says to clients what the gate says to data.

        It tells what a client should send: values in their final form. Its `unstated` lists the rules that it
        cannot express, each with its field and why.
        """
        from .document.write import written

        return written(self.shape, refuse_unknown=self.unknown == "refuse")

    @property
    def source(self) -> str:
        """The Python source that the gate was compiled to."""
        return self._engine.source


def _rebuilt(declared: Any, source: Source, unknown: Any, limits: Limits) -> Gate[Any]:
    return Gate(declared, source, unknown=unknown, limits=limits)
