"""Keys that nobody declared, sorted among the several fields of a record that gather them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
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


@dataclass(frozen=True, slots=True)
class RestOf:
    """The key under which a typed record's data hold what a field has gathered: no key that is sent can be it."""

    wire: str

    def __str__(self) -> str:
        return self.wire


class RestSorter:
    """Tells which field gathers a key: the first whose type of keys admits it."""

    def __init__(self, shape: Shape, rests: tuple[Field, ...], reading: Reading) -> None:
        self.own = tuple(RestOf(field.wire) for field in rests)
        self.tests = tuple(_test(shape, field, reading) for field in rests)

    def which(self, key: Any) -> int | None:
        """The number of the field, None where none gathers it."""
        if isinstance(key, RestOf):
            return self.own.index(key)
        return next((number for number, test in enumerate(self.tests) if test(key)), None)

    def apart(self, gathered: Mapping[Any, Any]) -> tuple[Dicts, dict[Any, Any]]:
        """What each field gathers, and what none does. What a typed record has gathered is taken as it is."""
        if not gathered.keys().isdisjoint(self.own):
            others = {key: value for key, value in gathered.items() if key not in self.own}
            return tuple(gathered.get(own, {}) for own in self.own), others
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


def attributes_in_data(record: Record) -> tuple[tuple[str, Any], ...]:
    """The attributes that a record has when it is made, with their keys in the data."""
    gathered = [(rest.attribute, RestOf(rest.wire)) for rest in record.rests]
    return (*((field.attribute, field.wire) for field in record.fields if not field.only_given), *gathered)


def taken_keys(record: Record) -> tuple[str, ...]:
    """The keys that no rest gathers, as they are read as a field, or not at all."""
    named = (name for field in record.fields for name in (field.wire, *field.also))
    return tuple(dict.fromkeys((*named, *(field.wire for field in record.computed))))


def flat(data: Mapping[Any, Any]) -> dict[Any, Any]:
    """The data of a typed record as they were sent: what was gathered beside the fields."""
    made = {key: value for key, value in data.items() if not isinstance(key, RestOf)}
    for key, value in data.items():
        if isinstance(key, RestOf) and isinstance(value, Mapping):
            made |= {name: held for name, held in value.items() if name not in made}
    return made


def dict_by_wire(data: dict[Any, Any], names: Mapping[str, Any], known: frozenset[str]) -> dict[Any, Any]:
    """A typed dict, whose keys are attributes, by the keys of the data.

    Its rests stand in it under their names. Where others do that nobody declared, nothing was gathered yet: it is all
    of one.
    """
    own = {name for name, key in names.items() if isinstance(key, RestOf)}
    if not own.isdisjoint(data) and not all(
        isinstance(value, Mapping) if name in own else name in names or name in known for name, value in data.items()
    ):
        names = {name: key for name, key in names.items() if name not in own}
    return {names.get(key, key): value for key, value in data.items()}


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
