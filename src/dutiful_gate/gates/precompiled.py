"""Gates built beforehand: their functions in a file, which a program opens instead of writing and compiling them.

The folder that `build_gates` writes is a package: `import built` opens it, and each gate that the program makes from
then on finds its functions there, if it is made of the same words. It is stale when a source file that it was built
from, this package, or Python has changed: then it refuses, or is passed over, as was chosen when it was built.
"""

from __future__ import annotations

import hashlib
import io
import json
import marshal
import os
import pickle
import sys
import zlib
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, Final, Literal, NamedTuple

from ..declare.errors import DeclarationError
from ..engine.engine import Engine
from ..engine.stored import StoredEngine, stored
from ..safe_files.own_files import write_whole
from ..shape.declaration_digest import digest_of_declaration
from ..shape.pickling import leant_on, words_packer
from .active_store import stores
from .request import RequestGate
from .typed import Gate

Stale = Literal["refuse", "compile"]
FUNCTIONS: Final = "gates.bin"
STAMP: Final = "stamp.json"
DOCUMENTS: Final = "documents"
_STAMPED: Final = {"python": str, "library": str, "stale": str, "functions": str, "sources": dict, "gates": dict}
_WORDS_OF_REQUEST: Final = 4
_OWN: Final = Path(__file__).parents[1]
_INIT: Final = '''"""Gates built beforehand by dutiful build: import this before the modules that make them."""

from dutiful_gate.precompiled import open_built

open_built(__file__)
'''


class StaleBuild(RuntimeError):
    """What was built beforehand is not of what is there now; the words say what has changed, and what to do."""


class Built:
    """What was built.

    `gates`     the names of the gates whose functions were written
    `left`      gates that cannot be built beforehand, with the reason
    `changed`   of a check: what is not as it was
    """

    def __init__(self, gates: Sequence[str], left: Sequence[str], changed: Sequence[str] = ()) -> None:
        self.gates = tuple(gates)
        self.left = tuple(left)
        self.changed = tuple(changed)


def build_gates(
    gates: Mapping[str, Gate[Any] | RequestGate[Any]],
    folder: Path,
    *,
    modules: Iterable[str] = (),
    stale: Stale = "refuse",
) -> Built:
    """Write the functions and the documents of gates, by name, into a folder that can be imported.

    `modules` are those whose source files are touched besides those of the declared types. Raises OSError, and
    DeclarationError for modules that stand in an archive.
    """
    made, left = _made(gates)
    sources = _sources(gates.values(), modules, folder)
    functions = _joined(made.values())
    folder.mkdir(parents=True, exist_ok=True)
    documents = folder / DOCUMENTS
    documents.mkdir(exist_ok=True)
    for name, each in made.items():
        if each.document is not None:
            text = json.dumps(each.document[0], indent=2, ensure_ascii=False) + "\n"
            write_whole(documents / f"{_file_name(name)}.schema.json", text.encode())
    write_whole(folder / FUNCTIONS, functions)
    stamp = {
        "python": sys.version,
        "library": _library(),
        "stale": stale,
        "functions": _hash(functions),
        "sources": sources,
        "gates": {name: each.told for name, each in made.items()},
    }
    write_whole(folder / STAMP, (json.dumps(stamp, indent=2) + "\n").encode())
    write_whole(folder / "__init__.py", _INIT.encode())
    return Built(list(made), left)


def check_built(gates: Mapping[str, Gate[Any] | RequestGate[Any]], folder: Path) -> Built:
    """Whether a folder holds what would be built now: analysed in full, and compared. Raises OSError, StaleBuild."""
    stamp = _stamp(folder)
    made, left = _made(gates)
    known = stamp["gates"]
    changed = [f"{name} is not there" for name in made if name not in known]
    changed += [f"{name} is there, and not asked for" for name in known if name not in made]
    changed += [f"{name} is written otherwise now" for name in made if name in known and known[name] != made[name].told]
    if not changed:
        changed = _differences(folder, stamp)
    return Built(list(made), left, changed)


