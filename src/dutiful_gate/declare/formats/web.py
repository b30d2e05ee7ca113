"""Text kinds of the web: `Email`, `WebUrl`, `Hostname`, `Slug`."""

from __future__ import annotations

from functools import cache
from typing import Annotated, Any

from ..lazy import Late
from ..rules.format import OfFormat
from .email import USUAL, is_rare_email

_SLUG = "[a-z0-9]+(?:-[a-z0-9]+)*"
_slug = Late(_SLUG)


def is_web_url(text: str) -> bool:
    """An absolute http or https URL with a host (RFC 9110, section 4.2), within RFC 3986."""
    scheme, _, after = text.partition("://")
    return (
        scheme.lower() in ("http", "https")
        and after[:1] not in ("", "/", "?", "#", ":")
        and bool(_judges().is_uri(text))
    )


def is_hostname(text: str) -> bool:
    """A host name of RFC 1123."""
    return bool(_judges().is_hostname(text))


@cache
def _judges() -> Any:
    from . import judges  # not where a declaration is written

    return judges


def is_slug(text: str) -> bool:
    """Small ASCII letters and digits, in words with hyphens between them."""
    return _slug.fullmatch(text) is not None


WebUrl = Annotated[
    str,
    OfFormat(
        "uri",
        "a web address, such as https://host.example/page",
        is_web_url,
        {"pattern": "^[Hh][Tt][Tt][Pp][Ss]?://[^/?#:]"},
    ),
]
"""Text that is an absolute http or https URL."""

Hostname = Annotated[str, OfFormat("hostname", "a host name, such as host.example", is_hostname)]
"""Text that is a host name."""

Slug = Annotated[
    str,
    OfFormat(
        "", "words of small letters and digits with hyphens, such as marrow-isle", is_slug, {"pattern": f"^{_SLUG}$"}
    ),
]
"""Text of small ASCII letters and digits, in words with hyphens between them."""

Email = Annotated[str, OfFormat("email", "an email address, such as name@mail.example", is_rare_email, usual=USUAL)]
"""Text that is an email address."""
