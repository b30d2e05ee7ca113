"""Random pairs of typed declarations, one made of the other by an edit or two, and what contradicts their comparison."""

from __future__ import annotations

import json
import re
import traceback
import types
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import MISSING, dataclass, field, fields, is_dataclass, make_dataclass
from datetime import date, datetime
from decimal import Decimal
from functools import partial
from ipaddress import IPv4Network
from random import Random
from typing import Annotated, Any, Final, Literal, Union, get_args, get_origin
from zoneinfo import ZoneInfo

from any_declaration import Maker, any_declaration
from any_pair import POOL
from dutiful_gate import (
    DeclarationError,
    Gate,
    Limits,
    Refused,
    Sealed,
    as_text,
    holds,
    it,
    lenient,
    lowered,
    obeys,
    otherwise,
    rounded_to,
    secret,
    split_on,
    squeezed,
    then,
    this,
    trimmed,
    unambiguous,
    uppered,
    via,
    when,
)
from dutiful_gate.prove.laws import is_sayable
from dutiful_gate.sample.cannot_sample import CannotSample
from dutiful_gate.sample.edges import Edges
from dutiful_gate.sample.payloads import Payloads
from dutiful_gate.versions.comparison import Comparison, compare

FIELDS = ("number", "berth", "weight", "remark", "lots")


@dataclass
class Below:
    """A judge with state: whether the length or the number stays under a most."""

    most: int

    def __call__(self, value: Any) -> bool:
        return not _over(self.most - 1, value)

    def judge(self, value: Any) -> bool:
        return self(value)


def _over(least: int, value: Any) -> bool:
    return bool((len(value) if isinstance(value, str | list) else 0 if value is None else value) > least)


def _unlike(number: int) -> Callable[[Any], bool]:
    return lambda value: value != number


def _own(random: Random) -> Any:
    """A function of the developer's own, of every make that holds state."""
    number = random.randint(0, 4)
    return random.choice((Below(number), Below(number).judge, partial(_over, number), _unlike(number)))


_OF_TEXT: tuple[Callable[[Random], Any], ...] = (
    lambda random: it.length <= random.randint(1, 6), lambda random: it.length >= random.randint(0, 3),
    lambda random: it.matches(random.choice(("[a-z]+", "[A-Z]{3}", r"\w+", ".{1,3}"))),
    lambda random: it != random.choice(("a", "abc", "")), lambda random: it.one_of(*random.sample(("a", "b", "abc", "QLP"), 2)),
    lambda random: it.starts_with(random.choice("aQ")), lambda random: holds(_own(random)),
    lambda random: holds(re.compile(random.choice(("[a-z]+", "[a-y]+"))).fullmatch), lambda random: random.choice((trimmed, lowered, uppered, squeezed)),
    lambda random: otherwise(random.choice(("a", "QLP"))), lambda random: then(random.choice((str.title, str.strip))),
)  # fmt: skip
_OF_NUMBERS: tuple[Callable[[Random], Any], ...] = (
    lambda random: it > random.randint(-2, 3), lambda random: it < random.randint(1, 5), lambda random: it <= random.choice((3, 2**53 + 1, 2**53 + 2)),
    lambda random: it != random.randint(0, 3), lambda random: it.multiple_of(random.choice((2, 3, 4))), lambda random: it.one_of(*random.sample(range(5), 2)),
    lambda random: holds(_own(random)), lambda random: lenient, lambda random: rounded_to(random.choice((0, -1))), lambda random: otherwise(random.choice((1, 2))),
)  # fmt: skip
_OF_SEVERAL: tuple[Callable[[Random], Any], ...] = (
    lambda random: it.length <= random.randint(0, 3), lambda random: it.length >= random.randint(0, 2), lambda random: it.distinct,
    lambda random: holds(_own(random)),
)  # fmt: skip
_OF_OTHERS: tuple[Callable[[Random], Any], ...] = (
    lambda random: secret,
    lambda random: holds(_unlike(random.randint(0, 2))),
)


def _rules(first: str, other: str, random: Random) -> Any:
    """A rule between two fields, or a function of the record."""
    one, two = this[first], this[other]
    number = random.randint(0, 3)
    return random.choice(
        (one != two, one == two, one < two, one <= two, one.length < two.length, when(one.has_value).needs(other), one.has_value | two.has_value,
         when(one == number).obeys(two > number), lambda record: getattr(record, first, 0) != number, (one != number) | (two != number))
    )  # fmt: skip


