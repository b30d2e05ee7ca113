"""Rules on which fields of a record have a value: `needs`, `when`, `at_least_one` and their like.

A field has a value when it is not null, and is not absent without a default.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, NoReturn

from .conditions import Condition, Opposite, all_of
from .errors import DeclarationError
from .facts import Bind, Unsaid
from .field_access import FactsOf, Path, Reach
from .phrases import Phrase
from .records import HasRules, RecordRule, Standing
from .rules.base import Face
from .this import FieldOfThis


class _Presence(RecordRule):
    """What these rules share: they ask for the presence of fields, and compare nothing."""

    @property
    def needs_values(self) -> bool:
        return False

    @property
    def asks_presence_only(self) -> bool:
        return True

    def suits(self, facts: FactsOf) -> None:
        return


def _paths(*names: str) -> tuple[Path, ...]:
    return tuple((name,) for name in names)


def _present(names: Iterable[str], at: Standing) -> list[dict[str, Any]] | Unsaid:
    """That each field has a value: it is there, or has a default that is one, and is not null."""
    said = [at.holding((name,), {}, lambda default: True) for name in names]
    return next((each for each in said if isinstance(each, Unsaid)), None) or [dict(each) for each in said]  # type: ignore[arg-type]


class Needs(_Presence):
    """`wanted` must have a value when `given` has one."""

    wanted: tuple[str, ...]
    given: str

    @property
    def paths(self) -> tuple[Path, ...]:
        return _paths(*self.wanted, self.given)

    def condition(self, reach: Reach, bind: Bind) -> str:
        return f"(not ({reach.has(self.given)}) or ({' and '.join(map(reach.has, self.wanted))}))"

    def face(self, facts: FactsOf) -> Face:
        return Face("", "agreement", "a value, since {given} has one", "none")

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        return {"wanted": [wire((name,)) for name in self.wanted], "given": wire((self.given,))}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        there = _present((self.given, *self.wanted), at)
        if isinstance(there, Unsaid):
            return there
        if all(list(said) == ["required"] for said in there):
            return {"dependentRequired": {at.wire[self.given]: [at.wire[name] for name in self.wanted]}}
        return {"if": there[0], "then": all_of(there[1:])}

    def __str__(self) -> str:
        return f"needs({', '.join(map(repr, self.wanted))}, given={self.given!r})"


class WhenRule(_Presence):
    """Fields that must have a value, or must not, when a condition holds."""

    when: Condition
    names: tuple[str, ...]
    wanted: bool

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions and rules it is made of."""
        return (self.when,)

    @property
    def paths(self) -> tuple[Path, ...]:
        return (*_paths(*self.names), *self.when.paths)

    @property
    def may_raise(self) -> bool:
        return bool(self.when.may_raise)

    @property
    def asks_presence_only(self) -> bool:
        return not self.when.compares

    def condition(self, reach: Reach, bind: Bind) -> str:
        tests = " and ".join(reach.has(name) if self.wanted else f"not ({reach.has(name)})" for name in self.names)
        return f"(not ({self.when.test(reach, bind)}) or ({tests}))"

    def face(self, facts: FactsOf) -> Face:
        needs = "a value when {condition}" if self.wanted else "no value when {condition}"
        return Face("", "agreement", needs, "none" if self.wanted else "one")

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        return {"condition": self.when.told(wire), "names": [wire((name,)) for name in self.names]}

    def suits(self, facts: FactsOf) -> None:
        self.when.suits(facts)

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        condition = self.when.schema(at)
        if isinstance(condition, Unsaid):
            return condition
        there = _present(self.names, at)
        if isinstance(there, Unsaid):
            return there
        return {"if": condition, "then": all_of(there if self.wanted else [{"not": each} for each in there])}

    def __str__(self) -> str:
        verb = "needs" if self.wanted else "forbids"
        return f"when({self.when}).{verb}({', '.join(map(repr, self.names))})"


