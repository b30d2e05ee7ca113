"""A delivery split in two, nothing lost: typed records that were admitted, and the untouched originals of the refused.

Files are written beside their final names as `.part`, with a journal of how far they are sound; they get their names
when all is there. An interrupted run goes on from its journal, and ends with the same bytes.
"""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Mapping
from contextlib import ExitStack
from hashlib import sha256
from pathlib import Path
from typing import Any, Final

from ..declare.errors import DeclarationError
from ..gates.base import AnyGate
from ..gates.document import DocumentGate
from ..gates.typed import Gate
from ..safe_files.own_files import HeldElsewhere, Lock, opened_again, write_whole
from .growing_file import GrowingFile
from .item import Item
from .opened import BrokenOff, CannotStart, Form, form_of
from .outputs import Output, of_admitted, of_refused

JOURNAL: Final = ".journal"
LOCK: Final = ".lock"
FAULTS: Final = ".faults.ndjson"
_EVERY: Final = 2_000
_LOOKED_AT: Final = 64 * 1024
_ANEW: Final = "remove the .part and .journal files, and start without --resume"
SPLIT_FORMS: Final = ("ndjson", "csv", "tsv", "json", "xlsx", "parquet")
"""The forms whose records can be told apart in their file."""

Entry = tuple[int, str, Any, bytes]
"""What is written for a record: its place in the delivery, "admitted" or "refused", what goes there, and its faults."""


class Changed(CannotStart):
    """What is to be gone on with is not what it was."""


def mark_of(path: Path) -> dict[str, object]:
    """What tells whether a file is still the same: its size, its time, its first and last pieces."""
    told = path.stat()
    with path.open("rb") as stream:
        start = stream.read(_LOOKED_AT)
        stream.seek(max(told.st_size - _LOOKED_AT, 0))
        pieces = sha256(start + stream.read()).hexdigest()
    return {"size": told.st_size, "changed": told.st_mtime_ns, "pieces": pieces}


def _declared(gate: AnyGate[Any]) -> str:
    """What a gate asks for, in words that are the same in every process."""
    if isinstance(gate, DocumentGate):
        return json.dumps(gate.declared, default=str)
    assert isinstance(gate, Gate)
    try:
        return f"{json.dumps(gate.schema(), default=str)} {gate.unknown}"
    except DeclarationError:
        return gate.unknown


class SplitSorter:
    """Says what is written for a record, and where. It may do so in another process."""

    def __init__(
        self,
        gate: AnyGate[Any],
        form: Form,
        *,
        admitted: Path | None,
        refused: Path | None,
        formulas_as_text: bool = False,
    ) -> None:
        self._admitted = None
        if admitted is not None:
            self._admitted = of_admitted(gate, admitted, formulas_as_text=formulas_as_text)[1]
        self._refused = refused is not None
        self._by_row = form == "xlsx"
        self._lined = form != "json"  # a row of Parquet is told as a line of JSON

    def entry(self, item: Item[Any], number: int) -> Entry | None:
        """What is written for one record; None for nothing.

        Raises BrokenOff for one of which not all is at hand: nothing may be lost.
        """
        if not item.is_whole:
            raise BrokenOff(f"line {item.line} is too long to be kept whole: give the gate larger limits")
        if item:
            return (number, "admitted", self._admitted(item.value), b"") if self._admitted is not None else None
        if not self._refused or not item.number:
            return None
        faults = {"record": item.number, "line": item.line, "faults": [fault.as_dict() for fault in item.faults]}
        line = json.dumps(faults, ensure_ascii=False, default=str)
        original = f"{item.line}\n".encode() if self._by_row else item.closed if self._lined else item.raw
        return number, "refused", original, line.encode("utf-8", "backslashreplace") + b"\n"


