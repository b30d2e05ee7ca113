"""Raw JSON of every hostile kind: a fault with its place, never another exception."""

# Rooms: read, engine, gates

from __future__ import annotations

import json
import pickle
import warnings
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Annotated, Any, Literal

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from any_declaration import any_declaration
from dutiful_gate import (
    CannotSample,
    DeclarationError,
    Gate,
    Limits,
    Refused,
    Source,
    it,
    lenient,
    obeys_document,
    or_infinite,
    otherwise,
    payloads,
    rest,
    split_on,
    without_point,
)
from dutiful_gate.declare.facts import Stop
from dutiful_gate.declare.json_strings import strings_in, strings_in_text
from dutiful_gate.engine import json_out
from dutiful_gate.read import json_fast
from dutiful_gate.read.json_fast import too_deep
from dutiful_gate.read.json_places import places, places_in


@dataclass
class Reading:
    a: float
    b: str = ""


READINGS = Gate(Reading)

HOSTILE: list[tuple[bytes | str, str, str, tuple[int, int], str]] = [
    (b'{"a": 1e999}', "/a", "reading", (1, 7), "needs a finite number, as a double holds it; got infinity"),
    (b'{"a": -1e999}', "/a", "reading", (1, 7), "got minus infinity"),
    (b"[" * 100_000, "/0" * 64, "depth", (1, 65), "needs data at most 64 levels deep; got deeper data"),
    (b'{"a":' * 100_000, "/a" * 64, "depth", (1, 321), "at most 64 levels deep"),
    (b'{"a": ' + b"1" * 10_000 + b"}", "/a", "size", (1, 7), "at most 4300 digits; got one of 10,000"),
    (b'{"a": 1.' + b"1" * 10_000 + b"}", "", "", (0, 0), ""),
    (b'{"a":\n "\xff"}', "", "reading", (2, 3), "needs text in UTF-8; got the byte 0xFF"),
    (b'\xed\xa0\x80{"a": 1}', "", "reading", (1, 1), "UTF-8"),
    (b'{"a": 1, "b": "\\ud800"}', "/b", "reading", (1, 15), "needs text without lone surrogates"),
    ('{"a": 1, "b": "\ud800"}', "/b", "reading", (1, 15), "needs text without lone surrogates"),
    (b"", "", "absent", (1, 1), "needs a JSON value; none came"),
    (b" \n\t ", "", "absent", (2, 3), "needs a JSON value; none came"),
    (b"null", "", "kind", (1, 1), "needs an object; got null"),
    (b"\xef\xbb\xbf[]", "", "kind", (1, 1), "needs an object; got an array of 0 items"),
    (b'{"a": 1, "a": 2}', "/a", "repeat", (1, 10), "its key needs to come once; got it again"),
    (b'{"a": 1, "\\u0061": 2}', "/a", "repeat", (1, 10), "its key needs to come once"),
    (b'{"a": NaN}', "/a", "reading", (1, 7), "needs a number that JSON has; got NaN"),
    (b'{"a": -Infinity}', "/a", "reading", (1, 7), "got -Infinity"),
    (b'{"a": nul}', "/a", "reading", (1, 7), "needs a JSON value; got 'nul'"),
    (b'{"a" 1}', "/a", "reading", (1, 6), "needs a colon after the key; got '1'"),
    (b'{"a": 1,}', "/a", "reading", (1, 9), "needs another key after the comma; got '}'"),
    (b'{"a": [1,]}', "/a/0", "reading", (1, 10), "needs another item after the comma; got ']'"),
    (b'{"a": 1 "b": 2}', "/a", "reading", (1, 9), "needs a comma or }; got '\"'"),
    (b"{a: 1}", "", "reading", (1, 2), "needs a key in double quotes, or }; got 'a'"),
    (b"{\"a\": 'x'}", "/a", "reading", (1, 7), "needs a JSON value"),
    (b'{"a": "\x01"}', "/a", "reading", (1, 8), "needs control characters as escapes, such as \\n"),
    (b'{"a": "\\q"}', "/a", "reading", (1, 8), "needs an escape that JSON has; got '\\q'"),
    (b'{"a": "x', "/a", "reading", (1, 9), "needs a closing double quote; got the end of the text"),
    (b'{"a": 01}', "/a", "reading", (1, 7), "needs a number as JSON writes it; got '01'"),
    (b'{"a": +1}', "/a", "reading", (1, 7), "needs a JSON value"),
    (b'{"a": 1.}', "/a", "reading", (1, 8), "needs a comma or }; got '.'"),
    (b'{"a": 1} {}', "", "reading", (1, 10), "needs nothing after the JSON value; got '{'"),
    (b'{"a": 1', "/a", "reading", (1, 8), "needs a comma or }; got the end of the text"),
    (b'{"a": true}', "/a", "kind", (1, 7), "needs a number; got true"),
]


