"""Conditions on the value of one field: that it has one, obeys a rule, is of a class, has such items."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from .clock import Clock
from .conditions import Condition, Look, Schema, told_path
from .errors import DeclarationError
from .facts import ANY_VALUE, Bind, Facts, LengthUnit, Unsaid, evaluated
from .field_access import ITEM, FactsOf, OfItem, Path, Reach
from .phrases import Phrase, Row
from .records import Standing
from .rules import Equal, OneOf
from .rules.base import Rule
from .values import Value

_JSON_TYPES: dict[object, str] = {
    str: "string", int: "integer", float: "number", bool: "boolean", list: "array", dict: "object",
}  # fmt: skip


_JSON_NAMES: dict[object, str] = {
    str: "text", int: "a whole number", float: "a number", bool: "true or false", list: "a list", dict: "a record",
}  # fmt: skip


class OfValue(Condition, Value):
    """What these share: they look at one value, and do not hold where there is none."""

    path: Path

    @property
    def paths(self) -> tuple[Path, ...]:
        """The one."""
        return (self.path,)

    @property
    def may_raise(self) -> bool:
        """Whether it does arithmetic."""
        return False

    compares = True

    def tested(self, value: str, bind: Bind, look: Look) -> str:
        """Source that is true where it holds for a value that is there."""
        raise NotImplementedError

    def keywords(self, at: Standing, look: Look) -> Schema | Unsaid:
        """The schema of the values for which it holds; null may be among them."""
        raise NotImplementedError

    def test(self, reach: Reach, bind: Bind) -> str:
        tested = self.tested(reach.at(self.path, bind), bind, lambda path: reach.facts((*self.path, *path)))
        there = reach.there(self.path, bind)
        parts = [part for part in (there, tested) if part != "True"]
        return " and ".join(parts) or "True"

    def schema(self, at: Standing) -> Schema | Unsaid:
        from .constants import no_json
        from .kinds.decimal import as_json, finer_than_doubles

        def look(path: Path) -> Facts:
            return at.facts((*self.path, *path))

        told = self.keywords(at, look)
        if isinstance(told, Unsaid):
            return told
        if held := finer_than_doubles(told):
            return Unsaid(f"no double stands for {held}")
        said = as_json(told)
        if held := no_json(said):
            return Unsaid(f"JSON has no value such as {held}")
        return at.holding(
            self.path, said, lambda value: bool(evaluated(lambda name, bind: self.tested(name, bind, look), value))
        )

    def suits(self, facts: FactsOf) -> None:
        return


class HasValue(OfValue):
    """`this.phone.has_value`: there is one, or a default, and it is not null."""

    compares = False

    def tested(self, value: str, bind: Bind, look: Look) -> str:
        return "True"

    def told(self, wire: Callable[[Path], str]) -> str:
        return Phrase("{field} has a value", field=wire(self.path))

    def keywords(self, at: Standing, look: Look) -> Schema | Unsaid:
        return {}

    def __str__(self) -> str:
        return f"{told_path(self.path)}.has_value"

    __repr__ = __str__


class Obeying(OfValue):
    """`this.code.obeys(it.has("[0-9]"))`: the value obeys a rule of `it`."""

    rule: Any

    def tested(self, value: str, bind: Bind, look: Look) -> str:
        is_open = look(()).open
        source = (self.rule.open_condition if is_open else self.rule.condition)(value, bind)
        takes = self.rule.takes() if is_open else None
        return f"{bind(takes.covers, 'takes')}({value}) and {source}" if takes is not None else f"({source})"

    def told(self, wire: Callable[[Path], str]) -> str:
        return Phrase("{field} is {words}", field=wire(self.path), words=_words_of(self.rule))

    def keywords(self, at: Standing, look: Look) -> Schema | Unsaid:
        facts = look(())
        said: Schema | Unsaid = self.rule.keywords(facts)
        takes = self.rule.takes() if facts.open else None
        if takes is not None and not isinstance(said, Unsaid):
            return {"type": list(takes.types), **said}
        return said

    def suits(self, facts: FactsOf) -> None:
        if not isinstance(self.rule, OneOf | Equal):  # which any value may be compared with
            self.rule.suits(facts[self.path])

    def __str__(self) -> str:
        return f"{told_path(self.path)}.obeys({self.rule})"

    __repr__ = __str__


def _words_of(rule: Rule) -> str:
    """What a rule asks for, in words."""
    numbers = {name: _told(rule, name, held) for name, held in rule.numbers().items()}
    faces = dict.fromkeys(face.needs for face in rule.faces("value", ANY_VALUE, _no_name))
    slots = {**numbers, "phrase": Phrase("a value")}
    return Row(*(Phrase(needs, **slots) for needs in faces), between=" and ")


def _told(rule: Rule, name: str, held: object) -> str:
    """A number of a rule; the moment of checking by its word."""
    return Phrase(str(held)) if isinstance(getattr(rule, name, None), Clock) else _shown(held)


def _no_name(constant: object, hint: str) -> str:
    return hint


def _shown(held: object) -> str:
    return (
        ", ".join(map(_shown, held)) if isinstance(held, tuple) else repr(held) if isinstance(held, str) else str(held)
    )


class IsA(OfValue):
    """`this.load.is_a(Crate)`: the value is of a type."""

    kinds: tuple[Any, ...]

    def tested(self, value: str, bind: Bind, look: Look) -> str:
        truth = bool in self.kinds or not any(kind in (int, float) for kind in self.kinds)
        test = f"isinstance({value}, {bind(self.kinds, 'KINDS')})"
        return test if truth else f"{test} and {value}.__class__ is not bool"

    def told(self, wire: Callable[[Path], str]) -> str:
        kinds = [Phrase(_JSON_NAMES[kind]) if kind in _JSON_NAMES else f"a {kind.__name__}" for kind in self.kinds]
        return Phrase("{field} is {words}", field=wire(self.path), words=Row(*kinds, between=" or "))

    def keywords(self, at: Standing, look: Look) -> Schema | Unsaid:
        if len(self.path) > 1 or self.path[0] not in at.plain or not all(kind in _JSON_TYPES for kind in self.kinds):
            return Unsaid("a type that is read from JSON is not told from what it is read from")
        kinds = [_JSON_TYPES[kind] for kind in self.kinds]
        return {"type": kinds[0] if len(kinds) == 1 else kinds}

    def suits(self, facts: FactsOf) -> None:
        for kind in self.kinds:
            if not isinstance(kind, type) or hasattr(kind, "__required_keys__"):
                raise DeclarationError(
                    f"{self} asks for what no value can be told by",
                    remedy="name a class, such as a dataclass, or str, int, float, bool, list or dict",
                )

    def __str__(self) -> str:
        return f"{told_path(self.path)}.is_a({', '.join(getattr(kind, '__name__', repr(kind)) for kind in self.kinds)})"

    __repr__ = __str__


class Over(OfValue):
    """`this.crates.all(this.weight_kg < 30)`, `this.codes.any(it.starts_with("TS"))`: items, or one item, obey."""

    word: str
    inner: Any

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions it is made of."""
        return (self.inner,)

    counts_keys = False  # those of its items are theirs

    @property
    def may_raise(self) -> bool:
        """Whether the inner condition does arithmetic."""
        return bool(self.inner.may_raise)

    def tested(self, value: str, bind: Bind, look: Look) -> str:
        item = f"item_{_depth(self.inner)}"
        return f"{self.word}({self._of_item(item, bind, look)} for {item} in {value})"

    def first_failing(self, value: str, bind: Bind, look: Look) -> str:
        """The source of the number of the first item that does not obey."""
        item = f"item_{_depth(self.inner)}"
        return f"next(at for at, {item} in enumerate({value}) if not ({self._of_item(item, bind, look)}))"

    def _of_item(self, item: str, bind: Bind, look: Look) -> str:
        if isinstance(self.inner, Rule):
            write = self.inner.open_condition if look((ITEM,)).open else self.inner.condition
            return str(write(item, bind))
        return str(self.inner.test(OfItem(item, lambda path: look((ITEM, *path)), bind), bind))

    def told(self, wire: Callable[[Path], str]) -> str:
        inner = _words_of(self.inner) if isinstance(self.inner, Rule) else self.inner.told(".".join)
        template = "all of {field}: {inner}" if self.word == "all" else "any of {field}: {inner}"
        return Phrase(template, field=wire(self.path), inner=inner)

    def keywords(self, at: Standing, look: Look) -> Schema | Unsaid:
        if isinstance(self.inner, Rule):
            said = self.inner.keywords(look((ITEM,)))
        else:
            standing = at.inside((*self.path, ITEM))
            said = Unsaid("its items are no records") if standing is None else self.inner.schema(standing)
            if not isinstance(said, Unsaid):
                said = {"type": "object", **said}
        if isinstance(said, Unsaid):
            return said
        return {"type": "array", "items" if self.word == "all" else "contains": said}

    def suits(self, facts: FactsOf) -> None:
        whole = facts[self.path]
        if whole.measured is not LengthUnit.ITEMS:
            raise DeclarationError(
                f"{self} looks into {whole.phrase}, which has no items", remedy="name a field that is a list"
            )
        if isinstance(self.inner, Rule):
            self.inner.suits(facts[*self.path, ITEM])
        else:
            self.inner.suits(_OfItems(facts, (*self.path, ITEM)))

    def __str__(self) -> str:
        return f"{told_path(self.path)}.{self.word}({self.inner})"

    __repr__ = __str__


def _depth(inner: Any) -> int:
    """How many times what is written for an item looks into items itself, so that no two have one name."""
    parts = inner.made_of if isinstance(inner, Condition) else ()
    return 1 + max(map(_depth, parts), default=0)


class _OfItems(FactsOf):
    """What is known of the fields of items: by their path from there."""

    def __init__(self, facts: FactsOf, before: Path) -> None:
        self.facts = facts
        self.before = before

    def __getitem__(self, path: Path) -> Facts:
        return self.facts[*self.before, *path]
