"""`dutiful declare`: a document as Python declarations."""

from __future__ import annotations

from pathlib import Path

import click
from rich.syntax import Syntax

from ..declare.errors import DeclarationError
from ..document.declaring.module import declarations_of
from ..document.judging.engine import documents_in
from ..document.plain_document import read_document
from .console import console, sure_output
from .target import CannotRun, documents_option, of_missing


@click.command(
    epilog="""Example:

\b
    dutiful declare booking.schema.json > harbour/shapes.py
    dutiful declare booking.schema.json --name Booking --into harbour/shapes.py
    dutiful declare booking.schema.json --documents schemas/ --into harbour/shapes.py

The module has a gate, `gate`, and a class for each record. What has no form in types and rules stays as a document
beside its field, fits({...}): a summary on standard error counts it, and --places lists it.
"""
)
@click.argument("document", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--name", default="", help="What to call the root.  [default: its title]")
@documents_option
@click.option("--dialect", default=None, help="The dialect of a document without $schema, such as draft-07.")
@click.option("--into", type=click.Path(dir_okay=False, path_type=Path), help="Write the module into this file.")
@click.option("--overwrite", is_flag=True, help="Let --into write over a file that is there.")
@click.option("--places", is_flag=True, help="List every place that stays a document, and every default left out.")
def declare(
    document: Path,
    name: str,
    documents: Path | None,
    dialect: str | None,
    into: Path | None,
    overwrite: bool,
    places: bool,
) -> None:
    """Write Python declarations that judge as DOCUMENT does, a JSON Schema document in a JSON file."""
    sure_output()
    if into is not None and into.exists() and not overwrite:
        raise CannotRun(f"{into} is there already; name another file, or give --overwrite to write over it")
    try:
        plain = read_document(document)
        handed = documents_in(documents) if documents is not None else {}
        text = declarations_of(plain, name=name, documents=handed, dialect=dialect)
    except DeclarationError as error:
        raise CannotRun(f"{document} cannot become declarations.\n  {of_missing(error)}") from None
    except OSError as error:
        raise CannotRun(f"{document} cannot be read: {error.strerror}") from None
    out = console()
    if into is not None:
        into.write_text(text, encoding="utf-8")
        console(stderr=True).print(f"{into} written", markup=False)
    elif out.is_terminal:
        out.print(Syntax(text.rstrip(), "python", theme="ansi_dark", background_color="default"))
        out.print()
    else:
        click.echo(text, nl=False)
    console(stderr=True).print(text.summary(places=places), markup=False, highlight=False)
