"""Storage models as declared types: the rules of a table stand once, and what a gate admits, the table holds."""

# Rooms: storage, cli

from __future__ import annotations

import enum
import subprocess
import sys
from dataclasses import make_dataclass
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from types import ModuleType
from typing import Annotated, Any

import pytest
from click.testing import CliRunner

sqlalchemy = pytest.importorskip("sqlalchemy")

from sqlalchemy import (  # noqa: E402
    JSON,
    BigInteger,
    CheckConstraint,
    Column,
    Computed,
    DateTime,
    Enum,
    ForeignKey,
    Integer,
    LargeBinary,
    MetaData,
    Numeric,
    SmallInteger,
    String,
    Table,
    create_engine,
    func,
    text,
)  # fmt: skip
from sqlalchemy.orm import DeclarativeBase, Mapped, Session, mapped_column, registry, relationship  # noqa: E402

from dutiful_gate import DeclarationError, Gate, Source, about, it, obeys, this, trimmed, uppered  # noqa: E402
from dutiful_gate.cli.app import dutiful  # noqa: E402
from dutiful_gate.storage import Checks, record_of  # noqa: E402
from dutiful_gate.storage.written import written_records  # noqa: E402


class Base(DeclarativeBase):
    pass


class Deck(enum.Enum):
    CAR = "car"
    FREIGHT = "freight"


class Ship(Base):
    """A ship of Tern Sound Ferries."""

    __tablename__ = "ships"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[Annotated[str, trimmed, it.length >= 3, about(text="Painted on the bow.")]] = mapped_column(String(20))
    sailings: Mapped[list[Sailing]] = relationship(back_populates="ship", order_by="Sailing.id")


@obeys(this.arrives > this.departs)
class Sailing(Base):
    __tablename__ = "sailings"
    id: Mapped[int] = mapped_column(primary_key=True)
    ship_id: Mapped[int] = mapped_column(ForeignKey("ships.id"))
    port: Mapped[Annotated[str, uppered, it.matches("[A-Z]{3}")]]
    fee: Mapped[Decimal] = mapped_column(Numeric(8, 2))
    deck: Mapped[Deck]
    state: Mapped[str] = mapped_column(Enum("open", "full", name="state"), default="open")
    on: Mapped[date]
    departs: Mapped[int] = mapped_column(SmallInteger)
    arrives: Mapped[int]
    berths: Mapped[int] = mapped_column(default=lambda: 7)
    made: Mapped[datetime] = mapped_column(DateTime, server_default=text("CURRENT_TIMESTAMP"))
    doubled: Mapped[int] = mapped_column(Computed("departs * 2"))
    extra: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    ship: Mapped[Ship] = relationship(back_populates="sailings")
    __table_args__ = (
        CheckConstraint("berths > 0 AND (berths <= 40)"),
        CheckConstraint("length(port) = 3"),
        CheckConstraint("abs(departs) >= 0"),
    )


SOUND = {"port": "qlp", "fee": 12.5, "deck": "car", "on": "2026-05-04", "departs": 5, "arrives": 9}


_engines: list[Any] = []


def in_memory() -> Any:
    """SQLite in memory, let go of when its test is done."""
    _engines.append(create_engine("sqlite://"))
    return _engines[-1]


@pytest.fixture(autouse=True)
def _let_go() -> Any:
    yield
    while _engines:
        _engines.pop().dispose()


def faults(gate: Gate[Any], data: object) -> list[str]:
    return [f"{fault.pointer}:{fault.code}" for fault in gate.examine(data).faults]


def test_a_mapped_class_is_a_declared_type() -> None:
    gate = Gate(Ship)
    ship = gate.admit({"name": "  Tern "})
    assert (type(ship), ship.name) == (Ship, "Tern")
    assert faults(gate, {"name": " x "}) == ["/name:length"]
    assert faults(gate, {"name": "x" * 21}) == ["/name:length"]
    said = gate.schema()["$defs"]["Ship"]["properties"]["name"]
    assert (said["minLength"], said["maxLength"], said["description"]) == (3, 20, "Painted on the bow.")
    sailings = Gate(list[Sailing])  # type: ignore[valid-type]
    assert len(sailings.admit([{**SOUND, "ship_id": 1}])) == 1


