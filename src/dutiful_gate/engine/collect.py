"""The function that collects every fault, run only when the sound one gave up. It has the last word."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager

from ..declare.facts import FAILED, Facts, Source, Stop
from ..declare.kinds import Anything, Kind
from ..declare.rules import Length, Rule
from ..declare.steps import Then
from ..report.cause import Cause
from ..shape.nodes import (
    MISSING,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Scalar,
    Use,
)
from ..source.program import Unit
from .collect_records import RecordWriter
from .plan import (
    Plan,
    after_making,
    choice_reader,
    choice_ready,
    is_text,
    may_be_blank,
)
from .runtime import (
    ABSENT,
    StopCauses,
    closest,
    fitting,
    is_blank,
    own_fault,
    split,
    tag_chooser,
)
from .sound import SoundWriter

_NESTED = 4


def collecting_unit(plan: Plan) -> Unit:
    """The collecting function of a gate: `collect(data, (), log)` gives the value, or FAILED with faults in the log."""
    writer = CollectWriter(plan)
    entry = writer.entry(plan.shape.root, "collect", plan.shape.root.about.title or "")
    sources = [*writer.swift.functions, *writer.functions]
    return Unit(f"{plan.shape.name} faults", "\n\n\n".join(sources) + "\n", writer.constants, entry)


class CollectWriter(RecordWriter):
    """Writes collecting functions; nested records are first tried by sound functions, which stand beside them."""

    def __init__(self, plan: Plan) -> None:
        super().__init__()
        self.plan = plan
        self.source = plan.source
        self.functions: list[str] = []
        self.swift = SoundWriter(plan, note_unknown=True, inline=1)
        # Both writers fill one namespace, so that no name means two things.
        self.swift.share(self)
        self.constants.update({"FAILED": FAILED, "Stop": Stop, "ABSENT": ABSENT})
        self._record_names: dict[tuple[str, Source], str] = {}
        self._count = 0
        self._nesting = 0
        self._label = ""
        self._ranks = ""

    def step(self, key: str) -> str:
        """The source of a path of one step, given the source of a key."""
        return f"({key},)"

    def entry(self, use: Use, name: str, label: str) -> str:
        """Write the function for a use; gives back its name."""
        nesting, self._nesting = self._nesting, 0
        held, self._label = self._label, label
        with self.aside() as lines, self.block(f"def {name}(data, path, log):"):
            self.write("faults = log.faults")
            self.write("start = len(faults)")
            self.read(use, "data", "path")
            self.write("return data if len(faults) == start else FAILED")
        self._nesting, self._label = nesting, held
        self.functions.append("\n".join(lines))
        return name

    def part(self, use: Use) -> str:
        """The name of a new function that reads a use."""
        self._count += 1
        return self.entry(use, f"collect_part_{self._count}", self._label)

    def record_function(self, key: str) -> str:
        """The name of the function for one record, written at the first asking."""
        if (key, self.source) not in self._record_names:
            name = self._record_names[key, self.source] = f"collect_record_{len(self._record_names) + 1}"
            nesting, self._nesting = self._nesting, 0
            label = self._label
            with self.aside() as lines, self.block(f"def {name}(data, path, log):"):
                self.record(self.plan.shape.records[key])
            self._nesting, self._label = nesting, label
            self.functions.append("\n".join(lines))
        return self._record_names[key, self.source]

    @contextmanager
    def reading(self, source: Source) -> Iterator[None]:
        """Write what reads from another source for a while."""
        before = self.source
        self.source = self.swift.source = source
        yield
        self.source = self.swift.source = before

    # Faults

    def cause(self, code: str, needs: str, facts: Facts | None = None, **more: object) -> str:
        """The name of a cause at the field that is being written."""
        phrase = facts.phrase if facts is not None else ""
        made = Cause(code, needs, phrase=phrase, label=self._label, **more)  # type: ignore[arg-type]
        return self.bind(made, code.upper())

    def fault(self, path: str, cause: str, given: str = "None", value: str = "None") -> None:
        """Note a fault."""
        self.write(f"faults.append(({path}, {cause}, {given}, {value}))")

    def stopped(self) -> str:
        """The name of the table of causes for values that cannot be read here."""
        return self.bind(StopCauses(Cause("", "", label=self._label)), "STOPPED")

    # Values

    def read(self, use: Use, value: str, path: str) -> None:
        """Read the variable `value` in place; what is wrong with it is noted at `path`, an expression."""
        if self._nesting >= _NESTED:
            self.write(f"{value} = {self.part(use)}({value}, {path}, log)")
            return
        guarded = use.secret or use.fallback is not MISSING
        before = self.variable("before") if guarded else ""
        if guarded:
            self.write(f"{before} = len(faults)")
        if use.blank:
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        fits = use.fits if self.source is Source.JSON else ()
        came, since = (self.variable("came"), self.variable("before")) if fits else ("", "")
        if fits:
            self.write(f"{came}, {since} = {value}, len(faults)")
        self.prepared(use, value, path)
        for document in fits:
            with self.block(f"if len(faults) == {since}:"):
                self.write(f"{self.bind(fitting, 'fitting')}({self.bind(document, 'FITS')}, {came}, {path}, log)")
        if guarded:
            with self.block(f"if len(faults) != {before}:"):
                if use.secret:
                    self.write(f"log.hide({before})")
                if use.fallback is not MISSING:
                    self.write(f"{value} = log.excuse({before}, {self.bind(use.fallback, 'FALLBACK')})")

    def prepared(self, use: Use, value: str, path: str) -> None:
        """Read what comes before a use, if anything does, and then the use."""
        native = self.source is Source.NATIVE
        if use.split and not native:
            given = self.variable("given")
            self.write(f"{given} = {value}")
            nested = self._lone(value, given, path)
            self._indent += nested
            with self.block(f"if not isinstance({value}, str):"):
                self.fault(path, self.cause("kind", "text to split"), given)
            with self.block("else:"):
                self.write(f"{value} = {self.bind(split, 'split')}({value}, {self.bind(use.split, 'SEPARATOR')})")
                with self.reading(Source.TEXT):
                    self.node(use, value, path)
            self._indent -= nested
        elif native and (made := after_making(use.parts)) is not None:
            given = self.variable("given")
            self.write(f"{given} = {value}")
            self.run(Use(Scalar(Anything()), made), value, given, path)
        elif use.via is not None and not native:
            before = self.variable("before")
            self.write(f"{before} = len(faults)")
            self.read(use.via, value, path)
            self._nesting += 1
            with (
                self.block(f"if len(faults) == {before}:"),
                self.reading(Source.TEXT if use.via.facts.text else Source.JSON),
            ):
                self.node(use, value, path)
            self._nesting -= 1
        else:
            self.node(use, value, path)

    def node(self, use: Use, value: str, path: str) -> None:
        """Read what a use holds, then its steps and rules."""
        match use.node:
            case Scalar(kind):
                self.single(kind, use, value, path)
            case Nothing():
                blank = f" and not {self.bind(is_blank, 'is_blank')}({value})" if self._is_text else ""
                with self.block(f"if {value} is not None{blank}:"):
                    self.fault(path, self.cause("kind", "null"), value)
                with self.block("else:"):
                    self.write(f"{value} = None")
            case Choice():
                self.choice(use.node, use, value, path)
            case Items():
                self.items(use.node, use, value, path)
            case Fixed(items):
                self.fixed(items, use, value, path)
            case Entries(key, held):
                self.entries(key, held, use, value, path)
            case Branches():
                self.branches(use.node, use, value, path)
            case Nullable(inner):
                self.nullable(inner, value, path)
            case Link(key):
                self.link(key, use, value, path)

    @property
    def _is_text(self) -> bool:
        return self.source is Source.TEXT

    def single(self, kind: Kind, use: Use, value: str, path: str) -> None:
        """A single value: its kind, its reading, then its steps and rules."""
        kind = self.plan.fitted(kind)
        ready = kind.ready(self.source, value, self.bind)
        given = self.variable("given")
        self.write(f"{given} = {value}")
        nested = self._lone(value, given, path)
        self._indent += nested
        if ready != "True":
            read = kind.reader(self.source)
            reading = f"{value} = {self.bind(read, read.__name__)}({value})"
            if ready == "False":
                self.write(reading)
            else:
                with self.block(f"if not ({ready}):"):
                    self.write(reading)
        with self.block(f"if {value}.__class__ is Stop:"):
            self.fault(path, f"{self.stopped()}[{value}]", given)
        if use.parts:
            with self.block("else:"):
                self.run(use, value, given, path)
        self._indent -= nested

    def _lone(self, value: str, given: str, path: str) -> bool:
        """In all-text sources a key may come several times, as a list: here it may come once."""
        if not self._is_text:
            return False
        with self.block(f"if {value}.__class__ is list and len({value}) == 1:"):
            self.write(f"{given} = {value} = {value}[0]")
        with self.block(f"if {value}.__class__ is list:"):
            self.fault(path, self.cause("repeat", "one value", got="several"), given)
        self.write("else:")
        return True

    def choice(self, node: Choice, use: Use, value: str, path: str) -> None:
        """Find the constant that came."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        nested = self._lone(value, given, path)
        self._indent += nested
        ready = choice_ready(self, node, self.source, value)
        choose = f"{value} = {choice_reader(self, node, self.source)}({value})"
        if ready is None:
            self.write(choose)
        else:
            with self.block(f"if not ({ready}):"):
                self.write(choose)
        with self.block(f"if {value} is FAILED:"):
            self.fault(path, self.cause("choice", "one of {choices}", expected={"choices": node.wire}), given)
        if use.parts:
            with self.block("else:"):
                self.run(use, value, given, path)
        self._indent -= nested

    def _many(self, value: str, path: str, needs: str, test: str) -> str:
        """Write the checks before many values are read; gives back the variable of what came. Leaves an else open."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        with self.block(f"if {test}:"):
            self.fault(path, self.cause("kind", needs), given)
        with self.block(f"elif len({value}) > {self.plan.limits.items}:"):
            most = {"most": self.plan.limits.items}
            self.fault(path, self.cause("size", "at most {most} of them", expected=most, got="length"), given, value)
        return given

    def items(self, node: Items, use: Use, value: str, path: str) -> None:
        """Read a collection: every item, then the rules on the whole."""
        if self._is_text:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        if self.source is Source.NATIVE:
            wanted = {"set": "(set, frozenset)", "frozenset": "(set, frozenset)"}.get(node.into, "(list, tuple)")
            test = f"not isinstance({value}, {wanted})"
        else:
            test = f"{value}.__class__ is not list and not isinstance({value}, (list, tuple))"
        given = self._many(value, path, "a list", test)
        made, each = self.variable("made"), self.variable("item")
        index, before = self.variable("index"), self.variable("before")
        with self.block("else:"):
            self.write(f"{made} = []")
            self.write(f"{before} = len(faults)")
            self._nesting += 1
            with self.block(f"for {index}, {each} in enumerate({value}):"):
                self.read(node.item, each, f"{path} + ({index},)")
                self.write(f"{made}.append({each})")
                with self.block(f"if len(faults) > {before} + log.most:"):
                    self.write(f"log.spill({before})")
            self._nesting -= 1
            self.write(f"{value} = {made}")
            if node.into != "list":
                with self.block(f"if len(faults) == {before}:"):
                    self.write(f"{value} = {node.into}({made})")
                    if node.into in ("set", "frozenset"):
                        with self.block(f"if len({value}) != len({made}):"):
                            self.fault(path, self.cause("repeat", "items that differ", got="one of them again"), given)
            self.list_rules(use, value, given, path, before)

    def list_rules(self, use: Use, value: str, given: str, path: str, before: str) -> None:
        """Rules on a whole: those that only count run even when something in it failed."""
        counting = tuple(part for part in use.parts if isinstance(part, Length))
        if len(counting) == len(use.parts):
            self.run(use, value, given, path)
            return
        with self.block(f"if len(faults) == {before}:"):
            self.run(use, value, given, path)
        with self.block("else:"):
            self.run(Use(use.node, counting), value, given, path)

    def fixed(self, items: tuple[Use, ...], use: Use, value: str, path: str) -> None:
        """Read a tuple of a fixed number of items."""
        given = self._many(value, path, "a list", f"not isinstance({value}, (list, tuple))")
        with self.block(f"elif len({value}) != {len(items)}:"):
            unit = "item" if len(items) == 1 else "items"
            cause = self.cause("count", f"exactly {{exactly}} {unit}", expected={"exactly": len(items)}, got="length")
            self.fault(path, cause, given, value)
        with self.block("else:"):
            names = [self.variable("item") for _ in items]
            before = self.variable("before")
            self.write(f"{before} = len(faults)")
            if names:
                self.write(f"{', '.join(names)}, = {value}")
            self._nesting += 1
            for index, (name, item) in enumerate(zip(names, items, strict=True)):
                self.read(item, name, f"{path} + ({index},)")
            self._nesting -= 1
            self.write(f"{value} = ({''.join(name + ', ' for name in names)})")
            self.list_rules(use, value, given, path, before)

    def entries(self, key: Use, held: Use, use: Use, value: str, path: str) -> None:
        """Read a dict: every key and value, then the rules on the whole."""
        given = self._many(value, path, "a record", f"not isinstance({value}, {self.bind(Mapping, 'Mapping')})")
        made, name, each = self.variable("made"), self.variable("key"), self.variable("held")
        here, before = self.variable("here"), self.variable("before")
        plain = is_text(key)
        outer = self.source
        with self.block("else:"):
            self.write(f"{made} = {{}}")
            self.write(f"{before} = len(faults)")
            self._nesting += 1
            with self.block(f"for {name}, {each} in {value}.items():"):
                self.write(f"{here} = {path} + ({name},)")
                mark = self.variable("before")
                self.write(f"{mark} = len(faults)")
                source = Source.NATIVE if self.source is Source.NATIVE else self.source if plain else Source.TEXT
                with self.reading(source):
                    if self.source is Source.TEXT and outer is Source.JSON:
                        # What stands around a key was not typed by hand: in JSON it is part of the key.
                        with self.block(f"if isinstance({name}, str) and {name} != {name}.strip():"):
                            self.fault(here, self.cause("reading", "a key without blanks around it"), name)
                        with self.block("else:"):
                            self.read(key, name, here)
                    else:
                        self.read(key, name, here)
                with self.block(f"if len(faults) == {mark} and {name} in {made}:"):
                    self.fault(here, self.cause("repeat", "each key once", got="it again"), name)
                self.read(held, each, here)
                with self.block(f"if len(faults) == {mark}:"):
                    self.write(f"{made}[{name}] = {each}")
                with self.block(f"if len(faults) > {before} + log.most:"):
                    self.write(f"log.spill({before})")
            self._nesting -= 1
            with self.block(f"if len(faults) == {before}:"):
                self.write(f"{value} = {made}")
            self.list_rules(use, value, given, path, before)

    def branches(self, node: Branches, use: Use, value: str, path: str) -> None:
        """Read by the option that the tag tells, or let the option that came closest speak."""
        given, before = self.variable("given"), self.variable("before")
        self.write(f"{given} = {value}")
        self.write(f"{before} = len(faults)")
        if node.tag and self.source is not Source.NATIVE:
            self._tagged(node, value, given, path)
        else:
            names = ", ".join(self.part(option) for option in node.options)
            phrases = list(dict.fromkeys(_phrase(option) for option in node.options))
            cause = self.cause("branch", "one of these: {options}", expected={"options": phrases})
            self.write(f"{value} = {self.bind(closest, 'closest')}(({names}), {value}, {path}, log, {cause})")
        if use.parts:
            with self.block(f"if len(faults) == {before}:"):
                self.run(use, value, given, path)

    def _tagged(self, node: Branches, value: str, given: str, path: str) -> None:
        key, which = self.bind(node.tag, "TAG"), self.variable("which")
        with self.block(f"if not isinstance({value}, {self.bind(Mapping, 'Mapping')}):"):
            self.fault(path, self.cause("kind", "a record"), given)
        with self.block(f"elif {key} not in {value}:"):
            self.fault(f"{path} + ({key},)", self.cause("absent", "a value"))
        with self.block("else:"):
            self.write(f"{which} = {self.bind(tag_chooser(node.tags), 'WHICH')}({value}[{key}])")
            for number, option in enumerate(node.options):
                self._nesting += 1
                with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                    self.read(option, value, path)
                self._nesting -= 1
            choices = [tag for tags in node.tags for tag in tags]
            with self.block("else:"):
                cause = self.cause("branch", "one of {choices}", expected={"choices": choices})
                self.fault(f"{path} + ({key},)", cause, f"{value}[{key}]")

    def nullable(self, inner: Use, value: str, path: str) -> None:
        """Read what is inside unless it is null."""
        if may_be_blank(inner, self.source):
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        self._nesting += 1
        with self.block(f"if {value} is not None:"):
            self.read(inner, value, path)
        self._nesting -= 1

    def link(self, key: str, use: Use, value: str, path: str) -> None:
        """Read a record: by the sound function if that will do, else by the collecting one."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        if path == "path":  # the sound function has given this very record up already
            self.write(f"{value} = {self.record_function(key)}({given}, {path}, log)")
        else:
            self.write(f"{value} = {self.swift.record_function(key)}({given})")
            with self.block(f"if {value} is FAILED:"):
                self.write(f"{value} = {self.record_function(key)}({given}, {path}, log)")
        if use.parts:
            with self.block(f"if {value} is not FAILED:"):
                self.run(use, value, given, path)

    def run(self, use: Use, value: str, given: str, path: str) -> None:
        """Steps and rules in order: rules do not stop one another, a step that fails ends the value."""
        facts = use.node.facts
        depth = 0
        for part in use.parts:
            if isinstance(part, Rule):
                self.rule(part, facts, value, given, path)
                continue
            facts = part.suits(facts)
            doing = f"{value} = {part.expression(value, self.bind)}"
            if not part.may_raise:
                self.write(doing)
                continue
            with self.block("try:"):
                self.write(doing)
            if isinstance(part, Then):
                with self.block("except ValueError as error:"):
                    unread = self.cause("check", "a value that can be read")
                    self.fault(path, f"{self.bind(own_fault, 'own_fault')}({unread}, error)", given)
            else:
                with self.block("except (ValueError, OverflowError):"):
                    cause = self.cause("reading", "a value that {step} can take", expected={"step": str(part)})
                    self.fault(path, cause, given)
            self.write("else:")
            self._indent += 1
            depth += 1
            self.write("pass")
        self._indent -= depth

    def rule(self, rule: Rule, facts: Facts, value: str, given: str, path: str) -> None:
        """One rule on one value."""
        told = {"expected": rule.numbers(), "own_words": rule.own_words}
        for face in rule.faces(value, facts, self.bind):
            cause = self.cause(face.code, face.needs, facts, got=face.got, **told)
            if not rule.may_raise:
                with self.block(f"if not ({face.condition}):"):
                    self.fault(path, cause, given, value)
                continue
            held = self.variable("held")
            with self.block("try:"):
                self.write(f"{held} = {face.condition}")
            with self.block("except ValueError as error:"):
                words = cause if rule.own_words else f"{self.bind(own_fault, 'own_fault')}({cause}, error)"
                self.fault(path, words, given, value)
            with self.block("else:"), self.block(f"if not {held}:"):
                self.fault(path, cause, given, value)


def _phrase(use: Use) -> str:
    """What one option of a union is called."""
    match use.node:
        case Choice(wire=wire):
            return "one of " + ", ".join(map(str, wire[:12]))
        case _:
            return use.node.facts.phrase
