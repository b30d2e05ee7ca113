"""What a gate answers to one value, stage by stage: what came, what each step made of it, what each rule says."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from ..declare.facts import REFUSED, Own, Stop
from ..declare.kinds.half_typed import HalfTyped
from ..declare.rules import Rule
from ..declare.sealed import Sealed
from ..declare.sources import Reading, Source
from ..declare.steps import Step
from ..engine.engine import Engine
from ..engine.handover import split
from ..engine.plan import Plan
from ..engine.runtime import chooser, tag_chooser
from ..report.cause import HIDDEN, Cause
from ..report.fault import Fault, Path, dotted
from ..report.shown_values import shown
from ..shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Choice,
    Link,
    Nullable,
    Scalar,
    Sealing,
    Shape,
    Use,
)
from ..shape.stages import stages_of
from ..shape.walk import holds_secret, part_of
from .base import AnyGate
from .explanation import Told, short

_MOST_FAULTS: Final = 100_000


class Answers:
    """Asks the stages of a use, one after the other; `told` has what they answered, and never what is secret."""

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
        return short(shown(value))

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
            sound = value.__class__ is not Stop
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

    def value(self, use: Use, held: Any) -> None:
        """Follow a value through the stages of its use."""
        self.within = self.hidden or use.secret
        self.hidden = self.hidden or holds_secret(use, self.shape.guarded)
        self.tell("came", self.seen(held))
        if use.source is not None:
            self.reading = use.source.reading
        self.stages(use, held, self.reading)

    def stages(self, use: Use, held: Any, reading: Reading) -> Any:
        """The stages of one use; gives back the value after them, REFUSED where one refuses it."""
        stages = stages_of(use, reading)
        for document in stages.fits:
            self.tell("document", str(document), document.sound(held))
        if stages.becomes_null(held):
            held = None
            self.tell("blank", "blank text is null")
        if stages.split:
            if not isinstance(held, str):
                self.tell("split", f"at {stages.split!r}: it is no text", False)
                return REFUSED
            held = split(held, stages.split)
            self.tell("split", f"at {stages.split!r}: {self.seen(held)}")
        elif stages.via is not None:
            self.tell("before", f"it is read as {stages.via.facts.phrase}")
            held = self.stages(stages.via, held, reading)
            if held.__class__ is Stop:
                return REFUSED
        made = held if stages.made else self.node(use, held, stages.reading)
        if made.__class__ is not Stop:
            made = self.parts(use, stages.parts, made)
        if made.__class__ is Stop and use.fallback is not MISSING:
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
                if isinstance(held, Sealed) and reading in (Reading.TYPED, Reading.MIXED):
                    held = held.opened()
                elif reading is Reading.TYPED:
                    self.tell("read", "as a sealed value", False)
                    return REFUSED
                made = self.stages(inner, held, reading)
                if made.__class__ is not Stop:
                    self.tell("sealed", "it shows itself to nobody")
                return made
            case Alias(key):
                return self.stages(self.shape.aliases[key], held, reading)
            case Scalar(kind):
                kind = kind.within(self.gate.limits.depth)
                if reading is Reading.MIXED:
                    kind = HalfTyped(kind)
                try:
                    read = kind.reader(reading)(held)
                except RecursionError:
                    raise
                except Exception:  # an object that cannot be asked what it is
                    read = Stop("reading", f"{use.node.facts.phrase} that can be read")
                return self.read(read, held, use.node.facts.phrase)
            case Choice() as node:
                chosen = chooser(node.wire, node.values, reading, lenient=node.lenient)(held)
                choices = "a few hidden values" if self.hidden else ", ".join(map(shown, node.wire[:12]))
                self.tell("choice", f"one of {choices}", chosen.__class__ is not Stop)
                return chosen
            case Branches() as node:
                option = self.chosen(node, held)
                return REFUSED if option is None else self.whole(option, held, reading)
            case _:
                return self.whole(
                    use.but(parts=(), split="", via=None, blank=False, fits=(), fallback=MISSING), held, reading
                )

    def read(self, read: Any, held: Any, phrase: str) -> Any:
        """What reading a single value came to."""
        if isinstance(read, Stop):
            self.tell("read", f"as {phrase}: needs {Cause(read.code, read.needs).wanted}", False)
            return REFUSED
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
        self.tell("read", words, value.__class__ is not Stop)
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
                    return REFUSED
                try:
                    made = _evaluated(part.expression, value)
                except RecursionError:
                    raise
                except Exception as error:
                    why = "" if self.hidden else f": {error}"
                    self.tell("step", f"{self.word(part)}{why}", False)
                    return REFUSED
                changed = made is not value and not (type(made) is type(value) and made == value)
                self.tell("step", f"{self.word(part)}: {self.seen(made) if changed else 'as it was'}")
                value, facts = made, part.suits(facts)
                continue
            assert isinstance(part, Rule)
            holds = self.holds(part, value, open_=facts.open)
            self.tell("rule", self.word(part), holds)
            sound = sound and holds
        return value if sound else REFUSED

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
        except RecursionError:
            raise
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
