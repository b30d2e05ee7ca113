"""A value that holds a secret, and shows itself to nobody."""

from __future__ import annotations

import hmac
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, Final, Generic, NoReturn, TypeVar

T = TypeVar("T")
SEALED: Final = "(sealed)"
"""What is shown of it."""
_pickled: ContextVar[bool] = ContextVar("sealed values are pickled", default=False)


class Sealed(Generic[T]):
    """A secret of any type: `token: Sealed[str]`. `token.opened()` gives what is inside; nothing else does.

    It shows itself as `(sealed)` in repr, str, format, logs and templates, does not change, and is as equal as what is
    inside: text and bytes are compared in constant time, with a sealed value or a plain one. Rules and steps beside
    the type are those of what is inside: `Annotated[Sealed[str], it.length >= 12]`.

    Raises TypeError where it is pickled, but inside of `pickling_sealed()`.
    """

    __slots__ = ("__held",)

    def __init__(self, value: T) -> None:
        object.__setattr__(self, "_Sealed__held", value)

    def opened(self) -> T:
        """What is inside."""
        return self.__held  # type: ignore[no-any-return, attr-defined]

    def __setattr__(self, name: str, value: object) -> NoReturn:
        raise AttributeError("a sealed value does not change")

    def __delattr__(self, name: str) -> NoReturn:
        raise AttributeError("a sealed value does not change")

    def __repr__(self) -> str:
        return SEALED

    def __format__(self, spec: str) -> str:
        return format(SEALED, spec)

    def __eq__(self, other: object) -> bool:
        held = self.opened()
        against = other.opened() if isinstance(other, Sealed) else other
        if isinstance(held, str) and isinstance(against, str):
            return hmac.compare_digest(_in_bytes(held), _in_bytes(against))
        if isinstance(held, bytes) and isinstance(against, bytes):
            return hmac.compare_digest(held, against)
        return held.__class__ is against.__class__ and bool(held == against)

    def __hash__(self) -> int:
        return hash(self.opened())

    def __copy__(self) -> Sealed[T]:
        return self

    def __deepcopy__(self, memo: dict[int, Any]) -> Sealed[T]:
        return self

    def __reduce__(self) -> tuple[object, ...]:
        if not _pickled.get():
            raise TypeError("a sealed value is not pickled, but inside of `with pickling_sealed():`")
        return Sealed, (self.opened(),)


def _in_bytes(text: str) -> bytes:
    return text.encode("utf-8", "surrogatepass")


@contextmanager
def pickling_sealed() -> Iterator[None]:
    """While it is open, sealed values are pickled with what is inside, in this thread or task."""
    before = _pickled.set(True)
    try:
        yield
    finally:
        _pickled.reset(before)
