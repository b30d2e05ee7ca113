"""A secret is shown nowhere: every kind of fault, output, log and document, over every place a secret can stand."""

# Rooms: engine, report, shape

from __future__ import annotations

import json
import logging
import pickle
import traceback
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal, NamedTuple, NotRequired, TypedDict

import pytest

from dutiful_gate import (
    DeclarationError,
    Gate,
    Refused,
    Sealed,
    Source,
    about,
    also_named,
    blank_is_none,
    bundle,
    goes_out,
    holds,
    it,
    obeys,
    obeys_document,
    otherwise,
    rest,
    secret,
    split_on,
    tagged_by,
    then,
    this,
    trimmed,
    via,
    when,
)

WORD = "hunter2-Tresor"


def quoting(value: Any) -> Any:
    raise ValueError(f"{value} will not do")


def failing(value: Any) -> Any:
    raise KeyError(f"{value} is not there")


Hidden = Annotated[str, secret]


@dataclass
class Login:
    name: str
    password: Annotated[str, secret, it.length <= 40]


@dataclass
class Checked:
    password: Hidden
    name: str = ""

    def __post_init__(self) -> None:
        quoting(self.password)


@obeys(lambda record: quoting(record.password))
@dataclass
class Obeying:
    password: Hidden


@obeys(this.password != WORD, when(this.password == WORD).needs("name"))
@dataclass
class Comparing:
    password: Hidden
    name: str | None = None


@obeys(obeys_document({"properties": {"password": {"const": "x", "maxLength": 2}}}))
@dataclass
class Documented:
    password: Hidden


@dataclass
class Gathering:
    name: str
    more: Annotated[dict[str, int], rest, secret] = field(default_factory=dict)


class Pair(NamedTuple):
    name: str
    password: Hidden


class Keys(TypedDict):
    password: NotRequired[Hidden]


@dataclass
class Outer:
    inner: Annotated[Login, secret]


@dataclass
class Nested:
    logins: list[Login]
    by_name: dict[str, Login] = field(default_factory=dict)
    other: Login | Pair | None = None


@dataclass
class Default:
    login: Login = field(default_factory=lambda: Login("desk", WORD))
    password: Hidden = WORD
    choice: Annotated[str, secret, it.one_of(WORD, "b")] = "b"
    barred: Annotated[str, secret, it != WORD] = "b"
    part: Annotated[str, secret, it.contains(WORD)] = WORD
    start: Annotated[str, secret, it.starts_with(WORD)] = WORD
    instead: Annotated[str, secret, otherwise(WORD)] = "b"
    shown: Annotated[str, secret, about(examples=[WORD])] = "b"
    literal: Annotated[Literal["hunter2-Tresor", "b"], secret] = "b"
    read: Annotated[int, via(str, secret), also_named("lies")] = 1
    fitting: Annotated[str, secret, obeys_document({"enum": [WORD, "b"]})] = "b"


@dataclass
class TagOne:
    kind: Annotated[Literal["hunter2-Tresor-1"], secret]


@dataclass
class TagTwo:
    kind: Annotated[Literal["hunter2-Tresor-2"], secret]


@dataclass
class Stack:
    password: Hidden
    above: Stack | list[Login] | None = None


@dataclass
class Computing:
    password: Hidden
    how: Literal["wrong", "refused", "failing", "unlisted"] = "wrong"

    @goes_out
    @property
    def seen(self) -> int:
        if self.how == "wrong":
            return self.password  # type: ignore[return-value]
        return int(quoting(self.password) if self.how == "refused" else failing(self.password))


Itself = Annotated[str, secret] | list["Itself"]
Keeping = dict[str, "Keeping"] | Login | None


PLACES: list[Any] = [
    Hidden, Annotated[str, secret, then(int)], Annotated[str, secret, holds(quoting)], Annotated[str, secret, it.matches("[a-z]+")],
    Annotated[str, secret, it.length < 3, it.one_of("a", "b")], Annotated[Literal["a", "b"], secret], Annotated[int, secret],
    Annotated[int, via(str, secret)], Annotated[int, via(str, it.length < 3), secret], Annotated[list[int], split_on(","), secret],
    Annotated[set[str], secret], list[Hidden], tuple[int, Hidden], dict[Hidden, int], dict[str, Hidden], Hidden | None, Hidden | int,
    Annotated[str, secret, obeys_document({"const": "x"})], Annotated[Login, obeys_document({"properties": {"password": {"const": "x"}}})],
    Annotated[dict[str, int], secret], Annotated[Any, secret, it > 3], Annotated[list[Any], secret, it.distinct.by(quoting)],
    Login, Checked, Obeying, Comparing, Documented, Gathering, Pair, Keys, Outer, Nested, Default, TagOne | TagTwo, Login | int,
    Login | list[int], list[Login], dict[str, Login], tuple[Login, int], Stack, list[Login] | dict[str, Login],
    Annotated[Login | Pair, tagged_by("type", beside="data", options={"login": Login, "pair": Pair})], Itself, Keeping, list["Keeping"],
    Computing, list[Computing], Computing | int,
]  # fmt: skip

