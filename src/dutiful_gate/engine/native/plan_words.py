"""The plan of a shape for the native core: flat words of 32 bits, and the constants they lead to.

Its grammar, beside the forms of `declare/native_forms.py`:

* the plan: MAGIC, VERSION, the root, the most levels, the most items, whether fractions keep their digits, whether
  keys that nobody declared are to be told, the classes that are watched, the most bytes of a text,
  whether all data is text;
* a node: its form, where its parts stand (0 for none), and what it holds, at least two words;
* parts: how many, then four words each;
* a record: RECORD_MARK, the builder, how it is built, whether it refuses unknown keys, the names of arguments, and the
  numbers of fields, other names, rules and checks; then these;
* a field: its node, attribute, name in the data, what it is when it is absent (`LACK`, above it bits such as
  `WITHHELD`), and what stands in then; another name: the name and the number of its field;
* a rule between fields: its form, its sign, its function, the number of its fields, and these;
* watched classes: how many, then each with its constructor and what makes an instance.
"""

from __future__ import annotations

from array import array
from collections import deque
from collections.abc import Callable, Sequence
from typing import Any, Final

from ...declare.facts import REFUSED
from ...declare.hash_limits import crowded
from ...declare.marks import Copied
from ...declare.native_forms import (
    BLANK,
    CLASSES,
    MAGIC,
    NODES,
    NUMBERED,
    RECORD_MARK,
    SHORT,
    VERSION,
    WITHHELD,
)
from ...declare.sealed import Sealed
from ...declare.sources import Source
from ...shape.known_defaults import EMPTY
from ...shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar, Sealing
from ...shape.shape import Field, Record
from ...shape.stages import stages_of
from ...shape.uses import MISSING, Use
from ..choosing import chooser
from ..hash_limits import spreads
from ..plan import Plan, classes_read, holds_text, is_text, known_keys, may_be_blank, takes_null
from ..walk.frame import Aim, Frame
from ..walk.pen import Pen
from ..walk.quick import Quick
from ..walk.walk import SETS
from .words import NativePlan, PlanWords

_CLASS_BITS: Final = dict(
    zip((type(None), bool, int, float, str, list, dict), map((1).__lshift__, range(7)), strict=True)
)
assert len(_CLASS_BITS) == len(CLASSES)


class NoNative(Exception):
    """A plan that the core has no way to read."""


def native_plan(plan: Plan, *, notes_unknown: bool, deep: bool) -> NativePlan | None:
    """The plan for the native core, None where there is none, as for data of several sources.

    `deep` tells that data may nest deeper than the limit, which what is called from there does not look for.
    """
    known = (plan.reading.is_json and plan.source.in_json) or (plan.source is Source.TEXT and not plan.shape.aliases)
    if not known or plan.is_mixed or plan.outgoing:
        return None
    try:
        return _PlanWriter(plan, notes_unknown=notes_unknown, deep=deep).whole()
    except NoNative:
        return None


