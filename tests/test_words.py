"""Messages in another language, without building a gate anew; and none of the package's phrases forgotten."""

# Rooms: report

from __future__ import annotations

import ast
import re
import threading
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from ipaddress import IPv4Address, IPv6Address
from pathlib import Path
from random import Random
from typing import Annotated, Any
from uuid import UUID

import pytest
from click.testing import CliRunner

import dutiful_gate
from any_declaration import any_declaration
from dutiful_gate import Catalogue, DeclarationError, Gate, Source, holds, it, obeys, secret, speaking, this
from dutiful_gate.catalogues import GERMAN, holes
from dutiful_gate.cli.app import dutiful
from dutiful_gate.declare.formats.table import JUDGES
from dutiful_gate.declare.kinds import TextForm, written_kinds
from dutiful_gate.demo.ferries import bookings
from dutiful_gate.sample.edges import Edges

ROOT = Path(dutiful_gate.__file__).parent
FOR_DEVELOPERS = {"released"}


def phrases() -> set[str]:
    """Every phrase or template that the source hands to a fault as plain text."""
    found: set[str] = set()
    for file in ROOT.rglob("*.py"):
        if file.name == "german.py" or "demo" in file.parts:
            continue
        for node in ast.walk(ast.parse(file.read_text())):
            if not isinstance(node, ast.Call):
                continue
            name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
            wanted: list[Any] = []
            if name in ("Stop", "Cause", "cause", "Problem", "Refusal") and len(node.args) > 1:
                wanted = [node.args[1]]
            elif name == "Phrase":
                wanted = node.args[:1]
            elif name == "Face" and len(node.args) > 2:
                wanted = node.args[2:4]
            elif name == "spoken" or name == "expect":
                wanted = node.args[:1]
            wanted += [word.value for word in node.keywords if word.arg == "got"]
            found |= {each.value for each in wanted if isinstance(each, ast.Constant) and isinstance(each.value, str)}
    for template in ROOT.rglob("*.jinja"):
        found |= set(re.findall(r'\bsay\("([^"]+)"', template.read_text()))
    for kind in written_kinds().values():
        assert isinstance(kind, TextForm)
        found |= {kind.phrase}
    found |= {phrase for phrase, _ in JUDGES.values()}
    return found - {"", "failed", "value", "length", "nothing"}


def test_german_has_every_phrase() -> None:
    missing = phrases() - GERMAN.words.keys()
    assert not missing
    slots = "{}"
    for english, german in GERMAN.words.items():
        names = [sorted(part.split("}")[0] for part in text.split("{")[1:]) for text in (english, german)]
        assert names[0] == names[1], f"{english!r} loses a slot {slots}"


def test_the_same_verdict_in_two_languages(sound: dict[str, Any]) -> None:
    verdict = bookings.examine({**sound, "origin": 12, "crates": [{"weight_kg": -1, "contents": " "}], "contact": [1]})
    english = [fault.message for fault in verdict.faults]
    with speaking(GERMAN):
        assert [fault.message for fault in verdict.faults] == [
            "braucht Text; bekam 12",
            "braucht Text; bekam ein Array mit 1 Eintrag",
            "braucht eine Zahl über 0; bekam -1",
            "braucht 2 bis 80 Zeichen; bekam 0",
        ]
        elsewhere: list[str] = []
        thread = threading.Thread(target=lambda: elsewhere.append(verdict.faults[0].message))
        thread.start()
        thread.join()
        assert elsewhere == ["needs text; got 12"], "a language holds for one thread"
    assert [fault.message for fault in verdict.faults] == english


def test_a_catalogue_of_ones_own() -> None:
    gate = Gate(int)
    pirate = Catalogue(
        "pirate",
        {
            "needs {wanted}; got the text {given}": "be wanting {wanted}; got {given}",
            "a whole number": "a whole doubloon",
        },
    )
    with speaking(pirate):
        assert gate.examine("x").faults[0].message == "be wanting a whole doubloon; got 'x'"
    rule = (it > 3).says("{given} is too few")
    from typing import Annotated

    with speaking(Catalogue("fr", {"{given} is too few": "{given}, c'est trop peu"})):
        assert Gate(Annotated[int, rule]).examine(1).faults[0].message == "1, c'est trop peu"
    with speaking(GERMAN):
        assert Gate(Annotated[int, secret, it > 3]).examine(1).faults[0].message.endswith("einen verborgenen Wert")


def test_german_has_no_english_in_it(monkeypatch: pytest.MonkeyPatch) -> None:
    """Over declarations of every make: each part of a message is told, down to the options and conditions in it."""
    missed: dict[str, int] = {}

    def spoken(self: Catalogue, words: str) -> str:
        if words not in self.words:
            missed[words] = seed
        return self.words.get(words, words)

    monkeypatch.setattr(Catalogue, "spoken", spoken)
    told = 0
    for seed in range(120):
        declared, given = any_declaration(seed)
        random = Random(seed)
        for reads in (Source.JSON, Source.TEXT, Source.NATIVE):
            try:
                gate: Gate[Any] = Gate(declared, reads, **given)
            except DeclarationError:
                continue
            edges = Edges(gate.shape, random)
            for data in ({}, [], None, "", 1, *(edges.spoiled(gate.shape.root, {}) for _ in range(6))):
                with speaking(GERMAN):
                    told += len([fault.message for fault in gate.examine(data).faults])
    assert told > 2_000
    assert not [words for words in missed if re.search(r"[a-z]{2}", re.sub(r"{[a-z_]+}", "", words))], "seeds"


