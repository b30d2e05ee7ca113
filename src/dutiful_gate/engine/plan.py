"""What both writers of functions need to know, and the few pieces of source that they share."""

from __future__ import annotations

from collections.abc import Mapping
from enum import Enum

from ..declare.facts import Bind, Source
from ..declare.kinds import Anything, Kind, Text
from ..declare.kinds.lenient import Lenient
from ..declare.limits import Limits
from ..declare.records import RecordRule
from ..declare.rules import Rule
from ..declare.steps import Step
from ..declare.values import Value
from ..shape.nodes import Choice, Field, Link, Nullable, Record, Scalar, Shape, Use
from ..source.writer import Writer
from .runtime import chooser


class Plan(Value):
    """A shape, and how it is to be read."""

    shape: Shape
    source: Source
    refuse_unknown: bool = False
    limits: Limits = Limits()

    def fitted(self, kind: Kind) -> Kind:
        """A kind within the limits."""
        return kind.but(depth=self.limits.depth) if isinstance(kind, Anything) else kind


def after_making(parts: tuple[Step | Rule, ...]) -> tuple[Step | Rule, ...] | None:
    """What stands after the last step that makes another value, None when there is no such step."""
    for at in range(len(parts), 0, -1):
        part = parts[at - 1]
        if isinstance(part, Step) and not part.normalising:
            return parts[at:]
    return None


def known_keys(plan: Plan, record: Record) -> frozenset[str]:
    """The keys that are not unknown: those of the fields, and for the whole of a data file its editor's `$schema`."""
    wires = frozenset(field.wire for field in record.fields)
    root = plan.shape.root.node
    whole = isinstance(root, Link) and root.key == record.key and plan.source is Source.JSON
    return wires | {"$schema"} if whole else wires


def is_text(key: Use) -> bool:
    """Whether a key is text, and not read from text."""
    kind = key.node.kind if isinstance(key.node, Scalar) else None
    return isinstance(kind.inner if isinstance(kind, Lenient) else kind, Text)


def may_be_blank(use: Use, source: Source) -> bool:
    """Whether an empty text stands for nothing here: in all-text sources, unless text is what is wanted."""
    if source is not Source.TEXT or use.via is not None or use.split:
        return False
    match use.node:
        case Nullable(inner):
            return may_be_blank(inner, source)
        case Scalar(kind):
            return not kind.facts.text
        case Choice(wire=wire):
            return "" not in wire
        case _:
            return False


def all_sent(record: Record, rule: RecordRule, value_of: Mapping[str, str]) -> list[str]:
    """The tests for whether an amendment has all that a rule mentions; none for other records."""
    if not record.mends or getattr(rule, "of_whole", False):
        return []
    lacking = {field.attribute for field in record.fields if field.may_lack}
    return [f"{value_of[name]} is not ABSENT" for name in dict.fromkeys(rule.fields) if name in lacking]


def presence_of(
    fields: Mapping[str, Field], value_of: Mapping[str, str], rule: RecordRule | None = None
) -> dict[str, str]:
    """What a record rule may write for each field: its variable, or for rules of presence the test for a value.

    Without a rule, the tests.
    """
    if rule is not None and rule.needs_values:
        return dict(value_of)
    tests: dict[str, str] = {}
    for name, field in fields.items():
        value = value_of[name]
        sent = f"{value} is not ABSENT" if field.may_lack else "True"
        there = f"{value} is not None" if field.use.may_be_null or field.default is None else "True"
        both = [test for test in (sent, there) if test != "True"]
        tests[name] = " and ".join(both) or "True"
        tests[f"?{name}"] = sent
        tests[f"={name}"] = value
    return tests


def record_condition(fields: Mapping[str, Field], value_of: Mapping[str, str], rule: RecordRule, bind: Bind) -> str:
    """The source of a record rule's condition; times of day with and without an offset do not compare."""
    condition = rule.condition(presence_of(fields, value_of, rule), bind)
    times = [name for name in rule.fields if name in fields and fields[name].use.facts.sort == "time"]
    ordered = getattr(getattr(rule, "when", rule), "orders", False)
    if not times or not ordered:
        return condition
    kinds = [f"({value_of[name]}.tzinfo is None)" for name in times]
    alike = " == ".join(kinds) if len(kinds) > 1 else kinds[0]
    if rule.needs_values:
        return f"{alike} and {condition}"
    there = presence_of(fields, value_of)
    return f"({' and '.join(there[name] for name in times)} and not ({alike}) or {condition})"


def constructed(writer: Writer, record: Record, value_of: Mapping[str, str]) -> str:
    """The call that builds a record from its fields' variables."""
    builder = writer.bind_class(record.builder)
    if record.form == "tuple":
        return f"{builder}({', '.join(value_of[field.attribute] for field in record.fields)})"
    arguments = ", ".join(f"{name}={value}" for name, value in value_of.items())
    return f"{builder}({arguments})"


def build(writer: Writer, record: Record, made: str, value_of: Mapping[str, str]) -> None:
    """Write the making of a record, into the variable `made`, of its fields' variables."""
    if record.form == "dict":
        _build_dict(writer, record, made, value_of)
        return
    if not record.stores or not all(name.isascii() for name in value_of):
        writer.write(f"{made} = {constructed(writer, record, value_of)}")
        return
    writer.write(f"{made} = {writer.bind(object.__new__, 'new')}({writer.bind_class(record.builder)})")
    for name, held in value_of.items():
        writer.write(f"{made}.{name} = {held}")


def _build_dict(writer: Writer, record: Record, made: str, value_of: Mapping[str, str]) -> None:
    """A dict by attribute; what was absent and has no default stays absent."""
    lacking = {field.attribute for field in record.fields if field.may_lack}
    keys = {name: writer.key(name, trusted=True) for name in value_of}
    sure = ", ".join(f"{keys[name]}: {held}" for name, held in value_of.items() if name not in lacking)
    writer.write(f"{made} = {{{sure}}}")
    for name, held in value_of.items():
        if name in lacking:
            with writer.block(f"if {held} is not ABSENT:"):
                writer.write(f"{made}[{keys[name]}] = {held}")


def default_source(writer: Writer, field: Field) -> str:
    """The expression that stands in for a field that is absent."""
    if field.may_lack:
        return "ABSENT"
    if field.factory is not None:
        return f"{writer.bind(field.factory, 'FACTORY')}()"
    return writer.bind(field.default, "DEFAULT")


def choice_ready(writer: Writer, choice: Choice, source: Source, value: str) -> str | None:
    """The test for a choice of texts that are their own values; None where choosing takes more."""
    if choice.owner is not None or source is Source.NATIVE:
        return None
    if not all(type(plain) is str and plain is held for plain, held in zip(choice.wire, choice.values, strict=True)):
        return None
    return f"{value}.__class__ is str and {value} in {writer.bind(frozenset(choice.wire), 'CHOICES')}"


def choice_reader(writer: Writer, choice: Choice, source: Source) -> str:
    """The name of the function that chooses."""
    return writer.bind(chooser(choice.wire, choice.values, source), "CHOOSE")


def is_lone_text(choice: Choice) -> bool:
    """Whether all that stands in the data for a choice is text."""
    return all(type(plain) is str for plain in choice.wire)


def member_table(choice: Choice) -> dict[str, Enum]:
    """Members by the text that stands for them."""
    return dict(zip(choice.wire, choice.values, strict=True))  # type: ignore[arg-type]
