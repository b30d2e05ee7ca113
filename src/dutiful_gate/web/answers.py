"""What goes back to a client: what a handler returns, released by what its endpoint declares."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from http import HTTPStatus
from typing import Any

from ..declare.errors import DeclarationError
from ..declare.waiting import let_go, waits
from ..gates.typed import Gate, LeavesOut
from ..gates.waiting import gate_of_answers
from .answer_headers import AnswerHeaders, BrokenAnswer, Headed, header, headers_of
from .pieces import Encoder, encoder_of, in_pieces

JSON = "application/json"
CBOR = "application/cbor"
MERGE_PATCH = "application/merge-patch+json"
JSON_PATCH = "application/json-patch+json"
NO_BODY = frozenset([204, 205, 304])
"""The statuses whose answers have no content (RFC 9110, section 15)."""


@dataclass(frozen=True, slots=True)
class Answer:
    """What a handler returns where the value alone does not say it: another status, headers, another media type.

    `status`   one of those that the endpoint declares; by default its first
    `headers`  by name, such as {"Location": "/bookings/12", "ETag": '"7"'}; or the record of them that is declared
    `after`    functions, plain or `async`, that are called once the answer is sent and what was opened is closed: what
               they raise is logged
    """

    value: Any = None
    status: int | None = None
    headers: Any = field(default_factory=dict)
    after: Sequence[Callable[[], Any]] = ()


_BARE = Answer()


@dataclass(frozen=True, slots=True)
class Streamed:
    """Stands for a type among an endpoint's answers: a body of some media type that a handler gives in pieces.

        Streamed("text/csv")                              pieces as they are: bytes or text
        Streamed("application/x-ndjson", Sailing)         values, each a line of JSON
        Streamed("text/event-stream", Sailing)            values, each an event (`ServerEvent` for its name and number)

    The handler gives an iterable, also an async one, or is a generator itself, plain or `async`. It is asked for the
    next piece once the last one is sent, and closed when the client leaves. A value that is not what is declared ends
    the answer, told in the log: its status is sent already.
    """

    media_type: str
    of: Any = None


@dataclass(slots=True)
class OutgoingAnswer:
    """An answer as servers send it: headers in order, a body whole or in pieces."""

    status: int
    headers: tuple[tuple[str, str], ...]
    body: Any = b""
    """Bytes, or what gives them in pieces, plainly or `async`."""

    @property
    def reason(self) -> str:
        """The status as a status line has it."""
        try:
            return f"{self.status} {HTTPStatus(self.status).phrase}"
        except ValueError:
            return f"{self.status} Unknown"


def work_of(result: Any) -> tuple[Callable[[], Any], ...]:
    """What a handler wants to be done after its answer."""
    return tuple(result.after) if isinstance(result, Answer) else ()


def is_status(status: Any) -> bool:
    """Whether an answer can have a status (RFC 9110, section 15); 1xx are none of an answer's own."""
    return status.__class__ is int and 200 <= status <= 599


def outgoing(
    status: Any,
    headers: Iterable[tuple[Any, Any]],
    body: Any = b"",
    ours: tuple[tuple[str, str], ...] = (),
) -> OutgoingAnswer:
    """The one door by which answers and refusals leave: no word of a header breaks out of it. Raises BrokenAnswer.

    `ours` are headers without a word of anybody else's.
    """
    if not is_status(status):
        raise BrokenAnswer(f"{status!r} is no status of an answer: 200 to 599")
    return OutgoingAnswer(status, (*[header(name, value) for name, value in headers], *ours), body)


