"""Endpoints, answers, handlers, schemes and openings: 40 right uses, and 40 wrong ones, each with its mark."""

# mypy: disable-error-code="empty-body"

from __future__ import annotations

from collections.abc import AsyncIterator, Collection, Iterator
from contextlib import AbstractContextManager, contextmanager
from dataclasses import dataclass
from datetime import timedelta
from typing import Annotated, Literal, assert_type

from dutiful_gate import Flaw, outside
from dutiful_gate.versions import Comparison, compare_descriptions
from dutiful_gate.web import (
    BY_CONTENT,
    IN_FRONT,
    PUBLIC,
    Answered,
    Answering,
    Api,
    ApiKey,
    Basic,
    Bearer,
    Endpoint,
    Head,
    OAuth2,
    OwnScheme,
    Refusal,
    RefusalForm,
    RequestGate,
    RequestProblem,
    Seen,
    Served,
    ServerEvent,
    SetCookie,
    Signed,
    SigningKey,
    Streamed,
    description,
    entity_tag,
    flaws,
    identity,
)


@dataclass
class Crate:
    name: str


@dataclass
class Missing:
    why: str


@dataclass
class Filed:
    location: str


@dataclass
class Person:
    name: str
    may: frozenset[str]


class Session: ...


session = outside("session", Session)


@dataclass
class Book:
    who: Annotated[Person, identity]
    db: Annotated[Session, session]
    body: Crate


@dataclass
class Show:
    pass


FOUND, LISTED, FILED = Answering(200, Crate), Answering(200, list[Crate]), Answering(201, Crate, headers=Filed)
GONE, TAKEN, NONE, MOVED = (
    Answering(404, Missing),
    Answering(409, Missing),
    Answering(204),
    Answering(303, headers=Filed),
)
PERHAPS = Answering(200, Crate | None)  # right since PEP 747
TEXT, LINES = Answering(200, Streamed("text/csv")), Answering(200, Streamed("application/x-ndjson", Crate))

SHOW = Endpoint("GET", "/crates/1", Show, FOUND | GONE)
LIST = Endpoint("GET", "/crates", Show, LISTED)
BOOK = Endpoint("POST", "/crates", Book, FILED | TAKEN)
CANCEL = Endpoint("DELETE", "/crates/1", Show, NONE | GONE)
SHEET = Endpoint("GET", "/sheet", Show, TEXT)
WATCH = Endpoint("GET", "/watch", Show, LINES)


def person_of(token: str) -> Person | None: ...
async def person_later(token: str) -> Person | None: ...
def named(user: str, password: str) -> Person | None: ...
def may(person: Person) -> Collection[str]: ...
def keys_of(head: Head) -> list[SigningKey[Person]]: ...
def of_head(head: Head) -> Person | None: ...
def show(sent: Show) -> Crate: ...
async def show_later(sent: Show) -> Crate: ...
def show_or_not(sent: Show) -> Crate | Answered[Missing]: ...
def listed(sent: Show) -> list[Crate]: ...
def booked(sent: Book) -> Answered[Crate, Filed]: ...
async def booked_later(sent: Book) -> Answered[Crate, Filed] | Answered[Missing, None]: ...
def cancelled(sent: Show) -> None: ...
def text(sent: Show) -> Iterator[str]: ...
def lines(sent: Show) -> Iterator[Crate]: ...
async def lines_later(sent: Show) -> AsyncIterator[Crate]:
    yield Crate("rope")


def events(sent: Show) -> list[ServerEvent]: ...
def numbers(sent: Show) -> list[int]: ...
def missing(sent: Show) -> Missing: ...
def of_crate(sent: Crate) -> Crate: ...
def gone(sent: Show) -> Answered[Missing, None, Literal[404]]: ...
def taken(sent: Show) -> Answered[Missing, None, Literal[409]]: ...
@contextmanager
def opened() -> Iterator[Session]:
    yield Session()


def seen(it: Seen) -> None: ...
def version_of(sent: Show) -> int | None: ...
async def version_later(sent: Show) -> bytes: ...
def version_of_crate(sent: Crate) -> int: ...
def trouble_of(refusal: Refusal) -> Missing: ...
async def trouble_later(refusal: Refusal) -> Missing: ...
def pool() -> AbstractContextManager[None]: ...


