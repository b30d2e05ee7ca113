"""`dutiful declare`: a document, or the storage models of a module, as Python declarations."""

from __future__ import annotations

import os
import warnings
from difflib import unified_diff
from pathlib import Path

import click

from ..declare.errors import DeclarationError
from ..document.declaring.module import declarations_of
from ..document.judging.engine import documents_in
from ..document.judging.idle_words import IdleKeyword
from ..document.plain_document import read_document
from .console import console, sure_output
from .target import CannotRun, documents_option, named, of_missing
from .text_files import put, read_text, refuse_what_is_there


@click.command(
    epilog="""Example:

\b
    dutiful declare booking.schema.json > harbour/shapes.py
    dutiful declare booking.schema.json --name Booking --into harbour/shapes.py
    dutiful declare booking.schema.json --documents schemas/ --into harbour/shapes.py
    dutiful declare harbour.storage:BookingRow --into harbour/records.py
    dutiful declare harbour.storage:BookingRow --into harbour/records.py --check

For a class that SQLAlchemy maps to a table, what is sent to create and to change a row, and what is shown of one, is
written with the rules of its columns; --check tells whether a file is stale: exit status 1, and what changed.

For a document, the module has a gate, `gate`, and a class for each record. What has no form in types and rules stays
as a document beside its field, obeys_document({...}): a summary on standard error counts it, and --places lists it.
"""
)
@click.argument("document", metavar="TARGET")
@click.option("--name", default="", help="What to call the root.  [default: its title]")
@documents_option
@click.option("--dialect", default=None, help="The dialect of a document without $schema, such as draft-07.")
@click.option("--into", type=click.Path(dir_okay=False, path_type=Path), help="Write the module into this file.")
@click.option("--overwrite", is_flag=True, help="Let --into write over a file that is there.")
@click.option("--check", is_flag=True, help="Of models: tell whether the file of --into is stale, and write nothing.")
@click.option("--places", is_flag=True, help="List every place that stays a document, and every default left out.")
def declare(
    document: str,
    name: str,
    documents: Path | None,
    dialect: str | None,
    into: Path | None,
    overwrite: bool,
    check: bool,
    places: bool,
) -> None:
    """Write Python declarations for TARGET.

    TARGET is a JSON Schema document in a JSON file, whose declarations judge as it does; or MODULE:NAME, a class that
    SQLAlchemy maps to a table.
    """
    sure_output()
    if not document.endswith(".json") and ":" in document:
        _of_models(document, into, overwrite=overwrite, check=check)
        return
    if check:
        raise CannotRun("--check is for storage models; dutiful prove tells whether declarations judge as a document")
    if not os.path.isfile(document):
        raise CannotRun(f"there is no document {document!r}; check the path")
    refuse_what_is_there(into, overwrite=overwrite)
    try:
        plain = read_document(Path(document))
        handed = documents_in(documents) if documents is not None else {}
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", IdleKeyword)  # the summary has them
            text = declarations_of(plain, name=name, documents=handed, dialect=dialect)
    except DeclarationError as error:
        raise CannotRun(f"{document} cannot become declarations.\n  {of_missing(error)}") from None
    except OSError as error:
        raise CannotRun(f"{document} cannot be read: {error.strerror}") from None
    put(text, into, "python")
    console(stderr=True).print(text.summary(places=places), markup=False, highlight=False)


def _of_models(target: str, into: Path | None, *, overwrite: bool, check: bool) -> None:
    """The records of mapped classes; with `check`, whether those of a file are what they would be now."""
    try:
        from ..storage.written import written_records
    except ModuleNotFoundError as error:
        raise CannotRun(f"storage models need the package {error.name}: pip install 'dutiful-gate[storage]'") from None
    try:
        made = written_records([named(target)])
    except DeclarationError as error:
        raise CannotRun(f"{target} cannot become declarations.\n  {error}") from None
    told = console(stderr=True)
    if check:
        _check_stale(made.text, into)
        return
    refuse_what_is_there(into, overwrite=overwrite)
    put(made.text, into, "python")
    for line in made.left:
        told.print(f"not written: {line}", markup=False, highlight=False)


def _check_stale(text: str, into: Path | None) -> None:
    if into is None:
        raise CannotRun("--check needs the file to look at: --into FILE")
    there = read_text(into)
    if there == text:
        console().print(f"{into} says what the models say", markup=False)
        return
    lines = unified_diff(there.splitlines(), text.splitlines(), str(into), "the models now", lineterm="")
    for line in lines:
        console().print(line, markup=False, highlight=False)
    raise SystemExit(1)
