"""Rules on which fields of a record have a value: `needs`, `when`, `at_least_one` and their like.

A field has a value when it is not null, and is not absent without a default.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .conditions import Condition
from .errors import DeclarationError
from .facts import Bind, Facts, Unsaid
from .records import RecordRule, Standing
from .rules.base import Face
from .terms import FieldOfThis


class _Presence(RecordRule):
    """What these rules share: they ask for the presence of fields, and compare nothing."""

    @property
    def needs_values(self) -> bool:
        return False

    @property
    def asks_presence_only(self) -> bool:
        return True

    def suits(self, facts: Mapping[str, Facts]) -> None:
        return


def _present(name: str, at: Standing) -> dict[str, Any]:
    """That a field has a value: it is there, or has a default that is one, and is not null."""
    wire = at.wire[name]
    held: dict[str, Any] = {"not": {"type": "null"}} if name in at.nullable else {}
    if name in at.blank:
        held["pattern"] = r"\S"
    said: dict[str, Any] = {"properties": {wire: held}} if held else {}
    return said if at.defaults.get(name) is not None else {"required": [wire], **said}


def _absent(name: str, at: Standing) -> dict[str, Any]:
    return {"not": _present(name, at)}


class Needs(_Presence):
    """`wanted` must have a value when `given` has one."""

    wanted: tuple[str, ...]
    given: str

    @property
    def fields(self) -> tuple[str, ...]:
        return (*self.wanted, self.given)

    def condition(self, value_of: Mapping[str, str], bind: Bind) -> str:
        return f"(not ({value_of[self.given]}) or ({' and '.join(value_of[name] for name in self.wanted)}))"

    def face(self, facts: Mapping[str, Facts]) -> Face:
        return Face("", "agreement", "a value, since {given} has one", "none")

    def numbers(self, wire: Mapping[str, str]) -> Mapping[str, object]:
        return {"wanted": [wire[name] for name in self.wanted], "given": wire[self.given]}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        there = [_present(name, at) for name in (self.given, *self.wanted)]
        if all(list(said) == ["required"] for said in there):
            return {"dependentRequired": {at.wire[self.given]: [at.wire[name] for name in self.wanted]}}
        return {"allOf": [{"if": there[0], "then": {"allOf": there[1:]}}]}

    def __str__(self) -> str:
        return f"needs({', '.join(map(repr, self.wanted))}, given={self.given!r})"


class WhenRule(_Presence):
    """Fields that must have a value, or must not, when a condition holds."""

    when: Condition
    names: tuple[str, ...]
    wanted: bool

    @property
    def fields(self) -> tuple[str, ...]:
        return (*self.names, *self.when.fields)

    @property
    def may_raise(self) -> bool:
        return bool(self.when.may_raise)

    @property
    def asks_presence_only(self) -> bool:
        return False

    def condition(self, value_of: Mapping[str, str], bind: Bind) -> str:
        applies = self.when.test(value_of, bind)
        tests = " and ".join(value_of[name] if self.wanted else f"not ({value_of[name]})" for name in self.names)
        return f"(not ({applies}) or ({tests}))"

    def face(self, facts: Mapping[str, Facts]) -> Face:
        needs = "a value when {condition}" if self.wanted else "no value when {condition}"
        return Face("", "agreement", needs, "none" if self.wanted else "one")

    def numbers(self, wire: Mapping[str, str]) -> Mapping[str, object]:
        return {"condition": self.when.told(wire), "names": [wire[name] for name in self.names]}

    def suits(self, facts: Mapping[str, Facts]) -> None:
        self.when.suits(facts)

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        condition = self.when.schema(at)
        if isinstance(condition, Unsaid):
            return condition
        then = {"allOf": [(_present if self.wanted else _absent)(each, at) for each in self.names]}
        return {"allOf": [{"if": condition, "then": then}]}

    def __str__(self) -> str:
        verb = "needs" if self.wanted else "forbids"
        return f"when({self.when}).{verb}({', '.join(map(repr, self.names))})"


class Count(_Presence):
    """How many of some fields have a value."""

    word: str
    names: tuple[str, ...]
    least: int
    most: int

    @property
    def fields(self) -> tuple[str, ...]:
        return self.names

    def condition(self, value_of: Mapping[str, str], bind: Bind) -> str:
        count = " + ".join(f"({value_of[name]})" for name in self.names)
        if self.word == "all_or_none":
            return f"{count} in (0, {len(self.names)})"
        return f"{self.least} <= {count} <= {self.most}"

    def face(self, facts: Mapping[str, Facts]) -> Face:
        words = {
            "at_least_one": "at least one of {names}",
            "at_most_one": "at most one of {names}",
            "exactly_one": "exactly one of {names}",
            "all_or_none": "all of {names}, or none",
        }
        got = {"at_least_one": "none", "at_most_one": "several", "all_or_none": "some"}
        return Face("", "agreement", words[self.word], got.get(self.word, "another number"))

    def numbers(self, wire: Mapping[str, str]) -> Mapping[str, object]:
        return {"names": [wire[name] for name in self.names]}

    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        there = [_present(name, at) for name in self.names]
        if self.word == "at_least_one":
            return {"allOf": [{"anyOf": there}]}
        if self.word == "exactly_one":
            return {"allOf": [{"oneOf": there}]}
        if self.word == "at_most_one":
            pairs = [(one, two) for at, one in enumerate(there) for two in there[at + 1 :]]
            return {"allOf": [{"not": {"allOf": [one, two]}} for one, two in pairs]}
        return {"allOf": [{"anyOf": [{"allOf": there}, {"not": {"anyOf": there}}]}]}

    def __str__(self) -> str:
        return f"{self.word}({', '.join(map(repr, self.names))})"


def _names(word: str, fields: tuple[object, ...], least: int = 1) -> tuple[str, ...]:
    names = tuple(field.name if isinstance(field, FieldOfThis) else field for field in fields)
    if len(names) < least or not all(isinstance(name, str) and name for name in names):
        raise DeclarationError(
            f"{word}{fields!r} names no fields", remedy=f"name at least {least}, as in {word}('phone', 'email')"
        )
    return names  # type: ignore[return-value]


def needs(*wanted: object, given: object) -> Needs:
    """In `@obeys`: the wanted fields must have a value when the given one has: `needs("un_number", given="hazard")`."""
    return Needs(_names("needs", wanted), _names("needs", (given,))[0])


class When:
    """A condition on the record, to which `needs` or `forbids` belongs."""

    __slots__ = ("condition",)

    def __init__(self, condition: Condition) -> None:
        self.condition = condition

    def needs(self, *fields: object) -> WhenRule:
        """The fields must have a value when the condition holds."""
        return WhenRule(self.condition, _names("needs", fields), True)

    def forbids(self, *fields: object) -> WhenRule:
        """The fields must have no value when the condition holds."""
        return WhenRule(self.condition, _names("forbids", fields), False)


def when(condition: Condition) -> When:
    """In `@obeys`: `when(this.hazard != "none").needs("un_number")`, or `.forbids(...)`.

    Conditions are joined with `&`, `|` and `~`, each comparison in brackets: `when((this.hazard != "none") &
    ~(this.priority == "urgent"))`. A comparison whose field has no value does not hold. Raises DeclarationError for
    what is no condition.
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
