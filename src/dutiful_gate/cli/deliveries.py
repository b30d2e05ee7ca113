"""What `dutiful check` does with deliveries of rows and lines: one pass, a digest of what is wrong, or every fault."""

from __future__ import annotations

import glob
import json
import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

import click
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn
from rich.text import Text

from ..feed.csv_layout import CsvLayout
from ..feed.delivery import examine_stream
from ..feed.digest import Digest, Group, first_place
from ..feed.item import Item
from ..feed.opened import FORMS, BrokenOff, CannotStart, Form, form_of, opened
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


@dataclass
class Outcome:
    """What became of one delivery."""

    name: str
    digest: Digest = field(default_factory=Digest)
    faults: list[tuple[Item[Any], Fault]] = field(default_factory=list)
    dropped: set[str] = field(default_factory=set)
    broken: str = ""
    stopped: bool = False


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
    try:
        with opened(name) as stream, _progress(name, stream) as tell:
            for number, item in enumerate(
                examine_stream(gate, stream, form, select=asked.select, layout=asked.layout), 1
            ):
                _take(outcome, item, asked)
                if number % 1000 == 0 and tell is not None:
                    tell(outcome.digest)
                if asked.stop_after and outcome.digest.refused >= asked.stop_after:
                    outcome.stopped = True
                    break
    except CannotStart as error:
        raise CannotRun(f"{outcome.name}: {error}") from None
    except BrokenOff as error:
        outcome.broken = str(error)
    return outcome


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
