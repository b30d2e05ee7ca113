"""`make bench-native`: the native core beside the decoder, careful checks by hand, and the package without it.

Figures are ratios, medians of interleaved turns in one process, the collector off but where a row says otherwise. Exit
status 1 when a bound is broken, 2 where there is no core.
"""

from __future__ import annotations

import csv
import gc
import json
import sys
import tracemalloc
from collections.abc import Callable
from dataclasses import MISSING, field, fields, make_dataclass
from functools import partial
from pathlib import Path
from statistics import median
from tempfile import TemporaryDirectory
from time import perf_counter
from types import GenericAlias
from typing import Annotated, Any, get_type_hints

from by_hand import check_booking
from deliveries import Line, by_dict_reader, by_loads
from deliveries import put as put_lines
from flat import PLAIN, READING, Plain, Reading, check_reading
from harness import Ratio, compared
from payloads import BOOKING, REFUSED
from query import QUERY, check_search, searches
from startup import GATES, put, taken

from dutiful_gate import Gate, Source, it, obeys, this
from dutiful_gate.demo.ferries import Booking, Crate
from dutiful_gate.files import examine_file
from dutiful_gate.gates.native_core import native_core

RAW = json.dumps(BOOKING).encode()
ROWS = (2, 10, 100, 500, 10_000)


def without_slots(declared: Any, **changed: Any) -> Any:
    """The same dataclass, with a dict in each instance."""
    hints = get_type_hints(declared, include_extras=True) | changed
    told: list[Any] = []
    for each in fields(declared):
        default = () if each.default is MISSING else (field(default=each.default),)
        told.append((each.name, hints[each.name], *default))
    return make_dataclass(declared.__name__, told)


OpenCrate: Any = without_slots(Crate)
OpenBooking: Any = obeys(this.arrives > this.departs)(
    without_slots(Booking, crates=Annotated[GenericAlias(list, OpenCrate), it.length.between(1, 50)])
)


def rows_of(payload: dict[str, Any], count: int) -> list[Any]:
    return [dict(payload) for _ in range(count)]


def decoded() -> list[Ratio]:
    """Decoded data to values, beside careful checks by hand."""
    booking, open_booking, reading = Gate(Booking), Gate(OpenBooking), Gate(Reading)
    feed, by_hand = Gate(list[Booking]), rows_of(BOOKING, 1000)
    return [
        compared("decoded booking, slots", lambda: booking.admit(BOOKING), lambda: check_booking(BOOKING), 0.14),
        compared("decoded booking, no slots", lambda: open_booking.admit(BOOKING), lambda: check_booking(BOOKING), 0.22),
        compared("decoded reading, flat with UUID", lambda: reading.admit(READING), lambda: check_reading(READING), 0.20),
        compared(
            "decoded, 1,000 bookings", lambda: feed.admit(by_hand), lambda: [check_booking(each) for each in by_hand], 0.14, turns=15
        ),
    ]  # fmt: skip


def raw() -> list[Ratio]:
    """Raw JSON to values, beside the standard decoder alone."""
    told = [
        _raw("raw booking", Gate(Booking), RAW, 0.33),
        _raw("raw, ten plain fields", Gate(Plain), json.dumps(PLAIN).encode(), 0.15),
    ]
    gates: list[tuple[Gate[Any], dict[str, Any], str]] = [
        (Gate(list[Booking]), BOOKING, "bookings"),
        (Gate(list[Reading]), READING, "readings"),
    ]
    for gate, payload, name in gates:
        for count in ROWS:
            text = json.dumps([payload] * count).encode()
            told.append(_raw(f"raw, {count:,} {name}", gate, text, 0.33 if count <= 500 else 0.5, turns=31))
        read, decode = partial(gate.admit_json, text), partial(json.loads, text)
        told.append(collecting(f"  with the collector on, {count:,}", read, decode, 0.5))
    return told


def _raw(name: str, gate: Gate[Any], text: bytes, bound: float, *, turns: int = 61) -> Ratio:
    turns = turns if len(text) < 1_000_000 else 7
    return compared(name, partial(gate.admit_json, text), partial(json.loads, text), bound, turns=turns)


def collecting(name: str, ours: Callable[[], object], theirs: Callable[[], object], bound: float) -> Ratio:
    """The same with the collector on."""
    ratios = []
    for _ in range(9):
        took = []
        for job in (ours, theirs):
            gc.collect()
            begin = perf_counter()
            held = job()
            took.append(perf_counter() - begin)
            del held
        ratios.append(took[0] / took[1])
    ratios.sort()
    return Ratio(name, median(ratios), ratios[2], ratios[-3], bound)


