"""`make bench`: the gate beside the same job written by hand, and what it costs to have it.

Figures are ratios, measured turn by turn in one run. Exit status 1 when a bound is broken.
"""

from __future__ import annotations

import compileall
import json
import os
import subprocess
import sys
import tracemalloc
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from statistics import median
from time import perf_counter, sleep
from typing import Any

from by_hand import check_booking
from fifty import build_declarations, build_gates
from flat import PLAIN, READING, Plain, check_reading, readings
from from_outside import Constant, Limited, limit
from harness import Ratio, compared
from inlined import admit_inlined
from payloads import BOOKING, REFUSED
from query import QUERY, check_search, searches

import dutiful_gate
from dutiful_gate import Gate
from dutiful_gate.demo.ferries import Booking, Crate, bookings
from dutiful_gate.read import json_fast

IMPORT_BOUND_MS = 40.0
IMPORTS = {
    "import dutiful_gate, added ms": "import dutiful_gate",
    "names of the README, no bound, ms": "from dutiful_gate import Email, Gate, it, obeys, this, trimmed, uppered",
    "typing and dataclasses, no bound, ms": "import typing, dataclasses",
}
_SOURCE = Path(dutiful_gate.__file__).parent.parent

feeds = Gate(list[Booking])
FEED = [{**BOOKING, "priority": "urgent" if number % 5 else "standard"} for number in range(1000)]
RAW = json.dumps(BOOKING).encode()
plain = Gate(Plain)
RAW_PLAIN = json.dumps(PLAIN).encode()
RAW_FEED = json.dumps(FEED).encode()


SHUFFLED = dict(sorted(REFUSED.items(), key=lambda each: each[0][::-1]))
LATE = {**BOOKING, "priority": "late"}
ONE_WRONG = [*FEED[:700], {**FEED[700], "destination": "12"}, *FEED[701:]]
ALL_WRONG = [REFUSED] * 1000
FAST = json_fast.fast_loads
by_document_one = Gate.from_schema(bookings.schema(), formats="assert")
by_document = Gate.from_schema(feeds.schema(), formats="assert")
DEFINITIONS = {
    "$ref": "#/$defs/d0",
    "$defs": {
        f"d{at}": {
            "description": "what it is " * 110,
            "properties": {
                f"p{each}": {"type": ["string", "null"], "pattern": f"^[a-z]{{{each},}}$", "maxLength": 80}
                for each in range(10)
            },
            "additionalProperties": {"$ref": f"#/$defs/d{(at * 7 + 1) % 1000}"},
        }
        for at in range(1000)
    },
}
"""About two megabytes of definitions that lead to each other."""


