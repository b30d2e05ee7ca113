"""The schemes that OpenAPI describes: bearer tokens, passwords, keys, OAuth 2, OpenID Connect; and own ones."""

from __future__ import annotations

import binascii
import re
from base64 import b64decode
from collections.abc import Callable, Collection, Mapping
from typing import TYPE_CHECKING, Any, Final

from ...declare.errors import DeclarationError
from .requirement import IN_FRONT, NOBODY, NOTHING_CAME, Scheme, ToAsk, Unidentified

if TYPE_CHECKING:
    from ..head import Head

By1 = Callable[[str], object]
By2 = Callable[[str, str], object]
ByHead = Callable[["Head"], object]
ScopesOf = Callable[[Any], Collection[str]]
_TOKEN: Final = re.compile(r"[A-Za-z0-9\-._~+/]+=*")
"""What a token is made of (RFC 6750, section 2.1)."""
HEADER_NAME: Final = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")
_FLOWS: Final[Mapping[str, tuple[str, ...]]] = {
    "implicit": ("authorizationUrl",),
    "password": ("tokenUrl",),
    "clientCredentials": ("tokenUrl",),
    "authorizationCode": ("authorizationUrl", "tokenUrl"),
}


class Bearer(Scheme):
    """A token in `Authorization: Bearer ...` (RFC 6750).

        signed_in = Bearer(person_of, scopes_of=Person.may)

    The function, plain or `async`, is given the token, and gives back whose it is: whatever an endpoint takes beside
    `identity`. None, or anything false, is nobody: 401. `scopes_of` gives what that one may, for `signed_in["book"]`:
    403 where it lacks. `form` tells clients what tokens look like, such as "JWT". IN_FRONT in the place of the function
    says that what stands in front of the service checks.
    """

    __slots__ = ("form",)

    def __init__(
        self,
        who: By1 | str,
        *,
        scopes_of: ScopesOf | None = None,
        form: str = "",
        name: str = "bearer",
        text: str = "",
    ) -> None:
        super().__init__(who, name=name, text=text, scopes_of=scopes_of)
        self.form = form

    def asks(self, head: Head, body: bytes | None) -> ToAsk | Unidentified:
        token = credentials(head, "bearer")
        if isinstance(token, Unidentified):
            return token
        return ToAsk(self.function, (token,)) if _TOKEN.fullmatch(token) else NOBODY

    def challenge(self, realm: str, refused: Unidentified, scopes: tuple[str, ...]) -> str:
        if scopes:
            listed = quoted(" ".join(scopes))
            return f'Bearer realm={quoted(realm)}, error="insufficient_scope", scope={listed}'
        return f"Bearer realm={quoted(realm)}" + (', error="invalid_token"' if refused.came else "")

    def described(self) -> Mapping[str, Any]:
        return {"type": "http", "scheme": "bearer", **({"bearerFormat": self.form} if self.form else {})}


class OAuth2(Bearer):
    """A token that an authorization server gave (RFC 6749); `flows` are as OpenAPI writes them, with their scopes.

        OAuth2(person_of, flows={"clientCredentials": {"tokenUrl": "https://id.ternsound.example/token",
                                                       "scopes": {"book": "make bookings"}}}, scopes_of=Person.may)

    A scope that no flow has is a DeclarationError where it is wanted.
    """

    __slots__ = ("flows",)

    def __init__(
        self,
        who: By1 | str,
        *,
        flows: Mapping[str, Mapping[str, Any]],
        scopes_of: ScopesOf | None = None,
        name: str = "oauth2",
        text: str = "",
    ) -> None:
        super().__init__(who, scopes_of=scopes_of, name=name, text=text)
        given: Any = flows
        if not isinstance(given, Mapping) or not given:
            raise DeclarationError("OAuth2 has no flows", remedy=f"as in flows={{{next(iter(_FLOWS))!r}: ...}}")
        for flow, said in given.items():
            needed = (*_FLOWS.get(flow, ()), "scopes")
            if flow not in _FLOWS or not isinstance(said, Mapping):
                raise DeclarationError(f"{flow!r} is no flow of OAuth 2", remedy=f"one of {', '.join(_FLOWS)}")
            if lacking := [each for each in needed if each not in said]:
                raise DeclarationError(f"the flow {flow!r} lacks {', '.join(lacking)}", remedy="write it into flows=")
            if not isinstance(said["scopes"], Mapping):
                raise DeclarationError("scopes are texts by scope", remedy='as in {"book": "make bookings"}')
        self.flows = {flow: dict(said) for flow, said in flows.items()}

    def check_scopes(self, scopes: tuple[str, ...]) -> None:
        known = {scope for said in self.flows.values() for scope in said["scopes"]}
        if lacking := [each for each in scopes if each not in known]:
            raise DeclarationError(
                f"{lacking[0]!r} is no scope of {self.name}", remedy=f"one of {', '.join(sorted(known))}"
            )

    def described(self) -> Mapping[str, Any]:
        return {"type": "oauth2", "flows": self.flows}


