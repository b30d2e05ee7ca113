"""The command and its verbs."""

from __future__ import annotations

from typing import Any

import click

from .. import __version__
from ..gates.native_core import native_core
from ..report.shown_values import on_terminal
from .build import build
from .check import check
from .compare import compare
from .config import config
from .declare import declare
from .demo import demo
from .draft import draft
from .explain import explain
from .manual import manual
from .prove import prove
from .sample import sample
from .schema import schema
from .tree import tree
from .why import why


def _tell_version(ctx: click.Context) -> None:
    """The version; the native core's, or why it does not read. Then the command is done."""
    click.echo(f"dutiful, version {__version__}\nnative core: {native_core()}")
    ctx.exit()


class _Verbs(click.Group):
    """The verbs; names of files in what Click says of them steer no terminal."""

    def invoke(self, ctx: click.Context) -> Any:
        """See `click.Group`."""
        try:
            return super().invoke(ctx)
        except click.ClickException as error:
            vars(error)["message"] = on_terminal(error.message)
            raise


@click.group(
    cls=_Verbs,
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="""Begin with

\b
    dutiful demo
    dutiful draft bookings.json --name Booking > harbour/shapes.py
    dutiful tree harbour.shapes:Booking
    dutiful check bookings.json --against harbour.shapes:Booking
    dutiful why harbour.shapes:Booking '{"origin": " qlp "}' /origin
    dutiful schema harbour.shapes:Booking > booking.schema.json
    dutiful prove harbour.shapes:Booking
    dutiful compare harbour.shapes:Booking@main harbour.shapes:Booking
    dutiful config check harbour.service:settings
""",
)
@click.option(
    "--version",
    is_flag=True,
    expose_value=False,
    is_eager=True,
    callback=lambda ctx, _, asked: _tell_version(ctx) if asked else None,
    help="Tell the version, and whether the native core reads.",
)
def dutiful() -> None:
    """Admit sound data, refuse the rest with every fault at its place, and write the JSON Schema that says the same."""


for verb in (draft, tree, check, why, explain, schema, declare, prove, compare, build, sample, config, manual, demo):
    dutiful.add_command(verb)