def right(book: Book, crate: Crate) -> None:
    """What both checkers take."""
    assert_type(SHOW.by(show), Served[Show])
    SHOW.by(show_later)
    SHOW.by(show_or_not)
    SHOW.by(gone)
    SHOW.by(lambda sent: GONE(Missing("x")))
    LIST.by(listed)
    LIST.by(lambda sent: [Crate("rope")])
    BOOK.by(booked)
    BOOK.by(booked_later)
    BOOK.by(lambda sent: FILED(sent.body, headers=Filed("/crates/1")))
    BOOK.by(lambda sent: TAKEN(Missing("by Ann"), after=[print]))
    CANCEL.by(cancelled)
    CANCEL.by(lambda sent: NONE())
    SHEET.by(text)
    SHEET.by(lambda sent: "a,b")
    WATCH.by(lines)
    WATCH.by(lines_later)
    WATCH.by(events)
    assert_type(FILED(crate, headers=Filed("/")), Answered[Crate, Filed, Literal[201]])
    assert_type(GONE(Missing("x")), Answered[Missing, None, Literal[404]])
    assert_type(NONE(), Answered[None, None, Literal[204]])
    MOVED(headers=Filed("/"))
    GONE(Missing("x"), headers={"retry-after": "3"})
    PERHAPS(None)
    Endpoint("GET", "/a", Show, PERHAPS).by(lambda sent: None)  # right since PEP 747
    Endpoint("GET", "/a", Show, FOUND, security=PUBLIC, problems=[404, RequestProblem(409)])
    signed_in = Bearer(person_of, scopes_of=may)
    desk = ApiKey(person_later, header="X-Desk-Key")
    Endpoint("GET", "/a", Show, FOUND, security=signed_in["book"] | desk | Basic(named))
    Endpoint("GET", "/a", Show, FOUND, security=signed_in["book", "amend"] & desk)
    Signed(keys_of, signature="X-Signature", sent_at="X-Sent-At", within=timedelta(minutes=1))
    OwnScheme(of_head, described={"type": "mutualTLS"})
    Bearer(IN_FRONT)
    OAuth2(person_of, flows={}, scopes_of=may)
    Api("a", "1", [SHOW.by(show), BOOK.by(booked)], security=signed_in, opens=[session.opened_by(opened)], threads=8)
    Api("a", "1", [], origins=["https://quays.example"], proxies=["10.0.0.0/8", "unix"], observe=seen)
    RequestGate(Book).admit({}, outside=[identity(Person("Ann", frozenset())), session(Session())])
    assert_type(book.who, Person)
    assert_type(session.here, Session)
    SetCookie("desk", "key", max_age=3600, same_site="strict")
    ServerEvent(crate, name="sailed", number="7", retry=500)
    SigningKey(Person("Ann", frozenset()), b"0123456789abcdef")


def right_conditions() -> None:
    Endpoint("GET", "/a", Show, FOUND, version=version_of).by(show)
    Endpoint("GET", "/a", Show, FOUND, version=version_later, must_match=False).by(show_later)
    Endpoint("GET", "/a", Show, FOUND, version=BY_CONTENT, links={200: {"next": {"operationId": "a"}}})
    assert_type(entity_tag(7), str)
    Api("a", "1", [], refusals=RefusalForm(Missing, trouble_of), lifespan=pool)
    described = description(Api("a", "1", []), "3.0", mount="/a")
    assert_type(flaws(described), tuple[Flaw, ...])
    assert_type(compare_descriptions(described, described), Comparison)


def wrong(book: Book, crate: Crate) -> None:
    """What each of them flags."""
    SHOW.by(missing)  # wrong
    SHOW.by(taken)  # wrong
    SHOW.by(listed)  # wrong
    SHOW.by(of_crate)  # wrong
    SHOW.by(booked)  # wrong
    SHOW.by(lambda sent: Missing("x"))  # wrong
    SHOW.by(lambda sent: TAKEN(Missing("x")))  # wrong
    SHOW.by(lambda: crate)  # wrong
    LIST.by(show)  # wrong
    LIST.by(show_later)  # wrong
    LIST.by(gone)  # wrong
    BOOK.by(show)  # wrong
    BOOK.by(gone)  # wrong
    CANCEL.by(show)  # wrong
    SHEET.by(numbers)  # wrong
    WATCH.by(numbers)  # wrong
    WATCH.by(text)  # wrong
    FILED(crate)  # wrong
    FILED(Missing("x"), headers=Filed("/"))  # wrong
    FILED(crate, headers={"location": "/"})  # wrong
    FILED(crate, headers=Missing("x"))  # wrong
    GONE(crate)  # wrong
    GONE()  # wrong
    GONE(Missing("x"), after=print)  # wrong
    NONE(crate)  # wrong
    MOVED()  # wrong
    PERHAPS(3)  # wrong since PEP 747
    Answering("200", Crate)  # wrong
    Answering(99, Crate)  # wrong
    Answering(200, Crate, headers=Filed("/"))  # wrong
    Endpoint("GET", "/a", Show, Crate)  # wrong
    Endpoint("GET", "/a", Show, {200: Crate})  # wrong
    Endpoint("GET", "/a", Show, FOUND | Crate)  # wrong
    Endpoint("GET", "/a", Show, FOUND, security=["desk"])  # wrong
    Endpoint("GET", "/a", Show, FOUND, security=person_of)  # wrong
    Endpoint("GET", "/a", Show, FOUND, problems=[Missing("x")])  # wrong
    Bearer(named)  # wrong
    Basic(person_of)  # wrong
    Bearer(person_of, scopes_of=show)  # wrong
    Bearer(person_of, scopes_of=may)[3]  # wrong
    Bearer(person_of) | person_of  # wrong
    Signed(person_of, signature="x")  # wrong
    OwnScheme(of_head)  # wrong
    Api("a", "1", [SHOW])  # wrong
    Api("a", "1", [], opens=[opened])  # wrong
    Api("a", "1", [], guard=of_head)  # wrong
    session(3)  # wrong
    book.who.nam  # wrong
    session.here.nam  # wrong
    SetCookie("desk", same_site="Lax")  # wrong
    Endpoint("GET", "/a", Show, FOUND, version=version_of_crate)  # wrong
    Endpoint("GET", "/a", Show, FOUND, version="7")  # wrong
    Endpoint("GET", "/a", Show, FOUND, must_match="yes")  # wrong
    entity_tag([7])  # wrong
    Api("a", "1", [], lifespan=person_of)  # wrong
    Api("a", "1", [], refusals=RefusalForm(Missing, of_head))  # wrong
    description(Api("a", "1", []), "2.0")  # wrong
    flaws(3)  # wrong