@pytest.mark.parametrize(("raw", "pointer", "code", "place", "message"), HOSTILE)
def test_hostile_text(raw: bytes | str, pointer: str, code: str, place: tuple[int, int], message: str) -> None:
    verdict = READINGS.examine_json(raw)
    if not code:
        assert verdict
        return
    fault = verdict.faults[-1] if code in ("repeat", "reading") else verdict.faults[0]
    assert fault.place is not None
    assert (fault.pointer, fault.code, (fault.place.line, fault.place.column)) == (pointer, code, place)
    assert message in fault.message
    assert not READINGS.accepts(None)


def test_faults_of_the_text_do_not_hide_those_of_the_values() -> None:
    faults = READINGS.examine_json('{"b": 1,\n "a": NaN,\n "b": 2}').faults
    assert [(fault.pointer, fault.code, str(fault.place)) for fault in faults] == [
        ("/a", "reading", "2:7"),
        ("/b", "repeat", "3:2"),
    ]
    faults = READINGS.examine_json('{"a": "x",\n "c": 1, "c": 2}').faults
    assert [(fault.pointer, fault.code) for fault in faults] == [("/a", "kind"), ("/c", "repeat")]


Code = Annotated[str, it.length <= 3]


@dataclass
class Berths:
    name: str
    depths: Annotated[dict[Code, Annotated[float, it >= 2]], rest]


OF_KEYS: list[tuple[Any, str, list[tuple[str, bool, str]]]] = [
    (
        Gate(dict[Code, Annotated[int, it >= 3]]),
        '{"north": 1, "b": 1}',
        [
            ("1:2", True, "its key needs at most 3 characters; got 5"),
            ("1:11", False, "needs a whole number"),
            ("1:19", False, "needs a whole number"),
        ],
    ),
    (
        Gate(dict[Annotated[str, (it.length <= 3).says("three letters are a berth")], list[Annotated[int, it >= 3]]]),
        '{"b": [1], "north": [4, 1]}',
        [("1:8", False, "needs"), ("1:12", True, "three letters are a berth"), ("1:25", False, "needs")],
    ),
    (
        Gate(dict[int, int]),
        '{"x": 1, " 1": 2, "2": "y", "2": 4, "02": 5, "+2": 6}',
        [
            ("1:2", True, "its key needs a whole number in ASCII digits"),
            ("1:10", True, "its key needs no blanks around it"),
            ("1:29", True, "its key needs to come once; got it again"),
            ("1:37", True, "its key needs to come once"),
            ("1:46", True, "its key needs"),
        ],
    ),
    (
        Gate(Berths),
        '{"north": 1, "name": 4, "e": 1, "south": 5}',
        [
            ("1:2", True, "its key"),
            ("1:11", False, "needs a number of at least 2"),
            ("1:22", False, "needs text"),
            ("1:30", False, "needs a number"),
            ("1:33", True, "its key needs at most 3"),
        ],
    ),
    (
        Gate(Berths, unknown="refuse"),
        '{"name": "a",\n "east": NaN}',
        [("2:2", True, "its key needs at most 3"), ("2:10", False, "needs a number that JSON has; got NaN")],
    ),
    (
        Gate.from_schema({"propertyNames": {"maxLength": 3}, "additionalProperties": {"type": "object"}}),
        '{"north": 1, "b": 1, "east": {}}',
        [
            ("1:2", True, "its key needs at most 3 characters; got 5"),
            ("1:11", False, "needs an object"),
            ("1:19", False, "needs an object"),
            ("1:22", True, "its key needs"),
        ],
    ),
    (
        Gate.from_schema({"additionalProperties": False, "propertyNames": {"maxLength": 3}, "properties": {"a": {}}}),
        '{"a": 1, "north": 1}',
        [("1:10", True, "is not a known key"), ("1:10", True, "its key needs at most 3")],
    ),
]


