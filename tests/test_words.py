"""Messages in another language, without building a gate anew; and none of the package's phrases forgotten."""

# Rooms: report

from __future__ import annotations

import ast
import re
import threading
from pathlib import Path
from typing import Any

import dutiful_gate
from dutiful_gate import Catalogue, Gate, it, secret, speaking
from dutiful_gate.declare.formats.table import JUDGES
from dutiful_gate.declare.kinds import Written, written_kinds
from dutiful_gate.demo.ferries import bookings
from dutiful_gate.report.german import GERMAN

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
        assert isinstance(kind, Written)
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
    pirate = Catalogue("pirate", {"needs": "be wanting", "a whole number": "a whole doubloon"})
    with speaking(pirate):
        assert gate.examine("x").faults[0].message == "be wanting a whole doubloon; got the text 'x'"
    rule = (it > 3).says("{given} is too few")
    from typing import Annotated

    with speaking(Catalogue("fr", {"{given} is too few": "{given}, c'est trop peu"})):
        assert Gate(Annotated[int, rule]).examine(1).faults[0].message == "1, c'est trop peu"
    with speaking(GERMAN):
        assert Gate(Annotated[int, secret, it > 3]).examine(1).faults[0].message.endswith("einen verborgenen Wert")
