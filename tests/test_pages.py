"""The booking desk over real HTTP: its pages in a browser, with scripts and without; hostile clients at its socket."""

# Rooms: web, demo, cli

from __future__ import annotations

import asyncio
import gzip
import re
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import date, datetime
from pathlib import Path
from typing import Annotated, Any, Literal

import httpx
import pytest
from click.testing import CliRunner
from markupsafe import Markup
from starlette.applications import Starlette

from any_api import Nothing, asker, clients
from chromium import CHROMIUM, Page, page
from dutiful_gate import (
    Catalogue,
    DeclarationError,
    Email,
    Gate,
    Source,
    about,
    it,
    lowered,
    named,
    secret,
    squeezed,
    tagged_by,
    trimmed,
    without_offset,
)
from dutiful_gate.catalogues import GERMAN
from dutiful_gate.cli.app import dutiful
from dutiful_gate.demo.desk import FORM, desk
from dutiful_gate.demo.ferries import Booking
from dutiful_gate.demo.serve import stored
from dutiful_gate.demo.storage import Storage
from dutiful_gate.report.catalogue import in_force
from dutiful_gate.web import (
    Answering,
    Api,
    ApiKey,
    Basic,
    Bearer,
    Endpoint,
    Form,
    RequestGate,
    RequestProblem,
    Streamed,
    UploadedFile,
    identity,
    of_type,
)
from dutiful_gate.web.asgi import asgi
from dutiful_gate.web.manual.page import manual
from dutiful_gate.web.starlette import mounted
from dutiful_gate.web.wsgi import wsgi

no_browser = pytest.mark.skipif(CHROMIUM is None, reason="no Chromium is installed here")


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    """The desk as the command serves it."""
    command = [sys.executable, "-m", "dutiful_gate", "demo", "--serve", "--port", "0"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) as served:
        assert served.stdout is not None
        lines = [served.stdout.readline() for _ in range(3)]
        found = re.search(r"http://127\.0\.0\.1:\d+", "".join(lines))
        assert found is not None, lines
        for _ in range(100):
            try:
                httpx.get(f"{found[0]}/openapi.json")
                break
            except httpx.TransportError:
                time.sleep(0.05)
        yield found[0]
        served.send_signal(signal.SIGINT)
        left = served.stdout.read()
        assert served.wait(20) == 0
        assert left.strip().endswith("Stopped."), left


@pytest.fixture(scope="module")
def browser() -> Iterator[Page]:
    with page() as made:
        yield made


@pytest.fixture
def ask(address: str) -> Iterator[httpx.Client]:
    with httpx.Client(base_url=address) as client:
        yield client


def test_the_desk_answers(ask: httpx.Client) -> None:
    found = ask.get("/bookings", params={"origin": "mrw", "sort": ["-departs", "origin"], "size": 3}).json()
    assert len(found["bookings"]) == 3 < found["count"]
    assert {each["booking"]["origin"] for each in found["bookings"]} == {"MRW"}
    departs = [each["booking"]["departs"] for each in found["bookings"]]
    assert departs == sorted(departs, reverse=True)
    number = found["bookings"][0]["number"]
    assert ask.patch(f"/bookings/{number}", json={"priority": "urgent"}).json()["booking"]["priority"] == "urgent"
    refused = ask.patch(f"/bookings/{number}", json={"departs": "2030-01-01T00:00:00Z"})
    assert (refused.status_code, refused.json()["errors"][0]["pointer"]) == (422, "#/departs")
    assert ask.patch(f"/bookings/{number}", json={}).status_code == 422
    assert ask.patch(f"/bookings/{number}", json={"origin": None}).status_code == 422
    assert ask.delete(f"/bookings/{number}").status_code == 204
    assert ask.delete(f"/bookings/{number}").status_code == ask.get(f"/bookings/{number}").status_code == 404
    made = ask.post("/bookings", json=found["bookings"][1]["booking"])
    assert ask.get(made.headers["location"]).json() == made.json()
    for method, path, status in (("GET", "/quays", 404), ("PUT", "/bookings", 405)):
        reply = ask.request(method, path)
        assert (reply.status_code, reply.headers["content-type"]) == (status, "application/problem+json")
    assert ask.get("/manual").headers["content-type"].startswith("text/html")