@pytest.mark.parametrize(("gate", "raw", "told"), OF_KEYS)
def test_a_fault_of_a_key_says_so_and_stands_at_the_key(gate: Any, raw: str, told: list[tuple[str, bool, str]]) -> None:
    faults = gate.examine_json(raw).faults
    assert [(str(fault.place), fault.of_key) for fault in faults] == [each[:2] for each in told]
    for fault, (_, _, message) in zip(faults, told, strict=True):
        assert message in fault.message
    if "NaN" not in raw and len(json.loads(raw)) == raw.count(":"):
        decoded = gate.examine(json.loads(raw)).faults
        assert [(fault.path, fault.message, fault.of_key) for fault in decoded] == [
            (fault.path, fault.message, fault.of_key) for fault in faults
        ]
        assert pickle.loads(pickle.dumps(decoded)) == decoded


def test_limits() -> None:
    small = Gate(Reading, limits=Limits(bytes=20, depth=2, digits=5))
    assert small.accepts({"a": 1})
    assert small.examine_json('{"a": 12345}')
    assert [fault.code for fault in small.examine_json('{"a": 123456}').faults] == ["size"]
    assert [fault.code for fault in small.examine_json('{"a": 1.23456}').faults] == ["size"]
    assert small.examine_json('{"a":1,"b":"[[[["}')  # brackets in a text are no depth
    assert [fault.code for fault in small.examine_json('{"a": [[[]]]}').faults] == ["depth"]
    fault = small.examine_json(b" " * 21).faults[0]
    assert (fault.code, fault.message) == ("size", "needs a text of at most 20 bytes; got 21")
    for wrong in ({"bytes": 0}, {"depth": True}, {"faults": 1.5}, {"digits": 5000}):
        with pytest.raises(DeclarationError):
            Limits(**wrong)  # type: ignore[arg-type]


DEEP = [
    '[{"y":' * 50 + "1" + "}]" * 50,
    '{"s":"]","y":' * 100 + "1" + "}" * 100,
    '{"s":"]","y":' * 100 + "1" + ',"t":"["}' * 100,
    '{"s":"\\"]","y":' * 100 + "1" + ',"t":"["}' * 100,
]


@pytest.mark.parametrize("deep", DEEP)
def test_no_text_hides_its_depth_even_where_nobody_declared_it(deep: str) -> None:
    assert [fault.code for fault in READINGS.examine_json(f'{{"a": 1, "x": {deep}}}').faults] == ["depth"]
    assert READINGS.examine_json(json.dumps({"a": 1, "x": ['[[{\\"' * 99] * 99})), "brackets in texts are no depth"


BRACKETED: st.SearchStrategy[Any] = st.recursive(
    st.text('[]{}"\\a:', max_size=4) | st.none(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text('[]{}"\\', max_size=3), inner, max_size=3),
    max_leaves=20,
)


def depth_of(data: Any) -> int:
    inner = data.values() if isinstance(data, dict) else data if isinstance(data, list) else None
    return 0 if inner is None else 1 + max(map(depth_of, inner), default=0)


@given(BRACKETED, st.integers(1, 6))
def test_depth_is_counted_exactly(data: Any, most: int) -> None:
    assert too_deep(json.dumps(data).encode(), most) == (depth_of(data) > most)


