"""Python that this package writes for people: whatever words go in, it is Python, runs nothing and says what was meant."""

# Rooms: codegen, document/declaring, storage

from __future__ import annotations

import ast
import sys
import types
from collections.abc import Iterator
from random import Random
from typing import Any

import pytest

from any_declaration import loaded
from dutiful_gate import DeclarationError, Gate, declarations_of
from dutiful_gate.codegen.layout import docstring
from dutiful_gate.codegen.module_check import Unwritable, checked
from dutiful_gate.codegen.writer import Writer
from hostile_words import WORDS, any_document, any_word

COMING_BACK = "refers to itself without taking a step"


@pytest.mark.filterwarnings("ignore::dutiful_gate.warnings.IdleKeyword")
@pytest.mark.parametrize("first", range(0, 400, 50))
def test_documents_of_hostile_words_are_modules_that_judge_alike(first: int) -> None:
    endless, others = 0, []
    for seed in range(first, first + 50):
        document = any_document(seed)
        try:
            source = declarations_of(document)
        except DeclarationError as refused:
            endless += COMING_BACK in str(refused)
            others.append((seed, str(refused)))
            continue
        gate = loaded(source)
        judge = Gate.from_schema(document, formats="assert")
        random = Random(seed)
        for _ in range(20):
            data = {any_word(random): random.choice([1, any_word(random), {}, None]) for _ in range(3)}
            for each in (data, list(data), next(iter(data))):
                assert gate.accepts(each) == judge.accepts(each), (seed, each)
        known = set(_texts(document))
        own = {" ".join(text.split()) for text in _texts(gate.schema(), words=("description",))}
        assert own <= {" ".join(text.split()) for text in known}, seed
    assert endless == len(others), others


def _texts(held: Any, words: tuple[str, ...] = ("title", "description")) -> Iterator[str]:
    if isinstance(held, dict):
        yield from (text for word, text in held.items() if word in words and isinstance(text, str))
    for each in held.values() if isinstance(held, dict) else held if isinstance(held, list) else ():
        yield from _texts(each, words)


@pytest.mark.parametrize("indent", ["", "    "])
def test_a_docstring_says_its_text_whatever_is_in_it(indent: str) -> None:
    for seed in range(2000):
        random = Random(seed)
        text = random.choice([" ", "\n", ""]).join(any_word(random) for _ in range(random.randint(1, 12)))
        (said,) = ast.parse(f"class X:\n{docstring(text, indent or ' ')}").body[0].body  # type: ignore[attr-defined]
        assert said.value.value.split() == text.split()


@pytest.mark.parametrize(
    ("source", "told"),
    [
        ("import os\n\nos = 3\n", "two things would have the name os"),
        ("from a import x\nfrom b import x\n", "two things would have the name x"),
        ("class Any:\n    x: Nothing\n", "nothing would have the name Nothing"),
        ("print(1)\n", "a statement that nobody meant would stand in line 1"),
        ("class A:\n    x: int\n    print(1)\n", "a statement that nobody meant would stand in A"),
        ("class A:\n    int: int\n", "a field of A would hide int"),
        ("class A:\n    x: int\n    x: str\n", "A would have two fields of one name"),
        ('x = "\\ud800"\n', "lone surrogate"),
        ("x = (\n", "it would be no Python"),
    ],
)
def test_a_module_that_is_not_what_was_meant_does_not_leave(source: str, told: str) -> None:
    with pytest.raises(Unwritable, match=told):
        checked(source)


def test_no_name_is_made_twice_in_generated_code() -> None:
    writer = Writer()
    words = [*WORDS, "x", "x_2", "x_2_2", "2_x"]
    names = [make(word) for word in words for make in (writer.field_variable, writer.variable) for _ in range(3)]
    names += [writer.bind(object(), word) for word in [*words, *names] for _ in range(3)]
    names += [writer.claimed(f"sound_{number}") for number in range(3)]
    assert len(set(names)) == len(names)
    with pytest.raises(ValueError, match="already has something of the name sound_1"):
        writer.claimed("sound_1")
    with pytest.raises(ValueError, match="already has"):
        writer.claimed(names[-4])
    assert writer.bind(object(), "sound_1") == "sound_1_2"


def test_records_of_tables_import_what_was_meant(monkeypatch: pytest.MonkeyPatch) -> None:
    sqlalchemy = pytest.importorskip("sqlalchemy")
    from dutiful_gate.storage.written import written_records

    def module(name: str, source: str, **known: Any) -> types.ModuleType:
        made = types.ModuleType(name)
        monkeypatch.setitem(sys.modules, name, made)
        vars(made).update(known)
        exec(source, made.__dict__)
        return made

    enums = "import enum\n" + "".join(
        f"class {name}(enum.Enum):\n    A = {name!r}\n" for name in ("Status", "TypedDict", "it", "ShipCreate")
    )
    one = module("harbour_one", f"{enums}Odd = enum.Enum('Odd', {{'a b': 1, 'class': 2}}, module=__name__)")
    two = module("harbour_two", "import enum\nclass Status(enum.Enum):\n    NEW = 'new'\n")
    models = """
from datetime import date
from sqlalchemy import Column, Integer, String, Table
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
class Base(DeclarativeBase): pass
class Ship(Base):
    '''Ends in a quote"'''
    __tablename__ = "ship"
    id: Mapped[int] = mapped_column(primary_key=True)
    one: Mapped[harbour.Status]
    two: Mapped[quay.Status] = mapped_column(default=quay.Status.NEW)
    three: Mapped[harbour.TypedDict]
    four: Mapped[harbour.it] = mapped_column(default=harbour.it.A)
    five: Mapped[harbour.ShipCreate]
    odd: Mapped[harbour.Odd] = mapped_column(default=harbour.Odd["a b"])
    date: Mapped[date]
    words: Mapped[str] = mapped_column(default=WORDS)
class Berth(Base):
    __table__ = Table("berth", Base.metadata, Column("id", Integer, primary_key=True), Column("class", String(4)),
                      Column("a b", String(50), default=WORDS[:9]), Column("def", Integer))
"""
    words = "\n".join(WORDS)
    made = module("harbour_models", models, harbour=one, quay=two, WORDS=words)
    written = written_records([made.Ship, made.Berth])
    assert written.left == ()
    read = module("harbour_records", written.text)
    hints = read.ShipCreate.__annotations__
    admitted = Gate(read.ShipCreate).admit(
        {"one": "Status", "three": "TypedDict", "five": "ShipCreate", "date": "2026-05-04"}
    )
    assert admitted["one"] is one.Status.A
    assert (admitted["two"], admitted["four"], admitted["odd"]) == (two.Status.NEW, one.it.A, one.Odd["a b"])
    assert (admitted["words"], read.ShipCreate.__doc__) == (words, 'Ends in a quote"')
    assert list(hints)[-2:] == ["date", "words"]
    assert Gate(read.BerthCreate).admit({"class": "roro"}) == {"class": "roro", "a b": words[:9], "def": None}
    assert sqlalchemy is not None
