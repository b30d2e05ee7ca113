"""One value followed through its gate: each answer agrees with the verdict, and secrets stay hidden."""

# Rooms: gates

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path
from typing import Annotated, Any, Literal

import pytest
from click.testing import CliRunner

from any_declaration import any_declaration
from dutiful_gate import (
    CannotSample,
    DeclarationError,
    Gate,
    Sealed,
    Source,
    holds,
    it,
    obeys,
    obeys_document,
    otherwise,
    payloads,
    probes,
    samples,
    secret,
    split_on,
    then,
    this,
    trimmed,
    via,
)
from dutiful_gate.cli.app import dutiful
from dutiful_gate.demo.ferries import Booking, bookings


def places(data: Any, path: str = "") -> Iterator[str]:
    """The pointers of all that stands in data."""
    yield path
    if isinstance(data, dict):
        for key, held in data.items():
            if isinstance(key, str):
                yield from places(held, f"{path}/{key.replace('~', '~0').replace('/', '~1')}")
    elif isinstance(data, list):
        for number, held in enumerate(data[:4]):
            yield from places(held, f"{path}/{number}")


@pytest.mark.filterwarnings("ignore::dutiful_gate.warnings.IdleKeyword")
@pytest.mark.parametrize("seed", range(60))
def test_why_agrees_with_the_verdict_everywhere(seed: int) -> None:
    declared, words = any_declaration(seed)
    try:
        gate = Gate(declared, **words)
        sent = payloads(gate, 2, seed) + [data for data, _ in islice(probes(gate, seed), 6)]
        document = Gate.from_schema(gate.schema(), formats="assert")
    except (DeclarationError, CannotSample):
        return
    for data in sent:
        refused = gate.examine(data).faults
        for at in places(data):
            told = gate.why(data, at)
            failing = [each for each in told.told if each.holds is False]
            assert str(told)
            if not told.admitted:
                assert failing, (data, at)
            elif told.came and told.ending == "it is admitted" and told.told:
                assert told.told[-1].holds is not False
            if not at:
                assert told.faults == refused
            by_document = document.why(data, at)
            if not by_document.admitted:
                assert any(each.what == "keyword" and each.holds is False for each in by_document.told), (data, at)


@dataclass
class Stay:
    kind: Literal["stay"]
    nights: int


@dataclass
class Call:
    kind: Literal["call"]
    reason: Annotated[str, trimmed, it.length > 4]


@dataclass
class Narrow:
    a: int


@dataclass
class Wide:
    a: int
    b: int


def by_twelve(berth: Desk) -> bool:
    """A check of a whole record."""
    return berth.low < 12


@dataclass
@obeys(this.high >= this.low, this.pin == "4711-code", by_twelve)
class Desk:
    visit: Stay | Call
    low: int
    high: int = 9
    pin: Annotated[str, secret] = "4711-code"
    size: int | Annotated[str, it.length > 2] | None = None
    lots: Annotated[list[int], split_on(",")] | None = None
    tons: Annotated[int, via(str, trimmed, it.matches("[0-9]+")), it < 10, otherwise(3)] = 3
    key: Sealed[str] | None = None
    fees: dict[Annotated[int, it > 5], int] | None = None
    either: Narrow | Wide | None = None


STAY = {"visit": {"kind": "stay", "nights": 2}, "low": 4}