def test_what_is_no_text_is_a_mistake_of_the_program() -> None:
    with pytest.raises(TypeError, match=r"call examine\(\)"):
        READINGS.examine_json({"a": 1})  # type: ignore[arg-type]
    with pytest.raises(TypeError, match=r"Source\.JSON"):
        Gate(Reading, Source.TEXT).examine_json("{}")


PLAIN: st.SearchStrategy[Any] = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=4) | st.just("a"), inner, max_size=4),
    max_leaves=12,
)


@given(PLAIN, st.integers(0, 40), st.binary(max_size=3))
def test_no_text_makes_it_raise_and_both_readers_agree(data: Any, at: int, noise: bytes) -> None:
    raw = json.dumps(data).encode()
    for text in (raw, raw[:at] + noise + raw[at:], raw[:at] + raw[at + 1 :]):
        verdict = READINGS.examine_json(text)
        assert all(fault.place for fault in verdict.faults)
        places = [(fault.place.line, fault.place.column) for fault in verdict.faults if fault.place]
        assert places == sorted(places)
        try:
            json.loads(text.decode(), parse_constant=lambda _: 1 / 0, object_pairs_hook=_once)
        except (ValueError, ZeroDivisionError, RecursionError):
            assert not verdict


_TEXT = st.sampled_from(['"a"', '"\\u0061"', '"b"', '":"', '" :"', '"\\":"', '"{"', '"a\\n:"'])
_BLANK = st.sampled_from(["", "", " ", "\n", "\t", " \r"])
_MEMBER = st.tuples(
    _BLANK, _TEXT, _BLANK, st.just(":"), _BLANK, _TEXT | st.sampled_from(["1", "[]", "{}", '[":"]']), _BLANK
)


@given(st.lists(_MEMBER.map("".join), max_size=5))
def test_a_key_that_repeats_is_told_whatever_colons_and_blanks_are_around(members: list[str]) -> None:
    text = f"{{{','.join(members)}}}"
    try:
        expected = json.loads(text, object_pairs_hook=_once)
    except ValueError:
        expected = None
    verdict = Gate(dict[str, Any]).examine_json(text)
    assert bool(verdict) == (expected is not None)
    assert verdict.value == expected if verdict else {fault.code for fault in verdict.faults} == {"repeat"}


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    if len(dict(pairs)) != len(pairs):
        raise ValueError("a key repeats")
    return dict(pairs)


@dataclass
class Hold:
    name: str
    parts: list[Hatch]
    by_deck: dict[str, Hatch]
    spare: Hatch | None = None
    pair: tuple[int, Hatch] | None = None
    either: Hatch | list[Hatch] | None = None


@dataclass
class Hatch:
    width: Decimal
    note: str = ""


HOLD = Gate(Hold)
HATCH = '{"width": 1.50, "note": "a\\": 1, \\"b:"}'
QUICK: list[str] = [
    f'{{"name": "a", "parts": [{HATCH}, {HATCH}], "by_deck": {{"x": {HATCH}}}, "spare": {HATCH}}}',
    f'{{"name": "a:b", "parts": [], "by_deck": {{}}, "pair": [1, {HATCH}], "either": [{HATCH}]}}',
    f'{{"name" :"a","parts":[{HATCH}],"by_deck":{{"x":{HATCH},"y" : {HATCH}}},"either":{HATCH}}}',
]
BROKEN: list[tuple[str, str]] = [
    ('"parts"', '"name": "b", "parts"'), ('"name"', '"name" :1, "name"'), ('"note"', '"note":"","note"'),
    ('"width"', '"width"\n: 1, "width"'), ('"x"', '"x": {"width": 1}, "x"'), ('"note"', '"other": {"a": 1, "a": 2}, "note"'),
    ('"name"', '"more": ' + "[" * 70 + "]" * 70 + ', "name"'), ('"note"', '"deep": ' + '{"a":' * 70 + "1" + "}" * 70 + ', "note"'),
    ("1.50", "NaN"), ("1.50", "1" * 5000), ('"a', '"\\ud800'), ('"note"', '"note\\u0065": 1, "n\\u006fte": "", "note"'),
]  # fmt: skip


