"""The body of a request as its pieces come: whether it is one that is taken, unpacked, and never past its limit."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from typing import Any

from .answers import JSON_PATCH, MERGE_PATCH
from .head import Head, media_type
from .multipart import Multipart
from .refusals import RequestProblem

FORMS = ("application/x-www-form-urlencoded", "multipart/form-data")
"""The media types of HTML forms."""
_PATCHES = frozenset([JSON_PATCH, MERGE_PATCH])
_UTF_8 = ("utf-8", "utf8", "us-ascii")


class Body:
    """The body of one request, of one of the media types that are taken, at most so many bytes.

    `media` is its type; a body that does not say is not taken, and `application/...+json` is taken for JSON. Whether
    one `comes` is known once a piece is here, or a header tells.
    """

    def __init__(
        self, head: Head, takes: Sequence[str], unpacks: Sequence[str], most: int, *, keeps_raw: bool = False
    ) -> None:
        """Raises RequestProblem(415) for a type, a charset or a coding that is not taken."""
        self.most = most
        self.declared = _length(head)
        self.comes = False
        self.media = ""
        self._head, self._takes, self._unpacks = head, takes, unpacks
        self._held = bytearray()
        self.raw = bytearray() if keeps_raw else None
        self._came = 0
        self._size = 0
        self.form: Multipart | None = None
        self._unpacking: Any = None
        if self.declared > 0 or head.header("transfer-encoding") is not None:
            self._begin()

    def _begin(self) -> None:
        """A body comes: look whether it is one that is taken."""
        head, takes, unpacks = self._head, self._takes, self._unpacks
        self.comes = True
        came = head.header("content-type")
        if came == takes[0] and came not in FORMS and head.header("content-encoding") is None:
            self.media = came  # as most say it
            return
        kind, words = media_type(came)
        is_json = kind.startswith("application/") and kind.endswith("+json") and takes[0] not in FORMS
        # A patch of one form is none of the other.
        is_json = is_json and (kind in takes or not _PATCHES.issuperset((kind, takes[0])))
        self.media = takes[0] if is_json else kind
        accept = {"accept": ", ".join(takes)}
        if head.method == "PATCH":  # RFC 5789, section 2.2
            accept["accept-patch"] = accept["accept"]
        if self.media not in takes:  # one without a type is what any page of the web can send
            raise RequestProblem(
                415, "A body here is of one of these types: {types}.", headers=accept, slots={"types": ", ".join(takes)}
            )
        if words.get("charset", "utf-8").lower() not in _UTF_8:
            raise RequestProblem(415, "A body here is UTF-8.", headers=accept)
        if self.media == FORMS[1]:
            self.form = Multipart(words)
        coding = (head.header("content-encoding") or "identity").strip().lower()
        if coding == "gzip" and "gzip" in unpacks:
            self._unpacking = zlib.decompressobj(wbits=31)
        elif coding != "identity":
            known = {"accept-encoding": ", ".join(unpacks) or "identity"}
            raise RequestProblem(415, "A body here is not encoded so.", headers=known)

    @property
    def too_large(self) -> RequestProblem:
        """What is said of a body past the limit."""
        return RequestProblem(413, "A body here has at most {most} bytes.", slots={"most": f"{self.most:,}"})

    def take(self, piece: bytes) -> None:
        """One piece. Raises RequestProblem: 413 past the limit, as it came or unpacked, 400 for what is no gzip."""
        if not piece:
            return
        if not self.comes:
            self._begin()
        self._came += len(piece)
        if self._came > self.most:
            raise self.too_large
        if self.raw is not None:
            self.raw += piece
        if self._unpacking is not None:
            if self._unpacking.eof:
                raise RequestProblem(400, "The body is no whole gzip.")
            try:
                piece = self._unpacking.decompress(piece, self.most + 1 - self._size)
            except zlib.error:
                raise RequestProblem(400, "The body is no gzip.") from None
            if self._unpacking.unused_data:
                raise RequestProblem(400, "The body is no whole gzip.")
        self._size += len(piece)
        if self._size > self.most:
            raise self.too_large
        if self.form is not None:
            self.form.take(piece)
        else:
            self._held += piece

    def whole(self) -> bytes:
        """All of it. Raises RequestProblem(400) where a packed one ends too early."""
        if self._unpacking is not None and self.comes and not self._unpacking.eof:
            raise RequestProblem(400, "The body is no whole gzip.")
        if self.form is not None:
            self.form.finish()
        return bytes(self._held)


def _length(head: Head) -> int:
    length = head.header("content-length") or ""
    return int(length) if length.isascii() and length.isdigit() and len(length) < 19 else 0
