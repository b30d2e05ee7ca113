"""Signed requests, as webhooks are: an HMAC (RFC 2104) over the bytes that came, within a window of time."""

from __future__ import annotations

import binascii
import hmac
import time
from base64 import b64decode
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from functools import partial
from typing import TYPE_CHECKING, Any, Final, Generic, Literal, TypeVar

from ...declare.errors import DeclarationError
from ...declare.waiting import check_answers, shown_name
from .requirement import NOBODY, NOTHING_CAME, Scheme, ToAsk, Unidentified
from .schemes import HEADER_NAME, quoted

if TYPE_CHECKING:
    from ..head import Head

P = TypeVar("P")
_DIGESTS: Final = ("sha256", "sha384", "sha512")
_SHORTEST: Final = 16
"""So many bytes a key has at least."""


@dataclass(frozen=True, slots=True)
class SigningKey(Generic[P]):
    """A key that requests are signed with, and who has it."""

    owner: P
    key: bytes = field(repr=False)

    def __post_init__(self) -> None:
        key: Any = self.key
        if not isinstance(key, bytes) or len(key) < _SHORTEST:
            raise ValueError(f"a key to sign with is bytes, {_SHORTEST} at least")


KeysOf = (
    Callable[["Head"], Sequence[SigningKey[P]] | None] | Callable[["Head"], Awaitable[Sequence[SigningKey[P]] | None]]
)


def _joined(sent_at: str, body: bytes) -> bytes:
    return b".".join([sent_at.encode("utf-8", "replace"), body]) if sent_at else body


class Signed(Scheme):
    """A request whose body is signed with a key that both sides know.

        weighed = Signed(keys_of, signature="X-Signature", sent_at="X-Sent-At")

    `keys_of`    given the head, gives the keys that may have signed: `[SigningKey(scales, key)]`, several while keys
                 change; none is nobody. Who has the key is who asks
    `signature`  the header of the signature; before it may stand `prefix`, such as "sha256="
    `sent_at`    the header of the moment of sending, in seconds since 1970. It is signed too, and not more than
                 `within` away, so that what was overheard cannot be sent again later; without it write within=None
    `message`    makes of moment and body what was signed: by default "moment.body", or the body alone
    `digest`     "sha256", "sha384" or "sha512"; `written` "hex" or "base64"

    The bytes are those that came, before they are unpacked or parsed, within the limits of the endpoint. Signatures are
    compared in constant time. Within the window the same request may come twice: keep the numbers of those that came.
    """

    __slots__ = ("digest", "message", "prefix", "sent_at", "signature", "within", "written")
    needs_body = True

    def __init__(
        self,
        keys_of: KeysOf[P],
        *,
        signature: str,
        sent_at: str = "",
        within: timedelta | None = timedelta(minutes=5),
        prefix: str = "",
        digest: Literal["sha256", "sha384", "sha512"] = "sha256",
        written: Literal["hex", "base64"] = "hex",
        message: Callable[[str, bytes], bytes] = _joined,
        name: str = "signed",
        text: str = "",
    ) -> None:
        super().__init__(keys_of, name=name, text=text)
        if self.is_in_front:
            raise DeclarationError("Signed is checked here, where the body is", remedy="hand over the keys")
        headers: list[Any] = [signature, sent_at or "x"]
        if not all(isinstance(each, str) and HEADER_NAME.fullmatch(each) for each in headers):
            raise DeclarationError("Signed has no header to read", remedy='as in signature="X-Signature"')
        if (within is None) is bool(sent_at):
            raise DeclarationError(
                "a signature that never ends to hold can be sent again by whoever overhears it",
                remedy='write sent_at="X-Sent-At"; or within=None where nothing tells when it was sent',
            )
        window: Any = within
        if window is not None and (not isinstance(window, timedelta) or window <= timedelta(0)):
            raise DeclarationError(f"within={within!r} lets nobody in", remedy="as in within=timedelta(minutes=5)")
        if digest not in _DIGESTS or written not in ("hex", "base64"):
            raise DeclarationError(f"{digest!r} in {written!r} is not computed here", remedy="sha256 in hex or base64")
        check_answers(message, f"message={shown_name(message)}", takes=2)
        self.signature, self.sent_at = signature.lower(), sent_at.lower()
        self.within, self.prefix = within, prefix
        self.digest, self.written, self.message = digest, written, message

    def is_to_come(self, head: Head) -> bool:
        return any(name == self.signature for name, _ in head.headers)

    def asks(self, head: Head, body: bytes | None) -> ToAsk | Unidentified:
        came = [value for name, value in head.headers if name == self.signature]
        if not came:
            return NOTHING_CAME
        moments = [value for name, value in head.headers if name == self.sent_at]
        if len(came) > 1 or (self.sent_at and len(moments) != 1) or body is None:
            return NOBODY
        sent_at = moments[0] if moments else ""
        signature = self._read(came[0])
        if signature is None or (self.within is not None and not _is_near(sent_at, self.within)):
            return NOBODY
        return ToAsk(self.function, (head,), partial(self._proved, signature, sent_at, body))

    def _read(self, text: str) -> bytes | None:
        """The signature as bytes, None where it is none."""
        if not text.startswith(self.prefix):
            return None
        told = text[len(self.prefix) :]
        try:
            return bytes.fromhex(told) if self.written == "hex" else b64decode(told, validate=True)
        except (binascii.Error, ValueError):
            return None

    def _proved(self, signature: bytes, sent_at: str, body: bytes, keys: Any) -> Any:
        """The owner of the key that signed, None where none did. Every key is tried, whichever fits."""
        found: Any = None
        held = list(keys or ())
        if not all(isinstance(each, SigningKey) for each in held):
            raise TypeError(f"{self.name}: the keys are SigningKey(owner, key)")
        message = self.message(sent_at, body)
        for each in held:
            if hmac.compare_digest(hmac.digest(each.key, message, self.digest), signature):
                found = each.owner
        return found

    def challenge(self, realm: str, refused: Unidentified, scopes: tuple[str, ...]) -> str:
        return f"Signature realm={quoted(realm)}, header={quoted(self.signature)}"

    def described(self) -> Mapping[str, Any]:
        return {"type": "apiKey", "in": "header", "name": self.signature}


def _is_near(sent_at: str, within: timedelta) -> bool:
    """Whether a moment, in seconds since 1970, is near enough to now, before or after."""
    if not (sent_at.isascii() and sent_at.isdigit() and len(sent_at) < 14):
        return False
    return abs(time.time() - int(sent_at)) <= within.total_seconds()


__all__ = ["Signed", "SigningKey"]
