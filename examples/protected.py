r"""A protected service: keys of desks and tokens of people, two roles, a session of a database, a stream, an upload.

    python examples/protected.py starlette     # or flask, or django; then, in another terminal

    curl -i localhost:8000/crates
    curl -i localhost:8000/crates -H 'Authorization: Bearer ann' -H 'Content-Type: application/json' \
        -d '{"contents": "rope"}'
    curl -i localhost:8000/crates -H 'X-Desk-Key: north'
    curl -N localhost:8000/sailings -H 'X-Desk-Key: north'
    curl -i localhost:8000/papers -H 'Authorization: Bearer ann' -F number=1 -F paper=@README.md

Needs the extras `starlette`, `flask` or `django`, and `files`. Keys and tokens are compared in constant time; in a
service of yours they come from where you keep them, not from the code.
"""

from __future__ import annotations

import hmac
import sqlite3
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from tempfile import gettempdir
from types import ModuleType
from typing import Annotated, Any

from dutiful_gate import it, outside
from dutiful_gate.web import (
    Answered,
    Answering,
    Api,
    ApiKey,
    Bearer,
    Endpoint,
    ServerEvent,
    Streamed,
    UploadedFile,
    identity,
)

FILE = Path(gettempdir()) / "tern-sound-crates.sqlite"


# Who asks


@dataclass(frozen=True)
class Person:
    name: str
    may: frozenset[str]


@dataclass(frozen=True)
class Desk:
    quay: str


PEOPLE = {"ann": Person("Ann", frozenset({"read", "write"})), "bo": Person("Bo", frozenset({"read"}))}
DESKS = {"north": Desk("north")}


def person_of(token: str) -> Person | None:
    found = [person for known, person in PEOPLE.items() if hmac.compare_digest(known.encode(), token.encode())]
    return found[0] if found else None


def desk_of(key: str) -> Desk | None:
    found = [desk for known, desk in DESKS.items() if hmac.compare_digest(known.encode(), key.encode())]
    return found[0] if found else None


def may(person: Person) -> frozenset[str]:
    return person.may


signed_in = Bearer(person_of, scopes_of=may)
desk_key = ApiKey(desk_of, header="X-Desk-Key")


# What a request opens: a connection, committed before the answer is sent, undone where the request is refused

base = outside("base", sqlite3.Connection)


@contextmanager
def open_base() -> Iterator[sqlite3.Connection]:
    connection = sqlite3.connect(FILE, timeout=10)
    try:
        with connection:
            connection.execute("create table if not exists crates (contents text, filed_by text)")
            yield connection
    finally:
        connection.close()


# Requests and answers


@dataclass
class Crate:
    contents: Annotated[str, it.length.between(2, 40)]


@dataclass
class FileCrate:
    who: Annotated[Person, identity]
    base: Annotated[sqlite3.Connection, base]
    body: Crate


@dataclass
class ListCrates:
    who: Annotated[Person | Desk, identity]
    base: Annotated[sqlite3.Connection, base]


@dataclass
class Watch:
    who: Annotated[Person | Desk, identity]


@dataclass
class Paper:
    number: Annotated[int, it >= 1]


@dataclass
class Papers:
    paper: Annotated[UploadedFile, it.length <= 100_000]


@dataclass
class SendPaper:
    who: Annotated[Person, identity]
    form: Paper
    files: Papers


@dataclass
class Filed:
    location: str


@dataclass
class Full:
    why: str


@dataclass
class Sailing:
    ship: str
    minutes: int


LISTED = Answering(200, list[Crate])
FILED, FULL = Answering(201, Crate, headers=Filed), Answering(409, Full, text="There is no place left.")
SAILINGS = Answering(200, Streamed("text/event-stream", Sailing))
RECEIVED = Answering(200, str)

LIST = Endpoint("GET", "/crates", ListCrates, LISTED, security=signed_in["read"] | desk_key)
FILE_ONE = Endpoint("POST", "/crates", FileCrate, FILED | FULL, security=signed_in["write"])
WATCH = Endpoint("GET", "/sailings", Watch, SAILINGS, security=signed_in["read"] | desk_key)
SEND = Endpoint("POST", "/papers", SendPaper, RECEIVED, security=signed_in["write"])


def listed(sent: ListCrates) -> list[Crate]:
    return [Crate(contents) for (contents,) in sent.base.execute("select contents from crates order by rowid")]


def filed(sent: FileCrate) -> Answered[Crate, Filed] | Answered[Full]:
    count = sent.base.execute("select count(*) from crates").fetchone()[0]
    if count >= 1000:
        return FULL(Full("1,000 crates are on file"))
    sent.base.execute("insert into crates values (?, ?)", (sent.body.contents, sent.who.name))
    return FILED(sent.body, headers=Filed(f"/crates/{count + 1}"))


def sailings(sent: Watch) -> Iterator[ServerEvent]:
    """Every sailing, as long as somebody listens."""
    number = 0
    while True:
        number += 1
        yield ServerEvent(Sailing("Marrow Star", 90 - number % 90), name="sailing", number=str(number))
        time.sleep(0.2)


def received(sent: SendPaper) -> str:
    return f"{sent.files.paper.size} bytes of {sent.files.paper.name} for {sent.form.number}, from {sent.who.name}"


api = Api(
    "Tern Sound crates",
    "1.0",
    [LIST.by(listed), FILE_ONE.by(filed), WATCH.by(sailings), SEND.by(received)],
    opens=[base.opened_by(open_base)],
    described_at="/openapi.json",
)


def application(framework: str) -> Any:
    """The service in a framework."""
    if framework == "flask":
        from flask import Flask

        from dutiful_gate.web.flask import blueprint

        made = Flask("crates")
        made.register_blueprint(blueprint(api))
        return made
    if framework == "django":
        import django
        from django.conf import settings
        from django.core.asgi import get_asgi_application

        from dutiful_gate.web.django import mounted as in_django

        urls = ModuleType("crates_urls")
        urls.urlpatterns = [in_django(api, asgi=True)]  # type: ignore[attr-defined]
        sys.modules[urls.__name__] = urls
        settings.configure(ALLOWED_HOSTS=["localhost", "127.0.0.1"], ROOT_URLCONF=urls.__name__)
        django.setup()
        return get_asgi_application()
    from starlette.applications import Starlette

    from dutiful_gate.web.starlette import mounted

    return Starlette(routes=[mounted(api)])


def main(framework: str, port: int = 8000) -> None:
    """Serve on loopback."""
    if framework == "flask":
        application(framework).run(port=port, threaded=True)
    else:
        import uvicorn

        uvicorn.run(application(framework), port=port, log_level="warning", timeout_graceful_shutdown=2)


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "starlette", int(sys.argv[2]) if len(sys.argv) > 2 else 8000)
