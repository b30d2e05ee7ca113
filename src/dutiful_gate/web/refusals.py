"""Refusals of whole requests: a status, and why, told as problem details (RFC 9457) unless an API has its own form."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from ..declare.waiting import check_answers, check_takes
from ..gates.typed import Gate
from ..report.catalogue import ENGLISH, Catalogue, in_force, speaking
from ..report.fault import Fault
from ..report.problem import CONTENT_TYPE, error_of, problem_head
from ..shape.requests import PARTS
from .answer_headers import header, headers_of
from .answers import JSON, OutgoingAnswer, outgoing


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a request is refused: what an API's own form of refusals is made of.

    `status`, `detail`  the status, and why in a sentence
    `kind`, `title`     the URI of the problem's type and its title, "" where the status says all
    `faults`            each with its part of the request as the first step of its path
    `untold`            how many more there are
    `slots`             what stands in the detail in the place of its words in braces
    `entered`           what was sent, without secrets, by part; None where nothing was read
    `headers`           what goes with it, such as {"allow": "GET, HEAD"}
    """

    status: int
    detail: str
    kind: str = "about:blank"
    title: str = ""
    faults: Sequence[Fault] = ()
    untold: int = 0
    headers: Mapping[str, str] = field(default_factory=dict)
    slots: Mapping[str, str] = field(default_factory=dict)
    entered: Any = None

    @property
    def sentence(self) -> str:
        """The detail in the language that is spoken."""
        told = in_force().spoken(self.detail)
        return told.format_map(self.slots) if self.slots else told


Form = Callable[[Refusal], tuple[str, bytes]]
"""Makes the body of a refusal: its media type, and what it says."""


class RefusalForm:
    """A form of refusals of an API's own that its description knows.

        Api(..., refusals=RefusalForm(Trouble, trouble_of))

    `of` is the type of the body, `make` makes a value of it of a `Refusal`; it goes out as JSON. Raises
    DeclarationError for what is no such function.
    """

    def __init__(self, of: Any, make: Callable[[Refusal], Any], media_type: str = JSON) -> None:
        check_takes(make, f"what makes {getattr(of, '__name__', of)} of a refusal", 1)
        check_answers(make, "what makes the body of a refusal")
        self.gate: Gate[Any] = Gate(of)
        self.make, self.media_type = make, media_type

    def __call__(self, refusal: Refusal) -> tuple[str, bytes]:
        """The media type and the body of a refusal."""
        return self.media_type, self.gate.release_json(self.make(refusal))


class RequestProblem(Exception):
    """Raised by a handler, or by what guards an API: the request ends with this status.

    `detail` is told to the client; `kind` is the URI of the problem's type (RFC 9457).
    """

    def __init__(
        self,
        status: int,
        detail: str = "",
        *,
        title: str = "",
        kind: str = "about:blank",
        headers: Mapping[str, str] | None = None,
        faults: Sequence[Fault] = (),
        slots: Mapping[str, str] | None = None,
    ) -> None:
        super().__init__(status, detail)
        self.refusal = Refusal(status, detail, kind, title, tuple(faults), 0, dict(headers or {}), dict(slots or {}))

    @classmethod
    def of(cls, refusal: Refusal) -> RequestProblem:
        """The problem that is a refusal."""
        made = cls(refusal.status, refusal.detail)
        made.refusal = refusal
        return made


def as_problem(refusal: Refusal) -> tuple[str, bytes]:
    """A refusal as problem details: each fault with its part, and its pointer inside of that."""
    head = problem_head(refusal.status, refusal.sentence, kind=refusal.kind, title=refusal.title)
    body: dict[str, Any] = {**head}
    if not refusal.detail:
        del body["detail"]
    if refusal.faults:
        body["errors"] = [located(fault) for fault in refusal.faults]
    if refusal.untold:
        body["untold"] = refusal.untold
    return CONTENT_TYPE, json.dumps(body, ensure_ascii=False).encode("utf-8", "replace")


def located(fault: Fault) -> dict[str, object]:
    """A fault of a request as one of a problem's errors: the part, and the pointer inside of it."""
    part = fault.path[0] if fault.path and fault.path[0] in PARTS else ""
    told: dict[str, Any] = {**error_of(fault, 1 if part else 0)}
    detail = told.pop("detail")
    return {"detail": detail, "part": part, **told}


def told_in(catalogue: Catalogue, refusal: Refusal, form: Form) -> OutgoingAnswer:
    """A refusal as it goes out, in a language. Raises BrokenAnswer for headers or a status that no answer has."""
    with speaking(catalogue):
        media, body = form(refusal)
    headers: list[tuple[Any, Any]] = headers_of(refusal.headers)
    if catalogue is not ENGLISH or refusal.faults:
        headers.insert(0, ("content-language", catalogue.language))
    header("content-type", media)  # an API's own form wrote it
    return outgoing(refusal.status, headers, body, (("content-type", media), ("content-length", str(len(body)))))


def of_faults(status: int, faults: Sequence[Fault], untold: int, entered: Any = None) -> Refusal:
    """A refusal for what is wrong with the parts of a request."""
    count = len(faults) + untold
    if count == 1:
        return Refusal(status, "The request was refused with one fault.", faults=faults, entered=entered)
    told = Refusal(status, "The request was refused with {count} faults.", faults=faults, untold=untold)
    return replace(told, slots={"count": f"{count:,}"}, entered=entered)
