"""What all writers of a gate's functions share: the plan, the place that is being written, and what may be shown."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from ..codegen.writer import Writer
from ..declare.facts import Own
from ..declare.hash_limits import crowded
from ..declare.kinds import Kind
from ..declare.kinds.half_typed import HalfTyped
from ..declare.records import RecordCheck
from ..declare.sources import Reading, Source
from ..shape.nodes import Record, Use
from ..shape.walk import holds_secret
from . import handover as begun
from .own_functions import asking, carried
from .plan import Plan

_IN_JSON = {
    "a list": "an array",
    "a record": "an object",
    "text, a list or a record": "text, an array or an object",
    "text or a list": "text or an array",
}


class EngineWriter(Writer):
    """A writer of functions for one plan.

    `hidden` is true while what is inside a secret is written, `outlined` while the value at hand holds a secret: the
    first shows nothing of what came, the second only that it is a list or record, and of how many. `shy` is true beside
    such a value in a union: what came in the place of the one may have been meant for the other.
    """

    def __init__(self, plan: Plan) -> None:
        super().__init__()
        self.plan = plan
        self.source = plan.source
        self.reading = plan.reading
        self.hidden = False
        self.outlined = False
        self.shy = False
        self.where = plan.shape.name
        self.carries = False
        # What is written is a type that leads to itself: of all-text data a text alone is no list of it.
        self.circular = False
        self.kept: dict[type, str] = {}
        self._carried: dict[tuple[int, str, bool], object] = {}

    def bind(self, constant: object, hint: str) -> str:
        """A name for a constant; a function of the developer's own is bound so that what it raises is told apart."""
        if constant.__class__ is Own:
            self.carries = True
            mark = (id(constant.function), self.where, self.outlined)
            if mark not in self._carried:
                self._carried[mark] = carried(constant, self.where, hidden=self.outlined)
            constant = self._carried[mark]
        return super().bind(constant, hint)

    def says_no(self, check: RecordCheck, value: str) -> str:
        """The test that a function of a record's says no: anything that is not true, but None."""
        said = self.variable("said")
        return f"({said} := {self.bind(Own(check.function), 'CHECK')}({value})) is not None and not {said}"

    def computed(self, record: Record, attribute: str) -> str:
        """A name for the function that asks a record for a property that goes out."""
        outlined, self.outlined = self.outlined, self.hidden or record.key in self.plan.shape.guarded
        where, self.where = self.where, f"{record.name}.{attribute}"
        name = self.bind(asking(attribute), "COMPUTED")
        self.outlined, self.where = outlined, where
        return name

    @contextmanager
    def inside(self, key: str) -> Iterator[None]:
        """Write what is inside a record or an alias."""
        before, self.circular = self.circular, key in self.plan.shape.aliases
        yield
        self.circular = before

    def noun_of(self, key: str) -> str:
        """What is behind a key of the shape, for the name of its function."""
        return "alias" if key in self.plan.shape.aliases else "record"

    def soon(self) -> str:
        """A variable for how many values are read before it is first looked whether too many share a hash."""
        name = self.variable("soon")
        self.write(f"{name} = 64")
        return name

    @contextmanager
    def looked_at_soon(self, made: str, soon: str) -> Iterator[None]:
        """Write what is done where too many of the values share a hash: looked at early, and then ever more rarely."""
        with self.block(f"if len({made}) >= {soon}:"):
            self.write(f"{soon} *= 8")
            with self.block(f"if {self.bind(crowded, 'crowded')}({made}):"):
                yield

    def handed(self, function: Callable[..., Any], value: str, held: Sequence[Use], *more: str) -> str:
        """A call with what tells large collections of `held` apart: the data, and where it stands."""
        return f"{self.bind(function, function.__name__)}({', '.join((value, self.site(held), *more))})"

    def site(self, held: Sequence[Use], separator: str = "") -> str:
        """The name of what tells where a collection stands, or the text that is split into one."""
        return self.bind((*map(id, held), self.source, self.reading, separator), "SITE")

    def is_large(self, value: str) -> str:
        """A test for a collection that is worth handing over."""
        return f"len({value}) > {begun.LARGE}"

    @contextmanager
    def at(self, use: Use) -> Iterator[None]:
        """Write what is about a use, and shown as its secrets allow."""
        before = self.hidden, self.outlined, self.inline
        around = self.source, self.reading
        if use.source is not None:
            self.source, self.reading = use.source, use.source.reading
        self.hidden = self.hidden or use.secret
        self.outlined = self.hidden or self.shy or holds_secret(use, self.plan.shape.guarded)
        self.inline = not self.hidden
        yield
        self.hidden, self.outlined, self.inline = before
        self.source, self.reading = around

    def noun(self, phrase: str) -> str:
        """A list or record in the words of the source: JSON has its own, which clients read."""
        return _IN_JSON.get(phrase, phrase) if self.source.in_json else phrase

    def kind_here(self, kind: Kind) -> Kind:
        """A kind within the limits, as it is read here."""
        kind = self.plan.fitted(kind)
        return HalfTyped(kind) if self.reading is Reading.MIXED else kind

    @contextmanager
    def reading_as(self, reading: Reading) -> Iterator[None]:
        """Write what is read in another way for a while."""
        before, self.reading = self.reading, reading
        yield
        self.reading = before

    @contextmanager
    def reading_from(self, source: Source, reading: Reading) -> Iterator[None]:
        """Write what is read from a source, in one of its ways."""
        before, self.source = self.source, source
        with self.reading_as(reading):
            yield
        self.source = before
