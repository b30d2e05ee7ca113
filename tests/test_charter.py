"""The charter's example, as it is printed there, and what it promises of the words it uses."""

# Rooms: gates, declare, codegen

from __future__ import annotations

import pickle
import re
import runpy
import threading
import traceback
import warnings
from collections import UserDict, defaultdict
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any, TypedDict

import pytest

from any_declaration import any_declaration
from dutiful_gate import DocumentGate, Gate, Refused, Verdict, holds, it
from dutiful_gate.demo.ferries import Booking, Crate, bookings

CHARTER = Path(__file__).parent.parent.parent / "shared" / "charter.md"


@pytest.mark.skipif(not CHARTER.exists(), reason="the charter is not on this machine")
def test_the_example_runs_as_printed(sound: dict[str, Any], tmp_path: Path) -> None:
    code = re.search(r"## The interface.*?```python\n(.*?)```", CHARTER.read_text(), re.S)
    assert code is not None
    script = tmp_path / "example.py"
    script.write_text(code[1])
    namespace = runpy.run_path(str(script), {"payload": sound})
    assert namespace["booking"] == namespace["verdict"].value
    assert namespace["booking"].priority == "standard"
    assert namespace["document"]["$defs"]["Booking"]["description"] == "A place for freight on one crossing."


def test_sound_data_becomes_typed_values(sound: dict[str, Any]) -> None:
    sound |= {"origin": " qlp\n", "priority": "urgent"}
    booking = bookings.admit(sound)
    assert booking == Booking(
        "QLP",
        "MRW",
        datetime(2026, 5, 4, 9, 30, tzinfo=UTC),
        datetime(2026, 5, 4, 11, 45, tzinfo=UTC),
        "desk@quillport.example",
        [Crate("coiled rope", 120.0), Crate("paint", 48.5)],
        "urgent",
    )
    assert type(booking.crates[0].weight_kg) is float
    assert booking.crates is not sound["crates"]
    assert sound["origin"] == " qlp\n", "the payload itself is left alone"


def test_verdicts(sound: dict[str, Any]) -> None:
    admitted = bookings.examine({**sound, "colour": "red", "crates": [{**sound["crates"][0], "x": 1}]})
    assert admitted
    assert admitted.value == bookings.admit({**sound, "crates": sound["crates"][:1]})
    assert admitted.dropped == (("crates", 0, "x"), ("colour",))
    assert bookings.accepts(sound)
    refused = bookings.examine({**sound, "origin": 1, "crates": [{"contents": "x", "weight_kg": 1}]})
    assert not refused
    assert not bookings.accepts({})
    with pytest.raises(Refused, match="2 faults"):
        _ = refused.value
    assert refused.by_field() == {
        "origin": ["needs text; got 1"],
        "crates[0].contents": ["needs 2 to 80 characters; got 1"],
    }
    assert pickle.loads(pickle.dumps(refused)).faults == refused.faults
    assert pickle.loads(pickle.dumps(admitted)).value == admitted.value
    with pytest.raises(ValueError, match="no problem to tell"):
        admitted.problem()
    assert "admitted" in repr(admitted)
    assert "2 faults" in repr(refused)


def test_refused_lists_every_fault(sound: dict[str, Any]) -> None:
    with pytest.raises(Refused) as caught:
        bookings.admit({**sound, "priority": "fast", "contact": "nope"})
    assert str(caught.value).splitlines() == [
        "refused with 2 faults",
        "  /contact: needs an email address, such as name@mail.example; got 'nope'",
        "  /priority: needs one of standard, urgent; got 'fast'",
    ]
    assert pickle.loads(pickle.dumps(caught.value)).faults == caught.value.faults


def test_problem_details(sound: dict[str, Any]) -> None:
    verdict = bookings.examine({**sound, "crates": [{"contents": "rope", "weight_kg": 0}], "origin": "a/b~"})
    assert verdict.problem(instance="/bookings") == {
        "type": "about:blank",
        "title": "Unprocessable Content",
        "status": 422,
        "detail": "The data was refused with 2 faults.",
        "instance": "/bookings",
        "errors": [
            {
                "detail": "needs text that matches [A-Z]{3}; got 'a/b~'",
                "pointer": "#/origin",
                "code": "pattern",
                "given": "a/b~",
                "expected": {"pattern": "[A-Z]{3}"},
            },
            {
                "detail": "needs a number above 0; got 0",
                "pointer": "#/crates/0/weight_kg",
                "code": "floor",
                "given": 0,
                "expected": {"floor": 0, "inclusive": False},
            },
        ],
    }


