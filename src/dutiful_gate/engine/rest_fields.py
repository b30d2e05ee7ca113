"""Keys that nobody declared, sorted among the several fields of a record that gather them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ..declare.facts import Stop
from ..declare.kinds import Text
from ..declare.sources import Reading, read_so
from ..report.fault import Path
from ..shape.nodes import Entries, Scalar
from ..shape.shape import Field, Record, Shape
from ..shape.uses import Use
from ..shape.walk import part_of
from .plan import Plan, is_text, reader_of
from .runtime import Log

Dicts = tuple[dict[Any, Any], ...]


class RestSorter:
    """Tells which field gathers a key: the first whose type of keys admits it."""

    def __init__(self, shape: Shape, rests: tuple[Field, ...], reading: Reading) -> None:
        self.wires = tuple(field.wire for field in rests)
        self.tests = tuple(_test(shape, field, reading) for field in rests)

    def which(self, key: Any) -> int | None:
        """The number of the field, None where none gathers it."""
        return next((number for number, test in enumerate(self.tests) if test(key)), None)

    def apart(self, gathered: Mapping[Any, Any]) -> tuple[Dicts, dict[Any, Any]]:
        """What each field gathers, and what none does. A typed record has its own: they are taken as they are."""
        if gathered and all(wire in gathered for wire in self.wires):
            return tuple(gathered[wire] for wire in self.wires), {}
        made: Dicts = tuple({} for _ in self.tests)
        left: dict[Any, Any] = {}
        for key, value in gathered.items():
            number = self.which(key)
            (left if number is None else made[number])[key] = value
        return made, left

    def sound(self, gathered: Mapping[Any, Any]) -> Dicts | None:
        """What each field gathers, None where a key is none's."""
        made, left = self.apart(gathered)
        return None if left else made

    def is_misplaced(self, number: int, held: object) -> bool:
        """Whether a field holds a key that another one would gather when it is read again."""
        return isinstance(held, Mapping) and any(self.which(key) != number for key in held)

    def note_misplaced(self, number: int, held: object, path: Path, log: Log, cause: Any) -> None:
        """A fault for each such key."""
        if isinstance(held, Mapping):
            log.faults += [((*path, key), cause, None, None) for key in held if self.which(key) != number]


def sorter_of(plan: Plan, record: Record, reading: Reading) -> RestSorter:
    """The sorter of a record, for keys as they stand in data that is read so."""
    return RestSorter(plan.shape, record.rests, reading)


def _test(shape: Shape, field: Field, reading: Reading) -> Callable[[Any], bool]:
    assert isinstance(field.use.node, Entries)  # the record was made so
    key = field.use.node.key
    if key == Use(Scalar(Text())):
        return lambda text: isinstance(text, str)
    held: list[Any] = []

    def test(text: Any) -> bool:
        if not held:
            read = reading if is_text(key) else reading.of_keys
            held.append(reader_of(Plan(part_of(shape, key), read_so(read))))
        engine = held[0]
        return engine.sound(text).__class__ is not Stop or engine.collect(text)[0].__class__ is not Stop

    return test
