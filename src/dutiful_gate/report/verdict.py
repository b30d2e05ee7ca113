"""What a gate says of one payload."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, Generic, NamedTuple, TypeVar

from .fault import Fault, Path, dotted, travelling
from .in_notebooks import DrawnInNotebooks
from .shown_values import counted, shown

if TYPE_CHECKING:
    from .problem import Problem

T = TypeVar("T")
_NOTHING: Any = object()


class Noted(NamedTuple):
    """A value, and the paths of the keys that were dropped because nobody declared them."""

    value: Any
    dropped: tuple[Path, ...]

    @classmethod
    def of(cls, value: Any, entries: list[list[Any]]) -> Noted:
        """Of what the core noted: the steps to each key from the inside out, each followed by its turn.

        They are brought into the order of the declaration, in which Python comes to them.
        """
        entries.sort(key=lambda steps: steps[:0:-2])
        return cls(value, tuple(tuple(steps[-2::-2]) for steps in entries))


class Verdict(DrawnInNotebooks, Generic[T]):
    """Admitted, with a value; or refused, with every fault.

    It is truthy when admitted. `dropped` lists the paths of unknown keys that were left out, `untold` is how many
    more faults there were than the limit lets through; `fallbacks` lists the faults for which something else stands in,
    as many as the limit lets through.
    `unjudged` lists the JSON Pointers of what could be neither admitted nor refused, since a part of a document that
    cannot be used has a say in it (`Gate.from_schema(..., flaws="tell")`).
    """

    __slots__ = ("_entered", "_faults", "_value", "dropped", "fallbacks", "unjudged", "untold")

    dropped: tuple[Path, ...]
    untold: int
    fallbacks: tuple[Fault, ...]
    unjudged: tuple[str, ...]

    def __init__(
        self,
        value: T = _NOTHING,
        faults: Sequence[Fault] | Callable[[], Sequence[Fault]] = (),
        dropped: Sequence[Path] = (),
        untold: int = 0,
        fallbacks: Sequence[Fault] = (),
        entered: Callable[[], Any] | None = None,
        unjudged: tuple[str, ...] = (),
    ) -> None:
        # Faults may come as a function: they are put together for those who look at them.
        self._value = value
        self.unjudged = unjudged
        self.fallbacks = fallbacks if fallbacks.__class__ is tuple else tuple(fallbacks)
        self._entered = entered
        self._faults = faults
        self.dropped = dropped if dropped.__class__ is tuple else tuple(dropped)
        self.untold = untold

    @property
    def faults(self) -> tuple[Fault, ...]:
        """Every fault, in document order; none when admitted."""
        faults = self._faults
        if faults.__class__ is tuple:
            return faults
        told = self._faults = tuple(faults() if callable(faults) else faults)
        return told

    @property
    def value(self) -> T:
        """The admitted value. Raises Refused when there is none: ask the verdict itself first."""
        if self._value is _NOTHING:
            raise Refused(self)
        return self._value

    def __bool__(self) -> bool:
        return self._value is not _NOTHING

    def entered(self) -> Any:
        """What was typed, to fill a form with again: the data as it came, without the values of secrets.

        None where the data was not kept, as in a verdict that came from another process.
        """
        return None if self._entered is None else self._entered()

    def by_field(self) -> dict[str, list[str]]:
        """The messages by field, as a form shows them: {"crates[1].weight_kg": ["needs ..."]}; "" is the whole."""
        told: dict[str, list[str]] = {}
        for fault in self.faults:
            told.setdefault(dotted(fault.path), []).append(fault.message)
        return told

    def problem(
        self, *, status: int = 422, kind: str = "about:blank", title: str = "", instance: str | None = None
    ) -> Problem:
        """The body of an `application/problem+json` answer (RFC 9457), faults as its `errors`.

        `kind` is the URI of the problem's type, `instance` that of this occurrence. Raises ValueError for a verdict
        that admitted: there is no problem to tell.
        """
        if self:
            raise ValueError(
                "an admitted payload has no problem to tell: ask the verdict first, as in `if not verdict`"
            )
        from .problem import problem_of  # only where problems are sent

        return problem_of(self.faults, self.untold, status=status, kind=kind, title=title, instance=instance)

    def __repr__(self) -> str:
        if self:
            return f"<Verdict admitted: {shown(self._value) if self._value is None else 'a value'}>"
        return f"<Verdict refused: {counted(len(self.faults) + self.untold, 'fault')}>"

    def __reduce__(self) -> tuple[object, ...]:
        dropped = tuple(map(travelling, self.dropped))
        if self._value is _NOTHING:
            return refusal, (self.faults, dropped, self.untold, self.fallbacks, None, self.unjudged)
        return Verdict, (self._value, (), dropped, self.untold, self.fallbacks, None, self.unjudged)


def refusal(
    faults: Sequence[Fault] | Callable[[], Sequence[Fault]],
    dropped: Sequence[Path] = (),
    untold: int = 0,
    fallbacks: Sequence[Fault] = (),
    entered: Callable[[], Any] | None = None,
    unjudged: tuple[str, ...] = (),
) -> Verdict[Any]:
    """A verdict without a value."""
    return Verdict(_NOTHING, faults, dropped, untold, fallbacks, entered, unjudged)


def relisted(
    verdict: Verdict[T],
    faults: Sequence[Fault] | None = None,
    dropped: Sequence[Path] | None = None,
    fallbacks: Sequence[Fault] | None = None,
    unjudged: tuple[str, ...] | None = None,
) -> Verdict[T]:
    """The same verdict with other lists in the place of its own; with faults, one that refuses.

    One that refuses keeps its own faults where none are left: nothing is refused without a word.
    """
    return Verdict(
        _NOTHING if faults else verdict._value,
        verdict._faults if faults is None or not (faults or verdict) else faults,
        verdict.dropped if dropped is None else dropped,
        verdict.untold,
        verdict.fallbacks if fallbacks is None else fallbacks,
        verdict._entered,
        verdict.unjudged if unjudged is None else unjudged,
    )


class Refused(ValueError):
    """Raised by `admit`: the data was refused. Its text lists the faults; `verdict` holds all of it."""

    def __init__(self, verdict: Verdict[Any]) -> None:
        super().__init__(verdict)
        self.verdict = verdict

    @property
    def faults(self) -> tuple[Fault, ...]:
        """Every fault, in document order."""
        return self.verdict.faults

    def __str__(self) -> str:
        verdict = self.verdict
        lines = [f"refused with {counted(len(verdict.faults) + verdict.untold, 'fault')}"]
        lines += [f"  {fault}" for fault in verdict.faults]
        if verdict.untold:
            lines.append(f"  and {verdict.untold:,} more")
        return "\n".join(lines)
