"""One value followed through its gate: what came, what each step made of it, what each rule answered."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, Final, NamedTuple

from ..declare.facts import FAILED, Own, Stop
from ..declare.json_pointer import steps_of
from ..declare.kinds import Anything
from ..declare.kinds.half_typed import HalfTyped
from ..declare.rules import Rule
from ..declare.sources import Reading, Source
from ..declare.steps import Step
from ..document.judging.engine import DocumentEngine
from ..document.judging.following import value_at
from ..engine.engine import Engine
from ..engine.plan import Plan, is_text
from ..engine.rest_fields import sorter_of
from ..engine.runtime import HIDDEN_KEY, chooser, split, tag_chooser
from ..report.cause import HIDDEN, Cause
from ..report.fault import Fault, Path, dotted
from ..report.shown_values import shown, visible
from ..shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nullable,
    Record,
    Scalar,
    Sealing,
    Shape,
    Use,
    default_of,
)
from ..shape.stages import stages_of
from ..shape.walk import holds_secret, part_of
from .base import AnyGate

_LONG: Final = 200
_MOST_FAULTS: Final = 100_000
_NO_FAULT: Final = "no fault stands here"


class Told(NamedTuple):
    """One thing that happened to a value: its sort, in words, and whether it went well; None where nothing is asked."""

    what: str
    words: str
    holds: bool | None = None

    def __str__(self) -> str:
        mark = {True: "holds", False: "FAILS", None: ""}[self.holds]
        return f"{self.what:9} {self.words}{'  ' + mark if mark else ''}"


class Explanation:
    """What became of one value, in the order in which it happened.

    `told`      each thing that happened
    `faults`    those of the verdict that stand at the value, or inside of it
    `came`      whether there is such a value
    `admitted`  whether there are no faults
    """

    __slots__ = ("came", "faults", "path", "told")

    def __init__(self, path: Path, told: tuple[Told, ...], faults: tuple[Fault, ...], *, came: bool) -> None:
        self.path = path
        self.came = came
        self.told = told
        self.faults = faults

    @property
    def admitted(self) -> bool:
        """Whether nothing is wrong at the value."""
        return not self.faults

    @property
    def ending(self) -> str:
        """How it ended where there are no faults."""
        return "it is admitted" if self.came and all(each.holds is not False for each in self.told[-1:]) else _NO_FAULT

    def __str__(self) -> str:
        lines = [f"{dotted(self.path) or '(the whole)'}", *(f"  {visible(str(each))}" for each in self.told)]
        if self.admitted:
            return "\n".join([*lines, f"  so {self.ending}"])
        return "\n".join([*lines, *(f"  so: {visible(str(fault))}" for fault in self.faults)])


def explained(gate: AnyGate[Any], data: object, pointer: str = "") -> Explanation:
    """Follow the value at a JSON Pointer through a gate; the end is what `gate.examine` says of it.

    Raises ValueError for what is no JSON Pointer (RFC 6901).
    """
    if pointer and not pointer.startswith("/"):
        raise ValueError(f"{pointer!r} is no JSON Pointer: write /{pointer}, or nothing for the whole")
    steps = steps_of(pointer)
    faults = gate.examine(data).faults
    engine = gate._engine
    if isinstance(engine, Engine):
        follower = _Follower(gate)
        path = follower.follow(gate.shape.root, data, steps)
        told = follower.told
        if follower.unnamed:  # of the keys that paths do not name, this one alone counts
            faults = gate.examine(_without_others(data, steps, follower.unnamed)).faults
    else:
        path, told = _by_document(engine, data, steps, faults)
    came = not any(each.what in ("absent", "ends") for each in told)
    inside = tuple(fault for fault in faults if fault.path[: len(path)] == path)
    return Explanation(path, tuple(told), inside, came=came)


def _without_others(data: Any, steps: tuple[str, ...], unnamed: set[int]) -> Any:
    """The data on the way to a value; where paths do not name a key, without its neighbours."""
    if not steps:
        return data
    step, left, deeper = steps[0], steps[1:], {each - 1 for each in unnamed}
    if isinstance(data, Mapping) and step in data:
        inner = _without_others(data[step], left, deeper)
        return {step: inner} if 0 in unnamed else {**data, step: inner}
    if isinstance(data, list) and step.isdecimal() and int(step) < len(data):
        return [*data[: int(step)], _without_others(data[int(step)], left, deeper), *data[int(step) + 1 :]]
    return data


def _by_document(
    engine: DocumentEngine, data: object, steps: tuple[str, ...], faults: tuple[Fault, ...]
) -> tuple[Path, list[Told]]:
    """What the schemas of a document say of a value."""
    path, value, ended = value_at(data, steps)
    told = [Told("came", _short(shown(value)))]
    looks = engine.followed(data, path, value)
    own = {f"#{look.place}/{word}" for look in looks for word, _, _ in look.keywords}
    for look in looks:
        told.append(Told("schema", look.place or "(the root)", look.sound))
        told += [Told("keyword", f"{word} {_short(_held(held))}", holds) for word, held, holds in look.keywords]
    if ended is not None:
        told.append(Told("ends", f"nothing stands under {ended!r}"))
        path = (*path, ended)
    # What a schema around it says of its key, that it may not be there or must.
    around = [fault for fault in faults if fault.path == path and fault.keyword not in own]
    told += [Told("keyword", f"{fault.keyword}, around it", False) for fault in around]
    return path, told


def _held(held: object) -> str:
    """What stands under a keyword; of schemas only that there are some."""
    if isinstance(held, dict):
        return f"of {', '.join(map(str, held))}" if held else "of nothing"
    if isinstance(held, list) and any(isinstance(each, dict) for each in held):
        return f"of {len(held)} schemas"
    return json.dumps(held, ensure_ascii=False, default=str)


def _short(text: str) -> str:
    return text if len(text) <= _LONG else f"{text[: _LONG - 1]}…"


class _Follower:
    def __init__(self, gate: AnyGate[Any]) -> None:
        self.gate = gate
        self.shape: Shape = gate.shape
        self.reading = gate.reads.reading
        self.told: list[Told] = []
        self.hidden = self.within = False
        self.path: Path = ()
        self.plan = Plan(self.shape, gate.reads, getattr(gate, "unknown", "drop") == "refuse", gate.limits)
        self.around: list[tuple[str, Use, Any, str]] = []
        self.now = 0
        self.unnamed: set[int] = set()

    def tell(self, what: str, words: str, holds: bool | None = None) -> None:
        """Note one thing."""
        self.told.append(Told(what, words, holds))

    def seen(self, value: object) -> str:
        """A value as it may be shown."""
        if self.hidden:
            return HIDDEN
        return _short(shown(value))

    # The way to the value

    def follow(self, use: Use, held: Any, steps: tuple[str, ...]) -> Path:
        """Go down to the value, and tell what becomes of it; gives back its path."""
        for number, step in enumerate(steps):
            self.now = number
            use, held = self.opened(use, held)
            self.hidden = self.hidden or use.secret
            found = self.below(use, held, step)
            if found is None:
                return self.path
            use, held = found
            if held is MISSING:
                return self.absent(use, steps[number + 1 :])
        self.value(use, held)
        for key, outer, record, attribute in reversed(self.around):
            self.record_rules(key, outer, record, attribute)
        return self.path

    def opened(self, use: Use, held: Any) -> tuple[Use, Any]:
        """What stands at a use, without null, names and unions around it, as far as the value tells."""
        while True:
            if use.source is not None:
                self.reading = use.source.reading
            before = stages_of(use, self.reading).via
            if before is not None:
                use = before
                continue
            match use.node:
                case Nullable(inner) | Sealing(inner):
                    use = inner
                case Alias(key):
                    use = self.shape.aliases[key]
                case Branches() as node:
                    chosen = self.chosen(node, held)
                    if chosen is None:
                        return use, held
                    if node.held:
                        self.path = (*self.path, node.held)
                        held = held.get(node.held) if isinstance(held, Mapping) else None
                    use = chosen
                case _:
                    return use, held

    def chosen(self, node: Branches, held: Any) -> Use | None:
        """The option of a union that a value is of; each is told."""
        if node.tag and isinstance(held, Mapping):
            at = tag_chooser(node.tags, self.reading)(held.get(node.tag))
            which = self.phrase(node.options[at]) if at >= 0 else "none of its options"
            self.tell("union", f"{node.tag} is {self.seen(held.get(node.tag))}: {which}", at >= 0)
            return node.options[at] if at >= 0 else None
        found = None
        for option in node.options:
            value, log = self.engine(option, self.reading).collect(held)
            sound = value is not FAILED
            why = "" if sound else self.first_fault(log.told())
            self.tell("branch", f"{self.phrase(option)}{why}", sound)
            if sound and found is None:
                found = option
        return found

    def first_fault(self, faults: Any) -> str:
        """Why an option was refused, in a word."""
        first = next(iter(faults), None)
        if first is None:
            return ""
        place = f"{dotted(first.path)} " if first.path else ""
        return f": {place}{'has a fault' if self.hidden else first.message}"

    def phrase(self, use: Use) -> str:
        """What people call a use."""
        node = use.bare.node
        return f"a record ({self.shape.records[node.key].name})" if isinstance(node, Link) else use.facts.phrase

    def engine(self, use: Use, reading: Reading | None = None) -> Engine:
        """Reads a part alone."""
        source = self.gate.reads
        if reading not in (None, source.reading):
            source = next(each for each in Source if each.reading is reading)
        return Engine(self.plan.but(shape=part_of(self.shape, use), source=source))

    def below(self, use: Use, held: Any, step: str) -> tuple[Use, Any] | None:
        """What stands under one step."""
        match use.node:
            case Link(key):
                return self.field(self.shape.records[key], use, held, step)
            case Items() | Fixed() if isinstance(held, list | tuple) and step.isdigit() and int(step) < len(held):
                inner = use.node.item if isinstance(use.node, Items) else use.node.at(int(step))
                if inner is not None:
                    self.path = (*self.path, int(step))
                    return inner, held[int(step)]
            case Entries(key, value) if isinstance(held, Mapping) and step in held:
                self.to_key(step, hidden=self.hidden or key.secret)
                self.key(use, key, held, step)
                return value, held[step]
        self.tell("ends", f"there is no {step!r} in {self.phrase(use)}")
        self.path = (*self.path, step)
        return None

    def to_key(self, step: str, *, hidden: bool) -> None:
        """Go on to what stands under a key, which a path may not show inside of a secret."""
        self.path = (*self.path, HIDDEN_KEY if hidden else step)
        if hidden:
            self.unnamed.add(self.now)

    def key(self, use: Use, key: Use, held: Mapping[str, Any], step: str) -> None:
        """Whether a key of a map is one that may be, among the others."""
        alone = use.but(node=Entries(key, Use(Scalar(Anything()))), parts=())
        among = [step] if self.hidden or key.secret else held
        _, log = self.engine(alone, self.reading).collect(dict.fromkeys(among))
        told = next((f": {fault.message}" for fault in log.told() if fault.path in ((step,), (HIDDEN_KEY,))), "")
        if told or not is_text(key):
            self.tell("key", f"as {self.phrase(key)}{told}", not told)

    def field(self, record: Record, use: Use, held: Any, step: str) -> tuple[Use, Any] | None:
        """A field of a record, by one of its names."""
        for field in record.fields:
            if step not in (field.wire, *field.also, field.attribute):
                continue
            own = (field.wire, *field.also)
            names = [name for name in held if name in own] if isinstance(held, Mapping) else []
            self.path = (*self.path, names[0] if names else field.wire)
            self.around.append((record.key, use, held, field.attribute))
            if field.use.about.title:
                self.tell("field", f"{record.name}.{field.attribute}, {field.use.about.title}")
            else:
                self.tell("field", f"{record.name}.{field.attribute}")
            if not names and not isinstance(held, Mapping) and hasattr(held, field.attribute):
                return field.use, getattr(held, field.attribute)
            if len(names) > 1:
                self.tell("several", f"it came by several names: {', '.join(names)}", False)
                return None
            if not names:
                self.default(field)
                return field.use, MISSING
            return field.use, held[names[0]]
        self.to_key(step, hidden=self.hidden)
        if isinstance(held, Mapping) and step in held:
            return self.gathered(record, held, step)
        known = ", ".join(field.wire for field in record.fields)
        self.tell("ends", f"{record.name} has no field {step!r}; it has {known}")
        return None

    def gathered(self, record: Record, held: Mapping[str, Any], step: str) -> tuple[Use, Any] | None:
        """What becomes of a key that nobody declared."""
        number = sorter_of(self.plan, record, self.reading).which(step) if record.rests else None
        node = record.rests[number].use.bare.node if number is not None else None
        if number is not None and isinstance(node, Entries):
            self.tell("gathered", f"into {record.name}.{record.rests[number].attribute}")
            self.key(record.rests[number].use, node.key, {step: None}, step)
            return node.value, held[step]
        known = ", ".join(field.wire for field in record.fields)
        refused = bool(record.rests) or self.plan.refuses_unknown(record)
        becomes = "it is refused" if refused else "it is left out"
        self.tell("unknown", f"{record.name} has no such field: {becomes}; it has {known}", not refused)
        return None

    def default(self, field: Any) -> None:
        """What stands in for a field that did not come."""
        self.hidden = self.hidden or holds_secret(field.use, self.shape.guarded)
        if field.required:
            self.tell("absent", "nothing came, and it has no default", False)
        elif field.may_lack:
            self.tell("absent", "nothing came: it stays absent", True)
        else:
            stands = "a new one is made" if field.factory is not None else self.seen(default_of(field))
            self.tell("absent", f"nothing came: {stands} stands in", True)

    def absent(self, use: Use, left: tuple[str, ...]) -> Path:
        """The end of the way where nothing came."""
        for step in left:
            self.tell("ends", f"and so nothing stands under {step!r}")
        return self.path

    # What becomes of it

    def value(self, use: Use, held: Any) -> None:
        """Follow a value through the stages of its use."""
        self.within = self.hidden or use.secret
        self.hidden = self.hidden or holds_secret(use, self.shape.guarded)
        self.tell("came", self.seen(held))
        if use.source is not None:
            self.reading = use.source.reading
        self.stages(use, held, self.reading)

    def stages(self, use: Use, held: Any, reading: Reading) -> Any:
        """The stages of one use; gives back the value after them, FAILED where one refuses it."""
        stages = stages_of(use, reading)
        for document in stages.fits:
            self.tell("document", str(document), document.sound(held))
        if stages.becomes_null(held):
            held = None
            self.tell("blank", "blank text is null")
        if stages.split:
            if not isinstance(held, str):
                self.tell("split", f"at {stages.split!r}: it is no text", False)
                return FAILED
            held = split(held, stages.split)
            self.tell("split", f"at {stages.split!r}: {self.seen(held)}")
        elif stages.via is not None:
            self.tell("before", f"it is read as {stages.via.facts.phrase}")
            held = self.stages(stages.via, held, reading)
            if held is FAILED:
                return FAILED
        made = held if stages.made else self.node(use, held, stages.reading)
        if made is not FAILED:
            made = self.parts(use, stages.parts, made)
        if made is FAILED and use.fallback is not MISSING:
            self.tell("otherwise", f"{self.seen(use.fallback)} stands in", True)
        return made

    def node(self, use: Use, held: Any, reading: Reading) -> Any:
        """Read what a use holds."""
        match use.node:
            case Nullable(inner):
                empty = reading is Reading.TEXT and isinstance(held, str) and not held.strip()
                if held is None or (empty and not inner.facts.text):
                    self.tell("null", "which it may be", True)
                    return None
                return self.stages(inner, held, reading)
            case Sealing(inner):
                made = self.stages(inner, held, reading)
                if made is not FAILED:
                    self.tell("sealed", "it shows itself to nobody")
                return made
            case Alias(key):
                return self.stages(self.shape.aliases[key], held, reading)
            case Scalar(kind):
                kind = kind.within(self.gate.limits.depth)
                if reading is Reading.MIXED:
                    kind = HalfTyped(kind)
                read = kind.reader(reading)(held)
                return self.read(read, held, use.node.facts.phrase)
            case Choice() as node:
                chosen = chooser(node.wire, node.values, reading, lenient=node.lenient)(held)
                choices = "a few hidden values" if self.hidden else ", ".join(map(shown, node.wire[:12]))
                self.tell("choice", f"one of {choices}", chosen is not FAILED)
                return chosen
            case Branches() as node:
                option = self.chosen(node, held)
                return FAILED if option is None else self.whole(option, held, reading)
            case _:
                return self.whole(
                    use.but(parts=(), split="", via=None, blank=False, fits=(), fallback=MISSING), held, reading
                )

    def read(self, read: Any, held: Any, phrase: str) -> Any:
        """What reading a single value came to."""
        if isinstance(read, Stop):
            self.tell("read", f"as {phrase}: needs {Cause(read.code, read.needs).wanted}", False)
            return FAILED
        words = f"as {phrase}"
        if read is not held:
            words += f": {self.seen(read)}"
        self.tell("read", words, True)
        return read

    def whole(self, use: Use, held: Any, reading: Reading) -> Any:
        """A list, a record or a map, as a whole."""
        value, log = self.engine(use, reading).collect(held)
        count = len(log.told())
        words = f"as {self.phrase(use)}"
        if count:
            words += f": {count} fault{'s' if count > 1 else ''} inside"
        self.tell("read", words, value is not FAILED)
        if isinstance(use.node, Link):
            self.record_rules(use.node.key, use, held)
        return value

    def record_rules(self, key: str, use: Use, held: Any, attribute: str = "") -> None:
        """What each rule of a record answers, asked alone; those that mention one field, where one is named."""
        record = self.shape.records[key]
        rules = [rule for rule in record.rules if not attribute or attribute in rule.fields]
        checks = () if attribute else record.checks
        bare = self.faults(key, use, held) if rules or checks else []
        broken = {fault.path[0] for fault in bare if fault.path}
        for rule in rules:
            of_rule = [record.by_attribute[name] for name in rule.fields]
            hidden = self.within or any(holds_secret(field.use, self.shape.guarded) for field in of_rule)
            words = type(rule).__name__ if hidden else str(rule)
            wanting = sorted({field.wire for field in of_rule} & broken)
            if rule.needs_values and wanting:
                self.tell("rule", f"{words}: not asked, for want of {', '.join(wanting)}")
                continue
            new = [fault for fault in self.faults(key, use, held, rules=(rule,)) if fault not in bare]
            elsewhere = [dotted(fault.path) for fault in new if fault.path and attribute not in ("", fault.path[0])]
            self.tell("rule", f"{words}{f', told at {elsewhere[0]}' if elsewhere else ''}", not new)
            bare += new
        for check in checks:
            if bare:
                self.tell("check", f"{check}: not asked, since there are faults before it")
            else:
                self.tell("check", str(check), not self.faults(key, use, held, checks=(check,)))

    def faults(self, key: str, use: Use, held: Any, **asked: tuple[Any, ...]) -> list[Fault]:
        """The faults of a record by some of its rules or checks alone."""
        part = part_of(self.shape, use)
        record = part.records[key].but(**{"rules": (), "checks": (), **asked})
        limits = self.gate.limits.but(faults=_MOST_FAULTS)
        shape = part.but(records={**part.records, key: record})
        _, log = Engine(self.plan.but(shape=shape, limits=limits)).collect(held)
        return log.told()

    def parts(self, use: Use, parts: Any, value: Any) -> Any:
        """Steps and rules, in order; a rule that fails stops nothing but the next step."""
        facts, sound = use.node.facts, True
        for part in parts:
            if isinstance(part, Step):
                if not sound:
                    return FAILED
                try:
                    made = _evaluated(part.expression, value)
                except Exception as error:
                    why = "" if self.hidden else f": {error}"
                    self.tell("step", f"{self.word(part)}{why}", False)
                    return FAILED
                changed = made is not value and not (type(made) is type(value) and made == value)
                self.tell("step", f"{self.word(part)}: {self.seen(made) if changed else 'as it was'}")
                value, facts = made, part.suits(facts)
                continue
            assert isinstance(part, Rule)
            holds = self.holds(part, value, open_=facts.open)
            self.tell("rule", self.word(part), holds)
            sound = sound and holds
        return value if sound else FAILED

    def word(self, part: Any) -> str:
        """A step or rule as a developer wrote it; beside a secret its constants are not told."""
        return str(part) if not self.hidden or isinstance(part, Step) else type(part).__name__

    @staticmethod
    def holds(rule: Rule, value: Any, *, open_: bool) -> bool:
        """Whether a rule holds for a value."""
        takes = rule.takes() if open_ else None
        try:
            if takes is not None and not takes.fits(value):
                return False
            return bool(_evaluated(rule.open_condition if open_ else rule.condition, value))
        except Exception:
            return False


def _evaluated(write: Any, value: object) -> Any:
    """What the source of a step or a rule comes to for one value; functions of the developer's own are called."""
    bound: dict[str, Any] = {}

    def bind(constant: Any, hint: str) -> str:
        name = f"{hint}_{len(bound)}"
        bound[name] = constant.function if isinstance(constant, Own) else constant
        return name

    source = write("value", bind)
    return eval(source, bound, {"value": value})
