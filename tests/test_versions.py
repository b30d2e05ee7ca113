"""Two versions of a shape: every change named and shown, nothing called unharmed that is not, revisions, consumers."""

# Rooms: versions, cli, prove

from __future__ import annotations

import copy
import json
import os
import re
import subprocess
import sys
import warnings
from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, make_dataclass
from datetime import date, datetime
from decimal import Decimal
from functools import cache, partial
from ipaddress import IPv4Network
from pathlib import Path
from random import Random
from threading import Lock
from typing import Annotated, Any, Literal, NamedTuple, TypedDict
from zoneinfo import ZoneInfo

import pytest
from click.testing import CliRunner
from hypothesis import given, settings
from hypothesis import strategies as st

from any_declaration import any_declaration
from any_document import AnyDocument
from any_pair import AnyPair, contradiction
from any_typed_pair import typed_contradiction
from dutiful_gate import (
    DeclarationError,
    Email,
    Gate,
    Limits,
    Sealed,
    Source,
    byte_size,
    holds,
    it,
    lenient,
    named,
    obeys,
    otherwise,
    payloads,
    secret,
    split_on,
    this,
    trimmed,
    uppered,
    via,
)
from dutiful_gate.cli.app import dutiful
from dutiful_gate.document.judging.metaschemas import standard_document
from dutiful_gate.engine.runtime import HIDDEN_KEY
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.edges import ODD, Edges
from dutiful_gate.sample.payloads import Payloads
from dutiful_gate.sample.sampling import maker_for
from dutiful_gate.versions import breaks, compare

DRAFT = "https://json-schema.org/draft/{}/schema".format
INSTANCES = int(os.environ.get("INSTANCES", "60"))


@dataclass
class Crate:
    contents: Annotated[str, trimmed, it.length.between(2, 80)]
    weight_kg: Annotated[float, it > 0, it <= 26_000]


def version(**changed: Any) -> type:
    """A version of the booking: fields by name, None for one that it lacks, and a tuple for one with a default."""
    fields: dict[str, Any] = {
        "origin": Annotated[str, trimmed, uppered, it.matches("[A-Z]{3}")],
        "departs": datetime,
        "arrives": datetime,
        "crates": Annotated[list[Crate], it.length.between(1, 50)],
        "pieces": Annotated[int, it.between(1, 9)],
        "contact": (Email, "desk@ternsound.example"),
        "priority": (Literal["standard", "urgent"], "standard"),
        "note": (str | None, None),
    }
    rules = changed.pop("rules", (this.arrives > this.departs,))
    fields |= changed
    told = [
        (name, *held) if isinstance(held, tuple) else (name, held) for name, held in fields.items() if held is not None
    ]
    made = make_dataclass(
        "Booking", sorted([(n, t, field(default=d[0])) if d else (n, t) for n, t, *d in told], key=len)
    )
    return obeys(*rules)(made) if rules else made


def _even(value: int) -> bool:
    return value % 2 == 0


def _odd(value: int) -> bool:
    return value % 2 == 1


NEW_CRATE = make_dataclass(
    "Box", [("contents", Annotated[str, trimmed, it.length.between(2, 40)]), ("weight_kg", float)]
)

