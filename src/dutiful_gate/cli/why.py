"""`dutiful why`: one value followed through its gate."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import click
from rich.text import Text

from ..gates.explanation import Explanation
from ..report.fault import dotted
from ..report.shown_values import visible
from ..report.verdict import Refused
from .console import console, sure_output
from .target import CannotRun, documents_option, gate_for

_MARKS = {True: ("holds", "admitted"), False: ("fails", "refused"), None: ("", "quiet")}


@click.command(
    epilog="""Example:

\b
    dutiful why harbour.shapes:Booking '{"origin": " qlp "}' /origin
    dutiful why harbour.shapes:Booking booking.json /crates/0/weight_kg
    dutiful why booking.schema.json - /origin < booking.json

Exit status: 0 when nothing is wrong at the value, 1 when there is, 2 when the command cannot do its work.
"""
)
@click.argument("target", metavar="TARGET")
@click.argument("data", metavar="DATA")
@click.argument("pointer", metavar="[POINTER]", default="")
@documents_option
def why(target: str, data: str, pointer: str, documents: Path | None) -> None:
    """Tell what became of one value: what came, what each step made of it, what each rule answered.

    TARGET is MODULE:NAME or FILE.py:NAME, a declared type or a Gate; or a JSON Schema document, a .json file.

    DATA is JSON, a file of it, or - for standard input; POINTER a JSON Pointer to the value, the whole without one.
    """
    sure_output()
    gate = gate_for(target, documents=documents)
    named, raw = _read(data)
    try:
        explanation = gate.why_json(raw, pointer)
    except Refused as refused:
        hint = "; nor is it the name of a file" if named == "DATA" else ""
        raise CannotRun(f"{named} cannot be read: {refused.verdict.faults[0]}{hint}") from None
    except ValueError as error:
        raise CannotRun(str(error)) from None
    _show(explanation)
    sys.exit(0 if explanation.admitted else 1)


def _read(data: str) -> tuple[str, bytes]:
    """What to call the data, and its bytes: standard input, a file, or what was given itself."""
    if data == "-":
        return "standard input", sys.stdin.buffer.read()
    if data.lstrip().startswith(("{", "[", '"')) or not os.path.isfile(data):
        return "DATA", data.encode("utf-8", "surrogateescape")
    try:
        return data, Path(data).read_bytes()
    except OSError as error:
        raise CannotRun(f"{data} cannot be read: {error.strerror}") from None


def _show(explanation: Explanation) -> None:
    """Print it, each answer at the end of its line."""
    out = console()
    out.print(Text(visible(dotted(explanation.path)) or "(the whole)", "heading"))
    for each in explanation.told:
        mark, style = _MARKS[each.holds]
        out.print(Text.assemble(f"  {each.what:9} ", visible(each.words), ("  " if mark else "", ""), (mark, style)))
    for fault in explanation.faults:
        out.print(Text.assemble(("  refused   ", "refused"), visible(str(fault))))
    if explanation.admitted:
        out.print(Text(f"  so        {explanation.ending}", "admitted"))
