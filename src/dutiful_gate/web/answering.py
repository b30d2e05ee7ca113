"""What an endpoint answers: declarations of answers, joined by `|`, and what handlers give for them."""

from __future__ import annotations

from collections.abc import AsyncIterable, Callable, Iterable, Mapping, Sequence
from types import GenericAlias
from typing import TYPE_CHECKING, Any, Generic, Literal, TypeVar, overload

from ..declare.errors import DeclarationError
from .pieces import ServerEvent

if TYPE_CHECKING:
    from typing_extensions import TypeForm
    from typing_extensions import TypeVar as TypeVarWithDefault

    H = TypeVarWithDefault("H", default=Any)
    S = TypeVarWithDefault("S", default=Any)
else:
    H, S = TypeVar("H"), TypeVar("S")

A = TypeVar("A")  # all that a handler may give
C = TypeVar("C")  # what it may give by calling
B = TypeVar("B")
D = TypeVar("D")
V = TypeVar("V")
T = TypeVar("T")
W = TypeVar("W")
Status = Literal[
    200, 201, 202, 203, 204, 205, 206, 207, 208, 226, 300, 301, 302, 303, 304, 305, 307, 308,
    400, 401, 402, 403, 404, 405, 406, 407, 408, 409, 410, 411, 412, 413, 414, 415, 416, 417, 418, 421, 422, 423, 424,
    425, 426, 428, 429, 431, 451, 500, 501, 502, 503, 504, 505, 506, 507, 508, 510, 511,
]  # fmt: skip
"""The statuses of answers that are registered for HTTP."""
N = TypeVar("N", bound=Status)
NO_BODY = frozenset([204, 205, 304])
"""The statuses whose answers have no content (RFC 9110, section 15)."""
Pieces = str | bytes | Iterable[str | bytes] | AsyncIterable[str | bytes]


class Streamed(Generic[B]):
    """Stands for the type of an answer: a body of some media type that a handler gives in pieces.

        Streamed("text/csv")                              pieces as they are: bytes or text
        Streamed("application/x-ndjson", Sailing)         values, each a line of JSON
        Streamed("text/event-stream", Sailing)            values, each an event (`ServerEvent` for its name and number)

    The handler gives an iterable, also an async one, or is a generator itself, plain or `async`. It is asked for the
    next piece once the last one is sent, and closed when the client leaves. A value that is not what is declared ends
    the answer, told in the log: its status is sent already.
    """

    __slots__ = ("media_type", "of")

    @overload
    def __init__(self: Streamed[Pieces], media_type: str) -> None: ...
    @overload
    def __init__(
        self: Streamed[Iterable[T | ServerEvent] | AsyncIterable[T | ServerEvent]], media_type: str, of: type[T]
    ) -> None: ...
    @overload
    def __init__(
        self: Streamed[Iterable[T | ServerEvent] | AsyncIterable[T | ServerEvent]], media_type: str, of: TypeForm[T]
    ) -> None: ...
    @overload
    def __init__(self: Streamed[Any], media_type: str, of: object) -> None: ...
    def __init__(self, media_type: str, of: Any = None) -> None:
        if "/" not in str(media_type) or not media_type.isascii() or not media_type.isprintable():
            raise DeclarationError(f"{media_type!r} is no media type", remedy='as in Streamed("text/csv")')
        self.media_type, self.of = media_type, of

    def __repr__(self) -> str:
        return f"Streamed({self.media_type!r})"


class Answered(Generic[V, H, S]):
    """What a handler gives for one of its answers, by calling it: `FILED(booking, headers=Filed("/bookings/7"))`.

    `Answered[Booking, Filed]` annotates a handler that gives it.
    """

    __slots__ = ("after", "headers", "of", "value")
    of: Answering[Any, V, H, S]
    value: V
    headers: H
    after: tuple[Callable[[], Any], ...]

    def __init__(self, of: Answering[Any, V, H, S], value: V, headers: Any, after: Sequence[Callable[[], Any]]) -> None:
        if not isinstance(after, list | tuple) or not all(map(callable, after)):
            raise TypeError("what is done after an answer are functions in a list, as in after=[tell_the_desk]")
        self.of, self.value, self.headers, self.after = of, value, headers, tuple(after)

    def __repr__(self) -> str:
        return f"<Answered {self.of.status}>"

    if not TYPE_CHECKING:  # so that what is left out may be left out where annotations are evaluated
        __class_getitem__ = classmethod(GenericAlias)


class Answerings(Generic[A, C]):
    """Answers joined by `|`. The first is what a handler's bare value is; the others are called."""

    __slots__ = ("_every",)

    def __init__(self, every: Sequence[Answering[Any, Any, Any, Any]]) -> None:
        self._every = tuple(every)

    @property
    def every(self) -> tuple[Answering[Any, Any, Any, Any], ...]:
        """The answers, in their order."""
        return self._every

    def __or__(self, other: Answerings[B, D]) -> Answerings[A | D, C | D]:
        if not isinstance(other, Answerings):
            return NotImplemented
        return Answerings((*self.every, *other.every))

    def __repr__(self) -> str:
        return " | ".join(map(str, (each.status for each in self.every)))