@no_browser
def test_the_manual_is_tried_refused_and_mended(address: str, browser: Page) -> None:
    browser.size(1280, 800)
    browser.open(f"{address}/manual#book")
    browser.until("document.querySelector('article#book').dataset.filled")
    text = browser.run("document.querySelector('article#book').innerText")
    assert "2 to 80 characters" in text
    assert "arrives: a value later than departs" in text
    # An endpoint may be called as anything on the page: "book", "search".
    assert browser.run("new Set([...document.querySelectorAll('[id]')].map((each) => each.id)).size") == browser.run(
        "document.querySelectorAll('[id]').length"
    )
    assert abs(browser.run("document.querySelector('article#book').getBoundingClientRect().top")) < 60
    browser.run("document.querySelector('article#book .trial').open = true")
    browser.until("document.querySelector('article#book form') !== null")
    browser.run('window.field = (name) => document.querySelector(`article#book form [name="${name}"]`)')
    browser.run("field('/origin').value = 'nowhere'; document.querySelector('article#book form').requestSubmit()")
    browser.until("document.querySelector('article#book .bad') !== null")
    assert browser.run("document.activeElement.name") == "/origin"
    assert browser.run(
        "document.getElementById(field('/origin').getAttribute('aria-describedby')).textContent"
    ).startswith("needs text that matches")
    buttons = "[...document.querySelectorAll('article#book form fieldset button')]"
    rows = browser.run("document.querySelectorAll('article#book .row').length")
    browser.run(f"{buttons}.find((each) => each.textContent.startsWith('Add')).click()")
    assert browser.run("document.querySelectorAll('article#book .row').length") == rows + 1
    browser.run("field('/origin').value = 'QLP'; document.querySelector('article#book form').requestSubmit()")
    browser.until(
        "document.querySelector('article#book .bad') !== null && document.querySelectorAll('article#book [aria-invalid]').length > 0"
    )
    browser.run(
        f"{buttons}.filter((each) => each.textContent === 'Take away').pop().click(); document.querySelector('article#book form').requestSubmit()"
    )
    browser.until("document.querySelector('article#book .sound') !== null")
    assert "201" in browser.run("document.querySelector('article#book .sound').textContent")
    line = browser.run("document.querySelector('article#book form > pre').textContent")
    assert line.startswith(f"curl -X POST '{address}/bookings'")
    browser.run(
        "document.getElementById('page:search').value = 'cancel'; document.getElementById('page:search').dispatchEvent(new Event('input'))"
    )
    assert browser.run("document.getElementById('page:hits').textContent") == "1 of 8 chapters"
    unnamed = "[...document.querySelectorAll('input,select,textarea')].filter((each) => !each.labels.length).length"
    assert browser.run(unnamed) == 0
    browser.size(360, 800)
    assert browser.run("document.documentElement.scrollWidth") <= 360


@no_browser
def test_a_form_is_refused_mended_and_sent_with_scripts(address: str, browser: Page) -> None:
    browser.size(1280, 800)
    browser.open(f"{address}/book")
    assert browser.run("document.querySelector('form').checkValidity()") is False
    fill(browser, {"origin": "nowhere", "destination": "mrw", "departs": "2026-05-04T09:30", "arrives": "2026-05-04T10:30", "contact": "a@quay.example",
                   "crates-0-contents": "rope", "crates-0-weight_kg": "heavy"})  # fmt: skip
    browser.run("document.querySelector('button.send').click()")
    browser.until("document.activeElement.id === 'f-origin'")
    assert browser.run(
        "[...document.querySelectorAll('.fault')].filter((each) => each.textContent).map((each) => each.dataset.pointer)"
    ) == ["/origin", "/crates/0/weight_kg"]
    browser.run("document.querySelector('[name=add-row]').click()")
    browser.until("document.querySelectorAll('[data-row]').length === 2")
    browser.until("document.activeElement.id === 'f-crates-1-contents'")
    assert browser.run("document.getElementById('f-contact').value") == "a@quay.example"
    fill(
        browser,
        {"origin": "qlp", "crates-0-weight_kg": "2", "crates-1-contents": "planks", "crates-1-weight_kg": "4.5"},
    )
    browser.run("document.querySelector('button.send').click()")
    browser.until("location.pathname.startsWith('/booked/')")
    assert "QLP to MRW, 04 May 2026 at 09:30, 2 crates" in browser.run("document.body.innerText")


def fill(browser: Page, values: dict[str, str]) -> None:
    for name, value in values.items():
        browser.run(f"document.getElementById('f-{name}').value = {value!r}")


def test_the_same_form_without_scripts(ask: httpx.Client) -> None:
    """What a browser without scripts does, by hand: it sends, and shows the page that comes."""
    ask.headers["accept"] = "text/html,*/*;q=0.8"
    typed = {"origin": "nowhere", "destination": "mrw", "departs[at]": "2026-05-04T09:30", "departs[zone]": "Z", "arrives[at]": "", "arrives[zone]": "Z",
             "contact": "a@quay.example", "crates[0][contents]": "<b>", "crates[0][weight_kg]": "1", "csrf_token": "x"}  # fmt: skip
    refused = ask.post("/book", data=typed)
    assert (refused.status_code, refused.headers["content-type"]) == (422, "text/html; charset=utf-8")
    assert "needs text that matches" in refused.text
    assert 'value="nowhere"' in refused.text
    assert 'value="&lt;b&gt;"' in refused.text
    assert 'value="2026-05-04T09:30:00" name="departs[at]"' in refused.text
    assert refused.text.count("autofocus") == 1
    assert re.search(r'id="f-arrives"[^>]*aria-invalid="true"', refused.text)
    more = ask.post("/book", data={**typed, "add-row": "crates"})
    assert (more.status_code, more.text.count("data-row>")) == (200, 2)
    assert "needs" not in re.sub("needed", "", more.text)
    fewer = ask.post("/book", data={**typed, "take-row": "crates.0"})
    assert 'value="&lt;b&gt;"' not in fewer.text
    made = ask.post(
        "/book",
        data={**typed, "origin": "OST", "arrives[at]": "2026-05-04T10:30:05"},
        headers={"accept-language": "de"},
    )
    assert (made.status_code, made.headers["location"][:7]) == (303, "booked/"), made.text
    german = ask.post("/book", data=typed, headers={"accept-language": "de"})
    assert german.status_code == 422
    empty = ask.get("/book", headers={"accept-language": "de"})
    for page_of_it in (german.text, empty.text):
        assert '<html lang="de">' in page_of_it
        assert re.search(r">Zu crates hinzufügen<.*", page_of_it)
    assert '<html lang="en">' in ask.get("/book").text
    assert {reply.headers["vary"] for reply in (empty, ask.get("/nowhere"))} == {"accept-language"}
    assert {reply.headers["vary"] for reply in (german, made)} == {"accept, accept-language"}
    assert "vary" not in ask.get("/openapi.json").headers


