"""`dutiful sample`: data that a declaration admits, or that it refuses for one known reason."""

from __future__ import annotations

import json

import click

from ..sample.face import payloads
from ..sample.face import probes as probe
from ..sample.payloads import CannotSample
from .console import sure_output
from .target import CannotRun, typed_gate_for


@click.command(
    epilog="""Example:

\b
    dutiful sample harbour.shapes:Booking -n 3
    dutiful sample harbour.shapes:Booking --probes > refused.json

Sound payloads come as one JSON list; probes as a list of payloads, each with the fault that it must give.
"""
)
@click.argument("target", metavar="MODULE:NAME")
@click.option("-n", "count", type=click.IntRange(1), default=5, show_default=True, help="How many sound payloads.")
@click.option("--seed", default=0, show_default=True, help="The same seed gives the same data.")
@click.option("--probes", is_flag=True, help="Payloads that are wrong in one place, with their faults.")
def sample(target: str, count: int, seed: int, probes: bool) -> None:
    """Print payloads that MODULE:NAME admits, in plausible words; or with --probes ones that it must refuse."""
    sure_output()
    gate = typed_gate_for(target)
    try:
        if probes:
            made = [{"payload": payload, "fault": fault.as_dict()} for payload, fault in probe(gate, seed)]
        else:
            made = payloads(gate, count, seed)
    except CannotSample as error:
        raise CannotRun(f"{target}: {error}") from None
    # Lone surrogates among the probes have no UTF-8: they go out as escapes.
    click.echo(json.dumps(made, indent=2, ensure_ascii=probes, default=str))