EDITS: list[tuple[str, dict[str, Any], str, str, str, str, str]] = [
    # name, what changes, pointer, words in the change, direction of what is sent, senders, readers
    ("nothing", {}, "", "", "", "unharmed", "unharmed"),
    ("another name of a record", {"crates": Annotated[list[make_dataclass("Chest", [
        ("contents", Annotated[str, trimmed, it.length.between(2, 80)]),
        ("weight_kg", Annotated[float, it > 0, it <= 26_000])])], it.length.between(1, 50)]}, "", "", "", "unharmed", "unharmed"),
    ("a ceiling lowered", {"pieces": Annotated[int, it.between(1, 5)]}, "/pieces", "at most 5, was at most 9", "narrowing", "broken", "unharmed"),
    ("a ceiling raised", {"pieces": Annotated[int, it.between(1, 12)]}, "/pieces", "at most 12", "widening", "unharmed", "broken"),
    ("a bound moved", {"pieces": Annotated[int, it.between(2, 9)]}, "/pieces", "at least 2", "narrowing", "broken", "unharmed"),
    ("another kind", {"pieces": str}, "/pieces", "was a whole number, now text", "both", "broken", "broken"),
    ("a wider kind", {"pieces": Annotated[float, it.between(1, 9)]}, "/pieces", "now also a number", "widening", "unharmed", "broken"),
    ("null too", {"pieces": Annotated[int, it.between(1, 9)] | None}, "/pieces", "null", "widening", "unharmed", "broken"),
    ("a step of a number", {"pieces": Annotated[int, it.between(1, 9), it.multiple_of(2)]}, "/pieces", "a multiple of 2", "narrowing", "broken", "unharmed"),
    ("a new choice", {"priority": (Literal["standard", "urgent", "late"], "standard")}, "/priority", 'now also "late"', "widening", "unharmed", "broken"),
    ("a choice gone", {"priority": (Literal["standard"], "standard")}, "/priority", "urgent", "narrowing", "broken", "unharmed"),
    ("a field more, optional", {"berth": (int, 1)}, "/berth", "new, may be left out", "neither", "unharmed", "unharmed"),
    ("a field more, required", {"berth": int}, "/berth", "new, must be there", "narrowing", "broken", "unharmed"),
    ("a field gone", {"pieces": None}, "/pieces", "gone", "widening", "unharmed", "broken"),
    ("an optional field gone", {"note": None}, "/note", "gone", "neither", "unharmed", "broken"),
    ("no longer required", {"pieces": (Annotated[int, it.between(1, 9)], 1)}, "/pieces", "may now be left out", "widening", "unharmed", "unharmed"),
    ("now required", {"contact": Email}, "/contact", "must now be there", "narrowing", "broken", "unharmed"),
    ("another default", {"priority": (Literal["standard", "urgent"], "urgent")}, "/priority", 'its default was "standard", now "urgent"', "neither", "unharmed", "unharmed"),
    ("no step any more", {"origin": Annotated[str, it.matches("[A-Z]{3}")]}, "/origin", "its steps were trimmed, uppered, now none", "narrowing", "broken", "unharmed"),
    ("lenient", {"pieces": Annotated[int, it.between(1, 9), lenient]}, "/pieces", "its steps were none, now lenient", "widening", "unharmed", "unharmed"),
    ("shorter in a list", {"crates": Annotated[list[NEW_CRATE], it.length.between(1, 50)]}, "/crates/*/contents", "at most 40 characters, was 80", "narrowing", "broken", "broken"),
    ("fewer items", {"crates": Annotated[list[Crate], it.length.between(1, 5)]}, "/crates", "at most 5 items", "narrowing", "broken", "unharmed"),
    ("another pattern", {"origin": Annotated[str, trimmed, uppered, it.matches("[A-Z]{2}")]}, "/origin", "the pattern was", "both", "broken", "broken"),
    ("no format", {"contact": (str, "x")}, "/contact", 'the format "email" is no longer asked for', "widening", "unharmed", "broken"),
    ("renamed", {"note": None, "remark": (Annotated[str | None, named("remark", formerly="note")], None)}, "/remark", "renamed: was 'note'", "neither", "unharmed", "broken"),
    ("perhaps renamed", {"note": None, "remark": (str | None, None)}, "/remark", "perhaps renamed: 'note' is gone", "neither", "unharmed", "broken"),
    ("a rule more", {"rules": (this.arrives > this.departs, this.departs != this.arrives, this.pieces != this.origin.length)}, "/pieces", "new rule: this.pieces != this.origin.length", "narrowing", "broken", "unharmed"),
    ("a rule less", {"rules": ()}, "/arrives", "no longer a rule: this.arrives > this.departs", "widening", "unharmed", "unharmed"),
    ("a function more", {"pieces": Annotated[int, it.between(1, 9), holds(_even)]}, "/pieces", "new rule: holds(_even)", "narrowing", "broken", "unharmed"),
    ("secret", {"note": (Annotated[str | None, secret], None)}, "/note", "is secret now", "", "unharmed", "broken"),
]  # fmt: skip


def check_witnesses(found: Any, old: Gate[Any], new: Gate[Any]) -> None:
    """Every instance is accepted by the one gate, and refused by the other."""
    documents = [Gate.from_schema(gate.schema(of="release"), formats="assert") for gate in (old, new)]
    for change in found.changes:
        judges = (old, new) if change.of == "send" else documents
        for witness, accepting, refusing in ((change.refused, 0, 1), (change.accepted, 1, 0)):
            if witness is not None and HIDDEN_KEY not in str(witness.instance):  # a secret in it is not shown
                assert judges[accepting].accepts(witness.instance), change
                assert not judges[refusing].accepts(witness.instance), change


