"""Paths of endpoints: templates such as `/bookings/{number}`, and what a request's path gives for their names."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from urllib.parse import unquote_to_bytes

from ..declare.errors import DeclarationError

_SEGMENT = re.compile(r"\{([A-Za-z_][A-Za-z0-9_-]*)\}|[A-Za-z0-9._~!$&'()*+,;=:@-]*")


class PathTemplate:
    """A path whose segments are text or names in braces, as OpenAPI writes them; a name stands for a whole segment.

    Raises DeclarationError for any other form.
    """

    def __init__(self, text: str) -> None:
        self.text = text
        if not text.startswith("/"):
            raise DeclarationError(f"the path {text!r} does not begin with a slash", remedy=f"write {'/' + text!r}")
        self.segments: list[tuple[str, bool]] = []
        for segment in text[1:].split("/"):
            found = _SEGMENT.fullmatch(segment)
            if found is None:
                raise DeclarationError(
                    f"{segment!r} is no segment of a path",
                    remedy="write text, or one name in braces, as in /bookings/{number}",
                )
            self.segments.append((found[1] or segment, found[1] is not None))
        self.names = tuple(word for word, is_name in self.segments if is_name)
        if len(set(self.names)) < len(self.names):
            raise DeclarationError(f"the path {text!r} has a name twice", remedy="give each segment a name of its own")

    def match(self, segments: list[str]) -> Mapping[str, str] | None:
        """What a path's segments give for its names; None where it is another path."""
        if len(segments) != len(self.segments):
            return None
        found = {}
        for (word, is_name), segment in zip(self.segments, segments, strict=True):
            if is_name:
                if not segment:
                    return None
                found[word] = segment
            elif word != segment:
                return None
        return found

    @property
    def form(self) -> tuple[tuple[str, bool], ...]:
        """What is the same for templates that match the same paths: those that differ in names alone."""
        return tuple(("", True) if is_name else (word, False) for word, is_name in self.segments)

    @property
    def rank(self) -> tuple[bool, ...]:
        """What sorts templates so that text comes before a name."""
        return tuple(is_name for _, is_name in self.segments)


def decoded(segments: Iterable[str]) -> str:
    """A path of decoded segments: a slash that is part of one stays encoded, so that it parts none."""
    return "/" + "/".join(segment.replace("/", "%2F") for segment in segments)


def segments_of(path: str) -> list[str] | None:
    """The segments of a percent-encoded path (RFC 3986, section 3.3), each decoded; None where one is no UTF-8."""
    segments = path.removeprefix("/").split("/")
    if "%" not in path:
        return segments
    try:
        return [unquote_to_bytes(segment).decode() for segment in segments]
    except UnicodeDecodeError:
        return None
