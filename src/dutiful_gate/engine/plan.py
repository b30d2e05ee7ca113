"""What both writers of functions need to know, and the few pieces of source that they share."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Hashable, Mapping
from enum import Enum
from functools import cached_property
from typing import Any, Protocol

from ..declare.absent import ABSENT
from ..declare.facts import Own
from ..declare.kinds import Kind, Text
from ..declare.kinds.base import IN_TEXT, NUMBERS, PLAIN
from ..declare.limits import Limits
from ..declare.marks import Copied
from ..declare.outside import Outside
from ..declare.records import RecordRule
from ..declare.rules.waiting import WaitingCheck
from ..declare.sources import Reading, Source
from ..declare.values import Value
from ..shape.asked_outside import asked_in_secret, outside_of, waiting_of
from ..shape.known_defaults import EMPTY
from ..shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar, Sealing
from ..shape.shape import Field, Record, Shape
from ..shape.stages import stages_of
from ..shape.to_json import nearest_first
from ..shape.uses import Use
from ..shape.walk import uses_of
from .choosing import chooser, tag_chooser


class Binder(Protocol):
    """What names constants for generated code."""

    def bind(self, constant: object, hint: str) -> str:
        """A name for a constant."""

    def bind_class(self, declared: type) -> str:
        """A name for a class of the developer's."""


class Plan(Value):
    """A shape, and how it is to be read; `outgoing` where it is that of what goes out.

    `refused_again`  whether the gate that reads what goes out refuses unknown keys
    `is_part`        whether its data is a part of something larger, as the body of a request is
    """

    shape: Shape
    source: Source
    refuse_unknown: bool = False
    limits: Limits = Limits()
    outgoing: bool = False
    refused_again: bool = False
    is_part: bool = False

    @property
    def reading(self) -> Reading:
        """How values are read, where nothing says otherwise."""
        return self.source.reading

    def refuses_unknown(self, record: Record) -> bool:
        """Whether a key that a record does not know is a fault."""
        return not record.rests and (record.unknown == "refuse" or (self.refuse_unknown and not record.unknown))

    @cached_property
    def asks(self) -> tuple[Outside[Any], ...]:
        """The values from outside that it asks for."""
        return outside_of(self.shape)

    @cached_property
    def waits_for(self) -> tuple[WaitingCheck, ...]:
        """The checks that wait."""
        return waiting_of(self.shape)

    @cached_property
    def asked_in_secret(self) -> frozenset[Hashable]:
        """Those of them that are asked about what is secret."""
        return asked_in_secret(self.shape)

    @cached_property
    def is_mixed(self) -> bool:
        """Whether parts of the data are of other sources."""
        return any(use.source is not None for use in uses_of(self.shape))

    @cached_property
    def may_drop(self) -> bool:
        """Whether some record leaves out keys that nobody declared, or that are not taken."""
        return not all(map(self._keeps_all, self.shape.records.values()))

    def _keeps_all(self, record: Record) -> bool:
        return self.refuses_unknown(record) or (bool(record.rests) and not barred_keys(record))

    def fitted(self, kind: Kind) -> Kind:
        """A kind within the limits."""
        return kind.within(self.limits.depth)


class Reader(Protocol):
    """What reads data by a plan: an engine."""

    def sound(self, data: Any) -> Any:
        """The value, or what says why there is none."""

    def collect(self, data: Any) -> tuple[Any, Any]:
        """The value or REFUSED, and what was found."""


_READERS: list[Callable[[Plan], Reader]] = []


def reads_by(make: Callable[[Plan], Reader]) -> None:
    """Let plans be read by what this makes: said by the engine, which stands above those who ask for a reader."""
    _READERS[:] = [make]


def reader_of(plan: Plan) -> Reader:
    """What reads a part by a plan of its own."""
    return _READERS[0](plan)


def known_keys(plan: Plan, record: Record, *, withheld: bool = False) -> frozenset[str]:
    """The keys that are not unknown: those of the fields, and for the whole of a data file its editor's `$schema`.

    Those of fields that are not taken are among them where the others are gathered: `withheld`.
    """
    wires = frozenset(field.wire for field in (*record.fields, *record.computed) if withheld or not field.withheld)
    if withheld:
        wires = wires.union(*(field.also for field in record.fields if field.withheld))
    whole = plan.shape.root.node.leads_to == record.key and plan.source.in_json and not plan.is_part
    whole = whole and record.unknown != "refuse"  # which is to the letter
    return wires | {"$schema"} if whole else wires


