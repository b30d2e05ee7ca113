"""Which option of a union a value is of, while data passes: by the faults of each, by its tag, by its class."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal
from typing import Any

from ..declare.facts import REFUSED, Stop
from ..declare.phrases import Phrase
from ..declare.sources import FromText, Reading
from ..regex.white_space import BLANKS
from ..report.cause import Cause, none_of_these
from ..report.fault import Path
from ..shape.nodes import spellings
from .runtime import Collector, Log


def closest(
    options: Sequence[Collector],
    value: object,
    path: Path,
    log: Log,
    cause: Cause,
    shown: Callable[[object], object] | None,
) -> Any:
    """The value of the first option that admits it; else the faults of the one that came closest.

    One whose own kind fits is closer than one whose kind does not, one that knows more of the keys that came than one
    that knows less, and fewer faults are closer than more. Where no kind fits, and where several could not read what
    came, one fault tells of all of them. Of equals, one whose faults are inside it is closer. Of options that admit
    what came the one that drops the fewest keys is chosen, before one in which something stands in for a part.

    `shown` makes of what came what may be shown of it, where a secret is at hand.
    """
    best: tuple[tuple[bool, int, int, bool], Log] | None = None
    unread: list[Cause] = []
    loose: tuple[Any, Log] | None = None
    stood_in: tuple[Any, Log] | None = None
    memory = log.memory
    start = len(memory.made)
    for option in options:
        attempt = log.attempt()
        memory.undone(start)
        read = option(value, path, attempt)
        log.tried(path, read, attempt)
        if read.__class__ is not Stop and not attempt.fallbacks:
            if not attempt.dropped:
                log.take(attempt)
                return read
            if loose is None or len(attempt.dropped) < len(loose[1].dropped):
                loose = read, attempt
            continue
        if read.__class__ is not Stop:  # something stands in: only where no option admits what came as it is
            stood_in = stood_in or (read, attempt)
            continue
        misses = any(raw[0] == path and raw[1].code in ("kind", "choice") for raw in attempt.faults)
        outside = any(raw[0] == path for raw in attempt.faults)
        rank = (misses, _strangers(attempt, path), len(attempt.faults) + attempt.untold, outside)
        if len(attempt.faults) == 1 and outside and not misses:
            unread.append(attempt.faults[0][1])
        if best is None or rank < best[0]:
            best = rank, attempt
    if (chosen := loose or stood_in) is not None:
        log.take(chosen[1])
        return chosen[0]
    assert best is not None
    (misses, *_), attempt = best
    if misses:
        log.faults.append((path, cause, value if shown is None else shown(value), None))
    elif len(unread) > 1 and attempt.faults[0][1] is unread[0] and (both := _either(unread)) is not None:
        log.faults.append((path, both, *attempt.faults[0][2:]))
    else:
        log.faults += attempt.faults
        log.untold += attempt.untold
    return REFUSED


def _strangers(attempt: Log, path: Path) -> int:
    """How many keys of what came an option does not know."""
    depth = len(path) + 1
    unknown = sum(len(raw[0]) == depth for raw in attempt.faults if raw[1].code == "unknown")
    return unknown + sum(len(each) == depth for each in attempt.dropped)


def _either(causes: Sequence[Cause]) -> Cause | None:
    """What is wrong with a value that several options could take for theirs and none reads; None where words of one's
    own, or a secret, stand for one of them."""
    if any(cause.own_words is not None or cause.secret for cause in causes):
        return None
    wanted = [Phrase(each.needs, **each.expected, phrase=each.phrase) for each in causes]
    like = causes[0]
    return none_of_these(wanted, "{one}, or {other}").replace(label=like.label, json=like.json, of_key=like.of_key)


def chooser(
    wire: Sequence[object], values: Sequence[object], reading: Reading, *, lenient: bool = False
) -> Callable[[object], object]:
    """The function that finds the value for what came, by the equality of JSON: 1 equals 1.0, and not true."""
    pairs = list(zip(wire, values, strict=True))
    if reading.is_typed:
        exact = {(value.__class__, value): value for value in values}

        def choose_native(came: object) -> object:
            try:
                return exact.get((came.__class__, came), REFUSED)
            except TypeError:
                return REFUSED

        return choose_native

    if reading.is_half_typed:
        as_typed, as_plain, as_text = (
            chooser(wire, values, each, lenient=lenient) for each in (Reading.TYPED, Reading.PLAIN, Reading.TEXT)
        )

        def choose_half_typed(came: object) -> object:
            if came.__class__ is FromText:
                return as_text(str.__str__(came))
            found = as_plain(came)
            return as_typed(came) if found.__class__ is Stop else found

        return choose_half_typed

    table: dict[object, object] = {}
    loose: dict[str, object] = {}
    for plain, value in reversed(pairs):
        table[_json_key(plain)] = value
        if (reading.is_text or lenient) and not isinstance(plain, str):
            loose |= dict.fromkeys(spellings(plain, value), value)

    def choose(came: object) -> object:
        if reading.is_text:
            if not isinstance(came, str):
                return REFUSED
            # Blanks are ignored around numbers and booleans; a text is what it is.
            return table.get((str, came), loose.get(came.strip(BLANKS), REFUSED))
        try:
            found = table.get(_json_key(came), REFUSED)
        except TypeError:
            return REFUSED
        if found.__class__ is Stop and lenient:
            text = came.strip(BLANKS) if isinstance(came, str) else spellings(came, None)[0]
            return loose.get(text, REFUSED) if isinstance(came, str) else table.get((str, text), REFUSED)
        return found

    return choose


def tag_chooser(
    tags: Sequence[Sequence[object]], reading: Reading, *, lenient: bool = False, others: int = -1
) -> Callable[[object], int]:
    """The function that finds which option a tag's value belongs to; for a value of none, that of `others`."""
    flat = [(value, at) for at, values in enumerate(tags) for value in values]
    names, numbers = [value for value, _ in flat], [at for _, at in flat]
    read = reading if reading.is_text else Reading.PLAIN
    choose = chooser(names, numbers, read, lenient=lenient)
    of_text = chooser(names, numbers, Reading.TEXT, lenient=lenient)

    def which(tag: object) -> int:
        if reading.is_text and tag.__class__ is list and len(tag) == 1:
            tag = tag[0]
        found = of_text(str(tag)) if tag.__class__ is FromText else choose(tag)
        return found if isinstance(found, int) else others

    return which


def _json_key(plain: object) -> tuple[type, object]:
    if isinstance(plain, bool):
        return bool, plain
    if isinstance(plain, Decimal):
        # As a double would hold it: what a constant equals does not change by how a number was decoded.
        if plain.is_nan():
            return float, float("nan")
        whole = plain.is_finite() and plain.adjusted() < 400 and plain == plain.to_integral_value()
        return float, int(plain) if whole else float(plain)
    if isinstance(plain, int | float):
        return float, plain
    if isinstance(plain, str):
        return str, plain
    return type(plain), plain
