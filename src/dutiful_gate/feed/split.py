"""A delivery split in two, nothing lost: typed records that were admitted, and the untouched originals of the refused.

Files are written beside their final names as `.part`, with a journal of how far they are sound; they get their names
when all is there. An interrupted run goes on from its journal, and ends with the same bytes.
"""

from __future__ import annotations

import csv
import io
import json
import os
import sys
from collections.abc import Callable, Mapping
from hashlib import sha256
from pathlib import Path
from typing import Any, BinaryIO, Final

from ..gates.base import AnyGate
from ..gates.typed import Gate
from .item import Item
from .opened import BrokenOff, CannotStart, form_of

PART: Final = ".part"
JOURNAL: Final = ".journal"
FAULTS: Final = ".faults.ndjson"
_EVERY: Final = 2_000
_LOOKED_AT: Final = 64 * 1024
_ANEW: Final = "remove the .part and .journal files, and start without --resume"


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


class Split:
    """The files of one split. Use it as a context: what is not finished stays as parts, with their journal.

    `admitted`  where typed records go: NDJSON, or CSV by its ending; None for nowhere
    `refused`   where the originals of refused records go, in the delivery's own form; None for nowhere. Their faults
                stand beside, in a file of that name with `.faults.ndjson`
    `secrets`   whether the secrets of records go out; without them a gate that has some cannot split

    Raises CannotStart where an output is there already, is the input, or cannot be written; Changed where a run is to
    be resumed and its input, its journal or its parts are not what they were.
    """

    def __init__(
        self,
        gate: AnyGate[Any],
        source: str,
        *,
        admitted: Path | None,
        refused: Path | None,
        resume: bool = False,
        secrets: bool = False,
    ) -> None:
        self.source = source
        self.finals = {name: path for name, path in self._named(admitted, refused).items() if path is not None}
        self._files: dict[str, BinaryIO] = {}
        self.complete = resume and self._is_complete()
        """Whether all was written, and only names were left to be given."""
        if self.complete:
            self.done, self.written = sys.maxsize, dict(self._told()["written"])
            return
        self._refuse_clashes()
        if admitted is not None and gate.shape.secretive and not secrets:
            raise CannotStart("admitted records hold secrets, which are not written unless asked for: --secrets")
        self._line = _writer_of(gate, admitted) if admitted is not None else None
        self.done = 0
        self.written = {"admitted": 0, "refused": 0}
        self._mark = {} if source == "-" else mark_of(Path(source))
        sizes = self._resumed() if resume else {}
        for name, path in self.finals.items():
            self._files[name] = self._part(path, sizes.get(name))
        self._headed = bool(sizes)

    @staticmethod
    def _named(admitted: Path | None, refused: Path | None) -> dict[str, Path | None]:
        beside = refused.with_name(refused.name + FAULTS) if refused is not None else None
        return {"admitted": admitted, "refused": refused, "faults": beside}

    @property
    def journal(self) -> Path:
        """Where it stands how far the parts are sound."""
        first = next(iter(self.finals.values()))
        return first.with_name(first.name + JOURNAL)

    def _told(self) -> Any:
        return json.loads(self.journal.read_text(encoding="utf-8"))

    def _is_complete(self) -> bool:
        try:
            return bool(self._told()["complete"])
        except (OSError, ValueError, KeyError, TypeError):
            return False

    def _refuse_clashes(self) -> None:
        paths = list(self.finals.values())
        if len({path.absolute() for path in paths}) != len(paths):
            raise CannotStart("two outputs have one name")
        for path in paths:
            if self.source != "-" and path.exists() and Path(self.source).exists() and path.samefile(self.source):
                raise CannotStart(f"{str(path)!r} is the input; name another output")
            if path.exists():
                raise CannotStart(f"{str(path)!r} is there already; move it away, or name another")
            if not path.parent.is_dir():
                raise CannotStart(f"there is no folder {str(path.parent)!r}")

    def _part(self, path: Path, size: int | None) -> BinaryIO:
        part = path.with_name(path.name + PART)
        try:
            if size is None:
                return part.open("wb")
            stream = part.open("r+b")
            stream.truncate(size)
            stream.seek(size)
        except OSError as error:
            raise CannotStart(f"{str(part)!r} cannot be written: {error.strerror}") from None
        return stream

    def _resumed(self) -> Mapping[str, int]:
        """How large the parts were when the journal was last written; sets how many records they are of."""
        if self.source == "-":
            raise CannotStart("standard input cannot be read again: there is nothing to resume")
        try:
            told = self._told()
            mark, done, sizes, written = told["input"], told["records"], told["sizes"], told["written"]
        except FileNotFoundError:
            raise CannotStart(f"there is no journal {str(self.journal)!r}: start without --resume") from None
        except (ValueError, KeyError, TypeError, OSError):
            raise Changed(
                f"{str(self.journal)!r} cannot be read; remove it with the .part files, and start anew"
            ) from None
        if mark != self._mark:
            raise Changed(
                f"{self.source!r} is not what it was when the run began: remove the .part files, and start anew"
            )
        for name, path in self.finals.items():
            part = path.with_name(path.name + PART)
            if name not in sizes or not part.exists() or part.stat().st_size < sizes[name]:
                raise Changed(f"{str(part)!r} is not what the journal says; {_ANEW}")
        self.done, self.written = done, dict(written)
        return dict(sizes)

    def begin(self, header: bytes) -> None:
        """What stands above the records of the delivery, and so above the refused ones too."""
        if self._headed or self.complete:
            return
        if "refused" in self._files:
            self._files["refused"].write(header)
        if self._line is not None and (heading := self._line.heading):
            self._files["admitted"].write(heading)
        self._headed = True

    def take(self, item: Item[Any], number: int) -> None:
        """Write one record where it belongs; those that a former run wrote are passed over.

        Raises BrokenOff for one of which not all is at hand: nothing may be lost.
        """
        if number <= self.done:
            return
        if not item.is_whole:
            raise BrokenOff(f"line {item.line} is too long to be kept whole: give the gate larger limits")
        if item:
            if self._line is not None:
                self._files["admitted"].write(self._line(item.value))
                self.written["admitted"] += 1
        elif "refused" in self._files:
            self._files["refused"].write(item.closed)
            self.written["refused"] += 1
            faults = {"record": item.number, "line": item.line, "faults": [fault.as_dict() for fault in item.faults]}
            line = json.dumps(faults, ensure_ascii=False, default=str)
            self._files["faults"].write(line.encode("utf-8", "backslashreplace") + b"\n")
        self.done = number
        if number % _EVERY == 0:
            self.commit()

    def commit(self, *, complete: bool = False) -> None:
        """Write down how far the parts are sound, or that they are complete."""
        for stream in self._files.values():
            stream.flush()
            os.fsync(stream.fileno())
        told = {
            "input": self._mark,
            "records": self.done,
            "sizes": {name: stream.tell() for name, stream in self._files.items()},
            "written": self.written,
            "complete": complete,
        }
        fresh = self.journal.with_name(self.journal.name + PART)
        fresh.write_text(json.dumps(told), encoding="utf-8")
        os.replace(fresh, self.journal)

    def finish(self) -> None:
        """Give the parts their names: nothing else is to come."""
        if not self.complete:
            self.commit(complete=True)
        for stream in self._files.values():
            stream.close()
        for path in self.finals.values():
            part = path.with_name(path.name + PART)
            if part.exists():
                os.replace(part, path)
        self.journal.unlink(missing_ok=True)

    def __enter__(self) -> Split:
        return self

    def __exit__(self, *raised: object) -> None:
        for stream in self._files.values():
            stream.close()


