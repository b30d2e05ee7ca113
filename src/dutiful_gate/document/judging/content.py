"""`contentEncoding` and `contentMediaType`, where draft-07 leaves it to us to assert them (its section 8)."""

from __future__ import annotations

import base64
import binascii
import json
import quopri
from collections.abc import Callable

_DECODERS: dict[str, Callable[[str], bytes]] = {
    "base64": lambda text: base64.b64decode(text, validate=True),
    "base64url": lambda text: base64.b64decode(text.replace("-", "+").replace("_", "/"), validate=True),
    "base32": lambda text: base64.b32decode(text),
    "base16": lambda text: base64.b16decode(text, casefold=True),
    "quoted-printable": lambda text: quopri.decodestring(text.encode("ascii")),
}


def holds(text: str, encoding: object, media_type: object) -> bool:
    """Whether a text is what the two keywords say; encodings and media types that are not known here say nothing."""
    held: bytes | str = text
    if isinstance(encoding, str) and encoding.lower() in _DECODERS:
        try:
            held = _DECODERS[encoding.lower()](text)
        except (binascii.Error, ValueError):
            return False
    if isinstance(media_type, str) and media_type.partition(";")[0].strip().lower() == "application/json":
        try:
            json.loads(held)
        except (ValueError, RecursionError):
            return False
    return True