UNIONS: tuple[Any, ...] = (
    Annotated[int, via(str)] | str, Annotated[list[int], split_on(",")] | str, ZoneInfo | str, IPv4Network | str | int, Sealed[Literal["a"]] | str, date | str,
    Annotated[Literal["a", "b"], secret] | str, Annotated[str, holds(_unlike(1))] | Annotated[str, it.length <= 3], Annotated[int, it > 2, otherwise(3)] | str,
    Annotated[Decimal, as_text] | str | float, Annotated[str, trimmed, it.length == 3] | Annotated[str, it.length <= 1] | None, list[str] | list[Annotated[str, uppered]] | str,
    Annotated[int | Annotated[str, holds(_unlike(2))], unambiguous], dict[str, int] | dict[IPv4Network, str], Annotated[datetime, via(int)] | int,
)  # fmt: skip
"""Unions of which documents do not say all."""


class AnyTypedPair:
    """Two declarations, `old` and `new`, each with the words of its gate."""

    def __init__(self, seed: int) -> None:
        self.random = random = Random(seed)
        self.count = 0
        if random.random() < 0.4:
            declared, words = any_declaration(seed)
        else:
            maker = Maker(seed)
            declared = self.booking(maker)
            words = {"names": maker.names} if maker.names else {}
        new, new_words = declared, dict(words)
        for _ in range(random.choice((1, 1, 2))):
            if random.random() < 0.06:
                new_words = self.gate_otherwise(new_words)
            elif words.get("names") and random.random() < 0.5:
                name = random.choice([*words["names"]])
                new_words["names"] = {**new_words["names"], name: self.edited(new_words["names"][name])}
            else:
                new = self.edited(new)
        self.old, self.new = (declared, words), (new, new_words)
        if random.random() < 0.5:
            self.old, self.new = self.new, self.old

    def booking(self, maker: Maker) -> Any:
        """A record as a developer would write one."""
        random = self.random
        made: list[Any] = []
        for name in random.sample(FIELDS, random.randint(1, 4)):
            kind: Any = random.choice((int, str, str, float, bool, Literal["a", "b"], Decimal, list[int], list[str]))
            for _ in range(random.choice((0, 1, 1, 2))):
                kind = self.marked(kind)
            kind = kind if random.random() < 0.7 else kind | None
            if random.random() < 0.3:
                kind = random.choice((maker.declaration(1), random.choice(UNIONS), list[random.choice(UNIONS)]))
            made.append((name, kind, *self.default_of(kind)))
        made.sort(key=len)
        record: Any = make_dataclass("Booking", made)
        return obeys(self.between(record))(record) if random.random() < 0.4 else record

    def default_of(self, kind: Any) -> tuple[Any, ...]:
        """Nothing where a field must be there; else what it is in its absence."""
        value = self.value_of(kind)
        if self.random.random() < 0.6 or value is MISSING:
            return ()
        if isinstance(value, list):
            return (field(default_factory=partial(list, value)),)
        return (field(default_factory=lambda: value) if self.random.random() < 0.2 else field(default=value),)

    def value_of(self, kind: Any) -> Any:
        """A value for a type, sound or not."""
        while get_origin(kind) is Annotated:
            kind = get_args(kind)[0]
        if get_origin(kind) in (Union, types.UnionType):
            return self.value_of(self.random.choice(get_args(kind)))
        if get_origin(kind) is list:
            return [self.value_of(get_args(kind)[0]) for _ in range(self.random.randint(0, 2))]
        if get_origin(kind) is Literal:
            return self.random.choice(get_args(kind))
        values: dict[Any, tuple[Any, ...]] = {
            int: (0, 1, 2, 3),
            float: (0.5, 1.0, 2.5),
            str: ("a", "b", "abc", "QLP", ""),
            bool: (True, False),
            Decimal: (Decimal(1), Decimal("2.5")),
        }
        return self.random.choice(values.get(kind, (None if kind is type(None) else MISSING,)))

    def between(self, record: Any) -> Any:
        names = [each.name for each in fields(record)] if is_dataclass(record) else [*record.__annotations__]
        first = self.random.choice(names)
        return _rules(first, self.random.choice([name for name in names if name != first] or names), self.random)

    def marked(self, kind: Any) -> Any:
        """A type with one more rule, step or mark that may suit it."""
        bare = kind
        while get_origin(bare) is Annotated:
            bare = get_args(bare)[0]
        options = bare if get_origin(bare) in (Union, types.UnionType) else None
        bare = get_args(options)[0] if options is not None else bare
        if bare is str:
            some = _OF_TEXT
        elif bare in (int, float, Decimal):
            some = _OF_NUMBERS
        else:
            some = _OF_SEVERAL if get_origin(bare) is list else _OF_OTHERS
        part = self.random.choice(some)(self.random)
        if get_origin(kind) is Annotated:
            parts = list(kind.__metadata__)
            parts.insert(self.random.randint(0, len(parts)), part)
            return Annotated[(kind.__origin__, *parts)]
        return Annotated[(kind, part)]  # type: ignore[return-value]

    def edited(self, form: Any) -> Any:
        """The type said a little otherwise, somewhere in it."""
        random, origin, arguments = self.random, get_origin(form), get_args(form)
        if origin is Final:
            return Final[self.edited(arguments[0])]  # type: ignore[misc]
        if random.random() < 0.08:
            return random.choice(
                (form | None if form is not None and not isinstance(form, str) else int, list[form], int, str, Any)
            )
        if origin is Annotated:
            return self.with_other_parts(form)
        if is_dataclass(form) and isinstance(form, type):
            return self.with_other_fields(form)
        if origin in (Union, types.UnionType):
            options = list(arguments)
            kind = random.random()
            if kind < 0.35 and len(options) > 1:
                options.pop(random.randrange(len(options)))
            elif kind < 0.6:
                options.insert(random.randint(0, len(options)), random.choice((None, int, str, float, bool)))
            else:
                at = random.randrange(len(options))
                options[at] = self.edited(options[at])
            return Union[tuple(options)]  # noqa: UP007
        if origin is Literal:
            values = [*arguments, random.choice(("late", 1, 2, None))]
            if len(arguments) > 1 and random.random() < 0.5:
                values = random.sample(arguments, len(arguments) - 1)
            return Literal[tuple(values)]
        if arguments and not isinstance(origin, types.GenericAlias) and random.random() < 0.7:
            at = random.randrange(len(arguments))
            if arguments[at] is not Ellipsis:
                return origin[
                    tuple(self.edited(each) if number == at else each for number, each in enumerate(arguments))
                ]
        if isinstance(form, str):
            return form
        return self.marked(form)

    def with_other_parts(self, form: Any) -> Any:
        """Of what stands beside a type one part left out, put elsewhere, or said with another constant; or one more."""
        random, parts = self.random, list(form.__metadata__)
        at, kind = random.randrange(len(parts)), random.random()
        if kind < 0.15:
            inner = self.edited(form.__origin__)
            return Annotated[(inner, *parts)]
        if kind < 0.35:
            parts.pop(at)
            return Annotated[(form.__origin__, *parts)] if parts else form.__origin__
        if kind < 0.5 and len(parts) > 1:
            random.shuffle(parts)
            return Annotated[(form.__origin__, *parts)]
        if kind < 0.85:
            for _ in range(20):
                other = self.marked(form.__origin__).__metadata__[-1]
                if type(other) is type(parts[at]):
                    parts[at] = other
                    return Annotated[(form.__origin__, *parts)]
        return self.marked(form)

    def with_other_fields(self, form: Any) -> Any:
        """A record with one field that is another, one more, or one rule between them more."""
        random, kind = self.random, self.random.random()
        known = {each.name: each for each in fields(form)}
        if kind < 0.15 or not known:
            self.count += 1
            new = (f"new_{self.count}", random.choice((int, str, Any)), *self.default_of(int))
            return make_dataclass(
                form.__name__, [new], bases=(form,), kw_only=True, frozen=form.__dataclass_params__.frozen
            )
        if kind < 0.3:
            body = type(form.__name__, (form,), {})
            return obeys(self.between(form))(dataclass(body, frozen=form.__dataclass_params__.frozen))
        name = random.choice([*known])
        kept = known[name]
        default = () if kept.default is kept.default_factory is MISSING else (_again(kept),)
        kind_of = kept.type
        if (default and random.random() < 0.5) or random.random() < 0.15:
            default = self.default_of(kept.type) or default
        else:
            kind_of = self.edited(kept.type)
        return make_dataclass(
            form.__name__,
            [(name, kind_of, *default)],
            bases=(form,),
            kw_only=True,
            frozen=form.__dataclass_params__.frozen,
        )

    def gate_otherwise(self, words: dict[str, Any]) -> dict[str, Any]:
        random = self.random
        name = random.choice(("limits", "unknown", "lenient"))
        if name == "limits":
            return {**words, name: Limits(items=random.choice((1, 2, 50)), depth=random.choice((2, 3, 64)))}
        return {**words, name: "refuse"} if name == "unknown" else {**words, name: True}


