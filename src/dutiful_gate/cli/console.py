"""What the verbs print with: one look for all of them."""

from __future__ import annotations

import sys
from typing import Any

from rich.console import Console
from rich.text import Span, Text
from rich.theme import Theme

from ..report.fault import Fault
from ..report.shown_values import counted, on_terminal, visible

_MOST_SPANS = 24
_THEME = Theme(
    {
        "admitted": "green",
        "refused": "bold red",
        "place": "cyan",
        "pointer": "yellow",
        "quiet": "dim",
        "heading": "bold",
        "command": "bold cyan",
        "bar.complete": "cyan",
        "bar.finished": "green",
    }
)


class _Console(Console):
    """A console that no word from outside can steer: control characters and marks of direction are escapes."""

    def print(self, *objects: Any, **words: Any) -> None:
        """See `Console`."""
        super().print(*map(_steering_nothing, objects), **words)


def _steering_nothing(held: Any) -> Any:
    """Text, plain or with styles, whose signs are all shown."""
    if isinstance(held, str):
        return on_terminal(held)
    if not isinstance(held, Text) or on_terminal(held.plain) == held.plain:
        return held
    told, starts = "", []
    for sign in held.plain:
        starts.append(len(told))
        told += on_terminal(sign)
    starts.append(len(told))
    spans = [Span(starts[each.start], starts[min(each.end, len(held.plain))], each.style) for each in held.spans]
    return Text(told, held.style, spans=spans)


def console(*, stderr: bool = False) -> Console:
    """A console for the terminal at hand; what goes into a pipe has no colours and no line breaks of its own."""
    return _Console(theme=_THEME, stderr=stderr, highlight=False, soft_wrap=True)


def sure_output() -> None:
    """Let nothing that is printed fail for its characters, whatever the terminal's encoding."""
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")


def fault_line(file: str, fault: Fault) -> Text:
    """`bookings.json:17:21  /3/weight_kg  needs ...`, the place in a form that editors follow."""
    place = f"{visible(file)}:{fault.place}" if fault.place else visible(file)
    pointer = visible(fault.pointer) or "(the whole)"
    return Text.assemble((place, "place"), "  ", (pointer, "pointer"), "  ", visible(fault.message))


def told(admitted: int, refused: int, faults: int) -> Text:
    """`240 records: 232 admitted, 8 refused with 11 faults`."""
    line = Text.assemble(f"{counted(admitted + refused, 'record')}: ", (f"{admitted:,} admitted", "admitted"))
    if refused:
        line.append(", ")
        line.append(f"{refused:,} refused", "refused")
        line.append(f" with {counted(faults, 'fault')}")
    return line


def spans(numbers: list[int]) -> str:
    """Numbers as people list them: 0 to 16, 18, 20 to 239."""
    parts: list[tuple[int, int]] = []
    for number in numbers:
        if parts and parts[-1][1] == number - 1:
            parts[-1] = (parts[-1][0], number)
        else:
            parts.append((number, number))
    told = [f"{low}" if low == high else f"{low} to {high}" for low, high in parts[:_MOST_SPANS]]
    rest = sum(high - low + 1 for low, high in parts[_MOST_SPANS:])
    return ", ".join(told) + (f" and {rest:,} more" if rest else "")