@pytest.mark.parametrize(
    ("more", "at", "lines"),
    [
        ({}, "/low", ["field     Desk.low", "came      4", "read      as a whole number  holds"]),
        ({}, "/low", ["rule      this.high >= this.low  holds", "so it is admitted"]),
        ({"low": 20}, "/low", ["rule      this.high >= this.low, told at high  FAILS", "so no fault stands here"]),
        ({"low": 20}, "/high", ["absent    nothing came: 9 stands in  holds"]),
        ({"low": "x"}, "/high", ["absent    nothing came: 9 stands in"]),
        ({"low": "x"}, "", ["this.high >= this.low: not asked, for want of low", "by_twelve: not asked"]),
        ({"low": 12, "high": 13}, "", ["check     by_twelve  FAILS"]),
        ({"visit": {"kind": "call", "reason": " tea "}}, "/visit/reason", ["step      trimmed: 'tea'"]),
        (
            {"visit": {"kind": "call", "reason": " tea "}},
            "/visit/reason",
            ["union     kind is 'call': a record (Call)"],
        ),
        ({"visit": {"kind": "tow"}}, "/visit", ["union     kind is 'tow': none of its options  FAILS"]),
        (
            {"size": "ab"},
            "/size",
            ["branch    a whole number: needs a whole number", "branch    text: needs at least 3"],
        ),
        ({"lots": "1, x"}, "/lots", ["split     at ',': a list of 2 items", "1 fault inside  FAILS", "so: /lots/1"]),
        (
            {"lots": "1, x"},
            "/lots/1",
            ["came      'x'", "read      needs a whole number in ASCII digits, such as 42  FAILS"],
        ),
        (
            {"fees": {"7": 1, "3": 2}},
            "/fees/3",
            ["key       it > 5  FAILS", "came      2", "so: /fees/3: its key needs"],
        ),
        (
            {"either": {"a": 1, "b": 2}},
            "/either/b",
            ["branch    a record (Narrow)  holds", "branch    a record (Wide)  holds"],
        ),
        ({"either": {"a": 1, "b": 2}}, "/either/b", ["field     Wide.b", "so it is admitted"]),
        ({"either": {"a": 1}}, "/either/b", ["Narrow has no field 'b'; it has a", "so no fault stands here"]),
        ({"size": None}, "/size/0", ["ends      there is no '0'"]),
        ({}, "/size/0", ["absent    nothing came: null stands in", "and so nothing stands under '0'"]),
        ({"tons": " 77 "}, "/tons", ["before    it is read as text", "it < 10  FAILS", "otherwise 3 stands in  holds"]),
        ({}, "/visit/days", ["Stay has no field 'days'; it has kind, nights", "so no fault stands here"]),
        ({"wind": 3}, "/wind", ["unknown   Desk has no such field: it is left out"]),
        ({}, "/visit/nights/0", ["there is no '0' in a whole number"]),
        ({"pin": "9999-wrong"}, "/pin", ["came      a hidden value", "rule      a hidden rule  FAILS"]),
        ({"key": "secret-word"}, "/key", ["came      a hidden value", "sealed"]),
    ],
)
def test_what_is_told(more: dict[str, Any], at: str, lines: list[str]) -> None:
    text = str(Gate(Desk).why({**STAY, **more}, at))
    for line in lines:
        assert line in text, text
    for hidden in ("4711", "9999", "secret-word"):
        assert hidden not in text


@pytest.mark.parametrize("source", [Source.TEXT, Source.MIXED, Source.NATIVE])
@pytest.mark.parametrize("seed", range(25))
def test_why_agrees_for_other_sources_and_for_values_made_in_code(seed: int, source: Source) -> None:
    declared, words = any_declaration(seed)
    try:
        plain, gate = Gate(declared, **words), Gate(declared, source, **words)
        sent = payloads(plain, 2, seed) + [data for data, _ in islice(probes(plain, seed), 6)]
        sent += samples(plain, 2, seed) if source is Source.NATIVE else []
    except (DeclarationError, CannotSample):
        return
    for data in sent:
        for at in places(data):
            told = gate.why(data, at)
            assert told.admitted or any(each.holds is False for each in told.told), (data, at)


@dataclass
class Inner:
    code: str
    deck: int = 0


@dataclass
class Vault:
    one: Annotated[Inner | None, secret] = None
    either: Annotated[Stay | Call, secret] | None = None
    many: Annotated[dict[str, list[Inner]], secret] | None = None
    mixed: Annotated[int | list[str], secret] | None = None
    own: Annotated[str, secret, then(int)] | None = None
    held: Annotated[str, secret, holds(lambda text: False)] | None = None
    sealed: Sealed[Inner] | None = None
    plain: Inner | None = None
    row: tuple[int, str] | None = None


def test_no_secret_shows_on_the_way_to_a_value() -> None:
    data = {
        "one": {"code": 47110, "deck": "4711"},
        "either": {"kind": "4711", "reason": 4711},
        "many": {"4711": [{"code": 4711}]},
        "mixed": ["4711", 4711],
        "own": "4711x",
        "held": "4711",
        "sealed": {"code": 4711, "deck": "4711"},
    }
    gate = Gate(Vault)
    for at in places(data):
        assert "4711" not in str(gate.why(data, at)), at


@dataclass
class Locker:
    code: Annotated[str, secret]


@dataclass
@obeys(this.locker.code != "4711-code", this.at > 2)
class Berthed:
    at: int
    locker: Locker
    codes: dict[str, Annotated[str, secret, it != "4711-code"]]


@pytest.mark.parametrize("at", ["", "/locker", "/locker/code", "/codes", "/codes/a", "/at"])
def test_no_constant_of_a_rule_on_a_secret_further_in_is_told(at: str) -> None:
    told = str(Gate(Berthed).why({"at": 1, "locker": {"code": "4711-code"}, "codes": {"a": "4711-code"}}, at))
    assert "4711" not in told
    assert ("this.at > 2" in told) is (at in ("", "/at"))