class _PlanWriter(PlanWords):
    def __init__(self, plan: Plan, *, notes_unknown: bool, deep: bool) -> None:
        super().__init__(plan, Quick(plan, Pen(), Aim(notes_unknown=notes_unknown)), 10)
        self.notes_unknown = notes_unknown
        self.deep = deep
        self.text = plan.reading.is_text
        self._records: dict[tuple[str, bool], int] = {}
        self._aliases: dict[tuple[str, bool], int] = {}
        self._watched: dict[type, None] = {}
        self._waiting: list[Callable[[], None]] = []

    def whole(self) -> NativePlan:
        """All of it."""
        plan = self.plan
        root = self.use(plan.shape.root, self.quick.frame.inner(value="value", given="value"))
        while self._waiting:  # one after the other: records may lead to each other through thousands
            self._waiting.pop()()
        watched = self._words_of_watched()
        flags = int(plan.shape.exact), int(self.notes_unknown)
        most = min(plan.limits.items, 0xFFFFFFFF)
        head = [MAGIC, VERSION, root, min(plan.limits.depth, 100_000), most, *flags, watched]
        self.words[:10] = array("I", [*head, min(plan.limits.bytes, 0xFFFFFFFF), int(self.text)])
        return self.finished(f"{plan.shape.name} sound")

    def _words_of_watched(self) -> int:
        words = [len(self._watched)]
        for declared in self._watched:
            made: Any = declared
            words += [self.constant(declared), self.constant(made.__init__), self.constant(made.__new__)]
        return self.block(words)

    # Uses

    def use(self, use: Use, frame: Frame) -> int:
        """Where the node of a use stands."""
        frame = frame.at(use, self.plan)
        stages = stages_of(use, frame.reading)
        if not stages.reads_what_came or stages.documents or use.fallback is not MISSING or _is_open(use):
            return self.called(use, frame)
        return self.node(use, frame)

    def called(self, use: Use, frame: Frame) -> int:
        """A use that Python reads, as one part of its own quick function."""
        if self.quick.memory_argument:  # what was found of data that is tried twice is kept by Python alone
            raise NoNative
        inner = frame.part("data", "path", nesting=0)
        return self.form("call", 0, [self.named(self.quick.part(use, inner)), 2 + self.deep])

    def form(self, name: str, parts: int, held: Sequence[int]) -> int:
        """A node of a form."""
        return self.block([NODES[name].number, parts, *held, *([0] * (2 - len(held)))])

    def node(self, use: Use, frame: Frame) -> int:
        """A use that reads what came."""
        match use.node:
            case Scalar(kind):
                kind = self.plan.fitted(kind)
                native = kind.native(frame.reading)
                form, held = native if native is not None else ("call", ())
                numbers = [self.constant(each) for each in held]
                numbers.append(self.constant(kind.reader(frame.reading)))
                return self.form(form, self.parts(use.parts, use.node.facts, frame), numbers)
            case Nothing() if not self.text:
                return self.form("null", 0, [self.constant(_never)])
            case Choice():
                return self.choice(use, use.node, frame)
            case Items(item, into):
                inner = self.use(item, frame)
                # What is called for it: for a deque its class, for a set what tells of too many with one hash.
                also = deque if into == "deque" else crowded if into in SETS and not spreads(item) else None
                number = NUMBERED["INTO"].index(into)
                parts = self.parts(use.parts, use.node.facts, frame)
                return self.form("list", parts, [number, inner, self.constant(also), self.site(frame, item)])
            case Fixed(items, tail):
                every = [self.use(item, frame) for item in items]
                last = 0 if tail is None else self.use(tail, frame)
                return self.form("fixed", self.parts(use.parts, use.node.facts, frame), [last, len(every), *every])
            case Entries(key, value):
                if not is_text(key) and not self._is_choice_of_text(key):
                    return self.called(use, frame)
                parts = self.parts(use.parts, use.node.facts, frame)
                key_node = self.use(key, frame)
                if self.words[key_node] not in (NODES["text"].number, NODES["choice"].number):
                    return self.called(use, frame)
                site = self.site(frame, key, value) if is_text(key) and not key.parts else self.constant(None)
                return self.form("dict", parts, [key_node, self.use(value, frame), site])
            case Branches():
                return self.branches(use, use.node, frame)
            case Nullable(around):
                blank = may_be_blank(around, frame.reading, self.plan.shape.aliases)
                return self.form("nullable", 0, [self.use(around, frame), int(blank)])
            case Sealing(around):
                return self.form("sealed", 0, [self.constant(Sealed), self.use(around, frame)])
            case Link(key):
                return self.link(key, use, frame)
            case Alias(key):
                return self.alias(key, use, frame)
        return self.called(use, frame)

    def site(self, frame: Frame, *held: Use) -> int:
        """Where a collection stands, as what is made of its first items is handed over by it; None where it is not."""
        dear = any(self.quick._is_dear(use, frame) for use in held)
        told = not self.notes_unknown and any(map(self.quick.may_drop, held))
        return self.constant((*map(id, held), frame.source, frame.reading, "") if dear and not told else None)

    def _is_choice_of_text(self, key: Use) -> bool:
        return isinstance(key.node, Choice) and key.replace(about=key.about) == Use(key.node, about=key.about)

    def choice(self, use: Use, node: Choice, frame: Frame) -> int:
        """One of a few constants."""
        if not node.lenient and all(type(plain) is str for plain in node.wire):
            table = dict(zip(reversed(node.wire), reversed(node.values), strict=True))
            return self.form("choice", self.parts(use.parts, use.node.facts, frame), [self.constant(table)])
        choose = chooser(node.wire, node.values, frame.reading, lenient=node.lenient)
        return self.form("call", self.parts(use.parts, use.node.facts, frame), [self.constant(choose)])

    def branches(self, use: Use, node: Branches, frame: Frame) -> int:
        """A union whose options are told apart by a tag, or by the classes of what comes."""
        if node.held or self.text:
            return self.called(use, frame)
        if node.tag:
            flat = {tag: number for number, tags in enumerate(node.tags) for tag in tags}
            if not all(type(tag) is str for tag in flat) or len(flat) != sum(map(len, node.tags)):
                return self.called(use, frame)
            options = [self.use(option, frame) for option in node.options]
            held = [self.constant(node.tag), self.constant(flat), len(options), *options]
            return self.form("tagged", self.parts(use.parts, use.node.facts, frame), held)
        classes = [classes_read(option, self.plan) for option in node.options]
        if sum(map(len, classes)) != len(frozenset().union(*classes)):
            return self.called(use, frame)
        held = [len(classes)]
        for option, read in zip(node.options, classes, strict=True):
            held += [sum(_CLASS_BITS[each] for each in read), self.use(option, frame)]
        return self.form("union", self.parts(use.parts, use.node.facts, frame), held)

    def alias(self, key: str, use: Use, frame: Frame) -> int:
        """A type that leads to itself by its name."""
        mark = (key, frame.hidden)
        if mark not in self._aliases:
            at = self._aliases[mark] = self.form("same", 0, [0])
            self._waiting.append(lambda: self._fill_alias(key, at, frame))
        parts = self.parts(use.parts, use.node.facts, frame)
        return self.form("same", parts, [self._aliases[mark]]) if parts else self._aliases[mark]

    def _fill_alias(self, key: str, at: int, frame: Frame) -> None:
        self.words[at + 2] = self.use(self.plan.shape.aliases[key], frame)

    # Records

    def link(self, key: str, use: Use, frame: Frame) -> int:
        """A record where it is used."""
        record = self.plan.shape.records[key]
        if not self._has_native(record):
            return self.called(use, frame)
        mark = (key, frame.hidden)
        if mark not in self._records:
            self.record(record, mark, frame)
        return self.form("record", self.parts(use.parts, use.node.facts, frame), [self._records[mark]])

    def _has_native(self, record: Record) -> bool:
        """Whether the core may read a record: what asks for the keys that came, or gathers others, it does not."""
        if record.documents or record.rests or any(rule.counts_keys for rule in record.rules):
            return False
        if record.form != "dict" and any(field.may_lack and not field.marked for field in record.fields):
            return False
        if record.form == "dict" and record.builder is not dict:
            return False
        names = [name for field in record.fields for name in (field.wire, *field.also)]
        return len(set(names)) == len(names)

    def record(self, record: Record, mark: tuple[str, bool], frame: Frame) -> None:
        """A record, and what it holds."""
        frame = frame.within(record, self.plan)
        builder, form, names = self._building(record, frame)
        rules = self.rules(record, frame)
        checks = [self.constant(self.own(check.function, frame)) for check in record.checks]
        also = [(name, number) for number, field in enumerate(record.fields) for name in field.also]
        flat = [word for rule in rules for word in rule]
        never_unknown = known_keys(self.plan, record) - {field.wire for field in record.fields}
        # Inside a secret the names of keys are not told.
        refuses = self.plan.refuses_unknown(record) or (self.notes_unknown and frame.hidden)
        at = self._records[mark] = self.block(
            [RECORD_MARK, builder, form, int(refuses), names]
            + [len(record.fields), len(also), len(rules), len(checks), self.constant(never_unknown)]
            + [0] * (5 * len(record.fields) + 2 * len(also))
            + [*flat, *checks]
        )
        names_at = at + 10 + 5 * len(record.fields)
        for each, (name, number) in enumerate(also):
            self.words[names_at + 2 * each : names_at + 2 * each + 2] = array("I", [self.constant(name), number])
        self._waiting.append(lambda: self._fill(record, at + 10, frame))

    def _fill(self, record: Record, at: int, frame: Frame) -> None:
        """Write the fields of a record in their place."""
        for number, field in enumerate(record.fields):
            self.words[at + 5 * number : at + 5 * number + 5] = array("I", self.field(field, record, frame))

    def _building(self, record: Record, frame: Frame) -> tuple[int, int, int]:
        """What makes a record, in which way, and the names of its arguments."""
        attributes = tuple(field.attribute for field in record.fields)
        built = NUMBERED["BUILT"].index
        if record.form == "dict":
            return self.constant(dict), built("dict"), self.constant(())
        if record.stores and record.form == "object" and all(name.isascii() for name in attributes):
            self._watched[record.builder] = None
            return self.constant(record.builder), built("storing"), self.constant(())
        builder = self.own(record.builder, frame) if record.runs_own else record.builder
        form = "tuple" if record.form == "tuple" else "calling"
        return self.constant(builder), built(form), self.constant(attributes)

    def _told_of(self, field: Field) -> int:
        """What is true of a field, in bits."""
        use, aliases = field.use, self.plan.shape.aliases
        told = WITHHELD if field.withheld else 0
        if self.text and not use.nullable:
            blank = may_be_blank(use, self.plan.reading, aliases) and not (field.required and holds_text(use))
            told += (BLANK if blank else 0) + (0 if takes_null(use, aliases) else SHORT)
        return told

    def field(self, field: Field, record: Record, frame: Frame) -> list[int]:
        """The words of a field."""
        inner = frame.part("value", "path", where=f"{record.name}.{field.attribute}")
        lack, otherwise = "required", self.constant(None)
        if field.may_lack:
            lack = "absent"
        elif field.factory is not None:
            lack = "factory"
            plain = field.factory in EMPTY or isinstance(field.factory, Copied)
            own = None if plain else self.own(field.factory, inner.at(field.use, self.plan))
            otherwise = self.constant(field.factory if plain else own)
        elif field.default is not MISSING:
            lack, otherwise = "default", self.constant(field.default)
        number = NUMBERED["LACK"].index(lack) + (self._told_of(field) << 8)
        node = self.use(field.use, inner)
        return [node, self.constant(field.attribute), self.constant(field.wire), number, otherwise]


def _is_open(use: Use) -> bool:
    """Whether a value may be of any type, so that rules ask what they can judge."""
    return use.node.facts.open and (bool(use.parts) or isinstance(use.node, Scalar))


def _never(value: object) -> object:
    """What is read of anything but null where only null may stand."""
    return REFUSED
