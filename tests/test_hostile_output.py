"""Words from outside where people read: nothing in them is markup, a link, a page, or a command to a terminal."""

# Rooms: report, cli, web

from __future__ import annotations

import json
import re
from dataclasses import dataclass, make_dataclass
from html.parser import HTMLParser
from pathlib import Path
from random import Random
from typing import Annotated, Any, Literal

import pytest
from click.testing import CliRunner

from dutiful_gate import Gate, about, it
from dutiful_gate.cli.app import dutiful
from dutiful_gate.files import digest_of_file
from dutiful_gate.report.markdown import code_span, escaped
from dutiful_gate.report.shown_values import on_terminal
from dutiful_gate.web import Answering, Api, Endpoint, RequestGate
from hostile_words import WORDS, any_word

STEERS = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069]")
ODD = (*WORDS, "![x](http://fennick.example/a.png)", "<img src=x onerror=alert(1)>", "`<b>`", "a|b", "|", "`" * 9, "[a]: http://x.example", "http://x.example", "www.x.example", "a@x.example",
       "\x1b[31mred", "\u202eevil", "\u2066x\u2069", "# heading", "- item", "1. item", "***", "---", "> quote", "\\", "&lt;", "javascript:alert(1)", "~~~", "$x$")  # fmt: skip


@pytest.mark.parametrize("text", ODD, ids=range(len(ODD)))
def test_a_code_span_shows_its_text_and_ends_where_it_ends(text: str) -> None:
    told = code_span(text)
    assert "\n" not in told
    assert not STEERS.search(told)
    fence = re.match("`+", told)
    assert fence is not None
    inner = told[len(fence[0]) : -len(fence[0])]
    assert fence[0] not in re.findall("`+", inner), "no run within is as long as the fence"
    assert not re.search(r"(?<!\\)\|", told)


@pytest.mark.parametrize("text", ODD, ids=range(len(ODD)))
def test_prose_holds_no_markup(text: str) -> None:
    told = escaped(text)
    assert "\n" not in told
    assert not STEERS.search(told)
    bare = re.sub(r"\\.|&#[0-9]+;", "", told)
    assert not re.search(r"[`*_<>\[\]()#|~]|://|@|www\.", bare)
    assert re.sub(r"\\(.)", r"\1", told).replace("&#47;", "/").replace("&#64;", "@").replace("&#46;", ".") == on_terminal(text).replace("\n", "\\n").replace("\t", "\\t")  # fmt: skip


@pytest.mark.parametrize("seed", range(30))
def test_a_digest_for_a_mail_is_a_table_and_nothing_else(tmp_path: Path, seed: int) -> None:
    random = Random(seed)
    rows = [{random.choice(ODD): random.choice(ODD) for _ in range(3)} | {"n": random.choice(ODD)} for _ in range(20)]
    name = re.sub(r"[/\x00]", "", f"a{random.choice(ODD)[:40]}.ndjson")
    path = tmp_path / name
    path.write_text("".join(json.dumps(row) + "\n" for row in rows))
    digest = digest_of_file(Gate(dict[str, Annotated[str, it.length < 3]]), path)
    for line in digest.as_markdown().splitlines()[2:]:
        bare = re.sub(r"(`+)(?!`).*?(?<!`)\1(?!`)", "", line)
        assert len(re.findall(r"(?<!\\)\|", line)) == 8, line
        assert not re.search(r"[<\[*_]", re.sub(r"\\.", "", bare)), line
        assert not STEERS.search(line)


VERBS: list[list[str]] = [
    ["check", "NAME", "--against", "dutiful_gate.demo.ferries:Booking"], ["check", "NAME", "--against", "NAME"], ["schema", "dutiful_gate.demo.ferries:Booking", "--check", "NAME"],
    ["schema", "dutiful_gate.demo.ferries:Booking", "--into", "NAME"], ["draft", "NAME"], ["tree", "NAME"], ["compare", "NAME", "NAME"], ["declare", "NAME"], ["why", "NAME", "--against", "NAME"],
    ["prove", "NAME"], ["sample", "NAME"], ["check", "missing NAME", "--against", "dutiful_gate.demo.ferries:Booking"], ["explain", "NAME"], ["build", "NAME"],
    ["check", "NAME", "--against", "dutiful_gate.demo.ferries:Booking", "--format", "markdown"], ["check", "NAME", "--against", "dutiful_gate.demo.ferries:Booking", "--format", "html"], ["NAME"], ["check", "--NAME"],
]  # fmt: skip


@pytest.mark.parametrize("words", VERBS, ids=[" ".join(words)[:60] for words in VERBS])
def test_no_name_of_a_file_steers_the_terminal(
    words: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    name = "a\x1b[2J\x1b]0;owned\x07\u202eevil.json"
    Path(name).write_text('{"x\x1b[31m\u202e": "\\u001b[31m"}')
    result = CliRunner().invoke(dutiful, [word.replace("NAME", name) for word in words])
    assert result.exception is None or isinstance(result.exception, SystemExit)
    assert not STEERS.search(result.output), result.output


class _Tags(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.tags: list[str] = []

    def handle_starttag(self, tag: str, attrs: Any) -> None:
        self.tags += [tag, *(name for name, _ in attrs)]


def _tags(page: str) -> set[str]:
    reader = _Tags()
    reader.feed(page)
    return set(reader.tags)


def test_forms_and_manual_show_words_as_they_are() -> None:
    pytest.importorskip("jinja2")
    from dutiful_gate.web import Form
    from dutiful_gate.web.manual.page import manual

    plain_form, plain_manual = None, None
    for seed in range(40):
        random = Random(seed)
        word = "plain" if not seed else any_word(random) or "x"
        choices: Any = Literal[word, "b"]  # type: ignore[valid-type]
        inner = make_dataclass(
            "Held", [("held", Annotated[str, about(title=word, text=word), it.length < 3]), ("kind", choices)]
        )
        sends = make_dataclass("Sends", [("form", inner)])
        gate: RequestGate[Any] = RequestGate(sends)
        verdict = gate.examine({"form": {"held": word * 3, "kind": word * 2}})
        page = str(Form(gate, action="/x", title=word).html({"held": word, "kind": word}, verdict.faults))
        endpoint: Any = Endpoint("POST", "/x", sends, Answering(200), summary=word, text=word)
        api = Api(word, word, [endpoint.by(print)], text=word)
        tags = _tags(page), _tags(manual(api))
        if not seed:
            plain_form, plain_manual = tags
        assert tags[0] <= plain_form | {"selected"}, word  # type: ignore[operator]
        assert tags[1] == plain_manual, word
        assert "\u202e" not in re.sub(r'value="[^"]*"', "", page)


@dataclass
class Held:
    a: int


def test_text_on_a_terminal_keeps_its_lines() -> None:
    assert on_terminal("a\n\tb\x1b[0m") == "a\n\tb\\u001b[0m"
    assert on_terminal("plain") == "plain"
    assert Gate(Held).accepts({"a": 1})