class _Made(NamedTuple):
    mark: str
    digest: bytes
    quick: bytes
    rest: bytes
    document: Any
    told: str


def _made(gates: Mapping[str, Gate[Any] | RequestGate[Any]]) -> tuple[dict[str, _Made], list[str]]:
    made: dict[str, _Made] = {}
    left: list[str] = []
    for name, gate in gates.items():
        mark = mark_of(_words(gate))
        if mark is None or gate._names:
            left.append(f"{name}: its declaration cannot be found by its name; declare it at the top of a module")
            continue
        digest = _digest(_words(gate))
        if digest is None:
            left.append(f"{name}: its declaration holds what cannot be told by value")
            continue
        document = _document(gate)
        engine = gate._engine
        assert isinstance(engine, Engine)
        try:
            quick, rest = stored(engine, document)
        except (pickle.PicklingError, TypeError, AttributeError, ValueError) as error:
            left.append(f"{name}: {error}")
            continue
        # The functions, without the legend below them, which tells constants by whichever module has them.
        functions = engine.source.partition("\n# What the constants are")[0]
        words = json.dumps([functions, document], default=str, sort_keys=True)
        made[name] = _Made(mark, digest, quick, rest, document, _hash(words.encode("utf-8", "replace")))
    return made, left


def _document(gate: Gate[Any] | RequestGate[Any]) -> Any:
    """The document of a gate, and what it leaves unstated; None for a request, which has several."""
    if not isinstance(gate, Gate):
        return None
    try:
        document = gate.schema()
    except DeclarationError:
        return None
    return dict(document), document.unstated


def _words(gate: Gate[Any] | RequestGate[Any]) -> tuple[object, ...]:
    if isinstance(gate, Gate):
        return gate.declared, gate.reads, gate.unknown, gate.limits, gate.keys, gate.lenient, gate.leaves_out
    return "request", gate.declared, gate.limits, gate.keys


def mark_of(words: tuple[object, ...]) -> str | None:
    """What tells the words of a gate from others, the same in every process; None where they cannot travel."""
    made = io.BytesIO()
    packer = words_packer(made)
    packer.fast = True  # equal words give equal bytes, whichever objects they share
    try:
        packer.dump(words)
    except Exception:  # what cannot be found by its name, in any of the ways in which pickle says so
        return None
    return hashlib.blake2b(made.getvalue(), digest_size=16).hexdigest()


def _digest(words: tuple[object, ...]) -> bytes | None:
    """A digest of what a gate's declaration says now, by the words of the gate."""
    of_request = len(words) == _WORDS_OF_REQUEST
    declared: Any = words[1] if of_request else words[0]
    keys: Any = words[3] if of_request else words[4]
    return digest_of_declaration(declared, keys)


# Opening


def _joined(made: Iterable[_Made]) -> bytes:
    """All functions in one file: how long its table is, the table of where each piece stands, the pieces."""
    pieces: list[bytes] = []
    table: dict[str, tuple[bytes, int, int, int]] = {}
    at = 0
    for each in made:
        rest = zlib.compress(each.rest, 1)
        table[each.mark] = (each.digest, at, len(each.quick), len(rest))
        pieces += [each.quick, rest]
        at += len(each.quick) + len(rest)
    index = marshal.dumps(table)
    return b"".join([len(index).to_bytes(8, "big"), index, *pieces])


class _Store:
    """The functions of one file, each read when its gate is made."""

    def __init__(self, file: Path, stale: Stale) -> None:
        self._file = file
        self._stale = stale
        with file.open("rb") as stream:
            size = int.from_bytes(stream.read(8), "big")
            self._table: dict[str, tuple[bytes, int, int, int]] = marshal.loads(stream.read(size))
        self._begin = 8 + size

    def engine(self, words: tuple[object, ...]) -> Engine | None:
        """See `Store`. Raises StaleBuild for a gate whose declaration says something else now."""
        mark = mark_of(words)
        place = self._table.get(mark) if mark is not None else None
        if place is None:
            return None
        digest, at, quick, rest = place
        if digest != _digest(words):
            if self._stale == "compile":
                return None
            declared = words[1] if len(words) == _WORDS_OF_REQUEST else words[0]
            name = getattr(declared, "__name__", declared)
            raise _stale(self._file.parent, f"what is declared of {name} has changed")
        with self._file.open("rb") as stream:
            stream.seek(self._begin + at)
            raw = stream.read(quick + rest)
        return StoredEngine(raw[:quick], raw[quick:])


