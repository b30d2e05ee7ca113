"""The plan of a shape for the native way out: typed values to JSON, those that were admitted or those to be checked.

It is flat words and constants like the plan for reading, with other forms (`OUT`): a head of MAGIC, VERSION, the root,
the most levels, the most items, and whether values are checked; nodes of a form, where their parts stand, and what they
hold, two words at least; records of RECORD_MARK, the class, how it was built, and the numbers of fields, rules and
checks; for each field its node, its attribute, its name in JSON with the colon behind it, its place in a tuple, and in
bits whether it may be absent (1) and is looked at only (2); then the rules and checks as in plans for reading.
"""

from __future__ import annotations

import json
from array import array
from collections.abc import Callable, Sequence
from enum import Enum
from functools import partial
from typing import Any, Final

from ...declare.facts import Stop
from ...declare.kinds import Kind, Reader
from ...declare.native_forms import MAGIC, NUMBERED, OUT, PARTS, RECORD_MARK, VERSION
from ...declare.rules import Distinct, Rule
from ...declare.sources import Reading
from ...shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar
from ...shape.shape import Field, Record
from ...shape.to_json import way_back
from ...shape.uses import MISSING, NO_ABOUT, Use
from ...shape.walk import every
from ..outgoing import DistinctAgain, Sendable
from ..plan import Plan, is_text
from ..walk.frame import Frame
from ..walk.outgoing import Outgoing
from ..walk.trusting import Trusting
from .plan_words import NoNative
from .words import NativePlan, PlanWords

PLAIN_DATA: Final = array("I", [MAGIC, VERSION, 6, 400, 0xFFFFFFFF, 0, OUT["as it is"].number, 0, 0, 0]).tobytes()
"""The words for plain data of any sort."""
_HELD: Final[dict[str, Any]] = {"text": str, "whole": int, "number": float, "truth": bool}
"""The classes of values that are written natively, where no other kind of value has them."""
_SENT_BACK: Final = frozenset(["whole", "moment", "local moment", "day", "uuid"])
"""The forms whose values are read again as they were, where they are of the exact class that the core looks for."""
_MOST_LEVELS = 400


def native_out(plan: Plan, *, secrets: bool, checked: bool) -> NativePlan | None:
    """The plan of the way out of sound values, with the values of secrets or without.

    Where values are `checked`, the plan is that of what goes out. None where there is none.
    """
    try:
        return _OutWriter(plan, secrets=secrets, checked=checked).whole()
    except NoNative:
        return None


