"""What a shape asks for from outside, and what is left of it where nothing is handed over."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from ..declare.errors import DeclarationError
from ..declare.outside import Outside, found_outside, handed, is_asked_anywhere, missing, outside_values
from ..declare.rules import Rule
from .nodes import Scalar
from .shape import Record, Shape
from .uses import Use
from .walk import fields_of, rebuilt_shape, uses_of


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
    """Within it, the first sample stands for each value from outside that a shape asks for and nobody hands over.

    Raises TypeError, saying what to do, for one without samples.
    """
    asked = [each for each in outside_of(shape) if each.name not in handed()]
    if lacking := [each.name for each in asked if not each.samples]:
        name = lacking[0]
        raise TypeError(f'{missing(lacking)} Or give it samples once: outside("{name}", ..., samples=[...])')
    if not asked:
        yield
        return
    with outside_values(*(each(each.samples[0]) for each in asked)):
        yield


def without_outside(shape: Shape) -> Shape:
    """The shape without the rules that ask for values from outside, to judge what the declaration itself holds."""
    if not outside_of(shape):
        return shape

    def judged(use: Use) -> Use:
        kept = tuple(part for part in use.parts if not (isinstance(part, Rule) and any(found_outside(part))))
        return use.replace(parts=kept)

    def plainer(record: Record) -> Record:
        rules = tuple(rule for rule in record.rules if not any(found_outside(rule)))
        checks = tuple(check for check in record.checks if not any(found_outside(check)))
        return record.replace(rules=rules, checks=checks)

    shape = rebuilt_shape(shape, judged)
    return shape.replace(records={key: plainer(record) for key, record in shape.records.items()})