def barred_keys(record: Record) -> frozenset[str]:
    """The keys of fields that are not taken from the data."""
    return frozenset(name for field in record.fields if field.withheld for name in (field.wire, *field.also))


def collection(writer: Binder, into: str) -> str:
    """The source of the class that a collection is built into."""
    return writer.bind(deque, "deque") if into == "deque" else into


def options_in_order(plan: Plan, node: Branches, reading: Reading) -> tuple[Use, ...]:
    """The options of a union in the order in which they are tried: of typed records, a subclass before its base."""
    if not reading.is_typed:
        return node.options
    return tuple(node.options[number] for number in nearest_first(node.options, plan.shape))


def may_retry(plan: Plan) -> bool:
    """Whether two options of a union may read what is inside one value."""
    for use in uses_of(plan.shape):
        node = use.node
        if not isinstance(node, Branches) or node.held:
            continue
        if not plan.reading.is_json or plan.is_mixed:
            return True
        holding = [classes_read(option, plan) & {dict, list} for option in node.options]
        if not node.tag and any(one & other for at, one in enumerate(holding) for other in holding[at + 1 :]):
            return True
    return False


# The plain values that may be equal to a constant of a class.
_OF_CHOICES: dict[type, frozenset[type]] = {
    str: IN_TEXT, int: NUMBERS, float: NUMBERS, bool: frozenset([bool]), type(None): frozenset([type(None)])
}  # fmt: skip


def classes_read(use: Use, plan: Plan) -> frozenset[type]:
    """The classes of plain values that may be of a use, when it is read from JSON."""
    return PLAIN - classes_refused(use, plan)


def classes_refused(use: Use, plan: Plan, seen: frozenset[str] = frozenset()) -> frozenset[type]:
    """The classes of plain values that are surely none of a use, when it is read from JSON: it need not be tried."""
    stages = stages_of(use, Reading.PLAIN)
    if stages.split or stages.blank:
        return frozenset()
    if stages.via is not None:
        return classes_refused(stages.via, plan, seen)
    match use.node:
        case Entries() | Link():
            return PLAIN - {dict}
        case Branches(tag=tag) if tag:
            return PLAIN - {dict}
        case Items() | Fixed():
            return PLAIN - {list}
        case Nothing():
            return PLAIN - {type(None)}
        case Choice(wire, lenient=False):
            return PLAIN.difference(*(_OF_CHOICES.get(type(each), PLAIN) for each in wire))
        case Scalar(kind):
            return PLAIN - kind.comes_as
        case Sealing(inner):
            return classes_refused(inner, plan, seen)
        case Nullable(inner):
            return classes_refused(inner, plan, seen) - {type(None)}
        case Branches(options=options, held="", tag=""):
            return frozenset.intersection(*(classes_refused(option, plan, seen) for option in options))
        case Alias(key) if key not in seen:
            return classes_refused(plan.shape.aliases[key], plan, seen | {key})
        case _:
            return frozenset()


def tag_reader(writer: Binder, node: Branches, plan: Plan, reading: Reading) -> str:
    """The name of the function that finds which option a tag's value belongs to."""
    fields = [
        field.use.node
        for option in node.options
        if isinstance(option.node, Link) and not node.held
        for field in plan.shape.records[option.node.key].fields
        if field.wire == node.tag
    ]
    lenient = any(isinstance(choice, Choice) and choice.lenient for choice in fields)
    return writer.bind(tag_chooser(node.tags, reading, lenient=lenient, others=node.others), "WHICH")


def is_text(key: Use) -> bool:
    """Whether a key is text, and not read from text."""
    return key.node.single is not None and isinstance(key.node.single.strict, Text)


def takes_null(use: Use, aliases: Mapping[str, Use]) -> bool:
    """Whether null is a value of a use, as far as it can be told from what stands there."""
    match use.node:
        case Nullable() | Nothing():
            return True
        case Sealing(inner):
            return takes_null(inner, aliases)
        case Choice(wire=wire):
            return None in wire
        case Branches(options=options):
            return any(takes_null(option, aliases) for option in options)
        case Alias(key):
            return takes_null(aliases[key], aliases)
        case _:
            return use.node.facts.open


