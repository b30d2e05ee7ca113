"""`dutiful sample`: data that a declaration admits, or that it refuses for one known reason."""

from __future__ import annotations

import json
from pathlib import Path

import click

from ..sample.cannot_sample import CannotSample
from ..sample.sampling import payloads
from ..sample.sampling import probes as probe
from .console import sure_output
from .target import CannotRun, documents_option, gate_for


@click.command(
    epilog="""Example:

\b
    dutiful sample harbour.shapes:Booking -n 3
    dutiful sample harbour.shapes:Booking --probes > refused.json
    dutiful sample booking.schema.json

Sound payloads come as one JSON list; probes as a list of payloads, each with the fault that it must give.
"""
)
@click.argument("target", metavar="TARGET")
@documents_option
@click.option("-n", "count", type=click.IntRange(1), default=5, show_default=True, help="How many sound payloads.")
@click.option("--seed", default=0, show_default=True, help="The same seed gives the same data.")
@click.option("--probes", is_flag=True, help="Payloads that are wrong in one place, with their faults.")
def sample(target: str, documents: Path | None, count: int, seed: int, probes: bool) -> None:
    """Print payloads that TARGET admits, in plausible words; or with --probes ones that it must refuse.

    TARGET is MODULE:NAME or FILE.py:NAME, a declared type or a Gate; or a JSON Schema document, a .json file.
    """
    sure_output()
    gate = gate_for(target, documents=documents)
    try:
        if probes:
            made = [{"payload": payload, "fault": fault.as_dict()} for payload, fault in probe(gate, seed)]
        else:
            made = payloads(gate, count, seed)
    except CannotSample as error:
        raise CannotRun(f"{target}: {error}") from None
    # Lone surrogates among the probes have no UTF-8: they go out as escapes.
    click.echo(json.dumps(made, indent=2, ensure_ascii=probes, default=str))