def _again(kept: Any) -> Any:
    return field(default=kept.default) if kept.default is not MISSING else field(default_factory=kept.default_factory)


def instances(*gates: Gate[Any], seed: int, count: int = 12) -> Iterator[Any]:
    """Sound data of each version, what is a little beside it, and the constants that either names in each place."""
    for gate in gates:
        random = Random(seed)
        payloads, edges = Payloads(gate.shape, random), Edges(gate.shape, random)
        made = []
        with suppress(CannotSample):
            while len(made) < count and payloads.tries < 600:
                made.append(payloads.make())
        constants = [held for held in _constants(gate.schema()) if not isinstance(held, dict)]
        constants += [held + step for held in constants if type(held) in (int, float) for step in (-1, 1)]
        for one in made:
            yield one
            yield from (edges.spoiled(gate.shape.root, one) for _ in range(8))
            if isinstance(one, dict):
                yield from ({key: held for key, held in one.items() if key != gone} for gone in one)
                for key, held in one.items():
                    yield from ({**one, key: each} for each in constants if type(each) is type(held))
                    yield from ({**one, key: one[other]} for other in one if other != key)
        yield from constants
    yield from POOL[::3]


def _constants(document: Any) -> Iterator[Any]:
    """All that a document names which could be data."""
    if isinstance(document, dict):
        for word, held in document.items():
            yield from (
                [held]
                if word in ("const", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "default")
                else held
                if word in ("enum", "examples")
                else ()
            )
            yield from _constants(held)
    elif isinstance(document, list):
        for held in document:
            yield from _constants(held)


