"""Instances that one version accepts and the other refuses: found at the place of a change, and made small."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import cached_property
from itertools import chain, islice
from json import dumps
from random import Random
from typing import TYPE_CHECKING, Any, Final

from ..declare.json_pointer import steps_of
from ..gates.document import DocumentGate
from ..prove.smaller import smallest
from ..sample.cannot_sample import CannotSample
from ..sample.of_document import DocumentPayloads
from .bounds import beside
from .changes import ANY, Change, Path

if TYPE_CHECKING:
    from .one_version import OneVersion

Refuses = Callable[[Any], "list[str] | None"]
"""Gives the pointers at which plain data is refused; None where it is admitted."""

_BASES: Final = 16
_DRAWS: Final = 8
_MOST_TRIES: Final = 1_500
_MOST_SHRINKS: Final = 20_000
_NEAR: Final = 300
_BASES_FILLED: Final = 4
_MOST_FILLED: Final = 400
_MOST_CONSTANTS: Final = 60
_CONSTANTS: Final = (
    "const",
    "enum",
    "default",
    "examples",
    "minimum",
    "maximum",
    "exclusiveMinimum",
    "exclusiveMaximum",
)
LEFT_OUT: Final = object()
"""In the place of a value: the key is not there."""


def refused_by(document: DocumentGate) -> Refuses:
    """What asks a document."""

    def refuses(data: Any) -> list[str] | None:
        verdict = document.examine(data)
        return None if verdict else [fault.pointer for fault in verdict.faults]

    return refuses


class Witness:
    """An instance that tells two versions apart, checked against both."""

    __slots__ = ("at", "instance")

    def __init__(self, instance: Any, at: list[str]) -> None:
        self.instance = instance
        self.at = at


class Accepting:
    """A version that is to accept: its gate, its document, sound data of it, and what is a little beside such data."""

    def __init__(
        self,
        accepts: Callable[[Any], bool],
        refuses: Refuses,
        document: DocumentGate,
        payloads: list[Any],
        near: Callable[[], list[Any]],
        seed: int,
    ) -> None:
        self.accepts = accepts
        self.refuses = refuses
        self.document = document
        self.near = near
        self._maker = DocumentPayloads(document._engine, Random(seed))
        made = payloads or list(self._drawn_whole())
        plain: tuple[Any, ...] = ({}, [], "", 0, True, None)
        least = [one for one in plain if accepts(one)]
        # The smallest first: what is found in them is small too.
        self.bases = [*least, *sorted(made, key=lambda one: len(dumps(one, default=str)))]

    @classmethod
    def sent(cls, side: OneVersion, document: DocumentGate, count: int, seed: int) -> Accepting:
        """A version that accepts what is sent, by its gate."""
        made = side.payloads(count, seed)
        return cls(side.accepts, side.refuses, document, made, lambda: side.near(_NEAR, seed), seed)

    @classmethod
    def released(cls, side: OneVersion, document: DocumentGate, count: int, seed: int) -> Accepting:
        """What reads what a version releases, by its document."""
        made = side.releases(count, seed)
        return cls(document.accepts, refused_by(document), document, made, lambda: side.near(_NEAR, seed), seed)

    def _drawn_whole(self) -> Iterator[Any]:
        """Sound data by the document alone, where the gate gives none."""
        for _ in range(_BASES):
            try:
                made = self._maker.make()
            except CannotSample:
                return
            if self.accepts(made):
                yield made

    def drawn(self, part: Any) -> Iterator[Any]:
        """Values that its schemas accept at a place."""
        nodes = [piece.node for piece in part]
        for _ in range(_DRAWS if nodes else 0):
            try:
                self._maker._left = 200
                yield self._maker.part(nodes, (), 1)
            except (CannotSample, RecursionError):
                return


class Witnesses:
    """Looks for instances that one version accepts and another refuses."""

    def __init__(self, accepting: Accepting, refusing: Accepting) -> None:
        self._accepting = accepting
        self._refusing = refusing
        one, other = accepting.bases, refusing.bases
        # Where keys came and went, what has those of both lets one change be shown apart from the others.
        both = [_merged(one[at % len(one)], each) for at, each in enumerate(other) if one]
        self._bases = [*both, *_spread(one, other)]

    @cached_property
    def _near(self) -> list[Any]:
        """What is a little beside sound data of both, and such data with the constants that either document names."""
        found = [*self._accepting.near(), *self._refusing.near()]
        named = [each for one in (self._accepting, self._refusing) for each in constants_of(one.document.declared)]
        for base in [*self._accepting.bases[:_BASES_FILLED], *self._refusing.bases[:_BASES_FILLED]]:
            found += islice(_filled(base, named), _MOST_FILLED)
        return found

    @cached_property
    def _further(self) -> list[tuple[Any, list[str]]]:
        """Of these what shows it, and where."""
        return [(each, at) for each in self._near if (at := self._shows(each)) is not None]

    def any(self, longer: int = 0) -> Witness | None:
        """The smallest instance found that shows anything at all; `longer` tries lists of so many items."""
        lists = (each for base in self._bases for each in _lengthened(base, longer)) if longer else ()
        shows = (each for each in chain(self._bases, lists) if self._shows(each) is not None)
        found = next(chain(shows, (each for each, _ in self._further)), LEFT_OUT)
        return None if found is LEFT_OUT else self.least_of(found)

    def _shows(self, instance: Any) -> list[str] | None:
        """Where the one refuses an instance that the other accepts; None where it does not."""
        if not self._accepting.accepts(instance) or self._refusing.accepts(instance):
            return None
        return self._refusing.refuses(instance)

    def of(self, change: Change, part: Any) -> Witness | None:
        """The smallest that was found for a change; `part` are the schemas of the accepting version at its place."""
        tries = 0
        fallback: Any = LEFT_OUT
        for instance in self._instances(change, part):
            tries += 1
            if tries > _MOST_TRIES:
                break
            pointers = self._shows(instance)
            if pointers is None:
                continue
            if all(_is_near(pointer, change) for pointer in pointers):
                return self.least(instance, change, alone=True)
            if fallback is LEFT_OUT and any(_is_near(pointer, change) for pointer in pointers):
                fallback = instance
        if fallback is not LEFT_OUT:
            return self.least(fallback, change)
        near = [each for each, at in self._further if all(_is_near(pointer, change) for pointer in at)]
        return self.least(near[0], change, alone=True) if near else None

    def left_out(self, change: Change) -> Witness | None:
        """The smallest that is refused for the key of a change alone: with it, both versions accept the rest."""

        def without(held: Any) -> Any:
            return next(_placed(held, change.path, LEFT_OUT), LEFT_OUT)

        def shows(held: Any) -> bool:
            gone = without(held)
            if gone is LEFT_OUT or self._shows(gone) is None:
                return False
            return self._accepting.accepts(held) and self._refusing.accepts(held)

        beside = islice((each for base in self._bases for each in _beside(base, change)), _MOST_TRIES)
        for held in chain(beside, self._near):
            if shows(held):
                found = without(smallest(held, shows, _MOST_SHRINKS))
                return Witness(found, self._refusing.refuses(found) or [])
        return None

    def least_of(self, instance: Any) -> Witness:
        """An instance that shows it, made smaller."""
        found = smallest(instance, lambda smaller: self._shows(smaller) is not None, _MOST_SHRINKS)
        return Witness(found, self._refusing.refuses(found) or [])

    def least(self, instance: Any, change: Change, *, alone: bool = False) -> Witness:
        """An instance made smaller, as long as it shows it, and at the same place; with `alone`, at no other."""
        test = all if alone else any

        def shows(smaller: Any) -> bool:
            pointers = self._shows(smaller)
            return pointers is not None and test(_is_near(pointer, change) for pointer in pointers)

        found = smallest(instance, shows, _MOST_SHRINKS)
        return Witness(found, self._refusing.refuses(found) or [])

    def beyond(self, document: Callable[[Any], bool], at: str, *, alone: bool) -> Witness | None:
        """The smallest that is refused by the gate alone: the document of the refusing version accepts it.

        `at` is where the rule that refuses tells its fault, in it or in the record around it; with `alone`, any place
        will do, since there is no other rule that could refuse.
        """

        def shows(instance: Any) -> bool:
            pointers = self._shows(instance)
            if pointers is None or not document(instance):
                return False
            return alone or any(_is_near(pointer, place) for pointer in pointers)

        place = Change("", path=steps_of(at))
        rearranged = islice((each for base in self._bases for each in _rearranged(base)), _MOST_TRIES)
        for instance in chain(rearranged, (each for each, _ in self._further)):
            if shows(instance):
                found = smallest(instance, shows, _MOST_SHRINKS)
                return Witness(found, self._refusing.refuses(found) or [])
        return None

    def _instances(self, change: Change, part: Any) -> Iterator[Any]:
        edges = [*change.edges, *([LEFT_OUT] if change.key else [])]
        for base in self._bases[:6]:
            for value in edges:
                yield from _placed(base, change.path, value)
        yield from self._bases
        values = list(self._accepting.drawn(part))
        values += [*edges, *(_odd(each) for each in values[:6])]
        for base in self._bases:
            for value in values:
                yield from _placed(base, change.path, value)


def constants_of(document: Any) -> list[Any]:
    """The values that a document names, and the neighbours of numbers."""
    found: list[Any] = []
    left: list[Any] = [document]
    while left and len(found) < _MOST_CONSTANTS:
        held = left.pop()
        left += held.values() if isinstance(held, dict) else held if isinstance(held, list) else ()
        for word in _CONSTANTS if isinstance(held, dict) else ():
            named = held.get(word, LEFT_OUT)
            several = named if word in ("enum", "examples") and isinstance(named, list) else [named]
            for each in several:
                is_number = isinstance(each, int | float) and not isinstance(each, bool)
                found += beside(each) if is_number else [] if each is LEFT_OUT else [each]
    return found


def _filled(base: Any, named: list[Any]) -> Iterator[Any]:
    """An instance with a constant in the place of each value of its kind, and of the items of a list."""
    for each in named:
        if type(each) is type(base) or (isinstance(each, int | float) and isinstance(base, int | float)):
            yield each
    if isinstance(base, dict):
        for key, held in base.items():
            yield from ({**base, key: each} for each in _filled(held, named))
    elif isinstance(base, list):
        for at, held in enumerate(base[:2]):
            yield from ([*base[:at], each, *base[at + 1 :]] for each in _filled(held, named))


def _merged(one: Any, other: Any) -> Any:
    """What has the keys of both, and the values of the one."""
    if isinstance(one, dict) and isinstance(other, dict):
        return {**other, **{key: _merged(held, other[key]) if key in other else held for key, held in one.items()}}
    if isinstance(one, list) and isinstance(other, list) and other:
        return [_merged(held, other[at % len(other)]) for at, held in enumerate(one)]
    return one


def _beside(base: Any, change: Change) -> Iterator[Any]:
    """An instance as it is, with the edges of a change under the keys beside its own, and rearranged."""
    yield base
    around: Any = base
    for step in change.path[:-1]:
        around = around.get(step) if isinstance(around, dict) else None
    for key in around if isinstance(around, dict) else ():
        for value in change.edges if key != change.key else ():
            yield from _placed(base, (*change.path[:-1], key), value)
    yield from islice(_rearranged(base), 1, None)


def _lengthened(base: Any, count: int) -> Iterator[Any]:
    """An instance with one of its lists made so long, by its own items."""
    if isinstance(base, list) and base:
        yield (base * (count // len(base) + 1))[:count]
    for key, held in base.items() if isinstance(base, dict) else enumerate(base) if isinstance(base, list) else ():
        for each in _lengthened(held, count):
            yield {**base, key: each} if isinstance(base, dict) else [*base[:key], each, *base[key + 1 :]]


def _rearranged(base: Any) -> Iterator[Any]:
    """A record as it is, and with the value of a field in the place of another's: what rules between fields look at."""
    yield base
    if isinstance(base, list):
        for at, held in enumerate(base[:3]):
            yield from ([*base[:at], each, *base[at + 1 :]] for each in islice(_rearranged(held), 1, None))
    if not isinstance(base, dict):
        return
    keys = list(base)
    for key in keys:
        yield {name: held for name, held in base.items() if name != key}
        for other in keys:
            if other != key and type(base[other]) is type(base[key]):
                yield {**base, key: base[other]}
                yield {**base, key: base[other], other: base[key]}
        yield from ({**base, key: each} for each in islice(_rearranged(base[key]), 1, None))
        if isinstance(base[key], int | float) and not isinstance(base[key], bool):
            yield from ({**base, key: number} for number in (0, 1, 2, 3, -1, 0.5, 13, 1000))
        if isinstance(base[key], str):
            yield from ({**base, key: text} for text in ("", "x", "abc", "X", base[key] + "x"))