@pytest.mark.parametrize(
    ("name", "edit", "pointer", "words", "direction", "senders", "readers"), EDITS, ids=[each[0] for each in EDITS]
)
def test_an_edit_is_named_and_shown(
    name: str, edit: dict[str, Any], pointer: str, words: str, direction: str, senders: str, readers: str
) -> None:
    old, new = Gate(version()), Gate(version(**edit))
    found = compare(old, new)
    check_witnesses(found, old, new)
    assert (found.senders, found.readers) == (senders, readers), [found.changes, found.why("both")]
    assert bool(found) == bool(words)
    if words:
        named = [each for each in found.changes if each.pointer == pointer and words in each.words]
        assert named, found.changes
        assert not direction or [each.direction for each in named if each.of == "send"] == [direction]
    assert bool(breaks(old, new, of="senders")) == (senders != "unharmed")
    assert not compare(new, new)
    assert not breaks(new, new)


def test_functions_of_ones_own_are_told_by_their_code() -> None:
    old = version(pieces=Annotated[int, it.between(1, 9), holds(_even)])
    other = version(pieces=Annotated[int, it.between(1, 9), holds(lambda value: value % 2 == 0)])
    turned = version(pieces=Annotated[int, it.between(1, 9), holds(_odd)])
    assert compare(old, old).senders == "unharmed"
    assert compare(old, turned).senders == "broken"
    same = compare(other, version(pieces=Annotated[int, it.between(1, 9), holds(lambda value: not value % 2)]))
    assert same.senders == "unclear"
    assert "functions of its own are others now" in same.why("senders")[0]
    assert breaks(other, old).startswith(("unclear", "senders"))


def test_a_lost_key_counts_only_where_a_version_declares_it() -> None:
    old, new = {"type": "object"}, {"type": "object", "properties": {"berth": {"type": "integer"}}}
    assert compare(old, new).senders == "unharmed"
    strict = compare(old, new, undeclared=True)
    assert (strict.senders, strict.changes[0].refused is not None) == ("broken", True)
    closed = {**new, "additionalProperties": False}
    assert compare(new, closed).senders == "broken"
    assert compare(closed, new).senders == "unharmed"


def test_the_standards_own_documents_compare_in_seconds() -> None:
    uris = [*(f"http://json-schema.org/draft-0{number}/schema" for number in (4, 6, 7)), DRAFT("2020-12")]
    gates = {uri: Gate.from_schema(standard_document(uri), formats="assert") for uri in uris}
    for at, uri in enumerate(uris):
        assert not compare(gates[uri], gates[uri])
        found = compare(gates[uris[at - 1]], gates[uri])
        for change in found.changes:
            if change.refused is not None:
                assert gates[uris[at - 1]].accepts(change.refused.instance)
                assert not gates[uri].accepts(change.refused.instance)


# Random declarations and documents


def sound(gate: Any, count: int, seed: int) -> Iterator[Any]:
    maker = maker_for(gate, Random(seed))
    for _ in range(count):
        try:
            yield maker.make()
        except CannotSample:
            return


@given(st.integers(0, 10**6))
@settings(max_examples=int(os.environ.get("VERSIONS", "40")))
def test_what_is_called_unharmed_is_and_every_instance_shows_it(seed: int) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            declared, words = any_declaration(seed)
            old = json.loads(json.dumps(Gate(declared, **words).schema(), default=float))
            made = AnyPair(Random(seed), old)
            before, after = (Gate.from_schema(each, formats="assert") for each in (made.old, made.new))
        except (DeclarationError, KeyError, IndexError):
            return
    told = compare(before, after, seed=seed)
    for change in told.changes:
        if change.of == "send" and change.refused is not None:
            assert before.accepts(change.refused.instance)
            assert not after.accepts(change.refused.instance)
        if change.of == "send" and change.accepted is not None:
            assert after.accepts(change.accepted.instance)
            assert not before.accepts(change.accepted.instance)
    for answer, accepting, refusing in ((told.senders, before, after), (told.readers, after, before)):
        if answer == "unharmed":
            for instance in sound(accepting, INSTANCES, seed):
                assert refusing.accepts(instance), (told.changes, instance)
    if not told:  # an edit that is not named changes nothing
        for instance in [*sound(before, 20, seed), *ODD]:
            assert before.accepts(instance) == after.accepts(instance), instance


