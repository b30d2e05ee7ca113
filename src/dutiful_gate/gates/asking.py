"""The verbs of gates whose declarations have checks that wait: the checks are asked at once, in a window a payload."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator
from functools import partial
from typing import TYPE_CHECKING, Any, TypeVar

from ..declare.errors import DeclarationError
from ..declare.outside import HandedOver, with_values
from ..report.verdict import Verdict
from .base import AnyGate, Raw

if TYPE_CHECKING:
    from .explanation import Explanation

T = TypeVar("T")
R = TypeVar("R")


class Asking(AnyGate[T]):
    """The verbs of a gate that asks its checks at once, in a window for each payload."""

    __slots__ = ()

    asks_elsewhere = True

    def _window(self, call: Callable[[], R]) -> R:
        from ..engine.asking import in_window

        return in_window(call, secrets_of(self))

    def _judged(self, outside: Iterable[HandedOver], call: Callable[[], R]) -> R:
        return with_values(outside, partial(self._window, call))

    def admit(self, data: object, *, outside: Iterable[HandedOver] = ()) -> T:
        """See `AnyGate.admit`."""
        return self._judged(outside, partial(super().admit, data))

    def examine(self, data: object, *, outside: Iterable[HandedOver] = ()) -> Verdict[T]:
        """See `AnyGate.examine`."""
        return self._judged(outside, partial(super().examine, data))

    def accepts(self, data: object, *, outside: Iterable[HandedOver] = ()) -> bool:
        """See `AnyGate.accepts`."""
        return self._judged(outside, partial(super().accepts, data))

    def admit_json(self, raw: Raw, *, outside: Iterable[HandedOver] = ()) -> T:
        """See `AnyGate.admit_json`."""
        return self._judged(outside, partial(super().admit_json, raw))

    def examine_json(self, raw: Raw, *, outside: Iterable[HandedOver] = ()) -> Verdict[T]:
        """See `AnyGate.examine_json`."""
        return self._judged(outside, partial(super().examine_json, raw))

    def why(self, data: object, pointer: str = "", *, outside: Iterable[HandedOver] = ()) -> Explanation:
        """See `AnyGate.why`."""
        return self._judged(outside, partial(super().why, data, pointer))

    def why_json(self, raw: Raw, pointer: str = "", *, outside: Iterable[HandedOver] = ()) -> Explanation:
        """See `AnyGate.why_json`."""
        return self._judged(outside, partial(super().why_json, raw, pointer))

    def _each(
        self, items: Iterable[object], outside: list[HandedOver], window: int, seconds: float | None
    ) -> Iterator[Verdict[T]]:
        from ..engine.asking import each_in_windows

        judged = partial(self._judged, outside)
        return each_in_windows(items, super().examine, judged, window, seconds)


def secrets_of(gate: AnyGate[Any]) -> frozenset[Hashable]:
    """The checks of a gate whose words are not to be told."""
    return gate._engine.plan.asked_in_secret  # type: ignore[union-attr]


def become_asking(gate: AnyGate[Any], asking: type[AnyGate[Any]], remedy: str, *, awaited: bool) -> None:
    """Make a gate that was just built one that asks, where its declaration has checks that wait.

    Raises DeclarationError, with the remedy, for a check that is async, where it is not to be `awaited`.
    """
    from ..shape.asked_outside import waiting_of

    checks = waiting_of(gate.shape)
    if not checks:
        return
    later = next((check for check in checks if check.is_async), None)
    if later is not None and not awaited:
        raise DeclarationError(
            f"{later.name} is async, and this gate waits for nothing",
            remedy=f"{remedy}, or write a plain function of many values",
            record=gate.shape.name,
        )
    object.__setattr__(gate, "__class__", asking)