class Declared:
    """The answers of one endpoint, by status."""

    def __init__(
        self, answers: Mapping[int, Any], keys: Callable[[str], str] | None = None, leaves_out: LeavesOut = ()
    ) -> None:
        self._leaves_out = leaves_out
        self.gates: dict[int, Gate[Any] | Streamed | None] = {}
        self.headers: dict[int, AnswerHeaders] = {}
        self.encoders: dict[int, Encoder] = {}
        self.items: dict[int, Gate[Any]] = {}
        """The gates of what is streamed by values."""
        for status, declared in answers.items():
            if isinstance(declared, Headed):
                self.headers[status] = AnswerHeaders(declared.headers)
                declared = declared.of
            if status not in range(200, 600):
                remedy = "200 to 599, as in {200: Booking}"
                raise DeclarationError(f"{status!r} is no status of an answer", remedy=remedy)
            if status in NO_BODY and declared is not None:
                raise DeclarationError(f"an answer {status} has no body", remedy=f"write {{{status}: None}}")
            stays = declared is None or isinstance(declared, Streamed)
            if isinstance(declared, Streamed):
                self._stream(status, declared, keys)
            self.gates[status] = declared if stays else gate_of_answers(declared, keys, leaves_out=leaves_out)
        if not self.gates:
            raise DeclarationError("an endpoint needs an answer", remedy="as in answers={200: list[Booking]}")
        self.usual = next((status for status in self.gates if status < 400), next(iter(self.gates)))

    def _stream(self, status: int, declared: Streamed, keys: Callable[[str], str] | None) -> None:
        if declared.of is not None:
            names = self.items[status]._names if status in self.items else None
            self.items[status] = gate_of_answers(declared.of, keys, names, self._leaves_out)
        self.encoders[status] = encoder_of(declared.media_type, self.items.get(status))

    def speak(self, keys: Callable[[str], str]) -> None:
        """Make the names of all answers so from here on."""
        for status, gate in self.gates.items():
            if isinstance(gate, Streamed):
                self._stream(status, gate, keys)
            elif isinstance(gate, Gate):
                declared: Any = gate.declared
                self.gates[status] = gate_of_answers(declared, keys, gate._names, self._leaves_out)
        self.__dict__.pop("media", None)

    @cached_property
    def media(self) -> tuple[str, ...]:
        """The media types of its answers; none where no answer has content."""
        kinds = [gate.media_type if isinstance(gate, Streamed) else JSON for gate in self.gates.values() if gate]
        return tuple(dict.fromkeys(kind.partition(";")[0] for kind in kinds))

    def released(self, result: Any, media: str) -> OutgoingAnswer:
        """What a handler returned, as it goes out. Raises BrokenAnswer, or Refused, for what is not declared."""
        answer = result if isinstance(result, Answer) else _BARE
        value = answer.value if answer is not _BARE else result
        status = self.usual if answer.status is None else answer.status
        if status not in self.gates:
            raise BrokenAnswer(f"the status {status} is none of those that the endpoint declares")
        gate = self.gates[status]
        comes_in_pieces = hasattr(value, "__next__") or hasattr(value, "__anext__")
        if waits(value) and not (isinstance(gate, Streamed) and comes_in_pieces):
            let_go(value)
            raise BrokenAnswer("the handler gave something back that waits: an answer is there at once")
        given = answer.headers
        if status in self.headers:
            headers = tuple(self.headers[status].released(given))
        elif given and not isinstance(given, Mapping):
            words = f"headers are text by name, not {type(given).__name__}"
            raise BrokenAnswer(f"{words}: declare a record of them with Headed(...)")
        else:
            headers = tuple(headers_of(given)) if given else ()
        if gate is None:
            if value is not None:
                raise BrokenAnswer(f"an answer {status} is declared without a body, and the handler gave one")
            return outgoing(status, headers if status in NO_BODY else (*headers, ("content-length", "0")))
        if isinstance(gate, Streamed):
            kind = (*headers, ("content-type", gate.media_type))
            if gate.of is None and isinstance(value, str | bytes):
                whole = value.encode() if isinstance(value, str) else value
                return outgoing(status, (*kind, ("content-length", str(len(whole)))), whole)
            return outgoing(status, kind, in_pieces(value, self.encoders[status]))
        cbor = media == CBOR
        whole = gate.release_cbor(value) if cbor else gate.release_json(value)
        ours = (("content-type", CBOR if cbor else JSON), ("content-length", str(len(whole))))
        return outgoing(status, headers, whole, ours)