@given(st.integers(0, 10**6))
@settings(max_examples=int(os.environ.get("VERSIONS", "40")))
def test_a_version_compared_with_itself_is_no_change(seed: int) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        declared, words = any_declaration(seed)
        try:
            found = compare(Gate(declared, **words), Gate(declared, **words))
        except DeclarationError:
            return
        assert (found.changes, found.senders, found.readers) == ([], "unharmed", "unharmed"), found.why("both")
        made = AnyDocument(Random(seed))
        try:
            gate, again = (
                Gate.from_schema(copy.deepcopy(made.content), dialect=made.dialect, formats="assert") for _ in range(2)
            )
        except DeclarationError:
            return
        assert compare(gate, again).changes == []


@given(st.integers(0, 10**6))
@settings(max_examples=int(os.environ.get("VERSIONS", "12")))
def test_a_typed_field_edited_breaks_senders_or_is_admitted_as_before(seed: int) -> None:
    random = Random(seed)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            parts = [any_declaration(random.randrange(10**6))[0] for _ in range(3)]
            old = Gate(make_dataclass("Kept", [("one", parts[0]), ("two", parts[1])]))
            new = Gate(make_dataclass("Kept", [("one", parts[0]), ("two", random.choice([parts[1] | None, parts[2]]))]))
            old.schema(), new.schema()
        except (DeclarationError, TypeError):
            return
        found = compare(old, new)
        check_witnesses(found, old, new)
        edges = Edges(old.shape, random)
        for instance in sound(old, INSTANCES, seed):
            for each in (instance, edges.spoiled(old.shape.root, instance)):
                if found.senders == "unharmed" and old.accepts(each):
                    assert new.accepts(each), (found.changes, each)


# The command


OLD = """
from dataclasses import dataclass
from typing import Annotated, Literal
from dutiful_gate import it
print("the module speaks")
@dataclass
class Line:
    booking: Annotated[str, it.length <= 12]
    weight_kg: Annotated[float, it > 0, it <= 26_000]
    priority: Literal["standard", "urgent"] = "standard"
"""
NEW = OLD.replace("<= 12", "<= 8").replace('"urgent"]', '"urgent", "late"]')


@pytest.fixture
def repository(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    folder = tmp_path / "office"
    (folder / "harbour_of_versions").mkdir(parents=True)
    (folder / "harbour_of_versions" / "__init__.py").touch()
    shapes = folder / "harbour_of_versions" / "shapes.py"
    shapes.write_text(OLD)
    (folder / "line.json").write_text('{"type": "object", "properties": {"crates": {"minimum": 1}}}')
    git = ["git", "-C", str(folder), "-c", "user.name=Desk", "-c", "user.email=desk@ternsound.example"]
    try:
        for words in (["init", "-q"], ["add", "."], ["commit", "-qm", "one"], ["tag", "v1"]):
            subprocess.run([*git, *words], check=True, capture_output=True)
    except FileNotFoundError:
        pytest.skip("git is not installed")
    shapes.write_text(NEW)
    (folder / "line.json").write_text('{"type": "object", "properties": {"crates": {"minimum": 2}}}')
    monkeypatch.chdir(folder)
    monkeypatch.syspath_prepend(str(folder))
    for name in [each for each in sys.modules if each.startswith("harbour_of_versions")]:
        monkeypatch.delitem(sys.modules, name)
    return folder


def run(*words: str) -> Any:
    return CliRunner().invoke(dutiful, list(words))


LINE = "harbour_of_versions.shapes:Line"


def test_revisions_are_compared_in_text_json_and_markdown(repository: Path) -> None:
    told = run("compare", f"{LINE}@v1", LINE)
    assert told.exit_code == 1, told.output
    for words in (
        "/booking  at most 8 characters, was 12",
        "what is sent: narrowing",
        "now refused {",
        "senders break: by 1",
    ):
        assert words in told.output
    assert "readers break: by 1 change" in told.output
    data = json.loads(run("compare", f"{LINE}@v1", LINE, "--format", "json", "--for", "senders").stdout)
    assert (data["senders"], data["readers"], data["answer"]) == ("broken", "broken", "broken")
    assert data["changes"][0]["now_refused"]["at"] == ["/booking"]
    review = run("compare", f"{LINE}@v1", LINE, "--format", "markdown")
    assert "| `/booking` | at most 8 characters, was 12 | narrowing, breaks senders | narrowing |" in review.output
    assert "```json" in review.output
    assert run("compare", "line.json@v1", "line.json").exit_code == 1
    assert run("compare", "line.json", "line.json@v1", "--for", "senders").exit_code == 0
    assert run("compare", LINE, LINE).exit_code == 0


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["compare", f"{LINE}@nowhere", LINE], "there is no revision 'nowhere'"),
        (["compare", f"{LINE}@--output=x", LINE], "there is no revision"),
        (["compare", "other.json@v1", "line.json"], "there is no file 'other.json'"),
        (["compare", "harbour_of_versions.none:Line@v1", LINE], "importing failed: ModuleNotFoundError"),
        (["compare", "harbour_of_versions.shapes:None_@v1", LINE], "importing failed: AttributeError"),
        (["compare", "shapes@v1", LINE], "names no declaration"),
        (["compare", "@v1", LINE], "names no version"),
        (["prove", LINE, "--against", "none.json"], "there is no document"),
        (["prove", LINE, "--against", LINE, "--stores", LINE], "one at a time"),
    ],
)
def test_a_version_that_cannot_be_loaded_is_told(repository: Path, words: list[str], says: str) -> None:
    told = run(*words)
    assert (told.exit_code, says in told.output) == (2, True), told.output