DATA: list[Any] = [
    WORD, [WORD], [WORD, WORD], [[WORD]], {WORD: WORD}, {"password": WORD}, {"name": 1, "password": WORD}, {"name": WORD, "password": 1},
    {"name": "a", "password": WORD * 9}, [{"name": 1, "password": WORD}], [3, WORD], {"inner": {"name": 1, "password": WORD, WORD: 1}},
    {"inner": WORD}, {"inner": [WORD]}, {"logins": [{"name": 1, "password": WORD}, WORD], "by_name": {"x": WORD}, "other": WORD},
    {"logins": WORD}, {"logins": {"password": WORD}}, {"kind": WORD}, {"name": "a", WORD: WORD}, {"name": 1, WORD: 1}, WORD.encode(),
    json.dumps({"name": "a", "password": WORD}), json.dumps([WORD]), {"x": {"name": 3, "password": WORD}},
    {"type": "login", "data": {"name": 1, "password": WORD}}, {"type": "login", "data": WORD}, {"type": WORD, "data": 1},
    {"password": WORD, "above": {"password": WORD, "above": [WORD]}}, {"password": {"a": WORD}}, {"password": [WORD]},
    dict.fromkeys(("login", "choice", "literal", "read", "lies", "fitting", "part", "start"), WORD) | {"barred": WORD, "instead": 3},
    {"login": {"password": WORD}, "read": WORD},
]  # fmt: skip


def outputs(verdict: Any) -> Iterator[object]:
    for fault in (*verdict.faults, *verdict.fallbacks):
        yield from (
            fault.path,
            fault.pointer,
            fault.message,
            fault.given,
            fault.expected,
            fault.place,
            str(fault),
            repr(fault),
        )
        yield fault.as_dict()
        yield pickle.dumps(fault)
    yield verdict.entered()
    yield verdict.by_field()
    yield repr(verdict)
    if not verdict:
        yield verdict.problem()
        yield pickle.dumps(verdict)
        yield str(Refused(verdict))


def entering(gate: Gate[Any], data: Any) -> list[object]:
    told: list[object] = []
    raw = json.dumps(data, default=str)
    asks: list[Callable[[], Any]] = [
        lambda: gate.examine(data),
        lambda: list(gate.examine_each(data)),
        lambda: gate.accepts(data),
        lambda: gate.admit(data),
    ]
    if gate.reads is Source.JSON:
        asks += [
            lambda: gate.examine_json(raw),
            lambda: gate.examine_json(raw[:-1]),
            lambda: gate.examine_json(raw + "]"),
        ]
        asks += [lambda: gate.examine_json(f"[NaN, {raw}]"), lambda: gate.admit_json(raw)]
    for ask in asks:
        try:
            answer = ask()
        except Refused as refused:
            told += [str(refused), refused.__context__, refused.__cause__, *outputs(refused.verdict)]
        except Exception as error:
            told += [repr(error), str(error), error.__context__, error.__cause__]
        else:
            for verdict in answer if isinstance(answer, list) else [answer]:
                if hasattr(verdict, "faults"):
                    told += outputs(verdict)
    return told


def stands_openly(declared: Any, data: Any) -> bool:
    """Whether the word stands where nothing secret is declared: in a plain field, an unknown key, a plain item."""
    if isinstance(data, dict):
        secret_keys = declared in (dict[Hidden, int], Annotated[dict[str, int], secret], dict[str, Hidden])
        inside = "inner" in data and declared is not Outer
        return inside or WORD in (data.get("name"), data.get("type")) or (WORD in data and not secret_keys)
    return bool(declared == tuple[Login, int])