def may_be_blank(use: Use, reading: Reading, aliases: Mapping[str, Use]) -> bool:
    """Whether an empty text stands for nothing here: in all-text sources, unless text is what is wanted."""
    if not reading.is_text or use.is_reread:
        return False
    match use.node:
        case Nullable(inner) | Sealing(inner):
            return may_be_blank(inner, reading, aliases)
        case Scalar(kind):
            return not kind.facts.text or kind.facts.open
        case Choice(wire=wire):
            return "" not in wire
        case Branches(options=options):
            return all(may_be_blank(option, reading, aliases) for option in options)
        case Alias(key):
            return may_be_blank(aliases[key], reading, aliases)
        case _:
            return True


def holds_text(use: Use) -> bool:
    """Whether a list holds text: then an empty text is one of its items."""
    node = use.node
    if not isinstance(node, Items):
        return False
    kind = node.item.kind
    return kind is not None and kind.facts.text


def all_sent(record: Record, rule: RecordRule, value_of: Mapping[str, str]) -> list[str]:
    """The tests for whether an amendment has all that a rule mentions; none for other records."""
    if not record.mends or rule.of_whole:
        return []
    lacking = {field.attribute for field in record.fields if field.may_lack}
    return [f"{value_of[name]} is not ABSENT" for name in rule.fields if name in lacking]


def constructed(writer: Binder, record: Record, value_of: Mapping[str, str]) -> str:
    """The call that builds a record from its fields' variables."""
    builder = writer.bind(Own(record.builder), "MAKE") if record.runs_own else writer.bind_class(record.builder)
    if record.form == "tuple" and not record.rests:
        return f"{builder}({', '.join(value_of[field.attribute] for field in record.fields)})"
    lacking = {field.attribute for field in record.fields if field.may_lack}
    arguments = ", ".join(f"{name}={value}" for name, value in value_of.items() if name not in lacking)
    if lacking:
        sent = ", ".join(f"{name}={value}" for name, value in value_of.items() if name in lacking)
        arguments = f"{arguments + ', ' if arguments else ''}**{writer.bind(_sent, 'WHAT_CAME')}({sent})"
    return f"{builder}({arguments})"


def _sent(**values: object) -> dict[str, object]:
    """The values that came."""
    return {name: value for name, value in values.items() if value is not ABSENT}


def attribute_of(writer: Binder, field: Field, record: str) -> str:
    """The expression that takes a field from an object."""
    if field.getter is not None:
        return f"{writer.bind(Own(field.getter), 'GET')}({record})"
    return f"{record}.{field.attribute}"


def default_source(writer: Binder, field: Field) -> str:
    """The expression that stands in for a field that is absent."""
    if field.may_lack:
        return "ABSENT"
    if field.factory is not None:
        plain = field.factory in EMPTY or isinstance(field.factory, Copied)
        return f"{writer.bind(field.factory if plain else Own(field.factory), 'FACTORY')}()"
    return writer.bind(field.default, "DEFAULT")


def choice_ready(writer: Binder, choice: Choice, reading: Reading, value: str) -> str | None:
    """The test for a choice of texts that are their own values; None where choosing takes more."""
    if choice.owner is not None or reading.is_typed or choice.lenient:
        return None
    if not all(type(plain) is str and plain is held for plain, held in zip(choice.wire, choice.values, strict=True)):
        return None
    return f"{value}.__class__ is str and {value} in {writer.bind(frozenset(choice.wire), 'CHOICES')}"


def choice_reader(writer: Binder, choice: Choice, reading: Reading) -> str:
    """The name of the function that chooses."""
    return writer.bind(chooser(choice.wire, choice.values, reading, lenient=choice.lenient), "CHOOSE")


def is_lone_text(choice: Choice) -> bool:
    """Whether all that stands in the data for a choice is text."""
    return not choice.lenient and all(type(plain) is str for plain in choice.wire)


def member_table(choice: Choice) -> dict[str, Enum]:
    """Members by the text that stands for them."""
    return dict(zip(choice.wire, choice.values, strict=True))  # type: ignore[arg-type]
