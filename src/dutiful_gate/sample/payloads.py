"""Plain data that a gate admits, made by walking its shape."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from random import Random
from typing import Any

from ..declare.clock import Clock
from ..declare.facts import FAILED, Unsaid
from ..declare.formats.examples import EXAMPLES
from ..declare.kinds import (
    Anything,
    Day,
    Exact,
    ExactAsText,
    Flags,
    Formed,
    Kind,
    LocalMoment,
    Moment,
    Nobody,
    Number,
    Text,
    Truth,
    Whole,
    Written,
)
from ..declare.kinds.lenient import Lenient
from ..declare.records import RecordRule
from ..declare.rules import (
    Between,
    Ceiling,
    Contains,
    EndsWith,
    Equal,
    Floor,
    Has,
    HasEcma,
    Length,
    Matches,
    Multiple,
    OneOf,
    Rule,
    StartsWith,
)
from ..declare.rules.format import OfFormat
from ..declare.sources import Reading, Source
from ..declare.steps import Step
from ..declare.terms import Comparison
from ..engine.engine import Engine
from ..engine.parts import Parts
from ..engine.plan import Plan
from ..regex.drawing import drawn_from, of_pattern
from ..regex.from_ecma import read_ecma
from ..shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Choice,
    Entries,
    Field,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Record,
    Scalar,
    Shape,
    Use,
)
from ..shape.to_json import belongs, plain
from .text import CODES, GOODS, known_words, words_for

_TRIES = 80
# Of all parts of one payload together: where records hold records that are hard to find, tries would multiply.
_MOST_TRIES = 4_000
# Deeper down, or once there are so many values, only what must be there is made.
_DEEP = 3
_MANY = 600
_DEEPEST = 60  # past it, a type leads to itself without an end
_NOON = datetime(2026, 5, 4, 12, 0, tzinfo=UTC)
_ANYTHING: tuple[Any, ...] = ("coiled rope", 7, 2.5, True, None, ["QLP", "OST"], {"berth": 4})


class CannotSample(Exception):
    """No sound value was found; says for which field, and what to do about it."""

    def __init__(self, name: str, phrase: str) -> None:
        super().__init__(
            f"{name or 'the value'}: no sound value was found in {_TRIES} tries for {phrase} with its rules; "
            "give one beside it, as in about(examples=[...])"
        )

    @classmethod
    def of_document(cls, place: str, schemas: str) -> CannotSample:
        """For a place in data that schemas want something of."""
        made = cls.__new__(cls)
        Exception.__init__(
            made,
            f'{place or "the whole"}: no sound value was found for {schemas}; give one there, as in "examples": [...]',
        )
        return made


class Payloads:
    """Makes plain data for one shape, the same for the same seed."""

    def __init__(self, shape: Shape, random: Random) -> None:
        self.shape = shape
        self.random = random
        self._parts = Parts(Plan(shape, Source.JSON))
        self._wholes = {key: Use(Link(key)) for key in shape.records}
        self._left = _MOST_TRIES
        self._made = 0

    def make(self) -> Any:
        """One sound payload. Raises CannotSample where the rules leave nothing that could be found."""
        self._left, self._made = _MOST_TRIES, 0
        return self.use(self.shape.root, 0, "")

    def ends(self, depth: int) -> bool:
        """Whether a payload is deep or large enough: nothing more goes in than must."""
        return depth > _DEEP or self._made > _MANY

    def engine(self, use: Use) -> Engine:
        """Reads a part of the shape on its own."""
        return self._parts.engine(use)

    def is_sound(self, use: Use, made: Any) -> bool:
        """Whether a part of a payload would be admitted, and not by a fall-back."""
        engine = self.engine(use)
        if engine.sound(made) is not FAILED and use.fallback is MISSING:
            return True
        value, log = engine.collect(made)
        return value is not FAILED and not log.excused

    def use(self, use: Use, depth: int, name: str) -> Any:
        """A sound value where a node is used."""
        if depth > _DEEPEST:
            raise CannotSample(name, use.facts.phrase)
        examples = use.about.examples
        if examples and self.random.random() < 0.3:
            return self.random.choice(list(examples))
        offered: list[Any] | None = None
        for tried in range(_TRIES):
            made = self.attempt(use, depth, name)
            if tried % 4 == 3:  # it is not found easily: what the rules offer may be it
                offered = self.offered(use) if offered is None else offered
                made = self.random.choice(offered) if offered else made
            if self.is_sound(use, made):
                self._made += 1
                return made
            self._left -= 1
            if self._left < 0:
                break
        if examples:
            return self.random.choice(list(examples))
        raise CannotSample(name, use.facts.phrase)

    def offered(self, use: Use) -> list[Any]:
        """What the rules beside a type offer as passing them, as plain data."""
        inner = use.node.inner if isinstance(use.node, Nullable) else use
        told = [each for part in use.parts if isinstance(part, Rule) for each in part.examples(use.facts)]
        return [plain(inner, each, self.shape) for each in told if belongs(inner, each, self.shape)]

    def attempt(self, use: Use, depth: int, name: str) -> Any:
        """What may be sound."""
        random = self.random
        if use.blank and random.random() < 0.1:
            return random.choice(["", "  "])
        if use.split:
            parts = self.node(use.node, use.parts, depth, name)
            return use.split.join(_as_text(each) for each in parts) if isinstance(parts, list) else parts
        if use.via is not None:
            made = self.node(use.node, use.parts, depth, name) if random.random() < 0.6 else MISSING
            if made is not MISSING and made is not None and use.via.facts.text:
                return _as_text(made)
            return self.attempt(use.via, depth, name)
        return self.node(use.node, use.parts, depth, name)

    def node(self, node: Any, parts: Sequence[Step | Rule], depth: int, name: str) -> Any:
        """What may be sound for a node with the rules beside it."""
        random = self.random
        match node:
            case Scalar(kind):
                return self.scalar(kind, parts, name)
            case Nothing():
                return None
            case Choice(wire=wire):
                return random.choice(wire)
            case Items(item, into):
                return self.items(item, into, parts, depth, name)
            case Fixed(items):
                count = len(items)
                if node.more is not None:
                    low, high = _length_bounds(parts)
                    usual = count + (0 if self.ends(depth) else random.randint(0, 2))
                    count = max(min(max(usual, low), high), count)
                return [self.use(item, depth + 1, name) for item in node.per_item(count)]
            case Entries(key, value):
                usual = 0 if self.ends(depth) or _is_barred(value) else random.randint(0, 3)
                count = _length(parts, usual, random)
                return {
                    _as_text(self.use(key, depth + 1, name)): self.use(value, depth + 1, name) for _ in range(count)
                }
            case Branches(options=options, held=held) if held:
                at = random.randrange(len(options))
                return {node.tag: random.choice(node.tags[at]), held: self.use(options[at], depth + 1, name)}
            case Branches(options=options):
                option = self.shallow(options) if self.ends(depth) else random.choice(options)
                return self.use(option, depth, name)
            case Nullable(inner):
                if random.random() < 0.2 or self.ends(depth - 1):
                    return None
                return self.attempt(inner.but(parts=(*inner.parts, *parts)) if parts else inner, depth, name)
            case Link(key):
                return self.record(self.shape.records[key], depth)
            case Alias(key):
                return self.attempt(self.shape.aliases[key], depth, name)

    def shallow(self, options: Sequence[Use]) -> Use:
        """An option that does not lead further down, where there is one."""
        flat = [option for option in options if isinstance(option.node, Scalar | Nothing | Choice)]
        return self.random.choice(flat or list(options))

    def items(self, item: Use, into: str, parts: Sequence[Step | Rule], depth: int, name: str) -> list[Any]:
        """A list of as many items as the rules ask for."""
        usual = 0 if self.ends(depth) or _is_barred(item) else self.random.randint(0, 3)
        made = [self.use(item, depth + 1, name) for _ in range(_length(parts, usual, self.random))]
        for part in parts:
            if isinstance(part, Contains) and belongs(item, part.held, self.shape) and self.random.random() < 0.9:
                made.insert(0, plain(item, part.held, self.shape))
        return made

    def record(self, record: Record, depth: int) -> dict[str, Any]:
        """A record whose fields are sound, and what they must be to each other too."""
        made: dict[str, Any] = {}
        for _ in range(_TRIES):
            made = {}
            for field in record.fields:
                if _is_barred(field.use) and not field.required:
                    continue
                if field.required or self.random.random() < (0.05 if self.ends(depth) else 0.7):
                    wire = random_wire(field, self.random)
                    made[wire] = self.field(field, depth)
            for gathers in () if self.ends(depth) else record.rests:
                if isinstance(gathers.use.node, Entries):
                    rest = self.use(gathers.use, depth + 1, gathers.attribute)
                    made.update({key: held for key, held in rest.items() if key not in made})
            if self.agrees(record, made, depth) or self._left < 0:
                return made
            self._left -= 1
        return made

    def field(self, field: Field, depth: int) -> Any:
        """A value for a field."""
        return self.use(field.use, depth + 1, field.attribute)

    def agrees(self, record: Record, made: dict[str, Any], depth: int) -> bool:
        """Whether the record as a whole is sound, after some mending of fields that do not go together."""
        engine = self.engine(self._wholes[record.key])
        by_name = {field.attribute: field for field in record.fields}
        self.bring_together(record, by_name, made)
        for _ in range(12):
            if engine.sound(made) is not FAILED:
                return True
            value, _ = engine.collect(made)
            if value is not FAILED:
                return True
            if not record.rules:
                return False
            rule: RecordRule = self.random.choice(record.rules)
            names = [by_name[name].wire for name in rule.fields if name in by_name]
            there = [name for name in names if name in made]
            if len(there) == 2 and self.random.random() < 0.5:
                made[there[0]], made[there[1]] = made[there[1]], made[there[0]]
            elif names:
                wire = self.random.choice(names)
                field = next(field for field in record.fields if field.wire == wire)
                if wire in made and not field.required and self.random.random() < 0.5:
                    del made[wire]
                else:
                    made[wire] = self.field(field, depth)
        return False

    def bring_together(self, record: Record, by_name: Mapping[str, Field], made: dict[str, Any]) -> None:
        """Let what must be later be a few hours later, not weeks."""
        for rule in record.rules:
            if not isinstance(rule, Comparison) or not rule.orders or len(rule.fields) != 2:
                continue
            fields = [by_name[name] for name in rule.fields if name in by_name]
            kinds = [_kind_of(field.use) for field in fields]
            if len(fields) != 2 or not all(isinstance(kind, Moment | LocalMoment) for kind in kinds):
                continue
            late, early = fields if rule.sign.startswith(">") else fields[::-1]
            kind, start = _kind_of(late.use), made.get(early.wire)
            if late.wire in made and isinstance(start, str) and kind is not None:
                moment = kind.reader(Reading.PLAIN)(start)
                if isinstance(moment, datetime) and moment.year < 9999:
                    made[late.wire] = kind.plain(moment + timedelta(minutes=15 * self.random.randint(3, 24)))

    def scalar(self, kind: Kind, parts: Sequence[Step | Rule], name: str) -> Any:
        """A single value."""
        inner = kind.inner if isinstance(kind, Lenient) else kind
        parts = _before_making(parts)
        for part in parts:
            if isinstance(part, OneOf):
                return kind.plain(self.random.choice(part.choices))
            if isinstance(part, Equal) and part.wanted and self.random.random() < 0.8:
                return kind.plain(part.constant)
        if isinstance(inner, Formed):
            plainly = self.scalar(inner.base, parts, name)
            return inner.write(inner.base.reader(Reading.PLAIN)(plainly))
        for known, make in _MAKERS:
            if isinstance(inner, known):
                return make(self, inner, parts, name)
        return inner.example if isinstance(inner, Written) else None

    def text(self, kind: Kind, parts: Sequence[Step | Rule], name: str) -> str:
        """Text that the rules may admit."""
        random = self.random
        made = ""
        for part in parts:
            if isinstance(part, OfFormat):
                made = random.choice(_of_format(part))
            elif isinstance(part, Matches):
                known = known_words(name, part.pattern, part.flags)
                drawn = random.choice(known) if known and random.random() < 0.8 else None
                made = drawn or of_pattern(part.pattern, random, part.flags) or made
            elif isinstance(part, Has):
                made += of_pattern(part.pattern, random, part.flags) or ""
            elif isinstance(part, HasEcma):
                known = [word for word in (*CODES, words_for(name, random)) if part.holds(word)]
                drawn = random.choice(known) if known and random.random() < 0.5 else None
                made += drawn or drawn_from(read_ecma(part.said), random)
        made = made or words_for(name, random)
        shaped = any(isinstance(part, OfFormat | HasEcma) or part.__class__ is Matches for part in parts)
        starts = max((part.affix for part in parts if isinstance(part, StartsWith)), key=len, default="")
        ends = max((part.affix for part in parts if isinstance(part, EndsWith)), key=len, default="")
        made += "".join(str(part.held) for part in parts if isinstance(part, Contains) and str(part.held) not in made)
        if starts or ends:
            return _enclosed(starts, made, ends, parts, random, shaped=shaped)
        return made if shaped else _fitted(made, parts, random)

    def whole(self, kind: Kind, parts: Sequence[Step | Rule], name: str) -> int:
        """A whole number within the bounds."""
        low, high = _bounds(parts, 0, 1000)
        step = next((part.step for part in parts if isinstance(part, Multiple)), 1)
        drawn = self.random.randint(_up(low), max(_up(low), int(high)))
        return int(drawn // step * step) if step != 1 else drawn

    def number(self, kind: Kind, parts: Sequence[Step | Rule], name: str) -> Any:
        """A number within the bounds, with few digits."""
        low, high = _bounds(parts, 0, 1000)
        step = next((part.step for part in parts if isinstance(part, Multiple)), None)
        drawn = round(self.random.uniform(float(low), float(high)), self.random.choice([0, 1, 2]))
        if step is not None:
            drawn = float(int(Decimal(repr(drawn)) / Decimal(str(step))) * Decimal(str(step)))
        return int(drawn) if drawn == int(drawn) and self.random.random() < 0.5 else drawn

    def moment(self, kind: Kind, parts: Sequence[Step | Rule], name: str) -> Any:
        """A date-time or date near the bounds, or near now."""
        random = self.random
        local = isinstance(kind, LocalMoment)
        floors = [_in_utc(part.floor, local) for part in parts if isinstance(part, Floor | Between)]
        ceilings = [_in_utc(part.ceiling, local) for part in parts if isinstance(part, Ceiling | Between)]
        if floors and ceilings and random.random() < 0.8:
            drawn = _between(max(floors), min(ceilings), random)
        else:
            ends = [end for end in (*floors, *ceilings) if random.random() < 0.6]
            around = random.choice(ends).replace(microsecond=0) if ends else _NOON
            drawn = around + timedelta(days=random.randint(-30, 60), minutes=15 * random.randint(0, 95))
        if isinstance(kind, Day):
            return drawn.date().isoformat()
        return kind.plain(drawn.replace(tzinfo=None) if isinstance(kind, LocalMoment) else drawn)

    def written(self, kind: Kind, parts: Sequence[Step | Rule], name: str) -> Any:
        """What is written as text: identifiers, times of day, addresses."""
        assert isinstance(kind, Written)
        random = self.random
        more: dict[str, Callable[[], str]] = {
            "UUID": lambda: str(_uuid(random)),
            "time": lambda: f"{random.randint(0, 23):02}:{random.choice(['00', '15', '30'])}:00",
            "duration": lambda: f"PT{random.randint(1, 23)}H{random.choice(['', '30M'])}",
            "binary value": lambda: random.choice(["Y3JhdGU=", "cm9wZQ==", "d2luY2g="]),
            "IPv4 address": lambda: f"192.0.2.{random.randint(1, 254)}",
        }
        for part in parts:
            if isinstance(part, Floor | Ceiling | Between) and random.random() < 0.4:
                bound = part.floor if isinstance(part, Floor | Between) else part.ceiling
                if isinstance(bound, kind.held):
                    return kind.write(bound)
        return more[kind.name]() if kind.name in more and random.random() < 0.9 else kind.example


_MAKERS: tuple[tuple[Any, Callable[..., Any]], ...] = (
    (Text, Payloads.text),
    (Whole, Payloads.whole),
    (Exact, Payloads.number),
    (ExactAsText, lambda self, kind, parts, name: str(self.number(kind, parts, name))),
    (Flags, lambda self, kind, parts, name: self.random.randint(0, kind.all) & kind.all),
    (Number, Payloads.number),
    (Truth, lambda self, kind, parts, name: self.random.random() < 0.5),
    ((Moment, Day, LocalMoment), Payloads.moment),
    (Anything, lambda self, kind, parts, name: self.random.choice(_ANYTHING)),
    (Written, Payloads.written),
)


def random_wire(field: Field, random: Random) -> str:
    """A name under which a field may come, mostly its own."""
    return random.choice(field.also) if field.also and random.random() < 0.3 else field.wire


def _kind_of(use: Use) -> Kind | None:
    node = use.node.inner.node if isinstance(use.node, Nullable) else use.node
    return node.kind if isinstance(node, Scalar) else None


def _uuid(random: Random) -> Any:
    from uuid import UUID

    return UUID(int=random.getrandbits(128), version=4)


def _of_format(part: OfFormat) -> tuple[str, ...]:
    if not part.format:
        return ("marrow-isle", "berth-7")
    keywords = part.keywords(Text().facts)
    web = not isinstance(keywords, Unsaid) and "pattern" in keywords
    return EXAMPLES["uri"] if web else EXAMPLES.get(part.format, GOODS)


def _as_text(made: Any) -> str:
    if isinstance(made, bool):
        return str(made).lower()
    return "" if made is None else str(made)


def _length(parts: Sequence[Step | Rule], usual: int, random: Random) -> int:
    low, high = _length_bounds(parts)
    if usual < low:
        usual = random.randint(low, min(high, low + 2))
    return min(usual, high)


def _is_barred(use: Use) -> bool:
    """Whether no value is of a use."""
    return isinstance(use.node, Scalar) and isinstance(use.node.kind, Nobody)


def _length_bounds(parts: Sequence[Step | Rule]) -> tuple[int, int]:
    low, high = 0, 10**9
    for part in parts:
        if isinstance(part, Length) and part.barred is None:
            low = max(low, part.floor or 0)
            high = min(high, part.ceiling if part.ceiling is not None else high)
    return low, high


def _enclosed(starts: str, text: str, ends: str, parts: Sequence[Step | Rule], random: Random, *, shaped: bool) -> str:
    """A text between its start and its end, within the bounds of its length; the two may share letters."""
    low, high = _length_bounds(parts)
    held = "".join(str(part.held) for part in parts if isinstance(part, Contains)) or (
        text if any(isinstance(part, Has) for part in parts) else ""
    )
    room = high - len(starts) - len(ends)
    if shaped or len(text) > room:
        text = text if shaped and len(text) <= room else held if len(held) <= room else ""
    while len(starts) + len(text) + len(ends) < low:
        text += random.choice("abcdefgh")
    if room >= 0:
        return starts + text + ends
    shared = next((size for size in range(len(ends), 0, -1) if starts.endswith(ends[:size])), 0)
    return starts + ends[shared:]


def _fitted(text: str, parts: Sequence[Step | Rule], random: Random) -> str:
    low, high = _length_bounds(parts)
    while len(text) < low:
        text += " " + random.choice(GOODS) if low - len(text) > 3 else "x"
    return text[:high].strip() if len(text[:high].strip()) >= low else text[:high]


def _in_utc(bound: Any, local: bool) -> datetime:
    """A bound of date-times or dates, the moment of checking too; a date-time without an offset as if it were UTC."""
    if isinstance(bound, Clock):
        moment = (datetime.now() if local else datetime.now(UTC)) + (bound.away or timedelta(0))
    elif isinstance(bound, datetime):
        moment = bound
    else:
        moment = datetime(bound.year, bound.month, bound.day)
    return moment.astimezone(UTC) if moment.tzinfo else moment.replace(tzinfo=UTC)


def _between(low: datetime, high: datetime, random: Random) -> datetime:
    """A moment well inside, so that it is still there when it is looked at; in whole minutes or seconds if it can."""
    drawn = low + (high - low) * random.uniform(0.1, 0.9)
    for even in (drawn.replace(second=0, microsecond=0), drawn.replace(microsecond=0)):
        if low < even < high:
            return even
    return drawn


def _bounds(parts: Sequence[Step | Rule], low: Any, high: Any) -> tuple[Any, Any]:
    """The numbers between which a number may lie; a usual span where only one end is given."""
    floors = [part.floor for part in parts if isinstance(part, Floor | Between)]
    ceilings = [part.ceiling for part in parts if isinstance(part, Ceiling | Between)]
    if floors:
        low = max(floors)
        high = max(high, low + 1000)
    if ceilings:
        high = min(ceilings)
        low = low if floors else min(low, high - 1000)
    return low, high


def _before_making(parts: Sequence[Step | Rule]) -> Sequence[Step | Rule]:
    """What stands before a step that makes another value: the rest judges what is made."""
    makers = [at for at, part in enumerate(parts) if isinstance(part, Step) and not part.normalising]
    return parts[: makers[0]] if makers else parts


def _up(number: Any) -> int:
    whole = int(number)
    return whole if whole >= number else whole + 1
