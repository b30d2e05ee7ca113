"""Plain data that a gate admits, made by walking its shape."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from datetime import datetime, timedelta
from random import Random
from typing import Any

from ..declare.facts import Stop
from ..declare.field_comparison import FieldComparison
from ..declare.kinds import Kind, LocalMoment, MomentKind, Text
from ..declare.records import RecordRule
from ..declare.rules import Rule
from ..declare.sources import Reading, Source
from ..declare.steps import OwnMaking, Step
from ..document.beside_types import BesideType
from ..engine.engine import Engine
from ..engine.parts import Parts
from ..engine.plan import Plan
from ..shape.asked_outside import sampled
from ..shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar, Sealing
from ..shape.shape import Field, Record, Shape
from ..shape.stages import stages_of
from ..shape.to_json import belongs, plain
from ..shape.uses import MISSING, Use
from .cannot_sample import TRIES, CannotSample
from .text import NamedWish

# Of all parts of one payload together: where records hold records that are hard to find, tries would multiply.
_MOST_TRIES = 4_000
_LARGEST = 100_000
# Deeper down, or once there are so many values, only what must be there is made.
_DEEP = 3
_MANY = 600
_OF_DOCUMENT = 8
_OF_ALL_MAKES = (
    "a",
    "abc",
    "word",
    "ABC",
    "Word",
    "7",
    "42",
    "a1",
    "x-y",
    "x_y",
    "1.5",
    "true",
    "",
    "{}",
    "\u00e9t\u00e9",
)
"""Texts of several makes, for functions of which nothing is known."""
_DEEPEST = 60  # past it, a type leads to itself without an end


class Payloads:
    """Makes plain data for one shape, the same for the same seed."""

    def __init__(self, shape: Shape, random: Random) -> None:
        self.shape = shape
        self.random = random
        self._parts = Parts(Plan(shape, Source.JSON))
        self._wholes = {key: Use(Link(key)) for key in shape.records}
        self._left = _MOST_TRIES
        self._made = 0
        self.tries = 0
        """How many parts were made in vain by now."""

    def make(self) -> Any:
        """One sound payload. Raises CannotSample where the rules leave nothing that could be found."""
        self._left, self._made = _MOST_TRIES, 0
        try:
            with sampled(self.shape):
                return self.use(self.shape.root, 0, "")
        finally:
            self.tries += _MOST_TRIES - self._left

    def ends(self, depth: int) -> bool:
        """Whether a payload is deep or large enough: nothing more goes in than must."""
        return depth > _DEEP or self._made > _MANY

    def engine(self, use: Use) -> Engine:
        """Reads a part of the shape on its own."""
        return self._parts.engine(use)

    def is_sound(self, use: Use, made: Any) -> bool:
        """Whether a part of a payload would be admitted, and not by a fall-back."""
        engine = self.engine(use)
        if engine.sound(made).__class__ is not Stop and use.fallback is MISSING:
            return True
        value, log = engine.collect(made)
        return value.__class__ is not Stop and not log.fallbacks

    def use(self, use: Use, depth: int, name: str) -> Any:
        """A sound value where a node is used."""
        if depth > _DEEPEST:
            raise CannotSample(name, use.facts.phrase)
        if self._made > _LARGEST:
            raise CannotSample.too_large(name, f"more than {_LARGEST:,} values")
        examples = use.about.examples
        if examples and self.random.random() < 0.3:
            return self.random.choice(list(examples))
        making = use.bare.making
        samples = making.samples if isinstance(making, OwnMaking) else ()
        offered: list[Any] | None = None
        for tried in range(TRIES):
            try:
                likely = samples and self.random.random() < 0.8
                made = self.random.choice(samples) if likely else self.attempt(use, depth, name)
            except CannotSample:
                if examples:
                    return self.random.choice(list(examples))
                raise
            if tried % 4 == 3:  # it is not found easily: what the rules offer may be it
                if offered is None:
                    offered = self.offered(use)
                    self.random.shuffle(offered)
                made = offered[tried // 4 % len(offered)] if offered else made
            if self.is_sound(use, made):
                self._made += 1
                return made
            self._left -= 1
            if self._left < 0:
                break
        if examples:
            return self.random.choice(list(examples))
        raise CannotSample(name, use.facts.phrase)

    def offered(self, use: Use) -> list[Any]:
        """What the rules beside a type offer as passing them, as plain data."""
        inner = use.bare
        told = [each for part in use.parts if isinstance(part, Rule) for each in part.examples(use.facts)]
        found = [plain(inner, each, self.shape) for each in told if belongs(inner, each, self.shape)]
        kind = inner.node.single
        if isinstance(kind, Text) and (use.documents or any(part.functions for part in use.parts)):
            found += _OF_ALL_MAKES
        return found + [
            made for each in use.documents if isinstance(each, BesideType) for made in self._of_document(each)
        ]

    def _of_document(self, beside: BesideType) -> Iterator[Any]:
        """What a document that stands beside a type accepts."""
        from .of_document import DocumentPayloads

        maker = DocumentPayloads(beside.engine, self.random)
        with suppress(CannotSample):
            for _ in range(_OF_DOCUMENT):
                yield maker.make()

    def attempt(self, use: Use, depth: int, name: str) -> Any:
        """What may be sound."""
        random = self.random
        stages = stages_of(use, Reading.PLAIN)
        if stages.blank and random.random() < 0.1:
            return random.choice(["", "  "])
        if stages.split:
            parts = self.node(use.node, use.parts, depth, name)
            return stages.split.join(_as_text(each) for each in parts) if isinstance(parts, list) else parts
        if stages.via is not None:
            made = self.node(use.node, use.parts, depth, name) if random.random() < 0.6 else MISSING
            if made is not MISSING and made is not None and stages.reading.is_text:
                return _as_text(made)
            return self.attempt(stages.via, depth, name)
        return self.node(use.node, use.parts, depth, name)

    def node(self, node: Any, parts: Sequence[Step | Rule], depth: int, name: str) -> Any:
        """What may be sound for a node with the rules beside it."""
        random = self.random
        match node:
            case Scalar(kind):
                return self.scalar(kind, self.wish(parts, name))
            case Nothing():
                return None
            case Choice(wire=wire):
                return random.choice(wire)
            case Items(item):
                return self.items(item, self.wish(parts, name), depth)
            case Fixed(items):
                count = len(items)
                if node.tail is not None:
                    usual = count + (0 if self.ends(depth) else random.randint(0, 2))
                    count = max(self.wish(parts, name).count(usual), count)
                return [self.use(item, depth + 1, name) for item in node.per_item(count)]
            case Entries(key, value):
                usual = 0 if self.ends(depth) or _is_barred(value) else random.randint(0, 3)
                count = self.wish(parts, name).count(usual)
                return {
                    _as_text(self.use(key, depth + 1, name)): self.use(value, depth + 1, name) for _ in range(count)
                }
            case Branches(options=options, held=held) if held:
                at = random.randrange(len(options))
                return {node.tag: random.choice(node.tags[at]), held: self.use(options[at], depth + 1, name)}
            case Branches(options=options):
                options = tuple(option for option in options if not _is_barred(option)) or options
                option = self.shallow(options) if self.ends(depth) else random.choice(options)
                return self.use(option, depth, name)
            case Sealing(inner):
                return self.attempt(inner, depth, name)
            case Nullable(inner):
                if random.random() < 0.2 or self.ends(depth - 1):
                    return None
                return self.attempt(inner.replace(parts=(*inner.parts, *parts)) if parts else inner, depth, name)
            case Link(key):
                return self.record(self.shape.records[key], depth)
            case Alias(key):
                return self.attempt(self.shape.aliases[key], depth, name)

    def shallow(self, options: Sequence[Use]) -> Use:
        """An option that does not lead further down, where there is one."""
        flat = [option for option in options if option.node.is_single]
        return self.random.choice(flat or list(options))

    def wish(self, parts: Sequence[Step | Rule], name: str) -> NamedWish:
        """What the rules beside a type ask for."""
        wish = NamedWish(self.random, name, parts)
        if wish.least > _LARGEST:
            raise CannotSample.too_large(name, f"a length of {wish.least:,}")
        return wish

    def items(self, item: Use, wish: NamedWish, depth: int) -> list[Any]:
        """A list of as many items as the rules ask for."""
        usual = 0 if self.ends(depth) or _is_barred(item) else self.random.randint(0, 3)
        made = [self.use(item, depth + 1, wish.name) for _ in range(wish.count(usual))]
        for held in wish.held:
            if belongs(item, held, self.shape) and self.random.random() < 0.9:
                made.insert(0, plain(item, held, self.shape))
        return made

    def record(self, record: Record, depth: int) -> dict[str, Any]:
        """A record whose fields are sound, and what they must be to each other too."""
        made: dict[str, Any] = {}
        for _ in range(TRIES):
            made = {}
            for field in record.fields:
                if _is_barred(field.use) and not field.required:
                    continue
                if field.required or self.random.random() < (0.05 if self.ends(depth) else 0.7):
                    wire = random_wire(field, self.random)
                    made[wire] = self.field(field, depth)
            for gathers in () if self.ends(depth) else record.rests:
                if isinstance(gathers.use.node, Entries):
                    rest = self.use(gathers.use, depth + 1, gathers.attribute)
                    made.update({key: held for key, held in rest.items() if key not in made})
            if self.agrees(record, made, depth) or self._left < 0:
                return made
            self._left -= 1
        return made

    def field(self, field: Field, depth: int) -> Any:
        """A value for a field."""
        return self.use(field.use, depth + 1, field.attribute)

    def agrees(self, record: Record, made: dict[str, Any], depth: int) -> bool:
        """Whether the record as a whole is sound, after some mending of fields that do not go together."""
        engine = self.engine(self._wholes[record.key])
        by_name = {field.attribute: field for field in record.fields}
        self.bring_together(record, by_name, made)
        for _ in range(12):
            if engine.sound(made).__class__ is not Stop:
                return True
            value, _ = engine.collect(made)
            if value.__class__ is not Stop:
                return True
            self._left -= 1
            if not record.rules or self._left < 0:
                return False
            rule: RecordRule = self.random.choice(record.rules)
            names = [by_name[name].wire for name in rule.fields if name in by_name]
            there = [name for name in names if name in made]
            if len(there) == 2 and self.random.random() < 0.5:
                made[there[0]], made[there[1]] = made[there[1]], made[there[0]]
            elif names:
                wire = self.random.choice(names)
                field = next(field for field in record.fields if field.wire == wire)
                if wire in made and not field.required and self.random.random() < 0.5:
                    del made[wire]
                else:
                    made[wire] = self.field(field, depth)
        return False

    def bring_together(self, record: Record, by_name: Mapping[str, Field], made: dict[str, Any]) -> None:
        """Let what must be later be a few hours later, not weeks."""
        for rule in record.rules:
            if not isinstance(rule, FieldComparison) or not rule.orders or len(rule.fields) != 2:
                continue
            fields = [by_name[name] for name in rule.fields if name in by_name]
            kinds = [_kind_of(field.use) for field in fields]
            if len(fields) != 2 or not all(isinstance(kind, MomentKind | LocalMoment) for kind in kinds):
                continue
            late, early = fields if rule.sign.startswith(">") else fields[::-1]
            kind, start = _kind_of(late.use), made.get(early.wire)
            if late.wire in made and isinstance(start, str) and kind is not None:
                moment = kind.reader(Reading.PLAIN)(start)
                if isinstance(moment, datetime) and moment.year < 9999:
                    made[late.wire] = kind.plain(moment + timedelta(minutes=15 * self.random.randint(3, 24)))

    def scalar(self, kind: Kind, wish: NamedWish) -> Any:
        """A single value."""
        return kind.plain(self.random.choice(wish.only)) if wish.only else kind.draw(wish)


def random_wire(field: Field, random: Random) -> str:
    """A name under which a field may come, mostly its own."""
    return random.choice(field.also) if field.also and random.random() < 0.3 else field.wire


def _kind_of(use: Use) -> Kind | None:
    node = use.bare.node
    return node.kind if isinstance(node, Scalar) else None


def _as_text(made: Any) -> str:
    if isinstance(made, bool):
        return str(made).lower()
    return "" if made is None else str(made)


def _is_barred(use: Use) -> bool:
    """Whether no value is of a use."""
    return use.node.single is not None and not use.node.single.comes_as