class Split:
    """The files of one split. Use it as a context: what is not finished stays as parts, with their journal.

    `admitted`  where typed records go: NDJSON, CSV or Parquet by its ending; None for nowhere
    `refused`   where the originals of refused records go, in the delivery's own form; None for nowhere. Their faults
                stand beside, in a file of that name with `.faults.ndjson`
    `secrets`   whether the secrets of records go out; without them a gate that has some cannot split
    `formulas_as_text`  whether text in CSV that a spreadsheet would compute gets an apostrophe before it
    `how`       how the delivery is read: a run is resumed in the same way only

    Raises CannotStart where an output is there already, is the input, or cannot be written; Changed where a run is to
    be resumed and its input, its gate, its journal or its parts are not what they were.
    """

    def __init__(
        self,
        gate: AnyGate[Any],
        source: str,
        *,
        admitted: Path | None,
        refused: Path | None,
        form: Form | None = None,
        resume: bool = False,
        secrets: bool = False,
        formulas_as_text: bool = False,
        how: str = "",
    ) -> None:
        self.source = source
        form = form or form_of(source) or "ndjson"
        if form not in SPLIT_FORMS:
            raise CannotStart(f"records of {form.upper()} cannot be told apart in their file, so that it is not split")
        if source == "-" and form == "xlsx":
            raise CannotStart("a workbook is read twice for a split: name a file, not standard input")
        self._outputs: dict[str, Output] = {}
        if admitted is not None:
            self._outputs["admitted"] = of_admitted(gate, admitted, formulas_as_text=formulas_as_text)[0]
        if refused is not None:
            self._outputs["refused"] = of_refused(refused, source, form)
            self._outputs["faults"] = GrowingFile(refused.with_name(refused.name + FAULTS))
        self.finals: dict[str, list[Path]] = {}
        """The files of each kind, once all is written."""
        self._lock: Lock | None = None
        self.complete = resume and self._is_complete()
        """Whether all was written, and only names were left to be given."""
        self._headed = self.complete
        if self.complete:
            self._hold()
            self.done, self.written = sys.maxsize, dict(self._told()["written"])
            return
        self._refuse_clashes()
        if admitted is not None and gate.shape.secretive and not secrets:
            raise CannotStart("admitted records hold secrets, which are not written unless asked for: --secrets")
        self.sorter = SplitSorter(gate, form, admitted=admitted, refused=refused, formulas_as_text=formulas_as_text)
        self._hold()
        try:
            self._start(gate, f"{how}{formulas_as_text}", resume=resume)
        except BaseException:
            self._release()
            raise

    def _start(self, gate: AnyGate[Any], how: str, *, resume: bool) -> None:
        """Open the outputs, anew or where a former run was. Raises CannotStart, Changed."""
        source = self.source
        self.done = self._settled = 0
        self.written = {"admitted": 0, "refused": 0}
        self._mark: dict[str, object] = {} if source == "-" else mark_of(Path(source))
        self._mark["read"] = sha256(f"{_declared(gate)}{how}".encode("utf-8", "replace")).hexdigest()
        states = self._resumed() if resume else {}
        self._headed = bool(states) and bool(self._told().get("headed", True))
        if not resume:
            self._refuse_parts()
        for name, output in self._outputs.items():
            try:
                output.open(states.get(name))
            except CannotStart as error:
                if not resume:
                    raise
                raise Changed(f"{error}; {_ANEW}") from None
        if not resume:
            try:
                self.commit()  # so that whatever is left of this run can be gone on with
            except OSError as error:
                self._release()
                for part in (part for output in self._outputs.values() for part in output.parts()):
                    part.unlink(missing_ok=True)
                raise CannotStart(f"{str(self.journal)!r} cannot be written: {error.strerror}") from None

    @property
    def journal(self) -> Path:
        """Where it stands how far the parts are sound."""
        first = next(iter(self._outputs.values())).path()
        return first.with_name(first.name + JOURNAL)

    def _told(self) -> Any:
        try:
            with opened_again(self.journal) as stream:
                return json.loads(stream.read())
        except RecursionError:
            raise ValueError("no journal nests so deep") from None

    def _is_complete(self) -> bool:
        try:
            return bool(self._told()["complete"])
        except (OSError, ValueError, KeyError, TypeError):
            return False

    def _refuse_clashes(self) -> None:
        paths = [output.path() for output in self._outputs.values()]
        if len({path.absolute() for path in paths}) != len(paths):
            raise CannotStart("two outputs have one name")
        for output in self._outputs.values():
            path = output.path()
            for there in (path, *output.taken()):
                if not there.exists():
                    continue
                if self.source != "-" and Path(self.source).exists() and there.samefile(self.source):
                    raise CannotStart(f"{str(there)!r} is the input; name another output")
                raise CannotStart(f"{str(there)!r} is there already; move it away, or name another")
            if not path.parent.is_dir():
                raise CannotStart(f"there is no folder {str(path.parent)!r}")

    def _refuse_parts(self) -> None:
        """Raise CannotStart where an unfinished run has left something: it is not thrown away unasked."""
        there = [part for output in self._outputs.values() for part in output.parts()]
        for part in (self.journal, *there):
            if os.path.lexists(part):
                raise CannotStart(
                    f"{str(part)!r} is there already, of a run that was interrupted: --resume goes on from it, or "
                    "remove the .part and .journal files"
                )

    def _hold(self) -> None:
        """Have these outputs for this run alone. Raises CannotStart where another has them."""
        lock = self.journal.with_name(self.journal.name + LOCK)
        try:
            self._lock = Lock(lock)
        except HeldElsewhere as error:
            raise CannotStart(f"{error.strerror or error}: {str(self.journal)!r} is being written") from None
        except OSError as error:
            raise CannotStart(f"{str(lock)!r} cannot be made: {error.strerror or error}") from None

    def _release(self) -> None:
        """Close all outputs and let go of them, also where one cannot be closed: on a full disk what waits is lost."""
        with ExitStack() as stack:
            if self._lock is not None:
                stack.callback(self._lock.let_go)
                self._lock = None
            for output in self._outputs.values():
                stack.callback(output.close)

    def _resumed(self) -> Mapping[str, int]:
        """How far the outputs were when the journal was last written; sets how many records they are of."""
        if self.source == "-":
            raise CannotStart("standard input cannot be read again: there is nothing to resume")
        try:
            told = self._told()
            mark, done, states, written = told["input"], told["records"], told["states"], told["written"]
        except FileNotFoundError:
            raise CannotStart(f"there is no journal {str(self.journal)!r}: start without --resume") from None
        except (ValueError, KeyError, TypeError, OSError):
            raise Changed(f"{str(self.journal)!r} cannot be read; {_ANEW}") from None
        if mark.get("read") != self._mark["read"]:
            raise Changed(f"the declaration, or how {self.source!r} is read, is not what it was; {_ANEW}")
        if mark != self._mark:
            raise Changed(f"{self.source!r} is not what it was when the run began; {_ANEW}")
        if set(states) != set(self._outputs):
            raise Changed(f"the run was begun with other outputs; {_ANEW}")
        self.done = self._settled = done
        self.written = dict(written)
        return dict(states)

    def begin(self, header: bytes) -> None:
        """What stands above the records of the delivery, and so above the refused ones too."""
        if self._headed:
            return
        for name in ("admitted", "refused"):
            if name in self._outputs:
                self._outputs[name].head(header if name == "refused" else b"")
        self._headed = True

    def take(self, item: Item[Any], number: int) -> None:
        """Write one record where it belongs; those that a former run wrote are passed over."""
        if number > self.done:
            self.put(number, self.sorter.entry(item, number))

    def put(self, number: int, entry: Entry | None) -> None:
        """Write what the sorter said of the record of that number, and of those before it."""
        if number <= self.done:
            return
        if entry is not None:
            _, name, encoded, faults = entry
            self._outputs[name].write(encoded)
            self.written[name] += 1
            if faults:
                self._outputs["faults"].write(faults)
        self.done = number
        if number - self._settled >= _EVERY:
            self.commit()

    def commit(self, *, complete: bool = False) -> None:
        """Write down how far the parts are sound, or that they are complete; where that cannot be told yet, later."""
        states = {name: output.state(complete=complete) for name, output in self._outputs.items()}
        if None in states.values():
            return
        told = {
            "input": self._mark,
            "records": self.done,
            "states": states,
            "headed": self._headed,
            "written": self.written,
            "complete": complete,
        }
        write_whole(self.journal, json.dumps(told).encode())
        self._settled = self.done

    def finish(self) -> None:
        """Give the parts their names: nothing else is to come."""
        if not self.complete:
            self.commit(complete=True)
        states = self._told()["states"]
        for name, output in self._outputs.items():
            self.finals[name] = output.finish(states[name])
        self.journal.unlink(missing_ok=True)
        self._release()

    def __enter__(self) -> Split:
        return self

    def __exit__(self, *raised: object) -> None:
        self._release()
