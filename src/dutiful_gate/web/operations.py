"""Endpoints as operations of a description: their names, and what leads from one to another."""

from __future__ import annotations

import json
from collections.abc import Container, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from ..declare.errors import DeclarationError

if TYPE_CHECKING:
    from .endpoint import Endpoint


def operation_names(endpoints: Sequence[Endpoint[Any]]) -> dict[int, str]:
    """The names of endpoints in a description, by their identity: of two whose paths give one, the later is numbered.

    Raises DeclarationError for two that were given one name.
    """
    made: dict[int, str] = {}
    taken = {each.name for each in endpoints if each.is_named}
    given: dict[str, Endpoint[Any]] = {}
    for endpoint in endpoints:
        name, number = endpoint.name, 1
        if endpoint.is_named:
            if given.setdefault(name, endpoint) is not endpoint:
                raise DeclarationError(
                    f"two endpoints are called {name!r}: {given[name]!r} and {endpoint!r}",
                    remedy="give one of them another name=",
                )
        else:
            while name in taken:
                number += 1
                name = f"{endpoint.name}_{number}"
            taken.add(name)
        made[id(endpoint)] = name
    return made


def check_links(endpoints: Sequence[Endpoint[Any]], names: Mapping[int, str]) -> None:
    """Raise DeclarationError for a link that leads to no endpoint of these."""
    known = set(names.values())
    for endpoint in endpoints:
        for links in endpoint.links.values():
            for name, link in links.items():
                if (lead := link.get("operationId", "")) and lead not in known:
                    raise DeclarationError(
                        f"the link {name!r} of {endpoint!r} leads to {lead!r}, which no endpoint is called",
                        remedy=f"one of {', '.join(sorted(known)[:12])}",
                    )


def checked_links(links: Any, statuses: Container[int]) -> dict[int, dict[str, Any]]:
    """The links of answers by status. Raises DeclarationError for what are none, or of no answer."""
    remedy = 'as in links={201: {"read": {"operationId": "get_bookings_number"}}}'
    for status, held in _as_data(links, "links=", remedy).items():
        if status not in statuses:
            raise DeclarationError(f"links are told of the answer {status}, which is not declared", remedy=remedy)
        for name, link in held.items():
            if not isinstance(link, Mapping) or ("operationId" in link) == ("operationRef" in link):
                told = f"the link {name!r} leads to no operation, or to two"
                raise DeclarationError(told, remedy='say its "operationId", or its "operationRef"')
    return dict(links or {})


def checked_callbacks(callbacks: Any) -> dict[str, Any]:
    """The callbacks by name. Raises DeclarationError for what are none."""
    remedy = 'as in callbacks={"filed": {"{$request.body#/tell}": {"post": {...}}}}'
    for name, held in _as_data(callbacks, "callbacks=", remedy).items():
        if not all(isinstance(each, str) and isinstance(inner, Mapping) for each, inner in held.items()):
            raise DeclarationError(f"the callback {name!r} is no path item by its expression", remedy=remedy)
    return dict(callbacks or {})


def _as_data(given: Any, called: str, remedy: str) -> Mapping[Any, Mapping[Any, Any]]:
    """What is given as plain data by name, each of it by name too."""
    if given is None:
        return {}
    by_name: Any = given if isinstance(given, Mapping) else {"": given}
    sound = all(isinstance(held, Mapping) for held in by_name.values())
    try:
        json.dumps(given)
    except (TypeError, ValueError, RecursionError):
        sound = False
    if not sound:
        raise DeclarationError(f"{called} is no data by name", remedy=remedy)
    held: Mapping[Any, Mapping[Any, Any]] = given
    return held
