"""`dutiful check`: data files against a declaration."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any, get_args

import click

from ..files.comparison import DeliveryComparison, digest_from
from ..files.distinct import DistinctRecords
from ..files.opened import CannotStart, Form
from ..files.table_layout import TableLayout
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
@click.option(
    "--format",
    "printed",
    type=click.Choice(["text", "json", "markdown", "html", "sarif"]),
    default="text",
    show_default=True,
    help="For whom to print: html is a report with a plot; SARIF is for CI systems, which show faults beside the line.",
)
@click.option(
    "--unknown",
    type=click.Choice(["drop", "refuse"]),
    default=None,
    help="What to do with keys nobody declared.  [default: as the gate says, or drop]",
)
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
@click.option("--separator", default="", metavar="SIGN", help="CSV: what stands between cells.  [default: found]")
@click.option("--quote", default="", metavar="SIGN", help="CSV: what stands around cells.  [default: found, \" or ']")
@click.option(
    "--encoding", default="", metavar="NAME", help="CSV: as in latin-1.  [default: UTF-8, or UTF-16 by its mark]"
)
@click.option(
    "--header-line", default=0, metavar="N", help="CSV, XLSX: the line or row of the headings.  [default: found]"
)
@click.option(
    "--column", "columns", multiple=True, metavar="HEADING=FIELD", help="CSV, XLSX: the field that a column is."
)
@click.option("--decimal-comma", is_flag=True, help="CSV, XLSX: numbers in text have a comma, as 1.234,50.")
@click.option("--dates", default="", metavar="FORM", help="CSV, XLSX: the form of dates, as in %d.%m.%Y; or serial.")
@click.option("--shortened", is_flag=True, help="CSV, XLSX: take text such as 1.23E+15 as it stands.")
@click.option("--sheet", default="", metavar="NAME", help="XLSX: the sheet to read.  [default: the first visible one]")
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
    most: int,
    every: bool,
    brief: bool,
    excerpt: bool,
    stop_after: int,
    read_as: Any,
    select: str,
    distinct_by: tuple[str, ...],
    separator: str,
    quote: str,
    encoding: str,
    header_line: int,
    columns: tuple[str, ...],
    decimal_comma: bool,
    dates: str,
    shortened: bool,
    sheet: str,
    jobs: int,
    since: Path | None,
    admitted: Path | None,
    refused: Path | None,
    resume: bool,
    secrets: bool,
    formulas_as_text: bool,
) -> None:
    """Check DATA: files, folders or patterns of JSON, NDJSON, CSV, TSV, XLSX, Parquet, YAML or TOML, gzipped or not.

    - is standard input.

    Prints what was admitted and refused, and every fault with its file, line, column, path and message.
    """
    sure_output()
    gate = gate_for(target, unknown, documents, flaws)
    named = files_of(data)
    former = _former(since)
    separator = {"tab": "\t", "\\t": "\t"}.get(separator, separator)
    splits = admitted is not None or refused is not None
    _refuse_clashes(named, splits=splits, resume=resume, jobs=jobs, distinct_by=distinct_by, stop_after=stop_after)
    read_as = read_as or ("json" if named == ["-"] else None)
    try:
        layout = TableLayout(
            separator=separator,
            quote=quote,
            encoding=encoding,
            header_line=header_line,
            columns=_columns(columns),
            decimal_comma=decimal_comma,
            dates=dates,
            sheet=sheet,
            shortened=shortened,
        )
        distinct = DistinctRecords(gate, distinct_by) if distinct_by else None
    except CannotStart as error:
        raise CannotRun(str(error)) from None
    asked = DeliveryOptions(
        read_as,
        select,
        layout,
        every,
        excerpt,
        most,
        stop_after,
        admitted,
        refused,
        resume,
        secrets,
        distinct,
        jobs,
        splits,
        brief,
        formulas_as_text,
    )
    outcomes = [examined(gate, name, asked) for name in named]
    if distinct is not None and not distinct.compared:
        places = " and ".join(distinct.by)
        console(stderr=True).print(visible(f"--distinct-by: no record has a value at {places}"), markup=False)
    comparison = DeliveryComparison(former, _together(outcomes), str(since)) if former is not None else None
    _print(outcomes, comparison, target, gate, printed, asked)
    raise SystemExit(0 if all(each.is_sound for each in outcomes) else 1)


def _refuse_clashes(
    named: list[str], *, splits: bool, resume: bool, jobs: int, distinct_by: tuple[str, ...], stop_after: int
) -> None:
    """Refuse what does not go together. Raises CannotRun."""
    if splits and len(named) > 1:
        raise CannotRun("--admitted and --refused are for one file at a time")
    if distinct_by and resume:
        raise CannotRun("--distinct-by needs all records in one run: it does not go with --resume")
    if resume and not splits:
        raise CannotRun("--resume goes on with --admitted and --refused: give the same names again")
    if splits and stop_after:
        raise CannotRun("--stop-after leaves records unread: a split needs all of them")
    if jobs > 1 and (distinct_by or stop_after):
        option = "--distinct-by" if distinct_by else "--stop-after"
        raise CannotRun(f"{option} takes records one after the other: leave out --jobs")


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
    asked: DeliveryOptions,
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
            print_outcome(console(), outcome, target, asked)
        if comparison is not None:
            print_comparison(console(), comparison)


def _columns(words: tuple[str, ...]) -> dict[str, str]:
    made = {}
    for word in words:
        heading, equals, name = word.partition("=")
        if not equals or not name:
            raise CannotRun(f"--column {word!r} needs a heading and a field, as in --column Gewicht=weight_kg")
        made[heading] = name
    return made
