"""What goes back to a client: what a handler returns, released by what its endpoint declares."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from http import HTTPStatus
from typing import Any

from ..declare.errors import DeclarationError
from ..declare.waiting import let_go, waits
from ..gates.typed import Gate, LeavesOut
from ..gates.waiting import gate_of_answers
from .answer_headers import AnswerHeaders, BrokenAnswer, header, headers_of
from .answering import NO_BODY, Answered, Answering, Answerings, Streamed
from .handler_types import shown
from .pieces import Encoder, encoder_of, in_pieces

JSON = "application/json"
CBOR = "application/cbor"
MERGE_PATCH = "application/merge-patch+json"
JSON_PATCH = "application/json-patch+json"


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
    return result.after if isinstance(result, Answered) else ()


def is_status(status: Any) -> bool:
    """Whether an answer can have a status (RFC 9110, section 15); 1xx are none of an answer's own."""
    return status.__class__ is int and 200 <= status <= 599


def outgoing(
    status: Any,
    headers: Sequence[tuple[Any, Any]],
    body: Any = b"",
    ours: tuple[tuple[str, str], ...] = (),
) -> OutgoingAnswer:
    """The one door by which answers and refusals leave: no word of a header breaks out of it. Raises BrokenAnswer.

    `ours` are headers of the server's own: a content type that is given wins over it, a length never does.
    """
    if not is_status(status):
        raise BrokenAnswer(f"{status!r} is no status of an answer: 200 to 599")
    told = [header(name, value) for name, value in headers] if headers else []
    if told:
        told = [each for each in told if each[0] != "content-length"]
        if any(name == "content-type" for name, _ in told):
            ours = tuple(each for each in ours if each[0] != "content-type")
    return OutgoingAnswer(status, (*told, *ours), body)


def _is_in_pieces(value: Any) -> bool:
    return hasattr(value, "__next__") or hasattr(value, "__anext__")


def _as_answers(given: Any) -> str:
    """What was meant as the answers of an endpoint, as it is written."""
    if isinstance(given, Mapping) and given:
        pairs = [(str(status), of) for status, of in given.items()]
        return " | ".join(f"Answering({status}{'' if of is None else ', ' + shown(of)})" for status, of in pairs)
    return f"Answering(200, {shown(given)})"


class Declared:
    """The answers of one endpoint, by status."""

    def __init__(
        self, answers: Answerings[Any, Any], keys: Callable[[str], str] | None = None, leaves_out: LeavesOut = ()
    ) -> None:
        given: Any = answers
        if not isinstance(given, Answerings):
            raise DeclarationError(f"{shown(given)} is no answer of an endpoint", remedy=f"write {_as_answers(given)}")
        self._leaves_out = leaves_out
        self.of: dict[int, Answering[Any, Any, Any, Any]] = {}
        self.gates: dict[int, Gate[Any] | Streamed[Any] | None] = {}
        self.headers: dict[int, AnswerHeaders] = {}
        self.encoders: dict[int, Encoder] = {}
        self.items: dict[int, Gate[Any]] = {}
        """The gates of what is streamed by values."""
        for each in answers.every:
            status, declared = each.status, each.of
            if status in self.of:
                raise DeclarationError(
                    f"two answers have the status {status}", remedy="join their types: Answering(200, Booking | Notice)"
                )
            self.of[status] = each
            if each.headers is not None:
                self.headers[status] = AnswerHeaders(each.headers)
            stays = declared is None or isinstance(declared, Streamed)
            if isinstance(declared, Streamed):
                self._stream(status, declared, keys)
            self.gates[status] = declared if stays else gate_of_answers(declared, keys, leaves_out=leaves_out)
        self.usual = answers.every[0]
        if self.usual.status >= 400 and any(status < 400 for status in self.of):
            raise DeclarationError(
                f"a handler's bare value would be the answer {self.usual.status}",
                remedy="put the answer first that is given when all is well",
            )

    def _stream(self, status: int, declared: Streamed[Any], keys: Callable[[str], str] | None) -> None:
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
        answered = result if isinstance(result, Answered) else self.usual(result)
        status, value, given = answered.of.status, answered.value, answered.headers
        if status not in self.of or not self.of[status].is_like(answered.of):
            raise BrokenAnswer(f"the answer {status} is none of those that the endpoint declares")
        gate = self.gates[status]
        if waits(value) and not (isinstance(gate, Streamed) and _is_in_pieces(value)):
            let_go(value)
            raise BrokenAnswer("the handler gave something back that waits: an answer is there at once")
        headers: tuple[tuple[Any, Any], ...]
        if status in self.headers:
            headers = tuple(self.headers[status].released({} if given is None else given))
        elif given and not isinstance(given, Mapping):
            words = f"headers are text by name, not {type(given).__name__}"
            raise BrokenAnswer(f"{words}: declare a record of them: Answering(..., headers=)")
        else:
            headers = tuple(headers_of(given)) if given else ()
        if gate is None:
            if value is not None:
                raise BrokenAnswer(f"an answer {status} is declared without a body, and the handler gave one")
            return outgoing(status, headers, ours=() if status in NO_BODY else (("content-length", "0"),))
        if isinstance(gate, Streamed):
            kind = ("content-type", gate.media_type)
            if gate.of is None and isinstance(value, str | bytes):
                whole = value.encode() if isinstance(value, str) else value
                return outgoing(status, headers, whole, (kind, ("content-length", str(len(whole)))))
            return outgoing(status, headers, in_pieces(value, self.encoders[status]), (kind,))
        cbor = media == CBOR
        whole = gate.release_cbor(value) if cbor else gate.release_json(value)
        ours = (("content-type", CBOR if cbor else JSON), ("content-length", str(len(whole))))
        return outgoing(status, headers, whole, ours)
