"""The walk over what a use holds: its stages, single values, collections, unions and records."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import nullcontext

from ...declare.facts import Got, Own
from ...declare.hash_limits import MOST_ALIKE, crowded
from ...declare.kinds import Kind, Text
from ...declare.sealed import Sealed
from ...regex.white_space import BLANKS
from ...shape.nodes import (
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
    Turned,
)
from ...shape.stages import Stages, classes_of, stages_of
from ...shape.uses import Use
from ..hash_limits import spreads
from ..plan import collection, is_text, may_be_blank, tag_reader
from ..runtime import REREAD
from .frame import Frame
from .outcome import DOUBT, Check, FaultWords, Loop, Outcome, needs
from .settled import settled_test

SETS = frozenset(["set", "frozenset"])


class Walk(Outcome):
    """Goes through a use once; what is written at each place is the outcome's affair."""

    def read(self, use: Use, frame: Frame) -> None:
        """Read a value in place, from its variable into the same."""
        if frame.nesting >= self.most_nested:
            self.apart(use, frame)
            return
        frame = frame.at(use, self.plan)
        stages = stages_of(use, frame.reading)
        with self.judged(use, stages, frame):
            if stages.blank:
                with self.block(f"if {self.blank(frame)}:"):
                    self.write(f"{frame.value} = None")
                    self.passed(frame, "blank", "blank text is null")
            if frame.reading.is_half_typed and use.is_reread:
                # What a file has as a list, or as its type, need not be split or read from something else.
                with self.block(f"if {frame.value}.__class__ in {frame.bind(REREAD[bool(use.split)], 'REREAD')}:"):
                    self._staged(use, stages, frame)
                with self.block("else:"):
                    self.node(use, frame)
            else:
                self._staged(use, stages, frame)

    def _staged(self, use: Use, stages: Stages, frame: Frame) -> None:
        """What is done before a node reads a value, and then the node."""
        if stages.made is not None:
            frame = self.came(frame)
            with self.unless(frame, *self.of_classes(classes_of(stages.made), frame)):
                self.parts(stages.parts, stages.facts, frame)
        elif stages.split:
            frame = self.came(frame)
            text = self.not_of(frame, "str", "str", needs("kind", "text to split"))
            with self.lone(frame), self.unless(frame, text):
                inner = self.split(use, stages, frame)
                self.passed(frame, "split", f"at {stages.split!r}", value=frame.value)
                self.node(use, inner)
        elif stages.via is not None:
            mark = self.mark(frame)
            self.passed(frame, "before", f"it is read as {stages.via.facts.phrase}")
            self.read(stages.via, frame)
            inner = frame.read_as(stages.reading).made()
            with self.sound(mark):
                self.node(use, inner.deeper() if mark else inner)
        else:
            self.node(use, frame)

    def node(self, use: Use, frame: Frame) -> None:
        """Read what a use holds, and run its steps and rules."""
        match use.node:
            case Scalar(kind):
                self.single(kind, use, frame)
            case Nothing():
                self.nothing(frame)
            case Choice():
                frame = self.came(frame)
                with self.lone(frame), self.read_choice(use.node, frame):
                    self.passed(frame, "choice", "one of the values that are allowed", "True")
                    self.parts(use.parts, use.node.facts, frame)
            case Items():
                self.items(use.node, use, frame)
            case Fixed():
                self.fixed(use.node, use, frame)
            case Entries():
                self.entries(use.node, use, frame)
            case Branches():
                self.branches(use.node, use, frame)
            case Nullable(inner):
                self.nullable(inner, frame)
            case Sealing(inner):
                self.sealing(inner, frame)
            case Turned():
                self.turned(use.node, use, frame)
            case Link(key) | Alias(key):
                self.link(key, use, frame)

    # Single values

    def single(self, kind: Kind, use: Use, frame: Frame) -> None:
        """A single value: its kind, its reading, then its steps and rules."""
        here = self.kind_here(kind, frame)
        frame = self.came(frame)
        settled = settled_test(use.parts, frame.value, frame.bind) if type(kind) is Text else ""
        with (
            self.lone(frame, several=here.facts.open),
            # What is in its final form already is asked by its rules alone.
            self.block(f"if not ({frame.value}.__class__ is str and {settled}):") if settled else nullcontext(),
            self.read_single(here, use, frame),
        ):
            self.passed_reading(use, frame)
            self.parts(use.parts, use.node.facts, frame)

    def nothing(self, frame: Frame) -> None:
        """Null, or in all-text data what stands for it."""
        blank = f" and not ({self.blank(frame)})" if frame.is_text else ""
        null = Check(f"{frame.value} is not None{blank}", needs("kind", "null", own_words=frame.spoken.says))
        with self.unless(frame, null):
            if blank:
                self.write(f"{frame.value} = None")

    # Collections

    def list_check(self, frame: Frame, into: str) -> Check:
        """The check for what is no list, or of typed values no collection of its sort."""
        said = needs("kind", self.noun("a list", frame), own_words=frame.spoken.says)
        if not frame.reading.is_typed:
            return self.not_of(frame, "list", "(list, tuple)", said)
        deque = collection(self.pen, "deque")
        return self.not_of(frame, collection(self.pen, into), self.typed_lists(into, deque), said)

    def size_check(self, frame: Frame) -> Check:
        """The check for more than the limit on items."""
        most = self.plan.limits.items
        said = needs("size", "at most {most} of them", expected={"most": most}, got=Got.LENGTH)
        return Check(f"len({frame.value}) > {most}", said, counted=True)

    def crowd(self, noun: str) -> FaultWords:
        """What is said of too many values of one hash."""
        return needs(
            "size", f"at most {{most}} different {noun} that share a hash", expected={"most": MOST_ALIKE}, got="more"
        )

    def items(self, node: Items, use: Use, frame: Frame) -> None:
        """Read a collection into a new one: every item, then the rules on the whole."""
        value = frame.value
        if frame.is_text and not frame.circular:
            with self.block(f"if {value}.__class__ is str:"):
                self.write(f"{value} = [{value}]")
        frame = self.came(frame)
        with self.unless(frame, self.list_check(frame, node.into), self.size_check(frame)):
            made = self.variable("made")
            self.write(f"{made} = []")
            watched = node.into in SETS and not spreads(node.item)
            with self.many(frame, made, node.item) as loop:
                crowd_at = self.variable("soon") if watched else ""
                if crowd_at:
                    self.write(f"{crowd_at} = 64")
                with self.block(loop.opening):
                    self.each(node.item, made, loop)
                    if crowd_at:
                        self.look_for_crowd(made, crowd_at, frame, loop.mark)
            with self.sound(loop.mark):
                self.collected(node, made, frame)
            self.parts_of_whole(use, frame, loop.mark)

    def each(self, item: Use, made: str, loop: Loop) -> None:
        """One item of a collection."""
        self.start_of_item(item, loop)
        self.read(item, loop.frame)
        self.write(f"{made}.append({loop.frame.value})")

    def collected(self, node: Items, made: str, frame: Frame) -> None:
        """Build the collection of its items; a set has none twice."""
        value, into = frame.value, collection(self.pen, node.into)
        self_built = node.into == "list"
        if node.into not in SETS:
            self.write(f"{value} = {made if self_built else f'{into}({made})'}")
            return
        alike = Check(f"{frame.bind(crowded, 'crowded')}({made})", self.crowd("items"), DOUBT)
        with self.unless(frame, *(() if spreads(node.item) else (alike,))):
            self.write(f"{value} = {into}({made})")
            again = needs("repeat", "items that differ", got="one of them again")
            self.refuse_if(frame, Check(f"len({value}) != len({made})", again))

    def fixed(self, node: Fixed, use: Use, frame: Frame) -> None:
        """Read a tuple: its first items one by one, and those after them."""
        value, count, tail = frame.value, len(node.items), node.tail
        frame = self.came(frame)
        said = needs("kind", self.noun("a list", frame), own_words=frame.spoken.says)
        tuples = self.not_of(frame, "tuple" if frame.reading.is_typed else "list", "(list, tuple)", said)
        unit = "item" if count == 1 else "items"
        if tail is None:
            exact = needs("count", f"exactly {{exactly}} {unit}", expected={"exactly": count}, got=Got.LENGTH)
            counts = [
                self.size_check(frame)._replace(answer=""),
                Check(f"len({value}) != {count}", exact, counted=True),
            ]
        else:
            least = needs("count", f"at least {{floor}} {unit}", expected={"floor": count}, got=Got.LENGTH)
            counts = [self.size_check(frame), Check(f"len({value}) < {count}", least, counted=True)]
        with self.unless(frame, tuples, *counts):
            names = [self.variable("item") for _ in node.items]
            others = self.variable("others") if tail is not None else ""
            mark = self.mark(frame)
            if names or others:
                starred = f"*{others}" if others else ""
                self.write(f"{', '.join(names)}{', ' if names else ''}{starred} = {value}")
            for index, (name, item) in enumerate(zip(names, node.items, strict=True)):
                self.read(item, frame.part(name, f"{frame.path} + ({index},)"))
            made = ""
            if tail is not None:
                made = self.variable("made")
                self.write(f"{made} = []")
                at = frame.part(others)
                with self.many(at, made, tail, start=count, handed_over=False) as loop, self.block(loop.opening):
                    self.each(tail, made, loop)
            self.write(f"{value} = ({''.join(name + ', ' for name in names)}{f'*{made},' if made else ''})")
            self.parts_of_whole(use, frame, mark)

    def entries(self, node: Entries, use: Use, frame: Frame) -> None:
        """Read a dict: every key and value, then the rules on the whole."""
        key, held = node.key, node.value
        frame = self.came(frame)
        mapping = frame.bind(Mapping, "Mapping")
        said = needs("kind", self.noun("a record", frame), own_words=frame.spoken.says)
        with self.unless(frame, self.not_of(frame, "dict", mapping, said), self.size_check(frame)):
            made = self.variable("made")
            with self.many_entries(frame, made, node) as loop, self.block(loop.opening):
                self.start_of_item(held, loop)
                at_key = self.at_key(key, loop, frame)
                mark = self.mark(frame)
                if not is_text(key):
                    # What stands around a key was not typed by hand: in JSON it is part of the key.
                    at_key = at_key.read_as(frame.reading.of_keys)
                typed_by_hand = at_key.reading is frame.reading
                with nullcontext() if typed_by_hand else self.unless(at_key, self.blanks_around(at_key)):
                    self.read(key, at_key)
                self.refuse_again(at_key, made, mark)
                self.read(held, loop.frame)
                self.keep_entry(node, made, loop, frame, mark)
            self.end_entries(node, made, frame, loop)
            self.parts_of_whole(use, frame, loop.mark)

    def blanks_around(self, frame: Frame) -> Check:
        """The check for blanks around a key that is read as from text."""
        name = frame.value
        stripped = f"{name} != {name}.strip({frame.bind(BLANKS, 'BLANKS')})"
        said = needs("reading", "no blanks around it")
        return self.not_plain_text(frame, stripped, said)

    # What is around another

    def nullable(self, inner: Use, frame: Frame) -> None:
        """Read what is inside unless it is null."""
        if may_be_blank(inner, frame.reading, self.plan.shape.aliases):
            with self.block(f"if {self.blank(frame)}:"):
                self.write(f"{frame.value} = None")
        self.passed_null(frame)
        with self.block(f"if {frame.value} is not None:"):
            self.read(inner, frame.deeper())

    def sealing(self, inner: Use, frame: Frame) -> None:
        """Read what is inside, and seal it; what is sealed already is opened before."""
        value, sealed = frame.value, frame.bind(Sealed, "Sealed")
        mark = self.mark(frame)
        unsealed = Check(f"{value}.__class__ is not {sealed}", needs("kind", "a sealed value"))
        with self.unless(frame, unsealed) if frame.reading.is_typed else nullcontext():
            if frame.reading.is_typed:
                self.write(f"{value} = {value}.opened()")
            elif frame.reading.is_half_typed:
                with self.block(f"if {value}.__class__ is {sealed}:"):
                    self.write(f"{value} = {value}.opened()")
            self.read(inner, frame.made().deeper())
        with self.sound(mark):
            self.write(f"{value} = {sealed}({value})")
            self.passed(frame, "sealed", "it shows itself to nobody")

    def of_classes(self, classes: tuple[type, ...], frame: Frame) -> tuple[Check, ...]:
        """The check for what is of none of the classes that values of a type of the developer's own are of."""
        if not classes:
            return ()
        names = ", ".join(frame.bind_class(each) for each in classes)
        words = " or ".join(each.__name__ for each in classes)
        said = needs("kind", "a value of the class {type}", expected={"type": words}, own_words=frame.spoken.says)
        return (Check(f"not isinstance({frame.value}, ({names},))", said),)

    def turned(self, node: Turned, use: Use, frame: Frame) -> None:
        """A value that goes out as what a function makes of it: it is judged, and so is that."""
        frame = self.came(frame)
        mark = self.mark(frame)
        with self.unless(frame, *self.of_classes(node.of, frame)):
            if node.typed is not None:
                self.read(node.typed, frame.deeper())
            with self.sound(mark):
                self.parts(use.parts, node.facts, frame)
                with self.sound(mark):
                    plainly = self.variable("plainly")
                    with self.asking(f"{plainly} = {frame.bind(Own(node.back), 'BACK')}({frame.value})", frame):
                        self.read(node.inner, frame.part(plainly).deeper())

    # Unions

    def branches(self, node: Branches, use: Use, frame: Frame) -> None:
        """Read by the option that the tag tells, or by one of all."""
        frame = self.came(frame)
        mark = self.mark(frame)
        if node.tag and not frame.reading.is_typed:
            self.tagged(node, frame)
        elif node.tag and not node.held and not self.plan.outgoing:
            self.tagged_typed(node, frame)
        else:
            self.options(node, frame)
        if use.parts:
            with self.sound(mark):
                self.parts(use.parts, use.node.facts, frame)

    def tagged(self, node: Branches, frame: Frame) -> None:
        """Read by the option that the tag tells: what came is a record, or what stands beside the tag."""
        value, key = frame.value, frame.bind(node.tag, "TAG")
        mapping = frame.bind(Mapping, "Mapping")
        absent = needs("absent", "a value")
        checks = [
            self.not_of(frame, "dict", mapping, needs("kind", self.noun("a record", frame))),
            Check(f"{key} not in {value}", absent, "", f"({key},)", "None"),
        ]
        if node.held:
            held = frame.bind(node.held, "HELD")
            told = {"tag": node.tag, "held": node.held}
            longer = needs("unknown", "{tag} and {held}, and nothing else", expected=told, got="more")
            checks.append(Check(f"{held} not in {value}", absent, "", f"({held},)", "None"))
            checks.append(Check(f"len({value}) != 2", longer, given="None"))
        with self.unless(frame, *checks):
            which = self.variable("which")
            self.write(f"{which} = {tag_reader(frame, node, self.plan, frame.reading)}({value}[{key}])")
            inner, outer = frame, value
            if node.held:
                outer = self.variable("outer")
                self.write(f"{outer}, {value} = {value}, {value}[{held}]")
                inner = frame.part(value, f"{frame.path} + ({held},)")
            self.tag_tells(node, frame, which, f"{outer}[{key}]")
            self.by_number(node, which, inner)
            with self.block("else:"):
                self.no_option(node, frame, key, f"{outer}[{key}]")

    def by_number(self, node: Branches, which: str, frame: Frame) -> None:
        """Read by the option of a number; an else may follow."""
        for number, option in enumerate(node.options):
            with self.block(f"{'if' if not number else 'elif'} {which} == {number}:"):
                self.read(option, frame.deeper())
