"""Rules on a whole record: `this`, what fields need of each other, functions of the record, and `@obeys`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from typing import Any, Literal, NoReturn, Protocol, Self, TypeVar, runtime_checkable

from .answers import AskedOfRecord
from .embedded import Embedded
from .errors import DeclarationError, check_flags
from .facts import Bind, Facts, Unsaid
from .field_access import FactsOf, Inside, Path, Reach
from .native_forms import Native
from .rules.base import Face
from .rules.waiting import WaitingCheck
from .values import Value
from .waiting import check_answers, shown_name

Keywords = Mapping[str, object]
_C = TypeVar("_C", bound=type)
_HELD = "__obeys__"
_UNKNOWN = "__unknown__"
_KEYS = "__keys__"


class Standing(ABC):
    """How the fields of a record stand in its data: what a rule must know to say itself in keywords.

    `wire`      the names in the data, by attribute
    `defaults`  what stands in, by attribute, for fields that are absent
    `unknown`   the attributes of fields for which something stands in that a function makes
    `nullable`  the attributes of fields that may be null
    `blank`     those of fields for which blank text is null
    `plain`     those of fields whose values are what stands in the data
    """

    wire: Mapping[str, str]
    defaults: Mapping[str, object]
    unknown: frozenset[str]
    nullable: frozenset[str]
    blank: frozenset[str]
    plain: frozenset[str]

    @abstractmethod
    def facts(self, path: Path) -> Facts:
        """What is known of the value at a path."""

    @abstractmethod
    def inside(self, path: Path) -> Standing | None:
        """The same for the record at a path; None where no single one stands there."""

    def holding(self, path: Path, said: Keywords, holds: Callable[[object], bool]) -> Keywords | Unsaid:
        """The schema of the records in which a path leads to a value that a schema accepts; null is none.

        `holds` tells the same of a default.
        """
        name = path[0]
        if name in self.unknown and (len(path) > 1 or said or name in self.nullable):
            return Unsaid("what stands in for an absent field is not known before it is made")
        if len(path) > 1:
            inner = self.inside(path[:1])
            if inner is None:
                return Unsaid("what stands there is no record of one kind")
            further = inner.holding(path[1:], said, holds)
            if isinstance(further, Unsaid):
                return further
            test: Keywords = {"type": "object", **further}
        else:
            test = self._no_null(name, said)
        default = self.defaults.get(name)
        stands_in = name in self.unknown or (default is not None and holds(Inside(path[1:])(default)))
        made: Keywords = {"properties": {self.wire[name]: test}} if test else {}
        return made if stands_in else {**made, "required": [self.wire[name]]}

    def _no_null(self, name: str, said: Keywords) -> Keywords:
        """A schema for a field's value that does not accept null, nor blank text that stands for it."""
        held = dict(said)
        told = "const" in held or "type" in held or (isinstance(bars := held.get("not"), dict) and _bars_null(bars))
        if name in self.nullable and not told:
            held = {"allOf": [held, {"not": {"type": "null"}}]} if "not" in held else {**held, "not": {"type": "null"}}
        if name in self.blank and "const" not in held:
            held = {"allOf": [held, {"pattern": r"\S"}]} if "pattern" in held else {**held, "pattern": r"\S"}
        return held


def _bars_null(barred: Mapping[str, object]) -> bool:
    values = barred.get("enum")
    return isinstance(values, list) and None in values


class RecordRule(Value, ABC, kw_only=True):
    """A condition on several fields of one record. To add a rule is to add a subclass."""

    own_words: str | None = None

    @property
    def made_of(self) -> tuple[object, ...]:
        """The conditions and rules it is made of."""
        return ()

    @property
    @abstractmethod
    def paths(self) -> tuple[Path, ...]:
        """What it mentions, by attribute names; the first is where its fault stands."""

    @property
    def fields(self) -> tuple[str, ...]:
        """The fields of the record that it mentions, each once."""
        return tuple(dict.fromkeys(path[0] for path in self.paths))

    @property
    def needs_values(self) -> bool:
        """Whether it can be judged only when everything it mentions has a value; else it asks itself what has one."""
        return True

    @property
    def asks_presence_only(self) -> bool:
        """Whether it compares nothing: then it can be told of secrets too."""
        return False

    @property
    def of_whole(self) -> bool:
        """Whether its fault stands at the record itself."""
        return False

    @property
    def counts_keys(self) -> bool:
        """Whether it asks, or what it is made of, how many keys came."""
        return any(getattr(part, "counts_keys", False) for part in self.made_of)

    @property
    def may_raise(self) -> bool:
        """Whether judging may leave what a type can hold, or divide by zero: then the rule does not hold."""
        return False

    def native(self, reach: Reach, bind: Bind) -> Native | None:
        """The form in which the native core asks the same of fields that all have a value, where it has one."""
        return None

    @abstractmethod
    def condition(self, reach: Reach, bind: Bind) -> str:
        """Python source that is true when the rule holds; `reach` gives the source of what it mentions."""

    @abstractmethod
    def face(self, facts: FactsOf) -> Face:
        """The code and wording of its fault."""

    @abstractmethod
    def numbers(self, wire: Callable[[Path], str]) -> Mapping[str, object]:
        """The rule's numbers and names, for a fault's `expected`; `wire` names paths as the data does."""

    @abstractmethod
    def keywords(self, at: Standing) -> Mapping[str, object] | Unsaid:
        """JSON Schema keywords for the record, or why there are none."""

    @abstractmethod
    def suits(self, facts: FactsOf) -> None:
        """Raise DeclarationError where what it mentions does not go together."""

    @abstractmethod
    def __str__(self) -> str:
        """The rule as a developer wrote it."""

    def says(self, words: str) -> Self:
        """The same rule with its own wording."""
        return self.replace(own_words=words)

    def __bool__(self) -> NoReturn:
        raise DeclarationError(
            f"the rule {self} was asked for a truth value, and has none",
            remedy="give each comparison on its own, as in @obeys(this.a < this.b, this.b < this.c)",
        )


