"""NDJSON examined by several processes at once: a piece of whole lines each, put together in order."""

from __future__ import annotations

import io
import os
import pickle
import signal
import sys
import threading
from collections import deque
from collections.abc import Generator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import closing
from dataclasses import dataclass, field
from functools import partial
from multiprocessing import get_all_start_methods, get_context, parent_process
from multiprocessing.connection import wait
from typing import Any, BinaryIO, Final

from ..declare.outside import hand_over_from_here, handed
from ..declare.sources import Source
from ..gates.base import AnyGate
from ..gates.reading import gate_reading
from ..report.digest import Digest
from . import ndjson
from .delivery import examine_file, take_parquet
from .opened import CannotStart, Form, form_of, opened
from .split import Entry, SplitSorter
from .table_layout import TableLayout
from .tally import Tally

_AHEAD: Final = 3
"""So many pieces a process wait for it: it never waits for one, and what waits takes no more memory than that."""


@dataclass(slots=True)
class JobPiece:
    """What became of some records.

    `tally`    of them all
    `entries`  what a sorter says is written for them, by their numbers
    `last`     the number of the last of them
    """

    tally: Tally
    entries: list[Entry] = field(default_factory=list)
    last: int = 0


def pieces(
    gate: AnyGate[Any], stream: BinaryIO, jobs: int, blank: Tally, sorter: SplitSorter | None = None
) -> Generator[JobPiece, None, None]:
    """The pieces of a stream of NDJSON, in order, examined by so many processes.

    `blank` is a tally of nothing, as those of the pieces are to be. Raises CannotStart where the gate cannot travel to
    another process, BrokenProcessPool where one of them was killed.
    """
    reading = gate_reading(gate, Source.JSON)
    try:
        baggage = pickle.dumps((reading, blank, sorter, tuple(handed().values())))
    except (pickle.PicklingError, TypeError, AttributeError) as error:
        raise CannotStart(f"the gate cannot travel to other processes: {error}; leave out the jobs") from None
    pool = ProcessPoolExecutor(jobs, _context(), _begin, (baggage,))
    waiting: deque[Future[JobPiece]] = deque()
    try:
        for each in ndjson.pieces(stream, gate.limits.bytes):
            waiting.append(pool.submit(_examine, *each))
            if len(waiting) > jobs * _AHEAD:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    finally:
        pool.shutdown(wait=True, cancel_futures=True)


def _context() -> Any:
    """How processes are begun: as copies of this one where it has no threads, which is quickest; else afresh."""
    try:
        threads = len(os.listdir("/proc/self/task"))  # those of libraries, too
    except OSError:
        threads = threading.active_count() + (sys.platform == "darwin")  # where a copy is never safe
    return get_context("fork" if threads == 1 and "fork" in get_all_start_methods() else "spawn")


_baggage: tuple[AnyGate[Any], Tally, SplitSorter | None]


def _begin(packed: bytes) -> None:
    """What a process does first: unpack the gate. Ctrl+C is for the one that asked; it ends when that one has."""
    global _baggage
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with_the_one_that_asked, daemon=True).start()
    *found, values = pickle.loads(packed)
    _baggage = (found[0], found[1], found[2])
    hand_over_from_here(values)


def _end_with_the_one_that_asked() -> None:
    """Wait until the process that began this one is gone, killed or not, and go too: nobody would take what is made."""
    parent = parent_process()
    if parent is not None:
        wait([parent.sentinel])
        os._exit(1)


def _examine(lines: bytes, line: int, number: int) -> JobPiece:
    """Examine a piece; where checks wait, they are asked about all of it together."""
    return _baggage[0]._window(partial(_examined, lines, line, number))


def _examined(lines: bytes, line: int, number: int) -> JobPiece:
    gate, blank, sorter = _baggage
    made = JobPiece(blank.empty_copy(), last=number)
    add = made.tally.add
    for item in ndjson.items(gate, io.BytesIO(lines), line, number):
        add(item)
        made.last = item.number
        if sorter is not None and (entry := sorter.entry(item, item.number)) is not None:
            made.entries.append(entry)
    return made


def digest_of_file(
    gate: AnyGate[Any],
    path: str | os.PathLike[str],
    *,
    jobs: int = 1,
    form: Form | None = None,
    select: str = "",
    layout: TableLayout | None = None,
) -> Digest:
    """The digest of the records of a file. With `jobs`, so many processes examine a file of NDJSON.

    The other words are those of `examine_file`, as are the errors. Other forms are read by one process. A program that
    gives `jobs` keeps what it does itself under `if __name__ == "__main__":`, since each process imports it.
    """
    name = os.fspath(path)
    if jobs > 1 and (form or form_of(name)) == "ndjson":
        whole = Tally(name)
        with opened(path) as stream, closing(pieces(gate, stream, jobs, Tally(name, most=0))) as made:
            for piece in made:
                whole.merge(piece.tally)
        return whole.digest
    if (form or form_of(name)) == "parquet" and not select:
        tally = Tally(name, most=0)
        with opened(path) as stream:
            take_parquet(gate, stream, tally, None)
        return tally.digest
    digest = Digest()
    for item in examine_file(gate, path, form=form, select=select, layout=layout):
        digest.add(item, name)
    return digest


__all__ = ["BrokenProcessPool", "JobPiece", "digest_of_file", "pieces"]
