"""Conditions on a record, joined with `&`, `|` and `~`: for `when(...)`, and as rules of their own."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, NoReturn

from .errors import DeclarationError
from .facts import Bind, Facts, Unsaid
from .field_access import FactsOf, Path, Reach
from .phrases import Phrase, Row
from .records import RecordRule, Standing
from .rules.base import Face
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