@pytest.mark.parametrize("declared", PLACES, ids=range(len(PLACES)))
@pytest.mark.parametrize("source", Source)
def test_no_fault_or_output_shows_it(declared: Any, source: Source, caplog: pytest.LogCaptureFixture) -> None:
    caplog.set_level(logging.DEBUG)
    for unknown in ("drop", "refuse"):
        gate: Gate[Any] = Gate(declared, source, unknown=unknown)  # type: ignore[arg-type]
        for data in DATA:
            if not stands_openly(declared, data):
                shown = [each for each in entering(gate, data) if WORD[:8] in str(each)]
                assert not shown, (data, shown[:2])
    assert WORD not in caplog.text


@pytest.mark.parametrize("declared", PLACES, ids=range(len(PLACES)))
def test_no_document_shows_it(declared: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    for dialect in ("2020-12", "draft-07", "openapi-3.1", "openapi-3.0"):
        for of in ("send", "release"):
            document = gate.schema(dialect=dialect, of=of)  # type: ignore[arg-type]
            whole = json.dumps(bundle({"login": gate}, of=of, dialect=dialect))  # type: ignore[arg-type]
            assert WORD[:8] not in json.dumps(document) + repr(document.unstated) + whole + gate.source


OWN: list[Any] = [
    Annotated[str, secret, then(failing)], Annotated[str, secret, holds(failing)], Annotated[str, secret, holds(failing)] | int,
    list[Annotated[str, secret, then(failing)] | int], Annotated[Login, holds(failing)], Annotated[list[Login], it.distinct.by(failing)],
]  # fmt: skip


@pytest.mark.parametrize("declared", OWN, ids=range(len(OWN)))
def test_what_own_functions_raise_is_withheld_where_a_secret_is_at_hand(declared: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    login = {"name": "a", "password": WORD}
    data = next(each for each in (WORD, [WORD], login, [login, login]) if _raises(gate, each))
    for ask in (gate.admit, gate.examine, gate.accepts):
        with pytest.raises(RuntimeError, match=r"failing raised KeyError for .*, which is secret") as caught:
            ask(data)
        assert caught.value.__context__ is None
        assert caught.value.__cause__ is None
        assert WORD not in "".join(traceback.format_exception(caught.value))


def _raises(gate: Gate[Any], data: Any) -> bool:
    try:
        gate.examine(data)
    except RuntimeError:
        return True
    return False


def test_typed_values_hide_it_too() -> None:
    broken = Login(3, WORD)  # type: ignore[arg-type]
    for gate in (Gate(Login, Source.NATIVE), Gate(list[Login], Source.NATIVE), Gate(int | Login, Source.NATIVE)):
        for data in (broken, [broken], {"name": broken, "password": broken}, (broken, WORD)):
            assert not [each for each in entering(gate, data) if WORD in str(each)]
    with pytest.raises(Refused) as caught:
        Gate(Login).release(broken)
    assert WORD not in str(caught.value) + str(list(outputs(caught.value.verdict)))
    assert caught.value.__context__ is None
    assert Gate(Login).release(Login("a", WORD)) == {"name": "a"}
    assert Gate(Outer).release(Outer(Login("a", WORD))) == {}


MADE: list[Any] = [
    WORD, [WORD], {WORD}, {WORD: 1}, {WORD: WORD}, {"a": WORD}, (1, WORD), (WORD, WORD), [[WORD, 3]], {"a": {"a": WORD}}, WORD.encode(), object(),
    Login(3, WORD), Login("a", 3), Login(WORD, ["a"]), Obeying(WORD), Comparing(WORD), Documented(WORD), Gathering("a", {WORD: "x"}),  # type: ignore[arg-type]
    Gathering(3, {"name": WORD}), Pair(1, WORD), Pair("a", [WORD]), {"password": 3, WORD: 1}, {"password": [WORD]}, Outer(Login(1, WORD)),  # type: ignore[arg-type,dict-item]
    Outer(WORD), Nested([Login(1, WORD), WORD]), Nested([], {"a": WORD}, WORD), Default(Login(1, WORD), 3), Default(read=WORD), TagOne(WORD), TagTwo(WORD),  # type: ignore[arg-type,list-item,dict-item]
    Stack(WORD, [WORD]), Stack(3, Stack(WORD, Login(1, WORD))), Computing(WORD), Computing(WORD, "refused"), Computing(WORD, "failing"),  # type: ignore[list-item,arg-type]
    Login("a", f"{WORD}\ud800"), Login(float("nan"), WORD),  # type: ignore[arg-type]
]  # fmt: skip


@pytest.mark.parametrize("declared", PLACES, ids=range(len(PLACES)))
def test_no_way_out_tells_it(declared: Any) -> None:
    gate: Gate[Any] = Gate(declared)
    ways = [gate.release, gate.release_json, gate.release_cbor, gate.release_admitted, gate.release_admitted_json]
    inner = [made for made in MADE if not isinstance(made, dict) or WORD not in made]
    for made in (*MADE, *([each] for each in inner), *({"a": each} for each in inner), *((1, each) for each in inner)):
        for way in ways if not stands_openly(declared, made) else ():
            try:
                way(made)
            except Refused as refused:
                told = [str(refused), refused.__context__, refused.__cause__, *outputs(refused.verdict)]
            except Exception as error:
                told = [repr(error), str(error), error.__context__, error.__cause__]
            else:
                continue
            assert not [each for each in told if WORD[:8] in str(each)], (made, way)


BROKEN: list[Callable[[], Any]] = [
    lambda: Gate(Annotated[int, secret, it.one_of(WORD)]),
    lambda: Gate(Annotated[int, secret, it == WORD]),
    lambda: Gate(Annotated[str, secret, it > WORD]),
    lambda: Gate(Annotated[int, secret, about(examples=[WORD])]),
    lambda: Gate(_declared(Annotated[str, secret, it.length < 3], WORD)),
    lambda: Gate(_declared(Annotated[str, secret, trimmed], f" {WORD}")),
    lambda: Gate(_declared(Login, Login(WORD * 9, WORD * 9))),
]


def _declared(kind: Any, default: Any) -> Any:
    @dataclass
    class Held:
        held: kind = field(default_factory=lambda: default)

    return Held


@pytest.mark.parametrize("build", BROKEN)
def test_no_declaration_error_shows_it(build: Callable[[], Any]) -> None:
    with pytest.raises(DeclarationError) as caught:
        build()
    error = caught.value
    assert WORD not in f"{error}{error!r}{error.__context__}{error.__cause__}"


@pytest.mark.parametrize("way", ["release", "release_json", "release_admitted", "release_admitted_json"])
@pytest.mark.parametrize("kind", [ValueError, KeyError])
def test_a_property_that_goes_out_quotes_no_secret(way: str, kind: type[Exception]) -> None:
    @dataclass
    class Keeper:
        pin: Annotated[str, secret]

        @property
        @goes_out
        def hint(self) -> str:
            raise kind(self.pin)

    with pytest.raises((Refused, ValueError, RuntimeError)) as raised:
        getattr(Gate(Keeper), way)(Keeper("hunter2hunter2"))
    error = raised.value
    assert "hunter2" not in f"{error} {error.args} {error.__context__} {error.__cause__}"
    if kind is KeyError:
        assert (
            str(error) == "the property hint raised KeyError for Keeper.hint, which is secret: its words are withheld"
        )


@pytest.mark.parametrize("way", ["release", "release_json"])
def test_a_property_of_the_wrong_kind_shows_no_secret(way: str) -> None:
    @dataclass
    class Keeper:
        pin: Annotated[str, secret]

        @property
        @goes_out
        def hint(self) -> int:
            return self.pin  # type: ignore[return-value]

    for declared, value in (
        (Keeper, Keeper("hunter2")),
        (list[Keeper], [Keeper("hunter2")]),
        (int | Keeper, Keeper("hunter2")),
    ):
        with pytest.raises(Refused) as raised:
            getattr(Gate[Any](declared), way)(value)
        assert (
            "hunter2"
            not in f"{raised.value} {raised.value.faults} {[fault.as_dict() for fault in raised.value.faults]}"
        )


def test_what_an_optional_field_seals_is_not_null() -> None:
    """It would be read as no value again, and rules on its presence would judge otherwise."""
    for declared in (Sealed[Any] | None, Sealed[int | None] | None):
        gate: Gate[Any] = Gate(declared)
        with pytest.raises(Refused):
            gate.release(Sealed(None))
        assert [gate.release(gate.admit(each), secrets=True) for each in (None, 3)] == [None, 3]
    assert Gate(Sealed[int | None]).release(Sealed(None), secrets=True) is None
    blank = Gate(Sealed[Annotated[str | None, blank_is_none]] | None)
    assert blank.release(blank.admit(""), secrets=True) is None, "what was admitted goes out"