@pytest.mark.parametrize(
    ("declared", "data", "told"),
    [
        (Annotated[UUID, it <= UUID(int=5)], str(UUID(int=6)), "needs a UUID not after 00000000-0000-0000-0000-000000000005; got '00000000-0000-0000-0000-000000000006'"),
        (Annotated[IPv4Address, it < IPv4Address("192.0.2.1")], "192.0.2.1", "needs an IPv4 address before 192.0.2.1; got '192.0.2.1'"),
        (Annotated[date, it >= date(2026, 5, 4)], "2026-05-03", "needs a date no earlier than 2026-05-04; got '2026-05-03'"),
        (Annotated[timedelta, it < timedelta(hours=1)], "PT2H", "needs a duration (ISO 8601) below PT1H; got 'PT2H'"),
        (Annotated[str, it.matches("^[a-z]+$").says("{{a}} like {given}")], "1", "{a} like '1'"),
        (Annotated[str, it.length > 2, secret], "x", "needs at least 3 characters; got a hidden value"),
    ],
)  # fmt: skip
def test_kinds_say_how_they_compare_and_are_shown(declared: Any, data: str, told: str) -> None:
    assert [fault.message for fault in Gate(declared).examine(data).faults] == [told]


def test_values_that_compare_are_compared_in_their_own_words() -> None:
    @obeys(this.first < this.second)
    @dataclass
    class Pair:
        first: Any
        second: Any

    for kind, low, high, words in (
        (UUID, UUID(int=1), UUID(int=2), "before"),
        (IPv6Address, IPv6Address("2001:db8::1"), IPv6Address("2001:db8::2"), "before"),
        (datetime, "2026-05-04T09:00:00Z", "2026-05-04T10:00:00Z", "earlier than"),
        (int, 1, 2, "below"),
        (str, "a", "b", "below"),
    ):
        Pair.__annotations__.update(first=kind, second=kind)
        gate = Gate(Pair)
        low, high = (each if isinstance(each, int | str) else str(each) for each in (low, high))
        assert gate.accepts({"first": low, "second": high})
        (fault,) = gate.examine({"first": high, "second": low}).faults
        assert (fault.pointer, words in fault.message) == ("/first", True), fault.message


def test_a_secret_record_is_never_told_as_null() -> None:
    def never(value: object) -> bool:
        return False

    @dataclass
    class Pass:
        pin: str

    for declared in (Annotated[Pass, secret, holds(never)], Annotated[list[int], secret, holds(never)]):
        data: Any = {"pin": "1"} if "Pass" in str(declared) else [1]
        assert [fault.message for fault in Gate(declared).examine(data).faults] == [
            "needs a value that passes never; got a hidden value"
        ]


SHORT = Catalogue(
    "en-short",
    sentences={
        "absent": "is required",
        "kind": "must be {wanted}",
        "crates.weight_kg": "{label} is not right: {given}",
        "crates.weight_kg: ceiling": "at most {ceiling} kg, please",
        "origin: pattern": "is no port",
    },
)


def test_an_author_says_messages_otherwise_by_code_by_field_and_by_both() -> None:
    data = {
        "origin": "q",
        "destination": 3,
        "contact": "x",
        "crates": [{"contents": "rope", "weight_kg": 99_999}, {"contents": "rope", "weight_kg": -1}],
    }
    with speaking(SHORT):
        told = {fault.pointer: fault.message for fault in bookings.examine(data).faults}
        assert bookings.examine(data).by_field()["origin"] == ["is no port"]
        own = Gate(Annotated[int, it.between(1, 3).says("one to three")])
        assert [fault.message for fault in own.examine(7).faults] == ["one to three"]
        assert [fault.message for fault in own.examine("x").faults] == ["must be a whole number"]
        hidden = Gate(dict[str, Annotated[int, secret]])
        assert [fault.message for fault in hidden.examine({"crates": "s3cret"}).faults] == ["must be a whole number"]
    assert told == {
        "/origin": "is no port",
        "/destination": "must be text",
        "/departs": "is required",
        "/arrives": "is required",
        "/contact": "needs an email address, such as name@mail.example; got 'x'",
        "/crates/0/weight_kg": "at most 26000 kg, please",
        "/crates/1/weight_kg": "weight_kg is not right: -1",
    }
    secretly = Catalogue("en-told", sentences={"length": "{label}: {wanted}, not {given}"})
    with speaking(secretly):
        [fault] = Gate(dict[str, Annotated[str, secret, it.length == 4]]).examine({"pin": "s3cret"}).faults
        assert fault.message == "(hidden): exactly 4 characters, not a hidden value"


def test_a_language_may_put_the_parts_of_a_message_in_another_order() -> None:
    turned = Catalogue(
        "yoda",
        {
            "needs {wanted}; got {given}": "{given} came; {wanted} needed is",
            "needs {wanted}; {came}": "{came}; {wanted}!",
        },
    )
    with speaking(turned):
        told = {fault.pointer: fault.message for fault in bookings.examine({"origin": "q"}).faults}
    assert told["/origin"] == "'q' came; text that matches [A-Z]{3} needed is"
    assert told["/contact"] == "none came; a value!"


def test_a_language_is_begun_and_its_holes_are_told(tmp_path: Path) -> None:
    told = CliRunner().invoke(dutiful, ["explain", "--catalogue", "fr"])
    assert told.exit_code == 0, told.output
    module: dict[str, Any] = {}
    exec(compile(told.output, "french", "exec"), module)
    assert len(holes(module["FR"])) == len(GERMAN.words)
    assert holes(GERMAN) == ()
    assert holes(Catalogue("de", {**GERMAN.words, "needs {wanted}; got {given}": "braucht {wanted}"})) == (
        "needs {wanted}; got {given}",
    )
    assert CliRunner().invoke(dutiful, ["explain", "kind", "--catalogue", "fr"]).exit_code == 2