def _spread(one: list[Any], other: list[Any]) -> list[Any]:
    """Instances of both by turns."""
    made: list[Any] = []
    for at in range(max(len(one), len(other))):
        made += [each[at] for each in (one, other) if at < len(each)]
    return made[: 2 * _BASES]


def _odd(value: Any) -> Any:
    """A value a little beside another."""
    if isinstance(value, str):
        return f" {value} "
    if isinstance(value, bool) or value is None:
        return "x"
    if isinstance(value, int | float):
        return value + 0.5 if abs(value) < 2**53 else value + 1
    return LEFT_OUT if isinstance(value, dict) else [*value, *value] if isinstance(value, list) else value


def _placed(base: Any, path: Path, value: Any) -> Iterator[Any]:
    """An instance with another value at a place, where the base has such a place."""
    if not path:
        if value is LEFT_OUT:
            return
        if isinstance(base, dict) and isinstance(value, dict):
            yield {**base, **value}
        yield value
        return
    step, further = path[0], path[1:]
    if isinstance(base, dict):
        keys = list(base) if step == ANY else [step]
        for key in keys[:2] or ["x"]:
            if not further:
                if value is LEFT_OUT:
                    if key in base:
                        yield {name: held for name, held in base.items() if name != key}
                else:
                    yield {**base, key: value}
            else:
                for inner in _placed(base.get(key, {}), further, value):
                    yield {**base, key: inner}
    elif isinstance(base, list):
        at = 0 if step == ANY else int(step) if step.isdecimal() else None
        if at is None or (value is LEFT_OUT and not further):
            return
        if at >= len(base):
            filled = [*base, *([base[-1]] * (at - len(base)) if base else [])]
            if len(filled) == at:
                yield from ([*filled, inner] for inner in _within({}, further, value))
            return
        for inner in _within(base[at], further, value):
            yield [*base[:at], inner, *base[at + 1 :]]


def _within(held: Any, further: Path, value: Any) -> Iterator[Any]:
    if further:
        yield from _placed(held, further, value)
    elif value is not LEFT_OUT:
        yield value


def _is_near(pointer: str, change: Change) -> bool:
    """Whether a fault stands at the place of a change, in it, or at the record that lacks a key."""
    steps = steps_of(pointer)
    wanted = list(change.path)
    if change.key and wanted and wanted[-1] == change.key and len(steps) == len(wanted) - 1:
        wanted = wanted[:-1]
    if len(steps) < len(wanted):
        return False
    return all(want in (ANY, step) for want, step in zip(wanted, steps, strict=False))