@no_browser
def test_a_browser_without_scripts_sends_the_form_and_rows_all_the_same(address: str, browser: Page) -> None:
    browser.scripts(run=False)
    try:
        browser.call("Page.navigate", url=f"{address}/book")
        time.sleep(0.5)
        typed = {
            "origin": "nowhere",
            "destination": "MRW",
            "contact": "a@quay.example",
            "crates-0-contents": "rope",
            "crates-0-weight_kg": "2",
        }
        for name, value in typed.items():
            browser.fill(f"#f-{name}", value)
        browser.press("[name=add-row]")  # which asks nothing of what is not filled in yet
        assert 'id="f-crates-1-contents"' in browser.html
        assert 'value="nowhere"' in browser.html
        browser.fill("#f-crates-1-contents", "planks")
        browser.press("[value='crates.0']")
        assert 'value="planks"' in browser.html
        assert 'value="rope"' not in browser.html
    finally:
        browser.scripts(run=True)


@dataclass
class Part:
    name: Annotated[str, it.length >= 2]
    count: Annotated[int, it > 0] | None = None


@dataclass
class Odd:
    plain: str
    code: Annotated[str, it.matches("[A-Z]{2}[0-9]+")]
    low: Annotated[str, lowered, it.matches("[a-z]+")]
    tidy: Annotated[str, trimmed, squeezed, it.length >= 3]
    mail: Email
    key: Annotated[str, it.length > 3, secret]
    day: Annotated[date, it >= date(2026, 1, 1)]
    clock: Annotated[datetime, without_offset]
    at: datetime
    of: Literal["low", "high"]
    yes: bool = False
    count: Annotated[int, about(title="How many", text="of them")] | None = None
    tags: list[str] = field(default_factory=list)
    parts: list[Part] = field(default_factory=list)
    wide: Annotated[float, named("WIDE")] = 1.5


@dataclass
class Typed:
    form: Odd


ODD = Form(RequestGate(Typed), action="/odd", zone="+02:00")


def test_browsers_ask_no_more_than_the_gate() -> None:
    html = str(ODD.html())
    inputs = dict(re.findall(r'name="([^"]+)" id="[^"]*"[^>]*?aria-describedby="[^"]*"([^>]*)>', html))
    assert "required" not in inputs["plain"], "an empty text is a text"
    assert 'pattern="[A-Z]{2}[0-9]+"' in inputs["code"]
    assert "pattern" not in inputs["low"], "a step comes before it"
    assert 'minlength="3"' in inputs["tidy"]
    assert 'min="2026-01-01"' in inputs["day"]
    assert "(+02:00)" in html
    shown = str(
        ODD.html(
            {
                "key": "s3cret",
                "at": "2026-05-04T09:30:00+02:00",
                "yes": "on",
                "count": "x",
                "tags": ["a", "b"],
                "parts": [{"name": "<"}],
                "WIDE": "2",
            }
        )
    )
    assert "s3cret" not in shown
    assert 'value="2026-05-04T09:30:00" name="at[at]"' in shown
    assert "checked" in shown
    assert 'name="tags[1]"' in shown
    assert 'name="parts[0][name]"' in shown
    with pytest.raises(DeclarationError, match="has no form"):
        Form(RequestGate(ByJson))
    assert isinstance(FORM.html(), Markup)


@dataclass
class ByJson:
    body: Booking


SOUND: dict[str, list[str]] = {
    "plain": ["", " ", "\U0001f6a2", "a"], "code": ["QL1", "AB123"], "low": ["ABC", "abc"], "tidy": ["  abc", "a  b c", "\U0001f6a2\U0001f6a2\U0001f6a2"],
    "mail": ["a@quay.example", '"a b@c"@quay.example', "a+b@xn--q-1ga.example"], "key": ["abcd"],
}  # fmt: skip


@no_browser
def test_what_the_gate_admits_no_browser_refuses(browser: Page) -> None:
    """And most of what it refuses they do."""
    browser.open("data:text/html,<title>form</title>")
    browser.run(f"document.body.innerHTML = {str(ODD.html())!r}")
    for name, values in SOUND.items():
        gate = Gate(TYPES[name], Source.TEXT)
        for value in values:
            assert gate.accepts(value), (name, value)
            browser.run(f"document.getElementById('f-{name}').focus(); document.getElementById('f-{name}').value = ''")
            browser.type(value)
            assert browser.run(f"document.getElementById('f-{name}').checkValidity()"), (name, value)
    for name, value in (("code", "ql1"), ("tidy", "a"), ("mail", "nobody")):
        browser.run(f"document.getElementById('f-{name}').focus(); document.getElementById('f-{name}').value = ''")
        browser.type(value)
        assert not browser.run(f"document.getElementById('f-{name}').checkValidity()"), name


TYPES: dict[str, Any] = {
    "plain": str, "code": Annotated[str, it.matches("[A-Z]{2}[0-9]+")], "low": Annotated[str, lowered, it.matches("[a-z]+")],
    "tidy": Annotated[str, trimmed, squeezed, it.length >= 3], "mail": Email, "key": Annotated[str, it.length > 3, secret],
}  # fmt: skip


def many(count: int) -> Api:
    """An API of many endpoints."""
    served: list[Any] = [
        Endpoint(
            "POST",
            f"/{at}/bookings",
            ByJson,
            Answering(201, Booking),
            summary=f"Book at quay {at}",
            tags=[f"Quay {at % 9}"],
        ).by(lambda sent: sent.body)
        for at in range(count)
    ]
    return Api("Quays", "1", served, manual_at="/manual")


