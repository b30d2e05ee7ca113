"""The command and its verbs."""

from __future__ import annotations

import click

from .. import __version__
from .check import check
from .demo import demo
from .schema import schema


@click.group(
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="""Begin with

\b
    dutiful demo
    dutiful check bookings.json --against harbour.shapes:Booking
    dutiful schema harbour.shapes:Booking > booking.schema.json
""",
)
@click.version_option(__version__, prog_name="dutiful")
def dutiful() -> None:
    """Admit sound data, refuse the rest with every fault at its place, and write the JSON Schema that says the same."""


dutiful.add_command(check)
dutiful.add_command(schema)
dutiful.add_command(demo)
