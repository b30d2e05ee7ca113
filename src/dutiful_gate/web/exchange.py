"""The way of one request through an API, whichever server took it.

Nothing here reads or writes a socket: an adapter hands over the head and pieces of the body, calls the handler in its
own way, and sends what comes out.
"""

from __future__ import annotations

import logging
import sys
from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager, ExitStack, nullcontext
from time import perf_counter
from typing import TYPE_CHECKING, Any, Final

from ..declare.carried import identity
from ..declare.outside import HandedOver, as_list, outside_values
from ..engine.awaiting import awaited_window
from ..gates.asking import secrets_of
from ..report.catalogue import ENGLISH, speaking
from ..report.fault import Fault
from ..report.verdict import Refused
from .answer_headers import BrokenAnswer
from .answers import OutgoingAnswer, is_status, work_of
from .conditional import ByContent, RequestConditions, tag_of, tag_of_content
from .endpoint import Endpoint, Served, ShowsForm
from .forms.rows import BUTTONS, with_rows
from .head import Head
from .intake import Intake
from .negotiation import chosen_language, chosen_media
from .opened import Opened
from .refusals import Refusal, RequestProblem, told_in
from .security.admission import Admission, Admitted, Ask, Steps, admitted, admitted_later
from .security.other_sites import refuse_other_sites
from .security.requirement import PUBLIC, ToAsk
from .seen import Seen, places_of, show

if TYPE_CHECKING:
    from .api import Api

log = logging.getLogger("dutiful_gate.web")
HTML: Final = "text/html"
_IN_ENGLISH: Final = nullcontext()
MOST_HEAD: Final = 32_768
"""So many characters target and headers may have together."""


