"""What an API is checked for before it serves: that every endpoint says who may, and takes who the schemes give."""

from __future__ import annotations

import types
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, Union, get_args, get_origin, get_type_hints

from ...declare.carried import identity
from ...declare.errors import DeclarationError
from ...declare.told_types import is_of, shown_kind
from .requirement import PUBLIC, Requirement, Scheme, Wanted

if TYPE_CHECKING:
    from ..endpoint import Endpoint


def schemes_by_name(usual: Requirement | None, endpoints: Sequence[Endpoint[Any]]) -> dict[str, Scheme]:
    """The schemes of an API by name. Raises DeclarationError for two of one name."""
    found: dict[str, Scheme] = {}
    for requirement in (usual, *(endpoint.security for endpoint in endpoints)):
        for scheme in requirement.schemes if requirement is not None else ():
            if found.setdefault(scheme.name, scheme) is not scheme:
                raise DeclarationError(
                    f"two schemes are called {scheme.name!r}",
                    remedy=f"give one another name: {type(scheme).__name__}(..., name=...)",
                )
    return found


def check_who_may(endpoints: Sequence[Endpoint[Any]], usual: Requirement | None) -> None:
    """Raise DeclarationError for an endpoint that does not say who may where others do, and for one whose request takes
    who asks, where the schemes give nobody, or somebody of another type."""
    some = any(endpoint.security is not None for endpoint in endpoints)
    for endpoint in endpoints:
        wanted = usual if endpoint.security is None else endpoint.security
        if wanted is None and some:
            raise DeclarationError(
                f"{endpoint!r} does not say who may, and others of the Api do",
                remedy="write security=PUBLIC for anybody; or say it for all: Api(..., security=...)",
            )
        for scheme in wanted.schemes if wanted is not None else ():
            if scheme.needs_body and "files" in endpoint.parts:
                raise DeclarationError(
                    f"{endpoint!r} takes files, which are not kept until a signature is proved",
                    remedy=f"take them as a body, or leave {scheme.name} out",
                )
        for alternative in wanted.alternatives if wanted is not None else ():
            _check_carriers(alternative, endpoint)
        for name, taken in endpoint.gate.carried.items():
            if taken.by is identity:
                _check_identity(endpoint, name, taken.of, wanted)


def _check_carriers(alternative: tuple[Wanted, ...], endpoint: Endpoint[Any]) -> None:
    """Raise DeclarationError for schemes that are wanted together and stand at one place, where one alone can be."""
    held: dict[tuple[str, str], Scheme] = {}
    for scheme, _ in alternative:
        said = scheme.described()
        at = ("header", "authorization")
        if said["type"] == "apiKey":
            at = (said["in"], said["name"].lower() if said["in"] == "header" else said["name"])
        elif said["type"] == "mutualTLS":
            continue
        if held.setdefault(at, scheme) is not scheme:
            raise DeclarationError(
                f"{endpoint!r} wants {held[at].name} & {scheme.name}, which both stand in the {at[0]} {at[1]}",
                remedy="join them by | so that either will do, or read one of them from another place",
            )


def _check_identity(endpoint: Endpoint[Any], name: str, kind: Any, wanted: Requirement | None) -> None:
    if wanted is None or wanted is PUBLIC:
        raise DeclarationError(
            f"{endpoint!r} takes who asks, and no scheme tells",
            remedy="give it one: security=Bearer(...)",
            field=name,
        )
    for alternative in wanted.alternatives:
        for gives in _given_by(alternative):
            if not _takes(kind, gives):
                told = "nobody" if gives is type(None) else shown_kind(gives)
                raise DeclarationError(
                    f"{name} of {endpoint!r} is {shown_kind(kind)}, and {wanted!r} may give {told}",
                    remedy="write all that the schemes give into its type",
                    field=name,
                )


def _given_by(alternative: tuple[Wanted, ...]) -> list[Any]:
    """The types that one alternative may give, as far as annotations tell; one that nothing is known of is not here."""
    if not alternative:
        return [type(None)]
    if len(alternative) > 1:
        return [tuple]
    scheme = alternative[0].scheme
    if scheme.is_in_front:
        return [type(None)]
    if scheme.needs_body:  # its function gives keys
        return []
    try:
        told = get_type_hints(scheme.function).get("return", Any)
    except Exception:  # names that cannot be seen, objects without annotations
        return []
    return [each for each in _options(told) if each not in (type(None), bool, Any) and isinstance(each, type)]


def _options(kind: Any) -> tuple[Any, ...]:
    return get_args(kind) if get_origin(kind) in (Union, types.UnionType) else (kind,)


def _takes(kind: Any, gives: type) -> bool:
    """Whether a value of a class may be of a type."""
    if kind is Any or (gives is type(None) and is_of(kind, None)):
        return True
    held = [get_origin(each) or each for each in _options(kind)]
    return any(isinstance(each, type) and (issubclass(gives, each) or issubclass(each, gives)) for each in held)


__all__ = ["check_who_may", "schemes_by_name"]