@no_browser
def test_a_manual_of_two_hundred_chapters_is_small_and_soon_there(browser: Page, tmp_path: Path) -> None:
    text = manual(many(200))
    assert len(text.encode()) < 150_000
    assert "http://" not in re.sub(r'"\$schema":"[^"]*"', "", text)
    (tmp_path / "manual.html").write_text(text)
    browser.open((tmp_path / "manual.html").as_uri())
    browser.until(
        "document.querySelectorAll('article').length === 200 && document.querySelector('article').dataset.filled === '1'"
    )
    assert browser.run("document.querySelectorAll('article[data-filled]').length") < 20


def test_the_command_writes_both_and_tells_what_is_stale(tmp_path: Path) -> None:
    def run(*words: str) -> tuple[int, str]:
        result = CliRunner().invoke(dutiful, ["manual", *words, "--into", str(tmp_path)])
        return result.exit_code, result.output

    target = "dutiful_gate.demo.desk:desk"
    assert run(target, "--check")[0] == 1
    assert run(target) == (0, run(target)[1])
    assert run(target, "--check")[0] == 0
    (tmp_path / "openapi.json").write_text("{}")
    code, told = run(target, "--check")
    assert (code, "openapi.json is stale" in told, "manual.html is stale" in told) == (1, True, False)
    for wrong, words in (
        ("dutiful_gate.demo.desk:FORM", "is no Api"),
        ("dutiful_gate.demo.serve:serve", "needs something"),
        ("dutiful_gate.demo:x", "has no 'x'"),
    ):
        code, told = run(wrong)
        assert (code, words in " ".join(told.split())) == (2, True), told


def test_no_word_of_a_declaration_is_markup() -> None:
    hostile = Api(
        "<script>alert(1)</script>",
        "</script>",
        [Endpoint("POST", "/a", ByJson, Answering(201, Booking), summary="</script><b>").by(print)],
        manual_at="/m",
    )
    text = manual(hostile)
    assert text.count("</script>") == 2
    assert "<b>" not in text


HOSTILE: list[tuple[str, bytes, set[int]]] = [
    ("a half-sent body", b"POST /bookings HTTP/1.1\r\nHost: a\r\nContent-Type: application/json\r\nContent-Length: 900\r\n\r\n{", set()),
    ("two lengths", b"POST /bookings HTTP/1.1\r\nHost: a\r\nContent-Length: 5\r\nContent-Length: 9\r\n\r\n{}   ", {400}),
    ("a length that is none", b"POST /bookings HTTP/1.1\r\nHost: a\r\nContent-Length: -5\r\n\r\n{}", {400}),
    ("too much", b"POST /bookings HTTP/1.1\r\nHost: a\r\nContent-Type: application/json\r\nContent-Length: 1000000000\r\n\r\n" + b" " * 1000, {413}),
    ("a long header", b"GET /bookings HTTP/1.1\r\nHost: a\r\nX: " + b"x" * 50_000 + b"\r\n\r\n", {400, 431}),
    ("many cookies", b"GET /bookings HTTP/1.1\r\nHost: a\r\nCookie: " + b"a=b; " * 9000 + b"\r\n\r\n", {400, 431}),
    ("no UTF-8 in the path", b"GET /bookings/%ff%fe HTTP/1.1\r\nHost: a\r\n\r\n", {404}),
    ("bytes in a header", b"GET /bookings HTTP/1.1\r\nHost: a\r\nAccept-Language: \xff\xfe\r\n\r\n", {200}),
    ("no HTTP at all", b"\x16\x03\x01\x00\xa5" * 10 + b"\r\n\r\n", {400}),
]  # fmt: skip


@pytest.mark.parametrize(("raw", "statuses"), [row[1:] for row in HOSTILE], ids=[row[0] for row in HOSTILE])
def test_hostile_clients_get_a_clear_answer_or_none(address: str, raw: bytes, statuses: set[int]) -> None:
    assert _asked(address, raw) in (statuses or {0})
    assert httpx.get(f"{address}/bookings?size=1").status_code == 200


def test_chunks_without_end_end_at_the_limit(address: str) -> None:
    chunk = b"10000\r\n" + b" " * 65_536 + b"\r\n"
    head = b"POST /bookings HTTP/1.1\r\nHost: a\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n\r\n"
    assert _asked(address, head, chunk, times=400) in (413, 0)
    assert httpx.get(f"{address}/bookings?size=1").status_code == 200


