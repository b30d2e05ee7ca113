"""Records derived from others without repeating them: `Amendment` and `subset`."""

from __future__ import annotations

import typing
from collections.abc import Iterable
from typing import Any, Generic, TypeVar

from .described import Described, StandsForClass
from .errors import DeclarationError
from .values import Value

R = TypeVar("R")


class Variant(StandsForClass):
    """A record made of another one's fields: the shape's builder reads it as it reads a class.

    `mends` tells an amendment, whose value is an `Amendment` of what was sent; `inside` one that stands in another,
    which may change nothing.
    """

    base: Any
    mends: bool
    only: tuple[str, ...] | None
    without: tuple[str, ...]
    optional: tuple[str, ...]
    required: tuple[str, ...]
    inside: bool = False

    def named(self) -> tuple[str, ...]:
        """Every field that the variant names."""
        return (*(self.only or ()), *self.without, *self.optional, *self.required)


def _named(fields: Iterable[str] | str) -> tuple[str, ...]:
    return (fields,) if isinstance(fields, str) else tuple(fields)


class Amendment(dict[str, Any], Generic[R]):
    """What may be sent to change a record: `Amendment[Booking]` has its fields, none of which must be there, at least
    one of which is.

        body: Annotated[Amendment[Booking], without("number"), demanding("version")]

    The value is a dict of exactly what was sent, by attribute: absent and null differ, defaults are left aside. It is
    as deep as the record, as merge patches are (RFC 7396): what is sent for a record inside is an amendment of that
    one, for a dict the entries that change, null for those that go; lists, and fields that are one of several records,
    are sent whole. Null is admitted where the record admits it, and means null. Rules travel along; those between
    fields are asked where all of them were sent, and all of them again by what applies it: `amended` of
    `dutiful_gate.web`, or `changed`. In code one is made by calling it, with its fields by name.
    """

    __slots__ = ()


class Without(Value):
    """See `without`."""

    names: tuple[str, ...]

    def __str__(self) -> str:
        return f"without({', '.join(map(repr, self.names))})"


class Demanding(Value):
    """See `demanding`."""

    names: tuple[str, ...]

    def __str__(self) -> str:
        return f"demanding({', '.join(map(repr, self.names))})"


def without(*fields: str) -> Without:
    """Beside an `Amendment`: the fields that cannot be changed."""
    return Without(_texts("without", fields))


def demanding(*fields: str) -> Demanding:
    """Beside an `Amendment`: the fields that must be there, a version, say."""
    return Demanding(_texts("demanding", fields))


def _texts(mark: str, fields: tuple[str, ...]) -> tuple[str, ...]:
    if not fields or not all(isinstance(each, str) for each in fields):
        raise DeclarationError(f"{mark}(...) names no fields", remedy=f'as in {mark}("number", "version")')
    return fields


def amendment_of(
    base: Any,
    *,
    without: Iterable[str] | str = (),
    demand: Iterable[str] | str = (),
    name: str = "",
    inside: bool = False,
) -> Variant:
    """What an `Amendment` of a record is to the shape's builder."""
    return Variant(name or f"{_name(base)}Amendment", base, True, None, _named(without), (), _named(demand), inside)


def subset(
    base: type[Any],
    *,
    only: Iterable[str] | str | None = None,
    without: Iterable[str] | str = (),
    optional: Iterable[str] | str = (),
    required: Iterable[str] | str = (),
    name: str = "",
) -> type[Any]:
    """A record of some of another one's fields: `only` these, or all `without` these.

    Fields named in `optional` may be absent and are None then; those in `required` lose their default. Rules travel
    along; record rules that lost a field fall away, and the gate's `lost_rules` tells which. Its gate releases the
    whole record too, and any object that has the attributes: `Gate(subset(User, without="password")).release(user)`.
    """
    if only is not None and _named(without):
        raise DeclarationError("subset was given both only= and without=", remedy="give one of them")
    chosen = None if only is None else _named(only)
    called = name or f"{_name(base)}Subset"
    variant: Any = Variant(called, base, False, chosen, _named(without), _named(optional), _named(required))
    checked: type[Any] = variant
    return checked


def _name(base: Any) -> str:
    origin = typing.get_origin(base)
    if isinstance(origin, type):  # Page[Booking]
        inside = "And".join(getattr(each, "__name__", "Any") for each in typing.get_args(base))
        return f"{origin.__name__}Of{inside}"
    if not isinstance(base, type | Variant | Described):
        raise DeclarationError(f"{base!r} is no record to vary", remedy="name a dataclass, TypedDict or NamedTuple")
    return base.__name__
