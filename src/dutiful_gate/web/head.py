"""What is known of a request before its body: method, path, query and headers, whichever server took it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any
from urllib.parse import parse_qsl

MOST_NAMES = 1_000
"""So many names a query, a form or all cookies may have."""


class TooManyNames(ValueError):
    """A query, a form or cookies with more names than anyone needs."""


class Head:
    """The head of a request. `path` and `query` are as they came, percent-encoded; `headers` in the order they came.

    Names of headers are in small letters.
    """

    __slots__ = ("_first", "headers", "method", "path", "query", "size")

    def __init__(self, method: str, path: str, query: str, headers: Iterable[tuple[str, str]]) -> None:
        self.method = method.upper()
        self.path = path
        self.query = query
        held = []
        first: dict[str, str] = {}
        size = len(path) + len(query)
        for name, value in headers:
            name = name.lower()
            held.append((name, value))
            size += len(name) + len(value) + 4
            if name not in first:
                first[name] = value
        self.headers = tuple(held)
        self.size = size
        """How many characters its target and headers have."""
        self._first = first

    def header(self, name: str) -> str | None:
        """The value of a header, the first where it came several times; None where it did not come."""
        return self._first.get(name)

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
            for each in value.split(";") if name == "cookie" else ():
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
