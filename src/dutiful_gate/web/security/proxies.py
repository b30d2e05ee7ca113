"""Proxies in front of a service: who asked, and under which origin, of what those tell that are trusted (RFC 7239)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from ipaddress import IPv4Network, IPv6Network, ip_address, ip_network
from typing import Final, NamedTuple

from ...declare.errors import DeclarationError

_TOKEN: Final = r"[!#$%&'*+.^_`|~0-9A-Za-z-]+"
_PAIR = re.compile(rf'({_TOKEN})=({_TOKEN}|"(?:[^"\\]|\\.)*")')
_HOST = re.compile(r"(?:[A-Za-z0-9.-]+|\[[0-9A-Fa-f:.]+\])(?::[0-9]{1,5})?")
_MOST: Final = 64
"""So many elements are read."""


class Seat(NamedTuple):
    """Where a request comes from: the address of who asked, "" where nobody tells, and the origin that was asked."""

    client: str
    origin: str


class Proxies:
    """The addresses of proxies that are trusted; "unix" is whoever comes by a local socket, without an address."""

    def __init__(self, trusted: Sequence[str]) -> None:
        """Raises DeclarationError for what is no address or network."""
        if isinstance(trusted, str):
            raise DeclarationError(f"proxies={trusted!r} is no list", remedy=f"as in proxies=[{trusted!r}]")
        self._by_socket = "unix" in trusted
        networks: list[IPv4Network | IPv6Network] = []
        for each in trusted:
            if each == "unix":
                continue
            try:
                networks.append(ip_network(each))
            except (ValueError, TypeError):
                raise DeclarationError(
                    f"{each!r} is no network of proxies", remedy='as in "10.0.0.0/8", "192.0.2.7" or "unix"'
                ) from None
        self._networks = tuple(networks)

    def __bool__(self) -> bool:
        return self._by_socket or bool(self._networks)

    def trusts(self, address: str) -> bool:
        """Whether what comes from an address tells the truth."""
        if not address:
            return self._by_socket
        try:
            read = ip_address(address)
        except ValueError:
            return False
        mapped = getattr(read, "ipv4_mapped", None)
        return any(one in network for network in self._networks for one in (read, mapped) if one is not None)

    def seat(self, peer: str, origin: str, forwarded: str | None) -> Seat:
        """Where a request comes from. What nobody trusted tells is passed over; what cannot be read ends it."""
        seat = Seat(peer, origin)
        for told in reversed(_elements(forwarded) if forwarded and self else []):
            if not self.trusts(seat.client):
                break
            proto, host = told.get("proto", "").lower(), told.get("host", "")
            if proto in ("http", "https") and _HOST.fullmatch(host):
                origin = f"{proto}://{host.lower()}"
            elif proto in ("http", "https"):
                origin = f"{proto}://{origin.partition('://')[2]}"
            client = _address(told.get("for", ""))
            seat = Seat(client or "unknown", origin)
        return seat


def _elements(header: str) -> list[dict[str, str]]:
    """The elements of `Forwarded`, each by its names; none where it is not written as it should be."""
    found: list[dict[str, str]] = []
    element: dict[str, str] = {}
    at = 0
    while True:
        while header[at : at + 1] in (" ", "\t"):
            at += 1
        if (pair := _PAIR.match(header, at)) is not None:
            name, value = pair[1].lower(), pair[2]
            if name in element:
                return []
            element[name] = re.sub(r"\\(.)", r"\1", value[1:-1]) if value[0] == '"' else value
            at = pair.end()
        while header[at : at + 1] in (" ", "\t"):
            at += 1
        mark = header[at : at + 1]
        if mark in (",", ""):
            if element:
                found.append(element)
            element = {}
        elif mark != ";":
            return []
        if not mark:
            return found if len(found) <= _MOST else []
        at += 1


def _address(node: str) -> str:
    """The address of a node without its port; "" for one that hides (RFC 7239, section 6)."""
    told = node[1:].partition("]")[0] if node.startswith("[") else node.partition(":")[0]
    try:
        return str(ip_address(told))
    except ValueError:
        return ""


__all__ = ["Proxies", "Seat"]
