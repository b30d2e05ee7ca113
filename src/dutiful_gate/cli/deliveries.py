"""What `dutiful check` does with each delivery: one pass, in one process or several, with its tally and its split."""

from __future__ import annotations

import glob
import os
import sys
from collections.abc import Callable, Generator, Iterator, Sequence
from concurrent.futures.process import BrokenProcessPool
from contextlib import ExitStack, closing, contextmanager, nullcontext
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from ..files.delivery import examine_stream, take_parquet
from ..files.distinct import DistinctRecords
from ..files.item import Item
from ..files.jobs import pieces
from ..files.opened import FORMS, BrokenOff, CannotStart, Form, form_of, opened
from ..files.split import Split
from ..files.table_layout import TableLayout
from ..files.tally import Tally
from ..gates.base import AnyGate
from ..report.digest import Digest
from .console import console
from .target import CannotRun

_SHOW_PROGRESS_FROM = 2_000_000


@dataclass(kw_only=True)
class DeliveryOptions:
    """How deliveries are to be read, told and split, by the names of the command's options.

    `read_as`   the form of the data, None where the name of a file tells it
    `layout`    how a table is laid out
    `distinct`  what no two records may share
    """

    read_as: Form | None
    select: str
    layout: TableLayout
    jobs: int
    stop_after: int
    every: bool
    excerpt: bool
    brief: bool
    most: int
    admitted: Path | None
    refused: Path | None
    resume: bool
    secrets: bool
    formulas_as_text: bool
    distinct: DistinctRecords | None = None

    @property
    def splits(self) -> bool:
        """Whether records are written to files."""
        return self.admitted is not None or self.refused is not None

    def refuse_clashes(self, named: Sequence[str], *, distinct: bool) -> None:
        """Refuse what does not go together. Raises CannotRun."""
        if self.splits and len(named) > 1:
            raise CannotRun("--admitted and --refused are for one file at a time")
        if distinct and self.resume:
            raise CannotRun("--distinct-by needs all records in one run: it does not go with --resume")
        if self.resume and not self.splits:
            raise CannotRun("--resume goes on with --admitted and --refused: give the same names again")
        if self.splits and self.stop_after:
            raise CannotRun("--stop-after leaves records unread: a split needs all of them")
        if self.jobs > 1 and (distinct or self.stop_after):
            option = "--distinct-by" if distinct else "--stop-after"
            raise CannotRun(f"{option} takes records one after the other: leave out --jobs")


@dataclass
class DeliveryOutcome:
    """What became of one delivery: its tally, where it broke off, what was not looked at, which files were written.

    `hides` tells that its lines were to be shown, and are not, since they hold secrets.
    """

    name: str
    tally: Tally
    broken: str = ""
    stopped: bool = False
    hides: bool = False
    unread: list[str] = field(default_factory=list)
    written: list[tuple[str, list[str], int]] = field(default_factory=list)

    @property
    def digest(self) -> Digest:
        """What is wrong, added up."""
        return self.tally.digest

    @property
    def is_sound(self) -> bool:
        """Whether all of it was read and admitted."""
        return not (self.digest.faults or self.broken)


def files_of(data: Sequence[str]) -> list[str]:
    """The files that are meant: of a folder all of a known form, of a pattern those that match. Raises CannotRun."""
    found: list[str] = []
    for each in data:
        if not each:
            raise CannotRun("the name of a file is empty; give a file, or . for the files of this folder")
        if each == "-" or os.path.isfile(each):
            found.append(each)
        elif os.path.isdir(each):
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


def examined(gate: AnyGate[Any], name: str, asked: DeliveryOptions) -> DeliveryOutcome:
    """One delivery, read once. Raises CannotRun where it cannot be read at all."""
    form = asked.read_as or ("json" if name == "-" else form_of(name))
    if form is None:
        raise CannotRun(
            f"{name!r} tells no form by its ending; say which: --read-as {'|'.join(sorted(set(FORMS.values())))}"
        )
    shown = "<stdin>" if name == "-" else name
    hides = gate.shape.secretive
    outcome = DeliveryOutcome(
        shown, Tally(shown, asked.most, asked.excerpt and not hides), hides=asked.excerpt and hides
    )
    try:
        with _split(gate, name, form, asked) as split:
            _run(gate, name, form, asked, outcome, split)
    except CannotStart as error:
        raise CannotRun(f"{shown}: {error}") from None
    except BrokenOff as error:
        outcome.broken = str(error)
    except BrokenProcessPool:
        remedy = "the same command with --resume goes on" if asked.splits else "try again, or with fewer --jobs"
        raise CannotRun(f"{shown}: a process of the {asked.jobs} was killed; {remedy}") from None
    except KeyboardInterrupt:
        if not asked.splits:
            raise
        raise CannotRun(f"{shown}: interrupted; the same command with --resume goes on") from None
    except OSError as error:
        told = error.strerror or str(error)
        if not asked.splits:
            raise CannotRun(f"{shown}: reading failed: {told}") from None
        raise CannotRun(
            f"{shown}: reading or writing failed: {told}; once that is mended, the same command with --resume goes on"
        ) from None
    return outcome


