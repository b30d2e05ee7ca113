"""`Never`: no value at all."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from ..facts import Bind, Facts, Stop
from ..sources import Reading
from .base import Kind, Reader

_NOTHING: Final = Stop("kind", "no value at all")


def _refused(value: object) -> object:
    return _NOTHING


class Nobody(Kind):
    """What no value is of: a field that may only be absent, items of a list that must be empty."""

    @property
    def facts(self) -> Facts:
        return Facts("no value", "type without values")

    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        return "False"

    def reader(self, reading: Reading) -> Reader:
        return _refused

    def keywords(self) -> Mapping[str, object]:
        return {"not": {}}

    def plain(self, value: object) -> object:
        return value
