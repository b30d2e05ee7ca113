"""`dutiful schema`: the document of a declaration."""

from __future__ import annotations

import json

import click

from .console import console, sure_output
from .target import Unknown, gate_for


@click.command(
    epilog="""Example:

\b
    dutiful schema harbour.shapes:Booking > booking.schema.json

The document goes to standard output, what it cannot say to standard error.
"""
)
@click.argument("target", metavar="MODULE:NAME")
@click.option(
    "--unknown",
    type=click.Choice(["drop", "refuse"]),
    default=None,
    help="What to do with keys nobody declared.  [default: as the gate says, or drop]",
)
def schema(target: str, unknown: Unknown | None) -> None:
    """Print the JSON Schema document (2020-12) of MODULE:NAME, a declared type or a Gate."""
    sure_output()
    document = gate_for(target, unknown).schema()
    text = json.dumps(document, indent=2, ensure_ascii=False)
    out = console()
    if out.is_terminal:
        out.print_json(text, indent=2)
    else:
        click.echo(text)
    aside = console(stderr=True)
    if document.unstated:
        aside.print("\nNot in the document, and checked by the gate all the same:", style="heading")
    for rule in document.unstated:
        aside.print(f"  {rule.field}: {rule.rule}", markup=False)
        aside.print(f"      {rule.reason}", style="quiet", markup=False)