class OpenIdConnect(Bearer):
    """A token of an OpenID provider, whose configuration is at `url`."""

    __slots__ = ("url",)

    def __init__(
        self,
        who: By1 | str,
        *,
        url: str,
        scopes_of: ScopesOf | None = None,
        name: str = "open_id",
        text: str = "",
    ) -> None:
        super().__init__(who, scopes_of=scopes_of, name=name, text=text)
        if "://" not in str(url):
            raise DeclarationError(f"url={url!r} leads nowhere", remedy="that of /.well-known/openid-configuration")
        self.url = url

    def described(self) -> Mapping[str, Any]:
        return {"type": "openIdConnect", "openIdConnectUrl": self.url}


class Basic(Scheme):
    """A name and a password in `Authorization: Basic ...` (RFC 7617); the function is given both.

    Compare passwords by what stores them, in constant time (`hmac.compare_digest`).
    """

    __slots__ = ()
    taken = 2

    def __init__(
        self, who: By2 | str, *, scopes_of: ScopesOf | None = None, name: str = "basic", text: str = ""
    ) -> None:
        super().__init__(who, name=name, text=text, scopes_of=scopes_of)

    def asks(self, head: Head, body: bytes | None) -> ToAsk | Unidentified:
        told = credentials(head, "basic")
        if isinstance(told, Unidentified):
            return told
        try:
            text = b64decode(told, validate=True).decode()
        except (binascii.Error, ValueError):
            return NOBODY
        user, colon, password = text.partition(":")
        is_clean = not any(each < " " or each == "\x7f" for each in text)
        return ToAsk(self.function, (user, password)) if colon and is_clean else NOBODY

    def challenge(self, realm: str, refused: Unidentified, scopes: tuple[str, ...]) -> str:
        return f'Basic realm={quoted(realm)}, charset="UTF-8"'

    def described(self) -> Mapping[str, Any]:
        return {"type": "http", "scheme": "basic"}


