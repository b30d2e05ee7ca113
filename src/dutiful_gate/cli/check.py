"""`dutiful check`: data files against a declaration."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NoReturn

import click
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from ..document.document import Flaw
from ..feed.csv_layout import CsvLayout
from ..feed.distinct import Distinct
from ..feed.json_file import Examined, examine_whole
from ..feed.opened import CannotStart, form_of
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..report.fault import dotted, pointer
from ..report.shown_values import counted, visible
from .console import console, fault_line, spans, sure_output, told
from .deliveries import Asked, examined, files_of, print_as_data, print_as_markdown, print_as_sarif, print_outcome
from .target import CannotRun, Flaws, Unknown, documents_option, gate_for

_SHOW_PROGRESS_FROM = 2_000_000


@click.command(
    epilog="""Example:

\b
    dutiful check bookings.json --against harbour.shapes:Booking
    dutiful check - --against harbour.shapes:bookings --format json < bookings.json
    dutiful check bookings.json --against booking.schema.json
    dutiful check manifest.csv --against harbour.shapes:Line --excerpt
    dutiful check 'deliveries/*.ndjson.gz' --against harbour.shapes:Booking --format markdown

NDJSON, CSV and TSV are read piece by piece; JSON, YAML and TOML whole. Many faults are told as a digest, by rule and
place. Exit status: 0 all admitted, 1 some refused, 2 cannot run.
"""
)
@click.argument("data", metavar="DATA...", nargs=-1, required=True)
@click.option(
    "--against",
    "target",
    required=True,
    metavar="TARGET",
    help="MODULE:NAME, a declared type or a Gate; or a JSON Schema document, a .json file.",
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
    "form",
    type=click.Choice(["text", "json", "markdown", "sarif"]),
    default="text",
    show_default=True,
    help="For whom to print: SARIF is for CI systems, which show faults beside the line.",
)
@click.option(
    "--unknown",
    type=click.Choice(["drop", "refuse"]),
    default=None,
    help="What to do with keys nobody declared.  [default: as the gate says, or drop]",
)
@click.option("--most", default=200, show_default=True, metavar="N", help="How many faults to print.")
@click.option("--every", is_flag=True, help="List every fault, also where there are many.")
@click.option("--excerpt", is_flag=True, help="Show the line of each fault, with a mark under its place.")
@click.option("--stop-after", default=0, metavar="N", help="Stop once so many records were refused.")
@click.option(
    "--form",
    "kind",
    type=click.Choice(["json", "ndjson", "csv", "tsv", "yaml", "toml"]),
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
@click.option(
    "--encoding", default="", metavar="NAME", help="CSV: as in latin-1.  [default: UTF-8, or UTF-16 by its mark]"
)
@click.option("--header-line", default=0, metavar="N", help="CSV: the line of the headings.  [default: found]")
@click.option("--column", "columns", multiple=True, metavar="HEADING=FIELD", help="CSV: the field that a column is.")
@click.option("--decimal-comma", is_flag=True, help="CSV: numbers are written with a comma, as 1.234,50.")
@click.option("--admitted", type=click.Path(path_type=Path), help="Write admitted records: .ndjson, .csv or .tsv.")
@click.option(
    "--refused", type=click.Path(path_type=Path), help="Write refused records untouched, their faults beside."
)
@click.option("--resume", is_flag=True, help="Go on with a split that was interrupted.")
@click.option("--secrets", is_flag=True, help="Let admitted records go out with their secrets.")
@click.option("--dates", default="", metavar="FORM", help="CSV: the form of dates, as in %d.%m.%Y.")
def check(
    data: tuple[str, ...],
    target: str,
    documents: Path | None,
    flaws: Flaws,
    form: str,
    unknown: Unknown | None,
    most: int,
    every: bool,
    excerpt: bool,
    stop_after: int,
    kind: Any,
    select: str,
    distinct_by: tuple[str, ...],
    separator: str,
    encoding: str,
    header_line: int,
    columns: tuple[str, ...],
    decimal_comma: bool,
    admitted: Path | None,
    refused: Path | None,
    resume: bool,
    secrets: bool,
    dates: str,
) -> None:
    """Check DATA: files, folders or patterns of JSON, NDJSON, CSV, TSV, YAML or TOML, gzipped or not; - is stdin.

    Prints what was admitted and refused, and every fault with its file, line, column, path and message.
    """
    sure_output()
    gate = gate_for(target, unknown, documents, flaws)
    named = files_of(data)
    whole = (
        len(named) == 1
        and (kind or form_of(named[0]) or "json") == "json"
        and not (select or stop_after or excerpt or distinct_by)
    )
    if whole and form in ("text", "json"):
        _check_json(named[0], target, gate, form, most)
    separator = {"tab": "\t", "\\t": "\t"}.get(separator, separator)
    layout = CsvLayout(separator, encoding, header_line, _columns(columns), decimal_comma, dates)
    split = admitted is not None or refused is not None or resume
    if split and len(named) > 1:
        raise CannotRun("--admitted and --refused are for one file at a time")
    kind = kind or ("json" if named == ["-"] else None)
    if distinct_by and resume:
        raise CannotRun("--distinct-by needs all records in one run: it does not go with --resume")
    try:
        distinct = Distinct(gate, distinct_by) if distinct_by else None
    except CannotStart as error:
        raise CannotRun(str(error)) from None
    asked = Asked(kind, select, layout, every, excerpt, most, stop_after, admitted, refused, resume, secrets, distinct)
    outcomes = [examined(gate, name, asked) for name in named]
    if form == "json":
        print_as_data(outcomes, target)
    elif form == "markdown":
        print_as_markdown(outcomes)
    elif form == "sarif":
        print_as_sarif(outcomes)
    else:
        _print_flaws(gate)
        for outcome in outcomes:
            print_outcome(console(), outcome, target, asked)
    raise SystemExit(1 if any(each.digest.faults or each.broken for each in outcomes) else 0)


def _columns(words: tuple[str, ...]) -> dict[str, str]:
    made = {}
    for word in words:
        heading, equals, name = word.partition("=")
        if not equals or not name:
            raise CannotRun(f"--column {word!r} needs a heading and a field, as in --column Gewicht=weight_kg")
        made[heading] = name
    return made


def _check_json(name: str, target: str, gate: AnyGate[Any], form: str, most: int) -> NoReturn:
    """A JSON file, whose faults are all listed."""
    if not gate.reads.in_json:
        raise CannotRun(f"{target} reads {gate.reads!r}, and this is a JSON file; name a gate for Source.JSON")
    raw = _read(name)
    with _progress(len(raw)) as tell:
        found = examine_whole(gate, raw, told=tell)
    shown = "<stdin>" if name == "-" else name
    if form == "json":
        click.echo(json.dumps(_as_data(shown, target, found, gate), indent=2, ensure_ascii=False))
    else:
        _print_flaws(gate)
        _print(shown, target, found, most)
    raise SystemExit(1 if found.faults else 0)


def _read(data: str) -> bytes:
    if data == "-":
        return sys.stdin.buffer.read()
    try:
        return Path(data).read_bytes()
    except FileNotFoundError:
        raise CannotRun(f"there is no file {data!r}; check the path, or give - for standard input") from None
    except OSError as error:
        raise CannotRun(f"{data!r} cannot be read: {error.strerror}") from None


@contextmanager
def _progress(size: int) -> Iterator[Callable[[int, int], Any] | None]:
    """A progress bar on standard error for work that takes a while, where someone is watching."""
    if size < _SHOW_PROGRESS_FROM or not sys.stderr.isatty():
        yield None
        return
    columns = (TextColumn("checking"), BarColumn(), MofNCompleteColumn(), TextColumn("records"), TimeRemainingColumn())
    with Progress(*columns, console=console(stderr=True), transient=True) as bar:
        task = bar.add_task("checking", total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)


def _flaws(gate: AnyGate[Any]) -> tuple[Flaw, ...]:
    return gate.flaws if isinstance(gate, DocumentGate) else ()


def _print_flaws(gate: AnyGate[Any]) -> None:
    flaws = _flaws(gate)
    if flaws:
        out = console()
        out.print(f"{counted(len(flaws), 'part')} of the document cannot be used", style="heading")
        for flaw in flaws:
            out.print(f"  {visible(str(flaw))}", style="quiet")


def _print(name: str, target: str, examined: Examined[Any], most: int) -> None:
    out = console()
    out.print(f"{visible(name)} against {target}", style="heading")
    left = most
    for fault in examined.broken:
        out.print("  ", fault_line(name, fault), sep="")
    for number in examined.refused:
        verdict = examined.verdicts[number]
        if left > 0:
            which = f"record {number}" if examined.listed else "the record"
            faults = counted(len(verdict.faults) + verdict.untold, "fault")
            out.print(f"\n  {which} refused: {faults}", style="refused")
        for fault in verdict.faults[: max(left, 0)]:
            out.print("    ", fault_line(name, fault), sep="")
        if left > 0 and verdict.untold:
            out.print(f"    and {verdict.untold:,} more", style="quiet")
        left -= len(verdict.faults)
    if left < 0:
        out.print(f"\n  {-left:,} faults more; --most {most - left} prints them all, --format json too", style="quiet")
    _print_ending(examined)


def _print_ending(examined: Examined[Any]) -> None:
    out = console()
    admitted, refused = examined.admitted, examined.refused
    out.print()
    if examined.listed and admitted and refused:
        out.print(f"  admitted: records {spans(admitted)}", style="quiet")
        out.print(f"  refused:  records {spans(refused)}", style="quiet")
    if examined.dropped:
        keys = sorted({visible(dotted(path[-1:])) for path in examined.dropped})
        shown = ", ".join(keys[:8]) + (", ..." if len(keys) > 8 else "")
        count = counted(len(examined.dropped), "unknown key")
        out.print(f"  {count} left out ({shown}); --unknown refuse makes each a fault", style="quiet")
    if examined.excused:
        count = counted(len(examined.excused), "value")
        out.print(f"  {count} refused and stood in for (otherwise): --format json lists them", style="quiet")
    if unjudged := sum(len(verdict.unjudged) for verdict in examined.verdicts):
        count = counted(unjudged, "value")
        out.print(f"  {count} not judged, where unusable parts have a say: --format json lists them", style="quiet")
    if examined.listed and not examined.verdicts:
        out.print("  the list is empty: there was no record to check", style="quiet")
        return
    if not examined.verdicts:
        out.print("  the file could not be read to its end, so no record was checked", style="refused")
        return
    untold = sum(verdict.untold for verdict in examined.verdicts)
    out.print("  ", told(len(admitted), len(refused), len(examined.faults) + untold), sep="")


def _as_data(name: str, target: str, examined: Examined[Any], gate: AnyGate[Any]) -> dict[str, object]:
    """The whole outcome as plain JSON data."""
    unjudged = [
        {"record": number, "pointer": each}
        for number, verdict in enumerate(examined.verdicts)
        for each in verdict.unjudged
    ]
    about_flaws = {"flaws": [{"keyword": flaw.keyword, "why": flaw.why} for flaw in _flaws(gate)], "unjudged": unjudged}
    return {
        **(about_flaws if isinstance(gate, DocumentGate) else {}),
        "file": name,
        "against": target,
        "records": len(examined.verdicts),
        "admitted": examined.admitted,
        "refused": [
            {
                "record": number,
                "faults": [{"file": name, **fault.as_dict()} for fault in examined.verdicts[number].faults],
                "untold": examined.verdicts[number].untold,
            }
            for number in examined.refused
        ],
        "broken": [{"file": name, **fault.as_dict()} for fault in examined.broken],
        "excused": [{"file": name, **fault.as_dict()} for fault in examined.excused],
        "dropped": [pointer(path) for path in examined.dropped],
    }