def _run(
    gate: AnyGate[Any], name: str, form: Form, asked: DeliveryOptions, outcome: DeliveryOutcome, split: Split | None
) -> None:
    """Read all of a delivery, or as much of it as is asked for."""
    with opened(name) as stream, _progress(name, stream) as tell, ExitStack() as stack:
        if asked.jobs > 1 and form == "ndjson":
            for piece in stack.enter_context(closing(_pieces(gate, stream, asked, outcome, split))):
                tell(piece.tally.digest)
        elif form == "parquet" and split is None and not (asked.distinct or asked.stop_after or asked.select):
            take_parquet(gate, stream, outcome.tally, tell.whole)
        else:
            above = split.begin if split is not None else None
            items = examine_stream(
                gate,
                stream,
                form,
                select=asked.select,
                layout=asked.layout,
                told=tell.whole,
                above=above,
                beside=outcome.unread.extend,
            )
            _take_all(stack.enter_context(closing(items)), asked, outcome, split, tell)
        if split is not None and not outcome.stopped:
            split.finish()
            outcome.written = [
                (key, [str(path) for path in paths], split.written.get(key, 0)) for key, paths in split.finals.items()
            ]


def _take_all(
    items: Iterator[Item[Any]], asked: DeliveryOptions, outcome: DeliveryOutcome, split: Split | None, tell: _Progress
) -> None:
    for number, each in enumerate(items, 1):
        item = each if asked.distinct is None else asked.distinct.judged(each, outcome.name)
        outcome.tally.add(item)
        if split is not None:
            split.take(item, number)
        if number % 1000 == 0:
            tell(outcome.digest)
        if asked.stop_after and outcome.digest.refused >= asked.stop_after:
            outcome.stopped = True
            return


def _pieces(
    gate: AnyGate[Any], stream: BinaryIO, asked: DeliveryOptions, outcome: DeliveryOutcome, split: Split | None
) -> Generator[DeliveryOutcome, None, None]:
    """The delivery in pieces, each taken in by the outcome."""
    blank = outcome.tally.empty_copy()
    sorter = split.sorter if split is not None and not split.complete else None
    if split is not None:
        split.begin(b"")
    with closing(pieces(gate, stream, asked.jobs, blank, sorter)) as made:
        for piece in made:
            outcome.tally.merge(piece.tally)
            if split is not None:
                for entry in piece.entries:
                    split.put(entry[0], entry)
                split.put(piece.last, None)
            yield outcome


def _split(gate: AnyGate[Any], name: str, form: Form, asked: DeliveryOptions) -> Any:
    """The files that admitted and refused records go to, where that was asked for. Raises CannotRun."""
    if not asked.splits:
        return nullcontext()
    how = f"{form} {asked.select} {asked.layout} {asked.distinct is not None}"
    try:
        return Split(
            gate,
            name,
            admitted=asked.admitted,
            refused=asked.refused,
            form=form,
            resume=asked.resume,
            secrets=asked.secrets,
            formulas_as_text=asked.formulas_as_text,
            how=how,
        )
    except CannotStart as error:
        raise CannotRun(str(error)) from None
    except OSError as error:
        raise CannotRun(f"{name!r} cannot be read: {error.strerror}") from None


class _Progress:
    """Shows how far a delivery is, where somebody is watching."""

    def __init__(self, stream: BinaryIO, bar: Progress | None = None, size: int = 0) -> None:
        self._stream = stream
        self._bar = bar
        self._task = bar.add_task("checking", total=size, records=0) if bar is not None else None

    def __call__(self, digest: Digest) -> None:
        """So many records are done."""
        if self._bar is not None and self._task is not None:
            self._bar.update(self._task, completed=_position(self._stream), records=digest.rows)

    @property
    def whole(self) -> Callable[[int, int], Any] | None:
        """The same for what is read whole: so many records of so many are done."""
        bar, task = self._bar, self._task
        if bar is None or task is None:
            return None
        return lambda done, total: bar.update(task, completed=done, total=total, records=done)


@contextmanager
def _progress(name: str, stream: BinaryIO) -> Iterator[_Progress]:
    """A progress bar on standard error for work that takes a while, where someone is watching."""
    size = 0 if name == "-" else Path(name).stat().st_size
    if size < _SHOW_PROGRESS_FROM or not sys.stderr.isatty():
        yield _Progress(stream)
        return
    columns = (
        TextColumn("checking"),
        BarColumn(),
        TextColumn("{task.fields[records]:,} records"),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=console(stderr=True), transient=True) as bar:
        yield _Progress(stream, bar, size)


def _position(stream: Any) -> int:
    """How many bytes of the file itself have been read."""
    return int(getattr(getattr(stream, "raw", stream), "packed", stream).tell())
