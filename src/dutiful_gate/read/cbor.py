"""CBOR (RFC 8949) to plain data and back, by the package cbor2."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from io import BytesIO
from typing import Any

from ..declare.limits import Limits, is_short_of_stack
from ..report.cause import Cause
from ..report.fault import Fault

# Tags that name a value again (25, 28, 29, 256), so that few bytes become values without end; or that are costly to
# build, or not exact, and no kind of JSON's: a big float, a fraction, a pattern, a mail, a set. They stay as they came.
_LET_BE = (5, 25, 28, 29, 30, 35, 36, 256, 258)
_POSITIVE, _NEGATIVE = 2, 3


class _TooLongItem(Exception):
    """A whole number of more digits than the limit."""


def _library() -> Any:
    try:
        import cbor2
    except ModuleNotFoundError:
        raise ModuleNotFoundError(
            "CBOR needs the package cbor2; get it with: pip install 'dutiful-gate[cbor]'", name="cbor2"
        ) from None
    return cbor2


def decoded(raw: bytes, limits: Limits) -> tuple[object, Fault | None]:
    """The plain data of one CBOR value, or the fault that it is none.

    As in a JSON text, no key comes twice in a map, a number has at most `limits.digits` digits, and nothing follows.
    A tag for which JSON has no kind stays a value of another kind, which the gate refuses at its place.
    """
    if len(raw) > limits.bytes:
        cause = Cause("size", "at most {most} bytes of CBOR", {"most": limits.bytes}, got=f"{len(raw):,}")
        return None, Fault((), cause)
    library = _library()
    data, came, error = _read(library, raw, limits)
    if error is None:
        more = len(raw) - came
        after = Cause("reading", "one value in CBOR and nothing after it", got="more bytes")
        return data, Fault((), after) if more else None
    return None, Fault((), _why(library, raw, limits, error))


def _why(library: Any, raw: bytes, limits: Limits, error: Exception) -> Cause:
    """What is told of bytes that the package did not read."""
    if isinstance(error, RecursionError) or "nesting depth" in str(error):
        return Cause("depth", "data that is not as deep", got="deeper data")
    if isinstance(error.__cause__, _TooLongItem):
        return Cause("size", "a number of at most {most} digits", {"most": limits.digits}, got="one of more")
    if _read(library, raw, limits, repeats=True)[2] is None:
        return Cause("repeat", "each key of a map once", got="one again")
    return Cause("reading", "CBOR (RFC 8949)", got="other bytes")


def _read(library: Any, raw: bytes, limits: Limits, *, repeats: bool = False) -> tuple[object, int, Exception | None]:
    """The data, how many bytes it took, and what stopped it."""
    stream = BytesIO(raw)
    try:
        decoder = library.CBORDecoder(
            stream,
            semantic_decoders=_by_tag(library, limits.digits),
            allow_duplicate_keys=repeats,
            strict_hashable_types=True,  # keys that collide on purpose are quadratic
        )
        return decoder.decode(), stream.tell(), None
    except (library.CBORDecodeError, RecursionError, ValueError, TypeError, OverflowError, MemoryError) as error:
        if isinstance(error, RecursionError) and is_short_of_stack():
            raise
        return None, 0, error


def _by_tag(library: Any, digits: int) -> Mapping[int, Callable[[Any, bool], object]]:
    """How the tagged values are read that the package would read otherwise."""

    def let_be(tag: int) -> Callable[[Any, bool], object]:
        return lambda value, _: library.CBORTag(tag, value)

    def whole(tag: int) -> Callable[[Any, bool], object]:
        def read(value: Any, _: bool) -> object:
            if not isinstance(value, bytes):
                return library.CBORTag(tag, value)
            number = int.from_bytes(value, "big") + (tag == _NEGATIVE)
            if len(value) * 2.5 > digits and number >= 10**digits:  # a byte is 2.41 digits
                raise _TooLongItem
            return -number if tag == _NEGATIVE else number

        return read

    return {tag: let_be(tag) for tag in _LET_BE} | {tag: whole(tag) for tag in (_POSITIVE, _NEGATIVE)}


def encoded(plain: object) -> bytes:
    """Plain data as CBOR."""
    made: bytes = _library().dumps(plain)
    return made
