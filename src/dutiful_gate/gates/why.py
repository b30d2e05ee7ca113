"""Why a value is admitted or refused: as its gate reads it, or by the schemas of a document."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from ..declare.json_pointer import below, steps_of
from ..document.judging.engine import DocumentEngine
from ..document.judging.following import value_at
from ..engine.engine import Engine
from ..engine.own_functions import told as raised_in_tests
from ..engine.runtime import HIDDEN_KEY
from ..engine.trace import TraceLog, short
from ..report.fault import Fault, Path
from ..report.hostile_objects import without_liars
from ..report.shown_values import shown
from .explanation import Explanation, ToldStage

if TYPE_CHECKING:
    from .base import AnyGate

_ON_THE_WAY = frozenset(["field", "union", "branch", "key", "gathered"])
"""What is told of what is around a value."""


def explained(gate: AnyGate[Any], data: object, pointer: str = "") -> Explanation:
    """Follow the value at a JSON Pointer through a gate; the end is what `gate.examine` says of it.

    Raises ValueError for what is no JSON Pointer (RFC 6901).
    """
    if pointer and not pointer.startswith("/"):
        raise ValueError(f"{pointer!r} is no JSON Pointer: write /{pointer}, or nothing for the whole")
    steps = steps_of(pointer)
    faults = gate.examine(data).faults  # what a developer's own code raises is raised here
    typed = not gate.reads.in_json
    for view in (
        lambda: data,
        lambda: without_liars(data, typed=typed),  # something in the data lies about what it is
        lambda: without_liars(data, typed=typed, plain=True),
    ):
        try:
            return _explained(gate, view(), steps, faults)
        except Exception as odd:
            raised_in_tests(odd)  # one of the stack is raised, and in tests a mistake of generated code
    return Explanation((), (), faults, came=True)


def _explained(gate: AnyGate[Any], data: object, steps: tuple[str, ...], faults: tuple[Fault, ...]) -> Explanation:
    engine = gate._engine
    if not isinstance(engine, Engine):
        path, told = _by_document(engine, data, steps, faults)
        came = not any(each.what == "ends" for each in told)
    else:
        log = engine.traced(data, steps)
        unnamed = {at for passed in log.passed_stages for at, step in enumerate(passed.path) if step == HIDDEN_KEY}
        if unnamed:  # of the keys that paths do not name, this one alone counts
            data = _without_others(data, tuple(log.way.steps), unnamed)
            log = engine.traced(data, steps)
            faults = gate.examine(data).faults
        path, told, came = _by_trace(log, steps)
    inside = tuple(fault for fault in faults if fault.path[: len(path)] == path)
    return Explanation(path, tuple(told), inside, came=came)


def _by_trace(log: TraceLog, steps: tuple[str, ...]) -> tuple[Path, list[ToldStage], bool]:
    """What a gate noted: the path of the value, what is told of it, and whether it came."""
    wanted = log.way.steps
    reached: Path = max((each.path for each in log.passed_stages), key=len, default=())
    absent = [each for each in log.passed_stages if each.what == "absent" and each.path == reached]
    told = [
        ToldStage(passed.what, passed.words, passed.holds)
        for passed in log.passed_stages
        if len(passed.path) == len(wanted) or passed.what in _ON_THE_WAY or passed in absent
    ]
    for path, record, keys in log.records:
        key = wanted[len(path)] if len(path) < len(wanted) else None
        if key in keys and key not in record.wires and record.gathers is not None and (field := record.gathers(key)):
            told.insert(0, ToldStage("gathered", f"into {field}"))
    if absent:
        told += [ToldStage("ends", f"and so nothing stands under {step!r}") for step in steps[len(reached) :]]
    elif len(reached) < len(wanted):
        told.append(_end(log, reached))
    came = not any(each.what in ("absent", "ends") for each in told)
    for path, what, words, holds, about in log.passed_stages:
        if what == "rule" and len(path) < len(wanted) and wanted[len(path)] in about:
            told.append(ToldStage(what, words, holds))
    sent = (log.way.sent.get(at, step) for at, step in enumerate((*reached, *steps[len(reached) :])))
    return tuple(sent), told, came


def _end(log: TraceLog, reached: Path) -> ToldStage:
    """Why the way ends after what was reached."""
    step = log.way.steps[len(reached)] if len(reached) < len(log.way.steps) else ""
    found = next((each for each in reversed(log.records) if each[0] == reached), None)
    if found is None:
        return ToldStage("ends", f"there is no {step!r} in {log.expected.get(reached, 'it')}")
    _, record, keys = found
    known = ", ".join(record.wires)
    if step not in keys:
        return ToldStage("ends", f"{record.name} has no field {step!r}; it has {known}")
    refused = record.gathers is not None or record.refuses
    becomes = "it is refused" if refused else "it is left out"
    return ToldStage("unknown", f"{record.name} has no such field: {becomes}; it has {known}", not refused)


def _without_others(data: Any, steps: tuple[str, ...], unnamed: set[int]) -> Any:
    """The data on the way to a value; where paths do not name a key, without its neighbours."""
    if not steps:
        return data
    found = below(data, steps[0])
    if found is None:
        return data
    step, held = found
    inner = _without_others(held, steps[1:], {each - 1 for each in unnamed})
    if isinstance(step, int):
        return [*data[:step], inner, *data[step + 1 :]]
    return {step: inner} if 0 in unnamed else {**data, step: inner}


def _by_document(
    engine: DocumentEngine, data: object, steps: tuple[str, ...], faults: tuple[Fault, ...]
) -> tuple[Path, list[ToldStage]]:
    """What the schemas of a document say of a value."""
    path, value, ended = value_at(data, steps)
    told = [ToldStage("came", short(shown(value)))]
    looks = engine.followed(data, path, value)
    own = {f"#{look.place}/{word}" for look in looks for word, _, _ in look.keywords}
    for look in looks:
        told.append(ToldStage("schema", look.place or "(the root)", look.sound))
        told += [ToldStage("keyword", f"{word} {short(_held(held))}", holds) for word, held, holds in look.keywords]
    if ended is not None:
        told.append(ToldStage("ends", f"nothing stands under {ended!r}"))
        path = (*path, ended)
    # What a schema around it says of its key, that it may not be there or must.
    around = [fault for fault in faults if fault.path == path and fault.keyword not in own]
    told += [ToldStage("keyword", f"{fault.keyword}, around it", False) for fault in around]
    return path, told


def _held(held: object) -> str:
    """What stands under a keyword; of schemas only that there are some."""
    if isinstance(held, dict):
        return f"of {', '.join(map(str, held))}" if held else "of nothing"
    if isinstance(held, list) and any(isinstance(each, dict) for each in held):
        return f"of {len(held)} schemas"
    return json.dumps(held, ensure_ascii=False, default=str)
