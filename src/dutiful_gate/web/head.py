"""What is known of a request before its body: method, path, query and headers, whichever server took it."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any, Final
from urllib.parse import parse_qsl

from .paths import decoded, segments_of
from .security.proxies import Proxies, Seat

if TYPE_CHECKING:
    from .endpoint import Endpoint

MOST_NAMES = 1_000
"""So many names a query, a form or all cookies may have."""


class TooManyNames(ValueError):
    """A query, a form or cookies with more names than anyone needs."""


_JOINED: Final = frozenset(["accept", "accept-language", "cookie", "if-match", "if-none-match"])
_COOKIES = re.compile(r";|,[ \t]+(?=[!#$%&'*+.^_`|~0-9A-Za-z-]+=)")
"""What stands between cookies; a comma, which no cookie holds, is what servers join the lines of one header with."""


class Head:
    """The head of a request; `headers` in the order they came, their names in small letters.

    `path`      decoded, as the endpoint is chosen by: what a guard compares; a slash inside of a segment stays %2F
    `raw_path`  as it came, percent-encoded; so is `query`
    `mount`     the path under which the API is served, percent-encoded; "" at the root
    `segments`  those of the path, each decoded; None where one is no UTF-8
    `endpoint`  the endpoint that will answer, None until it is found and where there is none
    `client`    the address of who asks: that of the connection, or what trusted proxies tell; "" where nobody does
    `origin`    scheme and host that were asked, such as "https://quays.ternsound.example", proxies heeded likewise
    """

    def __init__(
        self,
        method: str,
        path: str,
        query: str,
        headers: Iterable[tuple[str, str]],
        *,
        peer: str = "",
        scheme: str = "http",
        mount: str = "",
    ) -> None:
        self.method = method.upper()
        self.raw_path = path
        self.mount = mount
        self.query = query
        self.endpoint: Endpoint[Any] | None = None
        held = []
        first: dict[str, str] = {}
        several = False
        size = len(path) + len(query)
        for name, value in headers:
            name = name.lower()
            held.append((name, value))
            size += len(name) + len(value) + 4
            if name not in first:
                first[name] = value
            elif name in _JOINED:
                several = True
        self.headers = tuple(held)
        self._peer, self._scheme = peer, scheme
        self._seat: Seat | None = None
        self.size = size
        """How many characters its target and headers have."""
        self._first = first
        self._several = several
        self.segments = segments_of(path)
        """The segments of the path, each decoded; None where one is no UTF-8."""
        plain = path[:1] == "/" and "%" not in path
        self.path = path if plain or self.segments is None else decoded(self.segments)
        """The path, decoded."""

    def header(self, name: str) -> str | None:
        """The value of a header, the first where it came several times; None where it did not come.

        The lines of lists are joined (RFC 9110, section 5.3), as some servers do it before.
        """
        return self.by_name.get(name) if self._several and name in _JOINED else self._first.get(name)

    @property
    def client(self) -> str:
        """The address of who asks."""
        return self._own_seat.client

    @property
    def origin(self) -> str:
        """Scheme and host that were asked, in small letters."""
        return self._own_seat.origin

    @property
    def _own_seat(self) -> Seat:
        if self._seat is None:
            self._seat = Seat(self._peer, f"{self._scheme}://{self._first.get('host', '').lower()}")
        return self._seat

    def seat(self, proxies: Proxies) -> None:
        """Heed what trusted proxies tell (RFC 7239), once."""
        if self._seat is None:
            told = [value for name, value in self.headers if name == "forwarded"]
            self._seat = proxies.seat(*self._own_seat, ", ".join(told) if told else None)

    def named_in_query(self, name: str) -> list[str]:
        """The values of one name in the query. Raises TooManyNames; UnicodeDecodeError for no UTF-8."""
        return [value for key, value in query_pairs(self.query) if key == name]

    @property
    def by_name(self) -> dict[str, str]:
        """The headers by name, those of one name joined by a comma (RFC 9110, section 5.3)."""
        found: dict[str, str] = {}
        for name, value in self.headers:
            found[name] = f"{found[name]}, {value}" if name in found else value
        return found

    @property
    def cookies(self) -> dict[str, str | list[str]]:
        """The cookies by name (RFC 6265, section 5.4). Raises TooManyNames."""
        pairs = []
        for name, value in self.headers:
            for each in _COOKIES.split(value) if name == "cookie" else ():
                key, equals, held = each.strip().partition("=")
                if equals and key:
                    pairs.append((key, held.strip('"') if held[:1] == held[-1:] == '"' else held))
        if len(pairs) > MOST_NAMES:
            raise TooManyNames
        return gathered(pairs)


def query_pairs(query: str) -> list[tuple[str, str]]:
    """The names and values of a query or an urlencoded form. Raises TooManyNames; UnicodeDecodeError for no UTF-8."""
    try:
        return parse_qsl(query, keep_blank_values=True, max_num_fields=MOST_NAMES, errors="strict")
    except UnicodeDecodeError:
        raise
    except ValueError:
        raise TooManyNames from None


def gathered(pairs: Iterable[tuple[str, Any]]) -> dict[str, Any]:
    """Values by name, a list where a name came several times."""
    found: dict[str, Any] = {}
    several: dict[str, list[Any]] = {}
    for name, value in pairs:
        if name in several:
            several[name].append(value)
        elif name in found:
            several[name] = found[name] = [found[name], value]
        else:
            found[name] = value
    return found


def header_text(value: bytes) -> str:
    """The text of a header: UTF-8 where it can be, else ISO 8859-1."""
    try:
        return value.decode()
    except UnicodeDecodeError:
        return value.decode("latin-1")


def media_type(header: str | None) -> tuple[str, Mapping[str, str]]:
    """A media type in small letters, and its parameters (RFC 9110, section 8.3.1); "" for none."""
    if header is None:
        return "", {}
    if ";" not in header:
        return header.strip().lower(), {}
    kind, *rest = header.split(";")
    pairs = (each.partition("=") for each in rest)
    return kind.strip().lower(), {name.strip().lower(): value.strip().strip('"') for name, _, value in pairs}