@pytest.mark.parametrize("text", QUICK)
def test_text_that_is_read_quickly_is_read_the_same(text: str) -> None:
    """Without a look at repeated keys and depth of its own: the number of keys tells that neither can be wrong."""
    assert HOLD.admit_json(text) == HOLD.admit_json(text.encode()) == HOLD.examine_json(text).value
    assert HOLD.admit_json(f"\ufeff {text}\n").parts == HOLD.admit_json(text).parts
    assert all(str(part.width) == "1.50" for part in HOLD.admit_json(text).parts)
    broken = [(text.replace(where, instead), instead) for where, instead in BROKEN if where in text]
    assert len(broken) > 9
    for changed, instead in broken:
        refused = HOLD.examine_json(changed)
        dropped = '"other"' in instead or '"deep"' in instead or '"more"' in instead or "65" in instead
        codes = {fault.code for fault in refused.faults}
        assert codes & {"repeat", "depth", "reading", "size"} or (dropped and refused.dropped), changed
        with pytest.raises(Refused):
            HOLD.admit_json(changed)


@dataclass
class Tide:
    level: int
    height: float = 0.0
    of: Literal[1, 2, "low"] = 1
    at: datetime | None = None


NUMBERS = st.sampled_from(
    ["0", "-0", "-0.0", "1", "3.0", "1e2", "1E400", "-1e400", "5e-324", "2e-324", "1.7976931348623159e308", "NaN", "01", "1.", "+1",
     "9223372036854775807", "9223372036854775808", "18446744073709551615", "18446744073709551616", "18446744073709551617",
     "-9223372036854775809", "123456789012345678901", "1e20", "1.0e19", "1" * 40, "1" * 400, "1" * 5000, "0." + "1" * 400, "0.1", "1e16"]
) | st.integers().map(str) | st.floats().map(repr)  # fmt: skip
STRINGS = st.sampled_from(
    ['"a"', '""', '"\\ud800"', '"\\ud83d\\ude00"', '"\x7f"', '"\x01"', '"a\\": 1"', '"low"', '"2026-05-04T09:30:00Z"', '"\u00e9\u2028"', "'a'"]
) | st.text(max_size=3).map(json.dumps)  # fmt: skip
RAW_VALUES: st.SearchStrategy[str] = st.recursive(
    NUMBERS | STRINGS | st.sampled_from(["null", "true", "[]", "{}", "[1,]", "nul", "[" * 70 + "]" * 70, "[" * 1100 + "]" * 1100]),
    lambda inner: st.lists(inner, max_size=3).map(lambda held: f"[{', '.join(held)}]")
    | st.lists(st.tuples(st.sampled_from(["level", "height", "of", "at", "x", "le\\u0076el"]), inner), max_size=4).map(
        lambda held: "{" + ",".join(f'"{name}":{each}' for name, each in held) + "}"
    ),
    max_leaves=6,
)  # fmt: skip
BOTH_WAYS: list[Any] = [
    int, float, int | float, float | int, str | int, list[int], dict[str, float], dict[str, int | str], tuple[int, float], Tide,
    list[Tide], Tide | int, list[Tide | None], Literal[1, 2.5, 18446744073709551616], Annotated[int, without_point], Decimal,
    Annotated[float, it == 18446744073709551616], Annotated[str, lenient], Any, datetime | int, dict[str, Tide],
    Annotated[int, obeys_document({"enum": [18446744073709551617]})], Annotated[int, otherwise(7)],
    Annotated[int, without_point] | float, list[Annotated[int, without_point] | Tide | float],
]  # fmt: skip
GATES = [Gate(declared, native=False) for declared in BOTH_WAYS]  # the core reads alike, whatever decodes


