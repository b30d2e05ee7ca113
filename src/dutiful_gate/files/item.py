"""One record of a delivery, with what the gate said of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar

from ..report.fault import Fault, Path
from ..report.verdict import Verdict

T = TypeVar("T")
Stood = Callable[[int], tuple[bytes, int, int]]
"""Where a record stood in a text that was read whole, by its number: its bytes, its line and its column."""


class Item(Generic[T]):
    """One record of a delivery.

    `number`   from 1; 0 for what is wrong with a file outside of all records
    `verdict`  what the gate said of it; places of faults are those in the file
    `raw`      the bytes it stood in, of a row or a line with its end; empty for YAML and TOML, where a file is one text
    `line`     the line it begins in, from 1, and the `column`; of a sheet its row
    `at`       its path in the document that holds it, as (22,) for the item of a list; () for a row or a line
    `is_whole`  whether `raw` is all of it: of a line that is too long, only the beginning is kept
    """

    __slots__ = ("_encode", "_line", "_raw", "_value", "_verdict", "at", "is_whole", "number")

    def __init__(
        self,
        number: int,
        verdict: Verdict[T] | None,
        raw: bytes | str | Stood = b"",
        line: int = 0,
        encode: Callable[[str], bytes] = str.encode,
        value: T = None,  # type: ignore[assignment]
        *,
        at: Path = (),
        is_whole: bool = True,
    ) -> None:
        # Without a verdict, `value` was admitted and there is nothing else to say: one is made for those who ask.
        self.number = number
        self._verdict = verdict
        self._value = value
        self._line = line
        self._raw = raw
        self._encode = encode
        self.at = at
        self.is_whole = is_whole

    @property
    def verdict(self) -> Verdict[T]:
        """What the gate said of it."""
        if self._verdict is None:
            self._verdict = Verdict(self._value)
        return self._verdict

    @property
    def raw(self) -> bytes:
        """The bytes it stood in."""
        raw = self._raw
        if isinstance(raw, str):
            return self._encode(raw)
        return raw if isinstance(raw, bytes) else raw(self.number)[0]

    @property
    def line(self) -> int:
        """The line it begins in."""
        return self._raw(self.number)[1] if callable(self._raw) else self._line

    @property
    def column(self) -> int:
        """The column it begins in: 1, but for what stands inside of one text."""
        return self._raw(self.number)[2] if callable(self._raw) else 1

    @property
    def closed(self) -> bytes:
        """The same with the end of its line, which the last one of a file may lack."""
        raw = self._raw
        if isinstance(raw, str):
            return self._encode(raw if raw[-1:] in ("\n", "\r") else raw + "\n")
        raw = self.raw
        return raw if raw[-1:] in (b"\n", b"\r") else raw + b"\n"

    @property
    def faults(self) -> tuple[Fault, ...]:
        """Its faults, none where it was admitted."""
        return self._verdict.faults if self._verdict is not None else ()

    @property
    def is_sound(self) -> bool:
        """Whether it was admitted, and there is nothing else to say of it."""
        told = self._verdict
        return told is None or not (told.dropped or told.fallbacks or told.unjudged or not told)

    @property
    def value(self) -> T:
        """The typed record. Raises Refused where there is none."""
        return self._verdict.value if self._verdict is not None else self._value

    def with_verdict(self, verdict: Verdict[T]) -> Item[T]:
        """The same record with another verdict."""
        return Item(self.number, verdict, self._raw, self._line, self._encode, at=self.at, is_whole=self.is_whole)

    def __bool__(self) -> bool:
        return self._verdict is None or bool(self._verdict)

    def __repr__(self) -> str:
        return f"<Item {self.number} {'admitted' if self else 'refused'}>"


AnyItem = Item[Any]