def test_columns_make_rules_and_defaults() -> None:
    gate = Gate(record_of(Sailing))
    made = gate.admit({**SOUND, "ship_id": 1})
    assert (made.port, made.fee, made.deck, made.state, made.extra) == ("QLP", Decimal("12.5"), Deck.CAR, "open", None)
    assert "berths" not in vars(made), "the session makes it"
    assert faults(gate, {}) == [
        f"/{name}:absent" for name in ("ship_id", "port", "fee", "deck", "on", "departs", "arrives")
    ]
    wrong = {
        "ship_id": 2**31,
        "port": "quil",
        "fee": 1e6,
        "deck": "x",
        "on": "2026-02-30",
        "departs": 40_000,
        "arrives": 1,
        "berths": 41,
        "state": "x",
        "made": "2026-05-04T09:00:00Z",
        "extra": 3,
    }
    told = {each.partition(":")[0] for each in faults(gate, wrong)}
    assert told == {f"/{name}" for name in wrong if name != "arrives"}
    assert faults(gate, {**SOUND, "ship_id": 1, "fee": 1.555}) == ["/fee:step"]
    assert faults(gate, {**SOUND, "ship_id": 1, "arrives": 5}) == ["/arrives:agreement"]
    assert faults(gate, {**SOUND, "ship_id": 1, "doubled": 3, "id": 3}) == [], (
        "what the database makes is not asked for"
    )
    assert "doubled" not in vars(gate.admit({**SOUND, "ship_id": 1, "doubled": 3}))
    assert Checks(Sailing.__table__).unread == ["abs(departs) >= 0"]  # type: ignore[arg-type]


def test_rows_are_created_changed_and_shown() -> None:
    engine = in_memory()
    Base.metadata.create_all(engine)
    create, change = Gate(record_of(Ship, "create", nest="sailings")), Gate(record_of(Sailing, "change"))
    show = Gate(record_of(Ship, "show", nest=["sailings"]))
    assert faults(create, {"name": "Tern", "sailings": [{**SOUND, "port": 3}]}) == ["/sailings/0/port:kind"]
    with Session(engine) as session:
        ship = create.admit({"name": "Tern", "sailings": [SOUND, {**SOUND, "berths": 3}]})
        session.add(ship)
        session.commit()
        sent = change.admit({"fee": 20, "extra": None})
        assert sent == {"fee": Decimal(20), "extra": None}
        for name, value in sent.items():
            setattr(ship.sailings[0], name, value)
        session.commit()
        out = show.release(ship)
    assert (out["id"], out["name"], len(out["sailings"])) == (1, "Tern", 2)
    first, second = out["sailings"]
    assert (first["fee"], first["berths"], first["doubled"], first["ship_id"]) == (20.0, 7, 10, 1)
    assert second["berths"] == 3
    assert faults(change, {}) == [":absent"]
    assert faults(change, {"id": 3}) == [":absent"], "a key is not changed"
    assert faults(change, {"berths": 0}) == ["/berths:floor"]


KINDS: list[tuple[Any, Any, list[Any], list[Any]]] = [
    (String(3), None, ["", "abc"], ["abcd", None, 3]),
    (Integer, None, [2**31 - 1, -(2**31)], [2**31, 1.5]),
    (BigInteger, None, [2**63 - 1], [2**63]),
    (SmallInteger, None, [2**15 - 1], [2**15]),
    (Numeric(4, 1), None, [999.9, -999.9, 0], [1000, 0.55]),
    (Numeric(4, 1, asdecimal=False), float, [999.9, 0.55], [1000]),
    (Numeric, None, [10**30], ["x"]),
    (sqlalchemy.Float, None, [1.5, 10**10], ["x"]),
    (sqlalchemy.Boolean, None, [True], [1]),
    (sqlalchemy.Date, None, ["2026-05-04"], ["2026-05-04T00:00:00"]),
    (sqlalchemy.Time, None, ["03:04:00"], ["3"]),
    (sqlalchemy.Interval, None, ["P3D"], [3]),
    (DateTime, None, ["2026-05-04T09:00:00"], ["2026-05-04T09:00:00Z"]),
    (DateTime(timezone=True), None, ["2026-05-04T09:00:00Z"], ["2026-05-04T09:00:00"]),
    (sqlalchemy.Uuid, None, ["5a3c1f0e-0000-4000-8000-000000000000"], ["x"]),
    (LargeBinary(2), None, ["AAA="], ["AAAAAAA="]),
    (Enum(Deck), None, ["car"], ["CAR"]),
    (Enum("a", "b"), None, ["a"], ["c"]),
    (JSON, None, [[1, {"a": None}], 3], []),
    (sqlalchemy.ARRAY(String(2)), None, [["ab"]], [["abc"], "ab"]),
]


