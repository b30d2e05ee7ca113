"""Cookies that an answer sets (RFC 6265), closed unless they are opened."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any, Final, Literal

from ..declare.before_reading import via

_NAME: Final = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")
_VALUE: Final = re.compile(r"[\x21\x23-\x2b\x2d-\x3a\x3c-\x5b\x5d-\x7e]*")
_PATH: Final = re.compile(r"/[\x20-\x3a\x3c-\x7e]*")
_DOMAIN: Final = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9.-]*[A-Za-z0-9])?")


def _read(text: str) -> SetCookie:
    """A cookie of what `Set-Cookie` says. Raises ValueError."""
    first, *more = (each.strip() for each in text.split(";"))
    name, _, value = first.partition("=")
    said = {key.strip().lower(): held.strip() for key, _, held in (each.partition("=") for each in more)}
    age = said.get("max-age")
    site: Any = said.get("samesite", "lax").lower()
    return SetCookie(
        name,
        value,
        None if age is None else int(age),
        said.get("path", "/"),
        said.get("domain", ""),
        "secure" in said,
        "httponly" in said,
        site,
    )


@via(str, made=_read, back=str)
@dataclass(frozen=True, slots=True)
class SetCookie:
    """A cookie as `Set-Cookie` says it: for HTTPS alone, hidden from scripts, not sent from other sites.

        SIGNED_IN("Welcome", headers={"set-cookie": SetCookie("desk", key, max_age=3600)})

    `name`, `value`  as they stand, without blanks, quotes, commas, semicolons or backslashes
    `max_age`        for how many seconds it is kept, 0 to be forgotten at once; by default until the browser ends
    `path`, `domain`  where it is sent: under a path, and to hosts below a domain; by default to this host alone
    `secure`         over HTTPS alone
    `http_only`      hidden from scripts
    `same_site`      "lax" (from other sites when somebody follows a link), "strict" (never), "none" (always)

    Raises ValueError for what no cookie can be, and for what browsers refuse: "none" without `secure`; a name with
    "__Host-" that has a domain or another path, or with "__Secure-", and is not secure.
    """

    name: str
    value: str = ""
    max_age: int | None = None
    path: str = "/"
    domain: str = ""
    secure: bool = True
    http_only: bool = True
    same_site: Literal["lax", "strict", "none"] = "lax"

    def __post_init__(self) -> None:
        parts: list[tuple[str, Any, re.Pattern[str]]] = [("name", self.name, _NAME), ("value", self.value, _VALUE)]
        parts += [("path", self.path, _PATH), *([("domain", self.domain, _DOMAIN)] if self.domain else [])]
        for word, held, form in parts:
            if held.__class__ is not str or form.fullmatch(held) is None:
                raise ValueError(f"the {word} of a cookie is nothing that a cookie holds")
        age: Any = self.max_age
        if age is not None and (age.__class__ is not int or not 0 <= age < 10**10):
            raise ValueError("max_age is a number of seconds, 0 to forget it")
        flags: list[Any] = [self.secure, self.http_only]
        if not all(isinstance(each, bool) for each in flags):
            raise ValueError("secure and http_only are True or False")
        if self.same_site not in ("lax", "strict", "none"):
            raise ValueError('same_site is "lax", "strict" or "none"')
        lower = self.name.lower()
        if not self.secure and (self.same_site == "none" or lower.startswith(("__host-", "__secure-"))):
            raise ValueError("browsers take such a cookie with secure=True alone")
        if lower.startswith("__host-") and (self.domain or self.path != "/"):
            raise ValueError('browsers take a "__Host-" cookie of this host and of the path "/" alone')

    def __str__(self) -> str:
        told = [f"{self.name}={self.value}", f"Path={self.path}"]
        told += [f"Max-Age={self.max_age}"] if self.max_age is not None else []
        told += [f"Domain={self.domain}"] if self.domain else []
        told += ["Secure"] if self.secure else []
        told += ["HttpOnly"] if self.http_only else []
        return "; ".join([*told, f"SameSite={self.same_site.title()}"])

    def __repr__(self) -> str:
        return f"<SetCookie {self.name}>"


__all__ = ["SetCookie"]
