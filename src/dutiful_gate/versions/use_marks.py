"""Marks of what stands in a shape: the same for what asks the same, in every process, where documents do not tell."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, Final, TypeVar

from ..declare.facts import Sort
from ..declare.kinds.lenient import Lenient
from ..declare.kinds.number import AnyNumber, Number
from ..declare.rules import Between, Ceiling, Floor, OneOf
from ..declare.steps import Step
from ..document.writing.unfinished import written
from ..shape.known_defaults import ITS_DEFAULT
from ..shape.nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nullable, Scalar, Sealing
from ..shape.shape import Record, Shape
from ..shape.uses import MISSING, Use
from ..shape.walk import every, fields_of
from .function_marks import mark_of_value

T = TypeVar("T")
MOST_MARKED: Final = 100_000
"""Of so many values a mark is made; what has more is equal to itself only."""


class UseMarks:
    """Marks of the uses of one shape, each made once."""

    def __init__(self, shape: Shape) -> None:
        self.shape = shape
        self._known: dict[tuple[str, int], Any] = {}

    def _once(self, what: str, use: Use, make: Callable[[], T]) -> T:
        """What was made of a use, or is now."""
        at = what, id(use)  # all uses of a shape live as long as it does
        if at not in self._known:
            self._known[at] = make()
        found: T = self._known[at]
        return found

    def within(self, use: Use) -> list[Use]:
        """A use and all that are inside it, also by a name that leads to itself, not looking into records."""
        return self._once("within", use, lambda: self._within(use))

    def _within(self, use: Use) -> list[Use]:
        known: set[str] = set()
        found: list[Use] = []
        waiting = [use]
        while waiting:
            for each in every(waiting.pop()):
                found.append(each)
                if isinstance(each.node, Alias) and each.node.key not in known:
                    known.add(each.node.key)
                    waiting.append(self.shape.aliases[each.node.key])
        return found

    def _reached(self, use: Use) -> dict[str, Record]:
        """The records that stand in a use, and in those, by key."""
        found: dict[str, Record] = {}
        waiting = [use]
        while waiting:
            for each in self.within(waiting.pop()):
                if isinstance(each.node, Link) and each.node.key not in found:
                    record = found[each.node.key] = self.shape.records[each.node.key]
                    waiting += [field.use for field in fields_of(record)]
        return found

    def whole(self, use: Use) -> str:
        """A mark of all that is asked of a value, with the records in it, and with what leads to itself."""
        return self._once("whole", use, lambda: self._whole(use))

    def _whole(self, use: Use) -> str:
        records = [
            (key, fields_of(record), record.rules, record.checks, record.unknown)
            for key, record in sorted(self._reached(use).items())
        ]
        return mark_of_value((use, records, self.shape.aliases if self.shape.aliases else ()), most=MOST_MARKED)

    def _is_unsaid(self, use: Use) -> bool:
        """Whether something is asked of a value, or done to it, of which its own document does not say all."""
        records = self._reached(use)
        uses = [use, *(field.use for record in records.values() for field in fields_of(record))]
        if any(isinstance(part, Step) for one in uses for each in self.within(one) for part in each.parts):
            return True
        alone = written(self.shape.replace(root=use, records=records))
        return any(each.rule != ITS_DEFAULT for each in alone.unstated)

    def _standing(self, use: Use, place: str = "", above: tuple[str, ...] = ()) -> Iterator[tuple[str, Use]]:
        """A use and those inside of it, each with its place in the data: options stand where their union does."""
        yield place, use
        match use.node:
            case Nullable(inner) | Sealing(inner):
                yield from self._standing(inner, place, above)
            case Branches(options=options):
                for option in options:
                    yield from self._standing(option, place, above)
            case Alias(key) if key not in above:
                yield from self._standing(self.shape.aliases[key], place, (*above, key))
            case Items(item):
                yield from self._standing(item, f"{place}/item", above)
            case Entries(key, value):
                yield from self._standing(key, f"{place}/key", above)
                yield from self._standing(value, f"{place}/value", above)
            case Fixed():
                for at, item in enumerate(use.node.inside):
                    yield from self._standing(item, f"{place}/{at}", above)

    def options(self, use: Use) -> dict[str, Any]:
        """Marks of the options of its unions, where a document does not say all of one, and of all that it holds.

        `options`  the place, the kind of JSON and the mark of each option of such unions
        `unsaid`   the place and the kind of JSON of what a document does not say all of
        `marks`    the places with the marks of it and of all that is inside
        `alone`    the marks of unions of which one option alone may admit a value
        """
        return self._once("options", use, lambda: self._options(use))

    def _options(self, use: Use) -> dict[str, Any]:
        standing = list(self._standing(use))
        unsaid = [each for each in standing if self._once("unsaid", each[1], partial(self._is_unsaid, each[1]))]
        unions = [(place, each.node) for place, each in unsaid if isinstance(each.node, Branches)]
        told = {
            (place, _kind(each))
            for place, each in unsaid
            if _asks(each) or not isinstance(each.node, Nullable | Sealing | Branches | Alias)  # seen through
        }
        return {
            "options": [
                (place, _kind(option), f"{place} {self.whole(option)}")
                for place, union in unions
                for option in union.options
            ],
            "unsaid": sorted(told),
            "marks": [f"{place} {self.whole(each)}" for place, each in standing] if unsaid else [],
            "alone": [mark_of_value(sorted(map(self.whole, union.options))) for _, union in unions if union.alone],
        }

    def leniently(self, use: Use) -> list[str]:
        """Where something is read less strictly, and how, each once: documents say nothing of it.

        A place inside of what leads to itself stands for all those below it, hence the mark of the whole beside it.
        """
        found = {f"{place} {_reading(each)}" for place, each in self._standing(use) if each.node.is_lenient}
        if found and any(isinstance(each.node, Alias) for each in self.within(use)):
            found.add(self.whole(use))
        return sorted(found)

    def numbers(self, use: Use) -> dict[str, bool]:
        """What is done with numbers that no double holds, of which the document says nothing.

        `doubles`   they are refused
        `wide`      they are admitted, some at least
        `free`      they are admitted all
        `infinite`  infinities may come in their place
        """
        bare = use.bare.node
        alone = [option.node for option in bare.options] if isinstance(bare, Branches) else [bare]
        found = {"doubles": False, "wide": False, "free": False, "infinite": False}
        for each in self.within(use):
            if not isinstance(each.node, Scalar):
                continue
            kind = each.node.kind.inner if isinstance(each.node.kind, Lenient) else each.node.kind
            sorts = {type(part) for part in each.parts}
            if sorts & {Between, OneOf} or {Floor, Ceiling} <= sorts:
                continue
            if isinstance(kind, AnyNumber):
                found["infinite"] = True
            if isinstance(kind, Number):
                found["doubles"] = found["doubles"] or not isinstance(kind, AnyNumber)
            elif each.facts.number or each.facts.open or each.facts.sort is Sort.DECIMAL:
                found["wide"] = True
                found["free"] = found["free"] or (not each.parts and any(each.node is node for node in alone))
        return found

    def value(self, use: Use) -> str:
        """What tells which value is made of data, but for steps; rules only where the value hangs on them."""
        node = use.node
        hangs = mark_of_value((use.parts, use.fallback)) if use.fallback is not MISSING else ""
        match node:
            case Nullable(inner) | Sealing(inner):
                return self.value(inner) + hangs
            case Choice():
                return f"one of {node.owner}{hangs}"
            case Items(item):
                return f"{node.into} of {self.value(item)}{hangs}"
            case Entries(key, value):
                return f"{self.value(key)} to {self.value(value)}{hangs}"
            case Fixed():
                return f"{[self.value(item) for item in node.inside]}{hangs}"
            case Branches():  # which option takes it hangs on all that the others refuse
                return f"{[self.whole(option) for option in node.options]}{hangs}"
            case Link(key) | Alias(key):
                return f"{key}{hangs}"
            case Scalar(kind):
                return mark_of_value(kind.inner if isinstance(kind, Lenient) else kind) + hangs
        return f"{type(node).__name__}{hangs}"


def _asks(use: Use) -> bool:
    """Whether something is asked of a value, or done to it, beside what its options ask."""
    return bool(use.parts or use.split or use.via is not None or (isinstance(use.node, Branches) and use.node.alone))


def _reading(use: Use) -> str:
    """How it is read less strictly: as a choice, or by the sort of its kind, of which some know units."""
    return type(use.node.kind).__name__ if isinstance(use.node, Scalar) else type(use.node).__name__


def _kind(use: Use) -> str:
    """The kind of JSON that a value is of; "any" where it is not known to be of one."""
    node = use.bare.node
    match node:
        case Items() | Fixed():
            return "list" if not use.split else "any"
        case Entries() | Link():
            return "record"
        case Scalar(kind) if use.via is None and not isinstance(kind, Lenient) and not node.facts.open:
            return "number" if node.facts.number or node.facts.sort is Sort.DECIMAL else "single"
    return "any"