def open_built(init: str | os.PathLike[str]) -> bool:
    """Open what was built into the folder of a file; whether it is of what is there now.

    Raises StaleBuild where it is not, and was built to refuse then.
    """
    folder = Path(init).parent
    if not folder.is_dir():
        raise StaleBuild(
            f"what was built in {folder.name!r} stands in an archive, where it cannot be opened: unpack it, or begin "
            "without its import"
        )
    stamp = _stamp(folder)
    changed = _differences(folder, stamp)
    if changed:
        if stamp["stale"] == "compile":
            return False
        raise _stale(folder, changed[0])
    # A file that stands beside the program, as its modules do.
    stores.append(_Store(folder / FUNCTIONS, stamp["stale"]))
    return True


def _stale(folder: Path, changed: str) -> StaleBuild:
    return StaleBuild(f"what was built in {folder.name!r} is stale: {changed}; run dutiful build again")


def _stamp(folder: Path) -> dict[str, Any]:
    """The stamp of a folder. Raises StaleBuild where there is none that can be read."""
    try:
        stamp = json.loads((folder / STAMP).read_bytes())
    except (OSError, ValueError):
        stamp = None
    if not isinstance(stamp, dict) or not all(type(stamp.get(name)) is kind for name, kind in _STAMPED.items()):
        raise StaleBuild(f"there is no stamp that can be read in {str(folder)!r}; run dutiful build again")
    return stamp


def _differences(folder: Path, stamp: Mapping[str, Any]) -> list[str]:
    """What is not as it was when a folder was built."""
    changed = []
    if stamp["python"] != sys.version:
        changed.append("Python is another")
    if stamp["library"] != _library():
        changed.append("this package is another version")
    for name, mark in {FUNCTIONS: stamp["functions"], **stamp["sources"]}.items():
        try:
            if _hash((folder / name).read_bytes()) != mark:
                changed.append(f"{Path(name).name} has changed")
        except OSError:
            changed.append(f"{Path(name).name} is not there")
    return changed


def _library() -> str:
    """The version of this package, and how large its files are: those who work on it build more often."""
    from .. import __version__

    sizes = hashlib.blake2b(digest_size=8)
    for path in sorted(_OWN.rglob("*.py")):
        sizes.update(f"{path.name}{path.stat().st_size}".encode())
    return f"{__version__} {sizes.hexdigest()}"


def _sources(gates: Iterable[Gate[Any] | RequestGate[Any]], modules: Iterable[str], folder: Path) -> dict[str, str]:
    """The files of the modules that gates were declared in, from the folder, with their hashes."""
    names = {*modules}
    for gate in gates:
        names.add(str(getattr(getattr(gate, "keys", None), "__module__", "")))
        names |= {str(getattr(held, "__module__", "")) for _, held in leant_on(gate.shape)}
    found: dict[str, str] = {}
    for name in sorted(names):
        file = getattr(sys.modules.get(name), "__file__", None)
        if file is None or Path(file).is_relative_to(_OWN / "engine"):
            continue
        if not Path(file).is_file():
            raise DeclarationError(
                f"the module {name} has no file of its own: it stands in an archive",
                remedy="unpack the archive, and build from its folder",
            )
        found[os.path.relpath(file, folder)] = _hash(Path(file).read_bytes())
    return found


def _hash(raw: bytes) -> str:
    return hashlib.sha256(raw).hexdigest()


def _file_name(name: str) -> str:
    return "".join(sign if sign.isalnum() or sign in "._-" else "_" for sign in name)


__all__ = ["Built", "StaleBuild", "build_gates", "check_built", "open_built"]