class Exchange:
    """One request on its way, and its answer.

    `asks_who`    whether it is to be told first who asks: see `identify`
    `outgoing`    the answer, once there is one
    `reads_body`  whether pieces of the body are wanted: hand them to `take`, until there are no more or an answer is
    `request`     what the handler is called with, once the body is `complete`
    `opened`      what is opened for it before that, and closed afterwards; None where nothing is
    `problem`     why it is refused, or what failed
    """

    __slots__ = (
        "_admission",
        "_after",
        "_began",
        "_handed",
        "_intake",
        "_media",
        "_names",
        "_refusal",
        "_served",
        "_tag",
        "api",
        "catalogue",
        "head",
        "opened",
        "outgoing",
        "problem",
        "reads_body",
        "request",
    )

    def __init__(self, api: Api, head: Head) -> None:
        """Begin by the head alone: there is an answer where 404, 405, 401, 403, 431, 415, 406 or 413 applies."""
        self.api = api
        self.head = head
        self.catalogue = chosen_language(head.header("accept-language"), api.catalogues)
        self.outgoing: OutgoingAnswer | None = None
        self.reads_body = False
        self.request: Any = None
        self._media = ""
        self._tag: str | None = None
        self._handed: tuple[HandedOver, ...] = ()
        self._admission: Admission | None = None
        self._after: tuple[Callable[[], Any], ...] = ()
        self.opened: Opened | None = None
        self.problem: BaseException | None = None
        self._names: Mapping[str, str] = {}
        self._intake: Intake[Any] | None = None
        self._served: Served[Any] | None = None
        self._refusal: Refusal | None = None
        self._began = perf_counter() if api.observe is not None else 0.0
        self._safely(self._routed)

    @property
    def endpoint(self) -> Endpoint[Any]:
        """The endpoint that answers."""
        assert self._served is not None
        return self._served.endpoint

    @property
    def served(self) -> Served[Any]:
        """The endpoint, and the function that answers."""
        assert self._served is not None
        return self._served

    def settled(self) -> bool:
        """Whether there is an answer."""
        return self.outgoing is not None

    @property
    def without_content(self) -> bool:
        """Whether only the head of the answer is sent."""
        return self.head.method == "HEAD"

    def surroundings(self) -> AbstractContextManager[Any]:
        """What a handler is called in: words that it asks for are in the client's language, and what was handed over
        from outside is at hand."""
        spoken = _IN_ENGLISH if self.catalogue is ENGLISH else speaking(self.catalogue)
        if not self._handed:
            return spoken
        both = ExitStack()
        both.enter_context(spoken)
        both.enter_context(outside_values(*self._handed))
        return both

    def within(self, function: Callable[..., Any], *given: Any) -> Any:
        """What a function gives back, called in these surroundings."""
        with self.surroundings():
            return function(*given)

    def hand_over(self, values: Sequence[HandedOver]) -> None:
        """Hand over what was opened."""
        self._handed = (*self._handed, *values)

    @property
    def is_streamed(self) -> bool:
        """Whether the answer is sent in pieces."""
        return self.outgoing is not None and not isinstance(self.outgoing.body, bytes) and not self.without_content

    @property
    def comes_later(self) -> bool:
        """Whether the pieces of the answer have to be awaited."""
        return self.is_streamed and hasattr(getattr(self.outgoing, "body", None), "__aiter__")

    @property
    def afterwards(self) -> tuple[Callable[[], Any], ...]:
        """What is to be done once the answer is sent."""
        return self._after

    def _safely(self, step: Callable[[], None]) -> None:
        """Take a step; what it raises is the answer."""
        try:
            step()
        except RequestProblem as problem:
            self.refuse(problem.refusal)
        except Exception:
            self.failed()

    def _routed(self) -> None:
        head, api = self.head, self.api
        methods, names = api.found(head)
        # A page is text, and an endpoint whose path is a name comes after text.
        page = api.page(head.path, head.mount) if not methods or names else None
        if page is not None:
            if head.method not in ("GET", "HEAD"):
                raise RequestProblem(405, "This path does not take this method.", headers={"allow": "GET, HEAD"})
            self.outgoing = page
            return
        if not methods:
            raise RequestProblem(404, "There is nothing at this path.")
        served = methods.get(head.method) or (methods.get("GET") if head.method == "HEAD" else None)
        if served is None:
            allow = ", ".join(sorted({*methods, "OPTIONS", *(["HEAD"] if "GET" in methods else [])}))
            if head.method != "OPTIONS":
                raise RequestProblem(405, "This path does not take this method.", headers={"allow": allow})
            patched = methods.get("PATCH")
            patches = (("accept-patch", ", ".join(patched.endpoint.body_types)),) if patched is not None else ()
            self.outgoing = OutgoingAnswer(204, (("allow", allow), *patches))
            return
        self._served, self._names = served, names
        endpoint = head.endpoint = served.endpoint
        if openings := api.opened_for(endpoint):
            self.opened = Opened(openings)
        wanted = api.wanted_of(endpoint)
        if endpoint.comes_from_pages or (wanted is not None and wanted.from_cookie):
            refuse_other_sites(head, api.origins)
        if wanted is None or wanted is PUBLIC:
            self._let_in(None)
            self._receive()
        else:
            self._admission = Admission(wanted, head, api.title)

    @property
    def asks_who(self) -> bool:
        """Whether it is to be told who asks."""
        return self._admission is not None and self.outgoing is None

    def identify(self, body: bytes | None = None) -> None:
        """Tell who asks, by functions that answer at once; there is an answer where that one may not."""
        self._safely(lambda: self._identified(admitted(self._steps(body), _asked_at_once), body))

    async def identify_awaited(self, ask: Ask, body: bytes | None = None) -> None:
        """The same where functions are waited for."""
        try:
            found = await admitted_later(self._steps(body), ask)
        except RequestProblem as problem:
            self.refuse(problem.refusal)
        except Exception as error:
            self.failed(error)
        else:
            self._safely(lambda: self._identified(found, body))

    def _steps(self, body: bytes | None) -> Steps:
        assert self._admission is not None
        return self._admission.steps(body)

    def _identified(self, found: Admitted | None, body: bytes | None) -> None:
        if found is not None:
            self._admission = None
            self._let_in(found)
        elif body is not None:
            raise TypeError("the body has come, and proves nothing")
        if body is None:
            self._receive()

    def _let_in(self, found: Admitted | None) -> None:
        """Hand over what the request carries besides."""
        if self.api.outside is None and found is None:
            return
        given = [] if self.api.outside is None else as_list(self.api.outside(self.head))
        if found is not None:
            self.endpoint.check_identity(found.identity)
            given.append(identity(found.identity))
        self._handed = tuple(given)

    def _receive(self) -> None:
        """Look whether the body, if one comes, is one that is taken."""
        head, endpoint, names = self.head, self.endpoint, self._names
        if head.size > MOST_HEAD:
            slots = {"most": f"{MOST_HEAD:,}"}
            raise RequestProblem(431, "Target and headers of a request have at most {most} characters.", slots=slots)
        types, keeps_raw = endpoint.body_types, self._admission is not None
        intake = Intake(endpoint.gate, head, names, (), endpoint.unpacks, types=types, keeps_raw=keeps_raw)
        self._intake = intake
        offered = endpoint.offers
        media = chosen_media(head.header("accept"), offered) if offered else ""
        if media is None and self.served.form is not None and self._shows_pages:
            media = offered[0]  # its page is shown where it is refused, or drawn again
        if media is None:
            raise RequestProblem(
                406, "The answer is of one of these types: {types}.", slots={"types": ", ".join(offered)}
            )
        self._media = media
        intake.weigh()
        self.reads_body = intake.reads

    def take(self, piece: bytes) -> None:
        """One piece of the body. Where there is an answer afterwards, no more need be read."""
        assert self._intake is not None
        intake = self._intake
        self._safely(lambda: intake.take(piece))

    def complete(self) -> None:
        """All of the body is here: read the request; there is an answer where it is refused."""
        self._safely(self._read)

    @property
    def raw(self) -> bytes:
        """The bytes of the body as they came."""
        return self._intake.raw if self._intake is not None else b""

    async def completed(self) -> None:
        """The same where checks may be waited for: they are asked about what is sound of the request."""
        if not self.endpoint.gate.asks_elsewhere:
            self.complete()
            return
        try:
            with outside_values(*self._handed):
                await awaited_window(self._begun_anew, secrets_of(self.endpoint.gate))
        except Exception as error:  # of a check: no fault of the client's
            self.failed(error)

    def _begun_anew(self) -> None:
        """Read the request, whatever was made of it before."""
        self.outgoing = self.request = self._refusal = self.problem = None
        self.complete()

    def _read(self) -> None:
        assert self._intake is not None
        if self._handed:
            with outside_values(*self._handed):
                self._read_here()
        else:
            self._read_here()

    def _read_here(self) -> None:
        assert self._intake is not None
        form = self._served.form if self._served is not None else None
        if form is not None and (rows := [pair for pair in self._intake.form_pairs() if pair[0] in BUTTONS]):
            self._redraw(form, rows)
            return
        try:
            self.request = self._intake.request()
        except RequestProblem as problem:
            if form is not None and problem.refusal.faults and self._shows_pages:
                entered = (problem.refusal.entered or {}).get("form")
                self._draw(form, problem.refusal.status, entered, problem.refusal.faults)
                return
            faults = problem.refusal.faults
            if faults and faults[0].path[:1] == ("path",) and self.api.unreadable_path != 422:
                raise RequestProblem(self.api.unreadable_path, "There is nothing at this path.") from None
            raise

    @property
    def _shows_pages(self) -> bool:
        """Whether the client would rather see a page than read a problem."""
        return chosen_media(self.head.header("accept"), ("application/problem+json", HTML)) == HTML

    def _redraw(self, form: ShowsForm, rows: Sequence[tuple[str, str]]) -> None:
        """A button asked for a row more or less: the form is drawn again, and nothing is told of it."""
        assert self._intake is not None
        self._draw(form, 200, with_rows(self._intake.typed(), rows), ())

    def _draw(self, form: ShowsForm, status: int, entered: Any, faults: Sequence[Fault]) -> None:
        with speaking(self.catalogue):
            page = form.page(entered, faults).encode("utf-8", "replace")
        headers = (("content-type", f"{HTML}; charset=utf-8"), ("content-length", str(len(page))))
        self._settle(OutgoingAnswer(status, headers, page))

    def _settle(self, outgoing: OutgoingAnswer) -> None:
        """This is the answer. Where there is something to choose from, caches are told (RFC 9110, section 12.5.5)."""
        served = self._served
        chosen = served is not None and (served.form is not None or len(served.endpoint.offers) > 1)
        if chosen or self.api.catalogues:
            by = [*(["accept"] if chosen else []), *(["accept-language"] if self.api.catalogues else [])]
            outgoing.headers = (*outgoing.headers, ("vary", ", ".join(by)))
        self.outgoing = outgoing

    # Conditions

    @property
    def version_of(self) -> Callable[[Any], Any]:
        """What gives the version of what the request is about."""
        assert self.endpoint.version_of is not None
        return self.endpoint.version_of

    @property
    def asks_version(self) -> bool:
        """Whether a version is to be asked for, now that the request is read, and handed to `judge`; a request that
        lacks the condition that it must have is refused."""
        endpoint = self._served.endpoint if self._served is not None else None
        if endpoint is None or endpoint.version_of is None:
            return False
        if endpoint.must_match and not self._asked.says_which(endpoint.method):
            self.refuse(Refusal(428, "Say by `If-Match` which version is to be changed."))
            return False
        return self._reads or not self._asked.says_nothing

    @property
    def _reads(self) -> bool:
        return self.head.method in ("GET", "HEAD")

    def judge(self, version: Any) -> None:
        """Heed the conditions by a version; there is an answer where they do not let the request go on."""
        try:
            tag = None if version is None else tag_of(version, self._media, self.endpoint.offers)
        except TypeError as error:
            self.failed(error)
            return
        self._tag = tag
        status = self._asked.status(tag)
        if status == 412:
            self.refuse(Refusal(412, "What is there is not the version that is meant."))
        elif status:
            self._settle(OutgoingAnswer(304, (("etag", tag or ""),)))

    @property
    def _asked(self) -> RequestConditions:
        head = self.head
        return RequestConditions(head.method, head.header("if-match"), head.header("if-none-match"))

    def _tagged(self, outgoing: OutgoingAnswer) -> OutgoingAnswer:
        """An answer with the tag of what it shows; without it where the client has that already."""
        if not self._reads or not 200 <= outgoing.status < 300 or any(name == "etag" for name, _ in outgoing.headers):
            return outgoing
        tag = self._tag
        if isinstance(self.endpoint.version, ByContent) and isinstance(outgoing.body, bytes):
            tag = tag_of_content(outgoing.body)
            status = self._asked.status(tag)
            if status == 412:
                raise RequestProblem(412, "What is there is not the version that is meant.")
            if status:
                kept = tuple(each for each in outgoing.headers if not each[0].startswith("content-"))
                return OutgoingAnswer(304, (*kept, ("etag", tag)))
        if tag is not None:
            outgoing.headers = (*outgoing.headers, ("etag", tag))
        return outgoing

    def close(self) -> None:
        """The answer is sent: let go of the files that came, and tell those who look on."""
        if self._intake is not None:
            self._intake.close()
        if self._began and self.api.observe is not None:
            show(self.api.observe, self._seen())
            self._began = 0.0

    def _seen(self) -> Seen:
        endpoint = self._served.endpoint if self._served is not None else None
        status = self.outgoing.status if self.outgoing is not None else None
        seconds = perf_counter() - self._began
        if endpoint is None:
            return Seen(None, self.head.method, status, seconds)
        refusal, intake = self._refusal, self._intake
        faults = places_of(endpoint, refusal.faults) if refusal is not None else ()
        stood_in = places_of(endpoint, intake.fallbacks) if intake is not None else ()
        untold = refusal.untold if refusal is not None else 0
        return Seen(endpoint, self.head.method, status, seconds, faults, untold, stood_in)

    # The answer

    def answer(self, result: Any) -> None:
        """What the handler returned is the answer; one that breaks its declaration is told to developers alone."""
        try:
            outgoing = self.endpoint.answers.released(result, self._media)
            if self.endpoint.version is not None:
                outgoing = self._tagged(outgoing)
            self._settle(outgoing)
            self._after = work_of(result)
        except RequestProblem as problem:
            self.refuse(problem.refusal)
        except Refused as refused:
            self.problem = refused
            self._broken("; ".join(map(str, refused.faults)))
        except BrokenAnswer as broken:
            self.problem = broken
            self._broken(broken.words)
        except Exception:
            self.failed()

    def _broken(self, words: str) -> None:
        log.error("%r: the answer is not what is declared: %s", self.endpoint, words)
        told = f"The answer is not what is declared: {words}" if self.api.development else ""
        self.refuse(Refusal(500, told or "The server could not answer."))

    def raised(self, error: BaseException) -> None:
        """The handler raised: a RequestProblem is the answer; anything else is logged, and the client told no more."""
        if isinstance(error, RequestProblem):
            self.problem = error
            self.refuse(error.refusal)
        else:
            self.failed(error)

    def failed(self, error: BaseException | None = None) -> None:
        """Something went wrong that is no fault of the client's."""
        self.problem = error or sys.exception()
        log.error("%s %s failed", self.head.method, self.head.path[:200], exc_info=error or True)
        self.refuse(Refusal(500, "The server could not answer."))

    def refuse(self, refusal: Refusal) -> None:
        """The request ends here."""
        self._refusal, self._after = refusal, ()
        self.problem = self.problem or RequestProblem.of(refusal)
        try:
            self._settle(told_in(self.catalogue, refusal, self.api.refusals))
        except Exception:
            log.error("a refusal could not be told", exc_info=True)
            status = refusal.status if is_status(refusal.status) and refusal.status >= 400 else 500
            self.outgoing = OutgoingAnswer(status, (("content-length", "0"),))


def note_failed_work(endpoint: Endpoint[Any], error: Exception) -> None:
    """What was to be done after an answer failed."""
    log.error("%r: the work after the answer failed", endpoint, exc_info=error)


def _asked_at_once(asking: ToAsk) -> Any:
    return asking.function(*asking.given)
