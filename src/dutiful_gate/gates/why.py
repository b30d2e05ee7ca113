"""Why a value is admitted or refused: followed through its gate, or through the schemas of a document."""

from __future__ import annotations

import json
from typing import Any

from ..declare.json_pointer import below, steps_of
from ..document.judging.engine import DocumentEngine
from ..document.judging.following import value_at
from ..engine.engine import Engine
from ..report.fault import Fault, Path
from ..report.hostile_objects import without_liars
from ..report.shown_values import shown
from .base import AnyGate
from .explanation import Explanation, Told, short
from .follower import Follower


def explained(gate: AnyGate[Any], data: object, pointer: str = "") -> Explanation:
    """Follow the value at a JSON Pointer through a gate; the end is what `gate.examine` says of it.

    Raises ValueError for what is no JSON Pointer (RFC 6901).
    """
    if pointer and not pointer.startswith("/"):
        raise ValueError(f"{pointer!r} is no JSON Pointer: write /{pointer}, or nothing for the whole")
    steps = steps_of(pointer)
    try:
        return _explained(gate, data, steps)
    except RecursionError:
        raise
    except Exception:  # something in the data lies about what it is; what a developer's own code raises is raised again
        return _explained(gate, without_liars(data, typed=not gate.reads.in_json), steps)


def _explained(gate: AnyGate[Any], data: object, steps: tuple[str, ...]) -> Explanation:
    faults = gate.examine(data).faults
    engine = gate._engine
    if isinstance(engine, Engine):
        follower = Follower(gate)
        path = follower.follow(gate.shape.root, data, steps)
        told = follower.told
        if follower.unnamed:  # of the keys that paths do not name, this one alone counts
            faults = gate.examine(_without_others(data, steps, follower.unnamed)).faults
    else:
        path, told = _by_document(engine, data, steps, faults)
    came = not any(each.what in ("absent", "ends") for each in told)
    inside = tuple(fault for fault in faults if fault.path[: len(path)] == path)
    return Explanation(path, tuple(told), inside, came=came)


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
) -> tuple[Path, list[Told]]:
    """What the schemas of a document say of a value."""
    path, value, ended = value_at(data, steps)
    told = [Told("came", short(shown(value)))]
    looks = engine.followed(data, path, value)
    own = {f"#{look.place}/{word}" for look in looks for word, _, _ in look.keywords}
    for look in looks:
        told.append(Told("schema", look.place or "(the root)", look.sound))
        told += [Told("keyword", f"{word} {short(_held(held))}", holds) for word, held, holds in look.keywords]
    if ended is not None:
        told.append(Told("ends", f"nothing stands under {ended!r}"))
        path = (*path, ended)
    # What a schema around it says of its key, that it may not be there or must.
    around = [fault for fault in faults if fault.path == path and fault.keyword not in own]
    told += [Told("keyword", f"{fault.keyword}, around it", False) for fault in around]
    return path, told


def _held(held: object) -> str:
    """What stands under a keyword; of schemas only that there are some."""
    if isinstance(held, dict):
        return f"of {', '.join(map(str, held))}" if held else "of nothing"
    if isinstance(held, list) and any(isinstance(each, dict) for each in held):
        return f"of {len(held)} schemas"
    return json.dumps(held, ensure_ascii=False, default=str)
