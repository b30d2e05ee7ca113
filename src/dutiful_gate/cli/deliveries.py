"""What `dutiful check` does with deliveries of rows and lines: one pass, a digest of what is wrong, or every fault."""

from __future__ import annotations

import glob
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, closing, contextmanager, nullcontext
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

import click
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn
from rich.text import Text

from .. import __version__
from ..feed.csv_layout import CsvLayout
from ..feed.delivery import examine_stream
from ..feed.digest import Digest, Group, first_place
from ..feed.distinct import Distinct
from ..feed.item import Item
from ..feed.opened import FORMS, BrokenOff, CannotStart, Form, form_of, opened
from ..feed.sarif import sarif
from ..feed.split import Split
from ..gates.base import AnyGate
from ..report.fault import Fault
from ..report.shown_values import counted, visible
from .console import console, fault_line, told
from .target import CannotRun

_SHOW_PROGRESS_FROM = 2_000_000
_LISTED = 20
"""So many faults are listed one by one; more are told as a digest, unless every one is asked for."""


@dataclass
class Asked:
    """How deliveries are to be read and told."""

    form: Form | None
    select: str
    layout: CsvLayout
    every: bool
    excerpt: bool
    most: int
    stop_after: int
    admitted: Path | None = None
    refused: Path | None = None
    resume: bool = False
    secrets: bool = False
    distinct: Distinct | None = None


@dataclass
class Outcome:
    """What became of one delivery."""

    name: str
    digest: Digest = field(default_factory=Digest)
    faults: list[tuple[Item[Any], Fault]] = field(default_factory=list)
    dropped: set[str] = field(default_factory=set)
    broken: str = ""
    stopped: bool = False
    written: dict[str, tuple[str, int]] = field(default_factory=dict)


def files_of(data: Sequence[str]) -> list[str]:
    """The files that are meant: of a folder all of a known form, of a pattern those that match. Raises CannotRun."""
    found: list[str] = []
    for each in data:
        if each == "-" or Path(each).is_file():
            found.append(each)
        elif Path(each).is_dir():
            inside = sorted(str(path) for path in Path(each).iterdir() if path.is_file() and form_of(path.name))
            if not inside:
                raise CannotRun(f"{each!r} has no files of a known form ({', '.join(FORMS)})")
            found += inside
        elif glob.has_magic(each):
            matched = sorted(glob.glob(each))
            if not matched:
                raise CannotRun(f"no file matches {each!r}; check the pattern")
            found += matched
        else:
            found.append(each)  # it is told when it is opened
    return list(dict.fromkeys(found))


def examined(gate: AnyGate[Any], name: str, asked: Asked) -> Outcome:
    """One delivery, read once. Raises CannotRun where it cannot be read at all."""
    form = asked.form or form_of(name)
    if form is None:
        raise CannotRun(
            f"{name!r} tells no form by its ending; say which: --form {'|'.join(sorted(set(FORMS.values())))}"
        )
    outcome = Outcome("<stdin>" if name == "-" else name)
    split = _split(gate, name, form, asked)
    try:
        with opened(name) as stream, _progress(name, stream) as tell, split or nullcontext(), ExitStack() as stack:
            above = split.begin if split is not None else None
            items = examine_stream(gate, stream, form, select=asked.select, layout=asked.layout, above=above)
            stack.enter_context(closing(items))
            for number, each in enumerate(items, 1):
                item = each if asked.distinct is None else asked.distinct.judged(each, outcome.name)
                _take(outcome, item, asked)
                if split is not None:
                    split.take(item, number)
                if number % 1000 == 0 and tell is not None:
                    tell(outcome.digest)
                if asked.stop_after and outcome.digest.refused >= asked.stop_after:
                    outcome.stopped = True
                    break
            if split is not None:
                split.finish()
                outcome.written = {key: (str(path), split.written.get(key, 0)) for key, path in split.finals.items()}
    except CannotStart as error:
        raise CannotRun(f"{outcome.name}: {error}") from None
    except BrokenOff as error:
        outcome.broken = str(error)
    except KeyboardInterrupt:
        if split is None:
            raise
        raise CannotRun(f"{outcome.name}: interrupted; the same command with --resume goes on") from None
    except OSError as error:
        if split is None:
            raise
        told = error.strerror or str(error)
        raise CannotRun(
            f"writing failed: {told}; once that is mended, the same command with --resume goes on"
        ) from None
    return outcome


def _split(gate: AnyGate[Any], name: str, form: Form, asked: Asked) -> Split | None:
    """The files that admitted and refused records go to, where that was asked for. Raises CannotRun."""
    if asked.admitted is None and asked.refused is None:
        if asked.resume:
            raise CannotRun("--resume goes on with --admitted and --refused: give the same names again")
        return None
    if form not in ("ndjson", "csv", "tsv"):
        raise CannotRun(f"{name!r}: a file that is one text is not split; NDJSON, CSV and TSV are")
    if asked.stop_after:
        raise CannotRun("--stop-after leaves records unread: a split needs all of them")
    try:
        return Split(
            gate, name, admitted=asked.admitted, refused=asked.refused, resume=asked.resume, secrets=asked.secrets
        )
    except CannotStart as error:
        raise CannotRun(str(error)) from None
    except OSError as error:
        raise CannotRun(f"{name!r} cannot be read: {error.strerror}") from None


def _take(outcome: Outcome, item: Item[Any], asked: Asked) -> None:
    outcome.digest.add(item, outcome.name)
    for path in item.verdict.dropped:
        if len(outcome.dropped) < 100:
            outcome.dropped.add(str(path[-1]))
    if not item and len(outcome.faults) < max(asked.most, _LISTED + 1):
        outcome.faults += [(item, fault) for fault in item.faults]


