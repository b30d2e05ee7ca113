"""`Never`: no value at all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import TYPE_CHECKING, Final

from ..facts import Bind, Facts, Stop
from ..sources import Reading
from .base import Kind, Reader

if TYPE_CHECKING:
    from ..wish import Wish

_NOTHING: Final = Stop("kind", "no value at all")


def _refused(value: object) -> object:
    return _NOTHING


class NotInData(Kind):
    """What no data holds: nothing is drawn of it, and a document refuses all."""

    @property
    def comes_as(self) -> frozenset[type]:
        return frozenset()

    def draw(self, wish: Wish) -> object:
        return None

    def edges(self) -> Iterable[object]:
        return ()

    def made_in_code(self) -> Iterable[object]:
        return ()

    def keywords(self) -> Mapping[str, object]:
        return {"not": {}}


class Nobody(NotInData):
    """What no value is of: a field that may only be absent, items of a list that must be empty."""

    @cached_property
    def facts(self) -> Facts:
        return Facts("no value", "type without values")

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def reader(self, reading: Reading) -> Reader:
        return _refused

    def plain(self, value: object) -> object:
        return value