class _AdmittedLine:
    """Writes typed records as lines; `heading` is what stands above them."""

    def __init__(self, write: Callable[[Any], bytes], heading: bytes = b"") -> None:
        self._write = write
        self.heading = heading

    def __call__(self, value: Any) -> bytes:
        return self._write(value)


def _writer_of(gate: AnyGate[Any], path: Path) -> _AdmittedLine:
    """What writes an admitted record, by the ending of the file's name. Raises CannotStart."""
    form = form_of(path.name)
    if form == "ndjson":
        return _AdmittedLine(lambda value: _json(gate, value) + b"\n")
    if form not in ("csv", "tsv"):
        raise CannotStart(f"{str(path)!r} tells no form for admitted records; end it in .ndjson, .csv or .tsv")
    from .text_gates import record_of

    record = record_of(gate) if isinstance(gate, Gate) else None
    if record is None:
        raise CannotStart("a CSV file needs records that are declared; write .ndjson")
    names = [field.wire for field in record.fields]
    separator = "\t" if form == "tsv" else ","

    def line(value: Any) -> bytes:
        plain = gate.release_admitted(value, secrets=True)  # type: ignore[attr-defined]
        return _row([_cell(plain.get(name)) for name in names], separator)

    return _AdmittedLine(line, _row(names, separator))


def _json(gate: AnyGate[Any], value: Any) -> bytes:
    if isinstance(gate, Gate):
        return gate.release_admitted_json(value, secrets=True)
    from ..engine.json_out import json_bytes

    return json_bytes(value)


def _row(cells: list[str], separator: str) -> bytes:
    buffer = io.StringIO(newline="")
    csv.writer(buffer, delimiter=separator, lineterminator="\n").writerow(cells)
    return buffer.getvalue().encode("utf-8")


def _cell(plain: Any) -> str:
    if plain is None:
        return ""
    if isinstance(plain, bool):
        return str(plain).lower()
    return plain if isinstance(plain, str) else json.dumps(plain, ensure_ascii=False, default=str)