@contextmanager
def _progress(name: str, stream: BinaryIO) -> Iterator[Callable[[Digest], Any] | None]:
    """A progress bar on standard error for work that takes a while, where someone is watching."""
    size = 0 if name == "-" else Path(name).stat().st_size
    if size < _SHOW_PROGRESS_FROM or not sys.stderr.isatty():
        yield None
        return
    columns = (
        TextColumn("checking"),
        BarColumn(),
        TextColumn("{task.fields[records]:,} records"),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=console(stderr=True), transient=True) as bar:
        task = bar.add_task("checking", total=size, records=0)

        def tell(digest: Digest) -> None:
            bar.update(task, completed=_position(stream), records=digest.rows)

        yield tell


def _position(stream: Any) -> int:
    """How many bytes of the file itself have been read."""
    return int(getattr(getattr(stream, "raw", stream), "packed", stream).tell())


def print_outcome(out: Console, outcome: Outcome, target: str, asked: Asked) -> None:
    """What became of a delivery, for people."""
    out.print(f"{visible(outcome.name)} against {target}", style="heading")
    digest = outcome.digest
    if digest.faults <= _LISTED or asked.every:
        for item, fault in outcome.faults[: asked.most]:
            out.print("  ", fault_line(outcome.name, fault), sep="")
            if asked.excerpt:
                _excerpt(out, item, fault)
        if (left := digest.faults - min(asked.most, len(outcome.faults))) > 0:
            out.print(f"  and {left:,} more; --most {digest.faults} prints them all", style="quiet")
    else:
        _print_digest(out, digest)
    out.print()
    if outcome.dropped:
        keys = ", ".join(sorted(map(visible, outcome.dropped))[:8])
        out.print(f"  unknown keys left out: {keys}; --unknown refuse makes each a fault", style="quiet")
    if outcome.broken:
        out.print(f"  {outcome.broken}: what stands behind was not read", style="refused", markup=False)
    if outcome.stopped:
        out.print(f"  stopped after {counted(digest.refused, 'refused record')}, as asked", style="quiet")
    for key, (file, count) in outcome.written.items():
        said = "what is wrong with them" if key == "faults" else counted(count, f"{key} record")
        out.print(Text.assemble("  ", (visible(file), "place"), "  ", (said, "quiet")))
    if not digest.rows:
        out.print("  there was no record to check", style="quiet")
        return
    out.print("  ", told(digest.admitted, digest.refused, digest.faults), sep="")


def _print_digest(out: Console, digest: Digest) -> None:
    for group in digest.groups:
        out.print(
            Text.assemble("  ", (visible(group.pointer) or "(the whole)", "pointer"), "  needs ", visible(group.wanted))
        )
        share = f"{counted(group.faults, 'fault')} in {counted(group.rows, 'record')} ({group.rows / digest.rows:.1%})"
        first = first_place(*group.first[0])
        out.print(Text.assemble("      ", share, ", first ", (first, "place")))
        if came := _came(group):
            out.print(Text.assemble("      ", (came, "quiet")))
    out.print("  --every lists each fault", style="quiet")


def _came(group: Group) -> str:
    """Which values came, and what would have let them pass."""
    several = group.most_frequent(4)
    parts = []
    if several:
        values = ", ".join(f"{value} ({count:,})" for value, count in several)
        more = len(group.values) - len(several)
        parts.append(f"came: {values}{f' and {more} others' if more > 0 else ''}")
    if group.bound:
        parts.append(f"{group.bound} would pass")
    return "; ".join(parts)


def _excerpt(out: Console, item: Item[Any], fault: Fault) -> None:
    """The line that a fault stands in, with a mark under its place."""
    place = fault.place
    if place is None or not item.raw or not item.line:
        return
    lines = item.raw.decode("utf-8", "replace").splitlines()
    at = place.line - item.line
    if not 0 <= at < len(lines):
        return
    begin = max(place.column - 60, 0) if place.column else 0
    piece = lines[at][begin : begin + 100]
    number = f"{place.line:>8} "
    out.print(Text.assemble((f"{number}| ", "quiet"), visible(piece)))
    if place.column:
        before = visible(lines[at][begin : place.column - 1])
        out.print(Text.assemble(" " * len(number), ("| ", "quiet"), " " * len(before), ("^", "refused")))


def print_as_data(outcomes: Sequence[Outcome], target: str) -> None:
    """What became of deliveries, as JSON."""
    made = [
        {
            "file": outcome.name,
            "against": target,
            **outcome.digest.as_dict(),
            "every": [
                {"file": outcome.name, "record": item.number, **fault.as_dict()} for item, fault in outcome.faults
            ],
            "dropped": sorted(outcome.dropped),
            **({"broken_off": outcome.broken} if outcome.broken else {}),
        }
        for outcome in outcomes
    ]
    click.echo(json.dumps(made[0] if len(made) == 1 else made, indent=2, ensure_ascii=False, default=str))


def print_as_markdown(outcomes: Sequence[Outcome]) -> None:
    """What became of deliveries, as Markdown for a mail."""
    for outcome in outcomes:
        click.echo(f"## {visible(outcome.name)}\n\n{outcome.digest.as_markdown()}")


def print_as_sarif(outcomes: Sequence[Outcome]) -> None:
    """What is wrong in deliveries, as SARIF."""
    faults = [(outcome.name, fault) for outcome in outcomes for _, fault in outcome.faults]
    complete = len(faults) == sum(outcome.digest.faults for outcome in outcomes)
    click.echo(json.dumps(sarif(faults, __version__, complete=complete), indent=2))
