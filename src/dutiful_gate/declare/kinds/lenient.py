"""Kinds that take text for numbers and numbers for text, where a developer asks for that."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import TYPE_CHECKING, Any

from ..facts import Bind, Facts, Stop
from ..sources import Reading
from .base import Kind, Reader

if TYPE_CHECKING:
    from ..wish import Wish


class Lenient(Kind):
    """Another kind, read less strictly."""

    inner: Kind

    @property
    def facts(self) -> Facts:
        return self.inner.facts

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return self.inner.ready(reading, value, bind)

    def quick_reader(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        return self.inner.quick_reader(reading, value, bind)

    def has_one_form(self, *, released: bool) -> bool:
        return self.inner.has_one_form(released=released)

    def reader(self, reading: Reading) -> Reader:
        strict = self.inner.reader(reading)
        loose = self.inner.loose
        if loose is None:
            return strict

        def read_leniently(value: object) -> object:
            read = strict(value)
            if not isinstance(read, Stop):
                return read
            found = loose(value)
            # What fits neither way is told in the strict reader's words.
            return read if isinstance(found, Stop) and found.code == "kind" else found

        return read_leniently

    @cached_property
    def comes_as(self) -> frozenset[type]:
        read = self.reader(Reading.PLAIN)
        truths = any(not isinstance(read(truth), Stop) for truth in (True, False))
        return frozenset([str, int, float, bool] if truths else [str, int, float])

    @property
    def strict(self) -> Kind:
        return self.inner

    @property
    def refuses_quickly(self) -> bool:
        return self.inner.refuses_quickly

    @property
    def exact(self) -> bool:
        return self.inner.exact

    @property
    def key_pattern(self) -> str:
        return self.inner.key_pattern

    def draw(self, wish: Wish) -> object:
        return self.inner.draw(wish)

    def edges(self) -> Iterable[object]:
        return (*self.inner.edges(), "42", " 42 ", "4_2", "yes", "OFF", "2", "1.0", "\u0664\u0662", "1e3")

    def made_in_code(self) -> Iterable[object]:
        return self.inner.made_in_code()

    def keywords(self) -> Mapping[str, object]:
        return self.inner.keywords()

    def unsaid(self) -> str:
        return self.inner.unsaid()

    def plain(self, value: Any) -> object:
        return self.inner.plain(value)

    def release(self, value: str, bind: Bind) -> str:
        return self.inner.release(value, bind)
