"""What differs between the functions that a walk writes: the verbs that an outcome gives it.

A verb that wraps what follows is a context: what stands straight on in a quick function, which leaves at once, stands
under an `else:` in a telling one, which goes on.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager
from typing import Any, ClassVar, NamedTuple

from ...codegen.writer import Block
from ...declare.facts import Facts
from ...declare.hash_limits import crowded
from ...declare.kinds import Kind
from ...declare.kinds.half_typed import HalfTyped
from ...declare.rules import Rule
from ...declare.steps import Step
from ...regex.white_space import is_blank
from ...shape.nodes import Branches, Choice, Entries
from ...shape.stages import Stages
from ...shape.uses import Use
from ..plan import Plan
from .frame import Frame
from .pen import Pen

REFUSE = "return REFUSED"
"""What surely is unsound: the telling function would say so too."""

DOUBT = "return UNSURE"
"""What the telling function may admit: no other option of a union is tried then."""

_IN_JSON = {
    "a list": "an array",
    "a record": "an object",
    "text, a list or a record": "text, an array or an object",
    "text or a list": "text or an array",
}


class FaultWords(NamedTuple):
    """What a fault says: its code, what would pass, what is known of the value, and what else its cause holds."""

    code: str
    words: str
    facts: Facts | None
    cause_words: dict[str, Any]


def needs(code: str, words: str, facts: Facts | None = None, **cause_words: Any) -> FaultWords:
    """What a fault says."""
    return FaultWords(code, words, facts, cause_words)


class Check(NamedTuple):
    """A test that is true where something is wrong, and what is said then.

    `answer`   what a quick function does then; "" where another of its tests sees to it
    `under`    the source of what follows the path to the place of the fault
    `given`    the source of what came there; "" for that of the frame
    `counted`  whether the value is measured for what is told
    """

    test: str
    needs: FaultWords
    answer: str = REFUSE
    under: str = ""
    given: str = ""
    counted: bool = False


class Loop(NamedTuple):
    """A loop over what a collection holds.

    `opening`  its `for`
    `frame`    that of an item, or of the value of an entry
    `mark`     of what was sound before it
    `enough`   the variable of how many faults there are when the limit is reached; "" where nothing is told
    `alone`    whether an item stands alone, without a key that may be at fault too
    `parted`   whether it is a part of a text
    `key`      the variable of the key of an entry, and `crowd` that of what counts the keys of one hash
    """

    opening: str
    frame: Frame
    mark: str = ""
    enough: str = ""
    alone: bool = True
    parted: bool = False
    key: str = ""
    crowd: str = ""


class Outcome(ABC):
    """What writes functions of one sort."""

    most_nested: ClassVar[int]
    """How many blocks may stand in each other before what follows is a function of its own."""
    leaves_loop: ClassVar[str]
    """What is done where too many values share a hash."""

    def __init__(self, plan: Plan, pen: Pen) -> None:
        self.plan = plan
        self.pen = pen

    # The pen

    def write(self, line: str) -> None:
        """One line."""
        self.pen.write(line)

    def block(self, opening: str) -> Block:
        """A compound statement."""
        return self.pen.block(opening)

    def variable(self, word: str) -> str:
        """A new local variable."""
        return self.pen.variable(word)

    # Verbs

    @abstractmethod
    def came(self, frame: Frame) -> Frame:
        """Keep what came before it is read, where it is told of."""

    @abstractmethod
    def unless(self, frame: Frame, *checks: Check) -> AbstractContextManager[object]:
        """What follows is for a value that passes checks; the first that is true is told."""

    @abstractmethod
    def mark(self, frame: Frame) -> str:
        """Where what is wrong from here on begins; "" where it need not be known."""

    @abstractmethod
    def sound(self, mark: str) -> AbstractContextManager[object]:
        """What follows is for what nothing was wrong with since a mark."""

    @abstractmethod
    def not_of(self, frame: Frame, exactly: str, loosely: str, said: FaultWords) -> Check:
        """The check that a value is of a class: `exactly` of one as a rule, or `loosely` of some."""

    @abstractmethod
    def apart(self, use: Use, frame: Frame) -> None:
        """Read a value by a function of its own."""

    @abstractmethod
    def judged(self, use: Use, stages: Stages, frame: Frame) -> AbstractContextManager[object]:
        """Around the reading of a use: documents beside it judge what came, and something stands in for what fails."""

    @abstractmethod
    def split(self, use: Use, stages: Stages, frame: Frame) -> Frame:
        """Split a text into the parts that a node is read from."""

    @abstractmethod
    def read_single(self, kind: Kind, use: Use, frame: Frame) -> AbstractContextManager[object]:
        """Read a single value of a kind; what follows is for what could be read."""

    @abstractmethod
    def read_choice(self, node: Choice, frame: Frame) -> AbstractContextManager[object]:
        """Find the constant that came; what follows is for one that was found."""

    @abstractmethod
    def many(
        self, frame: Frame, made: str, item: Use, *, start: int = 0, handed_over: bool = True
    ) -> AbstractContextManager[Loop]:
        """Around the loop over items, from the place `start` on, of which `made` is made.

        `handed_over` tells that what a quick function made of the first of many is kept for the telling one.
        """

    @abstractmethod
    def start_of_item(self, item: Use, loop: Loop) -> None:
        """What is done before each of many is read."""

    @abstractmethod
    def many_entries(self, frame: Frame, made: str, node: Entries) -> AbstractContextManager[Loop]:
        """Around the loop over the entries of a dict."""

    @abstractmethod
    def at_key(self, key: Use, loop: Loop, whole: Frame) -> Frame:
        """The frame of the key of an entry."""

    @abstractmethod
    def not_plain_text(self, frame: Frame, test: str, said: FaultWords) -> Check:
        """The check for a text of which a test is true."""

    @abstractmethod
    def refuse_again(self, frame: Frame, made: str, mark: str) -> None:
        """Tell a key that came before, where that can be seen at once."""

    @abstractmethod
    def keep_entry(self, node: Entries, made: str, loop: Loop, whole: Frame, mark: str) -> None:
        """Keep an entry, where nothing was wrong with it since a mark."""

    @abstractmethod
    def end_entries(self, node: Entries, made: str, frame: Frame, loop: Loop) -> None:
        """What all entries make is the value."""

    @abstractmethod
    def options(self, node: Branches, frame: Frame) -> None:
        """Read by one of the options of a union."""

    @abstractmethod
    def tagged_typed(self, node: Branches, frame: Frame) -> None:
        """The same of typed values, which may be dicts that have a tag."""

    @abstractmethod
    def no_option(self, node: Branches, frame: Frame, key: str, given: str) -> None:
        """The tag under a key is none of an option."""

    @abstractmethod
    def link(self, key: str, use: Use, frame: Frame) -> None:
        """Read a record, or what an alias stands for."""

    @abstractmethod
    def typed_lists(self, into: str, deque: str) -> str:
        """The classes of typed values that may be taken for a collection."""

    @abstractmethod
    def parts(self, parts: Sequence[Step | Rule], facts: Facts, frame: Frame) -> None:
        """Run steps and rules in order."""

    @abstractmethod
    def asking(self, doing: str, frame: Frame) -> AbstractContextManager[None]:
        """Around what follows where a function of the developer's own answered; a ValueError it raises refuses."""

    @abstractmethod
    def parts_of_whole(self, use: Use, frame: Frame, mark: str) -> None:
        """The same for a collection: what only counts is asked though something in it failed."""

    def passed(self, frame: Frame, what: str, words: str = "", holds: str = "None", value: str = "") -> None:  # noqa: B027
        """A value has passed a stage: told to those who ask why (see `tracing.py`), and to nobody else."""

    def passed_reading(self, use: Use, frame: Frame) -> None:  # noqa: B027
        """The same of a single value that was read."""

    def passed_fallback(self, frame: Frame) -> None:  # noqa: B027
        """The same of what stands in for a value that was refused."""

    def tag_tells(self, node: Branches, frame: Frame, which: str, tag: str) -> None:  # noqa: B027
        """The same of a union: the option that its tag tells."""

    def passed_null(self, frame: Frame) -> None:  # noqa: B027
        """The same of what may be null."""

    # What outcomes share

    def noun(self, phrase: str, frame: Frame) -> str:
        """A list or record in the words of the source: JSON has its own, which clients read."""
        return _IN_JSON.get(phrase, phrase) if frame.source.in_json else phrase

    def kind_here(self, kind: Kind, frame: Frame) -> Kind:
        """A kind within the limits, as it is read here."""
        kind = self.plan.fitted(kind)
        return HalfTyped(kind) if frame.reading.is_half_typed else kind

    def blank(self, frame: Frame) -> str:
        """The test for what stands for nothing in all-text data; what begins with a usual character surely does not."""
        value = frame.value
        usual = f"{value}.__class__ is str and '!' <= {value}[:1] <= '~'"
        return f"not ({usual}) and {frame.bind(is_blank, 'is_blank')}({value})"

    def refuse_if(self, frame: Frame, check: Check) -> None:
        """A check that nothing depends on."""
        with self.unless(frame, check):
            pass

    @contextmanager
    def lone(self, frame: Frame, *, several: bool = False) -> Iterator[None]:
        """In all-text sources a key may come several times, as a list: here it may come once, but for `several`."""
        if not (frame.is_text and frame.source.repeats):
            yield
            return
        value = frame.value
        with self.block(f"if {value}.__class__ is list and len({value}) == 1:"):
            kept = f"{frame.given} = " if frame.given != value and frame.given.isidentifier() else ""
            self.write(f"{kept}{value} = {value}[0]")
        if several:
            yield
            return
        only_one = needs("repeat", "one value", got="several")
        with self.unless(frame, Check(f"{value}.__class__ is list", only_one, answer="")):
            yield

    def look_for_crowd(self, made: str, crowd_at: str, frame: Frame, mark: str) -> None:
        """Look whether too many of the values share a hash: early, and then ever more rarely."""
        with self.sound(mark), self.block(f"if len({made}) >= {crowd_at}:"):
            self.write(f"{crowd_at} *= 8")
            with self.block(f"if {frame.bind(crowded, 'crowded')}({made}):"):
                self.write(self.leaves_loop)
