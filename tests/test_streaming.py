"""What a request opens, and answers in pieces: opened once, closed at the right moment, let go when the client leaves."""

# Rooms: web, declare

from __future__ import annotations

import asyncio
import json
import sqlite3
import threading
import time
from collections.abc import AsyncIterator, Callable, Iterator, Sequence
from contextlib import asynccontextmanager, contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Annotated, Any

import pytest

from any_api import clients
from dutiful_gate import DeclarationError, among, it, obeys, outside, takes
from dutiful_gate.testing import in_process
from dutiful_gate.web import (
    Answering,
    Api,
    Endpoint,
    Head,
    RequestGate,
    RequestProblem,
    ServerEvent,
    Streamed,
    identity,
)
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.wsgi import wsgi


class Session:
    """Says what is done with it, and in which thread."""

    def __init__(self, told: list[str]) -> None:
        self.told = told
        self.threads = {threading.get_ident()}

    def say(self, word: str) -> None:
        self.told.append(word)
        self.threads.add(threading.get_ident())


session = outside("session", Session)


@takes(session)
def is_free(crate: Crate, session: Session) -> bool:
    session.say("rule")
    return crate.weight != 13


@dataclass
@obeys(is_free)
class Crate:
    weight: Annotated[int, it > 0]


@dataclass
class Book:
    db: Annotated[Session, session]
    body: Crate


@dataclass
class Watch:
    db: Annotated[Session, session]


@dataclass
class Nothing:
    pass


MADE_ONE = Answering(201, int)
BODY = b'{"weight": 1}'


@dataclass
class Wish:
    more: int


@dataclass
class ByForm:
    form: Wish


class Opening:
    """A session of each make, and what becomes of it."""

    def __init__(self, make: str, *, fails: str = "") -> None:
        self.told: list[str] = []
        self.sessions: list[Session] = []
        self.fails = fails
        self.function: Callable[..., Any] = getattr(self, make)

    def _begun(self) -> Session:
        if self.fails == "open":
            raise OSError("s3cret")
        made = Session(self.told)
        self.sessions.append(made)
        made.say("open")
        return made

    def _ended(self, made: Session, error: BaseException | None) -> None:
        made.say(f"undo {type(error).__name__}" if error else "keep")
        if self.fails == "close":
            raise OSError("s3cret")

    def value(self) -> Session:
        return self._begun()

    async def value_later(self) -> Session:
        return self._begun()

    @property
    def plain(self) -> Callable[[], Any]:
        @contextmanager
        def opened() -> Iterator[Session]:
            made = self._begun()
            try:
                yield made
            except BaseException as error:
                self._ended(made, error)
                raise
            self._ended(made, None)

        return opened

    @property
    def later(self) -> Callable[[Head], Any]:
        @asynccontextmanager
        async def opened(head: Head) -> AsyncIterator[Session]:
            assert head.method
            made = self._begun()
            try:
                yield made
            except BaseException as error:
                self._ended(made, error)
                raise
            self._ended(made, None)

        return opened


def booked(sent: Book) -> Any:
    sent.db.say("handler")
    assert session.here is sent.db
    if sent.body.weight == 7:
        raise RequestProblem(409, "Taken.")
    if sent.body.weight == 8:
        raise LookupError("s3cret")
    return "x" if sent.body.weight == 9 else sent.body.weight


async def booked_later(sent: Book) -> Any:
    return booked(sent)


WAYS: list[tuple[str, int, str]] = [
    ('{"weight": 1}', 200, "open rule handler keep"), ('{"weight": 0}', 422, "open undo RequestProblem"), ('{"weight": 13}', 422, "open rule undo RequestProblem"),
    ('{"weight": 7}', 409, "open rule handler undo RequestProblem"), ('{"weight": 8}', 500, "open rule handler undo LookupError"),
    ('{"weight": 9}', 500, "open rule handler undo Refused"), ("no", 400, "open undo RequestProblem"),
]  # fmt: skip


