"""Conditions on a record, joined with `&`, `|` and `~`: for `when(...)`, and as rules of their own."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, NoReturn

from .clock import Clock
from .errors import DeclarationError
from .facts import ANY_VALUE, Bind, Facts, LengthUnit, Unsaid, evaluated
from .field_access import ITEM, FactsOf, OfItem, Path, Reach
from .phrases import Phrase, Row
from .records import RecordRule, Standing
from .rules import Equal, OneOf
from .rules.base import Face, Rule
from .values import Value

Schema = Mapping[str, object]
Look = Callable[[Path], Facts]
"""What is known of a value, by the path that leads there from the one at hand; () is that itself."""


class Condition:
    """What holds for a record or does not. One on a field that has no value does not hold."""

    __slots__ = ()

    paths: Any
    may_raise: Any
    compares: Any

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions it is made of."""
        return ()

    @property
    def fields(self) -> tuple[str, ...]:
        """The fields of the record that it mentions, each once."""
        return tuple(dict.fromkeys(path[0] for path in self.paths))

    @property
    def counts_keys(self) -> bool:
        """Whether it asks, or what it is made of, how many keys of the record came."""
        return any(getattr(part, "counts_keys", False) for part in self.made_of)

    def test(self, reach: Reach, bind: Bind) -> str:
        """Source that is true where it holds."""
        raise NotImplementedError

    def told(self, wire: Callable[[Path], str]) -> str:
        """It in words, with the names of the wire."""
        raise NotImplementedError

    def schema(self, at: Standing) -> Schema | Unsaid:
        """The schema of the records for which it holds."""
        raise NotImplementedError

    def suits(self, facts: FactsOf) -> None:
        """Raise DeclarationError where it compares what cannot be compared."""
        raise NotImplementedError

    @property
    def __rules__(self) -> tuple[RecordRule, ...]:
        return (Stated(self),)

    def __and__(self, other: object) -> Joined:
        return _joined("and", self, other)

    def __or__(self, other: object) -> Joined:
        return _joined("or", self, other)

    def __invert__(self) -> Opposite:
        return Opposite(self)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self} was asked for a truth value, and has none while it is only declared",
            remedy="join conditions with & and |, each in brackets, and turn one round with ~",
        )


class Joined(Condition, Value):
    """Conditions of which all must hold ("and"), or one ("or")."""

    word: str
    parts: tuple[Any, ...]

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions it is made of."""
        return self.parts

    @property
    def paths(self) -> tuple[Path, ...]:
        """What all parts mention, each once."""
        return tuple(dict.fromkeys(path for part in self.parts for path in part.paths))

    @property
    def may_raise(self) -> bool:
        """Whether any part does arithmetic."""
        return any(part.may_raise for part in self.parts)

    @property
    def compares(self) -> bool:
        """Whether any part looks at a value, and not only whether there is one."""
        return any(part.compares for part in self.parts)

    def test(self, reach: Reach, bind: Bind) -> str:
        return f" {self.word} ".join(f"({part.test(reach, bind)})" for part in self.parts)

    def told(self, wire: Callable[[Path], str]) -> str:
        told = [
            Phrase("({part})", part=part.told(wire)) if isinstance(part, Joined) else part.told(wire)
            for part in self.parts
        ]
        return Row(*told, between=f" {self.word} ")

    def schema(self, at: Standing) -> Schema | Unsaid:
        said = [part.schema(at) for part in self.parts]
        for each in said:
            if isinstance(each, Unsaid):
                return each
        return all_of(said) if self.word == "and" else {"anyOf": said}

    def suits(self, facts: FactsOf) -> None:
        for part in self.parts:
            part.suits(facts)

    def __str__(self) -> str:
        return (" & " if self.word == "and" else " | ").join(f"({part})" for part in self.parts)

    __repr__ = __str__


class Opposite(Condition, Value):
    """A condition that must not hold."""

    part: Any

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions it is made of."""
        return (self.part,)

    @property
    def paths(self) -> tuple[Path, ...]:
        """Those of the condition."""
        return tuple(self.part.paths)

    @property
    def may_raise(self) -> bool:
        """Whether it does arithmetic."""
        return bool(self.part.may_raise)

    @property
    def compares(self) -> bool:
        """Whether it looks at a value."""
        return bool(self.part.compares)

    def test(self, reach: Reach, bind: Bind) -> str:
        return f"not ({self.part.test(reach, bind)})"

    def told(self, wire: Callable[[Path], str]) -> str:
        return Phrase("not ({part})", part=self.part.told(wire))

    def schema(self, at: Standing) -> Schema | Unsaid:
        said = self.part.schema(at)
        return said if isinstance(said, Unsaid) else {"not": said}

    def suits(self, facts: FactsOf) -> None:
        self.part.suits(facts)

    def __str__(self) -> str:
        return f"~({self.part})"

    __repr__ = __str__