class _OutWriter(PlanWords):
    def __init__(self, plan: Plan, *, secrets: bool, checked: bool) -> None:
        self.out = (Outgoing if checked else Trusting)(plan, secrets=secrets, exact=True)
        self.out.marks_rare = False
        super().__init__(plan, self.out, 6)
        self.secrets = secrets
        self.checked = checked
        self._records: dict[tuple[str, bool], int] = {}
        self._aliases: dict[tuple[str, bool], int] = {}
        self._waiting: list[Callable[[], None]] = []

    def whole(self) -> NativePlan:
        """All of it."""
        limits = self.plan.limits
        root = self.use(self.plan.shape.root, self.out.frame)
        while self._waiting:
            self._waiting.pop()()
        levels = min(limits.depth if self.checked else _MOST_LEVELS, _MOST_LEVELS)
        most = min(limits.items, 0xFFFFFFFF) if self.checked else 0xFFFFFFFF
        self.words[:6] = array("I", [MAGIC, VERSION, root, levels, most, int(self.checked)])
        return self.finished(f"{self.plan.shape.name} release")

    def form(self, name: str, held: Sequence[int] = (), parts: int = 0) -> int:
        """A node of a form; where it stands."""
        return self.block([OUT[name].number, parts, *held, *([0] * (2 - len(held)))])

    def plainly(self, use: Use, frame: Frame) -> int:
        """A use of which Python makes plain data, which is written then."""
        if self.out.memory_argument:
            raise NoNative
        part = self.out.part(use, frame.part("value", "path", nesting=0))
        return self.form("plain", [self.named(part)])

    def judged(self, use: Use, frame: Frame, kind: Kind | None = None, form: str = "") -> int:
        """Where the rules and steps of a use stand: 0 where nothing is asked."""
        if not self.checked:
            return 0
        parts = [part for part in use.parts if not (isinstance(part, Sendable) and form in _SENT_BACK)]
        first: list[int] = []
        if kind is not None and form == "exact":  # its digits are looked at
            read = self.constant(partial(_read_or_raise, kind.reader(Reading.TYPED)))
            first = [PARTS["step"].number, read, 0, 0]
        return self.parts(parts, use.node.facts, frame, first)

    def use(self, use: Use, frame: Frame) -> int:
        """Where the node of a use stands."""
        frame = frame.at(use, self.plan)
        if way_back(use, self.plan.shape) is not None:
            return self.plainly(use, frame)
        if use.making is not None and not self.checked:
            return self.form("as it is")
        if use.fallback is not MISSING or (self.checked and self._is_odd(use)):
            return self.plainly(use, frame)
        match use.node:
            case Scalar(kind):
                native = kind.native_out()
                if native is None or use.node.facts.open:
                    return self.plainly(use, frame)
                return self.form(native.form, parts=self.judged(use, frame, kind, native.form))
            case Nothing():
                return self.form("null")
            case Choice():
                return self.choice(use, use.node, frame)
            case Items(item, into) if into in ("list", "tuple"):
                held = [self.use(item, frame), NUMBERED["INTO"].index(into)]
                return self.form("list", held, self.judged(use, frame))
            case Fixed(items, tail):
                all_of_them = [self.use(item, frame) for item in items]
                last = 0 if tail is None else self.use(tail, frame)
                return self.form("fixed", [last, len(all_of_them), *all_of_them], self.judged(use, frame))
            case Entries(key, value) if self._is_name(key):
                return self.form("dict", [self.use(value, frame)], self.judged(use, frame))
            case Nullable(inner):
                return self.form("nullable", [self.use(inner, frame)])
            case Branches():
                return self.branches(use, use.node, frame)
            case Link(key):
                return self.link(key, use, frame)
            case Alias(key) if not use.parts:
                return self.alias(key, frame)
        return self.plainly(use, frame)

    def _is_odd(self, use: Use) -> bool:
        """Whether a check asks for what the core has no way to ask: of data, of what is blank, of changed items."""
        if use.blank or use.documents or any(isinstance(part, Distinct | DistinctAgain) for part in use.parts):
            return True
        inner = [each for each in every(use) if each is not use]
        looks = any(not (isinstance(part, Rule) and part.measures_size) for part in use.parts)
        return not use.node.is_single and looks and any(each.has_steps for each in inner)

    def _is_name(self, key: Use) -> bool:
        """Whether keys are written as they are."""
        plain = key.making is None and key.fallback is MISSING and not key.blank and not key.documents
        return is_text(key) and plain and not (self.checked and key.parts)

    def choice(self, use: Use, node: Choice, frame: Frame) -> int:
        """Texts and members by what stands for them, written out."""
        if len({type(value) for value in node.values}) > 1 or not all(
            type(value) is str or isinstance(value, Enum) for value in node.values
        ):
            return self.plainly(use, frame)
        try:
            told = {
                value: json.dumps(plain, ensure_ascii=False, allow_nan=False).encode()
                for value, plain in zip(node.values, node.wire, strict=True)
                if isinstance(plain, str | int | bool | None)
            }
        except (ValueError, TypeError):  # a lone surrogate, a member without a hash
            return self.plainly(use, frame)
        if len(told) != len(node.wire):
            return self.plainly(use, frame)
        return self.form("choice", [self.constant(told)], self.judged(use, frame))

    def branches(self, use: Use, node: Branches, frame: Frame) -> int:
        """A union whose options are told apart by the exact class of a value."""
        classes = [self._class_of(option) for option in node.options]
        odd = self.checked and ((node.alone and not node.tag) or use.has_steps)
        if node.held or odd or None in classes or len(set(classes)) != len(classes):
            return self.plainly(use, frame)
        held = [len(classes)]
        for option, declared in zip(node.options, classes, strict=True):
            held += [self.constant(declared), self.use(option, frame)]
        return self.form("union", held, self.judged(use, frame))

    def _class_of(self, option: Use) -> type | None:
        """The class that only values of an option have, None where that is not sure."""
        if option.making is not None or option.fallback is not MISSING:
            return None
        match option.node:
            case Link(key):
                record = self.plan.shape.records[key]
                return record.builder if record.form == "object" and isinstance(record.builder, type) else None
            case Scalar(kind):
                native = kind.native_out()
                return None if native is None else _HELD.get(native.form)
            case Items(_, "list"):
                return list
        return None

    def alias(self, key: str, frame: Frame) -> int:
        """A type that leads to itself by its name."""
        mark = (key, frame.hidden)
        if mark not in self._aliases:
            at = self._aliases[mark] = self.form("same", [0])
            self._waiting.append(lambda: self._fill_alias(key, at, frame))
        return self._aliases[mark]

    def _fill_alias(self, key: str, at: int, frame: Frame) -> None:
        self.words[at + 2] = self.use(self.plan.shape.aliases[key], frame)

    # Records

    def link(self, key: str, use: Use, frame: Frame) -> int:
        """A record where it is used."""
        record = self.plan.shape.records[key]
        fields = [field for field in record.fields if self.checked or field.goes_out(secrets=self.secrets)]
        odd = any(
            field.getter is not None or field.leaves_out or (field.may_lack and record.form != "dict")
            for field in fields
        )
        if self.checked:
            odd = odd or self._asks_oddly(record)
        if record.rests or record.computed or odd or not isinstance(record.builder, type | None):
            return self.plainly(
                use.replace(about=NO_ABOUT) if self.checked else use.replace(parts=(), about=NO_ABOUT), frame
            )
        mark = (key, frame.hidden)
        if mark not in self._records:
            self._records[mark] = self.record(record, fields, frame.within(record, self.plan))
        return self.form("record", [self._records[mark]], self.judged(use, frame))

    def _asks_oddly(self, record: Record) -> bool:
        """Whether rules ask for keys, or something is asked of what is read as another value than the record holds.

        The core sees what steps make of a single value; what is blank is Python's, and comes back as text alone.
        """
        uses = {field.attribute: every(field.use) for field in record.fields}
        blank = {name for name, inside in uses.items() if any(each.blank for each in inside)}
        changed = blank or any(each.has_steps for inside in uses.values() for each in inside)
        if any(rule.counts_keys for rule in record.rules) or (record.checks and changed):
            return True
        return any(not rule.fields or not blank.isdisjoint(rule.fields) for rule in record.rules if blank)

    def record(self, record: Record, fields: list[Field], frame: Frame) -> int:
        """A record, its fields to be filled in later."""
        built = {"dict": "dict", "tuple": "tuple"}.get(record.form, "storing")
        builder = dict if built == "dict" else record.builder
        rules = self.rules(record, frame) if self.checked else []
        checks = [self.constant(self.own(check.function, frame)) for check in record.checks if self.checked]
        head = [RECORD_MARK, self.constant(builder), NUMBERED["BUILT"].index(built)]
        flat = [word for rule in rules for word in rule]
        at = self.block([*head, len(fields), len(rules), len(checks), *([0] * (5 * len(fields))), *flat, *checks])
        self._waiting.append(lambda: self._fill(record, fields, at + 6, frame))
        return at

    def _fill(self, record: Record, fields: list[Field], at: int, frame: Frame) -> None:
        places = getattr(record.builder, "_fields", ()) if record.form == "tuple" else ()
        for number, field in enumerate(fields):
            inner = frame.part("value", "path", where=f"{record.name}.{field.attribute}")
            name = json.dumps(field.wire, ensure_ascii=False).encode("utf-8", "surrogatepass") + b":"
            place = places.index(field.attribute) if places else 0
            told = int(field.may_lack) + (0 if field.goes_out(secrets=self.secrets) else 2)
            words = [self.use(field.use, inner), self.constant(field.attribute), self.constant(name), place, told]
            self.words[at + 5 * number : at + 5 * number + 5] = array("I", words)


def _read_or_raise(read: Reader, value: Any) -> Any:
    """What a reader makes of a value. Raises ValueError for what it refuses."""
    made = read(value)
    if made.__class__ is Stop:
        raise ValueError
    return made
