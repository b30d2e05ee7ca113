"""One request being read by its gate, piece by piece, apart from endpoints and frameworks."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Generic, TypeVar

from ..declare.answers import answers_here
from ..declare.errors import DeclarationError
from ..declare.patch import Patch
from ..declare.steps import OwnMaking
from ..gates.request import RequestGate
from ..report.fault import Fault
from .answers import JSON, JSON_PATCH, MERGE_PATCH
from .body import FORMS, Body
from .form_names import TooDeep, nested
from .head import Head, query_pairs
from .parts import examined
from .refusals import RequestProblem, of_faults

R = TypeVar("R")


def body_types(gate: RequestGate[R], takes: Sequence[str] = (JSON,)) -> tuple[str, ...]:
    """The media types that the body of a request may be of; none where none is read."""
    parts = gate.parts
    if "files" in parts:
        return FORMS[1:]
    if "body" not in parts:
        return FORMS if "form" in parts else ()
    patch = _patch_type(gate)
    return (patch, *takes) if patch and JSON in takes else tuple(takes)


def _patch_type(gate: RequestGate[R]) -> str:
    """The media type of a body that changes something in part (RFC 7396, RFC 6902); "" for any other."""
    use = gate.parts["body"].use
    record = gate.shape.record_of(use)
    if record is not None and record.mends:
        return MERGE_PATCH
    return JSON_PATCH if isinstance(use.making, OwnMaking) and use.making.of == (Patch,) else ""


def check_carries_nothing(gate: RequestGate[R]) -> None:
    """Raise DeclarationError for a request that carries what an Api alone hands over."""
    for name, taken in gate.carried.items():
        raise DeclarationError(
            f"{name} is handed over by an Api, and here is none", remedy=f"serve an Endpoint, or leave {taken.by} out"
        )


class Intake(Generic[R]):
    """Takes the pieces of a body where it `reads` one, then gives the request.

    `names` is what the path gave for the names in it, `types` the media types of the body where they are known.
    """

    def __init__(
        self,
        gate: RequestGate[R],
        head: Head,
        names: Mapping[str, str],
        takes: Sequence[str] = (JSON,),
        unpacks: Sequence[str] = (),
        *,
        types: tuple[str, ...] | None = None,
        keeps_raw: bool = False,
    ) -> None:
        """Raises RequestProblem(415) for a body that is not taken."""
        self.gate, self.head, self.names = gate, head, names
        self.fallbacks: tuple[Fault, ...] = ()
        types = body_types(gate, takes) if types is None else types
        self._body = Body(head, types, unpacks, gate.limits.bytes, keeps_raw=keeps_raw) if types else None

    @property
    def reads(self) -> bool:
        """Whether a body is wanted; one may come without a header that says so (RFC 9113, section 8.1)."""
        return self._body is not None

    @property
    def raw(self) -> bytes:
        """The bytes of the body as they came, where they are kept."""
        return bytes(self._body.raw) if self._body is not None and self._body.raw is not None else b""

    def weigh(self) -> None:
        """Raises RequestProblem(413) where the head tells of a body past the limit."""
        if self._body is not None and self._body.declared > self._body.most:
            raise self._body.too_large

    def take(self, piece: bytes) -> None:
        """One piece of the body. Raises RequestProblem: 413 past the limit, 400 for what cannot be unpacked."""
        assert self._body is not None
        try:
            self._body.take(piece)
        except RequestProblem:
            self.close()
            raise

    def close(self) -> None:
        """Let go of the files that came."""
        if self._body is not None and self._body.form is not None:
            self._body.form.close()

    def form_pairs(self) -> list[tuple[str, str]]:
        """The names and values of a form as they came; none where they cannot be read."""
        try:
            if self._body is not None and self._body.form is not None:
                return self._body.form.pairs
            return query_pairs(self._body.whole().decode()) if self._body is not None else []
        except (RequestProblem, ValueError):
            return []

    def typed(self) -> Any:
        """What was typed into a form, without secrets."""
        parts = self.gate.parts
        try:
            data = nested(self.form_pairs(), parts["form"].use, self.gate.shape, self.gate.limits)
        except TooDeep:
            return {}
        return (self.gate.examine({"form": data}).entered() or {}).get("form")

    def request(self) -> R:
        """The request, now that all is here. Raises RequestProblem with every fault: 422, or 400 for no JSON at all."""
        whole = self._body.whole() if self._body is not None else b""
        media = self._body.media if self._body is not None else ""
        form = self._body.form if self._body is not None else None
        verdict, readable = examined(self.gate, self.head, self.names, whole, media, form)
        self.fallbacks = verdict.fallbacks
        if verdict:
            return verdict.value
        if answers_here() is None:  # else it may be read once more
            self.close()
        raise RequestProblem.of(of_faults(422 if readable else 400, verdict.faults, verdict.untold, verdict.entered()))
