"""Requests that a browser makes for a page of another site, with the cookies of this one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Final
from urllib.parse import urlsplit

from ...declare.errors import DeclarationError
from ..refusals import RequestProblem

if TYPE_CHECKING:
    from ..head import Head

_SAFE: Final = frozenset(["GET", "HEAD", "OPTIONS"])


def refuse_other_sites(head: Head, origins: frozenset[str]) -> None:
    """Raise RequestProblem(403) for a request that changes something and comes from a page of another site.

    Browsers tell by `Sec-Fetch-Site` (Fetch Metadata), older ones by `Origin` (RFC 6454); what tells neither is no
    browser. `origins` are those of other sites that may.
    """
    if head.method in _SAFE:
        return
    came = [value for name, value in head.headers if name == "origin"]
    origin = came[0].strip().lower() if len(came) == 1 else None
    if origin in origins:
        return
    sites = [value.strip().lower() for name, value in head.headers if name == "sec-fetch-site"]
    if sites:
        if all(site in ("same-origin", "none") for site in sites):
            return
    elif not came or origin == head.origin:
        return
    raise RequestProblem(403, "This request comes from a page of another site.")


def checked_origins(origins: Sequence[str]) -> frozenset[str]:
    """The origins as they are compared. Raises DeclarationError for what is none."""
    if isinstance(origins, str):
        raise DeclarationError(f"origins={origins!r} is no list", remedy=f"as in origins=[{origins!r}]")
    for each in origins:
        parted = urlsplit(str(each))
        plain = f"{parted.scheme}://{parted.netloc}" == each and parted.netloc != ""
        if parted.scheme not in ("http", "https") or not plain or "*" in each or "@" in each:
            raise DeclarationError(
                f"{each!r} is no origin", remedy='scheme and host alone, as in "https://desk.ternsound.example"'
            )
    return frozenset(each.lower() for each in origins)


__all__ = ["checked_origins", "refuse_other_sites"]
