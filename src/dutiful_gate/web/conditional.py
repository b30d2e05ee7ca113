"""Conditional requests: versions as entity tags, and what `If-Match` and `If-None-Match` make of them (RFC 9110)."""

from __future__ import annotations

import re
from collections.abc import Awaitable, Callable, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from hashlib import sha256
from typing import Any, Final, TypeVar
from urllib.parse import quote
from uuid import UUID

from ..declare.errors import DeclarationError
from ..declare.waiting import check_answers, check_takes, is_async, let_go, waits
from .answering import Streamed
from .answers import Declared

R = TypeVar("R")
Version = str | int | float | bytes | datetime | UUID
"""What tells one state of a thing from another, such as a number that each change raises, or the time of the last."""
VersionOf = Callable[[R], Version | None] | Callable[[R], Awaitable[Version | None]]
"""Gives the version of what a request is about; None where there is nothing yet that it could be about."""

_TAGS: Final = re.compile(r'[ \t,]*(?:(W/)?"([\x21\x23-\x7e\x80-\U0010ffff]*)"[ \t]*(?:,|$)|$)')
_SAFE: Final = "!#$&'()*+,-./:;<=>?@[]^_`{|}"
"""What may stand in a tag as it is: all but the tilde, behind which a tag says its media type, and the percent sign."""
_MOST_TAGS: Final = 500
_LONGEST: Final = 200
READS: Final = frozenset(["GET", "HEAD"])


class ByContent:
    """See `BY_CONTENT`."""

    def __repr__(self) -> str:
        return "BY_CONTENT"


BY_CONTENT: Final = ByContent()
"""In the place of a version: a hash of what is sent, made once the handler has answered. It spares a client the bytes
of what it has already, and the server nothing; so it is for GET alone."""


def entity_tag(version: Version) -> str:
    """The entity tag of a version, as the header `ETag` has it: `entity_tag(7)` is `"7"` in its quotes.

    For a handler that tells the version of what it has changed. Raises TypeError for what is no version.
    """
    return f'"{_opaque(version)}"'


def check_version(version: Any, must_match: Any, method: str, answers: Declared, endpoint: str) -> None:
    """Raise DeclarationError for a version that could not be told, or that would refuse nothing."""
    if must_match and (version is None or isinstance(version, ByContent) or method in READS):
        told = "reads, and changes nothing" if method in READS else "has no version that could be matched"
        raise DeclarationError(
            f"{endpoint} says must_match=True, and {told}", remedy="give it version=, a function of its request"
        )
    if isinstance(version, ByContent):
        if method != "GET":
            raise DeclarationError(
                f"{endpoint} has a version by content, which is known after the change",
                remedy="give it version=, a function of its request",
            )
        if any(isinstance(gate, Streamed) for gate in answers.gates.values()):
            raise DeclarationError(
                f"{endpoint} answers in pieces, of which no hash is known before the last",
                remedy="give it version=, a function of its request",
            )
    elif version is not None:
        check_takes(version, f"version= of {endpoint}", 1)
        if not is_async(version):
            check_answers(version, f"version= of {endpoint}")


class RequestConditions:
    """The conditions of one request; `method` is its own, `if_match` and `if_none_match` what those headers say."""

    __slots__ = ("_if_match", "_if_none_match", "_reads")

    def __init__(self, method: str, if_match: str | None, if_none_match: str | None) -> None:
        self._reads = method in READS
        self._if_match, self._if_none_match = if_match, if_none_match

    @property
    def says_nothing(self) -> bool:
        """Whether the request has no condition."""
        return self._if_match is None and self._if_none_match is None

    def says_which(self, method: str) -> bool:
        """Whether it has the one that a change must have: a PUT may also say that there must be nothing yet."""
        return self._if_match is not None or (method == "PUT" and self._if_none_match is not None)

    def status(self, tag: str | None) -> int:
        """What becomes of it where a representation has this tag, None where there is none: 0 where it goes on, 412, or
        304 where the client has it already (RFC 9110, section 13.2.2)."""
        if self._if_match is not None and not _matches(self._if_match, tag, strong=True, of_any=True):
            return 412
        known = self._if_none_match
        if known is not None and _matches(known, tag, strong=False, of_any=not self._reads):
            return 304 if self._reads else 412
        return 0


def tag_of(version: Any, media: str, offers: Sequence[str]) -> str:
    """The tag of a version in one media type of several: those other than the first say which they are.

    Raises TypeError for what is no version.
    """
    opaque = _opaque(version)
    of_another = offers and media and media != offers[0]
    return f'"{opaque}~{media.rpartition("/")[2]}"' if of_another else f'"{opaque}"'


def tag_of_content(body: bytes) -> str:
    """The tag of what is sent."""
    return f'"{sha256(body).hexdigest()[:32]}"'


def _opaque(version: Any) -> str:
    """A version as it stands inside of the quotes of a tag: one text for each."""
    if isinstance(version, bytes):
        return version.hex()
    if isinstance(version, datetime):
        with suppress(OverflowError):  # at the calendar's ends
            version = version.astimezone(UTC) if version.tzinfo is not None else version
        version = version.isoformat()
    if waits(version):
        let_go(version)
    if isinstance(version, bool) or not isinstance(version, str | int | float | UUID):
        raise TypeError(f"a version is text, a number, bytes, a date-time or a UUID, not {type(version).__name__}")
    told = quote(str(version), safe=_SAFE, errors="surrogatepass").replace("~", "%7E")
    return told if len(told) <= _LONGEST else sha256(told.encode()).hexdigest()


def _matches(header: str, tag: str | None, *, strong: bool, of_any: bool) -> bool:
    """Whether a header names a tag, or, with `of_any`, that of another media type of the same version; "*" is any that
    there is. What cannot be read names none."""
    if header.strip() == "*":
        return tag is not None
    if tag is None:
        return False
    wanted = tag.strip('"')
    named = _tags(header)
    if of_any:
        return any(not (strong and weak) and each.partition("~")[0] == wanted.partition("~")[0] for weak, each in named)
    return any(each == wanted for weak, each in named if not (strong and weak))


def _tags(header: str) -> list[tuple[bool, str]]:
    """The tags of a header, each with whether it is a weak one; none where it cannot be read, or has too many."""
    found: list[tuple[bool, str]] = []
    end = 0
    while end < len(header):
        each = _TAGS.match(header, end)
        if each is None:
            return []
        if each[2] is not None:
            found.append((each[1] is not None, each[2]))
            if len(found) > _MOST_TAGS:
                return []
        end = each.end()
    return found
