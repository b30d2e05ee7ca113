"""`dutiful manual`: the description of an API and its manual, as files that can be published."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import click

from ..declare.errors import DeclarationError
from .console import console, sure_output
from .target import CannotRun, named
from .text_files import write_text

_DESCRIPTION, _MANUAL = "openapi.json", "manual.html"


@click.command(
    epilog="""Example:

\b
    dutiful manual harbour.service:api --into public
    dutiful manual harbour.service:api --into public --check     in continuous integration
    dutiful manual dutiful_gate.demo.desk:desk --into .          of the shipped demo

The name stands for an Api, or for a function that makes one and needs nothing. Exit status 0; 1 where --check finds a
file that is stale; 2 where the command cannot run.
"""
)
@click.argument("target", metavar="MODULE:NAME")
@click.option(
    "--into",
    type=click.Path(file_okay=False, path_type=Path),
    default=Path(),
    help="The folder for openapi.json and manual.html, made where it is not there.  [default: this one]",
)
@click.option(
    "--openapi",
    type=click.Choice(["3.1", "3.0"]),
    default="3.1",
    show_default=True,
    help="The version of the description.",
)
@click.option("--check", is_flag=True, help="Write nothing; fail where a file is not what would be written.")
def manual(target: str, into: Path, openapi: Any, check: bool) -> None:
    """Write the description of an API (OpenAPI) and its manual, one page that needs no other file."""
    sure_output()
    api = _api(target)
    try:
        from ..web.describing.description import description
        from ..web.manual.page import manual as page

        files = {
            _DESCRIPTION: json.dumps(description(api, openapi), indent=2, ensure_ascii=False) + "\n",
            _MANUAL: page(api),
        }
    except DeclarationError as error:
        raise CannotRun(f"{target} cannot be described.\n  {error}") from None
    out = console(stderr=True)
    stale = [name for name, text in files.items() if _held(into / name) != text]
    if check:
        for name in stale:
            out.print(f"{into / name} is stale: run  dutiful manual {target} --into {into}", markup=False)
        if not stale:
            out.print(f"{', '.join(files)} in {into}: as they would be written", markup=False)
        raise SystemExit(int(bool(stale)))
    try:
        into.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotRun(f"{into} cannot be made: {error.strerror or error}") from None
    for name, text in files.items():
        write_text(into / name, text)


def _held(file: Path) -> str | None:
    try:
        return file.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError):
        return None


def _api(target: str) -> Any:
    """The API of a name. Raises CannotRun for anything else."""
    from ..web.api import Api

    found = named(target)
    if not isinstance(found, Api) and callable(found):
        try:
            found = found()
        except TypeError as error:
            raise CannotRun(f"{target} needs something ({error}); name a function that needs nothing") from None
    if not isinstance(found, Api):
        raise CannotRun(f"{target} is no Api; name one, such as api = Api(...), or a function that makes one")
    return found
