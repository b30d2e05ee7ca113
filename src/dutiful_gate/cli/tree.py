"""`dutiful tree`: a shape, or data with what is wrong in it, as a tree."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import Any

import click
from rich.console import Console
from rich.text import Text

from ..declare.errors import DeclarationError
from ..draft.drafting import draft_of_files
from ..files.opened import BrokenOff, CannotStart, form_of, opened
from ..gates.document import DocumentGate
from ..outline.as_html import page
from ..outline.branch import Branch
from ..outline.of_data import data_tree
from ..outline.of_document import shape_tree
from ..report.shown_values import visible
from ..report.verdict import Verdict
from ..sample.cannot_sample import CannotSample
from ..sample.sampling import payloads
from .console import console, sure_output
from .deliveries import files_of
from .target import CannotRun, documents_option, gate_for
from .text_files import json_of, write_text

_LONGEST = 100


@click.command(
    epilog="""Example:

\b
    dutiful tree harbour.shapes:Booking
    dutiful tree booking.schema.json --depth 2
    dutiful tree harbour.shapes:Booking --find weight
    dutiful tree harbour.shapes:Booking booking.json --at-fault
    dutiful tree manifest.csv
    dutiful tree export.json --html export.html

A star marks what must be there. Exit status: 0, 1 when DATA is refused, 2 when the command cannot do its work.
"""
)
@click.argument("target", metavar="TARGET")
@click.argument("data", metavar="[DATA]", required=False)
@documents_option
@click.option("--depth", type=click.IntRange(1), help="Fold what is deeper.")
@click.option("--find", "word", default="", metavar="WORD", help="Only what has this word, and the way there.")
@click.option("--at-fault", is_flag=True, help="Of DATA, only what is wrong, and the way there.")
@click.option("--html", type=click.Path(dir_okay=False, path_type=Path), help="Write it as a page into this file.")
def tree(
    target: str,
    data: str | None,
    documents: Path | None,
    depth: int | None,
    word: str,
    at_fault: bool,
    html: Path | None,
) -> None:
    """Show the shape of TARGET as a tree: fields, kinds, rules in words, a sample value.

    TARGET is MODULE:NAME or FILE.py:NAME, a declared type or a Gate; a JSON Schema document; or a data file (JSON,
    NDJSON, CSV, TSV, YAML, TOML), whose shape is drafted from it. With DATA, a JSON file or - for standard input, what
    came is shown, and each fault at its place.
    """
    sure_output()
    verdict: Verdict[Any] | None = None
    if data is None:
        whole = _shape(target, documents)
    else:
        verdict = gate_for(target, documents=documents).examine_json(_raw(data))
        whole = data_tree(data if data != "-" else "standard input", verdict, verdict.entered())
    made: Branch | None = whole
    if word:
        made = whole.with_word(word)
    if at_fault and made is not None:
        made = made.at_fault()
    if made is None:
        console().print("nothing is wrong" if at_fault else f"nothing has {word!r} in it", markup=False)
    elif html is not None:
        write_text(html, page(made if depth is None else made.folded(depth)))
    else:
        _draw(console(), made if depth is None else made.folded(depth))
    raise SystemExit(0 if verdict is None or verdict else 1)


def _raw(data: str) -> bytes:
    try:
        with opened(data) as stream:
            return stream.read()
    except CannotStart as error:
        raise CannotRun(str(error)) from None


def _shape(target: str, documents: Path | None) -> Branch:
    """The tree of a declaration, a document, or of what data looks like."""
    if form_of(target) is not None and not (target.endswith(".json") and _is_document(target)):
        try:
            drafted = draft_of_files(files_of([target]))
        except (CannotStart, BrokenOff) as error:
            raise CannotRun(str(error)) from None
        return shape_tree(drafted.gate(), target, drafted.first)
    gate = gate_for(target, documents=documents)
    made: list[Any] = []
    with suppress(CannotSample, RecursionError):
        made = payloads(gate, 1)
    name = target.partition(":")[2] or target
    judging = gate if isinstance(gate, DocumentGate) else DocumentGate(gate.schema())
    return shape_tree(judging, name, *made)


def _is_document(target: str) -> bool:
    """Whether a JSON file is a document: it names a dialect, or has keywords at its root."""
    held = json_of(_raw(target), target)
    if not isinstance(held, dict):
        return False
    if "$schema" in held or "$defs" in held or "definitions" in held:
        return True
    try:
        return "type" in held and bool(DocumentGate(held)) and held.keys() & {"properties", "items"} != set()
    except DeclarationError:
        return False


def _draw(out: Console, branch: Branch, lead: str = "", guide: str = "") -> None:
    """Print a branch and what is below it; lines are as long as they are, in a pipe too."""
    out.print(Text.assemble((guide, "quiet"), _line(branch)))
    for child in branch.children:
        last = child is branch.children[-1]
        _draw(out, child, lead + ("    " if last else "│   "), lead + ("└── " if last else "├── "))


def _line(branch: Branch) -> Text:
    line = Text.assemble((visible(branch.name), "heading"))
    if branch.needed:
        line.append(" *", "place")
    for words, style in ((branch.words, ""), ("; ".join(branch.rules), "quiet"), (branch.sample, "admitted")):
        if words:
            line.append("  ").append(_short(words), style)
    if branch.text:
        line.append("  ").append(_short(branch.text), "quiet")
    for fault in branch.faults:
        line.append("  ").append(visible(fault), "refused")
    return line


def _short(text: str) -> str:
    seen = visible(text)
    return seen if len(seen) <= _LONGEST else f"{seen[: _LONGEST - 1]}…"