@pytest.mark.skipif(json_fast.fast_loads is None, reason="orjson, of the extra `fast`, is not installed")
@given(st.sampled_from(GATES), RAW_VALUES, st.sampled_from(["", " ", "\ufeff", "\n"]))
@example(GATES[-2], "1" * 31, "")
@example(GATES[-1], f"[{2**64}]", "")
def test_with_the_fast_decoder_all_is_the_same(gate: Gate[Any], text: str, before: str) -> None:
    raw = (before + text).encode("utf-8", "surrogatepass")
    held, told = json_fast.fast_loads, []
    try:
        for decoder in (held, None):
            json_fast.fast_loads = decoder
            verdict = gate.examine_json(raw)
            told.append((repr(verdict.value) if verdict else None, verdict.faults, verdict.dropped, verdict.fallbacks))
    finally:
        json_fast.fast_loads = held
    assert told[0] == told[1], (gate, raw)


@dataclass
class Level:
    at: datetime
    height: float
    count: int
    marks: list[float]
    by_name: dict[str, float]
    of: Literal["low", "high"] = "low"
    exact: Decimal | None = None


FLOATS = st.floats(allow_nan=False, allow_infinity=False) | st.sampled_from(
    [1e16, 9999999999999998.0, 1e-4, 9.9e-5, -0.0, 1e22, 5e-324]
)
LEVELS = st.builds(
    Level,
    st.datetimes(timezones=st.just(UTC)),
    FLOATS,
    st.integers(),
    st.lists(FLOATS, max_size=3),
    st.dictionaries(st.text(st.characters(exclude_categories=["Cs"])), FLOATS, max_size=3),
    exact=st.none() | st.decimals(allow_nan=False, allow_infinity=False, places=3),
)
LEVEL = Gate(Level)


@pytest.mark.skipif(json_out.fast_bytes is None, reason="orjson, of the extra `fast`, is not installed")
@given(LEVELS)
def test_what_goes_out_is_the_same_with_the_fast_encoder(level: Level) -> None:
    fast, told = json_out.fast_bytes, []
    try:
        for encoder in (fast, None):
            json_out.fast_bytes = encoder
            told += [LEVEL.release_json(level), LEVEL.release_admitted_json(level)]
    finally:
        json_out.fast_bytes = fast
    assert told[:2] == told[2:]
    assert LEVEL.admit_json(told[0]) == level


@pytest.mark.parametrize("height", [float("inf"), float("nan"), 1e17, 1])
def test_numbers_that_are_rare_go_out_as_they_did(height: float) -> None:
    level = Level(datetime(2026, 5, 4, tzinfo=UTC), height, 1, [], {})
    if height in (1e17, 1):
        assert json.loads(LEVEL.release_json(level))["height"] == height
        assert b"1e+17" in LEVEL.release_json(level) or height == 1
    else:
        with pytest.raises(Refused):
            LEVEL.release_json(level)


@pytest.mark.parametrize("most", [1, 2, 3, 8, 64])
@pytest.mark.parametrize("kind", ["list", "record", "both"])
def test_what_nobody_declared_counts_for_the_depth_to_the_last_level(most: int, kind: str) -> None:
    opened, closed = {"list": ("[", "]"), "record": ('{"a":', "}"), "both": ('[{"a":', "}]")}[kind]
    for deep in range(max(1, most - 3), most + 4):
        levels = deep - 1 if kind != "both" else (deep - 1) // 2
        text = f'{{"a": 1, "x": {opened * levels}1{closed * levels}}}'
        decoded = json.loads(text)
        gate = Gate(Reading, limits=Limits(depth=most))
        verdict = gate.examine_json(text)
        assert (depth_of(decoded) > most) == ([fault.code for fault in verdict.faults] == ["depth"])
        assert bool(verdict) == (depth_of(decoded) <= most)
        assert gate.examine(decoded).dropped == verdict.dropped or not verdict