SERVERS = {
    "asgi": "import uvicorn; uvicorn.run(asgi(api(), seconds=2), port={port}, log_level='critical')",
    "wsgi": "import waitress; waitress.serve(wsgi(api()), listen='127.0.0.1:{port}', max_request_body_size=12_000_000)",
}
_POST = b"POST /%b HTTP/1.1\r\nHost: a\r\nContent-Type: %b\r\n%b\r\n"
_BLANKS = b"10000\r\n" + b" " * 65_536 + b"\r\n"
_JSON, _FORM = b"application/json", b"application/x-www-form-urlencoded"
_BOMB = gzip.compress(b" " * 200_000_000, 9)
ATTACKS: dict[str, tuple[bytes, bytes, int, float]] = {  # what is sent first, then how often what, with which pause
    "a gigabyte of blanks": (_POST % (b"bookings", _JSON, b"Transfer-Encoding: chunked\r\n"), _BLANKS, 16_000, 0),
    "a zip bomb": (_POST % (b"bookings", _JSON, b"Content-Encoding: gzip\r\nContent-Length: %d\r\n" % len(_BOMB)) + _BOMB, b"", 0, 0),
    "a slow body": (_POST % (b"bookings", _JSON, b"Content-Length: 900\r\n"), b" ", 60, 0.05),
    "slow chunks": (_POST % (b"bookings", _JSON, b"Transfer-Encoding: chunked\r\n"), b"1\r\n \r\n", 60, 0.05),
    "a half-sent body": (_POST % (b"bookings", _JSON, b"Content-Length: 900\r\n") + b"{", b"", 0, 0),
    "too short a length": (_POST % (b"bookings", _JSON, b"Content-Length: 1\r\n") + b"{}" * 9, b"", 0, 0),
    "10,000 names": (b"GET /bookings?" + b"&".join(b"k%d=1" % at for at in range(10_000)) + b" HTTP/1.1\r\nHost: a\r\n\r\n", b"", 0, 0),
    "deep names": (_POST % (b"booked", _FORM, b"Content-Length: 90000\r\n") + b"a" + b"[b]" * 29_999 + b"=1", b"", 0, 0),
    "many names": (_POST % (b"booked", _FORM, b"Content-Length: 400000\r\n") + b"a=1&" * 100_000, b"", 0, 0),
    "headers without end": (b"GET /bookings HTTP/1.1\r\nHost: a\r\n", b"X-A: " + b"x" * 1000 + b"\r\n", 20_000, 0),
    "deep JSON": (_POST % (b"bookings", _JSON, b"Content-Length: 9000000\r\n") + b"[" * 9_000_000, b"", 0, 0),
}  # fmt: skip


@pytest.mark.skipif(not Path("/proc/self/status").exists(), reason="the memory of a process is read from /proc")
@pytest.mark.parametrize("server", SERVERS)
def test_hostile_clients_at_once_cost_little_memory_and_others_are_served_meanwhile(server: str) -> None:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    made = f"from any_api import api; from dutiful_gate.web.{server} import {server}; {SERVERS[server]}"
    with subprocess.Popen([sys.executable, "-c", made.format(port=port)], cwd=Path(__file__).parent) as served:
        try:
            address = f"http://127.0.0.1:{port}"
            for _ in range(200):
                with suppress(httpx.TransportError):
                    httpx.get(f"{address}/bookings")
                    break
                time.sleep(0.05)
            before = _most_memory(served.pid)
            told: dict[str, set[int]] = {name: set() for name in ATTACKS}

            def attack(name: str) -> None:
                first, more, times, pause = ATTACKS[name]
                told[name].add(_asked(address, first, more, times, pause))

            attackers = [threading.Thread(target=attack, args=(name,)) for name in ATTACKS for _ in range(2)]
            for attacker in attackers:
                attacker.start()
            turns = 0
            while any(attacker.is_alive() for attacker in attackers):
                assert httpx.get(f"{address}/bookings?sort=a", timeout=20).json() == ["a"]
                turns += 1
            assert turns > 5
            for name, statuses in told.items():
                assert all(400 <= status < 500 for status in statuses - {0}), (name, statuses)
            assert _most_memory(served.pid) - before < 200_000_000
        finally:
            served.kill()


def _most_memory(pid: int) -> int:
    """The most memory that a process has had, in bytes."""
    found = re.search(r"VmHWM:\s+(\d+) kB", Path(f"/proc/{pid}/status").read_text())
    assert found is not None
    return int(found[1]) * 1024


def _asked(address: str, raw: bytes, more: bytes = b"", times: int = 0, pause: float = 0) -> int:
    """The status that comes; 0 where the connection ends, or nothing comes within a second or two."""
    port = int(address.rpartition(":")[2])
    with socket.create_connection(("127.0.0.1", port), timeout=3) as made:
        try:
            made.sendall(raw)
            for _ in range(times):
                made.sendall(more)
                time.sleep(pause)
        except OSError:
            pass  # it was closed at our other end, perhaps with an answer
        try:
            came = made.recv(4000)
        except OSError:
            return 0
    found = re.match(rb"HTTP/1\.1 (\d+)", came)
    return int(found[1]) if found else 0


def test_slow_bodies_are_bounded() -> None:
    import asyncio

    from dutiful_gate.web.asgi import asgi

    sent: list[Any] = []

    async def receive() -> Any:
        await asyncio.sleep(0.05)
        return {"type": "http.request", "body": b" ", "more_body": True}

    async def send(message: Any) -> None:
        sent.append(message)

    scope = {
        "type": "http",
        "method": "POST",
        "path": "/bookings",
        "raw_path": b"/bookings",
        "query_string": b"",
        "headers": [(b"transfer-encoding", b"chunked"), (b"content-type", b"application/json")],
    }
    asyncio.run(asgi(desk(on_file()), seconds=0.2)(scope, receive, send))
    assert sent[0]["status"] == 408


def test_its_twins_answer_the_same() -> None:
    """The same endpoints through every adapter, each over a storage of its own."""
    table: list[tuple[str, str, dict[str, Any]]] = [
        ("GET", "/bookings?size=2&sort=-departs&sort=origin", {}), ("GET", "/bookings?size=0&page=x", {}), ("GET", "/bookings/3", {}),
        ("PATCH", "/bookings/3", {"json": {"priority": "urgent"}}), ("PATCH", "/bookings/3", {"json": {"departs": "2031-01-01T00:00:00Z"}}),
        ("DELETE", "/bookings/4", {}), ("DELETE", "/bookings/4", {}), ("GET", "/book", {}), ("GET", "/manual", {}), ("GET", "/openapi.json", {}),
        ("POST", "/book", {"data": {"origin": "x"}, "headers": {"accept": "text/html"}}), ("POST", "/book", {"data": {"origin": "x"}}),
        ("POST", "/book", {"data": {"add-row": "crates", "origin": "x"}}), ("GET", "/booked/2", {}), ("GET", "/booked/9999", {}),
    ]  # fmt: skip
    told = {name: [tuple(ask(method, url, **words)) for method, url, words in table] for name, ask in twins().items()}
    first = told.pop("asgi")
    assert [status for status, *_ in first] == [
        200,
        422,
        200,
        200,
        422,
        204,
        404,
        200,
        200,
        200,
        422,
        422,
        200,
        200,
        404,
    ]
    for name, other in told.items():
        assert other == first, name


