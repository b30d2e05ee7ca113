"""`dutiful draft`: a declaration from samples of data."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any, get_args

import click

from ..declare.errors import DeclarationError
from ..draft.differences import changes, closed_places
from ..draft.drafting import MOST_READ, Draft, draft_of_files
from ..draft.hints import Hints, hints, hints_of
from ..files.opened import BrokenOff, CannotStart, Form
from ..report.shown_values import counted, visible
from .console import console, sure_output
from .deliveries import files_of
from .shared_options import layout_options, printed_as
from .target import CannotRun, documents_option, gate_for
from .text_files import put, read_text, refuse_what_is_there

_MOST_TOLD = 10
_KIND = click.Choice(list(get_args(Form)))


@click.command(
    epilog="""Example:

\b
    dutiful draft bookings.json --name Booking > harbour/shapes.py
    dutiful draft manifest.csv --name Line --as-text /hold --closed /port
    dutiful draft feed.ndjson readings/ --format schema --into reading.schema.json
    dutiful draft manifest.csv --against harbour.shapes:Line
    dutiful draft export.json --select /bookings --hints bookings.hints

A file of hints has one a line, a word and a place: "optional /priority", "closed /origin", "name Booking"; also
"record /ports" and "map /ports", for what is taken for the other. Exit status: 0, or 2 when it cannot run.
"""
)
@click.argument("samples", metavar="SAMPLE...", nargs=-1, required=True)
@click.option("--name", default="", help="What to call the record.  [default: Sample]")
@printed_as(["python", "schema"], "Python declarations, or a JSON Schema document.")
@click.option("--required", multiple=True, metavar="PLACE", help="A field that must be there.")
@click.option("--optional", multiple=True, metavar="PLACE", help="A field that may be absent.")
@click.option("--as-text", multiple=True, metavar="PLACE", help="A value that stays text, as an id of digits.")
@click.option("--closed", multiple=True, metavar="PLACE", help="A text that is one of those seen.")
@click.option(
    "--hints", "kept", type=click.Path(exists=True, dir_okay=False, path_type=Path), help="A file of such hints."
)
@click.option("--read-as", type=_KIND, help="The form of the samples, where the ending of the name does not tell it.")
@click.option("--select", default="", metavar="POINTER", help="The list inside of a document, as in /bookings.")
@layout_options()
@click.option(
    "--most", type=click.IntRange(1), default=MOST_READ, show_default=True, help="Records of each file to look at."
)
@click.option(
    "--against",
    "target",
    metavar="TARGET",
    help="Tell only what the draft would change in a declaration or document that is there.",
)
@documents_option
@click.option("--into", type=click.Path(dir_okay=False, path_type=Path), help="Write it into this file.")
@click.option("--overwrite", is_flag=True, help="Let --into write over a file that is there.")
def draft(
    samples: tuple[str, ...],
    name: str,
    printed: str,
    required: tuple[str, ...],
    optional: tuple[str, ...],
    as_text: tuple[str, ...],
    closed: tuple[str, ...],
    kept: Path | None,
    target: str | None,
    documents: Path | None,
    into: Path | None,
    overwrite: bool,
    **reading: Any,
) -> None:
    """Draft a declaration from SAMPLEs: files, folders or patterns of JSON, NDJSON, CSV, TSV, XLSX, YAML or TOML.

    What is drafted admits every sample that was read. Above each field stands what it was guessed from. PLACEs are JSON
    Pointers with * for every item, as in /crates/*/weight_kg.
    """
    sure_output()
    refuse_what_is_there(into, overwrite=overwrite)
    given = {"required": required, "optional": optional, "as-text": as_text, "closed": closed}
    try:
        said = hints({word: [*places] for word, places in given.items()})
        told = _together(kept, said, name)
        hinted = told.places
        there = None if target is None else gate_for(target, documents=documents).schema()
        if there is not None:
            told = replace(told, closed=told.closed | closed_places(there))
        form: Form | None = reading.pop("read_as") or ("json" if samples == ("-",) else None)
        made = draft_of_files(files_of(samples), told, form=form, **reading)
        made.idle = {place: lines for place, lines in made.idle.items() if place in hinted}
        if wrong := [f"--{line}" for place in sorted(said.places) for line in made.idle.get(place, ())]:
            raise CannotRun(visible("\n  ".join(wrong)))
        if there is not None and target is not None:
            _tell_changes(made, target, there)
            return
        document = json.dumps(made.document, indent=2, ensure_ascii=False) + "\n"
        text = _source(made, samples) if printed == "python" else document
    except (CannotStart, BrokenOff, DeclarationError) as error:
        raise CannotRun(visible(str(error))) from None
    put(text, into, "python" if printed == "python" else "json")
    _summary(made)


def _source(made: Draft, samples: Sequence[str]) -> str:
    """The draft as Python. Raises CannotRun, naming the samples, where it has no form there."""
    try:
        return made.python()
    except DeclarationError as error:
        told = ", ".join(map(visible, samples))
        raise CannotRun(
            f"what is in {told} cannot become declarations.\n  {error.problem}; draft a document: --format schema"
        ) from None


def _tell_changes(made: Draft, target: str, there: Mapping[str, Any]) -> None:
    """Print what would change in a declaration that is there; it is not touched."""
    found = changes(made, there)
    for line in found:
        console().print(visible(line), markup=False)
    if not found:
        console().print(f"{target} says what the samples say", markup=False)
    _summary(made)


def _together(kept: Path | None, given: Hints, name: str) -> Hints:
    """The hints of a file and of the command line."""
    if kept is None:
        return Hints(name, given.required, given.optional, given.as_text, given.closed)
    try:
        filed = hints_of(read_text(kept), str(kept))
    except ValueError as error:
        raise CannotRun(str(error)) from None
    return Hints(
        name or filed.name,
        filed.required | given.required,
        filed.optional | given.optional,
        filed.as_text | given.as_text,
        filed.closed | given.closed,
        filed.records,
        filed.maps,
    )


def _summary(made: Draft) -> None:
    """What it was made from, and what to do next, on standard error."""
    told = console(stderr=True)
    told.print(f"drafted from {counted(made.seen, 'record')}; tighten it, then: dutiful check SAMPLE --against ...")
    for line in (line for place in sorted(made.idle) for line in made.idle[place]):
        told.print(f"a hint that nothing heeds: {visible(line)}", markup=False, style="refused")
    for line in made.unread[:_MOST_TOLD]:
        told.print(f"not looked at: {visible(line)}", markup=False, style="refused")
    if len(made.unread) > _MOST_TOLD:
        told.print(f"and {len(made.unread) - _MOST_TOLD:,} more that were not looked at")
