"""Kinds that are written as text, in JSON and elsewhere: one table row each."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

from ...regex.white_space import BLANKS
from ..facts import Bind, Facts, LengthUnit, Order, Sort, Stop
from ..native_forms import Native
from ..phrases import Phrase
from ..sources import Reading
from .base import IN_TEXT, Kind, Reader
from .text import SURROGATE, TEXTS, encodable

if TYPE_CHECKING:
    from random import Random

    from ..wish import Wish


_MOST_BYTES = 12


class TextForm(Kind):
    """A kind that one function reads from text and another writes as text.

    `held` is the Python type it becomes. `read` takes text and gives the value or REFUSED; the ValueError or
    OverflowError that it may raise instead costs more. `write` takes the value and gives text; `example` shows a reader
    what is wanted. `near` are texts at its ends and just past them, `made` values as code makes them; `drawn` makes a
    text of it up. `one_text` says that a value has one text only, `order` how values compare, in words; `core` is the
    name of a native form of its own.
    """

    read_alike: ClassVar[bool] = True
    written_alike: ClassVar[bool] = True
    quick_reader_may_refuse: ClassVar[bool] = True
    may_not_go_out: ClassVar[bool] = True

    name: str
    phrase: str
    held: tuple[type, ...]
    read: Callable[[str], Any]
    write: Callable[[Any], str]
    example: str
    said: Mapping[str, object]
    ordered: bool = False
    order: Order = Order.PLACE
    reason: str = ""
    sort: Sort = Sort.OTHER
    near: tuple[str, ...] = ()
    made: tuple[object, ...] = ()
    drawn: Callable[[Random], str] | None = None
    one_text: bool = False
    core: str = ""

    @cached_property
    def facts(self) -> Facts:
        measured = LengthUnit.BYTES if self.held == (bytes,) else None
        ordered = self.held if self.ordered else ()
        facts = Facts(self.phrase, self.name, measured=measured, ordered=ordered, alike=self.held)
        return facts.replace(sort=self.sort, order=self.order)

    def has_one_form(self, *, released: bool) -> bool:
        return self.one_text or (released and self.sort is not Sort.TIME)

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        if reading is not Reading.TYPED:
            return "False"
        return " or ".join(f"{value}.__class__ is {bind(held, held.__name__)}" for held in self.held)

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        if reading is not Reading.PLAIN:
            return None
        return f"{value}.__class__ is str and {value}.isascii()", f"{bind(self.read, self.read.__name__)}({value})"

    def native(self, reading: Reading) -> Native | None:
        if self.core and (reading.is_json or reading.is_text):
            return Native(self.core)
        return Native("text form", (self.read,)) if reading.is_json else None

    def native_out(self) -> Native | None:
        return Native(self.core) if self.core else None

    def reader(self, reading: Reading) -> Reader:
        words = {"phrase": Phrase(self.phrase), "example": self.example}
        needs = Phrase("{phrase}, such as {example}", **words)
        as_text = Phrase("{phrase} as text, such as {example}", **words)
        kind = Stop("kind", self.phrase if reading is Reading.TYPED else as_text)
        unreadable = Stop("reading", needs)
        read, held = self.read, self.held

        def read_written(value: object) -> object:
            if not isinstance(value, str):
                return kind
            if not value.isascii() and not encodable(value):
                return SURROGATE
            try:
                made = read(value)
            except (ValueError, OverflowError):
                return unreadable
            return unreadable if made.__class__ is Stop else made

        def read_from_text(value: object) -> object:
            return read_written(value.strip(BLANKS) if isinstance(value, str) else value)

        def read_native(value: object) -> object:
            return value if isinstance(value, held) and not isinstance(value, bool) else kind

        if reading is Reading.TYPED:
            return read_native
        return read_from_text if reading is Reading.TEXT else read_written

    @property
    def comes_as(self) -> frozenset[type]:
        return IN_TEXT

    def draw(self, wish: Wish) -> object:
        for bound in (*wish.floors, *wish.ceilings):
            if isinstance(bound, self.held) and wish.random.random() < 0.4:
                return self.write(bound)
        if self.held == (bytes,) and (wish.least or wish.most < _MOST_BYTES):
            return self.write(wish.random.randbytes(wish.count(wish.random.randint(0, _MOST_BYTES))))
        usual = self.drawn is None or wish.random.random() < 0.1
        return self.example if usual or self.drawn is None else self.drawn(wish.random)

    def edges(self) -> Iterable[object]:
        return (self.example, *self.near, *TEXTS)

    def made_in_code(self) -> Iterable[object]:
        return self.made

    def keywords(self) -> Mapping[str, object]:
        return self.said

    def unsaid(self) -> str:
        return self.reason

    def plain(self, value: Any) -> object:
        return self.write(value)

    def release(self, value: str, bind: Bind) -> str:
        return f"{bind(self.write, self.write.__name__)}({value})"