@runtime_checkable
class HasRules(Protocol):
    """What stands for one or several rules of a record: a condition, or what follows a `when(...)`."""

    @property
    def __rules__(self) -> tuple[RecordRule, ...]: ...


class RecordCheck(Value):
    """A function of the record, in `@obeys`: see `Wrong`. `release` asks it only where it is for `both_ways`."""

    function: Callable[[Any], object]
    both_ways: bool = False

    def __str__(self) -> str:
        return getattr(self.function, "__name__", "a function")


class Wrong(ValueError):
    """Raised by a function of the record, to say what is wrong and at which field.

    `at` is the attribute's name, a field of `this`, or a path such as ("crates", 0, "weight_kg"): attributes, numbers
    of items, keys. The fault stands under the names that the data has for them.
    """

    def __init__(self, words: str, *, at: object = ()) -> None:
        super().__init__(words)
        path = getattr(at, "_path", at)
        self.path: tuple[Any, ...] = tuple(path) if isinstance(path, tuple | list) else (path,)


def obeys(
    *rules: RecordRule | HasRules | Embedded | WaitingCheck | Callable[[Any], object],
    unknown: Literal["drop", "refuse"] | None = None,
    both_ways: bool = False,
    keys: Callable[[str], str] | None = None,
) -> Callable[[_C], _C]:
    """A class decorator: every record of the class obeys the rules, and so do its subclasses' records.

    A rule is a comparison of `this`, one of `needs`, `when(...)`, `at_least_one` and their like, or a function of the
    record: it gives back False (or anything else that is not true, but None), or raises ValueError with its words
    (`Wrong` to name the field), when it is not satisfied; one that waits is `waits(function)`. A document,
    `obeys_document(...)`, judges the data that the record is read from. The decorator may stand above or below
    `@dataclass`.

    With `both_ways` its functions are asked by `release` too, about the record in its final form; else only on the way
    in. Several decorators go together, so that one function may have it and another not.

    With `unknown` the record itself says what is done with keys nobody declared, whatever its gate says: "refuse" makes
    each a fault, "drop" leaves them out. Subclasses and variants inherit it.

    With `keys`, a function of an attribute's name such as `camel`, the record says how its fields are called in the
    data, whatever its gate says. So are those of records inside it that do not say it themselves; `named` stands above
    both. Subclasses and variants inherit it.

    Raises DeclarationError for what is no rule.
    """
    if unknown not in (None, "drop", "refuse"):
        raise DeclarationError(f"unknown={unknown!r} is no way to treat unknown keys", remedy='"drop" or "refuse"')
    check_flags(both_ways=both_ways)
    if not (keys is None or callable(keys)):
        raise DeclarationError(f"keys={keys!r} makes no names", remedy="a function of an attribute's name, as camel is")
    if keys is not None:
        check_answers(keys, f"@obeys(keys={shown_name(keys)})", takes=1)
    held: list[RecordRule | RecordCheck | Embedded] = []
    for rule in rules:
        if isinstance(rule, RecordRule | Embedded):
            held.append(rule)
        elif isinstance(rule, HasRules):
            held += rule.__rules__
        elif isinstance(rule, WaitingCheck):
            held.append(RecordCheck(AskedOfRecord(rule)))
        elif not isinstance(rule, type) and hasattr(rule, "__call__"):  # noqa: B004
            check_answers(rule, f"@obeys({shown_name(rule)})", takes=1)
            held.append(RecordCheck(rule, both_ways))
        else:
            raise DeclarationError(
                f"@obeys was given {rule!r}, which is no rule of a record",
                remedy="compare fields of `this`, as in @obeys(this.arrives > this.departs)",
            )

    def hold(declared: _C) -> _C:
        before: tuple[RecordRule | RecordCheck | Embedded, ...] = declared.__dict__.get(_HELD, ())
        setattr(declared, _HELD, tuple(held) + before)
        if unknown is not None:
            setattr(declared, _UNKNOWN, unknown)
        if keys is not None:
            setattr(declared, _KEYS, (keys,))  # in a tuple, which makes no method of it
        return declared

    return hold


def record_rules(declared: type) -> tuple[RecordRule | RecordCheck | Embedded, ...]:
    """The record rules of a class: its bases' first, then its own."""
    return tuple(rule for owner in reversed(declared.__mro__) for rule in owner.__dict__.get(_HELD, ()))


def unknown_keys_of(declared: type) -> str:
    """What a class says of keys nobody declared: "drop" or "refuse", or "" where it leaves that to the gate."""
    return getattr(declared, _UNKNOWN, "")


def keys_of(declared: object) -> Callable[[str], str] | None:
    """What makes names in the data of a class's attributes; None where it leaves that to what is around."""
    held = getattr(declared, _KEYS, None)
    return held[0] if isinstance(held, tuple) else None
