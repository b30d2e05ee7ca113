"""Text that verbs read from files and write into them, or print: what cannot be read or written is told, and kept."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any

import click
from rich.syntax import Syntax

from ..report.shown_values import visible
from ..safe_files.own_files import write_whole
from .console import console
from .target import CannotRun


def read_text(file: Path) -> str:
    """The UTF-8 text of a file, line ends as they are. Raises CannotRun, naming the file."""
    try:
        return file.read_bytes().decode("utf-8")
    except OSError as error:
        raise CannotRun(f"{file} cannot be read: {error.strerror}") from None
    except UnicodeDecodeError as broken:
        raise CannotRun(f"{file} is no UTF-8 text: byte {broken.start}; save it as UTF-8") from None


def json_of(text: str | bytes, source: str) -> Any:
    """The JSON value of a text from `source`. Raises CannotRun, naming it."""
    try:
        return json.loads(text)
    except RecursionError:
        raise CannotRun(f"{source} nests deeper than can be read") from None
    except ValueError as broken:
        raise CannotRun(f"{source} is no JSON: {broken}") from None


def refuse_what_is_there(into: Path | None, *, overwrite: bool) -> None:
    """Raise CannotRun for a file that would be written over unasked."""
    # Unlike Path's own, the functions of os.path take a name that is too long for one that is not there.
    if into is not None and os.path.exists(into) and not overwrite:
        raise CannotRun(f"{into} is there already; name another file, or give --overwrite to write over it")


def write_text(file: Path, text: str, *, note: str = "written") -> None:
    """Write UTF-8 text and say so; lone surrogates become the escapes that JSON and Python read back.

    A file that is there is replaced when the new one is whole: a full disk costs nothing. Raises CannotRun.
    """
    raw = text.encode("utf-8", errors="backslashreplace")
    try:
        if os.path.exists(file) and not os.path.isfile(file):
            file.write_bytes(raw)
        else:
            write_whole(file.resolve(), raw)
    except OSError as error:
        raise CannotRun(f"{file} cannot be written: {error.strerror}") from None
    console(stderr=True).print(f"{visible(str(file))} {note}", markup=False)


def put(text: str, into: Path | None, language: str) -> None:
    """Text into the file; without one to the terminal in colours, or as it is into a pipe."""
    out = console()
    if into is not None:
        write_text(into, text)
    elif out.is_terminal:
        out.print(Syntax(text.rstrip(), language, theme="ansi_dark", background_color="default"))
        out.print()
    else:
        click.echo(text, nl=False)
