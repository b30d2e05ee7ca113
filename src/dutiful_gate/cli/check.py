"""`dutiful check`: data files against a declaration."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, get_args

import click

from ..files.comparison import DeliveryComparison, digest_from
from ..files.distinct import DistinctRecords
from ..files.opened import CannotStart, Form
from ..gates.base import AnyGate
from ..report.digest import Digest
from ..report.shown_values import visible
from .console import console, sure_output
from .deliveries import DeliveryOptions, DeliveryOutcome, examined, files_of
from .delivery_output import (
    print_as_data,
    print_as_markdown,
    print_as_page,
    print_as_sarif,
    print_comparison,
    print_flaws,
    print_outcome,
)
from .shared_options import layout_options, printed_as, unknown_option
from .target import CannotRun, Flaws, Unknown, documents_option, gate_for
from .text_files import json_of, read_text


@click.command(
    epilog="""Example:

\b
    dutiful check bookings.json --against harbour.shapes:Booking
    dutiful check - --against harbour.shapes:bookings --format json < bookings.json
    dutiful check bookings.json --against booking.schema.json
    dutiful check manifest.csv --against harbour.shapes:Line --excerpt
    dutiful check 'deliveries/*.ndjson.gz' --against harbour.shapes:Booking --format markdown
    dutiful check feed.ndjson --against harbour.shapes:Booking --jobs 2 --admitted sound.parquet --refused bad.ndjson
    dutiful check lines.parquet --against harbour.shapes:Line --brief
    dutiful check manifest.xlsx --against harbour.shapes:Line --format html > report.html
    dutiful check today.csv --against harbour.shapes:Line --since yesterday.json

NDJSON, CSV, TSV, XLSX and Parquet are read piece by piece; JSON, YAML and TOML whole. Many faults are told as a digest,
by rule and place. Exit status: 0 all admitted, 1 some refused, 2 cannot run.
"""
)
@click.argument("data", metavar="DATA...", nargs=-1, required=True)
@click.option(
    "--against",
    "target",
    required=True,
    metavar="TARGET",
    help="MODULE:NAME or FILE.py:NAME, a declared type or a Gate; or a JSON Schema document, a .json file.",
)
@documents_option
@click.option(
    "--flaws",
    type=click.Choice(["refuse", "tell"]),
    default="refuse",
    show_default=True,
    help="What to do with a document that has parts which cannot be used: stop, or judge by the rest and list them.",
)
@printed_as(
    ["text", "json", "markdown", "html", "sarif"],
    "For whom to print: html is a report with a plot; SARIF is for CI systems, which show faults beside the line.",
)
@unknown_option
@click.option("--most", default=200, show_default=True, metavar="N", help="How many faults to print.")
@click.option("--every", is_flag=True, help="List every fault, also where there are many.")
@click.option("--brief", is_flag=True, help="Print the counts alone.")
@click.option("--excerpt", is_flag=True, help="Show the line of each fault, with a mark under its place.")
@click.option("--stop-after", default=0, metavar="N", help="Stop once so many records were refused.")
@click.option(
    "--read-as",
    "read_as",
    type=click.Choice(list(get_args(Form))),
    help="The form of the data, where the ending of its name does not tell it.",
)
@click.option("--select", default="", metavar="POINTER", help="The list inside of a document, as in /bookings.")
@click.option(
    "--distinct-by",
    multiple=True,
    metavar="POINTER",
    help="What no two records may share, as in /booking; given again, the values together.",
)
@layout_options(columns=True)
@click.option("--jobs", type=click.IntRange(1), default=1, metavar="N", help="NDJSON: examine with so many processes.")
@click.option(
    "--since",
    type=click.Path(exists=True, dir_okay=False, path_type=Path),
    metavar="FILE",
    help="Compare with a former delivery: what --format json has told of it.",
)
@click.option(
    "--admitted",
    type=click.Path(path_type=Path),
    help="Write admitted records: .ndjson, .csv, .tsv or .parquet (numbered files).",
)
@click.option(
    "--refused", type=click.Path(path_type=Path), help="Write refused records untouched, their faults beside."
)
@click.option("--resume", is_flag=True, help="Go on with a split that was interrupted.")
@click.option("--secrets", is_flag=True, help="Let admitted records go out with their secrets.")
@click.option(
    "--formulas-as-text",
    is_flag=True,
    help="Admitted CSV: put ' before text that a spreadsheet would take for a formula.",
)
def check(
    data: tuple[str, ...],
    target: str,
    documents: Path | None,
    flaws: Flaws,
    printed: str,
    unknown: Unknown | None,
    since: Path | None,
    distinct_by: tuple[str, ...],
    **asked: Any,
) -> None:
    """Check DATA: files, folders or patterns of JSON, NDJSON, CSV, TSV, XLSX, Parquet, YAML or TOML, gzipped or not.

    - is standard input.

    Prints what was admitted and refused, and every fault with its file, line, column, path and message.
    """
    sure_output()
    gate = gate_for(target, unknown, documents, flaws)
    named = files_of(data)
    former = _former(since)
    options = DeliveryOptions(**asked)
    options.refuse_clashes(named, distinct=bool(distinct_by))
    try:
        distinct = options.distinct = DistinctRecords(gate, distinct_by) if distinct_by else None
    except CannotStart as error:
        raise CannotRun(str(error)) from None
    outcomes = [examined(gate, name, options) for name in named]
    if distinct is not None and not distinct.compared:
        places = " and ".join(distinct.by)
        console(stderr=True).print(visible(f"--distinct-by: no record has a value at {places}"), markup=False)
    comparison = DeliveryComparison(former, _together(outcomes), str(since)) if former is not None else None
    _print(outcomes, comparison, target, gate, printed, options)
    raise SystemExit(0 if all(outcome.is_sound for outcome in outcomes) else 1)


def _former(since: Path | None) -> Digest | None:
    """The digest of a former delivery. Raises CannotRun."""
    if since is None:
        return None
    held = json_of(read_text(since), str(since))
    try:
        return digest_from(held)
    except ValueError as error:
        raise CannotRun(f"{since}: {error}") from None


def _together(outcomes: Sequence[DeliveryOutcome]) -> Digest:
    whole = Digest()
    for outcome in outcomes:
        whole.merge(outcome.digest)
    return whole


def _print(
    outcomes: Sequence[DeliveryOutcome],
    comparison: DeliveryComparison | None,
    target: str,
    gate: AnyGate[Any],
    printed: str,
    options: DeliveryOptions,
) -> None:
    """Tell what became of deliveries."""
    if printed == "json":
        print_as_data(outcomes, target, gate, comparison)
    elif printed == "markdown":
        print_as_markdown(outcomes, comparison)
    elif printed == "sarif":
        print_as_sarif(outcomes)
    elif printed == "html":
        try:
            print_as_page(outcomes, target, comparison)
        except CannotStart as error:
            raise CannotRun(str(error)) from None
    else:
        print_flaws(gate)
        for outcome in outcomes:
            print_outcome(console(), outcome, target, options)
        if comparison is not None:
            print_comparison(console(), comparison)