@pytest.mark.parametrize("row", KINDS, ids=[str(row[0]) for row in KINDS])
def test_each_sql_type_is_a_python_type_with_its_rules(row: tuple[Any, Any, list[Any], list[Any]]) -> None:
    kind, _, sound, unsound = row
    table = Table("t", MetaData(), Column("id", Integer, primary_key=True), Column("held", kind, nullable=False))
    mapped = type("Mapped", (), {})
    registry().map_imperatively(mapped, table)
    gate = Gate(record_of(mapped))
    for value in sound:
        assert faults(gate, {"held": value}) == []
    for value in unsound:
        assert faults(gate, {"held": value}) != []
    assert isinstance(gate.admit({"held": sound[0]}), mapped)


CHECKS: list[tuple[str, list[int], list[int]]] = [
    ("n > 0", [1], [0]), ("0 < n", [1], [0]), ("n BETWEEN 2 AND 4", [2, 4], [1, 5]), ("n in (1, 3)", [1, 3], [2]),
    ("n <> 4", [3], [4]), ("(n >= -2) and n != 7", [-2], [-3, 7]), ("t.n = 4", [4], [5]), ('"n" <= 4', [4], [5]),
    ("n IS NOT NULL AND n > 1", [2], [1]), ("N < 4", [3], [4]),
]  # fmt: skip


@pytest.mark.parametrize(("words", "sound", "unsound"), CHECKS, ids=[row[0] for row in CHECKS])
def test_plain_check_constraints_are_rules(words: str, sound: list[int], unsound: list[int]) -> None:
    table = Table("t", MetaData(), Column("id", Integer, primary_key=True), Column("n", Integer), Column("w", String), CheckConstraint(words))  # fmt: skip
    mapped = type("Mapped", (), {})
    registry().map_imperatively(mapped, table)
    gate = Gate(record_of(mapped))
    assert [faults(gate, {"n": value}) for value in sound] == [[]] * len(sound)
    assert all(faults(gate, {"n": value}) for value in unsound)
    assert faults(gate, {"n": None}) == [], "null satisfies every check"
    assert Checks(table).unread == []
    # SQLite judges the same
    engine = in_memory()
    table.metadata.create_all(engine)
    for value, holds in [(each, True) for each in sound] + [(each, False) for each in unsound]:
        with engine.connect() as connection:
            try:
                connection.execute(table.insert().values(n=value))
                assert holds, (words, value)
            except sqlalchemy.exc.IntegrityError:
                assert not holds, (words, value)


@pytest.mark.parametrize(
    "words",
    [
        "abs(n) > 1",
        "n > 1 OR n < 0",
        "NOT n > 1",
        "n LIKE 'a%'",
        "n + 1 > 2",
        "n > (select 1)",
        "n >",
        "'a' = 'a'",
        "n > 'x'",
        "length(n, 2) > 1",
        "m > 1",
        "n in ()",
        ";" * 20_000,
    ],
)
def test_other_constraints_are_told_and_make_no_rule(words: str) -> None:
    table = Table(
        "t", MetaData(), Column("id", Integer, primary_key=True), Column("n", Integer), CheckConstraint(words)
    )
    checks = Checks(table)
    assert (checks.by_column, checks.together, len(checks.unread)) == ({}, [], 1)