class ApiKey(Scheme):
    """A key in one header, query name or cookie; the function is given the key.

        desk_key = ApiKey(desk_of, header="X-Desk-Key")

    A key in a query stands in logs and histories: prefer a header. What comes with a cookie is taken of this site's own
    pages alone, see `Api(origins=...)`.
    """

    __slots__ = ("field", "place")

    def __init__(
        self,
        who: By1 | str,
        *,
        header: str = "",
        query: str = "",
        cookie: str = "",
        scopes_of: ScopesOf | None = None,
        name: str = "",
        text: str = "",
    ) -> None:
        places = [
            (place, field) for place, field in (("header", header), ("query", query), ("cookie", cookie)) if field
        ]
        if len(places) != 1 or not isinstance(places[0][1], str):
            raise DeclarationError("a key comes in one place", remedy='as in ApiKey(desk_of, header="X-Desk-Key")')
        self.place, self.field = places[0]
        if self.place != "query" and HEADER_NAME.fullmatch(self.field) is None:
            raise DeclarationError(f"{self.field!r} is no name of a {self.place}", remedy="letters, digits and -")
        if self.place == "header" and self.field.lower() in ("authorization", "cookie"):
            raise DeclarationError(f"{self.field} has a form of its own", remedy="write Bearer, Basic or cookie=")
        plain = re.sub(r"[^A-Za-z0-9._-]", "_", self.field).lower()
        super().__init__(who, name=name or f"key_{plain}", text=text, scopes_of=scopes_of)

    @property
    def from_cookie(self) -> bool:
        return self.place == "cookie"

    def asks(self, head: Head, body: bytes | None) -> ToAsk | Unidentified:
        if self.place == "header":
            came = [value for name, value in head.headers if name == self.field.lower()]
        elif self.place == "query":
            came = head.named_in_query(self.field)
        else:
            held = head.cookies.get(self.field, [])
            came = [held] if isinstance(held, str) else held
        if not came:
            return NOTHING_CAME
        return ToAsk(self.function, (came[0],)) if len(came) == 1 and came[0] else NOBODY

    def challenge(self, realm: str, refused: Unidentified, scopes: tuple[str, ...]) -> str:
        return f"Key realm={quoted(realm)}, in={quoted(self.place)}, name={quoted(self.field)}"

    def described(self) -> Mapping[str, Any]:
        return {"type": "apiKey", "in": self.place, "name": self.field}


class OwnScheme(Scheme):
    """Whatever else tells who asks: the function is given the head of the request; None says that nothing came for it.

        OwnScheme(berth_of, described={"type": "mutualTLS"})

    `described` is the scheme as OpenAPI writes it; `challenge` what `WWW-Authenticate` says in a 401.
    """

    __slots__ = ("_challenge", "_described")

    def __init__(
        self,
        who: ByHead | str,
        *,
        described: Mapping[str, Any],
        challenge: str = "Own",
        scopes_of: ScopesOf | None = None,
        name: str = "own",
        text: str = "",
    ) -> None:
        super().__init__(who, name=name, text=text, scopes_of=scopes_of)
        told: Any = described
        if not isinstance(told, Mapping) or not isinstance(told.get("type"), str):
            raise DeclarationError(
                "OwnScheme is described as no scheme", remedy='as in described={"type": "mutualTLS"}'
            )
        if not challenge or not challenge.isascii() or not challenge.isprintable():
            raise DeclarationError(f"challenge={challenge!r} is no challenge", remedy='as in challenge="Own"')
        self._described, self._challenge = dict(described), challenge

    def asks(self, head: Head, body: bytes | None) -> ToAsk | Unidentified:
        return ToAsk(self.function, (head,), _nothing_came)

    def challenge(self, realm: str, refused: Unidentified, scopes: tuple[str, ...]) -> str:
        return self._challenge

    def described(self) -> Mapping[str, Any]:
        return self._described


def _nothing_came(identity: Any) -> Any:
    return NOTHING_CAME if identity is None else identity


def credentials(head: Head, scheme: str) -> str | Unidentified:
    """What stands behind a scheme's name in `Authorization` (RFC 9110, section 11.4); it comes once, or is nobody's."""
    came = [value for name, value in head.headers if name == "authorization"]
    if not came:
        return NOTHING_CAME
    named, _, told = came[0].strip().partition(" ")
    if len(came) > 1:
        return NOBODY
    return told.strip() if named.lower() == scheme else NOTHING_CAME


def quoted(text: str) -> str:
    """A text as a quoted string of a header (RFC 9110, section 5.6.4)."""
    plain = text.encode("ascii", "replace").decode()
    safe = "".join(each if each.isprintable() else " " for each in plain)
    return '"' + safe.replace("\\", "\\\\").replace('"', '\\"') + '"'


__all__ = ["IN_FRONT", "ApiKey", "Basic", "Bearer", "OAuth2", "OpenIdConnect", "OwnScheme"]
