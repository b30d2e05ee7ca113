"""Numbers with a unit, as operators write them in settings: sizes in bytes, and spans of time."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from datetime import timedelta
from fractions import Fraction
from typing import Final

from ...regex.white_space import BLANKS
from ..facts import Stop
from ..sources import Reading
from .base import Reader
from .lenient import Lenient

_PREFIXES: Final = "kMGTP"
_BYTES: Final[dict[str, int]] = {
    "B": 1,
    **{f"{prefix}B": 1000**power for power, prefix in enumerate(_PREFIXES, 1)},
    **{f"{prefix.upper()}iB": 1024**power for power, prefix in enumerate(_PREFIXES, 1)},
    "KB": 1000,
}
"""Units of bytes: decimal ones of the SI, binary ones of IEC 80000-13."""
_MICROSECONDS: Final[dict[str, int]] = {
    "w": 604_800_000_000, "d": 86_400_000_000, "h": 3_600_000_000, "min": 60_000_000, "m": 60_000_000, "s": 1_000_000,
    "ms": 1000, "us": 1,
}  # fmt: skip
_NUMBER = r"[0-9]{1,18}(?:\.[0-9]{1,9})?"
_SIZE = re.compile(rf"({_NUMBER}) ?([A-Za-z]{{1,3}})")
_SPAN_PART = re.compile(rf"({_NUMBER})(w|d|h|min|ms|m|us|s)")
_SIZE_READING: Final = Stop("reading", "a size in bytes, such as 10MiB or 512kB")
_SPAN_READING: Final = Stop("reading", "a span of time, such as 90s, 1h30m or PT1H30M")


def size_in_bytes(text: str) -> int | Stop:
    """A whole number of bytes of a text with a unit, or why it is none."""
    found = _SIZE.fullmatch(text)
    if found is None or found[2] not in _BYTES:
        return _SIZE_READING
    size = Fraction(found[1]) * _BYTES[found[2]]
    return int(size) if size.denominator == 1 else _SIZE_READING


def span_of_time(text: str) -> timedelta | Stop:
    """A duration of a text of numbers with units, the largest first and each once, or why it is none."""
    at, total, least = 0, Fraction(0), 1 << 62
    while at < len(text):
        found = _SPAN_PART.match(text, at)
        if found is None or _MICROSECONDS[found[2]] >= least:
            return _SPAN_READING
        least = _MICROSECONDS[found[2]]
        total += Fraction(found[1]) * least
        at = found.end()
    if not text or total.denominator != 1:
        return _SPAN_READING
    try:
        return timedelta(microseconds=int(total))
    except OverflowError:
        return _SPAN_READING


class InUnits(Lenient):
    """Another kind, read from text with a unit too: what it goes out as, and its document, are the other kind's."""

    parse: Callable[[str], object]
    near: tuple[str, ...]

    def reader(self, reading: Reading) -> Reader:
        """Text that the other kind does not read is looked at for units."""
        strict, parse = self.inner.reader(reading), self.parse
        if reading is Reading.TYPED:
            return strict

        def read_in_units(value: object) -> object:
            read = strict(value)
            return parse(str.strip(value, BLANKS)) if isinstance(read, Stop) and isinstance(value, str) else read

        return read_in_units

    def edges(self) -> Iterable[object]:
        """Those of the other kind, and texts with units and nearly."""
        return (*self.inner.edges(), *self.near)


SIZES: Final = ("10MiB", "1.5KiB", "0B", "512kB", "1KB", "1 GB", "1.5B", "10mib", "10", "-1B", "1e3B", "MiB", " 2B ")
SPANS: Final = (
    "90s",
    "12h",
    "1h30m",
    "250ms",
    "2d",
    "1.5h",
    "0s",
    "1m1h",
    "1s1s",
    "90",
    "-1s",
    "1us",
    "0.1us",
    "9" * 18 + "w",
    " 5min ",
)