def test_expressions_and_two_columns_are_read_as_well() -> None:
    table = Table(
        "t",
        MetaData(),
        Column("id", Integer, primary_key=True),
        Column("a", Integer),
        Column("b", Integer),
        Column("w", String),
    )
    table.append_constraint(CheckConstraint(table.c.a < table.c.b))
    table.append_constraint(CheckConstraint(table.c.a.in_([1, 2, 5])))
    table.append_constraint(CheckConstraint(func.length(table.c.w) <= 4))
    table.append_constraint(CheckConstraint(table.c.w != "it's"))
    mapped = type("Mapped", (), {})
    registry().map_imperatively(mapped, table)
    gate = Gate(record_of(mapped))
    assert Checks(table).unread == []
    assert faults(gate, {"a": 1, "b": 2, "w": "abcd"}) == []
    assert len(faults(gate, {"a": 5, "b": 2, "w": "it's"})) == 2
    assert len(faults(gate, {"a": 4, "w": "abcde"})) == 2


def test_columns_under_other_names_and_of_several_tables() -> None:
    class Other(DeclarativeBase):
        pass

    class Vessel(Other):
        __tablename__ = "vessels"
        id: Mapped[int] = mapped_column(primary_key=True)
        kind: Mapped[str] = mapped_column(String(9))
        low: Mapped[int] = mapped_column("low_col")
        high: Mapped[int] = mapped_column("high_col")
        __table_args__ = (CheckConstraint("low_col < high_col"), CheckConstraint("low_col > 0"))
        __mapper_args__ = {"polymorphic_on": "kind", "polymorphic_identity": "vessel"}  # noqa: RUF012

    class Ferry(Vessel):
        __tablename__ = "ferries"
        id: Mapped[int] = mapped_column(ForeignKey("vessels.id"), primary_key=True)
        decks: Mapped[int]
        __table_args__ = (CheckConstraint("decks <= 4"),)
        __mapper_args__ = {"polymorphic_identity": "ferry"}  # noqa: RUF012

    gate = Gate(record_of(Vessel))
    assert faults(gate, {"low": 0, "high": 1}) == ["/low:floor"]
    assert faults(gate, {"low": 5, "high": 5}) == ["/low:agreement"]
    ferry = Gate(record_of(Ferry))
    assert faults(ferry, {"low": 5, "high": 4, "decks": 5}) == ["/low:agreement", "/decks:ceiling"]
    made = ferry.admit({"low": 1, "high": 4, "decks": 2})
    assert (type(made), made.kind, made.decks) == (Ferry, "ferry", 2)
    engine = in_memory()
    Other.metadata.create_all(engine)
    with Session(engine) as session:
        session.add(made)
        session.commit()
        assert Gate(record_of(Ferry, "show")).release(made)["decks"] == 2


def test_a_rule_of_a_model_stands_once() -> None:
    from dutiful_gate.web import Form, RequestGate

    def model(*rules: Any) -> Any:
        class Other(DeclarativeBase):
            pass

        held = {"id": Mapped[int], "code": Mapped[Annotated[(str, *rules)] if rules else str]}  # type: ignore[valid-type]
        columns = {"id": mapped_column(primary_key=True), "code": mapped_column(String(9))}
        return type("Berth", (Other,), {"__tablename__": "berths", "__annotations__": held, **columns})

    for rules, wanted in (((), False), ((it.matches("[A-Z]{3}"),), True)):
        record = record_of(model(*rules))
        gate = Gate(record)
        assert ("[A-Z]{3}" in str(gate.schema())) is wanted
        assert (faults(gate, {"code": "x"}) == ["/code:pattern"]) is wanted
        assert ("[A-Z]{3}" in Form(RequestGate(make_dataclass("ByForm", [("form", record)]))).html()) is wanted
        assert ("[A-Z]{3}" in written_records([model(*rules)]).text) is wanted


