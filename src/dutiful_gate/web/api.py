"""The endpoints of an API, each with its handler, and which of them a request is for."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from copy import copy
from functools import cached_property, partial
from typing import Any, Final, TypeVar

from ..declare.carried import identity
from ..declare.errors import DeclarationError, check_flags
from ..declare.outside import HandedOver, Opening
from ..declare.waiting import check_answers, check_takes, shown_name
from ..report.catalogue import Catalogue
from ..shape.asked_outside import outside_of
from .answers import JSON, OutgoingAnswer
from .endpoint import Endpoint, Served
from .exchange import Exchange
from .head import Head
from .lifespan import Living, checked_lifespan
from .opened import checked_openings
from .operations import check_links, operation_names
from .refusals import Form, as_problem
from .security.other_sites import checked_origins
from .security.proxies import Proxies
from .security.requirement import Requirement, requirement_of
from .security.start_up import check_who_may, schemes_by_name
from .seen import Observer
from .workers import USUAL, Workers

T = TypeVar("T")
_MOST_MOUNTS: Final = 8
_MANUAL: Final = "dutiful-manual"
"""What the script and the style of the manual are called, beside it."""
_POLICY: Final = (
    "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self'; base-uri 'none'; form-action 'none'; "
    "frame-ancestors 'self'"
)
"""What the manual may do: run its own script, and ask its own service."""


class Api:
    """Endpoints with their handlers, under one title.

        api = Api("Tern Sound bookings", "1.0", [list_bookings.by(on_file), book.by(taken)])

    `security`     who may use the endpoints that say nothing of it: schemes joined by `|` and `&`, see `Bearer`, or
                   PUBLIC. Where an endpoint has a scheme and this says nothing, each of the others has to say who may
    `origins`      those of other sites whose pages may send cookies and forms here
    `proxies`      the networks of proxies in front of the service that are trusted, "10.0.0.0/8", or "unix" for a local
                   socket: of them alone `Forwarded` (RFC 7239) is read, for `head.client` and `head.origin`
    `threads`      so many plain functions run at once under ASGI
    `catalogues`   languages besides English in which faults are told, as `Accept-Language` asks
    `refusals`     makes the body of a refusal, where an API has a form of its own
    `development`  whether an answer that breaks its declaration is told in full to the client
    `unreadable_path`  the status where the path is right but for its values: 422, or 404
    `keys`         how names in bodies, queries, forms and answers are made of attributes', such as `camel`: what a
                   record or an endpoint says itself wins, and `named` over all. Those of paths, headers, cookies stay
    `outside`      hands over the values that declarations ask for, asked of the head of each request once it is let
                   in: `lambda head: [limit(40)]`. Handlers have them too, as `limit.here`
    `opens`        what is opened once a request and closed with it, such as a session of a database:
                   `[session.opened_by(open_session)]`, see `outside`; for endpoints that ask for it
    `observe`      shown each request once it is answered, as a `Seen`: endpoint, status, time, places and codes of
                   faults, never a value. It is a plain function; what it raises is logged, and changes no answer
    `lifespan`  gives a context manager, plain or `async`, that is entered before the first request and left after the
                last, under ASGI: for a pool of connections, say. Starlette hands it on to no mount: see `starlette`
    `text`, `servers`  what the description says besides: a text, and URLs
    `described_at`  the path at which the description is served, such as "/openapi.json"; "" for none
    `schemas_at`    the path under which each declared record is served as JSON Schema, such as "/schemas"; "" for none
    `manual_at`     the path at which the manual is served, a page to read and try, such as "/manual"; "" for none

    Raises DeclarationError for two endpoints at one method and path, and for one that does not say who may.
    """

    def __init__(
        self,
        title: str,
        version: str,
        served: Sequence[Served[Any]],
        *,
        text: str = "",
        servers: Sequence[str] = (),
        security: Requirement | None = None,
        origins: Sequence[str] = (),
        proxies: Sequence[str] = (),
        threads: int = USUAL,
        catalogues: Sequence[Catalogue] = (),
        refusals: Form = as_problem,
        development: bool = False,
        unreadable_path: int = 422,
        keys: Callable[[str], str] | None = None,
        outside: Callable[[Head], Iterable[HandedOver]] | None = None,
        opens: Sequence[Opening[Any]] = (),
        observe: Observer | None = None,
        lifespan: Living | None = None,
        described_at: str = "",
        manual_at: str = "",
        schemas_at: str = "",
    ) -> None:
        _refuse_words(served, servers, catalogues, refusals, development, unreadable_path)
        _refuse_pages(described_at, manual_at, schemas_at)
        self.title, self.version, self.text, self.servers = title, version, text, tuple(servers)
        self.catalogues, self.refusals, self.development = tuple(catalogues), refusals, development
        self.security = requirement_of(security, "the Api")
        self.origins, self.proxies, self.workers = checked_origins(origins), Proxies(proxies), Workers(threads)
        self.unreadable_path = unreadable_path
        self.opens = checked_openings(opens)
        self.lifespan = checked_lifespan(lifespan)
        self.keys, self.outside = _keys(keys), _outside(outside, served, [each.of.name for each in self.opens])
        if observe is not None:
            check_answers(observe, f"observe={shown_name(observe)}", takes=1)
        self.observe = observe
        for each in served:
            each.endpoint.speak(keys, drawn=each.form is not None)
        self.served = tuple(served)
        self.schemes = schemes_by_name(self.security, self.endpoints)
        """The schemes by name."""
        check_who_may(self.endpoints, self.security)
        self.described_at, self.manual_at, self.schemas_at = described_at, manual_at, schemas_at
        self._made_for: dict[tuple[str, str], Any] = {}
        self.pages: dict[str, Callable[[str], OutgoingAnswer]] = {}
        if manual_at:
            beside = f"{manual_at.rpartition('/')[0]}/{_MANUAL}"
            self.pages[f"{beside}.js"] = lambda mount: self._of_manual("page.js", "text/javascript")
            self.pages[f"{beside}.css"] = lambda mount: self._of_manual("page.css", "text/css")
            self.pages[manual_at] = lambda mount: self._manual
        if described_at:
            self.pages[described_at] = lambda mount: self._under_mount(mount, "description", self._described)
        self._names = operation_names(self.endpoints)
        check_links(self.endpoints, self._names)
        for each in served:
            self._serve_beside(each)
        self._opened_for: dict[int, tuple[Opening[Any], ...]] = {}
        self._by_form: dict[tuple[tuple[str, bool], ...], dict[str, Served[Any]]] = {}
        for each in sorted(self.served, key=lambda one: one.endpoint.path.rank):
            self._take(each)
        # Paths of text alone are looked up; the others are tried, text before names.
        self._fixed: dict[str, dict[str, Served[Any]]] = {}
        self._tried: list[dict[str, Served[Any]]] = []
        for form, methods in self._by_form.items():
            if any(is_name for _, is_name in form):
                self._tried.append(methods)
            else:
                self._fixed["/" + "/".join(word for word, _ in form)] = methods
        for page in (*self.pages, schemas_at):
            if page in self._fixed:
                raise DeclarationError(f"an endpoint is at the page {page!r}", remedy="give the page another path")

    def _serve_beside(self, served: Served[Any]) -> None:
        """Serve the files of a form beside its endpoint."""
        for name, (media, text) in getattr(served.form, "beside_it", {}).items():
            page = _page(f"{media}; charset=utf-8", text)
            self.pages[f"{served.endpoint.path.text.rpartition('/')[0]}/{name}"] = partial(_same, page)

    def _take(self, served: Served[Any]) -> None:
        endpoint = served.endpoint
        methods = self._by_form.setdefault(endpoint.path.form, {})
        if endpoint.method in methods:
            other = methods[endpoint.method].endpoint
            raise DeclarationError(
                f"two endpoints are {endpoint.method} {endpoint.path.text}: {other.name} and {endpoint.name}",
                remedy="give one of them another path or method",
            )
        methods[endpoint.method] = served

    def name_of(self, endpoint: Endpoint[Any]) -> str:
        """What an endpoint is called in the description: no two have one name."""
        return self._names[id(endpoint)]

    def page(self, path: str, mount: str = "") -> OutgoingAnswer | None:
        """What is served at a path that is no endpoint's, under the path at which all is mounted: the description, the
        manual, a schema."""
        held = self.pages.get(path)
        if held is not None:
            return held(mount)
        if not self.schemas_at or not path.startswith(self.schemas_at):
            return None
        return self._under_mount(mount, "schemas", self._schema_pages).get(path)

    def _schema_pages(self, mount: str) -> dict[str, OutgoingAnswer]:
        from .describing.description import schemas

        made = schemas(self, mount=mount)
        media = "application/schema+json"
        told = {
            each["$id"].removeprefix(mount): _page(media, json.dumps(each, ensure_ascii=False))
            for each in made.values()
        }
        listed = _page(JSON, json.dumps([each["$id"] for each in made.values()]))
        return {self.schemas_at.rstrip("/"): listed, **told}

    def _described(self, mount: str) -> OutgoingAnswer:
        """The description as it goes out, put together when it is first asked for."""
        from .describing.description import description

        return _page(JSON, json.dumps(description(self, mount=mount), ensure_ascii=False))

    def _under_mount(self, mount: str, what: str, make: Callable[[str], T]) -> T:
        """What is made for one mount, kept; of many, whoever chooses them, a few."""
        if len(self._made_for) > _MOST_MOUNTS:
            self._made_for.clear()
        if (mount, what) not in self._made_for:
            self._made_for[mount, what] = make(mount)
        made: T = self._made_for[mount, what]
        return made

    @cached_property
    def _manual(self) -> OutgoingAnswer:
        from .manual.page import manual

        page = _page("text/html; charset=utf-8", manual(self, beside=_MANUAL))
        page.headers = (*page.headers, ("content-security-policy", _POLICY), ("referrer-policy", "no-referrer"))
        return page

    def _of_manual(self, name: str, media: str) -> OutgoingAnswer:
        """The script of the manual, or its style: files, so that no page of it runs what stands inside of it."""
        from .manual.page import file

        return _page(f"{media}; charset=utf-8", file(name))

    @property
    def endpoints(self) -> tuple[Endpoint[Any], ...]:
        """Its endpoints, as they were declared."""
        return tuple(served.endpoint for served in self.served)

    def found(self, head: Head) -> tuple[Mapping[str, Served[Any]], Mapping[str, str]]:
        """The endpoints at a path by method, and what the path gives for its names; none where nothing is there."""
        segments = head.segments
        methods = None if segments is None else self._fixed.get(head.path)
        if methods is not None:
            return methods, {}
        if segments is None:
            return {}, {}
        for methods in self._tried:
            # Templates of one form may differ in the names: each method's own are taken.
            own = next(iter(methods.values()))
            if (names := own.endpoint.path.match(segments)) is not None:
                mine = methods.get(head.method)
                return methods, names if mine is None else mine.endpoint.path.match(segments) or {}
        return {}, {}

    def wanted_of(self, endpoint: Endpoint[Any]) -> Requirement | None:
        """What an endpoint wants of who asks; None where this API has no scheme at all."""
        return self.security if endpoint.security is None else endpoint.security

    def opened_for(self, endpoint: Endpoint[Any]) -> tuple[Opening[Any], ...]:
        """What is opened for requests of an endpoint: what they ask for."""
        if not self.opens:
            return ()
        known = self._opened_for.get(id(endpoint))
        if known is None:
            asked = {each.name for each in outside_of(endpoint.gate.shape)}
            known = self._opened_for[id(endpoint)] = tuple(each for each in self.opens if each.of.name in asked)
        return known

    def handing_over(self, values: Sequence[HandedOver]) -> Api:
        """The same API where these values stand for those that it would open or hand over."""
        if not values:
            return self
        names = {each.name for each in values}
        if identity.name in names:
            raise TypeError("who asks is told by the schemes: send what they read, as in headers={...}")
        made = copy(self)
        made.opens = tuple(each for each in self.opens if each.of.name not in names)
        made._opened_for = {}
        usual = self.outside or (lambda head: ())
        made.outside = lambda head: [*(each for each in usual(head) if each.name not in names), *values]
        return made

    def begin(self, head: Head) -> Exchange:
        """The way of one request, as far as its head tells."""
        if self.proxies:
            head.seat(self.proxies)
        return Exchange(self, head)


def check_api(given: Any) -> None:
    """Raise DeclarationError for what is no Api, where one is served."""
    if not isinstance(given, Api):
        remedy = 'as in Api("Bookings", "1.0", [endpoint.by(handler)])'
        raise DeclarationError(f"an Api is served, and this is {type(given).__name__}", remedy=remedy)


def _refuse_words(
    served: Any,
    servers: Sequence[Any],
    catalogues: Sequence[Any],
    refusals: Any,
    development: Any,
    unreadable_path: Any,
) -> None:
    """Raise DeclarationError for words of an API that would mean nothing, or what nobody wanted."""
    if not isinstance(served, Sequence) or not all(isinstance(each, Served) for each in served):
        raise DeclarationError("an Api serves endpoints with their handlers", remedy="as in [endpoint.by(handler)]")
    if isinstance(servers, str) or not all(isinstance(each, str) for each in servers):
        raise DeclarationError(f"servers={servers!r} is no list of addresses", remedy='as in ["https://quays.example"]')
    if not all(isinstance(each, Catalogue) for each in catalogues):
        raise DeclarationError(f"catalogues={catalogues!r} are no catalogues", remedy="as in [GERMAN]")
    check_flags(development=development)
    if unreadable_path.__class__ is not int or not 400 <= unreadable_path < 500:
        raise DeclarationError(f"unreadable_path={unreadable_path!r} tells of no refusal", remedy="as in 404 or 422")
    check_takes(refusals, "refusals=", 1)


def _refuse_pages(*pages: str) -> None:
    """Raise DeclarationError for pages at no path, or two at one."""
    named = [page for page in pages if page]
    for page in named:
        if not page.startswith("/"):
            raise DeclarationError(f"the page {page!r} is at no path", remedy=f"begin with a slash: '/{page}'")
        if named.count(page) > 1:
            raise DeclarationError(f"two pages are at {page!r}", remedy="give each a path of its own")


def _keys(keys: Any) -> Any:
    if not (keys is None or callable(keys)):
        raise DeclarationError(f"keys={keys!r} makes no names", remedy="a function of an attribute's name")
    return keys


def _outside(outside: Any, served: Sequence[Served[Any]], opened: Sequence[str]) -> Any:
    """What hands values over. Raises DeclarationError where nothing does, and an endpoint asks for some."""
    if outside is not None:
        check_answers(outside, f"outside={shown_name(outside)}", takes=1)
        return outside
    for each in served:
        if asked := [one for one in outside_of(each.endpoint.gate.shape) if one != identity and one.name not in opened]:
            names = ", ".join(one.name for one in asked)
            calls = ", ".join(f"{one.name}(...)" for one in asked)
            raise DeclarationError(
                f"{each.endpoint!r} asks for {names} from outside, and nothing hands it over",
                remedy=f"write Api(..., outside=lambda head: [{calls}])",
            )
    return None


def _same(page: OutgoingAnswer, mount: str) -> OutgoingAnswer:
    return page


def _page(media: str, text: str) -> OutgoingAnswer:
    body = text.encode()
    headers = (("content-type", media), ("content-length", str(len(body))), ("x-content-type-options", "nosniff"))
    return OutgoingAnswer(200, headers, body)
