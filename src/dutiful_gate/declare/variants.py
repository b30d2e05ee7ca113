"""Records derived from others without repeating them: `amendment` and `subset`."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Union

from .described import Described
from .errors import DeclarationError
from .values import Value


class Variant(Value):
    """A record made of another one's fields: the shape's builder reads it as it reads a class.

    `mends` tells an amendment, whose value is a dict of what was sent.
    """

    base: Any
    mends: bool
    only: tuple[str, ...] | None
    without: tuple[str, ...]
    optional: tuple[str, ...]
    required: tuple[str, ...]
    name: str

    @property
    def __name__(self) -> str:
        return self.name

    def __call__(self, *values: object) -> Any:
        """A variant is a declaration, and is not called; yet `typing` takes only what could be for a type."""
        raise TypeError(f"{self.name} is a declaration: build a gate for it, and admit data")

    def __or__(self, other: Any) -> Any:
        return Union[self, other]  # noqa: UP007  an instance of ours has no `|` of its own

    def __ror__(self, other: Any) -> Any:
        return Union[other, self]  # noqa: UP007

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
    variant: Any = Variant(base, True, None, _named(without), (), _named(demand), name or f"{_name(base)}Amendment")
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
    along; record rules that lost a field fall away, and the gate's `fallen` tells which.
    """
    if only is not None and _named(without):
        raise DeclarationError("subset was given both only= and without=", remedy="give one of them")
    chosen = None if only is None else _named(only)
    variant: Any = Variant(
        base, False, chosen, _named(without), _named(optional), _named(required), name or f"{_name(base)}Subset"
    )
    checked: type[Any] = variant
    return checked


def _name(base: Any) -> str:
    if not isinstance(base, type | Variant | Described):
        raise DeclarationError(f"{base!r} is no record to vary", remedy="name a dataclass, TypedDict or NamedTuple")
    return base.__name__
