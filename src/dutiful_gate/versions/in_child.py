"""A version that a child process has loaded: of a revision of the files in version control."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tarfile
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryDirectory
from types import TracebackType
from typing import Any, Self

from ..declare.errors import DeclarationError
from ..safe_files.python_files import imported, split_target
from .one_version import GateVersion, OneVersion


class CannotLoad(ValueError):
    """A version that cannot be loaded: its words say what to do."""


class ChildVersion:
    """A version in a child process. Use it as a context: the process ends with it.

    Functions and classes of the declaration stay where they are; documents, notes and verdicts come over as JSON.
    """

    def __init__(self, target: str, folder: Path, name: str, unknown: str | None = None) -> None:
        self.name = name
        self._process = subprocess.Popen(
            [sys.executable, "-m", "dutiful_gate.versions.in_child", target, unknown or ""],
            cwd=folder,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            encoding="ascii",
            env=_environment(folder),
        )
        told = self._read()
        if "error" in told:
            self.close()
            raise CannotLoad(f"{name}: {told['error']}")
        self.send: Any = told["send"]
        self.released: Any = told["released"]
        self.notes: Mapping[str, Any] = told["notes"]
        self.typed: bool = told["typed"]

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, way: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """End the process."""
        for stream in (self._process.stdin, self._process.stdout):
            if stream is not None:
                with suppress(OSError):
                    stream.close()
        try:
            self._process.wait(5)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()

    def _read(self) -> Any:
        assert self._process.stdout is not None
        line = self._process.stdout.readline()
        if not line:
            status = self._process.wait()
            raise CannotLoad(f"{self.name}: its process ended with status {status} before it had answered")
        return json.loads(line)

    def _asked(self, ask: str, **words: Any) -> Any:
        assert self._process.stdin is not None
        try:
            self._process.stdin.write(json.dumps({"ask": ask, **words}) + "\n")
            self._process.stdin.flush()
        except OSError:
            raise CannotLoad(f"{self.name}: its process has ended") from None
        told = self._read()
        if "error" in told:
            raise CannotLoad(f"{self.name}: {told['error']}")
        return told["answer"]

    def accepts(self, data: Any) -> bool:
        """See `OneVersion`."""
        return bool(self._asked("accepts", data=data))

    def refuses(self, data: Any) -> list[str] | None:
        """See `OneVersion`."""
        found: list[str] | None = self._asked("refuses", data=data)
        return found

    def payloads(self, count: int, seed: int) -> list[Any]:
        """See `OneVersion`."""
        return list(self._asked("payloads", count=count, seed=seed))

    def near(self, count: int, seed: int) -> list[Any]:
        """See `OneVersion`."""
        return list(self._asked("near", count=count, seed=seed))

    def releases(self, count: int, seed: int) -> list[Any]:
        """See `OneVersion`."""
        return list(self._asked("releases", count=count, seed=seed))


def _environment(folder: Path) -> dict[str, str]:
    """Modules are looked for where the version stands, first; also in its `src`."""
    paths = [str(folder), *([str(folder / "src")] if (folder / "src").is_dir() else [])]
    here = str(Path(__file__).resolve().parents[2])
    further = [each for each in (here, os.environ.get("PYTHONPATH", "")) if each]
    return {**os.environ, "PYTHONPATH": os.pathsep.join([*paths, *further]), "PYTHONDONTWRITEBYTECODE": "1"}


class Revision:
    """The files of a revision, in a folder of its own. Use it as a context. Raises CannotLoad."""

    def __init__(self, revision: str) -> None:
        self.revision = revision
        self._folder = TemporaryDirectory(prefix="dutiful-")
        try:
            root = Path(_git("rev-parse", "--show-toplevel").decode().strip())
            self.commit = _git("rev-parse", "--verify", "--end-of-options", f"{revision}^{{commit}}").decode().strip()
            self._inside = Path.cwd().resolve().relative_to(root.resolve())
        except (CannotLoad, ValueError):
            self._folder.cleanup()
            raise CannotLoad(
                f"there is no revision {revision!r} here; name a branch, a tag or a commit, from inside the repository"
            ) from None

    @property
    def folder(self) -> Path:
        """Where in it the folder stands that is the current one here."""
        return Path(self._folder.name).resolve() / self._inside

    def unpack(self) -> Path:
        """Put all its files there; gives back the folder."""
        process = subprocess.Popen(["git", "archive", self.commit], stdout=subprocess.PIPE, cwd=_root())
        assert process.stdout is not None
        with process.stdout, tarfile.open(fileobj=process.stdout, mode="r|") as archive:
            archive.extractall(self._folder.name, filter="data")
        if process.wait():
            raise CannotLoad(f"the files of {self.revision!r} cannot be read from version control")
        if not self.folder.is_dir():
            raise CannotLoad(f"the folder {self._inside} is not there in {self.revision!r}")
        return self.folder

    def text(self, path: str) -> bytes:
        """The bytes of one file of it."""
        try:
            return _git("show", "--end-of-options", f"{self.commit}:./{path}")
        except CannotLoad:
            raise CannotLoad(f"there is no file {path!r} in {self.revision!r}") from None

    def description(self, target: str) -> dict[str, Any] | None:
        """The description of an Api in it, written by a process of its own; None where it is none."""
        folder = self.unpack()
        with TemporaryDirectory(prefix="dutiful-") as into:
            command = [sys.executable, "-m", "dutiful_gate", "manual", target, "--into", into]
            told = subprocess.run(command, cwd=folder, capture_output=True, env=_environment(folder), check=False)
            if told.returncode == 0:
                made: dict[str, Any] = json.loads(Path(into, "openapi.json").read_text(encoding="utf-8"))
                return made
        words = " ".join(told.stderr.decode("utf-8", "replace").split())
        if "cannot be described" in words:
            raise CannotLoad(f"{target}@{self.revision}: {words}")
        return None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, way: TracebackType | None
    ) -> None:
        self._folder.cleanup()


def _root() -> str:
    return _git("rev-parse", "--show-toplevel").decode().strip()


def _git(*words: str) -> bytes:
    try:
        return subprocess.run(["git", *words], check=True, capture_output=True).stdout
    except FileNotFoundError:
        raise CannotLoad("revisions need the program git") from None
    except subprocess.CalledProcessError as error:
        raise CannotLoad(error.stderr.decode("utf-8", "replace").strip()) from None


# In the child


def _load(target: str, unknown: str) -> OneVersion:
    from ..gates.base import AnyGate
    from ..gates.typed import Gate

    module, name = split_target(target)
    found = imported(module)
    for part in name.split("."):
        found = getattr(found, part)
    if not isinstance(found, AnyGate):
        found = Gate(found, unknown="refuse" if unknown == "refuse" else "drop")
    return GateVersion(found, target)


def _answer(side: OneVersion, asked: Any) -> Any:
    match asked["ask"]:
        case "accepts":
            return side.accepts(asked["data"])
        case "refuses":
            return side.refuses(asked["data"])
        case "payloads":
            return side.payloads(asked["count"], asked["seed"])
        case "near":
            return side.near(asked["count"], asked["seed"])
    return side.releases(asked["count"], asked["seed"])


def serve() -> None:
    """Load what is named on the command line, and answer what is asked on standard input, line by line."""
    # What the declaration's own code prints must not come between the answers.
    answers = os.fdopen(os.dup(1), "w", encoding="ascii")
    os.dup2(2, 1)

    def say(told: Any) -> None:
        answers.write(json.dumps(told) + "\n")
        answers.flush()

    try:
        side = _load(sys.argv[1], sys.argv[2])
    except DeclarationError as error:
        say({"error": f"cannot become a gate: {error}"})
        return
    except Exception as error:
        say({"error": f"importing failed: {type(error).__name__}: {error}"})
        return
    say({"send": side.send, "released": side.released, "notes": dict(side.notes), "typed": side.typed})
    for line in sys.stdin:
        try:
            say({"answer": _answer(side, json.loads(line))})
        except Exception as error:
            say({"error": f"{type(error).__name__} was raised by the declaration's own code"})


if __name__ == "__main__":
    serve()
