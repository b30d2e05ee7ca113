"""A fraction of raw JSON that remembers its digits, for the fields that want them: to all others it is a float."""

from __future__ import annotations

from typing import Any


class Digits(float):
    """A float, with the text it was read from."""

    __slots__ = ("digits",)

    digits: str

    def __new__(cls, digits: str) -> Digits:
        """From the text of a number."""
        made = float.__new__(cls, digits)
        made.digits = digits
        return made

    def __reduce__(self) -> tuple[Any, ...]:
        return float, (float(self),)
