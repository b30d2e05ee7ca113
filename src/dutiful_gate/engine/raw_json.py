"""What a shape tells of the JSON text of its data: how many strings are in it, and whether all decoders read it alike.

Raw JSON in which there are more strings than in what was read of it repeats some key.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..codegen.unit import Unit
from ..codegen.writer import Writer
from ..declare.json_strings import strings_in
from ..shape.nodes import Choice, Entries, Fixed, Items, Link, Nullable, Scalar, Sealing
from ..shape.shape import Record, Shape
from ..shape.uses import MISSING, Use
from ..shape.walk import nodes, uses_of
from .later import is_large
from .plan import Plan, classes_read

Counter = Callable[[Any], int]
_HOLDING = frozenset([dict, list])


def string_counter(plan: Plan) -> Counter | None:
    """What counts the strings in data of a shape that was found sound, and in which no key is unknown.

    None where data may be anything in place of what is declared.
    """
    shape = plan.shape
    if any(use.fallback is not MISSING for use in uses_of(shape)):
        return None
    if is_large(shape):  # what is never met need not be written
        return strings_in
    writer = _CountWriter(plan)
    name = writer.function("strings", [writer.whole(shape.root, "data")])
    source = "\n".join(writer.functions) + "\n"
    count: Counter = Unit("strings", source, writer.constants, name, writer.constants).call
    return count


class _CountWriter(Writer):
    """Writes the functions that count, one a record; what a declaration tells of all its data is put together here."""

    def __init__(self, plan: Plan) -> None:
        super().__init__()
        self.plan = plan
        self.functions: list[str] = []
        self.written: set[str] = set()
        self._records: dict[str, tuple[int, str]] = {}

    def whole(self, use: Use, value: str) -> str:
        """The source of how many strings there are in a value."""
        sure, varying = self.of(use, value)
        return (f"{sure} + {varying}" if sure else varying) if varying else str(sure)

    def of(self, use: Use, value: str) -> tuple[int, str]:
        """How many there are in any value of a use, and the source of how many more; "" for none."""
        classes = classes_read(use, self.plan)
        if use.split or use.blank:
            return 0, self._looked_into(value)
        if classes == {str}:
            return 1, ""
        if classes.isdisjoint({str, *_HOLDING}):
            return 0, ""
        if use.via is not None:
            return self.of(use.via, value)
        match use.node:
            case Items(item):
                return 0, self._each(item, value)
            case Entries(_, held):
                inner = self._each(held, f"{value}.values()", f"len({value})")
                return 0, f"len({value}) + {inner}" if inner else f"len({value})"
            case Sealing(inner):
                return self.of(inner, value)
            case Nullable(inner) if inner.node.__class__ is not Nullable:
                return 0, f"(0 if {value} is None else {self.whole(inner, value)})"
            case Link(key):
                return self._of_record(key, value)
            case Fixed(items, tail=None):
                parts = [self.of(item, f"{value}[{at}]") for at, item in enumerate(items)]
                return sum(sure for sure, _ in parts), " + ".join(varying for _, varying in parts if varying)
        return 0, self._looked_into(value)

    def _looked_into(self, value: str) -> str:
        return f"{self.bind(strings_in, 'strings_in')}({value})"

    def _each(self, item: Use, values: str, count: str = "") -> str:
        """The same of many values of one use."""
        variable = self.variable("item")
        sure, varying = self.of(item, variable)
        if not varying:
            return f"{sure} * {count or f'len({values})'}" if sure else ""
        return f"sum([{f'{sure} + ' if sure else ''}{varying} for {variable} in {values}])"

    def _of_record(self, key: str, value: str) -> tuple[int, str]:
        known = self._records.get(key)
        if known is None:
            name = self.claimed(f"strings_{len(self._records) + 1}")
            self._records[key] = 0, name  # for a record that holds itself
            known = self._records[key] = self._function(self.plan.shape.records[key], name)
        sure, name = known
        return (0, f"{name}({value})") if name else (sure, "")

    def _function(self, record: Record, name: str) -> tuple[int, str]:
        """Write the function of a record; none where all records of it have as many."""
        total, terms = 0, []
        for field in record.fields:
            names = [self.key(field.wire, trusted=field.wire == field.attribute)]
            names += [self.bind(each, "KEY") for each in field.also]
            sure, varying = self.of(field.use, f"data[{names[0]}]")
            if record.rests or (varying and field.also):
                terms = [self._looked_into("data")]
                total = 0
                break
            told = f"{sure + 1} + {varying}" if varying else str(sure + 1)
            if field.required and not varying:
                total += sure + 1
            elif field.required:
                total, terms = total + sure + 1, [*terms, varying]
            else:
                terms.append(f"({told} if {' or '.join(f'{each} in data' for each in names)} else 0)")
        if record.rests and not terms:
            terms = [self._looked_into("data")]
        if not terms:
            return total, ""
        return 0, self.function(name, [*([str(total)] if total else []), *terms])

    def function(self, name: str, terms: list[str]) -> str:
        """Write a function that adds up what its terms tell of `data`; its name, or that of one that tells the same."""
        told = " + ".join(terms)
        if (same := told.removesuffix("(data)")) in self.written:
            return same
        with self.aside() as lines, self.block(f"def {name}(data):"):
            self.write(f"return {told}")
        self.functions += lines
        self.written.add(name)
        return name


def is_read_alike(shape: Shape) -> bool:
    """Whether decoders that know no whole numbers past 64 bits, and no digits of fractions, read the same from a text.

    Such a number comes as a float, which the fast function tells where a whole number is wanted.
    """
    return not shape.exact and all(map(_is_read_alike, uses_of(shape)))


def is_written_alike(shape: Shape) -> bool:
    """Whether the plain data of a shape's values is written alike by all encoders, rare numbers aside."""
    return all(map(_is_written_alike, uses_of(shape)))


def _is_written_alike(use: Use) -> bool:
    if use.making is not None or use.is_reread or use.fallback is not MISSING:
        return False
    match use.node:
        case Scalar(kind):
            return kind.written_alike
        case Choice(wire=wire):
            return not any(isinstance(each, float) for each in wire)
        case Entries(key=key):  # a number that is a key goes out as text
            return not any(each.single is not None and each.single.double for each in nodes(key))
    return True


def _is_read_alike(use: Use) -> bool:
    if use.documents:
        return False
    match use.node:
        case Scalar(kind):
            return kind.read_alike
        case Choice(wire=wire, lenient=lenient):
            return not lenient and all(not isinstance(each, int | float) or abs(each) < 2**53 for each in wire)
    return True