class Answering(Answerings[A, Answered[V, H, S]], Generic[A, V, H, S]):
    """One answer that an endpoint declares: a status, the type of its value, and its headers.

        FILED, GONE = Answering(201, Booking, headers=Filed), Answering(404, Missing)
        book = Endpoint("POST", "/bookings", Book, FILED | GONE)

    A handler gives `FILED(booking, headers=Filed("/bookings/7"))` or `GONE(Missing("..."))`; of the first answer, if it
    has no headers, the bare value will do. `Answering(204)` has no body. `of` may be a `Streamed`. `text` is what the
    description says of it.

    `headers` is a dataclass: its field `etag` is the header `etag`, `retry_after` is `retry-after`. None and an empty
    list go out as no header, a date-time as a date of HTTP (RFC 9110, section 5.6.7), the items of a list with commas
    between them, those of `set_cookie` and `link` line by line.

    Raises DeclarationError for what is no status of an answer, and for a body where none can be.
    """

    __slots__ = ("headers", "of", "status", "text")

    @overload
    def __init__(
        self: Answering[Answered[None, None, N] | None, None, None, N], status: N, of: None = None, *, text: str = ...
    ) -> None: ...
    @overload
    def __init__(
        self: Answering[Answered[None, W, N], None, W, N],
        status: N,
        of: None = None,
        *,
        headers: type[W],
        text: str = ...,
    ) -> None: ...
    @overload
    def __init__(
        self: Answering[B | Answered[B, None, N], B, None, N], status: N, of: Streamed[B], *, text: str = ...
    ) -> None: ...
    @overload
    def __init__(
        self: Answering[Answered[B, W, N], B, W, N], status: N, of: Streamed[B], *, headers: type[W], text: str = ...
    ) -> None: ...
    @overload
    def __init__(
        self: Answering[T | Answered[T, None, N], T, None, N], status: N, of: type[T], *, text: str = ...
    ) -> None: ...
    @overload
    def __init__(
        self: Answering[Answered[T, W, N], T, W, N], status: N, of: type[T], *, headers: type[W], text: str = ...
    ) -> None: ...
    @overload
    def __init__(
        self: Answering[T | Answered[T, None, N], T, None, N], status: N, of: TypeForm[T], *, text: str = ...
    ) -> None: ...
    @overload
    def __init__(
        self: Answering[Answered[T, W, N], T, W, N], status: N, of: TypeForm[T], *, headers: type[W], text: str = ...
    ) -> None: ...
    @overload
    def __init__(self: Answering[Any, Any, None, Any], status: Status, of: object, *, text: str = ...) -> None: ...
    @overload
    def __init__(
        self: Answering[Any, Any, W, Any], status: Status, of: object, *, headers: type[W], text: str = ...
    ) -> None: ...
    def __init__(self, status: Any, of: Any = None, *, headers: Any = None, text: str = "") -> None:
        super().__init__((self,))
        if status not in range(200, 600) or status.__class__ is not int:
            raise DeclarationError(
                f"{status!r} is no status of an answer", remedy="200 to 599, as in Answering(200, Booking)"
            )
        if status in NO_BODY and of is not None:
            raise DeclarationError(f"an answer {status} has no body", remedy=f"write Answering({status})")
        self.status, self.of, self.headers, self.text = status, of, headers, text

    @overload
    def __call__(
        self: Answering[Any, None, None, S],
        *,
        headers: Mapping[str, Any] = ...,
        after: Sequence[Callable[[], Any]] = ...,
    ) -> Answered[None, None, S]: ...
    @overload
    def __call__(
        self: Answering[Any, V, None, S],
        value: V,
        *,
        headers: Mapping[str, Any] = ...,
        after: Sequence[Callable[[], Any]] = ...,
    ) -> Answered[V, None, S]: ...
    @overload
    def __call__(
        self: Answering[Any, None, H, S], *, headers: H, after: Sequence[Callable[[], Any]] = ...
    ) -> Answered[None, H, S]: ...
    @overload
    def __call__(
        self: Answering[Any, V, H, S], value: V, *, headers: H, after: Sequence[Callable[[], Any]] = ...
    ) -> Answered[V, H, S]: ...
    def __call__(self, value: Any = None, *, headers: Any = None, after: Any = ()) -> Any:
        """The answer as a handler gives it.

        `headers` are the record that is declared; where none is, text by name, such as {"ETag": '"7"'}, a list for
        several lines. `after` are functions, plain or `async`, that are called once the answer is sent and what was
        opened is closed: what they raise is logged.
        """
        return Answered(self, value, headers, after)

    def is_like(self, other: Answering[Any, Any, Any, Any]) -> bool:
        """Whether two declare the same."""
        return self is other or (self.status, self.of, self.headers) == (other.status, other.of, other.headers)


__all__ = ["NO_BODY", "Answered", "Answering", "Answerings", "Status", "Streamed"]
