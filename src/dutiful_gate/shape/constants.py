"""Constants of rules as their fields mean them: a member of an Enum by its value too, none that no value equals."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from datetime import date, datetime
from difflib import get_close_matches
from enum import Enum
from functools import partial
from typing import Any

from ..declare.conditions import Condition
from ..declare.equality import are_equal
from ..declare.errors import DeclarationError, did_you_mean
from ..declare.field_access import ITEM, Path
from ..declare.field_comparison import FieldComparison
from ..declare.members import Member, on_wire, quoted
from ..declare.records import RecordRule
from ..declare.rules import Contains, Distinct, Equal, OneOf, Rule
from ..declare.terms import Constant, NamedField
from ..declare.value_conditions import Obeying, Over
from .nodes import Alias, Branches, Choice, Entries, Fixed, Items, Link, Nothing, Nullable, Scalar
from .paths import Paths
from .shape import Field, Record
from .uses import MISSING, Use
from .walk import rebuilt

_NEVER = object()


class Meanings:
    """What constants mean beside the uses of a shape."""

    def __init__(self, records: Mapping[str, Record], aliases: Mapping[str, Use]) -> None:
        self.records = records
        self.aliases = aliases
        self.paths = Paths(records, aliases)

    def use(self, use: Use) -> Use:
        """A use whose own rules, and whose fallback, say what is meant. Raises DeclarationError for what is dead."""
        bare = use.replace(parts=(), fallback=MISSING)
        if any(isinstance(part, Equal | OneOf | Contains | Distinct) for part in use.parts) and use.making is None:
            parts = tuple(self._rule(bare, part) if isinstance(part, Rule) else part for part in use.parts)
            use = use if parts == use.parts else use.replace(parts=parts)
        if use.fallback is not MISSING and isinstance(use.bare.node, Choice):
            member = self.constant(bare, use.fallback)
            if member.__class__ is Member:
                use = use.replace(fallback=member.held)
        return use

    def record(self, record: Record) -> Record:
        """A record whose rules say what is meant. Raises DeclarationError, naming it, for what is dead."""
        rules = []
        for rule in record.rules:
            try:
                rules.append(self._meant(rule, record, ()))
            except DeclarationError as error:
                raise error.within(record.name, rule.fields[0] if rule.fields else "") from None
        return record if tuple(rules) == record.rules else record.replace(rules=tuple(rules))

    def constant(self, use: Use, constant: Any) -> Any:
        """A constant as a value of a use would be compared with it; `_NEVER` where none can equal it."""
        node = use.node
        if use.facts.open or constant.__class__ is Member or not _is_single(constant):
            return constant
        if use.fallback is not MISSING and are_equal(use.fallback, constant):
            return constant
        match node:
            case Choice(wire=wire, values=values):
                return _chosen(wire, values, constant)
            case Nullable(inner):
                return None if constant is None else self.constant(inner, constant)
            case Nothing():
                return constant if constant is None else _NEVER
            case Branches(options=options):
                found = (self.constant(option, constant) for option in options)
                return next((each for each in found if each is not _NEVER), _NEVER)
            case Alias(key):
                return self.constant(self.aliases[key], constant)
            case Scalar():
                return constant if use.facts.equals(constant) else _NEVER
            case Items() | Fixed() | Entries() | Link():
                return _NEVER
        return constant

    def _meant(self, part: Any, record: Record, before: Path) -> Any:
        """A rule, a condition or what they are made of, with constants as the fields at their paths mean them."""
        at: Callable[[Path], Use] = lambda path: self.paths.use(record, (*before, *path))  # noqa: E731
        if isinstance(part, FieldComparison):
            if part.sign not in ("==", "!=") or not isinstance(part.left, NamedField):
                return part
            if isinstance(part.right, NamedField):
                self._refuse_unlike(at(part.left.path), at(part.right.path), part)
            if not isinstance(part.right, Constant):
                return part
            meant = self._or_dead(at(part.left.path), part.right.value, part)
            return part.replace(right=Constant(meant))
        if isinstance(part, Obeying):
            return part.replace(rule=self._rule(at(part.path), part.rule))
        if isinstance(part, Over):
            if isinstance(part.inner, Rule):
                return part.replace(inner=self._rule(at((*part.path, ITEM)), part.inner))
            return part.replace(inner=self._meant(part.inner, record, (*before, *part.path, ITEM)))
        if isinstance(part, tuple):
            return tuple(self._meant(each, record, before) for each in part)
        if isinstance(part, Condition | RecordRule):
            held: dict[str, Any] = dict(part._items())  # type: ignore[union-attr]
            return part.replace(**{name: self._meant(each, record, before) for name, each in held.items()})  # type: ignore[union-attr]
        return part

    def _rule(self, use: Use, rule: Any) -> Any:
        """A rule on one value."""
        match rule:
            case Equal(constant):
                return rule.replace(constant=self._or_dead(use, constant, rule))
            case OneOf(choices):
                return rule.replace(choices=tuple(self._or_dead(use, each, rule) for each in choices))
            case Contains(held):
                node = self._plain(use).node
                if isinstance(node, Items) and not use.facts.open:
                    return rule.replace(held=self._or_dead(node.item, held, rule))
            case Distinct(key) if isinstance(key, str):
                self._check_key(use, key, rule)
        return rule

    def _or_dead(self, use: Use, constant: Any, rule: object) -> Any:
        meant = self.constant(use, constant)
        if meant is not _NEVER:
            return meant
        few = [each for each in _few(self._plain(use)) if each is not None]
        said = constant.value if isinstance(constant, Enum) else on_wire(constant)
        near = get_close_matches(str(said), [str(each) for each in few], 1)
        if near:
            remedy = f"did you mean {next(each for each in few if str(each) == near[0])!r}?"
        elif few:
            remedy = f"it is one of {', '.join(map(repr, few))}"
        else:
            remedy = f"write the constant as {use.facts.phrase}, or leave the rule out"
        raise DeclarationError(
            f"{rule} compares {use.facts.phrase} with {quoted(constant)}, which it never is", remedy=remedy
        )

    def _refuse_unlike(self, left: Use, right: Use, rule: object) -> None:
        """Raise DeclarationError for two fields of which none ever equals the other."""
        one, other = self._classes(left), self._classes(right)
        if one and other and not any(_may_equal(each, another) for each in one for another in other):
            raise DeclarationError(
                f"{rule} compares {left.facts.phrase} with {right.facts.phrase}, which it never is",
                remedy="compare fields of one kind",
            )

    def _classes(self, use: Use) -> frozenset[type]:
        """The classes that a value is of; none where that is not known."""
        if use.making is not None or use.facts.open:
            return frozenset()
        match use.node:
            case Nullable(inner):
                held = self._classes(inner)
                return held | {type(None)} if held else held
            case Choice(values=values):
                return frozenset(map(type, values))
            case Branches(options=options):
                each = [self._classes(option) for option in options]
                return frozenset().union(*each) if all(each) else frozenset()
            case Items(into=into):
                return frozenset([_MADE.get(into, object)])
            case Fixed():
                return frozenset([tuple])
            case Entries():
                return frozenset([dict])
            case Link(key):
                record = self.records[key]
                return frozenset([record.builder if isinstance(record.builder, type) else object])
            case Nothing():
                return frozenset([type(None)])
            case Scalar():
                facts = use.facts
                return frozenset([*facts.ordered, *facts.alike, *([str] if facts.text else [])])
        return frozenset()

    def _plain(self, use: Use) -> Use:
        return self.paths.plain(use)

    def _check_key(self, use: Use, key: str, rule: Distinct) -> None:
        """Raise DeclarationError for a key that no item has."""
        node = self._plain(use).node
        held = node.item if isinstance(node, Items) else None
        if held is None or use.facts.open or self._has(held, key):
            return
        names = sorted(self._names(held))
        by_wire = {field.wire: field.attribute for record in self._records(held) for field in record.fields}
        others = f"they have {', '.join(names) or 'no fields'}"
        raise DeclarationError(
            f"{rule} compares items by {key!r}, which they do not have: none would ever come twice",
            remedy=f"did you mean {by_wire[key]!r}?" if key in by_wire else did_you_mean(key, names, others),
        )

    def _has(self, use: Use, key: str) -> bool:
        use = self._plain(use)
        node = use.node
        if use.facts.open or isinstance(node, Entries):
            return True
        if isinstance(node, Branches):
            return any(self._has(option, key) for option in node.options)
        if isinstance(node, Link):
            record = self.records[node.key]
            return key in self._names(use) or (record.form != "dict" and hasattr(record.builder, key))
        if isinstance(node, Choice):
            return any(hasattr(value, key) for value in node.values)
        kinds = (*use.facts.ordered, *use.facts.alike)
        return any(hasattr(kind, key) for kind in kinds)

    def _records(self, use: Use) -> list[Record]:
        node = self._plain(use).node
        if isinstance(node, Branches):
            return [record for option in node.options for record in self._records(option)]
        return [self.records[node.key]] if isinstance(node, Link) else []

    def _names(self, use: Use) -> set[str]:
        return {field.attribute for record in self._records(use) for field in (*record.fields, *record.rests)}


def with_meanings(
    root: Use, records: Mapping[str, Record], aliases: Mapping[str, Use]
) -> tuple[Use, dict[str, Record], dict[str, Use]]:
    """A shape's parts whose rules mean what their fields do. Raises DeclarationError for a rule that is dead."""
    meanings = Meanings(records, aliases)

    def field(record: Record, held: Field) -> Field:
        try:
            use = rebuilt(held.use, meanings.use)
        except DeclarationError as error:
            raise error.within(record.name, held.attribute) from None
        return held if use is held.use else held.replace(use=use)

    made: dict[str, Record] = {}
    for key, record in records.items():
        fields = tuple(field(record, each) for each in record.fields)
        rests = tuple(field(record, each) for each in record.rests)
        if any(new is not old for new, old in zip((*fields, *rests), (*record.fields, *record.rests), strict=True)):
            record = record.replace(fields=fields, rests=rests)
        made[key] = meanings.record(record)
    told = partial(rebuilt, change=meanings.use)
    return told(root), made, {key: told(use) for key, use in aliases.items()}


