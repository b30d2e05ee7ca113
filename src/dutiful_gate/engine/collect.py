"""The function that collects every fault, run only when the sound one gave up. It has the last word."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from functools import partial
from itertools import islice
from typing import Any

from ..codegen.unit import Unit
from ..declare.embedded import Embedded
from ..declare.facts import Facts, Got
from ..declare.hash_limits import MOST_ALIKE, crowded
from ..declare.kinds import Kind, Text
from ..declare.rules import Length
from ..declare.sealed import Sealed
from ..declare.sources import Reading, Source
from ..regex.white_space import BLANKS, is_blank
from ..report.cause import HIDDEN, Cause
from ..report.shown_values import outlined
from ..shape.nodes import (
    MISSING,
    Alias,
    Branches,
    Choice,
    Entries,
    Fixed,
    Items,
    Link,
    Nothing,
    Nullable,
    Scalar,
    Sealing,
    Use,
)
from ..shape.stages import Stages, stages_of
from ..shape.to_json import plain
from .collect_unions import UnionWriter
from .fast import NAMED, settled_test
from .handover import handed_entries, handed_items, split_again
from .hash_limits import Crowd, spreads
from .later import Later, Waiting, is_large
from .plan import (
    Plan,
    choice_reader,
    choice_ready,
    collection,
    is_text,
    may_be_blank,
)
from .runtime import (
    HIDDEN_KEY,
    REREAD,
    StopCauses,
    fitting,
    fitting_unnamed,
    in_json_forms,
    is_record,
    own_fault,
    remembered,
    whole_first,
    wordless_fault,
)

_NESTED = 4


def collecting_unit(plan: Plan, *, at_once: bool = False) -> Unit:
    """The collecting function of a gate: `collect(data, (), log)` gives the value, or REFUSED with faults in the log.

    Of a large shape the functions of records are written when they are first called, but where all are wanted
    `at_once`.
    """
    writer = CollectWriter(plan)
    if is_large(plan.shape) and not at_once:
        title = f"{plan.shape.name} faults"
        writer.later = Later(title, writer, writer.written_since)
        writer.swift.later = Later(title, writer, writer.written_since)
        writer.swift.later.lock = writer.later.lock  # both write into one namespace
    return writer.unit(plan.shape.root, f"{plan.shape.name} faults")


class CollectWriter(UnionWriter):
    """Writes collecting functions; nested records are first tried by sound functions, which stand beside them."""

    def __init__(self, plan: Plan) -> None:
        super().__init__(plan)
        self.functions: list[str] = []
        # Both writers fill one namespace, so that no name means two things.
        self.swift.share(self)
        self.constants |= NAMED
        self._record_names: dict[tuple[str, Source, Reading, bool], str] = {}
        self._waiting: Waiting = []
        self.later: Later | None = None
        self._count = 0
        self._label = ""
        self._of_key = False
        self.parted = False

    def step(self, key: str) -> str:
        """The source of a path of one step, given the source of a key."""
        return f"({key},)"

    def unit(self, use: Use, title: str) -> Unit:
        """The collecting function of a use, with those functions it needs that no unit before had."""
        start, swift_start = len(self.functions), len(self.swift.functions)
        name = self.claimed(f"collect_whole_{start}" if start else "collect")
        entry = self.entry(use, name, use.about.title or "")
        self.finish()
        source = "\n\n\n".join([*self.swift.functions[swift_start:], *self.functions[start:]]) + "\n"
        self._told = len(self.functions), len(self.swift.functions)
        carries = self.carries or self.swift.carries or self.later is not None
        return Unit(title, source, self.constants, entry, self.constants, carries=carries, notes=self.notes)

    def finish(self) -> None:
        """Write the functions that were named and not written yet, or see to it that they will be."""
        if self.later is not None:
            self.later.put_off(self._waiting)
        while self._waiting or self.swift.unfinished:
            if self._waiting:
                self._waiting.pop(0)[1]()
            self.swift.finish()

    def written_since(self) -> str:
        """The source of what both writers wrote since this was last asked."""
        self.finish()
        own, swift = self._told
        self._told = len(self.functions), len(self.swift.functions)
        return "\n\n\n".join([*self.swift.functions[swift:], *self.functions[own:]]) + "\n"

    def entry(self, use: Use, name: str, label: str) -> str:
        """Write the function for a use; gives back its name."""
        nesting, self._nesting = self._nesting, 0
        held, self._label = self._label, label
        with self.aside() as lines, self.block(f"def {name}(data, path, log):"):
            self.write("faults = log.faults")
            self.write("start = len(faults)")
            self.read(use, "data", "path")
            self.write("return data if len(faults) == start else REFUSED")
        self._nesting, self._label = nesting, held
        self.functions.append("\n".join(lines))
        return name

    def part(self, use: Use) -> str:
        """The name of a new function that reads a use."""
        self._count += 1
        return self.entry(use, self.claimed(f"collect_part_{self._count}"), self._label)

    def function_of(self, key: str) -> str:
        """The name of the function for one record or alias, written later."""
        mark = (key, self.source, self.reading, self.hidden)
        if mark not in self._record_names:
            name = self.claimed(f"collect_{self.noun_of(key)}_{len(self._record_names) + 1}")
            self._record_names[mark] = name
            self._waiting.append((name, lambda: self._write_function(name, *mark)))
        return self._record_names[mark]

    def _write_function(self, name: str, key: str, source: Source, reading: Reading, hidden: bool) -> None:
        nesting, self._nesting = self._nesting, 0
        label, of_key, self._of_key = self._label, self._of_key, False
        before = self.hidden, self.outlined, self.inline
        shy, self.shy = self.shy, False
        self.hidden, self.inline = hidden, not hidden
        self.outlined = hidden or key in self.plan.shape.guarded
        remembers = key in self.plan.shape.recursive
        body = self.claimed(f"{name}_read") if remembers else name
        if key in self.plan.shape.aliases:
            with self.reading_from(source, reading), self.inside(key):
                self.entry(self.plan.shape.aliases[key], body, "")
        else:
            with (
                self.reading_from(source, reading),
                self.inside(key),
                self.aside() as lines,
                self.block(f"def {body}(data, path, log):"),
            ):
                self.record(self.plan.shape.records[key])
            self.functions.append("\n".join(lines))
        if remembers:
            again = self.bind(remembered, "remembered")
            self.functions.append(
                f"def {name}(data, path, log):\n    return {again}({name!r}, {body}, data, path, log)"
            )
        self.hidden, self.outlined, self.inline = before
        self.shy = shy
        self._nesting, self._label, self._of_key = nesting, label, of_key

    @property
    def source(self) -> Source:
        """What the data is that is being written of."""
        return self._source

    @source.setter
    def source(self, source: Source) -> None:
        self._source = source
        if hasattr(self, "swift"):
            self.swift.source = source

    @property
    def reading(self) -> Reading:
        """How what is being written is read."""
        return self._reading

    @reading.setter
    def reading(self, reading: Reading) -> None:
        self._reading = reading
        if hasattr(self, "swift"):
            self.swift.reading = reading

    # Faults

    def cause(self, code: str, needs: str, facts: Facts | None = None, **more: object) -> str:
        """The name of a cause at the field that is being written."""
        phrase = facts.phrase if facts is not None else ""
        if self.hidden:
            more["secret"] = True
        json = self.source.in_json
        here: dict[str, Any] = {"label": self._label, "json": json, "of_key": self._of_key}
        made = Cause(code, needs, phrase=phrase, **here | more)
        return self.bind(made, code.upper())

    def fault(self, path: str, cause: str, given: str = "None", value: str = "None") -> None:
        """Note a fault, with no more of what came than may be shown."""
        if self.hidden:
            given = value = "None"
        elif self.outlined:
            outline = self.bind(outlined, "outlined")
            given = given if given == "None" else f"{outline}({given})"
            value = value if value == "None" else f"{outline}({value})"
        self.write(f"faults.append(({path}, {cause}, {given}, {value}))")

    @contextmanager
    def at_key(self) -> Iterator[None]:
        """What is written inside is told of the key of an entry, not of the value under it."""
        before, self._of_key = self._of_key, True
        yield
        self._of_key = before

    def stopped(self) -> str:
        """The name of the table of causes for values that cannot be read here."""
        json = self.source.in_json
        says = self._reading_says
        base = Cause("", "", label=self._label, secret=self.hidden, json=json, own_words=says, of_key=self._of_key)
        return self.bind(StopCauses(base), "STOPPED")

    @property
    def words_of(self) -> Callable[[Cause, Exception], Cause]:
        """What makes the words of a function's exception those of a fault, or leaves them out."""
        return wordless_fault if self.outlined else own_fault

    # Values

    def read(self, use: Use, value: str, path: str) -> None:
        """Read the variable `value` in place; what is wrong with it is noted at `path`, an expression."""
        if self._nesting >= _NESTED:
            self.write(f"{value} = {self.part(use)}({value}, {path}, log)")
            return
        says, self._reading_says = self._reading_says, use.says
        with self.at(use):
            self._read(use, value, path)
        self._reading_says = says

    def _read(self, use: Use, value: str, path: str) -> None:
        stages = stages_of(use, self.reading)
        guarded = use.fallback is not MISSING
        before = self.variable("before") if guarded else ""
        held = self.variable("held") if guarded and self.plan.outgoing else ""
        if guarded:  # what is excused is told for itself
            full = self.variable("was_full")
            self.write(f"{before}, {full}, log.full = len(faults), log.full, len(log.excused) >= log.most")
        if held:
            self.write(f"{held} = {value}")
        fits = use.fits if self.plan.outgoing else stages.fits
        came, since = (self.variable("came"), self.variable("before")) if fits else ("", "")
        if fits:
            self.write(f"{came}, {since} = {value}, len(faults)")
        if stages.blank:
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        self.prepared(use, stages, value, path)
        for document in fits:
            with self.block(f"if len(faults) == {since}:"):
                if self.plan.outgoing:
                    write = partial(plain, use, shape=self.plan.shape)
                    self.write(f"{came} = {self.bind(write, 'PLAIN')}({value})")
                self.fitting(document, came, path)
        if guarded:
            fallback = self.bind(use.fallback, "FALLBACK")
            self.write(f"log.full = {full}")
            # What goes out is not replaced: only what stands in itself may break the rules.
            same = f" and {held}.__class__ is {self.bind(type(use.fallback), 'KIND')} and {held} == {fallback}"
            with self.block(f"if len(faults) != {before}{same if held else ''}:"):
                self.write(f"{value} = log.excuse({before}, {fallback})")

    def fitting(self, document: Embedded, came: str, path: str) -> None:
        """Judge what came by a document that stands beside it."""
        judge = self.bind(document, "FITS")
        if self.reading is Reading.MIXED:
            came = f"{self.bind(in_json_forms, 'in_json_forms')}({came})"
        if self.outlined:
            cause = self.cause("check", "what the document beside it asks for", got=HIDDEN)
            self.write(f"{self.bind(fitting_unnamed, 'fitting')}({judge}, {came}, {path}, log, {cause})")
        else:
            self.write(f"{self.bind(fitting, 'fitting')}({judge}, {came}, {path}, log)")

    def prepared(self, use: Use, stages: Stages, value: str, path: str) -> None:
        """Read what comes before a use, if anything does, and then the use."""
        if self.reading is Reading.MIXED and use.is_reread:
            with self.block(f"if {value}.__class__ in {self.bind(REREAD[bool(use.split)], 'REREAD')}:"):
                self._prepared(use, stages, value, path)
            with self.block("else:"):
                self.node(use, value, path)
        else:
            self._prepared(use, stages, value, path)

    def _prepared(self, use: Use, stages: Stages, value: str, path: str) -> None:
        if stages.made:
            given = self.variable("given")
            self.write(f"{given} = {value}")
            self.run(stages.parts, stages.facts, value, given, path)
        elif stages.split:
            given = self.variable("given")
            self.write(f"{given} = {value}")
            nested = self._lone(value, given, path)
            self._indent += nested
            with self.block(f"if not isinstance({value}, str):"):
                self.fault(path, self.cause("kind", "text to split"), given)
            with self.block("else:"), self.reading_as(stages.reading):
                separator, held = self.bind(stages.split, "SEPARATOR"), use.bare.node
                items = [held.item] if isinstance(held, Items) else []
                site = self.site(items, stages.split)
                self.write(f"{value} = {self.bind(split_again, 'split')}({value}, {separator}, {site})")
                self.parted = True
                self.node(use, value, path)
                self.parted = False
            self._indent -= nested
        elif stages.via is not None:
            before = self.variable("before")
            self.write(f"{before} = len(faults)")
            self.read(stages.via, value, path)
            self._nesting += 1
            with self.block(f"if len(faults) == {before}:"), self.reading_as(stages.reading):
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
                    self.fault(path, self.cause("kind", "null", own_words=self._reading_says), value)
                with self.block("else:"):
                    self.write(f"{value} = None")
            case Choice():
                self.choice(use.node, use, value, path)
            case Items():
                self.items(use.node, use, value, path)
            case Fixed():
                self.fixed(use.node, use, value, path)
            case Entries(key, held):
                self.entries(key, held, use, value, path)
            case Branches():
                self.branches(use.node, use, value, path)
            case Nullable(inner):
                self.nullable(inner, value, path)
            case Sealing(inner):
                self.sealing(inner, value, path)
            case Link(key) | Alias(key):
                self.link(key, use, value, path)

    @property
    def _is_text(self) -> bool:
        return self.reading is Reading.TEXT

    def single(self, kind: Kind, use: Use, value: str, path: str) -> None:
        """A single value: its kind, its reading, then its steps and rules."""
        kind = self.kind_here(kind)
        ready = kind.ready(self.reading, value, self.bind)
        given = self.variable("given")
        self.write(f"{given} = {value}")
        nested = self._lone(value, given, path, several=kind.facts.open)
        self._indent += nested
        quick = settled_test(use.parts, value, self.bind) if type(kind) is Text else ""
        if quick:
            self.write(f"if not ({value}.__class__ is str and {quick}):")
            self._indent += 1
        if ready != "True":
            self._read_single(kind, ready, value)
        with self.block(f"if {value}.__class__ is Stop:"):
            self.fault(path, f"{self.stopped()}[{value}]", given)
        if use.parts:
            with self.block("else:"):
                self.run(use.parts, use.node.facts, value, given, path)
        self._indent -= nested + 1 if quick else nested

    def _read_single(self, kind: Kind, ready: str, value: str) -> None:
        """Read a value that is not ready: by the expression for a common case where it applies, else by the reader."""
        read = kind.reader(self.reading)
        reading = f"{value} = {self.bind(read, read.__name__)}({value})"
        swift = kind.swift(self.reading, value, self.bind) if ready == "False" else None
        if swift is not None:
            test, expression = swift
            with self.block(f"if {test}:"):
                came = self.variable("came")
                self.write(f"{came} = {value}")
                with self.block("try:"):
                    self.write(f"{value} = {expression}")
                    with self.block(f"if {value}.__class__ is Stop:"):
                        self.write("raise ValueError")
                with self.block("except RecursionError:"):
                    self.write("raise")
                with self.block("except Exception:"):
                    tried = kind.after_swift(self.reading)
                    self.write(f"{value} = {self.bind(tried, tried.__name__)}({came})")
            with self.block("else:"):
                self.write(reading)
        elif ready == "False":
            self.write(reading)
        else:
            with self.block(f"if not ({ready}):"):
                self.write(reading)

    def _lone(self, value: str, given: str, path: str, *, several: bool = False) -> bool:
        """In all-text sources a key may come several times, as a list: here it may come once, but for `several`."""
        if not self._is_text or not self.source.repeats:
            return False
        with self.block(f"if {value}.__class__ is list and len({value}) == 1:"):
            self.write(f"{given} = {value} = {value}[0]")
        if several:
            return False
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
        ready = choice_ready(self, node, self.reading, value)
        choose = f"{value} = {choice_reader(self, node, self.reading)}({value})"
        if ready is None:
            self.write(choose)
        else:
            with self.block(f"if not ({ready}):"):
                self.write(choose)
        with self.block(f"if {value}.__class__ is Stop:"):
            self.fault(path, self.choices("choice", node.wire, own_words=self._reading_says), given)
        if use.parts:
            with self.block("else:"):
                self.run(use.parts, use.node.facts, value, given, path)
        self._indent -= nested

    def _many(self, value: str, path: str, needs: str, test: str) -> str:
        """Write the checks before many values are read; gives back the variable of what came. Leaves an else open."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        with self.block(f"if {test}:"):
            self.fault(path, self.cause("kind", needs, own_words=self._reading_says), given)
        with self.block(f"elif len({value}) > {self.plan.limits.items}:"):
            most = {"most": self.plan.limits.items}
            self.fault(path, self.cause("size", "at most {most} of them", expected=most, got=Got.LENGTH), given, value)
        return given

    def items(self, node: Items, use: Use, value: str, path: str) -> None:
        """Read a collection: every item, then the rules on the whole."""
        if self._is_text and not self.circular:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        if self.reading is Reading.TYPED:
            several = {"set": "(set, frozenset)", "frozenset": "(set, frozenset)"}
            wanted = several.get(node.into, f"(list, tuple, {collection(self, 'deque')})")
            test = f"not isinstance({value}, {wanted})"
        else:
            test = f"{value}.__class__ is not list and not isinstance({value}, (list, tuple))"
        given = self._many(value, path, self.noun("a list"), test)
        made, each = self.variable("made"), self.variable("item")
        index, before = self.variable("index"), self.variable("before")
        with self.block("else:"):
            left = self.variable("left")
            parted, self.parted = self.parted, False
            self.write(f"{made} = []")
            self.write(f"{left} = enumerate({value})")
            if parted or self.reading is self.source.reading:
                with self.block(f"if {self.is_large(value)}:"):
                    self.write(f"{made} = {self.handed(handed_items, value, [node.item])}")
                    rest = f"{self.bind(islice, 'islice')}({value}, len({made}), None)"
                    self.write(f"{left} = enumerate({rest}, len({made}))")
            self._nesting += 1
            with self.enough(before) as enough:
                soon = self.soon() if node.into in ("set", "frozenset") and not spreads(node.item) else ""
                with self.block(f"for {index}, {each} in {left}:"):
                    self.counted(node.item, each, before, enough, alone=True, parted=parted)
                    self.read(node.item, each, f"{path} + ({index},)")
                    self.write(f"{made}.append({each})")
                    if soon:
                        with self.block(f"if len(faults) == {before}:"), self.looked_at_soon(made, soon):
                            self.write("break")
            self._nesting -= 1
            with self.block(f"if len(faults) == {before}:"):
                if node.into == "list":
                    self.write(f"{value} = {made}")
                else:
                    self._collected(node, value, made, path, given)
            self.list_rules(use, value, given, path, before)

    def _collected(self, node: Items, value: str, made: str, path: str, given: str) -> None:
        """Build the collection of its items; a set has none twice."""
        into = collection(self, node.into)
        if node.into not in ("set", "frozenset"):
            self.write(f"{value} = {into}({made})")
            return
        if not spreads(node.item):
            with self.block(f"if {self.bind(crowded, 'crowded')}({made}):"):
                self.fault(path, self.crowd("items"), given)
            self.write("else:")
            self._indent += 1
        self.write(f"{value} = {into}({made})")
        with self.block(f"if len({value}) != len({made}):"):
            self.fault(path, self.cause("repeat", "items that differ", got="one of them again"), given)
        if not spreads(node.item):
            self._indent -= 1

    def crowd(self, noun: str) -> str:
        """The name of the cause of too many values of one hash."""
        return self.cause(
            "size", f"at most {{most}} different {noun} that share a hash", expected={"most": MOST_ALIKE}, got="more"
        )

    def list_rules(self, use: Use, value: str, given: str, path: str, before: str) -> None:
        """Rules on a whole: those that only count run even when something in it failed."""
        counting = tuple(part for part in use.parts if isinstance(part, Length))
        if not use.parts:
            return
        with self.block(f"if len(faults) == {before}:"):
            self.run(use.parts, use.node.facts, value, given, path)
        if counting:
            with self.block("else:"):
                inside = self.variable("inside")
                self.write(f"{inside} = len(faults)")
                self.run(counting, use.node.facts, value, given, path)
                # What is wrong with the whole stands where it begins.
                with self.block(f"if len(faults) != {inside}:"):
                    self.write(f"{self.bind(whole_first, 'whole_first')}(faults, {before}, {path})")

    def fixed(self, node: Fixed, use: Use, value: str, path: str) -> None:
        """Read a tuple: its first items one by one, and those after them."""
        given = self._many(value, path, self.noun("a list"), f"not isinstance({value}, (list, tuple))")
        count, more = len(node.items), node.more
        unit = "item" if count == 1 else "items"
        if more is None:
            cause = self.cause("count", f"exactly {{exactly}} {unit}", expected={"exactly": count}, got=Got.LENGTH)
        else:
            cause = self.cause("count", f"at least {{floor}} {unit}", expected={"floor": count}, got=Got.LENGTH)
        with self.block(f"elif len({value}) {'!=' if more is None else '<'} {count}:"):
            self.fault(path, cause, given, value)
        with self.block("else:"):
            names = [self.variable("item") for _ in node.items]
            before, others = self.variable("before"), self.variable("others")
            self.write(f"{before} = len(faults)")
            if names or more is not None:
                starred = f"*{others}" if more is not None else ""
                self.write(f"{', '.join(names)}{', ' if names else ''}{starred} = {value}")
            self._nesting += 1
            for index, (name, item) in enumerate(zip(names, node.items, strict=True)):
                self.read(item, name, f"{path} + ({index},)")
            made = ""
            if more is not None:
                made, each, index_of = self.variable("made"), self.variable("item"), self.variable("index")
                since = self.variable("before")
                self.write(f"{made} = []")
                with (
                    self.enough(since) as enough,
                    self.block(f"for {index_of}, {each} in enumerate({others}, {count}):"),
                ):
                    self.counted(more, each, since, enough, alone=True)
                    self.read(more, each, f"{path} + ({index_of},)")
                    self.write(f"{made}.append({each})")
            self._nesting -= 1
            self.write(f"{value} = ({''.join(name + ', ' for name in names)}{f'*{made},' if made else ''})")
            self.list_rules(use, value, given, path, before)

    def entries(self, key: Use, held: Use, use: Use, value: str, path: str) -> None:
        """Read a dict: every key and value, then the rules on the whole."""
        given = self._many(
            value, path, self.noun("a record"), f"not isinstance({value}, {self.bind(Mapping, 'Mapping')})"
        )
        made, name, each = self.variable("made"), self.variable("key"), self.variable("held")
        here, before = self.variable("here"), self.variable("before")
        plain, safe = is_text(key), spreads(key)
        outer = self.reading
        secret = self.hidden or key.secret
        with self.block("else:"):
            crowd = "" if safe else self.variable("crowd")
            if crowd:
                self.write(f"{crowd} = {self.bind(Crowd, 'Crowd')}()")
            left = self.variable("left")
            self.write(f"{made} = {{}}")
            self.write(f"{left} = {value}.items()")
            with self.block(f"if {self.is_large(value)}:"):
                self.write(f"{made} = {self.handed(handed_entries, value, [key, held], crowd or 'None')}")
                self.write(f"{left} = {self.bind(islice, 'islice')}({left}, len({made}), None)")
            self._nesting += 1
            with self.enough(before) as enough, self.block(f"for {name}, {each} in {left}:"):
                self.counted(held, each, before, enough, alone=False)
                step = self.bind(HIDDEN_KEY, "HIDDEN_KEY") if secret else name
                self.write(f"{here} = {path} + ({step},)")
                mark = self.variable("before")
                self.write(f"{mark} = len(faults)")
                with self.reading_as(outer if plain else outer.of_keys), self.at_key():
                    if self.reading is not outer:
                        # What stands around a key was not typed by hand: in JSON it is part of the key.
                        with self.block(
                            f"if isinstance({name}, str) and {name} != {name}.strip({self.bind(BLANKS, 'BLANKS')}):"
                        ):
                            self.fault(here, self.cause("reading", "no blanks around it"), name)
                        with self.block("else:"):
                            self.read(key, name, here)
                    else:
                        self.read(key, name, here)
                with self.block(f"if len(faults) == {mark} and {name} in {made}:"), self.at_key():
                    self.fault(here, self.cause("repeat", "to come once", got="it again"), name)
                self.read(held, each, here)
                with self.block(f"if len(faults) == {mark}:"):
                    if crowd:
                        with self.block(f"if {crowd}.full({name}):"):
                            self.fault(path, self.crowd("keys"), given)
                            self.write(f"{self.bind(whole_first, 'whole_first')}(faults, {before}, {path})")
                            self.write("break")
                    self.write(f"{made}[{name}] = {each}")
            self._nesting -= 1
            with self.block(f"if len(faults) == {before}:"):
                self.write(f"{value} = {made}")
            self.list_rules(use, value, given, path, before)

    def nullable(self, inner: Use, value: str, path: str) -> None:
        """Read what is inside unless it is null."""
        if may_be_blank(inner, self.reading, self.plan.shape.aliases):
            with self.block(f"if {self.bind(is_blank, 'is_blank')}({value}):"):
                self.write(f"{value} = None")
        self._nesting += 1
        with self.block(f"if {value} is not None:"):
            self.read(inner, value, path)
        self._nesting -= 1

    def sealing(self, inner: Use, value: str, path: str) -> None:
        """Read what is inside, and seal it; what is sealed already is opened before."""
        sealed, before = self.bind(Sealed, "Sealed"), self.variable("before")
        self.write(f"{before} = len(faults)")
        self._nesting += 1
        if self.reading is Reading.TYPED:
            with self.block(f"if {value}.__class__ is not {sealed}:"):
                self.fault(path, self.cause("kind", "a sealed value"), value)
            with self.block("else:"):
                self.write(f"{value} = {value}.opened()")
                self.read(inner, value, path)
        else:
            if self.reading is Reading.MIXED:
                with self.block(f"if {value}.__class__ is {sealed}:"):
                    self.write(f"{value} = {value}.opened()")
            self.read(inner, value, path)
        self._nesting -= 1
        with self.block(f"if len(faults) == {before}:"):
            self.write(f"{value} = {sealed}({value})")

    def link(self, key: str, use: Use, value: str, path: str) -> None:
        """Read a record: by the sound function if that will do, else by the collecting one."""
        given = self.variable("given")
        self.write(f"{given} = {value}")
        if self._reading_says is not None:
            before = self.variable("before")
            self.write(f"{before} = len(faults)")
            self._link_says(key, value, given, path)
            with self.block(f"if len(faults) != {before}:"):
                self.write(f"{value} = REFUSED")
        elif path == "path":  # the sound function has given this very record up already
            self.write(f"{value} = {self.function_of(key)}({given}, {path}, log)")
        else:
            self.swift.hidden, self.swift.where = self.hidden, self.where
            quick = f"{self.swift.function_of(key)}({given}{self._failed})"
            self.write(f"{value} = UNSURE if log.failing and log.full else {quick}")
            with self.block(f"if {value}.__class__ is Stop:"):
                self.write(f"{value} = {self.function_of(key)}({given}, {path}, log)")
                self.write(f"log.failing = {value}.__class__ is Stop")
        if use.parts:
            with self.block(f"if {value}.__class__ is not Stop:"):
                self.run(use.parts, use.node.facts, value, given, path)

    def _link_says(self, key: str, value: str, given: str, path: str) -> None:
        """A record, or what an alias stands for, with own words for what is none."""
        if key in self.plan.shape.aliases:
            whole = self.plan.shape.aliases[key].saying(self._reading_says)
            self.write(f"{value} = {self.part(whole)}({value}, {path}, log)")
            return
        known = self.bind(is_record, "is_record")
        test = f"{known}({value}, {self._is_text})"
        if self.reading is Reading.TYPED and self.plan.shape.records[key].form != "dict":
            test += f" or isinstance({value}, {self.bind_class(self.plan.shape.records[key].builder)})"
        with self.block(f"if {test}:"):
            self.write(f"{value} = {self.function_of(key)}({given}, {path}, log)")
        with self.block("else:"):
            self.fault(path, self.cause("kind", self.noun("a record"), own_words=self._reading_says), given)