@pytest.mark.parametrize(
    ("declared", "value", "text"),
    [
        (dict[float, str], {1e17: "a", 5e-7: "b"}, '{"1e+17":"a","5e-07":"b"}'),
        (Annotated[list[float], split_on(",")], [1e17, 2.5], '"1e+17,2.5"'),
        (list[float | str], [1e17, "x"], '[1e+17,"x"]'),
        (dict[str, dict[float, float]], {"a": {1e17: 1e17}}, '{"a":{"1e+17":1e+17}}'),
        (Literal["a", 1e17], 1e17, "1e+17"),
        (Annotated[float, or_infinite], float("inf"), "1e999"),
        (Any, [1e17], "[1e+17]"),
    ],
)
def test_rare_numbers_go_out_as_the_standard_library_writes_them(declared: Any, value: Any, text: str) -> None:
    gate: Gate[Any] = Gate(declared)
    for out in (gate.release_json, gate.release_admitted_json):
        assert out(value).decode() == text


def repeated(data: Any, at: int) -> tuple[str, int]:
    """Data as JSON in which the first key of one record, that of number `at`, comes twice; and `at` less their number."""
    if isinstance(data, list):
        parts = []
        for each in data:
            text, at = repeated(each, at)
            parts.append(text)
        return f"[{', '.join(parts)}]", at
    if not isinstance(data, dict) or not data:
        return json.dumps(data), at
    parts = []
    for key, each in data.items():
        text, at = repeated(each, at)
        parts.append(f"{json.dumps(key)} :{text}")
    if not at:
        parts.insert(0, f"{json.dumps(next(iter(data)))}: null")
    return f"{{{', '.join(parts)}}}", at - 1


@pytest.mark.parametrize("seed", range(60))
def test_no_repeated_key_is_read_whatever_is_declared(seed: int) -> None:
    """What a shape says of the strings in its data is as many as there are; with both decoders a repeat is told."""
    declared, words = any_declaration(seed)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        gate: Gate[Any] = Gate(declared, **words)
    engine = gate._engine
    count = engine.counts_strings
    try:
        sound = payloads(gate, 6, seed)
    except CannotSample:
        return
    for data in (json.loads(json.dumps(each)) for each in sound):
        for text in (json.dumps(data), json.dumps(data, ensure_ascii=False, indent=1)):
            assert strings_in_text(text) == strings_in_text(text.encode("utf-8", "surrogatepass")) == strings_in(data)
        if count is not None and engine.sound_and_known(data).__class__ is not Stop:
            assert count(data) == strings_in(data), data
        for at in range(-repeated(data, 0)[1]):
            text = repeated(data, at)[0]
            held = json_fast.fast_loads
            for decoder in {held, None}:
                json_fast.fast_loads = decoder
                try:
                    codes = {fault.code for fault in gate.examine_json(text).faults}
                    assert codes & {"repeat", "size", "depth"}, text
                    with pytest.raises(Refused):
                        gate.admit_json(text)
                finally:
                    json_fast.fast_loads = held


_KEYS = st.sampled_from(["a", "b", "ab", "", "a b", ":", ", ", "{", "é", "\\", '"', 'a": 1'])
_TREES: Any = st.recursive(
    _KEYS | st.integers(0, 9),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(_KEYS, inner, max_size=5),
    max_leaves=25,
)


def _every_path(data: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    yield path
    members = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    for step, held in members:
        yield from _every_path(held, (*path, step))


@given(_TREES, st.sampled_from([(", ", ": "), (",", ":"), (" ,\n", "\n :\t ")]), st.booleans(), st.data())
def test_keys_that_are_looked_for_are_found_where_a_reader_finds_them(
    data: Any, separators: tuple[str, str], escapes: bool, draws: st.DataObject
) -> None:
    """A key may stand elsewhere too: as a value, inside of another, in a record further in."""
    text = json.dumps(data, separators=separators, ensure_ascii=escapes)
    every = list(_every_path(data))
    asked = draws.draw(st.lists(st.sampled_from([*every, *((*path, "none") for path in every[:3])]), max_size=6))
    read, found = places(text, asked, repeats=False), places_in(text, asked, data)
    for path in asked:
        for of_key in (False, True):
            assert found.offset(path, of_key) == read.offset(path, of_key), (text, path)
