"""TOML from a file (TOML 1.0) to half-typed data: dates and times have their types."""

from __future__ import annotations

import re
import tomllib
from decimal import Decimal
from functools import cached_property
from typing import Any

from ..declare.limits import Limits
from ..declare.phrases import Phrase
from ..report.cause import Cause
from ..report.fault import Fault, Path
from ..report.place import Place
from .decoded_text import quoting_nothing
from .lines import Lines
from .toml_places import TomlPlaces, too_many_steps

_AT = re.compile(r"(.*) \(at (?:line (\d+), column (\d+)|(end of document))\)", re.DOTALL)
_TWICE = re.compile(r"Cannot (?:overwrite|declare|mutate|define)|already")


class TomlText:
    """One TOML text: its `value`, or in `broken` what is wrong with it."""

    def __init__(self, text: str, limits: Limits, *, exact: bool = False) -> None:
        self.text = text
        self.value: Any = None
        self.broken: list[Fault] = []
        if (at := too_many_steps(text, limits.depth)) is not None:
            self.broken.append(self._too_deep(limits, self._lines.place(at)))
            return
        try:
            self.value = tomllib.loads(text, parse_float=Decimal if exact else float)
        except tomllib.TOMLDecodeError as error:
            self.broken.append(self._fault(str(error)))
        except RecursionError:
            self.broken.append(self._too_deep(limits, Place(1, 1)))
        except ValueError:  # a number of more digits than the interpreter reads
            cause = Cause("size", "numbers of at most {most} digits", {"most": limits.digits}, got="more")
            found = re.search(rf"[-+]?[0-9_]{{{limits.digits},}}", text)
            place = self._lines.place(found.start()) if found is not None else Place(1, 1)
            self.broken.append(Fault((), cause, None, None, place))

    @staticmethod
    def _too_deep(limits: Limits, place: Place) -> Fault:
        return Fault((), Cause("depth", "at most {most} levels", {"most": limits.depth}, got="more"), None, None, place)

    @property
    def readable(self) -> bool:
        """Whether there is a value."""
        return not self.broken

    def place(self, path: Path, *, of_key: bool = False) -> Place:
        """Where a path stands, or else the nearest thing around it that is there."""
        return self._lines.place(self._places.found.offset(path, of_key))

    @cached_property
    def _lines(self) -> Lines:
        return Lines(self.text)

    @cached_property
    def _places(self) -> TomlPlaces:
        return TomlPlaces(self.text)

    def _fault(self, told: str) -> Fault:
        found = _AT.fullmatch(told)
        words, place = (found[1], self._place(found)) if found is not None else (told, Place(1, 1))
        code = "repeat" if _TWICE.search(words) else "reading"
        cause = Cause(code, "TOML that can be read", got=Phrase("this: {words}", words=quoting_nothing(words)))
        return Fault((), cause, None, None, place)

    def _place(self, found: re.Match[str]) -> Place:
        if found[4]:
            return self._lines.place(len(self.text))
        return Place(int(found[2]), int(found[3]))
