"""Records derived from others without repeating them: `amendment` and `subset`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from .described import Described, StandsForClass
from .errors import DeclarationError


class Variant(StandsForClass):
    """A record made of another one's fields: the shape's builder reads it as it reads a class.

    `mends` tells an amendment, whose value is a dict of what was sent.
    """

    base: Any
    mends: bool
    only: tuple[str, ...] | None
    without: tuple[str, ...]
    optional: tuple[str, ...]
    required: tuple[str, ...]

    def named(self) -> tuple[str, ...]:
        """Every field that the variant names."""
        return (*(self.only or ()), *self.without, *self.optional, *self.required)


def _named(fields: Iterable[str] | str) -> tuple[str, ...]:
    return (fields,) if isinstance(fields, str) else tuple(fields)


def amendment(
    base: type, *, without: Iterable[str] | str = (), demand: Iterable[str] | str = (), name: str = ""
) -> type[dict[str, Any]]:
    """What may be sent to change a record: every field optional, defaults left aside, at least one there.

    The value is a dict of exactly what was sent, by attribute, ready to hand to a storage update: absent and null
    differ. `without` names fields that cannot be changed, `demand` fields that must be there (a version, say).
    Rules travel along.
    """
    called = name or f"{_name(base)}Amendment"
    variant: Any = Variant(called, base, True, None, _named(without), (), _named(demand))
    checked: type[dict[str, Any]] = variant
    return checked


def subset(
    base: type,
    *,
    only: Iterable[str] | str | None = None,
    without: Iterable[str] | str = (),
    optional: Iterable[str] | str = (),
    required: Iterable[str] | str = (),
    name: str = "",
) -> type[Any]:
    """A record of some of another one's fields: `only` these, or all `without` these.

    Fields named in `optional` may be absent and are None then; those in `required` lose their default. Rules travel
    along; record rules that lost a field fall away, and the gate's `lost_rules` tells which.
    """
    if only is not None and _named(without):
        raise DeclarationError("subset was given both only= and without=", remedy="give one of them")
    chosen = None if only is None else _named(only)
    called = name or f"{_name(base)}Subset"
    variant: Any = Variant(called, base, False, chosen, _named(without), _named(optional), _named(required))
    checked: type[Any] = variant
    return checked


def _name(base: Any) -> str:
    if not isinstance(base, type | Variant | Described):
        raise DeclarationError(f"{base!r} is no record to vary", remedy="name a dataclass, TypedDict or NamedTuple")
    return base.__name__
