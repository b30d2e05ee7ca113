"""CBOR (RFC 8949) to plain data and back, by the package cbor2."""

from __future__ import annotations

from typing import Any

from ..declare.limits import Limits
from ..report.cause import Cause
from ..report.fault import Fault


def _library() -> Any:
    try:
        import cbor2
    except ModuleNotFoundError:
        raise ModuleNotFoundError(
            "CBOR needs the package cbor2; get it with: pip install 'dutiful-gate[cbor]'", name="cbor2"
        ) from None
    return cbor2


def decoded(raw: bytes, limits: Limits) -> tuple[object, Fault | None]:
    """The plain data of a CBOR text, or the fault that it is none."""
    library = _library()
    if len(raw) > limits.bytes:
        cause = Cause("size", "at most {most} bytes of CBOR", {"most": limits.bytes}, got=f"{len(raw):,}")
        return None, Fault((), cause)
    try:
        return library.loads(raw), None
    except RecursionError:
        return None, Fault((), Cause("depth", "data that is not as deep", got="deeper data"))
    except (library.CBORDecodeError, ValueError, TypeError, OverflowError, MemoryError):
        return None, Fault((), Cause("reading", "CBOR (RFC 8949)", got="other bytes"))


def encoded(plain: object) -> bytes:
    """Plain data as CBOR."""
    made: bytes = _library().dumps(plain)
    return made