def _as_json(data: Any) -> Any:
    return json.loads(json.dumps(data, default=float))


def held_against(seed: int) -> tuple[Comparison, dict[str, Any], str] | None:
    """The same; a pair in which an own function raises at what is not for it, a mistake of its developer, is none."""
    try:
        return _held_against(seed)
    except TypeError as error:
        if "own_functions" in "".join(traceback.format_tb(error.__traceback__)):
            return None
        raise


def _held_against(seed: int) -> tuple[Comparison, dict[str, Any], str] | None:
    """A comparison, an instance that shows somebody broken by whom, and what contradicts it; None for no pair.

    What the comparison says is proved is held against both gates: of what is sent each instance without keys that
    nobody declared; of what is released what comes out of it.
    """
    made = AnyTypedPair(seed)
    try:
        old, new = (Gate(declared, **words) for declared, words in (made.old, made.new))
        closed = Gate(made.old[0], **{**made.old[1], "unknown": "refuse"})
        outside = Gate.from_schema(_as_json(old.schema(of="release")), formats="assert")
    except DeclarationError:
        return None
    found = compare(old, new, seed=seed)
    words = f"typed pair {seed}: {found.changes}"
    broken: dict[str, Any] = {}
    for each in instances(old, new, seed=seed):
        try:
            each = json.loads(json.dumps(each))
        except (TypeError, ValueError, RecursionError):
            continue
        if not is_sayable(each, True):  # a number that no double holds is another one to many readers
            continue
        if "senders" not in broken and old.accepts(each) and not new.accepts(each) and closed.accepts(each):
            broken["senders"] = each
        verdict = new.examine(each) if "readers" not in broken else None
        if verdict:
            try:
                released = json.loads(json.dumps(new.release(verdict.value), default=float, allow_nan=False))
            except (Refused, TypeError, ValueError):
                continue
            if not outside.accepts(released):
                broken["readers"] = released
    for who, instance in broken.items():
        if found.answer(who) == "unharmed":  # type: ignore[arg-type]
            return found, broken, f"{words}: {who} proved unharmed, and {instance!r} breaks"
    for change in found.changes:
        for shown, one, other in ((change.refused, old, new), (change.accepted, new, old)):
            if (
                shown is not None
                and change.of == "send"
                and "(hidden)" not in json.dumps(shown.instance)
                and not (one.accepts(shown.instance) and not other.accepts(shown.instance))
            ):
                return found, broken, f"{words}: {shown.instance!r} does not show {change.words!r}"
    return found, broken, ""


def typed_contradiction(seed: int) -> tuple[bool, str]:
    """Whether there was a pair of that seed, and what contradicts what is proved of it, "" for nothing."""
    found = held_against(seed)
    return (False, "") if found is None else (True, found[2])
