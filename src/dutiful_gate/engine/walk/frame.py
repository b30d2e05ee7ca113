"""Where a walk is: the frame that it hands down, and never changes."""

from __future__ import annotations

from typing import Any, NamedTuple, NoReturn, Self

from ...declare.facts import Own
from ...declare.sources import Reading, Source
from ...shape.shape import Record
from ...shape.uses import Use
from ...shape.walk import holds_secret
from ..plan import Plan
from .pen import Pen


class Shown(NamedTuple):
    """What may be shown of what came.

    `hidden`    nothing: it is inside a secret
    `outlined`  only that it is a list or record, and of how many: it holds a secret, or is hidden
    `beside`    in a union, what came in the place of one option may have been meant for another that holds a secret
    """

    hidden: bool = False
    outlined: bool = False
    beside: bool = False


class Spoken(NamedTuple):
    """How what is wrong here is told.

    `label`   what people call the field
    `of_key`  it is told of the key of an entry, not of the value under it
    `says`    own words for what cannot be read
    """

    label: str = ""
    of_key: bool = False
    says: str | None = None


class Aim(NamedTuple):
    """What is wanted of a quick function, beside the answer.

    `notes_unknown`  it gives up on keys that nobody declared, so that they are told
    `only_asks`      only whether there is a value is asked: which option of a union gives it does not matter
    `disposable`       what it makes is used nowhere else once it gives up
    `is_option`      another option of a union may be tried after it: what does not fit is told from what is in doubt
    """

    notes_unknown: bool = False
    only_asks: bool = False
    disposable: bool = False
    is_option: bool = False


class Frame:
    """Where a walk is: which variable is read, from what, and what may be shown of it.

    `pen`       what all that is written goes to
    `source`    what the data is here, and `reading` how a value is read from it
    `value`     the variable of the value at hand; `given` that of what came in its place, for what is told of it
    `path`      the source of its path in the data
    `where`     the record and field it is in, for what own functions raise
    `shown`     what may be shown of it, and `spoken` how what is wrong with it is told
    `nesting`   how many blocks deep it is: too deep, and what follows is a function of its own
    `inside`    the records and aliases that are written in place around it
    `circular`  it is an alias that leads to itself: of all-text data a text alone is no list of it
    `parted`    the variable of a text that was split, and on what
    `aim`       what a quick function is asked
    """

    pen: Pen
    source: Source
    reading: Reading
    value: str
    given: str
    path: str
    where: str
    shown: Shown
    spoken: Spoken
    nesting: int
    inside: tuple[str, ...]
    circular: bool
    parted: tuple[str, str] | None
    aim: Aim

    def __init__(self, plan: Plan, pen: Pen) -> None:
        """That of the whole, in the variable `data`."""
        self.__dict__.update(
            pen=pen,
            source=plan.source,
            reading=plan.reading,
            value="data",
            given="data",
            path="path",
            where=plan.shape.name,
            shown=Shown(),
            spoken=Spoken(),
            nesting=0,
            inside=(),
            circular=False,
            parted=None,
            aim=Aim(),
        )

    def __setattr__(self, name: str, value: object) -> NoReturn:
        raise AttributeError("a frame does not change")

    def inner(self, **changes: Any) -> Self:
        """A copy with some of it changed."""
        made = object.__new__(type(self))
        made.__dict__.update(self.__dict__)
        made.__dict__.update(changes)
        return made

    @property
    def hidden(self) -> bool:
        """Whether nothing of what came may be shown."""
        return self.shown.hidden

    @property
    def is_text(self) -> bool:
        """Whether all the data is text."""
        return self.reading.is_text

    def at(self, use: Use, plan: Plan) -> Self:
        """The same for what stands at a use: shown as its secrets allow."""
        hidden, _, beside = self.shown
        hidden = hidden or use.secret
        outlined = hidden or beside or holds_secret(use, plan.shape.guarded)
        changes: dict[str, Any] = {}
        if self.shown != (hidden, outlined, beside):
            changes["shown"] = Shown(hidden, outlined, beside)
        if use.says != self.spoken.says:
            changes["spoken"] = self.spoken._replace(says=use.says)
        if use.source is not None:
            changes["source"], changes["reading"] = use.source, use.source.reading
        return self.inner(**changes) if changes else self

    def read_as(self, reading: Reading) -> Self:
        """The same read in another way."""
        return self if reading is self.reading else self.inner(reading=reading)

    def part(self, value: str, path: str = "", **changes: Any) -> Self:
        """That of a part of the value."""
        return self.inner(**{"value": value, "given": value, "path": path or self.path, "parted": None, **changes})

    def made(self) -> Self:
        """The same of a value that something was made of before it is read."""
        return self.inner(given=self.value)

    def deeper(self) -> Self:
        """The same, one block deeper."""
        return self.inner(nesting=self.nesting + 1)

    def within(self, record: Record, plan: Plan) -> Self:
        """That of a record as a whole, which may hold a secret."""
        hidden, _, beside = self.shown
        return self.inner(where=record.name, shown=Shown(hidden, hidden or record.key in plan.shape.guarded, beside))

    # What rules, steps and kinds are handed

    def bind(self, constant: object, hint: str) -> str:
        """A name for a constant; a function of the developer's own is bound so that what it raises is told apart.

        Inside a secret numbers are bound like everything else: a line of source that a traceback shows has none.
        """
        if constant.__class__ is Own:
            constant = self.pen.own(constant, self.where, hidden=self.shown.outlined)
        elif constant.__class__ is int and self.shown.hidden:
            return self.pen.named(constant, hint)
        return self.pen.bind(constant, hint)

    def bind_class(self, declared: type) -> str:
        """A name for a class of the developer's."""
        return self.pen.bind_class(declared)

    def key(self, name: str, *, trusted: bool) -> str:
        """A key of the data as source."""
        return self.pen.key(name, trusted=trusted)
