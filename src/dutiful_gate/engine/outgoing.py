"""The shape of what goes out: a value made in code is held against it before it is released.

Its rules are judged on values in their final form, so that normalising steps run first. What is one way (see
`shape/one_way.py`) is not asked again: the moment of checking (a booking for yesterday still goes out), functions of
the developer's own that are not declared for both ways, and what stands before a step that makes another value.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cached_property, partial
from typing import Any

from ..declare.applicability import Takes
from ..declare.equality import SOUND, keys_of, standing
from ..declare.facts import Bind, Facts, Stop, Unsaid
from ..declare.kinds import Kind, PlainData
from ..declare.limits import Limits
from ..declare.rules import Distinct, Face, Rule
from ..declare.rules.base import Opaque
from ..declare.sources import Reading, Source
from ..declare.steps import Step
from ..shape.final_forms import keeps_form, survives
from ..shape.nodes import Branches, Choice, Items, Nullable, Scalar, Sealing, Turned
from ..shape.one_way import is_for_admission, is_told_apart
from ..shape.own_types import must_differ
from ..shape.shape import Record, Shape
from ..shape.stages import stages_of
from ..shape.to_json import WayBack, plain, way_back
from ..shape.uses import MISSING, Use
from ..shape.walk import every, held_by, leads, part_of, rebuilt_shape, uses_of
from .plan import Plan, reader_of


class _AtTheWayOut(Opaque):
    """A rule that no declaration has: only values that go out are asked."""

    def numbers(self) -> Mapping[str, object]:
        """It has none."""
        return {}

    def keywords(self, facts: Facts) -> Mapping[str, object] | Unsaid:
        """It says nothing of data that came."""
        return {}


class Sendable(_AtTheWayOut):
    """A value that has a form in JSON which is read as the same value again."""

    kind: Kind

    def condition(self, value: str, bind: Bind) -> str:
        """Whether its form in JSON is read as the same value."""
        return f"{bind(self.kind.goes_out, 'goes_out')}({value})"

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        """The one way to fail."""
        return (Face(self.condition(value, bind), "reading", "{phrase} that JSON can say"),)

    def __str__(self) -> str:
        return "sendable"


class OfKind(_AtTheWayOut):
    """A value of any type that is of a kind which a rule beside it can judge, though the rule is not asked."""

    kind: Takes

    def condition(self, value: str, bind: Bind) -> str:
        """It is asked for by what it takes."""
        return "True"

    def takes(self) -> Takes:
        """The kind."""
        return self.kind

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        """It has no way to fail but by its kind."""
        return ()

    def __str__(self) -> str:
        return "of a kind"


class Something(_AtTheWayOut):
    """No null, which would be read as nothing again: what is sealed in an optional field."""

    def condition(self, value: str, bind: Bind) -> str:
        """Whether there is one."""
        return f"{value} is not None"

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        """The one way to fail."""
        return (Face(self.condition(value, bind), "kind", "a value that is sealed, or null itself"),)

    def __str__(self) -> str:
        return "something"


class DistinctAgain(_AtTheWayOut):
    """Items that differ as they are read again: of `int | float`, 2.0 comes back as the whole number that it is."""

    shape: Shape
    item: Use

    def condition(self, value: str, bind: Bind) -> str:
        """Whether their plain data is read as items that differ."""
        return f"{bind(self._differ_typed, 'differ_again')}({value})"

    def differ(self, plainly: list[Any]) -> bool:
        """The same of plain data."""
        read = self._reads(plainly)[0]
        return read.__class__ is Stop or standing(keys_of(read)) == SOUND

    def _differ_typed(self, value: Iterable[Any]) -> bool:
        items = list(value)
        try:  # those that are equal as they are have been told of
            return standing(keys_of(items)) != SOUND or self.differ(
                [plain(self.item, each, self.shape) for each in items]
            )
        except StopIteration:  # a value of none of the options is told as that
            return True

    @cached_property
    def _reads(self) -> Callable[[Any], Any]:
        held = part_of(self.shape, Use(Items(self.item, "list")))
        return reader_of(Plan(held, Source.JSON, False, Limits())).collect

    def faces(self, value: str, facts: Facts, bind: Bind) -> tuple[Face, ...]:
        """They fail as items do that are alike."""
        return (Face(self.condition(value, bind), "repeat", "items that differ", "one of them again"),)

    def __str__(self) -> str:
        return "distinct again"


def outgoing(shape: Shape) -> Shape:
    """The shape that values have when they go out."""
    # A document beside a type judges what came: where that changes on the way, it says nothing of what goes out.
    shape = rebuilt_shape(shape, lambda use: use if keeps_form(use, shape.aliases) else use.replace(documents=()))
    shape = rebuilt_shape(shape, partial(_told_apart, shape))
    shape = rebuilt_shape(shape, _sealed)
    shape = rebuilt_shape(shape, partial(_read_again, shape))
    shape = rebuilt_shape(shape, partial(_outgoing_use, shape))
    return shape.replace(records={key: _outgoing_record(record) for key, record in shape.records.items()})


def _outgoing_record(record: Record) -> Record:
    fields = tuple(field for field in record.fields if not field.only_given)
    there = {field.attribute for field in fields}
    rules = tuple(rule for rule in record.rules if there.issuperset(rule.fields) and not is_for_admission(rule))
    checks = tuple(check for check in record.checks if not is_for_admission(check))
    return record.replace(fields=fields, rules=rules, checks=checks, documents=(), runs_own=False)


def _outgoing_use(shape: Shape, use: Use) -> Use:
    turned = way_back(use, shape)
    if turned is not None:
        return _turned(shape, use, turned)
    stages = stages_of(use, Reading.TYPED)
    parts = stages.parts
    kept = tuple(
        part
        for number, part in enumerate(parts)
        if isinstance(part, Step) or (not is_for_admission(part) and survives(part, parts[number + 1 :]))
    )
    node = Scalar(PlainData()) if stages.made else use.node
    if isinstance(node, Choice):
        node = node.replace(lenient=False)
    if isinstance(node, Scalar):
        kind, settling = node.kind.strict.outgoing()
        node = Scalar(kind)
        kept = (*settling, *kept)
        if kind.may_not_go_out:
            kept = (*kept, Sendable(kind))
    if use.node.facts.open and not stages.made:
        kinds = tuple(takes for part in parts if part not in kept and (takes := part.takes()) is not None)
        kept = (*map(OfKind, kinds), *kept)
    # A blank text is read as nothing: so it goes out as nothing. What a function made of one is its own affair.
    inner = use.bare
    blank = use.blank and not (isinstance(inner.node, Scalar) and isinstance(inner.node.kind, PlainData))
    return use.replace(node=node, parts=kept, via=None, split="", blank=blank)


def _turned(shape: Shape, use: Use, turned: WayBack) -> Use:
    """A use whose values go out as they came: what was made is judged, and what it is turned back into."""
    typed = None if turned.typed is None else _outgoing_use(shape, turned.typed)
    node = Turned(_outgoing_use(shape, turned.inner), turned.back, turned.of, typed)
    after = use.after_making or ()
    kept = tuple(
        part
        for number, part in enumerate(after)
        if isinstance(part, Step) or (not is_for_admission(part) and survives(part, after[number + 1 :]))
    )
    return use.replace(node=node, parts=kept, via=None, split="", blank=False, documents=())


def _told_apart(shape: Shape, use: Use) -> Use:
    """Where what tells the options of a union apart is not asked, the first that a value is of will do."""
    alone = isinstance(use.node, Branches) and use.node.alone
    return use.replace(node=use.node.replace(alone=False)) if alone and not is_told_apart(shape, use.node) else use  # type: ignore[arg-type]


def _sealed(use: Use) -> Use:
    """What an optional field seals is not null, unless reading may make null of what came."""
    if not (isinstance(use.node, Nullable) and isinstance(use.node.inner.node, Sealing)):
        return use
    sealing = use.node.inner
    held = use.node.inner.node.inner
    inner = held.bare
    if any(each.blank or each.has_steps or each.making or each.fallback is not MISSING for each in (held, inner)):
        return use
    if isinstance(inner.node, Scalar) and inner.facts.open:
        inner = inner.replace(parts=(*inner.parts, Something()))
    return use.replace(node=Nullable(sealing.replace(node=Sealing(inner))))


def _read_again(shape: Shape, use: Use) -> Use:
    """Items that must differ, and may be read as others than they were, are read again."""
    node = use.node
    if isinstance(node, Items) and must_differ(use) and _is_read_otherwise(shape, node.item):
        return use.replace(parts=(*use.parts, DistinctAgain(shape, node.item)))
    return use


def _is_read_otherwise(shape: Shape, item: Use) -> bool:
    """Whether an option of a union may make another value of what a later one gave out.

    Where records or functions of the developer's own are in it, nothing is read again: they are not asked at release.
    """
    part = part_of(shape, item)
    uses = uses_of(part)
    if part.records or any(
        use.making or use.via or any(isinstance(each, Rule) and each.functions for each in use.parts) for use in uses
    ):
        return False
    return any(isinstance(use.node, Branches) and any(each.has_steps for each in use.node.options) for use in uses)


def is_judged_inside(shape: Shape) -> bool:
    """Whether a rule of an outgoing shape asks for what is inside a value, and steps may change that on the way.

    Then a value is brought into its final form as a whole before it goes out; else rule by rule, while it does.
    """
    changing = _changing(shape)

    def changes(use: Use) -> bool:
        return any(each.has_steps or each.blank or each.node.leads_to in changing for each in every(use))

    for use in uses_of(shape):
        single = use.bare.node.is_single
        if not single and any(_looks_inside(part) for part in use.parts) and changes(use.replace(parts=())):
            return True
    for record in shape.records.values():
        if record.checks and record.key in changing:
            return True
        for rule in record.rules:
            for name in () if rule.asks_presence_only else rule.fields:
                use = record.by_attribute[name].use
                settled = use.bare.node.is_single and use.fallback is MISSING
                if not settled and changes(use):
                    return True
    return False


def _looks_inside(part: Step | Rule) -> bool:
    """Whether it asks more of a collection or record than how many items it has, or that they differ as data."""
    if isinstance(part, Distinct):
        return part.key is not None
    return not (isinstance(part, Step | _AtTheWayOut) or part.measures_size)


def _changing(shape: Shape) -> frozenset[str]:
    """The records and aliases that hold something which steps change, however deep."""
    held = held_by(shape.records, shape.aliases)
    found = {
        key for key, uses in held.items() if any(each.has_steps or each.blank for use in uses for each in every(use))
    }
    leading = leads(held)
    while new := {key for key, following in leading.items() if key not in found and not found.isdisjoint(following)}:
        found |= new
    return frozenset(found)
