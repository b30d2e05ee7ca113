"""A document beside a type: what the data must be before anything is read from it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import Any

from .before_reading import Turn


class Embedded(Turn, ABC):
    """Judges plain JSON data as it came, beside the type that reads it; see `obeys_document`."""

    @abstractmethod
    def sound(self, data: Any) -> bool:
        """Whether the data will do."""

    @abstractmethod
    def told(self, data: Any) -> Sequence[tuple[Any, ...]]:
        """What is wrong with it: path, cause, what came and its value, for each fault."""

    @abstractmethod
    def keywords(self) -> Mapping[str, Any]:
        """What it says, as keywords of 2020-12."""

    @abstractmethod
    def __str__(self) -> str:
        """The rule as a developer wrote it."""

    def __hash__(self) -> int:
        return hash(str(self))