_storages: list[Storage] = []


def on_file() -> Storage:
    """The shipped bookings on file, closed when their test is done."""
    _storages.append(stored())
    return _storages[-1]


@pytest.fixture(autouse=True)
def _closed() -> Iterator[None]:
    yield
    while _storages:
        _storages.pop().close()


def twins() -> dict[str, Any]:
    return {name: clients(desk(on_file()))[name] for name in ("asgi", "wsgi", "starlette", "flask")}


@contextmanager
def at_waitress(api: Api, **words: Any) -> Iterator[str]:
    """An API over real HTTP, by a WSGI server; its address."""
    import waitress

    server = waitress.create_server(wsgi(api), host="127.0.0.1", port=0, **words)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.effective_port}"
    server.trigger.pull_trigger(server.close)  # in its own thread: it may be just waiting for what is closed
    thread.join(1)


def test_waitress_serves_the_same() -> None:
    with at_waitress(desk(on_file())) as address, httpx.Client(base_url=address) as ask:
        assert ask.get("/bookings?size=2").json()["bookings"][0]["number"] == 1
        assert (
            ask.post("/bookings", content=iter([b"{", b"}"]), headers={"content-type": "application/json"}).status_code
            == 422
        )
        assert ask.get("/bookings/%7f%2F").status_code == 422
        assert ask.post("/bookings", content=b" " * 1000, headers={"content-type": "text/plain"}).status_code == 415


@dataclass
class Deck:
    name: Annotated[str, it.length > 2]
    under: Deck | None = None
    beside: list[Deck] = field(default_factory=list)


@dataclass
class Stows:
    body: Deck


@no_browser
def test_what_holds_itself_is_tried_row_by_row(browser: Page) -> None:
    """Faults of rows inside of rows stand at their fields; what may be left out is not sent unasked."""
    stow = Endpoint("POST", "/decks", Stows, Answering(200, Deck), name="stow").by(lambda sent: sent.body)
    form = "article#stow form"
    names = f"[...document.querySelectorAll('{form} [name]')].map((each) => each.name)"

    def press(words: str, which: int = 0) -> None:
        found = f"[...document.querySelectorAll('{form} button')].filter((each) => each.textContent === '{words}')"
        browser.run(f"{found}[{which}].click()")

    with at_waitress(Api("Decks", "1", [stow], manual_at="/manual")) as address:
        browser.open(f"{address}/manual#stow")
        browser.until("document.querySelector('article#stow').dataset.filled")
        browser.run("document.querySelector('article#stow .trial').open = true")
        browser.until(f"document.querySelector('{form}') !== null")
        assert browser.run(names) == ["/name"]
        press("Add under")
        press("Add to beside")
        press("Add to beside", 1)
        rows = ["/under/name", "/under/beside/0/name", "/under/beside/1/name"]
        assert browser.run(names) == ["/name", *rows]
        browser.run(f"document.querySelector('{form}').requestSubmit()")
        browser.until(f"document.querySelector('{form} .bad') !== null")
        assert browser.run("document.activeElement.name") == rows[0]
        faulty = f"[...document.querySelectorAll('{form} [aria-invalid]')]"
        assert browser.run(f"{faulty}.map((each) => each.name)") == rows
        told = browser.run(
            f"{faulty}.map((each) => document.getElementById(each.getAttribute('aria-describedby')).textContent)"
        )
        assert told == ["needs at least 3 characters; got 0"] * 3
        press("Take away")
        assert browser.run(names) == ["/name", *rows[:2]]
        press("Leave under out")
        assert browser.run(names) == ["/name"]
        browser.run(f"document.querySelector('{form}').requestSubmit()")
        browser.until(f"document.querySelector('{form} .sound') !== null")


@dataclass
class StowsByForm:
    form: Deck


PUT_IN: list[tuple[dict[str, str], list[str]]] = [
    ({}, ["name"]),
    ({"put-in": "under"}, ["name", "under[name]"]),
    ({"put-in": "under.under", "under[name]": "low"}, ["name", "under[name]", "under[under][name]"]),
    ({"put-in": "beside.0.under", "beside[0][name]": "aft"}, ["name", "beside[0][name]", "beside[0][under][name]"]),
    ({"add-row": "under.beside", "under[name]": "low"}, ["name", "under[name]", "under[beside][0][name]"]),
    ({"leave-out": "under", "under[name]": "low", "under[under][name]": "x"}, ["name"]),
    ({"leave-out": "under.under", "under[name]": "low", "under[under][name]": "x"}, ["name", "under[name]"]),
    ({"leave-out": "beside.7.under"}, ["name"]),
    ({"put-in": "name.x", "name": "deck"}, ["name"]),
    ({"put-in": ""}, ["name"]),
    ({"leave-out": "beside.²"}, ["name"]),
    ({"take-row": "beside." + "9" * 5_000}, ["name"]),
    ({"put-in": ".".join(["under"] * 500)}, ["name", *[f"under{'[under]' * deep}[name]" for deep in range(64)]]),
]


