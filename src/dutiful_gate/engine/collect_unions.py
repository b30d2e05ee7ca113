"""What collecting functions do with unions: the option that the tag tells speaks, or the one that came closest."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any

from ..declare.kinds import Text
from ..declare.phrases import Phrase
from ..declare.sources import Reading
from ..report.shown_values import outlined, plainly
from ..shape.nodes import MISSING, Alias, Branches, Choice, Link, Node, Nullable, Scalar, Sealing, Use
from .collect_rules import RuleWriter
from .exclusive_unions import OutgoingAlone, one_alone
from .fast import SoundWriter
from .plan import Plan, choice_reader, choice_ready, options_in_order, passed_over, tag_reader
from .runtime import MORE, closest

_ROOM = 500
"""How many faults past the limit are gathered before they are let go: not one by one."""


class UnionWriter(RuleWriter):
    """Writes the part of collecting functions that reads unions."""

    def __init__(self, plan: Plan) -> None:
        super().__init__(plan)
        self.swift = SoundWriter(plan, note_unknown=True, inline=1, again=True)
        self._asked_quickly: dict[tuple[int, Reading, bool], str] = {}
        self._made_quickly: dict[tuple[int, Reading, bool], str] = {}
        self._nesting = 0
        self._reading_says: str | None = None

    @abstractmethod
    def part(self, use: Use) -> str:
        """The name of a new function that reads a use."""

    def choices(self, code: str, values: Sequence[object], **more: Any) -> str:
        """The name of the cause of a value that is none of a few; of secrets the few are not told either."""
        if self.hidden:
            return self.cause(code, "one of the values that are allowed", **more)
        return self.cause(code, "one of {choices}", expected={"choices": tuple(values)}, **more)

    @contextmanager
    def enough(self, before: str) -> Iterator[str]:
        """A variable for how many faults there are, with those up to now in `before`, when the limit is reached.

        Around the loop over many values: past the limit faults are only counted.
        """
        enough, was = self.variable("enough"), self.variable("was_full")
        self.write(f"{before} = len(faults)")
        self.write(f"{enough} = {before} + (1 if log.full else log.most)")
        self.write(f"{was} = log.full")
        yield enough
        self.write(f"log.full = {was}")
        with self.block(f"if len(faults) > {enough}:"):
            self.write(f"log.spill({before})")

    def counted(self, use: Use, value: str, before: str, enough: str, *, alone: bool, parted: bool = False) -> None:
        """What is done before a value of many is read when the limit on faults is reached: the next are only counted.

        One is counted for each unsound value of a union, and for each list in a text: to ask further is dear. Where the
        value stands `alone`, without a key that may be at fault too, one is counted for each of quite another kind.
        One that is a part of a text (`parted`) is text itself.
        """
        node = use.bare.node
        with self.block(f"if len(faults) >= {enough}:"):
            self.write("log.full = True")
            with self.block(f"if len(faults) > {enough} + {_ROOM}:"):
                self.write(f"log.spill({before})")
            plain = self.reading is Reading.PLAIN
            single = (plain or parted) and alone and not use.fits and use.fallback is MISSING
            if plain and single and (others := passed_over(use, self.plan)):
                with self.block(f"if {value}.__class__ in {self.bind(others, 'OTHERS')}:"):
                    self.write("log.untold += 1")
                    self.write("continue")
            if single and use.node is node and not use.is_reread:
                self._counted_alone(node, value, further=bool(use.parts))
            if (isinstance(node, Branches) and not node.tag) or isinstance(node, Alias) or use.split:
                quick = self.variable("quick")
                self.write(f"{quick} = {self.quick_part(use)}({value}{self._failed})")
                with self.block(f"if {quick} is UNSURE:"):
                    self.write(f"{quick} = {self.part(use)}({value}, path, log.attempt())")
                with self.block(f"if {quick}.__class__ is Stop:"):
                    self.write("log.untold += 1")
                self.write("continue")

    def _counted_alone(self, node: Node, value: str, *, further: bool) -> None:
        """Count a single value that is unsound; nothing is made of it, but where `further` rules are to judge it."""
        if isinstance(node, Scalar):
            kind = self.plan.fitted(node.kind)
            ready = kind.ready(self.reading, value, self.bind)
            if further and ready == "False":
                return  # it would be read twice
            if ready != "True":
                read = kind.reader(self.reading)
                reading = f"{self.bind(read, read.__name__)}({value}).__class__ is Stop"
                if type(kind.strict) is Text:  # a text that is not ready is none
                    reading = f"({value}.__class__ is str or {reading})"
                with self.block(f"if {reading if ready == 'False' else f'not ({ready}) and {reading}'}:"):
                    self.write("log.untold += 1")
                    if further:
                        self.write("continue")
        elif isinstance(node, Choice):
            test = choice_ready(self, node, self.reading, value)
            chosen = f"{choice_reader(self, node, self.reading)}({value}).__class__ is not Stop"
            with self.block(f"if not ({chosen if test is None else test}):"):
                self.write("log.untold += 1")
                if further:
                    self.write("continue")
        else:
            return
        if not further:
            self.write("continue")

    def quick_part(self, use: Use) -> str:
        """The name of a function that only tells whether a value is sound."""
        swift = self._quick()
        mark = (id(use), self.reading, self.hidden)
        if mark not in self._asked_quickly:
            with swift.taking(note_unknown=False, only_asks=True):
                self._asked_quickly[mark] = swift.part(use)
        return self._asked_quickly[mark]

    def _quickly(self, node: Branches) -> str:
        """The name of a function that gives the value of a union, or gives up."""
        mark = (id(node), self.reading, self.hidden)
        if mark not in self._made_quickly:
            self._made_quickly[mark] = self._quick().part(Use(node))
        return self._made_quickly[mark]

    def _quick(self) -> SoundWriter:
        """What writes quick functions, where this one is."""
        swift = self.swift
        swift.hidden, swift.where, swift.circular = self.hidden, self.where, self.circular
        return swift

    @property
    def _failed(self) -> str:
        return ", log.memory" if self.swift.more else ""

    def branches(self, node: Branches, use: Use, value: str, path: str) -> None:
        """Read by the option that the tag tells, or let the option that came closest speak."""
        given, before = self.variable("given"), self.variable("before")
        self.write(f"{given} = {value}")
        self.write(f"{before} = len(faults)")
        if node.tag and self.reading is not Reading.TYPED:
            self._tagged(node, value, given, path)
        elif node.tag and not node.held and not self.plan.outgoing:
            self._tagged_typed(node, value, given, path)
        else:
            self._options(node, value, given, path)
        if use.parts:
            with self.block(f"if len(faults) == {before}:"):
                self.run(use.parts, use.node.facts, value, given, path)

    def _options(self, node: Branches, value: str, given: str, path: str) -> None:
        """Let the option that came closest speak; where one alone may admit the value, tell when several do.

        Most values are sound, also beside those that are not; and past the limit nobody asks which option came closest.
        """
        if self.plan.outgoing or self.swift.more:
            self._closest(node, value, given, path)
            return
        quick = self.variable("quick")
        self.write(f"{quick} = {self._quickly(node)}({value})")
        with self.block(f"if {quick}.__class__ is not Stop:"):
            self.write(f"{value} = {quick}")
        with self.block(f"elif log.full and {quick} is not UNSURE:"):
            self.write(f"{value} = REFUSED")
            self.write(f"faults.append({self.bind(MORE, 'MORE')})")
        with self.block("else:"):
            self._closest(node, value, given, path)

    def _closest(self, node: Branches, value: str, given: str, path: str) -> None:
        before = self.variable("before") if node.alone else ""
        if before:
            self.write(f"{before} = len(faults)")
        shy, self.shy = self.shy, self.outlined
        names = ", ".join(self.part(option) for option in options_in_order(self.plan, node, self.reading))
        self.shy = shy
        phrases = list(dict.fromkeys(word for option in node.options for word in self._phrases(option)))
        needs = "one of these: {options}" if len(phrases) > 1 else "{options}"
        words: Any = {"expected": {"options": phrases}, "own_words": self._reading_says}
        cause = self.cause("branch", needs, **words)
        shown = self.bind(outlined, "outlined") if self.outlined else "None"
        self.write(f"{value} = {self.bind(closest, 'closest')}(({names},), {value}, {path}, log, {cause}, {shown})")
        if not before:
            return
        several = self.cause("branch", "what is one of these alone: {options}", got="more than one", **words)
        with self.block(f"if len(faults) == {before}:"):
            alone = self.variable("alone")
            if self.plan.outgoing:
                self.write(f"{alone} = {self.bind(OutgoingAlone(self.plan, node), 'ONE_ALONE')}({value})")
            else:
                self.write(f"{alone} = {self._quick().admits_alone(node, given, self._failed)}")
                with self.block(f"if {alone} is None:"):
                    self.write(f"{alone} = {self.bind(one_alone, 'one_alone')}(({names},), {given}, {path}, log)")
            with self.block(f"if not {alone}:"):
                self.fault(path, several, given)

    def _tagged(self, node: Branches, value: str, given: str, path: str) -> None:
        key, which = self.bind(node.tag, "TAG"), self.variable("which")
        with self.block(f"if not isinstance({value}, {self.bind(Mapping, 'Mapping')}):"):
            self.fault(path, self.cause("kind", self.noun("a record")), given)
        with self.block(f"elif {key} not in {value}:"):
            self.fault(f"{path} + ({key},)", self.cause("absent", "a value"))
        if node.held:
            self._held(node, value, path)
        with self.block("else:"):
            self.write(f"{which} = {tag_reader(self, node, self.plan, self.reading)}({value}[{key}])")
            if node.held:
                held = self.bind(node.held, "HELD")
                outer, path_in = self.variable("outer"), self.variable("inside")
                self.write(f"{outer}, {value}, {path_in} = {value}, {value}[{held}], {path} + ({held},)")
            else:
                outer, path_in = value, path
            self._by_number(node, which, value, path_in)
            with self.block("else:"):
                hidden, self.hidden = self.hidden, self.hidden or self._tag_is_secret(node)
                cause = self.choices("branch", [tag for tags in node.tags for tag in tags])
                self.fault(f"{path} + ({key},)", cause, f"{outer}[{key}]")
                self.hidden = hidden

    def _by_number(self, node: Branches, which: str, value: str, path: str) -> None:
        """Read by the option of a number; leaves an else open."""
        self._nesting += 1
        for number, option in enumerate(node.options):
            with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                self.read(option, value, path)
        self._nesting -= 1

    def _tagged_typed(self, node: Branches, value: str, given: str, path: str) -> None:
        """The same where records may come as such: a dict that has a tag is what that says."""
        key, which = self.bind(node.tag, "TAG"), self.variable("which")
        reader = tag_reader(self, node, self.plan, self.reading)
        tagged = f"isinstance({value}, {self.bind(Mapping, 'Mapping')}) and {key} in {value}"
        self.write(f"{which} = {reader}({value}[{key}]) if {tagged} else -1")
        self._by_number(node, which, value, path)
        with self.block("else:"):
            self._options(node, value, given, path)

    def _held(self, node: Branches, value: str, path: str) -> None:
        """Nothing but the tag and the data may stand there."""
        key = self.bind(node.held, "HELD")
        with self.block(f"elif {key} not in {value}:"):
            self.fault(f"{path} + ({key},)", self.cause("absent", "a value"))
        more = self.cause(
            "unknown", "{tag} and {held}, and nothing else", expected={"tag": node.tag, "held": node.held}, got="more"
        )
        with self.block(f"elif len({value}) != 2:"):
            self.fault(path, more)

    def _tag_is_secret(self, node: Branches) -> bool:
        keys = [option.node.key for option in node.options if isinstance(option.node, Link)]
        fields = [field for key in keys for field in self.plan.shape.records[key].fields]
        return any(field.use.secret for field in fields if field.wire == node.tag)

    def _phrases(self, use: Use) -> list[str]:
        """What one option of a union is called; an alias is what it stands for."""
        match use.node:
            case Choice(wire=wire) if not (self.hidden or use.secret):
                return [Phrase("one of {choices}", choices=", ".join(map(plainly, wire[:12])))]
            case Alias(key):
                return self._phrases(self.plan.shape.aliases[key])
            case Sealing(inner):
                return self._phrases(inner)
            case Nullable(inner) if isinstance(inner.node, Branches | Alias):
                return [*self._phrases(inner), Phrase("null")]
            case Branches(options=options) if not use.node.tag:
                return [word for option in options for word in self._phrases(option)]
            case _:
                return [Phrase(self.noun(use.node.facts.phrase))]