def test_what_is_written_judges_as_the_model_does(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    written = written_records([Ship, Sailing])
    assert written.left == ()
    module = ModuleType("written_ferries")
    monkeypatch.setitem(sys.modules, "written_ferries", module)
    exec(written.text, vars(module))
    for model, name in ((Ship, "Ship"), (Sailing, "Sailing")):
        own, kept = Gate(record_of(model)), Gate(getattr(module, f"{name}Create"))
        for data in (
            {},
            {"name": " x"},
            {"name": "Tern"},
            {**SOUND, "ship_id": 1},
            {**SOUND, "berths": 50, "arrives": 1},
            {**SOUND, "ship_id": 1, "fee": 0.001},
        ):
            assert faults(own, data) == faults(kept, data)
        assert isinstance(model(**kept.admit({**SOUND, "ship_id": 1, "name": "Tern"})), model)
    assert Gate(module.SailingChange).admit({"fee": 1}) == {"fee": Decimal(1)}
    words = ["declare", "test_storage:Sailing", "--into", str(tmp_path / "records.py")]
    run = CliRunner().invoke
    assert run(dutiful, words).exit_code == 0
    assert run(dutiful, words).exit_code == 2
    assert run(dutiful, [*words, "--check"]).exit_code == 0
    stale = (
        (tmp_path / "records.py")
        .read_text()
        .replace("it.multiple_of(Decimal('0.01'))", "it.multiple_of(Decimal('0.1'))")
    )
    (tmp_path / "records.py").write_text(stale)
    result = run(dutiful, [*words, "--check"])
    assert (result.exit_code, "+    fee: " in result.output and "0.01" in result.output) == (1, True)
    for odd, said in (
        (["declare", "test_storage:SOUND"], "is no mapped class"),
        (["declare", "test_storage:Ship", "--check"], "needs the file"),
        (["declare", "a.json", "--check"], "is for storage models"),
        (["declare", "none.json"], "there is no document"),
    ):
        result = run(dutiful, odd)
        assert (result.exit_code, said in result.output) == (2, True), result.output


def test_what_cannot_be_a_record_is_told() -> None:
    class Other(DeclarativeBase):
        pass

    class Point(sqlalchemy.types.UserDefinedType[Any]):
        pass

    class Odd(Other):
        __tablename__ = "odd"
        id: Mapped[int] = mapped_column(primary_key=True)
        held = Column(Point())

    for model, words, said in (
        (int, {}, "is no mapped class"), (Odd, {}, "has no type in Python"), (Ship, {"nest": "ports"}, "has no relationship 'ports'"),
        (Ship, {"without": "colour"}, "has no column 'colour'"), (Ship, {"for_": "read"}, "is no use of a record"),
    ):  # fmt: skip
        with pytest.raises(DeclarationError, match=said):
            record_of(model, **words)  # type: ignore[call-overload]


def test_values_of_every_source_become_rows() -> None:
    gate = Gate(Ship, Source.TEXT)
    assert gate.admit({"name": "Tern"}).name == "Tern"
    native = Gate(record_of(Sailing), Source.NATIVE)
    sent = {
        **SOUND,
        "ship_id": 1,
        "port": "QLP",
        "fee": Decimal(1),
        "deck": Deck.CAR,
        "on": date(2026, 5, 4),
        "made": datetime(2026, 5, 4),
    }
    assert native.admit(sent).fee == 1
    row = Sailing(**sent, state="full", berths=3)
    again = native.admit(row)
    assert again is not row, "a row of a session is not copied, nor changed"
    assert (again.state, again.berths, again.fee) == ("full", 3, 1)
    assert [each for each in native.examine(Sailing(port="x")).faults if each.pointer == "/port"]


MAPPED = """
import sys
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from dutiful_gate import Gate, changed

class Base(DeclarativeBase):
    pass

class Crate(Base):
    __tablename__ = "crates"
    number: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]

assert "dutiful_gate.storage" not in sys.modules
gate = Gate(Crate)
crate = gate.admit({"name": "rope"})

assert gate.release(crate) == {"name": "rope"}
assert changed(gate, crate, name="sail").name == "sail"
"""


def test_a_mapped_class_is_read_without_an_import_beside_it() -> None:
    told = subprocess.run([sys.executable, "-c", MAPPED], capture_output=True, text=True, check=False)
    assert told.returncode == 0, told.stderr