@pytest.mark.parametrize(("sent", "asked"), PUT_IN, ids=lambda held: str(held)[:60])
def test_a_form_asks_for_what_may_be_left_out_where_it_is_wanted(sent: dict[str, str], asked: list[str]) -> None:
    form = Form(RequestGate(StowsByForm), action="/stow")
    made = Endpoint("POST", "/stow", StowsByForm, Answering(200, Deck)).by(lambda held: held.form, form=form)
    ask = clients(Api("Decks", "1", [made]))["wsgi"]
    drawn = ask("POST", "/stow", data=sent).content.decode() if sent else form.page()
    assert re.findall(r'<input[^>]* name="([^"]*)"', drawn) == asked
    assert all(f'value="{text}"' in drawn for name, text in sent.items() if name in asked)
    kept = ask("POST", "/stow", data={"name": "main", "under[name]": "low"})
    assert (kept.status, kept.json["under"]["name"], kept.json["beside"]) == (200, "low", [])


def test_what_a_handler_says_is_in_the_language_of_its_client() -> None:
    """A handler's own words, plain or async, in a thread or not; and the next request has its own language."""
    german = Catalogue("de", {**GERMAN.words, "Sailed": "Abgefahren", "There is none of {name}.": "Kein {name} da."})

    def plain(sent: Nothing) -> str:
        raise RequestProblem(404, "There is none of {name}.", slots={"name": in_force().spoken("Sailed")})

    async def waiting(sent: Nothing) -> str:
        await asyncio.sleep(0)
        return plain(sent)

    ways = [Endpoint("GET", "/plain", Nothing, Answering(200, str)).by(plain)]
    told = [Endpoint("GET", "/waiting", Nothing, Answering(200, str)).by(waiting)]
    for name, ask in clients(Api("a", "1", ways, catalogues=[german])).items():
        for language, detail in (("de", "Kein Abgefahren da."), ("en", "There is none of Sailed.")):
            assert ask("GET", "/plain", headers={"accept-language": language}).json["detail"] == detail, name
    made = Api("a", "1", told, catalogues=[german])
    for name, application in (("asgi", asgi(made)), ("starlette", Starlette(routes=[mounted(made)]))):
        ask = asker(application)
        for language, detail in (("de", "Kein Abgefahren da."), ("en", "There is none of Sailed.")):
            assert ask("GET", "/waiting", headers={"accept-language": language}).json["detail"] == detail, name


@dataclass
class Waybill:
    number: Annotated[int, it > 0]


@dataclass
class Papers:
    manifest: Annotated[UploadedFile, of_type("application/pdf", unverified=False)]
    photos: Annotated[list[UploadedFile], it.length <= 2] = field(default_factory=list)


@dataclass
class Declares:
    form: Waybill
    files: Papers


@no_browser
def test_files_are_tried_from_the_manual_under_a_prefix(browser: Page, tmp_path: Path) -> None:
    def answer(sent: Declares) -> list[str]:
        return [sent.files.manifest.name, *(photo.name for photo in sent.files.photos)]

    declare = Endpoint("POST", "/papers", Declares, Answering(200, list[str]), name="declare").by(answer)
    (tmp_path / "list.pdf").write_bytes(b"no such thing")
    (tmp_path / "manifest.pdf").write_bytes(b"%PDF-1.7")
    form = "article#declare form"
    with at_waitress(Api("Papers", "1", [declare], manual_at="/manual"), url_prefix="/freight") as address:
        browser.open(f"{address}/freight/manual#declare")
        browser.until("document.querySelector('article#declare').dataset.filled")
        browser.run("document.querySelector('article#declare .trial').open = true")
        browser.until(f"document.querySelector('{form}') !== null")
        browser.run(
            f"[...document.querySelectorAll('{form} button')].find((each) => each.textContent.startsWith('Add')).click()"
        )
        browser.choose(f"{form} [name='/photos/0']", tmp_path / "list.pdf")
        for file, told in (("list.pdf", "bad"), ("manifest.pdf", "sound")):
            browser.choose(f"{form} [name='/manifest']", tmp_path / file)
            browser.run(f"document.querySelector('{form}').requestSubmit()")
            browser.until(f"document.querySelector('{form} .{told}') !== null")
            if told == "bad":
                assert browser.run("document.activeElement.name") == "/manifest"
        assert browser.run(f"JSON.parse(document.querySelector('{form} [role=status] pre').textContent)") == [
            "manifest.pdf",
            "list.pdf",
        ]
        line = browser.run(f"document.querySelector('{form} > pre').textContent")
        assert re.fullmatch(
            f"curl -X POST '{address}/freight/papers' -F 'number=[0-9]+' -F 'manifest=@manifest.pdf' -F 'photos=@list.pdf'",
            line,
        )


# Who asks, unions, cookies; a form over an endpoint of JSON


@dataclass
class Rope:
    kind: Literal["rope"]
    metres: Annotated[int, it > 0]


@dataclass
class Chest:
    kind: Literal["chest"]
    inside: list[Held] = field(default_factory=list)


Held = Annotated[Rope | Chest, tagged_by("kind")]


@dataclass
class Seen:
    visit: str = ""


@dataclass
class Hoists:
    who: Annotated[str, identity]
    cookies: Seen
    body: Held


