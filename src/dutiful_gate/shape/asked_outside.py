"""What a shape asks outside of the data: values that are handed over, checks that wait; and what is left without."""

from __future__ import annotations

from collections.abc import Hashable, Iterator
from contextlib import ExitStack, contextmanager
from typing import Any

from ..declare.answers import Assumed, answered_by, found_waiting, is_waiting_anywhere
from ..declare.errors import DeclarationError
from ..declare.outside import Outside, asks_outside, found_outside, handed, is_asked_anywhere, missing, outside_values
from ..declare.rules import Rule
from ..declare.rules.waiting import WaitingCheck
from .nodes import Scalar
from .shape import Record, Shape
from .uses import Use
from .walk import fields_of, part_of, rebuilt_shape, uses_of


def outside_of(shape: Shape) -> tuple[Outside[Any], ...]:
    """The values from outside that rules and functions ask for, each once.

    Raises DeclarationError for two of one name and of different types.
    """
    if not is_asked_anywhere():
        return ()
    found: dict[str, Outside[Any]] = {}
    for each in _asked(shape):
        known = found.setdefault(each.name, each)
        if known.kind != each.kind:
            raise DeclarationError(
                f"two values from outside are called {each.name}, and are of different types",
                remedy="give one of them another name",
            )
    return tuple(found.values())


def _asked(shape: Shape) -> Iterator[Outside[Any]]:
    for use in uses_of(shape):
        yield from _asked_by(use)
    for record in shape.records.values():
        yield from found_outside((record.rules, record.checks, record.builder))
        for field in fields_of(record):
            yield from found_outside((field.factory, field.getter))


def _asked_by(use: Use) -> Iterator[Outside[Any]]:
    held = [use.parts, use.making, use.fallback]
    if isinstance(use.node, Scalar):
        held.append(use.node.kind)
    yield from found_outside(held)


@contextmanager
def sampled(shape: Shape) -> Iterator[None]:
    """Within it, the first sample stands for each value from outside that a shape asks for and nobody hands over, and
    checks that wait say yes, unasked.

    Raises TypeError, saying what to do, for a value without samples.
    """
    asked = [each for each in outside_of(shape) if each.name not in handed()]
    if lacking := [each.name for each in asked if not each.samples]:
        name = lacking[0]
        raise TypeError(f'{missing(lacking)} Or give it samples once: outside("{name}", ..., samples=[...])')
    with ExitStack() as around:
        if asked:
            around.enter_context(outside_values(*(each(each.samples[0]) for each in asked)))
        if is_waiting_anywhere():
            around.enter_context(answered_by(Assumed()))
        yield


def waiting_of(shape: Shape) -> tuple[WaitingCheck, ...]:
    """The checks that wait, each once."""
    return tuple(dict.fromkeys(check for check, _ in _waiting(shape)))


def asked_in_secret(shape: Shape) -> frozenset[Hashable]:
    """The functions, by what tells them apart, that are asked about what is secret: their words are not to be told."""
    hidden: set[Hashable] = set()
    for check, where in _waiting(shape):
        if where in shape.guarded:
            hidden.add(check.mark)
    for use in uses_of(shape):
        if use.secret:
            hidden.update(check.mark for check, _ in _waiting(part_of(shape, use)))
    return frozenset(hidden)


def _waiting(shape: Shape) -> Iterator[tuple[WaitingCheck, str]]:
    """The checks that wait, each with the key of the record of which it judges the whole, "" for none."""
    if not is_waiting_anywhere():
        return
    for use in uses_of(shape):
        yield from ((check, use.node.leads_to) for check in found_waiting(use.parts))
    for key, record in shape.records.items():
        yield from ((check, key) for check in found_waiting((record.rules, record.checks)))


def without_asking(shape: Shape) -> Shape:
    """The shape without the rules that ask outside of the data, to judge what the declaration itself holds."""
    if not outside_of(shape) and not waiting_of(shape):
        return shape

    def asks(held: object) -> bool:
        return asks_outside(held) or next(found_waiting(held), None) is not None

    def judged(use: Use) -> Use:
        kept = tuple(part for part in use.parts if not (isinstance(part, Rule) and asks(part)))
        return use.replace(parts=kept)

    def plainer(record: Record) -> Record:
        rules = tuple(rule for rule in record.rules if not asks(rule))
        checks = tuple(check for check in record.checks if not asks(check))
        # What is handed over for a field, nobody has handed over yet: who asks, what is opened.
        fields = tuple(field.replace(factory=None) if asks(field.factory) else field for field in record.fields)
        return record.replace(rules=rules, checks=checks, fields=fields)

    shape = rebuilt_shape(shape, judged)
    return shape.replace(records={key: plainer(record) for key, record in shape.records.items()})
