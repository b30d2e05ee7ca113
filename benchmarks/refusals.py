"""`make bench-refusals`: what a refusal costs, beside checks by hand: careful ones, and such as one writes in a hurry.

Three payloads of different make: a few cheap fields with faults early and absent keys; many fields; a list of rows.
Each is found (`examine`), told (every message read) and read from raw JSON with the places of its faults.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import dataclass, make_dataclass
from functools import partial
from typing import Annotated, Any, Literal

from harness import Ratio, compared

from dutiful_gate import Gate, it

Path = tuple[str | int, ...]
Found = list[tuple[Path, str, str]]


@dataclass(slots=True)
class Ramp:
    """A ramp of a port: cheap fields."""

    port: Literal["QLP", "MRW", "OST", "FNK"]
    number: Annotated[int, it.between(1, 40)]
    lanes: Annotated[int, it >= 1]
    lit: bool
    note: Annotated[str, it.length <= 80]


_COUNTS = [f"count_{number}" for number in range(20)]
_NOTES = [f"note_{number}" for number in range(20)]
Survey: Any = make_dataclass(
    "Survey",
    [(name, Annotated[int, it.between(0, 999)]) for name in _COUNTS]
    + [(name, Annotated[str, it.length <= 80]) for name in _NOTES],
    slots=True,
)

RAMP = {"port": "XXX", "number": 0, "lit": True}
SURVEY = {
    **{name: number * 7 for number, name in enumerate(_COUNTS)},
    **{name: f"seen from berth {number}" for number, name in enumerate(_NOTES)},
    "count_3": 1000,
    "count_11": "12",
    "note_5": 5,
    "note_17": "x" * 81,
}
SOUND_RAMP = {"port": "QLP", "number": 3, "lanes": 2, "lit": False, "note": ""}
ROWS = [{**SOUND_RAMP, "number": number + 1} for number in range(40)]
ROWS[7] = {**SOUND_RAMP, "lanes": 0}
ROWS[19] = {**SOUND_RAMP, "number": True}
ROWS[33] = {**SOUND_RAMP, "note": None}


def _whole(data: dict[str, Any], name: str, low: int, high: int | None, path: Path, faults: Found) -> None:
    if name not in data:
        faults.append(((*path, name), "absent", "needs a value; none came"))
        return
    value = data[name]
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        faults.append(((*path, name), "kind", f"needs a whole number; got {value!r}"))
    elif value != int(value):
        faults.append(((*path, name), "reading", f"needs a whole number; got {value!r}"))
    elif value < low:
        faults.append(((*path, name), "floor", f"needs a whole number of at least {low}; got {value}"))
    elif high is not None and value > high:
        faults.append(((*path, name), "ceiling", f"needs a whole number of at most {high}; got {value}"))


def _note(data: dict[str, Any], name: str, path: Path, faults: Found) -> None:
    if name not in data:
        faults.append(((*path, name), "absent", "needs a value; none came"))
        return
    value = data[name]
    if not isinstance(value, str):
        faults.append(((*path, name), "kind", f"needs text; got {value!r}"))
        return
    if not value.isascii():
        try:
            value.encode()
        except UnicodeEncodeError:
            faults.append(((*path, name), "reading", "needs text without lone surrogates"))
    if len(value) > 80:
        faults.append(((*path, name), "length", f"needs at most 80 characters; got {len(value)}"))


def careful_ramp(data: Any, path: Path = ()) -> Found:
    """A ramp, as a careful engineer checks it: in document order."""
    if not isinstance(data, dict):
        return [(path, "kind", f"needs an object; got {data!r}")]
    faults: Found = []
    if "port" not in data:
        faults.append(((*path, "port"), "absent", "needs a value; none came"))
    elif not isinstance(data["port"], str) or data["port"] not in ("QLP", "MRW", "OST", "FNK"):
        faults.append(((*path, "port"), "choice", f"needs one of QLP, MRW, OST, FNK; got {data['port']!r}"))
    _whole(data, "number", 1, 40, path, faults)
    _whole(data, "lanes", 1, None, path, faults)
    if "lit" not in data:
        faults.append(((*path, "lit"), "absent", "needs a value; none came"))
    elif not isinstance(data["lit"], bool):
        faults.append(((*path, "lit"), "kind", f"needs true or false; got {data['lit']!r}"))
    _note(data, "note", path, faults)
    order = {name: number for number, name in enumerate(data)}
    return sorted(faults, key=lambda fault: order.get(fault[0][-1], -1)) if len(faults) > 1 else faults


def ordinary_ramp(data: Any, path: Path = ()) -> Found:
    """The same in a hurry."""
    faults: Found = []
    if data.get("port") not in ("QLP", "MRW", "OST", "FNK"):
        faults.append(((*path, "port"), "choice", f"needs a port; got {data.get('port')!r}"))
    number = data.get("number")
    if type(number) is not int or not 1 <= number <= 40:
        faults.append(((*path, "number"), "number", f"needs 1 to 40; got {number!r}"))
    lanes = data.get("lanes")
    if type(lanes) is not int or lanes < 1:
        faults.append(((*path, "lanes"), "number", f"needs a whole number of at least 1; got {lanes!r}"))
    if type(data.get("lit")) is not bool:
        faults.append(((*path, "lit"), "kind", f"needs true or false; got {data.get('lit')!r}"))
    note = data.get("note")
    if type(note) is not str or len(note) > 80:
        faults.append(((*path, "note"), "text", f"needs at most 80 characters; got {note!r}"))
    return faults


def careful_survey(data: Any) -> Found:
    """A survey, as a careful engineer checks it."""
    faults: Found = []
    for name in _COUNTS:
        _whole(data, name, 0, 999, (), faults)
    for name in _NOTES:
        _note(data, name, (), faults)
    order = {name: number for number, name in enumerate(data)}
    return sorted(faults, key=lambda fault: order.get(fault[0][-1], -1)) if len(faults) > 1 else faults


def ordinary_survey(data: Any) -> Found:
    """The same in a hurry."""
    faults: Found = []
    for name in _COUNTS:
        value = data.get(name)
        if type(value) is not int or not 0 <= value <= 999:
            faults.append(((name,), "number", f"needs 0 to 999; got {value!r}"))
    for name in _NOTES:
        value = data.get(name)
        if type(value) is not str or len(value) > 80:
            faults.append(((name,), "text", f"needs at most 80 characters; got {value!r}"))
    return faults


def careful_rows(data: Any) -> Found:
    """A list of ramps, as a careful engineer checks it."""
    return [fault for number, row in enumerate(data) for fault in careful_ramp(row, (number,))]


def ordinary_rows(data: Any) -> Found:
    """The same in a hurry."""
    return [fault for number, row in enumerate(data) for fault in ordinary_ramp(row, (number,))]


Check = Callable[[Any], Found]
Bounds = tuple[float, float, float]
# Found, told, and raw with places: beside the careful opponent, and beside the ordinary one.
PAYLOADS: list[tuple[str, Gate[Any], Any, tuple[Check, Bounds], tuple[Check, Bounds]]] = [
    ("few cheap fields", Gate(Ramp), RAMP, (careful_ramp, (2.0, 4.0, 6.5)), (ordinary_ramp, (4.5, 9.0, 9.5))),
    ("forty fields", Gate(Survey), SURVEY, (careful_survey, (0.8, 1.6, 2.9)), (ordinary_survey, (2.8, 5.4, 5.2))),
    ("forty rows", Gate(list[Ramp]), ROWS, (careful_rows, (0.7, 0.9, 2.9)), (ordinary_rows, (2.5, 3.1, 5.3))),
]


def told(gate: Gate[Any], data: Any) -> list[str]:
    return [fault.message for fault in gate.examine(data).faults]


def placed(gate: Gate[Any], raw: bytes) -> list[Any]:
    return [(fault.message, fault.place) for fault in gate.examine_json(raw).faults]


def decoded_and_checked(check: Check, raw: bytes) -> Found:
    return check(json.loads(raw))


def ratios() -> list[Ratio]:
    """Every comparison: found, told, and told with places from raw JSON; beside both opponents."""
    made = []
    for name, gate, data, careful, ordinary in PAYLOADS:
        raw = json.dumps(data).encode()
        paths = [path for path, _, _ in careful[0](data)]
        assert [fault.path for fault in gate.examine(data).faults] == paths, "both must find the same"
        assert len(ordinary[0](data)) == len(paths), "both must find as many"
        for words, (check, bounds) in (("careful", careful), ("ordinary", ordinary)):
            by_hand, from_raw = partial(check, data), partial(decoded_and_checked, check, raw)
            made += [
                compared(f"{name}, found / {words}", partial(gate.examine, data), by_hand, bounds[0]),
                compared(f"{name}, told / {words}", partial(told, gate, data), by_hand, bounds[1]),
                compared(f"{name}, raw / {words}", partial(placed, gate, raw), from_raw, bounds[2]),
            ]
    return made


def main() -> int:
    """Print the figures; 1 when one is over its bound."""
    print(f"Python {sys.version.split()[0]}: ours / theirs, median of turns (middle half), bound")
    every = ratios()
    for ratio in every:
        span = f"({ratio.low:.2f} to {ratio.high:.2f})"
        print(
            f"  {ratio.name:36} {ratio.median:6.2f}  {span:17} <= {ratio.bound}  {'holds' if ratio.holds else 'BROKEN'}"
        )
    return int(not all(ratio.holds for ratio in every))


if __name__ == "__main__":
    raise SystemExit(main())