def hoisting() -> Api:
    people = Bearer(lambda token: "Ann" if token == "ann" else None)
    desks = ApiKey(lambda key: "desk" if key == "north" else None, cookie="desk")
    names = Basic(lambda name, password: name if password == "täg" else None)
    hoist = Endpoint("POST", "/hoist", Hoists, Answering(200, list[Any]), name="hoist", security=people | desks | names)
    return Api(
        "Hoists", "1", [hoist.by(lambda sent: [sent.who, sent.cookies.visit, str(sent.body)])], manual_at="/manual"
    )


@no_browser
def test_credentials_cookies_and_unions_are_tried_under_a_strict_policy(browser: Page) -> None:
    with at_waitress(hoisting()) as address:
        page = httpx.get(f"{address}/manual")
        assert "script-src 'self'" in page.headers["content-security-policy"]
        assert "<style" not in page.text
        browser.open(f"{address}/manual#hoist")
        browser.until("document.querySelector('article#hoist').dataset.filled")
        assert browser.run("document.querySelector('article#hoist').scrollHeight") < 2_400
        browser.run("document.querySelector('article#hoist .trial').open = true")
        browser.until("document.querySelector('article#hoist form') !== null")
        browser.run("""
            window.form = document.querySelector('article#hoist form');
            window.type = (input, text) => { input.value = text; input.dispatchEvent(new Event('input')); };
            window.choose = (select, at) => { select.value = at; select.dispatchEvent(new Event('change')); };
            window.sent = async () => { const p = form.querySelector('.sound,.bad'); if (p) p.remove(); form.requestSubmit();
                while (!form.querySelector('.sound,.bad')) await new Promise((go) => setTimeout(go, 20));
                return form.querySelector('.sound,.bad').parentElement.innerText; };
            window.line = () => form.querySelector(':scope > pre').textContent""")
        assert "401" in browser.run("sent()")
        browser.run(
            "type(form.querySelector('.who input'), 'ann'); type(form.querySelector('[name=\"/visit\"]'), 'tern')"
        )
        told = browser.run("sent()")
        assert ("200" in told, "Ann" in told, "tern" in told, "Rope(" in told or "Chest(" in told) == (True,) * 4, told
        assert browser.run("document.cookie") == ""
        assert "ann" not in browser.run("line()")
        assert '"authorization: Bearer $CREDENTIAL"' in browser.run("line()")
        browser.run("choose(form.querySelector('.who select'), '1'); type(form.querySelector('.who input'), 'north')")
        assert '"desk"' in browser.run("sent()")
        browser.run(
            "choose(form.querySelector('.who select'), '2'); const [user, word] = form.querySelectorAll('.who input'); type(user, 'Bo'); type(word, 'täg')"
        )
        assert '"Bo"' in browser.run("sent()")
        options = browser.run(
            "[...form.querySelectorAll('select')].map((each) => [...each.options].map((one) => one.textContent))"
        )
        assert ["Rope", "Chest"] in options
        browser.run(
            "window.union = [...form.querySelectorAll('select')].find((each) => each.options[0].textContent === 'Rope'); choose(union, '0')"
        )
        browser.run("form.querySelector('[name=\"/metres\"]').value = '0'")
        assert "422" in browser.run("sent()")
        assert browser.run("document.activeElement.name") == "/metres"
        browser.run("choose(union, '1')")
        assert "Chest(" in browser.run("sent()")
        unnamed = "[...document.querySelectorAll('input,select,textarea')].filter((each) => !each.labels.length).length"
        assert browser.run(unnamed) == 0
        browser.run(
            "document.getElementById('page:search').value = 'zebra'; document.getElementById('page:search').dispatchEvent(new Event('input'))"
        )
        assert browser.run("document.querySelector('.nothing').innerText").startswith("No chapter has these words.")
        assert browser.run(
            "performance.getEntriesByType('resource').every((each) => each.name.startsWith(location.origin))"
        )


@dataclass
class SupplyOrder:
    harbourCode: Annotated[str, it.matches("[A-Z]{3}").says("needs three capital letters; got {given}")]
    note: Annotated[str, it.length >= 2] | None = None


@dataclass
class OrdersByForm:
    form: SupplyOrder


@no_browser
def test_a_form_over_an_endpoint_of_json_shows_its_answer_and_empty_text_is_none(browser: Page) -> None:
    form = Form(RequestGate(OrdersByForm), action="order", beside="dutiful-form")
    sheet = Endpoint("GET", "/order", Nothing, Answering(200, Streamed("text/html; charset=utf-8")))
    order = Endpoint("POST", "/order", OrdersByForm, Answering(201, SupplyOrder))
    made = Api("Orders", "1", [sheet.by(lambda sent: form.page()), order.by(lambda sent: sent.form, form=form)], catalogues=[GERMAN])  # fmt: skip
    with at_waitress(made) as address:
        told = httpx.post(f"{address}/order", data={"harbourCode": "", "note": ""}).json()["errors"]
        assert [(each["pointer"], each["code"]) for each in told] == [("#/harbourCode", "absent")]
        page = httpx.get(f"{address}/order").text
        assert ("<style" in page, "three capital letters" in page, "harbour code" in page) == (False, True, True)
        assert "<h1>Supply order</h1>" in page
        assert "may be left empty" in page
        german = httpx.post(f"{address}/order", data={}, headers={"accept": "text/html", "accept-language": "de"}).text
        assert "darf leer bleiben" in german
        browser.open(f"{address}/order")
        browser.fill("#f-harbourCode", "QLP")
        browser.run("document.querySelector('form').requestSubmit(document.querySelector('button.send'))")
        browser.until("document.querySelector('.answer pre') !== null")
        assert browser.run("document.querySelector('.answer').innerText").startswith("It is sent.")
        assert '"QLP"' in browser.run("document.querySelector('.answer pre').textContent")
