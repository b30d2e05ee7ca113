"""`Any` and `object`: whatever plain data came, copied."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from decimal import Decimal
from functools import cached_property
from typing import TYPE_CHECKING, Any, ClassVar

from ..facts import ANY_VALUE, Bind, Facts, Stop
from ..sources import Reading
from .base import PLAIN, Kind, Reader
from .never import NotInData
from .number import TOO_LONG
from .text import SURROGATE, TEXTS, encodable

if TYPE_CHECKING:
    from ..steps import Step
    from ..wish import Wish

_DRAWN: tuple[Any, ...] = ("some text", 7, 2.5, True, None, ["a", "b"], {"one": 4})
_KIND = Stop("kind", "a JSON value")
_DEEP = Stop("depth", "data that is not as deep")
_LONG = Stop("size", "a number of at most 4300 digits")
_FINITE = Stop("reading", "finite numbers, as a double holds them")


class _UnfitValue(Exception):
    def __init__(self, stop: Stop) -> None:
        self.stop = stop


def copied(value: Any, left: int) -> Any:
    """A copy of plain JSON data, at most `left` deep."""
    kind = value.__class__
    if kind is str:
        if value.isascii() or encodable(value):
            return value
        raise _UnfitValue(SURROGATE)
    if kind is int or kind is bool or value is None:
        return value
    if kind is float:
        if value - value == 0.0:
            return value
        raise _UnfitValue(_FINITE)
    if left <= 0:
        raise _UnfitValue(_DEEP)
    if not value and (kind is dict or kind is list):
        return kind()
    if kind is dict or isinstance(value, Mapping):
        for key in value:
            if not isinstance(key, str):
                raise _UnfitValue(_KIND)
        return {key: copied(each, left - 1) for key, each in value.items()}
    if isinstance(value, (list, tuple)):
        return [copied(each, left - 1) for each in value]
    if isinstance(value, Decimal):
        if not value.is_finite():
            raise _UnfitValue(_FINITE)
        return copied(int(value) if value == value.to_integral_value() and abs(value) < 10**15 else float(value), left)
    if isinstance(value, (str, int, float)):
        base = str if isinstance(value, str) else int if isinstance(value, int) else float
        return copied(base(value), left)
    raise _UnfitValue(_KIND)


def kept(value: Any, left: int) -> Any:
    """Plain JSON data as it is, Decimals among it; a copy, at most `left` deep."""
    if isinstance(value, Decimal):
        if value.is_finite():
            return value
        raise _UnfitValue(_FINITE)
    if isinstance(value, (Mapping, list, tuple)) and left <= 0:
        raise _UnfitValue(_DEEP)
    if isinstance(value, Mapping):
        if not all(isinstance(key, str) for key in value):
            raise _UnfitValue(_KIND)
        return {copied(key, 0): kept(each, left - 1) for key, each in value.items()}
    if isinstance(value, (list, tuple)):
        return [kept(each, left - 1) for each in value]
    if isinstance(value, int) and abs(value) >= TOO_LONG:
        raise _UnfitValue(_LONG)
    return copied(value, left)


class Anything(Kind):
    """Any plain data; with `native` values any object at all."""

    as_it_comes: ClassVar[bool] = True

    depth: int = 64

    @property
    def facts(self) -> Facts:
        return ANY_VALUE

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "True" if reading is Reading.TYPED else "False"

    def reader(self, reading: Reading) -> Reader:
        depth = self.depth

        def read_anything(value: object) -> object:
            if isinstance(value, str) and value.__class__ is str:
                return value if value.isascii() or encodable(value) else SURROGATE
            try:
                return copied(value, depth)
            except _UnfitValue as unfit:
                return unfit.stop

        return read_anything

    @property
    def comes_as(self) -> frozenset[type]:
        return PLAIN

    def draw(self, wish: Wish) -> object:
        return wish.random.choice(_DRAWN)

    def edges(self) -> Iterable[object]:
        return TEXTS

    def made_in_code(self) -> Iterable[object]:
        return (object(), Decimal("1.50"), [1, (2,)], {"a": {1: 2}}, "\ud800", math.nan, None, 10**5000)

    def within(self, depth: int) -> Kind:
        return self.replace(depth=depth)

    def outgoing(self) -> tuple[Kind, tuple[Step, ...]]:
        return PlainData(), ()

    def keywords(self) -> Mapping[str, object]:
        return {}

    def plain(self, value: Any) -> object:
        return value


class PlainData(Anything):
    """What goes out where anything may: it is plain data already, and no object of another kind."""

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def reader(self, reading: Reading) -> Reader:
        depth = self.depth

        def read_plain(value: object) -> object:
            try:
                return kept(value, depth)
            except _UnfitValue as unfit:
                return unfit.stop

        return read_plain


class ReadAlready(NotInData):
    """A typed value that another engine has read: it is taken as it is."""

    @cached_property
    def facts(self) -> Facts:
        return Facts("a value", "value")

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "True"

    def reader(self, reading: Reading) -> Reader:
        return lambda value: value

    def plain(self, value: Any) -> object:
        return value
