"""The plan of a shape for the native way out: sound typed values to JSON.

It is flat words and constants like the plan for reading, with other forms (`OUT`): a head of MAGIC, VERSION and the
root; nodes of a form and what it holds, two words at least; records of RECORD_MARK, the class, how it was built, the
number of fields, and for each its node, its attribute, its name in JSON with the colon behind it, whether it may be
absent, and its place in a tuple.
"""

from __future__ import annotations

import json
from array import array
from collections.abc import Callable, Sequence
from enum import Enum
from typing import Any, Final

from ...codegen.unit import Unit
from ...declare.native_forms import MAGIC, NUMBERED, OUT, RECORD_MARK, VERSION
from ...shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar
from ...shape.shape import Field, Record
from ...shape.uses import MISSING, NO_ABOUT, Use
from ..plan import Plan, is_text
from ..walk.frame import Frame
from ..walk.trusting import Trusting
from .plan_words import NativePlan

PLAIN_DATA: Final = array("I", [MAGIC, VERSION, 3, OUT["as it is"].number, 0, 0]).tobytes()
"""The words for plain data of any sort."""


def native_out(plan: Plan, *, secrets: bool) -> NativePlan:
    """The words and constants of the way out of sound values, with the values of secrets or without."""
    return _OutWriter(plan, secrets=secrets).whole()


class _OutWriter:
    def __init__(self, plan: Plan, *, secrets: bool) -> None:
        self.plan = plan
        self.secrets = secrets
        self.trusting = Trusting(plan, secrets=secrets, exact=True)
        self.trusting.marks_rare = False
        self.words = array("I", [MAGIC, VERSION, 0])
        self.constants: list[object] = []
        self._named: list[tuple[int, str]] = []
        self._records: dict[tuple[str, bool], int] = {}
        self._aliases: dict[tuple[str, bool], int] = {}
        self._waiting: list[Callable[[], None]] = []

    def whole(self) -> NativePlan:
        """All of it."""
        self.words[2] = self.use(self.plan.shape.root, self.trusting.frame)
        while self._waiting:
            self._waiting.pop()()
        pen, unit = self.trusting.pen, None
        source = self.trusting.written_since()
        if self._named:
            namespace = pen.constants
            unit = Unit(
                f"{self.plan.shape.name} release", source, namespace, self._named[0][1], namespace, notes=pen.notes
            )
            for number, name in self._named:
                self.constants[number] = namespace[name]
        return NativePlan(self.words.tobytes(), tuple(self.constants), unit, pen.carries)

    def constant(self, held: object) -> int:
        """The number of a constant."""
        self.constants.append(held)
        return len(self.constants) - 1

    def form(self, name: str, held: Sequence[int] = ()) -> int:
        """A node of a form; where it stands."""
        at = len(self.words)
        self.words.extend([OUT[name].number, *held, *([0] * (2 - len(held)))])
        return at

    def plainly(self, use: Use, frame: Frame) -> int:
        """A use of which Python makes plain data, which is written then."""
        name = self.trusting.part(use, frame.part("value", "path", nesting=0))
        self.constants.append(name)
        self._named.append((len(self.constants) - 1, name))
        return self.form("plain", [len(self.constants) - 1])

    def use(self, use: Use, frame: Frame) -> int:
        """Where the node of a use stands."""
        frame = frame.at(use, self.plan)
        if use.making is not None:
            return self.form("as it is")
        if use.fallback is not MISSING:
            return self.plainly(use, frame)
        match use.node:
            case Scalar(kind):
                native = kind.native_out()
                return self.plainly(use, frame) if native is None else self.form(native.form)
            case Nothing():
                return self.form("null")
            case Choice():
                return self.choice(use, use.node, frame)
            case Items(item, into) if into in ("list", "tuple"):
                return self.form("list", [self.use(item, frame)])
            case Fixed(items, tail):
                every = [self.use(item, frame) for item in items]
                last = 0 if tail is None else self.use(tail, frame)
                return self.form("fixed", [last, len(every), *every])
            case Entries(key, value) if is_text(key) and key.making is None and key.fallback is MISSING:
                return self.form("dict", [self.use(value, frame)])
            case Nullable(inner):
                return self.form("nullable", [self.use(inner, frame)])
            case Branches():
                return self.branches(use, use.node, frame)
            case Link(key):
                return self.link(key, use, frame)
            case Alias(key):
                return self.alias(key, frame)
        return self.plainly(use, frame)

    def choice(self, use: Use, node: Choice, frame: Frame) -> int:
        """Texts and members by what stands for them, written out."""
        if not all(type(value) is str or isinstance(value, Enum) for value in node.values):
            return self.plainly(use, frame)
        try:
            told = {
                value: json.dumps(plain, ensure_ascii=False, allow_nan=False).encode()
                for value, plain in zip(node.values, node.wire, strict=True)
                if isinstance(plain, str | int | bool | None)
            }
        except (ValueError, TypeError):  # a lone surrogate, a member without a hash
            return self.plainly(use, frame)
        return self.form("choice", [self.constant(told)]) if len(told) == len(node.wire) else self.plainly(use, frame)

    def branches(self, use: Use, node: Branches, frame: Frame) -> int:
        """A union whose options are told apart by the exact class of a value."""
        classes = [self._class_of(option) for option in node.options]
        if node.held or None in classes or len(set(classes)) != len(classes):
            return self.plainly(use, frame)
        held = [len(classes)]
        for option, declared in zip(node.options, classes, strict=True):
            held += [self.constant(declared), self.use(option, frame)]
        return self.form("union", held)

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
        self.words[at + 1] = self.use(self.plan.shape.aliases[key], frame)

    def link(self, key: str, use: Use, frame: Frame) -> int:
        """A record where it is used."""
        record = self.plan.shape.records[key]
        fields = [field for field in record.fields if field.goes_out(secrets=self.secrets)]
        odd = any(field.getter is not None or (field.may_lack and record.form != "dict") for field in fields)
        if record.rests or record.computed or odd or not isinstance(record.builder, type | None):
            return self.plainly(use.replace(parts=(), about=NO_ABOUT), frame)
        mark = (key, frame.hidden)
        if mark not in self._records:
            at = self._records[mark] = len(self.words)
            built = {"dict": "dict", "tuple": "tuple"}.get(record.form, "storing")
            builder = dict if built == "dict" else record.builder
            head = [RECORD_MARK, self.constant(builder), NUMBERED["BUILT"].index(built), len(fields)]
            self.words.extend([*head, *([0] * (5 * len(fields)))])
            inner = frame.within(record, self.plan)
            self._waiting.append(lambda: self._fill(record, fields, at + 4, inner))
        return self.form("record", [self._records[mark]])

    def _fill(self, record: Record, fields: list[Field], at: int, frame: Frame) -> None:
        places = getattr(record.builder, "_fields", ()) if record.form == "tuple" else ()
        for number, field in enumerate(fields):
            inner = frame.part("value", "path", where=f"{record.name}.{field.attribute}")
            name = json.dumps(field.wire, ensure_ascii=False).encode("utf-8", "surrogatepass") + b":"
            place = places.index(field.attribute) if places else 0
            node = self.use(field.use, inner)
            words = [node, self.constant(field.attribute), self.constant(name), int(field.may_lack), place]
            self.words[at + 5 * number : at + 5 * number + 5] = array("I", words)


_HELD: dict[str, Any] = {"text": str, "whole": int, "number": float, "truth": bool}
"""The classes of values that are written natively, where no other kind of value has them."""