def test_any_mapping_will_do_and_none_is_changed(sound: dict[str, Any]) -> None:
    expected = bookings.admit(sound)
    lazy: dict[str, Any] = defaultdict(list, sound)
    assert bookings.admit(lazy) == expected
    assert set(lazy) == set(sound), "reading must not make keys"
    assert bookings.admit(UserDict(sound)) == expected


def test_each_item_gets_its_verdict_lazily(sound: dict[str, Any]) -> None:
    taken: list[int] = []

    def items() -> Any:
        for number, item in enumerate([sound, {}, sound]):
            taken.append(number)
            yield item

    verdicts = bookings.examine_each(items())
    assert isinstance(next(verdicts), Verdict)
    assert taken == [0]
    assert [bool(verdict) for verdict in verdicts] == [False, True]


def test_gates_can_be_sent_shared_and_read(sound: dict[str, Any]) -> None:
    again = pickle.loads(pickle.dumps(Gate(Booking, unknown="refuse")))
    assert again.admit(sound) == bookings.admit(sound)
    assert not again.accepts({**sound, "colour": 1})
    with pytest.raises(AttributeError, match="does not change"):
        again.unknown = "drop"
    fresh, results = Gate(Booking), []
    threads = [threading.Thread(target=lambda: results.append(fresh.examine({**sound, "origin": 1}))) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [len(verdict.faults) for verdict in results] == [1] * 8
    assert "def sound(data):" in fresh.source
    assert "faults.append" in fresh.source


def test_the_source_names_its_fields_and_its_constants() -> None:
    """At the end of a line, where the name is a plain word; whatever else a name holds is in no line."""
    hostile = "x\n    raise SystemExit  # "
    form = {"berth_7": int, "length": str, "x" * 41: int, hostile: int, "länge": bool}
    gates: list[Gate[Any] | DocumentGate] = [
        Gate(TypedDict("Form", form)),  # type: ignore[operator]
        Gate(TypedDict("Form", form, total=False)),  # type: ignore[operator]
        Gate.from_schema({"properties": {name: {"type": "integer"} for name in form}}),
    ]
    for gate in gates:
        gate.accepts({})
        for line in gate.source.splitlines():
            assert "raise SystemExit" not in line
            assert "länge" not in line
            assert "#:" not in line
        for told in ("  # berth_7\n", "  # length\n", "  # field 3\n", "  # field 4\n", "  # field 5\n"):
            assert told in gate.source
        assert "\n# KEY: a name in the data\n" in gate.source
    told = Gate(Booking).source
    assert [told.count(f"  # {name}\n") for name in ("origin", "weight_kg", "priority")] == [3, 4, 3]
    assert "\ndef release(value):" in told
    assert "\n# is_rare_email: dutiful_gate.declare.formats.email.is_rare_email\n" in told


def test_every_constant_of_any_gate_is_in_the_legend() -> None:
    missing: set[str] = set()
    for seed in range(120):
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            declared, words = any_declaration(seed)
            code, _, known = Gate(declared, **words).source.partition("\n# What the constants are")
        used = {
            re.sub("(_[0-9]+)+$", "", name)
            for name in re.findall(r"\b[A-Z][A-Z_]+[0-9_]*\b", re.sub("#.*|'[^']*'", "", code))
        }
        missing |= {name for name in used if f"# {name}: " not in known}
    assert missing == set()


def test_tracebacks_show_generated_lines() -> None:
    def odd(value: str) -> bool:
        raise OSError("the odd check")

    gate = Gate(Annotated[str, it.length > 1, holds(odd)])
    for ask in (gate.admit, gate.examine, gate.accepts):
        with pytest.raises(OSError, match="the odd check") as caught:
            ask("crate")
        shown = "".join(traceback.format_exception(caught.value))
        assert "HOLDS(data)" in shown
        assert "<gate text sound" in shown
        assert caught.value.__context__ is None
