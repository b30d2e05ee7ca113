"""One record of a delivery, with what the gate said of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, TypeVar

from ..report.fault import Fault
from ..report.verdict import Verdict

T = TypeVar("T")


class Item(Generic[T]):
    """One record of a delivery.

    `number`   from 1
    `verdict`  what the gate said of it; places of faults are those in the file
    `raw`      the bytes it stood in, with the end of its last line; empty where a whole file is one text
    `line`     the line it begins in, from 1
    `is_whole`  whether `raw` is all of it: of a line that is too long, only the beginning is kept
    """

    __slots__ = ("_encode", "_raw", "_value", "_verdict", "is_whole", "line", "number")

    def __init__(
        self,
        number: int,
        verdict: Verdict[T] | None,
        raw: bytes | str = b"",
        line: int = 0,
        encode: Callable[[str], bytes] = str.encode,
        value: T = None,  # type: ignore[assignment]
        *,
        is_whole: bool = True,
    ) -> None:
        # Without a verdict, `value` was admitted and there is nothing else to say: one is made for those who ask.
        self.number = number
        self._verdict = verdict
        self._value = value
        self.line = line
        self._raw = raw
        self._encode = encode
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
        return self._encode(raw) if isinstance(raw, str) else raw

    @property
    def closed(self) -> bytes:
        """The same with the end of its line, which the last one of a file may lack."""
        raw = self._raw
        if isinstance(raw, str):
            return self._encode(raw if raw[-1:] in ("\n", "\r") else raw + "\n")
        return raw if raw[-1:] in (b"\n", b"\r") else raw + b"\n"

    @property
    def faults(self) -> tuple[Fault, ...]:
        """Its faults, none where it was admitted."""
        return self._verdict.faults if self._verdict is not None else ()

    @property
    def value(self) -> T:
        """The typed record. Raises Refused where there is none."""
        return self._verdict.value if self._verdict is not None else self._value

    def __bool__(self) -> bool:
        return self._verdict is None or bool(self._verdict)

    def __repr__(self) -> str:
        return f"<Item {self.number} {'admitted' if self else 'refused'}>"


AnyItem = Item[Any]