_MADE: dict[str, type] = {"list": list, "tuple": tuple, "set": set, "frozenset": set, "deque": deque}


def _may_equal(one: type, other: type) -> bool:
    """Whether a value of one class can equal one of another."""
    if bool in (one, other) or _is_day(one) or _is_day(other):
        return one is other
    return issubclass(one, other) or issubclass(other, one)


def _is_day(kind: type) -> bool:
    return issubclass(kind, date) and not issubclass(kind, datetime)


def _chosen(wire: tuple[object, ...], values: tuple[object, ...], constant: Any) -> Any:
    """The one of a few that a constant means: by its value, or by what stands for it in the data."""
    for plain, value in zip(wire, values, strict=True):
        if value.__class__ is constant.__class__ and value == constant:
            return Member(value, plain) if isinstance(value, Enum) else value
    for plain, value in zip(wire, values, strict=True):
        if not isinstance(constant, Enum) and are_equal(plain, constant):
            return Member(value, plain) if isinstance(value, Enum) else value
    return _NEVER


def _few(use: Use) -> tuple[object, ...]:
    """The few values that a use has in the data; none where they are not few."""
    node = use.node
    if isinstance(node, Choice):
        return node.wire
    if isinstance(node, Branches):
        return tuple(each for option in node.options for each in _few(option))
    return ()


def _is_single(constant: Any) -> bool:
    """Whether a constant is a single value, and no list or object of the developer's own."""
    return constant is None or isinstance(constant, str | int | float | bytes | Enum) or hasattr(constant, "isoformat")
