"""The telling function, which collects every fault: run only when the quick one gave up. It has the last word.

It is never in doubt, and never refuses what the quick one admits. What may be shown of what came is decided where it is
written: of a secret nothing ever stands in a fault.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from ...codegen.unit import Unit
from ...declare.facts import ANY_VALUE
from ...declare.kinds import Text
from ...declare.phrases import Phrase
from ...declare.sources import Reading
from ...report.cause import none_of_these
from ...report.shown_values import outlined, plainly
from ...shape.nodes import Alias, Branches, Choice, Link, Node, Nullable, Scalar, Sealing
from ...shape.uses import MISSING, Use
from ..choosing import closest
from ..exclusive_unions import OutgoingExclusiveUnion, exactly_one_admits
from ..later import Later
from ..plan import Plan, choice_reader, choice_ready, classes_refused, options_in_order, tag_reader
from ..runtime import MORE, is_record, remembered
from .frame import Aim, Frame, Shown, Spoken
from .outcome import Check, Loop, needs
from .pen import Functions, Pen
from .quick import Quick
from .telling_records import TellingRecords

_ROOM = 500
"""How many faults past the limit are gathered before they are let go: not one by one."""


def telling_unit(plan: Plan, *, at_once: bool = False) -> Unit:
    """The telling function of a gate: `collect(data, (), log)` gives the value, or REFUSED with faults in the log.

    The functions of records in it are written when they are first called, but where all are wanted `at_once`: most
    data that is refused has its faults in a few.
    """
    telling = Telling(plan)
    title = f"{plan.shape.name} faults"
    if not at_once:
        later = telling.functions.later = Later(title, telling.pen, telling.written_since)
        telling.quick.functions.later = Later(title, telling.pen, telling.written_since)
        telling.quick.functions.later.lock = later.lock  # both write into one namespace
    return telling.unit(plan.shape.root, title)


class Telling(TellingRecords):
    """Writes telling functions; nested records are first tried by quick functions, which stand beside them."""

    def __init__(self, plan: Plan) -> None:
        super().__init__(plan, Pen())
        # Both fill one namespace, so that no name means two things.
        self.quick = Quick(plan, self.pen, Aim(notes_unknown=True), most_inline=1, again=True)
        self.frame = Frame(plan, self.pen)
        self.functions = Functions(self.pen)
        self._asked_quickly: dict[tuple[int, Reading, bool], str] = {}
        self._made_quickly: dict[tuple[int, Reading, bool], str] = {}

    # Functions

    def unit(self, use: Use, title: str) -> Unit:
        """The telling function of a use, with those functions it needs that no unit before had."""
        pen, count = self.pen, self.functions.count
        name = pen.claimed("collect" if not count else f"collect_whole_{count}")
        frame = self.frame.inner(spoken=Spoken(label=use.about.title or ""))
        entry = self.entry(use, name, frame)
        carries = pen.carries or self.functions.later is not None
        return Unit(title, self.written_since(), pen.constants, entry, pen.constants, carries=carries, notes=pen.notes)

    def written_since(self) -> str:
        """The source of the functions that were written since this was last asked, the quick ones first."""
        quick = self.quick.functions
        self.functions.finish()
        quick.finish()
        while self.functions.unfinished:
            self.functions.finish()
            quick.finish()
        return "\n\n\n".join([*quick.written_since(), *self.functions.written_since()]) + "\n"

    def entry(self, use: Use, name: str, frame: Frame) -> str:
        """Write the function for a use; gives back its name."""
        with self.pen.aside() as lines, self.block(f"def {name}(data, path, log):"):
            self.write("faults = log.faults")
            self.write("start = len(faults)")
            self.read(use, frame.part("data", "path", nesting=0))
            self.write("return data if len(faults) == start else REFUSED")
        self.functions.add(lines)
        return name

    def part(self, use: Use, frame: Frame) -> str:
        """The name of a new function that reads a use."""
        return self.entry(use, self.functions.numbered("collect_part"), frame)

    def apart(self, use: Use, frame: Frame) -> None:
        """What it tells is told."""
        self.write(f"{frame.value} = {self.part(use, frame)}({frame.value}, {frame.path}, log)")

    def function_of(self, key: str, frame: Frame) -> str:
        """The name of the function for one record or alias, written later."""
        shown = Shown(frame.hidden, frame.hidden or key in self.plan.shape.guarded)
        frame = self.frame.inner(source=frame.source, reading=frame.reading, shown=shown, inside=(key,))
        noun = "alias" if key in self.plan.shape.aliases else "record"
        mark = (key, frame.source, frame.reading, frame.hidden)
        return self.functions.named(mark, f"collect_{noun}", lambda name: self._write_function(name, key, frame))

    def _write_function(self, name: str, key: str, frame: Frame) -> None:
        shape = self.plan.shape
        remembers = key in shape.recursive
        body = self.pen.claimed(f"{name}_read") if remembers else name
        if key in shape.aliases:
            self.entry(shape.aliases[key], body, frame.inner(circular=True))
        else:
            with self.pen.aside() as lines, self.block(f"def {body}(data, path, log):"):
                self.record(shape.records[key], frame)
            self.functions.add(lines)
        if remembers:
            again = self.pen.bind(remembered, "remembered")
            call = f"    return {again}({name!r}, {body}, data, path, log)"
            self.functions.add([f"def {name}(data, path, log):", call])

    def _quick_frame(self, frame: Frame) -> Frame:
        """Where quick functions are written that this one asks."""
        shown = Shown(frame.hidden, frame.hidden)
        quick = self.quick.frame
        return quick.inner(
            source=frame.source, reading=frame.reading, where=frame.where, shown=shown, circular=frame.circular
        )

    @property
    def _failed(self) -> str:
        return ", log.memory" if self.quick.memory_argument else ""

    # Past the limit on faults

    def start_of_item(self, item: Use, loop: Loop) -> None:
        """When the limit on faults is reached, the next are only counted.

        One is counted for each unsound value of a union, and for each list in a text: to ask further is dear. Where the
        value stands alone, without a key that may be at fault too, one is counted for each of quite another kind. One
        that is a part of a text is text itself.
        """
        node, frame, enough = item.bare.node, loop.frame, loop.enough
        value = frame.value
        with self.block(f"if len(faults) >= {enough}:"):
            self.write("log.full = True")
            with self.block(f"if len(faults) > {enough} + {_ROOM}:"):
                self.write(f"log.spill({loop.mark})")
            plain = frame.reading.is_json
            single = (plain or loop.parted) and loop.alone and not item.documents and item.fallback is MISSING
            if plain and single and (others := classes_refused(item, self.plan)):
                with self.block(f"if {value}.__class__ in {frame.bind(others, 'OTHERS')}:"):
                    self.write("log.untold += 1")
                    self.write("continue")
            if single and item.node is node and not item.is_reread:
                self._counted_alone(node, frame, further=bool(item.parts))
            if (isinstance(node, Branches) and not node.tag) or isinstance(node, Alias) or item.split:
                quick = self.variable("quick")
                self.write(f"{quick} = {self.quick_part(item, frame)}({value}{self._failed})")
                with self.block(f"if {quick} is UNSURE:"):
                    self.write(f"{quick} = {self.part(item, frame)}({value}, path, log.attempt())")
                with self.block(f"if {quick}.__class__ is Stop:"):
                    self.write("log.untold += 1")
                self.write("continue")

    def _counted_alone(self, node: Node, frame: Frame, *, further: bool) -> None:
        """Count a single value that is unsound; nothing is made of it, but where `further` rules are to judge it."""
        value = frame.value
        if isinstance(node, Scalar):
            kind = self.plan.fitted(node.kind)
            ready = kind.ready(frame.reading, value, frame.bind)
            if further and ready == "False":
                return  # it would be read twice
            if ready != "True":
                read = kind.reader(frame.reading)
                reading = f"{frame.bind(read, read.__name__)}({value}).__class__ is Stop"
                if type(kind.strict) is Text:  # a text that is not ready is none
                    reading = f"({value}.__class__ is str or {reading})"
                self._counted(reading if ready == "False" else f"not ({ready}) and {reading}", further=further)
        elif isinstance(node, Choice):
            test = choice_ready(frame, node, frame.reading, value)
            chosen = f"{choice_reader(frame, node, frame.reading)}({value}).__class__ is not Stop"
            self._counted(f"not ({chosen if test is None else test})", further=further)
        else:
            return
        if not further:
            self.write("continue")

    def _counted(self, test: str, *, further: bool) -> None:
        with self.block(f"if {test}:"):
            self.write("log.untold += 1")
            if further:
                self.write("continue")

    def quick_part(self, use: Use, frame: Frame) -> str:
        """The name of a function that only tells whether a value is sound."""
        mark = (id(use), frame.reading, frame.hidden)
        if mark not in self._asked_quickly:
            quick = self._quick_frame(frame)
            self._asked_quickly[mark] = self.quick.part(use, quick.inner(aim=Aim(only_asks=True)))
        return self._asked_quickly[mark]

    # Unions

    def options(self, node: Branches, frame: Frame) -> None:
        """Let the option that came closest speak; where one alone may admit the value, tell when several do.

        Most values are sound, also beside those that are not; and past the limit nobody asks which option came closest.
        """
        if self.plan.outgoing or self.quick.memory_argument:
            self._closest(node, frame)
            return
        value, quick = frame.value, self.variable("quick")
        mark = (id(node), frame.reading, frame.hidden)
        if mark not in self._made_quickly:
            self._made_quickly[mark] = self.quick.part(Use(node), self._quick_frame(frame))
        self.write(f"{quick} = {self._made_quickly[mark]}({value})")
        with self.block(f"if {quick}.__class__ is not Stop:"):
            self.write(f"{value} = {quick}")
        with self.block(f"elif log.full and {quick} is not UNSURE:"):
            self.write(f"{value} = REFUSED")
            self.write(f"faults.append({frame.bind(MORE, 'MORE')})")
        with self.block("else:"):
            self._closest(node, frame)

    def _closest(self, node: Branches, frame: Frame) -> None:
        value, path = frame.value, frame.path
        before = self.mark(frame) if node.alone else ""
        beside = frame.inner(shown=frame.shown._replace(beside=frame.shown.outlined))
        names = ", ".join(self.part(option, beside) for option in options_in_order(self.plan, node, frame.reading))
        phrases = list(dict.fromkeys(word for option in node.options for word in self._phrases(option, frame)))
        words: Any = {"expected": {"options": phrases}, "own_words": frame.spoken.says}
        of_all = none_of_these(phrases)
        said = needs("branch", of_all.needs, ANY_VALUE.replace(phrase=of_all.phrase), **words)
        cause = self.cause(frame, said)
        shown = frame.bind(outlined, "outlined") if frame.shown.outlined else "None"
        choose = frame.bind(closest, "closest")
        self.trying(node, frame)
        self.write(f"{value} = {choose}(({names},), {value}, {path}, log, {cause}, {shown})")
        if not before:
            return
        with self.sound(before):
            alone = self.variable("alone")
            if self.plan.outgoing:
                self.write(f"{alone} = {frame.bind(OutgoingExclusiveUnion(self.plan, node), 'ONE_ALONE')}({value})")
            else:
                asked = self.quick.admits_alone(node, frame.given, self._failed, self._quick_frame(frame))
                self.write(f"{alone} = {asked}")
                with self.block(f"if {alone} is None:"):
                    ask = frame.bind(exactly_one_admits, "one_alone")
                    self.write(f"{alone} = {ask}(({names},), {frame.given}, {path}, log)")
            several = needs("branch", "what is one of these alone: {options}", got="more than one", **words)
            self.refuse_if(frame, Check(f"not {alone}", several))

    def trying(self, node: Branches, frame: Frame) -> None:
        """Options are tried one after the other: told to those who ask why."""

    def tagged_typed(self, node: Branches, frame: Frame) -> None:
        """Where records may come as such: a dict that has a tag is what that says."""
        value, key, which = frame.value, frame.bind(node.tag, "TAG"), self.variable("which")
        reader = tag_reader(frame, node, self.plan, frame.reading)
        tagged = f"isinstance({value}, {frame.bind(Mapping, 'Mapping')}) and {key} in {value}"
        self.write(f"{which} = {reader}({value}[{key}]) if {tagged} else -1")
        self.by_number(node, which, frame)
        with self.block("else:"):
            self.options(node, frame)

    def no_option(self, node: Branches, frame: Frame, key: str, given: str) -> None:
        """It is told at the tag, with those that there are."""
        if self._tag_is_secret(node):
            frame = frame.inner(shown=frame.shown._replace(hidden=True))
        said = self.choices(frame, "branch", [tag for tags in node.tags for tag in tags])
        self.fault(frame, self.cause(frame, said), given, under=f"({key},)")

    def _tag_is_secret(self, node: Branches) -> bool:
        keys = [option.node.key for option in node.options if isinstance(option.node, Link)]
        fields = [field for key in keys for field in self.plan.shape.records[key].fields]
        return any(field.use.secret for field in fields if field.wire == node.tag)

    def _phrases(self, use: Use, frame: Frame) -> Sequence[str]:
        """What one option of a union is called; an alias is what it stands for."""
        match use.node:
            case Choice(wire=wire) if not (frame.hidden or use.secret):
                return [Phrase("one of {choices}", choices=", ".join(map(plainly, wire[:12])))]
            case Alias(key):
                return self._phrases(self.plan.shape.aliases[key], frame)
            case Sealing(inner):
                return self._phrases(inner, frame)
            case Nullable(inner) if isinstance(inner.node, Branches | Alias):
                return [*self._phrases(inner, frame), Phrase("null")]
            case Branches(options=options) if not use.node.tag:
                return [word for option in options for word in self._phrases(option, frame)]
            case _:
                return [Phrase(self.noun(use.node.facts.phrase, frame))]

    # Records

    def link(self, key: str, use: Use, frame: Frame) -> None:
        """Read a record: by the quick function if that will do, else by the telling one."""
        frame = self.came(frame)
        value, given, path = frame.value, frame.given, frame.path
        if frame.spoken.says is not None:
            before = self.mark(frame)
            self._link_says(key, frame)
            with self.block(f"if len(faults) != {before}:"):
                self.write(f"{value} = REFUSED")
        elif path == "path":  # the quick function has given this very record up already
            self.write(f"{value} = {self.function_of(key, frame)}({given}, {path}, log)")
        else:
            quick = f"{self.quick.function_of(key, self._quick_frame(frame))}({given}{self._failed})"
            self.write(f"{value} = UNSURE if log.failing and log.full else {quick}")
            with self.block(f"if {value}.__class__ is Stop:"):
                self.write(f"{value} = {self.function_of(key, frame)}({given}, {path}, log)")
                self.write(f"log.failing = {value}.__class__ is Stop")
        if use.parts:
            with self.block(f"if {value}.__class__ is not Stop:"):
                self.parts(use.parts, use.node.facts, frame)

    def _link_says(self, key: str, frame: Frame) -> None:
        """A record, or what an alias stands for, with own words for what is none."""
        value, says, shape = frame.value, frame.spoken.says, self.plan.shape
        if key in shape.aliases:
            whole = self.part(shape.aliases[key].saying(says), frame)
            self.write(f"{value} = {whole}({value}, {frame.path}, log)")
            return
        test = f"not {frame.bind(is_record, 'is_record')}({value}, {frame.is_text})"
        if frame.reading.is_typed and shape.records[key].form != "dict":
            test += f" and not isinstance({value}, {frame.bind_class(shape.records[key].builder)})"
        with self.unless(frame, Check(test, needs("kind", self.noun("a record", frame), own_words=says))):
            self.write(f"{value} = {self.function_of(key, frame)}({frame.given}, {frame.path}, log)")