class WhenObeys(RecordRule):
    """A rule of the record that must be satisfied when a condition holds."""

    when: Condition
    then: RecordRule

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions and rules it is made of."""
        return (self.when, self.then)

    @property
    def paths(self) -> tuple[Path, ...]:
        return (*self.then.paths, *self.when.paths)

    @property
    def needs_values(self) -> bool:
        return False

    @property
    def asks_presence_only(self) -> bool:
        return self.then.asks_presence_only and not self.when.compares

    @property
    def of_whole(self) -> bool:
        return self.then.of_whole

    @property
    def may_raise(self) -> bool:
        return self.then.may_raise or bool(self.when.may_raise)

    def condition(self, reach: Reach, bind: Bind) -> str:
        tests = [f"not ({self.when.test(reach, bind)})", f"({self.then.condition(reach, bind)})"]
        if self.then.needs_values:
            there = [each for path in self.then.paths if (each := reach.there(path, bind)) != "True"]
            tests[1:1] = [f"not ({' and '.join(there)})"] if there else []
        return f"({' or '.join(tests)})"

    def face(self, facts: FactsOf) -> Face:
        face = self.then.face(facts)
        return Face("", face.code, Phrase("{needs} when {when}", needs=Phrase(face.needs)), face.got)

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        told = self.when.told(wire)
        return {"condition": told, **self.then.numbers(wire), "when": told}

    def suits(self, facts: FactsOf) -> None:
        self.when.suits(facts)
        self.then.suits(facts)

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        condition, then = self.when.schema(at), self.then.keywords(at)
        for each in (condition, then):
            if isinstance(each, Unsaid):
                return each
        return {"if": condition, "then": then}

    def __str__(self) -> str:
        return f"when({self.when}).obeys({self.then})"


class Count(_Presence):
    """How many of some fields have a value."""

    word: str
    names: tuple[str, ...]
    least: int
    most: int

    @property
    def paths(self) -> tuple[Path, ...]:
        return _paths(*self.names)

    def condition(self, reach: Reach, bind: Bind) -> str:
        count = " + ".join(f"({reach.has(name)})" for name in self.names)
        if self.word == "all_or_none":
            return f"{count} in (0, {len(self.names)})"
        return f"{self.least} <= {count} <= {self.most}"

    def face(self, facts: FactsOf) -> Face:
        words = {
            "at_least_one": "at least one of {names}",
            "at_most_one": "at most one of {names}",
            "exactly_one": "exactly one of {names}",
            "all_or_none": "all of {names}, or none",
        }
        got = {"at_least_one": "none", "at_most_one": "several", "all_or_none": "some"}
        return Face("", "agreement", words[self.word], got.get(self.word, "another number"))

    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        return {"names": [wire((name,)) for name in self.names]}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        there = _present(self.names, at)
        if isinstance(there, Unsaid):
            return there
        if self.word == "at_least_one":
            return {"anyOf": there}
        if self.word == "exactly_one":
            return {"oneOf": there}
        if self.word == "at_most_one":
            pairs = [(one, two) for at, one in enumerate(there) for two in there[at + 1 :]]
            barred = [{"not": all_of(pair)} for pair in pairs]
            return barred[0] if len(barred) == 1 else {"allOf": barred}
        return {"anyOf": [all_of(there), {"not": {"anyOf": there}}]}

    def __str__(self) -> str:
        return f"{self.word}({', '.join(map(repr, self.names))})"


def _names(word: str, fields: tuple[object, ...], least: int = 1) -> tuple[str, ...]:
    names = tuple(_name(word, field) for field in fields)
    if len(names) < least or not all(isinstance(name, str) for name in names):
        raise DeclarationError(
            f"{word}{fields!r} names no fields", remedy=f"name at least {least}, as in {word}('phone', 'email')"
        )
    return names  # type: ignore[return-value]


def _name(word: str, field: object) -> object:
    if not isinstance(field, FieldOfThis):
        return field
    if len(field._path) > 1:
        raise DeclarationError(
            f"{word}({field!r}) names a field of another record",
            remedy=f"let that record have the rule, or write a condition: {field!r}.has_value",
        )
    return field._path[0]


def needs(*wanted: object, given: object) -> Needs:
    """In `@obeys`: the wanted fields must have a value when the given one has: `needs("un_number", given="hazard")`."""
    return Needs(_names("needs", wanted), _names("needs", (given,))[0])


class When:
    """A condition on the record, to which what follows from it belongs."""

    __slots__ = ("_before", "_condition")

    def __init__(self, condition: Condition, before: tuple[RecordRule, ...] = ()) -> None:
        self._condition = condition
        self._before = before

    def _and(self, *rules: RecordRule) -> Consequences:
        return Consequences(self._condition, (*self._before, *rules))

    def needs(self, *fields: object) -> Consequences:
        """The fields must have a value when the condition holds."""
        return self._and(WhenRule(self._condition, _names("needs", fields), True))

    def forbids(self, *fields: object) -> Consequences:
        """The fields must have no value when the condition holds."""
        return self._and(WhenRule(self._condition, _names("forbids", fields), False))

    def obeys(self, *rules: RecordRule | HasRules) -> Consequences:
        """The record must obey these rules when the condition holds."""
        found: list[RecordRule] = []
        for rule in rules:
            if isinstance(rule, RecordRule):
                found.append(rule)
            elif isinstance(rule, HasRules):
                found += rule.__rules__
            else:
                raise DeclarationError(
                    f"when(...).obeys was given {rule!r}, which is no rule of a record",
                    remedy="as in when(this.hazard == 'gas').obeys(this.crates.length < 5)",
                )
        return self._and(*(WhenObeys(self._condition, rule) for rule in found))


class Consequences(When):
    """What follows from a condition: rules of a record, to which more can be chained."""

    __slots__ = ()

    @property
    def __rules__(self) -> tuple[RecordRule, ...]:
        return self._before

    @property
    def or_else(self) -> When:
        """What follows where the condition does not hold: `when(...).needs("a").or_else.forbids("b")`."""
        return When(Opposite(self._condition), self._before)

    def says(self, words: str) -> Consequences:
        """The same with its own wording for the last rule that follows."""
        return Consequences(self._condition, (*self._before[:-1], self._before[-1].says(words)))

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"{self} was asked for a truth value, and has none", remedy="give each rule on its own in @obeys(...)"
        )

    def __str__(self) -> str:
        return ", ".join(map(str, self._before))

    __repr__ = __str__


def when(condition: Condition) -> When:
    """In `@obeys`: `when(this.hazard != "none").needs("un_number")`, `.forbids(...)` or `.obeys(...)`, one after the
    other, and after `.or_else` what follows where the condition does not hold.

    Conditions are comparisons of `this`, `this.x.has_value`, `.came`, `.is_a(...)`, `.obeys(it...)`, `.all(...)` and
    `.any(...)`, joined with `&`, `|` and `~`, each in brackets: `when((this.hazard != "none") &
    ~(this.priority == "urgent"))`. One on a field that has no value does not hold. Raises DeclarationError for what is
    no condition.
    """
    if not isinstance(condition, Condition):
        raise DeclarationError(
            f"when({condition!r}) needs a comparison of `this`", remedy='as in when(this.hazard != "none")'
        )
    return When(condition)


def at_least_one(*fields: object) -> Count:
    """In `@obeys`: at least one of the fields has a value."""
    return Count("at_least_one", _names("at_least_one", fields), 1, len(fields))


def at_most_one(*fields: object) -> Count:
    """In `@obeys`: at most one of the fields has a value."""
    return Count("at_most_one", _names("at_most_one", fields, 2), 0, 1)


def exactly_one(*fields: object) -> Count:
    """In `@obeys`: exactly one of the fields has a value."""
    return Count("exactly_one", _names("exactly_one", fields, 2), 1, 1)


def all_or_none(*fields: object) -> Count:
    """In `@obeys`: all of the fields have a value, or none has."""
    return Count("all_or_none", _names("all_or_none", fields, 2), 0, len(fields))