def _without_repeats(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    made = dict(pairs)
    assert len(made) == len(pairs)
    return made


decode_strictly = json.JSONDecoder(object_pairs_hook=_without_repeats).decode
_moment = datetime.fromisoformat


def built(item: dict[str, Any]) -> Booking:
    """A booking without any check: the least that building typed values can cost."""
    crates = [Crate(crate["contents"], crate["weight_kg"]) for crate in item["crates"]]
    departs, arrives = _moment(item["departs"]), _moment(item["arrives"])
    return Booking(item["origin"], item["destination"], departs, arrives, item["contact"], crates, item["priority"])


def check_feed(data: list[Any]) -> tuple[list[Booking | None], list[Any]]:
    """A thousand bookings by hand."""
    made, faults = [], []
    for number, item in enumerate(data):
        booking, wrong, _ = check_booking(item)
        made.append(booking)
        faults += [((number, *fault.path), fault) for fault in wrong]
    return made, faults


def told(faults: Any) -> list[Any]:
    return [(fault.path, fault.code, fault.message) for fault in faults]


def same_work() -> None:
    """The rivals must do the same, or the figures mean nothing."""
    found = {(fault.path, fault.code) for fault in bookings.examine(REFUSED).faults}
    assert len(found) == 5, "five faults are asked for"
    assert found == {(fault.path, fault.code) for fault in check_booking(REFUSED)[1]}, "both must find the same faults"
    assert bookings.admit(BOOKING) == check_booking(BOOKING)[0], "both must build the same booking"
    assert readings.admit(READING) == check_reading(READING)[0], "both must build the same reading"
    assert feeds.admit(FEED) == check_feed(FEED)[0], "both must build the same feed"
    assert feeds.admit_json(RAW_FEED) == check_feed(FEED)[0] == [built(item) for item in FEED]
    assert admit_inlined(BOOKING)[0] == check_booking(BOOKING)[0], "the inlined function must build the same"
    assert searches.admit(QUERY) == check_search(QUERY)[0], "both must find the same search"
    assert {fault.code for fault in bookings.examine(LATE).faults} == {fault.code for fault in check_booking(LATE)[1]}
    assert len(feeds.examine(ONE_WRONG).faults) == len(check_feed(ONE_WRONG)[1]) == 1
    assert json.loads(released(bookings.admit(BOOKING))) == json.loads(bookings.release_json(bookings.admit(BOOKING)))
    assert by_document_one.accepts(BOOKING)
    assert not by_document_one.accepts(REFUSED)
    assert by_document.accepts(FEED)
    assert len(json.dumps(DEFINITIONS)) > 1_900_000


def raw_json() -> list[Ratio]:
    """Raw JSON to values, beside the standard decoder alone; and with the fast one, where it is installed."""

    def rows(bounds: tuple[float, float, float], words: str) -> list[Ratio]:
        return [
            compared(
                f"raw JSON to booking{words}", lambda: bookings.admit_json(RAW), lambda: json.loads(RAW), bounds[0]
            ),
            compared(
                f"  of plain types{words}",
                lambda: plain.admit_json(RAW_PLAIN),
                lambda: json.loads(RAW_PLAIN),
                bounds[1],
            ),
            compared(
                f"  to 1,000 bookings{words}",
                lambda: feeds.admit_json(RAW_FEED),
                lambda: json.loads(RAW_FEED),
                bounds[2],
                turns=15,
            ),
        ]

    json_fast.fast_loads = None
    told = rows((1.9, 1.0, 2.8), "")
    json_fast.fast_loads = FAST
    return told + (rows((1.4, 0.7, 2.1), ", fast") if FAST is not None else [])


def released(booking: Booking) -> bytes:
    """A booking as JSON by hand."""
    crates = [{"contents": crate.contents, "weight_kg": crate.weight_kg} for crate in booking.crates]
    return json.dumps(
        {
            "origin": booking.origin,
            "destination": booking.destination,
            "departs": booking.departs.isoformat().replace("+00:00", "Z"),
            "arrives": booking.arrives.isoformat().replace("+00:00", "Z"),
            "contact": booking.contact,
            "crates": crates,
            "priority": booking.priority,
        }
    ).encode()


def told_of_feed(data: list[Any]) -> list[Any]:
    """Every fault of a feed by hand, as far as a gate tells them."""
    faults = check_feed(data)[1][: feeds.limits.faults]
    return [(path, fault.code, fault.message) for path, fault in faults]


def from_outside() -> list[Ratio]:
    """A rule with a value from outside, beside the same with a constant; alone, what handing it over costs counts too."""
    one, same_one = Gate(Limited, native=False), Gate(Constant, native=False)
    many, same_many = Gate(list[Limited], native=False), Gate(list[Constant], native=False)
    handed, rows = [limit(50)], FEED[:100]
    return [
        compared("100 bookings, a limit from outside", lambda: many.admit(rows, outside=handed), lambda: same_many.admit(rows), 1.05),
        compared("  one booking, no bound", lambda: one.admit(BOOKING, outside=handed), lambda: same_one.admit(BOOKING), 9),
    ]  # fmt: skip


def ratios() -> list[Ratio]:
    """Every comparison of this suite."""
    same_work()
    decode = json.JSONDecoder().decode
    admitted = bookings.admit(BOOKING)
    return [
        compared("flat payload of 10 fields", lambda: readings.admit(READING), lambda: check_reading(READING), 0.65),
        compared("nested booking", lambda: bookings.admit(BOOKING), lambda: check_booking(BOOKING), 0.5),
        compared("nested booking, examine", lambda: bookings.examine(BOOKING), lambda: check_booking(BOOKING), 0.75),
        compared("list of 1,000 bookings", lambda: feeds.admit(FEED), lambda: check_feed(FEED), 0.48, turns=15),
        compared("text query of 7 values", lambda: searches.admit(QUERY), lambda: check_search(QUERY), 0.75),
        compared(
            "nested booking / inlined by hand", lambda: bookings.admit(BOOKING), lambda: admit_inlined(BOOKING), 0.75
        ),
        compared(
            "five faults, keys shuffled", lambda: bookings.examine(SHUFFLED), lambda: check_booking(SHUFFLED), 1.6
        ),
        compared(
            "  every message read",
            lambda: told(bookings.examine(SHUFFLED).faults),
            lambda: told(check_booking(SHUFFLED)[1]),
            2.6,
        ),
        compared("one fault at the end", lambda: bookings.examine(LATE), lambda: check_booking(LATE), 1.8),
        compared(
            "one fault in 1,000 bookings",
            lambda: feeds.examine(ONE_WRONG),
            lambda: check_feed(ONE_WRONG),
            1.2,
            turns=15,
        ),
        compared(
            "1,000 broken bookings, told",
            lambda: told(feeds.examine(ALL_WRONG).faults),
            lambda: told_of_feed(ALL_WRONG),
            2.5,
            turns=15,
        ),
        *from_outside(),
        *raw_json(),
        compared(
            "release_json of what was admitted",
            lambda: bookings.release_admitted_json(admitted),
            lambda: released(admitted),
            1.0 if FAST is None else 0.55,
        ),
        compared("  checked first", lambda: bookings.release_json(admitted), lambda: released(admitted), 1.5),
        compared(
            "a document, refused and told",
            lambda: told(by_document_one.examine(REFUSED).faults),
            lambda: told(check_booking(REFUSED)[1]),
            4.0,
        ),
        compared("a document, sound", lambda: by_document_one.accepts(BOOKING), lambda: check_booking(BOOKING), 0.75),
        compared(
            "  no check but repeated keys, no bound",
            lambda: [built(item) for item in decode_strictly(RAW_FEED.decode())],
            lambda: decode(RAW_FEED.decode()),
            float("inf"),
            turns=15,
        ),
        compared(
            "1,000 bookings judged by document",
            lambda: by_document.accepts(FEED),
            lambda: check_feed(FEED),
            2.5,
            turns=15,
        ),
        compared(
            "a document of 1,000 definitions, s",
            lambda: Gate.from_schema(DEFINITIONS).accepts({}),
            lambda: sleep(1),
            5.0,
            turns=3,
        ),
        compared("building gates / dataclasses", build_gates, build_declarations, 14.0, turns=9),
        memory(),
    ]


def memory() -> Ratio:
    """The peak of memory while a feed is admitted, beside what its values take."""

    def taken(job: Callable[[], object]) -> tuple[int, int]:
        tracemalloc.start()
        held = job()
        left, peak = tracemalloc.get_traced_memory()
        tracemalloc.stop()
        assert held is not None
        return left, peak

    feeds.admit(FEED)
    left, peak = taken(lambda: feeds.admit(FEED))
    return Ratio("peak memory / the values", peak / left, peak / left, peak / left, 1.1)


def import_cost_ms(code: str, turns: int = 25) -> float:
    """What an import adds to a bare interpreter, in milliseconds: medians of runs in turn."""
    compileall.compile_dir(str(Path(dutiful_gate.__file__).parent), quiet=2)  # as an installed package is
    turn = [(_started(code), _started("pass")) for _ in range(turns)]
    return 1000 * (median(loaded for loaded, _ in turn) - median(bare for _, bare in turn))


def _started(code: str) -> float:
    start = perf_counter()
    # -S: without the site packages of whoever runs this, so that only the package's own cost is seen.
    command = [sys.executable, "-S", "-c", f"import sys; sys.path.append({str(_SOURCE)!r}); {code}"]
    subprocess.run(command, check=True, env={"PATH": os.environ.get("PATH", "")})
    return perf_counter() - start


def main() -> int:
    """Print the figures; 1 when one is over its bound."""
    print(f"Python {sys.version.split()[0]}: ours / theirs, median of turns (middle half), bound")
    broken = False
    for ratio in ratios():
        broken |= not ratio.holds
        mark = "holds" if ratio.holds else "BROKEN"
        span = f"({ratio.low:.2f} to {ratio.high:.2f})"
        print(f"  {ratio.name:36} {ratio.median:6.2f}  {span:17} <= {ratio.bound}  {mark}")
    for name, code in IMPORTS.items():
        cost = import_cost_ms(code)
        broken |= "bound" not in name and cost > IMPORT_BOUND_MS
        mark = "holds" if cost <= IMPORT_BOUND_MS else "over"
        print(f"  {name:36} {cost:6.1f}  {'':17} <= {IMPORT_BOUND_MS}  {mark}")
    return int(broken)


if __name__ == "__main__":
    raise SystemExit(main())
