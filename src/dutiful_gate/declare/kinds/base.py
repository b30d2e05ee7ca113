"""What every kind of single value is: how it is read from each source, and its JSON Schema keywords."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from typing import Any

from ..facts import Bind, Facts
from ..sources import Reading
from ..values import Value

Reader = Callable[[Any], Any]
"""Takes what came, gives back the value or a `Stop`. Never raises."""


class Kind(Value, ABC):
    """A kind of single value. To add a kind is to add a subclass."""

    @property
    @abstractmethod
    def facts(self) -> Facts:
        """What rules and steps may know of such a value."""

    @abstractmethod
    def ready(self, reading: Reading, value: str, bind: Bind) -> str:
        """Python source that is true only when `value` needs no reading; "False" when it always does."""

    def swift(self, reading: Reading, value: str, bind: Bind) -> tuple[str, str] | None:
        """A test and an expression for a common case that is read by the expression alone, if there is one.

        The expression may raise ValueError: generated code gives up then, and looks more closely.
        """
        return None

    @abstractmethod
    def reader(self, reading: Reading) -> Reader:
        """The function that reads what was not ready."""

    @abstractmethod
    def keywords(self) -> Mapping[str, object]:
        """JSON Schema keywords for what a client sends."""

    def unsaid(self) -> str:
        """Why the keywords do not say all of it, "" when they do."""
        return ""

    @abstractmethod
    def plain(self, value: Any) -> object:
        """The value as plain JSON data."""

    def release(self, value: str, bind: Bind) -> str:
        """Python source of the plain JSON data for the variable named `value`."""
        return value
