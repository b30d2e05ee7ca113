"""Endpoints as data: what a request is made of, and what is answered, apart from any framework."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping, Sequence
from functools import cached_property
from types import GenericAlias
from typing import TYPE_CHECKING, Any, Final, Generic, Protocol, TypeVar

from ..declare.carried import identity
from ..declare.errors import DeclarationError, check_flags
from ..declare.limits import Limits
from ..declare.rules.waiting import WaitingCheck
from ..declare.told_types import is_of, shown_kind
from ..declare.waiting import check_takes, gives_pieces, gives_pieces_later, is_async
from ..gates.request import EndpointGate, RequestGate
from ..gates.typed import LeavesOut
from ..report.fault import Fault
from ..shape.asked_outside import waiting_of
from .answering import Answerings, Streamed
from .answers import CBOR, JSON, Declared
from .conditional import ByContent, VersionOf, check_version
from .form_names import check_form
from .handler_types import check_returned
from .intake import body_types
from .multipart import check_reader
from .operations import checked_callbacks, checked_links
from .paths import PathTemplate
from .refusals import RequestProblem
from .security.requirement import Requirement, requirement_of

if TYPE_CHECKING:
    from typing_extensions import TypeVar as TypeVarWithDefault

    A = TypeVarWithDefault("A", default=Any)
else:
    A = TypeVar("A")

R = TypeVar("R")
C = TypeVar("C")
Handler = Callable[[R], Any] | Callable[[R], Awaitable[Any]]
"""Answers a request, plainly or `async`: takes its record, and returns what is answered."""


class ShowsForm(Protocol):
    """What shows a form again: see `Form`."""

    def page(self, entered: Any = None, faults: Sequence[Fault] = ()) -> str:
        """The whole page."""
        ...


METHODS: Final = ("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS")
_WITHOUT_BODY: Final = frozenset(["GET", "HEAD", "DELETE", "OPTIONS"])


class Endpoint(Generic[R, A]):
    """One method at one path: its request, a record of parts, and its answers by status.

        ON_FILE = Answering(200, list[Booking])
        list_bookings = Endpoint("GET", "/bookings", ListBookings, ON_FILE, summary="Bookings on file")

    `request`     a dataclass whose fields are the parts of the request: see `RequestGate`
    `answers`     one `Answering`, or several joined by `|`; the first is what a handler's bare value is
    `problems`    what else handlers raise as `RequestProblem`, for the description: statuses, or such problems
    `name`        what it is called in the description; by default made of method and path
    `takes`       the media types of a JSON body: "application/json", "application/cbor"
    `unpacks`     the content codings of a body that are undone: "gzip"
    `security`    who may: schemes joined by `|` and `&`, such as `signed_in["book"] | desk_key`, or PUBLIC for anybody;
                  by default as the `Api` says
    `version`     gives the version of what a request is about, plainly or `async`, such as the number of a row's last
                  change: it is the `ETag` of what is read, and `If-Match` and `If-None-Match` are judged by it before
                  the handler is called: 412, or 304. BY_CONTENT takes a hash of what is sent, for GET
    `must_match`  whether a request without such a condition is refused: 428
    `limits`      bounds on what comes, see `Limits`
    `keys`        how names in bodies, queries and forms are made of attributes', such as `camel`; by default as the
                  `Api` says
    `leaves_out`  what answers leave out, "nulls", "defaults" or both: see `Gate`
    `names`       names that annotations use and that cannot be seen where the endpoint is made
    `links`       what the description says of where an answer leads to, by its status and then by name: Link Objects of
                  OpenAPI, as data: `links={201: {"read": {"operationId": "get_booking"}}}`
    `callbacks`   what it says of requests that are sent in turn, by name: Callback Objects of OpenAPI, as data
    `summary`, `text`, `tags`, `deprecated`  what the description says of it

    Raises DeclarationError, with the remedy, for a path whose names the request does not read or the reverse, and for
    a body of a method that has none.
    """

    def __init__(
        self,
        method: str,
        path: str,
        request: type[R],
        answers: Answerings[A, C],
        *,
        name: str = "",
        summary: str = "",
        text: str = "",
        tags: Sequence[str] = (),
        deprecated: bool = False,
        takes: Sequence[str] = (JSON,),
        unpacks: Sequence[str] = (),
        security: Requirement | None = None,
        problems: Sequence[int | RequestProblem] = (),
        version: VersionOf[R] | ByContent | None = None,
        must_match: bool = False,
        limits: Limits | None = None,
        keys: Callable[[str], str] | None = None,
        leaves_out: LeavesOut = (),
        links: Mapping[int, Mapping[str, Any]] | None = None,
        callbacks: Mapping[str, Mapping[str, Any]] | None = None,
        names: Mapping[str, Any] | None = None,
    ) -> None:
        self.method = method.upper()
        if self.method not in METHODS:
            raise DeclarationError(f"{method!r} is no method of an endpoint", remedy=f"one of {', '.join(METHODS)}")
        if isinstance(tags, str):
            raise DeclarationError(f"tags={tags!r} is no list of words", remedy=f"as in tags=[{tags!r}]")
        self.path = PathTemplate(path)
        self.gate: RequestGate[R] = EndpointGate(request, limits=limits, keys=keys, names=names)
        self.parts = self.gate.parts
        self.answers = Declared(answers, keys, leaves_out)
        self.keys = keys
        self._said: tuple[Callable[[str], str] | None] | None = None  # how names are made by the Api that has it
        self.is_named = bool(name)
        self.name = name or "_".join([method.lower(), *(word for word, _ in self.path.segments if word)])
        self.summary, self.text, self.tags, self.deprecated = summary, text, tuple(tags), deprecated
        self.takes, self.unpacks = tuple(takes), tuple(unpacks)
        self.security = requirement_of(security, repr(self))
        self.problems = tuple(map(_problem, problems))
        self.links, self.callbacks = checked_links(links, self.answers.of), checked_callbacks(callbacks)
        check_flags(must_match=must_match)
        check_version(version, must_match, self.method, self.answers, repr(self))
        self.version, self.must_match = version, must_match
        self._check(request)

    if not TYPE_CHECKING:  # `Endpoint[Book]` says nothing of the answers
        __class_getitem__ = classmethod(GenericAlias)

    def by(
        self, handler: Callable[[R], A] | Callable[[R], Awaitable[A]], *, form: ShowsForm | None = None
    ) -> Served[R]:
        """The endpoint with the function that answers it: takes the request, returns what is answered.

        With `form`, a `Form`, a browser whose form is refused gets its page again: what was typed, and every fault.
        """
        return Served(self, handler, form)

    def speak(self, keys: Callable[[str], str] | None, *, drawn: bool) -> None:
        """Make its names as an API says, unless it says its own. Raises DeclarationError where another API has said
        otherwise, and where a form is `drawn` with the names that it had."""
        if self.keys is not None or self._said == (keys,):
            return
        if self._said is not None or (drawn and keys is not None):
            why = "a form is drawn with its names" if self._said is None else "another Api makes its names otherwise"
            raise DeclarationError(
                f"the Api cannot make the names of {self!r}: {why}",
                remedy="say it at the endpoint: Endpoint(..., keys=)",
            )
        self._said = (keys,)
        if keys is None:
            return
        declared: Any = self.gate.declared
        self.gate = EndpointGate(declared, limits=self.gate.limits, keys=keys, names=self.gate._names)
        self.parts = self.gate.parts
        self.answers.speak(keys)

    def __repr__(self) -> str:
        return f"<Endpoint {self.method} {self.path.text}>"

    @property
    def reads_body(self) -> bool:
        """Whether a body is read."""
        return not self.parts.keys().isdisjoint(["body", "form", "files"])

    @cached_property
    def offers(self) -> tuple[str, ...]:
        """The media types of its answers, of which a client chooses."""
        offered = self.answers.media
        return (*offered, CBOR) if offered and CBOR in self.takes else offered

    @cached_property
    def comes_from_pages(self) -> bool:
        """Whether a page of any site can make a browser send what it reads: cookies, or a form."""
        return not self.parts.keys().isdisjoint(["cookies", "form", "files"])

    def check_identity(self, found: Any) -> None:
        """Raise TypeError for who is of another type than the request declares."""
        for name, taken in self.gate.carried.items():
            if taken.by is identity and not is_of(taken.of, found):
                told = f"{name} of {self!r} is declared as {shown_kind(taken.of)}"
                raise TypeError(f"{told}, and the scheme gave {type(found).__name__}")

    @property
    def version_of(self) -> Callable[[Any], Any] | None:
        """What gives the version of what a request is about before the handler is called; None where nothing does."""
        return None if isinstance(self.version, ByContent) else self.version

    @property
    def waits_for(self) -> tuple[WaitingCheck, ...]:
        """The checks that wait, which its request is asked about."""
        return waiting_of(self.gate.shape)

    @cached_property
    def body_types(self) -> tuple[str, ...]:
        """The media types that a body may be of."""
        return body_types(self.gate, self.takes)

    def _check(self, request: type[R]) -> None:
        name = getattr(request, "__name__", "")
        declared = self._path_names()
        for missing in [each for each in self.path.names if each not in declared]:
            raise DeclarationError(
                f"the path {self.path.text} has the name {missing!r}, which the request does not read",
                remedy=f"declare {missing} in the record of its path, or take it out of the path",
                record=name,
                field="path",
            )
        for lost in [each for each in declared if each not in self.path.names]:
            raise DeclarationError(
                f"{lost!r} is read from the path {self.path.text}, which has no such name",
                remedy=f"write {{{lost}}} into the path, or take the field out",
                record=name,
                field="path",
            )
        if self.reads_body and self.method in _WITHOUT_BODY:
            raise DeclarationError(
                f"a request with {self.method} has no body",
                remedy="put what is sent into the query, or take another method",
                record=name,
            )
        if "files" in self.parts:
            check_reader()
        if "form" in self.parts:
            check_form(self.parts["form"].use, self.gate.shape)
        unknown = [each for each in self.takes if each not in (JSON, CBOR)] + [
            each for each in self.unpacks if each != "gzip"
        ]
        if unknown:
            raise DeclarationError(f"{unknown[0]!r} is nothing that is read here", remedy=f"{JSON}, {CBOR}; gzip")

    def _path_names(self) -> list[str]:
        if "path" not in self.parts:
            return []
        return [field.wire for field in self.gate.shape.sure_record(self.parts["path"].use).fields]


def _problem(given: Any) -> RequestProblem:
    """A problem that handlers raise. Raises DeclarationError for what is none."""
    if isinstance(given, RequestProblem):
        return given
    if given.__class__ is not int or not 400 <= given < 600:
        remedy = 'as in problems=[404, RequestProblem(409, "The berth is taken.")]'
        raise DeclarationError(f"{given!r} is no status of a problem", remedy=remedy)
    return RequestProblem(given)


class Served(Generic[R]):
    """An endpoint and the function that answers it."""

    __slots__ = ("endpoint", "form", "gives_pieces_later", "handler", "is_async")

    def __init__(self, endpoint: Endpoint[R, Any], handler: Handler[R], form: ShowsForm | None = None) -> None:
        self.endpoint = endpoint
        self.handler = handler
        self.form = form
        check_takes(handler, f"the handler of {endpoint!r}", 1)
        self.is_async = is_async(handler)
        self.gives_pieces_later = gives_pieces_later(handler)
        check_returned(handler, endpoint.answers.usual, repr(endpoint))
        streams = any(isinstance(gate, Streamed) for gate in endpoint.answers.gates.values())
        if not streams and gives_pieces(handler):
            raise DeclarationError(
                f"the handler of {endpoint!r} is a generator, and no answer of it is streamed",
                remedy='return the answer, or declare one as Answering(200, Streamed("text/csv"))',
            )
