"""What a request carries besides its parts: who asks, and values from outside; never read from what a client sent."""

from __future__ import annotations

from typing import Any, Final, get_args

from .errors import DeclarationError
from .outside import Outside, note_asked
from .told_types import is_of, kind_told_by, shown_kind
from .values import Value

identity: Final[Outside[Any]] = Outside("identity", Any, secret=True)
"""Beside the type of a field of a request: what the function of its security scheme gave back for who asks.

    @dataclass
    class Book:
        who: Annotated[Person | Desk, identity]
        body: Booking

Where schemes are joined by `&`, it is a tuple, one of each in their order; where nobody need be known, `| None`.
Handlers have it as `identity.here` too, and tests hand it over as `outside=[identity(person)]`.
"""


def carrier_of(hint: Any) -> Outside[Any] | None:
    """What hands over the value of a field of a request, as its annotation says; None where a client sends it."""
    found = [each for each in getattr(hint, "__metadata__", ()) if isinstance(each, Outside)]
    if not found:
        return None
    if len(hint.__metadata__) > 1:
        raise DeclarationError(
            f"{found[0]} hands over the whole value, and nothing else stands beside its type",
            remedy=f"as in Annotated[Person, {found[0]}]",
        )
    return found[0]


class TakenHere(Value):
    """Gives what is handed over for a field. Raises TypeError where nothing is, or a value of another type."""

    by: Any
    of: Any

    def __call__(self) -> Any:
        held = self.by.here
        if not is_of(self.of, held):
            raise TypeError(f"{self.by} is declared as {shown_kind(self.of)}, and is {type(held).__name__}")
        return held


def taken_here(hint: Any, by: Outside[Any]) -> TakenHere:
    """What gives the value of such a field. Raises DeclarationError for a type that no value can be told by, and for
    another than the value's."""
    kind = kind_told_by(get_args(hint)[0], f"what {by} hands over")
    given = by.kind if by.must_come else type(by.here)
    if by is not identity and given != kind:
        raise DeclarationError(
            f"{by} is {shown_kind(given)}, and the field {shown_kind(kind)}", remedy="write one type at both"
        )
    if by.must_come:
        note_asked(by.name)
    return TakenHere(by, kind)


__all__ = ["TakenHere", "carrier_of", "identity", "taken_here"]