def test_outside_of_a_repository_there_are_no_revisions(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    told = run("compare", "line.json@main", "line.json")
    assert (told.exit_code, "from inside the repository" in told.output) == (2, True)


def test_a_service_is_held_against_its_consumer(repository: Path) -> None:
    agrees = run("prove", f"{LINE}@v1", "--against", f"{LINE}@v1")
    assert (agrees.exit_code, "all that is released is admitted: proved" in agrees.output) == (0, True), agrees.output
    narrower = repository / "narrow.json"
    narrower.write_text('{"required": ["booking"], "properties": {"weight_kg": {"maximum": 100}}}')
    broken = run("prove", LINE, "--against", str(narrower))
    assert broken.exit_code == 1
    assert "/weight_kg  at most 100; what comes is at most 26,000" in broken.output
    data = json.loads(run("prove", LINE, "--against", str(narrower), "--format", "json").stdout)
    assert data["found"][0]["now_refused"]["instance"]["weight_kg"] > 100
    unclear = repository / "unclear.json"
    unclear.write_text('{"not": {"required": ["booking", "nobody_releases_this"]}}')
    assert run("prove", LINE, "--against", str(unclear)).exit_code in (0, 3)


class Span(NamedTuple):
    low: int
    high: int


class Loose(TypedDict, total=False):
    a: int
    b: str


@pytest.mark.parametrize("kind", [Span, Loose, list[Crate], dict[str, Crate], tuple[int, str], int | str | None])
def test_any_type_can_be_compared(kind: Any) -> None:
    assert not compare(kind, kind)
    found = compare(kind, version())
    assert found.senders == "broken"
    assert len(payloads(version(), 2)) == 2
    assert Payloads is not None


def _version_of_kind(name: str, kind: Any) -> Any:
    return make_dataclass(name, [("code", kind), ("sort", Literal[name])])  # type: ignore[valid-type]


def _positive(value: int) -> bool:
    return value > 0


@pytest.mark.parametrize(
    ("old", "new", "answer"),
    [
        # One rule goes, and the code of another function is not what it was.
        (
            [("a", Annotated[int, holds(_even)]), ("b", Annotated[int, holds(_positive)])],
            [("a", Annotated[int, holds(_odd)]), ("b", int)],
            "broken",
        ),
        # Two options of a union have a field of one name, of which the second has other steps.
        (
            [
                (
                    "a",
                    _version_of_kind("A", Annotated[str, trimmed])
                    | _version_of_kind("B", Annotated[str, trimmed, it.length == 2]),
                )
            ],
            [
                (
                    "a",
                    _version_of_kind("A", Annotated[str, trimmed])
                    | _version_of_kind("B", Annotated[str, it.length == 2]),
                )
            ],
            "unclear",
        ),
        # What has its steps no more takes more, and may take less.
        ([("a", Annotated[str, trimmed, it.length <= 2])], [("a", Annotated[str, it.length <= 2])], "broken"),
        ([("a", Annotated[str, it.length <= 2])], [("a", Annotated[str, trimmed, it.length <= 2])], "unclear"),
    ],
)
def test_nothing_hides_behind_another_change(old: Any, new: Any, answer: str) -> None:
    assert compare(make_dataclass("Held", old), make_dataclass("Held", new)).senders in (answer, "broken")


def test_each_rule_has_an_instance_of_its_own() -> None:
    old = make_dataclass("Held", [("a", int), ("b", int)])
    new = make_dataclass("Held", [("a", Annotated[int, holds(_even)]), ("b", Annotated[int, holds(_positive)])])
    found = compare(old, new)
    assert {each.pointer: each.refused.at for each in found.changes if each.refused} == {"/a": ["/a"], "/b": ["/b"]}


def test_a_document_in_the_place_of_a_declaration_with_steps_is_narrower() -> None:
    typed = make_dataclass("Held", [("a", Annotated[str, trimmed, uppered, it.matches("[A-Z]{3}")])])
    found = compare(typed, Gate(typed).schema())
    assert found.senders == "broken"
    assert compare(Gate(typed).schema(), typed).senders == "unharmed"


def test_no_default_shows_the_secret_in_it() -> None:
    inner = make_dataclass("Inner", [("pin", Annotated[str, secret])], frozen=True)
    old, new = (make_dataclass("Held", [("inner", inner, inner(pin))]) for pin in ("samphire", "marram"))
    shown = f"{compare(old, new).as_dict()}{compare(old, new).changes}"
    assert not any(word in shown for word in ("samphire", "marram"))


LIMIT = 9


def _below_the_limit(value: int) -> bool:
    return value < LIMIT


def _asks_another(value: int) -> bool:
    return _below_the_limit(value)


def _version_of(kind: Any) -> Any:
    return make_dataclass("Held", [("held", kind)])


@pytest.mark.parametrize(
    ("old", "new"),
    [
        (list[Annotated[str, trimmed, it.length <= 3]], list[Annotated[str, it.length <= 3]]),
        (dict[str, Annotated[str, uppered, it.matches("[A-Z]+")]], dict[str, Annotated[str, it.matches("[A-Z]+")]]),
        (Annotated[Literal[1, 2], lenient], Literal[1, 2]),
        (list[Annotated[int, lenient]], list[int]),
        (tuple[Annotated[int, lenient], int], tuple[int, Annotated[int, lenient]]),  # elsewhere
        (Annotated[int, lenient], Annotated[int, byte_size]),  # otherwise
    ],
)
def test_steps_inside_of_lists_and_of_types_that_are_no_records_count(old: Any, new: Any) -> None:
    for before, after in ((old, new), (_version_of(old), _version_of(new))):
        assert compare(before, after).senders in ("broken", "unclear")
        assert compare(before, before).senders == "unharmed"


def test_what_functions_call_counts_too(monkeypatch: pytest.MonkeyPatch) -> None:
    from dutiful_gate.versions.function_marks import mark_of

    before = mark_of(_asks_another)
    assert before == mark_of(_asks_another) != mark_of(_below_the_limit)
    monkeypatch.setattr(sys.modules[__name__], "LIMIT", 10)
    assert mark_of(_asks_another) != before
    assert mark_of(len) == mark_of(len) != mark_of(sum)


class Multiple:
    def __init__(self, of: int) -> None:
        self.of = of

    def __call__(self, value: int) -> bool:
        return value % self.of == 0


class Locked(Multiple):
    def __init__(self, of: int) -> None:
        super().__init__(of)
        self.lock = Lock()


class Listed(partial):  # type: ignore[type-arg]
    """It keeps its state where no field is."""


def _is_multiple(value: int, of: int) -> bool:
    return value % of == 0


def _counted(judge: Callable[[int], bool]) -> Callable[[int], bool]:
    def counting(value: int) -> bool:
        return judge(value)

    return counting


def _within(held: Any) -> Callable[[int], bool]:
    return lambda value: value in held


@pytest.mark.parametrize(
    "made",
    [
        Multiple,
        lambda of: Multiple(of).__call__,
        lambda of: partial(_is_multiple, of=of),
        lambda of: re.compile(str(of)).fullmatch,
        lambda of: [of].__contains__,
        lambda of: _within({of: date(2026, 5, of)}),
        lambda of: _within({frozenset([of]), (of, Multiple(of))}),
        lambda of: cache(partial(_is_multiple, of=of)),
        lambda of: re.compile("a" * 300 + str(of)).fullmatch,
        lambda of: deque([of]).__contains__,
        lambda of: type("Held", (Multiple,), {"OF": [of]})(1),
        lambda of: _counted(_within((of,))),
    ],
)
def test_the_state_of_what_is_called_counts_by_value(made: Callable[[int], Any]) -> None:
    kind = str if hasattr(made(2), "__self__") and isinstance(made(2).__self__, re.Pattern) else int
    one, alike, other = (_version_of(Annotated[kind, holds(made(of))]) for of in (2, 2, 3))
    assert compare(one, alike).senders == "unharmed"
    assert compare(one, other).senders != "unharmed"


@pytest.mark.parametrize("made", [Locked, lambda of: Listed(_is_multiple, of=of)])
def test_what_cannot_be_told_is_equal_to_itself_only(made: Callable[[int], Any]) -> None:
    one, other = (_version_of(Annotated[int, holds(made(2))]) for _ in range(2))
    assert compare(one, one).senders == "unharmed"
    assert compare(one, other).senders == "unclear"


@dataclass
class Thirteen:
    number: int

    def __post_init__(self) -> None:
        if self.number == 13:
            raise ValueError("no thirteenth berth")


@dataclass
class Fourteen:
    number: int

    def __post_init__(self) -> None:
        if self.number == 14:
            raise ValueError("no fourteenth berth")


def test_what_making_a_record_does_counts() -> None:
    assert compare(Thirteen, Thirteen).senders == "unharmed"
    assert compare(Thirteen, Fourteen).senders != "unharmed"


TEXT: Any = {"type": "string"}
A_OR_B: Any = {"properties": {"a": {}, "b": {}}}


@pytest.mark.parametrize(
    ("old", "new", "instance"),
    [
        (TEXT, {"oneOf": [TEXT, {"const": "auto"}]}, "auto"),
        (TEXT, {**TEXT, "anyOf": [{"enum": ["a"]}, {"type": "null"}]}, "b"),
        ({"anyOf": [{"enum": ["a", "b"]}]}, {"anyOf": [{"enum": ["a"]}]}, "b"),
        ({"oneOf": [{"const": 4}, False]}, {"oneOf": [{"const": 3}, False]}, 4),
        ({"unevaluatedProperties": {"type": "null"}, **A_OR_B}, {"unevaluatedProperties": {"type": "null"}}, {"a": 1}),
        ({"anyOf": [A_OR_B], "unevaluatedProperties": False}, {"unevaluatedProperties": False}, {"a": 1}),
        ({"oneOf": [A_OR_B], "unevaluatedProperties": TEXT}, {"unevaluatedProperties": TEXT}, {"a": 1}),
        (
            {"anyOf": [{"properties": {"a": {}}}, {"properties": {"b": {}}}], "unevaluatedProperties": False},
            {"anyOf": [{"properties": {name: {}}, "additionalProperties": False} for name in ("a", "b")]},
            {"a": 1, "b": 1},
        ),
        (A_OR_B, {**A_OR_B, "allOf": [{"unevaluatedProperties": False}]}, {"a": 1}),
        ({"prefixItems": [{}], "unevaluatedItems": False}, {"unevaluatedItems": False}, [1]),
        ({"properties": {"a": {}}}, {"properties": {"a": {}, "b": False}}, {"b": 1}),
        (True, {"patternProperties": {"^a": {}}, "properties": {"a": False}}, {"a": 1}),
        (
            {"additionalProperties": False, "properties": {"a": {}}, "propertyNames": True},
            {"properties": {"a": {}}, "propertyNames": {"maxLength": 0}},
            {"a": 1},
        ),
        ({"properties": {"a": False}}, {"properties": {"a": False}, "required": ["a"]}, {}),
        ({"patternProperties": {"^a": False}}, {"patternProperties": {"^a": False}, "required": ["a"]}, {}),
    ],
)
def test_no_pair_is_proved_that_one_instance_contradicts(old: Any, new: Any, instance: Any) -> None:
    assert Gate.from_schema(old).accepts(instance)
    assert not Gate.from_schema(new).accepts(instance)
    assert compare(old, new, undeclared=True).senders != "unharmed"
    assert compare(new, old, undeclared=True).readers != "unharmed"


@given(st.integers(0, 10**9))
@settings(max_examples=int(os.environ.get("VERSIONS", "40")) * 3)
def test_what_is_proved_of_documents_no_instance_contradicts(seed: int) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        assert contradiction(seed)[1] == ""


# In draft-04 1.0 equals 1 and is no integer: a constant was asked in one form alone.
@pytest.mark.parametrize("seed", [1301085489, 1301014248])
def test_constants_are_asked_in_all_their_forms(seed: int) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        assert contradiction(seed)[1] == ""


def _ruled(stand_in: Any, *, judged: bool = True) -> Any:
    words = {"default_factory": stand_in} if callable(stand_in) else {"default": stand_in}
    made = make_dataclass("Span", [("low", int), ("high", int, field(**words))])
    return obeys(this.low < this.high)(made) if judged else made


def _ruled_text(kind: Any) -> Any:
    return obeys(this.low < this.high)(make_dataclass("Span", [("low", kind), ("high", kind)]))


def _fallen(kind: Any) -> Any:
    return obeys(this.low != 3)(make_dataclass("Span", [("low", kind)]))


# What a document states by more texts than the type takes: beside one of them, `str` seemed to say nothing more.
HALF_STATED: tuple[Any, ...] = (
    Annotated[int, via(str)],
    Annotated[list[int], split_on(",")],
    ZoneInfo,
    IPv4Network,
    Sealed[Literal["a"]],
    Annotated[Literal["a", "b"], secret],
)
TRIMMED_FIRST: Any = Annotated[str, trimmed, it.length >= 2]
TRIMMED_LAST: Any = Annotated[str, it.length >= 2, trimmed]


@pytest.mark.parametrize(
    ("old", "new", "senders"),
    [
        (_ruled(9), _ruled(5), "broken"),
        (_ruled(5), _ruled(9), "unclear"),
        (_ruled(5), _ruled(5), "unharmed"),
        (_ruled(5, judged=False), _ruled(9, judged=False), "unharmed"),
        (_ruled(lambda: 9), _ruled(lambda: 8), "unclear"),
        (TRIMMED_LAST, TRIMMED_FIRST, "broken"),
        (TRIMMED_FIRST, TRIMMED_LAST, "unclear"),
        (TRIMMED_FIRST, TRIMMED_FIRST, "unharmed"),
        (Gate(list[int]), Gate(list[int], limits=Limits(items=5)), "broken"),
        (Gate(list[int]), Gate(list[str], limits=Limits(items=5)), "broken"),
        (Gate(list[int]), Gate(list[int], limits=Limits(bytes=500)), "unclear"),
        (int, float, "broken"),
        (Annotated[int, it.between(0, 9)], float, "unharmed"),
        (int, int | float, "unharmed"),
        (Decimal, float | None, "broken"),
        (_ruled_text(str), _ruled_text(date), "broken"),
        (_ruled_text(date), _ruled_text(str), "unclear"),
        (_ruled_text(Annotated[str, it.length <= 30]), _ruled_text(str), "unharmed"),
        (_fallen(Annotated[int, it <= 2, otherwise(1)]), _fallen(Annotated[int, otherwise(1)]), "broken"),
        (_fallen(Annotated[int, it <= 2, otherwise(1)]), _fallen(Annotated[int, it <= 2, otherwise(1)]), "unharmed"),
        (Gate(list[int], limits=Limits(items=5)), Gate(list[int]), "unharmed"),
        (Gate(list[int]), Gate(list[int], Source.TEXT), "unclear"),
        (Gate(list[int], Source.TEXT), Gate(list[int], Source.TEXT), "unharmed"),
        *((option | str, option, "broken") for option in HALF_STATED),
        *((option | str, option | str, "unharmed") for option in HALF_STATED),
        *((option | str | None, option | None, "broken") for option in HALF_STATED),
    ],
)
def test_what_documents_do_not_say_is_proved_only_where_it_is_equal(old: Any, new: Any, senders: str) -> None:
    assert compare(old, new).senders == senders


# Whose numbers, stand-ins, limits, own functions and steps differed, and which the comparison had called proved.
@pytest.mark.parametrize("seed", [700034, 700039, 700294, *range(300, 330)])
def test_what_is_proved_of_types_no_instance_contradicts(seed: int) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        assert typed_contradiction(seed)[1] == ""


@pytest.mark.parametrize(
    "document", [{"maximum": 10**400}, {"minimum": -(10**400)}, {"const": 10**400}, {"minLength": 10**400}]
)
def test_numbers_past_a_double_are_compared_and_counted(document: Any) -> None:
    word, number = next(iter(document.items()))
    told = compare(document, {word: number + 1})
    assert told.changes
    assert all("digits" in change.words and len(change.words) < 150 for change in told.changes)


def test_each_instance_shows_its_own_change_alone() -> None:
    def made(stand_in: int, of: int) -> Any:
        fields: list[Any] = [("low", int), ("pieces", Annotated[int, holds(Multiple(of))]), ("high", int, stand_in)]
        return obeys(this.low < this.high)(make_dataclass("Span", fields))

    told = {change.words: change for change in compare(made(9, 2), made(5, 3)).changes}
    shown = told["its default was 9, now 5"].refused
    assert shown is not None
    assert shown.at == ["/low"]
    assert Gate(made(5, 3)).accepts({**shown.instance, "high": 99})