class Came(Condition, Value):
    """`this.phone.came`: the field stands in the data, be it null."""

    path: Path

    @property
    def paths(self) -> tuple[Path, ...]:
        """The one."""
        return (self.path,)

    may_raise = False
    compares = False

    def test(self, reach: Reach, bind: Bind) -> str:
        return reach.came(self.path[0])

    def told(self, wire: Callable[[Path], str]) -> str:
        return Phrase("{field} came", field=wire(self.path))

    def schema(self, at: Standing) -> Schema | Unsaid:
        return {"required": [at.wire[self.path[0]]]}

    def suits(self, facts: FactsOf) -> None:
        if len(self.path) > 1:
            raise DeclarationError(
                f"{self} asks what came for another record",
                remedy="ask whether it has a value, as in this.inner.x.has_value, or let that record have the rule",
            )

    def __str__(self) -> str:
        return f"{told_path(self.path)}.came"

    __repr__ = __str__


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
        return f"{bind(takes.fits, 'takes')}({value}) and {source}" if takes is not None else f"({source})"

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


_JSON_TYPES: dict[object, str] = {
    str: "string", int: "integer", float: "number", bool: "boolean", list: "array", dict: "object",
}  # fmt: skip


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


_JSON_NAMES: dict[object, str] = {
    str: "text", int: "a whole number", float: "a number", bool: "true or false", list: "a list", dict: "a record",
}  # fmt: skip


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
        if isinstance(self.inner, Rule):
            write = self.inner.open_condition if look((ITEM,)).open else self.inner.condition
            test = write(item, bind)
        else:
            test = self.inner.test(OfItem(item, lambda path: look((ITEM, *path)), bind), bind)
        return f"{self.word}({test} for {item} in {value})"

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


class Stated(RecordRule):
    """A condition that every record must hold."""

    holds: Condition

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions it is made of."""
        return (self.holds,)

    @property
    def paths(self) -> tuple[Path, ...]:
        return tuple(self.holds.paths)

    @property
    def needs_values(self) -> bool:
        return False

    @property
    def asks_presence_only(self) -> bool:
        return not self.holds.compares

    @property
    def may_raise(self) -> bool:
        return bool(self.holds.may_raise)

    def condition(self, reach: Reach, bind: Bind) -> str:
        return self.holds.test(reach, bind)

    def face(self, facts: FactsOf) -> Face:
        return Face("", "agreement", "what holds: {condition}", "something else")

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        return {"condition": self.holds.told(wire)}

    def keywords(self, at: Standing) -> Schema | Unsaid:
        return self.holds.schema(at)

    def suits(self, facts: FactsOf) -> None:
        self.holds.suits(facts)

    def __str__(self) -> str:
        return str(self.holds)


def told_path(path: Iterable[str]) -> str:
    """A path as a developer writes it."""
    return "this" + "".join(f".{step}" if step.isidentifier() else f"[{step!r}]" for step in path)


def all_of(said: Iterable[Any]) -> Schema:
    """The schema of what all of some schemas accept; those that only ask what came become one."""
    told = list(said)
    if all(list(each) == ["required"] for each in told):
        return {"required": list(dict.fromkeys(name for each in told for name in each["required"]))}
    return told[0] if len(told) == 1 else {"allOf": told}


def _joined(word: str, one: Any, other: object) -> Joined:
    if not isinstance(other, Condition):
        sign = "&" if word == "and" else "|"
        raise DeclarationError(
            f"{sign} joins {one} with {other!r}, which is no condition",
            remedy=f"put each comparison in brackets, as in (this.a == 1) {sign} (this.b == 2)",
        )
    parts: Iterable[Any] = (
        inner
        for part in (one, other)
        for inner in (part.parts if isinstance(part, Joined) and part.word == word else (part,))
    )
    return Joined(word, tuple(parts))