def in_text() -> list[Ratio]:
    """A query of seven texts, beside checks by hand; lines of NDJSON and rows of CSV beside reading them without checks."""
    told = [compared("text query", lambda: searches.admit(QUERY), lambda: check_search(QUERY), 0.25)]
    with TemporaryDirectory() as name:
        folder = Path(name)
        put_lines(folder, 20_000)
        lines, rows = folder / "manifest.ndjson", folder / "manifest.csv"
        told.append(
            collecting("NDJSON, 20,000 lines", partial(_rows, Gate(Line), lines), partial(by_loads, lines), 0.45)
        )
        in_rows = Gate(Line, Source.TEXT)
        decode = partial(by_dict_reader, rows)
        told.append(collecting("CSV, 20,000 rows of the file, no bound", partial(_rows, in_rows, rows), decode, 9))
        with rows.open(newline="") as stream:
            names, *cells = csv.reader(stream)
        read = in_rows._engine.rows_reader(names)
        assert read is not None
        told.append(collecting("  their admission alone", lambda: list(map(read, cells)), decode, 0.6))
    return told


def _rows(gate: Gate[Any], path: Path) -> int:
    return sum(1 for item in examine_file(gate, path) if item)


def out() -> list[Ratio]:
    """Values to JSON, beside the standard encoder on the plain form."""
    told = []
    gates: list[tuple[Gate[Any], dict[str, Any], str]] = [
        (Gate(Booking), BOOKING, "booking"),
        (Gate(Reading), READING, "reading"),
    ]
    for gate, payload, name in gates:
        value = gate.admit(payload)
        dump = partial(json.dumps, gate.release(value))
        told.append(compared(f"out, {name} that was admitted", partial(gate.release_admitted_json, value), dump, 0.14))
        told.append(compared(f"out, {name} checked", partial(gate.release_json, value), dump, 0.14))
    return told


def refused() -> list[Ratio]:
    """What is refused, beside careful checks by hand, and raw beside decoding and these."""
    booking, feed = Gate(Booking), Gate(list[Booking])
    late = [*rows_of(BOOKING, 50), {**BOOKING, "priority": "late"}]
    raw_refused = json.dumps(REFUSED).encode()
    return [
        compared("refused: found", lambda: booking.examine(REFUSED), lambda: check_booking(REFUSED), 1.2),
        compared(
            "refused: told", lambda: _told(booking.examine(REFUSED).faults), lambda: _told(check_booking(REFUSED)[1]), 1.9
        ),
        compared("one late fault in 51 rows", lambda: feed.examine(late), lambda: [check_booking(each) for each in late], 0.65),
        compared(
            "refused raw, with places", lambda: [fault.place for fault in booking.examine_json(raw_refused).faults],
            lambda: check_booking(json.loads(raw_refused)), 1.5
        ),
    ]  # fmt: skip


def _told(faults: Any) -> list[Any]:
    return [(fault.path, fault.code, fault.message) for fault in faults]


def built() -> Ratio:
    """300 gates made and first used, beside the same without the core."""
    with TemporaryDirectory() as name:
        folder = Path(name)
        put(folder)
        off = 'import os; os.environ["DUTIFUL_NATIVE"] = "off"'
        ratios = sorted(taken(folder, "") / taken(folder, off) for _ in range(5))
    return Ratio(f"{GATES} gates made and first used, beside without", median(ratios), ratios[1], ratios[-2], 0.65)


def peak() -> Ratio:
    """The most memory while 100,000 bookings are read, beside what they hold."""
    gate = Gate(list[Booking])
    text = json.dumps([BOOKING] * 2_000).encode()
    gate.admit_json("[]")
    tracemalloc.start()
    values = gate.admit_json(text)
    held, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert len(values) == 2_000
    return Ratio("peak memory beside the values", most / held, most / held, most / held, 1.1)


def main() -> int:
    """Measure, print, and say whether all bounds hold."""
    told = native_core()
    if not told[:1].isdigit():
        print(f"no native core ({told}): make native")
        return 2
    print(f"native core {told}\n{'':46} ratio  middle half     bound")
    broken = 0
    for part in (decoded, raw, in_text, out, refused, lambda: [peak()], lambda: [built()]):
        for ratio in part():
            broken += not ratio.holds
            mark = "" if ratio.holds else "  over"
            print(
                f"{ratio.name:46} {ratio.median:.3f}  {ratio.low:.3f} to {ratio.high:.3f}  {ratio.bound:.2f}{mark}",
                flush=True,
            )
    print(f"{broken} bounds broken")
    return int(bool(broken))


if __name__ == "__main__":
    sys.exit(main())
