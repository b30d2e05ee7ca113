"""A PostgreSQL server of one's own, in a temporary folder, for as long as it is needed; it listens on no network."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from tempfile import mkdtemp
from typing import Final

from sqlalchemy import create_engine
from sqlalchemy.engine import URL, Engine

_USER: Final = "postgres"
_WAITS: Final = 60


class NoServer(RuntimeError):
    """There is no PostgreSQL here that could be started; the words say what is missing."""


@contextmanager
def own_postgresql() -> Iterator[Engine]:
    """An engine on a fresh server, which ends with the context. Raises NoServer.

    PostgreSQL refuses to run as root: then the user `postgres` runs it.
    """
    programs = _programs()
    try:
        import psycopg  # noqa: F401
    except ImportError:
        raise NoServer("the package psycopg is not installed: pip install 'dutiful-gate[postgresql]'") from None
    folder = Path(mkdtemp(prefix="dutiful-pg-"))
    try:
        as_user = _as_user(folder)
        data = folder / "data"
        _run(
            [*as_user, str(programs / "initdb"), "-D", str(data), "-U", _USER, "-A", "trust", "-E", "UTF8", "-N"],
            folder,
        )
        options = f"-c listen_addresses='' -c fsync=off -k {folder}"
        start = [str(programs / "pg_ctl"), "-D", str(data), "-w", "-t", str(_WAITS), "-o", options]
        _run([*as_user, *start, "-l", str(folder / "log"), "start"], folder)
        url = URL.create("postgresql+psycopg", username=_USER, database="postgres", query={"host": str(folder)})
        engine = create_engine(url)
        try:
            yield engine
        finally:
            engine.dispose()
            _run([*as_user, str(programs / "pg_ctl"), "-D", str(data), "-m", "immediate", "stop"], folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _programs() -> Path:
    """The folder of PostgreSQL's programs."""
    found = shutil.which("initdb")
    if found is not None:
        return Path(found).parent
    newest = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda path: path.parts[-3].zfill(4))
    if not newest:
        raise NoServer("PostgreSQL's programs (initdb, pg_ctl) are not installed here")
    return newest[-1].parent


def _as_user(folder: Path) -> list[str]:
    """What stands before a command, so that it does not run as root."""
    if os.geteuid() != 0:
        return []
    runner = shutil.which("runuser")
    try:
        user = pwd.getpwnam(_USER)
    except KeyError:
        user = None
    if user is None or runner is None:
        raise NoServer("PostgreSQL does not run as root, and there is no user postgres to run it as")
    os.chown(folder, user.pw_uid, user.pw_gid)
    return [runner, "-u", _USER, "--"]


def _run(command: Sequence[str], folder: Path) -> None:
    try:
        done = subprocess.run(
            command, cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, timeout=2 * _WAITS, check=False
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        raise NoServer(f"PostgreSQL could not be started: {error}") from None
    if done.returncode:
        words = done.stderr.decode("utf-8", "replace").strip().splitlines()
        raise NoServer(f"PostgreSQL could not be started: {words[-1] if words else 'no reason was given'}")


__all__ = ["NoServer", "own_postgresql"]
