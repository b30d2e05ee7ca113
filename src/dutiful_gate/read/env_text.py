"""A `.env` file to names and values, as `python-dotenv` parses it, without interpolation; needs the extra `dotenv`."""

from __future__ import annotations

import io
from typing import NamedTuple

from ..report.cause import Cause
from ..report.fault import Fault
from ..report.place import Place


class EnvLine(NamedTuple):
    """One name with its value, and the line that it begins in."""

    name: str
    value: str
    line: int


class EnvText:
    """One text: its `lines`, and in `broken` what is wrong with it."""

    def __init__(self, text: str) -> None:
        try:
            from dotenv.parser import parse_stream
        except ModuleNotFoundError:
            raise ModuleNotFoundError(
                "a .env file needs the package python-dotenv; get it with: pip install 'dutiful-gate[dotenv]'",
                name="dotenv",
            ) from None

        self.lines: list[EnvLine] = []
        self.broken: list[Fault] = []
        known: set[str] = set()
        for binding in parse_stream(io.StringIO(text)):
            text = binding.original.string  # with the line ends before it
            line = binding.original.line + text[: len(text) - len(text.lstrip())].count("\n")
            if binding.error:
                self._tell(Cause("reading", "NAME=value", got="another line"), line)
            elif binding.key is None:
                continue  # a comment
            elif binding.value is None:
                self._tell(Cause("reading", "a value after its name: NAME=value", got="a name alone"), line)
            elif binding.key in known:
                self._tell(Cause("repeat", "each name once", got="one again"), line)
            else:
                known.add(binding.key)
                self.lines.append(EnvLine(binding.key, binding.value, line))

    def _tell(self, cause: Cause, line: int) -> None:
        self.broken.append(Fault((), cause, None, None, Place(line, 0)))