@pytest.mark.parametrize("make", ["plain", "later", "value", "value_later"])
@pytest.mark.parametrize("handler", [booked, booked_later])
@pytest.mark.parametrize(("body", "status", "steps"), WAYS)
def test_what_is_opened_is_closed_before_the_answer_is_sent(
    make: str, handler: Any, body: str, status: int, steps: str, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("CRITICAL")
    opening = Opening(make)
    served = Endpoint("POST", "/book", Book, Answering(200, int)).by(handler)
    other = Endpoint("GET", "/other", Nothing, Answering(200)).by(lambda sent: None)
    made = Api("a", "1", [served, other], opens=[session.opened_by(opening.function)])
    waits = make in ("later", "value_later") or handler is booked_later
    if waits:
        with pytest.raises(DeclarationError, match="is async"):
            wsgi(made)
    asked = _asgi_clients(made) if waits else clients(made)
    for name, ask in asked.items():
        opening.told.clear()
        assert ask("GET", "/other").status == 200
        assert not opening.told, "it is opened for those that ask for it"
        reply = ask("POST", "/book", content=body)
        assert (reply.status, "s3cret" in reply.content.decode()) == (status, False), name
        wanted = steps if make in ("plain", "later") else steps.partition(" undo")[0].removesuffix(" keep")
        assert " ".join(dict.fromkeys(opening.told)) == wanted, name
        if make == "plain" and handler is booked:
            assert len(opening.sessions[-1].threads) == 1, "all in one thread"


def _asgi_clients(made: Api) -> dict[str, Any]:
    from any_api import asker

    return {"asgi": asker(asgi(made))}


@pytest.mark.parametrize("make", ["plain", "later"])
@pytest.mark.parametrize("fails", ["open", "close"])
def test_a_commit_that_fails_is_a_500(make: str, fails: str, caplog: pytest.LogCaptureFixture) -> None:
    opening = Opening(make, fails=fails)
    work: list[int] = []
    served = Endpoint("POST", "/book", Book, MADE_ONE).by(lambda sent: MADE_ONE(1, after=[lambda: work.append(1)]))
    made = Api("a", "1", [served], opens=[session.opened_by(opening.function)])
    for ask in (_asgi_clients(made) if make == "later" else clients(made)).values():
        assert ask("POST", "/book", content=BODY).status == 500
    assert not work
    assert "s3cret" in caplog.text


@pytest.mark.parametrize("adapter", ["wsgi", "flask", "asgi", "starlette"])
def test_work_after_the_answer_runs_when_all_is_closed(adapter: str, caplog: pytest.LogCaptureFixture) -> None:
    opening = Opening("plain")

    def fails() -> None:
        raise OSError("mail")

    work = [lambda: opening.told.append("work"), fails, lambda: opening.told.append("more")]
    served = Endpoint("POST", "/book", Book, MADE_ONE).by(lambda sent: MADE_ONE(1, after=work))
    made = Api("a", "1", [served], opens=[session.opened_by(opening.function)])
    assert clients(made)[adapter]("POST", "/book", content=BODY).status == 201
    assert opening.told == ["open", "rule", "keep", "work", "more"]
    assert "the work after the answer failed" in caplog.text


def test_a_plain_session_a_plain_handler_and_plain_pieces_share_a_thread() -> None:
    base = outside("base", sqlite3.Connection)

    @contextmanager
    def opened() -> Iterator[sqlite3.Connection]:
        made = sqlite3.connect(":memory:")
        yield made
        made.execute("select 1")
        made.close()

    @dataclass
    class Rows:
        base: Annotated[sqlite3.Connection, base]

    def rows(sent: Rows) -> Iterator[str]:
        sent.base.execute("create table crates (weight)")
        for number in range(3):
            sent.base.execute("insert into crates values (?)", (number,))
            yield str(base.here.execute("select count(*) from crates").fetchone()[0])

    served = Endpoint("GET", "/rows", Rows, Answering(200, Streamed("text/plain"))).by(rows)
    made = Api("a", "1", [served], opens=[base.opened_by(opened)], threads=1)
    for ask in clients(made).values():
        assert ask("GET", "/rows").content == b"123"


def test_tests_hand_over_what_they_like() -> None:
    fake = Session([])
    assert RequestGate(Book).admit({"body": {"weight": 1}}, outside=[session(fake)]) == Book(fake, Crate(1))


@pytest.mark.parametrize(
    ("words", "told"),
    [
        ({"opens": [Session]}, "opens nothing"), ({"opens": session.opened_by(lambda: Session([]))}, "opens nothing"),
        ({"opens": [session.opened_by(lambda: Session([]))] * 2}, "opened twice"), ({"opens": [identity.opened_by(list)]}, "told by schemes"), ({}, "asks for session from outside"),
    ],
)  # fmt: skip
def test_what_opens_nothing_is_told(words: dict[str, Any], told: str) -> None:
    with pytest.raises(DeclarationError, match=told):
        Api("a", "1", [Endpoint("POST", "/book", Book, Answering(200, int)).by(booked)], **words)


def _in_pieces() -> Iterator[Session]:
    yield Session([])


@pytest.mark.parametrize("function", [3, lambda one, two: one, _in_pieces])
def test_what_cannot_open_is_told(function: Any) -> None:
    with pytest.raises(DeclarationError):
        session.opened_by(function)


@pytest.mark.parametrize("function", [lambda: 3, lambda: asyncio.sleep(0)])
def test_what_opens_another_type_is_a_500(function: Any) -> None:
    made = Api(
        "a", "1", [Endpoint("POST", "/book", Book, Answering(200, int)).by(booked)], opens=[session.opened_by(function)]
    )
    for ask in clients(made).values():
        assert ask("POST", "/book", content=BODY).status == 500


# Pieces


@dataclass
class Sailing:
    ship: Annotated[str, it.length > 1]
    berth: int = 1


SAILINGS = [Sailing("Tern"), Sailing("Gull", 2)]
MADE = {
    "application/x-ndjson": b'{"ship":"Tern","berth":1}\n{"ship":"Gull","berth":2}\n',
    "application/json-seq": b'\x1e{"ship":"Tern","berth":1}\n\x1e{"ship":"Gull","berth":2}\n',
    "text/event-stream; charset=utf-8": b'data: {"ship":"Tern","berth":1}\n\ndata: {"ship":"Gull","berth":2}\n\n',
}


async def _later(values: list[Any]) -> AsyncIterator[Any]:
    for each in values:
        await asyncio.sleep(0)
        yield each


@pytest.mark.parametrize("media", MADE)
def test_values_go_out_one_by_one_by_their_declaration(media: str) -> None:
    def generator(sent: Nothing) -> Iterator[Sailing]:
        yield from SAILINGS

    async def later(sent: Nothing) -> AsyncIterator[Sailing]:
        async for each in _later(SAILINGS):
            yield each

    handlers: list[Any] = [
        generator,
        lambda sent: SAILINGS,
        lambda sent: iter(SAILINGS),
        later,
        lambda sent: _later(SAILINGS),
    ]
    for number, handler in enumerate(handlers):
        served = Endpoint("GET", "/sailings", Nothing, Answering(200, Streamed(media, Sailing))).by(handler)
        made = Api("a", "1", [served])
        for name, ask in (clients(made) if number < 3 else _asgi_clients(made)).items():
            reply = ask("GET", "/sailings")
            assert (reply.content, dict(reply.headers)["content-type"]) == (MADE[media], media), name
            assert ask("HEAD", "/sailings").content == b""


def test_events_have_names_and_numbers() -> None:
    events = [ServerEvent(SAILINGS[0], "sailed", "7", 500), ServerEvent(SAILINGS[1])]
    served = Endpoint("GET", "/a", Nothing, Answering(200, Streamed("text/event-stream", Sailing))).by(
        lambda sent: events
    )
    wanted = b'event: sailed\nid: 7\nretry: 500\ndata: {"ship":"Tern","berth":1}\n\ndata: {"ship":"Gull","berth":2}\n\n'
    for ask in clients(Api("a", "1", [served])).values():
        assert ask("GET", "/a").content == wanted


@pytest.mark.parametrize(
    "bad", [Sailing("x"), {"ship": "Tern"}, ServerEvent(SAILINGS[0], "a\nb"), ServerEvent(SAILINGS[0], number="a\r")]
)
def test_a_piece_that_is_not_what_is_declared_ends_the_answer(bad: Any) -> None:
    served = Endpoint("GET", "/a", Nothing, Answering(200, Streamed("text/event-stream", Sailing))).by(
        lambda sent: [SAILINGS[0], bad]
    )
    sent = asyncio.run(_asked(asgi(Api("a", "1", [served])), "/a"))
    assert len(sent.pieces) == 1
    assert type(sent.raised).__name__ == "BrokenAnswer"


@pytest.mark.parametrize("media", ["text/csv", "application/json"])
def test_values_stream_in_media_types_of_values_alone(media: str) -> None:
    with pytest.raises(DeclarationError, match="values are not streamed as"):
        Endpoint("GET", "/a", Nothing, Answering(200, Streamed(media, Sailing)))


# Clients that leave


@dataclass
class Sent:
    """What an application sent."""

    pieces: list[bytes]
    raised: BaseException | None = None
    seconds: float = 0.0


async def _asked(application: Any, path: str, *, leaves_after: int = -1) -> Sent:
    """What is sent to a client that leaves after so many pieces."""
    made = Sent([])
    gone = asyncio.Event()

    async def receive() -> Any:
        if not made.pieces and not gone.is_set() and leaves_after != 0:
            await asyncio.sleep(0)
        await gone.wait()
        return {"type": "http.disconnect"}

    async def send(message: Any) -> None:
        if message["type"] == "http.response.body" and message["body"]:
            made.pieces.append(message["body"])
            if len(made.pieces) == leaves_after:
                gone.set()

    scope = {"type": "http", "method": "GET", "path": path, "headers": [], "query_string": b""}
    began = time.perf_counter()
    try:
        await application(scope, receive, send)
    except Exception as error:
        made.raised = error
    made.seconds = time.perf_counter() - began
    return made


async def _until(test: Callable[[], bool], seconds: float = 3.0) -> bool:
    for _ in range(int(seconds * 100)):
        if test():
            return True
        await asyncio.sleep(0.01)
    return False


@pytest.mark.parametrize("make", ["plain", "later"])
@pytest.mark.parametrize("handler", ["plain", "async", "stuck"])
def test_a_client_that_leaves_closes_the_body_and_then_what_was_opened(make: str, handler: str) -> None:
    opening = Opening(make)
    release = threading.Event()

    def plain(sent: Watch) -> Iterator[str]:
        try:
            while True:
                yield "piece"
                if handler == "stuck":
                    release.wait(5)
                time.sleep(0.01)
        finally:
            sent.db.say("closed")

    async def later(sent: Watch) -> AsyncIterator[str]:
        task = asyncio.current_task()
        try:
            async with asyncio.timeout(120):  # which is bound to its task
                yield "first"
                while True:
                    assert asyncio.current_task() is task
                    yield "piece"
                    await asyncio.sleep(60)
        finally:
            assert asyncio.current_task() is task
            sent.db.say("closed")

    served = Endpoint("GET", "/watch", Watch, Answering(200, Streamed("text/plain"))).by(
        later if handler == "async" else plain
    )
    made = Api("a", "1", [served], opens=[session.opened_by(opening.function)])

    async def run() -> None:
        sent = await _asked(asgi(made), "/watch", leaves_after=2 if handler == "async" else 1)
        assert sent.pieces[-1] == b"piece"
        assert sent.raised is None
        assert sent.seconds < 2, "nobody waits for a piece that may never come"
        if handler == "stuck":
            assert "closed" not in opening.told
            release.set()
        assert await _until(lambda: len(opening.told) == 3)
        assert opening.told[:2] == ["open", "closed"]
        assert opening.told[2].startswith("undo")

    asyncio.run(run())


@pytest.mark.parametrize("pieces", [0, 2])
def test_under_wsgi_the_server_closes_the_body(pieces: int) -> None:
    opening = Opening("plain")

    def plain(sent: Watch) -> Iterator[str]:
        try:
            while True:
                yield f"{session.here is sent.db}"
        finally:
            sent.db.say("closed")

    served = Endpoint("GET", "/watch", Watch, Answering(200, Streamed("text/plain"))).by(plain)
    made = Api("a", "1", [served], opens=[session.opened_by(opening.function)])
    body: Any = wsgi(made)({"REQUEST_METHOD": "GET", "PATH_INFO": "/watch"}, lambda status, headers: None)
    assert [next(body) for _ in range(pieces)] == [b"True"] * pieces
    body.close()
    assert opening.told == (["open", "closed", "undo GeneratorExit"] if pieces else ["open", "undo GeneratorExit"])


def test_streams_that_are_left_leave_threads_as_they_were_and_hold_up_nobody() -> None:
    release, ended = threading.Event(), []

    def stuck(sent: Nothing) -> Iterator[str]:
        try:
            yield "piece"
            release.wait(10)
            yield "more"
        finally:
            ended.append(1)

    served = [
        Endpoint("GET", "/stuck", Nothing, Answering(200, Streamed("text/plain"))).by(stuck),
        Endpoint("GET", "/quick", Nothing, Answering(200, int)).by(lambda sent: 1),
    ]
    application = asgi(Api("a", "1", served, threads=2))

    async def run() -> None:
        before = threading.active_count()
        left = await asyncio.gather(*[_asked(application, "/stuck", leaves_after=1) for _ in range(12)])
        assert all(each.raised is None and each.pieces == [b"piece"] for each in left)
        assert (await _asked(application, "/quick")).pieces == [b"1"], "others are answered meanwhile"
        release.set()
        assert await _until(lambda: len(ended) == 12)
        assert await _until(lambda: threading.active_count() <= before + 2), "but for those of the pool"

    asyncio.run(run())


def test_plain_handlers_run_at_once_in_the_context_of_their_request() -> None:
    who: ContextVar[str] = ContextVar("who", default="")

    def slow(sent: Nothing) -> str:
        time.sleep(0.2)
        return who.get()

    served = Endpoint("GET", "/slow", Nothing, Answering(200, str)).by(slow)
    application = asgi(Api("a", "1", [served]))

    async def one(number: int) -> Any:
        who.set(str(number))
        return json.loads((await _asked(application, "/slow")).pieces[0])

    async def run() -> float:
        began = time.perf_counter()
        tasks = [asyncio.create_task(one(number)) for number in range(20)]
        assert await asyncio.gather(*tasks) == [str(number) for number in range(20)]
        return time.perf_counter() - began

    assert asyncio.run(run()) < 2.5


def test_what_waits_for_a_thread_and_is_cancelled_takes_none() -> None:
    release = threading.Event()
    served = [
        Endpoint("GET", "/stuck", Nothing, Answering(200, int)).by(lambda sent: int(release.wait(5))),
        Endpoint("GET", "/quick", Nothing, Answering(200, int)).by(lambda sent: 2),
    ]
    application = asgi(Api("a", "1", served, threads=1))

    async def run() -> None:
        stuck = asyncio.create_task(_asked(application, "/stuck"))
        await asyncio.sleep(0.05)
        waiting = [asyncio.create_task(_asked(application, "/quick")) for _ in range(4)]
        await asyncio.sleep(0.05)
        for each in waiting[:3]:
            each.cancel()
        release.set()
        assert (await stuck).pieces == [b"1"]
        assert (await waiting[3]).pieces == [b"2"]
        assert (await _asked(application, "/quick")).pieces == [b"2"]

    asyncio.run(run())


# In process


def test_an_api_is_asked_in_process() -> None:
    opening, fake = Opening("plain"), Session([])

    async def known(codes: Sequence[int]) -> set[int]:
        return {each for each in codes if each != 9}

    @dataclass
    class Take:
        db: Annotated[Session, session]
        query: Wish
        body: Annotated[int, among(known)]

    def take(sent: Take) -> int:
        sent.db.say("handler")
        return sent.body + sent.query.more

    served = Endpoint("POST", "/take", Take, MADE_ONE).by(take)
    lines = Endpoint("GET", "/sailings", Nothing, Answering(200, Streamed("application/x-ndjson", Sailing)))
    form = Endpoint("POST", "/form", ByForm, MADE_ONE).by(lambda sent: sent.form.more)
    made = Api(
        "a", "1", [served, lines.by(lambda sent: _later(SAILINGS)), form], opens=[session.opened_by(opening.function)]
    )
    ask = in_process(made)
    answer = ask("POST", "/take?x=1", query={"more": 2}, json=5)
    assert (answer.status, answer.json, answer.header("Content-Type")) == (201, 7, "application/json")
    assert opening.told == ["open", "handler", "keep"], "also where a check was waited for"
    assert ask("POST", "/take", json=9).faults == [("query", "#/more", "absent"), ("body", "#", "check")]
    assert ask("POST", "/form", form={"more": 3}).json == 3
    assert ask("GET", "/sailings").body == MADE["application/x-ndjson"]
    assert in_process(made, outside=[session(fake)])("POST", "/take", query={"more": 2}, json=5).status == 201
    assert (fake.told, len(opening.sessions)) == (["handler"], 2)
    with pytest.raises(TypeError, match="send what they read"):
        in_process(made, outside=[identity(1)])


def test_requests_that_are_cancelled_give_their_thread_back_once_all_is_closed() -> None:
    opening, release = Opening("plain"), threading.Event()

    def stuck(sent: Watch) -> int:
        release.wait(0.2)
        return 1

    served = [
        Endpoint("GET", "/stuck", Watch, MADE_ONE).by(stuck),
        Endpoint("GET", "/quick", Nothing, MADE_ONE).by(lambda sent: 2),
    ]
    application = asgi(Api("a", "1", served, opens=[session.opened_by(opening.function)], threads=2))

    async def run() -> None:
        for _ in range(4):
            waiting = asyncio.create_task(_asked(application, "/stuck"))
            await asyncio.sleep(0.05)
            waiting.cancel()
            await asyncio.wait([waiting])
        # Those that were still waiting for a thread opened nothing.
        assert await _until(lambda: 2 <= opening.told.count("open") == opening.told.count("undo CancelledError"))
        assert (await asyncio.wait_for(_asked(application, "/quick"), 5)).pieces == [b"2"]
        assert all(len(each.threads) == 1 for each in opening.sessions), "closed where it was opened"

    asyncio.run(run())