@pytest.mark.parametrize("step", ["²", "٣", "01", "-1", "9" * 30, "9" * 5_000, " 0", "1", "~2"])
def test_what_is_no_index_leads_nowhere(step: str) -> None:
    """RFC 6901, section 4: digits of ASCII without a leading zero."""
    document = Gate.from_schema(Gate(Vault).schema())
    told = Gate(Vault).why({"row": [1]}, f"/row/{step}")
    assert (told.came, told.told[-1].what) == (False, "ends")
    assert not document.why({"row": [1]}, f"/row/{step}").came


class Liar:
    def __eq__(self, other: object) -> bool:
        raise RuntimeError("4711")

    def __hash__(self) -> int:
        raise RuntimeError("4711")

    @property
    def code(self) -> str:
        raise RuntimeError("4711")


class LyingDict(dict[str, Any]):
    def __iter__(self) -> Iterator[str]:
        raise RuntimeError("4711")

    def __contains__(self, key: object) -> bool:
        raise RuntimeError("4711")


@pytest.mark.parametrize("source", [Source.JSON, Source.NATIVE, Source.MIXED])
@pytest.mark.parametrize("at", ["", "/plain", "/plain/code", "/row/0", "/nowhere"])
def test_objects_that_lie_are_refused_and_raise_nothing(source: Source, at: str) -> None:
    for data in (
        Liar(),
        {"plain": Liar()},
        {"plain": LyingDict(code="x")},
        LyingDict(plain={}),
        {1: 2},
        {"row": Liar()},
    ):
        for gate in (Gate(Vault, source), Gate.from_schema(Gate(Vault).schema())):
            assert "4711" not in str(gate.why(data, at))


def test_gates_of_other_sources_and_documents() -> None:
    berths = Gate(dict[str, int], Source.TEXT)
    assert "as a whole number: 12  holds" in str(berths.why({"a": " 12 "}, "/a"))
    assert "4 of" not in str(berths.why({"a": "x"}, "/a"))
    beside = Gate(Annotated[Any, obeys_document({"maximum": 5})])
    assert "document" in str(beside.why(7))
    assert not beside.why(7).admitted
    judge = Gate.from_schema(
        {
            "anyOf": [{"type": "string", "minLength": 3}, {"$ref": "#/$defs/whole"}],
            "$defs": {"whole": {"type": "integer", "maximum": 5}},
        }
    )
    text = str(judge.why(7))
    assert "schema    /$defs/whole  FAILS\n" in text
    assert "keyword   maximum 5  FAILS" in text
    assert "schema    /anyOf/0  FAILS" in str(judge.why(4))
    assert judge.why(4).admitted
    with pytest.raises(ValueError, match="write /origin"):
        bookings.why({}, "origin")
    deep: Any = []
    for _ in range(5_000):
        deep = [deep]
    assert not Gate(list[Any]).why(deep).admitted
    assert str(Gate.from_schema({"items": {"$ref": "#"}}).why(deep))


TARGET = f"{Booking.__module__}:Booking"


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        ([TARGET, '{"origin": " qlp "}', "/origin"], 0, "uppered: 'QLP'"),
        ([TARGET, '{"origin": " q "}', "/origin"], 1, "it.matches('[A-Z]{3}')  fails"),
        ([TARGET, "{}"], 1, "this.arrives > this.departs: not asked"),
        ([TARGET, '{"origin": ', "/origin"], 2, "cannot be read: 1:12"),
        ([TARGET, "nowhere.json"], 2, "nor is it the name of a file"),
        ([TARGET, "x" * 5_000], 2, "nor is it the name of a file"),
        ([TARGET, "{}", "origin"], 2, "write /origin"),
        ([TARGET, "-", "/origin"], 1, "none came"),
    ],
)
def test_the_command(words: list[str], code: int, told: str) -> None:
    run = CliRunner().invoke(dutiful, ["why", *words], input="{}")
    assert run.exit_code == code, run.output
    assert told in run.output


def test_the_command_by_a_document_and_a_file(tmp_path: Path) -> None:
    document, data = tmp_path / "booking.json", tmp_path / "data.json"
    document.write_text(json.dumps(bookings.schema()))
    data.write_text('{"origin": "qlp"}')
    run = CliRunner().invoke(dutiful, ["why", str(document), str(data), "/origin"])
    assert run.exit_code == 1
    assert 'pattern "^[A-Z]{3}$"  fails' in run.output
